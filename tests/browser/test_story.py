"""The whole story through the real pages: from a carrier's stock to a proven call, and back."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import sign_in

pytestmark = pytest.mark.browser
CSV = (
    "Display name;Mail;Office;Department;Extension\nSaoirse"
    " Reed;saoirse.reed@lanternfield.example;Wharf House;Learning;421\nNo Mail;;Wharf House;;\n"
)


def advance(page: Page, period: str) -> None:
    answer = page.request.post(
        "/api/v1/standins/clock",
        data={"advance": period},
        headers={"Authorization": "Bearer demo"},
        timeout=120_000,
    )
    assert answer.ok, answer.text()


def test_from_a_carriers_stock_to_a_proven_call(page):
    sign_in(page)
    expect(page.get_by_role("heading", name="Today")).to_be_visible()
    bring_in_people(page)
    numbers = order_numbers(page)
    see_them_on_the_map(page, numbers[0])
    give_one_to_a_person(page, numbers[0])
    prove_it(page, numbers[0])
    the_menu_gets_a_number_for_many_callers(page, numbers[1])
    help_would_come(page, numbers[0])
    undo_and_retire(page, numbers)
    page.goto("/ledger")
    expect(page.get_by_text("Put back as it was (undo)").first).to_be_visible()
    page.get_by_role("link", name="Verify the chain").click()
    expect(page.get_by_text("entries hold")).to_be_visible()


def bring_in_people(page: Page) -> None:
    page.get_by_role("link", name="Import people").click()
    page.set_input_files(
        "input[name=file]", {"name": "people.csv", "mimeType": "text/csv", "buffer": CSV.encode()}
    )
    page.get_by_role("button", name="Review").click()
    expect(page.get_by_text("the mail address is missing or not one")).to_be_visible()
    page.get_by_role("button", name="Import 1 person").click()
    expect(page.get_by_text("1 added")).to_be_visible()


def order_numbers(page: Page) -> list[str]:
    page.get_by_role("link", name="Supply", exact=True).click()
    page.get_by_label("Area").fill("Leeds")
    page.get_by_label("How many").fill("3")
    page.get_by_label("in a row").check()
    page.get_by_role("button", name="Search").click()
    expect(page.get_by_text("3 in a row").first).to_be_visible()
    page.get_by_role("region", name="Brackwater Telecom").get_by_role(
        "button", name=re.compile(r"^Hold\s+\d")
    ).first.click()
    expect(page.get_by_role("heading", name="3 numbers held")).to_be_visible()
    expect(page.locator("#main [data-until]")).to_contain_text(":")
    page.get_by_label("Our reference").fill("Learning desk")
    page.get_by_label("Emergency spot").select_option(label="1st floor, room 1.04 (WHF-003-G)")
    page.get_by_role("button", name=re.compile("Order for £7.50")).click()
    expect(page.get_by_role("heading", name="Order Learning desk")).to_be_visible()
    advance(page, "PT10M")
    expect(page.locator("#order .pill")).to_have_text("delivered")  # by itself, without a reload
    return [text.replace(" ", "") for text in page.locator("td a.number").all_text_contents()]


def see_them_on_the_map(page: Page, number: str) -> None:
    page.get_by_role("link", name="View on the map").click()
    digits = "44" + number[1:]
    cell = page.locator(f'a.cell-link[data-number="{digits}"]')
    expect(cell).to_have_class(re.compile("is-chosen"))
    expect(page.locator("#card")).to_contain_text("Available")
    cell.focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator(f'a.cell-link[data-number="{int(digits) + 1}"]')).to_be_focused()
    page.keyboard.press("/")
    finder = page.get_by_role("searchbox").or_(page.locator("#finder-text"))
    finder.fill(number[:7])
    expect(page.locator("#found a").nth(1)).to_be_visible()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile("find="))
    expect(page.locator("#card .ruler")).to_be_visible()
    page.keyboard.press("/")
    finder.fill(f"{number[:4]} {number[4:7]}-{number[7:]}")
    expect(page.locator("#found a")).to_contain_text(number[-4:])
    page.keyboard.press("Enter")  # the only thing found
    page.wait_for_url(re.compile(f"number=44{number[1:]}"))
    expect(page.locator("#card")).to_contain_text("Brackwater")


def give_one_to_a_person(page: Page, number: str) -> None:
    page.get_by_role("link", name="Assign").click()
    page.get_by_label("For whom").fill("saoirse reed")
    page.get_by_role("radio", name=re.compile("Saoirse Reed")).check()
    page.get_by_label("place a test call when it works").check()
    page.get_by_role("button", name="Review work order").click()
    expect(
        page.get_by_text("can't use a number of Brackwater Telecom without Staff seat")
    ).to_be_visible()
    expect(page.get_by_role("button", name="Run")).to_be_disabled()
    page.get_by_role("button", name="Add remedies").click()
    expect(page.get_by_text("Grant Home calling")).to_be_visible()
    expect(page.get_by_role("heading", name="After this work order")).to_be_visible()
    page.get_by_role("button", name="Run").click()
    expect(page.get_by_text("waiting for Home calling to work")).to_be_visible()
    page.reload()  # in the middle
    advance(page, "PT30M")
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()
    expect(page.get_by_text("Saoirse Reed").first).to_be_visible()
    mails = page.request.get(
        "/api/v1/standins/mailbox", headers={"Authorization": "Bearer demo"}
    ).json()["items"]
    assert {"saoirse.reed@lanternfield.example", "rowan.achterberg@lanternfield.example"} <= {
        m["to"] for m in mails
    }


def prove_it(page: Page, number: str) -> None:
    page.goto(f"/numbers?number=44{number[1:]}")
    card = page.locator("#card")
    expect(card).to_contain_text("has no phone")
    found = page.request.get(
        "/api/v1/people?find=Saoirse%20Reed", headers={"Authorization": "Bearer demo"}
    ).json()["items"]
    page.goto(f"/holders/people/{found[0]['id']}")
    page.get_by_role("button", name="Add phone").click()
    expect(page.get_by_text("The secret is shown this once")).to_be_visible()
    advance(page, "PT10M")
    page.goto(f"/numbers?number=44{number[1:]}")
    expect(card).to_contain_text("Ends: answered")
    card.get_by_role("link", name="Simulate a call").click()
    page.get_by_label("nobody picks up").check()
    page.get_by_role("button", name="Follow", exact=True).click()
    expect(page.get_by_text("Ends: mailbox.")).to_be_visible()
    page.goto(f"/numbers/44{number[1:]}/test-call")
    page.get_by_role("button", name="Call from outside").click()
    expect(page.get_by_text("It agrees with what was computed.")).to_be_visible()
    page.get_by_role("button", name="Call out to the readback line").click()
    expect(page.locator("#proof").get_by_text("You are calling from")).to_be_visible()


def the_menu_gets_a_number_for_many_callers(page: Page, single: str) -> None:
    page.goto("/holders/lines")
    page.get_by_role("link", name="Booking line").click()
    page.get_by_role("link", name="Give a number").click()
    page.get_by_label("Number, typed any way").fill(single)
    page.get_by_label("Call path").select_option(label="Wharf House front desk")
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_text("needs a number for many callers")).to_be_visible()
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text("It can't run yet. Enter adds the remedies.")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_text("Grant Reception permit")).to_be_visible()
    expect(page.get_by_role("button", name="Run")).to_be_enabled()
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text("1 warning. Press again to run it all the same.")).to_be_visible()
    expect(page.get_by_role("button", name="Run")).to_be_focused()
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text(re.compile(r"work order \d+, (running|done)"))).to_be_visible()
    advance(page, "PT30M")
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()


def help_would_come(page: Page, number: str) -> None:
    page.get_by_role("link", name="Safety").click()
    page.get_by_label("From the number").fill(number)
    page.get_by_role("button", name="Test").click()
    expect(page.get_by_text("Responders come.")).to_be_visible()
    expect(page.get_by_text("1st floor, room 1.04").first).to_be_visible()


def undo_and_retire(page: Page, numbers: list[str]) -> None:
    page.goto("/work-orders")
    page.get_by_role("link", name=re.compile("for Booking line")).click()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("heading", name=re.compile("Undo of"))).to_be_visible()
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()
    page.goto(f"/numbers/44{numbers[0][1:]}/retire")
    expect(page.get_by_text("Saoirse Reed, main number")).to_be_visible()
    page.get_by_label("Release it now").check()
    page.get_by_label("Why (for the ledger)").fill("the desk closes")
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_text("goes back to Brackwater Telecom for good")).to_be_visible()
    page.get_by_role("button", name="Run").click()
    expect(page.get_by_text(re.compile(r"work order \d+, (running|done)"))).to_be_visible()
    advance(page, "PT10M")
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()
    page.goto(f"/numbers/44{numbers[0][1:]}")
    expect(page.get_by_text("Released to the carrier").first).to_be_visible()


def test_with_the_keyboard_alone(page):
    sign_in(page)
    page.keyboard.press("/")
    page.keyboard.type("0113 496-0100", delay=15)
    expect(page.locator("#found a").first).to_be_visible()
    page.keyboard.press("Enter")  # the only thing found
    expect(page.locator("#card")).to_contain_text("Ifeoma Okafor")
    page.keyboard.press("Escape")
    expect(page.locator("#card")).to_be_hidden()
    page.wait_for_url(re.compile(r"/numbers$|/numbers\?(?!.*number=)"))
    page.keyboard.press("?")
    expect(page.get_by_role("heading", name="Keyboard shortcuts")).to_be_visible()


def test_a_wrong_number_is_answered_beside_its_field_and_kept(page):
    sign_in(page)
    page.goto("/work-orders/new/reserve")
    field = page.get_by_label("Number, typed any way")
    field.fill("0113 49")
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_role("alert")).to_contain_text("None of your numbers ends in 0113 49")
    expect(field).to_have_value("0113 49")
    expect(field).to_have_attribute("aria-invalid", "true")
    field.fill("0113 496-0160")
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_role("heading", name="Reserve 0113 496 0160")).to_be_visible()


def test_what_a_colleague_changes_shows_without_a_reload(page, served):
    sign_in(page)
    page.goto("/numbers?number=441134960160")
    expect(page.locator("#card")).to_contain_text("Available")
    tasks = [{"kind": "set_aside", "number": "0113 496 0160", "reason": "test line"}]
    headers = {"Authorization": "Bearer demo"}
    draft = page.request.post(
        "/api/v1/work-orders", data={"title": "x", "tasks": tasks}, headers=headers
    ).json()
    page.request.post(f"/api/v1/work-orders/{draft['id']}/run", headers=headers)
    expect(page.locator("#card")).to_contain_text("Administrative")
