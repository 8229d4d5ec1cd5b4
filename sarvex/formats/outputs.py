"""The shapes of the command line's JSON outputs; their JSON Schemas are made from these."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal, NotRequired

from typing_extensions import TypedDict

from sarvex.core.forwarding.journeys import Result, Step
from sarvex.core.model.records import Policy
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow
from sarvex.core.sets.services import has_ports, has_type
from sarvex.formats.finding_words import step_text

if TYPE_CHECKING:
    from sarvex.core.findings.tidy import Tidied

VERSION: Literal[1] = 1


class FlowOutput(TypedDict):
    """One packet: ports, or ICMP type and code, or neither, as its protocol has."""

    family: Literal[4, 6]
    src: str
    dst: str
    proto: int
    sport: NotRequired[int]
    dport: NotRequired[int]
    icmp_type: NotRequired[int]
    icmp_code: NotRequired[int]
    state: str
    at: NotRequired[str]
    """When, with the offset from UTC, where moments differ."""


class RuleOutput(TypedDict):
    """What one rule decides of what it matches."""

    rule: str
    position: int
    enabled: bool
    active: NotRequired[bool]
    """Whether its schedule makes it so at the moment asked about."""
    decides: Literal["all", "part", "none", "undecided"]
    kind: Literal["shadowed", "redundant"] | None
    cause: Literal["earlier", "later"] | None
    by: list[str]
    by_count: NotRequired[int]
    taken: FlowOutput | None
    witness: FlowOutput | None


class PolicyOutput(TypedDict):
    """One policy with all its rules."""

    policy: str
    default: Literal["allow", "drop", "reject", "continue"]
    rules: list[RuleOutput]


class FindingOutput(TypedDict):
    """One finding; `rule` is null when it is about a policy, both are null when it is about a name."""

    kind: str
    weight: Literal["error", "warning", "note"]
    policy: str | None
    rule: str | None
    text: str
    when: NotRequired[str]
    """Where it holds at some moments only."""
    name: NotRequired[str]
    by: list[str]
    accepted: NotRequired[AcceptedOutput]
    """That it may stay until a date; then it counts for the exit code again."""
    new: NotRequired[bool]
    """Whether the baseline has nothing of its kind there; told with one."""


class AcceptedOutput(TypedDict):
    """Why a finding may stay, and the last day on which it may."""

    reason: str
    until: str


class FindingsOutput(TypedDict):
    """The output of `findings`."""

    sarvex: Literal[1]
    policies: list[PolicyOutput]
    findings: list[FindingOutput]


class TidyStepOutput(TypedDict):
    """One rule that goes, with the place it had. `by` do the same for its packets; `field` is told of a merge."""

    rule: str
    position: int
    why: Literal["matches nothing", "decided earlier", "same later", "merged"]
    by: list[str]
    field: Literal["source", "destination", "service"] | None
    text: str


class TidyOutput(TypedDict):
    """The output of `tidy`. Nothing was settled about the rules in `undecided`: they stay."""

    sarvex: Literal[1]
    policy: str
    before: int
    after: int
    steps: list[TidyStepOutput]
    undecided: list[str]


SpanOutput = TypedDict("SpanOutput", {"from": NotRequired[str], "to": NotRequired[str], "week": list[str]})
"""Moments: in the windows of `week`, half-open, on the dates from the one to the other, both included.

