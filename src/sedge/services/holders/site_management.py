"""Sites: how they are supplied, their spots, what is chosen from them; added with all they need."""

from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass
from typing import NamedTuple

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.plan import COUNTRIES, country_name
from sedge.core.records import (
    Account,
    Address,
    Carrier,
    CivicElements,
    HolderKind,
    HolderRef,
    Number,
    Role,
    Site,
    Spot,
    Subject,
    SupplyModel,
)
from sedge.core.safety.spots import spot_code, spot_problem
from sedge.services.context import Context, Reading
from sedge.services.holders.holders import MOST_AREA, MOST_FLOORS, MOST_SITES, MOST_SPOTS, mail_told
from sedge.services.safety import safety
from sedge.services.telephony_sync import offer_dial_plan
from sedge.services.trunks import trunk_setup
from sedge.store.repositories.records import is_open
from sedge.store.schema import projected, tables

MOST_AROUND = 500  # numbers of an area that are looked at to tell whose site it is


class SpotsOfSite(NamedTuple):
    """Code and words of each of its spots."""

    site: str
    name: str
    spots: list[tuple[str, str]]


@dataclass(frozen=True)
class SiteRow:
    site: Site
    address: Address | None
    spots: int
    people: int
    numbers: int


def plain_sites(context: Context) -> list[Site]:
    """All sites in the order of their names, without any count."""
    with context.reading() as reading:
        return reading.records.where(Site, order_by=tables.site.c.name)


def likely_site(context: Context, account: str, e164: str) -> str:
    """The site that such a number of this account is most likely for: where most of those around it
    are, else one in its town, else one that buys by the account, else the first by name. Empty
    where there is no site."""
    facts = describe(e164)
    lead = facts.parts[0] + facts.parts[1]
    tail = 10 ** (len(e164) - 1 - len(lead))
    life = tables.life
    area = life.c.number.between(int(lead) * tail, (int(lead) + 1) * tail - 1)
    around = select(life.c.site).where(area, is_open()).limit(MOST_AROUND)
    sites = plain_sites(context)
    with context.reading() as reading:
        near = Counter(site for (site,) in reading.connection.execute(around))
        known = {s.id for s in sites}
        there = [site for site, _ in near.most_common() if site in known]
        if there:
            return there[0]
        towns = {
            a.id: a.elements.city
            for a in reading.records.many(Address, {s.address for s in sites if s.address})
        }
    in_town = [s.id for s in sites if s.address and towns.get(s.address) == facts.area]
    return next(
        iter([*in_town, *(s.id for s in sites if s.account == account), *(s.id for s in sites)]), ""
    )


def site_choices(
    context: Context, most: int = MOST_SITES, chosen: Collection[str] = ()
) -> list[tuple[str, str]]:
    """Sites (id, name) for a form to choose from, in the order of their names; those `chosen` are
    always among them."""
    site = tables.site
    with context.reading() as reading:
        listed = select(site.c.id, site.c.name).order_by(site.c.name).limit(most)
        found = {row.id: row.name for row in reading.connection.execute(listed)}
        more = set(chosen) - found.keys()
        found |= {x.id: x.name for x in reading.records.many(Site, more)} if more else {}
    return list(found.items())


def sites(context: Context) -> list[SiteRow]:
    with context.reading() as reading:
        found = reading.records.where(Site, order_by=tables.site.c.name)
        addresses = {a.id: a for a in reading.records.all(Address)}
        spots = dict(
            reading.connection.execute(
                select(tables.spot.c.site, func.count()).group_by(tables.spot.c.site)
            ).all()
        )
        people_ = dict(
            reading.connection.execute(
                select(tables.person.c.site, func.count())
                .where(tables.person.c.departed.is_(False))
                .group_by(tables.person.c.site)
            ).all()
        )
        numbers = dict(
            reading.connection.execute(
                select(projected.tally.c.site, func.sum(projected.tally.c.count)).group_by(
                    projected.tally.c.site
                )
            ).all()
        )
    return [
        SiteRow(
            s,
            addresses.get(s.address or ""),
            spots.get(s.id, 0),
            people_.get(s.id, 0),
            numbers.get(s.id, 0),
        )
        for s in found
    ]


