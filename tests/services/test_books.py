"""The books of the demo: its invoice, its savings, its alarm, its closed months."""

from datetime import timedelta
from decimal import Decimal

import pytest

from sedge.core.access.roles import May, allowed
from sedge.core.errors import Forbidden, NotAllowedNow, NotUnderstood
from sedge.core.facts import money
from sedge.core.records import Product, Subscription
from sedge.core.spend.invoices import LineState, Verdict
from sedge.core.spend.months import Month, last_months
from sedge.core.spend.right_sizing import Saving
from sedge.core.workorders import tasks as t
from sedge.demo.seed import MEMBERS
from sedge.services.apply_now import add_records
from sedge.services.spend import (
    budgets,
    costs,
    invoices,
    statements,
    today_lines,
    unusual_calls,
)
from sedge.services.spend.savings import licences, right_sizing
from sedge.services.workorders import order_running, workorders
from sedge.store.repositories.spend import closed_months
from tests.conftest import until_quiet


def only(context):
    [view] = invoices.list_invoices(context)
    return view


def test_the_mistakes_in_the_demos_invoice_are_found_and_nothing_else(context):
    view = only(context)
    found = {verdict: lines for verdict, lines, _ in view.verdicts}
    assert found == {
        Verdict.RIGHT: 197,
        Verdict.WRONG_PRICE: 3,
        Verdict.NOT_OURS: 2,
        Verdict.TWICE: 1,
        Verdict.NOT_BILLED: 1,
    }
    # 2 × 0.15, calls 3.12, twice 0.80, strangers 1.60, left out −0.80
    assert view.too_much.amount == Decimal("5.02")
    assert view.open_lines == 7


def test_lines_are_disputed_credited_and_told_in_a_letter(context):
    key = only(context).invoice.id
    wrong = [x.line for x in invoices.lines(context, key, Verdict.NOT_OURS.value)]
    with pytest.raises(NotUnderstood, match="why"):
        invoices.settle(context, key, wrong, LineState.DISPUTED, " ")
    with pytest.raises(NotAllowedNow, match="No line is disputed"):
        invoices.letter(context, key)
    assert invoices.settle(context, key, wrong, LineState.DISPUTED, "never ours") == 2
    assert invoices.letter(context, key).startswith(b"%PDF")
    with pytest.raises(NotAllowedNow, match="stays"):
        invoices.remove(context, key)
    invoices.settle(context, key, wrong[:1], LineState.CREDITED, "", Decimal("0.50"))
    with pytest.raises(NotAllowedNow, match="can't be"):
        invoices.settle(context, key, wrong[:1], LineState.ACCEPTED, "so be it")
    first, second = invoices.lines(context, key, Verdict.NOT_OURS.value)
    assert (first.state, first.credited) == (LineState.CREDITED, Decimal("0.50"))
    assert (second.state, second.why) == (LineState.DISPUTED, "never ours")
    right = invoices.lines(context, key, Verdict.RIGHT.value)[0].line
    with pytest.raises(NotAllowedNow, match="nothing to settle"):
        invoices.settle(context, key, [right], LineState.ACCEPTED, "yes")
    with pytest.raises(NotUnderstood):
        invoices.settle(context, key, [99_999], LineState.ACCEPTED, "yes")


def test_judged_again_what_was_decided_stays(context):
    key = only(context).invoice.id
    line = invoices.lines(context, key, Verdict.TWICE.value)[0].line
    invoices.settle(context, key, [line], LineState.ACCEPTED, "small")
    before = only(context)
    after = invoices.judge_again(context, key)
    assert (after.verdicts, after.open_lines) == (before.verdicts, before.open_lines)


def test_the_same_invoice_does_not_come_twice(context):
    text = b"Number,Amount\n0113 496 0100,0.80\n"
    made = invoices.receive(context, "fellgate-main", text, reference="A1", month="2026-01")
    for reference in ("A1", "A2"):
        with pytest.raises(NotAllowedNow, match="here already"):
            invoices.receive(context, "fellgate-main", text, reference=reference, month="2026-01")
    invoices.remove(context, made.id)
    assert len(invoices.list_invoices(context)) == 1


@pytest.mark.parametrize(
    ("text", "wrong"),
    [
        (b"Number,Words\n1,2\n", "no column for: Amount"),
        (b"Number,Amount\n", "no line"),
        (b"Number,Amount\n0113 496 0100,dear\n", "Line 2"),
        (b"Number,Amount,Currency\n0113 496 0100,1,EUR\n", "this account is in GBP"),
        (b"<x/>", "no UBL"),
        (b"<x", "no XML"),
        (b'<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', "no XML"),
    ],
)
def test_what_is_no_invoice_is_refused(context, text, wrong):
    with pytest.raises(NotUnderstood, match=wrong):
        invoices.receive(context, "fellgate-main", text, reference="A1", month="2026-01")
    assert len(invoices.list_invoices(context)) == 1


