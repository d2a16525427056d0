"""The pages of drawing: what is typed is kept or refused beside its field; every act of the picture
has a form without JavaScript."""

import json
import re

import pytest

from tests.formats.test_sounds import tone

HTMX = {"HX-Request": "true"}
BASE = "/paths/members-line/draw"


def version(rowan):
    return re.search(r'data-version="(\d+)"', rowan.get(BASE).text)[1]


def act(rowan, what, **data):
    answer = rowan.post(f"{BASE}/{what}", data={"version": version(rowan), **data}, headers=HTMX)
    assert answer.status_code == 200, answer.headers.get("Sedge-Problem", answer.text[:300])
    return answer.text


def refused(rowan, what, **data):
    answer = rowan.post(f"{BASE}/{what}", data={"version": version(rowan), **data}, headers=HTMX)
    problem = json.loads(answer.headers["Sedge-Problem"])
    return answer.status_code, problem["field"], problem["message"]


def test_a_step_is_added_and_chosen_and_can_be_taken_back(rowan):
    drawn = act(rowan, "add", step="menu-1", way_out="1", kind="announce")
    assert 'data-step="announce-1"' in drawn
    assert "<h2>Announce</h2>" in drawn
    assert 'data-step="announce-1"' not in act(rowan, "undo")
    assert 'data-step="announce-1"' in act(rowan, "redo")


def test_every_act_works_without_javascript(rowan):
    for what, data in (
        ("add", {"step": "menu-1", "way_out": "1", "kind": "ring"}),
        ("lead", {"step": "ring-1", "way_out": "busy", "to": "mailbox-1"}),
        ("begin-with", {"step": "menu-1"}),
        ("copy", {"step": "queue-2"}),
        ("paste", {"step": "ring-1", "way_out": "nobody reachable"}),
        ("move", {"step": "queue-3", "to": "ring-1", "way_out": "busy"}),
        ("insert", {"step": "ring-1", "to": "menu-1", "way_out": "2"}),
        ("remove", {"step": "ring-1"}),
        ("cut", {"step": "queue-1"}),
        ("undo", {}),
        ("name", {"name": "Members"}),
    ):
        answer = rowan.post(f"{BASE}/{what}", data={"version": version(rowan), **data})
        assert (what, answer.status_code, answer.headers.get("location", "")[: len(BASE)]) == (
            what,
            303,
            BASE,
        )
    assert "<h1>Members</h1>" in rowan.get(BASE).text


def test_a_step_comes_onto_a_line_and_leads_on(rowan):
    drawn = rowan.get(BASE).text
    plus = re.search(r'class="pm-plus" href="([^"]+)" data-on="menu-1" data-exit="1"', drawn)
    page = rowan.get(plus[1].replace("&amp;", "&")).text
    assert "<h2>Between " in page
    assert 'name="along" value="1"' in page
    assert 'value="mailbox"' not in page, "nothing can come after a mailbox"
    assert 'value="announce"' in page
    drawn = act(rowan, "add", step="menu-1", way_out="1", kind="announce", along="1")
    assert re.search(r'data-on="announce-1" data-exit="done" aria-label="Add a step between', drawn)
    taken = act(rowan, "insert", step="announce-1", to="menu-1", way_out="2")
    assert 'data-on="menu-1" data-exit="2" aria-label="Add a step between' in taken
    gone = rowan.get(f"{BASE}?step=menu-1&way_out=no+input&along=1").text
    assert "<h2>Between" not in gone or "leads on to" in gone


STEP = {
    "step": "menu-1",
    "title": "Menu",
    "greeting": "For a, press 1.",
    "language": "en",
    "key1": "1",
    "word1": "a",
    "wait_seconds": "5",
    "repeats": "2",
}


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"title": ""}, "title", "Give the step a name"),
        ({"key2": "1", "word2": "b"}, "key2", "Key 1 is used twice"),
        ({"key2": "x", "word2": "b"}, "key2", "one of 0 to 9"),
        ({"wait_seconds": "soon"}, "wait_seconds", "from 1 to 60"),
        ({"language": "klingon"}, "language", ""),
    ],
)
def test_a_menus_form_names_the_field_that_is_wrong(rowan, changes, field, words):
    status, named, message = refused(rowan, "step", **{**STEP, **changes})
    assert (status, named) == (422, field)
    assert words in message


