"""What is paid for and not needed, in money a year, with its evidence."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import NamedTuple

from sedge.core.facts import Money
from sedge.core.outbound.caller_name import CNAM
from sedge.core.spend.call_legs import Direction
from sedge.core.workorders.task_base import Task

MONTHS_A_YEAR = 12
INBOUND_LOOKUP, FAX = "inbound name lookup", "fax"
LIKELY = Decimal("0.8")  # of months need no more than what is advised


class Saving(StrEnum):
    """What kind of thing is not needed."""

    SEATS_LEFT = "seats nobody has"
    SEATS_IDLE = "seats without calls"
    NUMBERS_IDLE = "numbers without calls"
    NUMBERS_SPARE = "numbers nobody has"
    POOL = "pooled minutes"
    MINUTES = "licence dearer than its minutes"
    PRODUCT = "a cheaper licence does"
    FEATURES = "features without use"
    CHANNELS = "channels"
    TRIAL = "trial about to end"


@dataclass(frozen=True)
class Advice:
    """`saves` a year (negative: it would cost so much more); `evidence` is what it rests on;
    `lacked` what its holder would have been without last month. Without tasks it is for people to
    decide elsewhere, at `href`."""

    key: str
    kind: Saving
    what: str
    evidence: str
    saves: Money
    tasks: tuple[Task, ...] = ()
    href: str = ""
    lacked: str = ""


def a_year(monthly: Money) -> Money:
    return monthly.times(MONTHS_A_YEAR)


def enough_for(months: Sequence[Decimal], share: Decimal = LIKELY) -> Decimal:
    """What so large a share of months needs no more than: a percentile by nearest rank, so that one
    quiet month does not decide. Nothing where there is no month."""
    if not months:
        return Decimal(0)
    ordered = sorted(months)
    rank = -(-share * len(ordered) // 1)
    return ordered[max(0, int(rank) - 1)]


def cheapest_bundles(
    months: Sequence[Decimal], minutes: int, price: Decimal, beyond: Decimal, most: int
) -> int:
    """How many pooled bundles of so many minutes cost least, with what goes beyond them at a price
    a minute: by the mean over months, the fewest of those that cost alike."""

    def cost(count: int) -> Decimal:
        over = (max(Decimal(0), used - count * minutes) * beyond for used in months)
        return price * count + sum(over, Decimal(0)) / max(1, len(months))

    return min(range(most + 1), key=lambda count: (cost(count), count))


class Offer(NamedTuple):
    """A licence that somebody could have: its price and the minutes that it includes a month."""

    product: str
    price: Decimal
    minutes: int


def cheapest_offer(
    months: Sequence[Decimal], offers: Sequence[Offer], a_minute: Decimal
) -> tuple[Offer, Decimal]:
    """The one that costs least for the minutes of four months of five, with what goes beyond paid
    by the minute, and what a month then costs; of those that cost alike the first."""
    usual = enough_for(months)

    def cost(offer: Offer) -> Decimal:
        return offer.price + max(Decimal(0), usual - offer.minutes) * a_minute

    best = min(offers, key=cost)
    return best, cost(best)


# the side of a number's calls without which a feature does nothing; of others no record tells
SIDES_OF_FEATURES = {
    INBOUND_LOOKUP: (Direction.IN,),
    CNAM: (Direction.OUT,),
    FAX: (Direction.IN, Direction.OUT),
}


def in_order(found: Sequence[Advice]) -> list[Advice]:
    """By currency, what saves most first."""
    return sorted(found, key=lambda a: (a.saves.currency, -a.saves.amount, a.key))
