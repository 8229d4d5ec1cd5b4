"""Two versions of a list tried on every packet that any of their rules could tell apart, as one array.

Members are read by `oracle`, names are followed here; nothing of the core takes part. Each axis takes the first value of
every stretch between neighbouring end points, so what holds for the grid holds for all packets.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

import clock
import numpy as np
import oracle
from numpy.typing import NDArray

from sarvex.core.model.records import Policy, Rule, Schedule

Members = Mapping[str, Sequence[str]]


def literals(members: Iterable[str], names: Members) -> list[str]:
    """Members with names followed to what they stand for."""
    out: list[str] = []
    for member in members:
        out += literals(names[member], names) if member in names else [member]
    return out


class Grid:
    """The packets of one family: every combination of one value per axis."""

    def __init__(
        self,
        family: int,
        policies: Sequence[Policy],
        names: Sequence[Members],
        moments: Sequence[datetime] = (datetime.min,),
    ) -> None:
        self.family, self.moments = family, moments
        rules = [
            Rule(
                name="x",
                action="drop",
                source=tuple(literals(rule.source, n)),
                destination=tuple(literals(rule.destination, n)),
                service=tuple(literals(rule.service, n)),
            )
            for policy, n in zip(policies, names, strict=True)
            for rule in policy.rules
        ]
        self.src, self.dst, self.services = oracle.axes(rules, family)

    @property
    def shape(self) -> tuple[int, int, int, int, int]:
        return len(self.src), len(self.dst), len(self.services), 4, len(self.moments)

    def matched(self, rule: Rule, names: Members, schedules: Sequence[Schedule]) -> NDArray[np.bool_]:
        """Which packets a rule matches."""
        f = self.family

        def ends(members: Sequence[str], values: Sequence[int]) -> NDArray[np.bool_]:
            texts = literals(members, names)
            return np.array([any(oracle._address_in(t, f, v) for t in texts) for v in values], dtype=bool)

        texts = literals(rule.service, names)
        hit = [
            ends(rule.source, self.src),
            ends(rule.destination, self.dst),
            np.array([any(oracle._service_has(t, f, *s) for t in texts) for s in self.services], dtype=bool),
        ]
        for axis, field in enumerate(("source", "destination", "service")):
            if field in rule.negate:
                hit[axis] = ~hit[axis]
        states = np.array([not rule.states or s in rule.states for s in oracle.STATES])
        when = [s for s in schedules if s.name == rule.schedule]
        times = np.array(
            [all(clock.active(s, m) for s in when) and clock.lasts(rule.until, m) for m in self.moments]
        )
        return self.product(*hit, states, times)

    @staticmethod
    def product(*axes: NDArray[np.bool_]) -> NDArray[np.bool_]:
        s, d, v, c, t = axes
        return s[:, None, None, None, None] & d[:, None, None, None] & v[:, None, None] & c[:, None] & t

    def decided(
        self, policy: Policy, names: Members, schedules: Sequence[Schedule] = ()
    ) -> NDArray[np.int64]:
        """The deciding rule of every packet, -1 for the default."""
        out = np.full(self.shape, -1)
        if policy.families not in ("both", str(self.family)):
            return out
        for at in reversed(range(len(policy.rules))):
            if policy.rules[at].enabled:
                out[self.matched(policy.rules[at], names, schedules)] = at
        return out

    def outcomes(self, policy: Policy, decided: NDArray[np.int64]) -> NDArray[np.int64]:
        """What is done to every packet, as numbers that are equal where it is the same."""
        default = policy.default if policy.families in ("both", str(self.family)) else "continue"
        done = [
            (r.action, r.reject_with or "prohibited" if r.action == "reject" else None, r.log)
            for r in policy.rules
        ]
        done.append((default, "prohibited" if default == "reject" else None, False))
        return np.array([hash(d) for d in done])[decided]
