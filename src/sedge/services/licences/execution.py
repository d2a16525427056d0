"""Exchanging one licence for another, as the runner does it."""

from sedge.core.licences.reducers import granted, taken_back
from sedge.core.records import Grant, Product
from sedge.core.workorders import tasks as t
from sedge.services.workorders.executors import Attempt, executes, stopped
from sedge.services.workorders.outcomes import Done, Outcome, Wait, notify_of_outcomes


@executes(t.ExchangeLicence)
def exchange_licence(attempt: Attempt, task: t.ExchangeLicence) -> Outcome:
    """The new seat first; the old one is given back once the new one works."""
    estate = attempt.estate(task)
    new = next((g for g in estate.grants_of(task.holder) if g.product == task.to), None)
    name = estate.the(Product, task.to).name
    if new is None:
        if refused := stopped(task, estate):
            return refused
        given = granted(task.holder, task.to, estate, attempt.identity)
        notify_of_outcomes(attempt.context, given, estate)
        works = next(c.after.works_from for c in given if isinstance(c.after, Grant))
        old = estate.the(Product, task.product).name
        return Wait(
            works,
            f"{name} to work; {old} goes on until then",
            lambda w: granted(task.holder, task.to, w.estate(task.needs()), attempt.identity),
        )
    if new.works_from > estate.now:
        return Wait(new.works_from, f"{name} to work")
    notify_of_outcomes(attempt.context, taken_back(task.holder, task.product, estate), estate)
    return Done(
        lambda w: taken_back(task.holder, task.product, w.estate(task.needs())), new.works_from
    )
