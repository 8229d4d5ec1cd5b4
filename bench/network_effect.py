"""How soon it is told what an edit does in the network: .venv/bin/python bench/network_effect.py

Every rule of the demo is taken out, and every one turned into its opposite, one at a time, with the lists made ready as they are while a
rule is held, and once more with what everybody reaches known before, as it is once somebody looked at it. The baseline, in the same run,
leads all that everybody may send through both versions and compares.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))
from sarvex.core.change.effect import Effect, effect, same_names
from sarvex.core.change.effect import Versions as Lists
from sarvex.core.change.network_effect import Versions, network_effect
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Policy, Rule
from sarvex.core.reach.reach import Reach, reach_of
from sarvex.formats import document

SECONDS = 8.0
"""So long each is worked on, as on the page."""


def main() -> None:
    demo = document.load((Path(__file__).parent.parent / "demo/merrow.yaml").read_text())
    names = Names(demo)
    ready = {p.name: FirstMatch.of(p, names) for p in demo.policies}
    reach_of(demo, names)
    whole = time.perf_counter()
    known = reach_of(demo, names)
    whole = 2 * (time.perf_counter() - whole)
    print(
        "| edits of the demo's rules | p50 | p90 | p95 | most | within 0.3 s | not worked out in 8 s | all twice |"
    )
    print("|---|---|---|---|---|---|---|---|")
    for what, reach in (("nothing known", None), ("what everybody reaches known", known)):
        _told(what, demo, names, ready, reach, whole)


def _told(
    what: str, demo: Network, names: Names, ready: dict[str, FirstMatch], known: Reach | None, whole: float
) -> None:
    took, early, left = [], 0, 0
    for policy, made in edits(demo):
        lists = Lists(ready[policy.name], made, matches_of(made, names), same_names(policy, made))
        told: Effect = effect(lists)
        new = replace(demo, policies=tuple(made if p is policy else p for p in demo.policies))
        began = time.perf_counter()
        found = network_effect(
            Versions(demo, new, names, names), [told], (), lambda began=began: time.perf_counter() - began < SECONDS, known
        )  # fmt: skip
        took.append(time.perf_counter() - began)
        early += took[-1] < 0.3
        left += not found.complete
    took.sort()
    p50, p90, p95 = (took[int(len(took) * share)] for share in (0.5, 0.9, 0.95))
    print(
        f"| {len(took)}, {what} | {p50 * 1000:,.0f} ms | {p90 * 1000:,.0f} ms | {p95 * 1000:,.0f} ms | {took[-1]:,.1f} s | {early / len(took):.0%} | "
        f"{left} | {whole:,.1f} s ({whole / p50:,.0f} times p50) |"
    )


def edits(network: Network) -> Iterator[tuple[Policy, Policy]]:
    """A policy, and as it is after an edit of one rule."""
    for policy in network.policies:
        for at, rule in enumerate(policy.rules):
            if rule.enabled:
                for turned in ((), (opposite(rule),)):
                    yield (
                        policy,
                        replace(policy, rules=(*policy.rules[:at], *turned, *policy.rules[at + 1 :])),
                    )


def opposite(rule: Rule) -> Rule:
    """The same, letting pass what it stopped, or the reverse."""
    return replace(rule, action="drop" if rule.action == "allow" else "allow", reject_with=None)


if __name__ == "__main__":
    main()
