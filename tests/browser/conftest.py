"""A real server with its worker, and a real browser."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.browser.board import Board
from tests.serving import served

expect.set_options(timeout=300_000)  # drawing in software, two at a time on two cores, is slow at times

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-gpu-compositing",  # pages are put together without the drawing in software that WebGL needs
    "--disable-background-networking",
    "--no-first-run",
    # Each new window readies pages behind its address field, at two seconds of processor time; the others
    # are those of Playwright's own list that matter here, as the last such flag is the one that counts.
    "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup,WebUIOmniboxFullPopup,"
    "AvoidUnnecessaryBeforeUnloadCheckSync,DestroyProfileOnBrowserClose,HttpsUpgrades,PaintHolding",
]
#: Lines are as they fall on pixels: smooth ones take the drawing in software twice the time.
PLAIN = "--webgl-antialiasing-mode=none"


@pytest.fixture(scope="session")
def address(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    with served(tmp_path_factory.mktemp("data")) as found:
        yield found.address


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path=CHROMIUM, args=[*FLAGS, PLAIN])
        yield found
        found.close()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item, call: pytest.CallInfo[None]) -> Iterator[None]:
    """Keep a picture of the screen where a test fails."""
    report = yield
    page = getattr(item, "funcargs", {}).get("page")
    if report.failed and call.when == "call" and page is not None:
        folder = Path("build/failed")
        folder.mkdir(parents=True, exist_ok=True)
        page.screenshot(path=folder / f"{item.name}.png")
    return report


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    found = context.new_page()
    found.set_default_timeout(300_000)
    mistakes: list[str] = []
    found.on("pageerror", lambda error: mistakes.append(str(error)))
    yield found
    context.close()
    assert mistakes == []


@pytest.fixture
def board(page: Page, address: str) -> Board:
    return Board(page, address)
