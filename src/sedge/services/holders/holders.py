"""People, sites, service lines and devices at the desk."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, func, or_, select

from sedge.core.access.roles import May
from sedge.core.callpaths.asked_again import line_changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import COUNTRIES, country_name
from sedge.core.records import (
    RECORD_TYPES,
    Account,
    Address,
    Carrier,
    CivicElements,
    Device,
    Grant,
    Group,
    HolderKind,
    HolderRef,
    Number,
    Person,
    Product,
    Role,
    ServiceLine,
    Site,
    Spot,
    Subject,
    SupplyModel,
)
from sedge.core.reduce import changed
from sedge.core.safety.spots import spot_code, spot_problem
from sedge.core.workorders.findings import Level
from sedge.services.callpaths.telephony_sync import routing_of
from sedge.services.context import Desk, Reading
from sedge.services.holders import people_lookup
from sedge.services.safety import safety
from sedge.services.trunks import trunk_setup
from sedge.store.projections import finder
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

MOST_AROUND = 500  # numbers of an area that are looked at to tell whose site it is
MOST_FLOORS, MOST_AREA = 200, 10_000_000
MOST_SITES, MOST_SPOTS = 400, 1000  # that a form lets one choose from
LINE_KINDS = ("menu", "queue", "mailbox", "announcement", "conference bridge", "lift phone", "alarm phone", "fax")


@dataclass(frozen=True)
class HolderRow:
    """A person or line in a list, with what they have and whether they can call."""

    holder: Person | ServiceLine
    site: str
    numbers: list[Number]
    licences: list[str]
    devices: list[Device]
    missing: list[str]


@dataclass(frozen=True)
class SiteRow:
    site: Site
    address: Address | None
    spots: int
    people: int
    numbers: int


def people(desk: Desk, *, site: str = "", find: str = "", after: str = "", limit: int = 60) -> tuple[list[HolderRow], str | None]:
    """People in order of name, and the cursor of the next page."""
    table = tables.person
    conditions: list[ColumnElement[bool]] = [table.c.departed.is_(False)]
    if site:
        conditions.append(table.c.site == site)
    if after:
        conditions.append(table.c.name > after)
    with desk.reading() as reading:
        if find:
            hits = finder.find_words(reading.connection, find, subject=Subject.PERSON, limit=300 if desk.who.scope.is_whole else 10_000)[0]
            conditions.append(table.c.id.in_([h.ref for h in hits]))
        rows = reading.records.where(Person, *conditions, order_by=table.c.name, limit=limit + 1)
        found = _rows(reading, rows[:limit], HolderKind.PERSON)
    return found, rows[limit - 1].name if len(rows) > limit else None


def service_lines(desk: Desk, *, site: str = "") -> list[HolderRow]:
    table = tables.service_line
    with desk.reading() as reading:
        rows = reading.records.where(ServiceLine, *([table.c.site == site] if site else []), order_by=table.c.name, limit=500)
        return _rows(reading, rows, HolderKind.SERVICE_LINE)


def _rows(reading, holders: list, kind: HolderKind) -> list[HolderRow]:
    refs = [HolderRef(kind=kind, id=h.id) for h in holders]
    numbers: dict[str, list[Number]] = {}
    for n in reading.records.held_by(Number, refs):
        numbers.setdefault(n.holder.id, []).append(n)
    grants: dict[str, list[Grant]] = {}
    for g in reading.records.held_by(Grant, refs):
        grants.setdefault(g.holder.id, []).append(g)
    products = {p.id: p.name for p in reading.records.all(Product)}
    sites = {s.id: s for s in reading.records.all(Site)}
    carriers = {c.id: c for c in reading.records.all(Carrier)}
    devices: dict[str, list[Device]] = {}
    if kind is HolderKind.PERSON:
        for d in reading.records.where(Device, tables.device.c.person.in_([h.id for h in holders][:900])):
            if d.removed:
                continue
            devices.setdefault(d.person, []).append(d)
    return [
        HolderRow(
            holder=h,
            site=sites[h.site].name,
            numbers=sorted(numbers.get(h.id, []), key=lambda n: (n.assignment is None or n.assignment.role != "main", n.e164)),
            licences=[products[g.product] for g in grants.get(h.id, [])],
            devices=devices.get(h.id, []),
            missing=missing_for(h, kind, numbers.get(h.id, []), grants.get(h.id, []), devices.get(h.id, []), carriers, products),
        )
        for h in holders
    ]


def missing_for(
    holder: Person | ServiceLine, kind: HolderKind, numbers: list[Number], grants: list[Grant], devices: list[Device], carriers: dict[str, Carrier],
    products: dict[str, str],
) -> list[str]:  # fmt: skip
    """What a holder lacks to call and be called, in a person's words."""
    if isinstance(holder, Person) and holder.left:
        return []
    missing = []
    if not numbers:
        missing.append("a number")
    if holder.spot is None and not (numbers and all(n.spot for n in numbers)):
        missing.append("an emergency spot")
    held = {g.product for g in grants}
    asked = {p for n in numbers for p in carriers[n.carrier].asks_of.get(kind, ())}
    missing += [products[p] for p in sorted(asked - held)]
    if kind is HolderKind.PERSON and not any(d.registered for d in devices):
        missing.append("a registered phone" if devices else "a phone")
    if kind is HolderKind.SERVICE_LINE and numbers and all(n.path is None for n in numbers):
        missing.append("a call path")
    return missing


