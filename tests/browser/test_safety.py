"""Safety through the real pages: a team moves and help follows; a spot is put on the plan and its
wall label printed; somebody without an account confirms."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import accessible, sign_in
from tests.browser.test_story import advance

pytestmark = pytest.mark.browser


def test_a_team_moves_to_another_floor_and_help_follows(page):
    sign_in(page)
    page.goto("/safety?number=0113+496+0100")
    expect(
        page.get_by_label("Emergency test").get_by_text("ground floor, reception")
    ).to_be_visible()
    page.get_by_role("link", name="Move people", exact=True).click()
    page.get_by_label("From site").select_option(label="Wharf House")
    page.get_by_role("button", name="Show people").click()
    page.get_by_label("Now at").select_option(label="ground floor, reception")
    page.get_by_role("button", name="Show people").click()
    everybody = page.locator("input[name=people]")
    expect(everybody.first).to_be_visible()
    for box in everybody.all():
        box.check()
    page.get_by_label("They move to").select_option(
        label=page.locator("#to option", has_text="3rd floor, workshop").text_content()
    )
    page.get_by_role("button", name="Review move").click()
    expect(
        page.get_by_role("heading", name=re.compile(r"Move \d+ people to 3rd floor, workshop"))
    ).to_be_visible()
    page.get_by_role("button", name="Run").click()
    advance(page, "PT10M")
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()
    page.goto("/safety?number=0113+496+0100")
    test = page.get_by_label("Emergency test")
    expect(test.get_by_text("3rd floor, workshop")).to_be_visible()
    test.get_by_role("button", name="Place it, to the stand-in").click()
    expect(test.get_by_text(re.compile("operator's screen says: .*workshop"))).to_be_visible()
    accessible(page)


def test_a_spot_is_put_on_the_plan_by_mouse_and_by_keys(page):
    sign_in(page)
    page.goto("/safety/sites/wharf-house")
    page.get_by_role("link", name="2nd floor").first.click()
    page.get_by_label("room 2.07").check()
    page.locator("svg.plan").click(position={"x": 100, "y": 80})
    pin = page.locator("svg.plan a.is-chosen:not(.pin-unplaced)")
    expect(pin).to_be_visible()
    chosen = page.locator("input[name=code]:checked")
    expect(chosen).to_have_attribute("data-x", re.compile(r"1\d"))
    before = float(chosen.get_attribute("data-x"))
    chosen.focus()
    page.keyboard.press("Alt+ArrowRight")
    expect(chosen).to_have_attribute("data-x", re.compile(rf"{before + 2:.1f}|{before + 2:g}"))
    accessible(page)
    pin.first.click()
    page.get_by_role("link", name="Label for the wall").click()
    expect(page.get_by_role("img", name=re.compile("QR code of WHF-"))).to_be_visible()
    accessible(page)


def test_somebody_at_the_site_confirms_without_an_account(page, chromium):
    sign_in(page)
    page.goto("/safety?site=wharf-house")
    page.get_by_role("link", name="3rd floor, room 3.01").click()
    expect(page.get_by_label("Words of the spot")).to_be_visible()
    page.get_by_role("button", name="Create link").click()
    link = page.locator("#link [data-copy]").get_attribute("data-copy")
    visitor = chromium.new_context().new_page()
    visitor.goto(link)
    expect(visitor.get_by_role("heading", name="Is this address right?")).to_be_visible()
    visitor.get_by_label("Your name").fill("Pat Porter")
    visitor.get_by_role("button", name="Confirm address").click()
    expect(visitor.get_by_role("heading", name="Thank you")).to_be_visible()
    visitor.goto(link)
    expect(visitor.get_by_text("has been used")).to_be_visible()
    page.reload()
    expect(page.get_by_text("by Pat Porter")).to_be_visible()


def test_a_test_of_everything_can_be_kept(page):
    sign_in(page)
    page.goto("/safety")
    page.get_by_role("link", name="Emergency tests").click()
    page.get_by_role("button", name="Test now").click()
    expect(page.get_by_text("Responders come for 94 of 94 numbers in use.")).to_be_visible()
    with page.expect_download() as loading:
        page.get_by_role("link", name="Download PDF").click()
    assert loading.value.suggested_filename.endswith(".pdf")
    accessible(page)
