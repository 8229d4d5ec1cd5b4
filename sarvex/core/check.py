"""What is wrong with a network as it is written: each problem with its place and how to mend it.

A network without problems can be analysed: every name resolves, every literal parses, no group contains
itself. Analyses may rely on that.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from sarvex.core import addresses, services
from sarvex.core.model import FIELDS, Device, Network, Policy, Rule, Segment, fold
from sarvex.core.names import NameCycle, Names, UnknownName

RESERVED = "default"
VLAN_TOP = 4094


@dataclass(frozen=True)
class Problem:
    """One error. `path` leads to it by field names and by the names of list entries."""

    path: tuple[str | int, ...]
    message: str

    @property
    def place(self) -> str:
        """The path in one line, such as ``policies[ramp-side].rules[bridge].source[0]``."""
        out = ""
        for step in self.path:
            if isinstance(step, int):
                out += f"[{step}]"
            else:
                out += f"[{step[1:]}]" if step.startswith("=") else f".{step}"
        return out.lstrip(".") or "document"

    def __str__(self) -> str:
        return f"{self.place}: {self.message}"


def entry(name: str) -> str:
    """A path step that names a list entry."""
    return f"={name}"


def problems(network: Network) -> list[Problem]:
    """All problems of a network, in document order. O(size of the document)."""
    return [*_clashes(network), *_ground(network), *_names(network), *_policies(network)]


def naming_problems(network: Network, renamed: tuple[str | None, str] | None = None) -> list[Problem]:
    """The problems of everything but rules: clashes, the ground, names that do not resolve.

    `renamed` (old, new): members that still say the old name are read as the new one.
    """
    return [
        *_clashes(network),
        *_ground(network),
        *_names(_renamed(network, renamed) if renamed else network),
    ]


def _renamed(network: Network, names: tuple[str | None, str]) -> Network:
    old, new = names
    if old is None or fold(old) == fold(new):
        return network

    def follow(members: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(new if fold(m) == fold(old) else m for m in members)

    return replace(
        network,
        addresses=tuple(replace(a, members=follow(a.members)) for a in network.addresses),
        services=tuple(replace(s, members=follow(s.members)) for s in network.services),
    )


def rule_problems(rule: Rule, policy: Policy, names: Names) -> list[Problem]:
    """The problems of one rule in its policy, with paths that start at the rule."""
    twice = sum(fold(other.name) == fold(rule.name) for other in policy.rules) > 1
    return _rule_problems(rule, policy.name, twice, names)


def _rule_problems(rule: Rule, policy: str, twice: bool, names: Names) -> list[Problem]:
    found = [] if rule.name.strip() else [Problem(("name",), "a rule needs a name")]
    if fold(rule.name) == RESERVED:
        found.append(
            Problem(("name",), f"{RESERVED!r} is the name of the last row of every policy; choose another")
        )
    if twice:
        found.append(Problem(("name",), f"another rule of {policy} is called {rule.name!r}"))
    if rule.reject_with and rule.action != "reject":
        found.append(Problem(("reject_with",), "only a rule that rejects has an answer"))
    for field in FIELDS:
        members = rule.members(field)
        if not members:
            found.append(Problem((field,), "name at least one member; everything is written any"))
        resolve = names.service if field == "service" else names.address
        found += _unresolved(members, resolve, (field,))
    return found


def _unresolved(members: Iterable[str], resolve, path: tuple[str | int, ...]) -> Iterator[Problem]:  # type: ignore[no-untyped-def]
    for index, member in enumerate(members):
        try:
            resolve(member)
        except (UnknownName, NameCycle) as error:
            yield Problem((*path, index), str(error))


def _clashes(network: Network) -> Iterator[Problem]:
    spaces: tuple[tuple[tuple[str, tuple[object, ...]], ...], ...] = (
        (("zones", network.zones),),
        (("segments", network.segments), ("hosts", network.hosts), ("addresses", network.addresses)),
        (("devices", network.devices),),
        (("services", network.services),),
        (("policies", network.policies),),
    )
    for space in spaces:
        seen: dict[str, str] = {}
        for section, things in space:
            for thing in things:
                name: str = thing.name  # type: ignore[attr-defined]
                path = (section, entry(name), "name")
                if not name.strip():
                    yield Problem(path, "a name is missing")
                elif fold(name) in seen:
                    yield Problem(path, f"the name {name!r} is taken already, in {seen[fold(name)]}")
                elif section in ("segments", "hosts", "addresses") and addresses.is_literal(name):
                    yield Problem(path, f"{name!r} is an address; a name must not look like one")
                elif section == "services" and services.is_literal(name):
                    yield Problem(path, f"{name!r} is a service in words already; choose another name")
                seen.setdefault(fold(name), section)


def _ground(network: Network) -> Iterator[Problem]:
    zones = {fold(z.name) for z in network.zones}
    segments = {fold(s.name) for s in network.segments}
    bare = [s for s in network.segments if not s.prefixes]
    for segment in network.segments:
        yield from _segment(segment, bare)
    for host in network.hosts:
        path = ("hosts", entry(host.name))
        if fold(host.segment) not in segments:
            yield Problem((*path, "segment"), f"no segment is called {host.segment!r}")
        if not host.addresses:
            yield Problem((*path, "addresses"), "a host needs an address")
        yield from _literals(host.addresses, (*path, "addresses"), single=True)
    for device in network.devices:
        yield from _device(network, device, zones, segments)


def _segment(segment: Segment, bare: list[Segment]) -> Iterator[Problem]:
    path = ("segments", entry(segment.name))
    yield from _literals(segment.prefixes, (*path, "prefixes"))
    if not segment.prefixes and not segment.outside:
        yield Problem((*path, "prefixes"), "only an outside segment may list no prefix")
    if not segment.prefixes and len(bare) > 1 and segment is not bare[0]:
        yield Problem((*path, "prefixes"), f"{bare[0].name} owns everything else already; list prefixes here")
    if segment.vlan is not None and not 1 <= segment.vlan <= VLAN_TOP:
        yield Problem((*path, "vlan"), f"a VLAN id is a number from 1 to {VLAN_TOP}")


def _device(network: Network, device: Device, zones: set[str], segments: set[str]) -> Iterator[Problem]:
    path = ("devices", entry(device.name))
    seen: set[str] = set()
    for interface in device.interfaces:
        here = (*path, "interfaces", entry(interface.name))
        if fold(interface.name) in seen:
            yield Problem((*here, "name"), "another interface of this device has this name")
        seen.add(fold(interface.name))
        if fold(interface.name) in zones:
            yield Problem((*here, "name"), "a zone has this name; scopes could not tell them apart")
        if fold(interface.segment) not in segments:
            yield Problem((*here, "segment"), f"no segment is called {interface.segment!r}")
        if interface.zone is not None and fold(interface.zone) not in zones:
            yield Problem((*here, "zone"), f"no zone is called {interface.zone!r}")
        yield from _literals(interface.addresses, (*here, "addresses"), single=True)
    policies = {fold(p.name) for p in network.policies}
    for index, attachment in enumerate(device.policies):
        at: tuple[str | int, ...] = (*path, "policies", index)
        if fold(attachment.policy) not in policies:
            yield Problem((*at, "policy"), f"no policy is called {attachment.policy!r}")
        for side, scope in (("entering", attachment.entering), ("leaving", attachment.leaving)):
            if not scope:
                yield Problem((*at, side), "name at least one zone or interface; all of them is written any")
            for place, name in enumerate(scope):
                if fold(name) not in {*zones, *seen, "any"}:
                    yield Problem(
                        (*at, side, place),
                        f"no zone, and no interface of {device.name}, is called {name!r}",
                    )
        if attachment.stage in ("inbound", "to the device") and attachment.leaving != ("any",):
            yield Problem((*at, "leaving"), f"what leaves where is not yet known at stage {attachment.stage}")


def _literals(texts: tuple[str, ...], path: tuple[str | int, ...], single: bool = False) -> Iterator[Problem]:
    for index, text in enumerate(texts):
        try:
            spread = addresses.parse(text)
        except addresses.InvalidAddress as error:
            yield Problem((*path, index), str(error))
        else:
            if single and any(low != high for f in addresses.FAMILIES for low, high in spread[f]):
                yield Problem((*path, index), f"{text} is more than one address")


def _names(network: Network) -> Iterator[Problem]:
    names = _SafeNames(network)
    for a in network.addresses:
        yield from _unresolved(a.members, names.address, ("addresses", entry(a.name), "members"))
    for s in network.services:
        yield from _unresolved(s.members, names.service, ("services", entry(s.name), "members"))


def _policies(network: Network) -> Iterator[Problem]:
    names = _SafeNames(network)
    for policy in network.policies:
        counts = Counter(fold(rule.name) for rule in policy.rules)
        for rule in policy.rules:
            path = ("policies", entry(policy.name), "rules", entry(rule.name))
            for problem in _rule_problems(rule, policy.name, counts[fold(rule.name)] > 1, names):
                yield Problem((*path, *problem.path), problem.message)


class _SafeNames(Names):
    """Names that only ever complain about the name asked for, not about what is broken inside it."""

    def address(self, member: str):  # type: ignore[no-untyped-def]
        try:
            return super().address(member)
        except addresses.InvalidAddress:  # the host's or segment's own entry is told already
            return addresses.NOTHING
