"""A plan in many shapes becomes the same network; every line is told; and what begins is closed but for what was wanted."""

from __future__ import annotations

import random
import re
import string

import pytest

from sarvex.core.forwarding.walk import Question, trace
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network
from sarvex.core.sets import services
from sarvex.formats import document
from sarvex.formats.first_network import Answers, First, first_network
from sarvex.formats.plan_text import read

EMPTY = Network(name="Quay Lab")
FOUR = [("staff", 10, "10.9.10.0/24", "workplaces"), ("guests", 20, "10.9.20.0/24", "visitors"), ("srv", 30, "10.9.30.0/24", "inside"), ("printers", 40, "10.9.40.0/26", "workplaces")]  # fmt: skip
NETMASK = {24: "255.255.255.0", 26: "255.255.255.192"}
INVERSE = {24: "0.0.0.255", 26: "0.0.0.63"}


def parts(prefix: str) -> tuple[str, int]:
    address, _, length = prefix.partition("/")
    return address, int(length)


def rows_of(form: str) -> str:
    return "\n".join(
        form.format(n=n, v=v, p=p, z=z, a=parts(p)[0], m=NETMASK[parts(p)[1]], i=INVERSE[parts(p)[1]])
        for n, v, p, z in FOUR
    )


SHAPES = {
    "columns by blanks": rows_of("{n}    {v}   {p}   {z}"),
    "single blanks": rows_of("{n} {v} {p} {z}"),
    "a sheet": "Segment\tVLAN\tSubnet\tZone\n" + rows_of("{n}\t{v}\t{p}\t{z}"),
    "a sheet, other order, a mask": "Zone;VLAN ID;Network;Netmask;Name\n" + rows_of("{z};{v};{a};{m};{n}"),
    "commas": "name,vlan,cidr,zone,comment\n" + rows_of("{n},{v},{p},{z},what it is"),
    "bars": "| name | vlan | prefix | zone |\n" + rows_of("| {n} | {v} | {p} | {z} |"),
    "words": rows_of("vlan {v} {n} {p} zone {z}"),
    "a mask behind": rows_of("{n} vlan{v} {a} {m} {z}"),
    "an inverse mask": rows_of("{n} {v} {a} {i} {z}"),
    "remarks": "# the plan of 2026\n\n" + rows_of("{n} {v} {p} {z}   # as built"),
}


@pytest.mark.parametrize("text", SHAPES.values(), ids=SHAPES)
def test_ten_shapes_of_one_plan_are_understood_without_correction(text: str) -> None:
    rows = read(text)
    assert not [r for r in rows if r.problem], [(r.text, r.problem) for r in rows]
    first = first_network(EMPTY, rows, Answers())
    told = {s.name: (s.vlan, s.prefixes) for s in first.network.segments if not s.outside}
    assert told == {n: (v, (p,)) for n, v, p, _ in FOUR}
    zones = {i.segment: i.zone for i in first.network.devices[0].interfaces}
    assert {n: z for n, _, _, z in FOUR}.items() <= zones.items()
    assert first.zones == ("outside", "visitors", "workplaces", "inside") and not first.problems


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("staff 10 10.9.10.0/24\nlab 4099 10.9.11.0/24\nvlan 0 x 10.9.12.0/24", [None, "4099 is no VLAN id", "0 is no VLAN id"]),
        ("name;prefix\nstaff;10.9.10.0/24\nlab;10.9.11.0/24;extra\nodd;10.9.300.0/24", [None, None, "more cells", "10.9.300.0/24 is no address"]),
        ("staff 10.9.10.0/24\nstaff 10.9.11.0/24\nagain 10.9.10.0/24", [None, "staff stands in line 1", "10.9.10.0/24 is staff in line 1"]),
        ("staff 10.9.10.0/24 gw 10.9.11.1\nfiles 10.8.0.7\nhello world", ["the gateway 10.9.11.1 is not in", "10.8.0.7 is in no segment", "neither a prefix nor an address"]),
        ("staff 10.9.10.0/24\nfiles 10.9.10.300\nlock 10.9.10.1 10.9.10.2.3", [None, "10.9.10.300 is no address", "10.9.10.2.3 is no address"]),
    ],
)  # fmt: skip
def test_of_broken_plans_every_line_is_told(text: str, told: list[str | None]) -> None:
    rows = read(text)
    assert len(rows) == len(told)
    for row, wanted in zip(rows, told, strict=True):
        assert (wanted is None and not row.problem and row.words) or (wanted and wanted in row.problem), (
            row.text,
            row.words,
            row.problem,
        )