@dataclass(frozen=True)
class SiteView:
    """One site with what belongs to it; `main` is its main number as people write it, `account`
    where its numbers come from."""

    row: SiteRow
    spots: list[Spot]
    main: str
    account: str


def one_site(context: Context, key: str) -> SiteView:
    """Raises NotFound."""
    row = next((r for r in sites(context) if r.site.id == key), None)
    with context.reading() as reading:
        if row is None:
            row = SiteRow(reading.records.the(Site, key), None, 0, 0, 0)
        held = reading.records.held_by(Number, [HolderRef(kind=HolderKind.SITE, id=key)])
        main = next((n.shown for n in held if n.assignment and n.assignment.role is Role.MAIN), "")
        account = reading.records.find(Account, row.site.account) if row.site.account else None
    return SiteView(
        row,
        spots_of(context, key),
        main,
        f"{account.name}, {row.site.supply_model.value}" if account else "",
    )


def supply_choices(context: Context) -> list[tuple[str, str]]:
    """Carrier accounts a site can be supplied from, with their supply model in words."""
    with context.reading() as reading:
        carriers = {c.id: c for c in reading.records.all(Carrier)}
        return [
            (a.id, f"{carriers[a.carrier].supply_model.value}: {a.name}")
            for a in reading.records.all(Account)
        ]


def spots_by_site(
    context: Context, sites: list[tuple[str, str]], *, whole: bool = True
) -> list[SpotsOfSite]:
    """Spots of these sites that help can be sent to, for a form to choose from; the first
    thousand."""
    names = dict(sites)
    table = tables.spot
    with context.reading() as reading:
        found = [
            s
            for s in reading.records.where(
                Spot, table.c.site.in_(list(names)[:MOST_SITES]), limit=MOST_SPOTS
            )
            if not s.removed
        ]
        good = _dispatchable(reading, found)
    of_site: dict[str, list[tuple[str, str]]] = {key: [] for key in names}
    for spot in sorted(found, key=lambda s: s.id):
        if spot.id in good and (whole or not spot.whole):
            of_site[spot.site].append((spot.id, f"{spot.name} ({spot.id})"))
    return [SpotsOfSite(key, names[key], spots) for key, spots in of_site.items() if spots]


def spot_choices(
    context: Context, sites: list[tuple[str, str]], *, whole: bool = True
) -> list[tuple[str, str]]:
    """The same as one list of code and words, site by site."""
    return [
        (code, f"{of.name}: {words}")
        for of in spots_by_site(context, sites, whole=whole)
        for code, words in of.spots
    ]


def good_spots(context: Context, site: str, *, keep: str | None = None) -> list[tuple[str, str]]:
    """Spots of a site that help can be sent to, as code and words for a form; and the one that
    stands there now, whatever it is."""
    with context.reading() as reading:
        found = [
            s
            for s in reading.records.where(
                Spot, tables.spot.c.site == site, order_by=tables.spot.c.id
            )
            if not s.removed
        ]
        good = _dispatchable(reading, found)
    return [(s.id, f"{s.name} ({s.id})") for s in found if s.id in good or s.id == keep]


def _dispatchable(reading: Reading, found: list[Spot]) -> set[str]:
    addresses = {a.id: a for a in reading.records.many(Address, {s.address for s in found})}
    return {s.id for s in found if spot_problem(s, addresses[s.address], reading.now) is None}


def spots_of(context: Context, site: str) -> list[Spot]:
    """All spots in use of a site, also those help can't be sent to."""
    with context.reading() as reading:
        return [s for s in reading.records.where(Spot, tables.spot.c.site == site) if not s.removed]


