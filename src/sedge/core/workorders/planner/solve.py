"""The planner: a minimum-cost flow over people, kinds of people, single numbers and kinds of
numbers, solved by HiGHS (scipy).

Numbers alike in site and worth are one pool, a team's window lies within it, people alike in site
and team are one kind, and only a pair that is worth something special goes by its ending, or has an
edge of its own. So 5,000 people against 8,000 numbers are some ten thousand edges instead of forty
million, and the answer is the same: the constraints are those of a flow, whose vertices are whole
numbers.
"""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.ranges import consecutive
from sedge.core.workorders.planner.explain import Seen
from sedge.core.workorders.planner.problem import (
    ELSEWHERE,
    LEFT_OUT,
    Free,
    Given,
    Plan,
    Problem,
    Wants,
    Wish,
    fits_extension,
    number_points,
    pair_points,
    same_ending,
    team_of,
)

if TYPE_CHECKING:
    import numpy as np

LEAST_TEAM = 2
Pool = tuple[str, str, float]  # of numbers: site, country, points
Kind = tuple[str, str, str]  # of people: site, country, team
Ending = tuple[str, str, str, int]  # wished for at a site: site, country, last digits, points


def solve(problem: Problem) -> Plan:
    """The best plan there is for the weights and pins. Raises NotUnderstood where a pin can't
    hold."""
    numbers = {n.e164: n for n in problem.numbers}
    people = {p.id: p for p in problem.people}
    _pins_hold(problem, people, numbers)
    windows = team_windows(problem)
    taken = set(problem.pins.values())
    free = [n for n in problem.numbers if n.e164 not in taken]
    wanting = [p for p in problem.people if p.id not in problem.pins]
    chosen = dict(problem.pins) | _flow(problem, wanting, free, windows)
    seen = Seen(problem, chosen, windows)
    given = [
        Given(
            person=p.id, number=chosen.get(p.id), pinned=p.id in problem.pins, **seen.explained(p)
        )
        for p in problem.people
    ]
    points = sum(
        pair_points(people[p], numbers[n], windows.get(n), problem) for p, n in chosen.items()
    )
    return Plan(given=tuple(given), points=round(points, 3), windows=_told(windows))


def _pins_hold(problem: Problem, people: Mapping[str, Wants], numbers: Mapping[str, Free]) -> None:
    seen: dict[str, str] = {}
    for person, number in problem.pins.items():
        if person not in people:
            continue
        if number not in numbers:
            raise NotUnderstood(
                f"{number} is not among the numbers that may be given. Choose another for"
                f" {people[person].name}.",
                field=f"pin-{person}",
            )
        if number in seen:
            raise NotUnderstood(
                f"{number} is set for {seen[number]} and for {people[person].name}. One of them"
                " needs another.",
                field=f"pin-{person}",
            )
        if numbers[number].country != people[person].country:
            raise NotUnderstood(
                f"{number} is of another country than {people[person].name}'s site.",
                field=f"pin-{person}",
            )
        seen[number] = people[person].name


def team_windows(problem: Problem) -> dict[str, str]:
    """For each number that lies in a team's run, that team: the shortest run the team fits into,
    the largest teams first."""
    if not problem.weight(Wish.TEAM):
        return {}
    teams: dict[str, int] = defaultdict(int)
    for person in problem.people:
        if team_of(person):
            teams[team_of(person)] += 1
    taken = set(problem.pins.values())
    runs: dict[str, list[list[int]]] = defaultdict(list)
    by_site: dict[str, list[int]] = defaultdict(list)
    for number in problem.numbers:
        if number.e164 not in taken:
            by_site[number.site].append(int(number.e164))
    for site, values in by_site.items():
        runs[site] = consecutive(sorted(values))
    windows: dict[str, str] = {}
    for team, size in sorted(teams.items(), key=lambda pair: (-pair[1], pair[0])):
        site = team.partition("/")[0]
        if size < LEAST_TEAM or not runs[site]:
            continue
        fitting = [run for run in runs[site] if len(run) >= size]
        run = (
            min(fitting, key=lambda r: (len(r), r[0]))
            if fitting
            else max(runs[site], key=lambda r: (len(r), -r[0]))
        )
        window, rest = run[:size], run[size:]
        runs[site].remove(run)
        if rest:
            runs[site].append(rest)
        windows |= {f"+{n}": team for n in window}
    return windows


