"""The rules of a policy over the API: read, preview, edit, refuse."""

from __future__ import annotations

import pytest

RULE = {
    "name": "bridge sends",
    "action": "allow",
    "source": ["petrel-bridge"],
    "destination": ["tide-gateway"],
    "service": ["mqtts"],
}


@pytest.fixture
def policy(editor) -> dict:
    line = editor.get("").json()["policies"][0]
    return editor.get(f"/policies/{line['id']}").json()


def test_a_policy_tells_what_each_rule_decides(policy: dict) -> None:
    rows = policy["rows"]
    assert [(r["decides"], r["kind"]) for r in rows] == [
        ("all", None), ("part", None), ("none", "shadowed"), ("none", "shadowed"), ("part", None), ("part", None),
    ]  # fmt: skip
    assert rows[2]["by"] == [{"id": rows[0]["id"], "name": "no-petrel", "position": 1}]
    assert rows[2]["works"] == {"all_until": 1, "some_until": 1, "best": 1}
    assert policy["default_decides"] == "none"
    assert policy["warnings"] == 2
    assert policy["attachments"] == [
        {"device": "vessel-gate", "stage": "passage", "entering": ["any"], "leaving": ["any"]}
    ]


def test_a_rule_below_its_taker_is_dead_until_it_is_moved(editor, policy: dict) -> None:
    base = f"/policies/{policy['id']}"
    rows = policy["rows"]
    end = {"after": rows[-1]["id"], "before": None}
    seen = editor.post(f"{base}/preview", json={"rule": RULE, "place": end}).json()
    assert (seen["position"], seen["decided"]["decides"], seen["advice"]["best"]) == (7, "none", 1)
    assert seen["expands"]["service"] == ["tcp/8883"]

    added = editor.post(f"{base}/rules", json={"rule": RULE, "place": end})
    assert added.status_code == 201
    row = added.json()["policy"]["rows"][-1]
    assert (row["id"], row["decides"], row["kind"]) == (added.json()["rule_id"], "none", "shadowed")

    top = {"after": None, "before": rows[0]["id"]}
    now = editor.post(f"{base}/rules/{row['id']}/move", json={"ver": row["ver"], "place": top}).json()[
        "policy"
    ]
    assert (now["rows"][0]["id"], now["rows"][0]["decides"]) == (row["id"], "all")
    assert now["revision"] == 2
    assert editor.get(base).json() == now

    answer = editor.get("/answer", params={"q": "petrel-bridge to tide-gateway on mqtts"}).json()
    assert (answer["verdict"], answer["sentence"]) == ("allowed", "allowed by bridge sends")


def test_a_retry_adds_nothing(editor, policy: dict) -> None:
    body = {"rule": RULE, "place": {"after": None, "before": policy["rows"][0]["id"]}, "request_key": "k1"}
    first = editor.post(f"/policies/{policy['id']}/rules", json=body)
    again = editor.post(f"/policies/{policy['id']}/rules", json=body)
    assert first.json()["policy"] == again.json()["policy"]


def test_change_and_delete(editor, policy: dict) -> None:
    base = f"/policies/{policy['id']}/rules/{policy['rows'][0]['id']}"
    off = policy["rows"][0]["rule"] | {"enabled": False}
    now = editor.put(base, json={"rule": off, "ver": 1}).json()["policy"]
    assert now["rows"][0]["decides"] == "none"
    assert now["rows"][2]["kind"] == "redundant"
    conflict = editor.put(base, json={"rule": off, "ver": 1})
    assert (conflict.status_code, conflict.json()["kind"]) == (409, "rule")
    assert editor.delete(base, params={"ver": 1}).status_code == 409
    left = editor.delete(base, params={"ver": 2}).json()["policy"]
    assert next(r["rule"]["name"] for r in left["rows"]) == "sensors"


@pytest.mark.parametrize(
    ("body", "place"),
    [
        ({"rule": RULE | {"source": ["nobody"]}}, "source[0]"),
        ({"rule": RULE | {"colour": "red"}}, "rule.colour"),
        ({"rule": RULE | {"action": "permit"}}, "rule.action"),
        ({"rule": {k: v for k, v in RULE.items() if k != "action"}}, "rule.action"),
        ({"rule": RULE, "place": {"before": None}}, "place.after"),
        ({"rule": RULE, "palce": {}}, "palce"),
    ],
)
def test_bad_bodies_say_where(editor, policy: dict, body: dict, place: str) -> None:
    body = {"place": {"after": None, "before": policy["rows"][0]["id"]}} | body
    answer = editor.post(f"/policies/{policy['id']}/rules", json=body)
    assert answer.status_code == 422
    assert place in [p["place"] for p in answer.json()["problems"]]
    assert editor.get(f"/policies/{policy['id']}").json() == policy


def test_questions(editor) -> None:
    answer = editor.get("/answer", params={"q": "petrel to berth-sensors on mqtts"}).json()
    assert answer["sentence"] == "blocked by no-petrel · silence"
    step = answer["parts"][0]["steps"][0]
    assert (step["device"], step["stage"], step["rule"], step["position"]) == (
        "vessel-gate",
        "passage",
        "no-petrel",
        1,
    )
    wrong = editor.get("/answer", params={"q": "petrel to berth-sensor"})
    assert (wrong.status_code, wrong.json()["start"]) == (422, 10)
    assert "did you mean berth-sensors" in wrong.json()["detail"]
    offered = editor.get("/completions", params={"q": "petrel to tide-g"}).json()
    assert [(s["insert"], s["start"]) for s in offered] == [("tide-gateway", 10)]


def test_other_networks_are_not_found(editor, policy: dict) -> None:
    http = editor.http
    assert http.get("/api/networks/999999").status_code == 404
    assert editor.get("/policies/999999").status_code == 404
    assert http.get(f"/api/networks/999999/policies/{policy['id']}").status_code == 404


def test_names_tell_what_they_stand_for(editor) -> None:
    names = {n["name"]: n for n in editor.get("/names").json()}
    assert names["petrel"]["values"] == ["10.44.201.0/24"]
    assert names["tide-feed"]["kind"] == "service"
    assert names["tide-gateway"]["kind"] == "host"
