"""Answers to questions as plain data: parts with one decider told together, and the verdict in a sentence."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field

from sarvex.core import naming, packets, services
from sarvex.core.addresses import FAMILIES
from sarvex.core.boxes import Boxes
from sarvex.core.flows import Flow
from sarvex.core.names import Names
from sarvex.core.packets import DESTINATION, PROTOCOL, SECOND, SOURCE
from sarvex.core.paths import Answer, Part, Step
from sarvex.core.services import ServiceSet
from sarvex.formats.questions import Asked

FEW_SERVICES = 5
FEW_DECIDERS = 2
OTHERWISE = "otherwise"


@dataclass(frozen=True)
class Told:
    """Parts of an answer that end alike: same result, same course."""

    result: str
    symptom: str
    sources: tuple[str, ...]
    destinations: tuple[str, ...]
    services: tuple[str, ...]
    more_services: int
    steps: tuple[Step, ...]
    missing: str | None
    sample: Flow | None


@dataclass(frozen=True)
class Reply:
    """A question and its answer, told."""

    asked: Asked = field(repr=False)
    verdict: str
    sentence: str
    parts: tuple[Told, ...]


def tell(asked: Asked, answer: Answer, names: Names) -> Reply:
    """The answer in words. For an open question only what passes is told, unless nothing does."""
    groups: dict[tuple[object, ...], list[Part]] = defaultdict(list)
    for part in answer.parts:
        groups[part.result, part.symptom, part.steps, part.missing].append(part)
    told = tuple(_told(parts, names) for parts in groups.values())
    passing = tuple(t for t in told if t.result == "delivered")
    if asked.open and passing:
        told = passing
    return Reply(asked, answer.verdict, _sentence(asked, answer.verdict, told), told)


def _told(parts: list[Part], names: Names) -> Told:
    together = packets.union(p.packets for p in parts)
    words = _services([together[f] for f in FAMILIES])
    first = parts[0]
    return Told(
        first.result,
        first.symptom,
        tuple(naming.name(naming.project(together, SOURCE), names)),
        tuple(naming.name(naming.project(together, DESTINATION), names)),
        tuple(words[:FEW_SERVICES]),
        max(0, len(words) - FEW_SERVICES),
        first.steps,
        first.missing,
        first.sample,
    )


def _services(arrays: list[Boxes]) -> list[str]:
    """The services of some boxes in words, `any` alone if it is among them."""
    words: dict[str, None] = {}
    for array in arrays:
        own = array[:, PROTOCOL : SECOND + 1].astype("int64")
        for word in services.describe(ServiceSet(own, own[:0])):
            words.setdefault(word)
    return ["any"] if "any" in words else list(words)


def decider(step: Step) -> str:
    """Who decided, in the network's own names."""
    if step.rule is not None:
        return step.rule
    return f"{OTHERWISE} in {step.policy}" if step.policy else f"the {step.stage} default of {step.device}"


def _sentence(asked: Asked, verdict: str, told: tuple[Told, ...]) -> str:
    if asked.open and verdict in ("allowed", "some"):
        who = {"who": "sources", "where": "destinations", "what": "services"}[asked.open]
        return f"{_places(asked, told)} {who}" if asked.open != "what" else _what(told)
    match verdict:
        case "empty":
            return "no such packets: the two sides share no address family, or one is empty"
        case "undetermined":
            return f"undetermined: {next(t.missing for t in told if t.missing)}"
        case "allowed":
            return f"allowed{_by(told)}"
        case "blocked":
            return f"blocked{_by(told)} · {_symptoms(told)}"
    passing = tuple(t for t in told if t.result == "delivered")
    stopped = tuple(t for t in told if t.result in ("dropped", "rejected"))
    unknown = " · some undetermined" if any(t.result == "undetermined" for t in told) else ""
    return (
        f"some allowed{_by(passing)}; {f'rest blocked{_by(stopped)}' if stopped else 'rest unknown'}{unknown}"
    )


def _by(told: tuple[Told, ...]) -> str:
    names = list(dict.fromkeys(decider(t.steps[-1]) for t in told if t.steps))
    if not names:
        return ", passes no device" if told else ""
    more = len(names) - FEW_DECIDERS
    return " by " + ", ".join(names[:FEW_DECIDERS]) + (f" and {more} more" if more > 0 else "")


def _symptoms(told: tuple[Told, ...]) -> str:
    return ", ".join(dict.fromkeys(t.symptom for t in told))


def _places(asked: Asked, told: tuple[Told, ...]) -> str:
    names = [n for t in told for n in (t.sources if asked.open == "who" else t.destinations)]
    return str(len(set(names)))


def _what(told: tuple[Told, ...]) -> str:
    words = list(dict.fromkeys(w for t in told for w in t.services))
    more = len(words) - FEW_SERVICES + sum(t.more_services for t in told)
    return ", ".join(words[:FEW_SERVICES]) + (f" and {more} more" if more > 0 else "")
