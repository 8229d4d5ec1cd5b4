"""What is brought into a network, whatever it is written in: the network as it would then be."""

from __future__ import annotations

from sarvex.core.meaning.check import problems
from sarvex.core.model.records import Network
from sarvex.formats import access_lists, device_yang, document, ground_csv
from sarvex.service.drafts import settle
from sarvex.service.errors import Refused

MOST_YAML = 2_000_000
"""Bytes of a document in YAML, which takes some seconds."""


def wanted(network: Network, form: str, text: str, device: str = "") -> tuple[Network, list[str]]:
    """The network with a text brought in, and notes on what the text could not tell.

    `form`: `document` (the whole network), `changes` (what is to be there, by name), `csv` (segments or hosts), `device` (a device's own document), `lists` (RFC 8519).
    Raises `Refused` with all problems.
    """
    if form == "document":
        made = whole(text)
        _refuse(made)
        return made, []
    if form == "changes":
        return settle.wanted(network, text), []
    notes: list[str] = []
    try:
        if form == "csv":
            made = ground_csv.bring(text, network)
        elif form == "lists":
            lists = access_lists.bring(text, network)
            made, notes = lists.network, lists.notes
        else:
            brought = device_yang.bring(text, network, device)
            made, notes = brought.network, brought.notes
    except document.InvalidDocument as error:
        raise Refused(error.problems) from None
    _refuse(made)
    return made, notes


def _refuse(network: Network) -> None:
    found = problems(network)
    if found:
        raise Refused(found)


def whole(text: str) -> Network:
    """The network of a document. Raises `Refused` with all problems."""
    try:
        return document.whole(document.parse(text, MOST_YAML))
    except document.InvalidDocument as error:
        raise Refused(error.problems) from None
