"""Spots and buildings: changed, drawn, put on plans, taken out of use; who moves; links for
somebody at the site; files in and out."""

import csv
import io
import threading
from datetime import timedelta
from xml.etree import ElementTree

import pytest

from sedge.core.errors import ChangedMeanwhile, Forbidden, NotAllowedNow, NotFound, NotUnderstood
from sedge.core.records import Address, Number, Person, Spot
from sedge.core.safety.floors import floor_order
from sedge.core.safety.spots import floor_problem
from sedge.core.workorders.life import OrderState
from sedge.demo.seed import MEMBERS
from sedge.formats.pidf_lo import CIVIC, GEOPRIV, GML, PIDF
from sedge.services.callpaths import calls
from sedge.services.holders import relocations, site_facts
from sedge.services.safety import confirmation_links, coverage, emergency_exports, safety, spots
from sedge.services.workorders import order_running, order_views, runner
from sedge.store.projections import spot_counts
from tests.conftest import until_quiet

RECEPTION, WORKSHOP = "WHF-001-K", "WHF-008-6"
PNG = b"\x89PNG\r\n\x1a\n" + b"\0" * 40


def the(context, record, key):
    with context.reading() as reading:
        return reading.records.the(record, key)


def code_of(context, words):
    with context.reading() as reading:
        return next(s.id for s in reading.records.all(Spot) if s.name == words)


# ── spots ──


def test_a_building_is_drawn_from_the_top_down_with_who_is_on_each_floor(context):
    found = spots.building(context, "wharf-house")
    assert [f.name for f in found.floors] == ["3rd floor", "2nd floor", "1st floor", "ground floor"]
    assert sum(f.people for f in found.floors) + found.nowhere[1] == 62
    assert found.nowhere == (0, 2)


@pytest.mark.parametrize(
    ("lower", "upper"),
    [
        ("basement", "ground floor"),
        ("basement 2", "basement 1"),
        ("ground floor", "mezzanine"),
        ("mezzanine", "1st floor"),
        ("2nd floor", "10th floor"),
        ("Untergeschoss", "Erdgeschoss"),
        ("Erdgeschoss", "1. Obergeschoss"),
        ("rez-de-chaussée", "2e étage"),
        ("9th floor", "roof"),
    ],
)
def test_floors_stand_in_their_order(lower, upper):
    assert floor_order(lower) < floor_order(upper)


def test_other_words_count_as_confirmed_by_whoever_wrote_them(context):
    spot = spots.change_spot(
        context,
        WORKSHOP,
        {"floor": "3rd floor", "room": "workshop", "wing": "north", "note": "goods lift"},
    )
    assert (spot.wing, spot.note, spot.confirmed_by) == ("north", "goods lift", "Rowan Achterberg")
    with pytest.raises(NotUnderstood) as raised:
        spots.change_spot(context, WORKSHOP, {"floor": "3rd floor", "room": ""})
    assert raised.value.field == "room"
    with pytest.raises(NotUnderstood) as raised:
        spots.change_spot(context, WORKSHOP, {"floor": "3rd floor", "room": "w", "note": "x" * 401})
    assert raised.value.field == "note"


def test_a_spot_in_use_is_not_taken_away_and_says_who_is_there(context):
    with pytest.raises(NotAllowedNow) as raised:
        spots.remove(context, RECEPTION)
    assert raised.value.reason == "usual"
    with pytest.raises(NotAllowedNow) as raised:
        spots.remove(context, WORKSHOP)
    assert raised.value.reason == "in-use"
    assert len(raised.value.facts["who"]) > 4
    with pytest.raises(NotAllowedNow):
        spots.remove(context, the_whole(context))


def the_whole(context):
    with context.reading() as reading:
        return next(s.id for s in reading.records.all(Spot) if s.site == "wharf-house" and s.whole)


def test_an_empty_spot_is_taken_away_and_its_code_never_comes_again(context):
    spot = safety.add_spot(context, site="wharf-house", floor="2nd floor", room="room 2.30")
    spots.remove(context, spot.id)
    assert spot.id not in {r.spot.id for r in safety.spots(context)}
    following = safety.add_spot(context, site="wharf-house", floor="2nd floor", room="room 2.31")
    assert int(following.id.split("-")[1]) == int(spot.id.split("-")[1]) + 1
    draft = relocations.draft(context, spot.id, named="Ifeoma Okafor")
    assert "out of use" in order_views.view_order(context, draft.id).report.stops[0].message


