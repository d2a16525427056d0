"""Each step of a call path and each of its exits, by example: what is decided, why, when, and what
it costs."""

from datetime import UTC, date, datetime, timedelta

import pytest

from sedge.core import records as e
from sedge.core.callpaths.openings import opening_at, overlapping
from sedge.core.callpaths.steps import (
    EXITS,
    Announce,
    Closure,
    End,
    Forward,
    Hours,
    Mailbox,
    Menu,
    Opening,
    OtherPath,
    Path,
    Queue,
    Recording,
    Ring,
    Rota,
    Saying,
    Shown,
    SipAddress,
    holder_path,
)
from sedge.core.callpaths.tracing.trace import trace_inbound, trace_path
from sedge.core.callpaths.tracing.world import Called, EndingKind, World
from sedge.core.enums import Right
from sedge.core.facts import money
from sedge.core.trunks.records import Diversion, NumberFormat, TrunkSettings
from sedge.core.workorders import tasks as t
from tests.conftest import NOW

NUMBER = "+441134960200"
OUTSIDE = "+441514960400"
WEEK = tuple(range(7))


@pytest.fixture
def line(estate):
    """A service line with four people who could answer it: the first three have phones."""
    for name in ("Amara Whitlock", "Piet Lindqvist", "Jo Farrow"):
        estate.person(name)
    estate.person("Ngozi Silent", registered=False)
    estate.put(
        estate.records["Carrier/brackwater"].copy_with(
            rates={
                "44": money("0.012", "GBP"),
                "447": money("0.03", "GBP"),
                "49": money("0.02", "GBP"),
            }
        )
    )
    return estate.line("Visits")


PEOPLE = ("amara-whitlock", "piet-lindqvist", "jo-farrow")


def followed(estate, line, *steps, at=NOW, caller="0131 496 0999", label="", **world):
    """A call to a number of the line through steps named a, b, c …"""
    path = Path(first="a", steps=dict(zip("abcdefgh", steps, strict=False)))
    if f"Number/{NUMBER}" not in estate.records:
        estate.given(200, line, capacity="many", label=label)
    built = estate.build()
    return trace_inbound(NUMBER, at, World(**world), built, caller=caller, path=path)


def told(trace):
    return [(h.title, h.exit) for h in trace.happenings[1:]]


# ── hours ──


@pytest.mark.parametrize(
    ("moment", "way_out"),
    [
        ("2026-11-27T21:59", "closed"),
        ("2026-11-27T22:00", "open"),
        ("2026-11-28T03:59", "open"),
        ("2026-11-28T04:00", "closed"),
        ("2026-11-28T22:30", "closed"),
        ("2026-11-27T03:00", "closed"),
    ],
)
def test_hours_over_midnight_belong_to_the_evening_they_began_on(moment, way_out):
    friday_night = Hours(
        timezone="Europe/London", openings=(Opening(weekdays=(4,), start="22:00", end="04:00"),)
    )
    assert (
        opening_at(friday_night, datetime.fromisoformat(moment).replace(tzinfo=UTC))[0] == way_out
    )


@pytest.mark.parametrize(
    ("day", "way_out"),
    [
        ("2027-12-26", "closed"),
        ("2028-01-03", "closed"),
        ("2028-01-04", "open"),
        ("2027-12-23", "open"),
        ("2028-02-29", "closed"),
        ("2027-03-01", "open"),
        ("2027-02-28", "open"),
    ],
)
def test_closures_that_come_back_every_year_go_over_new_year_and_know_leap_days(day, way_out):
    closures = (
        Closure(first=date(2026, 12, 24), last=date(2027, 1, 3), name="winter", yearly=True),
        Closure(first=date(2024, 2, 29), last=date(2024, 2, 29), name="leap day", yearly=True),
    )
    step = Hours(
        timezone="Europe/London",
        openings=(Opening(weekdays=WEEK, start="00:00", end="24:00"),),
        closures=closures,
    )
    assert opening_at(step, datetime.fromisoformat(day).replace(hour=12, tzinfo=UTC))[0] == way_out


