"""What the commands around the records and the server do."""

from __future__ import annotations

import gc
import ipaddress
import json
import os
import secrets
import signal
import socket
import ssl
import sys
import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import NoReturn

import typer
import uvicorn
from fastapi import FastAPI
from sqlalchemy.orm import Session
from uvicorn.supervisors import Multiprocess

from sarvex.api.app import create_app
from sarvex.cli import logs, remote
from sarvex.cli.connections import PROXY, Guarded
from sarvex.core.model.differences import Difference, differences
from sarvex.core.model.records import Network, fold
from sarvex.formats import access_lists, document, effects, settling, showing
from sarvex.formats.device_yang import INTERFACES
from sarvex.service import audit as audits
from sarvex.service.analysis.analysis_process import end_with_parent
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.drafts import import_formats, networks
from sarvex.service.drafts import settle as settling_draft
from sarvex.service.drafts.draft import Draft
from sarvex.service.editions.versions import in_force
from sarvex.service.errors import NotFound, Refused
from sarvex.service.people import accounts, second_factor
from sarvex.service.people.roles import ROLES
from sarvex.service.releases import devices, releases
from sarvex.standins import device
from sarvex.standins.device import StandIn
from sarvex.store import backup as backups
from sarvex.store import database as records
from sarvex.store import private

URL = "SARVEX_DATABASE_URL"
OWNER_URL = "SARVEX_DATABASE_OWNER_URL"
"""Of an account that may change the schema, if the other may not."""
SECRETS = "SARVEX_SECRETS"
DEMO = Path(__file__).parent.parent.parent / "demo" / "merrow.yaml"
REFUSED, BAD_INPUT, CHANGED = 1, 2, 3
AS_ROOT = (
    "warning: this runs as root, and so does its database: whoever gets hold of one of them has the whole machine. "
    "Sarvex needs no rights; start it as a user of its own."
)
BACKLOG = 2048
HUNG_SECONDS = 20
STOP_SECONDS = 10
FRESH, NEVER = 20_000, 1_000_000
"""The collector looks at the youngest objects when there are so many more of them; at all of them never by itself."""
ARENAS = {"MALLOC_ARENA_MAX": "2"}
"""With a store of freed memory for each of its threads, glibc's malloc would hold on to what each once needed for a long list."""
COLLECT_SECONDS = 300.0


@contextmanager
def _database(data: Path) -> Iterator[private.Urls]:
    """Where the database is: the one that is named, or the private one."""
    url = os.environ.get(URL)
    os.umask(0o077)  # whatever is written from here on is for its owner alone
    try:
        if url:
            yield private.Urls(url, os.environ.get(OWNER_URL) or url)
        else:
            with private.running(data) as own:
                yield own
    except private.DatabaseUnavailable as error:
        _fail(str(error))


@contextmanager
def _records(data: Path) -> Iterator[str]:
    """The URL of the records' rows, with the schema up to date."""
    data.mkdir(parents=True, exist_ok=True, mode=0o700)
    os.environ.setdefault(audits.HEADS, str(_heads(data)))
    with _database(data) as urls:
        records.upgrade(urls.owner, "" if os.environ.get(URL) else urls.rows)
        yield urls.rows


def _say(text: str) -> None:
    print(text, flush=True)


def _fail(message: str) -> NoReturn:
    print(message, file=sys.stderr)
    raise typer.Exit(BAD_INPUT)


@dataclass(frozen=True)
class Door:
    """Where the server listens, and how it is kept that nobody on the way reads passwords."""

    host: str
    port: int
    certificate: Path | None = None
    key: Path | None = None
    proxy: str = ""

    def check(self) -> None:
        """Refuse, before anything is started, what would be served in the clear or cannot be served."""
        if self.certificate is not None:
            try:
                ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(
                    self.certificate, self.key, password=""
                )
            except OSError as error:
                why = (
                    "no PEM, encrypted, or not of each other"
                    if isinstance(error, ssl.SSLError)
                    else error.strerror
                )
                _fail(f"cannot use {self.certificate} with {self.key or 'a key in the same file'}: {why}")
        elif self.key is not None:
            _fail("--key belongs to a --certificate")
        elif not self.proxy and not _this_machine_alone(self.host):
            _fail(
                f"others would reach {self.host}, and passwords would travel in the clear: give a --certificate, "
                "or the address of the --proxy that speaks TLS in front of it"
            )


