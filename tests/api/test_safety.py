"""The safety interface: addresses, spots, coverage, tests, moves, open formats; and what bad input
is answered with."""

from xml.etree import ElementTree

import pytest

from sedge.formats.pidf_lo import CIVIC
from tests.api.test_resources import get, problem
from tests.asserting import every


def send(api, method, path, body=None):
    answer = api.request(method, path, json=body)
    assert answer.status_code in {200, 201}, answer.text
    return answer.json()


WHARF = {
    "country": "GB",
    "city": "Leeds",
    "street": "Lanternfield Wharf",
    "house_number": "12",
    "postcode": "LS1 4ZZ",
}


@pytest.mark.parametrize(
    ("changes", "verdict"),
    [
        ({}, "exact"),
        ({"street": "lanternfield whf."}, "exact"),
        ({"street": "Lanternfeld Wharf"}, "corrected"),
        ({"street": "Lanternfield Street"}, "ambiguous"),
        ({"house_number": "99"}, "unknown"),
        (
            {
                "country": "DE",
                "city": "Berlin",
                "street": "Fährstr.",
                "house_number": "9",
                "postcode": "10143",
            },
            "exact",
        ),
        (
            {
                "country": "FR",
                "city": "Lyon",
                "street": "R. du Fg St-Aubin",
                "house_number": "21 bis",
                "postcode": "69002",
            },
            "exact",
        ),
    ],
)
def test_the_registers_verdict(api, changes, verdict):
    found = send(api, "POST", "civic-addresses/match", {**WHARF, **changes})
    assert found["verdict"] == verdict
    if verdict in {"exact", "corrected"}:
        assert found["candidates"][0]["psap"]
        assert -90 <= found["candidates"][0]["latitude"] <= 90


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"street": "PO Box 12"}, "street"),
        ({"street": "🚑"}, "street"),
        ({"street": "x" * 2000}, "street"),
        ({"street": "53.79710, -1.54820"}, "street"),
        ({"city": ""}, "city"),
        ({"country": "ZZ"}, "country"),
        ({"house_number": "twelve"}, "house_number"),
        ({"postcode": "LS1 4ZZ LS1 4ZZ LS1 4ZZ"}, "postcode"),
    ],
)
def test_what_no_register_could_match_names_its_field(api, changes, field):
    assert problem(api, "POST", "civic-addresses/match", {**WHARF, **changes}) == (
        422,
        "not-understood",
        field,
    )


def test_forms_and_rules_of_every_country(api):
    forms = {x["country"]: x["fields"] for x in get(api, "civic-addresses/forms")["items"]}
    rules = {x["country"]: x for x in get(api, "safety/rules")["items"]}
    assert set(forms) == set(rules) == {"GB", "DE", "FR", "US", "CA", "AU"}
    assert {f["element"] for f in forms["DE"]} >= {"RD", "HNO", "PC", "A3"}
    assert every(r["floors"] == 1 and r["told"] and r["source"] for r in rules.values())


def test_a_spots_life(api):
    made = send(
        api, "POST", "spots", {"site": "wharf-house", "floor": "2nd floor", "room": "room 2.50"}
    )
    code = made["code"]
    assert get(api, f"spots/{code.replace('-', '').lower()}")["code"] == code
    send(
        api,
        "PATCH",
        f"spots/{code}",
        {"floor": "2nd floor", "room": "room 2.50", "wing": "east", "note": "by the stairs"},
    )
    assert send(api, "POST", f"spots/{code}/place", {"x": 20, "y": 30})["place"] == [20.0, 30.0]
    link = send(api, "POST", f"spots/{code}/links", {})
    assert link["path"].startswith("/confirm/")
    assert get(api, f"spots/{code}")["wing"] == "east"
    assert send(api, "DELETE", f"spots/{code}") == {"code": code, "removed": True}
    assert code not in {s["code"] for s in get(api, "spots")["items"]}


def test_a_spot_in_use_stays(api):
    status, kind, field = problem(api, "DELETE", f"spots/{used_spot(api)}")
    assert (status, kind, field) == (409, "not-allowed-now", "spot")


def used_spot(api):
    return next(
        s["code"]
        for s in get(api, "spots", site="canal-museum")["items"]
        if s["floor"] == "1st floor"
    )


def test_a_mistyped_code_names_the_nearest(api):
    answer = api.get("spots/WHF-001-L")
    assert answer.status_code == 422
    assert "WHF-001-K" in answer.json()["detail"]


def test_pidf_lo_of_a_spot_and_of_a_number(api):
    for path in ("spots/WHF-001-K/pidf-lo.xml", "numbers/01134960100/pidf-lo.xml"):
        answer = api.get(f"{path}")
        assert answer.headers["content-type"].startswith("application/pidf+xml")
        root = ElementTree.fromstring(answer.content)  # noqa: S314  our own document
        assert root.find(f".//{{{CIVIC}}}RD").text == "Lanternfield Wharf"


