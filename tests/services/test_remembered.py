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


def test_the_change_counter_is_read_anew_after_a_write_only(installation, context, monkeypatch):
    asked = []
    whole = remembering.ledger.change_counter

    def change_counter(connection):
        asked.append(connection)
        return whole(connection)

    monkeypatch.setattr(remembering.ledger, "change_counter", change_counter)
    first = ledger.change_counter(context)
    assert ledger.change_counter(context) == first
    before = len(asked)
    assert ledger.change_counter(context) == first
    assert len(asked) == before
    with context.writing():
        pass
    assert ledger.change_counter(context) == first  # nothing has changed
    assert len(asked) == before + 1


def test_what_is_recalled_is_made_once_for_each_key(installation, context, made):
    for key in ("a", "b", "a"):
        assert installation.recall(context, "letters", key, make(made, key)) == key
    assert made == ["a", "b"]


def test_what_is_recalled_is_made_anew_when_something_has_changed(installation, context, made):
    installation.recall(context, "letters", "a", make(made, "old"))
    from sedge.services.workorders import workorders
    from tests.services.test_work_orders import assigned

    _, order = assigned(context)
    assert workorders.get(context, order.id).title == "joiner"
    assert installation.recall(context, "letters", "a", make(made, "new")) == "new"


def test_who_is_kept_to_sites_is_told_nothing_that_was_made_for_the_whole(
    installation, context, made
):
    from sedge.demo.seed import MEMBERS

    kept = next(m for m in MEMBERS if m.sites and m.organisation == context.who.organisation)
    installation.recall(context, "letters", "a", make(made, "everything"))
    assert (
        installation.recall(installation.context(kept), "letters", "a", make(made, "mine"))
        == "mine"
    )


def test_only_the_latest_are_kept(installation, context, made):
    for key in range(remembering.MOST_RECALLED + 1):
        installation.recall(context, "numbers", key, make(made, key))
    installation.recall(context, "numbers", remembering.MOST_RECALLED, make(made, "again"))
    installation.recall(context, "numbers", 0, make(made, "first again"))
    assert "again" not in made
    assert made[-1] == "first again"


@pytest.fixture
def with_runner(installation, monkeypatch):
    """As when it serves: things are made aside, however short ago they were."""
    monkeypatch.setattr(
        installation, "settings", installation.settings.model_copy(update={"runner": True})
    )
    monkeypatch.setattr(remembering, "ASIDE_SECONDS", -1.0)
    return lambda: installation._beside.submit(lambda: None).result(10)


def change(context):
    from sedge.services.workorders import workorders
    from tests.services.test_work_orders import assigned

    _, order = assigned(context)
    workorders.get(context, order.id)


def test_after_a_change_nobody_waits_for_what_is_made_anew_aside(
    installation, context, made, with_runner
):
    assert installation.lately(context, "letters", make(made, "old")) == ("old", True)
    assert installation.lately(context, "letters", make(made, "unasked")) == ("old", True)
    change(context)
    assert installation.lately(context, "letters", make(made, "new")) == ("old", False)
    with_runner()
    assert installation.lately(context, "letters", make(made, "unasked")) == ("new", True)
    assert made == ["old", "new"]


def test_who_needs_it_current_waits_for_what_is_being_made_aside(
    installation, context, with_runner
):
    begun, goes_on = threading.Event(), threading.Event()

    def slowly():
        begun.set()
        goes_on.wait(10)
        return "new"

    installation.lately(context, "letters", lambda: "old")
    change(context)
    installation.lately(context, "letters", slowly)
    assert begun.wait(10)
    assert installation.while_unchanged(context, "letters", lambda: "unasked") == "old"
    with ThreadPoolExecutor(1) as aside:
        waits = aside.submit(
            installation.while_unchanged, context, "letters", lambda: "unasked", current=True
        )
        goes_on.set()
        assert waits.result(10) == "new"


def test_what_cannot_be_made_aside_is_tried_again_and_the_old_stays(
    installation, context, with_runner
):
    def refuse():
        raise NotFound("There is no such letter.")

    installation.lately(context, "letters", lambda: "old")
    change(context)
    installation.lately(context, "letters", refuse)
    with_runner()
    assert installation.lately(context, "letters", lambda: "new") == ("old", False)
    with_runner()
    assert installation.lately(context, "letters", lambda: "unasked") == ("new", True)


def test_without_a_runner_it_is_made_first(installation, context, made):
    installation.lately(context, "letters", make(made, "old"))
    change(context)
    assert installation.lately(context, "letters", make(made, "new")) == ("new", True)


def test_a_site_manager_is_told_nothing_that_waits_at_other_sites(installation, context):
    from sedge.demo.seed import MEMBERS

    kept = next(m for m in MEMBERS if m.sites and m.organisation == context.who.organisation)
    whole = today.waiting(context)
    mine = today.waiting(installation.context(kept))
    assert len(whole) > len(mine)
    assert [line.what for line in mine] == [
        line.what for line in today.todo(installation.context(kept))
    ]


def test_a_session_that_is_closed_lets_nobody_in_though_it_was_remembered(installation, context):
    token = access.open_session(installation, context.who)
    assert access.whose(installation, token) == access.whose(installation, token) == context.who
    access.sign_out(installation, token)
    assert access.whose(installation, token) is None
