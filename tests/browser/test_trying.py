"""What to try in the network itself, ticked back in on the page, by keys, and on paper."""

from __future__ import annotations

import re

from driving import row
from playwright.sync_api import Locator, Page, expect

N = "/networks/1/verify/holds"
LATE = 60_000


def trial(desk: Page, number: int) -> Locator:
    return desk.locator(f'[data-trial="{number}"]')


def test_what_was_seen_is_ticked_in_by_keys_and_the_home_tells_what_was_otherwise(desk: Page) -> None:
    """M3: the half that must not work is tried as well."""
    desk.goto(N)
    desk.get_by_role("link", name="to try").click(timeout=LATE)
    progress = desk.get_by_test_id("progress")
    expect(progress).to_have_text(re.compile(r"^0 of \d+ tried"), timeout=LATE)
    expect(desk.get_by_text(re.compile(r"Of edition \d+, in force"))).to_be_visible()
    first, second = trial(desk, 1), trial(desk, 2)
    expect(first).to_contain_text("kiosk-1 10.44.10.11")
    expect(first).to_contain_text("it answers counted by kiosks read fares at eastpier-lock")
    expect(second).to_contain_text("no answer counted by no old kiosk")
    first.focus()
    desk.keyboard.press("w")
    expect(progress).to_have_text(re.compile(r"^1 of \d+ tried$"), timeout=LATE)
    desk.keyboard.press("ArrowDown")
    expect(second).to_be_focused()
    desk.keyboard.press("w")
    expect(progress).to_have_text(re.compile(r"^2 of \d+ tried, 1 otherwise than told$"), timeout=LATE)
    expect(second).to_contain_text("not as told")
    note = second.get_by_role("textbox", name="Note on 2")
    note.fill("from the old laptop")
    note.press("Enter")
    desk.get_by_label("only what is not tried").check()
    expect(first).to_be_hidden()
    expect(trial(desk, 3)).to_be_visible()

    desk.goto("/networks/1/standing")
    told = desk.get_by_test_id("otherwise")
    expect(told).to_contain_text("10.44.10.11 to 10.44.50.5 on tcp/22 worked", timeout=LATE)
    told.get_by_role("button").click()
    expect(desk).to_have_url(re.compile("question"))
    desk.go_back()
    desk.get_by_test_id("otherwise").get_by_role("link", name="To try").click()
    expect(trial(desk, 2).get_by_role("textbox")).to_have_value("from the old laptop", timeout=LATE)
    trial(desk, 2).focus()
    desk.keyboard.press("t")
    expect(progress).to_have_text(re.compile(r"^1 of \d+ tried$"), timeout=LATE)


def test_what_is_tried_is_of_what_is_in_force_until_the_draft_is_asked_for(desk: Page) -> None:
    row(desk, "no guests on the ramps").click()
    desk.goto(f"{N}/try")
    line = desk.get_by_role("region", name="nobody else manages the locks").locator("[data-trial]").first
    expect(line).to_contain_text("must not answer, and will: it answers", timeout=LATE)
    line.get_by_role("link", name="desks manage").click()
    expect(desk.get_by_role("heading", name="office-itself").first).to_be_visible(timeout=LATE)
    desk.go_back()
    desk.get_by_role("button", name="Of the draft").click()
    expect(desk.get_by_text("Of the draft, which is not in force")).to_be_visible(timeout=LATE)
    expect(trial(desk, 1)).to_be_visible()


def test_on_paper_there_is_the_sheet_alone(desk: Page) -> None:
    desk.goto(f"{N}/try")
    expect(trial(desk, 1)).to_be_visible(timeout=LATE)
    desk.emulate_media(media="print")
    expect(desk.get_by_role("navigation", name="Places")).to_be_hidden()
    expect(desk.get_by_text("print", exact=True)).to_be_hidden()
    pages = desk.pdf(format="A4")
    counts = [int(n) for n in re.findall(rb"/Count (\d+)", pages)]
    assert max(counts) >= 4, "only what was in sight was printed"
