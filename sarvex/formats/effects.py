"""The effect of a change as the command line gives it: JSON by contract, and text for people."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import islice, product
from math import inf
from time import monotonic

from sarvex.core.change.all_effects import BUDGET, policy_effect, policy_pairs
from sarvex.core.change.effect import Effect, Part
from sarvex.core.change.effect_in_names import Change, changes
from sarvex.core.change.list_effects import ListEffect, list_effects
from sarvex.core.change.network_effect import NetworkEffect, Versions, network_effect
from sarvex.core.change.stage_effects import StageEffect, stage_effects
from sarvex.core.change.verdicts import VerdictChanges, verdict_changes
from sarvex.core.forwarding.walk import TooWide
from sarvex.core.meaning.matches import Match, in_family
from sarvex.core.meaning.names import Names, moments_of_both
from sarvex.core.model.differences import INSIDE, PLURAL, Difference, differences
from sarvex.core.model.records import LISTS, Network
from sarvex.core.reach.expectations import judged
from sarvex.core.reach.products import products
from sarvex.core.sets import addresses
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.sets.services import ICMP, ICMP6
from sarvex.core.time.moments import ALWAYS, Moments, Times
from sarvex.formats import expectations
from sarvex.formats.network_effects import NetworkChange, network_changes, network_text
from sarvex.formats.outputs import (
    VERSION,
    BoxOutput,
    ChangeOutput,
    EffectOutput,
    NetworkChangeOutput,
    NetworkEffectOutput,
    SettleOutput,
    SpanOutput,
    VerdictChangeOutput,
    flow_output,
)

HELD_SECONDS = 20.0
"""So long it is worked on what holds otherwise."""
MOST_BOXES = 1000
"""Of what is left out so many boxes are told one by one; of more only a box around them."""
# What of a thing can change a verdict without any rule noticing.
GROUND = {
    "zones": {"depth"},
    "segments": {"prefixes", "outside", "gateways"},
    "devices": {
        "filtering", "zone default", "routes", "policies", "order of interfaces", "replies", "cluster", "out of state",
        "answers leave", "sees", "order of destination translations", "order of source translations", "order of steering",
    },
    "at_hosts": set[str](),
}  # fmt: skip
WITHIN = tuple(f"{INSIDE[field]} " for field in ("interfaces", *LISTS))


@dataclass(frozen=True, eq=False)
class Holding:
    """Which expectations hold otherwise, and why those that are there afterwards do not."""

    found: VerdictChanges
    told: tuple[expectations.Told, ...]


def _holding(of: Versions, effect: NetworkEffect | None, go_on: Callable[[], bool]) -> VerdictChanges:
    try:
        before = judged(of.old, of.before, of.old.expectations, go_on=go_on)
        return verdict_changes(of, effect, before, go_on)
    except TooWide:
        return VerdictChanges((), of.new.expectations)


@dataclass(frozen=True)
class Compared:
    """Two networks compared: what changes in each policy, and what differs besides."""

    changes: tuple[Change, ...]
    left: tuple[Match, ...]
    outside: tuple[str, ...]
    """What differs besides, of which it is not told what it does."""
    names: Names
    places: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """The ways through a place, for changes that other policies consulted there bring about."""
    network: NetworkEffect | None = None
    """What new packets reach afterwards and did not before; None where there is no ground, or one policy alone is compared."""
    ground: tuple[str, ...] = ()
    """What differs besides policies and the names that rules use."""
    alone: bool = False
    """Whether one policy alone was compared."""
    of: Versions | None = None
    """What was compared, where what must hold is told too."""

    @cached_property
    def holding(self) -> Holding | None:
        """What breaks and mends of what must hold; None where nothing must, or one policy alone was compared. Worked out once, in `HELD_SECONDS`."""
        if self.of is None or not (self.of.old.expectations or self.of.new.expectations):
            return None
        until = monotonic() + HELD_SECONDS
        found = _holding(self.of, self.network, lambda: monotonic() < until)
        after = [change.after for change in found.changes if change.after is not None]
        return Holding(found, tuple(expectations.told(after, self.of.new, self.of.after)))

    @property
    def complete(self) -> bool:
        """Whether `changes` are all, in the lists and in the network."""
        return not self.left and (self.network is None or self.network.complete)

    @property
    def equal(self) -> bool | None:
        """Whether nothing changes; None if that is undecided."""
        if self.changes or (self.network and self.network.shifts):
            return False
        return None if not self.complete or self.outside else True


def compare(
    old: Network,
    new: Network,
    policy: str | None = None,
    limit: int | None = None,
    budget: int = BUDGET,
    seconds: float = inf,
) -> Compared:
    """The effect of everything that differs on every policy, or on one, and in the network, on which so many seconds are spent.

    Raises `KeyError` if neither has that policy.
    """
    moments = moments_of_both(old, new)
    before, after = (Names(network, made) for network, made in zip((old, new), moments, strict=True))
    told: list[Change] = []
    made: list[Effect] = []
    at_places: list[Effect] = []
    places: dict[str, tuple[str, ...]] = {}
    for a, b in policy_pairs(old, new, policy):
        made.append(policy_effect(a, b, before, after, budget))
        told += changes(made[-1], after)
    if policy is None:
        for stage in stage_effects(old, new, after, names_before=before, budget=budget):
            told += (replace(change, policy=told_place(stage)) for change in changes(stage.effect, after))
            places[told_place(stage)] = tuple(map(told_way, stage.ways))
            at_places.append(stage.effect)
        for one in list_effects(old, new, after, names_before=before, budget=budget):
            told += (replace(change, policy=told_list(one)) for change in changes(one.effect, after))
            places[told_list(one)] = one.ports
            at_places.append(one.effect)
    left = [match for effect in (*made, *at_places) for match in effect.left]
    if limit is not None and len(told) > limit:
        left += [part.match for change in told[limit:] for part in change.parts]
        told = told[:limit]
    network = None
    of = Versions(old, new, before, after)
    if policy is None and (old.devices or new.devices):
        until = monotonic() + seconds
        network = network_effect(of, made, at_places, lambda: monotonic() < until)
    ground = tuple(_ground(old, new, attached=policy is not None))
    outside = (*_clocks(old, new), *(() if network else ground))
    return Compared(
        tuple(told),
        tuple(left),
        outside,
        after,
        places,
        network,
        ground,
        policy is not None,
        None if policy else of,
    )


def told_way(way: Hashable) -> str:
    """A way through a device, or a host, in words."""
    if not isinstance(way, tuple):
        return str(way)
    entering, leaving = way
    return f"{entering or 'its own'} → {leaving}" if leaving else str(entering)


def told_place(stage: StageEffect) -> str:
    """A place and the first of the ways through it."""
    more = f" and {len(stage.ways) - 1} more" if len(stage.ways) > 1 else ""
    return f"{stage.place}, {told_way(stage.ways[0])}{more}"


def told_list(one: ListEffect) -> str:
    """A list of a device and the first of the interfaces it is about."""
    more = f" and {len(one.ports) - 1} more" if len(one.ports) > 1 else ""
    side = "leaving" if one.field == "translate_source" else "entering"
    what = PLURAL.get(one.field, one.field)
    return f"{what} at {one.device}, {side} {one.ports[0]}{more}"


def _clocks(old: Network, new: Network) -> Iterator[str]:
    if old.time_zone != new.time_zone and (old.schedules or new.schedules):
        yield f"network: time zone, here {new.time_zone} for both"


def _ground(old: Network, new: Network, attached: bool) -> Iterator[str]:
    """What differs but policies and the names that rules use, where it could change a verdict in the network.

    Which policies are consulted where is told here only if it is `attached`.
    """
    for difference in differences(old, new):
        matters = GROUND.get(difference.section)
        if difference.section == "hosts" and (old.at_hosts or new.at_hosts):
            matters = {"addresses", "traits"}
        if difference.section == "policies" and difference.change != "changed":
            continue
        if matters is None or (difference.section == "at_hosts" and not attached):
            continue
        if not attached:
            matters = matters - {"policies"}
        inside = [w for w in difference.what if w in matters or w.startswith(WITHIN)]
        if difference.change != "changed" or difference.section == "at_hosts" or inside:
            what = f": {', '.join(inside)}" if inside else ""
            yield f"{difference.section}: {difference.name} {difference.change}{what}"


def settle_json(found: list[Difference], told: Compared | None = None) -> SettleOutput:
    """What settling changed, or would change, and what that does."""
    out: SettleOutput = {
        "sarvex": VERSION,
        "changed": bool(found),
        "differences": [
            {"section": d.section, "name": d.name, "change": d.change, "what": list(d.what)} for d in found
        ],
    }
    if told is not None:
        out["effect"] = effect_json(told)
    return out


def effect_json(told: Compared) -> EffectOutput:
    """As `sarvex.formats.outputs` has it."""
    out: EffectOutput = {
        "sarvex": VERSION,
        "equal": told.equal,
        "complete": told.complete,
        "changes": [_change(change, told.names.moments, told.places) for change in told.changes],
    }
    if told.left:
        out["remaining"] = list(_remaining(told.left, told.names.moments))
    if not told.alone:
        out["network"] = _network(told.network, told.names) if told.network else None
        out["expectations"] = _verdicts(told.holding) if told.holding else []
    if told.outside:
        out["outside"] = list(told.outside)
    return out


def _verdicts(holding: Holding) -> list[VerdictChangeOutput]:
    made: list[VerdictChangeOutput] = []
    for change in holding.found.changes:
        one = change.after or change.before
        assert one is not None
        before, after = (v.verdict if v else None for v in (change.before, change.after))
        made.append({"expectation": one.expectation.name, "before": before, "after": after})
    return made + [
        {"expectation": one.name, "before": None, "after": "not worked out"} for one in holding.found.unknown
    ]


def _network(told: NetworkEffect, names: Names) -> NetworkEffectOutput:
    """In the machine's form."""
    out: NetworkEffectOutput = {
        "equal": told.equal,
        "complete": told.complete,
        "changes": [_network_change(change, names) for change in network_changes(told, names)],
    }
    if not told.complete:
        out["remaining"] = list(_remaining(products(told.left), names.moments))
    return out


