"""The draft brought to a wanted state, by names: what is so already stays, and where all is, nothing is done."""

from __future__ import annotations

from typing import Any

from sarvex.core.model.records import Network
from sarvex.formats import document, settling
from sarvex.service.drafts.apply_document import become
from sarvex.service.drafts.draft import Draft
from sarvex.service.errors import Refused


def wanted(network: Network, text: str) -> Network:
    """The network with what a text wants of it; the same if it is so already. Raises `Refused` with all that is wrong."""
    return with_wishes(network, wishes_of(text))


def wishes_of(text: str) -> dict[str, Any]:
    """What a text wants, for any network. Raises `Refused`."""
    try:
        return settling.read(text)
    except document.InvalidDocument as error:
        raise Refused(error.problems) from None


def with_wishes(network: Network, wishes: dict[str, Any]) -> Network:
    """A network with what is wanted of it; the same if it is so already. Raises `Refused`."""
    try:
        return settling.settled(network, wishes)
    except (settling.Unsettled, document.InvalidDocument) as error:
        raise Refused(error.problems) from None


def settle(draft: Draft, wishes: dict[str, Any], request_key: str | None = None) -> tuple[Network, Network]:
    """Bring the draft to what is wanted, one step of undo; the network before and after, which are one where nothing was to be done.

    Then the draft is `unchanged`, and whoever holds the transaction drops it. Raises `Refused`.
    """
    before = draft.stored.network
    after = with_wishes(before, wishes)
    if after is before:
        draft.unchanged = True
    else:
        become(draft, after, request_key=request_key, act="settle", sound=True)
    return before, after
