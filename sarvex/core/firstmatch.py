"""First-match lists made ready for questions: what decides a flow, and what each rule decides.

A `FirstMatch` holds, per family, the list's boxes in ranks with the position of the rule each belongs to.
`decide` answers for arrays of flows, `liveness` for every rule at once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from sarvex.core import boxes, packets
from sarvex.core.addresses import FAMILIES, AddressSet
from sarvex.core.boxes import Boxes
from sarvex.core.columns import Columns
from sarvex.core.flows import Flow
from sarvex.core.matches import Match, matches_of
from sarvex.core.model import Policy
from sarvex.core.names import Names
from sarvex.core.packets import DTYPE, EVERYTHING, PacketSet
from sarvex.core.ranks import Ranks
from sarvex.core.shares import Share, Shares

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
        first, last = int(self._begin[start]), int(self._begin[stop])
        if first == last or not len(what):
            return np.empty(0, dtype=np.int64)
        hit = [self._columns.touching(box, first, last) for box in what]
        return np.unique(self.owner[np.concatenate(hit)])

    @cached_property
    def _columns(self) -> Columns:
        return Columns(6, self.boxes)

    def first_with(self, point: Boxes, start: int) -> int:
        """The first rule from position `start` on that matches a point, given as a box; `DEFAULT` for none."""
        hit = self._columns.touching(point, int(self._begin[start]))
        return int(self.owner[hit[0]]) if len(hit) else DEFAULT

    @cached_property
    def _hulls(self) -> Boxes:
        """The smallest box around each rule, (rules, 6, 2); lowest above highest where a rule has no box."""
        hulls = np.empty((len(self._begin) - 1, 6, 2), dtype=np.int32)
        hulls[:, :, 0], hulls[:, :, 1] = np.iinfo(np.int32).max, -1
        np.minimum.at(hulls[:, :, 0], self.owner, self.boxes[:, :, 0])
        np.maximum.at(hulls[:, :, 1], self.owner, self.boxes[:, :, 1])
        return hulls

    @cached_property
    def _hull_columns(self) -> Columns:
        return Columns(6, self._hulls)

    def later_containers(self, inner: int) -> NDArray[np.int64]:
        """The rules after `inner` whose hulls hold its own; all of them if it has no box in this family."""
        if not len(self.of(inner)):
            return np.arange(inner + 1, len(self._hulls))
        return self._hull_columns.holding(self._hulls[inner], inner + 1)

    def may_contain(self, inner: int, among: NDArray[np.int64]) -> NDArray[np.bool_]:
        """A mask: which rules' hulls hold the hull of `inner`. Necessary, not sufficient."""
        hull, others = self._hulls[inner], self._hulls[among]
        if not len(self.of(inner)):
            return np.ones(len(among), dtype=bool)
        held = (others[:, :, 0] <= hull[:, 0]) & (others[:, :, 1] >= hull[:, 1])
        return np.asarray(held.all(axis=1), dtype=bool)

    def may_lie_in(self, outer: int, among: NDArray[np.int64]) -> NDArray[np.bool_]:
        """A mask: which rules' hulls lie in the hull of `outer`. Necessary, not sufficient."""
        return boxes.within(self._hulls[among], self._hulls[outer])

    def contains(self, outer: int, inner: int) -> bool:
        """Whether all boxes of rule `inner` lie in the union of those of `outer`. Exact."""
        cover = self.of(outer)
        for box in self.of(inner):
            near = cover[boxes.overlaps(cover, box)]
            single = (near[:, :, 0] <= box[:, 0]) & (near[:, :, 1] >= box[:, 1])
            if not single.all(axis=1).any() and len(boxes.difference(box[None], near)):
                return False
        return True

    def values(self, what: Boxes) -> Boxes:
        """Boxes of ranks as boxes of values."""
        if not len(what):
            return packets.NOTHING[self.family]
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
    `taken`: one an earlier rule decides. `part`: all it decides (absent if undecided or broad).
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

    def liveness(self) -> list[Liveness]:
        """For every rule, what it decides; disabled rules decide nothing. See `sarvex.core.shares`."""
        return [self._liveness(position) for position in range(len(self.policy.rules))]

    @cached_property
    def _shares(self) -> dict[int, tuple[Shares, list[Share | None]]]:
        found = {}
        for family, layer in self.layers.items():
            spoken = self.policy.families in ("both", str(family))
            whole = layer.ranks.encode(EVERYTHING[family])[0]
            rules = [layer.of(position) for position in range(len(self.matches))]
            shares = Shares(rules, whole, BUDGET)
            found[family] = (shares, list(shares.each()) if spoken else [])
        return found

    def _liveness(self, position: int) -> Liveness:
        something = bool(self.matches[position].packets)
        if not self.policy.rules[position].enabled:
            return Liveness(position, "none", something, part=packets.NOTHING)
        own = {f: (shares, told[position]) for f, (shares, told) in self._shares.items() if told}
        if any(share is None for _, share in own.values()):
            return Liveness(position, "undecided", something)
        parts, witness, taken = dict(self._nothing), dict(self._nothing), dict(self._nothing)
        by: set[int] = set()
        decided = broad = 0
        for family, (shares, share) in own.items():
            assert share is not None
            layer = self.layers[family]
            by.update(share.by)
            decided += share.decided
            broad += share.broad
            taken[family] = layer.values(share.taken)
            if share.decided:
                witness[family] = layer.values(shares.witness(position, share))
            if share.boxes is not None:
                parts[family] = layer.values(share.boxes)
        return Liveness(
            position,
            "none" if not decided else "part" if by else "all",
            something,
            tuple(sorted(by)),
            packets.sample(PacketSet(witness[4], witness[6]), self.known),
            packets.sample(PacketSet(taken[4], taken[6]), self.known),
            None if broad else PacketSet(parts[4], parts[6]),
        )

    def liveness_of(self, position: int, budget: int = BUDGET) -> Liveness:
        """The same for one enabled rule alone, without working out the others: what the earlier ones leave of it.

        Undecided past the budget, as rules that nearly all others touch are.
        """
        parts, taken = dict(self._nothing), dict(self._nothing)
        by: set[int] = set()
        try:
            for family, layer in self.layers.items():
                if self.policy.families in ("both", str(family)):
                    left, shares = self.take(layer, layer.of(position), range(position), budget)
                    parts[family] = layer.values(left)
                    taken[family] = layer.values(np.concatenate([left[:0], *shares.values()]))
                    by |= shares.keys()
        except boxes.WorkLimit:
            return Liveness(position, "undecided", bool(self.matches[position].packets))
        part = PacketSet(parts[4], parts[6])
        return Liveness(
            position,
            "none" if not part else "part" if by else "all",
            bool(self.matches[position].packets),
            tuple(sorted(by)),
            packets.sample(part, self.known),
            packets.sample(PacketSet(taken[4], taken[6]), self.known),
            part,
        )

    _nothing: ClassVar[dict[int, Boxes]] = {f: packets.NOTHING[f] for f in FAMILIES}

    def default_share(self) -> tuple[Decides, Flow | None]:
        """What the rules leave to the default of all packets the policy speaks of, with a witness."""
        left = whole = 0
        witness = dict(self._nothing)
        for family, (shares, told) in self._shares.items():
            if self.policy.families not in ("both", str(family)):
                continue
            volume = shares.default_volume(told)
            if volume is None:
                return "undecided", None
            left += volume
            whole += shares.volume(shares.whole[None])
            if volume:
                witness[family] = self.layers[family].values(shares.witness(None, None))
        decides: Decides = "none" if not left else "all" if left == whole else "part"
        return decides, packets.sample(PacketSet(witness[4], witness[6]), self.known)

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

    def first_heir(self, live: Liveness) -> int:
        """The rule (or `DEFAULT`) that would decide the rule's witness if it alone went."""
        assert live.witness is not None
        layer = self.layers[live.witness.family]
        values: Boxes = np.array(live.witness.point(), dtype=DTYPE[layer.family])
        ranks = [int(layer.ranks.encode_points(axis, values[axis : axis + 1])[0]) for axis in range(6)]
        return layer.first_with(np.array([ranks, ranks]).T, live.position + 1)

    def heirs(self, live: Liveness, budget: int = BUDGET) -> tuple[int, ...]:
        """The rules (or `DEFAULT`) that would decide what rule `live` decides if it alone went.

        Raises `WorkLimit`.
        """
        heirs: set[int] = set()
        for layer in self.layers.values():
            mine = self._part(live, layer, budget)
            rest, shares = self.take(layer, mine, range(live.position + 1, len(self.matches)), budget)
            heirs |= shares.keys()
            if len(rest):
                heirs.add(DEFAULT)
        return tuple(sorted(heirs - {DEFAULT})) + ((DEFAULT,) if DEFAULT in heirs else ())

    def _part(self, live: Liveness, layer: Layer, budget: int) -> Boxes:
        """What a rule decides in one family; of a broad rule that nothing follows, one box of it will do."""
        if live.part is not None:
            return layer.ranks.encode(live.part[layer.family])
        mine = layer.of(live.position)
        shares, told = self._shares[layer.family]
        if not len(layer.touching(mine, live.position + 1, len(self.matches))):
            share = told[live.position] if told else None
            return shares.witness(live.position, share) if share and share.decided else mine[:0]
        return self.take(layer, mine, range(live.position), budget)[0]

    def later_containers(self, inner: int) -> NDArray[np.int64]:
        """The rules after `inner` whose hulls hold its own in every family: all that might contain it."""
        v4, v6 = (layer.later_containers(inner) for layer in self.layers.values())
        return np.intersect1d(v4, v6, assume_unique=True)

    def containers(self, inner: int, among: NDArray[np.int64]) -> NDArray[np.int64]:
        """Those rules of `among` that match all that rule `inner` matches."""
        for layer in self.layers.values():
            among = among[layer.may_contain(inner, among)]
            among = among[[layer.contains(int(outer), inner) for outer in among]]
        return among

    def contents(self, outer: int, among: NDArray[np.int64]) -> NDArray[np.int64]:
        """Those rules of `among` all of whose matches rule `outer` matches too."""
        for layer in self.layers.values():
            among = among[layer.may_lie_in(outer, among)]
            among = among[[layer.contains(outer, int(inner)) for inner in among]]
        return among
