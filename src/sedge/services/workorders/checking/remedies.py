"""Remedies added to tasks, and what tasks would then do: for a draft, and for work that is only
being looked at."""

from collections.abc import Sequence
from typing import Any

from sedge.core.workorders.checks import with_remedies
from sedge.services.context import Context
from sedge.services.workorders import workorders

ROUNDS = 6
Marks = list[int | None]


def add_all(
    context: Context,
    tasks: Sequence[Any],
    marks: Sequence[int | None] = (),
    *,
    awaits: str | None = None,
) -> tuple[list[Any], Marks]:
    """The tasks with every automatic remedy, until nothing more can be added by itself; for each
    the position of the task it is a remedy for, or None. `marks` are those the tasks have
    already."""
    bodies, known = list(tasks), list(marks) or [None] * len(tasks)
    for _ in range(ROUNDS):
        report = workorders.preview(context, bodies, awaits=awaits)
        mended, fresh = with_remedies(bodies, report)
        if mended == bodies:
            break
        old = {id(body): mark for body, mark in zip(bodies, known, strict=True)}
        known = [
            m if m is not None else _moved(old.get(id(task)), bodies, mended)
            for task, m in zip(mended, fresh, strict=True)
        ]
        bodies = mended
    return bodies, known


def _moved(mark: int | None, bodies: list[Any], mended: list[Any]) -> int | None:
    """An earlier round's mark, moved to where its task now stands."""
    if mark is None:
        return None
    return next((i for i, task in enumerate(mended) if task is bodies[mark]), None)
