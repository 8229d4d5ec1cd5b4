"""The try-it sheet: what to try in the network itself, from where, and what must be seen there."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from sarvex.core.forwarding.journeys import Step
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.meaning.names import Names
from sarvex.core.reach.expectations import is_schedule
from sarvex.core.reach.trials import Trial, Trials
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.flows import Flow
from sarvex.core.sets.services import ECHO, ICMP_OF
from sarvex.formats.answers import decider, ends_of
from sarvex.formats.expectations import sentence

SEEN = {
    "reached": "it answers",
    "silence": "no answer",
    "refused": "it is refused at once",
    "prohibited": "“prohibited” comes back at once",
    "unreachable": "“unreachable” comes back",
    "unknown": "nobody knows",
}
ECHO_REQUESTS = {(ICMP_OF[f], ECHO[f][0]) for f in FAMILIES}
COLUMNS = (
    "must hold", "from", "address", "to", "its address", "try", "when", "must be", "is seen", "counted by", "worked", "note",
)  # fmt: skip


@dataclass(frozen=True)
class Line:
    """One trial in words. key: the packet as it is tried, without the asker's port and the moment; equal for equal trials."""

    key: str
    source: str
    source_address: str
    destination: str
    destination_address: str
    service: str
    when: str
    seen: tuple[str, ...]
    """As the network is told to be; more than one where its ways differ."""
    counted: tuple[Step, ...]
    """The rules and defaults that decide the packet: their counters rise."""


def line(trial: Trial, names: Names) -> Line:
    """A trial in words."""
    flow, at = trial.flow, trial.expectation.at
    source, destination = (addresses.spell(flow.family, end) for end in (flow.src, flow.dst))
    from_, to, service = ends_of(flow, names)
    when = f"{flow.moment:%Y-%m-%d %H:%M}" if flow.moment else ""
    return Line(
        key_of(flow),
        _called(from_, source, names),
        source,
        _called(to, destination, names),
        destination,
        f"{service} (echo request)" if (flow.protocol, flow.first) in ECHO_REQUESTS else service,
        when if at is None or is_schedule(at, names) else at,
        tuple(dict.fromkeys(SEEN[part.symptom] for part in trial.parts)),
        tuple(dict.fromkeys(step for part in trial.parts for step in (*part.steps, *part.answer))),
    )


def _called(name: str, address: str, names: Names) -> str:
    """An end by its name, or by the segment that it is in."""
    if name != address:
        return name
    segment = next(routing_of(names.network).owners(addresses.parse(address)))[0]
    return f"a host of {segment.name}" if segment else name


def key_of(flow: Flow) -> str:
    """What is tried, whenever and from whichever port."""
    source, destination = (addresses.spell(flow.family, end) for end in (flow.src, flow.dst))
    return f"{source} to {destination} on {flow.service.partition(' from ')[0]}"


def counted(step: Step) -> str:
    """Who counts a packet, in words."""
    return decider(step) if step.policy is None else f"{decider(step)} ({step.device})"


def sheet_text(some: Iterable[Trials], names: Names) -> Iterator[str]:
    """The sheet for reading and ticking."""
    number = 0
    for told in some:
        yield sentence(told.expectation)
        for trial in told.trials:
            number += 1
            one = line(trial, names)
            when = f", at {one.when}" if one.when else ""
            yield f"  [ ] {number:3}  from {_end(one.source, one.source_address)} to {_end(one.destination, one.destination_address)}: {one.service}{when}"
            yield f"           {_remark(trial)}seen: {' or '.join(one.seen)}; counted by {', '.join(map(counted, one.counted)) or 'nobody'}"
        if told.why:
            yield f"  nothing to try: {told.why}"
        if told.more:
            yield f"  and {told.more:,} more like these"
    yield f"{number:,} to try"


def _remark(trial: Trial) -> str:
    """What must be, and whether it will."""
    must = "must answer" if trial.expectation.must == "allowed" else "must not answer"
    if trial.as_it_must is None:
        return f"{must}, nobody knows whether it will; "
    return f"{must}; " if trial.as_it_must else f"{must}, and {'will' if trial.works else 'will not'}; "


def _end(name: str, address: str) -> str:
    return name if name == address else f"{name} ({address})"


def sheet_csv(some: Iterable[Trials], names: Names) -> Iterator[str]:
    """A row for each trial, with empty columns for what is found."""
    yield _row(COLUMNS)
    for told in some:
        for trial in told.trials:
            one = line(trial, names)
            yield _row((
                told.expectation.name, one.source, one.source_address, one.destination, one.destination_address, one.service,
                one.when, told.expectation.must, " or ".join(one.seen), ", ".join(map(counted, one.counted)), "", "",
            ))  # fmt: skip


def _row(values: Iterable[str]) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="").writerow(values)
    return out.getvalue()