HOURS = {
    "step": "hours-1",
    "title": "Hours",
    "timezone": "Europe/London",
    "days1": ["0", "1"],
    "from1": "09:00",
    "to1": "17:00",
}


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"from1": "9 o'clock"}, "from1"),
        ({"days1": []}, "from1"),
        ({"closed1": "2027-02-29"}, "closed1"),
        ({"closed1": "2026-12-24", "until1": "2026-12-01"}, "until1"),
        ({"timezone": "Europe/Leeds"}, "timezone"),
    ],
)
def test_an_hours_form_names_the_field_that_is_wrong(rowan, changes, field):
    assert refused(rowan, "step", **{**HOURS, **changes})[:2] == (422, field)


def test_hours_over_midnight_and_yearly_closures_are_kept(rowan):
    act(
        rowan,
        "step",
        **{
            **HOURS,
            "from1": "22:00",
            "to1": "04:00",
            "closed1": "2026-12-24",
            "until1": "2027-01-02",
            "yearly1": "1",
            "because1": "winter",
            "exit:open": "menu-1",
        },
    )
    page = rowan.get(f"{BASE}?step=hours-1&outline=1").text
    assert "Mon, Tue: 22:00 to 04:00" in page
    assert "closed 2026-12-24 to 2027-01-02, every year: winter" in page


@pytest.mark.parametrize(
    ("kind", "data", "field"),
    [
        ("forward", {"to": "0131 49", "seconds": "20"}, "to"),
        ("forward", {"to": "0151 496 0400", "seconds": "2"}, "seconds"),
        ("sip", {"address": "x", "seconds": ""}, "seconds"),
        ("ring", {"mobiles": "12", "seconds": "20"}, "mobiles"),
        (
            "queue",
            {"ring_seconds": "20", "most_waiting": "9999", "longest_wait": "60"},
            "most_waiting",
        ),
    ],
)
def test_other_steps_name_the_field_that_is_wrong(rowan, kind, data, field):
    act(rowan, "add", step="menu-1", way_out="1", kind=kind)
    step = re.search(rf'data-step="({kind}-\d+)"', rowan.get(BASE).text)[1]
    assert refused(
        rowan,
        "step",
        step=f"{kind}-1" if kind != "queue" else step,
        title="X",
        shown="caller",
        **data,
    )[:2] == (422, field)


def test_a_forward_takes_a_number_in_any_form(rowan):
    act(rowan, "add", step="menu-1", way_out="1", kind="forward")
    act(
        rowan,
        "step",
        step="forward-1",
        title="Liverpool",
        to="0151-496 0400",
        seconds="20",
        shown="number called",
    )
    assert "to 0151 496 0400" in rowan.get(BASE).text


def test_who_is_too_slow_sees_how_it_is_and_keeps_what_they_typed(rowan):
    old = version(rowan)
    act(rowan, "add", step="menu-1", way_out="1", kind="ring")
    answer = rowan.post(f"{BASE}/remove", data={"version": old, "step": "queue-1"}, headers=HTMX)
    assert answer.status_code == 200
    assert "has changed this drawing meanwhile" in answer.text
    typed = rowan.post(f"{BASE}/step", data={"version": old, **STEP}, headers=HTMX)
    assert (typed.status_code, json.loads(typed.headers["Sedge-Problem"])["message"][:16]) == (
        409,
        "Rowan Achterberg",
    )


def test_a_drawing_leads_to_a_work_order_and_can_be_thrown_away(rowan):
    order = rowan.post(f"{BASE}/publish", data={"version": version(rowan)})
    assert order.headers["location"].startswith("/work-orders/")
    assert "Publish Members" in rowan.get(order.headers["location"]).text
    assert rowan.post(f"{BASE}/discard").headers["location"] == "/paths"
    assert rowan.get(BASE).status_code == 404


