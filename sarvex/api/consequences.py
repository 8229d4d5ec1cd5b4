"""What an edit would do before it is made. Nothing here changes anything; a newer question ends an older one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Generic, Literal

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.decided import FEW, AdviceOut, Decided, FindingOut, RuleRef, StarvedOut, finding_out, flow_out
from sarvex.api.effects import (
    NetworkEffectOut,
    PolicyEffect,
    list_effect_out,
    network_effect_out,
    policy_effect_out,
    stage_effect_out,
)
from sarvex.api.expectations import VerdictChangesOut, verdict_changes_out
from sarvex.api.ground import PLACES, whole
from sarvex.api.listing import PENDING
from sarvex.api.names import FEW_VALUES, NameIn, thing_of
from sarvex.api.shapes import ProblemOut, Strict, T, problem_out
from sarvex.core.change.effect import Effect
from sarvex.core.change.network_effect import NetworkEffect
from sarvex.core.meaning.names import Names, ends_of
from sarvex.core.model.edits import (
    Amend,
    ChangeDefault,
    ChangeMember,
    Delete,
    Insert,
    Move,
    ReplaceMember,
    Switch,
    Write,
)
from sarvex.core.model.records import Expectation, Schedule, Segment, Zone
from sarvex.service.analysis.expectations import changed_by
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import pinned
from sarvex.service.analysis.reach import known_reach
from sarvex.service.drafts import consequences
from sarvex.service.drafts.consequences import Askers, Consequence, Look, Patience
from sarvex.store.things import INSIDE, KIND_OF, Clock

EditIn = Annotated[
    Insert | Write | Move | Delete | Switch | ChangeMember | ReplaceMember | Amend | ChangeDefault,
    Field(discriminator="act"),
]
"""An edit of a policy that is not made yet; its rules are told by id."""


class Asking(Strict):
    """Who asks, and the how-manieth question it is: a newer one of the same asker ends the work on this."""

    asker: str = Field(default="", max_length=64)
    generation: int = 0


class AskingEffect(Asking):
    """How long each effect may be worked on, in seconds; what is not settled by then is told to be left."""

    patience: float = Field(default=0.08, ge=0, le=10)
    network: bool = False
    """Whether the effect in the network is wanted, too; else it is told only if it is known at once."""


class AskEffect(AskingEffect):
    edit: EditIn


class AskPins(Asking):
    """Questions to answer as things are, and as if an edit of a policy were made."""

    policy_id: int | None = None
    edit: EditIn | None = None
    questions: list[str] = Field(max_length=20)


class AskNameEffect(AskingEffect):
    """An address or service object as it should be."""

    thing: NameIn


class AskThingEffect(AskingEffect, Generic[T]):
    """A thing as it should be."""

    thing: T


class AskNew(AskingEffect, Generic[T]):
    """A thing that is not there yet; what is in a device has that as its parent."""

    thing: T
    parent_id: int | None = None


class AskNewcomer(AskingEffect):
    """A segment that is not there yet, on a new interface of a device, in a zone or none."""

    thing: Segment
    device_id: int
    zone: str | None = None


class AskEntryMoved(AskingEffect):
    """Before which entry of its list one would stand; null: at the end."""

    before_id: int | None


class LookOut(BaseModel):
    """The rule an edit is about, where it would stand."""

    position: int
    decided: Decided
    advice: AdviceOut | None
    expands: dict[str, list[str]]
    hints: list[str]
    """What may not be meant."""


class ConsequenceOut(BaseModel):
    """What an edit would do. Nothing is told while there are problems."""

    generation: int
    revision: int
    problems: list[ProblemOut]
    policies: list[PolicyEffect]
    network: NetworkEffectOut | None
    """What it would do in the network; null where that was not asked for, or there is no ground."""
    expectations: VerdictChangesOut | None
    """What it would break and mend; null where that was not asked for, or nothing must hold."""
    ground: bool
    """Whether there is ground for it to do something there."""
    look: LookOut | None
    come: list[FindingOut]
    go: list[FindingOut]
    """Warnings about rules of a policy that an edit of it brings, and that it mends; of long lists none are told."""


class PinOut(BaseModel):
    """A question answered as things are and as they would be; null where it cannot be asked (any more)."""

    question: str
    before: Literal["allowed", "blocked", "some", "undetermined", "empty"] | None
    after: Literal["allowed", "blocked", "some", "undetermined", "empty"] | None
    sentence: str


class PinsOut(BaseModel):
    generation: int
    pins: list[PinOut]


def look_out(loaded: Loaded, seen: Look, of: tuple[Effect, Names, tuple[int, ...]]) -> LookOut:
    """The rule an edit is about, where it would stand among the rules that are there now."""
    told, standing = of[0], seen.standing
    ids = loaded.rule_ids(loaded.stored.policy_id(told.old.name))

    def ref(k: int) -> RuleRef:
        at = standing.place(k) if standing else k + 1
        position = at if at < seen.place else at + 1  # the rule itself stands between
        return RuleRef(id=ids[k], name=told.old.rules[k].name, position=position)

    if standing is None:
        undecided = PENDING.model_copy(update={"decides": "undecided"})
        return LookOut(
            position=seen.place, decided=undecided, advice=None, expands=seen.expands, hints=seen.hints
        )
    advice, by, decides = standing.advice(), standing.takers_at(seen.place), standing.decides_at(seen.place)
    dead = decides == "none" and bool(by)
    outcome = standing.rule.outcome
    shadowed = any(told.old.rules[k].outcome != outcome for k in by)
    return LookOut(
        position=seen.place,
        decided=Decided(
            decides=decides,
            kind=None if not dead else "shadowed" if shadowed else "redundant",
            cause="earlier" if dead else None,
            by=[ref(k) for k in by[:FEW]],
            by_count=len(by),
            taken=flow_out(standing.taken_at(seen.place)),
            witness=flow_out(standing.witness_at(seen.place)),
            exception_of=[],
            works=None,
        ),
        advice=None
        if advice is None
        else AdviceOut(
            all_until=advice.all_until,
            some_until=advice.some_until,
            best=advice.best,
            starves=[StarvedOut(rule=ref(s.position), until=s.until) for s in advice.starves[:FEW_VALUES]],
        ),
        expands=seen.expands,
        hints=seen.hints,
    )


router = APIRouter(prefix="/api/networks/{network_id}", tags=["consequences"])


def askers(request: Request) -> Askers:
    """Who asked what last."""
    found: Askers = request.app.state.askers
    return found


InAskers = Annotated[Askers, Depends(askers)]


def _patience(asked: Askers, body: AskingEffect) -> Patience:
    return Patience(asked.asks(body.asker, body.generation), body.patience)


@router.post("/policies/{policy_id}/consequence", dependencies=LONG)
def consequence_of_edit(
    network_id: int,
    policy_id: int,
    body: AskEffect,
    session: Transaction,
    cache: Cached,
    asked: InAskers,
) -> ConsequenceOut:
    """What an edit of a policy would do there: what opens, what closes, where the rule would work."""
    patience = _patience(asked, body)
    loaded = cache.open(session, network_id)
    told = consequences.of_edit(loaded, policy_id, body.edit, patience)
    return _out(loaded, body, told, patience)


@router.post("/policies/{policy_id}/rules/{rule_id}/ending", dependencies=LONG)
def consequence_of_ending(
    network_id: int,
    policy_id: int,
    rule_id: int,
    body: AskingEffect,
    session: Transaction,
    cache: Cached,
    asked: InAskers,
) -> ConsequenceOut:
    """What becomes otherwise when a rule that is there for a while ends."""
    patience = _patience(asked, body)
    loaded = cache.open(session, network_id)
    return _out(loaded, body, consequences.of_ending(loaded, policy_id, rule_id, patience), patience)


@router.post("/names/{name_id}/consequence", dependencies=LONG)
def consequence_of_name(
    network_id: int,
    name_id: int,
    body: AskNameEffect,
    session: Transaction,
    cache: Cached,
    asked: InAskers,
) -> ConsequenceOut:
    """What a change of an address or service object would do in every policy that uses it, through groups too."""
    patience = _patience(asked, body)
    loaded = cache.open(session, network_id)
    is_service = consequences.kind_of(loaded, name_id) == "service"
    told = consequences.of_thing(loaded, name_id, thing_of(is_service, body.thing), patience)
    return _out(loaded, body, told, patience)


def _asking(record: type[Any]) -> Callable[..., ConsequenceOut]:
    def ask(
        network_id: int,
        thing_id: int,
        body: Any,
        session: Transaction,
        cache: Cached,
        asked: InAskers,
    ) -> ConsequenceOut:
        whole(body.thing)
        patience = _patience(asked, body)
        loaded = cache.open(session, network_id)
        of = consequences.of_thing if record is Schedule else consequences.of_ground
        return _out(loaded, body, of(loaded, thing_id, body.thing, patience), patience)

    ask.__annotations__["body"] = AskThingEffect[record]  # type: ignore[valid-type]
    ask.__doc__ = f"What a change of a {record.__name__.lower()} would do wherever it is felt."
    return ask


for _plural, _record in PLACES.items():
    if _record not in (Zone, Clock, Expectation):  # those of the last do nothing to packets
        _name = f"consequence_of_{_plural.replace('-', '_')}"
        router.post(f"/things/{_plural}/{{thing_id}}/consequence", name=_name, dependencies=LONG)(
            _asking(_record)
        )


def _asking_new(record: type[Any]) -> Callable[..., ConsequenceOut]:
    def ask(
        network_id: int, body: Any, session: Transaction, cache: Cached, asked: InAskers
    ) -> ConsequenceOut:
        whole(body.thing)
        patience = _patience(asked, body)
        loaded = cache.open(session, network_id)
        told = consequences.of_new(loaded, body.parent_id, body.thing, patience)
        return _out(loaded, body, told, patience)

    ask.__annotations__["body"] = AskNew[record]  # type: ignore[valid-type]
    ask.__doc__ = f"What one more {record.__name__.lower()} would do wherever it is felt."
    return ask


for _plural, _record in PLACES.items():
    if KIND_OF[_record] in (*INSIDE, "segment", "host", "device"):
        router.post(f"/things/{_plural}/consequence", name=f"consequence_of_new_{_plural.replace('-', '_')}", dependencies=LONG)(
            _asking_new(_record)
        )  # fmt: skip


@router.post("/newcomer/consequence", dependencies=LONG)
def consequence_of_newcomer(
    network_id: int, body: AskNewcomer, session: Transaction, cache: Cached, asked: InAskers
) -> ConsequenceOut:
    """What a new segment would reach, and who would reach it: on a device, in a zone, led to as its neighbours are."""
    patience = _patience(asked, body)
    loaded = cache.open(session, network_id)
    problems, told, names = consequences.of_newcomer(loaded, body.thing, body.device_id, body.zone, patience)
    return ConsequenceOut(
        generation=body.generation, revision=loaded.stored.revision, problems=[problem_out(p) for p in problems],
        policies=[], network=None if problems else network_effect_out(told, names), expectations=None, ground=True, look=None, come=[], go=[],
    )  # fmt: skip


@router.post("/things/{thing_id}/deletion/consequence", dependencies=LONG)
def consequence_of_deletion(
    network_id: int,
    thing_id: int,
    body: AskingEffect,
    session: Transaction,
    cache: Cached,
    asked: InAskers,
) -> ConsequenceOut:
    """What would be otherwise without a segment, host, device, interface or entry of a device's list."""
    patience = _patience(asked, body)
    loaded = cache.open(session, network_id)
    return _out(loaded, body, consequences.of_gone(loaded, thing_id, patience), patience)


