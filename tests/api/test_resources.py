"""Each resource of the JSON interface: what it makes, what it tells, what it refuses."""

import pytest

from tests.asserting import every

SITE = {
    "name": "Saltgate Store",
    "code": "SGS",
    "civic_address": {
        "country": "GB",
        "city": "Leeds",
        "street": "Saltgate Lane",
        "house_number": "9",
        "postcode": "LS2 7ZZ",
    },
    "floors": 2,
    "account": "brackwater-main",
    "security_desk": "duty@lanternfield.example",
}
WHO = {"kind": "person", "id": "person-ifeoma-haddad"}


def get(api, path, **params):
    answer = api.get(path, params=params)
    assert answer.status_code == 200, answer.text
    return answer.json()


def post(api, path, body=None, **headers):
    answer = api.post(path, json=body if body is not None else {}, headers=headers)
    assert answer.status_code in (200, 201), answer.text
    return answer.json()


def problem(api, method, path, body=None):
    answer = api.request(method, path, json=body)
    assert answer.headers["content-type"] == "application/problem+json", answer.text
    found = answer.json()
    return answer.status_code, found["code"], found.get("field")


def advance(api, period="PT1M"):
    post(api, "standins/clock", {"advance": period})


# ── sites, spots, people ──


def test_a_site_with_spots_and_a_service_line(api):
    site = post(api, "sites", SITE)
    assert (site["timezone"], site["language"], site["main_number"]) == (
        "Europe/London",
        "en",
        None,
    )
    assert site["spots"] == ["SGS-000-7"]
    spot = post(api, "spots", {"site": site["id"], "floor": "1st floor", "room": "office"})
    assert spot["code"].startswith("SGS-001-")
    line = post(
        api,
        "service-lines",
        {"name": "Store desk", "kind": "menu", "site": site["id"], "spot": spot["code"]},
    )
    assert get(api, f"service-lines/{line['id']}")["missing"] == ["a number"]
    assert get(api, f"sites/{site['id']}")["spots"] == ["SGS-000-7", spot["code"]]
    told = [e["action"] for e in get(api, "ledger", limit=6)["items"]]
    assert told[:5] == [
        "service-line.added",
        "site.changed",
        "spot.added",
        "spot.added",
        "address.added",
    ]


def test_a_corrected_address_has_to_be_accepted(api):
    wrong = {**SITE, "civic_address": {**SITE["civic_address"], "street": "Saltgat Lane"}}
    assert problem(api, "POST", "sites", wrong) == (422, "not-understood", "accepted")
    made = post(api, "sites", {**wrong, "accepted": True})
    assert made["civic_address"]["street"] == "Saltgate Lane"


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"code": "WHF"}, "code"),
        ({"code": "12"}, "code"),
        ({"name": ""}, "name"),
        ({"floors": 0}, "floors"),
        ({"account": "nobody"}, "account"),
        ({"civic_address": {**SITE["civic_address"], "street": "Nowhere at all"}}, "street"),
        ({"civic_address": {**SITE["civic_address"], "country": "ZZ"}}, "country"),
    ],
)
def test_a_site_that_cannot_be_names_its_field(api, change, field):
    before = get(api, "sites")["items"]
    status, _, named = problem(api, "POST", "sites", {**SITE, **change})
    assert (status in {409, 422}, named) == (True, field)
    assert get(api, "sites")["items"] == before


def test_a_spot_is_confirmed_by_somebody_who_looked(api):
    before = next(s for s in get(api, "spots")["items"] if s["code"] == "WHF-003-G")
    advance(api, "PT2H")
    after = post(api, "spots/WHF-003-G/confirm")
    assert after["confirmed_at"] > before["confirmed_at"]
    assert problem(api, "POST", "spots/WHF-999-Z/confirm")[:2] == (404, "not-found")


def test_people_are_added_and_told_apart_by_their_mail_address(api):
    body = {
        "name": "Ada Reed",
        "email": "ada.reed@lanternfield.example",
        "site": "wharf-house",
        "extension": "499",
    }
    person = post(api, "people", body)
    assert person["missing"] == ["a number", "an emergency spot", "a phone"]
    found = get(api, f"people/{person['id']}/reachable")
    assert (found["reachable"], found["devices"]) == (False, [])
    assert problem(api, "POST", "people", body) == (409, "not-allowed-now", "email")
    assert problem(api, "POST", "people", {**body, "email": "x@y.example", "site": "nowhere"}) == (
        422,
        "not-understood",
        "site",
    )
    assert (
        len([p for p in get(api, "people", find="reed")["items"] if p["name"] == "Ada Reed"]) == 1
    )


