"""What Today tells of licences, money, people, phones and work."""

from collections.abc import Iterator
from datetime import timedelta

from sqlalchemy import exists, select

from sedge.core.carriers.account_topup import is_low
from sedge.core.facts import in_words
from sedge.core.numbers.card_facts import Mark
from sedge.core.numbers.e164 import describe
from sedge.core.records import Spot
from sedge.core.safety.spots import review_due
from sedge.core.workorders.life import OrderState
from sedge.services.callpaths import calls
from sedge.services.carriers import balances
from sedge.services.context import Context, Reading
from sedge.services.holders import directory_proposals
from sedge.services.licences import licences
from sedge.services.supply import arrival_files, documents
from sedge.services.todo import Todo, how_many
from sedge.services.workorders.checking import check_catalogue
from sedge.store.repositories import workorders
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

MOST_FILES = 5


CHARGES_SOON_DAYS = 31  # always reaches the first of the next month
TOLD_ALREADY = {
    "assignment.dispatchable-spot",
    "assignment.on-trunk-list",
    "assignment.address-registered",
    "assignment.holder-is-here",
}


def work_order_lines(reading: Reading) -> Iterator[Todo]:
    for order in workorders.list_orders(reading.connection, states=(OrderState.FAILED,), limit=20):
        yield Todo(
            Mark.WRONG,
            f"Work order {order.no} failed: {order.title}",
            "It says why and what to do next.",
            f"/work-orders/{order.no}",
            "View work order",
        )
    drafts = [
        x
        for x in workorders.list_orders(reading.connection, states=(OrderState.DRAFT,), limit=200)
        if not x.is_look
    ]
    if len(drafts) == 1:
        only = drafts[0]
        title = f"Work order {only.no} is a draft: {only.title}"
        yield Todo(
            Mark.WAITING,
            title,
            f"Written by {only.created_by}.",
            f"/work-orders/{only.no}",
            "Continue",
        )
    elif drafts:
        titles = ", ".join(x.title for x in drafts[:3]) + (" and more" if len(drafts) > 3 else "")
        yield Todo(
            Mark.WAITING,
            f"{len(drafts)} work orders are drafts",
            f"{titles}.",
            "/work-orders?state=draft",
            "View drafts",
        )


def directory_lines(context: Context) -> Iterator[Todo]:
    """What the directory proposes, by kind; somebody must take it over, nothing is changed by
    itself."""
    words = {
        "leaver": (
            "has left",
            "have left",
            "Their numbers and licences cost money until somebody offboards them.",
        ),
        "mover": (
            "has moved",
            "have moved",
            "An emergency call would send responders to where they were.",
        ),
        "joiner": ("joins", "join", "They have no phone and no number yet."),
        "changed": (
            "has other details",
            "have other details",
            "Names, departments or extensions differ.",
        ),
        "group": ("group differs", "groups differ", "Others answer than the directory says."),
    }
    found: dict[str, list[str]] = {}
    for one in directory_proposals.proposals(context):
        found.setdefault(one.proposal.kind.value, []).append(one.proposal.name)
    for kind, names in found.items():
        singular, plural, why = words[kind]
        what = (
            f"{len(names)} {singular if len(names) == 1 else plural}"
            if kind == "group"
            else (f"{how_many(len(names), 'person')} {singular if len(names) == 1 else plural}")
        )
        mark = Mark.WRONG if kind == "leaver" else Mark.WAITING
        yield Todo(
            mark,
            f"Directory: {what}",
            f"{names[0]}{f' and {len(names) - 1} more' if len(names) > 1 else ''}. {why}",
            "/holders/directory",
            "View changes",
        )


def check_lines(context: Context) -> Iterator[Todo]:
    """What the nightly checks found, by rule; what other lines of Today tell already is not told
    twice."""
    for rule in check_catalogue.catalogue(context):
        if rule.stops + rule.warnings and rule.name not in TOLD_ALREADY:
            found, _ = check_catalogue.findings(context, rule.name, limit=1)
            yield Todo(
                Mark.WRONG if rule.stops else Mark.WAITING,
                f"{how_many(rule.stops + rule.warnings, 'finding')}:"
                f" {rule.why.partition('.')[0][:1].lower()}{rule.why.partition('.')[0][1:]}",
                f"{found[0].name}: {found[0].message}",
                f"/checks/{rule.name}",
                "View findings",
            )


def paper_lines(context: Context) -> Iterator[Todo]:
    """Papers that a carrier does not take: the order waits until another is sent."""
    for order, paper in documents.rejected(context):
        yield Todo(
            Mark.WRONG,
            f"Order {order.reference}: the {paper.paper} was rejected",
            f"{paper.reason[:1].upper()}{paper.reason[1:]}.",
            f"/supply/orders/{order.id}",
            "Send another document",
        )


