"""Schedules over the API: written, used, shown week by week, and what a change of one would do."""

from __future__ import annotations

import pytest

BOARDING = {
    "name": "boarding",
    "windows": ["daily 05:30-07:00", "fri 22:00-01:00"],
    "except": ["2099-12-25"],
}  # a Friday


@pytest.fixture
def boarding(editor) -> int:
    made = editor.post("/things/schedules", json={"thing": BOARDING})
    assert made.status_code == 201, made.text
    return made.json()["id"]


@pytest.fixture
def policy(editor) -> dict:
    line = editor.get("").json()["policies"][0]
    return editor.get(f"/policies/{line['id']}").json()


def write(editor, policy: dict, row: dict, **parts) -> dict:
    body = {"rule": {**row["rule"], **parts}, "ver": row["ver"]}
    done = editor.put(f"/policies/{policy['id']}/rules/{row['id']}", json=body)
    assert done.status_code == 200, done.text
    return done.json()["policy"]


def listed(editor) -> dict:
    return editor.get("/schedules").json()


def test_a_schedule_is_written_used_renamed_and_kept_while_used(editor, boarding: int, policy: dict) -> None:
    now = write(editor, policy, policy["rows"][1], schedule="boarding")
    assert now["rows"][1]["rule"]["schedule"] == "boarding"
    (line,) = listed(editor)["schedules"]
    assert (line["id"], line["thing"], line["over"]) == (boarding, {**line["thing"], **BOARDING}, False)
    assert [(u["owner"], u["field"]) for u in line["used"]] == [("sensors", "schedule")]
    gone = editor.delete(f"/things/{boarding}?ver={line['ver']}")
    assert gone.status_code == 422
    assert "still used in sensors, schedule (in sensor-side)" in gone.text
    renamed = {"thing": {**BOARDING, "name": "at the berth"}, "ver": line["ver"]}
    assert editor.put(f"/things/schedules/{boarding}", json=renamed).status_code == 200
    again = editor.get(f"/policies/{policy['id']}").json()
    assert again["rows"][1]["rule"]["schedule"] == "at the berth"
    assert editor.post("/undo").status_code == 200
    assert editor.post("/undo").status_code == 200
    again = editor.get(f"/policies/{policy['id']}").json()
    assert again["rows"][1]["rule"]["schedule"] is None
    told = editor.get(f"/rules/{policy['rows'][1]['id']}/history").json()
    assert {"what": "schedule", "before": None, "after": "boarding"} in told[-1]["differences"]
    ver = listed(editor)["schedules"][0]["ver"]
    assert editor.delete(f"/things/{boarding}?ver={ver}").status_code == 200
    assert listed(editor)["schedules"] == []


@pytest.mark.parametrize(
    ("parts", "path", "says"),
    [
        ({"windows": ["daily 08:00-08:00"]}, ["windows", 0], "ends as it begins"),
        ({"except": ["2026-02-30"]}, ["except", 0], "no date"),
        ({"windows": []}, ["windows"], "at least one"),
        ({"name": " "}, ["name"], "missing"),
    ],
)
def test_what_cannot_be_read_is_refused_with_its_place(editor, parts: dict, path: list, says: str) -> None:
    refused = editor.post("/things/schedules", json={"thing": {**BOARDING, **parts}})
    assert refused.status_code == 422
    (problem,) = refused.json()["problems"]
    assert problem["path"] == path
    assert says in problem["message"]
    assert listed(editor)["schedules"] == []


def test_a_rule_names_a_schedule_that_is_there(editor, policy: dict) -> None:
    row = policy["rows"][1]
    body = {"rule": {**row["rule"], "schedule": "nights"}, "ver": row["ver"]}
    refused = editor.put(f"/policies/{policy['id']}/rules/{row['id']}", json=body)
    assert refused.status_code == 422
    assert refused.json()["problems"][0]["path"] == ["schedule"]


def test_the_clock_is_set_and_taken_back(editor) -> None:
    clock = listed(editor)["clock"]
    assert clock["thing"]["time_zone"] == "UTC"
    bad = {"thing": {**clock["thing"], "time_zone": "Europe/Londn"}, "ver": clock["ver"]}
    refused = editor.put(f"/things/clock/{clock['id']}", json=bad)
    assert refused.status_code == 422
    assert "did you mean Europe/London" in refused.json()["problems"][0]["message"]
    good = {"thing": {**clock["thing"], "time_zone": "Europe/London"}, "ver": clock["ver"]}
    assert editor.put(f"/things/clock/{clock['id']}", json=good).status_code == 200
    assert listed(editor)["clock"]["thing"]["time_zone"] == "Europe/London"
    assert editor.delete(f"/things/{clock['id']}?ver={clock['ver'] + 1}").status_code == 422
    assert editor.post("/undo").status_code == 200
    assert listed(editor)["clock"]["thing"]["time_zone"] == "UTC"


