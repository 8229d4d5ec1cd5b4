"""How soon all segments are told: .venv/bin/python bench/matrix.py

The demo, a made-up company whose two hubs are used alike, and a network of sites behind a core, in both families, with translation at
its edge: for one service and for all. The baseline, in the same run, asks about each pair by itself; of many pairs some, told for all.
With `grow` sites are added until there are 500 segments, 40 devices and 10,000 rules, and a picture is drawn: from nothing, and after the
edit of one rule, where the answer is kept.
"""

from __future__ import annotations

import random
import resource
import sys
import time
from dataclasses import replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))
from bench.forwarding import company
from sarvex.core.change.effect import Versions as Lists
from sarvex.core.change.effect import effect, same_names
from sarvex.core.change.network_effect import Versions, reach_after
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    Attachment,
    Device,
    Interface,
    Network,
    Policy,
    Route,
    Rule,
    Segment,
    SourceTranslation,
    ZoneDefault,
)
from sarvex.core.reach.matrix import matrix, matrix_in_parts
from sarvex.core.reach.reach import reach_of, space_for
from sarvex.core.sets import services
from sarvex.formats import document

MOST_PAIRS, ROUNDS = 60, 4


def main() -> None:
    demo = document.load((Path(__file__).parent.parent / "demo/merrow.yaml").read_text())
    print(
        "| network | service | pairs | all at once | pair by pair | times faster |\n|---|---|---|---|---|---|"
    )
    networks = (
        ("the demo", demo),
        ("4 sites, 53 segments, 6 devices", company(4)),
        ("6 sites, 68 segments, 8 devices, 2,000 rules", sites()),
    )
    for what, network in networks:
        for service in ("tcp/443", "any"):
            _told(what, network, service)


SITES, EACH = 6, 10
SERVICES = [
    *(f"tcp/{port}" for port in (22, 25, 80, 389, 443, 445, 1433, 3306, 5432, 8080, 8443, 9100)),
    "udp/53",
    "udp/123",
    "udp/161",
]


