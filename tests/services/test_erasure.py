"""Personal data of somebody who has left: nothing of it is found any more, and the ledger still
holds."""

import json
import sqlite3

import pytest

from sedge.core.access.roles import AccessRole
from sedge.core.changes import changed
from sedge.core.errors import Forbidden, NotAllowedNow, NotUnderstood
from sedge.core.ledger.chain import ERASURE
from sedge.core.records import Device, HolderKind, HolderRef, Person, Subject
from sedge.core.workorders import tasks as t
from sedge.demo.seed import MEMBERS
from sedge.formats.letters import Letter
from sedge.services import mail
from sedge.services.apply_now import add_records, apply_at_once
from sedge.services.context import Desk
from sedge.services.holders import erasure
from sedge.services.ledger import ledger
from sedge.services.workorders import workorders
from sedge.store.repositories import ledger as chain_of
from tests.conftest import until_quiet

KEY, NAME, MAIL = "person-0417", "Ottoline Fairbrass", "ottoline.fairbrass@lanternfield.example"
NUMBER = "+441134960188"
REF = HolderRef(kind=HolderKind.PERSON, id=KEY)


@pytest.fixture
def gone(house, desk):
    """Somebody who came, had a number, was written to and about, and has left."""
    person = Person(
        id=KEY,
        name=NAME,
        email=MAIL,
        site="wharf-house",
        department="Collections",
        job="Fellow",
        extension="417",
        spot="WHF-001-K",
    )
    add_records(desk, [person], reason=f"{NAME} joins")
    apply_at_once(desk, [t.AssignNumber(number=NUMBER, holder=REF)], reason="joined")
    workorders.draft(desk, f"A desk for {NAME}", [t.LabelNumbers(numbers=(NUMBER,), label="x")])
    with desk.writing() as writing:
        mail.write(writing, "letter-1", MAIL, Letter("Your number", f"Dear {NAME}"))
    until_quiet(house)
    apply_at_once(desk, [t.UnassignNumber(number=NUMBER)], reason=f"{NAME} leaves")
    apply_at_once(desk, [t.ChangePerson(person=KEY, left=True)], reason="left")
    return KEY


