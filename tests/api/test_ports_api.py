"""Ports over the interface: planned, filled in, signed, submitted by a work order, followed; dates
asked for on their own."""

import pytest

from tests.api.test_resources import advance, get, post, problem

BILL = {
    "name": "Millwheel Gallery Limited",
    "address": "7 Millwheel Yard, Bristol, BS1 6ZZ",
    "number": "OQ-1184",
    "pin": "4471",
}
WHERE = {"to_account": "fellgate-main", "site": "wharf-house"}


def begun(api, **more):
    return post(api, "ports", {"text": "0117 496 0800-0839", **WHERE, **more})["items"][0]


def test_a_plan_is_looked_at_without_keeping_anything(api):
    (first,) = get(api, "ports")["items"]
    post(api, f"ports/{first['id']}/cancel", {})
    found = post(
        api,
        "ports?dry_run=true",
        {"numbers": ["0117 496 0838", "0117 496 0845", "0113 496 0100"], **WHERE},
    )
    (port,) = found["ports"]
    assert [(n["e164"], n["eligible"], n["hangs"]) for n in port["numbers"]] == [
        ("+441174960838", False, None),
        ("+441174960845", True, "alarm"),
    ]
    assert (port["questions"][0][:13], found["refused"][0]["e164"]) == (
        "0117 496 0845",
        "+441134960100",
    )
    assert [p["id"] for p in get(api, "ports")["items"]] == [first["id"]]


def test_a_port_goes_through_to_its_date(api):
    port = begun(api, account=BILL, wanted_date="2027-06-01")
    assert (
        port["state"],
        port["account"]["pin"],
        [x["what"] for x in port["lacking"] if not x["done"]],
    ) == (
        "draft",
        "4471",
        ["The mandate, signed"],
    )
    assert port["earliest"]["working_days"] == 15
    post(api, f"ports/{port['id']}/sign", {"by": "Imogen Vance"})
    order = post(
        api,
        "work-orders",
        {"title": "submit", "tasks": [{"kind": "submit_port", "port": port["id"]}]},
    )
    assert order["runnable"]
    post(api, f"work-orders/{order['id']}/run")
    advance(api, "P5D")
    accepted = get(api, f"ports/{port['id']}")
    assert (accepted["state"], accepted["foc"][:10]) == ("accepted", "2027-06-01")
    assert [n["reasons"] for n in accepted["numbers"] if not n["eligible"]] == [
        ["not in service with us"]
    ]
    assert problem(api, "POST", f"ports/{port['id']}/date", {})[2] == "wanted_date"
    assert (
        post(api, f"ports/{port['id']}/date", {"wanted_date": "2027-06-02"})["foc"][:10]
        == "2027-06-02"
    )
    assert post(api, f"ports/{port['id']}/cancel")["state"] == "cancelled"


def test_papers_and_calendar_come_as_files(api):
    port = begun(api, account=BILL)
    paper = api.get(f"ports/{port['id']}/loa.pdf")
    assert (paper.headers["content-type"], paper.content[:5]) == ("application/pdf", b"%PDF-")
    assert b"BEGIN:VEVENT" in api.get(f"ports/{port['id']}/calendar.ics").content


def test_the_earliest_day_is_told_with_its_reasons(api):
    found = get(
        api,
        "ports/earliest",
        country="us",
        subdivision="ma",
        submitted="2026-11-25T14:00:00-05:00",
        numbers=40,
    )
    assert (found["date"], found["size"]) == ("2026-12-02", "complex")
    assert "Thursday 26 November 2026 doesn't count: Thanksgiving Day" in found["reasons"]


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({**WHERE}, "text"),
        ({"text": "hello", **WHERE}, "text"),
        ({"text": "0117 496 0800", "to_account": "fellgate-main"}, "site"),
        ({"text": "0117 496 0800", **WHERE, "pin": "1"}, "pin"),
    ],
)
def test_what_is_wrong_is_named(api, body, field):
    assert problem(api, "POST", "ports", body)[2] == field


def test_what_is_not_there_says_so(api):
    assert api.get("ports/port-x").status_code == 404
    assert (
        post_status(api, {"text": "0117 496 0800", "to_account": "nowhere", "site": "wharf-house"})
        == 404
    )
    for country in ("AU", "XX", "[]", "  "):
        assert api.get("ports/earliest", params={"country": country}).status_code == 422, country
    for part, said in (("XX", "ENG (England)"), ("Zone A", "ENG (England)")):
        assert (
            said
            in api.get("ports/earliest", params={"country": "GB", "subdivision": part}).json()[
                "detail"
            ]
        )
    assert problem(api, "GET", "ports/earliest?country=XX&subdivision=ENG") == (
        422,
        "not-understood",
        "subdivision",
    )


def post_status(api, body):
    return api.post("ports", json=body).status_code
