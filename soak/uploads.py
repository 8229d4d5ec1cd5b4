"""Hostile uploads: too large, too deep, growing when read, made to take long, or pointing where nothing should be asked.

Each must be refused with a clear message, in bounded time, and the server's memory must not follow what was sent.
"""

from __future__ import annotations

import gzip
import json
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import httpx2 as httpx

from soak.office import DEMO, Office, Worker, opened

MEGA = 1_000_000
LONGEST_SECONDS = 20.0
MOST_GROWTH_MB = 700.0
"""Reading the largest text that is taken costs some times its size for a while."""


@dataclass
class Outcome:
    """`told`: what each was answered. `wrong`: every sentence is a failure."""

    sent: int = 0
    slowest: float = 0.0
    memory_before_mb: float = 0.0
    memory_most_mb: float = 0.0
    memory_after_mb: float = 0.0
    told: list[str] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)


def run(folder: Path) -> Outcome:
    """Send all of them, one after the other, to one server."""
    told = Outcome()
    with opened(folder) as office, device() as trap:
        (folder / "secrets").mkdir(exist_ok=True)
        (folder / "secrets" / "devices").write_text(f"secret\nfor {trap}\n")
        office.let_in("hostile")
        worker = Worker(office, "hostile")
        made = worker.once("POST", "/api/networks", json={"text": DEMO.read_text(encoding="utf-8")})
        base = f"/api/networks/{made.raise_for_status().json()['id']}"
        worker.get(f"{base}/findings")
        told.memory_before_mb = office.memory_mb()
        with watching(office) as most:
            for name, ask in hostile(base, worker, trap):
                _judge(told, name, ask, lambda: worker.get("/api/networks"))
        told.memory_most_mb, told.memory_after_mb = most(), office.memory_mb()
        if told.memory_most_mb - told.memory_before_mb > MOST_GROWTH_MB:
            told.wrong.append(f"memory grew from {told.memory_before_mb:.0f} to {told.memory_most_mb:.0f} MB")
        if office.killed or len(office.pids("server")) != 1:
            told.wrong.append("the server died")
    return told


def _judge(told: Outcome, name: str, ask: Any, revisions: Any) -> None:
    before, began = revisions(), time.monotonic()
    try:
        answer = ask()
    except httpx.HTTPError as error:  # cut off while it was still being sent
        told.told.append(f"{name}: cut off ({type(error).__name__})")
        answer = None
    seconds = time.monotonic() - began
    told.sent += 1
    told.slowest = max(told.slowest, seconds)
    if seconds > LONGEST_SECONDS:
        told.wrong.append(f"{name}: took {seconds:.0f} seconds")
    if answer is not None:
        try:
            body = answer.json()
        except ValueError:
            body = None
        detail = body.get("detail") or body.get("failed") if isinstance(body, dict) else None
        told.told.append(f"{name}: {answer.status_code} {str(detail)[:160]} ({seconds:.1f} s)")
        if not detail or answer.status_code >= 500:
            told.wrong.append(f"{name}: {answer.status_code} {answer.text[:200]}")
    if revisions() != before:
        told.wrong.append(f"{name}: changed something")


