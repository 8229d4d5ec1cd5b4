"""Who somebody is: a second factor, the password once more, and one that somebody else knows."""

from __future__ import annotations

import time

import httpx2 as httpx
import pyotp
from driving import Served, choose, opened, prove, sign_in
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


def test_a_token_is_told_once_and_ends_when_it_is_revoked(desk: Page, served: Served) -> None:
    prove(desk, served)
    desk.goto("/people")
    tokens = desk.get_by_label("Tokens for scripts", exact=True)
    tokens.get_by_label("for how many days").fill("a year")
    tokens.get_by_role("button", name="Make token").click()
    expect(tokens).to_contain_text("a name tells tokens apart")
    expect(tokens).to_contain_text("1 to 366 days")
    tokens.get_by_label("what it is for").fill("nightly check")
    tokens.get_by_label("for how many days").fill("30")
    choose(tokens, "where", "Merrow Sound Ferries")
    tokens.get_by_role("button", name="Make token").click()
    token = tokens.locator("code").inner_text()

    def status(method: str, path: str) -> int:
        given = {"Authorization": f"Bearer {token}"}
        return httpx.request(
            method, f"{served.address}/api/networks/1{path}", headers=given, json={}
        ).status_code

    assert (status("GET", ""), status("POST", "/settle"), status("GET", "0")) == (200, 403, 404)
    desk.reload()
    line = tokens.get_by_role("row").filter(has_text="nightly check")
    expect(line).to_contain_text("look and ask")
    expect(desk.get_by_text(token)).to_have_count(0)
    line.get_by_role("button", name="revoke").click()
    expect(line).to_have_count(0)
    assert status("GET", "") == 401


def test_a_role_in_one_network_counts_there(desk: Page, browser: Browser, served: Served) -> None:
    prove(desk, served)
    desk.goto("/people")
    line = desk.get_by_role("row").filter(has_text="colleague")

    def given(role: str) -> None:
        line.get_by_role("button", name="another in one network").click()
        choose(line.locator("form"), "role", role)
        choose(line.locator("form"), "in which network", "Merrow Sound Ferries")
        line.get_by_role("button", name="give", exact=True).click()
        expect(line).to_contain_text(f"{role} in Merrow Sound Ferries")

    with opened(browser, served) as page:
        given("viewer")
        sign_in(page, served, "colleague")
        page.locator("[role=grid] [data-rule]").first.click()
        expect(page.get_by_label("Rule", exact=True).locator("h2").first).to_be_visible()
        expect(page.get_by_label("Rule", exact=True).get_by_role("button", name="Edit")).to_have_count(0)
        line.get_by_role("button", name="as everywhere").click()
        given("none")
        page.goto("/?all")
        expect(page.get_by_text("Networks", exact=True)).to_be_visible()
        expect(page.get_by_text("Merrow Sound Ferries")).to_have_count(0)
        line.get_by_role("button", name="as everywhere").click()
        expect(line).not_to_contain_text("Merrow")
        page.goto("/networks/1/rules")
        page.locator("[role=grid] [data-rule]").first.click()
        expect(page.get_by_label("Rule", exact=True).get_by_role("button", name="Edit").first).to_be_visible()


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
