"""Several people edit one policy at once, as fast as they can. No edit may be lost or done twice, and every conflict is told."""

from __future__ import annotations

import random
import threading
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from sarvex.store import database
from sarvex.store import tables as t
from soak.kills import POLICY
from soak.office import Office, Worker, demo, opened


@dataclass(frozen=True)
class Edit:
    """One acknowledged edit: what of which rule, over which version, and the revision that it made."""

    login: str
    what: str
    rule: int
    over: int | None
    revision: int
    said: str = ""


@dataclass
class Outcome:
    """What came of it. `wrong`: every sentence is a failure."""

    edits: int = 0
    conflicts: int = 0
    wrong: list[str] = field(default_factory=list)


def run(folder: Path, clients: int, edits: int, seed: int) -> Outcome:
    """So many acknowledged edits in all, from so many people."""
    with opened(folder) as office:
        return on(office, clients, edits, seed)


def on(office: Office, clients: int, edits: int, seed: int) -> Outcome:
    """The same on a server that is there."""
    told = Outcome()
    logins = [f"editor-{n}" for n in range(clients)]
    office.let_in(*logins)
    maker = Worker(office, logins[0])
    made = maker.once("POST", "/api/networks", json=demo("edited"))
    network_id = int(made.raise_for_status().json()["id"])
    left = iter(range(edits))
    desks = [
        Desk(office, login, network_id, seed + at, maker if at == 0 else None)
        for at, login in enumerate(logins)
    ]
    turn, failed = threading.Lock(), []

    def work(desk: Desk) -> None:
        try:
            while True:
                with turn:
                    if next(left, None) is None:
                        return
                while not desk.edit():
                    pass
        except Exception as error:
            failed.append(f"{desk.worker.login}: {type(error).__name__}: {error}")

    threads = [threading.Thread(target=work, args=(desk,)) for desk in desks]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    done = [edit for desk in desks for edit in desk.done]
    told.edits, told.conflicts = len(done), sum(desk.conflicts for desk in desks)
    told.wrong += failed + [text for desk in desks for text in desk.wrong]
    final = maker.get(f"/api/networks/{network_id}/policies/{desks[0].policy}")["rows"]
    told.wrong += _replayed(done, final)
    with database.opened(office.url()) as sessions, sessions() as session:
        told.wrong += _recorded(session, network_id, done)
    return told


class Desk:
    """One person, who edits any rule, from a page that may be some edits old."""

    def __init__(self, office: Office, login: str, network_id: int, seed: int, worker: Worker | None) -> None:
        self.worker = worker or Worker(office, login)
        self.rng = random.Random(seed)
        base = f"/api/networks/{network_id}"
        policies = self.worker.get(base)["policies"]
        self.policy = int(next(p["id"] for p in policies if p["name"] == POLICY))
        self.base = f"{base}/policies/{self.policy}"
        self.rows: list[Any] = []
        self.done: list[Edit] = []
        self.conflicts = 0
        self.wrong: list[str] = []

    def edit(self) -> bool:
        """One edit; False if somebody else came first, and that was told."""
        if not self.rows or self.rng.random() < 0.3:  # else from what was seen last
            self.rows = self.worker.get(self.base)["rows"]
        act = self.rng.choice(
            [self._add, self._describe, self._describe, self._move, self._move, self._delete]
        )
        what, rule, over, said, answer = act()
        if answer.status_code in (404, 409):
            told = answer.json()
            if not told.get("detail"):
                self.wrong.append(f"a conflict that says nothing: {told}")
            self.conflicts += 1
            self.rows = []
            return False
        answer.raise_for_status()
        after = answer.json()
        self.rows = after["policy"]["rows"]
        if what == "move rule" and any(row["id"] == rule and row["ver"] == over for row in self.rows):
            return False  # to where it stood: that leaves nothing behind
        rule = rule or int(after["rule_id"])
        self.done.append(Edit(self.worker.login, what, rule, over, int(after["policy"]["revision"]), said))
        return True

    def _row(self) -> Any:
        return self.rng.choice(self.rows)

    def _place(self, moved: int | None) -> dict[str, int | None]:
        ids = [r["id"] for r in self.rows if r["id"] != moved]
        at = self.rng.randint(0, len(ids))
        return {"after": ids[at - 1] if at else None, "before": ids[at] if at < len(ids) else None}

    def _add(self) -> tuple[str, int, int | None, str, Any]:
        name = f"{self.worker.login} {self.worker.asked}"
        rule = {
            "name": name, "action": "drop", "source": ["petrel"], "destination": ["any"],
            "service": [f"tcp/{self.rng.randrange(65536)}"],
        }  # fmt: skip
        answer = self.worker.send("POST", f"{self.base}/rules", rule=rule, place=self._place(None))
        return "add rule", 0, None, "", answer

    def _describe(self) -> tuple[str, int, int | None, str, Any]:
        row, text = self._row(), f"{self.worker.login} {self.worker.asked}"
        answer = self.worker.send(
            "PUT", f"{self.base}/rules/{row['id']}", rule=row["rule"] | {"description": text}, ver=row["ver"]
        )
        return "change rule", row["id"], row["ver"], text, answer

    def _move(self) -> tuple[str, int, int | None, str, Any]:
        row = self._row()
        answer = self.worker.send(
            "POST", f"{self.base}/rules/{row['id']}/move", place=self._place(row["id"]), ver=row["ver"]
        )
        return "move rule", row["id"], row["ver"], "", answer

    def _delete(self) -> tuple[str, int, int | None, str, Any]:
        if len(self.rows) < 12:
            return self._add()
        row = self._row()
        act = {"rules": [[row["id"], row["ver"]]], "act": "delete"}
        return (
            "delete rule",
            row["id"],
            row["ver"],
            "",
            self.worker.send("POST", f"{self.base}/rules/many", **act),
        )


def _replayed(done: list[Edit], final: list[Any]) -> list[str]:
    """The acknowledged edits in the order of their revisions give what is there."""
    wrong = []
    version: dict[int, int] = {}
    said: dict[int, str] = {}
    gone = set()
    for edit in sorted(done, key=lambda e: e.revision):
        if edit.over is not None:
            if edit.rule in gone:
                wrong.append(f"{edit} of a rule that was deleted")
            if version.get(edit.rule, edit.over) != edit.over:
                wrong.append(f"{edit} was made over an edit that its maker had not seen")
            version[edit.rule] = edit.over + 1
        if edit.what == "delete rule":
            gone.add(edit.rule)
        if edit.what == "change rule":
            said[edit.rule] = edit.said
    there = {r["id"]: r for r in final}
    wrong += [f"rule {i} was deleted and is there" for i in gone & set(there)]
    added = {e.rule for e in done if e.what == "add rule"}
    wrong += [f"rule {i} was added and is lost" for i in added - gone - set(there)]
    wrong += [
        f"rule {i} says {there[i]['rule']['description']!r}, not {text!r}"
        for i, text in said.items()
        if i in there and there[i]["rule"]["description"] != text
    ]
    return wrong


def _recorded(session: Session, network_id: int, done: list[Edit]) -> list[str]:
    """As many changes in the records as were acknowledged, each by who made it."""
    rows = session.execute(
        select(t.Change.revision, t.Person.login)
        .join(t.Person, t.Person.id == t.Change.person_id)
        .where(t.Change.network_id == network_id)
    ).all()
    told, kept = sorted((e.revision, e.login) for e in done), sorted((r.revision, r.login) for r in rows)
    return [] if told == kept else [f"{len(told)} edits were acknowledged, {len(kept)} are in the records"]
