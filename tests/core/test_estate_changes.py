"""The reducer, the order of tasks, undo, spots, addresses, offers, quotes, figures, the ledger's
chain."""

from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.changes import rest_over, same
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotUnderstood
from sedge.core.facts import money, to_canonical_json
from sedge.core.ledger.chain import BEGINNING, Entry, first_broken, link
from sedge.core.ledger.sentences import SENTENCES
from sedge.core.numbers.capacity_forecast import figures, months_to_exhaustion
from sedge.core.numbers.life import State
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import Account, Capacity, Number, Order, Subscription
from sedge.core.safety.spots import read_spot_code, review_due, spot_code
from sedge.core.supply.offers import StockNumber, Wish, memorability, rank_offers
from sedge.core.supply.quote import pro_rata, quote
from sedge.core.supply.records import LineState, OrderLine
from sedge.core.supply.reducers import settle_lines
from sedge.core.supply.tasks import OrderedLine
from sedge.core.workorders import tasks as t
from sedge.core.workorders.plan import arrange
from sedge.core.workorders.rules.catalogue import RULES
from tests.asserting import every
from tests.conftest import NOW, EstateBuilder


def test_assigning_moves_state_holder_spot_and_moment(estate):
    person = estate.person()
    estate.granted(person, "staff", "home", works_from=NOW + timedelta(minutes=15))
    number = estate.number(142)
    after = t.AssignNumber(number=number, holder=person).apply(estate.build())[0].after
    assert (after.state, after.holder, after.spot, after.assignment.works_from) == (
        State.ASSIGNED,
        person,
        "WHF-001-K",
        NOW + timedelta(minutes=15),
    )


def test_taking_back_rests_as_the_policy_says(estate):
    number = estate.given(142, estate.person(), label="front desk")
    after = t.UnassignNumber(number=number).apply(estate.build())[0].after
    assert (after.state, after.state_until, after.assignment, after.label) == (
        State.AGING,
        NOW + timedelta(days=90),
        None,
        "",
    )
    assert (
        t.UnassignNumber(number=number, rest=0).apply(estate.build())[0].after.state
        is State.AVAILABLE
    )
    assert rest_over(after)[0].after.state is State.AVAILABLE


def test_a_toll_free_number_rests_longer(estate):
    record = estate.records[f"Number/{estate.given(142, estate.person())}"]
    estate.put(record.copy_with(e164="+448081570001", id="free"))
    assert t.UnassignNumber(number="+448081570001").apply(estate.build())[
        0
    ].after.state_until == NOW + timedelta(days=120)


def test_granting_counts_the_seat_and_twice_is_once(estate):
    person = estate.person()
    world = estate.build()
    world.absorb(t.GrantLicence(holder=person, product="staff").apply(world, "a"))
    assert t.GrantLicence(holder=person, product="staff").apply(world, "b") == []
    assert world.the(Subscription, "staff-sub").used == 1
    world.absorb(t.RevokeLicence(holder=person, product="staff").apply(world))
    assert world.the(Subscription, "staff-sub").used == 0


def test_moving_a_person_moves_the_spot_of_their_numbers(estate):
    person = estate.person(spot="WHF-000-M")
    estate.given(142, person, spot="WHF-000-M")
    changes = t.SetSpot(person=person.id, spot="WHF-001-K").apply(estate.build())
    assert [c.after.spot for c in changes] == ["WHF-001-K", "WHF-001-K"]


def order_of(*lines):
    return Order(
        id="o",
        reference="R",
        account="brackwater-main",
        site="leeds",
        key="k",
        placed_as="B1",
        lines=lines,
    )


def line(last, state=LineState.WAITING):
    price = EstateBuilder.gbp("1")
    return OrderLine(
        e164=f"+44113496{last:04d}",
        state=state,
        setup=price,
        monthly=price,
        capacity=Capacity.SINGLE,
    )


