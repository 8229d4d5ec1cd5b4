"""Run the long runs, all or the ones named, and put their figures into docs/reliability.md."""

from __future__ import annotations

import json
import os
import platform
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

from rich.console import Console

from soak import crowd, editors, fuzz, kills, load, uploads

ROOT = Path(__file__).parent.parent
PAGE = ROOT / "docs" / "reliability.md"
FIGURES = ROOT / "docs" / "reliability.json"
BEGIN, END = "<!-- figures: begin -->", "<!-- figures: end -->"
SEED = int(os.environ.get("SARVEX_SEED", date.today().strftime("%Y%m%d")))
say = Console(stderr=True).print


def of_kills(folder: Path) -> dict[str, Any]:
    told = kills.run(folder, edits=200, released=20, kills=60, seed=SEED)
    done = ", ".join(f"{n} × {what}" for what, n in sorted(told.kills.items()))
    return {
        "what": "the server and its database killed at random moments, during at least 200 edits and 20 releases",
        "target": "every acknowledged edit is there; nothing half-applied; starts again by itself",
        "figure": f"{sum(told.kills.values())} kills ({done}) during {told.edits} edits and {told.releases} releases;"
        f" {told.repeated} requests had to be sent again; back after {told.typical_down:.1f} s, at most {told.longest_down:.1f} s",
        "wrong": told.wrong,
    }  # fmt: skip


def of_editors(folder: Path) -> dict[str, Any]:
    told = editors.run(folder, clients=8, edits=1000, seed=SEED)
    return {
        "what": "two and more editors: 1,000 interleaved edits of one list from 8 clients",
        "target": "0 lost, 0 duplicated, every conflict told",
        "figure": f"{told.edits} edits acknowledged and there once, {told.conflicts} conflicts told",
        "wrong": told.wrong,
    }


def of_fuzz(folder: Path) -> dict[str, Any]:
    told = fuzz.run(folder, requests=9_200, documents=2_000, seeded=SEED)
    answers = ", ".join(f"{n} × {status}" for status, n in sorted(told.answers.items()))
    return {
        "what": "malformed documents, bodies and uploads, 10,000 and more",
        "target": "0 unhandled errors, 0 partial imports; each message names the place",
        "figure": f"{told.sent} requests over {told.routes} routes, {told.documents} of them mangled documents ({answers})",
        "wrong": told.wrong,
    }


def of_uploads(folder: Path) -> dict[str, Any]:
    told = uploads.run(folder)
    for line in told.told:
        say(f"    {line}", style="dim", highlight=False, markup=False)
    return {
        "what": "uploads: size, nesting, expansion and time bombs; addresses that point back inside",
        "target": "refused with a clear message, memory bounded",
        "figure": f"{told.sent} of them, the slowest answered in {told.slowest:.1f} s; the server's memory"
        f" {told.memory_before_mb:.0f} MB before, at most {told.memory_most_mb:.0f} MB meanwhile",
        "wrong": told.wrong,
    }  # fmt: skip


def of_crowd(folder: Path) -> dict[str, Any]:
    told = crowd.run(folder, seconds=60, seed=SEED)
    wrong = told.wrong[:10]
    wrong += [f"{what}: p95 {told.p95(what):.0f} ms, not 300" for what in told.times if told.p95(what) > 300]
    figures = ", ".join(f"{what} {told.p95(what):.0f} ms" for what in told.times)
    return {
        "what": "two people at work while a third asks 24 costly questions a second and hangs up, sends ten memory bombs at once,"
        " or 200 connections drip",
        "target": "p95 of the two < 300 ms, nothing ends, memory bounded",
        "figure": f"p95 of the two, a minute of each: {figures}; {told.costly} questions left hanging, {told.bombs} bombs,"
        f" {told.dripping} connections; the server's memory {told.memory_before_mb:.0f} MB before, at most"
        f" {told.memory_most_mb:.0f} MB",
        "wrong": wrong,
    }  # fmt: skip