UBL = """<?xml version="1.0"?>
<Invoice xmlns="urn:oasis:names:specification:ubl:schema:xsd:Invoice-2"
 xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2"
 xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2">
 <cbc:ID>FV-77</cbc:ID><cbc:IssueDate>{month}-28</cbc:IssueDate>
 <cbc:DocumentCurrencyCode>{currency}</cbc:DocumentCurrencyCode>
 <cac:InvoicePeriod><cbc:StartDate>{month}-01</cbc:StartDate></cac:InvoicePeriod>
 <cac:InvoiceLine><cbc:ID>1</cbc:ID><cbc:InvoicedQuantity>1</cbc:InvoicedQuantity>
  <cbc:LineExtensionAmount currencyID="GBP">0.80</cbc:LineExtensionAmount>
  <cac:Item><cbc:Name>Monthly fee</cbc:Name>
   <cac:SellersItemIdentification><cbc:ID>+441134960100</cbc:ID></cac:SellersItemIdentification>
  </cac:Item></cac:InvoiceLine>
</Invoice>"""


def test_an_invoice_in_ubl_names_its_month_and_its_reference(context):
    month = last_months(context.now(), 3)[0]
    text = UBL.format(month=month, currency="GBP").encode()
    made = invoices.receive(context, "fellgate-main", text)
    assert (made.reference, made.month) == ("FV-77", str(month))
    [right] = invoices.lines(context, made.id, Verdict.RIGHT.value)
    assert (right.e164, right.billed) == ("+441134960100", Decimal("0.80"))
    with pytest.raises(NotUnderstood, match="in EUR"):
        invoices.receive(context, "fellgate-main", UBL.format(month=month, currency="EUR").encode())


# ── savings ──


def test_savings_are_what_nobody_uses_and_run_as_one_work_order(context):
    found = right_sizing.view(context)
    assert found.reaches_back
    kinds = {advice.kind for advice in found.advices}
    assert {Saving.SEATS_LEFT, Saving.NUMBERS_IDLE, Saving.TRIAL} <= kinds
    seats = next(a for a in found.advices if a.what.endswith("of Staff seat"))
    with context.reading() as reading:
        pool = reading.records.the(Subscription, "staff-2025")
    assert seats.saves.amount == pool.left * Decimal("3.10") * 12
    idle = [a for a in found.advices if a.kind is Saving.NUMBERS_IDLE][:2]
    order = right_sizing.draft(context, [seats.key, *(a.key for a in idle)])
    assert sorted(task.body.kind for task in order.tasks) == [
        "cancel_seats",
        "unassign_number",
        "unassign_number",
    ]
    with pytest.raises(NotUnderstood):
        right_sizing.draft(context, ["nothing"])
    assert {m.currency for m in found.saved()} == {"GBP", "EUR"}


def test_a_feature_without_such_calls_is_told_once_it_was_there_long_enough(context):
    number, feature = "+441134960100", "inbound name lookup"
    order = workorders.draft(context, "x", [t.SetFeature(number=number, feature=feature)])
    order_running.run(context, order.id)
    until_quiet(context.installation, timedelta(hours=1))

    def told():
        found = right_sizing.view(context).advices
        return [a for a in found if a.kind is Saving.FEATURES and a.what.startswith(feature)]

    assert told() == []
    context.installation.clock.advance(timedelta(days=right_sizing.IDLE_DAYS + 2))
    [advice] = told()
    assert advice.evidence == "No call in for 60 days."
    assert advice.saves.amount == Decimal("0.10") * 12
    assert advice.tasks == (t.SetFeature(number=number, feature=feature, on=False),)


def test_a_cheaper_licence_that_allows_the_same_is_advised(context, monkeypatch):
    monkeypatch.setattr(licences, "needed_licences", lambda reading: {})  # no agreement asks
    with context.reading() as reading:
        home = reading.records.the(Product, "home-calling")
    small = home.copy_with(id="home-small", name="Home small", minutes=2000, version=0)
    pounds = small.copy_with(id="home-pounds", name="Home in pounds", monthly=money("0", "GBP"))
    bare = small.copy_with(id="home-bare", name="Home bare", allows=(), monthly=money(0, "GBP"))
    add_records(
        context,
        [
            small.copy_with(monthly=money("0.10", "GBP"), prices=(money("0.12", "EUR"),)),
            pounds.copy_with(prices=()),
            bare.copy_with(prices=(money(0, "EUR"),)),
        ],
        reason="offered",
    )
    found = [a for a in right_sizing.view(context).advices if a.kind is Saving.PRODUCT]
    assert len(found) > 3
    for advice in found:
        assert advice.what.startswith("Home small instead of Home calling for ")
        assert advice.saves.currency == "EUR", "where another has no price it is not compared"
        assert advice.saves.amount > 0
        assert [task.kind for task in advice.tasks] == [
            "buy_seats",
            "revoke_licence",
            "cancel_seats",
            "grant_licence",
        ]


