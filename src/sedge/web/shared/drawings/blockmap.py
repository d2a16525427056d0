"""The block map: a field of cells, one per number of an aligned hundred, five rows of twenty.

State shows by shape first (filled, outlined, half, hatched, dashed, arrow, dot) and by colour second. Each cell is a
link with its own name for readers; the grid is one stop of the tab order, arrow keys move inside (desk/blockmap.js).
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

from markupsafe import Markup, escape

from sedge.core.numbers.life import State

SIDE, STEP, COLUMNS = 21, 26, 20
LEFT, TOP = 30, 18


@dataclass(frozen=True)
class MapCell:
    """`number` is the E.164 integer; `name` what a reader says of it."""

    number: int
    state: State
    name: str


@lru_cache(maxsize=4096)
def shape(state: State, x: int, y: int) -> Markup:
    """The cell's shape at its place, by attributes and classes only. There are few places, so each is drawn once."""
    box = Markup('<rect class="cell cell-{}" x="{}" y="{}" width="{}" height="{}" rx="4"/>')
    kind = state.value.replace(" ", "-")
    drawn = box.format(kind, x + 0.75, y + 0.75, SIDE - 1.5, SIDE - 1.5)
    match state:
        case State.RESERVED:
            extra = f'<path class="cell-mark" d="M{x + 2} {y + SIDE - 2}V{y + SIDE - 3}L{x + SIDE - 3} {y + 2}H{x + SIDE - 2}V{y + SIDE - 2}Z"/>'
        case State.AGING:
            lines = "".join(f"M{x + 2} {y + o}L{x + o} {y + 2}M{x + o} {y + SIDE - 2}L{x + SIDE - 2} {y + o}" for o in (7, 12, 17))
            extra = f'<path class="cell-hatch" d="{lines}"/>'
        case State.PORTING_IN | State.PORTING_OUT:
            tip, tail = (x + 15, x + 6) if state is State.PORTING_IN else (x + 6, x + 15)
            back = tip - 4 if state is State.PORTING_IN else tip + 4
            middle = y + SIDE / 2
            extra = f'<path class="cell-arrow" d="M{tail} {middle}H{tip}M{back} {middle - 4}L{tip} {middle}L{back} {middle + 4}"/>'
        case State.ADMINISTRATIVE:
            extra = f'<circle class="cell-dot" cx="{x + SIDE / 2}" cy="{y + SIDE / 2}" r="3.5"/>'
        case _:
            extra = ""
    return drawn + Markup(extra)  # noqa: S704  numbers only


def block_map(lead: str, cells: Iterable[MapCell], *, chosen: int | None = None, links: Mapping[str, str] | None = None) -> Markup:
    """SVG of one aligned hundred. `lead` is `+44113496 01xx` without the space; numbers not ours stay blank.

    `links` has the query string to keep (`keep`), in front of which the number goes.
    """
    keep = escape((links or {}).get("keep", ""))
    cells = list(cells)
    used = sorted({cell.number % 100 // COLUMNS for cell in cells})
    rows = Markup("").join(_row_label(row - used[0], row) for row in range(used[0], used[-1] + 1)) if used else Markup("")
    heads = Markup("").join(_head(column) for column in (0, 5, 10, 15))
    entered = chosen if any(cell.number == chosen for cell in cells) else min((cell.number for cell in cells), default=None)
    drawn = Markup("").join(
        _cell(cell, used[0], keep, is_chosen=cell.number == chosen, is_entered=cell.number == entered) for cell in cells
    )
    width, height = LEFT + COLUMNS * STEP + 2, TOP + (used[-1] - used[0] + 1 if used else 1) * STEP + 2
    return Markup(
        '<svg class="blockmap" viewBox="0 0 {} {}" width="{}" height="{}" role="group" aria-label="Numbers {}" '
        'x-data="blockMap" x-on:keydown="keys" x-on:click="choose">'
        '<g aria-hidden="true">{}{}</g><g>{}</g></svg>'
    ).format(width, height, width, height, lead, rows, heads, drawn)


def _cell(cell: MapCell, first_row: int, keep: Markup, *, is_chosen: bool, is_entered: bool) -> Markup:
    """One link of the map. The most often drawn thing of all, so it is put together by hand; only `name` can hold anything."""
    position = cell.number % 100
    x, y = LEFT + (position % COLUMNS) * STEP, TOP + (position // COLUMNS - first_row) * STEP
    mark, current = (" is-chosen", ' aria-current="true"') if is_chosen else ("", "")
    label = f"{cell.number % 10000:04d}, {escape(cell.name)}"
    return Markup(  # noqa: S704
        f'<a href="/numbers?{keep}number={cell.number}" class="cell-link{mark}" data-number="{cell.number}" data-at="{position}" '
        f'tabindex="{0 if is_entered else -1}" aria-label="{label}"{current}>{shape(cell.state, x, y)}{_ring(x, y)}</a>'
    )


@lru_cache(maxsize=256)
def _ring(x: int, y: int) -> str:
    """What is seen around the cell that is chosen or has the keyboard."""
    return f'<rect class="cell-ring" x="{x - 3}" y="{y - 3}" width="{SIDE + 6}" height="{SIDE + 6}" rx="6"/>'


def legend_shape(state: State) -> Markup:
    """The state's shape alone, for the legend and the state mark of a card."""
    return Markup('<svg class="legend-cell" viewBox="0 0 {} {}" width="15" height="15" aria-hidden="true">{}</svg>').format(
        SIDE, SIDE, shape(state, 0, 0)
    )


def _row_label(place: int, row: int) -> Markup:
    return Markup('<text class="map-label" x="{}" y="{}" text-anchor="end">{:02d}</text>').format(
        LEFT - 8, TOP + place * STEP + 15, row * COLUMNS
    )


def _head(column: int) -> Markup:
    return Markup('<text class="map-label" x="{}" y="{}">{:02d}</text>').format(LEFT + column * STEP, 11, column)
