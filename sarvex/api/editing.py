"""One edit of the draft: a transaction of its own, its outcome remembered once it is committed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Annotated, TypeVar

from fastapi import Depends, Header, Request

from sarvex.api.access import Cached, Editor
from sarvex.service.analysis.network_cache import Loaded
from sarvex.service.drafts.draft import Draft, already_done

T = TypeVar("T")
Known = Annotated[
    str,
    Header(
        alias="Sarvex-Known",
        max_length=40,
        description="The version of a policy's rows that is there already: only what is not as it was is told.",
    ),
]


class Editing:
    """Carries out edits of the network named in the path, for the person signed in."""

    def __init__(
        self,
        network_id: int,
        request: Request,
        person: Editor,
        cache: Cached,
        prefer: Annotated[
            str, Header(description="`return=minimal`: only the revision, not what was edited (RFC 7240).")
        ] = "",
        known: Known = "",
    ) -> None:
        self.network_id, self.person, self.cache, self.known = network_id, person, cache, known
        self.minimal = "return=minimal" in prefer.replace(" ", "").lower()
        self.status: int = request.scope["route"].status_code or 200
        """Of an edit that is made."""
        self._sessions = request.app.state.sessions

    def __call__(self, key: str | None, act: Callable[[Draft], T]) -> tuple[Loaded, T | None]:
        """The network after the act, and what the act gave: nothing if this request was carried out before, or if the act
        changed nothing; then nothing is written either: no revision, no step of undo, no entry in the audit."""
        try:
            with self.cache.coming(self.network_id) as tell:
                with self._sessions.begin() as session:
                    draft = Draft(session, self.cache, self.network_id, self.person.id)
                    # Asked under the network's lock: the first try may have been on its way until just now.
                    if already_done(session, self.network_id, key):
                        raise _Done
                    result = act(draft)
                    if draft.unchanged:
                        raise _Done
                    tell(draft.stored.revision)
                return self.cache.keep(draft.stored), result
        except _Done:
            with self._sessions() as session:
                return self.cache.open(session, self.network_id), None

    @contextmanager
    def before(self, key: str | None) -> Iterator[Loaded | None]:
        """The network as it is just now, without a lock; None if this request was carried out before."""
        with self._sessions() as session:
            done = already_done(session, self.network_id, key)
            yield None if done else self.cache.open(session, self.network_id)


class _Done(Exception):
    """There is nothing left to do; whatever was begun is rolled back."""


InDraft = Annotated[Editing, Depends(Editing)]
