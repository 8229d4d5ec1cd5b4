"""From what the service floor knows to what the API gives."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any, Literal

from sarvex.api import shapes
from sarvex.core.change.effect import Effect
from sarvex.core.change.effect_in_names import Change, first_changes
from sarvex.core.change.positions import of_dead
from sarvex.core.change.stage_effects import StageEffect
from sarvex.core.findings.of_rules import DEFAULT_NAME, Finding, RuleReport
from sarvex.core.findings.tidy import Tidied
from sarvex.core.firstmatch.rule_list import DEFAULT
from sarvex.core.forwarding.paths import Step
from sarvex.core.forwarding.stage_lists import OneList
from sarvex.core.meaning.names import Names
from sarvex.core.model.differences import Difference
from sarvex.core.model.edits import NEW
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import AddressObject, Host, Network, Policy, Segment, ServiceObject, fold
from sarvex.core.model.uses import Space, Use, through
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow
from sarvex.formats import moment_words
from sarvex.formats.answers import Reply
from sarvex.formats.effects import told_place
from sarvex.formats.flow_table import ERROR, RESULT, Table
from sarvex.service import audit
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.drafts.consequences import Look
from sarvex.service.drafts.history import Entry
from sarvex.service.editions.answer_history import Since
from sarvex.service.editions.comparisons import Comparison
from sarvex.service.errors import NotFound
from sarvex.service.releases import releases, reviews
from sarvex.store.things import KIND_OF

KIND: dict[type, Literal["host", "segment", "addresses", "service"]] = {
    Host: "host",
    Segment: "segment",
    AddressObject: "addresses",
    ServiceObject: "service",
}
FEW = 50
MOST_FLOWS = 20_000
FEW_VALUES = 12


def finding(f: Finding) -> shapes.FindingOut:
    return shapes.FindingOut(
        kind=f.kind, weight=f.weight, policy=f.policy, rule=f.rule, text=f.text, by=list(f.by), name=f.name,
        field=f.field, members=list(f.members), when=f.when,
    )  # fmt: skip


NAMED: tuple[Literal["address", "service", "host", "segment", "schedule"], ...] = (
    "address", "service", "host", "segment", "schedule",
)  # fmt: skip
WEIGHTS = ("error", "warning", "note")


def all_findings(loaded: Loaded) -> list[shapes.PlacedFinding]:
    found = [f for p in loaded.network.policies for f in loaded.report(p).findings]
    at = {p.name: {rule.name: i for i, rule in enumerate(p.rules)} for p in loaded.network.policies}
    placed = [_placed(f, loaded, at) for f in (*found, *loaded.network_findings)]
    return sorted(placed, key=lambda f: WEIGHTS.index(f.weight))


def _placed(f: Finding, loaded: Loaded, at: Mapping[str, Mapping[str, int]]) -> shapes.PlacedFinding:
    """`at`: of each policy the places of its rules, by name."""
    stored = loaded.stored
    policy_id = stored.policy_id(f.policy) if f.policy else None
    position = rule_id = None
    if f.policy and f.rule and policy_id is not None:
        index = at[f.policy][f.rule]
        position, rule_id = index + 1, stored.rules[policy_id][index].id
    key = fold(f.name or "")
    kind = next((k for k in NAMED if f.name and (k, key) in stored.things), None)
    return shapes.PlacedFinding(
        **finding(f).model_dump(), policy_id=policy_id, rule_id=rule_id, position=position,
        name_id=stored.things[kind, key] if kind else None, name_kind=kind,
    )  # fmt: skip


def problem(p: Problem) -> shapes.ProblemOut:
    path = [step[1:] if isinstance(step, str) and step.startswith("=") else step for step in p.path]
    return shapes.ProblemOut(path=path, place=p.place, message=p.message)


def flow(f: Flow | None) -> shapes.FlowOut | None:
    if f is None:
        return None
    src, dst = addresses.spell(f.family, f.src), addresses.spell(f.family, f.dst)
    state = "" if f.state == "new" else f" as {f.state}"
    at = f" at {f.moment:%Y-%m-%dT%H:%M%z}" if f.moment else ""
    return shapes.FlowOut(text=str(f), question=f"{src} to {dst} on {f.service}{at}{state}")


def reported(loaded: Loaded, policy: Policy) -> bool:
    """Whether all that is told of a policy is worked out, or is in a moment."""
    report = loaded.report_soon(policy)
    return loaded.network_findings_soon(patience=0) is not None and report is not None


def all_reported(loaded: Loaded) -> bool:
    """Whether all that is told of every policy is worked out by now; if not that is begun."""
    told = [loaded.report_soon(p, patience=0) for p in loaded.network.policies]
    return None not in (*told, loaded.network_findings_soon(patience=0))


def policy_line(loaded: Loaded, policy: Policy) -> shapes.PolicyLine:
    report, whole = loaded.report_soon(policy, patience=0), loaded.network_findings_soon(patience=0)
    own = [f for f in whole or () if f.policy == policy.name]
    return shapes.PolicyLine(
        id=loaded.stored.policy_id(policy.name),
        name=policy.name,
        description=policy.description,
        default=policy.default,
        rules=len(policy.rules),
        pending=report is None or whole is None,
        warnings=sum(f.weight != "note" for f in (*(report.findings if report else ()), *own)),
        attachments=attachments(loaded.network, policy),
    )


def attachments(network: Network, policy: Policy) -> list[shapes.AttachmentOut]:
    return [
        shapes.AttachmentOut(
            device=device.name, stage=a.stage, entering=list(a.entering), leaving=list(a.leaving)
        )
        for device in network.devices
        for a in device.policies
        if fold(a.policy) == fold(policy.name)
    ] + [
        shapes.AttachmentOut(device=None, stage=at.direction, entering=list(at.hosts), leaving=["any"])
        for at in network.at_hosts
        if fold(at.policy) == fold(policy.name)
    ]


def network(loaded: Loaded) -> shapes.NetworkOut:
    n = loaded.network
    return shapes.NetworkOut(
        id=loaded.stored.id,
        name=n.name,
        description=n.description,
        revision=loaded.stored.revision,
        policies=[policy_line(loaded, p) for p in n.policies],
    )


def to_tidy(loaded: Loaded, p: Policy, told: Tidied) -> shapes.ToTidy:
    """The steps of tidying a policy."""
    ref = refs(loaded, p).ref
    return shapes.ToTidy(
        revision=loaded.stored.revision,
        steps=[
            shapes.TidyStep(
                rule=ref(s.rule), why=s.why, by=[ref(n) for n in s.by[:FEW]], field=s.field, text=s.text
            )
            for s in told.steps
        ],
        undecided=list(told.undecided),
        left=len(told.policy.rules),
    )


def decided_flows(loaded: Loaded, p: Policy, table: Table) -> shapes.DecidedFlows:
    """A decided table, with how many flows each rule decided."""
    ref = refs(loaded, p).ref
    verdict, rule = len(table.columns) - len(RESULT), len(table.columns) - len(RESULT) + 1
    counts = Counter((row[verdict], "" if row[verdict] == ERROR else row[rule]) for row in table.rows)
    return shapes.DecidedFlows(
        revision=loaded.stored.revision,
        columns=table.columns,
        rows=table.rows[:MOST_FLOWS],
        total=len(table.rows),
        errors=table.errors,
        deciders=[
            shapes.Decider(
                verdict=v,
                rule=ref(name) if name else shapes.RuleRef(id=None, name=ERROR, position=None),
                flows=n,
            )
            for (v, name), n in counts.most_common()
        ],
        csv=table.text(),
    )


def refs(loaded: Loaded, p: Policy) -> Refs:
    """The rules of a policy, to refer to them."""
    keys = loaded.stored.rules.get(loaded.stored.policy_id(p.name), ())
    return Refs(p, {r.name: k.id for r, k in zip(p.rules, keys, strict=True)})


PENDING = shapes.Decided(
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


class Refs:
    """The rules of a policy by name, to refer to them."""

    def __init__(self, policy: Policy, ids: dict[str, int]) -> None:
        self.policy, self.ids = policy, ids
        self.position = {rule.name: i for i, rule in enumerate(policy.rules, 1)}

    def ref(self, name: str) -> shapes.RuleRef:
        """A rule, or the default, by name."""
        position = None if name == DEFAULT_NAME else self.position[name]
        return shapes.RuleRef(id=self.ids.get(name), name=name, position=position)

    def decided(self, r: RuleReport) -> shapes.Decided:
        """What a rule decides, with the others it speaks of."""
        return shapes.Decided(
            decides=r.decides,
            kind=r.kind,
            cause=r.cause,
            by=[self.ref(name) for name in r.by[:FEW]],
            by_count=r.by_count,
            taken=flow(r.taken),
            witness=flow(r.witness),
            exception_of=list(r.exception_of[:FEW]),
            works=works(r, self.policy),
        )


MOST_CHANGES = 12


def policy_effect(loaded: Loaded, told: Effect, names: Names, kept: Sequence[int]) -> shapes.PolicyEffect:
    """What an edit does in one policy."""
    policy_id = loaded.stored.policy_id(told.old.name)
    ids = loaded.rule_ids(policy_id)

    def before(at: int) -> shapes.RuleRef:
        return shapes.RuleRef(id=ids[at], name=told.old.rules[at].name, position=at + 1)

    def after(at: int) -> shapes.RuleRef:
        old = kept[at]
        rule_id = ids[old] if old != NEW else None
        return shapes.RuleRef(id=rule_id, name=told.new.rules[at].name, position=at + 1)

    return _effect(told, names, policy_id, told.old.name, before, after)


def difference(d: Difference) -> shapes.DifferenceOut:
    return shapes.DifferenceOut(section=d.section, name=d.name, change=d.change, what=list(d.what))


def comparison(
    loaded: Loaded, told: Comparison, only: Sequence[Change] | None = None
) -> shapes.ComparisonOut:
    """Two versions compared, or `only` some of the changes. Rules are told by name and place; those that are there now
    lead to themselves."""
    by_policy: dict[str, list[Change]] = defaultdict(list)
    for change in told.told.changes if only is None else only:
        by_policy[change.policy].append(change)
    changed = set(map(fold, by_policy))
    known = {fold(p.name): refs(loaded, p).ids for p in loaded.network.policies if fold(p.name) in changed}

    def ref(c: Change, name: str, at: int) -> shapes.RuleRef:
        rule_id = known.get(fold(c.policy), {}).get(name)
        return shapes.RuleRef(id=rule_id, name=name, position=None if at == DEFAULT else at + 1)

    def effect_of(name: str, found: list[Change]) -> shapes.PolicyEffect:
        return shapes.PolicyEffect(
            policy_id=loaded.stored.things.get(("policy", fold(name))),
            name=name,
            equal=False,
            complete=True,
            changes=[
                _change(c, ref(c, c.before, c.places[0]), ref(c, c.after, c.places[1]))
                for c in found[:MOST_COMPARED]
            ],
            more=max(0, len(found) - MOST_COMPARED),
        )

    return shapes.ComparisonOut(
        revision=loaded.stored.revision,
        before=told.before,
        after=told.after,
        equal=told.told.equal,
        complete=told.told.complete,
        renames=[shapes.RenameOut(**vars(r)) for r in told.renames],
        differences=[difference(d) for d in told.differences],
        policies=[effect_of(name, found) for name, found in by_policy.items()],
        outside=list(told.told.outside),
        come=None if told.come is None else [finding(f) for f in told.come],
        go=None if told.go is None else [finding(f) for f in told.go],
    )


MOST_COMPARED = 60


def _change(c: Change, before: shapes.RuleRef, after: shapes.RuleRef) -> shapes.ChangeOut:
    witness = flow(c.witness)
    assert witness is not None
    return shapes.ChangeOut(
        change=c.kind,
        source=list(c.source),
        destination=list(c.destination),
        service=list(c.service),
        states=list(c.states),
        when=c.when,
        before=before,
        after=after,
        logged_before=c.was[2],
        logged_after=c.now[2],
        witness=witness,
    )


def stage_effect(loaded: Loaded, told: StageEffect, names: Names) -> shapes.PolicyEffect:
    """What other policies consulted at a place do."""

    def ref(whole: OneList, at: int) -> shapes.RuleRef:
        policy, position = whole.origins[at]
        name = whole.policy.rules[at].name
        if position == DEFAULT:
            return shapes.RuleRef(id=None, name=name, position=None)
        ids = loaded.rule_ids(loaded.stored.policy_id(policy))
        return shapes.RuleRef(id=ids[position], name=name, position=position + 1)

    return _effect(
        told.effect, names, None, told_place(told), partial(ref, told.before), partial(ref, told.after)
    )


def _effect(
    told: Effect,
    names: Names,
    policy_id: int | None,
    name: str,
    before: Callable[[int], shapes.RuleRef],
    after: Callable[[int], shapes.RuleRef],
) -> shapes.PolicyEffect:
    found, more = first_changes(told, names, MOST_CHANGES)
    default = shapes.RuleRef(id=None, name=DEFAULT_NAME, position=None)

    def out(c: Change) -> shapes.ChangeOut:
        was, now = c.places
        return _change(
            c, before(was) if was != DEFAULT else default, after(now) if now != DEFAULT else default
        )

    return shapes.PolicyEffect(
        policy_id=policy_id, name=name, equal=told.equal, complete=told.complete,
        changes=[out(c) for c in found], more=more,
    )  # fmt: skip


def look(loaded: Loaded, seen: Look, of: tuple[Effect, Names, tuple[int, ...]]) -> shapes.LookOut:
    """The rule an edit is about, where it would stand among the rules that are there now."""
    told, standing = of[0], seen.standing
    ids = loaded.rule_ids(loaded.stored.policy_id(told.old.name))

    def ref(k: int) -> shapes.RuleRef:
        at = standing.place(k) if standing else k + 1
        position = at if at < seen.place else at + 1  # the rule itself stands between
        return shapes.RuleRef(id=ids[k], name=told.old.rules[k].name, position=position)

    if standing is None:
        undecided = PENDING.model_copy(update={"decides": "undecided"})
        return shapes.LookOut(
            position=seen.place, decided=undecided, advice=None, expands=seen.expands, hints=seen.hints
        )
    advice, by, decides = standing.advice(), standing.takers_at(seen.place), standing.decides_at(seen.place)
    dead = decides == "none" and bool(by)
    outcome = standing.rule.outcome
    shadowed = any(told.old.rules[k].outcome != outcome for k in by)
    return shapes.LookOut(
        position=seen.place,
        decided=shapes.Decided(
            decides=decides,
            kind=None if not dead else "shadowed" if shadowed else "redundant",
            cause="earlier" if dead else None,
            by=[ref(k) for k in by[:FEW]],
            by_count=len(by),
            taken=flow(standing.taken_at(seen.place)),
            witness=flow(standing.witness_at(seen.place)),
            exception_of=[],
            works=None,
        ),
        advice=None
        if advice is None
        else shapes.AdviceOut(
            all_until=advice.all_until,
            some_until=advice.some_until,
            best=advice.best,
            starves=[
                shapes.StarvedOut(rule=ref(s.position), until=s.until) for s in advice.starves[:FEW_VALUES]
            ],
        ),
        expands=seen.expands,
        hints=seen.hints,
    )


def sections(loaded: Loaded, p: Policy) -> list[shapes.SectionOut]:
    """The sections of a policy, with where each begins."""
    position = {rule.name: index for index, rule in enumerate(p.rules, 1)}
    keys = loaded.stored.sections.get(loaded.stored.policy_id(p.name), ())
    return [
        shapes.SectionOut(
            id=key.id,
            ver=key.ver,
            name=key.name,
            description=key.description,
            begins=position[section.before] if section.before else len(p.rules) + 1,
        )
        for section, key in zip(p.sections, keys, strict=True)
    ]


def works(r: RuleReport, p: Policy) -> shapes.AdviceOut | None:
    """Where a dead rule would work; None for others, and where that is not known."""
    if r.decides != "none" or not r.by_positions or not r.rule.enabled:
        return None
    if r.by_count > len(
        r.by_positions
    ):  # the last taker is past what is listed, and it ends the places that work
        return None
    same = [(at, p.rules[at - 1].outcome == r.rule.outcome) for at in r.by_positions]
    works = of_dead(same)
    return shapes.AdviceOut(all_until=works.all_until, some_until=works.some_until, best=works.best)


def names(loaded: Loaded) -> list[shapes.NameOut]:
    n = loaded.network
    return [_name(thing, loaded) for thing in (*n.address_things(), *n.services)]


def name_detail(loaded: Loaded, thing_id: int, ver: int) -> shapes.NameDetail:
    """Raises `NotFound`."""
    n = loaded.network
    ids = loaded.stored.things
    for thing in (*n.address_things(), *n.services):
        if ids[KIND_OF[type(thing)], fold(thing.name)] == thing_id:
            space: Space = "service" if isinstance(thing, ServiceObject) else "address"
            members = thing.members if isinstance(thing, AddressObject | ServiceObject) else ()
            return shapes.NameDetail(
                **_name(thing, loaded).model_dump(),
                ver=ver,
                all_members=list(members),
                traits=list(getattr(thing, "traits", ())),
                notes=list(getattr(thing, "notes", ())),
                used=[use(u, loaded) for u in loaded.uses(space).get(fold(thing.name), [])],
                through=[
                    shapes.UseThrough(**use(u, loaded).model_dump(), groups=list(way))
                    for u, way in through(n, space, thing.name)
                ],
            )
    raise NotFound("there is no such name")


def use(u: Use, loaded: Loaded) -> shapes.UseOut:
    policy_id = rule_id = None
    if u.policy is not None:
        policy_id = loaded.stored.policy_id(u.policy)
        rules = loaded.network.policy(u.policy).rules
        index = next(i for i, rule in enumerate(rules) if rule.name == u.owner)
        rule_id = loaded.stored.rules[policy_id][index].id
    return shapes.UseOut(policy=u.policy, policy_id=policy_id, rule_id=rule_id, owner=u.owner, field=u.field)


def _name(thing: Host | Segment | AddressObject | ServiceObject, loaded: Loaded) -> shapes.NameOut:
    space: Space = "service" if isinstance(thing, ServiceObject) else "address"
    values = loaded.values(thing)
    members = thing.members if isinstance(thing, AddressObject | ServiceObject) else ()
    key = fold(thing.name)
    return shapes.NameOut(
        id=loaded.stored.things[KIND_OF[type(thing)], key],
        name=thing.name,
        kind=KIND[type(thing)],
        members=list(members[:FEW_VALUES]),
        values=values[:FEW_VALUES],
        more=max(0, len(values) - FEW_VALUES),
        description=thing.description,
        uses=loaded.use_count(space, key),
        same=loaded.same.get(key, []),
        nearly=loaded.nearly.get(key, []),
    )


def history(entries: list[Entry]) -> list[shapes.HistoryEntry]:
    return [
        shapes.HistoryEntry(
            revision=e.revision,
            at=e.at,
            person=e.person,
            act=e.act,
            differences=_differences(e.before or {}, e.after or {}),
        )
        for e in entries
    ]


TOLD = ("name", "action", "reject_with", "log", "enabled", "kept", "negate", "states", "description")


def _differences(before: dict[str, Any], after: dict[str, Any]) -> list[shapes.Difference]:
    pairs = [(column, before.get(column), after.get(column)) for column in TOLD]
    details = [snapshot.get("detail") or {} for snapshot in (before, after)]
    pairs += [(word, details[0].get(word), details[1].get(word)) for word in {**details[0], **details[1]}]
    lists = [_lists(snapshot) for snapshot in (before, after)]
    pairs += [(field, lists[0].get(field), lists[1].get(field)) for field in {**lists[0], **lists[1]}]
    return [
        shapes.Difference(what=what, before=_told(old), after=_told(new))
        for what, old, new in pairs
        if old != new
    ]


def _lists(snapshot: dict[str, Any]) -> dict[str, list[str]]:
    lists: dict[str, list[str]] = defaultdict(list)
    for field, text, _, *more in snapshot.get("members", []):
        extra = [f"{k} {v}" for k, v in (more[0] or {}).items() if v] if more else []
        lists[field.removesuffix("_")].append(f"{text} ({', '.join(extra)})" if extra else text)
    return dict(lists)


def _told(value: Any) -> str | None:
    if value is None or value == [] or value == "":
        return None
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        return ", ".join(f"{k} {v}" for k, v in value.items())
    return ", ".join(value) if isinstance(value, list) else str(value)


def answer(
    text: str,
    reply: Reply,
    loaded: Loaded,
    of: str = "draft",
    in_force: str | None = None,
    since: Since | None = None,
) -> shapes.AnswerOut:
    asked = reply.asked
    return shapes.AnswerOut(
        question=text,
        source=asked.source,
        destination=asked.destination,
        service=asked.service,
        state=asked.state,
        at=moment_words.spell(asked.moment) if asked.moment else None,
        open=asked.open,
        verdict=reply.verdict,
        sentence=reply.sentence,
        revision=loaded.stored.revision,
        of=of,
        in_force=in_force,
        since=shapes.SinceOut(**vars(since)) if since else None,
        parts=[
            shapes.PartOut(
                result=t.result,
                symptom=t.symptom,
                sources=list(t.sources),
                destinations=list(t.destinations),
                services=list(t.services),
                more_services=t.more_services,
                when=t.when,
                steps=[_step(s, loaded) for s in t.steps],
                missing=t.missing,
                sample=flow(t.sample),
            )
            for t in reply.parts
        ],
    )


def _step(step: Step, loaded: Loaded) -> shapes.StepOut:
    """A step of a version leads to the draft's rule of that name."""
    policy_id = loaded.stored.things.get(("policy", fold(step.policy))) if step.policy else None
    return shapes.StepOut(
        device=step.device,
        stage=step.stage,
        policy=step.policy,
        policy_id=policy_id,
        rule=step.rule,
        rule_id=_rule_id(loaded, policy_id, step),
        position=step.position,
        action=step.action,
    )


