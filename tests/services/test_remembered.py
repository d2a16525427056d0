"""What is remembered until something changes: the change counter, what is recalled by key."""

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest

from sedge.core.errors import NotFound
from sedge.services import remembering
from sedge.services.access import access
from sedge.services.ledger import ledger
from sedge.services.today import today


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
    whole = remembering.ledger.pulse

    def pulse(connection):
        asked.append(connection)
        return whole(connection)

    monkeypatch.setattr(remembering.ledger, "pulse", pulse)
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
    for key in range(remembering.MOST_RECALLED + 1):
        house.recall(desk, "numbers", key, make(made, key))
    house.recall(desk, "numbers", remembering.MOST_RECALLED, make(made, "again"))
    house.recall(desk, "numbers", 0, make(made, "first again"))
    assert "again" not in made
    assert made[-1] == "first again"


@pytest.fixture
def with_runner(house, monkeypatch):
    """As when it serves: things are made aside, however short ago they were."""
    monkeypatch.setattr(house, "settings", house.settings.model_copy(update={"runner": True}))
    monkeypatch.setattr(remembering, "ASIDE_SECONDS", -1.0)
    return lambda: house._beside.submit(lambda: None).result(10)


def change(desk):
    from sedge.services.workorders import workorders
    from tests.services.test_work_orders import assigned

    _, order = assigned(desk)
    workorders.get(desk, order.id)


def test_after_a_change_nobody_waits_for_what_is_made_anew_aside(house, desk, made, with_runner):
    assert house.lately(desk, "letters", make(made, "old")) == ("old", True)
    assert house.lately(desk, "letters", make(made, "unasked")) == ("old", True)
    change(desk)
    assert house.lately(desk, "letters", make(made, "new")) == ("old", False)
    with_runner()
    assert house.lately(desk, "letters", make(made, "unasked")) == ("new", True)
    assert made == ["old", "new"]


def test_who_needs_it_current_waits_for_what_is_being_made_aside(house, desk, with_runner):
    begun, goes_on = threading.Event(), threading.Event()

    def slowly():
        begun.set()
        goes_on.wait(10)
        return "new"

    house.lately(desk, "letters", lambda: "old")
    change(desk)
    house.lately(desk, "letters", slowly)
    assert begun.wait(10)
    assert house.while_unchanged(desk, "letters", lambda: "unasked") == "old"
    with ThreadPoolExecutor(1) as aside:
        waits = aside.submit(
            house.while_unchanged, desk, "letters", lambda: "unasked", current=True
        )
        goes_on.set()
        assert waits.result(10) == "new"


def test_what_cannot_be_made_aside_is_tried_again_and_the_old_stays(house, desk, with_runner):
    def refuse():
        raise NotFound("There is no such letter.")

    house.lately(desk, "letters", lambda: "old")
    change(desk)
    house.lately(desk, "letters", refuse)
    with_runner()
    assert house.lately(desk, "letters", lambda: "new") == ("old", False)
    with_runner()
    assert house.lately(desk, "letters", lambda: "unasked") == ("new", True)


def test_without_a_runner_it_is_made_first(house, desk, made):
    house.lately(desk, "letters", make(made, "old"))
    change(desk)
    assert house.lately(desk, "letters", make(made, "new")) == ("new", True)


def test_a_site_manager_is_told_nothing_that_waits_at_other_sites(house, desk):
    from sedge.demo.seed import MEMBERS

    kept = next(m for m in MEMBERS if m.sites and m.organisation == desk.who.organisation)
    whole = today.waiting(desk)
    mine = today.waiting(house.desk(kept))
    assert len(whole) > len(mine)
    assert [line.what for line in mine] == [line.what for line in today.todo(house.desk(kept))]


def test_a_session_that_is_closed_lets_nobody_in_though_it_was_remembered(house, desk):
    token = access.open_session(house, desk.who)
    assert access.whose(house, token) == access.whose(house, token) == desk.who
    access.sign_out(house, token)
    assert access.whose(house, token) is None
