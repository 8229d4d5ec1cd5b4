"""How soon a policy is on the page, how smoothly it scrolls, and how soon a drag tells its consequence, by length:
.venv/bin/python bench/page.py

The baseline is the demo's longest policy in the same run. Opening is measured from the address to the first rule
seen, with what the rules decide known already and not yet known; scrolling at 120 pixels a frame. A drag is measured
from the pointer's move to the frame in which the panel shows the consequence of exactly that place. Over a thin line nothing
is there before; what an edit is answered with is told beside the whole list, both as they are sent.
"""

from __future__ import annotations

import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests" / "browser"))
from driving import CHROMIUM, FLAGS, served_demo, sign_in  # noqa: E402

from sarvex.cli.generate import network  # noqa: E402
from sarvex.formats.document import dump  # noqa: E402

LENGTHS = (1_000, 10_000)
WAIT_SECONDS = 300
CARRIES = 12
MOVES = 14
SCROLL = """async () => {
  const list = document.querySelector('[role=grid]'), gaps = []
  let blank = 0, last = performance.now()
  const end = last + 3000
  while (last < end) {
    list.scrollTop += 120
    await new Promise((done) => requestAnimationFrame(done))
    const now = performance.now()
    gaps.push(now - last)
    last = now
    const seen = [...document.querySelectorAll('[data-rule]')].some((row) => {
      const { top, bottom } = row.getBoundingClientRect()
      return bottom > 150 && top < innerHeight
    })
    if (!seen) blank += 1
  }
  gaps.sort((a, b) => a - b)
  return [gaps[gaps.length >> 1], gaps[Math.floor(gaps.length * 0.95)], blank]
}"""
LIFT = """([x, y]) => {
  const grip = document.elementFromPoint(x, y)
  grip.dispatchEvent(new PointerEvent('pointerdown', { clientX: x, clientY: y, button: 0, bubbles: true }))
  window.dispatchEvent(new PointerEvent('pointermove', { clientX: x, clientY: y + 6 }))
}"""
# One move, and how long until the panel tells of the new place: its heading changed and nothing in it is stale.
MOVE = """async ([x, y]) => {
  const heading = () => document.querySelector('[data-testid=drop-preview] h2')?.textContent
  const before = heading()
  const begun = performance.now()
  window.dispatchEvent(new PointerEvent('pointermove', { clientX: x, clientY: y }))
  while (performance.now() - begun < 5000) {
    await new Promise((done) => requestAnimationFrame(done))
    const told = document.querySelector('[data-testid=drop-preview] [data-testid=consequence]')
    if (heading() === before) {
      if (performance.now() - begun > 60) return -1
    } else if (heading()?.startsWith('Put back')) {
      return -1
    } else if (told && told.dataset.stale === 'false' && told.textContent.trim()) return performance.now() - begun
  }
  return 5000
}"""
ADD = """async (text) => {
  const me = await (await fetch('/api/session')).json()
  const headers = { 'Content-Type': 'application/json', 'X-Sarvex-Token': me.csrf }
  const answer = await fetch('/api/networks', { method: 'POST', headers, body: JSON.stringify({ text }) })
  return (await answer.json()).id
}"""
PENDING = """async (id) => (await (await fetch('/api/networks/' + id)).json()).policies[0].pending"""


# How many bytes the whole list and the answer to one edit are on the line.
SENT = """async ([network, policy]) => {
  const sent = async (path, options) => {
    performance.clearResourceTimings()
    const answer = await fetch(path, options)
    const text = await answer.text()
    await new Promise((done) => setTimeout(done, 50))
    return [performance.getEntriesByType('resource').at(-1).encodedBodySize, JSON.parse(text)]
  }
  const at = `/api/networks/${network}/policies/${policy}`
  const [whole, told] = await sent(at)
  const { csrf } = await (await fetch('/api/session')).json()
  const headers = { 'Content-Type': 'application/json', 'X-Sarvex-Token': csrf, 'Sarvex-Known': told.version }
  const { id, ver, rule } = told.rows[told.rows.length >> 1]
  const body = JSON.stringify({ rule: { ...rule, log: !rule.log }, ver })
  const [edit] = await sent(`${at}/rules/${id}`, { method: 'PUT', headers, body })
  return [whole, edit]
}"""
THIN = {"offline": False, "latency": 40, "downloadThroughput": 200_000, "uploadThroughput": 100_000}
"""1.6 Mbit/s."""


