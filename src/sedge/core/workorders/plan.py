"""The order in which tasks run: what each brings about, what each needs first.

Licence before number, spot before number, delivery before assignment, list before test call, path published before a
number points to it. The typed order is kept wherever nothing forbids it.
"""

from collections.abc import Callable, Iterator, Sequence
from graphlib import CycleError, TopologicalSorter
from typing import Any

from sedge.core.callpaths.steps import people_named
from sedge.core.enums import HolderKind
from sedge.core.errors import NotUnderstood
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import OutputOf

Thing = tuple[str, ...]


def resolve(task: Any, tasks: Sequence[Any]) -> Any:
    """The task with `output_of` replaced by the number it stands for. Raises NotUnderstood where there is none."""
    if isinstance(task, t.PutBackLater):
        if task.task >= len(tasks) or isinstance(tasks[task.task], t.PutBackLater):
            raise NotUnderstood("A put-back names the position of another task that changes something.", field="task", reason="put-back-of")
        return task.but(of_kind=tasks[task.task].kind)
    number = getattr(task, "number", None)
    if not isinstance(number, OutputOf):
        return task
    source = tasks[number.output_of] if number.output_of < len(tasks) else None
    numbers = outputs(source)
    if number.index >= len(numbers):
        raise NotUnderstood("“output_of” names a task that gives no such number.", field="number", reason="output-of")
    return task.but(number=numbers[number.index])


def outputs(task: Any) -> tuple[str, ...]:
    """The numbers a task brings into the estate."""
    match task:
        case t.OrderNumbers():
            return tuple(line.number for line in task.lines)
        case t.RecordArrival():
            return tuple(line.number for line in task.lines)
        case t.AdoptNumber() | t.ConnectNumber():
            return (task.number,)
        case _:
            return ()


PREPARES = (t.GrantLicence, t.BuySeats, t.AddPerson, t.SetCallingRights, t.PublishPath, t.SetGroup, t.SetAnswering, t.ExchangeLicence)
FOLLOWS = (t.PlaceTestCall, t.SetFallback, t.SetFeature, t.RegisterAddress, t.SetPath, t.AssignNumber, t.ReserveNumber, t.LabelNumbers)


def gives(task: Any) -> Iterator[Thing]:
    if isinstance(task, PREPARES) or (isinstance(task, t.SetSpot) and task.person):
        yield ("prepared",)
    match task:
        case t.BuySeats():
            yield "seats", task.product
        case t.GrantLicence():
            yield "licence", task.holder.kind.value, task.holder.id
            yield "licence", task.holder.kind.value, task.holder.id, task.product
        case t.AddPerson():
            yield "person", task.id
        case t.AdoptNumber() if task.state == "assigned":
            yield "number", task.number
            yield "assigned", task.number
            yield "listed", task.number
        case t.ConnectNumber():
            yield "number", task.number
            yield "listed", task.number
        case t.OrderNumbers() | t.AdoptNumber() | t.RecordArrival():
            yield from (("number", n) for n in outputs(task))
        case t.UnassignNumber():
            yield "free", task.e164 or ""
            if task.holder:
                yield "given up", task.holder.kind.value, task.holder.id
        case t.EndRest() | t.UnreserveNumber() | t.ReturnNumber():
            yield "free", task.e164 or ""
        case t.StartTrial():
            yield "seats", task.product
        case t.ExchangeLicence():
            yield "licence", task.holder.kind.value, task.holder.id
            yield "licence", task.holder.kind.value, task.holder.id, task.to
        case t.RevokeLicence():
            yield "taken back", task.holder.kind.value, task.holder.id, task.product
            yield "seat given up", task.holder.kind.value, task.holder.id
            yield "seats", task.product
        case t.ChangePerson(left=True):
            yield "gone", task.person
        case t.ChangePerson():
            yield "person as changed", task.person
        case t.SetGroup():
            yield "group", task.group
            yield ("groups set",)
        case t.SetSpot(person=str(person)):
            yield "spot", "person", person
            yield ("moves",)
        case t.SetSpot():
            yield ("moves",)
            yield "spot", "number", task.e164 or ""
        case t.MoveNumber():
            yield "at its site", task.e164 or ""
        case t.AssignNumber():
            yield "assigned", task.e164 or ""
        case t.ListOnTrunk():
            yield "listed", task.e164 or ""
        case t.PublishPath():
            yield "path", task.path
            yield ("paths published",)
        case t.SetPath():
            yield "path of", task.e164 or ""
        case t.SetCallingRights():
            yield "rights", task.holder.id
        case t.SetAnswering():
            yield ("answers",)
        case t.SubmitPort():
            yield "port submitted", task.port
        case t.ActivatePort():
            yield ("switched",)
        case t.SetCallerId():
            yield ("caller ids",)
        case t.SetFallback():
            yield "fallback", task.e164 or ""
        case _:
            return


