"""Orders on a form that are mailed to a carrier without an interface."""

import csv
import io

import pytest
from sqlalchemy import select

from sedge.services.supply import paper_orders
from sedge.store.schema import mails
from tests.conftest import until_quiet

HTMX = {"HX-Request": "true"}
CARRIER = {
    "name": "Reedmouth Telephone",
    "countries": "GB",
    "supply_model": "own trunk",
    "contacts": "Ann Sedley, service desk, ann@reedmouth.example\n"
    "Nessa Quill, orders, orders@reedmouth.example",
}
FORM = {
    "reference": "Tram stop desks",
    "site": "wharf-house",
    "quantity": "12",
    "area": "Bristol",
    "kind": "geographic",
    "wanted_by": "2027-01-15",
}


@pytest.fixture
def order(rowan, context):
    """The path of an order on a form at a carrier that is reached by letters alone."""
    added = rowan.post("/carriers/new", data=CARRIER, headers=HTMX)
    key = added.headers["HX-Redirect"].split("/")[2]
    rowan.post(f"/carriers/{key}/first-account", data={"name": "Main", "currency": "GBP"})
    [account] = [a.id for a, c in paper_orders.form_accounts(context) if c.id == key]
    made = rowan.post("/supply/forms", data=FORM | {"account": account}, follow_redirects=True)
    assert made.status_code == 200, made.text
    return made.url.path


def test_the_form_goes_as_pdf_and_csv_to_who_takes_orders(rowan, context, installation, order):
    assert 'value="orders@reedmouth.example"' in rowan.get(order).text
    sent = rowan.post(f"{order}/mail", data={"to": ""}, follow_redirects=True)
    assert "Sent by mail on" in sent.text
    with context.reading() as reading:
        letter = reading.connection.execute(
            select(mails.mail).where(mails.mail.c.recipient == "orders@reedmouth.example")
        ).one()
        files = reading.connection.execute(
            select(mails.mail_file).where(mails.mail_file.c.mail == letter.id)
        ).all()
    assert "Tram stop desks" in letter.subject
    assert [f.name for f in files] == ["order-tram-stop-desks.pdf", "order-tram-stop-desks.csv"]
    assert files[0].content.startswith(b"%PDF")
    [row] = csv.DictReader(io.StringIO(files[1].content.decode()))
    assert (row["quantity"], row["area"], row["wanted_by"]) == ("12", "Bristol", "2027-01-15")
    until_quiet(installation)
    box = [m for m in context.outside.mail.mailbox() if m["to"] == "orders@reedmouth.example"]
    assert [f["media_type"] for f in box[0]["files"]] == ["application/pdf", "text/csv"]
    again = rowan.post(f"{order}/mail", data={"to": ""}, headers=HTMX)
    assert (again.status_code, "sent already" in again.headers["Sedge-Problem"]) == (409, True)


def test_a_wrong_address_and_a_missing_server_are_said(rowan, context, order, monkeypatch):
    wrong = rowan.post(f"{order}/mail", data={"to": "orders"}, headers=HTMX)
    assert (wrong.status_code, '"field": "to"' in wrong.headers["Sedge-Problem"]) == (422, True)
    monkeypatch.setattr(context.outside.mail, "is_connected", False)
    missing = rowan.post(f"{order}/mail", data={"to": "a@b.example"}, headers=HTMX)
    assert "Download the PDF" in missing.headers["Sedge-Problem"]
    assert "Send by mail" not in rowan.get(order).text
