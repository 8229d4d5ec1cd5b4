"""What can appear where, against packets led by hand past policies that let everything through."""

from __future__ import annotations

import random

import path_oracle
import pytest

from sarvex.core.forwarding.possible_traffic import Passing, PossibleTraffic
from sarvex.core.meaning.names import Names
from sarvex.core.sets.addresses import AddressSet

Place = tuple[str, str, str | None, str | None]


@pytest.fixture
def seen(monkeypatch: pytest.MonkeyPatch) -> list[Place]:
    """Every stage that the packet led by hand comes by; nothing stops it."""
    found: list[Place] = []

    def note(net, p, device, stage, entering, leaving):  # type: ignore[no-untyped-def]
        found.append((device.name, stage, entering and entering.name, leaving and leaving.name))

    monkeypatch.setattr(path_oracle, "_stage", note)
    monkeypatch.setattr(path_oracle, "_zone_open", lambda *_: True)
    monkeypatch.setattr(path_oracle, "_at_hosts", lambda *_: None)
    return found


def holds(possible: PossibleTraffic, passing: Passing, p: path_oracle.Packet) -> bool:
    source, destination = (AddressSet(**{f"v{p.family}": ((value, value),)}) for value in (p.src, p.dst))
    return possible.any_shares(possible.places([passing]), source, destination)


def test_a_packet_comes_by_exactly_where_it_is_told_to(rng: random.Random, seen: list[Place]) -> None:
    passed = stayed = 0
    for _ in range(60):
        net = path_oracle.random_network(rng)
        possible = PossibleTraffic(net, Names(net))
        for _ in range(40):
            p = path_oracle.random_packet(rng, net)
            if any(path_oracle._own(device, p.src) for device in net.devices):
                continue  # what a device sends sets out from itself
            if None in (path_oracle._owner(net, p.src), path_oracle._owner(net, p.dst)):
                continue  # a trace ends before it sets out
            if sum(path_oracle._own(device, p.dst) for device in net.devices) > 1:
                continue  # two devices bear the address: which of them answers is not told
            seen.clear()
            path_oracle.fates(net, p)
            told = {
                (device, stage, q.entering and q.entering.name, q.leaving and q.leaving.name)
                for (device, stage), there in possible.at.items()
                for q in there
                if stage != "from the device" and q.entering and holds(possible, q, p)
            }
            assert told == set(seen), (p, net)
            passed += bool(told)
            stayed += not told
    assert passed > 200 and stayed > 50
