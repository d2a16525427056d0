"""Call records, use, money and invoices as programs ask for them."""

from datetime import datetime, timedelta

import pytest

from tests.api.test_resources import get, post
from tests.asserting import every

LEG = {
    "id": "leg-1",
    "from": "0113 496 0132",
    "to": "+441514960001",
    "talk": 60,
    "ring": 5,
    "trunk": "Leeds A",
}


def now(api, minutes=10):
    """So many minutes ago, by the simulation's clock."""
    at = datetime.fromisoformat(post(api, "standins/clock", {"advance": "PT0S"})["now"])
    return (at - timedelta(minutes=minutes)).isoformat()


def test_records_are_taken_once_priced_and_counted(api):
    started = now(api)
    sent = {"source": "Carrier", "records": [LEG | {"started": started}]}
    before = get(api, "usage/numbers/+441134960132")
    assert post(api, "call-records", sent) == {
        "fresh": 1,
        "same": 0,
        "corrected": 0,
        "faults": [],
    }
    assert post(api, "call-records", sent)["same"] == 1
    sent["records"][0]["talk"] = 90
    assert post(api, "call-records", sent)["corrected"] == 1
    after = get(api, "usage/numbers/+441134960132")
    assert sum(d["calls"] for d in after["days"]) == sum(d["calls"] for d in before["days"]) + 1
    assert (after["latest"][0]["talk"], after["latest"][0]["other"]) == (90, "+441514960001")


@pytest.mark.parametrize(
    "wrong",
    [
        {"talk": -1},
        {"talk": 10**9},
        {"started": "soon"},
        {"started": "2031-01-01T00:00:00Z"},
        {"from": "+441514960002"},
        {"ended": "2020-01-01T00:00:00Z"},
    ],
)
def test_a_record_that_cannot_be_is_named_and_the_others_are_kept(api, wrong):
    good = LEG | {"started": now(api)}
    sent = {"source": "Carrier", "records": [good | {"id": "x"} | wrong, good]}
    taken = post(api, "call-records", sent)
    assert (taken["fresh"], [fault["at"] for fault in taken["faults"]]) == (1, [0])


def test_use_is_told_by_all_that_may_be_asked(api):
    for by in ("number", "holder", "site", "trunk", "hour", "day", "direction"):
        items = get(api, "usage", by=by)["items"]
        assert items, by
        assert sum(item["calls"] for item in items) > 100
    assert api.get("usage?by=moon").json()["field"] == "by"
    assert api.get("usage?from=2026-02-30").json()["field"] == "from"
    assert api.get("usage?from=2026-02-02&to=2026-02-01").status_code == 422


def test_money_is_told_by_all_that_may_be_asked_and_adds_up(api):
    found = {
        by: get(api, "spend", by=by)
        for by in ("site", "cost_centre", "carrier", "product", "holder", "kind", "number")
    }
    [total] = {answer["total"]["amount"] for answer in found.values()}
    for answer in found.values():
        assert answer["currency"] == "GBP"
        sums = [round(100 * float(item["total"]["amount"])) for item in answer["items"]]
        assert sum(sums) == round(100 * float(total))
        for item in answer["items"]:
            parts = (item[k]["amount"] for k in ("numbers", "seats", "calls", "once"))
            whole = round(100 * float(item["total"]["amount"]))
            assert sum(round(100 * float(p)) for p in parts) == whole
    [euros] = found["site"]["others"]
    assert (euros["currency"], euros["items"][0]["key"]) == ("EUR", "harbour-loft")
    assert get(api, "spend", by="site", currency="EUR")["total"] == euros["total"]
    assert get(api, "spend", by="site", month="2001-01")["items"] == []
    assert api.get("spend?month=2026-13").json()["field"] == "month"
    assert api.get("spend?by=moon").json()["field"] == "by"


