"""Things of the model as rows: scalars in the row's detail, everything listed or referred to as members.

`KINDS` says it once for both directions. A member is *field, text, space, extra*: the text as it is written,
the name space in which it may be the name of a thing (None: always literal), and scalars that belong to it.
A list of records (routes, attachments) has one member per record and further ones, under dotted fields, for
what the records refer to.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, fields, is_dataclass
from typing import Any

from sarvex.core.model import records

ACCEPTED = "accepted"
"""Left out where nothing is, as in records of before."""
AT_HOSTS = "at hosts"
"""The one thing that holds what is consulted at hosts."""


@dataclass(frozen=True)
class Entry:
    """One member of a thing."""

    field: str
    text: str
    space: str | None
    extra: dict[str, Any] | None = None


@dataclass(frozen=True)
class Texts:
    """A field of names or literals; `single`: one of them, or none."""

    space: str | None
    single: bool = False
    required: bool = False


@dataclass(frozen=True)
class Records:
    """A field of records: `head` is the field that makes the member, `refers` those with names of their own."""

    record: type[Any]
    head: str
    space: str | None
    refers: dict[str, Texts]


@dataclass(frozen=True)
class Kind:
    """How one kind of thing is kept."""

    record: type[Any]
    space: str
    lists: dict[str, Texts | Records]
    apart: tuple[str, ...] = ()
    """Fields that are rows of their own."""


@records.record
class AtHosts:
    """All policies consulted at hosts, in order: one row, so that its order is one thing."""

    name: str = AT_HOSTS
    """Always the same."""
    at_hosts: tuple[records.HostAttachment, ...] = ()
    """In order."""


CLOCK = "clock"
"""The one thing that holds in which time zone schedules are meant."""


@records.record
class Clock:
    """The clock by which schedules go: one row, so that it has a version and a history."""

    name: str = CLOCK
    """Always the same."""
    time_zone: str = "UTC"
    """By its name in the IANA database."""


MATCH: dict[str, Texts | Records] = {
    "source": Texts("end"), "destination": Texts("end"), "service": Texts("service"),
}  # fmt: skip
SEGMENT = Texts("address", single=True)
KINDS: dict[str, Kind] = {
    "zone": Kind(records.Zone, "zone", {}),
    "segment": Kind(records.Segment, "address", {"prefixes": Texts(None), "gateways": Texts("device")}),
    "host": Kind(
        records.Host,
        "address",
        {
            "segment": Texts("address", single=True, required=True),
            "addresses": Texts(None),
            "traits": Texts(None),
        },
    ),
    "address": Kind(
        records.AddressObject,
        "address",
        {"members": Texts("end"), "traits": Texts(None)},
        apart=("notes",),
    ),
    "service": Kind(records.ServiceObject, "service", {"members": Texts("service")}, apart=("notes",)),
    "schedule": Kind(records.Schedule, "schedule", {"windows": Texts(None), "except_": Texts(None)}),
    "expectation": Kind(
        records.Expectation,
        "expectation",
        {
            "source": Texts("party"),
            "destination": Texts("party"),
            "service": Texts("service"),
            "at": Texts("schedule", single=True),
        },
    ),
    "clock": Kind(Clock, "network", {}),
    "policy": Kind(records.Policy, "policy", {}, apart=("rules", "sections")),
    "device": Kind(
        records.Device,
        "device",
        {
            "management": Texts("service"),
            "tunnels": Texts("service"),
            "routes": Records(records.Route, "prefix", None, {"interface": Texts("interface", single=True)}),
            "policies": Records(
                records.Attachment,
                "policy",
                "policy",
                {"entering": Texts("scope"), "leaving": Texts("scope")},
            ),
        },
        apart=("interfaces", *records.LISTS),
    ),
    "translate_to": Kind(
        records.DestinationTranslation,
        "translate_to",
        {"entering": Texts("scope"), **MATCH, "to": Texts("end")},
    ),
    "translate_from": Kind(
        records.SourceTranslation,
        "translate_from",
        {"leaving": Texts("scope"), **MATCH, "to": Texts("end")},
    ),
    "steering": Kind(
        records.Steering,
        "steering",
        {
            "entering": Texts("scope"),
            **MATCH,
            "leave": Texts("interface", single=True),
            "schedule": Texts("schedule", single=True),
        },
    ),
    "interface": Kind(
        records.Interface,
        "interface",
        {
            "segment": SEGMENT,
            "zone": Texts("zone", single=True),
            "parent": Texts("interface", single=True),
            "addresses": Texts(None),
        },
    ),
    "at_hosts": Kind(
        AtHosts,
        "network",
        {"at_hosts": Records(records.HostAttachment, "policy", "policy", {"hosts": Texts("end")})},
    ),
}
INSIDE = {
    "interface": "interfaces", "translate_to": "translate_destination", "translate_from": "translate_source",
    "steering": "steering",
}  # fmt: skip
"""Kinds of which each device has a list of its own, with the field that holds it."""
ORDERED = "translate_to", "translate_from", "steering"
"""Those of them whose order says which decides."""
ONE_OF = {"at_hosts": AT_HOSTS, "clock": CLOCK}
"""Kinds of which every network has one thing, and its name."""
KIND_OF: dict[type[Any], str] = {kind.record: name for name, kind in KINDS.items()}
SPACE = {name: kind.space for name, kind in KINDS.items()}
Resolve = Callable[[str, str], int | None]
"""The id of the thing of a name in a space, or None: then it is a literal."""


def space_of(kind: str, field: str) -> str | None:
    """The name space of a member's field, dotted where it belongs to a record of a list; None: there are literals alone."""
    if kind == "rule":
        return {"service": "service", "schedule": "schedule"}.get(field, "end")
    head, *inner = field.split(".")
    shape = KINDS[kind].lists[head]
    return shape.refers[inner[-1]].space if inner and isinstance(shape, Records) else shape.space


