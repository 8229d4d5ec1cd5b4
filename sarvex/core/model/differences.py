"""What differs between two networks as they are written: things by name, not packets."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, fields
from typing import Any, Literal

from sarvex.core.model.records import Network, fold

SECTIONS = (
    "zones",
    "segments",
    "hosts",
    "devices",
    "addresses",
    "services",
    "schedules",
    "policies",
    "expectations",
)
INSIDE = {
    "rules": "rule", "interfaces": "interface", "translate_destination": "destination translation",
    "translate_source": "source translation", "steering": "steering",
}  # fmt: skip
"""What is in a thing, by its field, in one word."""
PLURAL = {"translate_destination": "destination translations", "translate_source": "source translations"}
Change = Literal["added", "removed", "changed"]
MOST_MOVED = 20
"""Rules that moved are named, unless it is more like another order of all."""


@dataclass(frozen=True)
class Difference:
    """One thing that differs. `what` names the fields, or tells of rules and interfaces inside."""

    section: str
    name: str
    change: Change
    what: tuple[str, ...] = ()


def differences(old: Network, new: Network) -> list[Difference]:
    """All that differs between two networks, section by section in document order.

    Things are the same by their names (upper and lower case alike), rules by policy and name; see `renames` for names that
    changed. What means the same and is written otherwise is a difference too; for what means something else see
    `change.effect`. O(size of both).
    """
    found = [
        d for section in SECTIONS for d in _things(section, getattr(old, section), getattr(new, section))
    ]
    if old.at_hosts != new.at_hosts:
        found.append(Difference("at_hosts", "at hosts", "changed"))
    what = tuple(
        field.replace("_", " ")
        for field in ("name", "description", "time_zone")
        if getattr(old, field) != getattr(new, field)
    )
    if what:
        found.append(Difference("network", new.name, "changed", what))
    return found


def _things(section: str, old: Sequence[Any], new: Sequence[Any]) -> Iterator[Difference]:
    before, after = ({fold(t.name): t for t in things} for things in (old, new))
    for key, thing in after.items():
        if key not in before:
            yield Difference(section, thing.name, "added")
        elif before[key] != thing:
            yield Difference(section, thing.name, "changed", tuple(_what(before[key], thing)))
    for key, thing in before.items():
        if key not in after:
            yield Difference(section, thing.name, "removed")


def _what(old: Any, new: Any) -> Iterator[str]:
    for field in fields(old):
        a, b = getattr(old, field.name), getattr(new, field.name)
        if a == b:
            continue
        if field.name in INSIDE:
            inside = list(_things(field.name, a, b))
            yield from (f"{INSIDE[field.name]} {d.name} {d.change}" for d in inside)
            old_order, new_order = ([fold(t.name) for t in things] for things in (a, b))
            gone = moved(old_order, new_order)
            if field.name == "rules" and len(gone) <= MOST_MOVED:
                name = {fold(t.name): t.name for t in b}
                yield from (f"rule {name[key]} moved" for key in gone)
            elif gone:
                yield f"order of {PLURAL.get(field.name, field.name)}"
        else:
            yield field.name.removesuffix("_").replace("_", " ")


def moved(old: Sequence[str], new: Sequence[str]) -> list[str]:
    """Fewest names that changed their places among those in both, in the new order: what is left of a longest common
    subsequence (Schensted 1961). Names are different. O(n log n)."""
    place = {name: at for at, name in enumerate(old)}
    both = [name for name in new if name in place]
    ends: list[int] = []  # the lowest place in the old list at which a sequence of each length can end
    lengths = []
    for name in both:
        at = bisect_left(ends, place[name])
        ends[at : at + 1] = [place[name]]
        lengths.append(at + 1)
    stays, wanted = set(), len(ends)
    for name, length in zip(reversed(both), reversed(lengths), strict=True):
        if length == wanted:
            stays.add(name)
            wanted -= 1
    return [name for name in both if name not in stays]
