"""All segments at once, on the page."""

from __future__ import annotations

import re

import pytest
from driving import row
from playwright.sync_api import Page, expect
from test_plays import policy

pytestmark = pytest.mark.browser
N = "/networks/1/verify/segments"


def test_who_reaches_whom_is_gone_through_by_keys_and_asked_about(desk: Page) -> None:
    desk.goto(f"{N}?service=postgres")
    chart = desk.get_by_role("group", name=re.compile("^Who reaches whom"))
    expect(chart).to_be_visible(timeout=90_000)
    expect(desk.locator(".heard li").filter(has_text="kiosks reaches")).to_contain_text(
        "fares-data (postgres)"
    )
    expect(desk.locator(".heard li").filter(has_text="passenger-wifi reaches")).to_have_text(
        re.compile("reaches (nobody|(?!.*fares-data))")
    )
    chart.focus()
    desk.keyboard.press("Control+Home")
    pair = desk.get_by_role("heading", level=2)
    rows = desk.locator(".names text:not(.itself)")
    names = [rows.nth(i).text_content() or "" for i in range(rows.count())]
    segments = [n.strip() for n in names if "→" not in n and "↓" not in n]
    segments = segments[: len(segments) // 2]
    for _ in range(segments.index("kiosks")):
        desk.keyboard.press("ArrowDown")
    for _ in range(segments.index("fares-data")):
        desk.keyboard.press("ArrowRight")
    expect(pair).to_have_text("kiosks → fares-data")
    expect(desk.locator("#pair")).to_contain_text("postgres")
    desk.keyboard.press("Enter")
    expect(desk.locator("p.verdict")).to_contain_text("some")
    expect(desk).to_have_url(re.compile("verify/question"))


def test_a_service_that_there_is_not_is_said_and_another_asked_for(desk: Page) -> None:
    desk.goto(f"{N}?service=postgrs")
    expect(desk.get_by_role("alert")).to_contain_text("postgrs")
    desk.get_by_label("Service").fill("https")
    desk.get_by_label("Service").press("Enter")
    expect(desk.get_by_role("group", name=re.compile("^Who reaches whom"))).to_be_visible(timeout=90_000)
    expect(desk.locator(".heard li").filter(has_text="passenger-wifi reaches")).to_contain_text("internet")


def test_what_the_draft_changes_is_seen_in_the_chart(desk: Page) -> None:
    policy(desk, "ticketing")
    row(desk, "kiosks read fares").click()
    desk.keyboard.press("Delete")
    desk.get_by_role("dialog").get_by_role("button", name="Delete").click()
    expect(row(desk, "kiosks read fares")).to_have_count(0)
    desk.goto(f"{N}?service=postgres")
    expect(desk.get_by_text("the draft changes 1 pair")).to_be_visible(timeout=90_000)
    expect(desk.locator(".heard li").filter(has_text="kiosks reaches")).to_contain_text(
        "fares-data (nothing; the draft closes postgres)"
    )
    desk.get_by_label("only what the draft changes").check()
    expect(desk.locator(".heard li")).to_have_count(2)
    desk.get_by_role("group", name=re.compile("^Who reaches whom")).focus()
    for key in ("Control+End", "ArrowUp"):
        desk.keyboard.press(key)
    expect(desk.locator("#pair")).to_contain_text("kiosks → fares-data")
    expect(desk.locator("#pair")).to_contain_text("the draft closes postgres")