def one_holder(desk: Desk, kind: HolderKind, key: str) -> HolderRow:
    """Raises NotFound."""
    record_type = Person if kind is HolderKind.PERSON else ServiceLine
    with desk.reading() as reading:
        return _rows(reading, [reading.records.the(record_type, key)], kind)[0]


def zone_of_person(desk: Desk, key: str) -> str:
    """The time zone of the site somebody works at. Raises NotFound."""
    with desk.reading() as reading:
        return reading.records.the(Site, reading.records.the(Person, key).site).timezone


def person_named(desk: Desk, typed: str) -> Person:
    """The person meant by an id, a mail address, an extension or a name. Raises NotUnderstood where there is none, or are several."""
    typed = typed.strip()
    table = tables.person
    with desk.reading() as reading:
        known = reading.records.find(Person, typed) if typed else None
        if known:
            return known
        meant = or_(
            func.lower(table.c.email) == typed.lower(), func.lower(table.c.name) == typed.lower(), table.c.extension == (typed or "-")
        )
        found = reading.records.where(Person, meant, table.c.departed.is_(False), limit=5)
        if not found and len(typed) >= 3:
            like = table.c.name.ilike(f"%{typed.replace('%', '').replace('_', '')}%")
            found = reading.records.where(Person, like, table.c.departed.is_(False), order_by=table.c.name, limit=5)
    if len(found) == 1:
        return found[0]
    if not found:
        raise NotUnderstood("Nobody here is called that. Type a name, a mail address or an extension.", field="person")
    raise NotUnderstood(f"Several are meant: {', '.join(p.name for p in found)}. Type the whole name or the mail address.", field="person")


def names_of(desk: Desk, line: Person | ServiceLine) -> list[Person]:
    """The people who answer a service line themselves, not through groups, in their order."""
    if not isinstance(line, ServiceLine):
        return []
    with desk.reading() as reading:
        keys = line.members or line.recipients
        found = {p.id: p for p in reading.records.many(Person, keys)}
    return [found[key] for key in keys if key in found]


def name_of(desk: Desk, ref: HolderRef) -> str:
    """Raises NotFound."""
    with desk.reading() as reading:
        return reading.records.the(RECORD_TYPES[ref.subject], ref.id).name  # type: ignore[attr-defined]


def plain_sites(desk: Desk) -> list[Site]:
    """All sites in the order of their names, without any count."""
    with desk.reading() as reading:
        return reading.records.where(Site, order_by=tables.site.c.name)


