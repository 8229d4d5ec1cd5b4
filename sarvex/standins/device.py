"""A filtering device that speaks RESTCONF (RFC 8040) and YANG Patch (RFC 8072), simulated.

It keeps RFC 8519 access lists and our own `sarvex-filtering` in one datastore with an ETag, takes both in one act or
refuses them, and forgets nothing when it is started again. It filters nothing. `faults` make it fail as devices do.
"""

from __future__ import annotations

import base64
import hashlib
import ipaddress
import json
import secrets
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Literal

import uvicorn
from fastapi import FastAPI, Request, Response

from sarvex.core.model.records import Device, Network, fold
from sarvex.formats.access_lists import ROOT
from sarvex.formats.device_config import FILTERING, PARTS
from sarvex.formats.device_yang import INTERFACES, ROUTING
from sarvex.service.releases.restconf import JSON, PATCH

Fault = Literal["unreachable", "slow", "refuses", "forgets", "dies half-way"]
HOST_META = '<?xml version="1.0"?><XRD xmlns="http://docs.oasis-open.org/ns/xri/xrd-1.0"><Link rel="restconf" href="/restconf"/></XRD>'


class StandIn:
    """The datastore of one device. `file` keeps it; none: in memory only."""

    def __init__(self, login: str, password: str, file: Path | None = None) -> None:
        self.expected = "Basic " + base64.b64encode(f"{login}:{password}".encode()).decode()
        self.file = file
        self.data: dict[str, Any] = json.loads(file.read_text()) if file and file.exists() else {}
        self.state: dict[str, Any] = {}
        """What it tells of its interfaces and routes (RFC 8343, 8344, 8349), which nobody sets from here."""
        self.faults: set[Fault] = set()
        self.lock = threading.Lock()
        self.replaced = 0

    @property
    def tag(self) -> str:
        return '"' + hashlib.sha256(json.dumps(self.data, sort_keys=True).encode()).hexdigest()[:16] + '"'

    def replace(self, data: dict[str, Any]) -> None:
        """All of it or nothing."""
        with self.lock:
            if self.file:
                fresh = self.file.with_suffix(".new")
                fresh.write_text(json.dumps(data))
                fresh.rename(self.file)
            self.data = data
            self.replaced += 1


def app(device: StandIn) -> FastAPI:
    """The device's RESTCONF server."""
    made = FastAPI(title="a simulated device", docs_url=None, redoc_url=None, openapi_url=None)

    @made.middleware("http")
    async def known(request: Request, call_next: Any) -> Response:
        if "unreachable" in device.faults:
            return Response(status_code=503)
        if "slow" in device.faults:
            time.sleep(0.5)
        given = request.headers.get("Authorization", "")
        if request.url.path.startswith("/restconf") and not secrets.compare_digest(given, device.expected):
            return _error(401, "access-denied", "sign in")
        answer: Response = await call_next(request)
        return answer

    @made.get("/.well-known/host-meta")
    def host_meta() -> Response:
        return Response(HOST_META, media_type="application/xrd+xml")

    @made.get("/restconf/yang-cache-version")
    def cache() -> Response:
        return _answer({"ietf-restconf:yang-cache-version": "2019-01-04"})

    @made.head("/restconf/data")
    def head() -> Response:
        return Response(headers={"ETag": device.tag}, media_type=JSON)

    @made.get("/restconf/data")
    def everything() -> Response:
        return _answer({"ietf-restconf:data": device.data}, device.tag)

    @made.get("/restconf/data/{part}")
    def get(part: str) -> Response:
        if part in device.state:
            return _answer({part: device.state[part]})
        if part not in (*PARTS, INTERFACES, ROUTING):
            return _error(400, "invalid-value", f"no such resource: {part}")
        if part not in device.data:
            return _error(404, "invalid-value", f"nothing there: {part}")
        return _answer({part: device.data[part]}, device.tag)

    @made.patch("/restconf/data")
    async def patch(request: Request) -> Response:
        if request.headers.get("Content-Type") != PATCH:
            return _error(415, "operation-not-supported", f"send {PATCH}")
        if request.headers.get("If-Match", device.tag) != device.tag:
            return _error(412, "operation-failed", "it was changed meanwhile")
        return _patch(device, (await request.json())["ietf-yang-patch:yang-patch"])

    return made


def _patch(device: StandIn, body: dict[str, Any]) -> Response:
    """All edits of a YANG Patch (RFC 8072), or none."""
    after = dict(device.data)
    for edit in body["edit"]:
        part = edit["target"].lstrip("/")
        if part not in PARTS or edit["operation"] not in ("replace", "remove"):
            return _error(400, "invalid-value", f"cannot {edit['operation']} {part}")
        if edit["operation"] == "remove":
            after.pop(part, None)
        else:
            after[part] = edit["value"][part]
    wrong = "it is told to refuse" if "refuses" in device.faults else _wrong(after)
    if wrong:
        return _error(400, "operation-failed", wrong)
    if "forgets" in device.faults and after.get(ROOT, {}).get("acl"):
        after = json.loads(json.dumps(after))
        after[ROOT]["acl"].pop()
    device.replace(after)
    if "dies half-way" in device.faults:
        return Response(status_code=502)
    return _answer({"ietf-yang-patch:yang-patch-status": {"patch-id": body["patch-id"], "ok": [None]}})


