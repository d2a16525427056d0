"""Every page, light and dark, without an axe violation and without a console error. In dark axe
looks at the main pages; that text stands out there is measured on every page."""

import pytest

from sedge.web.shared.rendering import PLACES
from tests.browser.conftest import AXE, accessible, sign_in
from tests.web.test_pages import PAGES

PHONE, DESK = {"width": 390, "height": 844}, {"width": 1280, "height": 800}
HEAD, MOST_HEAD = "document.querySelector('header.head')?.offsetHeight ?? 0", 96
# of rows, and of cells of a map, that one line of a template writes, the first ones stand for all
ALIKE = """document.querySelectorAll(
  "main tbody tr:nth-child(n+9), main ul > li:nth-child(n+9), main ol > li:nth-child(n+9), " +
  "main svg > a:nth-of-type(n+31)").forEach((one) => one.remove())"""
# a sentence in a column so narrow that it stands word by word
SQUEEZED = """() => [...document.querySelectorAll("main *")].filter((element) => {
  const text = [...element.childNodes].filter((n) => n.nodeType === 3)
    .map((n) => n.textContent.trim()).join(" ");
  const box = element.getBoundingClientRect();
  return text.split(/\\s+/).length > 4 && box.width > 8 && box.width < 110
    && box.height > 5 * parseFloat(getComputedStyle(element).fontSize)
    && !element.closest("svg, .scroll, .visually-hidden, details:not([open]) > :not(summary)");
}).map((e) => `${e.tagName} ${e.className}: ${e.textContent.trim().slice(0, 60)}`)"""


# every visible piece of text against the nearest solid background behind it (WCAG 2.2, 1.4.3): axe
# leaves out what it is not sure of
FAINT = """() => {
  const parts = (colour) => colour.match(/[\\d.]+/g).map(Number);
  const lightness = ([r, g, b]) => {
    const [x, y, z] = [r, g, b].map((v) => v / 255)
      .map((v) => (v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4));
    return 0.2126 * x + 0.7152 * y + 0.0722 * z;
  };
  const behind = (element) => {
    for (let at = element; at; at = at.parentElement) {
      const [r, g, b, a = 1] = parts(getComputedStyle(at).backgroundColor);
      if (a === 1) return [r, g, b];
    }
    return [255, 255, 255];
  };
  const faint = [];
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walk.nextNode()) {
    const element = walk.currentNode.parentElement;
    const style = getComputedStyle(element);
    const box = element.getBoundingClientRect();
    const words = walk.currentNode.textContent.trim();
    if (!words || element.closest("svg, [disabled], option")) continue;
    if (style.visibility === "hidden" || box.width < 2 || box.height < 2) continue;
    const [text, ground] = [lightness(parts(style.color)), lightness(behind(element))];
    const ratio = (Math.max(text, ground) + 0.05) / (Math.min(text, ground) + 0.05);
    const large = parseFloat(style.fontSize) >= 24;
    if (ratio < (large ? 3 : 4.5)) faint.push(`${words.slice(0, 40)}: ${ratio.toFixed(2)}`);
  }
  return [...new Set(faint)];
}"""

MAIN = [place[2] for place in PLACES]
SCHEMES = dict.fromkeys([*MAIN, "/components"], ("light", "dark"))
pytestmark = pytest.mark.browser


def test_every_page_is_accessible(page, served):
    page.add_init_script(AXE)
    page.emulate_media(reduced_motion="reduce")  # no colour is looked at on its way to another
    page.goto("/sign-in")
    accessible(page)
    sign_in(page)
    api = page.request
    tasks = [
        {
            "kind": "assign_number",
            "number": "0113 496 0311",
            "holder": {"kind": "person", "id": "person-ifeoma-haddad"},
        }
    ]
    draft = api.post(
        "/api/v1/work-orders",
        data={"title": "A joiner", "tasks": tasks},
        headers={"Authorization": "Bearer demo"},
    ).json()
    offer = api.get(
        "/api/v1/supply/offers?country=GB&area=Leeds&quantity=3&carrier=brackwater"
    ).json()["items"][0]
    hold = api.post(
        "/api/v1/supply/holds",
        data={"carrier_account": "brackwater-main", "numbers": offer["numbers"]},
        headers={"Authorization": "Bearer demo"},
    ).json()
    extra = [
        f"/work-orders/{draft['no']}",
        f"/supply/holds/{hold['id']}",
        "/supply?country=GB&area=Leeds&quantity=3&consecutive=1",
        "/holders/people/person-ifeoma-okafor",
        "/holders/lines/line-press-line",
        "/holders/sites/wharf-house",
        "/paths/out?person=person-ifeoma-okafor&dialled=999",
        "/numbers/441134960100/test-call",
        "/holders/new/person",
        "/holders/new/line",
        "/numbers?find=nothing+like+that",
        "/ledger/verify",
        "/nothing-here",
        "/work-orders/new/grant?person=person-ifeoma-haddad",
    ]
    failures = []
    for address in [*PAGES, *extra]:
        if address == "/nothing-here":
            continue
        page.goto(address)
        page.set_viewport_size(PHONE)
        if (width := page.evaluate("document.documentElement.scrollWidth")) > PHONE["width"]:
            failures.append(f"{address} is {width} px wide on a phone")
        if (height := page.evaluate(HEAD)) > MOST_HEAD:
            failures.append(f"the head of {address} is {height} px high on a phone")
        if squeezed := page.evaluate(SQUEEZED):
            failures.append(f"{address} squeezes text on a phone: {squeezed[:3]}")
        page.set_viewport_size(DESK)
        page.evaluate(ALIKE)
        try:
            accessible(page, head=address == PAGES[0], schemes=SCHEMES.get(address, ["light"]))
        except AssertionError as error:
            failures.append(str(error)[:600])
        for scheme in ("dark", "light"):
            page.emulate_media(color_scheme=scheme)
            failures += [f"{address} in {scheme}: {one}" for one in page.evaluate(FAINT)]
    page.goto("/ledger")
    page.keyboard.press("?")
    accessible(page)  # the list of keys
    assert failures == [], "\n".join(failures)


def test_the_main_pages_are_accessible_on_a_phone(page):
    page.add_init_script(AXE)
    page.set_viewport_size(PHONE)
    sign_in(page)
    failures = []
    for address in MAIN:
        page.goto(address)
        page.evaluate(ALIKE)
        try:
            accessible(page, schemes=["light"])
        except AssertionError as error:
            failures.append(str(error)[:600])
    assert failures == [], "\n".join(failures)
