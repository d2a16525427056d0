"""The week of a number or a path: hours as cells, each with a shape for how its calls end; cells
are links to a call of that hour."""

from calendar import day_name
from collections.abc import Callable
from datetime import date

from markupsafe import Markup, escape

from sedge.core.callpaths.openings import zone
from sedge.core.callpaths.tracing.week import Cell, Day, Grade, Part, Week
from sedge.services.callpaths.path_analysis import Held

CELL, HIGH, GAP, LEFT, TOP = 28, 20, 3, 64, 20
MANY = 30
SHAPES = {
    Grade.SOMEBODY: "full",
    Grade.SLOWLY: "slow",
    Grade.SOME: "some",
    Grade.OUTSIDE: "outside",
    Grade.MESSAGE: "message",
    Grade.TOLD: "told",
    Grade.NOBODY: "nobody",
    Grade.UNKNOWN: "none",
}


DAYS = tuple(day_name)


def week_map(week: Week, link: Callable[[Part], str], *, selected: str = "") -> Markup:
    """SVG of a week; `link` makes the address of a call in a part of an hour, `selected` is the
    address that is being looked at."""
    width, height = LEFT + 24 * (CELL + GAP) + 4, TOP + len(week.days) * (HIGH + GAP) + 4
    hours = Markup("").join(
        Markup('<text class="week-hour" x="{}" y="13">{:02d}</text>').format(
            LEFT + hour * (CELL + GAP), hour
        )
        for hour in range(0, 24, 3)
    )
    rows = Markup("").join(_day(day, i, week, link, selected) for i, day in enumerate(week.days))
    return Markup(
        '<svg class="week" viewBox="0 0 {} {}" width="{}" height="{}" role="group" aria-label="A'
        ' week of calls">{}{}</svg>'
    ).format(width, height, width, height, hours, rows)


def _day(day: Day, row: int, week: Week, link: Callable[[Part], str], selected: str) -> Markup:
    y = TOP + row * (HIGH + GAP)
    words = f"{day.day:%a} {day.day.day}"
    name = Markup('<text class="week-day{}" x="0" y="{}">{}{}</text>').format(
        " is-holiday" if day.holiday else "",
        y + 15,
        words,
        Markup("<title>{}</title>").format(day.holiday) if day.holiday else "",
    )
    hours = "".join(_hour(cell, y, week.timezone, link, selected) for cell in day.cells)
    return name + Markup(hours)  # noqa: S704  what is not ours is escaped in `_part`


def _hour(cell: Cell, y: float, timezone: str, link: Callable[[Part], str], selected: str) -> str:
    x = LEFT + cell.hour * (CELL + GAP)
    if not cell.parts:
        box = f'<rect x="{x}" y="{y}" width="{CELL}" height="{HIGH}"/>'
        return f'<g class="week-cell week-none">{box}</g>'
    whole = sum((p.end - p.start).total_seconds() for p in cell.parts)
    out, at = [], float(x)
    for part in cell.parts:
        wide = CELL * (part.end - part.start).total_seconds() / whole
        out.append(_part(part, at, y, wide, timezone, link(part), selected))
        at += wide
    return "".join(out)


def _part(
    part: Part, x: float, y: float, width: float, timezone: str, address: str, selected: str
) -> str:
    """One link. Put together by hand, as a week has hundreds: what is not ours is escaped."""
    start, end = (m.astimezone(zone(timezone)) for m in (part.start, part.end))
    told = f"{DAYS[start.weekday()]} {start:%H:%M} to {end:%H:%M}: {escape(part.grade.value)}"
    chosen, current = (" is-selected", ' aria-current="true"') if address == selected else ("", "")
    return (
        f'<a class="week-cell week-{SHAPES[part.grade]}{chosen}" href="{escape(address)}"'
        f' aria-label="{told}"{current}><rect x="{x:.1f}" y="{y:.1f}" width="{width:.1f}"'
        f' height="{HIGH}"/>{_shape(part.grade, x, y, width)}</a>'
    )


