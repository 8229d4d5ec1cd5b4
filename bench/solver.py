"""Every rule of many random lists against an SMT solver: .venv/bin/python bench/solver.py --policies 2000 --rules 60
(or --effects 200: the effect of edits of every kind)

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
import test_effect  # noqa: E402
from smt import asked, disagrees  # noqa: E402

from sarvex.core.firstmatch.rule_list import FirstMatch  # noqa: E402
from sarvex.core.meaning.names import Names  # noqa: E402
from sarvex.core.model.records import Network  # noqa: E402


def effects(each: int, seed: int) -> int:
    """The effect of random edits of every kind: exactly the packets that the solver finds to differ."""
    bad = changed = 0
    for kind, edit in test_effect.KINDS.items():
        ours = theirs = 0.0
        for number in range(each):
            rng = random.Random(f"{seed}/{kind}/{number}")
            old = test_effect.random_version(rng, rng.randint(5, 30))
            old, new = test_effect.spelled_out(old), test_effect.spelled_out(edit(rng, old))
            begun = time.perf_counter()
            parts = [part for shift in test_effect.told(old, new).shifts for part in shift.parts]
            between = time.perf_counter()
            wrong = disagrees(old[1], new[1], parts)
            theirs += time.perf_counter() - between
            ours += between - begun
            changed += bool(parts)
            if wrong:
                bad += 1
                print(f"seed {seed}/{kind}/{number}: they disagree", flush=True)
        print(
            f"{kind}: {each} edits, {bad} disagreements so far; {ours:.1f} s against {theirs:.1f} s",
            flush=True,
        )
    print(f"{changed:,} of {each * len(test_effect.KINDS):,} edits change something")
    return 1 if bad else 0


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--policies", type=int, default=2000)
    parser.add_argument("--rules", type=int, default=60, help="rules of the longest")
    parser.add_argument("--exactly", action="store_true", help="every list is as long as the longest")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--effects", type=int, default=0, help="so many edits of each kind instead")
    options = parser.parse_args()
    if options.effects:
        return effects(options.effects, options.seed)
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
