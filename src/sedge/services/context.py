"""The desk: what a use case works with. It owns the transaction: state, ledger and outgoing mail
land together."""

import secrets
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from functools import cached_property
from typing import NamedTuple, TypeVar
from zoneinfo import ZoneInfo

import structlog
from sqlalchemy import Connection
from sqlalchemy.exc import DatabaseError

from sedge.core.access.one_time import organisation_in
from sedge.core.access.roles import AccessRole, May, allowed
from sedge.core.access.scope import Scope
from sedge.core.errors import Forbidden, NotFound, OutOfOrder
from sedge.core.estate import Change, Decks, Estate
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.e164 import read_by
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import Account, Hold, Site, Subject, Trunk
from sedge.core.safety.emergency_matrix import refuse_new_holes, those_that_dial
from sedge.core.spend.rates.rate_decks import Deck
from sedge.outside.carrier import CarrierService
from sedge.outside.outside import Outside
from sedge.services.clock import Clock
from sedge.services.process import Process
from sedge.services.remembering import Remembering
from sedge.settings import Settings
from sedge.store import loading as estate_store
from sedge.store import reach, saving
from sedge.store import secrets as secrets_store
from sedge.store.database import Database
from sedge.store.repositories import rule_levels, workorders
from sedge.store.repositories.access import sign_ins
from sedge.store.repositories.access.sign_ins import Member, Organisation
from sedge.store.repositories.records import Records
from sedge.store.repositories.spend import rate_decks
from sedge.store.schema import tables
from sedge.store.secrets import Keyring
from sedge.store.stamp import Stamp

T = TypeVar("T")
log = structlog.get_logger("sedge")
NIGHT_AGAIN = timedelta(hours=1)


def _fresh_id(prefix: str) -> str:
    return f"{prefix}-{secrets.token_hex(5)}"


def _night_after(now: datetime, at: timedelta) -> datetime:
    night = now.replace(hour=0, minute=0, second=0, microsecond=0) + at
    return night if night > now else night + timedelta(days=1)


@dataclass
class Installation(Remembering):
    """What one process has: settings, clock, databases, clients of the outside. `damaged`: what is
    wrong with organisations whose database can't be read; all others go on. `next_at`: when
    something that is done now and then is due, by organisation and name; `process`: what it is in
    the middle of."""

    settings: Settings
    clock: Clock
    shared: Database
    outside: Outside
    identity: Callable[[str], str] = _fresh_id
    estates: dict[str, Database] = field(default_factory=dict)
    organisations: dict[str, Organisation] = field(default_factory=dict)
    damaged: dict[str, str] = field(default_factory=dict)
    next_at: dict[tuple[str, str], datetime] = field(default_factory=dict)
    process: Process = field(default_factory=Process)
    _decks: dict[tuple[str, str], tuple[datetime, Deck]] = field(default_factory=dict)
    kind_of_database: type[Database] = Database
    kept_up_to: int = -1
    at_work: int = 0

    def __post_init__(self) -> None:
        super().__init__()

    @cached_property
    def keyring(self) -> Keyring:
        return Keyring(self.settings.data / "secret.key")

    def open(self) -> "Installation":
        """Migrate and open everything that is on disk and not yet open."""
        self.shared.migrate()
        with self.shared.reading() as connection:
            found = sign_ins.organisations(connection)
        for organisation in found:
            if organisation.id in self.estates:
                self.organisations[organisation.id] = organisation
                continue
            try:
                self.open_estate(organisation)
            except DatabaseError as error:
                self.set_aside(organisation, error)
        return self

    def set_aside(self, organisation: Organisation, error: Exception) -> None:
        """An organisation whose database is damaged stops none of the others."""
        told = str(error.__cause__ or error).splitlines()[0][:200]
        self.damaged[organisation.id] = told
        self.organisations[organisation.id] = organisation
        self.estates.pop(organisation.id, None)
        log.error("organisation set aside", organisation=organisation.id, error=told)

    def open_estate(self, organisation: Organisation) -> Database:
        file = self.settings.data / f"estate-{organisation.id}.sqlite"
        database = self.kind_of_database(file, "estate", durable=self.settings.durable)
        database.migrate()
        self.estates[organisation.id] = database
        self.organisations[organisation.id] = organisation
        return database

    def add_organisation(self, organisation: Organisation, first: Sequence[Member] = ()) -> None:
        """With its first members, in one transaction: an organisation nobody can get into would be
        lost."""
        with self.shared.writing() as connection:
            sign_ins.add_organisation(connection, organisation, self.clock.real())
            for member in first:
                sign_ins.add_membership(connection, member)
        if organisation.id not in self.estates:
            self.open_estate(organisation)

    def context(self, who: Member) -> "Context":
        if who.organisation in self.damaged:
            raise OutOfOrder(
                f"The data of {self.organisations[who.organisation].name} can't be read just now."
                " Those who run Sedge restore it from a backup; nothing you did was lost by you."
            )
        if who.organisation not in self.estates:
            raise NotFound(
                "There is no such organisation.", subject="organisation", id=who.organisation
            )
        return Context(self, who)

    def decks_of(self, context: "Context", connection: Connection) -> Decks | None:
        """The rate decks of an organisation by trunk and carrier; None where it has none. Each is
        read once after it was loaded."""
        known = rate_decks.list_decks(connection)
        if not known:
            return None
        found: dict[tuple[str, str], Deck] = {}
        for facts in known:
            key = context.who.organisation, facts.id
            cached = self._decks.get(key)
            if cached is None or cached[0] != facts.loaded_at:
                deck = rate_decks.read_deck(connection, facts)
                cached = self._decks[key] = (facts.loaded_at, deck)
            found[facts.trunk, "" if facts.trunk else facts.carrier] = cached[1]

        def decks(trunk: str, carrier: str) -> list[Deck]:
            return [found[key] for key in ((trunk, ""), ("", carrier)) if key in found]

        return decks

    def nightly(
        self, organisation: str, name: str, at: timedelta, do: Callable[[], tuple[int, bool]]
    ) -> int:
        """Call `do` once a night, `at` after midnight (UTC), and an hour later again where it says
        that it is not done; what it did."""
        key, now = (organisation, name), self.clock.now()
        due = self.next_at.setdefault(key, _night_after(now, at))
        if now < due:
            return 0
        done, is_whole = do()
        self.next_at[key] = _night_after(now, at) if is_whole else now + NIGHT_AGAIN
        return done

    def home_zone(self, organisation: str) -> ZoneInfo:
        """The time zone of the organisation's home country, in which its pages tell moments."""
        return ZoneInfo(COUNTRIES[self.organisations[organisation].home_country].timezone)

    def close(self) -> None:
        self.forget()
        for database in (*self.estates.values(), self.shared):
            database.close()
        self.outside.close()