def test_a_holiday_wins_over_a_closure_and_a_closure_over_an_opening():
    step = Hours(
        timezone="Europe/London",
        openings=(Opening(weekdays=WEEK, start="00:00", end="24:00"),),
        holidays_of="GB-ENG",
        closures=(Closure(first=date(2026, 12, 24), last=date(2026, 12, 26), name="works closed"),),
    )
    at = datetime(2026, 12, 25, 12, tzinfo=UTC)
    assert opening_at(step, at) == ("holiday", "Friday 12:00 is Christmas Day.")
    assert opening_at(step, at.replace(day=24)) == ("closed", "Closure: works closed.")
    assert opening_at(step, at.replace(day=23))[0] == "open"


def test_hours_know_of_summer_time():
    step = Hours(
        timezone="Europe/Berlin", openings=(Opening(weekdays=WEEK, start="09:00", end="10:00"),)
    )
    assert opening_at(step, datetime(2027, 3, 27, 8, 30, tzinfo=UTC))[0] == "open"
    assert opening_at(step, datetime(2027, 3, 28, 8, 30, tzinfo=UTC))[0] == "closed"
    assert opening_at(step, datetime(2027, 3, 28, 7, 30, tzinfo=UTC))[0] == "open"


def test_overlapping_hours_are_found_also_over_midnight():
    night, early = (
        Opening(weekdays=(4,), start="22:00", end="04:00"),
        Opening(weekdays=(5,), start="03:00", end="06:00"),
    )
    assert overlapping((night, early)) == (night, early)
    assert overlapping((night, Opening(weekdays=(5,), start="04:00", end="06:00"))) is None


# ── menus ──

MENU = Menu(
    greeting="For visits, press 1. For school groups, press 2.",
    keys={"1": "visits", "2": "school groups"},
    wait_seconds=4,
    repeats=3,
    exits={"1": "b", "2": "c", "no input": "d", "wrong input": "e"},
)
ENDS = (
    Ring(title="visits", people=PEOPLE[:1]),
    Ring(title="schools", people=PEOPLE[1:2]),
    Mailbox(title="silence", recipients=PEOPLE[:1]),
    End(title="wrong"),
)


@pytest.mark.parametrize(
    ("presses", "title"),
    [
        (("1",), "visits"),
        (("2",), "schools"),
        (("School Groups",), "schools"),
        ((), "silence"),
        (("7",), "wrong"),
    ],
)
def test_a_menu_takes_keys_and_spoken_words(estate, line, presses, title):
    assert followed(estate, line, MENU, *ENDS, presses=presses).happenings[-1].title == title


def test_a_menu_that_does_not_listen_takes_no_words(estate, line):
    assert (
        followed(estate, line, MENU.copy_with(spoken=False), *ENDS, presses=("visits",))
        .happenings[-1]
        .title
        == "wrong"
    )


def test_a_menu_speaks_as_often_as_it_says_and_each_time_takes_time(estate, line):
    trace = followed(estate, line, MENU, *ENDS)
    speaks = len(MENU.greeting.split()) // 2
    assert [h.at for h in trace.happenings[1:]] == [
        0,
        speaks + 4,
        2 * (speaks + 4),
        3 * (speaks + 4),
    ]


def test_further_languages_make_a_menu_longer(estate, line):
    both = MENU.copy_with(
        also=(Saying(language="de", text="Für Besuche drücken Sie die 1, für Schulen die 2"),)
    )
    assert (
        followed(estate, line, both, *ENDS, presses=("1",)).seconds
        > followed(estate, line, MENU, *ENDS, presses=("1",)).seconds
    )


def test_an_extension_can_be_dialled_where_the_menu_allows(estate, line):
    estate.put(estate.records["Person/jo-farrow"].copy_with(extension="163"))
    menu = MENU.copy_with(extensions=True, exits={**MENU.exits, "no answer": "d"})
    assert followed(estate, line, menu, *ENDS, presses=("163",)).ending.who == "Jo Farrow"
    assert (
        followed(estate, line, menu, *ENDS, presses=("163",), nobody_answers=True)
        .happenings[-1]
        .title
        == "silence"
    )
    assert followed(estate, line, menu, *ENDS, presses=("999",)).happenings[-1].title == "wrong"
    assert followed(estate, line, MENU, *ENDS, presses=("163",)).happenings[-1].title == "wrong"


# ── ringing ──

AWAY = dict.fromkeys(EXITS["ring"], "b")
BOX = Mailbox(recipients=PEOPLE[:1])


