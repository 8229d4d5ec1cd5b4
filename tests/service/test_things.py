"""Everything that bears a name, on the records: edited, renamed, deleted, and taken back."""

from __future__ import annotations

import random
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import acts
import pytest
from desk import Desk
from sqlalchemy.orm import Session, sessionmaker
from whole import random_whole

from sarvex.core.model.edits import Place
from sarvex.core.model.records import (  # fmt: skip
    AddressObject,
    Attachment,
    DestinationTranslation,
    Host,
    HostAttachment,
    Interface,
    Policy,
    Route,
    Rule,
    Section,
    Segment,
    SourceTranslation,
    Steering,
    Zone,
)
from sarvex.service.errors import Conflict, NotFound, Refused


def test_records_keep_everything(sessions: sessionmaker[Session], rng: random.Random) -> None:
    """What is written to the records is read from them, references in any case as the thing spells itself."""
    for index in range(6):
        network = replace(random_whole(rng), name=f"random {index}")
        stored = Desk(sessions, network).read().network
        again = Desk(sessions, replace(stored, name=f"again {index}")).read().network
        assert replace(again, name=stored.name) == stored
        assert _folded(stored) == _folded(network)


def _folded(value: Any) -> Any:
    """Without regard to the case of names."""
    if isinstance(value, str):
        return value.casefold()
    if isinstance(value, tuple):
        return tuple(_folded(v) for v in value)
    return {k: _folded(v) for k, v in vars(value).items()} if hasattr(value, "__dict__") else value


def id_of(desk: Desk, kind: str, *names: str) -> int:
    return desk.read().thing_id(kind, *names)


def ver(desk: Desk, thing_id: int) -> int:
    return desk.read().versions[thing_id]


def put(desk: Desk, kind: str, name: str, /, **values: Any) -> None:
    thing_id = id_of(desk, kind, *name.split("/"))
    desk.act(
        lambda d: acts.change_thing(d, thing_id, ver(desk, thing_id), replace(d.thing(thing_id)[1], **values))
    )


def drop(desk: Desk, kind: str, name: str) -> None:
    thing_id = id_of(desk, kind, *name.split("/"))
    desk.act(lambda d: acts.delete_thing(d, thing_id, ver(desk, thing_id)))


GROUND = [
    lambda desk: desk.act(lambda d: acts.add_thing(d, Zone(name="quayside", depth=2))),
    lambda desk: desk.act(lambda d: acts.add_thing(d, Segment(name="island", prefixes=("10.44.77.0/24",), vlan=77))),
    lambda desk: desk.act(
        lambda d: acts.add_thing(d, 
            Host(name="buoy", segment="island", addresses=("10.44.77.5",), traits=("kind buoy",), held="leased")
        )
    ),
    lambda desk: desk.act(
        lambda d: acts.add_thing(d, 
            Interface(name="sea", segment="island", zone="quayside", addresses=("10.44.77.1",)),
            parent_id=id_of(desk, "device", "vessel-gate"),
        )
    ),
    lambda desk: put(
        desk, "device", "vessel-gate",
        routes=(Route(prefix="10.45.0.0/16", via="10.44.77.9", interface="sea"),),
        management=("tcp/22",),
        policies=(
            Attachment(policy="sensor-side", entering=("sea", "quayside"), leaving=("quay",)),
            Attachment(policy="sensor-side", stage="from the device"),
        ),
    ),
    lambda desk: put(desk, "segment", "island", gateways=("vessel-gate",)),
    lambda desk: put(
        desk, "at_hosts", "at hosts",
        at_hosts=(HostAttachment(policy="sensor-side", direction="inbound", hosts=("buoy", "petrel")),),
    ),
    lambda desk: put(desk, "zone", "quayside", name="East Quay"),
    lambda desk: put(desk, "interface", "vessel-gate/sea", name="sea.77", zone=None),
    lambda desk: put(desk, "segment", "island", name="skerry"),
    lambda desk: put(desk, "policy", "sensor-side", name="sensors", default="reject", families="4"),
    lambda desk: desk.act(lambda d: acts.add_thing(d, Policy(name="spare", default="drop"))),
]  # fmt: skip


