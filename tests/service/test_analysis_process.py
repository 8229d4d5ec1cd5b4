"""The process beside the one that answers: it tells the same, comes back, and never outlives who started it."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from datetime import date
from pathlib import Path

import pytest

from sarvex.core.findings import of_network, of_rules
from sarvex.core.findings.of_rules import PolicyReport, RuleReport
from sarvex.core.meaning.names import Names, moments_of
from sarvex.core.model.records import Network
from sarvex.service.analysis import analysis_process as processes
from sarvex.service.analysis.analysis_process import AnalysisProcess

DAY = date(2026, 11, 23)
MOST_NICE = 19
"""There is nothing nicer."""


@pytest.fixture(scope="module")
def process() -> Iterator[AnalysisProcess]:
    made = AnalysisProcess()
    yield made
    made.close()


@pytest.fixture
def names(merrow: Network) -> Names:
    return Names(merrow, moments_of(merrow, DAY))


def told(report: PolicyReport) -> list[object]:
    def of_rule(r: RuleReport) -> tuple[object, ...]:
        return (
            r.rule, r.position, r.decides, r.kind, r.cause, r.by, r.by_positions, r.by_count, r.exception_of,
            r.witness, r.taken,
        )  # fmt: skip

    return [
        report.policy,
        [of_rule(r) for r in report.rules],
        report.default_decides,
        report.default_witness,
        report.findings,
    ]


def test_it_tells_of_every_policy_what_is_told_here(
    process: AnalysisProcess, merrow: Network, names: Names, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(processes, "PIECE", 3)  # so that these short lists go there in several pieces
    for policy in merrow.policies:
        assert told(process.report(policy, names)) == told(of_rules.report(policy, names))
    whole = of_network.network_findings(merrow, names)
    assert process.network_findings(merrow.policies, merrow.at_hosts, names) == whole


def test_it_speaks_of_the_moments_from_the_day_it_is_given(process: AnalysisProcess, merrow: Network) -> None:
    """What is over on one day was not on another: the asker's day counts, not the process's own."""
    policies = [p for p in merrow.policies if any(r.schedule for r in p.rules)]
    assert policies
    kinds = []
    for day in (date(2001, 1, 1), DAY):
        names = Names(merrow, moments_of(merrow, day))
        here = [of_rules.report(p, names).findings for p in policies]
        assert [process.report(p, names).findings for p in policies] == here
        kinds.append({f.kind for found in here for f in found})
    assert "expired" in kinds[1] - kinds[0]


def test_an_error_there_is_an_error_here(process: AnalysisProcess, merrow: Network) -> None:
    with pytest.raises(KeyError):
        process.network_findings((), (), Names(merrow, moments_of(merrow, DAY)))  # its devices name policies


def test_ended_it_is_started_again(process: AnalysisProcess, merrow: Network, names: Names) -> None:
    policy = merrow.policies[0]
    expected = told(of_rules.report(policy, names))
    for _ in range(2):
        pid = process._ask(os.getpid)
        os.kill(pid, signal.SIGKILL)
        assert told(process.report(policy, names)) == expected
        assert process._ask(os.getpid) != pid


def test_what_ends_it_twice_is_told(process: AnalysisProcess) -> None:
    with pytest.raises(BrokenProcessPool):
        process._ask(os._exit, 3)


def test_closed_it_gives_up_what_it_works_on() -> None:
    own = AnalysisProcess()
    with ThreadPoolExecutor(1) as waiter:
        pid = own._ask(os.getpid)
        waits = waiter.submit(own._ask, time.sleep, 3600)
        while not waits.running():
            time.sleep(0.01)
        own.close()
        with pytest.raises(BrokenProcessPool):
            waits.result(30)
    with pytest.raises(BrokenProcessPool):
        own._ask(os.getpid)
    assert _ends(pid)


def test_it_ends_with_who_started_it(tmp_path: Path) -> None:
    script = tmp_path / "starts.py"
    script.write_text(
        "import os, time\n"
        "from sarvex.service.analysis.analysis_process import AnalysisProcess\n"
        "if __name__ == '__main__':\n"
        "    process = AnalysisProcess()\n"
        "    print(process._ask(os.getpid), flush=True)\n"
        "    time.sleep(600)\n"
    )
    with subprocess.Popen([sys.executable, str(script)], stdout=subprocess.PIPE, text=True) as started:
        assert started.stdout is not None
        try:
            pid = int(started.stdout.readline())
            nicer = min(os.getpriority(os.PRIO_PROCESS, 0) + processes.LESS_URGENT, MOST_NICE)
            niceness = os.getpriority(os.PRIO_PROCESS, pid)
        finally:  # whatever goes wrong: it would be waited for
            started.kill()
    assert niceness == nicer  # than the tests, however they were started
    assert _ends(pid)


def _ends(pid: int) -> bool:
    """Whether a process is over within twenty seconds."""
    deadline = time.monotonic() + 20
    while time.monotonic() < deadline and _runs(pid):
        time.sleep(0.05)
    return not _runs(pid)


def _runs(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False
