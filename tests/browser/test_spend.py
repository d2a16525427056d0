"""Money as whoever pays goes about it: calls read, the bill disputed, savings run and undone."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import accessible, sign_in

pytestmark = pytest.mark.browser
CALLS = """who;whom;when;secs;flow
01514960001;0113 496 0200;20.11.2026 11:04:00;95;canal-front-desk/menu=2:9
01514960002;0113 496 0200;20.11.2026 11:14:00;0;canal-front-desk/menu=gave up:12
nobody;;someday;0;
"""


def test_calls_are_read_a_bill_is_disputed_and_savings_run_and_are_undone(page):
    sign_in(page)
    read_calls(page)
    see_where_callers_go(page)
    dispute_a_line(page)
    save(page)


def read_calls(page):
    page.goto("/spend/calls")
    page.get_by_label(re.compile("^File: CSV")).set_input_files(
        {"name": "calls.csv", "mimeType": "text/csv", "buffer": CALLS.encode()}
    )
    page.get_by_label("Source").fill("Night shift")
    page.get_by_role("button", name="Import file").click()
    expect(page.get_by_text("Still missing: Started")).to_be_visible()
    for column, meaning in (
        ("who", "From"),
        ("whom", "To"),
        ("when", "Started"),
        ("secs", "Duration"),
        ("flow", "Steps of the call path"),
    ):
        page.get_by_label(column, exact=True).select_option(label=meaning)
    page.get_by_role("button", name="Import calls").click()
    expect(page.get_by_role("row", name="New 2")).to_be_visible()
    expect(page.get_by_role("row", name="Not taken 1")).to_be_visible()
    accessible(page)


def see_where_callers_go(page):
    page.goto("/paths/canal-front-desk")
    menu = page.get_by_role("row", name=re.compile(r"^Menu menu"))
    expect(menu).to_contain_text("key 2, school groups")
    expect(menu).to_contain_text(re.compile(r"\d+%"))
    accessible(page)


def dispute_a_line(page):
    page.goto("/spend/invoices")
    page.locator("main table a").first.click()
    page.get_by_role("checkbox").first.check()
    page.get_by_label("Reason").fill("Nobody agreed to this price")
    page.get_by_role("button", name="Dispute lines").click()
    expect(page.get_by_text("disputed").first).to_be_visible()


def save(page):
    page.goto("/spend/right-sizing")
    page.get_by_label(re.compile("of Hanna Lamb$")).check()
    page.get_by_role("button", name="Review work order").click()
    page.wait_for_url("**/work-orders/*")
    page.get_by_role("button", name="Run").click()
    expect(page.locator(".pill", has_text=re.compile("done")).first).to_be_visible()
    page.goto(page.url)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("heading", name=re.compile("Undo of"))).to_be_visible()
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()
    page.goto("/spend/right-sizing")
    expect(page.get_by_label(re.compile("of Hanna Lamb$"))).to_be_visible()
