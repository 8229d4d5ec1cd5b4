"""The last few of something that is costly to make, by what each was made of."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import Generic, TypeVar

K = TypeVar("K")
T = TypeVar("T")


class Recent(Generic[K, T]):
    """Keeps the last few. Keys are compared, not hashed: long tuples whose parts are mostly the same objects are compared
    in an instant, and to hash one takes as long as its parts are many."""

    def __init__(self, most: int) -> None:
        self._kept: list[tuple[K, T]] = []
        self._most = most
        self._lock = Lock()

    def get(self, key: K, make: Callable[[], T]) -> T:
        """What was made of an equal key, or is made now; who else asks meanwhile waits."""
        with self._lock:
            at = next((i for i, (known, _) in enumerate(self._kept) if known == key), None)
            found = (key, make()) if at is None else self._kept.pop(at)
            self._kept.insert(0, found)
            del self._kept[self._most :]
            return found[1]

    def copy(self) -> Recent[K, T]:
        """Another with the same in it."""
        made: Recent[K, T] = Recent(self._most)
        made._kept = list(self._kept)
        return made

    def newest(self, of: Callable[[K], bool] = lambda _: True) -> T | None:
        """The last that was asked for, of those with such a key; `make` may ask for one to start from."""
        return next((made for key, made in self._kept if of(key)), None)
