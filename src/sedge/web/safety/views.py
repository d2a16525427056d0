"""What the pages of safety show: ready facts for their templates."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from urllib.parse import quote, urlencode

from markupsafe import Markup

from sedge.core.errors import SedgeError
from sedge.core.facts import counted
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import CivicElements, Person
from sedge.core.safety.addresses import Match
from sedge.core.safety.countries import FORMS, AddressField
from sedge.core.safety.coverage import Share, SiteCoverage
from sedge.core.safety.floors import floor_order
from sedge.services.context import Context
from sedge.services.holders import relocations, site_management
from sedge.services.numbers.numbers import the_number
from sedge.services.safety import safety
from sedge.services.safety.spots import Building, Floor, SpotMark
from sedge.web.shared.drawings.section import Room, Storey, plan, section

MOST_LINES, FEW_SITES, MOST_SITES, NAMED, MOST_TARGETS = 100, 12, 30, 12, 40


@dataclass(frozen=True)
class CoverRow:
    """A line of the coverage table: a site, or one of its floors."""

    name: str
    href: str
    share: Share
    reasons: list[tuple[str, int]]
    unconfirmed: int
    is_site: bool


def rows(found: Sequence[SiteCoverage]) -> list[CoverRow]:
    """The least covered sites, each with those of its floors where somebody would not be found."""
    out: list[CoverRow] = []
    for c in found[:MOST_SITES]:
        out.append(
            CoverRow(
                c.site.name,
                f"/safety/sites/{quote(c.site.id)}",
                c.whole,
                sorted(c.whole.reasons.items()),
                c.unconfirmed,
                True,
            )
        )
        for floor, share in sorted(c.floors.items()):
            if not share.is_empty and share.per_cent < 100:
                href = f"/safety/sites/{quote(c.site.id)}?{urlencode({'floor': floor})}"
                out.append(
                    CoverRow(
                        floor or "no floor named",
                        href,
                        share,
                        sorted(share.reasons.items()),
                        0,
                        False,
                    )
                )
    return out


def usual_digits(context: Context, number: str) -> str:
    """The first emergency number where a number's site is."""
    country = safety.country_of(context, the_number(context, number))
    return COUNTRIES[country].emergency[0]


@dataclass(frozen=True)
class BuildingView:
    """`floor` is the chosen one; `plan` its drawing, `spots` what can be put on it, `chosen` the
    spot being placed."""

    building: Building
    section: Markup
    floor: Floor | None
    plan: Markup
    spots: list[SpotMark]
    chosen: str

    @property
    def nowhere(self) -> str:
        """Who is here and has no spot, in words."""
        return _counted(self.building.nowhere[1], self.building.nowhere[0])


def building_view(found: Building, floor: str, chosen: str) -> BuildingView:
    current = next(
        (f for f in found.floors if f.name == floor), found.floors[0] if found.floors else None
    )
    here = f"/safety/sites/{quote(found.site.id)}"
    storeys = [
        Storey(
            f.name,
            f"{here}?{urlencode({'floor': f.name})}",
            [_room(m) for m in f.spots],
            current is not None and f.name == current.name,
        )
        for f in found.floors
    ]
    spots = current.spots if current else []
    picture = (
        f"/safety/plans/{quote(found.site.id)}/picture?{urlencode({'floor': current.name})}"
        if current and current.has_plan
        else ""
    )
    marked = chosen or next(
        (m.spot.id for m in spots if m.spot.place is None), spots[0].spot.id if spots else ""
    )
    drawn = (
        plan([(_room(m), m.spot.place) for m in spots], picture=picture, chosen=marked)
        if current
        else Markup("")
    )
    return BuildingView(
        found, section(storeys) if storeys else Markup(""), current, drawn, spots, marked
    )


def _room(mark: SpotMark) -> Room:
    state = "wrong" if mark.problem else "due" if mark.review else "good"
    return Room(
        mark.spot.id, mark.spot.room or mark.spot.name, _counted(mark.people, mark.numbers), state
    )


