"""The runner: stored tasks are the queue, each tick executes what is due.

A task is leased, its outside call made (idempotent, outside any transaction), and its changes,
ledger entries and new state are saved in one short transaction. A process that dies leaves the
lease behind; the next one takes it over, and the same call with the same key does the same again.
So nothing is bought twice and nothing is lost.
"""

import json
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

import structlog
from sqlalchemy.exc import DatabaseError

from sedge import traces
from sedge.core.changes import reservation_lapsed, rest_over
from sedge.core.errors import ChangedMeanwhile, OutsideSilent, SedgeError
from sedge.core.facts import to_canonical_json
from sedge.core.numbers.life import State
from sedge.core.records import Account, Order, Subject
from sedge.core.workorders.life import OrderState, TaskEvent, TaskState, next_task_state
from sedge.core.workorders.tasks import Snapshot
from sedge.services import periodic
from sedge.services.context import Context, Installation, Writing, system_member
from sedge.services.process import Slot
from sedge.services.workorders import execution, order_running
from sedge.services.workorders.outcomes import Done, Failed, Outcome, Wait
from sedge.store.disk_trouble import Trouble, trouble_of
from sedge.store.repositories import numbers as number_store
from sedge.store.repositories import webhooks
from sedge.store.repositories import workorders as store
from sedge.store.repositories.workorders import StoredTask, WorkOrder
from sedge.store.schema import tables

log = structlog.get_logger("sedge.runner")
LEASE = timedelta(seconds=60)
FIRST_PAUSE, LONGEST_PAUSE = timedelta(seconds=2), timedelta(minutes=5)
LONGEST_QUIET = 20  # ticks: what is due at no known moment waits no longer than this
QUIET_SECONDS = 20.0  # the same where nothing ticks by itself
BATCH = 50
MOST_SECONDS, SHORT_SECONDS = 5.0, 0.05
# what tasks change that no undo puts back: money, and what others keep their own books of
FOR_GOOD = {
    Subject.ACCOUNT,
    Subject.CARRIER,
    Subject.DOCUMENT,
    Subject.HOLD,
    Subject.KEPT_FREE,
    Subject.ORDER,
    Subject.PORT,
    Subject.PORT_OUT,
    Subject.PROOF,
    Subject.WORK_ORDER,
}
_ticking = threading.Lock()


@dataclass(frozen=True)
class Quiet:
    """An organisation in which nothing was to be done: until something is written, until `until` of
    the organisation's clock, and no longer than `ends` of the process's."""

    writes: int
    until: datetime | None
    ends: float


QUIET = Slot[Quiet]("quiet organisations")


def tick_when_due(installation: Installation, *, quiet_for: float) -> int:
    """The same as `tick`, but organisations in which nothing can have become due are passed over
    for `quiet_for` seconds: a dozen questions to each database every second are most of what an
    idle installation costs."""
    with _ticking:
        return sum(
            _apart(
                installation, key, lambda key=key: _tick_unless_quiet(installation, key, quiet_for)
            )
            for key in list(installation.estates)
        )


def _apart(installation: Installation, key: str, do: Callable[[], int]) -> int:
    """Work for one organisation, whose trouble holds up none of the others: a damaged database is
    set aside, anything else told in the log and tried again at the next tick."""
    with structlog.contextvars.bound_contextvars(organisation=key):
        try:
            return do()
        except SedgeError as error:
            log.warning("tick", error=error.message)
        except DatabaseError as error:
            if trouble_of(error) is Trouble.DAMAGED:
                installation.set_aside(installation.organisations[key], error)
            else:
                log.exception("tick", error=str(error.orig))
        except Exception as error:
            log.exception("tick", error=repr(error))
    return 0


def _tick_unless_quiet(installation: Installation, key: str, quiet_for: float) -> int:
    known, database = installation.process.under_way(QUIET), installation.estates[key]
    quiet, now = known.get(key), installation.clock.now()
    if (
        quiet is not None
        and quiet.writes == database.writes
        and time.monotonic() < quiet.ends
        and (quiet.until is None or now < quiet.until)
    ):
        return 0
    return _tick_and_see(installation, key, quiet_for)


def _tick_and_see(installation: Installation, key: str, quiet_for: float) -> int:
    """One round, and whether the organisation is quiet after it."""
    known, database = installation.process.under_way(QUIET), installation.estates[key]
    writes, context = database.writes, installation.context(system_member(key))
    done = _tick_one(context)
    if done:
        known.pop(key, None)
    else:
        moments = [m for (whose, _), m in installation.next_at.items() if whose == key]
        until = min((m for m in (_next_due_of(context), *moments) if m), default=None)
        known[key] = Quiet(writes, until, time.monotonic() + quiet_for)
    return done


