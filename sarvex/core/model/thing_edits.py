"""Edits of everything that bears a name but rules, as values with one `apply` on a network.

A thing is told by its section and name, an interface by its device as well. A new name follows wherever it stands.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Literal

from sarvex.core.model.records import (
    LISTS,
    AddressObject,
    Device,
    Network,
    Policy,
    ServiceObject,
    Steering,
    fold,
    named,
    scope_of,
    side_of,
)
from sarvex.core.model.references import PARTS
from sarvex.core.model.renames import Rename, renamed

Section = Literal[
    "zones", "segments", "hosts", "devices", "interfaces", "addresses", "services", "schedules", "policies",
    "expectations", "translate_destination", "translate_source", "steering",
]  # fmt: skip
ListSection = Literal["translate_destination", "translate_source", "steering"]
OF_DEVICE = ("interfaces", *LISTS)
"""Sections that each device has one of."""
INSIDE: dict[type[Any], tuple[str, ...]] = {Device: OF_DEVICE, Policy: PARTS[Policy]}
"""What is edited one by one, apart from the thing that it is in."""


@dataclass(frozen=True)
class WriteThing:
    """A thing that says something else. What is edited apart from it (interfaces, rules) stays."""

    section: Section
    name: str
    thing: Any
    device: str = ""

    def apply(self, network: Network) -> Network:
        """The network with it. Raises `KeyError`. O(size of the network) with a new name, else O(things)."""
        before = _of(network, self)
        inside = {f: getattr(before, f) for f in INSIDE.get(type(before), ())}
        made = replace(self.thing, **inside)
        if self.thing.name == before.name or self.section in LISTS:  # nothing refers to an entry
            return _with(network, self, before, made)
        # References to it follow; what it refers to itself is meant by today's names.
        if self.section == "interfaces":
            return _renamed_interface(network, self.device, before.name, made)
        follow = renamed(network, [Rename(self.section, before.name, made.name)])
        there = named(getattr(follow, self.section), made.name)
        inside = {f: getattr(there, f) for f in INSIDE.get(type(before), ())}
        return _with(follow, self, there, replace(made, **inside))


@dataclass(frozen=True)
class AddThing:
    """A thing that is new, the last of its section."""

    section: Section
    thing: Any
    device: str = ""

    def apply(self, network: Network) -> Network:
        """The network with it. Raises `KeyError` if there is no such device."""
        if self.section in OF_DEVICE:
            device = named(network.devices, self.device)
            return _listed(network, device, self.section, (*getattr(device, self.section), self.thing))
        return _section(network, self.section, (*getattr(network, self.section), self.thing))


@dataclass(frozen=True)
class DeleteThing:
    """A thing that goes, with what is inside it."""

    section: Section
    name: str
    device: str = ""

    def apply(self, network: Network) -> Network:
        """The network without it, whatever refers to it. Raises `KeyError`."""
        before = _of(network, self)
        if self.section in OF_DEVICE:
            device = named(network.devices, self.device)
            left = tuple(i for i in getattr(device, self.section) if i is not before)
            return _listed(network, device, self.section, left)
        left = tuple(t for t in getattr(network, self.section) if t is not before)
        return _section(network, self.section, left)


@dataclass(frozen=True)
class ReplaceName:
    """An address or service object that another stands for from now on, wherever it stands."""

    section: Literal["addresses", "services"]
    name: str
    by: str

    def apply(self, network: Network) -> Network:
        """The network without it. Raises `KeyError`. O(size of the network)."""
        without = DeleteThing(self.section, self.name).apply(network)
        space = network.services if self.section == "services" else network.address_things()
        heir: str = named(space, self.by).name
        return _once(renamed(without, [Rename(self.section, self.name, heir)]), heir)


def _of(network: Network, edit: WriteThing | DeleteThing) -> Any:
    if edit.section in OF_DEVICE:
        return named(getattr(named(network.devices, edit.device), edit.section), edit.name)
    return named(getattr(network, edit.section), edit.name)


def _with(network: Network, edit: WriteThing, before: Any, made: Any) -> Network:
    if edit.section not in OF_DEVICE:
        return _with_one(network, edit.section, before, made)
    device = named(network.devices, edit.device)
    things = tuple(made if i is before else i for i in getattr(device, edit.section))
    return _listed(network, device, edit.section, things)


def _listed(network: Network, device: Device, section: str, things: tuple[Any, ...]) -> Network:
    """With another list of one kind at a device."""
    changed: dict[str, Any] = {section: things}
    return _with_one(network, "devices", device, replace(device, **changed))


def _with_one(network: Network, section: str, before: Any, made: Any) -> Network:
    return _section(network, section, tuple(made if t is before else t for t in getattr(network, section)))


def _section(network: Network, section: str, things: tuple[Any, ...]) -> Network:
    changed: dict[str, Any] = {section: things}
    return replace(network, **changed)


def _renamed_interface(network: Network, device_name: str, old: str, made: Any) -> Network:
    """An interface's name stands in its own device only: where routes leave, which others it carries, what is scoped to it."""
    device = named(network.devices, device_name)
    called = {fold(old): made.name}

    def now(name: Any) -> Any:
        return called.get(fold(name), name) if name else name

    interfaces = tuple(
        made if fold(i.name) == fold(old) else replace(i, parent=now(i.parent)) for i in device.interfaces
    )
    routes = tuple(replace(r, interface=now(r.interface)) for r in device.routes)
    attached = tuple(
        replace(a, entering=tuple(map(now, a.entering)), leaving=tuple(map(now, a.leaving)))
        for a in device.policies
    )
    made_of = replace(device, interfaces=interfaces, routes=routes, policies=attached)
    return _with_one(network, "devices", device, _with_entries(made_of, lambda e: _scoped(e, now)))


