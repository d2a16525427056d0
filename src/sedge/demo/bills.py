"""What the demo's carriers have charged in the months since it began, each covered by a deposit;
and the calls of the last ones."""

from collections import defaultdict
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal

from sqlalchemy import func, select

from sedge.core.changes import changed
from sedge.core.facts import Money, counted
from sedge.core.records import Account, Number, Subject, Trunk
from sedge.core.spend.closing import rounded
from sedge.core.spend.months import Month, last_months, to_minor_unit
from sedge.core.supply.quote import pro_rata
from sedge.core.supply.reducers import charge
from sedge.demo.traffic.calls import BURST_DAYS_AGO, Caller
from sedge.services.context import Context
from sedge.services.spend import budgets, call_records, costs, exchange, invoices, unusual_calls
from sedge.services.spend.rates import rate_decks, rating
from sedge.store.projections.fee_spans import UNPAID
from sedge.store.repositories.records import is_open
from sedge.store.repositories.spend import closed_months
from sedge.store.schema import projected, spend

MONTHS_CLOSED = 13
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


EURO_RATES = ((2, "0.8612"), (1, "0.8655"), (0, "0.8637"))  # months back
DOLLAR_RATES = ((2, "0.7641"), (1, "0.7702"), (0, "0.7688"))
BRISTOL_TRUNK = "fellgate-bristol"
BRISTOL_RATES = b"""prefix,destination,price,increments,connection fee
44,United Kingdom,0.011,1/1,
447,United Kingdom mobile,0.029,1/1,
49,Germany,0.016,1/1,
33,France,0.014,1/1,
1,United States and Canada,0.009,1/1,
"""


def load_rates(context: Context) -> None:
    """What Brackwater charges in euros over its German trunks, and Fellgate over its newest."""
    rate_decks.load(context, BRISTOL_TRUNK, BRISTOL_RATES, currency="GBP")
    with context.reading() as reading:
        german = [x.id for x in reading.records.all(Trunk) if x.id in GERMAN_TRUNKS]
    for trunk in german:
        rate_decks.load(context, trunk, GERMAN_RATES, currency="EUR")


def months_of_bills(
    context: Context, now: datetime, began_days_ago: float
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
                _first_of(
                    context,
                    month,
                    (now - BURST_DAYS_AGO * DAY).date(),
                    with_calls=month.later(-1) in with_calls,
                ),
            )
        )
        month = month.later(1)
    return found


def keep_books(context: Context, *, whole: bool) -> None:
    """This month's calls, what was unusual in them, last month's invoice and two budgets."""
    burst_on = context.now().date() - timedelta(days=BURST_DAYS_AGO)
    make_calls(context, Month.of(context.now()), burst_on)
    unusual_calls.find_unusual_calls(context)
    check_last_invoice(context)
    close_old_months(context)
    month = Month.of(context.now())
    rates = [f"{month.later(-back).first} EUR {rate}" for back, rate in EURO_RATES]
    if whole:
        rates += [f"{month.later(-back).first} USD {rate}" for back, rate in DOLLAR_RATES]
    exchange.add_rates(context, "\n".join(rates))
    budgets.set_budget(context, "site", "wharf-house", "300.00", "GBP")
    budgets.set_budget(context, "site", "canal-museum", "150.00", "GBP")


def close_old_months(context: Context) -> None:
    """All months but the last one, as they were closed in their time."""
    with context.as_system().writing(reason="closed in their time") as writing:
        for month in last_months(context.now(), MONTHS_CLOSED + 2)[:-2]:
            lines = costs.computed(writing, month, detailed=True)
            closed_months.keep(writing.connection, month, rounded(lines))


