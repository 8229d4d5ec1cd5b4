"""What an edit of a device's translations or steering does in its list: which packets become something else, or take another way.

An outcome here is a rewrite or a way. Each list is compared as first-match lists are, by interface and by family, because an entry is
passed over where it has nothing for a family, and because `interface` means another address at each.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache
from math import inf
from typing import Literal, cast

from sarvex.core.change.effect import BUDGET, Effect, Versions, effect
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.forwarding.scopes import in_scope
from sarvex.core.forwarding.translating import NONE, Translating
from sarvex.core.meaning.entries import as_rule, match_of_entry
from sarvex.core.meaning.matches import Match
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, SOURCE
from sarvex.core.model.edits import NEW
from sarvex.core.model.records import (
    LISTS,
    DestinationTranslation,
    Device,
    Entry,
    Interface,
    Network,
    Policy,
    Rule,
    Steering,
    fold,
    scope_of,
)
from sarvex.core.sets import addresses, intervals, services
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.services import ServiceSet


@dataclass(frozen=True, eq=False)
class ListEffect:
    """What changes in one list of a device (`field`), for what enters, or leaves, by some of its interfaces."""

    device: str
    field: str
    ports: tuple[str, ...]
    effect: Effect


@dataclass(frozen=True, kw_only=True)
class EntryRule(Rule):
    """An entry as a rule: what it does is what it makes of a packet."""

    becomes: tuple[str, str | None]
    place: int
    """Where the entry stands in its list, from 0."""
    ported: bool
    """Whether it stands for the entry's packets with ports; those without are told apart, for their ports do not change."""

    @property
    def outcome(self) -> tuple[str, str | None]:
        return self.becomes


def list_effects(
    old: Network,
    new: Network,
    names: Names,
    *,
    names_before: Names | None = None,
    go_on: Callable[[], bool] = lambda: True,
    deadline: float = inf,
    budget: int = BUDGET,
) -> Iterator[ListEffect]:
    """Every list of a device that does something else afterwards, one for all interfaces at which the same changes.

    `names` are those afterwards, `names_before` those before if they are others, with the same classes of moments. Interfaces that are
    there in one version only are left out. Raises `Superseded`.
    """
    before = {fold(d.name): d for d in old.devices}
    for device in new.devices:
        was = before.get(fold(device.name))
        if was is None:
            continue
        for field in LISTS:
            if getattr(was, field) or getattr(device, field):
                for ports, a, b in _of_list(was, device, field, (names_before or names, names)):
                    of = Versions(
                        _ready(a, names_before or names),
                        b.policy,
                        b.matches,
                        _kept(a, b),
                        go_on,
                        deadline,
                        budget,
                    )
                    found = effect(of)
                    if found.shifts or found.left:
                        yield ListEffect(device.name, field, ports, found)


@dataclass(frozen=True, eq=False)
class _List:
    """Entries as a list of rules, and what each matches."""

    policy: Policy
    matches: list[Match]

    @property
    def rules(self) -> tuple[EntryRule, ...]:
        return cast(tuple[EntryRule, ...], self.policy.rules)


def _ready(a: _List, names: Names) -> FirstMatch:
    return FirstMatch(a.policy, a.matches, names.known())


def _kept(a: _List, b: _List) -> list[int]:
    place = {(fold(r.name), r.ported): at for at, r in enumerate(a.rules)}
    return [place.get((fold(r.name), r.ported), NEW) for r in b.rules]


def _of_list(
    was: Device, now: Device, field: str, names: tuple[Names, Names]
) -> Iterator[tuple[tuple[str, ...], _List, _List]]:
    """The list before and after, of one family, for each set of interfaces at which both are the same."""
    there = {fold(i.name): i for i in was.interfaces}
    found: dict[tuple[Policy, Policy], tuple[list[str], _List, _List]] = {}
    for port in now.interfaces:
        if fold(port.name) not in there:
            continue
        for f in FAMILIES:
            a = _as_list(getattr(was, field), there[fold(port.name)], f, names[0])
            b = _as_list(getattr(now, field), port, f, names[1])
            if a.rules or b.rules:
                found.setdefault((a.policy, b.policy), ([], a, b))[0].append(port.name)
    for ports, a, b in found.values():
        yield tuple(ports), a, b


def _as_list(entries: Sequence[Entry], port: Interface, family: int, names: Names) -> _List:
    translating = Translating(names)
    families: Literal["4", "6"] = "4" if family == 4 else "6"
    rules: list[Rule] = []
    matches = []
    for place, e in enumerate(entries):
        if not in_scope(scope_of(e), port) or not translating.speaks_of(e, family, port):
            continue
        whole = match_of_entry(e, names, families)
        parted = _by_ports(whole.service) if translating.changes_ports(e, family, port) else (whole.service,)
        for ported, service in zip((True, False), parted, strict=False):
            becomes = _becomes(e, port, family, ported, translating)
            made = {**vars(as_rule(e)), "log": e.log, "becomes": becomes, "place": place, "ported": ported}
            rules.append(EntryRule(**made))
            matches.append(replace(whole, service=service))
    return _List(Policy(name="list", default="continue", families=families, rules=tuple(rules)), matches)


@cache
def _with_ports() -> ServiceSet:
    return services.union(services.parse(f"proto/{number}") for number in sorted(services.WITH_PORTS))


def _by_ports(service: ServiceSet) -> tuple[ServiceSet, ServiceSet]:
    """The services that have ports, and all others."""
    return services.intersection(service, _with_ports()), services.difference(service, _with_ports())


def _becomes(
    e: Entry, port: Interface, family: int, ported: bool, translating: Translating
) -> tuple[str, str | None]:
    """What an entry does, as an outcome; leaving a packet as it is does nothing."""
    if isinstance(e, Steering):
        return "steer", f"{e.leave or ''} {e.via or ''} {e.when_down or ''}"
    if e.to == NONE:
        return "continue", None
    to = addresses.in_family(addresses.union(translating.to(e, port)), family)
    axis = DESTINATION if isinstance(e, DestinationTranslation) else SOURCE
    by = translating.moves_by(e, axis, family, port)
    several = intervals.size(to[family]) > 1
    spread = f"by {by}" if by is not None and several else ", ".join(addresses.describe(to))
    if not (ported and translating.changes_ports(e, family, port)):
        return "translate", spread
    ports = e.port if isinstance(e, DestinationTranslation) else "any port"
    return "translate", f"{spread} {ports}"
