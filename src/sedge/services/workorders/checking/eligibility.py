"""Why not: for any holder and any number, every rule's verdict and the shortest set of tasks that
would make it work."""

from dataclasses import dataclass

from sedge.core.estate import Estate
from sedge.core.records import HolderRef, Number, Product, Role
from sedge.core.workorders import tasks as t
from sedge.core.workorders.eligibility import WhyNot, why_not
from sedge.core.workorders.plan import arrange
from sedge.services.context import Context
from sedge.services.workorders import workorders
from sedge.services.workorders.loading import load
from sedge.store.repositories.workorders import WorkOrder


@dataclass(frozen=True)
class Answer:
    """`told` are the tasks of the shortest way in words, in the order in which they would run."""

    number: Number
    holder: str
    found: WhyNot
    told: list[str]


def ask(
    context: Context, e164: str, holder: HolderRef, role: Role = Role.MAIN, spot: str | None = None
) -> Answer:
    """Raises NotFound for a number or holder that is not here."""
    task = t.AssignNumber(number=e164, holder=holder, role=role, spot=spot)
    with context.reading() as reading:
        estate = load(reading, [task])
        number, name = estate.number(e164), estate.holder(holder).name
        found = why_not(task, estate)
        told = _told(found, estate) if found.tasks else []
    return Answer(number, name, found, told)


def _told(found: WhyNot, estate: Estate) -> list[str]:
    tasks = found.tasks or []
    order = arrange(tasks, {p.id: p.prerequisites for p in estate.all(Product)})
    return [tasks[position].in_words(estate) for position, _ in order]


def draft(context: Context, e164: str, holder: HolderRef, role: Role = Role.MAIN) -> WorkOrder:
    """The shortest way as the draft of a work order; the assignment alone where nothing makes it
    work, with its stops."""
    answer = ask(context, e164, holder, role)
    tasks = answer.found.tasks or [t.AssignNumber(number=e164, holder=holder, role=role)]
    return workorders.draft(context, f"Give {answer.number.shown} to {answer.holder}", tasks)
