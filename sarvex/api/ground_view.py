"""The ground as the API gives it."""

from __future__ import annotations

from typing import Any

from sarvex.api import shapes
from sarvex.api.views import finding
from sarvex.core.forwarding.paths import between_zones
from sarvex.core.model.records import Device, fold
from sarvex.service.analysis.network_cache import Loaded
from sarvex.store.things import AT_HOSTS, AtHosts


def ground(loaded: Loaded) -> shapes.GroundOut:
    """All things with their ids and versions."""
    n, stored = loaded.network, loaded.stored

    def held(kind: str, thing: Any, *names: str) -> dict[str, Any]:
        thing_id = stored.thing_id(kind, *(names or (thing.name,)))
        return {"id": thing_id, "ver": stored.versions[thing_id], "thing": thing}

    return shapes.GroundOut(
        revision=stored.revision,
        zones=[shapes.Held(**held("zone", z)) for z in n.zones],
        segments=[shapes.Held(**held("segment", s)) for s in n.segments],
        hosts=[shapes.Held(**held("host", h)) for h in n.hosts],
        devices=[
            shapes.HeldDevice(
                **held("device", d),
                interfaces=[shapes.Held(**held("interface", i, d.name, i.name)) for i in d.interfaces],
                between=_between(loaded, d),
            )
            for d in n.devices
        ],
        policies=[
            shapes.PolicyHead(
                **{k: v for k, v in held("policy", p).items() if k != "thing"},
                name=p.name,
                description=p.description,
                default=p.default,
                families=p.families,
                rules=len(p.rules),
            )
            for p in n.policies
        ],
        at_hosts=shapes.Held(**held("at_hosts", AtHosts(at_hosts=n.at_hosts), AT_HOSTS)),
        findings=[finding(f) for f in loaded.network_findings if f.policy is None],
    )


def _between(loaded: Loaded, device: Device) -> list[shapes.BetweenZones]:
    """What the device does with transit on which no policy speaks, for each pair of zones it joins."""
    present = [
        z.name
        for z in loaded.network.zones
        if any(i.zone and fold(i.zone) == fold(z.name) for i in device.interfaces)
    ]
    return [
        shapes.BetweenZones(
            entering=a,
            leaving=b,
            default=between_zones(loaded.network, device, a, b),  # type: ignore[arg-type]
        )
        for a in present
        for b in present
    ]
