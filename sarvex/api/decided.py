"""What rules decide, as the API gives it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from sarvex.core.change.positions import of_dead
from sarvex.core.findings.finding import DEFAULT_NAME, Finding
from sarvex.core.findings.of_rules import RuleReport
from sarvex.core.model.records import Accepted, Policy
from sarvex.core.model.records import Field as ModelField
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow
from sarvex.formats import finding_words
from sarvex.service.analysis.network_cache import Loaded


class AcceptedOut(BaseModel):
    """Why a finding may stay, and the last day on which it may."""

    reason: str
    until: str


class FindingOut(BaseModel):
    kind: str
    weight: Literal["error", "warning", "note"]
    policy: str | None
    rule: str | None
    text: str
    by: list[str]
    name: str | None
    field: ModelField | None
    members: list[str]
    """Members of that field of the rule that could go."""
    when: str
    """At which moments it holds; nothing: always."""
    accepted: AcceptedOut | None
    """How somebody accepts it, where that is asked for."""


class FlowOut(BaseModel):
    text: str
    question: str
    """The same flow as a question for the ask line."""


class RuleRef(BaseModel):
    """Another rule, or the default (no id, no position)."""

    id: int | None
    name: str
    position: int | None


class StarvedOut(BaseModel):
    """A rule that would decide nothing any more if the new one stood at `until` or above."""

    rule: RuleRef
    until: int


class AdviceOut(BaseModel):
    """See `sarvex.core.change.positions.Advice`."""

    all_until: int
    some_until: int
    best: int
    starves: list[StarvedOut] = []


class Decided(BaseModel):
    """What a rule decides at its place."""

    decides: Literal["all", "part", "none", "undecided", "pending"]
    """`pending`: a long list is still being worked out; nothing is known yet."""
    kind: Literal["shadowed", "redundant"] | None
    cause: Literal["earlier", "later"] | None
    by: list[RuleRef]
    by_count: int
    taken: FlowOut | None
    witness: FlowOut | None
    exception_of: list[str]
    works: AdviceOut | None
    """Where a dead rule would work; null for live ones, and where more rules take from it than are listed."""


FEW = 50


def finding_out(f: Finding, accepted: Accepted | None = None) -> FindingOut:
    return FindingOut(
        kind=f.kind, weight=f.weight, policy=f.policy, rule=f.rule, text=finding_words.text(f), by=list(f.by), name=f.name,
        field=f.field, members=list(f.members), when=f.when,
        accepted=AcceptedOut(reason=accepted.reason, until=accepted.until) if accepted else None,
    )  # fmt: skip


def flow_out(f: Flow | None) -> FlowOut | None:
    if f is None:
        return None
    src, dst = addresses.spell(f.family, f.src), addresses.spell(f.family, f.dst)
    state = "" if f.state == "new" else f" as {f.state}"
    at = f" at {f.moment:%Y-%m-%dT%H:%M%z}" if f.moment else ""
    return FlowOut(text=str(f), question=f"{src} to {dst} on {f.service}{at}{state}")


def refs_out(loaded: Loaded, p: Policy) -> Refs:
    """The rules of a policy, to refer to them."""
    keys = loaded.stored.rules.get(loaded.stored.policy_id(p.name), ())
    return Refs(p, {r.name: k.id for r, k in zip(p.rules, keys, strict=True)})


class Refs:
    """The rules of a policy by name, to refer to them."""

    def __init__(self, policy: Policy, ids: dict[str, int]) -> None:
        self.policy, self.ids = policy, ids
        self.position = {rule.name: i for i, rule in enumerate(policy.rules, 1)}

    def ref(self, name: str) -> RuleRef:
        """A rule, or the default, by name."""
        position = None if name == DEFAULT_NAME else self.position[name]
        return RuleRef(id=self.ids.get(name), name=name, position=position)

    def decided(self, r: RuleReport) -> Decided:
        """What a rule decides, with the others it speaks of."""
        return Decided(
            decides=r.decides,
            kind=r.kind,
            cause=r.cause,
            by=[self.ref(name) for name in r.by[:FEW]],
            by_count=r.by_count,
            taken=flow_out(r.taken),
            witness=flow_out(r.witness),
            exception_of=list(r.exception_of[:FEW]),
            works=works_out(r, self.policy),
        )


def works_out(r: RuleReport, p: Policy) -> AdviceOut | None:
    """Where a dead rule would work; None for others, and where that is not known."""
    if r.decides != "none" or not r.by_positions or not r.rule.enabled:
        return None
    if r.by_count > len(
        r.by_positions
    ):  # the last taker is past what is listed, and it ends the places that work
        return None
    same = [(at, p.rules[at - 1].outcome == r.rule.outcome) for at in r.by_positions]
    works = of_dead(same)
    return AdviceOut(all_until=works.all_until, some_until=works.some_until, best=works.best)
