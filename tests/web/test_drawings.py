"""What is drawn: block map, digit ruler, life strip, picture of a path; and the small filters of
pages."""

import re
from collections import Counter
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from markupsafe import Markup

from sedge.core.callpaths.layout import lay_out
from sedge.core.callpaths.steps import (
    EXITS,
    Hours,
    Mailbox,
    Menu,
    Opening,
    OtherPath,
    Path,
    Queue,
    Ring,
)
from sedge.core.facts import Money
from sedge.core.numbers.life import State
from sedge.core.spend.step_use import GAVE_UP, use_of_steps
from sedge.services.licences.seat_history import SeatHistory
from sedge.web.shared import rendering
from sedge.web.shared.drawings.blockmap import (
    MapCell,
    Tile,
    block_map,
    density_map,
    legend_shape,
    shape,
)
from sedge.web.shared.drawings.pathmap import Shown, describe_step, drawn, path_map, thumbnail
from sedge.web.shared.drawings.ruler import grouped, ruler
from sedge.web.shared.drawings.seatchart import seat_chart
from sedge.web.shared.drawings.strip import strip
from tests.asserting import every

NOW = datetime(2026, 11, 24, 11, 20, tzinfo=UTC)
LONDON = ZoneInfo("Europe/London")


def words_of(drawn):
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", drawn)).strip()


def numbers_in(drawn, attribute):
    return [float(x) for x in re.findall(rf'\b{attribute}="(-?[\d.]+)"', drawn)]


# ── block map ──


def cells(*lasts, state=State.AVAILABLE):
    return [MapCell(441134960100 + last, state, state.value) for last in lasts]


def test_no_two_states_share_a_shape():
    drawn = {
        state: (
            re.sub(r"cell-[a-z-]+", "", shape(state, 0, 0))
            + re.findall(r"cell-[a-z-]+", shape(state, 0, 0))[0]
        )
        for state in State
    }
    assert len(set(drawn.values())) == len(State)


def test_a_map_shows_only_the_rows_that_have_numbers():
    few, all_ = block_map("x", cells(45, 46)), block_map("x", cells(*range(100)))
    assert numbers_in(few, "height")[0] < numbers_in(all_, "height")[0]
    assert words_of(few).split()[0] == "40"
    assert [w for w in words_of(all_).split() if w in {"00", "20", "40", "60", "80"}][:5] == [
        "00",
        "20",
        "40",
        "60",
        "80",
    ]


def test_cells_stand_where_their_last_digits_say():
    drawn = block_map("x", cells(0, 1, 20))
    boxes = re.findall(r'<rect class="cell cell-available" x="([\d.]+)" y="([\d.]+)"', drawn)
    (x0, y0), (x1, y1), (x20, y20) = [(float(x), float(y)) for x, y in boxes]
    assert (x0 < x1, y0 == y1) == (True, True)
    assert (x20 == x0, y20 > y0) == (True, True)


def test_the_chosen_cell_is_the_one_the_keyboard_enters():
    drawn = block_map("x", cells(1, 2, 3), chosen=441134960102)
    entered = re.findall(r'data-number="(\d+)" data-at="\d+" tabindex="0"', drawn)
    assert entered == ["441134960102"]
    assert drawn.count('aria-current="true"') == 1


def test_a_map_without_the_chosen_number_is_entered_at_its_first_cell():
    drawn = block_map("x", cells(1, 2), chosen=441134960999)
    assert re.findall(r'data-number="(\d+)" data-at="\d+" tabindex="0"', drawn) == ["441134960101"]


def test_links_keep_the_filters_of_the_page():
    drawn = block_map("x", cells(1), address="/numbers?site=wharf-house&")
    assert 'href="/numbers?site=wharf-house&amp;number=441134960101"' in drawn


def test_names_of_holders_cannot_break_out_of_the_drawing():
    drawn = block_map("x", [MapCell(441134960101, State.ASSIGNED, 'assigned to <b>"Bo"</b>')])
    assert "<b>" not in drawn
    assert "&lt;b&gt;" in drawn


def test_an_empty_map_and_the_legend_draw_something_readable():
    assert 'aria-label="Numbers x"' in block_map("x", [])
    assert 'aria-hidden="true"' in legend_shape(State.AGING)


# ── ruler ──


