"""Keeping an account in money, settling what a carrier lists otherwise, hiding amounts from who may
not see them."""

from datetime import timedelta
from decimal import Decimal

import pytest

from sedge.core.access.hiding import HIDDEN, hide_amounts, without_amounts
from sedge.core.carriers import reconciliation_rules as rules
from sedge.core.carriers.account_topup import is_low, topped_up, wants_top_up
from sedge.core.errors import NotAllowedNow
from sedge.core.numbers.life import State
from sedge.core.supply.records import TopUp
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Level
from tests.conftest import NOW

RULE = TopUp(at=Decimal(20), amount=Decimal(50), most_a_month=Decimal(120))


def account(estate, balance="100", **values):
    found = estate.records["Account/brackwater-main"]
    return found.copy_with(balance=estate.gbp(balance), **{"top_up": RULE, **values})


@pytest.mark.parametrize(
    ("balance", "values", "low"),
    [
        ("20.01", {}, False),
        ("20", {}, True),
        ("-3", {}, True),
        ("0", {"receives_only": True}, False),
    ],
)
def test_an_account_is_low_at_its_mark(estate, balance, values, low):
    assert is_low(account(estate, balance, **values)) is low


@pytest.mark.parametrize(
    ("balance", "values", "pays"),
    [
        ("20", {}, True),
        ("20.01", {}, False),
        ("0", {"top_up": None}, False),
        ("0", {"receives_only": True}, False),
        ("0", {"topped_up": {"2026-11": Decimal(70)}}, True),
        ("0", {"topped_up": {"2026-11": Decimal(71)}}, False),
        ("0", {"topped_up": {"2026-10": Decimal(120)}}, True),
    ],
)
def test_a_top_up_rule_pays_within_its_month(estate, balance, values, pays):
    assert wants_top_up(account(estate, balance, **values), NOW) is pays


def test_what_a_rule_pays_adds_up_and_begins_anew_each_month(estate):
    once = topped_up(account(estate), Decimal(50), NOW)
    twice = topped_up(once, Decimal(50), NOW)
    assert twice.topped_up == {"2026-11": Decimal(100)}
    assert not wants_top_up(twice.copy_with(balance=estate.gbp("0")), NOW)
    later = NOW + timedelta(days=7)
    assert wants_top_up(twice.copy_with(balance=estate.gbp("0")), later)
    assert topped_up(twice, Decimal(5), later).topped_up == {"2026-12": Decimal(5)}


# ── what a carrier lists otherwise ──


def follow(e164, drift, theirs=""):
    return t.FollowCarrier(number=e164, drift=drift, theirs=theirs)


def tell(e164, drift):
    return t.TellCarrier(number=e164, account="brackwater-main", drift=drift)


def judged(rule, task, world):
    finding = rule(task, world)
    return (finding.level, finding.message) if finding else (None, "")


@pytest.mark.parametrize(
    ("state", "drift", "theirs", "level", "words"),
    [
        (State.AVAILABLE, "other price", "0.70 GBP", Level.PASS, "a number of ours"),
        (State.CLOSED, "other price", "0.70 GBP", Level.STOP, "is closed here already"),
        (State.AVAILABLE, "other trunk", "leeds-a", Level.PASS, "a number of ours"),
        (State.AVAILABLE, "other trunk", "york-b", Level.STOP, "no such trunk here"),
    ],
)
def test_only_a_number_of_ours_follows_its_carrier(estate, state, drift, theirs, level, words):
    e164 = estate.number(142, state)
    found = judged(rules.known_here, follow(e164, drift, theirs), estate.build())
    assert found[0] is level and words in found[1]


@pytest.mark.parametrize("drift", ["not listed", "other state"])
def test_whoever_loses_a_number_is_named(estate, drift):
    held, free = estate.given(142, estate.person()), estate.number(143)
    world = estate.build()
    level, words = judged(rules.nobody_loses, follow(held, drift), world)
    assert level is Level.WARN and words.startswith("Ifeoma Okafor has 0113 496 0142 and loses it")
    assert judged(rules.nobody_loses, follow(free, drift), world) == (Level.PASS, "Nobody has it")
    assert judged(rules.nobody_loses, follow(held, "other trunk", "x"), world) == (None, "")


