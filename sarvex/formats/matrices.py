"""All segments in the machine's form, as text, and as a table."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import datetime

import numpy as np

from sarvex.core.change import sets_in_names
from sarvex.core.meaning.matches import Match
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PROTOCOL, SECOND, PacketSet
from sarvex.core.model.records import Device
from sarvex.core.reach.matrix import Cell
from sarvex.core.reach.products import products
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.services import ServiceSet
from sarvex.formats.answers import whole_places
from sarvex.formats.effects import boxes_of_match
from sarvex.formats.outputs import VERSION, CellOutput, MatrixOutput, ReachOutput

COLUMNS = "source", "destination", "verdict", "allowed", "by some ways", "undetermined", "unanswered"


def called(cell: Cell) -> tuple[str, str]:
    """Both ends by name; a device is itself."""
    itself = " itself" if isinstance(cell.destination, Device) else ""
    return cell.source.name, f"{cell.destination.name}{itself}"


def matrix_json(cells: Iterable[Cell], service: str, at: datetime | None, names: Names) -> MatrixOutput:
    """The output of `matrix`."""
    told: MatrixOutput = {"sarvex": VERSION, "service": service, "cells": [_cell(c, names) for c in cells]}
    return {**told, "at": at.isoformat()} if at else told


def _cell(cell: Cell, names: Names) -> CellOutput:
    source, destination = called(cell)
    return {
        "source": source, "destination": destination, "verdict": cell.verdict, "allowed": _reach(cell.allowed, names),
        "by_some_ways": _reach(cell.by_some_ways, names), "undetermined": _reach(cell.undetermined, names),
        "unanswered": _reach(cell.unanswered, names),
    }  # fmt: skip


def _reach(what: PacketSet, names: Names) -> list[ReachOutput]:
    return [_product(match, names) for match in products(what)]


def _product(match: Match, names: Names) -> ReachOutput:
    told: ReachOutput = {
        "source": whole_places(match.source, names),
        "destination": whole_places(match.destination, names),
        "service": sets_in_names.name_services(match.service, names),
        "boxes": list(boxes_of_match(match, names.moments)),
    }
    when = names.moments.words(match.times)
    return {**told, "when": when} if when else told


def matrix_text(cells: Iterable[Cell], names: Names) -> Iterator[str]:
    """A line for each pair of which something works or might, and how many pairs there are of each kind, as they are told."""
    count: Counter[str] = Counter()
    for cell in cells:
        count[cell.verdict] += 1
        source, destination = called(cell)
        if cell.verdict == "all":
            yield f"{source} → {destination} : all"
        elif cell.says_something:
            kinds = (
                ("", cell.allowed),
                ("by some ways only: ", cell.by_some_ways),
                ("nobody knows: ", cell.undetermined),
                ("arrives and is not answered: ", cell.unanswered),
            )
            told = [f"{word}{', '.join(services_of(what, names))}" for word, what in kinds if what]
            yield f"{source} → {destination} : {'; '.join(told)}"
    kinds_told = ", ".join(f"{number:,} {kind}" for kind, number in sorted(count.items()))
    yield f"{count.total():,} pairs: {kinds_told}" if count else "no pairs"


def matrix_csv(cells: Iterable[Cell], names: Names) -> Iterator[str]:
    """A row for each pair, services in words."""
    yield _row(COLUMNS)
    for cell in cells:
        sets = (*cell.told, cell.unanswered)
        yield _row((*called(cell), cell.verdict, *(", ".join(services_of(what, names)) for what in sets)))


def _row(values: Iterable[str]) -> str:
    line = io.StringIO()
    csv.writer(line, lineterminator="").writerow(values)
    return line.getvalue()


def services_of(what: PacketSet, names: Names) -> list[str]:
    """The services that occur in a set, in words."""
    if not what:
        return []
    occurring = [_service_boxes(what[f]) for f in FAMILIES]
    key = "services", *(tuple(some) for some in occurring)

    def words() -> list[str]:
        made = (np.array(some or NO_SERVICES, dtype=np.int64).reshape(-1, 3, 2) for some in occurring)
        return sets_in_names.name_services(ServiceSet(*made), names)  # they may overlap

    return list(names.words.get(key, words))


NO_SERVICES: list[object] = []


def _service_boxes(what: Boxes) -> list[tuple[int, ...]]:
    """The different boxes of services, in order."""
    return sorted(set(map(tuple, what[:, PROTOCOL : SECOND + 1].reshape(-1, 6).tolist())))
