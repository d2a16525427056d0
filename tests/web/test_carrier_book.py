"""Carriers by hand: added, agreed with, reminded of."""

from datetime import date, timedelta

import pytest

from sedge.services.carriers import carrier_book
from sedge.services.carriers.carrier_book import CarrierAsked
from sedge.services.today import today

HTMX = {"HX-Request": "true"}
FORM = {
    "name": "Reedmouth Telephone",
    "countries": "GB, Germany",
    "supply_model": "own trunk",
    "contact": "orders@reedmouth.example",
    "contacts": "Ann Sedley, service desk, ann@reedmouth.example, 0113 496 0777\nBo Marsh",
    "portal": "https://portal.reedmouth.example",
    "contract_ends": "2031-03-31",
    "contract_notice_days": "90",
}


def test_a_carrier_is_added_gets_its_account_and_takes_paper_orders(rowan):
    added = rowan.post("/carriers/new", data=FORM, headers=HTMX)
    where = added.headers["HX-Redirect"]
    assert "Reedmouth Telephone" in rowan.get(where).text
    key = where.split("/")[2]
    form = {"name": "Main", "currency": "EUR"}
    assert rowan.post(f"/carriers/{key}/first-account", data=form).status_code in {200, 303}
    page = rowan.get("/carriers").text
    assert "Ann Sedley, service desk" in page
    assert "Contract until 31 March 2031, notice 90 days before" in page
    assert "Reedmouth Telephone" in rowan.get("/supply/forms/new").text
    again = rowan.post("/carriers/new", data=FORM, headers=HTMX)
    assert again.status_code == 409


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"name": " "}, "name"),
        ({"countries": ""}, "countries"),
        ({"countries": "Atlantis"}, "countries"),
        ({"supply_model": "barter"}, "supply_model"),
        ({"contact": "nobody"}, "contact"),
        ({"contacts": "x@y.example"}, "contacts"),
        ({"portal": "javascript:alert(1)"}, "portal"),
        ({"contract_ends": "soon"}, "contract_ends"),
        ({"notice_days": "-3"}, "notice_days"),
    ],
)
def test_what_cannot_be_is_named(rowan, wrong, field):
    refused = rowan.post("/carriers/new", data=FORM | wrong, headers=HTMX)
    assert refused.status_code == 422
    assert f'"field": "{field}"' in refused.headers["Sedge-Problem"]


def test_a_part_of_an_agreement_can_be_changed_and_the_rest_stays(api):
    changed = api.patch("carriers/fellgate", json={"support_hours": "always"}).json()
    assert (changed["support_hours"], changed["countries"]) == ("always", ["GB", "FR"])
    made = api.post("carriers", json={"name": "By Program", "countries": "US"})
    assert (made.status_code, made.json()["countries"]) == (201, ["US"])


def test_an_agreement_stands_in_its_form(reader):
    page = reader.get("/carriers/fellgate/agreement").text
    assert 'value="Fellgate Voice"' in page


def test_the_last_day_for_notice_is_told_in_time(context):
    soon = (context.now() + timedelta(days=100)).date()
    typed = carrier_book.as_typed(carrier_book.one(context, "fellgate"))
    typed |= {"contract_ends": soon.isoformat(), "contract_notice_days": "60"}
    carrier_book.change_carrier(context, "fellgate", CarrierAsked.model_validate(typed))
    last = soon - timedelta(days=60)
    assert f"Contract with Fellgate Voice: last day for notice {last:%-d %B %Y}" in {
        line.what for line in today.todo(context)
    }
    typed["contract_ends"] = date(2099, 1, 1).isoformat()
    carrier_book.change_carrier(context, "fellgate", CarrierAsked.model_validate(typed))
    assert not any("last day for notice" in line.what for line in today.todo(context))
