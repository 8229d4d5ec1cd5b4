"""One concrete packet, and the class dimension that carries its state."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sarvex.core.sets import addresses
from sarvex.core.sets.services import NAME_OF_PROTOCOL, has_ports, has_type

State = Literal["new", "established", "related", "invalid"]
STATES: tuple[State, ...] = ("new", "established", "related", "invalid")


@dataclass(frozen=True)
class Flow:
    """One packet: family (4 or 6), addresses as integers, protocol number (0-255), ports, state and moment.

    `first`, `second`: source and destination port, or ICMP type and code, or None where the protocol has neither. `state`: as a
    connection tracker tells it. Two flows with the same fields are equal.
    """

    family: int
    src: int
    dst: int
    protocol: int
    first: int | None = None
    second: int | None = None
    state: State = "new"
    moment: datetime | None = None
    """When; None where any moment will do."""

    @property
    def service(self) -> str:
        """Protocol with ports or type and code, in the words of `sarvex.core.sets.services`."""
        name = NAME_OF_PROTOCOL.get(self.protocol, f"proto/{self.protocol}")
        if has_ports(self.protocol):
            return f"{name}/{self.second} from {self.first}"
        return f"{name}/{self.first}.{self.second}" if has_type(self.family, self.protocol) else name

    def __str__(self) -> str:
        src, dst = addresses.spell(self.family, self.src), addresses.spell(self.family, self.dst)
        state = "" if self.state == "new" else f" ({self.state})"
        moment = f" at {self.moment:%Y-%m-%d %H:%M}" if self.moment else ""
        return f"{src} → {dst} {self.service}{state}{moment}"
