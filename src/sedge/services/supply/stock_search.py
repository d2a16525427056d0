"""Searching what carriers would sell: all of them at once, each answering for itself, none holding
up the others."""

import time
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from datetime import timedelta

from sqlalchemy import or_, select

from sedge.core.errors import NotUnderstood, OutsideRefused, OutsideSilent
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import Account, Capacity, Carrier
from sedge.core.supply.offers import (
    Offer,
    StockNumber,
    Wish,
    areas_in,
    fitting_numbers,
    leading,
    offers_of,
    rank_offers,
)
from sedge.core.workorders.tasks import OrderWhenFree
from sedge.services.carriers import balances
from sedge.services.context import Context, Reading
from sedge.services.supply.supply import MOST_NUMBERS, buyable_accounts, stock_number
from sedge.store.repositories.deliveries import lead_times
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

MOST_ENDINGS = 200


@dataclass(frozen=True)
class Answer:
    """What one carrier says to a wish: offers, best first, or the trouble it has. `in_stock` counts
    what is of the area, kind and digits asked for; `elsewhere` says where else in the country there
    is stock, where there is no offer. `took` is how long it took to answer."""

    carrier: Carrier
    account: Account
    offers: list[Offer] = field(default_factory=list)
    in_stock: int = 0
    elsewhere: list[tuple[str, str, int]] = field(default_factory=list)
    problem: str = ""
    took: timedelta = timedelta(0)
    usual: timedelta | None = None
    late: timedelta | None = None


def sellers(context: Context, wish: Wish, carrier: str = "") -> list[tuple[Account, Carrier]]:
    """The carriers that sell numbers of the country wished for, each with the account it would be
    bought on. Raises NotUnderstood."""
    check(wish)
    found: dict[str, tuple[Account, Carrier]] = {}
    for account, of in _by_preference(context, wish, carrier):
        found.setdefault(of.id, (account, of))
    if not found:
        raise NotUnderstood("No carrier of that name takes orders over the wire.", field="carrier")
    selling = [(a, c) for a, c in found.values() if wish.country in c.countries]
    if not selling:
        countries = sorted({country for _, c in found.values() for country in c.countries})
        raise NotUnderstood(f"Numbers are sold of {', '.join(countries)} only.", field="country")
    return selling


def _by_preference(
    context: Context, wish: Wish, carrier: str = ""
) -> list[tuple[Account, Carrier]]:
    """Accounts to buy on: those meant for the country before others, those that can pay before
    those that can't yet, those that numbers are on before empty ones."""
    used = {key for key, outlook in balances.outlooks(context).items() if outlook.numbers}
    every = [(a, c) for a, c in buyable_accounts(context) if not carrier or c.id == carrier]

    def key(one: tuple[Account, Carrier]) -> tuple[object, ...]:
        account = one[0]
        meant = wish.country in account.countries
        return (
            bool(account.countries) and not meant,
            not meant,
            account.receives_only,
            account.id not in used,
            account.name,
        )

    return sorted(every, key=key)


def accounts_for(context: Context, wish: Wish, carrier: str) -> list[Account]:
    """Every account that numbers of the country could be bought on with a carrier, the one that
    would be taken first."""
    return [
        a
        for a, _ in _by_preference(context, wish, carrier)
        if not a.countries or wish.country in a.countries
    ]


def search(context: Context, wish: Wish, *, carrier: str = "") -> list[Answer]:
    """What all carriers say, asked at the same time. Raises NotUnderstood for a wish that can't
    be."""
    asked = sellers(context, wish, carrier)
    with ThreadPoolExecutor(len(asked), thread_name_prefix="search") as pool:
        return list(pool.map(lambda one: ask(context, wish, *one), asked))


def one(context: Context, wish: Wish, carrier: str) -> Answer:
    """What one carrier says. Raises NotUnderstood."""
    return ask(context, wish, *sellers(context, wish, carrier)[0])


def ask(context: Context, wish: Wish, account: Account, of: Carrier) -> Answer:
    """One carrier's answer. Trouble over there is part of it, not an error."""
    begun = time.perf_counter()
    with context.reading() as reading:
        usual, late = lead_times(reading.records, of.id)
    said = Answer(of, account, usual=usual, late=late)
    try:
        left, owned = _stock(context, account, wish, wish.starts or leading(wish))
        fitting = fitting_numbers(left, wish)
        offers = offers_of(fitting, wish, owned)
        everywhere = _stock(context, account, wish, "")[0] if wish.area and not offers else []
    except (OutsideSilent, OutsideRefused) as error:
        return _timed(said, begun, problem=error.message)
    return _timed(said, begun, offers=offers, in_stock=len(fitting), elsewhere=areas_in(everywhere))


