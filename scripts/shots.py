"""One current picture of each main view, from demo data made for the purpose: `make shots`."""

import tempfile
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright
from tests.browser.conftest import CHROMIUM, FLAGS, Served

ROOT = Path(__file__).parent.parent
VIEWS = {
    "today": "/",
    "numbers": "/numbers?number=441134960100",
    "supply": "/supply?country=GB&area=Leeds&quantity=8&consecutive=1",
    "work-order": "/work-orders/9",
    "follow-a-call": "/numbers/441134960200/follow?presses=1&at=2026-11-24T11:20",
    "safety": "/safety?number=0113+496+0100",
    "building": "/safety/sites/wharf-house?floor=2nd+floor",
    "call-path": "/paths/canal-front-desk",
    "call-out": "/paths/out?person=person-ifeoma-okafor&dialled=0049+30+23125+000",
    "rates": "/spend/rates/compare",
    "dial-plan": "/dial-plans/spree-depot?dialled=0112",
    "emergency-reach": "/safety/reach",
    "spend": "/spend",
    "number-year": "/spend/usage/numbers/441134960122",
    "right-sizing": "/spend/right-sizing",
}


def main() -> None:
    from sedge.demo.running import ready_data
    from sedge.settings import Settings

    folder = Path(tempfile.mkdtemp())
    ready_data(Settings(data=folder, demo=True, durable=False, runner=False))
    served = Served(folder)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_context(
            viewport={"width": 1280, "height": 800}, base_url=served.url
        ).new_page()
        page.goto("/sign-in")
        page.click("button[value=rowan]")
        page.request.post(
            "/api/v1/work-orders/9/remedies", headers={"Authorization": "Bearer demo"}
        )
        for code, x, y in (("WHF-005-C", 22, 30), ("WHF-006-A", 68, 62)):
            page.request.post(
                f"/api/v1/spots/{code}/place",
                headers={"Authorization": "Bearer demo"},
                data={"x": x, "y": y},
            )
        port = page.request.get("/api/v1/ports", headers={"Authorization": "Bearer demo"}).json()[
            "items"
        ][0]["id"]
        page.request.post(
            f"/api/v1/ports/{port}/holders/proposed",
            headers={"Authorization": "Bearer demo"},
            data={"unsure": True},
        )
        page.goto("/spend/invoices")
        page.locator("tbody a").first.click()
        page.wait_for_load_state("load")
        page.screenshot(path=ROOT / "docs/screenshots/invoice.png")
        page.goto("/carriers/trunks/leeds-a")
        page.get_by_role("button", name="Test the connection").click()
        page.wait_for_selector("#links li")
        page.screenshot(path=ROOT / "docs/screenshots/trunk.png")
        for name, address in {**VIEWS, "port": f"/ports/{port}"}.items():
            page.goto(address)
            page.wait_for_load_state("load")
            expect(page.get_by_text("is being asked")).to_have_count(0, timeout=30_000)
            page.wait_for_timeout(300)
            page.screenshot(path=ROOT / f"docs/screenshots/{name}.png")
        first_steps(page)
        page.screenshot(path=ROOT / "docs/screenshots/first-steps.png")
        browser.close()
    served.stop()


def first_steps(page: Page) -> None:
    """A new organisation with nothing yet."""
    page.goto("/organisations/new")
    page.get_by_label("Name", exact=True).fill("Reedbed Archive")
    page.get_by_role("button", name="Review").click()
    page.get_by_role("button", name="Create organisation").click()
    page.get_by_role("heading", name="First steps").wait_for()


if __name__ == "__main__":
    main()
