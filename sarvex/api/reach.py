"""Who reaches whom: all segments at once."""

from __future__ import annotations

import json
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel

from sarvex.api.access import LONG, Cached, Transaction
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Device
from sarvex.core.reach.matrix import Cell
from sarvex.formats.matrices import matrix_csv, matrix_json, services_of
from sarvex.service.analysis.reach import all_segments, moment_of
from sarvex.service.editions.reach_changes import of_the_draft

FEW_SERVICES = 8
router = APIRouter(prefix="/api/networks/{network_id}", tags=["reach"])


class CellOut(BaseModel):
    """A pair of which something works, or might: from the hosts of a segment to those of another, or to a device itself."""

    source: str
    destination: str
    itself: bool
    """Whether the destination is a device."""
    verdict: Literal["all", "some", "undetermined"]
    services: list[str]
    """Of what works by every way, in words, the first; and `more` besides."""
    more: int
    by_some_ways: list[str]
    undetermined: list[str]


class AllSegmentsOut(BaseModel):
    """What works between all segments; a pair that is not told does not work."""

    revision: int
    cells: list[CellOut]


@router.get("/matrix", dependencies=LONG)
def get_matrix(
    network_id: int,
    session: Transaction,
    cache: Cached,
    service: Annotated[str, Query(max_length=200)] = "any",
    at: Annotated[str, Query(max_length=64)] = "",
) -> AllSegmentsOut:
    """All segments: which reaches which, and which devices themselves, by a service, at a moment in words or at all moments."""
    loaded = cache.open(session, network_id)
    cells = all_segments(loaded, service.strip() or "any", at)
    told = [_cell(cell, loaded.names) for cell in cells if cell.verdict != "none"]
    return AllSegmentsOut(revision=loaded.stored.revision, cells=told)


@router.get("/matrix/file", dependencies=LONG)
def take_matrix(
    network_id: int,
    session: Transaction,
    cache: Cached,
    service: Annotated[str, Query(max_length=200)] = "any",
    at: Annotated[str, Query(max_length=64)] = "",
    form: Literal["csv", "json"] = "csv",
) -> Response:
    """All segments to keep: a table, or JSON for machines with every set as boxes."""
    loaded = cache.open(session, network_id)
    asked = service.strip() or "any"
    cells, moment = all_segments(loaded, asked, at), moment_of(loaded, at)
    if form == "csv":
        text, kind = "".join(f"{line}\n" for line in matrix_csv(cells, loaded.names)), "text/csv"
    else:
        text, kind = (
            json.dumps(matrix_json(cells, asked, moment, loaded.names), ensure_ascii=False),
            "application/json",
        )
    headers = {"Content-Disposition": f'attachment; filename="segments.{form}"'}
    return Response(text, media_type=kind, headers=headers)


class PairChangeOut(BaseModel):
    """What the draft changes from the hosts of a segment to those of another, or to a device itself: services in words."""

    source: str
    destination: str
    itself: bool
    opens: list[str]
    closes: list[str]
    otherwise: list[str]
    """What works more or less surely."""


class ReachChangesOut(BaseModel):
    """What the draft changes between all segments; a pair that is not told does not change, if it is complete."""

    revision: int
    before: int | None
    """The edition in force; null while nothing is."""
    complete: bool
    pairs: list[PairChangeOut]


@router.get("/matrix/changes", dependencies=LONG)
def get_changes(
    network_id: int,
    session: Transaction,
    cache: Cached,
    service: Annotated[str, Query(max_length=200)] = "any",
    at: Annotated[str, Query(max_length=64)] = "",
) -> ReachChangesOut:
    """What the draft changes between all segments, against what is in force: by a service, at a moment or at all moments."""
    loaded = cache.open(session, network_id)
    told = of_the_draft(session, cache, network_id, service.strip() or "any", at)
    pairs = [
        PairChangeOut(
            source=pair.source.name, destination=pair.destination.name, itself=isinstance(pair.destination, Device),
            opens=_words(pair.opens, loaded.names), closes=_words(pair.closes, loaded.names),
            otherwise=_words(pair.otherwise, loaded.names),
        )
        for pair in told.pairs
    ]  # fmt: skip
    return ReachChangesOut(
        revision=loaded.stored.revision, before=told.before, complete=told.complete, pairs=pairs
    )


def _words(what: PacketSet, names: Names) -> list[str]:
    return services_of(what, names)[:FEW_SERVICES]


def _cell(cell: Cell, names: Names) -> CellOut:
    words = services_of(cell.allowed, names)
    return CellOut(
        source=cell.source.name,
        destination=cell.destination.name,
        itself=isinstance(cell.destination, Device),
        verdict=cell.verdict,  # type: ignore[arg-type]
        services=words[:FEW_SERVICES],
        more=max(0, len(words) - FEW_SERVICES),
        by_some_ways=services_of(cell.by_some_ways, names)[:FEW_SERVICES],
        undetermined=services_of(cell.undetermined, names)[:FEW_SERVICES],
    )
