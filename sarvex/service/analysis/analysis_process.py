"""Long lists are analysed in a process of their own, so that no answer waits for another's report.

What goes there and what comes back is plain data, packed in pieces: while one is read others have their turn at the
interpreter. The process knows nothing that it is not given; if it is ended, the next who asks starts another.
"""

from __future__ import annotations

import multiprocessing
import multiprocessing.connection
import os
import pickle
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import fields, replace
from functools import lru_cache
from itertools import chain, islice
from multiprocessing.process import BaseProcess
from operator import attrgetter
from typing import Any, NoReturn, ParamSpec, TypeVar

from sarvex.core.findings import of_network, of_rules
from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_rules import PolicyReport, RuleReport, Samples
from sarvex.core.meaning.names import Names, moments_of
from sarvex.core.model.records import HostAttachment, Network, Policy, Rule
from sarvex.core.reach.infrastructure import asked_service
from sarvex.core.reach.matrix import Cell, matrix_in_parts
from sarvex.core.time.moments import Times
from sarvex.service.analysis.turns import waited_for

PIECE = 500
"""So many rules or findings are packed in one piece: a few milliseconds."""
LESS_URGENT = 10
"""By so much the process is nicer than the one that answers."""
KEEP = 4
_of_rule = attrgetter(*(f.name for f in fields(RuleReport)[1:-1]))
"""What is sent of a rule's report: all but the rule, which is there, and its samples."""
_reported: Callable[..., RuleReport] = RuleReport
Pieces = list[bytes]
Asked = tuple[str, bool, Times]
"""A service in words, whether infrastructure is left aside, and when."""
P = ParamSpec("P")
T = TypeVar("T")


class AnalysisProcess:
    """The process, started when it is first asked. All methods block until it is done, and raise `BrokenProcessPool`
    if it was ended twice over the same question."""

    def __init__(self) -> None:
        self._pool: ProcessPoolExecutor | None = None
        self._process: set[BaseProcess] = set()
        self._closed = False
        self._lock = threading.Lock()

    def report(self, policy: Policy, names: Names) -> PolicyReport:
        """What every rule of a policy decides; see `sarvex.core.findings.of_rules.report`."""
        default, told, found = self._ask(_report, _ground(names), _packed_policy(policy))
        rules = tuple(
            _reported(rule, *of_rule, Samples(witness, taken))
            for rule, (of_rule, witness, taken) in zip(policy.rules, _unpacked(told), strict=True)
        )
        decides, witness = pickle.loads(default)
        return PolicyReport(policy, rules, decides, witness, tuple(_unpacked(found)))

    def network_findings(
        self, policies: Sequence[Policy], at_hosts: tuple[HostAttachment, ...], names: Names
    ) -> list[Finding]:
        """The findings of a network that are not about one policy alone; see `sarvex.core.findings.of_network`."""
        packed = [_packed_policy(p) for p in policies]
        return list(_unpacked(self._ask(_network_findings, _ground(names), at_hosts, packed)))

    def matrix_part(
        self, network: Network, names: Names, asked: Asked, part: int
    ) -> tuple[float, list[Cell]]:
        """The cells of some sources of which something works or may, and the share of all that is done then.

        part: from 0, one after the other. Raises what `matrix_in_parts` raises.
        """
        packed = tuple((head, tuple(rules)) for head, rules in map(_packed_policy, network.policies))
        return self._ask(_matrix_part, _ground(names), network.at_hosts, packed, asked, part)

    def close(self) -> None:
        """End it at once, whatever it works on; whoever waits for that is told so by `BrokenProcessPool`."""
        with self._lock:
            self._closed = True
            if self._pool is not None:
                self._pool.shutdown(wait=False)
            for process in self._process:
                process.kill()

    def _ask(self, work: Callable[P, T], *given: P.args, **named: P.kwargs) -> T:
        try:
            return waited_for(self._sent(False, work, *given, **named))
        except BrokenProcessPool:
            return waited_for(self._sent(True, work, *given, **named))

    def _sent(self, anew: bool, work: Callable[P, T], *given: P.args, **named: P.kwargs) -> Future[T]:
        with self._lock:
            if self._closed:
                raise BrokenProcessPool("the server ends")
            if anew and self._pool is not None:
                self._pool.shutdown(wait=False)
            if anew or self._pool is None:
                own = multiprocessing.get_context("spawn")  # threads are running: a fork of them could hang
                self._pool = ProcessPoolExecutor(max_workers=1, mp_context=own, initializer=_begin)
                self._process = set()
            others = set(multiprocessing.active_children())
            sent = self._pool.submit(work, *given, **named)
            self._process |= set(multiprocessing.active_children()) - others
            return sent


