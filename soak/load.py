"""Many people at work on a network with ten thousand rules in one list: so many requests a second, reads and edits mixed.

Requests are sent at their time, whether or not those before were answered, so a slow answer does not make the next ones
fewer. Times are from the moment a request was due until its answer was read.
"""

from __future__ import annotations

import json
import random
import threading
import time
from collections import Counter, defaultdict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from itertools import cycle
from pathlib import Path
from typing import Any

import httpx2 as httpx

from sarvex.api.access import HEADER
from sarvex.cli.generate import network
from sarvex.formats import document
from soak.office import Office, Worker, opened

SENDERS = 24
PEOPLE = tuple(f"load{n}" for n in range(6))
WARM_SECONDS = 20.0
MINIMAL = {"Prefer": "return=minimal"}
# How often each kind of request is sent, of a thousand: pages look whether something changed, people ask and write.
MIX = {
    "has it changed": 313, "all networks": 60, "question": 250, "completion": 140, "releases": 60, "editions": 50,
    "history": 50, "names": 30, "effect of a move": 25, "whole list": 2, "describe a rule": 10, "move a rule": 6,
    "add a rule": 3, "new name": 1,
}  # fmt: skip
EDITS = {"describe a rule", "move a rule", "add a rule", "new name"}


@dataclass
class Outcome:
    """What was sent and how soon it was answered, in milliseconds; memory of the answering process in MB, after the warm-up
    and after each minute."""

    seconds: float = 0.0
    sent: int = 0
    edits: int = 0
    conflicts: int = 0
    p50: float = 0.0
    p95: float = 0.0
    p99: float = 0.0
    by_kind: dict[str, tuple[int, float, float]] = field(default_factory=dict)
    memory: list[float] = field(default_factory=list)
    minutes: list[float] = field(default_factory=list)
    """Within how long 95 of 100 were answered, minute by minute."""
    pace: list[float] = field(default_factory=list)
    """Seconds that ten million additions took before and after: how quick the machine was."""
    stolen: float = 0.0
    """Per cent of the processors' time that other machines on the same hardware had meanwhile."""
    wrong: list[str] = field(default_factory=list)


def run(folder: Path, rules: int, per_second: float, seconds: float, seed: int) -> Outcome:
    """So many requests a second for so long."""
    with opened(folder) as office:
        return on(office, rules, per_second, seconds, seed)


def on(office: Office, rules: int, per_second: float, seconds: float, seed: int) -> Outcome:
    """The same on a server that is there."""
    told = Outcome(seconds=seconds)
    office.let_in(*PEOPLE)
    crowd = Crowd(office, generated(rules), seed, told)
    crowd.send_for(per_second, min(WARM_SECONDS, seconds))
    crowd.forget()
    told.pace.append(_pace())
    before = _ticks()
    crowd.send_for(per_second, seconds)
    spent = [b - a for a, b in zip(before, _ticks(), strict=True)]
    told.stolen = round(100 * spent[STEAL] / sum(spent), 1)
    told.pace.append(_pace())
    crowd.tell()
    return told


STEAL = 7  # of the columns of /proc/stat, see proc(5)


def _ticks() -> list[int]:
    """What the processors' time went to so far."""
    return [int(n) for n in Path("/proc/stat").read_text(encoding="ascii").split("\n", 1)[0].split()[1:9]]


def _pace() -> float:
    began, total = time.perf_counter(), 0
    for n in range(10_000_000):
        total += n
    return round(time.perf_counter() - began, 2)


def generated(rules: int) -> str:
    """The made-up long network as JSON."""
    return document.dump(network(rules, seed=1), "json")