def likely_site(desk: Desk, account: str, e164: str) -> str:
    """The site that such a number of this account is most likely for: where most of those around it are, else one in its town, else one
    that buys by the account, else the first by name. Empty where there is no site."""
    facts = describe(e164)
    lead = facts.parts[0] + facts.parts[1]
    tail = 10 ** (len(e164) - 1 - len(lead))
    life = tables.life
    area = life.c.number.between(int(lead) * tail, (int(lead) + 1) * tail - 1)
    around = select(life.c.site).where(area, is_open()).limit(MOST_AROUND)
    sites = plain_sites(desk)
    with desk.reading() as reading:
        near = Counter(site for (site,) in reading.connection.execute(around))
        known = {s.id for s in sites}
        there = [site for site, _ in near.most_common() if site in known]
        if there:
            return there[0]
        towns = {a.id: a.elements.city for a in reading.records.many(Address, {s.address for s in sites if s.address})}
    in_town = [s.id for s in sites if s.address and towns.get(s.address) == facts.area]
    return next(iter([*in_town, *(s.id for s in sites if s.account == account), *(s.id for s in sites)]), "")


def site_choices(desk: Desk, most: int = MOST_SITES) -> list[tuple[str, str]]:
    """Sites (id, name) for a form to choose from, in the order of their names."""
    site = tables.site
    with desk.reading() as reading:
        return [(key, name) for key, name in reading.connection.execute(select(site.c.id, site.c.name).order_by(site.c.name).limit(most))]


def sites(desk: Desk) -> list[SiteRow]:
    with desk.reading() as reading:
        found = reading.records.where(Site, order_by=tables.site.c.name)
        addresses = {a.id: a for a in reading.records.all(Address)}
        spots = dict(reading.connection.execute(select(tables.spot.c.site, func.count()).group_by(tables.spot.c.site)).all())
        people_ = dict(
            reading.connection.execute(
                select(tables.person.c.site, func.count()).where(tables.person.c.departed.is_(False)).group_by(tables.person.c.site)
            ).all()
        )
        numbers = dict(
            reading.connection.execute(select(tables.tally.c.site, func.sum(tables.tally.c.count)).group_by(tables.tally.c.site)).all()
        )
    return [SiteRow(s, addresses.get(s.address or ""), spots.get(s.id, 0), people_.get(s.id, 0), numbers.get(s.id, 0)) for s in found]


@dataclass(frozen=True)
class SiteView:
    """One site with what belongs to it; `main` is its main number as people write it, `account` where its numbers come from."""

    row: SiteRow
    spots: list[Spot]
    main: str
    account: str


def one_site(desk: Desk, key: str) -> SiteView:
    """Raises NotFound."""
    row = next((r for r in sites(desk) if r.site.id == key), None)
    with desk.reading() as reading:
        if row is None:
            row = SiteRow(reading.records.the(Site, key), None, 0, 0, 0)
        held = reading.records.held_by(Number, [HolderRef(kind=HolderKind.SITE, id=key)])
        main = next((n.shown for n in held if n.assignment and n.assignment.role is Role.MAIN), "")
        account = reading.records.find(Account, row.site.account) if row.site.account else None
    return SiteView(row, spots_of(desk, key), main, f"{account.name}, {row.site.supply_model.value}" if account else "")


def supply_choices(desk: Desk) -> list[tuple[str, str]]:
    """Carrier accounts a site can be supplied from, with their supply model in words."""
    with desk.reading() as reading:
        carriers = {c.id: c for c in reading.records.all(Carrier)}
        return [(a.id, f"{carriers[a.carrier].supply_model.value}: {a.name}") for a in reading.records.all(Account)]


