"""The draft kept as an edition, what was done since told exactly, and the way back."""

from __future__ import annotations

import re

import pytest
from driving import choose, row
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.browser


def test_a_mistake_is_seen_against_the_edition_and_taken_back(desk: Page) -> None:
    desk.get_by_role("link", name="Editions").click()
    desk.get_by_label(re.compile("^Record the draft as edition")).fill("before the mistake")
    desk.get_by_role("button", name="Record").click()
    kept = desk.get_by_label("Editions recorded")
    # Nobody may have edited anything yet: then the newest edition says it already.
    said = kept.get_by_text("before the mistake").or_(desk.get_by_text("the draft is the same as edition"))
    expect(said.first).to_be_visible()
    number = kept.locator("strong").first.inner_text()
    desk.get_by_role("link", name=re.compile("^bench-side")).click()
    first = desk.locator("[data-rule]").first
    name = first.locator(".called").inner_text()
    first.click()
    desk.keyboard.press("Delete")
    desk.get_by_role("dialog").get_by_role("button", name="Delete").click()
    expect(row(desk, name)).to_have_count(0)
    desk.get_by_role("link", name="Editions").click()
    desk.get_by_label("Editions recorded").get_by_role("button", name="since then").first.click()
    told = desk.get_by_test_id("comparison")
    expect(told).to_contain_text(f"rule {name} removed")
    expect(told).to_contain_text("Closes")
    choose(desk, "Compare from", "the draft")
    choose(desk, "Compare to", f"edition {number}")
    expect(told).to_contain_text(f"rule {name} added")
    expect(told).to_contain_text("Opens")
    desk.get_by_role("button", name=f"Bring edition {number} back").click()
    desk.get_by_role("alertdialog").get_by_role("button", name=re.compile("^Bring edition")).click()
    expect(told).to_contain_text(f"Nothing differs between the draft and edition {number}.")
    desk.get_by_role("link", name=re.compile("^bench-side")).click()
    expect(row(desk, name)).to_have_count(1)
