"""Flows as CSV (RFC 4180): read, decided, and written back with verdict, rule and policy."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import date, datetime
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from sarvex.core.firstmatch.partition import Partition
from sarvex.core.firstmatch.rule_list import DEFAULT, FirstMatch
from sarvex.core.forwarding import many_flows
from sarvex.core.forwarding.walk import NO_ROUTE_CARRIES
from sarvex.core.meaning.names import Names, moments_of
from sarvex.core.meaning.packet_sets import CLASS, DTYPE, FIRST, SECOND, of_boxes, point_of
from sarvex.core.model.records import Network
from sarvex.core.sets import addresses, services
from sarvex.core.sets.boxes import Boxes
from sarvex.core.sets.flows import STATES, Flow
from sarvex.core.time import moment_words
from sarvex.core.time.moments import CLASSES, Moments

COLUMNS = ("family", "src", "dst", "proto", "sport", "dport", "icmp_type", "icmp_code", "state", "at", "in")
RESULT = ("verdict", "rule", "policy")
THROUGH = (*RESULT, "course")
"""What is told of flows through the whole network: also the devices they come by."""
ERROR = "error"
PORTS_REQUIRED = (6, 17)
LATER = {"in": "ingress"}
MOMENT_ASKED = "at: a schedule could change the answer; say at which moment"
PORTS_ASKED = "sport, dport: a rule that looks at ports could decide; give both"


class InvalidFlows(ValueError):
    """The table as a whole cannot be read."""


class BadRow(ValueError):
    """One row is no flow; the reason goes into its output row."""


_FORMULA = re.compile(r"[=@\t\r]|[+-](?!\d+(?:\.\d+)?$)")
"""How a cell begins that a spreadsheet would work out instead of showing it; numbers are only numbers."""


def plain_cell(text: str) -> str:
    """A cell that is shown as what it is wherever the table is opened: a formula's beginning is quoted with an apostrophe.

    >>> [plain_cell(c) for c in ("=1+1", "-5", "-cmd", "10.44.0.1", "")]
    ["'=1+1", '-5', "'-cmd", '10.44.0.1', '']
    """
    return f"'{text}" if _FORMULA.match(text) else text


@dataclass(frozen=True)
class Table:
    """Rows with what was decided of each: the input's columns, then `results`."""

    columns: list[str]
    rows: list[list[str]]
    results: tuple[str, ...] = RESULT

    @property
    def errors(self) -> int:
        """How many rows were no flows."""
        return sum(row[-len(self.results)] == ERROR for row in self.rows)

    def text(self) -> str:
        """The table as CSV."""
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\r\n")
        writer.writerow(map(plain_cell, self.columns))
        writer.writerows(map(plain_cell, row) for row in self.rows)
        return out.getvalue()


def decide(
    text: str, ready: FirstMatch, earlier: Callable[[date], FirstMatch], at: datetime | None = None
) -> Table:
    """Decide every row of a CSV text; those that tell no moment are meant `at` one, if it is given.

    A list ready for moments from today on does for most; one for moments from an `earlier` date on is made if needed.

    Raises `InvalidFlows` when the header is unusable. A bad row stops nothing: it comes out with verdict
    `error` and its reason in `rule`.
    """
    header, rows = _rows(text, RESULT)
    read = [_try(header, row, ready.known.moments.zone, at) for row in rows]
    moments = [f.moment for f in read if isinstance(f, Flow) and f.moment]
    if any(not ready.known.moments.reaches(moment) for moment in moments):
        ready = earlier(min(moments).date())
    verdicts = _verdicts([f for f in read if isinstance(f, Flow)], ready)
    wrong = (ready.policy.name,)
    return _table(header, rows, read, verdicts, RESULT, wrong)


def decide_through(
    text: str,
    network: Network,
    names: Names,
    at: datetime | None = None,
    go_on: Callable[[], bool] = lambda: True,
) -> Table:
    """Decide every row of a CSV text through the whole network, as `decide` does in one policy.

    The columns of the result are `THROUGH`: verdict as of a question, what decides, its policy, and the devices on the way. Raises
    `InvalidFlows`, and what `many_flows.fates_of` raises.
    """
    header, rows = _rows(text, THROUGH)
    read = [_try(header, row, names.moments.zone, at) for row in rows]
    flows = [f for f in read if isinstance(f, Flow)]
    moments = [f.moment for f in flows if f.moment]
    if any(not names.moments.reaches(moment) for moment in moments):
        names = Names(network, moments_of(network, min(moments).date()))
    fates = many_flows.fates_of(network, names, flows, go_on)
    verdicts = (_through(fate, flow, network, names, go_on) for fate, flow in zip(fates, flows, strict=True))
    return _table(header, rows, read, verdicts, THROUGH, ("", ""))


def _through(
    fate: many_flows.FlowFate, flow: Flow, network: Network, names: Names, go_on: Callable[[], bool]
) -> tuple[str, ...]:
    if fate.asks:
        return ERROR, MOMENT_ASKED, "", ""
    if _unknown_ports(flow) and not many_flows.alike(network, names, flow, go_on):
        return ERROR, PORTS_ASKED, "", ""
    part = fate.part
    if part is None:
        return fate.verdict, NO_ROUTE_CARRIES, "", ""
    course = ", ".join(dict.fromkeys(c.device.name for c in part.way))
    if part.missing or not part.steps:
        passed = "passes no device" if part.result == "delivered" else part.result
        return fate.verdict, part.missing or passed, "", course
    last = part.steps[-1]
    return (
        fate.verdict,
        last.rule or ("default" if last.policy else f"{last.stage} default"),
        last.policy or "",
        course,
    )


