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


def account(desk, key="fellgate-main"):
    with desk.reading() as reading:
        return reading.records.the(Account, key)


def books(house):
    return {
        k: Decimal(v) for k, v in house.outside.control.call("GET", "orders")["balances"].items()
    }


def to_the_first(house, *, months=1):
    """On to the second day of a coming month."""
    at = house.clock.now()
    for _ in range(months):
        at = (at.replace(day=1) + timedelta(days=32)).replace(day=1)
    simulation_clock.advance(house, at + timedelta(hours=12) - house.clock.now())


def test_the_first_of_a_month_is_charged_and_both_books_agree(house, desk):
    before = account(desk)
    with desk.reading() as reading:
        theirs = [
            n
            for n in reading.records.all(Number)
            if n.account == "fellgate-main"
            and n.state not in {"released", "closed", "on order", "porting in"}
        ]
    to_the_first(house)
    after = account(desk)
    assert before.balance - after.balance == sum((n.monthly for n in theirs[1:]), theirs[0].monthly)
    assert after.balance.amount == books(house)["fellgate-main"]
    newest = payments.moves(desk, "fellgate-main")[0]
    assert newest.entry.action == "account.charged"
    assert newest.entry.reason == f"{house.clock.now():%B %Y}, {len(theirs)} numbers"


def test_the_rest_of_the_first_month_is_charged_as_the_quote_says(house, desk):
    stock = desk.at_carrier(account(desk)).stock("GB", "+44161496", "")[:2]
    ordering.order(
        desk,
        reference="pro rata",
        account="fellgate-main",
        site="canal-museum",
        numbers=[s.e164 for s in stock],
    )
    until_quiet(house, timedelta(minutes=2))
    with desk.reading() as reading:
        bought = [
            n
            for n in reading.records.many(Number, [s.e164 for s in stock])
            if n.state == "available"
        ]
    before, day = account(desk), house.clock.now().date()
    simulation_clock.advance(house, timedelta(days=1))
    told = [m for m in payments.moves(desk, "fellgate-main") if "rest of" in m.entry.reason]
    assert [m.amount for m in told] == [
        sum((pro_rata(n.monthly, day) for n in bought), money(0, "GBP")).times(-1)
    ]
    assert account(desk).balance.amount <= before.balance.amount + told[0].amount.amount


def test_asked_again_nothing_is_booked_twice(house, desk):
    to_the_first(house)
    once = account(desk)
    assert charges.fetch(desk.as_system(), account(desk)) == once
    assert connections.test(desk, "fellgate").ok


def test_without_cover_the_account_is_suspended_after_its_grace_and_a_deposit_ends_that(
    house, desk
):
    accounts.set_terms(
        desk,
        "fellgate-main",
        {"low_mark": "50", "grace_days": "3", "alert_mail": "money@lanternfield.example"},
    )
    monthly = -accounts_monthly(house, desk)
    to_the_first(house, months=int(account(desk).balance.amount // monthly) + 1)
    assert account(desk).balance.amount < 0
    assert account(desk).suspended_since is None
    simulation_clock.advance(house, timedelta(days=3))
    assert account(desk).suspended_since is not None
    assert calls.follow_call(desk, IN_USE, None, World()).trace.ending.kind is EndingKind.REJECTED
    failed = calls.place_test_call(desk, IN_USE, "in")
    assert (failed.ok, failed.differs) == (False, "")
    assert any("is suspended" in item.what for item in today.todo(desk))
    assert any(m["subject"].endswith("is suspended") for m in house.outside.mail.mailbox())
    payments.deposit(desk, "fellgate-main", "500")
    assert account(desk).suspended_since is None
    assert (
        calls.follow_call(desk, IN_USE, None, World()).trace.ending.kind is not EndingKind.REJECTED
    )


def accounts_monthly(house, desk):
    before = account(desk).balance.amount
    to_the_first(house)
    return account(desk).balance.amount - before


def test_a_feature_switched_on_is_charged_from_the_next_month(house, desk):
    with desk.reading() as reading:
        free = reading.records.the(Number, "+441134960250")
    carrier = desk.at_carrier(account(desk))
    first = accounts_monthly(house, desk)
    carrier.set_feature(free.e164, "inbound name lookup", on=True)
    assert accounts_monthly(house, desk) == first - Decimal("0.10")
    carrier.set_feature(free.e164, "inbound name lookup", on=False)
    assert accounts_monthly(house, desk) == first


@pytest.mark.parametrize("fault", [SILENT, "error"])
def test_a_carrier_that_is_silent_is_asked_the_next_time(house, desk, fault):
    to_the_first(house)
    before = account(desk)
    carrier = desk.at_carrier(before)
    numbers = [
        {
            "number": "+441134960999",
            "carrier": "fellgate",
            "account": "fellgate-main",
            "monthly": "7.00",
        }
    ]
    house.outside.control.put_in_service(numbers)
    simulation_clock.order_fault(house, {"service": "fellgate", "fault": fault, "count": 1})
    assert charges.fetch_all(desk)[1] == 1
    assert account(desk) == before
    house.next_at[desk.who.organisation, charges.NAME] = house.clock.now()
    simulation_clock.order_fault(house, {"service": "fellgate", "fault": "error", "count": 1})
    assert charges.fetch_nightly(desk) == 0
    assert house.next_at[desk.who.organisation, charges.NAME] - house.clock.now() <= NIGHT_AGAIN
    to_the_first(house)
    assert account(desk).balance == carrier.account().balance
