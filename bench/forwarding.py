"""How soon whole sets are led through a network: .venv/bin/python bench/forwarding.py

Made-up grounds: one device with a long list, devices in a row, redundant pairs in a row, the sites of a company. Each is asked about
everything from one end to the other at once; and many flows are decided through the demo. The baseline, in the same run, asks for one packet of each part of the answer by itself: what somebody would have to do who
cannot ask about sets, and knew what to ask for.
"""

from __future__ import annotations

import argparse
import random
import re
import sys
import time
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent))
from sarvex.core.forwarding.many_flows import fates_of
from sarvex.core.forwarding.walk import Answer, Question, trace
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
    Steering,
    ZoneDefault,
)
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.flows import Flow
from sarvex.core.sets.services import ServiceSet
from sarvex.formats import document

PORTS = 22, 53, 80, 123, 161, 443, 502, 514, 5432, 8080
MOST_SINGLE = 40
"""So many packets are asked about by themselves; the time for all is told from theirs."""


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--pictures", type=Path, help="where the growth curves go")
    options = parser.parse_args()
    print("| ground | parts | all at once | its packets one by one | times faster |\n|---|---|---|---|---|")
    grown = {
        "rules of one device": {
            n: _told(f"one device, {n:,} rules", one_device(n)) for n in (300, 1_000, 3_000)
        },
        "devices in a row": {
            n: _told(f"{n} devices in a row, 50 rules each", row(n, 50)) for n in (4, 16, 40)
        },
        "redundant pairs in a row": {
            n: _told(f"{n} redundant pairs in a row", redundant(n)) for n in (2, 4, 11, 20)
        },
        "segments of a company": {
            13 * n: _told(
                f"{n + 2} devices, {13 * n} segments: a site's offices to all plants",
                company(n),
                "office-1-",
                "plant",
            )
            for n in (8, 19, 38)
        },
    }
    for what, network in (
        ("one device, 3,000 rules", one_device(3_000)),
        ("16 devices in a row, 50 rules each", row(16, 50)),
        ("11 redundant pairs in a row", redundant(11)),
    ):
        _told(f"{what}, the first translating, the last steering", dressed(network))
    for what, network in (
        ("one device, 3,000 rules", one_device(3_000)),
        ("16 devices in a row, 50 rules each", row(16, 50)),
    ):
        _told(f"{what}, in IPv6", six(network))
    print("\n| flows through the demo | all at once | one by one | times faster |\n|---|---|---|---|")
    many()
    if options.pictures:
        pictures(options.pictures, grown)


def _told(what: str, network: Network, first: str = "", last: str = "") -> float:
    """The seconds that one question takes, told beside those for a packet of each part."""
    names = Names(network)
    ends = (
        [s for s in network.segments if s.name.startswith(kind)] if kind else [network.segments[at]]
        for kind, at in ((first, 0), (last, -1))
    )
    question = Question(*(addresses.union(names.address(s.name) for s in end) for end in ends), services.ANY)
    trace(network, names, question)  # lists made ready
    began = time.perf_counter()
    answer = trace(network, names, question)
    together = time.perf_counter() - began
    single = _one_by_one(network, names, answer)
    row = f"| {what} | {len(answer.parts):,} | {together * 1000:,.0f} ms | {single * 1000:,.0f} ms | {single / together:,.1f} |"
    print(row, flush=True)
    return together


def many() -> None:
    """Flows between hosts of the demo at one moment, all of them at once."""
    network = document.load((Path(__file__).parent.parent / "demo/merrow.yaml").read_text())
    names, rng = Names(network), random.Random(1)
    hosts = [low for h in network.hosts for low, high in names.address(h.name).v4 if low == high]
    noon = datetime(2026, 12, 2, 12, tzinfo=names.moments.zone)
    for count in (1_000, 10_000, 100_000):
        flows = [
            Flow(
                4,
                rng.choice(hosts),
                rng.choice(hosts),
                6,
                rng.randrange(1024, 65_536),
                rng.choice(PORTS),
                "new",
                noon,
            )
            for _ in range(count)
        ]
        began = time.perf_counter()
        fates_of(network, names, flows)
        together = time.perf_counter() - began
        some = rng.sample(flows, MOST_SINGLE)
        began = time.perf_counter()
        for flow in some:
            trace(network, names, _question(flow))
        single = (time.perf_counter() - began) * count / len(some)
        print(f"| {count:,} | {together:,.1f} s | {single:,.1f} s | {single / together:,.0f} |", flush=True)


