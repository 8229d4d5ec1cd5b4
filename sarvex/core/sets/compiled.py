"""Functions on arrays compiled to machine code when they are first called, and kept on disk for the next time.

They release the interpreter's lock, so work on a long list does not stop a server's other answers. Each compiled
function is plain Python over NumPy arrays; tests compare what they find with slow and obvious models.

To take in the compiler, and what it once made, takes longer than most commands have to do. It is done with the first call;
and a command may let plain Python try first (`try_plain`), which is a hundred times slower and on a small list over at once.
What it cannot end in time is begun anew by the compiled functions.

Compiled code is kept beside the sources under a digest of all of them: what one function calls is part of it, so none
may outlive a change of another.
"""

from __future__ import annotations

import functools
import hashlib
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from types import FunctionType
from typing import Any, TypeVar, cast

import numpy as np

CORE = Path(__file__).parent.parent
PACKAGE = __name__.removesuffix(".sets.compiled")


def sources() -> list[Path]:
    """The files that a compiled function can depend on: this one and all that speak of it."""
    return sorted(
        p for p in CORE.rglob("*.py") if p == Path(__file__) or __name__ in p.read_text(encoding="utf-8")
    )


def cache() -> Path:
    """The folder of what was compiled from these sources."""
    digest = hashlib.sha256(b"".join(p.read_bytes() for p in sources())).hexdigest()[:16]
    return CORE / "__pycache__" / f"compiled-{digest}"


MOST_PLAIN = 1 << 18
"""Bytes of arrays. What is given more is not tried in plain Python."""

F = TypeVar("F", bound=Callable[..., Any])


def compiled(function: F) -> F:
    """Compile `function` for the types it is called with, when it is first called; kept on disk (`cache`) for the next process.

    A compiled function calls compiled functions only, takes arrays, whole numbers and records of them, and raises nothing.
    Small tasks are done in plain Python where that is allowed (`try_plain`) and does not take longer.
    """
    return cast(F, _Compiled(function))


def written_plainly(plain: F) -> Callable[[F], F]:
    """Compile a function that means something else in plain Python, where `plain` does the same."""
    return lambda function: cast(F, _Compiled(function, plain))


def try_plain(seconds: float) -> None:
    """Let plain Python try for so many seconds, all in all, before the compiler is taken in.

    For processes of one thread that answer one question and end: taking the compiler in costs half a second.
    """
    _plain.left = seconds


def passed_as(kind: type, made: Callable[[Any], Any]) -> None:
    """Have what is of a kind passed to compiled functions as what `made` makes of it."""
    _PASSED[kind] = made
    _OTHERWISE.add(kind)


def ready() -> bool:
    """Whether the compiler has been taken in."""
    return bool(_MADE)


class _Compiled:
    """A function that is compiled when one of them is first called."""

    def __init__(self, function: F, plain: F | None = None) -> None:
        self.function = function
        self.plain = plain or function
        functools.update_wrapper(self, function)

    def __call__(self, *given: Any) -> Any:
        made = _MADE.get(self)
        if made is None:
            with _LOCK:
                try:
                    return _plain.call(self.plain, given)
                except _TooLong:
                    if _plain.until is not None:
                        raise
                _make_all()
            made = _MADE[self]
        if _OTHERWISE.isdisjoint(map(type, given)):
            return made(*given)
        return made(*map(_passed, given))


class _TooLong(Exception):
    """Plain Python does not end in time."""


class _Plain:
    """How long plain Python may try, and until when what it does now must be over."""

    left = 0.0
    until: float | None = None

    def call(self, function: Callable[..., Any], given: tuple[Any, ...]) -> Any:
        """Raises `_TooLong`; then all arrays are as before. A whole number that is too large for its kind is an error."""
        now = time.perf_counter()
        if self.until is not None:
            if now > self.until:
                raise _TooLong
            return function(*given)
        if self.left <= 0:
            raise _TooLong
        arrays = list(_arrays(given))
        if sum(a.nbytes for a in arrays) > MOST_PLAIN:
            raise _TooLong
        before = [a.copy() for a in arrays]
        self.until = now + self.left
        try:
            with np.errstate(over="raise"):
                return function(*given)
        except _TooLong:
            for array, kept in zip(arrays, before, strict=True):
                array[...] = kept
            raise
        finally:
            self.left, self.until = self.until - time.perf_counter(), None


_plain = _Plain()
_MADE: dict[_Compiled, Callable[..., Any]] = {}
_PASSED: dict[type, Callable[[Any], Any]] = {}
_OTHERWISE: set[type] = {tuple}
"""Kinds that are not passed as they are, or may hold such."""
_LOCK = threading.RLock()


def _passed(given: Any) -> Any:
    if type(given) is tuple:
        return tuple(map(_passed, given))
    made = _PASSED.get(type(given))
    return made(given) if made else given


def _arrays(given: Any) -> Iterator[Any]:
    if isinstance(given, np.ndarray):
        yield given
    elif isinstance(given, tuple):
        for one in given:
            yield from _arrays(one)


def _make_all() -> None:
    """Compile a copy of each, in a copy of its module's names where those it calls are compiled ones: what one calls is looked
    up there when it is compiled."""
    from numba import njit
    from numba.core import config

    if not config.CACHE_DIR:  # type: ignore[attr-defined]
        config.CACHE_DIR = str(cache())  # type: ignore[attr-defined]
    modules = {name: vars(module) for name, module in sys.modules.items() if name.startswith(PACKAGE)}
    spaces = {name: dict(names) for name, names in modules.items()}
    made = dict(_MADE)
    for name, names in modules.items():
        for called, function in names.items():
            if isinstance(function, _Compiled):
                if function not in made:
                    made[function] = njit(cache=True, nogil=True, error_model="numpy")(
                        _copy(function.function, spaces)
                    )
                spaces[name][called] = made[function]
    _MADE.update(made)


def _copy(function: Any, spaces: dict[str, dict[str, Any]]) -> Any:
    copy = FunctionType(
        function.__code__, spaces[function.__module__], function.__name__, function.__defaults__
    )
    return functools.update_wrapper(copy, function)