def _wrong(data: dict[str, Any]) -> str:
    """What a device would refuse: a list that is consulted and not there, names twice."""
    acls = [acl["name"] for acl in data.get(ROOT, {}).get("acl", [])]
    if len(acls) != len(set(acls)):
        return "two lists bear one name"
    for acl in data.get(ROOT, {}).get("acl", []):
        aces = [ace["name"] for ace in acl["aces"]["ace"]]
        if len(aces) != len(set(aces)):
            return f"two entries of {acl['name']} bear one name"
    missing = [c["acl"] for c in data.get(FILTERING, {}).get("consult", []) if c["acl"] not in acls]
    return f"the list {missing[0]} is consulted and not there" if missing else ""


def _answer(body: dict[str, Any], tag: str | None = None) -> Response:
    return Response(json.dumps(body), media_type=JSON, headers={"ETag": tag} if tag else None)


def _error(status: int, tag: str, message: str) -> Response:
    error = {"error-type": "application", "error-tag": tag, "error-message": message}
    return Response(
        json.dumps({"ietf-restconf:errors": {"error": [error]}}), status, media_type=JSON,
        headers={"WWW-Authenticate": 'Basic realm="device"'} if status == 401 else None,
    )  # fmt: skip


@contextmanager
def running(devices: dict[str, StandIn]) -> Iterator[dict[str, str]]:
    """Serve devices on loopback, each on a port of its own. Gives their addresses by name."""
    listeners = {name: socket.create_server(("127.0.0.1", 0)) for name in devices}
    ports = {name: listener.getsockname()[1] for name, listener in listeners.items()}
    apps = {ports[name]: app(device) for name, device in devices.items()}

    async def by_port(scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] == "http":
            await apps[scope["server"][1]](scope, receive, send)

    config = uvicorn.Config(by_port, log_level="warning", access_log=False, lifespan="off")
    server = uvicorn.Server(config)
    server.install_signal_handlers = lambda: None  # type: ignore[attr-defined]
    thread = threading.Thread(target=server.run, kwargs={"sockets": list(listeners.values())}, daemon=True)
    thread.start()
    try:
        yield {name: f"http://127.0.0.1:{port}" for name, port in ports.items()}
    finally:
        server.should_exit = True
        thread.join(timeout=10)


TYPE = {"physical": "ethernetCsmacd", "vlan": "l3ipvlan", "tunnel": "tunnel", "loopback": "softwareLoopback"}


def state_of(network: Network, device: Device) -> dict[str, Any]:
    """What a device tells of itself where all is as it is written: interfaces, the hosts that it has seen, routes."""
    segments = {fold(s.name): s for s in network.segments}
    listed = []
    for interface in device.interfaces:
        segment = segments.get(fold(interface.segment or ""))
        own = [ipaddress.ip_address(a) for a in interface.addresses]
        near = [
            ipaddress.ip_address(a)
            for h in network.hosts
            if segment and fold(h.segment) == fold(segment.name)
            for a in h.addresses
        ]
        one: dict[str, Any] = {
            "name": interface.name,
            "type": f"iana-if-type:{TYPE[interface.kind]}",
            "enabled": True,
        }
        for version in (4, 6):
            told = {
                "address": [
                    {"ip": str(a), "prefix-length": _length(a, segment.prefixes if segment else ())}
                    for a in own
                    if a.version == version
                ],
                "neighbor": [{"ip": str(a), "origin": "dynamic"} for a in near if a.version == version],
            }
            if told["address"]:
                one[f"ietf-ip:ipv{version}"] = told
        listed.append(one)
    ribs = [
        {
            "name": f"ipv{version}",
            "routes": {
                "route": [
                    _route(r, version)
                    for r in device.routes
                    if ipaddress.ip_network(r.prefix).version == version
                ]
            },
        }
        for version in (4, 6)
    ]
    return {INTERFACES: {"interface": listed}, ROUTING: {"ribs": {"rib": ribs}}}


def _length(address: Any, prefixes: tuple[str, ...]) -> int:
    holding = (ipaddress.ip_network(p) for p in prefixes)
    lengths = (n.prefixlen for n in holding if n.version == address.version and address in n)
    return max(lengths, default=address.max_prefixlen)


def _route(route: Any, version: int) -> dict[str, Any]:
    module = f"ietf-ipv{version}-unicast-routing"
    hop: dict[str, Any] = {"special-next-hop": "blackhole"} if route.discard else {}
    if route.via:
        hop[f"{module}:next-hop-address"] = route.via
    if route.interface:
        hop["outgoing-interface"] = route.interface
    return {
        f"{module}:destination-prefix": route.prefix,
        "next-hop": hop,
        "source-protocol": "ietf-routing:static",
    }