def test_the_ground_is_edited_renamed_and_taken_back(desk: Desk) -> None:
    states = [desk.read().network]
    for act in GROUND:
        act(desk)
        states.append(desk.read().network)
    gate = states[-1].devices[0]
    assert gate.interfaces[-1] == Interface(name="sea.77", segment="skerry", addresses=("10.44.77.1",))
    assert gate.routes == (Route(prefix="10.45.0.0/16", via="10.44.77.9", interface="sea.77"),)
    assert gate.policies[0] == Attachment(
        policy="sensors", entering=("sea.77", "East Quay"), leaving=("quay",)
    )
    assert states[-1].at_hosts[0].policy == "sensors"
    for expected in reversed(states[:-1]):
        desk.act(lambda d: acts.undo(d))
        assert desk.read().network == expected
    for expected in states[1:]:
        desk.act(lambda d: acts.redo(d))
        assert desk.read().network == expected


def entry_names(desk: Desk) -> list[str]:
    return [e.name for e in desk.read().network.devices[0].translate_destination]


LISTS = [
    lambda desk: put(desk, "device", "vessel-gate", filtering="stateful"),
    *(
        lambda desk, name=name: desk.act(
            lambda d: acts.add_thing(
                d,
                DestinationTranslation(
                    name=name, entering=("radio",), source=("vessels",), destination=("10.44.34.77",), service=("mqtts",),
                    to=("tide-gateway",), port="8883", negate=("source",) if name == "b" else (),
                ),
                parent_id=id_of(desk, "device", "vessel-gate"),
            )
        )
        for name in ("a", "b", "c")
    ),
    lambda desk: desk.act(
        lambda d: acts.add_thing(
            d, SourceTranslation(name="a", leaving=("quay",), source=("petrel",), to=("interface",)),
            parent_id=id_of(desk, "device", "vessel-gate"),
        )
    ),
    lambda desk: desk.act(
        lambda d: acts.add_thing(
            d, Steering(name="by radio", source=("petrel",), leave="radio", when_down="drop"),
            parent_id=id_of(desk, "device", "vessel-gate"),
        )
    ),
    lambda desk: move(desk, "c", "a"),
    lambda desk: move(desk, "a", None),
    lambda desk: move(desk, "a", "b"),
    lambda desk: put(desk, "translate_to", "vessel-gate/b", to=("none",), port=None, enabled=False),
    lambda desk: put(desk, "interface", "vessel-gate/radio", name="antenna"),
    lambda desk: put(desk, "host", "tide-gateway", name="gateway"),
    lambda desk: drop(desk, "translate_to", "vessel-gate/c"),
]  # fmt: skip


def move(desk: Desk, name: str, before: str | None) -> None:
    thing_id = id_of(desk, "translate_to", "vessel-gate", name)
    next_ = None if before is None else id_of(desk, "translate_to", "vessel-gate", before)
    desk.act(lambda d: acts.move_entry(d, thing_id, ver(desk, thing_id), next_))


def test_translations_and_steering_are_edited_moved_renamed_through_and_taken_back(desk: Desk) -> None:
    states, orders = [desk.read().network], []
    for act in LISTS:
        act(desk)
        states.append(desk.read().network)
        orders.append("".join(entry_names(desk)))
    assert orders[3:] == ["abc", "abc", "abc", "cab", "cba", "cab", "cab", "cab", "cab", "ab"]
    gate = states[-1].devices[0]
    assert gate.translate_destination[0].entering == ("antenna",)
    assert gate.translate_destination[0].to == ("gateway",)
    assert gate.translate_destination[1].negate == ("source",)
    assert gate.steering[0].leave == "antenna"
    for kind, name, says in (
        ("host", "gateway", "vessel-gate a"),
        ("interface", "vessel-gate/antenna", "by radio"),
    ):
        with pytest.raises(Refused, match=says):
            drop(desk, kind, name)
    for expected in reversed(states[:-1]):
        desk.act(lambda d: acts.undo(d))
        assert desk.read().network == expected
    for expected in states[1:]:
        desk.act(lambda d: acts.redo(d))
        assert desk.read().network == expected
    drop(desk, "device", "vessel-gate")
    desk.act(lambda d: acts.undo(d))
    assert desk.read().network == states[-1]


def test_one_move_writes_one_row_as_long_as_there_is_room(desk: Desk) -> None:
    for act in LISTS[:4]:
        act(desk)
    move(desk, "c", "a")  # numbered anew, with room
    before = desk.read().versions
    move(desk, "b", "a")
    after = desk.read().versions
    assert entry_names(desk) == ["c", "b", "a"]
    assert sum(after[i] != ver for i, ver in before.items()) == 1


def test_what_is_used_is_not_deleted_and_says_by_whom(desk: Desk) -> None:
    for act in GROUND:
        act(desk)
    for kind, name, says in (
        ("zone", "East Quay", "still used in vessel-gate"),
        ("segment", "skerry", "still used in buoy"),
        ("host", "buoy", "still used in at hosts"),
        ("interface", "vessel-gate/sea.77", "still used in vessel-gate"),
        ("device", "vessel-gate", "still used in skerry"),
        ("policy", "sensors", "still used in vessel-gate"),
    ):
        before = desk.read()
        with pytest.raises(Refused, match=says):
            drop(desk, kind, name)
        assert desk.read() == before


