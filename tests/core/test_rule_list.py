"""The heart against an independent brute-force model and an SMT solver."""

from __future__ import annotations

import ipaddress
import math
import random
from collections.abc import Collection
from dataclasses import replace

import clock
import numpy as np
import oracle
import pytest
from shares import Shares
from smt import asked

from sarvex.core.findings.idle_members import idle_members
from sarvex.core.firstmatch.partition import Partition
from sarvex.core.firstmatch.products import boxes_of
from sarvex.core.firstmatch.proofs import REMOVABLE, SHOWN
from sarvex.core.firstmatch.rule_list import DEFAULT, FirstMatch
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DTYPE, EVERYTHING, point_of
from sarvex.core.model.records import FIELDS, Network, Policy, Rule
from sarvex.core.sets import addresses, boxes, services
from sarvex.core.sets.cover import COVERED, HOLE, uncovered
from sarvex.core.sets.flows import Flow
from sarvex.core.sets.services import has_ports, has_type
from sarvex.core.time.moments import Moments

NAMES = Names(Network(name="empty"))
SCHEDULED = Names(
    Network(name="scheduled", schedules=clock.SCHEDULES),
    Moments(clock.SCHEDULES, clock.LONDON, clock.SINCE, ends=clock.ENDS),
)
NO_BOXES = np.empty((0, 6, 2), dtype=np.int32)


def as_flow(p: oracle.Packet) -> Flow:
    shown = has_ports(p.proto) or has_type(p.family, p.proto)
    return Flow(
        p.family, p.src, p.dst, p.proto, p.first if shown else None, p.second if shown else None, p.state,
        p.moment,
    )  # fmt: skip


def as_packet(f: Flow) -> oracle.Packet:
    """A flow that tells no moment is meant at any: here at one in the middle."""
    moment = f.moment or clock.FRIDAY
    return oracle.Packet(f.family, f.src, f.dst, f.protocol, f.first or 0, f.second or 0, f.state, moment)


@pytest.mark.parametrize("round_", range(6))
def test_every_verdict_agrees_with_brute_force(round_: int, rng: random.Random) -> None:
    """With schedules in every third round: then every verdict speaks of all moments, and a witness tells one."""
    scheduled = round_ % 3 == 2
    times = rng.sample([s.name for s in clock.SCHEDULES], 2) if scheduled else ()
    policy = oracle.random_policy(rng, rng.randint(3, 5) if scheduled else rng.randint(1, 7), times)
    names = SCHEDULED if scheduled and any(r.schedule for r in policy.rules) else NAMES
    moments = names.moments
    ready = FirstMatch.of(policy, names)
    every = oracle.packets(policy)
    truth = [oracle.decide(policy, p) for p in every]
    for family in (4, 6):
        chosen = [i for i, p in enumerate(every) if p.family == family]
        columns = zip(*(point_of(as_flow(every[i]), moments) for i in chosen), strict=True)
        got = ready.decide(family, [np.array(c, dtype=DTYPE[family]) for c in columns])
        assert got.tolist() == [DEFAULT if truth[i] is None else truth[i] for i in chosen]

    silently = ready.removable(ready.effects, np.ones(len(policy.rules), dtype=np.int8))
    to_packets = ready.removable(ready.outcomes, np.ones(len(policy.rules), dtype=np.int8))
    spoken_packets = [p for p in every if policy.families in ("both", str(p.family))]
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
        contained = {
            i for i, r in enumerate(policy.rules)
            if all(oracle.matches(rule, p) for p in spoken_packets if oracle.matches(r, p))
        }  # fmt: skip
        unlike = {i for i in live.by if policy.rules[i].outcome != rule.outcome}
        assert set(live.others) == unlike - contained
        assert live.same_outcome == (not unlike)
        assert live.all_log == all(policy.rules[i].log for i in live.by)
        if own:
            heirs = {
                DEFAULT if (h := oracle.decide(without(policy, [live.position]), p)) is None else h
                for p, t in zip(every, truth, strict=True)
                if t == live.position
            }
            found = ready.heirs(live.position)
            assert found is not None and set(found) == heirs
            alike = {effect(policy, h) for h in heirs} == {effect(policy, live.position)}
            assert (silently[live.position] == REMOVABLE) == alike
            alike = {effect(policy, h)[0] for h in heirs} == {effect(policy, live.position)[0]}
            assert (to_packets[live.position] == REMOVABLE) == alike
            crossing = {
                i for i, r in enumerate(policy.rules)
                if i > live.position and r.enabled and r.outcome != rule.outcome
                and any(oracle.matches(rule, p) and oracle.matches(r, p) for p in spoken_packets)
            }  # fmt: skip
            around = {
                i for i in crossing
                if all(oracle.matches(policy.rules[i], p) for p in spoken_packets if oracle.matches(rule, p))
            }  # fmt: skip
            pairs, count, containers, _ = ready.pairs
            assert set(pairs[live.position, : count[live.position]].tolist()) == crossing - around - contained
            assert around == set(containers[live.position, : len(around)].tolist())


