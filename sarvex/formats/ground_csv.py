"""Segments and hosts as CSV (RFC 4180), one per row, brought into a network by name.

A file has a header. With a `host` column it tells hosts: ``host,segment,addresses,held,traits,user,description``;
else segments: ``segment,prefixes,vlan,outside,description``. Several addresses, prefixes or traits in one cell
are separated by semicolons. Columns may stand in any order and be left out, but for the first ones; an
unknown one is refused. A name that is there already is changed in the columns given, and stays as it is
otherwise.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

from sarvex.core.model.problems import Problem, entry
from sarvex.core.model.records import Host, Network, Segment, fold
from sarvex.formats.document import InvalidDocument

HELD = ("fixed", "reserved", "leased")
MOST_COLUMNS = 100
TRUTH = {"yes": True, "true": True, "1": True, "no": False, "false": False, "0": False, "": False}


def bring(text: str, network: Network) -> Network:
    """The network with the rows brought in. Raises `InvalidDocument` with the row and column of each error."""
    reader = csv.DictReader(io.StringIO(text.removeprefix("\ufeff")), strict=True)
    try:
        header = [name.strip().casefold() for name in reader.fieldnames or ()]
    except csv.Error as error:
        raise InvalidDocument([Problem(("row 1",), str(error))]) from None
    if len(header) > MOST_COLUMNS:
        raise InvalidDocument([Problem(("row 1",), f"{len(header):,} columns; the first are {header[:3]}")])
    if "host" not in header and "segment" not in header:
        raise InvalidDocument([Problem(("row 1",), "the header names a column host, or segment")])
    record, columns, needed = (Host, HOST, ("host", "segment", "addresses")) if "host" in header else (
        Segment, SEGMENT, ("segment",),
    )  # fmt: skip
    found = [
        Problem(("row 1", entry(name)), f"no such column; there are {', '.join(columns)}")
        for name in header
        if name not in columns
    ]
    found += [Problem(("row 1",), f"the column {name} is missing") for name in needed if name not in header]
    found += [
        Problem(("row 1", entry(n)), "this column stands twice") for n in set(header) if header.count(n) > 1
    ]
    if found:
        raise InvalidDocument(found)
    things: dict[str, Any] = {
        fold(t.name): t for t in (network.hosts if record is Host else network.segments)
    }
    seen: dict[str, int] = {}
    reader.fieldnames = header
    try:
        for number, row in enumerate(reader, 2):
            found += _row(number, row, record, columns, things, seen)
    except csv.Error as error:
        found.append(Problem((f"row {reader.line_num}",), str(error)))
    if found:
        raise InvalidDocument(found)
    made = tuple(things.values())
    return replace(network, hosts=made) if record is Host else replace(network, segments=made)


def _row(
    number: int,
    row: dict[str | Any, Any],
    record: type[Any],
    columns: dict[str, tuple[str, Callable[[str], Any]]],
    things: dict[str, Any],
    seen: dict[str, int],
) -> Iterator[Problem]:
    place = f"row {number}"
    if None in row or None in row.values():
        yield Problem((place,), "has more or fewer cells than the header")
        return
    values: dict[str, Any] = {}
    for column, text in row.items():
        field, read = columns[column]
        try:
            values[field] = read(text.strip())
        except ValueError as error:
            yield Problem((place, entry(column)), str(error))
            return
    key = fold(values["name"])
    if not key:
        yield Problem((place,), "a name is missing")
    elif key in seen:
        yield Problem((place,), f"{values['name']} stands in row {seen[key]} already")
    seen[key] = number
    # A known thing keeps its own spelling; renaming is not this file's business.
    known = things.get(key)
    things[key] = replace(known, **{**values, "name": known.name}) if known else record(**values)


def _several(text: str) -> tuple[str, ...]:
    return tuple(part.strip() for part in text.split(";") if part.strip())


def _vlan(text: str) -> int | None:
    if text and not text.isdecimal():
        raise ValueError(f"{text!r} is no VLAN id; it is a number from 1 to 4094, or empty")
    return int(text) if text else None


def _truth(text: str) -> bool:
    if text.casefold() not in TRUTH:
        raise ValueError(f"{text!r}: write yes or no")
    return TRUTH[text.casefold()]


def _held(text: str) -> str:
    if text and text not in HELD:
        raise ValueError(f"{text!r}: an address is held {', '.join(HELD)}")
    return text or HELD[0]


SEGMENT: dict[str, tuple[str, Callable[[str], Any]]] = {
    "segment": ("name", str),
    "prefixes": ("prefixes", _several),
    "vlan": ("vlan", _vlan),
    "outside": ("outside", _truth),
    "description": ("description", str),
}
HOST: dict[str, tuple[str, Callable[[str], Any]]] = {
    "host": ("name", str),
    "segment": ("segment", str),
    "addresses": ("addresses", _several),
    "held": ("held", _held),
    "traits": ("traits", _several),
    "user": ("user", str),
    "description": ("description", str),
}
