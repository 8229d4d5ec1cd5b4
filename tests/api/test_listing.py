"""A policy's list as text: rows that are kept are the rows that would be made anew."""

from __future__ import annotations

import json
import random

import pytest
from fastapi.testclient import TestClient

from sarvex.api import listing
from sarvex.service.analysis.network_cache import Loaded


def opened(client: TestClient, network_id: int) -> Loaded:
    with client.app.state.sessions() as session:
        return client.app.state.cache.open(session, network_id)


def added_to(there: dict, told: dict) -> dict:
    """A policy as it is, from what was there and what is told of it."""
    if told["known"] is None:
        assert told["runs"] == []
        return told
    assert told["known"] == there["version"]
    rows, new = [], iter(told["rows"])
    for start, length in ((run["first"], run["length"]) for run in told["runs"]):
        rows += [next(new) for _ in range(length)] if start < 0 else there["rows"][start : start + length]
    assert next(new, None) is None
    return told | {"rows": [row | {"position": at} for at, row in enumerate(rows, 1)]}


def test_what_is_told_to_whoever_knows_an_older_version_adds_up(
    editor, network_id: int, rng: random.Random, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Several lookers, each with a version of its own; some so old that they are told all."""
    monkeypatch.setattr(listing, "VERSIONS", 4)
    path = f"/policies/{editor.get('').json()['policies'][0]['id']}"
    there = [editor.get(path).json() for _ in range(6)]
    few = whole = 0
    for step in range(60):
        who = rng.randrange(6) if step % 10 else 0
        knows = {"Sarvex-Known": there[who]["version"]}
        rows = editor.get(path).json()["rows"]
        row, other = rng.sample(rows, 2)
        rule, at, place = row["rule"], f"{path}/rules/{row['id']}", {"after": None, "before": other["id"]}
        match rng.randrange(5):
            case 0:
                told = editor.post(f"{at}/move", json={"place": place, "ver": row["ver"]}, headers=knows)
            case 1:
                body = {"rule": rule | {"enabled": not rule["enabled"]}, "ver": row["ver"]}
                told = editor.put(at, json=body, headers=knows)
            case 2 if len(rows) > 4:
                told = editor.delete(f"{at}?ver={row['ver']}", headers=knows)
            case _:
                body = {"rule": rule | {"name": f"made in step {step}"}, "place": place}
                told = editor.post(f"{path}/rules", json=body, headers=knows)
        assert told.status_code in (200, 201), told.text
        answer = told.json()["policy"]
        few += len(answer["rows"]) < len(rows) - 1
        whole += answer["known"] is None
        there[who] = added_to(there[who], answer)
        now = editor.get(path).json()
        assert there[who]["rows"] == now["rows"] and there[who]["version"] == now["version"]
        assert editor.get(path, headers={"Sarvex-Known": now["version"]}).json()["rows"] == []
    assert few > 10 and whole > 5


def test_the_first_rows_alone(editor, network_id: int) -> None:
    path = f"/policies/{editor.get('').json()['policies'][0]['id']}"
    whole = editor.get(path).json()
    for first in (1, 3, 1000):
        told = editor.get(f"{path}?first={first}").json()
        assert told == whole | {"rows": whole["rows"][:first], "version": ""}
    assert editor.get(f"{path}?first=0").status_code == 422


@pytest.mark.parametrize("known", ["", "x", "-", "00000000-1", "HERE-", "HERE-999999", "HERE-٣", "HERE--1"])
def test_a_version_that_is_not_known_is_told_all(editor, network_id: int, known: str) -> None:
    path = f"/policies/{editor.get('').json()['policies'][0]['id']}"
    whole = editor.get(path).json()
    header = known.replace("HERE", whole["version"].partition("-")[0]).encode()
    assert editor.get(path, headers={"Sarvex-Known": header}).json() == whole
    assert editor.get(path, headers={"Sarvex-Known": "x" * 41}).status_code == 422


def test_rows_kept_over_edits_are_as_rows_made_anew(
    client: TestClient, editor, network_id: int, rng: random.Random, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = f"/policies/{editor.get('').json()['policies'][0]['id']}"
    made: list[int] = []
    plain = listing.Listing.row
    monkeypatch.setattr(listing.Listing, "row", lambda self, at: made.append(at) or plain(self, at))
    few = 0
    for step in range(40):
        rows = editor.get(path).json()["rows"]
        row, other = rng.sample(rows, 2)
        rule, at = row["rule"], f"{path}/rules/{row['id']}"
        place = {"after": None, "before": other["id"]}
        match step % 5:
            case 0:
                told = editor.post(f"{at}/move", json={"place": place, "ver": row["ver"]})
            case 1:
                body = {"rule": rule | {"description": f"in step {step}"}, "ver": row["ver"]}
                told = editor.put(at, json=body)
            case 2:
                told = editor.put(
                    at, json={"rule": rule | {"enabled": not rule["enabled"]}, "ver": row["ver"]}
                )
            case 3:  # the same name, another rule
                assert editor.delete(f"{at}?ver={row['ver']}").status_code == 200
                told = editor.post(f"{path}/rules", json={"rule": rule, "place": place})
            case 4:
                body = {"rule": rule | {"action": rng.choice(["allow", "drop", "reject"])}, "ver": row["ver"]}
                told = editor.put(at, json=body)
        assert told.status_code in (200, 201), told.text
        loaded = opened(client, network_id)
        policy = loaded.network.policies[0]
        made.clear()
        text = listing.written(loaded, policy)
        few += len(made) < len(policy.rules)
        anew = listing.Listing(loaded, policy)
        rows = [anew.row(at) for at in range(len(policy.rules))]
        assert json.loads(text) | {"version": ""} == anew.out(rows).model_dump(mode="json")
        assert editor.get(path).content == text
    assert few > 20  # most edits leave some rows as they were
