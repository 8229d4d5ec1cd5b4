"""What an edit would do, seen on the page before it is saved: dragged, carried by keys, typed, switched, deleted."""

from __future__ import annotations

import json
import re
from contextlib import suppress

import pytest
from driving import answer_leaving, name_row, row, write_rule
from playwright.sync_api import Error, Page, Route, expect

pytestmark = pytest.mark.browser


def policy(page: Page, name: str) -> None:
    page.get_by_role("link", name=re.compile(f"^{name}")).click()
    expect(page.locator("h1")).to_have_text(name)
    page.locator("[data-rule]").first.wait_for()


def test_carried_by_keys_it_tells_what_opens_and_where_it_is_dead(desk: Page) -> None:
    policy(desk, "ramp-side")
    rule = row(desk, "vessel diagnostics")
    at = int(rule.get_by_role("gridcell").first.inner_text())
    rule.click()
    desk.keyboard.press("m")
    held = desk.get_by_test_id("drop-preview")
    expect(held).to_contain_text(f"Put back at {at}")
    expect(held).to_contain_text("it decides nothing")
    desk.keyboard.press("Home")
    expect(held).to_contain_text(f"({at} → 1)")
    expect(held).to_contain_text("At 1 it decides all of what it matches.")
    expect(held.get_by_test_id("consequence")).to_contain_text("Opens petrel, kittiwake → ramp-plcs : modbus")
    expect(held).to_contain_text("Mends vessel diagnostics: shadowed.")
    expect(held).to_contain_text(
        re.compile(r"before: \d+ no guests on the ramps · after: 1 vessel diagnostics")
    )
    expect(held).to_contain_text(re.compile(r"decides all · .*nothing"))
    expect(desk.locator(".reach[data-decides=none]")).to_have_count(1)
    desk.keyboard.press("Escape")
    expect(held).to_be_hidden()
    expect(rule.get_by_role("gridcell").first).to_have_text(str(at))


def test_a_pinned_question_turns_while_a_rule_is_held(desk: Page) -> None:
    policy(desk, "ramp-side")
    line = desk.get_by_role("combobox", name="Ask who may reach what")
    line.fill("petrel-bridge to ramp-plc on modbus")
    line.press("Enter")
    expect(desk.get_by_test_id("verdict")).to_contain_text("blocked")
    desk.get_by_role("button", name=re.compile("^pin")).click()
    desk.keyboard.press("Escape")
    pin = desk.get_by_test_id("pin")
    expect(pin.get_by_role("img", name="dropped")).to_be_visible()
    row(desk, "vessel diagnostics").click()
    desk.keyboard.press("m")
    desk.keyboard.press("Home")
    expect(pin).to_contain_text("was blocked")
    desk.keyboard.press("Escape")
    expect(pin).not_to_contain_text("was blocked")
    desk.get_by_role("button", name=re.compile("^Unpin")).click()
    expect(pin).to_have_count(0)


def test_deleting_says_what_it_opens_and_a_dead_rule_nothing(desk: Page) -> None:
    policy(desk, "ramp-side")
    row(desk, "no guests on the ramps").click()
    about = desk.get_by_label("Rule", exact=True)
    expect(about.get_by_test_id("consequence")).to_contain_text("petrel, kittiwake → ramp-plcs : modbus")
    desk.keyboard.press("Delete")
    sure = desk.get_by_role("dialog")
    expect(sure.get_by_test_id("consequence")).to_contain_text(
        re.compile("Opens.*petrel, kittiwake → ramp-plcs : modbus")
    )
    expect(sure).to_contain_text("Closes nothing")
    sure.get_by_role("button", name="Cancel").click()
    row(desk, "console shell").click()
    expect(about.get_by_test_id("consequence")).to_have_text(
        re.compile(r"Mends console shell: redundant\.\s*Same effect, proven\.")
    )


def test_typing_tells_the_effect_and_never_an_old_one(desk: Page) -> None:
    policy(desk, "ramp-side")
    desk.locator("[data-otherwise]").click()
    desk.keyboard.press("n")
    write_rule(desk, "crew see the panel", "crew-tablets", "ramp-hmi", "https", action="allow")
    told = desk.locator(".editor").get_by_test_id("consequence")
    expect(told).to_contain_text("Opens crew-tablets → ramp-hmi : https")
    desk.locator("label", has_text=re.compile("^ *drop *$")).click()
    expect(told).not_to_contain_text("Opens crew-tablets")
    expect(told).to_have_attribute("data-stale", "false")
    expect(told).to_contain_text("Opens nothing")
    desk.get_by_role("button", name="Discard").click()


