"""The block map: a field of cells, one per number of an aligned hundred, five rows of twenty or ten
of ten.

State shows by shape first (filled, outlined, half, hatched, dashed, arrow, dot) and by colour
second. Each cell is a link with its own name for readers; the grid is one stop of the tab order,
arrow keys move inside (desk/blockmap.js). Numbers of the hundred that are not ours are dots. An
aligned ten-thousand is drawn as density, a tile per hundred.
"""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from markupsafe import Markup, escape

from sedge.core.numbers.life import State

SIDE, STEP, COLUMNS = 21, 26, 20
TILE_WIDTH, TILE_HEIGHT, TILE_STEP_X, TILE_STEP_Y = 46, 24, 52, 31
LEFT, TOP = 30, 18
PLAIN = (State.ASSIGNED, State.AVAILABLE)  # states drawn as a box alone


@dataclass(frozen=True)
class MapCell:
    """`number` is the E.164 integer; `name` what a reader says of it."""

    number: int
    state: State
    name: str


@lru_cache(maxsize=4096)
def shape(state: State, x: int, y: int) -> Markup:
    """The cell's shape at its place, by attributes and classes only. There are few places, so each
    is drawn once."""
    box = Markup('<rect class="cell cell-{}" x="{}" y="{}" width="{}" height="{}" rx="4"/>')
    kind = state.value.replace(" ", "-")
    drawn = box.format(kind, x + 0.75, y + 0.75, SIDE - 1.5, SIDE - 1.5)
    match state:
        case State.RESERVED:
            extra = (
                f'<path class="cell-mark" d="M{x + 2} {y + SIDE - 2}V{y + SIDE - 3}L{x + SIDE - 3}'
                f' {y + 2}H{x + SIDE - 2}V{y + SIDE - 2}Z"/>'
            )
        case State.AGING:
            lines = "".join(
                f"M{x + 2} {y + o}L{x + o} {y + 2}M{x + o} {y + SIDE - 2}L{x + SIDE - 2} {y + o}"
                for o in (7, 12, 17)
            )
            extra = f'<path class="cell-hatch" d="{lines}"/>'
        case State.PORTING_IN | State.PORTING_OUT:
            tip, tail = (x + 15, x + 6) if state is State.PORTING_IN else (x + 6, x + 15)
            back = tip - 4 if state is State.PORTING_IN else tip + 4
            middle = y + SIDE / 2
            extra = (
                f'<path class="cell-arrow" d="M{tail} {middle}H{tip}M{back} {middle - 4}L{tip}'
                f' {middle}L{back} {middle + 4}"/>'
            )
        case State.ADMINISTRATIVE:
            extra = f'<circle class="cell-dot" cx="{x + SIDE / 2}" cy="{y + SIDE / 2}" r="3.5"/>'
        case _:
            extra = ""
    return drawn + Markup(extra)  # noqa: S704  numbers only