def test_a_mistyped_code_is_refused_and_the_nearest_told(context):
    assert safety.the_spot(context, "whf 001 k") == RECEPTION
    with pytest.raises(NotUnderstood) as raised:
        safety.the_spot(context, "WHF-001-L", field="to")
    assert (raised.value.field, RECEPTION in raised.value.facts["near"]) == ("to", True)


@pytest.mark.parametrize(
    ("x", "y", "fits"),
    [
        (0, 100, True),
        (33.333, 50, True),
        (-1, 50, False),
        (50, 100.5, False),
        (float("nan"), 1, False),
    ],
)
def test_a_place_on_a_plan_is_in_hundredths(context, x, y, fits):
    if fits:
        assert spots.put_on_plan(context, RECEPTION, x, y).place == (round(x, 1), round(y, 1))
    else:
        with pytest.raises(NotUnderstood):
            spots.put_on_plan(context, RECEPTION, x, y)


@pytest.mark.parametrize(
    ("content", "floor", "field"),
    [
        (b"GIF89a", "1st floor", "file"),
        (b"", "1st floor", "file"),
        (b"%PDF-1.7", "1st floor", "file"),
        (PNG, " ", "floor"),
        (b"<svg/>", "x", "file"),
    ],
)
def test_a_floor_plan_is_a_picture(context, content, floor, field):
    with pytest.raises(NotUnderstood) as raised:
        spots.put_plan(context, "wharf-house", floor, content)
    assert raised.value.field == field


def test_a_plan_is_kept_replaced_and_taken_away(context):
    spots.put_plan(context, "wharf-house", "1st floor", PNG)
    spots.put_plan(context, "wharf-house", "1st floor", PNG + b"2")
    assert spots.plan(context, "wharf-house", "1st floor") == ("image/png", PNG + b"2")
    assert [f.name for f in spots.building(context, "wharf-house").floors if f.has_plan] == [
        "1st floor"
    ]
    spots.take_plan_away(context, "wharf-house", "1st floor")
    with pytest.raises(NotFound):
        spots.plan(context, "wharf-house", "1st floor")


# ── coverage ──


def test_coverage_counts_what_help_would_find(context):
    by = {c.site.id: c for c in coverage.by_site(context)}
    wharf = by["wharf-house"]
    assert (wharf.whole.people, wharf.whole.found_people, wharf.whole.per_cent) == (62, 60, 98)
    assert sum(s.numbers for s in wharf.floors.values()) == wharf.whole.numbers
    assert wharf.unconfirmed == 1
    assert by["spree-depot"].whole.is_empty, "nobody is there: neither covered nor uncovered"


def test_counts_are_kept_as_people_and_numbers_move(installation, context):
    with context.reading() as reading:
        before = {row[:3]: row[3] for row in spot_counts.counts(reading.connection)}
    draft = relocations.draft(context, WORKSHOP, named="Ifeoma Okafor")
    order_running.run(context, draft.id)
    until_quiet(installation, timedelta(minutes=1))
    with context.reading() as reading:
        after = {row[:3]: row[3] for row in spot_counts.counts(reading.connection)}
    assert after["wharf-house", "person", WORKSHOP] == before["wharf-house", "person", WORKSHOP] + 1
    assert (
        after["wharf-house", "person", RECEPTION] == before["wharf-house", "person", RECEPTION] - 1
    )
    with context.writing() as writing:
        spot_counts.put_placed(writing.connection)
    with context.reading() as reading:
        assert {row[:3]: row[3] for row in spot_counts.counts(reading.connection)} == after


# ── moving ──


