"""Dial plans on pages and through the interface: examined, changed by a work order, carried as
text."""

SITE = "wharf-house"
HTMX = {"HX-Request": "true"}
ROW = {
    "name": "Workshops",
    "pattern": "7[1-4]xx",
    "notation": "",
    "strip": "0",
    "before": "",
    "leads_to": "extension",
    "right": "national",
}


def row(**other):
    return {key: [value] for key, value in (ROW | other).items()}


def test_every_site_has_a_plan(reader):
    html = reader.get("/dial-plans").text
    assert html.count('href="/dial-plans/') >= 4
    page = reader.get(f"/dial-plans/{SITE}").text
    assert "999, 112 are dialled" in " ".join(page.split())
    assert "can be dialled." in page


def test_keys_are_tried(reader):
    page = " ".join(reader.get(f"/dial-plans/{SITE}?dialled=9112").text.split())
    assert "An emergency number: the call is placed at once" in page
    assert "No rule begins like this" in reader.get(f"/dial-plans/{SITE}?dialled=8888").text


def test_rules_are_examined_before_anything_changes(rowan):
    found = rowan.post(f"/dial-plans/{SITE}/check", data=row(pattern="_11X"))
    assert "takes" in found.text
    assert "an emergency number" in found.text
    assert "Workshops" not in rowan.get(f"/dial-plans/{SITE}/rules.csv").text


def test_a_row_that_cannot_be_read_is_named(rowan):
    answer = rowan.post(f"/dial-plans/{SITE}", data=row(pattern="9[1"), headers=HTMX)
    assert answer.status_code == 422
    assert '"field": "rules.0.pattern"' in answer.headers["Sedge-Problem"]
    answer = rowan.post(f"/dial-plans/{SITE}", data=row(strip="many"), headers=HTMX)
    assert '"field": "rules.0.strip"' in answer.headers["Sedge-Problem"]
    answer = rowan.post(f"/dial-plans/{SITE}", data=row(strip="9"), headers=HTMX)
    assert '"field": "rules.0.strip"' in answer.headers["Sedge-Problem"]


def test_the_plan_changes_by_a_work_order_and_back(api):
    asked = {"rules": [{"name": "Workshops", "pattern": "_7ZXX", "leads_to": "extension"}]}
    made = api.put(f"dial-plans/{SITE}", json=asked).json()
    assert made["plan"]["findings"] == []
    assert api.post(f"work-orders/{made['work_order']}/run", json={}).status_code == 200
    api.post("standins/clock", json={"advance": "PT1M"})
    plan = api.get(f"dial-plans/{SITE}").json()
    mine = [r for r in plan["rules"] if r["own"]]
    assert [(r["name"], r["pattern"]) for r in mine] == [("Workshops", "7[1-9]xx")]
    tried = api.post(f"dial-plans/{SITE}/try", json={"dialled": "7123"}).json()
    assert (tried["kind"], tried["keys"][-1]["takes"]) == ("extension", ["Workshops"])
    person = api.get("people", params={"site": SITE, "limit": 1}).json()["items"][0]["id"]
    traced = api.post("trace/outbound", json={"person": person, "dialled": "7123"}).json()
    assert traced["ending"]["kind"] == "internal"
    undo = api.post(f"work-orders/{made['work_order']}/undo", json={})
    assert undo.status_code < 300, undo.text
    api.post("standins/clock", json={"advance": "PT1M"})
    assert not any(r["own"] for r in api.get(f"dial-plans/{SITE}").json()["rules"])


def test_a_plan_that_delays_emergency_calls_is_stopped(api):
    asked = {"rules": [{"name": "Stores", "pattern": "112xx", "leads_to": "extension"}]}
    made = api.put(f"dial-plans/{SITE}", json=asked).json()
    assert [f["what"] for f in made["plan"]["findings"]][0] == "emergency-delayed"
    order = api.get(f"work-orders/{made['work_order']}").json()
    said = [f for f in order["checks"] if f["rule"] == "dial-plan.emergency-at-once"]
    assert [f["level"] for f in said] == ["stop"]
    assert api.post(f"work-orders/{made['work_order']}/run", json={}).status_code == 409


def test_rules_are_carried_as_text(rowan):
    text = (
        "name;pattern;strip;before;leads to;right\n"
        "Workshops;7[1-4]xx;0;;extension;\n"
        "Enquiries;118xxx;0;;refused;\n"
    )
    answer = rowan.post(f"/dial-plans/{SITE}/import", data={"text": text}, follow_redirects=True)
    assert "2 rules of its own" in answer.text
    for wrong, says in (
        ("pattern\n7xx", "names the columns"),
        ("name;pattern;leads to\nA;7xx;moon", "none of"),
        ("name;pattern;strip\nA;7xx;many", "how many keys"),
        ("name;pattern;before\nA;7xx;+4x", "put before"),
        ("", "nothing to read"),
    ):
        answer = rowan.post(f"/dial-plans/{SITE}/import", data={"text": wrong})
        assert (answer.status_code, says in answer.text) == (422, True), wrong
