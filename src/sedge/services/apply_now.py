"""Changes made at once, without the runner: what setting up, imports and the demo's past consist
of.

They go through the same reducer and the same saving as everything else.
"""

from collections.abc import Iterable, Sequence
from typing import Any

from sedge.core.estate import Change, Estate
from sedge.core.facts import Fact
from sedge.core.load_spec import LoadSpec
from sedge.core.records import SUBJECT_OF
from sedge.core.workorders.task_base import Task
from sedge.services.context import Context, Writing

CHUNK = 500


def add_records(context: Context, records: Iterable[Fact], *, reason: str = "") -> list[Any]:
    """New records, each with its ledger entry. Gives them back as stored."""
    changes = [_added(record) for record in records]
    stored: list[Any] = []
    for start in range(0, len(changes), CHUNK):
        with context.writing(reason=reason) as writing:
            stored += [c.after for c in writing.save(changes[start : start + CHUNK])]
    return stored


def _added(record: Any) -> Change:
    subject = SUBJECT_OF[type(record)]
    word = {
        "civic address": "address",
        "licence product": "product",
        "carrier account": "account",
        "call path": "path",
    }.get(subject, subject)
    action = "path.published" if word == "path" else f"{word.replace(' ', '-')}.added"
    return Change(subject=subject, id=record.id, action=action, after=record)


def apply_at_once(context: Context, tasks: Sequence[Task], *, reason: str = "") -> list[Change]:
    """Reduce and save tasks in order, in transactions of at most 500. Raises what the reducer
    raises; earlier chunks stay."""
    saved: list[Change] = []
    for start in range(0, len(tasks), CHUNK):
        with context.writing(reason=reason) as writing:
            saved += apply_in(writing, tasks[start : start + CHUNK], context)
    return saved


def apply_in(writing: Writing, tasks: Sequence[Any], context: Context) -> list[Change]:
    wanted = LoadSpec()
    for task in tasks:
        wanted = wanted | task.needs()
    estate = writing.estate(wanted)
    changes: list[Change] = []
    for task in tasks:
        made = task.apply(estate, context.new_id("task"))
        estate.absorb(made)
        changes += made
    return writing.save(changes)


def estate_of(context: Context, wanted: LoadSpec) -> Estate:
    with context.reading() as reading:
        return reading.estate(wanted)
