"""Two people at work while others do their worst: costly questions left hanging, bombs, connections that drip.

What the two ask is answered in time throughout, nothing ends the server, and its memory stays bounded.
"""

from __future__ import annotations

import json
import random
import socket
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path
from urllib.parse import urlsplit

import httpx2 as httpx

from sarvex.api.access import HEADER
from soak.office import Office, Worker, demo, opened
from soak.uploads import watching

PAUSE = 0.15
"""Seconds between two things that one of the two does."""
COSTLY = ("any to any", "any to where", "who to any", "any to ramp-plcs")
HANGS_UP = 0.2
"""Seconds after which whoever asks what is costly is gone."""
MEGA = 1_000_000
HEAD = "sarvex: 1\nname: n\n"
BOMBS = (
    HEAD + "hosts: [" + "a," * (3 * MEGA) + "]",
    '{"sarvex": 1, "name": "n", "hosts": [' + "[]," * (10 * MEGA) + "[]]}",
    HEAD + "hosts: " + "[" * 20_000,
    '{"sarvex":' + "[" * 100_000,
    HEAD + "description: " + "x" * (20 * MEGA),
    '{"sarvex": 1, "name": "n", "zones": [' + ",".join(['{"a": 1}'] * 200_000) + "]}",
)


@dataclass
class Outcome:
    times: dict[str, list[float]] = field(default_factory=dict)
    """Of the two, by what went on meanwhile: milliseconds."""
    costly: int = 0
    bombs: int = 0
    dripping: int = 0
    memory_before_mb: float = 0.0
    memory_most_mb: float = 0.0
    wrong: list[str] = field(default_factory=list)

    def p95(self, what: str) -> float:
        return sorted(self.times[what])[int(len(self.times[what]) * 0.95)]


def run(folder: Path, seconds: float, seed: int) -> Outcome:
    """So many seconds of each."""
    with opened(folder) as office:
        return on(office, seconds, seed)


def on(office: Office, seconds: float, seed: int) -> Outcome:
    """The same on a server that is there."""
    told, rng = Outcome(), random.Random(seed)
    office.let_in("maren", "anders", "third")
    two = [Worker(office, login) for login in ("maren", "anders")]
    third = Worker(office, "third")
    made = two[0].once("POST", "/api/networks", json=demo("crowded"))
    base = f"/api/networks/{made.raise_for_status().json()['id']}"
    two[0].get(f"{base}/findings")
    told.memory_before_mb = office.memory_mb()
    _worked(told, "nothing else", two, base, seconds / 4, rng)  # what is made once is made
    worst: dict[str, Callable[[threading.Event, threading.Event], None]] = {
        "nothing else": lambda begun, _: begun.set(),
        "costly questions left hanging": lambda *events: _costly(told, office, third, base, *events),
        "ten bombs at once": lambda *events: _bombs(told, office, third, base, *events),
        "connections that drip": lambda *events: _dripping(told, office, *events),
    }
    with watching(office) as most:
        for what, act in worst.items():
            begun, end = threading.Event(), threading.Event()
            beside = threading.Thread(target=act, args=(begun, end))
            beside.start()
            begun.wait()
            told.times[what] = _worked(told, what, two, base, seconds, rng)
            end.set()
            beside.join()
    told.memory_most_mb = most()
    if office.killed or len(office.pids("server")) != 1:
        told.wrong.append("the server died")
    return told


def _worked(
    told: Outcome, what: str, two: list[Worker], base: str, seconds: float, rng: random.Random
) -> list[float]:
    """What two people do for a while; how long each thing took, in milliseconds."""
    policies = [p["id"] for p in two[0].get(base)["policies"]]
    rules = {p: [r["id"] for r in two[0].get(f"{base}/policies/{p}")["rows"]] for p in policies[:4]}
    times: list[float] = []

    def work(worker: Worker, own: random.Random) -> None:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            policy = own.choice(list(rules))
            began = time.monotonic()
            answer = worker.once(*_thing(base, policy, rules[policy], own))
            times.append((time.monotonic() - began) * 1000)
            if answer.status_code >= 400 and answer.status_code != 409:
                told.wrong.append(f"{what}: {worker.login} got {answer.status_code} {answer.text[:150]}")
            time.sleep(PAUSE)

    threads = [threading.Thread(target=work, args=(w, random.Random(rng.random()))) for w in two]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return times