def pictures(folder: Path, grown: dict[str, dict[int, float]]) -> None:
    """How long a question takes as its ground grows, on logarithmic axes with a linear one beside it."""
    import matplotlib

    matplotlib.use("svg")
    matplotlib.rcParams["svg.hashsalt"] = "sarvex"
    from matplotlib import pyplot

    folder.mkdir(parents=True, exist_ok=True)
    figure, axes = pyplot.subplots(figsize=(8, 5))
    for what, seconds in grown.items():
        axes.loglog(list(seconds), list(seconds.values()), marker="o", label=what)
    ends = [2, 3_000]
    axes.loglog(ends, [0.002 * n for n in ends], linestyle=":", color="grey", label="linear")
    axes.set(xlabel="how many", ylabel="seconds")
    axes.legend()
    axes.grid(visible=True, which="both", alpha=0.3)
    figure.savefig(folder / "forwarding.svg", metadata={"Date": None})


def _one_by_one(network: Network, names: Names, answer: Answer) -> float:
    flows = [part.sample for part in answer.parts if part.sample]
    some = random.Random(1).sample(flows, min(len(flows), MOST_SINGLE))
    began = time.perf_counter()
    for flow in some:
        trace(network, names, _question(flow))
    return (time.perf_counter() - began) * len(flows) / len(some)


def _question(flow: Flow) -> Question:
    box = np.array([[[flow.protocol] * 2, [flow.first or 0] * 2, [flow.second or 0] * 2]])
    four = flow.family == 4
    ends = (AddressSet(((v, v),), ()) if four else AddressSet((), ((v, v),)) for v in (flow.src, flow.dst))
    return Question(
        *ends, ServiceSet(box, services.NOTHING.v6) if four else ServiceSet(services.NOTHING.v4, box)
    )


def made_rules(count: int, first: int, last: int, rng: random.Random) -> tuple[Rule, ...]:
    def end(site: int) -> tuple[str, ...]:
        return (f"10.{site}.{rng.randrange(256)}.{rng.randrange(32) * 8}/29",)

    return tuple(
        Rule(
            name=f"r{i}", action=rng.choice(["allow", "drop"]), source=end(first), destination=end(last),
            service=(f"tcp/{rng.randrange(1, 60_000)}",),
        )
        for i in range(count)
    )  # fmt: skip


def one_device(rules: int) -> Network:
    policy = Policy(name="p", default="drop", rules=made_rules(rules, 1, 2, random.Random(1)))
    ends = (Interface(name=f"i{n}", segment=f"s{n}", addresses=(f"10.{n}.0.1",)) for n in (1, 2))
    device = Device(name="d", interfaces=tuple(ends), policies=(Attachment(policy="p"),))
    segments = tuple(Segment(name=f"s{n}", prefixes=(f"10.{n}.0.0/16",)) for n in (1, 2))
    return Network(name="one", devices=(device,), policies=(policy,), segments=segments)


def row(length: int, rules: int) -> Network:
    rng = random.Random(1)
    policies = [
        Policy(name=f"p{i}", default="allow", rules=made_rules(rules, 0, length, rng)) for i in range(length)
    ]
    devices = []
    for i in range(length):
        away = Route(prefix=f"10.{length}.0.0/16", via=f"10.{i + 1}.0.2")
        home = Route(prefix="10.0.0.0/16", via=f"10.{i}.0.3")
        ends = (("l", i, f"10.{i}.0.2"), ("r", i + 1, f"10.{i + 1}.0.3"))
        devices.append(
            Device(
                name=f"d{i}", zone_default=ZoneDefault(mode="open"), policies=(Attachment(policy=f"p{i}"),),
                interfaces=tuple(Interface(name=n, segment=f"s{k}", addresses=(a,)) for n, k, a in ends),
                routes=(*([away] if i < length - 1 else []), *([home] if i else [])),
            )
        )  # fmt: skip
    segments = tuple(Segment(name=f"s{i}", prefixes=(f"10.{i}.0.0/16",)) for i in range(length + 1))
    return Network(name="row", devices=tuple(devices), policies=tuple(policies), segments=segments)


def redundant(pairs: int) -> Network:
    devices = []
    for i in range(pairs):
        for side in (1, 2):
            there = [(j, f"10.{i + 1}.0.{x}") for j in range(i + 2, pairs + 1) for x in (1, 2)]
            back = [(j, f"10.{i}.0.{x}") for j in range(i) for x in (11, 12)]
            ends = (("l", i, f"10.{i}.0.{side}"), ("r", i + 1, f"10.{i + 1}.0.{10 + side}"))
            devices.append(
                Device(
                    name=f"d{i}{side}", zone_default=ZoneDefault(mode="open"),
                    interfaces=tuple(Interface(name=n, segment=f"s{k}", addresses=(a,)) for n, k, a in ends),
                    routes=tuple(Route(prefix=f"10.{j}.0.0/24", via=via) for j, via in (*there, *back)),
                )
            )  # fmt: skip
    segments = tuple(Segment(name=f"s{i}", prefixes=(f"10.{i}.0.0/24",)) for i in range(pairs + 1))
    return Network(name="pairs", devices=tuple(devices), segments=segments)


