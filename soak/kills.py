"""The server and its database are killed at random moments while people edit and release.

Afterwards every acknowledged edit must be there, once; nothing may be half done; and everything must have come back by
itself, save what was killed whole, which is only started again.
"""

from __future__ import annotations

import random
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from statistics import median
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.core.model.records import Network
from sarvex.formats import document
from sarvex.service import audit
from sarvex.service.editions import versions
from sarvex.service.releases import releases
from sarvex.service.releases.release_worker import ReleaseWorker
from sarvex.standins import device
from sarvex.standins.device import StandIn
from sarvex.store import database, past
from sarvex.store import tables as t
from soak.office import DEMO, Office, Part, Worker, opened

POLICY = "ramp-side"
PAUSES = (0.5, 3.0, 10.0)
"""Until the next kill, at most: also while it is only just back, and when it has been at work for a while."""
SECRET = "the devices' password"
KINDS: tuple[tuple[Part, ...], ...] = (("server",), ("database",), ("server", "database"), ("everything",))


@dataclass
class Series:
    """What a series did and found. `wrong`: every sentence is a failure."""

    edits: int = 0
    releases: int = 0
    kills: dict[str, int] = field(default_factory=dict)
    repeated: int = 0
    typical_down: float = 0.0
    longest_down: float = 0.0
    wrong: list[str] = field(default_factory=list)


def run(folder: Path, edits: int, released: int, kills: int, seed: int) -> Series:
    """One series: at least so many edits and releases, and so many kills among them."""
    rng = random.Random(seed)
    told = Series()
    standins = {name: StandIn("sarvex", SECRET) for name in ("eastpier-lock", "office-lock")}
    with opened(folder) as office, device.running(standins) as addresses:
        office.let_in("maren", "anders", "bo", "signe")
        before = document.load(DEMO.read_text(encoding="utf-8"))
        network_id = _prepared(office, addresses, before)
        killed = threading.Event()
        failed: list[str] = []
        editors = [
            Editor(office, login, network_id, rng.randrange(2**32)) for login in ("maren", "anders", "bo")
        ]
        releaser = Worker(office, "signe")
        done = [0]

        def guarded(act: Any, *args: Any) -> threading.Thread:
            def inside() -> None:
                try:
                    act(*args)
                except Exception as error:
                    failed.append(f"{act.__name__}: {type(error).__name__}: {error}")

            thread = threading.Thread(target=inside)
            thread.start()
            return thread

        def more() -> bool:
            enough = sum(e.edits for e in editors) >= edits and done[0] >= released
            return not failed and not (killed.is_set() and enough)

        def edit(who: Editor) -> None:
            while more():
                who.edit()

        def release() -> None:
            while more():
                done[0] += _release(releaser, network_id)

        threads = [*(guarded(edit, who) for who in editors), guarded(release)]
        for _ in range(kills):
            time.sleep(rng.choice(PAUSES) * rng.random())
            parts = rng.choice(KINDS)
            for part in parts:
                office.kill(part)
            name = " and ".join(parts)
            told.kills[name] = told.kills.get(name, 0) + 1
            office.wait()
        killed.set()
        for thread in threads:
            thread.join()
        told.wrong += failed
        told.edits, told.releases = sum(e.edits for e in editors), done[0]
        told.repeated = sum(w.tries - w.asked for w in [*(e.worker for e in editors), releaser])
        told.typical_down, told.longest_down = median(office.down or [0.0]), max(office.down, default=0.0)
        with database.opened(office.url()) as sessions, sessions() as session:
            told.wrong += _acknowledged(session, network_id, editors, before)
            told.wrong += _whole(session, network_id, before)
            told.wrong += _released(session, network_id, done[0])
            worker = ReleaseWorker(sessions.kw["bind"], folder / "secrets")
            for name in standins:
                drift, edition = worker.has(network_id, name)
                if drift or edition != versions.in_force(session, network_id):
                    told.wrong.append(f"{name} has edition {edition} and differs in {len(drift)} parts")
    return told


def _prepared(office: Office, addresses: dict[str, str], network: Network) -> int:
    """The demo network with devices that follow it."""
    secrets = office.folder / "secrets"
    secrets.mkdir(exist_ok=True)
    (secrets / "devices").write_text("\n".join([SECRET, *(f"for {a}" for a in addresses.values())]))
    worker = Worker(office, "signe")
    made = worker.once("POST", "/api/networks", json={"text": document.dump(network, "yaml")})
    made.raise_for_status()
    base = f"/api/networks/{made.json()['id']}"
    for one in worker.get(f"{base}/ground")["devices"]:
        if one["thing"]["name"] in addresses:
            link = {"address": addresses[one["thing"]["name"]], "login": "sarvex", "secret": "devices"}
            worker.once("PUT", f"{base}/links/{one['id']}", json=link).raise_for_status()
    return int(made.json()["id"])