def test_nobody_is_advised_to_give_up_what_their_number_needs(context):
    found = right_sizing.view(context)
    revoked = {
        (task.holder.id, task.product)
        for advice in found.advices
        for task in advice.tasks
        if task.kind == "revoke_licence"
    }
    with context.reading() as reading:
        needed = licences.needed_licences(reading)
    assert not {(ref.id, p) for ref, asked in needed.items() for p in asked} & revoked


# ── alarms ──


def test_the_night_of_dear_calls_is_told_and_the_right_taken_away(context):
    [alarm] = unusual_calls.list_alarms(context)
    assert (alarm.kind, alarm.number, alarm.calls) == (
        "burst of dear calls",
        "+441134960128",
        96,
    )
    [told] = today_lines.alarms(context)
    assert "96 calls abroad" in told.why
    assert unusual_calls.find_unusual_calls(context) == 0
    with pytest.raises(NotUnderstood):
        unusual_calls.settle(context, alarm.id, "  ")
    unusual_calls.settle(context, alarm.id, "A stolen password; changed")
    assert unusual_calls.list_alarms(context, only_open=True) == []
    assert list(today_lines.alarms(context)) == []


# ── budgets and months ──


def test_a_budget_that_will_be_passed_is_told(context):
    budgets.set_budget(context, "site", "wharf-house", "20.00", "GBP")
    [first, second] = budgets.view(context)
    assert (first.key, first.over is not None, second.over) == ("wharf-house", True, None)
    assert first.expected.amount >= first.spent.amount > 100
    [told] = today_lines.passed_budgets(context)
    assert told.what == "Wharf House will pass its budget"
    budgets.set_budget(context, "site", "wharf-house", "", "GBP")
    assert len(budgets.view(context)) == 1
    wrong = (
        ("site", "", "1"),
        ("moon", "x", "1"),
        ("site", "canal-museum", "0"),
    )
    for group, key, amount in wrong:
        with pytest.raises(NotUnderstood):
            budgets.set_budget(context, group, key, amount, "GBP")


def test_a_closed_month_does_not_change_and_is_corrected_in_a_later_one(context):
    this = Month.of(context.now())
    last, before = this.later(-1), this.later(-2)
    told = costs.statements(context, before, "kind")
    with context.writing() as writing:
        number = writing.connection.exec_driver_sql(
            "SELECT number FROM fee_span WHERE monthly = 8000 LIMIT 1"
        ).scalar()
        writing.connection.exec_driver_sql(
            f"UPDATE fee_span SET monthly = 9000 WHERE number = {number}"  # noqa: S608
        )
        writing.touch()
    assert costs.statements(context, before, "kind") == told
    statements.close(context, last)
    assert costs.statements(context, before, "kind") == told
    with context.reading() as reading:
        corrected = closed_months.corrections_in(reading.connection, last)
    assert {(of, line.thing, line.amount) for of, line in corrected} == {
        (str(this.later(-back)), f"+{number}", Decimal("0.10")) for back in range(2, 14)
    }
    with pytest.raises(NotAllowedNow, match="closed already"):
        statements.close(context, last)
    with pytest.raises(NotAllowedNow, match="not over"):
        statements.close(context, this)


def test_statements_add_up_on_the_page_in_the_sheet_and_on_paper(context):
    month = last_months(context.now(), 3)[0]
    whole = {s.currency: s.total.total for s in costs.statements(context, month, "kind")}
    for by in ("site", "cost_centre"):
        found = statements.statement(context, month, by)
        assert found.is_closed
        assert dict(found.totals) == whole
        for part in found.parts:
            assert sum(amount for _, _, amount in part.lines) == part.total
    assert statements.as_spreadsheet(context, month, "site")[:4] == b"PK\x03\x04"
    assert statements.on_paper(context, month, "site").startswith(b"%PDF")


def test_a_month_closes_by_itself_after_some_days(context):
    month = Month.of(context.now()).later(-1)
    context.installation.next_at[context.who.organisation, "months closed"] = (
        context.now() - timedelta(hours=1)
    )
    closed = statements.close_nightly(context)
    assert (closed > 100) == (context.now().day >= statements.CLOSED_ON)
    with context.reading() as reading:
        assert closed_months.is_closed(reading.connection, month) == (closed > 100)


def test_who_may_not_see_money_sees_none(context):
    without = [m for m in MEMBERS if not allowed(m.role, May.SEE_MONEY)]
    assert without
    for member in without:
        other = context.installation.context(member)
        for look in (
            lambda d: costs.statements(d, Month.of(d.now()), "site"),
            right_sizing.view,
            budgets.view,
        ):
            with pytest.raises(Forbidden):
                look(other)
