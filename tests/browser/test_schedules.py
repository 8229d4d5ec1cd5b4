"""Schedules on the page: read right with their exceptions, written with their mistakes told, their effect seen first."""

from __future__ import annotations

import re

import pytest
from driving import answer_leaving, row
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.browser
GATE = "gate-south to ramp-hmi-south on https"


def schedules(page: Page) -> None:
    page.get_by_role("link", name="Names", exact=True).click()
    page.get_by_role("link", name="schedules", exact=True).click()
    expect(page.get_by_role("row", name=re.compile("^boarding"))).to_be_visible()


def ask(page: Page, question: str) -> None:
    line = page.get_by_role("combobox", name="Ask who may reach what")
    line.fill(question)
    line.press("Enter")


def test_a_schedule_with_exceptions_is_not_misread(desk: Page) -> None:
    """Boarding is daily, but not for the first half hour of a Wednesday: the strip shows it and the trace agrees."""
    schedules(desk)
    desk.get_by_role("row", name=re.compile("^boarding")).click()
    panel = desk.get_by_label("Schedule", exact=True)
    days = panel.get_by_test_id("week").get_by_role("img")
    expect(days).to_have_count(7)
    expect(days.nth(1)).to_have_attribute("aria-label", re.compile(r"^Tue .*: 05:30–07:00$"))
    expect(days.nth(2)).to_have_attribute("aria-label", re.compile(r"06:00–07:00; excepted 05:30–06:00$"))
    expect(days.nth(6)).to_have_attribute("aria-label", re.compile(r": 00:00–00:30, 05:30–07:00"))
    expect(panel).to_contain_text("fri,sat from 22:30 until 00:30 the next day")
    panel.get_by_label("Show the week of").fill("2026-12-24")
    expect(days.nth(4)).to_have_attribute(
        "aria-label", "Fri 25 Dec: not active; excepted 05:30–07:00, 22:30–24:00"
    )
    panel.get_by_role("button", name="week after").click()
    expect(panel).to_contain_text("week of Mon 28 Dec")
    expect(panel.get_by_role("link", name="gate lowers the ramp", exact=True)).to_be_visible()

    verdict = desk.get_by_test_id("verdict")
    ask(desk, f"{GATE} at wed 05:45")
    expect(verdict).to_contain_text("blocked by rest at the ramp is logged")
    expect(desk.get_by_test_id("course")).to_contain_text(re.compile(r"wed \d{4}-\d\d-\d\d 05:45"))
    ask(desk, f"{GATE} at thu 05:45")
    expect(verdict).to_contain_text("allowed by gate lowers the ramp")
    ask(desk, GATE)
    expect(verdict).to_contain_text("allowed while boarding by gate lowers the ramp; otherwise blocked")
    course = desk.get_by_test_id("course")
    expect(course).to_contain_text("outside boarding")
    # The course leads to the rule, which shows when it is active.
    course.get_by_role("link", name=re.compile("gate lowers the ramp")).click()
    expect(row(desk, "gate lowers the ramp")).to_contain_text("while boarding")
    glance = desk.get_by_test_id("glance")
    expect(glance.get_by_role("img").nth(2)).to_have_attribute("aria-label", re.compile("excepted 05:30"))
    expect(row(desk, "pumps by hand")).to_contain_text("Expired.")


def test_what_an_exception_keeps_shut_is_told_before_it_is_taken_away(desk: Page) -> None:
    schedules(desk)
    desk.get_by_role("row", name=re.compile("^boarding")).click()
    panel = desk.get_by_label("Schedule", exact=True)
    panel.get_by_role("button", name="remove wed 05:30-06:00").click()
    told = panel.get_by_test_id("consequence")
    expect(told).to_contain_text("south-ramp")
    expect(told).to_contain_text(re.compile(r"Opens\s*gate-south → ramp-hmi-south : https wed 05:30-06:00"))
    expect(panel.get_by_test_id("week").get_by_role("img").nth(2)).to_have_attribute(
        "aria-label", re.compile(r": 05:30–07:00$")
    )
    panel.get_by_label("Active").fill("daily 05:30-05:30")
    panel.get_by_label("Active").press("Enter")
    expect(panel).to_contain_text("ends as it begins; a whole day is written 00:00-24:00")
    answer_leaving(desk)
    panel.get_by_role("button", name="Discard").click()
    ask(desk, f"{GATE} at wed 05:45")
    expect(desk.get_by_test_id("verdict")).to_contain_text("blocked")


