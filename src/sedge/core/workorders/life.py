"""The lives of work orders and of their tasks: two tables of states and events, read by
enforcement, buttons and docs."""

from enum import StrEnum

from sedge.core.errors import NotAllowedNow


class OrderState(StrEnum):
    DRAFT = "draft"
    SCHEDULED = "scheduled"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"
    UNDONE = "undone"
    DISCARDED = "discarded"


class OrderEvent(StrEnum):
    CHANGE = "changed"
    SCHEDULE = "kept for its time"
    UNSCHEDULE = "made a draft again"
    START = "started"
    FINISH = "finished"
    FAIL = "failed"
    STOP = "stopped"
    RETRY = "tried again"
    LEAVE_OUT = "gone on with, without one of its tasks"
    UNDO = "undone"
    DISCARD = "discarded"


class TaskState(StrEnum):
    PLANNED = "planned"
    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    SKIPPED = "skipped"
    LEFT_OUT = "left out"


TASKS_OVER = (TaskState.DONE, TaskState.SKIPPED, TaskState.LEFT_OUT)


class TaskEvent(StrEnum):
    READY = "nothing before it is left to do"
    BEGIN = "begun by the runner"
    WAIT = "waits for something outside"
    FINISH = "finished"
    FAIL = "failed"
    SKIP = "never begun"
    LEAVE_OUT = "left out by hand"
    RETRY = "tried again"
    POSTPONE = "waits for what is before it again"


S, E = OrderState, OrderEvent
ORDER_LIFE: dict[OrderState, dict[OrderEvent, OrderState]] = {
    S.DRAFT: {
        E.CHANGE: S.DRAFT,
        E.SCHEDULE: S.SCHEDULED,
        E.START: S.RUNNING,
        E.DISCARD: S.DISCARDED,
    },
    S.SCHEDULED: {E.UNSCHEDULE: S.DRAFT, E.START: S.RUNNING, E.STOP: S.STOPPED},
    S.RUNNING: {
        E.FINISH: S.DONE,
        E.FAIL: S.FAILED,
        E.STOP: S.STOPPED,
        E.LEAVE_OUT: S.RUNNING,
    },
    S.FAILED: {E.RETRY: S.RUNNING, E.LEAVE_OUT: S.RUNNING, E.UNDO: S.UNDONE},
    S.DONE: {E.UNDO: S.UNDONE},
    S.STOPPED: {E.UNDO: S.UNDONE},
    S.UNDONE: {},
    S.DISCARDED: {},
}

T, V = TaskState, TaskEvent
TASK_LIFE: dict[TaskState, dict[TaskEvent, TaskState]] = {
    T.PLANNED: {
        V.READY: T.WAITING,
        V.SKIP: T.SKIPPED,
        V.LEAVE_OUT: T.LEFT_OUT,
        V.POSTPONE: T.PLANNED,
    },
    T.WAITING: {V.BEGIN: T.RUNNING, V.SKIP: T.SKIPPED, V.LEAVE_OUT: T.LEFT_OUT},
    T.RUNNING: {
        V.BEGIN: T.RUNNING,
        V.WAIT: T.WAITING,
        V.FINISH: T.DONE,
        V.FAIL: T.FAILED,
    },
    T.FAILED: {V.RETRY: T.WAITING, V.POSTPONE: T.PLANNED, V.LEAVE_OUT: T.LEFT_OUT},
    T.SKIPPED: {V.RETRY: T.WAITING, V.READY: T.WAITING, V.POSTPONE: T.PLANNED},
    T.DONE: {},
    T.LEFT_OUT: {},
}
ENDED = frozenset({S.DONE, S.FAILED, S.STOPPED})
TASK_ENDED = frozenset({T.DONE, T.FAILED, T.SKIPPED, T.LEFT_OUT})


def allows(state: OrderState, event: OrderEvent) -> bool:
    return event in ORDER_LIFE[state]


def next_state(state: OrderState, event: OrderEvent) -> OrderState:
    """State of a work order after `event`. Raises NotAllowedNow where the table has no such
    step."""
    if event not in ORDER_LIFE[state]:
        raise NotAllowedNow(
            f"A work order that is {state} can't be {event}.",
            reason="order-life",
            state=state.value,
            event=event.value,
        )
    return ORDER_LIFE[state][event]


def task_allows(state: TaskState, event: TaskEvent) -> bool:
    return event in TASK_LIFE[state]


def next_task_state(state: TaskState, event: TaskEvent) -> TaskState:
    """State of a task after `event`. Raises NotAllowedNow where the table has no such step."""
    if event not in TASK_LIFE[state]:
        raise NotAllowedNow(
            f"A task that is {state} can't be {event}.",
            reason="task-life",
            state=state.value,
            event=event.value,
        )
    return TASK_LIFE[state][event]