def test_people_come_in_pages_and_by_site(api):
    first = get(api, "people", limit=5)
    second = get(api, "people", limit=5, after=first["next"])
    assert not {p["id"] for p in first["items"]} & {p["id"] for p in second["items"]}
    assert {p["site"] for p in get(api, "people", site="canal-museum", limit=200)["items"]} == {
        "canal-museum"
    }


CSV = (
    "name,email,site\nAda Reed,ada.reed@lanternfield.example,Wharf House\nBo,nothing,Wharf House\n"
)


def test_a_file_of_people_is_looked_at_then_brought_in_then_changes_nothing(api):
    def bring(**params):
        answer = api.post(
            "imports/people", params={"site": "wharf-house", **params}, content=CSV.encode()
        )
        assert answer.status_code == 200, answer.text
        return answer.json()

    look = bring(dry_run="true")
    assert (look["added"], look["dry_run"], [b["line"] for b in look["bad"]]) == (1, True, [3])
    assert get(api, "people", find="ada reed")["items"] == []
    assert bring()["added"] == 1
    again = bring()
    assert (again["added"], again["changed"], again["same"]) == (0, 0, 1)


# ── work orders ──


def draft(api, *tasks, **more):
    return post(api, "work-orders", {"title": "t", "tasks": list(tasks), **more})


def assign(number="0113 496 0160", holder=None):
    return {"kind": "assign_number", "number": number, "holder": holder or WHO, "spot": "WHF-003-G"}


def test_numbers_in_tasks_may_be_typed_in_any_way(api):
    for text in ("0113 496-0160", "+44 (0)113 496 0160", "tel:+44-113-496-0160"):
        assert draft(api, assign(text))["tasks"][0]["number"] == "+441134960160"


def test_tasks_are_added_to_a_draft_and_run_in_the_order_they_need(api):
    order = draft(api, {"kind": "place_test_call", "number": "+441134960160"}, assign())
    assert [(t["kind"], t["after"]) for t in order["tasks"]] == [
        ("assign_number", []),
        ("place_test_call", [0]),
    ]
    grown = post(
        api,
        f"work-orders/{order['id']}/tasks",
        {"kind": "label_numbers", "numbers": ["0113 496 0160"], "label": "Registrar"},
    )
    assert [t["kind"] for t in grown["tasks"]] == [
        "assign_number",
        "place_test_call",
        "label_numbers",
    ]
    post(api, f"work-orders/{order['id']}/run")
    advance(api)
    done = get(api, f"work-orders/{order['id']}")
    assert (done["state"], {t["state"] for t in done["tasks"]}) == ("done", {"done"})
    assert get(api, "numbers/0113 496 0160")["label"] == "Registrar"


def test_a_task_about_what_is_not_here_says_what(api):
    answer = api.post(
        "work-orders",
        json={"tasks": [{"kind": "grant_licence", "holder": WHO, "product": "no-such-product"}]},
    )
    assert (answer.status_code, answer.json()["subject"], answer.json()["id"]) == (
        404,
        "licence product",
        "no-such-product",
    )


def test_a_work_order_can_wait_for_its_moment(api):
    now = post(api, "standins/clock", {"advance": "PT0S"})["now"]
    later = now.replace(now[:4], str(int(now[:4]) + 1), 1)
    order = draft(api, assign(), run_at=later)
    post(api, f"work-orders/{order['id']}/run")
    assert get(api, f"work-orders/{order['id']}")["state"] == "scheduled"
    stopped = post(api, f"work-orders/{order['id']}/stop")
    assert stopped["state"] == "stopped"
    assert get(api, "numbers/0113 496 0160")["state"] == "available"


def test_a_moment_needs_its_offset(api):
    body = {"title": "t", "tasks": [assign()], "run_at": "2027-01-01T08:00:00"}
    assert problem(api, "POST", "work-orders", body) == (422, "not-understood", "run_at")
    assert problem(api, "GET", "numbers/0113 496 0100?at=2026-03-12T12:00:00") == (
        422,
        "not-understood",
        "at",
    )
    assert problem(api, "GET", "ledger?since=2026-03-12T12:00:00") == (
        422,
        "not-understood",
        "since",
    )


