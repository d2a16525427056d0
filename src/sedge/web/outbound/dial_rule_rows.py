"""Rows of dial rules in a form: each column comes as a list, a row is read as its model."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Generic, TypeVar

from fastapi import Form
from pydantic import BaseModel, ValidationError

from sedge.core.errors import NotUnderstood
from sedge.core.outbound.dialling.trade_patterns import Notation

Column = Annotated[list[str], Form()]
Rule = TypeVar("Rule", bound=BaseModel)
NOTATIONS = [
    ("", "automatic"),
    (Notation.DIGIT_MAP.value, "digit map (RFC 3435)"),
    (Notation.UNDERSCORE.value, "_9NXX. letters"),
    (Notation.BAR.value, "9|NXX. prefix and bar"),
    (Notation.REGEX.value, "^9(\\d+)$ expression"),
]
WANTED = {
    "strip": "type how many keys are taken off, 0 to 30",
    "before": "type digits, * or #, with a plus in front if need be",
    "name": "type at most 60 characters",
    "pattern": "type at most 400 characters",
}


@dataclass(frozen=True)
class RowsTyped(Generic[Rule]):
    """The rows of a form that are filled in, each with its place; `sent` is False where the form
    itself was not, which is not the same as one without rules."""

    rules: list[Rule]
    places: list[int]
    sent: bool


def rows_typed(model: type[Rule], columns: Mapping[str, list[str]]) -> RowsTyped[Rule]:
    """The rows as they are typed. Raises NotUnderstood."""
    if len({len(column) for column in columns.values()}) > 1:
        raise NotUnderstood("The rows of the form don't fit together. Load the page again.")
    asked, places = [], []
    for i, row in enumerate(zip(*columns.values(), strict=True)):
        fields = dict(zip(columns, (cell.strip() for cell in row), strict=True))
        if not fields["name"] and not fields["pattern"]:
            continue
        if not fields["pattern"]:
            message = f"“{fields['name']}” has no pattern: type the digits that it takes."
            raise NotUnderstood(message, field=f"rules.{i}.pattern", reason="missing")
        way, keys = fields["notation"] or None, fields["strip"] or 0
        try:
            asked.append(model.model_validate({**fields, "notation": way, "strip": keys}))
        except ValidationError as wrong:
            field = str(wrong.errors()[0]["loc"][0])
            wanted = WANTED.get(field, "choose from the list")
            message = f"“{fields.get(field, '')}” can't be used here: {wanted}."
            raise NotUnderstood(message, field=f"rules.{i}.{field}") from None
        places.append(i)
    return RowsTyped(asked, places, sent=any(columns.values()))