def _network_change(change: NetworkChange, names: Names) -> NetworkChangeOutput:
    witness = flow_output(change.witness)
    assert witness is not None
    out: NetworkChangeOutput = {
        "change": change.kind,
        "before": change.before,
        "after": change.after,
        "source": list(change.source),
        "destination": list(change.destination),
        "service": list(change.service),
        "witness": witness,
        "boxes": list(boxes_of_match(change.match, names.moments)),
    }
    return {**out, "when": change.when} if change.when else out


def _change(change: Change, moments: Moments, places: Mapping[str, Sequence[str]]) -> ChangeOutput:
    witness = flow_output(change.witness)
    assert witness is not None
    out: ChangeOutput = {
        "policy": change.policy,
        "change": change.kind,
        "source": list(change.source),
        "destination": list(change.destination),
        "service": list(change.service),
        "before": change.before,
        "after": change.after,
        "logged": {"before": change.was[2], "after": change.now[2]},
        "witness": witness,
        "boxes": [box for part in change.parts for box in boxes_of(part, moments)],
    }
    if change.when:
        out["when"] = change.when
    if change.policy in places:
        out["ways"] = list(places[change.policy])
    return out


def boxes_of(part: Part, moments: Moments) -> Iterator[BoxOutput]:
    """The boxes of a part, in the machine's form."""
    for src, dst, service in product(part.source, part.destination, part.service.tolist()):
        yield _in_classes(_box(part.family, src, dst, service), part, moments)


