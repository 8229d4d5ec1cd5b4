"""What an edit of a device's translations or steering does in its list: which packets become something else, or take another way.

An outcome here is a rewrite or a way. Each list is compared as first-match lists are, by interface and by family, because an entry is
passed over where it has nothing for a family, and because `interface` means another address at each.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from math import inf
from typing import Literal, cast

from sarvex.core.change.effect import BUDGET, Effect, Versions, effect
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.forwarding.scopes import in_scope
from sarvex.core.forwarding.translating import NONE, Translating, as_rule
from sarvex.core.meaning.matches import Match, match_of
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
    SourceTranslation,
    Steering,
    fold,
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
    groups: dict[tuple[Policy, Policy], list[str]] = defaultdict(list)
    lists: dict[tuple[Policy, Policy], tuple[_List, _List]] = {}
    for port in now.interfaces:
        if fold(port.name) not in there:
            continue
        for f in FAMILIES:
            a = _as_list(getattr(was, field), there[fold(port.name)], f, names[0])
            b = _as_list(getattr(now, field), port, f, names[1])
            if a.rules or b.rules:
                groups[a.policy, b.policy].append(port.name)
                lists[a.policy, b.policy] = a, b
    for key, ports in groups.items():
        yield tuple(ports), *lists[key]


def _as_list(entries: Sequence[Entry], port: Interface, family: int, names: Names) -> _List:
    translating = Translating(names, lambda: None)
    families: Literal["4", "6"] = "4" if family == 4 else "6"
    rules: list[Rule] = []
    matches = []
    for place, e in enumerate(entries):
        scope = e.leaving if isinstance(e, SourceTranslation) else e.entering
        if not in_scope(scope, port) or not translating.speaks_of(e, family, port):
            continue
        whole = match_of(as_rule(e), names, families)
        parted = (
            services_by_ports(whole.service) if _changes_ports(e, port, family, names) else (whole.service,)
        )
        for ported, service in zip((True, False), parted, strict=False):
            becomes = _becomes(e, port, family, ported, names)
            made = {**vars(as_rule(e)), "log": e.log, "becomes": becomes, "place": place, "ported": ported}
            rules.append(EntryRule(**made))
            matches.append(replace(whole, service=service))
    return _List(Policy(name="list", default="continue", families=families, rules=tuple(rules)), matches)


def services_by_ports(service: ServiceSet) -> tuple[ServiceSet, ServiceSet]:
    """The services that have ports, and all others."""
    with_ports, others = _WITH_PORTS, services.complement(_WITH_PORTS)
    return services.intersection(service, with_ports), services.intersection(service, others)


_WITH_PORTS = services.union(services.parse(f"proto/{number}") for number in sorted(services.WITH_PORTS))


def _becomes(e: Entry, port: Interface, family: int, ported: bool, names: Names) -> tuple[str, str | None]:
    """What an entry does, as an outcome; leaving a packet as it is does nothing."""
    if isinstance(e, Steering):
        return "steer", f"{e.leave or ''} {e.via or ''} {e.when_down or ''}"
    if e.to == NONE:
        return "continue", None
    translating = Translating(names, lambda: None)
    to = addresses.in_family(addresses.union(translating.to(e, port)), family)
    axis = DESTINATION if isinstance(e, DestinationTranslation) else SOURCE
    by = translating.moves_by(e, axis, family, port)
    several = intervals.size(to[family]) > 1
    spread = f"by {by}" if by is not None and several else ", ".join(addresses.describe(to))
    ports = e.port if isinstance(e, DestinationTranslation) else "any port"
    return "translate", f"{spread} {ports}" if ported and _changes_ports(e, port, family, names) else spread


def _changes_ports(e: Entry, port: Interface, family: int, names: Names) -> bool:
    """Whether packets with ports leave an entry with another."""
    if isinstance(e, DestinationTranslation):
        return e.port is not None
    if isinstance(e, Steering) or e.to == NONE:
        return False
    moved = Translating(names, lambda: None).moves_by(e, SOURCE, family, port) is not None
    return e.ports == "rewrite" or (e.ports is None and not moved)
