"""What must be so before a carrier is asked for numbers, papers and features, and what comes of
it: money that is there, numbers that are not ours yet, papers that still serve."""

from datetime import timedelta
from decimal import Decimal

import pytest

from sedge.core.errors import NotAllowedNow
from sedge.core.facts import Money
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import Kind
from sedge.core.records import Capacity, Document, Order
from sedge.core.supply import rules
from sedge.core.supply.documents import PAPERS, asked, good_until, held
from sedge.core.supply.records import (
    FeatureTerms,
    LineState,
    OrderForm,
    OrderLine,
    OrderPaper,
    PaperState,
)
from sedge.core.supply.tasks import ArrivedLine, OrderedLine
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Level
from tests.conftest import NOW

NEW, ANOTHER = "+441134960501", "+441134960502"
TODAY = NOW.date()


def eur(amount):
    return Money(amount=Decimal(amount), currency="EUR")


def ordered(estate, *setups, account="brackwater-main", **values):
    lines = tuple(
        OrderedLine(
            number=f"+4411349605{i:02d}",
            capacity=Capacity.SINGLE,
            setup=money if isinstance(money, Money) else estate.gbp(money),
            monthly=estate.gbp("0.65"),
        )
        for i, money in enumerate(setups, 1)
    )
    return t.OrderNumbers(reference="WHF-1", account=account, site="leeds", lines=lines, **values)


def account(estate, **values):
    estate.put(estate.records["Account/brackwater-main"].copy_with(**values))


def judged(rule, task, world):
    finding = rule(task, world)
    return (finding.level, finding.message) if finding else None


# ── money ──


@pytest.mark.parametrize(
    ("setups", "level", "words"),
    [
        (("50",), Level.PASS, "covers the set-up: £50.00"),
        (("50", "50"), Level.PASS, "£100.00"),
        (("50", "50.01"), Level.STOP, "£0.01 short"),
        (("300",), Level.STOP, "£200.00 short"),
    ],
)
def test_a_prepaid_account_must_cover_the_set_up(estate, setups, level, words):
    found = judged(rules.enough_money, ordered(estate, *setups), estate.build())
    assert found[0] is level and words in found[1]


def test_an_account_that_is_billed_afterwards_may_owe(estate):
    account(estate, prepaid=False)
    task = ordered(estate, "300")
    assert judged(rules.enough_money, task, estate.build())[0] is Level.PASS


def test_numbers_in_another_currency_are_not_bought(estate):
    level, words = judged(rules.enough_money, ordered(estate, eur("1")), estate.build())
    assert level is Level.STOP and "sold in EUR, and Brackwater main is kept in GBP" in words


def test_an_account_nobody_has_paid_into_only_receives(estate):
    account(estate, receives_only=True)
    finding = rules.enough_money(ordered(estate, "1"), estate.build())
    assert finding.level is Level.STOP
    assert finding.remedies[0].leads_to.what == "deposit"


def test_a_number_is_bought_once(estate):
    estate.number(501)
    task = ordered(estate, "1", "1")
    level, words = judged(rules.not_ours_already, task, estate.build())
    assert level is Level.STOP and "0113 496 0501 is in the estate already, available" in words
    estate.number(501, State.CLOSED)
    assert judged(rules.not_ours_already, task, estate.build())[0] is Level.PASS


@pytest.mark.parametrize(
    ("spot", "level", "words"),
    [
        (None, Level.WARN, "No emergency spot is chosen"),
        ("WHF-001-K", Level.PASS, "ground floor, reception"),
        ("WHF-002-A", Level.WARN, "not yet good enough"),
    ],
)
def test_the_first_spot_of_new_numbers(estate, spot, level, words):
    reception = estate.records["Spot/WHF-001-K"]
    estate.put(
        reception.copy_with(id="WHF-002-A", name="first floor", confirmed_at=None, doubt="gone")
    )
    estate.put(reception.copy_with(id="WHF-002-A", floor="", room=""))
    found = judged(rules.order_spot, ordered(estate, "1", spot=spot), estate.build())
    assert found[0] is level and words in found[1]


# ── orders and what arrives ──


