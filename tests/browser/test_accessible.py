"""Every view, dialog and editor by the rules of WCAG 2.2 A and AA that a program can tell, day and night."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from driving import Served, name_row, prove, row, write_rule
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.browser
AXE = Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js"
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
ONLY_COLOURS = {"type": "rule", "values": ["color-contrast"]}
"""What a theme can change."""
RUN = """async (asked) => (await axe.run(document, { runOnly: asked, resultTypes: ['violations'] })).violations.flatMap((v) =>
    v.nodes.map((n) => `${v.id}: ${n.html.slice(0, 140)} ${n.failureSummary.replace(/\\s+/g, ' ').slice(0, 260)}`))"""
N = "/networks/1"


def rules(page: Page) -> None:
    page.goto(f"{N}/rules")
    expect(row(page, "pilots to ramp HMI")).to_be_visible()


def chosen(page: Page) -> None:
    row(page, "vessel diagnostics").click()
    expect(page.get_by_test_id("consequence")).to_be_visible()


def several(page: Page) -> None:
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_role("heading", name="2 rules")).to_be_visible()


def tidied(page: Page) -> None:
    page.keyboard.press("Escape")
    page.keyboard.press("t")
    expect(page.get_by_text("same effect, proven.").first).to_be_visible()


def found(page: Page) -> None:
    page.keyboard.press("t")
    page.keyboard.press("f")
    page.keyboard.type("ssh")
    page.keyboard.press("Escape")


def held(page: Page) -> None:
    row(page, "monitoring").click()
    page.keyboard.press("m")
    page.keyboard.press("Home")
    expect(page.get_by_test_id("drop-preview")).to_contain_text("Other places")


def deleting(page: Page) -> None:
    page.keyboard.press("Escape")
    page.keyboard.press("Delete")
    expect(page.get_by_role("dialog")).to_contain_text("Closes")


def section(page: Page) -> None:
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("s")
    expect(page.get_by_label("Name of the section")).to_be_focused()


def keys(page: Page) -> None:
    page.keyboard.press("Escape")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("choose several")


def writing(page: Page) -> None:
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("n")
    write_rule(page, "crew see the panel", "crew-tablets", "ramp-hmi", "https")
    page.get_by_text("log, state, when").click()
    expect(page.get_by_test_id("preview")).to_be_visible()
    page.fill("#field-source", "tower")
    expect(page.get_by_role("option").first).to_be_visible()


def leaving(page: Page) -> None:
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Discard").click()
    expect(page.get_by_role("alertdialog")).to_be_visible()


def answered(page: Page) -> None:
    page.get_by_role("button", name="Discard it").click()
    page.goto(f"{N}/rules?q=passenger-wifi+to+ramp-plc+on+modbus")
    expect(page.get_by_test_id("verdict")).to_be_visible()


def names(page: Page) -> None:
    page.goto(f"{N}/names")
    page.get_by_label("Find a name").fill("tower-desks")
    name_row(page, "tower-desks").click()
    page.get_by_text("notes on members").click()
    expect(page.get_by_text("Used in").first).to_be_visible()


def schedules(page: Page) -> None:
    page.goto(f"{N}/schedules")
    page.get_by_role("row", name=re.compile("^boarding")).click()
    expect(page.get_by_test_id("week").first).to_be_visible()
    page.get_by_role("button", name="month").first.click()


def ground(page: Page) -> None:
    page.goto(f"{N}/ground")
    expect(page.get_by_role("treeitem").first).to_be_visible()


def thing(page: Page) -> None:
    page.get_by_role("button", name="device eastpier-lock").click()
    expect(page.locator("fieldset.record").first).to_be_visible()


def bringing(page: Page) -> None:
    page.get_by_role("button", name="bring in").click()
    expect(page.get_by_role("dialog")).to_be_visible()


def policies(page: Page) -> None:
    page.goto(f"{N}/policies")
    expect(page.get_by_role("link", name="ramp-side").first).to_be_visible()


def question(page: Page) -> None:
    page.goto(f"{N}/verify/question?q=workshop to payroll on https")
    expect(page.locator("table.places")).to_be_visible()


def verify(page: Page) -> None:
    page.goto(f"{N}/verify")
    page.get_by_label("Flows as CSV").fill(
        "src,dst,proto,sport,dport\n10.44.32.4,10.44.30.10,tcp,50000,443\n"
    )
    expect(page.get_by_text("1 flow")).to_be_visible()


def findings(page: Page) -> None:
    page.goto(f"{N}/findings")
    page.get_by_role("row").filter(has_text="console shell").click()
    expect(page.get_by_text("Same effect, proven.")).to_be_visible()


def editions(page: Page) -> None:
    page.goto(f"{N}/editions")
    expect(page.get_by_label("Comparison")).to_be_visible()


def review(page: Page) -> None:
    page.goto(f"{N}/editions/review")
    expect(page.get_by_role("heading", name="Editions")).to_be_visible()


def release(page: Page) -> None:
    page.goto(f"{N}/editions/release")
    expect(page.get_by_label("Why it is released")).to_be_visible()
    page.get_by_text("at a moment").click()
    page.get_by_label("What releases need").get_by_role("button", name="change").first.click()


def audit(page: Page) -> None:
    page.goto(f"{N}/editions/audit")
    expect(page.get_by_label("Find in what was done")).to_be_visible()


def people(page: Page) -> None:
    page.goto("/people")
    expect(page.get_by_role("button", name="Let in")).to_be_visible()
    expect(page.get_by_text("this one")).to_be_visible()
    line = page.get_by_role("row").filter(has_text="colleague")
    line.get_by_role("button", name="another in one network").click()


def worksheet(page: Page) -> None:
    """With a list read back that is otherwise."""
    devices = page.request.get("/api" + N + "/ground").json()["devices"]
    page.goto(f"{N}/worksheet/{next(d['id'] for d in devices if d['thing']['name'] == 'eastpier-lock')}")
    page.get_by_role("button", name="read lock-itself back").click()
    form = page.get_by_role("form", name="read lock-itself back")
    form.get_by_label("what the device tells of this list").fill("permit\t10.44.90.0/27\tany\ttcp/23\n" * 3)
    form.get_by_role("button", name="Compare").click()
    expect(form.get_by_role("status")).to_contain_text("missing")


def segments(page: Page) -> None:
    page.goto(f"{N}/verify/segments?service=https")
    expect(page.get_by_role("group", name=re.compile("^Who reaches whom"))).to_be_visible(timeout=90_000)


def standing(page: Page) -> None:
    page.goto(f"{N}/standing")
    expect(page.get_by_text("remote-pilots → linkspans")).to_be_visible(timeout=90_000)


def holds(page: Page) -> None:
    page.goto(f"{N}/verify/holds")
    page.get_by_text("nobody else manages the locks", exact=True).click(timeout=90_000)
    expect(page.get_by_role("complementary", name="One that must hold")).to_contain_text("let through by")


def several_held(page: Page) -> None:
    page.keyboard.press("Escape")
    page.get_by_text("kiosks sell", exact=True).click()
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_role("complementary", name="Several that must hold")).to_be_visible()


def attaching(page: Page) -> None:
    page.goto(f"{N}/rules")
    page.get_by_role("button", name="consult it at").click()
    expect(page.get_by_role("button", name="Consult it there")).to_be_visible()


def making(page: Page) -> None:
    page.keyboard.press("Escape")
    page.goto(f"{N}/rules")
    expect(row(page, "pilots to ramp HMI")).to_be_visible()
    page.keyboard.press("n")
    page.fill("#field-service", "panel-ports")
    page.get_by_role("option", name=re.compile("make")).click()
    expect(page.get_by_role("group", name="Make panel-ports")).to_be_visible()


def not_made(page: Page) -> None:
    page.get_by_role("button", name="not now").click()
    page.get_by_role("button", name="Close").click()


def requirements(page: Page) -> None:
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    page.keyboard.press("p")
    page.get_by_role("textbox", name="Requirements").fill(
        "kiosks must reach gate-server on gate-control\nnonsense"
    )
    expect(page.get_by_role("list", name="What was understood")).to_contain_text("nonsense")


def start(page: Page) -> None:
    page.goto("/?all")
    expect(page.get_by_label("Begin a new one")).to_be_visible()


def first_network(page: Page) -> None:
    page.get_by_label("Begin a new one").fill("A quay to look at")
    page.get_by_role("button", name="Begin", exact=True).click()
    page.get_by_label("What is there").fill("lab 5 10.8.1.0/24 testing\nshop 6 10.8.2.0/24\nodd 10.8.3.300")
    expect(page.get_by_role("log", name="What was understood")).to_contain_text("is no address")
    expect(page.get_by_role("list", name="Zones, the outermost first")).to_be_visible()


def sign_in(page: Page) -> None:
    page.get_by_label("What is there").fill("")
    page.context.clear_cookies()
    page.goto("/sign-in")
    expect(page.locator("#login")).to_be_visible()


POSES: tuple[Callable[[Page], None], ...] = (
    rules, chosen, several, tidied, found, held, deleting, section, keys, writing, leaving, answered, names, schedules,
    ground, thing, bringing, policies, question, verify, segments, standing, holds, several_held, requirements, findings, editions, review, release, audit, people, worksheet, attaching, making, not_made, start, first_network, sign_in,
)  # fmt: skip


THEMES = {"chart": {"type": "tag", "values": TAGS}, "night": ONLY_COLOURS}
WEAR = """(theme) => {
    for (const worn of document.querySelectorAll('.v-theme--chart, .v-theme--night'))
        for (const name of ['chart', 'night']) worn.classList.toggle(`v-theme--${name}`, name === theme);
    document.documentElement.style.colorScheme = theme === 'night' ? 'dark' : 'light';
    return getComputedStyle(document.querySelector('.v-application')).getPropertyValue('--paper').trim();
}"""


def test_nothing_that_a_program_can_tell_is_wrong(desk: Page, served: Served) -> None:
    """Each pose by day, and then its colours by night."""
    prove(desk, served)
    desk.evaluate("localStorage.setItem('sarvex-theme', 'chart')")
    told: dict[str, str] = {}
    for pose in POSES:
        pose(desk)
        desk.evaluate(AXE.read_text())
        papers = set()
        for theme, asked in THEMES.items():
            papers.add(desk.evaluate(WEAR, theme))
            for violation in desk.evaluate(RUN, asked):
                told.setdefault(f"{theme}: {violation}", pose.__name__)
        desk.evaluate(WEAR, "chart")
        assert len(papers) == 2, "night is not another colour"
    assert not told, "\n".join(f"{pose}: {violation}" for violation, pose in told.items())


WIDE = "() => Math.max(document.documentElement.scrollWidth, document.body.scrollWidth) - innerWidth"


@pytest.mark.parametrize("height", [800, 400])
def test_640_pixels_wide_or_twice_as_large_stays_usable(desk: Page, height: int) -> None:
    """What 1280×800 is at 200 % zoom: nothing lies outside, and the main job is done."""
    desk.set_viewport_size({"width": 640, "height": height})
    for view in (
        "ground",
        "names",
        "schedules",
        "policies",
        "verify",
        "verify/segments?service=https",
        "standing",
        "verify/holds",
        "verify/question?q=kiosks to operations",
        "findings",
        "editions",
        "editions/release",
    ):
        desk.goto(f"{N}/{view}")
        expect(desk.get_by_role("heading", level=1)).to_be_visible()
        assert desk.evaluate(WIDE) <= 0, view
    rules(desk)
    assert desk.evaluate(WIDE) <= 0
    row(desk, "vessel diagnostics").click()
    about = desk.get_by_role("complementary", name="Rule")
    expect(about).to_be_in_viewport(ratio=0.9)
    about.get_by_role("button", name="back to the list").click()
    expect(about).to_have_count(0)
    desk.keyboard.press("n")
    write_rule(desk, "crew see the panel", "crew-tablets", "ramp-hmi", "https")
    expect(desk.get_by_test_id("preview")).to_be_visible()
    add = desk.get_by_role("button", name="Add here")
    expect(add).to_be_in_viewport()
    add.click()
    expect(about.get_by_role("heading", level=2)).to_contain_text("crew see the panel")
    about.get_by_role("button", name="back to the list").click()
    expect(row(desk, "monitoring")).to_be_visible()
    desk.get_by_label("Ask who may reach what").fill("crew-tablets to ramp-hmi on https")
    expect(desk.get_by_test_id("verdict")).to_be_in_viewport()
    desk.keyboard.press("Escape")
    desk.get_by_role("button", name="draft").focus()
    desk.keyboard.press("Control+z")
    expect(desk.get_by_text("Undone")).to_be_visible()
