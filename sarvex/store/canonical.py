"""One way to write data as bytes, so that equal data have equal digests."""

from __future__ import annotations

import json
from hashlib import sha256
from typing import Any


def packed(body: Any) -> bytes:
    """JSON without spaces, keys in order, UTF-8."""
    return json.dumps(body, ensure_ascii=False, sort_keys=True, separators=(",", ":")).encode()


def digest(*parts: bytes) -> bytes:
    """The SHA-256 of bytes one after the other."""
    made = sha256()
    for part in parts:
        made.update(part)
    return made.digest()
