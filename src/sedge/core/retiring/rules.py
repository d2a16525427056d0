"""What taking numbers back asks for, beyond the number itself."""

from sedge.core.estate import Estate
from sedge.core.records import Site
from sedge.core.safety.callback import is_main, left_without, told
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, elsewhere, passed, stop
from sedge.core.workorders.rules.registry import rule


@rule("life.help-rings-back", t.UnassignNumber)
def help_rings_back(task: t.UnassignNumber, estate: Estate) -> Finding | None:
    """A call for help from a site is rung back on its main number; whoever has none of their own
    must keep one to be rung back on.

    Judged by how the whole work order leaves the estate, when the number has no holder any more;
    before, only a site's main number matters.
    """
    number = estate.number(task.e164 or "")
    if number.assignment and not is_main(number):
        return None
    site = estate.the(Site, number.site)
    if without := left_without(site, estate, going={number.e164}):
        return stop(
            f"Without {number.shown}, {told(site, without)}.",
            elsewhere(f"Choose another for {site.name}", "site", site.id),
        )
    return passed("Everybody can still be rung back after an emergency call")
