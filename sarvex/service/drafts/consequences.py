"""What an edit would do, before it is made: the effect in every policy it touches, and where a rule would work.

An edit is told as it would be asked for; nothing here writes. A question may be overtaken by a newer one of the same
asker, and is then given up (`Superseded`).
"""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass, replace
from threading import Lock
from typing import Any, cast

from sarvex.core.change.effect import BUDGET, Effect, Superseded, effect
from sarvex.core.change.effect import Versions as ListVersions
from sarvex.core.change.list_effects import ListEffect, list_effects
from sarvex.core.change.network_effect import (
    NO_EFFECT,
    NetworkEffect,
    Versions,
    network_effect,
    newcomer_effect,
)
from sarvex.core.change.positions import Standing
from sarvex.core.change.stage_effects import StageEffect, stage_effects
from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_rules import report_of
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.forwarding.possible_traffic import Whereabouts
from sarvex.core.forwarding.routing import ground_of
from sarvex.core.meaning.check import naming_problems, schedule_problems
from sarvex.core.meaning.hints import hints
from sarvex.core.meaning.matches import Match, match_of, matches_of, successor
from sarvex.core.meaning.names import NameCycle, Names, UnknownName, moments_of_both
from sarvex.core.model.edits import NEW, Edit, Edited
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import (
    Device,
    Host,
    Network,
    Policy,
    Schedule,
    Segment,
    fold,
)
from sarvex.core.model.thing_edits import AddThing, DeleteThing, ListSection, MoveEntry, Section, WriteThing
from sarvex.core.reach.newcomer import grown
from sarvex.core.reach.reach import Reach
from sarvex.core.sets import addresses, services
from sarvex.core.sets.boxes import WorkLimit
from sarvex.core.time.moments import TooManyKinds
from sarvex.service.analysis import turns
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import policy_named
from sarvex.service.drafts.rule_edits import applied, problems_of
from sarvex.service.errors import NotFound, Refused
from sarvex.store.networks import SECTION_OF
from sarvex.store.things import INSIDE, KIND_OF, ORDERED, AtHosts

CUBES = 2_000_000
"""Looked at in a second."""
FEW_VALUES = 8
FEW_RULES = 300


@dataclass(frozen=True)
class Look:
    """A rule as it would be at its place, counted from 1."""

    place: int
    standing: Standing | None
    """None if the work limit was hit."""
    expands: dict[str, list[str]]
    hints: list[str]


@dataclass(frozen=True)
class Consequence:
    """What an edit would do: its problems, or its effects."""

    problems: tuple[Problem, ...] = ()
    effects: tuple[tuple[Effect, Names, tuple[int, ...]], ...] = ()
    """For each policy that changes: the effect, the names to tell it in, and for each new rule its old place."""
    look: Look | None = None
    stages: tuple[tuple[StageEffect, Names], ...] = ()
    """For each place where other policies are consulted than before: what that changes."""
    lists: tuple[tuple[ListEffect, Names], ...] = ()
    """For each list of a device that does something else: what."""
    versions: Versions | None = None
    """The network before and after; None while there are problems."""
    come: tuple[Finding, ...] = ()
    go: tuple[Finding, ...] = ()
    """Warnings about rules of the policy that an edit brings, and that it mends; told of lists up to `FEW_RULES` only."""


@dataclass(frozen=True, eq=False)
class _Draft:
    """A policy as it would be."""

    policy: Policy
    matches: list[Match]
    kept: list[int]
    at: int | None
    """Where the one rule the edit is about would stand."""


@dataclass(frozen=True)
class Patience:
    """How long each effect is worked on before the rest is told to be left; given up as soon as `go_on` says no."""

    go_on: Callable[[], bool]
    seconds: float

    @property
    def deadline(self) -> float:
        """Of work that begins now, on the clock of `time.monotonic`."""
        return time.monotonic() + self.seconds

    @property
    def budget(self) -> int:
        """The same in work, where that is more than any effect may cost."""
        return max(BUDGET, round(self.seconds * CUBES))

    @property
    def limits(self) -> dict[str, Any]:
        """All three, as the comparison of lists takes them."""
        return {"go_on": self.go_on, "deadline": self.deadline, "budget": self.budget}


