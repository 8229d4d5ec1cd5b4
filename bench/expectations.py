"""How soon it is told whether 200 things that must hold do: .venv/bin/python bench/expectations.py

The demo, and a network of sites: everything from nothing, cut from what everybody reaches, and after the edit of one rule, once its effect in the
network is there. The baseline, in the same run, asks one question for each.
"""

from __future__ import annotations

import random
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))
from bench.matrix import sites
from sarvex.core.change.all_effects import all_effects
from sarvex.core.change.network_effect import Versions, network_effect
from sarvex.core.change.verdicts import verdict_changes
from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Expectation, Network
from sarvex.core.reach.expectations import judged, spoken_of
from sarvex.core.reach.reach import reach_of
from sarvex.formats import document

COUNT, EDITS, ASKED = 200, 60, 20


def main() -> None:
    demo = document.load((Path(__file__).parent.parent / "demo/merrow.yaml").read_text())
    print(
        "| network | from nothing | cut from what everybody reaches | after an edit p50 | p95 | one by one | times faster |"
    )
    print("|---|---|---|---|---|---|---|")
    for what, network in (("the demo", demo), ("6 sites, 68 segments, 8 devices, 2,000 rules", sites())):
        _told(what, expecting(network))


def expecting(network: Network) -> Network:
    """The same with as many expectations as are measured, half of each kind, between segments, zones and devices."""
    rng = random.Random(1)
    names = [t.name for t in (*network.segments, *network.zones)]
    found = tuple(
        Expectation(
            name=f"must {n}", source=tuple(rng.sample(names, rng.choice([1, 1, 2]))), destination=(rng.choice([*names, *(d.name for d in network.devices)]),),
            service=(rng.choice(["any", "tcp/443", "tcp/22", "udp/53"]),), must=rng.choice(["allowed", "blocked", "blocked"]),
        )
        for n in range(COUNT)
    )  # fmt: skip
    return replace(network, expectations=found)


def seconds(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def _told(what: str, network: Network) -> None:
    names = Names(network)
    judged(network, names, network.expectations)
    anew = seconds(lambda: judged(network, names, network.expectations))
    known = reach_of(network, names)
    cut = min(seconds(lambda: judged(network, names, network.expectations, known)) for _ in range(3))
    before = judged(network, names, network.expectations, known)
    one = network.expectations[:ASKED]

    def by_questions() -> None:
        for e in one:
            spoken = spoken_of(e, names)
            trace(network, names, Question(*spoken.sides, spoken.service))

    each = seconds(by_questions) * COUNT / ASKED
    rng, times = random.Random(2), []
    while len(times) < EDITS:
        policy = rng.choice([p for p in network.policies if p.rules])
        at = rng.randrange(len(policy.rules))
        made = replace(policy, rules=(*policy.rules[:at], *policy.rules[at + 1 :]))
        new = replace(network, policies=tuple(made if p is policy else p for p in network.policies))
        of = Versions(network, new, names, names)
        effect = network_effect(of, *all_effects(of), known=known)
        times.append(seconds(lambda of=of, effect=effect: verdict_changes(of, effect, before)))  # type: ignore[misc]
    times.sort()
    p50, p95 = times[len(times) // 2], times[len(times) * 95 // 100]
    print(
        f"| {what} | {anew:,.2f} s | {cut * 1000:,.0f} ms | {p50 * 1000:,.0f} ms | {p95 * 1000:,.0f} ms | {each:,.1f} s | {each / anew:,.0f} |"
    )


if __name__ == "__main__":
    main()
