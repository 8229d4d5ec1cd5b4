"""A traced question as the command line gives it."""

from __future__ import annotations

from collections.abc import Iterator

from sarvex.core.forwarding.course import Place
from sarvex.core.forwarding.journeys import Step
from sarvex.core.time import moment_words
from sarvex.formats.answers import Reply, Told, decider
from sarvex.formats.outputs import VERSION, PartOutput, PlaceOutput, TraceOutput, flow_output, step_output

ARROW = {"delivered": "passes", "dropped": "dropped", "rejected": "rejected"}


def trace_json(question: str, reply: Reply) -> TraceOutput:
    """The answer as `sarvex.formats.outputs` has it."""
    out: TraceOutput = {
        "sarvex": VERSION,
        "question": question,
        "verdict": reply.verdict,
        "sentence": reply.sentence,
        "parts": [_part(t) for t in reply.parts],
    }
    if reply.asked.moment:
        out["at"] = reply.asked.moment.isoformat()
    return out


def _part(t: Told) -> PartOutput:
    out: PartOutput = {
        "result": t.result,
        "symptom": t.symptom,
        "source": list(t.sources),
        "destination": list(t.destinations),
        "service": list(t.services),
        "more_services": t.more_services,
        "missing": t.missing,
        "steps": [step_output(s) for s in t.steps],
        "answer": [step_output(s) for s in t.answer],
        "sample": flow_output(t.sample),
        "course": {"there": [*map(_place, t.course.there)], "back": [*map(_place, t.course.back)]},
    }
    if t.when:
        out["when"] = t.when
    return out


def _place(p: Place) -> PlaceOutput:
    out: PlaceOutput = {
        "device": p.device,
        "where": p.where,
        "entering": p.entering,
        "leaving": p.leaving,
        "step": step_output(p.step) if p.step else None,
        "told": p.told,
        "seen": flow_output(p.seen),
    }
    if p.became:
        out["became"] = flow_output(p.became)
    return out


def _step_text(step: Step) -> str:
    return f"    {step.device} {step.stage}: {step.action} by {decider(step)}"


def _course_text(t: Told) -> Iterator[str]:
    """What decided, and what translations and steering did, in their order."""
    for place in t.course.there:
        if place.step:
            yield _step_text(place.step)
        elif place.became and place.seen:
            became = f"{place.seen} becomes {place.became}" if place.became != place.seen else "as it is"
            yield f"    {place.device} {place.where}: {place.told}: {became}"
        elif place.where == "steering":
            yield f"    {place.device} steering: {place.told}{(place.leaving and f', by {place.leaving}') or ''}"


def trace_text(question: str, reply: Reply) -> str:
    """The same for reading."""
    moment = reply.asked.moment
    echo = f" (at {moment_words.spell(moment)})" if moment else ""
    lines = [f"{question}{echo}: {reply.sentence}", *([f"  ({reply.note})"] if reply.note else [])]
    for t in reply.parts:
        more = f" and {t.more_services} more" if t.more_services else ""
        places = f"{', '.join(t.sources)} → {', '.join(t.destinations)}"
        lines.append(
            f"  {ARROW.get(t.result, t.result):12} {places} : {', '.join(t.services)}{more}{t.when and f' {t.when}'}"
        )
        lines += map(_step_text, t.steps) if not t.course.there else _course_text(t)
        for step in t.answer:
            lines.append(f"    the answer: {step.device} {step.stage}: {step.action} by {decider(step)}")
        if t.missing:
            lines.append(f"    {t.missing}")
        if t.sample:
            lines.append(f"    for example {t.sample}")
    return "\n".join(lines) + "\n"
