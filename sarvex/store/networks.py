"""Networks between records and the core's model."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from fractional_indexing import generate_key_between, generate_n_keys_between
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from sarvex.core import model
from sarvex.core.model import FIELDS, fold
from sarvex.store import tables as t

SPACE = {
    "zone": "zone",
    "segment": "address",
    "host": "address",
    "address": "address",
    "service": "service",
    "device": "device",
    "interface": "interface",
    "policy": "policy",
}


@dataclass(frozen=True)
class RuleKey:
    """What the records know of a rule beyond its content."""

    id: int
    ver: int
    place: str


@dataclass(frozen=True)
class Stored:
    """A network with the identities and versions of its records, all of one revision."""

    id: int
    revision: int
    network: model.Network
    things: dict[tuple[str, str], int]
    """Ids by (kind, folded name); interfaces are left out."""
    rules: dict[int, tuple[RuleKey, ...]]
    """Per policy id, one key per rule, in order."""

    def policy_id(self, name: str) -> int:
        return self.things["policy", fold(name)]

    def with_rules(
        self, policy_id: int, rules: Iterable[model.Rule], keys: Iterable[RuleKey], revision: int
    ) -> Stored:
        """The same network at a later revision, one policy's rules replaced."""
        policies = tuple(
            replace(p, rules=tuple(rules)) if self.policy_id(p.name) == policy_id else p
            for p in self.network.policies
        )
        return replace(
            self,
            revision=revision,
            network=replace(self.network, policies=policies),
            rules={**self.rules, policy_id: tuple(keys)},
        )

    def policy_of(self, policy_id: int) -> model.Policy | None:
        """The policy of an id, if it is one of this network's."""
        return next((p for p in self.network.policies if self.policy_id(p.name) == policy_id), None)


def keys_between(low: str | None, high: str | None, count: int = 1) -> list[str]:
    """`count` new places in order between two places (None: the end of the list)."""
    if count == 1:
        return [generate_key_between(low, high)]
    return list(generate_n_keys_between(low, high, count))


# --- writing a whole network -----------------------------------------------------------------------------


def insert_network(session: Session, network: model.Network) -> int:
    """Write a checked network as new records. Returns its id."""
    row = t.Network(name=network.name, folded=fold(network.name), description=network.description, revision=0)
    session.add(row)
    session.flush()
    _Writer(session, row.id).write(network)
    return row.id


class _Writer:
    def __init__(self, session: Session, network_id: int) -> None:
        self.session, self.network_id = session, network_id
        self.ids: dict[tuple[str, str], int] = {}
        self.members: list[dict[str, Any]] = []

    def write(self, network: model.Network) -> None:
        self._things("zone", network.zones, lambda z: {"depth": z.depth})
        self._things("segment", network.segments, lambda s: {"outside": s.outside, "vlan": s.vlan})
        self._things("host", network.hosts, lambda _: {})
        self._things("address", network.addresses, lambda _: {})
        self._things("service", network.services, lambda _: {})
        self._things("policy", network.policies, lambda p: {"default": p.default, "families": p.families})
        self._things(
            "device",
            network.devices,
            lambda d: {"filtering": d.filtering, "zone_default": asdict(d.zone_default)},
        )
        for segment in network.segments:
            self._members(self.ids["address", fold(segment.name)], "prefixes", segment.prefixes, None)
        for host in network.hosts:
            owner = self.ids["address", fold(host.name)]
            self._members(owner, "segment", (host.segment,), "address")
            self._members(owner, "addresses", host.addresses, None)
        for a in network.addresses:
            self._members(self.ids["address", fold(a.name)], "members", a.members, "address")
        for s in network.services:
            self._members(self.ids["service", fold(s.name)], "members", s.members, "service")
        for device in network.devices:
            self._device(device)
        if self.members:
            self.session.execute(insert(t.Member), self.members)
        for policy in network.policies:
            self._rules(policy)

    def _things(self, kind: str, things: Iterable[Any], detail: Any, parent: int = 0) -> None:
        rows = [
            {
                "network_id": self.network_id, "kind": kind, "space": SPACE[kind], "parent_id": parent, "ord": ord_,
                "folded": fold(thing.name), "name": thing.name,
                "description": getattr(thing, "description", ""), "detail": detail(thing), "ver": 1,
            }
            for ord_, thing in enumerate(things)
        ]  # fmt: skip
        if not rows:
            return
        self.session.execute(insert(t.Thing), rows)
        found = self.session.execute(
            select(t.Thing.id, t.Thing.folded).where(
                t.Thing.network_id == self.network_id, t.Thing.kind == kind, t.Thing.parent_id == parent
            )
        )
        space = f"interface/{parent}" if kind == "interface" else SPACE[kind]
        self.ids |= {(space, folded): id_ for id_, folded in found}

    def _members(self, owner: int, field: str, members: Iterable[str], space: str | None) -> None:
        for ord_, member in enumerate(members):
            target = self.ids.get((space, fold(member))) if space else None
            self.members.append(
                {
                    "thing_id": owner,
                    "field": field,
                    "ord": ord_,
                    "target_id": target,
                    "literal": None if target else member,
                }
            )

    def _device(self, device: model.Device) -> None:
        id_ = self.ids["device", fold(device.name)]
        self._things("interface", device.interfaces, lambda _: {}, parent=id_)
        for interface in device.interfaces:
            owner = self.ids[f"interface/{id_}", fold(interface.name)]
            self._members(owner, "segment", (interface.segment,), "address")
            self._members(owner, "zone", (interface.zone,) if interface.zone else (), "zone")
            self._members(owner, "addresses", interface.addresses, None)
        for ord_, attachment in enumerate(device.policies):
            row = t.Attached(
                device_id=id_,
                ord=ord_,
                policy_id=self.ids["policy", fold(attachment.policy)],
                stage=attachment.stage,
                ver=1,
            )
            self.session.add(row)
            self.session.flush()
            for side, scope in (("entering", attachment.entering), ("leaving", attachment.leaving)):
                for place, name in enumerate(n for n in scope if fold(n) != "any"):
                    target = self.ids.get(("zone", fold(name))) or self.ids[f"interface/{id_}", fold(name)]
                    self.session.add(t.Scope(attached_id=row.id, side=side, ord=place, target_id=target))

    def _rules(self, policy: model.Policy) -> None:
        if not policy.rules:
            return
        policy_id = self.ids["policy", fold(policy.name)]
        places = keys_between(None, None, len(policy.rules))
        rows = [rule_row(rule, policy_id, place) for rule, place in zip(policy.rules, places, strict=True)]
        self.session.execute(insert(t.Rule), rows)
        found = self.session.execute(select(t.Rule.folded, t.Rule.id).where(t.Rule.policy_id == policy_id))
        ids = {row.folded: row.id for row in found}
        members = [row for rule in policy.rules for row in member_rows(ids[fold(rule.name)], rule, self.ids)]
        self.session.execute(insert(t.RuleMember), members)


