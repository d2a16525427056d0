"""Rows of rate decks, whatever their columns are called."""

import re
from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal, InvalidOperation

from sedge.core.errors import NotUnderstood
from sedge.core.imports.fields import normal, plain_cell
from sedge.core.spend.rates.rate_decks import ALWAYS, FOREVER, MOST_PREFIX, Rate, money_of, price_of

FIELDS = {
    "prefix": "Prefix",
    "price": "Price a minute",
    "name": "Destination",
    "fee": "Connection fee",
    "minimum": "Minimum charge",
    "steps": "Increments",
    "first": "First seconds",
    "step": "Steps of seconds",
    "since": "In force from",
    "until": "In force until",
    "currency": "Currency",
}
WORDS = {
    "prefix": ("prefix", "code", "dial code", "digits", "vorwahl", "destination code"),
    "price": (
        "price",
        "rate",
        "price a minute",
        "price per minute",
        "per minute",
        "rate per minute",
        "minute",
        "preis",
        "cost",
    ),
    "name": ("destination", "name", "country", "description", "ziel"),
    "fee": ("connection fee", "fee", "set up fee", "setup", "connect fee", "verbindungsentgelt"),
    "minimum": ("minimum", "minimum charge", "min charge", "mindestpreis"),
    "steps": ("increments", "increment", "billing increment", "takt", "taktung"),
    "first": ("first", "first seconds", "initial increment"),
    "step": ("step", "next seconds", "steps of seconds"),
    "since": ("in force from", "effective date", "effective", "from", "valid from", "starts", "ab"),
    "until": ("in force until", "until", "valid until", "valid to", "end date", "ends", "bis"),
    "currency": ("currency", "währung"),
}
BY_WORD = {word: name for name, words in WORDS.items() for word in words}
STEPS = re.compile(r"(\d{1,4})(?:\s*[/+:]\s*(\d{1,4}))?", re.ASCII)
PREFIX = re.compile(r"(?:\+|00)?\s*([\d\s-]{1,25})", re.ASCII)
LONGEST_NAME = 80
DEAREST = Decimal(1000)
MOST_SECONDS = 3600


def recognised(header: Sequence[str]) -> dict[str, int]:
    found: dict[str, int] = {}
    for at, title in enumerate(header):
        name = BY_WORD.get(normal(title))
        if name and name not in found:
            found[name] = at
    return found


def missing(mapping: Mapping[str, int]) -> list[str]:
    return [FIELDS[name] for name in ("prefix", "price") if name not in mapping]


class DeckReader:
    """Reads rows; amounts are in `currency`, and a row in another one is refused."""

    def __init__(self, mapping: Mapping[str, int], currency: str) -> None:
        self.columns = list(mapping.items())
        self.currency = currency
        self.amounts: dict[str, Decimal] = {}

    def read(self, cells: Sequence[str]) -> Rate:
        """Raises NotUnderstood."""
        width = len(cells)
        row = {name: plain_cell(cells[at]) for name, at in self.columns if at < width}
        currency = row.get("currency", "")
        if currency and currency.upper() != self.currency:
            message = f"It is in {currency[:12]}; this deck is in {self.currency}."
            raise NotUnderstood(message, field="currency")
        first, step = self._steps(row)
        since = _day(row.get("since", ""), ALWAYS)
        until = _day(row.get("until", ""), FOREVER)
        if until < since:
            raise NotUnderstood(f"It ends on {until}, before it starts.", field="until")
        return Rate(
            _prefix(row.get("prefix", "")),
            price_of(self._amount(row.get("price", ""), "price")),
            money_of(self._amount(row.get("fee", "") or "0", "fee")),
            money_of(self._amount(row.get("minimum", "") or "0", "minimum")),
            first,
            step,
            since,
            until,
            row.get("name", "")[:LONGEST_NAME],
        )

    def _steps(self, row: Mapping[str, str]) -> tuple[int, int]:
        text = row.get("steps", "")
        if text:
            found = STEPS.fullmatch(text)
            if not found:
                message = f"“{text[:20]}” is no increment: type one such as 60/1."
                raise NotUnderstood(message, field="steps")
            first, step = int(found[1]), int(found[2] or found[1])
        else:
            first, step = (_whole(row.get(name, ""), name) for name in ("first", "step"))
        if not 1 <= first <= MOST_SECONDS or not 1 <= step <= MOST_SECONDS:
            message = f"Increments are 1 to {MOST_SECONDS:,} seconds."
            raise NotUnderstood(message, field="steps")
        return first, step

    def _amount(self, text: str, field: str) -> Decimal:
        """With a point or a comma before its decimals."""
        known = self.amounts.get(text)
        if known is not None:
            return known
        plain = text.replace(",", ".") if text.count(",") == 1 and "." not in text else text
        try:
            amount = Decimal(plain)
        except InvalidOperation:
            amount = Decimal("NaN")
        if not amount.is_finite() or not 0 <= amount <= DEAREST:
            message = f"“{text[:20]}” is no price: type one such as 0.012."
            raise NotUnderstood(message, field=field)
        self.amounts[text] = amount
        return amount


def _prefix(text: str) -> str:
    found = PREFIX.fullmatch(text)
    digits = re.sub(r"\D", "", found[1]) if found else ""
    if not 1 <= len(digits) <= MOST_PREFIX or digits[0] == "0":
        message = f"“{text[:20]}” is no prefix: type its digits from the country code on."
        raise NotUnderstood(message, field="prefix")
    return digits


def _day(text: str, otherwise: str) -> str:
    if not text:
        return otherwise
    try:
        return date.fromisoformat(text[:10]).isoformat()
    except ValueError:
        message = f"“{text[:20]}” is no day: type one such as 2026-12-01."
        raise NotUnderstood(message, field="since") from None


def _whole(text: str, field: str) -> int:
    if not text:
        return 1
    if not text.isascii() or not text.isdigit() or len(text) > 5:
        raise NotUnderstood(f"“{text[:20]}” is no number of seconds.", field=field)
    return int(text)