class Askers:
    """The newest question of each asker: what is older is not worth an answer."""

    def __init__(self, most: int = 1000) -> None:
        self._newest: OrderedDict[str, int] = OrderedDict()
        self._most = most
        self._lock = Lock()

    def asks(self, asker: str, generation: int) -> Callable[[], bool]:
        """Note a question, and return whether it is still the newest and its asker there. Raises `Superseded` if it never was."""
        with self._lock:
            if self._newest.get(asker, generation) > generation:
                raise Superseded
            self._newest[asker] = generation
            self._newest.move_to_end(asker)
            while len(self._newest) > self._most:
                self._newest.popitem(last=False)
        gone = turns.asking.get().gone
        return lambda: self._newest.get(asker, generation) <= generation and not gone.is_set()


def of_edit(loaded: Loaded, policy_id: int, edit: Edit, patience: Patience) -> Consequence:
    """The consequence of an edit of rules. Raises `NotFound`, `Refused`, `Conflict`, `Superseded`."""
    policy = policy_named(loaded, policy_id)
    made = applied(policy, loaded.rule_places(policy_id), edit, policy_id)
    problems = problems_of(made, policy, loaded.names, loaded.network)
    if problems:
        return Consequence(tuple(problems))
    loaded = loaded.telling(made.rules[at].until for at in made.written if made.rules[at].until)
    ready = loaded.ready(policy)
    draft = _Draft(_with(policy, made), _matches(ready, made, loaded.names), made.came_from, made.about)
    told = _effect(ready, draft, patience)
    look = _look(loaded, ready, draft, patience.go_on)
    come, go = _findings(loaded, policy, draft)
    versions = _versions(loaded, _with_policy(loaded.network, policy, draft.policy))
    return Consequence(
        (), ((told, loaded.names, tuple(draft.kept)),), look, versions=versions, come=come, go=go
    )


def of_ending(loaded: Loaded, policy_id: int, rule_id: int, patience: Patience) -> Consequence:
    """What becomes otherwise when a rule that is there for a while ends: against the same list if it did not. Raises `NotFound`, `Superseded`."""
    policy = policy_named(loaded, policy_id)
    at = loaded.rule_places(policy_id).get(rule_id)
    if at is None or not policy.rules[at].until:
        raise NotFound("there is no such rule that ends")
    rules = list(policy.rules)
    rules[at] = replace(rules[at], until="")
    for_ever = replace(policy, rules=tuple(rules))
    now = loaded.ready(policy)
    ready = FirstMatch.following(now, for_ever, loaded.names)
    same = list(range(len(rules)))
    told = _effect(ready, _Draft(policy, list(now.matches), same, None), patience)
    before = _with_policy(loaded.network, policy, for_ever)
    versions = Versions(before, loaded.network, loaded.names, loaded.names)
    return Consequence((), ((told, loaded.names, tuple(same)),), versions=versions)


def in_network(
    told: Consequence, patience: Patience, anyway: bool, known: Reach | None = None
) -> NetworkEffect | None:
    """What an edit would do in the network. Unless it is wanted `anyway` it is told only if that is known at once.

    known: what everybody reaches before, if that is known.

    Raises `Superseded`.
    """
    if told.versions is None:
        return None
    of = told.versions
    if not (of.old.devices or of.new.devices):
        return None
    effects = [one for one, _, _ in told.effects]
    at_places = [*(one.effect for one, _ in told.stages), *(one.effect for one, _ in told.lists)]
    same_ground = ground_of(of.old) == ground_of(of.new) and of.old.zones == of.new.zones
    if not anyway and not (same_ground and all(e.equal for e in (*effects, *at_places))):
        return None
    return network_effect(of, effects, at_places, until(patience), known)