@pytest.mark.parametrize(
    ("e164", "told"),
    [
        ("+441134960142", "+44 United Kingdom 113 Leeds 496 0142 subscriber number"),
        ("+12025550142", "+1 United States 202"),
        ("+447700900123", "+44 United Kingdom"),
    ],
)
def test_the_ruler_splits_a_number_into_what_its_digits_mean(e164, told):
    drawn = ruler(e164)
    assert words_of(drawn).startswith(told)
    assert f'data-copy="{e164}"' in drawn
    assert "".join(re.findall(r'ruler-digits">([^<]+)<', drawn)).replace(" ", "") == e164


@pytest.mark.parametrize(
    ("digits", "shown"),
    [("4960142", "496 0142"), ("960142", "96 0142"), ("60142", "60142"), ("", "")],
)
def test_subscriber_digits_are_grouped_for_reading_aloud(digits, shown):
    assert grouped(digits) == shown


# ── life strip ──


@dataclass(frozen=True)
class Stretch:
    state: State
    since: datetime
    until: datetime | None = None
    holder: str = ""


def life(*days):
    """Stretches of so many days each, the last one open."""
    begin, out = NOW - timedelta(days=sum(d for d, *_ in days)), []
    for i, (length, state, holder) in enumerate(days):
        end = begin + timedelta(days=length)
        out.append(Stretch(state, begin, None if i == len(days) - 1 else end, holder))
        begin = end
    return out


def test_a_strip_tells_a_life_in_order():
    drawn = strip(
        life(
            (1, State.ON_ORDER, ""),
            (30, State.AVAILABLE, ""),
            (300, State.ASSIGNED, "Ifeoma Okafor"),
        ),
        NOW,
    )
    told = re.search(r'aria-label="([^"]+)"', drawn).group(1)
    assert [part.split(" ", 3)[3] for part in told.split("; ")] == [
        "ordered",
        "available",
        "to I. Okafor",
    ]
    places = numbers_in(drawn, "cx")
    assert places == sorted(places)


def test_a_strip_dates_its_stretches_as_far_as_there_is_room():
    days = lambda drawn: re.findall(r'strip-day"[^>]*>([^<]*)<', drawn)
    began = NOW - timedelta(days=340)
    drawn = strip(life((40, State.AVAILABLE, ""), (300, State.ASSIGNED, "Bo Reed")), NOW)
    assert days(drawn) == [f"{began:%-d %b %Y}", f"{began + timedelta(days=40):%-d %b %Y}"]
    assert {len(day) for day in days(strip(life(*[(9, State.AVAILABLE, "")] * 7), NOW))} <= {
        0,
        6,
        8,
    }


def test_a_day_beside_ten_years_is_still_to_be_seen():
    drawn = strip(life((3650, State.AVAILABLE, ""), (1, State.ASSIGNED, "Bo Reed")), NOW)
    ends = list(zip(numbers_in(drawn, "x1"), numbers_in(drawn, "x2"), strict=True))
    assert every(end - start > 20 for start, end in ends)
    assert ends[0][1] - ends[0][0] > ends[1][1] - ends[1][0]


def test_a_long_life_shows_its_last_seven_stretches_and_an_empty_one_nothing():
    assert strip(life(*[(10, State.AVAILABLE, "")] * 12), NOW).count("<circle") == 7
    assert strip([], NOW) == Markup("")


def test_an_ended_life_has_no_line_after_its_end():
    drawn = strip(life((10, State.AVAILABLE, ""), (5, State.RELEASED, "")), NOW)
    assert drawn.count("<line") == 1


def test_long_names_are_cut_to_their_stretch():
    drawn = strip(life(*[(10, State.ASSIGNED, "The Quayside Annexe reading room")] * 6), NOW)
    assert "…" in drawn


# ── the picture of a path ──

PATH = Path(
    first="hours",
    steps={
        "hours": Hours(
            title="Opening hours",
            timezone="Europe/London",
            openings=(Opening(weekdays=(0, 1), start="09:00", end="17:00"),),
            exits={"open": "menu", "closed": "box", "holiday": "box"},
        ),
        "menu": Menu(
            greeting="Press 1 or 2.",
            keys={"1": "visits", "2": "schools"},
            exits={"1": "ring", "2": "queue", "no input": "box", "wrong input": "box"},
        ),
        "ring": Ring(
            people=("a",),
            seconds=20,
            exits={"no answer": "box", "busy": "box", "nobody reachable": "box"},
        ),
        "queue": Queue(
            people=("a", "b", "c"), longest_wait=300, exits=dict.fromkeys(EXITS["queue"], "box")
        ),
        "box": Mailbox(recipients=("a", "b")),
    },
)
NAMES = {"a": "Ada Reed", "b": "Bo Rush", "c": "Cy Vale"}


