"""How each simulated carrier behaves: what it sells at what price, how fast, how fully, and how it
tells.

Delays are minutes where real carriers take hours.
"""

import random
from dataclasses import dataclass, field
from datetime import timedelta
from decimal import Decimal


@dataclass(frozen=True)
class Stretch:
    """Subscriber parts `first`..`last` behind `lead`, written with `width` digits."""

    lead: str
    first: int
    last: int
    country: str
    width: int = 4

    def number(self, n: int) -> str:
        return f"{self.lead}{n:0{self.width}d}"


@dataclass(frozen=True)
class Manner:
    """`many_from`: subscriber parts from there on carry many calls, others one; None where all
    carry any number.

    `accounts`: those there are from the beginning, with currency and balance. `fails`: the share of
    lines that turn out to be sold elsewhere once they are looked after. `tells`: calls back when
    something arrives, else it must be asked. `papers`: what a person wants to see, by what a number
    begins with, within `review`. `slow_features`: how long a feature takes to work once switched
    on; `no_texts`: the share of tens of numbers that can't have texts. `credit`: how far the
    account may go below zero. `at_most`: calls a minute.
    """

    stock: tuple[Stretch, ...]
    currencies: dict[str, str]
    setup: dict[str, Decimal]
    monthly: dict[str, Decimal]
    features: dict[str, str]
    accounts: dict[str, tuple[str, Decimal]]
    hold: timedelta
    longer: timedelta | None
    first_line: timedelta
    each_line: timedelta
    usable_after: timedelta
    many_from: int | None = None
    fails: float = 0.0
    gone: float = 0.11
    tells: bool = True
    papers: dict[str, tuple[str, ...]] = field(default_factory=dict)
    review: timedelta = timedelta(seconds=90)
    slow_features: timedelta = timedelta(minutes=2)
    no_texts: float = 0.25
    credit: Decimal = Decimal(0)
    at_most: int | None = None

    def capacity(self, n: int) -> str:
        if self.many_from is None:
            return "any"
        return "many" if n >= self.many_from else "single"

    def find(self, e164: str) -> tuple[Stretch, int] | None:
        for stretch in self.stock:
            rest = e164[len(stretch.lead) :]
            if (
                e164.startswith(stretch.lead)
                and rest.isdigit()
                and stretch.first <= int(rest) <= stretch.last
            ):
                return (stretch, int(rest)) if stretch.number(int(rest)) == e164 else None
        return None

    def is_gone(self, e164: str) -> bool:
        """Sold to somebody else long ago: always the same ones."""
        return random.Random(e164).random() < self.gone

    def refuses_texts(self, e164: str) -> bool:
        """Some ranges have never been connected for texts."""
        return random.Random(f"{e164[:-1]} texts").random() < self.no_texts

    def will_fail(self, e164: str) -> bool:
        return random.Random(f"{e164} is looked after").random() < self.fails


def _gb(*areas: tuple[str, int, int]) -> tuple[Stretch, ...]:
    return tuple(Stretch(f"+44{lead}", first, last, "GB") for lead, first, last in areas)


def _na(country: str, *areas: tuple[str, int, int]) -> tuple[Stretch, ...]:
    return tuple(Stretch(f"+1{area}555", first, last, country) for area, first, last in areas)


SECONDS, MINUTES = (lambda n: timedelta(seconds=n)), (lambda n: timedelta(minutes=n))

MANNERS = {
    # slow, tells of arrivals as it comes to it: twice, late, the last first
    "brackwater": Manner(
        stock=(
            *_gb(
                ("113496", 320, 999),
                ("151496", 450, 999),
                ("131496", 550, 999),
                ("161496", 0, 499),
                ("292018", 630, 999),
            ),
            Stretch("+493023125", 200, 999, "DE", 3),
            Stretch("+494066969", 740, 999, "DE", 3),
        ),
        currencies={"GB": "GBP", "DE": "EUR"},
        setup={"single": Decimal("2.50"), "many": Decimal("6.00")},
        monthly={"single": Decimal("0.65"), "many": Decimal("1.20")},
        features={"emergency registration": "0.00", "texts": "0.40", "fax": "0.60"},
        accounts={
            "brackwater-main": ("GBP", Decimal("640.00")),
            "brackwater-berlin": ("EUR", Decimal("180.00")),
        },
        hold=MINUTES(15),
        longer=MINUTES(15),
        first_line=SECONDS(40),
        each_line=SECONDS(6),
        usable_after=SECONDS(60),
        many_from=900,
        papers={"+49": ("proof of local address", "register extract")},
    ),
    # quick, and now and then a number turns out to be sold
    "fellgate": Manner(
        stock=(
            *_gb(
                ("113496", 0, 99),
                ("114496", 0, 999),
                ("121496", 0, 999),
                ("141496", 0, 999),
                ("151496", 0, 399),
                ("131496", 0, 499),
                ("161496", 500, 999),
                ("306999", 0, 999),
                ("808157", 0, 999),
            ),
            Stretch("+3319900", 5000, 8999, "FR"),
        ),
        currencies={"GB": "GBP", "FR": "GBP"},
        setup={"any": Decimal("1.00")},
        monthly={"any": Decimal("0.80")},
        features={"texts": "0.25", "inbound name lookup": "0.10", "fax": "0.50"},
        accounts={"fellgate-main": ("GBP", Decimal("212.40"))},
        hold=MINUTES(10),
        longer=None,
        first_line=SECONDS(4),
        each_line=SECONDS(1),
        usable_after=SECONDS(5),
        fails=0.06,
        gone=0.05,
    ),
    # never calls, wants to be asked, and not too often; sells on credit
    "maplecourt": Manner(
        stock=(
            *_na("CA", ("416", 140, 199), ("613", 100, 199), ("604", 100, 199)),
            *_na(
                "US",
                ("617", 100, 139),
                ("617", 180, 199),
                ("212", 100, 199),
                ("312", 100, 199),
                ("800", 199, 199),
            ),
        ),
        currencies={"US": "USD", "CA": "USD"},
        setup={"any": Decimal("1.50")},
        monthly={"any": Decimal("1.10")},
        features={"texts": "0.30", "CNAM": "0.20", "emergency registration": "0.35"},
        accounts={"maplecourt-main": ("USD", Decimal("-84.20"))},
        hold=MINUTES(30),
        longer=MINUTES(30),
        first_line=SECONDS(20),
        each_line=SECONDS(3),
        usable_after=SECONDS(30),
        papers={"+1800": ("statement of use",)},
        tells=False,
        credit=Decimal(2000),
        at_most=90,
    ),
}
