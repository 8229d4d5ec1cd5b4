"""Networks between records and the core's model."""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from fractional_indexing import generate_key_between, generate_n_keys_between
from sqlalchemy import insert, select
from sqlalchemy.orm import Session, aliased

from sarvex.core.model import records
from sarvex.core.model.records import FIELDS, fold
from sarvex.core.model.renames import FIRST_OF
from sarvex.store import tables as t
from sarvex.store.things import (
    INSIDE,
    ONE_OF,
    SPACE,
    AtHosts,
    Clock,
    Lists,
    accepted_of,
    detail,
    entries,
    plain,
    record_of,
    space_of,
)


@dataclass(frozen=True)
class RuleKey:
    """What the records know of a rule beyond its content."""

    id: int
    ver: int
    place: str


@dataclass(frozen=True)
class SectionKey:
    """A section as the records know it; `place` stands in the order of the policy's rules."""

    id: int
    ver: int
    place: str
    name: str
    description: str


@dataclass(frozen=True)
class Stored:
    """A network with the identities and versions of its records, all of one revision."""

    id: int
    revision: int
    network: records.Network
    things: dict[tuple[str, str], int]
    """Ids by (kind, folded name); what is inside a device has two names, see `thing_id`."""
    versions: dict[int, int]
    """The version of every thing, by id."""
    rules: dict[int, tuple[RuleKey, ...]]
    """Per policy id, one key per rule, in order."""
    sections: dict[int, tuple[SectionKey, ...]]
    """Per policy id, its sections in order."""

    def policy_id(self, name: str) -> int:
        return self.things["policy", fold(name)]

    def thing_id(self, kind: str, *names: str) -> int:
        """The id of a thing; of what is inside a device by the device's name and its own."""
        return self.things[kind, key_of(*names)]

    def with_rules(
        self, policy_id: int, rules: Iterable[records.Rule], keys: Iterable[RuleKey], revision: int
    ) -> Stored:
        """The same network at a later revision, one policy's rules replaced."""
        rules, keys = tuple(rules), tuple(keys)
        sections = sections_of(rules, keys, self.sections.get(policy_id, ()))
        policies = tuple(
            replace(p, rules=rules, sections=sections) if self.policy_id(p.name) == policy_id else p
            for p in self.network.policies
        )
        return replace(
            self,
            revision=revision,
            network=replace(self.network, policies=policies),
            rules={**self.rules, policy_id: keys},
        )

    def with_object(self, kind: str, thing_id: int, record: Any, ver: int) -> Stored:
        """The same network with one address or service object that is new, or another than it was."""
        section = SECTION_OF[kind]
        made = list(getattr(self.network, section))
        before = next((key for key, id_ in self.things.items() if id_ == thing_id), None)
        if before is None:
            made.append(record)
        else:
            made[next(i for i, thing in enumerate(made) if fold(thing.name) == before[1])] = record
        changed: dict[str, Any] = {section: tuple(made)}
        return replace(
            self,
            network=replace(self.network, **changed),
            things={k: i for k, i in self.things.items() if k != before}
            | {(kind, fold(record.name)): thing_id},
            versions=self.versions | {thing_id: ver},
        )

    def policy_of(self, policy_id: int) -> records.Policy | None:
        """The policy of an id, if it is one of this network's."""
        return next((p for p in self.network.policies if self.policy_id(p.name) == policy_id), None)

    def record_of(self, thing_id: int) -> tuple[str, Any, int] | None:
        """Kind, record and parent's id (0: none) of a thing of this network."""
        found = next((key for key, id_ in self.things.items() if id_ == thing_id), None)
        if found is None:
            return None
        kind, key = found
        if kind in INSIDE:
            for device in self.network.devices:
                for inner in getattr(device, INSIDE[kind]):
                    if key_of(device.name, inner.name) == key:
                        return kind, inner, self.thing_id("device", device.name)
        if kind in ONE_OF:
            return kind, one_of(self.network, kind), 0
        return kind, records.named(getattr(self.network, SECTION_OF[kind]), key), 0


