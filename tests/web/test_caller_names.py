"""A number's caller name has a field of its own beside its features, where its carrier keeps
names."""

import pytest

from sedge.core.changes import changed
from sedge.core.records import Number, Subject

E164, KEY = "+441134960101", "441134960101"
HTMX = {"HX-Request": "true"}


@pytest.fixture
def named(context, rowan):
    """The number with CNAM on, as if its carrier had it, and a name that was told."""
    with context.writing(reason="as it stands") as writing:
        before = writing.records.the(Number, E164)
        after = before.copy_with(features=("CNAM",), caller_name="QUILLFEATHER R")
        writing.save([changed(Subject.NUMBER, before, after, "number.caller-name-set")])
    return rowan


def test_it_stands_on_the_card_and_in_a_field_of_its_own(named):
    assert "QUILLFEATHER R" in named.get(f"/numbers?number={KEY}").text
    html = named.get(f"/numbers/{KEY}/features").text
    assert 'value="QUILLFEATHER R"' in html
    assert 'maxlength="15"' in html


def test_there_is_no_field_where_no_names_are_kept(rowan):
    assert "Caller name" not in rowan.get(f"/numbers/{KEY}/features").text
    assert "Caller name" not in rowan.get(f"/numbers?number={KEY}").text


def test_a_name_that_does_not_fit_is_refused_at_its_field(named):
    sent = {"name": "The Lanternfield Museums"}
    refused = named.post(f"/numbers/{KEY}/caller-name", data=sent, headers=HTMX)
    assert refused.status_code == 422
    assert '"field": "name"' in refused.headers["Sedge-Problem"]
    assert "The Lanternfiel" in refused.headers["Sedge-Problem"], "one that would fit"


def test_it_becomes_a_work_order_that_can_be_reviewed(named):
    sent = named.post(f"/numbers/{KEY}/caller-name", data={"name": "MUSEUMS"})
    html = named.get(sent.headers["Location"]).text
    assert "Set the caller name of 0113 496 0101" in html
    assert "to MUSEUMS" in html


def test_who_may_look_sees_it_and_has_no_form(named):
    named.post("/sign-in", data={"who": "olive"})
    html = named.get(f"/numbers/{KEY}/features").text
    assert "QUILLFEATHER R" in html
    assert f'action="/numbers/{KEY}/caller-name"' not in html
    assert named.post(f"/numbers/{KEY}/caller-name", data={"name": "X"}).status_code == 403
