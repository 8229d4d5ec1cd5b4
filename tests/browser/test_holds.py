"""What must hold, played on the page: requirements pasted, rules written until they hold, mistakes seen before they are saved."""

from __future__ import annotations

import re

from driving import answer_leaving, row
from playwright.sync_api import Locator, Page, expect

N = "/networks/1/verify/holds"
LATE = 60_000


def line(desk: Page, name: str) -> Locator:
    return desk.get_by_role("grid", name="What must hold").get_by_role("row").filter(has_text=name)


def undo(desk: Page) -> None:
    desk.locator("h1").first.click()
    desk.keyboard.press("Control+z")


def test_the_home_says_how_it_stands_and_leads_everywhere(desk: Page) -> None:
    desk.goto("/networks/1")
    expect(desk.get_by_role("heading", level=1)).to_have_text(re.compile("Not quite: 2 of 32"), timeout=LATE)
    expect(desk.get_by_text("eastpier-lock from management")).to_be_visible(timeout=LATE)
    expect(desk.get_by_text("remote-pilots → linkspans")).to_be_visible()
    desk.get_by_role("link", name="nobody else manages the locks").click()
    expect(desk.get_by_role("complementary", name="One that must hold")).to_contain_text("office-files")
    desk.go_back()
    desk.get_by_role("link", name=re.compile("no Petrel messages")).click()
    expect(desk.get_by_role("heading", name="sensor-side")).to_be_visible()


def test_a_mistake_is_seen_to_break_something_before_it_is_saved(desk: Page) -> None:
    """M5 and M19 likewise: what lets somebody at a device itself breaks what says that nobody may."""
    row(desk, "no guests on the ramps").click()
    desk.keyboard.press("Delete")
    sheet = desk.get_by_role("dialog")
    expect(sheet.get_by_test_id("holding")).to_contain_text(
        "Breaks “vessels stay off the ramps”", timeout=LATE
    )
    expect(sheet.get_by_test_id("holding")).to_contain_text("let through by vessel diagnostics")
    sheet.get_by_role("button", name="Cancel").click()
    desk.get_by_role("link", name="sensor-side").click()
    row(desk, "no Petrel messages").click()
    desk.keyboard.press("Delete")
    expect(desk.get_by_role("dialog").get_by_test_id("holding")).to_contain_text(
        "Mends “the bridge of the Petrel", timeout=LATE
    )
    desk.get_by_role("dialog").get_by_role("button", name="Cancel").click()


def test_requirements_are_pasted_and_every_line_is_told(desk: Page) -> None:
    desk.goto(N)
    expect(line(desk, "kiosks sell")).to_contain_text("holds", timeout=LATE)
    desk.keyboard.press("p")
    text = "from\tto\tport\tallowed\ntower\tcctv\trtsp\tyes\nwifi-south\tlinkspan-south\t\tnever\nwifi-south\tlinkspan-south\tany\tyes\nofices\tcctv\tany\tno\n"
    desk.get_by_role("textbox", name="Requirements").fill(text)
    read = desk.get_by_role("list", name="What was understood")
    expect(read.get_by_role("listitem")).to_have_count(4, timeout=LATE)
    expect(read.get_by_role("listitem").nth(0)).to_contain_text("does not hold")
    expect(read.get_by_role("listitem").nth(2)).to_contain_text("says the opposite of line 3")
    expect(read.get_by_role("listitem").nth(3)).to_contain_text("did you mean offices")
    desk.get_by_role("button", name="Take 2 lines").click()
    left = desk.get_by_role("textbox", name="Requirements")
    expect(left).to_be_hidden()
    expect(line(desk, "tower reach cctv on rtsp")).to_contain_text("does not hold", timeout=LATE)
    expect(line(desk, "wifi-south never reach linkspan-south")).to_contain_text("holds")
    undo(desk)
    expect(line(desk, "tower reach cctv on rtsp")).to_have_count(0, timeout=LATE)
    expect(desk.get_by_test_id("standing")).to_have_text("2 of 32 do not hold, 1 cannot be told")


