"""Tables against boxes: whatever is done to sets of packets, both come to the same packets."""

from __future__ import annotations

import random
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise

import numpy as np
import pytest

from sarvex.core.forwarding import headers
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import DESTINATION, FIRST, PROTOCOL, SECOND, SOURCE, PacketSet
from sarvex.core.model.records import Network, Policy, Rule
from sarvex.core.sets import addresses, intervals, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.intervals import Intervals
from sarvex.core.sets.services import TOP
from sarvex.core.tables import permits
from sarvex.core.tables.address_classes import AddressClasses, CutsAClass
from sarvex.core.tables.cells import Cells
from sarvex.core.tables.class_set import ClassSet
from sarvex.core.tables.making import recast, tabled
from sarvex.core.tables.service_diagrams import JOIN, MEET, MINUS, ServiceDiagrams
from sarvex.core.tables.table import Space, Table, cells
from sarvex.core.time.moments import ALWAYS

ROUNDS = 30
WORDS = [
    "any",
    "tcp",
    "tcp/443",
    "tcp/80-90",
    "udp/53",
    "icmp/8",
    "icmp6/128",
    "icmp",
    "gre",
    "tcp/443 from 1024-65535",
    "udp/53 from 53",
]
ENDS = [f"10.44.{k}.0/{24 if k % 2 else 25}" for k in range(4)] + [
    "10.44.0.7",
    "10.44.2.0-10.44.3.9",
    "fd00:44::/64",
    "fd00:44::8",
]


def random_set(rng: random.Random) -> PacketSet:
    """A few products of named ends, at all moments or at some."""
    sets = [
        packet_sets.product(
            *(addresses.union(map(addresses.parse, rng.sample(ENDS, 2))) for _ in (0, 1)),
            services.parse(rng.choice(WORDS)), ("new",), rng.choice([ALWAYS, ALWAYS, 0b101, ~0b1]),
        )
        for _ in range(rng.randint(1, 4))
    ]  # fmt: skip
    return packet_sets.union(sets) or random_set(rng)


@pytest.fixture
def space() -> Space:
    return Space(map(addresses.parse, ENDS), {}, cells())


def same(a: PacketSet, b: PacketSet) -> bool:
    return packet_sets.covers(a, b) and packet_sets.covers(b, a)


def boxed(what: PacketSet) -> PacketSet:
    return PacketSet(what.v4, what.v6)


def both_ways(made: Callable[..., PacketSet], *given: PacketSet, space: Space) -> None:
    """What something makes of tables is a table, and what it makes of their boxes."""
    tables = [tabled(space, one, "new") for one in given]
    told = made(*tables)
    assert isinstance(told, Table) or not told
    assert same(boxed(told), made(*map(boxed, given)))


def test_sets_of_tables_are_those_of_their_boxes(rng: random.Random, space: Space) -> None:
    for _ in range(ROUNDS):
        a, b = random_set(rng), random_set(rng)
        for made in (packet_sets.intersection, packet_sets.difference):
            both_ways(made, a, b, space=space)
        both_ways(lambda x, y: packet_sets.union((x, y)), a, b, space=space)
        spread = addresses.parse(rng.choice(ENDS))
        axis = rng.choice([SOURCE, DESTINATION])
        both_ways(lambda x, axis=axis, spread=spread: headers.cut_to(x, axis, spread), a, space=space)
        port = rng.choice([FIRST, SECOND, PROTOCOL])
        both_ways(lambda x, port=port: headers.cut(x, port, [(0, 5), (53, 53), (400, 500)]), a, space=space)
        for half in (0, 1):
            for parted in (headers.asking, headers.by_tcp, headers.by_ports, headers.out_of_state):
                both_ways(lambda x, parted=parted, half=half: parted(x)[half], a, space=space)
        both_ways(headers.turned, a, space=space)
        both_ways(lambda x: packet_sets.of_family(x, 6), a, space=space)
        table = tabled(space, a, "new")
        for side in (SOURCE, DESTINATION):
            assert packet_sets.project(table, side) == packet_sets.project(a, side)


def test_packets_are_dealt_to_whoever_has_them(rng: random.Random, space: Space) -> None:
    """As cut for each by itself, with no row or column that is empty; what nobody has is left out."""
    left = 0
    for _ in range(ROUNDS):
        table = tabled(space, random_set(rng), "new")
        assert isinstance(table, Table)
        for axis in (SOURCE, DESTINATION):
            owners = [*addresses.apart(map(addresses.parse, rng.sample(ENDS, 4)))]
            dealt = table.dealt(axis, space.both.labels(owners, table.bits(axis)))
            for place, own in enumerate(owners):
                alone = headers.cut_to(table, axis, own)
                mine = dealt.pop(place, packet_sets.NOTHING)
                assert bool(mine) == bool(alone)
                if isinstance(alone, Table) and isinstance(mine, Table):
                    assert mine.is_as(alone)
                left += not alone
            assert not dealt
    assert left


