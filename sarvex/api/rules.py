"""Edits of a policy's rules. Each answers with the policy as it is then."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Mapping
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field

from sarvex.api import listing
from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.decided import FEW, RuleRef, refs_out
from sarvex.api.editing import InDraft
from sarvex.api.history import HistoryEntry, history_out
from sarvex.api.listing import PolicyOut
from sarvex.api.shapes import Sought, Strict
from sarvex.core.findings.tidy import Tidied
from sarvex.core.model.edits import (
    Amend,
    ChangeMember,
    Delete,
    Edit,
    Insert,
    Move,
    Place,
    ReplaceMember,
    Says,
    Switch,
    Write,
)
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Field as ModelField
from sarvex.core.model.records import Policy, Rule, Section
from sarvex.formats.finding_words import step_text
from sarvex.formats.flow_table import ERROR, Table
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import decide, decide_through, policy_named, tidied
from sarvex.service.drafts import found, history, rule_edits
from sarvex.service.drafts.draft import Draft
from sarvex.service.errors import Refused


class TidyStep(BaseModel):
    """One rule that could go; for a merge `by` takes over its members in `field`."""

    rule: RuleRef
    why: Literal["matches nothing", "decided earlier", "same later", "merged"]
    by: list[RuleRef]
    field: ModelField | None
    text: str


class ToTidy(BaseModel):
    """The steps from last to first; all of them together change nothing."""

    revision: int
    steps: list[TidyStep]
    undecided: list[str]
    left: int


class Tidy(Strict):
    """Rules that are to go, by id. `into`: those that may take over members of them."""

    rules: list[int] = Field(min_length=1, max_length=100_000)
    into: list[int] = Field(default=[], max_length=100_000)
    merge: bool = False
    request_key: str | None = Field(default=None, max_length=64)


class Flows(Strict):
    """Flows as CSV (RFC 4180); those that tell no moment are meant `at` one, in words, if it is given."""

    text: str = Field(max_length=20_000_000)
    at: str = Field(default="", max_length=100)


class Decider(BaseModel):
    """How many flows a rule, the default (no id) or nothing (`error`) decided; without a policy its name says what ended them."""

    verdict: str
    rule: RuleRef
    policy: str
    flows: int


class DecidedFlows(BaseModel):
    """The flows with verdict, rule and policy, the first of them as rows, all of them as CSV."""

    revision: int
    columns: list[str]
    results: int
    """How many of them, the last, tell the result."""
    rows: list[list[str]]
    total: int
    errors: int
    deciders: list[Decider]
    csv: str


class AddRule(Strict):
    rule: Rule
    place: Place
    request_key: str | None = Field(default=None, max_length=64)


class ChangeRule(Strict):
    """`place`: where it goes, if not where it is."""

    rule: Rule
    ver: int
    place: Place | None = None
    request_key: str | None = Field(default=None, max_length=64)


class MoveRule(Strict):
    place: Place
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class ManyRules(Strict):
    """One act on several rules, by id and version: all of it or nothing, one step of undo."""

    rules: list[tuple[int, int]] = Field(min_length=1, max_length=20_000)
    act: Literal[
        "enable", "disable", "delete", "move", "add member", "remove member", "replace member", "amend"
    ]
    place: Place | None = None
    field: ModelField | None = None
    member: str | None = Field(default=None, max_length=300)
    by: str | None = Field(default=None, max_length=300)
    """The member that stands instead of another."""
    says: Says | None = None
    """What each is to say besides what it matches."""
    request_key: str | None = Field(default=None, max_length=64)


class SectionIn(Strict):
    """A section that begins at a rule, or (null) at the end of the list."""

    section: Section
    before_id: int | None = None
    request_key: str | None = Field(default=None, max_length=64)


class ChangeSection(Strict):
    section: Section
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class Edited(BaseModel):
    """The policy after an edit; `rule_id` is the rule it was about."""

    rule_id: int | None
    policy: PolicyOut


MOST_FLOWS = 20_000


def to_tidy_out(loaded: Loaded, p: Policy, told: Tidied) -> ToTidy:
    """The steps of tidying a policy."""
    ref = refs_out(loaded, p).ref
    return ToTidy(
        revision=loaded.stored.revision,
        steps=[
            TidyStep(
                rule=ref(s.rule), why=s.why, by=[ref(n) for n in s.by[:FEW]], field=s.field, text=step_text(s)
            )
            for s in told.steps
        ],
        undecided=list(told.undecided),
        left=len(told.policy.rules),
    )


def decided_flows_out(loaded: Loaded, table: Table) -> DecidedFlows:
    """A decided table, with how many flows each rule decided."""
    at = len(table.columns) - len(table.results)
    counts = Counter(
        (row[at], *(("", "") if row[at] == ERROR else row[at + 1 : at + 3])) for row in table.rows
    )
    asked = {policy for _, _, policy in counts}
    refs = {p.name: refs_out(loaded, p) for p in loaded.network.policies if p.name in asked}

    def ref(verdict: str, rule: str, policy: str) -> RuleRef:
        """By the list it is in; what no list decides by its words."""
        if verdict == ERROR:
            return RuleRef(id=None, name=ERROR, position=None)
        return refs[policy].ref(rule) if policy else RuleRef(id=None, name=rule, position=None)

    return DecidedFlows(
        revision=loaded.stored.revision,
        columns=table.columns,
        results=len(table.results),
        rows=table.rows[:MOST_FLOWS],
        total=len(table.rows),
        errors=table.errors,
        deciders=[
            Decider(verdict=v, rule=ref(v, rule, policy), policy=policy, flows=n)
            for (v, rule, policy), n in counts.most_common()
        ],
        csv=table.text(),
    )


REVISION, RULE = "Sarvex-Revision", "Sarvex-Rule"
router = APIRouter(prefix="/api/networks/{network_id}", tags=["rules"])


def _edited(edit: InDraft, policy_id: int, key: str | None, act: Callable[[Draft], int | None]) -> Response:
    """The policy after the edit; or, to whoever wants no more, the revision and the rule in the headers of nothing."""
    loaded, rule_id = edit(key, act)
    if edit.minimal:
        told = {"Preference-Applied": "return=minimal", REVISION: str(loaded.stored.revision)}
        return Response(status_code=204, headers=told | ({RULE: str(rule_id)} if rule_id else {}))
    policy = listing.written(loaded, policy_named(loaded, policy_id), edit.known)
    body = b'{"rule_id":%b,"policy":%b}' % (json.dumps(rule_id).encode(), policy)
    return Response(body, status_code=edit.status, media_type="application/json")


def _made(
    edit: InDraft,
    policy_id: int,
    key: str | None,
    wanted: Edit,
    vers: Mapping[int, int],
    about: int | None = None,
) -> Response:
    """The policy after an edit of its rules; `about` is the one rule that it is about, if it is not a new one."""
    return _edited(
        edit, policy_id, key, lambda draft: rule_edits.make(draft, policy_id, wanted, vers, key) or about
    )


@router.post("/policies/{policy_id}/rules", status_code=201, response_model=Edited)
def add_rule(policy_id: int, body: AddRule, edit: InDraft) -> Any:
    """Add a rule between two neighbours."""
    return _made(edit, policy_id, body.request_key, Insert(rule=body.rule, place=body.place), {})


@router.put("/policies/{policy_id}/rules/{rule_id}", response_model=Edited)
def change_rule(policy_id: int, rule_id: int, body: ChangeRule, edit: InDraft) -> Any:
    """Replace a rule's content, where it stands or at another place."""
    wanted = Write(rule_key=rule_id, rule=body.rule, place=body.place)
    return _made(edit, policy_id, body.request_key, wanted, {rule_id: body.ver}, rule_id)


