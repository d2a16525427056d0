"""The picture of a call path: with the way of a followed call drawn in, with what is otherwise in a
new version, or to be worked on.

What is drawn is said in words beside it as well.
"""

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from urllib.parse import quote

from markupsafe import Markup

from sedge.core.callpaths.layout import HEIGHT, LABEL, WIDTH, Box, Line, lay_out
from sedge.core.callpaths.steps import (
    Announce,
    Forward,
    Hours,
    Mailbox,
    Menu,
    OtherPath,
    Path,
    Queue,
    Ring,
    SipAddress,
    Step,
)
from sedge.core.numbers.e164 import describe, is_canonical
from sedge.core.spend.step_use import StepUse

LEAST_FOR_PLUS, PLUS_FROM_TIP = 26, 17
THICKEST = 5  # lines by their calls
ABOVE = 84  # room over the first step for the number that is called


@dataclass(frozen=True)
class Shown:
    """What is drawn besides the path itself. `way` are the (step, exit) pairs a followed call took,
    `last` the step where it ended; `above` stands over the first step: the number, and what is said
    of it. `marks` say stop or warn for a step, `changes` new, gone or changed, `new_exits` which
    exits lead elsewhere. `link` makes a step's address, `add` that of an exit that leads nowhere
    yet. `use` says of steps how many calls came to them, gave up there and went on by which exit.
    """

    way: tuple[tuple[str, str], ...] = ()
    last: str = ""
    above: tuple[str, str] | None = None
    selected: str = ""
    marks: Mapping[str, str] = field(default_factory=dict)
    changes: Mapping[str, str] = field(default_factory=dict)
    new_exits: frozenset[tuple[str, str]] = frozenset()
    link: Callable[[str], str] | None = None
    add: Callable[[str, str], str] | None = None
    use: Mapping[str, StepUse] = field(default_factory=dict)
    label: str = "Picture of the call path"


def path_map(
    path: Path,
    names: Mapping[str, str],
    way: Iterable[tuple[str, str]] = (),
    last: str = "",
    *,
    above: tuple[str, str] | None = None,
) -> Markup:
    """SVG of a path, and of a call that was followed through it."""
    return drawn(path, names, Shown(tuple(way), last, above))


def drawn(path: Path, names: Mapping[str, str], shown: Shown) -> Markup:
    labels = _labels(shown.use)
    layout = lay_out(
        path,
        room_above=ABOVE if shown.above else 0,
        stubs=shown.add is not None,
        labels=labels,
    )
    taken = set(shown.way)
    visited = {step for step, _ in taken} | ({shown.last} if shown.last else set())
    ordered = sorted(layout.lines, key=lambda x: any((x.source, e) in taken for e in x.exits))
    lines = Markup("").join(
        _line(line, taken, shown, labels, is_stub=line.target in layout.stubs) for line in ordered
    )
    boxes = Markup("").join(
        _step(layout.boxes[key], key, step, names, shown, on=key in visited)
        for key, step in path.steps.items()
    )
    stubs = Markup("").join(_stub(box, shown) for box in layout.stubs.values())
    pluses = (
        Markup("").join(
            _plus(line, path, shown)
            for line in layout.lines
            if line.target not in layout.stubs and line.target in path.steps
        )
        if shown.add
        else Markup("")
    )
    ports = (
        Markup("").join(_port(line) for line in layout.lines if line.target not in layout.stubs)
        if shown.add
        else Markup("")
    )
    start = (
        _start(layout.boxes[path.first], shown.above, on=bool(visited))
        if shown.above
        else Markup("")
    )
    role = Markup('role="group"') if shown.link else Markup('role="img"')
    return Markup(
        '<svg class="pathmap{}" viewBox="0 0 {:.0f} {:.0f}" width="{:.0f}" height="{:.0f}" {}'
        ' aria-label="{}">{}{}{}{}{}{}</svg>'
    ).format(
        " pm-edit" if shown.add else "",
        layout.width,
        layout.height,
        layout.width,
        layout.height,
        role,
        shown.label,
        lines,
        start,
        stubs,
        boxes,
        pluses,
        ports,
    )


