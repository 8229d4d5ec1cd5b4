"""What is wrong or superfluous in a policy, each finding with its proof.

The kinds, weights and definitions are those of `docs/semantics.md`. Everything here follows from
`FirstMatch`: what each rule decides, who takes the rest, and who would inherit it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from sarvex.core.boxes import WorkLimit
from sarvex.core.firstmatch import BUDGET, DEFAULT, Decides, FirstMatch, Liveness
from sarvex.core.flows import Flow
from sarvex.core.model import FIELDS, Policy, Rule
from sarvex.core.names import Names

Weight = Literal["error", "warning", "note"]
DEFAULT_NAME = "default"
FEW = 3


@dataclass(frozen=True)
class Finding:
    """Something proven or observed. `rule` is None when it is about the policy or a name."""

    kind: str
    weight: Weight
    policy: str | None
    rule: str | None
    text: str
    by: tuple[str, ...] = ()
    name: str | None = None


@dataclass(frozen=True, eq=False)
class RuleReport:
    """What one rule decides, in names. `position` counts from 1; see `Liveness` for the rest."""

    rule: Rule
    position: int
    decides: Decides
    kind: Literal["shadowed", "redundant"] | None
    cause: Literal["earlier", "later"] | None
    by: tuple[str, ...]
    by_positions: tuple[int, ...]
    taken: Flow | None
    witness: Flow | None
    exception_of: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class PolicyReport:
    """All rules of a policy with what they decide, and the findings about them."""

    policy: Policy
    rules: tuple[RuleReport, ...]
    default_decides: Decides
    default_witness: Flow | None
    findings: tuple[Finding, ...]


def report(policy: Policy, names: Names, budget: int = BUDGET) -> PolicyReport:
    """Analyse one policy. Raises what `Names` raises for unknown names."""
    return _Analysis(FirstMatch.of(policy, names), names, budget).report()


def report_rule(policy: Policy, names: Names, index: int, budget: int = BUDGET) -> RuleReport:
    """What `report` says of one rule, without working out all others. Costs the rules that touch it."""
    analysis = _Analysis(FirstMatch.of(policy, names), names, budget)
    if not policy.rules[index].enabled:
        return analysis.rule(Liveness(index, "none", True))
    return analysis.rule(analysis.ready.liveness_of(index, budget))


class _Analysis:
    def __init__(self, ready: FirstMatch, names: Names, budget: int) -> None:
        self.ready, self.names, self.budget = ready, names, budget
        self.policy, self.rules = ready.policy, ready.policy.rules
        self.findings: list[Finding] = []

    def report(self) -> PolicyReport:
        reports = tuple(self.rule(live) for live in self.ready.liveness())
        self._order_sensitive()
        return PolicyReport(self.policy, reports, *self.ready.default_share(), tuple(self.findings))

    def rule(self, live: Liveness) -> RuleReport:
        rule = self.rules[live.position]
        kind, cause, by = None, None, live.by
        if not rule.description.strip():
            self._find("undescribed", "note", rule, "No description says what it is for.")
        if rule.enabled:
            if not live.matches_something:
                self._empty(rule)
            self._negated_empty(rule)
            if live.decides == "undecided":
                self._find(
                    "undecided",
                    "warning",
                    rule,
                    "Whether it decides anything was not settled within the work limit.",
                )
            elif live.decides == "none" and live.matches_something:
                kind, cause = self._dead(rule, live)
            elif live.decides in ("all", "part"):
                self._partly_shadowed(rule, live)
                heirs = self._removable(rule, live)
                if heirs:
                    kind, cause, by = "redundant", "later", heirs
        return RuleReport(
            rule, live.position + 1, live.decides, kind, cause,  # type: ignore[arg-type]
            self._names(by), tuple(p + 1 for p in by if p != DEFAULT),
            live.taken, live.witness, self._exception_of(live),
        )  # fmt: skip

    def _find(self, kind: str, weight: Weight, rule: Rule, text: str, by: tuple[int, ...] = ()) -> None:
        self.findings.append(Finding(kind, weight, self.policy.name, rule.name, text, self._names(by)))

    def _names(self, positions: tuple[int, ...]) -> tuple[str, ...]:
        return tuple(DEFAULT_NAME if p == DEFAULT else self.rules[p].name for p in positions)

    def _list(self, positions: tuple[int, ...]) -> str:
        shown = ["the default" if p == DEFAULT else f"{p + 1} {self.rules[p].name}" for p in positions[:FEW]]
        more = len(positions) - FEW
        return ", ".join(shown) + (f" and {more} more" if more > 0 else "")

    def _empty(self, rule: Rule) -> None:
        fields = [f for f in FIELDS if not self._field_holds(rule, f)]
        hold = "holds" if len(fields) == 1 else "hold"
        where = (
            f"its {' and '.join(fields)} {hold} nothing" if fields else "its fields share no address family"
        )
        self._find("empty", "warning", rule, f"It matches no packet: {where}.")

    def _field_holds(self, rule: Rule, field: str) -> bool:
        if field in rule.negate:
            return True
        if field == "service":
            return any(len(s[f]) for s in map(self.names.service, rule.service) for f in (4, 6))
        return any(self.names.address(m) for m in rule.members(field))  # type: ignore[arg-type]

    def _negated_empty(self, rule: Rule) -> None:
        for field in rule.negate:
            plain = Rule(
                name="", action="drop", source=rule.source, destination=rule.destination, service=rule.service
            )
            if not self._field_holds(plain, field):
                self._find(
                    "negated empty",
                    "warning",
                    rule,
                    f"Its {field} is everything but nothing, so it matches everything.",
                )

    def _dead(self, rule: Rule, live: Liveness) -> tuple[str, str]:
        others = tuple(p for p in live.by if self.rules[p].outcome != rule.outcome)
        if others:
            self._find(
                "shadowed",
                "warning",
                rule,
                f"It decides nothing: {self._list(live.by)} {_take(live.by)} all of it.",
                live.by,
            )
            return "shadowed", "earlier"
        lost = rule.log and not all(self.rules[p].log for p in live.by)
        extra = " Its log never happens." if lost else ""
        self._find(
            "redundant",
            "warning",
            rule,
            f"It decides nothing: {self._list(live.by)} already {_do(live.by)} the same.{extra}",
            live.by,
        )
        return "redundant", "earlier"

    def _partly_shadowed(self, rule: Rule, live: Liveness) -> None:
        others = np.array([p for p in live.by if self.rules[p].outcome != rule.outcome], dtype=np.int64)
        exceptions = set(self.ready.contents(live.position, others).tolist())
        by = tuple(p for p in others.tolist() if p not in exceptions)
        if by:
            self._find(
                "partly shadowed",
                "warning",
                rule,
                f"It decides a part: {self._list(by)} {_take(by)} the rest.",
                by,
            )

    def _removable(self, rule: Rule, live: Liveness) -> tuple[int, ...]:
        """The heirs, if removing the rule alone changes no outcome and no log."""
        if self._outcome(self.ready.first_heir(live)) != rule.outcome:
            return ()  # the witness would fare differently: most rules are needed, and this tells it at once
        try:
            heirs = self.ready.heirs(live, self.budget)
        except WorkLimit:
            self._find(
                "undecided",
                "warning",
                rule,
                "Whether it could be removed was not settled within the work limit.",
            )
            return ()
        if any(self._outcome(p) != rule.outcome for p in heirs):
            return ()
        if any(self._log(p) and not rule.log for p in heirs):
            return ()
        if rule.log and not all(self._log(p) for p in heirs):
            self._find(
                "redundant but logs",
                "note",
                rule,
                f"Without it {self._list(heirs)} would do the same, but its log would be lost.",
                heirs,
            )
            return ()
        weight: Weight = "note" if all(rule.members(f) == ("any",) for f in FIELDS) else "warning"
        self._find(
            "redundant",
            weight,
            rule,
            f"Removing it changes nothing: {self._list(heirs)} would do the same.",
            heirs,
        )
        return heirs

    def _outcome(self, position: int) -> tuple[str, str | None]:
        if position != DEFAULT:
            return self.rules[position].outcome
        return (self.policy.default, "prohibited" if self.policy.default == "reject" else None)

    def _log(self, position: int) -> bool:
        return position != DEFAULT and self.rules[position].log

    @cached_property
    def _outcomes(self) -> NDArray[np.int64]:
        """Outcomes as numbers; disabled rules have none, -1."""
        known: dict[object, int] = {}
        return np.array(
            [known.setdefault(r.outcome, len(known)) if r.enabled else -1 for r in self.rules], dtype=np.int64
        )

    def _later(self, position: int, candidates: NDArray[np.int64]) -> NDArray[np.int64]:
        """Those of later candidates that are enabled and do something else."""
        others = self._outcomes[candidates]
        different: NDArray[np.int64] = candidates[(others >= 0) & (others != self._outcomes[position])]
        return different

    def _exception_of(self, live: Liveness) -> tuple[str, ...]:
        """The later rules of another action that this one is carved out of."""
        if live.decides not in ("all", "part"):
            return ()
        later = self._later(live.position, self.ready.later_containers(live.position))
        return self._names(tuple(self.ready.containers(live.position, later).tolist()))

    def _order_sensitive(self) -> None:
        for position, rule in enumerate(self.rules):
            if not rule.enabled:
                continue
            touched = [
                layer.touching(layer.of(position), position + 1, len(self.rules))
                for layer in self.ready.layers.values()
            ]
            later = self._later(position, np.union1d(*touched))
            nested = np.union1d(self.ready.containers(position, later), self.ready.contents(position, later))
            pairs = tuple(np.setdiff1d(later, nested).tolist())
            if pairs:
                self._find(
                    "order-sensitive pair",
                    "note",
                    rule,
                    f"Its order to {self._list(pairs)} matters: they overlap and do different things.",
                    pairs,
                )


def _take(by: tuple[int, ...]) -> str:
    return "takes" if len(by) == 1 else "take"


def _do(by: tuple[int, ...]) -> str:
    return "does" if len(by) == 1 else "do"