def _stock(
    context: Context, account: Account, wish: Wish, begins: str
) -> tuple[list[StockNumber], NumberSet]:
    """What a carrier has that is not ours already, and what is ours near it. Raises OutsideSilent,
    OutsideRefused."""
    stock = [
        stock_number(s)
        for s in context.at_carrier(account).stock(wish.country, begins, wish.capacity)
    ]
    with context.reading() as reading:
        owned = _owned_near(reading, stock)
    return [n for n in stock if n.e164 not in owned], owned


def within(context: Context, task: OrderWhenFree) -> list[str]:
    """The numbers of the best offer of one carrier that fulfils a wish whole and costs no more than
    it may; [] where there is none.

    Raises OutsideSilent, OutsideRefused.
    """
    wish = Wish(
        task.country,
        task.area,
        task.number_kind,
        task.capacity,
        task.starts,
        task.pattern,
        task.quantity,
        task.consecutive,
    )
    check(wish)
    with context.reading() as reading:
        account = reading.records.the(Account, task.account)
    found = [
        stock_number(s)
        for s in context.at_carrier(account).stock(
            wish.country, wish.starts or leading(wish), wish.capacity
        )
    ]
    limits = task.most_setup.amount, task.most_monthly.amount
    cheap = [
        n
        for n in found
        if (n.setup.currency, n.monthly.currency) == (task.most_setup.currency,) * 2
    ]
    cheap = [n for n in cheap if n.setup.amount <= limits[0] and n.monthly.amount <= limits[1]]
    with context.reading() as reading:
        owned = _owned_near(reading, cheap)
    offers = rank_offers([n for n in cheap if n.e164 not in owned], wish, owned)
    best = next((o for o in offers if len(o.numbers) == task.quantity), None)
    return [n.e164 for n in best.numbers] if best else []


def _timed(said: Answer, begun: float, **values: object) -> Answer:
    took = timedelta(seconds=time.perf_counter() - begun)
    return replace(said, **values, took=took)  # type: ignore[arg-type]


def _owned_near(reading: Reading, stock: Iterable[StockNumber]) -> NumberSet:
    """Our numbers in the thousands that are for sale, and next to them."""
    thousands = sorted({int(n.e164) // 1000 + step for n in stock for step in (-1, 0, 1)})
    life = tables.life
    numbers: list[int] = []
    for start in range(0, len(thousands), 200):
        near = or_(
            *(
                life.c.number.between(t * 1000, t * 1000 + 999)
                for t in thousands[start : start + 200]
            )
        )
        numbers += reading.connection.execute(
            select(life.c.number).where(near, is_open())
        ).scalars()
    return NumberSet.of(numbers)


def merged(answers: Iterable[Answer]) -> list[tuple[Offer, Answer]]:
    """The offers of all, best first; of equals the cheaper one, where they cost the same money."""
    every = [(offer, answer) for answer in answers for offer in answer.offers]
    return sorted(
        every,
        key=lambda x: (
            -x[0].total,
            x[0].monthly.currency,
            x[0].monthly.amount,
            x[0].numbers[0].e164,
        ),
    )


def check(wish: Wish) -> None:
    """Raises NotUnderstood naming the field."""
    if not 1 <= wish.quantity <= MOST_NUMBERS:
        raise NotUnderstood(f"Ask for 1 to {MOST_NUMBERS:,} numbers at a time.", field="quantity")
    if wish.starts and not (
        wish.starts.lstrip("+").isascii() and wish.starts.lstrip("+").isdigit()
    ):
        raise NotUnderstood(
            "Leading digits are digits, such as +44 113 or 0113 496 05.", field="starts"
        )
    if len(wish.pattern) > 15 or not all(
        ch == "?" or (ch.isascii() and ch.isalnum()) for ch in wish.pattern
    ):
        raise NotUnderstood(
            "A pattern has digits, letters of the keypad, and ? for any digit, such as ?500 or"
            " TOUR.",
            field="pattern",
        )
    if len(wish.endings) > MOST_ENDINGS or not all(
        e.isascii() and e.isdigit() and 2 <= len(e) <= 6 for e in wish.endings
    ):
        raise NotUnderstood(
            "Endings are extensions of 2 to 6 digits, such as 142, 143.", field="endings"
        )
    if wish.capacity and wish.capacity not in set(Capacity):
        raise NotUnderstood("Capacity is single, many or any.", field="capacity")
