"""Trunks on pages and through the interface."""

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from sedge.core.trunks.answers import Hour
from sedge.store.repositories import trunk_answers
from sedge.web.trunks.answers_picture import gap_words, gaps_of

TRUNK = "leeds-a"
HTMX = {"HX-Request": "true"}
FORM = {
    "name": "Leeds A",
    "host": "fellgate.example",
    "port": "",
    "transport": "tls",
    "outbound_proxy": "",
    "channels": "30",
    "sign_in": "register",
    "user": "lanternfield",
    "addresses": "",
    "codecs": "G722, PCMA",
    "dtmf": "RFC 4733",
    "session": "1800",
    "options_every": "60",
    "sends": "with plus",
    "expects": "with plus",
    "last_digits": "4",
    "identity_out": "P-Asserted-Identity",
    "identity_in": "From",
    "diversion": "Diversion",
}


def test_the_list_says_how_each_is_set_up(reader):
    html = reader.get("/carriers/trunks").text
    assert "not tested" in html
    assert "trust by address" in html
    assert "not set up" in html


def test_settings_that_cannot_be_read_are_named(rowan):
    for field, value in (
        ("host", "sip:fellgate.example"),
        ("port", "70000"),
        ("channels", "many"),
        ("codecs", "mp3"),
        ("addresses", "nowhere"),
        ("transport", "pigeon"),
        ("user", "a b"),
        ("send_rules", "49xx."),
    ):
        answer = rowan.post(
            f"/carriers/trunks/{TRUNK}/settings", data=FORM | {field: value}, headers=HTMX
        )
        assert answer.status_code == 422, field
        assert f'"field": "{field}"' in answer.headers["Sedge-Problem"]


@pytest.fixture
def signed_in(rowan, api):
    """The interface, and pages by their whole address, signed in as an administrator."""
    assert rowan is api
    return api


def page(client, path, method="GET", **sent):
    return client.request(method, f"{str(client.base_url).partition('/api')[0]}{path}", **sent)


def test_a_trunk_is_set_up_tested_and_handed_over(signed_in):
    api = signed_in
    made = api.patch(
        f"trunks/{TRUNK}",
        json=FORM | {"channels": 30, "session": 1800, "last_digits": 4, "options_every": 60},
    )
    assert made.status_code == 200, made.text
    api.post(f"work-orders/{made.json()['work_order']}/run", json={})
    api.post("standins/clock", json={"advance": "PT1M"})
    detail = api.get(f"trunks/{TRUNK}").json()
    assert (detail["settings"]["codecs"], detail["has_secret"]) == (["G722", "PCMA"], True)
    tested = api.post(f"trunks/{TRUNK}/test", json={}).json()
    assert [s["ok"] for s in tested["steps"]] == [True] * 8
    html = page(api, f"/carriers/trunks/{TRUNK}").text
    assert "Tested" in html
    assert "answered, with" in html
    sheet = api.get(f"trunks/{TRUNK}/sheet").json()
    assert sheet["parts"][0]["values"][0] == {
        "name": "Host",
        "text": "fellgate.example",
        "copy": "fellgate.example",
    }
    assert "tern-over" not in page(api, f"/carriers/trunks/{TRUNK}/sheet").text
    assert page(api, f"/carriers/trunks/{TRUNK}/sheet.pdf").content.startswith(b"%PDF")
    assert "+441134960100\r\n" in api.get(f"trunks/{TRUNK}/numbers.csv").text
    assert "+441134960100\n" in page(api, f"/carriers/trunks/{TRUNK}/numbers.txt").text


def test_some_numbers_are_sent_otherwise_and_calls_are_known_by_a_header(signed_in):
    api = signed_in
    rules = ["49xx. strip 2 put 0", "1xxxxxxxxxx put 00"]
    asked = {"send_rules": rules, "known_by": "header", "known_header": "X-Trunk: leeds-1"}
    made = api.patch(f"trunks/{TRUNK}", json=FORM | {"channels": 30} | asked)
    assert made.status_code == 200, made.text
    assert api.post(f"work-orders/{made.json()['work_order']}/run", json={}).status_code == 200
    api.post("standins/clock", json={"advance": "PT1M"})
    told = api.get(f"trunks/{TRUNK}").json()["settings"]
    assert told["send_rules"][0] == {
        "pattern": "49xx.",
        "strip": 2,
        "before": "0",
        "name": "",
    }
    assert (told["known_by"], told["known_header"]) == ("header", "X-Trunk: leeds-1")
    html = page(api, f"/carriers/trunks/{TRUNK}").text
    assert "2 rules" in html
    assert "X-Trunk: leeds-1" in html
    form = page(api, f"/carriers/trunks/{TRUNK}/settings").text
    assert f"/dial-plans/trunks/{TRUNK}" in form
    kept = api.patch(f"trunks/{TRUNK}", json={"channels": 20}).json()["work_order"]
    api.post(f"work-orders/{kept}/run", json={})
    api.post("standins/clock", json={"advance": "PT1M"})
    after = api.get(f"trunks/{TRUNK}").json()
    assert after["settings"]["send_rules"] == told["send_rules"], "what is not named stays"


