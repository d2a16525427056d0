"""Spend of the demo: what is told of it agrees with what the carriers have charged, and with what
an independent sum of the raw facts says."""

import io
import json
import sqlite3
from collections import defaultdict
from datetime import UTC, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal

import pytest

from sedge.core.changes import changed
from sedge.core.enums import Subject
from sedge.core.errors import NotUnderstood
from sedge.core.facts import money
from sedge.core.records import Product
from sedge.core.spend import costs as core_costs
from sedge.core.spend.months import Month, last_months
from sedge.services.spend import call_records, call_settings, costs, usage
from sedge.services.spend.rates import rate_decks, rating
from sedge.store.projections import fee_spans
from sedge.store.repositories.spend import calls
from tests.asserting import every

PENNY = Decimal("0.01")
HEADER = "id;Beginn;Dauer;Von;Nach;Leitung\n"


def facts(context):
    """The database as it lies there, read without any of our own code."""
    folder = context.installation.settings.data
    return sqlite3.connect(folder / f"estate-{context.who.organisation}.sqlite")


def charged(context):
    """What the ledger says that each account was charged, by the month that it is about."""
    found = defaultdict(Decimal)
    balances = {}
    query = (
        "SELECT subject_id, action, reason, after, at FROM ledger WHERE subject = 'carrier account'"
        " ORDER BY sequence"
    )
    rows = facts(context).execute(query)
    for account, action, reason, after, at in rows:
        balance = Decimal(json.loads(after)["balance"]["amount"]) if after else None
        if action == "account.charged":
            month = at[:7]
            for words, back in (("rest of ", 1), ("calls of ", 1)):
                if reason.startswith(words):
                    first = datetime.fromisoformat(f"{month}-01") - timedelta(days=back)
                    month = f"{first:%Y-%m}"
            found[account, month] += balances[account] - balance
        balances[account] = balance if balance is not None else balances.get(account)
    return found


def test_every_month_agrees_with_what_the_carriers_have_charged(context):
    found = charged(context)
    assert len(found) > 40
    months = last_months(context.now(), 17)[:-1]
    for month in months:
        told = {
            row.key: row.total - row.seat_fees
            for s in costs.statements(context, month, "account")
            for row in s.rows
            if row.key
        }
        wanted = {account: x for (account, when), x in found.items() if when == str(month) and x}
        assert {k: v for k, v in told.items() if v} == wanted, str(month)


def test_calls_cost_what_an_independent_sum_says(context):
    """The price list typed once more, and nothing of ours used but the records."""
    prices = {
        "fellgate-main": {
            "44": "0.012",
            "447": "0.031",
            "49": "0.024",
            "1": "0.018",
            "33": "0.024",
        },
        "brackwater-main": {"44": "0.014", "447": "0.034", "49": "0.019", "1": "0.021"},
    }
    month = last_months(context.now(), 2)[0]
    rows = facts(context).execute(
        "SELECT account, other, talk, included FROM call_record WHERE direction != 'in'"
        " AND day LIKE ?",
        [f"{month}-%"],
    )
    sums = defaultdict(Decimal)
    for account, other, talk, included in rows:
        if account not in prices or not talk:
            continue
        prefixes = [p for p in prices[account] if other[1:].startswith(p)]
        a_minute = Decimal(prices[account][max(prefixes, key=len)])
        exact = a_minute * (talk - included) / 60
        sums[account] += exact.quantize(Decimal("0.0001"), ROUND_HALF_UP)
    told = {
        row.key: row.call_fees
        for s in costs.statements(context, month, "account")
        for row in s.rows
        if row.key in prices
    }
    for account, exact in sums.items():
        assert abs(told[account] - exact) < PENNY, account


@pytest.mark.parametrize("by", ["site", "cost_centre", "carrier", "account", "product", "holder"])
def test_however_it_is_grouped_the_sum_is_the_same(context, by):
    month = last_months(context.now(), 2)[0]
    by_kind = {s.currency: s.total.total for s in costs.statements(context, month, "kind")}
    grouped = costs.statements(context, month, by)
    assert {s.currency: s.total.total for s in grouped} == by_kind
    for statement in grouped:
        assert sum(row.total for row in statement.rows) == statement.total.total


def test_fees_over_time_are_the_same_when_made_anew_from_the_ledger(context):
    def spans():
        query = "SELECT number, site, holder_id, account, monthly, since, until FROM fee_span"
        return sorted(facts(context).execute(query), key=str)

    before = spans()
    assert len(before) > 200
    with context.writing() as writing:
        fee_spans.rebuild(writing.connection)
    assert spans() == before


