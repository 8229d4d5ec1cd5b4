"""Passwords of devices and tokens: files of the server, which whoever runs it writes. The records hold their names alone.

The first line of a file is the secret. A device's password is bound to the addresses it is for, a line ``for ADDRESS`` each:
whoever may say where a device takes its configuration must not be able to have its password sent anywhere else.
"""

from __future__ import annotations

from pathlib import Path
from urllib.parse import urlsplit

PORTS = {"http": 80, "https": 443}


class NoSecret(LookupError):
    """There is no such file, or it is not for this; the message says what to do."""


def read(folder: Path, name: str) -> str:
    """The secret in a file of the folder. Raises `NoSecret`."""
    return _lines(folder, name)[0].strip()


def read_for(folder: Path, name: str, address: str) -> str:
    """The secret in a file of the folder, if the file says that it is for an address. Raises `NoSecret`."""
    secret, *rest = _lines(folder, name)
    words = (line.split() for line in rest)
    bound = {_origin(w[1]) for w in words if len(w) == 2 and w[0].lower() == "for"} - {None}
    if _origin(address) not in bound:
        raise NoSecret(
            f"the password file {name} does not say that it is for {address}; whoever runs the server adds the line "
            f"“for {address}” to it"
        )
    return secret.strip()


def _lines(folder: Path, name: str) -> list[str]:
    file = folder / name
    if file.parent != folder or not file.is_file():
        raise NoSecret(f"the server has no password file called {name}")
    return file.read_text(encoding="utf-8").splitlines() or [""]


def _origin(address: str) -> tuple[str, str, int] | None:
    """Scheme, host and port of an address; None of what is no address."""
    try:
        parts = urlsplit(address)
        host, port = parts.hostname, parts.port
    except ValueError:
        return None
    if parts.scheme not in PORTS or not host:
        return None
    return parts.scheme, host, port or PORTS[parts.scheme]