def test_every_step_and_every_way_out_is_drawn_once():
    drawn = path_map(PATH, NAMES)
    assert drawn.count('class="pm-box"') == len(PATH.steps)
    assert {"open", "closed", "holiday", "1", "2", "no input"} <= set(
        re.findall(r'class="pm-exit[^"]*"[^>]*>([^<]+)<', drawn)
    )
    assert "pm-on" not in drawn


def test_the_way_of_a_call_is_marked_from_the_number_to_where_it_ends():
    drawn = path_map(
        PATH,
        NAMES,
        [("hours", "open"), ("menu", "1"), ("ring", "no answer")],
        "box",
        above=("0113 496 0200", "from 0131 496 0999"),
    )
    assert (
        len(re.findall(r'class="pm-step( pm-k-[a-z]+)? pm-on"', drawn)) == 5
    )  # the number itself, and four steps
    assert "0113 496 0200" in drawn
    assert "from 0131 496 0999" in drawn
    assert len(re.findall(r'class="pm-line pm-way"', drawn)) == 4


def test_everything_lies_within_the_picture():
    drawn = path_map(PATH, NAMES, above=("a", "b"))
    width, height = (float(x) for x in re.search(r'viewBox="0 0 (\d+) (\d+)"', drawn).groups())
    points = re.findall(r"[ML](-?[\d.]+) (-?[\d.]+)", drawn)
    assert every(0 <= float(x) <= width and 0 <= float(y) <= height for x, y in points)
    assert every(0 <= x <= width for x in numbers_in(drawn, "x"))


@pytest.mark.parametrize(
    ("step", "told"),
    [
        ("hours", "09:00 to 17:00"),
        ("menu", "“Press 1 or 2.”"),
        ("ring", "Ada Reed, 20 s"),
        ("queue", "Ada Reed and 2 more, at most 5 min"),
        ("box", "mail to Ada Reed, Bo Rush"),
    ],
)
def test_a_step_is_described_in_a_few_words(step, told):
    assert describe_step(PATH.steps[step], NAMES) == told


def test_a_ring_without_people_rings_the_holder():
    step = Ring(exits={"no answer": "box", "busy": "box", "nobody reachable": "box"})
    assert describe_step(step, {}).startswith("the holder")
    assert describe_step(Mailbox(), {}) == "mail to the holder"


# ── filters ──


@pytest.mark.parametrize(
    ("span", "told"),
    [
        (timedelta(seconds=-10), "now"),
        (timedelta(seconds=10), "in a moment"),
        (timedelta(minutes=-5), "5 min ago"),
        (timedelta(minutes=59), "in 59 min"),
        (timedelta(hours=-3), "today 08:20"),
        (timedelta(hours=13), "tomorrow 00:20"),
        (timedelta(days=-1), "yesterday 11:20"),
        (timedelta(days=-40), "15 Oct"),
        (timedelta(days=-400), "20 Oct 2025"),
    ],
)
def test_moments_are_told_as_people_say_them(span, told):
    assert rendering.moment(NOW + span, NOW, LONDON) == told


def test_an_exact_moment_names_its_zone():
    assert (
        rendering.exact(datetime(2026, 7, 1, 11, 0, tzinfo=UTC), LONDON)
        == "Wed 1 Jul 2026, 12:00:00 BST"
    )
    assert rendering.moment(None, NOW, LONDON) == "–"


@pytest.mark.parametrize(
    ("n", "told"), [(0, "0 numbers"), (1, "1 number"), (1200, "1,200 numbers")]
)
def test_things_are_counted(n, told):
    assert rendering.counted(n, "number") == told


def test_money_of_no_price_is_a_dash():
    assert rendering.money(None) == "–"
    assert rendering.money(Money(amount=Decimal("1234.5"), currency="GBP")) == "£1,234.50"


# ── what is not ours, ten columns, density ──


def test_numbers_of_the_hundred_that_are_not_ours_are_dots_in_one_path():
    drawn = block_map("x", cells(*range(15)))
    assert drawn.count('class="not-ours"') == 1
    assert re.search(r'class="not-ours" d="([^"]+)"', drawn)[1].count("h0") == 5
    assert "not-ours" not in block_map("x", cells(*range(20)))


def test_ten_columns_make_ten_rows():
    drawn = block_map("x", cells(*range(100)), columns=10)
    assert drawn.count('role="row"') == 10
    assert 'data-columns="10"' in drawn
    assert block_map("x", cells(*range(100))).count('role="row"') == 5


