"""What stands in the way of a flow is all that does, and no more: without any of it the flow does not work, with all of it mended it does."""

from __future__ import annotations

import random
from dataclasses import replace

from packet_model import FAILS, WORKS, Model
from random_networks import aimed_packet, random_line
from test_walk import line

from sarvex.core.forwarding.obstacles import _let_pass, obstacles
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Attachment, Policy, ZoneDefault
from sarvex.core.sets import addresses
from sarvex.core.sets.flows import Flow


def test_each_place_in_the_way_is_told_in_order_there_and_back() -> None:
    network = line()
    shut = Policy(name="shut", default="drop")
    near = replace(network.devices[0], zone_default=ZoneDefault(mode="closed"))
    far = replace(network.devices[1], filtering="stateless", policies=(Attachment(policy="shut"),))
    blocked = replace(network, devices=(near, far), policies=(shut,))
    flow = Flow(4, *(addresses.parse(a).v4[0][0] for a in ("10.44.1.9", "10.44.3.9")), 17, 49152, 53)
    told = obstacles(blocked, Names(blocked), flow)
    assert [(p.device, p.where, back) for p, back in told.places] == [
        ("near", "passage", False), ("far", "passage", False), ("far", "passage", True),
    ]  # fmt: skip
    assert told.then is not None and told.then.result == "delivered"
    lost = replace(blocked, devices=(replace(near, routes=()), replace(far, routes=())))
    assert obstacles(lost, Names(lost), flow).places == ()


def test_with_all_of_it_mended_it_works_and_with_less_it_does_not(rng: random.Random) -> None:
    mended = 0
    for _ in range(100):
        network = random_line(rng)
        if any(d.replies == "by rule" or d.filtering == "stateless" for d in network.devices):
            continue
        for _ in range(8):
            p = replace(aimed_packet(rng, network), state="new")
            if p.proto not in (6, 17) or Model(network).asked(p) != {FAILS}:
                continue
            flow = Flow(p.family, p.src, p.dst, p.proto, p.first, p.second)
            told = obstacles(network, Names(network), flow)
            if told.then is None or told.then.result != "delivered" or not told.places:
                continue
            now = network
            for number, (place, _) in enumerate(told.places, 1):
                if WORKS in Model(now).asked(p):
                    break  # by some choice of a translation it works without the rest
                now = _let_pass(now, place, number)
            assert WORKS in Model(now).asked(p), (p, network)
            mended += 1
    assert mended > 5
