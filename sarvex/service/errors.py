"""Why a use case could not be carried out. Nothing has been written when one of these is raised."""

from __future__ import annotations

from sarvex.core.model.problems import Problem, few


class NotFound(LookupError):
    """There is no such record, or not for this person."""


class NotAllowed(PermissionError):
    """The person's role does not allow it."""


class SignInRefused(PermissionError):
    """Wrong name, password or code."""


class CodeNeeded(PermissionError):
    """Name and password are right; the code of the second factor is needed, too."""


class ProofNeeded(PermissionError):
    """Whoever it is must give the password again first: the session alone is not enough for this."""


class PasswordGiven(PermissionError):
    """Somebody else knows this person's password: it must be changed before anything else."""


class Refused(ValueError):
    """The input is wrong; `problems` say where and how to mend it."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = few(problems)
        super().__init__("; ".join(map(str, self.problems)))


class TooMuch(RuntimeError):
    """What was asked is well asked, but not worked out in the time there is. It says nothing about the answer."""


class Conflict(RuntimeError):
    """Somebody else's change came first. `kind` and `row_id` name the record that differs."""

    def __init__(self, message: str, kind: str, row_id: int) -> None:
        super().__init__(message)
        self.kind, self.row_id = kind, row_id