def test_the_sites_it_serves_are_chosen_and_kept_when_values_are_pasted(signed_in):
    api = signed_in
    asked = {"serves": ["wharf-house", "canal-museum"], "user": "lanternfield"}
    made = api.patch(f"trunks/{TRUNK}", json=asked).json()["work_order"]
    ran = api.post(f"work-orders/{made}/run", json={})
    assert ran.status_code == 200, ran.text
    api.post("standins/clock", json={"advance": "PT1M"})
    assert "Canal Museum, Wharf House" in page(api, f"/carriers/trunks/{TRUNK}").text
    pasted = page(api, f"/carriers/trunks/{TRUNK}/pasted", "POST", data={"text": "port = 5070"})
    for form in (pasted.text, page(api, f"/carriers/trunks/{TRUNK}/settings").text):
        assert '<option value="canal-museum" selected>' in form
    sent = page(api, f"/carriers/trunks/{TRUNK}/settings", "POST", data=FORM | asked)
    assert "/work-orders/" in sent.headers["Location"]
    wrong = page(
        api, f"/carriers/trunks/{TRUNK}/settings", "POST", data=FORM | {"serves": ["moon"]}
    )
    assert wrong.status_code == 422
    assert "There is no site “moon”" in wrong.text


def test_a_secret_goes_in_and_never_out(signed_in):
    api = signed_in
    weak = api.put(f"trunks/{TRUNK}/secret", json={"secret": "password"})
    assert (weak.status_code, weak.json()["field"]) == (422, "secret")
    strong = "gannets-over-the-harbour-47"
    assert api.put(f"trunks/{TRUNK}/secret", json={"secret": strong}).status_code == 200
    made = api.post(f"trunks/{TRUNK}/new-secret", json={}).json()["secret"]
    assert len(made) >= 24
    shown = page(api, f"/carriers/trunks/{TRUNK}/new-secret", "POST").text
    assert "Shown this once" in shown
    for path in (f"/carriers/trunks/{TRUNK}", f"/carriers/trunks/{TRUNK}/settings", "/ledger"):
        html = page(api, path).text
        assert strong not in html
        assert made not in html


def test_how_carriers_fail_is_steered_on_the_panel(rowan):
    assert "fellgate.example" in rowan.get("/standins").text
    rowan.post("/standins/panel/sip", data={"domain": "fellgate.example", "fault": "503"})
    tried = rowan.post(f"/carriers/trunks/{TRUNK}/test", headers=HTMX | {"HX-Target": "links"})
    assert "Try again in 120 seconds" in tried.text
    rowan.post("/standins/panel/sip", data={"domain": "fellgate.example", "fault": ""})
    wrong = rowan.post("/standins/panel/sip", data={"domain": "fellgate.example", "fault": "moon"})
    assert wrong.status_code == 422


def test_channels_are_computed_and_drawn(reader):
    html = reader.get("/carriers/channels?load=20").text
    assert "30 channels" in html
    assert "Leeds A: 30" in html
    for query, says in (
        ("load=many", "is no number"),
        ("load=nan", "is no number"),
        ("load=1e9", "0 to 5,000"),
        ("load=5&blocking=0", "0.01 % to 50 %"),
        ("load=5&retries=99", "At most 95 %"),
    ):
        assert says in reader.get(f"/carriers/channels?{query}").text, query


def test_erlang_answers_through_the_interface(api):
    found = api.get("erlang", params={"load": 20}).json()
    assert (found["channels"], found["curve"][29] <= 0.01 < found["curve"][28]) == (30, True)
    assert api.get("erlang", params={"load": -1}).status_code == 422
    assert api.get("erlang", params={"load": "inf"}).status_code == 422


def test_pasted_values_fill_the_form_and_change_nothing(rowan):
    letter = "Host: sip.example.net\nPort: 5071\nUser: us\nSecret: heron-7-over-water\nDTMF: info"
    answer = rowan.post("/carriers/trunks/brackwater-berlin/pasted", data={"text": letter})
    html = " ".join(answer.text.split())
    assert "5 values recognised" in html
    assert 'name="host" type="text" value="sip.example.net"' in html
    assert 'name="port" type="text" value="5071"' in html
    assert '<option value="SIP INFO" selected>' in html
    assert "Secret: •••" in html
    assert "not set up" in rowan.get("/carriers/trunks").text
    spoilt = rowan.post(
        "/carriers/trunks/brackwater-berlin/pasted", data={"text": "host: a b\nport: 99999"}
    )
    assert "Not used: host: a b; port: 99999" in spoilt.text
    nothing = rowan.post("/carriers/trunks/brackwater-berlin/pasted", data={"text": "hello"})
    assert nothing.status_code == 422


