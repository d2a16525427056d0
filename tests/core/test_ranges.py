"""Ranges of numbers behave as sets."""

from hypothesis import given
from hypothesis import strategies as st

from sedge.core.numbers.ranges import NumberSet, Span, consecutive

numbers = st.sets(
    st.one_of(st.integers(441134960000, 441134960300), st.integers(4930231250, 4930231350)),
    max_size=80,
)


@given(numbers, numbers)
def test_union_difference_and_intersection_are_those_of_sets(a, b):
    one, other = NumberSet.of(a), NumberSet.of(b)
    assert set(one | other) == a | b
    assert set(one - other) == a - b
    assert set(one & other) == a & b
    assert len(one) == len(a)


@given(numbers)
def test_compressing_and_expanding_gives_the_same_numbers(a):
    spans = NumberSet.of(a).spans
    assert NumberSet(spans) == NumberSet.of(a)
    assert all(
        left.last + 1 < right.first
        for left, right in zip(spans, spans[1:], strict=False)
        if left.digits == right.digits
    )


@given(numbers)
def test_blocks_cover_exactly_and_are_aligned(a):
    blocks = NumberSet.of(a).blocks()
    assert {n for b in blocks for n in range(b.first, b.last + 1)} == a
    assert all(b.first % len(b) == 0 for b in blocks)


@given(numbers, st.integers(1, 12))
def test_the_first_run_is_the_lowest_of_its_length(a, length):
    run = NumberSet.of(a).first_run(length)
    runs = [r for r in consecutive(a) if len(r) >= length]
    assert (run is None) == (not runs)
    if run:
        assert len(run) == length
        assert set(range(run.first, run.last + 1)) <= a


def test_numbers_of_different_length_never_touch():
    """+49 30 23125 and +49 30 231250 are different numbers, not neighbours."""
    both = NumberSet([Span(9, 493023125, 493023125), Span(10, 4930231250, 4930231259)])
    assert [len(s) for s in both.spans] == [1, 10]


def test_a_range_is_written_with_its_differing_digits():
    assert str(Span(12, 441134960100, 441134960149)) == "+441134960100–49"
    assert str(Span(12, 441134960100, 441134960100)) == "+441134960100"


def test_the_longest_run_of_nothing_is_none():
    assert NumberSet().longest_run() is None
    assert 441134960100 in NumberSet.of(["+441134960100"])
