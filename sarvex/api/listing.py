"""A policy with what its rules decide. Of a long list the text of each rule is kept: an edit leaves most of them."""

from __future__ import annotations

from collections import OrderedDict, defaultdict
from threading import Lock
from typing import Any

from sarvex.api import shapes, views
from sarvex.core.findings.of_rules import Finding
from sarvex.core.model.records import Policy
from sarvex.service.analysis.network_cache import Loaded

KEEP = 4
"""Policies whose texts are kept."""


class Listing:
    """What is told of a policy and of each of its rules, by place from 0, as far as that is worked out."""

    def __init__(self, loaded: Loaded, policy: Policy) -> None:
        self.loaded, self.policy = loaded, policy
        self.report = loaded.report_soon(policy, patience=0)
        self.keys = loaded.stored.rules.get(loaded.stored.policy_id(policy.name), ())
        self._refs = views.refs(loaded, policy)
        whole = loaded.network_findings_soon(patience=0) or ()
        self._told: dict[str | None, list[Finding]] = defaultdict(list)
        for f in (
            *(self.report.findings if self.report else ()),
            *(f for f in whole if f.policy == policy.name),
        ):
            self._told[f.rule].append(f)

    def out(self, rows: list[shapes.RuleRow]) -> shapes.PolicyOut:
        """The policy with these rows."""
        loaded, p, report = self.loaded, self.policy, self.report
        return shapes.PolicyOut(
            **views.policy_line(loaded, p).model_dump(),
            revision=loaded.stored.revision,
            families=p.families,
            rows=rows,
            sections=views.sections(loaded, p),
            default_decides=report.default_decides if report else "pending",
            default_witness=views.flow(report.default_witness) if report else None,
            findings=[views.finding(f) for f in self._told[None]],
        )

    def row(self, at: int) -> shapes.RuleRow:
        """A rule with what it decides."""
        rule, key = self.policy.rules[at], self.keys[at]
        decided = self._refs.decided(self.report.rules[at]) if self.report else views.PENDING
        findings = [views.finding(f) for f in self._told.get(rule.name, ())]
        return shapes.RuleRow(
            id=key.id, ver=key.ver, position=at + 1, rule=rule, findings=findings, **vars(decided)
        )

    def basis(self, at: int) -> tuple[Any, ...]:
        """All that the row is made from, but its place: rows with the same are the same."""
        rule, key = self.policy.rules[at], self.keys[at]
        told = rule, key.id, key.ver, tuple(self._told.get(rule.name, ()))
        if self.report is None:
            return told
        r, ids, places = self.report.rules[at], self._refs.ids, self._refs.position
        return (
            *told, r.decides, r.kind, r.cause, r.by, r.by_count, r.exception_of, r.witness, r.taken,
            [(ids.get(name), places.get(name)) for name in r.by], views.works(r, self.policy),
        )  # fmt: skip


class Texts:
    """The texts of the rows of the policies asked for last, but for their places."""

    def __init__(self) -> None:
        self._kept: OrderedDict[int, dict[int, tuple[tuple[Any, ...], bytes]]] = OrderedDict()
        self._lock = Lock()

    def rows(self, policy_id: int, listing: Listing) -> list[bytes]:
        """The rows as JSON."""
        with self._lock:
            before = self._kept.pop(policy_id, {})
        made, told = {}, []
        for at, key in enumerate(listing.keys):
            basis = listing.basis(at)
            known = before.get(key.id)
            if known is None or known[0] != basis:
                known = basis, listing.row(at).model_dump_json(exclude={"position"}).encode()[1:]
            made[key.id] = known
            told.append(b'{"position":%d,%b' % (at + 1, known[1]))
        with self._lock:
            self._kept[policy_id] = made
            while len(self._kept) > KEEP:
                self._kept.popitem(last=False)
        return told


_TEXTS = Texts()


def written(loaded: Loaded, p: Policy) -> bytes:
    """A policy with what its rules decide, as far as that is worked out: `PolicyOut` as JSON."""
    listing = Listing(loaded, p)
    rows = _TEXTS.rows(loaded.stored.policy_id(p.name), listing)
    rest = listing.out([]).model_dump_json(exclude={"rows"}).encode()
    return rest[:-1] + b',"rows":[' + b",".join(rows) + b"]}"
