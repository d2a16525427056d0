"""The form of a call path: what it becomes, what it refuses, and that it finds itself again."""

from datetime import UTC, date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.callpaths.patterns import (
    ALL,
    IN_ORDER,
    QUEUED,
    WAYS,
    Choice,
    DeskForm,
    plan_desk,
    read_desk,
)
from sedge.core.callpaths.steps import Announce, Closure, Mailbox, Menu, Opening, Path, Queue, Ring
from sedge.core.errors import NotUnderstood

LONDON = "Europe/London"
WEEK = Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end="17:00")
VISITS = Choice(key="1", word="visits", people=("ifeoma",))
SCHOOLS = Choice(key="2", word="schools", people=("piet", "jo"), way=IN_ORDER)
GREETING = "For visits press 1, for schools press 2."


def form(**values):
    known = {
        "timezone": LONDON,
        "openings": (WEEK,),
        "greeting": GREETING,
        "choices": (VISITS, SCHOOLS),
        "recipients": ("ifeoma",),
    }
    return DeskForm(**{**known, **values})


def test_two_choices_make_hours_a_menu_and_a_step_for_each():
    path = plan_desk(form())
    assert path.first == "hours"
    assert list(path.steps) == ["hours", "menu", "choice-1", "choice-2", "mailbox"]
    assert path.steps["hours"].exits == {"open": "menu", "closed": "mailbox", "holiday": "mailbox"}
    menu = path.steps["menu"]
    assert isinstance(menu, Menu)
    assert menu.keys == {"1": "visits", "2": "schools"}
    assert menu.exits == {
        "1": "choice-1",
        "2": "choice-2",
        "no input": "choice-1",
        "wrong input": "choice-1",
    }


def test_each_way_of_ringing_becomes_its_step():
    queued = plan_desk(form(choices=(VISITS.copy_with(way=QUEUED),))).steps["choice-1"]
    together = plan_desk(form(choices=(VISITS.copy_with(way=ALL),))).steps["choice-1"]
    in_order = plan_desk(form(choices=(VISITS.copy_with(way=IN_ORDER),))).steps["choice-1"]
    assert isinstance(queued, Queue)
    assert isinstance(together, Ring)
    assert together.order == "all"
    assert isinstance(in_order, Ring)
    assert in_order.order == "in order"


def test_whatever_goes_wrong_the_caller_can_leave_a_message():
    path = plan_desk(form())
    for step in path.steps.values():
        if isinstance(step, Ring | Queue):
            assert set(step.exits.values()) == {"mailbox"}


def test_one_choice_asks_nobody_to_choose():
    path = plan_desk(form(choices=(VISITS.copy_with(word=""),), greeting=""))
    assert list(path.steps) == ["hours", "choice-1", "mailbox"]
    assert path.steps["hours"].exits["open"] == "choice-1"


def test_without_openings_it_is_always_open():
    path = plan_desk(form(openings=()))
    assert path.first == "menu"
    assert "hours" not in path.steps


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"choices": ()}, "people1"),
        ({"choices": (VISITS, SCHOOLS.copy_with(people=()))}, "people2"),
        ({"choices": (VISITS, SCHOOLS.copy_with(word=""))}, "word2"),
        ({"choices": (VISITS, SCHOOLS.copy_with(key="1"))}, "word2"),
        ({"greeting": "  "}, "greeting"),
        ({"recipients": ()}, "recipients"),
    ],
)
def test_what_is_missing_is_named_by_its_field(values, field):
    with pytest.raises(NotUnderstood) as raised:
        plan_desk(form(**values))
    assert raised.value.field == field


def test_a_path_of_another_shape_is_not_squeezed_into_the_form():
    odd = Path(
        first="a",
        steps={"a": Announce(text="Hello", exits={"done": "mailbox"}), "mailbox": Mailbox()},
    )
    without_mailbox = Path(first="ring", steps={"ring": Ring()})
    assert read_desk(odd, LONDON) is None
    assert read_desk(without_mailbox, LONDON) is None


def test_a_path_drawn_by_hand_in_this_shape_is_found_again():
    path = Path(
        first="ring",
        steps={
            "ring": Ring(people=("a",), exits={"no answer": "mailbox"}),
            "mailbox": Mailbox(recipients=("a",)),
        },
    )
    found = read_desk(path, LONDON)
    assert found is not None
    assert found.choices == (Choice(key="1", word="", people=("a",), way=ALL),)
    assert found.recipients == ("a",)


names = st.sampled_from(["ifeoma", "piet", "jo", "amara", "ngozi"])
people = st.lists(names, min_size=1, max_size=3, unique=True).map(tuple)
words = st.sampled_from(["visits", "schools", "lending", "press"])
openings = st.lists(
    st.builds(
        Opening,
        weekdays=st.lists(st.integers(0, 6), min_size=1, max_size=7, unique=True).map(
            lambda d: tuple(sorted(d))
        ),
        start=st.sampled_from(["00:00", "08:30", "09:00"]),
        end=st.sampled_from(["12:00", "17:00", "24:00"]),
    ),
    max_size=2,
).map(tuple)
closures = st.lists(
    st.builds(
        Closure,
        first=st.just(date(2026, 12, 24)),
        last=st.dates(date(2026, 12, 24), date(2027, 1, 10)),
        name=st.just("winter"),
    ),
    max_size=2,
).map(tuple)


@st.composite
def forms(draw):
    keys = draw(st.lists(st.sampled_from("123490"), min_size=1, max_size=4, unique=True))
    choices = tuple(
        Choice(key=k, word=draw(words), people=draw(people), way=draw(st.sampled_from(WAYS)))
        for k in keys
    )
    if len(choices) == 1:
        choices = (Choice(key="1", word="", people=choices[0].people, way=choices[0].way),)
    opened = draw(openings)
    return DeskForm(
        timezone=LONDON,
        openings=opened,
        closures=draw(closures) if opened else (),
        holidays_of=draw(st.sampled_from(["", "GB-ENG"])) if opened else "",
        greeting="Press a key." if len(choices) > 1 else "",
        choices=choices,
        recipients=draw(people),
    )


@given(forms())
def test_what_was_filled_in_is_found_again(filled):
    assert read_desk(plan_desk(filled), LONDON) == filled


@given(
    forms(),
    st.datetimes(datetime.fromisoformat("2026-01-01"), datetime.fromisoformat("2027-12-31")),
)
def test_a_filled_in_path_never_hangs_up_on_a_caller(filled, at):
    """Whenever somebody calls and whatever they press, the call is answered or a message taken."""
    from sedge.core.callpaths.tracing.trace import EndingKind, World, trace_inbound
    from sedge.core.estate import Estate
    from sedge.core.records import PathVersion
    from tests.conftest import NOW, EstateBuilder

    builder = EstateBuilder()
    for name in ("Ifeoma", "Piet"):
        builder.person(name)
    line = builder.line()
    number = builder.given(142, line, capacity="many", path="p")
    builder.put(
        PathVersion(
            id="p", name="p", body=plan_desk(filled).model_dump(mode="json"), in_force_from=NOW
        )
    )
    estate: Estate = builder.build()
    for presses in ((), ("1",), ("7",)):
        later = max(at.replace(tzinfo=UTC), NOW)
        trace = trace_inbound(number, later, World(presses=presses), estate)
        assert trace.ending.kind in {EndingKind.ANSWERED, EndingKind.MAILBOX}
