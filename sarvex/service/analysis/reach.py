"""All segments at once, for whoever waits for them."""

from __future__ import annotations

from datetime import datetime

from sarvex.core.forwarding.walk import TooWide
from sarvex.core.meaning.names import NameCycle, UnknownName
from sarvex.core.model.problems import Problem
from sarvex.core.reach.matrix import Cell, matrix
from sarvex.formats import moment_words
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.analysis.questions import in_time
from sarvex.service.errors import Refused, TooMuch

SECONDS = 30.0
"""How long all segments are worked on."""
TOO_WIDE = "all segments take longer than half a minute here; ask for one service, or run sarvex matrix on the document"


def moment_of(loaded: Loaded, at: str) -> datetime | None:
    """A moment in words; None for all. Raises `Refused`."""
    try:
        return moment_words.parse(at, loaded.names.moments.zone) if at.strip() else None
    except moment_words.InvalidMoment as error:
        raise Refused([Problem(("at",), str(error))]) from None


def all_segments(loaded: Loaded, service: str, at: str = "", seconds: float = SECONDS) -> list[Cell]:
    """Every pair of segments, and devices themselves, for a service, at a moment in words or at all moments.

    Raises `Refused` for words that mean no service or no moment, and `TooMuch`.
    """
    moment = moment_of(loaded, at)
    try:
        asked = loaded.names.service(service)
    except (UnknownName, NameCycle) as error:
        raise Refused([Problem(("service",), str(error))]) from None
    try:
        return list(matrix(loaded.network, loaded.names.at(moment), asked, go_on=in_time(seconds)))
    except TooWide:
        raise TooMuch(TOO_WIDE) from None
