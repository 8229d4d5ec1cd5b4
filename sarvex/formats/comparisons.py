"""A comparison to take away: as JSON for machines, as one HTML page for reading and printing."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import asdict
from datetime import datetime
from html import escape
from typing import Any

from sarvex.core.change.effect_in_names import Change
from sarvex.core.change.network_effect import NetworkEffect
from sarvex.core.findings.finding import Finding
from sarvex.core.meaning.names import Names
from sarvex.core.model.differences import Difference
from sarvex.core.model.renames import Rename
from sarvex.formats import finding_words
from sarvex.formats.effects import Compared, effect_json, holding_text, sentence
from sarvex.formats.network_effects import NOBODY, fares, network_changes, network_sentence, stop_words
from sarvex.formats.outputs import VERSION

STYLE = """body{font:15px/1.45 system-ui,sans-serif;color:#15242e;background:#fcfaf4;max-width:60rem;margin:2rem auto;padding:0 1rem}
h1{font-size:1.3rem}h2{font-size:1rem;margin:1.6rem 0 .3rem;border-bottom:1px solid #c6dbdf}table{border-collapse:collapse;width:100%}
td,th{text-align:left;vertical-align:top;padding:.2rem .8rem .2rem 0;border-bottom:1px solid #e3edee}
.soft{color:#51626c}@media print{body{background:#fff;margin:0}}"""


def comparison_json(
    network: str, before: str, after: str, renames: Sequence[Rename], differences: Sequence[Difference],
    told: Compared, come: Sequence[Finding] | None, go: Sequence[Finding] | None,
) -> str:  # fmt: skip
    """The comparison as JSON text; `effect` is what `sarvex effect --format json` gives."""
    out: dict[str, Any] = {
        "sarvex": VERSION,
        "network": network,
        "before": before,
        "after": after,
        "renames": [asdict(r) for r in renames],
        "differences": [asdict(d) for d in differences],
        "effect": effect_json(told),
        "findings": None if come is None or go is None else {"come": _found(come), "go": _found(go)},
    }
    return json.dumps(out, indent=1, ensure_ascii=False) + "\n"


def _in_network(told: NetworkEffect, names: Names) -> str:
    rows = [
        (change.kind, network_sentence(change), fares(change), str(change.witness))
        for change in network_changes(told, names, exactly=False)
    ]
    stops = [f"The rest still ends {'; '.join(map(stop_words, told.stops))}."] if told.stops else []
    words = "".join(f"<p>{escape(text)}</p>" for text in [*([NOBODY] if told.equal else []), *stops])
    return (
        "<h3>In the network</h3>"
        + (_table(("change", "what", "", "for example"), rows) if rows else "")
        + words
    )


def _found(findings: Iterable[Finding]) -> list[dict[str, Any]]:
    keys = ("kind", "weight", "policy", "rule", "name", "when")
    return [{**{key: getattr(f, key) for key in keys}, "text": finding_words.text(f)} for f in findings]


def comparison_html(
    network: str, before: str, after: str, renames: Sequence[Rename], differences: Sequence[Difference],
    told: Compared, come: Sequence[Finding] | None, go: Sequence[Finding] | None, made_at: datetime,
) -> str:  # fmt: skip
    """The comparison as a page of its own: no scripts, nothing fetched."""
    title = f"{network}: from {before} to {after}"
    parts = [
        f"<!doctype html><html lang='en'><meta charset='utf-8'><title>{escape(title)}</title><style>{STYLE}</style>",
        f"<h1>{escape(title)}</h1><p class='soft'>made {made_at:%Y-%m-%d %H:%M} UTC</p>",
        "<h2>What it does</h2>",
    ]
    if told.equal:
        parts.append("<p>Same effect, proven.</p>")
    parts += [f"<p>{escape(words)}</p>" for words in (holding_text(told.holding) if told.holding else ())]
    by_policy: dict[str, list[Change]] = {}
    for change in told.changes:
        by_policy.setdefault(change.policy, []).append(change)
    for policy, changes in by_policy.items():
        rows = [(c.kind, sentence(c), f"{c.before} → {c.after}", str(c.witness)) for c in changes]
        parts.append(
            f"<h3>{escape(policy)}</h3>" + _table(("what", "which", "decided by", "for instance"), rows)
        )
    if told.network is not None:
        parts.append(_in_network(told.network, told.names))
    if not told.complete:
        parts.append("<p>More may change than is told.</p>")
    if told.outside:
        parts.append("<p>This differs, too; its effect on the network is not told:</p>" + _list(told.outside))
    parts.append("<h2>What was edited</h2>")
    if not differences and not renames:
        parts.append("<p>Nothing.</p>")
    parts.append(_list(f"{r.old} is called {r.new} now ({_within(r)}): no effect" for r in renames))
    parts.append(
        _table(
            ("name", "kind", "change", "what"),
            [(d.name, d.section, d.change, ", ".join(d.what)) for d in differences],
        )
    )
    for head, found in (("Findings that come", come), ("Findings that go", go)):
        parts.append(f"<h2>{head}</h2>")
        if found is None:
            parts.append("<p>Not told: its lists are too long.</p>")
        else:
            lines = [
                (f.weight, " / ".join(filter(None, (f.policy, f.rule or f.name))), finding_words.text(f))
                for f in found
            ]
            parts.append(_table(("weight", "where", "what"), lines) if lines else "<p>None.</p>")
    return "\n".join(p for p in parts if p) + "\n"


def _within(r: Rename) -> str:
    return f"rule of {r.policy}" if r.policy else r.section


def _table(head: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    if not rows:
        return ""
    cells = "".join(f"<th>{escape(h)}</th>" for h in head)
    body = "".join("<tr>" + "".join(f"<td>{escape(c)}</td>" for c in row) + "</tr>" for row in rows)
    return f"<table><tr>{cells}</tr>{body}</table>"


def _list(items: Iterable[str]) -> str:
    found = "".join(f"<li>{escape(i)}</li>" for i in items)
    return f"<ul>{found}</ul>" if found else ""
