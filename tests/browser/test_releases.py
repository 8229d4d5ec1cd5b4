"""Two editors on one draft, reviewed and released; mistakes that come back; signatures that lapse and that survive."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import pytest
from driving import Served, choose, give_reasons, opened, prove, row, sign_in
from playwright.sync_api import Browser, Page, expect

pytestmark = pytest.mark.browser
RELEASE = "/networks/1/editions/release"
REVIEW = "/networks/1/editions/review"


@pytest.fixture
def colleague(browser: Browser, served: Served) -> Iterator[Page]:
    """Somebody else, who reviews."""
    with opened(browser, served) as page:
        sign_in(page, served, "colleague", REVIEW, "[aria-label=Signatures]")
        yield page


@pytest.fixture(autouse=True)
def proved(desk: Page, served: Served) -> None:
    prove(desk, served)


def to_policy(page: Page, name: str) -> None:
    page.get_by_role("link", name=re.compile(f"^{name}")).click()
    page.wait_for_selector("[role=grid] [data-rule]")


def switch(page: Page, policy: str, rule: str) -> None:
    """Switch a rule off, or on again."""
    to_policy(page, policy)
    row(page, rule).click()
    with page.expect_response(lambda r: r.request.method != "GET" and "/rules/" in r.url):  # it is saved then
        page.get_by_role("button", name=re.compile("^Switch o(ff|n)$")).click()


def needs(page: Page, reviewers: int) -> None:
    page.goto(RELEASE)
    part = page.get_by_label("What releases need")
    part.get_by_role("button", name="change").first.click()
    choose(part, "Signatures", ("nobody has to sign", "one has to sign")[reviewers])
    part.get_by_role("button", name="Save").click()
    expect(part).to_contain_text(("nobody has to sign", "one has to sign")[reviewers])


def release(page: Page, why: str, minutes: int = 0) -> Any:
    """Fill in and send; gives the line of the release."""
    page.goto(RELEASE)
    form = page.get_by_label("Bring into force")
    form.get_by_label("Why it is released").fill(why)
    form.get_by_role("spinbutton").fill(str(minutes))
    give_reasons(form)
    button = form.get_by_role("button", name="Bring into force")
    expect(button).to_be_enabled()
    button.click()
    line = page.get_by_label("Releases").locator("[data-release]").first
    expect(line).to_contain_text(why)
    return line


def ask(page: Page, question: str) -> None:
    page.get_by_label("Ask who may reach what").fill(question)
    page.keyboard.press("Enter")


def test_two_editors_one_draft_reviewed_released_and_brought_back(
    desk: Page, colleague: Page, browser: Browser, served: Served
) -> None:
    """Both edit; the one who has edits in it cannot sign, so an edit of theirs is taken back; released with a signature
    to devices that all follow; then it turns out to be a mistake and goes back, and so do the devices."""
    needs(desk, 1)
    switch(desk, "ramp-side", "historian reads ramps")
    ask(desk, "tide-historian to ramp-plcs on modbus")
    expect(desk.get_by_test_id("in-force")).to_contain_text("In force: allowed by historian reads ramps")
    desk.keyboard.press("Escape")
    switch(colleague, "yard-manners", first_of(colleague, "yard-manners"))
    colleague.goto(REVIEW)
    expect(colleague.locator("main")).to_contain_text("you have edits of your own in it")
    expect(colleague.get_by_label("Contributors").get_by_role("listitem")).to_have_count(2)
    desk.goto(RELEASE)
    expect(desk.get_by_label("What stops it")).to_contain_text("0 of 1 signatures stand")
    # The colleague's edit becomes part of what is in force without them; then they can sign what the engineer adds.
    needs(desk, 0)
    release(desk, "what both of us did")
    needs(desk, 1)
    switch(desk, "ramp-side", "historian reads ramps")
    colleague.goto(REVIEW)
    expect(colleague.get_by_label("What the draft would do")).to_contain_text(
        "Opens tide-historian → ramp-plcs : modbus"
    )
    colleague.get_by_label("Remark", exact=True).fill("seen with the tower")
    colleague.get_by_role("button", name="I stand for what it does").click()
    expect(colleague.get_by_label("Signatures")).to_contain_text("stands: the draft is as it was signed")
    line = release(desk, "the historian reads again")
    expect(line).to_contain_text("in force")
    expect(line.locator("ul").first.locator("li")).to_have_count(6)
    # A mistake: the edition before comes back, without anybody having to sign it again.
    line = desk.get_by_label("Releases").locator("[data-release]").nth(1)
    line.get_by_role("link", name="back into force").click()
    form = desk.get_by_label("Bring into force")
    expect(form).to_contain_text("Closes tide-historian → ramp-plcs : modbus")
    form.get_by_label("Why it is released").fill("the historian wrote")
    give_reasons(form)
    form.get_by_role("button", name="Bring into force").click()
    line = desk.get_by_label("Releases").locator("[data-release]").first
    expect(line).to_contain_text("the historian wrote")
    expect(line.locator(".state")).to_have_text("in force")
    follow = desk.get_by_label("Devices that follow").get_by_role("listitem").first
    follow.get_by_role("button", name="what does it have?").click()
    expect(follow).to_contain_text("as released")
    ask(desk, "tide-historian to ramp-plcs on modbus since when")
    expect(desk.get_by_test_id("since")).to_contain_text("Demo Engineer")


def first_of(page: Page, policy: str) -> str:
    to_policy(page, policy)
    return page.locator("[data-rule]").first.locator(".called").inner_text()


def test_signatures_lapse_and_survive_while_an_unconfirmed_release_goes_back(
    desk: Page, colleague: Page
) -> None:
    """The release has a minute; meanwhile one signature lives through a rename and lapses with an edit."""
    needs(desk, 0)
    switch(desk, "night-watch", first_of(desk, "night-watch"))
    line = release(desk, "to be forgotten", minutes=1)
    expect(line).to_contain_text("unless somebody confirms")
    number = line.get_attribute("data-release")
    expect(desk.get_by_role("status").filter(has_text=f"Release {number} goes back in")).to_be_visible()

    switch(desk, "night-watch", first_of(desk, "night-watch"))
    colleague.goto(REVIEW)
    colleague.get_by_role("button", name="I stand for what it does").click()
    mine = colleague.get_by_label("Signatures").get_by_role("listitem").first
    expect(mine).to_contain_text("as it was signed")
    to_policy(desk, "night-watch")
    name = first_of(desk, "night-watch")
    row(desk, name).click()
    expect(desk.locator(".about h2")).to_contain_text(name)
    desk.get_by_role("button", name=re.compile("^Edit")).first.click()
    desk.locator("#rule-why").fill("told in other words")
    desk.get_by_role("button", name="Save").press(
        "Enter"
    )  # what is told above it may move it under a pointer
    expect(desk.get_by_label("Rule", exact=True)).to_contain_text("told in other words")
    expect(mine).to_contain_text("edited since, same effect, proven")
    switch(desk, "night-watch", first_of(desk, "night-watch"))
    expect(mine).to_contain_text("lapsed: the draft does something else now")
    mine.get_by_text("what changed since").click()
    expect(mine).to_contain_text("night-watch")

    desk.goto(RELEASE)
    gone = desk.get_by_label("Releases").locator(f"[data-release='{number}']")
    expect(gone.locator(".fate")).to_have_text("went back: nobody confirmed in time", timeout=90_000)
    switch(desk, "night-watch", first_of(desk, "night-watch"))


def test_a_release_that_waits_to_be_confirmed_is_the_first_thing_on_the_home(desk: Page) -> None:
    needs(desk, 0)
    switch(desk, "night-watch", first_of(desk, "night-watch"))
    number = release(desk, "to be confirmed at home", minutes=5).get_attribute("data-release")
    desk.goto("/networks/1/standing")
    way = desk.get_by_role("status", name="Release under way")
    expect(way).to_contain_text(
        re.compile(rf"Release {number} of edition \d+.*goes back in \d:\d\d unless"), timeout=60_000
    )
    way.get_by_role("button", name="It works: confirm").click()
    expect(way).to_be_hidden(timeout=60_000)
    switch(desk, "night-watch", first_of(desk, "night-watch"))
