"""The way of calls through call paths: written, read back, counted by step."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.callpaths.steps import End, Hours, Mailbox, Menu, Opening, Path, Queue
from sedge.core.errors import NotUnderstood
from sedge.core.spend.call_rows import CallReader, RowProblem
from sedge.core.spend.step_use import (
    GAVE_UP,
    MOST_PASSED,
    Passed,
    read_way,
    use_of_steps,
    way_as_text,
)

WORDS = st.text("abcdefgh 0123456789*#-", min_size=1, max_size=20).map(str.strip).filter(bool)
STEPS = st.builds(
    Passed,
    st.one_of(st.just(""), WORDS),
    st.from_regex(r"[a-z0-9-]{1,40}", fullmatch=True),
    WORDS,
    st.integers(0, 86_400),
)
SHOP = Path(
    first="hours",
    steps={
        "hours": Hours(
            timezone="Europe/London",
            openings=(Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end="17:00"),),
            exits={"open": "menu", "closed": "mailbox", "holiday": "mailbox"},
        ),
        "menu": Menu(
            greeting="For tickets, press 1.",
            keys={"1": "tickets", "2": ""},
            exits={"1": "queue", "2": "mailbox", "no input": "menu", "wrong input": "menu"},
        ),
        "queue": Queue(people=("ana",), exits={"full": "mailbox"}),
        "mailbox": Mailbox(recipients=("ana",)),
        "lonely": End(),
    },
)


@given(st.lists(STEPS, max_size=20))
def test_a_way_is_read_as_it_was_written(way):
    assert read_way(way_as_text(way)) == tuple(way)


@pytest.mark.parametrize(
    "text",
    [
        "menu=2:7",
        "shop/menu=2",
        "shop/menu=2:-4",
        "shop/menu=2:99999999",
        "shop/menu=2:86401",
        "shop/Menu!=2:1",
        "shop/menu=:1",
        "; ".join(["a/b=c:1"] * (MOST_PASSED + 1)),
    ],
)
def test_a_way_that_can_not_be_read_is_refused(text):
    with pytest.raises(NotUnderstood) as refused:
        read_way(text)
    assert (refused.value.field, refused.value.reason) == ("steps", "steps")


def test_steps_come_in_the_order_of_a_call_with_their_exits_as_they_are_drawn():
    counted = {
        ("hours", "closed"): (10, 0),
        ("hours", "open"): (30, 0),
        ("menu", GAVE_UP): (3, 30),
        ("menu", "2"): (9, 90),
        ("menu", "1"): (18, 180),
        ("queue", "answered"): (12, 240),
        ("queue", GAVE_UP): (6, 360),
        ("gone", "answered"): (99, 99),
    }
    use = use_of_steps(SHOP, counted)
    assert [s.step for s in use] == ["hours", "menu", "queue", "mailbox", "lonely"]
    menu = use[1]
    assert (menu.calls, menu.seconds, menu.gave_up) == (30, 10, 3)
    assert [(e.exit, e.calls, e.share) for e in menu.exits] == [
        ("key 1, tickets", 18, 0.6),
        ("key 2", 9, 0.3),
        ("gave up", 3, 0.1),
    ]
    assert (use[2].seconds, use[2].gave_up) == (600 / 18, 6)
    assert (use[3].calls, use[3].seconds, use[3].exits) == (0, 0.0, ())


def test_a_row_says_its_steps_or_why_they_can_not_be_read():
    reader = CallReader(
        {"started": 0, "talk": 1, "from": 2, "to": 3, "steps": 4},
        zone="UTC",
        home="GB",
        is_ours=lambda number: number == "+441134960200",
        trunks={},
        now=2_000_000_000,
    )
    row = ["2026-11-01T10:00:00Z", "5", "+441514960001", "+441134960200"]
    assert reader.read([*row, "shop/menu=2:7"]).way == (Passed("shop", "menu", "2", 7),)
    assert reader.read([*row, ""]).way == ()
    with pytest.raises(RowProblem, match="no step of a call") as refused:
        reader.read([*row, "menu, then 2"])
    assert refused.value.reason == "steps"
