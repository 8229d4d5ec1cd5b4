"""The thread from a question to a rule's truth, as a person plays it."""

from __future__ import annotations

import re

import pytest
from driving import answer_leaving, name_row, row, write_rule
from playwright.sync_api import Locator, Page, expect

pytestmark = pytest.mark.browser


def ask(page: Page, question: str) -> Locator:
    page.keyboard.press("Escape")
    line = page.get_by_role("combobox", name="Ask who may reach what")
    line.fill(question)
    line.press("Enter")
    return page.get_by_test_id("verdict")


def test_signing_in_with_a_wrong_password_says_so(page: Page) -> None:
    page.goto("/networks/1/rules/1?q=kiosks")
    page.fill("#login", "engineer")
    page.fill("#password", "not this one")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_have_text("this name and password do not go together")
    expect(page.locator("#login")).to_have_value("engineer")


def test_the_ask_line_answers(desk: Page) -> None:
    desk.keyboard.press("/")
    # Faster than any list can follow: what is taken belongs to what is typed, not to an older list.
    desk.keyboard.type("passenger-wifi to ramp-p")
    desk.keyboard.press("Tab")
    expect(desk.get_by_test_id("verdict")).to_have_text("blocked by no guests inside · silence")
    desk.keyboard.press("Enter")
    course = desk.get_by_test_id("course")
    expect(course).to_contain_text("eastpier-lock inbound dropped by 3 no guests inside in guest-manners")
    course.get_by_role("link", name="3 no guests inside").click()
    expect(desk.locator("[data-rule][aria-selected=true] .called")).to_have_text("no guests inside")
    expect(desk).to_have_url(re.compile("q=passenger-wifi"))
    desk.reload()
    expect(desk.get_by_test_id("verdict")).to_have_text("blocked by no guests inside · silence")


def test_the_address_never_takes_back_what_was_typed_since(desk: Page) -> None:
    """The question is put into the address a moment after it was typed; what was typed meanwhile stays."""
    desk.evaluate("""() => {
        const plain = history.replaceState.bind(history)
        window.late = []
        history.replaceState = (...what) => { window.late.push(what[2]); return plain(...what) }
    }""")
    desk.keyboard.press("/")
    for letter in "passenger-wifi to ramp-plc on modbus":
        desk.keyboard.type(letter, delay=110)  # about as long as the pause after which it is asked
    expect(desk.locator("input[role=combobox]").first).to_have_value("passenger-wifi to ramp-plc on modbus")
    expect(desk).to_have_url(re.compile("on.modbus"))
    assert len(desk.evaluate("window.late")) > 1
    desk.keyboard.press("Escape")
    desk.keyboard.press("Escape")


def test_a_rule_below_a_catch_all_is_dead_until_it_is_moved(desk: Page) -> None:
    """The commonest mistake: appended under the rule that takes everything."""
    assert "blocked" in (ask(desk, "crew-tablets to ramp-hmi on https").text_content() or "")
    desk.keyboard.press("Escape")
    desk.get_by_role("link", name="ramp-side").click()
    desk.get_by_role("row", name=re.compile("otherwise")).click()
    desk.keyboard.press("Shift+N")
    write_rule(desk, "crew see the panel", "crew-tablets", "10.44.30.20", "https")
    # The address was recognised as the host that has it.
    expect(desk.locator(".member").nth(1)).to_contain_text("ramp-hmi")

    told = desk.get_by_test_id("preview")
    expect(told).to_contain_text("At 12 it decides nothing: 3 no guests on the ramps")
    expect(told).to_contain_text("Works at 1–3.")
    desk.get_by_role("button", name="Add here").click()

    dead = row(desk, "crew see the panel")
    expect(dead).to_contain_text("Shadowed.")
    expect(dead.get_by_label("decides nothing")).to_be_visible()
    dead.get_by_role("button", name="Move it to 3").click()
    expect(dead.get_by_role("gridcell").first).to_have_text("3")
    expect(dead.get_by_label("decides all it matches")).to_be_visible()
    expect(dead).not_to_contain_text("Shadowed.")
    expect(desk.get_by_test_id("verdict")).to_have_text("allowed by crew see the panel")

    desk.reload()
    expect(row(desk, "crew see the panel").get_by_role("gridcell").first).to_have_text("3")
    expect(row(desk, "crew see the panel").get_by_label("decides all it matches")).to_be_visible()


