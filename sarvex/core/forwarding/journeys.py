"""Packets under way: what they passed, what decided them, and how they ended."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Action, Device, Interface, Rule, Segment

Result = Literal["delivered", "unanswered", "dropped", "rejected", "no route", "loop", "undetermined"]
STOPPED: dict[str, Result] = {"drop": "dropped", "reject": "rejected"}
HOSTS = "hosts"


@dataclass(frozen=True)
class Step:
    """One place passed or stopped at. `rule` is None for a default; `policy` is None for a zone default.
    At hosts the device is `hosts`."""

    device: str
    stage: str
    policy: str | None
    rule: str | None
    position: int | None
    action: Action


@dataclass(frozen=True)
class Crossing:
    """One device on the way. `entering` is None for what it sends itself, `leaving` for what it receives."""

    device: Device
    entering: Interface | None
    leaving: Interface | None

    @property
    def port(self) -> tuple[str, str]:
        """Where it was entered, by names: records of one thing may be several."""
        return self.device.name, self.entering.name if self.entering else ""


@dataclass(frozen=True)
class Journey:
    """Packets under way, as they were asked, with the devices they passed and what decided them."""

    source: str
    packets: PacketSet
    steps: tuple[Step, ...] = ()
    crossings: tuple[Crossing, ...] = ()

    def on(self, packets: PacketSet, steps: tuple[Step, ...] = ()) -> Journey:
        """The journey of a share of the packets."""
        return replace(self, packets=packets, steps=self.steps + steps)

    def past(self, crossing: Crossing) -> Journey:
        return replace(self, crossings=(*self.crossings, crossing))

    def met(self, port: tuple[str, str]) -> bool:
        """Whether a device was entered there before: the packets are the same, so they go in circles."""
        return any(c.port == port for c in self.crossings)


@dataclass(frozen=True)
class End:
    """How a journey ended, and where: on a segment, at a device itself, or at a stop."""

    journey: Journey
    result: Result
    where: str = ""
    segment: Segment | None = None
    device: Device | None = None
    rule: Rule | None = None
    missing: str | None = None
