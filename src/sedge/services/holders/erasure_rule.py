"""Personal data of people who have left is erased by itself, as many days after they left as the
organisation says."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotUnderstood
from sedge.core.records import ORGANISATION, Defaults, Person, Subject
from sedge.services.context import Context, Reading
from sedge.services.holders import erasure
from sedge.services.periodic import periodic
from sedge.store.schema import chain, tables

NAME, AT_NIGHT = "personal data erased", timedelta(hours=4)
LEAST_DAYS, MOST_DAYS = 1, 3650
MOST_A_NIGHT = 40  # people; each takes their words out of every text, so the rest waits an hour


@dataclass(frozen=True)
class Leaver:
    """Somebody who has left and is still named. `since`: the last that was done about them, their
    leaving or what was taken back after it; `missing`: what stands in the way, '' for nothing;
    `on`: when they are erased by the rule, None for not by itself."""

    person: Person
    since: datetime
    missing: str
    on: datetime | None


@dataclass(frozen=True)
class Rule:
    """`days` 0: never by itself."""

    days: int
    leavers: list[Leaver]


def view(context: Context) -> Rule:
    """The rule and whom it concerns, who has been gone longest first."""
    context.require(May.SET_RULES)
    with context.reading() as reading:
        days = _days(reading)
        return Rule(days, _leavers(reading, days))


def set_days(context: Context, days: int) -> Rule:
    """Raises NotUnderstood naming the field."""
    context.require(May.SET_RULES)
    if days and not LEAST_DAYS <= days <= MOST_DAYS:
        message = f"Type {LEAST_DAYS} to {MOST_DAYS:,} days, or 0 for never by itself."
        raise NotUnderstood(message, field="days")
    with context.writing(reason="personal data of people who have left") as writing:
        before = writing.records.find(Defaults, ORGANISATION)
        after = (before or Defaults(id=ORGANISATION)).copy_with(erase_after_days=days)
        if days != (before.erase_after_days if before else 0):
            writing.save([changed(Subject.DEFAULTS, before, after, "organisation.erasure-set")])
    return view(context)


@periodic(NAME)
def erase_nightly(context: Context) -> int:
    """Erase those whose time is over, once a night; how many."""

    def erase() -> tuple[int, bool]:
        with context.reading() as reading:
            days = _days(reading)
            if not days:
                return 0, True
            due = [
                leaver.person.id
                for leaver in _leavers(reading, days)
                if leaver.on and leaver.on <= context.now() and not leaver.missing
            ]
        for key in due[:MOST_A_NIGHT]:
            erasure.erase(context, key, f"left more than {days} days ago")
        return len(due[:MOST_A_NIGHT]), len(due) <= MOST_A_NIGHT

    return context.installation.nightly(context.who.organisation, NAME, AT_NIGHT, erase)


def _days(reading: Reading) -> int:
    defaults = reading.records.find(Defaults, ORGANISATION)
    return defaults.erase_after_days if defaults else 0


def _leavers(reading: Reading, days: int) -> list[Leaver]:
    ledger, person = chain.ledger, tables.person
    last = (
        select(ledger.c.subject_id, func.max(ledger.c.at).label("at"))
        .where(ledger.c.subject == Subject.PERSON.value)
        .where(ledger.c.subject_id.in_(select(person.c.id).where(person.c.departed)))
        .group_by(ledger.c.subject_id)
    )
    since = {row.subject_id: row.at for row in reading.connection.execute(last)}
    people = [
        p
        for p in reading.records.where(Person, person.c.departed)
        if not erasure.is_erased(p) and p.id in since
    ]
    missing = erasure.what_is_missing(reading, people)
    found = [
        Leaver(
            p,
            since[p.id],
            missing[p.id],
            since[p.id] + timedelta(days=days) if days else None,
        )
        for p in people
    ]
    return sorted(found, key=lambda leaver: (leaver.since, leaver.person.name))
