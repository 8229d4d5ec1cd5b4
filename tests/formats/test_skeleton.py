"""What a JSON text holds outside its strings."""

from __future__ import annotations

import json
from itertools import pairwise
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from sarvex.formats.skeleton import Skeleton, values


def outside(text: bytes) -> tuple[int, int]:
    """By the contract: bytes that are in no string, quotes included, escaped quotes and backslashes nowhere; and the marks."""
    size, marks, inside, escaping = 0, 0, False, False
    for byte in text:
        if escaping and byte in b'"\\':
            escaping = False
            continue
        size += escaping and not inside
        escaping = byte == ord("\\")
        if not escaping:
            size += byte == ord('"') or not inside
            marks += byte in b",[{" and not inside
            inside ^= byte == ord('"')
    return size, marks


@given(st.lists(st.sampled_from(['"', "\\", "[", "{", ",", "ab", "é", "\n"]), max_size=40), st.data())
def test_the_skeleton_of_a_body_in_whatever_pieces_it_comes(parts: list[str], data: st.DataObject) -> None:
    text = "".join(parts).encode()
    cuts = sorted(data.draw(st.lists(st.integers(0, len(text)), max_size=4)))
    skeleton = Skeleton()
    for begin, end in pairwise([0, *cuts, len(text)]):
        skeleton.add(text[begin:end])
    assert (skeleton.size, skeleton.values) == outside(text.removesuffix(b"\\") if skeleton._rest else text)


def things(data: Any) -> int:
    """Values, and names of values."""
    inside = data.values() if isinstance(data, dict) else data if isinstance(data, list) else ()
    return 1 + (len(data) if isinstance(data, dict) else 0) + sum(things(v) for v in inside)


DATA = st.recursive(st.text(), lambda d: st.lists(d) | st.dictionaries(st.text(), d))


@given(DATA, st.booleans())
def test_there_are_no_more_values_than_that(data: Any, plain: bool) -> None:
    marks = values(json.dumps(data, ensure_ascii=plain))
    assert things(data) <= 2 * marks + 1
    assert marks <= 2 * things(data)
