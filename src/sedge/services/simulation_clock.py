"""Steering the simulated outside world: its clock and Sedge's move together, from due moment to due
moment."""

from datetime import datetime, timedelta
from typing import Any

from sedge.core.errors import NotFound, NotUnderstood
from sedge.outside.desk_services import Control
from sedge.services.context import House
from sedge.services.workorders import runner
from sedge.store.repositories.access import installation

MOST = timedelta(days=400)
ROUNDS = 400


def advance(house: House, by: timedelta) -> datetime:
    """Move both clocks forward by `by`; on the way everything that falls due happens, in order.
    Answers when all is quiet.

    Raises NotUnderstood for a negative or absurd span, NotFound outside demo and tests.
    """
    control = control_of(house)
    if not timedelta(0) <= by <= MOST:
        raise NotUnderstood("Advance by a period between PT0S and P400D.", field="advance")
    goal = house.clock.now() + by
    _until_quiet(house, control)
    for _ in range(ROUNDS):
        due = _next(house, control)
        if due is None or due >= goal:
            break
        _move(house, control, max(due - house.clock.now(), timedelta(seconds=1)))
        _until_quiet(house, control)
    _move(house, control, max(goal - house.clock.now(), timedelta(0)))
    _until_quiet(house, control)
    return house.clock.now()


def control_of(house: House) -> Control:
    """The stand-ins' control. Raises NotFound outside demo and tests."""
    if house.outside.control is None:
        raise NotFound("There is nothing to steer here: this is not the demo.")
    return house.outside.control


def _move(house: House, control: Control, by: timedelta) -> None:
    control.advance(by.total_seconds())
    house.clock.advance(by)
    keep_offset(house)


def keep_offset(house: House) -> None:
    with house.installation.writing() as connection:
        installation.put_setting(
            connection, "clock offset", str(house.clock.offset.total_seconds())
        )


def stored_offset(house: House) -> timedelta:
    with house.installation.reading() as connection:
        return timedelta(seconds=float(installation.setting(connection, "clock offset") or 0))


def _next(house: House, control: Control) -> datetime | None:
    ours = runner.next_due(house)
    now = house.clock.now()
    theirs = [m for text in control.tick() if (m := datetime.fromisoformat(text)) > now]
    return min([m for m in (ours, *theirs) if m is not None], default=None)


def _until_quiet(house: House, control: Control) -> None:
    for _ in range(50):
        control.tick()
        if runner.tick(house) == 0:
            return


def order_fault(house: House, fault: dict[str, Any]) -> Any:
    """Order a fault at a stand-in. Raises OutsideRefused where there is no such service or
    fault."""
    return control_of(house).order_fault(fault)
