"""Following calls in and out, hours, endings, the emergency answer."""

from datetime import UTC, datetime, timedelta

import pytest
from pydantic import ValidationError

from sedge.core.callpaths.layout import lay_out
from sedge.core.callpaths.openings import opening_at
from sedge.core.callpaths.steps import (
    Announce,
    Closure,
    Hours,
    Mailbox,
    Menu,
    Opening,
    Path,
    Queue,
    Ring,
    holder_path,
)
from sedge.core.callpaths.tracing.proof import difference, fingerprint
from sedge.core.callpaths.tracing.trace import EndingKind, World, trace_inbound
from sedge.core.numbers.life import State
from sedge.core.outbound.dialling.dialplan import dial, matches
from sedge.core.outbound.trace import trace_outbound
from sedge.core.records import PathVersion, Right, Site, Trunk
from sedge.core.safety.emergency import emergency_test
from tests.conftest import NOW

OPEN = Hours(
    timezone="Europe/London",
    openings=(Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end="17:00"),),
    holidays_of="GB-ENG",
)


def menu_path(people):
    away = dict.fromkeys(("no answer", "busy", "nobody reachable"), "mailbox")
    return Path(
        first="hours",
        steps={
            "hours": OPEN.copy_with(exits={"open": "menu", "closed": "sorry", "holiday": "sorry"}),
            "menu": Menu(
                greeting="For visits press 1, for schools press 2",
                keys={"1": "visits", "2": "schools"},
                exits={"1": "queue", "2": "ring", "no input": "queue", "wrong input": "mailbox"},
            ),
            "queue": Queue(
                people=people,
                longest_wait=60,
                most_waiting=3,
                exits={
                    "full": "mailbox",
                    "waited too long": "mailbox",
                    "nobody signed in": "sorry",
                },
            ),
            "ring": Ring(people=people, order="in order", seconds=20, exits=away),
            "sorry": Announce(text="We are closed today", exits={"done": "mailbox"}),
            "mailbox": Mailbox(recipients=people[:1]),
        },
    )


@pytest.fixture
def front_desk(estate):
    """A menu on 0113 496 0200 with two people behind it."""
    one, other = estate.person("Amara Whitlock"), estate.person("Piet Lindqvist")
    line = estate.line("Visits")
    body = menu_path((one.id, other.id)).model_dump(mode="json")
    estate.put(PathVersion(id="desk", name="Front desk", body=body, in_force_from=NOW))
    estate.given(200, line, capacity="many", path="desk")
    return estate


def ending(estate, at=NOW, number="+441134960200", **world):
    return trace_inbound(number, at, World(**world), estate.build()).ending.kind


def test_a_number_without_a_path_rings_its_holder(estate):
    person = estate.person()
    estate.given(142, person)
    trace = trace_inbound("+441134960142", NOW, World(), estate.build())
    assert (trace.ending.kind, trace.rang, trace.seconds) == (
        EndingKind.ANSWERED,
        ["desk phone of Ifeoma"],
        0,
    )
    assert trace.ending.who == "Ifeoma Okafor"


@pytest.mark.parametrize(
    ("world", "kind"),
    [
        ({}, "answered"),
        ({"nobody_answers": True}, "mailbox"),
        ({"busy": ("ifeoma-okafor",)}, "mailbox"),
        ({"answers": {"ifeoma-okafor": 40}}, "mailbox"),
        ({"answers": {"ifeoma-okafor": 3}}, "answered"),
        ({"answers": {"ifeoma-okafor": None}}, "mailbox"),
        ({"trunks_down": ("brackwater-leeds",)}, "rejected"),
    ],
)
def test_the_world_decides_how_a_call_ends(estate, world, kind):
    estate.given(142, estate.person())
    assert ending(estate, number="+441134960142", **world) == kind


def test_a_phone_that_is_not_registered_does_not_ring_and_the_trace_says_so(estate):
    estate.given(142, estate.person(registered=False))
    trace = trace_inbound("+441134960142", NOW, World(), estate.build())
    assert trace.ending.kind is EndingKind.MAILBOX
    assert any(
        "not registered" in h.text or "no phone registered" in h.text
        for h in trace.happenings
        if h.wrong
    )


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"trunk": None}, "no trunk's list"),
        ({"usable_from": NOW + timedelta(hours=1)}, "in service only from"),
    ],
)
def test_what_stops_a_call_before_the_path(estate, values, words):
    estate.given(142, estate.person(), **values)
    trace = trace_inbound("+441134960142", NOW, World(), estate.build())
    assert (trace.ending.kind, words in trace.ending.reason) == (EndingKind.REJECTED, True)


def test_a_number_nobody_has_is_rejected(estate):
    estate.number(142)
    assert ending(estate, number="+441134960142") == "rejected"


