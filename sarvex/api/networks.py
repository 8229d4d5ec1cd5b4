"""Networks, their names, and the questions asked of them."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field
from starlette.responses import PlainTextResponse, Response

from sarvex.api import listing
from sarvex.api.access import LONG, Cached, Editor, Person, Transaction
from sarvex.api.decided import FlowOut, flow_out
from sarvex.api.differences import DifferenceOut, difference_out
from sarvex.api.editing import InDraft, Known
from sarvex.api.listing import PolicyLine, PolicyOut, policy_line_out
from sarvex.api.shapes import Moment, Strict, ThingDone
from sarvex.core.forwarding.course import Place
from sarvex.core.forwarding.journeys import Result, Step
from sarvex.core.model.differences import differences
from sarvex.core.model.records import Network, Policy, fold
from sarvex.core.sets.flows import Flow
from sarvex.core.time import moment_words
from sarvex.formats import document
from sarvex.formats.answers import Reply, Told, ends_of, place_words
from sarvex.formats.questions import complete, dated
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import ask, in_the_way, policy_named
from sarvex.service.drafts import import_formats, networks
from sarvex.service.drafts import settle as settling
from sarvex.service.drafts.apply_document import become
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions import answer_history, versions
from sarvex.service.editions.answer_history import Since, in_force_beside
from sarvex.service.people import roles


class NetworkLine(BaseModel):
    id: int
    name: str
    description: str
    revision: int


class NetworkOut(NetworkLine):
    policies: list[PolicyLine]


class BringIn(Strict):
    """Something to bring into a network. `device`: whose interfaces and routes a device document tells."""

    form: Literal["document", "changes", "csv", "device", "lists"]
    text: str
    device: str = Field(default="", max_length=200)
    request_key: str | None = Field(default=None, max_length=64)


class Settle(Strict):
    """What is to be there, and what is not, by name (`sarvex schema changes`), YAML or JSON. `check`: tell alone."""

    text: str
    check: bool = False
    request_key: str | None = Field(default=None, max_length=64)


class Settled(BaseModel):
    """Whether anything was, or would be, changed, and what."""

    revision: int
    changed: bool
    differences: list[DifferenceOut]


class NewNetwork(Strict):
    """A whole network as a document."""

    text: str


class BringInAt(BringIn):
    """`revision`: the one at which it was looked at."""

    revision: int


class ToCome(BaseModel):
    """What bringing it in would change, and what the text could not tell."""

    notes: list[str]
    differences: list[DifferenceOut]
    revision: int


class StepOut(BaseModel):
    device: str
    stage: str
    policy: str | None
    policy_id: int | None
    rule: str | None
    rule_id: int | None
    position: int | None
    action: Literal["allow", "drop", "reject"]


class EndsOut(BaseModel):
    """A packet by the names of its ends."""

    source: str
    destination: str
    service: str


class PlaceOut(BaseModel):
    """See `sarvex.core.forwarding.course.Place`."""

    device: str
    device_id: int | None
    where: str
    at: str
    """The same with its interface or zones."""
    entering: str | None
    leaving: str | None
    step: StepOut | None
    told: str
    seen: EndsOut | None
    """The packet as this place sees it."""
    became: EndsOut | None
    """What a translation made of it."""


class ObstacleOut(BaseModel):
    """A place that stops a flow, or its answer on the way back."""

    place: PlaceOut
    back: bool


class ObstaclesOut(BaseModel):
    """All of them in order, and what becomes of the flow if they let it pass; null: there are more."""

    places: list[ObstacleOut]
    result: Result | None
    missing: str | None


class CourseOut(BaseModel):
    """The way of a sample there and of its answer back, place by place."""

    source: str
    destination: str
    service: str
    source_segment: str
    destination_segment: str
    there: list[PlaceOut]
    back: list[PlaceOut]


class PartOut(BaseModel):
    result: Result
    symptom: str
    sources: list[str]
    destinations: list[str]
    services: list[str]
    more_services: int
    when: str
    """At which moments; nothing: always."""
    steps: list[StepOut]
    answer: list[StepOut]
    """What decided the answer on its way back, where rules did."""
    missing: str | None
    sample: FlowOut | None
    course: CourseOut


class AnswerOut(BaseModel):
    question: str
    source: str
    destination: str
    service: str
    state: str
    at: str | None
    """The moment asked about, on the network's clock."""
    given: str
    """What is supposed: what is unplugged, where the packets are put; nothing for things as they are."""
    open: Literal["who", "where", "what"] | None
    verdict: Literal["allowed", "blocked", "some", "undetermined", "empty"]
    sentence: str
    note: str
    """What is not meant by the names asked about, or nothing."""
    parts: list[PartOut]
    revision: int
    of: str
    """The version it was asked of."""
    in_force: str | None
    """The answer of what is in force, if that is another verdict than the draft's."""
    since: SinceOut | None