SECTION_OF = {
    "zone": "zones", "segment": "segments", "host": "hosts", "device": "devices", "address": "addresses",
    "service": "services", "schedule": "schedules", "policy": "policies", "expectation": "expectations",
}  # fmt: skip


def one_of(network: records.Network, kind: str) -> Any:
    """The one thing of its kind that a network has."""
    return AtHosts(at_hosts=network.at_hosts) if kind == "at_hosts" else Clock(time_zone=network.time_zone)


def key_of(*names: str) -> str:
    """The key of a thing among those of its kind: its folded name, that of what is inside a device after the device's."""
    return "\0".join(fold(name) for name in names)


def sections_of(
    rules: Sequence[records.Rule], keys: Sequence[RuleKey], sections: Sequence[SectionKey]
) -> tuple[records.Section, ...]:
    """The sections of a policy with the rules they begin at: the first of a later place."""
    places = [key.place for key in keys]
    starts = [bisect_right(places, section.place) for section in sections]
    return tuple(
        records.Section(
            name=section.name,
            before=rules[at].name if at < len(rules) else None,
            description=section.description,
        )
        for section, at in zip(sections, starts, strict=True)
    )


def keys_between(low: str | None, high: str | None, count: int = 1) -> list[str]:
    """`count` new places in order between two places (None: the end of the list)."""
    if count == 1:
        return [generate_key_between(low, high)]
    return list(generate_n_keys_between(low, high, count))


# --- writing a whole network -----------------------------------------------------------------------------


def insert_network(session: Session, network: records.Network) -> int:
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

    def write(self, network: records.Network) -> None:
        for section in SECTION_OF:
            self._things(section, getattr(network, SECTION_OF[section]))
        for device in network.devices:
            for kind, field in INSIDE.items():
                self._things(kind, getattr(device, field), self.ids["device", fold(device.name)])
        for kind in ONE_OF:
            self._things(kind, [one_of(network, kind)])
        for kind in ("segment", "host", "address", "service", "schedule", "expectation"):
            for thing in getattr(network, SECTION_OF[kind]):
                self._members(self.ids[SPACE[kind], fold(thing.name)], thing)
        for device in network.devices:
            id_ = self.ids["device", fold(device.name)]
            self._members(id_, device, id_)
            for kind, field in INSIDE.items():
                for inner in getattr(device, field):
                    self._members(self.ids[f"{kind}/{id_}", fold(inner.name)], inner, id_)
        for kind, name in ONE_OF.items():
            self._members(self.ids["network", name], one_of(network, kind))
        if self.members:
            self.session.execute(insert(t.Member), self.members)
        for policy in network.policies:
            self._rules(policy)

    def _things(self, kind: str, things: Iterable[Any], parent: int = 0) -> None:
        rows = [
            {**thing_row(self.network_id, kind, thing, order, parent), "ver": 1}
            for order, thing in enumerate(things)
        ]
        if not rows:
            return
        self.session.execute(insert(t.Thing), rows)
        found = self.session.execute(
            select(t.Thing.id, t.Thing.folded).where(
                t.Thing.network_id == self.network_id, t.Thing.kind == kind, t.Thing.parent_id == parent
            )
        )
        space = f"{kind}/{parent}" if kind in INSIDE else SPACE[kind]
        self.ids |= {(space, folded): id_ for id_, folded in found}

    def _members(self, owner: int, thing: Any, device: int = 0) -> None:
        place: dict[str, int] = defaultdict(int)
        for field, text, target, extra in thing_members(thing, self.ids, device):
            self.members.append(
                {
                    "thing_id": owner, "field": field, "ord": place[field], "target_id": target,
                    "literal": None if target else text, "extra": extra,
                }
            )  # fmt: skip
            place[field] += 1

    def _rules(self, policy: records.Policy) -> None:
        """Rules and sections in one order of places."""
        policy_id = self.ids["policy", fold(policy.name)]
        position = {fold(rule.name): index for index, rule in enumerate(policy.rules)}
        order: list[tuple[int, int, Any]] = [(index, 1, rule) for index, rule in enumerate(policy.rules)]
        for section in policy.sections:
            begins = len(policy.rules) if section.before is None else position[fold(section.before)]
            order.append((begins, 0, section))
        order.sort(key=lambda item: item[:2])
        places = keys_between(None, None, len(order)) if order else []
        rules: list[dict[str, Any]] = []
        sections: list[dict[str, Any]] = []
        for (_, is_rule, thing), place in zip(order, places, strict=True):
            (rules if is_rule else sections).append(
                (rule_row if is_rule else section_row)(thing, policy_id, place)
            )
        if sections:
            self.session.execute(insert(t.Section), sections)
        if not rules:
            return
        self.session.execute(insert(t.Rule), rules)
        found = self.session.execute(select(t.Rule.folded, t.Rule.id).where(t.Rule.policy_id == policy_id))
        ids = {row.folded: row.id for row in found}
        members = [row for rule in policy.rules for row in member_rows(ids[fold(rule.name)], rule, self.ids)]
        self.session.execute(insert(t.RuleMember), members)


