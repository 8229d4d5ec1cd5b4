"""How soon a rule in the hand tells what it does in the network: .venv/bin/python bench/drag.py

Rules of the demo are carried by keys on the real page, place by place; measured is from the key to the frame after the answer that has
the network's effect whole. The baseline, in the same run, is the answer for the policy alone. Once with nothing known, once after all
segments were looked at.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests" / "browser"))
from driving import CHROMIUM, FLAGS, served_demo, sign_in  # noqa: E402

POLICIES = ("ramp-side", "sensor-side", "ticketing", "harbour-services", "out-to-sea", "south-ramp")
RULES, MOVES = 3, 4
LISTEN = """() => {
  const fetched = window.fetch
  window.answers = []
  window.fetch = async (...given) => {
    const answer = await fetched(...given)
    const url = typeof given[0] === 'string' ? given[0] : given[0].url
    if (url.endsWith('/consequence') && answer.ok) {
      const told = await answer.clone().json()
      requestAnimationFrame(() => window.answers.push([told.generation, !!told.network?.complete, performance.now()]))
    }
    return answer
  }
}"""
BEGIN = "() => { window.begun = performance.now(); window.before = window.answers.length }"
STEP = """async () => {
  const { begun, before } = window
  let list = null
  while (performance.now() - begun < 10000) {
    await new Promise((done) => requestAnimationFrame(done))
    const mine = window.answers.slice(before)
    if (mine.length && list === null) list = mine[0][2] - begun
    const whole = mine.find(([, network]) => network)
    if (whole) return [list, whole[2] - begun]
    if (!mine.length && performance.now() - begun > 1500) return null
  }
  return [list, 10000]
}"""


def carried(page: Page, policy: str) -> list[tuple[float, float]]:
    """Seconds until the list's effect and until the network's are told, for some moves of some rules."""
    page.get_by_role("link", name=policy).first.click()
    page.locator("h1", has_text=policy).wait_for()
    page.locator("[data-rule]").first.wait_for()
    found = []
    for rule in range(min(RULES, page.locator("[data-rule]").count())):
        page.locator("[data-rule]").nth(rule).click()
        page.keyboard.press("m")
        for n in range(MOVES):
            page.evaluate(BEGIN)
            page.keyboard.press("ArrowDown" if n % 4 < 3 else "ArrowUp")
            told = page.evaluate(STEP)
            if told:
                found.append((told[0] / 1000, told[1] / 1000))
        page.keyboard.press("Escape")
    return found


def main() -> None:
    print(
        "| the demo | moves | the policy's, p50 | p95 | the network's, p50 | p95 | most |\n|---|---|---|---|---|---|---|"
    )
    with tempfile.TemporaryDirectory() as folder, served_demo(Path(folder)) as served, sync_playwright() as p:
        browser = p.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_context(
            viewport={"width": 1280, "height": 800}, base_url=served.address
        ).new_page()
        page.add_init_script(f"({LISTEN})()")
        sign_in(page, served)
        for what in ("nothing known", "all segments looked at"):
            if what != "nothing known":
                page.goto("/networks/1/verify/segments")
                page.get_by_role("group", name="Who reaches whom").wait_for(timeout=60_000)
            took = [each for policy in POLICIES for each in carried(page, policy)]
            lists, whole = (sorted(each[k] for each in took) for k in (0, 1))
            figures = (some[int(len(some) * share)] for some in (lists, whole) for share in (0.5, 0.95))
            told = " | ".join(f"{1000 * figure:,.0f} ms" for figure in figures)
            print(f"| {what} | {len(took)} | {told} | {whole[-1] * 1000:,.0f} ms |", flush=True)
        browser.close()


if __name__ == "__main__":
    main()