def test_a_new_rule_rises_to_where_it_works(desk: Page) -> None:
    desk.get_by_role("link", name="guest-manners").click()
    desk.get_by_role("row", name=re.compile("otherwise")).click()
    desk.keyboard.press("n")
    write_rule(desk, "guests see the tide", "passenger-wifi", "weather-mast", "https")
    expect(desk.locator(".editor h2")).to_have_text(re.compile("A new rule at 3, where it works"))
    expect(desk.get_by_test_id("preview")).to_contain_text("At 3 it decides all of what it matches.")
    desk.get_by_role("button", name="Add here").click()
    expect(row(desk, "guests see the tide").get_by_role("gridcell").first).to_have_text("3")
    desk.keyboard.press("c")
    expect(desk.locator("#rule-name")).to_have_value("guests see the tide copy")
    expect(desk.get_by_test_id("preview")).to_contain_text(
        "At 4 it decides nothing: 3 guests see the tide takes all of it."
    )
    desk.keyboard.press("Escape")
    desk.keyboard.press("Control+z")
    expect(row(desk, "guests see the tide")).to_have_count(0)


def test_a_well_known_service_is_found_by_any_word_and_taken_in_place(desk: Page) -> None:
    """ "desktop" and 3389 find the same, both transports with it; the network gets the name without leaving the rule."""
    desk.get_by_role("link", name="lock-itself").click()
    expect(row(desk, "anyone pings")).to_be_visible()
    desk.get_by_role("button", name="add").click()
    desk.locator("label", has_text=re.compile("^ *allow *$")).click()
    desk.fill("#field-service", "desktop")
    desk.get_by_role("option", name=re.compile("rdp, well-known")).click()
    expect(desk.locator(".member")).to_contain_text("rdp")
    desk.press("#field-service", "Tab")
    for field in ("source", "destination"):
        desk.fill(f"#field-{field}", "any")
        desk.press(f"#field-{field}", "Tab")
    expect(desk.get_by_test_id("preview")).to_contain_text("tcp/3389, udp/3389")
    answer_leaving(desk)
    desk.get_by_role("link", name="Names").click()
    desk.fill(".find", "rdp")
    expect(name_row(desk, "rdp")).to_contain_text("tcp/3389, udp/3389")


def test_finding_rules(desk: Page) -> None:
    desk.get_by_role("link", name="ramp-side").click()
    expect(row(desk, "monitoring")).to_be_visible()
    desk.locator("[data-rule]").first.focus()
    desk.keyboard.press("f")
    desk.keyboard.type("10.44.30.20")
    # What holds the address fits as well as what is it; the controllers beside it do not.
    expect(row(desk, "historian reads ramps")).to_have_count(0)
    for name in ("pilots to ramp HMI", "harbour master view", "monitoring"):
        expect(row(desk, name)).to_be_visible()
    desk.get_by_label("Find rules").fill("")
    desk.get_by_role("button", name="superfluous").click()
    expect(row(desk, "console shell")).to_be_visible()
    expect(row(desk, "console shell").get_by_role("gridcell").first).not_to_have_text("1")
    expect(row(desk, "monitoring")).to_have_count(0)
    desk.get_by_label("Find rules").press("Escape")
    expect(row(desk, "monitoring")).to_be_visible()


def test_findings_lead_to_their_place(desk: Page) -> None:
    desk.get_by_role("link", name="Findings").click()
    findings = desk.get_by_role("grid", name="Findings")
    expect(findings).to_contain_text("attached nowhere")
    desk.get_by_role("button", name=re.compile("forgotten family")).press("Enter")
    findings.get_by_role("row").filter(has_text="booking calls nobody").click()
    desk.get_by_role("link", name="go there").click()
    expect(desk.locator("[data-rule][aria-selected=true] .called")).to_have_text("booking calls nobody")
    expect(desk.get_by_label("Rule", exact=True)).to_contain_text("It blocks over IPv4 only")
    desk.get_by_role("link", name="night-watch").click()
    desk.get_by_role("link", name="Findings").click()
    desk.get_by_role("button", name=re.compile("unused")).press("Enter")
    findings.get_by_role("row").filter(has_text="fax").click()
    desk.get_by_role("link", name="go there").click()
    expect(desk.locator("#name-name")).to_have_value("fax")


