"""The effect of edits beside its targets and a baseline: .venv/bin/python bench/effect.py [--quick] [--pictures docs/performance]

Ordinary edits are drawn at random over the made-up long list: a rule moved anywhere or a little, deleted, added with
the match of another, given another source or action. Broad edits touch thousands of rules; they are asked with the
deadline that the page asks with, and told exactly or exactly so far. The baseline analyses both lists from scratch.
"""

from __future__ import annotations

import argparse
import random
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
from engine import spelled

from sarvex.cli.generate import network as long_network
from sarvex.core.change.effect import Effect, Versions, effect
from sarvex.core.change.effect_in_names import first_changes
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.meaning.matches import Match, match_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.edits import NEW
from sarvex.core.model.records import Network, Rule, Schedule
from sarvex.core.time.moments import Moments

LENGTHS = (1_000, 10_000, 50_000)
GROWTH = (500, 1_000, 2_000, 5_000, 10_000, 20_000, 50_000)
PATIENCE = 0.08
"""How long the page waits for a first answer, in seconds."""
EDITS = 200
MOST_CHANGES = 12


class Desk:
    """A long list made ready, and edits of it."""

    def __init__(self, rules: int, timed: bool = False) -> None:
        self.network = long_network(rules, 1)
        if timed:
            self.network = with_schedules(self.network)
        self.names = Names(self.network)
        self.policy = self.network.policies[0]
        self.ready = FirstMatch.of(self.policy, self.names)
        assert self.ready.layers
        self.rng = random.Random(rules)
        self.in_words = 0.0
        """How long the last one took with its first changes in words."""

    def rows(self) -> list[tuple[Rule, Match, int]]:
        return list(zip(self.policy.rules, self.ready.matches, range(len(self.ready.matches)), strict=True))

    def told(
        self, rows: list[tuple[Rule, Match, int]], names: Names, **policy: object
    ) -> tuple[float, Effect]:
        """The effect of another list, named as the page has it, and how long that took."""
        new = replace(self.policy, rules=tuple(row[0] for row in rows), **policy)  # type: ignore[arg-type]
        versions = Versions(
            self.ready, new, [row[1] for row in rows], [row[2] for row in rows],
            deadline=time.monotonic() + PATIENCE,
        )  # fmt: skip
        begun = time.perf_counter()
        made = effect(versions)
        took = time.perf_counter() - begun
        first_changes(made, names, MOST_CHANGES)
        self.in_words = time.perf_counter() - begun
        return took, made


def _move(desk: Desk, far: bool) -> list[tuple[Rule, Match, int]]:
    rows = desk.rows()
    at = desk.rng.randrange(len(rows) - 1)
    row = rows.pop(at)
    to = desk.rng.randrange(len(rows)) if far else min(max(at + desk.rng.randint(-20, 20), 0), len(rows) - 1)
    rows.insert(to, row)
    return rows


def _delete(desk: Desk) -> list[tuple[Rule, Match, int]]:
    rows = desk.rows()
    rows.pop(desk.rng.randrange(len(rows) - 1))
    return rows


def _add(desk: Desk) -> list[tuple[Rule, Match, int]]:
    rows = desk.rows()
    rule, match, _ = rows[desk.rng.randrange(len(rows) - 1)]
    rows.insert(desk.rng.randrange(len(rows)), (_turned(replace(rule, name="brand new")), match, NEW))
    return rows


def _source(desk: Desk) -> list[tuple[Rule, Match, int]]:
    rows = desk.rows()
    at, other = (desk.rng.randrange(len(rows) - 1) for _ in range(2))
    rule = replace(rows[at][0], source=rows[other][0].source)
    rows[at] = (rule, match_of(rule, desk.names), at)
    return rows


def _action(desk: Desk) -> list[tuple[Rule, Match, int]]:
    rows = desk.rows()
    at = desk.rng.randrange(len(rows) - 1)
    rows[at] = (_turned(rows[at][0]), rows[at][1], at)
    return rows


def _turned(rule: Rule) -> Rule:
    return replace(rule, action="allow" if rule.action == "drop" else "drop")


ORDINARY: dict[str, Callable[[Desk], list[tuple[Rule, Match, int]]]] = {
    "moved anywhere": lambda desk: _move(desk, True),
    "moved by up to 20": lambda desk: _move(desk, False),
    "deleted": _delete,
    "added": _add,
    "another source": _source,
    "another action": _action,
}


def ordinary(desk: Desk, edits: int) -> dict[str, tuple[float, float, float, int]]:
    """Median and p95 of each kind of edit, p95 with words, and how many were not told completely."""
    out = {}
    for kind, edit in ORDINARY.items():
        took, words, open_ = [], [], 0
        for _ in range(edits):
            seconds, made = desk.told(edit(desk), desk.names)
            took.append(seconds)
            words.append(desk.in_words)
            open_ += not made.complete
        p95 = (float(np.percentile(each, 95)) for each in (took, words))
        out[kind] = (float(np.percentile(took, 50)), *p95, open_)
    return out