def test_a_member_taken_off_a_name_is_felt_in_every_policy_before_it_is_saved(desk: Page) -> None:
    desk.get_by_role("link", name="Names").click()
    desk.get_by_role("searchbox").fill("tower-desks")
    name_row(desk, "tower-desks").click()
    desk.locator(".editor .member button").first.click()
    expect(desk.get_by_test_id("name-edit")).to_contain_text("It is felt in")
    told = desk.locator(".editor").get_by_test_id("consequence")
    expect(told).to_contain_text("ramp-side")
    expect(told).to_contain_text("→ ramp-hmi : ")
    expect(told).to_contain_text("before: 2 harbour master view · after: 11 rest is logged")
    expect(told).not_to_contain_text("Opens")
    answer_leaving(desk)
    desk.get_by_role("button", name="Discard").click()


def test_a_rule_in_the_wrong_direction_is_told_while_it_is_written(desk: Page) -> None:
    """The gate asks the ramp's controller; written the other way round it can never act where this policy stands."""
    policy(desk, "south-ramp")
    row(desk, "gate stops the ramp").click()
    desk.keyboard.press("n")
    write_rule(desk, "gate asks", "ramp-plc-south", "gate-south", "https")
    preview = desk.get_by_test_id("preview")
    here = "Nothing from its source to its destination ever comes by here, passage at southpier-lock."
    expect(preview).to_contain_text(here)
    expect(preview).to_contain_text("By the routes it passes southpier-lock.")
    for field, value in (("source", "gate-south"), ("destination", "ramp-plc-south")):
        desk.locator(f"#field-{field}").press("Backspace")
        desk.fill(f"#field-{field}", value)
        desk.press(f"#field-{field}", "Tab")
    expect(preview).not_to_contain_text(here)
    expect(preview).to_contain_text("it decides all of what it matches")
    answer_leaving(desk)
    desk.get_by_role("button", name="Discard").click()
    # One that is there already says so in its row.
    policy(desk, "ticketing")
    rule = row(desk, "readers open gates")
    expect(rule).to_contain_text("Out of place. Its packets never come by here.")
    rule.click()
    expect(desk.get_by_label("Rule", exact=True)).to_contain_text("By the routes it passes no device at all.")


def test_another_order_of_policies_says_what_it_closes_before_it_is_saved(desk: Page) -> None:
    desk.get_by_role("link", name="Ground").click()
    desk.get_by_role("button", name="device eastpier-lock").click()
    records = desk.locator("fieldset.record")
    expect(records.filter(has=desk.get_by_label("next device")).first).to_be_visible()  # the last of the form
    at = next(
        i
        for i in range(records.count())
        if records.nth(i).locator("input").first.input_value() == "night-watch"
    )
    records.nth(at).get_by_role("button", name="up").click()
    told = desk.get_by_test_id("consequence")
    expect(told).to_contain_text("passage at eastpier-lock")
    expect(told).to_contain_text(re.compile("Closes.*pilots → ramp-hmi : https"))
    expect(told).to_contain_text("after: default of night-watch")
    records.nth(at - 1).get_by_role("button", name="down").click()
    expect(told).to_have_count(0)


def test_another_default_says_what_it_opens_before_it_is_saved(desk: Page) -> None:
    desk.get_by_role("link", name="Ground").click()
    desk.get_by_label("Find on the ground").fill("south-cameras")
    desk.get_by_role("treeitem", name=re.compile("^south-cameras.*rules")).click()
    desk.get_by_label("Otherwise").press("Enter")
    desk.get_by_role("option", name="allow").click()
    told = desk.get_by_test_id("consequence")
    expect(told).to_contain_text("south-cameras")
    expect(told).to_contain_text(re.compile("Opens.*before: otherwise · after: otherwise"))
    answer_leaving(desk)
    desk.get_by_role("button", name="Discard").click()


