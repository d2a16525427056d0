"""The facts of a number's card: each judged, with the next sensible action first."""

from datetime import timedelta

import pytest

from sedge.core import records as e
from sedge.core.callpaths.steps import holder_path
from sedge.core.callpaths.tracing.proof import fingerprint
from sedge.core.numbers.card_facts import Mark, next_actions, standing
from sedge.core.numbers.life import State
from sedge.core.retiring.dependencies import saved_a_year
from tests.conftest import NOW


def facts(estate, number):
    built = estate.build()
    return {f.name: f for f in standing(built.number(number), built)}


def actions(estate, number):
    built = estate.build()
    return next_actions(built.number(number), built)


def proof(estate, number, *, ok=True, direction="in", way=None, minutes=0):
    built = estate.build()
    estate.put(
        e.Proof(
            id=f"proof-{direction}-{minutes}",
            e164=number,
            direction=direction,
            at=NOW - timedelta(minutes=minutes),
            ok=ok,
            heard="hello",
            way=way if way is not None else fingerprint(built.number(number), built, direction),
        )
    )


def test_a_number_in_good_order_has_only_good_marks(estate):
    person = estate.person(job="registrar")
    estate.granted(person, "staff", "home")
    number = estate.given(142, person, registered_spot="WHF-001-K")
    proof(estate, number)
    proof(estate, number, direction="out")
    found = facts(estate, number)
    assert [f.name for f in found.values() if f.mark is not Mark.GOOD] == []
    assert found["Holder"].text == "Ifeoma Okafor, registrar"
    assert found["Licence"].text == "Staff seat, Home calling"
    assert found["Safety"].text == "Wharf House, ground floor, reception"
    assert found["Caller ID"].text == "0113 496 0142, this number"
    assert found["Tested"].text.startswith("in and out")


@pytest.mark.parametrize(
    ("changes", "name", "mark", "words"),
    [
        ({"spot": None}, "Safety", Mark.WRONG, "no emergency spot set"),
        ({"spot": "WHF-000-M"}, "Safety", Mark.WRONG, "floor and room are missing"),
        (
            {"registered_spot": "WHF-000-M"},
            "Safety",
            Mark.WAITING,
            "its carrier has another address",
        ),
        ({"trunk": None}, "Trunk", Mark.WRONG, "on no trunk's list"),
        ({"usable_from": NOW + timedelta(hours=1)}, "Carrier", Mark.WAITING, "not usable yet"),
        ({"leaving_on": NOW}, "Carrier", Mark.WAITING, "being released"),
    ],
)
def test_what_is_not_right_is_marked_and_said(estate, changes, name, mark, words):
    person = estate.person()
    estate.granted(person, "staff", "home")
    number = estate.given(142, person, **{"registered_spot": "WHF-001-K", **changes})
    found = facts(estate, number)[name]
    assert found.mark is mark
    assert words in found.text


def test_a_missing_licence_is_named(estate):
    person = estate.person()
    estate.granted(person, "staff")
    found = facts(estate, estate.given(142, person))["Licence"]
    assert (found.mark, found.text) == (Mark.WRONG, "Home calling missing")


def test_a_licence_that_does_not_work_yet_is_waited_for(estate):
    person = estate.person()
    estate.granted(person, "staff", "home", works_from=NOW + timedelta(minutes=9))
    assert facts(estate, estate.given(142, person))["Licence"].mark is Mark.WAITING


def test_an_assignment_that_works_later_is_waited_for(estate):
    assignment = e.Assignment(
        holder=estate.person(), role=e.Role.MAIN, since=NOW, works_from=NOW + timedelta(minutes=9)
    )
    number = estate.number(142, State.ASSIGNED, assignment=assignment, spot="WHF-001-K")
    assert facts(estate, number)["Holder"].mark is Mark.WAITING


def test_a_trunk_that_is_down_is_wrong(estate):
    number = estate.given(142, estate.person())
    estate.put(estate.records["Trunk/brackwater-leeds"].copy_with(up=False))
    assert (facts(estate, number)["Trunk"].text, facts(estate, number)["Trunk"].mark) == (
        "Brackwater Leeds, down",
        Mark.WRONG,
    )


@pytest.mark.parametrize("kind", ["line", "site"])
def test_a_line_or_a_site_without_a_path_answers_nothing(estate, kind):
    holder = estate.line() if kind == "line" else e.HolderRef(kind=e.HolderKind.SITE, id="leeds")
    number = estate.given(142, holder, capacity="many")
    found = facts(estate, number)["Call path"]
    assert (found.mark, found.text) == (Mark.WRONG, "none yet: callers hear nothing")
    assert actions(estate, number)[0] in {"set-path", "register-address"}
    assert "set-path" in actions(estate, number)


def test_a_path_is_named_and_leads_to_it(estate):
    estate.put(
        e.PathVersion(
            id="p", name="Front desk", body=holder_path().model_dump(mode="json"), in_force_from=NOW
        )
    )
    found = facts(estate, estate.given(142, estate.line(), capacity="many", path="p"))["Call path"]
    assert (found.text, found.to, found.mark) == ("Front desk", (e.Subject.PATH, "p"), Mark.GOOD)


def test_proof_is_never_stale_failed_or_good(estate):
    number = estate.given(142, estate.person())
    assert (facts(estate, number)["Tested"].text, facts(estate, number)["Tested"].mark) == (
        "never: place a test call",
        Mark.NONE,
    )
    proof(estate, number, way="another way", minutes=3)
    assert facts(estate, number)["Tested"].mark is Mark.WAITING
    assert "outdated" in facts(estate, number)["Tested"].text
    proof(estate, number, ok=False, minutes=2)
    assert facts(estate, number)["Tested"].mark is Mark.WRONG
    proof(estate, number, minutes=1)
    assert facts(estate, number)["Tested"].mark is Mark.GOOD


@pytest.mark.parametrize(
    ("state", "first"),
    [
        (State.AVAILABLE, "assign"),
        (State.RESERVED, "assign"),
        (State.AGING, "end-rest"),
        (State.ADMINISTRATIVE, "return"),
        (State.ON_ORDER, None),
        (State.RELEASED, None),
    ],
)
def test_the_next_action_follows_from_the_state(estate, state, first):
    found = actions(estate, estate.number(142, state))
    assert (found[0] if found else None) == first


@pytest.mark.parametrize(
    ("changes", "first"),
    [
        ({"spot": None}, "set-spot"),
        ({"trunk": None, "registered_spot": "WHF-001-K"}, "list-on-trunk"),
        ({}, "register-address"),
    ],
)
def test_what_is_most_urgent_comes_first(estate, changes, first):
    assert actions(estate, estate.given(142, estate.person(), **changes))[0] == first


def test_releasing_a_number_saves_a_year(estate):
    number = estate.number(142, trunk=None)
    assert str(saved_a_year(estate.build().number(number)).amount) == "7.80"
