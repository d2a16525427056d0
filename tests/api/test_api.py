"""The JSON interface as other programs rely on it."""

import json
import re

import pytest

from tests.asserting import every

ONE = "+441134960311"


def get(api, path, **params):
    answer = api.get(path, params=params)
    assert answer.status_code == 200, answer.text
    return answer.json()


def post(api, path, body=None, status=(200, 201), **headers):
    answer = api.post(path, json=body if body is not None else {}, headers=headers)
    assert answer.status_code in status, answer.text
    return answer.json()


def somebody(api, **wanted):
    people = get(api, "people", site="wharf-house", limit=200)["items"]
    return next(p for p in people if not p["numbers"] and p["spot"] and not p["licences"])


@pytest.mark.parametrize(
    "text",
    [
        "0113 496-0142",
        "441134960142",
        "+44(0)113 4960142",
        "0044 113 496 0142",
        "tel:+44-113-496-0142",
    ],
)
def test_typed_text_is_read(api, text):
    assert (
        get(api, "numbers/read", text=text, country="GB")["candidates"][0]["e164"]
        == "+441134960142"
    )


def test_the_whole_story_through_the_api(api):
    offer = get(
        api,
        "supply/offers",
        country="GB",
        area="Leeds",
        carrier="brackwater",
        quantity=8,
        consecutive="true",
    )["items"][0]
    assert len(offer["numbers"]) == 8
    assert offer["score"]["total"] == sum(offer["score"]["parts"].values())
    hold = post(
        api,
        "supply/holds",
        {"carrier_account": offer["carrier_account"], "numbers": offer["numbers"]},
    )
    body = {
        "reference": "Learning",
        "carrier_account": offer["carrier_account"],
        "hold": hold["id"],
        "site": "wharf-house",
        "spot": "WHF-003-G",
    }
    order = post(api, "orders", body, **{"Idempotency-Key": "k1"})
    assert post(api, "orders", body, **{"Idempotency-Key": "k1"})["id"] == order["id"]
    post(api, "standins/clock", {"advance": "PT6H"})
    order = get(api, f"orders/{order['id']}")
    assert order["state"] == "delivered"
    number, person = offer["numbers"][0], somebody(api)
    draft = post(
        api,
        "work-orders",
        {
            "title": "joiner",
            "tasks": [
                {
                    "kind": "assign_number",
                    "number": number,
                    "holder": {"kind": "person", "id": person["id"]},
                }
            ],
        },
    )
    assert not draft["runnable"]
    assert every(c["remedy"] for c in draft["checks"] if c["level"] == "stop")
    mended = post(api, f"work-orders/{draft['id']}/remedies")
    assert mended["runnable"]
    post(api, f"work-orders/{draft['id']}/run")
    post(api, "standins/clock", {"advance": "PT1H"})
    assert get(api, f"work-orders/{draft['id']}")["state"] == "done"
    assert post(api, "trace/inbound", {"number": number})["ending"]["kind"] == "answered"
    for direction in ("in", "out"):
        assert post(api, "test-calls", {"number": number, "direction": direction})["matches_trace"]
    help_ = post(api, "trace/outbound", {"person": person["id"], "dialled": "999"})
    assert (help_["ending"]["kind"], help_["spot"], help_["psap"], help_["callback"]) == (
        "emergency",
        person["spot"],
        "Leeds operator assistance",
        number,
    )
    assert {m["to"] for m in get(api, "standins/mailbox")["items"]} >= {person["email"]}
    undo = post(api, f"work-orders/{draft['id']}/undo")
    post(api, "standins/clock", {"advance": "PT1M"})
    assert get(api, f"work-orders/{undo['id']}")["state"] == "done"
    card = get(api, f"numbers/{number}")
    assert (card["state"], card["holder"]) == ("available", None)
    told = [e["action"] for e in get(api, f"numbers/{number}/history")["items"]]
    assert told == [
        "number.restored",
        "number.restored",
        "number.address-registered",
        "number.assigned",
        "trunk.listed",
        "number.delivered",
        "number.ordered",
    ]


