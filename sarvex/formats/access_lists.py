"""RFC 8519 access lists as YANG-modelled JSON (RFC 7951): read into policies, and policies written as them.

Each list is a policy whose default is drop. An entry is read as RFC 8519 means it: `tcp`, `udp` and `icmp` containers
imply their protocol, no layer-3 container means every family that the list's type admits, no `matches` means everything.
What Sarvex does not model is refused with the path of the element, never skipped. A rule that needs several entries is
written as `name~1`, `name~2` and so on.
"""

from __future__ import annotations

import ipaddress
import itertools
import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from sarvex.core.meaning.matches import match_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.problems import Problem, few
from sarvex.core.model.records import Action, Attachment, Device, Interface, Network, Policy, Rule, fold
from sarvex.core.sets import services
from sarvex.core.sets.addresses import FAMILIES, HIGHEST
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import ICMP_OF, PROTOCOL_TOP, TOP
from sarvex.formats.document import InvalidDocument, parse

MODULE = "ietf-access-control-list"
ROOT = f"{MODULE}:acls"
MOST_ENTRIES = 100_000
DEVICE = "device"
NOT_ASKED = ("unattached", "undescribed", "too wide")
"""Findings that make no sense of such lists."""
Families = Literal["both", "4", "6"]
TYPES: dict[str, Families] = {
    "ipv4-acl-type": "4", "ipv6-acl-type": "6", "mixed-eth-ipv4-acl-type": "4", "mixed-eth-ipv6-acl-type": "6",
    "mixed-eth-ipv4-ipv6-acl-type": "both",
}  # fmt: skip
FORWARDING: dict[str, Action] = {"accept": "allow", "drop": "drop", "reject": "reject"}
WORD_OF = {action: word for word, action in FORWARDING.items()}
LAYER4 = {"tcp": {4: 6, 6: 6}, "udp": {4: 17, 6: 17}, "icmp": ICMP_OF}
NOT_MODELLED = "is not modelled and cannot be left out without changing what the entry matches"


@dataclass
class Lists:
    """What was read: a network of policies, and notes on what was put differently or passed over."""

    network: Network
    notes: list[str] = field(default_factory=list)


def is_access_lists(data: dict[str, Any]) -> bool:
    """Whether the data of a document are RFC 8519 access lists."""
    return ROOT in data


def read(data: dict[str, Any]) -> Lists:
    """The policies of access lists, and a device with an interface for each attachment point.

    Raises `InvalidDocument` with the path of every element that is wrong or not modelled.
    """
    reader = _Reader()
    reader.only(data, {ROOT}, "")
    acls = reader.mapping(data[ROOT], "acls")
    reader.only(acls, {"acl", "attachment-points"}, "acls")
    policies = [reader.policy(acl, path) for acl, path in reader.entries(acls, "acl", "acls")]
    device = reader.attachments(acls, {p.name: p.families for p in policies})
    if reader.problems:
        raise InvalidDocument(few(reader.problems))
    made = Network(name="access lists", policies=tuple(reader.continued(policies)), devices=device)
    return Lists(made, reader.notes)


def bring(text: str, network: Network) -> Lists:
    """The network with the lists of a text as policies, their addresses and services called by the names that stand for
    exactly the same. A policy of the same name gets the list's rules. Raises `InvalidDocument`.
    """
    data = parse(text)
    if not is_access_lists(data):
        raise InvalidDocument([Problem((), f"a JSON object with {ROOT!r} (RFC 8519) is expected")])
    lists = read(data)
    names = Names(network)
    made = {fold(p.name): _renamed(p, names) for p in lists.network.policies}
    known = {fold(p.name) for p in network.policies}
    policies = [
        p if fold(p.name) not in made else replace(p, rules=made[fold(p.name)].rules, sections=())
        for p in network.policies
    ]
    policies += [p for key, p in made.items() if key not in known]
    notes = list(lists.notes)
    for device in lists.network.devices:
        for at in device.policies:
            where = (*at.entering, *at.leaving)
            place = next(w for w in where if w != "any")
            notes.append(
                f"acls/attachment-points/interface[{place}]: attach {at.policy} yourself, {at.stage}"
            )
    return Lists(replace(network, policies=tuple(policies)), notes)


