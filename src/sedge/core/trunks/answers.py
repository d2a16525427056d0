"""Whether the other side of a trunk answers OPTIONS (RFC 3261 §11), asked again and again."""

from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

MISSED = 3  # so many asked in a row without an answer: the trunk is silent
HOURS_SHOWN = 7 * 24


class Answer(NamedTuple):
    """One time it was asked; `ms` None where nothing came, `said` is the answer or why there was
    none."""

    trunk: str
    at: datetime
    ms: int | None
    said: str


class Standing(NamedTuple):
    """How it stands: the last answer or silence, since when it is so, and how often in a row
    nothing came."""

    trunk: str
    at: datetime
    ms: int | None
    said: str
    since: datetime
    missed: int

    @property
    def is_silent(self) -> bool:
        return self.missed >= MISSED


class Hour(NamedTuple):
    """An hour (since 1970) with how often it was asked and answered in it, and how long answers
    took on average and at most."""

    hour: int
    asked: int
    answered: int
    mean_ms: int
    slowest_ms: int

    @property
    def share(self) -> float:
        return self.answered / self.asked if self.asked else 0.0


def next_standing(before: Standing | None, answer: Answer) -> Standing:
    """How it stands after one more answer or silence."""
    came = answer.ms is not None
    missed = 0 if came else (before.missed if before else 0) + 1
    since = before.since if before and (before.missed == 0) == came else answer.at
    return Standing(answer.trunk, answer.at, answer.ms, answer.said, since, missed)


def answered_share(hours: Sequence[Hour]) -> float | None:
    """The share of all that was answered; None where nothing was asked."""
    asked = sum(hour.asked for hour in hours)
    return sum(hour.answered for hour in hours) / asked if asked else None