def _shape(grade: Grade, x: float, y: float, width: float) -> str:
    """What tells the grades apart without colour: a dash for a mailbox, a half for some, a cross
    for nobody."""
    middle, centre = x + width / 2, y + HIGH / 2
    match grade:
        case Grade.MESSAGE:
            return f'<path class="week-mark" d="M{middle - 4:.1f} {centre:.1f}h8"/>'
        case Grade.SOME | Grade.SLOWLY:
            corner = f"M{x + width:.1f} {y:.1f}v{HIGH}h{-width:.1f}Z"
            return f'<path class="week-half" d="{corner}"/>'
        case Grade.TOLD:
            return f'<path class="week-mark" d="M{middle - 4:.1f} {centre - 3:.1f}h8m-8 5h5"/>'
        case Grade.NOBODY:
            cross = f"M{middle - 3.5:.1f} {centre - 3.5:.1f}l7 7m0 -7l-7 7"
            return f'<path class="week-mark" d="{cross}"/>'
        case Grade.OUTSIDE:
            arrow = f"M{middle - 4.5:.1f} {centre:.1f}h9m-3.5 -3.5l3.5 3.5l-3.5 3.5"
            return f'<path class="week-mark" d="{arrow}"/>'
        case _:
            return ""


def many_map(
    days: list[tuple[date, list[Held]]],
    numbers: int,
    link: Callable[[date, int], str],
    selected: str = "",
) -> Markup:
    """The week of many numbers: each hour filled from below by how many of them nobody answers,
    with the count; a link to which they are. `selected` is the hour that is looked at, as
    `2026-11-27T14`."""
    width, height = LEFT + 24 * (MANY + GAP) + 4, TOP + len(days) * (MANY + GAP) + 4
    out = Markup("").join(
        Markup('<text class="week-hour" x="{}" y="13">{:02d}</text>').format(
            LEFT + hour * (MANY + GAP), hour
        )
        for hour in range(0, 24, 3)
    )
    for row, (day, hours) in enumerate(days):
        y = TOP + row * (MANY + GAP)
        out += Markup('<text class="week-day" x="0" y="{}">{:%a} {}</text>').format(
            y + 20, day, day.day
        )
        for held in hours:
            x, share = LEFT + held.hour * (MANY + GAP), held.unanswered / numbers if numbers else 0
            told = f"{day:%A} {held.hour:02d}: {held.unanswered} of {numbers} not answered"
            here = f"{day}T{held.hour:02d}" == selected
            size = (MANY, MANY)
            out += Markup(
                '<a class="week-many{}" href="{}" aria-label="{}"{}><title>{}</title><rect'
                ' class="many-whole" x="{}" y="{}" width="{}" height="{}"/><rect class="many-share"'
                ' x="{}" y="{:.1f}" width="{}" height="{:.1f}"/><text x="{}" y="{}"'
                ' text-anchor="middle">{}</text></a>'
            ).format(
                " is-selected" if here else "",
                link(day, held.hour),
                told,
                Markup(' aria-current="true"') if here else "",
                told,
                *(x, y, *size),
                *(x, y + MANY * (1 - share), MANY, MANY * share),
                *(x + MANY / 2, y + 19, held.unanswered),
            )
    return Markup(
        '<svg class="week" viewBox="0 0 {} {}" width="{}" height="{}" role="group"'
        ' aria-label="Numbers that nobody answers, for each hour of the week">{}</svg>'
    ).format(width, height, width, height, out)


def legend(grades: list[Grade]) -> Markup:
    """The shapes in use with what they mean."""
    return Markup("").join(
        Markup(
            '<span class="week-key"><svg width="18" height="{}" aria-hidden="true"><g'
            ' class="week-cell week-{}"><rect x="0" y="0" width="18" height="{}"/>{}</g></svg>'
            " {}</span>"
        ).format(HIGH, SHAPES[g], HIGH, _shape(g, 0, 0, 18), g.value)
        for g in grades
    )


def grades_in(week: Week) -> list[Grade]:
    """The grades a week has, the best first."""
    found = {p.grade for day in week.days for cell in day.cells for p in cell.parts}
    return [g for g in Grade if g in found and g is not Grade.UNKNOWN]
