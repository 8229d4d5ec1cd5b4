"""The real page, served by the real command, driven in Debian's Chromium."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from driving import CHROMIUM, FLAGS, Served, opened, served_demo, sign_in, watched
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

# Machines are shared and may stand still for a while; a wait that is not needed costs nothing.
expect.set_options(timeout=30_000)
FIRST_LOOK_MS = 180_000
"""What the first look at a demo just begun may take: its analysis loads the engine while other tests take the cores."""


@pytest.fixture(scope="session")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    with served_demo(tmp_path_factory.mktemp("demo")) as served:
        yield served


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    if not Path(CHROMIUM).exists():
        pytest.skip("CHROMIUM IS NOT INSTALLED: the page was not tested; run script/test")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def page(browser: Browser, served: Served) -> Iterator[Page]:
    """The page, signed out."""
    with opened(browser, served) as page:
        yield page


@pytest.fixture(scope="session")
def signed_in(browser: Browser, served: Served) -> Any:
    """The cookies of one sign-in: tries to sign in are counted, so the tests share it."""
    with opened(browser, served) as page:
        page.set_default_timeout(FIRST_LOOK_MS)
        sign_in(page, served)
        return page.context.storage_state()


@pytest.fixture(scope="session")
def at_work(browser: Browser, served: Served) -> Iterator[BrowserContext]:
    """A browser that has the page's files already."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=served.address)
    yield context
    context.close()


@pytest.fixture
def desk(at_work: BrowserContext, signed_in: Any) -> Iterator[Page]:
    """The page signed in, on the first policy, with nothing left from the tests before."""
    at_work.clear_cookies()
    at_work.add_cookies(signed_in["cookies"])
    with watched(at_work.new_page()) as page:
        page.goto("/networks/1/rules")
        page.wait_for_selector("[role=grid] [data-rule]")
        yield page
        at_work.set_offline(False)
        page.evaluate("localStorage.clear()")
