"""An organisation that has nothing yet, to its first phone that rings: at a carrier of each way of
supply."""

import re
import secrets

import pytest
from starlette.testclient import TestClient

from tests.api.test_organisations_api import SITE
from tests.api.test_resources import advance, get, post
from tests.web.test_pages import PAGES

FINDS_ITS_OWN = re.compile(r"^/[a-z/-]*$")  # no name of anything of the demo in it


def every_page(api, organisation):
    """Each page that names nothing opens, whatever the organisation has so far."""
    pages = TestClient(api.app, base_url="http://127.0.0.1:8420", follow_redirects=True)
    pages.post("/sign-in", data={"who": "rowan"})
    pages.post(f"/organisations/{organisation}/act")
    assert "Reedbed Archive" in pages.get("/").text
    found = {
        address: pages.get(address).status_code for address in PAGES if FINDS_ITS_OWN.match(address)
    }
    wrong = {address: status for address, status in found.items() if status not in {200, 404}}
    assert wrong == {}


BOSTON = {
    **SITE,
    "street": "Harborline Street",
    "house_number": "12",
    "city": "Boston",
    "postcode": "02110",
    "region": "Massachusetts",
}
AREAS = {"GB": "Leeds", "US": "Boston"}


@pytest.mark.parametrize(
    ("carrier", "country"), [("brackwater", "GB"), ("fellgate", "GB"), ("maplecourt", "US")]
)
def test_a_new_organisation_gets_to_its_first_phone(api, carrier, country):
    wanted = {
        "name": "Reedbed Archive",
        "country": country,
        "token": secrets.token_hex(4),
        "carriers": [carrier],
    }
    made = post(api, "organisations", wanted | (BOSTON if country == "US" else SITE))
    api.headers["Sedge-Organisation"] = made["id"]
    every_page(api, made["id"])
    site = get(api, "sites")["items"][0]["id"]
    [account] = [a["id"] for c in get(api, "carriers")["items"] for a in c.get("accounts", [])]
    assert api.put(f"sites/{site}/supply", json={"account": account}).status_code == 200
    if carrier == "fellgate":  # one's own trunk; the other comes with the account
        post(
            api,
            "trunks",
            {
                "name": "Own trunk",
                "carrier_account": account,
                "site": site,
                "host": "sbc.reedbed.example",
                "channels": 10,
            },
        )
    assert len(get(api, "trunks")["items"]) == 1
    if carrier == "brackwater":
        every_page(api, made["id"])
    spot = post(api, "spots", {"site": site, "floor": "Ground floor", "room": "Archive"})
    best = get(
        api,
        "supply/offers",
        country=country,
        area=AREAS[country],
        carrier=carrier,
        quantity=2,
        limit=1,
    )["items"][0]
    hold = post(api, "supply/holds", {"carrier_account": account, "numbers": best["numbers"]})
    wanted = {"reference": "First", "hold": hold["id"], "site": site}
    assert (
        "can only receive calls until money has been paid in"
        in post(api, "orders/plan", wanted)["stops"][0]
    )
    post(
        api,
        f"carrier-accounts/{account}/deposits",
        {"amount": "500.00"},
        **{"Idempotency-Key": "first"},
    )
    order = post(api, "orders", wanted)
    advance(api, "P3D")
    assert get(api, f"orders/{order['id']}")["state"] == "delivered"

    person = post(
        api, "people", {"name": "Petra Vogel", "email": "petra@reedbed.example", "site": site}
    )["id"]
    if carrier == "brackwater":
        every_page(api, made["id"])
    post(api, "devices", {"person": person, "kind": "desk phone", "name": "Desk"})
    main, own = best["numbers"]
    tasks = [
        {"kind": "assign_number", "number": main, "holder": {"kind": "site", "id": site}},
        {
            "kind": "assign_number",
            "number": own,
            "holder": {"kind": "person", "id": person},
            "spot": spot["code"],
        },
        {"kind": "place_test_call", "number": own},
    ]
    work = f"work-orders/{post(api, 'work-orders', {'title': 'First phone', 'tasks': tasks})['id']}"
    post(api, f"{work}/remedies")
    post(api, f"{work}/run")
    advance(api, "P2D")
    done = get(api, work)
    assert done["state"] == "done", [
        (t["words"], t["state"], t["waits_for"], t["error"]) for t in done["tasks"]
    ]
    card = get(api, f"numbers/{own}")
    assert (card["state"], card["holder"]["id"], card["spot"], len(card["proofs"])) == (
        "assigned",
        person,
        spot["code"],
        1,
    )
