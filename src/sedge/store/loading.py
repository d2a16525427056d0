"""Loading the part of an estate that a set of tasks needs: what is wanted, then round by round all
that it refers to.

What refers to what stands in `core/references.py`. Only a few things are asked for the other way
round, of what was wanted itself: what its holders have, which phones people have, which spots a
site has.
"""

from collections.abc import Iterable
from datetime import datetime
from typing import TypeVar

from sqlalchemy import select, union_all

from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Estate
from sedge.core.facts import Fact
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import State
from sedge.core.records import (
    RECORD_TYPES,
    Account,
    Capacity,
    Carrier,
    Defaults,
    Device,
    Document,
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
from sedge.core.references import references
from sedge.core.safety.callback import is_main
from sedge.core.trunks.records import Sbc
from sedge.store.repositories.records import Records, is_open, without_own
from sedge.store.schema import holders, tables

R = TypeVar("R", bound=Fact)
WHOLE = (Product, Subscription, Carrier, Account, Trunk, Sbc, Defaults)
# as far as a remedy is to name one; nothing is judged by what is beyond
POOL = 12  # free numbers of each site and capacity
MOST_SITES = 40  # of one work order for which free numbers are looked up
MOST_LISTED = 5000  # numbers of trunks that a task is about
MOST_CHOICES = 60  # call paths


def load(records: Records, wanted: LoadSpec, now: datetime, *, home: str = "GB") -> Estate:
    """The estate as far as `wanted` reaches: those records, what they refer to, the small tables
    whole.

    Whole are products, subscriptions, carriers, accounts, trunks and SBCs; where choices are
    wanted, per site the first free numbers of each capacity.
    """
    loader = _Loader(records, Estate(now, home=home), wanted)
    loader.put_wanted()
    loader.follow()
    loader.put_what_is_held()
    loader.follow()
    loader.put_phones()
    loader.put_callers_left_out()
    loader.put_choices()
    return loader.estate


class _Loader:
    """`roots` are the numbers that were wanted themselves, `sites` those that are concerned."""

    def __init__(self, records: Records, estate: Estate, wanted: LoadSpec) -> None:
        self.records, self.estate, self.wanted = records, estate, wanted
        self.roots: list[Number] = []
        self.sites: set[str] = set()
        self._new: list[Fact] = []
        self._asked: set[tuple[type[Fact], str]] = set()

    def put(self, found: Iterable[R]) -> list[R]:
        """Known from now on; what they refer to follows."""
        known = list(found)
        for record in known:
            self.estate.put(record)
        self._new += known
        return known

    def get(self, record_type: type[R], keys: Iterable[str]) -> list[R]:
        """Those that have not been asked for yet."""
        missing = {key for key in keys if (record_type, key) not in self._asked}
        self._asked |= {(record_type, key) for key in missing}
        return self.put(self.records.many(record_type, missing)) if missing else []

    def follow(self) -> None:
        """All that is referred to, and what that refers to, until there is nothing new."""
        while self._new:
            by_type: dict[type[Fact], set[str]] = {}
            for record in self._new:
                for record_type, key in references(record):
                    if self.estate.get(record_type, key) is None:
                        by_type.setdefault(record_type, set()).add(key)
            self._new = []
            for record_type, keys in by_type.items():
                self.get(record_type, keys)

    def put_wanted(self) -> None:
        wanted, records = self.wanted, self.records
        for record_type in WHOLE:
            self.put(records.all(record_type))
        ports = self.get(Port, wanted.ports)
        if ports:
            self.put(records.where(KeptFree, tables.kept_free.c.last >= self.estate.now.date()))
        outs = self.get(PortOut, wanted.port_outs)
        orders = self.get(Order, wanted.orders)
        ordered = {line.e164 for order in orders for line in order.lines}
        self.roots = self.get(
            Number,
            wanted.numbers
            | {line.e164 for port in ports for line in port.lines}
            | {e164 for out in outs for e164 in out.numbers},
        )
        self.get(Number, ordered)
        self._put_what_names()
        for record_type, keys in (
            (Person, wanted.people),
            (Site, wanted.sites),
            (Spot, wanted.spots),
            (PathVersion, wanted.paths),
            (Group, wanted.group_ids),
        ):
            self.get(record_type, keys)
        for subject in {subject for subject, _ in wanted.records}:
            self.get(RECORD_TYPES[subject], {key for s, key in wanted.records if s is subject})
        if wanted.every_site:
            self.put(records.all(Site))
        self.roots += self._listed(wanted.listed)
        if wanted.groups:
            self.put(records.all(Group))
        here = tables.person.c.departed.is_(False)
        self.put(records.where_in(Person, tables.person.c.email, wanted.emails, here))
        self.put(
            records.where_in(
                Person,
                tables.person.c.extension,
                {extension for _, extension in wanted.extensions},
                here,
            )
        )
        self.put(records.where_in(Person, tables.person.c.shows, wanted.shown))
        self.put(records.where_in(Site, tables.site.c.shows, wanted.shown))
        if wanted.documents:
            self.put(records.where(Document, tables.document.c.withdrawn.is_(False)))
        by_subject: dict[Subject, set[str]] = {}
        for ref in self._holders():
            by_subject.setdefault(ref.subject, set()).add(ref.id)
        for subject, keys in by_subject.items():
            self.get(RECORD_TYPES[subject], keys)

    def _put_what_names(self) -> None:
        """Call paths and service lines that name the people and groups asked about, and the numbers
        that follow those paths."""
        naming = _naming(self.records, self.wanted)
        self.get(PathVersion, naming)
        ringing = {key for subject, key in self.wanted.named if subject is Subject.GROUP}
        if ringing:
            lines = self.records.all(ServiceLine)
            self.put(line for line in lines if ringing & set(line.groups))
        users = self.wanted.path_users | (naming if ringing else set())
        self.roots += self.put(
            self.records.where_in(
                Number, tables.life.c.path, users, is_open(), order_by=tables.life.c.number
            )
        )

    def _listed(self, trunks: set[str]) -> list[Number]:
        """The numbers on the lists of trunks. Raises NotAllowedNow where there are too many to be
        judged one by one."""
        if not trunks:
            return []
        on_it = (tables.life.c.trunk.in_(sorted(trunks)), is_open())
        order, most = tables.life.c.number, MOST_LISTED + 1
        found = self.put(self.records.where(Number, *on_it, order_by=order, limit=most))
        if len(found) > MOST_LISTED:
            message = (
                f"More than {MOST_LISTED:,} numbers are on its list. Put them on other trunks"
                " first, some thousands at a time."
            )
            raise NotAllowedNow(message, reason="too-many")
        return found

    def _holders(self) -> set[HolderRef]:
        """Whoever has, or is to have, one of the numbers that were wanted, or was wanted."""
        lines = (
            {
                HolderRef(kind=HolderKind.SERVICE_LINE, id=x.id)
                for x in self.estate.all(ServiceLine)
                if {(Subject.GROUP, g) for g in x.groups} & self.wanted.named
            }
            if self.wanted.named
            else set()
        )
        return (
            self.wanted.holders
            | self._prepared()
            | lines
            | {n.holder for n in self.roots if n.holder}
            | {n.reserved_for for n in self.roots if n.reserved_for}
        )

    def put_what_is_held(self) -> None:
        """Numbers and licences of the holders concerned; of their sites the numbers by which a call
        for help is rung back, and the spots."""
        refs = self._holders()
        # who is not here may be brought by a task of the same work order
        here = [
            ref
            for ref in self.wanted.holders | self._prepared()
            if self.estate.get(RECORD_TYPES[ref.subject], ref.id)
        ]
        self.sites = (
            self.wanted.sites
            | {n.site for n in self.roots}
            | {self.estate.site_of(ref).id for ref in here}
        )
        sites = {HolderRef(kind=HolderKind.SITE, id=site) for site in self.sites}
        self.put(self.records.held_by(Number, refs | sites))
        self.put(self.records.held_by(Grant, refs))
        self.put(self.records.where_in(Spot, tables.spot.c.site, self.sites))

    def _prepared(self) -> set[HolderRef]:
        """Whoever has been chosen for the numbers of a port."""
        return {line.holder for p in self.estate.all(Port) for line in p.lines if line.holder}

    def put_phones(self) -> None:
        people = {p.id for p in self.estate.all(Person)}
        self.put(self.records.where_in(Device, tables.device.c.person, people))

    def put_callers_left_out(self) -> None:
        """People who are rung back on the main numbers asked about, as far as they have none of
        their own, and what is held by those there who are known anyway."""
        asked = self.wanted.rung_back | {
            e164 for out in self.estate.all(PortOut) for e164 in out.numbers
        }
        sites = {n.site for e164 in asked if (n := self.estate.get(Number, e164)) and is_main(n)}
        self.put(self.records.where_in(Person, tables.person.c.site, sites, *without_own()))
        there = [
            HolderRef(kind=HolderKind.PERSON, id=p.id)
            for p in self.estate.all(Person)
            if p.site in sites
        ]
        self.put(self.records.held_by(Number, there))

    def put_choices(self) -> None:
        """What a remedy can name: nothing that it refers to follows."""
        if not self.wanted.choices:
            return
        for number in _free_numbers(self.records, self.sites):
            if self.estate.get(Number, number.e164) is None:
                self.estate.put(number)
        here = tables.path.c.retired.is_(False)
        for path in self.records.where(
            PathVersion, here, order_by=tables.path.c.name, limit=MOST_CHOICES
        ):
            self.estate.put(path)


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


def _free_numbers(records: Records, sites: set[str]) -> list[Number]:
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
    return [Number.model_validate_json(body) for (body,) in rows]


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
