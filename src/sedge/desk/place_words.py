"""When the words of a place change: what carriers have registered is out of date at once, and everybody who sends them along is told by a
work order that goes on by itself until they know."""

from collections.abc import Sequence

from sqlalchemy import select

from sedge.core.estate import Change
from sedge.core.numbers.life import State
from sedge.core.records import Number, Subject
from sedge.core.reduce import changed
from sedge.core.workorders import tasks as t
from sedge.desk import workorders
from sedge.desk.desk import Desk, Writing
from sedge.store import tables
from sedge.store.workorders import WorkOrder

MOST = 1000  # numbers a work order tells of; more go in several


def out_of_date(writing: Writing, spots: Sequence[str]) -> list[Change]:
    """What carriers have registered for these spots says other words than they have now."""
    life = tables.life
    numbers = writing.records.where(Number, life.c.registered_spot.in_(list(spots)[:900]), life.c.state == State.ASSIGNED.value)
    return [changed(Subject.NUMBER, n, n.but(registered_spot=None), "number.registration-out-of-date") for n in numbers]


def tell(desk: Desk, spots: Sequence[str], where: str) -> list[WorkOrder]:
    """Sedge's own work orders that tell of the place of every number in use at these spots. None where nobody is there."""
    life = tables.life
    with desk.reading() as reading:
        here = select(life.c.number).where(life.c.spot.in_(list(spots)[:900]), life.c.state == State.ASSIGNED.value).order_by(life.c.number)
        numbers = [f"+{n}" for n in reading.connection.execute(here).scalars()]
    orders = []
    for start in range(0, len(numbers), MOST):
        part = numbers[start : start + MOST]
        title = f"Tell where {where} is: {len(part)} number{'s' if len(part) != 1 else ''}"
        orders.append(
            workorders.run_now(desk.as_system(), title[:200], [t.TellPlace(number=n) for n in part], reason=f"changed by {desk.actor}")
        )
    return orders
