"""What is wrong with the ground as it is written: zones, segments, hosts, devices and what hangs on them."""

from __future__ import annotations

from collections.abc import Iterator

from sarvex.core.model.problems import Problem, entry, name_problem
from sarvex.core.model.records import Attachment, Device, Host, Interface, Network, Route, Segment, fold
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES

VLAN_TOP = 4094
Path = tuple[str | int, ...]


def ground_problems(network: Network) -> Iterator[Problem]:
    """What has no meaning among zones, segments, hosts, devices, interfaces, routes and attachments, in the order of the network.

    A problem is an address that cannot be read or has no place, a name of something that is not there, two interfaces of one
    name or VLAN, a route or an attachment that says too little. Raises nothing. O(size of the ground).
    """
    ground = _Ground(network)
    for segment in network.segments:
        yield from ground.segment(segment, ("segments", entry(segment.name)))
    for host in network.hosts:
        yield from ground.host(host, ("hosts", entry(host.name)))
    for device in network.devices:
        yield from ground.device(device, ("devices", entry(device.name)))
    for index, at in enumerate(network.at_hosts):
        yield from ground.known("policy", at.policy, ("at_hosts", index, "policy"))
        if not at.hosts:
            yield Problem(("at_hosts", index, "hosts"), "name at least one host or address object")


def trait_problems(traits: tuple[str, ...], path: Path) -> Iterator[Problem]:
    """Traits are a kind and a value."""
    for index, trait in enumerate(traits):
        if len(trait.split()) < 2:
            yield Problem((*path, index), f"{trait!r}: a trait is a kind and a value, such as pier east")


class _Ground:
    """The names of one network's ground, for looking references up."""

    def __init__(self, network: Network) -> None:
        self.names = {
            "zone": {fold(z.name) for z in network.zones},
            "segment": {fold(s.name) for s in network.segments},
            "device": {fold(d.name) for d in network.devices},
            "policy": {fold(p.name) for p in network.policies},
        }
        self.bare = next((s for s in network.segments if not s.prefixes), None)

    def known(self, kind: str, name: str, path: Path) -> Iterator[Problem]:
        """One problem if no thing of this kind has this name."""
        if fold(name) not in self.names[kind]:
            yield Problem(path, f"no {kind} is called {name!r}")

    def segment(self, segment: Segment, path: Path) -> Iterator[Problem]:
        yield from _literals(segment.prefixes, (*path, "prefixes"))
        if not segment.prefixes and not segment.outside:
            yield Problem((*path, "prefixes"), "only an outside segment may list no prefix")
        if not segment.prefixes and self.bare is not None and segment is not self.bare:
            taken = f"{self.bare.name} owns everything else already; list prefixes here"
            yield Problem((*path, "prefixes"), taken)
        yield from _vlan(segment.vlan, (*path, "vlan"))
        for index, gateway in enumerate(segment.gateways):
            yield from self.known("device", gateway, (*path, "gateways", index))

    def host(self, host: Host, path: Path) -> Iterator[Problem]:
        yield from self.known("segment", host.segment, (*path, "segment"))
        if not host.addresses:
            yield Problem((*path, "addresses"), "a host needs an address")
        yield from _literals(host.addresses, (*path, "addresses"), single=True)
        yield from trait_problems(host.traits, (*path, "traits"))

    def device(self, device: Device, path: Path) -> Iterator[Problem]:
        interfaces: dict[str, Interface] = {}
        tagged: dict[tuple[str, int], str] = {}
        for interface in device.interfaces:
            here = (*path, "interfaces", entry(interface.name))
            if fold(interface.name) in interfaces:
                yield Problem((*here, "name"), "another interface of this device has this name")
            interfaces[fold(interface.name)] = interface
            yield from self._interface(interface, here)
            tag = (fold(interface.parent or ""), interface.vlan or 0)
            if interface.kind == "vlan" and interface.vlan is not None:
                if tag in tagged:
                    message = f"{tagged[tag]} has VLAN {interface.vlan} on {interface.parent} already"
                    yield Problem((*here, "vlan"), message)
                tagged.setdefault(tag, interface.name)
        for interface in device.interfaces:
            if interface.kind == "vlan":
                parent = interfaces.get(fold(interface.parent or ""))
                yield from _parent(interface, parent, (*path, "interfaces", entry(interface.name)))
        for index, route in enumerate(device.routes):
            yield from _route(route, device, set(interfaces), (*path, "routes", index))
        for index, attachment in enumerate(device.policies):
            yield from self._attachment(attachment, device, set(interfaces), (*path, "policies", index))

    def _interface(self, interface: Interface, path: Path) -> Iterator[Problem]:
        if wrong := name_problem(interface.name):
            yield Problem((*path, "name"), wrong)
        if fold(interface.name) in self.names["zone"]:
            yield Problem((*path, "name"), "a zone has this name; scopes could not tell them apart")
        if interface.segment is not None:
            yield from self.known("segment", interface.segment, (*path, "segment"))
        if interface.zone is not None:
            yield from self.known("zone", interface.zone, (*path, "zone"))
        if interface.kind != "vlan":
            for field, value in (("parent", interface.parent), ("vlan", interface.vlan)):
                if value is not None:
                    message = f"only a VLAN sub-interface has a {field}; its kind is {interface.kind}"
                    yield Problem((*path, field), message)
        elif interface.vlan is None:
            yield Problem((*path, "vlan"), f"a VLAN sub-interface needs its VLAN id, 1 to {VLAN_TOP}")
        else:
            yield from _vlan(interface.vlan, (*path, "vlan"))
        yield from _literals(interface.addresses, (*path, "addresses"), single=True)

    def _attachment(
        self, attachment: Attachment, device: Device, interfaces: set[str], path: Path
    ) -> Iterator[Problem]:
        yield from self.known("policy", attachment.policy, (*path, "policy"))
        for side, scope in (("entering", attachment.entering), ("leaving", attachment.leaving)):
            if not scope:
                yield Problem(
                    (*path, side), "name at least one zone or interface; all of them is written any"
                )
            for place, name in enumerate(scope):
                if fold(name) not in {*self.names["zone"], *interfaces, "any"}:
                    message = f"no zone, and no interface of {device.name}, is called {name!r}"
                    yield Problem((*path, side, place), message)
        if attachment.stage in ("inbound", "to the device") and attachment.leaving != ("any",):
            message = f"what leaves where is not yet known at stage {attachment.stage}"
            yield Problem((*path, "leaving"), message)
        if attachment.stage == "from the device" and attachment.entering != ("any",):
            yield Problem((*path, "entering"), "what the device sends itself entered by no interface")