def until(patience: Patience) -> Callable[[], bool]:
    """Whether to go on working on something; whoever asks something newer ends it (`Superseded`)."""
    until = patience.deadline

    def go_on() -> bool:
        if not patience.go_on():
            raise Superseded
        return time.monotonic() < until

    return go_on


def _versions(loaded: Loaded, after: Network) -> Versions:
    """Where nothing differs but policies names stay what they are."""
    return Versions(loaded.network, after, loaded.names, loaded.names)


def _with_policy(network: Network, policy: Policy, made: Policy) -> Network:
    return replace(network, policies=tuple(made if p is policy else p for p in network.policies))


def _with(policy: Policy, made: Edited) -> Policy:
    return replace(policy, rules=tuple(made.rules), default=made.default or policy.default)


def _matches(ready: FirstMatch, made: Edited, names: Names) -> list[Match]:
    """What the rules match after an edit: what they did before, but for those that say something else."""
    new = {at for at in made.written if not _says_the_same(ready.policy, made, at)}
    families = ready.policy.families
    return [
        match_of(made.rules[at], names, families) if at in new else ready.matches[old]
        for at, old in enumerate(made.came_from)
    ]


def _says_the_same(policy: Policy, made: Edited, at: int) -> bool:
    rule, old = made.rules[at], made.came_from[at]
    return old != NEW and replace(policy.rules[old], enabled=rule.enabled) == rule


def _findings(
    loaded: Loaded, policy: Policy, draft: _Draft
) -> tuple[tuple[Finding, ...], tuple[Finding, ...]]:
    """The warnings that come and those that go; a rule that is renamed is the same rule."""
    if max(len(policy.rules), len(draft.policy.rules)) > FEW_RULES:
        return (), ()
    called = {rule.name: draft.kept[at] for at, rule in enumerate(draft.policy.rules)}
    place = {rule.name: at for at, rule in enumerate(policy.rules)}
    whole = FirstMatch(draft.policy, draft.matches, loaded.names.known())
    after = {
        (f.kind, old if (old := called[f.rule]) != NEW else f.rule): f
        for f in report_of(whole, loaded.names, notes=False).findings
        if f.weight != "note" and f.rule is not None
    }
    before = {
        (f.kind, place[f.rule]): f
        for f in loaded.report(policy).findings
        if f.weight != "note" and f.rule is not None
    }
    return (
        tuple(f for key, f in after.items() if key not in before),
        tuple(f for key, f in before.items() if key not in after),
    )


def _effect(ready: FirstMatch, draft: _Draft, patience: Patience) -> Effect:
    limits = patience.go_on, patience.deadline, patience.budget
    return effect(ListVersions(ready, draft.policy, draft.matches, draft.kept, *limits))


def edited(loaded: Loaded, policy_id: int, edit: Edit) -> Network:
    """The network with an edit made. Raises `NotFound`, `Refused`, `Conflict`."""
    policy = policy_named(loaded, policy_id)
    made = applied(policy, loaded.rule_places(policy_id), edit, policy_id)
    found = problems_of(made, policy, loaded.names, loaded.network)
    if found:
        raise Refused(found)
    return _with_policy(loaded.network, policy, _with(policy, made))


def _look(loaded: Loaded, ready: FirstMatch, draft: _Draft, go_on: Callable[[], bool]) -> Look | None:
    if draft.at is None:
        return None
    if not go_on():
        raise Superseded
    rule, match, old = draft.policy.rules[draft.at], draft.matches[draft.at], draft.kept[draft.at]
    expands = {
        "source": addresses.describe(match.source)[:FEW_VALUES],
        "destination": addresses.describe(match.destination)[:FEW_VALUES],
        "service": services.describe(match.service)[:FEW_VALUES],
    }
    elsewhere = Whereabouts(loaded.network, loaded.names, draft.policy).elsewhere(rule)
    told = [*([elsewhere] if elsewhere else []), *hints(rule, loaded.names)]
    try:
        standing = Standing(ready, rule, match, None if old == NEW else old)
    except WorkLimit:
        return Look(draft.at + 1, None, expands, told)
    return Look(draft.at + 1, standing, expands, told)


