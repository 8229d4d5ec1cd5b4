"""Findings of the draft: where each is, whether somebody accepts it, and what is new since an edition."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator
from hashlib import blake2b
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import Field
from sqlalchemy.orm import Session

from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.decided import FindingOut, finding_out
from sarvex.api.editing import InDraft
from sarvex.api.shapes import Strict, ThingDone
from sarvex.core.findings.accepted import Identity, identity
from sarvex.core.findings.finding import OF_DEVICES, Finding
from sarvex.core.model.records import LONGEST_WORDS, fold
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.drafts import acceptances
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions import comparisons, versions
from sarvex.service.errors import NotFound
from sarvex.service.releases.draft_lock_outs import draft_lock_outs

router = APIRouter(prefix="/api/networks/{network_id}", tags=["findings"])

NamedKind = Literal["address", "service", "host", "segment", "schedule", "device"]
NAMED: tuple[NamedKind, ...] = ("address", "service", "host", "segment", "schedule")
WEIGHTS = ("error", "warning", "note")
GONE = "it is not found any more: what it is about was changed meanwhile"


class PlacedFinding(FindingOut):
    """A finding with the records it is about."""

    key: str
    """Another one once it says something else; empty if it cannot be accepted."""
    policy_id: int | None
    rule_id: int | None
    rule_ver: int | None
    name_id: int | None
    name_kind: NamedKind | None
    position: int | None
    fresh: bool
    """Whether the edition that was asked about had nothing of its kind there."""


class TakeBackIn(Strict):
    """A finding, as it is told just now, that is accepted no more."""

    key: str = Field(max_length=40)
    request_key: str | None = Field(default=None, max_length=64)


class AcceptIn(TakeBackIn):
    """One that may stay until a date."""

    reason: str = Field(max_length=LONGEST_WORDS)
    until: str = Field(max_length=10)
    """The last day (ISO 8601)."""


@router.get("/findings", dependencies=LONG)
def get_findings(
    network_id: int,
    session: Transaction,
    cache: Cached,
    since: Annotated[
        int | None, Query(description="The number of an edition: what is new since then is told.")
    ] = None,
) -> list[PlacedFinding]:
    """Everything that is wrong or superfluous, the heaviest first, with where it is."""
    loaded = cache.open(session, network_id)
    known = None
    if since is not None:
        known = comparisons.known_before(
            versions.edition(session, network_id, since), versions.of_draft(loaded)
        )
    placed = _Placing(loaded, known)
    told = [placed.of(f) for f in _all(session, network_id, loaded)]
    return sorted(told, key=lambda f: WEIGHTS.index(f.weight))


@router.post("/findings/acceptances", dependencies=LONG)
def accept(body: AcceptIn, edit: InDraft) -> ThingDone:
    """Accept a finding until a date: it is kept with the rule, name, device or policy that it is about."""
    return _edited(
        body,
        edit,
        lambda d, found, said: acceptances.accept(d, found, said, body.reason, body.until, body.request_key),
    )


@router.post("/findings/acceptances/back", dependencies=LONG)
def take_back(body: TakeBackIn, edit: InDraft) -> ThingDone:
    """Accept a finding no more: it is told as before."""
    return _edited(body, edit, lambda d, found, said: acceptances.take_back(d, found, said, body.request_key))


def _edited(body: TakeBackIn, edit: InDraft, act: Callable[[Draft, Finding, str], None]) -> ThingDone:
    """What is done about a finding, as it was told and marked. Raises `NotFound`."""
    with edit.before(body.request_key) as before:
        found = _keyed(before, body.key) if before else ()
    loaded, _ = edit(body.request_key, lambda draft: act(draft, *found))
    return ThingDone(revision=loaded.stored.revision, id=None)


def _keyed(loaded: Loaded, key: str) -> tuple[Finding, str]:
    """The finding of a key, and the mark of what it says. Raises `NotFound`."""
    for found in comparisons.findings(loaded):
        if _key(loaded, found) == key:
            return found, loaded.owners.mark(found)
    raise NotFound(GONE)


def _key(loaded: Loaded, found: Finding) -> str:
    said = loaded.owners.mark(found)
    return blake2b(repr((identity(found), said)).encode(), digest_size=8).hexdigest() if said else ""


def _all(session: Session, network_id: int, loaded: Loaded) -> Iterator[Finding]:
    yield from draft_lock_outs(session, network_id, loaded)
    yield from comparisons.findings(loaded)


class _Placing:
    """Where findings are in the records. known: what an edition had; None: everything is as old as is asked."""

    def __init__(self, loaded: Loaded, known: Container[Identity] | None) -> None:
        self._loaded, self._known = loaded, known
        policies = loaded.network.policies
        self._at = {p.name: {rule.name: i for i, rule in enumerate(p.rules)} for p in policies}

    def of(self, f: Finding) -> PlacedFinding:
        """A finding with its place."""
        loaded, stored = self._loaded, self._loaded.stored
        policy_id = stored.policy_id(f.policy) if f.policy else None
        index = self._at[f.policy][f.rule] if f.policy and f.rule and policy_id is not None else None
        rule = stored.rules[policy_id][index] if policy_id is not None and index is not None else None
        name = fold(f.name or "")
        kinds: tuple[NamedKind, ...] = ("device",) if f.kind in OF_DEVICES else NAMED
        kind = next((k for k in kinds if f.name and (k, name) in stored.things), None)
        return PlacedFinding(
            **finding_out(f, loaded.accepted(f)).model_dump(),
            key=_key(loaded, f), policy_id=policy_id, rule_id=rule.id if rule else None, rule_ver=rule.ver if rule else None,
            name_id=stored.things[kind, name] if kind else None, name_kind=kind,
            position=None if index is None else index + 1,
            fresh=self._known is not None and identity(f) not in self._known,
        )  # fmt: skip
