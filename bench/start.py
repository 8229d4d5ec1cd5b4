"""How long commands take from the prompt to their answer: .venv/bin/python bench/start.py

Each is a process of its own, several times in turn with the baseline, which only imports NumPy; the median counts.
"""

from __future__ import annotations

import argparse
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
DEMO = str(ROOT / "demo" / "merrow.yaml")
SARVEX = str(Path(sys.executable).parent / "sarvex")
PLAIN = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
FLOWS = "src,dst,proto,sport,dport\n10.44.60.20,10.44.30.10,tcp,50000,502\n"
SMALL = """\
sarvex: 1
name: two piers
segments:
  - {name: desks, prefixes: [10.44.60.0/24]}
  - {name: ramps, prefixes: [10.44.30.0/24]}
devices:
  - name: lock
    interfaces:
      - {name: a, addresses: [10.44.60.1]}
      - {name: b, addresses: [10.44.30.1]}
policies:
  - name: ramp-side
    default: drop
    rules:
      - {name: r1, action: allow, source: [desks], destination: [ramps], service: [tcp/502]}
      - {name: r2, action: drop, source: [any], destination: [any], service: [any]}
"""
COMMANDS = {
    "--help": ["--help"],
    "trace, a small file": ["trace", "{small}", "desks to ramps on tcp/502"],
    "decide, a small file": ["decide", "{small}", "--flows", "{flows}"],
    "findings, a small file": ["findings", "{small}"],
    "trace": ["trace", DEMO, "tide-historian to ramp-plcs on modbus"],
    "decide, one flow": ["decide", DEMO, "--policy", "ramp-side", "--flows", "{flows}"],
    "findings": ["findings", DEMO],
    "tidy": ["tidy", DEMO, "--policy", "ramp-side", "--out", "{folder}/tidy.yaml"],
}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--times", type=int, default=9)
    times = parser.parse_args().times
    with tempfile.TemporaryDirectory() as folder:
        flows = Path(folder) / "flows.csv"
        flows.write_text(FLOWS)
        small = Path(folder) / "small.yaml"
        small.write_text(SMALL)
        lines = {
            "NumPy imported": [sys.executable, "-c", "import numpy"],
            **{
                n: [SARVEX, *(p.format(flows=flows, small=small, folder=folder) for p in c)]
                for n, c in COMMANDS.items()
            },
        }
        took: dict[str, list[float]] = {name: [] for name in lines}
        for _ in range(times):
            for name, line in lines.items():
                took[name].append(_seconds(line))
    medians = {name: statistics.median(t) for name, t in took.items()}
    base = medians["NumPy imported"]
    print("| command | median | quickest | ratio to importing NumPy |\n|---|---|---|---|")
    for name, median in medians.items():
        print(f"| {name} | {median:.2f} s | {min(took[name]):.2f} s | {median / base:.1f} |")


def _seconds(line: list[str]) -> float:
    began = time.perf_counter()
    done = subprocess.run(line, capture_output=True, text=True, check=False, env=PLAIN)
    if done.returncode not in (0, 1):  # 1: there are findings
        raise SystemExit(f"{line}: {done.stderr}")
    return time.perf_counter() - began


if __name__ == "__main__":
    main()
