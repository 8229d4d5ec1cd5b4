"""A device's interfaces, addresses and static routes from YANG-modelled JSON (RFC 7951).

Read are `ietf-interfaces` (RFC 8343), the addresses of `ietf-ip` (RFC 8344), and the static routes or the RIBs
of `ietf-routing` (RFC 8349). State that says nothing about who may reach whom is passed over by name; any
other key is refused with its path. What the model needs and the document cannot tell comes back as notes.
"""

from __future__ import annotations

import ipaddress
import json
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any

from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Device, Interface, InterfaceKind, Network, Route, Segment, fold
from sarvex.formats.document import InvalidDocument, few_values

INTERFACES, ROUTING = "ietf-interfaces:interfaces", "ietf-routing:routing"
KIND: dict[str, InterfaceKind] = {
    "softwareLoopback": "loopback", "tunnel": "tunnel", "ethernetCsmacd": "physical", "ieee8023adLag": "physical",
    "bridge": "physical", "l2vlan": "physical", "l3ipvlan": "physical", "other": "physical",
}  # fmt: skip
STATE = {
    "oper-status", "admin-status", "last-change", "if-index", "phys-address", "speed", "statistics",
    "link-up-down-trap-enable", "higher-layer-if", "lower-layer-if", "mtu", "neighbor", "forwarding", "origin",
    "autoconf", "dup-addr-detect-transmits", "status", "ietf-ip:mtu", "ietf-origin:origin", "active",
    "last-updated", "default-rib", "source-protocol", "route-preference", "description", "name", "type",
}  # fmt: skip


@dataclass
class Brought:
    """The network with the device in it, and what the document could not tell."""

    network: Network
    notes: list[str] = field(default_factory=list)


def bring(text: str, network: Network, device: str) -> Brought:
    """The network with a device as the document describes it; a device of that name is taken over, its zones
    and policies stay. Raises `InvalidDocument`."""
    few_values(text)
    try:
        data = json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        raise InvalidDocument([Problem((), f"no JSON: {error}")]) from None
    if not isinstance(data, dict) or INTERFACES not in data:
        raise InvalidDocument([Problem((), f"a JSON object with {INTERFACES!r} (RFC 8343) is expected")])
    if not device.strip():
        raise InvalidDocument([Problem(("device",), "say which device this is; the document does not")])
    reader = _Reader(network, device.strip())
    reader.keys(data, {INTERFACES, ROUTING}, "")
    reader.interfaces(data[INTERFACES])
    reader.routing(data.get(ROUTING, {}))
    if reader.problems:
        raise InvalidDocument(reader.problems)
    return reader.brought()


