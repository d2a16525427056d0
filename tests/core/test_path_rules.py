"""What publishing a call path asks for, one rule at a time; and answering rules and fallbacks."""

from datetime import date

import pytest

from sedge.core import records as e
from sedge.core.callpaths.editing import Place
from sedge.core.callpaths.greetings import key_at
from sedge.core.callpaths.ready_made import READY_MADE
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
    SipAddress,
    Swap,
    TestCase,
)
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge
from sedge.core.workorders.findings import Level
from tests.conftest import NOW

BOX = Mailbox(recipients=("amara",))
RING = Ring(people=("amara",), exits=dict.fromkeys(EXITS["ring"], "box"))
WEEK = tuple(range(7))
DAY = Opening(weekdays=WEEK, start="09:00", end="17:00")


@pytest.fixture
def with_people(estate):
    estate.person("Amara")
    estate.person("Piet Silent", registered=False)
    return estate


def findings(estate, first, steps, path="desk", **task):
    body = Path(first=first, steps=steps, tests=task.pop("tests", ()))
    found = judge(t.PublishPath(path=path, name="Front desk", body=body, **task), estate.build())
    return {f.rule: f for f in found}


def finding(estate, rule, first, steps, **task):
    found = findings(estate, first, steps, **task).get(rule)
    return None if found is None else (found.level, found.message, found.steps)


def test_a_sound_path_passes_every_rule(with_people):
    found = findings(with_people, "ring", {"ring": RING, "box": BOX})
    assert {f.level for f in found.values()} == {Level.PASS}


def test_what_was_published_meanwhile_is_not_lost(with_people):
    body = Path(first="box", steps={"box": BOX}).model_dump(mode="json")
    with_people.put(
        e.PathVersion(id="desk", name="Front desk", number=4, body=body, in_force_from=NOW)
    )
    level, message, _ = finding(with_people, "path.not-overtaken", "box", {"box": BOX}, based_on=3)
    assert (level, message.split(".")[0]) == (
        Level.STOP,
        "Version 4 of Front desk has been published since this was drawn from version 3",
    )
    assert (
        finding(with_people, "path.not-overtaken", "box", {"box": BOX}, based_on=4)[0] is Level.PASS
    )
    assert finding(with_people, "path.not-overtaken", "box", {"box": BOX}) is None


@pytest.mark.parametrize(
    ("step", "gone"),
    [
        (Ring(people=("nobody",)), "“nobody”"),
        (Queue(groups=("crew",)), "group “crew”"),
        (Ring(devices=("d9",)), "device “d9”"),
        (Ring(systems=("annex",)), "downstream system “annex”"),
        (OtherPath(path="night"), "call path “night”"),
        (Mailbox(recipients=("gone",)), "Gone"),
    ],
)
def test_whoever_a_path_names_has_to_be_here(with_people, step, gone):
    ref = with_people.person("Gone")
    with_people.put(with_people.records["Person/gone"].copy_with(left=True))
    level, message, steps = finding(with_people, "path.people-are-here", "a", {"a": step})
    assert (level, steps, message.startswith(f"{gone} can't answer")) == (Level.STOP, ("a",), True)
    assert ref.id == "gone"


def test_a_step_that_nothing_rings_at_is_named(with_people):
    steps = {
        "a": Ring(title="Silent desk", people=("piet-silent",), exits={"nobody reachable": "q"}),
        "q": Queue(people=("piet-silent",)),
    }
    level, message, at = finding(with_people, "path.somebody-rings", "a", steps)
    assert (level, at, "Silent desk" in message, "1 more" in message) == (
        Level.WARN,
        ("a", "q"),
        True,
        True,
    )


@pytest.mark.parametrize(
    ("text", "language", "key", "found"),
    [
        ("press 1", "en", "1", True),
        ("press one", "en", "1", True),
        ("drücken Sie die eins", "de", "1", True),
        ("tapez un", "fr", "1", True),
        ("press 12", "en", "1", False),
        ("press star", "en", "*", True),
        ("Raute", "de", "#", True),
        ("press the square key", "en", "#", True),
        ("nothing", "en", "1", False),
        ("press *", "", "*", True),
        ("someone", "en", "1", False),
    ],
)
def test_keys_are_heard_as_digits_and_as_words(text, language, key, found):
    assert (key_at(text, key, language) >= 0) is found


GOOD = Menu(
    greeting="For visits, press 1. For schools, press 2.",
    language="en",
    keys={"1": "visits", "2": "schools"},
)