def without(policy: Policy, gone: Collection[int]) -> Policy:
    rules = tuple(replace(r, enabled=r.enabled and i not in gone) for i, r in enumerate(policy.rules))
    return replace(policy, rules=rules)


def effect(policy: Policy, rule: int) -> tuple[object, bool]:
    if rule == DEFAULT:
        return (policy.default, None), False
    return policy.rules[rule].outcome, policy.rules[rule].log


@pytest.mark.parametrize("round_", range(5))
def test_a_sweep_takes_out_all_that_can_go_and_nothing_more(round_: int, rng: random.Random) -> None:
    """What is left does the same to every packet, and of it nothing can go alone."""
    policy = oracle.random_policy(rng, rng.randint(3, 9))
    ready = FirstMatch.of(policy, NAMES)
    ask = np.array([rng.random() < 0.9 for _ in policy.rules], dtype=np.int8)
    told = ready.sweep(ready.effects, ask)
    gone = {i for i in np.flatnonzero(told == REMOVABLE).tolist() if policy.rules[i].enabled}
    assert all(ask[i] for i in gone)
    every = oracle.packets(policy)

    def does(judged: Policy) -> list[object]:
        return [effect(policy, DEFAULT if (t := oracle.decide(judged, p)) is None else t) for p in every]

    before = does(policy)
    assert does(without(policy, gone)) == before
    for rule in range(len(policy.rules)):
        if ask[rule] and rule not in gone and policy.rules[rule].enabled:
            assert does(without(policy, {*gone, rule})) != before


@pytest.mark.parametrize("round_", range(3))
def test_idle_members_are_those_without_which_a_rule_decides_the_same(
    round_: int, rng: random.Random
) -> None:
    policy = oracle.random_policy(rng, 5)
    every = oracle.packets(policy)
    truth = [oracle.decide(policy, p) for p in every]
    for field in FIELDS:
        for position, members in idle_members(policy, NAMES, field).items():
            rule = policy.rules[position]
            kept = tuple(m for m in rule.members(field) if m not in members)
            assert kept and members
            rules = list(policy.rules)
            rules[position] = replace(rule, **{field: kept})
            assert [oracle.decide(replace(policy, rules=tuple(rules)), p) for p in every] == truth
            for member in kept if len(kept) > 1 else ():
                rules[position] = replace(rule, **{field: tuple(m for m in kept if m != member)})
                assert [oracle.decide(replace(policy, rules=tuple(rules)), p) for p in every] != truth


@pytest.mark.parametrize("round_", range(30))
def test_a_cover_agrees_with_cutting_boxes_from_boxes(round_: int, rng: random.Random) -> None:
    made = np.random.default_rng(rng.randrange(2**32))
    for axes in (2, 4, 6):
        low = made.integers(0, 4, (int(made.integers(0, 16)), axes))
        high = np.minimum(low + made.integers(0, 5, low.shape), 4)
        whole = made.random(low.shape) < 0.6
        low[whole], high[whole] = 0, 4
        cutters = np.stack([low, high], axis=2).astype(np.int32)
        box, hole = np.array([[0, 4]] * axes, dtype=np.int32), np.empty((axes, 2), dtype=np.int32)
        left = boxes.difference(box[None], cutters)
        told = uncovered(box, cutters, np.array([10**9]), hole)
        assert told == (HOLE if len(left) else COVERED)
        if told == HOLE:
            assert (
                (hole[:, 0] <= hole[:, 1]).all()
                and (hole[:, 0] >= box[:, 0]).all()
                and (hole[:, 1] <= box[:, 1]).all()
            )
            assert not boxes.overlaps(cutters, hole).any()


