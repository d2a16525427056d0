"""Seats of a product over the last months: what was granted as an area, today's seats as a dashed
line."""

from markupsafe import Markup

from sedge.services.licences.seat_history import SeatHistory

WIDTH, HIGH, LEFT, TOP, FOOT = 300, 44, 26, 6, 13


def seat_chart(history: SeatHistory, seats: int) -> Markup:
    """SVG; what it shows is told as its name."""
    most = max(*history.granted, seats, 1)
    first, last = history.moments[0], history.moments[-1]
    span = max(1.0, (last - first).total_seconds())

    def x(index: int) -> float:
        away = (history.moments[index] - first).total_seconds()
        return LEFT + (WIDTH - LEFT - 2) * away / span

    def y(count: int) -> float:
        return TOP + HIGH * (1 - count / most)

    stair = "".join(f"H{x(i):.1f}V{y(count):.1f}" for i, count in enumerate(history.granted) if i)
    outline = f"M{x(0):.1f} {y(history.granted[0]):.1f}{stair}"
    told = (
        f"{history.granted[0]} granted in {first:%B %Y}, {history.granted[-1]} now,"
        f" of {seats} seats today"
    )
    return Markup(
        '<svg class="seat-chart" viewBox="0 0 {w} {h}" width="{w}" height="{h}" role="img"'
        ' aria-label="{told}"><path class="seat-area" d="{outline}V{ground}H{left}Z"/>'
        '<path class="seat-stair" d="{outline}"/><path class="seat-limit" d="M{left} {limit}H{w}"/>'
        '<text class="map-label" x="{label}" y="{high}" text-anchor="end">{most}</text>'
        '<text class="map-label" x="{label}" y="{low}" text-anchor="end">0</text>'
        '<text class="map-label" x="{left}" y="{h}">{since}</text>'
        '<text class="map-label" x="{w}" y="{h}" text-anchor="end">now</text></svg>'
    ).format(
        w=WIDTH,
        h=TOP + HIGH + FOOT,
        told=told,
        outline=outline,
        ground=TOP + HIGH,
        left=LEFT,
        limit=f"{y(seats):.1f}",
        label=LEFT - 5,
        high=TOP + 8,
        low=TOP + HIGH,
        most=most,
        since=f"{first:%b %Y}",
    )