def thumbnail(path: Path, way: Iterable[tuple[str, str]] = (), last: str = "") -> Markup:
    """The shape of a path without its words, and the way of a call through it. Decoration: what it
    shows stands beside it."""
    layout, taken = lay_out(path), set(way)
    visited = {step for step, _ in taken} | {last}
    lines = Markup("").join(
        Markup('<path class="pm-line{}" d="M{}"/>').format(
            " pm-way" if any((line.source, e) in taken for e in line.exits) else "",
            "L".join(f"{x:.0f} {y:.0f}" for x, y in line.points),
        )
        for line in layout.lines
    )
    boxes = Markup("").join(
        Markup(
            '<rect class="pm-thumb{}" x="{:.0f}" y="{:.0f}" width="{:.0f}" height="{}"/>'
        ).format(" pm-way" if key in visited else "", box.x, box.y, box.width, HEIGHT)
        for key, box in layout.boxes.items()
    )
    return Markup(
        '<svg class="pathmap-small" viewBox="-6 -6 {:.0f} {:.0f}" aria-hidden="true">{}{}</svg>'
    ).format(layout.width + 12, layout.height + 12, lines, boxes)


def _start(first: Box, above: tuple[str, str], *, on: bool) -> Markup:
    """Where the call comes in: the number, and an arrow down to the first step."""
    number, caller = above
    middle, top = first.x + WIDTH / 2, first.y
    mark = " pm-way" if on else ""
    arrow = Markup(
        '<path class="pm-line{}" d="M{:.1f} {:.1f}V{:.1f}"/><path class="pm-tip{}" d="M{:.1f}'
        ' {:.1f}l4.5 -8h-9Z"/>'
    ).format(mark, middle, top - ABOVE + HEIGHT, top, mark, middle, top)
    box = _box(Box("", 0, 0, first.x, top - ABOVE), number, caller)
    return arrow + Markup('<g class="pm-step{}">{}</g>').format(" pm-on" if on else "", box)


def _step(
    box: Box, key: str, step: Step, names: Mapping[str, str], shown: Shown, *, on: bool
) -> Markup:
    text = describe_step(step, names)
    mark, change = shown.marks.get(key, ""), shown.changes.get(key, "")
    classes = " ".join(
        x
        for x in (
            "pm-step",
            f"pm-k-{step.kind}",
            "pm-on" if on else "",
            "pm-selected" if key == shown.selected else "",
            f"pm-{mark}" if mark else "",
            f"pm-{change}" if change else "",
        )
        if x
    )
    use = shown.use.get(key)
    is_silent = isinstance(step, OtherPath) and use and not use.calls  # some systems leave it out
    flag = _flag(box, mark, change)
    inside = _box(box, step.title, text, None if is_silent or flag else use) + flag
    if shown.link is None:
        return Markup('<g class="{}" data-step="{}">{}</g>').format(classes, key, inside)
    told = ", ".join(
        x
        for x in (
            step.title,
            text,
            {"stop": "has a stop", "warn": "has a warning"}.get(mark, ""),
            change,
        )
        if x
    )
    current = Markup(' aria-current="true"') if key == shown.selected else ""
    return Markup('<a class="{}" href="{}" data-step="{}"{}><desc>{}</desc>{}</a>').format(
        classes, shown.link(key), key, current, told, inside
    )


def _flag(box: Box, mark: str, change: str) -> Markup:
    """What a step is marked with, as a shape in its corner: a wedge for a stop, a bar for a
    warning, a word for a change."""
    x, y = box.x + box.width, box.y
    if change:
        return Markup(
            '<text class="pm-change" x="{:.1f}" y="{:.1f}" text-anchor="end">{}</text>'
        ).format(x - 8, y + 19, change)
    if mark == "stop":
        return Markup('<path class="pm-flag-stop" d="M{:.1f} {:.1f}h-16l16 16Z"/>').format(
            x - 1, y + 1
        )
    if mark == "warn":
        return Markup(
            '<path class="pm-flag-warn" d="M{:.1f} {:.1f}v-12h-5v12Zm0 5v-4h-5v4Z"/>'
        ).format(x - 8, y + 20)
    return Markup("")