def everything_kept(desk):
    """Every value of every table, read without our own code."""
    file = desk.house.settings.data / f"estate-{desk.who.organisation}.sqlite"
    with sqlite3.connect(file) as raw:
        names = [n for (n,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        return {
            name: [row for row in raw.execute(f'SELECT * FROM "{name}"')]  # noqa: S608
            for name in names
            if not name.startswith("digits")
        }


def naming(desk, words):
    return sorted(
        name
        for name, rows in everything_kept(desk).items()
        if any(words.lower() in str(value).lower() for row in rows for value in row)
    )


def test_nothing_names_them_any_more(desk, gone):
    assert {"ledger", "person", "mail", "work_order", "span"} <= set(naming(desk, NAME))
    done = erasure.erase(desk, gone, f"{NAME} asked for it")
    assert naming(desk, NAME) == []
    assert naming(desk, MAIL) == []
    assert done.person.name == "Erased person"
    assert done.entries >= 5
    assert done.rows >= 3


def test_the_ledger_still_holds_and_tells_what_was_erased(desk, gone):
    erasure.erase(desk, gone, "asked for by letter")
    assert ledger.verify(desk)[1] is None
    with desk.reading() as reading:
        told = [e for e in chain_of.entries(reading.connection).entries if e.action == ERASURE]
    [entry] = told
    assert (entry.actor, entry.reason) == (MEMBERS[0].name, "asked for by letter")
    assert len(json.loads(entry.after)["entries"]) >= 5


@pytest.mark.parametrize(
    "tampering",
    [
        "UPDATE ledger SET title = 'something else' WHERE sequence = ?",
        "UPDATE ledger SET erased = 0 WHERE sequence = ?",
    ],
)
def test_what_is_left_of_an_erased_entry_cannot_be_changed_unseen(desk, gone, tampering):
    erasure.erase(desk, gone, "asked for by letter")
    file = desk.house.settings.data / f"estate-{desk.who.organisation}.sqlite"
    with sqlite3.connect(file) as raw:
        [sequence] = raw.execute("SELECT min(sequence) FROM ledger WHERE erased").fetchone()
        raw.execute(tampering, [sequence])
    assert ledger.verify(desk)[1] == sequence


def test_an_entry_cannot_be_called_erased_unseen(desk, gone):
    erasure.erase(desk, gone, "asked for by letter")
    file = desk.house.settings.data / f"estate-{desk.who.organisation}.sqlite"
    with sqlite3.connect(file) as raw:
        raw.execute("UPDATE ledger SET erased = 1, title = 'nothing' WHERE sequence = 40")
    assert ledger.verify(desk)[1] == 40


def test_it_can_be_done_for_several_people_in_turn(desk, gone):
    other = Person(id="person-0418", name=f"{NAME} junior", email="j@x.example", site="wharf-house")
    add_records(desk, [other.but(left=True)], reason=f"child of {NAME}")
    erasure.erase(desk, gone, "asked for")
    erasure.erase(desk, "person-0418", "asked for")
    assert ledger.verify(desk)[1] is None
    assert naming(desk, "j@x.example") == []


def test_whoever_has_a_longer_name_or_address_keeps_them(desk, gone):
    others = [
        Person(id="person-a", name=f"{NAME}worth", email=f"x{MAIL}", site="wharf-house"),
        Person(id="person-b", name="Somebody Else", email=f"{MAIL}.org", site="wharf-house"),
    ]
    add_records(desk, others, reason="joined")
    erasure.erase(desk, gone, "asked for")
    with desk.reading() as reading:
        for other in others:
            kept = reading.records.the(Person, other.id)
            assert (kept.name, kept.email) == (other.name, other.email)
    assert ledger.verify(desk)[1] is None


def test_devices_that_were_taken_away_do_not_hinder(desk, gone):
    phone = Device(id="phone-417", person=gone, kind="desk phone", name="desk phone 417")
    add_records(desk, [phone])
    with pytest.raises(NotAllowedNow, match="still has 1 device"):
        erasure.erase(desk, gone, "asked for")
    with desk.writing() as writing:
        before = writing.records.the(Device, phone.id)
        writing.save([changed(Subject.DEVICE, before, before.but(removed=True), "device.removed")])
    assert erasure.erase(desk, gone, "asked for").person.name == "Erased person"


def test_that_somebody_had_the_number_stays(desk, gone):
    erasure.erase(desk, gone, "asked for")
    spans = everything_kept(desk)["span"]
    assert any(KEY in row and "Erased person" in row for row in spans)


def test_of_two_with_one_name_the_other_keeps_theirs(desk, gone):
    twin = Person(id="person-twin", name=NAME, email="twin@x.example", site="wharf-house")
    add_records(desk, [twin], reason=f"another {NAME}")
    assert erasure.view(desk, gone).namesakes == 1
    erasure.erase(desk, gone, "asked for")
    with desk.reading() as reading:
        assert reading.records.the(Person, "person-twin").name == NAME
        assert reading.records.the(Person, gone).name == "Erased person"
    assert naming(desk, MAIL) == []
    assert ledger.verify(desk)[1] is None


def test_who_is_here_or_has_something_is_not_erased(desk, gone):
    with pytest.raises(NotAllowedNow, match="has not left"):
        erasure.erase(desk, "person-ifeoma-okafor", "asked for")
    with pytest.raises(NotUnderstood):
        erasure.erase(desk, gone, "  ")
    erasure.erase(desk, gone, "asked for")
    with pytest.raises(NotAllowedNow, match="erased already"):
        erasure.erase(desk, gone, "asked for")


def test_only_who_sets_the_rules_may(house, gone):
    for role in set(AccessRole) - {AccessRole.ADMINISTRATOR}:
        member = next((m for m in MEMBERS if m.role is role), None)
        if member:
            with pytest.raises(Forbidden):
                erasure.erase(Desk(house, member), gone, "asked for")
