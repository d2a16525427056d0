"""A number's year: a row for each month, a square for each day, darker with more calls."""

from datetime import date, timedelta

from markupsafe import Markup

from sedge.core.facts import counted
from sedge.services.spend.usage import NumberYear, Use

LEFT, CELL, GAP, TOP = 84, 18, 2, 20
SHADES = 5


def year_map(year: NumberYear) -> Markup:
    """SVG; days of which no record is known have no square. What it shows is told as its name."""
    most = max((use.calls for use in year.days.values()), default=0)
    months: list[tuple[int, int]] = []
    cells = Markup("")
    day = year.first
    while day <= year.last:
        if not months or months[-1] != (day.year, day.month):
            months.append((day.year, day.month))
        if year.known_from and day >= year.known_from:
            cells += _cell(day, len(months) - 1, year.days.get(day, Use()), most)
        day += timedelta(days=1)
    labels = Markup("").join(
        Markup('<text class="map-label" x="{}" y="{}" text-anchor="end">{}</text>').format(
            LEFT - 8, TOP + i * (CELL + GAP) + 14, f"{date(y, m, 1):%b %Y}"
        )
        for i, (y, m) in enumerate(months)
    )
    heads = Markup("").join(
        Markup('<text class="map-label" x="{}" y="13" text-anchor="middle">{}</text>').format(
            LEFT + (d - 1) * (CELL + GAP) + CELL // 2, d
        )
        for d in (1, 5, 10, 15, 20, 25, 31)
    )
    width, height = LEFT + 31 * (CELL + GAP), TOP + len(months) * (CELL + GAP)
    told = f"{counted(year.whole.calls, 'call')} in a year, by day"
    return Markup(
        '<svg class="year-map" viewBox="0 0 {0} {1}" width="{0}" height="{1}" role="img"'
        ' aria-label="{2}">{3}{4}{5}</svg>'
    ).format(width, height, told, heads, labels, cells)


def _cell(day: date, row: int, use: Use, most: int) -> Markup:
    shade = -(-use.calls * SHADES // most) if most else 0
    told = f"{day:%a %-d %B}: {counted(use.calls, 'call')}"
    return Markup(
        '<rect class="year-day shade-{}{}" x="{}" y="{}" width="{}" height="{}">'
        "<title>{}</title></rect>"
    ).format(
        shade,
        " is-weekend" if day.isoweekday() > 5 else "",
        LEFT + (day.day - 1) * (CELL + GAP),
        TOP + row * (CELL + GAP),
        CELL,
        CELL,
        told,
    )