def _scoped(entry: Any, now: Callable[[Any], Any]) -> Any:
    """An entry with other names of interfaces."""
    changed: dict[str, Any] = {side_of(entry): tuple(map(now, scope_of(entry)))}
    if isinstance(entry, Steering):
        changed["leave"] = now(entry.leave)
    return replace(entry, **changed)


@dataclass(frozen=True)
class MoveEntry:
    """An entry of a device's list, put before another, or at the end."""

    section: ListSection
    name: str
    before: str | None
    device: str

    def apply(self, network: Network) -> Network:
        """The network with it there. Raises `KeyError`. O(entries)."""
        device = named(network.devices, self.device)
        entries: tuple[Any, ...] = getattr(device, self.section)
        moving = named(entries, self.name)
        rest = tuple(e for e in entries if e is not moving)
        at = len(rest) if self.before is None else rest.index(named(rest, self.before))
        return _listed(network, device, self.section, (*rest[:at], moving, *rest[at:]))


def _with_entries(device: Device, change: Callable[[Any], Any]) -> Device:
    """With every entry of its lists changed."""
    made: dict[str, Any] = {field: tuple(map(change, getattr(device, field))) for field in LISTS}
    return replace(device, **made)


def _once(network: Network, name: str) -> Network:
    """With a name once in every list where it stands more than once, in its first place."""

    def once(members: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(dict.fromkeys(members)) if members.count(name) > 1 else members

    policies = tuple(
        replace(
            p,
            rules=tuple(
                replace(r, source=once(r.source), destination=once(r.destination), service=once(r.service))
                for r in p.rules
            ),
        )
        for p in network.policies
    )
    addresses: tuple[AddressObject, ...] = tuple(
        replace(a, members=once(a.members)) for a in network.addresses
    )
    services: tuple[ServiceObject, ...] = tuple(replace(s, members=once(s.members)) for s in network.services)

    def entry_once(entry: Any) -> Any:
        fields = ("source", "destination", "service", *(("to",) if hasattr(entry, "to") else ()))
        return replace(entry, **{field: once(getattr(entry, field)) for field in fields})

    devices = tuple(
        replace(_with_entries(d, entry_once), management=once(d.management), tunnels=once(d.tunnels))
        for d in network.devices
    )
    at_hosts = tuple(replace(a, hosts=once(a.hosts)) for a in network.at_hosts)
    expectations = tuple(
        replace(e, source=once(e.source), destination=once(e.destination), service=once(e.service))
        for e in network.expectations
    )
    return replace(
        network, policies=policies, addresses=addresses, services=services, devices=devices, at_hosts=at_hosts,
        expectations=expectations,
    )  # fmt: skip