def scratch(desk: Desk) -> float:
    """Both lists made ready and all rules judged, as if nothing were known."""
    begun = time.perf_counter()
    for _ in range(2):
        made = FirstMatch.of(desk.policy, Names(desk.network))
        assert made.states
    return time.perf_counter() - begun


def broad(desk: Desk) -> list[tuple[str, float, Effect]]:
    rows = desk.rows()
    last = rows[-1]
    told = [
        ("drop-all moved to the top", *desk.told([last, *rows[:-1]], desk.names)),
        ("drop-all moved up by one", *desk.told([*rows[:-2], last, rows[-2]], desk.names)),
        ("drop-all deleted", *desk.told(rows[:-1], desk.names)),
        ("another default", *desk.told(rows, desk.names, default="allow")),
    ]
    for what, change in (
        ("a group without one host", lambda n: _members(n, "addresses", "round-00", lambda m: m[1:])),
        (
            "a service of many rules moved",
            lambda n: _members(n, "services", "https", lambda _: ("tcp/8443",)),
        ),
        (
            "the widest prefix halved",
            lambda n: _members(n, "addresses", "harbour", lambda m: ("10.44.0.0/18", *m[1:])),
        ),
    ):
        after = Names(change(desk.network))
        matches = [match_of(rule, after, desk.policy.families) for rule in desk.policy.rules]
        same = [_same(a, b) for a, b in zip(desk.ready.matches, matches, strict=True)]
        # The page works out the matches of the rules that use the name only; what is timed is what follows.
        changed = [(rule, a if eq else b, i) for (rule, a, i), b, eq in zip(rows, matches, same, strict=True)]
        told.append((f"{what} ({same.count(False):,} rules)", *desk.told(changed, after)))
    return told


def _same(a: Match, b: Match) -> bool:
    return (a.source, a.destination) == (b.source, b.destination) and all(
        np.array_equal(a.service[f], b.service[f]) for f in (4, 6)
    )


def _members(
    network: Network, section: str, name: str, change: Callable[[tuple[str, ...]], tuple[str, ...]]
) -> Network:
    things = tuple(
        replace(t, members=change(t.members)) if t.name == name else t for t in getattr(network, section)
    )
    return replace(network, **{section: things})  # type: ignore[arg-type]


SCHEDULES = (
    Schedule(
        name="boarding", windows=("daily 05:30-07:00", "fri,sat 22:30-00:30"), except_=("wed 05:30-06:00",)
    ),
    Schedule(name="nights", windows=("daily 21:00-05:00",)),
    Schedule(name="office", windows=("mon-fri 08:00-18:00",), except_=("2099-12-24 to 2099-12-26",)),
    Schedule(name="weekends", windows=("sat,sun",)),
    Schedule(name="a summer", windows=("daily",), first="2098-05-01", last="2098-09-30"),
    Schedule(name="fuelling", windows=("tue,thu 05:00-06:30",), first="2097-01-01"),
)
ONE_IN = 5


