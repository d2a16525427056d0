"""The Hamburg hall is closed, a request of another carrier refused, and drift put right, as an
administrator does it."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import accessible, sign_in
from tests.browser.test_story import advance

pytestmark = pytest.mark.browser


def test_the_hamburg_hall_is_closed(page):
    sign_in(page)
    page.goto("/holders/sites/harbour-loft")
    page.get_by_text("Actions", exact=True).click()
    page.get_by_role("link", name="Close the site").click()
    expect(page.get_by_text("40 numbers: 9 assigned, 31 available")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("Release them now"))).to_contain_text("€304")
    accessible(page)
    page.get_by_label("Aging days").fill("a while")
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_text("Aging days are a number")).to_be_visible()
    page.get_by_label("Aging days").fill("30")
    page.get_by_label("Its people").select_option(label="leave: noted as gone")
    page.get_by_role("button", name="Review work order").click()
    expect(
        page.get_by_role("heading", name=re.compile("Close Harbour Loft: 40 numbers"))
    ).to_be_visible()
    page.get_by_role("button", name="Run").click()
    advance(page, "PT1H")
    page.goto("/numbers/494066969701")
    expect(page.get_by_text("aging").first).to_be_visible()
    advance(page, "P31D")
    page.goto("/holders/sites/harbour-loft/close")
    expect(page.get_by_text("No number is left to release")).to_be_visible()
    accessible(page)


def test_a_number_is_retired_with_the_keyboard(page):
    sign_in(page)
    page.goto("/numbers/494066969702/retire")
    expect(page.get_by_text("is left without any number")).to_be_visible()
    accessible(page)
    page.get_by_label("Release it now").press("Space")
    page.get_by_role("button", name="Review work order").press("Enter")
    expect(page.get_by_role("heading", name="Retire +49 40 66969702")).to_be_visible()


def test_another_carrier_is_refused_in_time(page):
    sign_in(page)
    page.get_by_role("link", name="Answer").last.click()
    expect(page.get_by_role("heading", name="Port out 1")).to_be_visible()
    accessible(page)
    expect(page.get_by_label("Refuse, because")).to_have_value("pin-wrong")
    page.get_by_role("button", name="Refuse").press("Enter")
    expect(page.locator(".pill").first).to_have_text("refused")
    page.goto("/port-outs")
    accessible(page)


def test_drift_is_put_right_by_a_work_order(page):
    sign_in(page)
    page.goto("/carriers")
    page.get_by_role("link", name="Reconcile").click()
    with page.expect_navigation():
        page.get_by_role("button", name="Compare now").click()
    expect(page.get_by_role("row", name=re.compile("0121 496 0512"))).to_contain_text(
        "nobody here knows of it"
    )
    accessible(page)
    page.get_by_label("Choose 0121 496 0512, not ours").check()
    page.get_by_role("button", name="Fix").click()
    expect(page.get_by_text("Choose the site that 0121 496 0512 comes to")).to_be_visible()
    page.get_by_label("Numbers nobody knew come to").select_option(label="Wharf House")
    page.get_by_role("button", name="Fix").click()
    expect(page.get_by_role("heading", name=re.compile("Correct differences"))).to_be_visible()
    page.get_by_role("button", name="Run").click()
    advance(page, "PT5M")
    page.goto("/carriers/drift")
    expect(page.get_by_role("row", name=re.compile("0121 496 0512"))).to_have_count(0)


def test_the_tidy_up_begins_a_work_order(page):
    sign_in(page)
    page.goto("/numbers")
    page.get_by_role("link", name="Clean-up").click()
    accessible(page)
    page.get_by_label(re.compile("Choose 0113 496 01")).first.check()
    page.get_by_role("button", name="Review selection").click()
    expect(page.get_by_role("heading", name="Tidy up: 1 number")).to_be_visible()
