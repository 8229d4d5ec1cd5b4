"""Edits of the rules and sections of a policy."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import replace

from sarvex.core.findings.tidy import tidy as tidied
from sarvex.core.meaning.check import RESERVED, rules_problems
from sarvex.core.meaning.names import Names, ends_of, moments_of, spelled
from sarvex.core.model.edits import (
    NEW,
    Amend,
    BesideItself,
    ChangeMember,
    Delete,
    Edit,
    Edited,
    Move,
    NoPlace,
    Place,
    ReplaceMember,
    Rewrite,
    RuleGone,
    Switch,
)
from sarvex.core.model.problems import Problem, name_problem
from sarvex.core.model.records import Network, Policy, Rule, Section, fold
from sarvex.core.time.moments import TooManyKinds
from sarvex.service.drafts.draft import Draft, Item
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.store import rows
from sarvex.store.networks import RuleKey, SectionKey, keys_between, rule_members, rule_row, section_row

ACT = {"insert": "add rule", "write": "change rule", "move": "move", "delete": "delete", "amend": "change"}


def make(
    draft: Draft,
    policy_id: int,
    edit: Edit,
    vers: Mapping[int, int] | None = None,
    request_key: str | None = None,
) -> int | None:
    """Make an edit whose keys are ids, if the rules it is about are of the versions `vers`. One step of undo.

    Returns the id of the rule it adds, if it adds one. Raises `Refused`, `Conflict` or `NotFound`, and has then
    written nothing.
    """
    items, new = carry_out(draft, policy_id, edit, vers or {})
    draft.record(_act(edit), request_key, items)
    return new[0] if new else None


def applied(policy: Policy, place_of: Mapping[int, int], edit: Edit, policy_id: int) -> Edited:
    """A policy's rules after an edit whose keys are ids. Raises `Refused`, `Conflict` or `NotFound`."""
    try:
        return edit.apply(policy.rules, place_of)
    except RuleGone:
        raise NotFound("the rule is gone: somebody deleted it") from None
    except BesideItself:
        raise Refused([Problem(("place",), "a rule cannot stand next to itself")]) from None
    except NoPlace:
        message = "both neighbours of that place are gone; choose the place again"
        raise Conflict(message, "policy", policy_id) from None


def problems_of(made: Edited, policy: Policy, names: Names, network: Network) -> list[Problem]:
    """What is wrong with the rules that an edit of a network writes; of several the first that has a fault."""
    found = rules_problems(replace(policy, rules=tuple(made.rules)), made.written, names)
    ends = {made.rules[at].until for at in made.written} - {""}
    if found or ends <= ends_of(network):
        return found
    try:
        moments_of(network, ends=ends)
    except TooManyKinds as error:
        return [Problem(("until",), str(error))]
    return []


def _act(edit: Edit) -> str:
    """What was done, in words."""
    several = getattr(edit, "rules", ())
    if isinstance(edit, Switch):
        act = "enable" if edit.enabled else "disable"
    elif isinstance(edit, ReplaceMember):
        act = "replace member"
    elif isinstance(edit, ChangeMember):
        act = "add member" if edit.there else "remove member"
    else:
        act = ACT[edit.act]
    if not several:
        return act
    return f"{act} rule" if len(several) == 1 else f"{act}: {len(several)} rules"


