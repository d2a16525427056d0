"""Changing a call path step by step, as one draws it: pure functions from a path to the next, each
of which leaves a path that can be drawn.

What is not finished is no error here; publishing asks for that.
"""

import re
from collections.abc import Iterable
from typing import Any

from pydantic import TypeAdapter, ValidationError

from sedge.core.callpaths.steps import (
    EXITS,
    Announce,
    End,
    Forward,
    Hours,
    Mailbox,
    Menu,
    Opening,
    OtherPath,
    Path,
    Queue,
    Ring,
    SipAddress,
    Step,
    exits_of,
)
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from sedge.core.facts import Fact

STEP: TypeAdapter[Step] = TypeAdapter(Step)
MOST_STEPS = 500
KINDS = {
    "hours": "Hours",
    "menu": "Menu",
    "ring": "Ring",
    "queue": "Queue",
    "announce": "Announce",
    "mailbox": "Mailbox",
    "forward": "Forward",
    "sip": "SIP address",
    "path": "Other path",
    "end": "End",
}


class Clip(Fact):
    """A branch that was cut or copied: its steps, and the one it begins with."""

    first: str
    steps: dict[str, Step]


class Place(Fact):
    """What a new step has to know of where it is: time zone, holidays and language of the site."""

    timezone: str = "Europe/London"
    holidays_of: str = ""
    language: str = "en"


def new_step(kind: str, place: Place) -> Step:
    """A step of a kind as one usually wants it. Raises NotUnderstood for a kind there is none
    of."""
    match kind:
        case "hours":
            working = Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end="17:00")
            return Hours(
                timezone=place.timezone, openings=(working,), holidays_of=place.holidays_of
            )
        case "menu":
            return Menu(greeting="", language=place.language, keys={"1": "", "2": ""})
        case "ring":
            return Ring()
        case "queue":
            return Queue()
        case "announce":
            return Announce(text="", language=place.language)
        case "mailbox":
            return Mailbox(language=place.language)
        case "forward":
            return Forward()
        case "sip":
            return SipAddress()
        case "path":
            return OtherPath()
        case "end":
            return End()
    raise NotUnderstood(
        f"There is no kind of step called “{kind}”. There are: {', '.join(KINDS)}.", field="kind"
    )


def empty(place: Place) -> Path:
    """Where a drawing begins: whoever holds the number is rung, then the mailbox."""
    away = dict.fromkeys(EXITS["ring"], "mailbox-1")
    return Path(
        first="ring-1",
        steps={"ring-1": Ring(exits=away), "mailbox-1": Mailbox(language=place.language)},
    )


def free_key(path: Path, kind: str, taken: Iterable[str] = ()) -> str:
    """`menu-2`: the first of its kind that is not used yet."""
    used = {*path.steps, *taken}
    return next(
        key for n in range(1, MOST_STEPS + len(used) + 1) if (key := f"{kind}-{n}") not in used
    )


def the_step(path: Path, key: str) -> Step:
    if key not in path.steps:
        raise NotFound(f"This path has no step “{key}” any more.", id=key)
    return path.steps[key]


def _with(path: Path, steps: dict[str, Step], first: str = "") -> Path:
    return _made(first or path.first, {**path.steps, **steps}, path)


def _made(first: str, steps: dict[str, Step], path: Path) -> Path:
    if len(steps) > MOST_STEPS:
        raise NotAllowedNow(
            f"A call path has at most {MOST_STEPS} steps. Let it go on in another path.",
            reason="too-many-steps",
        )
    return Path(first=first, steps=steps, tests=path.tests)


def _exit(path: Path, key: str, way_out: str) -> Step:
    step = the_step(path, key)
    if way_out not in exits_of(step):
        raise NotUnderstood(f"“{step.title}” has no exit “{way_out}”.", field="exit")
    return step


