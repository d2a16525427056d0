"""Trunks, outbound routes and digit maps as programs make them."""

import pytest

from tests.conftest import until_quiet

NEW = {
    "name": "Leeds C",
    "carrier_account": "fellgate-main",
    "sites": ["wharf-house"],
    "host": "sip.fellgate.example",
    "channels": 12,
}


def account(api):
    [found] = [c for c in api.get("carriers").json()["items"] if c["id"] == "fellgate"]
    return found["accounts"][0]["id"]


def test_a_trunk_is_made_with_all_that_is_known_of_it(api):
    asked = NEW | {
        "carrier_account": account(api),
        "port": 5061,
        "transport": "tls",
        "registration": "register",
        "username": "wharf",
        "password": "gull-Torch-41-barley-Meridian",
        "format": "national",
    }
    made = api.post("trunks", json=asked)
    assert made.status_code == 201, made.text
    seen = api.get(f"trunks/{made.json()['id']}").json()
    assert (seen["site"], seen["has_secret"], seen["emergency"]) == ("wharf-house", True, True)
    kept = {k: seen["settings"][k] for k in ("port", "transport", "sign_in", "user", "sends")}
    assert kept == {
        "port": 5061,
        "transport": "tls",
        "sign_in": "register",
        "user": "wharf",
        "sends": "national",
    }
    assert "barley" not in api.get(f"trunks/{made.json()['id']}").text


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"password": "abc", "username": "wharf"}, "secret"),
        ({"registration": "register"}, "username"),
        ({"registration": "none"}, "addresses"),
        ({"registration": "none", "addresses": ["moon"]}, "addresses"),
        ({"sites": ["wharf-house", "moon"]}, "sites"),
        ({"sites": []}, "site"),
        ({"host": "sip:a.example"}, "host"),
        ({"port": 70000}, "port"),
    ],
)
def test_what_cannot_be_is_named_and_nothing_is_kept(api, wrong, field):
    before = len(api.get("trunks").json()["items"])
    refused = api.post("trunks", json=NEW | {"carrier_account": account(api)} | wrong)
    assert refused.status_code == 422
    assert refused.json()["field"] == field
    assert len(api.get("trunks").json()["items"]) == before


def test_one_setting_is_changed_and_the_others_stay(api):
    asked = NEW | {"carrier_account": account(api), "addresses": ["192.0.2.1"], "port": 5070}
    key = api.post("trunks", json=asked).json()["id"]
    made = api.patch(f"trunks/{key}", json={"codecs": ["PCMA"], "emergency": False}).json()
    api.post(f"work-orders/{made['work_order']}/run", json={})
    api.post("standins/clock", json={"advance": "PT1M"})
    after = api.get(f"trunks/{key}").json()
    assert (after["settings"]["codecs"], after["settings"]["port"]) == (["PCMA"], 5070)
    assert after["emergency"] is False
    wrong = api.patch(f"trunks/{key}", json={"port": "seven"})
    assert (wrong.status_code, wrong.json()["field"]) == (422, "port")


def test_two_digit_maps_are_compared(api):
    asked = {"a": "9x.T", "b": "[1-9]11", "digits": "911"}
    assert api.post("digit-maps/compare", json=asked).json() == {
        "a_matches": True,
        "b_matches": True,
        "overlap": True,
        "example": "911",
    }
    apart = api.post("digit-maps/compare", json={"a": "1xx", "b": "2xx"}).json()
    assert apart == {"a_matches": None, "b_matches": None, "overlap": False, "example": None}
    wrong = api.post("digit-maps/compare", json={"a": "1xx", "b": "2[x"})
    assert (wrong.status_code, wrong.json()["field"]) == (422, "b")


def test_a_new_trunk_is_a_work_order_that_can_be_undone(api, installation):
    made = api.post("trunks", json=NEW | {"carrier_account": account(api)}).json()
    orders = api.get("work-orders").json()["items"]
    [order] = [o for o in orders if o["title"] == f"Add trunk {made['name']}"]
    assert order["state"] == "done"
    undo = api.post(f"work-orders/{order['id']}/undo")
    assert undo.status_code < 300, undo.text
    until_quiet(installation)
    assert api.get(f"trunks/{made['id']}").json()["phase"] == "retired"


def test_a_trunk_that_has_numbers_by_now_is_not_undone(api, installation):
    made = api.post("trunks", json=NEW | {"carrier_account": account(api)}).json()
    [order] = [o for o in api.get("work-orders").json()["items"] if made["name"] in o["title"]]
    task = {"kind": "list_on_trunk", "number": "+441134960150", "trunk": made["id"]}
    listed = api.post("work-orders", json={"title": "x", "tasks": [task]}).json()
    assert api.post(f"work-orders/{listed['id']}/run").status_code < 300
    until_quiet(installation)
    undone = api.post(f"work-orders/{order['id']}/undo")
    until_quiet(installation)
    told = undone.text + api.get("work-orders?limit=3").text
    assert api.get(f"trunks/{made['id']}").json()["phase"] != "retired", told


def test_two_trunks_of_one_name_are_refused_by_the_work_order_too(api):
    first = api.get("trunks").json()["items"][0]
    task = {
        "kind": "add_trunk",
        "id": "trunk-second",
        "name": first["name"].upper(),
        "account": account(api),
        "site": "wharf-house",
        "host": "sip.example.net",
        "channels": 4,
    }
    drafted = api.post("work-orders", json={"title": "x", "tasks": [task]}).json()
    refused = api.post(f"work-orders/{drafted['id']}/run")
    assert refused.status_code == 409
    assert "another trunk called" in refused.text


def test_a_trunk_serves_the_sites_it_names_and_every_one_where_none_is_named(api):
    asked = NEW | {"carrier_account": account(api), "site": "wharf-house", "username": "wharf"}
    made = api.post("trunks", json=asked | {"sites": ["canal-museum"]}).json()
    assert (made["site"], made["serves"]) == ("wharf-house", ["canal-museum"])
    wrong = api.patch(f"trunks/{made['id']}", json={"serves": ["moon"]})
    assert (wrong.status_code, wrong.json()["field"]) == (422, "serves")
    change = api.patch(f"trunks/{made['id']}", json={"channels": 12}).json()
    ran = api.post(f"work-orders/{change['work_order']}/run", json={})
    assert ran.status_code == 200, ran.text
    api.post("standins/clock", json={"advance": "PT1M"})
    kept = api.get(f"trunks/{made['id']}").json()
    assert (kept["channels"], kept["serves"]) == (12, ["canal-museum"])
    change = api.patch(f"trunks/{made['id']}", json={"serves": []}).json()
    api.post(f"work-orders/{change['work_order']}/run", json={})
    api.post("standins/clock", json={"advance": "PT1M"})
    assert api.get(f"trunks/{made['id']}").json()["serves"] == []
