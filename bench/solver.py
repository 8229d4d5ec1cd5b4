"""Every rule of many random lists against an SMT solver: .venv/bin/python bench/solver.py --policies 2000 --rules 60

Random lists with planted shadows, single and by a union, and near misses, in one family and both. Prints the seed of any
disagreement and how long both sides took for the same questions.
"""

from __future__ import annotations

import argparse
import random
import sys
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests" / "core"))
import oracle  # noqa: E402
from smt import asked  # noqa: E402

from sarvex.core.firstmatch import FirstMatch  # noqa: E402
from sarvex.core.model import Network  # noqa: E402
from sarvex.core.names import Names  # noqa: E402


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--policies", type=int, default=2000)
    parser.add_argument("--rules", type=int, default=60, help="rules of the longest")
    parser.add_argument("--exactly", action="store_true", help="every list is as long as the longest")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    ours = theirs = 0.0
    rules = dead = bad = 0
    for number in range(options.policies):
        rng = random.Random(f"{options.seed}/{number}")
        length = options.rules if options.exactly else rng.randint(3, options.rules)
        policy = oracle.planted_policy(rng, length)[0]
        if number % 4 == 0:
            policy = oracle.random_policy(rng, length)
        begun = time.perf_counter()
        found = {
            live.position: live.decides for live in FirstMatch.of(policy, Names(Network(name="n"))).liveness()
        }
        between = time.perf_counter()
        truth = asked(policy)
        theirs += time.perf_counter() - between
        ours += between - begun
        rules += len(policy.rules)
        dead += sum(t == "none" for t in truth.values())
        if found != truth:
            bad += 1
            print(f"seed {options.seed}/{number} of {length} rules: they disagree", flush=True)
        if (number + 1) % 100 == 0 or number + 1 == options.policies:
            print(
                f"{number + 1:,} lists, {rules:,} rules ({dead:,} decide nothing), {bad} disagreements;"
                f" {ours:.1f} s against {theirs:.1f} s, {theirs / ours:.0f} times",
                flush=True,
            )
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
