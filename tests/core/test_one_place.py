"""Call paths of one step: all calls of a number to one place."""

import pytest

from sedge.core.callpaths.editing import Place
from sedge.core.callpaths.ready_made import OnePlace, path_to
from sedge.core.callpaths.steps import Announce, Forward, Mailbox, Path, Ring, SipAddress
from sedge.core.errors import NotUnderstood

BERLIN = Place(timezone="Europe/Berlin", language="de")


def test_a_person_is_rung_and_has_a_mailbox():
    path = path_to(OnePlace(person="p1"), BERLIN)
    ring, mailbox = path.steps["ring-1"], path.steps["mailbox-1"]
    assert isinstance(ring, Ring)
    assert isinstance(mailbox, Mailbox)
    assert (ring.people, mailbox.recipients, mailbox.language) == (("p1",), ("p1",), "de")
    assert set(ring.exits.values()) == {"mailbox-1"}
    assert len(ring.exits) == 3


def test_a_group_is_rung_and_reads_its_mailbox_together():
    path = path_to(OnePlace(group="g1"), BERLIN)
    assert path.steps["ring-1"].groups == path.steps["mailbox-1"].groups == ("g1",)


@pytest.mark.parametrize(
    ("to", "step"),
    [
        (OnePlace(outside="+441514960400"), Forward(to="+441514960400")),
        (OnePlace(sip="sip:desk@example.org"), SipAddress(address="sip:desk@example.org")),
        (OnePlace(message="Geschlossen."), Announce(text="Geschlossen.", language="de")),
    ],
    ids=["outside", "sip", "message"],
)
def test_elsewhere_is_one_step(to, step):
    path = path_to(to, BERLIN)
    assert path == Path(first=path.first, steps={path.first: step})


def test_two_places_or_none_are_refused_beside_a_field():
    with pytest.raises(NotUnderstood, match="More than one") as both:
        path_to(OnePlace(outside="+441514960400", message="Closed."), BERLIN)
    with pytest.raises(NotUnderstood, match="No place") as none:
        path_to(OnePlace(), BERLIN)
    assert (both.value.field, none.value.field) == ("message", "who")