class Reading:
    """A read transaction."""

    def __init__(self, connection: Connection, context: "Context") -> None:
        self.connection = connection
        self.records = Records(connection)
        self.now = context.now()
        self._home = context.organisation.home_country
        self._context = context

    def estate(self, needs: LoadSpec) -> Estate:
        """What rules and traces look at: whole, also for somebody who is kept to sites, for a rule
        holds whoever asks."""
        with self._whole() as connection:
            estate = estate_store.load(Records(connection), needs, self.now, home=self._home)
            estate.raised = rule_levels.raised(connection)
            estate.decks = self._context.installation.decks_of(self._context, connection)
        return estate

    @contextmanager
    def _whole(self) -> Iterator[Connection]:
        if self._context.who.scope.is_whole:
            yield self.connection
        else:
            with self._context.installation.estates[
                self._context.who.organisation
            ].reading() as connection:
                yield connection

    def look_at(self, subject: Subject, key: str) -> Estate:
        return self.estate(estate_store.needs_of(subject, key))


class Writing(Reading):
    """A write transaction. `save` and `record_event` put the ledger's entries in with it."""

    def __init__(self, connection: Connection, context: "Context", stamp: Stamp) -> None:
        super().__init__(connection, context)
        self.stamp = stamp
        self.scope = context.who.scope
        self._installation = context.installation.shared
        self.organisation_id = context.who.organisation
        self.organisation = context.organisation.name
        self.language = COUNTRIES[context.organisation.home_country].language

    @contextmanager
    def _whole(self) -> Iterator[Connection]:
        yield self.connection  # what is written must see itself; `save` refuses what is outside

    def save(self, changes: Sequence[Change]) -> list[Change]:
        """Persist changes. Raises Forbidden for a record that is, or would come to be, outside the
        member's reach; NotAllowedNow where emergency calls would not get out of a site any more."""
        refuse_outside(self, self.scope, changes)
        if dialling := those_that_dial(changes):
            refuse_new_holes(dialling, (self.records.all(Site), self.records.all(Trunk)))
        return saving.save(self.connection, changes, self.stamp)

    def record_event(
        self, action: str, subject: Subject, key: str, title: str, after: object = None
    ) -> None:
        """An entry about what is no record: a work order, a plan of a floor. Raises Forbidden for a
        site outside the member's reach."""
        if subject is Subject.SITE:
            self.scope.require(key)
        saving.record_event(
            self.connection,
            self.stamp,
            action=action,
            subject=subject,
            key=key,
            title=title,
            after=after,
        )

    def address_of(self, sign_in: str) -> str | None:
        """The mail address of a member of this organisation; None for Sedge itself, and for who is
        no member any more."""
        with self._installation.reading() as connection:
            here = sign_ins.members_of(connection, self.organisation_id)
        return next((m.email for m in here if m.sign_in == sign_in), None)

    def touch(self) -> None:
        saving.touch(self.connection)