def test_a_sentence_becomes_something_that_must_hold_with_what_belongs_around_it(desk: Page) -> None:
    """M9: the positive alone is not enough; M13 and M16 by name."""
    answer_leaving(desk)
    desk.goto(N)
    desk.get_by_label("Write one").fill("fulmar-chart must reach the moon")
    desk.keyboard.press("Enter")
    expect(desk.get_by_role("alert")).to_contain_text("the moon", timeout=LATE)
    desk.get_by_label("Write one").fill("tower-desks must reach ramp-hmi-south on https")
    desk.keyboard.press("Enter")
    panel = desk.get_by_role("complementary", name="One that must hold")
    expect(panel.get_by_role("status").first).to_contain_text("holds", timeout=LATE)
    around = panel.get_by_role("region", name="What belongs around it")
    expect(around.get_by_role("listitem").filter(has_text="anything else")).to_contain_text(
        "does not hold", timeout=LATE
    )
    expect(around.get_by_role("listitem").filter(has_text="the other way")).to_contain_text("south logs")
    panel.get_by_role("button", name="Add").click()
    expect(line(desk, "tower-desks reach ramp-hmi-south on https")).to_contain_text("holds", timeout=LATE)
    around.get_by_role("listitem").filter(has_text="the other way").get_by_role(
        "button", name="take it"
    ).click()
    expect(line(desk, "not the other way: tower-desks reach")).to_contain_text("does not hold", timeout=LATE)
    undo(desk)
    expect(line(desk, "not the other way")).to_have_count(0, timeout=LATE)
    desk.keyboard.press("Control+z")
    expect(line(desk, "tower-desks reach ramp-hmi-south on https")).to_have_count(0, timeout=LATE)


def test_it_is_written_where_somebody_looks(desk: Page) -> None:
    answer_leaving(desk)
    desk.goto("/networks/1/verify/question?q=passenger-wifi to ramp-plc on modbus")
    desk.get_by_role("link", name="this must stay so").click()
    panel = desk.get_by_role("complementary", name="One that must hold")
    expect(panel.locator("#thing-name")).to_have_value(
        "passenger-wifi never reach ramp-plc on modbus", timeout=LATE
    )
    expect(panel.get_by_role("status").first).to_contain_text("holds", timeout=LATE)
    panel.get_by_role("button", name="Discard").click()
    desk.goto("/networks/1/verify/segments?q=")
    chart = desk.get_by_role("group", name=re.compile("^Who reaches whom"))
    expect(chart).to_be_visible(timeout=LATE)
    chart.focus()
    link = desk.get_by_role("link", name="this must stay so")
    for key in ("ArrowDown", *["ArrowRight"] * 8):
        desk.keyboard.press(key)
        if desk.locator("#pair").get_by_text("nothing works").count():
            break
    link.click()
    expect(panel.locator("#thing-name")).to_have_value(re.compile("reach"), timeout=LATE)
    panel.get_by_role("button", name="Discard").click()
    expect(panel).to_have_count(0)


def test_it_is_told_since_which_change_one_does_not_hold(desk: Page) -> None:
    """M13: what was done to it, and by whom."""
    row(desk, "no guests on the ramps").click()
    desk.keyboard.press("Delete")
    sheet = desk.get_by_role("dialog")
    expect(sheet.get_by_test_id("holding")).to_contain_text("Breaks", timeout=LATE)
    sheet.get_by_role("button", name="Delete").click()
    expect(sheet).to_be_hidden(timeout=LATE)
    desk.goto(N)
    expect(line(desk, "vessels stay off the ramps")).to_contain_text("does not hold", timeout=LATE)
    line(desk, "vessels stay off the ramps").click()
    since = desk.get_by_test_id("since")
    expect(since).to_contain_text("Demo Engineer, delete rule. Before that: it held.", timeout=LATE)
    since.get_by_role("link", name="what that change did").click()
    expect(desk.get_by_test_id("holding").first).to_contain_text(
        "Breaks “vessels stay off the ramps”", timeout=LATE
    )
    undo(desk)
    desk.goto(N)
    expect(line(desk, "vessels stay off the ramps")).to_contain_text("holds", timeout=LATE)