def rule_row(rule: model.Rule, policy_id: int, place: str) -> dict[str, Any]:
    """The record of a rule, its members aside."""
    return {
        "policy_id": policy_id, "place": place.encode("ascii"), "folded": fold(rule.name), "name": rule.name,
        "action": rule.action, "reject_with": rule.reject_with, "log": rule.log, "enabled": rule.enabled,
        "negate": list(rule.negate), "states": list(rule.states), "description": rule.description, "ver": 1,
    }  # fmt: skip


def member_rows(rule_id: int, rule: model.Rule, ids: dict[tuple[str, str], int]) -> list[dict[str, Any]]:
    """The records of a rule's members; `ids` are things by (space, folded name)."""
    rows = []
    for field in FIELDS:
        space = "service" if field == "service" else "address"
        for ord_, member in enumerate(rule.members(field)):
            target = ids.get((space, fold(member)))
            rows.append(
                {
                    "rule_id": rule_id,
                    "field": field,
                    "ord": ord_,
                    "target_id": target,
                    "literal": None if target else member,
                }
            )
    return rows


# --- reading a whole network -----------------------------------------------------------------------------


def load_network(session: Session, network_id: int) -> Stored | None:
    """Read a network and all its keys in the snapshot of this transaction; None if there is none."""
    row = session.get(t.Network, network_id, populate_existing=True)
    return _Reader(session, row).read() if row else None