def _rule_id(loaded: Loaded, policy_id: int | None, step: Step) -> int | None:
    policy = loaded.stored.policy_of(policy_id) if policy_id is not None else None
    if policy is None or policy_id is None or not step.position:
        return None
    ids = loaded.rule_ids(policy_id)
    at = step.position - 1
    if at < len(ids) and policy.rules[at].name == step.rule:
        return ids[at]
    return next((i for i, r in zip(ids, policy.rules, strict=True) if r.name == step.rule), None)


def prospect(loaded: Loaded, told: releases.Prospect) -> shapes.ProspectOut:
    return shapes.ProspectOut(
        revision=loaded.stored.revision,
        before=told.before,
        guards=[shapes.GuardOut(**vars(g)) for g in told.guards],
        told=comparison(loaded, told.told) if told.told else None,
    )


def settings(told: releases.Settings) -> shapes.SettingsOut:
    return shapes.SettingsOut(**vars(told) | {"managed_from": list(told.managed_from)})


def release(told: releases.Release) -> shapes.ReleaseOut:
    devices = [shapes.DeviceStateOut(**vars(d)) for d in told.devices]
    return shapes.ReleaseOut(**vars(told) | {"devices": devices})


def signature(loaded: Loaded, told: reviews.Signature, person_id: int) -> shapes.SignatureOut:
    return shapes.SignatureOut(
        id=told.id, person=told.person, own=told.person_id == person_id, at=told.at, remark=told.remark,
        standing=told.standing, lapsed=comparison(loaded, told.lapsed) if told.lapsed else None,
    )  # fmt: skip


def audited(e: audit.Entry) -> shapes.AuditOut:
    rows = [
        shapes.AuditRow(
            kind=item["kind"],
            name=(item["after"] or item["before"] or {}).get("name", ""),
            differences=_differences(item["before"] or {}, item["after"] or {}),
        )
        for item in e.items
    ]
    return shapes.AuditOut(
        id=e.id, at=e.at, network_id=e.network_id, person=e.person, act=e.act, about=e.about, detail=e.detail,
        rows=rows, digest=e.digest,
    )  # fmt: skip
