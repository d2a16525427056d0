"""Ranking what a carrier would sell: hard filters first, then a score whose parts are shown.

Cheap first: numbers are filtered as plain values, memorability comes from a table of the last four digits, score
objects exist only for the best.
"""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from heapq import nlargest
from itertools import pairwise

from sedge.core.facts import Money
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.plan import AREAS, COUNTRIES
from sedge.core.numbers.ranges import NumberSet, consecutive
from sedge.core.records import Capacity

BEST = 50
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
    """What is searched for. `pattern` has `?` for any digit, letters of the keypad, and is matched against the end of the
    number; `endings` are extensions that numbers should end with."""

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
    """Numbers that would be sold together. `parts` add up to `total` (0 to 100); `why` says the best part in words."""

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
    """The digits with which all numbers of the area begin, so that a carrier need not send the whole country; empty where unclear."""
    code, area = COUNTRIES[wish.country].calling_code, wish.area.strip().lower()
    begins = [
        digits
        for digits, name in AREAS.items()
        if digits.startswith(code) and area in {name.lower(), "0" + digits[len(code) :], digits[len(code) :]}
    ]
    return f"+{begins[0]}" if area and len(begins) == 1 else ""


def rank_offers(stock: Sequence[StockNumber], wish: Wish, owned: NumberSet, *, best: int = BEST) -> list[Offer]:
    """The best offers for a wish, best first; runs are offered as runs. Empty where nothing fits."""
    fitting = {int(n.e164): n for n in stock if _fits(n, wish)}
    if wish.quantity > 1 and wish.consecutive:
        runs = list(NumberSet.of(fitting).runs_of(wish.quantity))
        groups = [[fitting[n] for n in range(span.first, span.last + 1)] for span in runs]
        groups = _also_next_to(groups, fitting, wish.quantity, owned)
    elif wish.quantity > 1:
        groups = _near_each_other(fitting, wish.quantity)
    else:
        groups = [[n] for n in fitting.values()]
    scored = nlargest(best, ((_total(g, wish, owned), -int(g[0].e164), g) for g in groups), key=lambda row: row[:2])
    return [_offer(group, wish, owned) for _, _, group in scored]


def _fits(n: StockNumber, wish: Wish) -> bool:
    if wish.capacity and n.capacity not in {wish.capacity, Capacity.ANY}:
        return False
    if wish.starts and not n.e164.startswith(wish.starts):
        return False
    if wish.pattern and not _pattern(wish.pattern)(n.e164):
        return False
    if not (wish.area or wish.kind):
        return True
    facts = describe(n.e164)
    in_area = not wish.area or wish.area.lower() in {facts.area.lower(), facts.parts[1], "0" + facts.parts[1]}
    return in_area and (not wish.kind or facts.kind == wish.kind)


@lru_cache(maxsize=64)
def _pattern(pattern: str) -> Callable[[str], object]:
    return re.compile(on_keypad(pattern).replace("?", r"\d") + "$").search


def _also_next_to(
    groups: list[list[StockNumber]], fitting: dict[int, StockNumber], length: int, owned: NumberSet
) -> list[list[StockNumber]]:
    """Runs that begin right after, or end right before, a run already owned: the tidy cut could miss them."""
    edges = [span.last + 1 for span in owned.spans] + [span.first - length for span in owned.spans]
    seen = {int(g[0].e164) for g in groups}
    for start in edges:
        numbers = range(start, start + length)
        if start not in seen and all(n in fitting for n in numbers):
            groups.append([fitting[n] for n in numbers])
    return groups


def _near_each_other(fitting: dict[int, StockNumber], quantity: int) -> list[list[StockNumber]]:
    """Groups of the quantity asked, from as few runs as possible."""
    ordered = sorted(fitting)
    runs = sorted(consecutive(ordered), key=len, reverse=True)
    joined = [n for run in runs for n in run]
    whole = [run[i : i + quantity] for run in runs for i in range(0, len(run) - quantity + 1, quantity)]
    mixed = [sorted(joined[i : i + quantity]) for i in range(0, len(joined) - quantity + 1, quantity)][:20]
    unique = {tuple(group): None for group in [*whole[:400], *mixed]}
    return [[fitting[n] for n in group] for group in unique]


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
    return {name: round(WEIGHTS[name] * value) for name, value in values.items() if round(WEIGHTS[name] * value)}


def _total(group: Sequence[StockNumber], wish: Wish, owned: NumberSet) -> int:
    return sum(_parts(group, wish, owned).values())


def _offer(group: Sequence[StockNumber], wish: Wish, owned: NumberSet) -> Offer:
    parts = _parts(group, wish, owned)
    reasons = {
        "extends a run you own": "joins a run you own",
        "run of the length asked": f"{len(group)} in a row",
        "wanted endings": "ends as wanted",
        "easily remembered": _remembered(group),
        "exact area": f"in {wish.area}",
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
        "ARTS", "BOAT", "BOOK", "CAFE", "CALL", "CARE", "CITY", "CLUB", "DESK", "DOME", "FILM", "GIFT", "HELP", "HOME", "INFO", "LAKE", "LIFE", "LINE",
        "MAPS", "MILL", "NEWS", "OPEN", "PLAY", "PORT", "RING", "SALE", "SHIP", "SHOP", "SHOW", "STAR", "TALK", "TEAM", "TIDE", "TOUR", "WALK", "WORK",
    )
}  # fmt: skip


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
