"""One thing that is wrong with a document or an input, with its place and how to mend it."""

from __future__ import annotations

import unicodedata
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


def few(problems: list[Problem], count: int = 0, at_least: bool = False) -> list[Problem]:
    """The problems, or if they are too many the first and how many more there are. `count`: of all, if only the first are given;
    `at_least`: if there may be more."""
    if len(problems) <= MOST_PROBLEMS:
        return problems
    shown = problems[: MOST_PROBLEMS - 1]
    more = f"{'at least ' if at_least else ''}{(count or len(problems)) - len(shown):,} more problems"
    return [*shown, Problem((), more)]


def entry(name: str) -> str:
    """A path step that names a list entry."""
    return f"={name}"


def odd_character(text: str, lines: bool = False) -> str:
    """What in a text cannot be seen, or turns the direction of what stands around it (Unicode categories Cc, Cf, Cs, Zl and Zp);
    nothing if there is nothing. `lines`: it may have several lines.

    >>> odd_character("ramp-plc"), odd_character(chr(0x202E) + "clp-pmar")
    ('', 'U+202E RIGHT-TO-LEFT OVERRIDE')
    """
    for character in text:
        if unicodedata.category(character) in _UNSEEN and not (lines and character in "\n\r\t"):
            return f"U+{ord(character):04X} {unicodedata.name(character, '')}".rstrip()
    return ""


_UNSEEN = ("Cc", "Cf", "Cs", "Zl", "Zp")


def name_problem(name: str, what: str = "a name is missing") -> str:
    """Why a text is no name; nothing if it is one."""
    if not name.strip():
        return what
    odd = odd_character(name)
    return f"{odd} in a name would not be seen; take it out" if odd else ""
