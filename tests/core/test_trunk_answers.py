"""How trunks stand by what they answer to OPTIONS."""

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from sedge.core.trunks.answers import MISSED, Answer, Hour, answered_share, next_standing

AT = datetime(2026, 3, 10, 9, tzinfo=UTC)


def stand(came):
    standing = None
    for place, ms in enumerate(came):
        answer = Answer("leeds-a", AT + timedelta(minutes=place), ms, "200 OK" if ms else "nothing")
        standing = next_standing(standing, answer)
    return standing


def test_it_stands_as_it_does_since_it_changed():
    well = stand([12, 14, 9])
    assert (well.ms, well.missed, well.since, well.at) == (9, 0, AT, AT + timedelta(minutes=2))
    missed = stand([12, None, None])
    assert (missed.missed, missed.since, missed.is_silent) == (2, AT + timedelta(minutes=1), False)
    assert stand([12, *[None] * MISSED]).is_silent
    back = stand([None, None, None, 20])
    assert (back.missed, back.since) == (0, AT + timedelta(minutes=3))


@given(st.lists(st.one_of(st.none(), st.integers(0, 4000)), min_size=1, max_size=30))
def test_so_many_are_missed_as_came_to_nothing_at_the_end(came):
    in_a_row = next((i for i, ms in enumerate(reversed(came)) if ms is not None), len(came))
    standing = stand(came)
    assert standing.missed == in_a_row
    assert standing.since == AT + timedelta(
        minutes=max(
            i for i, ms in enumerate(came) if i == 0 or (ms is None) != (came[i - 1] is None)
        )
    )


def test_the_share_of_answers():
    assert answered_share([Hour(1, 60, 60, 5, 9), Hour(2, 60, 30, 5, 9)]) == 0.75
    assert answered_share([]) is None
    assert Hour(1, 4, 1, 5, 5).share == 0.25
