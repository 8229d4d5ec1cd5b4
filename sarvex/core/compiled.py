"""Functions on arrays compiled to machine code when they are first called, and kept on disk for the next time.

They release the interpreter's lock, so work on a long list does not stop a server's other answers. Each compiled
function is plain Python over NumPy arrays; tests compare what they find with slow and obvious models.

Compiled code is kept beside the sources under a digest of all of them: what one function calls is part of it, so none
may outlive a change of another.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

from numba import njit
from numba.core import config

HERE = Path(__file__).parent
SOURCES = ("bitrows", "compiled", "cover", "form", "products", "proofs")
_DIGEST = hashlib.sha256(b"".join((HERE / f"{name}.py").read_bytes() for name in SOURCES)).hexdigest()[:16]
if not config.CACHE_DIR:  # type: ignore[attr-defined]
    config.CACHE_DIR = str(HERE / "__pycache__" / f"compiled-{_DIGEST}")  # type: ignore[attr-defined]

F = TypeVar("F", bound=Callable[..., Any])


def compiled(function: F) -> F:
    """Compile `function` for the types it is called with."""
    made: Any = njit(cache=True, nogil=True, error_model="numpy")(function)
    return cast(F, made)
