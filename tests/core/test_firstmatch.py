"""The heart against an independent brute-force model and an SMT solver."""

from __future__ import annotations

import random

import numpy as np
import oracle
import pytest
import z3

from sarvex.core import packets, shares
from sarvex.core.firstmatch import DEFAULT, FirstMatch
from sarvex.core.flows import Flow
from sarvex.core.model import Network, Policy, Rule
from sarvex.core.names import Names
from sarvex.core.packets import DTYPE, EVERYTHING
from sarvex.core.services import has_ports, has_type
from sarvex.core.sieve import Sieve

NAMES = Names(Network(name="empty"))


def as_flow(p: oracle.Packet) -> Flow:
    shown = has_ports(p.proto) or has_type(p.family, p.proto)
    return Flow(
        p.family, p.src, p.dst, p.proto, p.first if shown else None, p.second if shown else None, p.state
    )


def as_packet(f: Flow) -> oracle.Packet:
    return oracle.Packet(f.family, f.src, f.dst, f.protocol, f.first or 0, f.second or 0, f.state)


@pytest.mark.parametrize("round_", range(16))
def test_every_verdict_agrees_with_brute_force(round_: int, rng: random.Random) -> None:
    policy = oracle.random_policy(rng, rng.randint(1, 7))
    ready = FirstMatch.of(policy, NAMES)
    every = oracle.packets(policy)
    truth = [oracle.decide(policy, p) for p in every]
    for family in (4, 6):
        chosen = [i for i, p in enumerate(every) if p.family == family]
        columns = zip(*(as_flow(every[i]).point() for i in chosen), strict=True)
        got = ready.decide(family, [np.array(c, dtype=DTYPE[family]) for c in columns])
        assert got.tolist() == [DEFAULT if truth[i] is None else truth[i] for i in chosen]

    spoken = [t for p, t in zip(every, truth, strict=True) if policy.families in ("both", str(p.family))]
    decides, witness = ready.default_share()
    assert decides == ("none" if None not in spoken else "all" if spoken == [None] * len(spoken) else "part")
    assert witness is None or oracle.decide(policy, as_packet(witness)) is None

    for live in ready.liveness():
        rule = policy.rules[live.position]
        matched = [
            t for p, t in zip(every, truth, strict=True)
            if policy.families in ("both", str(p.family)) and oracle.matches(rule, p)
        ]  # fmt: skip
        own = matched.count(live.position)
        assert live.matches_something == bool(matched)
        if not rule.enabled:
            assert live.decides == "none"
            continue
        assert live.decides == ("none" if not own else "all" if own == len(matched) else "part")
        assert set(live.by) == {t for t in matched if t is not None and t < live.position}
        if live.witness:
            assert oracle.decide(policy, as_packet(live.witness)) == live.position
        assert (live.witness is not None) == bool(own)
        if live.taken:
            taken = as_packet(live.taken)
            assert oracle.matches(rule, taken)
            assert oracle.decide(policy, taken) in live.by
        assert (live.taken is not None) == bool(live.by)
        if own:
            without = Policy(
                name="without",
                default=policy.default,
                families=policy.families,
                rules=tuple(
                    r if i != live.position else type(r)(**{**r.__dict__, "enabled": False})
                    for i, r in enumerate(policy.rules)
                ),
            )
            heirs = {
                DEFAULT if (h := oracle.decide(without, p)) is None else h
                for p, t in zip(every, truth, strict=True)
                if t == live.position
            }
            assert set(ready.heirs(live)) == heirs


@pytest.mark.parametrize("round_", range(6))
def test_a_sieve_divides_everything_among_the_rules(round_: int, rng: random.Random) -> None:
    policy = oracle.random_policy(rng, 6)
    ready = FirstMatch.of(policy, NAMES)
    left = EVERYTHING
    for position, _, share in Sieve(policy, ready.matches).split(EVERYTHING):
        for box_family in (4, 6):
            for box in share[box_family][:5]:
                corner = Flow(box_family, *(int(v) for v in box[:5, 0]), oracle.STATES[int(box[5, 0])])  # type: ignore[arg-type]
                assert ready.decide_one(corner) == position - 1
        assert packets.covers(left, share)
        left = packets.difference(left, share)
    flow = packets.sample(left)
    assert flow is None or ready.decide_one(flow) == DEFAULT


