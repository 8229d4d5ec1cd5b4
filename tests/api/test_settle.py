"""Settling over the API: told, done once, and the second time nothing at all."""

from __future__ import annotations

import pytest

WISH = """
sarvex: 1
settle:
  addresses:
    - {name: spare sensors, members: {merge: [10.44.34.90]}}
"""
MORE = WISH.replace("10.44.34.90", "10.44.34.91")


def settle(editor, text: str = WISH, **more: object):
    return editor.post("/settle", json={"text": text, **more})


def test_it_is_told_done_and_twice_is_nothing(editor) -> None:
    revision = editor.get("").json()["revision"]
    told = settle(editor, check=True).json()
    assert told["changed"] and told["revision"] == revision == editor.get("").json()["revision"]
    assert [(d["section"], d["name"], d["change"]) for d in told["differences"]] == [
        ("addresses", "spare sensors", "added")
    ]
    done = settle(editor, request_key="one").json()
    assert done["changed"] and done["revision"] == revision + 1
    for again in (settle(editor), settle(editor, check=True), settle(editor, request_key="one")):
        assert again.json() == {"changed": False, "differences": [], "revision": revision + 1}
    assert editor.get("").json()["revision"] == revision + 1
    assert editor.post("/undo", json={}).json()["act"] == "settle"
    assert all(n["name"] != "spare sensors" for n in editor.get("/names").json())


def test_it_extends_what_others_put_there_meanwhile(editor) -> None:
    assert settle(editor).json()["changed"]
    name = next(n for n in editor.get("/names").json() if n["name"] == "spare sensors")
    detail = editor.get(f"/names/{name['id']}").json()
    theirs = {
        "name": "spare sensors",
        "members": [*detail["all_members"], "10.44.34.77"],
        "description": "theirs",
    }
    assert editor.put(f"/names/{name['id']}", json={"thing": theirs, "ver": detail["ver"]}).status_code == 200
    assert settle(editor, MORE).json()["differences"][0]["what"] == ["members"]
    after = editor.get(f"/names/{name['id']}").json()
    assert (
        after["all_members"] == ["10.44.34.90", "10.44.34.77", "10.44.34.91"]
        and after["description"] == "theirs"
    )


@pytest.mark.parametrize(
    ("text", "place"),
    [("{", ""), (WISH.replace("{merge: [10.44.34.90]}", "[10.44.34.90]"), "settle.addresses[spare sensors].members"), (WISH.replace("10.44.34.90", "10.44.34.900"), "addresses[spare sensors].members[0]")],
)  # fmt: skip
def test_what_is_refused_is_told_at_its_place_and_changes_nothing(editor, text: str, place: str) -> None:
    revision = editor.get("").json()["revision"]
    for check in (True, False):
        refused = settle(editor, text, check=check)
        assert refused.status_code == 422, refused.text
        assert any(p["place"].startswith(place) for p in refused.json()["problems"]), refused.text
    assert editor.get("").json()["revision"] == revision


def test_it_is_brought_in_like_any_other_text(editor) -> None:
    told = editor.post("/to-come", json={"form": "changes", "text": WISH})
    assert told.status_code == 200 and told.json()["differences"][0]["name"] == "spare sensors", told.text
    done = editor.post(
        "/bring-in", json={"form": "changes", "text": WISH, "revision": told.json()["revision"]}
    )
    assert done.status_code == 200 and done.json()["revision"] == told.json()["revision"] + 1
    assert editor.post("/to-come", json={"form": "changes", "text": WISH}).json()["differences"] == []
