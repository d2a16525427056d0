"""A form whose change runs at once, or leads to its work order: the pages of it."""

import re
from urllib.parse import parse_qs, urlsplit

import pytest

from sedge.core.supply.offers import Wish
from sedge.services.supply import stock_search
from tests.conftest import in_one_line

HERE = "/holders/people/person-ifeoma-okafor"
NEWCOMER = {"name": "Maya Lind", "email": "maya@lanternfield.example", "site": "wharf-house"}

KNOWN = {"email": "ifeoma.okafor@lanternfield.example", "extension": "100"}


@pytest.fixture
def signed_in(client):
    client.post("/sign-in", data={"who": "rowan"})
    return client


def send(client, address, **form):
    return client.post(address, data=form, follow_redirects=False).headers["location"]


def page(client, address):
    return in_one_line(client.get(address).text)


def free_offers(text):
    return re.findall(r'data-fill="number"\s+data-value="([^"]+)"', text)


def test_a_newcomer_has_a_number_after_two_forms(signed_in):
    to = send(signed_in, "/holders/people", **NEWCOMER, spot="WHF-005-C", then="number")
    assert to.startswith("/work-orders/new/assign?person=person-")
    form = page(signed_in, to)
    offered = free_offers(form)
    assert f'value="{offered[0]}"' in form
    assert "Order a number for Maya Lind" in form
    holder = "person:" + to.split("person=")[1]
    there = send(signed_in, "/work-orders/new/assign", number=offered[0], holder=holder, now="1")
    assert re.fullmatch(r"/holders/people/person-\w+\?done=\d+", there)
    shown = page(signed_in, there)
    assert offered[0] in shown
    order = there.split("done=")[1]
    notice = page(signed_in, f"/work-orders/{order}/notice")
    assert f"{offered[0]} for Maya Lind:</b> done" in notice
    assert f'action="/work-orders/{order}/undo"' in notice


def test_the_phone_a_newcomer_was_to_have_is_set_up_with_the_number(signed_in):
    to = send(
        signed_in,
        "/holders/people",
        **NEWCOMER,
        spot="WHF-005-C",
        phone="soft phone",
        then="number",
    )
    form = page(signed_in, to)
    assert 'name="phone" value="soft phone" checked' in form
    person = re.search(r"person=([\w-]+)", to)[1]
    sent = {"number": free_offers(form)[0], "holder": f"person:{person}", "now": "1"}
    there = send(signed_in, "/work-orders/new/assign", **sent, phone="soft phone")
    assert "soft phone" in page(signed_in, there)
    assert "soft phone" not in page(signed_in, "/work-orders/new/assign?phone=soft+phone&line=x")
    assert "kettle" not in page(signed_in, f"/work-orders/new/assign?person={person}&phone=kettle")


def test_without_the_first_button_it_is_reviewed(signed_in):
    to = send(signed_in, f"{HERE}/change", name="Ifeoma Okafor-Reyes", **KNOWN)
    assert re.fullmatch(r"/work-orders/\d+", to)
    to = send(signed_in, f"{HERE}/change", name="Ifeoma Okafor-Reyes", **KNOWN, now="1")
    assert re.fullmatch(HERE + r"\?done=\d+", to)
    assert "Ifeoma Okafor-Reyes" in page(signed_in, to)


def test_what_is_in_doubt_is_reviewed_all_the_same(signed_in):
    holder = "person:person-fergus-brandt"
    to = send(signed_in, "/work-orders/new/assign", number="0113 496 0100", holder=holder, now="1")
    assert re.fullmatch(r"/work-orders/\d+", to)
    assert "draft" in page(signed_in, to)


def test_a_first_day_is_waited_for(signed_in):
    free = free_offers(page(signed_in, "/choose/numbers?holder=person:person-ifeoma-okafor"))[0]
    to = send(
        signed_in,
        "/work-orders/new/assign",
        number=free,
        holder="person:person-ifeoma-okafor",
        role="extra",
        starts="2026-12-01",
        now="1",
    )
    order = re.search(r"\d+$", to).group()
    assert "scheduled" in page(signed_in, f"/work-orders/{order}/notice") or "draft" in page(
        signed_in, f"/work-orders/{order}"
    )
    assert "It begins" in page(signed_in, f"/work-orders/{order}")


@pytest.mark.parametrize("done", ["x", "-1", "12345678901", "1<b>", "٣"])
def test_a_notice_is_of_a_work_order_only(signed_in, done):
    assert 'id="order-notice"' not in page(signed_in, f"{HERE}?done={done}")


def test_a_notice_of_none_is_said_to_be_none(signed_in):
    assert signed_in.get("/work-orders/999999/notice").status_code == 404


def test_offers_are_asked_for_whoever_is_chosen(signed_in):
    assert free_offers(page(signed_in, "/choose/numbers?holder=person:person-ifeoma-okafor"))
    assert free_offers(page(signed_in, "/choose/numbers")) == []
    assert signed_in.get("/choose/numbers?holder=person:nobody").status_code == 404
    assert signed_in.get("/choose/numbers?holder=ghost:1").status_code == 422


def test_a_number_is_ordered_for_the_one_who_lacks_it(signed_in):
    to = send(signed_in, "/holders/people", **NEWCOMER)
    person = to.removeprefix("/holders/people/")
    address = f"/supply/for-site?site=wharf-house&person={person}"
    asked = signed_in.get(address, follow_redirects=False).headers["location"]
    assert f"joiners={person}" in asked
    assert "quantity=1" in asked
    many = signed_in.get("/supply/for-site?site=wharf-house&joiners=1", follow_redirects=False)
    assert "joiners=1" in many.headers["location"]


def test_the_phone_chosen_for_a_newcomer_is_set_up_by_the_order_too(signed_in, context):
    to = send(signed_in, "/holders/people", **NEWCOMER, phone="desk phone", then="number")
    form = page(signed_in, to)
    person = parse_qs(urlsplit(to).query)["person"][0]
    order = f"/supply/for-site?site=wharf-house&amp;person={person}&amp;phone=desk+phone"
    assert order in form
    found = signed_in.get(order.replace("&amp;", "&"), follow_redirects=False).headers["location"]
    search = page(signed_in, found)
    assert '<input type="hidden" name="phone" value="desk phone">' in search
    offers = stock_search.one(context, Wish("GB", area="Leeds", quantity=1), "brackwater")
    account, numbers = offers.account.id, offers.offers[0].numbers[0].e164
    asked = {"site": "wharf-house", "joiners": person, "phone": "desk phone"}
    held = send(signed_in, "/supply/holds", account=account, numbers=numbers, **asked)
    assert '<option value="desk phone" selected>' in page(signed_in, held)
    assert "Set up a desk phone" in in_one_line(page(signed_in, held))


def test_the_card_leads_to_what_it_names(signed_in):
    card = page(signed_in, "/numbers/441134960100/card")
    for href in (HERE, "/safety/spots/", "/carriers/accounts/", "/carriers/trunks/"):
        assert f'<a href="{href}' in card
    assert 'href="/work-orders/new/route-calls?number=441134960100"' in card


def test_people_and_groups_can_be_rung(signed_in):
    found = page(signed_in, "/choose/holders?field=callee&who=learning")
    assert 'value="group:' in found
    assert 'value="site:' not in found
