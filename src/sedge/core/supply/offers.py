"""Ranking what a carrier would sell: hard filters first, then a score whose parts are shown.

Cheap first: numbers are filtered as plain values, memorability comes from a table of the last four
digits, score objects exist only for the best.
"""

import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from heapq import nlargest
from itertools import islice, pairwise

from sedge.core.facts import Money
from sedge.core.numbers.e164 import NumberFacts, describe
from sedge.core.numbers.plan import AREAS, COUNTRIES
from sedge.core.numbers.ranges import NumberSet, consecutive, tidy_cut
from sedge.core.records import Capacity

BEST, WHOLE, MIXED = 50, 400, 20
WEIGHTS = {
    "exact area": 10,
    "run of the length asked": 20,
    "extends a run you own": 25,
    "leading digits": 10,
    "pattern": 10,
    "wanted endings": 15,
    "easily remembered": 10,
}


@dataclass(frozen=True)
class StockNumber:
    e164: str
    capacity: Capacity
    setup: Money
    monthly: Money
    features: dict[str, Money] = field(default_factory=dict)


@dataclass(frozen=True)
class Wish:
    """What is searched for. `pattern` has `?` for any digit, letters of the keypad, and is matched
    against the end of the number; `endings` are extensions that numbers should end with."""

    country: str
    area: str = ""
    kind: str = ""
    capacity: str = ""
    starts: str = ""
    pattern: str = ""
    quantity: int = 1
    consecutive: bool = False
    endings: tuple[str, ...] = ()


@dataclass(frozen=True)
class Offer:
    """Numbers that would be sold together. `parts` add up to `total` (0 to 100); `why` says the
    best part in words."""

    numbers: tuple[StockNumber, ...]
    total: int
    parts: dict[str, int]
    why: str

    @property
    def setup(self) -> Money:
        return _sum([n.setup for n in self.numbers])

    @property
    def monthly(self) -> Money:
        return _sum([n.monthly for n in self.numbers])


def leading(wish: Wish) -> str:
    """The digits with which all numbers of the area begin, so that a carrier need not send the
    whole country; empty where unclear."""
    code, area = COUNTRIES[wish.country].calling_code, wish.area.strip().lower()
    begins = [
        digits
        for digits, name in AREAS.items()
        if digits.startswith(code)
        and area in {name.lower(), "0" + digits[len(code) :], digits[len(code) :]}
    ]
    return f"+{begins[0]}" if area and len(begins) == 1 else ""


def rank_offers(
    stock: Sequence[StockNumber], wish: Wish, owned: NumberSet, *, best: int = BEST
) -> list[Offer]:
    """The best offers for a wish, best first; runs are offered as runs. Empty where nothing
    fits."""
    return offers_of(fitting_numbers(stock, wish), wish, owned, best=best)


def fitting_numbers(stock: Sequence[StockNumber], wish: Wish) -> Sequence[StockNumber]:
    """Those of the stock that are of the area, kind, capacity and digits asked for, however many
    are wanted."""
    filters = _filters(wish)
    return [n for n in stock if all(fits(n) for fits in filters)] if filters else stock


def areas_in(stock: Sequence[StockNumber], most: int = 8) -> list[tuple[str, str, int]]:
    """The areas with most numbers: name, digits as dialled within the country ('' where there are
    none), how many."""
    counted = Counter(
        (facts.area, facts.parts[1], facts.country) for facts in (describe(n.e164) for n in stock)
    )
    trunk = {
        code: country.trunk if country.trunk == "0" else "" for code, country in COUNTRIES.items()
    }
    return [
        (name or digits, trunk.get(of, "") + digits if digits else "", n)
        for (name, digits, of), n in counted.most_common(most)
    ]


def offers_of(
    numbers: Sequence[StockNumber], wish: Wish, owned: NumberSet, *, best: int = BEST
) -> list[Offer]:
    """The best offers out of numbers that fit, best first."""
    fitting = {int(n.e164): n for n in numbers}
    groups: Sequence[Sequence[int]]
    if wish.quantity > 1 and wish.consecutive:
        length = wish.quantity
        starts = (
            start
            for run in consecutive(fitting)
            if len(run) >= length
            for start in tidy_cut(run[0], run[-1], length)
        )
        groups = _also_next_to(
            [range(start, start + length) for start in starts], fitting, length, owned
        )
    elif wish.quantity > 1:
        groups = _near_each_other(fitting, wish.quantity)
    else:
        groups = [(n,) for n in fitting]
    totals = _totals(groups, wish, owned)
    scored = nlargest(
        best,
        (
            (total, -group[0], i)
            for i, (total, group) in enumerate(zip(totals, groups, strict=True))
        ),
    )
    return [_offer([fitting[n] for n in groups[i]], wish, owned) for _, _, i in scored]


