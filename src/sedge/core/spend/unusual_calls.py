"""Calls that are unlike what is usual: bursts to dear destinations, many short ones, a country that
nobody called before.

A burst is judged by the number that calls: so many dear calls within three hours, and many times
what it ever had within three hours of the weeks before. That finds a stolen password in its first
night and leaves a travelling week alone.
"""

import zlib
from collections import defaultdict
from collections.abc import Iterable, Sequence
from enum import StrEnum
from typing import NamedTuple

from sedge.core.numbers.e164 import facts_of
from sedge.core.spend.rates.rating import Reach, reach_of

WINDOW = 3 * 3600
LEAST_DEAR, TIMES_USUAL = 12, 4
SHORT_SECONDS, LEAST_SHORT, SHORT_WINDOW = 10, 40, 3600
LEAST_PREMIUM, PREMIUM_WINDOW = 3, 86400
LEAST_NEW, NEW_WINDOW = 5, 86400
DEAR = {Reach.ABROAD, Reach.PREMIUM}


class Unusual(StrEnum):
    BURST = "burst of dear calls"
    SHORT = "many short calls"
    PREMIUM = "premium calls"
    NEW_COUNTRY = "first calls to a country"
    LIMIT = "limit of a route"


class Call(NamedTuple):
    """A call out or a forward; `started` in seconds, `cost` in ten thousandths."""

    started: int
    number: int
    other: str
    talk: int
    cost: int
    currency: str


class Alarm(NamedTuple):
    """`first` and `last` call of it, in seconds; `about` is a country for first calls to one, and
    for the limit of a route its day and name."""

    kind: Unusual
    number: int
    first: int
    last: int
    calls: int
    cost: int
    currency: str
    about: str = ""

    @property
    def id(self) -> str:
        """The same for the same event, however often it is found."""
        if self.kind is Unusual.LIMIT:
            day, _, route = self.about.partition(" ")
            return f"limit-{day}-{zlib.crc32(route.encode()):08x}"  # a name may have any sign in it
        return f"{self.kind.name.lower()}-{self.number}-{self.first}{self.about}"


def find(before: Sequence[Call], now: Sequence[Call]) -> list[Alarm]:
    """What is unusual in `now`, against `before`; both in the order of the calls."""
    by_number: dict[int, list[Call]] = defaultdict(list)
    usual: dict[int, list[Call]] = defaultdict(list)
    for call in now:
        by_number[call.number].append(call)
    for call in before:
        usual[call.number].append(call)
    found: list[Alarm] = []
    for number, calls in sorted(by_number.items()):
        found += _bursts(number, usual[number], calls)
        found += _short(number, usual[number], calls)
        found += _premium(number, usual[number], calls)
    bursts = {(alarm.number, alarm.first) for alarm in found}
    new = _new_countries(before, now)
    return [*found, *(alarm for alarm in new if (alarm.number, alarm.first) not in bursts)]


def _bursts(number: int, before: Sequence[Call], now: Sequence[Call]) -> list[Alarm]:
    dear = [c for c in now if reach_of(f"+{number}", c.other) in DEAR]
    most = _most_within([c for c in before if reach_of(f"+{number}", c.other) in DEAR], WINDOW)
    least = max(LEAST_DEAR, TIMES_USUAL * most)
    return [_alarm(Unusual.BURST, group) for group in _groups(dear, WINDOW) if len(group) >= least]


def _short(number: int, before: Sequence[Call], now: Sequence[Call]) -> list[Alarm]:
    def short(calls: Iterable[Call]) -> list[Call]:
        return [c for c in calls if c.talk < SHORT_SECONDS]

    least = max(LEAST_SHORT, TIMES_USUAL * _most_within(short(before), SHORT_WINDOW))
    groups = _groups(short(now), SHORT_WINDOW)
    return [_alarm(Unusual.SHORT, group) for group in groups if len(group) >= least]


def _premium(number: int, before: Sequence[Call], now: Sequence[Call]) -> list[Alarm]:
    def premium(calls: Iterable[Call]) -> list[Call]:
        return [c for c in calls if reach_of(f"+{number}", c.other) is Reach.PREMIUM]

    if premium(before):
        return []
    groups = _groups(premium(now), PREMIUM_WINDOW)
    return [_alarm(Unusual.PREMIUM, g) for g in groups if len(g) >= LEAST_PREMIUM]


def _new_countries(before: Sequence[Call], now: Sequence[Call]) -> list[Alarm]:
    """Only where earlier calls are known: to a new organisation every country is new."""
    if not before:
        return []
    known = {_country(call.other) for call in before}
    by_pair: dict[tuple[int, str], list[Call]] = defaultdict(list)
    for call in now:
        country = _country(call.other)
        if country and country not in known:
            by_pair[call.number, country].append(call)
    return [
        _alarm(Unusual.NEW_COUNTRY, group, country)
        for (_, country), calls in sorted(by_pair.items())
        for group in _groups(calls, NEW_WINDOW)
        if len(group) >= LEAST_NEW
    ]


def _country(other: str) -> str:
    known = facts_of(other) if other.startswith("+") and len(other) > 6 else None
    return known.country if known else ""


def _groups(calls: Sequence[Call], window: int) -> list[list[Call]]:
    """Calls that follow each other within a window, in groups."""
    groups: list[list[Call]] = []
    for call in calls:
        if groups and call.started - groups[-1][-1].started <= window:
            groups[-1].append(call)
        else:
            groups.append([call])
    return groups


def _most_within(calls: Sequence[Call], window: int) -> int:
    """The most calls that ever began within a window."""
    most, first = 0, 0
    for last, call in enumerate(calls):
        while call.started - calls[first].started > window:
            first += 1
        most = max(most, last - first + 1)
    return most


def _alarm(kind: Unusual, group: Sequence[Call], about: str = "") -> Alarm:
    return Alarm(
        kind,
        group[0].number,
        group[0].started,
        group[-1].started,
        len(group),
        sum(c.cost for c in group),
        next((c.currency for c in group if c.currency), ""),
        about,
    )