def sites(rules: int = 2_000, each: int = EACH, count: int = SITES) -> Network:
    """Sites with segments of their own, each behind a device, joined by a core, with an edge that hides all of them from what lies outside.

    rules: of all lists together; a third is the core's. Both families.
    """
    rng = random.Random(1)

    def segment(site: int, number: int) -> Segment:
        return Segment(
            name=f"s{site}-{number}", prefixes=(f"10.{site}.{number}.0/24", f"fd00:{site:x}:{number:x}::/64")
        )

    def ends(site: int, number: int) -> tuple[str, ...]:
        host = rng.choice([*range(20, 40), 0, 0])
        if not host:
            return (f"s{site}-{number}",)
        return f"10.{site}.{number}.{host}", f"fd00:{site:x}:{number:x}::{host:x}"

    def rule(number: int, here: int | None) -> Rule:
        source, other = (
            rng.randrange(1, count + 1) if here is None or far else here for far in (False, True)
        )
        return Rule(
            name=f"r{number}", action="allow" if rng.random() < 0.85 else "drop", source=ends(source, rng.randrange(each)),
            destination=ends(other, rng.randrange(each)), service=tuple(rng.sample(SERVICES, rng.choice([1, 1, 2, 3]))),
        )  # fmt: skip

    third = rules // 3
    policies = [Policy(name="core", default="drop", rules=(*(rule(n, None) for n in range(third)), _out()))]
    policies.append(Policy(name="edge", default="drop", rules=(_out(),)))
    wires = [
        Segment(name=f"wire-{s}", prefixes=(f"10.200.{s}.0/24", f"fd00:200:{s:x}::/64"))
        for s in range(1, count + 2)
    ]
    opened, devices, inward = ZoneDefault(mode="open"), [], []
    for s in range(1, count + 1):
        own = tuple(rule(n, s) for n in range((rules - third) // count))
        policies.append(Policy(name=f"site-{s}", default="continue", rules=own))
        ports = [
            Interface(name=f"i{k}", segment=f"s{s}-{k}", addresses=(f"10.{s}.{k}.1", f"fd00:{s:x}:{k:x}::1"))
            for k in range(each)
        ]
        up = Interface(name="up", segment=f"wire-{s}", addresses=(f"10.200.{s}.2", f"fd00:200:{s:x}::2"))
        routes = (
            Route(prefix="0.0.0.0/0", via=f"10.200.{s}.1"),
            Route(prefix="::/0", via=f"fd00:200:{s:x}::1"),
        )
        devices.append(Device(
            name=f"site-{s}", interfaces=(*ports, up), routes=routes, zone_default=opened, policies=(Attachment(policy=f"site-{s}"),)
        ))  # fmt: skip
        inward += [(f"10.{s}.0.0/16", f"fd00:{s:x}::/32", s)]
    last = count + 1
    core = Device(
        name="core", zone_default=opened, policies=(Attachment(policy="core"),),
        interfaces=tuple(
            Interface(name=f"w{s}", segment=f"wire-{s}", addresses=(f"10.200.{s}.1", f"fd00:200:{s:x}::1")) for s in range(1, last + 1)
        ),
        routes=(
            *(Route(prefix=p, via=f"10.200.{s}.2") for p, _, s in inward), *(Route(prefix=p, via=f"fd00:200:{s:x}::2") for _, p, s in inward),
            Route(prefix="0.0.0.0/0", via=f"10.200.{last}.2"), Route(prefix="::/0", via=f"fd00:200:{last:x}::2"),
        ),
    )  # fmt: skip
    edge = Device(
        name="edge", zone_default=opened, policies=(Attachment(policy="edge"),),
        interfaces=(
            Interface(name="in", segment=f"wire-{last}", addresses=(f"10.200.{last}.2", f"fd00:200:{last:x}::2")),
            Interface(name="out", segment="outside", addresses=("192.0.2.2", "2001:db8::2")),
        ),
        routes=(
            Route(prefix="10.0.0.0/8", via=f"10.200.{last}.1"), Route(prefix="fd00::/16", via=f"fd00:200:{last:x}::1"),
            Route(prefix="0.0.0.0/0", interface="out"), Route(prefix="::/0", interface="out"),
        ),
        translate_source=(
            SourceTranslation(name="hide", leaving=("out",), source=("10.0.0.0/8",), destination=("any",), service=("any",), to=("interface",)),
        ),
    )  # fmt: skip
    segments = [segment(s, k) for s in range(1, count + 1) for k in range(each)]
    return Network(
        name="sites", segments=(*segments, *wires, Segment(name="outside", outside=True)), devices=(*devices, core, edge), policies=tuple(policies)
    )  # fmt: skip


def _out() -> Rule:
    return Rule(
        name="out",
        action="allow",
        source=("10.0.0.0/8", "fd00::/16"),
        destination=("outside",),
        service=("tcp/443", "udp/53"),
    )


def grow(folder: Path) -> None:
    """All segments, from nothing and after an edit, as sites are added."""
    print(
        "| segments | devices | rules | from nothing | after one edit | memory |\n|---|---|---|---|---|---|"
    )
    anew: dict[int, float] = {}
    after: dict[int, float] = {}
    for count, each in ((2, 8), (3, 10), (6, 10), (12, 10), (24, 10), (36, 13)):
        network = sites(20 * count * each, each, count)
        names, number = Names(network), len(network.segments)
        began = time.perf_counter()
        for _ in matrix_in_parts(network, names, services.ANY):
            pass
        anew[number] = time.perf_counter() - began
        space = space_for(network, names)
        if space and space.classes[4].count ** 2 < KEPT_CELLS:
            after[number] = _after_an_edit(network, names)
        told = f"{after[number]:,.2f} s" if number in after else "not kept"
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
        rules = sum(len(p.rules) for p in network.policies)
        print(
            f"| {number} | {len(network.devices)} | {rules:,} | {anew[number]:,.1f} s | {told} | {memory:,.2f} GB |",
            flush=True,
        )
    picture(folder, {"all segments, from nothing": anew, "after the edit of one rule": after})


KEPT_CELLS = 8_000_000


def _after_an_edit(network: Network, names: Names) -> float:
    """Seconds from the effect of one list, with a rule turned into its opposite, to what everybody reaches."""
    known = reach_of(network, names)
    policy = network.policies[-1]
    rules = (*policy.rules[:-1], replace(policy.rules[-1], action="drop"))
    made = replace(policy, rules=rules)
    new = replace(network, policies=(*network.policies[:-1], made))
    ready = FirstMatch.of(policy, names)
    told = effect(Lists(ready, made, matches_of(made, names), same_names(policy, made)))
    began = time.perf_counter()
    reach_after(known, Versions(network, new, names, names), [told])
    return time.perf_counter() - began


def picture(folder: Path, grown: dict[str, dict[int, float]]) -> None:
    """Seconds by segments, on logarithmic axes, with what is quadratic beside it: so many pairs there are."""
    import matplotlib

    matplotlib.use("svg")
    matplotlib.rcParams["svg.hashsalt"] = "sarvex"
    from matplotlib import pyplot

    figure, axes = pyplot.subplots(figsize=(8, 5))
    for what, seconds in grown.items():
        axes.loglog(list(seconds), list(seconds.values()), marker="o", label=what)
    ends = [20, 500]
    axes.loglog(ends, [0.0005 * n**2 for n in ends], linestyle=":", color="grey", label="quadratic")
    axes.set(xlabel="segments", ylabel="seconds")
    axes.legend()
    axes.grid(visible=True, which="both", alpha=0.3)
    figure.savefig(folder / "reach.svg", metadata={"Date": None})


def _told(what: str, network: Network, service: str) -> None:
    """In turns, since a machine is not as fast at one moment as at the next: all at once, of names that know nothing yet, and some pairs."""
    rng, asked = random.Random(1), services.parse(service)
    together = single = 0.0
    for _ in range(ROUNDS):
        names = Names(network)
        ends = [names.address(s.name) for s in network.segments]
        trace(
            network, names, Question(*[names.address("any")] * 2, services.parse("tcp/9"))
        )  # lists made ready
        began = time.perf_counter()
        pairs = sum(1 for _ in matrix(network, names, asked))
        together += (time.perf_counter() - began) / ROUNDS
        began = time.perf_counter()
        for _ in range(MOST_PAIRS // ROUNDS):
            trace(network, names, Question(*rng.sample(ends, 2), asked))
        single += (time.perf_counter() - began) * pairs / MOST_PAIRS
    print(
        f"| {what} | {service} | {pairs:,} | {together:,.1f} s | {single:,.1f} s | {single / together:,.1f} |",
        flush=True,
    )


if __name__ == "__main__":
    if sys.argv[1:] == ["grow"]:
        grow(Path(__file__).parent.parent / "docs" / "performance")
    else:
        main()