def _thing(base: str, policy: int, rules: list[int], rng: random.Random) -> tuple[str, str]:
    """Something that people do all day."""
    chance = rng.random()
    if chance < 0.4:
        return "GET", base
    if chance < 0.6:
        return "GET", f"{base}/policies/{policy}"
    if chance < 0.8:
        return "GET", f"{base}/answer?q=kiosk-3 to gate-server on tcp/{rng.randint(1, 65535)}"
    return "GET", f"{base}/rules/{rng.choice(rules)}/history"


def _costly(
    told: Outcome, office: Office, third: Worker, base: str, begun: threading.Event, end: threading.Event
) -> None:
    """Twenty-four questions a second, and nobody waits for an answer."""

    def ask(question: str) -> None:
        with (
            httpx.Client(
                base_url=office.address,
                cookies=third._http.cookies,
                timeout=httpx.Timeout(HANGS_UP, connect=5),
            ) as own,
            suppress(httpx.HTTPError),
        ):
            own.get(f"{base}/answer", params={"q": question})

    begun.set()
    threads = []
    while not end.wait(1 / 24):
        threads.append(threading.Thread(target=ask, args=(COSTLY[told.costly % len(COSTLY)],)))
        threads[-1].start()
        told.costly += 1
    for thread in threads:
        thread.join()


def _bombs(
    told: Outcome, office: Office, third: Worker, base: str, begun: threading.Event, end: threading.Event
) -> None:
    """From a process of its own: writing them must not hold up those who are timed."""
    http = third._http
    with ProcessPoolExecutor(1, get_context("spawn")) as elsewhere, get_context("spawn").Manager() as shared:
        ready, over = shared.Event(), shared.Event()
        sending = elsewhere.submit(
            bomb, office.address, dict(http.cookies), http.headers[HEADER], f"{base}/to-come", ready, over
        )
        ready.wait()
        begun.set()
        end.wait()
        over.set()
        told.bombs, wrong = sending.result()
    told.wrong += wrong


def bomb(
    address: str,
    cookies: dict[str, str],
    token: str,
    path: str,
    ready: threading.Event,
    over: threading.Event,
) -> tuple[int, list[str]]:
    """All of them at once, again and again, until told; how many were answered, and what was wrong with answers."""
    answers: list[httpx.Response] = []
    headers = {HEADER: token, "Content-Type": "application/json"}

    def send(body: bytes) -> None:
        while not over.is_set():
            with (
                httpx.Client(base_url=address, cookies=cookies, headers=headers, timeout=120) as own,
                suppress(httpx.HTTPError),
            ):
                answers.append(own.post(path, content=body))

    bodies = [json.dumps({"form": "document", "text": text}).encode() for text in BOMBS]
    threads = [threading.Thread(target=send, args=(bodies[n % len(bodies)],)) for n in range(10)]
    for thread in threads:
        thread.start()
    ready.set()
    for thread in threads:
        thread.join()
    odd = [a for a in answers if a.status_code not in (413, 422, 429, 503)]
    return len(answers), [f"a bomb: {a.status_code} {a.text[:150]}" for a in odd]


def _dripping(told: Outcome, office: Office, begun: threading.Event, end: threading.Event) -> None:
    """Two hundred connections that send a byte now and then: half of them never end their head, half their body."""
    parts = urlsplit(office.address)
    head = b"POST /api/session HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\n"

    def opened_() -> Iterator[socket.socket]:
        for number in range(200):
            one = socket.create_connection((parts.hostname, parts.port), timeout=5)
            one.sendall(head if number % 2 else head + b"Content-Length: 60000\r\n\r\n{")
            yield one

    held = list(opened_())
    told.dripping = len(held)
    begun.set()
    while not end.wait(1):
        for one in held:
            with suppress(OSError):
                one.sendall(b" ")
    for one in held:
        one.close()