def _renamed(policy: Policy, names: Names) -> Policy:
    """The policy with names instead of literals wherever one stands for exactly the same."""
    addresses = {names.address(t.name): t.name for t in reversed(names.network.address_things())}
    known = {_key(names.service(s.name)): s.name for s in reversed(names.network.services)}

    def address(member: str) -> str:
        return member if member == "any" else addresses.get(names.address(member), member)

    def rule(rule: Rule) -> Rule:
        service = rule.service
        if service != ("any",):
            whole = known.get(_key(services.union(names.service(w) for w in service)))
            service = (whole,) if whole else tuple(known.get(_key(names.service(w)), w) for w in service)
        return replace(
            rule, service=service, source=tuple(map(address, rule.source)),
            destination=tuple(map(address, rule.destination)),
        )  # fmt: skip

    return replace(policy, rules=tuple(map(rule, policy.rules)))


def _key(s: services.ServiceSet) -> tuple[bytes, bytes]:
    return (np.unique(s.v4, axis=0).tobytes(), np.unique(s.v6, axis=0).tobytes())


class _Reader:
    def __init__(self) -> None:
        self.problems: list[Problem] = []
        self.notes: list[str] = []
        self.order: list[list[str]] = []

    def refuse(self, path: str, message: str) -> None:
        self.problems.append(Problem((path,), message))

    def only(self, data: dict[str, Any], known: set[str], path: str) -> None:
        """Refuse every other key."""
        for key in data:
            if key not in known:
                self.refuse(f"{path}/{key}".lstrip("/"), NOT_MODELLED if path else "is not read here")

    def mapping(self, data: Any, path: str) -> dict[str, Any]:
        if not isinstance(data, dict):
            self.refuse(path, f"an object is expected, not {_kind(data)}")
            return {}
        return data

    def full(self, data: Any, path: str) -> dict[str, Any]:
        """A container that is there must say something: RFC 7950 gives an empty one no meaning."""
        made = self.mapping(data, path)
        if data == {}:
            self.refuse(path, "is empty: leave it out, or say what it matches")
        return made

    def entries(self, data: dict[str, Any], key: str, path: str) -> Iterator[tuple[dict[str, Any], str]]:
        """The entries of a list keyed by `name`, each with its path; a name twice is refused."""
        found = data.get(key, [])
        if not isinstance(found, list):
            self.refuse(f"{path}/{key}", f"a list is expected, not {_kind(found)}")
            return
        seen: set[str] = set()
        for number, item in enumerate(found, 1):
            place = f"{path}/{key}[{number}]"
            entry = self.mapping(item, place)
            name = entry.get("name")
            if not isinstance(name, str) or not 1 <= len(name) <= 64:
                self.refuse(f"{place}/name", "a name of 1 to 64 characters is needed")
                continue
            place = f"{path}/{key}[{name}]"
            if name in seen:
                self.refuse(place, "stands twice")
            seen.add(name)
            yield entry, place

    def identity(self, value: Any, known: dict[str, Any], path: str) -> Any:
        word = value.removeprefix(f"{MODULE}:") if isinstance(value, str) else None
        if word not in known:
            self.refuse(path, f"{_shown(value)} is none of {', '.join(known)}")
            return next(iter(known.values()))
        return known[word]

    def number(self, value: Any, top: int, path: str) -> int:
        if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= top:
            self.refuse(path, f"a number from 0 to {top} is expected, not {_shown(value)}")
            return 0
        return value

    def policy(self, acl: dict[str, Any], path: str) -> Policy:
        self.only(acl, {"name", "type", "aces"}, path)
        families: Families = "both"
        if "type" in acl:
            families = self.identity(acl["type"], TYPES, f"{path}/type")
        aces = self.mapping(acl.get("aces", {}), f"{path}/aces")
        self.only(aces, {"ace"}, f"{path}/aces")
        names = Fresh({"default"})
        rules = []
        for ace, place in self.entries(aces, "ace", f"{path}/aces"):
            name = names.take(ace["name"])
            if name != ace["name"]:
                self.notes.append(f"{place}: is called {name} here, because {ace['name']} is taken")
            rules.append(self.rule(ace, name, families, place))
        return Policy(name=acl["name"], default="drop", families=families, rules=tuple(rules))

    def rule(self, ace: dict[str, Any], name: str, families: Families, path: str) -> Rule:
        self.only(ace, {"name", "matches", "actions", "statistics"}, path)
        if "statistics" in ace:
            self.notes.append(f"{path}/statistics: counters are passed over")
        actions = self.mapping(ace.get("actions", {}), f"{path}/actions")
        self.only(actions, {"forwarding", "logging"}, f"{path}/actions")
        action: Action = "drop"
        if "forwarding" not in actions:
            self.refuse(f"{path}/actions/forwarding", "is missing: say accept, drop or reject")
        else:
            action = self.identity(actions["forwarding"], FORWARDING, f"{path}/actions/forwarding")
        log = "logging" in actions and self.identity(
            actions["logging"], {"log-syslog": True, "log-none": False}, f"{path}/actions/logging"
        )
        source, destination, service = self.matches(ace.get("matches", {}), families, f"{path}/matches")
        return Rule(
            name=name, action=action, log=log, source=(source,), destination=(destination,), service=service
        )

    def matches(self, data: Any, families: Families, path: str) -> tuple[str, str, tuple[str, ...]]:
        """The matches of an RFC 8519 entry as source, destination and services; what has no meaning here is refused.

        ==============  ==============  ================================================================
        layer 3         layer 4         services
        ==============  ==============  ================================================================
        none            none            any
        with protocol   none            that protocol
        none, or one    tcp, udp, ...   ports of it; a protocol told as well must be the same number
        ipv4 or ipv6    icmp            types of that family; of both families where none is told
        both            any             refused: no packet is both
        ==============  ==============  ================================================================
        """
        matches = self.mapping(data, path)
        self.only(matches, {"ipv4", "ipv6", *LAYER4}, path)
        layers3 = [f for f in FAMILIES if f"ipv{f}" in matches]
        layers4 = [word for word in LAYER4 if word in matches]
        if len(layers3) > 1:
            self.refuse(f"{path}/ipv6", "a packet is not IPv4 and IPv6 at once; keep one of them")
        if len(layers4) > 1:
            self.refuse(f"{path}/{layers4[1]}", f"a packet is not {layers4[0]} as well; keep one of them")
        family = layers3[0] if layers3 else None
        source = destination = "any"
        protocol = None
        if family:
            place = f"{path}/ipv{family}"
            if families not in ("both", str(family)):
                self.refuse(place, "the type of this list does not admit it")
            layer = self.full(matches[f"ipv{family}"], place)
            ends = [f"{end}-ipv{family}-network" for end in ("source", "destination")]
            self.only(layer, {"protocol", *ends}, place)
            everywhere = "any" if families != "both" else ("0.0.0.0/0" if family == 4 else "::/0")
            source, destination = (
                self.prefix(layer[end], family, f"{place}/{end}") if end in layer else everywhere
                for end in ends
            )
            if "protocol" in layer:
                protocol = self.number(layer["protocol"], PROTOCOL_TOP, f"{place}/protocol")
        spoken = [family] if family else [f for f in FAMILIES if families in ("both", str(f))]
        if not layers4:
            return source, destination, ("any" if protocol is None else f"proto/{protocol}",)
        word = layers4[0]
        place = f"{path}/{word}"
        if protocol is not None and protocol != LAYER4[word][spoken[0]]:
            self.refuse(
                f"{path}/ipv{family}/protocol",
                f"{protocol} contradicts {word}, which is {LAYER4[word][spoken[0]]}",
            )
        layer = self.full(matches[word], place)
        if word == "icmp":
            return source, destination, self.icmp(layer, spoken, place)
        self.only(layer, {"source-port", "destination-port"}, place)
        sources = self.ports(layer, "source-port", place)
        destinations = self.ports(layer, "destination-port", place)
        words = [
            word + (f"/{d}" if d else "") + (f" from {s}" if s else "")
            for s, d in itertools.product(sources, destinations)
        ]
        return source, destination, tuple(words)

    def prefix(self, value: Any, family: int, path: str) -> str:
        try:
            if not isinstance(value, str) or "/" not in value or "." in value.partition("/")[2]:
                raise ValueError
            made = ipaddress.ip_network(value, strict=False)
        except ValueError:
            self.refuse(path, f"an IPv{family} prefix is expected, not {_shown(value)}")
            return "any"
        if made.version != family:
            self.refuse(path, f"{value} is of IPv{made.version}, in a match of IPv{family}")
        if made.version == 6 and made.network_address.ipv4_mapped is not None and made.prefixlen >= 96:
            self.refuse(path, f"{value} is IPv4-mapped; write the IPv4 prefix")
        if str(made.network_address) != str(ipaddress.ip_address(value.partition("/")[0])):
            self.notes.append(f"{path}: {value} has host bits set and is read as {made}")
        return str(made)

    def ports(self, layer: dict[str, Any], key: str, path: str) -> list[str]:
        """The ports in words, one or two ranges; nothing stands for all of them."""
        if key not in layer:
            return [""]
        path = f"{path}/{key}"
        data = self.full(layer[key], path)
        self.only(data, {"lower-port", "upper-port", "operator", "port"}, path)
        ranged, single = {"lower-port", "upper-port"} & set(data), {"operator", "port"} & set(data)
        if ranged and single:
            self.refuse(path, "has a range and an operator at once; keep one of the two forms")
            return [""]
        if ranged:
            if len(ranged) < 2:
                self.refuse(path, "a range has both, lower-port and upper-port")
                return [""]
            low, high = (self.number(data[k], TOP, f"{path}/{k}") for k in ("lower-port", "upper-port"))
            if low > high:
                self.refuse(path, f"the range is reversed: {low} is above {high}")
                return [""]
            return [_span(low, high)]
        if "port" not in data:
            self.refuse(f"{path}/port", "is missing")
            return [""]
        port = self.number(data["port"], TOP, f"{path}/port")
        operators = {"eq": [(port, port)], "lte": [(0, port)], "gte": [(port, TOP)],
                     "neq": [(0, port - 1), (port + 1, TOP)]}  # fmt: skip
        operator = data.get("operator", "eq")
        if not isinstance(operator, str) or operator not in operators:
            self.refuse(f"{path}/operator", f"{_shown(operator)} is none of {', '.join(operators)}")
            return [""]
        return [_span(low, high) for low, high in operators[operator] if low <= high]

    def icmp(self, layer: dict[str, Any], families: list[int], path: str) -> tuple[str, ...]:
        self.only(layer, {"type", "code"}, path)
        kinds = [self.number(layer["type"], 255, f"{path}/type")] if "type" in layer else range(256)
        code = f".{self.number(layer['code'], 255, f'{path}/code')}" if "code" in layer else ""
        return tuple(f"{'icmp' if f == 4 else 'icmp6'}/{kind}{code}" for f in families for kind in kinds)

    def attachments(self, acls: dict[str, Any], families: dict[str, Families]) -> tuple[Device, ...]:
        """A device with one interface for each attachment point."""
        path = "acls/attachment-points"
        points = self.mapping(acls.get("attachment-points", {}), path)
        self.only(points, {"interface"}, path)
        found = points.get("interface", [])
        if not isinstance(found, list):
            self.refuse(f"{path}/interface", f"a list is expected, not {_kind(found)}")
            found = []
        interfaces: list[Interface] = []
        attached: list[Attachment] = []
        for number, item in enumerate(found, 1):
            place = f"{path}/interface[{number}]"
            data = self.mapping(item, place)
            name = data.get("interface-id")
            if not isinstance(name, str) or not name.strip():
                self.refuse(f"{place}/interface-id", "the interface's name is needed")
                continue
            place = f"{path}/interface[{name}]"
            if any(i.name == name for i in interfaces):
                self.refuse(place, "stands twice")
            self.only(data, {"interface-id", "ingress", "egress"}, place)
            interfaces.append(Interface(name=name))
            for way in ("ingress", "egress"):
                lists = [n for n, _ in self.sets(data.get(way, {}), f"{place}/{way}", families)]
                self.order.append(lists)
                attached += [
                    Attachment(policy=n, stage="inbound", entering=(name,))
                    if way == "ingress"
                    else Attachment(policy=n, stage="outbound", leaving=(name,))
                    for n in lists
                ]
        if not interfaces:
            return ()
        return (Device(name=DEVICE, interfaces=tuple(interfaces), policies=tuple(attached)),)

    def sets(self, data: Any, path: str, known: dict[str, Families]) -> Iterator[tuple[str, str]]:
        way = self.mapping(data, path)
        self.only(way, {"acl-sets"}, path)
        sets = self.mapping(way.get("acl-sets", {}), f"{path}/acl-sets")
        self.only(sets, {"acl-set"}, f"{path}/acl-sets")
        for entry, place in self.entries(sets, "acl-set", f"{path}/acl-sets"):
            self.only(entry, {"name", "ace-statistics"}, place)
            if entry["name"] not in known:
                self.refuse(place, "there is no list of this name")
            yield entry["name"], place

    def continued(self, policies: list[Policy]) -> Iterator[Policy]:
        """Of several lists at one place every default but the last of each family goes on to the next."""
        on: set[str] = set()
        last: set[str] = set()
        families = {p.name: p.families for p in policies}
        for lists in self.order:
            for at, name in enumerate(lists):
                later = "".join("46" if families[n] == "both" else families[n] for n in lists[at + 1 :])
                mine = "46" if families[name] == "both" else families[name]
                (on if set(mine) <= set(later) else last).add(name)
        for name in sorted(on & last):
            self.notes.append(
                f"acls/acl[{name}]: is last at one place and not at another; its default stays drop"
            )
        for policy in policies:
            goes_on = policy.name in on - last
            yield policy if not goes_on else replace(policy, default="continue")


