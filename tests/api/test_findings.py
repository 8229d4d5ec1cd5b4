"""Findings over the API: where each is, accepted until a date, and what is new since an edition."""

from __future__ import annotations

import pytest


def found(editor, kind: str, rule: str | None = None, **params: object) -> dict:
    told = editor.get("/findings", params=params).json()
    return next(f for f in told if f["kind"] == kind and (rule is None or f["rule"] == rule))


def accept(editor, finding: dict, **more: object):
    body = {"key": finding["key"], "reason": "the refit comes", "until": "2031-03-31"} | more
    return editor.post("/findings/acceptances", json=body)


def row_of(editor, finding: dict) -> dict:
    rows = editor.get(f"/policies/{finding['policy_id']}").json()["rows"]
    return next(r for r in rows if r["id"] == finding["rule_id"])


def warnings_of(editor) -> int:
    editor.get("/findings")  # waits until all is worked out
    return sum(p["warnings"] for p in editor.get("").json()["policies"])


def test_it_is_told_where_each_is(editor) -> None:
    dead = found(editor, "shadowed", "bridge")
    row = row_of(editor, dead)
    assert (row["rule"]["name"], row["position"], row["ver"]) == (
        "bridge",
        dead["position"],
        dead["rule_ver"],
    )
    assert dead["key"] and dead["accepted"] is None and dead["fresh"] is False


def test_accepted_it_is_told_so_and_counts_no_more(editor) -> None:
    dead, before = found(editor, "shadowed", "bridge"), warnings_of(editor)
    done = accept(editor, dead, request_key="once")
    assert done.status_code == 200 and done.json()["revision"] == 1, done.text
    assert accept(editor, dead, request_key="once").json()["revision"] == 1
    now = found(editor, "shadowed", "bridge")
    assert now["accepted"] == {"reason": "the refit comes", "until": "2031-03-31"}
    assert warnings_of(editor) == before - 1
    row = row_of(editor, dead)
    assert row["rule"]["accepted"][0]["reason"] == "the refit comes" and row["findings"][0]["accepted"]
    history = editor.get(f"/rules/{dead['rule_id']}/history")
    assert history.status_code == 404 or "accept" in history.text
    assert editor.post("/undo", json={}).json()["act"] == "accept finding"
    assert found(editor, "shadowed", "bridge")["accepted"] is None
    editor.post("/redo", json={})
    again = found(editor, "shadowed", "bridge")
    assert again["accepted"]
    back = editor.post("/findings/acceptances/back", json={"key": again["key"]})
    assert back.status_code == 200, back.text
    assert found(editor, "shadowed", "bridge")["accepted"] is None and warnings_of(editor) == before


@pytest.mark.parametrize(
    ("more", "status", "says"),
    [
        ({"reason": "  "}, 422, "say why"),
        ({"until": "2020-01-01"}, 422, "that day is past"),
        ({"until": "soon"}, 422, "is no date"),
        ({"key": "0123456789abcdef"}, 404, "not found any more"),
        ({"key": ""}, 404, "not found any more"),
    ],
)
def test_what_cannot_be_accepted_says_why(editor, more: dict, status: int, says: str) -> None:
    refused = accept(editor, found(editor, "shadowed", "bridge"), **more)
    assert refused.status_code == status and says in refused.text
    assert editor.get("").json()["revision"] == 0


def test_what_was_changed_meanwhile_is_not_accepted_as_it_was(editor) -> None:
    dead = found(editor, "shadowed", "bridge")
    path = f"/policies/{dead['policy_id']}/rules/{dead['rule_id']}"
    row = row_of(editor, dead)
    rule = row["rule"] | {"service": ["tcp/8883"]}
    assert editor.put(path, json={"rule": rule, "ver": row["ver"]}).status_code == 200
    assert accept(editor, dead).status_code == 404
    assert accept(editor, found(editor, "shadowed", "bridge")).status_code == 200


def test_what_no_calendar_knows_is_refused_where_it_stands(editor) -> None:
    """Written into a rule by hand: what findings read later must be a date."""
    dead = found(editor, "shadowed", "bridge")
    row = row_of(editor, dead)
    for wrong, at in (({"until": "soon"}, "until"), ({"reason": " "}, "reason")):
        accepted = {"finding": "shadowed", "reason": "r", "until": "2031-01-01"} | wrong
        path = f"/policies/{dead['policy_id']}/rules/{dead['rule_id']}"
        refused = editor.put(path, json={"rule": row["rule"] | {"accepted": [accepted]}, "ver": row["ver"]})
        assert refused.status_code == 422 and refused.json()["problems"][0]["path"][-1] == at, refused.text
    assert editor.get("/findings").status_code == 200


def test_a_name_keeps_what_is_accepted_of_it_when_it_is_edited(editor) -> None:
    made = editor.post("/names", json={"kind": "service", "thing": {"name": "spare", "members": ["tcp/1"]}})
    assert made.status_code == 201, made.text
    assert accept(editor, found(editor, "unused")).status_code == 200
    detail = editor.get(f"/names/{made.json()['id']}").json()
    thing = {"name": "spare", "members": ["tcp/1"], "description": "for the crane"}
    done = editor.put(f"/names/{made.json()['id']}", json={"thing": thing, "ver": detail["ver"]})
    assert done.status_code == 200, done.text
    assert found(editor, "unused")["accepted"]


def test_new_since_an_edition(editor) -> None:
    assert editor.post("/editions", json={"comment": "as it is"}).status_code == 201
    dead = found(editor, "shadowed", "bridge", since=1)
    assert dead["fresh"] is False
    editor.post("/names", json={"kind": "service", "thing": {"name": "spare", "members": ["tcp/1"]}})
    told = editor.get("/findings", params={"since": 1}).json()
    assert [f["name"] for f in told if f["fresh"]] == ["spare"]
    # The same under another name is not new.
    row = row_of(editor, dead)
    path = f"/policies/{dead['policy_id']}/rules/{dead['rule_id']}"
    assert (
        editor.put(path, json={"rule": row["rule"] | {"name": "the bridge"}, "ver": row["ver"]}).status_code
        == 200
    )
    assert found(editor, "shadowed", "the bridge", since=1)["fresh"] is False
    assert editor.get("/findings", params={"since": 7}).status_code == 404