def test_a_delivery_told_twice_changes_nothing_the_second_time(estate):
    estate.number(500, State.ON_ORDER, order="o")
    order = order_of(line(500))
    world = estate.build()
    answers = {"+441134960500": (LineState.DELIVERED, NOW, "")}
    changes = settle_lines(order, answers, world)
    assert [c.action for c in changes] == ["order.line-changed", "number.delivered"]
    world.absorb(changes)
    assert settle_lines(changes[0].after, answers, world) == []


def test_a_failed_line_closes_the_life_that_never_came_to_be(estate):
    estate.number(500, State.ON_ORDER, order="o")
    changes = settle_lines(
        order_of(line(500)),
        {"+441134960500": (LineState.FAILED, None, "none left")},
        estate.build(),
    )
    assert (changes[1].after.state, changes[1].after.state_reason) == (State.CLOSED, "none left")


def test_tasks_are_told_in_words(estate):
    person = estate.person()
    number = estate.number(142)
    world = estate.build()
    given = t.AssignNumber(number=number, holder=person).in_words(world)
    assert given == "Assign 0113 496 0142 to Ifeoma Okafor as the main number"
    for kind in ("return_number", "release_number", "set_aside", "unlist_from_trunk"):
        task = t.TASK.validate_python({"kind": kind, "number": number})
        assert "0113 496 0142" in task.in_words(world)


def undone(world, task, identity="x"):
    """Run a task, then put it back, as the runner's snapshots would."""
    import json

    before = world.fork()
    changes = task.apply(world, identity)
    world.absorb(changes)
    snapshots = tuple(
        t.Snapshot(
            subject=c.subject,
            id=c.id,
            before=json.loads(to_canonical_json(c.before)) if c.before else None,
            after=json.loads(to_canonical_json(c.after)),
        )
        for c in changes
    )
    return before, t.PutBack(of="it", snapshots=snapshots)


ACTIONS = {
    "assign": lambda n, p: t.AssignNumber(number=n, holder=p),
    "reserve": lambda n, p: t.ReserveNumber(number=n, holder=p),
    "aside": lambda n, p: t.SetAside(number=n, reason="test"),
    "list": lambda n, p: t.ListOnTrunk(number=n, trunk="leeds-a"),
    "label": lambda n, p: t.LabelNumbers(numbers=(n,), label="x", tags=("a",)),
    "person spot": lambda n, p: t.SetSpot(person=p.id, spot="WHF-000-M"),
    "rights": lambda n, p: t.SetCallingRights(holder=p, rights=()),
}


@pytest.mark.parametrize("action", ACTIONS)
def test_run_then_undo_gives_the_estate_as_before(estate, action):
    person = estate.person()
    number = estate.number(142)
    world = estate.build()
    before, back = undone(world, ACTIONS[action](number, person))
    world.absorb(back.apply(world))
    assert same(world.number(number), before.number(number))
    assert same(world.holder(person), before.holder(person))


def test_undo_is_refused_where_somebody_changed_it_since(estate):
    person = estate.person()
    number = estate.number(142)
    world = estate.build()
    _, back = undone(world, t.AssignNumber(number=number, holder=person))
    world.absorb(t.LabelNumbers(numbers=(number,), label="mine").apply(world))
    with pytest.raises(ChangedMeanwhile):
        back.apply(world)


def test_an_order_is_not_undone(estate):
    price = EstateBuilder.gbp("1")
    world = estate.build()
    order = t.OrderNumbers(
        reference="R",
        account="brackwater-main",
        site="leeds",
        lines=(OrderedLine(number="+441134960500", capacity="single", setup=price, monthly=price),),
    )
    _, back = undone(world, order)
    with pytest.raises(NotAllowedNow):
        back.apply(world)


