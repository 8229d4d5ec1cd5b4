"""Findings of translations and steering: each with its fault and its near miss, and all of them against single packets led by hand."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import pytest
from oracle import Packet
from packet_model import End, Hop, Model, in_scope
from random_networks import aimed_packet, random_line, random_network, translating

from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_lists import findings_of_lists
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    Attachment,
    DestinationTranslation,
    Device,
    Entry,
    Host,
    Interface,
    Network,
    Policy,
    Route,
    Rule,
    Segment,
    SourceTranslation,
    Steering,
    ZoneDefault,
    named,
)

OPEN = ZoneDefault(mode="open")
OUTER = "203.0.113.2"
NETWORKS, PACKETS = 60, 15


def published(*rules: Rule, default: str = "drop", **lists: Any) -> Network:
    """quay, with two servers, and yard behind a lock to the sea, whose passage the rules filter."""
    lock = Device(
        name="lock", zone_default=OPEN, routes=(Route(prefix="0.0.0.0/0", via="203.0.113.1"),), policies=(Attachment(policy="door"),),
        interfaces=(
            Interface(name="sea", segment="sea", addresses=(OUTER,)), Interface(name="quay", segment="quay", addresses=("10.44.1.1",)),
            Interface(name="yard", segment="yard", addresses=("10.44.2.1",)),
        ),
        **lists,
    )  # fmt: skip
    segments = (
        Segment(name="sea", outside=True, prefixes=("203.0.113.0/28",)), Segment(name="quay", prefixes=("10.44.1.0/24",)),
        Segment(name="yard", prefixes=("10.44.2.0/24",)), Segment(name="beyond", outside=True),
    )  # fmt: skip
    hosts = tuple(
        Host(name=n, segment="quay", addresses=(f"10.44.1.{at}",)) for n, at in (("web", 20), ("mail", 21))
    )
    door = Policy(name="door", default=default, rules=rules)  # type: ignore[arg-type]
    return Network(name="published", devices=(lock,), segments=segments, hosts=hosts, policies=(door,))


def to(name: str = "web in", **changes: Any) -> DestinationTranslation:
    plain: dict[str, Any] = {
        "name": name, "entering": ("sea",), "destination": (OUTER,), "service": ("tcp/443",), "to": ("web",), "port": "8443",
    }  # fmt: skip
    return DestinationTranslation(**{**plain, **changes})


def hide(name: str = "hide", **changes: Any) -> SourceTranslation:
    return SourceTranslation(
        **{"name": name, "leaving": ("sea",), "source": ("quay",), "to": ("interface",), **changes}
    )


def allow(destination: str, service: str = "any", **changes: Any) -> Rule:
    plain: dict[str, Any] = {
        "name": "let in", "action": "allow", "source": ("any",), "destination": (destination,), "service": (service,),
    }  # fmt: skip
    return Rule(**{**plain, **changes})


def found(network: Network, kind: str) -> list[Finding]:
    return [f for f in findings_of_lists(network, Names(network)) if f.kind == kind]


# --- each with its near miss ------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("lists", "told"),
    [
        ({"translate_destination": (to(service=("any",), port=None), to("second"))}, ["second"]),
        ({"translate_destination": (to(), to("second", service=("tcp/80",)))}, []),
        ({"translate_destination": (to(negate=("service",), port=None), to("second"))}, []),
        ({"translate_destination": (to(negate=("service",), port=None), to("second", service=("tcp/80",)))}, ["second"]),
        ({"translate_destination": (to(enabled=False), to("second"))}, []),
        ({"translate_destination": (to(), to("second", entering=("any",)))}, []),  # it is the first at the others
        ({"translate_source": (hide(), hide("second", source=("web",)))}, ["second"]),
        ({"translate_source": (hide(to=("2001:db8::1",)), hide("second", source=("web",)))}, []),  # it has nothing for IPv4
        ({"steering": (Steering(name="all", leave="yard"), Steering(name="second", leave="quay"))}, ["second"]),
        ({"steering": (Steering(name="v6", via="2001:db8::1"), Steering(name="second", leave="quay"))}, []),
    ],
)  # fmt: skip
def test_an_entry_that_decides_nothing(lists: dict[str, tuple[Entry, ...]], told: list[str]) -> None:
    assert [f.fact("entry") for f in found(published(**lists), "idle entry")] == told


@pytest.mark.parametrize(
    ("entry", "rule", "told"),
    [
        (to(), allow(OUTER, "tcp/443"), True),  # the rule names the outer address
        (to(), allow("web", "tcp/443"), True),  # and this one the outer port
        (to(), allow("web", "tcp/8443"), False),
        (to(to=("none",), port=None), allow(OUTER), False),
        (to(service=("tcp/80",), negate=("service",)), allow("web", "tcp/80"), True),
        (to(service=("tcp/80",), negate=("service",)), allow("web", "tcp/8443"), False),
        (to(source=("203.0.113.9",), negate=("source",)), allow("web", source=("203.0.113.9",)), True),
        (to(source=("203.0.113.9",), negate=("source",)), allow("web", source=("203.0.113.8",)), False),
    ],
)
def test_a_forward_that_nobody_is_let_through_to(
    entry: DestinationTranslation, rule: Rule, told: bool
) -> None:
    assert bool(found(published(rule, translate_destination=(entry,)), "admits nobody")) is told


def test_a_forward_by_an_interface_that_nothing_passes_admits_nobody_without_a_rule() -> None:
    network = published(default="allow", translate_destination=(to(),))
    lock = network.devices[0]
    ports = tuple(replace(i, management_only=i.name == "quay") for i in lock.interfaces)
    (told,) = found(replace(network, devices=(replace(lock, interfaces=ports),)), "admits nobody")
    assert told.fact("why") == "dropped (quay of lock is for management only)"


def test_what_takes_too_long_to_follow_is_told_to_be_undecided(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("sarvex.core.findings.of_lists.LONGEST", -1.0)
    network = published(translate_destination=(to(),))
    assert {f.kind for f in findings_of_lists(network, Names(network))} == {"undecided"}


def test_of_ways_that_were_merged_nothing_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    """What decided on the way is told of samples alone."""
    network = published(allow(OUTER, "tcp/443"), translate_destination=(to(),))
    assert found(network, "admits nobody")
    monkeypatch.setattr("sarvex.core.forwarding.conversations.ByEveryWay.most_straight", 0)
    assert not found(network, "admits nobody") and found(network, "undecided")


@pytest.mark.parametrize(
    ("sources", "told"),
    [((), True), ((hide(leaving=("quay",)),), False), ((hide(),), True)],
)
def test_a_turn_that_is_answered_by_the_wrong_one(sources: tuple[SourceTranslation, ...], told: bool) -> None:
    turning = to(entering=("any",), source=("quay",))
    network = published(allow("any"), translate_destination=(turning,), translate_source=sources)
    assert bool(found(network, "turn without source translation")) is told


@pytest.mark.parametrize(
    ("entry", "told"),
    [
        (to(), [("quay", "yard")]),
        (to(entering=("any",)), []),
        (to(source=("203.0.113.0/28",)), []),  # nobody inside is meant
        (to(source=("quay",)), [("quay",)]),
        (to(source=("quay",), negate=("source",)), [("yard",)]),
        (to(destination=("203.0.113.5",)), []),  # none of the lock's own
    ],
)
def test_an_address_that_is_another_from_inside(
    entry: DestinationTranslation, told: list[tuple[str, ...]]
) -> None:
    network = published(default="allow", translate_destination=(entry,))
    assert [f.fact("segments") for f in found(network, "published from outside only")] == told


@pytest.mark.parametrize(
    ("ins", "outs", "told"),
    [
        ((to(service=("any",), port=None),), (), [("web in", "in")]),
        ((), (hide(source=("web",), to=(OUTER,)),), [("hide", "out")]),
        ((to(service=("any",), port=None),), (hide(source=("web",), to=(OUTER,)),), []),
        ((to(service=("any",), port=None),), (hide(source=("mail",), to=(OUTER,)),), [("web in", "in"), ("hide", "out")]),
        ((to(service=("any",)),), (), []),  # to another port is no pair
        ((to(),), (hide(),), []),
        ((to(service=("any",), port=None),), (hide(source=("web",), to=(OUTER,), enabled=False),), [("web in", "in")]),
    ],
)  # fmt: skip
def test_one_to_one_in_one_direction_only(ins: Any, outs: Any, told: list[tuple[str, str]]) -> None:
    network = published(translate_destination=ins, translate_source=outs)
    assert [(f.fact("entry"), f.fact("direction")) for f in found(network, "half a pair")] == told


@pytest.mark.parametrize(
    ("entry", "rule", "told"),
    [
        (to(entering=("any",)), allow(OUTER, "tcp/443"), True),
        (
            to(),
            allow(OUTER, "tcp/443"),
            True,
        ),  # from inside it is asked as it is, but it is for the lock itself
        (to(destination=("203.0.113.5",)), allow("203.0.113.5", "tcp/443"), False),  # from inside it is not
        (to(entering=("any",)), allow(OUTER, "tcp/80"), False),
        (to(entering=("any",), negate=("service",)), allow(OUTER, "tcp/80"), True),
        (to(entering=("any",), negate=("service",)), allow(OUTER, "tcp/443"), False),
        (to(entering=("any",)), allow("web", "tcp/8443"), False),
        (to(entering=("any",), to=(OUTER,)), allow(OUTER, "tcp/443"), False),  # only its port becomes another
        (to(entering=("any",)), allow(OUTER, "tcp/443", enabled=False), False),
    ],
)
def test_a_rule_that_names_what_is_hidden_from_it(
    entry: DestinationTranslation, rule: Rule, told: bool
) -> None:
    network = published(rule, translate_destination=(entry,))
    assert bool(found(network, "hidden from its rule")) is told


# --- against single packets -------------------------------------------------------------------------------


def taker(model: Model, device: Device, hop: Hop) -> str | None:
    """The entry that decides about destinations where a packet enters a device."""
    for e in device.translate_destination:
        speaks = hop.entering and (e.to == ("none",) or model.to_stretches(e, hop.came.family, None))
        if e.enabled and speaks and in_scope(e.entering, hop.entering) and model.matches(e, hop.came):
            return e.name
    return None


def all_hops(model: Model, packets: list[Packet]) -> Iterator[tuple[End, Hop]]:
    for p in packets:
        if p.state == "new" and not (model.special(p.family, p.src) or model.special(p.family, p.dst)):
            for end in model.first(p):
                for hop in end.hops:
                    yield end, hop


def fares(network: Network, packets: list[Packet]) -> list[set[str]]:
    model = Model(network)
    return [model.asked(p) for p in packets]


def without_entry(network: Network, device: str, name: str, field: str) -> Network:
    def less(d: Device) -> Device:
        return (
            replace(d, **{field: tuple(e for e in getattr(d, field) if e.name != name)})
            if d.name == device
            else d
        )  # type: ignore[arg-type]

    return replace(network, devices=tuple(map(less, network.devices)))


def without_rule(network: Network, policy: str | None, rule: str | None) -> Network:
    lists = tuple(
        replace(p, rules=tuple(r for r in p.rules if r.name != rule)) if p.name == policy else p
        for p in network.policies
    )
    return replace(network, policies=lists)


def test_what_is_told_of_lists_is_so(rng: random.Random) -> None:
    """What decides nothing may go, and what admits nobody lets no packet arrive, in lines of devices that translate and hostile networks."""
    told: Counter[str] = Counter()
    for index in range(NETWORKS):
        network = random_line(rng) if index % 4 else translating(rng, random_network(rng, devices=3))
        packets = [aimed_packet(rng, network) for _ in range(PACKETS)]
        attached = Counter(a.policy for d in network.devices for a in d.policies)
        model = Model(network)
        for f in findings_of_lists(network, Names(network)):
            if f.kind == "idle entry":
                field = f.fact("list").replace(" ", "_")
                less = without_entry(network, f.name or "", f.fact("entry"), field)
            elif f.kind == "hidden from its rule" and attached[f.policy or ""] == 1:
                less = without_rule(network, f.policy, f.rule)
            elif f.kind == "admits nobody":
                device = named(network.devices, f.name or "")
                many = [aimed_packet(rng, network) for _ in range(10 * PACKETS)]
                for end, hop in all_hops(model, many):
                    if hop.device.name == f.name and taker(model, device, hop) == f.fact("entry"):
                        told["led"] += 1
                        assert end.result in ("dropped", "rejected"), (f, end, network)
                continue
            else:
                continue
            told[f.kind] += 1
            assert fares(less, packets) == fares(network, packets), (f, network)
    assert told["idle entry"] and told["led"], told
