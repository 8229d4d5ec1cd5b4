"""The network document: read whole or refused with every place, written back the same."""

from __future__ import annotations

import json
import random
import time
from pathlib import Path

import jsonschema
import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from sarvex.core.model.problems import MOST_PROBLEMS
from sarvex.core.model.records import Network
from sarvex.formats import document
from sarvex.formats.document import InvalidDocument

ROOT = Path(__file__).parent.parent.parent
MERROW = (ROOT / "demo/merrow.yaml").read_text()
SMALL = {
    "sarvex": 1,
    "name": "small",
    "segments": [{"name": "quay", "prefixes": ["10.44.1.0/24"]}],
    "hosts": [{"name": "crane", "segment": "quay", "addresses": ["10.44.1.5"]}],
    "policies": [
        {
            "name": "p",
            "default": "drop",
            "rules": [
                {
                    "name": "r",
                    "action": "allow",
                    "source": ["crane"],
                    "destination": ["any"],
                    "service": ["any"],
                }
            ],
        }
    ],
}


BOMB = "sarvex: 1\n" + "".join(
    f"a{i}: &a{i} [{f'*a{i - 1}, *a{i - 1}' if i else 'x, x'}]\n" for i in range(30)
)
"""A kilobyte that says two thousand million values."""


def refused(data: object) -> list[str]:
    with pytest.raises(document.InvalidDocument) as error:
        document.load(data if isinstance(data, str) else json.dumps(data))
    return [str(p) for p in error.value.problems]


def edited(**changes: object) -> dict:
    """SMALL with values replaced at dotted paths, such as policies.0.default."""
    data = json.loads(json.dumps(SMALL))
    for path, value in changes.items():
        *steps, last = path.split("__")
        at = data
        for step in steps:
            at = at[int(step)] if step.isdigit() else at[step]
        at[int(last) if last.isdigit() else last] = value
    return data


@pytest.mark.parametrize("form", ["yaml", "json"])
def test_writing_and_reading_is_the_identity(merrow: Network, worked_example: Network, form: str) -> None:
    for network in (merrow, worked_example):
        assert document.load(document.dump(network, form)) == network


def test_the_published_schema_agrees(merrow: Network) -> None:
    schema = json.loads((ROOT / "docs/schema/network.json").read_text())
    validator = jsonschema.Draft202012Validator(schema)
    assert not list(validator.iter_errors(document.to_data(merrow)))
    assert not list(validator.iter_errors(yaml.safe_load(MERROW)))
    for key in document.PLANNED["Network"]:
        assert list(validator.iter_errors(edited(**{key: []})))
    assert list(validator.iter_errors(edited(policies__0__default="permit")))


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"sarvex": 2}, 'sarvex: this version reads documents marked "sarvex: 1"'),
        ({"feeds": []}, "feeds: planned (imported address lists)"),
        ({"policies__0__rules__0__next_hop": "x"}, "policies[p].rules[r].next_hop: planned"),
        ({"policies__0__rules__0__schedule": "night"}, "policies[p].rules[r].schedule: no schedule is called 'night'"),
        ({"schedules": [{"name": "night"}]}, "schedules[night].windows: field required"),
        ({"schedules": [{"name": "night", "windows": ["25:00"]}]}, "schedules[night].windows[0]: '25:00' is no window"),
        ({"schedules": [{"name": "night", "windows": ["daily"], "except_": ["mon"]}]}, "except_: no such key"),
        ({"time_zone": "Nowhere/Land"}, "time_zone: no time zone is called"),
        ({"policies__0__rules__0__colour": "red"}, "policies[p].rules[r].colour: no such key"),
        ({"policies__0__default": "permit"}, "policies[p].default: input should be"),
        ({"policies__0__rules__0__source": []}, "policies[p].rules[r].source: name at least one"),
        ({"policies__0__rules__0__source": ["cran"]}, "did you mean crane?"),
        ({"policies__0__rules__0__enabled": "yes"}, "policies[p].rules[r].enabled: input should be a valid boolean"),
        ({"hosts__0__segment": "key"}, "hosts[crane].segment: no segment is called 'key'"),
        ({"hosts__0__addresses": ["10.44.1.0/30"]}, "hosts[crane].addresses[0]: 10.44.1.0/30 is more than one address"),
        ({"hosts__0__name": "Quay"}, "hosts[Quay].name: the name 'Quay' is taken already, in segments"),
        ({"hosts__0__name": "10.44.1.5"}, "a name must not look like one"),
        ({"segments__0__prefixes": ["10.44.1.7/24"]}, "the prefix is 10.44.1.0/24"),
        ({"segments__0__prefixes": []}, "only an outside segment may list no prefix"),
        ({"segments__0__vlan": 4095}, "segments[quay].vlan: a VLAN id is a number from 1 to 4094"),
        ({"addresses": [{"name": "a", "members": ["b"]}, {"name": "b", "members": ["a"]}]}, "contains itself"),
        ({"services": [{"name": "tcp/443", "members": ["tcp/443"]}]}, "a service in words already"),
        ({"devices": [{"name": "d", "policies": [{"policy": "q"}]}]}, "devices[d].policies[0].policy: no policy is called 'q'"),
        ({"devices": [{"name": "d", "policies": [{"policy": "p", "leaving": ["moon"]}]}]}, "is called 'moon'"),
        ({"devices": [{"name": "d", "policies": [{"policy": "p", "stage": "inbound", "leaving": ["d"]}]}]}, "not yet known at stage inbound"),
    ],
)  # fmt: skip
def test_refusals_name_the_place(changes: dict, says: str) -> None:
    assert any(says in line for line in refused(edited(**changes))), refused(edited(**changes))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "line 1, column 2"),
        ('{"sarvex": 1, "name": "a", "name": "b"}', "stands twice"),
        ("sarvex: 1\nname: a\nname: b", "line 3"),
        ("- a", "a network document is a mapping"),
        ("", "a network document is a mapping"),
        ("sarvex: 1\nname: 2026", "input should be a valid string"),
        ("sarvex: 1\nname: 0x" + "f" * 5000, "thousands of digits"),
        ('{"sarvex": ' + "9" * 5000 + "}", "thousands of digits"),
        ("sarvex: 1\nname: n\ndescription: " + "x" * 50_000_000, "larger than 50 MB"),
        (json.dumps({"sarvex": 1, "name": "n", **{f"k{n}": 1 for n in range(300)}}), "more than 200 keys"),
        (BOMB, "more than 2,000,000 values"),
        ('{"sarvex": 1, "name": [' + "[]," * 2_000_001 + "[]]}", "more than 2,000,000 values"),
        ('{"sarvex": 1, "name": ' + "[" * 50 + "]" * 50 + "}", "nested deeper"),
        ('{"sarvex": 1, "name": ' + "[" * 100_000, "nested deeper"),
        ("sarvex: 1\nname: &a [*a]", "document"),
    ],
)
def test_broken_texts_are_refused(text: str, says: str) -> None:
    assert says in refused(text)[0]


