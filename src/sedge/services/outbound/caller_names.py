"""The name shown with a number's calls in North America: the one its carrier was told, one that
would suit, and a work order for another."""

from dataclasses import dataclass

from sedge.core.errors import NotUnderstood
from sedge.core.outbound.caller_name import CNAM, LONGEST_NAME, fitting_name
from sedge.core.records import Number
from sedge.core.workorders import tasks as t
from sedge.services.context import Context
from sedge.services.workorders import workorders
from sedge.store.repositories.workorders import WorkOrder


@dataclass(frozen=True)
class CallerNameRow:
    """The name that the carrier was told to show with calls, and one that would suit."""

    said: str
    suits: str


def caller_name_of(context: Context, number: Number) -> CallerNameRow | None:
    """None where the carrier keeps no names for it."""
    if CNAM not in number.features:
        return None
    with context.reading() as reading:
        held = [(number.holder.subject, number.holder.id)] if number.holder else []
        holder = next(iter(reading.records.names(held).values()), "")
    return CallerNameRow(number.caller_name, fitting_name(number.label or holder))


def draft_caller_name(context: Context, e164: str, name: str) -> WorkOrder:
    """A work order that has the carrier show a name with calls. Raises NotFound; NotUnderstood for
    a name that carriers don't take."""
    plain = " ".join(name.split())
    if plain != fitting_name(plain):
        message = (
            f"A caller name has at most {LONGEST_NAME} letters, digits, spaces and . , ' & -, such"
            f" as “{fitting_name(plain)}”."
        )
        raise NotUnderstood(message, field="name", reason="caller-name")
    with context.reading() as reading:
        number = reading.records.the(Number, e164)
    task = t.SetCallerName(number=number.e164, name=plain)
    return workorders.draft(context, f"Caller name of {number.shown}", [task], look=True)