def test_dragging_tells_what_the_rule_would_decide(desk: Page) -> None:
    desk.get_by_role("link", name="sensor-side").click()
    bridge = row(desk, "Petrel bridge")
    expect(bridge).to_contain_text("Shadowed. 1 takes all of it. Works at 1.")
    grip = bridge.locator(".position").bounding_box()
    top = row(desk, "no Petrel messages").bounding_box()
    assert grip and top
    desk.mouse.move(grip["x"] + 10, grip["y"] + 10)
    desk.mouse.down()
    desk.mouse.move(grip["x"] + 30, top["y"] + 60, steps=5)
    held = desk.get_by_test_id("drop-preview")
    expect(held).to_contain_text("(3 → 2)")
    expect(held).to_contain_text("At 2 it decides nothing")
    desk.mouse.move(grip["x"] + 30, top["y"] + 5, steps=5)
    expect(held).to_contain_text("At 1 it decides all of what it matches.")
    desk.keyboard.press("Escape")
    expect(held).to_be_hidden()
    desk.mouse.up()
    expect(bridge.get_by_role("gridcell").first).to_have_text("3")

    desk.mouse.move(grip["x"] + 10, grip["y"] + 10)
    desk.mouse.down()
    desk.mouse.move(grip["x"] + 30, top["y"] + 5, steps=5)
    desk.mouse.up()
    expect(bridge.get_by_role("gridcell").first).to_have_text("1")
    expect(bridge.get_by_label("decides all it matches")).to_be_visible()
    expect(row(desk, "no Petrel messages").get_by_label("decides a part")).to_be_visible()


def test_the_keyboard_alone_suffices(desk: Page) -> None:
    desk.get_by_role("link", name="out-to-sea").focus()
    desk.keyboard.press("Enter")
    first = row(desk, "controllers never")
    expect(first).to_be_visible()
    first.focus()
    desk.keyboard.press("ArrowDown")
    desk.keyboard.press("ArrowDown")
    expect(desk.locator("[data-rule][aria-selected=true] .called")).to_have_text("web for people")
    desk.keyboard.press("Alt+ArrowUp")
    expect(row(desk, "web for people").get_by_role("gridcell").first).to_have_text("1")
    expect(row(desk, "web for people")).to_be_focused()
    desk.keyboard.press("x")
    expect(row(desk, "web for people").get_by_label("switched off")).to_be_visible()
    desk.keyboard.press("x")
    desk.keyboard.press("Enter")
    expect(desk.locator("#rule-name")).to_be_focused()
    desk.keyboard.press("Escape")
    expect(row(desk, "web for people")).to_be_focused()
    desk.keyboard.press("End")
    expect(desk.locator("[data-otherwise]")).to_be_focused()
    desk.keyboard.press("ArrowUp")
    desk.keyboard.press("Delete")
    expect(desk.get_by_role("dialog")).to_contain_text("Delete 7 crew voice?")
    desk.keyboard.press("Enter")
    expect(row(desk, "crew voice")).to_have_count(0)


def test_mistakes_keep_what_was_written(desk: Page) -> None:
    desk.get_by_role("link", name="lock-itself").click()
    expect(row(desk, "engineers manage")).to_be_visible()
    desk.get_by_role("button", name="add").click()
    desk.get_by_role("button", name="Add here").click()
    expect(desk.locator(".editor")).to_contain_text("A rule needs a name.")
    expect(desk.locator(".editor")).to_contain_text("Choose what it does: allow, drop or reject.")
    expect(desk.locator(".editor")).to_contain_text("Name at least one; everything is written any.")
    desk.fill("#rule-name", "anyone pings")
    desk.locator("label", has_text=re.compile("^ *allow *$")).click()
    for field, value in (("source", "10.44.10.1/24"), ("destination", "any"), ("service", "tcp/99999")):
        desk.fill(f"#field-{field}", value)
        desk.press(f"#field-{field}", "Tab")
    expect(desk.locator(".editor")).to_contain_text("the prefix is 10.44.10.0/24")
    expect(desk.locator(".editor")).to_contain_text("a port is a number from 0 to 65535")
    desk.get_by_role("button", name="Add here").click()
    expect(desk.locator(".editor")).to_contain_text("another rule of lock-itself is called 'anyone pings'")
    expect(desk.locator("#rule-name")).to_have_value("anyone pings")
    expect(desk.locator(".member").first).to_contain_text("10.44.10.1/24")


def test_a_name_shows_its_value_without_leaving_the_rule(desk: Page) -> None:
    desk.get_by_role("link", name="ramp-side").click()
    row(desk, "pilots to ramp HMI").locator(".name").first.hover()
    expect(desk.get_by_role("tooltip")).to_contain_text("10.44.220.11-10.44.220.12")
    expect(desk.get_by_role("tooltip")).to_contain_text("pilot-anders, pilot-maren")


def test_the_edit_of_somebody_else_is_told(desk: Page, served) -> None:
    desk.get_by_role("link", name="ticketing").click()
    mine = row(desk, "crew see booking")
    mine.click()
    desk.keyboard.press("Enter")
    desk.fill("#rule-why", "my words")
    other = desk.context.new_page()
    other.goto(desk.url)
    row(other, "crew see booking").click()
    other.keyboard.press("x")
    expect(row(other, "crew see booking").get_by_label("switched off")).to_be_visible()
    # The first page hears of it by itself: theirs comes in, what was written here stays.
    expect(desk.get_by_role("alert")).to_contain_text("changed by somebody else")
    expect(desk.get_by_role("alert")).to_contain_text("Taken in: active")
    expect(desk.locator("#rule-why")).to_have_value("my words")
    desk.get_by_role("button", name="Save").click()
    expect(desk.locator("#rule-why")).to_have_count(0)
    expect(mine).to_contain_text("my words")
    expect(mine.get_by_label("switched off")).to_be_visible()
    other.close()


