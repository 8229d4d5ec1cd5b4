"""All segments over the API."""

from __future__ import annotations

import time

import pytest

from sarvex.service.analysis import reach


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


def test_after_an_edit_the_kept_answer_is_as_one_worked_out_anew(editor) -> None:
    """What it touches alone is worked out again; taken back, all is as before."""
    before = cells(editor)
    policy = editor.get("").json()["policies"][0]["id"]
    rows = [[row["id"], row["ver"]] for row in editor.get(f"/policies/{policy}").json()["rows"]]
    for chosen in (rows[:1], rows[1:4]):
        off = editor.post(f"/policies/{policy}/rules/many", json={"rules": chosen, "act": "disable"})
        assert off.status_code == 200, off.text
        kept = cells(editor)
        reach._KEPT.update([(editor_id(editor), reach._Kept())])
        assert kept == cells(editor)
    assert kept != before
    for _ in range(2):
        assert editor.post("/undo").status_code == 200
    assert cells(editor) == before


def editor_id(editor) -> int:
    return int(editor.base.rsplit("/", 1)[1])


def test_name_service_time_and_ping_are_looked_past_if_that_is_wanted(editor) -> None:
    assert cells(editor, aside="true") == cells(editor)  # there is nothing of the kind here
    assert not cells(editor, service="udp/123", aside="true")


def in_parts(editor, **query: str) -> dict:
    until = time.monotonic() + 60
    while time.monotonic() < until:
        told = editor.get("/matrix", params=query).json()
        if told["share"] == 1:
            return told
        assert not told["cells"]
        time.sleep(0.05)
    raise AssertionError(told)


def test_of_a_large_network_it_is_told_how_far_it_is_and_then_the_same(
    editor, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole = editor.get("/matrix").json()
    monkeypatch.setattr(reach, "MOST_SEGMENTS", 0)
    monkeypatch.setattr(reach, "PATIENCE", 0.0)
    assert in_parts(editor) == whole
    lines = editor.get("/matrix/file").text.splitlines()
    assert len(lines) > len(whole["cells"]) and any(",none," in line for line in lines)


def test_of_a_large_network_only_what_an_edit_touched_is_worked_out_again(
    editor, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(reach, "MOST_SEGMENTS", 0)
    before = in_parts(editor)
    monkeypatch.setattr(reach, "matrix_part", lambda *_: pytest.fail("worked out anew"))
    policy = editor.get("").json()["policies"][0]["id"]
    rows = [[row["id"], row["ver"]] for row in editor.get(f"/policies/{policy}").json()["rows"]]
    off = editor.post(f"/policies/{policy}/rules/many", json={"rules": rows[:4], "act": "disable"})
    assert off.status_code == 200, off.text
    after = in_parts(editor)
    assert after["cells"] != before["cells"]
    monkeypatch.setattr(reach, "MOST_SEGMENTS", 1000)
    assert after == editor.get("/matrix").json()


def test_what_nobody_waits_for_any_more_is_given_up_and_begun_anew_when_asked(
    editor, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(reach, "MOST_SEGMENTS", 0)
    monkeypatch.setattr(reach, "FORGOTTEN", -1.0)
    editor.get("/matrix", params={"service": "mqtts"})
    job = reach._PARTS[editor_id(editor)]
    until = time.monotonic() + 30
    while not job.told.done() and time.monotonic() < until:
        time.sleep(0.02)
    assert job.told.cancelled()
    refused = editor.get("/matrix/file", params={"service": "mqtts"})
    assert refused.status_code == 422 and "still being worked out" in refused.json()["detail"]
    monkeypatch.setattr(reach, "FORGOTTEN", 20.0)
    assert in_parts(editor, service="mqtts")["cells"]
