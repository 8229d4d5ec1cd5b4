"""Flows as CSV (RFC 4180): read, decided, and written back with verdict, rule and policy."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from sarvex.core import addresses, services
from sarvex.core.boxes import Boxes
from sarvex.core.firstmatch import DEFAULT, FirstMatch
from sarvex.core.flows import STATES, Flow
from sarvex.core.packets import DTYPE, FIRST, NOTHING, SECOND, PacketSet, covers
from sarvex.core.sieve import Sieve

COLUMNS = ("family", "src", "dst", "proto", "sport", "dport", "icmp_type", "icmp_code", "state", "at", "in")
RESULT = ("verdict", "rule", "policy")
ERROR = "error"
PORTS_REQUIRED = (6, 17)
LATER = {"at": "schedules", "in": "ingress"}


class InvalidFlows(ValueError):
    """The table as a whole cannot be read."""


class BadRow(ValueError):
    """One row is no flow; the reason goes into its output row."""


@dataclass(frozen=True)
class Table:
    """Rows with what was decided of each: the input's columns, then `RESULT`."""

    columns: list[str]
    rows: list[list[str]]

    @property
    def errors(self) -> int:
        """How many rows were no flows."""
        return sum(row[-len(RESULT)] == ERROR for row in self.rows)

    def text(self) -> str:
        """The table as CSV."""
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\r\n")
        writer.writerow(self.columns)
        writer.writerows(self.rows)
        return out.getvalue()


def decide(text: str, ready: FirstMatch) -> Table:
    """Decide every row of a CSV text.

    Raises `InvalidFlows` when the header is unusable. A bad row stops nothing: it comes out with verdict
    `error` and its reason in `rule`.
    """
    reader = csv.reader(io.StringIO(text), strict=True)
    try:
        header = next(reader, [])
        _check_header(header)
        rows = [row for row in reader if row]
    except csv.Error as error:
        raise InvalidFlows(f"line {reader.line_num}: {error}") from None
    read = [_try(header, row) for row in rows]
    verdicts = _verdicts([f for f in read if isinstance(f, Flow)], ready)
    told = []
    for row, flow in zip(rows, read, strict=True):
        cells = [*row[: len(header)], *[""] * (len(header) - len(row))]
        result = next(verdicts) if isinstance(flow, Flow) else (ERROR, flow, ready.policy.name)
        told.append([*cells, *result])
    return Table([*header, *RESULT], told)


def _check_header(header: list[str]) -> None:
    if not {"src", "dst", "proto"} <= set(header):
        raise InvalidFlows("the first row names the columns: at least src, dst, proto")
    if taken := set(RESULT) & set(header):
        raise InvalidFlows(f"columns called {', '.join(sorted(taken))} are made by the output; rename them")
    if len(set(header)) != len(header):
        raise InvalidFlows("a column name stands twice")


def _try(header: list[str], row: list[str]) -> Flow | str:
    if len(row) > len(header):
        return f"{len(row)} values for {len(header)} columns"
    try:
        return flow_of(dict(zip(header, row, strict=False)))
    except BadRow as error:
        return str(error)


def flow_of(row: dict[str, str]) -> Flow:
    """The flow of one row. Raises `BadRow`."""
    row = {key: value.strip() for key, value in row.items()}
    for column, what in LATER.items():
        if row.get(column):
            raise BadRow(f"{column}: {what} is not modelled yet")
    family, src, dst = _addresses(row)
    protocol = _protocol(row.get("proto", ""))
    state = row.get("state") or "new"
    if state not in STATES:
        raise BadRow(f"state: {state!r} is none of {', '.join(STATES)}")
    first, second = _values(row, family, protocol)
    return Flow(family, src, dst, protocol, first, second, state)


