"""Questions in words: the one grammar of the ask line, of `trace` and of expectations.

``SOURCE to DESTINATION [on SERVICE] [at MOMENT] [as STATE] [entering DEVICE.INTERFACE] [without NAME]...``, where a source may be ``who``, a destination ``where``
and a service ``what``. A name matches ``[A-Za-z][\\w.-]*`` or stands in double quotes; addresses, prefixes
and ranges stand as they are. A name is a host, a segment, an address object, a device, a zone or a user, the first of
these that there is. A segment, a zone, a prefix and ``any`` mean hosts there: a device's own addresses are asked about by its
name, or as ``DEVICE itself``. ``without`` unplugs a device or one interface, ``DEVICE.INTERFACE``; ``entering`` puts the
packets at an interface, whatever their source is.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sarvex.core.forwarding.parties import device_itself, hosts_of, party
from sarvex.core.forwarding.routing import Link, links
from sarvex.core.forwarding.walk import Question
from sarvex.core.meaning.names import NameCycle, Names, UnknownName
from sarvex.core.model.records import AddressObject, Host, Network, Segment, fold
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import AddressSet
from sarvex.core.sets.cache import Recent
from sarvex.core.sets.flows import STATES, State
from sarvex.core.sets.services import PROTOCOLS
from sarvex.core.time import moment_words
from sarvex.core.time.moments import ALWAYS
from sarvex.core.time.schedules import DAYS

Slot = Literal["source", "to", "destination", "service", "moment", "interface", "link", "state", "more"]
Open = Literal["who", "where", "what"]
CLAUSES: dict[str, Slot] = {
    "on": "service", "at": "moment", "entering": "interface", "as": "state", "without": "link"
}  # fmt: skip
_TOKEN = re.compile(r'"([^"]*)"|(\S+)')


class InvalidQuestion(ValueError):
    """The question cannot be understood; `start` and `end` mark the place in the text."""

    def __init__(self, message: str, start: int, end: int) -> None:
        super().__init__(message)
        self.message, self.start, self.end = message, start, end


@dataclass(frozen=True)
class Asked:
    """A question understood: its parts in words, what it leaves open, and the question for the core."""

    source: str
    destination: str
    service: str
    state: State
    moment: datetime | None
    open: Open | None
    question: Question
    hosts_only: bool
    """Whether devices' own addresses are left out of what is named."""
    given: str
    """What is supposed: what is unplugged, where the packets are put; nothing for things as they are."""


@dataclass(frozen=True)
class Suggestion:
    """A completion: the text from `start` on is replaced by `insert`."""

    insert: str
    kind: str
    detail: str
    start: int


@dataclass(frozen=True)
class _Token:
    text: str
    quoted: bool
    start: int
    end: int

    def is_word(self, word: str) -> bool:
        return not self.quoted and self.text.lower() == word


def parse(text: str, names: Names, at: datetime | None = None, now: datetime | None = None) -> Asked:
    """Understand a question about a network, asked `at` a moment if it names none itself. Raises `InvalidQuestion`.

    Its answer is to be sought with ``names.at(moment)``.
    """
    tokens = list(_tokens(text))
    end = len(text)
    to = next((i for i, t in enumerate(tokens) if t.is_word("to")), None)
    if not tokens or to == 0:
        raise InvalidQuestion("who sends? write SOURCE to DESTINATION", 0, end)
    if to is None:
        raise InvalidQuestion("to whom? write SOURCE to DESTINATION", end, end)
    clauses = _clauses(tokens[to + 1 :])
    open_word: Open | None = None
    source_text, whole_source = _side(tokens[:to], "who", text, names)
    destination_text, whole_destination = _side(clauses[None], "where", text, names)
    source, destination = hosts_of(whole_source, names), hosts_of(whole_destination, names)
    hosts_only = (source, destination) != (whole_source, whole_destination)
    service_text = " ".join(t.text for t in clauses.get("on", ())) or "any"
    if service_text.lower() == "what" and not clauses["on"][0].quoted:
        open_word, service_text = "what", "any"
    if source_text == "who":
        open_word = "who"
    elif destination_text == "where":
        open_word = "where"
    try:
        service = names.service(service_text)
    except (UnknownName, NameCycle) as error:
        raise InvalidQuestion(str(error), clauses["on"][0].start, clauses["on"][-1].end) from None
    without = _without(clauses.get("without", ()), names.network)
    entering = _entering(clauses.get("entering", ()), names.network)
    given = ", ".join(
        f"{word} {' '.join(t.text for t in clauses[word])}"
        for word in ("entering", "without")
        if word in clauses
    )
    state, moment = _state(clauses.get("as")), _moment(clauses.get("at"), names, at, now)
    times = names.at(moment).moments.at(moment) if moment else ALWAYS
    return Asked(
        source_text, destination_text, service_text, state, moment, open_word,
        Question(source, destination, service, (state,), times, without, entering), hosts_only, given,
    )  # fmt: skip


