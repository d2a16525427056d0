"""Drawing step by step, two versions compared, and what would change if."""

import pytest

from sedge.core import records as e
from sedge.core.callpaths import editing
from sedge.core.callpaths.editing import Place
from sedge.core.callpaths.layout import lay_out
from sedge.core.callpaths.ready_made import READY_MADE
from sedge.core.callpaths.steps import EXITS, End, Hours, Mailbox, Menu, Opening, Path, Queue, Ring
from sedge.core.callpaths.tracing import whatif
from sedge.core.callpaths.tracing.compare import consequences, difference
from sedge.core.callpaths.tracing.testcases import case_of, run_cases
from sedge.core.callpaths.tracing.trace import trace_path
from sedge.core.callpaths.tracing.world import Called, World
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from tests.asserting import every
from tests.conftest import NOW

PLACE = Place(timezone="Europe/Berlin", holidays_of="DE", language="de")
BOX = Mailbox(recipients=("amara",))


@pytest.fixture
def path():
    away = dict.fromkeys(EXITS["ring"], "box")
    menu = Menu(
        greeting="For visits, press 1. For schools, press 2.",
        keys={"1": "visits", "2": "schools"},
        exits={"1": "visits", "2": "schools"},
    )
    return Path(
        first="menu",
        steps={
            "menu": menu,
            "visits": Ring(title="V", exits=away),
            "schools": Ring(title="S", exits={"busy": "box"}),
            "box": BOX,
        },
    )


def test_a_new_step_comes_between(path):
    drawn, key = editing.add(path, "visits", "busy", "announce", PLACE)
    assert (
        drawn.steps["visits"].exits["busy"],
        drawn.steps[key].exits,
        drawn.steps[key].language,
    ) == (key, {"done": "box"}, "de")
    drawn, key = editing.add(path, "schools", "no answer", "mailbox", PLACE)
    assert (drawn.steps["schools"].exits["no answer"], drawn.steps[key].exits) == (key, {})


def test_a_new_step_on_a_line_is_met_by_every_exit_that_the_line_stands_for(path):
    drawn, key = editing.add(path, "visits", "busy", "announce", PLACE, along=True)
    assert set(drawn.steps["visits"].exits.values()) == {key}
    assert drawn.steps[key].exits == {"done": "box"}
    assert drawn.steps["schools"].exits == {"busy": "box"}, "another step's line stays"
    drawn, key = editing.add(path, "schools", "no answer", "announce", PLACE, along=True)
    assert drawn.steps["schools"].exits == {"no answer": key, "busy": "box"}


def test_a_step_is_put_onto_a_line_and_what_led_to_it_goes_on_without_it(path):
    drawn = editing.insert(path, "schools", "visits", "busy")
    assert drawn.steps["menu"].exits == {"1": "visits", "2": "box"}
    assert set(drawn.steps["visits"].exits.values()) == {"schools"}
    first = EXITS["ring"][0]
    assert drawn.steps["schools"].exits[first] == "box", "it leads on to where the line led"
    assert drawn.steps["schools"].exits["busy"] == "box", "and keeps its other exits"
    assert set(drawn.steps) == set(path.steps)


def test_the_first_step_is_put_onto_a_line_and_calls_begin_with_the_next(path):
    drawn = editing.insert(path, "menu", "visits", "busy")
    assert drawn.first == "visits"
    assert drawn.steps["visits"].exits["busy"] == "menu"
    assert drawn.steps["menu"].exits == {"1": "box", "2": "schools"}


def test_a_step_is_put_onto_an_exit_that_leads_nowhere(path):
    drawn = editing.insert(path, "visits", "schools", "no answer")
    assert drawn.steps["schools"].exits == {"no answer": "visits", "busy": "box"}
    assert drawn.steps["menu"].exits == {"1": "box", "2": "schools"}
    assert set(drawn.steps["visits"].exits.values()) == {"box"}


@pytest.mark.parametrize(
    ("key", "to", "way_out", "reason"),
    [
        ("visits", "visits", "busy", "own-line"),
        ("box", "visits", "busy", "own-line"),
        ("box", "menu", "1", "ends"),
    ],
)
def test_what_can_not_be_put_onto_a_line_is_refused(path, key, to, way_out, reason):
    with pytest.raises(NotAllowedNow) as refused:
        editing.insert(path, key, to, way_out)
    assert refused.value.reason == reason


def test_a_line_that_is_not_there_takes_no_step(path):
    with pytest.raises(NotUnderstood):
        editing.insert(path, "visits", "schools", "open")


def test_a_step_before_all_others_is_where_calls_come_in(path):
    drawn, key = editing.add(path, "", "", "hours", PLACE)
    assert (drawn.first, drawn.steps[key].exits) == (key, {"open": "menu"})
    assert (drawn.steps[key].timezone, drawn.steps[key].holidays_of) == ("Europe/Berlin", "DE")