def test_a_number_as_it_stood(api):
    person = somebody(api)
    before = post(api, "standins/clock", {"advance": "PT1M"})["now"]
    post(api, "standins/clock", {"advance": "PT1M"})
    tasks = [
        {
            "kind": "assign_number",
            "number": "0113 496 0160",
            "holder": {"kind": "person", "id": person["id"]},
        }
    ]
    order = post(api, "work-orders", {"title": "x", "tasks": tasks})
    post(api, f"work-orders/{order['id']}/run")
    post(api, "standins/clock", {"advance": "PT1M"})
    assert get(api, "numbers/0113 496 0160")["holder"]["name"] == person["name"]
    assert get(api, "numbers/0113 496 0160", at=before)["holder"] is None


def test_reserved_for_a_dry_run_nothing_is_kept(api):
    before = get(api, "work-orders")["items"]
    answer = api.post(
        "work-orders",
        params={"dry_run": "true"},
        json={"title": "x", "tasks": [{"kind": "set_aside", "number": "0113 496 0160"}]},
    )
    assert (answer.status_code, answer.json()["runnable"], answer.json()["id"]) == (200, True, None)
    assert get(api, "work-orders")["items"] == before


@pytest.mark.parametrize(
    ("find", "count"),
    [
        ("0113 496 0142", 1),
        ("*0142", 1),
        ("0113 496 0100-0109", 10),
        ("+44 113 496 02xx", 100),
        ("okafor", 3),
        ("nobody at all", 0),
        ("960142", 1),
        ("Press line", 1),
    ],
)
def test_the_finder(api, find, count):
    assert len(get(api, "numbers", find=find, limit=1000)["items"]) == count


def test_lists_have_cursors(api):
    first = get(api, "numbers", limit=7)
    second = get(api, "numbers", limit=7, after=first["next"])
    seen = [n["e164"] for n in first["items"] + second["items"]]
    assert len(set(seen)) == 14
    assert seen == sorted(seen)
    assert len(get(api, "numbers", limit=1000)["items"]) == 280


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "code"),
    [
        ("GET", "numbers/0113", None, 422, "not-one-number"),
        ("GET", "numbers/0113 496 0999", None, 404, "not-found"),
        ("GET", "numbers?limit=5000", None, 422, "not-understood"),
        ("GET", "numbers?state=broken", None, 422, "not-understood"),
        ("GET", "work-orders/none", None, 404, "not-found"),
        ("GET", "orders/none", None, 404, "not-found"),
        ("GET", "nothing/here", None, 404, "not-found"),
        ("POST", "work-orders", {"tasks": []}, 422, "not-understood"),
        ("POST", "work-orders", {"tasks": [{"kind": "assign_number"}]}, 422, "not-understood"),
        ("POST", "work-orders", {"tasks": "x"}, 422, "not-understood"),
        (
            "POST",
            "supply/holds",
            {"carrier_account": "brackwater-main", "numbers": ["letters"]},
            422,
            "not-one-number",
        ),
        (
            "POST",
            "supply/holds",
            {"carrier_account": "brackwater-main", "numbers": ["0113 496 0320"] * 2000},
            422,
            "not-understood",
        ),
        (
            "POST",
            "supply/holds",
            {"carrier_account": "nobody", "numbers": ["0113 496 0330"]},
            404,
            "not-found",
        ),
        (
            "POST",
            "orders",
            {"reference": "x", "site": "wharf-house", "hold": "brackwater:none"},
            404,
            "not-found",
        ),
        ("POST", "standins/clock", {"advance": "yesterday"}, 422, "not-understood"),
        (
            "POST",
            "standins/faults",
            {"service": "carrier", "fault": "sabotage"},
            422,
            "not-understood",
        ),
        (
            "POST",
            "trace/inbound",
            {"number": "0113 496 0100", "at": "2026-01-01T00:00:00"},
            422,
            "not-understood",
        ),
        ("POST", "test-calls", {"number": "0113 496 0160"}, 409, "not-allowed-now"),
        ("PATCH", "numbers/0113 496 0100", {"label": "x" * 200}, 422, "not-understood"),
        ("PATCH", "numbers/0113 496 0100", {"state": "released"}, 422, "not-understood"),
    ],
)
def test_bad_requests_get_problem_details_that_name_the_fault(
    api, method, path, body, status, code
):
    answer = api.request(method, path, json=body)
    assert (answer.status_code, answer.headers["content-type"]) == (
        status,
        "application/problem+json",
    )
    problem = answer.json()
    assert problem["code"] == code
    assert problem["type"].endswith(code)
    assert len(problem["detail"]) > 10


