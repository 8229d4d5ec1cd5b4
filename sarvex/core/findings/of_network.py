"""Findings about the network as a whole: attachments, names, and what one family forgot.

`sarvex.core.findings.of_rules` speaks of one policy's rules among themselves; these need the ground as well.
"""

from __future__ import annotations

from collections.abc import Iterator

from sarvex.core.findings.dead_where_attached import dead_where_attached
from sarvex.core.findings.finding import Finding, facts
from sarvex.core.findings.of_lists import findings_of_lists
from sarvex.core.findings.of_newcomers import open_to_newcomers
from sarvex.core.findings.of_ways import findings_of_ways
from sarvex.core.forwarding import stage_lists
from sarvex.core.forwarding.possible_traffic import Whereabouts
from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning import similar_names
from sarvex.core.meaning.hints import ENDS, too_wide
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.similar_names import twin
from sarvex.core.model.records import Network, Policy, Rule, fold, named
from sarvex.core.model.uses import schedule_uses, use_counts
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES

BLOCKS = ("drop", "reject")


def network_findings(network: Network, names: Names) -> list[Finding]:
    """The findings that need the ground: overlaps, ways that nothing takes, rules out of place, names unused or double.

    In the order of the network; policies by themselves are `report`'s. Raises what `Names` raises. The possible traffic at each
    place is worked out once, which is most of the work.
    """
    of_lists = list(findings_of_lists(network, names))
    hidden = {(f.policy, f.rule) for f in of_lists if f.kind == "hidden from its rule"}
    return [
        *_overlapping(network),
        *_astray(network, names),
        *_unattached(network),
        *_unreachable(network),
        *dead_where_attached(network, names),
        *(f for f in _out_of_place(network, names) if (f.policy, f.rule) not in hidden),
        *_forgotten_family(network, names),
        *findings_of_ways(network, names),
        *of_lists,
        *open_to_newcomers(network, names),
        *_too_wide(network, names),
        *_duplicate(network, names),
        *_unused(network),
    ]


def _overlapping(network: Network) -> Iterator[Finding]:
    """Inside segments that share addresses: the longer prefix owns them, which may not be what was meant."""
    inside = [s for s in network.segments if not s.outside]
    for index, segment in enumerate(inside):
        own = addresses.union(addresses.parse(p) for p in segment.prefixes)
        for other in inside[index + 1 :]:
            shared = addresses.intersection(own, addresses.union(addresses.parse(p) for p in other.prefixes))
            if shared:
                known = facts(other=other.name, shared=tuple(addresses.describe(shared)))
                yield Finding("overlapping segments", "warning", None, None, name=segment.name, facts=known)


def _astray(network: Network, names: Names) -> Iterator[Finding]:
    """Addresses of hosts and interfaces that their segment does not own."""
    for host in network.hosts:
        for address in _outside(host.addresses, host.segment, names):
            known = facts(address=address, segment=host.segment)
            yield Finding("address astray", "warning", None, None, name=host.name, facts=known)
    for device in network.devices:
        for i in device.interfaces:
            for address in _outside(i.addresses, i.segment, names):
                known = facts(address=address, segment=i.segment, interface=i.name, device=device.name)
                yield Finding("address astray", "warning", None, None, name=i.segment, facts=known)


def _outside(texts: tuple[str, ...], segment: str | None, names: Names) -> Iterator[str]:
    if segment is None:
        return
    owned = names.owned_by_segment[fold(segment)]
    for text in texts:
        if not addresses.covers(owned, addresses.parse(text)):
            yield text


def _unattached(network: Network) -> Iterator[Finding]:
    attached = {fold(a.policy) for device in network.devices for a in device.policies}
    attached |= {fold(a.policy) for a in network.at_hosts}
    for policy in network.policies:
        if fold(policy.name) not in attached:
            yield Finding("unattached", "warning", policy.name, None)