def _in_classes(out: BoxOutput, what: Part | Match, moments: Moments) -> BoxOutput:
    """A box with its states and moments, where they are not all."""
    if what.states:
        out["state"] = list(what.states)
    if what.times != ALWAYS:
        out["when"] = spans_of(moments, what.times)
    return out


def spans_of(moments: Moments, times: Times) -> list[SpanOutput]:
    """A set of moments as dates and windows."""
    told: list[SpanOutput] = []
    for span in moments.spans(times):
        one: SpanOutput = {"week": list(span.week)}
        if span.first:
            one["from"] = span.first.isoformat()
        if span.last:
            one["to"] = span.last.isoformat()
        told.append(one)
    return told


def _box(family: int, src: Sequence[int], dst: Sequence[int], service: Sequence[Sequence[int]]) -> BoxOutput:
    protocol, first, second = (list(ends) for ends in service)
    if protocol in ([ICMP, ICMP], [ICMP6, ICMP6]):
        first, second = ([low, min(high, 255)] for low, high in (first, second))
    return {
        "family": 4 if family == 4 else 6,
        "src": [addresses.spell(family, value) for value in src],
        "dst": [addresses.spell(family, value) for value in dst],
        "proto": protocol,
        "first": first,
        "second": second,
    }


def boxes_of_match(match: Match, moments: Moments) -> Iterator[BoxOutput]:
    """The boxes of a match, in the machine's form."""
    for family in FAMILIES:
        sets = match.source[family], match.destination[family], match.service[family].tolist()
        for src, dst, service in product(*sets):
            yield _in_classes(_box(family, src, dst, service), match, moments)


