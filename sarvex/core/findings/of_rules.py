"""What is wrong or superfluous in a policy, each finding with its proof.

The kinds, weights and definitions are those of `docs/semantics.md`. Everything here follows from
`FirstMatch`: what each rule decides, who takes the rest, and who would inherit it. Lists of rules are cut at
`SHOWN`; how many there are is told.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from sarvex.core.findings.finding import DEFAULT_NAME, Finding, Kind, Place, Weight, facts
from sarvex.core.findings.idle_members import idle_members
from sarvex.core.firstmatch.form import Flags
from sarvex.core.firstmatch.proofs import NEEDED, SHOWN, UNSETTLED
from sarvex.core.firstmatch.rule_list import BUDGET, DEFAULT, Decides, FirstMatch, Liveness
from sarvex.core.meaning.matches import Match
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import FIELDS, Policy, Rule, named
from sarvex.core.sets.flows import Flow
from sarvex.core.time import schedules
from sarvex.core.time.moments import ALWAYS, NEVER

FEW = 3


@dataclass(frozen=True)
class Samples:
    """A packet that a rule decides, and one that it matches and an earlier rule decides."""

    witness: Flow | None
    taken: Flow | None


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
    by_count: int
    exception_of: tuple[str, ...]
    _samples: Liveness | Samples

    @property
    def witness(self) -> Flow | None:
        """A packet it decides."""
        return self._samples.witness

    @property
    def taken(self) -> Flow | None:
        """A packet it matches and an earlier rule decides."""
        return self._samples.taken


@dataclass(frozen=True, eq=False)
class PolicyReport:
    """All rules of a policy with what they decide, and the findings about them."""

    policy: Policy
    rules: tuple[RuleReport, ...]
    default_decides: Decides
    default_witness: Flow | None
    findings: tuple[Finding, ...]


def report(policy: Policy, names: Names, budget: int = BUDGET) -> PolicyReport:
    """What each rule of a policy decides, with proof and witness, and the findings about its rules.

    `budget`: the work allowed for one rule's proof, in boxes looked at; what exceeds it is told as undecided.
    Raises what `Names` raises for unknown names. Complexity: see `FirstMatch.states` and `FirstMatch.removable`.
    Source: the anomalies of first-match lists (Al-Shaer and Hamed 2004), made exact against unions of rules instead of pairs.
    """
    return report_of(FirstMatch.of(policy, names, budget), names)


def report_of(ready: FirstMatch, names: Names, notes: bool = True) -> PolicyReport:
    """The same of a list made ready; without `notes` the findings that only pairs of rules or members tell are left out,
    which are most of the work."""
    return _Analysis(ready, names).report(notes)


class _Analysis:
    def __init__(self, ready: FirstMatch, names: Names) -> None:
        self.ready, self.names = ready, names
        self.policy, self.rules = ready.policy, ready.policy.rules
        self.findings: list[Finding] = []

    def report(self, notes: bool) -> PolicyReport:
        reports = tuple(self.rule(position) for position in range(len(self.rules)))
        if notes:
            self._idle_members()
            self._order_sensitive()
        return PolicyReport(self.policy, reports, *self.ready.default_share(), tuple(self.findings))

    def rule(self, position: int) -> RuleReport:
        live, rule = self.ready.liveness_of(position), self.rules[position]
        kind: Literal["shadowed", "redundant"] | None = None
        cause: Literal["earlier", "later"] | None = None
        by, count = live.by, max(live.by_count, len(live.by))
        if not rule.description.strip():
            self._find("undescribed", "note", rule)
        if rule.enabled:
            if not live.matches_something:
                self._empty(rule, self.ready.matches[position])
            self._negated_empty(rule)
            if live.decides == "undecided" or live.by_count < 0:
                what = "decides" if live.decides == "undecided" else "takers"
                self._find("undecided", "warning", rule, what=what)
            if live.decides == "none" and live.matches_something:
                kind, cause = self._dead(rule, live), "earlier"
            elif live.decides in ("all", "part"):
                if live.others:
                    when = self._when(position, live.others, live.other_count)
                    self._find("partly shadowed", "warning", rule, live.others, live.other_count, when)
                heirs = self._removable(rule, live)
                if heirs:
                    kind, cause, by, count = "redundant", "later", heirs[:SHOWN], len(heirs)
        return RuleReport(
            rule, position + 1, live.decides, kind, cause, self._names(by),
            tuple(p + 1 for p in by if p != DEFAULT), count, self._exception_of(live), live,
        )  # fmt: skip

    def _find(
        self,
        kind: Kind,
        weight: Weight,
        rule: Rule,
        by: tuple[int, ...] = (),
        count: int | None = None,
        when: str = "",
        **known: Any,
    ) -> None:
        """`by` are the positions of other rules that it is about, `count` how many there are if not all are known."""
        others: tuple[Place, ...] = tuple(
            (None, DEFAULT_NAME) if p == DEFAULT else (p + 1, self.rules[p].name) for p in by[:FEW]
        )
        self.findings.append(
            Finding(
                kind,
                weight,
                self.policy.name,
                rule.name,
                self._names(by[:SHOWN]),
                when=when,
                others=others,
                count=len(by) if count is None else count,
                facts=facts(**known),
            )
        )

    def _when(self, position: int, others: tuple[int, ...], count: int) -> str:
        """At which moments a rule and some of the others are active together, if that is not always."""
        times = NEVER if count <= len(others) else ALWAYS
        for other in others:
            times |= self.ready.matches[other].times
        return self.names.moments.words(times & self.ready.matches[position].times)

    def _names(self, positions: tuple[int, ...]) -> tuple[str, ...]:
        return tuple(DEFAULT_NAME if p == DEFAULT else self.rules[p].name for p in positions)

    def _empty(self, rule: Rule, match: Match) -> None:
        if match.times == NEVER and replace(match, times=ALWAYS).matches_something:
            self._never_active(rule)
            return
        fields = [f for f in FIELDS if not self._field_holds(rule, f)]
        self._find("empty", "warning", rule, fields=tuple(fields))

    def _never_active(self, rule: Rule) -> None:
        """Its end is past, its schedule is over, or it has no moment at all; at one moment only nothing is said."""
        if self.names.moments.is_one:
            return
        if rule.until and rule.until < self.names.moments.since.isoformat():
            self._find("expired", "warning", rule, last=rule.until)
            return
        if rule.schedule is None:
            return
        schedule = named(self.names.network.schedules, rule.schedule)
        dates = schedules.activity(schedule).dates
        if dates and dates[-1][1] < self.names.moments.since.toordinal():
            last = schedules.spell_date(dates[-1][1])
            self._find("expired", "warning", rule, schedule=schedule.name, last=last)
        else:
            said = f"{schedule.name}, until {rule.until}," if rule.until else schedule.name
            self._find("empty", "warning", rule, schedule=said)

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
                self._find("negated empty", "warning", rule, side=field)

    def _dead(self, rule: Rule, live: Liveness) -> Literal["shadowed", "redundant"]:
        if not live.same_outcome:
            self._find("shadowed", "warning", rule, live.by, live.by_count)
            return "shadowed"
        weight: Weight = "note" if rule.kept else "warning"
        lost = rule.log and not live.all_log
        self._find("redundant", weight, rule, live.by, live.by_count, earlier=True, log_lost=lost)
        return "redundant"

    @cached_property
    def _silently(self) -> Flags:
        """What would come of each rule going alone, to packets and to logs."""
        return self.ready.removable(self.ready.effects, np.ones(len(self.rules), dtype=np.int8))

    @cached_property
    def _but_for_logs(self) -> Flags:
        """The same to packets alone, where a rule logs and would be missed for something."""
        logs = np.array([rule.log for rule in self.rules], dtype=bool)
        return self.ready.removable(self.ready.outcomes, (logs & (self._silently == NEEDED)).astype(np.int8))

    def _removable(self, rule: Rule, live: Liveness) -> tuple[int, ...]:
        """The heirs, if removing the rule alone changes no outcome and no log."""
        told, but_for_logs = int(self._silently[live.position]), int(self._but_for_logs[live.position])
        if told == NEEDED and but_for_logs == NEEDED:
            return ()
        heirs = self.ready.heirs(live.position)
        if UNSETTLED in (told, but_for_logs) or heirs is None:
            self._find("undecided", "warning", rule, what="removable")
            return ()
        if told == NEEDED:
            self._find("redundant but logs", "note", rule, heirs)
            return ()
        wide = all(rule.members(f) == ("any",) for f in FIELDS)
        weight: Weight = "note" if wide or rule.kept else "warning"
        self._find("redundant", weight, rule, heirs)
        return heirs

    def _exception_of(self, live: Liveness) -> tuple[str, ...]:
        """The later rules of another action that this one is carved out of."""
        if live.decides not in ("all", "part"):
            return ()
        _, _, around, counts = self.ready.pairs
        return self._names(tuple(around[live.position, : min(int(counts[live.position]), SHOWN)].tolist()))

    def _order_sensitive(self) -> None:
        crossing, counts, _, _ = self.ready.pairs
        for position in np.flatnonzero(counts).tolist():
            count = int(counts[position])
            others = tuple(crossing[position, : min(count, SHOWN)].tolist())
            when = self._when(position, others, count)
            self._find("order-sensitive pair", "note", self.rules[position], others, count, when)

    def _idle_members(self) -> None:
        for field in FIELDS:
            for position, members in idle_members(self.policy, self.names, field, self.ready.budget).items():
                self.findings.append(
                    Finding(
                        "idle member",
                        "note",
                        self.policy.name,
                        self.rules[position].name,
                        field=field,
                        members=tuple(members),
                    )
                )
