"""What must hold, against single packets led by hand; and that nothing keeps holding because it was forgotten."""

from __future__ import annotations

import os
import random
from collections import Counter
from dataclasses import replace
from datetime import date, timedelta
from ipaddress import ip_address

import pytest
from oracle import Packet
from packet_model import FAILS, UNKNOWN, WORKS, Model
from random_networks import aimed_packet, random_line, random_network, translating
from test_network_effect import edited
from test_reach_after import versions
from test_walk import OPEN_FOR

from sarvex.core.change.all_effects import all_effects
from sarvex.core.change.network_effect import Versions, network_effect, reach_after
from sarvex.core.change.verdicts import verdict_changes
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.check import naming_problems, problems
from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import (
    AddressObject,
    Expectation,
    Host,
    Network,
    Schedule,
    named,
)
from sarvex.core.model.thing_edits import DeleteThing, WriteThing
from sarvex.core.reach.expectations import Judged, how_it_comes, judged
from sarvex.core.reach.reach import reach_of
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow
from sarvex.formats import document

NETWORKS, PACKETS, SETS = 16, 12, 6
EDITS = int(os.environ.get("SARVEX_EDITS", "27"))


def drawn(rng: random.Random, index: int) -> Network:
    return random_line(rng) if index % 3 else translating(rng, random_network(rng, devices=4))


def random_expectation(rng: random.Random, network: Network, number: int) -> Expectation:
    names = [t.name for t in (*network.segments, *network.devices, *network.zones)]
    return Expectation(
        name=f"e{number}", source=tuple(rng.sample(names, rng.choice([1, 1, 2]))), destination=(rng.choice(names),),
        service=(rng.choice(["any", "tcp/443", "udp/53", "tcp"]),), must=rng.choice(["allowed", "blocked"]),
    )  # fmt: skip


def of_packet(rng: random.Random, p: Packet, number: int) -> Expectation:
    """About one packet alone."""
    size = 4 if p.family == 4 else 16
    source, destination = (str(ip_address(value.to_bytes(size, "big"))) for value in (p.src, p.dst))
    must = rng.choice(["allowed", "blocked"])
    return Expectation(
        name=f"p{number}", source=(source,), destination=(destination,), service=(service_of(p),), must=must
    )


def flow_of(p) -> Flow:  # type: ignore[no-untyped-def]
    return Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, "new")


def packet_of(flow: Flow) -> Packet:
    return Packet(flow.family, flow.src, flow.dst, flow.protocol, flow.first, flow.second, flow.state)


def service_of(p) -> str:  # type: ignore[no-untyped-def]
    word = {6: "tcp", 17: "udp", 132: "sctp", 33: "dccp", 136: "udplite"}.get(p.proto)
    if word and p.second is not None and p.first is not None:
        return f"{word}/{p.second} from {p.first}"
    if p.proto in (1, 58) and p.first is not None:
        return f"{'icmp' if p.proto == 1 else 'icmp6'}/{p.first}.{p.second}"
    return f"proto/{p.proto}"


def wanted(one: Expectation, fares: set[str]) -> str:
    if (FAILS if one.must == "allowed" else WORKS) in fares:
        return "broken"
    return "undetermined" if UNKNOWN in fares else "kept"


def test_of_one_packet_it_is_as_by_hand(rng: random.Random) -> None:
    """With what everybody reaches at hand, and without."""
    seen: Counter[object] = Counter()
    for index in range(NETWORKS):
        network = drawn(rng, index)
        model, listed, fares = Model(network, ()), [], []
        for number in range(PACKETS):
            p = aimed_packet(rng, network)
            if p.state != "new" or model.special(p.family, p.src) or model.special(p.family, p.dst):
                continue
            listed.append(of_packet(rng, p, number))
            fares.append(set(model.asked(p)))
        network = replace(network, expectations=tuple(listed))
        names = Names(network)
        alone = judged(network, names, listed)
        for one, other, by_hand in zip(
            alone, judged(network, names, listed, reach_of(network, names)), fares, strict=True
        ):
            assert one.verdict == other.verdict
            if one.verdict != wanted(one.expectation, by_hand):
                _, parts = how_it_comes(one, network, names)
                assert any(why in (x.missing or "") for x in parts for why in OPEN_FOR), (
                    one.expectation,
                    by_hand,
                    network,
                )
                seen["open"] += 1
            seen[one.expectation.must, one.verdict] += 1
    assert all(
        seen[must, verdict] > 2
        for must in ("allowed", "blocked")
        for verdict in ("kept", "broken", "undetermined")
    ), seen
    assert seen["open"] * 15 < seen.total()


