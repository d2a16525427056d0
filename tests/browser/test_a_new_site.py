"""More stories through the real pages: a site from nothing to answered calls, what goes wrong,
everything by keyboard."""

import contextlib
import re

import pytest
from playwright.sync_api import Error as PlaywrightError
from playwright.sync_api import expect

from tests.browser.conftest import accessible, pick, sign_in
from tests.browser.test_story import advance

pytestmark = pytest.mark.browser
HEADERS = {"Authorization": "Bearer demo"}


def done(page):
    advance(page, "PT30M")
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()


def test_a_site_from_nothing_to_a_call_that_is_answered(page):
    sign_in(page)
    page.get_by_role("link", name="Holders", exact=True).click()
    page.get_by_role("link", name="Sites").click()
    page.get_by_role("link", name="New site").click()
    typed = {
        "Name": "Saltgate Store",
        "Three letters": "SGS",
        "House number": "9",
        "Street": "Saltgat Lane",
        "Post town": "Leeds",
        "Postcode": "LS2 7ZZ",
    }
    for label, value in typed.items():
        page.get_by_label(label).fill(value)
    page.get_by_label("Floors").fill("3")
    page.get_by_label("How calls get there").select_option(
        label=page.locator("#account option").nth(1).text_content()
    )
    page.get_by_label("Who is told").fill("duty@lanternfield.example")
    page.get_by_role("button", name="Check the address").click()
    expect(page.get_by_role("alert")).to_contain_text("“Saltgat Lane” becomes “Saltgate Lane”")
    expect(page.get_by_label("Name")).to_have_value("Saltgate Store")  # nothing typed is lost
    page.get_by_label("accept the register").check()
    page.get_by_role("button", name="Check the address").click()
    expect(page.get_by_role("heading", name="Set up Saltgate Store")).to_be_visible()
    expect(
        page.get_by_text("Responders are sent there").or_(
            page.get_by_text("None that responders can be sent to")
        )
    ).to_be_visible()

    page.get_by_role("link", name="Start: Emergency spots").click()
    page.get_by_label("Floor").fill("1st floor")
    page.get_by_label("Room or zone").fill("office")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_text("1st floor, office")).to_be_visible()

    page.goto("/holders/lines")
    page.get_by_role("link", name="New service line").click()
    page.get_by_label("Name").fill("Store desk")
    page.get_by_label("Site", exact=True).select_option(label="Saltgate Store")
    spot = page.locator("#spot option", has_text="1st floor, office").text_content()
    page.get_by_label("Emergency spot").select_option(label=spot)
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_text("Missing a number")).to_be_visible()

    draw_up_a_path(page)
    give_the_line_a_number(page)
    follow_and_prove(page)


def draw_up_a_path(page):
    page.goto("/paths")
    page.get_by_role("link", name="New call path").click()
    page.get_by_role("link", name="Fill in a form instead").click()
    page.get_by_label("Site", exact=True).select_option(label="Wharf House")
    page.get_by_role("button", name="Show its people").click()
    page.get_by_label("Name", exact=True).fill("Store desk by day")
    for day in ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"):
        page.get_by_label(day).first.check()
    page.get_by_label("from").first.fill("00:00")
    page.get_by_label("to", exact=True).first.fill("24:00")
    page.locator("#word1").fill("deliveries")
    page.locator("#people1").press_sequentially("okafor")
    page.get_by_role("option", name="Ifeoma Okafor").click()
    page.get_by_role("button", name="Review path").click()
    expect(page.get_by_role("alert")).to_contain_text("who reads the mailbox")
    pick(page, "read by", "Ifeoma Okafor")
    page.get_by_role("button", name="Review path").click()
    expect(page.get_by_text("Publish Store desk by day").first).to_be_visible()
    page.get_by_role("button", name="Run").click()
    done(page)


