"""The network document: our own open format, YAML or JSON, read whole or not at all.

Its schema is derived from the records of `sarvex.core.model.records`; the published JSON Schema is made by
`schema`. Parts of the language that this version does not implement are named in `PLANNED` and refused by
name, never skipped: a field that is ignored in a security tool is a hole.
"""

from __future__ import annotations

import json
from functools import cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from sarvex.core.meaning.check import problems
from sarvex.core.model.problems import MOST_PROBLEMS, Problem, entry, few
from sarvex.core.model.records import Network
from sarvex.formats import skeleton

VERSION = 1
MAX_BYTES = 50_000_000
MAX_DEPTH = 40
MAX_VALUES = 2_000_000
"""With everything that YAML says once and repeats."""
MANY = 5_000
"""More errors of form than these are not all made into words."""
THOUSANDS_OF_DIGITS = "a number has thousands of digits"
BEGINNINGS = (MOST_PROBLEMS, 10_000)
"""So many entries of each list are validated before all of them are."""
MAX_KEYS = 200
"""Of one mapping. Nothing has so many."""

TRANSLATIONS = "translate_destination", "translate_source"
PLANNED: dict[str, dict[str, str]] = {
    "Network": {
        "feeds": "imported address lists",
    },
    "Device": {
        "checks": "the order of checks",
    },
    "AddressObject": {"feed": "the imported list it stands for"},
    "Rule": {"next_hop": "a chosen way for what it allows"},
}
SECTION = {
    "Network": (),
    "Device": ("devices",),
    "AddressObject": ("addresses",),
    "Rule": ("policies", "rules"),
}
_PLANNED_AT = {
    (*SECTION[record], key): meaning for record, keys in PLANNED.items() for key, meaning in keys.items()
}


@cache
def _adapter() -> TypeAdapter[Network]:
    """Made when it is first needed: that takes a tenth of a second."""
    return TypeAdapter(Network)


class InvalidDocument(ValueError):
    """The document cannot be read; `problems` has every reason with its place."""

    def __init__(self, found: list[Problem]) -> None:
        super().__init__("\n".join(str(p) for p in found))
        self.problems = found


def load(text: str) -> Network:
    """Read and check a document. Raises `InvalidDocument` with all problems found; O(size)."""
    return whole(parse(text))


def whole(data: dict[str, Any]) -> Network:
    """Read and check a document's data. Raises `InvalidDocument` with all problems found."""
    network = from_data(data)
    found = problems(network)
    if found:
        raise InvalidDocument(found)
    return network


def few_values(text: str) -> None:
    """Raises `InvalidDocument` if there are too many values in a JSON text, before it is parsed."""
    if skeleton.values(text) > MAX_VALUES:
        raise InvalidDocument([Problem((), f"more than {MAX_VALUES:,} values")])


def parse(text: str, most_yaml: int = MAX_BYTES) -> dict[str, Any]:
    """The document as plain data: JSON if it begins with a brace, else YAML 1.2, which is read many times more
    slowly: at most `most_yaml` bytes of it."""
    as_json = text.lstrip()[:1] == "{"
    size = len(text.encode(errors="surrogatepass"))
    if size > MAX_BYTES:
        raise InvalidDocument([Problem((), f"larger than {MAX_BYTES // 1_000_000} MB")])
    if size > most_yaml and not as_json:
        most = f"more than {most_yaml // 1000} kB of YAML take too long to read here"
        raise InvalidDocument([Problem((), f"{most}; write it as JSON, or bring it in by sarvex import")])
    if as_json:
        few_values(text)
    try:
        data = json.loads(text, object_pairs_hook=_unique) if as_json else _yaml(text)
    except RecursionError:
        raise InvalidDocument([Problem((), f"nested deeper than {MAX_DEPTH} levels")]) from None
    except json.JSONDecodeError as error:
        raise InvalidDocument(
            [Problem((), f"line {error.lineno}, column {error.colno}: {error.msg}")]
        ) from None
    except _Duplicate as error:
        raise InvalidDocument([Problem((), f"the key {error} stands twice in one object")]) from None
    except InvalidDocument:
        raise
    except ValueError:
        raise InvalidDocument([Problem((), THOUSANDS_OF_DIGITS)]) from None
    if not isinstance(data, dict):
        raise InvalidDocument([Problem((), 'a network document is a mapping that begins with "sarvex: 1"')])
    depth, keys = _extent(data)
    if depth > MAX_DEPTH:
        raise InvalidDocument([Problem((), f"nested deeper than {MAX_DEPTH} levels")])
    if _values(data, {}) > MAX_VALUES:
        raise InvalidDocument(
            [Problem((), f"more than {MAX_VALUES:,} values, with all that is repeated by alias")]
        )
    if keys > MAX_KEYS:
        raise InvalidDocument(
            [Problem((), f"a mapping has more than {MAX_KEYS} keys; nothing in a network has so many")]
        )
    return data


