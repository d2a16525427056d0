"""Rows of invoices in CSV, whatever their columns are called."""

import re
from collections.abc import Mapping, Sequence
from decimal import Decimal, InvalidOperation

from sedge.core.errors import NotOneNumber, NotUnderstood
from sedge.core.imports.fields import normal, plain_cell
from sedge.core.numbers.e164 import read_one
from sedge.core.spend.invoices import BilledFor, BilledLine

FIELDS = {
    "number": "Number",
    "words": "Description",
    "quantity": "Quantity",
    "amount": "Amount",
    "kind": "Kind",
    "currency": "Currency",
    "account": "Account",
}
WORDS = {
    "number": ("number", "phone number", "cli", "ddi", "did", "service", "rufnummer", "line"),
    "words": ("description", "item", "text", "product", "beschreibung", "position", "details"),
    "quantity": ("quantity", "qty", "units", "count", "menge", "anzahl"),
    "amount": ("amount", "net", "net amount", "total", "charge", "price", "betrag", "netto"),
    "kind": ("kind", "type", "category", "charge type", "art"),
    "currency": ("currency", "währung"),
    "account": ("account", "account number", "konto"),
}
BY_WORD = {word: name for name, words in WORDS.items() for word in words}
CALLS = re.compile(r"\b(calls?|usage|traffic|minutes|verbindung\w*|gespräch\w*)\b", re.IGNORECASE)
ONCE = re.compile(r"\b(set[- ]?up|installation|one[- ]off|einrichtung|einmalig)\b", re.IGNORECASE)
SEATS = re.compile(r"\b(seats?|licen[cs]es?|lizenz\w*)\b", re.IGNORECASE)
LONGEST_WORDS = 200
MOST = Decimal(10**9)


def recognised(header: Sequence[str]) -> dict[str, int]:
    found: dict[str, int] = {}
    for at, title in enumerate(header):
        name = BY_WORD.get(normal(title))
        if name and name not in found:
            found[name] = at
    return found


def missing(mapping: Mapping[str, int]) -> list[str]:
    found = [] if "amount" in mapping else [FIELDS["amount"]]
    if "number" not in mapping and "words" not in mapping:
        found.append(f"{FIELDS['number']} or {FIELDS['words']}")
    return found


class InvoiceReader:
    """Reads rows; what a line is about is told by its kind, else by its words, else by whether it
    names a number. `products` are the names of licence products."""

    def __init__(
        self, mapping: Mapping[str, int], *, home: str, currency: str, products: Sequence[str]
    ) -> None:
        self.columns = list(mapping.items())
        self.home, self.currency = home, currency
        self.products = {name.casefold(): name for name in products}

    def read(self, line: int, cells: Sequence[str]) -> BilledLine:
        """Raises NotUnderstood."""
        row = {name: plain_cell(cells[at]) for name, at in self.columns if at < len(cells)}
        currency = row.get("currency", "")
        if currency and currency.upper() != self.currency:
            message = f"It is in {currency[:12]}; this account is in {self.currency}."
            raise NotUnderstood(message, field="currency")
        words = " ".join(row.get("words", "").split())[:LONGEST_WORDS]
        number = self._number(row.get("number", ""))
        quantity = amount_in(row["quantity"], "quantity") if row.get("quantity") else Decimal(0)
        about = self._about(f"{row.get('kind', '')} {words}", number)
        return BilledLine(
            line,
            about,
            number,
            self._named(about, words),
            quantity,
            amount_in(row.get("amount", ""), "amount"),
        )

    def _about(self, words: str, number: str) -> BilledFor:
        if CALLS.search(words) and not SEATS.search(words):
            return BilledFor.CALLS
        if any(name in words.casefold() for name in self.products) or SEATS.search(words):
            return BilledFor.SEATS
        if ONCE.search(words):
            return BilledFor.ONCE
        return BilledFor.NUMBER if number else BilledFor.OTHER

    def _named(self, about: BilledFor, words: str) -> str:
        """A licence product by its own name, whatever stands around it."""
        if about is BilledFor.SEATS:
            plain = words.casefold()
            found = [name for name in self.products if name in plain]
            return self.products[max(found, key=len)] if found else words
        return words

    def _number(self, text: str) -> str:
        if not any(c.isdigit() for c in text):
            return ""
        try:
            return read_one(text, self.home)
        except NotOneNumber:
            return ""


def amount_in(text: str, field: str) -> Decimal:
    """`1,234.56`, `1.234,56`, `12,5`, `-3.20`, `(3.20)`. Raises NotUnderstood."""
    plain = re.sub(r"[\s£€$']|[A-Z]{3}", "", text)
    negative = plain.startswith("(") and plain.endswith(")")
    plain = plain.strip("()")
    if "," in plain and "." in plain:
        last = max(",.", key=plain.rfind)
        plain = plain.replace("." if last == "," else ",", "").replace(",", ".")
    elif plain.count(",") == 1:
        plain = plain.replace(",", ".")
    try:
        amount = Decimal(plain)
    except InvalidOperation:
        amount = Decimal("NaN")
    if not amount.is_finite() or abs(amount) > MOST:
        raise NotUnderstood(f"“{text[:20]}” is no amount.", field=field)
    return -amount if negative else amount