def test_all_at_once_whoever_is_first_answers(estate, line):
    trace = followed(
        estate,
        line,
        Ring(people=PEOPLE, exits=AWAY),
        BOX,
        answers={"amara-whitlock": 20, "jo-farrow": 3},
    )
    assert (trace.ending.who, len(trace.rang), trace.happenings[-1].exit) == (
        "Jo Farrow",
        3,
        "answered",
    )


def test_in_order_each_rings_for_the_seconds_before_the_next(estate, line):
    trace = followed(
        estate,
        line,
        Ring(people=PEOPLE, order="in order", seconds=10, exits=AWAY),
        BOX,
        answers={"amara-whitlock": 30},
    )
    assert (trace.ending.who, trace.rang) == (
        "Piet Lindqvist",
        ["desk phone of Amara", "desk phone of Piet"],
    )
    assert trace.happenings[-1].at == 10


@pytest.mark.parametrize(
    ("before", "first"),
    [(0, "Amara Whitlock"), (1, "Piet Lindqvist"), (2, "Jo Farrow"), (3, "Amara Whitlock")],
)
def test_in_turn_each_call_begins_with_the_next(estate, line, before, first):
    assert (
        followed(
            estate, line, Ring(people=PEOPLE, order="in turn", exits=AWAY), BOX, turns={"a": before}
        ).ending.who
        == first
    )


def test_by_rota_whoever_is_on_duty_is_rung_first_then_the_next_after_them(estate, line):
    weekly = Rota(begins=NOW.date() - timedelta(days=8), timezone="Europe/London")
    trace = followed(
        estate,
        line,
        Ring(people=PEOPLE, order="by rota", rota=weekly, exits=AWAY),
        BOX,
        answers={"piet-lindqvist": 99},
    )
    assert trace.happenings[1].text == "Piet Lindqvist is on duty until Monday 30 November 08:00."
    assert (trace.ending.who, trace.rang) == (
        "Jo Farrow",
        ["desk phone of Piet", "desk phone of Jo"],
    )


def test_who_is_not_reachable_is_skipped_and_said(estate, line):
    trace = followed(estate, line, Ring(people=("ngozi-silent", "jo-farrow"), exits=AWAY), BOX)
    assert trace.happenings[1].text == "Ngozi Silent is skipped: has no phone registered."
    assert trace.ending.who == "Jo Farrow"
    assert (
        told(followed(estate, line, Ring(title="R", people=("ngozi-silent",), exits=AWAY), BOX))[
            -1
        ][0]
        == "Mailbox"
    )


@pytest.mark.parametrize(
    ("world", "way_out"), [({"busy": PEOPLE}, "busy"), ({"nobody_answers": True}, "no answer")]
)
def test_busy_and_no_answer_are_two_exits(estate, line, world, way_out):
    assert followed(estate, line, Ring(people=PEOPLE, exits=AWAY), BOX, **world).way == [
        ("a", way_out)
    ]


def test_without_an_exit_the_caller_is_hung_up_on(estate, line):
    trace = followed(estate, line, Ring(people=PEOPLE[:1]), nobody_answers=True)
    assert (trace.ending.kind, trace.ending.reason) == (
        EndingKind.ENDED,
        "no answer, and no way on is drawn for it",
    )


def test_groups_devices_mobiles_and_other_systems_ring_too(estate, line):
    estate.put(e.Group(id="team", name="Team", members=("piet-lindqvist", "jo-farrow")))
    estate.put(e.Downstream(id="annex", name="Annex", site="leeds", host="annex.example"))
    everything = Ring(
        people=("amara-whitlock",),
        groups=("team",),
        devices=("phone-jo-farrow",),
        mobiles=("+447700900123",),
        systems=("annex",),
        exits=AWAY,
    )
    trace = followed(estate, line, everything, BOX, nobody_answers=True)
    assert trace.rang == [
        "desk phone of Amara",
        "desk phone of Piet",
        "desk phone of Jo",
        "desk phone of Jo",
        "07700 900123",
        "Annex",
    ]
    gone = followed(estate, line, Ring(devices=("nothing",), systems=("nowhere",), exits=AWAY), BOX)
    assert [h.text for h in gone.happenings[1:2]] == [
        "device “nothing”, system “nowhere” are skipped: is no longer there."
    ]