def spans(parts: list[dict]) -> list[tuple[int, int]]:
    return [(part["start"] // 60, part["end"] // 60) for part in parts]


def test_a_week_shows_what_is_active_and_what_is_excepted(editor) -> None:
    thing = {
        "name": "x", "windows": ["daily 05:00-07:00", "fri 22:00-01:00"], "except": ["wed 06:00-07:00", "2026-12-25"],
        "last": "2026-12-26",
    }  # fmt: skip
    week = editor.post("/schedules/week", json={"schedule": thing, "date": "2026-12-24"}).json()
    days = {day["date"]: day for day in week["days"]}
    assert list(days) == [f"2026-12-{n}" for n in range(21, 28)]
    assert spans(days["2026-12-21"]["active"]) == [(5, 7)]
    assert (spans(days["2026-12-23"]["active"]), spans(days["2026-12-23"]["excepted"])) == (
        [(5, 6)],
        [(6, 7)],
    )
    assert (spans(days["2026-12-25"]["active"]), spans(days["2026-12-25"]["excepted"])) == (
        [],
        [(5, 7), (22, 24)],
    )
    assert spans(days["2026-12-26"]["active"]) == [(0, 1), (5, 7)]  # what began on the excepted day
    assert days["2026-12-27"]["beyond"] and not days["2026-12-27"]["active"]
    assert week["echoes"] == ["Friday 22:00 until Saturday 01:00"]
    bad = editor.post("/schedules/week", json={"schedule": {**thing, "windows": ["moon"]}}).json()
    assert (bad["days"], bad["problems"][0]["path"]) == ([], ["windows", 0])
    assert editor.post("/schedules/week", json={"schedule": thing, "date": "soon"}).status_code == 422


def test_a_change_of_a_schedule_is_told_before_it_is_made(editor, boarding: int, policy: dict) -> None:
    write(editor, policy, policy["rows"][1], schedule="boarding")
    asked = {"thing": {**BOARDING, "windows": BOARDING["windows"][:1]}, "patience": 10}
    told = editor.post(f"/things/schedules/{boarding}/consequence", json=asked).json()
    (one,) = told["policies"]
    assert {(c["change"], c["before"]["name"], c["after"]["name"], c["when"]) for c in one["changes"]} == {
        (
            "newly blocked",
            "sensors",
            after,
            "fri 22:00-01:00 until 2099-12-24; fri 22:00-01:00 from 2099-12-26",
        )
        for after in ("no-feed", "otherwise-logged")
    }
    same = editor.post(
        f"/things/schedules/{boarding}/consequence", json={"thing": BOARDING, "patience": 10}
    ).json()
    assert same["policies"][0]["equal"]
    bad = editor.post(
        f"/things/schedules/{boarding}/consequence", json={"thing": {**BOARDING, "windows": ["25:00"]}}
    ).json()
    assert bad["problems"][0]["path"] == ["windows", 0]
    assert editor.post(f"/things/schedules/{policy['id']}/consequence", json=asked).status_code == 404


def test_a_rule_that_gets_a_schedule_tells_when_things_change(editor, boarding: int, policy: dict) -> None:
    row = policy["rows"][0]  # the block of the Petrel
    edit = {"act": "write", "rule_key": row["id"], "rule": {**row["rule"], "schedule": "boarding"}}
    told = editor.post(f"/policies/{policy['id']}/consequence", json={"edit": edit, "patience": 10}).json()
    (change,) = told["policies"][0]["changes"]
    assert (change["change"], change["before"]["name"], change["when"]) == (
        "newly allowed",
        "no-petrel",
        "outside boarding",
    )
    assert " at 20" in change["witness"]["question"]
    asked = editor.get("/answer", params={"q": change["witness"]["question"]})
    assert asked.status_code == 200, asked.text


def test_flows_are_decided_at_their_moments(editor, boarding: int, policy: dict) -> None:
    write(editor, policy, policy["rows"][0], schedule="boarding")
    head = "src,dst,proto,sport,dport,at\n"
    flow = "10.44.201.16,10.44.34.10,6,40000,8883"
    rows = [f"{flow},{at}\n" for at in ("2026-12-24T06:00", "2026-12-24T08:00", "2020-01-01T06:00", "")]
    told = editor.post(f"/policies/{policy['id']}/decide", json={"text": head + "".join(rows)}).json()
    assert [row[-3] for row in told["rows"]] == ["drop", "allow", "drop", "error"]
    at = {"text": head + "".join(rows), "at": "2026-12-24 06:30"}
    told = editor.post(f"/policies/{policy['id']}/decide", json=at).json()
    assert [row[-3] for row in told["rows"]] == ["drop", "allow", "drop", "drop"]
    bad = editor.post(f"/policies/{policy['id']}/decide", json={**at, "at": "soon"})
    assert (bad.status_code, bad.json()["problems"][0]["path"]) == (422, ["at"])
