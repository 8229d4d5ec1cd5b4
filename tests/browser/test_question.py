"""One question, place by place: who decides on the way, who on the way back, by which of several ways."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect
from test_plays import undone

from sarvex.api.access import HEADER

N = "/networks/1/verify/question"
TWO_WAYS = """\
sarvex: 1
name: Two ways
segments:
  - {name: quay, prefixes: [10.44.1.0/24, "fd00:44:1::/64"]}
  - {name: island, prefixes: [10.44.3.0/24]}
  - {name: reef, prefixes: [10.44.8.0/24], gateways: [north]}
  - {name: atoll, prefixes: [10.44.7.0/24], gateways: [south]}
hosts:
  - {name: desk, segment: quay, addresses: [10.44.1.20, "fd00:44:1::20"]}
  - {name: files, segment: island, addresses: [10.44.3.20]}
  - {name: lamp, segment: reef, addresses: [10.44.8.20]}
  - {name: pump, segment: atoll, addresses: [10.44.7.20]}
policies:
  - {name: strict, default: allow, rules: [{name: no files, action: drop, source: [desk], destination: [files], service: [udp/445]}]}
devices:
  - name: north
    zone_default: {mode: open}
    policies: [{policy: strict}]
    interfaces:
      - {name: q, segment: quay, addresses: [10.44.1.1, "fd00:44:1::1"]}
      - {name: i, segment: island, addresses: [10.44.3.1]}
      - {name: a, segment: atoll, addresses: [10.44.7.1]}
      - {name: r, segment: reef, addresses: [10.44.8.1]}
    routes: [{prefix: 10.99.0.0/16, discard: true}]
  - name: south
    zone_default: {mode: open}
    interfaces:
      - {name: q, segment: quay, addresses: [10.44.1.2]}
      - {name: i, segment: island, addresses: [10.44.3.2]}
      - {name: a, segment: atoll, addresses: [10.44.7.2]}
      - {name: r, segment: reef, addresses: [10.44.8.2]}
    routes: [{prefix: 10.99.0.0/16, discard: true}]
