"""What a JSON text holds outside its strings, counted before it is parsed.

Parsing many values takes long, in one go that nobody is answered in, and much memory: `[[],[],…` takes thirty times its
length. What strings hold costs next to nothing.
"""

from __future__ import annotations

PIECE = 65_536
NONE = bytes(range(256)).translate(None, b",[{")


class Skeleton:
    """What is outside of strings, as a text comes in: bytes, and the marks before which or in which a value stands.

    Escaped quotes and backslashes are in strings, or the text is no JSON from there on, and what follows does not matter.
    """

    def __init__(self) -> None:
        self.size = 0
        """Bytes, the quotes included."""
        self.values = 0
        """Commas and opening brackets: there are at most twice as many values and names, and one."""
        self._inside = False
        self._rest = b""

    def add(self, piece: bytes) -> Skeleton:
        """What comes next; O(piece)."""
        piece = (self._rest + piece).replace(rb"\\", b"")
        self._rest = piece[len(piece.rstrip(b"\\")) :]  # what it escapes comes with the next piece
        parts = piece.removesuffix(self._rest).replace(rb"\"", b"").split(b'"')
        outside = b"".join(parts[self._inside :: 2])
        quotes = len(parts) - 1
        self.size += quotes + len(outside)
        self.values += len(outside.translate(None, NONE))
        self._inside ^= quotes % 2 == 1
        return self


def values(text: str) -> int:
    """Commas and opening brackets outside of the strings of a JSON text; O(text)."""
    found = Skeleton()
    for begin in range(0, len(text), PIECE):
        found.add(text[begin : begin + PIECE].encode(errors="surrogatepass"))
    return found.values
