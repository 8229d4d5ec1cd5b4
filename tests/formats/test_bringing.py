"""Ground brought in from CSV and from a device's own document."""

from __future__ import annotations

import json

import pytest

from sarvex.core.meaning.check import problems
from sarvex.core.model.differences import Difference, differences
from sarvex.core.model.records import Network, Route
from sarvex.formats import device_yang, ground_csv
from sarvex.formats.document import InvalidDocument


def told(error: pytest.ExceptionInfo[InvalidDocument]) -> list[str]:
    return [str(p) for p in error.value.problems]


def test_segments_and_hosts_from_csv(merrow: Network) -> None:
    text = "Segment,prefixes,vlan,outside\nhangar,10.44.190.0/24;fd00:44:190::/64,190,no\nKIOSKS,10.44.10.0/24,111,\n"
    first = ground_csv.bring(text, merrow)
    assert differences(merrow, first) == [
        Difference("segments", "kiosks", "changed", ("vlan",)),
        Difference("segments", "hangar", "added"),
    ]
    hosts = "host,addresses,segment,traits,held\ncrane,10.44.190.9,hangar,kind crane; pier dock,reserved\n"
    second = ground_csv.bring(hosts, first)
    assert not problems(second)
    crane = second.hosts[-1]
    assert (crane.segment, crane.traits, crane.held) == ("hangar", ("kind crane", "pier dock"), "reserved")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("name,prefix\nx,y\n", "row 1: the header names a column host, or segment"),
        ("segment,colour\nx,red\n", "no such column; there are segment, prefixes"),
        ("host,segment\nx,y\n", "row 1: the column addresses is missing"),
        ("segment,vlan\nx,red\n", "'red' is no VLAN id"),
        ("segment,outside\nx,maybe\n", "'maybe': write yes or no"),
        ("segment,vlan\nx\n", "row 2: has more or fewer cells than the header"),
        ("segment\nx\nX\n", "row 3: X stands in row 2 already"),
        ('segment\n"x\n', "row"),
        ("host,segment,addresses,held\nx,y,z,owned\n", "an address is held fixed, reserved, leased"),
    ],
)
def test_bad_rows_are_told_where_they_are(merrow: Network, text: str, says: str) -> None:
    with pytest.raises(InvalidDocument) as error:
        ground_csv.bring(text, merrow)
    assert says in told(error)[0]


def device() -> dict:  # type: ignore[type-arg]
    return {
        "ietf-interfaces:interfaces": {
            "interface": [
                {
                    "name": "ring", "type": "iana-if-type:ethernetCsmacd", "oper-status": "up",
                    "ietf-ip:ipv4": {"address": [{"ip": "10.44.250.9", "prefix-length": 28}]},
                    "ietf-ip:ipv6": {"address": [{"ip": "fe80::1", "prefix-length": 64}]},
                },
                {
                    "name": "crane", "type": "iana-if-type:l3ipvlan", "description": "to the cranes",
                    "ietf-ip:ipv4": {"address": [{"ip": "10.44.190.1", "netmask": "255.255.255.0"}]},
                },
                {"name": "spare", "type": "iana-if-type:ethernetCsmacd", "enabled": False},
                {
                    "name": "self", "type": "iana-if-type:softwareLoopback",
                    "ietf-ip:ipv4": {"address": [{"ip": "10.44.255.9", "prefix-length": 32}]},
                },
            ]
        },
        "ietf-routing:routing": {
            "control-plane-protocols": {
                "control-plane-protocol": [
                    {
                        "type": "ietf-routing:static", "name": "by hand",
                        "static-routes": {
                            "ietf-ipv4-unicast-routing:ipv4": {
                                "route": [
                                    {
                                        "destination-prefix": "0.0.0.0/0",
                                        "next-hop": {"next-hop-address": "10.44.250.1"},
                                    }
                                ]
                            },
                            "ietf-ipv6-unicast-routing:ipv6": {
                                "route": [
                                    {
                                        "destination-prefix": "::/0",
                                        "next-hop": {"next-hop-address": "fe80::9", "outgoing-interface": "ring"},
                                    },
                                    {"destination-prefix": "fd00::/8", "next-hop": {"special-next-hop": "blackhole"}},
                                ]
                            },
                        },
                    }
                ]
            }
        },
    }  # fmt: skip


def test_a_device_from_its_own_document(merrow: Network) -> None:
    brought = device_yang.bring(json.dumps(device()), merrow, "hangar-lock")
    assert not problems(brought.network)
    made = brought.network.devices[-1]
    assert [(i.name, i.segment, i.addresses, i.kind) for i in made.interfaces] == [
        ("ring", "backbone", ("10.44.250.9", "fe80::1"), "physical"),
        ("crane", "net-10-44-190-0-24", ("10.44.190.1",), "physical"),
        ("self", None, ("10.44.255.9",), "loopback"),
    ]
    assert made.routes == (
        Route(prefix="0.0.0.0/0", via="10.44.250.1"),
        Route(prefix="::/0", via="fe80::9", interface="ring"),
        Route(prefix="fd00::/8", discard=True),
    )
    assert [n for n in brought.notes if "VLAN id" in n or "disabled" in n or "better name" in n] == [
        "no segment lists 10.44.190.0/24; net-10-44-190-0-24 is made for it, give it a better name",
        "crane is a VLAN's, but its VLAN id is not in the document",
        "spare is disabled there and left out",
    ]


def test_a_known_device_keeps_what_the_document_cannot_tell(merrow: Network) -> None:
    brought = device_yang.bring(json.dumps(device()), merrow, "Southpier-Lock")
    lock = next(d for d in brought.network.devices if d.name == "southpier-lock")
    old = next(d for d in merrow.devices if d.name == "southpier-lock")
    assert lock.policies == old.policies
    ring = lock.interfaces[0]
    assert (ring.zone, ring.addresses) == ("sites", ("10.44.250.9", "fe80::1"))
    assert {i.name for i in old.interfaces} <= {i.name for i in lock.interfaces}
    assert not problems(brought.network)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d.update({"ietf-system:system": {}}), "ietf-system:system: is not read"),
        (lambda d: d.pop("ietf-interfaces:interfaces"), "RFC 8343"),
        (
            lambda d: d["ietf-interfaces:interfaces"]["interface"][0].update(type="iana-if-type:atm"),
            "interface[ring]/type: atm is not read",
        ),
        (
            lambda d: d["ietf-interfaces:interfaces"]["interface"][0].update({"ietf-acl:acl": 1}),
            "interface[ring]/ietf-acl:acl: is not read",
        ),
        (
            lambda d: d["ietf-interfaces:interfaces"]["interface"][0]["ietf-ip:ipv4"]["address"][0].update(
                ip="x"
            ),
            "address[x]",
        ),
        (
            lambda d: d["ietf-interfaces:interfaces"]["interface"][0].pop("name"),
            "an interface needs its name",
        ),
    ],
)
def test_what_is_not_understood_is_refused_by_path(merrow: Network, change, says: str) -> None:  # type: ignore[no-untyped-def]
    data = device()
    change(data)
    with pytest.raises(InvalidDocument) as error:
        device_yang.bring(json.dumps(data), merrow, "hangar-lock")
    assert any(says in line for line in told(error)), told(error)


def test_nonsense_is_refused(merrow: Network) -> None:
    for text, name in (("{", "x"), ("[]", "x"), (json.dumps(device()), " ")):
        with pytest.raises(InvalidDocument):
            device_yang.bring(text, merrow, name)
