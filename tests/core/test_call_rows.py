"""Rows of call records, as carriers and telephone systems write them."""

from datetime import UTC, datetime

import pytest

from sedge.core.spend.call_legs import Direction
from sedge.core.spend.call_rows import CallReader, RowProblem, missing, recognised

OURS = {"+441134960142", "+441134960143"}
HEADER = ["id", "started", "answered", "ended", "duration", "from", "to", "trunk", "direction"]


def reader(header=HEADER, zone="Europe/London", home="GB", now="2026-11-29T12:00"):
    return CallReader(
        recognised(header),
        zone=zone,
        home=home,
        is_ours=OURS.__contains__,
        trunks={"Leeds A": "leeds-a"},
        now=seconds(now),
    )


def seconds(text):
    return int(datetime.fromisoformat(text).replace(tzinfo=UTC).timestamp())


def row(**facts):
    cells = dict.fromkeys(HEADER, "") | {"from": "07700 900123", "to": "0113 496 0142"}
    return [
        (cells | {"started": "2026-11-20 10:00:00", "duration": "75"} | facts)[n] for n in HEADER
    ]


def test_a_plain_row():
    leg = reader().read(row(id="x1", trunk="leeds a", ended="2026-11-20 10:01:25"))
    assert leg == (
        "x1",
        seconds("2026-11-20T10:00"),
        10,
        75,
        True,
        Direction.IN,
        "+441134960142",
        "+447700900123",
        "leeds-a",
        0,
        (),
    )


@pytest.mark.parametrize(
    ("written", "meant"),
    [
        ("2026-07-20T10:00:00Z", "2026-07-20T10:00"),
        ("2026-07-20T10:00:00+02:00", "2026-07-20T08:00"),
        ("2026-07-20 10:00", "2026-07-20T09:00"),
        ("20/07/2026 10:00", "2026-07-20T09:00"),
        ("20.07.2026 10:00:05", "2026-07-20T09:00:05"),
        ("1784541600", "2026-07-20T10:00"),
        ("1784541600123", "2026-07-20T10:00"),
    ],
)
def test_moments_in_all_their_forms(written, meant):
    assert reader().read(row(started=written)).started == seconds(meant)


def test_months_come_first_where_the_home_country_writes_them_so():
    leg = reader(home="US", zone="UTC").read(row(started="07/04/2026 09:00", to="+441134960142"))
    assert leg.started == seconds("2026-07-04T09:00")


@pytest.mark.parametrize(
    ("written", "talk"), [("75", 75), ("74,6", 75), ("1:15", 75), ("0:01:15", 75), ("75 s", 75)]
)
def test_durations_in_all_their_forms(written, talk):
    assert reader().read(row(duration=written)).talk == talk


def test_of_the_hour_that_comes_twice_the_order_of_the_rows_tells_which():
    read = reader()
    first = read.read(row(id="1", started="2026-10-25 01:50:00"))
    second = read.read(row(id="2", started="2026-10-25 01:10:00"))
    assert first.started == seconds("2026-10-25T00:50")
    assert second.started == seconds("2026-10-25T01:10")
    over = reader().read(row(started="2026-10-25 01:50:00", ended="2026-10-25 01:05:00"))
    assert over.started + over.ring + over.talk == seconds("2026-10-25T01:05")


@pytest.mark.parametrize(
    ("facts", "reason"),
    [
        ({"started": ""}, "moment"),
        ({"started": "yesterday"}, "moment"),
        ({"started": "2026-03-29 01:30:00"}, "no-such-hour"),
        ({"started": "2027-01-01 10:00:00"}, "future"),
        ({"ended": "2026-11-20 09:59:00"}, "backwards"),
        ({"answered": "2026-11-20 09:59:00"}, "backwards"),
        ({"duration": "-3"}, "backwards"),
        ({"duration": "3456000"}, "too-long"),
        ({"duration": "long"}, "duration"),
        ({"duration": ""}, "no-end"),
        ({"to": "0151 496 0001"}, "not-ours"),
        ({"from": "", "to": ""}, "not-ours"),
    ],
)
def test_what_no_call_can_be_is_refused_with_why(facts, reason):
    with pytest.raises(RowProblem) as refused:
        reader().read(row(**facts))
    assert refused.value.reason == reason
    assert refused.value.message


def test_directions():
    out = reader().read(row(**{"from": "0113 496 0142", "to": "0151 496 0001"}))
    assert (out.direction, out.number, out.other) == (
        Direction.OUT,
        "+441134960142",
        "+441514960001",
    )
    within = row(**{"from": "0113 496 0142", "to": "0113 496 0143"})
    assert reader().read(within).direction is Direction.OUT
    within[HEADER.index("direction")] = "incoming"
    assert reader().read(within).number == "+441134960143"
    withheld = reader().read(row(**{"from": "anonymous"}))
    assert (withheld.direction, withheld.other) == (Direction.IN, "")


def test_a_forward_is_the_second_leg_of_who_forwards():
    read = reader([*HEADER, "forwarded by"])
    leg = read.read([*row(to="07700 900417"), "0113 496 0142"])
    assert (leg.direction, leg.number, leg.other) == (
        Direction.FORWARD,
        "+441134960142",
        "+447700900417",
    )


def test_columns_are_recognised_in_other_words_and_what_is_missing_is_named():
    german = recognised(["Beginn", "Dauer", "Von", "Nach", "Leitung"])
    assert set(german) == {"started", "talk", "from", "to", "trunk"}
    assert missing(german) == []
    assert missing(recognised(["Beginn", "Von"])) == ["To", "Ended or Duration"]


def test_without_an_id_the_facts_tell_a_record_from_others():
    one, other = (reader().read(row(started=f"2026-11-20 10:0{i}:00")).key for i in (0, 1))
    assert one != other
    assert one == reader().read(row()).key
