"""What another order or scope of policies does, packet by packet and way by way."""

from __future__ import annotations

import random
from dataclasses import replace

import oracle
import pytest
from test_dead_where_attached import INTERFACES, consulted, random_network, scope

from sarvex.core.change.effect import Part, Superseded
from sarvex.core.change.stage_effects import stage_effects
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import (
    AddressObject,
    Attachment,
    Device,
    Host,
    HostAttachment,
    Interface,
    Network,
    Policy,
    Rule,
    Segment,
)

WAYS = [("passage", a, b) for a in INTERFACES for b in INTERFACES if a != b]
WAYS += [("inbound", a, "") for a in INTERFACES]


def does(stage: list[Policy], p: oracle.Packet) -> object:
    """What becomes of a packet: the first policy to decide it, by a rule or by its default."""
    for policy in stage:
        if policy.families in ("both", str(p.family)):
            found = oracle.decide(policy, p)
            if found is not None:
                return policy.rules[found].outcome, policy.rules[found].log
            if policy.default != "continue":
                return (policy.default, "prohibited" if policy.default == "reject" else None), False
    return "goes on"


def holds(part: Part, p: oracle.Packet) -> bool:
    service = (p.proto, p.first, p.second)
    return (
        part.family == p.family
        and any(low <= p.src <= high for low, high in part.source)
        and any(low <= p.dst <= high for low, high in part.destination)
        and (not part.states or p.state in part.states)
        and any(
            all(a <= x <= b for (a, b), x in zip(box, service, strict=True)) for box in part.service.tolist()
        )
    )


@pytest.mark.parametrize("round_", range(6))
def test_another_order_does_exactly_what_is_told(round_: int, rng: random.Random) -> None:
    old = random_network(rng)
    device = old.devices[0]
    attached = list(device.policies)
    match round_ % 3:
        case 0:
            rng.shuffle(attached)
        case 1:
            attached.pop(rng.randrange(len(attached)))
        case 2:
            at = rng.randrange(len(attached))
            attached[at] = replace(attached[at], entering=scope(rng))
    new = replace(old, devices=(replace(device, policies=tuple(attached)),))
    told = list(stage_effects(old, new, Names(new), budget=10**9))
    every = oracle.packets(
        replace(old.policies[0], rules=tuple(r for p in old.policies for r in p.rules), families="both")
    )
    for stage, entering, leaving in WAYS:
        place = f"{stage} at lock"
        here = [t for t in told if str(t.place) == place and (entering, leaving) in t.ways]
        assert len(here) <= 1
        parts = [part for t in here for shift in t.effect.shifts for part in shift.parts]
        was, now = (consulted(network, stage, entering, leaving) for network in (old, new))
        for p in every:
            assert (does(was, p) != does(now, p)) == any(holds(part, p) for part in parts)


def test_each_change_is_told_with_the_rules_and_their_policies() -> None:
    def policy(name: str, action: str) -> Policy:
        rule = Rule(name="r", action=action, source=("10.44.1.1",), destination=("any",), service=("tcp/22",))  # type: ignore[arg-type]
        return Policy(name=name, default="continue", rules=(rule,))

    old = Network(
        name="n",
        segments=(Segment(name="s", prefixes=("10.44.2.0/24",)),),
        hosts=(Host(name="h", segment="s", addresses=("10.44.2.1",)), Host(name="i", segment="s", addresses=("10.44.2.2",))),
        policies=(policy("a", "allow"), policy("b", "drop")),
        at_hosts=tuple(HostAttachment(policy=p, direction="inbound", hosts=("h",)) for p in "ab"),
    )  # fmt: skip
    new = replace(old, at_hosts=old.at_hosts[::-1])
    (told,) = stage_effects(old, new, Names(new))
    (shift,) = told.effect.shifts
    assert (str(told.place), told.ways) == ("inbound at hosts", ("h",))
    assert told.before.policy.rules[shift.before].name == "r of a"
    assert told.after.origins[shift.after] == ("b", 0)
    with pytest.raises(Superseded):
        list(stage_effects(old, new, Names(new), go_on=lambda: False))
    assert not list(stage_effects(old, old, Names(old)))


def test_devices_that_are_called_alike_are_told_apart() -> None:
    """`x at lock` is another device than `lock`: what is consulted at one says nothing of the other's ways."""
    policy = Policy(
        name="p",
        default="continue",
        rules=(Rule(name="r", action="drop", source=("any",), destination=("any",), service=("tcp/22",)),),
    )
    lock = Device(name="lock", interfaces=(Interface(name="a"), Interface(name="b")))
    alike = Device(name="x at lock", interfaces=(Interface(name="c"), Interface(name="d")))
    hosts = Device(name="hosts", interfaces=(Interface(name="e"), Interface(name="f")))
    old = Network(name="n", devices=(lock, alike, hosts), policies=(policy,))
    at = (Attachment(policy="p", stage="inbound"),)
    for device in old.devices:
        made = tuple(replace(d, policies=at) if d is device else d for d in old.devices)
        (told,) = stage_effects(old, replace(old, devices=made), Names(old))
        assert told.place.device == device.name
        assert set(told.ways) == {(i.name, "") for i in device.interfaces}


def test_a_policy_that_is_gone_is_told_with_the_names_that_went_with_it() -> None:
    rule = Rule(name="r", action="drop", source=("desk",), destination=("any",), service=("any",))
    device = Device(
        name="lock",
        interfaces=(Interface(name="a"),),
        policies=(Attachment(policy="p", stage="inbound"),),
    )
    old = Network(
        name="n",
        devices=(device,),
        addresses=(AddressObject(name="desk", members=("10.44.1.1",)),),
        policies=(Policy(name="p", default="continue", rules=(rule,)),),
    )
    new = replace(old, devices=(replace(device, policies=()),), addresses=(), policies=())
    (told,) = stage_effects(old, new, Names(new), names_before=Names(old))
    (shift,) = told.effect.shifts
    assert [part.source for part in shift.parts] == [((10 * 2**24 + 44 * 2**16 + 257,) * 2,)]