def arrival_lines(context: Context) -> Iterator[Todo]:
    """Files of arrivals that could not be taken in."""
    for file in arrival_files.refused(context)[:MOST_FILES]:
        yield Todo(
            Mark.WRONG,
            f"The arrivals in {file.name} were not taken in",
            f"{file.why} It lies in {file.where}; remove it there once it is dealt with.",
            "/supply",
            "View orders",
        )


def money_lines(context: Context) -> Iterator[Todo]:
    """Prepaid accounts at their low mark, or that won't cover a charge of the next month."""
    soon = context.now().date() + timedelta(days=CHARGES_SOON_DAYS)
    for outlook in balances.outlooks(context).values():
        account, ahead = outlook.account, outlook.runway
        if account.suspended_since:
            yield Todo(
                Mark.WRONG,
                f"{account.name} is suspended",
                f"Nothing gets through to {how_many(outlook.numbers, 'number')} until money is paid"
                f" in: the balance is {in_words(account.balance)}.",
                f"/carriers/accounts/{account.id}",
                "Deposit",
            )
        elif account.prepaid and is_low(account):
            yield Todo(
                Mark.WAITING,
                f"{account.name}: the balance is {in_words(account.balance)}",
                (
                    f"That is under the low mark of {in_words(account.low_mark)}. "
                    if account.low_mark.amount
                    else ""
                )
                + "At zero the carrier stops service after some days.",
                f"/carriers/accounts/{account.id}",
                "View account",
            )
        elif ahead and ahead.empty_on and ahead.empty_on <= soon:
            yield Todo(
                Mark.WAITING,
                f"{account.name}: the charge of {ahead.empty_on:%-d %B} is not covered",
                f"{in_words(outlook.monthly)} a month for {how_many(outlook.numbers, 'number')},"
                f" and the balance is {in_words(account.balance)}.",
                f"/carriers/accounts/{account.id}",
                "View account",
            )


def licence_lines(context: Context) -> Iterator[Todo]:
    for pool in licences.pools(context):
        product = pool.product
        if pool.is_short and not product.entitlement:
            soon = (
                f" At the present pace the last goes {pool.short_on:%-d %B}."
                if pool.short_on and pool.left
                else ""
            )
            yield Todo(
                Mark.WAITING,
                f"{product.name}: {how_many(pool.left, 'seat')} left of {pool.bought}",
                f"The next people can't be given a number.{soon}",
                f"/licences/{product.id}",
                "View seats",
            )
        if pool.ends:
            trial, days = pool.ends
            yield Todo(
                Mark.WRONG if days <= 1 else Mark.WAITING,
                f"{product.name}: the trial ends {trial.trial_ends:%-d %B}",
                f"{how_many(trial.used, 'holder')} would lose it then; buying seats keeps them on.",
                f"/licences/{product.id}",
                "Review trial",
            )


def review_lines(reading: Reading) -> Iterator[Todo]:
    due = [s for s in reading.records.all(Spot) if review_due(s, reading.now)]
    if due:
        yield Todo(
            Mark.NONE,
            f"{how_many(len(due), 'spot')} nobody has confirmed for a year",
            f"Among them {due[0].name} ({due[0].id}).",
            "/safety",
            "Confirm spots",
        )


def phone_lines(reading: Reading) -> Iterator[Todo]:
    """Phones that no longer register, of people who have a number: calls to them go to the mailbox
    at once."""
    device, life, person = tables.device, tables.life, tables.person
    query = (
        select(device.c.person, person.c.name)
        .join(person, person.c.id == device.c.person)
        .where(device.c.registered.is_(False))
        .where(
            exists().where(
                life.c.holder_kind == "person", life.c.holder_id == device.c.person, is_open()
            )
        )
        .distinct()
        .limit(200)
    )
    silent = reading.connection.execute(query.order_by(person.c.name)).all()
    if silent:
        first = silent[0]
        yield Todo(
            Mark.WAITING,
            f"{_people(len(silent))} whose phone is not registered",
            f"Calls to {first.name} go to the mailbox at once.",
            f"/holders/people/{first.person}",
            "View phone",
        )


def test_call_lines(context: Context) -> Iterator[Todo]:
    stale = calls.proofs(context, stale=True)
    if stale:
        first, _ = stale[0]
        national = describe(first.e164).shown
        yield Todo(
            Mark.WAITING,
            f"{how_many(len(stale), 'test call')} outdated",
            f"Something on the way of calls to {national} has changed since.",
            f"/numbers/{first.e164[1:]}/test-call",
            "Test again",
        )


def _people(n: int) -> str:
    return "1 person" if n == 1 else f"{n:,} people"