def test_what_is_counted_is_what_the_records_say(context):
    raw = facts(context)
    [whole] = raw.execute("SELECT count(*), sum(answered), sum(talk), sum(cost) FROM call_record")
    for table in ("usage_day", "usage_month"):
        query = f"SELECT sum(calls), sum(answered), sum(talk), sum(cost) FROM {table}"  # noqa: S608
        assert raw.execute(query).fetchone() == whole
    busy = raw.execute("SELECT sum(busy) FROM usage_hour").fetchone()[0]
    assert busy == raw.execute("SELECT sum(ring + talk) FROM call_record").fetchone()[0]
    assert 40_000 < whole[0] < 80_000


def test_the_demos_calls_have_the_shape_of_a_museum(context):
    month = last_months(context.now(), 2)[0]
    hours = usage.usage(context, "hour", month.first, month.last)
    by_hour = [row.use.calls for row in hours]
    assert max(by_hour) == max(by_hour[9:13])
    assert max(by_hour[0:6]) < max(by_hour) / 10
    sites = usage.usage(context, "site", month.first, month.last)
    assert sites[0].key == "wharf-house"
    assert every(0.7 < row.use.answered_share < 0.95 for row in sites if row.use.calls > 500)
    assert len(usage.not_called(context, 60)) > 5


# ── records coming in ──


def taken(context, text, source="Phones"):
    return call_records.receive(context, "calls.csv", io.BytesIO(text.encode()), source=source)


def lines(context, *, minutes=10, count=3, talk=60):
    begins = context.now().astimezone(UTC) - timedelta(minutes=minutes)
    rows = [
        f"r{i};{begins + timedelta(seconds=i):%Y-%m-%dT%H:%M:%SZ};{talk};0113 496 0132;"
        "0151 496 0001;Leeds A"
        for i in range(count)
    ]
    return HEADER + "\n".join(rows) + "\n"


def test_a_file_is_counted_once_and_a_corrected_record_takes_its_place(context):
    text = lines(context)
    first = taken(context, text)
    assert (first.fresh, first.same, first.corrected, first.bad) == (3, 0, 0, 0)
    before = usage.year_of(context, "+441134960132")
    again = taken(context, text)
    assert (again.fresh, again.same, again.before != "") == (0, 3, True)
    longer = taken(context, text.replace(";60;", ";120;"))
    assert (longer.fresh, longer.corrected) == (0, 3)
    after = usage.year_of(context, "+441134960132")
    assert after.whole.calls == before.whole.calls
    assert after.whole.talk == before.whole.talk + 180
    assert after.whole.cost > before.whole.cost
    with context.reading() as reading:
        [latest, *_] = calls.of_number(reading.connection, 441134960132)
    assert (latest.talk, latest.currency, latest.priced_by) == (120, "GBP", "+44")


def test_rows_that_cannot_be_are_left_out_with_their_line(context):
    text = (
        lines(context) + "x;gestern;5;0113 496 0132;0151 496 0001;\n;2026-10-01T10:00:00Z;5;1;2;\n"
    )
    file = taken(context, text)
    assert (file.fresh, file.bad, [line for line, _ in file.faults]) == (3, 2, [5, 6])
    assert file.reasons == {"moment": 1, "not-ours": 1}


def test_unknown_columns_are_asked_for_once_per_source(context):
    text = "when,who,whom,long\n" + "\n".join(
        f"{context.now():%Y-%m-%dT%H:%M:00Z},0113 496 0132,0151 496 0001,{i}" for i in (30, 40)
    )
    asked = taken(context, text, source="Oddly")
    assert (asked.state.value, asked.rows) == ("columns", 0)
    with pytest.raises(NotUnderstood, match="Started"):
        call_records.settle_columns(context, asked.id, {"from": 1, "to": 2, "talk": 3})
    mapping = {"started": 0, "from": 1, "to": 2, "talk": 3}
    done = call_records.settle_columns(context, asked.id, mapping)
    assert done.fresh == 1  # without an id of their own the two are one and the same
    assert taken(context, text + "\n", source="Oddly").state.value == "done"
    assert taken(context, text + "\n\n", source="Others").state.value == "columns"


def test_a_large_file_goes_on_from_where_it_was(context, monkeypatch):
    monkeypatch.setattr(call_records, "READ_AT_ONCE", 10)
    monkeypatch.setattr(call_records, "ROWS_IN_ONE", 20)
    file = taken(context, lines(context, minutes=60, count=95))
    assert file.state.value == "reading"
    file = call_records.read_on(context, file, seconds=0)
    assert (file.rows, file.state.value) == (20, "reading")
    stale = file
    while file.state.value == "reading":
        file = call_records.read_on(context, call_records.get(context, file.id), seconds=0)
    assert (file.rows, file.fresh) == (95, 95)
    assert stale.rows == 20


