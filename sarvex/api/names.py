"""Names and their edits, and going back and forth in one's own changes."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query

from sarvex.api import shapes, views
from sarvex.api.access import InLibrary, Transaction
from sarvex.api.editing import InDraft
from sarvex.core.catalogue import search
from sarvex.core.model import AddressObject, ServiceObject
from sarvex.service import history
from sarvex.service.drafts import Draft, Name, NameKind
from sarvex.service.errors import NotFound
from sarvex.store import rows

router = APIRouter(prefix="/api/networks/{network_id}", tags=["names"])
KIND: dict[str, NameKind] = {"addresses": "address", "service": "service"}


@router.get("/names")
def get_names(network_id: int, session: Transaction, library: InLibrary) -> list[shapes.NameOut]:
    """Every name a rule can refer to, with what it stands for."""
    return views.names(library.open(session, network_id))


@router.get("/known-services")
def get_known_services(
    network_id: int, q: Annotated[str, Query(max_length=100)], session: Transaction, library: InLibrary
) -> list[shapes.KnownService]:
    """Well-known services by name, port or word, to be taken into this network."""
    library.open(session, network_id)
    return [shapes.KnownService(name=k.name, members=list(k.members), words=k.words) for k in search(q)]


@router.get("/names/{name_id}")
def get_name(network_id: int, name_id: int, session: Transaction, library: InLibrary) -> shapes.NameDetail:
    """One name with all its members and uses."""
    loaded = library.open(session, network_id)
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
    kind = KIND[body.kind]
    loaded, made = edit(
        body.request_key, lambda d: d.add_name(kind, _thing(kind, body.thing), body.request_key)
    )
    return shapes.NameDone(act="add", revision=loaded.stored.revision, id=made)


@router.put("/names/{name_id}")
def change_name(name_id: int, body: shapes.ChangeName, edit: InDraft) -> shapes.NameDone:
    """Replace an object by what it should be; the history tells which members came and went."""

    def act(draft: Draft) -> str:
        kind, before = draft.name(name_id)
        return draft.change_name(
            name_id, body.ver, _thing(kind, body.thing), _act(before, body.thing), body.request_key
        )

    loaded, done = edit(body.request_key, act)
    return shapes.NameDone(act=done or "done before", revision=loaded.stored.revision, id=name_id)


@router.patch("/names/{name_id}/members")
def change_members(name_id: int, body: shapes.ChangeMembers, edit: InDraft) -> shapes.NameDone:
    """Add members and take members out; those not named stay as they are."""

    def act(draft: Draft) -> str:
        kind, before = draft.name(name_id)
        members = [m for m in before.members if m not in body.remove]
        members += [m for m in body.add if m not in members]
        after = shapes.NameIn(name=before.name, members=members, description=before.description)
        return draft.change_name(
            name_id, body.ver, _thing(kind, after), _act(before, after), body.request_key
        )

    loaded, done = edit(body.request_key, act)
    return shapes.NameDone(act=done or "done before", revision=loaded.stored.revision, id=name_id)


@router.post("/names/{name_id}/replacement")
def replace_name(name_id: int, body: shapes.ReplaceName, edit: InDraft) -> shapes.NameDone:
    """Let another name stand wherever this one does, and delete this one."""
    loaded, _ = edit(body.request_key, lambda d: d.replace_name(name_id, body.ver, body.by, body.request_key))
    return shapes.NameDone(act="replace", revision=loaded.stored.revision, id=None)


@router.delete("/names/{name_id}")
def delete_name(name_id: int, ver: int, edit: InDraft, request_key: str | None = None) -> shapes.NameDone:
    """Delete a name that nothing refers to."""
    loaded, _ = edit(request_key, lambda d: d.delete_name(name_id, ver, request_key))
    return shapes.NameDone(act="delete", revision=loaded.stored.revision, id=None)


@router.post("/undo")
def undo(edit: InDraft) -> shapes.Done:
    """Take back your newest change that still stands."""
    loaded, act = edit(None, lambda d: d.undo())
    return shapes.Done(act=act or "", revision=loaded.stored.revision)


@router.post("/redo")
def redo(edit: InDraft) -> shapes.Done:
    """Do again what you undid last."""
    loaded, act = edit(None, lambda d: d.redo())
    return shapes.Done(act=(act or "").removeprefix("undo: "), revision=loaded.stored.revision)


def _thing(kind: NameKind, body: shapes.NameIn) -> Name:
    members = tuple(body.members)
    if kind == "address":
        return AddressObject(name=body.name.strip(), members=members, description=body.description)
    return ServiceObject(name=body.name.strip(), members=members, description=body.description)


def _act(before: Name, after: shapes.NameIn) -> str:
    """What kind of change it is, by name."""
    came = [m for m in after.members if m not in before.members]
    went = [m for m in before.members if m not in after.members]
    if came or went:
        return "replace members" if came and went else "add members" if came else "remove members"
    return "rename" if after.name != before.name else "describe"