def _told(windows: Mapping[str, str]) -> dict[str, tuple[str, str]]:
    spans: dict[str, list[str]] = defaultdict(list)
    for number, team in windows.items():
        spans[team].append(number)
    return {team: (min(found, key=int), max(found, key=int)) for team, found in spans.items()}


# ── the flow ──


class _Network:
    """Edges with what they cost; each row is a bound on the sum of some edges."""

    def __init__(self) -> None:
        self.costs: list[float] = []
        self.most: list[float] = []
        self.rows: dict[tuple[str, ...], int] = {}
        self.bounds: list[float] = []
        self.kept: list[float] = []  # 0: a bound, 1: in equals out
        self.entries: list[tuple[int, int, float]] = []

    def edge(self, cost: float, most: float = 1.0) -> int:
        self.costs.append(cost)
        self.most.append(most)
        return len(self.costs) - 1

    def row(self, key: tuple[str, ...], bound: float, *, balance: bool = False) -> int:
        if key not in self.rows:
            self.rows[key] = len(self.bounds)
            self.bounds.append(bound)
            self.kept.append(1.0 if balance else 0.0)
        return self.rows[key]

    def put(self, row: int, edge: int, by: float = 1.0) -> None:
        self.entries.append((row, edge, by))

    def solve(self) -> "np.ndarray":
        import numpy as np
        from scipy.optimize import linprog
        from scipy.sparse import coo_array

        shape = (len(self.bounds), len(self.costs))
        rows, columns, values = (np.array(x) for x in zip(*self.entries, strict=True))
        matrix = coo_array((values, (rows, columns)), shape=shape).tocsr()
        balance = np.array(self.kept) > 0
        bounds = np.array(self.bounds)
        answer = linprog(
            np.array(self.costs),
            A_ub=matrix[~balance],
            b_ub=bounds[~balance],
            A_eq=matrix[balance] if balance.any() else None,
            b_eq=bounds[balance] if balance.any() else None,
            bounds=np.column_stack([np.zeros(len(self.most)), np.array(self.most)]),
            method="highs-ds",
        )
        if answer.x is None:
            raise RuntimeError(f"the planner found no answer: {answer.message}")
        return np.rint(answer.x)


@dataclass
class _Edges:
    """Edges by what they stand for: a person among their kind; the stream of a site (of a country:
    site '') into a pool; a kind into its team's window there; a single pair; an ending into its
    numbers, and a person into an ending."""

    own: dict[str, int]
    into: dict[tuple[tuple[str, str], Pool], int]
    window: dict[tuple[Kind, Pool], int]
    single: dict[tuple[str, str], int]
    ending: dict[Ending, list[tuple[str, int]]]
    wants_end: dict[tuple[str, Ending], int]


