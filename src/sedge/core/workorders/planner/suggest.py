"""One holder and the numbers that are free: which suit them best, and why."""

from collections.abc import Iterable
from dataclasses import dataclass
from heapq import nlargest

from sedge.core.numbers.e164 import describe
from sedge.core.workorders.planner.problem import (
    LONG_RUN,
    MEMORABLE,
    USUAL,
    Free,
    Problem,
    Wants,
    Wish,
    elsewhere_costs,
    fits_extension,
    pair_points,
    same_ending,
)


@dataclass(frozen=True)
class Suggestion:
    """A free number and why it is offered, in words."""

    number: Free
    why: str


def suggest_for_person(person: Wants, numbers: Iterable[Free], most: int = 5) -> list[Suggestion]:
    """The best `most` numbers by the planner's own wishes at their usual weights, best first; among
    equals the lowest number."""
    problem = Problem(people=(person,), numbers=())

    def points(number: Free) -> tuple[float, int]:
        worth = pair_points(person, number, None, problem) - elsewhere_costs(person, number)
        return worth, -int(number.e164)

    best = nlargest(most, (n for n in numbers if n.country == person.country), key=points)
    return [Suggestion(n, _why(person, n)) for n in best]


def suggest_for_line(site: str, numbers: Iterable[Free], most: int = 5) -> list[Suggestion]:
    """The best `most` numbers of a line or a site: easily remembered ones first, then those whose
    going leaves long runs whole."""

    def points(number: Free) -> tuple[bool, float, int]:
        kept = USUAL[Wish.RUNS] * min(number.run, LONG_RUN) / LONG_RUN
        worth = USUAL[Wish.SERVICE] * number.memorable - kept
        return number.site == site, worth, -int(number.e164)

    return [
        Suggestion(n, "easily remembered" if n.memorable >= MEMORABLE else _place(n, site))
        for n in nlargest(most, numbers, key=points)
    ]


def _why(person: Wants, number: Free) -> str:
    if fits_extension(person, number):
        return f"ends in extension {person.extension}"
    if same_ending(person, number):
        return f"ends like {describe(person.before).shown}, their last number"
    return _place(number, person.site)


def _place(number: Free, site: str) -> str:
    """What giving it does to the numbers around it."""
    if number.site != site:
        return "belongs to another site"
    if number.run == 1:
        return "the only free one between two in use"
    return f"in a run of {number.run} free numbers"
