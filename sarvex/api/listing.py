"""A policy with what its rules decide. Of a long list the text of each rule is kept: an edit leaves most of them."""

from __future__ import annotations

from collections import OrderedDict, defaultdict
from dataclasses import dataclass
from itertools import count
from secrets import token_hex
from threading import Lock
from typing import Any, Literal

from pydantic import BaseModel

from sarvex.api.decided import Decided, FindingOut, FlowOut, finding_out, flow_out, refs_out, works_out
from sarvex.core.findings.finding import Finding
from sarvex.core.model.records import Default, Network, Policy, Rule, Stage, fold
from sarvex.service.analysis.network_cache import Loaded


class AttachmentOut(BaseModel):
    """Where a policy is consulted: at a stage of a device, or (no device) at hosts, named in `entering`."""

    device: str | None
    stage: Stage
    entering: list[str]
    leaving: list[str]


class PolicyLine(BaseModel):
    id: int
    name: str
    description: str
    default: Default
    rules: int
    pending: bool
    """Whether what its rules decide is still being worked out."""
    warnings: int
    attachments: list[AttachmentOut]


class RuleRow(Decided):
    id: int
    ver: int
    position: int
    rule: Rule
    findings: list[FindingOut]


class Run(BaseModel):
    """Rows that follow each other: `first` counts from 0 in the version that is known; -1: the next ones that are told."""

    first: int
    length: int


class PolicyOut(PolicyLine):
    revision: int
    version: str
    """Of the rows; whoever tells it in `Sarvex-Known` is told only what became of them since."""
    known: str | None
    """The version to whose rows the others are added; None if all are told."""
    runs: list[Run]
    """The rows in order, where `known` is told; none else."""
    families: Literal["both", "4", "6"]
    rows: list[RuleRow]
    sections: list[SectionOut]
    default_decides: Literal["all", "part", "none", "undecided", "pending"]
    default_witness: FlowOut | None
    findings: list[FindingOut]


class SectionOut(BaseModel):
    """A section by the position of the rule it begins at; one past the last rule if it is empty there."""

    id: int
    ver: int
    name: str
    description: str
    begins: int


def policy_line_out(loaded: Loaded, policy: Policy) -> PolicyLine:
    report, whole = loaded.report_soon(policy, patience=0), loaded.network_findings_soon(patience=0)
    own = [f for f in whole or () if f.policy == policy.name]
    return PolicyLine(
        id=loaded.stored.policy_id(policy.name),
        name=policy.name,
        description=policy.description,
        default=policy.default,
        rules=len(policy.rules),
        pending=report is None or whole is None,
        warnings=sum(
            f.weight != "note" and not loaded.accepted(f)
            for f in (*(report.findings if report else ()), *own)
        ),
        attachments=attachments_out(loaded.network, policy),
    )


def attachments_out(network: Network, policy: Policy) -> list[AttachmentOut]:
    return [
        AttachmentOut(device=device.name, stage=a.stage, entering=list(a.entering), leaving=list(a.leaving))
        for device in network.devices
        for a in device.policies
        if fold(a.policy) == fold(policy.name)
    ] + [
        AttachmentOut(device=None, stage=at.direction, entering=list(at.hosts), leaving=["any"])
        for at in network.at_hosts
        if fold(at.policy) == fold(policy.name)
    ]


PENDING = Decided(
    decides="pending",
    kind=None,
    cause=None,
    by=[],
    by_count=0,
    taken=None,
    witness=None,
    exception_of=[],
    works=None,
)


def sections_out(loaded: Loaded, p: Policy) -> list[SectionOut]:
    """The sections of a policy, with where each begins."""
    position = {rule.name: index for index, rule in enumerate(p.rules, 1)}
    keys = loaded.stored.sections.get(loaded.stored.policy_id(p.name), ())
    return [
        SectionOut(
            id=key.id,
            ver=key.ver,
            name=key.name,
            description=key.description,
            begins=position[section.before] if section.before else len(p.rules) + 1,
        )
        for section, key in zip(p.sections, keys, strict=True)
    ]


class Listing:
    """What is told of a policy and of each of its rules, by place from 0, as far as that is worked out."""

    def __init__(self, loaded: Loaded, policy: Policy) -> None:
        self.loaded, self.policy = loaded, policy
        self.report = loaded.report_soon(policy, patience=0)
        self.keys = loaded.stored.rules.get(loaded.stored.policy_id(policy.name), ())
        self._refs = refs_out(loaded, policy)
        whole = loaded.network_findings_soon(patience=0) or ()
        self._told: dict[str | None, list[Finding]] = defaultdict(list)
        for f in (
            *(self.report.findings if self.report else ()),
            *(f for f in whole if f.policy == policy.name),
        ):
            self._told[f.rule].append(f)

    def out(self, rows: list[RuleRow]) -> PolicyOut:
        """The policy with these rows."""
        loaded, p, report = self.loaded, self.policy, self.report
        return PolicyOut(
            **policy_line_out(loaded, p).model_dump(),
            revision=loaded.stored.revision,
            version="",
            known=None,
            runs=[],
            families=p.families,
            rows=rows,
            sections=sections_out(loaded, p),
            default_decides=report.default_decides if report else "pending",
            default_witness=flow_out(report.default_witness) if report else None,
            findings=[finding_out(f, loaded.accepted(f)) for f in self._told[None]],
        )

    def row(self, at: int) -> RuleRow:
        """A rule with what it decides."""
        rule, key = self.policy.rules[at], self.keys[at]
        decided = self._refs.decided(self.report.rules[at]) if self.report else PENDING
        findings = [finding_out(f, self.loaded.accepted(f)) for f in self._told.get(rule.name, ())]
        return RuleRow(id=key.id, ver=key.ver, position=at + 1, rule=rule, findings=findings, **vars(decided))

    def basis(self, at: int) -> tuple[Any, ...]:
        """All that the row is made from, but its place: rows with the same are the same."""
        rule, key = self.policy.rules[at], self.keys[at]
        told = rule, key.id, key.ver, tuple(self._told.get(rule.name, ()))
        if self.report is None:
            return told
        r, ids, places = self.report.rules[at], self._refs.ids, self._refs.position
        return (
            *told, r.decides, r.kind, r.cause, r.by, r.by_count, r.exception_of, r.witness, r.taken,
            [(ids.get(name), places.get(name)) for name in r.by], works_out(r, self.policy),
        )  # fmt: skip


