"""Outbound routes on pages and through the interface."""

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
