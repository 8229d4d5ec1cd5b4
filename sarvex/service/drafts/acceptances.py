"""Findings that somebody accepts, and takes back."""

from __future__ import annotations

from datetime import date
from zoneinfo import ZoneInfo

from sarvex.core.findings.accepted import About, Owner, Owners, accepting, mark, no_more
from sarvex.core.findings.finding import Finding
from sarvex.core.model.edits import Write
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Rule, fold
from sarvex.core.time.moments import today
from sarvex.service.drafts import rule_edits, thing_edits
from sarvex.service.drafts.draft import Draft
from sarvex.service.errors import NotFound, Refused
from sarvex.store.things import KIND_OF

ACCEPT, TAKE_BACK = "accept finding", "accept no more"


def accept(
    draft: Draft, found: Finding, as_found: str, reason: str, until: str, key: str | None = None
) -> None:
    """Accept a finding that was read as `as_found`, until a date. Raises `Refused`, `NotFound`, `Conflict`."""
    problems = []
    if not reason.strip():
        problems.append(Problem(("reason",), "say why it may stay"))
    try:
        if date.fromisoformat(until) < today(ZoneInfo(draft.stored.network.time_zone)):
            problems.append(Problem(("until",), "that day is past; it would come back at once"))
    except ValueError:
        problems.append(Problem(("until",), f"{until!r} is no date; write it as 2027-03-31"))
    if problems:
        raise Refused(problems)
    about = _about(draft, found, as_found)
    _write(draft, about, accepting(about.owner, found, reason.strip(), until), ACCEPT, key)


def take_back(draft: Draft, found: Finding, as_found: str, key: str | None = None) -> None:
    """Accept a finding no more. Raises `NotFound`."""
    about = _about(draft, found, as_found)
    _write(draft, about, no_more(about.owner, found), TAKE_BACK, key)


def _about(draft: Draft, found: Finding, as_found: str) -> About:
    about = Owners(draft.stored.network).of(found)
    if about is None or mark(found, about.owner) != as_found:
        raise NotFound("what it is about was changed meanwhile; look at it once more")
    return about


def _write(draft: Draft, about: About, made: Owner, act: str, key: str | None) -> None:
    if about.policy is not None and isinstance(made, Rule):
        policy_id = draft.stored.policy_id(about.policy.name)
        at = about.policy.rules.index(about.owner)
        edit = Write(rule_key=draft.stored.rules[policy_id][at].id, rule=made, place=None)
        items, _ = rule_edits.carry_out(draft, policy_id, edit, {})
        draft.record(act, key, items)
        return
    thing_id = draft.stored.things[KIND_OF[type(made)], fold(made.name)]
    _, ver = draft.read("thing", thing_id)
    thing_edits.change_thing(draft, thing_id, ver, made, act, key)
