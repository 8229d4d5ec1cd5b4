"""A traced question as the command line gives it."""

from __future__ import annotations

from typing import Any

from sarvex.formats.answers import Reply, Told, decider

VERSION = 1
ARROW = {"delivered": "passes", "dropped": "dropped", "rejected": "rejected", "undetermined": "undetermined"}


def trace_json(question: str, reply: Reply) -> dict[str, Any]:
    """The answer in the shape of `docs/schema/trace.json`."""
    return {
        "sarvex": VERSION,
        "question": question,
        "verdict": reply.verdict,
        "sentence": reply.sentence,
        "parts": [_part(t) for t in reply.parts],
    }


def _part(t: Told) -> dict[str, Any]:
    return {
        "result": t.result,
        "symptom": t.symptom,
        "source": list(t.sources),
        "destination": list(t.destinations),
        "service": list(t.services),
        "more_services": t.more_services,
        "missing": t.missing,
        "steps": [vars(step) for step in t.steps],
        "sample": t.sample.as_json() if t.sample else None,
    }


def trace_text(question: str, reply: Reply) -> str:
    """The same for reading."""
    lines = [f"{question}: {reply.sentence}"]
    for t in reply.parts:
        more = f" and {t.more_services} more" if t.more_services else ""
        places = f"{', '.join(t.sources)} → {', '.join(t.destinations)}"
        lines.append(f"  {ARROW[t.result]:12} {places} : {', '.join(t.services)}{more}")
        for step in t.steps:
            lines.append(f"    {step.device} {step.stage}: {step.action} by {decider(step)}")
        if t.missing:
            lines.append(f"    {t.missing}")
        if t.sample:
            lines.append(f"    for example {t.sample}")
    return "\n".join(lines) + "\n"
