"""Queues: full, nobody signed in, called back, answered, or waited too long."""

from sedge.core.callpaths.answering import Ringing, agents_of, people_of
from sedge.core.callpaths.openings import Calendar
from sedge.core.callpaths.steps import Exit, Queue
from sedge.core.callpaths.tracing.behaviours.behaviour import (
    Behaviour,
    Outcome,
    Situation,
    hours_of,
)
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.ringing import Attempt, answered_by, connected, ring
from sedge.core.callpaths.tracing.world import Called, Ending, EndingKind, Option
from sedge.core.estate import Estate

# how long a caller who waits before one keeps an agent, where nothing else is known
HANDLING_SECONDS = 60
CALLBACK = "asks to be called back"


class QueueBehaviour(Behaviour[Queue]):
    def take(self, call: Call, key: str, step: Queue) -> str | Ending:
        agents = agents_of(call.called, step, call.at, call.estate)
        signed_in = [a for a in agents if a.phones]
        options = _options(step, signed_in)
        chosen = call.choose(options) if len(options) > 1 else None
        if isinstance(chosen, Ending):
            return chosen
        waiting = _waiting(call, key, step, chosen)
        if way_out := _turned_away(call, step, waiting, signed_in):
            return way_out
        if chosen == CALLBACK or (chosen is None and call.world.asks_callback and step.callback):
            call.say(
                step.title,
                "the caller presses 1 and is called back when an agent is free.",
                CALLBACK,
            )
            return call.ends(EndingKind.ENDED, "the caller is called back")
        result = _wait(call, step, agents, waiting, chosen)
        if isinstance(result, Ending):
            return connected(call, step, result)
        call.seconds = max(call.seconds, step.longest_wait)
        call.say(
            step.title,
            f"waited {step.longest_wait // 60}:{step.longest_wait % 60:02d}, too long.",
            Exit.WAITED_TOO_LONG,
        )
        return Exit.WAITED_TOO_LONG

    def outcomes(self, situation: Situation, step: Queue) -> list[Outcome]:
        agents = agents_of(situation.called, step, situation.at, situation.estate)
        signed_in = [a for a in agents if a.phones]
        full = [Outcome(Exit.FULL, Exit.FULL)] if step.most_waiting else []
        if not signed_in:
            nobody = Exit.NOBODY_SIGNED_IN
            return [Outcome(nobody, nobody if full else None), *full]
        answered = [Outcome("", answered_by(a), EndingKind.ANSWERED, a.name) for a in signed_in]
        back = [Outcome("", CALLBACK, EndingKind.ENDED, CALLBACK)] if step.callback else []
        too_long = Outcome(Exit.WAITED_TOO_LONG, Exit.WAITED_TOO_LONG)
        return [*answered, too_long, *full, *back]

    def depends_on(self, called: Called, estate: Estate, step: Queue) -> tuple[Calendar, ...]:
        people = people_of(called, step.people, step.groups, estate)
        return tuple(hours_of(p, estate) for p in people if p.answering.openings)


def _options(step: Queue, signed_in: list[Ringing]) -> list[Option]:
    full = (
        [Option(Exit.FULL, f"{step.most_waiting} are waiting already")] if step.most_waiting else []
    )
    if not signed_in:
        return [Option(Exit.NOBODY_SIGNED_IN, "nobody is signed in"), *full]
    options = [Option(answered_by(a), f"{a.name} answers") for a in signed_in]
    options += [Option(Exit.WAITED_TOO_LONG, "nobody answers in time"), *full]
    if step.callback:
        options.append(Option(CALLBACK, "presses 1 to be called back"))
    return options


def _waiting(call: Call, key: str, step: Queue, chosen: str | None) -> int:
    """How many wait before this caller."""
    if chosen is None:
        return call.world.queue.get(key, 0)
    return step.most_waiting if chosen == Exit.FULL else 0


def _turned_away(call: Call, step: Queue, waiting: int, signed_in: list[Ringing]) -> str:
    """The exit of whoever does not get in; empty for the others."""
    if waiting >= step.most_waiting > 0:
        call.say(
            step.title,
            f"{waiting} are waiting and no more than {step.most_waiting} may: full.",
            Exit.FULL,
        )
        return Exit.FULL
    if not signed_in:
        call.say(
            step.title,
            "nobody is signed in: none of the queue's people can be rung.",
            Exit.NOBODY_SIGNED_IN,
            wrong=True,
        )
        return Exit.NOBODY_SIGNED_IN
    return ""


def _wait(
    call: Call, step: Queue, agents: list[Ringing], waiting: int, chosen: str | None
) -> str | Ending:
    """Wait until those before have been served, then ring."""
    ahead = waiting * HANDLING_SECONDS // sum(1 for a in agents if a.phones)
    if ahead > step.longest_wait:
        return Exit.NO_ANSWER
    place = f"{waiting} are waiting, so place {waiting + 1}. " if waiting else ""
    call.seconds += ahead
    if step.order == "longest idle":
        agents = sorted(agents, key=lambda a: call.world.busy.count(a.key))
    return ring(
        call,
        Attempt(
            step.title,
            agents,
            step.ring_seconds,
            one_by_one=step.order != "all",
            sees=call.sees(step.shown),
            first_words=place,
            chosen=chosen,
        ),
    )