def carry_out(
    draft: Draft, policy_id: int, edit: Edit, vers: Mapping[int, int]
) -> tuple[list[Item], list[int]]:
    """Write the rows that an edit touches: what it did to each, and the ids of those that are new."""
    policy, keys = _policy(draft, policy_id)
    if isinstance(edit, Move | Delete | Switch | ChangeMember | ReplaceMember | Amend) and not edit.rules:
        raise Refused([Problem(("rules",), "choose at least one rule")])
    made = applied(policy, {key.id: i for i, key in enumerate(keys)}, edit, policy_id)
    if made.default is not None:
        raise TypeError("a default is a column of its policy's row: see `thing_edits`")
    if made.written:
        names = Names(draft.stored.network)
        if found := problems_of(made, policy, names, draft.stored.network):
            raise Refused(found)
        for at in made.written:
            made.rules[at] = spelled(made.rules[at], names)
    there, writes = set(made.came_from), set(made.written)
    items = [
        draft.removed("rule", key.id, vers.get(key.id, key.ver))
        for i, key in enumerate(keys)
        if i not in there
    ]
    places = _places(draft, policy_id, made, keys, getattr(edit, "place", None))
    now: list[RuleKey | None] = [None if i == NEW else keys[i] for i in made.came_from]
    new: list[int] = []
    targets = draft.targets() if made.written else {}
    for at in sorted({*made.written, *made.placed}):
        key = now[at]
        place = places.get(at) or key.place
        written = (
            rule_snapshot(policy_id, made.rules[at], place, targets) if at in writes else {"place": place}
        )
        if key is None:
            new.append(rows.create(draft.session, "rule", written))
            items.append(draft.made("rule", new[-1]))
            now[at] = RuleKey(new[-1], 1, place)
        else:
            ver = vers.get(key.id, key.ver)
            items.append(draft.written("rule", key.id, ver, written))
            now[at] = RuleKey(key.id, ver + 1, place)
    done = [key for key in now if key is not None]
    draft.stored = draft.stored.with_rules(policy_id, made.rules, done, draft.stored.revision)
    return items, new


def _places(
    draft: Draft, policy_id: int, made: Edited, keys: Sequence[RuleKey], place: Place | None
) -> dict[int, str]:
    """New fractional keys for the rules that an edit puts somewhere, by their places then."""
    if place is None or not made.placed:
        return {}
    rest = [keys[i] for at, i in enumerate(made.came_from) if at not in made.placed]
    found = _keys_at(draft, policy_id, rest, made.placed.start, place, len(made.placed))
    return dict(zip(made.placed, found, strict=True))


def tidy(
    draft: Draft,
    policy_id: int,
    going: Sequence[int],
    into: Sequence[int] = (),
    merge: bool = False,
    request_key: str | None = None,
) -> None:
    """Take rules out, given by id, if that is proven to change nothing as the list is now; one step of undo.

    With `merge` those that go may leave their members to the rules `into`.
    """
    policy, keys = _policy(draft, policy_id)
    name_of = {key.id: rule.name for rule, key in zip(policy.rules, keys, strict=True)}
    if not name_of.keys() >= set(going):
        raise NotFound("the rule is gone: somebody deleted it")
    wanted = {name_of[rule_id] for rule_id in going}
    free = {*going, *into}
    told = tidied(
        policy,
        Names(draft.stored.network),
        merge,
        [name for rule_id, name in name_of.items() if rule_id not in free],
    )
    if not wanted or {step.rule for step in told.steps} != wanted:
        needed = sorted(wanted - {step.rule for step in told.steps})
        text = f"not proven for {', '.join(needed[:3]) or 'these'} alone: the list may have changed, or another has to go first"
        raise Conflict(text, "policy", policy_id)
    left = {rule.name: rule for rule in told.policy.rules}
    changed = tuple(
        (key.id, left[rule.name])
        for rule, key in zip(policy.rules, keys, strict=True)
        if left.get(rule.name, rule) != rule
    )
    items, _ = carry_out(draft, policy_id, Rewrite(changed=changed, gone=tuple(going)), {})
    draft.record(f"tidy: {len(going)} rules", request_key, items)


def add_section(
    draft: Draft, policy_id: int, section: Section, before_id: int | None, request_key: str | None = None
) -> int:
    """Begin a section at a rule, or at the end of the list. Returns its id."""
    _, keys = _policy(draft, policy_id)
    if before_id is not None and before_id not in {key.id for key in keys}:
        raise Conflict("the rule it would begin at is gone; choose another", "policy", policy_id)
    last = keys[-1].id if keys else None
    place = Place(None, before_id) if before_id is not None else Place(last, None)
    _check_section(draft, policy_id, None, section.name)
    index = next((i for i, key in enumerate(keys) if key.id == before_id), len(keys))
    (key,) = _keys_at(draft, policy_id, keys, index, place)
    snapshot = section_snapshot(policy_id, section, key)
    section_id = rows.create(draft.session, "section", snapshot)
    draft.record("add section", request_key, [draft.made("section", section_id)])
    _sections(draft, policy_id, add=SectionKey(section_id, 1, key, section.name, section.description))
    return section_id