def test_equal_sets_are_equal_tables_however_they_came_to_be(rng: random.Random, space: Space) -> None:
    for _ in range(ROUNDS):
        a, b = (tabled(space, random_set(rng), "new") for _ in (0, 1))
        one = packet_sets.union((packet_sets.difference(a, b), packet_sets.intersection(a, b)))
        assert isinstance(a, Table) and isinstance(one, Table)
        for f in FAMILIES:
            assert np.array_equal(a.planes[f].ids, one.planes[f].ids)
            assert np.array_equal(a.planes[f].rows, one.planes[f].rows)


def test_a_finer_space_tells_the_same_packets(rng: random.Random, space: Space) -> None:
    finer = Space([*map(addresses.parse, ENDS), addresses.parse("10.44.0.64-10.44.1.3")], {}, cells())
    for _ in range(ROUNDS):
        a = random_set(rng)
        made = recast(tabled(space, a, "new"), finer)
        assert isinstance(made, Table) and made.space is finer and same(boxed(made), a)


def test_what_cuts_a_class_is_refused_or_taken_whole(space: Space) -> None:
    whole = packet_sets.product(
        addresses.parse("10.44.1.0/24"), addresses.parse("10.44.0.7"), services.ANY, ("new",)
    )
    part = headers.from_sources(whole, addresses.parse("10.44.1.0/25"))
    with pytest.raises(CutsAClass):
        tabled(space, part, "new")
    around = tabled(space, part, "new", around=True)
    assert same(boxed(around), whole)
    with pytest.raises(CutsAClass):
        headers.cut_to(around, SOURCE, addresses.parse("10.44.1.0/25"))


def test_lists_let_the_same_pass_of_a_table_as_of_its_boxes(rng: random.Random, space: Space) -> None:
    """Painted, and rule by rule."""
    for _ in range(ROUNDS):
        rules = tuple(
            Rule(
                name=f"r{n}", action=rng.choice(["allow", "drop"]), source=tuple(rng.sample(ENDS, 2)), enabled=rng.random() < 0.9,
                destination=(rng.choice([*ENDS, "any"]),), service=(rng.choice(WORDS),), states=rng.choice([(), ("new",), ("established",)]),
            )
            for n in range(5)
        )  # fmt: skip
        policy = Policy(name="p", default=rng.choice(["allow", "drop", "continue"]), rules=rules)
        names = Names(Network(name="n", policies=(policy,)))
        a = random_set(rng)
        table = tabled(space, a, "new")
        assert isinstance(table, Table)
        left, allowed = a, []
        split = {}
        for n, (rule, match) in enumerate(zip(rules, matches_of(policy, names), strict=True), 1):
            if rule.enabled:
                share = packet_sets.intersection(left, match.packets)
                left = packet_sets.difference(left, match.packets)
                split[n] = share
                allowed += [share] if rule.action == "allow" else []
        passes, stopped, rest = permits.judged(policy, names, table)
        wanted = packet_sets.union([*allowed, *([left] if policy.default == "allow" else [])])
        assert same(boxed(passes), wanted)
        assert same(boxed(rest), left if policy.default == "continue" else packet_sets.NOTHING)
        assert same(packet_sets.union((boxed(passes), boxed(stopped), boxed(rest))), a)
        for position, rule, share in permits.split(policy, names, table):
            assert same(boxed(share), split[position] if rule else left)


def random_intervals(rng: random.Random, top: int) -> Intervals:
    ends = sorted(rng.sample(range(top), 4))
    return intervals.union([(ends[0], ends[1]), (ends[2], ends[3])])


def test_classes_are_what_no_set_tells_apart_wherever_it_is_moved(rng: random.Random) -> None:
    for _ in range(ROUNDS):
        sets = [random_intervals(rng, 60) for _ in range(4)]
        move = (10, 19, rng.choice([20, 35]))
        made = AddressClasses(4, sets, [move])

        def kind(value: int, sets=sets, move=move) -> tuple[object, ...]:  # type: ignore[no-untyped-def]
            inside = tuple(intervals.first_within(one, value, value) is not None for one in sets)
            return (*inside, kind(value + move[2])) if move[0] <= value <= move[1] else inside

        numbers = made.class_of(range(80)).tolist()
        for one, other in pairwise(sorted(range(80), key=lambda v: numbers[v])):
            if numbers[one] == numbers[other]:
                assert kind(one)[:4] == kind(other)[:4]
        moved = [v for v in range(80) if move[0] <= v <= move[1]]
        for one in moved:
            for other in moved:
                if numbers[one] == numbers[other]:
                    assert kind(one + move[2])[:4] == kind(other + move[2])[:4]
        for one in sets:
            assert made.spread(made.mask(one)) == one


