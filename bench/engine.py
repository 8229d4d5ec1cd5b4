"""The engine beside its targets and baselines: .venv/bin/python bench/engine.py [--quick] [--pictures docs/performance]

Lists: the made-up long list (nested prefixes, groups in one rule of seven, both families, mostly specific before
general), the same shuffled, and adversarial ones. The baselines run in the same process: a plain NumPy scan of all rules,
a plain Python loop over them, one SMT query per rule. Prints Markdown tables.
"""

from __future__ import annotations

import argparse
import random
import resource
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests" / "core"))

from sarvex.cli.generate import network as long_network  # noqa: E402
from sarvex.core.findings.of_rules import report  # noqa: E402
from sarvex.core.findings.tidy import tidy  # noqa: E402
from sarvex.core.firstmatch.proofs import UNSETTLED  # noqa: E402
from sarvex.core.firstmatch.rule_list import DEFAULT, FirstMatch  # noqa: E402
from sarvex.core.meaning.names import Names  # noqa: E402
from sarvex.core.model.records import Network, Policy, Rule  # noqa: E402
from sarvex.formats import document  # noqa: E402

LENGTHS = (1_000, 10_000, 50_000)
GROWTH = (500, 1_000, 2_000, 5_000, 10_000, 20_000, 50_000)
FLOWS = 1_000_000
TARGET = {
    "build from a document": ("60 ms", "0.7 s", "6 s"),
    "decide 1 million flows": ("0.4 s", "1 s", "3 s"),
    "every rule live or dead": ("20 ms", "0.4 s", "5 s"),
    "who takes from whom, exactly": ("", "", ""),
    "every live rule removable or not": ("30 ms", "0.6 s", "8 s"),
    "order-sensitive pairs": ("40 ms", "0.4 s", "5 s"),
    "tidy": ("", "", ""),
    "all findings of the policy": ("", "", ""),
}


def timed(work: Callable[[], Any], times: int = 3) -> tuple[float, Any]:
    """The best of a few runs, in seconds, and the last result."""
    best, result = float("inf"), None
    for _ in range(times):
        begun = time.perf_counter()
        result = work()
        best = min(best, time.perf_counter() - begun)
    return best, result


def spelled(seconds: float) -> str:
    return (
        f"{seconds * 1000:.1f} ms"
        if seconds < 0.0995
        else f"{seconds * 1000:.0f} ms"
        if seconds < 1
        else f"{seconds:.2f} s"
    )


def ready(network: Network) -> FirstMatch:
    made = FirstMatch.of(network.policies[0], Names(network))
    assert made.layers
    return made


def shuffled(network: Network) -> Network:
    """The same rules in any order."""
    rules = list(network.policies[0].rules)
    random.Random(2).shuffle(rules)
    return replace(network, policies=(replace(network.policies[0], rules=tuple(rules)),))


def flows(count: int) -> list[NDArray[Any]]:
    """Different IPv4 flows between addresses of the harbour, most of them of a service that rules name."""
    made = np.random.default_rng(3)
    ends = (10 << 24) + (44 << 16) + made.integers(0, 101 << 8, (2, count))
    protocols = made.choice([6, 6, 17, 1, 47], count)
    ports = made.choice([22, 53, 80, 123, 443, 502, 514, 554, 5432, 8883, 18110, 18440, 1, 9999], count)
    first = np.where(protocols == 1, 8, made.integers(49152, 65536, count))
    return [
        ends[0],
        ends[1],
        protocols,
        first,
        np.where(protocols == 1, 0, ports),
        np.zeros(count, dtype=np.int64),
    ]


def measure(network: Network) -> dict[str, float]:
    """Every row of the table for one list, in seconds."""
    text = document.dump(network, "json")
    times = 3 if len(network.policies[0].rules) <= 10_000 else 1
    took: dict[str, float] = {}

    def build() -> FirstMatch:
        return ready(document.load(text))

    took["build from a document"], _ = timed(build, times)
    # The flows and the ready list are made before the clock starts.
    asked, at_hand = flows(FLOWS), ready(network)
    took["decide 1 million flows"], _ = timed(lambda: at_hand.decide(4, asked), times)

    def fresh(work: Callable[[FirstMatch], Any]) -> float:
        best = float("inf")
        for _ in range(times):
            made = ready(network)
            made.outcomes  # noqa: B018
            begun = time.perf_counter()
            work(made)
            best = min(best, time.perf_counter() - begun)
        return best

    ask = np.ones(len(network.policies[0].rules), dtype=np.int8)
    alive = fresh(lambda made: made.states)
    took["every rule live or dead"] = alive
    took["who takes from whom, exactly"] = max(0.0, fresh(lambda made: made._takers) - alive)
    took["every live rule removable or not"] = max(
        0.0, fresh(lambda made: made.removable(made.effects, ask)) - alive
    )
    took["order-sensitive pairs"] = fresh(lambda made: made.pairs)
    names = Names(network)
    took["tidy"], _ = timed(lambda: tidy(network.policies[0], names), 1)
    took["all findings of the policy"], _ = timed(lambda: report(network.policies[0], names), 1)
    return took


