"""A traced question as the command line gives it."""

from __future__ import annotations

from sarvex.core.forwarding.course import Place
from sarvex.core.forwarding.journeys import Step
from sarvex.formats import moment_words
from sarvex.formats.answers import Reply, Told, decider
from sarvex.formats.outputs import VERSION, PartOutput, PlaceOutput, StepOutput, TraceOutput, flow_output

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
        "steps": [_step(s) for s in t.steps],
        "answer": [_step(s) for s in t.answer],
        "sample": flow_output(t.sample),
        "course": {"there": [*map(_place, t.course.there)], "back": [*map(_place, t.course.back)]},
    }
    if t.when:
        out["when"] = t.when
    return out


def _place(p: Place) -> PlaceOutput:
    return {
        "device": p.device,
        "where": p.where,
        "entering": p.entering,
        "leaving": p.leaving,
        "step": _step(p.step) if p.step else None,
        "told": p.told,
    }


def _step(s: Step) -> StepOutput:
    return {
        "device": s.device,
        "stage": s.stage,
        "policy": s.policy,
        "rule": s.rule,
        "position": s.position,
        "action": s.action,
    }


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
        for step in t.steps:
            lines.append(f"    {step.device} {step.stage}: {step.action} by {decider(step)}")
        for step in t.answer:
            lines.append(f"    the answer: {step.device} {step.stage}: {step.action} by {decider(step)}")
        if t.missing:
            lines.append(f"    {t.missing}")
        if t.sample:
            lines.append(f"    for example {t.sample}")
    return "\n".join(lines) + "\n"
