"""What settles a difference from a carrier's list: the rules."""

from sedge.core.carriers.reconciliation import DriftKind
from sedge.core.estate import Estate
from sedge.core.facts import in_words
from sedge.core.numbers.life import ENDED
from sedge.core.records import Number, Trunk
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, passed, stop, warn
from sedge.core.workorders.rules.registry import rule


@rule("drift.known-here", t.FollowCarrier)
def known_here(task: t.FollowCarrier, estate: Estate) -> Finding:
    """Following a carrier changes a number of ours; one that nobody knows is brought in instead."""
    number = estate.number(task.e164 or "")
    if number.state in ENDED:
        return stop(
            f"{number.shown} is {number.state} here already. Import it again, if the carrier"
            " still bills it."
        )
    if task.drift == DriftKind.TRUNK and estate.get(Trunk, task.theirs) is None:
        return stop(
            f"The carrier sends calls over “{task.theirs}”, and there is no such trunk here. Set it"
            " up first, or tell the carrier ours."
        )
    return passed("It is a number of ours")


@rule("drift.nobody-loses-a-number", t.FollowCarrier)
def nobody_loses(task: t.FollowCarrier, estate: Estate) -> Finding | None:
    """A number that the carrier has no more takes its holder's calls with it."""
    if task.drift not in {DriftKind.NOT_LISTED, DriftKind.STATE}:
        return None
    number = estate.number(task.e164 or "")
    if number.holder:
        return warn(
            f"{estate.holder(number.holder).name} has {number.shown} and loses it. To keep it, ask"
            " the carrier to have it back in service."
        )
    return passed("Nobody has it")


@rule("drift.price-told", t.FollowCarrier)
def price_told(task: t.FollowCarrier, estate: Estate) -> Finding | None:
    """What it costs more a year is said before it is taken over."""
    if task.drift != DriftKind.PRICE:
        return None
    number = estate.number(task.e164 or "")
    more = (task.price - number.monthly.amount) * 12
    year = in_words(number.monthly.copy_with(amount=abs(more)))
    if more > 0:
        return warn(
            f"{number.shown} costs {year} a year more than agreed. To dispute that, tell the"
            " carrier instead."
        )
    return passed(f"It costs {year} a year less")


@rule("drift.carrier-can-be-told", t.TellCarrier)
def can_be_told(task: t.TellCarrier, estate: Estate) -> Finding:
    """Only what is so here can be told; handing back is for good."""
    if task.drift == DriftKind.NOT_OURS:
        known = estate.get(Number, task.number)
        if known and known.state not in ENDED:
            return stop(f"{known.shown} is in the estate by now; release it as any other.")
        return warn("It goes back to its carrier for good; nobody here has known of it.")
    number = estate.number(task.number)
    if number.state in ENDED:
        return stop(f"{number.shown} is {number.state} here; there is nothing to tell.")
    return passed(f"{estate.carrier_of(number).name} is told what is so here")
