"""A device's configuration over RESTCONF (RFC 8040), replaced in one act by YANG Patch (RFC 8072)."""

from __future__ import annotations

import json
import time
import xml.etree.ElementTree as ET
from collections.abc import Iterable
from types import TracebackType
from typing import Any
from urllib.parse import urlsplit

import httpx2 as httpx

from sarvex.formats.device_config import PARTS, Data

LARGEST = 64_000_000
LARGEST_HEAD = 65_536
SECONDS = 15.0
LONGEST = 120.0
"""Seconds until something must have come, and until all of an answer must have."""
XRD = "{http://docs.oasis-open.org/ns/xri/xrd-1.0}"
JSON, PATCH = "application/yang-data+json", "application/yang-patch+json"
LOCAL = ("127.0.0.1", "::1", "localhost")


class DeviceFailed(RuntimeError):
    """A device did not do what it was asked; the message says what it did instead."""


def check_address(address: str) -> str:
    """Why an address is none to send configurations, or a token, to; nothing if it is one."""
    try:
        parts = urlsplit(address)
        known = parts.scheme in ("http", "https") and parts.hostname and parts.port != 0
    except ValueError:
        known = False
    if not known or not address.isprintable():
        return "an address such as https://10.44.90.21 is expected"
    if parts.scheme == "http" and parts.hostname not in LOCAL:
        return "use https: neither a configuration nor what is secret is sent in the clear, but on this machine itself"
    if parts.username or parts.password or parts.query or parts.fragment:
        return "only scheme, host, port and path; what is secret does not stand in an address"
    return ""


class Connection:
    """One device, for a few requests, all of them within so many seconds. Redirects are not followed; answers are bounded in
    size."""

    def __init__(
        self, address: str, login: str, password: str, transport: Any = None, seconds: float = LONGEST
    ) -> None:
        self.within(seconds)
        self._http = httpx.Client(
            base_url=address, auth=(login, password), timeout=SECONDS, follow_redirects=False, transport=transport,
            trust_env=False,
        )  # fmt: skip
        self._root: str | None = None

    def within(self, seconds: float) -> Connection:
        """Have everything from now on done in so many seconds."""
        self._seconds, self._until = seconds, time.monotonic() + seconds
        return self

    def __enter__(self) -> Connection:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._http.close()

    def fetch(self) -> tuple[Data, str | None]:
        """The parts of `PARTS` that the device has, and the tag of its datastore. Raises `DeviceFailed`."""
        data = self.read(PARTS)
        tag = self._ask("HEAD", self._data()).headers.get("ETag")
        return data, tag

    def read(self, parts: Iterable[str]) -> Data:
        """Those of some parts that the device has. Raises `DeviceFailed`."""
        data: Data = {}
        for part in parts:
            answer = self._ask("GET", f"{self._data()}/{part}", headers={"Accept": JSON})
            if answer.status_code == 404:
                continue
            _expect(answer, 200)
            body = _json(answer)
            if not isinstance(body, dict) or set(body) != {part}:
                raise DeviceFailed(f"it answers with other data than {part}")
            data |= body
        return data

    def replace(self, wanted: Data, tag: str | None) -> None:
        """Replace all of it or nothing, if the datastore is still as it was. Raises `DeviceFailed`."""
        edits = [
            {"edit-id": part, "operation": "replace", "target": f"/{part}", "value": {part: wanted[part]}}
            if part in wanted
            else {"edit-id": part, "operation": "remove", "target": f"/{part}"}
            for part in PARTS
        ]
        body = {"ietf-yang-patch:yang-patch": {"patch-id": "sarvex", "edit": edits}}
        headers = {"Content-Type": PATCH, "Accept": JSON, **({"If-Match": tag} if tag else {})}
        answer = self._ask("PATCH", self._data(), content=json.dumps(body), headers=headers)
        if answer.status_code == 412:
            raise DeviceFailed("somebody else changed it meanwhile; look at it and try again")
        _expect(answer, 200, 204)

    def _data(self) -> str:
        """The datastore's path, by RFC 8040 section 3.1."""
        if self._root is None:
            answer = self._ask("GET", "/.well-known/host-meta", headers={"Accept": "application/xrd+xml"})
            _expect(answer, 200)
            if len(answer.content) > LARGEST_HEAD or b"<!" in answer.content:
                raise DeviceFailed("its host-meta is not one")
            try:
                links = ET.fromstring(answer.content).iter(f"{XRD}Link")
                href = next(link.get("href") for link in links if link.get("rel") == "restconf")
            except (ET.ParseError, StopIteration):
                raise DeviceFailed(
                    "its host-meta tells no RESTCONF root; is this its RESTCONF address?"
                ) from None
            if not href or not href.startswith("/") or href.startswith("//"):
                raise DeviceFailed(f"its RESTCONF root lies elsewhere: {href}")
            self._root = href.rstrip("/")
        return f"{self._root}/data"

    def _ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        left = self._until - time.monotonic()
        if left <= 0:
            raise DeviceFailed(f"it takes more than {self._seconds:g} seconds")
        try:
            with self._http.stream(method, path, timeout=min(SECONDS, left), **more) as answer:
                body = bytearray()
                for piece in answer.iter_bytes():
                    body += piece
                    if len(body) > LARGEST:
                        raise DeviceFailed("its answer is too long")
                    if time.monotonic() > self._until:
                        raise DeviceFailed(f"its answer takes more than {self._seconds:g} seconds")
                return httpx.Response(answer.status_code, headers=_plain(answer.headers), content=bytes(body))
        except httpx.TimeoutException:
            raise DeviceFailed(f"it does not answer within {min(SECONDS, left):.2g} seconds") from None
        except httpx.HTTPError as error:
            raise DeviceFailed(f"it cannot be reached: {error}") from None


def _plain(headers: Any) -> dict[str, str]:
    """The headers that still hold for the body as it was read."""
    return {
        k: v
        for k, v in headers.items()
        if k.lower() not in ("content-encoding", "content-length", "transfer-encoding")
    }


def _json(answer: httpx.Response) -> Any:
    try:
        return answer.json()
    except (ValueError, RecursionError):
        raise DeviceFailed("its answer is no JSON") from None


def _expect(answer: httpx.Response, *codes: int) -> None:
    if answer.status_code in codes:
        return
    if answer.status_code == 401:
        raise DeviceFailed("it refuses the name or the password")
    told = ""
    try:
        errors = answer.json()["ietf-restconf:errors"]["error"]
        told = "; ".join(str(e.get("error-message") or e.get("error-tag")) for e in errors)
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        pass
    raise DeviceFailed(f"it answers {answer.status_code}" + (f": {told[:500]}" if told else ""))
