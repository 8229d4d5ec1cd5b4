"""A list in one family, ready for compiled questions: products of three sets, source × destination × service, in ranks.

Rules share the few sets that people name, so each different set is kept once: a source or destination as ascending
disjoint intervals, a service (with states and moments) as disjoint boxes over protocol, first, second and class. An *entry* is
one service box of one rule; entries stand in list order, those of disabled rules and of rules that match nothing in
this family are left out. `sarvex.core.firstmatch.form_building` makes one; functions that are compiled
(`sarvex.core.sets.compiled`) read it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Int = NDArray[np.int32]
Index = NDArray[np.int64]
Bits = NDArray[np.uint64]
Flags = NDArray[np.int8]


class Arrays(NamedTuple):
    """The arrays. Set k of an address axis is ``ends[begin[k]:begin[k + 1]]``, of the services likewise."""

    sets: Int
    """(3, rules): the numbers of each rule's source, destination and service set; -1 where it matches nothing."""
    begin: Index
    ends: Int
    """Sources first, then destinations: each has its own ranks, and its numbers go on."""
    service_begin: Index
    service_boxes: Int
    entries: Index
    """Rule r has the entries ``entries[r]..entries[r + 1] - 1``."""
    owner: Int
    """(entries,): each entry's rule."""
    sizes: Index
    """(6,): how many elementary intervals each axis has."""
    enabled: Flags
    """(rules,): which are in use."""
    on: Bits
    """(blocks, 64): the entries of those; see `sarvex.core.firstmatch.bit_vectors` for this and the next four."""
    at: Index
    row: Int
    bits: Bits
    told: Bits
    known: Int
    """(2, ranks + 1): per address axis the next rank, itself included, that holds a known host."""
    likely: Int
    """The ranks of TCP, UDP, an ephemeral port and HTTPS: what reads well in a sample."""
    state: Flags
    """(rules,): what each rule decides, once `sarvex.core.firstmatch.proofs` has told."""
    witness: Int
    """(rules, 6, 2): a box of packets that it decides."""
    taken: Int
    """(rules, 6, 2): a box of packets that it matches and an earlier rule decides; begins with -1 if none is."""


Form = Arrays
"""What compiled functions are given: `Arrays`, by one reference once there is a compiler."""