def _flow(  # noqa: C901  one network, built in one place
    problem: Problem, people: list[Wants], numbers: list[Free], windows: Mapping[str, str]
) -> dict[str, str]:
    """The best pairs. Everybody gets a number as long as there is one, whatever the wishes say.

    A team's window is counted within its pool: who takes a number of the window for the team's sake
    is counted in both.
    """
    if not people or not numbers:
        return {}
    pools: dict[Pool, list[Free]] = defaultdict(list)
    inside: dict[tuple[Pool, str], list[Free]] = defaultdict(list)
    for n in numbers:
        pool = (n.site, n.country, number_points(n, problem))
        pools[pool].append(n)
        if n.e164 in windows:
            inside[pool, windows[n.e164]].append(n)
    teams = {team for _, team in inside}
    kinds: dict[Kind, list[Wants]] = defaultdict(list)
    for p in people:
        kinds[_kind_of(p, teams)].append(p)
    barred_people = {person for person, _ in problem.barred}
    net, flow = _Network(), _Edges({}, {}, {}, {}, {}, {})
    for p in people:
        person = net.row(("person", p.id), 1.0)
        if p.id not in barred_people:
            flow.own[p.id] = net.edge(0.0)
            net.put(person, flow.own[p.id])
            net.put(net.row(("kind", *_kind_of(p, teams)), 0.0, balance=True), flow.own[p.id])
    for kind, members in kinds.items():
        row = net.row(("kind", *kind), 0.0, balance=True)
        plain = net.edge(0.0, len(members))  # without regard to teams: into the site's stream
        net.put(row, plain, -1.0)
        net.put(net.row(("site", *kind[:2]), 0.0, balance=True), plain)
        for pool in (pool for pool, team in inside if team == kind[2] and kind[1] == pool[1]):
            found = inside[pool, kind[2]]
            away = ELSEWHERE if kind[0] != pool[0] else 0.0
            edge = flow.window[kind, pool] = net.edge(
                away - pool[2] - problem.weight(Wish.TEAM) - LEFT_OUT, min(len(members), len(found))
            )
            net.put(row, edge, -1.0)
            net.put(net.row(("pool", *map(str, pool)), len(pools[pool])), edge)
            net.put(net.row(("window", kind[2], *map(str, pool)), len(found)), edge)
    for site, country in {kind[:2] for kind in kinds}:
        row = net.row(("site", site, country), 0.0, balance=True)
        abroad = net.edge(
            ELSEWHERE, len(people)
        )  # into the country's stream: a number of another site
        net.put(row, abroad, -1.0)
        net.put(net.row(("country", country), 0.0, balance=True), abroad)
        for pool, found in pools.items():
            if pool[:2] == (site, country):
                _into_pool(net, flow, row, (site, country), pool, len(found))
    for country in {kind[1] for kind in kinds}:
        row = net.row(("country", country), 0.0, balance=True)
        for pool, found in pools.items():
            if pool[1] == country:
                _into_pool(net, flow, row, ("", country), pool, len(found))
    ends = _by_end(people, numbers)
    by_number = {n.e164: n for n in numbers}

    def into_number(row: int, sign: float, e164: str, cost: float) -> int:
        n = by_number[e164]
        pool = (n.site, n.country, number_points(n, problem))
        edge = net.edge(cost - pool[2] - LEFT_OUT)
        net.put(row, edge, sign)
        net.put(net.row(("number", e164), 1.0), edge)
        net.put(net.row(("pool", *map(str, pool)), len(pools[pool])), edge)
        if e164 in windows:
            net.put(
                net.row(
                    ("window", windows[e164], *map(str, pool)), len(inside[pool, windows[e164]])
                ),
                edge,
            )
        return edge

    for p in people:
        for end, points in _ends_of(p, problem) if p.id not in barred_people else ():
            if not ends.get((p.site, end)):
                continue
            key = (p.site, p.country, end, points)
            if key not in flow.ending:
                row = net.row(("end", *map(str, key)), 0.0, balance=True)
                flow.ending[key] = [
                    (n.e164, into_number(row, -1.0, n.e164, -points)) for n in ends[p.site, end]
                ]
            edge = flow.wants_end[p.id, key] = net.edge(0.0)
            net.put(net.row(("person", p.id), 1.0), edge)
            net.put(net.row(("end", *map(str, key)), 0.0, balance=True), edge)
    people_by_id = {p.id: p for p in people}
    for key, e164 in sorted(
        _doubly(people, ends, windows, problem, barred_people)
        | _one_by_one(people, numbers, problem, barred_people)
    ):
        p, n = people_by_id[key], by_number[e164]
        away = ELSEWHERE if p.site != n.site else 0.0
        extra = pair_points(p, n, windows.get(e164), problem) - number_points(n, problem)
        flow.single[key, e164] = into_number(net.row(("person", key), 1.0), 1.0, e164, away - extra)
    return _pairs(net.solve(), kinds, pools, inside, flow)


def _kind_of(person: Wants, teams: set[str]) -> Kind:
    team = team_of(person)
    return person.site, person.country, team if team in teams else ""


def _into_pool(
    net: _Network, flow: _Edges, row: int, stream: tuple[str, str], pool: Pool, size: int
) -> None:
    edge = flow.into[stream, pool] = net.edge(-pool[2] - LEFT_OUT, size)
    net.put(row, edge, -1.0)
    net.put(net.row(("pool", *map(str, pool)), size), edge)


def _ends_of(person: Wants, problem: Problem) -> list[tuple[str, int]]:
    """The endings somebody wishes for, and what each is worth."""
    found = []
    if len(person.extension) >= 2 and problem.weight(Wish.EXTENSION):
        found.append((person.extension, problem.weight(Wish.EXTENSION)))
    if person.before and problem.weight(Wish.BEFORE):
        found.append((person.before[-3:], problem.weight(Wish.BEFORE)))
    return found


