"""Amounts of money hidden from who may not see them: in any text, and in plain data."""

import re

HIDDEN = "•••"
SIGNS = r"(?:CA|A|US|NZ)?\$|[£€¥₹]"
CODES = "GBP|EUR|USD|CAD|AUD|CHF|JPY|SEK|NOK|DKK|PLN"
AMOUNT = re.compile(
    rf"[−-]?(?:{SIGNS})\s?\d[\d,.]*\d|[−-]?(?:{SIGNS})\s?\d|[−-]?\b(?:{CODES})\s\d[\d,.]*"
)
MONEY_FIELDS = frozenset({"amount", "currency"})


def hide_amounts(text: str) -> str:
    """A text with `•••` for every amount in it."""
    return AMOUNT.sub(HIDDEN, text)


def without_amounts(value: object) -> object:
    """Plain data with null for every amount (`{"amount", "currency"}`) in it, and its texts without
    amounts."""
    match value:
        case dict() if set(value) == MONEY_FIELDS:
            return None
        case dict():
            return {key: without_amounts(item) for key, item in value.items()}
        case list():
            return [without_amounts(item) for item in value]
        case str():
            return hide_amounts(value)
        case _:
            return value
