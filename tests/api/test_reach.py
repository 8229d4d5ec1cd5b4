"""All segments over the API."""

from __future__ import annotations

import pytest


def cells(editor, **query: str) -> dict[tuple[str, str], dict]:
    answer = editor.get("/matrix", params=query)
    assert answer.status_code == 200, answer.text
    return {(c["source"], c["destination"]): c for c in answer.json()["cells"]}


def test_pairs_of_which_something_works_are_told_in_words(editor) -> None:
    told = cells(editor)
    feed = told["vessels", "berth-sensors"]
    assert feed["verdict"] == "some" and feed["services"][:2] == ["mqtts", "tide-feed"]
    assert all(c["verdict"] != "none" for c in told.values())
    by_mqtts = cells(editor, service="mqtts")["vessels", "berth-sensors"]
    assert by_mqtts["services"] == ["mqtts"]
    assert ("vessels", "berth-sensors") not in cells(editor, service="tcp/22")
    assert any(c["itself"] for c in told.values()) == any(d == "vessel-gate" for _, d in told)


@pytest.mark.parametrize("query", [{"service": "htps"}, {"at": "whenever"}])
def test_words_that_mean_nothing_are_refused_where_they_stand(editor, query: dict[str, str]) -> None:
    answer = editor.get("/matrix", params=query)
    assert answer.status_code == 422
    assert [p["place"] for p in answer.json()["problems"]] == list(query)


def test_what_takes_too_long_is_refused_and_says_what_to_do(editor, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("sarvex.service.analysis.reach.in_time", lambda _: lambda: False)
    answer = editor.get("/matrix")
    assert answer.status_code == 422 and "ask for one service" in answer.json()["detail"]


def test_while_nothing_is_in_force_the_draft_changes_nothing(editor) -> None:
    told = editor.get("/matrix/changes").json()
    assert (told["before"], told["complete"], told["pairs"]) == (None, True, [])


def test_all_segments_are_taken_as_a_table_and_as_json(editor) -> None:
    table = editor.get("/matrix/file", params={"service": "mqtts"})
    assert table.headers["content-disposition"] == 'attachment; filename="segments.csv"'
    lines = table.text.splitlines()
    assert lines[0].startswith("source,destination,verdict")
    assert any(line.startswith("vessels,berth-sensors,some") for line in lines)
    told = editor.get("/matrix/file", params={"form": "json"}).json()
    assert told["service"] == "any" and len(told["cells"]) == len(lines) - 1
    assert editor.get("/matrix/file", params={"at": "whenever"}).status_code == 422
