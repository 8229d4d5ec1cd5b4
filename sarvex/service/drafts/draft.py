"""Edits of the draft. Each is one transaction: it takes the next revision, checks the version of the row
it changes, writes, and leaves a change with its items behind.

Two people on different rules or names never meet. On the same one the second is told (`Conflict`). A move
conflicts only if the moved rule changed, or if both of its new neighbours are gone.
"""

from __future__ import annotations

from sarvex.service.drafts.apply_document import Becoming
from sarvex.service.drafts.rule_edits import Place
from sarvex.service.drafts.transaction import already_done
from sarvex.service.drafts.undo import Undoing

__all__ = ["Draft", "Place", "already_done"]


class Draft(Becoming, Undoing):
    """The draft of one network in the hands of one person, within one transaction."""
