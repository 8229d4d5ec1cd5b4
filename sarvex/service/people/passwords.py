"""Which passwords are taken, by NIST SP 800-63B-4, section 3.1.1.2: long enough where nothing else is asked, none that is
commonly used or easily guessed from what is known; no rules about kinds of characters, no expiry, no hints."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable

from zxcvbn import zxcvbn

SHORTEST = 15
LONGEST = 1000
LOOKED_AT = 72
"""Only the beginning is searched for what is easily guessed: the search takes time that grows with the square."""
FEWEST_GUESSES = 1e8
"""Whoever tries ten a minute is busy for twenty years; lists of common passwords hold far fewer."""


def normal(password: str) -> str:
    """One spelling of what may be typed in several ways (SP 800-63B-4 asks for NFC or NFKC)."""
    return unicodedata.normalize("NFKC", password)


def objection(password: str, known: Iterable[str] = ()) -> str:
    """Why a password is not taken; nothing if it is. `known`: words that anybody would try with this person."""
    password = normal(password)
    if len(password) < SHORTEST:
        return f"a password has at least {SHORTEST} characters; a few words that have nothing to do with each other do"
    if len(password) > LONGEST:
        return f"a password has at most {LONGEST} characters"
    guessed = zxcvbn(password[:LOOKED_AT], user_inputs=["sarvex", *known])
    if guessed["guesses"] < FEWEST_GUESSES:
        return "this one is easily guessed: it is commonly used, repeats itself, or stands near you; take another"
    return ""
