"""What happens to releases by itself: planned ones begin, devices are written, unconfirmed ones go back.

Each step is one transaction that reads the state anew, so a step that was cut off is simply done again: a device
is given all of its configuration every time. A named lock of the database lets one worker at a time work on a
network, however many servers run.
"""

from __future__ import annotations

import json
import logging
import threading
import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, select
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from sarvex.formats import device_config, device_yang
from sarvex.formats.device_config import Data
from sarvex.formats.document import InvalidDocument
from sarvex.service import audit
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.editions.versions import rooted
from sarvex.service.releases import releases, secrets
from sarvex.service.releases.restconf import LONGEST, Connection, DeviceFailed
from sarvex.store import database
from sarvex.store import tables as t
from sarvex.store.editions import Damaged

log = logging.getLogger("sarvex.worker")
EVERY = 0.5
"""Seconds between two looks."""
NETWORKS = 8
"""So many networks' devices are spoken to at a time."""
Connect = Callable[[str, str, str], Connection]


class ReleaseWorker:
    """Looks after the releases of all networks. `secrets`: the folder with the devices' passwords."""

    def __init__(self, engine: Engine, secrets: Path, connect: Connect = Connection) -> None:
        self.engine, self.secrets, self._connect = engine, secrets, connect
        self._sessions: sessionmaker[Session] = database.sessions(engine)
        self._stop = threading.Event()
        self._threads: list[threading.Thread] = []
        self._cache = NetworkCache()
        self._beside = ThreadPoolExecutor(NETWORKS, "releases")
        self._looking: dict[int, Future[None]] = {}

    def start(self) -> None:
        """Look again and again: at deadlines in a thread of its own, which waits for nothing, and at what takes longer in
        one for each network."""
        for name, act in (("deadlines", self.look_at_deadlines), ("networks", self._look_beside)):
            self._threads.append(threading.Thread(target=self._run, args=(act,), name=name, daemon=True))
            self._threads[-1].start()

    def stop(self) -> None:
        """End after the step under way; who speaks to a device is not waited for."""
        self._stop.set()
        for thread in self._threads:
            thread.join()
        self._beside.shutdown(wait=False, cancel_futures=True)

    def _run(self, act: Callable[[], None]) -> None:
        while not self._stop.wait(EVERY):
            with _tried("look for releases"):
                act()

    def look(self) -> None:
        """Do whatever is due now, in every network."""
        self.look_at_deadlines()
        for network_id in self._networks():
            self.look_after(network_id)

    def look_at_deadlines(self) -> None:
        """Take back what nobody confirmed in time. No device is spoken to, and nothing is worked out: whatever else hangs, this
        does not."""
        with self._sessions() as session:
            due = list(
                session.execute(
                    select(t.Release.id, t.Release.state).where(
                        t.Release.state.in_(releases.UNCONFIRMED), t.Release.confirm_by <= audit.now()
                    )
                )
            )
        for release_id, state in due:
            with _tried(f"take release {release_id} back"):
                self._step(release_id, state, lambda s, r: releases.go_back(s, r, "nobody confirmed in time"))

    def look_after(self, network_id: int) -> None:
        """Begin what is planned for now, and give devices what they wait for. What goes wrong does not keep other networks
        waiting."""
        with (
            _tried(f"look after network {network_id}"),
            database.only_one(self.engine, f"sarvex worker {network_id}") as alone,
        ):
            if alone:
                self._network(network_id)

    def _networks(self) -> list[int]:
        with self._sessions() as session:
            return sorted(
                set(session.scalars(select(t.Release.network_id).where(t.Release.state.in_(releases.OPEN))))
            )

    def _look_beside(self) -> None:
        for network_id in self._networks():
            last = self._looking.get(network_id)
            if last is None or last.done():
                self._looking[network_id] = self._beside.submit(self.look_after, network_id)

    def _network(self, network_id: int) -> None:
        row = self._under_way(network_id)
        if row is not None and row.state == "planned" and row.due_at <= audit.now():
            self._step(row.id, "planned", lambda s, r: releases.begin_planned(s, self._cache, r))
        row = self._under_way(network_id)
        if row is not None and row.state in ("being sent", "going back"):
            for device in self._waiting(row.id):
                if self._stop.is_set():
                    return
                self._send(row.id, device)

    def _under_way(self, network_id: int) -> t.Release | None:
        with self._sessions() as session:
            return session.scalar(
                select(t.Release).where(
                    t.Release.network_id == network_id, t.Release.state.in_(releases.OPEN)
                )
            )

    def _step(self, release_id: int, state: str, act: Callable[[Session, t.Release], None]) -> None:
        """One transaction on a release that is still in a state."""
        with self._sessions.begin() as session:
            row = self._locked(session, release_id)
            if row.state == state:
                act(session, row)

    def _locked(self, session: Session, release_id: int) -> t.Release:
        """The network's row first, then the release's: the order in which everybody takes them."""
        network_id = session.scalar(select(t.Release.network_id).where(t.Release.id == release_id))
        session.get(t.Network, network_id, with_for_update=True)
        return session.get_one(t.Release, release_id, with_for_update=True, populate_existing=True)

    # Devices ---------------------------------------------------------------------------------------------------------

    def _waiting(self, release_id: int) -> list[str]:
        with self._sessions() as session:
            return list(
                session.scalars(
                    select(t.ReleaseDevice.device)
                    .where(t.ReleaseDevice.release_id == release_id, t.ReleaseDevice.state == "waiting")
                    .order_by(t.ReleaseDevice.device)
                )
            )

    def _send(self, release_id: int, device: str) -> None:
        """Give one device what it should have. No transaction is open meanwhile."""
        with self._sessions() as session:
            state = session.get_one(t.Release, release_id).state
        try:
            with self._sessions() as session:
                row = session.get_one(t.Release, release_id)
                wanted = self._wanted(session, row, device)
                link = self._link(session, row.network_id, device)
            with self._connect(*link) as connection:
                has, tag = connection.fetch()
                if not self._tries(release_id, device, state, has):
                    return
                if has != wanted:
                    connection.replace(wanted, tag)
                    has, _ = connection.fetch()
            left = device_config.drift(wanted, has)
            if left:
                raise DeviceFailed("it took it and reports other data: " + _told(left))
        except KeyError:
            self._went(release_id, device, state, "failed", f"the edition has no device {device}")
        except (DeviceFailed, InvalidDocument, Damaged) as error:
            self._went(release_id, device, state, "failed", str(error))
        else:
            self._went(release_id, device, state, "done", "")

    def _wanted(self, session: Session, row: t.Release, device: str) -> Data:
        """The configuration of the edition that is in force now; of none, what the device had before."""
        back = row.state == "going back"
        edition_id = row.before_id if back else row.edition_id
        if edition_id is None:
            had = session.scalar(
                select(t.ReleaseDevice.had).where(
                    t.ReleaseDevice.release_id == row.id, t.ReleaseDevice.device == device
                )
            )
            kept: Data = json.loads(zlib.decompress(had)) if had else {}
            return kept
        edition = session.get_one(t.Edition, edition_id)
        version = rooted(session, row.network_id, edition.root, "")
        return device_config.build(version.network, version.loaded.names, device, edition.number)

    def _link(self, session: Session, network_id: int, device: str) -> tuple[str, str, str]:
        link = session.scalar(
            select(t.DeviceLink)
            .join(t.Thing, t.Thing.id == t.DeviceLink.device_id)
            .where(t.Thing.network_id == network_id, t.Thing.name == device)
        )
        if link is None:
            raise DeviceFailed("nobody says any more where it takes its configuration")
        try:
            return link.address, link.login, secrets.read_for(self.secrets, link.secret, link.address)
        except secrets.NoSecret as error:
            raise DeviceFailed(str(error)) from None

    def _tries(self, release_id: int, device: str, state: str, had: Data) -> bool:
        """Write down, before a device is touched, that it is, and what it had; False if the release turned around."""
        with self._sessions.begin() as session:
            if self._locked(session, release_id).state != state:
                return False
            row = session.get_one(t.ReleaseDevice, (release_id, device))
            if row.had is None:
                row.had = zlib.compress(json.dumps(had).encode())
            row.tries += 1
            row.at = audit.now()
            return True

    def _went(self, release_id: int, device: str, state: str, outcome: str, detail: str) -> None:
        """How it went; forgotten if the release turned around meanwhile, for then the device is written anew."""
        with self._sessions.begin() as session:
            row = self._locked(session, release_id)
            if row.state != state:
                return
            one = session.get_one(t.ReleaseDevice, (release_id, device), populate_existing=True)
            one.state, one.detail, one.at = outcome, detail, audit.now()
            session.flush()
            told: dict[str, Any] = {"device": device, "outcome": outcome, "detail": detail}
            audit.note(
                session, "Sarvex", f"device {outcome}", f"release {row.number}: {device}",
                network_id=row.network_id, detail=told,
            )  # fmt: skip
            releases.settle(session, row)

    def tells(self, network_id: int, device: str, seconds: float = LONGEST) -> device_config.Data:
        """What a device tells of its interfaces, routes and neighbours, asked within so many seconds. No transaction is open meanwhile.
        Raises `DeviceFailed`."""
        with self._sessions() as session:
            link = self._link(session, network_id, device)
        with self._connect(*link).within(seconds) as connection:
            data = connection.read((device_yang.INTERFACES, device_yang.ROUTING))
        if device_yang.INTERFACES not in data:
            raise DeviceFailed("it tells nothing of its interfaces (RFC 8343)")
        return data

    def has(
        self, network_id: int, device: str, seconds: float = LONGEST
    ) -> tuple[list[device_config.Difference], int | None]:
        """How a device differs from what is in force, and the edition it says it has, asked within so many seconds. No
        transaction is open meanwhile. Raises `DeviceFailed`."""
        with self._sessions() as session:
            force = session.get(t.InForce, network_id)
            link = self._link(session, network_id, device)
            edition = session.get_one(t.Edition, force.edition_id) if force else None
            version = rooted(session, network_id, edition.root, "") if edition else None
        with self._connect(*link).within(seconds) as connection:
            data, _ = connection.fetch()
        number = data.get(device_config.FILTERING, {}).get("edition")
        if version is None or edition is None:
            return [], number
        try:
            wanted = device_config.build(version.network, version.loaded.names, device, edition.number)
        except (InvalidDocument, KeyError):
            raise DeviceFailed(f"edition {edition.number} has no configuration for it") from None
        return device_config.drift(wanted, data), number


@contextmanager
def _tried(what: str) -> Iterator[None]:
    """The records may be away for a while; the next look does what this one could not."""
    try:
        yield
    except OperationalError as error:
        log.warning("could not %s, and tries again: the records do not answer: %s", what, error.orig)
    except Exception:
        log.exception("could not %s, and tries again", what)


def _told(found: list[device_config.Difference]) -> str:
    return "; ".join(f"{d.what} {d.how}" for d in found[:3]) + (" …" if len(found) > 3 else "")
