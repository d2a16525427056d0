"""Pages: templates free of what a strict policy forbids, a fixed number of queries, problems beside
their fields, forms without JavaScript."""

import json
import re
from pathlib import Path

import pytest
from sqlalchemy import event

import sedge
from sedge.web.shared.rendering import environment
from tests.conftest import in_one_line

WEB = Path(sedge.__file__).parent / "web"
TEMPLATES = sorted(WEB.rglob("templates/*.html"))
FORBIDDEN = {
    r"\sstyle=": "styles belong into desk.css",
    r"<style": "styles belong into desk.css",
    r"<script(?![^>]*\bsrc=)": "scripts are files",
    r"\son[a-z]+=": "handlers are found by data attributes",
    r"hx-on": "does nothing under the policy",
    r"hx-vals=.js:": "does nothing under the policy",
    r"hx-trigger=\"[^\"]*\[": "filters need eval",
    r"javascript:": "needs unsafe-inline",
    r"https?://(?!www\.w3\.org)": "nothing is fetched from elsewhere",
    r"\|\s*safe": "everything is escaped",
}


@pytest.mark.parametrize("template", TEMPLATES, ids=lambda p: p.name)
def test_templates_have_nothing_the_policy_forbids(template):
    text = template.read_text()
    found = [f"{pattern}: {why}" for pattern, why in FORBIDDEN.items() if re.search(pattern, text)]
    assert found == []
    assert len(text.splitlines()) < 100
    assert not re.search(r"\b(Oops|Successfully|!</)", text)


def test_a_call_by_hand_is_not_said_to_agree_with_anything(client):
    client.post("/sign-in", data={"who": "rowan"})
    form = {"direction": "in", "result": "works", "heard": "Ifeoma answered"}
    page = client.post("/numbers/441134960142/own-call", data=form).text
    assert "Rowan Achterberg called by hand: Ifeoma answered" in page
    assert "Not compared with what was computed" in page
    assert "It agrees" not in page


def test_every_template_compiles_with_undefined_names_failing():
    env = environment(lambda: None)
    for template in TEMPLATES:
        env.get_template(template.name)
    assert len({t.name for t in TEMPLATES}) == len(TEMPLATES), (
        "two templates of one name would hide each other"
    )