# Names ---------------------------------------------------------------------------------------------------------------


def of_thing(loaded: Loaded, thing_id: int, thing: Any, patience: Patience) -> Consequence:
    """The consequence of a host, segment, object or schedule becoming `thing`, in every policy that feels it.

    A new name is no change: it follows everywhere. Raises `NotFound`, `Superseded`.
    """
    kind = KIND_OF[type(thing)]
    before = _thing(loaded, kind, thing_id)
    if isinstance(thing, Schedule):
        return _of_schedule(loaded, before, thing, patience)
    thing = replace(thing, name=before.name)
    after = WriteThing(_section(kind), before.name, thing).apply(loaded.network)
    if isinstance(thing, Host | Segment):
        return _of_places(loaded, after, patience)
    names = successor(loaded.names, after)
    effects = []
    try:
        felt = _felt(loaded, names, kind, before.name)
        for policy in loaded.network.policies:
            touched = _touched(loaded, policy, felt)
            if not touched:
                continue
            effects.append(_rematched(loaded.ready(policy), touched, names, patience))
    except (UnknownName, NameCycle) as error:
        return Consequence((Problem(("members",), str(error)),))
    versions = Versions(loaded.network, after, loaded.names, names)
    return Consequence((), tuple(effects), lists=_of_lists(versions, patience), versions=versions)


def _of_lists(of: Versions, patience: Patience) -> tuple[tuple[ListEffect, Names], ...]:
    """What lists of devices do otherwise whose entries use names."""
    return tuple(
        (one, of.after)
        for one in list_effects(of.old, of.new, of.after, names_before=of.before, **patience.limits)
    )


def _rematched(
    ready: FirstMatch, touched: Iterable[int], names: Names, patience: Patience
) -> tuple[Effect, Names, tuple[int, ...]]:
    """What it does to a list that some of its rules match by other names."""
    policy, matches = ready.policy, list(ready.matches)
    for i in touched:
        matches[i] = match_of(policy.rules[i], names, policy.families)
    kept = list(range(len(matches)))
    return _effect(ready, _Draft(policy, matches, kept, None), patience), names, tuple(kept)


def _of_schedule(loaded: Loaded, before: Schedule, made: Schedule, patience: Patience) -> Consequence:
    """Both versions are told by the same classes of moments, so the lists that use it are made ready for these."""
    found = schedule_problems(made)
    if found:
        return Consequence(tuple(found))
    network, made = loaded.network, replace(made, name=before.name)
    after = WriteThing("schedules", before.name, made).apply(network)
    try:
        moments = moments_of_both(network, after, loaded.day)
    except TooManyKinds as error:
        return Consequence((Problem(("windows",), str(error)),))
    old, new = Names(network, moments[0]), Names(after, moments[1])
    effects = []
    for policy in network.policies:
        touched = [i for i, r in enumerate(policy.rules) if fold(r.schedule or "") == fold(before.name)]
        if not touched:
            continue
        if not patience.go_on():
            raise Superseded
        effects.append(_rematched(FirstMatch.of(policy, old), touched, new, patience))
    versions = Versions(network, after, old, new)
    return Consequence((), tuple(effects), lists=_of_lists(versions, patience), versions=versions)


def of_ground(loaded: Loaded, thing_id: int, thing: Any, patience: Patience) -> Consequence:
    """The consequence of a thing of the ground becoming `thing`: of its addresses, of a policy's default and families, of
    which policies are consulted where. Raises `NotFound`, `Superseded`."""
    if isinstance(thing, Host | Segment):
        return of_thing(loaded, thing_id, thing, patience)
    found = loaded.stored.record_of(thing_id)
    if found is None or type(found[1]) is not type(thing):
        raise NotFound("there is no such thing")
    kind, before, parent_id = found
    network = loaded.network
    if isinstance(before, Policy):
        return _of_head(loaded, before, thing, patience)
    if kind in INSIDE:
        device = loaded.stored.record_of(parent_id)[1]  # type: ignore[index]
        made = replace(thing, name=before.name)
        after = WriteThing(INSIDE[kind], before.name, made, device.name).apply(network)  # type: ignore[arg-type]
    elif isinstance(before, Device):
        after = WriteThing("devices", before.name, replace(thing, name=before.name)).apply(network)
    elif isinstance(before, AtHosts):
        after = replace(network, at_hosts=thing.at_hosts)
    else:
        raise NotFound(f"what a {kind} does is not told before it is saved")
    return _of_places(loaded, after, patience)


