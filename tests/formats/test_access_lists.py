"""RFC 8519 lists against an interpreter of their own, out and in again, and everything that is wrong with them."""

from __future__ import annotations

import copy
import ipaddress
import json
import random
from typing import Any

import oracle
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from sarvex.core.meaning.names import Names
from sarvex.core.model.problems import MOST_PROBLEMS, few
from sarvex.core.model.records import Network, Policy, Segment, ServiceObject
from sarvex.formats import access_lists
from sarvex.formats.document import InvalidDocument

NAMES = Names(Network(name="empty"))
VERDICT = {"accept": "allow", "drop": "drop", "reject": "reject"}


def matched(matches: dict[str, Any], p: oracle.Packet) -> bool:
    """Whether an entry's `matches` hold for a packet, straight from the words of the standard."""
    for key, data in matches.items():
        if key in ("ipv4", "ipv6"):
            if p.family != int(key[-1]) or ("protocol" in data and data["protocol"] != p.proto):
                return False
            for end, value in (("source", p.src), ("destination", p.dst)):
                prefix = data.get(f"{end}-{key}-network")
                if prefix and not _in(prefix, p.family, value):
                    return False
        elif key == "icmp":
            if p.proto != {4: 1, 6: 58}[p.family]:
                return False
            if data.get("type", p.first) != p.first or data.get("code", p.second) != p.second:
                return False
        else:
            if p.proto != {"tcp": 6, "udp": 17}[key]:
                return False
            for end, port in (("source-port", p.first), ("destination-port", p.second)):
                if end in data and not _port_in(data[end], port):
                    return False
    return True


def _in(prefix: str, family: int, value: int) -> bool:
    net = ipaddress.ip_network(prefix, strict=False)
    return net.version == family and value >> (net.max_prefixlen - net.prefixlen) == int(
        net.network_address
    ) >> (net.max_prefixlen - net.prefixlen)


def _port_in(data: dict[str, Any], port: int) -> bool:
    if "lower-port" in data:
        return bool(data["lower-port"] <= port <= data["upper-port"])
    limit = data["port"]
    told = {"eq": port == limit, "neq": port != limit, "lte": port <= limit, "gte": port >= limit}
    return told[data.get("operator", "eq")]


def verdict(acl: dict[str, Any], p: oracle.Packet) -> tuple[str, str | None]:
    for ace in acl["aces"]["ace"]:
        if matched(ace.get("matches", {}), p):
            return VERDICT[ace["actions"]["forwarding"].split(":")[-1]], ace["name"]
    return "drop", None


def random_lists(rng: random.Random) -> dict[str, Any]:
    v4 = ["10.44.0.0/29", "10.44.0.4/30", "10.44.0.1/32", "0.0.0.0/0", "10.44.0.3/30"]
    v6 = ["fd00:44::/126", "fd00:44::1/128", "::/0"]
    kind = rng.choice([None, "ipv4-acl-type", "ipv6-acl-type", "mixed-eth-ipv4-ipv6-acl-type"])

    def port() -> dict[str, Any]:
        if rng.random() < 0.5:
            return {"lower-port": rng.choice([0, 440, 443]), "upper-port": rng.choice([443, 445, 65535])}
        made: dict[str, Any] = {"port": rng.choice([53, 443, 0, 65535])}
        if rng.random() < 0.7:
            made["operator"] = rng.choice(["eq", "neq", "lte", "gte"])
        return made

    def ace(number: int) -> dict[str, Any]:
        matches: dict[str, Any] = {}
        family = {"ipv4-acl-type": 4, "ipv6-acl-type": 6}.get(kind or "", rng.choice([4, 6]))
        layer4 = rng.choice(["tcp", "udp", "icmp", None])
        if rng.random() < 0.7:
            pool = v4 if family == 4 else v6
            layer: dict[str, Any] = {}
            for end in ("source", "destination"):
                if rng.random() < 0.6:
                    layer[f"{end}-ipv{family}-network"] = rng.choice(pool)
            if not layer or rng.random() < 0.3:
                own = {"tcp": 6, "udp": 17, "icmp": {4: 1, 6: 58}[family]}
                layer["protocol"] = own.get(layer4 or "", rng.choice([6, 17, 1, 58, 47]))
            matches[f"ipv{family}"] = layer
        if layer4 == "icmp":
            matches["icmp"] = rng.choice([{"type": 8}, {"type": 3, "code": 4}, {"code": 1}, {"type": 255}])
        elif layer4:
            ends = rng.sample(["source-port", "destination-port"], rng.choice([1, 1, 2]))
            matches[layer4] = {end: port() for end in ends}
        action = rng.choice(["accept", "accept", "drop", "reject"])
        made = {"name": f"e{number}", "actions": {"forwarding": f"ietf-access-control-list:{action}"}}
        if matches or rng.random() < 0.5:
            made["matches"] = matches
        return made

    acl: dict[str, Any] = {"name": "list", "aces": {"ace": [ace(i) for i in range(rng.randint(1, 6))]}}
    if kind:
        acl["type"] = kind if rng.random() < 0.5 else f"ietf-access-control-list:{kind}"
    return {access_lists.ROOT: {"acl": [acl]}}