def six(network: Network) -> Network:
    """The same in IPv6: a site is a /32, a block of 256 addresses a /112 in its one /64."""

    def spelled(found: re.Match[str]) -> str:
        (_, site, block, host), length = map(int, found[1].split(".")), found[3]
        if length is None:
            return f"fd00:{site:x}::{block:x}:{host:x}"
        return (
            f"fd00:{site:x}::/32"
            if int(length) <= 16
            else f"fd00:{site:x}::{block:x}:{host:x}/{96 + int(length)}"
        )

    return document.load(re.sub(r"(10\.\d+\.\d+\.\d+)(/(\d+))?", spelled, document.dump(network)))


HIDDEN_AS = {"s0": "10.0.0.200", "s1": "10.1.255.200"}
"""An address of the segment whose hosts are hidden, so that answers find back."""


def dressed(network: Network) -> Network:
    """The same with sources hidden at the first device, and one service steered at the last by the way it takes anyway."""
    first, *between, last = network.devices if len(network.devices) > 1 else (*network.devices, None)
    near, far = network.segments[0], network.segments[-1]
    hide = SourceTranslation(
        name="hide", source=(near.name,), destination=(far.name,), to=(HIDDEN_AS[near.name],)
    )
    made = replace(first, translate_source=(hide,))
    steer = Steering(
        name="web", destination=(far.name,), service=("tcp/443",), leave=(last or made).interfaces[1].name
    )
    if last is None:
        return replace(network, devices=(replace(made, steering=(steer,)),))
    return replace(network, devices=(made, *between, replace(last, steering=(steer,))))


KINDS = ("office", "plant", "stock", "phones")


def company(sites: int) -> Network:
    """Sites with thirteen segments each, joined by two hubs that share what they know; lists at every site and at the hubs."""
    rng = random.Random(1)
    names = [[f"{KINDS[k % 4]}-{s}-{k}" for k in range(13)] for s in range(sites)]
    segments = [
        Segment(name=name, prefixes=(f"10.{s}.{k}.0/24",))
        for s, some in enumerate(names) for k, name in enumerate(some)
    ]  # fmt: skip

    def rules(count: int, here: int | None) -> tuple[Rule, ...]:
        return tuple(
            Rule(
                name=f"r{i}", action=rng.choice(["allow", "allow", "drop"]),
                source=(f"10.{rng.randrange(sites) if here is None else here}.{rng.randrange(13)}.{rng.randrange(32) * 8}/29",),
                destination=(f"10.{rng.randrange(sites)}.{rng.randrange(13)}.0/24",),
                service=(f"tcp/{rng.randrange(1, 60_000)}",),
            )
            for i in range(count)
        )  # fmt: skip

    opened = ZoneDefault(mode="open")
    policies = [Policy(name="hubs", default="allow", rules=rules(300, None))]
    wide = Segment(name="wide", prefixes=("10.255.0.0/24",))
    devices = []
    for s, some in enumerate(names):
        policies.append(Policy(name=f"site-{s}", default="continue", rules=rules(40, s)))
        ends = [
            Interface(name=f"i{k}", segment=name, addresses=(f"10.{s}.{k}.1",)) for k, name in enumerate(some)
        ]
        up = Interface(name="up", segment="wide", addresses=(f"10.255.0.{10 + s}",))
        routes = tuple(Route(prefix="10.0.0.0/8", via=f"10.255.0.{hub}") for hub in (1, 2))
        devices.append(
            Device(
                name=f"site-{s}", interfaces=(*ends, up), routes=routes, zone_default=opened,
                policies=(Attachment(policy=f"site-{s}"),),
            )
        )  # fmt: skip
    back = tuple(Route(prefix=f"10.{s}.0.0/16", via=f"10.255.0.{10 + s}") for s in range(sites))
    hubs = [
        Device(
            name=f"hub-{hub}", cluster="hubs", routes=back, zone_default=opened, policies=(Attachment(policy="hubs"),),
            interfaces=(Interface(name="up", segment="wide", addresses=(f"10.255.0.{hub}",)),),
        )
        for hub in (1, 2)
    ]  # fmt: skip
    return Network(
        name="company", segments=(*segments, wide), devices=(*devices, *hubs), policies=tuple(policies)
    )


if __name__ == "__main__":
    main()
