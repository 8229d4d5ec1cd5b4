"""Who reaches whom: all segments at once."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel

from sarvex.api.access import LONG, Cached, Transaction
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Device
from sarvex.core.reach.matrix import Cell
from sarvex.formats.matrices import services_of
from sarvex.service.analysis.reach import all_segments

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
