"""A traced question as the command line gives it."""

from __future__ import annotations

from sarvex.formats.answers import Reply, Told, decider
from sarvex.formats.outputs import VERSION, PartOutput, TraceOutput, flow_output

ARROW = {"delivered": "passes", "dropped": "dropped", "rejected": "rejected"}


def trace_json(question: str, reply: Reply) -> TraceOutput:
    """The answer as `sarvex.formats.outputs` has it."""
    return {
        "sarvex": VERSION,
        "question": question,
        "verdict": reply.verdict,
        "sentence": reply.sentence,
        "parts": [_part(t) for t in reply.parts],
    }


def _part(t: Told) -> PartOutput:
    return {
        "result": t.result,
        "symptom": t.symptom,
        "source": list(t.sources),
        "destination": list(t.destinations),
        "service": list(t.services),
        "more_services": t.more_services,
        "missing": t.missing,
        "steps": [
            {
                "device": s.device,
                "stage": s.stage,
                "policy": s.policy,
                "rule": s.rule,
                "position": s.position,
                "action": s.action,
            }
            for s in t.steps
        ],
        "sample": flow_output(t.sample),
    }


def trace_text(question: str, reply: Reply) -> str:
    """The same for reading."""
    lines = [f"{question}: {reply.sentence}"]
    for t in reply.parts:
        more = f" and {t.more_services} more" if t.more_services else ""
        places = f"{', '.join(t.sources)} → {', '.join(t.destinations)}"
        lines.append(f"  {ARROW.get(t.result, t.result):12} {places} : {', '.join(t.services)}{more}")
        for step in t.steps:
            lines.append(f"    {step.device} {step.stage}: {step.action} by {decider(step)}")
        if t.missing:
            lines.append(f"    {t.missing}")
        if t.sample:
            lines.append(f"    for example {t.sample}")
    return "\n".join(lines) + "\n"
