"""An installation that has nothing outside, no carrier's interface, no telephone system, no
register, no mail: from nothing to the first tested phone, by paper and by hand."""

import pytest
from starlette.testclient import TestClient

from sedge.app import open_installation
from sedge.outside.outside import Addresses, at_addresses
from sedge.services import mail
from sedge.services.access import access, first_run, members, tokens
from sedge.services.access.first_run import First
from sedge.services.access.tokens import Wish
from sedge.services.today.first_steps import first_steps
from sedge.services.workorders import runner
from sedge.settings import Settings
from sedge.web.routing import COOKIE
from tests.api.test_from_nothing import FINDS_ITS_OWN
from tests.api.test_resources import get, post
from tests.conftest import serving
from tests.web.test_pages import PAGES

FRESH = "otter kettle orbit nineteen"
SITE = {
    "name": "Main Library",
    "code": "LIB",
    "security_desk": "porter@reedham.example",
    "civic_address": {
        "country": "GB",
        "street": "Wharf Street",
        "house_number": "4",
        "city": "Leeds",
        "postcode": "LS2 7EQ",
    },
}
NUMBERS = "number\n+441134960801\n+441134960802\n"


@pytest.fixture
def own(tmp_path):
    """A real house on an empty folder, and a program that acts for its administrator."""
    settings = Settings(data=tmp_path / "data", durable=False, runner=False)
    installation = open_installation(
        settings, lambda callback: at_addresses(Addresses(), callback=callback)
    )
    first = First("Reedham Libraries", "GB", "Ada Marsh", "ada@reedham.example", FRESH, FRESH)
    member = first_run.set_up(installation, first)
    made = tokens.make(installation.context(member), Wish("setting up", member.role, 1))
    with (
        serving(installation) as app,
        TestClient(app, base_url="http://127.0.0.1:8420/api/v1/") as api,
    ):
        api.headers["Authorization"] = f"Bearer {made.secret}"
        yield api, installation, installation.context(member)
    installation.close()


def until_done(installation):
    for _ in range(20):
        if not runner.tick(installation):
            return


def test_from_nothing_to_a_tested_phone_by_paper_and_by_hand(own):
    api, installation, context = own
    assert {step.key for step in first_steps(context).steps if step.done} == set()
    refused = api.post("sites", json=SITE)
    assert refused.status_code == 422
    assert "No address register is connected" in refused.json()["detail"]
    site = post(api, "sites", SITE | {"accepted": True})["id"]
    terms = {"name": "Harbour Telecom", "countries": "GB", "supply_model": "own trunk"}
    carrier = post(api, "carriers", terms)["id"]
    account = post(api, f"carriers/{carrier}/first-account", {"name": "Main"})["id"]
    assert api.put(f"sites/{site}/supply", json={"account": account}).status_code == 200
    trunk = {
        "name": "Harbour",
        "carrier_account": account,
        "site": site,
        "host": "sip.harbour.example",
        "channels": 4,
    }
    post(api, "trunks", trunk)
    spot = post(api, "spots", {"site": site, "floor": "Ground floor", "room": "Desk"})["code"]
    brought = api.post(
        f"imports/numbers?site={site}&account={account}&price=1.20",
        content=NUMBERS,
        headers={"Content-Type": "text/csv"},
    ).json()
    assert brought["found"]["new"] == 2
    until_done(installation)
    person = post(
        api, "people", {"name": "Petra Vogel", "email": "petra@reedham.example", "site": site}
    )["id"]
    post(api, "devices", {"person": person, "kind": "desk phone", "name": "Desk"})
    main, own_number = "+441134960801", "+441134960802"
    tasks = [
        {"kind": "assign_number", "number": main, "holder": {"kind": "site", "id": site}},
        {
            "kind": "assign_number",
            "number": own_number,
            "holder": {"kind": "person", "id": person},
            "spot": spot,
        },
    ]
    work = f"work-orders/{post(api, 'work-orders', {'title': 'First phone', 'tasks': tasks})['id']}"
    post(api, f"{work}/remedies")
    post(api, f"{work}/run")
    until_done(installation)
    done = get(api, work)
    assert done["state"] == "done", [
        (t["words"], t["waits_for"], t["error"]) for t in done["tasks"]
    ]
    placed = api.post("test-calls", json={"number": own_number})
    assert placed.status_code == 409
    assert "note what you heard" in placed.json()["detail"]
    noted = {"number": own_number, "direction": "in", "ok": True, "heard": "Petra answered"}
    proof = post(api, "test-calls/own", noted)
    assert proof["heard"] == "Ada Marsh (setting up) called by hand: Petra answered"
    assert proof["by"] == "Ada Marsh (setting up)"  # nothing was compared, and nothing claimed
    assert first_steps(context) is None


def test_no_page_breaks_where_nothing_is_outside(own):
    api, installation, context = own
    installation.settings = installation.settings.model_copy(update={"second_factor_roles": ()})
    with TestClient(api.app, base_url="http://127.0.0.1:8420", follow_redirects=True) as pages:
        pages.cookies.set(COOKIE, access.open_session(installation, context.who))
        found = {a: pages.get(a).status_code for a in PAGES if FINDS_ITS_OWN.match(a)}
        assert "Ada Marsh" in pages.get("/").text
    assert len(found) > 60
    assert {a: status for a, status in found.items() if status not in {200, 404}} == {}


def test_what_is_asked_of_nobody_says_so_and_what_to_do_instead(own):
    api, _installation, context = own
    told = {
        path: api.post(path, json=body)
        for path, body in {
            "directory/pull": {},
            "civic-addresses/recheck": {},
        }.items()
    }
    assert "Import people from a file instead" in told["directory/pull"].json()["detail"]
    assert told["civic-addresses/recheck"].status_code == 200


def test_letters_are_kept_until_there_is_a_mail_server(own):
    api, installation, context = own
    ben = {"name": "Ben", "email": "ben@reedham.example", "role": "observer"}
    link = post(api, "members", ben)["link"]
    token = link.rpartition("/")[2]
    assert members.welcome(installation, token).name == "Ben"  # to be handed over by who invites
    until_done(installation)
    assert mail.standing(context) == mail.Post(waiting=1, given_up=0, last_problem="")
