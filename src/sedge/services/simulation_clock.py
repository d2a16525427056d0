"""Steering the simulated outside world: its clock and Sedge's move together, from due moment to due
moment."""

from datetime import datetime, timedelta
from typing import Any

from sedge.core.errors import NotFound, NotUnderstood
from sedge.outside.desk_services import Control
from sedge.services.context import Installation
from sedge.services.workorders import runner
from sedge.store.repositories.access import sign_ins

MOST = timedelta(days=400)
ROUNDS, MOST_TICKS = 400, 50
LIKE_ONE_CLOCK = timedelta(seconds=2)  # apart by the time a call takes


def advance(installation: Installation, by: timedelta) -> datetime:
    """Move both clocks forward by `by`; on the way everything that falls due happens, in order.
    Answers when all is quiet.

    Raises NotUnderstood for a negative or absurd span, NotFound outside demo and tests.
    """
    control = control_of(installation)
    if not timedelta(0) <= by <= MOST:
        raise NotUnderstood("Advance by a period between PT0S and P400D.", field="advance")
    catch_up(installation)
    goal = installation.clock.now() + by
    theirs = _until_quiet(installation, control, everywhere=by == timedelta(0))
    for _ in range(ROUNDS):
        due = _next(installation, theirs)
        if due is None or due >= goal:
            break
        _move(installation, control, max(due - installation.clock.now(), timedelta(seconds=1)))
        theirs = _until_quiet(installation, control, everywhere=False)
    if by:
        _move(installation, control, max(goal - installation.clock.now(), timedelta(0)))
        _until_quiet(installation, control, everywhere=True)
    return installation.clock.now()


def control_of(installation: Installation) -> Control:
    """The stand-ins' control. Raises NotFound outside demo and tests."""
    if installation.outside.control is None:
        raise NotFound("There is nothing to steer here: this is not the demo.")
    return installation.outside.control


def catch_up(installation: Installation) -> None:
    """Put Sedge's clock where the stand-ins' is, if that is ahead: a process that dies while it
    moves both has moved theirs and not yet its own."""
    behind = control_of(installation).now() - installation.clock.now()
    if behind > LIKE_ONE_CLOCK:
        installation.clock.advance(behind)
        keep_offset(installation)


def _move(installation: Installation, control: Control, by: timedelta) -> None:
    control.advance(by.total_seconds())
    installation.clock.advance(by)
    keep_offset(installation)


def keep_offset(installation: Installation) -> None:
    with installation.shared.writing() as connection:
        sign_ins.put_setting(
            connection, "clock offset", str(installation.clock.offset.total_seconds())
        )


def stored_offset(installation: Installation) -> timedelta:
    with installation.shared.reading() as connection:
        return timedelta(seconds=float(sign_ins.setting(connection, "clock offset") or 0))


def _next(installation: Installation, told: list[str]) -> datetime | None:
    ours = runner.next_due(installation)
    now = installation.clock.now()
    theirs = [m for text in told if (m := datetime.fromisoformat(text)) > now]
    return min([m for m in (ours, *theirs) if m is not None], default=None)


def _until_quiet(installation: Installation, control: Control, *, everywhere: bool) -> list[str]:
    """Let everything happen that is due now; gives the moments at which the outside has something
    else to do. Not `everywhere`: only in organisations where something can be due."""
    told: list[str] = []
    for _ in range(MOST_TICKS):
        told = control.tick()
        if runner.tick(installation, only_where_due=not everywhere) == 0:
            break
    return told


def order_fault(installation: Installation, fault: dict[str, Any]) -> Any:
    """Order a fault at a stand-in. Raises OutsideRefused where there is no such service or
    fault."""
    return control_of(installation).order_fault(fault)
