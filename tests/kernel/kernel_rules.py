"""A device's policies, translations and steering as rules of the kernel's own filter and routing, written from the contract and from the
model's readings."""

from __future__ import annotations

from collections.abc import Iterator

from namespaces import TABLES
from packet_model import Model

from sarvex.core.model.records import (
    Attachment,
    Device,
    Interface,
    Policy,
    Rule,
    Stage,
    Steering,
    Translation,
)

HOOKS: dict[Stage, tuple[str, int]] = {
    "inbound": ("prerouting", -150), "passage": ("forward", 0), "outbound": ("postrouting", 50), "to the device": ("input", 0),
}  # fmt: skip
"""Where each stage is: inbound after conversations are known and before destinations are translated, and so on."""
VERDICT = {"allow": "accept", "drop": "drop", "reject": "drop"}
NATIVE = {4: "ip", 6: "ip6"}


def rules_of(model: Model, device: Device) -> str:
    """The whole rule set of a device."""
    lines = ["table inet own {"]
    if device.filtering == "stateless":
        lines.append("chain blind { type filter hook prerouting priority -300; notrack; }")
        lines.append("chain mute { type filter hook output priority -300; notrack; }")
    for policy in model.net.policies:
        lines += [f"chain {policy.name} {{", *_policy(model, device, policy), "}"]
    for stage, (hook, priority) in HOOKS.items():
        chain = "at_" + stage.replace(" ", "_")
        lines += [f"chain {chain} {{ type filter hook {hook} priority {priority};", *_first(device, stage)]
        lines += [
            line
            for at in device.policies
            if at.stage == stage
            for line in _attached(at, policy_of(model, at))
        ]
        if stage == "passage":
            lines.append("drop" if device.zone_default.mode == "closed" else "accept")
        lines.append("}")
    if device.filtering == "stateful":
        lines += ["chain to { type nat hook prerouting priority -100;"]
        lines += [line for e in device.translate_destination for line in _translation(model, device, e)]
        lines += ["}", "chain from { type nat hook postrouting priority 100;"]
        lines += [line for e in device.translate_source for line in _translation(model, device, e)]
        lines.append("}")
    lines += ["chain steer { type filter hook prerouting priority -90;", *_steering(model, device), "}"]
    return "\n".join([*lines, "}"]) + "\n"


def ways_of(model: Model, device: Device) -> list[str]:
    """Where the kernel sends what an entry of the steering has marked, by routes of a table of its own."""
    lines = []
    for number, entry in enumerate(device.steering, 1):
        for family in (4, 6):
            by = next((i for i in device.interfaces if i.name == entry.leave), None)
            via = entry.via or _neighbour(model, device, by, family)
            if (":" in via) == (family == 6):
                lines.append(f"route replace default via {via} table {TABLES + number}")
            if by and not entry.via:
                own = next(s for s in model.net.segments if s.name == by.segment)
                here = [p for p in own.prefixes if (":" in p) == (family == 6)]
                lines += [f"route replace {p} dev {by.name} table {TABLES + number}" for p in here]
    return lines


def _neighbour(model: Model, device: Device, by: Interface | None, family: int) -> str:
    """The address of the one other router on a wire."""
    assert by
    wire = next(s for s in model.net.segments if s.name == by.segment)
    ((_, other),) = model.on(wire, device)
    return next(a for a in other.addresses if (":" in a) == (family == 6))


def _steering(model: Model, device: Device) -> Iterator[str]:
    """Marks on what enters, once its destination is translated; the first that matches."""
    for number, entry in enumerate(device.steering, 1):
        (scope,) = entry.entering
        told = "" if scope == "any" else f'iifname "{scope}"'
        for family in (4, 6):
            if entry.via is None or (":" in entry.via) == (family == 6):
                for match in _matches(model, family, entry):
                    yield f"{told} {match} meta mark set {number} accept"


def policy_of(model: Model, at: Attachment) -> Policy:
    return next(p for p in model.net.policies if p.name == at.policy)


def _first(device: Device, stage: Stage) -> Iterator[str]:
    """What is decided before any policy."""
    if device.filtering == "stateless":
        return
    if device.out_of_state == "drop" and stage == "inbound":
        yield "ct state invalid drop"
    if device.replies == "by conversation":
        yield "ct state established accept"


