"""Call paths through the JSON interface: what is computed, drawings with their versions, open
formats."""

import json

from tests.formats.test_sounds import tone


def test_what_is_computed_of_a_path_is_told(api):
    endings = api.get("paths/canal-front-desk/endings").json()
    assert {e["kind"] for e in endings["items"]} == {"answered", "mailbox"}
    assert endings["unreached"] == endings["without_end"] == []
    mailbox = next(e for e in endings["items"] if e["kind"] == "mailbox")
    traced = api.post(
        "trace/inbound",
        json={
            "number": "+441134960200",
            "at": mailbox["at"],
            "world": {"choices": mailbox["choices"]},
        },
    ).json()
    assert traced["ending"]["kind"] == "mailbox"
    findings = api.get("paths/school-visits/findings").json()
    assert [c["passes"] for c in findings["test_cases"]] == [True, True]
    week = api.get("paths/canal-front-desk/week?monday=2027-03-22").json()
    sunday = week["days"][6]
    assert sunday["hours"][1]["parts"] == []  # the hour that is left out
    assert api.get("numbers/+441134960202/week").json()["timezone"] == "Europe/London"
    assert api.get("paths/week?site=canal-museum").json()["numbers"] > 10
    assert api.get("paths/nothing/endings").status_code == 404


def test_a_drawing_is_changed_with_its_version_and_published_by_a_work_order(api):
    begun = api.post("drawings", json={"path": "canal-front-desk"}).json()
    body = begun["body"]
    body["steps"]["menu"]["title"] = "Which way"
    drawn = api.put(
        "drawings/canal-front-desk", json={"version": begun["version"], "body": body}
    ).json()
    assert (drawn["version"], drawn["body"]["steps"]["menu"]["title"]) == (2, "Which way")
    late = api.put("drawings/canal-front-desk", json={"version": 1, "body": body})
    assert (late.status_code, late.json()["code"]) == (409, "changed-meanwhile")
    compared = api.get("paths/canal-front-desk/compare").json()
    assert [(s["step"], s["what"]) for s in compared["steps"]] == [("menu", "changed")]
    order = api.post("drawings/canal-front-desk/publish", json={"version": 2}).json()
    assert (
        api.get(f"work-orders/{order['work_order']}").json()["tasks"][0]["kind"] == "publish_path"
    )
    assert api.delete("drawings/canal-front-desk").status_code == 204
    assert api.get("drawings/canal-front-desk").status_code == 404


def test_a_body_that_is_no_path_is_refused_with_its_place(api):
    for body in (
        {"first": "a", "steps": {}},
        {"first": "a", "steps": {"a": {"kind": "hours", "timezone": "Mars", "openings": []}}},
        {"first": "a", "steps": {"a": {"kind": "ring", "exits": {"x": "a"}}}},
    ):
        answer = api.post("drawings", json={"name": "New", "site": "canal-museum", "body": body})
        assert answer.status_code == 422, answer.text
    tasks = [
        {
            "kind": "publish_path",
            "path": "week",
            "name": "x",
            "body": {"first": "a", "steps": {"a": {"kind": "end"}}},
        }
    ]
    assert api.post("work-orders", json={"title": "x", "tasks": tasks}).status_code == 422


def test_questions_and_open_formats(api):
    found = api.get("paths/what-if?what=trunk&id=leeds-a").json()
    assert found["items"]
    assert api.get("paths/what-if?what=trunk&id=none").status_code == 404
    assert api.get("paths/what-if?what=weather&id=x").status_code == 422
    data = api.get("paths/school-visits/path.json").content
    read = api.post(
        "paths/read?name=Copied&site=canal-museum",
        content=data,
        headers={"Content-Type": "application/octet-stream"},
    ).json()
    assert read == {"path": "copied", "report": []}
    assert api.get("drawings/copied").json()["body"] == json.loads(data)["path"]
    assert api.get("paths/school-visits/cpl-report").json()["items"]
    assert api.get("paths/schema").json()["properties"]["format"]["const"] == "call path 1"
    assert "SOA" in api.get("enum.zone").text
    assert api.get("paths/canal-front-desk/hours.ics").text.startswith("BEGIN:VCALENDAR")


def test_sounds_through_the_interface(api):
    made = api.post(
        "sounds",
        data={"name": "Hello", "text": "Hello there"},
        files={"sound": ("a.ogg", tone(form="OGG"))},
    ).json()
    assert made["media"] == "audio/ogg"
    assert api.get(f"sounds/{made['id']}").content[:4] == b"OggS"
    assert [s["id"] for s in api.get("sounds").json()["items"]] == [made["id"]]
    assert api.delete(f"sounds/{made['id']}").status_code == 204
    assert (
        api.post(
            "sounds", data={"name": "x", "text": "x"}, files={"sound": ("a", b"x")}
        ).status_code
        == 422
    )


def test_who_rings_somebody_and_what_rings_for_them(api):
    person = api.get("people?find=obadiah").json()["items"][0]["id"]
    assert {"call path Canal Museum front desk"} <= {
        r["through"] for r in api.get(f"people/{person}/rung-by").json()["items"]
    }
    assert api.get(f"people/{person}/reachable?at=2026-11-24T11:00:00").status_code == 422
    assert api.get(f"people/{person}/reachable?at=2026-11-24T11:00:00Z").json()["reachable"] is True
