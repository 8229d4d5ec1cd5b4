"""How soon all segments are told: .venv/bin/python bench/matrix.py

The demo and a made-up company, for one service and for all. The baseline, in the same run, asks about each pair by itself; of many pairs
some, told for all.
"""

from __future__ import annotations

import random
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))
from bench.forwarding import company
from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network
from sarvex.core.reach.matrix import matrix
from sarvex.core.sets import services
from sarvex.formats import document

MOST_PAIRS = 60


def main() -> None:
    demo = document.load((Path(__file__).parent.parent / "demo/merrow.yaml").read_text())
    print(
        "| network | service | pairs | all at once | pair by pair | times faster |\n|---|---|---|---|---|---|"
    )
    for what, network in (("the demo", demo), ("4 sites, 53 segments, 6 devices", company(4))):
        for service in ("tcp/443", "any"):
            _told(what, network, service)


def _told(what: str, network: Network, service: str) -> None:
    names, asked = Names(network), services.parse(service)
    trace(network, names, Question(*[names.address("any")] * 2, services.parse("tcp/9")))  # lists made ready
    began = time.perf_counter()
    pairs = sum(1 for _ in matrix(network, names, asked))
    together = time.perf_counter() - began
    rng, ends = random.Random(1), [names.address(s.name) for s in network.segments]
    began = time.perf_counter()
    for _ in range(MOST_PAIRS):
        trace(network, names, Question(*rng.sample(ends, 2), asked))
    single = (time.perf_counter() - began) * pairs / MOST_PAIRS
    print(
        f"| {what} | {service} | {pairs:,} | {together:,.1f} s | {single:,.1f} s | {single / together:,.1f} |",
        flush=True,
    )


if __name__ == "__main__":
    main()
