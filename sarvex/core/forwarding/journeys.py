"""Packets under way: what they passed, what decided them, and how they ended."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Action, Device, Interface, Rule, Segment, fold

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


Port = tuple[Device, Interface | None]
"""A device and one of its interfaces; without one where the device itself takes or sends packets."""


@dataclass(frozen=True)
class Crossing:
    """One device on the way. `entering` is None for what it sends itself, `leaving` for what it receives.

    `before`: the device that sent the packets here, and by which of its interfaces; None from a wire.
    """

    device: Device
    entering: Interface | None
    leaving: Interface | None
    before: Port | None = None

    @property
    def port(self) -> tuple[str, str]:
        """Where it was entered, by names: records of one thing may be several."""
        return name_of(self.device, self.entering)


@dataclass(frozen=True)
class Journey:
    """Packets under way, as they were asked, with the devices they passed and what decided them.

    Where ways were merged `steps` is empty and of the `crossings` only those are left on which the answer depends; what was passed
    by some of the ways is in `may`, by all of them in `must`, each told by what devices share (`together`).
    """

    source: str
    packets: PacketSet
    steps: tuple[Step, ...] = ()
    crossings: tuple[Crossing, ...] = ()
    may: frozenset[str] = frozenset()
    must: frozenset[str] = frozenset()
    asker: str | None = None
    """Of what a device sends itself: the device, as in `may`."""
    needs: frozenset[str] = frozenset()
    """Of an answer: what must have seen the question, though not every way of it passes there."""
    answers: bool = False
    """Whether it is of answers, so that who was passed counts, though nothing was kept in mind there."""
    before: Port | None = None
    """Where it left the last device."""
    hops: int = 0

    def on(self, packets: PacketSet, steps: tuple[Step, ...] = ()) -> Journey:
        """The journey of a share of the packets."""
        return replace(self, packets=packets, steps=self.steps + steps)

    def past(self, device: Device, entering: Interface | None, leaving: Interface | None) -> Journey:
        """The journey with one more device."""
        key = {together(device)} if self.answers or device.filtering == "stateful" else set()
        return replace(
            self,
            crossings=(*self.crossings, Crossing(device, entering, leaving, self.before)),
            may=self.may | key,
            must=self.must | key,
            asker=self.asker if entering or self.hops else together(device),
            before=(device, leaving),
            hops=self.hops + 1,
        )

    @property
    def way(self) -> tuple[Crossing, ...]:
        """The devices passed; nothing where ways were merged."""
        return self.crossings if len(self.crossings) == self.hops else ()

    def met(self, device: Device, entering: Interface | None) -> bool:
        """Whether a device was entered there before: the packets are the same, so they go in circles."""
        return any(c.port == name_of(device, entering) for c in self.crossings)


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
    stranger: str | None = None
    half: str | None = None
    """Of answers: see `way_back.Fate`."""


def name_of(device: Device, interface: Interface | None) -> tuple[str, str]:
    """A port by names."""
    return device.name, interface.name if interface else ""


def together(device: Device) -> str:
    """Devices that share what they know have this in common."""
    return f"cluster {fold(device.cluster)}" if device.cluster else device.name
