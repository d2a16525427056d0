"""Trunks that come with a carrier's account, where the carrier brings its own."""

from sedge.core.changes import changed
from sedge.core.errors import OutsideTrouble
from sedge.core.records import Account, Carrier, Site, Subject, SupplyModel, Trunk
from sedge.services.context import Context, Writing


def come_with(
    writing: Writing, account: Account, site: Site, *, key: str, up: bool
) -> Trunk | None:
    """The trunk that comes with an account of a carrier which brings its own; None for one that
    expects ours, and where there is one."""
    carrier = writing.records.the(Carrier, account.carrier)
    known = [x for x in writing.records.all(Trunk) if x.carrier == carrier.id]
    if carrier.supply_model is SupplyModel.OWN_TRUNK or known:
        return None
    trunk = Trunk(
        id=key,
        name=f"{carrier.name}, {site.name}"[:80],
        site=site.id,
        carrier=carrier.id,
        channels=0,
        up=up,
        seen_at=writing.now,
    )
    return writing.save([changed(Subject.TRUNK, None, trunk, "trunk.added")])[0].after


def is_up(context: Context, key: str) -> bool:
    """Whether the telephone system has a trunk up, as it says now; False where it does not
    answer."""
    try:
        return key not in context.outside.telephony.trunks_down()
    except OutsideTrouble:
        return False