def _rows(text: str, results: tuple[str, ...]) -> tuple[list[str], list[list[str]]]:
    """The header and the rows of a table that will get columns of results. Raises `InvalidFlows`."""
    reader = csv.reader(io.StringIO(text), strict=True)
    try:
        header = next(reader, [])
        _check_header(header, results)
        return header, [row for row in reader if row]
    except csv.Error as error:
        raise InvalidFlows(f"line {reader.line_num}: {error}") from None


def _table(
    header: list[str], rows: list[list[str]], read: list[Flow | str], verdicts: Iterator[tuple[str, ...]],
    results: tuple[str, ...], wrong: tuple[str, ...],
) -> Table:  # fmt: skip
    """Rows with their results; `wrong` is what stands in the last columns of a row that is no flow."""
    told = []
    for row, flow in zip(rows, read, strict=True):
        cells = [*row[: len(header)], *[""] * (len(header) - len(row))]
        told.append([*cells, *(next(verdicts) if isinstance(flow, Flow) else (ERROR, flow, *wrong))])
    return Table([*header, *results], told, results)


def _check_header(header: list[str], results: tuple[str, ...]) -> None:
    if not {"src", "dst", "proto"} <= set(header):
        raise InvalidFlows("the first row names the columns: at least src, dst, proto")
    if taken := set(results) & set(header):
        raise InvalidFlows(f"columns called {', '.join(sorted(taken))} are made by the output; rename them")
    if len(set(header)) != len(header):
        raise InvalidFlows("a column name stands twice")


def _try(header: list[str], row: list[str], zone: ZoneInfo, at: datetime | None) -> Flow | str:
    if len(row) > len(header):
        return f"{len(row)} values for {len(header)} columns"
    try:
        flow = flow_of(dict(zip(header, row, strict=False)), zone)
        return flow if flow.moment else replace(flow, moment=at)
    except BadRow as error:
        return str(error)


def flow_of(row: dict[str, str], zone: ZoneInfo) -> Flow:
    """The flow of one row; a moment without offset is meant in `zone`. Raises `BadRow`."""
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
    return Flow(family, src, dst, protocol, first, second, state, _moment(row.get("at", ""), zone))


def _moment(text: str, zone: ZoneInfo) -> datetime | None:
    try:
        return moment_words.parse(text, zone) if text else None
    except moment_words.InvalidMoment as error:
        raise BadRow(f"at: {error}") from None


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
    deciding, unlike = _deciding(flows, ready)
    partition = None
    for flow, position, asks in zip(flows, deciding.tolist(), unlike.tolist(), strict=True):
        if asks:
            yield ERROR, MOMENT_ASKED, ready.policy.name
            continue
        if _unknown_ports(flow):
            partition = partition or Partition(ready.policy, [m.packets for m in ready.matches])
        if partition and _unknown_ports(flow) and not _alike(flow, partition, ready.known.moments):
            yield ERROR, PORTS_ASKED, ready.policy.name
            continue
        rule = None if position == DEFAULT else ready.policy.rules[position]
        yield (
            rule.action if rule else ready.policy.default,
            rule.name if rule else "default",
            ready.policy.name,
        )


def _deciding(flows: list[Flow], ready: FirstMatch) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """The deciding rules, and for which flows that differs from moment to moment and none is told."""
    deciding, unlike = np.full(len(flows), DEFAULT), np.zeros(len(flows), dtype=bool)
    moments = ready.known.moments
    for family in addresses.FAMILIES:
        index = np.array([i for i, f in enumerate(flows) if f.family == family], dtype=np.int64)
        if not len(index):
            continue
        points = _columns(family, [point_of(flows[i], moments, any_moment=True) for i in index.tolist()])
        deciding[index] = ready.decide(family, points)
        if moments.matter:
            open_ = np.array([flows[i].moment is None for i in index.tolist()])
            left = [column[open_] for column in points]
            for kind in range(1, len(moments.classes)):
                there = ready.decide(family, [*left[:CLASS], left[CLASS] + kind])
                unlike[index[open_]] |= there != deciding[index[open_]]
    return deciding, unlike


def _columns(family: int, points: list[tuple[int, ...]]) -> list[Boxes]:
    return [np.array(axis, dtype=DTYPE[family]) for axis in zip(*points, strict=True)]


def _unknown_ports(flow: Flow) -> bool:
    return services.has_ports(flow.protocol) and None in (flow.first, flow.second)


def _alike(flow: Flow, partition: Partition, moments: Moments) -> bool:
    """Whether one rule, or the default, decides the flow whatever its unknown ports and moment are."""
    axes = [[value, value] for value in point_of(flow, moments, any_moment=True)]
    if flow.moment is None:
        axes[CLASS][1] += CLASSES - 1
    for axis, value in ((FIRST, flow.first), (SECOND, flow.second)):
        if value is None:
            axes[axis] = [0, services.TOP]
    box: Boxes = np.array([axes], dtype=DTYPE[flow.family])
    return len(list(partition.split(of_boxes(flow.family, box)))) == 1
