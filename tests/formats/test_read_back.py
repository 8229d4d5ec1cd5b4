"""Lists as read back from devices: typed out in many forms, and with every slip a hand can make in them."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import permutations

import pytest

from sarvex.core.firstmatch.read_back import ReadBack, Wanted, compare, wanted
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import AddressObject, Network, Policy, Rule, ServiceObject
from sarvex.core.sets import addresses, services
from sarvex.formats import read_back
from sarvex.formats.read_back import Pasted, read

HOSTS = [f"10.44.{net}.{host}" for net in (10, 34, 35) for host in (17, 20, 71, 127)]
NETS = ["10.44.10.0/24", "10.44.34.0/24", "10.44.35.128/25", "10.44.0.0/16"]
SERVICES = ["tcp/443", "tcp/8443", "udp/53", "udp/123", "tcp/8000-8100", "icmp"]
MASKS = {32: "255.255.255.255", 24: "255.255.255.0", 25: "255.255.255.128", 16: "255.255.0.0"}


@dataclass
class Row:
    """One line as a device prints it; written from the rule's words, not from the code's sets."""

    rule: int
    action: str
    protocol: str
    source: str
    destination: str
    port: str


def network_of(rng: random.Random, default: str = "drop") -> Network:
    rules = []
    for number in range(rng.randint(4, 9)):
        ends = [
            tuple(rng.sample(HOSTS, rng.choice([1, 1, 2, 3]))) if rng.random() < 0.6 else (rng.choice(NETS),)
            for _ in (0, 1)
        ]
        rules.append(Rule(
            name=f"rule {number}", action=rng.choice(["allow", "allow", "drop"]), source=ends[0], destination=ends[1],
            service=tuple(rng.sample(SERVICES, rng.choice([1, 1, 2]))),
        ))  # fmt: skip
    rules.append(
        Rule(
            name="last", action="allow", source=("10.44.0.0/16",), destination=("any",), service=("tcp/443",)
        )
    )
    return Network(name="typed", policies=(Policy(name="list", default=default, rules=tuple(rules)),))  # type: ignore[arg-type]


def rows_of(network: Network) -> list[Row]:
    """Every rule taken apart: one source, one destination, one service each."""
    return [
        Row(
            n,
            {"allow": "permit", "drop": "deny"}[rule.action],
            *_split(service)[:1],
            source,
            destination,
            _split(service)[1],
        )
        for n, rule in enumerate(network.policies[0].rules)
        for source in rule.source
        for destination in rule.destination
        for service in rule.service
    ]


def _split(service: str) -> tuple[str, str]:
    protocol, _, port = service.partition("/")
    return protocol, port


def prefixed(end: str) -> str:
    return end


def masked(end: str) -> str:
    if end == "any":
        return "any"
    base, _, length = end.partition("/")
    return f"{base} {MASKS[int(length or 32)]}"


def inverse(end: str) -> str:
    if end == "any":
        return "any"
    base, _, length = end.partition("/")
    mask = [255 - int(p) for p in MASKS[int(length or 32)].split(".")]
    return f"{base} {'.'.join(map(str, mask))}"


FIELDS = ("action", "protocol", "source", "destination", "port")
ORDERS = [order for order in permutations(FIELDS) if order.index("source") < order.index("destination")]
STYLES: list[Callable[[str], str]] = [prefixed, masked, inverse]


def written(
    rows: list[Row],
    order: tuple[str, ...],
    style: Callable[[str], str],
    mark: str,
    head: bool = False,
    numbered: bool = True,
) -> str:
    lines = (
        [mark.join(["seq", *("dst port" if f == "port" else f for f in order)][not numbered :])]
        if head
        else []
    )
    for n, row in enumerate(rows, 1):
        cells = [
            style(getattr(row, f)) if f in ("source", "destination") else getattr(row, f) or "any"
            for f in order
        ]
        lines.append(mark.join([str(10 * n), *cells][not numbered :]))
    return "\n".join(lines)


def looked_at(
    network: Network, text: str, columns: tuple[read_back.Column, ...] | None = None
) -> tuple[Pasted, ReadBack]:
    names = Names(network)
    pasted = read(text, names, columns)
    return pasted, compare(wanted(network.policies[0], names, 4), [r.line for r in pasted.reads if r.line], 4)


@pytest.mark.parametrize("style", STYLES, ids=lambda s: s.__name__)
def test_what_was_typed_right_is_right_in_every_order_of_columns(
    rng: random.Random, style: Callable[[str], str]
) -> None:
    """The lines of one rule in any order; with a head or without, whatever parts the columns."""
    for index, order in enumerate(rng.sample(ORDERS, 12)):
        network = network_of(rng)
        rows = rows_of(network)
        rng.shuffle(rows)
        rows.sort(key=lambda r: r.rule)
        text = written(
            rows,
            order,
            style,
            ["\t", " | ", ";", ", ", "   "][index % 5],
            head=index % 2 == 0,
            numbered=index % 3 > 0,
        )
        pasted, told = looked_at(network, text)
        assert [r.problem for r in pasted.reads if r.problem] == [] and len(pasted.reads) == len(rows), (
            text,
            pasted.columns,
        )
        assert told.same and not told.default_there, (text, told)
        assert [one.rule for one in told.entries] == [row.rule for row in rows]


Slip = Callable[[random.Random, list[Row]], int | None]
"""Makes one slip; returns the index of the line that it is seen at, or None if no line shows it."""


def another_host(rng: random.Random, rows: list[Row]) -> int:
    hosts = [(n, f) for n, r in enumerate(rows) for f in ("source", "destination") if getattr(r, f) in HOSTS]
    at, side = rng.choice(hosts)
    end = getattr(rows[at], side)
    rows[at] = replace(rows[at], **{side: end[:-1] + str((int(end[-1]) + 3) % 10)})
    return at


def another_length(rng: random.Random, rows: list[Row]) -> int:
    at = rng.choice(
        [n for n, r in enumerate(rows) if "/24" in r.destination or "/24" in r.source or n == len(rows) - 1]
    )
    narrower = {
        f: getattr(rows[at], f).replace("/24", "/25").replace("/16", "/24") for f in ("source", "destination")
    }
    rows[at] = replace(rows[at], **narrower)
    return at


def another_port(rng: random.Random, rows: list[Row]) -> int:
    at = rng.choice([n for n, r in enumerate(rows) if r.port])
    rows[at] = replace(rows[at], port="4433")
    return at


def another_protocol(rng: random.Random, rows: list[Row]) -> int:
    at = rng.choice([n for n, r in enumerate(rows) if r.port])
    rows[at] = replace(rows[at], protocol={"tcp": "udp", "udp": "tcp"}[rows[at].protocol])
    return at


def the_other_action(rng: random.Random, rows: list[Row]) -> int:
    at = rng.randrange(len(rows))
    rows[at] = replace(rows[at], action={"permit": "deny", "deny": "permit"}[rows[at].action])
    return at


def one_left_out(rng: random.Random, rows: list[Row]) -> None:
    rows.pop(rng.randrange(len(rows)))


def one_too_many(rng: random.Random, rows: list[Row]) -> int:
    at = rng.randrange(len(rows))
    rows.insert(at, Row(-1, "permit", "gre", "any", "any", ""))
    return at


@pytest.mark.parametrize(
    "slip", [another_host, another_length, another_port, another_protocol, the_other_action, one_left_out, one_too_many], ids=lambda s: s.__name__
)  # fmt: skip
def test_every_slip_is_found_at_its_line(rng: random.Random, slip: Slip) -> None:
    """Unless the list as it was typed is one that should be: then it does the same, packet by packet."""
    found: Counter[str] = Counter()
    for index in range(20):
        network = network_of(rng)
        rows = rows_of(network)
        before = [*rows]
        at = slip(rng, rows)
        text = written(rows, rng.choice(ORDERS), STYLES[index % 3], "\t", head=index % 2 == 0)
        _, told = looked_at(network, text)
        if told.same:
            assert alike(before, rows)
            found["the same all the same"] += 1
            continue
        if at is None:
            assert told.missing and all(one.kind == "right" for one in told.entries), (text, told)
            found["missing"] += 1
        else:
            odd = [n for n, one in enumerate(told.entries) if one.kind != "right"]
            found["there" if at in odd else "elsewhere"] += 1
            found["alone"] += odd == [at] and not told.missing
    assert found["the same all the same"] <= 4, found
    if slip is not one_left_out:
        assert found["there"] >= 14 and found["alone"] >= 10 - 10 * (slip in (one_too_many,)), found


def alike(one: list[Row], other: list[Row]) -> bool:
    """Whether two lists decide alike, of every packet between addresses and ports that they speak of and their neighbours."""

    def decided(rows: list[Row], source: int, destination: int, protocol: str, port: int) -> str:
        for row in rows:
            ends = ((row.source, source), (row.destination, destination))
            if row.protocol not in (protocol, "any") or not all(within(text, value) for text, value in ends):
                continue
            low, _, high = row.port.partition("-")
            if not row.port or int(low) <= port <= int(high or low):
                return row.action
        return "deny"

    def within(text: str, value: int) -> bool:
        return text == "any" or any(low <= value <= high for low, high in addresses.parse(text).v4)

    values = {
        v
        for text in (*HOSTS, *NETS)
        for low, high in addresses.parse(text).v4
        for v in (low - 1, low, high, high + 1)
    }
    ports = {
        p for service in SERVICES for p in map(int, filter(None, service.partition("/")[2].split("-")))
    } | {4433}
    rng = random.Random(1)
    for _ in range(4_000):
        packet = (
            *rng.sample(sorted(values), 2),
            rng.choice(["tcp", "udp", "icmp", "gre"]),
            rng.choice(sorted(ports)),
        )
        if decided(one, *packet) != decided(other, *packet):
            return False
    return True


def test_two_lines_in_the_wrong_order_are_told(rng: random.Random) -> None:
    rules = (
        Rule(
            name="one host",
            action="drop",
            source=("10.44.34.71",),
            destination=("any",),
            service=("tcp/443",),
        ),
        Rule(
            name="all", action="allow", source=("10.44.34.0/24",), destination=("any",), service=("tcp/443",)
        ),
    )
    network = Network(name="x", policies=(Policy(name="list", default="drop", rules=rules),))
    rows = rows_of(network)
    _, told = looked_at(network, written(rows[::-1], FIELDS, masked, "\t"))
    assert not told.same and Counter(one.kind for one in told.entries) == {"right": 1, "elsewhere": 1}


def test_names_and_whole_rules_on_one_line_are_read(rng: random.Random) -> None:
    network = Network(
        name="x",
        addresses=(AddressObject(name="ramp panels", members=("10.44.34.17", "10.44.34.71")),),
        services=(ServiceObject(name="panel ports", members=("tcp/8443", "tcp/443")),),
        policies=(Policy(name="list", default="drop", rules=(
            Rule(name="panels", action="allow", source=("ramp panels",), destination=("10.44.10.0/24",), service=("panel ports",)),
            Rule(name="all", action="reject", source=("any",), destination=("any",), service=("any",)),
        )),),
    )  # fmt: skip
    head = "action;source;destination;service;hits\n---------\n"
    pasted, told = looked_at(
        network, head + "Permit;ramp panels;10.44.10.0/24;panel ports;17\nreject;any;any;any;0"
    )
    assert told.same and pasted.columns == ("action", "source", "destination", "service", "")
    assert any("column 5 (hits) is not compared" in note for note in pasted.notes) and any(
        "drawn" in n for n in pasted.notes
    )
    _, told = looked_at(
        network,
        head + 'allow;"10.44.34.17, 10.44.34.71";10.44.10.0/24;"tcp/443, tcp/8443"\nreject;any;any;any',
    )
    assert told.same
    _, told = looked_at(network, head + "allow;10.44.34.17;10.44.10.0/24;panel ports\nreject;any;any;any")
    assert [(i, line.told["source"]) for i, line in told.missing] == [(0, "10.44.34.71")] * 2
    _, told = looked_at(network, head + "allow;ramp panels;10.44.11.0/24;panel ports\nreject;any;any;any")
    [wrong] = [one for one in told.entries if one.kind != "right"]
    assert (wrong.kind, wrong.fields, wrong.should and wrong.should.told["destination"]) == (
        "wrong",
        ("destination",),
        "10.44.10.0/24",
    )


def test_nothing_is_dropped(rng: random.Random) -> None:
    """Each line is an entry, a head, drawn, or told why it is none; a mask of the other kind is not guessed at."""
    network = network_of(rng)
    text = (
        "permit\ttcp\t10.44.34.0 255.255.255.0\t10.44.10.0 255.255.255.0\t443\n"
        "permit\ttcp\t10.44.34.0 0.0.0.255\t10.44.10.0 255.255.255.0\t443\n"
        "perhaps\ttcp\tany\tany\t443\n"
        "permit\ttcp\t10.44.34.5/24\tany\t443\n"
        "permit\ttcp\tno such panels\tany\t443\n"
        "permit\ttcp\tany\tany\t443\tmore\n"
        "permit\tip\tany\tany\t443\n"
        "permit\ttcp\t10.44.34.300\tany\t443\n"
    )
    pasted, _ = looked_at(network, text)
    assert [r.number for r in pasted.reads] == [1, 2, 3, 4, 5, 6, 7, 8]
    said = [r.problem for r in pasted.reads]
    for problem, words in zip(
        said,
        (
            "",
            "an inverse mask",
            "no action",
            "10.44.34.0/24",
            "no such panels",
            "6 columns",
            "no protocol",
            "10.44.34.300",
        ),
        strict=True,
    ):
        assert words in problem and bool(problem) == bool(words), said


def test_columns_are_corrected_by_hand(rng: random.Random) -> None:
    """Where the destination comes first nothing tells so, and one says it."""
    network = network_of(rng)
    rows = rows_of(network)
    text = written(
        rows, ("action", "protocol", "destination", "port", "source"), prefixed, "\t", numbered=False
    )
    _, told = looked_at(network, text)
    assert not told.same
    _, told = looked_at(network, text, ("action", "protocol", "destination", "destination port", "source"))
    assert told.same


def test_the_default_may_be_an_entry_or_not(rng: random.Random) -> None:
    for default, word, there in (
        ("drop", "deny", True),
        ("drop", "", False),
        ("allow", "permit", True),
        ("reject", "deny", False),
    ):
        network = network_of(rng, default)
        text = written(rows_of(network), FIELDS, prefixed, "\t")
        more = f"\n9999\t{word}\tany\tany\tany\tany" if word else ""
        _, told = looked_at(network, text + more)
        assert told.default_there is there, (default, word, told)
        assert told.same is (default != "reject")


def test_wanted_lines_are_the_rules_themselves(rng: random.Random) -> None:
    """Taken apart and put together again; what is off, or of no packets, is no line."""
    network = network_of(rng)
    policy = network.policies[0]
    off = replace(policy, rules=(replace(policy.rules[0], enabled=False), *policy.rules[1:]))
    names = Names(replace(network, policies=(off,)))
    should: list[Wanted] = wanted(off, names)
    assert [w.position for w in should] == [*range(2, len(policy.rules) + 1), 0]
    for one in should[:-1]:
        rule = off.rules[one.position - 1]
        assert (
            addresses.union(line.source for line in one.lines)
            == addresses.union(map(names.address, rule.source))
            or "icmp" in rule.service
        )
        assert {w for line in one.lines for w in services.describe(line.service)} >= {
            s for s in rule.service if s != "icmp"
        }