class Crowd:
    """Everybody who sends, each person from several places at once."""

    def __init__(self, office: Office, text: str, seed: int, told: Outcome) -> None:
        self.office, self.told, self.rng = office, told, random.Random(seed)
        workers = [Worker(office, login) for login in PEOPLE]
        self.worker, self.next = workers[0], cycle(workers)
        made = self.worker.once("POST", "/api/networks", json={"text": text}).raise_for_status()
        self.base = f"/api/networks/{made.json()['id']}"
        policy = max(self.worker.get(self.base)["policies"], key=lambda p: p["rules"])["id"]
        self.policy = f"{self.base}/policies/{policy}"
        rows = self.worker.get(self.policy)["rows"]
        self.rules = {r["id"]: [r["ver"], r["rule"]] for r in rows}
        self.ids = list(self.rules)
        self.hosts = [h["name"] for h in json.loads(text)["hosts"]]
        self.lock = threading.Lock()
        self.local = threading.local()
        self.times: dict[str, list[float]] = defaultdict(list)
        self.minutes: dict[int, list[float]] = defaultdict(list)
        self.began = 0.0
        self.answers: Counter[int] = Counter()
        self.asked = 0

    def forget(self) -> None:
        """What was sent to warm up does not count."""
        with self.lock:
            self.times.clear()
            self.minutes.clear()
            self.answers.clear()
            self.told.memory.clear()
            self.told.conflicts = 0

    def send_for(self, per_second: float, seconds: float) -> None:
        """Send at even times, each in the first free sender."""
        kinds, weights = list(MIX), list(MIX.values())
        self.began = began = time.monotonic()
        minute = 0.0
        with ThreadPoolExecutor(SENDERS) as senders:
            for number in range(int(per_second * seconds)):
                due = began + number / per_second
                time.sleep(max(0.0, due - time.monotonic()))
                (kind,) = self.rng.choices(kinds, weights)
                senders.submit(self._send, kind, due, self.rng.random())
                if due - began >= minute:
                    self._weigh()
                    minute += 60
        self._weigh()

    def _weigh(self) -> None:
        self.told.memory.append(round(self.office.memory_mb(), 1))

    def _send(self, kind: str, due: float, chance: float) -> None:
        try:
            answer = self._request(kind, random.Random(chance))
        except httpx.HTTPError as error:
            answer = None
            self.told.wrong.append(f"{kind}: {type(error).__name__}")
        seconds = time.monotonic() - due
        with self.lock:
            self.times[kind].append(seconds * 1000)
            self.minutes[int((due - self.began) // 60)].append(seconds * 1000)
            if answer is not None:
                self.answers[answer.status_code] += 1
                self.told.conflicts += answer.status_code == 409
                if answer.status_code >= 400 and answer.status_code != 409:
                    self.told.wrong.append(f"{kind}: {answer.status_code} {answer.text[:200]}")

    def _http(self) -> httpx.Client:
        if not hasattr(self.local, "http"):
            with self.lock:
                own = next(self.next)._http
            self.local.http = self.office.client(cookies=own.cookies, headers={HEADER: own.headers[HEADER]})
        http: httpx.Client = self.local.http
        return http

    def _request(self, kind: str, rng: random.Random) -> httpx.Response:
        get: Callable[..., httpx.Response] = self._http().get
        if kind == "question":
            service = rng.choice(["tcp/443", "udp/53", "tcp/22", "icmp/8"])
            question = f"{rng.choice(self.hosts)} to {rng.choice(self.hosts)} on {service}"
            return get(f"{self.base}/answer", params={"q": question})
        if kind == "completion":
            return get(f"{self.base}/completions", params={"q": rng.choice(self.hosts)[:5]})
        if kind == "history":
            return get(f"{self.base}/rules/{rng.choice(self.ids)}/history")
        if kind in EDITS or kind == "effect of a move":
            return self._edit(kind, rng)
        places = {
            "has it changed": self.base, "all networks": "/api/networks", "releases": f"{self.base}/releases",
            "editions": f"{self.base}/editions", "names": f"{self.base}/names", "whole list": self.policy,
        }  # fmt: skip
        return get(places[kind])

    def _edit(self, kind: str, rng: random.Random) -> httpx.Response:
        rule_id, other = rng.sample(self.ids, 2)
        with self.lock:
            ver, rule = self.rules[rule_id]
            self.asked += 1
            asked = self.asked
        http, place = self._http(), {"after": None, "before": other}
        if kind == "effect of a move":
            edit = {"rules": [rule_id], "act": "move", "place": place}
            body = {"asker": f"a{asked}", "generation": asked, "edit": edit}
            return http.post(f"{self.policy}/consequence", json=body)
        if kind == "new name":
            thing: dict[str, Any] = {
                "name": f"new-{asked}",
                "members": [f"10.200.{asked % 256}.{asked // 256 % 256}"],
            }
            return http.post(
                f"{self.base}/names", json={"kind": "addresses", "thing": thing}, headers=MINIMAL
            )
        if kind == "add a rule":
            body = {"rule": rule | {"name": f"new {asked}"}, "place": place}
            return http.post(f"{self.policy}/rules", json=body, headers=MINIMAL)
        if kind == "describe a rule":
            written = rule | {"description": f"described in edit {asked}"}
            answer = http.put(
                f"{self.policy}/rules/{rule_id}", json={"rule": written, "ver": ver}, headers=MINIMAL
            )
        else:
            answer = http.post(
                f"{self.policy}/rules/{rule_id}/move", json={"place": place, "ver": ver}, headers=MINIMAL
            )
            written = rule
        if answer.status_code == 204:
            with self.lock:
                self.rules[rule_id] = [ver + 1, written]
        return answer

    def tell(self) -> None:
        """The figures of everything since the warm-up."""
        told, every = self.told, sorted(t for times in self.times.values() for t in times)
        told.sent, told.edits = len(every), sum(len(self.times[k]) for k in EDITS)
        told.p50, told.p95, told.p99 = (_at(every, share) for share in (0.5, 0.95, 0.99))
        told.minutes = [_at(sorted(times), 0.95) for _, times in sorted(self.minutes.items())]
        told.by_kind = {
            kind: (len(times), _at(sorted(times), 0.5), _at(sorted(times), 0.95))
            for kind, times in sorted(self.times.items())
        }


def _at(times: list[float], share: float) -> float:
    return round(times[min(len(times) - 1, int(len(times) * share))], 1) if times else 0.0
