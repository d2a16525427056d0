"""Drafts that were only a look: written to see the checks, and not meant to stay.

A look becomes a draft like others once somebody keeps, changes, names, times or comments on it.
Until then it goes by itself: when whoever wrote it looks at the same thing another way, or after
three days.
"""

from dataclasses import replace
from datetime import datetime, timedelta

from sedge.core.records import Subject
from sedge.core.workorders.life import OrderEvent, OrderState, next_state
from sedge.services.context import Context, Writing
from sedge.services.periodic import periodic
from sedge.services.workorders.loading import load
from sedge.services.workorders.order_access import require_order
from sedge.store.projections import order_subjects
from sedge.store.repositories import workorders as store
from sedge.store.repositories.workorders import WorkOrder

NAME = "looks tidied"
STAYS = timedelta(days=3)
ASKED_AT = timedelta(hours=3)  # after midnight


def goes_at(order: WorkOrder) -> datetime | None:
    """When a look goes by itself; None for every other work order."""
    return order.created_at + STAYS if order.is_look and order.state is OrderState.DRAFT else None


def keep_draft(context: Context, key: str) -> WorkOrder:
    """Keep a draft until it is run or discarded."""
    with context.writing() as writing:
        order = store.get(writing.connection, key)
        require_order(context, writing, order, lambda: load(writing, [x.body for x in order.tasks]))
        return kept(writing, order)


def kept(writing: Writing, order: WorkOrder) -> WorkOrder:
    """The order as one that stays, saved where it was a look."""
    return store.save(writing.connection, replace(order, is_look=False)) if order.is_look else order


def supersede(writing: Writing, fresh: WorkOrder) -> None:
    """Discard the earlier looks of the same author with the same kinds of tasks for something that
    the fresh one is about too."""
    things, kinds = set(order_subjects.things_of([x.body for x in fresh.tasks])), _kinds(fresh)
    for header in store.looks(writing.connection, author=fresh.author):
        earlier = store.get(writing.connection, header.id)
        if earlier.id == fresh.id or _kinds(earlier) != kinds:
            continue
        if things & set(order_subjects.things_of([x.body for x in earlier.tasks])):
            _drop(
                writing,
                replace(earlier, superseded_by=fresh.no),
                f"superseded by work order {fresh.no}",
            )


def _kinds(order: WorkOrder) -> list[str]:
    return sorted(x.body.kind for x in order.tasks if x.added_as_remedy_for is None)


def _drop(writing: Writing, order: WorkOrder, why: str) -> None:
    store.save(
        writing.connection,
        replace(order, state=next_state(order.state, OrderEvent.DISCARD), finished_at=writing.now),
    )
    writing.record_event(
        "work-order.discarded",
        Subject.WORK_ORDER,
        order.id,
        f"{order.no} {order.title}",
        {"why": why},
    )


def tidy(context: Context) -> int:
    """Discard the looks whose time is over; how many."""
    with context.writing() as writing:
        old = [x for x in store.looks(writing.connection) if x.created_at + STAYS <= writing.now]
        for order in old:
            _drop(writing, order, "only looked at")
    return len(old)


@periodic(NAME)
def tidy_nightly(context: Context) -> int:
    return context.installation.nightly(
        context.who.organisation, NAME, ASKED_AT, lambda: (tidy(context.as_system()), True)
    )