def test_tasks_run_in_an_order_that_breaks_no_dependency(estate):
    person = estate.person()
    n = estate.number(142)
    tasks = [
        t.PlaceTestCall(number=n),
        t.AssignNumber(number=n, holder=person),
        t.ListOnTrunk(number=n, trunk="x"),
        t.GrantLicence(holder=person, product="home"),
        t.GrantLicence(holder=person, product="staff"),
        t.SetSpot(number=n, spot="s"),
        t.EndRest(number=n, reason="needed"),
        t.BuySeats(product="home", seats=1),
    ]
    order = arrange(tasks, {"home": ("staff",)})
    place = {
        tasks[i].kind + getattr(tasks[i], "product", ""): at for at, (i, _) in enumerate(order)
    }
    assert (
        place["grant_licencestaff"]
        < place["grant_licencehome"]
        < place["assign_number"]
        < place["place_test_call"]
    )
    assert place["buy_seatshome"] < place["grant_licencehome"]
    assert (
        max(place["list_on_trunk"], place["set_spot"], place["end_rest"]) < place["place_test_call"]
    )
    assert place["end_rest"] < place["assign_number"]


def test_tasks_that_wait_for_each_other_are_refused(estate):
    person = estate.person()
    circle = [
        t.GrantLicence(holder=person, product="a"),
        t.GrantLicence(holder=person, product="b"),
    ]
    with pytest.raises(NotUnderstood, match="wait for each other"):
        arrange(circle, {"a": ("b",), "b": ("a",)})


# ── spots and addresses ──


@given(
    st.sampled_from(["WHF", "CNL", "ABC"]),
    st.integers(0, 999),
    st.integers(0, 6),
    st.sampled_from("0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"),
)
def test_one_mistyped_character_in_a_spot_code_is_always_noticed(site, sequence, at, wrong):
    code = spot_code(site, sequence)
    plain = code.replace("-", "")
    typed = plain[:at] + wrong + plain[at + 1 :]
    if typed == plain:
        assert read_spot_code(typed.lower(), [code]) == code
    else:
        with pytest.raises(NotUnderstood, match="check character"):
            read_spot_code(typed, [code])


def test_a_mistyped_spot_code_suggests_the_nearest():
    with pytest.raises(NotUnderstood) as raised:
        read_spot_code("WHF-001-X", [spot_code("WHF", 1), spot_code("CNL", 7)])
    assert raised.value.facts["near"] == [spot_code("WHF", 1)]


def test_a_spot_is_looked_at_every_year(estate):
    spot = estate.records["Spot/WHF-001-K"]
    assert not review_due(spot, NOW + timedelta(days=364))
    assert review_due(spot, NOW + timedelta(days=365))


# ── supply ──


def stock(*lasts, capacity="single"):
    price = EstateBuilder.gbp("1")
    return [StockNumber(f"+44113496{n:04d}", Capacity(capacity), price, price) for n in lasts]


def test_an_offer_that_extends_an_owned_run_ranks_first_and_says_why():
    owned = NumberSet.of([f"+44113496{n:04d}" for n in range(320, 330)])
    offers = rank_offers(
        stock(*range(330, 350), *range(500, 540)), Wish("GB", quantity=4, consecutive=True), owned
    )
    assert offers[0].numbers[0].e164 == "+441134960330"
    assert "joins a run you own" in offers[0].why
    assert offers[0].total == sum(offers[0].parts.values())
    assert every(a.total >= b.total for a, b in zip(offers, offers[1:], strict=False))


@given(st.sets(st.integers(300, 420), max_size=60), st.integers(1, 9))
def test_consecutive_offers_are_consecutive_and_of_the_length_asked(lasts, quantity):
    for offer in rank_offers(
        stock(*lasts), Wish("GB", quantity=quantity, consecutive=True), NumberSet()
    ):
        numbers = [int(n.e164) for n in offer.numbers]
        assert numbers == list(range(numbers[0], numbers[0] + quantity))


def test_hard_filters_come_first():
    mixed = stock(500, 501) + stock(900, capacity="many")
    assert [
        o.numbers[0].e164 for o in rank_offers(mixed, Wish("GB", capacity="many"), NumberSet())
    ] == ["+441134960900"]
    assert [
        o.numbers[0].e164 for o in rank_offers(mixed, Wish("GB", pattern="?501"), NumberSet())
    ] == ["+441134960501"]
    assert rank_offers(mixed, Wish("GB", area="York"), NumberSet()) == []
    assert len(rank_offers(mixed, Wish("GB", area="0113"), NumberSet())) == 3