PAGES = [
    "/",
    "/numbers",
    "/numbers?view=list",
    "/numbers?find=okafor",
    "/numbers?number=441134960100",
    "/numbers/441134960100",
    "/supply",
    "/supply?country=GB&area=Leeds&carrier=fellgate",
    "/holders",
    "/holders/lines",
    "/holders/sites",
    "/licences",
    "/carriers/new",
    "/carriers/fellgate/agreement",
    "/spend",
    "/spend/usage",
    "/spend/usage/idle",
    "/spend/usage/numbers/441134960190",
    "/spend/calls",
    "/spend/invoices",
    "/spend/rates",
    "/spend/right-sizing",
    "/spend/unusual",
    "/spend/statement",
    "/safety",
    "/safety?number=0113+496+0100",
    "/paths",
    "/paths/canal-front-desk",
    "/numbers/441134960200/follow",
    "/carriers",
    "/ledger",
    "/work-orders",
    "/numbers/441134960100/retire",
    "/holders/new/site",
    "/holders/import",
    "/work-orders/new/assign?number=441134960160",
    "/paths/new",
    "/paths/canal-front-desk/change",
    "/components",
    "/holders/new/person",
    "/holders/new/line",
    "/work-orders/9",
    "/work-orders/7",
    "/work-orders/1",
    "/holders/sites/wharf-house?dialled=9+0131+496+0500",
    "/work-orders/new/register-address?number=441134960300",
    "/numbers/441134960121?at=2025-12-20",
    "/numbers?view=list&attention=1",
    "/work-orders?state=done",
    "/numbers?group=area&shape=10",
    "/numbers?at=2026-06-01",
    "/numbers?view=list&at=2026-06-01",
    "/numbers?view=list&sort=-holder&show=number,holder,carrier,tags,known_as,changed",
    "/numbers/chosen?pick=441134960160-79,441134960999&act=assign",
    "/numbers/chosen?pick=441134960100&act=label",
    "/numbers/paste",
    "/numbers/differences",
    "/numbers/figures",
    "/numbers/figures?site=wharf-house",
    "/numbers/files",
    "/numbers/take-over",
    "/numbers/known-elsewhere",
    "/numbers?within=4411349601xx&site=wharf-house",
    "/carriers/accounts/brackwater-main",
    "/carriers/brackwater/accounts",
    "/supply/papers",
    "/standins",
    "/supply/forms/new",
    "/supply/connect",
    "/safety/rules",
    "/safety/address?country=DE&street=Speicherufr&house_number=8&city=Berlin&postcode=10999",
    "/safety/tests",
    "/safety/registered?carrier=brackwater",
    "/safety/sites/wharf-house",
    "/safety/spots/WHF-001-K",
    "/safety/spots/WHF-001-K/label",
    "/safety/move?site=canal-museum",
    "/holders/sites/wharf-house/change",
    "/safety/files",
    "/why-not?number=441134960121&holder=person:person-ifeoma-haddad",
    "/why-not",
    "/licences/home-calling",
    "/licences/tour-guide-seat",
    "/licences/new",
    "/holders/people/person-ifeoma-okafor",
    "/holders/devices/phone-101",
    "/holders/leavers",
    "/holders/several?site=wharf-house&find=conservation",
    "/holders/lines/line-booking-line",
    "/holders/groups",
    "/holders/groups/front-desk-team",
    "/holders/groups/new",
    "/holders/systems",
    "/holders/systems/alarm-server",
    "/holders/systems/alarm-server/sheets",
    "/holders/systems/new",
    "/holders/directory",
    "/work-orders/templates",
    "/work-orders/templates/joiner",
    "/work-orders/templates/exchange",
    "/work-orders/templates/season",
    "/work-orders/planner?site=wharf-house",
    "/work-orders/9?by=holder",
    "/organisations",
    "/organisations/new",
    "/organisations/members",
    "/account",
    "/account/tokens",
    "/account/authenticator",
    "/system",
    "/ledger/webhooks",
    "/forgotten",
    "/sure",
    "/ports",
    "/ports/new",
    "/ports/calendar",
    "/port-outs",
    "/carriers/drift",
    "/numbers/tidy-up",
    "/numbers/resting",
    "/holders/sites/harbour-loft/close",
    "/numbers/494066969700/retire",
    "/holders/caller-ids",
    "/paths/week?site=canal-museum&hour=2030-01-07T03",
    "/holders/caller-ids?site=wharf-house",
    "/holders/caller-ids?person=person-ifeoma-okafor",
    "/holders/sites/spree-depot/set-up",
    "/letters",
    "/letters?kind=author&language=de&order=1",
    "/checks",
    "/checks/assignment.on-trunk-list",
    "/supply/joiners",
    "/supply/when-free?country=GB&area=Leeds&pattern=0000&carrier=brackwater",
    "/numbers/441134960150/features",
    "/numbers/chosen?pick=441134960160-79&act=feature",
    "/carriers/trunks/leeds-a",
    "/carriers/trunks/leeds-a/list",
    "/dial-plans/trunks/leeds-a",
    "/carriers/sbcs",
    "/spend/rates/compare",
    "/spend/rates/exchange",
    "/carriers/sbcs/edge-one",
    "/carriers/sbcs/new",
    "/paths/school-visits",
    "/paths/draw",
    "/paths/members-line/draw",
    "/paths/members-line/draw?step=menu-1",
    "/paths/members-line/draw?step=menu-1&way_out=1",
    "/paths/members-line/draw?step=hours-1",
    "/paths/members-line/draw?step=queue-1",
    "/paths/members-line/draw?step=mailbox-1&outline=1",
    "/paths/members-line/compare",
    "/paths/week",
    "/paths/questions?ask=rings&person=person-ifeoma-okafor",
    "/paths/questions?ask=site&site=canal-museum",
    "/paths/questions?ask=names&number=0151+496+0400",
    "/paths/sounds",
    "/paths/bring-in",
    "/paths/school-visits/cpl",
    "/holders/people/person-ifeoma-okafor/answering",
    "/holders/people/person-ifeoma-okafor/erase",
    "/numbers/441134960202/follow?step_by_step=1",
    "/work-orders/new/set-fallback?number=441134960200",
]