No `from` is from the day of the analysis on, no `to` for ever.
"""


class BoxOutput(TypedDict):
    """A box of packets, closed ranges. `first` and `second` are source and destination port, or ICMP type and code."""

    family: Literal[4, 6]
    src: list[str]
    dst: list[str]
    proto: list[int]
    first: list[int]
    second: list[int]
    state: NotRequired[list[str]]
    when: NotRequired[list[SpanOutput]]


class LoggedOutput(TypedDict):
    """Whether the deciding rule logs, before and after."""

    before: bool
    after: bool


class ChangeOutput(TypedDict):
    """Packets treated alike before and alike after. `before` and `after` decide them; the boxes are exactly the set."""

    policy: str
    change: Literal[
        "newly allowed", "newly blocked", "newly passed on", "blocked differently", "logged differently",
        "translated differently", "steered differently",
    ]  # fmt: skip
    source: list[str]
    destination: list[str]
    service: list[str]
    when: NotRequired[str]
    """Where it changes at some moments only."""
    ways: NotRequired[list[str]]
    """Where `policy` is a place at which other policies are consulted than before: the ways through it, or the hosts."""
    before: str
    after: str
    logged: LoggedOutput
    witness: FlowOutput
    boxes: list[BoxOutput]


Fare = Literal["allowed", "by some ways", "undetermined", "blocked"]


class NetworkChangeOutput(TypedDict):
    """New packets that fare alike before and alike after, between hosts, or from or to a device itself; the boxes are exactly the set."""

    change: Literal["opens", "closes", "changes"]
    before: Fare
    after: Fare
    source: list[str]
    destination: list[str]
    service: list[str]
    when: NotRequired[str]
    """Where it changes at some moments only."""
    witness: FlowOutput
    boxes: list[BoxOutput]


class NetworkEffectOutput(TypedDict):
    """What a change does in the network. What is not among the changes lies in `remaining`."""

    equal: bool | None
    complete: bool
    changes: list[NetworkChangeOutput]
    remaining: NotRequired[list[BoxOutput]]


class VerdictChangeOutput(TypedDict):
    """Something that must hold and holds otherwise; null where it is not there."""

    expectation: str
    before: Literal["kept", "broken", "undetermined", "empty", "ended", "other time"] | None
    after: Literal["kept", "broken", "undetermined", "empty", "ended", "other time", "not worked out"] | None


class EffectOutput(TypedDict):
    """The output of `effect`. What is not among the changes lies in `remaining`; `outside` differs and is not told.

    `network`: what new packets reach afterwards and did not before, and the reverse; null where there is no ground, left out where one
    policy alone is compared; `expectations` that hold otherwise likewise.
    """

    sarvex: Literal[1]
    equal: bool | None
    complete: bool
    changes: list[ChangeOutput]
    remaining: NotRequired[list[BoxOutput]]
    network: NotRequired[NetworkEffectOutput | None]
    expectations: NotRequired[list[VerdictChangeOutput]]
    outside: NotRequired[list[str]]


class DifferenceOutput(TypedDict):
    """One thing that differs, by name; `what` tells of its fields, and of rules and interfaces inside."""

    section: str
    name: str
    change: Literal["added", "removed", "changed"]
    what: list[str]


class SettleOutput(TypedDict):
    """The output of `settle`: whether anything was changed, or with --check would be, and then what that does."""

    sarvex: Literal[1]
    changed: bool
    differences: list[DifferenceOutput]
    effect: NotRequired[EffectOutput]


class UseOutput(TypedDict):
    """One place that names something: a rule of a policy, or, without one, a name, a device or what must hold."""

    policy: str | None
    owner: str
    field: str


class ShownOutput(TypedDict):
    """The output of `show`: one thing as a document has it, its path and its place in its list, and who names it directly."""

    sarvex: Literal[1]
    path: str
    position: int
    thing: dict[str, Any]
    used: list[UseOutput]


class StepOutput(TypedDict):
    """One place passed or stopped at; a null rule is a default, a null policy the device's own."""

    device: str
    stage: str
    policy: str | None
    rule: str | None
    position: int | None
    action: Literal["allow", "drop", "reject"]


class PlaceOutput(TypedDict):
    """One place of a course: a stage of a device, its routes or one of its lists, or the device as it lets an answer pass."""

    device: str
    where: str
    entering: str | None
    leaving: str | None
    step: StepOutput | None
    told: str
    seen: FlowOutput | None
    """The packet as this place sees it."""
    became: NotRequired[FlowOutput | None]
    """What a translation made of it."""


class CourseOutput(TypedDict):
    """The way of a sample there and of its answer back, place by place; empty where ways were merged and none is shown."""

    there: list[PlaceOutput]
    back: list[PlaceOutput]


class PartOutput(TypedDict):
    """Packets of a question that share one fate."""

    result: Result
    symptom: str
    source: list[str]
    destination: list[str]
    service: list[str]
    more_services: int
    when: NotRequired[str]
    """Where it is so at some moments only."""
    missing: str | None
    steps: list[StepOutput]
    answer: list[StepOutput]
    """What decided the answer on its way back, where rules did."""
    sample: FlowOutput | None
    course: CourseOutput
    """Of the sample."""


class TraceOutput(TypedDict):
    """The output of `trace`."""

    sarvex: Literal[1]
    question: str
    at: NotRequired[str]
    """The moment asked about, with its offset from UTC."""
    verdict: Literal["allowed", "blocked", "some", "undetermined", "empty"]
    sentence: str
    parts: list[PartOutput]