@pytest.mark.parametrize("kind", sorted(editing.KINDS))
def test_every_kind_can_be_added(path, kind):
    drawn, key = editing.add(path, "schools", "no answer", kind, PLACE)
    assert (drawn.steps[key].kind, key) == (kind, f"{kind}-1")


@pytest.mark.parametrize(
    ("do", "error"),
    [
        (lambda p: editing.add(p, "visits", "nowhere", "ring", PLACE), NotUnderstood),
        (lambda p: editing.add(p, "visits", "busy", "fountain", PLACE), NotUnderstood),
        (lambda p: editing.add(p, "gone", "busy", "ring", PLACE), NotFound),
        (lambda p: editing.redirect(p, "visits", "busy", "gone"), NotFound),
        (lambda p: editing.cut(p, "menu"), NotAllowedNow),
        (lambda p: editing.move(p, "menu", "visits", "busy"), NotAllowedNow),
        (lambda p: editing.move(p, "visits", "visits", "busy"), NotAllowedNow),
        (lambda p: editing.remove(Path(first="a", steps={"a": End()}), "a"), NotAllowedNow),
        (lambda p: editing.change_step(p, "visits", {"seconds": 1000}), NotUnderstood),
        (lambda p: editing.change_step(p, "menu", {"keys": {"12": "x"}}), NotUnderstood),
    ],
)
def test_what_can_not_be_drawn_is_refused_with_its_reason(path, do, error):
    with pytest.raises(error) as caught:
        do(path)
    assert caught.value.message


def test_exits_lead_elsewhere_or_nowhere(path):
    assert editing.redirect(path, "menu", "2", "visits").steps["menu"].exits == {
        "1": "visits",
        "2": "visits",
    }
    assert editing.redirect(path, "menu", "2", "").steps["menu"].exits == {"1": "visits"}


def test_a_step_that_goes_leaves_no_gap(path):
    drawn = editing.remove(path, "visits")
    assert (drawn.steps["menu"].exits["1"], "visits" in drawn.steps) == ("box", False)
    drawn = editing.remove(path, "menu")
    assert drawn.first == "visits"


def test_a_branch_is_what_nothing_else_leads_to(path):
    assert editing.branch(path, "visits") == {"visits"}
    assert editing.branch(path, "menu") == set(path.steps)


def test_a_branch_is_cut_and_pasted_under_new_names(path):
    drawn, clip = editing.cut(path, "schools")
    assert ("schools" in drawn.steps, drawn.steps["menu"].exits, clip.steps["schools"].exits) == (
        False,
        {"1": "visits"},
        {},
    )
    drawn, first = editing.paste(path, "schools", "no answer", editing.copy(path, "schools"))
    assert (first, drawn.steps["schools"].exits["no answer"], drawn.steps[first].title) == (
        "ring-1",
        "ring-1",
        "S",
    )


def test_a_branch_moves_from_wherever_it_hangs(path):
    drawn = editing.move(path, "schools", "visits", "busy")
    assert (drawn.steps["menu"].exits, drawn.steps["visits"].exits["busy"]) == (
        {"1": "visits"},
        "schools",
    )


def test_keys_that_go_take_their_exits_along(path):
    drawn = editing.change_step(path, "menu", {"keys": {"1": "visits", "9": "lost property"}})
    assert drawn.steps["menu"].exits == {"1": "visits"}


def test_no_more_steps_than_can_be_looked_at():
    steps = {f"s{i}": End() for i in range(499)}
    path = Path(first="a", steps={"a": Ring(), **steps})
    with pytest.raises(NotAllowedNow) as caught:
        editing.add(path, "a", "busy", "end", PLACE)
    assert caught.value.reason == "too-many-steps"


# ── the picture ──


@pytest.mark.parametrize("name", sorted(READY_MADE))
def test_patterns_are_drawn_without_a_crossing(name):
    assert lay_out(READY_MADE[name].build(PLACE)).crossings == 0


def test_sixty_steps_cross_three_times_at_most():
    """A fixed path: six menus one below the other, each with a desk and a queue that overflow into
    shared mailboxes."""
    steps = {}
    for i in range(12):
        onward = f"menu{i + 1}" if i < 11 else "box11"
        steps[f"menu{i}"] = Menu(
            greeting="Press 1 or 2",
            keys={"1": "a", "2": "b"},
            exits={"1": f"ring{i}", "2": f"queue{i}", "no input": onward},
        )
        steps[f"ring{i}"] = Ring(exits=dict.fromkeys(EXITS["ring"], f"say{i}"))
        steps[f"queue{i}"] = Queue(
            exits={"full": f"say{i}", "waited too long": f"say{i}", "nobody signed in": f"say{i}"}
        )
        steps[f"say{i}"] = Hours(
            timezone="UTC", openings=(), exits={"open": f"box{i}", "closed": f"box{i}"}
        )
        steps[f"box{i}"] = BOX
    path = Path(first="menu0", steps=steps)
    assert len(path.steps) == 60
    assert lay_out(path).crossings <= 3


# ── two versions ──


