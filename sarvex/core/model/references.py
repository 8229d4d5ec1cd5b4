"""What refers to what by name: of each record the fields that hold names, and in which name space."""

from __future__ import annotations

from typing import Any

from sarvex.core.model.records import (
    LISTS,
    AddressObject,
    Attachment,
    DestinationTranslation,
    Device,
    Expectation,
    Host,
    HostAttachment,
    Interface,
    Note,
    Policy,
    Route,
    Rule,
    Schedule,
    Section,
    Segment,
    ServiceObject,
    SourceTranslation,
    Steering,
    Zone,
)

_MATCH = {"source": "end", "destination": "end", "service": "service"}
REFERENCES: dict[type[Any], dict[str, str]] = {
    Zone: {"name": "zone"},
    Segment: {"name": "address", "gateways": "device"},
    Host: {"name": "address", "segment": "address"},
    AddressObject: {"name": "address", "members": "end"},
    ServiceObject: {"name": "service", "members": "service"},
    Schedule: {"name": "schedule"},
    Device: {"name": "device", "management": "service", "tunnels": "service"},
    Interface: {"name": "interface", "segment": "address", "zone": "zone", "parent": "interface"},
    Route: {"interface": "interface"},
    DestinationTranslation: {**_MATCH, "entering": "scope", "to": "end"},
    SourceTranslation: {**_MATCH, "leaving": "scope", "to": "end"},
    Steering: {**_MATCH, "entering": "scope", "leave": "interface", "schedule": "schedule"},
    Attachment: {"policy": "policy", "entering": "scope", "leaving": "scope"},
    HostAttachment: {"policy": "policy", "hosts": "end"},
    Policy: {"name": "policy"},
    Expectation: {
        "name": "expectation",
        "source": "party",
        "destination": "party",
        "service": "service",
        "at": "schedule",
    },
    Rule: {
        "name": "rule",
        **_MATCH,
        "schedule": "schedule",
    },
    Section: {"before": "rule"},
    Note: {"member": "member"},
}
"""Interfaces have a space for each device; `scope` is a zone, unless an interface of the device is called so; rules have a space
for each policy; an `end` is a name of addresses, or else a device, a `party` one of these, or else a zone; a member of a note is in the space of its owner's members."""
PARTS: dict[type[Any], tuple[str, ...]] = {
    AddressObject: ("notes",),
    ServiceObject: ("notes",),
    Device: ("interfaces", "routes", "policies", *LISTS),
    Policy: ("rules", "sections"),
}
"""The fields that hold records with references of their own."""
