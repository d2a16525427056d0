"""The picture of a call path, with the way of a followed call drawn in; the story beside it says the same in words."""

from collections.abc import Iterable, Mapping

from markupsafe import Markup

from sedge.core.paths.layout import HEIGHT, LABEL, WIDTH, Box, Line, lay_out
from sedge.core.paths.steps import Announce, Hours, Mailbox, Menu, Path, Queue, Ring, Step

ABOVE = 84  # room over the first step for the number that is called


def path_map(
    path: Path, names: Mapping[str, str], way: Iterable[tuple[str, str]] = (), last: str = "", *, above: tuple[str, str] | None = None
) -> Markup:
    """SVG of a path. `way` are the (step, exit) pairs taken, `last` the step where the call ended; `above` is drawn over the
    first step: the number, and who calls it."""
    layout = lay_out(path, room_above=ABOVE if above else 0)
    taken = set(way)
    visited = {step for step, _ in taken} | ({last} if last else set())
    lines = Markup("").join(_line(line, taken) for line in sorted(layout.lines, key=lambda x: any((x.source, e) in taken for e in x.exits)))
    boxes = Markup("").join(
        _box(layout.boxes[key], step.title, describe_step(step, names), on=key in visited) for key, step in path.steps.items()
    )
    start = _start(layout.boxes[path.first], above, on=bool(visited)) if above else Markup("")
    return Markup(
        '<svg class="pathmap" viewBox="0 0 {:.0f} {:.0f}" width="{:.0f}" height="{:.0f}" role="img" aria-label="Picture of the call path">{}{}{}</svg>'
    ).format(layout.width, layout.height, layout.width, layout.height, lines, start, boxes)


def _start(first: Box, above: tuple[str, str], *, on: bool) -> Markup:
    """Where the call comes in: the number, and an arrow down to the first step."""
    number, caller = above
    middle, top = first.x + WIDTH / 2, first.y
    mark = " pm-way" if on else ""
    arrow = Markup('<path class="pm-line{}" d="M{:.1f} {:.1f}V{:.1f}"/><path class="pm-tip{}" d="M{:.1f} {:.1f}l4.5 -8h-9Z"/>').format(
        mark, middle, top - ABOVE + HEIGHT, top, mark, middle, top
    )
    return arrow + _box(Box("", 0, 0, first.x, top - ABOVE), number, f"from {caller}", on=on)


def _box(box: Box, title: str, text: str, *, on: bool) -> Markup:
    return Markup(
        '<g class="pm-step{}"><rect class="pm-box" x="{:.1f}" y="{:.1f}" width="{}" height="{}" rx="6"/>'
        '<text class="pm-title" x="{:.1f}" y="{:.1f}">{}</text><text class="pm-text" x="{:.1f}" y="{:.1f}">{}</text></g>'
    ).format(
        " pm-on" if on else "", box.x, box.y, WIDTH, HEIGHT, box.x + 11, box.y + 20, _cut(title, 22), box.x + 11, box.y + 37, _cut(text, 27)
    )  # fmt: skip


def _line(line: Line, taken: set[tuple[str, str]]) -> Markup:
    chosen = [e for e in line.exits if (line.source, e) in taken]
    mark = " pm-way" if chosen else ""
    points = "L".join(f"{x:.1f} {y:.1f}" for x, y in line.points)
    (x, y), (before_x, _before_y) = line.points[-1], line.points[-2]
    tip = (
        f"M{x - 4.5:.1f} {y - 8:.1f}L{x:.1f} {y:.1f}L{x + 4.5:.1f} {y - 8:.1f}Z"
        if before_x == x
        else f"M{x + 8:.1f} {y - 4.5:.1f}L{x:.1f} {y:.1f}L{x + 8:.1f} {y + 4.5:.1f}Z"
    )
    start_x, start_y = line.points[0]
    sideways = line.points[1][1] == start_y
    labels = Markup("").join(
        _exit(name, start_x + 6, start_y + (-5 if i == 0 else 1 + i * LABEL) if sideways else start_y + 14 + i * LABEL, way=name in chosen)
        for i, name in enumerate(sorted(line.exits, key=lambda e: e not in chosen))
    )
    return Markup('<path class="pm-line{}" d="M{}"/><path class="pm-tip{}" d="{}"/>{}').format(mark, points, mark, tip, labels)


def _exit(name: str, x: float, y: float, *, way: bool) -> Markup:
    return Markup('<text class="pm-exit{}" x="{:.1f}" y="{:.1f}">{}</text>').format(" pm-way" if way else "", x, y, name)


def describe_step(step: Step, names: Mapping[str, str]) -> str:
    """What a step does, in a few words."""
    match step:
        case Hours():
            return f"{step.openings[0].start} to {step.openings[0].end}" if step.openings else "never open"
        case Menu():
            return f"“{step.greeting}”"
        case Ring():
            return f"{_who(step.people, names) or 'the holder'}, {step.seconds} s"
        case Queue():
            return f"{_who(step.people, names)}, at most {step.longest_wait // 60} min"
        case Announce():
            return f"“{step.text}”"
        case Mailbox():
            return f"mail to {_who(step.recipients, names) or 'the holder'}"
        case _:
            return "the call ends"


def _who(people: tuple[str, ...], names: Mapping[str, str]) -> str:
    if len(people) > 2:
        return f"{len(people)} people"
    return ", ".join(names.get(p, p) for p in people)


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"
