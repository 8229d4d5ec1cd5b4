"""The records of a server elsewhere, over its API, with a token."""

from __future__ import annotations

import os
import secrets
from types import TracebackType
from typing import Any, cast

import httpx2 as httpx

from sarvex.core.model.differences import Difference
from sarvex.core.model.problems import Problem
from sarvex.core.model.records import Network, fold
from sarvex.formats import document
from sarvex.service.errors import NotFound, Refused
from sarvex.service.releases.restconf import check_address

TOKEN = "SARVEX_TOKEN"
"""The environment's variable with the token: an argument could be read by whoever lists the processes."""
SECONDS = 120.0


class Unanswered(RuntimeError):
    """A server could not be asked, or did not do what it was asked; the message says why."""


class Server:
    """A server's networks by name. Neither redirects nor proxies of the environment are followed: a token goes to nobody else."""

    def __init__(self, url: str) -> None:
        token = os.environ.get(TOKEN, "")
        if wrong := check_address(url) or ("" if token else f"put a token of yours into {TOKEN}"):
            raise Unanswered(f"{url}: {wrong}")
        self._url = url
        self._http = httpx.Client(
            base_url=url, headers={"Authorization": f"Bearer {token}"}, timeout=SECONDS, follow_redirects=False,
            trust_env=False,
        )  # fmt: skip

    def __enter__(self) -> Server:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._http.close()

    def export(self, name: str) -> Network:
        """A network. Raises `NotFound`, `Unanswered`."""
        return document.load(self._ask("GET", f"/{self._named(name)}/document?form=json").text)

    def settle(self, name: str, text: str) -> list[Difference]:
        """Bring a draft to what a text wants; what that changed. Raises `Refused`, `NotFound`, `Unanswered`."""
        told = self._ask("POST", f"/{self._named(name)}/settle", {"text": text, **_once()}).json()
        return _differences(told)

    def import_new(self, text: str) -> None:
        """Make a network of a document. Raises `Refused`, `Unanswered`."""
        self._ask("POST", "", {"text": text})

    def bring_in(self, name: str, form: str, text: str) -> tuple[list[Difference], list[str]]:
        """Let a network become a document, or have access lists; what that changed, and what the text could not tell. Raises
        `Refused`, `NotFound`, `Unanswered`."""
        number = self._named(name)
        told = self._ask("POST", f"/{number}/to-come", {"form": form, "text": text}).json()
        if told["differences"]:
            looked_at = {"form": form, "text": text, "revision": told["revision"], **_once()}
            self._ask("POST", f"/{number}/bring-in", looked_at)
        return _differences(told), told["notes"]

    def find(self, name: str) -> int | None:
        """The number of a network. Raises `Unanswered`."""
        there = self._ask("GET", "").json()
        return next((cast(int, one["id"]) for one in there if fold(one["name"]) == fold(name)), None)

    def _named(self, name: str) -> int:
        number = self.find(name)
        if number is None:
            raise NotFound(f"no network is called {name!r} on {self._url}, or the token is not for it")
        return number

    def _ask(self, method: str, path: str, body: dict[str, Any] | None = None) -> httpx.Response:
        try:
            answer = self._http.request(method, f"/api/networks{path}", json=body)
        except httpx.HTTPError as error:
            raise Unanswered(f"{self._url} cannot be asked: {error}") from None
        if answer.is_success:
            return answer
        told = _told(answer)
        if answer.status_code == 422:
            problems = [Problem(tuple(p["path"]), p["message"]) for p in told.get("problems", [])]
            raise Refused(problems or [Problem((), str(told.get("detail")))])
        raise Unanswered(f"{self._url}: {told.get('detail') or f'it answered {answer.status_code}'}")


def _once() -> dict[str, str]:
    return {"request_key": secrets.token_urlsafe(16)}


def _told(answer: httpx.Response) -> dict[str, Any]:
    try:
        told = answer.json()
    except ValueError:
        return {}
    return told if isinstance(told, dict) else {}


def _differences(told: dict[str, Any]) -> list[Difference]:
    return [Difference(d["section"], d["name"], d["change"], tuple(d["what"])) for d in told["differences"]]
