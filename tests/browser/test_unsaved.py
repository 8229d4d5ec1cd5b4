"""Nothing that somebody has written is lost without a word, and nothing that was discarded is saved."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import pytest
from driving import LEAVING, Served, answer_leaving, opened, row, sign_in, write_rule
from playwright.sync_api import Browser, Page, Route, expect

SIX = ["10.44.0.1", "10.44.0.2", "10.44.0.300", "ramp-plc", "nobody here", "10.44.0.6"]


@pytest.fixture
def said(desk: Page) -> Iterator[list[str]]:
    """What the page asks before something is left; everything is answered with yes."""
    found = answer_leaving(desk)

    def by_the_browser(dialog: Any) -> None:
        found.append(dialog.type)
        dialog.accept()

    desk.on("dialog", by_the_browser)
    yield found


def paste(desk: Page, field: str, text: str) -> None:
    desk.evaluate(
        """([field, text]) => {
            const data = new DataTransfer()
            data.setData('text', text)
            const event = new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true })
            document.querySelector(field).dispatchEvent(event)
        }""",
        [field, text],
    )


def members(desk: Page, field: str) -> list[str]:
    inside = desk.locator(".member-field").filter(has=desk.locator(field))
    return [text.removesuffix("×").strip() for text in inside.locator(".member").all_inner_texts()]


def renamed(desk: Page, rule: str, name: str) -> None:
    row(desk, rule).dblclick()
    desk.fill("#rule-name", name)


def test_every_pasted_line_is_a_member_or_is_said_not_to_be(desk: Page, said: list[str]) -> None:
    row(desk, "monitoring").click()
    desk.keyboard.press("n")
    desk.locator("#field-source").focus()
    paste(desk, "#field-source", "\n".join(SIX))
    expect(desk.locator(".member")).to_have_count(6)
    assert members(desk, "#field-source") == SIX
    expect(desk.locator(".member.strange")).to_have_text(["10.44.0.300 ×", "nobody here ×"])
    expect(desk.get_by_text("'10.44.0.300' is not an IP address")).to_be_visible()
    desk.locator("#field-destination").focus()
    desk.keyboard.type("10.44.1.1, 10.44.1.2;linkspans")
    desk.keyboard.press("Tab")
    expect(desk.locator(".member")).to_have_count(9)
    assert members(desk, "#field-destination") == ["10.44.1.1", "10.44.1.2", "linkspans"]
    desk.get_by_role("button", name="Discard").click()
    expect(desk.locator("#rule-name")).to_have_count(0)
    assert said == [LEAVING]


def test_a_list_of_prefixes_takes_pasted_lines(desk: Page, said: list[str]) -> None:
    desk.goto("/networks/1/ground")
    desk.get_by_role("button", name="add segment").first.click()
    desk.locator("#thing-prefixes").focus()
    paste(desk, "#thing-prefixes", "10.44.190.0/24\n10.44.191.0/24 fd44:190::/64")
    expect(desk.locator(".form-field .member")).to_have_count(3)
    desk.get_by_role("button", name="Discard").click()


def test_what_was_discarded_while_offline_is_never_sent(desk: Page, said: list[str]) -> None:
    renamed(desk, "pilots to ramp HMI", "nobody wants this")
    desk.context.set_offline(True)
    desk.get_by_role("button", name="Save").click()
    expect(desk.locator(".away")).to_contain_text("cannot be reached")
    expect(desk.get_by_label("Rule", exact=True)).to_contain_text("What is written here stays")
    assert desk.input_value("#rule-name") == "nobody wants this"
    desk.get_by_role("button", name="Discard").click()
    desk.context.set_offline(False)
    expect(desk.locator(".away")).to_have_count(0)
    desk.reload()
    expect(row(desk, "pilots to ramp HMI")).to_be_visible()
    expect(row(desk, "nobody wants this")).to_have_count(0)


@pytest.mark.parametrize("told_first", [False, True])
def test_what_could_not_be_saved_is_saved_when_the_server_is_back(desk: Page, told_first: bool) -> None:
    """The answer is lost, the edit is not: sent again, it is done once. The page may hear of the edit before it knows that
    its answer is lost."""
    sent: list[int] = []

    def lose_the_first_answer(route: Route) -> None:
        if route.request.method != "PUT":
            route.continue_()
            return
        sent.append(1)
        if len(sent) > 1:
            route.continue_()
            return
        route.fetch()
        if told_first:
            desk.wait_for_timeout(1500)
        route.abort()

    renamed(desk, "pilots to ramp HMI", "pilots, saved twice")
    desk.route("**/rules/*", lose_the_first_answer)
    desk.get_by_role("button", name="Save").click()
    told = re.compile("saved all the same" if told_first else "What is written here stays|saved all the same")
    expect(desk.get_by_label("Rule", exact=True)).to_contain_text(told)
    desk.get_by_role("button", name="Save").click()
    expect(row(desk, "pilots, saved twice")).to_be_visible()
    expect(desk.locator("#rule-name")).to_have_count(0)
    assert len(sent) == 2
    desk.keyboard.press("Control+z")
    expect(row(desk, "pilots to ramp HMI")).to_be_visible()


def test_leaving_is_asked_about_and_a_reload_keeps_it(desk: Page, said: list[str]) -> None:
    renamed(desk, "pilots to ramp HMI", "half written")
    desk.locator("#field-source").focus()
    desk.keyboard.type("to")
    expect(desk.get_by_role("option").first).to_be_visible()
    desk.keyboard.press("Escape")  # closes the list, not the form
    expect(desk.locator("#rule-name")).to_have_value("half written")
    assert said == []
    desk.reload()
    expect(desk.locator("#rule-name")).to_have_value("half written")
    expect(desk.get_by_text("before the page was loaded anew")).to_be_visible()
    assert said == ["beforeunload"]
    desk.get_by_role("link", name="sensor-side").click()
    expect(desk.get_by_role("heading", name="sensor-side")).to_be_visible()
    desk.go_back()
    expect(desk.get_by_role("heading", name="ramp-side")).to_be_visible()
    expect(desk.locator("#rule-name")).to_have_count(0)
    assert said == ["beforeunload", LEAVING]


def test_whoever_does_not_want_to_leave_stays(desk: Page) -> None:
    for policy in ("sensor-side", "ramp-side"):  # so that there is a way back within the page
        desk.get_by_role("link", name=policy).click()
        expect(desk.get_by_role("heading", name=policy)).to_be_visible()
    renamed(desk, "pilots to ramp HMI", "stay here")
    question = desk.get_by_role("alertdialog")
    for leave in (
        lambda: desk.get_by_role("link", name="Names", exact=True).click(),
        lambda: desk.get_by_role("link", name="sensor-side").click(),
        lambda: row(desk, "monitoring").click(),
        lambda: desk.press("#rule-name", "Escape"),
        lambda: desk.get_by_role("button", name="Discard").click(),
        lambda: desk.evaluate("history.back()"),
    ):
        leave()
        expect(question).to_contain_text(LEAVING)
        desk.keyboard.press("Escape")
        expect(question).to_have_count(0)
        expect(desk.locator("#rule-name")).to_have_value("stay here")
    expect(desk.get_by_role("heading", name="ramp-side")).to_be_visible()


def test_a_new_name_and_a_new_segment_come_through_a_reload(desk: Page, said: list[str]) -> None:
    desk.goto("/networks/1/names")
    desk.get_by_role("button", name="add addresses").click()
    desk.fill("#name-name", "hangar desks")
    desk.reload()
    expect(desk.locator("#name-name")).to_have_value("hangar desks")
    desk.get_by_role("button", name="Discard").click()
    desk.goto("/networks/1/ground")
    desk.get_by_role("button", name="add segment").first.click()
    desk.fill("#thing-name", "hangar")
    desk.reload()
    expect(desk.locator("#thing-name")).to_have_value("hangar")
    desk.get_by_role("button", name="Discard").click()


def test_signing_in_again_gives_the_form_back(browser: Browser, served: Served) -> None:
    with opened(browser, served) as page:
        sign_in(page, served, to="/networks/1/rules")
        renamed(page, "pilots to ramp HMI", "written before the end")
        page.context.clear_cookies()
        again = page.get_by_role("dialog", name="Your session has ended")
        expect(again).to_be_visible()
        page.fill("#again-password", "a wrong one, of course")
        page.keyboard.press("Enter")
        expect(again).to_contain_text("do not go together")
        page.fill("#again-password", served.password)
        page.keyboard.press("Enter")
        expect(again).to_have_count(0)
        expect(page.locator("#rule-name")).to_have_value("written before the end")
        page.get_by_role("button", name="Save").click()
        expect(row(page, "written before the end")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(row(page, "pilots to ramp HMI")).to_be_visible()


def test_quick_presses_are_ones_own(desk: Page) -> None:
    """Each edit begins when the one before is answered: nobody is told that somebody else was quicker."""
    names = desk.locator("[data-rule] .called").all_inner_texts()
    row(desk, "no cameras inward").click()
    for _ in range(4):
        desk.keyboard.press("x")
    for _ in range(3):
        desk.keyboard.press("Alt+ArrowUp")
    at = names.index("no cameras inward")
    expect(desk.locator("[data-rule] .called").nth(at - 3)).to_have_text("no cameras inward")
    for _ in range(3):
        desk.keyboard.press("Alt+ArrowDown")
    expect(desk.locator("[data-rule] .called")).to_have_text(names)
    expect(row(desk, "no cameras inward").locator(".off")).to_have_count(0)
    expect(desk.locator(".notice")).to_have_count(0)


def test_a_rule_deleted_meanwhile_is_told_at_once_and_can_be_added(
    desk: Page, browser: Browser, served: Served, signed_in: Any
) -> None:
    renamed(desk, "monitoring", "monitoring anew")
    with opened(browser, served, storage_state=signed_in) as other:
        other.goto("/networks/1/rules")
        row(other, "monitoring").click()
        other.keyboard.press("Delete")
        other.get_by_role("dialog").get_by_role("button", name="Delete").click()
        expect(row(other, "monitoring")).to_have_count(0)
        expect(desk.get_by_text("Somebody has deleted it.")).to_be_visible()
        desk.get_by_role("button", name="Add as new").click()
        expect(row(desk, "monitoring anew")).to_be_visible()
        desk.keyboard.press("Control+z")
        expect(row(desk, "monitoring anew")).to_have_count(0)
        desk.keyboard.press("Control+z")
        expect(row(desk, "monitoring")).to_be_visible()


def test_a_new_form_knows_nothing_of_the_one_before(desk: Page, said: list[str]) -> None:
    """Neither what the discarded rule would have done, nor why another was refused."""
    row(desk, "monitoring").click()
    desk.keyboard.press("n")
    write_rule(desk, "x", "tower", "ramp-hmi", "https", action="drop")
    expect(desk.get_by_test_id("preview")).to_be_visible()
    desk.get_by_role("button", name="Discard").click()
    expect(desk.locator("#rule-name")).to_have_count(0)
    desk.keyboard.press("n")
    expect(desk.locator("#rule-name")).to_have_value("")
    for _ in range(5):
        assert desk.get_by_test_id("preview").count() == 0
        desk.wait_for_timeout(60)


def test_a_policy_is_added_from_the_ground_too(desk: Page) -> None:
    desk.goto("/networks/1/ground")
    for _ in range(2):
        desk.get_by_role("link", name="add policy").click()
        expect(desk.get_by_role("heading", name="New policy")).to_be_visible()
        desk.get_by_role("button", name="Close").click()


def test_tab_completes_what_was_typed_however_late_the_list_comes(desk: Page) -> None:
    desk.route("**/completions*", lambda route: (desk.wait_for_timeout(250), route.continue_()))
    desk.keyboard.press("/")
    desk.keyboard.type("passenger-w")
    desk.keyboard.press("Tab")
    desk.keyboard.type("to ramp-pl")
    desk.keyboard.press("Tab")
    desk.keyboard.type("on modbus")
    expect(desk.get_by_label("Ask who may reach what")).to_have_value("passenger-wifi to ramp-plc on modbus")


def test_a_rule_held_by_keys_is_put_down_wherever_the_list_has_gone(desk: Page) -> None:
    """Its own row left what is in sight long ago."""
    desk.set_viewport_size({"width": 1280, "height": 420})
    desk.get_by_role("link", name="from-our-sites").click()
    called = desk.locator("[data-rule] .called")
    expect(desk.get_by_role("heading", name="from-our-sites")).to_be_visible()
    first = called.first.inner_text()
    row(desk, first).click()
    desk.keyboard.press("m")
    desk.keyboard.press("End")
    expect(row(desk, first)).not_to_be_in_viewport()
    desk.keyboard.press("ArrowUp")
    desk.keyboard.press("Enter")
    expect(row(desk, first)).to_be_in_viewport()
    expect(desk.locator("[data-rule]").last.locator(".called")).not_to_have_text(first)
    desk.keyboard.press("Control+z")
    desk.keyboard.press("Home")
    expect(called.first).to_have_text(first)