def test_memorable_endings():
    assert (
        memorability("7777")
        > memorability("1234")
        >= memorability("9000")
        > memorability("1212")
        > memorability("1500")
        > memorability("4283")
    )


@pytest.mark.parametrize(
    ("start", "charge"),
    [
        (date(2026, 11, 1), "30.00"),
        (date(2026, 11, 30), "1.00"),
        (date(2026, 11, 16), "15.00"),
        (date(2024, 2, 29), "1.03"),
    ],
)
def test_the_first_month_is_charged_by_its_days(start, charge):
    assert str(pro_rata(money("30", "GBP"), start).amount) == charge


def test_a_quote_says_what_is_short():
    account = Account(
        id="a", carrier="c", name="A", balance=money("1.50", "GBP"), low_mark=money(1, "GBP")
    )
    q = quote(stock(500, 501), [], account, date(2026, 11, 24))
    assert (str(q.setup.amount), str(q.balance_after.amount), str(q.short.amount)) == (
        "2",
        "-0.50",
        "0.50",
    )


# ── figures, ledger ──


def test_figures_of_a_block():
    found = figures(
        {
            1: State.ASSIGNED,
            2: State.AVAILABLE,
            3: State.AVAILABLE,
            4: State.RELEASED,
            5: State.AVAILABLE,
        }
    )
    assert (found.total, found.utilisation, found.free_run) == (4, 0.25, 2)


@pytest.mark.parametrize(
    ("months", "expected"),
    [
        ([2, 2, 2, 2, 2, 2], 10.0),
        ([0, 0, 0, 0, 0, 0], None),
        ([-1, -1, 0, 0, 0, 0], None),
        ([], None),
    ],
)
def test_months_to_exhaustion(months, expected):
    assert months_to_exhaustion(20, months).months == expected


def test_uneven_demand_gives_a_range():
    found = months_to_exhaustion(20, [0, 6, 0, 0, 6, 0])
    assert found.soonest < found.months < found.latest


def entries(n):
    previous, out = BEGINNING, []
    for i in range(1, n + 1):
        entry = Entry(
            sequence=i,
            at=datetime(2026, 1, 1, tzinfo=UTC),
            actor="R",
            action="number.assigned",
            subject="number",
            subject_id=str(i),
            title="t",
        )
        previous = link(previous, entry)
        out.append((entry, previous))
    return out, previous


@pytest.mark.parametrize("spoil", [0, 3, 9])
def test_a_changed_entry_breaks_the_chain_where_it_stands(spoil):
    chain, head = entries(10)
    assert first_broken(chain, head) is None
    entry, stored = chain[spoil]
    chain[spoil] = (entry.copy_with(actor="somebody else"), stored)
    assert first_broken(chain, head) == spoil + 1


def test_an_entry_left_out_or_cut_off_is_noticed():
    chain, head = entries(5)
    assert first_broken(chain[:2] + chain[3:], head) == 4
    assert first_broken(chain[:-1], head) == -1


def test_every_ledger_action_in_the_code_has_its_sentence():
    import re
    from pathlib import Path

    import sedge

    pattern = re.compile(
        r'"((?:number|trunk|person|site|service-line|device|address|spot|product|subscription|grant'
        r'|carrier|account|hold|order|path|work-order|proof|sign-in|record)\.[a-z-]+)"'
    )
    root = Path(sedge.__file__).parent
    files = [*(root / "core").rglob("*.py"), *(root / "services").rglob("*.py")]
    used = {m for f in files for m in pattern.findall(f.read_text())} - set(RULES)
    assert used
    assert used <= set(SENTENCES)


def test_canonical_json_is_the_same_for_equal_records(estate):
    number = estate.records[f"Number/{estate.number(142)}"]
    again = Number.model_validate_json(to_canonical_json(number))
    assert to_canonical_json(again) == to_canonical_json(number)
    assert '"amount":"0.65"' in to_canonical_json(number)
