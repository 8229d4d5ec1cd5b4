"""The mistakes of the job and the rest of the places, played on the page."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
from driving import Served, choose, name_row, prove, row, write_rule
from playwright.sync_api import Browser, Locator, Page, expect

pytestmark = pytest.mark.browser


def policy(page: Page, name: str) -> None:
    page.get_by_role("link", name=re.compile(f"^{name}")).click()
    expect(page.locator("h1")).to_have_text(name)
    page.locator("[role=grid] [role=row]").first.wait_for()


def outline(page: Page, name: str) -> Locator:
    return page.get_by_role("treeitem").filter(
        has=page.locator(".called", has_text=re.compile(f"^{re.escape(name)}$"))
    )


def undone(page: Page, what: str) -> None:
    page.locator("h1").click()
    with page.expect_response(re.compile("/undo$")) as answer:
        page.keyboard.press("Control+z")
    assert answer.value.json()["act"].startswith(what), answer.value.text()
    expect(page.get_by_role("status").filter(has_text=f"Undone: {what}")).to_be_visible()


# --- rules ---------------------------------------------------------------------------------------------------


def test_a_block_behind_an_allow_is_told_with_the_rule_and_a_flow(desk: Page) -> None:
    policy(desk, "ticketing")
    desk.keyboard.press("End")
    desk.locator("[data-otherwise]").click()
    desk.keyboard.press("Shift+N")
    write_rule(desk, "kiosk 2 stays out", "kiosk-2", "fares-db", "postgres", action="drop")
    told = desk.get_by_test_id("preview")
    expect(told).to_contain_text("it decides nothing: 2 kiosks read fares takes all of it")
    told.get_by_role("button", name="10.44.10.12 → 10.44.50.5").click()
    expect(desk.get_by_test_id("verdict")).to_contain_text("allowed by kiosks read fares")
    desk.get_by_role("button", name="Put it at 2").click()
    expect(told).to_contain_text("At 2 it decides all of what it matches.")


def test_what_a_service_lacks_is_said_and_what_it_covers_is_shown(desk: Page) -> None:
    policy(desk, "out-to-sea")
    desk.get_by_role("button", name="add").click()
    write_rule(desk, "names of the south", "wifi-south", "any", "udp/53")
    told = desk.get_by_test_id("preview")
    expect(told).to_contain_text("dns also runs over tcp/53, which this does not name.")
    expect(told).to_contain_text("Service: udp/53")


def test_an_address_of_no_segment_is_taken_and_warned_of(desk: Page) -> None:
    policy(desk, "out-to-sea")
    desk.get_by_role("button", name="add").click()
    write_rule(desk, "a slip of the finger", "offices", "10.45.12.5", "https")
    expect(desk.get_by_test_id("preview")).to_contain_text("10.45.12.5 is of none of the known segments")
    desk.get_by_role("button", name="Add here").click()
    expect(row(desk, "a slip of the finger")).to_be_visible()
    undone(desk, "add rule")


def test_a_default_is_a_row_that_traces_lead_to(desk: Page) -> None:
    line = desk.get_by_role("combobox", name="Ask who may reach what")
    line.fill("kiosk-1 to kiosk-s1 on https")
    expect(desk.get_by_test_id("verdict")).to_contain_text("blocked by otherwise in to-our-sites")
    line.press("Enter")
    desk.get_by_test_id("course").get_by_role("link", name="otherwise").click()
    expect(desk.locator("h1")).to_have_text("to-our-sites")
    default = desk.locator("[data-otherwise]")
    expect(default).to_be_focused()
    expect(default).to_contain_text("the default of this policy · for example")


def test_sections_fold_and_several_rules_are_one_step(desk: Page) -> None:
    policy(desk, "from-our-sites")
    desk.get_by_role("button", name="South pier").click()
    expect(row(desk, "south kiosks pay")).to_have_count(0)
    desk.get_by_role("button", name="South pier").click()
    row(desk, "south kiosks read fares").click()
    desk.keyboard.press("Shift+ArrowDown")
    desk.keyboard.press("Shift+ArrowDown")
    panel = desk.get_by_label("Rule", exact=True)
    expect(panel.locator("h2")).to_have_text("3 rules")
    desk.keyboard.press("x")
    for name in ("south kiosks read fares", "south kiosks pay", "south gates read manifests"):
        expect(row(desk, name).get_by_label("switched off")).to_be_visible()
    panel.get_by_label("Move together before").fill("1")
    panel.get_by_role("button", name="move", exact=True).click()
    expect(row(desk, "south kiosks pay").get_by_role("gridcell").first).to_have_text("2")
    undone(desk, "move: 3 rules")
    first = row(desk, "south kiosks read fares")
    expect(first.get_by_role("gridcell").first).to_have_text("3")  # what was undone has arrived
    first.focus()
    desk.keyboard.press("Alt+ArrowDown")
    expect(first.get_by_role("gridcell").first).to_have_text("4")
    undone(desk, "move: 3 rules")
    expect(first.get_by_role("gridcell").first).to_have_text("3")
    first.focus()
    desk.keyboard.press("Delete")
    expect(desk.get_by_role("button", name="Delete 3 rules")).to_be_focused()
    undone(desk, "disable: 3 rules")
    expect(row(desk, "south kiosks pay").get_by_label("decides all it matches")).to_be_visible()
    row(desk, "site logs").click()
    desk.keyboard.press("s")
    desk.keyboard.type("Everywhere")
    desk.keyboard.press("Enter")
    expect(desk.get_by_role("button", name="Everywhere")).to_be_visible()
    undone(desk, "add section")


def test_a_rule_is_carried_to_another_policy_with_its_ends_swapped(desk: Page) -> None:
    policy(desk, "sensor-side")
    row(desk, "recorder pulls cameras").click()
    desk.get_by_text("Carry to another policy").click()
    desk.get_by_label("Policy to carry it to").fill("south-cam")
    desk.get_by_role("option", name="south-cameras").click()
    desk.get_by_role("button", name="Carry there").click()
    expect(desk.locator("h1")).to_have_text("south-cameras")
    expect(desk.locator("#rule-name")).to_have_value("recorder pulls cameras")
    expect(desk.locator(".member").first).to_contain_text("cctv")
    expect(desk.locator(".member").nth(1)).to_contain_text("recorder")
    desk.keyboard.press("Escape")


# --- names ---------------------------------------------------------------------------------------------------


def test_adding_removing_and_replacing_members_are_told_apart(desk: Page) -> None:
    desk.get_by_role("link", name="Names").click()
    desk.fill(".find", "pilots")
    name_row(desk, "pilots").click()
    told = desk.get_by_test_id("name-edit")
    desk.get_by_role("button", name="remove pilot-maren").click()
    expect(told).to_contain_text("Removes pilot-maren.")
    desk.fill("#field-source", "10.44.220.13")
    desk.press("#field-source", "Tab")
    expect(told).to_contain_text("10.44.220.13")
    desk.get_by_role("button", name="Save").click()
    desk.get_by_text("History").click()
    expect(desk.locator(".history")).to_contain_text("replace members Demo Engineer")
    undone(desk, "replace members")


def test_a_trait_group_follows_its_hosts(desk: Page) -> None:
    desk.get_by_role("link", name="Ground").click()
    desk.get_by_role("button", name="segment ticket-desks").click()
    desk.get_by_role("button", name="add a host").click()
    desk.fill("#thing-name", "kiosk-9")
    desk.fill("#thing-addresses", "10.44.12.99")
    desk.press("#thing-addresses", "Enter")
    desk.fill("#thing-traits", "kind kiosk")
    desk.press("#thing-traits", "Enter")
    desk.press("#thing-traits", "Tab")  # closes what is offered, which lies over the button
    desk.get_by_role("button", name="Add", exact=True).click()
    expect(desk.locator(".thing h2")).to_have_text("kiosk-9")
    desk.get_by_role("link", name="Names").click()
    desk.fill(".find", "kiosks-by-trait")
    name_row(desk, "kiosks-by-trait").click()
    expect(desk.locator(".editor .values")).to_contain_text("10.44.12.99")
    undone(desk, "add host")
    expect(desk.locator(".editor .values")).not_to_contain_text("10.44.12.99")


# --- ground --------------------------------------------------------------------------------------------------


def test_a_policy_attached_nowhere_says_so_until_it_is_attached(desk: Page) -> None:
    desk.get_by_role("link", name="Rules").click()
    desk.get_by_role("link", name="add policy").click()
    desk.fill("#thing-name", "hangar-side")
    desk.get_by_role("button", name="Add", exact=True).click()
    policy(desk, "hangar-side")
    expect(desk.locator(".head")).to_contain_text("attached nowhere, so it does nothing")
    desk.get_by_role("link", name="Ground").click()
    desk.get_by_role("button", name="device drydock-lock").click()
    desk.locator("#thing-policies").click()
    desk.fill("#thing-policies-4-policy", "hangar")
    desk.get_by_role("option", name="hangar-side").click()
    desk.get_by_role("button", name="Save").click()
    expect(desk.get_by_role("button", name="Save")).to_be_disabled()
    policy(desk, "hangar-side")
    expect(desk.locator(".head")).to_contain_text("drydock-lock · passage")
    undone(desk, "change device")
    undone(desk, "add policy")


def test_the_ground_is_written_with_its_mistakes(desk: Page) -> None:
    desk.get_by_role("link", name="Ground").click()
    desk.get_by_role("button", name="add segment").click()
    desk.fill("#thing-name", "Kiosks")
    desk.fill("#thing-prefixes", "10.44.190.1/24")
    desk.press("#thing-prefixes", "Enter")
    desk.fill("#thing-vlan", "4095")
    desk.get_by_role("button", name="Add", exact=True).click()
    panel = desk.get_by_label("Outline", exact=True)
    expect(panel).to_contain_text("the name 'Kiosks' is taken already, by a segment")
    expect(panel).to_contain_text("10.44.190.1/24 has host bits set; the prefix is 10.44.190.0/24")
    expect(panel).to_contain_text("a VLAN id is a number from 1 to 4094")
    desk.fill("#thing-name", "hangar")
    desk.get_by_role("button", name="remove 10.44.190.1/24").click()
    desk.fill("#thing-prefixes", "10.44.190.0/24")
    desk.press("#thing-prefixes", "Enter")
    desk.fill("#thing-vlan", "190")
    desk.get_by_role("button", name="Add", exact=True).click()
    expect(desk.get_by_role("button", name="segment hangar 10.44.190.0/24")).to_be_visible()
    desk.get_by_role("button", name="where does it reach?").click()
    expect(desk.get_by_test_id("verdict")).to_have_text("hangar")
    desk.get_by_role("combobox", name="Ask who may reach what").fill("hangar to tower")
    expect(desk.get_by_test_id("verdict")).to_contain_text("undetermined: no device is on hangar")
    desk.keyboard.press("Escape")
    desk.get_by_role("button", name="Delete").click()
    desk.get_by_role("alertdialog").get_by_role("button", name="Delete").click()
    expect(desk.get_by_role("button", name="segment hangar 10.44.190.0/24")).to_have_count(0)


def test_the_ground_by_keyboard_alone(desk: Page) -> None:
    desk.get_by_role("link", name="Ground").focus()
    desk.keyboard.press("Enter")
    desk.get_by_label("Find on the ground").wait_for()
    desk.keyboard.press("f")
    desk.keyboard.type("pier south")
    expect(outline(desk, "kiosks-south")).to_be_visible()
    expect(outline(desk, "tower")).to_have_count(0)
    desk.keyboard.press("ArrowDown")
    desk.keyboard.press("ArrowDown")
    expect(outline(desk, "kiosk-s1")).to_be_focused()
    desk.keyboard.press("Enter")
    expect(desk.locator(".thing h2")).to_have_text("kiosk-s1")
    desk.locator("#thing-name").focus()
    desk.keyboard.press("Escape")
    expect(outline(desk, "kiosk-s1")).to_be_focused()


def test_what_comes_in_is_told_before_it_does(desk: Page) -> None:
    desk.get_by_role("link", name="Ground").click()
    desk.get_by_role("button", name="bring in").click()
    box = desk.get_by_label("Text")
    box.fill("segment,prefixes,vlan\nhangar,10.44.190.0/24,9000\n")
    dialog = desk.get_by_role("dialog")
    expect(dialog).to_contain_text("a VLAN id is a number from 1 to 4094")
    expect(dialog.get_by_role("button", name="Bring in")).to_be_disabled()
    box.fill("segment,prefixes,vlan\nhangar,10.44.190.0/24,190\nkiosks,10.44.10.0/24,111\n")
    expect(dialog).to_contain_text("2 things would change.")
    dialog.get_by_role("button", name="Bring in").click()
    expect(desk.get_by_role("button", name="segment hangar 10.44.190.0/24")).to_be_visible()
    undone(desk, "bring in")
    expect(desk.get_by_role("button", name="segment hangar 10.44.190.0/24")).to_have_count(0)


def test_a_network_is_begun_with_a_name_and_grows(desk: Page) -> None:
    desk.get_by_role("link", name="Sarvex, all networks").click()
    desk.get_by_label("Begin a new one").fill("Skerry Light")
    desk.get_by_role("button", name="Begin").click()
    expect(desk.locator("h1")).to_have_text("What is there?")
    desk.get_by_role("link", name="thing by thing").click()
    expect(desk.locator("h1")).to_have_text("Ground")
    desk.get_by_role("button", name="add zone").click()
    desk.fill("#thing-name", "inside")
    desk.get_by_role("button", name="Add", exact=True).click()
    expect(desk.locator(".thing h2")).to_have_text("inside")
    desk.locator("#thing-name").press("Escape")
    desk.get_by_role("button", name="add segment").click()
    desk.fill("#thing-name", "lamp")
    desk.fill("#thing-prefixes", "10.44.7.0/24")
    desk.press("#thing-prefixes", "Enter")
    desk.get_by_role("button", name="Add", exact=True).click()
    expect(desk.get_by_role("button", name="segment lamp 10.44.7.0/24")).to_be_visible()
    desk.get_by_role("link", name="Rules", exact=True).click()
    expect(desk.locator("main")).to_contain_text("No policy yet.")


# --- people --------------------------------------------------------------------------------------------------


def test_a_viewer_is_let_in_and_changes_nothing(desk: Page, browser: Browser, served: Served) -> None:
    prove(desk, served)
    desk.goto("/people")
    desk.get_by_label("sign-in name").fill("gus")
    desk.locator("form.newcomer input[type=password]").fill("short")
    desk.get_by_role("button", name="Let in").click()
    expect(desk.get_by_role("alert").first).to_contain_text("at least 15 characters")
    desk.locator("form.newcomer input[type=password]").fill("a long enough password")
    desk.get_by_role("button", name="Let in").click()
    expect(desk.get_by_role("status")).to_contain_text("gus may sign in as viewer")
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=served.address)
    page = context.new_page()
    page.goto("/networks/1/rules")
    page.fill("#login", "gus")
    page.fill("#password", "a long enough password")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_label("now", exact=True).fill("a long enough password")
    page.get_by_label("new, 15 characters or more").fill("another that is long enough")
    page.get_by_role("button", name="Change").click()
    expect(page.get_by_role("status")).to_contain_text("Your password is changed.")
    page.goto("/networks/1/rules")
    page.wait_for_selector("[data-rule]")
    expect(page.get_by_role("button", name="add")).to_have_count(0)
    page.locator("[data-rule]").first.click()
    expect(page.get_by_role("button", name="Delete")).to_have_count(0)
    desk.get_by_role("row").filter(has_text="gus").get_by_role("button", name="shut out").click()
    expect(desk.get_by_role("status").first).to_contain_text("gus may not sign in any more")
    page.reload()
    expect(page.locator("#login")).to_be_visible()
    context.close()


def test_both_families_are_told_apart(desk: Page, signed_in: Any) -> None:
    """A block over IPv4 alone: the same names get through over IPv6, and the finding has the flow."""
    desk.get_by_role("link", name="Findings").click()
    found = desk.get_by_role("grid", name="Findings").get_by_role("row")
    one = found.filter(has_text="over IPv6 the same names get through")
    expect(one).to_contain_text("2001:db8:44:140::20 → fd00:44:64::1")
    desk.get_by_role("button", name=re.compile("too wide")).click()
    wide = found.filter(has_text="names and time").filter(has_text="wider than what exists")
    expect(wide).to_contain_text("less than 1/16")


def test_a_list_is_tidied_step_by_step(desk: Page) -> None:
    policy(desk, "ramp-side")
    row(desk, "pilots to ramp HMI").click()
    desk.keyboard.press("t")
    panel = desk.get_by_label("Tidy", exact=True)
    expect(panel).to_contain_text(re.compile(r"3 of \d+ can go: same effect, proven"))
    steps = panel.get_by_role("listitem")
    expect(steps).to_have_count(3)
    # The lowest rule leans on nothing above it; the block leans on the rule that it makes dead.
    steps.filter(has_text="no guests on the ramps").last.get_by_role("button", name="skip for now").click()
    expect(panel).to_contain_text(re.compile(r"2 of \d+ can go"))
    steps.first.get_by_role("button", name="mark to stay").click()
    expect(panel).to_contain_text(re.compile(r"1 of \d+ can go"))
    expect(row(desk, "console shell")).to_be_visible()
    panel.get_by_role("button", name="Delete it").click()
    expect(row(desk, "vessel diagnostics")).to_have_count(0)
    expect(panel).to_contain_text("Nothing can go: every rule is needed for something.")
    panel.get_by_role("button", name="judge it again").click()
    expect(panel).to_contain_text(re.compile(r"1 of \d+ can go"))
    undone(desk, "tidy: 1 rules")
    expect(row(desk, "vessel diagnostics")).to_be_visible()
    undone(desk, "change rule")


def test_a_dead_rule_is_taken_out_with_its_proof(desk: Page) -> None:
    policy(desk, "ramp-side")
    row(desk, "console shell").click()
    about = desk.get_by_label("Rule", exact=True)
    expect(about).to_contain_text("Delete it: same effect, proven.")
    about.get_by_role("button", name="Delete it").click()
    expect(row(desk, "console shell")).to_have_count(0)
    undone(desk, "tidy: 1 rules")
    expect(row(desk, "console shell")).to_be_visible()


def test_many_flows_from_a_file(desk: Page, tmp_path: Path) -> None:
    flows = tmp_path / "quay.csv"
    flows.write_text(
        "src,dst,proto,sport,dport,note\n"
        "10.44.32.4,10.44.30.10,tcp,50000,443,camera\n"
        "10.44.201.5,10.44.30.10,tcp,50000,22,vessel\n"
        "10.44.201.x,10.44.30.10,tcp,50000,22,mistyped\n"
    )
    desk.get_by_role("link", name="Verify").click()
    desk.get_by_role("link", name="many flows").click()
    choose(desk, "Through the network, or a policy", "ramp-side")
    desk.locator("input[type=file]").set_input_files(flows)
    sums = desk.get_by_label("What decided")
    expect(sums).to_contain_text("3 flows")
    rows = desk.get_by_role("table", name="Flows").get_by_role("row")
    expect(rows).to_have_count(4)
    expect(rows.nth(1)).to_contain_text("reject")
    expect(rows.nth(3)).to_contain_text("'10.44.201.x' is not an IP address")
    sums.get_by_role("button", name=re.compile("no guests on the ramps")).click()
    expect(rows).to_have_count(2)
    expect(rows.nth(1)).to_contain_text("vessel")
    sums.get_by_role("button", name="3 flows").click()
    desk.get_by_label("Find in the rows").fill("camera")
    expect(rows).to_have_count(2)
    with desk.expect_download() as download:
        sums.get_by_role("button", name="download as CSV").click()
    assert download.value.suggested_filename == "quay-decided.csv"
    assert "vessel,drop,no guests on the ramps,ramp-side" in Path(download.value.path()).read_text()


def test_many_flows_through_the_network_and_the_course_of_one(desk: Page) -> None:
    desk.goto("/networks/1/verify")
    desk.get_by_label("Flows as CSV").fill(
        "src,dst,proto,sport,dport\n10.44.64.10,10.44.30.10,tcp,50000,502\n10.44.10.13,10.44.50.5,tcp,50000,5432\n"
    )
    rows = desk.get_by_role("table", name="Flows").get_by_role("row")
    expect(rows).to_have_count(3)
    expect(rows.nth(1)).to_contain_text("no guests inside")
    expect(rows.nth(2)).to_contain_text("eastpier-lock")
    sums = desk.get_by_label("What decided")
    sums.get_by_role("button", name=re.compile("kiosks read fares in ticketing")).click()
    expect(rows).to_have_count(2)
    rows.nth(1).get_by_role("button", name="allowed").click()
    expect(desk.get_by_role("heading", level=1)).to_contain_text("10.44.10.13 to 10.44.50.5")
    expect(desk.locator("table.places")).to_contain_text("kiosks read fares")
    desk.go_back()
    expect(rows).to_have_count(3)
