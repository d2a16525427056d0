"""Who is proposed for the numbers of a port: a name that is only one person's is sure, everything
else is for somebody to look at."""

import pytest

from sedge.core.enums import HolderKind
from sedge.core.holding import HolderRef
from sedge.core.porting.port_assignments import Candidate, propose
from sedge.core.porting.records import PortLine

HERE, AWAY = "millwheel-gallery", "wharf-house"


def somebody(name, site=HERE, extension="", kind=HolderKind.PERSON):
    return Candidate(HolderRef(kind=kind, id=name.lower().replace(" ", "-")), name, site, extension)


PEOPLE = [
    somebody("Hattie Brandreth"),
    somebody("Rufus Tolliver"),
    somebody("Jonquil Quillfeather"),
    somebody("Osei Kwarteng", AWAY),
    somebody("Reception, Millwheel Gallery", kind=HolderKind.SERVICE_LINE),
    somebody("Ivo Strand", extension="809"),
    somebody("Ada Strand"),
]


def line(last=806, listed="", **values):
    return PortLine(e164=f"+44117496{last:04d}", used_for=listed, **values)


@pytest.mark.parametrize(
    ("listed", "who", "sure"),
    [
        ("Hattie Brandreth", "Hattie Brandreth", True),
        ("HATTIE  BRANDRETH", "Hattie Brandreth", True),
        ("Director, R. Tolliver", "Rufus Tolliver", False),
        ("J Quillfeather", "Jonquil Quillfeather", False),
        ("Hattie Brandredth", "Hattie Brandreth", False),
        ("Osei Kwarteng", "Osei Kwarteng", False),
        ("Reception", "Reception, Millwheel Gallery", True),
        ("Framing room", None, None),
        ("", None, None),
        ("Strand", None, None),
    ],
)
def test_a_listed_name_is_matched(listed, who, sure):
    found = propose([line(listed=listed)], PEOPLE, HERE).get("+441174960806")
    assert (found.name, found.sure) == (who, sure) if who else found is None


def test_last_digits_that_are_an_extension_are_a_hint():
    found = propose([line(809)], PEOPLE, HERE)["+441174960809"]
    assert (found.name, found.sure, found.why) == (
        "Ivo Strand",
        False,
        "extension 809 is its last digits",
    )


def test_two_of_a_name_are_not_sure_and_nobody_is_proposed_twice():
    twins = [
        somebody("Bea Lorrimer"),
        Candidate(HolderRef(kind=HolderKind.PERSON, id="other"), "Bea Lorrimer", HERE),
    ]
    assert not any(p.sure for p in propose([line(listed="Bea Lorrimer")], twins, HERE).values())
    found = propose([line(806, "Hattie Brandreth"), line(807, "Hattie Brandreth")], PEOPLE, HERE)
    assert list(found) == ["+441174960806"]
    taken = propose([line(806, holder=PEOPLE[0].ref), line(807, "Hattie Brandreth")], PEOPLE, HERE)
    assert taken == {}
