"""Make the pictures of docs/screenshots from the demo data: run it with .venv/bin/python script/screenshots.py."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests" / "browser"))
from driving import CHROMIUM, FLAGS, answer_leaving, choose, give_reasons, served_demo, sign_in  # noqa: E402

PICTURES = ROOT / "docs" / "screenshots"
QUESTION = "kiosks to fares-db"
FLOWS = """src,dst,proto,sport,dport,icmp_type,icmp_code,note
10.44.60.20,10.44.30.10,icmp,,,8,0,tower pings a controller
10.44.32.4,10.44.30.10,tcp,50000,443,,,a camera
10.44.201.5,10.44.30.10,tcp,50000,502,,,the Petrel reads
10.44.201.5,10.44.30.10,tcp,50000,22,,,the Petrel logs in
10.44.60.x,10.44.30.10,tcp,50000,502,,,a typing error
"""


PLAN = """staff     10   10.9.10.0/24   workplaces
guests    20   10.9.20.0/24   visitors
srv       30   10.9.30.0/24   inside
printers  40   10.9.40.0/26   workplaces
wan            internet       outside
lab-lock  10.9.10.1 10.9.20.1 10.9.30.1
files     10.9.30.10   # the old share
"""


def take(page: Page, name: str) -> None:
    page.wait_for_timeout(400)
    page.screenshot(path=str(PICTURES / f"{name}.png"))


def rules(page: Page) -> None:
    page.get_by_role("combobox", name="Ask who may reach what").fill("passenger-wifi to ramp-plc on modbus")
    page.get_by_test_id("verdict").wait_for()
    page.keyboard.press("Escape")
    page.get_by_text("vessel diagnostics").click()


def answer(page: Page) -> None:
    line = page.get_by_role("combobox", name="Ask who may reach what")
    line.fill(QUESTION)
    line.press("Enter")
    page.get_by_test_id("course").wait_for()


def dragging(page: Page) -> None:
    page.get_by_role("link", name="ramp-side").click()
    line = page.get_by_role("combobox", name="Ask who may reach what")
    line.fill("petrel-bridge to ramp-plc on modbus")
    page.wait_for_timeout(800)  # the verdict of the question before is still there
    page.get_by_role("button", name="pin").first.click()
    page.locator("h1").click()
    grip = page.locator("[data-rule] .position").nth(4).bounding_box()
    second = page.locator("[data-rule]").nth(1).bounding_box()
    assert grip and second
    page.mouse.move(grip["x"] + 15, grip["y"] + 15)
    page.mouse.down()
    page.mouse.move(grip["x"] + 40, second["y"] + 8, steps=6)
    page.get_by_text("was blocked").wait_for()


def first_network(page: Page) -> None:
    page.goto("/?all")
    page.get_by_label("Begin a new one").fill("Quay Lab")
    page.get_by_role("button", name="Begin", exact=True).click()
    page.get_by_label("What is there").fill(PLAN)
    page.get_by_role("button", name="take the first of each").click()
    for _ in range(2):
        page.get_by_role("button", name="take it").first.click()
    page.get_by_text("holds by itself").wait_for()


def question(page: Page) -> None:
    page.get_by_role("link", name="Verify").click()
    line = page.get_by_role("combobox", name="Ask who may reach what")
    line.fill("workshop to payroll on https")
    line.press("Enter")
    line.press("Escape")
    page.get_by_label("The way by drydock-lock, then office-lock").wait_for()


def verify(page: Page) -> None:
    page.get_by_role("link", name="Verify").click()
    page.get_by_role("link", name="many flows").click()
    choose(page, "Through the network, or a policy", "ramp-side")
    page.get_by_label("Flows as CSV").fill(FLOWS)
    page.get_by_text("5 flows").wait_for()


def writing(page: Page) -> None:
    page.get_by_role("link", name="ramp-side").click()
    page.get_by_role("row", name="otherwise").click()
    page.keyboard.press("n")
    page.fill("#rule-name", "crew see the panel")
    page.locator("label:has-text('allow')").click()
    for field, value in (("source", "crew-tablets"), ("destination", "ramp-hmi"), ("service", "https")):
        page.fill(f"#field-{field}", value)
        page.press(f"#field-{field}", "Tab")
    page.get_by_test_id("preview").wait_for()
    page.get_by_test_id("preview").scroll_into_view_if_needed()


def names(page: Page) -> None:
    page.get_by_role("link", name="Names").click()
    page.get_by_role("button", name="worth a look").click()
    page.get_by_text("gauge-north").first.click()
    page.get_by_text("Stands for").wait_for()


def schedules(page: Page) -> None:
    page.get_by_role("link", name="schedules").click()
    page.get_by_role("row", name="boarding").click()
    page.get_by_role("button", name="remove wed 05:30-06:00").click()
    page.get_by_test_id("consequence").scroll_into_view_if_needed()


def segments(page: Page) -> None:
    page.get_by_role("link", name="all segments").click()
    chart = page.get_by_role("group", name="Who reaches whom")
    chart.wait_for(timeout=60_000)
    chart.focus()
    for _ in range(2):
        page.keyboard.press("ArrowDown")


def holds(page: Page) -> None:
    page.get_by_role("link", name="what must hold").click()
    page.get_by_text("nobody else manages the locks", exact=True).click(timeout=60_000)
    page.get_by_role("complementary", name="One that must hold").get_by_text("let through by").wait_for()


def standing(page: Page) -> None:
    page.get_by_role("link", name="Standing").click()
    page.get_by_text("remote-pilots → linkspans").wait_for(timeout=60_000)


def findings(page: Page) -> None:
    page.get_by_role("button", name="Discard", exact=True).click()
    page.get_by_role("link", name="Findings").click()
    page.get_by_role("row").filter(has_text="vessel diagnostics").click()
    page.get_by_text("Same effect, proven.").wait_for(timeout=60_000)


def ground(page: Page) -> None:
    page.get_by_role("link", name="Ground").click()
    page.get_by_role("button", name="device southpier-lock").click()
    page.get_by_text("add an interface").wait_for()


def policies(page: Page) -> None:
    page.get_by_role("link", name="Rules", exact=True).click()
    page.get_by_role("listitem").first.wait_for()


def editions(page: Page) -> None:
    page.get_by_role("link", name="ramp-side").first.click()
    page.get_by_text("vessel diagnostics").first.click()
    page.keyboard.press("Alt+Home")
    page.get_by_text("draft +").wait_for()
    page.get_by_role("link", name="Editions").click()
    page.get_by_text("What that does").wait_for()


def release(page: Page) -> None:
    page.get_by_role("link", name="Release", exact=True).click()
    form = page.get_by_label("Bring into force")
    form.get_by_label("Why it is released").fill("the Petrel is looked after from the berth")
    form.get_by_label("Reference").fill("works order 2214")
    form.get_by_role("spinbutton").fill("10")
    give_reasons(form)
    form.get_by_role("button", name="Bring into force").click()
    page.get_by_text("unless somebody confirms").first.wait_for()
    form.get_by_label("Why it is released").fill("")


def people(page: Page) -> None:
    page.goto("/people")
    page.get_by_text("Your sessions").wait_for()


def main() -> None:
    PICTURES.mkdir(parents=True, exist_ok=True)
    with (
        tempfile.TemporaryDirectory() as folder,
        served_demo(Path(folder)) as served,
        sync_playwright() as playwright,
    ):
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        day = browser.new_context(
            viewport={"width": 1280, "height": 800}, base_url=served.address, color_scheme="light"
        )
        page = day.new_page()
        sign_in(page, served)
        for name, pose in (("rules", rules), ("answer", answer)):
            pose(page)
            take(page, name)
        page.keyboard.press("Escape")
        dragging(page)
        take(page, "dragging")
        page.keyboard.press("Escape")
        page.mouse.up()
        writing(page)
        take(page, "writing")
        answer_leaving(page)
        for name, pose in (
            ("names", names),
            ("schedules", schedules),
            ("findings", findings),
            ("ground", ground),
        ):
            pose(page)
            take(page, name)
        page.keyboard.press("Escape")
        for name, pose in (
            ("policies", policies),
            ("question", question),
            ("verify", verify),
            ("segments", segments),
            ("holds", holds),
            ("standing", standing),
            ("people", people),
        ):
            pose(page)
            take(page, name)
        night = browser.new_context(
            viewport={"width": 1280, "height": 800},
            base_url=served.address,
            color_scheme="dark",
            storage_state=day.storage_state(),
        )
        page = night.new_page()
        page.goto("/networks/1/rules")
        page.wait_for_selector("[data-rule]")
        rules(page)
        take(page, "rules-night")
        page = day.new_page()  # last, for it changes the draft
        page.goto("/networks/1/rules")
        page.wait_for_selector("[data-rule]")
        for name, pose in (("editions", editions), ("release", release)):
            pose(page)
            take(page, name)
        page = day.new_page()  # a network of its own
        first_network(page)
        take(page, "first-network")
        browser.close()


if __name__ == "__main__":
    main()