@pytest.mark.parametrize(
    ("menu", "rule", "words"),
    [
        (
            GOOD.copy_with(greeting="For visits, press 1, or wait."),
            "path.greeting-names-keys",
            "does not speak of key 2",
        ),
        (GOOD.copy_with(greeting=""), "path.greeting-said-well", "says nothing"),
        (GOOD.copy_with(greeting="1 or 2"), "path.greeting-said-well", "says only “1 or 2”"),
        (
            GOOD.copy_with(greeting="Press 1 for visits and press 2 for schools."),
            "path.greeting-said-well",
            "says key 1 before “visits”",
        ),
        (
            GOOD.copy_with(
                also=(Saying(language="de", text="Für Besuche drücken Sie bitte die eins."),)
            ),
            "path.greeting-names-keys",
            "key 2 in German",
        ),
        (GOOD.copy_with(keys={}), "path.greeting-said-well", "has no key to press"),
    ],
)
def test_what_callers_hear_is_judged_in_each_language(with_people, menu, rule, words):
    level, message, steps = finding(with_people, rule, "m", {"m": menu})
    assert (level, steps[0], words in message) == (Level.WARN, "m", True)


def test_a_good_greeting_passes(with_people):
    assert finding(with_people, "path.greeting-said-well", "m", {"m": GOOD})[0] is Level.PASS
    assert finding(with_people, "path.greeting-names-keys", "m", {"m": GOOD})[0] is Level.PASS


def test_unread_mailboxes_unreached_steps_and_circles_are_found(with_people):
    assert finding(with_people, "path.mailbox-is-read", "b", {"b": Mailbox()})[0::2] == (
        Level.WARN,
        ("b",),
    )
    level, message, steps = finding(
        with_people,
        "path.steps-are-reached",
        "box",
        {"box": BOX, "lost": RING.copy_with(title="Lost")},
    )
    assert (level, message, steps) == (Level.WARN, "“Lost” is reached by no call.", ("lost",))
    silent = Announce(title="Round", text="Please hold the line", exits={"done": "again"})
    level, message, _ = finding(
        with_people,
        "path.every-call-ends",
        "a",
        {"a": silent, "again": silent.copy_with(exits={"done": "a"})},
    )
    assert (level, message) == (
        Level.STOP,
        "“Round” is on a circle that no call leaves. So it is at 1 more.",
    )
    menu = GOOD.copy_with(exits={"1": "box", "2": "box", "no input": "m", "wrong input": "box"})
    assert (
        finding(with_people, "path.every-call-ends", "m", {"m": menu, "box": BOX})[0] is Level.WARN
    )


def test_nobody_is_hung_up_on_in_opening_hours(with_people):
    hours = Hours(
        timezone="Europe/London", openings=(DAY,), exits={"open": "ring", "closed": "end"}
    )
    ring = Ring(title="Desk", people=("amara",), exits={"no answer": "end"})
    level, message, steps = finding(
        with_people,
        "path.nobody-is-hung-up-on",
        "h",
        {"h": hours, "ring": ring, "end": End(title="Bye")},
    )
    assert (level, set(steps)) == (Level.WARN, {"ring", "end"})
    assert "hangs up on callers in opening hours" in message
    kind = {
        "h": hours.copy_with(exits={"open": "ring", "closed": "end"}),
        "ring": RING,
        "box": BOX,
        "end": End(),
    }
    assert finding(with_people, "path.nobody-is-hung-up-on", "h", kind)[0] is Level.PASS


def test_forwards_need_a_number_in_service_and_the_right_to_call_out(with_people):
    def forward(to):
        return {
            "f": Forward(
                title="Out",
                to=to,
                exits={"no answer": "box", "busy": "box", "not put through": "box"},
            ),
            "box": BOX,
        }

    assert finding(with_people, "path.forwards-go-through", "f", forward("+44113"))[0] is Level.STOP
    assert (
        "premium"
        in finding(with_people, "path.forwards-go-through", "f", forward("+449098790123"))[1]
    )
    assert (
        finding(with_people, "path.forwards-go-through", "f", forward("+441514960400"))[0]
        is Level.PASS
    )
    line = with_people.line("Visits")
    with_people.given(200, line, capacity="many", path="desk")
    level, message, _ = finding(
        with_people, "path.forwards-go-through", "f", forward("+441514960400")
    )
    assert (level, message) == (
        Level.WARN,
        (
            "“Out” won't be put through for 0113 496 0200: this line has no right to call out: it"
            " is missing “Reception permit”."
        ),
    )
    with_people.granted(line, "permit")
    assert (
        finding(with_people, "path.forwards-go-through", "f", forward("+441514960400"))[0]
        is Level.PASS
    )
    assert (
        finding(with_people, "path.forwards-go-through", "r", {"r": Ring(mobiles=("+44113",))})[0]
        is Level.STOP
    )


