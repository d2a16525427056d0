"""The gallery's remaining forty numbers: from a paste, through a rejection and a partial acceptance, to switched on their day."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import accessible, sign_in
from tests.browser.test_story import advance

pytestmark = [pytest.mark.browser, pytest.mark.xdist_group("browser")]


def run_it(page):
    page.get_by_role("button", name="Run").click()
    expect(page.locator(".pill").first).to_contain_text(re.compile("running|done"))


def signed_and_submitted(page, name):
    expect(page.get_by_role("heading", name="Port 1")).to_be_visible()
    page.get_by_label("Account holder").fill(name)
    page.get_by_label("PIN").fill("4471")
    page.get_by_label("Billing address").fill("7 Millwheel Yard, Bristol, BS1 6ZZ")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text(f"{name}, OQ-1184")).to_be_visible()
    page.get_by_label("Mandate signed by").fill("Imogen Vance")
    page.get_by_role("button", name="The mandate is signed").click()
    expect(page.locator(".pill").first).to_have_text("papers ready")
    page.get_by_role("button", name="Check and submit").click()
    expect(page.get_by_role("heading", name=re.compile("Submit port 1"))).to_be_visible()
    run_it(page)


def test_forty_numbers_are_moved_through_a_rejection_to_their_day(page):
    sign_in(page)
    page.goto("/ports")
    page.get_by_role("link", name="Move numbers here").first.click()
    page.get_by_label("Numbers, in any form").fill("0117 496 0800-0839")
    page.get_by_label("To the account").select_option(label="Fellgate Voice, Leeds")
    page.get_by_label("For the site").select_option(label="Wharf House")
    page.get_by_role("button", name="See what can move").click()
    expect(page.get_by_role("region", name="Old Quay Communications, OQ-1184")).to_contain_text("39 numbers of 40 can move")
    accessible(page)
    page.get_by_role("button", name="Begin with 39 numbers").click()
    signed_and_submitted(page, "Millwheel Gallery Ltd")
    advance(page, "P5D")
    page.goto("/")
    page.get_by_role("link", name="Put it right").first.click()
    expect(page.get_by_text("Write it word for word as on the bill")).to_be_visible()
    accessible(page)
    signed_and_submitted(page, "Millwheel Gallery Limited")
    advance(page, "P5D")
    page.goto("/ports")
    page.get_by_role("link", name="Port 1").click()
    expect(page.locator(".pill").first).to_have_text("accepted")
    expect(page.get_by_text("stays behind: not in service with us")).to_be_visible()
    page.get_by_role("button", name="Check and switch").click()
    run_it(page)
    advance(page, "P30D")
    page.goto("/ports")
    page.get_by_role("link", name="Port 1").click()
    expect(page.locator(".pill").first).to_have_text("activated")
    expect(page.get_by_role("row", name=re.compile("0117 496 0800"))).to_contain_text("available")
    accessible(page)


def test_a_bad_paste_is_answered_beside_its_field_and_kept(page):
    sign_in(page)
    page.goto("/ports/new")
    page.get_by_label("Numbers, in any form").fill("ring me")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="See what can move").press("Enter")
    expect(page.get_by_text("No number could be read")).to_be_visible()
    expect(page.get_by_label("Numbers, in any form")).to_have_value("ring me")