class _Reader:
    def __init__(self, session: Session, row: t.Network) -> None:
        self.session, self.row = session, row
        self.things = session.execute(
            select(
                t.Thing.id, t.Thing.kind, t.Thing.parent_id, t.Thing.name, t.Thing.description, t.Thing.detail
            )
            .where(t.Thing.network_id == row.id)
            .order_by(t.Thing.kind, t.Thing.parent_id, t.Thing.ord, t.Thing.id)
        ).all()
        self.name: dict[int, str] = {thing.id: thing.name for thing in self.things}
        self.members = self._lists()

    def _lists(self) -> dict[tuple[int, str], tuple[str, ...]]:
        lists: dict[tuple[int, str], list[str]] = defaultdict(list)
        rows = self.session.execute(
            select(t.Member.thing_id, t.Member.field, t.Member.target_id, t.Member.literal)
            .join(t.Thing, t.Thing.id == t.Member.thing_id)
            .where(t.Thing.network_id == self.row.id)
            .order_by(t.Member.thing_id, t.Member.field, t.Member.ord)
        )
        for owner, field, target, literal in rows:
            lists[owner, field].append(self.name[target] if target else str(literal))
        return {key: tuple(value) for key, value in lists.items()}

    def read(self) -> Stored:
        kinds: dict[str, list[Any]] = defaultdict(list)
        for thing in self.things:
            kinds[thing.kind].append(thing)
        rules, keys = self._rules()
        network = model.Network(
            name=self.row.name,
            description=self.row.description,
            zones=tuple(
                model.Zone(name=x.name, description=x.description, **x.detail) for x in kinds["zone"]
            ),
            segments=tuple(
                model.Segment(
                    name=x.name, description=x.description, prefixes=self._list(x, "prefixes"), **x.detail
                )
                for x in kinds["segment"]
            ),
            hosts=tuple(
                model.Host(
                    name=x.name, description=x.description,
                    segment=self._list(x, "segment")[0], addresses=self._list(x, "addresses"),
                )
                for x in kinds["host"]
            ),
            devices=self._devices(kinds["device"], kinds["interface"]),
            addresses=tuple(
                model.AddressObject(name=x.name, description=x.description, members=self._list(x, "members"))
                for x in kinds["address"]
            ),
            services=tuple(
                model.ServiceObject(name=x.name, description=x.description, members=self._list(x, "members"))
                for x in kinds["service"]
            ),
            policies=tuple(
                model.Policy(name=x.name, description=x.description, rules=rules.get(x.id, ()), **x.detail)
                for x in kinds["policy"]
            ),
        )  # fmt: skip
        ids = {(x.kind, fold(x.name)): x.id for x in self.things if x.kind != "interface"}
        return Stored(self.row.id, self.row.revision, network, ids, keys)

    def _list(self, thing: Any, field: str) -> tuple[str, ...]:
        return self.members.get((thing.id, field), ())

    def _devices(self, devices: Sequence[Any], interfaces: Sequence[Any]) -> tuple[model.Device, ...]:
        own: dict[int, list[model.Interface]] = defaultdict(list)
        for x in interfaces:
            zone = self._list(x, "zone")
            own[x.parent_id].append(
                model.Interface(
                    name=x.name, segment=self._list(x, "segment")[0], zone=zone[0] if zone else None,
                    addresses=self._list(x, "addresses"),
                )
            )  # fmt: skip
        attached = self._attachments()
        return tuple(
            model.Device(
                name=x.name, description=x.description, filtering=x.detail["filtering"],
                zone_default=model.ZoneDefault(**x.detail["zone_default"]),
                interfaces=tuple(own[x.id]), policies=tuple(attached[x.id]),
            )
            for x in devices
        )  # fmt: skip

    def _attachments(self) -> dict[int, list[model.Attachment]]:
        rows = self.session.scalars(
            select(t.Attached)
            .join(t.Thing, t.Thing.id == t.Attached.device_id)
            .where(t.Thing.network_id == self.row.id)
            .order_by(t.Attached.device_id, t.Attached.ord)
        ).all()
        scopes: dict[tuple[int, str], list[str]] = defaultdict(list)
        for scope in self.session.scalars(
            select(t.Scope).where(t.Scope.attached_id.in_([r.id for r in rows])).order_by(t.Scope.ord)
        ):
            scopes[scope.attached_id, scope.side].append(self.name[scope.target_id])
        found: dict[int, list[model.Attachment]] = defaultdict(list)
        for row in rows:
            found[row.device_id].append(
                model.Attachment(
                    policy=self.name[row.policy_id],
                    stage=row.stage,  # type: ignore[arg-type]
                    entering=tuple(scopes[row.id, "entering"]) or ("any",),
                    leaving=tuple(scopes[row.id, "leaving"]) or ("any",),
                )
            )
        return found

    def _rules(self) -> tuple[dict[int, tuple[model.Rule, ...]], dict[int, tuple[RuleKey, ...]]]:
        in_network = (t.Thing.id == t.Rule.policy_id, t.Thing.network_id == self.row.id)
        members: dict[tuple[int, str], list[str]] = defaultdict(list)
        for rule_id, field, target, literal in self.session.execute(
            select(t.RuleMember.rule_id, t.RuleMember.field, t.RuleMember.target_id, t.RuleMember.literal)
            .join(t.Rule, t.Rule.id == t.RuleMember.rule_id)
            .join(t.Thing, in_network[0])
            .where(in_network[1])
            .order_by(t.RuleMember.rule_id, t.RuleMember.field, t.RuleMember.ord)
        ):
            members[rule_id, field].append(self.name[target] if target else str(literal))
        rules: dict[int, list[model.Rule]] = defaultdict(list)
        keys: dict[int, list[RuleKey]] = defaultdict(list)
        columns = [c for c in t.Rule.__table__.columns if c.name != "folded"]
        for x in self.session.execute(
            select(*columns)
            .join(t.Thing, in_network[0])
            .where(in_network[1])
            .order_by(t.Rule.policy_id, t.Rule.place)
        ):
            rules[x.policy_id].append(rule_of(x, {f: tuple(members[x.id, f]) for f in FIELDS}))
            keys[x.policy_id].append(RuleKey(x.id, x.ver, x.place.decode("ascii")))
        return {k: tuple(v) for k, v in rules.items()}, {k: tuple(v) for k, v in keys.items()}


def rule_of(row: Any, members: dict[Any, tuple[str, ...]]) -> model.Rule:
    """The rule of a record and its members by field."""
    return model.Rule(
        name=row.name, action=row.action, reject_with=row.reject_with, log=row.log, enabled=row.enabled,
        negate=tuple(row.negate), states=tuple(row.states), description=row.description, **members,
    )  # fmt: skip