@router.post("/policies/{policy_id}/rules/{rule_id}/move", response_model=Edited)
def move_rule(policy_id: int, rule_id: int, body: MoveRule, edit: InDraft) -> Any:
    """Move a rule between two neighbours of its policy."""
    wanted = Move(rules=(rule_id,), place=body.place)
    return _made(edit, policy_id, body.request_key, wanted, {rule_id: body.ver}, rule_id)


@router.delete("/policies/{policy_id}/rules/{rule_id}", response_model=Edited)
def delete_rule(policy_id: int, rule_id: int, ver: int, edit: InDraft, request_key: str | None = None) -> Any:
    """Delete a rule."""
    return _made(edit, policy_id, request_key, Delete(rules=(rule_id,)), {rule_id: ver})


@router.post("/policies/{policy_id}/rules/many", response_model=Edited)
def change_rules(policy_id: int, body: ManyRules, edit: InDraft) -> Any:
    """One act on several rules: enable, disable, delete, move together, add, remove or replace a member, say something else."""
    vers = dict(body.rules)
    return _made(edit, policy_id, body.request_key, _of_many(body, tuple(vers)), vers)


def _of_many(body: ManyRules, ids: tuple[int, ...]) -> Edit:
    """The edit that a body asks for. Raises `Refused` for what it leaves out."""
    match body:
        case ManyRules(act="move", place=Place() as place):
            return Move(rules=ids, place=place)
        case ManyRules(act="delete"):
            return Delete(rules=ids)
        case ManyRules(act="enable" | "disable"):
            return Switch(rules=ids, enabled=body.act == "enable")
        case ManyRules(act="add member" | "remove member", field=str() as field, member=str() as member):
            return ChangeMember(rules=ids, field=field, member=member, there=body.act == "add member")
        case ManyRules(act="replace member", field=str() as field, member=str() as member, by=str() as by):
            return ReplaceMember(rules=ids, field=field, member=member, by=by)
        case ManyRules(act="amend", says=Says() as says):
            return Amend(rules=ids, says=says)
    needed = {"move": ["place"], "amend": ["says"], "replace member": ["field", "member", "by"]}.get(
        body.act, ["field", "member"]
    )
    missing = [name for name in needed if getattr(body, name) is None]
    raise Refused([Problem((name,), f"{body.act} needs a {name}") for name in missing])


