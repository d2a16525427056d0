"""Personal data of somebody who has left: nothing of it is found any more, and the ledger still
holds."""

import json
import sqlite3
from contextlib import closing, contextmanager

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
from sedge.services.context import Context
from sedge.services.holders import erasure
from sedge.services.ledger import ledger
from sedge.services.workorders import workorders
from sedge.store.repositories import ledger as chain_of
from tests.conftest import until_quiet

KEY, NAME, MAIL = "person-0417", "Ottoline Fairbrass", "ottoline.fairbrass@lanternfield.example"
NUMBER = "+441134960188"
REF = HolderRef(kind=HolderKind.PERSON, id=KEY)


@pytest.fixture
def gone(installation, context):
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
    add_records(context, [person], reason=f"{NAME} joins")
    apply_at_once(context, [t.AssignNumber(number=NUMBER, holder=REF)], reason="joined")
    workorders.draft(context, f"A desk for {NAME}", [t.LabelNumbers(numbers=(NUMBER,), label="x")])
    with context.writing() as writing:
        mail.write(writing, "letter-1", MAIL, Letter("Your number", f"Dear {NAME}"))
    until_quiet(installation)
    apply_at_once(context, [t.UnassignNumber(number=NUMBER)], reason=f"{NAME} leaves")
    apply_at_once(context, [t.ChangePerson(person=KEY, left=True)], reason="left")
    return KEY


@contextmanager
def kept_by(context):
    """The organisation's file, read without our own code."""
    file = context.installation.settings.data / f"estate-{context.who.organisation}.sqlite"
    with closing(sqlite3.connect(file)) as raw:
        yield raw


def naming(context, words):
    """Tables with a value that has these words, in any case."""
    found = []
    with kept_by(context) as raw:
        names = [n for (n,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        for name in names:
            if name.startswith("digits"):
                continue
            columns = [row[1] for row in raw.execute(f'PRAGMA table_info("{name}")')]
            row = " || ' ' || ".join(f"""coalesce(CAST("{c}" AS TEXT), '')""" for c in columns)
            naming_it = f'SELECT 1 FROM "{name}" WHERE instr(lower({row}), ?) LIMIT 1'  # noqa: S608
            if raw.execute(naming_it, [words.lower()]).fetchone():
                found.append(name)
    return sorted(found)


def test_nothing_names_them_any_more(context, gone):
    assert {"ledger", "person", "mail", "work_order", "span"} <= set(naming(context, NAME))
    done = erasure.erase(context, gone, f"{NAME} asked for it")
    assert naming(context, NAME) == []
    assert naming(context, MAIL) == []
    assert done.person.name == "Erased person"
    assert done.entries >= 5
    assert done.rows >= 3


def test_the_ledger_still_holds_and_tells_what_was_erased(context, gone):
    erasure.erase(context, gone, "asked for by letter")
    assert ledger.verify(context)[1] is None
    with context.reading() as reading:
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
def test_what_is_left_of_an_erased_entry_cannot_be_changed_unseen(context, gone, tampering):
    erasure.erase(context, gone, "asked for by letter")
    file = context.installation.settings.data / f"estate-{context.who.organisation}.sqlite"
    with sqlite3.connect(file) as raw:
        [sequence] = raw.execute("SELECT min(sequence) FROM ledger WHERE erased").fetchone()
        raw.execute(tampering, [sequence])
    assert ledger.verify(context)[1] == sequence


def test_an_entry_cannot_be_called_erased_unseen(context, gone):
    erasure.erase(context, gone, "asked for by letter")
    file = context.installation.settings.data / f"estate-{context.who.organisation}.sqlite"
    with sqlite3.connect(file) as raw:
        raw.execute("UPDATE ledger SET erased = 1, title = 'nothing' WHERE sequence = 40")
    assert ledger.verify(context)[1] == 40


def test_it_can_be_done_for_several_people_in_turn(context, gone):
    other = Person(id="person-0418", name=f"{NAME} junior", email="j@x.example", site="wharf-house")
    add_records(context, [other.copy_with(left=True)], reason=f"child of {NAME}")
    erasure.erase(context, gone, "asked for")
    erasure.erase(context, "person-0418", "asked for")
    assert ledger.verify(context)[1] is None
    assert naming(context, "j@x.example") == []


def test_whoever_has_a_longer_name_or_address_keeps_them(context, gone):
    others = [
        Person(id="person-a", name=f"{NAME}worth", email=f"x{MAIL}", site="wharf-house"),
        Person(id="person-b", name="Somebody Else", email=f"{MAIL}.org", site="wharf-house"),
    ]
    add_records(context, others, reason="joined")
    erasure.erase(context, gone, "asked for")
    with context.reading() as reading:
        for other in others:
            kept = reading.records.the(Person, other.id)
            assert (kept.name, kept.email) == (other.name, other.email)
    assert ledger.verify(context)[1] is None


def test_devices_that_were_taken_away_do_not_hinder(context, gone):
    phone = Device(id="phone-417", person=gone, kind="desk phone", name="desk phone 417")
    add_records(context, [phone])
    with pytest.raises(NotAllowedNow, match="still has 1 device"):
        erasure.erase(context, gone, "asked for")
    with context.writing() as writing:
        before = writing.records.the(Device, phone.id)
        writing.save(
            [changed(Subject.DEVICE, before, before.copy_with(removed=True), "device.removed")]
        )
    assert erasure.erase(context, gone, "asked for").person.name == "Erased person"


def test_that_somebody_had_the_number_stays(context, gone):
    erasure.erase(context, gone, "asked for")
    with kept_by(context) as raw:
        spans = raw.execute("SELECT * FROM span").fetchall()
    assert any(KEY in row and "Erased person" in row for row in spans)


def test_of_two_with_one_name_the_other_keeps_theirs(context, gone):
    twin = Person(id="person-twin", name=NAME, email="twin@x.example", site="wharf-house")
    add_records(context, [twin], reason=f"another {NAME}")
    assert erasure.view(context, gone).namesakes == 1
    erasure.erase(context, gone, "asked for")
    with context.reading() as reading:
        assert reading.records.the(Person, "person-twin").name == NAME
        assert reading.records.the(Person, gone).name == "Erased person"
    assert naming(context, MAIL) == []
    assert ledger.verify(context)[1] is None


def test_who_is_here_or_has_something_is_not_erased(context, gone):
    with pytest.raises(NotAllowedNow, match="has not left"):
        erasure.erase(context, "person-ifeoma-okafor", "asked for")
    with pytest.raises(NotUnderstood):
        erasure.erase(context, gone, "  ")
    erasure.erase(context, gone, "asked for")
    with pytest.raises(NotAllowedNow, match="erased already"):
        erasure.erase(context, gone, "asked for")


def test_only_who_sets_the_rules_may(installation, gone):
    for role in set(AccessRole) - {AccessRole.ADMINISTRATOR}:
        member = next((m for m in MEMBERS if m.role is role), None)
        if member:
            with pytest.raises(Forbidden):
                erasure.erase(Context(installation, member), gone, "asked for")


@pytest.mark.parametrize(
    ("left", "email", "erased"),
    [(True, "", True), (True, "ada@example.test", False), (False, "", False)],
)
def test_who_has_left_is_erased_once_their_address_is_gone(left, email, erased):
    person = Person(id="p", name="A former member", email=email, site="leeds", left=left)
    assert erasure.is_erased(person) is erased
