"""Policies of one stage as the list they amount to, and rules that are dead only there.

Where several policies are consulted one after the other, the rules of the earlier ones come first, and a default other
than `continue` ends the stage. What is consulted depends on the way through the device (from interface to interface) or
on the host; ways before which the same policies stand are judged together.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from sarvex.core import addresses
from sarvex.core.findings import Finding
from sarvex.core.firstmatch import BUDGET, DEFAULT, FirstMatch
from sarvex.core.matches import Match, matches_of
from sarvex.core.model import Attachment, Device, HostAttachment, Network, Policy, Rule, fold, named
from sarvex.core.names import Names
from sarvex.core.paths import in_scope

FEW = 3
ANY = ("any",)


@dataclass(frozen=True)
class Where:
    """A stage of a device, by its name, or at hosts."""

    stage: str
    device: str | None

    def __str__(self) -> str:
        return f"{self.stage} at {self.device or 'hosts'}"


@dataclass(frozen=True)
class Place:
    """Where a policy is attached, and the lists of policies consulted before it there, one per kind of way."""

    policy: str
    where: Where
    before: tuple[tuple[str, ...], ...]


def ways(device: Device, attachment: Attachment) -> list[tuple[str, str]]:
    """The pairs of interfaces an attachment speaks of; the stages that know no way out have a blank there."""
    entering = [i.name for i in device.interfaces if in_scope(attachment.entering, i)]
    if attachment.stage in ("inbound", "to the device"):
        return [(name, "") for name in entering]
    leaving = [i.name for i in device.interfaces if in_scope(attachment.leaving, i)]
    return [(a, b) for a in entering for b in leaving if a != b]


def attached(network: Network, names: Names) -> Iterator[tuple[Where, str, Sequence[Hashable]]]:
    """Every attachment in the order of its place: the place, the policy, its ways through the device or hosts."""
    for device in network.devices:
        for stage in dict.fromkeys(a.stage for a in device.policies):
            for a in device.policies:
                if a.stage == stage:
                    yield Where(stage, device.name), a.policy, ways(device, a)
    for at in sorted(network.at_hosts, key=lambda a: a.direction):  # inbound first
        yield Where(at.direction, None), at.policy, _hosts(at, network, names)


def places(network: Network, names: Names) -> Iterator[Place]:
    """Every place where a policy is attached."""
    before: dict[Where, dict[Hashable, tuple[str, ...]]] = defaultdict(lambda: defaultdict(tuple))
    for where, policy, here in attached(network, names):
        earlier = before[where]
        yield Place(policy, where, tuple(dict.fromkeys(earlier[way] for way in here)))
        for way in here:
            earlier[way] = (*earlier[way], policy)


def _hosts(attachment: HostAttachment, network: Network, names: Names) -> list[str]:
    chosen = addresses.union(names.address(name) for name in attachment.hosts)
    return [h.name for h in network.hosts if addresses.intersection(names.address(h.name), chosen)]


def dead_where_attached(network: Network, names: Names, budget: int = BUDGET) -> Iterator[Finding]:
    """Rules that decide something in their policy and nothing at any place where it is attached.

    Of a policy that nothing reaches anywhere that is told as a whole, not here.
    """
    by_policy: dict[str, list[Place]] = defaultdict(list)
    for place in places(network, names):
        by_policy[fold(place.policy)].append(place)
    for policy in network.policies:
        here = by_policy[fold(policy.name)]
        lists = [before for place in here for before in place.before if _reaches(network, before, policy)]
        if lists and all(lists):
            where = " and ".join(dict.fromkeys(str(place.where) for place in here))
            yield from _dead(policy, where, dict.fromkeys(lists), network, names, budget)


def _reaches(network: Network, before: Sequence[str], policy: Policy) -> bool:
    """Whether defaults of the policies before leave it packets of one family that it speaks of."""
    ended: set[str] = set()
    for name in before:
        one = named(network.policies, name)
        if one.default != "continue":
            ended |= _families(one)
    return not _families(policy) <= ended


def _families(policy: Policy) -> set[str]:
    return {"4", "6"} if policy.families == "both" else {policy.families}


def _dead(
    policy: Policy, where: str, lists: Iterable[tuple[str, ...]], network: Network, names: Names, budget: int
) -> Iterator[Finding]:
    own = FirstMatch.of(policy, names, budget)
    left = {i for i in range(len(policy.rules)) if own.decides(i) in ("all", "part")}
    takers: dict[int, dict[str, None]] = defaultdict(dict)
    for before in lists:
        if not left:
            return
        earlier = [named(network.policies, name) for name in before]
        stage, origins = _stage(earlier, policy, names, budget)
        first = len(origins) - len(policy.rules)
        for i in sorted(left):
            if stage.decides(first + i) != "none":
                left.discard(i)
                continue
            for by in stage.liveness_of(first + i).by:
                if by < first:
                    takers[i][origins[by]] = None
    for i in sorted(left):
        by_names = tuple(takers[i])
        more = f" and {len(by_names) - FEW} more" if len(by_names) > FEW else ""
        verb = "takes" if len(by_names) == 1 else "take"
        text = f"Its policy is consulted {where}, after others: {', '.join(by_names[:FEW])}{more} {verb} all that it would decide."
        yield Finding("dead where attached", "warning", policy.name, policy.rules[i].name, text, by_names)


def _stage(
    earlier: Sequence[Policy], policy: Policy, names: Names, budget: int
) -> tuple[FirstMatch, list[str]]:
    """Policies as one list, the last one's rules at its end, and for each rule what it is called in the network."""
    before = one_list(earlier, lambda _: names)
    whole = Policy(name=policy.name, default="drop", rules=(*before.policy.rules, *policy.rules))
    matches = [*before.matches, *matches_of(policy, names)]
    return FirstMatch(whole, matches, names.known(), budget), [rule.name for rule in whole.rules]


@dataclass(frozen=True, eq=False)
class OneList:
    """Policies of one stage as the list they amount to; `continue` is left where all of them leave it."""

    policy: Policy
    matches: list[Match]
    origins: list[tuple[str, int]]
    """For each rule its policy, and its place there; `DEFAULT` for what a default amounts to."""


def one_list(policies: Sequence[Policy], names_of: Callable[[Policy], Names]) -> OneList:
    """The rules of all in order, each with its policy's name, and after them what its default decides. O(rules)."""
    rules: list[Rule] = []
    matches: list[Match] = []
    origins: list[tuple[str, int]] = []
    for one in policies:
        ended = one
        if one.default != "continue":
            rest = Rule(name="default", action=one.default, source=ANY, destination=ANY, service=ANY)
            ended = replace(one, rules=(*one.rules, rest))
        rules += [replace(rule, name=f"{rule.name} of {one.name}") for rule in ended.rules]
        matches += matches_of(ended, names_of(one))
        origins += [(one.name, at if at < len(one.rules) else DEFAULT) for at in range(len(ended.rules))]
    return OneList(Policy(name="stage", default="continue", rules=tuple(rules)), matches, origins)


def consulted(network: Network, names: Names) -> dict[Where, dict[Hashable, tuple[str, ...]]]:
    """The policies consulted, in order, by place and by way or host there."""
    found: dict[Where, dict[Hashable, tuple[str, ...]]] = defaultdict(lambda: defaultdict(tuple))
    for place, policy, here in attached(network, names):
        for way in here:
            if fold(policy) not in found[place][way]:  # a second time it has nothing left to decide
                found[place][way] += (fold(policy),)
    return found
