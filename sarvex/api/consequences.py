"""What an edit would do before it is made. Nothing here changes anything; a newer question ends an older one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request

from sarvex.api import shapes, views
from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.ground import PLACES, whole
from sarvex.api.names import thing_of
from sarvex.core.model.records import Schedule, Zone
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import pinned
from sarvex.service.drafts import consequences
from sarvex.service.drafts.consequences import Askers, Consequence, Patience
from sarvex.store.things import Clock

router = APIRouter(prefix="/api/networks/{network_id}", tags=["consequences"])


def askers(request: Request) -> Askers:
    """Who asked what last."""
    found: Askers = request.app.state.askers
    return found


InAskers = Annotated[Askers, Depends(askers)]


def _patience(asked: Askers, body: shapes.AskingEffect) -> Patience:
    return Patience(asked.asks(body.asker, body.generation), body.patience)


@router.post("/policies/{policy_id}/consequence", dependencies=LONG)
def consequence_of_edit(
    network_id: int,
    policy_id: int,
    body: shapes.AskEffect,
    session: Transaction,
    cache: Cached,
    asked: InAskers,
) -> shapes.ConsequenceOut:
    """What an edit of a policy would do there: what opens, what closes, where the rule would work."""
    patience = _patience(asked, body)
    loaded = cache.open(session, network_id)
    told = consequences.of_edit(loaded, policy_id, body.edit, patience)
    return _out(loaded, body.generation, told)


@router.post("/names/{name_id}/consequence", dependencies=LONG)
def consequence_of_name(
    network_id: int,
    name_id: int,
    body: shapes.AskNameEffect,
    session: Transaction,
    cache: Cached,
    asked: InAskers,
) -> shapes.ConsequenceOut:
    """What a change of an address or service object would do in every policy that uses it, through groups too."""
    patience = _patience(asked, body)
    loaded = cache.open(session, network_id)
    is_service = consequences.kind_of(loaded, name_id) == "service"
    told = consequences.of_thing(loaded, name_id, thing_of(is_service, body.thing), patience)
    return _out(loaded, body.generation, told)


def _asking(record: type[Any]) -> Callable[..., shapes.ConsequenceOut]:
    def ask(
        network_id: int,
        thing_id: int,
        body: Any,
        session: Transaction,
        cache: Cached,
        asked: InAskers,
    ) -> shapes.ConsequenceOut:
        whole(body.thing)
        patience = _patience(asked, body)
        loaded = cache.open(session, network_id)
        of = consequences.of_thing if record is Schedule else consequences.of_ground
        return _out(loaded, body.generation, of(loaded, thing_id, body.thing, patience))

    ask.__annotations__["body"] = shapes.AskThingEffect[record]  # type: ignore[valid-type]
    ask.__doc__ = f"What a change of a {record.__name__.lower()} would do wherever it is felt."
    return ask


for _plural, _record in PLACES.items():
    if _record not in (Zone, Clock):
        _name = f"consequence_of_{_plural.replace('-', '_')}"
        router.post(f"/things/{_plural}/{{thing_id}}/consequence", name=_name, dependencies=LONG)(
            _asking(_record)
        )


@router.post("/pins", dependencies=LONG)
def pins(
    network_id: int, body: shapes.AskPins, session: Transaction, cache: Cached, asked: InAskers
) -> shapes.PinsOut:
    """Pinned questions through the whole network, as it is and as an edit would make it."""
    go_on = asked.asks(f"pins {body.asker}", body.generation)
    loaded = cache.open(session, network_id)
    after = (
        consequences.edited(loaded, body.policy_id, body.edit)
        if body.edit is not None and body.policy_id is not None
        else None
    )
    told = pinned(loaded, after, body.questions, go_on)
    return shapes.PinsOut(generation=body.generation, pins=[shapes.PinOut(**vars(pin)) for pin in told])


def _out(loaded: Loaded, generation: int, told: Consequence) -> shapes.ConsequenceOut:
    effects = [views.policy_effect(loaded, *one) for one in told.effects]
    effects += [views.stage_effect(loaded, *one) for one in told.stages]
    return shapes.ConsequenceOut(
        generation=generation,
        revision=loaded.stored.revision,
        problems=[views.problem(p) for p in told.problems],
        policies=effects,
        come=[views.finding(f) for f in told.come],
        go=[views.finding(f) for f in told.go],
        look=views.look(loaded, told.look, told.effects[0]) if told.look else None,
    )
