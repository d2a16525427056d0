"""What the calls of a month would have cost over each trunk, and over the cheapest that takes
them."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import NamedTuple

from sedge.core.numbers.e164 import facts_of
from sedge.core.numbers.plan import COUNTRIES, Kind
from sedge.core.spend.rates.rate_decks import MONEY_UNIT
from sedge.core.spend.rates.rating import DecksOf, billed_seconds, charge

TOLD_APART = {Kind.MOBILE: "mobile", Kind.PREMIUM: "premium", Kind.TOLL_FREE: "freephone"}
UNKNOWN = "Other destinations"


class Offer(NamedTuple):
    """A trunk over which calls could go; one that `takes_others` takes caller IDs of any carrier's
    numbers."""

    trunk: str
    name: str
    carrier: str
    takes_others: bool


class Made(NamedTuple):
    """A call out of last month: `number` that called (digits) of a `carrier`, to `other` (E.164) on
    a day, so many seconds, over a trunk; `cost` in ten thousandths, bundles taken off."""

    number: str
    carrier: str
    other: str
    day: str
    talk: int
    trunk: str
    cost: int
    currency: str


@dataclass
class Destination:
    """Calls to one kind of number of a country. `over` has for each trunk what all calls that it
    may take would have cost, with their minutes; `least` is what the cheapest way of each call
    costs, in ten thousandths."""

    name: str
    currency: str
    calls: int = 0
    seconds: int = 0
    paid: int = 0
    least: int = 0
    over: dict[str, tuple[int, int]] = field(default_factory=dict)

    def per_minute(self, trunk: str) -> Decimal | None:
        """What a billed minute costs over a trunk on average; None where it takes none of them."""
        cost, seconds = self.over.get(trunk, (0, 0))
        if not seconds:
            return None
        return (cost * MONEY_UNIT * 60 / seconds).quantize(Decimal("0.0001"))

    @property
    def cheapest(self) -> str:
        """The trunk with the lowest price a minute; '' where there is none."""
        known = {key: price for key in self.over if (price := self.per_minute(key)) is not None}
        return min(known, key=lambda key: (known[key], key), default="")

    @property
    def saved(self) -> int:
        return self.paid - self.least


def compare(calls: Iterable[Made], offers: Sequence[Offer], decks_of: DecksOf) -> list[Destination]:
    """By destination, the one with the most minutes first. A call is compared in its own currency
    alone, and never costs more than it did."""
    found: dict[tuple[str, str], Destination] = {}
    for call in calls:
        if not call.currency or not call.other.startswith("+"):
            continue
        key = (_name(call.other), call.currency)
        destination = found.setdefault(key, Destination(*key))
        destination.calls += 1
        destination.seconds += call.talk
        destination.paid += call.cost
        destination.least += min([call.cost, *_priced(call, destination, offers, decks_of)])
    return sorted(found.values(), key=lambda d: (-d.seconds, d.name))


def _priced(
    call: Made, destination: Destination, offers: Sequence[Offer], decks_of: DecksOf
) -> Iterable[int]:
    """What a call costs over each trunk that takes it, put down with its destination."""
    for offer in offers:
        if offer.carrier != call.carrier and not offer.takes_others:
            continue
        for deck in decks_of(offer.trunk, call.number):
            rate = deck.find(call.other[1:], call.day)
            if rate is None:
                continue
            if deck.currency == call.currency:
                seconds = billed_seconds(call.talk, rate)
                cost = charge(seconds, rate) if seconds else 0
                before = destination.over.get(offer.trunk, (0, 0))
                destination.over[offer.trunk] = (before[0] + cost, before[1] + seconds)
                yield cost
            break


def _name(other: str) -> str:
    """`Germany`, `Germany, mobile`; a number that nobody has given out goes by its country code."""
    facts = facts_of(other)
    code = facts.country if facts else ""
    if code not in COUNTRIES:
        of_code = (c for c, x in COUNTRIES.items() if other[1:].startswith(x.calling_code))
        code = next(of_code, "")
    kind = TOLD_APART.get(facts.kind, "") if facts else ""
    country = COUNTRIES[code].name if code else UNKNOWN
    return f"{country}, {kind}" if kind else country


def saved_by_currency(destinations: Iterable[Destination]) -> dict[str, int]:
    """What the cheapest way would have saved, in ten thousandths."""
    sums: dict[str, int] = defaultdict(int)
    for destination in destinations:
        sums[destination.currency] += destination.saved
    return {currency: saved for currency, saved in sums.items() if saved}
