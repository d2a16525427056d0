"""What a closed month keeps: lines to the penny, and later corrections of them."""

from collections import defaultdict
from collections.abc import Sequence
from decimal import Decimal

from sedge.core.spend.costs import CostLine
from sedge.core.spend.months import shared_out, to_minor_unit


def rounded(lines: Sequence[CostLine]) -> list[CostLine]:
    """Parts of a penny are shared out, so that the lines of each account add up to what its carrier
    charges, who rounds once."""
    by_account: dict[tuple[str, str], list[int]] = defaultdict(list)
    for place, line in enumerate(lines):
        by_account[line.currency, line.account].append(place)
    found = list(lines)
    for (currency, _), places in by_account.items():
        exact = [lines[place].amount for place in places]
        whole = to_minor_unit(sum(exact, Decimal(0)), currency)
        if all(amount >= 0 for amount in exact):
            for place, part in zip(places, shared_out(whole, exact, currency), strict=True):
                found[place] = lines[place]._replace(amount=part)
    return found


def corrections(told: Sequence[CostLine], now: Sequence[CostLine]) -> list[CostLine]:
    """What was told too little or too much of a closed month, by what it is for; who had it then
    stays as it was told."""
    sums: dict[tuple[str, ...], Decimal] = defaultdict(Decimal)
    like: dict[tuple[str, ...], CostLine] = {}
    for lines, sign in ((told, -1), (now, 1)):
        for line in lines:
            key = line.kind.value, line.thing, line.account, line.product, line.currency
            sums[key] += sign * line.amount
            like[key] = line
    return [
        like[key]._replace(amount=amount, units=Decimal(0))
        for key, amount in sorted(sums.items())
        if amount
    ]