def _attached(at: Attachment, policy: Policy) -> Iterator[str]:
    sides = [("iifname", at.entering)] if at.stage in ("inbound", "to the device") else []
    if at.stage in ("passage", "outbound"):
        sides = [("iifname", at.entering), ("oifname", at.leaving)]
    told = " ".join(f'{key} "{place}"' for key, (place,) in sides if place != "any")
    yield f"{told} jump {policy.name}"


def _policy(model: Model, device: Device, policy: Policy) -> Iterator[str]:
    families = [f for f in (4, 6) if policy.families in ("both", str(f))]
    for rule in policy.rules:
        if rule.enabled:
            for family in families:
                for match in _matches(model, family, rule):
                    for state in _states(device, rule, match):
                        yield f"{match} {state} {VERDICT[rule.action]}"
    if policy.default != "continue":
        for family in families:
            yield f"meta nfproto ipv{family} {VERDICT[policy.default]}"


def _states(device: Device, rule: Rule, match: str) -> Iterator[str]:
    if not rule.states:
        yield ""
    elif device.filtering == "stateful":
        yield f"ct state {{ {', '.join(rule.states)} }}"
    elif "udp" in match or "icmp" in match:
        yield from [""] if "new" in rule.states else []
    else:  # it judges every packet by itself: of TCP all but the first are established
        if "new" in rule.states:
            yield from [] if "tcp" in match else ["meta l4proto != tcp"]
            yield "tcp flags & (syn | ack) == syn"
        if "established" in rule.states:
            yield "meta l4proto tcp tcp flags & (syn | ack) != syn"


def _matches(model: Model, family: int, one: Rule | Steering | Translation) -> Iterator[str]:
    """What a rule or an entry matches in one family, as several alternatives; none if nothing."""
    told = [f"meta nfproto ipv{family}"]
    for field, key in (("source", "saddr"), ("destination", "daddr")):
        members = getattr(one, field)
        negated = field in one.negate
        if members == ("any",):
            if negated:
                return
            continue
        spans = model.stretches(members, family)
        if spans:
            told.append(
                f"{NATIVE[family]} {key} {'!= ' if negated else ''}{{ {', '.join(_spans(family, spans))} }}"
            )
        elif not negated:
            return
    for service in one.service:
        yield from (f"{' '.join(told)} {words}" for words in _service(family, service))


def _spans(family: int, spans: list[tuple[int, int]]) -> list[str]:
    from ipaddress import IPv4Address, IPv6Address

    address = IPv4Address if family == 4 else IPv6Address
    merged: list[tuple[int, int]] = []
    for low, high in sorted(spans):
        if merged and low <= merged[-1][1] + 1:
            merged[-1] = merged[-1][0], max(high, merged[-1][1])
        else:
            merged.append((low, high))
    return [str(address(low)) if low == high else f"{address(low)}-{address(high)}" for low, high in merged]


def _service(family: int, text: str) -> Iterator[str]:
    name, _, port = text.partition(" ")[0].partition("/")
    source = text.partition(" from ")[2]
    if text == "any":
        yield ""
    elif name in ("tcp", "udp"):
        yield (
            f"{name} dport {port}" if port else f"{name} sport {source}" if source else f"meta l4proto {name}"
        )
    elif name == "icmp" and family == 4:
        yield "icmp type echo-request" if port else "meta l4proto icmp"


def _translation(model: Model, device: Device, e: Translation) -> Iterator[str]:
    side, (scope,) = ("iifname", e.entering) if hasattr(e, "entering") else ("oifname", e.leaving)
    if not e.enabled:
        return
    told = "" if scope == "any" else f'{side} "{scope}"'
    act = "dnat" if side == "iifname" else "snat"
    for family in (4, 6):
        for match in _matches(model, family, e):
            if e.to == ("none",):
                yield f"{told} {match} accept"
            elif e.to == ("interface",):
                for interface in device.interfaces:
                    own = [a for a in interface.addresses if (":" in a) == (family == 6)]
                    if scope in ("any", interface.name) and own:
                        yield f'oifname "{interface.name}" {match} snat {NATIVE[family]} to {own[0]}'
            elif spans := model.stretches(e.to, family):
                (to,) = _spans(family, spans)
                port = getattr(e, "port", None)
                if port:
                    bound = f"[{to}]:{port}" if family == 6 else f"{to}:{port}"
                    yield f"{told} {match} meta l4proto {{ tcp, udp }} {act} {NATIVE[family]} to {bound}"
                yield f"{told} {match} {act} {NATIVE[family]} to {to}"