def undecided(network: Network) -> int:
    """How many rules are not settled, of all questions."""
    made = ready(network)
    ask = np.ones(len(network.policies[0].rules), dtype=np.int8)
    told = made.removable(made.effects, ask)
    return sum(x.decides == "undecided" or x.by_count < 0 for x in made.liveness()) + int(
        (told == UNSETTLED).sum()
    )


def numpy_scan(at_hand: FirstMatch, asked: list[NDArray[Any]]) -> NDArray[np.int64]:
    """The first baseline: every rule's boxes against all flows not yet decided, in NumPy."""
    out = np.full(len(asked[0]), DEFAULT, dtype=np.int64)
    pending = np.arange(len(out))
    points = np.stack(asked, axis=1)
    for number, match in enumerate(at_hand.matches):
        for box in match.packets.v4:
            here = points[pending]
            hit = ((here >= box[:, 0]) & (here <= box[:, 1])).all(axis=1)
            out[pending[hit]] = number
            pending = pending[~hit]
    return out


def python_loop(at_hand: FirstMatch, asked: list[NDArray[Any]]) -> list[int]:
    """The second baseline: for each flow, each rule, each box."""
    rules = [match.packets.v4.tolist() for match in at_hand.matches]
    out = []
    for point in zip(*(axis.tolist() for axis in asked), strict=True):
        out.append(
            next(
                (
                    number
                    for number, boxes in enumerate(rules)
                    if any(
                        all(low <= v <= high for v, (low, high) in zip(point, box, strict=True))
                        for box in boxes
                    )
                ),
                DEFAULT,
            )
        )
    return out


def baselines(network: Network, took: float) -> list[str]:
    at_hand = ready(network)
    some = flows(20_000)
    few = [axis[:100] for axis in some]
    mine = at_hand.decide(4, some)
    scan, told = timed(lambda: numpy_scan(at_hand, some), 1)
    assert (told == mine).all()
    loop, listed = timed(lambda: python_loop(at_hand, few), 1)
    assert listed == mine[:100].tolist()
    rules = len(network.policies[0].rules)
    each = took / FLOWS
    return [
        f"| decide, {rules:,} rules | NumPy scan of all rules | {scan / 20_000 * 1e6:,.0f} µs a flow | {each * 1e6:.2f} µs a flow | {scan / 20_000 / each:,.0f}× |",
        f"| decide, {rules:,} rules | Python loop over rules | {loop / 100 * 1e6:,.0f} µs a flow | {each * 1e6:.2f} µs a flow | {loop / 100 / each:,.0f}× |",
    ]


def against_solver(rules: int) -> str:
    """Liveness of a planted list by the solver and by the engine."""
    import oracle
    from smt import asked

    policy = oracle.planted_policy(random.Random(11), rules)[0]
    names = Names(Network(name="n"))
    theirs, truth = timed(lambda: asked(policy), 1)
    ours, told = timed(lambda: _decides(FirstMatch.of(policy, names)), 3)
    assert told == truth
    return f"| live or dead, {len(policy.rules)} rules | one SMT query each | {spelled(theirs)} | {spelled(ours)} | {theirs / ours:,.0f}× |"


def _decides(made: FirstMatch) -> dict[int, str]:
    return {i: made.decides(i) for i in range(len(made.matches))}