@pytest.fixture
def here(estate):
    for name in ("Amara", "Piet"):
        estate.person(name)
    line = estate.line("Visits")
    estate.given(200, line, capacity="many", path="desk")
    return estate


def desk(people=("amara",), end="17:00"):
    hours = Hours(
        timezone="Europe/London",
        openings=(Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end=end),),
        exits={"open": "ring", "closed": "box"},
    )
    return Path(
        first="hours",
        steps={
            "hours": hours,
            "ring": Ring(title="Desk", people=people, exits=dict.fromkeys(EXITS["ring"], "box")),
            "box": BOX,
        },
    )


def test_a_difference_says_what_is_new_gone_and_changed():
    old = desk()
    new, added = editing.add(desk(("amara", "piet"), "18:00"), "ring", "busy", "queue", PLACE)
    new = editing.change_step(new, "ring", {"title": "Front desk", "seconds": 40})
    found = difference(old, new, {"amara": "Amara", "piet": "Piet"})
    assert {(c.key, c.what) for c in found.steps} == {
        ("hours", "changed"),
        ("ring", "changed"),
        (added, "new"),
    }
    words = next(c.words for c in found.steps if c.key == "ring")
    assert words == (
        "called “Desk” before",
        "people: Amara → Amara, Piet",
        "seconds: 25 → 40",
        "busy: to “Mailbox” → to “Queue”",
    )
    assert next(c.words for c in found.steps if c.key == "hours") == (
        "openings: Mon to Fri 09:00 to 17:00 → Mon to Fri 09:00 to 18:00",
    )
    assert ("ring", "busy") in found.exits
    assert found.of(added) == "new"
    assert difference(new, old, {}).of(added) == "gone"
    assert difference(old, old, {}).is_none


def test_other_keys_and_closures_are_told_in_words(path):
    new = editing.change_step(
        path, "menu", {"keys": {"1": "visits", "2": "schools", "3": "lost property"}}
    )
    assert difference(path, new, {}).steps[0].words == (
        "keys: 1 visits, 2 schools → 1 visits, 2 schools, 3 “lost property”",
    )
    hours = Path(first="h", steps={"h": Hours(timezone="UTC", openings=())})
    closed = editing.change_step(
        hours, "h", {"closures": [{"first": "2026-12-24", "last": "2026-12-26", "name": "winter"}]}
    )
    assert difference(hours, closed, {}).steps[0].words == (
        "closures: nothing → winter (2026-12-24 to 2026-12-26)",
    )


def test_what_callers_will_notice_is_told_once_for_each_kind_of_hour(here):
    called = Called.number(here.build().number("+441134960200"))
    found = consequences(called, desk(), desk(end="19:00"), here.build())
    assert [(c.when, c.before, c.after) for c in found] == [
        (
            "Tuesday 24 November, 17:00",
            "mailbox: message for Amara",
            "somebody answers: Amara answers",
        )
    ]
    assert consequences(called, desk(), desk(), here.build()) == []


def test_a_followed_call_is_kept_and_tells_when_it_ends_otherwise(here):
    estate, path = here.build(), desk()
    called = Called.number(estate.number("+441134960200"))
    trace = trace_path(called, path, NOW, World(), estate)
    case = case_of("By day", NOW, "Europe/London", World(), trace)
    assert [v.differs for v in run_cases(called, path.copy_with(tests=(case,)), estate)] == [""]
    later = editing.change_step(path.copy_with(tests=(case,)), "hours", {"openings": []})
    assert [v.differs for v in run_cases(called, later, estate)] == [
        "has to end answered, and ends mailbox: message for Amara"
    ]


# ── what if ──


@pytest.fixture
def standing(here):
    here.put(
        e.PathVersion(
            id="desk", name="Desk", body=desk().model_dump(mode="json"), in_force_from=NOW
        )
    )
    return here.build()


def noticed(standing, after):
    return {
        a.number.national: [c.after for c in a.consequences]
        for a in whatif.compare([standing.number("+441134960200")], standing, after)
    }


def test_if_a_trunk_is_down_its_numbers_reject_calls(standing):
    found = noticed(standing, whatif.without_trunk(standing, "brackwater-leeds"))
    assert every(
        after.startswith("rejected: Trunk Brackwater Leeds is down")
        for after in found["0113 496 0200"]
    )
    assert noticed(standing, whatif.without_trunk(standing, "leeds-a")) == {}


def test_if_a_site_is_closed_nobody_there_answers(standing):
    assert noticed(standing, whatif.with_site_closed(standing, "leeds")) == {
        "0113 496 0200": ["mailbox Amara"]
    }


def test_if_somebody_leaves_all_that_hangs_on_them_is_told(standing):
    found = noticed(standing, whatif.without_person(standing, "amara"))
    assert (
        len(found["0113 496 0200"]) == 2
    )  # by day nobody rings, and nobody reads the mailbox at any time
    assert noticed(standing, whatif.without_person(standing, "piet")) == {}
