"""The lists of policies consulted at each place, and each of them as the one list it amounts to.

Where several policies are consulted one after the other, the rules of the earlier ones come first, and a default other
than `continue` ends the stage. What is consulted depends on the way through the device (from interface to interface) or
on the host; ways before which the same policies stand are judged together.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterator, Sequence
from dataclasses import dataclass, replace

from sarvex.core.firstmatch.rule_list import DEFAULT
from sarvex.core.forwarding.scopes import in_scope
from sarvex.core.meaning.matches import Match, matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Attachment, Device, HostAttachment, Network, Policy, Rule, fold
from sarvex.core.sets import addresses

ANY = ("any",)


@dataclass(frozen=True)
class Where:
    """A stage of a device, by its name, or at hosts."""

    stage: str
    device: str | None

    def __str__(self) -> str:
        return f"{self.stage} at {self.device or 'hosts'}"


def ways(device: Device, attachment: Attachment) -> list[tuple[str, str]]:
    """The pairs of interfaces an attachment speaks of, in and out by one among them.

    The stages that know no way out have a blank there, and a blank is where what the device sends itself came in.
    """
    entering = [i.name for i in device.interfaces if in_scope(attachment.entering, i)]
    if attachment.stage in ("inbound", "to the device"):
        return [(name, "") for name in entering]
    if attachment.stage == "from the device":
        entering = [""]
    elif attachment.stage == "outbound" and in_scope(attachment.entering, None):
        entering.append("")
    leaving = [i.name for i in device.interfaces if in_scope(attachment.leaving, i)]
    return sorted(
        ((a, b) for a in entering for b in leaving), key=lambda way: way[0] in ("", way[1])
    )  # usual ones first


def attached(network: Network, names: Names) -> Iterator[tuple[Where, str, Sequence[Hashable]]]:
    """Every attachment in the order of its place: the place, the policy, its ways through the device or hosts."""
    for device in network.devices:
        for stage in dict.fromkeys(a.stage for a in device.policies):
            for a in device.policies:
                if a.stage == stage:
                    yield Where(stage, device.name), a.policy, ways(device, a)
    for at in sorted(network.at_hosts, key=lambda a: a.direction):  # inbound first
        yield Where(at.direction, None), at.policy, _hosts(at, network, names)


def _hosts(attachment: HostAttachment, network: Network, names: Names) -> list[str]:
    chosen = addresses.union(names.address(name) for name in attachment.hosts)
    return [h.name for h in network.hosts if addresses.intersection(names.address(h.name), chosen)]


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