@dataclass
class Row:
    rules: int
    cold: float
    known: float
    median: float
    late: float
    blank: int
    drag: float
    drag_late: float
    thin: float
    whole: int
    edit: int


def opened(page: Page, address: str) -> float:
    """Seconds from the address to the first rule seen."""
    page.goto("about:blank")
    begun = time.monotonic()
    page.goto(address)
    page.wait_for_selector("[data-rule]")
    return time.monotonic() - begun


def over_a_thin_line(page: Page, address: str) -> float:
    """Seconds from the address to the first rule seen, by a browser that has nothing yet."""
    assert page.context.browser is not None
    fresh = page.context.browser.new_context(
        viewport={"width": 1280, "height": 800}, base_url=page.url, storage_state=page.context.storage_state()
    )
    other = fresh.new_page()
    line = fresh.new_cdp_session(other)
    line.send("Network.enable")
    line.send("Network.emulateNetworkConditions", THIN)
    seconds = opened(other, address)
    fresh.close()
    return seconds


def measure(page: Page, rules: int, network: int, address: str) -> Row:
    cold = opened(page, address)
    deadline = time.monotonic() + WAIT_SECONDS
    while page.evaluate(PENDING, network) and time.monotonic() < deadline:
        time.sleep(1)
    known = min(opened(page, address) for _ in range(3))
    median, late, blank = page.evaluate(SCROLL)
    drags = sorted(dragged(page))
    half, most = drags[len(drags) // 2], drags[int(len(drags) * 0.95)]
    thin = over_a_thin_line(page, address)
    whole, edit = page.evaluate(SENT, [network, int(page.url.split("/rules/")[1].partition("?")[0])])
    return Row(rules, cold, known, median, late, blank, half, most, thin, whole, edit)


def dragged(page: Page) -> list[float]:
    """Milliseconds from each of many moves of a carried rule to its consequence."""
    took: list[float] = []
    for carry in range(CARRIES):
        page.evaluate("(to) => { document.querySelector('[role=grid]').scrollTop = to }", 700 * carry)
        page.wait_for_timeout(300)
        rows = [r.bounding_box() for r in page.locator("[data-rule]").all()]
        seen = [r for r in rows if r and 150 < r["y"] < 740]
        lifted = seen[len(seen) // 2]
        x = page.locator("[data-rule] .position").first.bounding_box()["x"] + 8  # type: ignore[index]
        page.evaluate(LIFT, [x, lifted["y"] + 12])
        page.wait_for_timeout(500)
        for step in range(MOVES):
            there = seen[(step * 5 + carry) % len(seen)]
            told = page.evaluate(MOVE, [x + 10, there["y"] + 6])
            took += [told] if told >= 0 else []
        page.keyboard.press("Escape")
    return took


def main() -> None:
    with (
        tempfile.TemporaryDirectory() as folder,
        served_demo(Path(folder)) as served,
        sync_playwright() as playwright,
    ):
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_context(
            viewport={"width": 1280, "height": 800}, base_url=served.address
        ).new_page()
        page.goto("/")
        sign_in(page, served)
        policies = page.evaluate("async () => (await (await fetch('/api/networks/1')).json()).policies")
        longest = max(policies, key=lambda p: p["rules"])
        table = [measure(page, longest["rules"], 1, f"/networks/1/rules/{longest['id']}")]
        for length in LENGTHS:
            network = page.evaluate(ADD, document(length))
            table.append(measure(page, length, network, f"/networks/{network}/rules"))
        browser.close()
    base = table[0]
    print(
        "| rules | first opened | opened again | ratio | frame, median | frame, p95 | frames without a row | drag, median | drag, p95 |"
        " at 1.6 Mbit/s | whole list | one edit |"
    )
    print("|---|---|---|---|---|---|---|---|---|---|---|---|")
    for r in table:
        print(
            f"| {r.rules:,} | {r.cold:.2f} s | {r.known:.2f} s | {r.known / base.known:.1f} |"
            f" {r.median:.0f} ms | {r.late:.0f} ms | {r.blank} | {r.drag:.0f} ms | {r.drag_late:.0f} ms |"
            f" {r.thin:.2f} s | {r.whole / 1000:,.0f} kB | {r.edit / 1000:.1f} kB |"
        )


def document(length: int) -> str:
    """A long made-up list."""
    return dump(network(length, seed=1), "json")


if __name__ == "__main__":
    main()
