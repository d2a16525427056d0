"""Call paths and hours in open formats: what goes out comes in the same; what can't be said is
reported; nonsense is answered clearly."""

import json
import shutil
import subprocess
import xml.etree.ElementTree as ET
from datetime import UTC, date, datetime

import pytest
import vobject
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.callpaths.editing import Place
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
    Path,
    Queue,
    Ring,
    Shown,
    SipAddress,
)
from sedge.core.errors import NotUnderstood, SedgeError
from sedge.core.numbers.plan import COUNTRIES
from sedge.formats import enum_zone, path_json
from sedge.formats.callpaths import cpl, cpl_read, hours_ics
from tests.random_paths import paths

MADE = datetime(2026, 11, 26, 9, 30, tzinfo=UTC)
KEYS = ("a", "b", "c", "d", "e")
later = {key: st.sampled_from([*KEYS[i + 1 :], "box"]) for i, key in enumerate(KEYS)}
spans = st.builds(
    Opening,
    weekdays=st.sets(st.integers(0, 6), min_size=1).map(lambda d: tuple(sorted(d))),
    start=st.sampled_from(["00:00", "08:30", "22:00"]),
    end=st.sampled_from(["04:15", "17:00", "24:00"]),
)
days = st.builds(
    Closure,
    first=st.just(date(2026, 12, 24)),
    last=st.dates(date(2026, 12, 24), date(2026, 12, 31)),
    name=st.sampled_from(["winter", "stocktaking & co"]),
    yearly=st.booleans(),
)


def said(key):
    """A step that CPL can say, whose exits lead further down only."""
    to = later[key]
    some = lambda kind: st.fixed_dictionaries({}, optional=dict.fromkeys(EXITS[kind], to))
    title = st.sampled_from(["Desk", "Über <den> Tresen", "7"])
    return (
        st.builds(
            Hours,
            title=title,
            timezone=st.sampled_from(["Europe/Berlin", "UTC"]),
            openings=st.lists(spans, min_size=1, max_size=2, unique=True).map(tuple),
            closures=st.lists(days, max_size=2, unique=True).map(tuple),
            holidays_of=st.just(""),
            exits=st.fixed_dictionaries({"open": to}, optional={"closed": to}),
        )
        | st.builds(
            Ring,
            title=title,
            people=st.just(("ifeoma", "piet")),
            order=st.sampled_from(["all", "in order"]),
            seconds=st.integers(5, 60),
            exits=some("ring"),
        )
        | st.builds(
            Ring,
            title=title,
            groups=st.just(("team",)),
            mobiles=st.just(("+447700900123",)),
            shown=st.sampled_from(Shown),
            exits=some("ring"),
        )
        | st.builds(
            Forward,
            title=title,
            to=st.just("+441514960400"),
            shown=st.sampled_from(Shown),
            exits=some("forward"),
        )
        | st.builds(
            SipAddress, title=title, address=st.just("sip:studio@example.org"), exits=some("sip")
        )
        | st.builds(End, title=title)
    )


sayable = st.fixed_dictionaries({key: said(key) for key in KEYS}).map(
    lambda steps: Path(
        first="a",
        steps={**steps, "box": Mailbox(title="Box", recipients=("ifeoma",), groups=("team",))},
    )
)


def without_unreached(path):
    seen, waiting = [path.first], [path.first]
    while waiting:
        for target in path.steps[waiting.pop()].exits.values():
            if target not in seen:
                seen.append(target)
                waiting.append(target)
    return path.copy_with(steps={key: path.steps[key] for key in seen})


@given(sayable)
def test_what_cpl_can_say_comes_in_as_it_went_out(path):
    wanted = without_unreached(path)
    read = cpl_read.read(cpl.write(wanted, {"ifeoma": "sip:ifeoma@desk.example"}, 2026).data)
    assert read.path == wanted
    assert read.report == []


@given(paths)
def test_cpl_of_any_path_is_well_formed_and_read_again(path):
    """Whatever can't be said is in the report; subactions stand before what refers to them (RFC
    3880 §5.3)."""
    written = cpl.write(path, {}, 2026)
    root = ET.fromstring(written.data)
    known: set[str] = set()
    for element in root:
        assert {sub.get("ref") for sub in element.iter(f"{{{cpl.CPL}}}sub")} <= known
        if element.tag.endswith("subaction"):
            known.add(element.get("id"))
    assert cpl_read.read(written.data).path.steps
    unsaid = [s for key, s in without_unreached(path).steps.items() if s.kind in cpl.CANNOT]
    assert all(any(s.title in line for line in written.report) for s in unsaid)


