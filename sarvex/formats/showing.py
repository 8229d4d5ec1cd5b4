"""One thing of a network by its name, as a document has it, with who uses it: for scripts.

What is meant is told as places in documents are: ``addresses/vessels``, ``policies/ramp-side``, ``policies/ramp-side/rules/monitoring``,
``devices/eastpier-lock/interfaces/lan``; or by a name alone, if one thing is called so.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from sarvex.core.model.problems import Problem
from sarvex.core.model.records import LISTS, Network, fold
from sarvex.core.model.uses import Use, schedule_uses, uses
from sarvex.formats import document
from sarvex.formats.outputs import VERSION, ShownOutput, UseOutput

SECTIONS = (
    "zones", "segments", "hosts", "devices", "addresses", "services", "schedules", "policies", "expectations",
)  # fmt: skip
PARTS = {"policies": ("rules", "sections"), "devices": ("interfaces", *LISTS)}
ADDRESSES = ("segments", "hosts", "devices", "addresses")


class NotShown(LookupError):
    """Nothing is called so, or more than one thing."""

    def __init__(self, problem: Problem) -> None:
        super().__init__(str(problem))
        self.problem = problem


def shown(network: Network, what: str) -> ShownOutput:
    """The thing that is called so, its place among those of its list (from 1), and its direct uses. Raises `NotShown`. O(size)."""
    there = list(_things(document.to_data(network)))
    key = fold(what)
    found = [one for one in there if fold(one[0]) == key]
    found = found or [one for one in there if fold(str(one[2]["name"])) == key]
    if len(found) != 1:
        few = ", ".join(path for path, *_ in found[:6])
        told = f"{what!r} may be {few}{' …' if len(found) > 6 else ''}; write one of these" if found else (
            f"nothing is called {what!r}; write a name, or a place such as addresses/NAME or policies/NAME/rules/NAME"
        )  # fmt: skip
        raise NotShown(Problem((), told))
    ((path, position, thing),) = found
    used = [_use(one) for one in _uses(network, path, str(thing["name"]))]
    return {"sarvex": VERSION, "path": path, "position": position, "thing": thing, "used": used}


def _things(data: dict[str, Any]) -> Iterator[tuple[str, int, dict[str, Any]]]:
    """Every thing of a document with its path and its place in its list."""
    for section in SECTIONS:
        for place, thing in enumerate(data.get(section, ()), 1):
            path = f"{section}/{thing['name']}"
            yield path, place, thing
            for part in PARTS.get(section, ()):
                for at, inner in enumerate(thing.get(part, ()), 1):
                    yield f"{path}/{part}/{inner['name']}", at, inner


def _uses(network: Network, path: str, name: str) -> list[Use]:
    section = path.partition("/")[0]
    if path != f"{section}/{name}":
        return []  # it is inside a device or a policy
    if section == "schedules":
        return schedule_uses(network).get(fold(name), [])
    if section == "services":
        return uses(network, "service", name)
    return uses(network, "address", name) if section in ADDRESSES else []


def _use(one: Use) -> UseOutput:
    return {"policy": one.policy, "owner": one.owner, "field": one.field}