def test_a_schedule_is_written_and_given_to_a_rule_by_keys(desk: Page) -> None:
    schedules(desk)
    desk.get_by_role("row", name=re.compile("^boarding")).focus()
    desk.keyboard.press("n")
    expect(desk.get_by_role("heading", name="New schedule")).to_be_visible()
    desk.keyboard.type("fuelling")
    desk.keyboard.press("Tab")
    for text in ("wed 05:00-06:00", "sat 23:00-01:00"):
        desk.keyboard.type(text)
        desk.keyboard.press("Enter")
    panel = desk.get_by_label("Schedule", exact=True)
    expect(panel).to_contain_text("Saturday 23:00 until Sunday 01:00")
    panel.get_by_role("button", name="Add").click()
    made = desk.get_by_role("row", name=re.compile("^fuelling"))
    expect(made).to_contain_text("unused")

    desk.get_by_role("link", name=re.compile("^south-cameras")).click()
    rule = desk.locator("[data-rule]").first
    rule.click()
    rule.press("Enter")
    desk.get_by_text("log, state, when").click()
    desk.get_by_label("When", exact=True).press("Enter")
    desk.get_by_role("option", name="fuelling").click()
    told = desk.get_by_test_id("consequence")
    expect(told).to_contain_text(re.compile("outside fuelling"))
    expect(desk.get_by_test_id("glance").get_by_role("img").nth(5)).to_have_attribute(
        "aria-label", re.compile("23:00–24:00$")
    )
    desk.get_by_role("button", name="Save").click()
    expect(rule).to_contain_text("while fuelling")
    desk.keyboard.press("Control+z")
    expect(rule).not_to_contain_text("while fuelling")
    schedules(desk)
    made.click()
    panel.get_by_role("button", name="Delete").click()
    expect(made).to_have_count(0)


def test_a_time_typed_in_the_rule_makes_a_schedule_or_finds_it(desk: Page) -> None:
    desk.get_by_role("link", name=re.compile("^south-cameras")).click()
    rule = desk.locator("[data-rule]").first
    answer_leaving(desk)

    def typed(text: str) -> None:
        rule.click()
        rule.press("Enter")
        desk.get_by_text("log, state, when").click()
        desk.get_by_label("When", exact=True).press("Enter")
        desk.get_by_role("option", name="at a time you type…").click()
        expect(desk.get_by_label("Weekly, in the network")).to_be_focused()
        desk.keyboard.type(text)
        desk.keyboard.press("Enter")

    typed("fri 20:00-moon 06:00")
    expect(desk.get_by_text("'moon' is no day")).to_be_visible()
    desk.get_by_label("Weekly, in the network").fill("fri 20:00-mon 06:00")
    desk.keyboard.press("Enter")
    expect(desk.get_by_test_id("glance")).to_contain_text("fri 20:00-mon 06:00")
    desk.get_by_role("button", name="Save").click()
    expect(rule).to_contain_text("while fri 20:00-mon 06:00")
    desk.keyboard.press("Control+z")
    expect(rule).not_to_contain_text("while")
    typed("Friday 20:00-24:00; sat,sun; mon 00:00-06:00")
    expect(desk.get_by_text("fri 20:00-mon 06:00 is active at these very moments.")).to_be_visible()
    desk.get_by_role("button", name="Discard").click()
    schedules(desk)
    desk.get_by_role("row", name=re.compile("^fri 20:00")).click()
    desk.get_by_label("Schedule", exact=True).get_by_role("button", name="Delete").click()
    expect(desk.get_by_role("row", name=re.compile("^fri 20:00"))).to_have_count(0)


def test_states_are_explained_where_they_are_set(desk: Page) -> None:
    desk.get_by_role("link", name=re.compile("^south-cameras")).click()
    rule = desk.locator("[data-rule]").first
    rule.click()
    rule.press("Enter")
    desk.get_by_text("log, state, when").click()
    desk.get_by_label("established").check()
    expect(desk.get_by_test_id("states").first).to_have_text(
        "It matches only what belongs to a conversation already let through."
    )
    expect(desk.get_by_test_id("consequence")).to_contain_text("as new, related, invalid")
    answer_leaving(desk)
    desk.get_by_role("button", name="Discard").click()