def test_what_cpl_can_not_say_is_reported():
    path = READY_MADE["bilingual-menu"].build(Place(holidays_of="GB-ENG"))
    report = "\n".join(cpl.write(path, {}, 2026).report)
    for words in (
        "CPL has no menus",
        "CPL has no queues",
        "public holidays are written out for 2026 and 2027 only",
        "what the mailbox says is left out",
    ):
        assert words in report
    circle = Path(
        first="a",
        steps={
            "a": Announce(text="x", exits={"done": "b"}),
            "b": Announce(text="y", exits={"done": "a"}),
        },
    )
    assert "CPL can't go in circles" in "\n".join(cpl.write(circle, {}, 2026).report)
    menu = Path(
        first="m",
        steps={
            "m": Menu(greeting="x", keys={"1": "a"}, exits={"1": "q"}),
            "q": Queue(people=("a",)),
        },
    )
    assert cpl_read.read(cpl.write(menu, {}, 2026).data).path.steps


def test_cpl_of_somebody_else_is_read():
    """The example of RFC 3880 §12.2 in spirit: a desk, then a mailbox."""
    text = b"""<?xml version="1.0" encoding="UTF-8"?>
    <cpl xmlns="urn:ietf:params:xml:ns:cpl">
      <subaction id="voicemail">
        <location url="sip:jones@voicemail.example.com"><redirect/></location>
      </subaction>
      <incoming>
        <address-switch field="origin">
          <address is="sip:boss@example.com"><reject status="busy"/></address>
          <otherwise>
            <location url="tel:+441514960400">
              <proxy timeout="8">
                <busy><sub ref="voicemail"/></busy>
                <noanswer><sub ref="voicemail"/></noanswer>
                <redirection><reject status="error"/></redirection>
              </proxy>
            </location>
          </otherwise>
        </address-switch>
      </incoming>
    </cpl>"""
    read = cpl_read.read(text)
    first = read.path.steps[read.path.first]
    assert (first.kind, first.to, first.seconds) == ("forward", "+441514960400", 8)
    assert {read.path.steps[to].kind for to in first.exits.values()} == {"mailbox"}
    assert [line.split()[0:2] for line in read.report] == [
        ["The", "“address-switch”"],
        ["“redirection”", "of"],
    ]


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"", "xml"),
        (b"hello", "xml"),
        (b"<cpl", "xml"),
        (b"<html/>", "not-cpl"),
        (b"<cpl/>", "no-incoming"),
        (b"<cpl><incoming/></cpl>", "nothing"),
        (b'<!DOCTYPE x [<!ENTITY a "b">]><cpl>&a;</cpl>', "xml"),
        (b"\xff\xfe\x00", "xml"),
        (b"<cpl>" + b" " * 1_000_001 + b"</cpl>", "too-big"),
        (
            (
                b'<cpl><subaction id="a"><sub ref="a"/></subaction><incoming><sub'
                b' ref="a"/></incoming></cpl>'
            ),
            "nothing",
        ),
    ],
)
def test_what_is_no_cpl_is_refused(data, reason):
    with pytest.raises(NotUnderstood) as caught:
        cpl_read.read(data)
    assert (caught.value.reason, caught.value.field) == (reason, "file")


# ── JSON ──


@given(paths, st.text(max_size=80))
def test_json_comes_in_as_it_went_out(path, name):
    assert path_json.read(path_json.write(name, path)) == (name, path)


def test_the_schema_names_every_kind_of_step():
    schema = path_json.schema()
    kinds = {
        d["properties"]["kind"]["const"]
        for d in schema["$defs"].values()
        if "kind" in d.get("properties", {})
    }
    assert kinds == set(EXITS)
    assert schema["properties"]["format"]["const"] == path_json.FORMAT


@pytest.mark.parametrize(
    "body",
    [
        b"",
        b"[]",
        b"{}",
        b'{"format": "call path 1"}',
        b'{"format": "call path 1", "path": {"first": "a", "steps": {}}}',
        b"[" * 100_000,
        (
            b'{"format": "call path 1", "path": {"first": "a", "steps": {"a": {"kind": "menu",'
            b' "greeting": "x", "keys": {"1": "a", "1": "b"}}}}}'
        ),
        (
            b'{"format": "call path 1", "path": {"first": "a", "steps": {"a": {"kind": "ring",'
            b' "exits": {"busy": "gone"}}}}}'
        ),
        (
            b'{"format": "call path 1", "path": {"first": "a", "steps": {"a": {"kind": "hours",'
            b' "timezone": "Mars/Olympus", "openings": []}}}}'
        ),
    ],
)
def test_json_that_is_no_call_path_is_refused_with_its_place(body):
    with pytest.raises(NotUnderstood) as caught:
        path_json.read(body)
    assert caught.value.message


# ── calendars ──


@given(
    st.lists(spans, min_size=1, max_size=3, unique=True), st.lists(days, max_size=3, unique=True)
)
def test_hours_come_in_as_they_went_out(openings, closures):
    step = Hours(timezone="Europe/Berlin", openings=tuple(openings), closures=tuple(closures))
    read = hours_ics.read(hours_ics.write({"hours": step}, MADE, (2026,)))
    assert (read.openings, read.closures, read.timezone, read.report) == (
        step.openings,
        step.closures,
        "Europe/Berlin",
        [],
    )