def test_a_new_drawing_begins_from_a_pattern(rowan):
    made = rowan.post(
        "/paths/draw", data={"name": "Night desk", "site": "canal-museum", "pattern": "night-duty"}
    )
    assert made.headers["location"] == "/paths/night-desk/draw"
    assert "On duty" in rowan.get("/paths/night-desk/draw").text
    answer = rowan.post("/paths/draw", data={"name": "", "site": "canal-museum"}, headers=HTMX)
    assert json.loads(answer.headers["Sedge-Problem"])["field"] == "name"
    assert (
        rowan.post(
            "/paths/draw", data={"name": "X", "site": "canal-museum", "pattern": "fountain"}
        ).status_code
        == 422
    )


def test_a_call_is_decided_step_by_step(rowan):
    page = "/numbers/441134960200/follow?step_by_step=1&at=2026-11-24T11:20"
    assert "presses 1, visits" in rowan.get(page).text
    second = rowan.get(f"{page}&choices=1").text
    assert "nobody answers in time" in second
    assert "Ends: mailbox." in rowan.get(f"{page}&choices=1~waited too long").text


def test_a_followed_call_is_kept_from_the_page(rowan):
    kept = rowan.post(
        "/numbers/441134960200/keep-call",
        data={"name": "By day", "at": "2026-11-24T11:20", "presses": "1"},
    )
    assert kept.headers["location"] == "/paths/canal-front-desk/draw"
    assert "By day" in rowan.get(kept.headers["location"]).text


def test_sounds_come_in_and_are_played(rowan):
    sent = rowan.post(
        "/paths/sounds",
        data={"name": "Welcome", "text": "Welcome", "language": "en"},
        files={"sound": ("welcome.wav", tone(), "audio/wav")},
    )
    key = sent.headers["location"].partition("#")[2]
    played = rowan.get(f"/paths/sounds/{key}/sound")
    assert (played.headers["content-type"], played.content[:4]) == ("audio/wav", b"RIFF")
    fake = rowan.post(
        "/paths/sounds",
        data={"name": "Fake", "text": "x"},
        files={"sound": ("x.mp3", b"\x89PNG\r\n", "audio/mpeg")},
        headers=HTMX,
    )
    assert json.loads(fake.headers["Sedge-Problem"])["field"] == "sound"


def test_files_are_taken_along_and_brought_in(rowan):
    path = rowan.get("/paths/school-visits/path.json")
    assert path.headers["content-disposition"] == 'attachment; filename="school-visits.json"'
    read = rowan.post(
        "/paths/bring-in",
        data={"name": "Again", "site": "canal-museum"},
        files={"file": ("a.json", path.content)},
        headers=HTMX,
    )
    assert 'href="/paths/again/draw"' in read.text
    bad = rowan.post(
        "/paths/bring-in",
        data={"name": "Bad", "site": "canal-museum"},
        files={"file": ("a.json", b"nonsense")},
        headers=HTMX,
    )
    assert json.loads(bad.headers["Sedge-Problem"])["field"] == "file"
    assert "BEGIN:VCALENDAR" in rowan.get("/paths/school-visits/hours.ics").text
    assert rowan.get("/paths/wharf-front-desk/hours.ics").status_code == 422
    assert "urn:ietf:params:xml:ns:cpl" in rowan.get("/paths/school-visits/path.cpl").text


def test_answering_rules_are_set_by_a_work_order(rowan):
    page = "/holders/people/person-ifeoma-okafor/answering"
    sent = rowan.post(
        page,
        data={
            "ring_seconds": "20",
            "mobile": "07700 900 123",
            "then": "mobile",
            "days1": ["0"],
            "from1": "09:00",
            "to1": "12:00",
        },
    )
    assert "Answering rules of Ifeoma Okafor" in rowan.get(sent.headers["location"]).text
    for data, field in (
        ({"ring_seconds": "1"}, "ring_seconds"),
        ({"mobile": "12"}, "mobile"),
        ({"pickup": "nobody at all"}, "pickup"),
    ):
        answer = rowan.post(page, data={"ring_seconds": "20", **data}, headers=HTMX)
        assert json.loads(answer.headers["Sedge-Problem"])["field"] == field