def _parent(interface: Interface, parent: Interface | None, path: Path) -> Iterator[Problem]:
    if parent is None:
        message = (
            "a VLAN sub-interface names the interface that carries it"
            if interface.parent is None
            else f"no interface of this device is called {interface.parent!r}"
        )
        yield Problem((*path, "parent"), message)
    elif parent.kind != "physical":
        yield Problem((*path, "parent"), f"{parent.name} is a {parent.kind} interface; it carries no VLANs")


def _route(route: Route, device: Device, interfaces: set[str], path: Path) -> Iterator[Problem]:
    """A route must say where: an address of the next device that is on a connected segment, or an interface."""
    found = list(_literals((route.prefix,), (*path, "prefix"), place=False))
    if "/" not in route.prefix and not found:
        found.append(
            Problem((*path, "prefix"), f"{route.prefix} is no prefix; one address is written /32 or /128")
        )
    yield from found
    if route.via is not None:
        wrong = list(_literals((route.via,), (*path, "via"), single=True, place=False))
        yield from wrong
        if not found and not wrong and not _one_family(route.prefix, route.via):
            yield Problem((*path, "via"), f"{route.via} is of another family than {route.prefix}")
        if not wrong and route.interface is None and addresses.covers(LINK_LOCAL, addresses.parse(route.via)):
            yield Problem((*path, "via"), f"{route.via} is link-local: name the interface that it is behind")
    if route.interface is not None and fold(route.interface) not in interfaces:
        yield Problem((*path, "interface"), f"no interface of {device.name} is called {route.interface!r}")
    if route.discard and (route.via is not None or route.interface is not None):
        yield Problem(
            path, "a route that discards leads nowhere; leave out the next device and the interface"
        )
    if route.via is None and route.interface is None and not route.discard:
        yield Problem(path, "a route names the next device's address, the interface it leaves by, or both")
    if route.metric < 0:
        yield Problem((*path, "metric"), "a metric is 0 or more")


LINK_LOCAL = addresses.union((addresses.parse("169.254.0.0/16"), addresses.parse("fe80::/10")))
"""RFC 3927, RFC 4291."""


def _one_family(a: str, b: str) -> bool:
    first, second = addresses.parse(a), addresses.parse(b)
    return any(first[f] and second[f] for f in FAMILIES)


def _vlan(vlan: int | None, path: Path) -> Iterator[Problem]:
    if vlan is not None and not 1 <= vlan <= VLAN_TOP:
        yield Problem(path, f"a VLAN id is a number from 1 to {VLAN_TOP}")


def _literals(
    texts: tuple[str, ...], path: Path, single: bool = False, place: bool = True
) -> Iterator[Problem]:
    for index, text in enumerate(texts):
        at = (*path, index) if place else path
        try:
            spread = addresses.parse(text)
        except addresses.InvalidAddress as error:
            yield Problem(at, str(error))
        else:
            if single and any(low != high for f in FAMILIES for low, high in spread[f]):
                yield Problem(at, f"{text} is more than one address")