def of_new(loaded: Loaded, device_id: int | None, thing: Any, patience: Patience) -> Consequence:
    """The consequence of one more segment, host or device, or, at a device, one more interface or entry at the end of a list.

    Raises `NotFound`, `Superseded`.
    """
    kind = KIND_OF[type(thing)]
    if kind not in INSIDE:
        return _of_places(loaded, AddThing(_section(kind), thing).apply(loaded.network), patience)
    device = _thing(loaded, "device", device_id or 0)
    added = AddThing(cast(Section, INSIDE[kind]), thing, device.name)
    return _of_places(loaded, added.apply(loaded.network), patience)


def of_newcomer(
    loaded: Loaded, segment: Segment, device_id: int, zone: str | None, patience: Patience
) -> tuple[list[Problem], NetworkEffect, Names]:
    """What a new segment would reach, and who would reach it, on a new interface of a device in a zone; and the names to tell it in.

    Raises `NotFound`, `Superseded`.
    """
    device = _thing(loaded, "device", device_id)
    zones = {fold(z.name) for z in loaded.network.zones}
    if zone is not None and fold(zone) not in zones:
        raise NotFound(f"there is no zone {zone!r}")
    found = naming_problems(AddThing("segments", segment).apply(loaded.network))
    if not segment.prefixes:
        found = [*found, Problem(("prefixes",), "give it a prefix: without one it is everything else")]
    if found:
        return found, NO_EFFECT, loaded.names
    after = grown(loaded.network, segment, device.name, zone)
    names = Names(after, loaded.names.moments)
    return [], newcomer_effect(after, names, segment, until(patience)), names


def of_gone(loaded: Loaded, thing_id: int, patience: Patience) -> Consequence:
    """The consequence of a segment, host, device, interface or entry of a device's list going. Raises `NotFound`, `Superseded`."""
    found = loaded.stored.record_of(thing_id)
    if found is None:
        raise NotFound("there is no such thing")
    kind, thing, device_id = found
    if kind not in (*INSIDE, "segment", "host", "device"):
        raise NotFound(f"what it does when a {kind} goes is not told before it is deleted")
    device = _thing(loaded, "device", device_id).name if kind in INSIDE and device_id is not None else ""
    section = cast(Section, INSIDE.get(kind) or SECTION_OF[kind])
    return _of_places(loaded, DeleteThing(section, thing.name, device).apply(loaded.network), patience)


def of_entry_moved(loaded: Loaded, entry_id: int, before_id: int | None, patience: Patience) -> Consequence:
    """The consequence of an entry standing before another of its list, or at its end. Raises `NotFound`, `Superseded`."""
    section, name, device = _entry(loaded, entry_id)
    before = None if before_id is None else _entry(loaded, before_id)
    if before is not None and (before == (section, name, device) or before[::2] != (section, device)):
        raise NotFound("that is no other entry of this list; look again")
    moved = MoveEntry(section, name, before and before[1], device)
    return _of_places(loaded, moved.apply(loaded.network), patience)


def _entry(loaded: Loaded, entry_id: int) -> tuple[ListSection, str, str]:
    """The list, the name and the device of an entry."""
    found = loaded.stored.record_of(entry_id)
    if found is None or found[0] not in ORDERED:
        raise NotFound("there is no such entry of a device's list")
    kind, entry, device_id = found
    return cast(ListSection, INSIDE[kind]), entry.name, _thing(loaded, "device", device_id).name