def test_an_order_opens_a_life_for_each_number_and_is_foreseen_as_delivered(estate):
    task, world = ordered(estate, "1", "2", spot="WHF-001-K"), estate.build()
    order, *lives = task.apply(world, "wo-7")
    assert order.after.id == "wo-7-order" and order.after.key == "wo-7"
    assert [c.after.state for c in lives] == [State.ON_ORDER] * 2
    foreseen = [c.after for c in task.project(world, "wo-7")[1:]]
    assert {n.state for n in foreseen} == {State.AVAILABLE}
    cost = task.costs(world)
    assert (cost.once, cost.monthly) == (estate.gbp("3"), estate.gbp("1.30"))


def line(e164, state=LineState.WAITING, *, estate):
    money = estate.gbp("0.65")
    return OrderLine(e164=e164, state=state, setup=money, monthly=money, capacity=Capacity.SINGLE)


@pytest.fixture
def order(estate):
    def made(*lines, **values):
        found = Order(
            id="o-1",
            reference="WHF-1",
            account="brackwater-main",
            site="leeds",
            key="k",
            lines=lines,
            **values,
        )
        estate.put(found)
        return found

    return made


def arrival(estate, *numbers, setup=None, monthly=None):
    gbp = estate.gbp("0.65")
    lines = tuple(
        ArrivedLine(number=n, setup=setup or gbp, monthly=monthly or gbp) for n in numbers
    )
    return t.RecordArrival(order="o-1", lines=lines)


@pytest.mark.parametrize(
    ("form", "refused", "level", "words"),
    [
        (None, "", Level.STOP, "placed over the wire"),
        (OrderForm(quantity=2, area="Leeds"), "too late", Level.STOP, "was cancelled"),
        (OrderForm(quantity=1, area="Leeds"), "", Level.WARN, "1 were asked for"),
        (OrderForm(quantity=2, area="Leeds"), "", Level.PASS, "2 of 2 will have arrived"),
        (OrderForm(quantity=5, area="Leeds"), "", Level.PASS, "2 of 5"),
    ],
)
def test_only_what_was_ordered_on_a_form_arrives_by_hand(
    estate, order, form, refused, level, words
):
    order(form=form, refused=refused)
    found = judged(rules.arrival_of_a_form, arrival(estate, NEW, ANOTHER), estate.build())
    assert found[0] is level and words in found[1]


def test_what_has_arrived_already_is_not_counted_twice(estate, order):
    order(line(NEW, LineState.DELIVERED, estate=estate), form=OrderForm(quantity=2, area="Leeds"))
    task = arrival(estate, NEW, ANOTHER)
    world = estate.build()
    assert judged(rules.arrival_of_a_form, task, world)[1] == "2 of 2 will have arrived"
    written, *lives = task.apply(world)
    assert [x.e164 for x in written.after.lines] == [NEW, ANOTHER]
    assert [(c.after.e164, c.after.state) for c in lives] == [(ANOTHER, State.AVAILABLE)]
    world.absorb([written, *lives])
    assert task.apply(world) == []


@pytest.mark.parametrize(
    ("number", "setup", "words"),
    [
        ("+441134960150", None, "in the estate already, available"),
        ("+493023125600", None, "not of a country that Brackwater Telecom serves"),
        (NEW, "EUR", "kept in GBP; the price of 0113 496 0501 is in another currency"),
        (NEW, None, None),
    ],
)
def test_what_arrives_has_to_fit(estate, order, number, setup, words):
    estate.number(150)
    order(form=OrderForm(quantity=2, area="Leeds"))
    task = arrival(estate, number, setup=eur("1") if setup else None)
    level, said = judged(rules.arrival_numbers_fit, task, estate.build())
    assert level is (Level.STOP if words else Level.PASS)
    assert words is None or words in said


def test_only_what_is_still_on_its_way_is_cancelled(estate, order):
    order(line(NEW, estate=estate), line(ANOTHER, LineState.DELIVERED, estate=estate))
    estate.number(501, State.ON_ORDER, order="o-1")
    world = estate.build()
    changes = t.CancelOrder(order="o-1").apply(world)
    after = next(c.after for c in changes if isinstance(c.after, Order))
    assert [x.state for x in after.lines] == [LineState.CANCELLED, LineState.DELIVERED]
    world.absorb(changes)
    with pytest.raises(NotAllowedNow, match="Nothing of order WHF-1 is still on its way"):
        t.CancelOrder(order="o-1").apply(world)


# ── papers ──


