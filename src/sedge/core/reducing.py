"""What all reducers share: the register of them by task, and how a change of a number is put.

A reducer decides nothing about wisdom (that is the checks' work) but refuses what the life of a number does not allow.
It knows no clock: now is `estate.now`.
"""

from collections.abc import Callable
from typing import Any, TypeVar

from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import Fact
from sedge.core.numbers.life import Event, State, next_state
from sedge.core.records import Number, Record, Subject

Reducer = Callable[[Any, Estate, str], list[Change]]
REDUCERS: dict[type[Fact], Reducer] = {}
F = TypeVar("F", bound=Reducer)


def reduces(kind: type[Fact]) -> Callable[[F], F]:
    def register(function: F) -> F:
        REDUCERS[kind] = function
        return function

    return register


def changed(subject: Subject, before: Record | None, after: Record, action: str) -> Change:
    key = after.e164 if isinstance(after, Number) else after.id
    return Change(subject=subject, id=key, action=action, before=before, after=after)


def number_changed(before: Number, action: str, **values: Any) -> list[Change]:
    return [changed(Subject.NUMBER, before, before.but(**values), action)]


def step(number: Number, event: Event, to: State | None = None, **values: Any) -> dict[str, Any]:
    """The values of a number that goes through `event`; what belonged to the old state is cleared."""
    cleared: dict[str, Any] = {"state_until": None, "state_reason": "", "reserved_for": None, "announcement": ""}
    return {**cleared, "state": next_state(number.state, event, to), "state_before": number.state, **values}


def number_in(task: Any) -> str:
    """The number a task names. Raises NotAllowedNow while it waits for one from another task."""
    if task.e164 is None:
        raise NotAllowedNow("This task waits for a number from another task.", reason="unresolved")
    return task.e164
