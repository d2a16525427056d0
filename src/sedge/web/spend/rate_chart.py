"""What a minute costs to each destination over each trunk: a line from the cheapest to the dearest,
with a mark for each trunk, which has a shape of its own. The table beside it says the same."""

from collections.abc import Callable, Sequence
from decimal import Decimal

from markupsafe import Markup

from sedge.core.spend.rates.least_cost import Destination, Offer

WIDTH, LEFT, RIGHT, TOP, ROW = 720, 190, 30, 26, 26
MOST_ROWS, TICKS = 12, 4
SHAPES = (
    "M{x} {y}m-5 0a5 5 0 1 0 10 0a5 5 0 1 0 -10 0",  # a circle
    "M{x} {y}m-4.5 -4.5h9v9h-9z",  # a square
    "M{x} {y}m0 -6l6 6l-6 6l-6 -6z",  # a diamond
    "M{x} {y}m0 -6l6 11h-12z",  # a triangle
    "M{x} {y}m0 6l-6 -11h12z",  # one that stands on its tip
)
# a stem up, down, to the left, to the right: what tells the sixth trunk from the first
STEMS = ("", "M{x} {y}m0 -5v-4", "M{x} {y}m0 5v4", "M{x} {y}m-5 0h-4", "M{x} {y}m5 0h4")
MOST_MARKS = len(SHAPES) * len(STEMS)


def shape_at(place: int, x: float, y: float) -> str:
    """The path of a trunk's mark, by its place among the trunks; `MOST_MARKS` differ."""
    stem = STEMS[place // len(SHAPES) % len(STEMS)]
    return (SHAPES[place % len(SHAPES)] + stem).format(x=f"{x:.1f}", y=f"{y:.1f}")


def rate_chart(rows: Sequence[Destination], offers: Sequence[Offer]) -> Markup:
    """SVG of the destinations with the most minutes, all in one currency."""
    shown = [row for row in rows if row.over][:MOST_ROWS]
    prices = [p for row in shown for o in offers if (p := row.per_minute(o.trunk)) is not None]
    top = max([*prices, Decimal("0.0001")])

    def x(price: Decimal) -> float:
        return LEFT + (WIDTH - LEFT - RIGHT) * float(price / top)

    height = TOP + ROW * len(shown) + 6
    scale = Markup("").join(
        Markup(
            '<path class="answers-ground" d="M{0:.1f} {1}V{2}"/>'
            '<text class="map-label" x="{0:.1f}" y="12" text-anchor="middle">{3:.3f}</text>'
        ).format(x(top * n / TICKS), TOP - 8, height, top * n / TICKS)
        for n in range(TICKS + 1)
    )
    body = Markup("").join(
        _row(row, offers, x, TOP + ROW * place + 8) for place, row in enumerate(shown)
    )
    currency = shown[0].currency if shown else ""
    told = f"{currency} a minute over {len(offers)} trunks to {len(shown)} destinations"
    return Markup(
        '<svg class="answers-week" viewBox="0 0 {} {}" width="{}" height="{}" role="img"'
        ' aria-label="{}">{}{}</svg>'
    ).format(WIDTH, height, WIDTH, height, told, scale, body)


def _row(
    row: Destination, offers: Sequence[Offer], x: Callable[[Decimal], float], y: float
) -> Markup:
    known = [(n, x(p)) for n, o in enumerate(offers) if (p := row.per_minute(o.trunk)) is not None]
    cheapest = row.cheapest
    span = Markup('<path class="answers-ground" d="M{:.1f} {}H{:.1f}"/>').format(
        min(at for _, at in known), y, max(at for _, at in known)
    )
    marks = Markup("").join(
        Markup('<path class="{}" d="{}"><title>{}</title></path>').format(
            "rate-mark is-cheapest" if offers[n].trunk == cheapest else "rate-mark",
            shape_at(n, at, y + 4 * (n % 3 - 1)),
            offers[n].name,
        )
        for n, at in known
    )
    name = row.name if len(row.name) < 27 else f"{row.name[:25]}…"
    label = Markup('<text class="map-label" x="0" y="{}">{}</text>').format(y + 4, name)
    return label + span + marks
