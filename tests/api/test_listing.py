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
        assert json.loads(text) == anew.out(rows).model_dump(mode="json")
        assert editor.get(path).content == text
    assert few > 20  # most edits leave some rows as they were
