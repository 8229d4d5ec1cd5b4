"""YAML 1.2's core schema: what is read, what is refused and where, and that what is written is read as it was."""

from __future__ import annotations

from typing import Any

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from sarvex.formats import yaml_text
from sarvex.formats.yaml_text import InvalidYAML

READ = {
    "a: [1, -2, +3, 007]": {"a": [1, -2, 3, 7]},
    "a: [0o17, 0x1F]": {"a": [15, 31]},
    "a: [1.5, .5, 1e3, 2., -.inf]": {"a": [1.5, 0.5, 1000.0, 2.0, float("-inf")]},
    "a: [true, False, TRUE, yes, on, NO]": {"a": [True, False, True, "yes", "on", "NO"]},
    "a: [~, null, NULL, nil]\nb:": {"a": [None, None, None, "nil"], "b": None},
    "a: [1:30, 2026-01-01, 1_000, 0b1]": {"a": ["1:30", "2026-01-01", "1_000", "0b1"]},
    "a: ['1', \"true\", !!str 5, ! 6]": {"a": ["1", "true", "5", "6"]},
    "a: !!int 5\nb: !!float 1.5\nc: !!seq [x]\nd: !!map {}": {"a": 5, "b": 1.5, "c": ["x"], "d": {}},
    "1: x\ntrue: y\n'': z": {"1": "x", "true": "y", "": "z"},
    "a: &x {b: 1}\nc: *x": {"a": {"b": 1}, "c": {"b": 1}},
    "a: &x {b: 1, c: 2}\nd: {c: 3, <<: *x}": {"a": {"b": 1, "c": 2}, "d": {"c": 3, "b": 1}},
    "a: &x {b: 1}\nd:\n  <<: [*x, {b: 2, c: 3}]\n  e: 4": {"a": {"b": 1}, "d": {"b": 1, "c": 3, "e": 4}},
    "a: |\n  one\n  two\n": {"a": "one\ntwo\n"},
    "{a: fd00::1, b: 'c: d'}": {"a": "fd00::1", "b": "c: d"},
    "--- # said\nx": "x",
    "": None,
}
REFUSED = {
    "a: 1\nb: 2\na: 3": "line 3, column 1: the key 'a' stands twice in one mapping",
    "a: *b": "line 1, column 4: nothing above is called &b",
    "a: &b [*b]": "line 1, column 8: *b stands within itself",
    "? [1]\n: 2": "line 1, column 3: a key is a plain word",
    "a: &x k\n*x : 1": "line 2, column 1: a key is a plain word",
    "a: 1\n---\nb: 2": "line 2, column 1: a second document begins",
    "a: !!int x": "line 1, column 4: 'x' cannot be read as tag:yaml.org,2002:int",
    "a: !!binary aGk=": "line 1, column 4: 'aGk=' cannot be read as tag:yaml.org,2002:binary",
    "a: !!python/object:x {}": "line 1, column 4: the tag tag:yaml.org,2002:python/object:x is of no JSON kind",
    "a: !!set {x}": "line 1, column 4: the tag tag:yaml.org,2002:set is of no JSON kind",
    "a: {<<: 5}": "line 1, column 9: only a mapping or a list of them can be merged",
    "a:\n\t- b": "line 2, column 1: found character that cannot start any token",
    "a: [1, 2": "line 2, column 1: did not find expected ',' or ']'",
    "[[[[[[1]]]]]]": "line 1, column 6: nested deeper than 5 levels",
    "- - - - - - 1": "line 1, column 11: nested deeper than 5 levels",
}


@pytest.mark.parametrize("text", READ)
def test_what_is_read(text: str) -> None:
    assert yaml_text.load(text, 5) == READ[text]


@pytest.mark.parametrize("text", REFUSED)
def test_what_is_refused_and_where(text: str) -> None:
    with pytest.raises(InvalidYAML) as error:
        yaml_text.load(text, 5)
    assert str(error.value).startswith(REFUSED[text])


@pytest.mark.parametrize("text", ["[" * 1_000_000, "- " * 500_000, "? " * 500_000, "{a: " * 300_000])
def test_depth_costs_no_more_than_is_read_of_it(text: str) -> None:
    with pytest.raises(InvalidYAML, match="nested deeper than 5 levels"):
        yaml_text.load(text, 5)


@pytest.mark.parametrize("text", ["a: \x01", "a: \x00b", "\x7f", "a: \ufffe"])
def test_characters_that_no_text_has_are_refused(text: str) -> None:
    with pytest.raises(InvalidYAML):
        yaml_text.load(text, 5)


WORDS = st.one_of(
    st.text(st.characters(exclude_categories=["Cs"]), max_size=12),
    st.sampled_from([*"~-?:,[]{}#&*!|>'\"%@`", "yes", "No", "null", "1:30", "0o17", "08", "1_0", "1e5", ".5", "<<", "=",
                     "2026-01-01", "- a", "a: b", "a #b", " a", "a ", "\n", "a\nb\n", "é\u2028x", "0x1f", "+1", "---"]),
)  # fmt: skip
PLAIN = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | WORDS,
    lambda inside: (
        st.lists(inside, max_size=4) | st.dictionaries(WORDS.filter(lambda w: w != "<<"), inside, max_size=4)
    ),
    max_leaves=20,
)


@given(PLAIN)
def test_what_is_written_is_read_as_it_was(data: Any) -> None:
    text = yaml_text.dump(data)
    assert yaml_text.load(text, 100) == data


@given(WORDS)
def test_a_string_is_one_for_readers_of_the_older_version_too(word: str) -> None:
    assert yaml.safe_load(yaml_text.dump([word])) == [word]