def test_of_sets_every_packet_is_as_it_is_said(rng: random.Random) -> None:
    """What is kept is so for every packet drawn; what breaks it does so by hand, and so it does one by one."""
    seen: Counter[object] = Counter()
    for index in range(NETWORKS):
        network = drawn(rng, index)
        model = Model(network, ())
        listed = tuple(random_expectation(rng, network, n) for n in range(SETS))
        network = replace(network, expectations=listed)
        told = judged(network, Names(network), listed)
        for one in told:
            seen[one.expectation.must, one.verdict] += 1
            if one.verdict not in ("broken", "undetermined"):
                continue
            sample, parts = how_it_comes(one, network, Names(network))
            assert sample is not None and packet_sets.contains(one.packets, sample)
            fares = set(model.asked(packet_of(sample)))
            if one.verdict == wanted(one.expectation, fares):
                assert parts, (one.expectation, network)
            else:
                assert one.verdict == "undetermined" and any(
                    why in (x.missing or "") for x in parts for why in OPEN_FOR
                )
        names_now = Names(network)
        known = judged(network, names_now, listed, reach_of(network, names_now))
        assert [k.verdict for k in known] == [t.verdict for t in told]
        kept = [one for one in told if one.verdict == "kept"]
        for _ in range(PACKETS * 4):
            p = aimed_packet(rng, network)
            if p.state != "new" or model.special(p.family, p.src) or model.special(p.family, p.dst):
                continue
            for one in kept:
                if _speaks(one, network, p):
                    assert wanted(one.expectation, set(model.asked(p))) == "kept", (
                        one.expectation,
                        p,
                        network,
                    )
                    seen["drawn"] += 1
    assert seen["drawn"] > 2 and all(
        seen[must, v] for must in ("allowed", "blocked") for v in ("kept", "broken")
    ), seen


def _speaks(one: Judged, network: Network, p) -> bool:  # type: ignore[no-untyped-def]
    """Whether an expectation speaks of a packet: by names of segments, devices and zones, said by hand."""
    model, of = Model(network, ()), one.expectation

    def is_in(name: str, value: int) -> bool:
        owner, holders = model.owner(p.family, value), model.holders(p.family, value)
        if any(s.name == name for s in network.segments):
            return owner is not None and owner.name == name and not holders
        if any(d.name == name for d in network.devices):
            return any(h.name == name for h in holders)
        inside = {i.segment for d in network.devices for i in d.interfaces if i.zone == name}
        return owner is not None and owner.name in inside and not holders

    service = Names(network).service(of.service[0])
    return (
        any(is_in(n, p.src) for n in of.source)
        and any(is_in(n, p.dst) for n in of.destination)
        and packet_sets.contains(packet_sets.product(*_ANY, service, ("new",)), flow_of(p))
    )


NET = """
sarvex: 1
name: a quay
zones: [{name: guests, depth: 1}, {name: plant, depth: 4}]
segments:
  - {name: quay, prefixes: [10.44.1.0/24, "fd44:1::/64"]}
  - {name: pumps, prefixes: [10.44.2.0/24, "fd44:2::/64"]}
hosts:
  - {name: kiosk-1, segment: quay, addresses: [10.44.1.10], traits: [kind kiosk]}
  - {name: hmi, segment: pumps, addresses: [10.44.2.10]}
addresses:
  - {name: kiosks, traits: [kind kiosk]}
  - {name: panels, members: [hmi]}
services: [{name: modbus, members: [tcp/502]}]
schedules: [{name: boarding, windows: [daily 05:00-07:00]}]
policies:
  - name: guarded
    default: drop
    rules:
      - {name: selling, action: allow, source: [kiosks], destination: [panels], service: [modbus], schedule: boarding}
devices:
  - name: lock
    interfaces:
      - {name: a, segment: quay, zone: guests, addresses: [10.44.1.1, "fd44:1::1"]}
      - {name: b, segment: pumps, zone: plant, addresses: [10.44.2.1, "fd44:2::1"]}
    policies: [{policy: guarded}]
"""
SELLING = Expectation(
    name="selling",
    source=("kiosks",),
    destination=("panels",),
    service=("modbus",),
    must="allowed",
    at="boarding",
)
OUT = Expectation(
    name="out", source=("guests",), destination=("plant",), service=("any",), must="blocked", at="sat 03:00"
)


def quay(*expectations: Expectation) -> Network:
    network = document.load(NET)
    network = replace(network, expectations=expectations or (SELLING, OUT))
    assert not problems(network)
    return network


