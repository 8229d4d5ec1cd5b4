"""Who reaches whom: all segments at once."""

from __future__ import annotations

import json
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel

from sarvex.api.access import LONG, Cached, Transaction
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Device
from sarvex.core.reach.matrix import Cell
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.time.moments import NEVER, Times
from sarvex.formats.matrices import matrix_csv, matrix_json, services_of
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.reach import all_segments, moment_of
from sarvex.service.editions.reach_changes import of_the_draft
from sarvex.service.errors import TooMuch

FEW_SERVICES = 8
router = APIRouter(prefix="/api/networks/{network_id}", tags=["reach"])


class CellOut(BaseModel):
    """A pair of which something works, or might, or arrives and is not answered: from the hosts of a segment to those of another, or to a device itself."""

    source: str
    destination: str
    itself: bool
    """Whether the destination is a device."""
    verdict: Literal["all", "some", "undetermined", "none"]
    services: list[str]
    """Of what works by every way, in words, the first; and `more` besides."""
    more: int
    by_some_ways: list[str]
    undetermined: list[str]
    unanswered: list[str]
    """What arrives by some way and is not answered, and works by none."""
    family: Literal["4", "6"] | None
    """The one family in which something works, where there are addresses of both; null if it does in both."""
    at_times: str
    """When anything works at all, in words; empty for always."""


class AllSegmentsOut(BaseModel):
    """What works between all segments; a pair that is not told does not work."""

    revision: int
    share: float
    """How much of it is worked out; before all of it is no pair is told."""
    cells: list[CellOut]


@router.get("/matrix", dependencies=LONG)
def get_matrix(
    network_id: int,
    session: Transaction,
    cache: Cached,
    service: Annotated[str, Query(max_length=200)] = "any",
    at: Annotated[str, Query(max_length=64)] = "",
    aside: bool = False,
) -> AllSegmentsOut:
    """All segments: which reaches which, and which devices themselves, by a service, at a moment in words or at all moments.

    aside: name service, time and ping are looked past, or what the network's own service `infrastructure` stands for."""
    loaded = cache.open(session, network_id)
    found = all_segments(loaded, service.strip() or "any", at, aside)
    told = [_cell(cell, loaded, bool(at.strip())) for cell in found.cells if cell.says_something]
    return AllSegmentsOut(revision=loaded.stored.revision, share=found.share, cells=told)


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
    found, moment = all_segments(loaded, asked, at), moment_of(loaded, at)
    if found.share < 1:
        raise TooMuch("all segments are still being worked out; take them once the chart is there")
    cells = found.cells
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


def _one_family(cell: Cell, loaded: Loaded) -> Literal["4", "6"] | None:
    """The family in which alone something works, or may, between ends that have addresses of both."""
    routing = routing_of(loaded.network)
    ends = (
        routing.own(e) if isinstance(e, Device) else routing.hosts(e) for e in (cell.source, cell.destination)
    )
    if not all(end[f] for end in ends for f in FAMILIES):
        return None
    there = [f for f in FAMILIES if any(packet_sets.has(some, f) for some in cell.told)]
    return {4: "4", 6: "6"}[there[0]] if len(there) == 1 else None  # type: ignore[return-value]


def _times(cell: Cell) -> Times:
    found = NEVER
    for some in cell.told:
        found |= packet_sets.times_of_set(some)
    return found


def _cell(cell: Cell, loaded: Loaded, at_moment: bool) -> CellOut:
    names = loaded.names
    words = services_of(cell.allowed, names)
    return CellOut(
        source=cell.source.name,
        destination=cell.destination.name,
        itself=isinstance(cell.destination, Device),
        verdict=cell.verdict,
        services=words[:FEW_SERVICES],
        more=max(0, len(words) - FEW_SERVICES),
        by_some_ways=services_of(cell.by_some_ways, names)[:FEW_SERVICES],
        undetermined=services_of(cell.undetermined, names)[:FEW_SERVICES],
        unanswered=services_of(cell.unanswered, names)[:FEW_SERVICES],
        family=_one_family(cell, loaded),
        at_times="" if at_moment else names.moments.words(_times(cell)),
    )
