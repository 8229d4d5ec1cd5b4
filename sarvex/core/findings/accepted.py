"""Which findings somebody accepts: an acceptance stands with the rule, policy, name or device that the finding is about."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, fields, replace
from datetime import date
from typing import Any

from sarvex.core.findings.finding import OF_DEVICES, Finding
from sarvex.core.model.records import (
    Accepted,
    AddressObject,
    Device,
    Host,
    Network,
    Policy,
    Rule,
    Schedule,
    Segment,
    ServiceObject,
    fold,
)

Owner = Rule | Policy | Device | AddressObject | ServiceObject | Host | Segment | Schedule
NAMED = "addresses", "services", "hosts", "segments", "schedules"
"""The sections in which a finding's name is looked for, the first that has it."""
NOT_MARKED = {"name", "description", "log", "enabled", "kept", "owner", "accepted"}
"""What of a rule may change without a finding about it being told again."""
LENGTH = 12
NEVER = ("lock-out",)
"""Kinds that nobody can accept: whoever is locked out cannot take it back."""
Identity = tuple[str, ...]


@dataclass(frozen=True)
class About:
    """What a finding is about, and for a rule its policy."""

    owner: Owner
    policy: Policy | None = None


class Owners:
    """The things of a network by what findings call them. O(network) once, then O(1) each."""

    def __init__(self, network: Network) -> None:
        self._policies = {fold(p.name): p for p in network.policies}
        self._rules: dict[str, dict[str, Rule]] = {}
        self._named = {
            section: {fold(t.name): t for t in getattr(network, section)} for section in (*NAMED, "devices")
        }

    def of(self, found: Finding) -> About | None:
        """The thing that a finding is about; None if it is none that findings can be accepted of."""
        if found.kind in NEVER:
            return None
        policy = self._policies.get(fold(found.policy or ""))
        if policy is not None:
            if found.rule is None:
                return About(policy)
            key = fold(policy.name)
            if key not in self._rules:
                self._rules[key] = {fold(r.name): r for r in policy.rules}
            rule = self._rules[key].get(fold(found.rule))
            return About(rule, policy) if rule else None
        for section in ("devices",) if found.kind in OF_DEVICES else NAMED:
            thing = self._named[section].get(fold(found.name or ""))
            if thing is not None:
                return About(thing)
        return None

    def mark(self, found: Finding) -> str:
        """The mark of a finding, see `mark`; empty if it cannot be accepted."""
        about = self.of(found)
        return mark(found, about.owner) if about else ""

    def accepted(self, found: Finding, today: date) -> Accepted | None:
        """How a finding is accepted, if it is."""
        about = self.of(found)
        if about is None:
            return None
        return next((a for a in about.owner.accepted if _is_of(a, found, about.owner, today)), None)


def _is_of(one: Accepted, found: Finding, owner: Owner, today: date) -> bool:
    return (
        one.finding == found.kind
        and one.field in (None, found.field)
        and date.fromisoformat(one.until) >= today
        and one.as_found in ("", mark(found, owner))
    )


def identity(found: Finding) -> Identity:
    """What makes two findings of different versions the same, whatever they say."""
    return (
        found.kind,
        fold(found.policy or ""),
        fold(found.rule or ""),
        fold(found.name or ""),
        found.field or "",
    )


def mark(found: Finding, owner: Owner) -> str:
    """A short mark of what is found: another once it says something else, or its rule matches or does something else."""
    said: list[Any] = [found.kind, found.field, found.members, found.when, found.by]
    if isinstance(owner, Rule):
        said += [getattr(owner, f.name) for f in fields(owner) if f.name not in (*NOT_MARKED, "until")]
        said += [owner.until] if owner.until else []
    else:
        said += [found.name, found.others, found.count, found.facts]
    return hashlib.blake2b(repr(_plain(said)).encode(), digest_size=LENGTH // 2).hexdigest()


def _plain(value: Any) -> Any:
    """What of a value is written alike in every process."""
    if isinstance(value, tuple | list):
        return [_plain(one) for one in value]
    return value if isinstance(value, str | int | None) else type(value).__name__


def accepting(owner: Owner, found: Finding, reason: str, until: str) -> Owner:
    """A thing of which a finding is accepted as it is; what was accepted of the same kind and field before is forgotten."""
    made = Accepted(
        finding=found.kind, field=found.field, reason=reason, until=until, as_found=mark(found, owner)
    )
    return replace(owner, accepted=(*_but(owner, found), made))


def no_more(owner: Owner, found: Finding) -> Owner:
    """A thing of which a finding is not accepted any more."""
    return replace(owner, accepted=tuple(_but(owner, found)))


def _but(owner: Owner, found: Finding) -> Iterable[Accepted]:
    return (a for a in owner.accepted if (a.finding, a.field) != (found.kind, found.field))