def verdicts(network: Network, **how) -> list[str]:  # type: ignore[no-untyped-def]
    return [one.verdict for one in judged(network, Names(network), network.expectations, **how)]


def test_it_holds_at_its_moments_alone() -> None:
    assert verdicts(quay()) == ["kept", "kept"]
    always = quay(
        replace(SELLING, at=None),
        replace(OUT, at=None),
        replace(OUT, name="c", at="mon 06:00"),
        replace(OUT, name="d", at="2031-01-06T06:59"),
    )
    assert verdicts(always) == ["broken", "broken", "broken", "broken"]
    names = Names(always)
    night = names.moments.coming(minute=3 * 60)
    assert verdicts(always, at=night) == ["broken", "kept", "other time", "other time"]


def test_nothing_is_kept_because_it_was_forgotten() -> None:
    """A host less in the group, a group without hosts, a schedule that ended, an interface taken away, another address."""
    network = quay()
    yesterday = (date.today() - timedelta(days=3)).isoformat()
    over = WriteThing(
        "schedules", "boarding", Schedule(name="boarding", windows=("daily 05:00-07:00",), last=yesterday)
    )
    assert verdicts(over.apply(network))[0] == "empty"
    kiosk = named(network.hosts, "kiosk-1")
    no_kiosk = WriteThing("hosts", "kiosk-1", replace(kiosk, traits=()))
    assert verdicts(no_kiosk.apply(network))[0] == "empty"
    moved = WriteThing("hosts", "kiosk-1", replace(kiosk, addresses=("fd44:1::10",)))
    assert verdicts(moved.apply(network))[0] == "empty"  # no family in common
    both = WriteThing("hosts", "kiosk-1", replace(kiosk, addresses=("10.44.1.10", "10.44.1.11")))
    assert verdicts(both.apply(network))[0] == "kept"
    gone = DeleteThing("interfaces", "b", "lock").apply(network)
    assert verdicts(gone)[0] in ("broken", "undetermined")
    assert verdicts(gone)[1] == "empty"  # the zone has no interface left
    renamed = WriteThing("addresses", "panels", AddressObject(name="screens", members=("hmi",))).apply(
        network
    )
    assert renamed.expectations[0].destination == ("screens",) and verdicts(renamed) == ["kept", "kept"]
    deleted = DeleteThing("addresses", "panels").apply(network)
    assert any("panels" in p.message for p in naming_problems(deleted))
    hosts = (
        *network.hosts,
        Host(name="kiosk-2", segment="pumps", addresses=("10.44.2.99",), traits=("kind kiosk",)),
    )
    more = replace(network, hosts=hosts)
    assert verdicts(more)[0] == "kept"  # on the same wire
    away = replace(
        network,
        hosts=(
            *network.hosts,
            Host(name="kiosk-2", segment="quay", addresses=("10.99.1.1",), traits=("kind kiosk",)),
        ),
    )
    assert verdicts(away)[0] in ("broken", "undetermined")


def test_it_ends_after_its_date_and_after_its_moment() -> None:
    today = date.today()
    past, coming = (today - timedelta(days=3)).isoformat(), (today + timedelta(days=3)).isoformat()
    ends = quay(
        replace(SELLING, until=past), replace(SELLING, name="b", until=coming), replace(OUT, at=f"{past}T06:00"),
        replace(OUT, name="d", at=f"{coming}T06:00"),
    )  # fmt: skip
    assert verdicts(ends) == ["ended", "kept", "ended", "broken"]


def test_until_its_date_only_what_comes_before_counts() -> None:
    """From a date on the rule is over; what must hold until then does."""
    day = date.today() + timedelta(days=30)
    last = Schedule(name="boarding", windows=("daily",), last=day.isoformat())
    network = WriteThing("schedules", "boarding", last).apply(
        quay(replace(SELLING, at=None, until=day.isoformat()))
    )
    assert verdicts(network) == ["kept"]
    later = replace(network.expectations[0], until=(day + timedelta(days=1)).isoformat())
    assert verdicts(replace(network, expectations=(later,))) == ["broken"]


@pytest.mark.parametrize(
    ("changed", "path", "says"),
    [
        ({"source": ()}, "source", "at least one"),
        ({"source": ("kiosk",)}, "source/0", "kiosks"),
        ({"destination": ("lock", "plants")}, "destination/1", "plants"),
        ({"service": ("modbuss",)}, "service/0", "modbus"),
        ({"at": "bording"}, "at", "boarding"),
        ({"at": "sat 25:00"}, "at", "sat 03:00"),
        ({"at": "now"}, "at", "another moment"),
        ({"until": "2027-13-01"}, "until", "2027-03-31"),
        ({"name": " "}, "name", "name"),
    ],
)
def test_what_means_nothing_is_told_where_it_stands(changed: dict[str, object], path: str, says: str) -> None:
    network = replace(document.load(NET), expectations=(replace(SELLING, **changed),))  # type: ignore[arg-type]
    found = problems(network)
    assert len(found) == 1 and says in found[0].message, found
    assert "/".join(map(str, found[0].path[2:])) == path


