"""Rules about letting numbers go to another carrier: what would be stolen, lost or paid for is said
before anything is answered."""

from sedge.core.estate import Estate
from sedge.core.porting.outgoing import REFUSALS, bound_beyond, doubts
from sedge.core.porting.outgoing_records import PortOut, PortOutState
from sedge.core.records import Account, Number, Site
from sedge.core.safety.callback import is_main, left_without, told
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, elsewhere, passed, stop, warn
from sedge.core.workorders.rules.registry import rule


@rule("port-out.can-be-answered", t.ApprovePortOut)
def can_be_answered(task: t.ApprovePortOut, estate: Estate) -> Finding:
    """A request is answered once; whoever is late has it decided for them."""
    request = estate.the(PortOut, task.request)
    if request.state is not PortOutState.ASKED:
        return stop(
            f"Port out {request.no} is {request.state} already; there is nothing to approve."
        )
    if request.answer_due < estate.now:
        return warn(
            f"The time to answer ended {estate.clock(request.answer_due)}; the carrier may have let"
            " the numbers go."
        )
    return passed(f"To be answered by {estate.clock(request.answer_due)}")


@rule("port-out.asked-by-us", t.ApprovePortOut)
def asked_by_us(task: t.ApprovePortOut, estate: Estate) -> Finding:
    """A number that somebody else takes away is a number stolen: account, name, PIN and numbers
    have to be right, or somebody has to vouch."""
    request = estate.the(PortOut, task.request)
    account = estate.the(Account, request.account)
    numbers = {n: estate.get(Number, n) for n in request.numbers}
    found = doubts(request, account, None, request.given.name, numbers)
    if found:
        return stop(
            f"{found[0].says} Refuse it: {REFUSALS[found[0].code]}",
            elsewhere("Answer", "port out", request.id),
        )
    if not task.vouched:
        return stop(
            "Nobody has compared what they say of our account with what we know of it.",
            elsewhere("Compare and answer", "port out", request.id),
        )
    return passed(f"{request.gaining} knows the account; {task.vouched} vouches for it")


@rule("port-out.help-rings-back", t.ApprovePortOut)
def help_rings_back(task: t.ApprovePortOut, estate: Estate) -> Finding:
    """A call for help from a site is rung back on its main number; without it an operator who is
    cut off reaches nobody."""
    request = estate.the(PortOut, task.request)
    for e164 in request.numbers:
        number = estate.get(Number, e164)
        if number is None or not is_main(number):
            continue
        site = estate.the(Site, number.site)
        if without := left_without(site, estate, going=request.numbers):
            return stop(
                f"Without {number.shown}, {told(site, without)}. Give the site another main number"
                " first.",
                elsewhere(f"Choose one for {site.name}", "site", site.id),
            )
    return passed("Everybody can still be rung back after an emergency call")


@rule("port-out.what-is-lost", t.ApprovePortOut)
def what_is_lost(task: t.ApprovePortOut, estate: Estate) -> Finding:
    """Who has the numbers loses them; what is bound is paid for to its end."""
    request = estate.the(PortOut, task.request)
    numbers = [n for e164 in request.numbers if (n := estate.get(Number, e164))]
    names = sorted({estate.holder(n.holder).name for n in numbers if n.holder})
    bound = bound_beyond(numbers, estate.now.date())
    told = []
    if names:
        more = f" and {len(names) - 3} more" if len(names) > 3 else ""
        told.append(
            f"{', '.join(names[:3])}{more} will be without {'it' if len(numbers) == 1 else 'them'}"
        )
    if bound:
        last = max(n.bound_until for n in bound if n.bound_until)
        told.append(
            f"{len(bound):,} {'is' if len(bound) == 1 else 'are'} paid for until {last.day}"
            f" {last:%B %Y}, their minimum term"
        )
    if told:
        return warn(
            f"{'; '.join(told)}. What depends on them is cleaned up by a work order once they have"
            " gone."
        )
    return passed("Nobody has them")
