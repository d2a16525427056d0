"""Licences: what grants amount to, what is refused and why, exchange, trials, free seats that
follow paid ones."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core import records as e
from sedge.core.estate import Estate
from sedge.core.facts import money
from sedge.core.licences.entitlement_status import (
    circle,
    entitled,
    lacking,
    runs_short_on,
    warned,
    working,
)
from sedge.core.licences.reducers import months_later, term_over
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check, with_remedies
from tests.conftest import NOW, EstateBuilder

PERSON = (e.HolderKind.PERSON,)


def product(key, *, needs_all=(), needs_any=(), price="1.00", **values):
    return e.Product(
        id=key,
        name=key.capitalize(),
        needs_all=needs_all,
        needs_any=needs_any,
        for_holders=PERSON,
        monthly=money(price, "GBP"),
        propagation_minutes=10,
        **values,
    )


def stops(tasks, world):
    return {f.rule: f for f in check(tasks, world).stops}


def test_a_seat_works_once_all_it_needs_works():
    products = {
        p.id: p
        for p in (
            product("a"),
            product("b", needs_all=("a",)),
            product("c", needs_any=("b", "d")),
            product("d"),
        )
    }
    assert working(["c", "b"], products) == set()
    assert working(["c", "b", "a"], products) == {"a", "b", "c"}
    assert working(["c", "d"], products) == {"c", "d"}


def test_products_in_a_circle_never_work_and_the_circle_is_named():
    products = {
        p.id: p
        for p in (product("a", needs_all=("b",)), product("b", needs_any=("a",)), product("x"))
    }
    assert working(["a", "b"], products) == set()
    assert sorted(circle(products)) == ["a", "b"]
    assert circle({"x": products["x"]}) == []


def test_what_is_lacking_comes_in_the_order_of_granting_and_the_cheapest_alternative_is_taken():
    products = {
        p.id: p
        for p in (
            product("base"),
            product("dear", price="9.00"),
            product("cheap", needs_all=("base",), price="2.00"),
            product("top", needs_any=("dear", "cheap")),
        )
    }
    assert lacking(["top"], [], products) == ["base", "cheap", "top"]
    assert lacking(["top"], ["dear"], products) == ["top"]


KEYS = st.lists(st.sampled_from("abcdef"), max_size=3, unique=True)


@given(
    st.dictionaries(st.sampled_from("abcdef"), st.tuples(KEYS, KEYS), min_size=1),
    st.lists(st.sampled_from("abcdef"), unique=True),
)
def test_working_is_the_greatest_set_that_stands_on_itself_from_below(needs, granted):
    products = {
        key: product(key, needs_all=tuple(all_), needs_any=tuple(any_))
        for key, (all_, any_) in needs.items()
    }
    works = working(granted, products)
    assert works <= set(granted)
    for key in works:
        assert set(products[key].needs_all) <= works
        assert not products[key].needs_any or set(products[key].needs_any) & works
    for key in set(granted) & set(products) - works:  # nothing more could be added
        missing = set(products[key].needs_all) - works or (
            products[key].needs_any and not set(products[key].needs_any) & works
        )
        assert missing


def test_one_of_several_prerequisites_is_enough_and_the_stop_says_so(estate):
    person = estate.person()
    estate.put(
        product("top", needs_any=("staff", "home")),
        e.Subscription(id="top-sub", product="top", seats=3),
    )
    found = stops([t.GrantLicence(holder=person, product="top")], estate.build())[
        "licence.prerequisites"
    ]
    assert "One of Staff seat, Home calling would do" in found.message
    assert [x.product for x in found.remedies[0].tasks] == ["staff"]


def test_a_catalogue_with_a_circle_is_a_stop_that_names_it_and_offers_nothing(estate):
    person = estate.person()
    estate.put(
        product("a", needs_all=("b",)),
        product("b", needs_all=("a",)),
        e.Subscription(id="a-sub", product="a", seats=3),
    )
    found = stops([t.GrantLicence(holder=person, product="a")], estate.build())[
        "licence.prerequisites"
    ]
    assert "A needs B needs A" in found.message
    assert found.remedies == ()


def test_an_exchange_keeps_what_stands_on_the_seat_and_frees_the_old_one(estate):
    person = estate.person()
    estate.put(
        product("more", needs_all=("staff",)),
        e.Subscription(id="more-sub", product="more", seats=1),
    )
    estate.granted(person, "staff", "home")
    report = check([t.ExchangeLicence(holder=person, product="home", to="more")], estate.build())
    assert report.runnable
    assert {g.product for g in report.after.grants_of(person)} == {"staff", "more"}
    assert report.after.the(e.Subscription, "home-sub").used == 0


def test_an_exchange_is_refused_where_a_number_needs_the_old_seat(estate):
    person = estate.person()
    estate.put(product("other"), e.Subscription(id="other-sub", product="other", seats=1))
    estate.granted(person, "staff", "home")
    estate.given(142, person)
    found = stops([t.ExchangeLicence(holder=person, product="home", to="other")], estate.build())[
        "licence.exchange"
    ]
    assert "0113 496 0142" in found.message


def test_taking_back_a_base_seat_takes_what_stands_on_it_too_and_in_the_right_order(estate):
    person = estate.person()
    estate.granted(person, "staff", "home")
    world = estate.build()
    tasks = [t.RevokeLicence(holder=person, product="staff")]
    mended, _ = with_remedies(tasks, check(tasks, world))
    report = check(mended, world)
    assert report.runnable
    assert [mended[i].product for i, _ in report.order] == ["home", "staff"]


def test_seats_never_go_below_grants(estate):
    for name in ("Ada", "Bea", "Cem"):
        estate.granted(estate.person(name), "staff")
    world = estate.build()
    assert "licence.can-be-cancelled" in stops(
        [t.CancelSeats(subscription="staff-sub", seats=3)], world
    )
    assert check([t.CancelSeats(subscription="staff-sub", seats=2)], world).runnable
    assert "licence.can-be-cancelled" in stops(
        [t.CancelSeats(subscription="staff-sub", seats=6)], world
    )


@pytest.mark.parametrize("left", [0, 2])
def test_missing_seats_are_bought_at_once_however_many_people_lack_one(estate, left):
    people = [estate.person(f"Person {i}") for i in range(5)]
    estate.put(e.Subscription(id="staff-sub", product="staff", seats=left))
    world = estate.build()
    tasks = [t.GrantLicence(holder=p, product="staff") for p in people]
    mended, _ = with_remedies(tasks, check(tasks, world))
    assert [(x.product, x.seats) for x in mended if x.kind == "buy_seats"] == [("staff", 5 - left)]
    assert check(mended, world).runnable


def test_free_seats_follow_the_paid_ones_and_can_not_be_bought(estate):
    world = estate.build()
    report = check([t.BuySeats(product="home", seats=30)], world)
    assert report.after.the(e.Subscription, "permit-sub").seats == 2 + 35 // 15
    assert "licence.can-be-bought" in stops([t.BuySeats(product="permit", seats=1)], world)


@given(st.integers(0, 5), st.integers(1, 20), st.lists(st.integers(0, 200), max_size=4))
def test_entitlement_counts_paid_seats_only(base, per, seats):
    from sedge.core.licences.records import Entitlement

    free = product("free", entitlement=Entitlement(base=base, per=per, of="paid"))
    pools = [e.Subscription(id=f"s{i}", product="paid", seats=n) for i, n in enumerate(seats)]
    trial = e.Subscription(id="trial", product="paid", seats=500, trial_ends=NOW)
    assert entitled(free, [*pools, trial]) == base + sum(seats) // per


def test_a_trial_is_begun_once_and_only_where_it_is_offered(estate):
    estate.put(product("new", trial_days=30))
    world = estate.build()
    assert "licence.trial-offered" in stops([t.StartTrial(product="staff", seats=2)], world)
    report = check([t.StartTrial(product="new", seats=2)], world)
    assert report.runnable
    trial = next(s for s in report.after.all(e.Subscription) if s.product == "new")
    assert trial.trial_ends == NOW + timedelta(days=30)
    assert "licence.trial-offered" in stops([t.StartTrial(product="new", seats=2)], report.after)


def trial_with(estate, people, paid):
    estate.put(
        product("new", trial_days=30),
        e.Subscription(id="trial", product="new", seats=9, trial_ends=NOW),
        e.Subscription(id="paid", product="new", seats=paid),
    )
    refs = [estate.person(name) for name in people]
    for i, ref in enumerate(refs):
        estate.put(
            e.Grant(
                id=f"g{i}",
                product="new",
                subscription="trial",
                holder=ref,
                since=NOW + timedelta(minutes=i),
                works_from=NOW,
            )
        )
    estate.put(estate.records["Subscription/trial"].copy_with(used=len(refs)))
    return refs


def test_when_a_trial_ends_its_grants_move_to_seats_that_are_left_the_oldest_first(estate):
    refs = trial_with(estate, ("Ada", "Bea", "Cem"), paid=2)
    world = estate.build()
    world.absorb(term_over(world.the(e.Subscription, "trial"), world))
    assert [bool(world.grants_of(ref)) for ref in refs] == [True, True, False]
    assert world.the(e.Subscription, "paid").used == 2
    assert world.the(e.Subscription, "trial").ended


def test_cancelled_seats_go_on_the_last_day_of_the_term(estate):
    world = estate.build()
    world.absorb(t.CancelSeats(subscription="staff-sub", seats=2).apply(world))
    assert world.the(e.Subscription, "staff-sub").left == 3
    world.absorb(term_over(world.the(e.Subscription, "staff-sub"), world))
    after = world.the(e.Subscription, "staff-sub")
    assert (after.seats, after.leaving, after.ended) == (3, 0, False)


def test_undoing_a_purchase_leaves_what_others_bought_and_granted_since():
    estate = EstateBuilder()
    person = estate.person()
    world = estate.build()
    bought = t.BuySeats(product="staff", seats=10).apply(world)
    world.absorb(bought)
    world.absorb(t.BuySeats(product="staff", seats=3).apply(world))
    world.absorb(t.GrantLicence(holder=person, product="staff").apply(world))
    back = t.PutBack(
        of="x",
        snapshots=tuple(
            t.Snapshot(
                subject=c.subject,
                id=c.id,
                before=c.before.model_dump(mode="json"),
                after=c.after.model_dump(mode="json"),
            )
            for c in bought
        ),
    )
    world.absorb(back.apply(world))
    after = world.the(e.Subscription, "staff-sub")
    assert (after.seats, after.used) == (8, 1)


@pytest.mark.parametrize(
    ("months", "day"), [(1, "2027-02-28"), (12, "2028-01-31"), (13, "2028-02-29")]
)
def test_a_term_ends_on_the_same_day_or_the_months_last(months, day):
    assert str(months_later(NOW.replace(year=2027, month=1, day=31), months).date()) == day


def test_warnings_come_thirty_seven_and_one_day_ahead():
    assert [warned(NOW + timedelta(days=d), NOW) for d in (40, 29, 6, 0.5, -1)] == [
        None,
        30,
        7,
        1,
        0,
    ]


def test_a_pool_runs_short_at_the_present_pace_and_never_where_it_does_not_grow():
    assert runs_short_on(9, 90, NOW) == NOW + timedelta(days=9)
    assert runs_short_on(9, 0, NOW) is None


def test_a_currency_of_the_holders_carrier_is_what_a_seat_costs(estate):

    person = estate.person()
    estate.put(
        estate.records["Product/staff"].copy_with(prices=(money("3.60", "EUR"),)),
        estate.records["Account/brackwater-main"].copy_with(balance=money(5, "EUR")),
    )
    monthly = t.GrantLicence(holder=person, product="staff").costs(estate.build()).monthly
    assert (str(monthly.amount), monthly.currency) == ("3.60", "EUR")


def test_a_seat_that_nobody_holds_saves_nothing_and_one_that_is_held_costs_nothing(estate):

    person, other = estate.person(), estate.person("Bram Tallow")
    estate.granted(person, "staff")
    built = estate.build()
    give, take = (
        t.GrantLicence(holder=person, product="staff"),
        t.RevokeLicence(holder=person, product="staff"),
    )
    assert (give.is_idle([give], built), take.is_idle([take], built)) == (True, False)
    give, take = (
        t.GrantLicence(holder=other, product="staff"),
        t.RevokeLicence(holder=other, product="staff"),
    )
    assert (give.is_idle([give], built), take.is_idle([take], built)) == (False, True)
    assert not take.is_idle([give, take], built)
    assert not t.BuySeats(product="staff", seats=1).is_idle([], built)


def test_an_estate_without_what_is_asked_for_raises_not_guesses():
    from sedge.core.errors import NotFound

    with pytest.raises(NotFound):
        t.BuySeats(product="nothing", seats=1).apply(Estate(NOW))
