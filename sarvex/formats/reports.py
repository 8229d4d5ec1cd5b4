"""Findings as the command line gives them: JSON by contract, and text for people."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_rules import PolicyReport, RuleReport
from sarvex.core.time.moments import NO_SCHEDULES, Moments
from sarvex.formats import finding_words
from sarvex.formats.outputs import VERSION, FindingOutput, FindingsOutput, RuleOutput, flow_output

FEW = 50


def findings_json(
    reports: Sequence[PolicyReport], others: Iterable[Finding], moments: Moments = NO_SCHEDULES
) -> FindingsOutput:
    """All rules with what they decide, and all findings, as `sarvex.formats.outputs` has it."""
    return {
        "sarvex": VERSION,
        "policies": [
            {
                "policy": r.policy.name,
                "default": r.policy.default,
                "rules": [_rule(x, moments) for x in r.rules],
            }
            for r in reports
        ],
        "findings": [_finding(f) for f in all_findings(reports, others)],
    }


def all_findings(reports: Sequence[PolicyReport], others: Iterable[Finding]) -> list[Finding]:
    """Those about rules in list order, then those about policies and names."""
    return [*(f for r in reports for f in r.findings), *others]


def _rule(r: RuleReport, moments: Moments) -> RuleOutput:
    out: RuleOutput = {
        "rule": r.rule.name,
        "position": r.position,
        "enabled": r.rule.enabled,
        "decides": r.decides,
        "kind": r.kind,
        "cause": r.cause,
        "by": list(r.by[:FEW]),
        "taken": flow_output(r.taken),
        "witness": flow_output(r.witness),
    }
    if r.rule.schedule is not None and moments.is_one:
        out["active"] = bool(moments.times(r.rule.schedule))
    if r.by_count > FEW:
        out["by_count"] = r.by_count
    return out


def _finding(f: Finding) -> FindingOutput:
    out: FindingOutput = {
        "kind": f.kind,
        "weight": f.weight,
        "policy": f.policy,
        "rule": f.rule,
        "text": finding_words.text(f),
        "by": list(f.by),
    }
    if f.when:
        out["when"] = f.when
    if f.name is not None:
        out["name"] = f.name
    return out


def findings_text(reports: Sequence[PolicyReport], others: Sequence[Finding]) -> str:
    """The same for reading: each policy with its findings, then the rest."""
    lines = []
    for report in reports:
        lines.append(f"{report.policy.name}: {len(report.rules)} rules, otherwise {report.policy.default}")
        position = {r.rule.name: r.position for r in report.rules}
        for f in report.findings:
            lines.append(
                f"  {f.weight:7}  {position.get(f.rule or '', '-'):>4} {f.rule}: {f.kind}. {finding_words.text(f)}"
            )
    for f in others:
        where = f"{f.policy}, {f.rule}" if f.rule else f.policy or f.name
        lines.append(f"{f.weight:7}  {where}: {f.kind}. {finding_words.text(f)}")
    return "\n".join(lines) + "\n"