def _this_machine_alone(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def _serve(url: str, door: Door, greeting: str, secrets_folder: Path) -> None:
    """Serve until told to stop. The socket is bound first, so the address told is the one in use."""
    if os.geteuid() == 0:
        print(AS_ROOT, file=sys.stderr)
    host, port = door.host, door.port
    listener = socket.socket(
        socket.AF_INET6 if ":" in host else socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP
    )
    # Without this an answer's body waits for the acknowledgement of its head: 40 ms on a connection kept alive.
    listener.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((host, port))
    except OSError as error:
        _fail(f"cannot serve on {host} port {port}: {error.strerror}; choose another with --port")
    listener.listen(BACKLOG)
    scheme, at = "https" if door.certificate else "http", f"[{host}]" if ":" in host else host
    _say(greeting.format(address=f"{scheme}://{at}:{listener.getsockname()[1]}"))
    os.environ |= {URL: url, SECRETS: str(secrets_folder), PROXY: door.proxy, **ARENAS}
    config = uvicorn.Config(
        "sarvex.cli.serving:served", factory=True, http=Guarded, log_config=None, access_log=False, server_header=False,
        timeout_worker_healthcheck=HUNG_SECONDS, timeout_graceful_shutdown=STOP_SECONDS,
        ssl_certfile=door.certificate, ssl_keyfile=door.key,
        proxy_headers=bool(door.proxy), forwarded_allow_ips=door.proxy,  # nobody else is believed who asks
    )  # fmt: skip
    # We hold the socket and the database; a process of its own answers, and is started again if it dies.
    Multiprocess(config, sockets=[listener]).run()


def served() -> FastAPI:
    """The application, in the process that answers. It ends with the process that keeps it, however that ends."""
    logs.configure()
    # Whoever computes lets whoever answers have their turn after a millisecond instead of five.
    sys.setswitchinterval(0.001)
    end_with_parent()
    _collect_seldom()
    return create_app(os.environ[URL], secrets=Path(os.environ[SECRETS]), keeps=True)


def _collect_seldom() -> None:
    """Look for garbage that refers to itself among all objects every few minutes only. Left to itself the collector does so
    whenever some lists of ten thousand rules have come and gone, and holds up every answer for half a second each time."""
    gc.set_threshold(FRESH, gc.get_threshold()[1], NEVER)

    def collect() -> None:
        while True:
            time.sleep(COLLECT_SECONDS)
            gc.collect()

    gc.freeze()
    threading.Thread(target=collect, name="collector", daemon=True).start()


def _stop_on_terminate() -> None:
    """A polite kill ends like Ctrl-C, so that the database we started is stopped too."""

    def stop(*_: object) -> NoReturn:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, stop)


def serve(data: Path, door: Door) -> None:
    """Serve the networks of the records. Others than this machine are served over TLS only, here or in front."""
    door.check()
    logs.configure()
    _stop_on_terminate()
    with _records(data) as url:
        with records.opened(url) as sessions, sessions.begin() as session:
            password = accounts.first_person(session)
        greeting = "Sarvex is at {address} - stop it with Ctrl-C"
        if password:
            greeting += (
                f"\n  first sign-in  administrator\n  with password  {password}  (told once: change it)"
            )
        _serve(url, door, greeting, _secrets(data))


def _heads(data: Path) -> Path:
    """Where the audit's digests are kept outside of the records."""
    return Path(os.environ.get(audits.HEADS) or data / "audit-heads")


def _secrets(data: Path) -> Path:
    """The folder with the passwords of devices, a file for each."""
    return Path(os.environ.get(SECRETS) or data / "secrets")


