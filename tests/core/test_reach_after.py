"""What everybody reaches, kept from edit to edit, against the same worked out anew: cell by cell, service set by service set."""

from __future__ import annotations

import os
import random
from collections import Counter
from datetime import date
from zoneinfo import ZoneInfo

from test_network_effect import drawn, edited

from sarvex.core.change.all_effects import all_effects
from sarvex.core.change.matrix_after import matrix_after
from sarvex.core.change.network_effect import NetworkEffect, Versions, network_effect, reach_after
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.forwarding.spaces import space_of
from sarvex.core.meaning import packet_sets
from sarvex.core.meaning.check import problems
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network
from sarvex.core.reach.matrix import Cell, cells, every_pair
from sarvex.core.reach.reach import Reach, reach_of
from sarvex.core.sets import services
from sarvex.core.sets.addresses import FAMILIES
from sarvex.core.tables.making import recast
from sarvex.core.tables.table import Table
from sarvex.core.time.moments import ALWAYS, Moments

EDITS = int(os.environ.get("SARVEX_EDITS", "36"))
IN_A_ROW = 6


def versions(old: Network, new: Network) -> Versions:
    moments = Moments.of_both(old.schedules, new.schedules, ZoneInfo(new.time_zone), date(2026, 7, 1))
    return Versions(old, new, Names(old, moments[0]), Names(new, moments[1]))


def as_told(one: Reach, network: Network, names: Names) -> dict[str, object]:
    """Every cell of its tables, over classes that the network alone tells apart."""
    space = space_of([(network, names, routing_of(network))])
    found: dict[str, object] = {}
    for what in ("asked", "surely", "by_some", "open", "unanswered", "fails"):
        made = recast(getattr(one, what), space)
        for f in FAMILIES:
            plane = made.planes[f] if isinstance(made, Table) else None
            if plane is not None and len(plane):
                found[what, f] = plane.rows.tolist(), plane.cols.tolist(), plane.ids.tolist()  # type: ignore[index]
    return found


def shifts(effect: NetworkEffect) -> list[tuple[object, ...]]:
    """What is told, set by set."""
    assert effect.complete
    return [
        (s.before, s.after, s.source, s.destination, *(sorted(s.packets[f].tolist()) for f in FAMILIES))
        for s in effect.shifts
    ]


def test_after_many_edits_it_is_as_if_worked_out_anew(rng: random.Random) -> None:
    """Edits of every kind, one after the other; only what they touch is led again. The effect that starts from it is the same."""
    kinds: Counter[str] = Counter()
    moved = used = 0
    for index in range(EDITS // IN_A_ROW):
        network = drawn(rng, index)
        known = reach_of(network, Names(network))
        last = as_told(known, network, known.names)
        for _ in range(IN_A_ROW):
            kind, new = edited(rng, network)
            if problems(new) or new == network or new.schedules != network.schedules:
                continue
            of = versions(network, new)
            made, at_places = all_effects(of)
            told = [shifts(network_effect(of, made, at_places, known=one)) for one in (known, None)]
            assert told[0] == told[1], (kind, network, new)
            used += known.network is network and known.names.moments.is_as(of.before.moments)
            known = reach_after(known, of, made, at_places)
            anew = as_told(reach_of(new, of.after), new, of.after)
            assert as_told(known, new, of.after) == anew, (kind, network, new)
            kinds[kind] += 1
            moved += anew != last
            network, last = new, anew
    assert len(kinds) > 6 and moved > kinds.total() / 8 and used > kinds.total() / 3, (kinds, moved, used)


def told_cells(known: list[Cell]) -> list[Cell]:
    """As they come from another process."""
    return [cell.boxed() for cell in known if cell.says_something]


def same(a: Cell, b: Cell) -> bool:
    """Whether two cells say the same of every packet."""
    pairs = zip((*a.told, a.unanswered), (*b.told, b.unanswered), strict=True)
    return (a.source, a.destination, a.verdict) == (b.source, b.destination, b.verdict) and not any(
        packet_sets.difference(*both) for one in pairs for both in (one, one[::-1])
    )


def test_cells_of_a_large_network_after_an_edit_are_those_worked_out_anew(rng: random.Random) -> None:
    """They are kept as boxes, pair by pair, edit after edit; some for one service alone."""
    kept = moved = 0
    for index in range(EDITS // IN_A_ROW // 2):
        network = drawn(rng, index)
        service = rng.choice([services.ANY, services.parse("tcp/443")])
        known = told_cells(list(cells(reach_of(network, Names(network)).only(service, ALWAYS))))
        for _ in range(IN_A_ROW):
            kind, new = edited(rng, network)
            if problems(new) or new == network or new.schedules != network.schedules:
                continue
            of = versions(network, new)
            anew = list(cells(reach_of(new, of.after).only(service, ALWAYS)))
            after = matrix_after(known, of, *all_effects(of), service, ALWAYS)
            if after is not None:
                brought = list(every_pair(new, after))
                assert len(brought) == len(anew)
                for a, b in zip(brought, anew, strict=True):
                    assert same(a, b), (kind, a.source.name, a.destination.name, network, new)
                kept += 1
                moved += not all(map(same, every_pair(new, known), anew))
            known, network = told_cells(anew if after is None else after), new
    assert kept > EDITS / 6 and moved > EDITS / 12, (kept, moved)
