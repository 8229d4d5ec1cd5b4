"""By keyboard only: keys do what they say wherever the focus is, few stops lead anywhere, and the address keeps what is shown."""

from __future__ import annotations

import re

import pytest
from driving import row
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.browser
FOCUSED = "document.activeElement.closest('[data-pane]')?.className ?? ''"
CHOSEN = "[data-rule][aria-selected=true] .called"


def test_keys_work_before_anything_has_the_focus(desk: Page) -> None:
    desk.reload()
    expect(row(desk, "pilots to ramp HMI")).to_be_visible()
    assert desk.evaluate("document.activeElement === document.body")
    desk.keyboard.press("ArrowDown")
    expect(desk.locator(CHOSEN)).to_have_text("pilots to ramp HMI")
    desk.keyboard.press("Escape")
    expect(desk.locator(CHOSEN)).to_have_count(0)
    desk.keyboard.press("n")
    expect(desk.locator("#rule-name")).to_be_visible()
    desk.get_by_role("link", name="Findings").focus()
    desk.keyboard.press("t")  # missed the field: nothing happens to the list
    expect(desk.get_by_role("complementary", name="Tidy")).to_have_count(0)
    desk.keyboard.press("Escape")
    expect(desk.locator("#rule-name")).to_have_count(0)
    desk.get_by_role("link", name="Findings").focus()
    desk.keyboard.press("t")  # a letter is the place's, whatever link has the focus
    expect(desk.get_by_role("complementary", name="Tidy")).to_be_visible()
    desk.keyboard.press("t")
    desk.keyboard.press("?")
    sheet = desk.get_by_role("dialog")
    expect(sheet).to_contain_text("a new rule, where it works")
    expect(sheet).to_contain_text("ask who may reach what")
    desk.keyboard.press("n")  # not behind the sheet
    expect(desk.locator("#rule-name")).to_have_count(0)
    desk.keyboard.press("Escape")
    expect(sheet).to_have_count(0)


def test_a_few_stops_lead_anywhere(desk: Page) -> None:
    desk.reload()
    expect(row(desk, "pilots to ramp HMI")).to_be_visible()
    desk.keyboard.press("Tab")
    expect(desk.get_by_role("button", name="To the place itself")).to_be_focused()
    desk.keyboard.press("Enter")
    expect(row(desk, "pilots to ramp HMI")).to_be_focused()
    panes = []
    for _ in range(3):
        desk.keyboard.press("F6")
        panes.append(desk.evaluate(FOCUSED))
    assert [p.split()[0] for p in panes] == ["panel", "places", "list"]
    desk.keyboard.press("Shift+F6")
    assert "places" in desk.evaluate(FOCUSED)
    # All policies are one stop, with the arrows within.
    desk.get_by_role("link", name=re.compile("^ramp-side")).focus()
    desk.keyboard.press("ArrowDown")
    expect(desk.get_by_role("link", name=re.compile("^sensor-side"))).to_be_focused()
    desk.keyboard.press("Tab")
    expect(desk.get_by_role("link", name="Verify")).to_be_focused()
    # From the list's one stop the next is the panel, not a name in another row.
    desk.keyboard.press("Home")
    row(desk, "harbour master view").click()
    stops = desk.locator("[data-rule] [tabindex='0'], [data-rule][tabindex='0']")
    assert stops.count() == 1 + row(desk, "harbour master view").locator("[tabindex='0']").count()


def test_the_address_keeps_the_chosen_rule_and_what_is_looked_for(desk: Page) -> None:
    row(desk, "monitoring").click()
    expect(desk).to_have_url(re.compile(r"rule=\d+"))
    assert desk.title() == "ramp-side · Merrow Sound Ferries · Sarvex"
    desk.reload()
    expect(desk.locator(CHOSEN)).to_have_text("monitoring")
    desk.keyboard.press("f")
    desk.keyboard.type("historian")
    expect(desk).to_have_url(re.compile("find=:?(%3A)?historian"))
    desk.reload()
    expect(desk.get_by_label("Find rules")).to_have_value("historian")
    expect(desk.locator("[data-rule]")).to_have_count(1)
    desk.get_by_role("link", name="Findings").click()
    expect(desk).to_have_title("Findings · Merrow Sound Ferries · Sarvex")
    desk.go_back()
    expect(desk.get_by_label("Find rules")).to_have_value("historian")
    desk.get_by_role("button", name="show all").click()
    desk.get_by_role("link", name=re.compile("^sensor-side")).click()
    expect(desk).to_have_url(re.compile(r"rules/\d+($|\?(?!.*rule=))"))
    expect(desk.locator(CHOSEN)).to_have_count(0)