def demo(data: Path, door: Door) -> None:
    """Serve the demo network, made on the first start, and tell how to sign in."""
    door.check()
    os.environ.setdefault(logs.LEVEL, "WARNING")
    logs.configure()
    _stop_on_terminate()
    _say("starting the database ...")
    with _records(data) as url:
        password = _kept_password(data / "sign-in")
        network = document.load(DEMO.read_text(encoding="utf-8"))
        with records.opened(url) as sessions, sessions.begin() as session:
            if networks.find(session, network.name) is None:
                networks.import_network(session, network)
                _say(f"loaded the demo network {network.name}")
            accounts.ensure_person(session, "engineer", "Demo Engineer", "administrator", password)
            accounts.ensure_person(session, "colleague", "Demo Colleague", "releaser", password)
        own = _kept_password(data / "device-password")
        standins = {d.name: _standin(data, d.name, own) for d in network.devices}
        for d in network.devices:
            standins[d.name].state = device.state_of(network, d)
        _more_than_is_written(standins[network.devices[0].name])
        with device.running(standins) as addresses, records.opened(url) as sessions:
            bound = "".join(f"for {address}\n" for address in addresses.values())
            _write(_secrets(data) / "devices", f"{own}\n{bound}")
            with sessions.begin() as session:
                _demo_devices(session, networks.find(session, network.name) or 0, addresses)
            greeting = (
                f"\n  Sarvex is at   {{address}}\n  sign in as     engineer  (or as colleague, to review)\n"
                f"  with password  {password}\n\nStop it with Ctrl-C."
            )
            _serve(url, door, greeting, _secrets(data))


