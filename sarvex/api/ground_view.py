"""The ground as the API gives it."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel

from sarvex.api.decided import FindingOut, finding_out
from sarvex.api.shapes import Held
from sarvex.core.forwarding.stages import between_zones
from sarvex.core.model.records import (
    Default,
    DestinationTranslation,
    Device,
    Host,
    Interface,
    Segment,
    SourceTranslation,
    Steering,
    Zone,
    fold,
)
from sarvex.service.analysis.network_cache import Loaded
from sarvex.store.things import AT_HOSTS, INSIDE, AtHosts


class BetweenZones(BaseModel):
    """What a device does by default with traffic from one zone to another."""

    entering: str
    leaving: str
    default: Literal["open", "closed"]


class HeldDevice(Held[Device]):
    interfaces: list[Held[Interface]]
    translate_destination: list[Held[DestinationTranslation]]
    translate_source: list[Held[SourceTranslation]]
    steering: list[Held[Steering]]
    between: list[BetweenZones]


class PolicyHead(BaseModel):
    """A policy without its rules."""

    id: int
    ver: int
    name: str
    description: str
    default: Default
    families: Literal["both", "4", "6"]
    rules: int


class GroundOut(BaseModel):
    revision: int
    zones: list[Held[Zone]]
    segments: list[Held[Segment]]
    hosts: list[Held[Host]]
    devices: list[HeldDevice]
    policies: list[PolicyHead]
    at_hosts: Held[AtHosts]
    findings: list[FindingOut]


def ground(loaded: Loaded, now: Loaded | None = None) -> GroundOut:
    """All things with their ids and versions.

    now: the draft, where `loaded` is another version: things are told with the ids that they have now, 0 for what is no longer there,
    and nothing is found about them.
    """
    n, stored = loaded.network, (now or loaded).stored

    def held(kind: str, thing: Any, *names: str) -> dict[str, Any]:
        try:
            thing_id = stored.thing_id(kind, *(names or (thing.name,)))
        except KeyError:
            if now is None:
                raise
            return {"id": 0, "ver": 0, "thing": thing}
        return {"id": thing_id, "ver": stored.versions[thing_id], "thing": thing}

    def inside(kind: str, device: Device) -> list[Held[Any]]:
        return [Held(**held(kind, i, device.name, i.name)) for i in getattr(device, INSIDE[kind])]

    return GroundOut(
        revision=stored.revision,
        zones=[Held(**held("zone", z)) for z in n.zones],
        segments=[Held(**held("segment", s)) for s in n.segments],
        hosts=[Held(**held("host", h)) for h in n.hosts],
        devices=[
            HeldDevice(
                **held("device", d),
                interfaces=inside("interface", d),
                translate_destination=inside("translate_to", d),
                translate_source=inside("translate_from", d),
                steering=inside("steering", d),
                between=_between(loaded, d),
            )
            for d in n.devices
        ],
        policies=[
            PolicyHead(
                **{k: v for k, v in held("policy", p).items() if k != "thing"},
                name=p.name,
                description=p.description,
                default=p.default,
                families=p.families,
                rules=len(p.rules),
            )
            for p in n.policies
        ],
        at_hosts=Held(**held("at_hosts", AtHosts(at_hosts=n.at_hosts), AT_HOSTS)),
        findings=[finding_out(f) for f in loaded.network_findings if f.policy is None] if now is None else [],
    )


def _between(loaded: Loaded, device: Device) -> list[BetweenZones]:
    """What the device does with transit on which no policy speaks, for each pair of zones it joins."""
    present = [
        z.name
        for z in loaded.network.zones
        if any(i.zone and fold(i.zone) == fold(z.name) for i in device.interfaces)
    ]
    return [
        BetweenZones(
            entering=a,
            leaving=b,
            default=between_zones(loaded.network, device, a, b),  # type: ignore[arg-type]
        )
        for a in present
        for b in present
    ]
