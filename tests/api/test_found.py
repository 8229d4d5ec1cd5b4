"""Rules looked for by what they speak of and by who changed them: against what each rule's members mean, one address at a time."""

from __future__ import annotations

import random

import pytest

from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network
from sarvex.core.sets import addresses, services


def policy_of(editor) -> int:
    return editor.get("").json()["policies"][0]["id"]


def rows(editor) -> list[dict]:
    return editor.get(f"/policies/{policy_of(editor)}").json()["rows"]


def found(editor, **sought: str) -> list[str]:
    answer = editor.get(f"/policies/{policy_of(editor)}/found", params=sought)
    assert answer.status_code == 200, answer.text
    names = {row["id"]: row["rule"]["name"] for row in rows(editor)}
    return [names[id_] for id_ in answer.json()["ids"]]


def test_rules_are_found_by_every_address_that_they_speak_of(
    editor, worked_example: Network, rng: random.Random
) -> None:
    """By names, and by single addresses of and around each rule; what is said of any is said of nobody."""
    names = Names(worked_example)
    policy = worked_example.policies[0]
    told = dict(zip((r.name for r in policy.rules), matches_of(policy, names), strict=True))
    wanted = {"source", "destination"}
    for field in wanted:
        texts = {m for rule in policy.rules for m in rule.members(field) if m != "any"}
        for name in sorted(texts):
            for family, span in ((f, s) for f in (4, 6) for s in names.address(name)[f][:2]):
                value = rng.choice([span[0], span[1], max(span[0] - 1, 0)])
                text = addresses.describe(addresses.span(family, value, value))[0]
                one = addresses.parse(text)
                fitting = [
                    r.name for r in policy.rules
                    if "any" not in r.members(field) and addresses.intersection(getattr(told[r.name], field), one)
                ]  # fmt: skip
                assert found(editor, **{field: text}) == fitting, (field, text)
            assert any(
                name in r.members(field) for r in policy.rules if r.name in found(editor, **{field: name})
            )
    by_port = found(editor, service="tcp/8883")
    assert by_port == [
        r.name for r in policy.rules
        if "any" not in r.service and any(len(services.intersection(told[r.name].service, services.parse("tcp/8883"))[f]) for f in (4, 6))
    ]  # fmt: skip
    assert set(found(editor, source="any")) == {r.name for r in policy.rules if "any" in r.source}
    assert len(by_port) and set(found(editor, service="tcp/8883", source="petrel")) <= set(by_port)


def test_rules_are_found_by_who_changed_them_last(editor) -> None:
    assert found(editor, by="maren") == [] and found(editor, changed="7d") == []
    first, second = rows(editor)[:2]
    policy = policy_of(editor)
    body = {"rule": first["rule"] | {"description": "why it is there"}, "ver": first["ver"]}
    assert editor.put(f"/policies/{policy}/rules/{first['id']}", json=body).status_code == 200
    assert (
        found(editor, by="MAR")
        == [first["rule"]["name"]]
        == found(editor, changed="1h")
        == found(editor, changed="2020-01-01", by="maren")
    )
    assert found(editor, by="gus") == found(editor, changed="2099-01-01") == []
    off = editor.post(
        f"/policies/{policy}/rules/many", json={"rules": [[second["id"], second["ver"]]], "act": "disable"}
    )
    assert off.status_code == 200 and len(found(editor, by="maren")) == 2


@pytest.mark.parametrize("sought", [{"source": "nobody"}, {"service": "tcp/99999"}, {"changed": "soon"}])
def test_what_is_not_understood_is_told_and_not_passed_over(editor, sought: dict[str, str]) -> None:
    refused = editor.get(f"/policies/{policy_of(editor)}/found", params=sought)
    assert refused.status_code == 422
    assert [p["place"] for p in refused.json()["problems"]] == list(sought)
