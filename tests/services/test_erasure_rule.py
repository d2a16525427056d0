"""Personal data of people who have left goes by itself, as many days later as the organisation
says."""

from datetime import timedelta

import pytest

from sedge.core.errors import Forbidden, NotUnderstood
from sedge.core.records import HolderKind, HolderRef, Person
from sedge.core.workorders import tasks as t
from sedge.demo.seed import MEMBERS
from sedge.services.apply_now import add_records, apply_at_once
from sedge.services.holders import erasure, erasure_rule
from sedge.services.ledger import ledger
from tests.conftest import until_quiet
from tests.services.test_erasure import naming

GONE, STAYS = "person-0501", "person-0502"
NAMES = {GONE: "Ottoline Fairbrass", STAYS: "Peregrine Ashdown"}
NUMBER = "+441134960188"


@pytest.fixture
def two(installation, context):
    """One who has left today, and one who is here."""
    people = [
        Person(id=key, name=name, email=f"{key}@x.example", site="wharf-house", spot="WHF-001-K")
        for key, name in NAMES.items()
    ]
    add_records(context, people, reason="two join")
    apply_at_once(context, [t.ChangePerson(person=GONE, left=True)], reason="leaves")
    until_quiet(installation)


def known(context, key):
    with context.reading() as reading:
        return reading.records.the(Person, key)


def leaver(context, key=GONE):
    return next((x for x in erasure_rule.view(context).leavers if x.person.id == key), None)


def test_nothing_is_erased_where_nobody_said_so(installation, context, two):
    assert erasure_rule.view(context).days == 0
    assert leaver(context).on is None
    until_quiet(installation, timedelta(days=40))
    assert known(context, GONE).name == NAMES[GONE]


def test_it_is_erased_on_its_day_and_not_before(installation, context, two):
    rule = erasure_rule.set_days(context, 30)
    found = leaver(context)
    assert (rule.days, found.missing) == (30, "")
    assert found.on == found.since + timedelta(days=30)
    until_quiet(installation, timedelta(days=28))
    assert known(context, GONE).name == NAMES[GONE]
    until_quiet(installation, timedelta(days=4))
    assert erasure.is_erased(known(context, GONE))
    assert leaver(context) is None
    assert naming(context, NAMES[GONE]) == []
    assert ledger.verify(context)[1] is None


def test_who_is_here_is_never_erased(installation, context, two):
    erasure_rule.set_days(context, 1)
    until_quiet(installation, timedelta(days=3))
    assert known(context, STAYS).name == NAMES[STAYS]
    assert erasure.is_erased(known(context, GONE))


def test_what_they_still_have_is_taken_back_first(installation, context, two):
    holder = HolderRef(kind=HolderKind.PERSON, id=STAYS)
    apply_at_once(context, [t.AssignNumber(number=NUMBER, holder=holder)], reason="joined")
    with context.writing(reason="told by the directory") as writing:
        person = writing.records.the(Person, STAYS)
        writing.save([changed_to_left(person)])
    erasure_rule.set_days(context, 1)
    until_quiet(installation, timedelta(days=3))
    assert "still has 1 number" in leaver(context, STAYS).missing
    apply_at_once(context, [t.UnassignNumber(number=NUMBER)], reason="back")
    until_quiet(installation, timedelta(days=3))
    assert erasure.is_erased(known(context, STAYS))


def changed_to_left(person):
    from sedge.core.changes import changed
    from sedge.core.records import Subject

    return changed(Subject.PERSON, person, person.copy_with(left=True), "person.left")


def test_the_rule_is_told_by_the_ledger_and_the_same_again_is_no_change(context):
    erasure_rule.set_days(context, 365)
    before = ledger.read(context, limit=1).entries[0]
    erasure_rule.set_days(context, 365)
    assert ledger.read(context, limit=1).entries[0] == before
    assert before.action == "organisation.erasure-set"


@pytest.mark.parametrize("days", [-1, 3651, 100_000])
def test_days_that_cannot_be_meant_are_named(context, days):
    with pytest.raises(NotUnderstood) as told:
        erasure_rule.set_days(context, days)
    assert told.value.field == "days"


def test_others_neither_see_nor_set_it(installation):
    for member in MEMBERS:
        if member.sign_in in {"rowan", "leila"}:
            continue
        theirs = installation.context(member)
        with pytest.raises(Forbidden):
            erasure_rule.view(theirs)
        with pytest.raises(Forbidden):
            erasure_rule.set_days(theirs, 1)
