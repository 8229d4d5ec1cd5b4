"""From what the service floor knows to what the API gives."""

from __future__ import annotations

from collections import defaultdict
from typing import Literal

from sarvex.api import shapes
from sarvex.core import addresses, services
from sarvex.core.check import Problem
from sarvex.core.findings import DEFAULT_NAME, Finding, PolicyReport, RuleReport
from sarvex.core.flows import Flow
from sarvex.core.model import Host, Network, Policy, Segment, fold
from sarvex.core.paths import Step
from sarvex.core.positions import of_dead
from sarvex.core.services import NAME_OF_PROTOCOL, has_ports, has_type
from sarvex.formats.answers import Reply
from sarvex.service.library import Loaded

Kind = Literal["host", "segment", "addresses", "service"]
FEW = 50
FEW_VALUES = 12


def finding(f: Finding) -> shapes.FindingOut:
    return shapes.FindingOut(
        kind=f.kind, weight=f.weight, policy=f.policy, rule=f.rule, text=f.text, by=list(f.by), name=f.name
    )


def problem(p: Problem) -> shapes.ProblemOut:
    path = [step[1:] if isinstance(step, str) and step.startswith("=") else step for step in p.path]
    return shapes.ProblemOut(path=path, place=p.place, message=p.message)


def flow(f: Flow | None) -> shapes.FlowOut | None:
    if f is None:
        return None
    src, dst = addresses.spell(f.family, f.src), addresses.spell(f.family, f.dst)
    service = NAME_OF_PROTOCOL.get(f.protocol, f"proto/{f.protocol}")
    if has_ports(f.protocol):
        service += f"/{f.second} from {f.first}"
    elif has_type(f.family, f.protocol):
        service += f"/{f.first}.{f.second}"
    state = "" if f.state == "new" else f" as {f.state}"
    return shapes.FlowOut(text=str(f), question=f"{src} to {dst} on {service}{state}")


def policy_line(loaded: Loaded, policy: Policy) -> shapes.PolicyLine:
    report = loaded.report(policy)
    own = [f for f in loaded.network_findings if f.policy == policy.name]
    return shapes.PolicyLine(
        id=loaded.stored.policy_id(policy.name),
        name=policy.name,
        description=policy.description,
        default=policy.default,
        rules=len(policy.rules),
        warnings=sum(f.weight != "note" for f in (*report.findings, *own)),
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
    ]


def network(loaded: Loaded) -> shapes.NetworkOut:
    n = loaded.network
    return shapes.NetworkOut(
        id=loaded.stored.id,
        name=n.name,
        description=n.description,
        revision=loaded.stored.revision,
        policies=[policy_line(loaded, p) for p in n.policies],
        findings=[finding(f) for f in loaded.network_findings],
    )


def policy(loaded: Loaded, p: Policy) -> shapes.PolicyOut:
    report = loaded.report(p)
    keys = loaded.stored.rules.get(loaded.stored.policy_id(p.name), ())
    told: dict[str | None, list[shapes.FindingOut]] = defaultdict(list)
    for f in report.findings:
        told[f.rule].append(finding(f))
    ids = {r.name: k.id for r, k in zip(p.rules, keys, strict=True)}
    return shapes.PolicyOut(
        **policy_line(loaded, p).model_dump(),
        revision=loaded.stored.revision,
        families=p.families,
        rows=[
            shapes.RuleRow(
                id=key.id,
                ver=key.ver,
                position=r.position,
                rule=r.rule,
                findings=told[r.rule.name],
                **decided(r, report, ids).model_dump(),
            )
            for r, key in zip(report.rules, keys, strict=True)
        ],
        default_decides=report.default_decides,
        default_witness=flow(report.default_witness),
        findings=[finding(f) for f in loaded.network_findings if f.policy == p.name],
    )


def decided(r: RuleReport, report: PolicyReport, ids: dict[str, int]) -> shapes.Decided:
    position = {rule.name: i for i, rule in enumerate(report.policy.rules, 1)}
    return shapes.Decided(
        decides=r.decides,
        kind=r.kind,
        cause=r.cause,
        by=[
            shapes.RuleRef(
                id=ids.get(name), name=name, position=None if name == DEFAULT_NAME else position[name]
            )
            for name in r.by[:FEW]
        ],
        by_count=len(r.by),
        taken=flow(r.taken),
        witness=flow(r.witness),
        exception_of=list(r.exception_of),
        works=_works(r, report.policy),
    )


def _works(r: RuleReport, p: Policy) -> shapes.AdviceOut | None:
    if r.decides != "none" or not r.by_positions or not r.rule.enabled:
        return None
    same = [(at, p.rules[at - 1].outcome == r.rule.outcome) for at in r.by_positions]
    return shapes.AdviceOut(**vars(of_dead(same)))


def names(loaded: Loaded) -> list[shapes.NameOut]:
    n = loaded.network
    out = []
    for thing in n.address_things():
        values = addresses.describe(loaded.names.address(thing.name))
        kind: Kind = (
            "host" if isinstance(thing, Host) else "segment" if isinstance(thing, Segment) else "addresses"
        )
        members = () if isinstance(thing, Host | Segment) else thing.members
        out.append(_name(thing.name, kind, members, values, thing.description))
    for service in n.services:
        values = services.describe(loaded.names.service(service.name))
        out.append(_name(service.name, "service", service.members, values, service.description))
    return out


def _name(
    name: str, kind: Kind, members: tuple[str, ...], values: list[str], description: str
) -> shapes.NameOut:
    return shapes.NameOut(
        name=name,
        kind=kind,
        members=list(members[:FEW_VALUES]),
        values=values[:FEW_VALUES],
        more=max(0, len(values) - FEW_VALUES),
        description=description,
    )


def answer(text: str, reply: Reply, loaded: Loaded) -> shapes.AnswerOut:
    asked = reply.asked
    return shapes.AnswerOut(
        question=text,
        source=asked.source,
        destination=asked.destination,
        service=asked.service,
        state=asked.state,
        open=asked.open,
        verdict=reply.verdict,
        sentence=reply.sentence,
        revision=loaded.stored.revision,
        parts=[
            shapes.PartOut(
                result=t.result,
                symptom=t.symptom,
                sources=list(t.sources),
                destinations=list(t.destinations),
                services=list(t.services),
                more_services=t.more_services,
                steps=[_step(s, loaded) for s in t.steps],
                missing=t.missing,
                sample=flow(t.sample),
            )
            for t in reply.parts
        ],
    )


def _step(step: Step, loaded: Loaded) -> shapes.StepOut:
    policy_id = loaded.stored.policy_id(step.policy) if step.policy else None
    keys = loaded.stored.rules.get(policy_id, ()) if policy_id is not None else ()
    return shapes.StepOut(
        device=step.device,
        stage=step.stage,
        policy=step.policy,
        policy_id=policy_id,
        rule=step.rule,
        rule_id=keys[step.position - 1].id if step.position else None,
        position=step.position,
        action=step.action,
    )
