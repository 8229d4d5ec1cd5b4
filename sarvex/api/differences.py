"""What differs between two versions, thing by thing, as the API tells it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from sarvex.core.model.differences import Difference


class DifferenceOut(BaseModel):
    """One thing that would change."""

    section: str
    name: str
    change: Literal["added", "removed", "changed"]
    what: list[str]


def difference_out(d: Difference) -> DifferenceOut:
    return DifferenceOut(section=d.section, name=d.name, change=d.change, what=list(d.what))