def test_names_mean_the_first_of_what_bears_them() -> None:
    """A device is meant itself; of a segment and a zone of one name the segment."""
    to_lock = Expectation(
        name="a", source=("quay",), destination=("lock",), service=("tcp/22",), must="blocked"
    )
    network = quay(to_lock, replace(OUT, at=None, service=("tcp/22",)))
    assert verdicts(network) == ["broken", "kept"]
    open_lock = replace(network, zones=(*network.zones, replace(network.zones[1], name="quay")))
    assert verdicts(open_lock) == ["broken", "kept"]


def test_after_an_edit_what_is_known_says_the_same_as_all_anew(rng: random.Random) -> None:
    network = quay(SELLING, OUT, replace(OUT, name="c", at=None, source=("10.44.1.7",)))
    names = Names(network)
    known = reach_of(network, names)
    rule = replace(network.policies[0].rules[0], schedule=None, source=("any",), service=("any",))
    after = replace(network, policies=(replace(network.policies[0], rules=(rule,)),))
    more = replace(
        after, expectations=(*after.expectations, replace(OUT, name="d", at=None, destination=("10.44.2.9",)))
    )
    of = Versions(network, more, names, Names(more, names.moments))
    effects, at_places = all_effects(of)
    reach = reach_after(known, of, effects, at_places)
    told = judged(more, of.after, more.expectations, reach)
    assert [t.verdict for t in told] == verdicts(more) == ["kept", "broken", "broken", "kept"]
    assert told[0].packets is not told[1].packets


def test_what_an_edit_breaks_and_mends_is_as_if_judged_anew(rng: random.Random) -> None:
    """Edits of every kind of networks with every feature; by the effect in the network, and no other is missed."""
    seen: Counter[str] = Counter()
    for index in range(EDITS // 3):
        network = drawn(rng, index)
        drawn_packets = (aimed_packet(rng, network) for _ in range(PACKETS * 2))
        alone = [of_packet(rng, p, n) for n, p in enumerate(drawn_packets) if p.state == "new"]
        sets = [random_expectation(rng, network, n) for n in range(SETS)]
        network = replace(network, expectations=(*sets, *alone))
        for _ in range(3):
            kind, new = edited(rng, network)
            if problems(new) or new == network or new.schedules != network.schedules:
                continue
            of = versions(network, new)
            effects, at_places = all_effects(of)
            before = judged(network, of.before, network.expectations)
            told = verdict_changes(of, network_effect(of, effects, at_places), before)
            anew = judged(new, of.after, new.expectations)
            otherwise = {
                old.expectation.name: (old, now)
                for old, now in zip(before, anew, strict=True)
                if old.verdict != now.verdict
            }
            found = {
                c.after.expectation.name: (c.before, c.after) for c in told.changes if c.before and c.after
            }
            assert as_words(found) == as_words(otherwise) and not told.unknown, (kind, network, new)
            for name, (_, now) in found.items():
                assert same_packets(now.packets, otherwise[name][1].packets), (kind, name, network, new)
            seen["breaks"] += sum(c.breaks for c in told.changes)
            seen["mends"] += sum(c.mends for c in told.changes)
            network = new
    assert seen["breaks"] > 1 and seen["mends"] > 1, seen


def as_words(changes: dict[str, tuple[Judged, Judged]]) -> dict[str, tuple[str, str]]:
    return {name: (before.verdict, after.verdict) for name, (before, after) in changes.items()}


def same_packets(a: PacketSet, b: PacketSet) -> bool:
    return not packet_sets.difference(a, b) and not packet_sets.difference(b, a)


def test_what_is_not_worked_out_is_not_said_to_hold() -> None:
    network = quay()
    rule = replace(network.policies[0].rules[0], source=("any",), schedule=None)
    new = replace(network, policies=(replace(network.policies[0], rules=(rule,)),))
    of = versions(network, new)
    effects, at_places = all_effects(of)
    cut = network_effect(of, effects, at_places, lambda: False)
    assert cut.left
    told = verdict_changes(of, cut, judged(network, of.before, network.expectations))
    assert [one.name for one in told.unknown] == ["out"] and not told.changes


_ANY = addresses.ANY, addresses.ANY
