"""Menus: a key pressed, a word said, an extension dialled, or nothing."""

from collections.abc import Sequence

from sedge.core.callpaths.answering import ringing_of
from sedge.core.callpaths.steps import Exit, Menu, Shown, exits_of
from sedge.core.callpaths.tracing.behaviours.behaviour import Behaviour, Outcome, Situation
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.ringing import Attempt, ring
from sedge.core.callpaths.tracing.speaking import seconds_of_menu
from sedge.core.callpaths.tracing.world import Ending, EndingKind, Option
from sedge.core.records import Person

EXTENSION_SECONDS = 25  # how long a dialled extension rings
NOT_CHOSEN: dict[str, str] = {
    Exit.NO_INPUT: "presses nothing",
    Exit.WRONG_INPUT: "presses another key",
    Exit.NO_ANSWER: "dials an extension that nobody answers",
}


class MenuBehaviour(Behaviour[Menu]):
    def take(self, call: Call, key: str, step: Menu) -> str | Ending:
        call.asked_to_choose = True
        speaks = seconds_of_menu(step)
        chosen = call.choose(
            [Option(k, f"presses {k}, {word}") for k, word in step.keys.items()]
            + [Option(x, NOT_CHOSEN[x]) for x in exits_of(step) if x in NOT_CHOSEN]
        )
        if isinstance(chosen, Ending):
            call.say(step.title, f"speaks for {speaks} s.", plays=step.sound)
            return chosen
        if chosen is not None:
            return _chosen(call, step, chosen)
        if call.presses:
            return _pressed(call, step, call.presses.pop(0))
        return _nothing_pressed(call, step)

    def outcomes(self, situation: Situation, step: Menu) -> list[Outcome]:
        found = [Outcome(way_out, way_out) for way_out in exits_of(step)]
        if not step.extensions:
            return found
        return [*found, Outcome("", None, EndingKind.ANSWERED, "the holder of the extension")]

    def usual(self, outcomes: Sequence[Outcome]) -> list[Outcome]:
        """Everything that callers want."""
        wanted = keys_wanted([o.exit for o in outcomes if o.exit])
        return [o for o in outcomes if o.exit in wanted]

    def lasting(self, step: Menu) -> int:
        return seconds_of_menu(step)


def keys_wanted(choices: Sequence[str]) -> list[str]:
    """What callers choose in a menu who know what they want."""
    return [c for c in choices if c not in NOT_CHOSEN] or [Exit.NO_INPUT]


def _chosen(call: Call, step: Menu, chosen: str) -> str:
    if chosen == Exit.NO_INPUT:
        return _nothing_pressed(call, step)
    _speak(call, step, f"the caller chooses {chosen}{_words(step, chosen)}", chosen)
    return chosen


def _nothing_pressed(call: Call, step: Menu) -> str:
    speaks = seconds_of_menu(step)
    for _ in range(step.repeats):
        call.say(
            step.title,
            f"speaks for {speaks} s and waits {step.wait_seconds} s; nothing is pressed.",
            Exit.NO_INPUT,
            plays=step.sound,
        )
        call.seconds += speaks + step.wait_seconds
    return Exit.NO_INPUT


def _pressed(call: Call, step: Menu, pressed: str) -> str | Ending:
    spoken = next((k for k, word in step.keys.items() if word.lower() == pressed.lower()), None)
    chosen = pressed if pressed in step.keys else spoken if step.spoken else None
    if chosen is None and step.extensions and pressed.isdigit() and len(pressed) > 1:
        return _dialled(call, step, pressed)
    way_out = chosen or Exit.WRONG_INPUT
    words = _words(step, chosen) if chosen else ""
    _speak(call, step, f"the caller chooses {pressed}{words}", way_out)
    return way_out


def _words(step: Menu, chosen: str) -> str:
    return f", {step.keys[chosen]}" if chosen in step.keys else ""


def _speak(call: Call, step: Menu, then: str, way_out: str) -> None:
    speaks = seconds_of_menu(step)
    call.say(step.title, f"speaks for {speaks} s; {then}.", way_out, plays=step.sound)
    call.seconds += speaks


def _dialled(call: Call, step: Menu, extension: str) -> str | Ending:
    person = next(
        (
            p
            for p in call.estate.all(Person)
            if p.extension == extension and p.site == call.called.site and not p.left
        ),
        None,
    )
    speaks = seconds_of_menu(step)
    if person is None:
        call.say(
            step.title,
            f"the caller dials extension {extension}, which nobody has.",
            Exit.WRONG_INPUT,
            plays=step.sound,
        )
        call.seconds += speaks
        return Exit.WRONG_INPUT
    call.say(step.title, f"the caller dials extension {extension}.", plays=step.sound)
    call.seconds += speaks
    result = ring(
        call,
        Attempt(
            step.title,
            [ringing_of(person, call.at, call.estate)],
            EXTENSION_SECONDS,
            one_by_one=False,
            sees=call.sees(Shown.CALLER),
        ),
    )
    return result if isinstance(result, Ending) else Exit.NO_ANSWER
