"""An own trunk from an empty form to a proven call, its certificate broken and cured, the sheet
handed out; a dial plan and a route changed on the way."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import accessible, sign_in

pytestmark = pytest.mark.browser
LINKS = ["Name", "Port", "Certificate", "OPTIONS", "Our address", "Sign-in", "Test call", "Codecs"]


def run_order(page):
    page.wait_for_url("**/work-orders/*")
    page.get_by_role("button", name="Run").click()
    expect(page.locator(".pill", has_text=re.compile("done")).first).to_be_visible()


def fault(page, domain, words):
    page.goto("/standins")
    form = page.locator("form", has=page.locator(f'input[value="{domain}"]'))
    form.get_by_role("combobox").select_option(label=words)
    form.get_by_role("button").click()


def try_connection(page, trunk):
    page.goto(trunk)
    page.get_by_role("button", name="Test the connection").click()
    expect(page.get_by_text("Tested now")).to_be_visible()


def test_an_own_trunk_is_connected_tested_and_handed_over(page):
    sign_in(page)
    page.goto("/carriers/trunks")
    page.get_by_role("link", name="New trunk").click()
    page.get_by_label("Name").fill("Canal B")
    page.get_by_label("Carrier account").select_option(index=2)
    page.get_by_label("Ends at").select_option(label="Canal Museum")
    page.get_by_label("Host").fill("sip:fellgate.example")
    page.get_by_label("Channels").fill("12")
    page.get_by_role("button", name="Add trunk").click()
    expect(page.get_by_text("Leave “sip:” out").first).to_be_visible()
    page.get_by_label("Host").fill("fellgate.example")
    page.get_by_role("button", name="Add trunk").click()
    page.wait_for_url(re.compile(r"/carriers/trunks/trunk-"))
    trunk = page.url
    expect(page.get_by_text("nobody has said how")).to_be_visible()

    page.get_by_role("link", name="Set up trunk").click()
    page.get_by_label("Sign-in name").fill("lanternfield")
    accessible(page)
    page.get_by_role("button", name="Review settings").click()
    run_order(page)
    page.goto(trunk)
    page.get_by_label("Secret the carrier has given").fill("password1234")
    page.get_by_role("button", name="Save secret").click()
    expect(page.get_by_text("guessed too easily")).to_be_visible()
    page.get_by_label("Secret the carrier has given").fill("tern-over-salt-marsh-88")
    page.get_by_role("button", name="Save secret").click()
    expect(page.get_by_text("no secret yet")).to_have_count(0)

    try_connection(page, trunk)
    links = page.locator("#links li")
    expect(links).to_have_count(8)
    expect(page.get_by_text("so there is no caller ID to show")).to_be_visible()
    expect(page.locator("#links li.is-wrong")).to_have_count(0)

    fault(page, "fellgate.example", "a certificate for another name")
    try_connection(page, trunk)
    wrong = page.locator("#links li.is-wrong")
    expect(wrong).to_have_count(1)
    expect(wrong).to_contain_text("not for fellgate.example")
    expect(wrong).to_contain_text("Use the host that stands in the certificate")
    page.goto("/")
    expect(page.get_by_text("Canal B: Certificate fails")).to_be_visible()
    fault(page, "fellgate.example", "nothing")
    try_connection(page, trunk)
    expect(page.locator("#links li.is-wrong")).to_have_count(0)
    accessible(page)

    page.get_by_role("link", name="Sheet for the other side").click()
    expect(page.get_by_role("heading", name=re.compile("Canal B"))).to_be_visible()
    expect(page.get_by_text("lanternfield", exact=True)).to_be_visible()
    accessible(page)


def test_the_demos_trunk_proves_a_call_both_ways(page):
    sign_in(page)
    try_connection(page, "/carriers/trunks/leeds-a")
    expect(page.locator("#links li b")).to_have_text(LINKS)
    expect(page.locator("#links li.is-good")).to_have_count(8)
    expect(page.get_by_text("+441134960199 answered")).to_be_visible()


def test_a_dial_plan_is_edited_by_keyboard_and_tried_key_by_key(page):
    sign_in(page)
    page.goto("/dial-plans/canal-museum")
    page.get_by_label("Name", exact=True).focus()
    page.keyboard.type("Workshops")
    page.keyboard.press("Tab")
    page.keyboard.type("_7ZXX")
    page.get_by_label("Leads to", exact=True).select_option("extension")
    page.get_by_role("button", name="Add a rule").focus()
    page.keyboard.press("Enter")
    page.keyboard.type("Stores")
    page.keyboard.press("Tab")
    page.keyboard.type("112xx")
    page.get_by_role("button", name="Check rules").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_text(re.compile(r"“Stores”\s+goes on after"))).to_be_visible()
    page.get_by_role("button", name="Remove").nth(1).focus()
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Check rules").click()
    expect(page.get_by_text(re.compile("“Stores”"))).to_have_count(0)
    accessible(page)
    page.get_by_role("button", name="Change the dial plan").click()
    run_order(page)
    page.goto("/dial-plans/canal-museum")
    expect(page.get_by_label("Pattern", exact=True)).to_have_count(2)
    page.get_by_label("Keys, as somebody presses them").press_sequentially("7123")
    expect(page.locator("#tried")).to_contain_text("Workshops")
    expect(page.locator(".key-step.is-taken b")).to_have_text(
        ["2", "3"]
    )  # 712 is an extension, too


def test_a_trunks_own_rules_are_tried_before_they_are_kept(page):
    sign_in(page)
    page.goto("/carriers/trunks/leeds-a")
    page.get_by_role("link", name="no rules of its own").click()
    page.get_by_label("Name", exact=True).fill("Germany")
    page.get_by_label("Pattern", exact=True).fill("49xx.")
    page.get_by_label("Strip, digits").fill("2")
    page.get_by_label("Put before").fill("0")
    page.get_by_label("Number, in any writing").press_sequentially("+49 30 23125 001")
    expect(page.locator("#tried")).to_contain_text("is sent as 03023125001")
    page.get_by_role("button", name="Add a rule").focus()
    page.keyboard.press("Enter")
    page.keyboard.type("Berlin")
    page.keyboard.press("Tab")
    page.keyboard.type("4930x.")
    page.get_by_label("Put before").last.fill("9")
    page.get_by_role("button", name="Check rules").click()
    expect(page.get_by_text("“Berlin” is never reached")).to_be_visible()
    page.get_by_role("button", name="Move up").last.click()
    page.get_by_role("button", name="Check rules").click()
    expect(page.get_by_text("both take")).to_be_visible()
    accessible(page)
    page.get_by_role("button", name="Change the dial plan").click()
    run_order(page)
    page.goto("/carriers/trunks/leeds-a")
    expect(page.get_by_role("link", name="2 rules")).to_be_visible()


def test_a_route_is_made_and_a_call_takes_it(page):
    sign_in(page)
    page.goto("/outbound-routes")
    page.get_by_role("link", name="New route").first.click()
    page.get_by_label("Name").fill("Home")
    page.get_by_label(re.compile("^Destinations")).fill("GB")
    page.get_by_label("First trunk").select_option(label="Leeds A")
    page.get_by_label("Second trunk").select_option(label="Brackwater Leeds")
    accessible(page)
    page.get_by_role("button", name="Review route").click()
    run_order(page)
    page.goto("/outbound-routes")
    page.get_by_label("From", exact=True).select_option(label="Wharf House")
    page.get_by_label("To", exact=True).fill("0131 496 0500")
    page.get_by_role("button", name="Simulate").click()
    expect(page.get_by_text("route “Home”")).to_be_visible()
    accessible(page)
    page.goto("/safety/reach")
    accessible(page)