def of_load(folder: Path) -> dict[str, Any]:
    rate, seconds = float(os.environ.get("SARVEX_LOAD", "50")), float(os.environ.get("SARVEX_SECONDS", "600"))
    told = load.run(folder, rules=10_000, per_second=rate, seconds=seconds, seed=SEED)
    for kind, (count, middle, high) in told.by_kind.items():
        say(f"    {kind}: {count}, half within {middle:.0f} ms, 95 of 100 within {high:.0f} ms", style="dim")
    wrong = told.wrong[:10]
    if told.p95 > 200:
        wrong.append(f"95 of 100 within {told.p95:.0f} ms, not 200")
    half, last = told.memory[len(told.memory) // 2], told.memory[-1]
    if last > FLAT * half:
        wrong.append(f"the server held {half:.0f} MB half-way and {last:.0f} MB at last")
    return {
        "what": "sustained mixed reads and edits on a network with 10,000 rules in one list, 10 minutes",
        "target": "at 50 requests/s 0 errors, p95 < 200 ms, memory flat",
        "figure": f"{rate:g} requests/s for {seconds / 60:g} minutes: {told.sent} requests with {told.edits} edits,"
        f" {len(told.wrong)} errors; p50 {told.p50:.0f} ms, p95 {told.p95:.0f} ms, p99 {told.p99:.0f} ms;"
        f" p95 of each minute {', '.join(f'{ms:.0f}' for ms in told.minutes)} ms;"
        f" the machine's pace: ten million additions in {told.pace[0]:.2f} s before and {told.pace[1]:.2f} s after,"
        f" {told.stolen:g} % of its time stolen;"
        f" memory after a warm-up and after each minute {', '.join(f'{mb:.0f}' for mb in told.memory)} MB",
        "wrong": wrong,
    }  # fmt: skip


FLAT = 1.15
"""Memory may grow by so much in the second half: what is kept for quick answers is not all there at half-time."""
PARTS: dict[str, Callable[[Path], dict[str, Any]]] = {
    "uploads": of_uploads, "editors": of_editors, "fuzz": of_fuzz, "crowd": of_crowd, "kills": of_kills,
    "load": of_load,
}  # fmt: skip


def main() -> int:
    wanted = sys.argv[1:] or list(PARTS)
    unknown = [name for name in wanted if name not in PARTS]
    if unknown:
        say(f"no such part: {', '.join(unknown)}; there are {', '.join(PARTS)}")
        return 2
    found_wrong = False
    for name in wanted:
        say(f"[bold]{name}[/bold], SARVEX_SEED={SEED}")
        began = time.monotonic()
        with tempfile.TemporaryDirectory(prefix="sarvex-soak-") as folder:
            told = PARTS[name](Path(folder) / "own")
        told |= {"took": round(time.monotonic() - began), "on": date.today().isoformat(), "seed": SEED}
        told["machine"] = f"{os.cpu_count()} cores, Python {platform.python_version()}"
        found_wrong |= bool(told["wrong"])
        say(f"  {told['figure']}")
        for text in told["wrong"]:
            say(f"  [red]wrong:[/red] {text}", markup=True, highlight=False)
        # Read only now: another part may have run meanwhile.
        figures = json.loads(FIGURES.read_text(encoding="utf-8")) if FIGURES.exists() else {}
        figures[name] = told
        FIGURES.write_text(json.dumps(figures, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
        _write(figures)
    return int(found_wrong)


def _write(figures: dict[str, Any]) -> None:
    """The table of the page, from whatever figures there are."""
    lines = [
        BEGIN,
        "",
        "| what | figure to reach | measured | found wrong | when, how long |",
        "|---|---|---|---|---|",
    ]
    for name in PARTS:
        if name in figures:
            f = figures[name]
            wrong = "; ".join(f["wrong"]) or "nothing"
            when = f"{f['on']}, {f['took'] / 60:.0f} min, {f['machine']}"
            lines.append(f"| {f['what']} | {f['target']} | {f['figure']} | {wrong} | {when} |")
    page = PAGE.read_text(encoding="utf-8")
    head, _, rest = page.partition(BEGIN)
    PAGE.write_text(head + "\n".join([*lines, "", END]) + rest.partition(END)[2], encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main())