def test_near_equal_addresses_are_listed(desk: Page) -> None:
    """…127… and …172…: the slip that nobody sees in a list of numbers."""
    desk.get_by_role("link", name="Names").click()
    desk.get_by_role("button", name="worth a look").click()
    expect(name_row(desk, "gauge-north")).to_contain_text("nearly gauge-south")
    expect(name_row(desk, "web-tls")).to_contain_text("same as https")
    expect(name_row(desk, "fax")).to_contain_text("unused")
    expect(name_row(desk, "ntp")).to_have_count(0)


def test_what_is_told_while_one_writes_does_not_move_the_buttons(desk: Page) -> None:
    """Whoever is about to press Save presses it, whatever comes up above it meanwhile."""
    desk.get_by_role("link", name="Names").click()
    desk.fill(".find", "crew-tab")
    name_row(desk, "crew-tablets").click()
    save = desk.get_by_role("button", name="Save")
    expect(save).to_be_disabled()
    before = save.bounding_box()
    desk.fill("#field-source", "10.44.122.64/28")
    desk.press("#field-source", "Tab")
    expect(desk.get_by_test_id("consequence")).to_contain_text("Opens")
    expect(save).to_be_enabled()
    assert save.bounding_box() == before
    desk.get_by_role("button", name="Discard").click()


def test_a_name_is_extended_renamed_and_taken_back(desk: Page) -> None:
    desk.get_by_role("link", name="Names").click()
    desk.keyboard.press("f")
    desk.keyboard.type("crew-tab")
    name_row(desk, "crew-tablets").click()
    desk.fill("#field-source", "10.44.122.64/28")
    desk.press("#field-source", "Tab")
    desk.fill("#name-name", "deck-tablets")
    told = desk.get_by_test_id("name-edit")
    expect(told).to_contain_text("Adds 10.44.122.64/28.")
    expect(told).to_contain_text("Renamed, and every use follows.")
    desk.get_by_role("button", name="Save").click()
    desk.fill(".find", "deck")
    expect(name_row(desk, "deck-tablets")).to_contain_text("10.44.122.16/28, 10.44.122.64/28")
    desk.get_by_text("History").click()
    expect(desk.locator(".history")).to_contain_text("add members Demo Engineer")

    desk.get_by_role("link", name="guest-manners").click()
    expect(row(desk, "crew tablets inside")).to_contain_text("deck-tablets")
    desk.keyboard.press("Control+z")
    expect(desk.get_by_role("status").filter(has_text="Undone: add members")).to_be_visible()
    expect(row(desk, "crew tablets inside")).to_contain_text("crew-tablets")
    desk.keyboard.press("Control+Shift+z")
    expect(row(desk, "crew tablets inside")).to_contain_text("deck-tablets")
    desk.keyboard.press("Control+z")
    expect(row(desk, "crew tablets inside")).to_contain_text("crew-tablets")


def test_a_used_name_is_replaced_before_it_goes(desk: Page) -> None:
    desk.get_by_role("link", name="Names").click()
    desk.fill(".find", "web-tls")
    name_row(desk, "web-tls").click()
    expect(desk.get_by_role("button", name="Delete")).to_have_count(0)
    desk.get_by_label("Replace everywhere by").fill("https")
    desk.get_by_role("option", name="https").click()
    desk.get_by_role("button", name="Replace", exact=True).click()
    desk.fill(".find", "")
    expect(name_row(desk, "web-tls")).to_have_count(0)
    desk.get_by_role("link", name="sensor-side").click()
    expect(row(desk, "desks read gauges")).to_contain_text("https")


def test_a_taken_name_is_refused_beside_the_field(desk: Page) -> None:
    desk.get_by_role("link", name="Names").click()
    desk.get_by_role("button", name="add service").click()
    desk.fill("#name-name", "NTP")
    desk.fill("#field-service", "udp/99999")
    desk.press("#field-service", "Tab")
    desk.get_by_role("button", name="Add", exact=True).click()
    editor = desk.locator(".editor")
    expect(editor).to_contain_text("the name 'NTP' is taken already")
    expect(editor).to_contain_text("a port is a number from 0 to 65535")
    expect(desk.locator("#name-name")).to_have_value("NTP")
