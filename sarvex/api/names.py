"""Names and their edits, and going back and forth in one's own changes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field, TypeAdapter

from sarvex.api.access import LONG, Cached, Transaction
from sarvex.api.editing import InDraft
from sarvex.api.history import HistoryEntry, history_out
from sarvex.api.shapes import Sought, Strict
from sarvex.core.meaning.names import Bearer
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import (
    AddressObject,
    Host,
    Member,
    Name,
    Note,
    Segment,
    ServiceObject,
    Words,
    fold,
)
from sarvex.core.model.uses import Space, Use, through
from sarvex.core.model.well_known_services import search
from sarvex.core.sets import addresses
from sarvex.formats import member_text
from sarvex.formats.member_text import MOST_TEXT
from sarvex.formats.outputs import ShownOutput
from sarvex.formats.showing import NotShown, shown
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.drafts import found, history, thing_edits
from sarvex.service.drafts import undo as undoing
from sarvex.service.drafts.draft import Draft
from sarvex.service.errors import NotFound, Refused
from sarvex.store import rows
from sarvex.store.things import KIND_OF


class NameOut(BaseModel):
    """A name that a rule can refer to, with what it stands for."""

    id: int
    name: str
    kind: Literal["host", "segment", "addresses", "service", "device", "user"]
    """A device and a user are edited with the ground, not as names: their id is that of the device, or of a host of the user."""
    members: list[str]
    values: list[str]
    more: int
    description: str
    uses: int
    same: list[str]
    """Other names that stand for the same."""
    nearly: list[str]
    """Other names whose value differs by two swapped digits."""


class MembersText(Strict):
    """What was typed or pasted into a field of addresses or services."""

    space: Literal["address", "service"]
    text: str = Field(max_length=MOST_TEXT)


class MemberRead(BaseModel):
    """One member of a text: as it was written, what it is here, and what is wrong with it, if anything is."""

    text: str
    member: str
    problem: str


class KnownService(BaseModel):
    """A well-known service; an offer until somebody takes it into the network."""

    name: str
    members: list[str]
    words: str


class UseOut(BaseModel):
    """One place that names something; a rule, or another name."""

    policy: str | None
    policy_id: int | None
    rule_id: int | None
    owner: str
    field: str


class UseThrough(UseOut):
    """A use through groups: the name's own group first."""

    groups: list[str]


class NameDetail(NameOut):
    """A name to be edited: all its members, its version, and where it is used."""

    ver: int
    all_members: list[str]
    traits: list[str]
    """Of a host: what it is. Of an address object: what its hosts are chosen by."""
    notes: list[Note]
    used: list[UseOut]
    through: list[UseThrough]
    """Uses through groups that contain it, which are not direct uses as well."""


class NameIn(Strict):
    name: Name
    members: list[Member]
    traits: list[Member] = Field(default=[])
    notes: list[Note] = Field(default=[])
    description: Words = ""


class AddName(Strict):
    kind: Literal["addresses", "service"]
    thing: NameIn
    request_key: str | None = Field(default=None, max_length=64)


class ChangeName(Strict):
    """The object as it should be: its members are replaced by these."""

    thing: NameIn
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class ChangeMembers(Strict):
    """Members to add and to take out; the others stay."""

    add: list[str] = Field(default=[])
    remove: list[str] = Field(default=[])
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class ReplaceName(Strict):
    by: str
    ver: int
    request_key: str | None = Field(default=None, max_length=64)


class Done(BaseModel):
    """What an act on the whole network did."""

    act: str
    revision: int


class NameDone(Done):
    id: int | None


KIND: dict[type, Literal["host", "segment", "addresses", "service"]] = {
    Host: "host",
    Segment: "segment",
    AddressObject: "addresses",
    ServiceObject: "service",
}


FEW_VALUES = 12


def names_out(loaded: Loaded) -> list[NameOut]:
    n = loaded.network
    things = (_name(thing, loaded) for thing in (*n.address_things(), *n.services))
    return [*things, *(_borne(bearer, loaded) for bearer in loaded.names.called_beside())]


def name_detail_out(loaded: Loaded, thing_id: int, ver: int) -> NameDetail:
    """Raises `NotFound`."""
    n = loaded.network
    ids = loaded.stored.things
    for thing in (*n.address_things(), *n.services):
        if ids[KIND_OF[type(thing)], fold(thing.name)] == thing_id:
            space: Space = "service" if isinstance(thing, ServiceObject) else "address"
            members = thing.members if isinstance(thing, AddressObject | ServiceObject) else ()
            return NameDetail(
                **_name(thing, loaded).model_dump(),
                ver=ver,
                all_members=list(members),
                traits=list(getattr(thing, "traits", ())),
                notes=list(getattr(thing, "notes", ())),
                used=[use_out(u, loaded) for u in loaded.uses(space).get(fold(thing.name), [])],
                through=[
                    UseThrough(**use_out(u, loaded).model_dump(), groups=list(way))
                    for u, way in through(n, space, thing.name)
                ],
            )
    raise NotFound("there is no such name")


