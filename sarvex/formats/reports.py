"""Findings as the command line gives them: JSON by contract, and text for people."""

from __future__ import annotations

from collections.abc import Container, Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sarvex.core.findings.accepted import Identity, Owners, identity
from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_rules import PolicyReport, RuleReport
from sarvex.core.model.records import Accepted
from sarvex.core.time.moments import ALWAYS, NO_SCHEDULES, Moments
from sarvex.formats import finding_words
from sarvex.formats.outputs import VERSION, FindingOutput, FindingsOutput, RuleOutput, flow_output

FEW = 50
NOTHING = {False: "nothing found", True: "nothing new"}


Known = Container[Identity]
"""What a baseline has findings of."""


@dataclass(frozen=True)
class Standing:
    """What is known of findings beside what they say: which are accepted today, and which a baseline has as well."""

    owners: Owners
    today: date
    known: Known | None = None

    def accepted(self, f: Finding) -> Accepted | None:
        """How a finding is accepted."""
        return self.owners.accepted(f, self.today)

    def counts(self, f: Finding) -> bool:
        """Whether it is a warning or more that nobody accepts, and new if there is a baseline."""
        return f.weight != "note" and self.is_new(f) is not False and not self.accepted(f)

    def is_new(self, f: Finding) -> bool | None:
        """Whether the baseline has nothing of its kind there; None without one."""
        return None if self.known is None else identity(f) not in self.known


def findings_json(
    reports: Sequence[PolicyReport],
    others: Iterable[Finding],
    standing: Standing,
    moments: Moments = NO_SCHEDULES,
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
        "findings": [_finding(f, standing) for f in all_findings(reports, others)],
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
    if (r.rule.schedule is not None or r.rule.until) and moments.is_one:
        during = ALWAYS if r.rule.schedule is None else moments.times(r.rule.schedule)
        out["active"] = bool(during & (moments.until(r.rule.until) if r.rule.until else ALWAYS))
    if r.by_count > FEW:
        out["by_count"] = r.by_count
    return out


def _finding(f: Finding, standing: Standing) -> FindingOutput:
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
    accepted, new = standing.accepted(f), standing.is_new(f)
    if accepted:
        out["accepted"] = {"reason": accepted.reason, "until": accepted.until}
    if new is not None:
        out["new"] = new
    return out


def findings_text(reports: Sequence[PolicyReport], others: Sequence[Finding], standing: Standing) -> str:
    """The same for reading: each policy with its findings, then the rest. With a baseline only what is new."""

    def said(f: Finding) -> str:
        accepted = standing.accepted(f)
        return finding_words.text(f) + (
            f" Accepted until {accepted.until}: {accepted.reason}" if accepted else ""
        )

    lines = []
    for report in reports:
        if standing.known is not None and not any(map(standing.is_new, report.findings)):
            continue
        lines.append(f"{report.policy.name}: {len(report.rules)} rules, otherwise {report.policy.default}")
        position = {r.rule.name: r.position for r in report.rules}
        for f in report.findings:
            if standing.is_new(f) is not False:
                lines.append(
                    f"  {f.weight:7}  {position.get(f.rule or '', '-'):>4} {f.rule}: {f.kind}. {said(f)}"
                )
    for f in others:
        if standing.is_new(f) is not False:
            lines.append(f"{f.weight:7}  {_where(f)}: {f.kind}. {said(f)}")
    return "\n".join(lines or [NOTHING[standing.known is not None]]) + "\n"


def _where(f: Finding) -> str:
    return f"{f.policy}, {f.rule}" if f.rule else f.policy or f.name or ""


SARIF = "2.1.0"


def findings_sarif(found: Sequence[Finding], standing: Standing, file: str) -> dict[str, Any]:
    """Findings as SARIF 2.1.0 (OASIS): what is accepted is suppressed, and with a baseline it is told what is new."""
    kinds = sorted({f.kind for f in found})
    return {
        "version": SARIF,
        "runs": [
            {
                "tool": {
                    "driver": {
                        "name": "Sarvex",
                        "rules": [{"id": _id(k), "shortDescription": {"text": k}} for k in kinds],
                    }
                },
                "results": [_result(f, standing, file) for f in found],
            }
        ],
    }


def _result(f: Finding, standing: Standing, file: str) -> dict[str, Any]:
    logical = [
        {"name": name, "fullyQualifiedName": path, "kind": kind}
        for name, kind, path in (
            (f.policy, "policy", f.policy),
            (f.rule, "rule", f"{f.policy}/{f.rule}"),
            (f.name, "name", f.name),
        )
        if name
    ]
    out: dict[str, Any] = {
        "ruleId": _id(f.kind),
        "level": f.weight,
        "message": {"text": f"{_where(f)}: {finding_words.text(f)}" if _where(f) else finding_words.text(f)},
        "locations": [
            {"physicalLocation": {"artifactLocation": {"uri": file}}, "logicalLocations": logical[-1:]}
        ],
        "partialFingerprints": {"sarvex/v1": "/".join(part.replace("/", "%2F") for part in identity(f))},
    }
    new, accepted = standing.is_new(f), standing.accepted(f)
    if new is not None:
        out["baselineState"] = "new" if new else "unchanged"
    if accepted:
        told = f"{accepted.reason} (until {accepted.until})"
        out["suppressions"] = [{"kind": "external", "status": "accepted", "justification": told}]
    return out


def _id(kind: str) -> str:
    return kind.replace(" ", "-")
