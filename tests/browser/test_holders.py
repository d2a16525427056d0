"""Joiners by the list, a leaver, an exchange, two administrators at once, a device: through the
real pages."""

import re
import time

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import PATIENCE, accessible, pick, sign_in
from tests.browser.test_story import advance

pytestmark = pytest.mark.browser
JOINERS = 40


def done(page):
    advance(page, "PT30M")
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()


def run(page):
    if page.get_by_role("button", name="Add remedies").is_visible():
        page.get_by_role("button", name="Add remedies").click()
    expect(page.get_by_role("button", name="Run")).to_be_enabled()
    page.get_by_role("button", name="Run").click()
    expect(page.get_by_text(re.compile(r"work order \d+, (running|done)"))).to_be_visible()


def test_forty_joiners_from_a_list_to_working_phones(page, tmp_path):
    sign_in(page)
    rows = [
        f"Joiner Number{i:02d},joiner.number{i:02d}@lanternfield.example,Canal"
        f" Museum,{['Learning', 'Estates'][i % 2]},{215 + i}"
        for i in range(JOINERS)
    ]
    file = tmp_path / "joiners.csv"
    file.write_text(
        "\n".join(["name,email,site,department,extension", *rows, rows[0]]), encoding="utf-8"
    )
    page.goto("/holders/import")
    page.set_input_files("input[type=file]", str(file))
    page.get_by_role("button", name="Review file").click()
    expect(page.get_by_text("the same mail address as in line 2")).to_be_visible()
    page.get_by_role("button", name=re.compile(r"Import")).click()
    expect(page.get_by_text(re.compile(r"40 (people|new|added)"))).to_be_visible()

    page.goto("/work-orders/planner")
    page.get_by_label("or people, one a line").fill("\n".join(row.split(",")[1] for row in rows))
    page.get_by_label("last digits equal the extension").fill("10")
    page.get_by_role("button", name="Plan", exact=True).click()
    expect(page.get_by_text("40 of 40 people get a number")).to_be_visible()
    expect(page.get_by_text("as the extension").first).to_be_visible()
    page.get_by_label("Emergency spot for those").select_option(index=1)
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_role("heading", name="Numbers for 40 people")).to_be_visible()
    run(page)
    done(page)
    page.goto("/holders?find=Number07")
    expect(page.get_by_text("0113 496 02").first).to_be_visible()


def phone_link(served, name):
    """As the letter to somebody has it, once it has arrived."""
    deadline = time.monotonic() + PATIENCE / 1000
    while time.monotonic() < deadline:
        for letter in served.installation.outside.mail.mailbox():
            if f"Hello {name}" in letter["text"]:
                return re.search(r"/phone/\S+", letter["text"])[0]
        time.sleep(0.1)
    raise AssertionError("no letter came")


def test_two_people_get_a_phone_and_rights_and_see_their_sign_in_once(page, served):
    sign_in(page)
    page.goto("/holders?site=wharf-house&find=conservation")
    for name in ("Beatrix Haddad", "Bronwen Bamidele"):
        page.get_by_label(f"Tick {name}").check()
    page.get_by_role("button", name="Change the ticked people").click()
    expect(page.get_by_role("heading", name="Change several people")).to_be_visible()
    expect(page.get_by_label("People: chosen").get_by_role("listitem")).to_have_count(2)
    page.get_by_role("button", name="Remove Bronwen Bamidele").click()
    pick(page, "People", "Callum Adebayo")
    page.get_by_label("Phone, for who has none").select_option(label="web phone")
    page.get_by_label("change them to those ticked").check()
    page.get_by_label("international").check()
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_role("heading", name="Change 2 people")).to_be_visible()
    expect(page.get_by_text("Set up a web phone")).to_have_count(2)
    run(page)
    done(page)
    link = phone_link(served, "Callum Adebayo")
    page.context.clear_cookies()
    page.goto(link)
    accessible(page)
    page.get_by_role("button", name="Show the sign-in").click()
    expect(page.get_by_text("This is shown once")).to_be_visible()
    accessible(page)
    page.set_viewport_size({"width": 390, "height": 844})
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    assert "This link has been used" in page.request.get(link).text()


