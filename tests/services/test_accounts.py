"""Accounts with carriers: opened once each, keys sealed and told once, topped up and told of by
themselves."""

from datetime import timedelta
from decimal import Decimal

import pytest

from sedge.core.errors import (
    Forbidden,
    NotAllowedNow,
    NotFound,
    NotUnderstood,
    OutsideRefused,
    OutsideSilent,
)
from sedge.core.facts import money
from sedge.core.records import Account
from sedge.core.supply.offers import Wish
from sedge.services.carriers import accounts, connections, payments
from sedge.services.supply import holds, ordering, stock_search, supply
from sedge.store.schema import mails
from tests.conftest import SILENT, until_quiet

LINES = "Copperleaf Cafés; 50.00; office@copperleaf.example\n\nFriends of the Observatory\n"


def the(context, key):
    with context.reading() as reading:
        return reading.records.the(Account, key)


def books(installation):
    return installation.outside.control.call("GET", "orders")["balances"]


def opened(context, batch="account-1", lines=LINES):
    return accounts.open_many(
        context, "brackwater", accounts.lines_in(context, lines, "GBP"), batch=batch
    )


def test_many_are_opened_at_once_each_with_its_own_balance_and_key(installation, context):
    one, two = opened(context)
    assert [one.problem, two.problem] == ["", ""]
    assert len({one.key, two.key, ""}) == 3
    assert (one.account.balance, one.account.receives_only) == (money("50.00", "GBP"), False)
    assert (two.account.balance, two.account.receives_only) == (money(0, "GBP"), True)
    assert one.account.alert_mail == "office@copperleaf.example"
    assert Decimal(books(installation)[one.account.theirs]) == 50
    assert connections.test(context, "brackwater").ok


def test_the_same_batch_again_opens_nothing_and_tells_no_key(installation, context):
    first = opened(context)
    again = opened(context)
    assert [x.account for x in again] == [x.account for x in first]
    assert [x.key for x in again] == ["", ""]
    assert len(books(installation)) == 4 + 2


def test_a_batch_that_fails_in_the_middle_goes_on_where_it_stopped(installation, context):
    installation.outside.control.order_fault(
        {"service": "brackwater", "fault": "error", "count": 1}
    )
    first = opened(context)
    assert first[0].account is None
    assert "trouble of its own" in first[0].problem
    assert first[1].account is not None
    again = opened(context)
    assert [x.problem for x in again] == ["", ""]
    assert len(books(installation)) == 4 + 2
    assert again[0].account.balance == money("50.00", "GBP")


def test_a_payment_whose_answer_is_lost_is_paid_once(installation, context):
    before = the(context, "brackwater-main").balance.amount
    installation.outside.carrier("brackwater")._client.timeout = 0.5
    installation.outside.control.order_fault(
        {"service": "brackwater", "fault": "timeout", "count": 1}
    )
    with pytest.raises(OutsideSilent, match="asked for again by itself"):
        payments.deposit(context, "brackwater-main", "100.50")
    assert the(context, "brackwater-main").balance.amount == before
    until_quiet(installation, timedelta(minutes=2))
    after = the(context, "brackwater-main")
    assert (
        after.balance.amount
        == before + Decimal("100.50")
        == Decimal(books(installation)["brackwater-main"])
    )
    assert after.paying == {}


def test_a_payment_that_is_refused_leaves_nothing_behind(installation, context):
    before = the(context, "brackwater-main").balance
    installation.outside.control.order_fault(
        {"service": "brackwater", "fault": "reject", "count": 1}
    )
    with pytest.raises(OutsideRefused):
        payments.deposit(context, "brackwater-main", "5")
    assert (the(context, "brackwater-main").balance, the(context, "brackwater-main").paying) == (
        before,
        {},
    )


@pytest.mark.parametrize(
    ("lines", "words"),
    [
        ("", "a line for each account"),
        ("; 5", "Line 1: a name"),
        ("A; lots", "Line 1: “lots” is no amount"),
        ("A; 5\nB; -3", "Line 2: Type an amount between"),
        ("A; 5; somebody", "no mail address"),
        ("A\na", "is there twice"),
        ("A; NaN", "Line 1"),
        ("A; 1.0010", "2 places"),
    ],
)
def test_lines_that_cannot_be_read_are_named(context, lines, words):
    with pytest.raises(NotUnderstood, match=words) as error:
        accounts.lines_in(context, lines, "GBP")
    assert error.value.field == "lines"


