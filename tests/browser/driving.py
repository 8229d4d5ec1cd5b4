"""Serve the demo with the real command and drive its page: for the browser tests and the screenshots."""

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

from playwright.sync_api import Browser, Locator, Page

from sarvex.api.access import HEADER

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


@contextmanager
def served_demo(folder: Path) -> Iterator[Served]:
    """`sarvex demo` on a free port with a database of its own in `folder`."""
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


@contextmanager
def opened(browser: Browser, served: Served, **options: Any) -> Iterator[Page]:
    """A fresh page of a browser that knows nothing yet, `watched`."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=served.address, **options)
    with watched(context.new_page()) as page:
        yield page
    context.close()


@contextmanager
def watched(page: Page) -> Iterator[Page]:
    """A page, closed afterwards; anything it throws fails the test, and so does what its content security policy forbids."""
    thrown: list[str] = []
    page.on("pageerror", lambda error: thrown.append(str(error)))
    page.on("console", lambda told: "Content Security Policy" in told.text and thrown.append(told.text))
    yield page
    page.unroute_all(behavior="wait")  # answers that are held up on purpose are let go first
    page.close()
    assert not thrown, thrown


def sign_in(
    page: Page,
    served: Served,
    login: str = "",
    to: str = "/networks/1/rules",
    sees: str = "[role=grid] [data-rule]",
) -> None:
    """To a place by way of the sign-in, until something is seen there."""
    page.goto(to)
    page.fill("#login", login or served.login)
    page.fill("#password", served.password)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_selector(sees)


def prove(page: Page, served: Served) -> None:
    """The password once more: the tests before may have taken longer than what a sign-in is good for."""
    csrf = page.request.get("/api/session").json()["csrf"]
    said = page.request.post("/api/session/proof", data={"password": served.password}, headers={HEADER: csrf})
    assert said.ok, said.text()


def give_reasons(form: Locator) -> None:
    """Answer for all that wants a reason before a release."""
    form.locator(".guard.reason textarea").first.wait_for()
    for field in form.locator(".guard.reason textarea").all():
        field.fill("known, and looked after")


LEAVING = "What you have written is not saved."


def answer_leaving(page: Page, answer: str = "Discard it") -> list[str]:
    """Whenever the page asks whether something written may be lost, say so; what was asked, as it comes."""
    asked: list[str] = []
    question = page.get_by_role("alertdialog")

    def told() -> None:
        asked.append(question.get_by_role("heading").inner_text())
        question.get_by_role("button", name=answer).click()

    page.add_locator_handler(question, told)
    return asked


def choose(within: Page | Locator, label: str, option: str) -> None:
    """One of a few, from the list that opens at a field."""
    page = within if isinstance(within, Page) else within.page
    within.get_by_label(label, exact=True).press("Enter")
    page.get_by_role("option", name=option, exact=True).click()


def row(page: Page, name: str) -> Locator:
    """A rule's row by its name."""
    return page.locator("[data-rule]").filter(
        has=page.locator(".called", has_text=re.compile(f"^{re.escape(name)}$"))
    )


def name_row(page: Page, name: str) -> Locator:
    """A row of the names by its name."""
    return page.get_by_role("row").filter(
        has=page.locator(".called", has_text=re.compile(f"^{re.escape(name)}$"))
    )


def write_rule(
    page: Page, name: str, source: str, destination: str, service: str, action: str = "allow"
) -> None:
    """A rule, written into the open editor."""
    page.fill("#rule-name", name)
    page.locator("label", has_text=re.compile(f"^ *{action} *$")).click()
    for field, value in (("source", source), ("destination", destination), ("service", service)):
        page.fill(f"#field-{field}", value)
        page.press(f"#field-{field}", "Tab")
