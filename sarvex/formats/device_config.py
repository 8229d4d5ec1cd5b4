"""What a device is given: its policies as RFC 8519 access lists, and what these cannot say in our own YANG module.

The module is `docs/yang/sarvex-filtering.yang`; both are JSON as RFC 7951 has it. Data of one edition and device are always
the same data, so what a device reports can be compared with them: anything else is drift.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Any

import numpy as np

from sarvex.core.forwarding.translating import Translating
from sarvex.core.meaning.entries import match_of_entry, ports_of
from sarvex.core.meaning.matches import Match
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, SOURCE
from sarvex.core.model.problems import Problem, few
from sarvex.core.model.records import (
    DestinationTranslation,
    Device,
    Entry,
    Network,
    Policy,
    Rule,
    Schedule,
    Sees,
    SourceTranslation,
    Steering,
    fold,
    named,
    scope_of,
    side_of,
)
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.formats.access_lists import ROOT, Fresh, Writer, prefixes
from sarvex.formats.document import InvalidDocument

OWN = "sarvex-filtering"
FILTERING = f"{OWN}:filtering"
PARTS = (ROOT, FILTERING)
EVERYWHERE = {4: "0.0.0.0/0", 6: "::/0"}
FIELDS = "protocol", "first", "second"
Data = dict[str, Any]


@dataclass(frozen=True)
class Difference:
    """One part of a device's configuration that is not as it should be."""

    what: str
    how: str


def build(network: Network, names: Names, device_name: str, edition: int) -> Data:
    """The data of a device, by the names of `PARTS`. O(entries).

    Raises `InvalidDocument` for what cannot be said at all, and `KeyError` if the network has no such device.
    """
    device = named(network.devices, device_name)
    consulted = list(dict.fromkeys(fold(a.policy) for a in device.policies))
    policies = [named(network.policies, key) for key in consulted]
    writer = _Writer(names, True)
    acls = {"acl": [writer.acl(policy) for policy in policies]}
    if writer.problems:
        raise InvalidDocument(few(writer.problems))
    used = {fold(r.schedule) for p in policies for r in p.rules if r.schedule and r.enabled}
    used |= {fold(e.schedule) for e in device.steering if e.schedule and e.enabled}
    schedules = [_schedule(s) for s in network.schedules if fold(s.name) in used]
    own: Data = {
        "edition": edition,
        "mode": device.filtering,
        "zone-default": {key: _word(value) for key, value in vars(device.zone_default).items()},
        "zone": _zones(network, device),
        "consult": [_consult(order, a) for order, a in enumerate(device.policies, 1)],
    }
    own |= {key: value for key, value in _lists(device, names).items() if value}
    if schedules:
        own |= {"time-zone": network.time_zone, "schedule": schedules}
    return {ROOT: acls, FILTERING: own}


def drift(wanted: Data, has: Data) -> list[Difference]:
    """What of a device's data is not what it was given, in the order of the data; the edition's number aside."""
    found = []
    lists, held = (_by_name(data.get(ROOT)) for data in (wanted, has))
    for name in dict.fromkeys([*lists, *held]):
        if name not in held:
            found.append(Difference(f"list {name}", "is missing"))
        elif name not in lists:
            found.append(Difference(f"list {name}", "is there and should not be"))
        elif lists[name] != held[name]:
            found += _entries(name, lists[name], held[name])
    own, other = ({**(data.get(FILTERING) or {}), "edition": 0} for data in (wanted, has))
    found += [
        Difference(
            key, "differs" if key in other and key in own else "is missing" if key in own else "should not be"
        )
        for key in dict.fromkeys([*own, *other])
        if own.get(key) != other.get(key)
    ]
    return found


def _entries(name: str, wanted: Data, has: Data) -> list[Difference]:
    aces, held = (list((acl.get("aces") or {}).get("ace", [])) for acl in (wanted, has))
    there, other = ({e.get("name"): e for e in entries} for entries in (aces, held))
    changed = [n for n in there if n in other and there[n] != other[n]]
    told = [
        (f"{len(lost)} missing", lost) if (lost := [n for n in there if n not in other]) else None,
        (f"{len(more)} too many", more) if (more := [n for n in other if n not in there]) else None,
        (f"{len(changed)} changed", changed) if changed else None,
    ]
    words = [
        f"{count} ({', '.join(map(str, names[:3]))}{' …' if len(names) > 3 else ''})"
        for count, names in filter(None, told)
    ]
    if not words:
        words = ["another order" if [*there] != [*other] else "differs beside its entries"]
    return [Difference(f"list {name}", "; ".join(words))]


def _by_name(acls: Any) -> dict[str, Data]:
    found = acls.get("acl", []) if isinstance(acls, dict) else []
    return {str(acl.get("name")): acl for acl in found if isinstance(acl, dict)}


def _zones(network: Network, device: Device) -> list[Data]:
    depth = {fold(z.name): z for z in network.zones}
    held: dict[str, list[str]] = {}
    for interface in device.interfaces:
        if interface.zone:
            held.setdefault(fold(interface.zone), []).append(interface.name)
    return [{"name": depth[z].name, "depth": depth[z].depth, "interface": i} for z, i in held.items()]


