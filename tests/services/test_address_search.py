"""Addresses that a line may mean, from the register, in the towns where there are sites already, or
as they were typed where there is no register."""

import pytest

from sedge.core.errors import NotUnderstood
from sedge.services.safety import address_search
from sedge.services.safety.address_search import search_addresses
from tests.conftest import SILENT


def lines(context, line, country="GB"):
    return [a.one_line for a in search_addresses(context, country, line).addresses]


@pytest.mark.parametrize(
    "line",
    [
        "12 Lanternfield Wharf, Leeds LS1 4ZZ",
        "12 lanternfield wharf leeds",
        "12 Lanternfeild Wharf, Leeds",
        "12 lanternfield wharf",
        "12 lanternfield wh",
    ],
)
def test_the_register_has_it_first(context, line):
    assert lines(context, line)[0] == "12 Lanternfield Wharf, Leeds LS1 4ZZ"


def test_abroad_it_is_read_as_they_write_there(context):
    assert lines(context, "Speicherufer 8 Berlin", "DE")[0] == "Speicherufer 8, 10999 Berlin"
    assert lines(context, "33 printers row boston", "US")[0].startswith("33 Printers Row, Boston")


def test_what_is_missing_is_said(context):
    assert search_addresses(context, "GB", "Leeds somewhere").note == (
        "Type the house number and the street."
    )
    none = search_addresses(context, "GB", "12 Nowhere at all, Leeds")
    assert none.addresses == []
    assert "no such street" in none.note
    assert none.parts.street == "Nowhere at all"
    assert search_addresses(context, "GB", "").note == ""


def test_a_country_without_addresses_is_refused(context):
    with pytest.raises(NotUnderstood) as refused:
        search_addresses(context, "XX", "12 Lanternfield Wharf, Leeds")
    assert refused.value.field == "country"


def test_without_a_register_it_is_taken_as_it_was_typed(context, monkeypatch):
    monkeypatch.setattr(context.outside.register, "is_connected", False)
    found = search_addresses(context, "GB", "12 Lanternfield Wharf, Leeds LS1 4ZZ")
    assert (found.addresses, found.parts.city) == ([], "Leeds")
    assert "as it was typed" in found.note


def test_only_as_many_towns_are_asked_for_as_there_are_sites(context):
    towns = address_search._own_towns(context, "GB")
    assert "Leeds" in towns
    assert len(towns) <= address_search.MOST_TOWNS
    assert address_search._own_towns(context, "AU") == []


def test_a_register_that_is_silent_is_told_in_the_list(rowan_of, installation):
    fault = {"service": "register", "fault": SILENT, "count": 1}
    installation.outside.control.order_fault(fault)
    html = rowan_of("/safety/addresses/found?country=GB&line=12+Lanternfield+Wharf,+Leeds")
    assert "register" in html
    assert "data-fields" not in html


@pytest.fixture
def rowan_of(client):
    client.post("/sign-in", data={"who": "rowan"})
    return lambda path: client.get(path).text


def test_the_list_has_what_the_fields_of_a_form_hold(rowan_of):
    html = rowan_of("/safety/addresses/found?country=GB&line=12+Lanternfield+Wharf,+Leeds")
    assert "&#34;postcode&#34;: &#34;LS1 4ZZ&#34;" in html or '"postcode": "LS1 4ZZ"' in html
    assert 'role="option"' in html
    typed = rowan_of("/safety/addresses/found?country=GB&line=12+Nowhere+at+all,+Leeds")
    assert "as it was typed" in typed