def test_a_team_moves_and_help_follows_with_its_numbers(installation, context):
    people = (
        relocations.who(context, site="canal-museum", department="Learning")
        or relocations.who(context, site="canal-museum")[:3]
    )
    to = code_of(context, "1st floor, school room")
    draft = relocations.draft(context, to, people=[p.id for p in people])
    assert order_views.view_order(context, draft.id).report.runnable
    order_running.run(context, draft.id)
    until_quiet(installation, timedelta(minutes=2))
    assert order_views.view_order(context, draft.id).order.state is OrderState.DONE
    for p in people:
        assert the(context, Person, p.id).spot == to
    with context.reading() as reading:
        numbers = [
            n
            for n in reading.records.all(Number)
            if n.holder and n.holder.id in {p.id for p in people}
        ]
    assert numbers
    for n in numbers:
        answer = calls.emergency(context, n.e164, "999")
        assert (answer.spot, "school room" in answer.spot_words) == (to, True)
    order_running.undo(context, draft.id)
    until_quiet(installation, timedelta(minutes=2))
    assert {the(context, Person, p.id).spot for p in people} == {p.spot for p in people}


def test_carriers_that_keep_addresses_are_told_in_the_same_order(installation, context):
    with context.reading() as reading:
        bundled = next(
            n
            for n in reading.records.all(Number)
            if n.carrier == "brackwater"
            and n.holder
            and n.holder.kind == "person"
            and n.registered_spot
        )
    to = WORKSHOP if bundled.spot != WORKSHOP else RECEPTION
    draft = relocations.draft(context, to, people=[bundled.holder.id])
    assert [x.body.kind for x in draft.tasks] == ["set_spot", "register_address"]
    order_running.run(context, draft.id)
    until_quiet(installation, timedelta(minutes=1))
    assert the(context, Number, bundled.e164).registered_spot == to


def test_nobody_to_move_is_said(context):
    with pytest.raises(NotUnderstood) as raised:
        relocations.draft(context, RECEPTION, people=["person-ifeoma-okafor"])
    assert raised.value.field == "people"
    with pytest.raises(NotFound):
        relocations.draft(context, "WHF-999-X", named="Ifeoma Okafor")


# ── links ──


def test_a_link_confirms_once_without_an_account(installation, context):
    path = confirmation_links.make_link(context, WORKSHOP, to="porter@lanternfield.example")
    token = path.removeprefix("/confirm/")
    assert confirmation_links.asked(installation, token).spot.id == WORKSHOP
    spot = confirmation_links.answer(installation, token, right=True, name="Pat Porter", note="")
    assert (spot.confirmed_by, spot.doubt) == ("Pat Porter", "")
    for again in (
        lambda: confirmation_links.asked(installation, token),
        lambda: confirmation_links.answer(
            installation, token, right=True, name="Pat Porter", note=""
        ),
    ):
        with pytest.raises(NotFound):
            again()
    until_quiet(installation, timedelta(seconds=10))
    letter = next(
        m for m in installation.outside.mail.mailbox() if m["to"] == "porter@lanternfield.example"
    )
    assert path in letter["text"]


def test_of_two_who_follow_a_link_at_once_one_is_heard(installation, context):
    token = confirmation_links.make_link(context, WORKSHOP).removeprefix("/confirm/")
    heard = []

    def follow(name):
        try:
            heard.append(
                confirmation_links.answer(
                    installation, token, right=True, name=name, note=""
                ).confirmed_by
            )
        except NotFound:
            heard.append(None)

    threads = [threading.Thread(target=follow, args=(f"Porter {i}",)) for i in range(6)]
    [t.start() for t in threads]
    [t.join() for t in threads]
    assert sum(name is not None for name in heard) == 1


def test_a_link_runs_out_and_a_made_up_one_opens_nothing(installation, context):
    token = confirmation_links.make_link(context, WORKSHOP).removeprefix("/confirm/")
    for made_up in (
        "",
        "x",
        "lanternfield.",
        "lanternfield." + "a" * 32,
        "elsewhere." + token.split(".")[1],
        token[:-1] + ("A" if token[-1] != "A" else "B"),
    ):
        with pytest.raises(NotFound):
            confirmation_links.asked(installation, made_up)
    installation.clock.advance(confirmation_links.GOOD_FOR + timedelta(seconds=1))
    with pytest.raises(NotFound):
        confirmation_links.answer(installation, token, right=True, name="Pat Porter", note="")