def thing_row(network_id: int, kind: str, thing: Any, order: int, parent: int = 0) -> dict[str, Any]:
    """The record of a thing, its members aside."""
    return {
        "network_id": network_id, "kind": kind, "space": SPACE[kind], "parent_id": parent, "ord": order,
        "name": thing.name, "folded": fold(thing.name), "description": getattr(thing, "description", ""),
        "detail": detail(thing),
    }  # fmt: skip


def thing_members(
    thing: Any, ids: Mapping[tuple[str, str], int], device: int = 0
) -> Iterator[tuple[str, str, int | None, dict[str, Any] | None]]:
    """Field, text, target and extra of each member. `ids`: things by (space, folded name); `device`: the one
    whose interfaces may be meant."""
    for entry in entries(thing):
        yield entry.field, entry.text, target_of(entry.space, fold(entry.text), ids, device), entry.extra


def target_of(space: str | None, folded: str, ids: Mapping[tuple[str, str], int], device: int) -> int | None:
    """The id of the thing that a name in a space means, if it means one. `ids`, `device`: as `thing_members` has them."""
    if space is None:
        return None
    if space in FIRST_OF:
        return next((i for s in FIRST_OF[space] if (i := ids.get((s, folded)))), None)
    if space == "scope":
        return ids.get(("zone", folded)) or ids.get((f"interface/{device}", folded))
    return ids.get((f"interface/{device}" if space == "interface" else space, folded))


def section_row(section: records.Section, policy_id: int, place: str) -> dict[str, Any]:
    """The record of a section."""
    return {
        "policy_id": policy_id, "place": place.encode("ascii"), "folded": fold(section.name),
        "name": section.name, "description": section.description, "ver": 1,
    }  # fmt: skip


def rule_row(rule: records.Rule, policy_id: int, place: str) -> dict[str, Any]:
    """The record of a rule, its members aside."""
    return {
        "policy_id": policy_id, "place": place.encode("ascii"), "folded": fold(rule.name), "name": rule.name,
        "action": rule.action, "reject_with": rule.reject_with, "log": rule.log, "enabled": rule.enabled,
        "kept": rule.kept, "accepted": plain(rule.accepted),
        "negate": list(rule.negate), "states": list(rule.states), "description": rule.description,
        "until": rule.until, "owner": rule.owner, "ver": 1,
    }  # fmt: skip


