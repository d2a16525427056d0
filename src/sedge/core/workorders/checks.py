"""Checking a work order: every rule on every task, against the estate as it will be at that
point."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from sedge.core.errors import SedgeError
from sedge.core.estate import Change, Estate
from sedge.core.facts import Money
from sedge.core.licences.tasks import seat_price
from sedge.core.numbers.life import State
from sedge.core.records import HolderRef, Number, Product, Subject, Subscription
from sedge.core.supply.reducers import as_delivered
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, Level, Remedy, stop
from sedge.core.workorders.plan import arrange
from sedge.core.workorders.rules.catalogue import RULES
from sedge.core.workorders.task_base import Task

SETTLED_LATER = {
    "assignment.line-has-path",
    "assignment.address-registered",
    "spot.registered-too",
    "person.spot-after-move",
}
AT_THE_END = {
    "life.help-rings-back"
}  # judged by how the whole work order leaves the estate, whatever it was at that point


@dataclass(frozen=True)
class Report:
    """`after` is the projected estate once all tasks are done; `order` the running order with what
    each waits for; `changes` all that the tasks would change."""

    findings: list[Finding]
    after: Estate
    order: list[tuple[int, tuple[int, ...]]] = field(default_factory=list)
    changes: list[Change] = field(default_factory=list)

    @property
    def stops(self) -> list[Finding]:
        return [f for f in self.findings if f.level is Level.STOP]

    @property
    def warnings(self) -> list[Finding]:
        return [f for f in self.findings if f.level is Level.WARN]

    @property
    def passes(self) -> list[Finding]:
        return [f for f in self.findings if f.level is Level.PASS]

    @property
    def runnable(self) -> bool:
        return not self.stops


def check(tasks: Sequence[Task], estate: Estate, *, awaits: str | None = None) -> Report:
    """Findings of all tasks in running order. Finding.task is the position in `tasks`; `awaits` is
    an order whose numbers will have arrived before anything begins. Raises NotUnderstood on a
    cycle."""
    order = arrange(tasks, {p.id: p.prerequisites for p in estate.all(Product)})
    world = estate.fork()
    if awaits:
        world.absorb(
            [
                as_delivered(
                    Change(subject=Subject.NUMBER, id=n.e164, action="", before=n, after=n)
                )
                for n in _awaited(awaits, world)
            ]
        )
    findings: list[Finding] = []
    changes: list[Change] = []
    for position, _before in order:
        task = tasks[position].resolved(tasks)
        found = [replace(f, task=position) for f in judge(task, world)]
        findings += found
        try:
            made = task.project(world, f"task-{position}")
            world.absorb(made)
            changes += made
        except SedgeError as error:
            if not any(f.level is Level.STOP for f in found):
                findings.append(replace(stop(error.message), rule="life.allowed", task=position))
    return Report([_seen_from_the_end(f, tasks, world) for f in findings], world, order, changes)


def _awaited(order: str, estate: Estate) -> list[Number]:
    return [n for n in estate.all(Number) if n.order == order and n.state is State.ON_ORDER]


def _seen_from_the_end(finding: Finding, tasks: Sequence[Task], world: Estate) -> Finding:
    """What a later task of the same work order settles is no finding; what depends on all of them
    is judged once more."""
    if finding.rule in AT_THE_END:
        again = RULES[finding.rule][1](tasks[finding.task].resolved(tasks), world)
        return replace(again, rule=finding.rule, task=finding.task) if again else finding
    if finding.is_pass or finding.rule not in SETTLED_LATER:
        return finding
    try:
        again = RULES[finding.rule][1](tasks[finding.task].resolved(tasks), world)
    except SedgeError:
        return finding
    return (
        replace(again, rule=finding.rule, task=finding.task)
        if again and again.level is Level.PASS
        else finding
    )


def judge(task: Task, estate: Estate) -> list[Finding]:
    """Every rule that concerns the task."""
    findings: list[Finding] = []
    for name, (kind, rule) in RULES.items():
        if not isinstance(task, kind):
            continue
        try:
            finding = rule(task, estate)
        except SedgeError as error:
            finding = stop(error.message)
        if finding and finding.level is Level.WARN and name in estate.raised:
            finding = replace(finding, level=Level.STOP)
        if finding:
            findings.append(replace(finding, rule=name))
        if finding and finding.level is Level.STOP and task.lacks_its_number(estate):
            break
    return findings


def judge_amid(task: Task, rest: Sequence[Task], estate: Estate) -> list[Finding]:
    """Every rule on a task about to run; those judged by how the whole work order leaves the estate
    see the `rest` of it as done."""
    now = [f for f in judge(task, estate) if f.rule not in AT_THE_END]
    return now + [
        f for f in check([task, *rest], estate).findings if f.task == 0 and f.rule in AT_THE_END
    ]


def with_remedies(tasks: Sequence[Task], report: Report) -> tuple[list[Task], list[int | None]]:
    """The tasks with every automatic remedy of a stop or a warning added or put in place.

    Returns the new tasks and, for each, the position (among the new ones) of the task it is a
    remedy for, or None.
    """
    chosen: dict[int, list[Remedy]] = {}
    for finding in (*report.stops, *report.warnings):
        remedy = next((r for r in finding.remedies if r.automatic), None)
        if remedy:
            chosen.setdefault(finding.task, []).append(remedy)
    replacements = {i: [r for r in remedies if r.replaces] for i, remedies in chosen.items()}
    if any(
        replacements.values()
    ):  # another number or role may make further remedies needless, so these come first
        mended = list(tasks)
        for position, remedies in replacements.items():
            for remedy in remedies:
                mended = replaced(
                    mended, position, _merged(mended[position], tasks[position], remedy.tasks[0])
                )
        return mended, [None] * len(mended)
    out: list[Task] = []
    marks: list[int | None] = []
    places: dict[int, int] = {}
    fresh: list[int] = []  # where the remedies of this round stand
    for position, task in enumerate(tasks):
        added = [a for r in chosen.get(position, []) for a in r.tasks]
        added = [
            a
            for i, a in enumerate(added)
            if a not in added[:i] and not _joined(a, out, fresh) and a not in out
        ]
        fresh += range(len(out), len(out) + len(added))
        place = len(out) + len(added)
        places[position] = place
        out += [*added, task]
        marks += [*([place] * len(added)), None]
    return [task.moved(places.__getitem__) for task in out], marks


def _joined(remedy: Task, out: list[Task], fresh: Sequence[int]) -> bool:
    """Whether a remedy has been added to an earlier one of its kind: five seats are bought at once,
    not one after another."""
    for place in fresh:
        if (both := out[place].together(remedy)) is not None:
            out[place] = both
            return True
    return False


def replaced(tasks: Sequence[Task], position: int, task: Task) -> list[Task]:
    """The tasks with another one at `position`; where its number changed, those that meant the old
    number follow."""
    old, new = tasks[position].e164, task.e164
    out = list(tasks)
    out[position] = task
    if old and new and old != new:
        follows = [
            x.e164 == old and not x.may_be_new and not isinstance(x, t.UnassignNumber) for x in out
        ]
        out = [
            x.copy_with(number=new) if follow else x for x, follow in zip(out, follows, strict=True)
        ]
    return out


def _merged(current: Task, original: Task, replacement: Task) -> Task:
    """Two replacements of one task (another number, another role) both count."""
    changes = {
        name: getattr(replacement, name)
        for name in type(original).model_fields
        if getattr(replacement, name, None) != getattr(original, name)
    }
    return current.copy_with(**changes)


@dataclass(frozen=True)
class Costs:
    """What is paid more each month and once, by currency. A seat is paid for from when it is bought
    until its term ends, whoever has it: `paid_already` are the prices of those that are granted
    from the seats there are, `stays_paid` of those that come free and go on. `later` are monthly
    changes that begin at a moment of their own, as when the term of seats is over."""

    monthly: dict[str, Money]
    once: dict[str, Money]
    later: list[tuple[datetime, Money]] = field(default_factory=list)
    paid_already: dict[str, Money] = field(default_factory=dict)
    stays_paid: dict[str, Money] = field(default_factory=dict)


def totals(tasks: Sequence[Task], estate: Estate) -> Costs:
    found = Costs({}, {})
    taken: Counter[str] = Counter()
    bought: Counter[str] = Counter()
    paid = {s.product for s in estate.all(Subscription) if not s.is_trial and not s.ended}
    for task in tasks:
        for (product, holder), seats in _seats_taken(task).items():
            price, usual = (
                seat_price(product, holder, estate),
                estate.the(Product, product).monthly,
            )
            if product in paid and price.currency != usual.currency:
                _add(found.monthly, price.times(seats))
                _add(found.monthly, usual.times(-seats))
            else:
                taken[product] += seats
        if isinstance(task, t.BuySeats):
            bought[task.product] += task.seats
        if not _seats_taken(task):
            monthly, once, begins = task.resolved(tasks).costs(estate)
            _add(found.once, once)
            if monthly is not None and begins is not None and begins > estate.now:
                found.later.append((begins, monthly))
            else:
                _add(found.monthly, monthly)
    for key, seats in taken.items():
        if key not in paid:
            continue  # seats on trial cost nothing
        price = estate.the(Product, key).monthly
        _add(found.paid_already, price.times(max(0, seats - bought[key])))
        _add(found.stays_paid, price.times(max(0, -seats)))
    return replace(found, monthly={c: sums for c, sums in found.monthly.items() if sums.amount})


def _seats_taken(task: Task) -> dict[tuple[str, HolderRef], int]:
    """Of which products a task takes a seat for whom that somebody pays for, or (below 0) leaves
    one."""
    match task:
        case t.GrantLicence():
            return {(task.product, task.holder): 1}
        case t.RevokeLicence():
            return {(task.product, task.holder): -1}
        case t.ExchangeLicence():
            return {(task.to, task.holder): 1, (task.product, task.holder): -1}
    return {}


def _add(total: dict[str, Money], amount: Money | None) -> None:
    if amount is not None and amount.amount:
        had = total.get(amount.currency)
        total[amount.currency] = had + amount if had else amount