@pytest.mark.parametrize(
    ("shown", "sees"),
    [
        (Shown.CALLER, "0131 496 0999"),
        (Shown.CALLED, "0113 496 0200"),
        (Shown.LINE, "Visits desk: 0131 496 0999"),
        (Shown.WITHHELD, "nothing, it is withheld"),
    ],
)
def test_what_the_callee_sees_is_chosen(estate, line, shown, sees):
    trace = followed(estate, line, Ring(people=PEOPLE[:1], shown=shown), label="Visits desk")
    assert trace.happenings[-1].sees == sees


def test_a_line_without_a_label_is_shown_by_its_own_name(estate, line):
    assert (
        followed(estate, line, Ring(people=PEOPLE[:1], shown=Shown.LINE)).happenings[-1].sees
        == "Visits: 0131 496 0999"
    )


def test_words_to_the_callee_and_a_recording_come_between_answer_and_talk(estate, line):
    step = Ring(
        people=PEOPLE[:1],
        to_callee="A call for the box office",
        recording=Recording(announcement="This call is recorded", keep_days=14),
    )
    texts = [h.text for h in followed(estate, line, step).happenings[-2:]]
    assert texts == [
        "the callee first hears “A call for the box office”",
        "both hear “This call is recorded”; the recording is kept for 14 days.",
    ]


# ── people's own rules ──


def answering(estate, key, **rules):
    estate.put(estate.records[f"Person/{key}"].copy_with(answering=e.Answering(**rules)))


def test_nobody_is_rung_outside_the_hours_they_answer(estate, line):
    answering(
        estate, "amara-whitlock", openings=(Opening(weekdays=(1,), start="12:00", end="18:00"),)
    )
    trace = followed(
        estate, line, Ring(people=("amara-whitlock",), exits=AWAY), BOX
    )  # a Tuesday, 11:20
    assert (
        trace.happenings[1].text == "Amara Whitlock is skipped: is outside the hours they answer."
    )
    later = followed(
        estate, line, Ring(people=("amara-whitlock",), exits=AWAY), BOX, at=NOW.replace(hour=13)
    )
    assert later.ending.who == "Amara Whitlock"


def test_a_person_chooses_their_devices_and_a_mobile_that_rings_along(estate, line):
    estate.put(
        e.Device(
            id="soft-amara",
            person="amara-whitlock",
            kind="soft phone",
            name="soft phone of Amara",
            registered=True,
        )
    )
    answering(estate, "amara-whitlock", devices=("soft-amara",), mobile="+447700900123")
    assert followed(estate, line, Ring(people=("amara-whitlock",))).rang == [
        "soft phone of Amara",
        "mobile 07700 900123",
    ]


def amaras_phones(estate, **rules):
    soft = e.Device(
        id="soft-amara",
        person="amara-whitlock",
        kind="soft phone",
        name="soft phone",
        registered=True,
    )
    estate.put(soft)
    answering(estate, "amara-whitlock", mobile="+447700900123", **rules)


@pytest.mark.parametrize(
    ("seconds", "answers_after", "rings"),
    [(25, 3, 1), (25, 12, 2), (25, 21, 3), (25, None, 3), (10, None, 1), (11, None, 2)],
)
def test_the_devices_of_a_person_ring_one_after_the_other(
    estate, line, seconds, answers_after, rings
):
    amaras_phones(estate, seconds_each=10)
    ring = Ring(people=("amara-whitlock",), seconds=seconds, exits=AWAY)
    trace = followed(estate, line, ring, BOX, answers={"amara-whitlock": answers_after})
    assert len(trace.rang) == rings
    assert trace.rang[-1].startswith("mobile") == (rings == 3)
    assert "after 10 s mobile 07700 900123" in trace.happenings[1].text


def test_devices_ring_at_once_where_nobody_says_otherwise(estate, line):
    amaras_phones(estate)
    assert len(followed(estate, line, Ring(people=("amara-whitlock",))).rang) == 3


@pytest.mark.parametrize("seconds", [1, 4, 121, -5])
def test_a_device_rings_long_enough_to_be_heard(seconds):
    with pytest.raises(ValueError, match="5 to 120 seconds each"):
        e.Answering(seconds_each=seconds)


def test_a_colleague_may_pick_up(estate, line):
    answering(estate, "amara-whitlock", pickup=("jo-farrow",))
    assert (
        followed(
            estate, line, Ring(people=("amara-whitlock",)), answers={"jo-farrow": 2}
        ).ending.reason
        == "Jo Farrow picks up for Amara Whitlock"
    )
    late = followed(estate, line, Ring(people=("amara-whitlock",)), answers={"jo-farrow": 9})
    assert late.ending.reason == "Amara Whitlock answers"


