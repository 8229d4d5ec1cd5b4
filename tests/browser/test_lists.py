"""Translation, steering and a lock without memory, played on the page: what they do, and what mends what they break."""

from __future__ import annotations

import re

import pytest
from driving import choose, write_rule
from playwright.sync_api import Locator, Page, expect
from test_plays import outline, policy, undone
from test_question import asked, brought

pytestmark = pytest.mark.browser
STEERED = """\
sarvex: 1
name: Steered
segments:
  - {name: quay, prefixes: [10.44.1.0/24]}
  - {name: sound, prefixes: [10.44.2.0/28]}
  - {name: air, prefixes: [10.44.8.0/28]}
  - {name: island, prefixes: [10.44.3.0/24]}
hosts:
  - {name: pilot, segment: quay, addresses: [10.44.1.20]}
  - {name: files, segment: island, addresses: [10.44.3.20]}
devices:
  - name: gate
    zone_default: {mode: open}
    interfaces:
      - {name: q, segment: quay, addresses: [10.44.1.1]}
      - {name: cable, segment: sound, addresses: [10.44.2.1]}
      - {name: radio, segment: air, addresses: [10.44.8.1]}
    routes: [{prefix: 10.44.3.0/24, via: 10.44.2.2}]
    steering: [{name: pilot by radio, source: [pilot], via: 10.44.8.2, when_down: drop}]
  - name: far
    zone_default: {mode: open}
    answers_leave: where asked
    interfaces:
      - {name: cable, segment: sound, addresses: [10.44.2.2]}
      - {name: radio, segment: air, addresses: [10.44.8.2]}
      - {name: i, segment: island, addresses: [10.44.3.1]}
    routes: [{prefix: 10.44.1.0/24, via: 10.44.2.1}]
"""


def places(page: Page) -> Locator:
    return page.locator("table.places tbody tr")


def chosen(page: Page, field: str, member: str) -> None:
    """One more member of a list in the open form."""
    page.fill(f"#thing-{field}", member)
    page.press(f"#thing-{field}", "Enter")
    page.press(f"#thing-{field}", "Tab")


def lists(page: Page, device: str) -> Locator:
    """The lists of a device, on the ground."""
    page.get_by_role("link", name="Ground", exact=True).click()
    outline(page, device).click()
    return page.locator(".lists")


def test_two_places_filter_one_flow_while_a_translation_hides_the_source(desk: Page) -> None:
    asked(desk, "10.44.104.20 to 198.51.100.10 on https")
    expect(desk.locator("p.verdict")).to_contain_text("allowed")
    hidden = places(desk).filter(has_text="source translation at quay-0").first
    expect(hidden.locator("s")).to_have_text("10.44.104.20")
    expect(hidden.locator(".became")).to_have_text("eastpier-lock itself at quay-0")
    expect(places(desk).filter(has_text="in south-guests")).to_be_visible()
    expect(places(desk).filter(has_text="in out-to-sea")).to_be_visible()
    undone_ = places(desk).filter(has_text="undone")
    expect(undone_).to_contain_text("source translation at quay-0")
    expect(undone_.locator(".became").first).to_have_text("10.44.104.20")


def test_a_forward_that_nobody_is_let_through_to_is_led_where_a_rule_lets_it(desk: Page) -> None:
    question = "198.51.100.10 to 203.0.113.2 on tcp/8554"
    asked(desk, question)
    expect(desk.locator("p.verdict")).to_contain_text("blocked by the passage default of eastpier-lock")
    expect(places(desk).filter(has_text="recordings for the insurer").locator(".became").first).to_have_text(
        "recorder"
    )
    desk.get_by_role("link", name="Findings", exact=True).click()
    expect(desk.get_by_text("admits nobody")).to_be_visible()
    expect(desk.get_by_text("hidden from its rule").first).to_be_attached()
    lists(desk, "eastpier-lock").get_by_role("button", name="recordings for the insurer", exact=True).click()
    desk.get_by_label("Port becomes").fill("443")
    told = desk.get_by_test_id("consequence")
    expect(told).to_contain_text("destination translations at eastpier-lock, entering quay-0")
    expect(told).to_contain_text("Translates differently")
    desk.get_by_label("Port becomes").fill("554")  # as it was
    desk.get_by_role("button", name="Close").click()
    policy(desk, "harbour-services")
    desk.keyboard.press("End")
    desk.locator("[data-otherwise]").click()
    desk.keyboard.press("Shift+N")
    write_rule(desk, "insurer at the recorder", "internet", "recorder", "tcp/554")
    desk.get_by_role("button", name=re.compile("^Add")).click()
    expect(desk.get_by_role("row", name=re.compile("insurer at the recorder"))).to_be_visible()
    asked(desk, question)
    expect(desk.locator("p.verdict")).to_contain_text("allowed by insurer at the recorder")
    undone(desk, "add rule")