def speak(desk: Desk, name: str, *members: str) -> None:
    """One more rule, first in the policy."""
    made = Rule(name=name, action="allow", source=members, destination=("any",), service=("any",))
    desk.act(lambda d: acts.add_rule(d, desk.policy_id, made, Place(None, desk.keys()[0].id)))


def test_rules_that_name_devices_and_users_follow_them(desk: Desk) -> None:
    add = lambda thing: desk.act(lambda d: acts.add_thing(d, thing))  # noqa: E731
    add(Segment(name="pilots", prefixes=("10.44.220.0/24",)))
    pilot = Host(name="pilot", segment="pilots", addresses=("10.44.220.9",), user="anders")
    add(pilot)
    add(AddressObject(name="both", members=("vessel-gate", "Anders")))
    speak(desk, "to the gate", "Vessel-GATE", "anders", "PETREL")
    drop(desk, "address", "both")
    put(desk, "device", "vessel-gate", name="sluice")
    assert desk.read().network.policies[0].rules[0].source == ("sluice", "anders", "petrel")
    for act, says in (
        (lambda: drop(desk, "device", "sluice"), "still used in"),
        (lambda: drop(desk, "host", "pilot"), "anders is still named in to the gate"),
        (lambda: put(desk, "host", "pilot", user="Maren"), "anders is still named in to the gate"),
        (lambda: add(AddressObject(name="SLUICE", members=())), "'sluice' is a device named in to the gate"),
        (lambda: add(Zone(name="Anders", depth=0)), "'anders' is a user named in to the gate"),
        (
            lambda: put(desk, "address", "petrel", name="anders"),
            "'anders' is a user named in to the gate",
        ),
        (lambda: speak(desk, "nobody", "andres"), "did you mean anders"),
    ):
        before = desk.read()
        with pytest.raises(Refused, match=says):
            act()
        assert desk.read() == before
    # Of two hosts of a user one may go.
    add(replace(pilot, name="second pilot", addresses=("10.44.220.10",)))
    drop(desk, "host", "pilot")


def test_a_device_and_a_policy_go_and_come_back_whole(desk: Desk) -> None:
    desk.act(lambda d: acts.add_section(d, desk.policy_id, Section(name="sea"), desk.keys()[2].id))
    whole = desk.read().network
    drop(desk, "device", "vessel-gate")
    assert desk.read().network.devices == ()
    drop(desk, "policy", "sensor-side")
    assert desk.read().network.policies == ()
    desk.act(lambda d: acts.undo(d))
    desk.act(lambda d: acts.undo(d))
    assert desk.read().network == whole