def _box(box: Box, title: str, text: str, use: StepUse | None = None) -> Markup:
    calls = f"{use.calls:,}" if use else ""
    gave_up = f"  {use.gave_up:,} gave up" if use and use.gave_up else ""
    right = Markup("").join(
        Markup('<text class="{}" x="{:.1f}" y="{:.1f}" text-anchor="end">{}</text>').format(
            name, box.x + box.width - 11, y, words
        )
        for name, y, words in (
            ("pm-calls", box.y + 20, calls),
            ("pm-gave-up", box.y + 37, gave_up),
        )
        if words
    )
    return (
        Markup(
            '<rect class="pm-box" x="{:.1f}" y="{:.1f}" width="{:.0f}" height="{}" rx="6"/><text'
            ' class="pm-title" x="{:.1f}" y="{:.1f}">{}</text><text class="pm-text" x="{:.1f}"'
            ' y="{:.1f}">{}</text>'
        ).format(
            box.x,
            box.y,
            box.width,
            HEIGHT,
            box.x + 11,
            box.y + 20,
            _cut(title, int((box.width - 22) / 7.5) - len(calls)),
            box.x + 11,
            box.y + 37,
            _cut(text, int((box.width - 22) / 6.3) - len(gave_up)),
        )
        + right
    )


def _stub(box: Box, shown: Shown) -> Markup:
    """An exit that leads nowhere yet: here a step can be added, or an exit dropped."""
    key, _, way_out = box.key.partition("/")
    address = shown.add(key, way_out) if shown.add else ""
    middle = box.x + box.width / 2
    return Markup(
        '<a class="pm-stub" href="{}" data-step="{}" data-exit="{}" aria-label="Add a step at'
        ' {}"><rect x="{:.1f}" y="{:.1f}" width="{:.0f}" height="30" rx="15"/><path d="M{:.1f}'
        ' {:.1f}h12m-6 -6v12"/></a>'
    ).format(address, key, way_out, way_out, box.x, box.y, box.width, middle - 6, box.y + 15)


def _labels(use: Mapping[str, StepUse]) -> dict[tuple[str, str], str]:
    """What stands at exits: their names with the share of the step's calls."""
    return {
        (step.step, e.name): f"{e.name} · {e.share:.0%}"
        for step in use.values()
        for e in step.exits
    }


def _weight(line: Line, use: Mapping[str, StepUse]) -> int:
    """How thick a line is by its calls, 1 to 5, beside the calls of the step that most come to; 0
    where none went there."""
    source, most = use.get(line.source), max((s.calls for s in use.values()), default=0)
    calls = sum(e.calls for e in source.exits if e.name in line.exits) if source else 0
    return math.ceil(calls / most * THICKEST) if calls else 0


def _tip(line: Line, weight: int) -> str:
    """The arrow head where a line ends, wider than the line."""
    (x, y), (before_x, _) = line.points[-1], line.points[-2]
    half, long = 4.5 + weight, 8 + weight
    if before_x == x:
        return f"M{x - half:.1f} {y - long:.1f}L{x:.1f} {y:.1f}L{x + half:.1f} {y - long:.1f}Z"
    return f"M{x + long:.1f} {y - half:.1f}L{x:.1f} {y:.1f}L{x + long:.1f} {y + half:.1f}Z"


def _points(line: Line, weight: int) -> str:
    """A thick line ends within its arrow head."""
    *first, (x, y) = line.points
    if weight:
        x, y = (x, y - 7) if first[-1][0] == x else (x + 7, y)
    return "L".join(f"{x:.1f} {y:.1f}" for x, y in (*first, (x, y)))


def _line(
    line: Line,
    taken: set[tuple[str, str]],
    shown: Shown,
    names: Mapping[tuple[str, str], str],
    *,
    is_stub: bool,
) -> Markup:
    chosen = [e for e in line.exits if (line.source, e) in taken]
    is_new = any((line.source, e) in shown.new_exits for e in line.exits)
    mark = " pm-way" if chosen else " pm-new-line" if is_new else " pm-open" if is_stub else ""
    weight = _weight(line, shown.use)
    mark += f" pm-flow-{weight}" if weight else ""
    start_x, start_y = line.points[0]
    sideways = line.points[1][1] == start_y
    labels = Markup("").join(
        _exit(
            names.get((line.source, name), name),
            start_x + 6,
            start_y + (-5 if i == 0 else 1 + i * LABEL) if sideways else start_y + 14 + i * LABEL,
            way=name in chosen,
        )
        for i, name in enumerate(sorted(line.exits, key=lambda e: e not in chosen))
    )
    drawn = Markup('<path class="pm-line{}" d="M{}"/>').format(mark, _points(line, weight))
    if not is_stub:
        drawn += Markup('<path class="pm-tip{}" d="{}"/>').format(mark, _tip(line, weight))
    return drawn + labels


