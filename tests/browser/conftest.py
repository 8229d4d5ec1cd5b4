"""The real page, served by the real command, driven in Debian's Chromium."""

from __future__ import annotations

import os
import re
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, sync_playwright

CHROMIUM = shutil.which("chromium") or "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip
START_SECONDS = 60


@dataclass(frozen=True)
class Served:
    address: str
    login: str
    password: str


@pytest.fixture(scope="session")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    """`sarvex demo` on a free port with a database of its own."""
    folder = tmp_path_factory.mktemp("demo")
    command = [str(Path(sys.executable).parent / "sarvex"), "demo", "--port", "0", "--data", str(folder)]
    environment = {k: v for k, v in os.environ.items() if k != "SARVEX_DATABASE_URL"}
    log = folder / "log"
    with log.open("w") as out:
        server = subprocess.Popen(command, stdout=out, stderr=out, env=environment)
    try:
        deadline = time.monotonic() + START_SECONDS
        while "Stop it with" not in log.read_text():
            assert server.poll() is None and time.monotonic() < deadline, log.read_text()
            time.sleep(0.1)
        text = log.read_text()

        def told(pattern: str) -> str:
            found = re.search(pattern, text)
            assert found, text
            return found[1]

        yield Served(told(r"is at +(\S+)"), told(r"sign in as +(\S+)"), told(r"with password +(\S+)"))
    finally:
        server.send_signal(signal.SIGTERM)
        server.wait(timeout=40)
    assert "Traceback" not in log.read_text(), log.read_text()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    if not Path(CHROMIUM).exists():
        pytest.skip("CHROMIUM IS NOT INSTALLED: the page was not tested; run script/test")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


@contextmanager
def opened(browser: Browser, served: Served, **options: Any) -> Iterator[Page]:
    """A fresh page; anything it throws fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=served.address, **options)
    page = context.new_page()
    thrown: list[str] = []
    page.on("pageerror", lambda error: thrown.append(str(error)))
    yield page
    context.close()
    assert not thrown


@pytest.fixture
def page(browser: Browser, served: Served) -> Iterator[Page]:
    """The page, signed out."""
    with opened(browser, served) as page:
        yield page


@pytest.fixture(scope="session")
def signed_in(browser: Browser, served: Served) -> Any:
    """The cookies of one sign-in: tries to sign in are counted, so the tests share it."""
    with opened(browser, served) as page:
        page.goto("/")
        page.fill("#login", served.login)
        page.fill("#password", served.password)
        page.get_by_role("button", name="Sign in").click()
        page.wait_for_selector("[role=grid] [data-rule]")
        return page.context.storage_state()


@pytest.fixture
def desk(browser: Browser, served: Served, signed_in: Any) -> Iterator[Page]:
    """The page signed in, on the first policy."""
    with opened(browser, served, storage_state=signed_in) as page:
        page.goto("/")
        page.wait_for_selector("[role=grid] [data-rule]")
        yield page
