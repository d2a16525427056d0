"""What all tasks have in common, and how they name numbers."""

from typing import Annotated, Any, ClassVar

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.facts import Fact

E164 = Annotated[str, Field(pattern=r"^\+[1-9]\d{6,14}$", description="E.164: plus and digits")]
Name = Annotated[str, Field(min_length=1, max_length=80)]


class OutputOf(Fact):
    """The number that comes out of another task of the same work order: its `index`-th, from 0."""

    output_of: int = Field(ge=0, description="position of the other task, from 0")
    index: int = Field(default=0, ge=0)


NumberField = E164 | OutputOf


NOTHING_MORE: frozenset[May] = frozenset()


class AnyTask(Fact):
    """A task; those that are about one number have it in `number`.

    `takes` is what somebody must be allowed beyond planning and running work orders, asked whenever a work order with such
    a task is drafted, changed, run, rescheduled, undone or discarded. Every kind names it: one that does not can't be defined.
    """

    takes: ClassVar[frozenset[May]]

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        super().__pydantic_init_subclass__(**kwargs)
        if "takes" not in cls.__dict__:
            raise TypeError(f"{cls.__name__} does not name the permissions it takes")

    def together(self, other: Any) -> Any:
        """One task that does what both do, where two remedies of one kind add up; None where each stands for itself."""
        return None

    @property
    def e164(self) -> str | None:
        number = getattr(self, "number", None)
        return number if isinstance(number, str) else None