def adversarial() -> list[str]:
    from test_rule_list import tiled

    rows = []

    def row(what: str, made: FirstMatch, expected: Callable[[FirstMatch], bool]) -> None:
        took, _ = timed(lambda: made.states, 1)
        exact = all(x.decides != "undecided" for x in made.liveness())
        assert exact and expected(made), what
        rows.append(f"| {what} | {len(made.matches):,} | {spelled(took)} | exact |")

    for missing, word in ((None, "dead"), (517, "part")):
        made = tiled(missing)
        assert made.layers
        one = f"5,000 tiles of one rule in all five dimensions{', one missing' if missing else ''}"
        row(
            one,
            made,
            lambda m, word=word: m.decides(len(m.matches) - 1) == ("none" if word == "dead" else "part"),
        )  # type: ignore[misc]
    names = Names(Network(name="n"))
    feed = tuple(f"10.44.{i >> 8}.{i & 255}" for i in range(0, 40_000, 2))
    rules = (
        _rule("feed", feed, "drop"), _rule("inside", ("10.44.0.0/30",)), _rule("one", ("10.44.7.8",)), _rule("rest", ("any",)),
    )  # fmt: skip
    row("20,000 entries in one rule", FirstMatch.of(Policy(name="p", default="drop", rules=rules), names),
        lambda m: m.decides(2) == "none" and m.decides(1) == "part")  # fmt: skip
    ports = tuple(
        _rule(f"p{i}", ("10.44.0.0/16",), service=(f"tcp/443 from {i * 130}-{i * 130 + 99}",))
        for i in range(500)
    )
    over = (_rule("gaps", ("10.44.0.0/16",), "drop", service=("tcp/443",)),)
    row("500 source-port ranges", FirstMatch.of(Policy(name="p", default="drop", rules=ports + over), names),
        lambda m: m.decides(500) == "part")  # fmt: skip
    six = tuple(
        _rule(f"s{i}", (f"fd00:44:{i:x}::/48",), destination=(f"fd00:45:{i % 97:x}::/48",))
        for i in range(5_000)
    )
    over = (_rule("wide", ("fd00:44::/32",), "drop"),)
    row("IPv6 only", FirstMatch.of(Policy(name="p", default="drop", rules=six + over), names),
        lambda m: m.decides(5_000) == "part")  # fmt: skip
    network = long_network(10_000, 1)
    policy = network.policies[0]
    first = replace(policy, rules=(policy.rules[-1], *policy.rules[:-1]))
    row("drop-all over 10,000 moved to the top", FirstMatch.of(first, Names(network)),
        lambda m: {m.decides(i) for i in range(1, 10_000)} == {"none"})  # fmt: skip
    return rows


def _rule(name: str, source: tuple[str, ...], action: str = "allow", **more: Any) -> Rule:
    given = {"destination": ("any",), "service": ("any",), **more}
    return Rule(name=name, action=action, source=source, **given)  # type: ignore[arg-type]


def pictures(folder: Path, grown: dict[int, dict[str, float]]) -> None:
    """Growth with the number of rules, on logarithmic axes with a linear one beside it."""
    import matplotlib

    matplotlib.use("svg")
    matplotlib.rcParams["svg.hashsalt"] = "sarvex"
    from matplotlib import pyplot

    folder.mkdir(parents=True, exist_ok=True)
    figure, axes = pyplot.subplots(figsize=(8, 5))
    lengths = sorted(grown)
    for what in ("build from a document", "decide 1 million flows", "every rule live or dead",
                 "every live rule removable or not", "order-sensitive pairs"):  # fmt: skip
        axes.loglog(lengths, [grown[n][what] for n in lengths], marker="o", label=what)
    axes.loglog(
        lengths, [0.002 * n / lengths[0] for n in lengths], linestyle=":", color="grey", label="linear"
    )
    axes.set(xlabel="rules", ylabel="seconds")
    axes.legend()
    axes.grid(visible=True, which="both", alpha=0.3)
    figure.savefig(folder / "growth.svg", metadata={"Date": None})


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--quick", action="store_true", help="no 50,000 rules, no growth")
    parser.add_argument("--pictures", type=Path, help="where the growth curves go")
    options = parser.parse_args()
    lengths = LENGTHS[:2] if options.quick else LENGTHS
    lists = {n: long_network(n, 1) for n in lengths}
    grown = {n: measure(lists[n]) for n in lengths}
    print("| work | " + " | ".join(f"{n:,} rules" for n in lengths) + " | targets |")
    print("|---|" + "---|" * (len(lengths) + 1))
    for what, targets in TARGET.items():
        cells = " | ".join(spelled(grown[n][what]) for n in lengths)
        print(f"| {what} | {cells} | {' / '.join(t for t in targets if t) or '-'} |", flush=True)
    print(f"\nUndecided: {', '.join(f'{undecided(lists[n])} of {n:,}' for n in lengths)}.")
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"Most memory of the whole run: {memory:,.0f} MB.\n")
    print("| the same shuffled | " + " | ".join(f"{n:,} rules" for n in lengths[:2]) + " |")
    print("|---|---|---|")
    mixed = [measure(shuffled(lists[n])) for n in lengths[:2]]
    for what in TARGET:
        print(f"| {what} | {' | '.join(spelled(m[what]) for m in mixed)} |", flush=True)
    print("\n| work | baseline | it takes | the engine | ratio |\n|---|---|---|---|---|")
    for line in baselines(lists[10_000], grown[10_000]["decide 1 million flows"]):
        print(line, flush=True)
    print(against_solver(420), flush=True)
    print("\n| adversarial | rules | live or dead | |\n|---|---|---|---|")
    print("\n".join(adversarial()))
    if options.pictures:
        grown |= {n: measure(long_network(n, 1)) for n in GROWTH if n not in grown}
        pictures(options.pictures, grown)


if __name__ == "__main__":
    main()