def _unreachable(network: Network) -> Iterator[Finding]:
    """An attachment all of whose ways in and out were ended by defaults of earlier ones at its stage."""
    for device in network.devices:
        ended: dict[tuple[str, str], dict[tuple[str, str], str]] = {}
        for attachment in device.policies:
            policy = named(network.policies, attachment.policy)
            families = FAMILIES if policy.families == "both" else (int(policy.families),)
            ways = stage_lists.ways(device, attachment)
            before = [ended.get((attachment.stage, str(f)), {}) for f in families]
            if ways and all(way in done for done in before for way in ways):
                enders = dict.fromkeys(done[way] for done in before for way in ways)
                known = facts(device=device.name)
                yield Finding("unreachable policy", "warning", policy.name, None, tuple(enders), facts=known)
            elif policy.default != "continue":
                for done in (ended.setdefault((attachment.stage, str(f)), {}) for f in families):
                    done.update({way: policy.name for way in ways if way not in done})


def _out_of_place(network: Network, names: Names) -> Iterator[Finding]:
    for policy in network.policies:
        where = Whereabouts(network, names, policy)
        for rule in policy.rules:
            text = where.elsewhere(rule) if rule.enabled else None
            if text:
                known = facts(elsewhere=text)
                yield Finding("out of place", "warning", policy.name, rule.name, facts=known)


def _forgotten_family(network: Network, names: Names) -> Iterator[Finding]:
    """Blocks that hold in one family only, while the same names get through in the other."""
    for policy in network.policies:
        for rule in policy.rules:
            if not rule.enabled or rule.action not in BLOCKS or rule.negate:
                continue
            for family, other in ((4, 6), (6, 4)):
                asked = _other_family(rule, policy, names, family, other)
                if asked is None:
                    continue
                through = [p for p in trace(network, names, asked).parts if p.result == "delivered"]
                if through:
                    known = facts(family=family, other=other, sample=str(through[0].sample))
                    yield Finding("forgotten family", "warning", policy.name, rule.name, facts=known)


def _other_family(rule: Rule, policy: Policy, names: Names, family: int, other: int) -> Question | None:
    """What a block that holds in `family` does not hold in `other`, for the same names; None if nothing."""
    if policy.families not in ("both", str(family)):
        return None
    sides = []
    for members in (rule.source, rule.destination):
        if fold("any") in map(fold, members):
            return None
        own = addresses.union(names.address(m) for m in members)
        there = addresses.union(twin(names.address(m), names, family, other) for m in members)
        if not own[family] or not there[other]:
            return None
        sides.append((own, there))
    matched_there = policy.families == "both" and all(own[other] for own, _ in sides)
    if matched_there:
        return None
    service = services.union(names.service(m) for m in rule.service)
    return Question(sides[0][1], sides[1][1], service) if len(service[other]) else None


def _too_wide(network: Network, names: Names) -> Iterator[Finding]:
    """Allowing fields that name far more than exists. `any` and outside segments say openly what they are."""
    for policy in network.policies:
        for rule in policy.rules:
            if not rule.enabled or rule.action != "allow":
                continue
            for field, _ in ENDS:
                families = too_wide(rule, field, names)
                if families:
                    told_of = facts(side=field, families=tuple(families))
                    yield Finding("too wide", "note", policy.name, rule.name, facts=told_of)


def _duplicate(network: Network, names: Names) -> Iterator[Finding]:
    same = similar_names.same(names)
    told: set[str] = set()
    for name in (*(a.name for a in network.addresses), *(s.name for s in network.services)):
        twins = same.get(fold(name), [])
        if twins and fold(name) not in told:
            told |= {fold(t) for t in twins}
            yield Finding("duplicate", "note", None, None, name=name, facts=facts(twins=tuple(twins)))


def _unused(network: Network) -> Iterator[Finding]:
    used = {"address": use_counts(network, "address"), "service": use_counts(network, "service")}
    scheduled = schedule_uses(network)
    unused = [a.name for a in network.addresses if fold(a.name) not in used["address"]]
    unused += [s.name for s in network.services if fold(s.name) not in used["service"]]
    unused += [s.name for s in network.schedules if fold(s.name) not in scheduled]
    for name in unused:
        yield Finding("unused", "note", None, None, name=name)
