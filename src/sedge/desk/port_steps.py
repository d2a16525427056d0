"""Submitting a port and switching its numbers, as the runner does them: any number of times with one effect."""

from datetime import timedelta

from sedge.core.errors import OutsideRefused
from sedge.core.estate import Change
from sedge.core.porting.records import Port, PortState
from sedge.core.porting.rejections import rejection
from sedge.core.records import Account, Subject
from sedge.core.reduce import apply, changed
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge
from sedge.core.workorders.findings import Level
from sedge.core.workorders.needs import needs
from sedge.core.workorders.waiting import must_wait
from sedge.desk.desk import Desk, Writing
from sedge.desk.outcomes import Done, Failed, Outcome, Wait, estate_for, tell
from sedge.store.workorders import StoredTask

ASKED_AGAIN = timedelta(minutes=10)


def submit(desk: Desk, task: t.SubmitPort, stored: StoredTask) -> Outcome:
    """Kept as submitted first, then asked with the task's id as key: whatever dies between, the port is asked for once."""
    estate = estate_for(desk, task)
    port = estate.the(Port, task.port)
    if port.key != stored.id:
        stops = [f for f in judge(task, estate) if f.level is Level.STOP]
        if stops:
            return Failed(stops[0].message)
        return Wait(desk.now(), "the gaining carrier to take the port", lambda w: apply(task, w.estate(needs(task)), stored.id))
    try:
        answer = desk.outside.ports.submit(estate.the(Account, port.account).carrier, stored.id, port, f"port {port.no}")
    except OutsideRefused as error:
        why = rejection(error.reason or "")
        return Failed(f"{port.losing} does not take port {port.no}: {why.words} {why.remedy}")

    def taken(writing: Writing) -> list[Change]:
        now = writing.records.the(Port, task.port)
        return [changed(Subject.PORT, now, now.but(placed_as=answer.id, answer_due=answer.answer_due), "port.taken")]

    return Done(taken)


def activate(desk: Desk, task: t.ActivatePort, stored: StoredTask) -> Outcome:
    """Switched at the gaining carrier first; asked again after a crash it says the same."""
    estate = estate_for(desk, task)
    if waiting := must_wait(task, estate):
        return Wait(*waiting)
    port = estate.the(Port, task.port)
    if port.state is PortState.ACCEPTED:
        return Wait(desk.now() + ASKED_AGAIN, f"{port.losing} to let the numbers of port {port.no} go")
    stops = [f for f in judge(task, estate) if f.level is Level.STOP]
    if stops:
        return Failed(stops[0].message)
    desk.outside.ports.activate(estate.the(Account, port.account).carrier, port.placed_as or "")
    tell(desk, apply(task, estate, stored.id), estate)
    return Done(lambda writing: apply(task, writing.estate(needs(task)), stored.id))