def _by_end(people: Iterable[Wants], numbers: Iterable[Free]) -> dict[tuple[str, str], list[Free]]:
    """Numbers by site and ending, for the endings that somebody might wish for: an ending is looked
    for at one's own site."""
    lengths = {len(p.extension) for p in people if len(p.extension) >= 2} | {3}
    found: dict[tuple[str, str], list[Free]] = defaultdict(list)
    for n in numbers:
        for length in lengths:
            found[n.site, n.e164[-length:]].append(n)
    return found


def _doubly(
    people: Iterable[Wants],
    ends: Mapping[tuple[str, str], list[Free]],
    windows: Mapping[str, str],
    problem: Problem,
    barred_people: set[str],
) -> set[tuple[str, str]]:
    """Pairs that are worth more than one wish: an edge of their own. They are few, and found by
    their endings."""
    found = set()
    for p in people:
        for end, _ in _ends_of(p, problem) if p.id not in barred_people else ():
            for n in ends.get((p.site, end), ()):
                worth = (
                    fits_extension(p, n),
                    same_ending(p, n),
                    bool(team_of(p)) and windows.get(n.e164) == team_of(p),
                )
                if sum(worth) > 1:
                    found.add((p.id, n.e164))
    return found


def _one_by_one(
    people: Iterable[Wants], numbers: Iterable[Free], problem: Problem, barred_people: set[str]
) -> set[tuple[str, str]]:
    """Somebody who shall not have a certain number is paired one by one with all others."""
    barred = set(problem.barred)
    return {
        (p.id, n.e164)
        for p in people
        if p.id in barred_people
        for n in numbers
        if n.country == p.country and (p.id, n.e164) not in barred
    }


def _pairs(  # noqa: C901  the pairs of one network
    x: "np.ndarray",
    kinds: Mapping[Kind, list[Wants]],
    pools: Mapping[Pool, list[Free]],
    inside: Mapping[tuple[Pool, str], list[Free]],
    flow: _Edges,
) -> dict[str, str]:
    """Single pairs as the flow has them; then the windows, each to its team; of what is left in a
    pool the lowest numbers."""
    chosen = {person: number for (person, number), edge in flow.single.items() if x[edge] > 0.5}
    going: dict[Ending, list[str]] = defaultdict(list)
    for (person, key), edge in flow.wants_end.items():
        if x[edge] > 0.5:
            going[key].append(person)
    for key, people in going.items():
        chosen |= dict(
            zip(
                sorted(people),
                (number for number, edge in flow.ending[key] if x[edge] > 0.5),
                strict=True,
            )
        )
    used = set(chosen.values())
    order = {p.id: (p.extension, p.name, p.id) for members in kinds.values() for p in members}
    waiting = {
        kind: sorted(
            (p.id for p in members if p.id in flow.own and x[flow.own[p.id]] > 0.5),
            key=order.__getitem__,
        )
        for kind, members in kinds.items()
    }

    def hand_out(people: list[str], found: Iterable[Free], count: int) -> None:
        left = sorted((n.e164 for n in found if n.e164 not in used), key=int)
        for number in left[:count]:
            chosen[people.pop(0)] = number
            used.add(number)

    for (kind, pool), edge in flow.window.items():
        hand_out(waiting[kind], inside[pool, kind[2]], int(x[edge]))
    streams: dict[tuple[str, str], list[str]] = defaultdict(list)
    for kind, people in waiting.items():
        streams[kind[:2]] += people
    for people in streams.values():
        people.sort(key=order.__getitem__)
    for (
        stream,
        pool,
    ), edge in flow.into.items():  # sites first; whoever is left goes on in the country's stream
        if stream[0] and x[edge] > 0.5:
            hand_out(streams[stream], pools[pool], int(x[edge]))
    rest: dict[str, list[str]] = defaultdict(list)
    for (_, country), people in streams.items():
        rest[country] += people
    for (stream, pool), edge in flow.into.items():
        if not stream[0] and x[edge] > 0.5:
            hand_out(rest[stream[1]], pools[pool], int(x[edge]))
    return chosen