"""


def asked(page: Page, question: str, at: str = N) -> None:
    page.goto(at)
    page.get_by_label("Ask who may reach what").fill(question)
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    expect(page.get_by_role("heading", level=1)).to_contain_text(" to ")


def brought(page: Page, text: str) -> str:
    """A network of its own, by its address; brought in once."""
    name = text.split("name: ")[1].split("\n")[0]
    for network in page.request.get("/api/networks").json():
        if network["name"] == name:
            return f"/networks/{network['id']}"
    csrf = page.request.get("/api/session").json()["csrf"]
    made = page.request.post("/api/networks", data={"text": text}, headers={HEADER: csrf})
    assert made.status == 201, made.text()
    return f"/networks/{made.json()['id']}"


def two_ways(page: Page) -> str:
    return f"{brought(page, TWO_WAYS)}/verify/question"


def test_a_neighbour_lock_is_behind_its_own_checks(desk: Page) -> None:
    asked(desk, "workshop to 10.44.250.4 on https")
    rows = desk.locator("table.places tbody tr")
    expect(rows.last).to_contain_text("office-lock")
    expect(rows.last).to_contain_text("dropped by otherwise in office-itself")
    expect(rows.last).to_contain_text("office-lock itself")
    chart = desk.get_by_label("The way by drydock-lock, then office-lock")
    expect(chart).to_be_visible()
    rows.last.get_by_role("link", name="otherwise").click()
    expect(desk.get_by_role("heading", name="office-itself")).to_be_visible()
    desk.go_back()
    chart.get_by_role("button", name="device office-lock").press("Enter")
    expect(desk.get_by_role("complementary")).to_contain_text("office-lock")


def test_a_device_is_unplugged_and_plugged_in_again(desk: Page) -> None:
    asked(desk, "kiosk-3 to fares-db on postgres")
    expect(desk.get_by_role("status").filter(has_text="allowed")).to_be_visible()
    expect(desk.locator("table.places")).to_contain_text("knows the conversation")
    desk.get_by_role("button", name="without eastpier-lock").click()
    expect(desk.locator("p.verdict")).to_contain_text("eastpier-lock is unplugged")
    expect(desk.get_by_label("Ask who may reach what")).to_have_value(re.compile("without eastpier-lock$"))
    desk.get_by_role("button", name="with all plugged in").click()
    expect(desk.locator("p.verdict")).to_contain_text("allowed by kiosks read fares")


def test_a_flow_over_two_ways_of_which_one_is_blocked(desk: Page) -> None:
    at = two_ways(desk)
    asked(desk, "desk to files on udp/445", at)
    expect(desk.locator("p.verdict")).to_contain_text("only by some ways")
    expect(desk.locator("p.verdict")).to_contain_text("no files")
    ways = desk.get_by_role("radiogroup").get_by_role("radio")
    expect(desk.get_by_label(re.compile("^The way by "))).to_have_count(3)
    ways.first.focus()
    desk.keyboard.press("ArrowDown")
    desk.keyboard.press("ArrowDown")
    expect(ways.last).to_be_focused()
    expect(ways.last).to_be_checked()
    expect(desk.locator("table.places")).to_contain_text("dropped by 1 no files in strict")
    expect(desk.locator("p.end")).to_contain_text("who asks notices silence")


def test_an_answer_that_comes_by_a_lock_that_never_saw_the_question(desk: Page) -> None:
    asked(desk, "lamp to pump on tcp/443", two_ways(desk))
    expect(desk.get_by_text("the answer takes another way")).to_be_visible()
    expect(desk.get_by_label("The way of the answer, from right to left, by south")).to_be_visible()
    back = desk.locator("table.places tbody").last.locator("tr").last
    expect(back).to_contain_text("the answer comes by south, which did not see the question")
    desk.context.grant_permissions(["clipboard-read", "clipboard-write"])
    desk.get_by_role("button", name="copy as text").click()
    expect(desk.get_by_role("button", name="copied")).to_be_visible()
    text = desk.evaluate("navigator.clipboard.readText()")
    assert text.splitlines()[:2] == [
        "lamp to pump on tcp/443: blocked: the answer comes by south, which did not see the question · silence",
        "lamp to pump on tcp/443",
    ]


def test_a_family_without_a_way_out(desk: Page) -> None:
    asked(desk, "desk to fd00:44:9::20 on tcp/443", two_ways(desk))
    expect(desk.locator("p.verdict")).to_contain_text("blocked by no route at north")
    expect(desk.locator("p.end")).to_contain_text("no route at north")


def test_nothing_asked_yet_says_how(desk: Page) -> None:
    desk.goto(N)
    expect(desk.locator("main")).to_contain_text("who sends, to whom, on which service")
    desk.get_by_label("Ask who may reach what").fill("kiosk-3 to nobody")
    expect(desk.get_by_role("alert")).to_contain_text("nobody")


def test_an_edition_is_drawn_on_its_own_ground(desk: Page) -> None:
    """What has got another name since has its old one there, and leads nowhere that is not there any more."""
    asked(desk, "kiosks to fares-data on postgres")
    plates = desk.locator(".strip .plate")
    expect(plates.filter(has_text="kiosks")).to_be_visible()
    csrf = desk.request.get("/api/session").json()["csrf"]
    kiosks = next(
        s
        for s in desk.request.get("/api/networks/1/ground").json()["segments"]
        if s["thing"]["name"] == "kiosks"
    )
    renamed = {"thing": {**kiosks["thing"], "name": "old-kiosks"}, "ver": kiosks["ver"]}
    said = desk.request.put(
        f"/api/networks/1/things/segments/{kiosks['id']}", data=renamed, headers={HEADER: csrf}
    )
    assert said.ok, said.text()
    asked(desk, "kiosks to fares-data on postgres as of edition 1")
    expect(desk.get_by_text("as of edition 1")).to_be_visible()
    expect(plates.filter(has_text=re.compile("^kiosks"))).to_be_visible()
    asked(desk, "old-kiosks to fares-data on postgres")
    expect(plates.filter(has_text="old-kiosks")).to_be_visible()
    undone(desk, "change segment")
