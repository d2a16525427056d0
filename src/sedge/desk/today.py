"""Today: what needs doing, and nothing else. Each line leads to where it is done."""

from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy import exists, func, select

from sedge.core.access.roles import May, allowed
from sedge.core.facts import in_words
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.standing import Mark
from sedge.core.records import Account, Number, Person, Product, Spot, Subscription
from sedge.core.safety.spots import review_due
from sedge.desk import calls, safety
from sedge.desk.desk import Desk, Reading
from sedge.store import numbers as number_store
from sedge.store import tables, workorders
from sedge.store.numbers import Filter
from sedge.store.records import is_open
from sedge.store.workorders import OrderState

PROOFS_LOOKED_AT = 200


@dataclass(frozen=True)
class Todo:
    """One line: what, why it matters, where it is done."""

    mark: Mark
    what: str
    why: str
    href: str
    words: str


def todo(desk: Desk) -> list[Todo]:
    """What this member's role can do something about, most serious first. Where help would go wrong, everybody is told."""
    with desk.reading() as reading:
        wanting = number_store.page(reading.connection, Filter(attention=True), limit=500).numbers
        groups = (
            (May.LOOK, _emergency(reading, wanting)), (May.CHANGE_SAFETY, _nowhere(reading)), (May.CHANGE_ESTATE, _unlisted(wanting)),
            (May.LOOK, _trunks(reading)),
            (May.CHANGE_ESTATE, _work_orders(reading)), (May.SEE_MONEY, _money(reading)), (May.SEE_MONEY, _licences(reading)),
            (May.LOOK, _phones(reading)), (May.CHANGE_SAFETY, _reviews(reading)), (May.PLACE_TEST_CALL, _proofs(desk)),
        )  # fmt: skip
        lines = [line for asked, found in groups if allowed(desk.who.role, asked) for line in found]
    return sorted(lines, key=lambda line: [Mark.WRONG, Mark.WAITING, Mark.NONE, Mark.GOOD].index(line.mark))


def _emergency(reading: Reading, wanting: list[Number]) -> Iterator[Todo]:
    without = [n for n in wanting if n.spot is None]
    if without:
        first = without[0]
        yield Todo(
            Mark.WRONG,
            f"{_count(len(without), 'number')} in use without an emergency spot",
            f"A call for help from {first.national} would not say where to go.",
            "/numbers?attention=1",
            "Set the spots",
        )
    unregistered = safety.not_registered(reading)
    if unregistered:
        yield Todo(
            Mark.WRONG,
            f"{_count(len(unregistered), 'number')} registered elsewhere than where help must go",
            f"For {unregistered[0].national} the carrier would show the operator another place, or none.",
            "/safety",
            "Put it right",
        )


def _nowhere(reading: Reading) -> Iterator[Todo]:
    person = tables.person
    nowhere = reading.records.where(Person, person.c.departed.is_(False), person.c.spot.is_(None), order_by=person.c.name, limit=500)
    if nowhere:
        yield Todo(
            Mark.WAITING,
            f"{_count(len(nowhere), 'person')} without an emergency spot".replace("persons", "people"),
            f"{nowhere[0].name} can't be given a number until somebody says where help would find them.",
            "/safety",
            "Choose their spots",
        )


def _unlisted(wanting: list[Number]) -> Iterator[Todo]:
    unlisted = [n for n in wanting if n.trunk is None]
    if unlisted:
        yield Todo(
            Mark.WRONG,
            f"{_count(len(unlisted), 'number')} in use on no trunk's list",
            f"Calls to {unlisted[0].national} don't arrive.",
            "/numbers?attention=1",
            "Complete the list",
        )


def _trunks(reading: Reading) -> Iterator[Todo]:
    from sedge.core.records import Trunk

    for trunk in reading.records.all(Trunk):
        if not trunk.up:
            yield Todo(Mark.WRONG, f"{trunk.name} is down", "Calls in and out over it fail.", "/carriers", "Look at it")