def test_an_idempotency_key_is_not_reused_for_another_request(api):
    first = post(
        api,
        "people",
        {"name": "Ada Reed", "email": "ada@lanternfield.example", "site": "wharf-house"},
        **{"Idempotency-Key": "p1"},
    )
    again = post(
        api,
        "people",
        {"name": "Ada Reed", "email": "ada@lanternfield.example", "site": "wharf-house"},
        **{"Idempotency-Key": "p1"},
    )
    assert first == again
    other = api.post(
        "people",
        json={"name": "Bo Reed", "email": "bo@lanternfield.example", "site": "wharf-house"},
        headers={"Idempotency-Key": "p1"},
    )
    assert (other.status_code, other.json()["code"]) == (409, "key-reused")


def test_without_a_token_nothing_is_told(client):
    assert client.get("/api/v1/numbers").status_code == 401
    assert (
        client.get("/api/v1/numbers", headers={"Authorization": "Bearer wrong"}).status_code == 401
    )


def test_a_token_does_not_act_for_another_organisation(api):
    assert api.get("numbers", headers={"Sedge-Organisation": "somebody-else"}).status_code == 403


def test_small_facts_are_edited_and_written_down(api):
    api.patch(
        "numbers/0113 496 0100",
        json={"label": "Registrar", "tags": ["Front", "front"], "note": "n", "cost_centre": "C1"},
    )
    card = get(api, "numbers/0113 496 0100")
    assert (card["label"], card["tags"], card["cost_centre"]) == ("Registrar", ["front"], "C1")
    assert (
        get(api, "ledger", subject="number:+441134960100")["items"][0]["action"]
        == "number.labelled"
    )
    assert get(api, "numbers", find="Registrar")["items"][0]["e164"] == "+441134960100"


@pytest.mark.parametrize(
    "path",
    [
        "blocks",
        "sites",
        "service-lines",
        "spots",
        "licence-products",
        "subscriptions",
        "carriers",
        "trunks",
        "devices",
        "paths",
        "proofs",
        "orders",
        "work-orders",
        "safety/coverage",
        "ledger",
    ],
)
def test_every_list_answers_with_items(api, path):
    assert isinstance(get(api, path)["items"], list)


def test_civic_addresses_are_matched(api):
    typed = {
        "country": "GB",
        "city": "Leeds",
        "street": "Lanternfeld Wharf",
        "house_number": "12",
        "postcode": "LS1 4ZZ",
    }
    found = post(api, "civic-addresses/match", typed)
    assert (found["verdict"], found["candidates"][0]["street"]) == (
        "corrected",
        "Lanternfield Wharf",
    )


def test_the_interface_describes_itself(api):
    body = api.get("http://127.0.0.1:8420/api/v1/openapi.json").json()
    assert body["openapi"].startswith("3.1")
    assert "/api/v1/work-orders/{key}/remedies" in body["paths"]
    assert len(body["components"]["schemas"]["AnyTask"]["discriminator"]["mapping"]) >= 24
    refs = set(re.findall(r'"\$ref": "#/components/schemas/([^"]+)"', json.dumps(body)))
    assert refs <= set(body["components"]["schemas"]), "every reference leads somewhere"