def change_section(
    draft: Draft, policy_id: int, section_id: int, ver: int, section: Section, request_key: str | None = None
) -> None:
    """Rename or describe a section; it stays where it is."""
    key = _section(draft, policy_id, section_id)
    _check_section(draft, policy_id, section_id, section.name)
    snapshot = section_snapshot(policy_id, section, key.place)
    item = draft.written("section", section_id, ver, snapshot)
    draft.record("change section", request_key, [item])
    now = SectionKey(section_id, ver + 1, key.place, section.name, section.description)
    _sections(draft, policy_id, drop=section_id, add=now)


def delete_section(
    draft: Draft, policy_id: int, section_id: int, ver: int, request_key: str | None = None
) -> None:
    """Take a section away; its rules stay where they are."""
    _section(draft, policy_id, section_id)
    draft.record("delete section", request_key, [draft.removed("section", section_id, ver)])
    _sections(draft, policy_id, drop=section_id)


# --- parts -------------------------------------------------------------------------------------------


def _policy(draft: Draft, policy_id: int) -> tuple[Policy, tuple[RuleKey, ...]]:
    policy = draft.stored.policy_of(policy_id)
    if policy is None:
        raise NotFound("there is no such policy")
    return policy, draft.stored.rules.get(policy_id, ())


def _keys_at(
    draft: Draft, policy_id: int, keys: Sequence[RuleKey], index: int, place: Place, count: int = 1
) -> list[str]:
    """New fractional keys before the rule at an index of `keys`. Sections stand in the same order: of two at that boundary the
    neighbour that decided tells which (see `Place`)."""
    sections = [section.place for section in draft.stored.sections.get(policy_id, ())]
    taken = sorted([*(key.place for key in keys), *sections])
    if index < len(keys) and keys[index].id == place.before:
        at = bisect_left(taken, keys[index].place)
    elif index:
        at = bisect_right(taken, keys[index - 1].place)
    else:
        at = len(taken)
    low = taken[at - 1] if at else None
    high = taken[at] if at < len(taken) else None
    return keys_between(low, high, count)


def rule_snapshot(
    policy_id: int, rule: Rule, place: str, targets: dict[tuple[str, str], int]
) -> rows.Snapshot:
    """The row of a rule, `targets` as `Draft.targets` gives them."""
    members = [list(member) for member in rule_members(rule, targets)]
    columns = {k: v for k, v in rule_row(rule, policy_id, place).items() if k != "ver"}
    return {**columns, "place": place, "members": members}


# --- sections ----------------------------------------------------------------------------------------


def _section(draft: Draft, policy_id: int, section_id: int) -> SectionKey:
    _policy(draft, policy_id)
    found = next((s for s in draft.stored.sections.get(policy_id, ()) if s.id == section_id), None)
    if found is None:
        raise NotFound("the section is gone: somebody took it away")
    return found


def _check_section(draft: Draft, policy_id: int, section_id: int | None, name: str) -> None:
    wrong = name_problem(name, "a section needs a name of its own")
    if wrong or fold(name) == RESERVED:
        raise Refused([Problem(("name",), wrong or "a section needs a name of its own")])
    for other in draft.stored.sections.get(policy_id, ()):
        if other.id != section_id and fold(other.name) == fold(name):
            raise Refused([Problem(("name",), f"another section here is called {name!r}")])


def section_snapshot(policy_id: int, section: Section, place: str) -> rows.Snapshot:
    """The row of a section."""
    columns = {k: v for k, v in section_row(section, policy_id, place).items() if k != "ver"}
    return {**columns, "place": place, "members": []}


def _sections(draft: Draft, policy_id: int, drop: int | None = None, add: SectionKey | None = None) -> None:
    policy, keys = _policy(draft, policy_id)
    kept = [s for s in draft.stored.sections.get(policy_id, ()) if s.id != drop]
    sections = sorted([*kept, *([add] if add else [])], key=lambda s: s.place)
    draft.stored = replace(
        draft.stored, sections={**draft.stored.sections, policy_id: tuple(sections)}
    ).with_rules(policy_id, policy.rules, keys, draft.stored.revision)