def test_coverage_tests_and_reports(api):
    found = get(api, "safety/coverage")
    assert {g["key"]: g["count"] for g in found["items"]} == {"people": 2}
    assert {s["site"]: s["per_cent"] for s in found["sites"]}["canal-museum"] == 100
    report = send(api, "POST", "safety/tests", {})
    assert (report["numbers"], report["help_comes"]) == (94, 94)
    assert get(api, f"safety/tests/{report['id']}")["lines"] == []
    assert len(api.get(f"safety/tests/{report['id']}/report.csv").text.splitlines()) == 95
    assert api.get(f"safety/tests/{report['id']}/report.pdf").content.startswith(b"%PDF")
    assert problem(api, "POST", "safety/tests", {"site": "nowhere"})[0] == 404


def test_a_move_is_a_draft_and_a_help_call_is_proof(api):
    made = send(
        api, "POST", "safety/moves", {"to": free_target(api), "people": ["person-ifeoma-okafor"]}
    )
    assert get(api, f"work-orders/{made['work_order']}")["state"] == "draft"
    assert send(api, "POST", "safety/help-calls", {"number": "0113 496 0100"})["ok"]
    assert problem(api, "POST", "safety/help-calls", {"number": "0113 496 01"})[0] == 422


def free_target(api):
    return next(
        s["code"]
        for s in get(api, "spots", site="wharf-house")["items"]
        if s["floor"] == "3rd floor"
    )


def test_what_carriers_have_and_the_register_again(api):
    found = get(api, "safety/registered/brackwater")
    assert (found["items"], found["trouble"]) == ([], None)
    assert problem(api, "GET", "safety/registered/fellgate")[0] == 404
    again = send(api, "POST", "civic-addresses/recheck", {})
    assert (again["changed"], again["trouble"]) == ([], None)


def test_spots_go_out_and_in(api):
    out = api.get("exports/spots.csv")
    assert out.text.startswith("code,site,name")
    back = api.post("imports/spots?dry_run=true", content=out.content)
    assert (back.status_code, back.json()["bad"]) == (200, [])
    assert api.post("imports/spots", content=b"\xff\xfe").status_code == 422


def test_why_not_tells_every_rule_and_the_shortest_way(api):
    found = api.get(
        "work-orders/why-not",
        params={"number": "0113 496 0311", "holder": "person:person-ifeoma-haddad"},
    )
    assert found.status_code == 200, found.text
    told = found.json()
    assert not told["works_already"]
    assert {c["level"] for c in told["checks"]} >= {"pass", "stop"}
    assert told["tasks"]
    made = send(api, "POST", "work-orders", {"tasks": told["tasks"]})
    assert made["runnable"]
    assert problem(api, "GET", "work-orders/why-not?number=1&holder=person:x")[0] == 422


def test_a_site_is_changed_and_a_guess_refused(api):
    changed = send(
        api,
        "PATCH",
        "sites/canal-museum",
        {"security_desk": "guards@lanternfield.example", "detail": True},
    )
    assert changed["security_desk"] == "guards@lanternfield.example"
    wrong = {
        "civic_address": {
            "country": "GB",
            "city": "Leeds",
            "street": "Towpath Lane",
            "house_number": "3",
            "postcode": "LS1 5ZZ",
        }
    }
    assert problem(api, "PATCH", "sites/canal-museum", wrong)[:2] == (422, "not-understood")


def test_a_floor_plan_is_put_looked_at_and_taken_away(api):
    png = b"\x89PNG\r\n\x1a\n" + b"\0" * 30
    where = "sites/wharf-house/floor-plan?floor=1st+floor"
    assert api.put(where, content=png).json()["has_plan"]
    assert (api.get(where).content, api.get(where).headers["content-type"]) == (png, "image/png")
    assert api.put(where, content=b"<html>").status_code == 422
    assert not api.put(where, content=b"").json()["has_plan"]
    assert api.get(where).status_code == 404


def test_addresses_are_suggested_for_a_line(api):
    asked = {"line": "12 lanternfield wharf leeds", "country": "GB"}
    found = api.get("civic-addresses/suggestions", params=asked).json()
    assert found["items"][0] == {
        "country": "GB",
        "region": "West Yorkshire",
        "city": "Leeds",
        "street": "Lanternfield Wharf",
        "house_number": "12",
        "postcode": "LS1 4ZZ",
        "landmark": "",
        "building": "",
    }
    nothing = api.get("civic-addresses/suggestions", params={"line": "Leeds"})
    assert nothing.json()["items"] == []
    refused = api.get(
        "civic-addresses/suggestions", params={"line": "1 A Street, B", "country": "XX"}
    )
    assert (refused.status_code, refused.json()["field"]) == (422, "country")