def test_a_density_map_has_a_tile_per_hundred_with_its_figures_and_its_way_in():
    tiles = [
        Tile(
            4411349600 + h,
            Counter({State.ASSIGNED: 10 * h, State.AVAILABLE: 5}),
            f"{h}xx, <b>",
            f"/numbers?within={h}&a=b",
        )
        for h in range(4)
    ]
    drawn = density_map("x", tiles)
    assert (drawn.count('role="gridcell"'), drawn.count('role="row"')) == (4, 1)
    assert 'href="/numbers?within=3&amp;a=b"' in drawn
    assert "<b>" not in drawn
    widths = [float(w) for w in re.findall(r'class="tile-used"[^>]* width="([\d.]+)"', drawn)]
    assert widths == sorted(widths)
    assert drawn.count('tabindex="0"') == 1


def test_cells_drawn_as_a_box_alone_carry_their_last_two_digits():
    states = [State.AVAILABLE, State.ASSIGNED, State.AGING, State.PORTING_IN]
    cells = [MapCell(441134960140 + i, state, state.value) for i, state in enumerate(states)]
    drawn = str(block_map("+44113496 01xx", cells))
    assert re.findall(r'class="cell-no[^"]*"[^>]*>(\d\d)<', drawn) == ["40", "41"]
    assert 'class="cell-no on-fill"' in drawn


def test_a_thumbnail_marks_the_way_of_a_call_and_says_nothing():
    path = Path(
        first="hours",
        steps={
            "hours": Hours(
                title="Hours",
                timezone="Europe/London",
                openings=(),
                exits={"open": "ring", "closed": "box"},
            ),
            "ring": Ring(title="Ring", exits={"no answer": "box"}),
            "box": Mailbox(title="Mailbox"),
        },
    )
    drawn = str(thumbnail(path, [("hours", "closed")], "box"))
    assert drawn.count("<rect") == 3
    assert len(re.findall(r'<rect class="[^"]*pm-way', drawn)) == 2
    assert words_of(drawn) == ""
    assert 'aria-hidden="true"' in drawn


def test_a_chart_of_seats_tells_what_it_shows_and_stays_in_its_frame():
    moments = [NOW - timedelta(days=300), NOW - timedelta(days=100), NOW]
    drawn = str(seat_chart(SeatHistory(moments, [2, 5, 9]), 12))
    assert "2 granted in January 2026, 9 now, of 12 seats today" in drawn
    assert "Jan 2026" in words_of(drawn)
    points = [float(y) for y in re.findall(r"V([\d.]+)", drawn)]
    assert points
    assert 0 <= min(points) <= max(points) <= 50


def test_a_chart_of_seats_rises_above_the_line_where_more_was_granted_than_there_are():
    drawn = str(seat_chart(SeatHistory([NOW - timedelta(days=30), NOW], [9, 9]), 3))
    limit = float(re.search(r'seat-limit" d="M\d+ ([\d.]+)', drawn)[1])
    top = float(re.search(r'seat-stair" d="M[\d.]+ ([\d.]+)', drawn)[1])
    assert top < limit


USED = Path(
    first="menu",
    steps={
        "menu": Menu(
            greeting="For tickets, press 1.",
            keys={"1": "tickets", "2": "rooms"},
            exits={"1": "queue", "2": "other", "no input": "queue"},
        ),
        "queue": Queue(people=("ana",), exits={"full": "other"}),
        "other": OtherPath(path="rooms"),
    },
)


def test_a_picture_says_how_many_calls_went_which_way_and_gave_up_where():
    counted = {
        ("menu", "1"): (60, 0),
        ("menu", "2"): (30, 0),
        ("menu", GAVE_UP): (10, 0),
        ("queue", "answered"): (50, 0),
        ("queue", "full"): (10, 0),
    }
    used = {step.step: step for step in use_of_steps(USED, counted)}
    drawn_ = drawn(USED, {}, Shown(use=used))
    words = words_of(drawn_)
    assert ["1 · 60%" in words, "2 · 30%" in words, "no input ·" in words] == [True, True, False]
    assert "10 gave up" in words
    assert re.findall(r'pm-calls"[^>]*>([^<]+)<', drawn_) == ["100", "60"]
    flows = re.findall(r"pm-line pm-flow-(\d)", drawn_)
    assert sorted(flows) == ["1", "2", "3"], "10, 30 and 60 of 100 calls"
    assert "pm-flow" not in path_map(USED, {}), "nothing is said where nobody counted"


def test_names_of_exits_have_room_for_their_share():
    labels = {("menu", "1"): "1 · 60% of a great many calls"}
    plain, wide = lay_out(USED), lay_out(USED, labels=labels)
    assert wide.boxes["menu"].width > plain.boxes["menu"].width
