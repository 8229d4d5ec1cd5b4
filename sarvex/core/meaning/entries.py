"""What entries of translation and steering match, and how they are written."""

from __future__ import annotations

from sarvex.core.meaning.matches import Match, match_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Entry, Rule
from sarvex.core.sets import intervals
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import ServiceSet


def as_rule(entry: Entry) -> Rule:
    """A rule that matches what an entry matches."""
    return Rule(
        name=entry.name, action="allow", source=entry.source, destination=entry.destination, service=entry.service,
        negate=entry.negate, schedule=getattr(entry, "schedule", None), enabled=entry.enabled, description=entry.description,
    )  # fmt: skip


def match_of_entry(entry: Entry, names: Names, families: str = "both") -> Match:
    """The match of an entry, in whichever state, as `match_of` has it of a rule. Whether it is enabled does not matter."""
    return match_of(as_rule(entry), names, families)


def ports_of(text: str) -> tuple[int, int]:
    """A port or a range of ports, such as `8443` or `8000-8007`. Raises `ValueError`."""
    low, _, high = text.partition("-")
    return int(low), int(high or low)


def asked_ports(service: ServiceSet) -> Intervals:
    """The ports that services ask for, of both families together."""
    return intervals.union((int(low), int(high)) for f in FAMILIES for low, high in service[f][:, 2])