def test_what_does_not_hold_is_mended_by_a_rule_written_from_it(desk: Page) -> None:
    """M25 likewise: from what works around a block to the rule that drops it, looked at before it is added."""
    desk.goto(N)
    line(desk, "the bridge of the Petrel reaches the sensors").locator(".called").click(timeout=LATE)
    panel = desk.get_by_role("complementary", name="One that must hold")
    panel.get_by_role("button", name="write a rule in sensor-side that allows it").click(timeout=LATE)
    expect(desk.get_by_role("heading", name="sensor-side").first).to_be_visible(timeout=LATE)
    form = desk.get_by_role("complementary")
    expect(form.get_by_label("Name")).to_have_value("the bridge of the Petrel reaches the sensors")
    expect(desk.get_by_test_id("holding")).to_contain_text("Mends “the bridge of the Petrel", timeout=LATE)

    desk.goto(N)
    line(desk, "guests stay out of control").locator(".called").click(timeout=LATE)
    ways = panel.get_by_role("region", name="Ways around it")
    ways.get_by_role("button", name="write a rule that drops it").click(timeout=LATE)
    name = desk.get_by_role("complementary").get_by_label("Name")
    expect(name).to_have_value("the other way", timeout=LATE)
    expect(desk.get_by_role("complementary")).to_contain_text("linkspans")
    told = desk.get_by_role("complementary")
    expect(told).to_contain_text("In the network", timeout=LATE)
    expect(told.get_by_text("Closes").last).to_be_visible(timeout=LATE)


def test_several_are_chosen_by_keys_and_get_one_who_answers_for_them(desk: Page) -> None:
    desk.goto(N)
    line(desk, "kiosks sell").locator(".called").click(timeout=LATE)
    desk.keyboard.press("Escape")
    line(desk, "kiosks sell").locator(".called").click()
    desk.keyboard.press("Shift+ArrowDown")
    together = desk.get_by_role("complementary", name="Several that must hold")
    expect(together).to_contain_text("2 things that must hold")
    line(desk, "the south pier sells").locator(".called").click(modifiers=["Control"])
    expect(together).to_contain_text("3 things")
    together.get_by_label("Who answers for them").fill("maren")
    together.get_by_role("button", name="maren answers for all").click()
    for name in ("kiosks sell", "the south pier sells"):
        line(desk, name).locator(".called").click()
        expect(
            desk.get_by_role("complementary", name="One that must hold").get_by_label("Who answers for it")
        ).to_have_value("maren")
    undo(desk)
    expect(
        desk.get_by_role("complementary", name="One that must hold").get_by_label("Who answers for it")
    ).to_have_value("ticketing")


def test_what_must_hold_stands_below_the_rules_and_follows_each_edit(desk: Page) -> None:
    pinned = desk.get_by_test_id("pinned")
    expect(pinned).to_contain_text("2 of 32 do not hold", timeout=LATE)
    row(desk, "no guests on the ramps").click()
    desk.keyboard.press("x")
    expect(pinned).to_contain_text("3 of 32 do not hold", timeout=LATE)
    undo(desk)
    expect(pinned).to_contain_text("2 of 32 do not hold", timeout=LATE)


def test_what_changes_nothing_is_taken_out_from_home(desk: Page) -> None:
    desk.goto("/networks/1")
    worth = desk.get_by_role("region", name="Worth doing")
    of_ticketing = worth.get_by_role("listitem").filter(has_text="ticketing could go without any change")
    expect(of_ticketing).to_contain_text("crew see booking", timeout=LATE)
    of_ticketing.get_by_role("button", name="take it out").click()
    expect(of_ticketing).to_have_count(0, timeout=LATE)
    undo(desk)
    expect(of_ticketing).to_have_count(1, timeout=LATE)
