"""A device that speaks nothing open: what is typed into it, and what it tells then."""

from __future__ import annotations

import pytest
from driving import choose
from playwright.sync_api import Page, expect


@pytest.fixture
def sheet(desk: Page) -> Page:
    """The worksheet of a device, by the ground."""
    desk.goto("/networks/1/ground")
    ground = desk.request.get("/api/networks/1/ground").json()
    device = next(d["id"] for d in ground["devices"] if d["thing"]["name"] == "eastpier-lock")
    desk.goto(f"/networks/1/ground/{device}")
    desk.get_by_role("link", name="its worksheet").click()
    expect(desk.get_by_role("heading", name="Worksheet of eastpier-lock")).to_be_visible()
    return desk


def test_lines_are_ticked_off_and_stay_so(sheet: Page) -> None:
    guests = sheet.get_by_label("guest-manners", exact=True)
    expect(guests).to_contain_text("inbound at lan.120, lan.122")
    expect(guests).to_contain_text("0 of 6 typed in")
    first = guests.get_by_role("checkbox").first
    first.focus()
    sheet.keyboard.press("Space")
    expect(guests).to_contain_text("1 of 6 typed in")
    sheet.reload()
    expect(guests).to_contain_text("1 of 6 typed in")
    guests.get_by_role("checkbox").first.uncheck()
    expect(guests).to_contain_text("0 of 6 typed in")


def test_what_was_typed_wrong_is_found_entry_by_entry(sheet: Page) -> None:
    guests = sheet.get_by_label("guest-manners", exact=True)
    rows = [
        [cell.inner_text() for cell in line.locator("td").all()]
        for line in guests.locator("li").first.locator("tr").all()
    ]
    assert len(rows) == 4
    rows[1][2] = rows[1][2][:-1] + "9"
    guests.get_by_role("button", name="read guest-manners back").click()
    form = guests.get_by_role("form")
    pasted = form.get_by_label("what the device tells of this list")
    pasted.fill("\n".join("\t".join([r[3], r[2], r[1], r[0]]) for r in rows))  # the destination first
    form.get_by_role("button", name="Compare").click()
    expect(form.get_by_role("status")).to_contain_text("lines otherwise than it should be")
    choose(form, "column 2", "destination")
    choose(form, "column 3", "source")
    wrong = form.locator("tbody tr").filter(has_text="should be 10.44.60.6")
    expect(wrong).to_have_count(1)
    expect(wrong.locator("td").first).to_have_text("2")
    expect(form.get_by_role("status")).to_contain_text("1 line otherwise")
    expect(form.locator("tbody")).to_contain_text("missing: rule 2")  # the rest of the list was not pasted
    pasted.fill("\n".join("\t".join([r[3], r[2], r[1], r[0]]) for r in rows[2:]))
    form.get_by_role("button", name="Compare").click()  # corrected once, and kept
    expect(form.get_by_role("status")).not_to_contain_text("otherwise")
    expect(form.locator("tbody tr").filter(has_text="rule 1 guests resolve names")).to_have_count(2)