class _Reader:
    def __init__(self, network: Network, name: str) -> None:
        self.network = network
        self.old = next((d for d in network.devices if fold(d.name) == fold(name)), Device(name=name))
        self.problems: list[Problem] = []
        self.notes: list[str] = []
        self.segments: list[Segment] = []
        self.made: list[Interface] = []
        self.routes: list[Route] = []

    def keys(self, data: Any, known: set[str], path: str) -> None:
        """Refuse what is neither read nor known to be beside the point."""
        for key in data if isinstance(data, dict) else ():
            if key not in known | STATE:
                self.refuse(
                    f"{path}/{key}".lstrip("/"), "is not read; take it out if it does not matter here"
                )

    def refuse(self, path: str, message: str) -> None:
        self.problems.append(Problem((path,), message))

    def interfaces(self, container: Any) -> None:
        path = INTERFACES
        self.keys(container, {"interface"}, path)
        for index, data in enumerate(_list(container, "interface")):
            name = data.get("name") if isinstance(data, dict) else None
            here = f"{path}/interface[{name or index}]"
            if not isinstance(name, str) or not name:
                self.refuse(here, "an interface needs its name")
                continue
            self.keys(data, {"enabled", "ietf-ip:ipv4", "ietf-ip:ipv6"}, here)
            if data.get("enabled", True) is not True:
                self.notes.append(f"{name} is disabled there and left out")
                continue
            self._interface(name, data, here)

    def _interface(self, name: str, data: dict[str, Any], here: str) -> None:
        type_ = str(data.get("type", "")).rpartition(":")[2]
        if type_ not in KIND:
            self.refuse(f"{here}/type", f"{type_ or 'no type'} is not read; there are {', '.join(KIND)}")
            return
        before = next((i for i in self.old.interfaces if fold(i.name) == fold(name)), Interface(name=name))
        found = list(self._addresses(data, here))
        homes = dict.fromkeys(
            self._segment(a) for a in found if KIND[type_] != "loopback" and not a.ip.is_link_local
        )
        if len(homes) > 1:
            self.notes.append(f"{name} has addresses of {' and '.join(homes)}; it is put on the first")
        if type_ in ("l2vlan", "l3ipvlan") and before.kind != "vlan":
            self.notes.append(f"{name} is a VLAN's, but its VLAN id is not in the document")
        if before.zone is None and KIND[type_] != "loopback":
            self.notes.append(f"{name} is in no zone yet")
        self.made.append(
            replace(
                before,
                kind=before.kind if before.kind == "vlan" else KIND[type_],
                segment=next(iter(homes), before.segment),
                addresses=tuple(str(a.ip) for a in found),
                description=str(data.get("description", before.description)),
            )
        )

    def _addresses(self, data: dict[str, Any], here: str) -> Iterator[Any]:
        for family in ("ipv4", "ipv6"):
            container = data.get(f"ietf-ip:{family}", {})
            path = f"{here}/ietf-ip:{family}"
            self.keys(container, {"address", "enabled"}, path)
            for index, address in enumerate(_list(container, "address")):
                self.keys(address, {"ip", "prefix-length", "netmask"}, f"{path}/address[{index}]")
                length = address.get("prefix-length", address.get("netmask"))
                try:
                    made = ipaddress.ip_interface(f"{address.get('ip')}/{length}")
                except ValueError as error:
                    self.refuse(f"{path}/address[{address.get('ip', index)}]", str(error))
                    continue
                yield made

    def _segment(self, address: Any) -> str:
        """The segment that lists the prefix of an interface's address; a new one if none does."""
        prefix = str(address.network)
        for segment in (*self.network.segments, *self.segments):
            if prefix in segment.prefixes:
                return segment.name
        name = "net-" + "".join(c if c.isalnum() else "-" for c in prefix)
        self.segments.append(Segment(name=name, prefixes=(prefix,)))
        self.notes.append(f"no segment lists {prefix}; {name} is made for it, give it a better name")
        return name

    def routing(self, container: Any) -> None:
        path = ROUTING
        self.keys(container, {"router-id", "control-plane-protocols", "ribs", "interfaces"}, path)
        protocols = _list(container.get("control-plane-protocols", {}), "control-plane-protocol")
        for protocol in protocols:
            if str(protocol.get("type", "")).rpartition(":")[2] not in ("static", "direct"):
                self.notes.append(f"what {protocol.get('type')} learns is not in its configuration")
            static = protocol.get("static-routes", {})
            for family in ("ipv4", "ipv6"):
                module = f"ietf-{family}-unicast-routing:{family}"
                for route in _list(static.get(module, {}), "route"):
                    self._route(route, f"{path}/static-routes/{module}")
        for rib in _list(container.get("ribs", {}), "rib"):
            for route in _list(rib.get("routes", {}), "route"):
                if str(route.get("source-protocol", "")).rpartition(":")[2] != "direct":
                    self._route(route, f"{path}/ribs/rib[{rib.get('name')}]")

    def _route(self, data: dict[str, Any], path: str) -> None:
        plain = {key.rpartition(":")[2]: value for key, value in data.items()}
        prefix, hop = plain.get("destination-prefix"), plain.get("next-hop", {})
        here = f"{path}/route[{prefix}]"
        hop = {key.rpartition(":")[2]: value for key, value in hop.items()} if isinstance(hop, dict) else {}
        if not isinstance(prefix, str):
            self.refuse(here, "a route needs its destination-prefix")
        elif hop.get("special-next-hop") == "blackhole":
            self._keep(Route(prefix=prefix, discard=True))
        elif hop.get("special-next-hop") is not None:
            self.refuse(f"{here}/next-hop", "of special next hops only blackhole is read; take the route out")
        elif not hop.get("next-hop-address") and not hop.get("outgoing-interface"):
            self.refuse(f"{here}/next-hop", "one next-hop-address or outgoing-interface is read")
        else:
            via, interface = hop.get("next-hop-address"), hop.get("outgoing-interface")
            self._keep(Route(prefix=prefix, via=via, interface=interface))

    def _keep(self, route: Route) -> None:
        if route not in self.routes:
            self.routes.append(route)

    def brought(self) -> Brought:
        """Interfaces that the document does not name stay, so that nothing is lost that somebody wrote."""
        told = {fold(i.name) for i in self.made}
        kept = tuple(i for i in self.old.interfaces if fold(i.name) not in told)
        for interface in kept:
            self.notes.append(f"{interface.name} is not in the document; it stays")
        device = replace(
            self.old, interfaces=(*self.made, *kept), routes=tuple(self.routes) or self.old.routes
        )
        others = [d for d in self.network.devices if fold(d.name) != fold(device.name)]
        at = next(
            (i for i, d in enumerate(self.network.devices) if fold(d.name) == fold(device.name)), len(others)
        )
        devices = (*others[:at], device, *others[at:])
        segments = (*self.network.segments, *self.segments)
        return Brought(replace(self.network, devices=devices, segments=segments), self.notes)


def _list(container: Any, key: str) -> list[Any]:
    found = container.get(key, []) if isinstance(container, dict) else []
    return [x for x in found if isinstance(x, dict)] if isinstance(found, list) else []
