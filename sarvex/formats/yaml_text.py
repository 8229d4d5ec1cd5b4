"""YAML as plain data: the core schema of YAML 1.2, read event by event and never deeper than asked.

The characters are read and written by libyaml. What a plain scalar means, which tags there are and what is refused is said
here: a key that stands twice, a key that is no scalar, an alias within what it stands for, a second document, any tag
that JSON has no kind for.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Hashable
from typing import Any

import yaml

KINDS = {
    "null": re.compile(r"~|null|Null|NULL|"),
    "bool": re.compile(r"true|True|TRUE|false|False|FALSE"),
    "int": re.compile(r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+"),
    "float": re.compile(
        r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?|[-+]?\.(inf|Inf|INF)|\.(nan|NaN|NAN)"
    ),
}
"""What a plain scalar is, asked in this order; a string if it is none of these."""
TAG = "tag:yaml.org,2002:"
MERGE = "<<"


class InvalidYAML(ValueError):
    """It cannot be read; the message begins with the place, if there is one."""


def load(text: str, most_levels: int) -> Any:
    """The one document of a text. Raises `InvalidYAML`, `ValueError` for a number of thousands of digits; O(length)."""
    try:
        return _Reading(most_levels).document(text)
    except yaml.MarkedYAMLError as error:
        raise InvalidYAML(_at(error.problem_mark, error.problem or "not YAML")) from None
    except yaml.YAMLError as error:
        raise InvalidYAML(" ".join(str(error).split())) from None


def dump(data: Any) -> str:
    """Plain data as a text: lists of scalars on one line. `load` of it gives the same."""
    text: str = yaml.dump(
        data, Dumper=_Dumper, sort_keys=False, allow_unicode=True, width=110, default_flow_style=False
    )
    return text


def _at(mark: Any, message: str) -> str:
    return f"line {mark.line + 1}, column {mark.column + 1}: {message}" if mark else message


def _refused(event: Any, message: str) -> InvalidYAML:
    return InvalidYAML(_at(event.start_mark, message))


class _Open:
    """A mapping or list that is being read."""

    def __init__(self, event: Any) -> None:
        self.event = event
        self.made: Any = {} if isinstance(event, yaml.MappingStartEvent) else []
        self.key: str | None = None
        self.merged: list[dict[str, Any]] = []

    def take(self, event: Any, value: Any) -> None:
        """The next value in it, or the next key."""
        if isinstance(self.made, list):
            self.made.append(value)
        elif self.key is None:
            if not isinstance(event, yaml.ScalarEvent):
                raise _refused(event, "a key is a plain word")
            if event.value in self.made:
                raise _refused(event, f"the key {event.value!r} stands twice in one mapping")
            self.key = event.value
            self.made[self.key] = None
        elif self.key == MERGE:
            self._merge(event, value)
        else:
            self.made[self.key], self.key = value, None

    def _merge(self, event: Any, value: Any) -> None:
        wanted = value if isinstance(value, list) else [value]
        if not all(isinstance(v, dict) for v in wanted):
            raise _refused(event, "only a mapping or a list of them can be merged")
        self.merged, self.key = wanted, None
        del self.made[MERGE]

    def whole(self) -> Any:
        """With what is merged into it, where it does not say otherwise."""
        for other in self.merged:
            self.made = {**self.made, **{k: v for k, v in other.items() if k not in self.made}}
        return self.made


class _Reading:
    def __init__(self, most_levels: int) -> None:
        self.most_levels = most_levels
        self.anchors: dict[str, Any] = {}
        self.open: list[_Open] = []
        self.result: Any = None

    def document(self, text: str) -> Any:
        documents = 0
        for event in yaml.parse(text, Loader=yaml.CSafeLoader):
            if isinstance(event, yaml.DocumentStartEvent):
                documents += 1
                if documents > 1:
                    raise _refused(event, "a second document begins")
            elif isinstance(event, yaml.CollectionStartEvent):
                self._tagged(event)
                self.open.append(_Open(event))
                if len(self.open) > self.most_levels:
                    raise _refused(event, f"nested deeper than {self.most_levels} levels")
            elif isinstance(event, yaml.CollectionEndEvent):
                done = self.open.pop()
                self._put(done.event, done.whole())
            elif isinstance(event, yaml.ScalarEvent):
                self._put(event, _scalar(event))
            elif isinstance(event, yaml.AliasEvent):
                self._alias(event)
        return self.result

    def _put(self, event: Any, value: Any) -> None:
        if event.anchor is not None:
            self.anchors[event.anchor] = value
        if self.open:
            self.open[-1].take(event, value)
        else:
            self.result = value

    def _alias(self, event: Any) -> None:
        if any(o.event.anchor == event.anchor for o in self.open):
            raise _refused(event, f"*{event.anchor} stands within itself")
        if event.anchor not in self.anchors:
            raise _refused(event, f"nothing above is called &{event.anchor}")
        if self.open and isinstance(self.open[-1].made, dict) and self.open[-1].key is None:
            raise _refused(event, "a key is a plain word")
        (self.open[-1].take if self.open else self._put)(event, self.anchors[event.anchor])

    def _tagged(self, event: Any) -> None:
        kind = "map" if isinstance(event, yaml.MappingStartEvent) else "seq"
        if event.tag not in (None, "!", TAG + kind):
            raise _refused(event, f"the tag {event.tag} is of no JSON kind")


def _scalar(event: Any) -> Any:
    """What a scalar stands for. Raises `InvalidYAML` for a tag that it cannot bear."""
    text = event.value
    if event.tag in ("!", TAG + "str") or (event.tag is None and not event.implicit[0]):
        return text
    if event.tag is not None:
        kind = event.tag.removeprefix(TAG)
        if kind not in KINDS or not KINDS[kind].fullmatch(text):
            raise _refused(event, f"{text!r} cannot be read as {event.tag}")
        return _VALUE[kind](text)
    for kind, pattern in KINDS.items():
        if pattern.fullmatch(text):
            return _VALUE[kind](text)
    return text


def _int(text: str) -> int:
    return int(text[2:], 8 if text[1] == "o" else 16) if text[:2] in ("0o", "0x") else int(text)


_VALUE: dict[str, Callable[[str], Any]] = {
    "null": lambda _: None,
    "bool": lambda text: text.lower() == "true",
    "int": _int,
    "float": lambda text: float(re.sub(r"\.(inf|nan)", r"\1", text.lower())),
}


class _Dumper(yaml.CSafeDumper):
    """Writes what any reader takes as it was meant: a string that means something else in YAML 1.1 or 1.2 is quoted."""

    def ignore_aliases(self, _data: Hashable) -> bool:
        return True


def _listed(dumper: _Dumper, data: list[Any]) -> Any:
    return dumper.represent_sequence(
        TAG + "seq", data, flow_style=not any(isinstance(v, dict | list) for v in data)
    )


_Dumper.add_representer(list, _listed)
for _kind, _pattern in KINDS.items():
    _Dumper.add_implicit_resolver(TAG + _kind, re.compile(rf"^(?:{_pattern.pattern})$"), None)