class Solver:
    """The same questions put to z3, over the members' text read by the oracle."""

    def __init__(self, family: int) -> None:
        self.family = family
        self.src, self.dst, self.proto, self.first, self.second, self.state = z3.Ints("s d p f g c")
        top = 2**32 if family == 4 else 2**128
        ports = z3.Or([self.proto == n for n in (6, 17, 33, 132, 136)])
        icmp = self.proto == (1 if family == 4 else 58)
        self.real = z3.And(
            self.src >= 0, self.src < top, self.dst >= 0, self.dst < top, self.proto >= 0, self.proto < 256,
            self.first >= 0, self.second >= 0, self.state >= 0, self.state < 4,
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

    def rule(self, rule) -> z3.BoolRef:
        fields = {
            "source": z3.Or([self._address(m, self.src) for m in rule.source]),
            "destination": z3.Or([self._address(m, self.dst) for m in rule.destination]),
            "service": z3.Or([self._service(m) for m in rule.service]),
        }
        states = [self.state == oracle.STATES.index(s) for s in rule.states] or [z3.BoolVal(True)]
        return z3.And(
            z3.BoolVal(rule.enabled), z3.Or(states),
            *(z3.Not(f) if n in rule.negate else f for n, f in fields.items()),
        )  # fmt: skip


@pytest.mark.parametrize("round_", range(8))
def test_liveness_agrees_with_an_smt_solver(round_: int, rng: random.Random) -> None:
    policy = oracle.random_policy(rng, 18)
    found = {}
    for live in FirstMatch.of(policy, NAMES).liveness():
        found[live.position] = live.decides
    truth = {i: {"own": False, "lost": False} for i in found}
    for family in (4, 6):
        if policy.families not in ("both", str(family)):
            continue
        model = Solver(family)
        matched = [model.rule(r) for r in policy.rules]
        for i in truth:
            earlier = z3.Or(matched[:i])
            for key, wanted in (("own", z3.Not(earlier)), ("lost", earlier)):
                solver = z3.Solver()
                solver.add(model.real, matched[i], wanted)
                truth[i][key] |= solver.check() == z3.sat
    assert found == {i: "none" if not t["own"] else "part" if t["lost"] else "all" for i, t in truth.items()}


@pytest.mark.parametrize("few", [0, 1, 3])
@pytest.mark.parametrize("round_", range(3))
def test_broad_rules_are_counted_as_exactly_as_boxes(
    few: int, round_: int, rng: random.Random, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The same verdicts whether shares are kept as boxes or, for most rules, as volumes only."""
    while True:
        policy = oracle.random_policy(rng, 14)
        plain = FirstMatch.of(policy, NAMES)
        truth = [(x.decides, x.by) for x in plain.liveness()], plain.default_share()[0]
        with monkeypatch.context() as patch:
            patch.setattr(shares, "FEW_PIECES", few)
            patch.setattr(shares, "FEW_BOXES", few)
            ready = FirstMatch.of(policy, NAMES)
            told = ready.liveness()
        assert ([(x.decides, x.by) for x in told], ready.default_share()[0]) == truth
        if any(x.part is None for x in told):  # a list that an early catch-all ends has no broad rule
            break
    for live in told:
        assert (live.witness is None) == (live.decides == "none")
        assert live.witness is None or ready.decide_one(live.witness) == live.position
        assert live.taken is None or ready.decide_one(live.taken) in live.by
    left = ready.default_share()[1]
    assert left is None or ready.decide_one(left) == DEFAULT


def test_a_rule_tiled_by_thousands_is_dead_and_alive_with_one_missing() -> None:
    """A union shadow far past the number of boxes that are kept, and its near miss."""

    def tiled(missing: int | None) -> FirstMatch:
        tiles = [
            Rule(name=f"t{i}", action="allow", source=(f"10.44.{i >> 4}.0/24",), destination=("10.44.99.0/28",),
                 service=(f"tcp/{(i & 15) * 4096}-{(i & 15) * 4096 + 4095}",), enabled=i != missing)
            for i in range(1024)
        ]  # fmt: skip
        over = Rule(
            name="over",
            action="drop",
            source=("10.44.0.0/18",),
            destination=("10.44.99.0/29",),
            service=("tcp",),
        )
        return FirstMatch.of(Policy(name="p", default="drop", rules=(*tiles, over)), NAMES)

    whole = tiled(None).liveness()[-1]
    assert (whole.decides, len(whole.by), whole.witness) == ("none", 1024, None)
    gap = tiled(517).liveness()[-1]
    assert (gap.decides, len(gap.by)) == ("part", 1023)
    assert gap.witness is not None
    assert tiled(517).decide_one(gap.witness) == 1024
    assert gap.witness.second == 5 * 4096 and gap.witness.src >> 8 == (10 << 16) + (44 << 8) + 32


def test_past_the_budget_a_rule_is_undecided_never_guessed(
    monkeypatch: pytest.MonkeyPatch, rng: random.Random
) -> None:
    monkeypatch.setattr(shares, "FEW_PIECES", 0)
    monkeypatch.setattr(shares, "FEW_BOXES", 0)
    monkeypatch.setattr("sarvex.core.firstmatch.BUDGET", 0)
    seen = set()
    for _ in range(4):
        policy = oracle.random_policy(rng, 12)
        truth = [x.decides for x in FirstMatch.of(policy, NAMES).liveness()]
        monkeypatch.setattr(shares, "FEW_PIECES", 160)
        monkeypatch.setattr("sarvex.core.firstmatch.BUDGET", 20_000)
        exact = [x.decides for x in FirstMatch.of(policy, NAMES).liveness()]
        monkeypatch.setattr(shares, "FEW_PIECES", 0)
        monkeypatch.setattr("sarvex.core.firstmatch.BUDGET", 0)
        seen |= set(truth)
        assert all(t in ("undecided", e) for t, e in zip(truth, exact, strict=True))
    assert "undecided" in seen
