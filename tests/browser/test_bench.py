"""The rule bench, played on the page: users and devices in rules, for a while, kept searches, two policies, names looked for, the ground read."""

from __future__ import annotations

import re
from datetime import date, timedelta

from driving import answer_leaving, name_row, row
from playwright.sync_api import Page, expect

LATE = 60_000


def rules_of(desk: Page, policy: str, **query: str) -> Page:
    """A policy's rules, looked at."""
    answer_leaving(desk)
    policies = {p["name"]: p["id"] for p in desk.request.get("/api/networks/1").json()["policies"]}
    asked = "&".join(f"{k}={policies.get(v, v)}" for k, v in query.items())
    desk.goto(f"/networks/1/rules/{policies[policy]}?{asked}")
    expect(desk.locator("[data-rule]").first).to_be_visible(timeout=LATE)
    return desk


def undo(desk: Page) -> None:
    desk.locator("h1").first.click()
    desk.keyboard.press("Control+z")


def test_somebody_is_let_through_for_a_while(desk: Page) -> None:
    """A user by their name, beside the rule of others; the home tells what its end does, and when it is over nothing is left."""
    rules_of(desk, "ramp-side")
    row(desk, "pilots to ramp HMI").locator(".called").click()
    desk.get_by_role("button", name="For a while…").click()
    form = desk.get_by_role("complementary", name="Rule")
    expect(form).to_contain_text("a rule of its own, beside pilots to ramp HMI")
    source = form.get_by_role("combobox", name="From", exact=True)
    source.focus()
    desk.keyboard.insert_text("maren, eastpier-lock")
    desk.keyboard.press("Tab")
    expect(form.get_by_role("button", name="remove maren")).to_be_visible(timeout=LATE)
    expect(form.get_by_role("button", name="remove eastpier-lock")).to_be_visible()
    form.get_by_role("button", name="Add here").click()
    made = row(desk, "pilots to ramp HMI for a while")
    expect(made).to_contain_text("maren, eastpier-lock", timeout=LATE)
    last = (date.today() + timedelta(days=7)).isoformat()
    expect(made).to_contain_text(re.compile(rf"until {last[:7]}"))
    desk.goto("/networks/1/standing")
    soon = desk.get_by_role("region", name="Soon").or_(desk.locator("section", has=desk.locator("#soon")))
    expect(soon.first).to_contain_text("pilots to ramp HMI for a while", timeout=LATE)
    expect(soon.first).to_contain_text("then:")
    rules_of(desk, "ramp-side")
    undo(desk)
    expect(made).to_have_count(0, timeout=LATE)


def test_a_search_is_kept_taken_again_and_forgotten(desk: Page) -> None:
    rules_of(desk, "ramp-side")
    desk.keyboard.press("f")
    line = desk.get_by_label("Find rules")
    line.fill("from:tower log:no")
    expect(row(desk, "no guests on the ramps")).to_have_count(0, timeout=LATE)
    kept = desk.locator("details.kept")
    kept.locator("summary").focus()
    desk.keyboard.press("Enter")
    kept.get_by_label("Keep this search as").fill("tower, unlogged")
    desk.keyboard.press("Enter")
    expect(kept.get_by_role("button", name="tower, unlogged", exact=True)).to_be_visible(timeout=LATE)
    line.fill("modbus")
    kept.locator("summary").click()
    if not kept.get_by_role("button", name="tower, unlogged", exact=True).is_visible():
        kept.locator("summary").click()
    kept.get_by_role("button", name="tower, unlogged", exact=True).click()
    expect(line).to_have_value("from:tower log:no")
    kept.locator("summary").click()
    kept.get_by_role("button", name="forget tower, unlogged").click()
    expect(kept.get_by_role("button", name="forget tower, unlogged")).to_have_count(0, timeout=LATE)


def test_names_are_found_by_what_they_stand_for(desk: Page) -> None:
    desk.goto("/networks/1/names")
    line = desk.get_by_label("Find a name")
    line.fill("holds:10.44.30.10 kind:host")
    expect(name_row(desk, "ramp-plc")).to_be_visible(timeout=LATE)
    expect(name_row(desk, "ramp-hmi")).to_have_count(0)
    line.fill("in:linkspans")
    expect(name_row(desk, "ramp-hmi")).to_be_visible(timeout=LATE)
    line.fill("holds:nobody")
    expect(desk.get_by_role("alert")).to_contain_text("no address is called 'nobody'", timeout=LATE)
    line.fill("from:x")
    expect(desk.get_by_role("alert")).to_contain_text("There is no from:")