@pytest.mark.parametrize("page", PAGES)
def test_pages_are_whole_and_have_one_heading(reader, page):
    text = reader.get(page).text
    assert text.count("<h1") == 1
    assert "</html>" in text
    assert 'id="main"' in text


@pytest.mark.parametrize("page", ["/numbers", "/numbers?view=list", "/holders", "/", "/safety"])
def test_a_page_takes_a_fixed_number_of_queries(rowan, installation, page):
    """Twice the numbers, not twice the queries."""
    database = installation.estates["lanternfield"]
    count = {"n": 0}

    @event.listens_for(database._reader, "before_cursor_execute")
    def _count(*_args):
        count["n"] += 1

    def queries():
        """The fewest of four looks: what there is to do is counted anew after a change, and now and
        then."""
        asked = []
        for _ in range(4):
            count["n"] = 0
            rowan.get(page)
            asked.append(count["n"])
        return min(asked)

    first = queries()
    with database.writing() as connection:
        connection.exec_driver_sql(
            "INSERT INTO person (id, name, email, site, extension, spot, departed, version, body)"
            " SELECT id || 'x', name || ' X', 'x' || email, site, extension, spot, departed,"
            ' version, replace(body, \'"id":"\', \'"id":"x\') FROM person'
        )
    assert queries() <= first + 1
    assert first < 80


def test_a_problem_is_said_beside_its_field_and_nothing_is_lost(rowan):
    answer = rowan.post(
        "/work-orders/new/assign",
        data={"number": "0113 49", "holder": ""},
        headers={"HX-Request": "true"},
    )
    problem = json.loads(answer.headers["Sedge-Problem"])
    assert (answer.status_code, problem["field"]) == (422, "number")
    assert "None of your numbers ends in 0113 49" in problem["message"]


def test_a_work_order_without_javascript(rowan):
    made = rowan.post(
        "/work-orders/new/assign",
        data={"number": "0113 496-0311", "holder": "person:person-ifeoma-haddad", "role": "main"},
    )
    assert made.status_code == 303
    page = rowan.get(made.headers["location"])
    assert "can&#39;t use a number of Brackwater Telecom" in page.text
    mended = rowan.post(made.headers["location"] + "/remedies")
    assert mended.status_code == 303
    assert "Grant Staff seat" in rowan.get(made.headers["location"]).text


def test_ten_thousand_pasted_numbers_are_answered(rowan):
    answer = rowan.post(
        "/work-orders/new/reserve",
        data={"number": "0113 496 0142 " * 10_000},
        headers={"HX-Request": "true"},
    )
    assert answer.status_code == 422
    assert json.loads(answer.headers["Sedge-Problem"])["field"] == "number"


CSV = (
    "Display name;Mail;Office;Extension\nAda Reed;ada.reed@lanternfield.example;Wharf"
    " House;201\nBo;not-a-mail;WHF;1\nCy Rush;cy@lanternfield.example;Nowhere;2\nDi"
    " Sedge;ADA.REED@lanternfield.example;WHF;3\n"
)


