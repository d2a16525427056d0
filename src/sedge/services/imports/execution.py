"""Importing numbers, as the runner does it."""

from sedge.core.workorders import tasks as t
from sedge.services.carriers import reconciliation
from sedge.services.imports import number_files
from sedge.services.workorders.execution import do_plainly
from sedge.services.workorders.executors import Attempt, executes
from sedge.services.workorders.outcomes import Done, Outcome, Wait
from sedge.store.repositories.number_files import FileState


@executes(t.ImportNumbers)
def import_numbers(attempt: Attempt, task: t.ImportNumbers) -> Outcome:
    """A slice of the file at a time, so that everything else goes on beside it."""
    context, order = attempt.context, attempt.order
    file = number_files.bring_in_more(context, task.file, work_order=order.id, reason=order.reason)
    if file.state is FileState.DONE:
        return Done()
    rows, total = file.done.rows, max(file.total, file.done.rows)
    return Wait(context.now(), f"the rest of the file: row {rows:,} of about {total:,}")


@executes(t.AdoptNumber)
def adopt_number(attempt: Attempt, task: t.AdoptNumber) -> Outcome:
    """What its carrier lists is compared again at once."""
    outcome = do_plainly(attempt, task)
    if isinstance(outcome, Done):
        reconciliation.compare_soon(attempt.context)
    return outcome
