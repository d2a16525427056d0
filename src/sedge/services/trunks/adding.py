"""A trunk of one's own, by a work order that is run at once."""

from collections.abc import Sequence

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.records import Account, Site, Trunk
from sedge.core.trunks.records import TrunkSettings
from sedge.core.trunks.settings import MOST_CHANNELS, read_host
from sedge.core.trunks.tasks import AddTrunk
from sedge.services.context import Context, Reading
from sedge.services.trunks.trunk_setup import is_up
from sedge.services.workorders import order_running, runner


def add_trunk(
    context: Context,
    *,
    name: str,
    account: str,
    site: str,
    host: str,
    channels: int,
    settings: TrunkSettings | None = None,
    serves: Sequence[str] = (),
) -> Trunk:
    """One's own trunk to a carrier, by a work order that is run at once and can be undone;
    `settings` None: nobody has said how it is set up. It `serves` every site where none is named.

    Raises NotUnderstood naming the field, NotAllowedNow for a name that is taken."""
    context.require(May.TRUNKS)
    name = name.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A trunk needs a name of at most 80 characters.", field="name")
    host = read_host(host)
    if not 1 <= channels <= MOST_CHANNELS:
        raise NotUnderstood(
            f"The channels are 1 to {MOST_CHANNELS:,} calls at once.", field="channels"
        )
    with context.reading() as reading:
        if reading.records.find(Account, account) is None:
            raise NotUnderstood("Choose the carrier account the trunk belongs to.", field="account")
        if reading.records.find(Site, site) is None:
            raise NotUnderstood("Choose the site where the trunk ends.", field="site")
        refuse_unknown_sites(reading, serves)
        if any(x.name.casefold() == name.casefold() for x in reading.records.all(Trunk)):
            raise NotAllowedNow(
                f"There is a trunk called {name} already.", field="name", reason="exists"
            )
    key = context.new_id("trunk")
    task = AddTrunk(
        id=key,
        name=name,
        account=account,
        site=site,
        host=host,
        channels=channels,
        settings=settings,
        serves=tuple(serves),
        up=is_up(context, key),
    )
    order = runner.finish(context, order_running.run_now(context, f"Add trunk {name}", [task]))
    with context.reading() as reading:
        made = reading.records.find(Trunk, key)
    if made is None:
        raise NotAllowedNow(order.tasks[0].error or "The trunk could not be added.")
    return made


def refuse_unknown_sites(reading: Reading, sites: Sequence[str]) -> None:
    """Raises NotUnderstood for a site that a trunk can't serve since there is none."""
    known = {site.id for site in reading.records.many(Site, set(sites))}
    if gone := next((key for key in sites if key not in known), None):
        message = f"There is no site “{gone[:80]}”. Choose the sites that the trunk serves."
        raise NotUnderstood(message, field="serves")
