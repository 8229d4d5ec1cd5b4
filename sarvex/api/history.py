"""What was done to a row, as the API gives it."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from pydantic import BaseModel

from sarvex.api.shapes import Moment
from sarvex.service.drafts.history import Entry


class Difference(BaseModel):
    what: str
    before: str | None
    after: str | None


class HistoryEntry(BaseModel):
    revision: int
    at: Moment
    person: str
    act: str
    differences: list[Difference]


def history_out(entries: list[Entry]) -> list[HistoryEntry]:
    return [
        HistoryEntry(
            revision=e.revision,
            at=e.at,
            person=e.person,
            act=e.act,
            differences=_differences(e.before or {}, e.after or {}),
        )
        for e in entries
    ]


TOLD = (
    "name",
    "action",
    "reject_with",
    "log",
    "enabled",
    "kept",
    "negate",
    "states",
    "until",
    "owner",
    "description",
)


def _differences(before: dict[str, Any], after: dict[str, Any]) -> list[Difference]:
    pairs = [(column, before.get(column), after.get(column)) for column in TOLD]
    details = [snapshot.get("detail") or {} for snapshot in (before, after)]
    pairs += [(word, details[0].get(word), details[1].get(word)) for word in {**details[0], **details[1]}]
    lists = [_lists(snapshot) for snapshot in (before, after)]
    pairs += [(field, lists[0].get(field), lists[1].get(field)) for field in {**lists[0], **lists[1]}]
    return [
        Difference(what=what, before=_told(old), after=_told(new)) for what, old, new in pairs if old != new
    ]


def _lists(snapshot: dict[str, Any]) -> dict[str, list[str]]:
    lists: dict[str, list[str]] = defaultdict(list)
    for field, text, _, *more in snapshot.get("members", []):
        extra = [f"{k} {v}" for k, v in (more[0] or {}).items() if v] if more else []
        lists[field.removesuffix("_")].append(f"{text} ({', '.join(extra)})" if extra else text)
    return dict(lists)


def _told(value: Any) -> str | None:
    if value is None or value == [] or value == "":
        return None
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        return ", ".join(f"{k} {v}" for k, v in value.items())
    return ", ".join(value) if isinstance(value, list) else str(value)