def test_a_deck_is_loaded_and_asked(api):
    deck = "prefix,price,increments\n44,0.010,60/1\n447,0.040,1/1\n"
    loaded = api.post("rate-decks/leeds-a?currency=GBP", content=deck)
    assert loaded.json()["deck"]["rates"] == 2
    found = get(api, "rate-decks/leeds-a/rate", to="07700 900123")
    assert (found["prefix"], found["per_minute"], found["currency"]) == ("447", "0.04", "GBP")
    person = next(
        p for p in get(api, "people", site="wharf-house", limit=200)["items"] if p["numbers"]
    )
    asked = {"person": person["id"], "dialled": "0151 496 0001"}
    assert post(api, "trace/outbound", asked)["rate"] == {"amount": "0.01", "currency": "GBP"}
    assert api.post("rate-decks/nowhere", content=deck).status_code == 404
    wrong = api.post("rate-decks/leeds-a?currency=GBP", content="prefix,price\n44,x\n").json()
    assert (wrong["deck"], wrong["faults"][0]["line"]) == (None, 2)
    assert "deck-leeds-a" in {d["id"] for d in get(api, "rate-decks")["items"]}
    api.delete("rate-decks/leeds-a")
    assert "deck-leeds-a" not in {d["id"] for d in get(api, "rate-decks")["items"]}


def test_files_of_records_are_read_and_their_columns_asked(api):
    started = now(api)
    text = f"when,caller,callee,long\n{started},0113 496 0132,0151 496 0001,30\n"
    asked = api.post("imports/call-records?source=Odd", content=text).json()
    assert (asked["state"], asked["columns"][0]) == ("columns", "when")
    where = f"imports/call-records/{asked['id']}/columns"
    wrong = api.put(where, json={"mapping": {"from": 1, "to": 2, "talk": 3}})
    assert wrong.status_code == 422
    mapping = {"started": 0, "from": 1, "to": 2, "talk": 3}
    done = api.put(where, json={"mapping": mapping}).json()
    assert (done["state"], done["fresh"], done["bad"]) == ("done", 1, 0)
    assert get(api, f"imports/call-records/{asked['id']}")["fresh"] == 1


def test_an_invoice_goes_from_upload_to_credit(api):
    text = "Number,Description,Amount\n0113 496 0100,Fee,0.80\n0113 496 0999,Fee,0.80\n"
    path = "imports/invoices?account=fellgate-main&reference=X1&month=2026-01"
    made = api.post(path, content=text).json()
    assert (made["reference"], made["open_lines"] > 100) == ("X1", True)
    strange = "billed but not ours"
    [line] = get(api, f"invoices/{made['id']}/lines", verdict=strange)["items"]
    assert (line["number"], line["expected"]["amount"]) == ("+441134960999", "0.00")
    settle = f"invoices/{made['id']}/settle"
    body = {"lines": [line["line"]], "state": "disputed", "why": "not ours"}
    assert post(api, settle, body) == {"settled": 1}
    credited = {"lines": [line["line"]], "state": "credited", "credited": "0.80"}
    assert post(api, settle, credited) == {"settled": 1}
    [line] = get(api, f"invoices/{made['id']}/lines", verdict=strange)["items"]
    assert (line["state"], line["credited"]["amount"]) == ("credited", "0.80")
    assert post(api, f"invoices/{made['id']}/judge", {})["open_lines"] == made["open_lines"] - 1
    assert api.delete(f"invoices/{made['id']}").status_code == 409
    assert api.post("imports/invoices?account=nobody", content=text).status_code == 404


def test_savings_and_alarms(api):
    found = get(api, "right-sizing")
    assert found["reaches_back"]
    idle = [item["key"] for item in found["items"] if item["tasks"] == ["unassign_number"]]
    made = post(api, "right-sizing", {"keys": idle[:2]})
    assert made["tasks"] == 2
    assert api.post("right-sizing", json={"keys": ["x"]}).status_code == 422
    [alarm] = get(api, "unusual-calls")["items"]
    assert (alarm["open"], alarm["calls"]) == (True, 96)
    path = f"unusual-calls/{alarm['id']}"
    taken = api.post(f"{path}/rights")
    assert taken.status_code in {200, 409}
    [settled] = post(api, f"{path}/settle", {"why": "password changed"})["items"]
    assert settled["open"] is False
    assert api.post("unusual-calls/none/settle", json={"why": "x"}).status_code == 404