def _addresses(row: dict[str, str]) -> tuple[int, int, int]:
    ends = []
    for column in ("src", "dst"):
        text = row.get(column, "")
        try:
            spread = addresses.parse(text)
        except addresses.InvalidAddress as error:
            raise BadRow(f"{column}: {error}") from None
        found = [(f, low) for f in addresses.FAMILIES for low, high in spread[f] if low == high]
        if len(found) != 1 or len(spread.v4) + len(spread.v6) != 1:
            raise BadRow(f"{column}: {text!r} is more than one address")
        ends.append(found[0])
    (family, src), (other, dst) = ends
    if family != other:
        raise BadRow("src and dst are of different families")
    told = row.get("family", "").lower().removeprefix("ipv")
    if told not in ("", str(family)):
        raise BadRow(f"family: {row['family']!r}, but the addresses are IPv{family}")
    return family, src, dst


def _protocol(text: str) -> int:
    number = services.PROTOCOLS.get(text.lower())
    if number is None:
        if not text.isdecimal() or int(text) > services.PROTOCOL_TOP:
            raise BadRow(f"proto: {text!r} is no protocol number or name")
        number = int(text)
    return number


def _values(row: dict[str, str], family: int, protocol: int) -> tuple[int | None, int | None]:
    ports = services.has_ports(protocol)
    icmp = services.has_type(family, protocol)
    for columns, apply in ((("sport", "dport"), ports), (("icmp_type", "icmp_code"), icmp)):
        for column in columns:
            if row.get(column) and not apply:
                raise BadRow(f"{column}: protocol {protocol} has none over IPv{family}")
    if ports:
        may_lack = protocol not in PORTS_REQUIRED
        return tuple(  # type: ignore[return-value]
            None if may_lack and not row.get(column) else _number(row, column, services.TOP)
            for column in ("sport", "dport")
        )
    if icmp:
        return _number(row, "icmp_type", 255), _number(row, "icmp_code", 255)
    return None, None


def _number(row: dict[str, str], column: str, top: int) -> int:
    text = row.get(column, "")
    if not text.isdecimal() or int(text) > top:
        raise BadRow(f"{column}: a number from 0 to {top} is needed, not {text!r}")
    return int(text)


def _verdicts(flows: list[Flow], ready: FirstMatch) -> Iterator[tuple[str, str, str]]:
    deciding = np.full(len(flows), DEFAULT)
    for family in addresses.FAMILIES:
        index = [i for i, f in enumerate(flows) if f.family == family]
        if index:
            columns = zip(*(flows[i].point() for i in index), strict=True)
            points: list[Boxes] = [np.array(axis, dtype=DTYPE[family]) for axis in columns]
            deciding[index] = ready.decide(family, points)
    sieve = None
    for flow, position in zip(flows, deciding.tolist(), strict=True):
        if _unknown_ports(flow):
            sieve = sieve or Sieve(ready.policy, ready.matches)
        if sieve and _unknown_ports(flow) and not _alike(flow, sieve):
            yield (
                ERROR,
                "sport, dport: a rule that looks at ports could decide; give both",
                ready.policy.name,
            )
            continue
        rule = None if position == DEFAULT else ready.policy.rules[position]
        yield (
            rule.action if rule else ready.policy.default,
            rule.name if rule else "default",
            ready.policy.name,
        )


def _unknown_ports(flow: Flow) -> bool:
    return services.has_ports(flow.protocol) and None in (flow.first, flow.second)


def _alike(flow: Flow, sieve: Sieve) -> bool:
    """Whether one rule, or the default, decides the flow whatever its unknown ports are."""
    axes = [[value, value] for value in flow.point()]
    for axis, value in ((FIRST, flow.first), (SECOND, flow.second)):
        if value is None:
            axes[axis] = [0, services.TOP]
    box: Boxes = np.array([axes], dtype=DTYPE[flow.family])
    what = PacketSet(box, NOTHING.v6) if flow.family == 4 else PacketSet(NOTHING.v4, box)
    shares = [share for _, _, share in sieve.split(what)]
    return not shares or (len(shares) == 1 and covers(shares[0], what))