@pytest.mark.parametrize(
    ("rules", "kind", "who"),
    [
        ({}, EndingKind.MAILBOX, "Amara Whitlock"),
        ({"then": "colleague", "cover": "jo-farrow"}, EndingKind.ANSWERED, "Jo Farrow"),
        ({"then": "nothing"}, EndingKind.ENDED, ""),
    ],
)
def test_what_happens_to_a_call_nobody_answers_is_the_persons_own_wish(
    estate, line, rules, kind, who
):
    answering(estate, "amara-whitlock", **rules)
    estate.granted(e.HolderRef(kind=e.HolderKind.PERSON, id="amara-whitlock"), "staff", "home")
    estate.given(142, e.HolderRef(kind=e.HolderKind.PERSON, id="amara-whitlock"))
    trace = trace_inbound(
        "+441134960142", NOW, World(answers={"amara-whitlock": None}), estate.build()
    )
    assert (trace.ending.kind, trace.ending.who) == (kind, who)


def test_a_mobile_is_a_call_out_and_needs_the_right(estate, line):
    answering(estate, "amara-whitlock", then="mobile", mobile="+447700900123")
    estate.given(142, e.HolderRef(kind=e.HolderKind.PERSON, id="amara-whitlock"))
    silent = World(answers={"amara-whitlock": None})
    trace = trace_inbound("+441134960142", NOW, silent, estate.build())
    assert (trace.ending.kind, trace.ending.who) == (EndingKind.FORWARDED, "07700 900123")
    estate.put(
        estate.records["Person/amara-whitlock"].copy_with(rights=(Right.INTERNAL, Right.EMERGENCY))
    )
    trace = trace_inbound("+441134960142", NOW, silent, estate.build())
    assert trace.ending.kind is EndingKind.MAILBOX
    assert "has no right to make mobile calls" in trace.happenings[-2].text


def test_the_rules_come_by_a_task_and_are_in_the_path_at_once(estate, line):
    ref = e.HolderRef(kind=e.HolderKind.PERSON, id="amara-whitlock")
    task = t.SetAnswering(holder=ref, ring_seconds=12, answering=e.Answering(then="nothing"))
    [change] = task.apply(estate.build(), "x")
    assert (change.action, change.after.ring_seconds, change.after.answering.then) == (
        "person.answering-set",
        12,
        "nothing",
    )
    assert holder_path(12, "nothing").steps["ring"].exits["busy"] == "end"


# ── queues ──

QUEUE = Queue(
    people=PEOPLE,
    ring_seconds=10,
    most_waiting=3,
    longest_wait=60,
    exits={"full": "b", "waited too long": "c", "nobody signed in": "d"},
)
AFTER = (End(title="full"), End(title="too long"), End(title="nobody"))


@pytest.mark.parametrize(
    ("world", "title"),
    [
        ({"queue": {"a": 3}}, "full"),
        ({"nobody_answers": True}, "too long"),
        ({"queue": {"a": 2}, "nobody_answers": True}, "too long"),
    ],
)
def test_a_queue_is_left_by_the_exit_that_fits(estate, line, world, title):
    assert followed(estate, line, QUEUE, *AFTER, **world).happenings[-1].title == title


def test_a_queue_without_agents_says_so(estate, line):
    assert (
        followed(estate, line, QUEUE.copy_with(people=("ngozi-silent",)), *AFTER)
        .happenings[-1]
        .title
        == "nobody"
    )


def test_who_waits_before_one_takes_time(estate, line):
    alone, third = (
        followed(estate, line, QUEUE, *AFTER),
        followed(estate, line, QUEUE, *AFTER, queue={"a": 2}),
    )
    assert third.happenings[-1].text.startswith("2 are waiting, so place 3.")
    assert third.seconds == alone.seconds + 2 * 60 // 3


def test_agents_are_rung_all_at_once_or_one_by_one(estate, line):
    assert len(followed(estate, line, QUEUE.copy_with(order="all"), *AFTER).rang) == 3
    assert len(followed(estate, line, QUEUE, *AFTER).rang) == 1


