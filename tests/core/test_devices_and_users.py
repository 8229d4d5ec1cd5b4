"""Devices and users named in rules, groups and the lists of devices, against the same networks with the addresses written out by hand."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import replace
from typing import Any

import pytest
from packet_model import Model
from random_networks import aimed_packet, random_line, random_network, translating
from test_network_effect import Circling, Patient, edited, fare, left_open, told
from test_walk import OPEN_FOR, UNKNOWN, fates, one

from sarvex.core.change import sets_in_names
from sarvex.core.forwarding.parties import party
from sarvex.core.forwarding.walk import trace
from sarvex.core.meaning.check import meant_otherwise, problems
from sarvex.core.meaning.names import Names, UnknownName
from sarvex.core.model.records import LISTS, AddressObject, Device, Host, Network, Policy, Rule, Segment, Zone
from sarvex.core.model.renames import Rename, renamed, renames
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow
from sarvex.formats import effects

GROUP = "all locks"
NETWORKS = 24


def speaking(rng: random.Random, net: Network) -> Network:
    """The network with users, whose rules and lists speak of devices and users where they spoke of something else."""
    hosts = tuple(replace(h, user=rng.choice(["anders", "Maren", ""])) for h in net.hosts)
    devices = [d.name for d in net.devices]
    words = [*devices, *devices, devices[0].upper(), *{h.user.lower() for h in hosts if h.user}, GROUP]

    def fields(thing: Any) -> Any:
        changed = {
            field: tuple(rng.choice(words) if rng.random() < 0.4 else m for m in getattr(thing, field))
            for field in ("source", "destination")
        }
        return replace(thing, **changed)

    return replace(
        net,
        hosts=hosts,
        addresses=(*net.addresses, AddressObject(name=GROUP, members=(rng.choice(words[:-1]), devices[-1]))),
        policies=tuple(replace(p, rules=tuple(map(fields, p.rules))) for p in net.policies),
        devices=tuple(
            replace(d, **{listed: tuple(map(fields, getattr(d, listed))) for listed in LISTS})
            for d in net.devices
        ),
    )


def by_hand(net: Network) -> Network:
    """The same with the addresses of devices and users written where their names stood."""
    of: dict[str, tuple[str, ...]] = {}
    for host in net.hosts:
        if host.user:
            key = host.user.lower()
            of[key] = (*of.get(key, ()), *host.addresses)
    of |= {d.name.lower(): tuple(a for i in d.interfaces for a in i.addresses) for d in net.devices}
    of = {name: some or ("nobody",) for name, some in of.items()}

    def out(members: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(a for m in members for a in of.get(m.lower(), (m,)))

    group = next((a for a in net.addresses if a.name == GROUP), None)
    if group:
        of[GROUP] = out(group.members)

    def fields(thing: Any) -> Any:
        return replace(thing, source=out(thing.source), destination=out(thing.destination))

    return replace(
        net,
        addresses=(*(a for a in net.addresses if a is not group), AddressObject(name="nobody", members=())),
        policies=tuple(replace(p, rules=tuple(map(fields, p.rules))) for p in net.policies),
        devices=tuple(
            replace(d, **{listed: tuple(map(fields, getattr(d, listed))) for listed in LISTS})
            for d in net.devices
        ),
    )


def drawn(rng: random.Random, index: int) -> Network:
    net = random_line(rng) if index % 2 else translating(rng, random_network(rng, devices=4))
    return speaking(rng, net)


def test_packets_fare_as_with_addresses_written_out(rng: random.Random) -> None:
    differ = 0
    for index in range(NETWORKS):
        net = drawn(rng, index)
        assert not problems(net)
        names, model, plain = Names(net), Model(by_hand(net)), Names(by_hand(net))
        for policy, written in zip(net.policies, by_hand(net).policies, strict=True):
            for rule, spelled in zip(policy.rules, written.rules, strict=True):
                for field in ("source", "destination"):
                    here, there = (
                        addresses.union(map(of.address, some.members(field))) for of, some in ((names, rule), (plain, spelled))
                    )  # fmt: skip
                    assert here == there
                    differ += rule.members(field) != spelled.members(field)
        for _ in range(12):
            p = aimed_packet(rng, net)
            answer = trace(net, names, one(p))
            wanted, found = model.asked(p), fates(answer)
            if any(why in (part.missing or "") for part in answer.parts for why in OPEN_FOR):
                assert found - {UNKNOWN} <= wanted
            else:
                assert found == wanted, (p, net)
    assert differ > NETWORKS


def test_effects_are_those_with_addresses_written_out(rng: random.Random) -> None:
    """Of edits of rules and of the ground: an address that a device gets or loses is one in every rule that names it."""
    seen: Counter[str] = Counter()
    for index in range(NETWORKS * 2):
        old = drawn(rng, index)
        _, new = edited(rng, old)
        if rng.random() < 0.5:  # no rule but those that name the device becomes another by this
            device = rng.choice(old.devices)
            port = rng.choice(device.interfaces)
            at = rng.randrange(200, 250)
            more = replace(port, addresses=(*port.addresses, f"10.44.{at - 200}.{at}"))
            made = replace(device, interfaces=tuple(more if i is port else i for i in device.interfaces))
            new = replace(old, devices=tuple(made if d is device else d for d in old.devices))
        if problems(new) or new == old:
            continue
        old, new = rng.choice([(old, new), (new, old)])
        effect = effects.compare(old, new).network
        assert effect is not None and effect.complete
        models = Patient(by_hand(old)), Patient(by_hand(new))
        for _ in range(20):
            p = replace(aimed_packet(rng, rng.choice((old, new))), state="new")
            try:
                was, now = (fare(model, p) for model in models)
            except Circling:
                continue
            found = told(effect, Flow(p.family, p.src, p.dst, p.proto, p.first, p.second, "new"))
            if found != ([] if was == now else [(was, now)]):
                assert left_open(old, p) or left_open(new, p), (p, found, was, now, old, new)
            else:
                seen["as before" if was == now else "otherwise"] += 1
    assert seen["as before"] > 50 and seen["otherwise"] > 5, seen


def test_words_of_sets_name_them_exactly(rng: random.Random) -> None:
    for index in range(NETWORKS):
        net = drawn(rng, index)
        names = Names(net)
        device = rng.choice(net.devices)
        own = addresses.union(addresses.parse(a) for i in device.interfaces for a in i.addresses)
        (word,) = sets_in_names.name_addresses(own, names)
        assert names.address(word) == own


# --- one name, several things --------------------------------------------------------------------------------

ANDERS = Host(name="pilot-anders", segment="pilots", addresses=("10.44.220.11", "fd00::11"), user="anders")
LOCK = Device(name="lock")
PILOTS = Segment(name="pilots", prefixes=("10.44.220.0/24", "fd00::/64"))


def speaks_of(*members: str, **things: Any) -> Network:
    rule = Rule(name="r", action="allow", source=members, destination=("any",), service=("any",))
    whole: dict[str, Any] = {"segments": (PILOTS,), "hosts": (ANDERS,), "devices": (LOCK,)} | things
    return Network(name="n", policies=(Policy(name="p", default="drop", rules=(rule,)),), **whole)


def test_of_one_name_the_first_is_meant() -> None:
    """Host, segment, address object, literal, device, zone, user; and a zone is refused by name."""
    zone = Zone(name="Anders", depth=0)
    (wrong,) = problems(speaks_of("anders", zones=(zone,)))
    assert "'Anders' is a zone" in wrong.message
    names = Names(speaks_of("anders", zones=(zone,), devices=(replace(LOCK, name="ANDERS"),)))
    assert names.address("anders") == addresses.NOTHING  # the device, which has no address
    assert names.address("Pilot-Anders") == addresses.union(map(addresses.parse, ANDERS.addresses))
    assert Names(speaks_of("Anders")).address("anders") == names.address("pilot-anders")
    object_first = speaks_of("lock", addresses=(AddressObject(name="Lock", members=("10.44.1.1",)),))
    assert Names(object_first).address("lock") == addresses.parse("10.44.1.1")
    (wrong,) = problems(speaks_of("andres"))
    assert "did you mean anders?" in wrong.message
    with pytest.raises(UnknownName):
        names.address("nobody")
    assert (
        party("ANDERS", Names(speaks_of("anders", zones=(zone,)))) == addresses.NOTHING
    )  # no interface is in it


def test_rules_follow_a_device_that_is_called_otherwise() -> None:
    old = speaks_of("LOCK", "anders", "pilots")
    new = renamed(old, [Rename("devices", "lock", "sluice")])
    assert new.policies[0].rules[0].source == ("sluice", "anders", "pilots")
    assert [(r.old, r.new) for r in renames(old, new)] == [("lock", "sluice")]
    taken = speaks_of("lock", addresses=(AddressObject(name="lock", members=()),))
    assert renamed(taken, [Rename("devices", "lock", "sluice")]).policies == taken.policies


@pytest.mark.parametrize(
    ("after", "path", "told"),
    [
        (
            {"addresses": (AddressObject(name="Lock", members=()),)},
            ("addresses", "Lock"),
            "a device named in r",
        ),
        ({"zones": (Zone(name="anders", depth=0),)}, ("zones", "anders"), "a user named in r"),
        (
            {"hosts": (replace(ANDERS, user=""),)},
            ("hosts", "pilot-anders"),
            "still named in r, source (in p)",
        ),
        ({"hosts": ()}, ("hosts", "pilot-anders"), "still named in r, source (in p)"),
    ],
)
def test_a_name_that_rules_speak_of_does_not_come_to_mean_something_else(
    after: dict[str, Any], path: tuple[str, ...], told: str
) -> None:
    before = speaks_of("lock", "anders")
    (wrong,) = meant_otherwise(before, speaks_of("lock", "anders", **after))
    assert wrong.path[0] == path[0] and told in wrong.message
    assert meant_otherwise(speaks_of("pilots"), speaks_of("pilots", **after)) == []
    second = replace(ANDERS, name="second", addresses=("10.44.220.12",))
    assert meant_otherwise(before, speaks_of("lock", "anders", hosts=(second,))) == []