def hostile(base: str, worker: Worker, trap: str) -> Iterator[tuple[str, Any]]:
    """Each with its name and the request that sends it."""

    def bring(text: str, form: str = "document") -> Any:
        return lambda: worker.once("POST", f"{base}/to-come", json={"form": form, "text": text})

    def raw(body: Any, **headers: str) -> Any:
        sent = {"Content-Type": "application/json"} | headers
        return lambda: worker.once("POST", f"{base}/to-come", content=body, headers=sent)

    def chunks() -> Iterator[bytes]:
        yield b'{"form":"document","text":"'
        for _ in range(200):
            yield b"x" * MEGA
        yield b'"}'

    head = "sarvex: 1\nname: n\n"
    yield "65 MB, its length told", raw(b"x" * (65 * MEGA))
    yield "200 MB in pieces, its length not told", raw(chunks())
    yield "a length that is none", raw(b"{}", **{"Content-Length": "many"})
    yield "JSON 200,000 deep as the body", raw(b"[" * 200_000)
    yield (
        "a body packed with gzip",
        raw(gzip.compress(b"{}" + b" " * 50 * MEGA), **{"Content-Encoding": "gzip"}),
    )
    yield "a document of 60 MB that is one word", bring("x" * (60 * MEGA))
    yield "a document of 30 MB of one list", bring(head + "hosts: [" + "a," * (15 * MEGA) + "]")
    yield "JSON 100,000 deep", bring('{"sarvex":' + "[" * 100_000)
    yield "YAML 20,000 deep", bring(head + "hosts: " + "[" * 20_000)
    yield "YAML that doubles forty times", bring(
        head + "".join(f"a{i}: &a{i} [{'*a' + str(i - 1)}, {'*a' + str(i - 1)}]\n" if i else "a0: &a0 [x, x]\n" for i in range(40))
    )  # fmt: skip
    yield "YAML that makes objects", bring("!!python/object/apply:os.system [id]")
    yield "a number of a million digits", bring('{"sarvex": ' + "9" * MEGA + "}")
    yield "a thousand times the same key", bring(head + "description: a\n" * 1000)
    yield "groups within each other, 5,000 deep", bring(_groups(5_000))
    yield (
        "a group within itself",
        bring(head + "addresses: [{name: a, members: [b]}, {name: b, members: [a]}]"),
    )
    yield (
        "a mask of four million pieces",
        bring(head + "addresses: [{name: a, members: [10.0.0.0 mask 255.0.0.3]}]"),
    )
    yield (
        "a schedule of 100,000 windows",
        bring(head + "schedules: [{name: s, windows: [" + ", ".join(["mon 00:00-00:01"] * 100_000) + "]}]"),
    )
    yield (
        "a schedule that ends before it begins",
        bring(
            head + "schedules: [{name: s, windows: [mon 09:00-10:00], first: 9999-12-31, last: 0001-01-01}]"
        ),
    )
    yield (
        "access lists 50,000 deep",
        bring('{"ietf-access-control-list:acls":' + '{"acl":[' * 50_000, "lists"),
    )
    yield "CSV with one field of 20 MB", bring('segment,prefixes\n"' + "a" * 20 * MEGA, "csv")
    yield "CSV with a million columns", bring("segment,prefixes" + ",x" * MEGA + "\n", "csv")
    yield (
        "a question that repeats itself",
        lambda: worker.once("GET", f"{base}/answer", params={"q": "(" * 250 + "a to " * 50}),
    )
    yield (
        "a question that is too long",
        lambda: worker.once("GET", f"{base}/answer", params={"q": "a" * 5000}),
    )
    yield (
        "a password of 10 MB",
        lambda: worker.once("POST", "/api/session", json={"login": "hostile", "password": "x" * 10 * MEGA}),
    )
    devices = worker.get(f"{base}/ground")["devices"]
    device_id = devices[0]["id"]

    def link(address: str, secret: str = "devices") -> Any:
        body = {"address": address, "login": "sarvex", "secret": secret}
        return lambda: worker.once("PUT", f"{base}/links/{device_id}", json=body)

    for address in (
        "file:///etc/passwd", "ftp://127.0.0.1/", "http://169.254.169.254/latest", "http://10.44.90.5/", "http://0/",
        "https://a:b@127.0.0.1/", "http://localhost.example/", "gopher://127.0.0.1:3306/", "//127.0.0.1", "",
        "http://127.0.0.1/?x=y", "http://127.0.0.1:99999/", "http://[::1", "http://127.0.0.1\r\nX: y",
    ):  # fmt: skip
        yield f"a device at {address!r}", link(address)

    def drift(path: str, secret: str = "devices") -> Any:
        def ask() -> Any:
            answer = link(trap + path, secret)()
            if answer.status_code != 204:
                return answer
            try:
                return worker.once("POST", f"{base}/links/{device_id}/drift")
            finally:
                worker.once("DELETE", f"{base}/links/{device_id}")

        return ask

    for path in ("/redirect", "/elsewhere", "/endless", "/entities", "/nonsense", "/deep", "/away"):
        yield f"a device that answers with {path[1:]}", drift(path)
    for secret in ("../database-password", "/etc/passwd", ".", "none"):
        yield f"a password file {secret}", drift("/plain", secret)


def _groups(count: int) -> str:
    groups = [{"name": f"g{i}", "members": [f"g{i + 1}"] * 2} for i in range(count)]
    return json.dumps(
        {"sarvex": 1, "name": "n", "addresses": [*groups, {"name": f"g{count}", "members": []}]}
    )


@contextmanager
def watching(office: Office) -> Iterator[Any]:
    """The most memory that the server held meanwhile."""
    most, stop = [0.0], threading.Event()

    def look() -> None:
        while not stop.wait(0.05):
            most[0] = max(most[0], office.memory_mb())

    thread = threading.Thread(target=look)
    thread.start()
    try:
        yield lambda: most[0]
    finally:
        stop.set()
        thread.join()


class _Trap(BaseHTTPRequestHandler):
    """A device that means harm."""

    def do_GET(self) -> None:
        kind = self.path.split("/")[1]
        if kind == "redirect":
            self.send_response(302)
            self.send_header("Location", "http://169.254.169.254/")
            self.end_headers()
            return
        if kind == "away":
            self.connection.close()
            return
        self.send_response(200)
        self.end_headers()
        link = "<XRD xmlns='http://docs.oasis-open.org/ns/xri/xrd-1.0'><Link rel='restconf' href='{}'/></XRD>"
        bodies = {
            "elsewhere": link.format("//169.254.169.254/restconf"),
            "entities": "<!DOCTYPE x [<!ENTITY a 'aaaa'><!ENTITY b '&a;&a;'>]><x>&b;</x>",
            "nonsense": "\0\1\2", "deep": "<a>" * 20_000, "plain": "<a/>",
        }  # fmt: skip
        try:
            if kind == "endless":
                for _ in range(400):
                    self.wfile.write(b"x" * MEGA)
            else:
                self.wfile.write(bodies[kind].encode())
        except OSError:
            pass  # whoever asked had enough

    def log_message(self, format: str, *args: Any) -> None:
        pass


@contextmanager
def device() -> Iterator[str]:
    """Serve the trap on loopback; its address."""
    server = ThreadingHTTPServer(("127.0.0.1", 0), _Trap)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()
        server.server_close()
