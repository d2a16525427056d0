"""What is brought in as it is found: a number in use before is in use after, so what it lacks is a
warning, and only what would break the estate stops. People who come, change and leave; what a site
needs before people work there."""

from datetime import timedelta

import pytest

from sedge.core.errors import NotAllowedNow
from sedge.core.holders.devices import REASONS, why_silent
from sedge.core.holders.site_setup import Facts, steps
from sedge.core.imports import rules
from sedge.core.numbers.life import State
from sedge.core.records import (
    Answering,
    CallerId,
    Device,
    Group,
    HolderKind,
    HolderRef,
    Role,
    Verdict,
)
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Level
from tests.conftest import NOW

NEW = "+441134960501"


def adopted(estate, **values):
    usual = {"number": NEW, "account": "brackwater-main", "site": "leeds"}
    return t.AdoptNumber(**usual | {"monthly": estate.gbp("0.65")} | values)


def judged(rule, task, world):
    finding = rule(task, world)
    return (finding.level, finding.message) if finding else (None, "")


# ── numbers taken over ──


@pytest.mark.parametrize(
    ("state", "level"),
    [(None, Level.PASS), (State.CLOSED, Level.PASS), (State.ASSIGNED, Level.STOP)]
    + [(State.AVAILABLE, Level.STOP), (State.PORTED_OUT, Level.PASS)],
)
def test_a_number_has_one_open_life(estate, state, level):
    if state:
        estate.number(501, state)
    world, task = estate.build(), adopted(estate)
    assert judged(rules.not_here, task, world)[0] is level
    if level is Level.STOP:
        with pytest.raises(NotAllowedNow, match="in the estate already"):
            task.apply(world)


@pytest.mark.parametrize(
    ("state", "holder", "level", "words"),
    [
        ("assigned", None, Level.STOP, "needs its holder"),
        ("available", None, None, ""),
        ("assigned", "ifeoma-okafor", Level.PASS, "Ifeoma Okafor is here"),
        ("assigned", "nobody", Level.STOP, "Nobody with the id “nobody” is here"),
    ],
)
def test_whoever_has_it_must_be_known(estate, state, holder, level, words):
    estate.person()
    ref = HolderRef(kind=HolderKind.PERSON, id=holder) if holder else None
    found = judged(rules.holder_is_here, adopted(estate, state=state, holder=ref), estate.build())
    assert found[0] is level and words in found[1]


@pytest.mark.parametrize(
    ("role", "level"), [("main", Level.STOP), ("extra", None), ("mailbox access", Level.PASS)]
)
def test_one_main_number_each(estate, role, level):
    person = estate.person()
    estate.given(142, person)
    task = adopted(estate, state="assigned", holder=person, role=role)
    assert judged(rules.role_free, task, estate.build())[0] is level


@pytest.mark.parametrize(
    ("own", "told", "verdict", "level", "words"),
    [
        (None, None, Verdict.EXACT, Level.WARN, "No file says where responders would have to go"),
        ("WHF-001-K", None, Verdict.EXACT, Level.PASS, "ground floor, reception"),
        (None, "WHF-001-K", Verdict.EXACT, Level.PASS, "ground floor, reception"),
        ("WHF-001-K", None, Verdict.UNKNOWN, Level.WARN, "ground floor, reception: "),
    ],
)
def test_a_number_without_a_spot_comes_in_and_is_told_of(estate, own, told, verdict, level, words):
    estate.put(estate.records["Address/leeds-address"].copy_with(verdict=verdict))
    person = estate.person(spot=own)
    task = adopted(estate, state="assigned", holder=person, spot=told)
    found = judged(rules.dispatchable_spot, task, estate.build())
    assert found[0] is level and words in found[1]


def test_licences_no_file_grants_are_offered_one_by_one(estate):
    person = estate.person()
    estate.granted(person, "staff")
    task = adopted(estate, state="assigned", holder=person)
    finding = rules.licences_held(task, estate.build())
    assert finding.level is Level.WARN and "Home calling" in finding.message
    [remedy] = finding.remedies
    assert not remedy.automatic
    assert remedy.tasks == (t.GrantLicence(holder=person, product="home"),)
    estate.granted(person, "home")
    assert rules.licences_held(task, estate.build()).is_pass


