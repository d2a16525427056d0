"""The runner passes over an organisation in which nothing can have become due."""

from datetime import timedelta

import pytest

from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.workorders import order_running, runner, workorders
from tests.conftest import until_quiet
from tests.services.test_work_orders import OTHER, assigned, ref

LONG = 3600.0  # longer than a test lasts


@pytest.fixture
def asked(monkeypatch):
    """The organisations whose databases a tick has asked."""
    found, whole = [], runner._tick_one

    def tick_one(context):
        found.append(context.who.organisation)
        return whole(context)

    monkeypatch.setattr(runner, "_tick_one", tick_one)
    return found


@pytest.fixture
def quiet(installation, asked):
    """A house in which all is done, and known to be."""
    until_quiet(installation)
    while runner.tick_when_due(installation, quiet_for=LONG):
        pass
    asked.clear()
    return installation


def test_a_quiet_organisation_is_passed_over(quiet, asked):
    assert runner.tick_when_due(quiet, quiet_for=LONG) == 0
    assert asked == []


def test_what_was_written_ends_the_quiet_of_its_organisation_alone(quiet, asked, context):
    with context.writing():
        pass
    runner.tick_when_due(quiet, quiet_for=LONG)
    assert asked == [context.who.organisation]


def test_a_scheduled_order_starts_when_its_moment_comes(quiet, asked, context):
    person, _ = assigned(context)
    given = t.AssignNumber(number=OTHER, holder=ref(person))
    order = workorders.draft(
        context, "first day", [given], run_at=context.now() + timedelta(minutes=30)
    )
    order_running.run(context, order.id)
    runner.tick_when_due(quiet, quiet_for=LONG)
    assert workorders.get(context, order.id).state is OrderState.SCHEDULED
    quiet.clock.advance(timedelta(minutes=31))
    for _ in range(5):
        runner.tick_when_due(quiet, quiet_for=LONG)
    assert workorders.get(context, order.id).state is OrderState.DONE


def test_what_is_due_at_no_known_moment_waits_no_longer_than_agreed(quiet, asked):
    quiet.process.under_way(runner.QUIET).clear()
    runner.tick_when_due(quiet, quiet_for=0.0)
    asked.clear()
    runner.tick_when_due(quiet, quiet_for=0.0)
    assert set(asked) == set(quiet.estates)


def test_the_night_ends_the_quiet(quiet, asked):
    mine = next(iter(quiet.estates))
    first = min(m for (whose, _), m in quiet.next_at.items() if whose == mine)
    quiet.clock.advance(first - quiet.clock.now() + timedelta(seconds=1))
    runner.tick_when_due(quiet, quiet_for=LONG)
    assert mine in asked
