"""Unusual calls: found after each import, told on Today until somebody settles them."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import Connection, Row, func, insert, select, update

from sedge.core.access.roles import May
from sedge.core.enums import HolderKind, Right, Subject
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from sedge.core.facts import Money, counted, in_words
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.route_limits import CallOut, days_passed
from sedge.core.records import (
    ORGANISATION,
    Defaults,
    HolderRef,
    Person,
    ServiceLine,
    Site,
)
from sedge.core.spend.rates.rate_decks import amount_of
from sedge.core.spend.unusual_calls import Alarm, Call, Unusual, find
from sedge.core.workorders import tasks as t
from sedge.formats.letters import Letter
from sedge.services import mail
from sedge.services.context import Context, Reading
from sedge.services.periodic import periodic
from sedge.services.workorders import workorders
from sedge.store.repositories.access import sign_ins
from sedge.store.repositories.spend import calls
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import spend

LOOKED_AT = timedelta(days=14)
BEFORE = timedelta(days=56)
SHOWN = timedelta(days=90)
DEAR_RIGHTS = frozenset({Right.INTERNATIONAL, Right.PREMIUM})
LONGEST_WHY = 400
WITH_RIGHTS: dict[HolderKind, type[Person | ServiceLine | Site]] = {
    HolderKind.PERSON: Person,
    HolderKind.SERVICE_LINE: ServiceLine,
    HolderKind.SITE: Site,
}


@dataclass(frozen=True)
class AlarmView:
    """`holder` is who had the number then, None for nobody; `settled` says by whom and why, ''
    while it is open."""

    id: str
    kind: str
    number: str
    holder: HolderRef | None
    holder_name: str
    site: str
    first: datetime
    last: datetime
    calls: int
    cost: Money | None
    words: str
    settled: str

    @property
    def is_open(self) -> bool:
        return not self.settled


@periodic("unusual calls", after_changes=True)
def find_unusual_calls(context: Context) -> int:
    """What is unusual in the last two weeks, against the eight before; how much is new. Looked for
    again only when calls have come, or routes have changed."""
    now, table, shared = context.now(), spend.usage_month, context.installation.shared
    kept_under = f"calls seen {context.who.organisation}"[:40]
    with context.reading() as reading:
        query = select(func.sum(table.c.calls), func.sum(table.c.talk), func.sum(table.c.cost))
        whole = reading.records.find(Defaults, ORGANISATION)
        sums = (*reading.connection.execute(query).one(), whole.version if whole else 0)
        counted_now = " ".join(str(one or 0) for one in sums)
        with shared.reading() as connection:
            if sign_ins.setting(connection, kept_under) == counted_now:
                return 0
        latest = calls.latest(reading.connection)
        if latest is None or latest < now - LOOKED_AT:
            return 0
        known = set(reading.connection.execute(select(spend.alarm.c.id)).scalars())
        begins = now - LOOKED_AT
        latest_calls = list(_calls(reading.connection, begins, now))
        found = find(list(_calls(reading.connection, begins - BEFORE, begins)), latest_calls)
        fresh = [(alarm, _words(context, reading, alarm), "") for alarm in found]
        fresh += _beyond_limits(reading, latest_calls)
        rows = [
            (_row(reading, alarm, words), told)
            for alarm, words, told in fresh
            if alarm.id[:80] not in known
        ]
    if rows:
        with context.as_system().writing() as writing:
            writing.connection.execute(insert(spend.alarm), [row for row, _ in rows])
            for row, told in rows:
                words = str(row["words"])
                writing.record_event(
                    "calls.unusual", Subject.NUMBER, str(row["subject"]), words[:200]
                )
                if told:
                    letter = Letter("The limit of a route was passed", f"{words}\n")
                    mail.write(writing, f"alarm-{row['id']}"[:80], told, letter)
    with shared.writing() as connection:
        sign_ins.put_setting(connection, kept_under, counted_now)
    return len(rows)


def _calls(connection: Connection, since: datetime, until: datetime) -> Iterator[Call]:
    table = spend.call_record
    query = (
        select(
            table.c.started,
            table.c.number,
            table.c.other,
            table.c.talk,
            table.c.cost,
            table.c.currency,
        )
        .where(
            table.c.started >= int(since.timestamp()),
            table.c.started < int(until.timestamp()),
            table.c.direction != "in",
        )
        .order_by(table.c.started)
    )
    for row in connection.execute(query):
        yield Call(*row)


def _beyond_limits(reading: Reading, made: Sequence[Call]) -> list[tuple[Alarm, str, str]]:
    """Alarms of routes whose limits were passed, each in words and with who is told by mail."""
    whole = reading.records.find(Defaults, ORGANISATION)
    routes = whole.routes if whole else ()
    if not any(route.limits for route in routes):
        return []
    sites = {site.id: site for site in reading.records.all(Site)}
    held = calls.HeldNumbers(reading.connection)
    out = [
        CallOut(c.number, site, c.other, datetime.fromtimestamp(c.started, UTC), *c[3:6])
        for c in made
        if (site := sites.get(held(c.number, c.started).site))
    ]
    found = []
    for passed in days_passed(routes, out):
        times = [int(call.at.timestamp()) for call in passed.calls]
        currencies = {call.currency for call in passed.calls if call.currency}
        alarm = Alarm(
            Unusual.LIMIT,
            passed.number,
            min(times),
            max(times),
            len(passed.calls),
            sum(call.cost for call in passed.calls) if len(currencies) == 1 else 0,
            currencies.pop() if len(currencies) == 1 else "",
            f"{passed.day:%Y-%m-%d} {passed.route.name}",
        )
        words = (
            f"Route “{passed.route.name}” on {passed.day:%-d %B}: {passed.what}. Most were made by"
            f" {describe(f'+{passed.number}').shown}{_cost_words(alarm)}."
        )
        told = passed.route.limits.told if passed.route.limits else ""
        found.append((alarm, words, told))
    return found


def _row(reading: Reading, alarm: Alarm, words: str) -> dict[str, object]:
    held = calls.HeldNumbers(reading.connection)(alarm.number, alarm.first)
    return {
        "id": alarm.id[:80],
        "kind": alarm.kind.value,
        "subject": f"+{alarm.number}",
        "site": held.site,
        "first": alarm.first,
        "last": alarm.last,
        "calls": alarm.calls,
        "cost": alarm.cost,
        "currency": alarm.currency,
        "words": words,
        "settled_by": "",
        "settled_why": "",
    }


def _words(context: Context, reading: Reading, alarm: Alarm) -> str:
    held = calls.HeldNumbers(reading.connection)(alarm.number, alarm.first)
    site = reading.records.find(Site, held.site)
    zone = (
        ZoneInfo(site.timezone)
        if site
        else context.installation.home_zone(context.who.organisation)
    )
    begins = datetime.fromtimestamp(alarm.first, zone)
    ends = datetime.fromtimestamp(alarm.last, zone)
    shown = describe(f"+{alarm.number}").shown
    what = {
        Unusual.BURST: f"{alarm.calls} calls abroad or to premium numbers",
        Unusual.SHORT: f"{alarm.calls} calls of a few seconds",
        Unusual.PREMIUM: f"{counted(alarm.calls, 'call')} to premium numbers, the first ever",
        Unusual.NEW_COUNTRY: f"{counted(alarm.calls, 'call')} to {_country_name(alarm.about)},"
        " which nobody called before",
    }[alarm.kind]
    until = f"{ends:%H:%M}" if ends.date() == begins.date() else f"{ends:%-d %B %H:%M}"
    return f"{shown}: {what} on {begins:%-d %B}, {begins:%H:%M} to {until}{_cost_words(alarm)}."


def _cost_words(alarm: Alarm) -> str:
    if not alarm.cost or not alarm.currency:
        return ""
    return f", {in_words(Money(amount=amount_of(alarm.cost), currency=alarm.currency))}"


def _country_name(code: str) -> str:
    return COUNTRIES[code].name if code in COUNTRIES else code


def list_alarms(context: Context, *, only_open: bool = False) -> list[AlarmView]:
    """The latest first; settled ones of the last months too."""
    table = spend.alarm
    least = int((context.now() - SHOWN).timestamp())
    query = select(table).where(table.c.last >= least).order_by(table.c.first.desc())
    if only_open:
        query = query.where(table.c.settled_by == "")
    with context.reading() as reading:
        return [_view(reading, row) for row in reading.connection.execute(query).all()]


def _view(reading: Reading, r: Row[Any]) -> AlarmView:
    number = int(r.subject)
    held = calls.HeldNumbers(reading.connection)(number, r.first)
    holder, name = _holder(reading, held)
    cost = Money(amount=amount_of(r.cost), currency=r.currency) if r.currency else None
    settled = f"{r.settled_by}: {r.settled_why}" if r.settled_by else ""
    return AlarmView(
        r.id,
        r.kind,
        r.subject,
        holder,
        name,
        r.site,
        datetime.fromtimestamp(r.first, UTC),
        datetime.fromtimestamp(r.last, UTC),
        r.calls,
        cost,
        r.words,
        settled,
    )


def _holder(reading: Reading, held: calls.Held) -> tuple[HolderRef | None, str]:
    if not held.holder_id:
        return None, ""
    ref = HolderRef.model_validate({"kind": held.holder_kind, "id": held.holder_id})
    record_type = WITH_RIGHTS.get(ref.kind)
    record = reading.records.find(record_type, ref.id) if record_type else None
    return ref, record.name if record else ref.id


def _get(context: Context, key: str) -> AlarmView:
    found = next((a for a in list_alarms(context) if a.id == key), None)
    if found is None:
        raise NotFound("There is no such alarm.", subject="alarm", id=key)
    return found


def settle(context: Context, key: str, why: str) -> None:
    """Somebody has looked into it, and says what it was. Raises NotFound, NotUnderstood."""
    context.require(May.CHANGE_ESTATE)
    why = " ".join(why.split())
    if not 1 <= len(why) <= LONGEST_WHY:
        message = f"Say what it was, in at most {LONGEST_WHY} characters."
        raise NotUnderstood(message, field="why")
    found = _get(context, key)
    table = spend.alarm
    with context.writing(reason=why) as writing:
        writing.connection.execute(
            update(table).where(table.c.id == key).values(settled_by=context.actor, settled_why=why)
        )
        writing.record_event("calls.settled", Subject.NUMBER, found.number, found.words[:200])


def take_rights_away(context: Context, key: str) -> WorkOrder:
    """A work order that takes the right to call abroad and premium numbers from who had the number.
    Raises NotFound, NotAllowedNow."""
    context.require(May.CHANGE_ESTATE)
    found = _get(context, key)
    if found.holder is None:
        message = "Nobody had the number then, so there is no right to take away."
        raise NotAllowedNow(message, reason="nobody")
    record_type = WITH_RIGHTS.get(found.holder.kind)
    if record_type is None:
        message = "Its rights are set at that system itself."
        raise NotAllowedNow(message, reason="downstream")
    with context.reading() as reading:
        record = reading.records.the(record_type, found.holder.id)
    left = tuple(right for right in record.rights if right not in DEAR_RIGHTS)
    if left == record.rights:
        message = (
            f"{record.name} has no right to call abroad: the calls went out past Sedge’s rules."
            " Change the phone’s secret."
        )
        raise NotAllowedNow(message, reason="no-right")
    task = t.SetCallingRights(holder=found.holder, rights=left)
    return workorders.draft(
        context, f"Take dear calls away from {record.name}", [task], reason=found.words, look=True
    )