def spot_choices(desk: Desk, sites: list[tuple[str, str]], *, whole: bool = True) -> list[tuple[str, str]]:
    """Spots (code, words) of these sites that help can be sent to, for a form to choose from, site by site; the first thousand."""
    names = dict(sites)
    table = tables.spot
    with desk.reading() as reading:
        found = [s for s in reading.records.where(Spot, table.c.site.in_(list(names)[:MOST_SITES]), limit=MOST_SPOTS) if not s.removed]
        good = _dispatchable(reading, found)
    order = {key: i for i, key in enumerate(names)}
    found = sorted((s for s in found if s.id in good and (whole or not s.whole)), key=lambda s: (order[s.site], s.id))
    return [(s.id, f"{names[s.site]}: {s.name} ({s.id})") for s in found]


def good_spots(desk: Desk, site: str, *, keep: str | None = None) -> list[tuple[str, str]]:
    """Spots of a site that help can be sent to, as code and words for a form; and the one that stands there now, whatever it is."""
    with desk.reading() as reading:
        found = [s for s in reading.records.where(Spot, tables.spot.c.site == site, order_by=tables.spot.c.id) if not s.removed]
        good = _dispatchable(reading, found)
    return [(s.id, f"{s.name} ({s.id})") for s in found if s.id in good or s.id == keep]


def _dispatchable(reading: Reading, found: list[Spot]) -> set[str]:
    addresses = {a.id: a for a in reading.records.many(Address, {s.address for s in found})}
    return {s.id for s in found if spot_problem(s, addresses[s.address], reading.now) is None}


def spots_of(desk: Desk, site: str) -> list[Spot]:
    """All spots in use of a site, also those help can't be sent to."""
    with desk.reading() as reading:
        return [s for s in reading.records.where(Spot, tables.spot.c.site == site) if not s.removed]


def add_person(desk: Desk, *, name: str, email: str, site: str, department: str = "", job: str = "", extension: str = "") -> Person:
    """A new person; their phones are added one by one, each with a sign-in of its own. Raises NotUnderstood naming the field, NotAllowedNow
    where the mail address or the extension is taken."""
    desk.require(May.CHANGE_HOLDERS)
    desk.require_site(site)
    name, email, extension = name.strip(), email.strip(), extension.strip()
    if not 1 <= len(name) <= 120:
        raise NotUnderstood("A person needs a name of at most 120 characters.", field="name")
    if "@" not in email or " " in email or len(email) > 200:
        raise NotUnderstood("Type the mail address, such as ifeoma.okafor@lanternfield.example.", field="email")
    if extension and not (extension.isascii() and extension.isdigit() and len(extension) <= 7):
        raise NotUnderstood("An extension has digits only, seven at most.", field="extension")
    table = tables.person
    with desk.reading() as reading:
        of = _site_named(reading, site)
        same = reading.records.where(Person, func.lower(table.c.email) == email.lower(), table.c.departed.is_(False))
        held = reading.records.where(Person, table.c.extension == (extension or "-"), table.c.site == site, table.c.departed.is_(False))
    if same:
        raise NotAllowedNow(f"{same[0].name} has this mail address already.", field="email", reason="email-taken", id=same[0].id)
    if held:
        raise NotAllowedNow(
            f"{held[0].name} has extension {extension} at {of.name} already. Choose another, or leave it empty.",
            field="extension", reason="extension-taken", id=held[0].id,
        )  # fmt: skip
    person = Person(
        id=desk.new_id("person"), name=name, email=email, site=site, department=department[:80], job=job[:80], extension=extension
    )
    with desk.writing() as writing:
        return writing.save([changed(Subject.PERSON, None, person, "person.added")])[0].after


def _site_named(reading: Reading, key: str) -> Site:
    """Raises NotUnderstood naming the field."""
    found = reading.records.find(Site, key)
    if found is None:
        raise NotUnderstood("Choose one of the sites that are here." if key else "Choose the site.", field="site")
    return found