def member_rows(rule_id: int, rule: records.Rule, ids: dict[tuple[str, str], int]) -> list[dict[str, Any]]:
    """The records of a rule's members; `ids` are things by (space, folded name)."""
    place: dict[str, int] = defaultdict(int)
    rows = []
    for field, member, target in rule_members(rule, ids):
        rows.append(
            {
                "rule_id": rule_id,
                "field": field,
                "ord": place[field],
                "target_id": target,
                "literal": None if target else member,
            }
        )
        place[field] += 1
    return rows


def rule_members(
    rule: records.Rule, ids: Mapping[tuple[str, str], int]
) -> Iterator[tuple[str, str, int | None]]:
    """Field, text and target of all that a rule refers to; its schedule is a member, too."""
    for field in FIELDS:
        for member in rule.members(field):
            yield field, member, target_of(space_of("rule", field), fold(member), ids, 0)
    if rule.schedule is not None:
        yield "schedule", rule.schedule, ids.get(("schedule", fold(rule.schedule)))


# --- reading a whole network -----------------------------------------------------------------------------


def load_network(session: Session, network_id: int, known: Stored | None = None) -> Stored | None:
    """Read a network and all its keys in the snapshot of this transaction; None if there is none.

    If `known` is given, its policies have the rules and sections that they had there.
    """
    row = session.get(t.Network, network_id, populate_existing=True)
    return Reader(session, row, known).read() if row else None


def load_thing(session: Session, thing_id: int) -> tuple[Any, int]:
    """Read one thing without parts of its own, and its version."""
    thing = session.execute(select(*_columns_of(t.Thing)).where(t.Thing.id == thing_id)).one()
    target = aliased(t.Thing)
    lists: Lists = defaultdict(list)
    for field, name, literal, extra in session.execute(
        select(t.Member.field, target.name, t.Member.literal, t.Member.extra)
        .outerjoin(target, target.id == t.Member.target_id)
        .where(t.Member.thing_id == thing_id)
        .order_by(t.Member.field, t.Member.ord)
    ):
        lists[field].append((name or str(literal), extra))
    return record_of(thing.kind, thing.name, thing.description, thing.detail, lists), thing.ver


def _columns_of(table: Any) -> list[Any]:
    return [c for c in table.__table__.columns if c.name not in ("folded", "space", "network_id")]


