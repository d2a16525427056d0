"""Session border controllers on pages and through the interface."""

HTMX = {"HX-Request": "true"}
FORM = {
    "key": "",
    "name": "Edge three",
    "site": "wharf-house",
    "host": "voice.lanternfield.example",
    "port": "",
    "transport": "tls",
    "addresses": "127.0.0.1",
    "domain": ["voice.lanternfield.example", ""],
    "proof": ["sedge-owner=lanternfield", ""],
    "proof_at": ["_sip-owner.voice.lanternfield.example", ""],
    "group": "",
    "order": "1",
    "weight": "50",
}


def test_an_sbc_is_listed_with_what_ends_at_it(reader):
    html = reader.get("/carriers/sbcs").text
    assert "Edge one" in html
    assert "order 2, weight 50" in html
    html = reader.get("/carriers/sbcs/edge-one").text
    assert "Leeds A" in html
    assert "sedge-owner=lanternfield" in html
    assert "Ends at our SBC" in reader.get("/carriers/trunks/leeds-a").text
    assert "Our SBC" in reader.get("/carriers/trunks/leeds-a/sheet").text


def test_one_is_added_by_a_draft_and_tested(rowan):
    draft = rowan.post("/carriers/sbcs", data=FORM, follow_redirects=True)
    assert "Add SBC Edge three" in draft.text
    for wrong, field in (
        ({"host": ""}, "host"),
        ({"order": "0"}, "order"),
        ({"site": "nowhere"}, "site"),
        ({"transport": "smoke"}, "transport"),
        ({"proof": ["x" * 300, ""]}, "proof"),
    ):
        answer = rowan.post("/carriers/sbcs", data=FORM | wrong, headers=HTMX)
        assert (answer.status_code, wrong) == (422, wrong)
        assert f'"field": "{field}"' in answer.headers["Sedge-Problem"]
    tested = rowan.post("/carriers/sbcs/edge-one/test", follow_redirects=True)
    assert "Proof of voice.lanternfield.example" in tested.text
    retired = rowan.post("/carriers/sbcs/edge-two/retire", follow_redirects=True)
    assert "Nothing ends at this SBC" in retired.text


def test_programs_set_one_up_and_test_it(api):
    asked = {
        "name": "Edge five",
        "site": "wharf-house",
        "host": "spare.lanternfield.example",
        "addresses": "127.0.0.1",
        "group": "Leeds edge",
        "order": 3,
    }
    made = api.post("sbcs", json=asked)
    assert made.status_code == 201, made.text
    assert api.post(f"work-orders/{made.json()['work_order']}/run", json={}).status_code == 200
    api.post("standins/clock", json={"advance": "PT1M"})
    found = {x["name"]: x for x in api.get("sbcs").json()["items"]}
    assert found["Edge five"]["group_turn"] == ["edge-one", "edge-two", found["Edge five"]["id"]]
    tested = api.post(f"sbcs/{found['Edge five']['id']}/test", json={}).json()
    assert {link["ok"] for link in tested["links"]} == {True}
    changed = api.put(f"sbcs/{found['Edge five']['id']}", json=asked | {"weight": 10})
    assert changed.status_code == 200
    assert api.post(f"sbcs/{found['Edge five']['id']}/retire", json={}).status_code == 200
    assert api.get("sbcs/nowhere").status_code == 404