def use_out(u: Use, loaded: Loaded) -> UseOut:
    policy_id = rule_id = None
    if u.policy is not None:
        policy_id = loaded.stored.policy_id(u.policy)
        rules = loaded.network.policy(u.policy).rules
        index = next(i for i, rule in enumerate(rules) if rule.name == u.owner)
        rule_id = loaded.stored.rules[policy_id][index].id
    return UseOut(policy=u.policy, policy_id=policy_id, rule_id=rule_id, owner=u.owner, field=u.field)


def _name(thing: Host | Segment | AddressObject | ServiceObject, loaded: Loaded) -> NameOut:
    space: Space = "service" if isinstance(thing, ServiceObject) else "address"
    values = loaded.values(thing)
    members = thing.members if isinstance(thing, AddressObject | ServiceObject) else ()
    key = fold(thing.name)
    return NameOut(
        id=loaded.stored.things[KIND_OF[type(thing)], key],
        name=thing.name,
        kind=KIND[type(thing)],
        members=list(members[:FEW_VALUES]),
        values=values[:FEW_VALUES],
        more=max(0, len(values) - FEW_VALUES),
        description=thing.description,
        uses=loaded.use_count(space, key),
        same=loaded.same.get(key, []),
        nearly=loaded.nearly.get(key, []),
    )


def _borne(bearer: Bearer, loaded: Loaded) -> NameOut:
    """A device, or a user."""
    key = fold(bearer.name)
    of_user = (h.name for h in loaded.network.hosts if fold(h.user) == key)
    thing = ("device", key) if bearer.kind == "device" else ("host", fold(next(of_user)))
    values = addresses.describe(loaded.names.address(bearer.name))
    return NameOut(
        id=loaded.stored.things[thing],
        name=bearer.name,
        kind="device" if bearer.kind == "device" else "user",
        members=[],
        values=values[:FEW_VALUES],
        more=max(0, len(values) - FEW_VALUES),
        description="its own addresses" if bearer.kind == "device" else "the addresses held for them",
        uses=loaded.use_count("address", key),
        same=[],
        nearly=[],
    )


router = APIRouter(prefix="/api/networks/{network_id}", tags=["names"])
Named = AddressObject | ServiceObject


@router.get("/names", response_model=list[NameOut])
def get_names(network_id: int, session: Transaction, cache: Cached) -> Response:
    """Every name a rule can refer to, with what it stands for."""
    loaded = cache.open(session, network_id)
    told = loaded.text("names", lambda: _NAMES.dump_json(names_out(loaded)))
    return Response(told, media_type="application/json")


_NAMES = TypeAdapter(list[NameOut])


@router.get("/shown", response_model=ShownOutput)
def get_shown(
    network_id: int, what: Annotated[str, Query(max_length=700)], session: Transaction, cache: Cached
) -> Any:
    """One thing by its name, or by its place as documents have it, with who uses it; for scripts, which know no ids."""
    try:
        return shown(cache.open(session, network_id).network, what)
    except NotShown as error:
        raise NotFound(error.problem.message) from None


class FoundNames(BaseModel):
    """The names that fit, by id."""

    revision: int
    ids: list[int]


@router.get("/names/found", dependencies=LONG)
def find_names(
    network_id: int, session: Transaction, cache: Cached, holds: Sought = "", within: Sought = "", by: Sought = "", changed: Sought = "",
) -> FoundNames:  # fmt: skip
    """The names that hold a value, that lie in one, or that somebody changed last. Changes nothing."""
    loaded = cache.open(session, network_id)
    wanted = found.WantedNames(holds, within, by, changed)
    return FoundNames(revision=loaded.stored.revision, ids=found.names_found(session, loaded, wanted))


@router.get("/known-services")
def get_known_services(
    network_id: int, q: Annotated[str, Query(max_length=100)], session: Transaction, cache: Cached
) -> list[KnownService]:
    """Well-known services by name, port or word, to be taken into this network."""
    cache.open(session, network_id)
    return [KnownService(name=k.name, members=list(k.members), words=k.words) for k in search(q)]


@router.post("/members")
def read_members(network_id: int, body: MembersText, session: Transaction, cache: Cached) -> list[MemberRead]:
    """The members of a text that was typed or pasted, every one of them. Changes nothing."""
    found = member_text.members(body.text, cache.open(session, network_id).names, body.space)
    return [MemberRead(**vars(m)) for m in found]


