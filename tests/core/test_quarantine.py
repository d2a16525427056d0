"""How long numbers rest: the trade's days, an organisation's own, by country and kind."""

from datetime import UTC, datetime, timedelta

import pytest

from sedge.core.numbers.life import State
from sedge.core.numbers.plan import Kind
from sedge.core.policy import POLICY
from sedge.core.records import ORGANISATION, Defaults
from sedge.core.retiring.quarantine import days_for, key_of, lasts_until, rest_of
from tests.conftest import NOW

OWN = Defaults(id=ORGANISATION, rests={"GB": 30, "US toll-free": 45})
MARCH = datetime(2026, 3, 1, 12, tzinfo=UTC)


def test_toll_free_numbers_have_days_of_their_own():
    assert key_of("US", toll_free=True) == "US toll-free"
    assert key_of("US", toll_free=False) == "US"


@pytest.mark.parametrize(
    ("country", "kind", "defaults", "days"),
    [
        ("GB", Kind.GEOGRAPHIC, None, 90),
        ("GB", Kind.TOLL_FREE, None, 120),
        ("GB", Kind.GEOGRAPHIC, OWN, 30),
        ("GB", Kind.TOLL_FREE, OWN, 120),
        ("US", Kind.TOLL_FREE, OWN, 45),
        ("US", Kind.GEOGRAPHIC, OWN, 90),
        ("DE", Kind.MOBILE, OWN, 90),
    ],
)
def test_an_organisations_own_days_come_before_the_trades(country, kind, defaults, days):
    assert days_for(country, kind, defaults) == days


@pytest.mark.parametrize(
    ("state", "days"),
    [(State.AGING, 30), (State.RESERVED, POLICY.reserved_days)],
)
def test_what_is_found_reserved_or_at_rest_ends_by_itself(state, days):
    until = lasts_until(state, "GB", Kind.GEOGRAPHIC, MARCH, OWN)
    assert until == MARCH + timedelta(days=days)


@pytest.mark.parametrize(
    "state", [s for s in State if s not in {State.AGING, State.RESERVED}], ids=str
)
def test_no_other_state_ends_by_itself(state):
    assert lasts_until(state, "GB", Kind.GEOGRAPHIC, MARCH, OWN) is None


def test_a_number_rests_as_its_organisation_says(estate):
    number = estate.number(142)
    assert rest_of(estate.build().number(number), estate.build()) == 90
    estate.put(OWN)
    assert rest_of(estate.build(NOW).number(number), estate.build(NOW)) == 30
