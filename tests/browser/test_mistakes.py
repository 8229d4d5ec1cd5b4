"""The mistakes that are made while writing, made on the page by keys alone: each is said before it is saved, and nothing is saved here."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from driving import answer_leaving, choose, row
from playwright.sync_api import Locator, Page, expect

LATE = 60_000


@pytest.fixture
def ticketing(desk: Page) -> Page:
    """The rules of a policy that an address decides about."""
    answer_leaving(desk)
    policies = desk.request.get("/api/networks/1").json()["policies"]
    policy = next(p["id"] for p in policies if p["name"] == "ticketing")
    desk.goto(f"/networks/1/rules/{policy}")
    expect(row(desk, "kiosks read fares")).to_be_visible(timeout=LATE)
    return desk


def written(desk: Page, action: str, source: str, destination: str, service: str) -> Locator:
    """A new rule by keys, as far as it can be told about; the form beside the list."""
    desk.keyboard.press("n")
    name = desk.locator("#rule-name")
    expect(name).to_be_focused()
    desk.keyboard.type("in hand")
    desk.keyboard.press("Shift+Tab")
    if action:
        for _ in range(
            ("allow", "drop", "reject").index(action) + 1
        ):  # none is chosen: the last has the focus
            desk.keyboard.press("ArrowRight")
    for label, text in (("From", source), ("To", destination), ("Service", service)):
        field = desk.get_by_role("combobox", name=label, exact=True)
        field.focus()
        desk.keyboard.insert_text(text)
        desk.keyboard.press("Tab")
    return desk.get_by_role("complementary", name="Rule")


@pytest.mark.parametrize(
    ("mistake", "action", "source", "destination", "service", "says"),
    [
        ("M7", "allow", "kiosks", "fares-db", "tcp from 443", "a server's port as the source: that is how replies look"),
        ("M6", "allow", "kiosks", "fares-db", "udp/53", "dns also runs over tcp/53"),
        ("M12", "allow", "10.0.0.0/8", "fares-db", "postgres", "wider than what exists, which is remote-pilots"),
        ("M15", "allow", "kiosks", "10.77.1.1", "https", "is of none of the known segments; as things are it counts as internet"),
        ("M24", "drop", "10.44.200.0/22", "10.44.30.0/26", "any", "It stops IPv4 alone; the same ends speak IPv6 too"),
    ],
)  # fmt: skip
def test_it_is_said_while_it_is_written(
    ticketing: Page, mistake: str, action: str, source: str, destination: str, service: str, says: str
) -> None:
    form = written(ticketing, action, source, destination, service)
    expect(form, mistake).to_contain_text(says, timeout=LATE)
    expect(row(ticketing, "in hand")).to_have_count(0)


def test_an_address_that_has_a_name_becomes_it_and_a_near_one_does_not(ticketing: Page) -> None:
    """M8: 10.44.10.11 is a kiosk; with two numbers swapped it is nobody's, and stays as it was written."""
    form = written(ticketing, "allow", "10.44.10.11, 10.44.11.10", "fares-db", "postgres")
    expect(form.get_by_role("button", name="remove kiosk-1", exact=True)).to_be_visible(timeout=LATE)
    expect(form.get_by_role("button", name="remove 10.44.11.10")).to_be_visible()


def test_what_a_rule_does_is_never_a_default(ticketing: Page) -> None:
    """M26: without an action nothing is told and nothing is saved."""
    form = written(ticketing, "", "kiosks", "fares-db", "https")
    form.get_by_role("button", name="Add here").focus()
    ticketing.keyboard.press("Enter")
    expect(form).to_contain_text("Choose what it does: allow, drop or reject.", timeout=LATE)
    expect(row(ticketing, "in hand")).to_have_count(0)


def test_when_a_rule_is_active_is_a_week_in_sight(ticketing: Page) -> None:
    """M17: the exception of the schedule is seen where it is chosen."""
    form = written(ticketing, "allow", "kiosks", "fares-db", "https")
    form.get_by_text("log, state, when").click()
    choose(form, "When", "boarding")
    expect(form.locator(".bar").first).to_be_visible(timeout=LATE)


def test_adding_and_replacing_members_are_two_things(ticketing: Page) -> None:
    """M14: in several rules at once each is named, and told before it is made."""
    rows = [row(ticketing, name).locator(".called") for name in ("booking reads fares", "desks read fares")]
    rows[0].click()
    rows[1].click(modifiers=["Control"])
    form = ticketing.get_by_role("complementary", name="Rule")
    expect(form.get_by_role("heading", name="2 rules")).to_be_visible()
    expect(form.get_by_role("combobox", name="Add to each")).to_be_visible()
    form.get_by_label("Replace in From", exact=True).press("Enter")
    ticketing.get_by_role("option", name="ticket-desks", exact=True).click()
    by = form.get_by_role("combobox", name="by", exact=True)
    by.focus()
    ticketing.keyboard.insert_text("kiosk-3")
    ticketing.keyboard.press("Tab")
    told: Callable[[], Locator] = lambda: form.get_by_test_id("consequence")  # noqa: E731
    expect(told()).to_contain_text("ticket-desks", timeout=LATE)
    form.get_by_role("button", name="replace", exact=True).click()
    expect(row(ticketing, "desks read fares")).to_contain_text("kiosk-3", timeout=LATE)
    expect(row(ticketing, "booking reads fares")).to_contain_text("booking-web")
    ticketing.locator("h1").first.click()
    ticketing.keyboard.press("Control+z")
    expect(row(ticketing, "desks read fares")).to_contain_text("ticket-desks", timeout=LATE)