@pytest.mark.parametrize(
    ("world", "kind"),
    [
        ({"presses": ("1",)}, "answered"),
        ({"presses": ("2",)}, "answered"),
        ({"presses": ("9",)}, "mailbox"),
        ({}, "answered"),
        ({"says": ("schools",)}, "answered"),
        ({"presses": ("1",), "queue": {"queue": 3}}, "mailbox"),
        ({"presses": ("1",), "nobody_answers": True}, "mailbox"),
    ],
)
def test_a_menu_with_a_queue_in_opening_hours(front_desk, world, kind):
    assert ending(front_desk, **world) == kind


def test_outside_opening_hours_the_caller_hears_why_and_leaves_a_message(front_desk):
    trace = trace_inbound(
        "+441134960200", datetime(2026, 11, 24, 20, 0, tzinfo=UTC), World(), front_desk.build()
    )
    assert [h.step for h in trace.happenings] == ["carrier", "hours", "sorry", "mailbox"]
    assert "09:00 to 17:00" in trace.happenings[1].text


def test_a_caller_in_the_queue_waits_as_long_as_it_says(front_desk):
    trace = trace_inbound(
        "+441134960200", NOW, World(presses=("1",), nobody_answers=True), front_desk.build()
    )
    assert trace.happenings[-2].text.startswith("waited 1:00")
    assert trace.ending.kind is EndingKind.MAILBOX


@pytest.mark.parametrize(
    ("moment", "way_out"),
    [
        (datetime(2026, 11, 24, 9, 0, tzinfo=UTC), "open"),
        (datetime(2026, 11, 24, 17, 0, tzinfo=UTC), "closed"),
        (datetime(2026, 11, 28, 12, 0, tzinfo=UTC), "closed"),
        (datetime(2026, 12, 25, 12, 0, tzinfo=UTC), "holiday"),
        (datetime(2026, 6, 1, 8, 30, tzinfo=UTC), "open"),
        (datetime(2026, 6, 1, 16, 30, tzinfo=UTC), "closed"),
        (datetime(2026, 10, 26, 8, 30, tzinfo=UTC), "closed"),
        (datetime(2026, 10, 23, 8, 30, tzinfo=UTC), "open"),
    ],
)
def test_hours_follow_weekday_holiday_and_summer_time(moment, way_out):
    assert opening_at(OPEN, moment)[0] == way_out


def test_a_closure_comes_before_the_openings():
    closed = OPEN.copy_with(
        closures=(Closure(first=NOW.date(), last=NOW.date(), name="stocktaking"),)
    )
    assert opening_at(closed, NOW) == ("closed", "Closure: stocktaking.")


def test_a_path_that_goes_round_in_a_circle_ends(estate):
    person = estate.person()
    away = {"no answer": "ring"}
    circle = Path(first="ring", steps={"ring": Ring(people=(person.id,), exits=away)})
    estate.put(
        PathVersion(
            id="circle", name="Circle", body=circle.model_dump(mode="json"), in_force_from=NOW
        )
    )
    estate.given(142, person, path="circle")
    trace = trace_inbound("+441134960142", NOW, World(nobody_answers=True), estate.build())
    assert (trace.ending.kind, "circle" in trace.ending.reason) == (EndingKind.ENDED, True)


def test_an_exit_must_lead_to_a_step_and_belong_to_its_kind():
    with pytest.raises(ValidationError, match="leads to"):
        Path(first="ring", steps={"ring": Ring(exits={"no answer": "nowhere"})})
    with pytest.raises(ValidationError, match="no exit"):
        Path(first="ring", steps={"ring": Ring(exits={"open": "ring"})})
    with pytest.raises(ValidationError, match="first step"):
        Path(first="hello", steps={"ring": Ring()})


def test_the_picture_has_a_place_for_every_step_and_no_two_share_one(front_desk):
    path = menu_path(("a", "b"))
    layout = lay_out(path)
    places = [(b.x, b.y) for b in layout.boxes.values()]
    assert set(layout.boxes) == set(path.steps)
    assert len(set(places)) == len(places)
    assert {(line.source, e, line.target) for line in layout.lines for e in line.exits} == {
        (k, e, to) for k, s in path.steps.items() for e, to in s.exits.items()
    }


def test_a_placed_call_that_rings_another_phone_differs_from_the_trace(estate):
    estate.given(142, estate.person())
    trace = trace_inbound("+441134960142", NOW, World(), estate.build())
    assert difference(trace, "answered", trace.rang) == ""
    assert "really rang phone of somebody" in difference(trace, "answered", ["phone of somebody"])
    assert "really: mailbox" in difference(trace, "mailbox", trace.rang)


def test_a_proof_goes_stale_when_anything_on_its_way_changes(estate):
    person = estate.person()
    number = estate.given(142, person)
    before = estate.build()
    way = fingerprint(before.number(number), before)
    estate.put(estate.records[f"Device/phone-{person.id}"].copy_with(registered=False))
    after = estate.build()
    assert fingerprint(after.number(number), after) != way
    estate.put(estate.records[f"Device/phone-{person.id}"].copy_with(registered=True))
    back = estate.build()
    assert fingerprint(back.number(number).copy_with(note="another note"), back) == way


