"""What is wrong with the translations and the steering of a device as they are written."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from sarvex.core.meaning.entries import asked_ports, match_of_entry
from sarvex.core.meaning.ground_check import LINK_LOCAL, Path
from sarvex.core.meaning.names import Names
from sarvex.core.model.problems import Problem, entry, name_problem
from sarvex.core.model.records import (
    FIELDS,
    LISTS,
    DestinationTranslation,
    Device,
    Entry,
    Network,
    SourceTranslation,
    Steering,
    fold,
    scope_of,
    side_of,
)
from sarvex.core.sets import addresses, intervals
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.services import has_ports

Unresolved = Callable[[tuple[str, ...], Callable[[str], object], Path], Iterator[Problem]]
WORDS = ("interface", "none")
"""What a translation may become besides addresses."""
PORT_TOP = 65535


def list_problems(network: Network, names: Names, unresolved: Unresolved) -> Iterator[Problem]:
    """Entries without meaning: names that are not there, translations at a device without memory, ports that fit no service, ways that
    lead nowhere. unresolved: the problems of members that do not resolve. O(entries)."""
    zones = {fold(z.name) for z in network.zones}
    for device in network.devices:
        here = ("devices", entry(device.name))
        known = zones | {fold(i.name) for i in device.interfaces} | {"any"}
        for field in LISTS:
            seen: set[str] = set()
            for one in getattr(device, field):
                at = (*here, field, entry(one.name))
                if wrong := name_problem(one.name, "an entry needs a name"):
                    yield Problem((*at, "name"), wrong)
                if fold(one.name) in seen:
                    yield Problem((*at, "name"), "another entry of this list has this name")
                seen.add(fold(one.name))
                yield from _scope(one, device, known, at)
                found = list(_members(one, names, unresolved, at))
                yield from found
                if isinstance(one, Steering):
                    yield from _way(one, device, at)
                    if one.schedule is not None and fold(one.schedule) not in {
                        fold(s.name) for s in network.schedules
                    }:
                        yield Problem((*at, "schedule"), f"no schedule is called {one.schedule!r}")
                    continue
                if device.filtering == "stateless":
                    told = f"{device.name} remembers no conversation, so it could not undo a translation"
                    yield Problem(at, told)
                yield from _becomes(one, names, unresolved, at)
                if isinstance(one, DestinationTranslation) and not found:
                    yield from _port(one, names, (*at, "port"))


def _scope(one: Entry, device: Device, known: set[str], at: Path) -> Iterator[Problem]:
    side, scope = side_of(one), scope_of(one)
    if not scope:
        yield Problem((*at, side), "name at least one zone or interface; all of them is written any")
    for place, name in enumerate(scope):
        if fold(name) not in known:
            told = f"no zone, and no interface of {device.name}, is called {name!r}"
            yield Problem((*at, side, place), told)


def _members(one: Entry, names: Names, unresolved: Unresolved, at: Path) -> Iterator[Problem]:
    for field in FIELDS:
        members = getattr(one, field)
        if not members:
            yield Problem((*at, field), "name at least one member; everything is written any")
        yield from unresolved(members, names.service if field == "service" else names.address, (*at, field))


def _becomes(
    one: DestinationTranslation | SourceTranslation, names: Names, unresolved: Unresolved, at: Path
) -> Iterator[Problem]:
    if not one.to:
        yield Problem((*at, "to"), "say what it becomes; none leaves it as it is")
    words = [m for m in one.to if fold(m) in WORDS]
    if words and len(one.to) > 1:
        yield Problem((*at, "to"), f"{words[0]} stands alone")
    elif words and words[0] != fold(words[0]):
        yield Problem((*at, "to"), f"write {fold(words[0])}")
    elif words == ["interface"] and isinstance(one, DestinationTranslation):
        yield Problem((*at, "to"), "only sources become an address of the interface they leave by")
    elif not words:
        if any(fold(m) == "any" for m in one.to):
            yield Problem((*at, "to"), "any is no address to become; none leaves it as it is")
        yield from unresolved(one.to, names.address, (*at, "to"))


def _port(one: DestinationTranslation, names: Names, at: Path) -> Iterator[Problem]:
    """One port, or a range as long as the one range of its services."""
    if one.port is None:
        return
    low, _, high = one.port.partition("-")
    if not (low.isascii() and low.isdigit() and (high or low).isascii() and (high or low).isdigit()):
        yield Problem(at, f"{one.port!r} is no port; write it as 8443 or 8000-8007")
        return
    first, last = int(low), int(high or low)
    if not 0 < first <= last <= PORT_TOP:
        yield Problem(at, f"ports go from 1 to {PORT_TOP}, the lower one first")
        return
    service = match_of_entry(one, names).service
    numbers = (b for f in FAMILIES for b in service[f][:, 0].tolist())
    if not any(has_ports(p) for low_, high_ in numbers for p in range(low_, high_ + 1)):
        yield Problem(at, "its services have no ports")
        return
    asked = asked_ports(service)
    if first != last and (len(asked) != 1 or intervals.size(asked) != last - first + 1):
        told = f"a range of ports needs services that ask for one range as long, of {last - first + 1} ports"
        yield Problem(at, told)


def _way(one: Steering, device: Device, at: Path) -> Iterator[Problem]:
    if one.leave is None and one.via is None:
        told = "steering names the interface it leaves by, the next device's address, or both"
        yield Problem((*at, "leave"), told)
    if one.leave is not None and fold(one.leave) not in {fold(i.name) for i in device.interfaces}:
        yield Problem((*at, "leave"), f"no interface of {device.name} is called {one.leave!r}")
    if one.via is None:
        return
    try:
        hop = addresses.parse(one.via)
    except addresses.InvalidAddress as error:
        yield Problem((*at, "via"), str(error))
        return
    if sum(high - low + 1 for f in FAMILIES for low, high in hop[f]) != 1:
        yield Problem((*at, "via"), f"{one.via} is more than one address")
    elif one.leave is None and addresses.covers(LINK_LOCAL, hop):
        yield Problem((*at, "via"), f"{one.via} is link-local: name the interface that it is behind")
