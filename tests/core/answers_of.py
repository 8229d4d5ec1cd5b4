"""Everything that compiled functions find about random lists, as lines of JSON: python answers_of.py SEED LISTS SECONDS

`SECONDS` are those in which plain Python may try first. The last line tells whether the compiler was taken in.
"""

from __future__ import annotations

import json
import random
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import oracle

from sarvex.core.findings.accepted import Owners
from sarvex.core.findings.of_rules import report
from sarvex.core.findings.tidy import tidy
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Policy
from sarvex.core.sets import compiled
from sarvex.core.sets.flows import Flow
from sarvex.formats import reports


def lists(seed: str, count: int) -> list[Policy]:
    rng = random.Random(seed)
    made = [oracle.random_policy(rng, rng.randint(1, 12)) for _ in range(count)]
    return [*made, oracle.planted_policy(rng, 90)[0]]


def answers(seed: str, count: int) -> list[str]:
    names, told = Names(Network(name="random")), []
    standing = reports.Standing(Owners(names.network), names.moments.since)
    for policy in lists(seed, count):
        told.append(json.dumps(reports.findings_json([report(policy, names)], [], standing, names.moments)))
        told.append(repr(tidy(policy, names, merge=True)))
        ready = FirstMatch.of(policy, names)
        every = oracle.packets(policy)
        for p in every[:: max(1, len(every) // 30)]:
            flow = Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, p.state)
            told.append(str(ready.decide_one(flow)))
    return told


if __name__ == "__main__":
    compiled.try_plain(float(sys.argv[3]))
    print("\n".join(answers(sys.argv[1], int(sys.argv[2]))))
    print("compiled" if compiled.ready() else "plain")