class ReachOutput(TypedDict):
    """Packets from some hosts of one segment to some of another, or to a device itself. The boxes are exactly the set."""

    source: list[str]
    destination: list[str]
    service: list[str]
    when: NotRequired[str]
    """Where it is so at some moments only."""
    boxes: list[BoxOutput]


class CellOutput(TypedDict):
    """What new packets from one segment do in another, or at a device itself (`DEVICE itself`).

    `all`: everything works, by every way. `allowed` works by every way, `by_some_ways` by one and perhaps not by another; of what is
    `undetermined` nobody knows. The rest does not work; of that, what is `unanswered` arrives by some way and no answer comes back.
    """

    source: str
    destination: str
    verdict: Literal["all", "some", "none", "undetermined"]
    allowed: list[ReachOutput]
    by_some_ways: list[ReachOutput]
    undetermined: list[ReachOutput]
    unanswered: list[ReachOutput]


class MatrixOutput(TypedDict):
    """The output of `matrix`."""

    sarvex: Literal[1]
    service: str
    at: NotRequired[str]
    """The moment asked about, with its offset from UTC."""
    cells: list[CellOutput]


class ExpectationOutput(TypedDict):
    """Whether one expectation holds.

    `counterexample`: a packet that breaks it, or of which nobody knows how it fares. `stopped`: what stops that where it must be allowed;
    `let_through`: what lets it pass where it must be blocked.
    """

    expectation: str
    must: Literal["allowed", "blocked"]
    verdict: Literal["kept", "broken", "undetermined", "empty", "ended", "other time"]
    counterexample: FlowOutput | None
    stopped: StepOutput | None
    let_through: list[StepOutput]
    reason: str


class VerifyOutput(TypedDict):
    """The output of `verify`: how many of each verdict, and all of them in the order of the document."""

    sarvex: Literal[1]
    kept: int
    broken: int
    undetermined: int
    empty: int
    """They speak of no packet: as bad as broken."""
    ended: int
    other_time: int
    """They do not speak of the moment that was asked about."""
    expectations: list[ExpectationOutput]


def tidy_json(policy: Policy, told: Tidied) -> TidyOutput:
    """The steps of tidying a policy."""
    return {
        "sarvex": VERSION,
        "policy": policy.name,
        "before": len(policy.rules),
        "after": len(told.policy.rules),
        "steps": [
            {
                "rule": s.rule,
                "position": s.position,
                "why": s.why,
                "by": list(s.by),
                "field": s.field,
                "text": step_text(s),
            }
            for s in told.steps
        ],
        "undecided": list(told.undecided),
    }


def flow_output(flow: Flow | None) -> FlowOutput | None:
    """A flow, if there is one."""
    if flow is None:
        return None
    out: FlowOutput = {
        "family": 4 if flow.family == 4 else 6,
        "src": addresses.spell(flow.family, flow.src),
        "dst": addresses.spell(flow.family, flow.dst),
        "proto": flow.protocol,
        "state": flow.state,
    }
    if has_ports(flow.protocol):
        out["sport"], out["dport"] = flow.first or 0, flow.second or 0
    elif has_type(flow.family, flow.protocol):
        out["icmp_type"], out["icmp_code"] = flow.first or 0, flow.second or 0
    if flow.moment is not None:
        out["at"] = flow.moment.isoformat()
    return out


def step_output(s: Step) -> StepOutput:
    """A place passed or stopped at."""
    return {
        "device": s.device,
        "stage": s.stage,
        "policy": s.policy,
        "rule": s.rule,
        "position": s.position,
        "action": s.action,
    }


def schemas() -> dict[str, dict[str, Any]]:
    """The JSON Schema of each output by the command's name."""
    from pydantic import TypeAdapter

    outputs: dict[str, Any] = {
        "effect": EffectOutput,
        "findings": FindingsOutput,
        "matrix": MatrixOutput,
        "settle": SettleOutput,
        "show": ShownOutput,
        "tidy": TidyOutput,
        "trace": TraceOutput,
        "verify": VerifyOutput,
    }
    return {
        name: {
            "$schema": "https://json-schema.org/draft/2020-12/schema",
            **TypeAdapter(shape).json_schema(mode="serialization"),
        }
        for name, shape in outputs.items()
    }