@pytest.mark.parametrize("rule", [rules.dispatchable_spot, rules.licences_held, rules.role_free])
def test_nothing_is_asked_of_a_number_nobody_has(estate, rule):
    assert rule(adopted(estate), estate.build()) is None


@pytest.mark.parametrize(
    ("state", "until"),
    [("available", None), ("administrative", None), ("aging", timedelta(days=90))],
)
def test_what_rests_rests_as_long_as_its_kind(estate, state, until):
    [change] = adopted(estate, state=state).apply(estate.build())
    assert change.after.state == state
    assert change.after.state_until == (NOW + until if until else None)
    assert change.after.assignment is None


def test_a_number_in_use_is_in_use_at_once(estate):
    person = estate.person()
    task = adopted(estate, state="assigned", holder=person, role="extra", label="desk")
    [change] = task.apply(estate.build(), "wo-1")
    after = change.after
    assert (after.id, after.holder, after.spot) == ("wo-1-441134960501", person, "WHF-001-K")
    assert (after.assignment.role, after.assignment.works_from) == (Role.EXTRA, NOW)
    assert task.describe(estate.build()) == (
        "Import 0113 496 0501",
        "assigned, held by Ifeoma Okafor",
    )


def test_a_reserved_number_waits_for_its_holder(estate):
    person = estate.person()
    [change] = adopted(estate, state="reserved", holder=person).apply(estate.build())
    assert (change.after.reserved_for, change.after.holder) == (person, None)


# ── people ──


def added(**values):
    usual = {"id": "p-1", "name": "Ada Strand", "email": "ada@example.test", "site": "leeds"}
    return t.AddPerson(**usual | values)


def test_a_mail_address_is_one_persons(estate):
    estate.person("Ada Strand")
    task, world = added(email="ADA-STRAND@example.test"), estate.build()
    level, words = judged(rules.mail_is_free, task, world)
    assert level is Level.STOP and "Is it the same person?" in words
    assert judged(rules.mail_is_free, added(), world)[0] is Level.PASS
    estate.person("Ada Strand", left=True)
    assert judged(rules.mail_is_free, task, estate.build())[0] is Level.PASS


@pytest.mark.parametrize(("spot", "level"), [(None, Level.WARN), ("WHF-001-K", Level.PASS)])
def test_where_help_would_find_somebody_new(estate, spot, level):
    assert judged(rules.spot_is_set, added(spot=spot), estate.build())[0] is level


def test_somebody_is_added_once(estate):
    task, world = added(), estate.build()
    [change] = task.apply(world)
    assert (change.after.id, change.action) == ("p-1", "person.added")
    world.absorb([change])
    assert task.apply(world) == []
    assert task.needs().emails == {"ada@example.test"}


def test_who_moves_leaves_the_spot_and_who_leaves_keeps_nothing(estate):
    person = estate.person(
        extension="142",
        answering=Answering(seconds_each=10),
        caller_id=CallerId(shows="withheld"),
    )
    estate.put(estate.records["Site/leeds"].copy_with(id="york", name="York"))
    world = estate.build()
    [moved] = t.ChangePerson(person=person.id, site="york").apply(world)
    assert (moved.after.site, moved.after.spot) == ("york", None)
    gone, phone = t.ChangePerson(person=person.id, left=True).apply(world)
    after = gone.after
    assert (after.left, after.extension, after.spot, after.rights) == (True, "", None, ())
    assert (after.answering, after.caller_id) == (Answering(), CallerId())
    assert (phone.after.removed, phone.after.registered) == (True, False)


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"left": True}, ("Note that Ifeoma Okafor", "has left")),
        ({"extension": "150"}, ("Change Ifeoma Okafor", "extension 150")),
        (
            {"site": "leeds", "job": "Guide"},
            ("Change Ifeoma Okafor", "site Wharf House, job Guide"),
        ),
    ],
)
def test_a_change_is_told_in_words(estate, values, words):
    person = estate.person()
    assert t.ChangePerson(person=person.id, **values).describe(estate.build()) == words


