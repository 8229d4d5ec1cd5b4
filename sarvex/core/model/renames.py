"""Names that were changed and nothing else: recognised between two networks, and carried out in one.

A rename has no effect on packets, so a network with its names changed throughout stands for the old one exactly.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from sarvex.core.model.records import (
    AddressObject,
    Device,
    Host,
    HostAttachment,
    Network,
    Policy,
    Rule,
    Segment,
    ServiceObject,
    fold,
)

SPACES: dict[str, tuple[str, ...]] = {
    "zone": ("zones",),
    "address": ("segments", "hosts", "addresses"),
    "device": ("devices",),
    "service": ("services",),
    "schedule": ("schedules",),
    "policy": ("policies",),
}
"""The sections whose names share a space."""
Ids = Mapping[str, Sequence[int]]
Called = Mapping[str, str]
N = TypeVar("N", bound=Any)


@dataclass(frozen=True)
class Rename:
    """One name that became another. `section` is one of the network's, or `rules` with their policy's new name."""

    section: str
    old: str
    new: str
    policy: str = ""


def renames(old: Network, new: Network, ids: tuple[Ids, Ids] | None = None) -> list[Rename]:
    """What has another name and is the same otherwise; rules by their ids if these are given, by policy.

    O(size of both × depth of names in names).
    """
    found: list[Rename] = []
    now = old
    while True:  # a group is recognised once the names in it are
        more = [r for sections in SPACES.values() for r in _alike(sections, now, new)]
        if not more:
            break
        found += more
        now = renamed(now, more)
    return [*found, *_rules(now, new, ids, {fold(r.new): r.old for r in found if r.section == "policies"})]


def renamed(network: Network, found: Iterable[Rename]) -> Network:
    """The network with names changed wherever they stand. O(size of the network)."""
    found = list(found)
    names = {space: _called(found, sections) for space, sections in SPACES.items()}
    address, service = names["address"], names["service"]
    rules = {
        fold(p): _called([r for r in found if r.policy == p], ("rules",)) for p in {r.policy for r in found}
    }

    def rule(r: Rule, own: Called) -> Rule:
        return replace(
            r, name=_now(r.name, own), source=_each(r.source, address), destination=_each(r.destination, address),
            service=_each(r.service, service), schedule=r.schedule and _now(r.schedule, names["schedule"]),
        )  # fmt: skip

    def policy(p: Policy) -> Policy:
        name = _now(p.name, names["policy"])
        own = rules.get(fold(name), {})
        return replace(
            p, name=name, rules=tuple(rule(r, own) for r in p.rules),
            sections=tuple(replace(s, before=s.before and _now(s.before, own)) for s in p.sections),
        )  # fmt: skip

    def held(o: N, called: Called) -> N:
        notes = tuple(replace(n, member=_now(n.member, called)) for n in o.notes)
        return replace(o, name=_now(o.name, called), members=_each(o.members, called), notes=notes)

    def host(h: Host) -> Host:
        return replace(h, name=_now(h.name, address), segment=_now(h.segment, address))

    def segment(s: Segment) -> Segment:
        return replace(s, name=_now(s.name, address), gateways=_each(s.gateways, names["device"]))

    def device(d: Device) -> Device:
        interfaces = tuple(
            replace(
                i, segment=i.segment and _now(i.segment, address), zone=i.zone and _now(i.zone, names["zone"])
            )
            for i in d.interfaces
        )
        own = {fold(i.name) for i in d.interfaces}
        zones = {old: new for old, new in names["zone"].items() if old not in own}
        attached = tuple(
            replace(
                a, policy=_now(a.policy, names["policy"]), entering=_each(a.entering, zones),
                leaving=_each(a.leaving, zones),
            )
            for a in d.policies
        )  # fmt: skip
        return replace(
            d, name=_now(d.name, names["device"]), interfaces=interfaces, policies=attached,
            management=_each(d.management, service), tunnels=_each(d.tunnels, service),
        )  # fmt: skip

    def at_hosts(a: HostAttachment) -> HostAttachment:
        return replace(a, policy=_now(a.policy, names["policy"]), hosts=_each(a.hosts, address))

    def each(things: Iterable[N], make: Any) -> tuple[N, ...]:
        return tuple(make(thing) for thing in things)

    addresses: tuple[AddressObject, ...] = tuple(held(a, address) for a in network.addresses)
    services: tuple[ServiceObject, ...] = tuple(held(s, service) for s in network.services)
    return replace(
        network,
        zones=each(network.zones, lambda z: replace(z, name=_now(z.name, names["zone"]))),
        segments=each(network.segments, segment),
        hosts=each(network.hosts, host),
        devices=each(network.devices, device),
        addresses=addresses,
        services=services,
        schedules=each(network.schedules, lambda s: replace(s, name=_now(s.name, names["schedule"]))),
        policies=each(network.policies, policy),
        at_hosts=each(network.at_hosts, at_hosts),
    )


def _alike(sections: tuple[str, ...], old: Network, new: Network) -> list[Rename]:
    """Things that are there on one side only, alike but for their names, and nothing else like them."""
    there = [{fold(t.name) for s in sections for t in getattr(n, s)} for n in (old, new)]
    found = []
    for section in sections:
        gone, come = (
            [t for t in getattr(n, section) if fold(t.name) not in other]
            for n, other in ((old, there[1]), (new, there[0]))
        )
        bare = [[replace(t, name="") for t in things] for things in (gone, come)]
        once = [Counter(things) for things in bare]
        match = {t: thing.name for t, thing in zip(bare[1], come, strict=True) if once[1][t] == 1}
        found += [
            Rename(section, thing.name, match[t])
            for t, thing in zip(bare[0], gone, strict=True)
            if once[0][t] == 1 and t in match
        ]
        found += [
            Rename(section, a.name, b.name)
            for a in getattr(old, section)
            for b in getattr(new, section)
            if a.name != b.name and fold(a.name) == fold(b.name)
        ]
    return found


def _rules(
    old: Network, new: Network, ids: tuple[Ids, Ids] | None, policy_was: Mapping[str, str]
) -> list[Rename]:
    """`old` has its policies' new names; its ids are known by the old ones."""
    before = {fold(p.name): p for p in old.policies}
    found = []
    for policy in new.policies:
        was = before.get(fold(policy.name))
        if was is None or was.rules == policy.rules:
            continue
        there = [{fold(r.name) for r in p.rules} for p in (was, policy)]
        keys: list[list[Any]]
        if ids is not None:
            keys = [
                list(ids[0].get(policy_was.get(fold(policy.name), was.name), ())),
                list(ids[1].get(policy.name, ())),
            ]
        if ids is None or any(len(k) != len(p.rules) for k, p in zip(keys, (was, policy), strict=True)):
            keys = [[replace(r, name="") for r in p.rules] for p in (was, policy)]
        once = [Counter(k) for k in keys]
        now = {k: r.name for k, r in zip(keys[1], policy.rules, strict=True) if once[1][k] == 1}
        for key, rule in zip(keys[0], was.rules, strict=True):
            name = now.get(key, rule.name)
            both = fold(name) not in there[0] and fold(rule.name) not in there[1]
            if name != rule.name and once[0][key] == 1 and (both or fold(name) == fold(rule.name)):
                found.append(Rename("rules", rule.name, name, policy.name))
    return found


def _called(found: Iterable[Rename], sections: Sequence[str]) -> Called:
    return {fold(r.old): r.new for r in found if r.section in sections}


def _now(name: str, called: Called) -> str:
    return called.get(fold(name), name) if called else name


def _each(names: tuple[str, ...], called: Called) -> tuple[str, ...]:
    return tuple(_now(n, called) for n in names) if called else names