def _work_orders(reading: Reading) -> Iterator[Todo]:
    for order in workorders.listing(reading.connection, states=(OrderState.FAILED,), limit=20):
        yield Todo(
            Mark.WRONG,
            f"Work order {order.no} failed: {order.title}",
            "It says why and what to do next.",
            f"/work-orders/{order.no}",
            "Look at it",
        )
    for order in workorders.listing(reading.connection, states=(OrderState.DRAFT,), limit=20):
        yield Todo(
            Mark.WAITING,
            f"Work order {order.no} is a draft: {order.title}",
            f"Written by {order.created_by}.",
            f"/work-orders/{order.no}",
            "Finish it",
        )


def _money(reading: Reading) -> Iterator[Todo]:
    for account in reading.records.all(Account):
        if account.prepaid and account.balance.amount <= account.low_mark.amount:
            yield Todo(
                Mark.WAITING,
                f"{account.name}: the balance is {in_words(account.balance)}",
                f"That is under the low mark of {in_words(account.low_mark)}. At zero the carrier stops service after some days.",
                "/carriers",
                "Look at the account",
            )


def _licences(reading: Reading) -> Iterator[Todo]:
    products = {p.id: p for p in reading.records.all(Product)}
    for subscription in reading.records.all(Subscription):
        product = products[subscription.product]
        if subscription.left <= 2 and not product.free:
            yield Todo(
                Mark.WAITING, f"{product.name}: {_count(subscription.left, 'seat')} left of {subscription.seats}", "The next people can't be given a number.",
                "/licences", "Look at the seats",
            )  # fmt: skip
        if subscription.trial_ends and (subscription.trial_ends - reading.now).days <= 30:
            yield Todo(
                Mark.WAITING,
                f"{product.name}: the trial ends {subscription.trial_ends:%-d %B}",
                "Its grants stop working then.",
                "/licences",
                "Look at it",
            )


def _reviews(reading: Reading) -> Iterator[Todo]:
    due = [s for s in reading.records.all(Spot) if review_due(s, reading.now)]
    if due:
        yield Todo(
            Mark.NONE,
            f"{_count(len(due), 'spot')} nobody has confirmed for a year",
            f"Among them {due[0].name} ({due[0].id}).",
            "/safety",
            "Confirm them",
        )


def _phones(reading: Reading) -> Iterator[Todo]:
    """Phones that no longer register, of people who have a number: calls to them go to the mailbox at once."""
    device, life, person = tables.device, tables.life, tables.person
    query = (
        select(device.c.person, person.c.name)
        .join(person, person.c.id == device.c.person)
        .where(device.c.registered.is_(False))
        .where(exists().where(life.c.holder_kind == "person", life.c.holder_id == device.c.person, is_open()))
        .distinct()
        .limit(200)
    )
    silent = reading.connection.execute(query.order_by(person.c.name)).all()
    if silent:
        first = silent[0]
        yield Todo(
            Mark.WAITING, f"{_count(len(silent), 'phone')} no longer registered", f"Calls to {first.name} go to the mailbox at once.",
            f"/holders/people/{first.person}", "Look at it",
        )  # fmt: skip


def _proofs(desk: Desk) -> Iterator[Todo]:
    stale = calls.proofs(desk, stale=True, limit=PROOFS_LOOKED_AT)
    if stale:
        first, _ = stale[0]
        national = describe(first.e164).national
        yield Todo(
            Mark.WAITING, f"{_count(len(stale), 'proof')} gone stale", f"Something on the way of calls to {national} has changed since.",
            f"/numbers/{first.e164[1:]}/test-call", "Prove again",
        )  # fmt: skip


def count(desk: Desk) -> int:
    """How many things there are to do, for the head of every page."""
    return desk.house.while_unchanged(desk.who.organisation, f"todo of a {desk.who.role}", lambda: len(todo(desk)))


def glance(desk: Desk) -> dict[str, int]:
    """Figures for the head of the page: running work orders; numbers in the estate."""
    with desk.reading() as reading:
        total = reading.connection.execute(select(func.coalesce(func.sum(tables.tally.c.count), 0))).scalar() or 0
        return {"running": workorders.running_count(reading.connection), "numbers": total}


def _count(n: int, thing: str) -> str:
    return f"{n} {thing}{'s' if n != 1 else ''}"
