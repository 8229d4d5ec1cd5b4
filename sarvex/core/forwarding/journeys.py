"""Packets under way: what they passed, what decided them, and how they ended."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal, TypeVar

from sarvex.core.forwarding import rewriting
from sarvex.core.forwarding.headers import cut_to, turned
from sarvex.core.forwarding.rewriting import AS_ASKED, Choices, Header
from sarvex.core.meaning.packet_sets import PacketSet
from sarvex.core.model.records import Action, Device, Interface, Rule, Segment, fold
from sarvex.core.sets.addresses import AddressSet

Result = Literal["delivered", "unanswered", "dropped", "rejected", "no route", "loop", "undetermined"]
STOPPED: dict[str, Result] = {"drop": "dropped", "reject": "rejected"}
HOSTS = "hosts"


Record = TypeVar("Record")


def altered(one: Record, **fields: Any) -> Record:
    """A record with other values of some fields: `dataclasses.replace` without its checks, at a fifth of the time."""
    other = object.__new__(type(one))
    other.__dict__.update(one.__dict__, **fields)
    return other


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


ENTRIES = "destination translation", "steering", "source translation"
NO_ENTRIES = (None, None, None)
Seen = tuple[str, Header]
"""Devices that share what they know, and how they saw a packet leave."""
Port = tuple[Device, Interface | None]
"""A device and one of its interfaces; without one where the device itself takes or sends packets."""


@dataclass(frozen=True)
class Crossing:
    """One device on the way. `entering` is None for what it sends itself, `leaving` for what it receives.

    `before`: the device that sent the packets here, and by which of its interfaces; None from a wire. `came`, `routed`, `left`: their
    headers as they came, after destination translation, and after source translation; of an answer those of the packet it answers.
    `by`: the entries that translated or steered them, in the order of `ENTRIES`.
    """

    device: Device
    entering: Interface | None
    leaving: Interface | None
    before: Port | None = None
    came: Header = AS_ASKED
    routed: Header = AS_ASKED
    left: Header = AS_ASKED
    by: tuple[str | None, ...] = NO_ENTRIES

    @property
    def translates(self) -> bool:
        """Whether packets left it with another header."""
        return self.came != self.left

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
    may: frozenset[Seen] = frozenset()
    must: frozenset[Seen] = frozenset()
    asker: str | None = None
    """Of what a device sends itself: the device (`together`)."""
    needs: frozenset[Seen] = frozenset()
    """Of an answer: what must have seen the question, though not every way of it passes there."""
    answers: bool = False
    """Whether it is of answers: on the wire they are the packets turned, and who was passed counts, though it kept nothing in mind."""
    before: Port | None = None
    """Where it left the last device."""
    hops: int = 0
    header: Header = AS_ASKED
    """What translations made of the packets so far."""
    choices: Choices = ()
    came: Header = AS_ASKED
    routed: Header = AS_ASKED
    """As they came to the device where they are, and as it routes them."""
    by: tuple[str | None, ...] = NO_ENTRIES
    memory: Memory | None = None
    """Of an answer at a device: what the device knows of its question."""

    def on(self, packets: PacketSet, steps: tuple[Step, ...] = ()) -> Journey:
        """The journey of a share of the packets."""
        return altered(self, packets=packets, steps=self.steps + steps)

    def sent(self, header: Header) -> PacketSet:
        """The packets as they are on the wire, or were with another header."""
        now = rewriting.seen(self.packets, header, self.choices)
        return turned(now) if self.answers else now

    def shares(self, share: PacketSet, header: Header, steps: tuple[Step, ...] = ()) -> Iterator[Journey]:
        """The journeys of a share of what is `sent`."""
        if self.answers:
            share = turned(share)
        for packets, choices in rewriting.traced(share, self.packets, header, self.choices):
            if packets:
                yield altered(self, packets=packets, choices=choices, steps=self.steps + steps)

    def spread(self, axis: int) -> AddressSet:
        """All addresses there are now on an axis of the question."""
        return rewriting.spread(self.packets, self.header, self.choices, axis)

    def to(self, axis: int, spread: AddressSet) -> Journey:
        """The share that has now one of some addresses on an axis of the question."""
        if self.header == AS_ASKED:
            return self.on(cut_to(self.packets, axis, spread))
        packets, choices = rewriting.towards(self.packets, self.header, self.choices, axis, spread)
        return altered(self, packets=packets, choices=choices)

    def arriving(self) -> Journey:
        """As it is at a device before anything is done to it."""
        if self.came == self.routed == self.header and self.by is NO_ENTRIES and self.memory is None:
            return self
        return altered(self, came=self.header, routed=self.header, by=NO_ENTRIES, memory=None)

    def entry(self, which: int, name: str) -> tuple[str | None, ...]:
        """The entries that decided at this device, with one more."""
        return (*self.by[:which], name, *self.by[which + 1 :])

    def past(self, device: Device, entering: Interface | None, leaving: Interface | None) -> Journey:
        """The journey with one more device."""
        known = {(together(device), self.header)} if self.answers or device.filtering == "stateful" else set()
        through = Crossing(
            device, entering, leaving, self.before, self.came, self.routed, self.header, self.by
        )
        return altered(
            self,
            crossings=(*self.crossings, through),
            may=self.may | known,
            must=self.must | known,
            asker=self.asker if entering or self.hops else together(device),
            before=(device, leaving),
            hops=self.hops + 1,
        )

    def leaving(self, interface: Interface | None) -> Journey:
        """The same, past the last device by another of its interfaces."""
        last = self.crossings[-1]
        if last.leaving is interface:
            return self
        crossings = *self.crossings[:-1], altered(last, leaving=interface)
        return altered(self, crossings=crossings, before=(last.device, interface))

    @property
    def way(self) -> tuple[Crossing, ...]:
        """The devices passed; nothing where ways were merged."""
        return self.crossings if len(self.crossings) == self.hops else ()

    @property
    def translated(self) -> bool:
        """Whether some device changed its header."""
        return any(c.translates for c in self.crossings)


@dataclass(frozen=True)
class Memory:
    """What a device knows of the question that an answer belongs to: how it left, and, where it matters, how it passed.

    certain: whether every way of the question passed there.
    """

    left: Header
    through: Crossing | None = None
    certain: bool = True


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


def keys(some: frozenset[Seen]) -> frozenset[str]:
    """Who saw a packet, however it left them."""
    return frozenset(key for key, _ in some)


def together(device: Device) -> str:
    """Devices that share what they know have this in common."""
    return f"cluster {fold(device.cluster)}" if device.cluster else device.name


def judges_later(device: Device) -> bool:
    """Whether rules judge the packets that follow the first of a conversation, and its answers."""
    return device.filtering == "stateless" or device.replies == "by rule"