def document(key="d-1", paper="proof of local address", **values):
    usual = {"site": "leeds", "issued_on": TODAY - timedelta(days=10)}
    return Document(
        id=key,
        paper=paper,
        title=f"Paper {key}",
        filename="a.pdf",
        media_type="application/pdf",
        size=10,
        sha256="0" * 64,
        at=NOW,
        by="Rowan",
        **usual | values,
    )


@pytest.mark.parametrize(
    ("carrier", "country", "kind", "papers"),
    [
        ("brackwater", "DE", Kind.GEOGRAPHIC, ["proof of local address", "register extract"]),
        ("brackwater", "DE", Kind.MOBILE, []),
        ("brackwater", "GB", Kind.GEOGRAPHIC, []),
        ("fellgate", "DE", Kind.GEOGRAPHIC, []),
        ("maplecourt", "US", Kind.TOLL_FREE, ["statement of use"]),
    ],
)
def test_papers_hang_on_carrier_country_and_kind(carrier, country, kind, papers):
    assert [p.name for p in asked(carrier, [(country, kind), (country, kind)])] == papers


@pytest.mark.parametrize(
    ("issued", "until", "good"),
    [
        (TODAY, None, TODAY + timedelta(days=180)),
        (TODAY, TODAY + timedelta(days=3), TODAY + timedelta(days=3)),
        (TODAY - timedelta(days=200), None, TODAY - timedelta(days=20)),
        (None, None, None),
    ],
)
def test_a_paper_serves_until_its_end_or_until_it_is_too_old(issued, until, good):
    assert good_until(document(issued_on=issued, valid_until=until)) == good


@pytest.mark.parametrize(
    ("values", "problem"),
    [
        ({}, ""),
        ({"issued_on": TODAY - timedelta(days=180)}, ""),
        ({"issued_on": TODAY - timedelta(days=181)}, "served until"),
        ({"site": "york"}, "of another site"),
        ({"withdrawn": True}, "none is on file"),
    ],
)
def test_a_paper_that_does_not_serve_says_why(values, problem):
    found = held(PAPERS["proof of local address"], [document(**values)], "leeds", TODAY)
    assert (found.document is None) is bool(problem) and problem in found.problem


def test_of_two_papers_the_one_that_serves_longest_is_taken():
    old, new = document("old", issued_on=TODAY - timedelta(days=90)), document("new")
    assert held(PAPERS[old.paper], [new, old], "leeds", TODAY).document == new


def german(estate):
    estate.put(estate.records["Carrier/brackwater"].copy_with(countries=("GB", "DE")))
    lines = (
        OrderedLine(
            number="+493023125600",
            capacity=Capacity.SINGLE,
            setup=estate.gbp("1"),
            monthly=estate.gbp("1"),
        ),
    )
    return t.OrderNumbers(reference="B-1", account="brackwater-main", site="leeds", lines=lines)


def test_papers_are_asked_for_where_they_are_wanted(estate):
    task = german(estate)
    level, words = judged(rules.papers_on_file, task, estate.build())
    assert level is Level.STOP and words.count("none is on file") == 2
    estate.put(document(), document("d-2", "register extract", site=None))
    level, words = judged(rules.papers_on_file, task, estate.build())
    assert level is Level.PASS and "proof of local address is good until" in words
    assert judged(rules.papers_on_file, ordered(estate, "1"), estate.build()) is None


@pytest.mark.parametrize(
    ("paper", "fresh", "state", "words"),
    [
        ("proof of local address", {}, PaperState.IN_REVIEW, "has not rejected that document"),
        ("register extract", {"site": None}, PaperState.REJECTED, "is a register extract"),
        (
            "proof of local address",
            {"issued_on": TODAY - timedelta(days=999)},
            PaperState.REJECTED,
            "no longer good",
        ),
        ("proof of local address", {}, PaperState.REJECTED, None),
    ],
)
def test_a_rejected_paper_is_replaced_by_one_that_serves(estate, order, paper, fresh, state, words):
    sent = OrderPaper(document="old", paper="proof of local address", state=state)
    order(papers=(sent,))
    estate.put(document("old"), document("new", paper, **fresh))
    task, world = t.SendPaper(order="o-1", document="new", instead_of="old"), estate.build()
    level, said = judged(rules.paper_is_wanted, task, world)
    assert level is (Level.STOP if words else Level.PASS)
    assert words is None or words in said
    if not words:
        [change] = task.apply(world)
        assert [(p.document, p.state) for p in change.after.papers] == [
            ("new", PaperState.IN_REVIEW)
        ]