@router.get("/names/{name_id}")
def get_name(network_id: int, name_id: int, session: Transaction, cache: Cached) -> NameDetail:
    """One name with all its members and uses."""
    loaded = cache.open(session, network_id)
    found = rows.read(session, "thing", name_id)
    if found is None:
        raise NotFound("there is no such name")
    return name_detail_out(loaded, name_id, found[1])


@router.get("/names/{name_id}/history")
def name_history(network_id: int, name_id: int, session: Transaction) -> list[HistoryEntry]:
    """All changes of a name, newest first."""
    return history_out(history.of_row(session, network_id, "thing", name_id))


@router.post("/names", status_code=201)
def add_name(body: AddName, edit: InDraft) -> NameDone:
    """Make an address or service object."""
    made = thing_of(body.kind == "service", body.thing)
    loaded, thing_id = edit(
        body.request_key, lambda d: thing_edits.add_thing(d, made, request_key=body.request_key)
    )
    return NameDone(act="add", revision=loaded.stored.revision, id=thing_id)


@router.put("/names/{name_id}")
def change_name(name_id: int, body: ChangeName, edit: InDraft) -> NameDone:
    """Replace an object by what it should be; the history tells which members came and went."""
    return _change(name_id, body.ver, edit, body.request_key, lambda _: body.thing)


@router.patch("/names/{name_id}/members")
def change_members(name_id: int, body: ChangeMembers, edit: InDraft) -> NameDone:
    """Add members and take members out; those not named stay as they are."""

    def after(before: Named) -> NameIn:
        gone = {fold(m) for m in body.remove}
        members = [m for m in before.members if fold(m) not in gone]
        members += [m for m in body.add if fold(m) not in {fold(x) for x in members}]
        return NameIn(
            name=before.name,
            members=members,
            traits=list(before.traits) if isinstance(before, AddressObject) else [],
            notes=[n for n in before.notes if fold(n.member) not in gone],
            description=before.description,
        )

    return _change(name_id, body.ver, edit, body.request_key, after)


def _change(
    name_id: int, ver: int, edit: InDraft, key: str | None, after: Callable[[Named], NameIn]
) -> NameDone:
    def act(draft: Draft) -> str:
        _, before, _ = draft.thing(name_id)
        if not isinstance(before, Named):
            raise NotFound("it is no address or service object; edit it in its own place")
        wanted = after(before)
        done = _act(before, wanted)
        thing_edits.change_thing(
            draft,
            name_id,
            ver,
            replace(thing_of(isinstance(before, ServiceObject), wanted), accepted=before.accepted),
            done,
            key,
        )
        return done

    loaded, done = edit(key, act)
    return NameDone(act=done or "done before", revision=loaded.stored.revision, id=name_id)


@router.post("/names/{name_id}/replacement")
def replace_name(name_id: int, body: ReplaceName, edit: InDraft) -> NameDone:
    """Let another name stand wherever this one does, and delete this one."""
    loaded, _ = edit(
        body.request_key, lambda d: thing_edits.replace_name(d, name_id, body.ver, body.by, body.request_key)
    )
    return NameDone(act="replace", revision=loaded.stored.revision, id=None)


@router.delete("/names/{name_id}")
def delete_name(name_id: int, ver: int, edit: InDraft, request_key: str | None = None) -> NameDone:
    """Delete a name that nothing refers to."""
    loaded, _ = edit(request_key, lambda d: thing_edits.delete_thing(d, name_id, ver, request_key))
    return NameDone(act="delete", revision=loaded.stored.revision, id=None)


@router.post("/undo")
def undo(edit: InDraft) -> Done:
    """Take back your newest change that still stands."""
    loaded, act = edit(None, undoing.undo)
    return Done(act=act or "", revision=loaded.stored.revision)


@router.post("/redo")
def redo(edit: InDraft) -> Done:
    """Do again what you undid last."""
    loaded, act = edit(None, undoing.redo)
    return Done(act=(act or "").removeprefix("undo: "), revision=loaded.stored.revision)


def thing_of(is_service: bool, body: NameIn) -> Named:
    """The object that a body describes. Raises `Refused`."""
    name, members, notes = body.name.strip(), tuple(body.members), tuple(body.notes)
    if not is_service:
        return AddressObject(
            name=name, members=members, traits=tuple(body.traits), notes=notes, description=body.description
        )
    if body.traits:
        raise Refused([Problem(("traits",), "services are not chosen by traits of hosts")])
    return ServiceObject(name=name, members=members, notes=notes, description=body.description)


def _act(before: Named, after: NameIn) -> str:
    """What kind of change it is, by name."""
    came = [m for m in after.members if m not in before.members]
    went = [m for m in before.members if m not in after.members]
    if came or went:
        return "replace members" if came and went else "add members" if came else "remove members"
    if isinstance(before, AddressObject) and tuple(after.traits) != before.traits:
        return "choose by other traits"
    return "rename" if after.name != before.name else "describe"
