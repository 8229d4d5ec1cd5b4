"""Whatever the API's own description allows, and much that it does not, sent to every route; and documents that were mangled.

No answer may be an unhandled error, every refusal says what and where, and what was refused has changed nothing.
"""

from __future__ import annotations

import json
import random
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx2 as httpx
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis.errors import Unsatisfiable
from schemathesis import GenerationMode

from sarvex.api.app import create_app
from sarvex.formats import document
from soak.office import DEMO, Office, Worker, demo, opened

EXAMPLE = DEMO.parent.parent / "tests" / "data" / "worked-example.yaml"
LISTS = '{"ietf-access-control-list:acls":{"acl":[{"name":"a","type":"ipv4-acl-type","aces":{"ace":[{"name":"one","matches":{"ipv4":{"protocol":6,"source-ipv4-network":"10.44.0.0/16"},"tcp":{"destination-port":{"operator":"eq","port":443}}},"actions":{"forwarding":"accept"}}]}}]}}'
CSV = "segment,prefixes,vlan\nhangar,10.44.190.0/24,190\nkiosks,10.44.10.0/24;10.44.11.0/24,110\n"
FLOWS = "src,dst,proto,sport,dport,icmp_type,icmp_code\n10.44.60.20,10.44.30.10,icmp,,,8,0\n10.44.32.4,10.44.30.10,tcp,50000,443,,\n"
# These would end the session of whoever asks, or (signing in) are counted and then refused for a while.
LEFT_OUT = {
    ("DELETE", "/api/session"), ("DELETE", "/api/session/all/{handle}"), ("PUT", "/api/session/password"),
    ("POST", "/api/session"),
}  # fmt: skip
MOST_WRONG = 50


@dataclass
class Outcome:
    """How many were sent, how they were answered, and what was wrong."""

    sent: int = 0
    routes: int = 0
    answers: Counter[int] = field(default_factory=Counter)
    documents: int = 0
    wrong: list[str] = field(default_factory=list)


def run(folder: Path, requests: int, documents: int, seeded: int) -> Outcome:
    """About so many requests over all routes, and so many mangled documents."""
    with opened(folder) as office:
        return on(office, requests, documents, seeded)


def on(office: Office, requests: int, documents: int, seeded: int) -> Outcome:
    """The same on a server that is there."""
    told = Outcome()
    office.let_in("fuzzer", "scapegoat")
    target = Target(office, told)
    schema = schemathesis.openapi.from_dict(create_app("mysql+pymysql://unused@127.0.0.1/unused").openapi())
    operations = [
        o
        for o in (found.ok() for found in schema.get_all_operations())
        if (o.method.upper(), o.path) not in LEFT_OUT
    ]
    told.routes = len(operations)
    each = -(-requests // (2 * len(operations)))
    for at, operation in enumerate(operations):
        for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE):
            if len(told.wrong) < MOST_WRONG:
                _fuzz(operation, mode, target, each, seeded + at)
    target.mangled(documents, random.Random(seeded))
    return told


def _fuzz(operation: Any, mode: GenerationMode, target: Target, examples: int, seeded: int) -> None:
    strategy = operation.as_strategy(generation_mode=mode)
    if strategy.is_empty:
        return

    @seed(seeded)
    @settings(
        max_examples=examples, deadline=None, database=None, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=strategy)
    def send(case: Any) -> None:
        target.send(case)

    with suppress(Unsatisfiable):  # nothing can be wrong with a route that takes nothing
        send()