def test_a_failed_order_is_tried_again_once_the_other_side_is_back(api):
    post(api, "standins/faults", {"service": "telephony", "fault": "error", "count": 1})
    failed = next(w for w in get(api, "work-orders", state="failed")["items"])
    again = post(api, f"work-orders/{failed['id']}/retry")
    assert again["state"] == "running"
    advance(api, "PT1H")
    assert get(api, f"work-orders/{failed['id']}")["state"] in {"done", "failed"}


def test_what_is_done_cannot_be_changed_or_run_again(api):
    order = draft(api, assign())
    post(api, f"work-orders/{order['id']}/run")
    advance(api)
    for action, body in (("remedies", {}), ("tasks", assign("0113 496 0161")), ("stop", {})):
        status, code, _ = problem(api, "POST", f"work-orders/{order['id']}/{action}", body)
        assert (status, code) == (409, "not-allowed-now"), action


def test_a_remedy_that_is_a_page_names_it(api):
    site = post(api, "sites", SITE)
    made = draft(
        api,
        {
            "kind": "assign_number",
            "number": "0113 496 0311",
            "holder": {"kind": "site", "id": site["id"]},
        },
    )
    spot = next(c for c in made["checks"] if c["rule"] == "assignment.dispatchable-spot")
    assert spot["remedy"] == {
        "leads_to": {"what": "spots", "id": site["id"]},
        "words": "Add a spot of Saltgate Store",
        "automatic": False,
    }
    path = next(c for c in made["checks"] if c["rule"] == "assignment.line-has-path")
    assert "Create a new call path" in {r["words"] for r in path["remedies"]}


def test_undo_is_refused_where_somebody_changed_it_meanwhile(api):
    order = draft(api, assign())
    post(api, f"work-orders/{order['id']}/run")
    advance(api)
    other = draft(api, {"kind": "unassign_number", "number": "0113 496 0160"})
    post(api, f"work-orders/{other['id']}/run")
    advance(api)
    undo = api.post(f"work-orders/{order['id']}/undo")
    if undo.status_code == 200:
        advance(api)
        assert get(api, f"work-orders/{undo.json()['id']}")["state"] == "failed"
    assert get(api, "numbers/0113 496 0160")["state"] == "aging"


# ── supply ──


def offer(api, **wish):
    return get(api, "supply/offers", country="GB", area="Leeds", carrier="brackwater", **wish)[
        "items"
    ][0]


def test_offers_say_how_their_score_is_made(api):
    found = get(
        api, "supply/offers", country="GB", area="Leeds", carrier="brackwater", quantity=5, limit=3
    )
    assert len(found["items"]) == 3
    assert found["in_stock"] > 100
    totals = [o["score"]["total"] for o in found["items"]]
    assert totals == sorted(totals, reverse=True)


def test_a_pattern_finds_endings(api):
    found = get(
        api, "supply/offers", country="GB", area="Leeds", carrier="brackwater", pattern="?5"
    )
    assert {n[-1] for o in found["items"] for n in o["numbers"]} == {"5"}


def test_features_are_ordered_priced_and_arrive(api):
    one = offer(api)
    hold = post(
        api, "supply/holds", {"carrier_account": one["carrier_account"], "numbers": one["numbers"]}
    )
    body = {
        "reference": "With texts",
        "hold": hold["id"],
        "site": "wharf-house",
        "features": ["texts"],
    }
    order = post(api, "orders", body)
    advance(api, "PT6H")
    assert get(api, f"orders/{order['id']}")["state"] == "delivered"
    card = get(api, f"numbers/{one['numbers'][0]}")
    assert "texts" in card["features"]
    assert float(card["monthly"]["amount"]) > float(one["monthly"]["amount"])


def test_a_feature_the_carrier_has_not_is_refused_before_anything_is_bought(api):
    one = offer(api)
    hold = post(
        api, "supply/holds", {"carrier_account": one["carrier_account"], "numbers": one["numbers"]}
    )
    status, _, field = problem(
        api,
        "POST",
        "orders",
        {"reference": "x", "hold": hold["id"], "site": "wharf-house", "features": ["telepathy"]},
    )
    assert (status, field) == (422, "features")
    assert every(o["reference"] != "x" for o in get(api, "orders")["items"])