class Reader:
    """Reads a network from its rows; `sarvex.store.past` reads it from rows as they were."""

    def __init__(self, session: Session, row: t.Network, known: Stored | None = None) -> None:
        self.session, self.row, self.revision, self.known = session, row, row.revision, known
        self.things = self._things()
        self.name: dict[int, str] = {thing.id: thing.name for thing in self.things}
        self.lists = self._lists()

    def _things(self) -> Sequence[Any]:
        return self.session.execute(
            select(*_columns_of(t.Thing))
            .where(t.Thing.network_id == self.row.id)
            .order_by(t.Thing.kind, t.Thing.parent_id, t.Thing.ord, t.Thing.id)
        ).all()

    def _lists(self) -> dict[int, Lists]:
        lists: dict[int, Lists] = defaultdict(lambda: defaultdict(list))
        rows = self.session.execute(
            select(t.Member.thing_id, t.Member.field, t.Member.target_id, t.Member.literal, t.Member.extra)
            .join(t.Thing, t.Thing.id == t.Member.thing_id)
            .where(t.Thing.network_id == self.row.id)
            .order_by(t.Member.thing_id, t.Member.field, t.Member.ord)
        )
        for owner, field, target, literal, extra in rows:
            lists[owner][field].append((self.name[target] if target else str(literal), extra))
        return lists

    def read(self) -> Stored:
        rules, keys, sections = self._kept(self.known) if self.known else (*self._rules(), self._sections())
        made: dict[str, list[Any]] = defaultdict(list)
        inside: dict[tuple[int, str], list[Any]] = defaultdict(list)
        for thing in self.things:
            if thing.kind in INSIDE:
                inside[thing.parent_id, thing.kind].append(self._record(thing))
        for thing in self.things:
            apart: dict[str, Any] = {}
            if thing.kind in INSIDE:
                continue
            if thing.kind == "device":
                apart = {field: tuple(inside[thing.id, kind]) for kind, field in INSIDE.items()}
            if thing.kind == "policy":
                own = rules.get(thing.id, ())
                apart["rules"] = own
                apart["sections"] = sections_of(own, keys.get(thing.id, ()), sections.get(thing.id, ()))
            made[thing.kind].append(self._record(thing, **apart))
        network = records.Network(
            name=self.row.name,
            description=self.row.description,
            at_hosts=made["at_hosts"][0].at_hosts if made["at_hosts"] else (),
            time_zone=made["clock"][0].time_zone if made["clock"] else "UTC",
            **{section: tuple(made[kind]) for kind, section in SECTION_OF.items()},
        )
        ids = {
            (x.kind, key_of(self.name[x.parent_id], x.name) if x.parent_id else fold(x.name)): x.id
            for x in self.things
        }
        return Stored(
            self.row.id, self.revision, network, ids, {x.id: x.ver for x in self.things}, keys, sections
        )

    def _kept(self, known: Stored) -> tuple[Any, Any, Any]:
        """Rules, their keys and sections as they are known, of the policies that are still there."""
        there = {thing.id for thing in self.things if thing.kind == "policy"}
        own = {known.policy_id(p.name): p.rules for p in known.network.policies}
        rules, keys, sections = (
            {policy_id: kept for policy_id, kept in of.items() if policy_id in there}
            for of in (own, known.rules, known.sections)
        )
        return rules, keys, sections

    def _record(self, thing: Any, **apart: Any) -> Any:
        return record_of(
            thing.kind, thing.name, thing.description, thing.detail, self.lists[thing.id], **apart
        )

    def _sections(self) -> dict[int, tuple[SectionKey, ...]]:
        found: dict[int, list[SectionKey]] = defaultdict(list)
        for x in self.session.execute(
            select(t.Section)
            .join(t.Thing, t.Thing.id == t.Section.policy_id)
            .where(t.Thing.network_id == self.row.id)
            .order_by(t.Section.policy_id, t.Section.place)
        ).scalars():
            found[x.policy_id].append(SectionKey(x.id, x.ver, x.place.decode("ascii"), x.name, x.description))
        return {policy_id: tuple(keys) for policy_id, keys in found.items()}

    def _rules(self) -> tuple[dict[int, tuple[records.Rule, ...]], dict[int, tuple[RuleKey, ...]]]:
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
        rules: dict[int, list[records.Rule]] = defaultdict(list)
        keys: dict[int, list[RuleKey]] = defaultdict(list)
        columns = [c for c in t.Rule.__table__.columns if c.name != "folded"]
        for x in self.session.execute(
            select(*columns)
            .join(t.Thing, in_network[0])
            .where(in_network[1])
            .order_by(t.Rule.policy_id, t.Rule.place)
        ):
            rules[x.policy_id].append(rule_of(x, {f: tuple(members[x.id, f]) for f in (*FIELDS, "schedule")}))
            keys[x.policy_id].append(RuleKey(x.id, x.ver, x.place.decode("ascii")))
        return {k: tuple(v) for k, v in rules.items()}, {k: tuple(v) for k, v in keys.items()}


def rule_of(row: Any, members: dict[Any, tuple[str, ...]]) -> records.Rule:
    """The rule of a record and its members by field."""
    fields = {f: members[f] for f in FIELDS}
    return records.Rule(
        name=row.name, action=row.action, reject_with=row.reject_with, log=row.log, enabled=row.enabled, kept=row.kept,
        negate=tuple(row.negate), states=tuple(row.states), description=row.description,
        until=getattr(row, "until", ""), owner=getattr(row, "owner", ""),
        schedule=next(iter(members["schedule"]), None), accepted=accepted_of(getattr(row, "accepted", ())), **fields,
    )  # fmt: skip
