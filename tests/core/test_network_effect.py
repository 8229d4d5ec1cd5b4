"""What an edit is told to do in the network, against single packets led by hand through the network before and after."""

from __future__ import annotations

import os
import random
from collections import Counter
from dataclasses import replace
from typing import Any

import pytest
from packet_model import FAILS, UNKNOWN, WORKS, Model
from random_networks import aimed_packet, random_line, random_network, translating
from test_walk import OPEN_FOR, one

from sarvex.core.change import network_effect as m
from sarvex.core.change.all_effects import all_effects
from sarvex.core.change.network_effect import Fare, NetworkEffect
from sarvex.core.forwarding.walk import trace
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import LISTS, Device, HostAttachment, Network, Policy, Route
from sarvex.core.sets.flows import Flow
from sarvex.formats import document, effects

EDITS, PACKETS = int(os.environ.get("SARVEX_EDITS", "60")), 30
"""More with `SARVEX_EDITS`."""
FARES: dict[frozenset[str], Fare] = {
    frozenset({WORKS}): "allowed", frozenset({FAILS}): "blocked", frozenset({UNKNOWN}): "undetermined", frozenset({FAILS, UNKNOWN}): "undetermined",
    frozenset({WORKS, FAILS}): "by some ways", frozenset({WORKS, UNKNOWN}): "by some ways", frozenset({WORKS, FAILS, UNKNOWN}): "by some ways",
}  # fmt: skip


def drawn(rng: random.Random, index: int) -> Network:
    return random_line(rng) if index % 3 else translating(rng, random_network(rng, devices=4))


def shuffled(rng: random.Random, some: tuple[Any, ...]) -> tuple[Any, ...]:
    """Fewer, or in another order, or one switched off."""
    out = list(some)
    at = rng.randrange(len(out))
    act = rng.choice(["gone", "moved", "switched" if hasattr(out[at], "enabled") else "gone"])
    if act == "gone":
        del out[at]
    elif act == "moved":
        out.insert(rng.randrange(len(out)), out.pop(at))
    else:
        out[at] = replace(out[at], enabled=not out[at].enabled)
    return tuple(out)


def edited(rng: random.Random, net: Network) -> tuple[str, Network]:
    """One edit of any kind that the network allows."""
    kind = rng.choice(
        [
            "rules",
            "action",
            "default",
            "policies",
            "at hosts",
            "host",
            "zone",
            *["ground"] * 5,
            *LISTS,
            *LISTS,
        ]
    )
    device = rng.choice(net.devices)

    def at(device: Device, **fields: Any) -> Network:
        made = replace(device, **fields)
        return replace(net, devices=tuple(made if d is device else d for d in net.devices))

    if kind in ("rules", "action", "default") and net.policies:
        policy = rng.choice(net.policies)
        if kind == "default":
            made = replace(policy, default=rng.choice(["allow", "drop", "continue"]))
        elif kind == "rules" and policy.rules:
            made = replace(policy, rules=shuffled(rng, policy.rules))
        else:
            flip = {"allow": "drop", "drop": "allow", "reject": "allow"}
            made = replace(
                policy,
                rules=tuple(
                    replace(r, action=flip[r.action], reject_with=None) if rng.random() < 0.3 else r for r in policy.rules
                ),
            )  # fmt: skip
        return kind, replace(net, policies=tuple(made if p is policy else p for p in net.policies))
    if kind == "policies" and device.policies:
        return kind, at(device, policies=shuffled(rng, device.policies))
    if kind == "at hosts" and net.policies and net.hosts:
        more = HostAttachment(
            policy=rng.choice(net.policies).name, direction="inbound", hosts=(rng.choice(net.hosts).name,)
        )
        return kind, replace(net, at_hosts=(*net.at_hosts, more))
    if kind == "host" and net.hosts:
        return kind, replace(net, hosts=net.hosts[1:], at_hosts=())
    if kind == "zone" and net.zones:
        return kind, replace(net, zones=tuple(replace(z, depth=rng.randrange(5)) for z in net.zones))
    if kind in LISTS and getattr(device, kind):
        return kind, at(device, **{kind: shuffled(rng, getattr(device, kind))})
    return _ground(rng, net, device, at)


def _ground(rng: random.Random, net: Network, device: Device, at: Any) -> tuple[str, Network]:
    kind = rng.choice(["routes", "route", "field", "interface", "address", "gateways", "segment"])
    if kind == "routes" and device.routes:
        return kind, at(device, routes=shuffled(rng, device.routes))
    if kind == "route":
        prefix = rng.choice([p for s in net.segments for p in s.prefixes] or ["10.9.9.0/24"])
        return kind, at(device, routes=(*device.routes, Route(prefix=prefix, discard=True)))
    if kind == "field":
        fields: list[dict[str, Any]] = [
            {"filtering": "stateless" if device.filtering == "stateful" else "stateful"},
            {"out_of_state": "drop" if device.out_of_state != "drop" else "by rule"},
            {"replies": "by rule" if device.replies != "by rule" else "by conversation"},
            {"zone_default": replace(device.zone_default, mode=rng.choice(["open", "closed"]))},
            {"cluster": "pair"},
        ]
        return kind, at(device, **rng.choice(fields))
    if kind == "interface" and len(device.interfaces) > 1:
        return kind, at(device, interfaces=device.interfaces[:-1])
    if kind == "address":
        changed = tuple(
            replace(i, addresses=i.addresses[:1]) if rng.random() < 0.5 else i for i in device.interfaces
        )
        return kind, at(device, interfaces=changed)
    segment = rng.choice(net.segments)
    made = (
        replace(segment, prefixes=segment.prefixes[:1]) if kind == "segment" else replace(segment, gateways=(device.name,))
    )  # fmt: skip
    return kind, replace(net, segments=tuple(made if s is segment else s for s in net.segments))


