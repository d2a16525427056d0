"""Every way a call can end: by going through all that may happen at each step, at moments that
stand for the whole coming year.

What the people do is free at each step (whoever doesn't pick up now may do so a minute later), so
every way found here can be followed: `choices` are what a world has to choose for it.
"""

from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime

from sedge.core.callpaths.openings import Calendar, moments
from sedge.core.callpaths.steps import (
    Exit,
    OtherPath,
    Path,
    Step,
)
from sedge.core.callpaths.tracing.behaviours.behaviour import Outcome, Situation
from sedge.core.callpaths.tracing.behaviours.kinds import behaviour_of
from sedge.core.callpaths.tracing.walk import key_in
from sedge.core.callpaths.tracing.world import Called, EndingKind
from sedge.core.estate import Estate
from sedge.core.records import PathVersion

CIRCLE = "circle"


@dataclass(frozen=True)
class WayToEnd:
    """A way a call can end, with the shortest story that leads there: `way` as (step, exit), at the
    moment `at`, by these `choices`. `step` is where it ends, `who` everybody who may be the one to
    end it there. `in_hours`: some call that ends so came through an open exit of hours."""

    kind: EndingKind
    step: str
    exit: str
    at: datetime
    way: tuple[tuple[str, str], ...]
    choices: tuple[str, ...]
    who: tuple[str, ...] = ()
    in_hours: bool = False

    @property
    def key(self) -> tuple[EndingKind, str, str]:
        return self.kind, self.step, self.exit


@dataclass(frozen=True)
class Endings:
    """`ways` are all ways to end, shortest first; `reached` the steps that some call comes to,
    `taken` the exits that some call leaves by; `stuck` steps from which no call ever ends;
    `moments` the moments looked at."""

    ways: list[WayToEnd]
    reached: set[str]
    taken: set[tuple[str, str]]
    stuck: set[str]
    unreached: set[str]
    moments: list[datetime] = field(default_factory=list)


@dataclass(frozen=True)
class Node:
    step: Step
    exits: dict[str, str]


def graph_of(
    path: Path, estate: Estate, draft: dict[str, Path] | None = None
) -> tuple[dict[str, Node], str]:
    """All steps of a path and of the paths it goes on in, by their key in a story, and the first of
    them. A path that is not there has none."""
    nodes: dict[str, Node] = {}
    known: set[str] = set()
    waiting: deque[tuple[str, Path]] = deque([("", path)])
    while waiting:
        name, current = waiting.popleft()
        for key, step in current.steps.items():
            exits = {way_out: key_in(name, target) for way_out, target in step.exits.items()}
            if isinstance(step, OtherPath):
                other = the_path(step.path, estate, draft)
                exits = {str(Exit.GOES_ON): key_in(step.path, other.first)} if other else {}
                if other and step.path not in known:
                    known.add(step.path)
                    waiting.append((step.path, other))
            nodes[key_in(name, key)] = Node(step, exits)
    return nodes, path.first


def the_path(key: str, estate: Estate, draft: dict[str, Path] | None = None) -> Path | None:
    """A draft of this id, else what is published under it."""
    if draft and key in draft:
        return draft[key]
    published = estate.get(PathVersion, key)
    return (
        estate.once("path", key, lambda: Path.model_validate(published.body)) if published else None
    )


class Explorer:
    """All that may happen to a call through a path, for one number or for the path on its own."""

    def __init__(
        self, called: Called, path: Path, estate: Estate, draft: dict[str, Path] | None = None
    ) -> None:
        self.called, self.estate = called, estate
        self.nodes, self.first = graph_of(path, estate, draft)
        self.own = set(path.steps)
        self._calendars: dict[str, tuple[Calendar, ...]] = {
            key: behaviour_of(node.step).depends_on(called, estate, node.step)
            for key, node in self.nodes.items()
        }
        self._known: dict[tuple[str, tuple[str, ...]], list[Outcome]] = {}

    def calendars(self) -> list[Calendar]:
        return list(dict.fromkeys(c for found in self._calendars.values() for c in found))

    def outcomes(self, key: str, at: datetime, state: dict[Calendar, str]) -> list[Outcome]:
        """All that may happen at a step at a moment; `state` says which calendars are open then."""
        signature = tuple(state[c] for c in self._calendars[key])
        known = self._known.get((key, signature))
        if known is None:
            step = self.nodes[key].step
            situation = Situation(self.called, self.estate, at, signature)
            known = self._known[key, signature] = behaviour_of(step).outcomes(situation, step)
        return known


def endings_of(
    called: Called,
    path: Path,
    estate: Estate,
    *,
    since: datetime | None = None,
    draft: dict[str, Path] | None = None,
) -> Endings:
    """All ways a call through a path can end from now on, for the coming year."""
    explorer = Explorer(called, path, estate, draft)
    return explore(explorer, since or estate.now)


