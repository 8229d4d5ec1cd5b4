"""A device's list as pasted: a table in any form, its columns recognised by their heads or by what stands in them, or as corrected by hand.

Columns are parted by tabs, bars, semicolons, commas, or blanks. Addresses are prefixes, ranges, hosts, an address and a mask or an inverse
mask in one column or two, names of the network, or any. Every line comes out again: as an entry, as a head or a rule drawn with dashes,
or as one that was not understood, and why.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, Literal, get_args

from sarvex.core.firstmatch.read_back import Line
from sarvex.core.meaning.names import NameCycle, Names, UnknownName
from sarvex.core.model.records import Action, fold
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet, InvalidAddress
from sarvex.core.sets.services import InvalidService, ServiceSet
from sarvex.formats.member_text import members

MOST_LINES = 5_000
Column = Literal[
    "number", "name", "action", "protocol", "source", "source mask", "source port", "destination", "destination mask",
    "destination port", "service", "",
]  # fmt: skip
"""The empty one is looked at by nobody, which is told."""
COLUMNS: tuple[Column, ...] = get_args(Column)
HEADS: dict[Column, frozenset[str]] = {
    "number": frozenset({"#", "no", "no.", "nr", "nr.", "number", "seq", "sequence", "line", "id", "index", "order", "position"}),
    "name": frozenset({"name", "rule", "rule name", "title", "label"}),
    "action": frozenset({"action", "verdict", "decision", "permit/deny", "allow/deny"}),
    "protocol": frozenset({"protocol", "proto", "prot", "l4", "transport"}),
    "source": frozenset({"source", "src", "from", "source address", "src address", "src ip", "source ip", "source prefix", "source network"}),
    "source mask": frozenset({"source mask", "src mask", "source netmask", "source inverse mask"}),
    "source port": frozenset({"source port", "src port", "sport", "source ports", "from port"}),
    "destination": frozenset({"destination", "dest", "dst", "to", "destination address", "dst address", "dst ip", "destination ip", "dest address", "destination prefix", "destination network"}),
    "destination mask": frozenset({"destination mask", "dst mask", "dest mask", "destination netmask", "destination inverse mask"}),
    "destination port": frozenset({"destination port", "dst port", "dport", "dest port", "port", "ports", "destination ports", "to port"}),
    "service": frozenset({"service", "services", "application"}),
}  # fmt: skip
ACTIONS: dict[str, Action] = {
    **dict.fromkeys(("allow", "allowed", "permit", "permitted", "accept", "pass", "yes", "open"), "allow"),
    **dict.fromkeys(("drop", "deny", "denied", "discard", "block", "blocked", "no", "silent"), "drop"),
    **dict.fromkeys(("reject", "rejected", "refuse", "unreachable"), "reject"),
}
ANYTHING = frozenset({"any", "all", "*", "-", "ip", "ipv4", "ipv6", "everything"})
_DRAWN = re.compile(r"[\s\-=+|_.:]+")
_DOTTED = re.compile(r"\d{1,3}(?:\.\d{1,3}){3}")
_ADDRESS = re.compile(r"(?:host\s+)?(?:\d{1,3}\.\d{1,3}\.\d{1,3}\.\d{1,3}|[0-9a-f]{0,4}:[0-9a-f:.]*:)", re.I)
_PORTS = re.compile(r"\d{1,5}(?:\s*(?:-|:|\.\.|to)\s*\d{1,5})?", re.I)
_TOP = 2**32 - 1


class Misread(ValueError):
    """Why a line is no entry."""


@dataclass(frozen=True)
class Read:
    """One line, by its number from 1: the entry that it is, or what is the matter with it."""

    number: int
    text: str
    line: Line | None
    problem: str = ""


@dataclass(frozen=True)
class Pasted:
    """A table as it was understood. notes: what was not looked at."""

    columns: tuple[Column, ...]
    reads: tuple[Read, ...]
    family: int | None
    """The only one in which it has addresses; None: both, or none."""
    notes: tuple[str, ...] = ()


def read(text: str, names: Names, columns: Sequence[Column] | None = None) -> Pasted:
    """Every line of a text but empty ones. columns: as corrected by hand. O(lines × columns)."""
    lines = [(n, line) for n, line in enumerate(text.splitlines(), 1) if line.strip()]
    drawn = [pair for pair in lines if _DRAWN.fullmatch(pair[1])]
    kept = [pair for pair in lines if not _DRAWN.fullmatch(pair[1])]
    cut, kept = kept[MOST_LINES:], kept[:MOST_LINES]
    parted = _mark([line for _, line in kept])
    rows = [(n, line, parted(line)) for n, line in kept]
    head = _head(rows[0][2]) if rows else None
    body = rows[1:] if head else rows
    known = tuple(columns or head or _by_looks([cells for _, _, cells in body], names))
    inverse = _masks_are_inverse(known, [cells for _, _, cells in body])
    reads = [_read(n, line, cells, known, inverse, names) for n, line, cells in body]
    reads += [Read(n, line, None, f"only {MOST_LINES:,} lines are read at a time") for n, line in cut]
    return Pasted(known, tuple(reads), _family(reads), tuple(_notes(known, rows, head, drawn)))


def _notes(
    known: Sequence[Column], rows: Sequence[tuple[int, str, list[str]]], head: Sequence[Column] | None, drawn: Sequence[object]
) -> Iterator[str]:  # fmt: skip
    if head:
        yield f"line {rows[0][0]} is taken for the head"
    for at, column in enumerate(known):
        if column == "":
            named = rows[0][2][at] if head and at < len(rows[0][2]) else ""
            yield f"column {at + 1}{f' ({named})' if named else ''} is not compared"
    if drawn:
        yield f"{len(drawn)} lines are drawn, not written"


# --- the table -----------------------------------------------------------------------------------------------------


def _mark(lines: Sequence[str]) -> Callable[[str], list[str]]:
    """How columns are parted: by what parts most lines into the same number of cells."""
    ways: list[Callable[[str], list[str]]] = [
        *(lambda line, mark=mark: _cells(line, mark) for mark in "\t|;,"),
        lambda line: re.split(r"\s{2,}", line.strip()),
        str.split,
    ]
    for way in ways:
        counts = [len(way(line)) for line in lines]
        most = max(set(counts), key=counts.count, default=0)
        if most >= 3 and counts.count(most) * 3 >= 2 * len(counts):
            return way
    return ways[4]


def _cells(line: str, mark: str) -> list[str]:
    line = line.strip().strip("|").strip() if mark == "|" else line
    return [cell.strip() for cell in next(csv.reader([line], delimiter=mark, skipinitialspace=True))]


def _head(cells: Sequence[str]) -> tuple[Column, ...] | None:
    words = [" ".join(fold(cell).replace("_", " ").split()) for cell in cells]
    found: tuple[Column, ...] = tuple(
        next((c for c, known in HEADS.items() if word in known), "") for word in words
    )
    named = [c for c in found if c]
    return found if len(named) >= 3 and "action" in named else None


def _by_looks(rows: Sequence[Sequence[str]], names: Names) -> list[Column]:
    """What each column is, by what stands in most of its cells; the first of two alike is the source's."""
    widths = [len(cells) for cells in rows]
    width = max(set(widths), key=lambda w: (widths.count(w), w), default=0)
    standing = [[cells[at] for cells in rows if at < len(cells) and cells[at]] for at in range(width)]
    kinds = [_kind(cells, names) for cells in standing]
    if "port" in kinds[:1] and (kinds.count("port") > 1 or _is_numbered(standing[0])):
        kinds[0] = "number"
    told = [at for at, kind in enumerate(kinds) if kind == "address"]
    wild = [at for at, kind in enumerate(kinds) if kind == "any"]
    ends = sorted([*told, *wild[: max(0, 2 - len(told))]])
    out: list[Any] = [""] * width
    for at, kind in enumerate(kinds):
        if kind in ("number", "action", "protocol", "service"):
            out[at] = kind
    for at, column in zip(ends, ("source", "destination"), strict=False):
        out[at] = column
    for at in (at for at, kind in enumerate(kinds) if kind == "mask"):
        before = [out[end] for end in ends if end < at]
        out[at] = f"{before[-1]} mask" if before else ""
    ports = [at for at, kind in enumerate(kinds) if kind == "port"]
    for at, column in zip(ports[-2:], ("source port", "destination port")[-len(ports) :], strict=False):
        out[at] = column
    if out.count("service") > 1:
        first = out.index("service")
        out = [c if c != "service" or at == first else "" for at, c in enumerate(out)]
    return out