def test_a_caller_may_ask_to_be_called_back(estate, line):
    trace = followed(estate, line, QUEUE.copy_with(callback=True), *AFTER, asks_callback=True)
    assert (trace.ending.kind, trace.ending.reason) == (
        EndingKind.ENDED,
        "the caller is called back",
    )
    assert (
        followed(estate, line, QUEUE, *AFTER, asks_callback=True).ending.kind is EndingKind.ANSWERED
    )


# ── out of the house ──

FORWARD = Forward(
    to=OUTSIDE, seconds=20, exits={"no answer": "b", "busy": "c", "not put through": "d"}
)
LEFT = (End(title="no answer"), End(title="busy"), End(title="not put through"))


def test_a_forward_says_over_which_trunk_at_what_price(estate, line):
    estate.granted(line, "permit")
    trace = followed(estate, line, FORWARD, *LEFT)
    assert (
        trace.happenings[-1].text
        == "rings 0151 496 0400 over Brackwater Leeds, £0.012 a minute; answered after 6 s."
    )
    assert (trace.ending.kind, trace.happenings[-1].rate) == (
        EndingKind.FORWARDED,
        money("0.012", "GBP"),
    )
    assert trace.happenings[-1].sees == "0113 496 0200"


@pytest.mark.parametrize(
    ("way", "sent"),
    [
        ({}, "History-Info says: <sip:+441134960200@sip.example>;index=1, "),
        ({}, "<sip:+441514960400@sip.example;cause=302>;index=1.1;mp=1"),
        (
            {"diversion": Diversion.DIVERSION, "sends": NumberFormat.NATIONAL},
            "Diversion says: <sip:01134960200@sip.example>;reason=unconditional;counter=1",
        ),
    ],
)
def test_a_forward_says_who_sent_the_call_on_as_its_trunk_is_set_up(estate, line, way, sent):
    estate.granted(line, "permit")
    trunk = estate.records["Trunk/brackwater-leeds"]
    estate.put(trunk.copy_with(host="sip.example", settings=TrunkSettings(user="us", **way)))
    said = followed(estate, line, FORWARD, *LEFT).happenings[-2].text
    assert said.startswith("is sent on by 0113 496 0200, as ")
    assert sent in said


def test_a_forward_after_nobody_answered_says_so(estate, line):
    estate.granted(line, "permit")
    trunk = estate.records["Trunk/brackwater-leeds"]
    way = TrunkSettings(user="us", diversion=Diversion.DIVERSION)
    estate.put(trunk.copy_with(host="sip.example", settings=way))
    ring = Ring(people=PEOPLE[:1], exits={"no answer": "b", "busy": "c", "nobody reachable": "c"})
    forward = FORWARD.copy_with(exits={})
    trace = followed(estate, line, ring, forward, End(title="end"), answers={PEOPLE[0]: 99})
    assert any("reason=no-answer" in h.text for h in trace.happenings)


@pytest.mark.parametrize("way", [None, TrunkSettings(user="us", diversion=Diversion.NONE)])
def test_nothing_is_said_of_a_forward_where_nobody_agreed_on_it(estate, line, way):
    estate.granted(line, "permit")
    trunk = estate.records["Trunk/brackwater-leeds"]
    estate.put(trunk.copy_with(host="sip.example", settings=way))
    trace = followed(estate, line, FORWARD, *LEFT)
    assert [h.text for h in trace.happenings if "sent on by" in h.text] == []


@pytest.mark.parametrize(
    ("world", "title"),
    [
        ({"nobody_answers": True}, "no answer"),
        ({"busy": (OUTSIDE,)}, "busy"),
        ({"answers": {OUTSIDE: 30}}, "no answer"),
    ],
)
def test_a_forward_is_left_by_the_exit_that_fits(estate, line, world, title):
    estate.granted(line, "permit")
    assert followed(estate, line, FORWARD, *LEFT, **world).happenings[-1].title == title


@pytest.mark.parametrize(
    ("to", "why"),
    [
        (OUTSIDE, "this line has no right to call out: it is missing “Reception permit”"),
        ("", "No number is given yet."),
        ("+44113", "“+44113” is not a number in service."),
        ("+449098790123", "is a premium number"),
    ],
)
def test_a_forward_that_may_not_be_is_not_put_through(estate, line, to, why):
    trace = followed(estate, line, FORWARD.copy_with(to=to), *LEFT)
    assert why in trace.happenings[-2].text
    assert trace.happenings[-1].title == "not put through"


