"""Several organisations in one installation, each with an estate and administrators of its own; a
new one set up from a pattern.

Each has a database file of its own, so nobody sees across. Carriers' descriptions, licence
products, letters and the levels of rules are copied from the pattern; people, sites, numbers,
accounts and work are not.
"""

import hashlib
import re
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from sqlalchemy import func, insert, select

from sedge.core.access.roles import AccessRole, May
from sedge.core.changes import changed
from sedge.core.errors import NotUnderstood, OutsideTrouble, SedgeError
from sedge.core.licences.reducers import free_seats
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import Account, Carrier, CivicElements, Product, Subject
from sedge.services.carriers import accounts
from sedge.services.carriers.accounts import Wanted
from sedge.services.context import Context
from sedge.services.holders import site_management
from sedge.services.safety import safety
from sedge.services.today import today
from sedge.store.repositories.access import sign_ins
from sedge.store.repositories.access.sign_ins import Member, Organisation
from sedge.store.repositories.workorders import running_count
from sedge.store.schema import holders as holder_tables
from sedge.store.schema import projected, tables

MOST_ADMINISTRATORS = 10
COPIED_TABLES = (
    holder_tables.letter_text,
    holder_tables.rule_level,
)  # templates name people and numbers, so none is taken along
ADDRESS = ("street", "house_number", "city", "postcode", "region")


@dataclass(frozen=True)
class Mine:
    """An organisation that somebody acts for, at a glance."""

    organisation: Organisation
    role: AccessRole
    numbers: int
    people: int
    todo: int
    running: int
    is_here: bool


def mine(context: Context) -> list[Mine]:
    """All organisations the member may act for; of others nothing is told."""
    installation = context.installation
    with installation.shared.reading() as connection:
        found = sign_ins.memberships_of(connection, context.who.sign_in)
    return [
        _glance(installation.context(m), is_here=m.organisation == context.who.organisation)
        for m in found
        if m.organisation in installation.estates
    ]


def _glance(context: Context, *, is_here: bool) -> Mine:
    person = tables.person
    with context.reading() as reading:
        numbers = (
            reading.connection.execute(
                select(func.coalesce(func.sum(projected.tally.c.count), 0))
            ).scalar()
            or 0
        )
        people = (
            reading.connection.execute(
                select(func.count()).where(person.c.departed.is_(False))
            ).scalar()
            or 0
        )
        running = running_count(reading.connection)
    return Mine(
        context.organisation,
        context.who.role,
        int(numbers),
        int(people),
        len(today.waiting(context)),
        running,
        is_here,
    )


# ── a new one ──


@dataclass(frozen=True)
class Check:
    """One thing that is looked at before anything is made: `ok` False stops it; `choices` are what
    was perhaps meant."""

    what: str
    ok: bool
    says: str
    choices: tuple[dict[str, Any], ...] = ()


@dataclass(frozen=True)
class Review:
    """What would be made, and what stops it."""

    checks: list[Check]
    form: dict[str, Any]

    @property
    def runnable(self) -> bool:
        return all(c.ok for c in self.checks)


def review(context: Context, form: dict[str, Any]) -> Review:
    """Everything looked at and nothing made. Raises NotUnderstood naming the field for what can't
    be read at all."""
    context.require(May.SET_RULES)
    name, country = _name(form), _country(form)
    known = _mine(context)
    taken = any(
        o.name.casefold() == name.casefold() and o.id != _identity(context, form) for o in known
    )
    checks = [
        Check(
            "Name",
            not taken,
            f"You have an organisation called {name} already." if taken else f"{name} is new here.",
        )
    ]
    checks += [_administrator_checked(context, mail) for mail in _mails(form)]
    with context.reading() as reading:
        carriers = {c.id: c for c in reading.records.all(Carrier)}
        held = {a.carrier for a in reading.records.all(Account)}
    for key in form.get("carriers", []):
        carrier = carriers.get(key)
        opens = carrier is not None and key in held and key in context.outside.carriers
        serves = carrier is not None and country in carrier.countries
        words = (
            f"An account of their own will be opened at {carrier.name}."
            if carrier and opens
            else "opens no accounts over the wire; they sign with it themselves."
        )
        checks.append(
            Check(
                f"Carrier {carrier.name if carrier else key}",
                opens and serves,
                (
                    words
                    if serves or not carrier
                    else f"{carrier.name} does not serve {COUNTRIES[country].name}."
                ),
            )
        )
    checks.append(_address_checked(context, form, country))
    return Review(checks, form)