def check_last_invoice(context: Context) -> None:
    """Fellgate's invoice of last month, with mistakes such as carriers make."""
    month = Month.of(context.now()).later(-1)
    with context.reading() as reading:
        account = reading.records.the(Account, "fellgate-main")
    owed = invoices.expected_of(context, account, month)
    rows = [f"{number},Monthly fee,1,{fee}" for number, fee in sorted(owed.fees.items())]
    first, second = rows[3], rows[7]
    rows[11] = rows[11].replace("0.80", "0.95")
    rows[23] = rows[23].replace("0.80", "0.95")
    rows += [first, "+441134960998,Monthly fee,1,0.80", "+441134960999,Monthly fee,1,0.80"]
    rows.remove(second)
    calls = to_minor_unit(owed.calls_in_all, "GBP") + Decimal("3.12")
    rows.append(f",Calls {month.name},,{calls}")
    text = "Number,Description,Quantity,Amount\n" + "\n".join(rows) + "\n"
    invoices.receive(
        context,
        account.id,
        text.encode(),
        reference=f"FV-{month.year}{month.month:02d}-2207",
        month=str(month),
    )


def _first_of(
    context: Context, month: Month, burst_on: date, *, with_calls: bool
) -> Callable[[], object]:
    def happen() -> None:
        before = month.later(-1)
        if with_calls:
            make_calls(context, before, burst_on)
        _charge(context, _rests(context, before), f"rest of {before.name}")
        _charge(context, _calls(context, before), f"calls of {before.name}")
        _charge(context, _fees(context), month.name)

    return happen


def make_calls(context: Context, month: Month, burst_on: date) -> None:
    """The calls of a month, as the telephone system recorded them, and what they cost."""
    now = context.now()
    with context.as_system().writing() as writing:
        caller = Caller(writing.connection)
        last = min(month.last, now.date())
        call_records.keep_legs(
            writing, context, SOURCE, caller.calls(month.first, last, now.astimezone(UTC), burst_on)
        )
    rating.rate_month(context, month)


def _numbers(context: Context) -> list[Number]:
    with context.reading() as reading:
        found = reading.records.where(Number, is_open())
    return [n for n in found if n.state not in UNPAID]


def _fees(context: Context) -> dict[str, list[Decimal]]:
    due: dict[str, list[Decimal]] = defaultdict(list)
    for number in _numbers(context):
        due[number.account].append(number.monthly.amount)
    return due


def _rests(context: Context, month: Month) -> dict[str, list[Decimal]]:
    """Of numbers that came into service within the month."""
    span = projected.span
    first = select(span.c.number, func.min(span.c.since)).where(
        span.c.state.not_in([state.value for state in UNPAID])
    )
    with context.reading() as reading:
        begun = dict(reading.connection.execute(first.group_by(span.c.number)).all())
    due: dict[str, list[Decimal]] = defaultdict(list)
    for number in _numbers(context):
        since = begun[int(number.e164)].replace(tzinfo=UTC)
        if since in month and since > month.starts:
            due[number.account].append(pro_rata(number.monthly, since.date()).amount)
    return due


def _calls(context: Context, month: Month) -> dict[str, list[Decimal]]:
    """The sum of a month's calls, as a carrier rounds it."""
    table = spend.call_record
    query = (
        select(table.c.account, func.sum(table.c.cost), func.count())
        .where(table.c.day.startswith(f"{month}-"), table.c.cost > 0)
        .group_by(table.c.account)
    )
    with context.reading() as reading:
        return {
            account: [(Decimal(cost) / 10_000).quantize(PENNY, ROUND_HALF_UP)]
            for account, cost, _ in reading.connection.execute(query)
        }


def _charge(context: Context, due: dict[str, list[Decimal]], words: str) -> None:
    """Charged by the carrier, and covered by a deposit of the same day."""
    with context.as_system().reading() as reading:
        accounts = [a for a in reading.records.all(Account) if sum(due.get(a.id, []))]
    for account in accounts:
        amounts = due[account.id]
        what = words if words.startswith("calls") else f"{words}, {counted(len(amounts), 'number')}"
        total = Money(amount=sum(amounts, Decimal(0)), currency=account.balance.currency)
        with context.as_system().writing(reason=what) as writing:
            now = writing.records.the(Account, account.id)
            taken = writing.save([charge(now, total)])[0].after
        with context.as_system().writing(reason=f"covers {what}") as writing:
            paid = taken.copy_with(balance=taken.balance + total)
            writing.save([changed(Subject.ACCOUNT, taken, paid, "account.deposited")])