def wants(task: Any) -> Iterator[Thing]:
    n = task.e164 or ""
    if n and not isinstance(task, t.Bringing):
        yield "number", n
    if (holder := getattr(task, "holder", None)) is not None:
        yield "person", holder.id
    if isinstance(task, FOLLOWS):
        yield ("switched",)
    match task:
        case t.GrantLicence():
            yield "seats", task.product
        case t.ExchangeLicence():
            yield "seats", task.to
        case t.RevokeLicence():
            yield "given up", task.holder.kind.value, task.holder.id
        case t.ChangePerson(left=True):
            yield "given up", "person", task.person
            yield "seat given up", "person", task.person
            yield "person as changed", task.person
            yield ("groups set",)
            yield ("paths published",)
        case t.AdoptNumber() if task.holder:
            yield "licence", task.holder.kind.value, task.holder.id
            yield "spot", task.holder.kind.value, task.holder.id
        case t.SetSpot(person=str(person)):
            yield "person", person
            yield "person as changed", person
        case t.SetGroup():
            yield from (("person", member) for member in task.members)
        case t.AssignNumber():
            yield "licence", task.holder.kind.value, task.holder.id
            yield "given up", task.holder.kind.value, task.holder.id
            yield "person as changed", task.holder.id
            yield "free", n
            yield "at its site", n
            yield "spot", task.holder.kind.value, task.holder.id
            yield "spot", "number", n
            yield "rights", task.holder.id
        case t.SetSpot() if task.e164:
            yield "at its site", n
        case t.MoveNumber():
            yield "free", n
        case t.SetPath():
            yield "path", task.path
            yield "assigned", n
        case t.ActivatePort():
            yield "port submitted", task.port
            yield ("prepared",)
        case t.SetCallerId() if task.caller_id:
            yield "assigned", task.caller_id
        case t.UnassignNumber():
            yield ("caller ids",)
        case t.RegisterAddress() | t.TellPlace():
            yield "spot", "number", n
            yield "assigned", n
            yield ("moves",)
        case t.PlaceTestCall():
            yield "assigned", n
            yield "listed", n
            yield "path of", n
            yield ("answers",)
            yield ("caller ids",)
        case t.PublishPath():
            yield from (("person", key) for key in people_named(task.body.model_dump(mode="json")))
            yield ("groups set",)
        case t.ReleaseNumber():
            yield "free", n
            yield "unlisted", n
        case _:
            return


def arrange(tasks: Sequence[Any], needs_all: dict[str, tuple[str, ...]]) -> list[tuple[int, tuple[int, ...]]]:
    """Positions in running order, each with the positions that must be done before it.

    `needs_all` has each licence product's prerequisites. Raises NotUnderstood on a cycle, naming its tasks.
    """
    resolved = [resolve(task, tasks) for task in tasks]
    givers: dict[Thing, list[int]] = {}
    for position, task in enumerate(resolved):
        for thing in gives(task):
            givers.setdefault(thing, []).append(position)
    before = {i: _before(i, task, givers, needs_all) for i, task in enumerate(resolved)}
    before = _careful(resolved, before)
    sorter = TopologicalSorter(before)
    try:
        sorter.prepare()
    except CycleError as error:
        circle = ", ".join(str(i + 1) for i in error.args[1])
        raise NotUnderstood(f"Tasks {circle} wait for each other. Take one of them out.", field="tasks", reason="cycle") from error
    order: list[int] = []
    ready: list[int] = list(sorter.get_ready())
    while ready:
        ready.sort()
        following = ready.pop(0)
        order.append(following)
        sorter.done(following)
        ready += sorter.get_ready()
    return [(i, tuple(sorted(before[i]))) for i in order]


def _careful(resolved: Sequence[Any], before: dict[int, set[int]]) -> dict[int, set[int]]:
    """What a site gives up goes when all that its new number waits for is done, and once those who leave are gone: whoever calls for help
    meanwhile is rung back. Where that goes in a circle, as it was."""
    leaving = {i for i, task in enumerate(resolved) if isinstance(task, t.ChangePerson) and (task.left or task.site)}
    careful = dict(before)
    for i, task in enumerate(resolved):
        if isinstance(task, t.UnassignNumber) and task.holder and task.holder.kind is HolderKind.SITE:
            instead = [k for k, other in enumerate(resolved) if isinstance(other, t.AssignNumber) and other.holder == task.holder]
            careful[i] = (before[i] | leaving).union(*(before[k] for k in instead)) - {i}
    try:
        TopologicalSorter(careful).prepare()
    except CycleError:
        return before
    return careful


def _before(i: int, task: Any, givers: dict[Thing, list[int]], needs_all: dict[str, tuple[str, ...]]) -> set[int]:
    things = list(wants(task))
    if isinstance(task, t.GrantLicence):
        things += [("licence", task.holder.kind.value, task.holder.id, product) for product in needs_all.get(task.product, ())]
    if isinstance(task, t.ExchangeLicence):
        things += [("licence", task.holder.kind.value, task.holder.id, product) for product in needs_all.get(task.to, ())]
    if isinstance(task, t.RevokeLicence):  # what stands on a seat goes before it
        standing = [product for product, needed in needs_all.items() if task.product in needed]
        things += [("taken back", task.holder.kind.value, task.holder.id, product) for product in standing]
    before = {position for thing in things for position in givers.get(thing, ()) if position != i}
    number = getattr(task, "number", None)
    if isinstance(number, OutputOf):
        before.add(number.output_of)
    if isinstance(task, t.PutBackLater):
        before.add(task.task)
    return before


def moved(task: Any, place: Callable[[int], int]) -> Any:
    """The task with what it says of other tasks' positions as `place` maps them."""
    number = getattr(task, "number", None)
    if isinstance(number, OutputOf):
        return task.but(number=number.but(output_of=place(number.output_of)))
    if isinstance(task, t.PutBackLater):
        return task.but(task=place(task.task))
    return task


def leans_on(task: Any) -> int | None:
    """The position of another task that this one names, if it does."""
    number = getattr(task, "number", None)
    return number.output_of if isinstance(number, OutputOf) else task.task if isinstance(task, t.PutBackLater) else None