def add(
    path: Path, key: str, way_out: str, kind: str, place: Place, *, along: bool = False
) -> tuple[Path, str]:
    """A new step on an exit; where the exit led somewhere, the new step leads there by its first
    exit. At key '' it comes before all others. `along`: on the whole line, also for the step's
    other exits that lead to the same.

    Gives the path and the new step's key.
    """
    step = new_step(kind, place)
    name = free_key(path, kind)
    old = path.first if not key else _exit(path, key, way_out).exits.get(way_out)
    following = exits_of(step)
    if old and following:
        step = step.copy_with(exits={following[0]: old})
    if not key:
        return _with(path, {name: step}, first=name), name
    source = path.steps[key]
    ways = _on_the_line(source, way_out) if along else (way_out,)
    led = source.copy_with(exits={**source.exits, **dict.fromkeys(ways, name)})
    return _with(path, {key: led, name: step}), name


def _on_the_line(step: Step, way_out: str) -> tuple[str, ...]:
    """The exits of a step that are drawn as one line: they lead to the same."""
    target = step.exits.get(way_out)
    if not target:
        return (way_out,)
    return tuple(name for name, to in step.exits.items() if to == target)


def insert(path: Path, key: str, to: str, way_out: str) -> Path:
    """One step out of where it is, as by `remove`, and onto the line of another step's exit: that
    exit leads to it, and by its first exit it leads on to where the line led. Raises NotAllowedNow
    where it would lead to itself."""
    step = the_step(path, key)
    _exit(path, to, way_out)
    if key == to or path.steps[to].exits.get(way_out) == key:
        raise NotAllowedNow("The step is at this line already.", reason="own-line")
    ways = _on_the_line(path.steps[to], way_out)
    without = remove(path, key)
    source = without.steps[to]
    onward, (first, *others) = source.exits.get(way_out, ""), exits_of(step) or ("",)
    kept = {name: t for name in others if (t := step.exits.get(name)) in without.steps}
    if first and onward:
        kept = {first: onward, **kept}
    elif onward:
        message = f"“{step.title}” ends a call, so nothing can come after it."
        raise NotAllowedNow(message, reason="ends")
    moved = step.copy_with(exits={name: kept[name] for name in exits_of(step) if name in kept})
    led = source.copy_with(exits={**source.exits, **dict.fromkeys(ways, key)})
    return _made(without.first, {**without.steps, to: led, key: moved}, path)


def redirect(path: Path, key: str, way_out: str, target: str) -> Path:
    """Let an exit lead to another step; nowhere where `target` is ''."""
    step = _exit(path, key, way_out)
    exits = {name: to for name, to in step.exits.items() if name != way_out}
    if target:
        the_step(path, target)
        exits[way_out] = target
    ordered = {name: exits[name] for name in exits_of(step) if name in exits}
    return _with(path, {key: step.copy_with(exits=ordered)})


def begin_with(path: Path, key: str) -> Path:
    the_step(path, key)
    return _made(key, dict(path.steps), path)


def remove(path: Path, key: str) -> Path:
    """Take one step out; what led to it leads to where its first drawn exit led."""
    step = the_step(path, key)
    if len(path.steps) == 1:
        raise NotAllowedNow(
            "A path keeps at least one step. Add another before this one goes.", reason="last-step"
        )
    onward = next(
        (step.exits[name] for name in exits_of(step) if step.exits.get(name) not in (None, key)), ""
    )
    first = path.first
    if first == key:
        first = onward or next(k for k in path.steps if k != key)
    steps = {k: _led_on(s, {key}, onward) for k, s in path.steps.items() if k != key}
    return _made(first, steps, path)


def _led_on(step: Step, gone: set[str], onward: str) -> Step:
    """A step whose exits to what is gone lead onward, or nowhere."""
    if not gone & set(step.exits.values()):
        return step
    exits = {name: onward if to in gone else to for name, to in step.exits.items()}
    return step.copy_with(exits={name: to for name, to in exits.items() if to})


