"""Dial plans on pages and through the interface: examined, changed by a work order, carried as
text."""

import pytest

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
    typed = row(pattern="8xxx") | {"dialled": "8888"}
    tried = reader.post(f"/dial-plans/{SITE}/try", data=typed, headers={"HX-Target": "tried"}).text
    assert "Workshops" in tried, "by the rules as they stand in the form"


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
        ("name;pattern;strip\nA;7xx;many", "how many digits"),
        ("name;pattern;before\nA;7xx;+4x", "put before"),
        ("", "nothing to read"),
    ):
        answer = rowan.post(f"/dial-plans/{SITE}/import", data={"text": wrong})
        assert (answer.status_code, says in answer.text) == (422, True), wrong


# ── of trunks ──

TRUNK = "leeds-a"
SENT = {"name": "Germany", "pattern": "49xx.", "notation": "", "strip": "2", "before": "0"}


def rows(*several):
    return {key: [row[key] for row in several] for key in SENT}


def test_a_trunk_that_nobody_has_set_up_has_no_rules_yet(rowan):
    name = rowan.get("/dial-plans").text.partition("/dial-plans/trunks/")[2].partition('"')[0]
    page = rowan.get(f"/dial-plans/trunks/{name}").text
    assert "Nobody has said how" in page
    answer = rowan.post(f"/dial-plans/trunks/{name}", data=rows(SENT), headers=HTMX)
    assert answer.status_code == 409
    assert "Set it up first" in answer.headers["Sedge-Problem"]


@pytest.fixture
def set_up(api):
    """The interface, and a trunk that is set up."""
    asked = {"host": "fellgate.example", "user": "ours", "sends": "country code without plus"}
    made = api.patch(f"trunks/{TRUNK}", json=asked)
    assert made.status_code == 200, made.text
    run(api, made.json()["work_order"])
    return api


def run(api, order):
    assert api.post(f"work-orders/{order}/run", json={}).status_code == 200
    api.post("standins/clock", json={"advance": "PT1M"})


def test_the_rules_of_a_trunk_change_by_a_work_order(set_up):
    api = set_up
    asked = [
        {"name": "Germany", "pattern": "^49(\\d+)$", "strip": 2, "before": "0"},
        {"name": "Berlin", "pattern": "4930x.", "strip": 2, "before": "0"},
        {"name": "All", "pattern": "xx.", "before": "00"},
    ]
    made = api.put(f"trunks/{TRUNK}/dial-plan", json={"rules": asked}).json()
    said = [(f["what"], f["rule"], f["other"]) for f in made["plan"]["findings"]]
    assert said == [
        ("never-reached", 1, 0),
        ("overlaps", 1, 0),
        ("overlaps", 2, 0),
        ("overlaps", 2, 1),
    ]
    order = api.get(f"work-orders/{made['work_order']}").json()
    assert "to 3 rules of its own for numbers it sends" in str(order)
    warned = next(f for f in order["checks"] if f["rule"] == "trunk.send-rules-reached")
    assert (warned["level"], "Berlin is never reached" in warned["message"]) == ("warn", True)
    run(api, made["work_order"])
    plan = api.get(f"trunks/{TRUNK}/dial-plan").json()
    assert plan["otherwise"] == "country code without plus"
    assert [(r["name"], r["strip"], r["becomes"]) for r in plan["rules"]][0] == ("Germany", 2, "00")

    def sent(number):
        told = api.post(f"trunks/{TRUNK}/dial-plan/try", json={"number": number}).json()
        return told["sent"], told["rule"]

    assert sent("+49 30 23125 001") == ("03023125001", 0)
    assert sent("0113 496 0142") == ("00441134960142", 2)
    kept = api.patch(f"trunks/{TRUNK}", json={"channels": 20}).json()["work_order"]
    run(api, kept)
    assert len(api.get(f"trunks/{TRUNK}/dial-plan").json()["rules"]) == 3, "they stay"


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"pattern": "49["}, "rules.0.pattern"),
        ({"pattern": "49x.", "strip": 3}, "rules.0.strip"),
        ({"pattern": "49x."}, "rules.0.strip"),
        ({"pattern": "49x.", "before": "0", "name": "n" * 61}, "rules.0.name"),
    ],
)
def test_a_rule_of_a_trunk_that_cannot_be_read_is_named(set_up, wrong, field):
    answer = set_up.put(f"trunks/{TRUNK}/dial-plan", json={"rules": [wrong]})
    assert (answer.status_code, answer.json()["field"]) == (422, field)


def test_a_number_that_is_none_is_told(set_up):
    answer = set_up.post(f"trunks/{TRUNK}/dial-plan/try", json={"number": "999999999999999"})
    assert (answer.status_code, answer.json()["field"]) == (422, "number")
    assert set_up.post(f"trunks/{TRUNK}/dial-plan/try", json={"number": " "}).json() is None


def test_the_pages_of_a_trunks_plan(rowan, set_up):
    web = str(set_up.base_url).partition("/api")[0]
    here = f"{web}/dial-plans/trunks/{TRUNK}"
    page = " ".join(rowan.get(here).text.split())
    assert "every number goes country code without plus" in page
    two = rows(SENT, SENT | {"name": "Berlin", "pattern": "4930x."})
    found = " ".join(rowan.post(f"{here}/check", data=two).text.split())
    assert "“Berlin” is never reached: “Germany” takes all of its numbers" in found
    text = "name,pattern,strip,before\r\nGermany,49xx.,2,0\r\n"
    made = rowan.post(f"{here}/import", data={"text": text})
    order = made.headers["location"].rpartition("/")[2]
    items = set_up.get("work-orders").json()["items"]
    run(set_up, next(w["id"] for w in items if str(w["no"]) == order))
    assert rowan.get(f"{here}/rules.csv").text == text
    typed = rows(SENT | {"pattern": "4930x.", "before": "9"}) | {"number": "+493023125001"}
    tried = rowan.post(f"{here}/try", data=typed, headers=HTMX | {"HX-Target": "tried"})
    assert '<b class="code">93023125001</b>' in tried.text, "as the form has it"
    kept = rowan.post(f"{here}/try", data={"number": "+493023125001"})
    assert '<b class="code">03023125001</b>' in kept.text
    without = rows(dict.fromkeys(SENT, "") | {"strip": "0"}) | {"number": "+493023125001"}
    assert "No rule takes it" in rowan.post(f"{here}/try", data=without).text, "all taken out"
    none = rowan.post(f"{here}/try", data={"number": "999999999999999"})
    assert "is sent as" not in none.text
    abroad = " ".join(rowan.get(f"{here}?number=%2B493023125001").text.split())
    assert 'is sent as <b class="code">03023125001</b>' in abroad
    assert "By rule 1, Germany." in abroad
    assert "By rule" not in rowan.get(f"{here}?number=%2B441134960142").text
    refused = rowan.post(f"{here}/import", data={"text": "name,pattern,strip\nA,49x.,many"})
    assert "does not say how many digits are stripped" in refused.text