@pytest.mark.parametrize(
    ("theirs", "level", "words"),
    [
        ("0.75 GBP", Level.WARN, "costs £1.20 a year more than agreed"),
        ("0.60 GBP", Level.PASS, "£0.60 a year less"),
        ("0.65 GBP", Level.PASS, "£0.00 a year less"),
    ],
)
def test_what_a_price_comes_to_a_year_is_said(estate, theirs, level, words):
    e164 = estate.number(142)
    found = judged(rules.price_told, follow(e164, "other price", theirs), estate.build())
    assert found[0] is level and words in found[1]


@pytest.mark.parametrize(
    ("state", "drift", "level", "words"),
    [
        (State.AVAILABLE, "other price", Level.PASS, "Brackwater Telecom is told"),
        (State.CLOSED, "other price", Level.STOP, "there is nothing to tell"),
        (State.AVAILABLE, "not ours", Level.STOP, "in the estate by now"),
        (State.CLOSED, "not ours", Level.WARN, "for good"),
    ],
)
def test_a_carrier_is_told_only_what_is_so(estate, state, drift, level, words):
    found = judged(rules.can_be_told, tell(estate.number(142, state), drift), estate.build())
    assert found[0] is level and words in found[1]


def test_a_number_nobody_knows_is_handed_back(estate):
    found = judged(rules.can_be_told, tell("+441134960999", "not ours"), estate.build())
    assert found[0] is Level.WARN


@pytest.mark.parametrize(
    ("drift", "theirs", "field", "value"),
    [
        ("other price", "0.75 GBP", "monthly", Decimal("0.75")),
        ("other trunk", "leeds-a", "trunk", "leeds-a"),
        ("not listed", "", "state", State.RELEASED),
        ("other state", "ended", "state", State.RELEASED),
    ],
)
def test_our_record_becomes_what_is_listed(estate, drift, theirs, field, value):
    e164 = estate.given(142, estate.person(), path="p")
    [change] = follow(e164, drift, theirs).apply(estate.build())
    found = getattr(change.after, field)
    assert getattr(found, "amount", found) == value
    gone = change.after.state is State.RELEASED
    assert (change.after.holder is None, change.after.spot is None) == (gone, gone)


def test_what_is_not_ours_cannot_be_followed(estate):
    with pytest.raises(NotAllowedNow, match="imported"):
        follow(estate.number(142), "not ours").apply(estate.build())


def test_telling_changes_nothing_here_and_is_for_good(estate):
    task, world = tell(estate.number(142), "other price"), estate.build()
    assert list(task.apply(world)) == [] and task.for_good
    assert task.describe(world)[0].startswith("0113 496 0142: ")


# ── amounts that somebody may not see ──


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("costs £1,200.50 a year", f"costs {HIDDEN} a year"),
        ("€5 and CA$ 7.00", f"{HIDDEN} and {HIDDEN}"),
        ("GBP 12.00 less", f"{HIDDEN} less"),
        ("−£3 today", f"{HIDDEN} today"),
        ("12 numbers, 3 days", "12 numbers, 3 days"),
        ("0113 496 0142", "0113 496 0142"),
        ("£", "£"),
    ],
)
def test_amounts_in_a_text_are_hidden_and_nothing_else(text, shown):
    assert hide_amounts(text) == shown


def test_amounts_in_data_are_hidden_however_deep():
    money = {"amount": "5.00", "currency": "GBP"}
    data = {"a": [{"monthly": money, "said": "£5 a month"}], "n": 5, "none": None, "b": money}
    assert without_amounts(data) == {
        "a": [{"monthly": None, "said": f"{HIDDEN} a month"}],
        "n": 5,
        "none": None,
        "b": None,
    }