def test_a_doubt_stands_among_the_gaps_until_somebody_looks(installation, context):
    token = confirmation_links.make_link(context, WORKSHOP).removeprefix("/confirm/")
    with pytest.raises(NotUnderstood) as raised:
        confirmation_links.answer(installation, token, right=False, name="Pat Porter", note=" ")
    assert raised.value.field == "note"
    confirmation_links.answer(
        installation, token, right=False, name="Pat Porter", note="the workshop moved out"
    )
    gap = next(g for g in coverage.gaps(context) if g.key == "doubt")
    assert "the workshop moved out" in gap.reason
    safety.confirm_spot(context, WORKSHOP)
    assert not [g for g in coverage.gaps(context) if g.key == "doubt"]


def test_the_links_secret_is_kept_nowhere(installation, context):
    token = confirmation_links.make_link(context, WORKSHOP).removeprefix("/confirm/")
    assert (
        token.split(".")[1].encode()
        not in (installation.settings.data / "estate-lanternfield.sqlite").read_bytes()
    )


def test_only_those_who_may_ask_for_links(installation):
    helper = installation.context(next(m for m in MEMBERS if m.sign_in == "declan"))
    with pytest.raises(Forbidden):
        confirmation_links.make_link(helper, WORKSHOP)


# ── open formats ──


def test_a_spots_pidf_lo_has_its_elements_in_their_namespaces_and_order(context):
    spots.change_spot(
        context,
        RECEPTION,
        {"floor": "ground floor", "room": "reception", "note": "ring & wait <here>"},
    )
    told = emergency_exports.spot_pidf_lo(context, RECEPTION)
    root = ElementTree.fromstring(told)  # noqa: S314  our own document
    assert root.tag == f"{{{PIDF}}}presence"
    civic = root.find(f".//{{{GEOPRIV}}}location-info/{{{CIVIC}}}civicAddress")
    found = {child.tag.removeprefix(f"{{{CIVIC}}}"): child.text for child in civic}
    assert found["country"] == "GB"
    assert (found["A3"], found["RD"], found["HNO"], found["PC"]) == (
        "Leeds",
        "Lanternfield Wharf",
        "12",
        "LS1 4ZZ",
    )
    assert (found["FLR"], found["ROOM"], found["LOC"], found["ADDCODE"]) == (
        "ground floor",
        "reception",
        "ring & wait <here>",
        RECEPTION,
    )
    schema = [
        "country",
        "A1",
        "A3",
        "RD",
        "HNO",
        "LMK",
        "LOC",
        "FLR",
        "NAM",
        "PC",
        "BLD",
        "ROOM",
        "ADDCODE",
    ]
    order = [name for name in schema if name in found]
    assert list(found) == order


def test_a_numbers_pidf_lo_is_about_its_tel_uri_and_has_the_point_where_known(context):
    text = emergency_exports.number_pidf_lo(context, "+441134960100")
    root = ElementTree.fromstring(text)  # noqa: S314  our own document
    assert root.get("entity") == "tel:+441134960100"
    assert root.find(f".//{{{GML}}}Point/{{{GML}}}pos") is not None
    with pytest.raises(NotAllowedNow):
        emergency_exports.number_pidf_lo(context, free_number(context))


def free_number(context):
    with context.reading() as reading:
        return next(
            n.e164 for n in reading.records.all(Number) if n.state == "available" and not n.spot
        )


def test_spots_go_out_and_come_in_the_same(context):
    out = emergency_exports.spots_csv(context)
    found = emergency_exports.spots_in(context, out.encode(), dry_run=True)
    assert found["bad"] == []
    assert (found["new"], found["changed"]) == (0, 0)
    rows = list(csv.DictReader(io.StringIO(out)))
    assert {r["city"] for r in rows} == {"Leeds", "Berlin", "Bristol", "Hamburg"}


