"""Loading the part of an estate that a set of tasks needs, in a fixed number of queries."""

from collections.abc import Iterable
from datetime import datetime

from sqlalchemy import and_, select, union_all

from sedge.core.callpaths.steps import groups_named, named_by, paths_named, people_named
from sedge.core.estate import Estate
from sedge.core.facts import Fact
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import State
from sedge.core.records import (
    RECORD_TYPES,
    Account,
    Address,
    Capacity,
    Carrier,
    Defaults,
    Device,
    Document,
    Downstream,
    Grant,
    Group,
    HolderKind,
    HolderRef,
    KeptFree,
    Number,
    Order,
    PathVersion,
    Person,
    Port,
    PortOut,
    Product,
    ServiceLine,
    Site,
    Spot,
    Subject,
    Subscription,
    Trunk,
)
from sedge.core.safety.callback import is_main
from sedge.store.repositories.records import Records, is_open, without_own
from sedge.store.schema import holders, tables

POOL = 12  # free numbers loaded per site, so that a remedy can name one
MOST_SITES = 40  # sites of one work order for which free numbers are looked up
MOST_DOCUMENTS = 1000
MOST_CHOICES = 60  # call paths loaded for a remedy to name
OWN = frozenset(
    {Subject.DEVICE, Subject.DOWNSTREAM}
)  # what a step names itself, besides people, groups and paths
MOST_SHOWN = 900  # numbers of which it is asked at once who shows them, and who is named for it
# people without a number of their own, asked about when their site's main number is taken back;
# more than one order takes
MOST_WITHOUT = 20_000
MOST_USERS = 2000  # numbers that follow one call path and are told of its new version at once


