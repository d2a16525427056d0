"""Who is on duty: a rota that goes round for ever, with swaps, changing at an hour of the local
day."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from sedge.core.callpaths.openings import zone
from sedge.core.callpaths.steps import Rota

MOST_DAYS = 400


@dataclass(frozen=True)
class Duty:
    """Somebody's duty from a moment until another; `who` is their place among those whom the step
    rings, from 0."""

    who: int
    since: datetime
    until: datetime
    swapped: bool


def on_duty(rota: Rota, keys: Sequence[str], at: datetime) -> Duty:
    """Whose duty a moment falls into. `keys` are those whom the step rings, at least one, in its
    order."""
    day = _day_of(rota, at)
    who, swapped = _of_day(rota, keys, day)
    first, last = day, day
    while (day - first).days < MOST_DAYS and _of_day(rota, keys, first - timedelta(days=1)) == (
        who,
        swapped,
    ):
        first -= timedelta(days=1)
    while (last - day).days < MOST_DAYS and _of_day(rota, keys, last + timedelta(days=1)) == (
        who,
        swapped,
    ):
        last += timedelta(days=1)
    return Duty(who, _change_on(rota, first), _change_on(rota, last + timedelta(days=1)), swapped)


def coming(rota: Rota, keys: Sequence[str], at: datetime, count: int = 5) -> list[Duty]:
    """The present duty and those after it, as long as anything changes."""
    found: list[Duty] = []
    while len(found) < count:
        duty = on_duty(rota, keys, at)
        if found and (duty.who, duty.swapped) == (found[-1].who, found[-1].swapped):
            break  # nobody else ever comes
        found.append(duty)
        at = duty.until
    return found


def _day_of(rota: Rota, at: datetime) -> date:
    """The day whose duty a moment belongs to: before the change it is still the day before."""
    local = at.astimezone(zone(rota.timezone))
    early = (local.hour, local.minute) < _hour(rota)
    return local.date() - timedelta(days=1) if early else local.date()


def _of_day(rota: Rota, keys: Sequence[str], day: date) -> tuple[int, bool]:
    swap = next((s for s in rota.swaps if s.first <= day <= s.last and s.person in keys), None)
    if swap:
        return list(keys).index(swap.person), True
    return (day - rota.begins).days // rota.days % len(keys), False


def _change_on(rota: Rota, day: date) -> datetime:
    hour, minute = _hour(rota)
    return datetime.combine(day, time(hour % 24, minute), zone(rota.timezone)) + timedelta(
        days=hour // 24
    )


def _hour(rota: Rota) -> tuple[int, int]:
    return int(rota.change[:2]), int(rota.change[3:])
