"""Six weeks of ports, a lane for each site: a flag on the day numbers are switched, a ring where an
answer is due, hatched where nobody works."""

from datetime import date

from markupsafe import Markup

from sedge.services.porting.port_calendar import DayMark, PortDays, SiteDays

LEFT, DAY, LANE, TOP = 190, 24, 46, 44


def lanes(view: PortDays, today: date) -> Markup:
    """The picture; each mark leads to its port."""
    width, high = LEFT + DAY * len(view.days) + 8, TOP + LANE * len(view.sites) + 6
    out = Markup("")
    for i, day in enumerate(view.days):
        x = LEFT + DAY * i
        if day.weekday() == 0:
            out += Markup('<text class="lanes-week" x="{}" y="16">{}</text>').format(
                x + 2, f"{day:%-d %b}"
            )
            out += Markup('<line class="lanes-rule" x1="{0}" y1="20" x2="{0}" y2="{1}"/>').format(
                x, high - 4
            )
        out += Markup(
            '<text class="lanes-day{}" x="{}" y="36" text-anchor="middle">{}</text>'
        ).format(" is-today" if day == today else "", x + DAY / 2, day.day)
    for row, site in enumerate(view.sites):
        out += _lane(site, view.days, TOP + LANE * row)
    if view.days[0] <= today <= view.days[-1]:
        x = LEFT + DAY * (today - view.days[0]).days + DAY / 2
        out += Markup('<line class="lanes-now" x1="{0}" y1="40" x2="{0}" y2="{1}"/>').format(
            x, high - 4
        )
    return Markup(
        '<svg class="lanes" viewBox="0 0 {0} {1}" width="{0}" height="{1}" role="group"'
        ' aria-label="Ports by site and day">{2}</svg>'
    ).format(width, high, out)


def _lane(site: SiteDays, days: list[date], y: int) -> Markup:
    out = Markup('<text class="lanes-site" x="4" y="{}">{}</text>').format(
        y + LANE / 2 + 4, _short(site.site.name)
    )
    out += Markup('<line class="lanes-rule" x1="0" y1="{0}" x2="{1}" y2="{0}"/>').format(
        y + LANE, LEFT + DAY * len(days)
    )
    for i, day in enumerate(days):
        x = LEFT + DAY * i
        if why := site.off.get(day):
            kind = "weekend" if why == "weekend" else "off"
            out += Markup(
                '<rect class="lanes-{}" x="{}" y="{}" width="{}"'
                ' height="{}"><title>{}</title></rect>'
            ).format(kind, x, y + 1, DAY, LANE - 2, f"{site.site.name}, {day:%-d %B}: {why}")
        for n, mark in enumerate(site.marks.get(day, ())[:2]):
            out += _mark(mark, x + DAY / 2, y + 14 + 18 * n, day)
    return out


def _mark(mark: DayMark, x: float, y: float, day: date) -> Markup:
    shape = {
        "switch": (
            Markup('<path d="M{:.1f} {:.1f}v18m0 -18h11l-3 4l3 4h-11"/>').format(x - 6, y - 9)
        ),
        "answer due": Markup('<circle cx="{:.1f}" cy="{:.1f}" r="6"/>').format(x, y),
        "wished for": Markup('<path d="M{:.1f} {:.1f}l6 6l-6 6l-6 -6z"/>').format(x, y - 6),
    }
    diamond = shape["wished for"]
    told = (
        f"Port {mark.port.no}: {mark.what}{', ' + mark.hour if mark.hour else ''} on"
        f" {day:%-d %B}{'; nobody works there on that day' if mark.wrong else ''}"
    )
    return Markup(
        '<a class="lanes-mark is-{}{}" href="/ports/{}" aria-label="{}"><title>{}</title>{}<text'
        ' x="{:.1f}" y="{:.1f}">{}</text></a>'
    ).format(
        mark.what.split()[0],
        " is-wrong" if mark.wrong else "",
        mark.port.id,
        told,
        told,
        shape.get(mark.what, diamond),
        x + 7,
        y + 4 + (8 if mark.what == "switch" else 0),
        mark.port.no,
    )


def _short(name: str) -> str:
    return name if len(name) <= 26 else f"{name[:25]}…"
