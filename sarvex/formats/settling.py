"""Wanted states: things and rules that are to be there, or not to be, by name; applied twice they change nothing the second time.

Our own format, YAML or JSON, in the words of the network document. Lists of members are never given bare: an automated change that
*replaces* a list which it meant to extend loses what others put there, so each says what is done, in the words of RFC 8072: `merge` (these
too), `remove` (not these), `replace` (exactly these), `create` (exactly these, and nothing else may have been there). Which fields there are,
and of which kind, is read from the records of `sarvex.core.model.records`: what a document can say can be settled.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import MISSING, fields, is_dataclass
from functools import cache, lru_cache
from typing import Any, Literal, get_args, get_origin, get_type_hints

from sarvex.core.meaning.check import problems
from sarvex.core.model.problems import Problem, entry
from sarvex.core.model.records import Network, Policy, Rule, Steering, fold
from sarvex.core.sets import addresses, services
from sarvex.formats import document

KEY = "settle"
STATES = "present", "absent"
ACTS = "create", "merge", "replace", "remove"
ENDS = "first", "last"
BESIDE = "before", "after"
ORDERED: tuple[type, ...] = (Rule, Steering)
"""What is in a list whose order decides, beside translations (see `_ordered`)."""
Kind = Literal["plain", "members", "entries", "things", "one"]
Data = dict[str, Any]
Path = tuple[str | int, ...]


class Unsettled(Exception):
    """What is wanted cannot be had: a place that is not there, something else in the way, what does not hold together."""

    def __init__(self, found: list[Problem]) -> None:
        super().__init__("\n".join(str(p) for p in found))
        self.problems = found


def read(text: str) -> Data:
    """The wishes of a text, their form checked but for plain values. Raises `document.InvalidDocument` with all that is wrong."""
    data = document.parse(text)
    if data.get("sarvex") != document.VERSION or isinstance(data.get("sarvex"), bool):
        told = f'this version reads changes marked "sarvex: {document.VERSION}"'
        raise document.InvalidDocument([Problem(("sarvex",), told)])
    found = [
        Problem((key,), "no such key; changes have sarvex and settle")
        for key in data
        if key not in ("sarvex", KEY)
    ]
    wishes = data.get(KEY)
    if not isinstance(wishes, dict):
        found.append(
            Problem(
                (KEY,), "a mapping of sections, such as addresses or policies, with what is wanted of each"
            )
        )
    else:
        found += _ill(Network, wishes, (KEY,))
    if found:
        raise document.InvalidDocument(found)
    assert isinstance(wishes, dict)
    return wishes


def settled(network: Network, wishes: Data) -> Network:
    """The network with what is wanted, and the network itself if it is all there already.

    Raises `Unsettled` with all that is in the way, and `document.InvalidDocument` for values that nothing can have. O(size).
    """
    found: list[Problem] = []
    body = {key: value for key, value in document.to_data(network).items() if key != "sarvex"}
    made = _merged(Network, wishes, body, (KEY,), found)
    if fold(str(made.get("name"))) != fold(network.name):
        found.append(Problem((KEY, "name"), "a network is not renamed by a wish"))
    if found:
        raise Unsettled(found)
    wanted = document.from_data({"sarvex": document.VERSION, **made})
    if wanted == network:
        return network
    found = problems(wanted)
    if found:
        raise Unsettled(found)
    return wanted


# --- form -------------------------------------------------------------------------------------------------


@cache
def _fields(record: type) -> dict[str, tuple[Kind, Any, Any]]:
    """The fields of a record as documents name them: their kind, what is in them, and what stands for nothing said."""
    hints = get_type_hints(record)
    found: dict[str, tuple[Kind, Any, Any]] = {}
    for field in fields(record):
        kind, inner = _kind(hints[field.name])
        default: Any = [] if kind in ("members", "entries", "things") else None
        if field.default is not MISSING and kind == "members":
            default = list(field.default)
        found[field.name.removesuffix("_")] = kind, inner, default
    return found


def _kind(hint: Any) -> tuple[Kind, Any]:
    if get_origin(hint) is tuple:
        inner = get_args(hint)[0]
        if not is_dataclass(inner):
            return "members", inner
        return ("things" if "name" in {f.name for f in fields(inner)} else "entries"), inner
    return ("one", hint) if is_dataclass(hint) else ("plain", hint)


def _ordered(record: type) -> bool:
    return record in ORDERED or "Translation" in record.__name__


def _ill(record: type, wish: Any, path: Path) -> Iterator[Problem]:
    """What is wrong with the form of a wish about one record."""
    if not isinstance(wish, dict):
        yield Problem(path, "a mapping with what is wanted of it")
        return
    known = _fields(record)
    for key, told in wish.items():
        here = (*path, str(key))
        if key in ("state", "place") and len(path) > 1:
            continue
        if key not in known:
            yield Problem(here, "no such key; check its spelling or remove it")
            continue
        kind, inner, _ = known[key]
        if kind == "things":
            yield from _ill_things(inner, told, here)
        elif kind == "one":
            yield from _ill(inner, told, here)
        elif kind in ("members", "entries"):
            yield from _ill_acts(told, here)


def _ill_things(record: type, told: Any, path: Path) -> Iterator[Problem]:
    if not isinstance(told, list):
        yield Problem(path, "a list of what is wanted, each with its name")
        return
    spoken: set[str] = set()
    for at, wish in enumerate(told):
        name = wish.get("name") if isinstance(wish, dict) else None
        if not isinstance(name, str) or not name.strip():
            yield Problem((*path, at), "a wish is a mapping that begins with the name of what it is about")
            continue
        here = (*path, entry(name))
        if fold(name) in spoken:
            yield Problem(here, "it is spoken of twice: say in one place what is wanted of it")
        spoken.add(fold(name))
        if wish.get("state", "present") not in STATES:
            yield Problem((*here, "state"), "present or absent")
        elif wish.get("state") == "absent":
            rest = sorted(set(wish) - {"name", "state"})
            if rest:
                yield Problem(
                    (*here, rest[0]),
                    "what is to be absent has no more than a name; for members that are to go: remove",
                )
            continue
        if "place" in wish:
            yield from _ill_place(record, wish["place"], (*here, "place"))
        yield from _ill(record, wish, here)


def _ill_place(record: type, place: Any, path: Path) -> Iterator[Problem]:
    if not _ordered(record):
        yield Problem(path, "the order of these means nothing; leave it out")
    elif not (place in ENDS if isinstance(place, str) else _beside(place) is not None):
        yield Problem(path, "first, last, {before: NAME} or {after: NAME}")


def _beside(place: Any) -> tuple[str, str] | None:
    if isinstance(place, dict) and len(place) == 1:
        ((where, name),) = place.items()
        if where in BESIDE and isinstance(name, str):
            return where, name
    return None


def _ill_acts(told: Any, path: Path) -> Iterator[Problem]:
    if not isinstance(told, dict) or not told:
        yield Problem(
            path,
            "say what is done with the list: {merge: [...]}, {remove: [...]}, {replace: [...]} or {create: [...]}",
        )
        return
    for act, members in told.items():
        if act not in ACTS:
            yield Problem((*path, str(act)), "create, merge, replace or remove")
        elif not isinstance(members, list):
            yield Problem((*path, act), "a list")
    merged, removed = (told.get(act) for act in ("merge", "remove"))
    both = [one for one in _listed(merged) if one in _listed(removed)]
    if both:
        yield Problem(path, f"{both[0]} is to be there and to go")
    if len(told) > 1 and not set(told) <= {"merge", "remove"}:
        yield Problem(path, "create and replace stand alone: they say all that is to be in the list")


def _listed(told: Any) -> list[Any]:
    return told if isinstance(told, list) else []


# --- application ------------------------------------------------------------------------------------------


def _merged(record: type, wish: Data, there: Data, path: Path, found: list[Problem]) -> Data:
    """One record with what is wanted of it; what is not spoken of stays."""
    out = dict(there)
    for key, told in wish.items():
        if key in ("state", "place"):
            continue
        kind, inner, default = _fields(record)[key]
        here = (*path, key)
        if kind == "plain":
            out[key] = told
        elif kind == "one":
            out[key] = _merged(inner, told, there.get(key, {}), here, found)
        elif kind == "things":
            out[key] = _things(inner, told, there.get(key, []), here, found)
        elif kind == "members":
            alike = (
                _service_key
                if key == "service" or (record.__name__ == "ServiceObject" and key == "members")
                else _member_key
            )
            out[key] = _list(told, there.get(key, default), alike, _same_key, here, found)
        else:
            out[key] = _list(told, there.get(key, []), _entry_key(inner), _part_of, here, found)
    if record is Policy and "rules" in wish:
        out["sections"] = _sections_kept(there, out)
    if out.get("notes") and "members" in wish:
        stay = {fold(str(member)) for member in out["members"]}
        out["notes"] = [note for note in out["notes"] if fold(note["member"]) in stay]
    return out


def _things(
    record: type, wishes: list[Data], there: list[Data], path: Path, found: list[Problem]
) -> list[Data]:
    out = list(there)
    for wish in wishes:
        name = wish["name"]
        here = (*path, entry(name))
        at = _at(out, name)
        if wish.get("state") == "absent":
            if at is not None:
                del out[at]
            continue
        before = {"name": name} if at is None else out[at]
        # A name that is there keeps the letters it has.
        made = {**_merged(record, wish, before, here, found), "name": before["name"]}
        place = wish.get("place")
        if at is not None:
            out[at] = made
            if place is not None:
                _put(out, at, place, here, found)
        elif place is None and _ordered(record):
            told = "it is not there yet: say where it is to stand, place: first, last, {before: NAME} or {after: NAME}"
            found.append(Problem((*here, "place"), told))
        else:
            out.append(made)
            if place is not None:
                _put(out, len(out) - 1, place, here, found, new=True)
    if not found:
        found += _displaced(wishes, out, path)
    return out


def _displaced(wishes: list[Data], out: list[Data], path: Path) -> Iterator[Problem]:
    """The wishes of which another has the place: both cannot be had, and the second time the first would be moved again."""
    for wish in wishes:
        at, place = _at(out, wish["name"]), wish.get("place")
        if at is None or place is None:
            continue
        if isinstance(place, str):
            stands = at == (0 if place == "first" else len(out) - 1)
        else:
            ((where, name),) = place.items()
            anchor = _at(out, name)
            stands = anchor is not None and _stands(at, where, anchor)
        if not stands:
            told = "it would not stand so in the end: another wish has that place, or takes away what it stands beside"
            yield Problem((*path, entry(wish["name"]), "place"), told)


def _at(listed: list[Data], name: str) -> int | None:
    return next((at for at, one in enumerate(listed) if fold(str(one.get("name"))) == fold(name)), None)


def _put(out: list[Data], at: int, place: Any, path: Path, found: list[Problem], new: bool = False) -> None:
    """Let an entry stand where it is wanted; one that stands before, or after, another as wanted stays."""
    one = out[at]
    beside = _beside(place)
    if beside is None:
        del out[at]
        out.insert(0 if place == "first" else len(out), one)
        return
    where, name = beside
    anchor = _at(out, name)
    if anchor is None or anchor == at:
        told = (
            "it cannot stand beside itself"
            if anchor == at
            else f"there is no {name!r} in the list that it could stand beside"
        )
        found.append(Problem((*path, "place"), told))
        return
    if not new and _stands(at, where, anchor):
        return
    del out[at]
    anchor = _at(out, name)
    assert anchor is not None
    out.insert(anchor + (where == "after"), one)


def _stands(at: int, where: str, anchor: int) -> bool:
    return (at < anchor) == (where == "before")


Key = Callable[[Any], Any]


def _list(
    told: Data, there: list[Any], key: Key, meant: Callable[[Any, Any, Key], bool], path: Path, found: list[Problem]
) -> list[Any]:  # fmt: skip
    """A list after what is done with it. meant: whether something in it is what is to be taken off."""
    for act, wanted in told.items():
        known = {key(one) for one in there}
        asked = {key(one) for one in wanted}
        if act == "merge":
            there = [*there, *(one for one in _each(wanted, key) if key(one) not in known)]
        elif act == "remove":
            there = [one for one in there if not any(meant(gone, one, key) for gone in wanted)]
        elif act == "replace":
            there = there if known == asked else _each(wanted, key)
        elif not there:
            there = _each(wanted, key)
        elif known != asked:
            more = [str(one) for one in there if key(one) not in asked] or ["less than that"]
            found.append(
                Problem(
                    (*path, act),
                    f"it holds {', '.join(more[:5])}; create changes nothing that is there: use merge or replace",
                )
            )
    return there


def _each(some: list[Any], key: Key) -> list[Any]:
    return list({key(one): one for one in reversed(some)}.values())[::-1]


def _same_key(gone: Any, one: Any, key: Key) -> bool:
    return bool(key(gone) == key(one))


def _part_of(gone: Any, one: Any, key: Key) -> bool:
    """Whether an entry has everything that one to be taken off says."""
    if not isinstance(gone, dict) or not isinstance(one, dict):
        return False
    return all(name in one and one[name] == value for name, value in gone.items()) or bool(
        key(gone) == key(one)
    )


@lru_cache(maxsize=4096)
def _member_key(member: Any) -> Any:
    """What a member says, however it is written: 10.44.1.1 and 10.44.1.1/32 are one."""
    try:
        return addresses.parse(member)
    except (ValueError, TypeError, AttributeError):
        return fold(str(member))


@lru_cache(maxsize=4096)
def _service_key(member: Any) -> Any:
    try:
        said = services.parse(member)
        return said.v4.tobytes(), said.v6.tobytes()
    except (ValueError, TypeError, AttributeError):
        return fold(str(member))


def _entry_key(record: type) -> Key:
    """Of an entry without a name: all that it says but what goes without saying."""
    silent = {f.name.removesuffix("_"): _plain(f.default) for f in fields(record) if f.default is not MISSING}

    def key(one: Any) -> Any:
        if not isinstance(one, dict):
            return str(one)
        return tuple(
            sorted((name, str(value)) for name, value in one.items() if silent.get(name, MISSING) != value)
        )

    return key


def _plain(default: Any) -> Any:
    return list(default) if isinstance(default, tuple) else default


def _sections_kept(before: Data, after: Data) -> list[Data]:
    """The sections of a policy; one whose first rule goes begins at the next that stays."""
    stay = {fold(rule["name"]) for rule in after.get("rules", [])}
    order = [fold(rule["name"]) for rule in before.get("rules", [])]
    named = {fold(rule["name"]): rule["name"] for rule in before.get("rules", [])}
    out = []
    for section in after.get("sections", []):
        begins = section.get("before")
        if begins is not None and fold(begins) in order and fold(begins) not in stay:
            rest = [name for name in order[order.index(fold(begins)) :] if name in stay]
            section = {key: value for key, value in section.items() if key != "before"}
            if rest:
                section["before"] = named[rest[0]]
        out.append(section)
    return out


# --- schema -----------------------------------------------------------------------------------------------


def schema() -> Data:
    """The JSON Schema (2020-12) of changes, made from that of the network document."""
    made = document.schema()
    shapes: Data = made["$defs"]
    out: Data = {name: shape for name, shape in shapes.items() if shape.get("type") != "object"}
    _wish_schema(Network, made["properties"], shapes, out)
    wish = out.pop("Network")
    del wish["properties"]["name"]
    return {
        "$schema": made["$schema"],
        "title": "Sarvex changes: what is to be there, and what is not",
        "type": "object",
        "properties": {"sarvex": made["properties"]["sarvex"], KEY: wish},
        "required": ["sarvex", KEY],
        "additionalProperties": False,
        "$defs": out,
    }


def _wish_schema(record: type, told: Data, shapes: Data, out: Data) -> None:
    """Of a wish about one record, and of all that it may speak of."""
    name = record.__name__
    if name in out:
        return
    wish: Data = {"type": "object", "properties": {}, "additionalProperties": False}
    out[name] = wish
    for key, (kind, inner, _) in _fields(record).items():
        words = {k: told[key][k] for k in ("description",) if k in told[key]}
        if kind == "plain":
            wish["properties"][key] = {k: v for k, v in told[key].items() if k != "default"}
        elif kind == "members":
            wish["properties"][key] = {
                **_acts_schema(told[key].get("items") or told[key]["anyOf"][0]["items"]),
                **words,
            }
        else:
            _wish_schema(inner, shapes[inner.__name__]["properties"], shapes, out)
            of = {"$ref": f"#/$defs/{inner.__name__}"}
            if kind == "entries":
                whole = f"{inner.__name__}Whole"
                out[whole] = shapes[inner.__name__]
                of = _acts_schema({"$ref": f"#/$defs/{whole}"})
            wish["properties"][key] = {
                **({"type": "array", "items": of} if kind == "things" else of),
                **words,
            }
    if "name" in wish["properties"] and record is not Network:
        wish["required"] = ["name"]
        wish["properties"]["state"] = {"enum": list(STATES), "description": "Present, if nothing is said."}
        if _ordered(record):
            beside = {"type": "object", "minProperties": 1, "maxProperties": 1, "additionalProperties": False, "properties": {w: {"type": "string"} for w in BESIDE}}  # fmt: skip
            wish["properties"]["place"] = {"anyOf": [{"enum": list(ENDS)}, beside], "description": "Where a new one stands; one that stands so already stays."}  # fmt: skip


def _acts_schema(items: Data) -> Data:
    return {"type": "object", "minProperties": 1, "properties": {act: {"type": "array", "items": items} for act in ACTS}, "additionalProperties": False}  # fmt: skip
