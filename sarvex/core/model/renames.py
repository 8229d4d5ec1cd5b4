"""Names that were changed and nothing else: recognised between two networks, and carried out in one.

A rename has no effect on packets, so a network with its names changed throughout stands for the old one exactly.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from sarvex.core.model.records import AddressObject, Device, Network, Policy, ServiceObject, fold
from sarvex.core.model.references import PARTS, REFERENCES

SPACES: dict[str, tuple[str, ...]] = {
    "zone": ("zones",),
    "address": ("segments", "hosts", "addresses"),
    "device": ("devices",),
    "service": ("services",),
    "schedule": ("schedules",),
    "policy": ("policies",),
    "expectation": ("expectations",),
}
"""The sections whose names share a space."""
FIRST_OF: dict[str, tuple[str, ...]] = {"end": ("address", "device"), "party": ("address", "device", "zone")}
"""Of the names of several spaces the first that bears one is meant by it."""
Ids = Mapping[str, Sequence[int]]
Called = Mapping[str, str]
Spaces = Mapping[str, Called]
N = TypeVar("N", bound=Any)


@dataclass(frozen=True)
class Rename:
    """One name that became another. `section` is one of the network's, or `rules` with their policy's new name."""

    section: str
    old: str
    new: str
    policy: str = ""


def renames(old: Network, new: Network, ids: tuple[Ids, Ids] | None = None) -> list[Rename]:
    """What has another name and is the same otherwise; rules by their ids if these are given, by policy.

    O(size of both × depth of names in names).
    """
    found: list[Rename] = []
    now = old
    while True:  # a group is recognised once the names in it are
        more = [r for sections in SPACES.values() for r in _alike(sections, now, new)]
        if not more:
            break
        found += more
        now = renamed(now, more)
    return [*found, *_rules(now, new, ids, {fold(r.new): r.old for r in found if r.section == "policies"})]


def renamed(network: Network, found: Iterable[Rename]) -> Network:
    """The network with names changed wherever they stand. O(size of the network).

    Which names a field speaks of is said once, in `references.REFERENCES`; names live in spaces, and a thing may bring one:

    ==================  =================================================  =================================
    where               a name there is one of                             so a rename of
    ==================  =================================================  =================================
    a field             the space that `REFERENCES` names for it           that section changes it
    members             addresses or services, as the object is            either kind's
    ends                addresses, and devices that no address is called   either kind's
    a device's scope    zones, but its own interfaces come first           a zone leaves equal interfaces be
    a policy's parts    the rules of that policy, by its new name          a rule stays in its policy
    ==================  =================================================  =================================
    """
    found = list(found)
    if not found:
        return network
    called = {space: _called(found, sections) for space, sections in SPACES.items()}
    called |= {space: _first_of(spaces, network, called) for space, spaces in FIRST_OF.items()}
    rules = {
        fold(p): _called((r for r in found if r.policy == p), ("rules",)) for p in {r.policy for r in found}
    }
    sections = {name for names in SPACES.values() for name in names} | {"at_hosts"}
    made: dict[str, Any] = {
        name: tuple(_thing(t, called, rules) for t in getattr(network, name)) for name in sections
    }
    return replace(network, **made)


def _first_of(spaces: Iterable[str], network: Network, called: Spaces) -> Called:
    """What names of several spaces become."""
    found: dict[str, str] = {}
    for space in spaces:
        there = {fold(t.name) for section in SPACES[space] for t in getattr(network, section)}
        found = {**{old: new for old, new in called[space].items() if old not in found}, **found}
        found |= {name: name for name in there if name not in found}
    return {old: new for old, new in found.items() if old != new}


def _thing(thing: Any, called: Spaces, rules: Spaces) -> Any:
    """A thing of a network with its names changed, and the spaces of its own that it brings."""
    if isinstance(thing, Device):
        own = {fold(i.name) for i in thing.interfaces}
        called = {**called, "scope": {old: new for old, new in called["zone"].items() if old not in own}}
    elif isinstance(thing, Policy):
        called = {**called, "rule": rules.get(fold(_now(thing.name, called["policy"])), {})}
    elif isinstance(thing, AddressObject | ServiceObject):
        called = {**called, "member": called[REFERENCES[type(thing)]["members"]]}
    return _anew(thing, called)


def _anew(record: N, called: Spaces) -> N:
    changed: dict[str, Any] = {}
    for field, space in REFERENCES[type(record)].items():
        if called.get(space):
            value = getattr(record, field)
            changed[field] = (
                _each(value, called[space])
                if isinstance(value, tuple)
                else value and _now(value, called[space])
            )
    for field in PARTS.get(type(record), ()):
        changed[field] = tuple(_anew(part, called) for part in getattr(record, field))
    return replace(record, **changed) if changed else record


def _alike(sections: tuple[str, ...], old: Network, new: Network) -> list[Rename]:
    """Things that are there on one side only, alike but for their names, and nothing else like them."""
    there = [{fold(t.name) for s in sections for t in getattr(n, s)} for n in (old, new)]
    found = []
    for section in sections:
        gone, come = (
            [t for t in getattr(n, section) if fold(t.name) not in other]
            for n, other in ((old, there[1]), (new, there[0]))
        )
        bare = [[replace(t, name="") for t in things] for things in (gone, come)]
        once = [Counter(things) for things in bare]
        match = {t: thing.name for t, thing in zip(bare[1], come, strict=True) if once[1][t] == 1}
        found += [
            Rename(section, thing.name, match[t])
            for t, thing in zip(bare[0], gone, strict=True)
            if once[0][t] == 1 and t in match
        ]
        found += [
            Rename(section, a.name, b.name)
            for a in getattr(old, section)
            for b in getattr(new, section)
            if a.name != b.name and fold(a.name) == fold(b.name)
        ]
    return found


def _rules(
    old: Network, new: Network, ids: tuple[Ids, Ids] | None, policy_was: Mapping[str, str]
) -> list[Rename]:
    """`old` has its policies' new names; its ids are known by the old ones."""
    before = {fold(p.name): p for p in old.policies}
    found = []
    for policy in new.policies:
        was = before.get(fold(policy.name))
        if was is None or was.rules == policy.rules:
            continue
        there = [{fold(r.name) for r in p.rules} for p in (was, policy)]
        keys: list[list[Any]]
        if ids is not None:
            keys = [
                list(ids[0].get(policy_was.get(fold(policy.name), was.name), ())),
                list(ids[1].get(policy.name, ())),
            ]
        if ids is None or any(len(k) != len(p.rules) for k, p in zip(keys, (was, policy), strict=True)):
            keys = [[replace(r, name="") for r in p.rules] for p in (was, policy)]
        once = [Counter(k) for k in keys]
        now = {k: r.name for k, r in zip(keys[1], policy.rules, strict=True) if once[1][k] == 1}
        for key, rule in zip(keys[0], was.rules, strict=True):
            name = now.get(key, rule.name)
            both = fold(name) not in there[0] and fold(rule.name) not in there[1]
            if name != rule.name and once[0][key] == 1 and (both or fold(name) == fold(rule.name)):
                found.append(Rename("rules", rule.name, name, policy.name))
    return found


def _called(found: Iterable[Rename], sections: Sequence[str]) -> Called:
    return {fold(r.old): r.new for r in found if r.section in sections}


def _now(name: str, called: Called) -> str:
    return called.get(fold(name), name) if called else name


def _each(names: tuple[str, ...], called: Called) -> tuple[str, ...]:
    return tuple(_now(n, called) for n in names) if called else names
