"""Findings: mended and accepted from the list, by hand and by keys; and the ways around something that must be blocked."""

from __future__ import annotations

import re

import pytest
from driving import row
from playwright.sync_api import Locator, Page, expect

pytestmark = pytest.mark.browser
LATE = 90_000


def line(page: Page, text: str) -> Locator:
    return page.get_by_role("grid", name="Findings").get_by_role("row").filter(has_text=text)


@pytest.fixture
def listed(desk: Page) -> Page:
    desk.goto("/networks/1/findings")
    expect(line(desk, "vessel diagnostics")).to_be_visible(timeout=LATE)
    return desk


def test_a_finding_is_accepted_with_a_reason_and_comes_back(listed: Page) -> None:
    line(listed, "Petrel bridge").click()
    panel = listed.get_by_role("complementary", name="A finding")
    expect(panel.get_by_role("button", name="Accept until then")).to_be_disabled()
    expect(panel.get_by_text("Same effect, proven.")).to_be_visible(timeout=LATE)  # it moves what is below
    panel.get_by_label("Why it may stay").fill("the Petrel is laid up")
    panel.get_by_label("Until", exact=True).fill("2020-01-01")
    panel.get_by_role("button", name="Accept until then").press("Enter")
    expect(panel.get_by_role("alert")).to_contain_text("that day is past")
    panel.get_by_label("Until", exact=True).fill("2031-03-31")
    panel.get_by_role("button", name="Accept until then").press("Enter")
    expect(line(listed, "Petrel bridge")).to_have_count(0, timeout=LATE)
    listed.get_by_role("button", name="1 accepted").click()
    expect(line(listed, "Petrel bridge")).to_contain_text("until 2031-03-31: the Petrel is laid up")
    line(listed, "Petrel bridge").click()
    panel.get_by_role("button", name="Accept it no more").press("Enter")
    expect(listed.get_by_text("Nobody accepts anything.")).to_be_visible(timeout=LATE)


def test_a_dead_rule_is_mended_from_the_list_by_keys(listed: Page) -> None:
    line(listed, "vessel diagnostics").click()
    panel = listed.get_by_role("complementary", name="A finding")
    expect(panel.get_by_text("Same effect, proven.")).to_be_visible(timeout=LATE)
    panel.get_by_label("Move it to").check()
    expect(panel.get_by_text("In this policy")).to_be_visible(timeout=LATE)
    expect(panel.get_by_text("Opens", exact=True).first).to_be_visible()
    panel.get_by_label("Delete it").check()
    expect(panel.get_by_text("Same effect, proven.")).to_be_visible(timeout=LATE)
    panel.get_by_role("button", name="Delete it").press("Enter")
    expect(line(listed, "vessel diagnostics")).to_have_count(0, timeout=LATE)
    listed.keyboard.press("Control+z")
    expect(line(listed, "vessel diagnostics")).to_be_visible(timeout=LATE)
    line(listed, "vessel diagnostics").click()
    listed.get_by_role("heading", name="Findings").click()
    listed.keyboard.press("Enter")
    expect(row(listed, "vessel diagnostics")).to_be_visible(timeout=LATE)


def test_it_is_grouped_sifted_and_told_what_is_new(listed: Page) -> None:
    grid = listed.get_by_role("grid", name="Findings")
    expect(grid.get_by_role("rowheader").first).to_have_text(re.compile("^Warnings"))
    listed.get_by_role("combobox", name="Grouped").press("ArrowDown")
    listed.get_by_role("option", name="by policy").click()
    expect(grid.get_by_role("rowheader").first).to_have_text(re.compile("^ramp-side"))
    listed.get_by_label("Find", exact=True).fill("spring-tides")
    expect(grid.get_by_role("rowheader")).to_have_count(1)
    listed.get_by_label("Find", exact=True).fill("")
    listed.get_by_role("combobox", name="New").press("ArrowDown")
    listed.get_by_role("option", name="new since edition 1").click()
    expect(listed.get_by_text("Nothing that was not found then as well.")).to_be_visible(timeout=LATE)


def test_the_ways_around_a_block_are_told(desk: Page) -> None:
    desk.goto("/networks/1/verify/holds")
    desk.get_by_text("guests stay out of control", exact=True).click(timeout=LATE)
    ways = desk.get_by_role("region", name="Ways around it")
    expect(ways.get_by_role("listitem").filter(has_text="the other way")).to_contain_text(
        "works", timeout=LATE
    )
    expect(ways.get_by_role("button", name="this must stay blocked too")).to_have_count(1)
    ways.get_by_role("button", name="and while something is unplugged?").click()
    expect(ways.get_by_role("status")).to_contain_text(re.compile("Nothing more|no time"), timeout=LATE)


def test_what_a_rule_does_is_written_as_something_that_must_hold(desk: Page) -> None:
    row(desk, "no guests on the ramps").click()
    desk.get_by_role("link", name="what it blocks must stay so").click()
    panel = desk.get_by_role("complementary", name="One that must hold")
    expect(panel.locator("#thing-name")).to_have_value(re.compile("never reach"), timeout=LATE)
    expect(panel.get_by_role("status").first).to_contain_text(re.compile("holds|does not"), timeout=LATE)
