"""What stands against bringing a version into force, and what must be answered for first."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning.names import NameCycle, Names, UnknownName, moments_of_both
from sarvex.core.meaning.packet_sets import NOTHING, PacketSet, difference, sample, union
from sarvex.core.model.records import Device, Network, fold
from sarvex.core.reach.expectations import BAD
from sarvex.core.sets import addresses, services
from sarvex.core.sets.flows import Flow
from sarvex.formats import device_config, finding_words
from sarvex.service.analysis.expectations import reasons_once
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.editions import comparisons
from sarvex.service.editions.comparisons import Comparison
from sarvex.service.editions.versions import Version
from sarvex.service.errors import TooMuch
from sarvex.service.releases import devices, reviews
from sarvex.store import tables as t

Weight = Literal["stops", "wants a reason", "told"]
"""Stops: cannot be released. Wants a reason: only with a written one. Told: worth knowing."""


@dataclass(frozen=True)
class Guard:
    """One thing that stands against it. `key` is what an answer is given to."""

    key: str
    weight: Weight
    text: str


def guards(
    session: Session,
    cache: NetworkCache,
    network_id: int,
    old: Version | None,
    new: Version,
    client: str = "",
    number: int | None = None,
) -> tuple[list[Guard], Comparison | None]:
    """All guards of bringing `new` into force in place of `old`, the heaviest first, and what it does.

    `client`: the address of whoever releases, as the server sees it; `number`: the edition that `new` is.
    """
    told = comparisons.compare(old, new) if old else None
    row = session.get_one(t.Network, network_id)
    found = [
        *_signed(session, cache, network_id, new, number, row.reviewers),
        *_undecided(new),
        *_following(session, network_id, new),
        *_management(old.network if old else None, new.network, [*row.managed_from, *_inside(new, client)]),
        *_errors(new),
        *_must_hold(old, new),
        *_effect(told),
    ]
    order: list[Weight] = ["stops", "wants a reason", "told"]
    return sorted(found, key=lambda g: order.index(g.weight)), told


def _signed(
    session: Session, cache: NetworkCache, network_id: int, new: Version, number: int | None, needed: int
) -> Iterator[Guard]:
    """The way back to what was in force once waits for nobody."""
    if not needed:
        return
    if number is not None and _was_in_force(session, network_id, number):
        yield Guard(
            "signatures", "told", f"edition {number} was in force before; it needs no signatures again"
        )
        return
    found = reviews.signatures(session, cache, network_id, new)
    have = sum(s.counts for s in found)
    if have < needed:
        lapsed = sum(s.standing == "lapsed" for s in found)
        more = f"; {lapsed} lapsed, because the effect is not the one that was signed" if lapsed else ""
        yield Guard("signatures", "stops", f"{have} of {needed} signatures stand{more}")


def _was_in_force(session: Session, network_id: int, number: int) -> bool:
    began = select(t.Release.id).join(t.Edition, t.Edition.id == t.Release.edition_id)
    where = (t.Release.network_id == network_id, t.Edition.number == number, t.Release.state == "in force")
    return session.scalar(began.where(*where).limit(1)) is not None


def _undecided(new: Version) -> Iterator[Guard]:
    for policy in new.network.policies:
        for rule in new.loaded.report(policy).rules:
            if rule.decides == "undecided":
                text = f"{policy.name}: what {rule.rule.name} decides could not be worked out"
                yield Guard(f"undecided {policy.name} / {rule.rule.name}", "stops", text)


def _following(session: Session, network_id: int, new: Version) -> Iterator[Guard]:
    """A device that cannot be given its part would be left with what it had."""
    for link in devices.links(session, network_id):
        for problem in device_config.problems(new.network, new.loaded.names, link.device):
            text = f"{link.device} follows releases and cannot be given this one: {problem}"
            yield Guard(f"device {link.device}", "stops", f"{text}; mend it, or let the device go")
            break


def _errors(new: Version) -> Iterator[Guard]:
    for f in comparisons.findings(new.loaded):
        if f.weight == "error":
            where = " / ".join(filter(None, (f.policy, f.rule or f.name)))
            text, accepted = f"{where}: {finding_words.text(f)}", new.loaded.accepted(f)
            if accepted:
                told = f"{text} Accepted until {accepted.until}: {accepted.reason}"
                yield Guard(f"{f.kind} {where}", "told", told)
            else:
                yield Guard(f"{f.kind} {where}", "wants a reason", text)


def _must_hold(old: Version | None, new: Version) -> Iterator[Guard]:
    """What must hold and does not: whether it did in what is in force is told as well."""
    if not new.network.expectations:
        return
    try:
        found = reasons_once(new.key, new.loaded)
        before = reasons_once(old.key, old.loaded) if old and old.network.expectations else ()
    except TooMuch as error:
        yield Guard("must hold", "wants a reason", f"whether what must hold does is not known: {error}")
        return
    was = {fold(one.expectation.name): one.judged.verdict for one in before}
    for one in found:
        name, verdict = one.expectation.name, one.judged.verdict
        if verdict not in BAD:
            continue
        word = {"broken": "does not hold", "empty": "says nothing"}.get(verdict, "is not known to hold")
        since = ", as in what is in force" if was.get(fold(name)) == verdict else ""
        weight: Weight = "told" if verdict == "undetermined" else "wants a reason"
        yield Guard(f"must hold {name}", weight, f"“{name}” {word}{since}: {one.reason}")


def _effect(told: Comparison | None) -> Iterator[Guard]:
    if told is None:
        yield Guard("first", "told", "nothing is in force yet, so there is nothing to compare with")
        return
    if told.same:
        yield Guard("same", "told", "it does what is in force already, proven")
    if not told.told.complete:
        yield Guard(
            "bounded", "wants a reason", "it changes more than was worked out; what is told is not all"
        )
    for text in told.told.outside:
        yield Guard(f"outside {text}", "wants a reason", f"its effect on the network is not told: {text}")
    for f in told.come or ():
        where = " / ".join(filter(None, (f.policy, f.rule or f.name)))
        yield Guard(f"brings {f.kind} {where}", "told", f"brings: {where}: {finding_words.text(f)}")
    if told.come is None:
        yield Guard("long", "told", "its lists are too long to tell here which findings it brings")


# Lock-out ------------------------------------------------------------------------------------------------------------


def _inside(new: Version, client: str) -> list[str]:
    """The address somebody works from, if it lies in a segment that the network's owner runs. A socket for both families
    tells IPv4 addresses as IPv6 ones (RFC 4291, 2.5.5.2)."""
    try:
        at = ipaddress.ip_address(client)
    except ValueError:
        return []
    at = getattr(at, "ipv4_mapped", None) or at
    own = (p for s in new.network.segments if not s.outside for p in s.prefixes)
    return [str(at)] if any(at in ipaddress.ip_network(p, strict=False) for p in own) else []


def _management(old: Network | None, new: Network, places: list[str]) -> Iterator[Guard]:
    """For each device: what of its management was reached from a place and would not be any more."""
    if not places:
        yield Guard(
            "management", "told", "nobody said from where devices are managed, so nobody notices a lock-out"
        )
        return
    if old is None:
        return
    lock_outs = LockOuts(old, new)
    for place in dict.fromkeys(places):
        try:
            for device, flow in lock_outs.of(place):
                text = f"{place} would no longer reach the management of {device.name} ({flow})"
                yield Guard(f"lock-out {place} {device.name}", "wants a reason", text)
        except (UnknownName, NameCycle) as error:
            yield Guard(f"management {place}", "wants a reason", f"devices are managed from {place}: {error}")


class LockOuts:
    """What one version lets manage and another would not any more."""

    def __init__(self, old: Network, new: Network) -> None:
        moments = moments_of_both(old, new)
        self.old, self.new = old, new
        self._before, self._after = Names(old, moments[0]), Names(new, moments[1])
        self._devices = {fold(d.name): d for d in old.devices}

    def of(self, place: str) -> Iterator[tuple[Device, Flow | None]]:
        """The devices whose management was reached from a place and would not be wholly any more, with a flow of what is lost.

        Raises what `Names` raises.
        """
        for device in self.new.devices:
            was = self._devices.get(fold(device.name))
            lost = was and difference(
                managed(self.old, self._before, was, place), managed(self.new, self._after, device, place)
            )
            if lost:
                yield device, sample(lost)


def managed(network: Network, names: Names, device: Device, place: str) -> PacketSet:
    """The packets from a place to a device's management that get through on every path."""
    own = addresses.union(addresses.parse(a) for i in device.interfaces for a in i.addresses)
    service = services.union(names.service(s) for s in device.management)
    if not device.management or own == addresses.NOTHING:
        return NOTHING
    parts = trace(network, names, Question(names.address(place), own, service)).parts
    through, stopped = (
        union(p.packets for p in parts if (p.result == "delivered") is wanted) for wanted in (True, False)
    )
    return difference(through, stopped)
