"""What carriers charge for numbers in service: booked as they take it, told on the account,
suspended without cover, back after a deposit."""

from datetime import timedelta
from decimal import Decimal

import pytest

from sedge.core.callpaths.tracing.trace import EndingKind, World
from sedge.core.facts import money
from sedge.core.records import Account, Number
from sedge.core.supply.quote import pro_rata
from sedge.services import simulation_clock
from sedge.services.callpaths import calls
from sedge.services.carriers import accounts, charges, connections, payments
from sedge.services.context import NIGHT_AGAIN
from sedge.services.supply import ordering
from sedge.services.today import today
from tests.conftest import SILENT, until_quiet

IN_USE = "+441134960200"  # Fellgate Voice


def account(context, key="fellgate-main"):
    with context.reading() as reading:
        return reading.records.the(Account, key)


def books(installation):
    return {
        k: Decimal(v)
        for k, v in installation.outside.control.call("GET", "orders")["balances"].items()
    }


def to_the_first(installation, *, months=1):
    """On to the second day of a coming month."""
    at = installation.clock.now()
    for _ in range(months):
        at = (at.replace(day=1) + timedelta(days=32)).replace(day=1)
    simulation_clock.advance(installation, at + timedelta(hours=12) - installation.clock.now())


def test_the_first_of_a_month_is_charged_and_both_books_agree(installation, context):
    before = account(context)
    with context.reading() as reading:
        theirs = [
            n
            for n in reading.records.all(Number)
            if n.account == "fellgate-main"
            and n.state not in {"released", "closed", "on order", "porting in"}
        ]
    to_the_first(installation)
    after = account(context)
    assert before.balance - after.balance == sum((n.monthly for n in theirs[1:]), theirs[0].monthly)
    assert after.balance.amount == books(installation)["fellgate-main"]
    newest = payments.moves(context, "fellgate-main")[0]
    assert newest.entry.action == "account.charged"
    assert newest.entry.reason == f"{installation.clock.now():%B %Y}, {len(theirs)} numbers"


def test_the_rest_of_the_first_month_is_charged_as_the_quote_says(installation, context):
    stock = context.at_carrier(account(context)).stock("GB", "+44161496", "")[:2]
    ordering.order(
        context,
        reference="pro rata",
        account="fellgate-main",
        site="canal-museum",
        numbers=[s.e164 for s in stock],
    )
    until_quiet(installation, timedelta(minutes=2))
    with context.reading() as reading:
        bought = [
            n
            for n in reading.records.many(Number, [s.e164 for s in stock])
            if n.state == "available"
        ]
    before, day = account(context), installation.clock.now().date()
    simulation_clock.advance(installation, timedelta(days=1))
    told = [m for m in payments.moves(context, "fellgate-main") if "rest of" in m.entry.reason]
    assert [m.amount for m in told] == [
        sum((pro_rata(n.monthly, day) for n in bought), money(0, "GBP")).times(-1)
    ]
    assert account(context).balance.amount <= before.balance.amount + told[0].amount.amount


def test_asked_again_nothing_is_booked_twice(installation, context):
    to_the_first(installation)
    once = account(context)
    assert charges.fetch(context.as_system(), account(context)) == once
    assert connections.test(context, "fellgate").ok


def test_without_cover_the_account_is_suspended_after_its_grace_and_a_deposit_ends_that(
    installation, context
):
    accounts.set_terms(
        context,
        "fellgate-main",
        {"low_mark": "50", "grace_days": "3", "alert_mail": "money@lanternfield.example"},
    )
    monthly = -accounts_monthly(installation, context)
    to_the_first(installation, months=int(account(context).balance.amount // monthly) + 1)
    assert account(context).balance.amount < 0
    assert account(context).suspended_since is None
    simulation_clock.advance(installation, timedelta(days=3))
    assert account(context).suspended_since is not None
    assert (
        calls.follow_call(context, IN_USE, None, World()).trace.ending.kind is EndingKind.REJECTED
    )
    failed = calls.place_test_call(context, IN_USE, "in")
    assert (failed.ok, failed.differs) == (False, "")
    assert any("is suspended" in item.what for item in today.todo(context))
    assert any(m["subject"].endswith("is suspended") for m in installation.outside.mail.mailbox())
    payments.deposit(context, "fellgate-main", "500")
    assert account(context).suspended_since is None
    assert (
        calls.follow_call(context, IN_USE, None, World()).trace.ending.kind
        is not EndingKind.REJECTED
    )


def accounts_monthly(installation, context):
    before = account(context).balance.amount
    to_the_first(installation)
    return account(context).balance.amount - before


def test_a_feature_switched_on_is_charged_from_the_next_month(installation, context):
    with context.reading() as reading:
        free = reading.records.the(Number, "+441134960250")
    carrier = context.at_carrier(account(context))
    first = accounts_monthly(installation, context)
    carrier.set_feature(free.e164, "inbound name lookup", on=True)
    assert accounts_monthly(installation, context) == first - Decimal("0.10")
    carrier.set_feature(free.e164, "inbound name lookup", on=False)
    assert accounts_monthly(installation, context) == first


@pytest.mark.parametrize("fault", [SILENT, "error"])
def test_a_carrier_that_is_silent_is_asked_the_next_time(installation, context, fault):
    to_the_first(installation)
    before = account(context)
    carrier = context.at_carrier(before)
    numbers = [
        {
            "number": "+441134960999",
            "carrier": "fellgate",
            "account": "fellgate-main",
            "monthly": "7.00",
        }
    ]
    installation.outside.control.put_in_service(numbers)
    simulation_clock.order_fault(installation, {"service": "fellgate", "fault": fault, "count": 1})
    assert charges.fetch_all(context)[1] == 1
    assert account(context) == before
    installation.next_at[context.who.organisation, charges.NAME] = installation.clock.now()
    simulation_clock.order_fault(
        installation, {"service": "fellgate", "fault": "error", "count": 1}
    )
    assert charges.fetch_nightly(context) == 0
    assert (
        installation.next_at[context.who.organisation, charges.NAME] - installation.clock.now()
        <= NIGHT_AGAIN
    )
    to_the_first(installation)
    assert account(context).balance == carrier.account().balance
