"""Where the boxes and lines of a call path go: layers top to bottom, few crossings, right-angled
lines that share no track.

After Sugiyama, Tagawa and Toda (1981): circles broken, layers by longest way, long lines given a
place in every layer they pass, layers ordered by barycentres and swaps, places nearest to straight
(isotonic regression). Plain data out, testable without a picture.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from itertools import pairwise

from sedge.core.callpaths.steps import Path, exits_of

WIDTH, HEIGHT, GAP_X, GAP_Y = 180, 48, 36, 74
STUB_WIDTH, THREAD = 78, 12  # an exit that leads nowhere yet; a line that passes a layer
LABEL = 13  # height of one exit's name
TRACK = 7
MARGIN = 20
SWEEPS = 12
LETTER = 6.6  # width of a letter of an exit's name
LEAST_ROOM = 44.0
PORT_INSET = 12.0
Labels = Mapping[tuple[str, str], str]
NAMES_ALONE: Labels = {}


@dataclass(frozen=True)
class Box:
    """`key` is a step's, or `step/exit` of a stub: an exit that leads nowhere yet."""

    key: str
    layer: int
    place: int
    x: float
    y: float
    width: float = WIDTH


@dataclass(frozen=True)
class Line:
    """From `source` by its exits to `target`, as points of a right-angled line."""

    source: str
    target: str
    exits: tuple[str, ...]
    points: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Layout:
    boxes: dict[str, Box]
    lines: list[Line]
    width: float
    height: float
    stubs: dict[str, Box] = field(default_factory=dict)
    crossings: int = 0


@dataclass
class _Edge:
    source: str
    target: str
    exits: tuple[str, ...]
    is_back: bool = False
    thread: list[str] = field(default_factory=list)  # its places in the layers it passes


def lay_out(
    path: Path, *, room_above: float = 0, stubs: bool = False, labels: Labels = NAMES_ALONE
) -> Layout:
    """Every step with its place; those nobody reaches stand in the last layer. `room_above` stays
    free over the first; with `stubs` exits that lead nowhere have a place too. `labels` stand at
    exits (step, exit) in place of their names."""
    return _Drawing(path, room_above, stubs, labels).done()