def from_data(data: dict[str, Any]) -> Network:
    """The network of a document's data, its form checked but not yet its meaning."""
    version = data.get("sarvex")
    if version != VERSION or isinstance(version, bool):
        raise InvalidDocument(
            [Problem(("sarvex",), f'this version reads documents marked "sarvex: {VERSION}"')]
        )
    body = _spelled_out({key: value for key, value in data.items() if key != "sarvex"})
    silent = _silent_groups(body)
    if silent:
        raise InvalidDocument(silent)
    try:
        return _network(body)
    except _Ill as ill:
        told = ill.error.errors(include_url=False, include_context=False, include_input=False)
        found = [_problem(e["loc"], e["type"], e["msg"], body) for e in told[: MOST_PROBLEMS + 1]]
        raise InvalidDocument(few(found, ill.count, ill.at_least)) from None
    except ValueError:
        raise InvalidDocument([Problem((), THOUSANDS_OF_DIGITS)]) from None


class _Ill(Exception):
    """The form is not as it must be: some of the errors, and how many there are, or are at least."""

    def __init__(self, some: ValidationError, count: int, at_least: bool = False) -> None:
        super().__init__()
        self.error, self.count, self.at_least = some, count, at_least


def _network(body: dict[str, Any]) -> Network:
    """Validated, the first entries of long lists before the rest: all is done in one go, in which nothing else is done, and
    there mostly is enough to be told of the first. Raises `_Ill`."""
    for entries in BEGINNINGS:
        first = _beginning(body, entries)
        if first == body:
            break
        try:
            _validated(first)
        except ValidationError as error:
            if error.error_count() > MOST_PROBLEMS:
                raise _Ill(error, error.error_count(), at_least=True) from None
    try:
        return _validated(body)
    except ValidationError as error:
        raise _Ill(_with_few(body, error), error.error_count()) from None


def _validated(body: dict[str, Any]) -> Network:
    return _adapter().validate_json(json.dumps(body), strict=True)


