"""Trunks that come to be: with a carrier's account where the carrier brings its own, else set up
here in a simple form."""

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood, OutsideTrouble
from sedge.core.records import Account, Carrier, Site, Subject, SupplyModel, Trunk
from sedge.core.trunks.records import TrunkSettings
from sedge.core.trunks.settings import MOST_CHANNELS, read_host
from sedge.services.context import Desk, Writing


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


def is_up(desk: Desk, key: str) -> bool:
    """Whether the telephone system has a trunk up, as it says now; False where it does not
    answer."""
    try:
        return key not in desk.outside.telephony.trunks_down()
    except OutsideTrouble:
        return False


def add(
    desk: Desk,
    *,
    name: str,
    account: str,
    site: str,
    host: str,
    channels: int,
    settings: TrunkSettings | None = None,
) -> Trunk:
    """One's own trunk to a carrier; `settings` None: nobody has said how it is set up.

    Raises NotUnderstood naming the field, NotAllowedNow for a name that is taken."""
    desk.require(May.TRUNKS)
    name = name.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A trunk needs a name of at most 80 characters.", field="name")
    host = read_host(host)
    if not 1 <= channels <= MOST_CHANNELS:
        raise NotUnderstood(
            f"The channels are 1 to {MOST_CHANNELS:,} calls at once.", field="channels"
        )
    key = desk.new_id("trunk")
    up = is_up(desk, key)
    with desk.writing() as writing:
        paid_on, of = writing.records.find(Account, account), writing.records.find(Site, site)
        if paid_on is None:
            raise NotUnderstood("Choose the carrier account the trunk belongs to.", field="account")
        if of is None:
            raise NotUnderstood("Choose the site where the trunk ends.", field="site")
        if any(x.name.casefold() == name.casefold() for x in writing.records.all(Trunk)):
            raise NotAllowedNow(
                f"There is a trunk called {name} already.", field="name", reason="exists"
            )
        trunk = Trunk(
            id=key,
            name=name,
            site=of.id,
            carrier=paid_on.carrier,
            channels=channels,
            host=host,
            settings=settings,
            up=up,
            seen_at=writing.now,
        )
        changes = [changed(Subject.TRUNK, None, trunk, "trunk.added")]
        if of.account is None:
            model = writing.records.the(Carrier, paid_on.carrier).supply_model
            changes.append(
                changed(
                    Subject.SITE, of, of.but(account=paid_on.id, supply_model=model), "site.changed"
                )
            )
        return writing.save(changes)[0].after
