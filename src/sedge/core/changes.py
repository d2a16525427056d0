"""How a change of a record is put, and what becomes of a number at each step of its life.

Whatever changes a number goes through `step`, which asks the table of its life. No clock is known
here.
"""

from typing import Any

from sedge.core.estate import Change
from sedge.core.facts import Fact, to_canonical_json
from sedge.core.numbers.life import Event, State, next_state
from sedge.core.records import Number, Record, Subject


def changed(subject: Subject, before: Record | None, after: Record, action: str) -> Change:
    """One record that comes to be, or is something else than it was."""
    key = after.e164 if isinstance(after, Number) else after.id
    return Change(subject=subject, id=key, action=action, before=before, after=after)


def number_changed(before: Number, action: str, **values: object) -> list[Change]:
    """A number with other values."""
    return [changed(Subject.NUMBER, before, before.copy_with(**values), action)]


def step(number: Number, event: Event, to: State | None = None, **values: Any) -> dict[str, Any]:
    """The values of a number that goes through `event`; what belonged to the old state is
    cleared."""
    cleared: dict[str, Any] = {
        "state_until": None,
        "state_reason": "",
        "reserved_for": None,
        "announcement": "",
    }
    state = next_state(number.state, event, to)
    return {**cleared, "state": state, "state_before": number.state, **values}


def rest_over(number: Number) -> list[Change]:
    """The rest has run its time."""
    return number_changed(number, "number.rest-ended", **step(number, Event.END_REST))


def reservation_lapsed(number: Number) -> list[Change]:
    """Nobody has taken what was reserved in time."""
    return number_changed(number, "number.unreserved", **step(number, Event.LAPSE))


def release_done(number: Number) -> list[Change]:
    """The carrier has taken it back."""
    values = step(number, Event.RELEASE, leaving_on=None, trunk=None, path=None)
    return number_changed(number, "number.released", **values)


def same(one: Fact, other: Fact) -> bool:
    """Equal in everything but the version."""
    return to_canonical_json(one.copy_with(version=0)) == to_canonical_json(
        other.copy_with(version=0)
    )