@pytest.mark.parametrize("round_", range(10))
def test_lists_mean_what_the_standard_says(round_: int, rng: random.Random) -> None:
    data = random_lists(rng)
    policy = access_lists.read(copy.deepcopy(data)).network.policies[0]
    acl = data[access_lists.ROOT]["acl"][0]
    every = oracle.packets(policy)
    for p in rng.sample(every, min(len(every), 3000)):
        if policy.families not in ("both", str(p.family)):
            continue
        found = oracle.decide(policy, p)
        rule = None if found is None else policy.rules[found]
        assert (rule.action if rule else "drop", rule.name if rule else None) == verdict(acl, p), p


@pytest.mark.parametrize("round_", range(4))
def test_a_policy_written_and_read_again_keeps_every_verdict(round_: int, rng: random.Random) -> None:
    made = oracle.random_policy(rng, 7)
    rules = tuple(
        r.__class__(
            **{
                **r.__dict__,
                "states": (),
                "service": tuple(s for s in r.service if "sctp" not in s) or ("tcp",),
            }
        )
        for r in made.rules
    )
    policy = Policy(
        name="p", default=rng.choice(["drop", "allow", "reject"]), families=made.families, rules=rules
    )
    text, notes = access_lists.write((policy,), NAMES)
    again = access_lists.read(json.loads(text)).network.policies[0]
    every = oracle.packets(policy)
    # A negation can become thousands of entries, each of which this model looks at for each packet.
    for p in rng.sample(every, min(len(every), 3000, 600_000 // max(1, len(again.rules)))):
        if policy.families not in ("both", str(p.family)):
            continue
        before, after = oracle.decide(policy, p), oracle.decide(again, p)
        name = None if before is None else policy.rules[before].name
        then = None if after is None else again.rules[after]
        action = policy.default if before is None else policy.rules[before].action
        assert (then.action if then else "drop") == action, p
        if name:
            assert then is not None and then.name.partition("~")[0] == name
            assert then.log == policy.rules[before or 0].log
    assert len(notes) >= sum(not r.enabled for r in rules)


def good() -> dict[str, Any]:
    return {
        access_lists.ROOT: {
            "acl": [
                {
                    "name": "ramp",
                    "type": "ipv4-acl-type",
                    "aces": {
                        "ace": [
                            {
                                "name": "desk",
                                "matches": {
                                    "ipv4": {"source-ipv4-network": "10.44.0.0/24", "protocol": 6},
                                    "tcp": {"destination-port": {"operator": "eq", "port": 443}},
                                },
                                "actions": {"forwarding": "accept"},
                            }
                        ]
                    },
                }
            ],
            "attachment-points": {
                "interface": [
                    {"interface-id": "quay0", "ingress": {"acl-sets": {"acl-set": [{"name": "ramp"}]}}}
                ]
            },
        }
    }


ACE = "acls/acl[ramp]/aces/ace[desk]"


def ace(data: dict[str, Any]) -> dict[str, Any]:
    made: dict[str, Any] = data[access_lists.ROOT]["acl"][0]["aces"]["ace"][0]
    return made


@pytest.mark.parametrize(
    ("spoil", "path", "says"),
    [
        (lambda d: ace(d)["matches"]["ipv4"].update(dscp=3), f"{ACE}/matches/ipv4/dscp", "not modelled"),
        (lambda d: ace(d)["matches"]["tcp"].update(flags="syn"), f"{ACE}/matches/tcp/flags", "not modelled"),
        (lambda d: ace(d)["matches"].update(eth={"ethertype": 5}), f"{ACE}/matches/eth", "not modelled"),
        (lambda d: ace(d)["matches"].update(tcp={}), f"{ACE}/matches/tcp", "is empty"),
        (lambda d: ace(d)["matches"].update(ipv4={}), f"{ACE}/matches/ipv4", "is empty"),
        (lambda d: ace(d)["matches"].update(udp={"source-port": {"port": 1}}), f"{ACE}/matches/udp", "not tcp as well"),
        (lambda d: ace(d)["matches"]["ipv4"].update(protocol=17), f"{ACE}/matches/ipv4/protocol", "contradicts tcp"),
        (lambda d: ace(d)["matches"]["ipv4"].update(protocol="tcp"), f"{ACE}/matches/ipv4/protocol", "a number"),
        (lambda d: ace(d)["matches"]["ipv4"].update(protocol=True), f"{ACE}/matches/ipv4/protocol", "a number"),
        (lambda d: ace(d)["matches"]["ipv4"].update({"source-ipv4-network": "fd00::/8"}), f"{ACE}/matches/ipv4/source-ipv4-network", "is of IPv6"),
        (lambda d: ace(d)["matches"]["ipv4"].update({"source-ipv4-network": "10.44.0.0/255.255.0.0"}), f"{ACE}/matches/ipv4/source-ipv4-network", "prefix is expected"),
        (lambda d: ace(d)["matches"]["ipv4"].update({"source-ipv4-network": "10.44.0.0/33"}), f"{ACE}/matches/ipv4/source-ipv4-network", "prefix is expected"),
        (lambda d: ace(d)["matches"].update(ipv6={"protocol": 6}), f"{ACE}/matches/ipv6", "IPv4 and IPv6 at once"),
        (lambda d: ace(d)["matches"]["tcp"].update({"destination-port": {"lower-port": 1, "upper-port": 2, "port": 3}}), f"{ACE}/matches/tcp/destination-port", "one of the two forms"),
        (lambda d: ace(d)["matches"]["tcp"].update({"destination-port": {"lower-port": 9, "upper-port": 2}}), f"{ACE}/matches/tcp/destination-port", "reversed"),
        (lambda d: ace(d)["matches"]["tcp"].update({"destination-port": {"lower-port": 9}}), f"{ACE}/matches/tcp/destination-port", "both"),
        (lambda d: ace(d)["matches"]["tcp"].update({"destination-port": {"operator": "eq"}}), f"{ACE}/matches/tcp/destination-port/port", "missing"),
        (lambda d: ace(d)["matches"]["tcp"].update({"destination-port": {"operator": "between", "port": 3}}), f"{ACE}/matches/tcp/destination-port/operator", "none of eq"),
        (lambda d: ace(d)["matches"]["tcp"].update({"destination-port": {}}), f"{ACE}/matches/tcp/destination-port", "is empty"),
        (lambda d: ace(d)["matches"]["tcp"].update({"destination-port": {"port": 65536}}), f"{ACE}/matches/tcp/destination-port/port", "0 to 65535"),
        (lambda d: ace(d)["matches"]["tcp"].update({"destination-port": {"port": 4.5}}), f"{ACE}/matches/tcp/destination-port/port", "0 to 65535"),
        (lambda d: ace(d)["actions"].update(forwarding="permit"), f"{ACE}/actions/forwarding", "none of accept"),
        (lambda d: ace(d).pop("actions"), f"{ACE}/actions/forwarding", "missing"),
        (lambda d: ace(d)["actions"].update(logging="always"), f"{ACE}/actions/logging", "none of log-syslog"),
        (lambda d: ace(d).update(remark="x"), f"{ACE}/remark", "not modelled"),
        (lambda d: ace(d).update(matches=[]), f"{ACE}/matches", "an object is expected, not a list"),
        (lambda d: ace(d).update(name=""), "acls/acl[ramp]/aces/ace[1]/name", "1 to 64"),
        (lambda d: d[access_lists.ROOT]["acl"][0]["aces"]["ace"].append(ace(d)), ACE, "twice"),
        (lambda d: d[access_lists.ROOT]["acl"].append(d[access_lists.ROOT]["acl"][0]), "acls/acl[ramp]", "twice"),
        (lambda d: d[access_lists.ROOT]["acl"][0].update(type="eth-acl-type"), "acls/acl[ramp]/type", "none of ipv4-acl-type"),
        (lambda d: d[access_lists.ROOT]["acl"][0].update(type="ipv6-acl-type"), f"{ACE}/matches/ipv4", "does not admit"),
        (lambda d: d[access_lists.ROOT]["acl"][0].update(aces={"ace": {}}), "acls/acl[ramp]/aces/ace", "a list is expected"),
        (lambda d: d[access_lists.ROOT].update(more=1), "acls/more", "not modelled"),
        (lambda d: d.update(other=1), "other", "not read here"),
        (lambda d: d[access_lists.ROOT]["attachment-points"]["interface"][0]["ingress"]["acl-sets"]["acl-set"].append({"name": "none"}), "acls/attachment-points/interface[quay0]/ingress/acl-sets/acl-set[none]", "no list of this name"),
        (lambda d: d[access_lists.ROOT]["attachment-points"]["interface"][0].pop("interface-id"), "acls/attachment-points/interface[1]/interface-id", "needed"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_refused_with_its_path(spoil, path: str, says: str) -> None:  # type: ignore[no-untyped-def]
    data = good()
    access_lists.read(copy.deepcopy(data))
    spoil(data)
    with pytest.raises(InvalidDocument) as refused:
        access_lists.read(data)
    assert any(str(p).startswith(f"{path}: ") and says in p.message for p in refused.value.problems), str(
        refused.value
    )


def test_host_bits_reserved_names_and_counters_are_noted() -> None:
    data = good()
    ace(data).update(name="default", statistics={"matched-packets": "3"})
    ace(data)["matches"]["ipv4"]["source-ipv4-network"] = "10.44.0.9/24"
    lists = access_lists.read(data)
    assert lists.network.policies[0].rules[0].name == "default~1"
    assert lists.network.policies[0].rules[0].source == ("10.44.0.0/24",)
    assert [n.split(": ")[1].split()[0] for n in lists.notes] == ["is", "counters", "10.44.0.9/24"]


def test_of_lists_at_one_place_all_but_the_last_go_on() -> None:
    data = good()
    second = copy.deepcopy(data[access_lists.ROOT]["acl"][0])
    second["name"] = "second"
    data[access_lists.ROOT]["acl"].append(second)
    data[access_lists.ROOT]["attachment-points"]["interface"][0]["ingress"]["acl-sets"]["acl-set"].append(
        {"name": "second"}
    )
    network = access_lists.read(data).network
    assert [(p.name, p.default) for p in network.policies] == [("ramp", "continue"), ("second", "drop")]
    assert [(a.policy, a.stage, a.entering) for a in network.devices[0].policies] == [
        ("ramp", "inbound", ("quay0",)),
        ("second", "inbound", ("quay0",)),
    ]


def test_names_are_recognised_when_lists_are_brought_in() -> None:
    network = Network(
        name="n",
        segments=(Segment(name="kiosks", prefixes=("10.44.0.0/24",)),),
        services=(ServiceObject(name="https", members=("tcp/443",)),),
    )
    lists = access_lists.bring(json.dumps(good()), network)
    rule = lists.network.policies[0].rules[0]
    assert (rule.source, rule.destination, rule.service) == (("kiosks",), ("any",), ("https",))
    assert lists.notes == ["acls/attachment-points/interface[quay0]: attach ramp yourself, inbound"]
    assert access_lists.bring(json.dumps(good()), lists.network).network == lists.network


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"states": ("new",)}, "connection states"),
        ({"service": ("sctp/36412",)}, "no ports for protocol 132"),
        ({"name": "x" * 65}, "at most 64"),
    ],
)
def test_what_lists_cannot_say_is_refused(change: dict[str, Any], says: str) -> None:
    rule = access_lists.read(good()).network.policies[0].rules[0]
    policy = Policy(name="p", default="drop", rules=(rule.__class__(**{**rule.__dict__, **change}),))
    with pytest.raises(InvalidDocument, match=says):
        access_lists.write((policy,), NAMES)


def test_of_very_many_faults_the_first_are_told_and_how_many_more() -> None:
    made = good()
    acl = made[access_lists.ROOT]["acl"][0]
    acl["aces"]["ace"] = [{"name": f"e{i}", "actions": {"forwarding": "perhaps"}} for i in range(300)]
    with pytest.raises(InvalidDocument) as found:
        access_lists.read(made)
    told = found.value.problems
    assert len(told) == MOST_PROBLEMS and few(told) == told
    assert told[-1].message.endswith("more problems") and "perhaps" in told[0].message
    assert int(told[-1].message.split()[0]) >= 300 - (MOST_PROBLEMS - 1)


_LEAVES = (
    st.none() | st.booleans() | st.integers(-1, 70000) | st.sampled_from(["x", "10.44.0.0/24", "accept", ""])
)


def _within(inner: st.SearchStrategy[Any]) -> st.SearchStrategy[Any]:
    keys = st.sampled_from(["name", "ipv4", "port"])
    return st.lists(inner, max_size=3) | st.dictionaries(keys, inner, max_size=3)


_JSON = _LEAVES | _within(_LEAVES | _within(_LEAVES))


@settings(max_examples=300, deadline=None)
@given(st.data())
def test_any_value_anywhere_is_read_or_refused(data: st.DataObject) -> None:
    """One element of a good document replaced by anything: never an unhandled error."""
    made = good()
    places: list[tuple[Any, Any]] = []

    def walk(node: Any) -> None:
        for key in node if isinstance(node, dict) else range(len(node)) if isinstance(node, list) else ():
            places.append((node, key))
            walk(node[key])

    walk(made)
    node, key = data.draw(st.sampled_from(places))
    node[key] = data.draw(_JSON)
    try:
        access_lists.read(made)
    except InvalidDocument as error:
        assert error.problems and all(p.place for p in error.problems)