def test_a_name_that_has_an_account_there_is_refused(context):
    opened(context)
    with pytest.raises(NotUnderstood, match="There is an account called"):
        opened(context, batch="account-2")


def test_the_same_batch_with_other_names_is_refused(context):
    opened(context)
    with pytest.raises(NotAllowedNow, match="sent before with other names"):
        opened(context, lines="Copperleaf Cafés\nSomebody else")


def test_keys_lie_sealed_and_only_who_may_buy_changes_them(installation, context):
    one, _ = opened(context)
    with context.reading() as reading:
        sealed = reading.connection.execute(
            mails.secret.select().where(mails.secret.c.name == f"key of {one.account.id}")
        ).one()
    assert one.key not in sealed.sealed
    assert installation.keyring.open(sealed.sealed) == one.key
    assert (installation.settings.data / "secret.key").stat().st_mode & 0o077 == 0
    key = accounts.make_key(context, one.account.id)
    with pytest.raises(OutsideRefused, match="unknown key"):
        installation.outside.carrier("brackwater").with_key(one.key).account()
    assert installation.outside.carrier("brackwater").with_key(key).account().balance == money(
        "50.00", "GBP"
    )
    with pytest.raises(OutsideRefused):
        accounts.put_key(context, one.account.id, "not the one they gave")
    with pytest.raises(NotUnderstood):
        accounts.put_key(context, one.account.id, "short")
    assert connections.test(context, "brackwater").ok
    from dataclasses import replace

    from sedge.core.access.roles import AccessRole

    with pytest.raises(Forbidden):
        accounts.make_key(
            replace(context, who=replace(context.who, role=AccessRole.FINANCE)), one.account.id
        )


def test_a_wrong_key_is_named_by_the_connection_test(installation, context):
    installation.outside.carrier("fellgate").with_key("key-of-fellgate-main").new_key()
    tried = connections.test(context, "fellgate")
    assert not tried.ok
    assert "does not take our key" in tried.said


def test_a_new_account_only_receives_calls_until_money_has_come_in(installation, context):
    _, two = opened(context)
    found = stock_search.one(context, Wish("GB", area="Leeds"), "brackwater")
    hold = holds.hold(context, two.account.id, [found.offers[0].numbers[0].e164])
    from sedge.core.errors import NotRunnable

    with pytest.raises(NotRunnable, match="can only receive calls until"):
        ordering.order(context, reference="R", account="", site="wharf-house", hold_id=hold.id)
    payments.deposit(context, two.account.id, "20")
    key, _ = ordering.order(context, reference="R", account="", site="wharf-house", hold_id=hold.id)
    until_quiet(installation, timedelta(minutes=3))
    assert supply.order_view(context, key).state == "delivered"
    assert the(context, two.account.id).balance == money("17.50", "GBP")
    assert Decimal(books(installation)[two.account.theirs]) == Decimal("17.50")
    assert [m.entry.action for m in payments.moves(context, two.account.id)] == [
        "account.charged",
        "account.deposited",
    ]


def terms(context, key="brackwater-main", **more):
    given = {
        "low_mark": "100",
        "alert_mail": "money@lanternfield.example",
        "alert_phone": "07700 900142",
        **more,
    }
    return accounts.set_terms(context, key, given)


def test_a_low_balance_is_told_once_by_mail_and_by_phone(installation, context):
    balance = the(context, "brackwater-main").balance
    terms(context, low_mark=str(balance.amount))
    until_quiet(installation, timedelta(minutes=2))
    until_quiet(installation, timedelta(minutes=2))
    mails = [m for m in installation.outside.mail.mailbox() if "balance is low" in m["subject"]]
    calls = installation.outside.telephony.announcements()
    assert [m["to"] for m in mails] == ["money@lanternfield.example"]
    assert [c["to"] for c in calls] == ["+447700900142"]
    assert calls[0]["words"].startswith(
        "This is Sedge. The balance of Brackwater Telecom, main account is £"
    )
    payments.deposit(context, "brackwater-main", "10")
    until_quiet(installation, timedelta(minutes=2))
    assert the(context, "brackwater-main").alerted_at is None


