"""Why a use case could not be carried out. Nothing has been written when one of these is raised."""

from __future__ import annotations

from sarvex.core.problem import Problem

MOST_PROBLEMS = 200
"""Told at once; whoever mends these sees the next."""


class NotFound(LookupError):
    """There is no such record, or not for this person."""


class NotAllowed(PermissionError):
    """The person's role does not allow it."""


class SignInRefused(PermissionError):
    """Wrong name or password."""


class Refused(ValueError):
    """The input is wrong; `problems` say where and how to mend it."""

    def __init__(self, problems: list[Problem]) -> None:
        if len(problems) > MOST_PROBLEMS:
            more = f"{len(problems) - MOST_PROBLEMS:,} more problems"
            problems = [*problems[:MOST_PROBLEMS], Problem((), more)]
        super().__init__("; ".join(str(p) for p in problems))
        self.problems = problems


class Conflict(RuntimeError):
    """Somebody else's change came first. `kind` and `row_id` name the record that differs."""

    def __init__(self, message: str, kind: str, row_id: int) -> None:
        super().__init__(message)
        self.kind, self.row_id = kind, row_id