# ── out ──


@pytest.mark.parametrize(
    ("digit_map", "keys", "fits"),
    [
        ("0[1-9]xx.", "0113", True),
        ("0[1-9]xx.", "01", False),
        ("0[1-9]xx.", "00", False),
        ("xxx", "142", True),
        ("xxx", "1420", False),
        ("999|112", "112", True),
        ("9x.T", "9", True),
        ("9x.T", "91234", True),
        ("+x.", "+44", True),
    ],
)
def test_digit_maps_match_as_in_rfc_3435(digit_map, keys, fits):
    assert matches(digit_map, keys) is fits


@pytest.mark.parametrize(
    ("dialled", "kind", "result", "right"),
    [
        ("999", "emergency", "999", Right.EMERGENCY),
        ("112", "emergency", "112", Right.EMERGENCY),
        ("9 999", "emergency", "999", Right.EMERGENCY),
        ("0113 496 0142", "number", "+441134960142", Right.NATIONAL),
        ("9 0113 496 0142", "number", "+441134960142", Right.NATIONAL),
        ("07700 900123", "number", "+447700900123", Right.MOBILE),
        ("00 49 30 23125147", "number", "+493023125147", Right.INTERNATIONAL),
        ("0909 879 0001", "number", "+449098790001", Right.PREMIUM),
        ("142", "extension", "142", Right.INTERNAL),
        ("12345", "nothing", "12345", Right.INTERNAL),
    ],
)
def test_what_dialled_keys_become(estate, dialled, kind, result, right):
    found = dial(dialled, estate.build().the(Site, "leeds"))
    assert (found.kind, found.result, found.right) == (kind, result, right)


def test_a_call_out_shows_the_callers_own_number_over_its_own_trunk(estate):
    ref = estate.person()
    estate.given(142, ref)
    trace = trace_outbound(estate.records["Person/ifeoma-okafor"], "0131 496 0500", estate.build())
    assert (trace.ending, trace.trunk, trace.caller_id) == (
        "reached",
        "Brackwater Leeds",
        "+441134960142",
    )
    assert [c.taken for c in trace.candidates] == [True, False]


def test_a_call_abroad_without_the_right_is_refused(estate):
    estate.given(142, estate.person())
    trace = trace_outbound(
        estate.records["Person/ifeoma-okafor"], "0049 30 23125147", estate.build()
    )
    assert (trace.ending, "no right" in trace.reason) == ("rejected", True)


# ── help ──


def test_a_call_for_help_says_where_to_go_and_who_rings_back(estate):
    estate.given(142, estate.person())
    world = estate.build()
    answer = emergency_test(world.number("+441134960142"), "999", world)
    assert answer.broken == []
    assert (answer.spot, answer.psap, answer.callback, answer.told) == (
        "WHF-001-K",
        "Leeds operator assistance",
        "+441134960142",
        "desk@example.test",
    )
    assert answer.with_prefix


@pytest.mark.parametrize(
    ("break_it", "words"),
    [
        (lambda b: b.given(142, b.person(), spot=None), "no emergency spot"),
        (
            lambda b: (
                b.given(142, b.person()),
                b.put(b.records["Address/leeds-address"].copy_with(verdict="unknown")),
            ),
            "not confirmed by the register",
        ),
        (
            lambda b: (
                b.given(142, b.person()),
                b.put(b.records["Site/leeds"].copy_with(security_desk="")),
            ),
            "would be told",
        ),
        (
            lambda b: (
                b.given(142, b.person()),
                *(
                    b.put(x.copy_with(up=False))
                    for x in list(b.records.values())
                    if isinstance(x, Trunk)
                ),
            ),
            "No trunk",
        ),
        (
            lambda b: (
                b.given(142, b.person()),
                b.put(b.records["Address/leeds-address"].copy_with(psap="")),
            ),
            "answering point",
        ),
    ],
    ids=["no spot", "address unknown", "nobody told", "trunks down", "no psap"],
)
def test_every_broken_link_of_a_call_for_help_is_named(estate, break_it, words):
    break_it(estate)
    world = estate.build()
    answer = emergency_test(world.number("+441134960142"), "999", world)
    assert any(words in sentence for sentence in answer.broken), answer.broken


def test_a_foreign_emergency_number_does_not_reach_help(estate):
    estate.given(142, estate.person())
    world = estate.build()
    assert not emergency_test(world.number("+441134960142"), "911", world).reachable


def test_without_rights_help_is_still_reached(estate):
    estate.given(142, estate.person(rights=()))
    assert (
        trace_outbound(estate.records["Person/ifeoma-okafor"], "999", estate.build()).ending
        == "emergency"
    )


def test_the_holders_path_is_what_a_number_without_one_follows():
    assert holder_path(30).steps["ring"].seconds == 30
    assert State.ASSIGNED.value == "assigned"