def _remaining(left: Iterable[Match], moments: Moments) -> Iterator[BoxOutput]:
    """Boxes that contain all that is left out."""
    for match in left:
        sizes = [len(match.source[f]) * len(match.destination[f]) * len(match.service[f]) for f in FAMILIES]
        if max(sizes) <= MOST_BOXES:
            yield from boxes_of_match(match, moments)
            continue
        for family in FAMILIES:
            sets = match.source[family], match.destination[family], match.service[family].tolist()
            if in_family(match, family):
                src, dst = ((ends[0][0], ends[-1][1]) for ends in sets[:2])
                around = [[min(b[a][0] for b in sets[2]), max(b[a][1] for b in sets[2])] for a in range(3)]
                yield _box(family, src, dst, around)


def effect_text(told: Compared) -> str:
    """The same for reading."""
    lines = []
    policy = None
    for change in told.changes:
        if change.policy != policy:
            policy = change.policy
            lines.append(f"{policy}:")
        log = "" if change.was[2] == change.now[2] else ", logged" if change.now[2] else ", no longer logged"
        lines.append(f"  {change.kind}{log}: {sentence(change)}")
        lines.append(f"    before {change.before}, after {change.after}; {change.witness}")
    if told.left:
        lines.append("More may change, within:")
        boxes = list(islice(_remaining(told.left, told.names.moments), 11))
        lines += [f"  {_box_text(box)}" for box in boxes[:10]]
        lines += ["  …"] if len(boxes) > 10 else []
    if told.network is not None:
        lines += network_text(told.network, told.names)
    if told.holding is not None:
        lines += holding_text(told.holding)
    if told.outside:
        lines.append("What differs besides, its effect on the network is not told:")
        lines += [f"  {text}" for text in told.outside]
    if told.equal:
        lines.append("Same effect, proven.")
    return "\n".join(lines) + "\n"


def holding_text(holding: Holding) -> Iterator[str]:
    """What breaks and mends of what must hold, and why."""
    why = {one.expectation.name: one.reason for one in holding.told}
    for change in holding.found.changes:
        if change.after is not None and (change.breaks or change.mends):
            name = change.after.expectation.name
            reason = f": {why[name]}" if why.get(name) else ""
            yield f"{'Breaks' if change.breaks else 'Mends'} “{name}”{reason}"
    if holding.found.unknown:
        named = ", ".join(f"“{one.name}”" for one in holding.found.unknown)
        yield f"Not worked out whether these still hold: {named}"


def sentence(change: Change) -> str:
    """The sets of a change in one line."""
    states = f" as {', '.join(change.states)}" if change.states else ""
    when = f" {change.when}" if change.when else ""
    ends = f"{', '.join(change.source)} → {', '.join(change.destination)}"
    return f"{ends} : {', '.join(change.service)}{states}{when}"


def _box_text(box: BoxOutput) -> str:
    spans = (f"{low}-{high}" if low != high else f"{low}" for low, high in (box["src"], box["dst"]))
    numbers = (f"{box[axis][0]}-{box[axis][1]}" for axis in ("proto", "first", "second"))
    return f"{' → '.join(spans)} protocol {', '.join(numbers)}"