class _Drawing:
    def __init__(self, path: Path, room_above: float, stubs: bool, labels: Labels) -> None:
        self.path, self.room_above, self.labels = path, room_above, labels
        self.edges = _edges(path)
        self.stubs = _stubs(path) if stubs else {}
        self.edges += [
            _Edge(source, key, (way_out,)) for key, (source, way_out) in self.stubs.items()
        ]
        _break_circles(path, self.edges)
        self.layer = _layers(path, self.edges)
        for edge in self.edges:  # from what nobody reaches, lines lead up too
            edge.is_back = edge.is_back or self.layer[edge.target] <= self.layer[edge.source]
        self.width = {
            key: STUB_WIDTH if key in self.stubs else self._wide_enough(key) for key in self.layer
        }
        self._thread_long_lines()
        self.rows = self._ordered()
        self.x = self._placed()
        self.ports, self.entries = self._ends()

    def _leaving(self, key: str) -> list[int]:
        return [
            number
            for number, edge in enumerate(self.edges)
            if edge.source == key and not edge.is_back
        ]

    def _wide_enough(self, key: str) -> float:
        """So wide that names of exits stand beside each other, whatever their order turns out."""
        rooms = sorted(_room(self.edges[number], self.labels) for number in self._leaving(key))
        if not rooms:
            return WIDTH
        return max(
            WIDTH, sum(rooms[1:]) + 2 * PORT_INSET, sum(rooms[:-1]) + 2 * (rooms[-1] - GAP_X)
        )

    def _thread_long_lines(self) -> None:
        """A line that passes layers gets a narrow place in each of them, so that boxes make way for
        it."""
        for number, edge in enumerate(self.edges):
            if edge.is_back:
                continue
            for layer in range(self.layer[edge.source] + 1, self.layer[edge.target]):
                name = f"|{number}|{layer}"
                self.layer[name], self.width[name] = layer, THREAD
                edge.thread.append(name)

    def _links(self) -> list[tuple[str, str]]:
        return [
            link
            for edge in self.edges
            if not edge.is_back
            for link in pairwise([edge.source, *edge.thread, edge.target])
        ]

    # ── the order within layers ──

    def _ordered(self) -> list[list[str]]:
        rows: list[list[str]] = [[] for _ in range(max(self.layer.values()) + 1)]
        for key in self.layer:
            rows[self.layer[key]].append(key)
        down: dict[str, list[str]] = {}
        up: dict[str, list[str]] = {}
        for source, target in self._links():
            down.setdefault(source, []).append(target)
            up.setdefault(target, []).append(source)
        best, fewest = [list(row) for row in rows], _crossings(rows, down)
        for sweep in range(SWEEPS):
            if not fewest:
                break
            going_down = sweep % 2 == 0
            order = range(1, len(rows)) if going_down else range(len(rows) - 2, -1, -1)
            for i in order:
                fixed = rows[i - 1] if going_down else rows[i + 1]
                _by_barycentre(rows[i], fixed, up if going_down else down)
            _swapped(rows, down, up)
            found = _crossings(rows, down)
            if found < fewest:
                best, fewest = [list(row) for row in rows], found
        self.crossings = fewest
        return best

    # ── the places ──

    def _placed(self) -> dict[str, float]:
        """Middles of boxes and threads, as near to straight below each other as they can be."""
        near: dict[str, list[str]] = {}
        for source, target in self._links():
            near.setdefault(source, []).append(target)
            near.setdefault(target, []).append(source)
        x: dict[str, float] = {}
        for row in self.rows:
            at = 0.0
            for key in row:
                x[key] = at + self.width[key] / 2
                at += self.width[key] + GAP_X
        for sweep in range(8):
            for row in self.rows if sweep % 2 == 0 else self.rows[::-1]:
                wanted = [
                    _mean([x[n] for n in near[key]]) if near.get(key) else x[key] for key in row
                ]
                weights = [4.0 if key.startswith("|") else 1.0 for key in row]
                for key, at in zip(row, self._apart(row, wanted, weights), strict=True):
                    x[key] = at
        left = min((x[key] - self.width[key] / 2 for key in x), default=0.0)
        return {key: at - left + MARGIN for key, at in x.items()}

    def _apart(self, row: list[str], wanted: list[float], weights: list[float]) -> list[float]:
        """The nearest places to those wanted that keep the order and the distance: isotonic
        regression by pooling neighbours."""
        offsets, at = [], 0.0
        for i, key in enumerate(row):
            if i:
                at += (self.width[row[i - 1]] + self.width[key]) / 2 + GAP_X
            offsets.append(at)
        pools: list[list[float]] = []  # sum of weighted wishes, weight, how many
        for wish, offset, weight in zip(wanted, offsets, weights, strict=True):
            pools.append([(wish - offset) * weight, weight, 1])
            while len(pools) > 1 and pools[-2][0] / pools[-2][1] > pools[-1][0] / pools[-1][1]:
                last = pools.pop()
                pools[-1] = [a + b for a, b in zip(pools[-1], last, strict=True)]
        flat = [total / weight for total, weight, count in pools for _ in range(int(count))]
        return [value + offset for value, offset in zip(flat, offsets, strict=True)]

    # ── the picture ──

    def done(self) -> Layout:
        bends, gaps = self._tracks()
        tops = [4 + self.room_above]
        for gap in gaps:
            tops.append(tops[-1] + HEIGHT + gap)
        boxes = {
            key: Box(
                key, layer, place, self.x[key] - self.width[key] / 2, tops[layer], self.width[key]
            )
            for layer, row in enumerate(self.rows)
            for place, key in enumerate(row)
            if not key.startswith("|")
        }
        full = max((b.x + b.width for b in boxes.values()), default=0) + MARGIN
        full = max(full, *(self.x[k] + THREAD for k in self.x)) if self.x else full
        lines = [
            self._line(n, boxes, tops, bends)
            for n, edge in enumerate(self.edges)
            if not edge.is_back
        ]
        back = [edge for edge in self.edges if edge.is_back]
        lines += [
            _line_back(edge, boxes, full + 14 + 12 * i, 5 * (i % 4)) for i, edge in enumerate(back)
        ]
        right = full + (24 + 12 * len(back) if back else 0) + 40
        own = {key: box for key, box in boxes.items() if key in self.path.steps}
        stubs = {key: box for key, box in boxes.items() if key in self.stubs}
        return Layout(own, lines, right, tops[-1] + HEIGHT + 10, stubs, self.crossings)

    def _ends(self) -> tuple[list[float], list[float]]:
        """Where each line leaves its box and where it comes into the other: side by side, in the
        order of where they lead and come from."""
        leaving: dict[str, list[int]] = {}
        coming: dict[str, list[int]] = {}
        for number, edge in enumerate(self.edges):
            if not edge.is_back:
                leaving.setdefault(edge.source, []).append(number)
                coming.setdefault(edge.target, []).append(number)
        ports, entries = [0.0] * len(self.edges), [0.0] * len(self.edges)
        for key, mine in leaving.items():
            mine.sort(key=lambda n: self.x[(self.edges[n].thread or [self.edges[n].target])[0]])
            rooms = [_room(self.edges[number], self.labels) for number in mine[:-1]]
            at = self.x[key] - sum(rooms) / 2
            for number, room in zip(mine, [*rooms, 0.0], strict=True):
                ports[number] = at
                at += room
        for key, mine in coming.items():
            mine.sort(
                key=lambda n: self.x[self.edges[n].thread[-1]] if self.edges[n].thread else ports[n]
            )
            for number, at in zip(
                mine, _side_by_side(self.x[key], len(mine), self.width[key] - 40, 22.0), strict=True
            ):
                entries[number] = (
                    at if len(mine) > 1 else self._straight(self.edges[number], ports[number])
                )
        return ports, entries

    def _straight(self, edge: _Edge, port: float) -> float:
        """The only line into a box comes straight down where it can."""
        from_x = self.x[edge.thread[-1]] if edge.thread else port
        middle, half = self.x[edge.target], self.width[edge.target] / 2 - 14
        return from_x if abs(from_x - middle) <= half else middle

    def _stations(self, number: int) -> list[float]:
        """The x of a line at its box, in every layer it passes, and where it comes in."""
        return [
            self.ports[number],
            *(self.x[key] for key in self.edges[number].thread),
            self.entries[number],
        ]

    def _tracks(self) -> tuple[dict[tuple[int, int], float], list[float]]:
        """How far below its layer each line bends, so that no two lie on each other, and how high
        each gap has to be for that."""
        count = len(self.rows)
        spans: list[list[tuple[float, float, int, int]]] = [[] for _ in range(max(0, count - 1))]
        labels = [0] * max(0, count - 1)
        for number, edge in enumerate(self.edges):
            if edge.is_back:
                continue
            first = self.layer[edge.source]
            labels[first] = max(labels[first], len(edge.exits))
            for i, (a, b) in enumerate(pairwise(self._stations(number))):
                if a != b:
                    spans[first + i].append((min(a, b), max(a, b), number, i))
        bends: dict[tuple[int, int], float] = {}
        gaps: list[float] = []
        for layer, found in enumerate(spans):
            base = 12 + LABEL * labels[layer] if labels[layer] else 14
            ends: list[float] = []
            for low, high, number, i in sorted(found, key=lambda s: (s[1] - s[0], s[0])):
                track = next(
                    (
                        t
                        for t in range(len(ends) + 1)
                        if t == len(ends) or not _overlaps(t, low, high, found, bends, base)
                    ),
                    0,
                )
                if track == len(ends):
                    ends.append(high)
                bends[number, i] = base + track * TRACK
            gaps.append(max(GAP_Y, base + len(ends) * TRACK + 16))
        return bends, gaps

    def _line(
        self,
        number: int,
        boxes: dict[str, Box],
        tops: list[float],
        bends: dict[tuple[int, int], float],
    ) -> Line:
        edge = self.edges[number]
        first = self.layer[edge.source]
        stations = self._stations(number)
        points = [(stations[0], tops[first] + HEIGHT)]
        for i, (a, b) in enumerate(pairwise(stations)):
            if a != b:
                bend = tops[first + i] + HEIGHT + bends[number, i]
                points += [(a, bend), (b, bend)]
        points.append((stations[-1], boxes[edge.target].y))
        return Line(edge.source, edge.target, edge.exits, tuple(points))


