"""First-match lists made ready for questions: what decides a flow, and what each rule decides.

A `FirstMatch` holds, per family, the list's boxes in ranks with the position of the rule each belongs to.
`decide` answers for arrays of flows, `liveness` for every rule at once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from sarvex.core import boxes, packets
from sarvex.core.addresses import FAMILIES, AddressSet
from sarvex.core.boxes import Boxes, WorkLimit
from sarvex.core.flows import Flow
from sarvex.core.matches import Match, matches_of
from sarvex.core.model import Policy
from sarvex.core.names import Names
from sarvex.core.packets import DTYPE, EVERYTHING, PacketSet
from sarvex.core.ranks import Ranks

DEFAULT = -1
BUDGET = 20_000
Decides = Literal["all", "part", "none", "undecided"]


class Layer:
    """One family's view of a list: boxes in ranks, disabled rules left out, in list order."""

    def __init__(self, family: int, matches: Sequence[Match], enabled: Sequence[bool]) -> None:
        self.family = family
        parts = [
            m.packets[family] if on else m.packets[family][:0] for m, on in zip(matches, enabled, strict=True)
        ]
        values = np.concatenate([packets.NOTHING[family], *parts])
        self.ranks = Ranks(EVERYTHING[family], values)
        self.boxes: Boxes = self.ranks.encode(values)
        self.owner = np.repeat(np.arange(len(parts)), [len(p) for p in parts])
        self._begin = np.searchsorted(self.owner, np.arange(len(parts) + 1))

    def of(self, rule: int) -> Boxes:
        """The boxes of one rule."""
        return self.boxes[self._begin[rule] : self._begin[rule + 1]]

    def touching(self, what: Boxes, start: int, stop: int) -> NDArray[np.int64]:
        """The rules at positions ``start..stop-1`` that share a point with `what`, ascending."""
        first, last = self._begin[start], self._begin[stop]
        hit = np.zeros(last - first, dtype=bool)
        for box in what:
            hit |= boxes.overlaps(self.boxes[first:last], box)
        return np.unique(self.owner[first:last][hit])

    def values(self, what: Boxes) -> Boxes:
        """Boxes of ranks as boxes of values."""
        return self.ranks.decode(what, DTYPE[self.family])

    @cached_property
    def rows(self) -> list[NDArray[np.uint64]]:
        """Per axis a bit matrix (elementary intervals, words): bit b of a row is set if box b holds there."""
        words = max(1, -(-len(self.boxes) // 64))
        rows = []
        for axis in range(6):
            bits = np.zeros((self.ranks.size(axis), words), dtype=np.uint64)
            for index, (low, high) in enumerate(self.boxes[:, axis].tolist()):
                bits[low : high + 1, index >> 6] |= np.uint64(1 << (index & 63))
            rows.append(bits)
        return rows

    def decide(self, points: Sequence[NDArray[np.generic]]) -> NDArray[np.int64]:
        """The deciding rule of each flow, `DEFAULT` for none. `points` are six arrays of values, shape (n,).

        The AND of six bit rows; the lowest set bit is the first match. Words are taken from the front, and
        flows already decided are not looked at again.
        """
        total = len(points[0])
        out = np.full(total, DEFAULT, dtype=np.int64)
        if not len(self.boxes):
            return out
        ranks = [self.ranks.encode_points(axis, values) for axis, values in enumerate(points)]
        pending = np.arange(total)
        for word in range(self.rows[0].shape[1]):
            bits = self.rows[0][ranks[0][pending], word]
            for axis in range(1, 6):
                bits = bits & self.rows[axis][ranks[axis][pending], word]
            found = bits != 0
            lowest = bits[found] & (~bits[found] + np.uint64(1))
            out[pending[found]] = self.owner[
                (word << 6) + np.bitwise_count(lowest - np.uint64(1)).astype(np.int64)
            ]
            pending = pending[~found]
            if not len(pending):
                break
        return out


@dataclass(frozen=True, eq=False)
class Liveness:
    """What one enabled rule decides of what it matches, with the proof.

    `by`: exactly the earlier rules that decide at least one packet of it. `witness`: a packet it decides;
    `taken`: one an earlier rule decides. `part`: all it decides (absent if undecided).
    """

    position: int
    decides: Decides
    matches_something: bool
    by: tuple[int, ...] = ()
    witness: Flow | None = None
    taken: Flow | None = None
    part: PacketSet | None = None


@dataclass(eq=False)
class FirstMatch:
    """A policy ready for questions. Positions count rules from 0 here; `DEFAULT` stands for the default."""

    policy: Policy
    matches: list[Match]
    known: AddressSet = field(default_factory=AddressSet)

    @classmethod
    def of(cls, policy: Policy, names: Names) -> FirstMatch:
        """Make a policy ready. Raises what `Names` raises."""
        return cls(policy, matches_of(policy, names), names.known())

    @cached_property
    def layers(self) -> dict[int, Layer]:
        """The list in each family."""
        enabled = [rule.enabled for rule in self.policy.rules]
        return {family: Layer(family, self.matches, enabled) for family in FAMILIES}

    def decide(self, family: int, points: Sequence[NDArray[np.generic]]) -> NDArray[np.int64]:
        """The deciding rule of each flow of one family; see `Layer.decide`."""
        return self.layers[family].decide(points)

    def decide_one(self, flow: Flow) -> int:
        """The rule that decides one flow, or `DEFAULT`."""
        points: list[Boxes] = [np.array([value], dtype=DTYPE[flow.family]) for value in flow.point()]
        return int(self.decide(flow.family, points)[0])

    def liveness(self, budget: int = BUDGET) -> list[Liveness]:
        """For every rule, what it decides; disabled rules decide nothing.

        Exact by subtracting the earlier rules one by one from what a rule matches; where that would keep
        more than `budget` boxes at once the rule is `undecided`.
        """
        return [self._liveness(position, budget) for position in range(len(self.policy.rules))]

    def _liveness(self, position: int, budget: int) -> Liveness:
        if not self.policy.rules[position].enabled:
            return Liveness(position, "none", bool(self.matches[position].packets), part=packets.NOTHING)
        by: set[int] = set()
        left: dict[int, Boxes] = {}
        taken: dict[int, Boxes] = {}
        try:
            for family, layer in self.layers.items():
                rest, takes = self.take(layer, layer.of(position), range(position), budget)
                by |= takes.keys()
                left[family] = layer.values(rest)
                taken[family] = layer.values(next(iter(takes.values()), rest[:0]))
        except WorkLimit:
            return Liveness(position, "undecided", True)
        part = PacketSet(left[4], left[6])
        something = bool(self.matches[position].packets)
        decides: Decides = "none" if not part else "part" if by else "all"
        return Liveness(
            position,
            decides,
            something,
            tuple(sorted(by)),
            packets.sample(part, self.known),
            packets.sample(PacketSet(taken[4], taken[6]), self.known),
            part,
        )

    def default_share(self, budget: int = BUDGET) -> tuple[Decides, Flow | None]:
        """What is left to the default of all packets the policy speaks of, with a witness.

        The order does not matter for what no rule matches, so the widest rules go first: a final catch-all
        settles it at once.
        """
        left: dict[int, Boxes] = {}
        touched = False
        for family, layer in self.layers.items():
            spoken = self.policy.families in ("both", str(family))
            whole = layer.ranks.encode(EVERYTHING[family]) if spoken else layer.boxes[:0]
            spans = (layer.boxes[:, :, 1] - layer.boxes[:, :, 0] + 1).astype(float).prod(axis=1)
            touched = touched or bool(len(layer.boxes))
            try:
                rest = boxes.difference(whole, layer.boxes[np.argsort(-spans)], budget)
            except WorkLimit:
                return "undecided", None
            left[family] = layer.values(rest)
        part = PacketSet(left[4], left[6])
        decides: Decides = "none" if not part else "part" if touched else "all"
        return decides, packets.sample(part, self.known)

    def take(
        self, layer: Layer, what: Boxes, positions: range, budget: int = BUDGET
    ) -> tuple[Boxes, dict[int, Boxes]]:
        """Let the rules at `positions` take their share of `what` in order.

        Returns what is left, and the share of each rule that gets one. Raises `WorkLimit`.
        """
        shares: dict[int, Boxes] = {}
        for rule in layer.touching(what, positions.start, positions.stop).tolist():
            mine = layer.of(rule)
            share = boxes.intersection(what, mine)
            if len(share):
                shares[rule] = share
                what = boxes.difference(what, mine, budget)
                if not len(what):
                    break
        return what, shares

    def heirs(self, live: Liveness, budget: int = BUDGET) -> tuple[int, ...]:
        """The rules (or `DEFAULT`) that would decide what rule `live` decides if it alone went.

        Raises `WorkLimit`.
        """
        assert live.part is not None
        heirs: set[int] = set()
        for family, layer in self.layers.items():
            mine = layer.ranks.encode(live.part[family])
            rest, shares = self.take(layer, mine, range(live.position + 1, len(self.matches)), budget)
            heirs |= shares.keys()
            if len(rest):
                heirs.add(DEFAULT)
        return tuple(sorted(heirs - {DEFAULT})) + ((DEFAULT,) if DEFAULT in heirs else ())

    def contained(self, inner: int, outer: int) -> bool:
        """Whether all that rule `inner` matches, rule `outer` matches too."""
        return packets.covers(self.matches[outer].packets, self.matches[inner].packets)