KEEP = 4
"""Policies whose texts are kept."""
VERSIONS = 8
"""Versions of a policy's rows to which a change can be told."""


@dataclass(frozen=True)
class Told:
    """The rows of a policy as texts, without their places; each with the version at which it became what it is."""

    version: int
    ids: tuple[int, ...]
    texts: list[bytes]
    since: list[int]
    orders: OrderedDict[int, tuple[int, ...]]
    """The rows by id, in order, of this version and some before it."""

    def runs(self, known: int) -> list[tuple[int, int]] | None:
        """The rows as runs: where one begins in version `known` and how long it is, or `NEW` and how many rows are not as they
        were there. None if that version is not kept any more. O(rows)."""
        if known not in self.orders:
            return None
        place = {id: at for at, id in enumerate(self.orders[known])}
        out: list[tuple[int, int]] = []
        for id, since in zip(self.ids, self.since, strict=True):
            at = place.get(id, NEW) if since <= known else NEW
            start, length = out[-1] if out else (NEW - 1, 0)
            if at == (NEW if start == NEW else start + length):
                out[-1] = start, length + 1
            else:
                out.append((at, 1))
        return out


NEW = -1


class Texts:
    """The texts of the rows of the policies asked for last, but for their places."""

    def __init__(self) -> None:
        self._kept: OrderedDict[int, tuple[Told, dict[int, tuple[Any, ...]]]] = OrderedDict()
        self._lock = Lock()
        self._versions = count(1)

    def rows(self, policy_id: int, listing: Listing) -> Told:
        """The rows as JSON. Rows that are as they were keep their text and their version."""
        with self._lock:
            before, bases = self._kept.pop(policy_id, (None, {}))
            version = next(self._versions)
        old = (
            {}
            if before is None
            else dict(zip(before.ids, zip(before.texts, before.since, strict=True), strict=True))
        )
        now: dict[int, tuple[Any, ...]] = {}
        texts, since = [], []
        for at, key in enumerate(listing.keys):
            basis = now[key.id] = listing.basis(at)
            if bases.get(key.id) == basis:
                text, changed = old[key.id]
            else:
                text, changed = listing.row(at).model_dump_json(exclude={"position"}).encode()[1:], version
            texts.append(text)
            since.append(changed)
        ids = tuple(key.id for key in listing.keys)
        if before is not None and before.ids == ids and before.since == since:
            told = before
        else:
            orders = OrderedDict(before.orders if before is not None else ())
            orders[version] = ids
            while len(orders) > VERSIONS:
                orders.popitem(last=False)
            told = Told(version, ids, texts, since, orders)
        with self._lock:
            self._kept[policy_id] = told, now
            while len(self._kept) > KEEP:
                self._kept.popitem(last=False)
        return told


_TEXTS = Texts()
_HERE = token_hex(4)
"""Versions are counted by each process for itself."""


def beginning(loaded: Loaded, p: Policy, first: int) -> bytes:
    """The policy with its first rows alone, which need not be known again."""
    listing = Listing(loaded, p)
    return (
        listing.out([listing.row(at) for at in range(min(first, len(listing.keys)))])
        .model_dump_json()
        .encode()
    )


def written(loaded: Loaded, p: Policy, known: str = "") -> bytes:
    """A policy with what its rules decide, as far as that is worked out: `PolicyOut` as JSON.

    To whoever has the rows of version `known`, only those that are not as they were there.
    """
    listing = Listing(loaded, p)
    told = _TEXTS.rows(loaded.stored.policy_id(p.name), listing)
    here, _, number = known.partition("-")
    before = int(number) if here == _HERE and number.isdecimal() else NEW
    runs = told.runs(before)
    shown = [
        b'{"position":%d,%b' % (at, text)
        for at, (text, since) in enumerate(zip(told.texts, told.since, strict=True), 1)
        if runs is None or since > before
    ]
    out = listing.out([]).model_copy(
        update={
            "version": f"{_HERE}-{told.version}",
            "known": known if runs else None,
            "runs": [Run(first=first, length=n) for first, n in runs or ()],
        }
    )
    rest = out.model_dump_json(exclude={"rows"}).encode()
    return rest[:-1] + b',"rows":[' + b",".join(shown) + b"]}"