@pytest.mark.parametrize(
    "data",
    [CSV.encode(), ("\ufeff" + CSV).encode(), CSV.replace(";", ",").encode()],
    ids=["semicolons", "bom", "commas"],
)
def test_people_come_in_from_a_file_after_a_preview(rowan, data):
    page = rowan.post(
        "/holders/import", files={"file": ("people.csv", data)}, data={"site": "wharf-house"}
    ).text
    assert "1 new, 0 changed" in page
    assert "3 rows can" in page
    for why in (
        "missing or not one",
        "no site is called “Nowhere”",
        "the same mail address as in line 2",
    ):
        assert why in page
    assert "Ada Reed" not in rowan.get("/holders?find=ada+reed").text
    content, digest = (
        re.search(f'name="{name}" value="([^"]*)"', page).group(1) for name in ("content", "digest")
    )
    done = rowan.post(
        "/holders/import/run", data={"content": content, "digest": digest, "site": "wharf-house"}
    ).text
    assert "1 added" in done
    assert "Ada Reed" in rowan.get("/holders?find=ada+reed").text
    again = rowan.post(
        "/holders/import", files={"file": ("people.csv", data)}, data={"site": "wharf-house"}
    ).text
    assert "0 new, 0 changed, 1 as they are" in in_one_line(again)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"Name;Office\nA;B\n", "mail addresses"),
        (b"Mail\na@b\n", "names"),
        (b"\xff\xfe\x00", "UTF-8"),
        (b'Name,Mail\n"a,b@c\n', "CSV"),
        (b"x" * 5_100_000, "larger"),
    ],
)
def test_a_file_that_cannot_be_read_says_why(rowan, data, words):
    answer = rowan.post(
        "/holders/import", files={"file": ("people.csv", data)}, data={"site": "wharf-house"}
    )
    assert answer.status_code == 422
    assert words in answer.text


def test_a_site_is_checked_against_the_register(rowan):
    site = {
        "name": "Reed House",
        "code": "RDH",
        "country": "GB",
        "house_number": "9",
        "street": "Saltgat Lane",
        "city": "Leeds",
        "postcode": "LS2 7ZZ",
        "security_desk": "x@y.example",
    }
    refused = rowan.post("/holders/sites", data=site, headers={"HX-Request": "true"})
    problem = json.loads(refused.headers["Sedge-Problem"])
    assert (problem["field"], "Saltgate Lane" in problem["message"]) == ("accepted", True)
    made = rowan.post("/holders/sites", data={**site, "accepted": "1"})
    assert made.status_code == 303
    assert "Saltgate Lane" in rowan.get(made.headers["location"]).text
    unknown = rowan.post(
        "/holders/sites",
        data={**site, "street": "Nowhere", "code": "NWH"},
        headers={"HX-Request": "true"},
    )
    assert json.loads(unknown.headers["Sedge-Problem"])["field"] == "street"


def test_a_spot_in_a_tall_building_needs_its_floor(rowan):
    answer = rowan.post(
        "/safety/spots", data={"site": "wharf-house", "room": "x"}, headers={"HX-Request": "true"}
    )
    assert json.loads(answer.headers["Sedge-Problem"])["field"] == "floor"
    assert (
        rowan.post(
            "/safety/spots", data={"site": "wharf-house", "floor": "2nd floor", "room": "room 2.20"}
        ).status_code
        == 303
    )
    assert "WHF-009-" in rowan.get("/safety?site=wharf-house").text


def test_open_pages_are_told_when_something_moved(rowan):
    change_counter = rowan.get("/changes", params={"since": 0}).json()["change_counter"]
    assert rowan.get("/changes", params={"since": change_counter}).status_code == 204
    rowan.post("/numbers/441134960100/facts", data={"label": "x"})
    assert rowan.get("/changes", params={"since": change_counter}).status_code == 200


def test_the_drawn_map_names_every_cell():
    from sedge.core.numbers.life import State
    from sedge.web.shared.drawings.blockmap import MapCell, block_map

    drawn = block_map(
        "+44113496 01xx",
        [MapCell(441134960100 + i, state, state.value) for i, state in enumerate(State)],
        chosen=441134960101,
    )
    assert drawn.count('class="cell-link') == len(State)
    assert 'aria-label="0102, available"' in drawn
    assert drawn.count('tabindex="0"') == 1
    assert "style=" not in drawn


def test_filters_that_the_past_can_not_answer_are_not_offered_there(rowan):
    now, then = rowan.get("/numbers?view=list").text, rowan.get("/numbers?at=2026-10-01").text
    for offered in (">Needs attention", "Kind: "):
        assert offered in now
        assert offered not in then
    left = rowan.get("/numbers?view=list&attention=1&tag=x").text
    form = left[left.index('class="pick-form"') :].split("</form>")[0]
    assert 'name="view"' in form
    assert 'name="attention"' not in form
    assert 'name="tag"' not in form