def _filters(wish: Wish) -> list[Callable[[StockNumber], object]]:
    """What a number must fulfil: only what is asked, the cheap ones first."""
    filters: list[Callable[[StockNumber], object]] = []
    if wish.capacity:
        fitting = {wish.capacity, Capacity.ANY}
        filters.append(lambda n: n.capacity in fitting)
    if wish.starts:
        filters.append(lambda n: n.e164.startswith(wish.starts))
    if wish.pattern:
        matches = _pattern(wish.pattern)
        filters.append(lambda n: matches(n.e164))
    if wish.area or wish.kind:
        filters.append(lambda n: _of_area_and_kind(n, wish))
    return filters


def _of_area_and_kind(n: StockNumber, wish: Wish) -> bool:
    facts = describe(n.e164)
    return (not wish.area or is_in_area(facts, wish.area)) and (
        not wish.kind or facts.kind == wish.kind
    )


def is_in_area(facts: NumberFacts, typed: str) -> bool:
    """Whether a number is of the area meant by `0113`, `113`, `Leeds`, or `New York` for the plan's
    `New York, NY`."""
    digits = typed.strip("() ")
    if digits.isdecimal():
        return digits in {facts.parts[1], "0" + facts.parts[1]}
    name, wanted = facts.area.casefold(), " ".join(typed.casefold().split())
    return name == wanted or name.startswith((f"{wanted},", f"{wanted} "))


@lru_cache(maxsize=64)
def _pattern(pattern: str) -> Callable[[str], object]:
    return re.compile(on_keypad(pattern).replace("?", r"\d") + "$").search


def _also_next_to(
    groups: list[range], fitting: Mapping[int, StockNumber], length: int, owned: NumberSet
) -> list[range]:
    """Runs that begin right after, or end right before, a run already owned: the tidy cut could
    miss them."""
    edges = [span.last + 1 for span in owned.spans] + [span.first - length for span in owned.spans]
    seen = {group[0] for group in groups}
    for start in edges:
        numbers = range(start, start + length)
        if start in fitting and start not in seen and all(n in fitting for n in numbers):
            groups.append(numbers)
    return groups


def _near_each_other(fitting: Mapping[int, StockNumber], quantity: int) -> list[tuple[int, ...]]:
    """Groups of the quantity asked, from as few runs as possible."""
    runs = sorted(consecutive(fitting), key=len, reverse=True)
    whole = (
        tuple(run[i : i + quantity])
        for run in runs
        for i in range(0, len(run) - quantity + 1, quantity)
    )
    joined = [n for run in runs for n in run][: quantity * MIXED]
    mixed = (
        tuple(sorted(joined[i : i + quantity]))
        for i in range(0, len(joined) - quantity + 1, quantity)
    )
    return list(dict.fromkeys([*islice(whole, WHOLE), *mixed]))


def _totals(groups: Sequence[Sequence[int]], wish: Wish, owned: NumberSet) -> list[int]:
    """The sums of `_parts`, for many groups at once: nothing is made that is not needed for the
    sum."""
    same = sum(
        WEIGHTS[name]
        for name, asked in (
            ("exact area", wish.area),
            ("leading digits", wish.starts),
            ("pattern", wish.pattern),
        )
        if asked
    )
    after, before = (
        {span.last + 1 for span in owned.spans},
        {span.first - 1 for span in owned.spans},
    )
    endings = [(10 ** len(e), int(e)) for e in wish.endings]
    table, extends, in_a_row, ends = (
        _memorable(),
        WEIGHTS["extends a run you own"],
        WEIGHTS["run of the length asked"],
        WEIGHTS["wanted endings"],
    )
    totals: list[int] = []
    for group in groups:
        count, low = len(group), group[0] % 10_000
        is_run = group[-1] - group[0] == count - 1
        total = same + max(
            table[low : low + count]
            if is_run and low + count <= len(table)
            else [table[n % 10_000] for n in group]
        )
        if is_run:
            total += (in_a_row if count > 1 else 0) + (
                extends if group[0] in after or group[-1] in before else 0
            )
        if endings:
            total += round(
                ends
                * sum(any(n % size == digits for size, digits in endings) for n in group)
                / count
            )
        totals.append(total)
    return totals