def inside(device: records.Device) -> Iterator[tuple[str, Any]]:
    """Everything inside a device, with its kind."""
    for kind, field in INSIDE.items():
        for inner in getattr(device, field):
            yield kind, inner


def detail(record: Any) -> dict[str, Any]:
    """The scalars of a thing, as JSON has them."""
    kind = KINDS[KIND_OF[type(record)]]
    left_out = {"name", "description", *kind.lists, *kind.apart}
    values = {f.name: plain(getattr(record, f.name)) for f in fields(record) if f.name not in left_out}
    return {name: value for name, value in values.items() if value or name != ACCEPTED}


def entries(record: Any) -> Iterator[Entry]:
    """The members of a thing, field by field in order."""
    notes = {records.fold(n.member): _note(n) for n in getattr(record, "notes", ())}
    for field, shape in KINDS[KIND_OF[type(record)]].lists.items():
        value = getattr(record, field)
        if isinstance(shape, Records):
            yield from _records(field, shape, value)
        else:
            for text in _texts(value):
                yield Entry(
                    field, text, shape.space, notes.get(records.fold(text)) if field == "members" else None
                )


def _records(field: str, shape: Records, records: tuple[Any, ...]) -> Iterator[Entry]:
    for index, record in enumerate(records):
        scalars = {
            f.name: getattr(record, f.name)
            for f in fields(record)
            if f.name != shape.head and f.name not in shape.refers
        }
        yield Entry(field, getattr(record, shape.head), shape.space, scalars)
        for sub, texts in shape.refers.items():
            for text in _texts(getattr(record, sub)):
                yield Entry(f"{field}.{index}.{sub}", text, texts.space)


Lists = dict[str, list[tuple[str, dict[str, Any] | None]]]
"""Per field, the texts in order with what belongs to them."""


def record_of(
    kind: str, name: str, description: str, detail: dict[str, Any], lists: Lists, **apart: Any
) -> Any:
    """The record of a row; the reverse of `detail` and `entries`."""
    shape = KINDS[kind]
    values: dict[str, Any] = {"name": name, **detail, **apart}
    if kind not in ONE_OF:
        values["description"] = description
    if "zone_default" in detail:
        values["zone_default"] = records.ZoneDefault(**detail["zone_default"])
    if "sees" in detail:
        values["sees"] = records.Sees(**detail["sees"])
    if ACCEPTED in detail:
        values[ACCEPTED] = accepted_of(detail[ACCEPTED])
    if "negate" in detail:
        values["negate"] = tuple(detail["negate"])
    for field, texts in shape.lists.items():
        found = lists.get(field, [])
        if isinstance(texts, Records):
            values[field] = tuple(
                texts.record(
                    **{texts.head: text},
                    **(extra or {}),
                    **{
                        sub: _value(lists.get(f"{field}.{i}.{sub}", []), t) for sub, t in texts.refers.items()
                    },
                )
                for i, (text, extra) in enumerate(found)
            )
        else:
            values[field] = _value(found, texts)
    if "notes" in shape.apart:
        values["notes"] = tuple(
            records.Note(member=text, **extra) for text, extra in lists.get("members", []) if extra
        )
    return shape.record(**values)


def _value(found: list[tuple[str, dict[str, Any] | None]], texts: Texts) -> Any:
    if texts.single:
        return found[0][0] if found else "" if texts.required else None
    return tuple(text for text, _ in found)


def _texts(value: Any) -> tuple[str, ...]:
    if value is None:
        return ()
    return (value,) if isinstance(value, str) else tuple(value)


def _note(note: records.Note) -> dict[str, Any]:
    return {"text": note.text, "owner": note.owner, "until": note.until}


def plain(value: Any) -> Any:
    """A scalar, a record or a list of these, as JSON has it."""
    if isinstance(value, tuple):
        return [plain(one) for one in value]
    return {f.name: getattr(value, f.name) for f in fields(value)} if is_dataclass(value) else value


def accepted_of(rows: Sequence[dict[str, Any]]) -> tuple[records.Accepted, ...]:
    """What is accepted of a thing, as it was kept."""
    return tuple(records.Accepted(**row) for row in rows)
