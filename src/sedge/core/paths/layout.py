"""Where the boxes and lines of a call path go: layers top to bottom, few crossings by the barycentre method.

Plain data out, so that it can be tested without a picture.
"""

from dataclasses import dataclass
from itertools import pairwise

from sedge.core.paths.steps import Path

WIDTH, HEIGHT, GAP_X, GAP_Y = 180, 48, 52, 74
LABEL = 13  # height of one exit's name


@dataclass(frozen=True)
class Box:
    key: str
    layer: int
    place: int
    x: float
    y: float


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


def lay_out(path: Path, *, room_above: float = 0) -> Layout:
    """Every step of a path with its place; steps nobody reaches stand in the last layer. `room_above` stays free over the first."""
    layers = _layers(path)
    rows: list[list[str]] = [[] for _ in range(max(layers.values()) + 1)]
    for key in path.steps:
        rows[layers[key]].append(key)
    parents: dict[str, list[str]] = {}
    for key, step in path.steps.items():
        for target in step.exits.values():
            parents.setdefault(target, []).append(key)
    for above, row in pairwise(rows):
        spots = {key: i for i, key in enumerate(above)}
        row.sort(key=lambda key: _centre([spots[p] for p in parents.get(key, []) if p in spots], len(above)))
    widest = max(len(row) for row in rows)
    full = widest * WIDTH + (widest - 1) * GAP_X
    boxes: dict[str, Box] = {}
    for layer, row in enumerate(rows):
        left = (full - (len(row) * WIDTH + (len(row) - 1) * GAP_X)) / 2
        for place, key in enumerate(row):
            boxes[key] = Box(key, layer, place, left + place * (WIDTH + GAP_X) + 20, layer * (HEIGHT + GAP_Y) + 4 + room_above)
    lines = _lines(path, boxes, full)
    return Layout(boxes, lines, full + 40 + 60, len(rows) * (HEIGHT + GAP_Y) - GAP_Y + 10 + room_above)


def _layers(path: Path) -> dict[str, int]:
    """Longest way from the first step, going round no circle twice."""
    layers = {path.first: 0}
    queue: list[tuple[str, tuple[str, ...]]] = [(path.first, (path.first,))]
    budget = 4000
    while queue and budget:
        budget -= 1
        key, way = queue.pop(0)
        for target in path.steps[key].exits.values():
            if target not in way and layers.get(target, -1) < layers[key] + 1:
                layers[target] = layers[key] + 1
                queue.append((target, (*way, target)))
    last = max(layers.values()) + 1
    placed = {key: layers.get(key, last) for key in path.steps}
    rows = {layer: row for row, layer in enumerate(sorted(set(placed.values())))}  # circles can leave a layer empty
    return {key: rows[layer] for key, layer in placed.items()}


def _centre(places: list[int], width: int) -> float:
    return sum(places) / len(places) if places else width / 2


def _lines(path: Path, boxes: dict[str, Box], full: float) -> list[Line]:
    lines: list[Line] = []
    for key, step in path.steps.items():
        by_target: dict[str, list[str]] = {}
        for exit_name, target in step.exits.items():
            by_target.setdefault(target, []).append(exit_name)
        beside = sorted(by_target, key=lambda t: (boxes[t].layer != boxes[key].layer + 1, boxes[t].x))
        for i, target in enumerate(beside):
            lines.append(
                Line(
                    key,
                    target,
                    tuple(by_target[target]),
                    _points(boxes[key], boxes[target], i, len(beside), full, labels=len(by_target[target])),
                )
            )
    return lines


def _points(a: Box, b: Box, i: int, n: int, full: float, *, labels: int) -> tuple[tuple[float, float], ...]:
    """Right-angled: to the next layer with a bend, past other layers down the lane beside the boxes, back up on the far side."""
    start_x = a.x + WIDTH * (i + 1) / (n + 1)
    middle_x = b.x + WIDTH / 2
    bottom, top = a.y + HEIGHT, b.y
    if b.layer == a.layer + 1:
        if b.x + 14 <= start_x <= b.x + WIDTH - 14:
            return ((start_x, bottom), (start_x, top))
        bend = bottom + min(GAP_Y - 12, max(GAP_Y * 0.45, 8 + LABEL * labels) + 4 * (i % 3))  # below the exits' names
        end_x = middle_x + (18 if start_x > middle_x else -18)
        return ((start_x, bottom), (start_x, bend), (end_x, bend), (end_x, top))
    if b.layer > a.layer:
        lane, entry = full + 56, min(b.x + WIDTH - 16, middle_x + 50)
        return ((a.x + WIDTH, a.y + HEIGHT / 2), (lane, a.y + HEIGHT / 2), (lane, top - 14), (entry, top - 14), (entry, top))
    back = full + 72
    return ((a.x + WIDTH, a.y + HEIGHT / 2 + 8), (back, a.y + HEIGHT / 2 + 8), (back, b.y + HEIGHT / 2), (b.x + WIDTH, b.y + HEIGHT / 2))