def spell(name: str) -> str:
    """A name as it is written in a question: in quotes where it needs them."""
    plain = re.fullmatch(r"[A-Za-z][\w.-]*", name) and name.lower() not in {
        "to",
        *CLAUSES,
        "who",
        "where",
        "what",
    }
    return name if plain or addresses.is_literal(name) else f'"{name}"'


def _tokens(text: str) -> Iterator[_Token]:
    for m in _TOKEN.finditer(text):
        quoted = m[1] is not None
        yield _Token(m[1] if quoted else m[2], quoted, m.start(), m.end())


def _clauses(tokens: list[_Token]) -> dict[str | None, list[_Token]]:
    """The tokens after `to`, by the word that opens their clause; the destination under None."""
    clauses: dict[str | None, list[_Token]] = {None: []}
    current: str | None = None
    for token in tokens:
        word = token.text.lower()
        if not token.quoted and word in CLAUSES:
            if word in clauses and word != "without":
                raise InvalidQuestion(f"“{word}” stands twice", token.start, token.end)
            current = word
            clauses.setdefault(current, [])
            opened = token
        else:
            clauses[current].append(token)
    if current is not None and not clauses[current]:
        raise InvalidQuestion(f"what follows “{current}”?", opened.end, opened.end)
    empty = next((c for c, found in clauses.items() if c and not found), None)
    if empty:
        raise InvalidQuestion(f"what follows “{empty}”?", tokens[0].start, tokens[-1].end)
    return clauses


def _side(tokens: list[_Token], open_word: str, text: str, names: Names) -> tuple[str, AddressSet]:
    if not tokens:
        raise InvalidQuestion("to whom? name a host, a segment, a zone or an address", len(text), len(text))
    itself = len(tokens) == 2 and tokens[1].is_word("itself")
    if len(tokens) > 1 and not itself:
        raise InvalidQuestion(
            "one name stands here; put a name with spaces in double quotes", tokens[0].start, tokens[-1].end
        )
    token = tokens[0]
    if token.is_word(open_word):
        return open_word, addresses.ANY
    try:
        if itself:
            return f"{token.text} itself", device_itself(token.text, names)
        return token.text, party(token.text, names)
    except (UnknownName, NameCycle) as error:
        raise InvalidQuestion(str(error), token.start, token.end) from None


def unplugged(named: Iterable[str], network: Network) -> frozenset[Link]:
    """What is unplugged, by the names of devices and interfaces. Raises `InvalidQuestion`."""
    return _without([_Token(name, False, 0, len(name)) for name in named], network)


def _without(tokens: Iterable[_Token], network: Network) -> frozenset[Link]:
    """What is unplugged."""
    found: frozenset[Link] = frozenset()
    for token in tokens:
        try:
            taken = links(network, token.text)
        except ValueError as error:
            raise InvalidQuestion(str(error), token.start, token.end) from None
        if not taken:
            told = (
                f"no device or interface is called {token.text!r}; an interface is written DEVICE.INTERFACE"
            )
            raise InvalidQuestion(told, token.start, token.end)
        found |= taken
    return found


def _entering(tokens: Sequence[_Token], network: Network) -> Link | None:
    """The interface at which packets are put."""
    if not tokens:
        return None
    start, end = tokens[0].start, tokens[-1].end
    wanted = fold(tokens[0].text)
    found = [
        (d.name, i.name)
        for d in network.devices
        for i in d.interfaces
        if fold(f"{d.name}.{i.name}") == wanted
    ]
    if len(tokens) > 1 or len(found) != 1:
        raise InvalidQuestion("name one interface, as DEVICE.INTERFACE", start, end)
    return found[0]


def _state(tokens: list[_Token] | None) -> State:
    if not tokens:
        return "new"
    for state in STATES:
        if len(tokens) == 1 and tokens[0].is_word(state):
            return state
    raise InvalidQuestion(f"a state is one of {', '.join(STATES)}", tokens[0].start, tokens[-1].end)


def _moment(
    tokens: list[_Token] | None, names: Names, at: datetime | None, now: datetime | None
) -> datetime | None:
    if not tokens:
        return at
    try:
        return moment_words.parse(" ".join(t.text for t in tokens), names.moments.zone, now)
    except moment_words.InvalidMoment as error:
        raise InvalidQuestion(str(error), tokens[0].start, tokens[-1].end) from None


_AS_OF = re.compile(r"\s+as\s+of\s+(\S.*?)\s*$", re.IGNORECASE)
_SINCE = re.compile(r"\s+since\s+when\s*\??\s*$", re.IGNORECASE)


@dataclass(frozen=True)
class Dated:
    """A question of a history: the question itself, the version it is asked `of` (None: the draft), and whether it asks
    `since` when its answer is what it is."""

    question: str
    of: str | None
    since: bool