def _room(edge: _Edge, labels: Labels) -> float:
    """How much room the names of a line's exits take beside it."""
    longest = max(len(labels.get((edge.source, name), name)) for name in edge.exits)
    return max(LEAST_ROOM, LETTER * longest + 18)


def _side_by_side(middle: float, count: int, room: float, most: float) -> list[float]:
    step = min(most, room / (count - 1)) if count > 1 else 0.0
    return [middle + (i - (count - 1) / 2) * step for i in range(count)]


def _overlaps(
    track: int,
    low: float,
    high: float,
    spans: Iterable[tuple[float, float, int, int]],
    bends: dict[tuple[int, int], float],
    base: float,
) -> bool:
    """Whether a line from `low` to `high` would touch another one on a track."""
    at = base + track * TRACK
    return any(
        bends.get((number, i)) == at and a - 8 < high and b + 8 > low for a, b, number, i in spans
    )


def _edges(path: Path) -> list[_Edge]:
    found: list[_Edge] = []
    for key, step in path.steps.items():
        by_target: dict[str, list[str]] = {}
        for way_out in [
            *(n for n in exits_of(step) if n in step.exits),
            *(n for n in step.exits if n not in exits_of(step)),
        ]:
            by_target.setdefault(step.exits[way_out], []).append(way_out)
        found += [_Edge(key, target, tuple(names)) for target, names in by_target.items()]
    return found


def _stubs(path: Path) -> dict[str, tuple[str, str]]:
    return {
        f"{key}/{n}": (key, n)
        for key, step in path.steps.items()
        for n in exits_of(step)
        if n not in step.exits
    }