def test_records_are_forgotten_in_time_and_their_counts_stay(context):
    call_settings.change_call_settings(context, keep_days=30, shorten=True)
    before = usage.year_of(context, "+441134960190").whole
    context.installation.next_at.pop((context.who.organisation, call_settings.NAME), None)
    with context.writing() as writing:
        forgotten = calls.forget_before(writing.connection, context.now() - timedelta(days=30))
    assert forgotten > 10_000
    assert usage.year_of(context, "+441134960190").whole == before
    taken(context, lines(context))
    with context.reading() as reading:
        [latest, *_] = calls.of_number(reading.connection, 441134960132)
    assert latest.other == "+441514960…"
    with pytest.raises(NotUnderstood):
        call_settings.change_call_settings(context, keep_days=5, shorten=False)


# ── rates ──


def test_a_new_deck_prices_the_month_anew_and_the_old_calls_stay(context):
    this = Month.of(context.now()).later(-1)
    last = this.later(-1)
    before = {str(m): cost_of_calls(context, m) for m in (this, last)}
    deck = b"prefix,price\n44,0.10\n1,0.10\n33,0.10\n49,0.10\n"
    loaded = rate_decks.load(
        context, "leeds-a", deck, currency="GBP", starts=this.first.isoformat()
    )
    assert (loaded.rates, loaded.faults) == (4, ())
    assert rating.rate_months(context, [str(this), str(last)]) > 100
    assert cost_of_calls(context, this) > before[str(this)] * 3
    assert rating.rate_months(context, [str(this), str(last)]) == 0
    assert cost_of_calls(context, last) == before[str(last)]


def cost_of_calls(context, month):
    query = "SELECT sum(cost) FROM call_record WHERE day LIKE ?"
    return facts(context).execute(query, [f"{month}-%"]).fetchone()[0]


@pytest.mark.parametrize(
    ("deck", "wrong"),
    [
        ("prefix,price\n44,cheap\n", "no price"),
        ("prefix,price\n44,0.1\n44,0.2\n", "two prices"),
        ("prefix,price\n", "no rate"),
        ("prefix,price,currency\n44,0.1,EUR\n", "this deck is in GBP"),
    ],
)
def test_a_deck_with_faults_is_not_kept(context, deck, wrong):
    loaded = rate_decks.load(context, "leeds-a", deck.encode(), currency="GBP")
    assert loaded.deck is None
    assert wrong in loaded.faults[0][1]
    assert "deck-leeds-a" not in {d.id for d in rate_decks.decks(context)}


def test_a_deck_without_prices_is_refused(context):
    with pytest.raises(NotUnderstood, match="Price a minute"):
        rate_decks.load(context, "leeds-a", b"prefix,words\n44,x\n", currency="GBP")


def test_the_counts_of_fees_are_what_the_open_rows_say(context):
    """Kept beside every change and every import; a month is the same by them as by number."""
    columns = "site, holder_kind, cost_centre, carrier, account, currency, monthly"
    raw = facts(context)
    rows = f"SELECT {columns}, count(*) FROM fee_span WHERE until IS NULL GROUP BY {columns}"
    by_rows = raw.execute(rows).fetchall()
    kept = raw.execute(f"SELECT {columns}, count FROM fee_tally").fetchall()
    assert sorted(by_rows) == sorted(kept)
    for month in (
        Month.of(context.now()),
        last_months(context.now(), 2)[0],
        last_months(context.now(), 4)[0],
    ):
        alike = costs.statements(context, month, "site")
        one_by_one = {
            (currency, row.key): (row.numbers, row.fees)
            for currency, rows in core_costs.summed(
                costs.lines_of(context, month, detailed=True), "site"
            ).items()
            for row in rows
        }
        assert {
            (s.currency, row.key): (row.numbers, row.fees) for s in alike for row in s.rows
        } == one_by_one


def test_a_seat_costs_what_it_cost_then_when_its_price_changes(context):
    """And so a closed month needs no correction for a price of today."""
    month = last_months(context.now(), 3)[0]

    def seats():
        [whole] = [s for s in costs.statements(context, month, "kind") if s.currency == "GBP"]
        return whole.total.seat_fees

    with context.reading() as reading:
        before = core_total(costs.computed(reading, month, detailed=False))
        product = reading.records.the(Product, "staff-seat")
    assert before == seats()
    dearer = product.copy_with(monthly=money("99.00", "GBP"))
    with context.writing() as writing:
        writing.save([changed(Subject.PRODUCT, product, dearer, "product.changed")])
    with context.reading() as reading:
        assert core_total(costs.computed(reading, month, detailed=False)) == before
        later = costs.computed(reading, Month.of(context.now()).later(1), detailed=False)
        assert core_total(later) > before * 5


def core_total(lines):
    """Of the seats that are paid for in pounds."""
    seats = [x for x in lines if x.kind is core_costs.CostKind.SEATS]
    return sum(x.amount for x in seats if x.currency == "GBP")
