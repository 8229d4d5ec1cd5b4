"""The ground: zones, segments, hosts, devices, policies as things, each with its own row and version."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Generic

from fastapi import APIRouter, Query
from pydantic import Field

from sarvex.api import ground_view
from sarvex.api.access import Cached, Transaction
from sarvex.api.editing import InDraft
from sarvex.api.ground_view import GroundOut
from sarvex.api.shapes import Strict, T, ThingDone
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import (
    DestinationTranslation,
    Device,
    Expectation,
    Host,
    Interface,
    Policy,
    Schedule,
    Segment,
    SourceTranslation,
    Steering,
    Zone,
)
from sarvex.service.drafts import thing_edits
from sarvex.service.drafts.thing_edits import WORD
from sarvex.service.editions import versions
from sarvex.service.errors import Refused
from sarvex.store.things import KIND_OF, KINDS, ONE_OF, AtHosts, Clock


class AddThing(Strict, Generic[T]):
    """A new thing. `parent_id`: the device of an interface, a translation or an entry of its steering."""

    thing: T
    parent_id: int = 0
    request_key: str | None = Field(default=None, max_length=64)


class ChangeThing(Strict, Generic[T]):
    """A thing as it should be, over the version that was read."""

    thing: T
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


router = APIRouter(prefix="/api/networks/{network_id}", tags=["ground"])
PLACES: dict[str, type[Any]] = {
    "zones": Zone, "segments": Segment, "hosts": Host, "devices": Device, "interfaces": Interface,
    "destination-translations": DestinationTranslation, "source-translations": SourceTranslation, "steering": Steering,
    "policies": Policy, "at-hosts": AtHosts, "schedules": Schedule, "clock": Clock,
    "expectations": Expectation,
}  # fmt: skip


@router.get("/ground")
def get_ground(
    network_id: int,
    session: Transaction,
    cache: Cached,
    of: Annotated[str | None, Query(max_length=64)] = None,
) -> GroundOut:
    """Everything that is there, with what devices do by default between zones.

    of: another version than the draft, such as `edition 12`; its things have the ids that they have in the draft, or 0.
    """
    loaded = cache.open(session, network_id)
    if of is None:
        return ground_view.ground(loaded)
    return ground_view.ground(versions.version(session, cache, network_id, of).loaded, loaded)


@router.delete("/things/{thing_id}")
def delete_thing(thing_id: int, ver: int, edit: InDraft, request_key: str | None = None) -> ThingDone:
    """Delete what nothing refers to; a device goes with what is inside it, a policy with its rules."""
    loaded, _ = edit(request_key, lambda d: thing_edits.delete_thing(d, thing_id, ver, request_key))
    return ThingDone(revision=loaded.stored.revision, id=None)


class MoveEntry(Strict):
    """Where in its list an entry goes: before another, or at the end."""

    before_id: int | None
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


@router.post("/things/{thing_id}/move")
def move_entry(thing_id: int, body: MoveEntry, edit: InDraft) -> ThingDone:
    """Put a translation or an entry of steering somewhere else in its list: the first that matches decides."""
    loaded, _ = edit(
        body.request_key,
        lambda d: thing_edits.move_entry(d, thing_id, body.ver, body.before_id, body.request_key),
    )
    return ThingDone(revision=loaded.stored.revision, id=thing_id)


def _adding(record: type[Any]) -> Callable[..., ThingDone]:
    def add(body: Any, edit: InDraft) -> ThingDone:
        whole(body.thing)
        loaded, thing_id = edit(
            body.request_key, lambda d: thing_edits.add_thing(d, body.thing, body.parent_id, body.request_key)
        )
        return ThingDone(revision=loaded.stored.revision, id=thing_id)

    add.__annotations__["body"] = AddThing[record]  # type: ignore[valid-type]
    add.__doc__ = f"Add a {_words(record)}."
    return add


def _changing(record: type[Any]) -> Callable[..., ThingDone]:
    def change(thing_id: int, body: Any, edit: InDraft) -> ThingDone:
        whole(body.thing)
        loaded, _ = edit(
            body.request_key,
            lambda d: thing_edits.change_thing(
                d, thing_id, body.ver, body.thing, request_key=body.request_key
            ),
        )
        return ThingDone(revision=loaded.stored.revision, id=thing_id)

    change.__annotations__["body"] = ChangeThing[record]  # type: ignore[valid-type]
    change.__doc__ = f"Replace the content of a {_words(record)}; references to it follow its name."
    return change


def _words(record: type[Any]) -> str:
    return WORD[KIND_OF[record]]


def whole(thing: Any) -> None:
    """Refuse what has rows of its own inside: it would be dropped silently."""
    for field in KINDS[KIND_OF[type(thing)]].apart:
        if field != "notes" and getattr(thing, field):
            raise Refused([Problem((field,), f"{field} are edited one by one, each at its own address")])


for _plural, _record in PLACES.items():
    _name = _plural.replace("-", "_")
    if KIND_OF[_record] not in ONE_OF:
        router.post(f"/things/{_plural}", status_code=201, name=f"add_{_name}")(_adding(_record))
    router.put(f"/things/{_plural}/{{thing_id}}", name=f"change_{_name}")(_changing(_record))
