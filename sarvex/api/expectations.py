"""What must hold, and whether it does."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.decided import FlowOut, flow_out
from sarvex.api.editing import InDraft
from sarvex.api.networks import EndsOut, SinceOut, StepOut, step_out
from sarvex.api.shapes import ProblemOut, Strict, problem_out
from sarvex.core.change.verdicts import VerdictChange, VerdictChanges
from sarvex.core.meaning.check import expectation_problems
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Device, Expectation, fold
from sarvex.core.reach.complements import complements
from sarvex.core.reach.mentioned import mentioned
from sarvex.formats.expectation_text import read
from sarvex.formats.expectations import Told, sentence
from sarvex.service.analysis.expectations import around, judge, reasons, verdicts
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.drafts.draft import Draft
from sarvex.service.drafts.thing_edits import add_things, change_things, delete_things
from sarvex.service.editions.answer_history import held_since
from sarvex.service.errors import NotFound, Refused

router = APIRouter(prefix="/api/networks/{network_id}/expectations", tags=["expectations"])
MOST_TEXT = 2_000_000
Verdict = Literal["kept", "broken", "undetermined", "empty", "ended", "other time"]


class PolicyNamed(BaseModel):
    id: int
    name: str


class Verdicted(BaseModel):
    """Whether something holds, and a packet that says why not, with what stops it or lets it through."""

    verdict: Verdict
    reason: str
    flow: FlowOut | None
    ends: EndsOut | None
    stopped: StepOut | None
    let_through: list[StepOut]
    mended_in: PolicyNamed | None
    """The policy in which a rule would make the packet fare otherwise, if there is one."""


class VerdictChangeOut(Verdicted):
    """An expectation that holds otherwise: what was so, and what would be."""

    id: int | None
    name: str
    sentence: str
    was: Verdict | None


class VerdictChangesOut(BaseModel):
    """What a change breaks and mends of what must hold."""

    breaks: list[VerdictChangeOut]
    mends: list[VerdictChangeOut]
    unknown: list[str]
    """Of these it is not worked out."""


class ExpectationOut(Verdicted):
    """One expectation of the draft, with its identity and version."""

    id: int
    ver: int
    thing: Expectation
    sentence: str


class ExpectationsOut(BaseModel):
    """All expectations in their order."""

    revision: int
    expectations: list[ExpectationOut]


class MentionOut(BaseModel):
    """A pair of segments, or of a segment and a device itself, of which some expectations speak."""

    source: str
    destination: str
    itself: bool
    names: list[str]
    """All of them."""
    bad: list[str]
    """Those of them that do not hold because of packets between this pair, or are not known to hold."""


class AskExpectation(Strict):
    """An expectation that may not be written yet."""

    thing: Expectation


class LookedAt(BaseModel):
    """Whether it would hold, and what belongs around it. Nothing is told while there are problems."""

    problems: list[ProblemOut]
    told: Verdicted | None
    sentence: str


class ComplementOut(Verdicted):
    """What must stay blocked beside something that must be allowed, and how it stands today."""

    kind: Literal["neighbours", "other services", "other family", "other direction"]
    thing: Expectation
    sentence: str
    there: bool
    """Whether something that is there already says so."""


class WayOut(Verdicted):
    """Something near what must be blocked that works, or of which nobody knows, as something that must be blocked itself."""

    kind: Literal[
        "before translation",
        "while unplugged",
        "leased address",
        "same application",
        "other family",
        "other direction",
    ]
    by: str
    """The device and entry that translate, the host with a leased address, or the application."""
    unplugged: str
    """While this device or interface is."""
    thing: Expectation
    sentence: str
    there: bool
    """Whether something that is there already says so."""


class AroundOut(BaseModel):
    """Ways around, and the devices and interfaces that there was no time to unplug."""

    ways: list[WayOut]
    untried: list[str]


class AskAround(Strict):
    """Something that must be blocked: what works near it as things are, or while something is unplugged."""

    thing: Expectation
    unplugged: bool = False


class AskText(Strict):
    """Sentences, or a table from a sheet."""

    text: str = Field(max_length=MOST_TEXT)


class LineOut(BaseModel):
    """One line of a text: what was understood, whether it holds today, or what is the matter with it."""

    number: int
    text: str
    thing: Expectation | None
    sentence: str
    verdict: Verdict | None
    problem: str
    note: str


class LinesOut(BaseModel):
    lines: list[LineOut]


class AddExpectations(Strict):
    """Several new expectations: all of them or none, one step of undo."""

    things: list[Expectation] = Field(min_length=1, max_length=10_000)
    request_key: str | None = Field(default=None, max_length=64)


class ManyExpectations(Strict):
    """One act on several: they are deleted, or get what is given; one step of undo."""

    expectations: list[tuple[int, int]] = Field(min_length=1, max_length=10_000)
    """Each with the version of it that was seen."""
    act: Literal["delete", "change"]
    owner: str | None = None
    until: str | None = None
    at: str | None = None
    """What is left out stays; an empty text takes it away."""
    request_key: str | None = Field(default=None, max_length=64)


class AddedExpectations(BaseModel):
    revision: int
    ids: list[int]


@router.get("", dependencies=LONG)
def get_expectations(network_id: int, session: Transaction, cache: Cached) -> ExpectationsOut:
    """What must hold, and whether it does; of what does not, a packet that says why."""
    loaded = cache.open(session, network_id)
    stored = loaded.stored
    told = []
    for one in reasons(loaded):
        id_ = stored.things["expectation", fold(one.expectation.name)]
        told.append(
            ExpectationOut(
                id=id_, ver=stored.versions[id_], thing=one.expectation, sentence=sentence(one.expectation),
                **verdicted(loaded, one),
            )
        )  # fmt: skip
    return ExpectationsOut(revision=stored.revision, expectations=told)


@router.get("/pairs", dependencies=LONG)
def get_pairs(network_id: int, session: Transaction, cache: Cached) -> list[MentionOut]:
    """The pairs that expectations speak of, each with whether all of these hold."""
    loaded = cache.open(session, network_id)
    found = mentioned((one.judged for one in reasons(loaded)), loaded.network, loaded.names)
    return [
        MentionOut(
            source=pair.source.name,
            destination=pair.destination.name,
            itself=isinstance(pair.destination, Device),
            names=[one.expectation.name for one in pair.by],
            bad=[one.expectation.name for one in pair.bad],
        )
        for pair in found
    ]


@router.get("/{expectation_id}/since", dependencies=LONG)
def get_since(network_id: int, expectation_id: int, session: Transaction, cache: Cached) -> SinceOut:
    """The change since which something that must hold does not, as far back as can be looked in a moment."""
    loaded = cache.open(session, network_id)
    stored = loaded.stored
    for one in reasons(loaded):
        if stored.things["expectation", fold(one.expectation.name)] == expectation_id:
            return SinceOut(**vars(held_since(session, loaded, one)))
    raise NotFound("it is gone")


@router.post("", status_code=201)
def add_expectations(body: AddExpectations, edit: InDraft) -> AddedExpectations:
    """Add several at once."""
    loaded, ids = edit(body.request_key, lambda d: add_things(d, body.things, body.request_key))
    return AddedExpectations(revision=loaded.stored.revision, ids=ids or [])


@router.post("/many")
def change_expectations(body: ManyExpectations, edit: InDraft) -> AddedExpectations:
    """Delete several, or let others answer for them, until another day, at another time."""
    vers = dict(body.expectations)
    given = {key: told for key in ("owner", "until", "at") if (told := getattr(body, key)) is not None}
    if body.act == "change" and not given:
        raise Refused([Problem(("act",), "change needs an owner, an until or an at")])
    if body.act == "delete" and given:
        raise Refused([Problem((key,), "what is deleted gets nothing") for key in given])
    if "at" in given:
        given["at"] = given["at"].strip() or None

    def act(draft: Draft) -> None:
        if any(draft.thing(id_)[0] != "expectation" for id_ in vers):
            raise NotFound("one of them is nothing that must hold")
        if body.act == "delete":
            delete_things(draft, vers, body.request_key)
        else:
            change_things(draft, vers, lambda one: replace(one, **given), body.request_key)

    loaded, _ = edit(body.request_key, act)
    return AddedExpectations(revision=loaded.stored.revision, ids=list(vers))


@router.post("/look", dependencies=LONG)
def look_at(network_id: int, body: AskExpectation, session: Transaction, cache: Cached) -> LookedAt:
    """Whether an expectation would hold in the draft. Changes nothing."""
    loaded = cache.open(session, network_id)
    problems = [p for p in expectation_problems(body.thing, loaded.names) if p.path != ("name",)]
    if problems:
        return LookedAt(problems=[problem_out(p) for p in problems], told=None, sentence="")
    (one,) = judge(loaded, [body.thing])
    return LookedAt(problems=[], told=Verdicted(**verdicted(loaded, one)), sentence=sentence(body.thing))


@router.post("/complements", dependencies=LONG)
def get_complements(
    network_id: int, body: AskExpectation, session: Transaction, cache: Cached
) -> list[ComplementOut]:
    """What belongs around something that must be allowed: what must stay blocked, and whether it is."""
    loaded = cache.open(session, network_id)
    if expectation_problems(body.thing, loaded.names):
        return []
    found = complements(body.thing, loaded.network, loaded.names)
    there = {_key(one) for one in loaded.network.expectations if one.must == "blocked"}
    told = judge(loaded, [one.expectation for one in found])
    return [
        ComplementOut(
            kind=one.kind, thing=one.expectation, sentence=sentence(one.expectation), there=_key(one.expectation) in there,
            **verdicted(loaded, how),
        )
        for one, how in zip(found, told, strict=True)
    ]  # fmt: skip


@router.post("/around", dependencies=LONG)
def get_around(network_id: int, body: AskAround, session: Transaction, cache: Cached) -> AroundOut:
    """The ways around something that must be blocked, the nearest first: near flows that still work. Changes nothing."""
    loaded = cache.open(session, network_id)
    if expectation_problems(body.thing, loaded.names):
        return AroundOut(ways=[], untried=[])
    there = {_key(one) for one in loaded.network.expectations if one.must == "blocked"}
    found, untried = around(loaded, body.thing, body.unplugged)
    ways = [
        WayOut(
            kind=way.kind, by=way.by, unplugged=way.unplugged, thing=way.judged.expectation, sentence=sentence(way.judged.expectation),
            there=not way.unplugged and _key(way.judged.expectation) in there, **_unplugged(verdicted(loaded, how), way.unplugged),
        )
        for way, how in found
    ]  # fmt: skip
    return AroundOut(ways=ways, untried=untried)


def _unplugged(told: dict[str, Any], name: str) -> dict[str, Any]:
    """A verdict whose packet is asked about while something is unplugged."""
    flow = told["flow"]
    if name and flow is not None:
        quoted = f'"{name}"' if " " in name else name
        told["flow"] = flow.model_copy(update={"question": f"{flow.question} without {quoted}"})
    return told


def _key(one: Expectation) -> object:
    return tuple(frozenset(map(fold, side)) for side in (one.source, one.destination, one.service))


@router.post("/read", dependencies=LONG)
def read_text(network_id: int, body: AskText, session: Transaction, cache: Cached) -> LinesOut:
    """What sentences and tables mean, line by line, and whether it holds. Changes nothing."""
    loaded = cache.open(session, network_id)
    found = read(body.text, loaded.names, loaded.network.expectations)
    understood = [line.expectation for line in found if line.expectation]
    holds = iter(verdicts(loaded, understood))
    return LinesOut(lines=[
        LineOut(
            number=line.number, text=line.text[:1000], thing=line.expectation, sentence=sentence(line.expectation) if line.expectation else "",
            verdict=next(holds).verdict if line.expectation else None, problem=line.problem, note=line.note,
        )
        for line in found
    ])  # fmt: skip


def verdicted(loaded: Loaded, one: Told) -> dict[str, Any]:
    """A verdict with its reason, as the API tells it."""
    ends = EndsOut(source=one.ends[0], destination=one.ends[1], service=one.ends[2]) if one.sample else None
    return {
        "verdict": one.judged.verdict,
        "reason": one.reason,
        "flow": flow_out(one.sample),
        "ends": ends,
        "stopped": step_out(one.stopped, loaded) if one.stopped else None,
        "let_through": [step_out(step, loaded) for step in one.let_through],
        "mended_in": _policy(loaded, one.mended_in),
    }


def _policy(loaded: Loaded, name: str | None) -> PolicyNamed | None:
    id_ = loaded.stored.things.get(("policy", fold(name))) if name else None
    return PolicyNamed(id=id_, name=name) if name and id_ is not None else None


def verdict_changes_out(loaded: Loaded, found: VerdictChanges, reasons: Iterable[Told]) -> VerdictChangesOut:
    """What a change breaks and mends, with the reasons for what is so afterwards."""
    reason = {fold(one.expectation.name): one for one in reasons}
    ways: dict[bool, list[VerdictChangeOut]] = {True: [], False: []}
    for change in found.changes:
        if change.after is not None and (change.breaks or change.mends):
            told = reason[fold(change.after.expectation.name)]
            ways[change.breaks].append(_verdict_out(loaded, change, told))
    return VerdictChangesOut(
        breaks=ways[True], mends=ways[False], unknown=[one.name for one in found.unknown]
    )


def _verdict_out(loaded: Loaded, change: VerdictChange, told: Told) -> VerdictChangeOut:
    one = told.expectation
    return VerdictChangeOut(
        id=loaded.stored.things.get(("expectation", fold(one.name))), name=one.name, sentence=sentence(one),
        was=change.before.verdict if change.before else None, **verdicted(loaded, told),
    )  # fmt: skip
