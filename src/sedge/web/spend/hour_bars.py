"""Calls by the hour of the day: answered ones from the ground, lost ones on top of them."""

from collections.abc import Sequence

from markupsafe import Markup

from sedge.services.spend.usage import UsedBy

WIDTH, HEIGHT, LEFT, TOP, BOTTOM = 760, 190, 60, 10, 24


def hour_bars(rows: Sequence[UsedBy]) -> Markup:
    """SVG; what it shows stands in the table beside it."""
    most = max((row.use.calls for row in rows), default=0) or 1
    step = (WIDTH - LEFT) / max(1, len(rows))
    room = HEIGHT - TOP - BOTTOM
    bars = Markup("")
    for place, row in enumerate(rows):
        x = LEFT + place * step + 3
        answered = room * row.use.answered / most
        lost = room * (row.use.calls - row.use.answered) / most
        ground = HEIGHT - BOTTOM
        bars += Markup(
            '<rect class="hour-answered" x="{x:.1f}" y="{y:.1f}" width="{w:.1f}" height="{h:.1f}">'
            "<title>{told}</title></rect>"
            '<rect class="hour-lost" x="{x:.1f}" y="{z:.1f}" width="{w:.1f}" height="{l:.1f}"/>'
            '<text class="map-label" x="{m:.1f}" y="{f}" text-anchor="middle">{hour}</text>'
        ).format(
            x=x,
            y=ground - answered,
            z=ground - answered - lost,
            w=step - 6,
            h=answered,
            l=lost,
            m=x + (step - 6) / 2,
            f=HEIGHT - 7,
            told=f"{row.name}: {row.use.calls} calls, {row.use.answered} answered",
            hour=int(row.key),
        )
    axis = Markup(
        '<text class="map-label" x="{0}" y="{1}" text-anchor="end">{2}</text>'
        '<text class="map-label" x="{0}" y="{3}" text-anchor="end">0</text>'
    ).format(LEFT - 6, TOP + 8, f"{most:,}", HEIGHT - BOTTOM)
    return Markup(
        '<svg class="hour-bars" viewBox="0 0 {0} {1}" width="{0}" height="{1}" role="img"'
        ' aria-label="Calls by hour of the day, answered and lost">{2}{3}</svg>'
    ).format(WIDTH, HEIGHT, axis, bars)
