"""Where a name is used: in rules' fields and in other names, directly."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from operator import attrgetter
from typing import Literal

from sarvex.core.model.records import FIELDS, Field, Network, Steering, fold

Space = Literal["address", "service"]


@dataclass(frozen=True)
class Use:
    """One place that names something. `policy` is None where the owner is a name (`members`), a device
    (`management`, `tunnels`), an entry of one of its lists (told after it), the list of policies at hosts (`hosts`), or an expectation."""

    policy: str | None
    owner: str
    field: str

    def __str__(self) -> str:
        return f"{self.owner}, {self.field} (in {self.policy})" if self.policy else self.owner


def all_uses(network: Network, space: Space) -> dict[str, list[Use]]:
    """The direct uses of every name of a space, by folded name (`records.fold`).

    space: `address` or `service`; segments, hosts and devices are names of addresses too.

    A literal is no name and has no uses. O(size of the network).
    """
    found: dict[str, list[Use]] = {}
    for use, member in _members(network, space):
        found.setdefault(fold(member), []).append(use)
    return found


def use_counts(network: Network, space: Space) -> Counter[str]:
    """How many direct uses every name of a space has, by folded name."""
    found: Counter[str] = Counter(fold(member) for *_, member in _apart_from_rules(network, space))
    for policy in network.policies:
        for field in _fields(space):
            # Rules share few lists of members.
            for members, times in Counter(map(attrgetter(field), policy.rules)).items():
                for member in members:
                    found[fold(member)] += times
    return found


def schedule_uses(network: Network) -> dict[str, list[Use]]:
    """The rules and the steering of every schedule that is used, by its folded name."""
    found: dict[str, list[Use]] = {}
    for policy in network.policies:
        for rule in policy.rules:
            if rule.schedule is not None:
                found.setdefault(fold(rule.schedule), []).append(Use(policy.name, rule.name, "schedule"))
    for device in network.devices:
        for entry in device.steering:
            if entry.schedule is not None:
                use = Use(None, f"{device.name} {entry.name}", "schedule")
                found.setdefault(fold(entry.schedule), []).append(use)
    for expectation in network.expectations:
        if expectation.at is not None:
            use = Use(None, f"what must hold: {expectation.name}", "at")
            found.setdefault(fold(expectation.at), []).append(use)
    return found


def uses(network: Network, space: Space, name: str) -> list[Use]:
    """The direct uses of one name, in document order. O(size of the network); for many names ask `all_uses` once."""
    wanted = fold(name)
    return [use for use, member in _members(network, space) if fold(member) == wanted]


def through(network: Network, space: Space, name: str) -> list[tuple[Use, tuple[str, ...]]]:
    """The uses of a name through groups that contain it, with the groups from the name's own on; each use once,
    by a shortest way. O(size of the network)."""
    direct = all_uses(network, space)
    found: dict[Use, tuple[str, ...]] = {}
    ways: dict[str, tuple[str, ...]] = {fold(name): ()}
    level = [fold(name)]
    while level:
        groups = []
        for key in level:
            for use in direct.get(key, []):
                if use.field == "members" and fold(use.owner) not in ways:
                    ways[fold(use.owner)] = (*ways[key], use.owner)
                    groups.append(fold(use.owner))
                elif use.field != "members" and ways[key]:
                    found.setdefault(use, ways[key])
        level = groups
    own = set(direct.get(fold(name), []))
    return [(use, way) for use, way in found.items() if use not in own]


def _members(network: Network, space: Space) -> Iterator[tuple[Use, str]]:
    for policy in network.policies:
        for rule in policy.rules:
            for field in _fields(space):
                for member in rule.members(field):
                    yield Use(policy.name, rule.name, field), member
    for owner, listed, member in _apart_from_rules(network, space):
        yield Use(None, owner, listed), member


def _fields(space: Space) -> list[Field]:
    return [f for f in FIELDS if (f == "service") == (space == "service")]


def _apart_from_rules(network: Network, space: Space) -> Iterator[tuple[str, str, str]]:
    """Owner, field and member of what is named elsewhere."""
    for thing in network.services if space == "service" else network.addresses:
        for member in thing.members:
            yield thing.name, "members", member
    for device in network.devices:
        for entry in device.entries:
            for field in _fields(space):
                for member in getattr(entry, field):
                    yield f"{device.name} {entry.name}", field, member
            if space == "address" and not isinstance(entry, Steering):
                for member in entry.to:
                    yield f"{device.name} {entry.name}", "to", member
    for expectation in network.expectations:
        for field in _fields(space):
            for member in getattr(expectation, field):
                yield f"what must hold: {expectation.name}", field, member
    if space == "service":
        for device in network.devices:
            for listed, members in (("management", device.management), ("tunnels", device.tunnels)):
                for member in members:
                    yield device.name, listed, member
    else:
        for at in network.at_hosts:
            for member in at.hosts:
                yield "at hosts", "hosts", member
