"""One thing that is wrong with a document or an input, with its place and how to mend it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Problem:
    """One error. `path` leads to it by field names and by the names of list entries."""

    path: tuple[str | int, ...]
    message: str

    @property
    def place(self) -> str:
        """The path in one line, such as ``policies[ramp-side].rules[bridge].source[0]``."""
        out = ""
        for step in self.path:
            if isinstance(step, int):
                out += f"[{step}]"
            else:
                out += f"[{step[1:]}]" if step.startswith("=") else f".{step}"
        return out.lstrip(".") or "document"

    def __str__(self) -> str:
        return f"{self.place}: {self.message}"


MOST_PROBLEMS = 200
"""Told at once; whoever mends these sees the next."""


def few(problems: list[Problem]) -> list[Problem]:
    """The problems, or if they are too many the first and how many more there are."""
    if len(problems) <= MOST_PROBLEMS:
        return problems
    shown = problems[: MOST_PROBLEMS - 1]
    return [*shown, Problem((), f"{len(problems) - len(shown):,} more problems")]


def entry(name: str) -> str:
    """A path step that names a list entry."""
    return f"={name}"