def with_schedules(network: Network) -> Network:
    """Every fifth rule is active by one of six schedules."""
    (policy,) = network.policies[:1]
    rules = tuple(
        replace(rule, schedule=SCHEDULES[at // ONE_IN % len(SCHEDULES)].name) if at % ONE_IN == 0 else rule
        for at, rule in enumerate(policy.rules)
    )
    policies = (replace(policy, rules=rules), *network.policies[1:])
    return replace(network, schedules=SCHEDULES, policies=policies)


def over_time(plain: Desk, timed: Desk, edits: int) -> dict[str, str]:
    """What schedules cost, beside the same list without them."""

    def ready(desk: Desk) -> tuple[float, float]:
        begun = time.perf_counter()
        made = FirstMatch.of(desk.policy, desk.names)
        assert made.layers
        middle = time.perf_counter()
        assert made.states
        return middle - begun, time.perf_counter() - middle

    best = {what: min(ready(desk) for _ in range(3)) for what, desk in (("plain", plain), ("timed", timed))}
    moved = [timed.told(_move(timed, True), timed.names)[0] for _ in range(edits)]
    begun = time.perf_counter()
    changed = (replace(SCHEDULES[0], except_=()), *SCHEDULES[1:])
    moments = Moments.of_both(SCHEDULES, changed, ZoneInfo("UTC"), timed.names.moments.since)
    old, new = Names(timed.network, moments[0]), Names(replace(timed.network, schedules=changed), moments[1])
    versions = Versions(
        FirstMatch.of(timed.policy, old), timed.policy, [match_of(r, new) for r in timed.policy.rules],
        list(range(len(timed.policy.rules))),
    )  # fmt: skip
    made = effect(versions)
    took = time.perf_counter() - begun
    uses = sum(rule.schedule == "boarding" for rule in timed.policy.rules)
    return {
        "kinds of moments": f"{len(timed.names.moments.classes)}",
        "made ready (without)": f"{spelled(best['timed'][0])} ({spelled(best['plain'][0])})",
        "every rule live or dead (without)": f"{spelled(best['timed'][1])} ({spelled(best['plain'][1])})",
        "a rule moved anywhere, p95": spelled(float(np.percentile(moved, 95))),
        "an exception of a schedule taken away, lists made ready anew": (
            f"{uses} rules: {spelled(took)}, {'exact' if made.complete else 'exact so far'}"
        ),
    }


def picture(folder: Path, grown: dict[int, tuple[float, float]]) -> None:
    import matplotlib

    matplotlib.use("svg")
    matplotlib.rcParams["svg.hashsalt"] = "sarvex"
    from matplotlib import pyplot

    figure, axes = pyplot.subplots(figsize=(8, 5))
    lengths = sorted(grown)
    for place, what in enumerate(("median", "p95")):
        axes.loglog(
            lengths, [grown[n][place] for n in lengths], marker="o", label=f"any ordinary edit, {what}"
        )
    axes.loglog(
        lengths, [0.0005 * n / lengths[0] for n in lengths], linestyle=":", color="grey", label="linear"
    )
    axes.set(xlabel="rules", ylabel="seconds")
    axes.legend()
    axes.grid(visible=True, which="both", alpha=0.3)
    figure.savefig(folder / "effect.svg", metadata={"Date": None})


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--quick", action="store_true", help="no 50,000 rules, no growth")
    parser.add_argument("--pictures", type=Path, help="where the growth curve goes")
    parser.add_argument("--edits", type=int, default=EDITS, help="edits of each kind")
    options = parser.parse_args()
    lengths = LENGTHS[:2] if options.quick else LENGTHS
    desks = {n: Desk(n) for n in lengths}
    found = {n: ordinary(desks[n], options.edits) for n in lengths}
    print(
        "| one rule: median / p95 / p95 in words | "
        + " | ".join(f"{n:,} rules" for n in lengths)
        + " | targets |"
    )
    print("|---|" + "---|" * (len(lengths) + 1))
    for kind in ORDINARY:
        cells = " | ".join(" / ".join(map(spelled, found[n][kind][:3])) for n in lengths)
        print(f"| {kind} | {cells} | p95 5 / 20 / 50 ms |")
    base = {n: scratch(desks[n]) for n in lengths}
    worst = {n: max(p95 for _, p95, _, _ in found[n].values()) for n in lengths}
    print("| both lists from scratch | " + " | ".join(spelled(base[n]) for n in lengths) + " | |")
    print("| ratio to the worst p95 | " + " | ".join(f"{base[n] / worst[n]:,.0f}×" for n in lengths) + " | |")
    left = ", ".join(
        f"{sum(o for *_, o in found[n].values())} of {options.edits * len(ORDINARY):,}" for n in lengths
    )
    print(f"\nNot told completely: {left}.\n")
    print("| broad edits | " + " | ".join(f"{n:,} rules" for n in lengths) + " |")
    print("|---|" + "---|" * len(lengths))
    told = {n: broad(desks[n]) for n in lengths}
    for at in range(len(told[lengths[0]])):
        cells = []
        for n in lengths:
            what, seconds, made = told[n][at]
            rules = what[what.index("(") :] + " " if "(" in what else ""
            state = "exact" if made.complete else "exact so far"
            cells.append(f"{rules}{spelled(seconds)}, {state}, {len(made.shifts):,} pairs")
        print(f"| {told[lengths[0]][at][0].split(' (')[0]} | {' | '.join(cells)} |")
    told_over_time = {n: over_time(desks[n], Desk(n, timed=True), options.edits) for n in lengths}
    print("\n| one rule in five with a schedule | " + " | ".join(f"{n:,} rules" for n in lengths) + " |")
    print("|---|" + "---|" * len(lengths))
    for what in told_over_time[lengths[0]]:
        print(f"| {what} | {' | '.join(told_over_time[n][what] for n in lengths)} |")
    if options.pictures:
        grown = {}
        for n in GROWTH:
            some = found[n] if n in found else ordinary(Desk(n), options.edits // 4)
            grown[n] = (float(np.mean([m for m, *_ in some.values()])), max(p for _, p, *_ in some.values()))
        picture(options.pictures, grown)


if __name__ == "__main__":
    main()