def add_service_line(desk: Desk, *, name: str, kind: str, site: str, spot: str = "") -> ServiceLine:
    desk.require(May.CHANGE_HOLDERS)
    if not 1 <= len(name.strip()) <= 120:
        raise NotUnderstood("A service line needs a name of at most 120 characters.", field="name")
    if kind not in LINE_KINDS:
        raise NotUnderstood(f"The kind is one of: {', '.join(LINE_KINDS)}.", field="kind")
    desk.require_site(site)
    with desk.writing() as writing:
        _site_named(writing, site)
        found = writing.records.find(Spot, spot) if spot else None
        if spot and (found is None or found.site != site):
            raise NotUnderstood("Choose a spot of this site.", field="spot")
        line = ServiceLine(id=desk.new_id("line"), name=name.strip(), kind=kind, site=site, spot=spot or None)
        return writing.save([changed(Subject.SERVICE_LINE, None, line, "service-line.added")])[0].after


def change_line(desk: Desk, key: str, *, name: str, kind: str, members: str, groups: Sequence[str], spot: str = "") -> ServiceLine:
    """A service line's facts and who answers it: people named one a line, groups by their ids. The telephone system learns of it first.

    Raises NotUnderstood naming the field.
    """
    desk.require(May.CHANGE_HOLDERS)
    if not 1 <= len(name.strip()) <= 120:
        raise NotUnderstood("A service line needs a name of at most 120 characters.", field="name")
    if kind not in LINE_KINDS:
        raise NotUnderstood(f"The kind is one of: {', '.join(LINE_KINDS)}.", field="kind")
    people_ = people_lookup.people_in(desk, members, most=200, field="members")
    with desk.writing() as writing:
        line = writing.records.the(ServiceLine, key)
        desk.require_site(line.site)
        known = {g.id for g in writing.records.many(Group, groups) if not g.removed}
        if strange := [g for g in groups if g not in known]:
            raise NotUnderstood(f"There is no group “{strange[0]}” here.", field="groups")
        found = writing.records.find(Spot, spot) if spot else None
        if spot and (found is None or found.site != line.site or found.removed):
            raise NotUnderstood("Choose a spot of this site.", field="spot")
        values = {
            "name": name.strip(),
            "kind": kind,
            "members": tuple(p.id for p in people_),
            "groups": tuple(sorted(groups, key=lambda g: line.groups.index(g) if g in line.groups else len(line.groups))),
            "spot": spot or None,
        }
        after = line.but(**values)
        if after == line:
            return line
        ref = HolderRef(kind=HolderKind.SERVICE_LINE, id=key)
        estate = writing.look_at(Subject.SERVICE_LINE, key)
        broken = line_changed(line, after, estate)
        if broken and broken.level is Level.STOP:
            raise NotAllowedNow(f"{broken.message} Change the call path first.", reason="path", field="members")
        estate.put(after)
        for group in writing.records.many(Group, groups):
            estate.put(group)
        for number in estate.numbers_of(ref):
            desk.outside.telephony.put_number(number.e164, routing_of(number, estate))
        return writing.save([changed(Subject.SERVICE_LINE, line, after, "service-line.changed")])[0].after