def test_the_same_numbers_are_held_once(api):
    one = offer(api, quantity=2)
    wanted = {"carrier_account": one["carrier_account"], "numbers": one["numbers"]}
    first = post(api, "supply/holds", wanted)
    assert post(api, "supply/holds", wanted)["id"] == first["id"]
    status, code, _ = problem(
        api, "POST", "supply/holds", {**wanted, "numbers": one["numbers"][:1]}
    )
    assert (status, code) in {
        (409, "changed-meanwhile"),
        (409, "not-allowed-now"),
        (409, "outside-refused"),
    }


# ── calls ──


def test_a_call_is_followed_at_a_moment_with_a_caller_and_a_behaviour(api):
    asked = {
        "number": "0113 496 0200",
        "caller": "0131 496 0999",
        "at": "2026-11-24T11:20:00Z",
        "world": {"presses": ["1"]},
    }
    day = post(api, "trace/inbound", asked)
    assert day["ending"]["kind"] == "answered"
    night = post(api, "trace/inbound", {**asked, "at": "2026-11-24T23:20:00Z"})
    assert night["ending"]["kind"] == "mailbox"
    nobody = post(
        api, "trace/inbound", {**asked, "world": {"presses": ["1"], "nobody_answers": True}}
    )
    assert nobody["ending"]["kind"] == "mailbox"
    assert nobody["steps"][-1]["at"] > day["steps"][-1]["at"]


@pytest.mark.parametrize(
    ("dialled", "kind", "ending"),
    [
        ("999", "emergency", "emergency"),
        ("112", "emergency", "emergency"),
        ("0131 496 0500", "number", "reached"),
        ("00 49 30 23125 000", "number", "reached"),
        ("xyz", "nothing", "rejected"),
    ],
)
def test_a_call_out_says_what_became_of_the_digits(api, dialled, kind, ending):
    found = post(api, "trace/outbound", {"person": "person-ifeoma-okafor", "dialled": dialled})
    assert found["kind"] == kind
    assert found["ending"]["kind"] == ending
    assert found["ending"]["reason"]


def test_a_call_out_says_what_is_shown_and_why(api):
    found = post(
        api, "trace/outbound", {"person": "person-ifeoma-okafor", "dialled": "0131 496 0500"}
    )
    assert (found["caller_id"], found["shown_because"]) == ("+441134960100", "their own number")
    assert {h["name"] for h in found["headers"]} == {"From", "P-Asserted-Identity"}


def test_a_note_on_a_call_is_kept(api):
    key = post(api, "test-calls", {"number": "0113 496 0100", "direction": "in"})["proof"]["id"]
    assert post(api, f"proofs/{key}/note", {"note": "rang late"})["note"] == "rang late"


def test_proofs_are_listed_and_go_stale(api):
    stale = get(api, "proofs", stale="true")["items"]
    fresh = get(api, "proofs", stale="false")["items"]
    assert len(stale) == 1
    assert fresh
    assert every(p["stale"] for p in stale)


def test_the_emergency_test_says_it_all(api):
    found = get(api, "safety/emergency-test", number="0113 496 0100")
    assert (found["spot"], found["psap"], found["callback"]) == (
        "WHF-001-K",
        "Leeds operator assistance",
        "+441134960100",
    )
    assert found["told"]
    assert found["broken"] == []


# ── ledger ──


def test_the_ledger_is_read_backwards_and_by_actor_and_subject(api):
    first = get(api, "ledger", limit=10)
    second = get(api, "ledger", limit=10, after=first["next"])
    sequence = [e["sequence"] for e in first["items"] + second["items"]]
    assert sequence == sorted(sequence, reverse=True)
    assert {e["actor"] for e in get(api, "ledger", actor="Rowan Achterberg")["items"]} == {
        "Rowan Achterberg"
    }
    assert {e["subject"] for e in get(api, "ledger", subject="site")["items"]} == {"site"}
    assert problem(api, "GET", "ledger?subject=dragons") == (422, "not-understood", "subject")


def test_the_history_of_a_number_has_pages(api):
    every = get(api, "numbers/0113 496 0121/history")["items"]
    assert len(every) >= 5
    first = get(api, "numbers/0113 496 0121/history", limit=2)
    assert [e["action"] for e in first["items"]] == [e["action"] for e in every[:2]]
    rest = get(api, "numbers/0113 496 0121/history", limit=100, after=first["next"])["items"]
    assert [e["action"] for e in rest] == [e["action"] for e in every[2:]]
