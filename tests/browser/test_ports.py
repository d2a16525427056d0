"""The gallery's remaining forty numbers: from a paste, through a rejection and a partial
acceptance, to switched on their day."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import accessible, sign_in
from tests.browser.test_story import advance

pytestmark = pytest.mark.browser


def run_it(page):
    page.get_by_role("button", name="Run").click()
    expect(page.locator(".pill").first).to_contain_text(re.compile("running|done"))


def signed_and_submitted(page, name):
    expect(page.get_by_role("heading", name="Port 2")).to_be_visible()
    page.get_by_label("Account holder").fill(name)
    page.get_by_label("PIN").fill("4471")
    page.get_by_label("Billing address").fill("7 Millwheel Yard, Bristol, BS1 6ZZ")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text(f"{name}, OQ-1184")).to_be_visible()
    page.get_by_label("Mandate signed by").fill("Imogen Vance")
    page.get_by_role("button", name="The mandate is signed").click()
    expect(page.locator(".pill").first).to_have_text("papers ready")
    page.get_by_role("button", name="Check and submit").click()
    expect(page.get_by_role("heading", name=re.compile("Submit port 2"))).to_be_visible()
    run_it(page)


def test_forty_numbers_are_moved_from_a_paste_to_proven(page):
    sign_in(page)
    page.goto("/ports")
    page.get_by_role("link", name="Move numbers here").first.click()
    page.get_by_label("Numbers, in any form").fill("0117 496 0800-0839")
    page.get_by_label("To the account").select_option(label="Fellgate Voice, Leeds")
    page.get_by_label("For the site").select_option(label="Millwheel Gallery")
    page.get_by_role("button", name="Check numbers").click()
    expect(page.get_by_role("region", name="Old Quay Communications, OQ-1184")).to_contain_text(
        "39 numbers of 40 can move"
    )
    accessible(page)
    page.get_by_role("button", name="Begin with 39 numbers").click()
    signed_and_submitted(page, "Millwheel Gallery Ltd")
    advance(page, "P5D")
    page.goto("/")
    page.get_by_role("link", name="Fix").last.click()
    expect(page.get_by_text("Write it word for word as on the bill")).to_be_visible()
    accessible(page)
    signed_and_submitted(page, "Millwheel Gallery Limited")
    advance(page, "P5D")
    page.goto("/ports")
    page.get_by_role("link", name="Port 2").click()
    expect(page.locator(".pill").first).to_have_text("accepted")
    expect(page.get_by_text("stays behind: not in service with us")).to_be_visible()
    holders_are_chosen(page)
    page.get_by_role("link", name="Run sheet").click()
    expect(page.get_by_role("row", name=re.compile("0117 496 0806"))).to_contain_text(
        "Hattie Brandreth"
    )
    accessible(page)
    page.get_by_label("Breadcrumb").get_by_role("link", name="Port 2").click()
    page.get_by_role("button", name="Check and switch").click()
    expect(page.get_by_role("heading", name=re.compile("Switch port 2"))).to_be_visible()
    run_it(page)
    advance(page, "P30D")
    page.goto("/ports")
    page.get_by_role("link", name="Port 2").click()
    expect(page.locator(".pill").first).to_have_text("activated")
    expect(page.get_by_role("row", name=re.compile("0117 496 0806"))).to_contain_text("tested")
    expect(page.get_by_role("row", name=re.compile("0117 496 0830"))).to_contain_text("nobody yet")
    page.get_by_role("link", name="Give out those that are free").click()
    expect(page.get_by_label("Ranges or numbers")).to_have_value(
        re.compile(r"\+441174960823 to \+441174960837")
    )
    page.go_back()
    accessible(page)
    page.get_by_role("button", name="Close the port").click()
    expect(page.locator(".pill").first).to_have_text("closed")


def holders_are_chosen(page):
    """Those that are sure are taken, one is typed, and a wrong name is answered beside its
    field."""
    page.get_by_role("link", name="Choose holders").click()
    page.get_by_role("button", name=re.compile("Take the .* proposals")).click()
    expect(page.get_by_label("Who has 0117 496 0806")).to_have_value("Hattie Brandreth")
    accessible(page)
    page.get_by_label("Who has 0117 496 0805").fill("Rufus Toliver the Second")
    page.get_by_role("button", name="Save holders", exact=True).click()
    expect(page.get_by_text("Nobody here is called that")).to_be_visible()
    page.get_by_label("Who has 0117 496 0805").fill("Rufus Tolliver")
    page.get_by_label("Call path of 0117 496 0800").select_option(
        label="Millwheel Gallery front of house"
    )
    page.get_by_role("button", name="Save holders", exact=True).click()
    expect(page.get_by_text("which is much like it")).to_have_count(1)
    page.get_by_label("Breadcrumb").get_by_role("link", name="Port 2").click()


def test_the_calendar_keeps_days_free(page):
    sign_in(page)
    page.goto("/ports/calendar")
    page.get_by_label("From", exact=True).fill("2027-01-11")
    page.get_by_label("Why", exact=True).fill("stock-taking")
    page.get_by_role("button", name="Save days").click()
    expect(page.get_by_role("row", name=re.compile("stock-taking"))).to_contain_text("everywhere")
    accessible(page)
    page.get_by_role("button", name="Give back: stock-taking").press("Enter")
    expect(page.get_by_role("row", name=re.compile("stock-taking"))).to_have_count(0)


def test_a_bad_paste_is_answered_beside_its_field_and_kept(page):
    sign_in(page)
    page.goto("/ports/new")
    page.get_by_label("Numbers, in any form").fill("ring me")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Check numbers").press("Enter")
    expect(page.get_by_text("No number could be read")).to_be_visible()
    expect(page.get_by_label("Numbers, in any form")).to_have_value("ring me")
