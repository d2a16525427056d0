"""Erlang B, against values of published tables and its own properties."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.trunks.erlang import (
    advise,
    blocking,
    blocking_with_retries,
    channels_for,
    offered,
)
from tests.asserting import every


@pytest.mark.parametrize(
    ("channels", "load"),
    # the load that so many channels carry with 1 % blocking, as the tables have it
    [
        (1, 0.0101),
        (2, 0.153),
        (5, 1.36),
        (10, 4.46),
        (20, 12.0),
        (30, 20.3),
        (50, 37.9),
        (100, 84.1),
    ],
)
def test_one_per_cent_is_blocked_as_in_the_tables(channels, load):
    assert blocking(load, channels) == pytest.approx(0.01, rel=0.03)
    assert channels_for(load * 0.98) <= channels
    assert channels_for(load * 1.05) >= channels


@given(st.floats(0, 200), st.integers(1, 250))
def test_more_channels_block_less_and_more_load_blocks_more(load, channels):
    share = blocking(load, channels)
    assert 0 <= share <= 1
    assert blocking(load, channels + 1) <= share
    assert blocking(load + 1, channels) >= share


@given(st.floats(0.1, 100), st.floats(0.001, 0.2), st.floats(0, 0.9))
def test_the_advice_is_the_fewest_that_will_do(load, wanted, again):
    needed = channels_for(load, wanted, again)
    assert blocking_with_retries(load, needed, again) <= wanted
    if needed > 1 and not again:
        assert blocking(load, needed - 1) > wanted


def test_callers_who_try_again_need_more():
    assert blocking_with_retries(20, 25, 0.7) > blocking(20, 25)
    assert channels_for(20, again=0.7) >= channels_for(20)


def test_what_was_carried_tells_what_was_offered():
    assert offered(19.8, 0.01) == pytest.approx(20)


def test_a_curve_falls():
    found = advise(20)
    assert found.needed == 30
    assert len(found.curve) > 30
    assert every(a >= b for a, b in zip(found.curve, found.curve[1:], strict=False))
    assert advise(0).needed == 1 or advise(0).needed == 0


@pytest.mark.parametrize(
    ("load", "wanted", "again", "field"),
    [(-1, 0.01, 0, "load"), (1e9, 0.01, 0, "load"), (1, 0, 0, "blocking"), (1, 0.01, 2, "retries")],
)
def test_what_cannot_be_is_refused_by_name(load, wanted, again, field):
    with pytest.raises(NotUnderstood) as refused:
        channels_for(load, wanted, again)
    assert refused.value.field == field