def end_with_parent() -> None:
    """Let this process end as soon as the one that started it has, however that ended."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        threading.Thread(target=_end_with, args=(parent.sentinel,), name="sentinel", daemon=True).start()


def _end_with(sentinel: int) -> NoReturn:
    multiprocessing.connection.wait([sentinel])
    os._exit(1)


# --- what is sent -----------------------------------------------------------------------------------------


def _packed(what: Sequence[Any]) -> Pieces:
    return [pickle.dumps(what[at : at + PIECE], pickle.HIGHEST_PROTOCOL) for at in range(0, len(what), PIECE)]


def _unpacked(pieces: Pieces) -> chain[Any]:
    return chain.from_iterable(map(pickle.loads, pieces))


@lru_cache(maxsize=KEEP)
def _packed_policy(policy: Policy) -> tuple[bytes, Pieces]:
    return pickle.dumps(replace(policy, rules=(), sections=())), _packed(policy.rules)


def _ground(names: Names) -> bytes:
    """Everything that names stand for, with the day from which on it is looked at."""

    def pack() -> bytes:
        bare = replace(names.network, policies=(), at_hosts=())
        return pickle.dumps((bare, names.moments.since, [*names.moments.ends]))

    ground: bytes = names.keep("packed", pack)
    return ground


# --- in the process ---------------------------------------------------------------------------------------


def _begin() -> None:
    end_with_parent()
    os.nice(LESS_URGENT)


@lru_cache(maxsize=KEEP)
def _names(ground: bytes) -> Names:
    network, since, ends = pickle.loads(ground)
    return Names(network, moments_of(network, since, ends=ends))


def _policy(packed: tuple[bytes, Pieces]) -> Policy:
    rules: tuple[Rule, ...] = tuple(_unpacked(packed[1]))
    policy: Policy = replace(pickle.loads(packed[0]), rules=rules)
    return policy


def _report(ground: bytes, packed: tuple[bytes, Pieces]) -> tuple[bytes, Pieces, Pieces]:
    told = of_rules.report(_policy(packed), _names(ground))
    rules = [(_of_rule(r), r.witness, r.taken) for r in told.rules]
    default = pickle.dumps((told.default_decides, told.default_witness))
    return default, _packed(rules), _packed(told.findings)


@lru_cache(maxsize=1)
def _network(
    ground: bytes, at_hosts: tuple[HostAttachment, ...], packed: tuple[tuple[bytes, tuple[bytes, ...]], ...]
) -> Network:
    policies = tuple(_policy((head, list(rules))) for head, rules in packed)
    return replace(_names(ground).network, policies=policies, at_hosts=at_hosts)


_MATRIX: list[tuple[object, int, Iterator[tuple[float, list[Cell]]]]] = []
"""What is asked part by part, and the next part of it."""


def _matrix_part(
    ground: bytes, at_hosts: tuple[HostAttachment, ...], packed: tuple[tuple[bytes, tuple[bytes, ...]], ...],
    asked: Asked, part: int,
) -> tuple[float, list[Cell]]:  # fmt: skip
    key = ground, at_hosts, packed, asked
    if not _MATRIX or _MATRIX[0][:2] != (key, part):
        names = _names(ground)
        network = _network(ground, at_hosts, packed)
        service, aside, times = asked
        parts = matrix_in_parts(network, names, asked_service(names, service, aside), times)
        _MATRIX[:] = [(key, part, islice(parts, part, None))]
    share, cells = next(_MATRIX[0][2])
    _MATRIX[:] = [(key, part + 1, _MATRIX[0][2])] if share < 1 else []
    return share, [cell.boxed() for cell in cells if cell.says_something]


def _network_findings(
    ground: bytes, at_hosts: tuple[HostAttachment, ...], packed: list[tuple[bytes, Pieces]]
) -> Pieces:
    names = _names(ground)
    network = replace(names.network, policies=tuple(map(_policy, packed)), at_hosts=at_hosts)
    return _packed(of_network.network_findings(network, names))