@pytest.mark.parametrize(
    ("address", "level"),
    [
        ("sip:desk@example.org", Level.PASS),
        ("sips:a.b+c@host:5061;transport=tls", Level.PASS),
        ("desk", Level.STOP),
        ("", Level.STOP),
        ("sip:@x", Level.STOP),
        ("mailto:a@b", Level.STOP),
    ],
)
def test_sip_addresses_have_a_user_and_a_host(with_people, address, level):
    assert (
        finding(with_people, "path.sip-address-readable", "s", {"s": SipAddress(address=address)})[
            0
        ]
        is level
    )


@pytest.mark.parametrize(
    ("changes", "level", "words"),
    [
        ({"holidays_of": "XX"}, Level.STOP, "not known"),
        (
            {"closures": (Closure(first=date(2027, 1, 3), last=date(2027, 1, 1), name="odd"),)},
            Level.STOP,
            "a day before it begins",
        ),
        ({"openings": ()}, Level.WARN, "never open"),
        (
            {"openings": (DAY, Opening(weekdays=(2,), start="16:00", end="18:00"))},
            Level.WARN,
            "overlap",
        ),
        (
            {"openings": (Opening(weekdays=(0,), start="09:00", end="09:00"),)},
            Level.WARN,
            "the whole day and night",
        ),
        (
            {"closures": (Closure(first=date(2020, 1, 1), last=date(2020, 1, 2), name="old"),)},
            Level.WARN,
            "are over",
        ),
        (
            {"closures": (Closure(first=date(2024, 2, 29), last=date(2024, 2, 29), yearly=True),)},
            Level.WARN,
            "every fourth year",
        ),
        ({}, Level.PASS, "make sense"),
    ],
)
def test_hours_make_sense(with_people, changes, level, words):
    hours = Hours(timezone="Europe/London", openings=(DAY,)).copy_with(**changes)
    found = finding(with_people, "path.hours-make-sense", "h", {"h": hours})
    assert (found[0], words in found[1]) == (level, True)


@pytest.mark.parametrize("zone", ["Europe/Leeds", "", "../../etc/passwd", "Europe"])
def test_hours_keep_the_time_of_a_zone_there_is(zone):
    with pytest.raises(ValueError, match="is no time zone"):
        Hours(timezone=zone, openings=())


def test_whoever_is_recorded_is_told(with_people):
    assert (
        finding(
            with_people,
            "path.recording-is-announced",
            "r",
            {"r": RING.copy_with(recording=Recording(announcement=" ")), "box": BOX},
        )[0]
        is Level.STOP
    )
    assert (
        finding(
            with_people,
            "path.recording-is-announced",
            "r",
            {"r": RING.copy_with(recording=Recording(announcement="Recorded.")), "box": BOX},
        )[0]
        is Level.PASS
    )


def test_a_path_that_comes_back_to_itself_through_another_is_told(with_people):
    body = Path(first="on", steps={"on": OtherPath(path="desk")}).model_dump(mode="json")
    with_people.put(e.PathVersion(id="night", name="Night", body=body, in_force_from=NOW))
    level, message, _ = finding(
        with_people, "path.other-paths-lead-on", "a", {"a": OtherPath(title="On", path="night")}
    )
    assert (level, message) == (Level.WARN, "“On” comes back to this path through another.")
    assert (
        finding(with_people, "path.other-paths-lead-on", "a", {"a": OtherPath(path="desk")})[0]
        is Level.WARN
    )
    assert (
        finding(with_people, "path.other-paths-lead-on", "a", {"a": OtherPath()})[0] is Level.STOP
    )


