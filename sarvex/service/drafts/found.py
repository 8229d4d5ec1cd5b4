"""Rules of a policy looked for by what they speak of, names by what they stand for, both by who changed them last and when."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import NameCycle, UnknownName
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Rule, ServiceObject, fold
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import policy_named
from sarvex.service.errors import Refused
from sarvex.store import tables as t
from sarvex.store.things import KIND_OF

SPANS = {"h": "hours", "d": "days", "w": "weeks"}
ANY = "any"


@dataclass(frozen=True)
class Wanted:
    """What is looked for; what is empty is not."""

    source: str = ""
    destination: str = ""
    service: str = ""
    by: str = ""
    changed: str = ""


@dataclass(frozen=True)
class LastChange:
    """Who changed a rule last, and when."""

    at: datetime
    login: str
    name: str


def found(session: Session, loaded: Loaded, policy_id: int, wanted: Wanted) -> list[int]:
    """The ids of the rules that fit all that is told, in order.

    source, destination, service: names or values; a rule fits if its field and that have something in common. What a rule says of `any` it says
    of nobody: it fits only `any` itself. by: a part of the name or sign-in name of whoever changed it last. changed: since a span (`36h`, `7d`,
    `2w`) or a date. Raises `Refused` with what is not understood, and `NotFound`.
    """
    policy = policy_named(loaded, policy_id)
    fits = _by_fields(loaded, wanted)
    since = _since(wanted.changed) if wanted.changed else None
    ids = loaded.rule_ids(policy_id)
    chosen = [
        id_ for id_, rule, match in zip(ids, policy.rules, matches_of(policy, loaded.names), strict=True) if all(fit(rule, match) for fit in fits)
    ]  # fmt: skip
    if not wanted.by and since is None:
        return chosen
    of = _newest("rule", loaded.stored.id).join(t.Rule, t.Rule.id == t.ChangeItem.row_id)
    last = _last_changes(session, of.where(t.Rule.policy_id == policy_id))
    return [id_ for id_ in chosen if _is_last(last.get(id_), wanted.by, since)]


@dataclass(frozen=True)
class WantedNames:
    """What is looked for among the names; what is empty is not."""

    holds: str = ""
    within: str = ""
    by: str = ""
    changed: str = ""


def names_found(session: Session, loaded: Loaded, wanted: WantedNames) -> list[int]:
    """The ids of hosts, segments, address and service objects that fit all that is told.

    holds: a value or name that is wholly in what the name stands for. within: one that all of it is in; what stands for nothing is in none.
    by, changed: as of rules. Raises `Refused` with what is not understood.
    """
    names, network = loaded.names, loaded.network
    asked = {field: _value(getattr(wanted, field), field, loaded) for field in ("holds", "within")}
    since = _since(wanted.changed) if wanted.changed else None
    fitting: list[int] = []
    for thing in (*network.address_things(), *network.services):
        own = names.service(thing.name) if isinstance(thing, ServiceObject) else names.address(thing.name)
        if _in(asked["holds"], own) and (
            asked["within"] is None or (_any(own) and _in(own, asked["within"]))
        ):
            fitting.append(loaded.stored.things[KIND_OF[type(thing)], fold(thing.name)])
    if not wanted.by and since is None:
        return fitting
    last = _last_changes(session, _newest("thing", loaded.stored.id))
    return [id_ for id_ in fitting if _is_last(last.get(id_), wanted.by, since)]


Value = addresses.AddressSet | services.ServiceSet


def _value(text: str, field: str, loaded: Loaded) -> Value | None:
    """What a name or a value stands for: addresses, or else services. Raises `Refused`."""
    if not text.strip():
        return None
    try:
        return loaded.names.address(text)
    except (UnknownName, NameCycle) as error:
        try:
            return loaded.names.service(text)
        except (UnknownName, NameCycle):
            raise Refused([Problem((field,), str(error))]) from None


def _in(one: Value | None, other: Value) -> bool:
    """Whether one, if anything is told, lies wholly in another of its kind."""
    if one is None:
        return True
    if isinstance(one, addresses.AddressSet) and isinstance(other, addresses.AddressSet):
        return addresses.covers(other, one)
    if isinstance(one, services.ServiceSet) and isinstance(other, services.ServiceSet):
        return not _any(services.difference(one, other))
    return False


def _any(some: Value) -> bool:
    return any(len(some[f]) for f in FAMILIES)


def _is_last(one: LastChange | None, by: str, since: datetime | None) -> bool:
    """Whether somebody changed it last, since then."""
    word = by.casefold()
    return (
        one is not None
        and (since is None or one.at >= since)
        and (word in one.login.casefold() or word in one.name.casefold())
    )


def _newest(kind: str, network_id: int) -> Any:
    """The newest change of every row of a kind."""
    return (
        select(t.ChangeItem.row_id, func.max(t.Change.id).label("change_id"))
        .join(t.Change, t.Change.id == t.ChangeItem.change_id)
        .where(t.ChangeItem.kind == kind, t.Change.network_id == network_id)
        .group_by(t.ChangeItem.row_id)
    )


def _last_changes(session: Session, of: Any) -> dict[int, LastChange]:
    """Of each row that somebody changed since it was brought in: the last change."""
    newest = of.subquery()
    rows = session.execute(
        select(newest.c.row_id, t.Change.at, t.Person.login, t.Person.name)
        .join(t.Change, t.Change.id == newest.c.change_id)
        .outerjoin(t.Person, t.Person.id == t.Change.person_id)
    )
    return {
        r.row_id: LastChange(r.at.replace(tzinfo=UTC), r.login or "", r.name or "the command line")
        for r in rows
    }


Fit = Callable[[Rule, object], bool]


def _by_fields(loaded: Loaded, wanted: Wanted) -> list[Fit]:
    fits: list[Fit] = []
    problems: list[Problem] = []
    for field in ("source", "destination", "service"):
        text = getattr(wanted, field).strip()
        if not text:
            continue
        if text.casefold() == ANY:
            fits.append(lambda rule, _, field=field: ANY in rule.members(field))  # type: ignore[misc]
            continue
        try:
            asked = loaded.names.service(text) if field == "service" else loaded.names.address(text)
        except (UnknownName, NameCycle, addresses.InvalidAddress, services.InvalidService) as error:
            problems.append(Problem((field,), str(error)))
            continue
        fits.append(lambda rule, match, field=field, asked=asked: ANY not in rule.members(field) and _meet(getattr(match, field), asked))  # type: ignore[misc]  # fmt: skip
    if problems:
        raise Refused(problems)
    return fits


def _meet(one: object, other: object) -> bool:
    if isinstance(one, addresses.AddressSet) and isinstance(other, addresses.AddressSet):
        return _any(addresses.intersection(one, other))
    assert isinstance(one, services.ServiceSet) and isinstance(other, services.ServiceSet)
    return _any(services.intersection(one, other))


def _since(text: str) -> datetime:
    span = re.fullmatch(r"(\d{1,4})([hdw])", text.strip().lower())
    if span:
        return datetime.now(UTC) - timedelta(**{SPANS[span[2]]: int(span[1])})
    try:
        at = datetime.fromisoformat(text.strip())
    except ValueError:
        told = f"{text!r} is no span (36h, 7d, 2w) and no date (2026-11-27)"
        raise Refused([Problem(("changed",), told)]) from None
    return at if at.tzinfo else at.replace(tzinfo=UTC)