@pytest.mark.parametrize(
    ("kind", "name", "values", "path", "message"),
    [
        (
            "segment",
            "vessels",
            {"prefixes": ("10.44.200.7/22",)},
            "prefixes[0]",
            "the prefix is 10.44.200.0/22",
        ),
        ("segment", "vessels", {"vlan": 4095}, "vlan", "from 1 to 4094"),
        ("segment", "vessels", {"gateways": ("nobody",)}, "gateways[0]", "no device is called 'nobody'"),
        ("host", "tide-gateway", {"traits": ("kiosk",)}, "traits[0]", "a trait is a kind and a value"),
        ("host", "tide-gateway", {"name": "PETREL"}, "name", "taken already, by an address object"),
        ("host", "tide-gateway", {"addresses": ("10.44.34.0/30",)}, "addresses[0]", "more than one address"),
        ("device", "vessel-gate", {"routes": (Route(prefix="10.44.0.0/16"),)}, "routes[0]", "names the next"),
        ("device", "vessel-gate", {"tunnels": ("udp/70000",)}, "tunnels[0]", "65535"),
        ("interface", "vessel-gate/radio", {"vlan": 5}, "vlan", "only a VLAN sub-interface"),
        ("interface", "vessel-gate/radio", {"kind": "vlan", "vlan": 5}, "parent", "names the interface"),
        ("interface", "vessel-gate/radio", {"zone": "quay"}, "zone", "no zone is called 'quay'"),
        ("interface", "vessel-gate/radio", {"name": ""}, "name", "a name is missing"),
        ("translate_to", "vessel-gate/a", {"to": ("nobody-here",)}, "to[0]", "nobody-here"),
        ("translate_to", "vessel-gate/a", {"to": ("none", "petrel")}, "to", "stands alone"),
        ("translate_to", "vessel-gate/a", {"to": ("interface",)}, "to", "only sources become"),
        ("translate_to", "vessel-gate/a", {"port": "8000-8010"}, "port", "one range as long, of 11 ports"),
        ("translate_to", "vessel-gate/a", {"port": "70000"}, "port", "from 1 to 65535"),
        ("translate_to", "vessel-gate/a", {"service": ("icmp/8",)}, "port", "no ports"),
        ("translate_to", "vessel-gate/a", {"entering": ("moon",)}, "entering[0]", "is called 'moon'"),
        ("translate_to", "vessel-gate/a", {"source": ()}, "source", "name at least one member"),
        ("translate_from", "vessel-gate/a", {"to": ("any",)}, "to", "any is no address"),
        ("steering", "vessel-gate/by radio", {"leave": "moon"}, "leave", "is called 'moon'"),
        ("steering", "vessel-gate/by radio", {"leave": None}, "leave", "names the interface it leaves by"),
        ("steering", "vessel-gate/by radio", {"via": "10.0.0.0/30"}, "via", "more than one address"),
        ("steering", "vessel-gate/by radio", {"via": "fe80::1", "leave": None}, "via", "link-local"),
        ("steering", "vessel-gate/by radio", {"schedule": "nights"}, "schedule", "no schedule is called"),
        (
            "device",
            "vessel-gate",
            {"filtering": "stateless"},
            "translate_destination[a]",
            "remembers no conversation",
        ),
    ],
)
def test_bad_ground_is_refused_at_its_place(  # type: ignore[no-untyped-def]
    desk: Desk, kind, name, values, path, message
) -> None:
    for act in LISTS[:6] if kind.startswith(("translate", "steering")) or "filtering" in values else ():
        act(desk)
    before = desk.read()
    with pytest.raises(Refused) as refused:
        put(desk, kind, name, **values)
    assert path in [p.place for p in refused.value.problems]
    assert message in str(refused.value)
    assert desk.read() == before


def test_a_vlan_stands_once_on_a_parent(desk: Desk) -> None:
    gate = id_of(desk, "device", "vessel-gate")
    tagged = Interface(name="radio.12", kind="vlan", parent="radio", vlan=12)
    desk.act(lambda d: acts.add_thing(d, tagged, parent_id=gate))
    with pytest.raises(Refused, match=r"radio\.12 has VLAN 12 on radio already"):
        desk.act(lambda d: acts.add_thing(d, replace(tagged, name="other"), parent_id=gate))
    with pytest.raises(Refused, match="carries no VLANs"):
        desk.act(lambda d: acts.add_thing(d, replace(tagged, name="deep", parent="radio.12"), parent_id=gate))


# --- sections and acts on several rules ----------------------------------------------------------------------


def headed(desk: Desk) -> list[tuple[str, str | None]]:
    return [(s.name, s.before) for s in desk.read().network.policies[0].sections]


def rule(name: str) -> Rule:
    return Rule(name=name, action="drop", source=("petrel",), destination=("any",), service=("any",))


def test_a_section_keeps_its_place_as_rules_come_and_go(desk: Desk) -> None:
    policy, keys = desk.policy_id, desk.keys()
    sea = desk.act(lambda d: acts.add_section(d, policy, Section(name="sea"), keys[2].id))
    desk.act(lambda d: acts.add_section(d, policy, Section(name="last"), None))
    assert headed(desk) == [("sea", "bridge"), ("last", None)]
    desk.act(lambda d: acts.add_rule(d, policy, rule("first of sea"), Place(keys[1].id, keys[2].id)))
    assert headed(desk)[0] == ("sea", "first of sea")
    desk.act(lambda d: acts.add_rule(d, policy, rule("last before sea"), Place(keys[1].id, None)))
    assert headed(desk)[0] == ("sea", "first of sea")
    desk.act(lambda d: acts.move_rule(d, policy, keys[0].id, 1, Place(keys[5].id, None)))
    assert headed(desk) == [("sea", "first of sea"), ("last", None)]
    with pytest.raises(Refused, match="another section"):
        desk.act(lambda d: acts.add_section(d, policy, Section(name="SEA"), keys[4].id))
    desk.act(lambda d: acts.change_section(d, policy, sea, 1, Section(name="the sea", description="x")))
    with pytest.raises(Conflict):
        desk.act(lambda d: acts.delete_section(d, policy, sea, 1))
    desk.act(lambda d: acts.delete_section(d, policy, sea, 2))
    assert headed(desk) == [("last", None)]
    for _ in range(3):
        desk.act(lambda d: acts.undo(d))
    assert headed(desk)[0] == ("sea", "first of sea")