def _mine(context: Context) -> list[Organisation]:
    """The organisations of the member; of others nothing is told, not even that a name is taken."""
    with context.installation.shared.reading() as connection:
        ids = {m.organisation for m in sign_ins.memberships_of(connection, context.who.sign_in)}
        return [o for o in sign_ins.organisations(connection) if o.id in ids]


def _name(form: dict[str, object]) -> str:
    name = str(form.get("name", "")).strip()
    if not 1 <= len(name) <= 120:
        raise NotUnderstood("An organisation needs a name of at most 120 characters.", field="name")
    return name


def _country(form: dict[str, object]) -> str:
    country = str(form.get("country", "")).upper()
    if country not in COUNTRIES:
        raise NotUnderstood(f"Countries are: {', '.join(COUNTRIES)}.", field="country")
    return country


def _mails(form: dict[str, object]) -> list[str]:
    found = [
        m.strip().lower()
        for m in re.split(r"[\s,;]+", str(form.get("administrators", "")))
        if m.strip()
    ]
    if len(found) > MOST_ADMINISTRATORS:
        raise NotUnderstood(
            f"At most {MOST_ADMINISTRATORS} administrators at first.", field="administrators"
        )
    return found


def _administrator_checked(context: Context, mail: str) -> Check:
    """Only those whom the member knows from an organisation of their own: a stranger's sign-in is
    not told of."""
    with context.installation.shared.reading() as connection:
        known = sign_ins.by_email(connection, mail)
        shared = {m.organisation for m in sign_ins.memberships_of(connection, context.who.sign_in)}
        theirs = (
            {m.organisation for m in sign_ins.memberships_of(connection, known.id)}
            if known
            else set()
        )
    ok = bool(shared & theirs)
    return Check(
        f"Administrator {mail}",
        ok,
        "signs in already." if ok else "does not sign in to any of your organisations.",
    )


def _address_checked(context: Context, form: dict[str, Any], country: str) -> Check:
    typed = CivicElements(
        country=country, **{k: str(form.get(k, "")).strip()[:200] for k in ADDRESS}
    )
    if not typed.street:
        return Check("First site", True, "None yet; it can be added later.")
    code = str(form.get("code", "")).strip().upper()
    if not (len(code) == 3 and code.isascii() and code.isalpha()):
        return Check(
            "First site",
            False,
            "Its letters are three letters, such as WHF; spot codes begin with them.",
        )
    try:
        found = safety.checked_address(context, typed, accepted=bool(form.get("accepted")))
    except SedgeError as error:
        return Check("First site", False, error.message, tuple(error.facts.get("choices", ())))
    return Check(
        "First site", True, f"{found.elements.one_line} is in the register ({found.verdict.value})."
    )


def _identity(context: Context, form: dict[str, object]) -> str:
    """The id that a form's token stands for: always made here, out of who asks and the token, so
    that nobody can name another's.

    The same form sent twice by the same person means the same organisation; a form without a token
    a new one each time.
    """
    token = str(form.get("token", ""))
    if not token:
        return ""
    return (
        "org-"
        + hashlib.sha256(
            f"{context.who.sign_in}/{context.who.organisation}/{token}".encode()
        ).hexdigest()[:12]
    )


