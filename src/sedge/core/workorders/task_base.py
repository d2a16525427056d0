"""What all tasks have in common, and how they name numbers."""

from typing import Annotated

from pydantic import Field

from sedge.core.facts import Fact

E164 = Annotated[str, Field(pattern=r"^\+[1-9]\d{6,14}$", description="E.164: plus and digits")]
Name = Annotated[str, Field(min_length=1, max_length=80)]


class OutputOf(Fact):
    """The number that comes out of another task of the same work order: its `index`-th, from 0."""

    output_of: int = Field(ge=0, description="position of the other task, from 0")
    index: int = Field(default=0, ge=0)


NumberField = E164 | OutputOf


class AnyTask(Fact):
    """A task; those that are about one number have it in `number`."""

    @property
    def e164(self) -> str | None:
        number = getattr(self, "number", None)
        return number if isinstance(number, str) else None
