"""What each rule of a list decides, asked of an SMT solver over the members' text as the oracle reads it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime

import clock
import oracle
import z3

from sarvex.core.change.effect import Part
from sarvex.core.model.records import Policy, Schedule
from sarvex.core.time.moments import NO_SCHEDULES, Moments


class Solver:
    """The same questions put to z3, over the members' text read by the oracle."""

    def __init__(self, family: int, moments: Sequence[datetime] = (datetime.min,)) -> None:
        self.family, self.moments = family, moments
        self.moment = z3.Int("m")
        self.src, self.dst, self.proto, self.first, self.second, self.state = z3.Ints("s d p f g c")
        top = 2**32 if family == 4 else 2**128
        ports = z3.Or([self.proto == n for n in (6, 17, 33, 132, 136)])
        icmp = self.proto == (1 if family == 4 else 58)
        self.real = z3.And(
            self.src >= 0, self.src < top, self.dst >= 0, self.dst < top, self.proto >= 0, self.proto < 256,
            self.first >= 0, self.second >= 0, self.state >= 0, self.state < 4,
            self.moment >= 0, self.moment < len(moments),
            z3.If(ports, z3.And(self.first < 65536, self.second < 65536),
                  z3.If(icmp, z3.And(self.first < 256, self.second < 256),
                        z3.And(self.first == 0, self.second == 0))),
        )  # fmt: skip

    def _address(self, text: str, value: z3.ArithRef) -> z3.BoolRef:
        if text == "any":
            return z3.BoolVal(True)
        version, low, high = oracle._span(text)
        return z3.And(value >= low, value <= high) if version == self.family else z3.BoolVal(False)

    def _service(self, text: str) -> z3.BoolRef:
        if text == "any":
            return z3.BoolVal(True)
        word, _, source = text.partition(" from ")
        protocol, _, value = word.partition("/")
        if protocol == "proto":
            return self.proto == int(value)
        if protocol in oracle.PORTS:
            parts = [self.proto == oracle.PORTS[protocol]]
            for text_range, port in ((value, self.second), (source, self.first)):
                if text_range:
                    low, high = oracle._numbers(text_range)
                    parts += [port >= low, port <= high]
            return z3.And(parts)
        family, number = oracle.ICMP[protocol]
        parts = [self.proto == number]
        if value:
            kind, _, code = value.partition(".")
            parts += [z3.BoolVal(self.family == family), self.first == int(kind)]
            parts += [self.second == int(code)] if code else []
        return z3.And(parts)

    def rule(self, rule, schedules: Sequence[Schedule] = clock.SCHEDULES) -> z3.BoolRef:
        when = [s for s in schedules if s.name == rule.schedule]
        times = [
            self.moment == n
            for n, m in enumerate(self.moments)
            if all(clock.active(s, m) for s in when) and (not rule.until or clock.lasts(rule.until, m))
        ]
        fields = {
            "source": z3.Or([self._address(m, self.src) for m in rule.source]),
            "destination": z3.Or([self._address(m, self.dst) for m in rule.destination]),
            "service": z3.Or([self._service(m) for m in rule.service]),
        }
        states = [self.state == oracle.STATES.index(s) for s in rule.states] or [z3.BoolVal(True)]
        return z3.And(
            z3.BoolVal(rule.enabled), z3.Or(states), z3.Or(times),
            *(z3.Not(f) if n in rule.negate else f for n, f in fields.items()),
        )  # fmt: skip

    def outcome(self, policy: Policy, schedules: Sequence[Schedule] = clock.SCHEDULES) -> z3.ArithRef:
        """What a list does to a packet, as a number of `outcome_number`."""
        told = z3.IntVal(outcome_number(policy.default, policy.default == "reject" and "prohibited", False))
        for rule in reversed(policy.rules):
            number = outcome_number(
                rule.action, rule.action == "reject" and (rule.reject_with or "prohibited"), rule.log
            )
            told = z3.If(self.rule(rule, schedules), z3.IntVal(number), told)
        return told

    def part(self, part: Part, kinds: Moments = NO_SCHEDULES) -> z3.BoolRef:
        """The packets of a part of an effect."""

        def span(value: z3.ArithRef, low: int, high: int) -> z3.BoolRef:
            return z3.And(value >= low, value <= high)

        services = [
            z3.And(
                [
                    span(axis, *ends)
                    for axis, ends in zip((self.proto, self.first, self.second), box, strict=True)
                ]
            )
            for box in part.service.tolist()
        ]
        states = [self.state == oracle.STATES.index(s) for s in part.states] or [z3.BoolVal(True)]
        times = [
            self.moment == n
            for n, m in enumerate(self.moments)
            if part.times >> (kinds.class_at(m) if kinds.matter else 0) & 1
        ]
        return z3.And(
            z3.Or([span(self.src, *ends) for ends in part.source]),
            z3.Or([span(self.dst, *ends) for ends in part.destination]),
            z3.Or(services), z3.Or(states), z3.Or(times),
        )  # fmt: skip


def outcome_number(action: str, kind: str | bool, log: bool) -> int:
    """Outcomes numbered so that equal ones have equal numbers."""
    actions = ["allow", "drop", "reject", "continue"]
    kinds = [False, "reset", "port-unreachable", "host-unreachable", "prohibited"]
    return (actions.index(action) * len(kinds) + kinds.index(kind)) * 2 + log


def disagrees(
    old: Policy,
    new: Policy,
    parts: Iterable[Part],
    schedules: tuple[tuple[Schedule, ...], tuple[Schedule, ...]] = ((), ()),
    kinds: Moments = NO_SCHEDULES,
) -> bool:
    """Whether there is a packet that changes and is in no part, or is in one and does not change."""
    parts = list(parts)
    for family in (4, 6):
        model, solver = (
            Solver(family, clock.classes(schedules[0] + schedules[1] + clock.LASTING)),
            z3.Solver(),
        )
        spoken = [policy.families in ("both", str(family)) for policy in (old, new)]
        unspoken = z3.IntVal(outcome_number("continue", False, False))
        done = [
            model.outcome(p, times) if on else unspoken
            for p, times, on in zip((old, new), schedules, spoken, strict=True)
        ]
        held = z3.Or([model.part(part, kinds) for part in parts if part.family == family])
        solver.add(model.real, (done[0] != done[1]) != held)
        if solver.check() != z3.unsat:
            return True
    return False


def asked(policy: Policy) -> dict[int, str]:
    """What each rule decides, by the solver."""
    truth = {i: {"own": False, "lost": False} for i in range(len(policy.rules))}
    for family in (4, 6):
        if policy.families not in ("both", str(family)):
            continue
        used = tuple(s for s in clock.SCHEDULES if any(r.schedule == s.name for r in policy.rules))
        used += tuple(s for s in clock.LASTING if any(r.until == s.last for r in policy.rules))
        model = Solver(family, clock.classes(used))
        matched = [model.rule(r) for r in policy.rules]
        solver = z3.Solver()
        solver.add(model.real)
        for i, rule in enumerate(matched):
            for key, wanted in (("own", z3.BoolVal(True)), ("lost", None)):
                solver.push()
                solver.add(rule, z3.Or(matched[:i]) if wanted is None else z3.Not(z3.Or(matched[:i])))
                truth[i][key] |= solver.check() == z3.sat
                solver.pop()
    return {i: "none" if not t["own"] else "part" if t["lost"] else "all" for i, t in truth.items()}
