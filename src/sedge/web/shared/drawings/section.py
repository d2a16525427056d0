"""A building cut open: its floors from the top down with the spots on each, so that one sees where
help would find people and where not.

What is wrong shows by shape first (a crossed room) and by colour second. Every room and floor is a
link with its own name for readers.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

WIDTH, LABEL, ROW, GAP = 760, 150, 46, 8
MOST_ROOMS = 12
LETTER = 6.6  # how wide a letter is drawn, about


@dataclass(frozen=True)
class Room:
    """`code` is the spot's; `who` says in words how many are there; `state` is good, wrong or due
    (to be confirmed)."""

    code: str
    name: str
    who: str
    state: str


@dataclass(frozen=True)
class Storey:
    """A floor; `href` chooses it, `rooms` are its spots."""

    name: str
    href: str
    rooms: Sequence[Room]
    is_chosen: bool = False


def section(storeys: Sequence[Storey]) -> Markup:
    """SVG of a building, its top floor first. Rooms share the width of their floor."""
    height = len(storeys) * ROW + 34
    inside = WIDTH - LABEL - 16
    drawn = Markup("").join(_storey(s, 22 + i * ROW, inside) for i, s in enumerate(storeys))
    roof = f"M{LABEL - 8} 22L{LABEL + inside / 2} 4L{LABEL + inside + 8} 22Z"
    ground = f"M4 {height - 10}H{WIDTH - 4}"
    return Markup(
        '<svg class="section" viewBox="0 0 {} {}" role="group" aria-label="The building, floor by'
        ' floor"><path class="section-roof" d="{}"/>{}<path class="section-ground" d="{}"/></svg>'
    ).format(WIDTH, height, roof, drawn, ground)


def _storey(storey: Storey, y: int, inside: int) -> Markup:
    rooms = list(storey.rooms[:MOST_ROOMS])
    more = len(storey.rooms) - len(rooms)
    width = inside / max(1, len(rooms) + bool(more))
    cells = Markup("").join(_room(r, LABEL + i * width, y, width) for i, r in enumerate(rooms))
    rest = (
        Markup('<text class="section-more" x="{:.0f}" y="{}">and {} more</text>').format(
            LABEL + len(rooms) * width + 8, y + 28, more
        )
        if more
        else ""
    )
    label = Markup(
        '<a href="{}" class="section-floor{}"><text x="{}" y="{}" text-anchor="end">{}</text></a>'
    ).format(
        storey.href,
        " is-chosen" if storey.is_chosen else "",
        LABEL - 14,
        y + 28,
        storey.name or "no floor named",
    )
    wall = Markup('<rect class="section-wall{}" x="{}" y="{}" width="{}" height="{}"/>').format(
        " is-chosen" if storey.is_chosen else "", LABEL, y, inside, ROW
    )
    return wall + cells + rest + label


def _room(room: Room, x: float, y: int, width: float) -> Markup:
    cross = (
        Markup('<path class="room-cross" d="M{:.1f} {}L{:.1f} {}M{:.1f} {}L{:.1f} {}"/>').format(
            x + 4, y + 5, x + width - 4, y + ROW - 5, x + width - 4, y + 5, x + 4, y + ROW - 5
        )
        if room.state == "wrong"
        else ""
    )
    words = {
        "good": "responders would find them",
        "wrong": "responders would not find them",
        "due": "not confirmed for a year",
    }[room.state]
    short = _short(room.name, width)
    return Markup(
        '<a href="/safety/spots/{}" class="room room-{}"><title>{}: {}; {}</title><rect x="{:.1f}"'
        ' y="{}" width="{:.1f}" height="{}" rx="3"/>{}<text class="room-name" x="{:.1f}"'
        ' y="{}">{}</text><text class="room-count" x="{:.1f}" y="{}">{}</text></a>'
    ).format(
        room.code,
        room.state,
        room.name,
        room.who,
        words,
        x + 2,
        y + 3,
        width - 4,
        ROW - 6,
        cross,
        x + 8,
        y + 19,
        short,
        x + 8,
        y + 35,
        _short(room.who, width),
    )


def _short(text: str, width: float) -> str:
    """As much of a text as a room has space for."""
    return (
        text
        if len(text) * LETTER < width - 10
        else text[: max(2, int((width - 16) / LETTER))] + "…"
    )


# ── a floor's plan ──

PLAN_WIDTH, PLAN_HEIGHT = 640, 400


def plan(
    rooms: Sequence[tuple[Room, tuple[float, float] | None]], *, picture: str = "", chosen: str = ""
) -> Markup:
    """SVG of one floor: spots where they lie (in hundredths), those without a place along the lower
    edge; `picture` is the address of an uploaded plan, else four walls are drawn."""
    base = (
        Markup(
            '<image href="{}" x="0" y="0" width="{}" height="{}" preserveAspectRatio="xMidYMid'
            ' meet"/>'
        ).format(picture, PLAN_WIDTH, PLAN_HEIGHT)
        if picture
        else Markup(
            '<rect class="plan-wall" x="8" y="8" width="{}" height="{}"/><path class="plan-door"'
            ' d="M{} {}h44"/>'
        ).format(PLAN_WIDTH - 16, PLAN_HEIGHT - 16, PLAN_WIDTH // 2 - 22, PLAN_HEIGHT - 8)
    )
    waiting = [room for room, at in rooms if at is None]
    pins = []
    for room, at in rooms:
        place = at or (6 + 88 * (waiting.index(room) + 0.5) / len(waiting), 94)
        pins.append(_pin(room, place, is_placed=at is not None, is_chosen=room.code == chosen))
    return Markup(
        '<svg class="plan" viewBox="0 0 {} {}" role="group" aria-label="Plan of the floor"'
        ' x-on:click="click">{}{}</svg>'
    ).format(PLAN_WIDTH, PLAN_HEIGHT, base, Markup("").join(pins))


def _pin(room: Room, at: tuple[float, float], *, is_placed: bool, is_chosen: bool) -> Markup:
    x, y = at[0] * PLAN_WIDTH / 100, at[1] * PLAN_HEIGHT / 100
    anchor = "end" if at[0] > 75 else "start"
    classes = f"pin pin-{room.state}"
    classes += "" if is_placed else " pin-unplaced"
    classes += " is-chosen" if is_chosen else ""
    return Markup(
        '<a href="/safety/spots/{}" class="{}" data-code="{}"><title>{}{}</title><circle'
        ' cx="{:.1f}" cy="{:.1f}" r="8"/><text x="{:.1f}" y="{:.1f}" text-anchor="{}">{}</text></a>'
    ).format(
        room.code,
        classes,
        room.code,
        room.name,
        "" if is_placed else ", not on the plan yet",
        x,
        y,
        x + (12 if anchor == "start" else -12),
        y + 4,
        anchor,
        room.name[:26],
    )