def test_a_file_of_spots_comes_in_whole_or_not_at_all(context):
    head = "code,site,name,floor,room,wing\r\n"
    good = (
        f"{head},Wharf House,,2nd floor,room 2.40,east\r\n{RECEPTION},wharf-house,front door,ground"
        " floor,reception,\r\n"
    )
    bad = good + ",Wharf House,,2nd floor,,\r\n"
    with pytest.raises(NotUnderstood):
        emergency_exports.spots_in(context, bad.encode())
    assert the(context, Spot, RECEPTION).name == "ground floor, reception"
    done = emergency_exports.spots_in(context, good.encode())
    assert (done["new"], done["changed"], done["done"]) == (1, 1, True)
    assert the(context, Spot, RECEPTION).name == "front door"
    assert the(context, Spot, code_of(context, "2nd floor, room 2.40")).wing == "east"


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"\xff\xfe\x00", "UTF-8"),
        (b"", "columns"),
        (b"name,floor\nx,y\n", "columns"),
        (b"site,floor,room\nNowhere,1,2\n", "no site"),
        (b"code,site\nWHF-777-Z,\n", "no spot"),
    ],
)
def test_what_is_wrong_with_a_file_of_spots_is_said(context, content, says):
    try:
        found = emergency_exports.spots_in(context, content)
        assert says in found["bad"][0]
    except NotUnderstood as error:
        assert says in error.message


# ── words that change ──


def test_a_floor_that_does_not_exist_is_refused(context):
    for words in ({"floor": "7th floor", "room": "x"}, {"floor": "4th floor", "room": "x"}):
        with pytest.raises(NotUnderstood) as raised:
            safety.add_spot(context, site="wharf-house", **words)
        assert (raised.value.field, "3rd floor is its highest" in raised.value.message) == (
            "floor",
            True,
        )
    assert (
        safety.add_spot(context, site="wharf-house", floor="basement", room="boiler").floor
        == "basement"
    )
    assert safety.add_spot(context, site="wharf-house", floor="roof", room="plant").floor == "roof"


@pytest.mark.parametrize(
    ("country", "floors", "floor", "there"),
    [
        ("GB", 4, "3rd floor", True),
        ("GB", 4, "4th floor", False),
        ("US", 9, "9th floor", True),
        ("US", 9, "10th floor", False),
        ("DE", 1, "Erdgeschoss", True),
        ("DE", 1, "1. Obergeschoss", False),
        ("GB", 1, "east wing", True),
        ("GB", 1, "basement 2", True),
    ],
)
def test_which_floors_a_building_has(context, country, floors, floor, there):
    address = the(context, Address, "wharf-house-address")
    other = address.copy_with(floors=floors, elements=address.elements.copy_with(country=country))
    assert (floor_problem(floor, other) == "") is there


def test_when_a_spots_words_change_carriers_and_the_telephone_system_are_told_by_themselves(
    installation, context
):
    with context.reading() as reading:
        bundled = next(
            n
            for n in reading.records.all(Number)
            if n.carrier == "brackwater" and n.registered_spot == n.spot and n.spot
        )
        own = next(
            (
                n
                for n in reading.records.all(Number)
                if n.carrier == "fellgate" and n.spot == bundled.spot and n.holder
            ),
            None,
        )
    spot = the(context, Spot, bundled.spot)
    spots.change_spot(context, spot.id, {"floor": spot.floor, "room": "new room"})
    assert the(context, Number, bundled.e164).registered_spot is None
    assert "not-registered" in {g.key for g in coverage.gaps(context)}
    until_quiet(installation, timedelta(minutes=2))
    assert the(context, Number, bundled.e164).registered_spot == spot.id
    assert "not-registered" not in {g.key for g in coverage.gaps(context)}
    assert "new room" in calls.place_help_call(context, bundled.e164).heard
    if own:
        assert "new room" in calls.place_help_call(context, own.e164).heard


def test_the_carrier_silent_meanwhile_is_told_later(installation, context):
    installation.outside.control.order_fault(
        {"service": "brackwater", "fault": "error", "count": 2}
    )
    with context.reading() as reading:
        bundled = next(
            n
            for n in reading.records.all(Number)
            if n.carrier == "brackwater" and n.registered_spot == n.spot and n.spot
        )
    spot = the(context, Spot, bundled.spot)
    spots.change_spot(context, spot.id, {"floor": spot.floor, "room": "other room"})
    until_quiet(installation, timedelta(minutes=5))
    assert the(context, Number, bundled.e164).registered_spot == spot.id