def test_no_line_is_ever_dropped_and_nothing_breaks(rng: random.Random) -> None:
    """Any mixture: a line comes out as understood or as told; what is built from it is sound or says what is wrong."""
    pieces = ["staff", "10", "10.9.10.0/24", "fd44:1::/64", "10.9.10.1", "10.9.10.1/24", "255.255.255.0", "0.0.0.255", "internet", "vlan 7", "gw 10.9.10.1", "via", "default", "zone", "a b", "…", '"', "300.1.1.1", "10.9.10.0/33", "::", "1:2", ".", "/", "0.0.0.0/0", "lock"]  # fmt: skip
    marks = [" ", "   ", "\t", ";", ",", "|"]
    built = 0
    for _ in range(400):
        lines = [
            rng.choice(marks).join(
                rng.choice([*pieces, "".join(rng.choices(string.printable[:95], k=4)).replace("#", "")])
                for _ in range(rng.randint(1, 6))
            )
            for _ in range(rng.randint(1, 5))
        ]
        text = "\n".join(lines)
        rows = read(text)
        assert len(rows) == sum(1 for line in text.splitlines() if line.partition("#")[0].strip())
        assert all(row.problem or row.words for row in rows), [(r.text, r.kind) for r in rows]
        first = first_network(
            EMPTY,
            rows,
            Answers(
                uplink=rng.choice(["", "192.0.2.2", "x", "192.0.2.2/30"]),
                next_hop=rng.choice(["", "192.0.2.1", "y"]),
                hides=rng.random() < 0.5,
            ),
        )
        assert first.problems or not problems(first.network), text
        built += not first.problems
    assert built > 100


def begun(text: str, **answers: object) -> First:
    rows = read(text)
    asked = first_network(EMPTY, rows, Answers()).asked
    addresses = {a.about: a.usual for a in asked if a.kind == "address"}
    return first_network(EMPTY, rows, Answers(addresses=addresses, **answers))  # type: ignore[arg-type]


TWO = "office 10 10.9.10.0/24 workplaces\nguests 20 10.9.20.0/24 visitors\nfiles 10.9.10.20"


def works(network: Network, source: str, destination: str, service: str) -> bool:
    names = Names(network)
    told = trace(
        network, names, Question(names.address(source), names.address(destination), services.parse(service))
    )
    return told.verdict == "allowed"


def test_it_begins_closed_and_ends_at_one_yes_and_one_no() -> None:
    first = begun(
        TWO,
        must="guests must reach files on https",
        must_not="guests must not reach office on ssh",
        uplink="192.0.2.2",
        next_hop="192.0.2.1",
        hides=True,
    )
    assert not first.asked[1:] and [a.kind for a in first.asked] == ["device"] and not first.problems
    yes, no = first.wanted
    assert (yes.alone, yes.verdict, no.alone, no.verdict) == ("broken", "kept", "kept", "kept")
    network = document.load(document.dump(first.network))
    assert network == first.network
    assert works(network, "guests", "files", "tcp/443") and works(network, "office", "internet", "tcp/443")
    assert (
        not works(network, "guests", "office", "tcp/22")
        and not works(network, "guests", "files", "tcp/80")
        and not works(network, "internet", "office", "tcp/443")
    )
    assert len(network.policies) == 1 and [r.action for r in network.policies[0].rules] == ["allow"]


