"""What devices have, asked when somebody wants to know: each one at a time, and what was told last is kept for others."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from datetime import datetime
from threading import Lock
from typing import TypeVar

from sarvex.formats.device_config import Difference
from sarvex.service import audit
from sarvex.service.releases.release_worker import ReleaseWorker
from sarvex.service.releases.restconf import DeviceFailed

T = TypeVar("T")
SECONDS = 20.0
"""For all of it."""
AT_ONCE = 8
"""Devices that are spoken to at a time."""


@dataclass(frozen=True)
class Seen:
    """What a device was found to have beside what is in force. `failed`: why it could not be asked."""

    at: datetime
    edition: int | None
    differences: tuple[Difference, ...]
    failed: str | None


class Drifts:
    """What was seen of each device. Whoever asks while one is being asked gets what that comes to."""

    def __init__(self, worker: ReleaseWorker) -> None:
        self._worker = worker
        self._last: dict[tuple[int, str], Seen] = {}
        self._asking: dict[tuple[int, str], Future[Seen]] = {}
        self._lock = Lock()
        self._threads = ThreadPoolExecutor(AT_ONCE, "drift")

    def last(self, network_id: int, device: str) -> Seen | None:
        """What was seen last, if anybody has asked since the server was started."""
        return self._last.get((network_id, device))

    def ask(self, network_id: int, device: str) -> Future[Seen]:
        """Ask it, or wait with whoever is asking it."""
        key = network_id, device
        with self._lock:
            if key not in self._asking:
                self._asking[key] = self._threads.submit(self._ask, key)
            return self._asking[key]

    def apart(self, work: Callable[[], T]) -> Future[T]:
        """Something else that speaks to a device, by the same few threads."""
        return self._threads.submit(work)

    def stop(self) -> None:
        """Ask no more."""
        self._threads.shutdown(wait=False, cancel_futures=True)

    def _ask(self, key: tuple[int, str]) -> Seen:
        try:
            found, edition = self._worker.has(*key, SECONDS)
            seen = Seen(audit.now(), edition, tuple(found), None)
        except DeviceFailed as error:
            seen = Seen(audit.now(), None, (), str(error))
        finally:
            with self._lock:
                del self._asking[key]
        self._last[key] = seen
        return seen