def tick(installation: Installation, *, only_where_due: bool = False) -> int:
    """Do everything that is due, for every organisation, or only for those in which something can
    have become due; how much was done. One tick at a time. Raises what went wrong."""
    look = _tick_unless_quiet if only_where_due else _tick_and_see
    with _ticking:
        return sum(look(installation, key, QUIET_SECONDS) for key in list(installation.estates))


def finish(context: Context, order: WorkOrder) -> WorkOrder:
    """Do at once what of a work order is due, without waiting for the next tick: for small changes
    whose outcome somebody waits for. What the runner has begun meanwhile is waited for, as long as
    `MOST_SECONDS`."""
    ends = time.monotonic() + MOST_SECONDS
    while True:
        with context.reading() as reading:
            due = store.due_tasks(
                reading.connection, reading.now, context.installation.clock.real(), BATCH, order.id
            )
        for stored in due:
            _execute(context.as_system(), stored)
        with context.reading() as reading:
            found = store.get(reading.connection, order.id)
        under_way = any(task.state is TaskState.RUNNING for task in found.tasks)
        if (not due and not under_way) or time.monotonic() > ends:
            return found
        if under_way:
            time.sleep(SHORT_SECONDS)


def recover(installation: Installation) -> None:
    """On start-up: take over what a process that died had leased, ask for the charges of the nights
    it slept through, tell of places it had no time to tell of."""
    for key in list(installation.estates):
        _apart(installation, key, lambda key=key: _recover_one(installation, key))


def _recover_one(installation: Installation, key: str) -> int:
    context = installation.context(system_member(key))
    periodic.begin_again(context)
    with context.writing() as writing:
        store.release_leases(writing.connection)
    return 1


def look_again_at(installation: Installation, carrier: str, placed_as: str) -> None:
    """A carrier says that something of an order has happened: the task that waits for it is due
    now, and no other."""
    for key in installation.estates:
        context = installation.context(system_member(key))
        with context.reading() as reading:
            told = reading.records.where(Order, tables.order.c.placed_as == placed_as)
            accounts = {
                a.id: a.carrier for a in reading.records.many(Account, {o.account for o in told})
            }
        mine = [o.key for o in told if accounts.get(o.account) == carrier]
        if mine:
            with context.writing() as writing:
                for task in mine:
                    store.hurry(writing.connection, task, context.now())


def next_due(installation: Installation) -> datetime | None:
    """The next moment at which something of ours becomes due."""
    moments = [
        _next_due_of(installation.context(system_member(key))) for key in installation.estates
    ]
    return min((m for m in moments if m), default=None)


def _next_due_of(context: Context) -> datetime | None:
    with context.reading() as reading:
        found = (
            store.next_due(reading.connection),
            store.next_scheduled(reading.connection),
            number_store.next_due(reading.connection),
            *periodic.next_moments(reading),
            webhooks.next_due(reading.connection),
        )
    return min((m for m in found if m), default=None)


def _tick_one(context: Context) -> int:
    done = _start_scheduled(context) + _let_lapse(context)
    with context.reading() as reading:
        due = store.due_tasks(
            reading.connection, reading.now, context.installation.clock.real(), BATCH
        )
    for stored in due:
        done += _execute(context, stored)
    return done + periodic.do_all(context)


def _start_scheduled(context: Context) -> int:
    with context.reading() as reading:
        due = store.scheduled_due(reading.connection, reading.now)
    for key in due:
        with context.writing(work_order=key) as writing:
            order_running.start(writing, store.get(writing.connection, key))
    return len(due)


def _let_lapse(context: Context) -> int:
    with context.reading() as reading:
        due = number_store.due(reading.connection, reading.now)
    if not due:
        return 0
    changes = [
        c
        for n in due
        for c in (
            rest_over(n)
            if n.state is State.AGING
            else reservation_lapsed(n)
            if n.state is State.RESERVED
            else []
        )
    ]
    with context.writing(reason="quarantine or reservation over") as writing:
        writing.save(changes)
    return len(changes)


def _execute(context: Context, stored: StoredTask) -> int:
    real = context.installation.clock.real()
    with context.writing() as writing:
        if not store.lease(writing.connection, stored, real + LEASE, real):
            return 0
        order = store.header(writing.connection, stored.work_order)
        if stored.body.leans_on is not None:
            order = store.get(writing.connection, order.id)
        writing.touch()
    stored = begun(stored)
    acting = replace(
        context,
        who=replace(
            context.who, name=order.created_by, sign_in=order.author or context.who.sign_in
        ),
    )
    outcome = _outcome(acting, stored, order)
    try:
        keep_outcome(acting, stored, order, outcome)
    except ChangedMeanwhile as error:
        keep_outcome(
            acting, stored, order, Wait(acting.now() + FIRST_PAUSE, f"another try: {error.message}")
        )
    except SedgeError as error:
        keep_outcome(acting, stored, order, Failed(error.message))
    return 1


