"""All segments at once against single packets led by hand, against the walk of every pair, and told as products."""

from __future__ import annotations

import random
from collections import Counter

import numpy as np
import pytest
from packet_model import FAILS, UNKNOWN, WORKS, Model
from random_networks import aimed_packet, random_line, random_network, translating
from test_walk import OPEN_FOR

from sarvex.core.forwarding.routing import links, routing_of
from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Device, Interface, Network, Segment, ServiceObject, ZoneDefault
from sarvex.core.reach.infrastructure import asked_service
from sarvex.core.reach.matrix import Cell, matrix
from sarvex.core.reach.products import products
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.flows import Flow
from sarvex.core.tables import address_classes

NETWORKS, PACKETS = 24, 60
KIND = {
    frozenset({WORKS}): "allowed", frozenset({FAILS}): "none", frozenset({WORKS, FAILS}): "by_some_ways", frozenset({UNKNOWN}): "undetermined",
    frozenset({FAILS, UNKNOWN}): "undetermined", frozenset({WORKS, UNKNOWN}): "by_some_ways", frozenset({WORKS, FAILS, UNKNOWN}): "by_some_ways",
}  # fmt: skip


def drawn(rng: random.Random, index: int) -> Network:
    return random_line(rng) if index % 3 else translating(rng, random_network(rng, devices=4))


def kinds_of(cell: Cell, flow: Flow) -> list[str]:
    sets = {k: getattr(cell, k) for k in ("allowed", "by_some_ways", "undetermined")}
    return [k for k, some in sets.items() if packet_sets.contains(some, flow)] or ["none"]


def owner(network: Network, model: Model, family: int, value: int) -> Segment | Device | None:
    holders = model.holders(family, value)
    return holders[0] if len(holders) == 1 else None if holders else model.owner(family, value)


def test_every_packet_is_in_the_cell_and_of_the_kind_that_it_has_by_hand(rng: random.Random) -> None:
    """Hosts to hosts and to devices, with every feature, links taken away."""
    seen: Counter[str] = Counter()
    for index in range(NETWORKS):
        network = drawn(rng, index)
        names, device = Names(network), rng.choice(network.devices)
        away = rng.choice([(), (), (f"{device.name}.{rng.choice(device.interfaces).name}",)])
        model = Model(network, away)
        service = rng.choice(["any", "any", "tcp/443", "udp/53"])
        without = frozenset(link for name in away for link in links(network, name))
        cells = {
            (c.source.name, type(c.destination), c.destination.name): c
            for c in matrix(network, names, names.service(service), without=without)
        }
        for _ in range(PACKETS):
            p = aimed_packet(rng, network)
            if p.state != "new" or model.special(p.family, p.src) or model.special(p.family, p.dst):
                continue
            source, there = (owner(network, model, p.family, value) for value in (p.src, p.dst))
            flow = Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, "new")
            asked = packet_sets.product(addresses.ANY, addresses.ANY, names.service(service), ("new",))
            if (
                not isinstance(source, Segment)
                or there in (None, source)
                or not packet_sets.contains(asked, flow)
            ):
                continue
            cell = cells[source.name, type(there), there.name]
            wanted = model.asked(p)
            found = kinds_of(cell, flow)
            if found != [
                KIND[frozenset(wanted)]
            ]:  # what choices of several translations decide may be left open
                one = Question(
                    *(addresses.span(p.family, v, v) for v in (p.src, p.dst)), names.service(service), without=without
                )  # fmt: skip
                parts = [x for x in trace(network, names, one).parts if packet_sets.contains(x.packets, flow)]
                assert any(why in (x.missing or "") for x in parts for why in OPEN_FOR), (
                    p,
                    found,
                    wanted,
                    network,
                )
                found = ["open"]
            seen.update(found)
            assert cell.verdict != "all" or found == ["allowed"]
            assert cell.verdict != "none" or found == ["none"]
    assert (
        min(seen[kind] for kind in ("allowed", "none", "undetermined")) > 10
        and seen["open"] * 50 < seen.total()
    ), seen