class SinceOut(BaseModel):
    """The change that made an answer what it is. Without one (`change` false) it has been so since `revision`, which is
    the beginning if `whole`."""

    revision: int
    change: bool
    act: str
    person: str
    at: Moment | None
    before: str | None
    """The answer before it; null: it could not be asked then."""
    whole: bool


class SuggestionOut(BaseModel):
    insert: str
    kind: str
    detail: str
    start: int


def reported_out(loaded: Loaded, policy: Policy) -> bool:
    """Whether all that is told of a policy is worked out, or is in a moment."""
    report = loaded.report_soon(policy)
    return loaded.network_findings_soon(patience=0) is not None and report is not None


def all_reported_out(loaded: Loaded) -> bool:
    """Whether all that is told of every policy is worked out by now; if not that is begun."""
    told = [loaded.report_soon(p, patience=0) for p in loaded.network.policies]
    return None not in (*told, loaded.network_findings_soon(patience=0))


def network_out(loaded: Loaded) -> NetworkOut:
    n = loaded.network
    return NetworkOut(
        id=loaded.stored.id,
        name=n.name,
        description=n.description,
        revision=loaded.stored.revision,
        policies=[policy_line_out(loaded, p) for p in n.policies],
    )


def answer_out(
    text: str,
    reply: Reply,
    loaded: Loaded,
    of: str = "draft",
    in_force: str | None = None,
    since: Since | None = None,
) -> AnswerOut:
    asked = reply.asked
    return AnswerOut(
        question=text,
        source=asked.source,
        destination=asked.destination,
        service=asked.service,
        state=asked.state,
        at=moment_words.spell(asked.moment) if asked.moment else None,
        given=asked.given,
        open=asked.open,
        verdict=reply.verdict,
        sentence=reply.sentence,
        note=reply.note,
        revision=loaded.stored.revision,
        of=of,
        in_force=in_force,
        since=SinceOut(**vars(since)) if since else None,
        parts=[
            PartOut(
                result=t.result,
                symptom=t.symptom,
                sources=list(t.sources),
                destinations=list(t.destinations),
                services=list(t.services),
                more_services=t.more_services,
                when=t.when,
                steps=[step_out(s, loaded) for s in t.steps],
                answer=[step_out(s, loaded) for s in t.answer],
                missing=t.missing,
                sample=flow_out(t.sample),
                course=_course(t, loaded),
            )
            for t in reply.parts
        ],
    )


def _course(told: Told, loaded: Loaded) -> CourseOut:
    source, destination, service = told.ends
    there, back = ([_place(p, loaded) for p in some] for some in (told.course.there, told.course.back))
    return CourseOut(
        source=source, destination=destination, service=service,
        source_segment=told.segments[0], destination_segment=told.segments[1], there=there, back=back,
    )  # fmt: skip


def _place(place: Place, loaded: Loaded) -> PlaceOut:
    return PlaceOut(
        device=place.device,
        device_id=loaded.stored.things.get(("device", fold(place.device))),
        where=place.where,
        at=place_words(place, loaded.network),
        entering=place.entering,
        leaving=place.leaving,
        step=step_out(place.step, loaded) if place.step else None,
        told=place.told,
        seen=_ends(place.seen, loaded),
        became=_ends(place.became, loaded),
    )