def _break_circles(path: Path, edges: list[_Edge]) -> None:
    """Mark the lines that lead back to a step one is on the way from, depth first."""
    onward: dict[str, list[_Edge]] = {}
    for edge in edges:
        onward.setdefault(edge.source, []).append(edge)
    state: dict[str, int] = {}
    for start in (path.first, *path.steps):
        if start in state:
            continue
        state[start] = 1
        stack = [(start, iter(onward.get(start, ())))]
        while stack:
            key, rest = stack[-1]
            edge = next(rest, None)
            if edge is None:
                state[key] = 2
                stack.pop()
            elif state.get(edge.target) == 1:
                edge.is_back = True
            elif edge.target not in state:
                state[edge.target] = 1
                stack.append((edge.target, iter(onward.get(edge.target, ()))))


def _layers(path: Path, edges: list[_Edge]) -> dict[str, int]:
    """Longest way from the first step, lines back left out; what nobody reaches stands below all
    others."""
    onward: dict[str, list[str]] = {}
    for edge in edges:
        if not edge.is_back:
            onward.setdefault(edge.source, []).append(edge.target)
    layers: dict[str, int] = {}
    bottom = 0
    for start in (path.first, *path.steps):
        if start in layers:
            continue
        order = _topological(start, onward, set(layers))
        found = {start: bottom}
        for key in order:
            for target in onward.get(key, ()):
                if target not in layers:
                    found[target] = max(found.get(target, 0), found[key] + 1)
        layers |= found
        bottom = bottom or max(layers.values()) + 1
    rows = {layer: row for row, layer in enumerate(sorted(set(layers.values())))}
    return {key: rows[layer] for key, layer in layers.items()}


def _topological(start: str, onward: dict[str, list[str]], without: set[str]) -> list[str]:
    """What is reached from a step, each before what it leads to."""
    done: list[str] = []
    seen = {start}
    stack = [(start, iter(onward.get(start, ())))]
    while stack:
        key, rest = stack[-1]
        target = next(rest, None)
        if target is None:
            done.append(key)
            stack.pop()
        elif target not in seen and target not in without:
            seen.add(target)
            stack.append((target, iter(onward.get(target, ()))))
    return done[::-1]


def _crossings(rows: list[list[str]], down: dict[str, list[str]]) -> int:
    """How many pairs of lines cross between neighbouring layers."""
    total = 0
    for above, below in pairwise(rows):
        place = {key: i for i, key in enumerate(below)}
        ends = [
            place[t]
            for key in above
            for t in sorted(down.get(key, ()), key=lambda t: place.get(t, 0))
            if t in place
        ]
        total += _inversions(ends)
    return total


def _inversions(ends: list[int]) -> int:
    return sum(1 for i, a in enumerate(ends) for b in ends[i + 1 :] if a > b)


def _by_barycentre(row: list[str], fixed: list[str], near: dict[str, list[str]]) -> None:
    place = {key: i for i, key in enumerate(fixed)}
    own = {key: i for i, key in enumerate(row)}
    row.sort(
        key=lambda key: _mean(
            [place[n] for n in near.get(key, ()) if n in place],
            own[key] * len(fixed) / max(1, len(row)),
        )
    )


def _swapped(rows: list[list[str]], down: dict[str, list[str]], up: dict[str, list[str]]) -> None:
    """Swap neighbours wherever that saves crossings."""
    for i, row in enumerate(rows):
        above = {key: n for n, key in enumerate(rows[i - 1])} if i else {}
        below = {key: n for n, key in enumerate(rows[i + 1])} if i + 1 < len(rows) else {}
        for j in range(len(row) - 1):
            one, other = row[j], row[j + 1]
            before = _crossed(one, other, up, above) + _crossed(one, other, down, below)
            after = _crossed(other, one, up, above) + _crossed(other, one, down, below)
            if after < before:
                row[j], row[j + 1] = other, one


def _crossed(left: str, right: str, near: dict[str, list[str]], place: dict[str, int]) -> int:
    mine, theirs = ([place[n] for n in near.get(key, ()) if n in place] for key in (left, right))
    return sum(1 for a in mine for b in theirs if a > b)


def _mean(values: list[float] | list[int], otherwise: float = 0.0) -> float:
    return sum(values) / len(values) if values else otherwise


def _line_back(edge: _Edge, boxes: dict[str, Box], lane: float, aside: float) -> Line:
    """A line back up, on the far side, each in a lane of its own, and a little aside of the others
    where it leaves and comes in."""
    a, b = boxes[edge.source], boxes[edge.target]
    start, end = a.y + HEIGHT / 2 + 5 + aside, b.y + HEIGHT / 2 - aside
    points = ((a.x + a.width, start), (lane, start), (lane, end), (b.x + b.width, end))
    return Line(edge.source, edge.target, edge.exits, points)
