"""Features of numbers: what each number has and could have, and the work order that switches one in
a single number or a run."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sedge.core.facts import Money
from sedge.core.numbers.life import ENDED, State
from sedge.core.records import Carrier, Number
from sedge.core.workorders import tasks as t
from sedge.services.context import Context


@dataclass(frozen=True)
class FeatureRow:
    """`works_from` is set while a feature that is on does not work yet."""

    name: str
    fee: Money
    is_on: bool
    works_from: datetime | None


def rows(context: Context, e164: str) -> tuple[Number, Carrier, list[FeatureRow]]:
    """What the number's carrier offers for it, and what it has besides. Raises NotFound."""
    with context.reading() as reading:
        number = reading.records.the(Number, e164)
        carrier = reading.records.the(Carrier, number.carrier)
    offered = carrier.features_for(number.kind)
    names = [*offered, *(f for f in number.features if f not in offered)]
    return number, carrier, [_row(number, carrier, name, context.now()) for name in names]


def _row(number: Number, carrier: Carrier, name: str, now: datetime) -> FeatureRow:
    works_from = number.features_from.get(name)
    later = works_from if works_from and works_from > now else None
    return FeatureRow(
        name, carrier.fee(name, number.monthly.currency), name in number.features, later
    )


def can_be_switched(number: Number) -> bool:
    return number.state not in {*ENDED, State.ON_ORDER} and number.leaving_on is None


def offered_for(context: Context, numbers: Sequence[Number]) -> list[str]:
    """Every feature that some of these numbers could have or have."""
    with context.reading() as reading:
        carriers = {c.id: c for c in reading.records.all(Carrier)}
    found = {
        name for n in numbers for name in (*carriers[n.carrier].features_for(n.kind), *n.features)
    }
    return sorted(found)


def tasks(numbers: Sequence[Number], feature: str, *, on: bool) -> list[t.SetFeature]:
    """One for each number that hasn't got it, or has it, already."""
    return [
        t.SetFeature(number=n.e164, feature=feature, on=on)
        for n in numbers
        if (feature in n.features) is not on
    ]
