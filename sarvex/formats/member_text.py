"""Members of a field as people write and paste them: names and values in any mixture, each of which comes out again.

Lines, tabs, commas and semicolons part members; so do blanks, unless what they part is known only together (a name with
blanks, ``10.44.0.1 - 10.44.0.9``, ``tcp/443 from 1024-65535``). A name in double quotes is one member. What stands for
exactly what one name stands for becomes that name. What is not understood is told as it stands: nothing is left out.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from sarvex.core.meaning.names import NameCycle, Names, UnknownName
from sarvex.core.model.records import fold
from sarvex.core.sets import addresses, services

Space = Literal["address", "service"]
MOST_TEXT = 200_000
MOST_WORDS = 8
"""So many words are tried as one member."""
_VALUE = re.compile(r"[\d./:]")
"""A word with one of these is meant as a value, not as part of a name."""
_PIECE = re.compile(r'"([^"]*)"|[^",;\t\r\n]+')


@dataclass(frozen=True)
class Member:
    """One member of a text: what was written there, and what it is; or why it is none."""

    text: str
    member: str
    problem: str = ""


def members(text: str, names: Names, space: Space) -> list[Member]:
    """All members of a text, in order, those that stand there twice once. O(words)."""
    found = (m for piece in _pieces(text) for m in _of_piece(*piece, names, space))
    return list({fold(m.member): m for m in reversed(list(found))}.values())[::-1]


def _pieces(text: str) -> Iterator[tuple[str, bool]]:
    """What stands between separators, and whether it was quoted."""
    for match in _PIECE.finditer(text):
        quoted = match[1] is not None
        piece = " ".join((match[1] if quoted else match[0]).split())
        if piece:
            yield piece, quoted


def _of_piece(piece: str, quoted: bool, names: Names, space: Space) -> Iterator[Member]:
    if quoted:
        yield _known(piece, names, space) or _strange(piece, names, space)
        return
    words, at = piece.split(), 0
    strange: list[str] = []
    """Words that are no member, one after the other: together perhaps a name that is not there."""
    while at < len(words):
        ends = range(min(len(words), at + MOST_WORDS), at, -1)
        tried = ((end, _known(" ".join(words[at:end]), names, space)) for end in ends)
        end, found = next(((end, m) for end, m in tried if m), (at + 1, None))
        alone = found or (_strange(words[at], names, space) if _VALUE.search(words[at]) else None)
        if alone is None:
            strange.append(words[at])
        else:
            if strange:
                yield _strange(" ".join(strange), names, space)
                strange = []
            yield alone
        at = end
    if strange:
        yield _strange(" ".join(strange), names, space)


def _known(text: str, names: Names, space: Space) -> Member | None:
    """A name or a value. Values that read alike are one: `10.44.0.1 - 10.44.0.9` is a range however it is spaced."""
    things = names.service_things if space == "service" else names.address_things
    thing = things.get(fold(text))
    if thing is not None:
        return Member(text, thing.name)
    try:
        told = _told(text, space)
    except (addresses.InvalidAddress, services.InvalidService):
        bearer = names.beside.get(fold(text)) if space == "address" else None
        return None if bearer is None or bearer.kind == "zone" else Member(text, bearer.name)
    bearers = _bearers(names, space).get(tuple(told), []) if told != ["any"] else []
    if len(bearers) == 1:
        return Member(text, bearers[0])
    return Member(text, told[0] if len(told) == 1 else text)


def _told(text: str, space: Space) -> list[str]:
    return (
        services.describe(services.parse(text))
        if space == "service"
        else addresses.describe(addresses.parse(text))
    )


def _bearers(names: Names, space: Space) -> dict[tuple[str, ...], list[str]]:
    """The names of each value. O(names), once."""

    def make() -> dict[tuple[str, ...], list[str]]:
        found: dict[tuple[str, ...], list[str]] = {}
        things = names.service_things if space == "service" else names.address_things
        for thing in things.values():
            try:
                value = (
                    services.describe(names.service(thing.name))
                    if space == "service"
                    else addresses.describe(names.address(thing.name))
                )
            except (UnknownName, NameCycle):
                continue
            found.setdefault(tuple(value), []).append(thing.name)
        return found

    told: dict[tuple[str, ...], list[str]] = names.keep(("bearers", space), make)
    return told


def _strange(text: str, names: Names, space: Space) -> Member:
    try:
        (names.service if space == "service" else names.address)(text)
    except (UnknownName, NameCycle) as error:
        return Member(text, text, str(error))
    return Member(text, text)
