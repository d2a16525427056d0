"""Invoices in UBL 2.1 (OASIS, ISO/IEC 19845): what is billed, line by line."""

from contextlib import suppress
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException

from sedge.core.errors import NotUnderstood

CBC = "{urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2}"
CAC = "{urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2}"
ROOTS = {
    "{urn:oasis:names:specification:ubl:schema:xsd:Invoice-2}Invoice": "InvoiceLine",
    "{urn:oasis:names:specification:ubl:schema:xsd:CreditNote-2}CreditNote": "CreditNoteLine",
}
MOST_LINES = 200_000
MOST_DIGITS = 20  # of an amount, on either side of its point


@dataclass(frozen=True)
class UblInvoice:
    """`rows` have number, description, quantity, amount and kind; `month` is that of the period
    billed, else of the issue (`2026-11`). A credit note's amounts are negative."""

    reference: str
    currency: str
    month: str
    rows: list[dict[str, str]]


def is_xml(content: bytes) -> bool:
    return content.lstrip(b"\xef\xbb\xbf \r\n\t").startswith(b"<")


def read_ubl(content: bytes) -> UblInvoice:
    """Raises NotUnderstood for what is no such invoice."""
    try:
        root = ElementTree.fromstring(content)
    except (ElementTree.ParseError, DefusedXmlException, ValueError) as error:
        message = "The file is no XML that can be read. Export it anew as UBL 2.1."
        raise NotUnderstood(message, field="file", reason="xml") from error
    name = ROOTS.get(root.tag)
    if name is None:
        message = f"The XML is no UBL 2.1 invoice: it begins with {root.tag[-40:]}."
        raise NotUnderstood(message, field="file", reason="ubl")
    lines = root.findall(f"{CAC}{name}")
    if not 1 <= len(lines) <= MOST_LINES:
        message = f"An invoice has 1 to {MOST_LINES:,} lines; this has {len(lines):,}."
        raise NotUnderstood(message, field="file", reason="lines")
    sign = -1 if name == "CreditNoteLine" else 1
    period = root.find(f"{CAC}InvoicePeriod")
    begins = _text(period, f"{CBC}StartDate") if period is not None else ""
    return UblInvoice(
        _text(root, f"{CBC}ID"),
        _text(root, f"{CBC}DocumentCurrencyCode"),
        (begins or _text(root, f"{CBC}IssueDate"))[:7],
        [_row(line, sign) for line in lines],
    )


def _row(line: Any, sign: int) -> dict[str, str]:
    item = line.find(f"{CAC}Item")
    amount = _text(line, f"{CBC}LineExtensionAmount")
    quantity = _text(line, f"{CBC}InvoicedQuantity") or _text(line, f"{CBC}CreditedQuantity")
    number, kind = "", _text(line, f"{CBC}AccountingCost")
    words = " ".join(
        part
        for part in (_text(item, f"{CBC}Name"), _text(item, f"{CBC}Description"))
        if part and item is not None
    )
    if item is not None:
        for path in ("SellersItemIdentification", "StandardItemIdentification"):
            found = item.find(f"{CAC}{path}")
            number = number or (_text(found, f"{CBC}ID") if found is not None else "")
        for known in item.findall(f"{CAC}AdditionalItemProperty"):
            if _text(known, f"{CBC}Name").casefold() in {"number", "phone number", "msisdn"}:
                number = _text(known, f"{CBC}Value")
    with suppress(InvalidOperation):  # told with its line by whoever reads the rows
        value = sign * Decimal(amount)
        if value.is_finite() and abs(value.adjusted()) < MOST_DIGITS:
            amount = format(value, "f")
    return {
        "number": number,
        "words": words,
        "quantity": quantity,
        "amount": amount,
        "kind": kind,
    }


def _text(element: Any, path: str) -> str:
    if element is None:
        return ""
    return " ".join((element.findtext(path) or "").split())
