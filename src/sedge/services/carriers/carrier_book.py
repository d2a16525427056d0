"""Carriers that somebody adds by hand, and what is agreed with each: who to ask, until when."""

import re
from collections.abc import Iterator
from datetime import date, timedelta
from urllib.parse import urlsplit

from pydantic import BaseModel, ConfigDict, Field

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import Capacity, Subject, SupplyModel
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.mail_addresses import is_mail_address
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import Carrier
from sedge.core.supply.records import Contact
from sedge.services.context import Context, Reading

MOST_CONTACTS = 20
REMINDED_BEFORE = timedelta(days=60)


class CarrierAsked(BaseModel):
    """A carrier as somebody types it: countries and capacities with commas between, a contact a
    line (name, role, mail, phone), the end of the contract as ISO 8601."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(default="", max_length=200)
    countries: str = Field(default="", max_length=500)
    supply_model: str = Field(default=SupplyModel.OWN_TRUNK.value, max_length=40)
    contact: str = Field(default="", max_length=200)
    contacts: str = Field(default="", max_length=5000)
    support_hours: str = Field(default="", max_length=200)
    portal: str = Field(default="", max_length=500)
    terms: str = Field(default="", max_length=1000)
    notice_days: str = Field(default="0", max_length=10)
    minimum_months: str = Field(default="0", max_length=10)
    contract_ends: str = Field(default="", max_length=40)
    contract_notice_days: str = Field(default="0", max_length=10)


def add(context: Context, asked: CarrierAsked) -> Carrier:
    """One that can't be reached over the wire: its orders go on paper, its lists come as files.
    Raises NotUnderstood naming the field, NotAllowedNow for a name that is taken."""
    context.require(May.PAY)
    made = _read(
        asked,
        Carrier(
            id=context.new_id("carrier"),
            name="new",
            supply_model=SupplyModel.OWN_TRUNK,
            countries=(),
            capacities=(Capacity.ANY,),
            asks_of={},
            registers_addresses=False,
        ),
    )
    return _save(context, None, made, "carrier.added")


def change_carrier(context: Context, key: str, asked: CarrierAsked) -> Carrier:
    """What is agreed with a carrier. Raises NotFound, NotUnderstood naming the field."""
    context.require(May.PAY)
    before = one(context, key)
    after = _read(asked, before)
    return before if after == before else _save(context, before, after, "carrier.changed")


def one(context: Context, key: str) -> Carrier:
    with context.reading() as reading:
        return reading.records.the(Carrier, key)


def _save(context: Context, before: Carrier | None, after: Carrier, action: str) -> Carrier:
    with context.writing() as writing:
        others = [c for c in writing.records.all(Carrier) if c.id != after.id]
        if any(c.name.casefold() == after.name.casefold() for c in others):
            message = f"There is a carrier called {after.name} already."
            raise NotAllowedNow(message, field="name", reason="exists")
        return writing.save([changed(Subject.CARRIER, before, after, action)])[0].after


def as_typed(carrier: Carrier) -> dict[str, str]:
    """A carrier as its form has it."""
    return {
        "name": carrier.name,
        "countries": ", ".join(carrier.countries),
        "supply_model": carrier.supply_model.value,
        "contact": carrier.contact,
        "contacts": "\n".join(
            ", ".join(part for part in (c.name, c.role, c.mail, c.phone) if part)
            for c in carrier.contacts
        ),
        "support_hours": carrier.support_hours,
        "portal": carrier.portal,
        "terms": carrier.terms,
        "notice_days": str(carrier.notice_days),
        "minimum_months": str(carrier.minimum_months),
        "contract_ends": carrier.contract_ends.isoformat() if carrier.contract_ends else "",
        "contract_notice_days": str(carrier.contract_notice_days),
    }


def _read(asked: CarrierAsked, of: Carrier) -> Carrier:
    name = " ".join(asked.name.split())
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A carrier needs a name of at most 80 characters.", field="name")
    if asked.supply_model not in set(SupplyModel):
        message = f"Choose how it supplies: {', '.join(SupplyModel)}."
        raise NotUnderstood(message, field="supply_model")
    return of.copy_with(
        name=name,
        countries=_countries(asked.countries),
        supply_model=SupplyModel(asked.supply_model),
        contact=_mail(asked.contact, "contact"),
        contacts=_contacts(asked.contacts),
        support_hours=" ".join(asked.support_hours.split()),
        portal=_portal(asked.portal),
        terms=" ".join(asked.terms.split()),
        notice_days=_whole(asked.notice_days, "notice_days", 730),
        minimum_months=_whole(asked.minimum_months, "minimum_months", 120),
        contract_ends=_day(asked.contract_ends),
        contract_notice_days=_whole(asked.contract_notice_days, "contract_notice_days", 730),
    )


def _countries(text: str) -> tuple[str, ...]:
    names = {c.name.casefold(): code for code, c in COUNTRIES.items()}
    found: list[str] = []
    for word in (part.strip() for part in re.split(r"[,;\n]+", text) if part.strip()):
        code = word.upper() if word.upper() in COUNTRIES else names.get(word.casefold())
        if code is None:
            message = f"“{word[:40]}” is no country known here: {', '.join(COUNTRIES)}."
            raise NotUnderstood(message, field="countries")
        found.append(code)
    if not found:
        raise NotUnderstood("Name at least one country, such as GB.", field="countries")
    return tuple(dict.fromkeys(found))


def _mail(text: str, field: str) -> str:
    plain = text.strip()
    if plain and not is_mail_address(plain):
        message = f"“{plain[:60]}” is no mail address."
        raise NotUnderstood(message, field=field)
    return plain


def _contacts(text: str) -> tuple[Contact, ...]:
    """One a line: what has an @ is a mail address, what is mostly digits a phone."""
    found: list[Contact] = []
    for line in (row.strip() for row in text.splitlines() if row.strip()):
        parts = [part.strip()[:80] for part in line.split(",") if part.strip()]
        mail = next((p for p in parts if "@" in p), "")
        phone = next((p for p in parts if sum(c.isdigit() for c in p) >= 5 and "@" not in p), "")
        names = [p for p in parts if p not in {mail, phone}]
        if not names:
            message = f"“{line[:60]}” names nobody: type name, role, mail, phone."
            raise NotUnderstood(message, field="contacts")
        role = ", ".join(names[1:])[:80]
        found.append(Contact(name=names[0], role=role, mail=_mail(mail, "contacts"), phone=phone))
    if len(found) > MOST_CONTACTS:
        raise NotUnderstood(f"At most {MOST_CONTACTS} contacts.", field="contacts")
    return tuple(found)


def _portal(text: str) -> str:
    plain = text.strip()
    if plain and (urlsplit(plain).scheme not in {"http", "https"} or not urlsplit(plain).netloc):
        message = "The portal is a web address such as https://portal.example."
        raise NotUnderstood(message, field="portal")
    return plain


def _whole(text: str, field: str, most: int) -> int:
    plain = text.strip() or "0"
    if not plain.isascii() or not plain.isdigit() or int(plain[:6]) > most:
        raise NotUnderstood(f"Type a number from 0 to {most}.", field=field)
    return int(plain)


def _day(text: str) -> date | None:
    if not text.strip():
        return None
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        message = f"“{text[:20]}” is no day: type one such as 2027-03-31."
        raise NotUnderstood(message, field="contract_ends") from None


def contracts_to_decide(reading: Reading) -> Iterator[tuple[Carrier, date]]:
    """Contracts whose last day for notice is near, with that day."""
    today = reading.now.date()
    for carrier in reading.records.all(Carrier):
        if carrier.contract_ends is None or carrier.contract_ends < today:
            continue
        last = carrier.contract_ends - timedelta(days=carrier.contract_notice_days)
        if today <= last <= today + REMINDED_BEFORE:
            yield carrier, last
