"""What the demo's carriers have charged in the months since it began, each covered by a deposit;
and the calls of the last ones."""

from collections import defaultdict
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal

from sqlalchemy import func, select

from sedge.core.changes import changed
from sedge.core.facts import Money, counted
from sedge.core.records import Account, Number, Subject, Trunk
from sedge.core.spend.months import Month, last_months
from sedge.core.supply.quote import pro_rata
from sedge.core.supply.reducers import charge
from sedge.demo.calls import Caller
from sedge.services.context import Desk
from sedge.services.spend import call_records, rate_decks, rating
from sedge.store.projections.fee_spans import UNPAID
from sedge.store.repositories.records import is_open
from sedge.store.schema import projected, spend

MONTHS_OF_CALLS = 3  # before this one
SOURCE = "Telephone system"
NIGHT = timedelta(minutes=10)
DAY = timedelta(days=1)
PENNY = Decimal("0.01")
GERMAN_TRUNKS = {"brackwater-berlin", "brackwater-hamburg"}
GERMAN_RATES = b"""Vorwahl;Ziel;Preis;Takt;Verbindungsentgelt
49;Deutschland;0,016;60/1;
4915;Deutschland, mobil;0,058;60/1;
44;Gro\xc3\x9fbritannien;0,021;60/1;
447;Gro\xc3\x9fbritannien, mobil;0,049;60/1;
33;Frankreich;0,024;60/1;
1;USA und Kanada;0,022;60/1;
1900;USA, Mehrwertdienste;0,990;60/60;0,10
"""


def load_german_rates(desk: Desk) -> None:
    """What Brackwater charges in euros over its German trunks."""
    with desk.reading() as reading:
        german = [x.id for x in reading.records.all(Trunk) if x.id in GERMAN_TRUNKS]
    for trunk in german:
        rate_decks.load(desk, trunk, GERMAN_RATES, currency="EUR")


def months_of_bills(
    desk: Desk, now: datetime, began_days_ago: float
) -> list[tuple[float, Callable[[], object]]]:
    """On the first of each month: the month that begins, the rest of the one before for what came
    during it, and its calls. As happenings by how many days ago."""
    begun = now - began_days_ago * DAY
    with_calls = set(last_months(now, MONTHS_OF_CALLS + 1)[:-1])
    found: list[tuple[float, Callable[[], object]]] = []
    month = Month.of(begun).later(1)
    while month.starts + NIGHT < now:
        found.append(
            (
                (now - month.starts - NIGHT) / DAY,
                _first_of(desk, month, with_calls=month.later(-1) in with_calls),
            )
        )
        month = month.later(1)
    return found


def _first_of(desk: Desk, month: Month, *, with_calls: bool) -> Callable[[], object]:
    def happen() -> None:
        before = month.later(-1)
        if with_calls:
            make_calls(desk, before)
        _charge(desk, _rests(desk, before), f"rest of {before.name}")
        _charge(desk, _calls(desk, before), f"calls of {before.name}")
        _charge(desk, _fees(desk), month.name)

    return happen


def make_calls(desk: Desk, month: Month) -> None:
    """The calls of a month, as the telephone system recorded them, and what they cost."""
    now = desk.now()
    with desk.as_system().writing() as writing:
        caller = Caller(writing.connection)
        last = min(month.last, now.date())
        call_records.keep_legs(
            writing, desk, SOURCE, caller.calls(month.first, last, now.astimezone(UTC))
        )
    rating.rate_month(desk, month)


def _numbers(desk: Desk) -> list[Number]:
    with desk.reading() as reading:
        found = reading.records.where(Number, is_open())
    return [n for n in found if n.state not in UNPAID]


def _fees(desk: Desk) -> dict[str, list[Decimal]]:
    due: dict[str, list[Decimal]] = defaultdict(list)
    for number in _numbers(desk):
        due[number.account].append(number.monthly.amount)
    return due


def _rests(desk: Desk, month: Month) -> dict[str, list[Decimal]]:
    """Of numbers that came into service within the month."""
    span = projected.span
    first = select(span.c.number, func.min(span.c.since)).where(
        span.c.state.not_in([state.value for state in UNPAID])
    )
    with desk.reading() as reading:
        begun = dict(reading.connection.execute(first.group_by(span.c.number)).all())
    due: dict[str, list[Decimal]] = defaultdict(list)
    for number in _numbers(desk):
        since = begun[int(number.e164)].replace(tzinfo=UTC)
        if since in month and since > month.starts:
            due[number.account].append(pro_rata(number.monthly, since.date()).amount)
    return due


def _calls(desk: Desk, month: Month) -> dict[str, list[Decimal]]:
    """The sum of a month's calls, as a carrier rounds it."""
    table = spend.call_record
    query = (
        select(table.c.account, func.sum(table.c.cost), func.count())
        .where(table.c.day.startswith(f"{month}-"), table.c.cost > 0)
        .group_by(table.c.account)
    )
    with desk.reading() as reading:
        return {
            account: [(Decimal(cost) / 10_000).quantize(PENNY, ROUND_HALF_UP)]
            for account, cost, _ in reading.connection.execute(query)
        }


def _charge(desk: Desk, due: dict[str, list[Decimal]], words: str) -> None:
    """Charged by the carrier, and covered by a deposit of the same day."""
    with desk.as_system().reading() as reading:
        accounts = [a for a in reading.records.all(Account) if sum(due.get(a.id, []))]
    for account in accounts:
        amounts = due[account.id]
        what = words if words.startswith("calls") else f"{words}, {counted(len(amounts), 'number')}"
        total = Money(amount=sum(amounts, Decimal(0)), currency=account.balance.currency)
        with desk.as_system().writing(reason=what) as writing:
            now = writing.records.the(Account, account.id)
            taken = writing.save([charge(now, total)])[0].after
        with desk.as_system().writing(reason=f"covers {what}") as writing:
            paid = taken.but(balance=taken.balance + total)
            writing.save([changed(Subject.ACCOUNT, taken, paid, "account.deposited")])
