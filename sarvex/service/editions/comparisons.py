"""Two versions of a network compared: what differs as it is written, and exactly what that does."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from threading import Lock

from sarvex.core.change.effect_in_names import Change
from sarvex.core.findings.accepted import Identity, identity
from sarvex.core.findings.finding import Finding
from sarvex.core.meaning.names import NameCycle, UnknownName
from sarvex.core.model.differences import Difference, differences
from sarvex.core.model.problems import Problem
from sarvex.core.model.renames import Rename, renamed, renames
from sarvex.core.sets.intervals import intersection
from sarvex.formats import effects
from sarvex.formats.effects import Compared
from sarvex.service.analysis.network_cache import AT_ONCE, Loaded
from sarvex.service.editions.versions import Version, bare
from sarvex.service.errors import Refused

WORK = 4_000_000
"""What a comparison may cost, in cubes looked at: a second or two."""
SECONDS = 6.0
"""How long the effect in the network is worked on."""
KEEP = 64


@dataclass(frozen=True)
class Comparison:
    """From one version to another. `renames` have no effect; `differences` are what differs besides.

    `come` and `go` are findings; they are None if a list is too long to be asked meanwhile.
    """

    before: str
    after: str
    renames: tuple[Rename, ...]
    differences: tuple[Difference, ...]
    told: Compared
    come: tuple[Finding, ...] | None
    go: tuple[Finding, ...] | None

    @property
    def same(self) -> bool:
        """Whether nothing that any packet could notice differs, proven. Another ground is another effect: once something is unplugged it may
        tell."""
        return self.told.equal is True and not self.told.ground


_kept: OrderedDict[object, Comparison] = OrderedDict()
_lock = Lock()


def compare(before: Version, after: Version) -> Comparison:
    """The comparison, kept by content: what was compared once costs nothing."""
    key = before.key, after.key
    with _lock:
        found = _kept.get(key)
        if found is not None:
            _kept.move_to_end(key)
    if found is None:
        found = _compare(before, after)
        with _lock:
            if found.told.network is None or found.told.network.complete:  # another time it may be worked out
                _kept[key] = found
            while len(_kept) > KEEP:
                _kept.popitem(last=False)
    return replace(found, before=before.name, after=after.name)


def _compare(before: Version, after: Version) -> Comparison:
    called, old = _as_called(before, after)
    come, go = _findings(old, after.loaded)
    return Comparison(
        before.name, after.name, tuple(called), tuple(differences(old.network, after.network)),
        effects.compare(old.network, after.network, budget=WORK, seconds=SECONDS), come, go,
    )  # fmt: skip


def _as_called(before: Version, after: Version) -> tuple[list[Rename], Loaded]:
    """What a newer version calls otherwise, and the older one by these names."""
    called = renames(before.network, after.network, (before.rule_ids, after.rule_ids))
    return called, bare(before.key[0], renamed(before.network, called)) if called else before.loaded


def _findings(old: Loaded, new: Loaded) -> tuple[tuple[Finding, ...] | None, tuple[Finding, ...] | None]:
    """Those that come and those that go, notes aside."""
    if any(len(p.rules) > AT_ONCE for of in (old, new) for p in of.network.policies):
        return None, None
    before, after = ({identity(f): f for f in findings(of) if f.weight != "note"} for of in (old, new))
    return (
        tuple(f for key, f in after.items() if key not in before),
        tuple(f for key, f in before.items() if key not in after),
    )


def known_before(before: Version, after: Version) -> set[Identity]:
    """What an older version had findings of, by the names of a newer one."""
    _, old = _as_called(before, after)
    return {identity(f) for f in findings(old)}


def findings(loaded: Loaded) -> Iterable[Finding]:
    """All findings of a network."""
    for policy in loaded.network.policies:
        yield from loaded.report(policy).findings
    yield from loaded.network_findings


def reaching(told: Comparison, after: Version, text: str) -> list[Change]:
    """The changes whose destinations meet what a text stands for. Raises `Refused`."""
    try:
        wanted = after.loaded.names.address(text.strip())
    except (UnknownName, NameCycle) as error:
        raise Refused([Problem(("to",), str(error))]) from None
    return [
        c for c in told.told.changes if any(intersection(p.destination, wanted[p.family]) for p in c.parts)
    ]