def test_a_trunk_is_suspended_and_resumed_and_calls_follow(api):
    number = "+441134960100"
    before = api.post("trace/inbound", json={"number": number}).json()
    assert before["ending"]["kind"] == "answered"

    def moved(event):
        order = api.post(
            "work-orders",
            json={
                "title": event,
                "tasks": [{"kind": "move_trunk", "trunk": TRUNK, "event": event}],
            },
        ).json()
        api.post(f"work-orders/{order['id']}/run", json={})
        api.post("standins/clock", json={"advance": "PT1M"})
        return order

    warned = moved("suspend")
    levels = {c["rule"]: c["level"] for c in warned["checks"]}
    assert levels["trunk.numbers-on-it"] == "warn"
    assert levels["trunk.help-still-comes"] == "pass"
    after = api.post("trace/inbound", json={"number": number}).json()
    assert "is suspended" in after["ending"]["reason"]
    called = api.post("test-calls", json={"number": number, "direction": "in"}).json()
    assert called["matches_trace"], called
    again = moved("suspend")
    assert not again["runnable"]
    moved("resume")
    assert api.post("trace/inbound", json={"number": number}).json()["ending"]["kind"] == "answered"
    assert api.post("test-calls", json={"number": number, "direction": "in"}).json()[
        "matches_trace"
    ]
    retired = api.post(
        "work-orders",
        json={"title": "r", "tasks": [{"kind": "move_trunk", "trunk": TRUNK, "event": "retire"}]},
    ).json()
    assert not retired["runnable"]


def test_a_trunk_is_moved_from_its_page(rowan):
    assert "Suspend trunk" in rowan.get(f"/carriers/trunks/{TRUNK}").text
    drafted = rowan.post(
        f"/carriers/trunks/{TRUNK}/move", data={"event": "suspend"}, follow_redirects=True
    )
    assert "would reach nobody" in drafted.text
    assert rowan.post(f"/carriers/trunks/{TRUNK}/move", data={"event": "fly"}).status_code == 422


def test_a_week_of_answers_is_drawn_and_its_gaps_are_told(reader):
    html = reader.get("/carriers/trunks/brackwater-leeds").text
    assert "Answers in the last seven days: 98" in html
    assert "answers missing, " in html
    assert html.count('class="answers-none"') >= 1
    answers = reader.get("/api/v1/trunks/brackwater-leeds/answers").json()
    assert {hour["answered"] <= hour["asked"] for hour in answers["hours"]} == {True}
    assert "not asked" in reader.get("/carriers/trunks").text


@pytest.mark.parametrize(
    ("hours", "zone", "words"),
    [
        ([(8, 60, 0), (9, 60, 30)], "UTC", ["90 answers missing, Mon 5 Jan 08:00 to 10:00"]),
        (
            [(8, 60, 59), (9, 60, 60), (10, 60, 59)],
            "Europe/Berlin",
            [
                "1 answer missing, Mon 5 Jan 11:00 to 12:00",
                "1 answer missing, Mon 5 Jan 09:00 to 10:00",
            ],
        ),
        ([(22, 2, 1), (23, 2, 1)], "UTC", ["2 answers missing, Mon 5 Jan 22:00 to 00:00"]),
        (
            [(22, 2, 1), (23, 2, 1), (24, 2, 1)],
            "UTC",
            ["3 answers missing, Mon 5 Jan 22:00 to Tue 6 Jan 01:00"],
        ),
        ([(8, 60, 60)], "UTC", []),
    ],
)
def test_gaps_are_stretches_of_hours(hours, zone, words):
    monday = trunk_answers.hour_of(datetime(2026, 1, 5, tzinfo=UTC))
    found = [Hour(monday + hour, asked, answered, 5, 9) for hour, asked, answered in hours]
    assert [gap_words(gap, ZoneInfo(zone)) for gap in gaps_of(found)] == words


def test_a_trunk_between_our_own_systems_has_a_sheet_for_each_end(reader):
    html = reader.get("/holders/systems/alarm-server/sheets").text
    assert "Sheet for our telephone system" in html
    assert "voice.lanternfield.example" in html
    for end in ("ours", "theirs"):
        paper = reader.get(f"/holders/systems/alarm-server/sheets/{end}.pdf")
        assert paper.content.startswith(b"%PDF")
        sheet = reader.get(f"/api/v1/downstream-systems/alarm-server/sheets/{end}").json()
        assert [part["title"] for part in sheet["parts"]] == ["Where", "Numbers", "Sound"]
    assert reader.get("/holders/systems/alarm-server/sheets/others.pdf").status_code == 404
    assert "How far it has come" in reader.get("/carriers/trunks/brackwater-berlin").text
