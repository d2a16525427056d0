"""What is remembered until something changes: the change counter, what is recalled by key."""

import pytest

from sedge.services import context
from sedge.services.ledger import ledger


@pytest.fixture
def made():
    return []


def make(made, value):
    def give():
        made.append(value)
        return value

    return give


def test_the_change_counter_is_read_anew_after_a_write_only(house, desk, monkeypatch):
    asked = []
    whole = context.ledger.pulse

    def pulse(connection):
        asked.append(connection)
        return whole(connection)

    monkeypatch.setattr(context.ledger, "pulse", pulse)
    first = ledger.pulse(desk)
    assert ledger.pulse(desk) == first
    before = len(asked)
    assert ledger.pulse(desk) == first
    assert len(asked) == before
    with desk.writing():
        pass
    assert ledger.pulse(desk) == first  # nothing has changed
    assert len(asked) == before + 1


def test_what_is_recalled_is_made_once_for_each_key(house, desk, made):
    for key in ("a", "b", "a"):
        assert house.recall(desk, "letters", key, make(made, key)) == key
    assert made == ["a", "b"]


def test_what_is_recalled_is_made_anew_when_something_has_changed(house, desk, made):
    house.recall(desk, "letters", "a", make(made, "old"))
    from sedge.services.workorders import workorders
    from tests.services.test_work_orders import assigned

    _, order = assigned(desk)
    assert workorders.get(desk, order.id).title == "joiner"
    assert house.recall(desk, "letters", "a", make(made, "new")) == "new"


def test_who_is_kept_to_sites_is_told_nothing_that_was_made_for_the_whole(house, desk, made):
    from sedge.demo.seed import MEMBERS

    kept = next(m for m in MEMBERS if m.sites and m.organisation == desk.who.organisation)
    house.recall(desk, "letters", "a", make(made, "everything"))
    assert house.recall(house.desk(kept), "letters", "a", make(made, "mine")) == "mine"


def test_only_the_latest_are_kept(house, desk, made):
    for key in range(context.MOST_RECALLED + 1):
        house.recall(desk, "numbers", key, make(made, key))
    house.recall(desk, "numbers", context.MOST_RECALLED, make(made, "again"))
    house.recall(desk, "numbers", 0, make(made, "first again"))
    assert "again" not in made
    assert made[-1] == "first again"
