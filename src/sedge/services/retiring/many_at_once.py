"""Retiring many numbers that were chosen in the list."""

from collections.abc import Sequence

from sedge.core.workorders.task_base import Task
from sedge.services.context import Context
from sedge.services.numbers.bulk_actions import plans_many
from sedge.services.retiring import retiring


@plans_many("retire")
def retire_many(context: Context, numbers: Sequence[str], form: dict[str, str]) -> list[Task]:
    """Each taken back, with what depends on it settled; released where the form says so."""
    then = "release" if form.get("release") else "keep"
    rest = retiring.days_of_rest(form.get("rest", ""))
    return retiring.many(context, numbers, then=then, rest=rest)