@pytest.mark.parametrize(
    ("query", "words"),
    [
        ("ask=rings&person=Zz", "Nobody here is called that"),
        ("ask=names&number=12", "Too few digits"),
    ],
)
def test_questions_that_mean_nobody_are_answered_clearly(rowan, query, words):
    answer = rowan.get(f"/paths/questions?{query}")
    assert answer.status_code == 422
    assert words in answer.text


def ring_form(rowan, **changes):
    """The form of a ring step of three, in an order of their own and by rota."""
    act(rowan, "add", step="menu-1", way_out="1", kind="ring")
    page = rowan.get(f"{BASE}?step=ring-1").text
    people = re.findall(
        r'<option value="(person-[\w-]+)"', page.split('id="people"')[1].split("</select>")[0]
    )[:3]
    places = {f"place:{key}": str(3 - i) for i, key in enumerate(people)}
    form = {
        "step": "ring-1",
        "title": "On duty",
        "people": people,
        "seconds": "20",
        "order": "by rota",
        "rota_begins": "2026-01-05",
        "rota_days": "7",
        "rota_change": "8:00",
        "rota_timezone": "Europe/London",
        **places,
    }
    return people, {**form, **changes}


def test_a_rota_is_filled_in_with_swaps_and_says_who_is_on_duty(rowan):
    people, form = ring_form(rowan)
    act(rowan, "step", **form)
    page = act(
        rowan, "step", **form, swap_from1="2026-12-24", swap_to1="2026-12-26", swap1=people[0]
    )
    assert re.findall(r'name="place:([\w-]+)"', page) == people[::-1], (
        "in the order of their places"
    )
    assert f'<option value="{people[0]}" selected' in page.split('id="swap1"')[1]
    assert len(re.findall(r"from \w{3} \d+ \w{3} 08:00", page)) == 5
    assert "duty changes every 7 days at 08:00" in rowan.get(f"{BASE}?step=ring-1&outline=1").text


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"rota_begins": ""}, "rota_begins"),
        ({"rota_begins": "2026-02-30"}, "rota_begins"),
        ({"rota_change": "elevenses"}, "rota_change"),
        ({"rota_days": "0"}, "rota_days"),
        ({"swap1": "person-x", "swap_from1": "soon"}, "swap_from1"),
        ({"swap1": "person-x", "swap_from1": "2026-12-24", "swap_to1": "2026-12-23"}, "swap_to1"),
        ({"rota_timezone": "Leeds"}, "rota_timezone"),
    ],
)
def test_what_is_wrong_in_a_rota_is_said_beside_its_field(rowan, changes, field):
    _, form = ring_form(rowan, **changes)
    assert refused(rowan, "step", **form)[:2] == (422, field)


def test_an_address_of_a_drawing_that_is_done_with_leads_to_the_path(client, context):
    client.post("/sign-in", data={"who": context.who.sign_in})
    answer = client.get("/paths/canal-front-desk/draw")
    assert (answer.status_code, answer.headers["location"]) == (303, "/paths/canal-front-desk")
    assert client.get("/paths/no-such-path/draw").status_code == 404


def test_a_menus_new_key_leads_somewhere_at_once_and_a_changed_one_still_does(rowan):
    act(rowan, "step", **{**STEP, "key2": "7", "word2": "b", "lead1": "hours-1", "lead2": "menu-1"})
    page = rowan.get(f"{BASE}?step=menu-1").text
    assert '<option value="menu-1" selected>Menu again</option>' in page
    other = act(rowan, "step", **{**STEP, "key1": "8", "lead1": "hours-1"})
    rows = re.search(r'name="key1".*?</select>', other, re.DOTALL).group(0)
    assert 'value="8"' in rows
    assert re.search(r'<option value="hours-1" selected>', rows)
    assert 'name="exit:8"' not in other
    assert 'name="exit:no input"' in other
