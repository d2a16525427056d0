"""Outbound routes on pages and through the interface."""

from tests.conftest import in_one_line

HTMX = {"HX-Request": "true"}


def settle(api, made):
    assert api.post(f"work-orders/{made['work_order']}/run", json={}).status_code == 200
    api.post("standins/clock", json={"advance": "PT1M"})


def test_a_route_decides_which_trunk_a_call_takes(api):
    person = next(
        p for p in api.get("people?site=wharf-house&limit=200").json()["items"] if p["numbers"]
    )
    asked = {"person": person["id"], "dialled": "0131 496 0500"}
    before = api.post("trace/outbound", json=asked).json()
    assert (before["ending"]["kind"], before["route"]) == ("reached", None)
    wish = {
        "routes": [
            {"name": "Home", "destinations": ["GB"], "trunks": ["leeds-a", "brackwater-leeds"]},
            {"name": "No Germany", "destinations": ["+49"]},
        ]
    }
    made = api.put("outbound-routes", json=wish).json()
    assert made["routes"][0]["destinations"] == ["+44"]
    settle(api, made)
    after = api.post("trace/outbound", json=asked).json()
    assert (after["route"], after["ending"]["kind"]) == ("Home", "reached")
    assert {c["trunk"] for c in after["candidates"]} == {"Leeds A", "Brackwater Leeds"}
    assert after["sent"]
    api.post(f"work-orders/{made['work_order']}/undo", json={})
    api.post("standins/clock", json={"advance": "PT1M"})
    assert api.get("outbound-routes").json()["items"] == []


def test_one_route_is_added_changed_and_taken_out_through_the_interface(api):
    made = api.post("outbound-routes", json={"name": "Home", "destinations": ["GB"]})
    assert made.status_code == 201
    settle(api, made.json())
    changed = api.patch("outbound-routes/home", json={"trunks": ["leeds-a"]}).json()
    [route] = changed["routes"]
    assert (route["destinations"], route["trunks"]) == (["+44"], ["leeds-a"])
    settle(api, changed)
    again = api.post("outbound-routes", json={"name": "HOME", "destinations": ["FR"]})
    assert (again.status_code, again.json()["field"]) == (422, "name")
    assert api.patch("outbound-routes/Away", json={"cheapest": True}).status_code == 404
    gone = api.delete("outbound-routes/Home").json()
    assert gone["routes"] == []
    settle(api, gone)
    assert api.get("outbound-routes").json()["items"] == []


def test_routes_change_by_drafts(rowan):
    form = {
        "no": "0",
        "name": "Germany",
        "destinations": "Germany",
        "trunks": ["leeds-a", ""],
        "sites": ["wharf-house"],
    }
    answer = rowan.post("/outbound-routes", data=form, follow_redirects=True)
    assert "Set the outbound routes" in answer.text
    assert "has one trunk" in answer.text
    for field, value in (("name", ""), ("destinations", "moon"), ("sites", ["nowhere"])):
        wrong = rowan.post("/outbound-routes", data=form | {field: value}, headers=HTMX)
        assert wrong.status_code == 422
        assert f'"field": "{field}"' in wrong.headers["Sedge-Problem"]
    assert rowan.post("/outbound-routes/7/up").status_code == 404
    assert rowan.post("/outbound-routes/7/remove").status_code == 404
    assert rowan.get("/outbound-routes/7").status_code == 404


def test_a_call_is_followed_beside_the_routes(reader):
    html = reader.get("/outbound-routes?site=wharf-house&to=0131 496 0500").text
    assert "no route fits" in html
    assert "taken: " in html
    assert 'aria-invalid="true"' in reader.get("/outbound-routes?to=12").text


def test_rights_of_a_line_and_a_site_are_set_by_a_draft(rowan):
    html = rowan.get("/holders/sites/wharf-house").text
    assert "Change the calling rights" in html
    form = {"right": ["internal", "national", "international"]}
    answer = rowan.post("/holders/sites/wharf-house/rights", data=form, follow_redirects=True)
    assert "Set the calling rights of Wharf House" in answer.text
    assert "rings for many" in answer.text
    assert rowan.post("/holders/lines/nobody/rights", data=form).status_code == 404


def test_fraud_risks_are_listed_with_where_they_are_put_right(rowan):
    assert "No trunk is open to strangers" in rowan.get("/outbound-routes/risks").text


