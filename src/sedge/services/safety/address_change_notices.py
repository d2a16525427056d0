"""When the words of a place change: what carriers have registered is out of date at once, and
everybody who sends them along is told by a work order that goes on by itself until they know."""

from collections.abc import Sequence

from sqlalchemy import delete, insert, select

from sedge.core.changes import changed
from sedge.core.estate import Change
from sedge.core.facts import counted
from sedge.core.records import Number, Subject
from sedge.core.workorders import tasks as t
from sedge.services.context import Context, Writing
from sedge.services.periodic import at_start
from sedge.services.workorders import order_running
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables
from sedge.store.schema.safety import place_to_tell

MOST = 1000  # numbers a work order tells of; more go in several
PART = 900  # spots asked for together


def out_of_date(writing: Writing, spots: Sequence[str]) -> list[Change]:
    """What carriers have registered for these spots says other words than they have now. That they
    must be told is noted in the same transaction, so that a process that dies before `tell` does so
    when it is back."""
    life = tables.life
    found: list[Change] = []
    for start in range(0, len(spots), PART):
        part = list(spots[start : start + PART])
        writing.connection.execute(delete(place_to_tell).where(place_to_tell.c.spot.in_(part)))
        writing.connection.execute(insert(place_to_tell), [{"spot": spot} for spot in part])
        numbers = writing.records.where(Number, life.c.registered_spot.in_(part), tables.IN_USE)
        found += [
            changed(
                Subject.NUMBER,
                n,
                n.copy_with(registered_spot=None),
                "number.registration-out-of-date",
            )
            for n in numbers
        ]
    return found


@at_start
def draft_notices(context: Context, where: str = "a place") -> list[WorkOrder]:
    """Sedge's own work orders that tell of the place of every number in use at the spots noted.
    None where nobody is there."""
    life = tables.life
    with context.reading() as reading:
        spots = list(reading.connection.execute(select(place_to_tell.c.spot)).scalars())
        here = select(life.c.number).where(
            life.c.spot.in_(select(place_to_tell.c.spot)), tables.IN_USE
        )
        numbers = [
            f"+{n}" for n in reading.connection.execute(here.order_by(life.c.number)).scalars()
        ]
    orders = []
    for start in range(0, len(numbers), MOST):
        part = numbers[start : start + MOST]
        title = f"Tell where {where} is: {counted(len(part), 'number')}"
        orders.append(
            order_running.run_now(
                context.as_system(),
                title,
                [t.TellPlace(number=n) for n in part],
                reason=f"changed by {context.actor}",
            )
        )
    with context.writing() as writing:
        for start in range(0, len(spots), PART):
            writing.connection.execute(
                delete(place_to_tell).where(place_to_tell.c.spot.in_(spots[start : start + PART]))
            )
    return orders
