"""Following one call in through the rules: each step with its seconds, decision and reason, and how
it ends.

The world is part of the question: who is busy, who answers when, what is pressed, how many wait,
which trunks are down.
"""

from datetime import datetime

from sedge.core.callpaths.steps import Path, holder_path, resting_path
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.walk import follow_path, hand_over
from sedge.core.callpaths.tracing.world import (
    Asked,
    Called,
    Ending,
    EndingKind,
    Happening,
    Trace,
    World,
)
from sedge.core.estate import Estate
from sedge.core.moments import clock
from sedge.core.numbers.e164 import describe
from sedge.core.outbound.forwarding import in_words_exact
from sedge.core.outbound.routes import rate_to
from sedge.core.records import Account, Downstream, HolderKind, Number, PathVersion, Person, Trunk
from sedge.core.trunks.records import TrunkState


def path_of(number: Number, estate: Estate) -> Path:
    """The path in force for a number: its own, else ring the holder, then what the holder wants."""
    if number.announcement:
        return resting_path(number.announcement)
    published = estate.get(PathVersion, number.path)
    if published:
        return estate.once("path", published.id, lambda: Path.model_validate(published.body))
    holder = (
        estate.get(Person, number.holder.id)
        if number.holder and number.holder.kind is HolderKind.PERSON
        else None
    )
    if holder is None:
        return holder_path()
    return holder_path(
        holder.ring_seconds, holder.answering.then, holder.answering.cover, holder.answering.mobile
    )


def trace_inbound(
    e164: str,
    at: datetime,
    world: World,
    estate: Estate,
    *,
    caller: str = "",
    draft: dict[str, Path] | None = None,
    path: Path | None = None,
) -> Trace:
    """Follow a call to `e164` that comes in at `at` from `caller` (as shown to people; '' where it
    doesn't matter). With `path`, or other paths in `draft`, as if those were published.

    Raises NotFound where the number isn't in the estate.
    """
    number = estate.number(e164)
    trunk = estate.get(Trunk, number.trunk)
    carrier = estate.carrier_of(number).name
    account = estate.get(Account, number.account)
    is_down = trunk is not None and (trunk.id in world.trunks_down or not trunk.carries)
    up = trunk.copy_with(up=True, state=TrunkState.IN_SERVICE) if trunk else None
    if (
        number.fallback
        and trunk
        and is_down
        and not stopped_before(number, up, at, World(), account)
    ):
        to = describe(number.fallback).shown
        words = (
            f"finds trunk {trunk.name} down and sends the call on to {to}, the"
            f" fallback{in_money(number, estate)}."
        )
        return Trace(
            [Happening(0, "carrier", carrier, words)],
            Ending(EndingKind.FORWARDED, f"fallback to {to}", to, "carrier"),
            [],
        )
    if reason := stopped_before(number, trunk, at, world, account):
        rejected = Ending(EndingKind.REJECTED, reason, step="carrier")
        return Trace([Happening(0, "carrier", carrier, reason, wrong=True)], rejected, [])
    call = Call(Asked(Called.number(number), at, world, caller), estate, draft)
    call.here = "carrier"
    call.say(
        carrier,
        f"hands the call{f' from {caller}' if caller else ''} over to"
        f" {trunk.name if trunk else 'nobody'}.",
    )
    if number.holder and number.holder.kind is HolderKind.DOWNSTREAM:
        return hand_over(call, estate.the(Downstream, number.holder.id))
    return follow_path(call, path or draft_of(number, draft) or path_of(number, estate))


def in_money(number: Number, estate: Estate) -> str:
    rate = rate_to(number.fallback, estate.carrier_of(number))
    return f", {in_words_exact(rate)} a minute" if rate else ""


def draft_of(number: Number, draft: dict[str, Path] | None) -> Path | None:
    return draft.get(number.path) if draft and number.path else None


def trace_path(
    called: Called,
    path: Path,
    at: datetime,
    world: World,
    estate: Estate,
    *,
    caller: str = "",
    draft: dict[str, Path] | None = None,
) -> Trace:
    """Follow a call through a path, from its first step on, whatever brought it there."""
    return follow_path(Call(Asked(called, at, world, caller), estate, draft), path)


def stopped_before(
    number: Number, trunk: Trunk | None, at: datetime, world: World, account: Account | None
) -> str | None:
    """Why a call does not come as far as its path; None where it does."""
    if not number.in_use and not number.announcement:
        arrives = (
            f"It arrives over {trunk.name}, and " if trunk and trunk.connection and trunk.up else ""
        )
        return (
            f"{arrives}{'the' if arrives else 'The'} number is {number.state}; callers hear that it"
            " is not in use."
        )
    if trunk is None:
        return "The number is on no trunk's list, so the call does not arrive."
    if trunk.id in world.trunks_down or not trunk.carries:
        why = trunk.why_not or "is down"
        return f"Trunk {trunk.name} {why} and no fallback is set; callers hear the engaged tone."
    if account and account.suspended_since:
        return (
            f"The carrier has suspended {account.name}, so no call to its numbers arrives. A"
            " deposit brings service back."
        )
    if number.usable_from and number.usable_from > at:
        return f"The carrier has the number in service only from {clock(number.usable_from, at)}."
    if number.assignment and number.assignment.works_from > at:
        return f"The assignment works only from {clock(number.assignment.works_from, at)}."
    return None