def branch(path: Path, key: str) -> set[str]:
    """A step and all steps that no call would come to without it."""
    the_step(path, key)
    without = _reached(path, path.first, avoiding=key)
    return {key, *(k for k in _reached(path, key) if k not in without)}


def _reached(path: Path, start: str, avoiding: str = "") -> set[str]:
    if start == avoiding:
        return set()
    seen, waiting = {start}, [start]
    while waiting:
        for target in path.steps[waiting.pop()].exits.values():
            if target != avoiding and target not in seen:
                seen.add(target)
                waiting.append(target)
    return seen


def copy(path: Path, key: str) -> Clip:
    """A branch for the clipboard; exits out of it are left out."""
    inside = branch(path, key)
    steps = {
        k: s.copy_with(exits={n: to for n, to in s.exits.items() if to in inside})
        for k, s in path.steps.items()
        if k in inside
    }
    return Clip(first=key, steps=steps)


def cut(path: Path, key: str) -> tuple[Path, Clip]:
    """A branch taken out of the path, for the clipboard. Raises NotAllowedNow where nothing would
    be left."""
    clip = copy(path, key)
    rest = {k: s for k, s in path.steps.items() if k not in clip.steps}
    if not rest:
        raise NotAllowedNow(
            "The whole path hangs on this step, so it can't be cut out. Copy it instead.",
            reason="whole-path",
        )
    first = path.first if path.first in rest else next(iter(rest))
    return _made(first, {k: _led_on(s, set(clip.steps), "") for k, s in rest.items()}, path), clip


def paste(path: Path, key: str, way_out: str, clip: Clip) -> tuple[Path, str]:
    """The clipboard's branch on an exit, under new keys. Gives the path and the key of its first
    step."""
    source = _exit(path, key, way_out)
    names: dict[str, str] = {}
    for old, step in clip.steps.items():
        names[old] = (
            old
            if old not in path.steps and old not in names.values()
            else free_key(path, step.kind, names.values())
        )
    pasted = {
        names[old]: step.copy_with(exits={n: names[to] for n, to in step.exits.items()})
        for old, step in clip.steps.items()
    }
    first = names[clip.first]
    return _with(
        path, {**pasted, key: source.copy_with(exits={**source.exits, way_out: first})}
    ), first


def move(path: Path, key: str, to: str, way_out: str) -> Path:
    """A branch from wherever it hangs to an exit; what led to it before leads nowhere. Raises
    NotAllowedNow for an exit of its own."""
    _exit(path, to, way_out)
    if to in branch(path, key):
        raise NotAllowedNow("A branch can't hang on one of its own exits.", reason="own-exit")
    if key == path.first:
        raise NotAllowedNow(
            "The first step stays where calls come in. Add a step before it, or begin with"
            " another.",
            reason="first-step",
        )
    steps = {k: _led_on(s, {key}, "") for k, s in path.steps.items()}
    source = steps[to]
    steps[to] = source.copy_with(exits={**source.exits, way_out: key})
    return _made(path.first, steps, path)


def change_step(path: Path, key: str, fields: dict[str, Any]) -> Path:
    """Other values for a step's fields. Exits that it has no longer are left out. Raises
    NotUnderstood naming the field."""
    step = the_step(path, key)
    body = {**step.model_dump(mode="json"), **fields, "kind": step.kind, "exits": {}}
    try:
        changed = STEP.validate_python(body)
    except ValidationError as error:
        raise as_refusal(error) from error
    exits = {name: step.exits[name] for name in exits_of(changed) if name in step.exits}
    return _with(path, {key: changed.copy_with(exits=exits)})


def as_refusal(error: ValidationError) -> NotUnderstood:
    """The first thing wrong with a step or a path, in a sentence."""
    first = error.errors()[0]
    where = [str(x) for x in first["loc"] if not (isinstance(x, str) and x in KINDS)]
    field = next((x for x in where if not x.isdigit()), "")
    words = re.sub(r"^Value error, ", "", first["msg"])
    return NotUnderstood(f"{' '.join(where) or 'The path'}: {words}.", field=field)
