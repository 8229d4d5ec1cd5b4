"""Whether what must hold does, as the command line tells it: for reading, as JSON, and as JUnit XML."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from xml.etree import ElementTree

from sarvex.core.forwarding.journeys import Step
from sarvex.core.forwarding.routing import Link
from sarvex.core.forwarding.scopes import speaks_of
from sarvex.core.forwarding.walk import Part
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Expectation, Network
from sarvex.core.reach.expectations import BAD, Judged, Verdict, how_it_comes
from sarvex.core.sets.flows import Flow
from sarvex.formats.answers import decider, ends_of
from sarvex.formats.outputs import VERSION, ExpectationOutput, VerifyOutput, flow_output, step_output

WORD: dict[Verdict, str] = {
    "kept": "holds", "broken": "BROKEN", "undetermined": "not known", "empty": "EMPTY", "ended": "ended", "other time": "other time",
}  # fmt: skip
COUNTED: tuple[Verdict, ...] = ("kept", "broken", "undetermined", "empty", "ended", "other time")


@dataclass(frozen=True, eq=False)
class Told:
    """An expectation and whether it holds, with a packet that says why and where that ends or comes through."""

    judged: Judged
    sample: Flow | None
    ends: tuple[str, str, str]
    """The packet in names: from, to, service."""
    stopped: Step | None
    """What stops the packet, where something does."""
    let_through: tuple[Step, ...]
    """What lets it through, where it should be blocked."""
    reason: str
    mended_in: str | None = None
    """The policy in which a rule would make the packet fare otherwise: that decides it, or else that left it to a default last."""

    @property
    def expectation(self) -> Expectation:
        """What is expected."""
        return self.judged.expectation


def told(
    judged: Iterable[Judged], network: Network, names: Names, without: frozenset[Link] = frozenset()
) -> Iterator[Told]:
    """Each of some verdicts with its reason, while something is unplugged. One walk for each that does not hold."""
    for one in judged:
        sample, parts = how_it_comes(one, network, names, without)
        part = parts[0] if parts else None
        stopped = (
            part.steps[-1]
            if part and part.result in ("dropped", "rejected") and not part.missing and part.steps
            else None
        )
        passing = part.steps if part and part.result == "delivered" else ()
        mended = (_decides(part, step) for step in ((stopped,) if stopped else passing)) if part else iter(())
        yield Told(
            one, sample, ends_of(sample, names), stopped, passing, _reason(one, part, stopped), next(filter(None, mended), None)
        )  # fmt: skip


def _decides(part: Part, step: Step) -> str | None:
    """The policy that decides at a place, or the last that left it to the default there."""
    if step.policy is not None:
        return step.policy
    through = next((c for c in part.way if c.device.name == step.device), None)
    if through is None:
        return None
    asked = [
        a.policy
        for a in through.device.policies
        if a.stage == step.stage and speaks_of(a, through.entering, through.leaving)
    ]
    return asked[-1] if asked else None


def _reason(one: Judged, part: Part | None, stopped: Step | None) -> str:
    """Why it is as it is, in a sentence; nothing where it holds."""
    if one.why or one.verdict in ("kept", "other time"):
        return one.why
    if one.verdict == "ended":
        return f"it was to hold until {one.expectation.until or one.expectation.at}"
    if part is None:
        return "it is not known by which way"
    if part.result == "delivered":
        by = [decider(step) for step in part.steps if step.rule or step.policy] or list(
            map(decider, part.steps)
        )
        return f"let through by {', '.join(dict.fromkeys(by))}" if by else "no device is on the way"
    if stopped is not None:
        where = f"{stopped.device}, {stopped.stage}" if stopped.stage else stopped.device
        return f"{part.result} by {decider(stopped)} ({where})"
    return part.missing or part.result


def counts(told: Iterable[Told]) -> Counter[Verdict]:
    """How many there are of each verdict."""
    return Counter(one.judged.verdict for one in told)


def all_kept(told: Iterable[Told]) -> bool:
    """Whether nothing is broken, undetermined or empty."""
    return not any(one.judged.verdict in BAD for one in told)


def verify_json(some: Sequence[Told]) -> VerifyOutput:
    """The verdicts as `sarvex.formats.outputs` has them."""
    number = counts(some)
    return {
        "sarvex": VERSION, "kept": number["kept"], "broken": number["broken"], "undetermined": number["undetermined"],
        "empty": number["empty"], "ended": number["ended"], "other_time": number["other time"],
        "expectations": [_output(one) for one in some],
    }  # fmt: skip


def _output(one: Told) -> ExpectationOutput:
    return {
        "expectation": one.expectation.name,
        "must": one.expectation.must,
        "verdict": one.judged.verdict,
        "counterexample": flow_output(one.sample),
        "stopped": step_output(one.stopped) if one.stopped else None,
        "let_through": [step_output(step) for step in one.let_through],
        "reason": one.reason,
    }


def verify_text(some: Sequence[Told]) -> Iterator[str]:
    """The same for reading: those that do not hold first."""
    for one in sorted(some, key=lambda t: t.judged.verdict not in BAD):
        yield f"{WORD[one.judged.verdict]:10}  {sentence(one.expectation)}"
        if one.reason:
            source, destination, service = one.ends
            yield f"            {f'{source} → {destination} : {service}: ' if one.sample else ''}{one.reason}"
    number = counts(some)
    yield ", ".join(f"{number[v]} {WORD[v].lower()}" for v in COUNTED if number[v]) or "nothing must hold"


def sentence(one: Expectation) -> str:
    """An expectation in words: its name, and who must or must not reach whom."""
    must = "must reach" if one.must == "allowed" else "must not reach"
    service = f" on {', '.join(one.service)}" if one.service != ("any",) else ""
    return f"{one.name}: {', '.join(one.source)} {must} {', '.join(one.destination)}{service}{f' at {one.at}' if one.at else ''}"


def verify_junit(some: Sequence[Told], name: str) -> str:
    """The same as JUnit XML: a test case for each, a failure for each that is broken or empty, an error for what nobody knows."""
    number = counts(some)
    suite = ElementTree.Element(
        "testsuite", name=name, tests=str(len(some)), failures=str(number["broken"] + number["empty"]), errors=str(number["undetermined"]),
        skipped=str(number["ended"] + number["other time"]),
    )  # fmt: skip
    for one in some:
        case = ElementTree.SubElement(
            suite, "testcase", classname="what must hold", name=one.expectation.name
        )
        kind = {"broken": "failure", "empty": "failure", "undetermined": "error", "kept": ""}.get(
            one.judged.verdict, "skipped"
        )
        if kind:
            told = ElementTree.SubElement(case, kind, message=one.reason or WORD[one.judged.verdict])
            told.text = sentence(one.expectation) + (f"\n{one.sample}" if one.sample else "")
    ElementTree.indent(suite)
    return ElementTree.tostring(suite, encoding="unicode", xml_declaration=True) + "\n"
