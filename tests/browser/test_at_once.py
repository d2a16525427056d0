"""A number given, calls routed and both undone, from the forms themselves: by mouse and by keys."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import sign_in

pytestmark = pytest.mark.browser
HERE = "/work-orders/new/assign?person=person-saoirse-ashgrove"


def notice(page):
    return page.locator("#order-notice")


def test_a_number_is_picked_from_the_map_given_and_given_back(page):
    sign_in(page)
    page.goto(HERE)
    field = page.get_by_label("Number, typed any way")
    best = field.input_value()
    assert best
    other = page.locator("a[data-fill]").nth(1)
    other.click()
    expect(field).to_have_value(other.inner_text())
    cell = page.locator("a.cell-link[aria-label*='available']").first
    cell.click()
    expect(field).to_have_value("+" + cell.get_attribute("data-number"))
    expect(cell).to_have_attribute("aria-current", "true")
    expect(page).to_have_url(re.compile(re.escape(HERE) + "$"))
    field.fill(best)
    page.get_by_label("As", exact=True).select_option("extra")
    page.get_by_role("button", name="Give a number").click()
    expect(page).to_have_url(re.compile(r"/holders/people/person-saoirse-ashgrove\?done=\d+"))
    expect(notice(page)).to_contain_text(f"{best} for Saoirse Ashgrove: done")
    notice(page).get_by_role("button", name="Undo").click()
    expect(page.get_by_text(re.compile(r"work order \d+, (running|done)"))).to_be_visible()


def test_a_cell_is_chosen_by_keys_alone(page):
    sign_in(page)
    page.goto(HERE)
    field = page.get_by_label("Number, typed any way")
    page.locator("a.cell-link[tabindex='0']").first.focus()
    page.keyboard.press("End")
    at = page.locator("a.cell-link:focus").get_attribute("data-number")
    page.keyboard.press("Space")
    expect(field).to_have_value("+" + at)
    expect(field).to_be_focused()


def test_offers_follow_whoever_is_chosen(page):
    sign_in(page)
    page.goto("/work-orders/new/assign")
    expect(page.locator("a[data-fill]")).to_have_count(0)
    page.get_by_label("For whom").fill("Ashgrove")
    expect(page.locator("a[data-fill]").first).to_be_visible()
    page.get_by_label("For whom").fill("Lost property")
    expect(page.locator("#offers")).to_contain_text("Lost property")


def test_all_calls_to_one_message_in_one_form(page):
    sign_in(page)
    page.goto("/numbers/441134960100")
    page.get_by_role("link", name="Route calls").click()
    page.get_by_label("Or an outside number").fill("0151 496 0400")
    page.get_by_label("Or a message").fill("The museum is closed today.")
    page.get_by_role("button", name="Route calls").click()
    expect(page.get_by_text("More than one place is named")).to_be_visible()
    expect(page.get_by_label("Or a message")).to_have_value("The museum is closed today.")
    page.get_by_label("Or an outside number").fill("")
    page.get_by_role("button", name="Route calls").click()
    expect(notice(page)).to_contain_text("0113 496 0100 to a message: done")
    expect(page.get_by_role("link", name="0113 496 0100 to a message")).to_be_visible()


def test_a_button_pressed_twice_makes_one_work_order(page):
    sign_in(page)
    page.goto(HERE)
    page.get_by_label("As", exact=True).select_option("extra")
    button = page.get_by_role("button", name="Give a number")
    with page.expect_request(lambda asked: asked.method == "POST"):
        button.dblclick()
    expect(notice(page)).to_contain_text("for Saoirse Ashgrove: done")
    page.goto("/work-orders")
    expect(page.get_by_role("link", name=re.compile("for Saoirse Ashgrove"))).to_have_count(1)
