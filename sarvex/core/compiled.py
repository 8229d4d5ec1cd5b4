"""Functions on arrays compiled to machine code when they are first called, and kept on disk for the next time.

They release the interpreter's lock, so work on a long list does not stop a server's other answers. Each compiled
function is plain Python over NumPy arrays; tests compare what they find with slow and obvious models.

Most commands are over before any of them is called, and the compiler takes longer to be taken in than they do to run: it is
taken in with the first call.

Compiled code is kept beside the sources under a digest of all of them: what one function calls is part of it, so none
may outlive a change of another.
"""

from __future__ import annotations

import functools
import hashlib
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

HERE = Path(__file__).parent
SOURCES = ("bitrows", "compiled", "cover", "form", "products", "proofs")
_DIGEST = hashlib.sha256(b"".join((HERE / f"{name}.py").read_bytes() for name in SOURCES)).hexdigest()[:16]
CACHE = HERE / "__pycache__" / f"compiled-{_DIGEST}"

F = TypeVar("F", bound=Callable[..., Any])


def compiled(function: F) -> F:
    """Compile `function` for the types it is called with."""
    return cast(F, _Waiting(function))


class _Waiting:
    """A function that is compiled when one of them is first called; then it stands in all modules itself."""

    def __init__(self, function: Callable[..., Any]) -> None:
        self.function = function
        functools.update_wrapper(self, function)

    def __call__(self, *given: Any) -> Any:
        """Have all of them ready, and do what this one does."""
        with _LOCK:
            if self not in _MADE:
                _make_all()
        return _MADE[self](*given)


_MADE: dict[_Waiting, Callable[..., Any]] = {}
_LOCK = threading.Lock()


def _make_all() -> None:
    """Put a compiled function in the place of each that waits, in every module that knows it by any name: what one calls is
    looked up there when it is compiled."""
    from numba import njit
    from numba.core import config

    if not config.CACHE_DIR:  # type: ignore[attr-defined]
        config.CACHE_DIR = str(CACHE)  # type: ignore[attr-defined]
    for module in [m for name, m in sys.modules.items() if name.startswith(__package__)]:
        for name, waiting in list(vars(module).items()):
            if isinstance(waiting, _Waiting):
                if waiting not in _MADE:
                    _MADE[waiting] = njit(cache=True, nogil=True, error_model="numpy")(waiting.function)
                setattr(module, name, _MADE[waiting])
