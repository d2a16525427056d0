"""How numbers will stand once a work order is done: who rings, what they may call, where help goes,
from when."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from sedge.core.callpaths.tracing.trace import EndingKind, World, trace_inbound
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.safety.emergency import emergency_test
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import Report


@dataclass(frozen=True)
class Aftermath:
    """How one number will stand once the work order is done."""

    shown: str
    rings: str
    somebody_answers: bool
    may_call: str
    help_to: str
    help_comes: bool
    works_from: str
    works_at_once: bool


def aftermath(bodies: list[Any], report: Report) -> Iterator[Aftermath]:
    """Who rings, what they may call, where help goes, from when it works: for the first numbers
    that are assigned."""
    estate = report.after
    assigned = [b.resolved(bodies) for b in bodies if isinstance(b, t.AssignNumber)]
    for task in assigned[:3]:
        number = estate.number(task.e164 or "")
        works = number.assignment.works_from if number.assignment else estate.now
        usable = max(works, number.usable_from or works)
        trace = trace_inbound(number.e164, usable, World(), estate.fork(usable))
        rings = [h.text for h in trace.happenings if h.step != "carrier"][:2]
        country = COUNTRIES[number.country].emergency[0]
        answer = emergency_test(number, country, estate)
        holder = estate.holder(task.holder)
        may = ", ".join(r.value for r in getattr(holder, "rights", ())) or "takes calls only"
        at_once = usable <= estate.now
        yield Aftermath(
            shown=number.shown,
            rings=" ".join(rings) or trace.ending.reason,
            somebody_answers=trace.ending.kind is EndingKind.ANSWERED,
            may_call=may,
            help_to=answer.broken[0] if answer.broken else answer.spot_words,
            help_comes=not answer.broken,
            works_from="at once" if at_once else f"about {estate.clock(usable)}",
            works_at_once=at_once,
        )
