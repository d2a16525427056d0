"""Ringing people and numbers outside: who is skipped, who answers after how long, and what is heard
before the talk."""

from collections.abc import Iterable
from dataclasses import dataclass

from sedge.core.callpaths.answering import Ringing
from sedge.core.callpaths.steps import Connecting, Exit
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.speaking import seconds_to_say
from sedge.core.callpaths.tracing.world import ANSWERS_AFTER, Ending, EndingKind, Option
from sedge.core.outbound.forwarding import Forwarding, in_words_exact

BUSY = Option(Exit.BUSY, "busy")
NO_ANSWER = Option(Exit.NO_ANSWER, "nobody answers")


def answered_by(person: Ringing) -> str:
    """The choice that somebody answers."""
    return f"answers:{person.key}"


@dataclass(frozen=True)
class Attempt:
    """Ringing for `seconds`, all at once or one after the other; `first_words` begin the story,
    `chosen` is who answers where that has been chosen already."""

    title: str
    rung: list[Ringing]
    seconds: int
    one_by_one: bool
    sees: str
    first_words: str = ""
    chosen: str | None = None


def ring(call: Call, attempt: Attempt) -> str | Ending:
    """The first who answers ends the story."""
    for silent in _by_reason(attempt.rung):
        call.say(attempt.title, silent, wrong=True)
    reachable = [r for r in attempt.rung if r.phones]
    if not reachable:
        return Exit.NOBODY_REACHABLE
    chosen = attempt.chosen
    if chosen is None:
        picked = call.choose(
            [Option(answered_by(r), f"{r.name} answers") for r in reachable] + [NO_ANSWER, BUSY]
        )
        if isinstance(picked, Ending):
            names = ", ".join(r.told for r in reachable)
            call.say(attempt.title, f"rings {names}.", sees=attempt.sees)
            return picked
        chosen = picked
    if chosen == Exit.BUSY or (chosen is None and all(r.key in call.world.busy for r in reachable)):
        call.say(attempt.title, f"{', '.join(r.name for r in reachable)}: busy.", Exit.BUSY)
        return Exit.BUSY
    for group in [[r] for r in reachable] if attempt.one_by_one else [reachable]:
        if ending := _ring_together(call, attempt, group, chosen):
            return ending
    return Exit.NO_ANSWER


def _ring_together(
    call: Call, attempt: Attempt, group: list[Ringing], chosen: str | None
) -> Ending | None:
    names = ", ".join(r.told for r in group)
    seconds, sees = attempt.seconds, attempt.sees
    ready = [
        (after, r, name)
        for r in group
        for after, name in [_picks_up(call, r, chosen)]
        if after is not None and after <= seconds
    ]
    rings_for = min((after for after, _, _ in ready), default=seconds)
    call.rang += [phone for r in group for phone in r.rung_within(rings_for)]
    rings = f"{attempt.first_words}rings {names}"
    if ready:
        after, who, name = min(ready, key=lambda found: found[0])
        words = f"{name} picks up for {who.name}" if name != who.name else f"{name} answers"
        call.say(attempt.title, f"{rings}; {words} after {after} s.", "answered", sees=sees)
        call.seconds += after
        return call.ends(EndingKind.ANSWERED, words, name)
    call.say(attempt.title, f"{rings} for {seconds} s; nobody picks up.", Exit.NO_ANSWER, sees=sees)
    call.seconds += seconds
    return None


def _picks_up(call: Call, ringing: Ringing, chosen: str | None) -> tuple[int | None, str]:
    """After how many seconds somebody answers, and who: they themselves, or a colleague who may."""
    if chosen is not None:
        return (ANSWERS_AFTER if chosen == answered_by(ringing) else None), ringing.name
    world = call.world
    colleagues = [
        (after, name)
        for key, name in ringing.pickup
        if key not in world.busy
        and (after := world.answers.get(key)) is not None
        and not world.nobody_answers
    ]
    own = None
    if ringing.key not in world.busy and not world.nobody_answers:
        own = world.answers.get(ringing.key, ANSWERS_AFTER)
    first = min(colleagues, default=None)
    if first and (own is None or first[0] < own):
        return first
    return own, ringing.name


def _by_reason(rung: Iterable[Ringing]) -> list[str]:
    """Who is skipped, one sentence for each reason."""
    by_reason: dict[str, list[str]] = {}
    for r in rung:
        if not r.phones:
            by_reason.setdefault(r.why_not, []).append(r.name)
    return [
        f"{', '.join(names)} {'is' if len(names) == 1 else 'are'} skipped: {reason}."
        for reason, names in by_reason.items()
    ]


@dataclass(frozen=True)
class Outside:
    """A call that leaves the house, to `key` (a number or a SIP address), `over` a trunk; `judged`
    where it is a call out of the number's holder."""

    title: str
    key: str
    name: str
    seconds: int
    sees: str
    over: str = ""
    judged: Forwarding | None = None


def ring_outside(call: Call, to: Outside) -> str | Ending:
    """Answered there, not answered, or busy."""
    reached = [Option("answered", f"{to.name} answers"), NO_ANSWER, BUSY]
    unreached = [] if to.judged else [Option(Exit.NOT_REACHED, "does not answer at all")]
    chosen = call.choose([*reached, *unreached])
    rate = to.judged.rate if to.judged else None
    money = f", {in_words_exact(rate)} a minute" if rate else ""
    words = f"{' '.join(x for x in ('rings', to.name, to.over) if x)}{money}"
    if isinstance(chosen, Ending):
        call.say(to.title, f"{words}.", sees=to.sees, rate=rate)
        return chosen
    if chosen == Exit.NOT_REACHED:
        call.say(to.title, f"{to.name} does not answer at all.", Exit.NOT_REACHED, wrong=True)
        return Exit.NOT_REACHED
    if chosen == Exit.BUSY or (chosen is None and to.key in call.world.busy):
        call.say(to.title, f"{to.name}: busy.", Exit.BUSY)
        return Exit.BUSY
    after = ANSWERS_AFTER if chosen == "answered" else None
    if chosen is None and not call.world.nobody_answers:
        after = call.world.answers.get(to.key, ANSWERS_AFTER)
    if after is None or after > to.seconds:
        call.say(
            to.title,
            f"{words} for {to.seconds} s; nobody answers.",
            Exit.NO_ANSWER,
            sees=to.sees,
        )
        call.seconds += to.seconds
        return Exit.NO_ANSWER
    call.say(to.title, f"{words}; answered after {after} s.", "answered", sees=to.sees, rate=rate)
    call.seconds += after
    return call.ends(EndingKind.FORWARDED, f"{to.name} answers", to.name)


def connected(call: Call, step: Connecting, result: str | Ending) -> str | Ending:
    """What is heard between the answer and the talk: words to the callee, and that the call is
    recorded."""
    if not isinstance(result, Ending) or not result.kind.is_talk:
        return result
    if step.to_callee:
        call.say(step.title, f"the callee first hears “{step.to_callee}”")
        call.seconds += seconds_to_say(step.to_callee)
    if step.recording:
        call.say(
            step.title,
            f"both hear “{step.recording.announcement}”; the recording is kept for"
            f" {step.recording.keep_days} days.",
        )
        call.seconds += seconds_to_say(step.recording.announcement)
    return result
