"""The estate through the real pages: pick and act, paste many, any past day, a file with errors,
the keyboard alone, taking over."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import accessible, sign_in

pytestmark = pytest.mark.browser
CSV = (
    "Telephone;Status;Location;Used by;Provider;Purpose;Price\n0113 496 0400;free;Wharf"
    " House;;Fellgate Voice;;0,80\n0113 496 0401;in use;Wharf House;Ifeoma Okafor;Fellgate"
    " Voice;second desk;0,80\n0113 496 0402;free;Moon Base;;Fellgate Voice;;0,80\n0113 496"
    " 99;free;Wharf House;;Fellgate Voice;;0,80\n"
)


def cell(page: Page, last: int):
    return page.locator(f'a.cell-link[data-number="44113496{last:04d}"]')


def test_cells_are_picked_by_mouse_and_reserved_together(page):
    sign_in(page)
    page.goto("/numbers")
    cell(page, 160).click(modifiers=["Control"])
    cell(page, 169).click(modifiers=["Shift"])
    expect(page.get_by_text("10 numbers picked")).to_be_visible()  # the bar moves what is below it
    cell(page, 260).scroll_into_view_if_needed()
    begin, end = cell(page, 260).bounding_box(), cell(page, 265).bounding_box()
    page.mouse.move(begin["x"] + 9, begin["y"] + 9)
    page.mouse.down()
    page.mouse.move(end["x"] + 9, end["y"] + 9, steps=6)
    page.mouse.up()
    expect(page.get_by_text("16 numbers picked")).to_be_visible()
    expect(page.locator("#card")).to_be_hidden()  # dragging opens nothing
    accessible(page)
    page.get_by_role("button", name="Reserve").click()
    expect(page.get_by_role("heading", name="16 numbers chosen")).to_be_visible()
    page.get_by_label("For what").fill("the fair")
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_role("heading", name=re.compile("Reserve 16 numbers"))).to_be_visible()
    page.get_by_role("button", name="Run").first.click()
    expect(page.get_by_text(re.compile("work order [0-9]+, done"))).to_be_visible()
    page.goto("/numbers?view=list&state=reserved")
    expect(page.get_by_role("heading", name="20 of 280 numbers")).to_be_visible()


def test_the_map_is_worked_with_the_keyboard_alone(page):
    """One stop of the tab order; arrows walk, shift stretches, x picks one more; each cell says its
    number, state and holder."""
    sign_in(page)
    page.goto("/numbers?site=wharf-house")
    cell(page, 100).focus()
    page.keyboard.press("ArrowRight")
    expect(cell(page, 101)).to_be_focused()
    assert cell(page, 101).get_attribute("aria-label") == "0101, assigned, Rowan Quillfeather"
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_text("22 numbers picked")).to_be_visible()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("x")
    expect(page.get_by_text("23 numbers picked")).to_be_visible()
    assert page.locator('[role=gridcell][aria-selected="true"]').count() == 23
    page.keyboard.press("Enter")
    expect(page.locator("#card")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.locator("#card .ruler")).to_have_count(0)
    expect(
        page.get_by_text("23 numbers picked")
    ).to_be_visible()  # they stay picked while one looks around
    page.get_by_role("button", name="Clear selection").click()
    expect(page.locator("#picked-form")).to_be_hidden()
    page.goto("/numbers?number=441134960100")
    page.get_by_role("link", name="Skip to the card of 0113 496 0100").press("Enter")
    expect(page.locator("#card")).to_be_focused()
    page.keyboard.press("Tab")
    assert page.evaluate("document.querySelector('#card').contains(document.activeElement)")


def test_a_list_from_a_mail_becomes_a_selection(page):
    sign_in(page)
    page.keyboard.press("/")
    page.keyboard.insert_text("0113 496 0160; 0113 496 0161 and 0113 496 0999")
    page.get_by_role("option", name="3 numbers").click()
    expect(page.get_by_role("heading", name="3 numbers chosen")).to_be_visible()
    expect(page.get_by_text("1 is not in the estate")).to_be_visible()
    page.goto("/numbers/paste")
    page.get_by_label("Text with numbers").fill("nothing in here")
    page.get_by_role("button", name="Read numbers").click()
    expect(page.get_by_text("No number could be read in this")).to_be_visible()
    expect(page.get_by_label("Text with numbers")).to_have_value(
        "nothing in here"
    )  # nothing typed is lost
    page.get_by_label("Text with numbers").fill(
        "Ada: (0113) 496-0162\nBo: +44 113 496 0163 x12\n999999999999"
    )
    page.get_by_role("button", name="Read numbers").click()
    expect(page.get_by_role("heading", name="2 numbers chosen")).to_be_visible()
    expect(page.get_by_text("999999999999")).to_be_visible()
    page.get_by_role("link", name=re.compile("Edit labels and tags")).click()
    page.get_by_label("Tags to put on, with commas between").fill("Shop, till")
    page.get_by_role("button", name="Review work order").click()
    page.get_by_role("button", name="Run").first.click()
    expect(page.get_by_text(re.compile("work order [0-9]+, done"))).to_be_visible()
    page.goto("/numbers?tag=till")
    expect(page.get_by_role("heading", name="2 of 280 numbers")).to_be_visible()


def test_facts_are_edited_where_they_stand_and_a_view_is_kept(page):
    sign_in(page)
    page.goto("/numbers?number=441134960160")
    page.get_by_label("Label", exact=True).fill("night bell")
    with page.expect_response("**/facts*"):
        page.get_by_label("Label", exact=True).press("Enter")
    page.get_by_label("Tags").fill("bell")
    with page.expect_response("**/facts*"):
        page.get_by_label("Cost centre").click()  # leaving the field keeps it
    expect(page.get_by_label("Tags")).to_have_value("bell")
    page.goto("/numbers?view=list&sort=label&find=night+bell")
    expect(page.locator("tbody tr").first).to_contain_text("0113 496 0160")
    page.get_by_text("Columns", exact=True).click()
    page.get_by_label("Tags", exact=True).check()
    page.get_by_role("button", name="Show columns").click()
    expect(page.get_by_role("columnheader", name="Tags")).to_be_visible()
    page.get_by_text("Views", exact=True).click()
    page.get_by_label("View name").fill("By label")
    with page.expect_navigation():
        page.get_by_role("button", name="Save view").click()
    page.goto("/numbers")
    page.get_by_text("Views", exact=True).click()
    page.get_by_role("link", name=re.compile("By label")).click()
    expect(page.get_by_role("columnheader", name="Tags")).to_be_visible()


def test_any_past_day_is_shown_and_compared(page):
    sign_in(page)
    page.goto("/numbers?view=list&find=0113+496+0121")
    page.get_by_text("Past state", exact=True).last.click()
    page.get_by_label("Date").fill("2025-12-20")
    page.get_by_role("button", name="Show that day").click()
    expect(page.get_by_text("Past state: the end of 2025-12-20")).to_be_visible()
    holder = page.locator("tbody tr td").nth(2).inner_text()
    page.locator("tbody a[data-row]").first.click()
    expect(page.locator("#card .note")).to_contain_text("Past state")
    expect(page.locator("#card")).to_contain_text(holder)
    page.goto("/numbers/differences?one=2025-12-20")
    expect(page.get_by_role("heading", name="Number by number")).to_be_visible()
    page.goto("/numbers?at=2025-12-20")
    assert page.locator("a.cell-link").count() > 100


def test_a_file_with_errors_is_looked_through_and_brought_in(page):
    sign_in(page)
    page.goto("/numbers")
    page.get_by_role("link", name="Import numbers").click()
    page.set_input_files(
        "#file", {"name": "numbers.csv", "mimeType": "text/csv", "buffer": CSV.encode()}
    )
    page.get_by_role("button", name="Read file", exact=True).click()
    expect(page.get_by_text("no site is called “Moon Base”")).to_be_visible()
    accessible(page)
    page.get_by_role("button", name="Import 2 numbers").click()
    expect(page.get_by_text("The file is imported")).to_be_visible()
    page.get_by_role("link", name="View work order").click()
    expect(page.get_by_role("heading", name=re.compile("Import numbers.csv"))).to_be_visible()
    with page.expect_download() as download:
        page.goto("/numbers?view=list&find=0113+496+04xx")
        page.get_by_text("Export", exact=True).click()
        page.get_by_role("link", name="CSV, as shown").click()
    assert "second desk" in download.value.path().read_text("utf-8-sig")


def test_untidy_files_are_settled_word_by_word(page):
    sign_in(page)
    page.goto("/numbers/take-over")
    page.get_by_role("button", name="Try it with untidy files").click()
    expect(page.get_by_text("1,200 rows read")).to_be_visible()
    first = page.locator(".question h2").first.inner_text()
    page.locator(".question button").first.click()
    expect(page.get_by_role("heading", name=first)).to_have_count(0)
    accessible(page)
    page.reload()
    expect(page.get_by_role("heading", name=first)).to_have_count(0)  # kept between sittings
    for _ in range(6):
        with page.expect_response("**/leave"):
            page.get_by_role("button", name="Leave the open rows out").click()
        expect(page.locator(".htmx-request, .htmx-swapping, .htmx-settling")).to_have_count(0)
        expect(
            page.get_by_role(
                "button", name=re.compile("Leave the open rows out|Make the work order")
            )
        ).to_be_visible()
        if page.get_by_role("button", name="Make the work order").is_visible():
            break
    page.get_by_role("button", name="Make the work order").click()
    expect(
        page.get_by_role("heading", name=re.compile("Take over Old trust office"))
    ).to_be_visible()


def test_a_reload_loses_nothing_that_was_typed(page):
    sign_in(page)
    page.goto("/numbers/chosen?pick=441134960160-61&act=reserve")
    page.get_by_label("For what").fill("the fair")
    page.get_by_label("Why").fill("asked for by Visits")
    page.reload()
    expect(page.get_by_label("For what")).to_have_value("the fair")
    expect(page.get_by_label("Why")).to_have_value("asked for by Visits")
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_role("heading", name=re.compile("Reserve 2 numbers"))).to_be_visible()
    page.goto("/numbers/chosen?pick=441134960160-61&act=reserve")
    expect(page.get_by_label("For what")).to_have_value("")  # it was sent, so it is not typed again
