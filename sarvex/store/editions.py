"""Editions as records: a network cut into chunks that are named by what they hold.

There is one chunk for each policy, one for each kind of thing and one for the network itself; the root is the list of
their digests. What did not change since an earlier edition is there already and is not written again. What a chunk holds
is checked against its name whenever it is read.
"""

from __future__ import annotations

import json
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from sarvex.core.model.records import Network
from sarvex.formats import document
from sarvex.store import tables as t
from sarvex.store.canonical import digest, packed
from sarvex.store.networks import Stored

HEAD, POLICY = "network", "policy"


class Damaged(Exception):
    """A chunk is missing or does not hold what its name says: somebody changed the records by other ways."""


@dataclass(frozen=True)
class Snapshot:
    """A network as it was, with the ids that its rules had, by policy in order."""

    network: Network
    rule_ids: dict[str, tuple[int, ...]]


def write(session: Session, stored: Stored) -> bytes:
    """Write the chunks of a network that are not there yet. Returns the root's digest. O(size of the network)."""
    listing = [[kind, name, _put(session, body).hex()] for kind, name, body in _chunks(stored)]
    return _put(session, listing)


def read(session: Session, root: bytes) -> Snapshot:
    """The network of an edition. Raises `Damaged`."""
    data: dict[str, Any] = {}
    policies: list[Any] = []
    rule_ids: dict[str, tuple[int, ...]] = {}
    for kind, name, chunk in _get(session, root):
        body = _get(session, bytes.fromhex(chunk))
        if kind == HEAD:
            data |= body
        elif kind == POLICY:
            policies.append(body["policy"])
            rule_ids[name] = tuple(body["rules"])
        else:
            data[name] = body
    return Snapshot(document.from_data(data | {"policies": policies}), rule_ids)


def _chunks(stored: Stored) -> Iterator[tuple[str, str, Any]]:
    """Kind, name and content of each, in the order of the document."""
    data = document.to_data(stored.network)
    policies = data.pop("policies", [])
    yield HEAD, "", {key: value for key, value in data.items() if not isinstance(value, list)}
    for key, value in data.items():
        if isinstance(value, list):
            yield "things", key, value
    for policy in policies:
        ids = [key.id for key in stored.rules.get(stored.policy_id(policy["name"]), ())]
        yield POLICY, policy["name"], {"policy": policy, "rules": ids}


def _put(session: Session, body: Any) -> bytes:
    text = packed(body)
    name = digest(text)
    if session.scalar(select(t.Chunk.digest).where(t.Chunk.digest == name)) is None:
        session.execute(insert(t.Chunk).prefix_with("IGNORE").values(digest=name, body=zlib.compress(text)))
    return name


def _get(session: Session, name: bytes) -> Any:
    body = session.scalar(select(t.Chunk.body).where(t.Chunk.digest == name))
    try:
        text = zlib.decompress(body) if body is not None else b""
    except zlib.error:
        text = b""
    if digest(text) != name:
        raise Damaged(f"the chunk {name.hex()} is damaged")
    return json.loads(text)
