"""What the JSON interface answers in all areas alike: pages, amounts, moments, drafts."""

from datetime import datetime
from typing import Annotated, Any, Generic, TypeVar, overload

from pydantic import WithJsonSchema
from typing_extensions import TypedDict

from sedge.core.facts import Money
from sedge.store.repositories.workorders import WorkOrder

T = TypeVar("T")
JsonObject = dict[str, Any]
TaskOut = Annotated[JsonObject, WithJsonSchema({"$ref": "#/components/schemas/AnyTask"})]


class Page(TypedDict, Generic[T]):
    """A part of a list; `next` is where the following part begins, None at the end."""

    items: list[T]
    next: str | None


class MoneyOut(TypedDict):
    """An amount, rounded to the currency's smallest unit (ISO 4217)."""

    amount: str
    currency: str


class DraftedOut(TypedDict):
    """A work order that was just written: look at it, add its remedies, run it."""

    work_order: str
    no: int
    tasks: int


class OrderMadeOut(TypedDict):
    """The work order that does it."""

    work_order: str
    no: int


@overload
def moment(value: datetime) -> str: ...
@overload
def moment(value: None) -> None: ...
@overload
def moment(value: datetime | None) -> str | None: ...
def moment(value: datetime | None) -> str | None:
    """ISO 8601 with the offset."""
    return value.isoformat() if value else None


@overload
def money(value: Money) -> MoneyOut: ...
@overload
def money(value: None) -> None: ...
@overload
def money(value: Money | None) -> MoneyOut | None: ...
def money(value: Money | None) -> MoneyOut | None:
    """Rounded to the currency's smallest unit."""
    return {"amount": str(value.rounded().amount), "currency": value.currency} if value else None


def drafted_out(order: WorkOrder) -> DraftedOut:
    """A work order that was just written: look at it, add its remedies, run it."""
    return {"work_order": order.id, "no": order.no, "tasks": len(order.tasks)}
