"""What must hold as people write it: sentences, and tables from a sheet, line by line. Nothing is dropped: a line is understood, or told why not.

A sentence: ``SOURCE must [not] reach DESTINATION [on SERVICE] [at MOMENT]``, with ``and`` or commas between several, names with spaces in double
quotes. A table: columns parted by tabs, bars, semicolons or commas, with a head that names them or without one: source, destination,
service, and yes or no.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from sarvex.core.meaning.check import expectation_problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import FIELDS, LONGEST_NAME, Expectation, fold
from sarvex.formats.member_text import members

MOST_LINES = 10_000
Must = Literal["allowed", "blocked"]
Column = Literal["source", "destination", "service", "must", "name", "owner", "at", "until", "description"]
HEADS: dict[Column, tuple[str, ...]] = {
    "source": ("source", "src", "from", "who", "sender", "client"),
    "destination": ("destination", "dest", "dst", "to", "target", "server", "whom"),
    "service": ("service", "services", "port", "ports", "application", "on", "protocol", "by"),
    "must": (
        "must",
        "allowed",
        "allow",
        "access",
        "yes/no",
        "permitted",
        "action",
        "verdict",
        "may",
        "reach",
    ),
    "name": ("name", "requirement", "title", "id"),
    "owner": ("owner", "responsible", "contact"),
    "at": ("at", "when", "schedule", "moment", "time"),
    "until": ("until", "end", "ends", "valid until", "expires"),
    "description": ("description", "reason", "why", "comment", "comments", "note", "notes", "remark"),
}
YES = frozenset(
    [
        "yes",
        "y",
        "true",
        "allow",
        "allowed",
        "permit",
        "permitted",
        "accept",
        "open",
        "ok",
        "x",
        "1",
        "+",
        "✓",
        "✔",
        "must",
        "may",
    ]
) | {"must reach", "may reach"}
NO = frozenset(
    [
        "no",
        "n",
        "false",
        "deny",
        "denied",
        "drop",
        "block",
        "blocked",
        "reject",
        "closed",
        "never",
        "0",
        "-",
        "✗",
        "✘",
    ]
) | {"must not", "must not reach", "may not"}
_SENTENCE = re.compile(
    r"^\s*(?P<source>.+?)\s+(?P<must>must\s+not|must\s+never|mustn't|must|may\s+not|cannot|can\s+not|should\s+not|should)\s+"
    r"(?:be\s+able\s+to\s+)?(?:reach|access|see|talk\s+to|speak\s+to|get\s+to|connect\s+to)\s+(?P<destination>.+?)"
    r"(?:\s+(?:on|by|over|via|with)\s+(?P<service>.+?))?(?:\s+(?:at|while|during)\s+(?P<at>.+?))?\s*\.?\s*$",
    re.IGNORECASE,
)
_AND = re.compile(r"\s+(?:and|or)\s+", re.IGNORECASE)
_PORT_FIRST = re.compile(
    r"\b(\d+(?:-\d+)?)\s*/\s*(tcp|udp|sctp|dccp)\b|\b(tcp|udp|sctp|dccp)[ :](\d+(?:-\d+)?)\b", re.IGNORECASE
)


@dataclass(frozen=True)
class Line:
    """One line of a text, by its number from 1: the expectation it stands for, or what is the matter with it.

    note: what is to be known of one that was understood: that it is there already, or that another line says the opposite.
    """

    number: int
    text: str
    expectation: Expectation | None
    problem: str = ""
    note: str = ""


def read(text: str, names: Names, there: Iterable[Expectation] = ()) -> list[Line]:
    """All lines of a text but empty ones and a head. `there`: those that are there already. O(lines × names in them)."""
    lines = [(number, line) for number, line in enumerate(text.splitlines(), 1) if line.strip()]
    cut = lines[MOST_LINES:]
    listed = list(there)
    taken = {fold(one.name) for one in listed}
    found = [_named(line, taken) for line in _understood(lines[:MOST_LINES], names)]
    found = [*_compared(found, listed)]
    found += [
        Line(number, line, None, f"only {MOST_LINES:,} lines are read at a time") for number, line in cut
    ]
    return found


# --- lines -------------------------------------------------------------------------------------------------


def _understood(lines: Sequence[tuple[int, str]], names: Names) -> Iterator[Line]:
    mark = _mark([line for _, line in lines])
    columns: list[Column | None] | None = None
    for at, (number, line) in enumerate(lines):
        told = _sentence(number, line, names)
        if told is not None:
            yield told
            continue
        cells = (
            [cell.strip() for cell in next(csv.reader([line], delimiter=mark, skipinitialspace=True))]
            if mark
            else [line.strip()]
        )
        head = _head(cells) if at == 0 else None
        if head:
            columns = head
            continue
        yield _row(number, line, cells, columns, names)


def _mark(lines: list[str]) -> str:
    """What parts the columns: what stands in most lines; commas last, for they part names as well."""
    table = [line for line in lines if not _SENTENCE.match(line)]
    for mark in "\t|;,":
        if table and sum(mark in line for line in table) * 2 > len(table):
            return mark
    return ""


def _head(cells: list[str]) -> list[Column | None] | None:
    """The columns that a first line names; None if it names none of the two ends."""
    words = [" ".join(fold(cell).split()) for cell in cells]
    found: list[Column | None] = [
        next((c for c, known in HEADS.items() if word in known), None) for word in words
    ]
    return found if "source" in found and "destination" in found else None


def _row(number: int, line: str, cells: list[str], columns: list[Column | None] | None, names: Names) -> Line:
    values: dict[str, str] = {}
    if columns is not None:
        if len(cells) > len(columns) and any(cells[len(columns) :]):
            return Line(number, line, None, f"it has {len(cells)} columns, the head {len(columns)}")
        stray = [cell for cell, column in zip(cells, columns, strict=False) if cell and column is None]
        values = {column: cell for cell, column in zip(cells, columns, strict=False) if column}
        if stray:
            values["description"] = "; ".join(filter(None, (values.get("description", ""), *stray)))
    elif len(cells) < 3:
        told = "write it as SOURCE must reach DESTINATION on SERVICE, or as columns: source, destination, service, yes or no"
        return Line(number, line, None, told)
    else:
        source, destination, *rest = cells
        at = next((i for i, cell in enumerate(rest) if _must(cell)), None)
        if at is None:
            return Line(
                number, line, None, "whether it must be allowed or blocked is not told: add yes or no"
            )
        service, more = (rest[0] if at else ""), rest[1 if at else 0 : at] + rest[at + 1 :]
        values = {
            "source": source,
            "destination": destination,
            "service": service,
            "must": rest[at],
            "description": "; ".join(filter(None, more)),
        }
    must = _must(values.get("must", ""))
    if must is None:
        given = values.get("must", "")
        return Line(
            number,
            line,
            None,
            f"{given!r} is neither yes nor no"
            if given
            else "whether it must be allowed or blocked is not told: add yes or no",
        )
    return _made(number, line, values, must, names)


def _must(word: str) -> Must | None:
    said = " ".join(fold(word).split())
    return "allowed" if said in YES else "blocked" if said in NO else None


def _sentence(number: int, line: str, names: Names) -> Line | None:
    match = _SENTENCE.match(line)
    if match is None:
        return None
    said = " ".join(fold(match["must"]).split())
    must: Must = "blocked" if said not in ("must", "should") else "allowed"
    values = {key: match[key] or "" for key in ("source", "destination", "service", "at")}
    return _made(number, line, values, must, names)


def _made(number: int, line: str, values: dict[str, str], must: Must, names: Names) -> Line:
    """An expectation of words; whatever in them means nothing is told."""
    sides: dict[str, tuple[str, ...]] = {}
    for field in FIELDS:
        words = values.get(field, "").strip()
        if field == "service" and fold(words) in ("", "any", "all", "anything", "everything", "*"):
            sides[field] = ("any",)
            continue
        found, problem = _members(words, field, names)
        if problem:
            return Line(number, line, None, f"{field}: {problem}")
        sides[field] = found
    at = values.get("at", "").strip().strip('"')
    made = Expectation(
        name=values.get("name", "").strip()[:LONGEST_NAME], must=must, at=at or None, owner=values.get("owner", "").strip()[:LONGEST_NAME],
        until=values.get("until", "").strip(), description=values.get("description", "").strip(), **sides,
    )  # fmt: skip
    wrong = expectation_problems(made, names)
    if wrong:
        return Line(number, line, None, f"{wrong[0].path[0]}: {wrong[0].message}")
    return Line(number, line, made)


def _members(words: str, field: str, names: Names) -> tuple[tuple[str, ...], str]:
    """The members of a field in words, or why they are none."""
    if not words:
        return (), "nothing stands there"
    beside = {} if field == "service" else names.beside

    def other(text: str) -> str | None:
        key = fold(text.strip('"'))
        return beside[key].name if key in beside and key not in names.address_things else None

    if (whole := other(" ".join(words.split()))) is not None:
        return (whole,), ""
    found: list[str] = []
    for piece in _pieces(words):
        if (one := other(piece)) is not None:
            found.append(one)
            continue
        said = (
            _PORT_FIRST.sub(lambda m: f"{m[2] or m[3]}/{m[1] or m[4]}".lower(), piece)
            if field == "service"
            else piece
        )
        read = members(said, names, "service" if field == "service" else "address")
        strange = next((m for m in read if m.problem), None)
        if strange is not None or not read:
            if field == "service" and re.fullmatch(r"\d+(-\d+)?", piece):
                return (), f"{piece} is a port; of which protocol? write tcp/{piece} or udp/{piece}"
            return (), strange.problem if strange else f"{piece!r} means nothing"
        found += [m.member for m in read]
    return tuple(dict.fromkeys(found)), ""


def _pieces(words: str) -> list[str]:
    """What stands between commas, semicolons, `and`s: quoted names as one."""
    parts = re.findall(r'"[^"]*"|[^,;"]+', words)
    pieces = [p for part in parts for p in ([part] if part.startswith('"') else _AND.split(part))]
    return [p.strip() for p in pieces if p.strip()]


# --- together ----------------------------------------------------------------------------------------------


def _named(line: Line, taken: set[str]) -> Line:
    """With a name that no other has."""
    one = line.expectation
    if one is None:
        return line
    name = one.name or called(one)
    free, number = name, 2
    while fold(free) in taken:
        free, number = f"{name[: LONGEST_NAME - 5]} {number}", number + 1
    taken.add(fold(free))
    return replace(line, expectation=replace(one, name=free))


def called(one: Expectation) -> str:
    """A name that says what it is about."""
    service = (
        ""
        if one.service == ("any",)
        else f" on {', '.join(one.service[:2])}{' …' if len(one.service) > 2 else ''}"
    )
    verb = "reach" if one.must == "allowed" else "never reach"
    source, destination = (
        f"{', '.join(side[:2])}{' …' if len(side) > 2 else ''}" for side in (one.source, one.destination)
    )
    return f"{source} {verb} {destination}{service}"[:LONGEST_NAME]


def _compared(lines: list[Line], there: list[Expectation]) -> Iterator[Line]:
    """Each with what is to be known of it beside the others."""
    known: dict[object, tuple[str, Must]] = {
        _key(one): (f"{one.name!r}, which is there already", one.must) for one in there
    }
    for line in lines:
        one = line.expectation
        if one is None:
            yield line
            continue
        before = known.setdefault(_key(one), (f"line {line.number}", one.must))
        if before[0] == f"line {line.number}":
            yield line
        elif before[1] == one.must:
            yield replace(line, note=f"says the same as {before[0]}")
        else:
            yield replace(line, note=f"says the opposite of {before[0]}")


def _key(one: Expectation) -> object:
    sides = (frozenset(map(fold, getattr(one, field))) for field in FIELDS)
    return *sides, fold(one.at or "")