def create(context: Context, form: dict[str, Any]) -> Organisation:
    """Make it: what the pattern has, accounts with their trunks, the first site; and last, in one
    transaction, the organisation with its administrators. Until then nobody can get in, and the
    same form sent again goes on where it stopped; afterwards it changes nothing.

    Raises NotUnderstood with what stops it, OutsideTrouble where a carrier or the register is
    silent.
    """
    context.require(May.SET_RULES)
    installation, key = context.installation, _identity(context, form) or context.new_id("org")
    if made := next((o for o in _mine(context) if o.id == key), None):
        return made
    found = review(context, form)
    if stopped := next((c for c in found.checks if not c.ok), None):
        raise NotUnderstood(
            f"{stopped.what}: {stopped.says}", field="name" if stopped.what == "Name" else None
        )
    organisation = Organisation(key, _name(form), _country(form))
    first = Member(
        context.who.sign_in,
        context.who.name,
        context.who.email,
        organisation.id,
        AccessRole.ADMINISTRATOR,
    )
    if organisation.id not in installation.estates:
        installation.open_estate(organisation)
    into = installation.context(first)
    _copy_pattern(context, into)
    trouble = [
        opened.problem
        for key in form.get("carriers", [])
        if (opened := _account(context, into, key, organisation)).problem
    ]
    if trouble:
        raise OutsideTrouble(
            f"An account could not be opened: {trouble[0]} Nothing is set up yet. Send the form"
            " again, and it goes on."
        )
    _first_site(into, form, organisation)
    with installation.shared.reading() as connection:
        others = [
            known.id for mail in _mails(form) if (known := sign_ins.by_email(connection, mail))
        ]
    installation.add_organisation(
        organisation,
        [
            first,
            *(Member(key, "", "", organisation.id, AccessRole.ADMINISTRATOR) for key in others),
        ],
    )
    return organisation


def _copy_pattern(context: Context, into: Context) -> None:
    with context.reading() as reading:
        records = [
            *reading.records.all(Carrier),
            *(p for p in reading.records.all(Product) if not p.withdrawn),
        ]
        rows = {
            table: [dict(row._mapping) for row in reading.connection.execute(select(table))]
            for table in COPIED_TABLES
        }
    with into.writing(reason=f"set up like {context.organisation.name}") as writing:
        known = {r.id for r in (*writing.records.all(Carrier), *writing.records.all(Product))}
        subjects = {
            Carrier: (Subject.CARRIER, "carrier.added"),
            Product: (Subject.PRODUCT, "product.added"),
        }
        fresh = [r for r in records if r.id not in known]
        if fresh:
            writing.save(
                [
                    changed(
                        subjects[type(r)][0], None, r.copy_with(version=0), subjects[type(r)][1]
                    )
                    for r in fresh
                ]
            )
        if free := free_seats([], writing.estate(LoadSpec())):
            writing.save(free)
        for table, found in rows.items():
            if (
                found
                and writing.connection.execute(select(func.count()).select_from(table)).scalar()
                == 0
            ):
                writing.connection.execute(insert(table), found)


def _account(
    context: Context, into: Context, carrier: str, organisation: Organisation
) -> accounts.Opened:
    wanted = Wanted(organisation.name[:80], Decimal(0), context.who.email)
    return accounts.open_for(
        context, into, carrier, wanted, key=f"{organisation.id}-{carrier}"[:80]
    )


def _first_site(into: Context, form: dict[str, object], organisation: Organisation) -> None:
    if not str(form.get("street", "")).strip() or site_management.plain_sites(into):
        return
    typed = CivicElements(
        country=organisation.home_country,
        **{k: str(form.get(k, "")).strip()[:200] for k in ADDRESS},
    )
    with into.reading() as reading:
        account = next((a.id for a in reading.records.all(Account)), None)
    site_management.add_site(
        into,
        name=str(form.get("site_name", "")).strip() or organisation.name,
        code=str(form.get("code", "")).strip().upper(),
        typed=typed,
        accepted=bool(form.get("accepted")),
        account=account,
        security_desk=str(form.get("security_desk", "")).strip()[:200],
    )