def load(records: Records, wanted: LoadSpec, now: datetime, *, home: str = "GB") -> Estate:
    """The estate as far as `wanted` reaches: those records, what they refer to, the small tables
    whole.

    Whole are products, subscriptions, carriers, accounts and trunks; where choices are wanted, per
    site the first free numbers of each capacity.
    """
    estate = Estate(now, home=home)

    def put(found: list) -> list:
        for record in found:
            estate.put(record)
        return found

    ports = put(records.many(Port, wanted.ports))
    port_outs = put(records.many(PortOut, wanted.port_outs))
    if ports:
        put(records.where(KeptFree, tables.kept_free.c.last >= now.date(), limit=MOST_DOCUMENTS))
    numbers = put(
        records.many(
            Number,
            wanted.numbers
            | {line.e164 for port in ports for line in port.lines}
            | {n for out in port_outs for n in out.numbers},
        )
    )
    naming = _naming(records, wanted)
    ringing = {key for subject, key in wanted.named if subject is Subject.GROUP}
    users = wanted.path_users | (naming if ringing else set())
    if users:
        followers = and_(tables.life.c.path.in_(sorted(users)), is_open())
        numbers += put(
            records.where(Number, followers, order_by=tables.life.c.number, limit=MOST_USERS)
        )
    for record_type in (Product, Subscription, Carrier, Account, Trunk):
        put(records.all(record_type))
    prepared = [line for port in ports for line in port.lines]
    wanted = wanted | LoadSpec(
        holders={line.holder for line in prepared if line.holder},
        spots={line.spot for line in prepared if line.spot},
        paths={line.path for line in prepared if line.path},
    )
    refs = (
        wanted.holders
        | {n.holder for n in numbers if n.holder}
        | {n.reserved_for for n in numbers if n.reserved_for}
    )
    lines = (
        [line for line in records.all(ServiceLine) if ringing & set(line.groups)] if ringing else []
    )
    refs.update(HolderRef(kind=HolderKind.SERVICE_LINE, id=line.id) for line in lines)
    held = put(records.held_by(Number, refs))
    _put_holders(records, estate, refs)
    put(records.all(Defaults))
    if wanted.shown:
        for record_type, shows in ((Person, tables.person.c.shows), (Site, tables.site.c.shows)):
            put(
                records.where(
                    record_type, shows.in_(sorted(wanted.shown)[:MOST_SHOWN]), limit=MOST_SHOWN
                )
            )
    known = {n.site for n in numbers} | {t.site for t in estate.all(Trunk)} | wanted.sites
    known |= {p.site for p in ports}
    known |= {
        p.site for p in (*estate.all(Person), *estate.all(ServiceLine), *estate.all(Downstream))
    } | {r.id for r in refs if r.kind is HolderKind.SITE}
    put(records.many(Site, known))
    here = [ref for ref in wanted.holders if estate.get(RECORD_TYPES[ref.subject], ref.id)]
    sites = {
        estate.site_of(ref).id for ref in here
    }  # who is not here may be brought by a task of the same work order
    sites |= wanted.sites | {n.site for n in numbers}
    held += put(
        records.held_by(
            Number, [HolderRef(kind=HolderKind.SITE, id=site) for site in sorted(sites)]
        )
    )  # who rings back a call for help
    put(records.held_by(Grant, refs))
    paths = put(
        records.many(
            PathVersion, naming | wanted.paths | {n.path for n in (*numbers, *held) if n.path}
        )
    )
    paths += _put_other_paths(records, estate, paths)
    groups = _put_groups(records, estate, wanted, paths)
    people = (
        wanted.people
        | {person for path in paths for person in people_named(path.body)}
        | {m for g in groups for m in g.members}
    )
    people |= {p for line in estate.all(ServiceLine) for p in (*line.recipients, *line.members)}
    put(records.many(Person, people - {p.id for p in estate.all(Person)}))
    colleagues = {
        key for p in estate.all(Person) for key in (*p.answering.pickup, p.answering.cover) if key
    }
    put(records.many(Person, colleagues - {p.id for p in estate.all(Person)}))
    put(_with_mail(records, wanted.emails))
    put(_with_extension(records, wanted.extensions))
    put(
        records.where(
            Device, tables.device.c.person.in_(sorted(p.id for p in estate.all(Person))[:900])
        )
    )
    orders = put(
        records.many(
            Order,
            wanted.orders | {n.order for n in numbers if n.order and n.state is State.ON_ORDER},
        )
    )
    put(
        records.many(
            Number,
            {line.e164 for order in orders if order.id in wanted.orders for line in order.lines}
            - wanted.numbers,
        )
    )
    put(records.where(Spot, tables.spot.c.site.in_(sorted(sites))))
    at_spots = {
        getattr(r, "spot", None)
        for r in (*numbers, *held, *estate.all(Person), *estate.all(ServiceLine), *estate.all(Site))
    }
    missing = (wanted.spots | {s for s in at_spots if s}) - {s.id for s in estate.all(Spot)}
    put(records.many(Spot, missing))
    elsewhere = (
        {s.site for s in estate.all(Spot)}
        | {p.site for p in (*estate.all(Person), *estate.all(ServiceLine))}
        | {n.site for n in held}
    )
    put(records.many(Site, elsewhere - {s.id for s in estate.all(Site)}))
    _put_shown(records, estate)
    put(
        records.many(
            Address,
            {s.address for s in estate.all(Spot)}
            | {s.address for s in estate.all(Site) if s.address},
        )
    )
    if wanted.documents:
        put(records.where(Document, tables.document.c.withdrawn.is_(False), limit=MOST_DOCUMENTS))
    if wanted.choices:
        _put_pool(records, estate, sites)
        put(records.where(PathVersion, order_by=tables.path.c.name, limit=MOST_CHOICES))
    named = wanted.records | {
        pair
        for path in paths
        for step in path.body["steps"].values()
        for pair in named_by(step)
        if pair[0] in OWN
    }
    for subject in {subject for subject, _ in named}:
        put(records.many(RECORD_TYPES[subject], [key for kind, key in named if kind is subject]))
    put(
        _without_another(
            records, estate, wanted.rung_back | {n for out in port_outs for n in out.numbers}
        )
    )
    return estate


def _put_shown(records: Records, estate: Estate) -> None:
    """The numbers that people, sites and the organisation show on calls out, with who answers
    them."""
    said = [
        r.caller_id.number
        for record_type in (Person, Site, Defaults)
        for r in estate.all(record_type)
        if r.caller_id.number
    ]
    found = records.many(Number, {number for number in said if estate.get(Number, number) is None})
    for number in found:
        estate.put(number)
    _put_holders(records, estate, [n.holder for n in found if n.holder])


def _without_another(records: Records, estate: Estate, rung_back: set[str]) -> list[Number]:
    """Puts the people who are rung back on these numbers, where they are main numbers, as far as
    they have none of their own; gives what is held by those there who are known anyway."""
    sites = {n.site for e164 in rung_back if (n := estate.get(Number, e164)) and is_main(n)}
    for site in sorted(sites):
        for person in records.where(
            Person, tables.person.c.site == site, *without_own(), limit=MOST_WITHOUT
        ):
            estate.put(person)
    here = [
        HolderRef(kind=HolderKind.PERSON, id=p.id) for p in estate.all(Person) if p.site in sites
    ]
    return records.held_by(Number, here)


