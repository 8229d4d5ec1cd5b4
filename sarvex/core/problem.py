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


def entry(name: str) -> str:
    """A path step that names a list entry."""
    return f"={name}"