def block_map(
    lead: str,
    cells: Iterable[MapCell],
    *,
    chosen: int | None = None,
    address: str = "/numbers?",
    fills: str = "",
    columns: int = COLUMNS,
) -> Markup:
    """SVG of one aligned hundred. `lead` is `+44113496 01xx` without the space; numbers not ours
    are dots.

    `address` is where a cell leads, with its query string, to which the number is added; `fills`
    the id of a form's field that a cell fills instead. `columns` is 20 or 10.
    """
    keep = escape(address)
    cells = list(cells)
    used = sorted({cell.number % 100 // columns for cell in cells})
    first, last = (used[0], used[-1]) if used else (0, 0)
    labels = Markup("").join(
        _row_label(row - first, row * columns) for row in range(first, last + 1)
    )
    heads = Markup("").join(_head(column) for column in range(0, columns, 5))
    entered = (
        chosen
        if any(cell.number == chosen for cell in cells)
        else min((cell.number for cell in cells), default=None)
    )
    rows: dict[int, list[Markup]] = {}
    for cell in cells:
        drawn = _cell(
            cell,
            first,
            keep,
            columns,
            is_chosen=cell.number == chosen,
            is_entered=cell.number == entered,
        )
        rows.setdefault(cell.number % 100 // columns, []).append(drawn)
    endings = "".join(_ending(cell, first, columns) for cell in cells)
    grid = Markup("").join(
        Markup('<g role="row">{}</g>').format(Markup("").join(row)) for row in rows.values()
    )
    ours = {cell.number % 100 for cell in cells}
    width, height = LEFT + columns * STEP + 2, TOP + (last - first + 1) * STEP + 2
    return Markup(
        '<svg class="blockmap" viewBox="0 0 {} {}" width="{}" height="{}" role="grid"'
        ' aria-multiselectable="true" aria-label="Numbers {}" data-columns="{}"{} x-data="blockMap"'
        ' x-on:keydown="keys" x-on:click="click" x-on:pointerdown="press"'
        ' x-on:pointerover="drag"><g aria-hidden="true">{}{}{}</g>{}'
        '<g aria-hidden="true">{}</g></svg>'
    ).format(
        width,
        height,
        width,
        height,
        lead,
        columns,
        Markup(' data-into="{}"').format(fills) if fills else "",
        labels,
        heads,
        _not_ours(ours, first, last, columns),
        grid,
        Markup(endings),  # noqa: S704  numbers only
    )


def _not_ours(ours: set[int], first: int, last: int, columns: int) -> Markup:
    """A dot for each number of the rows drawn that is not in the estate: one path for all of
    them."""
    if not ours:
        return Markup("")
    missing = [
        position
        for position in range(first * columns, (last + 1) * columns)
        if position not in ours
    ]
    dots = "".join(
        f"M{LEFT + position % columns * STEP + SIDE / 2}"
        f" {TOP + (position // columns - first) * STEP + SIDE / 2}h0"
        for position in missing
    )
    return Markup('<path class="not-ours" d="{}"/>').format(dots) if dots else Markup("")


def _cell(
    cell: MapCell, first_row: int, keep: Markup, columns: int, *, is_chosen: bool, is_entered: bool
) -> Markup:
    """One link of the map. The most often drawn thing of all, so it is put together by hand; only
    `name` can hold anything."""
    position = cell.number % 100
    x, y = LEFT + (position % columns) * STEP, TOP + (position // columns - first_row) * STEP
    mark, current = (" is-chosen", ' aria-current="true"') if is_chosen else ("", "")
    label = f"{cell.number % 10000:04d}, {escape(cell.name)}"
    return Markup(  # noqa: S704
        f'<g role="gridcell" aria-selected="false"><a href="{keep}number={cell.number}"'
        f' class="cell-link{mark}" data-number="{cell.number}" data-at="{position}"'
        f' tabindex="{0 if is_entered else -1}"'
        f' aria-label="{label}"{current}>{shape(cell.state, x, y)}'
        f"{_ring(x, y)}</a></g>"
    )


def _ending(cell: MapCell, first_row: int, columns: int) -> str:
    """The last two digits, where no mark stands in the cell. Drawn above the links, for eyes only:
    readers have them in each link's name."""
    if cell.state not in PLAIN:
        return ""
    position = cell.number % 100
    x, y = LEFT + (position % columns) * STEP, TOP + (position // columns - first_row) * STEP
    kind = "cell-no on-fill" if cell.state is State.ASSIGNED else "cell-no"
    middle, foot = x + SIDE / 2, y + SIDE / 2 + 3.1
    return f'<text class="{kind}" x="{middle}" y="{foot:.1f}">{position:02d}</text>'


@lru_cache(maxsize=512)
def _ring(x: int, y: int) -> str:
    """What is seen around the cell that is chosen, picked or has the keyboard."""
    return (
        f'<rect class="cell-ring" x="{x - 3}" y="{y - 3}" width="{SIDE + 6}" height="{SIDE + 6}"'
        ' rx="6"/>'
    )


@dataclass(frozen=True)
class Tile:
    """One hundred of a density map: how many of each state, its name for readers and where it
    leads."""

    hundred: int
    by_state: Counter[State]
    name: str
    href: str


def density_map(lead: str, tiles: Iterable[Tile]) -> Markup:
    """SVG of an aligned ten-thousand: a row per thousand, a tile per hundred, filled as far as it
    is in use."""
    tiles = list(tiles)
    thousands = sorted({tile.hundred // 10 % 10 for tile in tiles})
    place = {thousand: i for i, thousand in enumerate(thousands)}
    labels = Markup("").join(
        Markup('<text class="map-label" x="{}" y="{}" text-anchor="end">{}xxx</text>').format(
            LEFT + 2, TOP + i * TILE_STEP_Y + 16, t
        )
        for t, i in place.items()
    )
    heads = Markup("").join(
        Markup('<text class="map-label" x="{}" y="11">{}xx</text>').format(
            LEFT + 10 + h * TILE_STEP_X, h
        )
        for h in range(10)
    )
    rows: dict[int, list[Markup]] = {}
    for i, tile in enumerate(tiles):
        thousand = tile.hundred // 10 % 10
        rows.setdefault(thousand, []).append(
            _tile(tile, tile.hundred % 10, place[thousand], is_entered=i == 0)
        )
    grid = Markup("").join(
        Markup('<g role="row">{}</g>').format(Markup("").join(row)) for row in rows.values()
    )
    width, height = LEFT + 10 + 10 * TILE_STEP_X, TOP + len(thousands) * TILE_STEP_Y + 2
    return Markup(
        '<svg class="blockmap density" viewBox="0 0 {} {}" width="{}" height="{}" role="grid"'
        ' aria-label="Hundreds of {}" data-columns="10" x-data="blockMap" x-on:keydown="keys"><g'
        ' aria-hidden="true">{}{}</g>{}</svg>'
    ).format(width, height, width, height, lead, labels, heads, grid)


def _tile(tile: Tile, column: int, row: int, *, is_entered: bool) -> Markup:
    x, y = LEFT + 10 + column * TILE_STEP_X, TOP + row * TILE_STEP_Y
    total = sum(tile.by_state.values())
    used = TILE_WIDTH * tile.by_state[State.ASSIGNED] / 100
    ours = TILE_WIDTH * total / 100
    # put together by hand, as there are many; only the name and the link can hold anything
    return Markup(  # noqa: S704
        f'<g role="gridcell"><a href="{escape(tile.href)}" class="cell-link tile"'
        f' data-at="{row * 10 + column}" tabindex="{0 if is_entered else -1}"'
        f' aria-label="{escape(tile.name)}"><rect class="tile-all" x="{x}" y="{y}"'
        f' width="{TILE_WIDTH}" height="{TILE_HEIGHT}" rx="3"/><rect class="tile-ours" x="{x}"'
        f' y="{y}" width="{ours:.1f}" height="{TILE_HEIGHT}" rx="3"/><rect class="tile-used"'
        f' x="{x}" y="{y + 4}" width="{used:.1f}" height="{TILE_HEIGHT - 8}" rx="3"/><rect'
        f' class="cell-ring" x="{x - 3}" y="{y - 3}" width="{TILE_WIDTH + 6}"'
        f' height="{TILE_HEIGHT + 6}" rx="6"/></a></g>'
    )


def legend_shape(state: State) -> Markup:
    """The state's shape alone, for the legend and the state mark of a card."""
    return Markup(
        '<svg class="legend-cell" viewBox="0 0 {} {}" width="15" height="15"'
        ' aria-hidden="true">{}</svg>'
    ).format(SIDE, SIDE, shape(state, 0, 0))


def _row_label(place: int, first: int) -> Markup:
    return Markup('<text class="map-label" x="{}" y="{}" text-anchor="end">{:02d}</text>').format(
        LEFT - 8, TOP + place * STEP + 15, first
    )


def _head(column: int) -> Markup:
    return Markup('<text class="map-label" x="{}" y="{}">{:02d}</text>').format(
        LEFT + column * STEP, 11, column
    )