WHOLE = {
    "no": "0",
    "name": "Abroad",
    "destinations": "international",
    "trunks": ["leeds-a", "brackwater-leeds"],
    "turn": "share",
    "share": ["70", "30"],
    "weekdays": ["0", "1", "2", "3", "4"],
    "start": "09:00",
    "end": "17:00",
    "right": "international",
    "minutes_a_call": "60",
    "minutes_a_day": "500",
    "calls_a_day": "20",
    "told": "ana@example.com",
}


def test_a_route_with_shares_hours_a_right_and_limits_is_shown_as_it_was_typed(rowan, api):
    site = str(api.base_url).removesuffix("/api/v1/")
    answer = rowan.post(f"{site}/outbound-routes", data=WHOLE, follow_redirects=True)
    assert answer.status_code == 200, answer.text
    order = int(str(answer.url).rpartition("/")[2])
    api.post(f"work-orders/{order}/run", json={})
    api.post("standins/clock", json={"advance": "PT1M"})
    html = rowan.get(f"{site}/outbound-routes").text
    for words in (
        "by share: 70, 30 %",
        "Mon, Tue, Wed, Thu, Fri 09:00 to 17:00",
        "needs the right to make international calls",
        "at most 60 minutes a call, 500 minutes a day, 20 calls a day",
    ):
        assert words in html
    form = rowan.get(f"{site}/outbound-routes/1").text
    for value in ("70", "09:00", "17:00", "500", "ana@example.com", "international"):
        assert f'value="{value}"' in form
    changed = api.patch("outbound-routes/Abroad", json={"hours": None, "right": None}).json()
    assert (changed["routes"][0]["hours"], changed["routes"][0]["right"]) == (None, None)
    assert changed["routes"][0]["limits"]["calls_a_day"] == 20


def test_what_can_not_be_of_a_route_is_named(rowan):
    for wrong, field in (
        ({"share": ["70", "x"]}, "share"),
        ({"share": ["0", "0"]}, "shares"),
        ({"share": ["70", "20"]}, "shares"),
        ({"start": "nine"}, "start"),
        ({"start": "24:00"}, "start"),
        ({"end": "24:30"}, "end"),
        ({"weekdays": []}, "weekdays"),
        ({"end": "09:00"}, "weekdays"),
        ({"minutes_a_call": "2000"}, "minutes_a_call"),
        ({"minutes_a_call": "", "minutes_a_day": "", "calls_a_day": ""}, "minutes_a_day"),
        ({"told": "nobody"}, "told"),
        ({"right": "any"}, "right"),
        ({"destinations": "rate group, moon"}, "destinations"),
    ):
        answer = rowan.post("/outbound-routes", data=WHOLE | wrong, headers=HTMX)
        assert (answer.status_code, wrong) == (422, wrong)
        assert f'"field": "{field}"' in answer.headers["Sedge-Problem"]


def test_a_passed_limit_is_an_alarm_that_is_mailed(api):
    wish = {
        "name": "Abroad / dear",
        "destinations": ["international"],
        "trunks": ["leeds-a"],
        "limits": {"calls_a_day": 20, "told": "ana@example.com"},
    }
    settle(api, api.post("outbound-routes", json=wish).json())
    api.post("standins/clock", json={"advance": "PT1M"})
    alarms = [
        a for a in api.get("unusual-calls").json()["items"] if a["kind"] == "limit of a route"
    ]
    assert len(alarms) >= 1
    assert "20 are the limit" in alarms[0]["words"]
    settled = api.post(f"unusual-calls/{alarms[0]['id']}/settle", json={"why": "a campaign"})
    assert settled.status_code == 200, settled.text
    told = [m for m in api.get("standins/mailbox").json()["items"] if "ana@example.com" in m["to"]]
    assert [m["subject"] for m in told] == ["The limit of a route was passed"] * len(alarms)


def test_lines_and_sites_dial_too(api, reader):
    line = api.get("service-lines?limit=5").json()["items"][0]
    for who in ({"line": line["id"]}, {"site": "wharf-house"}):
        found = api.post("trace/outbound", json={**who, "dialled": "0131 496 0500"}).json()
        assert found["normalised"] == "+441314960500"
        assert found["ending"]["kind"] in {"reached", "rejected"}
    abroad = {"site": "wharf-house", "dialled": "00 49 30 23125 100"}
    reason = api.post("trace/outbound", json=abroad).json()["ending"]["reason"]
    assert "Wharf House has no right to make international calls" in reason
    assert api.post("trace/outbound", json={"dialled": "999"}).status_code == 422
    html = reader.get("/paths/out?person=Wharf+House&dialled=0131+496+0500").text
    assert "Wharf House</a> dials" in in_one_line(html)