def _more_than_is_written(first: StandIn) -> None:
    """Somebody on one of its segments whom nobody wrote down."""
    ports = {i["name"]: i.get("ietf-ip:ipv4", {}) for i in first.state[INTERFACES]["interface"]}
    own = next(v4 for name, v4 in ports.items() if "." in name and v4.get("neighbor"))
    gate = own["address"][0]
    wire = ipaddress.ip_interface(f"{gate['ip']}/{gate['prefix-length']}").network
    own["neighbor"].append({"ip": str(wire[wire.num_addresses // 2 - 3]), "origin": "dynamic"})


def _standin(data: Path, name: str, password: str) -> StandIn:
    """A simulated device that remembers what it was given."""
    for folder in ("devices", "secrets"):
        (data / folder).mkdir(exist_ok=True, mode=0o700)
    return StandIn("sarvex", password, data / "devices" / f"{name}.json")


def _demo_devices(session: Session, network_id: int, addresses: dict[str, str]) -> None:
    """Link the simulated devices, which have other ports at every start; the first time also release the demo."""
    cache = NetworkCache()
    stored = cache.open(session, network_id).stored
    for name, address in addresses.items():
        device_id = stored.things.get(("device", fold(name)))
        if device_id is not None:
            devices.link(session, network_id, None, device_id, address, "sarvex", "devices")
    if in_force(session, network_id) is None and not releases.listing(session, network_id):
        managed = releases.Settings(0, 0, ("management",))
        releases.change_settings(session, cache, network_id, None, managed)
        seen = releases.prospect(session, cache, network_id, None)
        wanted = releases.Wanted(
            None, stored.revision, "as it was found", answers={g.key: "it was so before" for g in seen.guards}
        )
        releases.release(session, cache, network_id, None, wanted)


def _kept_password(file: Path) -> str:
    """A password made at random once, and kept where only its owner reads it."""
    if not file.exists():
        _write(file, "-".join(secrets.token_hex(2) for _ in range(4)))
    return file.read_text()


def _write(file: Path, text: str) -> None:
    """Write a file that only its owner reads."""
    file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
        os.fchmod(out.fileno(), 0o600)
        out.write(text)


def import_(file: Path, into: str | None, replace: bool, data: Path, server: str | None) -> None:
    """Write a network document into the records: all of it, or nothing."""
    try:
        text = file.read_text(encoding="utf-8-sig")
        read = document.parse(text)
        lists = access_lists.is_access_lists(read)
        network = Network(name=into or "") if lists else document.whole(read)
    except OSError as error:
        _fail(f"{file}: {error.strerror}")
    except document.InvalidDocument as error:
        _fail("\n".join(f"{file}: {p}" for p in error.problems))
    if lists != bool(into):
        _fail(f"{file}: access lists go --into a network" if lists else f"{file}: --into is for access lists")
    try:
        if server:
            _import_there(server, file, text, network, lists, replace)
        else:
            network = _import_here(data, file, text, network, lists, replace)
    except Refused as error:
        _fail("\n".join(f"{file}: {p}" for p in error.problems))
    except (NotFound, remote.Unanswered) as error:
        _fail(str(error))
    if server and lists:
        _say(f"imported into {network.name}")
        return
    rules = sum(len(p.rules) for p in network.policies)
    _say(f"imported {network.name}: {len(network.policies)} policies, {rules} rules")


def _import_here(data: Path, file: Path, text: str, network: Network, lists: bool, replace: bool) -> Network:
    with _records(data) as url, records.opened(url) as sessions, sessions.begin() as session:
        if lists:
            there = networks.export_network(session, network.name)
            network, notes = import_formats.wanted(there, "lists", text)
            _note(file, notes)
        for line in _differences(session, network):
            _say(line)
        networks.import_network(session, network, replace or lists)
    return network


def _import_there(url: str, file: Path, text: str, network: Network, lists: bool, replace: bool) -> None:
    with remote.Server(url) as there:
        if lists or (replace and there.find(network.name) is not None):
            found, notes = there.bring_in(network.name, "lists" if lists else "document", text)
            _note(file, notes)
            for line in _told(found):
                _say(line)
        else:
            there.import_new(text)


def _note(file: Path, notes: Iterable[str]) -> None:
    for note in notes:
        print(f"{file}: {note}", file=sys.stderr)


def _text(file: str) -> str:
    """The text of a file; - is stdin."""
    try:
        return sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8-sig")
    except OSError as error:
        _fail(f"{file}: {error.strerror}")
    except UnicodeDecodeError:
        _fail(f"{file}: not UTF-8 text")


def settle(changes: str, name: str, check: bool, as_json: bool, data: Path, server: str | None) -> None:
    """Bring the draft of a network to what is wanted."""
    text = _text(changes)
    try:
        wishes = settling.read(text)
    except document.InvalidDocument as error:
        _fail("\n".join(f"{changes}: {p}" for p in error.problems))
    try:
        if check:
            before = _network(name, data, server)
            after = settling_draft.with_wishes(before, wishes)
            found = differences(before, after)
        else:
            found = _settled(name, text, wishes, data, server)
    except Refused as error:
        print("\n".join(f"{changes}: {p}" for p in error.problems), file=sys.stderr)
        raise typer.Exit(REFUSED) from None
    except (NotFound, remote.Unanswered) as error:
        _fail(str(error))
    effect = effects.compare(before, after) if check and found else None
    if as_json:
        print(json.dumps(effects.settle_json(found, effect), indent=1, ensure_ascii=False))
    else:
        for line in _told(found):
            _say(line)
        if effect:
            _say(effects.effect_text(effect).rstrip("\n"))
        elif not found:
            _say("nothing to change")
    if found:
        raise typer.Exit(CHANGED)


def _settled(
    name: str, text: str, wishes: dict[str, object], data: Path, server: str | None
) -> list[Difference]:
    """What was changed; nothing is written where nothing is to be done."""
    if server:
        with remote.Server(server) as there:
            return there.settle(name, text)
    with _records(data) as url, records.opened(url) as sessions, sessions() as session:
        draft = Draft(session, NetworkCache(), networks.named_id(session, name), None)
        before, after = settling_draft.settle(draft, wishes)
        session.rollback() if draft.unchanged else session.commit()
    return differences(before, after)


def _network(name: str, data: Path, server: str | None) -> Network:
    """A network of the records here or there. Raises `NotFound`, `remote.Unanswered`."""
    if server:
        with remote.Server(server) as there:
            return there.export(name)
    with _records(data) as url, records.opened(url) as sessions, sessions.begin() as session:
        return networks.export_network(session, name)


def _differences(session: Session, network: Network) -> Iterator[str]:
    """What would change in the network of the same name, if there is one."""
    if networks.find(session, network.name) is not None:
        yield from _told(differences(networks.export_network(session, network.name), network))


def _told(found: Iterable[Difference]) -> Iterator[str]:
    for d in found:
        what = f": {', '.join(d.what)}" if d.what else ""
        yield f"{d.change:8} {d.section} {d.name}{what}"


def export(name: str, json_: bool, data: Path, server: str | None) -> None:
    """Write a network of the records to stdout as a document."""
    try:
        network = _network(name, data, server)
    except (NotFound, remote.Unanswered) as error:
        _fail(str(error))
    print(document.dump(network, "json" if json_ else "yaml"), end="")


def show(what: str, name: str | None, file: str | None, data: Path, server: str | None) -> None:
    """Write one thing of a network to stdout."""
    if (name is None) == (file is None):
        _fail("say where it is: --network NAME, or --file FILE")
    try:
        network = _network(str(name), data, server) if file is None else document.load(_text(file))
        print(json.dumps(showing.shown(network, what), indent=1, ensure_ascii=False))
    except document.InvalidDocument as error:
        _fail("\n".join(f"{file}: {p}" for p in error.problems))
    except showing.NotShown as error:
        _fail(error.problem.message)
    except (NotFound, remote.Unanswered) as error:
        _fail(str(error))


def person(login: str, role: str, name: str, data: Path) -> None:
    """Let somebody in; the password is read from stdin."""
    if role not in ROLES:
        _fail(f"a role is one of {', '.join(ROLES)}")
    password = (
        typer.prompt("password", hide_input=True) if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    )
    with _records(data) as url:
        try:
            with records.opened(url) as sessions, sessions.begin() as session:
                accounts.add_person(session, login, name or login, role, password)
        except Refused as error:
            _fail("\n".join(str(p) for p in error.problems))
    _say(f"{login} may sign in as {role}")


def lost_second_factor(login: str, data: Path) -> None:
    """Ask somebody for no code any more, until they set up a second factor anew."""
    with _records(data) as url, records.opened(url) as sessions, sessions.begin() as session:
        try:
            second_factor.lost(session, login)
        except NotFound as error:
            _fail(str(error))
    _say(f"{login} signs in without a code")


def openapi() -> None:
    """The API's OpenAPI document, from which the page's types are generated."""
    app = create_app("mysql+pymysql://unused@127.0.0.1/unused")
    print(json.dumps(app.openapi(), indent=1, ensure_ascii=False))


def upgrade(data: Path) -> None:
    """Bring the records' schema to the newest version; safe to repeat."""
    with _records(data):
        _say("the schema is up to date")


def backup(file: Path, data: Path) -> None:
    """Write all records to one file, in one snapshot; the server may go on meanwhile (with SARVEX_DATABASE_URL)."""
    with _records(data) as url, records.opened(url) as sessions:
        rows = backups.write(sessions.kw["bind"], file)
    _say(f"{file}: {rows} rows")


def restore(file: Path, data: Path) -> None:
    """Write a backup into empty records: all of it, or nothing if it is damaged or there are records already."""
    try:
        with _database(data) as urls:
            rows = backups.restore(urls.owner, file)
    except backups.InvalidBackup as error:
        _fail(f"{file}: {error}; nothing was written")
    _say(f"{file}: {rows} rows are back")


def audit(lines: bool, expect: str, data: Path) -> None:
    """Walk the chain of the audit; exit code 1 if somebody changed it. Keep the digest elsewhere: it stands for all of it."""
    with _records(data) as url, records.opened(url) as sessions, sessions() as session:
        if lines:
            for entry in audits.everything(session):
                print(json.dumps(audits.line(entry), ensure_ascii=False))
        told = audits.last_told(_heads(data))
        checked = audits.verify(session, [expect, told])
    if checked.broken is not None:
        print(f"broken at entry {checked.broken}: {checked.why}", file=sys.stderr)
        raise typer.Exit(1)
    for digest in checked.missing:
        whose = "that was expected" if digest == expect.lower() else f"that {_heads(data)} ends with"
        print(
            f"cut off: of {checked.entries} entries none has the digest {digest}, {whose}; what came after it is gone, too",
            file=sys.stderr,
        )
    if checked.missing:
        raise typer.Exit(1)
    print(f"{checked.entries} entries, the chain holds; the last is {checked.head}", file=sys.stderr)