def _ends(flow: Flow | None, loaded: Loaded) -> EndsOut | None:
    if flow is None:
        return None
    source, destination, service = ends_of(flow, loaded.names)
    return EndsOut(source=source, destination=destination, service=service)


def step_out(step: Step, loaded: Loaded) -> StepOut:
    """A step of a version leads to the draft's rule of that name."""
    policy_id = loaded.stored.things.get(("policy", fold(step.policy))) if step.policy else None
    return StepOut(
        device=step.device,
        stage=step.stage,
        policy=step.policy,
        policy_id=policy_id,
        rule=step.rule,
        rule_id=_rule_id(loaded, policy_id, step),
        position=step.position,
        action=step.action,
    )


def _rule_id(loaded: Loaded, policy_id: int | None, step: Step) -> int | None:
    policy = loaded.stored.policy_of(policy_id) if policy_id is not None else None
    if policy is None or policy_id is None or not step.position:
        return None
    ids = loaded.rule_ids(policy_id)
    at = step.position - 1
    if at < len(ids) and policy.rules[at].name == step.rule:
        return ids[at]
    return next((i for i, r in zip(ids, policy.rules, strict=True) if r.name == step.rule), None)


router = APIRouter(prefix="/api/networks", tags=["networks"])
Text = Annotated[str, Query(max_length=500)]


@router.get("")
def list_networks(session: Transaction, person: Person) -> list[NetworkLine]:
    """All networks that you see, by name."""
    may = roles.in_networks(session, person.id)
    return [
        NetworkLine(id=id_, name=name, description=description, revision=revision)
        for id_, name, description, revision in networks.listing(session)
        if may(id_) != "none" and person.only in (None, id_)
    ]


@router.get("/{network_id}", response_model=NetworkOut)
def get_network(network_id: int, session: Transaction, cache: Cached) -> Response:
    """A network with its policies and what is wrong with it as a whole."""
    loaded = cache.open(session, network_id)
    final = all_reported_out(loaded)
    return _json(loaded, "network", final, lambda: network_out(loaded).model_dump_json().encode())


@router.post("", status_code=201)
def add_network(body: NewNetwork, session: Transaction, person: Editor) -> NetworkLine:
    """Make a new network of a document."""
    network = import_formats.whole(body.text)
    network_id = networks.import_network(session, network, person_id=person.id)
    return NetworkLine(id=network_id, name=network.name, description=network.description, revision=0)


@router.get("/{network_id}/document")
def get_document(
    network_id: int, session: Transaction, cache: Cached, form: Literal["yaml", "json"] = "yaml"
) -> PlainTextResponse:
    """The network as a document."""
    network = cache.open(session, network_id).network
    return PlainTextResponse(
        document.dump(network, form),
        headers={"Content-Disposition": f'attachment; filename="network-{network_id}.{form}"'},
    )


@router.post("/{network_id}/to-come", dependencies=LONG)
def what_would_come(network_id: int, body: BringIn, session: Transaction, cache: Cached, _: Editor) -> ToCome:
    """What bringing something in would change. Changes nothing."""
    loaded = cache.open(session, network_id)
    wanted, notes = import_formats.wanted(loaded.network, body.form, body.text, body.device)
    return ToCome(
        differences=[difference_out(d) for d in differences(loaded.network, wanted)],
        notes=notes,
        revision=loaded.stored.revision,
    )


@router.post("/{network_id}/bring-in")
def bring_in(body: BringInAt, edit: InDraft) -> ThingDone:
    """Bring something in, as it was looked at: one change, which can be taken back."""
    # Read and checked before the network is locked: nobody else waits for that.
    with edit.before(body.request_key) as loaded:
        if loaded is not None and loaded.stored.revision == body.revision:
            wanted, _ = import_formats.wanted(loaded.network, body.form, body.text, body.device)
        else:  # done before, or changed since: which of them is told under the lock
            wanted = Network(name="")

    def act(draft: Draft) -> None:
        become(draft, wanted, body.revision, body.request_key, sound=True)

    loaded, _ = edit(body.request_key, act)
    return ThingDone(revision=loaded.stored.revision, id=None)