def test_test_cases_are_followed_before_publishing(with_people):
    case = TestCase(
        name="By day",
        at="2026-11-24T11:00",
        timezone="Europe/London",
        ends="answered",
        who="Amara",
        step="ring",
    )
    steps = {"ring": RING, "box": BOX}
    assert (
        finding(with_people, "path.test-cases-pass", "ring", steps, tests=(case,))[0] is Level.PASS
    )
    wrong = case.copy_with(ends="mailbox")
    assert finding(with_people, "path.test-cases-pass", "ring", steps, tests=(wrong,))[:2] == (
        Level.STOP,
        (
            "Test case “By day” has to end mailbox, and ends answered: Amara answers. Mend the"
            " path, or take the test case out."
        ),
    )
    for other in (
        case.copy_with(who="Piet"),
        case.copy_with(step="gone"),
        case.copy_with(world={"nonsense": 1}),
    ):
        assert (
            finding(with_people, "path.test-cases-pass", "ring", steps, tests=(other,))[0]
            is Level.STOP
        )


@pytest.mark.parametrize("name", sorted(READY_MADE))
def test_patterns_have_no_stop_but_people(with_people, name):
    body = READY_MADE[name].build(Place(holidays_of="GB-ENG"))
    found = judge(t.PublishPath(path="made", name=name, body=body), with_people.build())
    assert [f.rule for f in found if f.level is Level.STOP] == []
    assert next(f for f in found if f.rule == "path.steps-are-reached").level is Level.PASS


# ── answering rules and fallbacks ──


def judged(estate, task):
    return next(
        (f.level, f.message)
        for f in judge(task, estate.build())
        if f.rule in {"person.answering-makes-sense", "number.fallback-reachable"}
    )


@pytest.mark.parametrize(
    ("rules", "level"),
    [
        ({}, Level.PASS),
        ({"mobile": "+44113"}, Level.STOP),
        ({"then": "mobile"}, Level.STOP),
        ({"then": "colleague"}, Level.STOP),
        ({"then": "colleague", "cover": "amara"}, Level.STOP),
        ({"then": "colleague", "cover": "piet-silent"}, Level.PASS),
        ({"pickup": ("nobody",)}, Level.STOP),
        ({"devices": ("phone-piet-silent",)}, Level.STOP),
        ({"devices": ("phone-amara",)}, Level.PASS),
        ({"then": "nothing"}, Level.WARN),
        ({"openings": (DAY, DAY)}, Level.WARN),
    ],
)
def test_answering_rules_make_sense(with_people, rules, level):
    task = t.SetAnswering(
        holder=e.HolderRef(kind=e.HolderKind.PERSON, id="amara"), answering=e.Answering(**rules)
    )
    assert judged(with_people, task)[0] is level


def test_a_fallback_comes_over_another_trunk(with_people):
    line = with_people.line("Visits")
    number, other = (
        with_people.given(200, line, capacity="many"),
        with_people.number(201, capacity="many"),
    )
    levels = [
        judged(with_people, t.SetFallback(number=number, to=to))[0]
        for to in ("+441514960400", other, number, "+44113", "")
    ]
    assert levels == [Level.PASS, Level.STOP, Level.STOP, Level.STOP, Level.PASS]


def test_a_rota_has_several_and_swaps_among_them(with_people):
    of_two = Ring(
        people=("amara", "piet-silent"),
        order="by rota",
        rota=Rota(begins=date(2026, 1, 5), timezone="Europe/London"),
    )
    alone = of_two.copy_with(people=("amara",))
    stranger = of_two.copy_with(
        rota=of_two.rota.copy_with(
            swaps=(Swap(first=date(2026, 1, 7), last=date(2026, 1, 7), person="jo"),)
        )
    )
    levels = [
        finding(with_people, "path.rota-goes-round", "a", {"a": step})[0]
        for step in (of_two, alone, stranger)
    ]
    assert levels == [Level.PASS, Level.WARN, Level.STOP]
    assert finding(with_people, "path.rota-goes-round", "ring", {"ring": RING, "box": BOX}) is None


@pytest.mark.parametrize(
    ("ring_seconds", "each", "told"),
    [(25, 20, ""), (20, 20, "the mobile never rings"), (25, 0, ""), (21, 20, "")],
)
def test_a_device_whose_turn_never_comes_is_told(with_people, ring_seconds, each, told):
    """Two devices, one after the other: the second needs some seconds of the ringing."""
    phone = e.Device(id="d-amara", person="amara", kind="desk phone", name="desk phone")
    with_people.put(phone)
    ref = e.HolderRef(kind=e.HolderKind.PERSON, id="amara")
    rules = e.Answering(devices=("d-amara",), mobile="+447700900123", seconds_each=each)
    task = t.SetAnswering(holder=ref, ring_seconds=ring_seconds, answering=rules)
    level, message = judged(with_people, task)[:2]
    assert (level is Level.WARN, told in message) == (bool(told), True)