def _with_few(body: dict[str, Any], error: ValidationError) -> ValidationError:
    """The same errors, or the first of them if they are very many: telling hundreds of thousands takes seconds, in one go.

    They are those of a document with the first entries of each of its lists, of the shortest that has enough of them.
    """
    low, high = 0, max(_longest(body), 1)
    while error.error_count() > MANY and high - low > 1:
        middle = min((low + high) // 2, max(2 * low, MOST_PROBLEMS + 1))  # they mostly begin early
        try:
            _validated(_beginning(body, middle))
            low = middle
        except ValidationError as fewer:
            if fewer.error_count() > MOST_PROBLEMS:
                error, high = fewer, middle
            else:
                low = middle
    return error


def _longest(data: Any) -> int:
    """How many entries the longest list in it has."""
    if not isinstance(data, dict | list):
        return 0
    inside = max((_longest(v) for v in (data.values() if isinstance(data, dict) else data)), default=0)
    return max(inside, len(data)) if isinstance(data, list) else inside


def _beginning(data: Any, entries: int) -> Any:
    """With at most so many entries of each list."""
    if isinstance(data, dict):
        return {key: _beginning(value, entries) for key, value in data.items()}
    return [_beginning(value, entries) for value in data[:entries]] if isinstance(data, list) else data


def to_data(network: Network) -> dict[str, Any]:
    """The document of a network as plain data; what equals its default is left out."""
    data = {
        "sarvex": VERSION,
        **_adapter().dump_python(network, mode="json", exclude_defaults=True, by_alias=True),
    }
    for a in data.get("addresses", ()):
        if "traits" not in a:
            a.setdefault("members", [])
    return data


def dump(network: Network, form: str = "yaml") -> str:
    """The document as text, `yaml` or `json`. `load` of it gives the same network."""
    data = to_data(network)
    if form == "json":
        return json.dumps(data, indent=1, ensure_ascii=False) + "\n"
    from sarvex.formats import yaml_text

    return yaml_text.dump(data)


def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of the document, planned parts named and refused."""
    made = _adapter().json_schema(mode="validation", by_alias=True)
    made["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    made["title"] = "Sarvex network document"
    made["properties"] = {
        "sarvex": {"const": VERSION, "description": "The document's version."},
        **made["properties"],
    }
    made["required"] = ["sarvex", *made["required"]]
    made["$defs"]["AddressObject"]["anyOf"] = [{"required": ["members"]}, {"required": ["traits"]}]
    for record in ("DestinationTranslation", "SourceTranslation"):
        to = made["$defs"][record]["properties"]["to"]
        one = {"type": "string", "maxLength": to["items"]["maxLength"]}
        made["$defs"][record]["properties"]["to"] = {
            "anyOf": [{"type": "array", "items": to["items"]}, one], "description": to["description"],
        }  # fmt: skip
    made["$defs"]["DestinationTranslation"]["properties"]["port"]["anyOf"].append({"type": "integer"})
    for record, keys in PLANNED.items():
        target = made if record == "Network" else made["$defs"][record]
        for key, meaning in keys.items():
            target["properties"][key] = {
                "not": {},
                "description": f"Planned: {meaning}. Refused by this version.",
            }
    return made


def _spelled_out(body: dict[str, Any]) -> dict[str, Any]:
    """With what translations become as a list, and their port as a text, as records have them: one text and a number will do."""
    devices = body.get("devices")
    if not isinstance(devices, list):
        return body
    return {**body, "devices": [_device_spelled_out(d) for d in devices]}


def _device_spelled_out(device: Any) -> Any:
    if not isinstance(device, dict):
        return device
    lists = {f: device[f] for f in TRANSLATIONS if isinstance(device.get(f), list)}
    return {**device, **{f: [_entry_spelled_out(e) for e in entries] for f, entries in lists.items()}}


def _entry_spelled_out(entry: Any) -> Any:
    if not isinstance(entry, dict):
        return entry
    to, port = entry.get("to"), entry.get("port")
    made = {"to": [to]} if isinstance(to, str) else {}
    if isinstance(port, int) and not isinstance(port, bool):
        made["port"] = str(port)  # type: ignore[assignment]
    return {**entry, **made} if made else entry


def _silent_groups(body: dict[str, Any]) -> list[Problem]:
    """Address objects that say neither members nor traits: an empty group must be written as one."""
    listed = body.get("addresses")
    things = listed if isinstance(listed, list) else []
    return [
        Problem(("addresses", entry(str(a.get("name", index)))), message)
        for index, a in enumerate(things)
        if isinstance(a, dict) and not {"members", "traits"} & a.keys()
        for message in [
            "list its members, or traits to choose hosts by; an empty group is written members: []"
        ]
    ]


def _problem(loc: tuple[int | str, ...], kind: str, message: str, data: Any) -> Problem:
    plain = tuple(step for step in loc if isinstance(step, str))
    if kind in ("extra_forbidden", "unexpected_keyword_argument"):
        meaning = _PLANNED_AT.get(plain)
        message = (
            f"planned ({meaning}), but this version does not read it; remove it"
            if meaning
            else "no such key; check its spelling or remove it"
        )
    return Problem(_named(loc, data), message[:1].lower() + message[1:])


def _named(loc: tuple[int | str, ...], data: Any) -> tuple[int | str, ...]:
    """The place with list positions replaced by the names of the entries, where they have one."""
    path: list[int | str] = []
    for step in loc:
        try:
            data = data[step]
        except (KeyError, IndexError, TypeError):
            data = None
        name = data.get("name") if isinstance(step, int) and isinstance(data, dict) else None
        path.append(entry(name) if isinstance(name, str) else step)
    return tuple(path)


class _Duplicate(ValueError):
    pass


def _unique(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    made: dict[str, Any] = {}
    for key, value in pairs:
        if key in made:
            raise _Duplicate(repr(key))
        made[key] = value
    return made


def _yaml(text: str) -> Any:
    from sarvex.formats import yaml_text  # only where there is YAML

    try:
        return yaml_text.load(text, MAX_DEPTH)
    except yaml_text.InvalidYAML as error:
        raise InvalidDocument([Problem((), str(error))]) from None


def _extent(data: Any) -> tuple[int, int]:
    """How deep it is nested, and how many keys the largest mapping has, as far as the depth is looked at."""
    depth, keys, level = 0, 0, [data]
    while level and depth <= MAX_DEPTH:
        depth += 1
        keys = max(keys, *(len(d) if isinstance(d, dict) else 0 for d in level), 0)
        inside = (v for d in level for v in (d.values() if isinstance(d, dict) else d))
        level = list(
            {id(v): v for v in inside if isinstance(v, dict | list)}.values()
        )  # aliases are one value
    return depth, keys


def _values(data: Any, counted: dict[int, int]) -> int:
    """How many values there are, each as often as it is repeated. The depth is bounded."""
    if not isinstance(data, dict | list):
        return 1
    if id(data) not in counted:
        inside = data.values() if isinstance(data, dict) else data
        counted[id(data)] = 1 + sum(_values(v, counted) for v in inside)
    return counted[id(data)]