def test_the_same_paper_is_not_sent_again(estate, order):
    order(papers=(OrderPaper(document="old", paper=document().paper, state=PaperState.REJECTED),))
    estate.put(document("old"))
    task = t.SendPaper(order="o-1", document="old", instead_of="old")
    assert judged(rules.paper_is_wanted, task, estate.build())[0] is Level.STOP


# ── when free ──


def wish(estate, **values):
    usual = {
        "country": "GB",
        "most_setup": estate.gbp("5"),
        "most_monthly": estate.gbp("1"),
        "until": NOW + timedelta(days=30),
    }
    return t.OrderWhenFree(
        reference="W-1", account="brackwater-main", site="leeds", **usual | values
    )


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({}, None),
        ({"until": NOW}, "The last day has passed"),
        ({"most_monthly": eur("1")}, "say the limits in that"),
        ({"most_setup": eur("1")}, "kept in GBP"),
        ({"country": "DE"}, "sells numbers of the United Kingdom only"),
    ],
)
def test_a_standing_wish_must_be_possible_at_all(estate, values, words):
    level, said = judged(rules.when_free, wish(estate, **values), estate.build())
    assert level is (Level.STOP if words else Level.PASS)
    assert (words or "nothing dearer than £1.00 a month is bought") in said


def test_a_wish_is_told_in_words(estate):
    task = wish(estate, area="Leeds", pattern="00", quantity=3)
    assert task.describe(estate.build()) == (
        "Order 3 numbers when free",
        "under W-1: Leeds, ending 00",
    )


# ── features ──


@pytest.fixture
def with_features(estate):
    estate.put(
        estate.records["Carrier/brackwater"].copy_with(
            features={
                "texts": FeatureTerms(fee=Decimal("0.40"), kinds=(Kind.GEOGRAPHIC,)),
                "fax": FeatureTerms(fee=Decimal(1), kinds=(Kind.MOBILE,)),
                rules.REGISTRATION: FeatureTerms(fee=Decimal(0)),
            }
        )
    )
    return estate


def switch(e164, feature="texts", *, on=True):
    return t.SetFeature(number=e164, feature=feature, on=on)


@pytest.mark.parametrize(
    ("feature", "on", "level", "words"),
    [
        ("texts", True, Level.PASS, "offers texts, £0.40 a month"),
        ("fax", True, Level.STOP, "does not offer “fax” for 0113 496 0142"),
        ("fax", False, Level.PASS, "can switch it off"),
        ("video", True, Level.STOP, "It offers texts"),
    ],
)
def test_a_feature_must_be_offered_for_the_kind(with_features, feature, on, level, words):
    e164 = with_features.number(142)
    found = judged(rules.feature_offered, switch(e164, feature, on=on), with_features.build())
    assert found[0] is level and words in found[1]


@pytest.mark.parametrize(
    ("state", "values", "level", "words"),
    [
        (State.ON_ORDER, {}, Level.STOP, "is on order"),
        (State.CLOSED, {}, Level.STOP, "nothing is switched at it any more"),
        (State.AVAILABLE, {"leaving_on": NOW}, Level.STOP, "on its way back"),
        (State.AVAILABLE, {"features": ("texts",)}, Level.PASS, "Texts is on already"),
        (State.AVAILABLE, {}, Level.PASS, "in service at its carrier"),
    ],
)
def test_only_a_number_that_is_delivered_can_be_changed(with_features, state, values, level, words):
    e164 = with_features.number(142, state, **values)
    found = judged(rules.feature_number_here, switch(e164), with_features.build())
    assert found[0] is level and words in found[1]


def test_emergency_registration_of_a_number_in_use_stays(with_features):
    person = with_features.person()
    used, idle = with_features.given(142, person), with_features.number(143)
    world = with_features.build()
    off = [switch(e, rules.REGISTRATION, on=False) for e in (used, idle)]
    assert judged(rules.feature_help, off[0], world)[0] is Level.STOP
    assert judged(rules.feature_help, off[1], world)[0] is Level.WARN
    assert judged(rules.feature_help, switch(used, "texts", on=False), world) is None
    assert judged(rules.feature_help, switch(used, rules.REGISTRATION), world) is None