def _counted(people: int, numbers: int) -> str:
    words = (
        f"{people} {'person' if people == 1 else 'people'}" if people else "",
        counted(numbers, "number") if numbers else "",
    )
    return ", ".join(x for x in words if x) or "nobody"


def qr_of(text: str) -> Markup:
    """A QR code (ISO 18004) of a spot's code, as SVG without inline styles."""
    import segno

    code = segno.make(text, error="m", micro=False)
    rows_ = ["".join("1" if bit else "0" for bit in row) for row in code.matrix]
    size = len(rows_)
    path = "".join(
        f"M{x} {y}h1v1h-1z"
        for y, row in enumerate(rows_)
        for x, bit in enumerate(row)
        if bit == "1"
    )
    return Markup(
        '<svg class="qr" viewBox="-2 -2 {} {}" role="img" aria-label="QR code of {}"><path'
        ' d="{}"/></svg>'
    ).format(size + 4, size + 4, text, path)


@dataclass(frozen=True)
class AddressView:
    """An address as it is typed in a country, and what the register made of it."""

    country: str
    countries: list[tuple[str, str]]
    fields: tuple[AddressField, ...]
    typed: dict[str, str]
    found: Match | None
    problem: str
    problem_field: str

    def link(self, elements: CivicElements) -> str:
        """The same check with an address of the register."""
        asked = {
            "country": elements.country,
            **{f.name: getattr(elements, f.name) for f in self.fields},
        }
        return "/safety/address?" + urlencode(
            {name: value for name, value in asked.items() if value}
        )

    @property
    def parts(self) -> list[tuple[str, str, str]]:
        """Label, typed, register's, for the parts that a correction would change."""
        labels = {f.name: f.label for f in self.fields}
        return [
            (labels.get(name, name), was, is_)
            for name, (was, is_) in (self.found.differences if self.found else {}).items()
        ]


def address_view(context: Context, country: str, typed: dict[str, str]) -> AddressView:
    country = country.upper() if country.upper() in FORMS else context.organisation.home_country
    found, problem, field = None, "", ""
    if any(typed.values()):
        try:
            found = safety.match_address(context, {"country": country, **typed})
        except SedgeError as error:
            problem, field = error.message, error.field or ""
    return AddressView(
        country,
        [(c.code, c.name) for c in COUNTRIES.values()],
        FORMS[country],
        typed,
        found,
        problem,
        field,
    )


@dataclass(frozen=True)
class Moving:
    """Which people are shown, and whereto they would move."""

    site: str
    department: str
    floor: str
    spot: str
    to: str


@dataclass(frozen=True)
class MoveView:
    """Who might move and whereto."""

    asked: Moving
    sites: list[tuple[str, str]]
    departments: list[tuple[str, str]]
    floors: list[tuple[str, str]]
    spots: list[tuple[str, str]]
    people: list[tuple[Person, str]]
    every: list[tuple[str, str]]


def move_view(context: Context, asked: Moving) -> MoveView:
    sites = [(s.id, s.name) for s in site_management.plain_sites(context)]
    asked = replace(
        asked, site=asked.site if asked.site in dict(sites) else (sites[0][0] if sites else "")
    )
    spots = {key: site_management.spots_of(context, key) for key, _ in sites[:MOST_TARGETS]}
    here = spots.get(asked.site) or (
        site_management.spots_of(context, asked.site) if asked.site else []
    )
    names = {s.id: s.name for of in spots.values() for s in of} | {s.id: s.name for s in here}
    found = relocations.who(
        context, site=asked.site, spot=asked.spot, department=asked.department, floor=asked.floor
    )
    every = [
        (s.id, f"{name}: {s.name} ({s.id})")
        for key, name in sites
        for s in spots.get(key, here if key == asked.site else [])
    ]
    floors = sorted({s.floor for s in here if s.floor}, key=floor_order)
    return MoveView(
        asked,
        sites,
        [(d, d) for d in relocations.departments(context, asked.site)],
        [(f, f) for f in floors],
        [(s.id, s.name) for s in here],
        [(p, names.get(p.spot or "", "nowhere yet")) for p in found],
        every,
    )