@pytest.mark.parametrize("wrong", [300, 6_000, 30_000])
@pytest.mark.parametrize("before", [0, 20_000])
def test_of_very_many_problems_the_first_are_told_and_all_are_counted(wrong: int, before: int) -> None:
    """As if each was made into words, wherever they begin; if they begin early and are very many, the rest is not looked at."""
    good = [{"name": f"z{n}"} for n in range(before)]
    told = refused(
        {"sarvex": 1, "name": "n", "zones": good + [{"name": f"y{n}", "a": 1} for n in range(wrong)]}
    )
    words = "no such key; check its spelling or remove it"
    assert told[:-1] == [f"zones[y{n}].a: {words}" for n in range(MOST_PROBLEMS - 1)]
    looked_at = 10_000 if before == 0 and wrong > 10_000 else wrong
    least = "at least " if looked_at < wrong else ""
    assert told[-1] == f"document: {least}{looked_at - MOST_PROBLEMS + 1:,} more problems"


def test_all_problems_are_told_at_once() -> None:
    assert len(refused(edited(hosts__0__segment="x", policies__0__rules__0__service=["tcp/99999"]))) == 2


@given(st.integers(0, 2**32))
def test_a_damaged_document_is_refused_or_read_never_crashes(seed: int) -> None:
    rng = random.Random(seed)
    text = json.dumps(SMALL)
    for _ in range(rng.randint(1, 4)):
        at = rng.randrange(len(text))
        text = (
            text[:at]
            + rng.choice(['"', "{", "]", ",", "0", "null", "é", "", "any"])
            + text[at + rng.randint(0, 3) :]
        )
    try:
        network = document.load(text)
    except document.InvalidDocument as error:
        assert error.problems
    else:
        assert document.load(document.dump(network)) == network


def test_dates_need_no_quotes() -> None:
    written = "sarvex: 1\nname: n\nschedules: [{name: s, windows: [mon 09:00-10:00], first: 2026-11-23}]"
    assert document.load(written).schedules[0].first == "2026-11-23"


def test_yaml_that_takes_too_long_is_refused_where_others_wait() -> None:
    text = "sarvex: 1\nname: n\n" + "# a remark\n" * 1000
    assert document.parse(text)["name"] == "n"
    with pytest.raises(document.InvalidDocument, match="write it as JSON"):
        document.parse(text, most_yaml=5000)


@pytest.mark.parametrize(
    "text",
    [
        "sarvex: 1\nname: " + "[" * 100_000,
        "sarvex: 1\nname: " + "{a: " * 50_000,
        "sarvex: 1\nname: x\nzones:\n" + "- " * 50_000 + "x",
        "sarvex: 1\nname: x\nzones:\n" + "? " * 50_000 + "x",
        "[" * 50_000 + "]" * 50_000,
    ],
)
def test_what_is_nested_for_ever_is_refused_before_it_is_read(text: str) -> None:
    """A reader that looks at each level of all levels would be busy for hours."""
    began = time.monotonic()
    with pytest.raises(InvalidDocument, match="nested deeper than 40 levels"):
        document.parse(text)
    assert time.monotonic() - began < 2


def test_brackets_in_words_are_words() -> None:
    words = "see [1] and [2] " * 200
    network = document.load(f"sarvex: 1\nname: x\ndescription: {words!r}")
    assert network.description == words.strip() or network.description == words


def test_a_document_with_a_hundred_thousand_mistakes_tells_two_hundred(rng: random.Random) -> None:
    text = json.dumps({"sarvex": 1, "name": "x", "zones": [{"nothing": n} for n in range(100_000)]})
    with pytest.raises(InvalidDocument) as refused:
        document.load(text)
    assert len(refused.value.problems) == 200
    assert (
        refused.value.problems[-1].message == "at least 201 more problems"
    )  # a name missing, a key too much
