"""Whoever waits for work that is done elsewhere leaves their turn to somebody else meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from contextlib import AbstractContextManager, nullcontext
from contextvars import ContextVar
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
