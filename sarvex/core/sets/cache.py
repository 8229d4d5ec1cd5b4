"""What was worked out and may be asked for again: kept by what it was made of, and never more of it than is said."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from threading import Lock
from typing import Any, Generic, TypeVar

from cachetools import LRUCache

K = TypeVar("K")
T = TypeVar("T")
_MISSING: Any = object()


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
        return self.only(lambda _: True)

    def only(self, of: Callable[[K], bool]) -> Recent[K, T]:
        """Another with what has such a key."""
        made: Recent[K, T] = Recent(self._most)
        made._kept = [(key, kept) for key, kept in list(self._kept) if of(key)]
        return made

    def newest(self, of: Callable[[K], bool] = lambda _: True) -> T | None:
        """The last that was asked for, of those with such a key; `make` may ask for one to start from."""
        return next((made for key, made in self._kept if of(key)), None)


class Bounded(Generic[K, T]):
    """Many small things by hashable key, those used least recently dropped. Whoever is first decides: as long as it is kept,
    everybody who asks with an equal key gets the very same thing."""

    def __init__(self, most: int) -> None:
        self._kept: LRUCache[K, T] = LRUCache(most)
        self._lock = Lock()

    def get(self, key: K, make: Callable[[], T]) -> T:
        """What is kept for a key, or is made now, by nobody else's leave: two may make it at once."""
        with self._lock:
            found = self._kept.get(key, _MISSING)
        if found is _MISSING:
            made = make()
            with self._lock:
                found = self._kept.setdefault(key, made)
        return found  # type: ignore[no-any-return]

    def items(self) -> list[tuple[K, T]]:
        """All that is kept just now."""
        with self._lock:
            return list(self._kept.items())

    def update(self, items: Iterable[tuple[K, T]]) -> None:
        """Keep these, too."""
        with self._lock:
            self._kept.update(items)

    def __len__(self) -> int:
        return len(self._kept)


class ByIdentity(Generic[T]):
    """The same by the very objects that something was made of, which is quicker than by their values where these are long.

    The objects are kept with it: as long as it is known none of them can be freed and another take its id.
    """

    def __init__(self, most: int) -> None:
        self._kept: Bounded[tuple[int, ...], tuple[tuple[object, ...], T]] = Bounded(most)

    def get(self, of: tuple[object, ...], make: Callable[[], T]) -> T:
        """What is kept for these objects, or is made now."""
        return self._kept.get(tuple(map(id, of)), lambda: (of, make()))[1]
