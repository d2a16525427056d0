"""Drawing call paths in the browser: by mouse, by keyboard alone, followed at four moments,
recorded greetings, two at once."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import CHROMIUM, FLAGS, accessible, pick, sign_in

pytestmark = pytest.mark.browser


def step(page, key):
    return page.locator(f'svg a.pm-step[data-step="{key}"]')


def plus(page, key, way_out):
    return page.locator(f'svg a.pm-stub[data-step="{key}"][data-exit="{way_out}"]')


def choose(page, key, title):
    """A step's form, by mouse."""
    step(page, key).click()
    expect(page.get_by_role("heading", name=title, level=2)).to_be_visible()


def add(page, key, way_out, kind):
    """A new step on an exit, by mouse."""
    plus(page, key, way_out).click()
    page.get_by_role("button", name=re.compile(f"^{kind} ")).click()
    expect(page.get_by_role("heading", name=kind, level=2)).to_be_visible()


def keep(page):
    with page.expect_response(lambda answer: answer.url.endswith("/draw/step")):
        page.get_by_role("button", name="Save", exact=True).click()


def lead(page, way_out, to):
    page.get_by_label(way_out, exact=True).select_option(label=to)


def places(page, *parts):
    """Where parts of the picture are; asked again while the picture is being drawn anew."""
    for part in parts:
        expect(part).to_be_visible()
    boxes = [part.bounding_box() for part in parts]
    return boxes if all(boxes) else places(page, *parts)


def drag(page, source, target):
    a, b = places(page, source, target)
    page.mouse.move(a["x"] + a["width"] / 2, a["y"] + a["height"] / 2)
    page.mouse.down()
    page.mouse.move(a["x"] + 30, a["y"] + 30, steps=4)
    page.mouse.move(b["x"] + b["width"] / 2, b["y"] + b["height"] / 2, steps=6)
    page.mouse.up()


def test_a_bilingual_menu_with_overflow_is_drawn_by_mouse_and_followed_at_four_moments(page):
    page.set_viewport_size({"width": 1280, "height": 1500})
    sign_in(page)
    page.goto("/paths")
    page.get_by_role("link", name="New call path").click()
    page.get_by_label("Name").fill("Besucherdienst")
    page.get_by_role("button", name="Begin").click()
    page.wait_for_url("**/draw")
    # hours before all, from the first step's form
    choose(page, "ring-1", "Ring")
    page.get_by_label("Name", exact=True).fill("Reception")
    pick(page, "People", "Declan Iyer", "Amara Drummond")
    keep(page)
    expect(step(page, "ring-1")).to_contain_text("Reception")
    # a menu on its exit, in two languages
    page.locator('a[aria-label="Add a step at no answer"]').click()
    page.get_by_role("button", name=re.compile("^Menu ")).click()
    expect(page.get_by_role("heading", name="Menu", level=2)).to_be_visible()
    page.get_by_label("What callers hear").fill("For English, press 1.")
    page.get_by_text("In another language").click()
    page.get_by_label("The same in it").fill("Für Deutsch drücken Sie die 2.")
    page.get_by_label("Its language").fill("de")
    page.get_by_label("What key 1 stands for").fill("English")
    page.get_by_label("What key 2 stands for").fill("Deutsch")
    keep(page)
    expect(step(page, "menu-1")).to_contain_text("For English")
    # a queue on key 2 that overflows into another
    add(page, "menu-1", "2", "Queue")
    page.get_by_label("Name", exact=True).fill("Deutsch")
    pick(page, "People", "Hanna Zhou")
    keep(page)
    expect(step(page, "queue-1")).to_contain_text("Deutsch")
    add(page, "queue-1", "waited too long", "Queue")
    page.get_by_label("Name", exact=True).fill("Overflow")
    pick(page, "People", "Freya Bamidele")
    keep(page)
    expect(step(page, "queue-2")).to_contain_text("Overflow")
    # what is left leads to the mailbox: one exit by its form, one by dragging a line's dot
    for way_out in ("full", "waited too long", "nobody signed in"):
        lead(page, way_out, "Mailbox")
    keep(page)
    expect(plus(page, "queue-2", "full")).to_have_count(0)
    drag(page, page.locator('.pm-port[data-step="menu-1"][data-exit="1"]'), step(page, "queue-2"))
    expect(page.locator('.pm-port[data-step="menu-1"][data-exit="1"]')).to_be_visible()
    page.get_by_role("link", name="As an outline").click()
    expect(page.locator("#outline-menu-1")).to_contain_text("1 → Overflow")
    page.get_by_role("link", name="As a picture").click()
    # undone and done again, and finished
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Redo").click()
    accessible(page)
    page.get_by_role("link", name="Finish…").click()
    page.get_by_role("button", name="Check and publish…").click()
    page.wait_for_url("**/work-orders/*")
    page.get_by_role("button", name=re.compile("^Run")).click()
    expect(page.get_by_text(re.compile(r"work order \d+, done"))).to_be_visible()
    page.goto("/paths/besucherdienst")
    expect(page.get_by_role("heading", name="Besucherdienst")).to_be_visible()
    # followed at four moments of the path that has hours
    endings = []
    for at in ("2026-12-01T11:20", "2026-12-01T18:00", "2026-11-30T11:20", "2026-12-25T11:20"):
        page.goto(f"/numbers/441134960200/follow?presses=1&at={at}")
        endings.append(page.locator(".note b").last.inner_text())
    assert endings == ["Ends: answered.", "Ends: mailbox.", "Ends: mailbox.", "Ends: mailbox."]
    page.locator("a.week-cell").nth(24 + 11).click()
    page.wait_for_url("**at=2026-12-22T11*")
    expect(page.locator(".note b").last).to_have_text("Ends: answered.")


