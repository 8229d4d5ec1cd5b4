"""The first network: what a plan and a few answers come to, and beginning with it."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from sarvex.api import ground_view
from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.editing import InDraft
from sarvex.api.ground_view import GroundOut
from sarvex.api.shapes import ProblemOut, Strict, ThingDone, problem_out
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Member, Name, Network
from sarvex.formats.first_network import Answers, First, first_network
from sarvex.formats.plan_text import Row, read
from sarvex.service.drafts.apply_document import become
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions.versions import bare
from sarvex.service.errors import Refused

router = APIRouter(prefix="/api/networks/{network_id}/first", tags=["first network"])
MOST_TEXT = 200_000
THERE = "this network has a ground already; bring in what comes later under Ground"


class FirstAnswers(Strict):
    """What the plan did not say."""

    order: list[Name] = Field(default=[], max_length=200)
    """Zones, the outermost first."""
    device: Name = ""
    lets: Literal["outward", "everything", "nothing"] = "outward"
    uplink: Member = ""
    next_hop: Member = ""
    hides: bool = False
    addresses: dict[str, Member] = Field(default={}, max_length=2_000)
    """Of the device, by segment."""
    managed_from: Name = ""
    """The segment from which the device is managed."""
    serves: list[Literal["name service", "time", "ping"]] = Field(default=[], max_length=3)
    """What the device itself answers to everybody inside; only with `managed_from`, else everything is open."""
    must: str = Field(default="", max_length=400)
    must_not: str = Field(default="", max_length=400)


class Plan(Strict):
    """A plan as it was written or pasted, with the answers to what was asked."""

    text: str = Field(max_length=MOST_TEXT)
    answers: FirstAnswers = FirstAnswers()


class BeginPlan(Plan):
    """`revision`: the one at which it was looked at."""

    revision: int
    request_key: str | None = Field(default=None, max_length=64)


class PlanLine(BaseModel):
    number: int
    words: str
    problem: str


class AskedOut(BaseModel):
    """Something that nothing says, and what would be usual."""

    kind: Literal["device", "address", "uplink", "next hop"]
    about: str
    usual: str


class WantedOut(BaseModel):
    """A wish: whether it holds by itself, and with the rule that is written for it where it does not."""

    text: str
    problem: str
    alone: str
    verdict: str


class PlanTold(BaseModel):
    """What was understood, what is asked, and what would be there."""

    lines: list[PlanLine]
    asked: list[AskedOut]
    zones: list[str]
    device: str
    usual: list[str]
    wanted: list[WantedOut]
    problems: list[ProblemOut]
    ground: GroundOut
    revision: int


@router.post("/look", dependencies=LONG)
def look_at(network_id: int, body: Plan, session: Transaction, cache: Cached) -> PlanTold:
    """What a plan comes to, line by line and as a whole. Changes nothing."""
    loaded = cache.open(session, network_id)
    rows, first = _first(loaded.network, body)
    alone = bare(network_id, replace(first.network, policies=(), expectations=()))
    return PlanTold(
        lines=[PlanLine(number=r.number, words=r.words, problem=r.problem) for r in rows],
        asked=[AskedOut(**vars(a)) for a in first.asked],
        zones=list(first.zones),
        device=first.network.devices[0].name,
        usual=list(first.usual),
        wanted=[
            WantedOut(text=w.text, problem=w.problem, alone=w.alone, verdict=w.verdict) for w in first.wanted
        ],
        problems=[problem_out(p) for p in first.problems],
        ground=ground_view.ground(alone, alone),
        revision=loaded.stored.revision,
    )


@router.post("/begin")
def begin(body: BeginPlan, edit: InDraft) -> ThingDone:
    """Begin with what was looked at: one change, which can be taken back."""

    # Read and judged before the network is locked: nobody else waits for that.
    with edit.before(body.request_key) as loaded:
        wanted = Network(name="")  # done before, or changed since: which of them is told under the lock
        if loaded is not None and loaded.stored.revision == body.revision:
            wanted = _sound(loaded.network, body)

    def act(draft: Draft) -> None:
        become(draft, wanted, body.revision, body.request_key, act="begin", sound=True)

    after, _ = edit(body.request_key, act)
    return ThingDone(revision=after.stored.revision, id=None)


def _sound(network: Network, body: Plan) -> Network:
    """The network to begin with. Raises `Refused` with every line and answer that is not understood."""
    rows, first = _first(network, body)
    found = [
        *(Problem(("lines", r.number), r.problem) for r in rows if r.problem),
        *first.problems,
        *(Problem(("answers", "must"), w.problem) for w in first.wanted if w.problem),
    ]
    if found:
        raise Refused(found)
    return first.network


def _first(network: Network, body: Plan) -> tuple[list[Row], First]:
    """Raises `Refused` where there is a ground already."""
    if network.segments or network.devices or network.policies:
        raise Refused([Problem(("text",), THERE)])
    rows = read(body.text)
    told = body.answers
    answers = Answers(
        tuple(told.order), told.device.strip(), told.lets, told.uplink, told.next_hop, told.hides,
        dict(told.addresses), told.managed_from.strip(), tuple(told.serves), told.must, told.must_not,
    )  # fmt: skip
    return rows, first_network(network, rows, answers)