@pytest.mark.parametrize("most_atoms", [address_classes.MOST_ATOMS, 0], ids=["tables", "boxes"])
def test_a_cell_is_all_where_every_pair_of_its_hosts_works(
    rng: random.Random, monkeypatch: pytest.MonkeyPatch, most_atoms: int
) -> None:
    """Against a question for each pair by itself; in tables, and in boxes where there are too many classes for tables."""
    monkeypatch.setattr(address_classes, "MOST_ATOMS", most_atoms)
    seen: Counter[str] = Counter()
    for index in range(NETWORKS // 4):
        network = drawn(rng, index)
        names, routing = Names(network), routing_of(network)

        def hosts(thing: Segment | Device, routing=routing) -> AddressSet:  # type: ignore[no-untyped-def]
            if isinstance(thing, Device):
                return addresses.difference(routing.own(thing), routing.unrouted)
            return addresses.difference(
                addresses.difference(routing.owned(thing), routing.all_own), routing.unrouted
            )

        for cell in matrix(network, names, services.parse("tcp/443")):
            one = Question(hosts(cell.source), hosts(cell.destination), services.parse("tcp/443"))
            answer = trace(network, names, one)
            verdict = answer.verdict
            lost, works = (
                packet_sets.union(p.packets for p in answer.parts if p.result == result)
                for result in ("unanswered", "delivered")
            )
            if not any(p.missing and p.result == "undetermined" for p in answer.parts):
                lost = packet_sets.difference(lost, works)
                assert packet_sets.covers(lost, cell.unanswered) and packet_sets.covers(
                    cell.unanswered, lost
                ), (cell, network)
                seen["unanswered"] += bool(lost)
            assert (cell.verdict == "all") == (verdict == "allowed"), (cell, network)
            assert (cell.verdict == "none") == (verdict in ("blocked", "empty")), (cell, network)
            seen[cell.verdict] += 1
    assert seen["all"] and seen["none"] and seen["some"] and seen["unanswered"], seen


def test_an_address_of_two_devices_is_in_the_cells_of_both() -> None:
    """As devices that stand for each other have it."""

    def device(name: str, own: str) -> Device:
        ports = (
            Interface(name="a", segment="a", addresses=(own, "10.44.0.1")),
            Interface(name="b", segment="b", addresses=(own.replace("44.0", "44.1"),)),
        )
        return Device(name=name, interfaces=ports, zone_default=ZoneDefault(mode="open"), cluster="pair")

    segments = tuple(Segment(name=n, prefixes=(f"10.44.{k}.0/24",)) for k, n in enumerate("ab"))
    network = Network(
        name="pair", segments=segments, devices=(device("one", "10.44.0.2"), device("two", "10.44.0.3"))
    )
    names = Names(network)
    cells = {
        (c.source.name, c.destination.name): c for c in matrix(network, names, services.parse("tcp/443"))
    }
    flow = Flow(4, *(addresses.parse(a).v4[0][0] for a in ("10.44.1.9", "10.44.0.1")), 6, 50_000, 443, "new")
    told = [kinds_of(cells["b", name], flow) for name in ("one", "two")]
    assert told[0] == told[1] != ["none"]


def random_set(rng: random.Random) -> PacketSet:
    def box(top: int) -> list[list[int]]:
        ends = [sorted(rng.randrange(8) for _ in range(2)) for _ in range(5)]
        return [*ends, sorted((rng.randrange(top), rng.randrange(top)))]

    v4 = np.array([box(6) for _ in range(rng.randrange(6))], dtype=np.int64).reshape(-1, 6, 2)
    v6 = np.array([box(6) for _ in range(rng.randrange(3))], dtype=object).reshape(-1, 6, 2)
    return PacketSet(v4, v6)


def test_products_are_exactly_the_set_and_share_nothing(rng: random.Random) -> None:
    for _ in range(60):
        what = random_set(rng)
        told = [
            packet_sets.product(m.source, m.destination, m.service, ("new",), m.times) for m in products(what)
        ]
        together = packet_sets.union(told)
        assert packet_sets.covers(together, what) and packet_sets.covers(what, together), what
        for index, one in enumerate(told):
            assert not any(packet_sets.intersection(one, other) for other in told[:index]), what


def test_infrastructure_is_what_is_usual_or_the_networks_own_list() -> None:
    own = Network(name="own", services=(ServiceObject(name="infrastructure", members=("tcp/9100",)),))
    usual, listed = (asked_service(Names(n), "any", aside=True) for n in (Network(name="none"), own))
    dns, metrics = (services.parse(text) for text in ("udp/53", "tcp/9100"))
    assert services.difference(dns, usual).v4.size and not services.difference(metrics, usual).v4.size
    assert not services.difference(dns, listed).v4.size and services.difference(metrics, listed).v4.size
    assert asked_service(Names(own), "any") is services.ANY