def test_what_is_the_same_already_changes_nothing(estate):
    person = estate.person()
    assert t.ChangePerson(person=person.id, site="leeds").apply(estate.build()) == []


def test_a_group_comes_to_be_changes_and_goes(estate):
    people = [estate.person(n).id for n in ("Ada Strand", "Ivo Strand")]
    world = estate.build()
    task = t.SetGroup(group="desk", name="Desk", members=(*people, people[0]))
    [new] = task.apply(world)
    assert (new.action, new.after.members) == ("group.added", tuple(people))
    world.absorb([new])
    assert task.apply(world) == []
    [changed] = t.SetGroup(group="desk", name="Front", members=people[:1]).apply(world)
    assert (changed.action, changed.after.name) == ("group.changed", "Front")
    [gone] = t.SetGroup(group="desk", name="Desk", removed=True).apply(world)
    assert gone.action == "group.removed" and isinstance(gone.after, Group)
    assert task.describe(world) == ("Set the group Desk", "to 3 members")


# ── phones ──


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"registered": True}, ""),
        ({"removed": True}, "It has been taken away."),
        ({"said": "secret"}, REASONS["secret"]),
        ({"said": "what nobody knows"}, REASONS["silent"]),
        ({}, REASONS["silent"]),
    ],
)
def test_why_a_phone_is_silent(values, words):
    device = Device(id="d", person="p", kind="desk phone", name="desk phone", **values)
    assert why_silent(device) == words


# ── what a site needs ──


def site_facts(estate, **values):
    usual = {
        "site": estate.records["Site/leeds"],
        "address": estate.records["Address/leeds-address"],
        "spots": [estate.records["Spot/WHF-001-K"]],
        "held": [],
        "trunks": [estate.records["Trunk/leeds-a"]],
        "people": 3,
        "free": 4,
        "holidays": "England",
        "country": "United Kingdom",
        "emergency": ("999", "112"),
    }
    return Facts(**usual | values)


def states(estate, **values):
    return {s.key: s.state for s in steps(site_facts(estate, **values), NOW)}


def held(estate, role, **values):
    desk = HolderRef(kind=HolderKind.SITE, id="leeds")
    e164 = estate.given(100, desk, role, **values)
    return estate.records[f"Number/{e164}"]


def test_a_site_that_has_all_is_ready(estate):
    main = held(estate, Role.MAIN, path="front-desk")
    found = states(estate, held=[main])
    assert {k for k, state in found.items() if state is not Level.PASS} == {"mailbox"}


@pytest.mark.parametrize(
    ("values", "key", "state"),
    [
        ({"address": None}, "address", Level.STOP),
        ({"spots": []}, "spots", Level.STOP),
        ({"trunks": []}, "supply", Level.WARN),
        ({"free": 0}, "numbers", Level.WARN),
        ({"people": 0}, "people", Level.WARN),
        ({}, "main", Level.STOP),
    ],
)
def test_what_is_missing_is_told_with_its_weight(estate, values, key, state):
    assert states(estate, **values)[key] is state


@pytest.mark.parametrize(
    ("key", "values", "step"),
    [
        ("Site/leeds", {"account": None}, "supply"),
        ("Site/leeds", {"security_desk": ""}, "desk"),
        ("Address/leeds-address", {"verdict": Verdict.AMBIGUOUS}, "address"),
    ],
)
def test_what_nobody_can_do_without_stops(estate, key, values, step):
    estate.put(estate.records[key].copy_with(**values))
    assert states(estate)[step] is Level.STOP


def test_a_main_number_without_a_path_can_wait(estate):
    assert states(estate, held=[held(estate, Role.MAIN)])["main"] is Level.WARN


def test_the_country_says_what_follows_from_it(estate):
    first = steps(site_facts(estate), NOW)[0]
    assert first.is_done and "999 and 112 for help, English, Europe/London" in first.how
