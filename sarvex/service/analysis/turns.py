"""Whoever waits for work that is done elsewhere leaves their turn to somebody else meanwhile; and whoever works for somebody
does so for a while, and as long as they are there."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import Future
from contextlib import AbstractContextManager, nullcontext
from contextvars import ContextVar
from dataclasses import dataclass, field
from math import inf
from threading import Event
from typing import TypeVar

T = TypeVar("T")
aside: ContextVar[Callable[[], AbstractContextManager[None]]] = ContextVar("aside", default=nullcontext)
"""How whoever works here steps aside, and takes the next turn once that ends."""


def waited_for(work: Future[T], patience: float | None = None) -> T:
    """What a work comes to, within so many seconds. Raises what the work raises, and `TimeoutError`."""
    if work.done() or patience == 0:  # stepping aside would only mean to queue again
        return work.result(patience)
    with aside.get()():
        return work.result(patience)


@dataclass(frozen=True)
class Asking:
    """A request that is worked on: until when, on the clock of `time.monotonic`, and whether the asker has gone."""

    until: float = inf
    gone: Event = field(default_factory=Event)

    def go_on(self) -> bool:
        """Whether it is still worth an answer."""
        return not self.gone.is_set() and time.monotonic() < self.until


asking: ContextVar[Asking] = ContextVar("asking", default=Asking())  # noqa: B039 (it is never changed)


def go_on() -> bool:
    """Whether what is worked on here is still worth an answer."""
    return asking.get().go_on()
