"""The demo network has one honest fault of each kind, and nothing else of weight warning."""

from __future__ import annotations

from sarvex.core.findings import of_network, of_rules
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network

PLANTED = {
    ("shadowed", "ramp-side", "vessel diagnostics"),
    ("redundant", "ramp-side", "console shell"),
    ("shadowed", "sensor-side", "Petrel bridge"),
    ("shadowed", "sensor-side", "gateway has its own feed"),
    ("partly shadowed", "ticketing", "no old kiosk"),
    ("redundant", "ticketing", "crew see booking"),
    ("redundant", "harbour-services", "time for ramps"),
    ("empty", "to-our-sites", "buoys are asked"),
    ("redundant", "south-ramp", "no south kiosks near steel"),
    ("redundant", "south-tickets", "planning by hand"),
    ("negated empty", "south-outward", "borrowed machines stay"),
    ("shadowed", "south-outward", "gates update"),  # by the negated empty rule above it
    ("redundant", "payroll-side", "own slips"),
    ("redundant", "payroll-side", "own slips in a browser"),  # either of the two could go
    ("shadowed", "fulmar-aboard", "chart cabin"),
    ("partly shadowed", "shed-side", "yard brings drawings"),  # at night
    ("expired", "south-ramp", "pumps by hand"),
    ("out of place", "ticketing", "readers open gates"),  # inside one segment
    ("out of place", "south-tickets", "gates answer readers"),  # the same at the south pier
    ("overlapping segments", None, "test-bench"),
    ("address astray", None, "printer-2"),
    ("unattached", "winter-timetable", None),
    ("open to newcomers", None, "eastpier-lock"),  # whatever comes beside the remote pilots
    ("unreachable policy", "night-watch", None),
    ("forgotten family", "towards-guests", "booking calls nobody"),
    ("admits nobody", None, "eastpier-lock"),  # the insurer's rule names the outer address
    ("hidden from its rule", "harbour-services", "insurer sees recordings"),
    ("no way out", None, "eastpier-lock"),  # nobody routes IPv6 to the outside
}
NOTES = {
    "redundant but logs", "order-sensitive pair", "undescribed", "too wide", "duplicate", "unused", "exposed management",
    "published from outside only", "open to newcomers",
}  # fmt: skip


def test_each_planted_fault_is_found_and_no_other(merrow: Network) -> None:
    names = Names(merrow)
    found = [f for p in merrow.policies for f in of_rules.report(p, names).findings]
    found += of_network.network_findings(merrow, names)
    warnings = {(f.kind, f.policy, f.rule or f.name) for f in found if f.weight == "warning"}
    assert warnings == PLANTED
    assert {f.kind for f in found if f.weight == "note"} == NOTES
    assert not [f for f in found if f.weight == "error"]


def test_it_is_big_enough_to_be_real(merrow: Network) -> None:
    assert 3 <= len(merrow.devices) <= 6
    assert len(merrow.segments) >= 15
    assert sum(len(p.rules) for p in merrow.policies) >= 150
    assert {i.kind for d in merrow.devices for i in d.interfaces} == {
        "physical",
        "vlan",
        "tunnel",
        "loopback",
    }