def _of_places(loaded: Loaded, after: Network, patience: Patience) -> Consequence:
    """What another ground does: in the policies whose names stand for something else, at the stages of devices, and in their lists."""
    if problems := naming_problems(after):
        return Consequence(tuple(problems))
    versions = Versions(loaded.network, after, loaded.names, Names(after, loaded.names.moments))
    felt = _felt_names(versions)
    effects = []
    try:
        for policy in loaded.network.policies:
            if touched := _touched(loaded, policy, felt):
                effects.append(_rematched(loaded.ready(policy), touched, versions.after, patience))
    except (UnknownName, NameCycle) as error:
        return Consequence((Problem(("name",), str(error)),))
    stages = stage_effects(
        versions.old, versions.new, versions.after, names_before=versions.before, **patience.limits
    )
    return Consequence(
        (), tuple(effects), versions=versions, lists=_of_lists(versions, patience),
        stages=tuple((stage, versions.after) for stage in stages),
    )  # fmt: skip


def _felt_names(of: Versions) -> set[str]:
    """The address names, folded, that stand for something else afterwards, or for nothing."""
    before, after = ({fold(name) for name in names.called()} for names in (of.before, of.after))
    return {key for key in before if key not in after or of.before.address(key) != of.after.address(key)}


def _of_head(loaded: Loaded, policy: Policy, head: Policy, patience: Patience) -> Consequence:
    """Of another default, or other families."""
    made = replace(policy, default=head.default, families=head.families)
    ready = loaded.ready(policy)
    same = policy.families == made.families
    matches = ready.matches if same else matches_of(made, loaded.names)
    kept = list(range(len(matches)))
    told = _effect(ready, _Draft(made, matches, kept, None), patience)
    versions = _versions(loaded, _with_policy(loaded.network, policy, made))
    return Consequence((), ((told, loaded.names, tuple(kept)),), versions=versions)


def _section(kind: str) -> Section:
    return cast(Section, SECTION_OF[kind])


def kind_of(loaded: Loaded, thing_id: int) -> str | None:
    """What kind of thing has an id."""
    return next((kind for (kind, _), known in loaded.stored.things.items() if known == thing_id), None)


def _thing(loaded: Loaded, kind: str, thing_id: int) -> Any:
    for thing in getattr(loaded.network, SECTION_OF[kind]):
        if loaded.stored.things[kind, fold(thing.name)] == thing_id:
            return thing
    raise NotFound("there is no such name")


def _felt(loaded: Loaded, after: Names, kind: str, name: str) -> set[str]:
    """The names, folded, that stand for something else afterwards."""
    before = loaded.names
    if kind == "service":
        groups = {fold(s.name): s.members for s in after.network.services}
        return {
            key for key in _above(groups, {fold(name)}) if _differ(before.service(key), after.service(key))
        }
    groups = {fold(a.name): a.members for a in after.network.addresses}
    return {key for key in _above(groups, {fold(name)}) if before.address(key) != after.address(key)}


def _above(groups: dict[str, tuple[str, ...]], first: set[str]) -> set[str]:
    """Names and all groups that contain them."""
    found = set(first)
    while True:
        more = {
            k for k, members in groups.items() if k not in found and not found.isdisjoint(map(fold, members))
        }
        if not more:
            return found
        found |= more


def _differ(a: Any, b: Any) -> bool:
    return any(len(services.difference(x, y)[f]) for x, y in ((a, b), (b, a)) for f in (4, 6))


def _touched(loaded: Loaded, policy: Policy, felt: Collection[str]) -> list[int]:
    """The rules of a policy that name one of some names."""
    place = None
    found: set[int] = set()
    for space in ("address", "service"):
        uses = loaded.uses(space)
        for key in felt:
            for use in uses.get(key, ()):
                if use.policy == policy.name:
                    place = place or {rule.name: i for i, rule in enumerate(policy.rules)}
                    found.add(place[use.owner])
    return sorted(found)