def _plus(line: Line, path: Path, shown: Shown) -> Markup:
    """A plus near the tip of a line that leads somewhere: what is added or dropped here comes in
    between."""
    (x, y), (before_x, before_y) = line.points[-1], line.points[-2]
    if abs(x - before_x) + abs(y - before_y) < LEAST_FOR_PLUS:
        return Markup("")
    if before_x == x:
        y += -PLUS_FROM_TIP if y > before_y else PLUS_FROM_TIP
    else:
        x += PLUS_FROM_TIP if x < before_x else -PLUS_FROM_TIP
    address = shown.add(line.source, line.exits[0]) if shown.add else ""
    words = f"{path.steps[line.source].title} and {path.steps[line.target].title}"
    return Markup(
        '<a class="pm-plus" href="{}&amp;along=1" data-on="{}" data-exit="{}" aria-label="Add a'
        ' step between {}"><circle cx="{:.1f}" cy="{:.1f}" r="7.5"/><path d="M{:.1f} {:.1f}h8m-4'
        ' -4v8"/></a>'
    ).format(address, line.source, line.exits[0], words, x, y, x - 4, y)


def _port(line: Line) -> Markup:
    """The dot at which a line is taken to lead it elsewhere; it lies on its box."""
    x, y = line.points[0]
    return Markup(
        '<circle class="pm-port" cx="{:.1f}" cy="{:.1f}" r="5" data-step="{}" data-exit="{}"/>'
    ).format(x, y, line.source, line.exits[0])


def _exit(name: str, x: float, y: float, *, way: bool) -> Markup:
    return Markup('<text class="pm-exit{}" x="{:.1f}" y="{:.1f}">{}</text>').format(
        " pm-way" if way else "", x, y, name
    )


def address_of(base: str) -> Callable[[str], str]:
    """Addresses of steps under a page: `?step=menu-1`."""
    return lambda key: f"{base}?step={quote(key)}"


def describe_step(step: Step, names: Mapping[str, str]) -> str:
    """What a step does, in a few words."""
    match step:
        case Hours():
            first = step.openings[0] if step.openings else None
            more = f" and {len(step.openings) - 1} more" if len(step.openings) > 1 else ""
            return f"{first.start} to {first.end}{more}" if first else "never open"
        case Menu():
            return f"“{step.greeting}”" if step.greeting else "says nothing yet"
        case Ring():
            named = (*step.people, *step.groups, *step.devices, *step.mobiles, *step.systems)
            order = "" if step.order == "all" else f"{step.order}, "
            return f"{_who(named, names) or 'the holder'}, {order}{step.seconds} s"
        case Queue():
            return (
                f"{_who((*step.people, *step.groups), names) or 'the holder'}, at most"
                f" {lasting(step.longest_wait)}"
            )
        case Announce():
            return f"“{step.text}”" if step.text else "says nothing yet"
        case Mailbox():
            return f"mail to {_who((*step.recipients, *step.groups), names) or 'the holder'}"
        case Forward():
            return f"to {describe(step.to).shown}" if is_canonical(step.to) else "to no number yet"
        case SipAddress():
            return step.address or "no address yet"
        case OtherPath():
            return f"on in {names.get(step.path, step.path)}" if step.path else "no path chosen yet"
        case _:
            return "the call ends"


def lasting(seconds: int) -> str:
    return f"{seconds // 60} min" if seconds % 60 == 0 else f"{seconds} s"


def _who(people: tuple[str, ...], names: Mapping[str, str]) -> str:
    if len(people) > 2:
        return f"{names.get(people[0], people[0])} and {len(people) - 1} more"
    return ", ".join(names.get(p, p) for p in people)


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"
