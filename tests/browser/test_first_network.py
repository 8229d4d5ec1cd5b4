"""The first hour, played: a network of one's own from a pasted plan, its first question, one yes and one no; steps are counted."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

LATE = 60_000
PLAN = "office   10   10.9.10.0/24   workplaces\nguests   20   10.9.20.0/24   visitors\nfiles    10.9.10.20\nprintrs  10.9.10.300\n"


class Steps:
    """What a person does, one after the other: a field filled, a thing pressed."""

    def __init__(self, page: Page) -> None:
        self.page, self.count = page, 0

    def press(self, name: str, role: str = "button") -> None:
        self.count += 1
        self.page.get_by_role(role, name=name, exact=True).first.click()  # type: ignore[arg-type]

    def fill(self, label: str, text: str) -> None:
        self.count += 1
        self.page.get_by_label(label, exact=True).fill(text)

    def keys(self, text: str) -> None:
        self.count += 1
        self.page.keyboard.insert_text(text)


@pytest.fixture
def steps(desk: Page) -> Iterator[Steps]:
    desk.goto("/?all")
    yield Steps(desk)


def test_a_network_of_ones_own_in_a_few_steps(desk: Page, steps: Steps) -> None:
    """Two VLANs and a device: the first question after twelve steps at most, a yes and a no after twenty."""
    steps.fill("Begin a new one", "Quay Lab")
    steps.press("Begin")
    expect(desk.get_by_label("What is there")).to_be_focused(timeout=LATE)
    steps.keys(PLAN)
    understood = desk.get_by_role("log", name="What was understood")
    expect(understood).to_contain_text("segment office, vlan 10, zone workplaces", timeout=LATE)
    expect(understood).to_contain_text("10.9.10.300 is no address")
    begin = desk.get_by_role("button", name="Begin with this")
    expect(begin).to_be_disabled()
    expect(desk.get_by_text("One line is not understood")).to_be_visible()
    steps.fill("What is there", PLAN.replace("printrs  10.9.10.300\n", ""))
    expect(desk.get_by_role("group", name="Chart of the ground")).to_contain_text("guests", timeout=LATE)
    steps.press("take the first of each")
    steps.fill("one thing that must work", "guests must reach files on https")
    expect(desk.get_by_text("holds: a rule is written for it")).to_be_visible(timeout=LATE)
    steps.press("take it")
    expect(desk.get_by_text("holds by itself")).to_be_visible(timeout=LATE)
    steps.press("Begin with this")
    expect(desk.get_by_role("heading", name=re.compile("all 2 things that must hold do"))).to_be_visible(
        timeout=LATE
    )
    steps.press("Ask who may reach what", "combobox")
    steps.keys("guests to files on ssh")
    expect(desk.get_by_test_id("verdict")).to_contain_text("blocked", timeout=LATE)
    assert steps.count <= 12, steps.count
    desk.get_by_role("combobox", name="Ask who may reach what").fill("guests to files on https")
    expect(desk.get_by_test_id("verdict")).to_contain_text("allowed", timeout=LATE)
    desk.get_by_role("combobox", name="Ask who may reach what").fill("")
    desk.keyboard.press("Escape")
    desk.keyboard.press("Escape")
    desk.get_by_role("heading", name="Worth doing").click()
    desk.keyboard.press("Control+z")
    expect(desk.get_by_label("What is there")).to_be_visible(timeout=LATE)


def test_the_plan_is_kept_through_a_reload_and_the_zones_are_ordered_by_hand(
    desk: Page, steps: Steps
) -> None:
    steps.fill("Begin a new one", "Quay Yard")
    steps.press("Begin")
    expect(desk.get_by_label("What is there")).to_be_focused(timeout=LATE)
    steps.keys("lab 5 10.8.1.0/24 testing\nshop 6 10.8.2.0/24 trade")
    zones = desk.get_by_role("list", name="Zones, the outermost first")
    expect(zones.get_by_role("listitem")).to_have_text([re.compile("outside"), re.compile("testing"), re.compile("trade")], timeout=LATE)  # fmt: skip
    desk.get_by_role("button", name="trade farther out").click()
    expect(zones.get_by_role("listitem")).to_have_text([re.compile("outside"), re.compile("trade"), re.compile("testing")], timeout=LATE)  # fmt: skip
    desk.reload()
    expect(desk.get_by_label("What is there")).to_have_value(re.compile("lab 5"), timeout=LATE)
    desk.get_by_label("What is there").fill("")