def _put_other_paths(
    records: Records, estate: Estate, paths: list[PathVersion]
) -> list[PathVersion]:
    """The call paths that these go on in, and so on."""
    found: list[PathVersion] = []
    missing = {key for path in paths for key in paths_named(path.body)} - {
        p.id for p in estate.all(PathVersion)
    }
    while missing:
        more = records.many(PathVersion, missing)
        for path in more:
            estate.put(path)
        found += more
        missing = (
            {key for path in more for key in paths_named(path.body)}
            - {p.id for p in estate.all(PathVersion)}
            - missing
        )
    return found


def _naming(records: Records, wanted: LoadSpec) -> set[str]:
    """Call paths that name the people and groups asked about; for a person also through their
    groups."""
    names, member = tables.path_names, holders.group_member
    found: set[str] = set()
    for subject, key in wanted.named:
        keys = {(subject, key)}
        if subject is Subject.PERSON:
            groups = records.connection.execute(
                select(member.c.group).where(member.c.person == key)
            )
            keys |= {(Subject.GROUP, group) for (group,) in groups}
        for kind, ref in keys:
            rows = records.connection.execute(
                select(names.c.path).where(names.c.subject == kind.value, names.c.subject_id == ref)
            )
            found |= {path for (path,) in rows}
    return found


def _put_groups(
    records: Records, estate: Estate, wanted: LoadSpec, paths: list[PathVersion]
) -> list[Group]:
    """The groups that paths and service lines name; all of them where `wanted` says so."""
    named = {key for path in paths for key in groups_named(path.body)} | {
        g for line in estate.all(ServiceLine) for g in line.groups
    }
    named |= {
        key for subject, key in (*wanted.records, *wanted.named) if subject is Subject.GROUP
    } | wanted.group_ids
    found = records.all(Group) if wanted.groups else records.many(Group, named)
    for group in found:
        estate.put(group)
    return found


def _with_extension(records: Records, extensions: set[tuple[str, str]]) -> list[Person]:
    """Whoever has one of these extensions, at any site."""
    person = tables.person
    wanted = sorted({extension for _, extension in extensions})
    found: list[Person] = []
    for start in range(0, len(wanted), 900):
        found += records.where(
            Person,
            person.c.extension.in_(wanted[start : start + 900]),
            person.c.departed.is_(False),
        )
    return found


def _with_mail(records: Records, emails: set[str]) -> list[Person]:
    person = tables.person
    found: list[Person] = []
    for start in range(0, len(emails), 900):
        part = sorted(emails)[start : start + 900]
        found += records.where(Person, person.c.email.in_(part), person.c.departed.is_(False))
    return found


def _put_holders(records: Records, estate: Estate, refs: Iterable[HolderRef]) -> None:
    by_type: dict[type[Fact], set[str]] = {}
    for ref in refs:
        by_type.setdefault(RECORD_TYPES[ref.subject], set()).add(ref.id)
    for record_type, keys in by_type.items():
        if record_type in {Person, ServiceLine, Downstream}:
            for record in records.many(record_type, keys):
                estate.put(record)


def _put_pool(records: Records, estate: Estate, sites: set[str]) -> None:
    """The first free numbers of each site and capacity, in one query."""
    life = tables.life
    free = (life.c.state == State.AVAILABLE.value, life.c.leaving_on.is_(None))
    parts = [
        select(
            select(life.c.body)
            .where(*free, life.c.site == site, life.c.capacity == c.value)
            .order_by(life.c.number)
            .limit(POOL)
            .subquery()
        )
        for site in sorted(sites)[:MOST_SITES]
        for c in Capacity
    ]
    rows = records.connection.execute(union_all(*parts)) if parts else ()
    for (body,) in rows:
        number = Number.model_validate_json(body)
        if estate.get(Number, number.e164) is None:
            estate.put(number)


def needs_of(subject: Subject, key: str) -> LoadSpec:
    """The needs of looking at one record whole."""
    needs = LoadSpec()
    match subject:
        case Subject.NUMBER:
            needs.numbers.add(key)
        case Subject.PERSON | Subject.SERVICE_LINE | Subject.SITE:
            kind = {
                Subject.PERSON: "person",
                Subject.SERVICE_LINE: "service_line",
                Subject.SITE: "site",
            }[subject]
            needs.holders.add(HolderRef(kind=HolderKind(kind), id=key))
        case _:
            needs.records.add((subject, key))
    return needs