def test_what_opens_in_its_policy_may_open_nothing_in_the_network(desk: Page) -> None:
    """Both ranges are told before it is saved, and where what opens in the policy ends all the same."""
    policy(desk, "south-ramp")
    row(desk, "no south phones near steel").dblclick()
    desk.locator("label", has_text=re.compile("^ *allow *$")).click()
    told = desk.locator(".editor").get_by_test_id("consequence")
    expect(told).to_contain_text(re.compile("In this policy *Opens.wifi-south"))
    network = told.get_by_test_id("in-network")
    expect(network).to_contain_text("Nobody reaches more or less than before.")
    expect(network).to_contain_text("still ends at guests stay outside (southpier-lock, inbound).")
    expect(told).not_to_contain_text("Same effect")
    desk.get_by_role("button", name="Discard").click()


def test_what_opens_nothing_in_its_policy_may_open_much_in_the_network(desk: Page) -> None:
    policy(desk, "towards-guests")
    row(desk, "booking calls nobody").click()
    desk.keyboard.press("Delete")
    sure = desk.get_by_role("dialog")
    expect(sure.get_by_test_id("consequence")).to_contain_text(re.compile("In this policy *Opens.*nothing"))
    network = sure.get_by_test_id("in-network")
    expect(network).to_contain_text("Opens booking-site over IPv4 → passenger-wifi over IPv4 : any")
    sure.get_by_role("button", name="Cancel").click()


def test_while_a_rule_is_held_the_network_is_told_too_and_nothing_old(desk: Page) -> None:
    policy(desk, "ramp-side")
    row(desk, "vessel diagnostics").click()
    desk.keyboard.press("m")
    desk.keyboard.press("Home")
    network = desk.get_by_test_id("drop-preview").get_by_test_id("in-network")
    expect(network).to_contain_text("Opens petrel, kittiwake")
    for _ in range(3):
        desk.keyboard.press("ArrowDown")
    expect(desk.get_by_test_id("drop-preview")).to_contain_text("(5 → 4)")
    expect(desk.get_by_test_id("drop-preview")).not_to_contain_text("Opens petrel")
    desk.keyboard.press("Escape")


def test_a_new_segment_is_told_whom_it_would_reach_before_it_is_saved(desk: Page) -> None:
    desk.get_by_role("link", name="Ground", exact=True).click()
    desk.get_by_role("button", name="add segment", exact=True).click()
    desk.fill("#thing-name", "spare-berth")
    desk.fill("#thing-prefixes", "10.44.36.0/24")
    desk.press("#thing-prefixes", "Enter")
    desk.select_option("#newcomer-place", label="southpier-lock, guests")
    told = desk.locator(".newcomer").get_by_test_id("in-network")
    expect(told).to_contain_text("spare-berth → wifi-south over IPv4 : any")
    desk.select_option("#newcomer-place", label="eastpier-lock, operations")
    expect(told).to_contain_text(re.compile("Opens.*fares-data.*→ spare-berth : any"))
    expect(told).not_to_contain_text("wifi-south over IPv4 : any")
    desk.get_by_role("button", name="Discard").click()


def test_a_late_answer_of_the_network_is_never_shown_as_the_one_in_hand(desk: Page) -> None:
    """What is asked of the first place is held up until the second is told, and let go then; given up, it does nothing."""
    policy(desk, "ramp-side")
    held: list[Route] = []

    def late(route: Route) -> None:
        if json.loads(route.request.post_data or "{}").get("network") and not held:
            held.append(route)
        else:
            route.continue_()

    desk.route("**/consequence", late)
    row(desk, "vessel diagnostics").click()
    desk.keyboard.press("m")
    desk.keyboard.press("Home")
    preview = desk.get_by_test_id("drop-preview")
    try:
        expect(preview).to_contain_text("(5 → 1)")
        for _ in range(50):
            if held:
                break
            desk.wait_for_timeout(100)
        assert held
        expect(preview.get_by_test_id("in-network")).not_to_contain_text("Opens")
        for _ in range(3):
            desk.keyboard.press("ArrowDown")
        expect(preview).to_contain_text("(5 → 4)")
        expect(preview.get_by_test_id("consequence")).to_have_attribute("data-stale", "false")
    finally:
        for route in held:
            with suppress(Error):  # it was given up
                route.continue_()
    desk.wait_for_timeout(1200)
    expect(preview).to_contain_text("(5 → 4)")
    expect(preview).not_to_contain_text("Opens petrel")
    desk.keyboard.press("Escape")
