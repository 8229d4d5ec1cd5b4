"""Writing, played on the page: names made where they are needed, and a policy attached from itself."""

from __future__ import annotations

import re

from driving import choose, row
from playwright.sync_api import Page, expect

LATE = 60_000


def undo(desk: Page) -> None:
    desk.locator("h1").first.click()
    desk.keyboard.press("Control+z")


def test_a_service_is_made_in_the_rule_that_needs_it_by_keys(desk: Page) -> None:
    """M6: the network's own service is found by what others call it; a new one costs two keys and what it stands for."""
    desk.keyboard.press("n")
    service = desk.get_by_role("combobox", name="Service")
    service.focus()
    desk.keyboard.type("domain")
    expect(desk.get_by_role("option").first).to_contain_text(re.compile("^dns"), timeout=LATE)
    service.fill("")
    desk.keyboard.type("panel-ports")
    expect(desk.get_by_role("option", name=re.compile("make “panel-ports”"))).to_be_visible()
    desk.keyboard.press("Enter")
    make = desk.get_by_role("group", name="Make panel-ports")
    expect(make.get_by_label("Services")).to_be_focused()
    desk.keyboard.type("tcp/8460, udp/84600")
    desk.keyboard.press("Enter")
    expect(make).to_contain_text("udp/84600")
    expect(make.get_by_label("Services")).to_have_value("tcp/8460, udp/84600")
    make.get_by_label("Services").fill("tcp/8460, udp/8461")
    desk.keyboard.press("Enter")
    expect(desk.get_by_role("button", name="remove panel-ports")).to_be_visible()
    expect(service).to_be_focused()
    desk.keyboard.press("Escape")
    desk.keyboard.press("Escape")
    leave = desk.get_by_role("button", name="Discard it")
    if leave.is_visible():
        leave.click()
    desk.goto("/networks/1/names")
    desk.get_by_role("searchbox").first.fill("panel-ports")
    expect(desk.get_by_text("tcp/8460").first).to_be_visible(timeout=LATE)
    undo(desk)
    expect(desk.get_by_text("tcp/8460")).to_have_count(0, timeout=LATE)


def test_a_pasted_word_that_is_no_name_stays_and_can_be_made_one(desk: Page) -> None:
    """M30: nothing that was pasted is dropped."""
    desk.keyboard.press("n")
    source = desk.get_by_role("combobox", name="From")
    source.focus()
    source.fill("")
    desk.keyboard.insert_text("kiosk-3, old-panel")
    desk.keyboard.press("Tab")
    expect(desk.get_by_role("button", name="remove kiosk-3")).to_be_visible()
    expect(desk.get_by_role("button", name="remove old-panel")).to_be_visible()
    desk.get_by_role("button", name="make “old-panel” …").click()
    make = desk.get_by_role("group", name="Make old-panel")
    make.get_by_label("Addresses").fill("10.44.10.77")
    make.get_by_role("button", name="make it").click()
    expect(make).to_have_count(0)
    expect(desk.get_by_role("button", name="make “old-panel” …")).to_have_count(0, timeout=LATE)
    desk.get_by_role("button", name="Discard").first.click()
    leave = desk.get_by_role("button", name="Discard it")
    if leave.is_visible():
        leave.click()
    undo(desk)


def test_a_policy_is_attached_from_itself_and_what_that_does_comes_first(desk: Page) -> None:
    """M4: what is attached nowhere does nothing; attaching it is one act, beside its rules."""
    places = desk.get_by_role("region", name="Where it is consulted")
    expect(places).to_contain_text("eastpier-lock · passage, any → lan.130", timeout=LATE)
    expect(places).to_contain_text("before night-watch")
    places.get_by_role("button", name="no more").click()
    expect(places).to_contain_text("Breaks “the historian reads the ramps”", timeout=LATE)
    places.get_by_role("button", name="Consult it no more at eastpier-lock").click()
    expect(places).to_contain_text("nowhere, so it does nothing", timeout=LATE)
    expect(desk.get_by_text("attached nowhere, so it does nothing").first).to_be_visible()
    places.get_by_role("button", name="consult it at").click()
    choose(places, "Device", "southpier-lock")
    choose(places, "Among others there", "before them")
    there = places.get_by_role("button", name="Consult it there")
    expect(there).to_be_enabled(timeout=LATE)
    there.click()
    expect(places).to_contain_text("southpier-lock · passage, any → any", timeout=LATE)
    undo(desk)
    expect(places).to_contain_text("nowhere, so it does nothing", timeout=LATE)
    undo(desk)
    expect(places).to_contain_text("eastpier-lock · passage, any → lan.130", timeout=LATE)
    assert row(desk, "no guests on the ramps").is_visible()


def test_rules_are_looked_for_by_what_they_speak_of(desk: Page) -> None:
    """One line: words, and keys for ends, services and what rules do; what is not understood is told."""
    desk.keyboard.press("f")
    finder = desk.get_by_role("searchbox", name="Find rules")
    finder.fill("to:10.44.30.20 action:allow")
    expect(row(desk, "no guests on the ramps")).to_have_count(0, timeout=LATE)
    expect(row(desk, "historian reads ramps")).to_have_count(0)
    expect(row(desk, "pilots to ramp HMI")).to_be_visible(timeout=LATE)
    finder.fill("from:tower on:ping")
    expect(row(desk, "monitoring")).to_be_visible(timeout=LATE)
    finder.fill("decides:none active:yes")
    expect(row(desk, "vessel diagnostics")).to_be_visible()
    expect(row(desk, "monitoring")).to_have_count(0)
    finder.fill("form:tower")
    expect(desk.get_by_role("alert").filter(has_text="There is no form:")).to_be_visible()
    finder.fill("from:towr")
    expect(desk.get_by_role("alert").filter(has_text="towr")).to_be_visible(timeout=LATE)
    desk.keyboard.press("Escape")
