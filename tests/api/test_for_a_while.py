"""Rules that are there for a while: told before, listed on the home, over by themselves."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from signed import Signed

from sarvex.core.time import moments
from sarvex.formats import document, effects

TODAY = datetime.now(UTC).date()
BLOCK = 0


def day(more: int) -> str:
    return (TODAY + timedelta(days=more)).isoformat()


@pytest.fixture
def policy(editor: Signed) -> dict:
    line = editor.get("").json()["policies"][0]
    return editor.get(f"/policies/{line['id']}").json()


def visit(until: str) -> dict:
    return {
        "name": "visit", "action": "allow", "source": ["10.44.220.11"], "destination": ["tide-gateway"], "service": ["mqtts"],
        "until": until, "owner": "Maren",
    }  # fmt: skip


def add(editor: Signed, policy: dict, rule: dict) -> dict:
    place = {"after": None, "before": policy["rows"][0]["id"]}
    answer = editor.post(f"/policies/{policy['id']}/rules", json={"rule": rule, "place": place})
    assert answer.status_code == 201, answer.text
    rows = editor.get(f"/policies/{policy['id']}").json()["rows"]
    return next(row for row in rows if row["id"] == answer.json()["rule_id"])


def changes(answer: dict) -> list[tuple]:
    (one,) = answer["policies"]
    return [(c["change"], c["source"], c["service"], c["when"]) for c in one["changes"]]


def test_what_it_does_and_what_its_end_does_are_told_before(editor: Signed, policy: dict) -> None:
    """A last day that no other rule has: the moments are told apart by it as soon as it is typed."""
    place = {"after": None, "before": policy["rows"][0]["id"]}
    edit = {"act": "insert", "rule": visit(day(5)), "place": place}
    answer = editor.post(f"/policies/{policy['id']}/consequence", json={"edit": edit, "patience": 10}).json()
    assert answer["problems"] == []
    assert changes(answer) == [("newly allowed", ["10.44.220.11"], ["mqtts"], f"until {day(5)}")]
    row = add(editor, policy, visit(day(5)))
    assert (row["rule"]["until"], row["rule"]["owner"], row["decides"]) == (day(5), "Maren", "all")
    ending = f"/policies/{policy['id']}/rules/{row['id']}/ending"
    answer = editor.post(ending, json={"patience": 10}).json()
    assert changes(answer) == [("newly blocked", ["10.44.220.11"], ["mqtts"], f"from {day(6)}")]
    # The same is told of two whole documents, and nothing else.
    now = document.load(editor.get("/document").text)
    old = document.load(editor.get("/document").text.replace(day(5), day(1)))
    (told,) = effects.compare(old, now).changes
    assert (told.kind, told.when) == ("newly allowed", f"from {day(2)} to {day(5)}")
    assert (
        editor.post(ending.replace(str(row["id"]), str(policy["rows"][1]["id"])), json={}).status_code == 404
    )


def test_the_home_tells_what_ends_and_what_has_ended(editor: Signed, policy: dict) -> None:
    assert editor.get("/standing").json()["ending"] == []
    soon = add(editor, policy, visit(day(14)))
    add(editor, policy, {**visit(day(15)), "name": "later"})
    over = add(editor, policy, {**visit(day(-1)), "name": "over"})
    listed = editor.get("/standing").json()["ending"]
    assert [(e["rule"], e["until"], e["owner"], e["ended"]) for e in listed] == [
        ("over", day(-1), "Maren", True), ("visit", day(14), "Maren", False),
    ]  # fmt: skip
    assert [e["rule_id"] for e in listed] == [over["id"], soon["id"]]
    expired = next(f for f in over["findings"] if f["kind"] == "expired")
    assert over["decides"] == "none" and f"until {day(-1)}" in expired["text"]
    # It decides nothing any more, so it goes without any change, proven.
    gone = {"edit": {"act": "delete", "rules": [over["id"]]}, "patience": 10}
    assert editor.post(f"/policies/{policy['id']}/consequence", json=gone).json()["policies"][0]["equal"]


def test_it_is_written_changed_and_taken_back_like_any_field(editor: Signed, policy: dict) -> None:
    row = add(editor, policy, visit(day(5)))
    path = f"/policies/{policy['id']}/rules/{row['id']}"
    later = {"rule": {**row["rule"], "until": day(9), "owner": "Anders"}, "ver": row["ver"]}
    assert editor.put(path, json=later).status_code == 200
    said = editor.get(f"/rules/{row['id']}/history").json()[0]["differences"]
    assert {(d["what"], d["before"], d["after"]) for d in said} == {
        ("until", day(5), day(9)),
        ("owner", "Maren", "Anders"),
    }
    editor.post("/undo", json={})
    assert editor.get(f"/policies/{policy['id']}").json()["rows"][0]["rule"]["until"] == day(5)
    again = document.load(editor.get("/document").text)
    assert again.policies[0].rules[0].until == day(5) and again.policies[0].rules[0].owner == "Maren"


@pytest.mark.parametrize("until", ["tomorrow", "2026-02-30", "2027-3-1"])
def test_what_is_no_date_is_refused_with_its_place(editor: Signed, policy: dict, until: str) -> None:
    place = {"after": None, "before": policy["rows"][0]["id"]}
    answer = editor.post(f"/policies/{policy['id']}/rules", json={"rule": visit(until), "place": place})
    assert answer.status_code == 422
    (problem,) = answer.json()["problems"]
    assert problem["path"][-1] == "until" and "write the last day" in problem["message"]


def test_more_last_days_than_can_be_told_apart_are_refused(
    editor: Signed, policy: dict, monkeypatch: pytest.MonkeyPatch
) -> None:
    row = add(editor, policy, visit(day(5)))
    monkeypatch.setattr(moments, "CLASSES", 2)
    place = {"after": row["id"], "before": policy["rows"][0]["id"]}
    second = {**visit(day(6)), "name": "second"}
    answer = editor.post(f"/policies/{policy['id']}/rules", json={"rule": second, "place": place})
    assert answer.status_code == 422 and "classes of moments" in answer.text
    same = {**visit(day(5)), "name": "same day"}
    assert (
        editor.post(f"/policies/{policy['id']}/rules", json={"rule": same, "place": place}).status_code == 201
    )
