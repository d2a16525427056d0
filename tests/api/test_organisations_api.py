"""Organisations, who signs in, letters and templates over the interface."""

import secrets

from tests.api.test_resources import get, post, problem

SITE = {
    "site_name": "Reedbed House",
    "code": "RBH",
    "street": "Saltgate Lane",
    "house_number": "11",
    "city": "Leeds",
    "postcode": "LS2 7ZZ",
    "security_desk": "desk@reedbed.example",
}


def test_an_organisation_is_looked_at_then_set_up_once(api):
    asked = {
        "name": "Reedbed Archive",
        "country": "GB",
        "token": secrets.token_hex(4),
        "carriers": ["fellgate"],
        **SITE,
    }
    seen = post(
        api, "organisations?dry_run=true", {**asked, "administrators": ["nobody@example.test"]}
    )
    assert (seen["runnable"], [c["what"] for c in seen["checks"] if not c["ok"]]) == (
        False,
        ["Administrator nobody@example.test"],
    )
    made = post(api, "organisations", asked)
    assert post(api, "organisations", asked)["id"] == made["id"]
    assert made["id"] in {m["id"] for m in get(api, "organisations")["items"]}
    assert problem(api, "POST", "organisations", {"name": "", "country": "GB"})[2] == "name"


def test_members_are_invited_changed_and_ended(api):
    invited = post(
        api,
        "members",
        {"name": "Petra Vogel", "email": "petra@lanternfield.example", "role": "help desk"},
    )
    assert invited["email"] in {x["email"] for x in get(api, "members")["invited"]}
    assert api.request("DELETE", f"invitations/{invited['id']}").json()["invited"] == []
    helper = next(m for m in get(api, "members")["items"] if m["role"] == "help desk")
    after = post(api, f"members/{helper['id']}", {"role": "site manager", "sites": ["wharf-house"]})
    assert next(m for m in after["items"] if m["id"] == helper["id"])["sites"] == ["wharf-house"]
    assert helper["id"] not in {
        m["id"] for m in api.request("DELETE", f"members/{helper['id']}").json()["items"]
    }
    assert (
        problem(api, "POST", "members", {"name": "X", "email": "nobody", "role": "help desk"})[2]
        == "email"
    )


def test_a_letter_is_read_seen_and_kept(api):
    kept = get(api, "letters/holder/en")
    fresh = {
        "subject": kept["subject"] + " today",
        "text": kept["text"],
        "html": "",
        "version": kept["version"],
    }
    assert api.put("letters/holder/en", json=fresh).json()["subject"].endswith(" today")
    assert get(api, "letters/holder/en/preview")["subject"].endswith(" today")
    assert problem(api, "PUT", "letters/holder/en", fresh)[0] == 409
    assert problem(api, "GET", "letters/nobody/en")[2] == "kind"


def test_a_work_order_is_kept_as_a_template_and_used_again(api):
    order = post(
        api,
        "work-orders",
        {
            "title": "aside",
            "tasks": [{"kind": "set_aside", "number": "0113 496 0160", "reason": "tests"}],
        },
    )
    kept = post(api, f"work-orders/{order['id']}/template", {"name": "Aside"})
    assert [(s["slot"], s["subject"]) for s in kept["slots"]] == [(0, "number")]
    again = post(api, f"templates/{kept['id']}", {"slots": {"0": "0113-496 0162"}})
    assert get(api, f"work-orders/{again['id']}")["tasks"][0]["number"] == "+441134960162"
    joiner = post(
        api,
        "templates/joiner",
        {
            "fields": {
                "name": "Petra Vogel",
                "email": "petra@lanternfield.example",
                "site": "wharf-house",
            }
        },
    )
    assert joiner["title"] == "Petra Vogel joins"
    assert "joiner" in {u["id"] for u in get(api, "templates")["usual"]}
    assert api.request("DELETE", f"templates/{kept['id']}").json()["items"] == []
