"""Names and their edits, and going back and forth in one's own changes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import TypeAdapter

from sarvex.api import shapes, views
from sarvex.api.access import Cached, Transaction
from sarvex.api.editing import InDraft
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import AddressObject, ServiceObject, fold
from sarvex.core.model.well_known_services import search
from sarvex.formats import member_text
from sarvex.service.drafts import history, thing_edits
from sarvex.service.drafts import undo as undoing
from sarvex.service.drafts.draft import Draft
from sarvex.service.errors import NotFound, Refused
from sarvex.store import rows

router = APIRouter(prefix="/api/networks/{network_id}", tags=["names"])
Name = AddressObject | ServiceObject


@router.get("/names", response_model=list[shapes.NameOut])
def get_names(network_id: int, session: Transaction, cache: Cached) -> Response:
    """Every name a rule can refer to, with what it stands for."""
    loaded = cache.open(session, network_id)
    told = loaded.text("names", lambda: _NAMES.dump_json(views.names(loaded)))
    return Response(told, media_type="application/json")


_NAMES = TypeAdapter(list[shapes.NameOut])


@router.get("/known-services")
def get_known_services(
    network_id: int, q: Annotated[str, Query(max_length=100)], session: Transaction, cache: Cached
) -> list[shapes.KnownService]:
    """Well-known services by name, port or word, to be taken into this network."""
    cache.open(session, network_id)
    return [shapes.KnownService(name=k.name, members=list(k.members), words=k.words) for k in search(q)]


@router.post("/members")
def read_members(
    network_id: int, body: shapes.MembersText, session: Transaction, cache: Cached
) -> list[shapes.MemberRead]:
    """The members of a text that was typed or pasted, every one of them. Changes nothing."""
    found = member_text.members(body.text, cache.open(session, network_id).names, body.space)
    return [shapes.MemberRead(**vars(m)) for m in found]


@router.get("/names/{name_id}")
def get_name(network_id: int, name_id: int, session: Transaction, cache: Cached) -> shapes.NameDetail:
    """One name with all its members and uses."""
    loaded = cache.open(session, network_id)
    found = rows.read(session, "thing", name_id)
    if found is None:
        raise NotFound("there is no such name")
    return views.name_detail(loaded, name_id, found[1])


@router.get("/names/{name_id}/history")
def name_history(network_id: int, name_id: int, session: Transaction) -> list[shapes.HistoryEntry]:
    """All changes of a name, newest first."""
    return views.history(history.of_row(session, network_id, "thing", name_id))


@router.post("/names", status_code=201)
def add_name(body: shapes.AddName, edit: InDraft) -> shapes.NameDone:
    """Make an address or service object."""
    made = thing_of(body.kind == "service", body.thing)
    loaded, thing_id = edit(
        body.request_key, lambda d: thing_edits.add_thing(d, made, request_key=body.request_key)
    )
    return shapes.NameDone(act="add", revision=loaded.stored.revision, id=thing_id)


@router.put("/names/{name_id}")
def change_name(name_id: int, body: shapes.ChangeName, edit: InDraft) -> shapes.NameDone:
    """Replace an object by what it should be; the history tells which members came and went."""
    return _change(name_id, body.ver, edit, body.request_key, lambda _: body.thing)


@router.patch("/names/{name_id}/members")
def change_members(name_id: int, body: shapes.ChangeMembers, edit: InDraft) -> shapes.NameDone:
    """Add members and take members out; those not named stay as they are."""

    def after(before: Name) -> shapes.NameIn:
        gone = {fold(m) for m in body.remove}
        members = [m for m in before.members if fold(m) not in gone]
        members += [m for m in body.add if fold(m) not in {fold(x) for x in members}]
        return shapes.NameIn(
            name=before.name,
            members=members,
            traits=list(before.traits) if isinstance(before, AddressObject) else [],
            notes=[n for n in before.notes if fold(n.member) not in gone],
            description=before.description,
        )

    return _change(name_id, body.ver, edit, body.request_key, after)


def _change(
    name_id: int, ver: int, edit: InDraft, key: str | None, after: Callable[[Name], shapes.NameIn]
) -> shapes.NameDone:
    def act(draft: Draft) -> str:
        _, before, _ = draft.thing(name_id)
        if not isinstance(before, Name):
            raise NotFound("it is no address or service object; edit it in its own place")
        wanted = after(before)
        done = _act(before, wanted)
        thing_edits.change_thing(
            draft, name_id, ver, thing_of(isinstance(before, ServiceObject), wanted), done, key
        )
        return done

    loaded, done = edit(key, act)
    return shapes.NameDone(act=done or "done before", revision=loaded.stored.revision, id=name_id)


@router.post("/names/{name_id}/replacement")
def replace_name(name_id: int, body: shapes.ReplaceName, edit: InDraft) -> shapes.NameDone:
    """Let another name stand wherever this one does, and delete this one."""
    loaded, _ = edit(
        body.request_key, lambda d: thing_edits.replace_name(d, name_id, body.ver, body.by, body.request_key)
    )
    return shapes.NameDone(act="replace", revision=loaded.stored.revision, id=None)


@router.delete("/names/{name_id}")
def delete_name(name_id: int, ver: int, edit: InDraft, request_key: str | None = None) -> shapes.NameDone:
    """Delete a name that nothing refers to."""
    loaded, _ = edit(request_key, lambda d: thing_edits.delete_thing(d, name_id, ver, request_key))
    return shapes.NameDone(act="delete", revision=loaded.stored.revision, id=None)


@router.post("/undo")
def undo(edit: InDraft) -> shapes.Done:
    """Take back your newest change that still stands."""
    loaded, act = edit(None, undoing.undo)
    return shapes.Done(act=act or "", revision=loaded.stored.revision)


@router.post("/redo")
def redo(edit: InDraft) -> shapes.Done:
    """Do again what you undid last."""
    loaded, act = edit(None, undoing.redo)
    return shapes.Done(act=(act or "").removeprefix("undo: "), revision=loaded.stored.revision)


def thing_of(is_service: bool, body: shapes.NameIn) -> Name:
    """The object that a body describes. Raises `Refused`."""
    name, members, notes = body.name.strip(), tuple(body.members), tuple(body.notes)
    if not is_service:
        return AddressObject(
            name=name, members=members, traits=tuple(body.traits), notes=notes, description=body.description
        )
    if body.traits:
        raise Refused([Problem(("traits",), "services are not chosen by traits of hosts")])
    return ServiceObject(name=name, members=members, notes=notes, description=body.description)


def _act(before: Name, after: shapes.NameIn) -> str:
    """What kind of change it is, by name."""
    came = [m for m in after.members if m not in before.members]
    went = [m for m in before.members if m not in after.members]
    if came or went:
        return "replace members" if came and went else "add members" if came else "remove members"
    if isinstance(before, AddressObject) and tuple(after.traits) != before.traits:
        return "choose by other traits"
    return "rename" if after.name != before.name else "describe"