def add_site(
    context: Context,
    *,
    name: str,
    code: str,
    typed: CivicElements,
    accepted: bool = False,
    floors: int = 1,
    area_m2: int = 0,
    account: str | None = None,
    security_desk: str = "",
) -> Site:
    """A site with its address and the spot *whole address*; the country fills time zone, language
    and outside prefix, the account says the supply model. The address is the register's; a
    correction of it must be `accepted`.

    Raises NotUnderstood naming the field, NotAllowedNow where another site has the letters,
    OutsideSilent where the register doesn't answer.
    """
    context.require(May.ADD_SITE)
    country = typed.country.upper()
    if not 1 <= len(name.strip()) <= 120:
        raise NotUnderstood("A site needs a name of at most 120 characters.", field="name")
    if not (code.isalpha() and code.isascii() and len(code) == 3):
        raise NotUnderstood(
            "The site's letters are three letters, such as WHF; spot codes begin with them.",
            field="code",
        )
    if country not in COUNTRIES:
        raise NotUnderstood(f"Countries are: {', '.join(COUNTRIES)}.", field="country")
    if not 1 <= floors <= MOST_FLOORS:
        raise NotUnderstood(f"Floors are a number from 1 to {MOST_FLOORS}.", field="floors")
    if not 0 <= area_m2 <= MOST_AREA:
        raise NotUnderstood(
            f"The area is in square metres, {MOST_AREA:,} at most.", field="area_m2"
        )
    with context.reading() as reading:
        other = next(iter(reading.records.where(Site, tables.site.c.code == code.upper())), None)
    if other:
        raise NotAllowedNow(
            f"{other.name} has the letters {other.code}. Choose others; spot codes begin with"
            " them.",
            field="code",
            reason="code-taken",
        )
    checked = safety.checked_address(context, typed, accepted=accepted)
    of = COUNTRIES[country]
    supply_model = _supply_of(context, account, country)
    key = context.new_id("site")
    address = Address(
        id=f"{key}-address",
        site=key,
        elements=checked.elements,
        verdict=checked.verdict,
        accepted=accepted,
        psap=checked.psap,
        point=checked.point,
        floors=floors,
        area_m2=area_m2,
    )
    told = mail_told(security_desk)
    whole = Spot(
        id=spot_code(code, 0),
        address=address.id,
        site=key,
        name="whole address",
        whole=True,
        confirmed_at=context.now(),
    )
    site = Site(
        id=key,
        name=name.strip(),
        code=code.upper(),
        country=country,
        timezone=of.timezone,
        language=of.language,
        supply_model=supply_model,
        account=account,
        address=address.id,
        spot=None if spot_problem(whole, address, context.now()) else whole.id,
        outside_prefix=of.outside_line,
        security_desk=told,
    )
    trunk = context.new_id("trunk")
    up = trunk_setup.is_up(context, trunk) if account else False
    with context.writing() as writing:
        saved = writing.save(
            [
                changed(Subject.SITE, None, site, "site.added"),
                changed(Subject.ADDRESS, None, address, "address.added"),
                changed(Subject.SPOT, None, whole, "spot.added"),
            ]
        )
        if account:
            trunk_setup.come_with(
                writing, writing.records.the(Account, account), saved[0].after, key=trunk, up=up
            )
    offer_dial_plan(context.outside.telephony, saved[0].after)
    return saved[0].after


def _supply_of(context: Context, account: str | None, country: str) -> SupplyModel:
    """The supply model of an account's carrier. Raises NotUnderstood where the carrier has no
    numbers of that country."""
    if account is None:
        return SupplyModel.BUNDLED
    with context.reading() as reading:
        found = reading.records.find(Account, account)
        if found is None:
            raise NotUnderstood(
                "Choose one of the accounts that are here, or decide later.", field="account"
            )
        carrier = reading.records.the(Carrier, found.carrier)
    if country not in carrier.countries:
        raise NotUnderstood(
            f"{carrier.name} serves {', '.join(map(country_name, carrier.countries))} only. Choose"
            " another account, or decide later.",
            field="account",
        )
    return carrier.supply_model