def test_placed_calls_come_back_as_records(api):
    number = "+441134960100"
    before = sum(d["calls"] for d in get(api, f"usage/numbers/{number}")["days"])
    for direction in ("in", "out"):
        post(api, "test-calls", {"number": number, "direction": direction})
    post(api, "standins/clock", {"advance": "PT5M"})
    assert post(api, "call-records/fetch", {})["fresh"] == 2
    assert post(api, "call-records/fetch", {})["fresh"] == 0
    seen = get(api, f"usage/numbers/{number}")
    assert sum(d["calls"] for d in seen["days"]) == before + 2
    assert {c["direction"] for c in seen["latest"][:2]} == {"in", "out"}
    assert every(c["answered"] for c in seen["latest"][:2])


def test_retention_is_asked_and_set(api):
    assert get(api, "call-records/settings") == {"keep_days": 400, "shorten": False}
    changed = api.put("call-records/settings", json={"keep_days": 90, "shorten": True}).json()
    assert changed == {"keep_days": 90, "shorten": True}
    assert api.put("call-records/settings", json={"keep_days": 3}).status_code == 422
    assert get(api, "usage/not-called", days=60)["items"]


def test_trunks_are_compared_by_what_calls_would_have_cost(api):
    found = get(api, "least-cost")
    assert {m["currency"] for m in found["saves"]} == {"GBP"}
    germany = next(
        i for i in found["items"] if (i["destination"], i["paid"]["currency"]) == ("Germany", "GBP")
    )
    assert (germany["cheapest"], germany["over"]["fellgate-bristol"]) == (
        "fellgate-bristol",
        "0.0160",
    )
    assert float(germany["least"]["amount"]) < float(germany["paid"]["amount"])


STRANGE = "Wen;Wofür;Zu zahlen\n0113 496 0142;Monatsgebühr;0,80\n"


def test_an_invoice_with_strange_columns_is_kept_until_they_are_named(api):
    path = "imports/invoices?account=fellgate-main&reference=X2&month=2026-01"
    answer = api.post(path, content=STRANGE)
    assert answer.status_code == 422
    problem = answer.json()
    assert (problem["field"], problem["reason"]) == ("file", "columns")
    key = problem["pending"]
    assert [one["id"] for one in get(api, "invoices/pending")["items"]] == [key]
    columns = get(api, f"invoices/pending/{key}")["columns"]
    assert [c["heading"] for c in columns] == ["Wen", "Wofür", "Zu zahlen"]
    assert columns[2]["first"] == "0,80"
    for named, status in (({"number": 0}, 422), ({"number": 0, "amount": 9}, 422), ({"x": 1}, 422)):
        assert api.post(f"invoices/pending/{key}/columns", json=named).status_code == status
    made = post(api, f"invoices/pending/{key}/columns", {"number": 0, "words": 1, "amount": 2})
    assert made["billed"]["amount"] == "0.80"
    assert get(api, "invoices/pending")["items"] == []
    another = path.replace("X2", "X3").replace("2026-01", "2026-02")
    again = api.post(another, content=STRANGE.replace("0,80", "0,90"))
    assert again.status_code < 300  # the carrier's columns are known now
    assert api.get(f"invoices/pending/{key}").status_code == 404


def test_a_kept_invoice_can_be_discarded(api):
    answer = api.post("imports/invoices?account=fellgate-main&reference=X4", content=STRANGE)
    key = answer.json()["pending"]
    assert api.delete(f"invoices/pending/{key}").json()["items"] == []
    assert api.delete(f"invoices/pending/{key}").status_code == 404