def test_a_translation_is_added_moved_and_taken_away_by_hand(desk: Page) -> None:
    own = lists(desk, "eastpier-lock")
    own.get_by_role("button", name="add").first.click()
    desk.get_by_label("Name", exact=True).fill("mail from outside")
    chosen(desk, "destination", "203.0.113.2")
    desk.get_by_role("button", name="Add", exact=True).click()
    expect(desk.get_by_role("alert").first).to_contain_text("say what it becomes")
    chosen(desk, "to", "booking-web")
    expect(desk.get_by_test_id("consequence")).to_contain_text("Translates differently")
    desk.get_by_role("button", name="Add", exact=True).click()
    expect(desk.get_by_role("heading", name="mail from outside")).to_be_visible()
    own = lists(desk, "eastpier-lock")
    names = own.locator("ol").first.locator(".name > .link")
    expect(names).to_have_text(["booking from outside", "recordings for the insurer", "mail from outside"])
    own.get_by_label("mail from outside earlier").hover()
    told = own.get_by_test_id("consequence")
    expect(told).to_contain_text("before: 2 recordings for the insurer · after: 2 mail from outside")
    desk.get_by_role("heading", name="eastpier-lock").hover()
    expect(told).to_have_count(0)
    own.get_by_role("button", name="mail from outside", exact=True).click()
    desk.get_by_role("button", name="Delete", exact=True).click()
    expect(desk.get_by_role("alertdialog")).to_contain_text("Translates differently")
    desk.get_by_role("button", name="Cancel", exact=True).click()
    own = lists(desk, "eastpier-lock")
    own.get_by_label("mail from outside earlier").click()
    expect(names).to_have_text(["booking from outside", "mail from outside", "recordings for the insurer"])
    undone(desk, "move destination translation")
    undone(desk, "add destination translation")
    expect(names).to_have_text(["booking from outside", "recordings for the insurer"])


def test_only_one_host_leaves_by_another_way_and_leaks_when_that_is_down(desk: Page) -> None:
    at = brought(desk, STEERED)
    asked(desk, "pilot to files on tcp/443", f"{at}/verify/question")
    expect(places(desk).filter(has_text="steering at q")).to_contain_text("pilot by radio")
    asked(desk, "10.44.1.30 to files on tcp/443", f"{at}/verify/question")
    expect(places(desk).filter(has_text="route").first).to_contain_text("10.44.3.0/24 by cable")
    asked(desk, "pilot to files on tcp/443 without far.radio", f"{at}/verify/question")
    expect(desk.locator("p.verdict")).to_contain_text("blocked by the way of pilot by radio at gate is down")
    lists(desk, "gate").get_by_role("button", name="pilot by radio", exact=True).click()
    choose(desk, "When that is down", "route")
    expect(desk.get_by_test_id("consequence")).to_contain_text("Takes another way")
    desk.get_by_role("button", name="Save").click()
    expect(desk.get_by_role("button", name="Close")).to_be_visible()
    asked(desk, "pilot to files on tcp/443 without far.radio", f"{at}/verify/question")
    expect(desk.locator("p.verdict")).to_contain_text("allowed")
    expect(places(desk).filter(has_text="route").first).to_contain_text("10.44.3.0/24 by cable")
    undone(desk, "change steering entry")


def test_a_lock_without_memory_forgets_an_answer_until_a_rule_lets_it_pass(desk: Page) -> None:
    asked(desk, "yard-files to winch on snmp")
    expect(desk.locator("p.verdict")).to_contain_text(
        "the answer is dropped by the default of slip-side at slip-lock"
    )
    mends = desk.get_by_label("What would have to decide otherwise")
    expect(mends.get_by_role("listitem")).to_have_text(
        ["slip-lock, passage, control → sites, the answer: otherwise in slip-side"]
    )
    expect(mends).to_contain_text("Then it arrives, and the answer comes back.")
    policy(desk, "slip-side")
    desk.keyboard.press("End")
    desk.locator("[data-otherwise]").click()
    desk.keyboard.press("Shift+N")
    write_rule(desk, "counters answer", "winch", "workshop", "udp from 161")
    desk.get_by_role("button", name=re.compile("^Add")).click()
    expect(desk.get_by_role("row", name=re.compile("counters answer"))).to_be_visible()
    asked(desk, "yard-files to winch on snmp")
    expect(desk.locator("p.verdict")).to_contain_text("allowed by shed reads counters")
    undone(desk, "add rule")