def explore(explorer: Explorer, since: datetime) -> Endings:
    known = explorer.calendars()
    found: dict[tuple[EndingKind, str, str], WayToEnd] = {}
    who: dict[tuple[EndingKind, str, str], dict[str, None]] = {}
    in_hours: set[tuple[EndingKind, str, str]] = set()
    reached: set[str] = set()
    taken: set[tuple[str, str]] = set()
    ending: set[str] = set()
    seen: set[tuple[str, ...]] = set()
    looked_at: list[datetime] = []
    for at in moments(known, since):
        state = {c: c.exit_at(at) for c in known}
        signature = tuple(state.values())
        if signature in seen:
            continue
        seen.add(signature)
        looked_at.append(at)
        walk = Walk(explorer, at, state)
        walk.go()
        reached |= walk.parents.keys()
        taken |= walk.taken
        ending |= walk.that_end()
        for way, name in walk.ways():
            known_way = found.get(way.key)
            if known_way is None or len(way.way) < len(known_way.way):
                found[way.key] = way
            if way.in_hours:
                in_hours.add(way.key)
            if name:
                who.setdefault(way.key, {})[name] = None
    ways = [
        WayToEnd(
            w.kind, w.step, w.exit, w.at, w.way, w.choices, tuple(who.get(key, ())), key in in_hours
        )
        for key, w in sorted(
            found.items(), key=lambda pair: (len(pair[1].way), pair[0][1], pair[0][0], pair[0][2])
        )
    ]
    return Endings(ways, reached, taken, reached - ending, explorer.own - reached, looked_at)


class Walk:
    """The graph at one moment, gone through breadth first."""

    def __init__(self, explorer: Explorer, at: datetime, state: dict[Calendar, str]) -> None:
        self.explorer, self.at, self.state = explorer, at, state
        self.parents: dict[str, tuple[str, Outcome] | None] = {explorer.first: None}
        self.taken: set[tuple[str, str]] = set()
        self.ends: list[tuple[str, Outcome, EndingKind]] = []
        self.edges: dict[str, set[str]] = {}
        self.circles: list[tuple[str, Outcome]] = []

    def go(self) -> None:
        waiting = deque([self.explorer.first])
        while waiting:
            key = waiting.popleft()
            node = self.explorer.nodes[key]
            for outcome in self.explorer.outcomes(key, self.at, self.state):
                if outcome.exit:
                    self.taken.add((key, outcome.exit))
                if outcome.ends:
                    self.ends.append((key, outcome, outcome.ends))
                    continue
                target = node.exits.get(outcome.exit)
                if target is None:
                    self.ends.append((key, outcome, behaviour_of(node.step).over))
                    continue
                self.edges.setdefault(target, set()).add(key)
                if target not in self.parents:
                    self.parents[target] = (key, outcome)
                    waiting.append(target)
                else:
                    self.circles.append((key, outcome))

    def that_end(self) -> set[str]:
        """Steps from which some call ends."""
        found = {key for key, _, _ in self.ends}
        waiting = list(found)
        while waiting:
            for before in self.edges.get(waiting.pop(), ()):
                if before not in found:
                    found.add(before)
                    waiting.append(before)
        return found

    def ways(self) -> Iterable[tuple[WayToEnd, str]]:
        for key, outcome, kind in self.ends:
            yield self._way(key, outcome, kind), outcome.who
        yield from self._circling()

    def _way(self, key: str, outcome: Outcome, kind: EndingKind) -> WayToEnd:
        steps = [*self._steps_to(key), (key, outcome)]
        way = tuple((k, o.exit) for k, o in steps if o.exit)
        choices = tuple(o.choice for _, o in steps if o.choice is not None)
        return WayToEnd(
            kind, key, outcome.exit, self.at, way, choices, in_hours=self._in_hours(way)
        )

    def _steps_to(self, key: str) -> list[tuple[str, Outcome]]:
        steps: list[tuple[str, Outcome]] = []
        before = self.parents[key]
        while before is not None:
            steps.append(before)
            before = self.parents[before[0]]
        return steps[::-1]

    def _in_hours(self, way: Iterable[tuple[str, str]]) -> bool:
        return any(way_out == Exit.OPEN for _, way_out in way)

    def _circling(self) -> Iterable[tuple[WayToEnd, str]]:
        """Circles that a call can go round in for good, each by the step where it would be given
        up."""
        round_about = self._on_circles()
        for key, outcome in self.circles:
            if key not in round_about:
                continue
            target = self.explorer.nodes[key].exits[outcome.exit]
            round_trip = self._between(target, key)
            if round_trip is None:
                continue
            lead, circle = self._steps_to(target), [*round_trip, (key, outcome)]
            steps = [*lead, *circle]
            way = tuple((k, o.exit) for k, o in steps)
            choices = tuple(o.choice for _, o in [*lead, *(circle * 25)] if o.choice is not None)
            yield (
                WayToEnd(
                    EndingKind.ENDED,
                    target,
                    CIRCLE,
                    self.at,
                    way,
                    choices,
                    in_hours=self._in_hours(way),
                ),
                "",
            )

    def _on_circles(self) -> set[str]:
        """Steps that may be on a circle: what is left once all that nothing leads to, or that leads
        nowhere, is taken away again and again."""
        onward: dict[str, set[str]] = {}
        for target, sources in self.edges.items():
            for source in sources:
                onward.setdefault(source, set()).add(target)
        left = set(onward) & set(self.edges)
        while True:
            kept = {k for k in left if onward[k] & left and self.edges[k] & left}
            if len(kept) == len(left):
                return left
            left = kept

    def _between(self, start: str, goal: str) -> list[tuple[str, Outcome]] | None:
        """The shortest way from one step to another, None where there is none."""
        before: dict[str, tuple[str, Outcome] | None] = {start: None}
        waiting = deque([start])
        while waiting:
            key = waiting.popleft()
            if key == goal:
                steps: list[tuple[str, Outcome]] = []
                link = before[key]
                while link is not None:
                    steps.append(link)
                    link = before[link[0]]
                return steps[::-1]
            node = self.explorer.nodes[key]
            for outcome in self.explorer.outcomes(key, self.at, self.state):
                target = node.exits.get(outcome.exit) if outcome.exit and not outcome.ends else None
                if target is not None and target not in before:
                    before[target] = (key, outcome)
                    waiting.append(target)
        return None
