"""Work orders that run from the form they were asked for in."""

from sedge.core.workorders.at_once import Review, review_needed
from sedge.services.context import Context
from sedge.services.workorders import order_running, order_views, runner


def run_if_clear(context: Context, key: str) -> Review | None:
    """Run a draft that passes every check, spends nothing and can be undone, and wait for what is
    due now; None then. Otherwise it stays a draft, and why somebody looks at it first is the
    answer. Raises NotFound, Forbidden, ChangedMeanwhile."""
    view = order_views.view_order(context, key)
    if view.report is None:
        return None
    tasks = [task.stored.body for task in view.tasks]
    if reason := review_needed(tasks, view.report, view.costs, overlaps=bool(view.overlaps)):
        return reason
    runner.finish(context, order_running.run(context, key, seen=view.seen))
    return None