@pytest.mark.parametrize("round_", range(6))
def test_coalesced_boxes_hold_the_same(round_: int, rng: random.Random) -> None:
    parts = np.array([[[0, 15], [0, 15], [0, 15]]])
    for _ in range(rng.randint(1, 6)):
        cut = np.array([sorted(rng.choices(range(16), k=2)) for _ in range(3)])
        inside = boxes.clip(parts, cut)
        parts = np.concatenate(
            (boxes.difference(parts, cut[None]), *([inside] if rng.random() < 0.6 else []))
        )
    fewer = boxes.coalesced(parts)
    assert len(fewer) <= len(parts)
    assert boxes.covers(fewer, parts) and boxes.covers(parts, fewer)
    sizes = [int((b[:, :, 1] - b[:, :, 0] + 1).prod(axis=1).sum()) for b in (parts, fewer)]
    assert sizes[0] == sizes[1]  # still disjoint


@pytest.mark.parametrize("round_", range(3))
def test_the_compiled_engine_agrees_with_volumes_of_shares(round_: int, rng: random.Random) -> None:
    """Lists too long for brute force, against the same questions answered by disjoint shares in plain NumPy."""
    policy = oracle.planted_policy(rng, 90)[0]
    ready = FirstMatch.of(policy, NAMES)
    told = ready.liveness()
    own: dict[int, set[str]] = {i: set() for i in range(len(policy.rules))}
    by: dict[int, set[int]] = {i: set() for i in range(len(policy.rules))}
    for family, layer in ready.layers.items():
        ranked = [boxes_of(layer.form, i) if layer.arrays.enabled[i] else NO_BOXES for i in range(len(told))]
        whole = np.stack((np.zeros(6), layer.arrays.sizes - 1), axis=1).astype(np.int64)
        for i, share in enumerate(Shares([r.astype(np.int64) for r in ranked], whole, 10**6).each()):
            assert share is not None, family
            if share.matched:
                own[i].add("all" if share.decided == share.matched else "part" if share.decided else "none")
                by[i] |= set(share.by)
    for live in told:
        some = own[live.position]
        expected = "none" if some <= {"none"} else "all" if some == {"all"} else "part"
        assert live.decides == expected
        assert live.by == tuple(sorted(by[live.position])[:SHOWN]) and live.by_count == len(by[live.position])


@pytest.mark.parametrize("round_", range(6))
def test_a_partition_divides_everything_among_the_rules(round_: int, rng: random.Random) -> None:
    policy = oracle.random_policy(rng, 6)
    ready = FirstMatch.of(policy, NAMES)
    left = EVERYTHING
    for position, _, share in Partition(policy, [m.packets for m in ready.matches]).split(EVERYTHING):
        for box_family in (4, 6):
            for box in share[box_family][:5]:
                corner = packet_sets.flow_in(box_family, [[low, low] for low in box[:, 0].tolist()], None)
                assert ready.decide_one(corner) == position - 1
        assert packet_sets.covers(left, share)
        left = packet_sets.difference(left, share)
    assert not left


