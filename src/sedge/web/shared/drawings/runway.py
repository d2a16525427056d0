"""A prepaid balance over the coming months: a stair down, with the low mark as a dashed line and
zero as the ground."""

from datetime import date
from decimal import Decimal

from markupsafe import Markup

from sedge.core.carriers.runway import Runway
from sedge.core.facts import Money, in_words

WIDTH, HEIGHT, LEFT, TOP = 520, 84, 78, 8


def _shown(found: Runway) -> tuple[tuple[date, Decimal], ...]:
    """Until one charge after the first that is not covered: what comes then depends on what is done
    about it."""
    below = next((i for i, (_, left) in enumerate(found.steps) if left < 0), None)
    return found.steps if below is None else found.steps[: max(below + 2, 3)]


def _apart(*amounts_and_gap: Decimal) -> list[Decimal]:
    """Those of the amounts, the first before others, whose labels would not stand on each other."""
    *amounts, gap = amounts_and_gap
    kept: list[Decimal] = []
    for amount in amounts:
        if all(abs(amount - other) >= gap for other in kept):
            kept.append(amount)
    return kept


def runway_chart(found: Runway, low_mark: Money) -> Markup:
    """SVG; what it shows is told as its name."""
    steps = _shown(found)
    amounts = [left for _, left in steps]
    top = max(*amounts, low_mark.amount, Decimal(1))
    bottom = min(*amounts, Decimal(0))
    first, last = steps[0][0], steps[-1][0]

    def x(index: int) -> float:
        return LEFT + (WIDTH - LEFT - 6) * (steps[index][0] - first).days / max(
            1, (last - first).days
        )

    def y(amount: Decimal) -> float:
        return TOP + (HEIGHT - 2 * TOP) * float((top - amount) / (top - bottom))

    stair = f"M{x(0):.1f} {y(amounts[0]):.1f}" + "".join(
        f"H{x(i):.1f}V{y(amounts[i]):.1f}" for i in range(1, len(amounts))
    )
    labels = Markup("").join(
        Markup('<text class="map-label" x="{:.1f}" y="{}" text-anchor="{}">{}</text>').format(
            x(i), HEIGHT + 10, "end" if i == len(amounts) - 1 else "middle", f"{steps[i][0]:%b}"
        )
        for i in range(1, len(amounts), 1 + len(amounts) // 7)
    )
    currency = low_mark.currency
    axis = Markup("").join(
        Markup('<text class="map-label" x="{}" y="{:.1f}" text-anchor="end">{}</text>').format(
            LEFT - 6, y(amount) + 4, in_words(Money(amount=amount, currency=currency))
        )
        for amount in _apart(amounts[0], low_mark.amount, Decimal(0), (top - bottom) / 6)
    )
    told = (
        f"Balance {in_words(Money(amount=amounts[0], currency=low_mark.currency))} today,"
        f" {in_words(found.monthly)} less each month; low mark {in_words(low_mark)}"
    )
    return Markup(
        '<svg class="runway" viewBox="0 0 {} {}" width="100%" role="img" aria-label="{}"><path'
        ' class="runway-ground" d="M{} {:.1f}H{}"/><path class="runway-low" d="M{}'
        ' {:.1f}H{}"/><path class="runway-stair" d="{}"/>{}{}</svg>'
    ).format(
        WIDTH,
        HEIGHT + 14,
        told,
        LEFT,
        y(Decimal(0)),
        WIDTH - LEFT,
        LEFT,
        y(low_mark.amount),
        WIDTH - LEFT,
        stair,
        labels,
        axis,
    )
