"""Several people changed from the list, and the page that shows a phone's sign-in once."""

import re

import pytest
from sqlalchemy import select

from sedge.store.schema import mails
from tests.conftest import until_quiet

HTMX = {"HX-Request": "true"}
BEATRIX, BRONWEN = "person-beatrix-haddad", "person-bronwen-bamidele"


def test_who_was_ticked_is_chosen_and_all_that_a_list_shows_can_be(reader):
    listed = reader.get("/holders?site=wharf-house&find=conservation").text
    assert f'form="several" value="{BEATRIX}"' in listed
    link = re.search(r'href="(/holders/several\?[^"]+)"', listed)[1].replace("&amp;", "&")
    shown = len(re.findall(r'form="several" value="', listed))
    assert f"Change all {shown} that are shown" in listed
    every = reader.get(link).text
    assert len(re.findall(r'<option value="person-[^"]+"[^>]*selected', every)) == shown
    two = reader.get(f"/holders/several?who={BEATRIX}&who={BRONWEN}").text
    assert len(re.findall(r'<option value="person-[^"]+"[^>]*selected', two)) == 2


def test_a_long_list_offers_only_those_that_are_ticked(reader):
    assert "that are shown" not in reader.get("/holders").text


def test_spots_are_offered_of_the_sites_of_those_chosen(reader):
    assert 'name="spot"' in reader.get(f"/holders/several?who={BEATRIX}").text
    assert 'name="spot"' not in reader.get("/holders/several").text


@pytest.mark.parametrize(
    ("form", "field"),
    [
        ({}, "people"),
        ({"people": BEATRIX}, "product"),
        ({"people": BEATRIX, "phone": "tin can"}, "phone"),
        ({"people": BEATRIX, "product": "nothing"}, "product"),
        ({"people": BEATRIX, "spot": "ZZZ-1"}, "spot"),
    ],
)
def test_what_is_wrong_is_said_at_its_field(rowan, form, field):
    refused = rowan.post("/holders/several", data=form, headers=HTMX)
    assert refused.status_code == 422
    assert f'"field": "{field}"' in refused.headers["Sedge-Problem"]


def test_rights_change_only_where_that_is_ticked_and_help_can_always_be_called(rowan):
    form = {"people": BEATRIX, "right": ["internal", "premium"]}
    assert rowan.post("/holders/several", data=form, headers=HTMX).status_code == 422
    sent = rowan.post("/holders/several", data=form | {"change_rights": "1"})
    html = rowan.get(sent.headers["Location"]).text
    assert "to internal, emergency, premium" in html


@pytest.fixture
def link(rowan, context):
    """The address in the mail about a phone that was set up for Beatrix Haddad."""
    sent = rowan.post("/holders/several", data={"people": BEATRIX, "phone": "web phone"})
    run = rowan.post(f"{sent.headers['Location']}/run")
    assert run.status_code in {200, 303}
    until_quiet(context.installation)
    with context.reading() as reading:
        rows = reading.connection.execute(select(mails.mail.c.text)).scalars()
        return next(found[0] for text in rows if (found := re.search(r"/phone/\S+", text)))


def test_the_sign_in_is_shown_to_whom_it_is_for_without_an_account_and_once(client, link):
    client.post("/sign-out")
    offered = client.get(link).text
    assert "Show the sign-in" in offered
    assert "sip:" not in offered
    shown = client.post(link).text
    assert "Beatrix Haddad" in shown
    assert "<svg" in shown
    secret = re.search(r'data-copy="([^"]{20,40})"', shown)[1]
    assert secret not in offered
    again = client.post(link)
    assert again.status_code == 404
    assert "has been used" in again.text
    assert client.get(link).status_code == 404


def test_a_link_is_not_written_to_the_log(client, link, capsys):
    capsys.readouterr()
    client.get(link)
    assert link.rpartition("/")[2] not in capsys.readouterr().out
