"""The way that calls took through call paths, as a telephone system records it, and what is counted
of it: which key is chosen, how many wait, where callers give up."""

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from sedge.core.callpaths.steps import Menu, Path, exits_of
from sedge.core.errors import NotUnderstood

GAVE_UP = "gave up"  # the caller hung up in this step
WENT_ON = "went on"  # in the path that the step leads to
MOST_PASSED = 60  # steps of one call
LONGEST_STAY = 24 * 3600
PASSED = re.compile(
    r"(?P<path>[^/=;:]{0,80})/(?P<step>[a-z0-9-]{1,40})"
    r"=(?P<exit>[^/=;:]{1,40}):(?P<seconds>\d{1,6})"
)
# how a call can end in a step, besides giving up
ENDINGS = {
    "answered": "answered",
    "mailbox": "left to the mailbox",
    "announced": "ended after the announcement",
    "forwarded": "forwarded",
    "ended": "ended by the path",
    WENT_ON: "went on in the other path",
}


class Passed(NamedTuple):
    """A step that a call was in for `seconds`, and the exit by which it went on, a key of a menu
    among them, or how it ended there. `path` '' for a number without a call path of its own."""

    path: str
    step: str
    exit: str
    seconds: int


def way_as_text(way: Iterable[Passed]) -> str:
    """`shop/menu=2:7; shop/queue=gave up:45`."""
    return "; ".join(f"{x.path}/{x.step}={x.exit}:{x.seconds}" for x in way)


def read_way(text: str) -> tuple[Passed, ...]:
    """The way of one call, as `way_as_text` writes it. Raises NotUnderstood."""
    parts = [part.strip() for part in text.split(";") if part.strip()]
    if len(parts) > MOST_PASSED:
        message = f"A call passes at most {MOST_PASSED} steps; these are {len(parts)}."
        raise NotUnderstood(message, field="steps", reason="steps")
    return tuple(_passed(part) for part in parts)


def _passed(part: str) -> Passed:
    found = PASSED.fullmatch(part)
    if found is None or int(found["seconds"]) > LONGEST_STAY:
        message = f"“{part[:60]}” is no step of a call: path/step=exit:seconds."
        raise NotUnderstood(message, field="steps", reason="steps")
    return Passed(
        found["path"].strip(), found["step"], found["exit"].strip(), int(found["seconds"])
    )


class ExitUse(NamedTuple):
    """`exit` in the trade's words, `name` as the path has it; `share` of the step's calls, 0 to
    1."""

    exit: str
    name: str
    calls: int
    share: float


@dataclass(frozen=True)
class StepUse:
    """How a step was used: its calls, the seconds they stayed on average, and by which exits they
    went on or ended there; `gave_up` are those whose caller hung up in it."""

    step: str
    title: str
    kind: str
    calls: int
    seconds: float
    exits: tuple[ExitUse, ...] = field(default=())
    gave_up: int = 0


Counted = Mapping[tuple[str, str], tuple[int, int]]


def use_of_steps(path: Path, counted: Counted) -> list[StepUse]:
    """Of the steps that a path has, in the order in which calls come to them. `counted`: for a step
    and an exit how many calls, and how many seconds they were there."""
    return [
        _use_of(key, path, {exit_: sums for (step, exit_), sums in counted.items() if step == key})
        for key in _in_turn(path)
    ]


def _use_of(key: str, path: Path, sums: Mapping[str, tuple[int, int]]) -> StepUse:
    step = path.steps[key]
    calls = sum(n for n, _ in sums.values())
    order = [*exits_of(step), *ENDINGS, GAVE_UP]
    known = sorted(sums, key=lambda e: (order.index(e) if e in order else len(order), e))
    return StepUse(
        key,
        step.title,
        step.kind,
        calls,
        sum(s for _, s in sums.values()) / calls if calls else 0.0,
        tuple(ExitUse(_in_words(e, step), e, sums[e][0], sums[e][0] / calls) for e in known),
        sums.get(GAVE_UP, (0, 0))[0],
    )


def _in_words(exit_: str, step: object) -> str:
    if isinstance(step, Menu) and exit_ in step.keys:
        return f"key {exit_}, {step.keys[exit_]}" if step.keys[exit_] else f"key {exit_}"
    return ENDINGS.get(exit_, exit_)


def _in_turn(path: Path) -> Sequence[str]:
    """Each step before those it leads to, loops aside; one that nothing leads to comes last."""
    turn: list[str] = []
    seen = {path.first}
    open_ = [(path.first, _targets(path, path.first))]
    while open_:
        key, left = open_[-1]
        following = next((target for target in left if target not in seen), None)
        if following is None:
            turn.append(key)
            open_.pop()
        else:
            seen.add(following)
            open_.append((following, _targets(path, following)))
    turn.reverse()
    return [*turn, *(key for key in path.steps if key not in seen)]


def _targets(path: Path, key: str) -> Iterator[str]:
    """The last exit first, so that the first one's step is nearest once all is turned round."""
    return iter(tuple(reversed(path.steps[key].exits.values())))