@router.post("/things/{entry_id}/move/consequence", dependencies=LONG)
def consequence_of_move(
    network_id: int,
    entry_id: int,
    body: AskEntryMoved,
    session: Transaction,
    cache: Cached,
    asked: InAskers,
) -> ConsequenceOut:
    """What a device would do otherwise with an entry somewhere else in its list."""
    patience = _patience(asked, body)
    loaded = cache.open(session, network_id)
    told = consequences.of_entry_moved(loaded, entry_id, body.before_id, patience)
    return _out(loaded, body, told, patience)


@router.post("/pins", dependencies=LONG)
def pins(network_id: int, body: AskPins, session: Transaction, cache: Cached, asked: InAskers) -> PinsOut:
    """Pinned questions through the whole network, as it is and as an edit would make it."""
    go_on = asked.asks(f"pins {body.asker}", body.generation)
    loaded = cache.open(session, network_id)
    after = (
        consequences.edited(loaded, body.policy_id, body.edit)
        if body.edit is not None and body.policy_id is not None
        else None
    )
    if after is not None:
        loaded = loaded.telling(ends_of(after))
    told = pinned(loaded, after, body.questions, go_on)
    return PinsOut(generation=body.generation, pins=[PinOut(**vars(pin)) for pin in told])


def _out(loaded: Loaded, body: AskingEffect, told: Consequence, patience: Patience) -> ConsequenceOut:
    known = known_reach(loaded, patience.go_on) if body.network else None
    network = consequences.in_network(told, patience, body.network, known)
    effects = [policy_effect_out(loaded, *one) for one in told.effects]
    effects += [stage_effect_out(loaded, *one) for one in told.stages]
    effects += [list_effect_out(*one) for one in told.lists]
    return ConsequenceOut(
        generation=body.generation,
        revision=loaded.stored.revision,
        problems=[problem_out(p) for p in told.problems],
        policies=effects,
        ground=bool(loaded.network.devices),
        network=network_effect_out(network, told.versions.after) if network and told.versions else None,
        expectations=_verdicts_out(loaded, told, network, patience) if body.network else None,
        come=[finding_out(f) for f in told.come],
        go=[finding_out(f) for f in told.go],
        look=look_out(loaded, told.look, told.effects[0]) if told.look else None,
    )


def _verdicts_out(
    loaded: Loaded, told: Consequence, network: NetworkEffect | None, patience: Patience
) -> VerdictChangesOut | None:
    of = told.versions
    if of is None or not (of.old.expectations or of.new.expectations):
        return None
    found, reasons = changed_by(loaded, of, network, consequences.until(patience))
    return verdict_changes_out(loaded, found, reasons)