def site_form(context, **changes):
    site, address = site_facts.facts_of_site(context, "canal-museum")
    e = address.elements
    form = {
        "name": site.name,
        "security_desk": site.security_desk,
        "floors": str(address.floors),
        "area_m2": str(address.area_m2),
    }
    return {
        **form,
        **{
            n: getattr(e, n)
            for n in ("building", "house_number", "street", "city", "postcode", "region")
        },
        **changes,
    }


def test_a_sites_security_desk_and_address_can_be_changed_and_everybody_is_told(
    installation, context
):
    site_facts.change_site(
        context,
        "canal-museum",
        site_form(context, security_desk="guards@lanternfield.example", house_number="7"),
    )
    until_quiet(installation, timedelta(minutes=3))
    number = next(n for n in numbers_of(context, "canal-museum") if n.holder.kind == "person")
    assert calls.place_help_call(context, number.e164).ok
    notice = installation.outside.telephony.notices()[0]
    assert (notice["to"], "Towpath Row 7" in notice["words"]) == (
        "guards@lanternfield.example",
        True,
    )


def numbers_of(context, site):
    with context.reading() as reading:
        return [n for n in reading.records.all(Number) if n.site == site and n.holder]


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"name": " "}, "name"),
        ({"security_desk": "the porter"}, "security_desk"),
        ({"floors": "0"}, "floors"),
        ({"floors": "1"}, "floors"),
        ({"area_m2": "x"}, "area_m2"),
        ({"street": "PO Box 4"}, "street"),
        ({"house_number": "999"}, "house_number"),
        ({"street": "Towpath Lane"}, "street"),
    ],
)
def test_a_site_is_not_changed_into_a_guess(context, changes, field):
    before = site_facts.facts_of_site(context, "canal-museum")
    with pytest.raises(NotUnderstood) as raised:
        site_facts.change_site(context, "canal-museum", site_form(context, **changes))
    assert raised.value.field == field
    assert site_facts.facts_of_site(context, "canal-museum") == before


def test_floor_and_room_can_be_asked_for_whatever_the_size(context):
    site_facts.change_site(context, "canal-museum", site_form(context, detail="1"))
    plain = safety.add_spot(context, site="canal-museum", floor="1st floor", room="")
    assert (
        next(row.problem for row in safety.spots(context) if row.spot.id == plain.id)
        == "floor and room are missing"
    )


def test_a_process_that_dies_before_it_has_told_does_so_when_it_is_back(
    installation, context, monkeypatch
):
    spot = the(context, Spot, WORKSHOP)
    monkeypatch.setattr(spots.address_change_notices, "draft_notices", lambda *_: [])
    spots.change_spot(context, WORKSHOP, {"floor": spot.floor, "room": "drying room"})
    monkeypatch.undo()
    runner.recover(installation)
    until_quiet(installation, timedelta(minutes=2))
    number = next(
        n
        for n in numbers_of(context, "wharf-house")
        if n.spot == WORKSHOP and n.holder.kind == "person"
    )
    assert "drying room" in calls.place_help_call(context, number.e164).heard
    assert runner.recover(installation) is None
    assert spots.address_change_notices.draft_notices(context) == []


def test_of_two_who_change_a_sites_address_one_is_refused(context, monkeypatch):
    form = site_form(context, house_number="7")
    plain = site_facts._address

    def meanwhile(*args):
        monkeypatch.undo()
        site_facts.change_site(context, "canal-museum", site_form(context, house_number="9"))
        return plain(*args)

    monkeypatch.setattr(site_facts, "_address", meanwhile)
    with pytest.raises(ChangedMeanwhile):
        site_facts.change_site(context, "canal-museum", form)
    assert site_facts.facts_of_site(context, "canal-museum")[1].elements.house_number == "9"


def test_only_looking_at_a_file_says_what_doing_would(context):
    with pytest.raises(NotUnderstood) as raised:
        emergency_exports.spots_in(
            context, b"site,floor,room\nWharf House,9th floor,x\n", dry_run=True
        )
    assert "3rd floor is its highest" in raised.value.message