@dataclass(frozen=True)
class Context:
    """One person (or program) at work for one organisation."""

    installation: Installation
    who: Member

    @property
    def actor(self) -> str:
        return self.who.name

    @property
    def organisation(self) -> Organisation:
        return self.installation.organisations[self.who.organisation]

    @property
    def outside(self) -> Outside:
        return self.installation.outside

    def at_carrier(self, account: Account) -> CarrierService:
        """The account's carrier, asked with the account's key. Raises NotFound for one that can't
        be reached over the wire."""
        service = self.outside.carrier(account.carrier)
        with self.installation.estates[self.who.organisation].reading() as connection:
            key = secrets_store.read(connection, self.installation.keyring, f"key of {account.id}")
        return service.with_key(key)

    def now(self) -> datetime:
        return self.installation.clock.now()

    @property
    def writes(self) -> int:
        """Moves with every write to the organisation's database, a moment later at most."""
        return self.installation.estates[self.who.organisation].writes_lately

    def new_id(self, prefix: str) -> str:
        return self.installation.identity(prefix)

    def as_system(self) -> "Context":
        """The same organisation, acted for by Sedge itself."""
        return replace(self, who=system_member(self.who.organisation))

    def require(self, what: May) -> None:
        if not allowed(self.who.role, what):
            raise Forbidden(
                f"As {self.who.role} you may not {what}. Ask an administrator.", may=what
            )

    def require_site(self, site: str | None) -> None:
        """A site manager changes what is at their own sites only. Raises Forbidden."""
        if site:
            self.who.scope.require(site)

    def require_whole(self) -> None:
        """For what concerns the whole organisation. Raises Forbidden for who looks after sites
        only."""
        self.who.scope.require(None)

    @contextmanager
    def reading(self) -> Iterator[Reading]:
        """Who is kept to sites reads of those only, and of what belongs to the whole
        organisation."""
        read_by(self.organisation.home_country)
        database, sites = self.installation.estates[self.who.organisation], self.who.scope.sites
        with database.reading() if sites is None else database.reading_at(sites) as connection:
            yield Reading(connection, self)

    @contextmanager
    def writing(self, *, reason: str = "", work_order: str | None = None) -> Iterator[Writing]:
        read_by(self.organisation.home_country)
        with self.installation.estates[self.who.organisation].writing() as connection:
            yield Writing(
                connection,
                self,
                Stamp(self.now(), self.actor, reason, work_order, self.who.sign_in),
            )


def refuse_outside(reading: Reading, scope: Scope, changes: Sequence[Change]) -> None:
    """Raises Forbidden where a change touches a record outside a member's reach."""
    scope.refuse_outside(changes, lambda pairs: reach.sites_of(reading.connection, pairs))


def system_member(organisation: str) -> Member:
    return Member(
        sign_in="sedge",
        name="Sedge",
        email="sedge@example.test",
        organisation=organisation,
        role=AccessRole.ADMINISTRATOR,
    )


LINK_GONE = "This link has been used, or its time is over. Ask the sender for another."


def context_of_link(
    installation: Installation, token: str, *, name: str, role: AccessRole
) -> Context:
    """Whoever follows a link that needs no account, in the organisation that the link belongs to.
    Raises NotFound for what is no such link."""
    organisation = organisation_in(token)
    if organisation not in installation.estates:
        raise NotFound(LINK_GONE, subject="link")
    who = Member(sign_in="link", name=name, email="", organisation=organisation, role=role)
    return installation.context(who)


def _open_holds(reading: Reading) -> list[tuple[str, int, datetime]]:
    """Holds that have neither run out nor been used: id, how many numbers, until when; the one that
    ends first before the others."""
    table = tables.hold
    found = reading.records.where(
        Hold,
        table.c.state == "held",
        table.c.expires_at > reading.now,
        order_by=table.c.expires_at,
        limit=20,
    )
    return [(h.id, len(h.numbers), h.expires_at) for h in found]


class HeadFacts(NamedTuple):
    """What the head of a page tells of the organisation: running work orders, holds, its name,
    whether the member has several."""

    running: int
    holds: list[tuple[str, int, datetime]]
    organisation: str
    several: bool


def head_facts(context: Context) -> HeadFacts:
    whose = context.who.sign_in
    several = context.installation.of_installation(
        ("memberships", whose),
        lambda connection: len(sign_ins.memberships_of(connection, whose)) > 1,
    )
    running, holds = context.installation.while_unchanged(
        context, f"head of a {context.who.role}", lambda: _running_and_holds(context)
    )
    now = context.now()
    return HeadFacts(
        running,
        [hold for hold in holds if hold[2] > now],
        context.organisation.name,
        several,
    )


def _running_and_holds(context: Context) -> tuple[int, list[tuple[str, int, datetime]]]:
    with context.reading() as reading:
        holds = _open_holds(reading) if allowed(context.who.role, May.BUY) else []
        return workorders.running_count(reading.connection), holds