def dated(text: str) -> Dated:
    """Take `as of VERSION` and `since when` off the end of a question; a name in double quotes is none of them."""
    since = _SINCE.search(text)
    if since and text.count('"', 0, since.start()) % 2 == 0:
        return Dated(text[: since.start()], None, True)
    of = _AS_OF.search(text)
    if of and text.count('"', 0, of.start()) % 2 == 0:
        return Dated(text[: of.start()], of[1], False)
    return Dated(text, None, False)


def complete(text: str, network: Network, limit: int = 12) -> list[Suggestion]:
    """What could stand at the end of `text`, best first."""
    tokens = list(_tokens(text))
    typing = tokens[-1] if tokens and not text[-1:].isspace() else None
    before = tokens[:-1] if typing else tokens
    word = typing.text.lower() if typing else ""
    start = typing.start if typing else len(text)
    slot = _slot(before)
    named = (network.zones, network.segments, network.hosts, network.addresses, network.services)
    candidates = _CANDIDATES.get((slot, *named), lambda: list(_candidates(slot, network)))
    scored = [(s, c) for c in candidates if (s := _score(c, word)) is not None]
    scored.sort(key=lambda item: item[0])
    return [Suggestion(insert, kind, detail, start) for _, (insert, kind, detail, _) in scored[:limit]]


def _slot(before: list[_Token]) -> Slot:
    slot: Slot = "source"
    for token in before:
        word = "" if token.quoted else token.text.lower()
        if slot == "to" and word == "to":
            slot = "destination"
        elif slot == "to" and word == "itself":
            continue
        elif slot == "more" and word in CLAUSES:
            slot = CLAUSES[word]
        elif slot == "source":
            slot = "to"
        else:
            slot = "more"
    return slot


_Candidate = tuple[str, str, str, str]
_CANDIDATES: Recent[tuple[object, ...], list[_Candidate]] = Recent(8)


def _candidates(slot: Slot, network: Network) -> Iterator[_Candidate]:
    """(insert, kind, detail, text to search) for everything that may stand in a slot."""
    if slot in ("source", "destination"):
        yield from _ends(slot, network)
    elif slot == "service":
        for service in network.services:
            values = ", ".join(service.members)
            yield (
                spell(service.name),
                "service",
                values,
                f"{service.name} {values} {service.description}".lower(),
            )
        yield "what", "open question", "every service that passes", "what"
        for protocol in (
            "tcp",
            "udp",
            "icmp",
            "icmp6",
            *(p for p in PROTOCOLS if p in ("gre", "esp", "sctp")),
        ):
            yield protocol, "protocol", "", protocol
    elif slot == "state":
        for state in STATES:
            yield state, "state", "", state
    elif slot == "moment":
        yield "now", "moment", "", "now"
        for day in DAYS:
            yield f"{day} 03:00", "moment", "the next one; any time", day
    elif slot in ("interface", "link"):
        for device in network.devices:
            if slot == "link":
                yield spell(device.name), "device", "unplugged", device.name.lower()
            for i in device.interfaces:
                name = f"{device.name}.{i.name}"
                yield spell(name), "interface", i.segment or i.kind, name.lower()
    elif slot == "to":
        yield "to", "word", "", "to"
    else:
        yield "on", "word", "a service", "on"
        yield "at", "word", "a moment", "at"
        yield "as", "word", "a connection state", "as"
        yield "without", "word", "a device or interface unplugged", "without"
        yield "entering", "word", "at an interface, whatever the source", "entering"


def _ends(slot: Slot, network: Network) -> Iterator[_Candidate]:
    """What may stand at either end of a question."""
    for thing in network.address_things():
        values = ", ".join(_values(thing))
        yield (
            spell(thing.name),
            _KIND[type(thing)],
            values,
            f"{thing.name} {values} {thing.description}".lower(),
        )
    for device in network.devices:
        yield spell(device.name), "device", "its own addresses", device.name.lower()
    for user in dict.fromkeys(h.user for h in network.hosts if h.user):
        yield spell(user), "user", "the addresses held for them", user.lower()
    for zone in network.zones:
        yield spell(zone.name), "zone", f"depth {zone.depth}", zone.name.lower()
    open_word = "who" if slot == "source" else "where"
    yield (
        open_word,
        "open question",
        "everyone who can" if slot == "source" else "everywhere reachable",
        open_word,
    )


_KIND: dict[type, str] = {Host: "host", Segment: "segment", AddressObject: "addresses"}


def _values(thing: Host | Segment | AddressObject) -> tuple[str, ...]:
    match thing:
        case Host():
            return thing.addresses
        case Segment():
            return thing.prefixes or ("everything else",)
    return (*thing.members, *thing.traits)


def _score(candidate: _Candidate, word: str) -> tuple[int, int, str] | None:
    insert, kind, _, search = candidate
    name = insert.strip('"').lower()
    if kind == "word" and word and not name.startswith(word):
        return None
    rank = (
        0
        if name.startswith(word)
        else 1
        if any(p.startswith(word) for p in re.split(r"[-_.\s]", name))
        else 2
    )
    if rank == 2 and word not in search:
        return None
    return rank, len(name) if word else 0, name