def press(page, *keys):
    for key in keys:
        page.keyboard.press(key)


def focus_step(page, key):
    """With the arrow keys from wherever one is in the picture."""
    step(page, key).focus()


def test_the_same_by_keyboard_alone(page):
    sign_in(page)
    page.goto("/paths/draw")
    page.get_by_label("Name").focus()
    page.keyboard.type("Besucherdienst zwei")
    press(page, "Enter")
    page.wait_for_url("**/draw")
    focus_step(page, "ring-1")
    press(page, "ArrowDown")
    assert page.evaluate("document.activeElement.dataset.step") == "mailbox-1"
    press(page, "ArrowUp")
    assert page.evaluate("document.activeElement.dataset.step") == "ring-1"
    press(page, "Enter")
    expect(page.get_by_role("heading", name="Ring", level=2)).to_be_visible()
    # a menu between the step and its mailbox
    page.locator('a[aria-label="Add a step at no answer"]').focus()
    press(page, "Enter")
    page.get_by_role("button", name=re.compile("^Menu ")).focus()
    press(page, "Enter")
    page.get_by_label("What callers hear").focus()
    page.keyboard.type("For English, press 1. Fuer Deutsch, druecken Sie 2.")
    page.get_by_label("What key 1 stands for").focus()
    page.keyboard.type("English")
    page.get_by_label("What key 2 stands for").focus()
    page.keyboard.type("Deutsch")
    press(page, "Enter")
    expect(step(page, "menu-1")).to_contain_text("For English")
    # A adds at the next open exit, Ctrl+Z takes back, Ctrl+Y does it again
    focus_step(page, "menu-1")
    press(page, "a")
    expect(page.get_by_role("heading", name=re.compile("^At “2”"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Queue ")).focus()
    press(page, "Enter")
    expect(step(page, "queue-1")).to_be_visible()
    focus_step(page, "queue-1")
    press(page, "Control+z")
    expect(step(page, "queue-1")).to_have_count(0)
    focus_step(page, "menu-1")
    press(page, "Control+y")
    expect(step(page, "queue-1")).to_be_visible()
    # copied and put on the overflow exit
    focus_step(page, "queue-1")
    press(page, "Control+c")
    expect(page.get_by_text("Copied with all that hangs on it")).to_be_visible()
    plus(page, "queue-1", "full").focus()
    press(page, "Control+v")
    expect(step(page, "queue-2")).to_be_visible()
    focus_step(page, "queue-2")
    press(page, "Delete")
    expect(step(page, "queue-2")).to_have_count(0)
    press(page, "Escape")
    expect(page.get_by_role("heading", name="Finish the drawing")).to_be_visible()


def test_a_branch_is_dragged_onto_another_exit(page):
    page.set_viewport_size({"width": 1280, "height": 1200})
    sign_in(page)
    page.goto("/paths/members-line/draw")
    choose(page, "menu-1", "Which language")
    page.get_by_role("textbox", name="Key 3", exact=True).fill("9")
    page.get_by_label("What key 3 stands for").fill("the director")
    keep(page)
    expect(plus(page, "menu-1", "9")).to_be_visible()
    drag(page, step(page, "queue-2"), plus(page, "menu-1", "9"))
    expect(plus(page, "menu-1", "9")).to_have_count(0)
    page.get_by_role("link", name="As an outline").click()
    expect(page.locator("#outline-menu-1")).to_contain_text("9 → Queue: français")
    expect(page.locator("#outline-menu-1")).to_contain_text("2 → nowhere yet")


def test_a_step_is_added_and_another_dropped_onto_a_line(page):
    page.set_viewport_size({"width": 1280, "height": 1200})
    sign_in(page)
    page.goto("/paths/school-visits")
    page.get_by_role("button", name="Edit").click()
    page.get_by_role("link", name="Add a step between Menu and Queue: booking").click()
    expect(page.get_by_role("heading", name="Between Menu and Queue: booking")).to_be_visible()
    page.get_by_role("button", name="Announce says something").click()
    expect(page.get_by_role("heading", name="Announce", exact=True)).to_be_visible()
    after = page.get_by_role("link", name="Add a step between Announce and Queue: booking")
    expect(after).to_be_visible()
    before = page.get_by_role("link", name="Add a step between School hours and Menu")
    drag(page, step(page, "announce-1"), before)
    expect(
        page.get_by_role("link", name="Add a step between School hours and Announce").first
    ).to_be_visible()
    moved = page.get_by_role("link", name="Add a step between Announce and Menu")
    expect(moved).to_be_visible()
    expect(
        page.get_by_role("link", name="Add a step between Menu and Queue: booking")
    ).to_be_visible()
    moved.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Between Announce and Menu")).to_be_visible()


def test_what_is_typed_into_a_step_is_saved_before_one_goes_on(page):
    sign_in(page)
    page.goto("/paths/members-line/draw?step=menu-1")
    page.locator("input[name=title]").fill("Which tongue")
    page.get_by_role("link", name="Finish…").click()
    expect(page.get_by_role("heading", name="Finish the drawing")).to_be_visible()
    page.goto("/paths/members-line/draw?step=menu-1")
    expect(page.locator("input[name=title]")).to_have_value("Which tongue")
    page.locator("input[name=wait_seconds]").fill("soon")
    page.get_by_role("link", name="Finish…").click()
    expect(
        page.get_by_role("alert")
    ).to_be_visible()  # it can't be saved, so one stays with the reason
    expect(page.locator("input[name=wait_seconds]")).to_have_value("soon")


def test_what_a_colleague_draws_shows_without_a_reload(page, served):
    sign_in(page)
    page.goto("/paths/members-line/draw")
    api = page.request
    headers = {"Authorization": "Bearer demo"}
    drawn = api.get("/api/v1/drawings/members-line", headers=headers).json()
    drawn["body"]["steps"]["menu-1"]["title"] = "Drawn elsewhere"
    api.put(
        "/api/v1/drawings/members-line",
        data={"version": drawn["version"], "body": drawn["body"]},
        headers=headers,
    )
    expect(step(page, "menu-1")).to_contain_text("Drawn elsewhere")


def test_a_call_is_decided_step_by_step_and_kept(page):
    sign_in(page)
    page.goto("/numbers/441134960200/follow?at=2026-12-01T11:20")
    page.get_by_role("link", name="Decide step by step").click()
    page.get_by_role("link", name="presses 1, visits").click()
    page.get_by_role("link", name="nobody answers in time").click()
    expect(page.get_by_text("Ends: mailbox.")).to_be_visible()
    page.get_by_role("button", name="Next step").click()
    page.get_by_role("button", name="Next step").click()
    expect(page.locator(".pm-step.pm-now")).to_have_count(1)
    page.get_by_label("Keep as a test case, called").fill("Nobody has time")
    page.get_by_role("button", name="Save test case").click()
    page.wait_for_url("**/paths/canal-front-desk/draw")
    expect(page.get_by_text("Nobody has time")).to_be_visible()


def test_a_greeting_is_recorded_in_the_browser(chromium, served):
    """Chromium's made-up microphone is heard, kept as WAV and played."""
    fake = ["--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream"]
    with chromium.browser_type.launch(executable_path=CHROMIUM, args=[*FLAGS, *fake]) as browser:
        page = browser.new_context(base_url=served.url).new_page()
        sign_in(page)
        page.goto("/paths/sounds")
        page.get_by_label("Name").fill("Beeps")
        page.get_by_label("Text").fill("Beeps, for the test")
        page.get_by_role("button", name="Record audio").click()
        expect(page.get_by_text("Recording…")).to_be_visible()
        expect(page.get_by_text("Recording… 2 s")).to_be_visible()
        page.get_by_role("button", name="Stop").click()
        expect(page.get_by_text("s recorded. Listen to it")).to_be_visible()
        page.get_by_role("button", name="Save audio").click()
        expect(page.locator("table audio")).to_have_attribute("aria-label", "Beeps")


def test_people_are_picked_and_ordered_by_keyboard_and_it_stays_so(page):
    sign_in(page)
    page.goto("/paths/members-line/draw?step=queue-1")
    pick(page, "People", "Ifeoma Okafor", "Beatrix Haddad")
    chosen = page.get_by_role("list", name="People: chosen").get_by_role("listitem")
    expect(chosen).to_have_count(2)
    page.get_by_role("button", name="Move up Beatrix Haddad").press("Enter")
    expect(chosen.first).to_contain_text("Beatrix Haddad")
    keep(page)
    page.reload()
    expect(chosen.first).to_contain_text("Beatrix Haddad")
    page.get_by_role("button", name="Remove Ifeoma Okafor").press("Enter")
    expect(page.get_by_role("combobox", name="People", exact=True)).to_be_focused()
    keep(page)
    page.reload()
    expect(chosen).to_have_count(1)