def test_a_long_list_is_parted_as_it_decides(rng: random.Random) -> None:
    """So many rules that boxes are cut before they are parted: disjoint shares that together are all of it."""

    def near(site: int) -> str:
        text = f"10.{site}.{rng.randrange(256)}.{rng.randrange(4) * 64}/{rng.choice([18, 22, 26])}"
        return str(ipaddress.ip_network(text, strict=False))

    def ends() -> tuple[tuple[str, ...], ...]:
        low = rng.randrange(1, 60000)
        return (near(99),), (near(98),), (f"tcp/{low}-{low + rng.choice([0, 50, 5000])}",)

    rules = []
    for k in range(200):
        source, destination, service = ends()
        action = rng.choice(["allow", "drop"])
        rules.append(
            Rule(name=f"r{k}", action=action, source=source, destination=destination, service=service)
        )
    policy = Policy(name="long", default="drop", rules=tuple(rules))
    ready = FirstMatch.of(policy, NAMES)
    whole = packet_sets.product(
        addresses.parse("10.99.0.0/16"), addresses.parse("10.98.0.0/16"), services.parse("tcp")
    )
    shares = list(Partition(policy, [m.packets for m in ready.matches]).split(whole))
    assert len(shares) > 150
    volume = 0
    for position, _, share in shares:
        volume += sum(math.prod(high - low + 1 for low, high in box) for box in share.v4.tolist())
        for box in share.v4[:5]:
            for side in (0, 1):
                corner = packet_sets.flow_in(4, [[v, v] for v in box[:, side].tolist()], None)
                assert ready.decide_one(corner) == position - 1
    assert volume == sum(math.prod(high - low + 1 for low, high in box) for box in whole.v4.tolist())


def edited(rng: random.Random, policy: Policy, step: int) -> Policy:
    """One rule of it moved, described, switched, doubled under another name or as it is, or replaced, in turn."""
    rules = list(policy.rules)
    at = rng.randrange(len(rules))
    match step % 6:
        case 0:
            rules.insert(rng.randrange(len(rules)), rules.pop(at))
        case 1:
            rules[at] = replace(rules[at], description=f"{step}", log=not rules[at].log)
        case 2:
            rules[at] = replace(rules[at], enabled=not rules[at].enabled)
        case 3:
            rules.append(replace(rules[at], name=f"again {step}", action=rng.choice(["allow", "drop"])))
        case 4:
            new = oracle.random_policy(rng, 2).rules
            rules[at : at + 1] = [replace(r, name=f"{r.name}-{step}") for r in new]
        case 5:
            rules.append(rules[at])  # the very same once more: it is given nothing
    return replace(policy, rules=tuple(rules))


@pytest.mark.parametrize("round_", range(6))
def test_a_sieve_made_from_the_one_before_divides_as_one_made_anew(round_: int, rng: random.Random) -> None:
    policy, before = oracle.random_policy(rng, 8), None
    for step in range(12):
        parts = [m.packets for m in matches_of(policy, NAMES)]
        before = Partition(policy, parts, before)
        told, anew = (
            [(at, [share[f].tolist() for f in (4, 6)]) for at, _, share in partition.split(EVERYTHING)]
            for partition in (before, Partition(policy, parts))
        )
        assert told == anew
        policy = edited(rng, policy, step)


@pytest.mark.parametrize("round_", range(6))
def test_a_list_made_ready_from_the_one_before_tells_what_one_made_anew_tells(
    round_: int, rng: random.Random
) -> None:
    policy = oracle.random_policy(rng, 8)
    ready, quick = FirstMatch.of(policy, NAMES), 0
    for step in range(15):
        policy = edited(rng, policy, step)
        before, ready = ready, FirstMatch.following(ready, policy, NAMES)
        quick += ready.layers[4].ranks is before.layers[4].ranks
        fresh = FirstMatch.of(policy, NAMES)
        for live, same in zip(ready.liveness(), fresh.liveness(), strict=True):
            assert (live.decides, live.by, live.by_count, live.others, live.same_outcome, live.all_log) == (
                same.decides, same.by, same.by_count, same.others, same.same_outcome, same.all_log,
            )  # fmt: skip
            assert live.witness is None or ready.decide_one(live.witness) == live.position
            assert (live.witness is None) == (same.witness is None)
        for p in rng.sample(every := oracle.packets(policy), min(len(every), 50)):
            flow = Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, p.state, p.moment)
            assert ready.decide_one(flow) == fresh.decide_one(flow)
        ones = np.ones(len(policy.rules), dtype=np.int8)
        assert ready.removable(ready.effects, ones).tolist() == fresh.removable(fresh.effects, ones).tolist()
    assert 5 <= quick < 15  # some come from the one before, and not all can