class Editor:
    """Edits things of their own and remembers what was acknowledged."""

    def __init__(self, office: Office, login: str, network_id: int, seed: int) -> None:
        self.worker, self.rng = Worker(office, login), random.Random(seed)
        self.base = f"/api/networks/{network_id}"
        self.policy = next(p["id"] for p in self.worker.get(self.base)["policies"] if p["name"] == POLICY)
        self.rules: dict[str, str] = {}
        """Descriptions by name: what must be there."""
        self.gone: set[str] = set()
        self.names: set[str] = set()
        self.edits = 0

    def edit(self) -> None:
        act = self.rng.choice([self.add, self.add, self.describe, self.move, self.delete, self.name])
        if act in (self.describe, self.move, self.delete) and not self.rules:
            act = self.add
        act()

    def add(self) -> None:
        name = f"{self.worker.login} {self.edits}"
        rule = {
            "name": name, "action": self.rng.choice(["allow", "drop"]), "source": ["petrel"],
            "destination": [f"10.44.30.{self.rng.randrange(256)}"], "service": ["tcp/502"],
        }  # fmt: skip
        place = {"after": None, "before": self._rows()[0]["id"]}
        if self._told("POST", f"/policies/{self.policy}/rules", rule=rule, place=place):
            self.rules[name] = ""

    def describe(self) -> None:
        row = self._own()
        text = f"told in edit {self.edits}"
        rule = row["rule"] | {"description": text}
        if self._told("PUT", f"/policies/{self.policy}/rules/{row['id']}", rule=rule, ver=row["ver"]):
            self.rules[row["rule"]["name"]] = text

    def move(self) -> None:
        row = self._own()
        place = {"after": None, "before": self._rows()[0]["id"]}
        if place["before"] != row["id"]:
            path = f"/policies/{self.policy}/rules/{row['id']}/move"
            self._told("POST", path, place=place, ver=row["ver"])

    def delete(self) -> None:
        row = self._own()
        act = {"rules": [[row["id"], row["ver"]]], "act": "delete"}
        if self._told("POST", f"/policies/{self.policy}/rules/many", **act):
            del self.rules[row["rule"]["name"]]
            self.gone.add(row["rule"]["name"])

    def name(self) -> None:
        name = f"{self.worker.login}-{self.edits}"
        thing = {"name": name, "members": [f"10.44.34.{self.rng.randrange(256)}"]}
        if self._told("POST", "/names", kind="addresses", thing=thing):
            self.names.add(name)

    def _told(self, method: str, path: str, **body: Any) -> bool:
        """Whether it was acknowledged; a conflict is none. Anything else is an error."""
        answer = self.worker.send(method, self.base + path, **body)
        if answer.status_code == 409:
            return False
        answer.raise_for_status()
        self.edits += 1
        return True

    def _rows(self) -> list[Any]:
        rows: list[Any] = self.worker.get(f"{self.base}/policies/{self.policy}")["rows"]
        return rows

    def _own(self) -> Any:
        name = self.rng.choice(sorted(self.rules))
        return next(r for r in self._rows() if r["rule"]["name"] == name)


def _release(worker: Worker, network_id: int) -> int:
    """Keep the draft as an edition, release that, and see it through; 0 if nothing was edited since the last."""
    base = f"/api/networks/{network_id}"
    worker.once_more("POST", f"{base}/editions", json={"comment": "the next sailing"})
    edition = worker.get(f"{base}/editions")["editions"][0]["number"]
    seen = worker.get(f"{base}/releases/prospect", params={"number": edition})
    answers = {g["key"]: "so be it" for g in seen["guards"] if g["weight"] == "wants a reason"}
    made = worker.send(
        "POST", f"{base}/releases", number=edition, revision=0, reason="the next sailing", answers=answers
    )
    if made.status_code == 422:  # it is in force already
        return 0
    made.raise_for_status()
    number = made.json()["number"]
    while True:
        found = worker.get(f"{base}/releases")["releases"]
        state = next(r for r in found if r["number"] == number)["state"]
        if state == "in force":
            return 1
        if state == "stuck":  # the database went away while it was asked for what to send
            worker.once_more("POST", f"{base}/releases/{number}/retry")
        time.sleep(0.05)


def _acknowledged(session: Session, network_id: int, editors: list[Editor], before: Network) -> list[str]:
    """Every acknowledged edit is there once, and nothing that was not."""
    stored = past.network_at(session, network_id, _revision(session, network_id))
    assert stored is not None
    network = stored.network
    found = {r.name: r.description for r in network.policy(POLICY).rules}
    expected = {r.name: r.description for r in before.policy(POLICY).rules}
    for editor in editors:
        expected |= editor.rules
    wrong = [f"rule {n} is lost" for n in expected if n not in found]
    wrong += [f"rule {n} should not be there" for n in found if n not in expected]
    wrong += [f"rule {n} says {found[n]!r}, not {d!r}" for n, d in expected.items() if found.get(n, d) != d]
    names = {a.name for a in network.addresses}
    wanted = {a.name for a in before.addresses}.union(*(e.names for e in editors))
    return wrong + [f"name {n} is lost or should not be" for n in names ^ wanted]


def _whole(session: Session, network_id: int, before: Network) -> list[str]:
    """Taking back every change gives what was brought in; the audit holds and knows every change once."""
    wrong = []
    first = past.network_at(session, network_id, 0)
    if first is None or first.network != before:
        wrong.append("taking all changes back does not give what was brought in")
    own = select(t.Change.id, t.Change.revision).where(t.Change.network_id == network_id)
    changes = session.execute(own.order_by(t.Change.revision)).all()
    if [c.revision for c in changes] != list(range(1, _revision(session, network_id) + 1)):
        wrong.append("revisions are missing")
    audited = session.scalars(select(t.Audit.change_id).where(t.Audit.change_id.is_not(None))).all()
    if sorted(audited) != sorted(c.id for c in changes):
        wrong.append(f"{len(changes)} changes, {len(audited)} in the audit")
    checked = audit.verify(session)
    if checked.broken is not None:
        wrong.append(f"the audit's chain is broken at {checked.broken}: {checked.why}")
    return wrong


def _released(session: Session, network_id: int, done: int) -> list[str]:
    found = releases.listing(session, network_id)
    wrong = [f"release {r.number} is {r.state}" for r in found if r.state != "in force"]
    if len(found) != done:
        wrong.append(f"{done} releases were acknowledged, {len(found)} are there")
    if found and found[0].edition != versions.in_force(session, network_id):
        wrong.append("what is in force is not what was released last")
    return wrong


def _revision(session: Session, network_id: int) -> int:
    return session.get_one(t.Network, network_id).revision