def _consult(order: int, attached: Any) -> Data:
    made: Data = {"order": order, "acl": attached.policy, "stage": _word(attached.stage)}
    for key in ("entering", "leaving"):
        places = [p for p in getattr(attached, key) if p != "any"]
        if places:
            made[key] = places
    return made


def _lists(device: Device, names: Names) -> Data:
    """What revision 2026-11-28 of the module adds; a device that has none of it is given what it always was."""
    sees = {
        f.name: getattr(device.sees, f.name)
        for f in fields(Sees)
        if getattr(device.sees, f.name) != f.default
    }
    return {
        "replies": _word(device.replies) if device.replies != "by conversation" else None,
        "sees": sees,
        "translate-destination": _entries_of(device.translate_destination, names),
        "translate-source": _entries_of(device.translate_source, names),
        "steering": _entries_of(device.steering, names),
    }


def _entries_of(entries: Sequence[Entry], names: Names) -> list[Data]:
    """Those in use that match something, names resolved, what is any left out."""
    used = [(e, match_of_entry(e, names)) for e in entries if e.enabled]
    there = [(e, match) for e, match in used if match.matches_something]
    return [_entry(order, e, match, names) for order, (e, match) in enumerate(there, 1)]


def _entry(order: int, e: Entry, match: Match, names: Names) -> Data:
    made: Data = {"order": order, "name": e.name}
    made |= {side_of(e): places} if (places := [p for p in scope_of(e) if p != "any"]) else {}
    for end, spread in (("source", match.source), ("destination", match.destination)):
        if spread != addresses.ANY:
            made[end] = _prefixes_of(spread)
    if not all(np.array_equal(match.service[f], services.ANY[f]) for f in FAMILIES):
        made["service"] = [
            {"family": f"ipv{f}"} | {key: {"lower": low, "upper": high} for key, (low, high) in zip(FIELDS, box, strict=True)}
            for f in FAMILIES for box in match.service[f].tolist()
        ]  # fmt: skip
    if e.log:
        made["log"] = True
    if isinstance(e, Steering):
        told = {"leave": e.leave, "via": e.via, "when-down": e.when_down, "schedule": e.schedule}
        return made | {key: value for key, value in told.items() if value}
    return made | _becomes(e, names)


def _becomes(e: DestinationTranslation | SourceTranslation, names: Names) -> Data:
    if e.to == ("none",):
        return {"as-it-is": [None]}
    if e.to == ("interface",):
        made: Data = {"to-interface": [None]}
    else:
        to = addresses.union(map(names.address, e.to))
        axis = DESTINATION if isinstance(e, DestinationTranslation) else SOURCE
        translating = Translating(names)
        moved = [f"ipv{f}" for f in FAMILIES if to[f] and translating.moves_by(e, axis, f, None) is not None]
        made = {"to": _prefixes_of(to)} | ({"one-to-one": moved} if moved else {})
    if isinstance(e, SourceTranslation):
        return made | ({"source-port": e.ports} if e.ports else {})
    if e.port:
        low, high = ports_of(e.port)
        made["port"] = {"lower": low, "upper": high}
    return made


def _prefixes_of(spread: AddressSet) -> list[str]:
    return [prefix or EVERYWHERE[f] for f in FAMILIES if spread[f] for prefix in prefixes(f, spread[f])]


def _schedule(s: Schedule) -> Data:
    made: Data = {"name": s.name, "window": list(s.windows)}
    return made | {k: v for k, v in (("except", list(s.except_)), ("first", s.first), ("last", s.last)) if v}


def _word(value: str) -> str:
    return value.replace(" ", "-")


class _Writer(Writer):
    """Says in our own module what the standard cannot."""

    def beyond(self, rule: Rule, policy: Policy, at: tuple[str | int, ...]) -> Data:  # noqa: ARG002
        made: Data = {f"{OWN}:rule": rule.name}
        if rule.states:
            made[f"{OWN}:state"] = list(rule.states)
        if rule.schedule is not None:
            made[f"{OWN}:schedule"] = rule.schedule
        if rule.until:
            made[f"{OWN}:until"] = rule.until
        if rule.reject_with:
            made[f"{OWN}:reject-with"] = rule.reject_with
        return made

    def ending(self, policy: Policy, aces: list[Data], fresh: Fresh, place: tuple[str | int, ...]) -> Data:  # noqa: ARG002
        return {f"{OWN}:default": policy.default}

    def ports(self, protocol: int, first: list[int], second: list[int]) -> Data:  # noqa: ARG002
        spans = {"source": first, "destination": second}
        told = {key: {"lower": low, "upper": high} for key, (low, high) in spans.items()}
        return {f"{OWN}:ports": told}


def problems(network: Network, names: Names, device_name: str) -> list[Problem]:
    """Why a device could not be given this network."""
    try:
        build(network, names, device_name, 0)
    except InvalidDocument as error:
        return error.problems
    except KeyError:
        return [Problem(("devices",), f"there is no device {device_name}")]
    return []
