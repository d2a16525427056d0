"""Invoices in UBL 2.1: lines, credit notes, where a number may stand, and what is no invoice."""

from decimal import Decimal

import pytest

from sedge.core.errors import NotUnderstood
from sedge.formats.spend.ubl_invoice import is_xml, read_ubl

NAMES = (
    "xmlns:cbc='urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2'"
    " xmlns:cac='urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2'"
)
HEAD = "<cbc:ID>R-17</cbc:ID><cbc:IssueDate>2026-12-03</cbc:IssueDate>"
CURRENCY = "<cbc:DocumentCurrencyCode>EUR</cbc:DocumentCurrencyCode>"
PERIOD = "<cac:InvoicePeriod><cbc:StartDate>2026-11-01</cbc:StartDate></cac:InvoicePeriod>"


def line(amount="4.50", item="", more="", quantity="3", kind="Invoice"):
    tag = "InvoicedQuantity" if kind == "Invoice" else "CreditedQuantity"
    return (
        f"<cac:{kind}Line><cbc:{tag}>{quantity}</cbc:{tag}>"
        f"<cbc:LineExtensionAmount>{amount}</cbc:LineExtensionAmount>{more}"
        f"<cac:Item><cbc:Name>Number fee</cbc:Name>{item}</cac:Item></cac:{kind}Line>"
    )


def document(*lines, kind="Invoice", head=HEAD + CURRENCY + PERIOD, prolog=""):
    name = f"urn:oasis:names:specification:ubl:schema:xsd:{kind}-2"
    return f"{prolog}<{kind} xmlns='{name}' {NAMES}>{head}{''.join(lines)}</{kind}>".encode()


def test_an_invoice_has_its_head_and_its_lines():
    found = read_ubl(document(line(), line("10")))
    assert (found.reference, found.currency, found.month) == ("R-17", "EUR", "2026-11")
    assert [row["amount"] for row in found.rows] == ["4.50", "10"]
    assert found.rows[0] == {
        "number": "",
        "words": "Number fee",
        "quantity": "3",
        "amount": "4.50",
        "kind": "",
    }


def test_without_a_period_it_is_for_the_month_of_its_issue():
    assert read_ubl(document(line(), head=HEAD + CURRENCY)).month == "2026-12"


def test_a_credit_note_gives_money_back():
    found = read_ubl(document(line("4.50", kind="CreditNote"), kind="CreditNote"))
    assert [(row["amount"], row["quantity"]) for row in found.rows] == [("-4.50", "3")]


SELLER = (
    "<cac:SellersItemIdentification><cbc:ID>+441134960142</cbc:ID></cac:SellersItemIdentification>"
)
STANDARD = (
    "<cac:StandardItemIdentification><cbc:ID>01134960143</cbc:ID></cac:StandardItemIdentification>"
)
PROPERTY = (
    "<cac:AdditionalItemProperty><cbc:Name>Phone Number</cbc:Name>"
    "<cbc:Value>0113 496 0144</cbc:Value></cac:AdditionalItemProperty>"
)


@pytest.mark.parametrize(
    ("item", "number"),
    [
        (SELLER, "+441134960142"),
        (STANDARD, "01134960143"),
        (SELLER + STANDARD, "+441134960142"),
        (SELLER + PROPERTY, "0113 496 0144"),
        (PROPERTY.replace("Phone Number", "Colour"), ""),
    ],
)
def test_a_number_may_stand_in_several_places(item, number):
    (row,) = read_ubl(document(line(item=item))).rows
    assert row["number"] == number


def test_what_a_line_is_for_is_told():
    more = "<cbc:AccountingCost>seats</cbc:AccountingCost>"
    described = "<cbc:Description>  November,\n first half </cbc:Description>"
    (row,) = read_ubl(document(line(more=more, item=described))).rows
    assert (row["kind"], row["words"]) == ("seats", "Number fee November, first half")


@pytest.mark.parametrize("amount", ["four", "", "1,50", "NaN", "Infinity", "1e999999", "1e-999999"])
def test_an_amount_that_is_none_is_left_for_whoever_reads_the_rows(amount):
    (row,) = read_ubl(document(line(amount))).rows
    assert row["amount"] == amount
    assert len(row["amount"]) < 20, "no number of a million digits is written out"


@pytest.mark.parametrize(("amount", "is_"), [("1E2", "100"), ("-3.10", "-3.10"), ("0", "0")])
def test_an_amount_is_written_plainly(amount, is_):
    (row,) = read_ubl(document(line(amount))).rows
    assert row["amount"] == is_
    assert Decimal(row["amount"]) == Decimal(amount)


@pytest.mark.parametrize(
    ("content", "reason"),
    [
        (b"", "xml"),
        (b"number;amount", "xml"),
        (document(line())[:-20], "xml"),
        (document(line(), prolog="<!DOCTYPE x [<!ENTITY a 'b'>]>"), "xml"),
        (document(line(), prolog="<!DOCTYPE x SYSTEM 'file:///etc/passwd'>"), "lines-or-xml"),
        (b"<Invoice/>", "ubl"),
        (b"<html><body/></html>", "ubl"),
        (document(), "lines"),
        (document(line(kind="CreditNote")), "lines"),
    ],
)
def test_what_is_no_invoice_is_said_to_be_none(content, reason):
    if reason == "lines-or-xml":  # nothing outside is ever read
        assert read_ubl(content).rows[0]["words"] == "Number fee"
        return
    with pytest.raises(NotUnderstood) as refused:
        read_ubl(content)
    assert (refused.value.field, refused.value.reason) == ("file", reason)


@pytest.mark.parametrize(
    ("content", "is_"),
    [
        (b"<Invoice/>", True),
        (b"\xef\xbb\xbf\n <?xml version='1.0'?>", True),
        (b"number,amount\n", False),
        (b"", False),
    ],
)
def test_xml_is_told_from_other_files(content, is_):
    assert is_xml(content) is is_
