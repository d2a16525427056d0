"""What holds of every call path: its calls end, in ways that are listed; weeks agree with calls;
drawing leaves a path that can be drawn."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from sedge.core.callpaths import editing
from sedge.core.callpaths.layout import LETTER, lay_out
from sedge.core.callpaths.openings import calendar_of, local_moments, moments
from sedge.core.callpaths.steps import Path
from sedge.core.callpaths.tracing.endings import CIRCLE, endings_of
from sedge.core.callpaths.tracing.trace import trace_path
from sedge.core.callpaths.tracing.walk import MOST_VISITS
from sedge.core.callpaths.tracing.week import (
    Grade,
    Grader,
    grade_of_traces,
    monday_of,
    traces_at,
    week_of,
)
from sedge.core.callpaths.tracing.world import Called, EndingKind, World
from sedge.core.errors import SedgeError
from tests.asserting import every
from tests.conftest import NOW
from tests.random_paths import KEYS, PEOPLE, ZONES, estate_for, openings, paths, rules, worlds

answering = st.dictionaries(st.sampled_from(PEOPLE), rules, max_size=2)
minutes_ahead = st.integers(0, 360 * 24 * 60)


def called_in(estate):
    return Called.number(estate.number("+441134960142"))


@settings(max_examples=300)
@given(
    path=paths,
    world=worlds,
    silent=st.sets(st.sampled_from(PEOPLE)),
    line=st.booleans(),
    answering=answering,
    ahead=minutes_ahead,
)
def test_every_call_ends_in_a_way_that_is_listed(path, world, silent, line, answering, ahead):
    estate = estate_for(path, silent, line=line, answering=answering)
    called = called_in(estate)
    found = endings_of(called, path, estate)
    trace = trace_path(called, path, NOW + timedelta(minutes=ahead), world, estate)
    if trace.ending.reason.startswith("the path goes round"):
        assert any(way.exit == CIRCLE for way in found.ways)
    else:
        assert (trace.ending.kind, trace.ending.step) in {
            (way.kind, way.step) for way in found.ways
        }
    assert {step for step, _ in trace.way} <= found.reached
    assert set(trace.way) <= found.taken
    assert not found.unreached & {step for step, _ in trace.way}
    assert (
        max((sum(1 for s, _ in trace.way if s == step) for step, _ in trace.way), default=0)
        <= MOST_VISITS
    )


@settings(max_examples=150)
@given(path=paths, silent=st.sets(st.sampled_from(PEOPLE)), line=st.booleans(), answering=answering)
def test_every_listed_way_can_be_followed_to_its_end(path, silent, line, answering):
    estate = estate_for(path, silent, line=line, answering=answering)
    called = called_in(estate)
    for way in endings_of(called, path, estate).ways:
        trace = trace_path(called, path, way.at, World(choices=way.choices), estate)
        if way.exit == CIRCLE:
            assert trace.ending.reason == "the path goes round in a circle"
            continue
        if way.choices and way.who == ("the holder of the extension",):
            continue
        assert (trace.ending.kind, trace.ending.step) == (way.kind, way.step)
        assert tuple(trace.way) == way.way


def test_no_trace_of_ten_thousand_worlds_comes_to_a_step_that_is_said_to_be_unreached():
    """One path with a step that only a circle of closed hours leads to, followed ten thousand
    times."""
    import random

    from sedge.core.callpaths.steps import Hours, Mailbox, Menu, Opening, Ring

    day, night = (
        Opening(weekdays=tuple(range(7)), start="09:00", end="17:00"),
        Opening(weekdays=tuple(range(7)), start="17:00", end="09:00"),
    )
    path = Path(
        first="day",
        steps={
            "day": Hours(
                timezone="Europe/London", openings=(day,), exits={"open": "menu", "closed": "night"}
            ),
            "night": Hours(
                timezone="Europe/London",
                openings=(night,),
                exits={"open": "mailbox", "closed": "never"},
            ),
            "menu": Menu(
                greeting="For visits press 1",
                keys={"1": "visits"},
                exits={"1": "ring", "no input": "day"},
            ),
            "ring": Ring(people=("ifeoma", "piet"), exits={"no answer": "mailbox", "busy": "menu"}),
            "never": Ring(people=("jo",), exits={"no answer": "mailbox"}),
            "mailbox": Mailbox(recipients=("ifeoma",)),
        },
    )
    estate = estate_for(path)
    called = called_in(estate)
    assert endings_of(called, path, estate).unreached == {"never"}
    chance = random.Random(7)
    for _ in range(10_000):
        world = World(
            busy=tuple(p for p in PEOPLE if chance.random() < 0.3),
            nobody_answers=chance.random() < 0.3,
            presses=("1",) * chance.randrange(4),
        )
        trace = trace_path(
            called, path, NOW + timedelta(minutes=chance.randrange(500_000)), world, estate
        )
        assert "never" not in {step for step, _ in trace.way}


# Weeks in which clocks change: both of the year, in four time zones.
CHANGES = {
    "Europe/London": ("2027-03-22", "2027-10-25"),
    "Europe/Berlin": ("2027-03-22", "2027-10-25"),
    "America/New_York": ("2027-03-08", "2027-11-01"),
    "Australia/Sydney": ("2027-03-29", "2027-09-27"),
}


@settings(max_examples=60)
@given(
    path=paths,
    zone=st.sampled_from(ZONES),
    second=st.booleans(),
    ahead=st.integers(0, 7 * 24 * 60 - 1),
    answering=answering,
)
def test_the_week_agrees_with_calls_at_any_moment_also_where_clocks_change(
    path, zone, second, ahead, answering
):
    estate = estate_for(path, answering=answering)
    called = called_in(estate)
    monday = datetime.fromisoformat(CHANGES[zone][second]).date()
    week = week_of(Grader(called, path, estate), monday, zone)
    at = local_moments(monday, 0, zone)[0] + timedelta(minutes=ahead)
    if at.astimezone(ZoneInfo(zone)).date() > monday + timedelta(days=6):
        return
    assert week.grade_at(at) == grade_of_traces(traces_at(called, path, at, estate))


@pytest.mark.parametrize("zone", ZONES)
@pytest.mark.parametrize("second", [False, True])
def test_a_week_of_changing_clocks_has_every_moment_once(zone, second):
    path = Path.model_validate(
        {"first": "a", "steps": {"a": {"kind": "mailbox", "recipients": ["ifeoma"]}}}
    )
    estate = estate_for(path)
    monday = datetime.fromisoformat(CHANGES[zone][second]).date()
    week = week_of(Grader(called_in(estate), path, estate), monday, zone)
    spans = sorted((p.start, p.end) for day in week.days for cell in day.cells for p in cell.parts)
    assert every(a[1] == b[0] for a, b in zip(spans, spans[1:], strict=False))
    hours = (spans[-1][1] - spans[0][0]) / timedelta(hours=1)
    assert hours in {167, 169}
    counts = [
        sum(((p.end - p.start) for p in cell.parts), timedelta()) / timedelta(hours=1)
        for day in week.days
        for cell in day.cells
    ]
    assert sorted(set(counts)) == ([0, 1] if hours == 167 else [1, 2])


@given(
    found=st.lists(openings, min_size=1, max_size=3),
    zone=st.sampled_from(ZONES),
    ahead=st.integers(0, 365 * 24 * 60 - 1),
)
def test_between_two_representative_moments_nothing_changes(found, zone, ahead):
    """Any moment of the year is like one of those that stand for it."""
    calendar = calendar_of(zone, tuple(found), (), "GB-ENG")
    at = NOW + timedelta(minutes=ahead)
    assert calendar.exit_at(at) in {calendar.exit_at(m) for m in moments([calendar], NOW)}


kinds = st.sampled_from(sorted(editing.KINDS))
operations = st.lists(
    st.tuples(
        st.sampled_from(["add", "redirect", "remove", "move", "cut and paste", "begin"]),
        st.integers(0, 9),
        st.integers(0, 9),
        kinds,
    ),
    max_size=12,
)


@given(path=paths, wanted=operations)
def test_whatever_is_done_to_a_drawing_it_can_be_drawn(path, wanted):
    for what, one, other, kind in wanted:
        keys = sorted(path.steps)
        key, target = keys[one % len(keys)], keys[other % len(keys)]
        exits = editing.exits_of(path.steps[target])
        way_out = exits[one % len(exits)] if exits else ""
        try:
            match what:
                case "add":
                    path, new = editing.add(path, target, way_out, kind, editing.Place())
                    assert path.steps[target].exits[way_out] == new
                case "redirect":
                    path = editing.redirect(path, target, way_out, key)
                case "remove":
                    path = editing.remove(path, key)
                    assert key not in path.steps
                case "move":
                    path = editing.move(path, key, target, way_out)
                    assert path.steps[target].exits[way_out] == key
                case "cut and paste":
                    path, clip = editing.cut(path, key)
                    left = sorted(path.steps)[0]
                    exits = editing.exits_of(path.steps[left])
                    if exits:
                        path, first = editing.paste(path, left, exits[0], clip)
                        assert path.steps[first].kind == clip.steps[clip.first].kind
                case _:
                    path = editing.begin_with(path, key)
        except SedgeError:
            continue
    assert Path.model_validate(path.model_dump(mode="json")) == path
    layout = lay_out(path, stubs=True)
    assert set(layout.boxes) == set(path.steps)


@given(path=paths)
def test_boxes_never_lie_on_each_other_and_lines_share_no_stretch(path):
    layout = lay_out(path, stubs=True)
    boxes = [*layout.boxes.values(), *layout.stubs.values()]
    for i, a in enumerate(boxes):
        for b in boxes[i + 1 :]:
            assert a.layer != b.layer or a.x + a.width <= b.x or b.x + b.width <= a.x
    stretches = {}
    forward = [
        x
        for x in layout.lines
        if x.points[0][1] < x.points[-1][1] and x.points[1][1] != x.points[0][1]
    ]
    for line in forward:
        for (x1, y1), (x2, y2) in zip(line.points, line.points[1:], strict=False):
            if y1 == y2 and x1 != x2:
                stretches.setdefault(y1, []).append((min(x1, x2), max(x1, x2)))
    for spans in stretches.values():
        spans.sort()
        assert all(a[1] < b[0] for a, b in zip(spans, spans[1:], strict=False))


@given(path=paths)
def test_no_name_of_an_exit_lies_on_another(path):
    layout = lay_out(path, stubs=True)
    names = []
    for line in layout.lines:
        (x, y), (_, next_y) = line.points[:2]
        if next_y > y:  # down from its box, its exits' names to the right of it
            names.append((y, x, x + 6 + LETTER * max(map(len, line.exits))))
    names.sort()
    for (y, _begins, ends), (other_y, begins, _ends) in zip(names, names[1:], strict=False):
        assert y != other_y or ends < begins


def test_grades_tell_callers_apart():
    assert grade_of_traces([]) is Grade.NOBODY
    assert {g for g in Grade if g.answered} == {Grade.SOMEBODY, Grade.SLOWLY, Grade.OUTSIDE}
    assert (
        monday_of(datetime(2026, 11, 26, tzinfo=UTC), "Europe/London").isoformat() == "2026-11-23"
    )
    assert len(KEYS) == 6
    assert EndingKind.OPEN.value == "open"