def add_site(
    desk: Desk, *, name: str, code: str, typed: CivicElements, accepted: bool = False, floors: int = 1, area_m2: int = 0, account: str | None = None,
    security_desk: str = "",
) -> Site:  # fmt: skip
    """A site with its address and the spot *whole address*; the country fills time zone, language and outside prefix, the
    account says the supply model. The address is the register's; a correction of it must be `accepted`.

    Raises NotUnderstood naming the field, NotAllowedNow where another site has the letters, OutsideSilent where the register doesn't answer.
    """
    desk.require(May.ADD_SITE)
    country = typed.country.upper()
    if not 1 <= len(name.strip()) <= 120:
        raise NotUnderstood("A site needs a name of at most 120 characters.", field="name")
    if not (code.isalpha() and code.isascii() and len(code) == 3):
        raise NotUnderstood("The site's letters are three letters, such as WHF; spot codes begin with them.", field="code")
    if country not in COUNTRIES:
        raise NotUnderstood(f"Countries are: {', '.join(COUNTRIES)}.", field="country")
    if not 1 <= floors <= MOST_FLOORS:
        raise NotUnderstood(f"Floors are a number from 1 to {MOST_FLOORS}.", field="floors")
    if not 0 <= area_m2 <= MOST_AREA:
        raise NotUnderstood(f"The area is in square metres, {MOST_AREA:,} at most.", field="area_m2")
    with desk.reading() as reading:
        other = next(iter(reading.records.where(Site, tables.site.c.code == code.upper())), None)
    if other:
        raise NotAllowedNow(
            f"{other.name} has the letters {other.code}. Choose others; spot codes begin with them.", field="code", reason="code-taken"
        )
    checked = safety.checked_address(desk, typed, accepted=accepted)
    of = COUNTRIES[country]
    supply_model = _supply_of(desk, account, country)
    key = desk.new_id("site")
    address = Address(
        id=f"{key}-address", site=key, elements=checked.elements, verdict=checked.verdict, accepted=accepted, psap=checked.psap, point=checked.point, floors=floors,
        area_m2=area_m2,
    )  # fmt: skip
    told = mail_told(security_desk)
    whole = Spot(id=spot_code(code, 0), address=address.id, site=key, name="whole address", whole=True, confirmed_at=desk.now())
    site = Site(
        id=key, name=name.strip(), code=code.upper(), country=country, timezone=of.timezone, language=of.language, supply_model=supply_model,
        account=account, address=address.id, spot=None if spot_problem(whole, address, desk.now()) else whole.id, outside_prefix=of.outside_line,
        security_desk=told,
    )  # fmt: skip
    trunk = desk.new_id("trunk")
    up = trunk_setup.is_up(desk, trunk) if account else False
    with desk.writing() as writing:
        saved = writing.save(
            [
                changed(Subject.SITE, None, site, "site.added"),
                changed(Subject.ADDRESS, None, address, "address.added"),
                changed(Subject.SPOT, None, whole, "spot.added"),
            ]
        )
        if account:
            trunk_setup.come_with(writing, writing.records.the(Account, account), saved[0].after, key=trunk, up=up)
    return saved[0].after


def mail_told(text: str) -> str:
    """The mail address of who is told of emergency calls; '' for nobody yet. Raises NotUnderstood."""
    told = text.strip()
    if told and not re.fullmatch(r"[^@\s]{1,64}@[^@\s]{1,135}", told):
        raise NotUnderstood("Who is told of emergency calls is a mail address, such as desk@example.org.", field="security_desk")
    return told


def _supply_of(desk: Desk, account: str | None, country: str) -> SupplyModel:
    """The supply model of an account's carrier. Raises NotUnderstood where the carrier has no numbers of that country."""
    if account is None:
        return SupplyModel.BUNDLED
    with desk.reading() as reading:
        found = reading.records.find(Account, account)
        if found is None:
            raise NotUnderstood("Choose one of the accounts that are here, or decide later.", field="account")
        carrier = reading.records.the(Carrier, found.carrier)
    if country not in carrier.countries:
        raise NotUnderstood(
            f"{carrier.name} serves {', '.join(map(country_name, carrier.countries))} only. Choose another account, or decide later.",
            field="account",
        )
    return carrier.supply_model


def waiting_numbers(desk: Desk, site: str, limit: int = 40) -> list[Number]:
    """Numbers that could be given to somebody now: the site's own, or where it has none (or none is
    named) those of any site in its country."""
    with desk.reading() as reading:
        of = reading.records.find(Site, site)
        near = [s.id for s in reading.records.all(Site) if of is None or s.country == of.country]
        life = tables.life
        free = (life.c.state.in_([State.AVAILABLE.value, State.RESERVED.value]), life.c.leaving_on.is_(None))

        def first(sites: list[str]) -> list[Number]:
            return reading.records.where(Number, life.c.site.in_(sites), *free, order_by=life.c.number, limit=limit)

        return first([site]) or first(near)
