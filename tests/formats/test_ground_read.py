"""The ground read again from a device: told as it is there is nothing to say, and what was forgotten here is told and taken over."""

from __future__ import annotations

import json
import random
from dataclasses import replace
from typing import Any

import pytest

from sarvex.core.meaning.check import problems
from sarvex.core.model.records import Network, Route
from sarvex.formats import document, ground_read, settling
from sarvex.formats.device_yang import INTERFACES, ROUTING
from sarvex.standins.device import state_of


def told(network: Network, there: Network, device: str, **more: Any) -> list[ground_read.Otherwise]:
    """What a device that is as in `there` tells otherwise than `network` has it."""
    data = state_of(there, next(d for d in there.devices if d.name == device)) | more
    return list(ground_read.ground_read(json.loads(json.dumps(data)), network, device).differences)


def test_what_is_as_it_is_written_is_told_to_be_so(merrow: Network) -> None:
    for device in merrow.devices:
        assert told(merrow, merrow, device.name) == []


def forgetting(rng: random.Random, net: Network) -> Network:
    """Some hosts, routes, addresses and interfaces that nobody wrote here."""
    device = rng.choice(net.devices)
    few = tuple(i for i in device.interfaces if rng.random() < 0.8) or device.interfaces
    less = tuple(replace(i, addresses=i.addresses[:1]) if rng.random() < 0.3 else i for i in few)
    routes = tuple(r for r in device.routes if rng.random() < 0.6)
    made = replace(
        device,
        interfaces=less,
        routes=routes,
        policies=(),
        translate_destination=(),
        translate_source=(),
        steering=(),
    )
    hosts = tuple(h for h in net.hosts if rng.random() < 0.8)
    return replace(net, devices=tuple(made if d is device else d for d in net.devices), hosts=hosts)


def test_taken_over_one_by_one_nothing_is_left_but_what_only_is_here(
    rng: random.Random, merrow: Network
) -> None:
    bare = replace(merrow, policies=(), at_hosts=(), expectations=(), addresses=(), devices=tuple(
        replace(d, policies=(), translate_destination=(), translate_source=(), steering=()) for d in merrow.devices
    ))  # fmt: skip
    taken = 0
    for _ in range(12):
        network = forgetting(rng, bare)
        if problems(network):
            continue
        for device in bare.devices:
            before = told(network, bare, device.name)
            for _ in range(200):
                first = next((one for one in told(network, bare, device.name) if one.wish), None)
                if first is None:
                    break
                now = settling.settled(network, settling.read(first.wish))
                assert now != network and not problems(now)
                left = [one.what for one in told(now, bare, device.name)]
                assert first.what not in left
                network, taken = now, taken + 1
            left_over = told(network, bare, device.name)
            assert left_over == [one for one in before if not one.wish]
            assert all("though it is none of" in one.what for one in left_over)
    assert taken > 40


def test_each_difference_is_told_in_words(merrow: Network) -> None:
    device = merrow.devices[0]
    own, *rest = device.routes
    mine = replace(device, routes=(*rest, Route(prefix="10.45.0.0/16", via=own.via or "10.44.0.9")))
    here = replace(merrow, devices=(mine, *merrow.devices[1:]))
    words = [one.what for one in told(here, merrow, device.name)]
    assert any(w.startswith(own.prefix) and w.endswith("and here nothing says so") for w in words)
    assert any(w.startswith("it has no route for 10.45.0.0/16; here it goes by") for w in words)
    fewer = state_of(merrow, device)[INTERFACES]["interface"][1:]
    gone = state_of(merrow, device)[INTERFACES]["interface"][0]["name"]
    assert [o.what for o in told(merrow, merrow, device.name, **{INTERFACES: {"interface": fewer}})] == [
        f"it tells nothing of {gone}"
    ]
    silent = {k: v for k, v in state_of(merrow, device).items() if k != ROUTING}
    assert not ground_read.ground_read(silent, merrow, device.name).differences  # it says nothing of routes


def test_neighbours_that_nobody_answers_for_and_odd_ones(merrow: Network) -> None:
    device = merrow.devices[0]
    state = state_of(merrow, device)
    port = next(i for i in state[INTERFACES]["interface"] if "ietf-ip:ipv4" in i)
    address = port["ietf-ip:ipv4"]["address"][0]["ip"].rsplit(".", 1)[0] + ".251"
    port["ietf-ip:ipv4"]["neighbor"] += [
        {"ip": address, "link-layer-address": "00:53:00:00:00:01", "origin": "dynamic"}, {"ip": "169.254.1.1"}, {"ip": "none"},
        {"ip": address.replace(".251", ".252"), "state": "incomplete"},
    ]  # fmt: skip
    (seen,) = ground_read.ground_read(state, merrow, device.name).differences
    assert seen.what.startswith(f"{address} is on ") and "no host here has it" in seen.what
    (host,) = json.loads(seen.wish)["settle"]["hosts"]
    assert host["addresses"] == {"merge": [address]} and host["held"] == "leased"


def test_a_neighbour_whose_address_is_of_another_segment_is_told_and_made_no_host(merrow: Network) -> None:
    device = merrow.devices[0]
    state = state_of(merrow, device)
    port = next(i for i in state[INTERFACES]["interface"] if "." in i["name"] and "ietf-ip:ipv4" in i)
    port["ietf-ip:ipv4"]["neighbor"].append({"ip": "10.99.0.5"})
    (seen,) = ground_read.ground_read(state, merrow, device.name).differences
    assert seen.what.startswith(f"10.99.0.5 is at {port['name']}, though") and seen.wish == ""


@pytest.mark.parametrize(
    "data",
    [
        {INTERFACES: {"interface": [{"name": "x"}]}},
        {INTERFACES: {"interface": [{}]}},
        {INTERFACES: {"odd": 1}},
    ],
)
def test_what_is_not_understood_is_refused(merrow: Network, data: dict[str, Any]) -> None:
    with pytest.raises(document.InvalidDocument):
        ground_read.ground_read(data, merrow, merrow.devices[0].name)
