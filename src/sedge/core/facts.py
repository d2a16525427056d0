"""The base of every record in the core: frozen, compared by value, written as canonical JSON.

Canonical JSON (sorted keys, UTC with microseconds, decimals as text) is what the ledger keeps and
what two estates are compared by; it must not change without a new `FORMAT`.
"""

import json
from datetime import UTC, datetime
from decimal import ROUND_HALF_UP, Decimal
from functools import lru_cache
from typing import Any, NamedTuple, Self

from babel import Locale
from babel.numbers import format_currency, format_decimal, get_currency_precision
from pydantic import BaseModel, ConfigDict

FORMAT = 1
ENGLISH = Locale("en", "GB")


class Fact(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    def copy_with(self, **changes: Any) -> Self:
        """The same record with other values. Values are taken as given, not validated again."""
        return self.model_copy(update=changes)


class Money(Fact):
    """An amount in one currency (ISO 4217), never a float."""

    amount: Decimal
    currency: str

    def __add__(self, other: "Money") -> "Money":
        if self.currency != other.currency:
            raise ValueError(f"{self.currency} and {other.currency} cannot be added")
        return Money(amount=self.amount + other.amount, currency=self.currency)

    def __sub__(self, other: "Money") -> "Money":
        return self + other.times(-1)

    def times(self, factor: int | Decimal) -> "Money":
        return Money(amount=self.amount * factor, currency=self.currency)

    def rounded(self) -> "Money":
        """To the currency's minor unit (ISO 4217), half up."""
        return Money(
            amount=self.amount.quantize(
                Decimal(1).scaleb(-digits_of(self.currency)), ROUND_HALF_UP
            ),
            currency=self.currency,
        )


SHOWN_IN = "en"  # the language of the interface
MINUS = "−"


@lru_cache
def digits_of(currency: str) -> int:
    """Digits after the point of a currency's minor unit (ISO 4217, from CLDR): 2 for GBP, 0 for
    JPY, 3 for KWD."""
    return get_currency_precision(currency)


@lru_cache(4096)
def in_currency(amount: Decimal, currency: str) -> str:
    """`£3.10`, `−€1,200.00`, `¥500`, `CHF 3.10`: as the interface shows amounts."""
    words = format_currency(amount, currency, locale=SHOWN_IN).replace("\xa0", "")
    return words.replace("-", MINUS).replace(currency, f"{currency} ")


def in_words(value: Money) -> str:
    """`£3.10`, `−£1,200.00`; a currency without a sign of its own by its ISO 4217 code."""
    rounded = value.rounded()
    return in_currency(rounded.amount, rounded.currency)


class MailFile(NamedTuple):
    """A file that goes with a letter."""

    name: str
    media_type: str
    content: bytes


def counted(n: int, thing: str) -> str:
    """`1 number`, `1,200 numbers`, by the plural rules of the language (CLDR)."""
    plural = "" if ENGLISH.plural_form(n) == "one" else "s"
    return f"{format_decimal(n, locale=ENGLISH)} {thing}{plural}"


def money(amount: str | int | Decimal, currency: str) -> Money:
    return Money(amount=Decimal(amount), currency=currency)


def to_canonical_json(record: object) -> str:
    """Canonical JSON of a record, a list of records or plain data."""
    return json.dumps(_plain(record), sort_keys=True, separators=(",", ":"), ensure_ascii=False)


def to_compact_json(record: BaseModel) -> str:
    """As `to_canonical_json`, without the fields that hold what a record has from the start:
    reading gives them again."""
    fields = type(record).model_fields
    held = {name: getattr(record, name) for name in fields}
    return to_canonical_json(
        {
            name: value
            for name, value in held.items()
            if value != fields[name].get_default(call_default_factory=True)
        }
    )


def _plain(value: Any) -> Any:
    match value:
        case BaseModel():
            return {name: _plain(getattr(value, name)) for name in type(value).model_fields}
        case datetime():
            return value.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")
        case Decimal():
            return format(value, "f")
        case dict():
            return {str(key): _plain(item) for key, item in value.items()}
        case list() | tuple():
            return [_plain(item) for item in value]
        case set() | frozenset():
            return sorted(_plain(item) for item in value)
        case str() | int() | bool() | None:
            return value
        case _:
            return str(value)