def test_another_reader_accepts_the_hours_and_finds_the_same_moments():
    """vobject reads them by code of its own."""
    step = Hours(
        title="Büro",
        timezone="Europe/London",
        openings=(
            Opening(weekdays=(0, 2), start="09:00", end="17:30"),
            Opening(weekdays=(4,), start="22:00", end="02:00"),
        ),
        closures=(Closure(first=date(2026, 12, 24), last=date(2026, 12, 27), name="winter"),),
        holidays_of="GB-ENG",
    )
    calendar = vobject.readOne(hours_ics.write({"hours": step}, MADE, (2026, 2027)).decode())
    events = calendar.vevent_list
    weekly = [e for e in events if e.categories.value == ["OPEN"]]
    begins = sorted({(e.dtstart.value.weekday(), f"{e.dtstart.value:%H:%M}") for e in weekly})
    assert begins == [(0, "09:00"), (4, "22:00")]
    assert sorted((e.dtend.value - e.dtstart.value).total_seconds() / 3600 for e in weekly) == [
        4.0,
        8.5,
    ]
    assert [e.rrule.value for e in weekly] == ["FREQ=WEEKLY;BYDAY=MO,WE", "FREQ=WEEKLY;BYDAY=FR"]
    closed = next(e for e in events if e.categories.value == ["CLOSED"])
    assert (closed.dtstart.value, closed.dtend.value, closed.summary.value) == (
        date(2026, 12, 24),
        date(2026, 12, 28),
        "winter",
    )
    holidays = {
        e.dtstart.value: e.summary.value for e in events if e.categories.value == ["HOLIDAY"]
    }
    assert holidays[date(2026, 12, 25)] == "Christmas Day"
    assert len({e.uid.value for e in events}) == len(events)


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"hello",
        b"BEGIN:VCALENDAR\r\nEND:VCALENDAR",
        b"BEGIN:VCALENDAR",
        b"\xff\xff",
        b"x" * 1_000_001,
    ],
)
def test_what_is_no_calendar_is_refused(data):
    with pytest.raises(NotUnderstood) as caught:
        hours_ics.read(data)
    assert caught.value.field == "file"


def test_what_hours_can_not_say_is_reported():
    text = (
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n"
        "BEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Concert\r\n"
        "DTSTART:20261224T190000Z\r\nDTEND:20261224T210000Z\r\nEND:VEVENT\r\n"
        "BEGIN:VEVENT\r\nUID:2\r\nSUMMARY:Stocktaking\r\n"
        "DTSTART;VALUE=DATE:20270104\r\nEND:VEVENT\r\n"
        "BEGIN:VEVENT\r\nUID:3\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
    )
    read = hours_ics.read(text.encode())
    assert [c.name for c in read.closures] == ["Stocktaking"]
    assert len(read.report) == 2
    assert "Concert" in read.report[0]


# ── ENUM ──


def test_a_zone_is_accepted_by_the_checker_of_zone_files(tmp_path):
    checker = shutil.which("named-checkzone") or "/usr/sbin/named-checkzone"
    targets = [
        ("+441134960142", "sip:+441134960142@lanternfield.sip.example"),
        ("+493023125001", "sip:+493023125001@pbx.example:5061;transport=tls"),
        ("+16175550142", "sip:a!b\\c@x.example"),
    ]
    zone = enum_zone.write(targets, MADE)
    file = tmp_path / "enum.zone"
    file.write_text(zone)
    done = subprocess.run(
        [checker, "e164.arpa", str(file)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout
    assert (
        '2.4.1.0.6.9.4.3.1.1.4.4 IN NAPTR 100 10 "u" "E2U+sip"'
        ' "!^.*$!sip:+441134960142@lanternfield.sip.example!" .' in zone
    )
    assert zone.count("NAPTR") == 3
    assert COUNTRIES["GB"].calling_code == "44"


def test_a_zone_can_be_asked(tmp_path):
    """dnspython reads the zone and finds the address of a number."""
    import dns.e164
    import dns.name
    import dns.zone

    zone = dns.zone.from_text(
        enum_zone.write([("+441134960142", "sip:x@y.example")], MADE), origin="e164.arpa."
    )
    [record] = zone.get_rdataset(
        dns.e164.from_e164("+441134960142", origin=dns.name.from_text("e164.arpa.")), "NAPTR"
    )
    assert (record.service, record.regexp) == (b"E2U+sip", b"!^.*$!sip:x@y.example!")


@given(st.binary(max_size=300))
def test_no_file_whatever_it_holds_does_more_than_be_refused(data):
    for read in (cpl_read.read, path_json.read, hours_ics.read):
        try:
            read(data)
        except SedgeError as error:
            assert error.message
    assert json.loads("1") == 1
