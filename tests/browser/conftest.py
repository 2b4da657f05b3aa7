"""The interface in Debian's Chromium."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.browser.chromium import ARGUMENTS, CHROMIUM
from tests.live_app import LiveApp

# Other tests run beside these: what comes, may come later.
expect.set_options(timeout=20_000)


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        yield browser
        browser.close()


@pytest.fixture
def window(chromium: Browser, live: LiveApp) -> Iterator[Page]:
    """A fresh window on the application; errors of the page and calls to anywhere else fail the test."""
    # Without movement a list lies where it will lie: a click cannot meet the line above.
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800}, base_url=live.address, accept_downloads=True, reduced_motion="reduce"
    )
    page = context.new_page()
    page.set_default_timeout(60_000)
    faults: list[str] = []
    page.on("pageerror", lambda e: faults.append(str(e)))
    page.on("console", lambda m: faults.append(m.text) if m.type == "error" and "Failed to load resource" not in m.text else None)
    page.on("request", lambda r: faults.append(f"called {r.url}") if not r.url.startswith((live.address, "data:", "blob:")) else None)
    yield page
    context.close()
    assert faults == []
