"""What is found, as data: its kind, what it is about, and what a sentence about it needs. Words are made above the core
(`sarvex.formats.finding_words`)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from sarvex.core.model.records import Field, FindingKind

Weight = Literal["error", "warning", "note"]
Kind = FindingKind
DEFAULT_NAME = "default"
OF_DEVICES = (
    "no way out", "cluster members differ", "exposed management", "lock-out", "idle entry", "admits nobody",
    "turn without source translation", "published from outside only", "half a pair", "open to newcomers",
)  # fmt: skip
"""Kinds of findings whose name is a device's."""
Place = tuple[int | None, str]
"""A rule by its position, counted from 1, and name; the default has no position."""


@dataclass(frozen=True)
class Finding:
    """Something proven or observed. `rule` is None when it is about the policy or a name."""

    kind: Kind
    weight: Weight
    policy: str | None
    rule: str | None
    by: tuple[str, ...] = ()
    name: str | None = None
    field: Field | None = None
    """The field of the rule it is about, and `members` the members of it that could go."""
    members: tuple[str, ...] = ()
    when: str = ""
    """At which moments it holds, in words; nothing: at all of them."""
    others: tuple[Place, ...] = ()
    """The first of the rules that it is about besides, and `count` how many they are."""
    count: int = 0
    facts: tuple[tuple[str, Any], ...] = ()
    """What else there is to say, by the names that the sentence of its kind knows."""

    def fact(self, name: str) -> Any:
        """One of its facts; None if it has none of that name."""
        return dict(self.facts).get(name)


def facts(**known: Any) -> tuple[tuple[str, Any], ...]:
    """Facts of a finding."""
    return tuple(known.items())
