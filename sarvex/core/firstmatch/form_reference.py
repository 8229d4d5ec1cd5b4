"""The arrays of a list as one reference for compiled functions, which read them as attributes.

It needs the compiler, so it is taken in with it (`sarvex.core.sets.compiled`).
"""

from __future__ import annotations

from typing import Any

from numba import njit, types
from numba.experimental import structref

from sarvex.core.firstmatch.form import Arrays


@structref.register
class _FormType(types.StructRef):
    """The compiler's type of a `Form`."""


class Form(structref.StructRefProxy):
    """One reference to all `Arrays`."""


structref.define_proxy(Form, _FormType, list(Arrays._fields))  # type: ignore[no-untyped-call]


@njit(cache=True)
def form_of(arrays: Arrays) -> Any:
    """The arrays as one reference."""
    return Form(  # type: ignore[no-untyped-call]
        arrays.sets, arrays.begin, arrays.ends, arrays.service_begin, arrays.service_boxes, arrays.entries,
        arrays.owner, arrays.sizes, arrays.enabled, arrays.on, arrays.at, arrays.row, arrays.bits, arrays.told,
        arrays.known, arrays.likely, arrays.state, arrays.witness, arrays.taken,
    )  # fmt: skip
