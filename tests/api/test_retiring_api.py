"""Retiring, ports out and drift over the interface: looked at, drafted, refused with the field at
fault."""

import pytest

from tests.api.test_resources import advance, get, post, problem

HALL = "harbour-loft"


def drafted(api, path, body):
    made = post(api, path, body)
    return get(api, f"work-orders/{made['work_order']}"), made


def test_what_depends_on_a_number_and_what_it_costs(api):
    found = get(api, "numbers/+494066969701/depends")
    assert [c["then"] for c in found["choices"]] == ["release", "rest", "keep"]
    assert found["choices"][0]["costs"]["currency"] == "EUR"
    (lost,) = [d for d in found["depends"] if d["what"].endswith("main number")]
    assert (lost["what"], lost["grave"]) == ("Jette Osterloh, main number", True)
    seats = next(d for d in found["depends"] if d["what"].startswith("Licences"))
    assert [task["kind"] for task in seats["tasks"]] == ["revoke_licence", "revoke_licence"]


def test_a_number_is_retired_by_a_work_order(api):
    order, made = drafted(
        api,
        "numbers/+494066969701/retire",
        {"then": "rest", "rest": 10, "announcement": "We have moved."},
    )
    assert {task["kind"] for task in order["tasks"]} == {
        "revoke_licence",
        "unassign_number",
        "release_number",
    }
    post(api, f"work-orders/{made['work_order']}/run", {})
    advance(api, "P11D")
    assert get(api, "numbers/+494066969701/history")["items"]
    assert get(api, f"work-orders/{made['work_order']}")["state"] == "done"


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({"then": "burn"}, "then"),
        ({"then": "rest", "rest": -1}, "rest"),
        ({"then": "rest", "more": 1}, "more"),
    ],
)
def test_a_bad_wish_names_its_field(api, body, field):
    status, _, at = problem(api, "POST", "numbers/+494066969701/retire", body)
    assert (status, at) == (422, field)


def test_a_site_is_looked_at_and_closed(api):
    found = get(api, f"retiring/sites/{HALL}")
    assert (found["numbers"], found["people"], found["idle_seats"]["Staff seat"]) == (
        {"assigned": 9, "available": 31},
        6,
        6,
    )
    order, made = drafted(api, f"retiring/sites/{HALL}", {"then": "release", "people": "leave"})
    assert made["tasks"] == len(order["tasks"]) > 60
    assert (
        problem(api, "POST", f"retiring/sites/{HALL}", {"then": "release", "people": "nowhere"})[2]
        == "people"
    )
    assert problem(api, "POST", "retiring/sites/nowhere", {"then": "release"})[0] == 404


def test_the_tidy_up_is_read_and_acted_on(api):
    found = get(api, "retiring/tidy-up?days=90")
    heap = next(h for h in found["items"] if h["kind"] == "idle")
    chosen = [n["e164"] for n in heap["numbers"][:2]]
    order, _ = drafted(api, "retiring/tidy-up", {"numbers": chosen, "then": "release"})
    assert [task["number"] for task in order["tasks"]] == chosen
    assert (
        problem(api, "POST", "retiring/tidy-up", {"numbers": [], "then": "release"})[2] == "numbers"
    )


def test_a_port_out_is_refused_and_not_twice(api):
    (request,) = [r for r in get(api, "port-outs")["items"] if r["state"] == "asked"]
    whole = get(api, f"port-outs/{request['id']}")
    assert [d["code"] for d in whole["doubts"]] == ["pin-wrong"]
    assert "pin" not in whole["given"], "what they give is not told on"
    assert (
        problem(api, "POST", f"port-outs/{request['id']}/refuse", {"code": "because"})[2] == "code"
    )
    assert problem(api, "POST", f"port-outs/{request['id']}/approve", {})[0] == 409
    assert (
        post(api, f"port-outs/{request['id']}/refuse", {"code": "pin-wrong"})["state"] == "refused"
    )
    assert (
        problem(api, "POST", f"port-outs/{request['id']}/refuse", {"code": "pin-wrong"})[0] == 409
    )
    assert post(api, "carrier-accounts/fellgate-main/port-pin", {"pin": "5521"})["kept"]


def test_drift_is_read_accepted_and_put_right(api):
    found = post(api, "drift/compare", {})
    assert {d["kind"] for d in found["items"]} == {"not ours", "other price"}
    price = next(d["id"] for d in found["items"] if d["kind"] == "other price")
    assert post(api, "drift/accept", {"chosen": [price], "why": "agreed by letter"}) == {
        "accepted": 1
    }
    stranger = next(d["id"] for d in found["items"] if d["kind"] == "not ours")
    assert (
        problem(api, "POST", "drift/put-right", {"chosen": [stranger], "direction": "follow"})[2]
        == "site"
    )
    order, made = drafted(api, "drift/put-right", {"chosen": [stranger], "direction": "tell"})
    assert order["tasks"][0]["kind"] == "tell_carrier"
    post(api, f"work-orders/{made['work_order']}/run", {})
    advance(api, "PT5M")
    assert [d["kind"] for d in post(api, "drift/compare", {})["items"]] == ["other price"]
    assert problem(api, "POST", "drift/put-right", {"chosen": ["x"], "direction": "tell"})[0] == 404


def test_holders_of_a_port_are_chosen_and_its_day_is_drafted(api):
    port = post(
        api,
        "ports",
        {"text": "0117 496 0806-0809", "to_account": "fellgate-main", "site": "millwheel-gallery"},
    )["items"][0]
    assert (
        post(api, f"ports/{port['id']}/holders/proposed", {})["items"][0]["holder"]["id"]
        == "person-hattie-brandreth"
    )
    line = {
        "number": "+441174960807",
        "holder": {"kind": "person", "id": "person-ivo-strand"},
        "fallback": "",
    }
    kept = post(api, f"ports/{port['id']}/holders", {"lines": [line]})["items"]
    assert [x["holder"]["id"] for x in kept][:2] == ["person-hattie-brandreth", "person-ivo-strand"]
    other = {"number": "+441134960100", "holder": None}
    assert problem(api, "POST", f"ports/{port['id']}/holders", {"lines": [other]})[2] == "lines"
    apart = post(api, f"ports/{port['id']}/split", {"numbers": "0117 496 0809"})
    assert len(apart["numbers"]) == 1
    assert post(api, f"ports/{port['id']}/switch", {})["tasks"] > 3
    assert problem(api, "POST", f"ports/{port['id']}/back-out", {"reason": "x"})[2] == "reason"
    assert problem(api, "POST", f"ports/{port['id']}/remind", {})[0] == 409


def test_days_are_kept_free(api):
    kept = post(api, "ports/days", {"first": "2027-01-11", "why": "stock-taking"})
    assert kept["last"] == "2027-01-11"
    assert kept["id"] in {d["id"] for d in get(api, "ports/days")["items"]}
    assert kept["id"] not in {
        d["id"] for d in post(api, f"ports/days/{kept['id']}/give-back", {})["items"]
    }
    assert (
        problem(
            api, "POST", "ports/days", {"first": "2027-01-11", "last": "2027-01-01", "why": "fair"}
        )[2]
        == "last"
    )


def test_days_of_rest_are_read_and_set(api):
    assert {r["country"]: r["days"] for r in get(api, "retiring/rest")["items"]}["DE"] == 90
    assert {
        r["country"]: r["days"]
        for r in post(api, "retiring/rest", {"country": "DE", "days": 60})["items"]
    }["DE"] == 60
    assert problem(api, "POST", "retiring/rest", {"country": "Germany"})[2] == "country"
