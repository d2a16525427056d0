"""What calls cost: by the rate in force when each began, after the minutes that are included in a
licence, used up in the order of the calls."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import NamedTuple

from sedge.core.numbers.e164 import facts_of
from sedge.core.numbers.plan import Kind
from sedge.core.spend.call_legs import Direction
from sedge.core.spend.rates.rate_decks import Deck, Rate

NO_RATE = "no rate"
FREE_IN = "calls in"  # which nobody is charged for


DecksOf = Callable[[str, str], Sequence[Deck]]  # of a trunk and the number that calls


class Reach(StrEnum):
    """Where a call goes, as licences and rights tell it apart."""

    HOME = "home"
    ABROAD = "abroad"
    PREMIUM = "premium"
    FREE = "free"


@dataclass
class Pool:
    """Minutes that licences include in a month, for one holder or for several; `left` in
    seconds."""

    key: str
    name: str
    reaches: frozenset[Reach]
    seconds: int
    left: int

    @property
    def used(self) -> int:
        return self.seconds - self.left


class Leg(NamedTuple):
    """What rating asks of a call: `started` in seconds since 1970 (UTC), `talk` in seconds; `day`
    of its site (ISO 8601)."""

    id: int
    started: int
    number: str
    other: str
    direction: str
    trunk: str
    holder: str
    talk: int
    day: str


class Rated(NamedTuple):
    """`cost` in ten thousandths of `currency`; `included` seconds came out of a pool; `by` says
    which rule priced it."""

    id: int
    cost: int
    currency: str
    included: int
    by: str


def billed_seconds(talk: int, rate: Rate) -> int:
    """By the rate's first seconds and steps; nothing for a call that nobody answered."""
    if talk <= 0:
        return 0
    if talk <= rate.first:
        return rate.first
    return rate.first + -(-(talk - rate.first) // rate.step) * rate.step


def charge(seconds: int, rate: Rate) -> int:
    """What billed seconds cost, in ten thousandths, half up; at least the minimum, and the fee of
    connecting."""
    exact = seconds * rate.price  # 60 × 10⁻⁶ of the currency
    return max((exact + 3000) // 6000, rate.minimum) + rate.fee


def rated(leg: Leg, rate: Rate, currency: str, pools: Sequence[Pool] = ()) -> Rated:
    """A call out (or the second leg of a forward), priced. Pools that reach there are used up."""
    seconds = billed_seconds(leg.talk, rate)
    if seconds == 0:
        return Rated(leg.id, 0, currency, 0, f"+{rate.prefix}")
    included, by = 0, f"+{rate.prefix}"
    if pools and leg.direction == Direction.OUT:
        reach = reach_of(leg.number, leg.other)
        for pool in pools:
            if pool.left > 0 and reach in pool.reaches:
                taken = min(pool.left, seconds - included)
                pool.left -= taken
                included += taken
                by = f"+{rate.prefix}, {pool.name}"
                if included == seconds:
                    return Rated(leg.id, 0, currency, included, by)
    return Rated(leg.id, charge(seconds - included, rate), currency, included, by)


def rate_all(
    legs: Iterable[Leg],
    decks_of_trunk: DecksOf,
    pools_of: Mapping[str, list[Pool]],
) -> Iterator[Rated]:
    """Price calls out and forwards in the order in which they come, which is that of the calls."""
    none: list[Pool] = []
    for leg in legs:
        yield price(leg, decks_of_trunk, pools_of.get(leg.holder, none))


def price(leg: Leg, decks_of_trunk: DecksOf, pools: Sequence[Pool]) -> Rated:
    """One of them, by the first deck of its trunk that has a rate for it on its day."""
    currency = ""
    for deck in decks_of_trunk(leg.trunk, leg.number):
        rate = deck.find(leg.other[1:], leg.day) if leg.other[:1] == "+" else None
        if rate is not None:
            return rated(leg, rate, deck.currency, pools)
        currency = currency or deck.currency
    return Rated(leg.id, 0, currency, 0, NO_RATE)


@lru_cache(200_000)
def reach_of(number: str, other: str) -> Reach:
    """Where a call from one of our numbers goes; digits of no country count as abroad."""
    if not other.startswith("+"):
        return Reach.HOME
    to, ours = facts_of(other), facts_of(number)
    if to is None or ours is None:
        return Reach.ABROAD
    if to.kind is Kind.PREMIUM:
        return Reach.PREMIUM
    if to.kind is Kind.TOLL_FREE:
        return Reach.FREE
    return Reach.HOME if to.country == ours.country else Reach.ABROAD
