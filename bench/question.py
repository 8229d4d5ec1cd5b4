"""How soon a question of one flow is answered over the whole network, by the length of its list: .venv/bin/python bench/question.py

The baseline, in the same run, makes the list's partition and the ground's routing anew for each question.
"""

from __future__ import annotations

import json
import random
import statistics
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))
from sarvex.core.forwarding.walk import trace
from sarvex.core.meaning.names import Names
from sarvex.core.time.moments import Moments
from sarvex.formats import document, questions
from soak.load import generated

LENGTHS = (1_000, 10_000)
ROUNDS = 30


def main() -> None:
    print("| rules | answered, p50 | p95 | made anew, p50 | times faster |\n|---|---|---|---|---|")
    for length in LENGTHS:
        network = document.whole(json.loads(generated(length)))
        names, rng = Names(network), random.Random(1)
        hosts = [h.name for h in network.hosts]
        asked = [
            questions.parse(f"{rng.choice(hosts)} to {rng.choice(hosts)} on tcp/443", names).question
            for _ in range(ROUNDS)
        ]
        trace(network, names, asked[0])
        kept = sorted(_seconds(network, names, q) for q in asked)
        moments: Moments = names.moments
        anew = sorted(_seconds(network, Names(network, moments), q) for q in asked[: ROUNDS // 5])
        p50, p95, base = statistics.median(kept), kept[int(len(kept) * 0.95)], statistics.median(anew)
        print(
            f"| {length:,} | {p50 * 1000:.1f} ms | {p95 * 1000:.1f} ms | {base * 1000:.0f} ms | {base / p50:.0f} |"
        )


def _seconds(network, names, question) -> float:  # type: ignore[no-untyped-def]
    began = time.perf_counter()
    trace(network, names, question)
    return time.perf_counter() - began


if __name__ == "__main__":
    main()