def test_somebody_leaves_and_everything_comes_back(page):
    sign_in(page)
    page.goto("/holders?find=okafor")
    page.get_by_role("link", name="Ifeoma Okafor").click()
    page.get_by_role("link", name="Offboard", exact=True).click()
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_role("heading", name="Ifeoma Okafor leaves")).to_be_visible()
    run(page)
    done(page)
    page.get_by_role("button", name="Undo").click()
    done(page)
    page.goto("/holders?find=okafor")
    expect(page.get_by_role("link", name="Ifeoma Okafor")).to_be_visible()


def test_two_people_exchange_numbers_with_the_mouse(page):
    sign_in(page)
    page.goto("/work-orders/templates/exchange")
    for field, name in (("person", "Ifeoma Okafor"), ("other", "Rowan Quillfeather")):
        page.locator(f"#who-{field}").press_sequentially(name.split()[1])
        page.locator(f"#chosen-{field}").get_by_role("radio", name=re.compile(name)).check()
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_role("heading", name=re.compile("exchange numbers"))).to_be_visible()
    run(page)
    done(page)


def test_two_administrators_see_each_other_and_one_wins(page, served, chromium):
    other = chromium.new_context(
        viewport={"width": 1280, "height": 800}, base_url=served.url
    ).new_page()
    sign_in(page)
    sign_in(other, "Leila Rahimi")
    for who, name in ((page, "zhou"), (other, "moreau")):
        who.goto("/work-orders/new/assign?number=441134960160")
        who.get_by_label("For whom").press_sequentially(name)
        expect(who.locator("#chosen input").first).to_be_visible()
        who.get_by_role("button", name="Review work order").click()
        expect(who.get_by_role("button", name="Run")).to_be_visible()
    page.reload()
    expect(page.get_by_text("Leila Rahimi has work order")).to_be_visible()
    run(page)
    done(page)
    other.get_by_role("link", name="Check again").click()
    expect(other.get_by_text("0113 496 0160 is Adaeze Zhou's already").first).to_be_visible()
    expect(other.get_by_role("button", name="Run")).to_be_disabled()
    other.context.close()


def test_the_directorys_word_is_taken_and_a_task_made_temporary(page):
    sign_in(page)
    page.get_by_role("link", name=re.compile("Directory: 3 people join")).click()
    expect(page.get_by_text("No site here is called “North Lodge”")).to_be_visible()
    for box in page.locator("input[name=pick]").all():
        box.uncheck()
    page.get_by_role("checkbox", name="Leila Galbraith, changed").check()
    page.get_by_role("button", name="Review work order").click()
    expect(page.get_by_text("department Special projects")).to_be_visible()
    page.get_by_label("more for task 1").click()
    page.get_by_label("only until").fill("2031-05-01")
    page.get_by_role("button", name="put it back then").click()
    expect(page.get_by_text("Put back").first).to_be_visible()
    page.get_by_label("Comment for colleagues").fill("until the spring")
    page.get_by_role("button", name="Add comment").click()
    expect(page.locator(".timeline").get_by_text("until the spring")).to_be_visible()
    run(page)
    done(page)
    page.goto("/work-orders?state=scheduled")
    expect(
        page.get_by_role("link", name=re.compile("Put back: Change Leila Galbraith"))
    ).to_be_visible()


def test_a_device_is_set_up_and_its_secret_seen_once(page):
    sign_in(page)
    page.goto("/holders/people/person-adaeze-zhou")
    page.get_by_label("Another device").select_option(label="soft phone")
    page.get_by_role("button", name="Add phone").click()
    expect(page.get_by_text("The secret is shown this once")).to_be_visible()
    page.reload()
    page.get_by_role("link", name=re.compile("soft phone")).click()
    expect(
        page.get_by_text("It has never signed in").or_(page.get_by_text("would ring"))
    ).to_be_visible()
    expect(page.get_by_text("shown this once")).not_to_be_visible()


def test_the_spots_offered_are_those_of_the_site_that_is_chosen(page):
    sign_in(page)
    page.goto("/holders/new/person")
    spots = page.locator("#spot optgroup")
    page.get_by_label("Site", exact=True).select_option(label="Wharf House")
    expect(spots).to_have_count(1)
    expect(spots).to_have_attribute("label", "Wharf House")
    page.get_by_label("Emergency spot").select_option(index=1)
    page.get_by_label("Site", exact=True).select_option(label="Canal Museum")
    expect(spots).to_have_attribute("label", "Canal Museum")
    expect(page.get_by_label("Emergency spot")).to_have_value("")
