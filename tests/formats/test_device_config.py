"""What a device is given: translations and steering in our own module, and nothing new where there are none."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Sees, named
from sarvex.formats.device_config import FILTERING, build, drift

MODULE = Path(__file__).parents[2] / "docs" / "yang" / "sarvex-filtering.yang"
FIRST_REVISION = {"edition", "mode", "zone-default", "zone", "consult", "time-zone", "schedule"}
LISTS = {"translate-destination", "translate-source", "steering"}


def given(network: Network, device: str) -> dict[str, Any]:
    return dict(build(network, Names(network), device, 7)[FILTERING])


def test_a_device_without_lists_is_given_what_it_always_was(merrow: Network) -> None:
    assert set(given(merrow, "southpier-lock")) <= FIRST_REVISION
    assert set(given(merrow, "eastpier-lock")) - FIRST_REVISION == LISTS


def test_entries_are_given_in_order_with_addresses_instead_of_names(merrow: Network) -> None:
    own = given(merrow, "eastpier-lock")
    booking, recordings = own["translate-destination"]
    assert [booking["order"], recordings["order"]] == [1, 2]
    assert (booking["entering"], booking["destination"]) == (["quay-0"], ["203.0.113.2/32"])
    assert booking["to"] == ["203.0.113.20/32", "2001:db8:44:140::20/128"]
    assert recordings["port"] == {"lower": 554, "upper": 554}
    (hide,) = own["translate-source"]
    assert "10.44.64.0/20" in hide["source"] and hide["to-interface"] == [None] and "destination" not in hide
    (radio,) = own["steering"]
    assert (radio["leave"], radio["via"], radio["when-down"]) == ("tunnel-fulmar", "10.44.240.2", "drop")


def test_what_is_switched_off_is_not_given_and_what_differs_is_drift(merrow: Network) -> None:
    device = named(merrow.devices, "eastpier-lock")
    off = tuple(replace(e, enabled=False) for e in device.translate_destination)
    changed = replace(device, translate_destination=off, replies="by rule", sees=Sees(outbound="left"))
    other = replace(merrow, devices=tuple(changed if d is device else d for d in merrow.devices))
    own = given(other, "eastpier-lock")
    assert "translate-destination" not in own
    assert (own["replies"], own["sees"]) == ("by-rule", {"outbound": "left"})
    wanted, has = (build(n, Names(n), "eastpier-lock", 7) for n in (merrow, other))
    assert {d.what for d in drift(wanted, has)} == {"translate-destination", "replies", "sees"}


def test_every_key_is_in_the_module(merrow: Network) -> None:
    nodes = set(
        re.findall(r"(?:leaf|leaf-list|list|container) ([a-z-]+)", MODULE.read_text(encoding="utf-8"))
    )
    told = {key for device in merrow.devices for key in keys(given(merrow, device.name))}
    assert told <= nodes, told - nodes


def keys(data: Any) -> Iterator[str]:
    for value in data.values() if isinstance(data, dict) else data if isinstance(data, list) else ():
        yield from keys(value)
    if isinstance(data, dict):
        yield from data