def give_the_line_a_number(page):
    page.goto("/holders/lines")
    page.get_by_role("link", name="Store desk").click()
    page.get_by_role("link", name="Give a number").click()
    page.get_by_label("Number, typed any way").fill("+44 (0)113 496 0160")
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_text("callers would hear nothing")).to_be_visible()
    page.get_by_role("button", name="Follow “Store desk by day”").click()
    expect(page.get_by_text("Set the call path of 0113 496 0160").first).to_be_visible()
    expect(page.get_by_text("callers would hear nothing")).to_be_hidden()
    if page.get_by_role("button", name="Add remedies").count():
        page.get_by_role("button", name="Add remedies").click()
    expect(page.get_by_role("button", name="Run")).to_be_enabled()
    page.get_by_role("button", name="Run").click()
    done(page)


def follow_and_prove(page):
    page.goto("/numbers/441134960160/follow")
    expect(page.get_by_text("Ends: answered.")).to_be_visible()
    page.get_by_label("Busy").select_option(label="Ifeoma Okafor")
    page.get_by_role("button", name="Follow", exact=True).click()
    expect(page.get_by_text("Ends: mailbox.")).to_be_visible()
    page.goto("/numbers/441134960160/test-call")
    page.get_by_role("button", name="Call from outside").click()
    expect(page.get_by_text("It agrees with what was computed.")).to_be_visible()
    page.goto("/safety?number=0113+496+0160")
    expect(page.get_by_text("1st floor, office").first).to_be_visible()
    expect(page.get_by_text("duty@lanternfield.example")).to_be_visible()


def test_features_are_chosen_while_the_numbers_are_held(page):
    sign_in(page)
    page.goto("/supply?country=GB&area=Leeds&quantity=2&consecutive=1&carrier=brackwater")
    page.get_by_role("button", name=re.compile(r"^Hold\s+\d")).first.click()
    page.wait_for_url("**/supply/holds/*")
    quote = page.get_by_label("Quote")
    plain = quote.text_content()
    page.get_by_label("texts").check()
    page.get_by_label("For site").select_option(label="Canal Museum")
    expect(quote).not_to_have_text(plain)
    page.get_by_label("Our reference").fill("With texts")
    page.get_by_label("Emergency spot").select_option(label="ground floor, shop (CNL-002-W)")
    page.get_by_role("button", name=re.compile("Order for")).click()
    expect(page.get_by_role("heading", name="Order With texts")).to_be_visible()
    expect(page.get_by_text("spot CNL-002-W")).to_be_visible()
    advance(page, "PT6H")
    expect(page.locator("#order .pill")).to_have_text("delivered")
    page.locator("td a.number").first.click()
    expect(page.locator("#card")).to_contain_text("texts")


def test_a_silent_carrier_is_named_and_the_others_answer(page):
    sign_in(page)
    page.request.post(
        "/api/v1/standins/faults",
        data={"service": "brackwater", "fault": "error", "count": 1},
        headers=HEADERS,
    )
    page.goto("/supply?country=GB&area=Leeds&quantity=3&starts=0113+496")
    silent, other = (
        page.get_by_role("region", name="Brackwater Telecom"),
        page.get_by_role("region", name="Fellgate Voice"),
    )
    expect(silent).to_contain_text("has trouble of its own just now")
    expect(other.get_by_role("button", name=re.compile(r"^Hold\s+\d")).first).to_be_visible()
    expect(page.get_by_label("How many")).to_have_value("3")
    expect(page.get_by_label("Leading digits")).to_have_value("0113 496")
    accessible(page)
    silent.get_by_role("link", name="Ask it again").click()
    expect(silent.get_by_role("button", name=re.compile(r"^Hold\s+\d")).first).to_be_visible()
    page.get_by_role("link", name="Ask the other carriers too").click()
    expect(page.get_by_role("row", name=re.compile("Fellgate Voice"))).to_contain_text(
        re.compile(r"£\d")
    )


