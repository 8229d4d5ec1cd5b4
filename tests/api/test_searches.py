"""Searches that are kept by a name, and names looked for by what they stand for."""

from __future__ import annotations

import pytest
from fastapi.testclient import TestClient
from signed import Signed, sign_in


def names(editor: Signed, **asked: str) -> list[str]:
    answer = editor.get("/names/found", params=asked)
    assert answer.status_code == 200, answer.text
    called = {one["id"]: one["name"] for one in editor.get("/names").json()}
    return sorted(called[id_] for id_ in answer.json()["ids"])


def test_names_hold_and_lie_in_what_is_asked(editor: Signed) -> None:
    """Against each name's own members, address by address."""
    assert names(editor, holds="10.44.201.17") == ["petrel", "petrel-bridge", "vessels"]
    assert names(editor, holds="petrel") == ["petrel", "vessels"]
    assert names(editor, within="petrel") == ["petrel", "petrel-bridge"]
    assert names(editor, within="10.44.34.0/24") == ["berth-sensors", "tide-gateway"]
    assert names(editor, holds="tcp/8883") == ["mqtts"]
    assert names(editor, within="udp") == ["tide-feed"]
    assert names(editor, holds="10.44.201.17", within="10.44.201.0/24") == ["petrel", "petrel-bridge"]
    assert names(editor, holds="10.99.0.1") == []


def test_names_by_who_changed_them_last(editor: Signed) -> None:
    assert names(editor, by="maren") == []
    petrel = next(one for one in editor.get("/names").json() if one["name"] == "petrel")
    detail = editor.get(f"/names/{petrel['id']}").json()
    thing = {"name": "petrel", "members": detail["all_members"], "description": "the vessel"}
    assert (
        editor.put(f"/names/{petrel['id']}", json={"thing": thing, "ver": detail["ver"]}).status_code == 200
    )
    assert names(editor, by="MAREN", changed="1h") == ["petrel"]
    assert names(editor, changed="2099-01-01") == []


@pytest.mark.parametrize(
    ("asked", "field"), [({"holds": "no-such"}, "holds"), ({"within": "10.300.0.0/8"}, "within")]
)
def test_what_is_not_understood_is_told(editor: Signed, asked: dict[str, str], field: str) -> None:
    answer = editor.get("/names/found", params=asked)
    assert answer.status_code == 422 and answer.json()["problems"][0]["path"] == [field]


def test_searches_are_ones_own_unless_they_are_shared(client: TestClient, network_id: int) -> None:
    sign_in(client, "maren")
    maren = Signed(client, f"/api/networks/{network_id}")
    kept = {"place": "rules", "name": "kiosks", "line": "from:kiosks log:no"}
    mine = maren.post("/searches", json=kept).json()["id"]
    shared = maren.post(
        "/searches", json={**kept, "name": "unlogged", "line": "log:no", "shared": True}
    ).json()["id"]
    again = maren.post("/searches", json={**kept, "line": "from:kiosks"}).json()["id"]
    assert again == mine
    assert [(s["name"], s["line"], s["shared"], s["mine"]) for s in maren.get("/searches").json()] == [
        ("kiosks", "from:kiosks", False, True), ("unlogged", "log:no", True, True),
    ]  # fmt: skip
    for wrong in (
        {**kept, "name": " "},
        {**kept, "line": ""},
        {**kept, "place": "elsewhere"},
        {**kept, "name": "n" * 101},
    ):
        assert maren.post("/searches", json=wrong).status_code == 422
    sign_in(client, "guest")
    guest = Signed(client, f"/api/networks/{network_id}")
    assert [(s["name"], s["person"], s["mine"]) for s in guest.get("/searches").json()] == [
        ("unlogged", "Maren", False)
    ]
    own = guest.post("/searches", json={**kept, "name": "of a guest"})
    assert own.status_code == 201
    assert guest.post("/searches", json={**kept, "shared": True}).status_code == 403
    assert guest.delete(f"/searches/{shared}").status_code == 404
    assert guest.delete(f"/searches/{mine}").status_code == 404
    assert guest.delete(f"/searches/{own.json()['id']}").status_code == 204
    sign_in(client, "maren")
    maren = Signed(client, f"/api/networks/{network_id}")
    assert maren.delete(f"/searches/{shared}").status_code == 204
    assert [s["name"] for s in maren.get("/searches").json()] == ["kiosks"]