class Target:
    """A served network, its ids, and what must hold of every answer."""

    def __init__(self, office: Office, told: Outcome) -> None:
        self.office, self.told, self.rng = office, told, random.Random(1)
        self.worker = Worker(office, "fuzzer")
        made = self.worker.once("POST", "/api/networks", json=demo("fuzzed"))
        self.network = int(made.raise_for_status().json()["id"])
        self.base = f"/api/networks/{self.network}"
        self.known_revisions = self.revisions()

    def ids(self) -> dict[str, int]:
        """What stands for the variables of a path, now."""
        whole = self.worker.get(self.base)
        policy = self.rng.choice(whole["policies"])["id"]
        rows = self.worker.get(f"{self.base}/policies/{policy}")["rows"]
        names = self.worker.get(f"{self.base}/names")
        devices = self.worker.get(f"{self.base}/ground")["devices"]
        people = self.worker.get("/api/people")
        return {
            "network_id": self.network, "policy_id": policy,
            "rule_id": self.rng.choice(rows)["id"] if rows else 1,
            "name_id": self.rng.choice(names)["id"], "thing_id": self.rng.choice(names)["id"],
            "device_id": self.rng.choice(devices)["id"], "number": 1, "section_id": 1,
            "person_id": next(p["id"] for p in people if p["login"] == "scapegoat"),
        }  # fmt: skip

    def send(self, case: Any) -> None:
        if self.told.sent % 50 == 0:
            self.known = self.ids()
        for name in case.path_parameters or {}:
            if name in self.known and (name == "person_id" or self.rng.random() < 0.85):
                case.path_parameters[name] = self.known[name]
        sent = case.as_transport_kwargs(base_url=self.office.address)
        method, url = sent.pop("method"), sent.pop("url")
        headers = {
            k: v for k, v in (sent.pop("headers", None) or {}).items() if _sendable(k) and _sendable(v)
        }
        headers.pop("Authorization", None)
        more = {k: v for k, v in sent.items() if k in ("params", "json", "data") and v is not None}
        if isinstance(more.get("data"), str | bytes):
            more["content"] = more.pop("data")
        self.judge(f"{method} {case.path}", lambda: self.worker.once(method, url, headers=headers, **more))

    def judge(self, what: str, ask: Callable[[], httpx.Response]) -> httpx.Response | None:
        """Ask, and look at the answer and at what it left behind."""
        before = self.known_revisions
        try:
            answer = ask()
        except (UnicodeError, httpx.InvalidURL, TypeError, ValueError):
            return None  # it cannot be sent at all
        self.told.sent += 1
        self.told.answers[answer.status_code] += 1
        wrong = self.told.wrong
        if answer.status_code >= 500:
            wrong.append(
                f"{what}: {answer.status_code} {answer.text[:300]} asked {answer.request.content[:300]!r}"
            )
        elif answer.status_code == 401:
            wrong.append(f"{what}: the session is gone")
            self.worker.sign_in()
        elif answer.status_code >= 400:
            told = answer.json()
            if not told.get("detail") or told.get("status") != answer.status_code:
                wrong.append(f"{what}: a refusal that says nothing: {answer.text[:300]}")
            if self.revisions() != before:
                wrong.append(f"{what}: refused with {answer.status_code}, and changed something")
        if answer.status_code < 400 and answer.request.method != "GET":
            self.known_revisions = self.revisions()
        return answer

    def revisions(self) -> Any:
        """What every change of a network changes."""
        return self.worker.get("/api/networks")

    def mangled(self, count: int, rng: random.Random) -> None:
        """Documents of every form with something wrong, looked at, brought in, made a network of, decided."""
        whole = EXAMPLE.read_text(encoding="utf-8")
        forms = {
            "document": [whole, document.dump(document.load(whole), "json")], "csv": [CSV], "lists": [LISTS],
            "device": ['{"ietf-interfaces:interfaces":{"interface":[{"name":"eth0","type":"x"}]}}'],
        }  # fmt: skip
        for _ in range(count):
            form = rng.choice(sorted(forms))
            text = mangle(rng.choice(forms[form]), rng)
            body = {"form": form, "text": text, "device": rng.choice(["", "eastpier-lock"])}
            act = rng.random()
            if act < 0.6:
                path, sent = f"{self.base}/to-come", body
            elif act < 0.8:
                revision = self.worker.get(self.base)["revision"]
                path, sent = f"{self.base}/bring-in", body | {"revision": revision}
                if form == "document":  # else the network would become the example
                    path, sent = f"{self.base}/to-come", body
            else:
                policy = self.worker.get(self.base)["policies"][0]["id"]
                path, sent = f"{self.base}/policies/{policy}/decide", {"text": mangle(FLOWS, rng), "at": None}
            self.told.documents += 1
            self.judge(
                f"mangled {path}", lambda path=path, sent=sent: self.worker.once("POST", path, json=sent)
            )


def mangle(text: str, rng: random.Random) -> str:
    """A text with a few things wrong."""
    for _ in range(rng.randint(1, 3)):
        lines = text.split("\n")
        at = rng.randrange(len(lines))
        place = rng.randrange(len(text) + 1)
        kind = rng.randrange(8)
        if kind == 0:
            text = text[:place]
        elif kind == 1:
            del lines[at]
            text = "\n".join(lines)
        elif kind == 2:
            lines.insert(rng.randrange(len(lines)), lines[at])
            text = "\n".join(lines)
        elif kind == 3:
            lines[at] = "  " * rng.randint(0, 4) + lines[at].strip()
            text = "\n".join(lines)
        elif kind == 4:
            odd = rng.choice(["\0", "\ud83d", "\u202e", "&a", "*a", "!!python/object:os.system", "{", "]", '"', "\t", "99999999999999999999", "-1", "1e400", "NaN", "null", "'"])  # fmt: skip
            text = text[:place] + odd + text[place:]
        elif kind == 5:
            words = text.split(" ")
            one, other = rng.randrange(len(words)), rng.randrange(len(words))
            words[one], words[other] = words[other], words[one]
            text = " ".join(words)
        elif kind == 6:
            text = _reshaped(text, rng)
        else:
            text = text[:place] + text[place + rng.randint(1, 40) :]
    return text


def _reshaped(text: str, rng: random.Random) -> str:
    """JSON with a value of another type somewhere."""
    try:
        data = json.loads(text)
    except ValueError:
        return text.swapcase()
    odd = rng.choice([None, True, -1, 2**70, 1.5, "", "x" * 5000, [], {}, [[]], {"a": {}}])
    node = data
    while isinstance(node, dict | list) and node:
        key = rng.choice(list(node)) if isinstance(node, dict) else rng.randrange(len(node))
        if rng.random() < 0.3 or not isinstance(node[key], dict | list):
            node[key] = odd
            break
        node = node[key]
    return json.dumps(data)


def _sendable(text: Any) -> bool:
    return isinstance(text, str) and text.isascii() and text.isprintable()