@pytest.mark.parametrize(("lets", "reaches"), [("outward", False), ("everything", True), ("nothing", False)])
def test_what_the_device_really_does_by_default_is_an_answer(lets: str, reaches: bool) -> None:
    first = begun(TWO, lets=lets, must_not="guests must not reach office on ssh")
    (no,) = first.wanted
    assert (no.alone == "broken") is reaches and no.verdict == "kept"
    assert works(first.network, "guests", "office", "tcp/80") is reaches
    assert works(first.network, "office", "guests", "tcp/80") is (lets != "nothing")


def test_from_where_the_device_is_managed_and_what_it_answers() -> None:
    """One segment manages it, everybody inside has what it serves, and the rest, the outside too, has nothing of it."""
    said = {"uplink": "192.0.2.2", "next_hop": "192.0.2.1", "must": "guests must reach files on https"}
    first = begun(TWO, managed_from="Office", serves=("time", "ping"), **said)
    assert not first.problems and first.wanted[0].verdict == "kept"
    network = document.load(document.dump(first.network))
    assert network == first.network and not problems(network)

    def reaches(source: str, service: str, address: str = "10.9.20.1") -> bool:
        return works(network, source, address, service)

    assert (
        reaches("office", "tcp/22")
        and reaches("office", "tcp/443", "192.0.2.2")
        and not reaches("guests", "tcp/22")
    )
    assert all(reaches(who, what) for who in ("office", "guests") for what in ("udp/123", "icmp/8"))
    assert not reaches("guests", "udp/53") and not reaches("internet", "tcp/443", "192.0.2.2")
    assert not reaches("internet", "icmp/8", "192.0.2.2")
    open_ = begun(TWO, **said)
    assert works(
        open_.network, "guests", "10.9.20.1", "tcp/22"
    )  # nobody said: the finding *exposed management* does
    wrong = begun(TWO, managed_from="nowhere", **said)
    assert [p.path for p in wrong.problems] == [("answers", "managed_from")]


def test_what_nothing_says_is_asked_and_not_assumed() -> None:
    first = first_network(EMPTY, read(TWO), Answers())
    assert {(a.kind, a.about) for a in first.asked} == {
        ("device", ""),
        ("address", "office"),
        ("address", "guests"),
        ("uplink", "internet"),
        ("next hop", "internet"),
    }
    assert all(not i.addresses for i in first.network.devices[0].interfaces)
    assert {a.usual for a in first.asked if a.kind == "address"} == {"10.9.10.1", "10.9.20.1"}
    wrong = first_network(EMPTY, read(TWO), Answers(addresses={"office": "10.9.20.1", "guests": "x"}))
    assert [p.path[-1] for p in wrong.problems] == ["office", "guests"]


def test_tables_that_a_device_prints_are_read_as_its_interfaces_and_routes() -> None:
    text = "eth0   10.9.10.1/24   up\neth1   10.9.20.1 255.255.255.0\ndefault via 192.0.2.1\n10.7.0.0/16 via 10.9.10.254\n"
    rows = read(text)
    assert [r.kind for r in rows] == ["interface", "interface", "route", "route"]
    first = first_network(EMPTY, rows, Answers(device="lock", uplink="192.0.2.2"))
    device = first.network.devices[0]
    assert device.name == "lock" and [i.addresses for i in device.interfaces] == [
        ("10.9.10.1",),
        ("10.9.20.1",),
        ("192.0.2.2",),
    ]
    assert [(r.prefix, r.via) for r in device.routes] == [
        ("0.0.0.0/0", "192.0.2.1"),
        ("10.7.0.0/16", "10.9.10.254"),
    ] and not first.problems


def test_zones_stand_as_somebody_orders_them() -> None:
    first = first_network(
        EMPTY, read(SHAPES["single blanks"]), Answers(order=("outside", "inside", "visitors"))
    )
    assert re.sub("workplaces,?", "", ",".join(first.zones)).strip(",") == "outside,inside,visitors"
    assert [z.depth for z in first.network.zones] == [0, 1, 2, 3]