def test_choices_of_classes_are_sets_of_addresses(rng: random.Random, space: Space) -> None:
    for _ in range(ROUNDS):
        a, b = (addresses.union(map(addresses.parse, rng.sample(ENDS, 3))) for _ in (0, 1))
        everything = ClassSet(space.both, (1 << (space.classes[4].count + space.classes[6].count)) - 1)
        one = addresses.intersection(everything, a)
        assert one == a and isinstance(one, ClassSet) and hash(one) == hash(a)
        for made in (addresses.intersection, addresses.difference):
            assert AddressSet(made(one, b).v4, made(one, b).v6) == made(a, b)
        other = addresses.intersection(everything, b)
        assert isinstance(addresses.union((one, other)), ClassSet)
        for both in ((one, other), (one, b), (a, other)):
            assert addresses.union(both) == addresses.union((a, b))


def test_sets_of_services_have_one_number_each(rng: random.Random) -> None:
    store = ServiceDiagrams()

    def made() -> tuple[int, set[tuple[int, int, int, int]]]:
        """A set of the store, and its points on a coarse grid."""
        found, points = 0, set()
        for _ in range(3):
            box = [
                sorted(rng.choices([0, 1, 6, 17], k=2)),
                *(sorted(rng.choices([0, 1, 2, 3], k=2)) for _ in (0, 1)),
            ]
            times = rng.choice([0b1, 0b10, 0b11])
            found = store.apply(JOIN, found, store.of_box(box, times))
            points |= {
                (p, f, s, t)
                for p in (0, 1, 6, 17) if box[0][0] <= p <= box[0][1]
                for f in range(4) if box[1][0] <= f <= box[1][1]
                for s in range(4) if box[2][0] <= s <= box[2][1]
                for t in (0, 1) if times >> t & 1
            }  # fmt: skip
        return found, points

    def points_of(number: int) -> set[tuple[int, int, int, int]]:
        return {
            (p, f, s, t)
            for box, times in store.boxes(number)
            for p in (0, 1, 6, 17) if box[0][0] <= p <= box[0][1]
            for f in range(4) if box[1][0] <= f <= box[1][1]
            for s in range(4) if box[2][0] <= s <= box[2][1]
            for t in (0, 1) if times >> t & 1
        }  # fmt: skip

    for _ in range(ROUNDS * 5):
        (a, in_a), (b, in_b) = made(), made()
        wanted = {MEET: in_a & in_b, JOIN: in_a | in_b, MINUS: in_a - in_b}
        for op, points in wanted.items():
            assert points_of(store.apply(op, a, b)) == points  # type: ignore[arg-type]
        split = store.apply(JOIN, store.apply(MEET, a, b), store.apply(MINUS, a, b))
        assert split == a
        assert points_of(store.moved(a, 2, 1)) == {(p, f, s + 1, t) for p, f, s, t in in_a if s < 3}
        assert store.put(a, 1, ((0, TOP),)) == store.put(store.put(a, 1, ((2, 2),)), 1, ((0, TOP),))
        assert (a == b) == (store.boxes(a) == store.boxes(b))


def test_several_threads_may_work_on_tables_of_one_space(rng: random.Random, space: Space) -> None:
    """What one finds out about two sets another may look up meanwhile."""
    sets = [random_set(rng) for _ in range(40)]
    tables = [tabled(space, one, "new") for one in sets]

    def work(start: int) -> list[PacketSet]:
        found = []
        for n in range(len(tables)):
            a, b = tables[(n + start) % len(tables)], tables[(3 * n + start) % len(tables)]
            found.append(packet_sets.difference(packet_sets.union((a, b)), packet_sets.intersection(a, b)))
        return found

    with ThreadPoolExecutor(4) as pool:
        told = list(pool.map(work, range(4)))
    again = Space(map(addresses.parse, ENDS), {}, Cells(space.sets))
    for start, found in enumerate(told):
        for n, one in enumerate(found):
            a, b = (tabled(again, sets[at % len(sets)], "new") for at in (n + start, 3 * n + start))
            alone = packet_sets.difference(packet_sets.union((a, b)), packet_sets.intersection(a, b))
            for f in FAMILIES if one or alone else ():
                assert isinstance(one, Table) and isinstance(alone, Table)
                assert np.array_equal(one.planes[f].ids, alone.planes[f].ids)
