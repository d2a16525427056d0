"""A served installation and headless Chromium; console errors and policy violations fail the test
they happen in."""

import shutil
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack
from pathlib import Path

import pytest
import uvicorn
from playwright.sync_api import Browser, Page, expect, sync_playwright

from sedge.app import open_installation
from sedge.settings import Settings
from sedge.standins.app import StandinServer
from sedge.web.today import events
from tests.conftest import serving

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
# What Playwright switches off, and the pop-up of the address bar: a page of its own in each window,
# which took a third of the work of every page that was opened.
SWITCHED_OFF = (
    "--disable-features=AvoidUnnecessaryBeforeUnloadCheckSync,DestroyProfileOnBrowserClose,"
    "HttpsUpgrades,HttpsFirstBalancedModeAutoEnable,LensOverlay,MediaRouter,PaintHolding,"
    "ThirdPartyStoragePartitioning,AvoidCorsURLLoaderRestartOnRedirect,TcpPortRandomizationWin,"
    "OptimizationHints,NetworkTimeServiceQuerying,AimEnabled,PreconnectToSearch,"
    "msForceBrowserSignIn,msEdgeUpdateLaunchServicesPreferredVersion"
)
ADDRESS_BAR = ",WebUIOmniboxPopup,WebUIOmniboxAimPopup,WebUIOmniboxFullPopup"
PATIENCE = 30_000  # milliseconds: a slow machine is no failure
expect.set_options(timeout=PATIENCE)
AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()


class Served:
    """Sedge, usually with its runner, on a port of its own."""

    def __init__(self, folder: Path, *, runner: bool = True) -> None:
        self.standins = StandinServer(folder).start()
        self.installation = open_installation(
            Settings(data=folder, demo=True, durable=False, runner=runner, runner_seconds=0.2),
            self.standins.url,
        )
        self._app = ExitStack()
        app = self._app.enter_context(serving(self.installation))
        self._server = uvicorn.Server(
            uvicorn.Config(
                app, host="127.0.0.1", port=0, log_level="error", timeout_graceful_shutdown=1
            )
        )
        self._thread = threading.Thread(target=self._server.run, daemon=True)
        self._thread.start()
        while not self._server.started:
            time.sleep(0.02)
        self.url = f"http://127.0.0.1:{self._server.servers[0].sockets[0].getsockname()[1]}"

    def stop(self) -> None:
        self._server.should_exit = True
        self._thread.join(10)
        self._app.close()
        self.installation.close()
        self.standins.stop()


@pytest.fixture
def served(seeded: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Served]:
    monkeypatch.setattr(events, "STREAM_SECONDS", 300.0)
    shutil.copytree(seeded, tmp_path / "served")
    made = Served(tmp_path / "served")
    yield made
    made.stop()


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=CHROMIUM,
            args=[*FLAGS, SWITCHED_OFF + ADDRESS_BAR],
            ignore_default_args=[SWITCHED_OFF],
        )
        yield browser
        browser.close()


@pytest.fixture
def page(chromium: Browser, served: Served, monkeypatch: pytest.MonkeyPatch) -> Iterator[Page]:
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=served.url)
    opened = context.new_page()
    opened.set_default_timeout(PATIENCE)
    complaints: list[str] = []
    # a refused form is an answer, a request cut off by going to another page no error
    expected = (
        "401 (",
        "409 (",
        "422 (",
        "Response Status Error Code 4",
        "htmx:afterRequest",
        "htmx:sendAbort",
    )
    opened.on(
        "console",
        lambda m: (
            complaints.append(m.text)
            if m.type == "error" and not any(e in m.text for e in expected)
            else None
        ),
    )
    opened.on("pageerror", lambda error: complaints.append(str(error)))
    _press_when_loaded(opened, monkeypatch)
    _go_when_answered(opened, monkeypatch)
    yield opened
    context.close()
    assert complaints == []


def _press_when_loaded(page: Page, monkeypatch: pytest.MonkeyPatch) -> None:
    """A page can be read before its scripts listen; a key pressed then would be lost."""
    press = page.keyboard.press

    def press_when_loaded(key: str, **options: float) -> None:
        page.wait_for_load_state("load")
        press(key, **options)

    monkeypatch.setattr(page.keyboard, "press", press_when_loaded)


def _go_when_answered(page: Page, monkeypatch: pytest.MonkeyPatch) -> None:
    """What was clicked is answered before the test goes elsewhere or moves the clock; on a busy
    machine it would be overtaken, and happen at another time or not at all."""

    def after_the_answer(go: Callable[..., object]) -> Callable[..., object]:
        def wait_and_go(*where: str, **options: object) -> object:
            expect(page.locator(".htmx-request")).to_have_count(0)
            return go(*where, **options)

        return wait_and_go

    monkeypatch.setattr(page, "goto", after_the_answer(page.goto))
    monkeypatch.setattr(page, "reload", after_the_answer(page.reload))
    monkeypatch.setattr(page.request, "post", after_the_answer(page.request.post))


def sign_in(page: Page, who: str = "Rowan Achterberg") -> None:
    page.goto("/sign-in")
    page.get_by_role("button", name=who).click()
    page.wait_for_url("**/")


def pick(page: Page, field: str, *names: str) -> None:
    """Pick several in a field that looks for them as one types, by keyboard, one after the
    other."""
    box = page.get_by_role("combobox", name=field, exact=True)
    for name in names:
        box.press_sequentially(name)
        expect(page.get_by_role("option", name=name, selected=True)).to_be_visible()
        box.press("Enter")
        expect(box).to_have_value("")


RULES = {
    "light": (
        "{runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'],"
        " resultTypes: ['violations']}"
    ),
    "dark": (  # all that colours decide
        "{runOnly: {type: 'rule', values: ['color-contrast', 'link-in-text-block']}, resultTypes:"
        " ['violations']}"
    ),
}


HEAD_ASIDE = "{exclude: [['header.head']]}"  # the same on every page, so looked at once


def accessible(
    page: Page, *, head: bool = True, schemes: Sequence[str] = ("light", "dark")
) -> None:
    """No axe violation (WCAG 2.2 AA and best practice), in light and in dark; without the `head` of
    the page where it was looked at on another."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE)
    where = "document" if head else HEAD_ASIDE
    for scheme in schemes:
        page.emulate_media(color_scheme=scheme)
        found = page.evaluate(f"axe.run({where}, {RULES[scheme]}).then(told => told.violations)")
        violations = [
            f"{v['id']}: {n['target']} {n['failureSummary'][:160]}"
            for v in found
            for n in v["nodes"][:3]
        ]
        assert violations == [], f"{page.url} in {scheme}: {violations}"
    page.emulate_media(color_scheme="light")
