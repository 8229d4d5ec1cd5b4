"""Names over the API: what they stand for, their uses, edits, and the way back."""

from __future__ import annotations

import pytest


@pytest.fixture
def names(editor) -> dict:
    return {n["name"]: n for n in editor.get("/names").json()}


def test_names_tell_what_they_stand_for(names: dict) -> None:
    assert names["petrel"]["values"] == ["10.44.201.0/24"]
    assert (names["petrel"]["uses"], names["tide-gateway"]["uses"], names["tide-feed"]["uses"]) == (1, 2, 2)
    assert names["tide-feed"]["kind"] == "service"
    assert names["tide-gateway"]["kind"] == "host"


def test_uses_lead_to_the_rules(editor, names: dict) -> None:
    told = editor.get(f"/names/{names['tide-gateway']['id']}").json()
    assert [(u["policy"], u["owner"], u["field"]) for u in told["used"]] == [
        ("sensor-side", "no-feed", "destination"), ("sensor-side", "wide-feed", "destination"),
    ]  # fmt: skip
    policy = editor.get(f"/policies/{told['used'][0]['policy_id']}").json()
    assert policy["rows"][3]["id"] == told["used"][0]["rule_id"]


def test_members_are_added_removed_or_replaced_by_name(editor, names: dict) -> None:
    """Adding to a list must not lose what it had; each kind of change is told as what it is."""
    at = f"/names/{names['petrel']['id']}"
    done = [
        editor.patch(f"{at}/members", json={"add": ["10.44.203.0/24"], "ver": 1}),
        editor.patch(f"{at}/members", json={"add": ["10.44.203.0/24", "tide-gateway"], "ver": 2}),
        editor.patch(f"{at}/members", json={"remove": ["10.44.203.0/24"], "ver": 3}),
        editor.put(at, json={"thing": {"name": "petrel", "members": ["10.44.201.0/25"]}, "ver": 4}),
        editor.put(at, json={"thing": {"name": "petrel-all", "members": ["10.44.201.0/25"]}, "ver": 5}),
    ]
    assert [d.json()["act"] for d in done] == [
        "add members",
        "add members",
        "remove members",
        "replace members",
        "rename",
    ]
    history = editor.get(f"{at}/history").json()
    assert [h["act"] for h in history] == [d.json()["act"] for d in reversed(done)]
    assert history[2]["differences"] == [
        {
            "what": "members",
            "before": "10.44.201.0/24, 10.44.203.0/24, tide-gateway",
            "after": "10.44.201.0/24, tide-gateway",
        }
    ]
    assert history[0]["person"] == "Maren"
    assert editor.get(at).json()["all_members"] == ["10.44.201.0/25"]
    policy = editor.get(f"/policies/{editor.get('').json()['policies'][0]['id']}").json()
    assert policy["rows"][0]["rule"]["source"] == ["petrel-all"]


def test_making_replacing_deleting_and_the_way_back(editor, names: dict) -> None:
    made = editor.post(
        "/names", json={"kind": "addresses", "thing": {"name": "fleet", "members": ["10.44.200.0/22"]}}
    )
    assert made.status_code == 201
    fleet = made.json()["id"]
    assert editor.get(f"/names/{fleet}").json()["same"] == ["vessels"]
    used = editor.delete(f"/names/{names['petrel']['id']}", params={"ver": 1})
    assert (used.status_code, "no-petrel" in used.json()["detail"]) == (422, True)
    gone = editor.post(f"/names/{names['petrel']['id']}/replacement", json={"by": "fleet", "ver": 1})
    assert gone.status_code == 200
    assert "petrel" not in {n["name"] for n in editor.get("/names").json()}
    assert editor.post("/undo").json()["act"] == "replace address object"
    assert "petrel" in {n["name"] for n in editor.get("/names").json()}
    assert editor.post("/redo").json()["act"] == "replace address object"
    assert "petrel" not in {n["name"] for n in editor.get("/names").json()}
    assert editor.post("/redo").status_code == 404


def test_hosts_and_strangers_are_not_edited_here(editor, names: dict) -> None:
    host = names["tide-gateway"]["id"]
    body = {"thing": {"name": "x", "members": []}, "ver": 1}
    assert editor.put(f"/names/{host}", json=body).status_code == 404
    assert editor.put("/names/999999", json=body).status_code == 404
    assert editor.get("/names/999999").status_code == 404
    wrong = editor.post(
        "/names", json={"kind": "addresses", "thing": {"name": "Petrel", "members": ["10.44.1.1/24"]}}
    )
    assert wrong.status_code == 422
    assert [p["place"] for p in wrong.json()["problems"]] == ["name", "members[0]"]
    wrong = editor.post(
        "/names",
        json={"kind": "addresses", "thing": {"name": "quays", "members": ["petrel", "10.44.1.1/24"]}},
    )
    assert [(p["place"], p["message"]) for p in wrong.json()["problems"]] == [
        ("members[1]", "10.44.1.1/24 has host bits set; the prefix is 10.44.1.0/24")
    ]
