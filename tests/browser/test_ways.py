"""One's way by keys, the finder as a combobox, and pages that follow changes by themselves."""

import re

import pytest
from playwright.sync_api import expect

from sedge.core.changes import changed
from sedge.core.records import Subject, Trunk
from sedge.demo.seed import MEMBERS
from sedge.services import remembering
from sedge.web.shared.rendering import LETTERS, PLACES
from tests.browser.conftest import accessible, sign_in

pytestmark = pytest.mark.browser
HEADERS = {"Authorization": "Bearer demo"}


def draft(page, number, title):
    tasks = [
        {
            "kind": "assign_number",
            "number": number,
            "holder": {"kind": "person", "id": "person-ifeoma-haddad"},
        }
    ]
    answer = page.request.post(
        "/api/v1/work-orders", data={"title": title, "tasks": tasks}, headers=HEADERS
    )
    assert answer.status == 201


def test_a_letter_after_g_leads_to_each_place(page):
    sign_in(page)
    for key, _, href, _ in PLACES:
        page.keyboard.press("g")
        page.keyboard.press(LETTERS[key])
        page.wait_for_url(f"**{href}")
        expect(page.locator(".places [aria-current=page]")).to_have_attribute("href", href)


def test_every_number_is_tested_for_emergency_calls_in_three_keys(page):
    sign_in(page)
    page.goto("/ledger")
    page.keyboard.press("g")
    page.keyboard.press("e")
    page.wait_for_url("**/safety/tests#test-now")
    expect(page.get_by_role("button", name="Test now")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=re.compile("Emergency test"))).to_be_visible()


def test_the_finder_is_a_combobox_whose_focus_stays_in_the_field(page):
    sign_in(page)
    page.keyboard.press("/")
    field = page.get_by_role("combobox", name="Find a number, person, site, order or page")
    expect(field).to_be_focused()
    expect(field).to_have_attribute("aria-expanded", "false")
    page.keyboard.type("okafor")
    options = page.get_by_role("listbox", name="Found").get_by_role("option")
    expect(options.first).to_be_visible()
    expect(field).to_have_attribute("aria-expanded", "true")
    expect(options.first).to_have_attribute("aria-selected", "true")  # what Enter opens
    page.keyboard.press("ArrowDown")
    expect(options.nth(1)).to_have_attribute("aria-selected", "true")
    expect(field).to_have_attribute("aria-activedescendant", options.nth(1).get_attribute("id"))
    expect(field).to_be_focused()
    accessible(page)
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowUp")
    expect(options.last).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Escape")
    expect(field).to_have_attribute("aria-expanded", "false")


def test_a_name_and_enter_open_what_is_called_so(page):
    sign_in(page)
    page.keyboard.press("/")
    page.keyboard.type("ifeoma okafor")
    page.keyboard.press("Enter")  # before or after the list is there
    expect(page.get_by_role("heading", name="Ifeoma Okafor")).to_be_visible()


def test_all_open_pages_hear_of_a_change_over_one_stream(page):
    sign_in(page)
    others = [page.context.new_page() for _ in range(7)]  # a browser keeps six connections
    for other in others:
        other.goto("/")
    draft(page, "0113 496 0311", "Heard everywhere")
    for one in (page, *others):
        one.bring_to_front()
        expect(one.get_by_text("2 work orders are drafts")).to_be_visible()


def test_the_count_of_today_follows_what_changes_though_no_page_waits_for_it(
    page, served, monkeypatch
):
    sign_in(page)
    page.goto("/licences")
    badge = page.locator(".places a[href='/'] .badge-count")
    before = int(badge.inner_text().split()[0])
    monkeypatch.setattr(
        remembering, "ASIDE_SECONDS", 3600.0
    )  # what a page is given stays as it was
    trunk = page.request.get("/api/v1/trunks", headers=HEADERS).json()["items"][0]
    with served.installation.context(MEMBERS[0]).writing(reason="broke") as writing:
        found = writing.records.the(Trunk, trunk["id"])
        writing.save([changed(Subject.TRUNK, found, found.copy_with(up=False), "trunk.seen")])
    expect(badge).to_contain_text(str(before + 1))  # the open page hears of it
    page.goto("/carriers")
    expect(badge).to_contain_text(str(before + 1))  # and so does one that came with the old count


def test_what_has_the_focus_keeps_it_when_the_page_is_drawn_anew(page):
    sign_in(page)
    link = page.get_by_role("link", name=re.compile("Complete the list"))
    link.focus()
    link.evaluate("element => element.dataset.seen = 'the same'")
    draft(page, "0113 496 0311", "Drawn anew")
    expect(page.get_by_text("2 work orders are drafts")).to_be_visible()
    expect(link).to_be_focused()
    assert link.evaluate("element => document.body.contains(element)") is True
