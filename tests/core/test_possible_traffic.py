"""What can appear where, against packets led by hand past devices that let everything through."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace

from oracle import Packet
from packet_model import End, Model
from random_networks import aimed_packet, random_line, random_network, random_packet

from sarvex.core.forwarding.possible_traffic import Passing, PossibleTraffic
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Stage, ZoneDefault
from sarvex.core.sets.addresses import AddressSet

Place = tuple[str, str, str | None, str | None]


def opened(network: Network) -> Network:
    """The same ground without policies, answers passing by their conversation: they are not led here."""
    devices = tuple(
        replace(
            d,
            policies=(),
            zone_default=ZoneDefault(mode="open"),
            replies="by conversation",
            filtering="stateful",
        )
        for d in network.devices
    )
    return replace(network, devices=devices, at_hosts=())


def come_by(end: End) -> set[Place]:
    """Every stage that the packet led by hand came by."""
    found: set[Place] = set()
    for hop in end.hops:
        entering, leaving = hop.entering and hop.entering.name, hop.leaving and hop.leaving.name
        if entering:
            found.add((hop.device.name, "inbound", entering, None))
        if leaving:
            found.add((hop.device.name, "passage" if entering else "from the device", entering, leaving))
            found.add((hop.device.name, "outbound", entering, leaving))
        elif entering and end.result == "received":
            found.add((hop.device.name, "to the device", entering, None))
    return found


def holds(possible: PossibleTraffic, passing: Passing, p: Packet) -> bool:
    source, destination = (
        AddressSet(**{"v4": (), "v6": (), f"v{p.family}": ((value, value),)}) for value in (p.src, p.dst)
    )
    return possible.any_shares(possible.places([passing]), source, destination)


def test_a_packet_comes_by_exactly_where_it_is_told_to(rng: random.Random) -> None:
    passed = stayed = 0
    for _ in range(18):
        network = opened(random_network(rng))
        possible, model = PossibleTraffic(network, Names(network)), Model(network)
        for _ in range(15):
            p = replace(random_packet(rng, network), state="new")
            if model.special(p.family, p.src) or model.special(p.family, p.dst):
                continue
            ends = model.first(p)
            seen = set().union(*map(come_by, ends))
            told = {
                (device, stage, q.entering and q.entering.name, q.leaving and q.leaving.name)
                for (device, stage), there in possible.at.items()
                for q in there
                if holds(possible, q, p)
            }
            assert seen <= told, (p, network)
            if all(end.result in ("delivered", "received") for end in ends):
                assert seen == told, (
                    p,
                    network,
                )  # where a way ends for want of a route the last device is not told by hand
            passed += bool(told)
            stayed += not told
    assert passed > 40 and stayed > 8


def test_what_is_translated_or_steered_is_told_where_it_comes_by(rng: random.Random) -> None:
    """Every form of a packet that a stage compares is told to come by there; more may be told."""
    changed = 0
    for _ in range(18):
        network = opened(random_line(rng))
        possible, model = PossibleTraffic(network, Names(network)), Model(network)
        for _ in range(15):
            p = replace(aimed_packet(rng, network), state="new")
            if model.special(p.family, p.src) or model.special(p.family, p.dst):
                continue
            come = {
                place for end in model.first(p) for place in forms(end)
            }  # many ways share most of their places
            for device, stage, entering, leaving, form in come:
                if model.special(form.family, form.src) or model.special(form.family, form.dst):
                    continue
                there = [
                    q
                    for q in possible.at[device, stage]
                    if (q.entering and q.entering.name, q.leaving and q.leaving.name) == (entering, leaving)
                ]
                assert any(holds(possible, q, form) for q in there), (p, form, device, stage, network)
                changed += (form.src, form.dst) != (p.src, p.dst)
    assert changed > 4


def forms(end: End) -> Iterator[tuple[str, Stage, str | None, str | None, Packet]]:
    """Device, stage, interfaces, and the packet as the stage compares it."""
    for hop in end.hops:
        entering, leaving = hop.entering and hop.entering.name, hop.leaving and hop.leaving.name
        seen = {"entered": hop.came, "routed": hop.routed, "left": hop.left}
        stages: list[tuple[Stage, str | None]] = [("inbound", None)] if entering else []
        if leaving:
            stages += [("passage" if entering else "from the device", leaving), ("outbound", leaving)]
        elif entering and end.result == "received":
            stages.append(("to the device", None))
        for stage, out in stages:
            yield hop.device.name, stage, entering, out, seen[getattr(hop.device.sees, stage, "routed")]