def _kind(cells: Sequence[str], names: Names) -> str:
    """What most cells that are not *any* can be, told by the narrowest that fits."""
    said = [cell for cell in cells if fold(cell) not in ANYTHING]
    looks: dict[str, Callable[[str], bool]] = {
        "action": lambda cell: fold(cell) in ACTIONS,
        "protocol": _is_protocol,
        "mask": _is_mask,
        "address": lambda cell: _is_ends(cell, names),
        "port": lambda cell: all(_PORTS.fullmatch(one.strip()) for one in cell.split(",")),
        "service": lambda cell: _is_service(cell, names),
    }
    most = (kind for kind, fits in looks.items() if sum(map(fits, said)) * 10 >= 6 * len(said))
    return next(most, "") if said else "any"


def _is_numbered(cells: Sequence[str]) -> bool:
    """Whether cells count up by equal steps."""
    if len(cells) < 2 or not all(cell.isdecimal() and len(cell) < 10 for cell in cells):
        return False
    steps = {int(b) - int(a) for a, b in pairwise(cells)}
    return min(steps) > 0 and len(steps) <= max(1, len(cells) // 4)


def _is_protocol(cell: str) -> bool:
    try:
        found = services.describe(services.parse(cell.strip()))
    except InvalidService:
        return False
    return len(found) == 1 and "/" not in found[0] and " " not in found[0]


def _is_mask(cell: str) -> bool:
    return bool(_DOTTED.fullmatch(cell)) and (_bits(cell) is not None)


def _bits(cell: str) -> tuple[bool, bool] | None:
    """Whether a dotted word is a netmask, and whether an inverse one; None if neither."""
    parts = [int(p) for p in cell.split(".")]
    if max(parts) > 255:
        return None
    value = int.from_bytes(bytes(parts), "big")
    net, inverse = (v & (v + 1) == 0 for v in (value ^ _TOP, value))
    return (net, inverse) if net or inverse else None


def _is_ends(cell: str, names: Names) -> bool:
    """Whether it looks like addresses, right or wrong, or is a name."""
    return fold(cell) in names.address_things or bool(_ADDRESS.match(cell))


def _is_service(cell: str, names: Names) -> bool:
    return all(
        fold(one.strip()) in names.service_things or services.is_literal(one) for one in cell.split(",")
    )


def _masks_are_inverse(columns: Sequence[Column], rows: Sequence[Sequence[str]]) -> bool:
    """Whether masks are inverse ones in most places where only one of both can be meant."""
    told = []
    for cells in rows:
        for column, cell in zip(columns, cells, strict=False):
            words = cell.split()
            if column in ("source", "destination") and len(words) == 2:
                words = words[1:]
            elif not column.endswith("mask"):
                continue
            if len(words) == 1 and _DOTTED.fullmatch(words[0]):
                bits = _bits(words[0])
                if bits and bits[0] != bits[1]:
                    told.append(bits[1])
    return sum(told) * 2 > len(told)


# --- one line ------------------------------------------------------------------------------------------------------


def _read(
    number: int, text: str, cells: Sequence[str], columns: Sequence[Column], inverse: bool, names: Names
) -> Read:
    if len(cells) > len(columns) and any(cells[len(columns) :]):
        return Read(number, text, None, f"it has {len(cells)} columns, the others {len(columns)}")
    values: dict[str, str] = {c: cell for c, cell in zip(columns, cells, strict=False) if c}
    try:
        action = ACTIONS.get(fold(values.get("action", "")))
        if action is None:
            given = values.get("action", "")
            raise Misread(f"{given!r} is no action" if given else "it has no action")
        source, destination = (
            _addresses(side, values.get(side), values.get(f"{side} mask", ""), inverse, names) for side in ("source", "destination")
        )  # fmt: skip
        return Read(number, text, Line(action, source, destination, _service(values, names)))
    except Misread as error:
        return Read(number, text, None, str(error))


def _addresses(side: str, cell: str | None, mask: str, inverse: bool, names: Names) -> AddressSet:
    if cell is None:
        raise Misread(f"it has no {side}")
    words = cell.split()
    if len(words) == 2 and fold(words[0]) == "host":
        words = words[1:]
    if mask and mask not in ("-", "any"):
        words = [*words, mask]
    if len(words) == 2 and _DOTTED.fullmatch(words[0]) and _DOTTED.fullmatch(words[1]):
        bits = _bits(words[1])
        if bits is None or not bits[inverse]:
            kind, other = ("an inverse mask", "a netmask") if inverse else ("a netmask", "an inverse mask")
            raise Misread(
                f"{side}: {words[1]} is no {kind.partition(' ')[2]}{f', but {other}' if bits else ''}; the others here are of that kind"
            )
        try:
            return addresses.parse(f"{words[0]} {'inverse' if inverse else 'mask'} {words[1]}")
        except InvalidAddress as error:
            raise Misread(f"{side}: {error}") from None
    text = " ".join(words)
    if fold(text) in ANYTHING:
        return addresses.in_family(addresses.ANY, 6) if fold(text) == "ipv6" else (
            addresses.in_family(addresses.ANY, 4) if fold(text) == "ipv4" else addresses.ANY
        )  # fmt: skip
    found = members(text, names, "address")
    if not found:
        raise Misread(f"it has no {side}")
    if strange := next((m for m in found if m.problem), None):
        raise Misread(f"{side}: {strange.problem}")
    try:
        return addresses.union(names.address(m.member) for m in found)
    except (UnknownName, NameCycle) as error:
        raise Misread(f"{side}: {error}") from None


def _service(values: dict[str, str], names: Names) -> ServiceSet:
    if said := values.get("service", ""):
        return _services(said, names)
    protocol = fold(values.get("protocol", "any"))
    ports = [_port(values.get(c, "")) for c in ("source port", "destination port")]
    if protocol in ANYTHING:
        if any(ports):
            raise Misread("it has a port and no protocol")
        return services.ANY
    found = []
    for come in ports[0] or [""]:
        for port in ports[1] or [""]:
            found.append(f"{protocol}{f'/{port}' if port else ''}{f' from {come}' if come else ''}")
    return _services(", ".join(found), names)


def _port(cell: str) -> list[str]:
    if not cell or fold(cell) in ANYTHING:
        return []
    return [re.sub(r"\s*(?:-|:|\.\.|to)\s*", "-", one.strip(), flags=re.I) for one in cell.split(",")]


def _services(text: str, names: Names) -> ServiceSet:
    if fold(text) in ANYTHING:
        return services.ANY
    found = members(text, names, "service")
    if strange := next((m for m in found if m.problem), None):
        raise Misread(f"service: {strange.problem}")
    try:
        return services.union(names.service(m.member) for m in found)
    except (UnknownName, NameCycle, InvalidService) as error:
        raise Misread(f"service: {error}") from None


def _family(reads: Sequence[Read]) -> int | None:
    """The only family that is written somewhere; None if there are both, or if all that is written is *any*."""
    there = {
        f
        for one in reads
        if one.line
        for end in (one.line.source, one.line.destination)
        for f in FAMILIES
        if end[f] and end != addresses.ANY
    }
    return there.pop() if len(there) == 1 else None