def test_one_act_on_several_rules_is_one_step(desk: Desk) -> None:
    policy, before = desk.policy_id, desk.read()
    keys = desk.keys()
    chosen = [(keys[i].id, 1) for i in (0, 2, 4)]
    desk.act(lambda d: acts.change_rules(d, policy, chosen, "disable"))
    assert [r.enabled for r in desk.read().network.policies[0].rules] == [False, True] * 3
    again = [(i, 2) for i, _ in chosen]
    desk.act(lambda d: acts.change_rules(d, policy, again, "move", place=Place(keys[5].id, None)))
    assert desk.names()[-3:] == ["no-petrel", "bridge", "wide-feed"]
    third = [(i, 3) for i, _ in chosen]
    desk.act(lambda d: acts.change_rules(d, policy, third, "add member", field="source", member="10.44.9.9"))
    assert all("10.44.9.9" in r.source for r in desk.read().network.policies[0].rules[-3:])
    fourth = [(i, 4) for i, _ in chosen]
    with pytest.raises(Refused, match="no address is called"):
        desk.act(
            lambda d: acts.change_rules(d, policy, fourth, "add member", field="source", member="nowhere")
        )
    with pytest.raises(Conflict):
        desk.act(lambda d: acts.change_rules(d, policy, [*fourth[:2], third[2]], "delete"))
    assert len(desk.keys()) == 6
    desk.act(lambda d: acts.change_rules(d, policy, fourth, "delete"))
    assert desk.names() == ["sensors", "no-feed", "otherwise-logged"]
    for _ in range(4):
        desk.act(lambda d: acts.undo(d))
    assert desk.read().network == before.network


def test_removing_the_last_member_of_a_field_is_refused(desk: Desk) -> None:
    key = desk.keys()[0]
    with pytest.raises(Refused, match="at least one member"):
        desk.act(
            lambda d: acts.change_rules(
                d, desk.policy_id, [(key.id, 1)], "remove member", field="source", member="petrel"
            )
        )


# --- many hands ----------------------------------------------------------------------------------------------

CLIENTS, EDITS = 8, 24


def test_eight_clients_at_once_lose_nothing(desk: Desk, rng: random.Random) -> None:
    """Interleaved edits of rules and names (1,000 over the API are in the long run): what was acknowledged is there once, the rest was told."""
    seeds = [rng.random() for _ in range(CLIENTS)]

    def client(number: int) -> tuple[dict[str, str], set[str], int]:
        own = random.Random(seeds[number])
        rules: dict[str, str] = {}
        names: set[str] = set()
        told = 0
        for step in range(EDITS):
            try:
                _edit(desk, own, f"c{number}-{step}", rules, names)
            except (Conflict, NotFound, Refused):
                told += 1
        return rules, names, told

    with ThreadPoolExecutor(CLIENTS) as pool:
        results = list(pool.map(client, range(CLIENTS)))
    stored = desk.read()
    found = {r.name: r.description for r in stored.network.policies[0].rules}
    assert len(found) == len(stored.network.policies[0].rules)
    for rules, names, _ in results:
        assert rules.items() <= found.items()
        assert names <= {a.name for a in stored.network.addresses}
    assert stored.revision == CLIENTS * EDITS - sum(told for _, _, told in results)


def _edit(desk: Desk, own: random.Random, word: str, rules: dict[str, str], names: set[str]) -> None:
    with desk.sessions.begin() as session:
        stored = desk.cache.open(session, desk.id).stored
    policy, keys = stored.network.policies[0], stored.rules[desk.policy_id]
    what = own.random()
    if what < 0.3:
        at = own.randrange(len(keys))
        desk.act(lambda d: acts.add_rule(d, desk.policy_id, rule(word), Place(None, keys[at].id)))
        rules[word] = ""
    elif what < 0.5:
        moving, target = own.sample(keys, 2)
        desk.act(lambda d: acts.move_rule(d, desk.policy_id, moving.id, moving.ver, Place(target.id, None)))
    elif what < 0.75 and rules:
        name = own.choice(sorted(rules))
        index = next(i for i, r in enumerate(policy.rules) if r.name == name)
        written = replace(policy.rules[index], description=word)
        desk.act(lambda d: acts.change_rule(d, desk.policy_id, keys[index].id, keys[index].ver, written))
        rules[name] = word
    else:
        desk.act(lambda d: acts.add_thing(d, AddressObject(name=word, members=("petrel", "10.44.9.9"))))
        names.add(word)