@lru_cache(maxsize=1)
def _memorable() -> list[int]:
    """The points for being easily remembered, by the last four digits."""
    return [round(WEIGHTS["easily remembered"] * memorability(f"{n:04d}")) for n in range(10_000)]


def _parts(group: Sequence[StockNumber], wish: Wish, owned: NumberSet) -> dict[str, int]:
    first, last = int(group[0].e164), int(group[-1].e164)
    is_run = last - first == len(group) - 1
    extends = is_run and (first - 1 in owned or last + 1 in owned)
    memorable = max(memorability(n.e164[-4:]) for n in group)
    alike = sum(n.e164.endswith(wish.endings) for n in group) / len(group) if wish.endings else 0.0
    values = {
        "exact area": bool(wish.area) * 1.0,
        "run of the length asked": float(is_run and len(group) > 1),
        "extends a run you own": float(extends),
        "leading digits": float(bool(wish.starts)),
        "pattern": float(bool(wish.pattern)),
        "wanted endings": alike,
        "easily remembered": memorable,
    }
    return {
        name: round(WEIGHTS[name] * value)
        for name, value in values.items()
        if round(WEIGHTS[name] * value)
    }


def _offer(group: Sequence[StockNumber], wish: Wish, owned: NumberSet) -> Offer:
    parts = _parts(group, wish, owned)
    reasons = {
        "extends a run you own": "joins a run you own",
        "run of the length asked": f"{len(group)} in a row",
        "wanted endings": "ends as wanted",
        "easily remembered": _remembered(group),
        "exact area": f"in {describe(group[0].e164).area or wish.area}",
        "leading digits": "has the leading digits",
        "pattern": "fits the pattern",
    }
    ordered = sorted(parts, key=lambda name: (-parts[name], name))
    why = ", ".join(reasons[name] for name in ordered[:3]) or "fits what was asked"
    return Offer(tuple(group), sum(parts.values()), parts, why)


def _remembered(group: Sequence[StockNumber]) -> str:
    word = next((word for n in group if (word := WORDS.get(n.e164[-4:]))), "")
    return f"spells {word}" if word else "easily remembered"


_KEYS = str.maketrans("ABCDEFGHIJKLMNOPQRSTUVWXYZ", "22233344455566677778889999")


def on_keypad(text: str) -> str:
    """Letters as the digits they stand on (ITU-T E.161)."""
    return text.upper().translate(_KEYS)


# Short words that museums, shops, offices and helplines like to be rung by.
WORDS = {
    on_keypad(word): word
    for word in (
        "ARTS",
        "BOAT",
        "BOOK",
        "CAFE",
        "CALL",
        "CARE",
        "CITY",
        "CLUB",
        "DESK",
        "DOME",
        "FILM",
        "GIFT",
        "HELP",
        "HOME",
        "INFO",
        "LAKE",
        "LIFE",
        "LINE",
        "MAPS",
        "MILL",
        "NEWS",
        "OPEN",
        "PLAY",
        "PORT",
        "RING",
        "SALE",
        "SHIP",
        "SHOP",
        "SHOW",
        "STAR",
        "TALK",
        "TEAM",
        "TIDE",
        "TOUR",
        "WALK",
        "WORK",
    )
}


@lru_cache(maxsize=10_000)
def memorability(last_four: str) -> float:
    """0 to 1 for four digits: repeats, steps, mirrored, round endings, a word on the keypad."""
    if len(set(last_four)) == 1:
        return 1.0
    steps = {int(b) - int(a) for a, b in pairwise(last_four)}
    if steps in ({1}, {-1}):
        return 0.9
    if last_four.endswith("000"):
        return 0.9
    if last_four[:2] == last_four[2:] or last_four == last_four[::-1]:
        return 0.7
    if last_four.endswith("00") or last_four in WORDS:
        return 0.6
    if last_four[1] == last_four[2] == last_four[3] or last_four[0] == last_four[1] == last_four[2]:
        return 0.5
    return 0.3 if last_four.endswith("0") or len(set(last_four)) == 2 else 0.0


def _sum(amounts: Sequence[Money]) -> Money:
    total = amounts[0]
    for amount in amounts[1:]:
        total = total + amount
    return total
