"""What an edit of a device's lists is told to do, against single packets led through both versions by hand."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from oracle import Packet
from packet_model import Model, in_scope
from random_networks import aimed_packet, random_line

from sarvex.core.change.list_effects import ListEffect, list_effects
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import LISTS, Device, Interface, Network
from sarvex.core.sets.flows import Flow


def edited(rng: random.Random, network: Network) -> Network:
    """The same network, the entries of one list moved, gone, switched, or saying something else."""
    device = rng.choice([d for d in network.devices if d.entries])
    field = rng.choice([f for f in LISTS if getattr(device, f)])
    entries = list(getattr(device, field))
    at = rng.randrange(len(entries))
    other = random_line(rng)
    more = [
        e for d in other.devices for e in getattr(d, field) if set(e.source) | set(e.destination) <= {"any"}
    ]
    act = rng.choice(["move", "gone", "switch", "scope", "field", "add"])
    if act == "move":
        rng.shuffle(entries)
    elif act == "gone":
        del entries[at]
    elif act == "switch":
        entries[at] = replace(entries[at], enabled=not entries[at].enabled)
    elif act == "scope":
        side = "leaving" if field == "translate_source" else "entering"
        entries[at] = replace(entries[at], **{side: ("any",)})
    elif act == "field":
        entries[at] = replace(
            entries[at], service=(rng.choice(["any", "udp/53", "icmp/8"]),), **_only(field, rng)
        )
    elif more:
        entries.insert(at, replace(rng.choice(more), name="fresh"))
    changed: dict[str, Any] = {field: tuple(entries)}
    return replace(
        network, devices=tuple(replace(d, **changed) if d is device else d for d in network.devices)
    )


def _only(field: str, rng: random.Random) -> dict[str, Any]:
    """A field that only some lists have, as another value."""
    if field == "translate_source":
        return {"ports": rng.choice(["keep", "rewrite", None])}
    return (
        {"port": None} if field == "translate_destination" else {"when_down": rng.choice(["drop", "route"])}
    )


def done(model: Model, device: Device, field: str, port: Interface, p: Packet) -> object:
    """What one version's list makes of a packet at an interface."""
    if field == "translate_destination":
        return set(model.destination_translated(device, port, p))
    if field == "translate_source":
        return set(model.source_translated(device, port, p, ()))
    for entry in device.steering:
        other = entry.via is not None and (":" in entry.via) != (p.family == 6)
        if entry.enabled and not other and in_scope(entry.entering, port) and model.matches(entry, p):
            return entry.leave, entry.via, entry.when_down
    return None


def told(effects: list[ListEffect], device: str, field: str, port: str, p: Packet) -> bool:
    flow = Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, p.state)  # type: ignore[arg-type]
    return any(packet_sets.contains(part.match.packets, flow) for part in parts(effects, device, field, port))


def parts(effects: list[ListEffect], device: str, field: str, port: str) -> Iterator[Any]:
    for one in effects:
        if (one.device, one.field) == (device, field) and port in one.ports:
            yield from (part for shift in one.effect.shifts for part in shift.parts)


def test_exactly_what_is_told_to_change_changes(rng: random.Random) -> None:
    differs = same = 0
    for _ in range(60):
        network = random_line(rng)
        if not any(d.entries for d in network.devices):
            continue
        other = edited(rng, network)
        effects = list(list_effects(network, other, Names(other), names_before=Names(network)))
        assert all(e.effect.complete for e in effects)
        models = Model(network), Model(other)
        for _ in range(15):
            p = aimed_packet(rng, network)
            for was, now in zip(network.devices, other.devices, strict=True):
                for field in LISTS if was.filtering == "stateful" else ("steering",):
                    for port in was.interfaces:
                        a, b = (done(m, d, field, port, p) for m, d in zip(models, (was, now), strict=True))
                        found = told(effects, was.name, field, port.name, p)
                        if a == b and found:  # it is translated to the addresses that it has
                            assert isinstance(a, set) and p in a, (p, field, port, was, now)
                        else:
                            assert found == (a != b), (p, field, port, was, now)
                        differs += a != b
                        same += a == b
    assert differs > 20 and same > 1000
