"""Commands around the records and the server: what they are called and take. What they do is in `sarvex.cli.serving`, which is
taken in when one of them is run."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

ROOT = Path(__file__).parent.parent.parent
DATA = ROOT / ".data"
database = typer.Typer(no_args_is_help=True, help="The records' own commands.")
Data = Annotated[
    Path, typer.Option(help="Where the private database lives, unless SARVEX_DATABASE_URL names another.")
]
Server = Annotated[
    str | None,
    typer.Option(
        "--server",
        envvar="SARVEX_SERVER",
        metavar="URL",
        help="The records of a server, over its API, instead of those here; with the token in SARVEX_TOKEN.",
    ),
]
Host = Annotated[str, typer.Option(help="Address to serve on.")]
Port = Annotated[int, typer.Option(help="Port to serve on; 0 takes a free one.")]
Certificate = Annotated[Path | None, typer.Option(help="Serve HTTPS with this chain of certificates, PEM.")]
Key = Annotated[
    Path | None, typer.Option(help="The certificate's private key, PEM, if it is not in its file.")
]
Proxy = Annotated[
    str, typer.Option(metavar="ADDRESS", help="What speaks TLS in front of it, and tells who asks.")
]


def serve(
    data: Data = DATA / "own",
    host: Host = "127.0.0.1",
    port: Port = 8440,
    certificate: Certificate = None,
    key: Key = None,
    proxy: Proxy = "",
) -> None:
    """Serve the networks of the records. Others than this machine are served over TLS only, here or in front.

    Example: sarvex serve --host 0.0.0.0 --certificate chain.pem --key key.pem
    """
    from sarvex.cli import serving

    serving.serve(data, serving.Door(host, port, certificate, key, proxy))


def demo(
    data: Data = DATA / "demo",
    host: Host = "127.0.0.1",
    port: Port = 8440,
    certificate: Certificate = None,
    key: Key = None,
    proxy: Proxy = "",
) -> None:
    """Serve the demo network, made on the first start, and tell how to sign in.

    Example: sarvex demo --port 8440
    """
    from sarvex.cli import serving

    serving.demo(data, serving.Door(host, port, certificate, key, proxy))


def import_(
    file: Annotated[
        Path, typer.Argument(help="A Sarvex network document, or RFC 8519 access lists with --into.")
    ],
    into: Annotated[
        str | None,
        typer.Option(metavar="NETWORK", help="The network that gets the access lists as policies."),
    ] = None,
    replace: Annotated[
        bool, typer.Option("--replace", help="Let the network of this name become it; its history stays.")
    ] = False,
    data: Data = DATA / "own",
    server: Server = None,
) -> None:
    """Write a network document into the records: all of it, or nothing.

    Access lists become policies of a network that is there already, with its names where they stand for the same.

    Example: sarvex import demo/merrow.yaml
    """
    from sarvex.cli import serving

    serving.import_(file, into, replace, data, server)


def settle(
    changes: Annotated[
        str,
        typer.Argument(metavar="CHANGES", help="What is to be there and what not, YAML or JSON; - is stdin."),
    ],
    network: Annotated[str, typer.Option(metavar="NAME", help="The network whose draft is brought to it.")],
    check: Annotated[
        bool, typer.Option("--check", help="Tell what it would do, and what that does; change nothing.")
    ] = False,
    json_: Annotated[bool, typer.Option("--json", help="JSON instead of words.")] = False,
    data: Data = DATA / "own",
    server: Server = None,
) -> None:
    """Bring a draft to a wanted state, by names. Twice is nothing: no change, no step of undo, no entry in the audit.

    Exit code 0 nothing to change, 3 changed (with --check: would be), 1 refused, 2 bad input.

    Example: sarvex settle changes.yaml --network "Merrow Sound Ferries" --check
    """
    from sarvex.cli import serving

    serving.settle(changes, network, check, json_, data, server)


def show(
    what: Annotated[
        str,
        typer.Argument(
            metavar="WHAT",
            help="A name, or a place such as addresses/NAME, policies/NAME or policies/NAME/rules/NAME.",
        ),
    ],
    network: Annotated[
        str | None, typer.Option(metavar="NAME", help="The network of the records in which it is.")
    ] = None,
    file: Annotated[
        str | None, typer.Option(metavar="FILE", help="A document instead of the records; - is stdin.")
    ] = None,
    data: Data = DATA / "own",
    server: Server = None,
) -> None:
    """One thing by its name, as a document has it, with its place and who uses it: JSON.

    Exit code 0, 2 if nothing or more than one thing is called so.

    Example: sarvex show policies/ramp-side/rules/monitoring --network "Merrow Sound Ferries"
    """
    from sarvex.cli import serving

    serving.show(what, network, file, data, server)


def export(
    name: Annotated[str, typer.Argument(help="The network's name.")],
    json_: Annotated[bool, typer.Option("--json", help="JSON instead of YAML.")] = False,
    data: Data = DATA / "own",
    server: Server = None,
) -> None:
    """Write a network of the records to stdout as a document.

    Example: sarvex export "Merrow Sound Ferries" > merrow.yaml
    """
    from sarvex.cli import serving

    serving.export(name, json_, data, server)


def person(
    login: Annotated[str, typer.Argument(help="The sign-in name.")],
    role: Annotated[str, typer.Option(help="none, viewer, editor, releaser or administrator.")] = "editor",
    name: Annotated[str, typer.Option(help="The name that others see.")] = "",
    lost_second_factor: Annotated[
        bool,
        typer.Option(
            "--lost-second-factor", help="Of somebody who is there already: ask for no code any more."
        ),
    ] = False,
    data: Data = DATA / "own",
) -> None:
    """Let somebody in; the password is read from stdin.

    Example: sarvex person maren --role administrator < password.txt
    """
    from sarvex.cli import serving

    if lost_second_factor:
        serving.lost_second_factor(login, data)
    else:
        serving.person(login, role, name, data)


def openapi() -> None:
    """The API's OpenAPI document, from which the page's types are generated.

    Example: sarvex openapi > docs/openapi.json
    """
    from sarvex.cli import serving

    serving.openapi()


@database.command()
def upgrade(data: Data = DATA / "own") -> None:
    """Bring the records' schema to the newest version; safe to repeat.

    Example: sarvex db upgrade
    """
    from sarvex.cli import serving

    serving.upgrade(data)


@database.command()
def backup(
    file: Annotated[Path, typer.Argument(help="The file to write; it appears when it is whole.")],
    data: Data = DATA / "own",
) -> None:
    """Write all records to one file, in one snapshot; the server may go on meanwhile (with SARVEX_DATABASE_URL).

    Example: sarvex db backup friday.sarvex
    """
    from sarvex.cli import serving

    serving.backup(file, data)


@database.command()
def restore(
    file: Annotated[Path, typer.Argument(help="A file that db backup wrote.")],
    data: Data = DATA / "own",
) -> None:
    """Write a backup into empty records: all of it, or nothing if it is damaged or there are records already.

    Example: sarvex db restore friday.sarvex --data restored
    """
    from sarvex.cli import serving

    serving.restore(file, data)


@database.command()
def audit(
    lines: Annotated[
        bool, typer.Option("--lines", help="Write all entries to stdout as JSON Lines.")
    ] = False,
    expect: Annotated[
        str,
        typer.Option(
            metavar="DIGEST", help="It must hold an entry with this digest, told by an earlier run."
        ),
    ] = "",
    data: Data = DATA / "own",
) -> None:
    """Walk the chain of the audit; exit code 1 if somebody changed it. Keep the digest elsewhere: it stands for all of it.

    Example: sarvex db audit
    """
    from sarvex.cli import serving

    serving.audit(lines, expect, data)