def test_the_rule_tops_up_within_what_it_may_pay_in_a_month(installation, context):
    before = the(context, "brackwater-main").balance.amount
    terms(context, top_up_at=str(before + 15), top_up_amount="10", top_up_most="25")
    until_quiet(installation, timedelta(minutes=3))
    after = the(context, "brackwater-main")
    assert after.balance.amount == before + 20
    assert list(after.topped_up.values()) == [Decimal(20)]
    assert Decimal(books(installation)["brackwater-main"]) == after.balance.amount


@pytest.mark.parametrize("kind", ["error", SILENT, "slow"])
def test_a_top_up_that_meets_trouble_is_paid_once(installation, context, kind):
    before = the(context, "brackwater-main").balance.amount
    installation.outside.carrier("brackwater")._client.timeout = 0.5
    terms(context, top_up_at=str(before), top_up_amount="10", top_up_most="10")
    installation.outside.control.order_fault({"service": "brackwater", "fault": kind, "count": 1})
    until_quiet(installation, timedelta(minutes=3))
    assert (
        the(context, "brackwater-main").balance.amount
        == before + 10
        == Decimal(books(installation)["brackwater-main"])
    )


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"alert_mail": "nobody"}, "alert_mail"),
        ({"alert_phone": "12"}, "alert_phone"),
        ({"top_up_at": "5", "top_up_amount": "50", "top_up_most": "20"}, "top_up_most"),
        ({"top_up_at": "", "top_up_amount": "50", "top_up_most": "60"}, "top_up_at"),
        ({"grace_days": "31"}, "grace_days"),
        ({"grace_days": "soon"}, "grace_days"),
        ({"low_mark": "x"}, "low_mark"),
    ],
)
def test_rules_that_cannot_be_are_refused_with_their_field(context, given, field):
    before = the(context, "brackwater-main")
    with pytest.raises(NotUnderstood) as error:
        terms(context, **given)
    assert error.value.field == field
    assert the(context, "brackwater-main") == before


def test_the_days_of_grace_are_chosen_at_the_carrier_and_count_in_the_outlook(
    installation, context
):
    from sedge.services.carriers import balances as balance_service

    before = balance_service.outlooks(context)["brackwater-main"].runway
    terms(context, grace_days="20")
    after = balance_service.outlooks(context)["brackwater-main"].runway
    assert after.suspended_on is None or after.suspended_on - before.suspended_on == timedelta(
        days=6
    )
    asked = (
        installation.outside.carrier("brackwater")
        .with_key("key-of-brackwater-main")
        .call("GET", "account")
    )
    assert asked["grace_days"] == 20


def test_accounts_are_opened_only_where_the_carrier_can_be_asked(context):
    with pytest.raises(NotFound):
        accounts.open_many(
            context, "nobody", accounts.lines_in(context, "A", "GBP"), batch="account-9"
        )
    with pytest.raises(NotAllowedNow):
        with context.writing() as writing:
            writing.connection.execute(mails.secret.delete())
        accounts.make_key(context, "fellgate-main")


def test_numbers_of_a_country_are_bought_on_the_account_that_is_meant_for_it(context):
    assert (
        stock_search.one(context, Wish("DE", area="Berlin"), "brackwater").account.id
        == "brackwater-berlin"
    )
    assert (
        stock_search.one(context, Wish("GB", area="Leeds"), "brackwater").account.id
        == "brackwater-main"
    )


def test_a_payment_is_made_once_however_often_it_is_asked_for(installation, context):
    for _ in range(3):
        after = payments.deposit(context, "brackwater-main", "5,00", identity="deposit-1")
    assert str(after.balance.amount) == "645.00"
    assert (
        installation.outside.carrier("brackwater")
        .with_key("key-of-brackwater-main")
        .call("GET", "account")["balance"]
        == "645.00"
    )


def test_accounts_opened_twice_at_once_pay_in_once_and_tell_their_keys_to_both(
    installation, context
):
    """A double click: the second answer is the one that is seen."""

    def pressed():
        return accounts.open_many(
            context,
            "brackwater",
            [accounts.Wanted("Copperleaf Cafés", Decimal("50.00"), "")],
            batch="account-7",
            show_again=True,
        )

    first, second = pressed(), pressed()
    assert str(second[0].account.balance.amount) == "50.00"
    assert first[0].key == second[0].key != ""
    until_quiet(installation, timedelta(hours=1))
    assert pressed()[0].key == "", "an hour later it is shown no more"