def test_a_service_line_without_the_right_calls_no_other_country(estate, line):
    estate.granted(line, "permit")
    assert (
        "has no right to make international calls"
        in followed(estate, line, FORWARD.copy_with(to="+493023125001"), *LEFT).happenings[-2].text
    )


def test_a_sip_address_is_left_by_the_exit_that_fits(estate, line):
    sip = SipAddress(
        address="sip:studio@example.org", exits={"no answer": "b", "busy": "c", "not reached": "d"}
    )
    assert followed(estate, line, sip, *LEFT).ending.kind is EndingKind.FORWARDED
    for world, title in (
        ({"nobody_answers": True}, "no answer"),
        ({"busy": (sip.address,)}, "busy"),
        ({"unreachable": (sip.address,)}, "not put through"),
    ):
        assert followed(estate, line, sip, *LEFT, **world).happenings[-1].title == title


def test_another_path_goes_on_and_does_not_come_back(estate, line):
    night = Path(first="box", steps={"box": Mailbox(title="night", recipients=PEOPLE[:1])})
    estate.put(
        e.PathVersion(
            id="night", name="Night duty", body=night.model_dump(mode="json"), in_force_from=NOW
        )
    )
    trace = followed(estate, line, OtherPath(path="night"))
    assert [(h.step, h.text) for h in trace.happenings[1:2]] == [("a", "goes on in “Night duty”.")]
    assert (trace.ending.step, trace.happenings[-1].title) == ("night:box", "night")
    assert (
        followed(estate, line, OtherPath(path="gone")).ending.reason
        == "the other path is not there; the caller is hung up on"
    )


def test_paths_that_lead_to_each_other_end_in_a_circle(estate, line):
    for mine, other in (("one", "two"), ("two", "one")):
        body = Path(first="on", steps={"on": OtherPath(path=other)}).model_dump(mode="json")
        estate.put(e.PathVersion(id=mine, name=mine, body=body, in_force_from=NOW))
    assert (
        followed(estate, line, OtherPath(path="one")).ending.reason
        == "the path goes round in a circle"
    )


# ── what happens at the end, and before the path ──


def test_an_announcement_goes_on_or_ends_the_call(estate, line):
    assert (
        followed(estate, line, Announce(text="We are closed")).ending.kind is EndingKind.ANNOUNCED
    )
    assert (
        followed(estate, line, Announce(text="We are closed", exits={"done": "b"}), BOX).ending.kind
        is EndingKind.MAILBOX
    )
    assert followed(estate, line, End()).ending.kind is EndingKind.ENDED


def test_a_trunk_that_is_down_sends_calls_to_the_fallback(estate, line):
    estate.given(200, line, capacity="many", fallback=OUTSIDE)
    trace = followed(estate, line, BOX, trunks_down=("brackwater-leeds",))
    assert (trace.ending.kind, trace.ending.reason) == (
        EndingKind.FORWARDED,
        "fallback to 0151 496 0400",
    )
    assert "£0.012 a minute" in trace.happenings[0].text
    estate.put(estate.records[f"Number/{NUMBER}"].copy_with(fallback=""))
    assert (
        followed(estate, line, BOX, trunks_down=("brackwater-leeds",)).ending.kind
        is EndingKind.REJECTED
    )


def test_choices_can_be_made_one_by_one(estate, line):
    steps = (MENU, *ENDS)
    trace = followed(estate, line, *steps, choices=())
    assert (trace.ending.kind, [o.choice for o in trace.options]) == (
        EndingKind.OPEN,
        ["1", "2", "no input", "wrong input"],
    )
    trace = followed(estate, line, *steps, choices=("1",))
    assert [o.words for o in trace.options] == ["Amara Whitlock answers", "nobody answers", "busy"]
    assert (
        followed(estate, line, *steps, choices=("1", "no answer")).ending.reason
        == "no answer, and no way on is drawn for it"
    )


def test_a_path_can_be_followed_before_it_has_a_number(estate, line):
    path = Path(first="a", steps={"a": Ring(exits=AWAY), "b": Mailbox()})
    called = Called("any number", "leeds")
    assert trace_path(called, path, NOW, World(), estate.build()).ending.who == "the holder"
    assert (
        trace_path(called, path, NOW, World(nobody_answers=True), estate.build()).ending.reason
        == "message for the holder"
    )
