"""Groups, devices, systems, proposals, the planner, drafts and checks through the interface."""

import pytest

from tests.asserting import every


def test_groups_devices_and_systems_from_making_to_taking_away(api):
    people = [p["email"] for p in api.get("people?limit=3").json()["items"]]
    order = api.post("groups", json={"name": "Night desk", "members": people[:2]})
    assert order.status_code == 201
    key = order.json()["tasks"][0]["group"]
    api.post("http://127.0.0.1:8420/standins/clock", json={"advance": "PT1M"})
    members = api.get(f"groups/{key}").json()["members"]
    assert len(members) == 2
    assert key in api.get(f"people/{members[0]}").json()["groups"]
    listed = {p["id"]: p["groups"] for p in api.get("people?limit=200").json()["items"]}
    assert {person for person, groups in listed.items() if key in groups} == set(members)
    assert (
        api.patch(f"groups/{key}", json={"name": "Night desk", "members": people}).status_code
        == 200
    )
    assert api.delete("groups/nothing").status_code == 404
    person = api.get("people?limit=1").json()["items"][0]["id"]
    made = api.post("devices", json={"person": person, "kind": "soft phone"}).json()
    assert made["secret"]
    assert "secret" not in api.get(f"devices/{made['id']}").json()
    assert api.post(f"devices/{made['id']}/secret").json()["secret"] != made["secret"]
    assert api.delete(f"devices/{made['id']}").status_code == 200
    system = api.post(
        "downstream-systems", json={"name": "Console", "site": "wharf-house", "host": "c.example"}
    ).json()
    assert (
        api.patch(
            f"downstream-systems/{system['id']}",
            json={
                "name": "Console",
                "site": "wharf-house",
                "host": "d.example",
                "port": 5060,
                "transport": "udp",
            },
        ).json()["port"]
        == 5060
    )
    assert api.get("downstream-systems").json()["items"][0]["name"]
    assert api.get(f"downstream-systems/{system['id']}").json()["ranges"] == []


def test_proposals_are_taken_and_dismissed(api):
    found = {p["name"]: p for p in api.get("directory/proposals").json()["items"]}
    order = api.post(
        "directory/proposals/take", json={"proposals": [found["Tamsin Quennell"]["id"]]}
    )
    assert order.json()["tasks"][0]["kind"] == "add_person"
    assert api.post(
        "directory/proposals/dismiss", json={"proposals": [found["Bastian Overy"]["id"]]}
    ).json() == {"dismissed": 1}
    assert (
        api.post(
            "directory/proposals/take", json={"proposals": [found["Imke Sandvoort"]["id"]]}
        ).status_code
        == 422
    )
    assert api.post("directory/pull").json()["open"] >= 1


def test_the_planner_answers_and_drafts(api):
    plan = api.post("planner", json={"sites": ["wharf-house"], "weights": {"extension": 10}}).json()
    assert (plan["left_out"], plan["work_order"]) == (0, None)
    assert every(g["number"] for g in plan["given"])
    drafted = api.post("planner", json={"sites": ["wharf-house"], "draft": True}).json()
    assert api.get(f"work-orders/{drafted['work_order']}").json()["state"] == "draft"
    assert api.post("planner", json={}).status_code == 422


def test_a_draft_is_edited_in_every_way(api):
    tasks = [
        {"kind": "set_aside", "number": f"0113 496 01{n}", "reason": "x"} for n in (60, 62, 63)
    ]
    key = api.post("work-orders", json={"title": "x", "tasks": tasks}).json()["id"]
    assert [
        t["number"][-2:]
        for t in api.post(f"work-orders/{key}/tasks/2/move", json={"to": 0}).json()["tasks"]
    ] == ["63", "60", "62"]
    assert len(api.delete(f"work-orders/{key}/tasks/0").json()["tasks"]) == 2
    assert (
        api.post(f"work-orders/{key}/tasks/0/until", json={"until": "2035-01-01T00:00:00Z"}).json()[
            "tasks"
        ][2]["kind"]
        == "put_back_later"
    )
    assert (
        api.post(
            f"work-orders/{key}/tasks/0/until", json={"until": "2035-01-01T00:00:00"}
        ).status_code
        == 422
    )
    assert (
        api.post(f"work-orders/{key}/when", json={"run_at": "2035-01-01T00:00:00Z"})
        .json()["run_at"]
        .startswith("2035")
    )
    assert api.post(f"work-orders/{key}/comments", json={"text": "later"}).json()["text"] == "later"
    assert api.post(f"work-orders/{key}/duplicate").json()["overlaps"][0]["title"] == "x"
    assert api.post(f"work-orders/{key}/tasks/0/skip").status_code == 409
    assert api.post(f"work-orders/{key}/tasks/9/move", json={"to": 0}).status_code == 422


def test_checks_are_listed_raised_and_run(api):
    assert api.post("checks").json()["findings"] >= 1
    found = api.get("checks/assignment.on-trunk-list").json()
    assert (found["nightly"], len(found["items"])) == (True, 1)
    assert api.patch("checks/life.rests", json={"stop": True}).json()["warnings_stop"]
    assert not api.patch("checks/life.rests", json={"stop": False}).json()["warnings_stop"]
    assert api.get("checks/nothing").status_code == 404
    assert len(api.get("checks").json()["items"]) > 60


def test_products_and_pools(api):
    made = api.post(
        "licence-products",
        json={"name": "Pack", "price": "2.00", "needs_any": ["home-calling", "staff-seat"]},
    )
    assert made.status_code == 201
    key = made.json()["id"]
    assert (
        api.patch(f"licence-products/{key}", json={"price": "3.00"}).json()["monthly"]["amount"]
        == "3.00"
    )
    assert api.patch("licence-products/staff-seat", json={"needs_all": [key]}).status_code == 409
    assert api.get("licence-products/home-calling").json()["seats"]["granted"] == 19


def test_a_site_says_what_it_lacks(api):
    steps = {s["key"]: s["level"] for s in api.get("sites/wharf-house/set-up").json()["steps"]}
    assert (steps["address"], steps["main"], steps["mailbox"]) == ("pass", "pass", "warn")
    assert api.get("sites/nowhere/set-up").status_code == 404


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("POST", "groups", {"name": "", "members": []}),
        ("POST", "groups", {"name": "X", "members": ["Nobody Atall"]}),
        ("POST", "devices", {"person": "nobody", "kind": "desk phone"}),
        ("POST", "downstream-systems", {"name": "X", "site": "nowhere", "host": "x.example"}),
        ("PATCH", "service-lines/line-press-line", {"name": "", "kind": "queue"}),
        ("POST", "directory/proposals/take", {"proposals": []}),
        ("POST", "planner", {"sites": ["wharf-house"], "pins": {"person-adaeze-zhou": "12"}}),
    ],
)
def test_what_is_wrong_is_a_clear_answer(api, method, path, body):
    answer = api.request(method, path, json=body)
    assert answer.status_code in {404, 409, 422}
    assert answer.json()["detail"]
