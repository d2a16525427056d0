"""Two versions of a call path, compared: what is new, gone and changed, and what callers will
notice."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from sedge.core.callpaths.openings import moments, zone
from sedge.core.callpaths.steps import Path, Step, exits_of
from sedge.core.callpaths.tracing.endings import Explorer
from sedge.core.callpaths.tracing.week import grade_of_traces, traces_at
from sedge.core.callpaths.tracing.world import Called
from sedge.core.estate import Estate
from sedge.core.records import Site

UNSEEN = {"kind", "exits", "title"}
MOST_CONSEQUENCES = 60


@dataclass(frozen=True)
class StepChange:
    """`what` is new, gone or changed; `words` say what of it, one sentence each."""

    key: str
    title: str
    what: str
    words: tuple[str, ...] = ()


@dataclass(frozen=True)
class Difference:
    """`exits` are the (step, exit) pairs that lead elsewhere or are new; `exits_gone` those that
    are no more."""

    steps: list[StepChange]
    exits: set[tuple[str, str]]
    exits_gone: set[tuple[str, str]]
    tests: str = ""

    @property
    def is_none(self) -> bool:
        return not self.steps and not self.exits and not self.exits_gone and not self.tests

    def of(self, key: str) -> str:
        """new, gone, changed or '' for a step."""
        return next((c.what for c in self.steps if c.key == key), "")


@dataclass(frozen=True)
class Consequence:
    """At `at` callers of a number came to `before`, and will come to `after`. `also` counts further
    stretches of the year alike."""

    at: datetime
    when: str
    before: str
    after: str
    also: int = 0


def difference(old: Path, new: Path, names: Mapping[str, str]) -> Difference:
    """What is otherwise in the new version. `names` has people, groups and the like by id."""
    steps: list[StepChange] = []
    for key, step in new.steps.items():
        before = old.steps.get(key)
        if before is None:
            steps.append(StepChange(key, step.title, "new"))
        elif words := _words(before, step, old, new, names):
            steps.append(StepChange(key, step.title, "changed", tuple(words)))
    steps += [
        StepChange(key, step.title, "gone")
        for key, step in old.steps.items()
        if key not in new.steps
    ]
    if old.first != new.first and new.first in new.steps:
        steps.append(
            StepChange(
                new.first, new.steps[new.first].title, "changed", ("calls come in here now",)
            )
        )
    ways_before = {(k, n): to for k, s in old.steps.items() for n, to in s.exits.items()}
    ways_now = {(k, n): to for k, s in new.steps.items() for n, to in s.exits.items()}
    tests = (
        ""
        if old.tests == new.tests
        else f"{len(old.tests)} test cases before, {len(new.tests)} now"
    )
    return Difference(
        steps,
        {w for w, to in ways_now.items() if ways_before.get(w) != to},
        {w for w in ways_before if w not in ways_now},
        tests,
    )


def all_new(path: Path) -> Difference:
    """Against nothing."""
    exits = {(key, name) for key, step in path.steps.items() for name in step.exits}
    return Difference(
        [StepChange(key, step.title, "new") for key, step in path.steps.items()], exits, set()
    )


def _words(before: Step, after: Step, old: Path, new: Path, names: Mapping[str, str]) -> list[str]:
    """What is otherwise in a step, a sentence each."""
    if before.kind != after.kind:
        return [f"was a {before.kind}, is a {after.kind}"]
    found: list[str] = []
    if before.title != after.title:
        found.append(f"called “{before.title}” before")
    was, now = before.model_dump(mode="json"), after.model_dump(mode="json")
    for field in now:
        if field not in UNSEEN and was[field] != now[field]:
            found.append(
                f"{field.replace('_', ' ')}: {_value(was[field], names)} →"
                f" {_value(now[field], names)}"
            )
    for way_out in dict.fromkeys((*exits_of(before), *exits_of(after))):
        one, other = before.exits.get(way_out), after.exits.get(way_out)
        if one != other:
            found.append(f"{way_out}: to {_target(one, old)} → to {_target(other, new)}")
    return found


def _target(key: str | None, path: Path) -> str:
    return f"“{path.steps[key].title}”" if key in path.steps else "nothing"


def _value(value: object, names: Mapping[str, str]) -> str:
    match value:
        case None | "" | []:
            return "nothing"
        case dict() if not value:
            return "nothing"
        case True:
            return "yes"
        case False:
            return "no"
        case list():
            return ", ".join(_value(x, names) for x in value)
        case {"weekdays": days, "start": start, "end": end}:
            return f"{_days(days)} {start} to {end}"
        case {"first": first, "last": last, "name": name}:
            return f"{name} ({first}{f' to {last}' if last != first else ''})"
        case dict():
            return ", ".join(f"{k} {_value(v, names)}" for k, v in value.items())
        case str():
            return names.get(value, f"“{value}”" if " " in value else value)
        case _:
            return str(value)


def _days(days: list[int]) -> str:
    short = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
    if len(days) > 2 and days == list(range(days[0], days[-1] + 1)):
        return f"{short[days[0]]} to {short[days[-1]]}"
    return ", ".join(short[d] for d in days)


def consequences(
    called: Called, old: Path, new: Path, estate: Estate, draft: dict[str, Path] | None = None
) -> list[Consequence]:
    """What callers of a number will notice in the coming year, each kind of notice once, at its
    next moment."""
    calendars = [
        *Explorer(called, old, estate).calendars(),
        *Explorer(called, new, estate, draft).calendars(),
    ]
    known = list(dict.fromkeys(calendars))
    found: dict[tuple[str, str], Consequence] = {}
    seen: set[tuple[str, ...]] = set()
    for at in moments(known, estate.now):
        signature = tuple(c.exit_at(at) for c in known)
        if signature in seen:
            continue
        seen.add(signature)
        before = told(called, old, at, estate, None)
        after = told(called, new, at, estate, draft)
        if before == after:
            continue
        earlier = found.get((before, after))
        if earlier:
            found[before, after] = Consequence(
                earlier.at, earlier.when, before, after, earlier.also + 1
            )
        else:
            found[before, after] = Consequence(at, _when(called, at, estate), before, after)
    return sorted(found.values(), key=lambda c: c.at)[:MOST_CONSEQUENCES]


def told(
    called: Called, path: Path, at: datetime, estate: Estate, draft: dict[str, Path] | None
) -> str:
    """What callers come to at a moment, in words: who answers for each choice."""
    traces = traces_at(called, path, at, estate, draft)
    reasons = dict.fromkeys(t.ending.reason for t in traces)
    listed = "; ".join(list(reasons)[:4]) + (
        f"; and {len(reasons) - 4} more" if len(reasons) > 4 else ""
    )
    return f"{grade_of_traces(traces).value}: {listed}"


def _when(called: Called, at: datetime, estate: Estate) -> str:
    site = estate.get(Site, called.site)
    local = at.astimezone(zone(site.timezone if site else "UTC"))
    return f"{local:%A %-d %B, %H:%M}"
