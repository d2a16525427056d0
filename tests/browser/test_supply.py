"""Ordering through the real pages as carriers really behave: several at once, in part, with papers
sent back, without money, for joiners."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import accessible, sign_in
from tests.browser.test_story import advance

pytestmark = pytest.mark.browser
JOINERS = (
    "name,email,department,extension\nAda Marsh,ada.marsh@lanternfield.example,Learning,781\nBo"
    " Reed,bo.reed@lanternfield.example,Learning,782\n"
)


def searched(page, carrier, **wish):
    """Answers of all carriers asked at once; the button that holds the best of one of them is
    pressed."""
    page.goto("/supply?" + "&".join(f"{k}={v}" for k, v in {"country": "GB", **wish}.items()))
    answer = page.get_by_role("region", name=carrier)
    expect(answer.get_by_role("button", name=re.compile(r"^Hold\s+\d")).first).to_be_visible()
    answer.get_by_role("button", name=re.compile(r"^Hold\s+\d")).first.click()
    page.wait_for_url("**/supply/holds/*")


def ordered(page, reference):
    page.get_by_label("Our reference").fill(reference)
    page.get_by_role("button", name=re.compile("Order for")).click()
    expect(page.get_by_role("heading", name=f"Order {reference}")).to_be_visible()


def test_all_carriers_answer_side_by_side_and_an_order_comes_in_part(page):
    sign_in(page)
    page.goto("/supply?country=GB&area=Manchester&quantity=40")
    for name in ("Brackwater Telecom", "Fellgate Voice"):
        expect(page.get_by_role("row", name=re.compile(name))).to_contain_text(
            re.compile(r"£\d.*\d\.\d s", re.DOTALL)
        )
    accessible(page)
    searched(page, "Fellgate Voice", area="Glasgow", quantity=60)
    ordered(page, "Glasgow team")
    advance(page, "PT1H")
    expect(page.locator("#order .pill")).to_have_text("part delivered")
    expect(page.get_by_text("sold elsewhere a moment before").first).to_be_visible()
    page.get_by_role("link", name=re.compile("Look elsewhere for the")).click()
    expect(page.get_by_label("Area")).to_have_value("Glasgow")


def test_a_paper_that_is_sent_back_and_another_that_is_taken(page, tmp_path):
    scan, lease = tmp_path / "scan.png", tmp_path / "lease.pdf"
    scan.write_bytes(b"\x89PNG\r\n\x1a\n" + b"0" * 500)
    lease.write_bytes(b"%PDF-1.7\n" + b"0" * 500)
    sign_in(page)
    page.goto("/supply/papers")
    accessible(page)
    page.get_by_label("Kind").select_option("proof of local address")
    page.get_by_label("Site", exact=True).select_option(label="Spree Depot")
    page.get_by_label("Called").fill("New lease, scanned")
    page.get_by_label("Made on").fill("2026-10-20")
    page.get_by_role("button", name="Upload").click()
    expect(page.get_by_role("alert")).to_contain_text("Choose a file")
    expect(page.get_by_label("Called")).to_have_value("New lease, scanned")  # nothing typed is lost
    page.get_by_label(re.compile("^File")).set_input_files(scan)
    page.get_by_role("button", name="Upload").click()
    expect(page.get_by_role("link", name="New lease, scanned")).to_be_visible()
    searched(page, "Brackwater Telecom", country="DE", area="Berlin", quantity=2)
    expect(page.get_by_label("Quote")).to_contain_text("New lease, scanned")
    ordered(page, "Depot phones")
    expect(page.get_by_text("Somebody at the carrier checks the documents first")).to_be_visible()
    advance(page, "PT10M")
    page.reload()
    expect(page.get_by_text("The scan can't be read")).to_be_visible()
    accessible(page)
    page.goto("/")
    expect(
        page.get_by_text("Order Depot phones: the proof of local address was rejected")
    ).to_be_visible()
    page.get_by_role("link", name=re.compile("Send another")).first.click()
    page.get_by_label(re.compile("^File")).set_input_files(lease)
    page.get_by_label("Made on").fill("2026-10-21")
    page.get_by_role("button", name="Send it to the carrier").click()
    expect(page.get_by_text("The scan can't be read")).to_be_hidden()
    advance(page, "PT1H")
    expect(page.locator("#order .pill")).to_have_text("delivered")


def test_an_order_the_balance_does_not_cover_leads_to_the_deposit_and_goes_through_after_it(page):
    sign_in(page)
    page.goto("/carriers/brackwater/accounts")
    page.get_by_label(re.compile("One line per account")).fill("Copperleaf Cafés; 1.00")
    page.get_by_role("button", name="Review accounts").click()
    page.get_by_role("button", name="Open 1 account and deposit £1.00").dblclick()
    expect(page.get_by_text("1 account opened")).to_be_visible()
    page.get_by_role("link", name="Copperleaf Cafés").click()
    expect(page.get_by_role("heading", name="Copperleaf Cafés")).to_be_visible()
    accessible(page)
    searched(page, "Brackwater Telecom", area="Leeds", quantity=300)
    expect(page.get_by_label("Quote")).to_contain_text("short; the carrier would refuse the order")
    page.get_by_label("Our reference").fill("Too much")
    expect(page.get_by_role("button", name=re.compile("Order for"))).to_be_disabled()
    held = page.url
    page.get_by_label("Quote").get_by_role("link", name="Deposit").click()
    expect(
        page.get_by_role("button", name="Deposit £393.50")
    ).to_be_visible()  # just what is missing
    page.get_by_role("link", name="Change amount").click()
    page.get_by_label(re.compile("^Amount")).fill("500")
    page.get_by_role("button", name="Review deposit").click()
    page.get_by_role("button", name="Deposit £500.00").click()
    page.wait_for_url(f"{held}**")  # back to what waited for the money, as it was filled in
    expect(page.get_by_label("Our reference")).to_have_value("Too much")
    expect(page.get_by_label("Quote")).to_contain_text("£1,140.00")
    ordered(page, "Just enough")


def test_a_joiner_list_orders_and_assigns_by_itself(page, tmp_path):
    file = tmp_path / "joiners.csv"
    file.write_text(JOINERS)
    sign_in(page)
    page.goto("/holders/import")
    page.get_by_label("File").set_input_files(file)
    page.get_by_label("Site for rows without one").select_option(label="Wharf House")
    page.get_by_role("button", name="Review").click()
    page.get_by_role("button", name=re.compile("Import")).click()
    page.get_by_role("link", name="Give them numbers").click()
    expect(page.get_by_role("heading", name="People without a number")).to_be_visible()
    page.get_by_role("region", name="Wharf House").get_by_role(
        "link", name=re.compile("give them as they arrive")
    ).click()
    expect(page.get_by_label("Area")).to_have_value("Leeds")
    page.get_by_label("How many").fill("2")
    page.get_by_role("button", name="Search").click()
    answer = page.get_by_role("region", name="Brackwater Telecom")
    answer.get_by_role("button", name=re.compile(r"^Hold\s+\d")).first.click()
    page.wait_for_url("**/supply/holds/*")
    page.get_by_label(re.compile("Give them, in this order")).fill(
        "Ada Marsh\nbo.reed@lanternfield.example"
    )
    page.get_by_label("Emergency spot").select_option(index=2)
    ordered(page, "Joiners")
    advance(page, "PT2H")
    page.get_by_role("link", name="View work order").click()
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()
    page.goto("/holders?find=marsh")
    expect(page.get_by_role("row", name=re.compile("Ada Marsh"))).to_contain_text("0113 496")


def test_an_order_on_a_form_is_printed_sent_and_taken_in(page):
    sign_in(page)
    page.goto("/supply/forms/new?site=canal-museum")
    accessible(page)
    page.get_by_label("Our reference").fill("Bristol shop")
    page.get_by_label("Area").fill("Bristol")
    page.get_by_label("How many").fill("2")
    page.get_by_role("button", name="Create form").click()
    expect(page.get_by_role("heading", name="Order Bristol shop")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download PDF").click()
    assert Path(download.value.path()).read_bytes().startswith(b"%PDF-")
    page.get_by_role("button", name="Mark as sent").click()
    expect(page.get_by_text("Sent by mail on")).to_be_visible()
    page.get_by_label(re.compile("^Numbers as the letter")).fill("0117 496 0900\n0117 496")
    page.get_by_role("button", name="Check numbers").click()
    expect(page.get_by_role("alert")).to_contain_text("Line 2: “0117 496” is not one whole number.")
    page.get_by_label(re.compile("^Numbers as the letter")).fill("0117 496 0900\n0117 496 0901")
    page.get_by_label("A month each").fill("0.90")
    page.get_by_role("button", name="Check numbers").click()
    page.get_by_role("button", name="Run").click()
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()
    page.goto("/numbers?number=441174960901")
    expect(page.locator("#card")).to_contain_text("Old Quay Communications")
