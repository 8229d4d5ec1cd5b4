"""What a change does, as the API gives it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from functools import partial
from typing import Literal

from pydantic import BaseModel

from sarvex.api.decided import FindingOut, FlowOut, RuleRef, finding_out, flow_out, refs_out
from sarvex.api.differences import DifferenceOut, difference_out
from sarvex.api.expectations import VerdictChangesOut, verdict_changes_out
from sarvex.core.change.effect import Effect
from sarvex.core.change.effect_in_names import Change, first_changes
from sarvex.core.change.list_effects import EntryRule, ListEffect
from sarvex.core.change.network_effect import NetworkEffect
from sarvex.core.change.stage_effects import StageEffect
from sarvex.core.findings.finding import DEFAULT_NAME
from sarvex.core.firstmatch.rule_list import DEFAULT
from sarvex.core.forwarding.stage_lists import OneList
from sarvex.core.meaning.names import Names
from sarvex.core.model.edits import NEW
from sarvex.core.model.records import Policy, fold
from sarvex.formats.effects import told_list, told_place
from sarvex.formats.network_effects import fares, first_network_changes, stop_words
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.editions.comparisons import Comparison


class ChangeOut(BaseModel):
    """Packets that would be treated in another way. `after` may be a rule that is not there yet (no id)."""

    change: Literal[
        "newly allowed", "newly blocked", "newly passed on", "blocked differently", "logged differently",
        "translated differently", "steered differently",
    ]  # fmt: skip
    source: list[str]
    destination: list[str]
    service: list[str]
    states: list[str]
    when: str
    """At which moments; nothing: always."""
    before: RuleRef
    after: RuleRef
    logged_before: bool
    logged_after: bool
    witness: FlowOut


class PolicyEffect(BaseModel):
    """What an edit does in one policy: `changes`, so many `more` parts, and (if not complete) perhaps others.

    Without `policy_id` it is about a place where other policies are consulted: `name` tells it, and the rules are told
    with their policies.
    """

    policy_id: int | None
    name: str
    equal: bool | None
    complete: bool
    changes: list[ChangeOut]
    more: int


class NetworkChangeOut(BaseModel):
    """New packets that would fare otherwise, between hosts, or from or to a device itself."""

    change: Literal["opens", "closes", "changes"]
    fares: str
    """From how they fare to how they would, where the kind of change does not say it."""
    source: list[str]
    destination: list[str]
    service: list[str]
    when: str
    witness: FlowOut


class NetworkEffectOut(BaseModel):
    """What an edit does in the network: `changes`, so many `more` products, and (if not complete) perhaps others.

    `stops`: where what a policy would let pass newly ends all the same.
    """

    equal: bool | None
    complete: bool
    changes: list[NetworkChangeOut]
    more: int
    stops: list[str]


class RenameOut(BaseModel):
    """A name that became another; `policy` for rules."""

    section: str
    old: str
    new: str
    policy: str


class ComparisonOut(BaseModel):
    """Two versions: what differs as it is written, and what that does. `outside` differs and its effect is not told.

    `renames` have no effect. `come` and `go` are findings; null: the lists are too long to be asked.
    """

    revision: int
    before: str
    after: str
    equal: bool | None
    complete: bool
    renames: list[RenameOut]
    differences: list[DifferenceOut]
    policies: list[PolicyEffect]
    network: NetworkEffectOut | None
    """Null where there is no ground."""
    expectations: VerdictChangesOut | None
    """Null where nothing must hold."""
    outside: list[str]
    come: list[FindingOut] | None
    go: list[FindingOut] | None


MOST_CHANGES = 12


def policy_effect_out(loaded: Loaded, told: Effect, names: Names, kept: Sequence[int]) -> PolicyEffect:
    """What an edit does in one policy."""
    policy_id = loaded.stored.policy_id(told.old.name)
    ids = loaded.rule_ids(policy_id)

    def before(at: int) -> RuleRef:
        return RuleRef(id=ids[at], name=told.old.rules[at].name, position=at + 1)

    def after(at: int) -> RuleRef:
        old = kept[at]
        rule_id = ids[old] if old != NEW else None
        return RuleRef(id=rule_id, name=told.new.rules[at].name, position=at + 1)

    return _effect(told, names, policy_id, told.old.name, before, after)


def network_effect_out(told: NetworkEffect, names: Names) -> NetworkEffectOut:
    """What an edit does in the network, in few words."""
    found, more = first_network_changes(told, names, MOST_CHANGES)
    changes = [
        NetworkChangeOut(
            change=c.kind, fares=fares(c), source=list(c.source), destination=list(c.destination),
            service=list(c.service), when=c.when, witness=witness,
        )
        for c in found if (witness := flow_out(c.witness))
    ]  # fmt: skip
    return NetworkEffectOut(
        equal=told.equal, complete=told.complete, changes=changes, more=more, stops=list(map(stop_words, told.stops))
    )  # fmt: skip


def comparison_out(loaded: Loaded, told: Comparison, only: Sequence[Change] | None = None) -> ComparisonOut:
    """Two versions compared, or `only` some of the changes. Rules are told by name and place; those that are there now
    lead to themselves."""
    by_policy: dict[str, list[Change]] = defaultdict(list)
    for change in told.told.changes if only is None else only:
        by_policy[change.policy].append(change)
    changed = set(map(fold, by_policy))
    known = {
        fold(p.name): refs_out(loaded, p).ids for p in loaded.network.policies if fold(p.name) in changed
    }

    def ref(c: Change, name: str, at: int) -> RuleRef:
        rule_id = known.get(fold(c.policy), {}).get(name)
        return RuleRef(id=rule_id, name=name, position=None if at == DEFAULT else at + 1)

    def effect_of(name: str, found: list[Change]) -> PolicyEffect:
        return PolicyEffect(
            policy_id=loaded.stored.things.get(("policy", fold(name))),
            name=name,
            equal=False,
            complete=True,
            changes=[
                _change(c, ref(c, c.before, c.places[0]), ref(c, c.after, c.places[1]))
                for c in found[:MOST_COMPARED]
            ],
            more=max(0, len(found) - MOST_COMPARED),
        )

    holding = told.told.holding
    return ComparisonOut(
        revision=loaded.stored.revision,
        before=told.before,
        after=told.after,
        equal=told.told.equal,
        complete=told.told.complete,
        renames=[RenameOut(**vars(r)) for r in told.renames],
        differences=[difference_out(d) for d in told.differences],
        policies=[effect_of(name, found) for name, found in by_policy.items()],
        network=network_effect_out(told.told.network, told.told.names) if told.told.network else None,
        expectations=verdict_changes_out(loaded, holding.found, holding.told) if holding else None,
        outside=list(told.told.outside),
        come=None if told.come is None else [finding_out(f) for f in told.come],
        go=None if told.go is None else [finding_out(f) for f in told.go],
    )


MOST_COMPARED = 60


def _change(c: Change, before: RuleRef, after: RuleRef) -> ChangeOut:
    witness = flow_out(c.witness)
    assert witness is not None
    return ChangeOut(
        change=c.kind,
        source=list(c.source),
        destination=list(c.destination),
        service=list(c.service),
        states=list(c.states),
        when=c.when,
        before=before,
        after=after,
        logged_before=c.was[2],
        logged_after=c.now[2],
        witness=witness,
    )


def stage_effect_out(loaded: Loaded, told: StageEffect, names: Names) -> PolicyEffect:
    """What other policies consulted at a place do."""

    def ref(whole: OneList, at: int) -> RuleRef:
        policy, position = whole.origins[at]
        name = whole.policy.rules[at].name
        if position == DEFAULT:
            return RuleRef(id=None, name=name, position=None)
        ids = loaded.rule_ids(loaded.stored.policy_id(policy))
        return RuleRef(id=ids[position], name=name, position=position + 1)

    return _effect(
        told.effect, names, None, told_place(told), partial(ref, told.before), partial(ref, told.after)
    )


def list_effect_out(told: ListEffect, names: Names) -> PolicyEffect:
    """What a list of a device does otherwise."""

    def ref(policy: Policy, at: int) -> RuleRef:
        rule = policy.rules[at]
        assert isinstance(rule, EntryRule)
        return RuleRef(id=None, name=rule.name, position=rule.place + 1)

    sides = partial(ref, told.effect.old), partial(ref, told.effect.new)
    return _effect(told.effect, names, None, told_list(told), *sides, untouched="as it is")


def _effect(
    told: Effect,
    names: Names,
    policy_id: int | None,
    name: str,
    before: Callable[[int], RuleRef],
    after: Callable[[int], RuleRef],
    untouched: str = DEFAULT_NAME,
) -> PolicyEffect:
    """untouched: what is told where no rule decides."""
    found, more = first_changes(told, names, MOST_CHANGES)
    default = RuleRef(id=None, name=untouched, position=None)

    def out(c: Change) -> ChangeOut:
        was, now = c.places
        return _change(
            c, before(was) if was != DEFAULT else default, after(now) if now != DEFAULT else default
        )

    return PolicyEffect(
        policy_id=policy_id, name=name, equal=told.equal, complete=told.complete,
        changes=[out(c) for c in found], more=more,
    )  # fmt: skip
