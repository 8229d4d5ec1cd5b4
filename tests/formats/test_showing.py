"""One thing by its name, against every thing of random networks."""

from __future__ import annotations

import random

import pytest
from whole import random_whole

from sarvex.core.model.records import Network
from sarvex.core.model.uses import uses
from sarvex.formats import document, showing


def test_every_thing_is_shown_by_its_place_as_documents_have_it(rng: random.Random) -> None:
    network = random_whole(rng)
    data = document.to_data(network)
    count = 0
    for section in showing.SECTIONS:
        for place, thing in enumerate(data.get(section, ()), 1):
            told = showing.shown(network, f"{section}/{thing['name'].upper()}")
            assert (told["path"], told["position"], told["thing"]) == (
                f"{section}/{thing['name']}",
                place,
                thing,
            )
            for part in showing.PARTS.get(section, ()):
                for at, inner in enumerate(thing.get(part, ()), 1):
                    told = showing.shown(network, f"{section}/{thing['name']}/{part}/{inner['name']}")
                    assert (told["position"], told["thing"], told["used"]) == (at, inner, [])
                    count += 1
    assert count > 10


def test_a_name_alone_is_enough_where_one_thing_is_called_so(merrow: Network) -> None:
    told = showing.shown(merrow, "RAMP-PLC")
    assert told["path"] == "hosts/ramp-plc"
    assert [(u["policy"], u["owner"], u["field"]) for u in told["used"]] == [
        (u.policy, u.owner, u.field) for u in uses(merrow, "address", "ramp-plc")
    ]
    assert (
        showing.shown(merrow, "schedules/boarding")["used"]
        and showing.shown(merrow, "services/modbus")["used"]
    )
    with pytest.raises(showing.NotShown, match="policies/ramp-side/rules/monitoring, policies/sensor-side"):
        showing.shown(merrow, "monitoring")
    with pytest.raises(showing.NotShown, match="nothing is called 'no such'"):
        showing.shown(merrow, "no such")