class FoundRules(BaseModel):
    """The rules that fit, by id, in order."""

    revision: int
    ids: list[int]


@router.get("/policies/{policy_id}/found", dependencies=LONG)
def find_rules(
    network_id: int, policy_id: int, session: Transaction, cache: Cached, source: Sought = "", destination: Sought = "",
    service: Sought = "", by: Sought = "", changed: Sought = "",
) -> FoundRules:  # fmt: skip
    """The rules that speak of an address, of a service, or that somebody changed last. Changes nothing."""
    loaded = cache.open(session, network_id)
    wanted = found.Wanted(source, destination, service, by, changed)
    return FoundRules(revision=loaded.stored.revision, ids=found.found(session, loaded, policy_id, wanted))


@router.get("/policies/{policy_id}/tidy", dependencies=LONG)
def to_tidy(
    network_id: int,
    policy_id: int,
    session: Transaction,
    cache: Cached,
    merge: bool = False,
    keep: Annotated[list[int] | None, Query(max_length=10_000)] = None,
) -> ToTidy:
    """The rules that could go without any change, from last to first, each with its reason. Changes nothing."""
    loaded = cache.open(session, network_id)
    return to_tidy_out(loaded, policy_named(loaded, policy_id), tidied(loaded, policy_id, merge, keep or ()))


@router.post("/policies/{policy_id}/tidy", response_model=Edited)
def tidy(policy_id: int, body: Tidy, edit: InDraft) -> Any:
    """Take out exactly these rules, if that is proven to change nothing as the list is now."""

    def act(draft: Draft) -> None:
        rule_edits.tidy(draft, policy_id, body.rules, body.into, body.merge, body.request_key)

    return _edited(edit, policy_id, body.request_key, act)


@router.post("/policies/{policy_id}/decide", dependencies=LONG)
def decide_flows(
    network_id: int, policy_id: int, body: Flows, session: Transaction, cache: Cached
) -> DecidedFlows:
    """Verdict and deciding rule of each flow of a CSV text in one policy."""
    loaded = cache.open(session, network_id)
    return decided_flows_out(loaded, decide(loaded, policy_id, body.text, body.at))


@router.post("/decide", dependencies=LONG)
def decide_flows_through(network_id: int, body: Flows, session: Transaction, cache: Cached) -> DecidedFlows:
    """Verdict of each flow of a CSV text through the whole network, what decides it, and the devices it comes by."""
    loaded = cache.open(session, network_id)
    return decided_flows_out(loaded, decide_through(loaded, body.text, body.at))


@router.post("/policies/{policy_id}/sections", status_code=201, response_model=Edited)
def add_section(policy_id: int, body: SectionIn, edit: InDraft) -> Any:
    """Begin a named section at a rule."""

    def act(draft: Draft) -> None:
        rule_edits.add_section(draft, policy_id, body.section, body.before_id, body.request_key)

    return _edited(edit, policy_id, body.request_key, act)


@router.put("/policies/{policy_id}/sections/{section_id}", response_model=Edited)
def change_section(policy_id: int, section_id: int, body: ChangeSection, edit: InDraft) -> Any:
    """Rename or describe a section."""

    def act(draft: Draft) -> None:
        rule_edits.change_section(draft, policy_id, section_id, body.ver, body.section, body.request_key)

    return _edited(edit, policy_id, body.request_key, act)


@router.delete("/policies/{policy_id}/sections/{section_id}", response_model=Edited)
def delete_section(
    policy_id: int, section_id: int, ver: int, edit: InDraft, request_key: str | None = None
) -> Any:
    """Take a section away; its rules stay."""

    def act(draft: Draft) -> None:
        rule_edits.delete_section(draft, policy_id, section_id, ver, request_key)

    return _edited(edit, policy_id, request_key, act)


@router.get("/rules/{rule_id}/history")
def rule_history(network_id: int, rule_id: int, session: Transaction) -> list[HistoryEntry]:
    """All changes of a rule, newest first; it keeps its identity when it moves or is edited."""
    return history_out(history.of_row(session, network_id, "rule", rule_id))