@router.post("/{network_id}/settle")
def settle(body: Settle, edit: InDraft) -> Settled:
    """Bring the draft to a wanted state: what is so already stays, and where all is, nothing is done."""
    wishes = settling.wishes_of(body.text)
    if body.check:
        with edit.before(None) as loaded:
            assert loaded is not None
            versions_told = loaded.network, settling.with_wishes(loaded.network, wishes)
    else:
        loaded, made = edit(body.request_key, lambda draft: settling.settle(draft, wishes, body.request_key))
        versions_told = made or (loaded.network, loaded.network)
    told = [difference_out(d) for d in differences(*versions_told)]
    return Settled(revision=loaded.stored.revision, changed=bool(told), differences=told)


@router.get("/{network_id}/policies/{policy_id}", response_model=PolicyOut)
def get_policy(
    network_id: int,
    policy_id: int,
    session: Transaction,
    cache: Cached,
    known: Known = "",
    first: Annotated[int | None, Query(ge=1, le=1000)] = None,
) -> Response:
    """A policy: its rules in order, each with what it decides. `first`: only so many of them, to begin with."""
    loaded = cache.open(session, network_id)
    policy = policy_named(loaded, policy_id)
    if first is not None:
        return Response(listing.beginning(loaded, policy, first), media_type="application/json")
    final = reported_out(loaded, policy)
    if known:
        return Response(listing.written(loaded, policy, known), media_type="application/json")
    return _json(loaded, policy_id, final, lambda: listing.written(loaded, policy))


def _json(loaded: Loaded, what: Hashable, final: bool, write: Callable[[], bytes]) -> Response:
    """What is `final` for this revision is kept."""
    return Response(loaded.text(what, write) if final else write(), media_type="application/json")


@router.get("/{network_id}/answer", dependencies=LONG)
def get_answer(network_id: int, q: Text, session: Transaction, cache: Cached) -> AnswerOut:
    """Answer a question in words, such as `kiosk-3 to gate-server on tcp/18440`.

    It may end with `as of edition 12`, `as of in force` or another version, or with `since when`.
    """
    loaded = cache.open(session, network_id)
    asked = dated(q)
    if asked.of is not None:
        version = versions.version(session, cache, network_id, asked.of)
        return answer_out(q, ask(version.loaded, asked.question), loaded, version.name)
    reply = ask(loaded, asked.question)
    if asked.since:
        return answer_out(q, reply, loaded, since=answer_history.since(session, loaded, asked.question))
    return answer_out(q, reply, loaded, in_force=in_force_beside(session, network_id, asked.question, reply))


@router.get("/{network_id}/answer/obstacles", dependencies=LONG)
def get_obstacles(
    network_id: int, q: Text, part: Annotated[int, Query(ge=0, le=1000)], session: Transaction, cache: Cached
) -> ObstaclesOut:
    """Every place that would have to decide otherwise until the sample of a part of an answer, counted from 0, works."""
    loaded = cache.open(session, network_id)
    told = in_the_way(loaded, q, part)
    return ObstaclesOut(
        places=[ObstacleOut(place=_place(place, loaded), back=back) for place, back in told.places],
        result=told.then.result if told.then else None,
        missing=told.then.missing if told.then else None,
    )


@router.get("/{network_id}/completions")
def get_completions(network_id: int, q: Text, session: Transaction, cache: Cached) -> list[SuggestionOut]:
    """What could stand at the end of a question."""
    return [
        SuggestionOut(insert=s.insert, kind=s.kind, detail=s.detail, start=s.start)
        for s in complete(q, cache.open(session, network_id).network)
    ]