class Fresh:
    """Names taken once each, without regard to case."""

    def __init__(self, taken: set[str]) -> None:
        self._taken = taken

    def take(self, name: str) -> str:
        free = name
        for number in itertools.count(1):
            if fold(free) not in self._taken:
                self._taken.add(fold(free))
                return free
            free = f"{name}~{number}"
        raise AssertionError


def _kind(value: Any) -> str:
    kinds = {dict: "an object", list: "a list", str: "text", bool: "true or false", type(None): "null"}
    return kinds.get(type(value), "a number")


def _shown(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 60 else f"{text[:57]}..."


def _span(low: int, high: int) -> str:
    return "" if (low, high) == (0, TOP) else str(low) if low == high else f"{low}-{high}"


def write(policies: tuple[Policy, ...], names: Names, device: Device | None = None) -> tuple[str, list[str]]:
    """Policies as access lists, JSON text, with notes on what they cannot say although no verdict depends on it.

    With the `device` that `read` made they are attached where they were.

    Raises `InvalidDocument` where a verdict would: states, source ports of protocols that have no container, a default
    that goes on to the next policy, names over 64 characters.
    """
    writer = Writer(names, bool(device))
    acls: dict[str, Any] = {"acl": [writer.acl(policy) for policy in policies]}
    if device:
        acls["attachment-points"] = {"interface": [_attached(device, i) for i in device.interfaces]}
    if writer.problems:
        raise InvalidDocument(few(writer.problems))
    return json.dumps({ROOT: acls}, indent=1, ensure_ascii=False) + "\n", writer.notes


def _attached(device: Device, interface: Interface) -> dict[str, Any]:
    made: dict[str, Any] = {"interface-id": interface.name}
    for way, stage in (("ingress", "inbound"), ("egress", "outbound")):
        sets = [
            {"name": at.policy}
            for at in device.policies
            if at.stage == stage and interface.name in (*at.entering, *at.leaving)
        ]
        if sets:
            made[way] = {"acl-sets": {"acl-set": sets}}
    return made


class Writer:
    """Writes policies as lists. What the standard cannot say goes through `beyond` and `ports`, which refuse here."""

    def __init__(self, names: Names, attached: bool) -> None:
        self.names, self.attached = names, attached
        self.problems: list[Problem] = []
        self.notes: list[str] = []
        self.left = MOST_ENTRIES

    def acl(self, policy: Policy) -> dict[str, Any]:
        place = ("policies", f"={policy.name}")
        fresh = Fresh({"default"})
        self._named(policy.name, place)
        aces: list[dict[str, Any]] = []
        for rule in policy.rules:
            at = (*place, "rules", f"={rule.name}")
            if not rule.enabled:
                self.notes.append(f"{policy.name}: {rule.name} is disabled and was left out")
                continue
            more = self.beyond(rule, policy, at)
            if more is not None:
                aces += [{**ace, **more} for ace in self._aces(rule, policy.families, fresh, at)]
        acl: dict[str, Any] = {"name": policy.name}
        if policy.families != "both":
            acl["type"] = f"{MODULE}:ipv{policy.families}-acl-type"
        return {**acl, **self.ending(policy, aces, fresh, place), "aces": {"ace": aces}}

    def beyond(self, rule: Rule, policy: Policy, at: tuple[str | int, ...]) -> dict[str, Any] | None:
        """What every entry of a rule says besides; None if it cannot be said, which is then a problem."""
        if rule.states:
            self.problems.append(Problem((*at, "states"), "RFC 8519 cannot tell connection states"))
            return None
        if rule.schedule is not None:
            self.problems.append(Problem((*at, "schedule"), "RFC 8519 cannot tell when a rule is active"))
            return None
        if rule.until:
            self.problems.append(Problem((*at, "until"), "RFC 8519 cannot tell that a rule ends"))
            return None
        if rule.reject_with:
            self.notes.append(f"{policy.name}: {rule.name} rejects, but with which answer cannot be said")
        return {}

    def ending(
        self, policy: Policy, aces: list[dict[str, Any]], fresh: Fresh, place: tuple[str | int, ...]
    ) -> dict[str, Any]:
        """How a list says its default: what it says besides, or one more entry."""
        if policy.default == "continue" and not self.attached:
            self.problems.append(
                Problem((*place, "default"), "RFC 8519 lists end; there is no going on to the next")
            )
        elif policy.default in ("allow", "reject"):
            aces.append({"name": fresh.take("default"), **_actions(policy.default, False)})
        return {}  # one that goes on is not the last of its place, which is where it is attached

    def ports(self, protocol: int, first: list[int], second: list[int]) -> dict[str, Any]:  # noqa: ARG002
        """The ports of a protocol that has no container. Raises `ValueError`."""
        raise ValueError(f"RFC 8519 has no ports for protocol {protocol}")

    def _named(self, name: str, place: tuple[str | int, ...]) -> None:
        if len(name) > 64:
            self.problems.append(
                Problem((*place, "name"), "RFC 8519 names have at most 64 characters; shorten it")
            )

    def _aces(
        self, rule: Rule, families: Families, fresh: Fresh, at: tuple[str | int, ...]
    ) -> list[dict[str, Any]]:
        match = match_of(rule, self.names, families)
        found: list[dict[str, Any]] = []
        if _everything(rule):
            found = [{}]
        else:
            for family in FAMILIES:
                try:
                    found += self._of_family(
                        family, match.source[family], match.destination[family], match.service[family]
                    )
                except ValueError as error:
                    self.problems.append(Problem(at, str(error)))
        actions = _actions(rule.action, rule.log)
        if len(found) == 1:
            names: Callable[[int], str] = lambda _: rule.name  # noqa: E731
        else:
            names = lambda number: f"{rule.name}~{number}"  # noqa: E731
        aces = []
        for number, matches in enumerate(found, 1):
            name = fresh.take(names(number))
            self._named(name, at)
            aces.append({"name": name, **({"matches": matches} if matches else {}), **actions})
        if not found:
            self.notes.append(f"{at[1][1:]}: {rule.name} matches no packet and was left out")  # type: ignore[index]
        return aces

    def _of_family(
        self, family: int, source: Intervals, destination: Intervals, service: Any
    ) -> list[dict[str, Any]]:
        sources, destinations = prefixes(family, source), prefixes(family, destination)
        layers = [layer for box in service.tolist() for layer in self._layers(family, box)]
        self.left -= len(sources) * len(destinations) * len(layers)
        if self.left < 0:
            raise ValueError(f"it falls into too many entries; at most {MOST_ENTRIES:,} are written")
        made = []
        for s, d, (protocol, layer4) in itertools.product(sources, destinations, layers):
            layer3: dict[str, Any] = {} if protocol is None else {"protocol": protocol}
            if d:
                layer3[f"destination-ipv{family}-network"] = d
            if s or not layer3:
                layer3[f"source-ipv{family}-network"] = s or ("0.0.0.0/0" if family == 4 else "::/0")
            made.append({f"ipv{family}": layer3, **layer4})
        return made

    def _layers(self, family: int, box: list[list[int]]) -> Iterator[tuple[int | None, dict[str, Any]]]:
        """A service box as protocols (none for all) with layer-4 containers. Raises `ValueError`."""
        (low, high), first, second = box
        if (low, high) == (0, PROTOCOL_TOP):
            yield None, {}
            return
        for protocol in range(low, high + 1):
            if first == second == [0, TOP]:
                yield protocol, {}
            elif protocol in (6, 17):
                ports = {"source-port": first, "destination-port": second}
                layer = {key: port(span) for key, span in ports.items() if span != [0, TOP]}
                yield protocol, {"tcp" if protocol == 6 else "udp": layer}
            elif services.has_type(family, protocol):
                kinds = [None] if first == [0, TOP] else range(first[0], min(first[1], 255) + 1)
                codes = [None] if second == [0, TOP] else range(second[0], min(second[1], 255) + 1)
                for kind, code in itertools.product(kinds, codes):
                    told = {"type": kind, "code": code}
                    yield protocol, {"icmp": {key: value for key, value in told.items() if value is not None}}
            else:
                yield protocol, self.ports(protocol, first, second)


def _everything(rule: Rule) -> bool:
    return not rule.negate and all(
        [m.lower() for m in members] == ["any"] for members in (rule.source, rule.destination, rule.service)
    )


def _actions(action: str, log: bool) -> dict[str, Any]:
    made = {"forwarding": f"{MODULE}:{WORD_OF[action]}"}  # type: ignore[index]
    if log:
        made["logging"] = f"{MODULE}:log-syslog"
    return {"actions": made}


def prefixes(family: int, intervals: Intervals) -> list[str]:
    """The prefixes of a set; nothing stands for all addresses."""
    address = ipaddress.IPv4Address if family == 4 else ipaddress.IPv6Address
    if intervals == ((0, HIGHEST[family]),):
        return [""]
    return [
        str(prefix)
        for low, high in intervals
        for prefix in ipaddress.summarize_address_range(address(low), address(high))
    ]


def port(span: list[int]) -> dict[str, int]:
    low, high = span
    return {"port": low} if low == high else {"lower-port": low, "upper-port": high}
