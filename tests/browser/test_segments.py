"""All segments at once, on the page."""

from __future__ import annotations

import re
from contextlib import suppress

import pytest
from driving import HEADER, row
from playwright.sync_api import Error, Page, Route, expect
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
    expect(row(desk, "kiosks read fares")).to_have_count(0, timeout=90_000)
    desk.goto(f"{N}?service=postgres")
    expect(desk.get_by_text("the draft changes 1 pair")).to_be_visible(timeout=90_000)
    expect(desk.locator(".heard li").filter(has_text="kiosks reaches")).to_contain_text(
        "fares-data (nothing; the draft closes postgres"
    )
    desk.get_by_label("only what the draft changes").check()
    expect(desk.locator(".heard li")).to_have_count(2)
    desk.get_by_role("group", name=re.compile("^Who reaches whom")).focus()
    for key in ("Control+End", "ArrowUp"):
        desk.keyboard.press(key)
    expect(desk.locator("#pair")).to_contain_text("kiosks → fares-data")
    expect(desk.locator("#pair")).to_contain_text("the draft closes postgres")


def test_zones_are_folded_into_a_line_and_opened_again(desk: Page) -> None:
    desk.goto(N)
    chart = desk.get_by_role("group", name=re.compile("^Who reaches whom"))
    expect(chart).to_be_visible(timeout=90_000)
    lines = desk.locator(".heard li").filter(has_text=" reaches ")
    segments = lines.count()
    desk.get_by_label("zones folded").check()
    expect(lines.filter(has_text=re.compile("^guests ×6 reaches"))).to_contain_text("between 4 of 6 pairs")
    assert lines.count() < segments / 2
    chart.focus()
    for key in ("Control+Home", "ArrowDown"):
        desk.keyboard.press(key)
    expect(desk.get_by_role("heading", level=2)).to_contain_text("guests ×")
    desk.keyboard.press("z")
    expect(lines.filter(has_text="passenger-wifi reaches")).to_have_count(1)
    expect(lines.filter(has_text=re.compile("guests ×"))).to_have_count(0)
    desk.get_by_label("zones folded").check()
    desk.get_by_label("zones folded").uncheck()
    expect(lines).to_have_count(segments)


def test_who_reaches_management_is_told_of_every_device(desk: Page) -> None:
    desk.goto(N)
    chart = desk.get_by_role("group", name=re.compile("^Who reaches whom"))
    expect(chart).to_be_visible(timeout=90_000)
    chart.focus()
    for key in ("Control+Home", "End", *["ArrowLeft"] * 5):
        desk.keyboard.press(key)
    told = desk.get_by_role("region", name="Who reaches eastpier-lock itself")
    expect(told.get_by_role("listitem").filter(has_text="internet")).to_contain_text("https")
    told.get_by_role("button", name="management").click()
    expect(desk.get_by_role("heading", level=2)).to_have_text("management → eastpier-lock itself")


def test_a_late_answer_is_not_shown_as_what_is_asked_now(desk: Page) -> None:
    """The first question is held up until the second is answered."""
    held: list[Route] = []
    desk.route(
        "**/matrix?*",
        lambda route: held.append(route) if "service=postgres" in route.request.url else route.continue_(),
    )
    desk.goto(f"{N}?service=postgres")
    desk.get_by_label("Service").fill("mqtts")
    desk.get_by_label("Service").press("Enter")
    vessels = desk.locator(".heard li").filter(has_text="vessels reaches")
    expect(vessels).to_contain_text("berth-sensors (mqtts", timeout=90_000)
    for route in held:
        with suppress(Error):  # the page may have given it up
            route.continue_()
    desk.wait_for_timeout(1500)
    expect(vessels).to_contain_text("berth-sensors (mqtts")
    expect(desk.locator(".heard li").filter(has_text="kiosks reaches")).not_to_contain_text("postgres")


def test_while_all_is_worked_out_it_is_told_how_far_it_is(desk: Page) -> None:
    seen: list[int] = []

    def soon(route: Route) -> None:
        if seen:
            route.continue_()
        else:
            route.fulfill(json={"revision": 0, "share": 0.25, "cells": []})

    desk.route("**/matrix?*", soon)
    desk.goto(N)
    expect(desk.get_by_role("status").filter(has_text="worked out")).to_contain_text("25 %")
    seen.append(1)
    expect(desk.get_by_role("group", name=re.compile("^Who reaches whom"))).to_be_visible(timeout=90_000)


TWO_WAYS = """
sarvex: 1
name: a way around
zones: [{name: guests, depth: 1}, {name: plant, depth: 4}]
segments:
  - {name: quay, prefixes: [10.44.1.0/24]}
  - {name: pumps, prefixes: [10.44.2.0/24]}
policies:
  - name: guarded
    default: allow
    rules:
      - {name: no panel, action: drop, source: [quay], destination: [pumps], service: [tcp/502]}
devices:
  - name: lock
    zone_default: {mode: open}
    interfaces:
      - {name: a, segment: quay, zone: guests, addresses: [10.44.1.1]}
      - {name: b, segment: pumps, zone: plant, addresses: [10.44.2.1]}
    policies: [{policy: guarded, stage: passage}]
  - name: forgotten
    zone_default: {mode: open}
    interfaces:
      - {name: a, segment: quay, zone: guests, addresses: [10.44.1.2]}
      - {name: b, segment: pumps, zone: plant, addresses: [10.44.2.2]}
"""


def test_a_second_way_around_a_block_is_found_in_the_chart(desk: Page) -> None:
    """One device drops it, another, which nobody thought of, lets it by."""
    csrf = desk.request.get("/api/session").json()["csrf"]
    made = desk.request.post("/api/networks", data={"text": TWO_WAYS}, headers={HEADER: csrf})
    assert made.ok, made.text()
    desk.goto(f"/networks/{made.json()['id']}/verify/segments?service=tcp/502")
    expect(desk.get_by_role("group", name=re.compile("^Who reaches whom"))).to_be_visible(timeout=90_000)
    quay = desk.locator(".heard li").filter(has_text="quay reaches")
    expect(quay).to_contain_text("pumps (by some ways only tcp/502)")


def test_what_must_hold_is_ringed_and_shown_alone(desk: Page) -> None:
    desk.goto("/networks/1/verify/segments")
    chart = desk.get_by_role("group", name=re.compile("^Who reaches whom"))
    expect(chart).to_be_visible(timeout=90_000)
    expect(chart.locator("circle.ring.bad")).not_to_have_count(0, timeout=90_000)
    desk.get_by_label("only what must hold").check()
    expect(desk.get_by_text("nobody else manages the locks").first).to_be_attached()
    heard = desk.get_by_role("listitem").filter(has_text=re.compile("^offices reaches"))
    expect(heard).to_contain_text("does not hold, or nobody knows: “nobody else manages the locks”")
    chart.focus()
    desk.keyboard.press("Home")
    expect(desk.get_by_label("The pair")).to_contain_text("internet → internet")