def begun(stored: StoredTask) -> StoredTask:
    """The task as it is once it has been leased: under way, with one try more."""
    return replace(
        stored, state=next_task_state(stored.state, TaskEvent.BEGIN), attempts=stored.attempts + 1
    )


def _outcome(context: Context, stored: StoredTask, order: WorkOrder) -> Outcome:
    try:
        with traces.span(f"do {stored.body.kind}", task=stored.id, work_order=order.id):
            return execution.execute(context, stored, order)
    except OutsideSilent as error:
        asked_to = timedelta(seconds=error.facts["wait"]) if "wait" in error.facts else None
        pause = asked_to or min(FIRST_PAUSE * 2 ** min(stored.attempts, 10), LONGEST_PAUSE)
        return Wait(
            context.now() + pause,
            f"{error.facts.get('service', 'the other side')}, which does not answer; tried"
            f" {stored.attempts} times",
            failed=True,
        )
    except ChangedMeanwhile as error:
        return Failed(error.message)
    except SedgeError as error:
        return Failed(error.message)
    except Exception as error:
        log.exception("task failed", task=stored.id, error=repr(error))
        return Failed(
            "Sedge could not do this; it has been written to the log. Try again, or take the task"
            " out."
        )


def keep_outcome(context: Context, stored: StoredTask, order: WorkOrder, outcome: Outcome) -> None:
    """Changes, ledger and the task's new state, in one transaction."""
    with context.writing(reason=order.reason, work_order=order.id) as writing:
        current = store.header(writing.connection, order.id)
        match outcome:
            case Wait(until=until, what=what, changes=changes, failed=failed):
                tries = stored.attempts if failed else 0  # one after the other that came to nothing
                saved = writing.save(changes(writing)) if changes else []
                kept = stored.snapshots + tuple(_snapshots(saved))
                waiting = replace(
                    stored,
                    state=next_task_state(stored.state, TaskEvent.WAIT),
                    next_try=until,
                    waits_for=what[:400],
                    leased_until=None,
                    snapshots=kept,
                    attempts=tries,
                )
                store.save_task(writing.connection, waiting)
                writing.touch()
            case Done(changes=changes, works_from=works_from):
                saved = writing.save(changes(writing)) if changes else []
                kept = stored.snapshots + tuple(_snapshots(saved))
                done = replace(
                    stored,
                    state=next_task_state(stored.state, TaskEvent.FINISH),
                    next_try=None,
                    waits_for="",
                    error="",
                    leased_until=None,
                    snapshots=kept,
                    works_from=works_from,
                )
                store.save_task(writing.connection, done)
                _go_on(writing, current, done)
            case Failed(why=why, changes=changes):
                if changes:
                    writing.save(changes(writing))
                state = next_task_state(stored.state, TaskEvent.FAIL)
                failed = replace(
                    stored,
                    state=state,
                    next_try=None,
                    waits_for="",
                    error=why[:600],
                    leased_until=None,
                )
                store.save_task(writing.connection, failed)
                _go_on(writing, current, failed)


def _snapshots(saved: list) -> list[Snapshot]:
    return [
        Snapshot(
            subject=c.subject,
            id=c.id,
            before=json.loads(to_canonical_json(c.before)) if c.before is not None else None,
            after=json.loads(to_canonical_json(c.after)),
        )
        for c in saved
        if c.subject not in FOR_GOOD or (isinstance(c.after, Order) and c.after.form)
    ]


def _go_on(writing: Writing, order: WorkOrder, ended: StoredTask) -> None:
    """Let what waited for the task go on; settle the order when nothing is left."""
    tasks = store.standings(writing.connection, order.id)
    done = {x.position for x in tasks if x.state is TaskState.DONE}
    left = [x for x in tasks if x.state is TaskState.PLANNED]
    ready = [x for x in left if ended.position in x.after and set(x.after) <= done]
    for x in ready:
        store.set_state(
            writing.connection, x.id, next_task_state(x.state, TaskEvent.READY), writing.now
        )
    busy = ready or any(x.state in {TaskState.WAITING, TaskState.RUNNING} for x in tasks)
    if busy or order.state is not OrderState.RUNNING:
        writing.touch()
        return
    order_running.settle(writing, order.id)