@pytest.mark.parametrize("round_", range(6))
def test_liveness_agrees_with_an_smt_solver(round_: int, rng: random.Random) -> None:
    times = [s.name for s in clock.SCHEDULES] if round_ % 3 == 2 else []
    policy, dead = (
        oracle.planted_policy(rng, 24) if round_ % 2 else (oracle.random_policy(rng, 18, times), {})
    )
    found = {live.position: live.decides for live in FirstMatch.of(policy, SCHEDULED).liveness()}
    assert found == asked(policy)
    caught = any(r.source == r.destination == r.service == ("any",) for r in policy.rules)
    for position, rule in enumerate(policy.rules):
        if rule.name in dead and not caught and dead[rule.name]:
            assert found[position] == "none"


def tiled(missing: int | None, tiles: int = 5000) -> FirstMatch:
    """Rules that part a region at random planes in all five dimensions, one perhaps missing, and one over all of it."""
    rng = random.Random(5)
    parts = [[[0, 2**16 - 1], [0, 2**8 - 1], [0, 255], [0, 65535], [0, 65535]]]
    while len(parts) < tiles:
        at = rng.randrange(len(parts))
        axis = rng.choice(
            [0, 0, 1, 3, 4]
            if parts[at][2][0] in (6, 17) and parts[at][2][0] == parts[at][2][1]
            else [0, 1, 2]
        )
        low, high = parts[at][axis]
        if low == high:
            continue
        if axis == 2:  # TCP or UDP is cut out, so that ports can be cut there
            inside = [p for p in (6, 17) if low <= p <= high]
            if not inside:
                continue
            cuts = [(low, inside[0] - 1), (inside[0], inside[0]), (inside[0] + 1, high)]
        else:
            cut = rng.randint(low + 1, high)
            cuts = [(low, cut - 1), (cut, high)]
        whole = parts.pop(at)
        for first, last in cuts:
            if first <= last:
                parts.append([*whole[:axis], [first, last], *whole[axis + 1 :]])
    rules = []
    for number, (source, destination, protocol, first, second) in enumerate(parts):
        words = [f"proto/{p}" for p in range(protocol[0], protocol[1] + 1)]
        if protocol[0] == protocol[1] and protocol[0] in (6, 17):
            word = "tcp" if protocol[0] == 6 else "udp"
            words = [f"{word}/{second[0]}-{second[1]} from {first[0]}-{first[1]}"]
        rules.append(
            Rule(name=f"t{number}", action="allow", source=(_range(10 << 24, source),), service=tuple(words),
                 destination=(_range((10 << 24) + (1 << 20), destination),), enabled=number != missing)
        )  # fmt: skip
    over = Rule(
        name="over", action="drop", source=("10.0.0.0/16",), destination=("10.16.0.0/24",), service=("any",)
    )
    return FirstMatch.of(Policy(name="p", default="drop", rules=(*rules, over)), NAMES)


def _range(base: int, span: list[int]) -> str:
    low, high = (addresses.spell(4, base + v) for v in span)
    return f"{low}-{high}"


def test_a_rule_tiled_by_thousands_is_dead_and_alive_with_one_missing() -> None:
    """A union shadow of 5,000 rules in all five dimensions, and its near miss."""
    ready = tiled(None)
    whole = ready.liveness()[-1]
    assert (whole.decides, whole.by_count, whole.witness) == ("none", len(ready.policy.rules) - 1, None)
    ready = tiled(517)
    gap = ready.liveness()[-1]
    assert (gap.decides, gap.by_count) == ("part", len(ready.policy.rules) - 2)
    assert gap.witness is not None
    assert ready.decide_one(gap.witness) == len(ready.policy.rules) - 1
    missing = ready.policy.rules[517]
    assert oracle.matches(missing, as_packet(gap.witness))


def test_past_the_budget_a_rule_is_undecided_never_guessed(rng: random.Random) -> None:
    seen = set()
    for _ in range(12):
        policy = oracle.planted_policy(rng, 40)[0]
        truth = [x.decides for x in FirstMatch.of(policy, NAMES).liveness()]
        told = [x.decides for x in FirstMatch.of(policy, NAMES, budget=0).liveness()]
        seen |= set(told)
        assert all(t in ("undecided", e) for t, e in zip(told, truth, strict=True))
    assert "undecided" in seen
