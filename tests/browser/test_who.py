"""Who somebody is: a second factor, the password once more, and one that somebody else knows."""

from __future__ import annotations

import time

import pyotp
from driving import Served, opened, prove
from playwright.sync_api import Browser, Page, Route, expect

GIVEN, OWN = "the ferry leaves at seven", "the harbour sleeps at two"


def entered(page: Page, login: str, password: str) -> None:
    page.goto("/sign-in")
    page.fill("#login", login)
    page.fill("#password", password)
    page.get_by_role("button", name="Sign in").click()


def test_a_given_password_is_changed_and_a_second_factor_is_set_up(
    desk: Page, browser: Browser, served: Served
) -> None:
    prove(desk, served)
    desk.goto("/people")
    desk.get_by_label("sign-in name").fill("torben")
    desk.get_by_label("password", exact=True).fill(GIVEN)
    desk.get_by_role("button", name="Let in").click()
    expect(desk.get_by_role("status")).to_have_text("torben may sign in as viewer.")
    line = desk.get_by_role("row").filter(has_text="torben")
    expect(line).to_contain_text("has to change the password")
    with opened(browser, served) as page:
        entered(page, "torben", GIVEN)
        expect(page.get_by_role("alert")).to_contain_text("Somebody else gave you this password")
        page.goto("/networks/1/rules")
        expect(page.get_by_role("alert")).to_contain_text("Change it first")  # there is no way past it
        page.get_by_label("now", exact=True).fill(GIVEN)
        page.get_by_label("new, 15 characters or more").fill(OWN)
        page.get_by_role("button", name="Change").click()
        expect(page.get_by_role("status")).to_contain_text("Your password is changed.")
        page.get_by_role("button", name="Set one up").click()
        totp = pyotp.TOTP(page.locator(".factor .raw").inner_text().replace(" ", ""))
        page.get_by_label("the code that it shows").fill("000000")
        page.get_by_role("button", name="Confirm").click()
        expect(page.locator(".factor")).to_contain_text("this code does not count")
        page.get_by_label("the code that it shows").fill(totp.now())
        used = totp.now()
        page.get_by_role("button", name="Confirm").click()
        expect(page.get_by_label("Second factor", exact=True)).to_contain_text("asked for a code as well")
        page.context.clear_cookies()
        entered(page, "torben", OWN)
        expect(page.locator("#code")).to_be_focused()
        page.fill("#code", used)
        page.keyboard.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("does not count")
        fresh = totp.at(int(time.time()) + 30)  # the next one counts already
        page.fill("#code", fresh)
        page.keyboard.press("Enter")
        expect(page.get_by_text("Merrow Sound Ferries").first).to_be_visible()
        page.goto("/networks/1/rules")
        page.locator("[role=grid] [data-rule]").first.click()
        page.keyboard.press("Shift+ArrowDown")
        expect(page.locator("[role=grid] [aria-selected=true]")).to_have_count(2)
        panel = page.get_by_label("Rule", exact=True)
        expect(panel.locator("h2").first).to_be_visible()
        for act in ("move", "Delete", "Edit", "switch off", "delete"):
            expect(panel.get_by_role("button", name=act)).to_have_count(0)  # whoever looks is offered no act
    prove(desk, served)
    desk.reload()
    line.get_by_role("button", name="lost second factor").click()
    expect(desk.get_by_role("status")).to_have_text("torben signs in without a code.")
    line.get_by_role("button", name="shut out").click()


def test_the_password_once_more_and_then_it_is_done(desk: Page, served: Served) -> None:
    """It is a while since the session was opened: what was asked for waits for the password, and is not lost."""

    def too_old(route: Route) -> None:
        told = {
            "type": "/problems/403",
            "title": "Not allowed",
            "status": 403,
            "detail": "once more",
            "kind": "proof",
        }
        route.fulfill(status=403, json=told, content_type="application/problem+json")

    prove(desk, served)
    desk.goto("/networks/1/editions/release")
    desk.get_by_label("What releases need").get_by_role("button", name="change").first.click()
    desk.get_by_label("Minutes to confirm, 0 for none").fill("7")
    desk.route("**/releases/settings", too_old, times=1)
    desk.get_by_role("button", name="Save").click()
    asked = desk.get_by_role("dialog", name="Your password once more")
    desk.fill("#again-password", "a wrong one, of course")
    desk.keyboard.press("Enter")
    expect(asked).to_contain_text("this is not your password")
    desk.fill("#again-password", served.password)
    desk.keyboard.press("Enter")
    expect(asked).to_have_count(0)
    expect(desk.get_by_label("What releases need")).to_contain_text("within 7 minutes")
    desk.get_by_label("What releases need").get_by_role("button", name="change").first.click()
    desk.get_by_label("Minutes to confirm, 0 for none").fill("0")
    desk.route("**/releases/settings", too_old, times=1)
    desk.get_by_role("button", name="Save").click()
    asked.get_by_role("button", name="Cancel").click()
    expect(desk.get_by_label("What releases need")).to_contain_text("once more")
    assert desk.get_by_label("Minutes to confirm, 0 for none").input_value() == "0"  # nothing is lost
    desk.get_by_role("button", name="Save").click()
    expect(desk.get_by_label("What releases need")).to_contain_text("without being confirmed")