class Circling(Exception):
    """A packet has more ways than are followed by hand."""


class Patient(Model):
    """A model that gives up."""

    entered = 0

    def enter(self, *args: Any, **how: Any) -> Any:
        self.entered += 1
        if self.entered > 3_000:
            raise Circling
        yield from super().enter(*args, **how)


def fare(model: Patient, p: Any) -> Fare:
    """How a packet fares by hand; what nobody owns is blocked."""
    ends = ((p.family, value) for value in (p.src, p.dst))
    if not all(model.holders(*end) or (model.owner(*end) and not model.special(*end)) for end in ends):
        return "blocked"
    model.entered = 0
    return FARES[frozenset(model.asked(p))]


def told(effect: NetworkEffect, flow: Flow) -> list[tuple[Fare, Fare]]:
    return [(s.before, s.after) for s in effect.shifts if packet_sets.contains(s.packets, flow)]


def left_open(net: Network, p: Any) -> bool:
    """Whether the walk leaves open what the model decides, and says so."""
    parts = trace(net, Names(net), one(p)).parts
    return any(why in (part.missing or "") for part in parts for why in OPEN_FOR)


def test_exactly_the_packets_that_are_told_fare_otherwise(rng: random.Random) -> None:
    """With every feature and every kind of edit: those told fare as they are told, before and after; all others as they did."""
    seen: Counter[str] = Counter()
    kinds: Counter[str] = Counter()
    for index in range(EDITS):
        old = drawn(rng, index)
        kind, new = edited(rng, old)
        if problems(new) or new == old:
            continue
        old, new = rng.choice([(old, new), (new, old)])
        effect = effects.compare(old, new).network
        assert effect is not None and effect.complete
        models, kinds[kind] = (Patient(old), Patient(new)), kinds[kind] + 1
        samples = [packet_sets.sample(s.packets) for s in effect.shifts]
        asked = [aimed_packet(rng, rng.choice((old, new))) for _ in range(PACKETS)]
        asked += [
            replace(asked[0], family=f.family, src=f.src, dst=f.dst, proto=f.protocol, first=f.first or 0, second=f.second or 0, state="new")
            for f in samples if f is not None
        ]  # fmt: skip
        for p in asked:
            if p.state != "new":
                continue
            try:
                was, now = (fare(model, p) for model in models)
            except Circling:
                continue
            found = told(effect, Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, "new"))
            if found != ([] if was == now else [(was, now)]):
                assert left_open(old, p) or left_open(new, p), (kind, p, found, was, now, old, new)
                seen["open"] += 1
            else:
                seen["as before" if was == now else f"{was} to {now}"] += 1
    assert len(kinds) > 9, kinds
    assert min(seen["as before"], seen["allowed to blocked"], seen["blocked to allowed"]) > 5, seen
    assert seen["open"] < 0.02 * seen.total(), seen


def test_what_is_not_worked_out_is_told_to_be_left(
    rng: random.Random, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whatever the time, what is told changes, and what else changes lies in what is left."""
    some = 0
    for index in range(12):
        old = drawn(rng, index)
        _, new = edited(rng, old)
        if problems(new):
            continue
        whole = effects.compare(old, new).network
        calls = iter(range(rng.randrange(1, 30)))
        real = m.fates

        def hurried(*args: Any, calls: Any = calls, real: Any = real, **_: Any) -> Any:
            return real(*args, go_on=lambda: next(calls, None) is not None)

        monkeypatch.setattr(m, "fates", hurried)
        part = effects.compare(old, new).network
        monkeypatch.setattr(m, "fates", real)
        assert whole and part
        for shift in part.shifts:
            assert told(whole, packet_sets.sample(shift.packets)) == [(shift.before, shift.after)]  # type: ignore[arg-type]
        for shift in whole.shifts:
            flow = packet_sets.sample(shift.packets)
            assert flow is not None
            assert told(part, flow) or packet_sets.contains(part.left, flow)
        some += not part.complete
        assert part.equal is None or part.complete or part.shifts
    assert some > 1


def test_what_policies_at_hosts_alone_do_is_felt() -> None:
    """No device consults it: the ground that ways are kept for knows nothing of it."""
    from test_expectations import NET

    net = document.load(NET)
    at = Policy(name="at kiosks", default="continue")
    old = replace(
        net,
        policies=(*net.policies, at),
        at_hosts=(HostAttachment(policy="at kiosks", direction="outbound", hosts=("kiosks",)),),
    )
    new = replace(old, policies=(*net.policies, replace(at, default="drop")))
    names = Names(old), Names(new)
    made, at_places = all_effects(m.Versions(old, new, *names))
    told = m.network_effect(m.Versions(old, new, *names), made, at_places)
    assert {(s.before, s.after) for s in told.shifts} == {("allowed", "blocked")} and told.complete
    flow = Flow(4, 0x0A2C010A, 0x0A2C0101, 6, 49152, 22, "new")  # the kiosk to the lock
    assert any(packet_sets.contains(s.packets, flow) for s in told.shifts)