def test_the_slower_of_two_is_told_who_was_faster(page, chromium, served):
    sign_in(page)
    page.goto("/work-orders/new/assign?person=person-ifeoma-okafor&number=441134960160")
    page.get_by_label("As", exact=True).select_option("extra")
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_role("button", name="Run")).to_be_enabled()
    other = chromium.new_context(base_url=served.url).new_page()
    sign_in(other, "Leila Rahimi")
    other.goto("/work-orders/new/assign?person=person-anouk-bellini&number=441134960160")
    other.get_by_label("As", exact=True).select_option("extra")
    other.get_by_role("button", name="Review work order").click()
    other.get_by_role("button", name="Run").click()
    expect(other.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()
    other.context.close()
    with contextlib.suppress(
        PlaywrightError
    ):  # disabled by itself as soon as the page has heard of it
        page.get_by_role("button", name="Run").click(timeout=2_000)
    expect(page.get_by_text(re.compile("Anouk Bellini")).first).to_be_visible()
    assert (
        page.request.get("/api/v1/numbers/0113 496 0160", headers=HEADERS).json()["holder"]["name"]
        == "Anouk Bellini"
    )


def test_a_work_order_by_keyboard_from_the_start_page(page):
    sign_in(page)
    page.get_by_role("link", name="Give someone a number").focus()
    page.keyboard.press("Enter")
    page.wait_for_url("**/work-orders/new/assign**")
    page.get_by_label("For whom").focus()
    page.keyboard.type("ifeoma okafor")
    expect(page.get_by_role("radio", name=re.compile("Ifeoma Okafor"))).to_be_visible()
    page.keyboard.press("Tab")
    page.keyboard.press("Space")
    page.keyboard.press("Tab")
    expect(page.get_by_label("Number, typed any way")).to_be_focused()
    page.keyboard.type("01134960160")
    page.get_by_label("As", exact=True).focus()
    page.keyboard.press("e")
    page.get_by_role("button", name="Review work order").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Run")).to_be_enabled()
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text(re.compile(r"work order \d+, (running|done)"))).to_be_visible()
    done(page)


def test_an_address_is_typed_in_one_line_and_picked_by_keys(page):
    sign_in(page)
    page.goto("/holders/new/site?country=DE")
    line = page.get_by_role("combobox", name="Address in one line")
    line.press_sequentially("speicherufr 8 berlin")
    first = page.get_by_role("option", name="Speicherufer 8, 10999 Berlin")
    expect(first).to_have_attribute("aria-selected", "true")
    expect(line).to_have_attribute("aria-expanded", "true")
    accessible(page, head=False)
    line.press("ArrowDown")
    expect(first).to_have_attribute("aria-selected", "false")
    line.press("ArrowUp")
    line.press("Enter")
    expect(page.get_by_label("Straße")).to_have_value("Speicherufer")
    expect(page.get_by_label("Hausnummer")).to_have_value("8")
    expect(page.get_by_label("Postleitzahl")).to_have_value("10999")
    expect(page.get_by_label("Ort", exact=True)).to_have_value("Berlin")
    expect(page.get_by_role("button", name="Check the address and add")).to_be_focused()
    assert "/holders/new/site" in page.url, "Enter picks; it does not send the form"


def test_an_address_that_no_register_has_is_taken_as_it_was_typed(page):
    sign_in(page)
    page.goto("/holders/new/site?country=GB")
    line = page.get_by_role("combobox", name="Address in one line")
    line.press_sequentially("7 Nowhere at all, Leeds, LS9 9ZZ")
    page.get_by_role("option", name="as it was typed").click()
    expect(page.get_by_label("Street")).to_have_value("Nowhere at all")
    expect(page.get_by_label("Postcode")).to_have_value("LS9 9ZZ")
    line.fill("Leeds somewhere")
    expect(page.get_by_text("Type the house number and the street.")).to_be_visible()
    line.press("Escape")
    expect(page.get_by_text("Type the house number and the street.")).to_be_hidden()