def test_a_rule_of_another_policy_is_dragged_into_this_one(desk: Page) -> None:
    """What it would do here is told while the hand holds it; let go it is a form, and only that saves."""
    rules_of(desk, "ramp-side", beside="south-ramp")
    beside = desk.get_by_role("region", name="Beside")
    theirs = beside.get_by_role("listitem").filter(has_text="no south phones near steel")
    expect(theirs).to_be_visible(timeout=LATE)
    grip = theirs.locator(".position").bounding_box()
    over = row(desk, "historian reads ramps").bounding_box()
    assert grip and over
    desk.mouse.move(grip["x"] + 5, grip["y"] + 5)
    desk.mouse.down()
    desk.mouse.move(grip["x"] - 40, grip["y"] + 30, steps=4)
    desk.mouse.move(over["x"] + 120, over["y"] + 3, steps=8)
    form = desk.get_by_role("complementary", name="Rule")
    expect(form).to_contain_text("At 4", timeout=LATE)
    desk.mouse.up()
    expect(form.get_by_role("button", name="Add here")).to_be_visible()
    form.get_by_role("button", name=re.compile("Close|Discard")).first.click()
    expect(theirs).to_be_visible(timeout=LATE)
    expect(row(desk, "no south phones near steel")).to_have_count(0)
    beside.get_by_role("button", name="close").click()
    expect(beside).to_have_count(0)


def test_the_ground_is_read_from_a_device_and_taken_over(desk: Page) -> None:
    ground = desk.request.get("/api/networks/1/ground").json()
    device = next(d["id"] for d in ground["devices"] if d["thing"]["name"] == "eastpier-lock")
    desk.goto(f"/networks/1/ground/{device}")
    desk.get_by_role("button", name="ask it what it knows of the ground").click()
    take = desk.get_by_role("button", name=re.compile("^take over: .* no host here has it"))
    expect(take).to_have_count(1, timeout=LATE)
    take.click()
    expect(desk.get_by_text("It tells the ground as it is written here.")).to_be_visible(timeout=LATE)
    undo(desk)
    expect(desk.get_by_text("crew-wifi").first).to_be_visible()
    for _ in range(60):
        hosts = desk.request.get("/api/networks/1/ground").json()["hosts"]
        if not any(h["thing"]["name"].startswith("seen-") for h in hosts):
            break
        desk.wait_for_timeout(500)
    desk.get_by_role("button", name="ask it again").click()
    expect(take).to_have_count(1, timeout=LATE)


def test_a_new_service_for_an_existing_group_takes_six_steps(desk: Page) -> None:
    """Find the group, open it, write the new name, make it, say what it is, save: told in the tour."""
    desk.goto("/networks/1/names")
    steps = 0

    def step() -> None:
        nonlocal steps
        steps += 1

    desk.get_by_label("Find a name").fill("camera-events")
    step()
    name_row(desk, "camera-events").locator(".called").click()
    step()
    members = desk.get_by_role("combobox", name="Members").or_(desk.get_by_role("combobox", name="Service"))
    members.first.focus()
    desk.keyboard.insert_text("camera-clock")
    step()
    desk.get_by_role("option", name=re.compile("make “camera-clock”")).click()
    step()
    make = desk.get_by_role("group", name="Make camera-clock")
    make.get_by_label("Services").fill("udp/9123")
    desk.keyboard.press("Enter")
    expect(desk.get_by_role("button", name="remove camera-clock")).to_be_visible(timeout=LATE)
    step()
    desk.get_by_role("button", name="Save").click()
    step()
    expect(name_row(desk, "camera-events")).to_contain_text("9123", timeout=LATE)
    assert steps <= 6
    undo(desk)
    desk.keyboard.press("Control+z")
    desk.get_by_label("Find a name").fill("camera-clock")
    expect(name_row(desk, "camera-clock")).to_have_count(0, timeout=LATE)


def test_four_and_twenty_requirements_are_kept_from_a_sheet(desk: Page) -> None:
    """By the names that are there, none of them typed again; one press takes all."""
    wanted = [
        (source, destination, service, "yes" if n % 2 else "no")
        for n, (source, destination, service) in enumerate(
            (s, d, v) for s in ("kiosks", "tower", "crew-wifi", "wifi-south") for d in ("fares-db", "cctv", "ramp-plc") for v in ("ssh", "https")
        )
    ]  # fmt: skip
    assert len(wanted) == 24
    desk.goto("/networks/1/verify/holds")
    expect(desk.get_by_test_id("standing")).to_be_visible(timeout=LATE)
    desk.keyboard.press("p")
    desk.get_by_role("textbox", name="Requirements").fill("\n".join("\t".join(line) for line in wanted))
    take = desk.get_by_role("button", name="Take 24 lines")
    expect(take).to_be_enabled(timeout=LATE)
    take.click()
    expect(desk.get_by_role("textbox", name="Requirements")).to_be_hidden(timeout=LATE)
    listed = desk.request.get("/api/networks/1/expectations").json()["expectations"]
    there = {(*e["thing"]["source"], *e["thing"]["destination"], *e["thing"]["service"]) for e in listed}
    assert {line[:3] for line in wanted} <= there
    undo(desk)
    expect(desk.get_by_test_id("standing")).to_contain_text("of 32", timeout=LATE)
