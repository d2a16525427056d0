"""Money, moments, figures, drawings' layout: the small things that everything shows."""

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.callpaths.layout import GAP_Y, HEIGHT, WIDTH, lay_out
from sedge.core.callpaths.steps import EXITS, Mailbox, Menu, Path, Ring
from sedge.core.facts import Money, in_words, money, to_canonical_json
from sedge.core.moments import clock
from sedge.core.numbers.capacity_forecast import figures, months_to_exhaustion
from sedge.core.numbers.life import State
from sedge.core.records import Account, Capacity
from sedge.core.supply.offers import StockNumber
from sedge.core.supply.quote import pro_rata, quote

amounts = st.decimals(min_value=-10_000, max_value=10_000, places=4, allow_nan=False)


@pytest.mark.parametrize(
    ("amount", "currency", "words"),
    [
        ("3.1", "GBP", "£3.10"),
        ("0", "EUR", "€0.00"),
        ("-1200.005", "GBP", "−£1,200.01"),
        ("1000000", "USD", "$1,000,000.00"),
        ("2.5", "CAD", "CA$2.50"),
        ("9.999", "CHF", "CHF 10.00"),
    ],
)
def test_money_in_words(amount, currency, words):
    assert in_words(money(amount, currency)) == words


@given(amounts, amounts)
def test_money_adds_and_takes_away_without_losing_a_thousandth(one, other):
    a, b = Money(amount=one, currency="GBP"), Money(amount=other, currency="GBP")
    assert (a + b - b).amount == one
    assert (a + b).amount == (b + a).amount
    assert a.times(3).amount == (a + a + a).amount


def test_two_currencies_are_never_added():
    with pytest.raises(ValueError, match="GBP and EUR"):
        money(1, "GBP") + money(1, "EUR")


@pytest.mark.parametrize(
    ("start", "expected"),
    [
        (date(2026, 11, 1), "30.00"),
        (date(2026, 11, 30), "1.00"),
        (date(2026, 11, 16), "15.00"),
        (date(2028, 2, 29), "1.03"),
        (date(2026, 12, 25), "6.77"),
    ],
)
def test_the_first_month_is_charged_by_days_that_day_included(start, expected):
    assert str(pro_rata(money(30, "GBP"), start).amount) == expected


def stock(n, **fees):
    features = {name.replace("_", " "): money(fee, "GBP") for name, fee in fees.items()}
    return StockNumber(
        f"+44113496{n:04d}", Capacity.SINGLE, money("2.50", "GBP"), money("0.65", "GBP"), features
    )


def account(balance, **values):
    return Account(
        id="a",
        carrier="c",
        name="A",
        balance=money(balance, "GBP"),
        low_mark=money(1, "GBP"),
        **values,
    )


def test_a_quote_counts_features_only_where_a_number_has_them():
    numbers = [stock(500, texts="0.40"), stock(501)]
    found = quote(numbers, ["texts", "fax"], account(100), date(2026, 11, 1))
    assert (
        str(found.setup.amount),
        str(found.features_monthly.amount),
        str(found.monthly.amount),
    ) == ("5.00", "0.40", "1.70")
    assert str(found.balance_after.amount) == "95.00"
    assert found.short is None


def test_a_prepaid_account_is_short_where_a_credit_account_is_not():
    numbers = [stock(500), stock(501)]
    assert str(quote(numbers, [], account("3.00"), date(2026, 11, 1)).short.amount) == "2.00"
    assert quote(numbers, [], account("3.00", prepaid=False), date(2026, 11, 1)).short is None


def test_moments_are_told_in_the_home_countrys_time():
    summer = datetime(2026, 7, 1, 10, 20, tzinfo=UTC)
    assert clock(summer, summer) == "11:20"
    assert clock(summer, summer, "DE") == "12:20"
    assert clock(summer, summer + timedelta(days=1)) == "1 Jul 11:20"


def test_canonical_writes_the_same_moment_the_same_way():
    zone = datetime(2026, 7, 1, 12, tzinfo=UTC).astimezone(ZoneInfo("Europe/Berlin"))
    assert (
        to_canonical_json(zone)
        == to_canonical_json(datetime(2026, 7, 1, 12, tzinfo=UTC))
        == '"2026-07-01T12:00:00.000000Z"'
    )
    assert to_canonical_json({"b": Decimal("1.50"), "a": {3, 1}}) == '{"a":[1,3],"b":"1.50"}'


def test_ended_lives_do_not_count_in_figures():
    found = figures(
        {
            1: State.ASSIGNED,
            2: State.AVAILABLE,
            3: State.AVAILABLE,
            4: State.RELEASED,
            5: State.CLOSED,
        }
    )
    assert (found.total, found.free_run, round(found.utilisation, 3)) == (3, 2, 0.333)
    assert figures({}).utilisation == 0.0


@given(st.integers(0, 500), st.lists(st.integers(-20, 40), min_size=6, max_size=6))
def test_exhaustion_is_a_range_around_its_mean_or_not_in_sight(available, months):
    found = months_to_exhaustion(available, months)
    if sum(months) <= 0:
        assert found.months is None
    else:
        assert found.soonest <= found.months
        assert found.latest is None or found.latest >= found.months
        assert found.months == pytest.approx(available / (sum(months) / 6))


# ── the layout of call paths ──

KEYS = ("a", "b", "c", "d", "e")
targets = st.sampled_from(KEYS)
step = st.one_of(
    st.builds(
        Ring, people=st.just(("x",)), exits=st.dictionaries(st.sampled_from(EXITS["ring"]), targets)
    ),
    st.builds(
        Menu,
        greeting=st.just("1, 2"),
        keys=st.just({"1": "a", "2": "b"}),
        exits=st.dictionaries(st.sampled_from(["1", "2", "no input"]), targets),
    ),
    st.builds(Mailbox),
)
paths = st.fixed_dictionaries(dict.fromkeys(KEYS, step)).map(
    lambda steps: Path(first="a", steps=steps)
)


@given(paths, st.sampled_from([0, 84]))
def test_every_step_has_its_own_place_inside_the_picture(path, room):
    layout = lay_out(path, room_above=room)
    places = {(box.x, box.y) for box in layout.boxes.values()}
    assert len(places) == len(path.steps)
    for box in layout.boxes.values():
        assert 0 <= box.x <= layout.width - WIDTH
        assert room <= box.y <= layout.height - HEIGHT
    rows = sorted({box.y for box in layout.boxes.values()})
    assert all(b - a == HEIGHT + GAP_Y for a, b in zip(rows, rows[1:], strict=False))


@given(paths)
def test_every_exit_is_drawn_once_from_its_step_to_its_target(path):
    layout = lay_out(path)
    drawn = [(line.source, name, line.target) for line in layout.lines for name in line.exits]
    wanted = [
        (key, name, target) for key, s in path.steps.items() for name, target in s.exits.items()
    ]
    assert sorted(drawn) == sorted(wanted)
    for line in layout.lines:
        for (x1, y1), (x2, y2) in zip(line.points, line.points[1:], strict=False):
            assert x1 == x2 or y1 == y2, "lines are right-angled"
