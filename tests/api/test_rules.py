"""The rules of a policy over the API: read, edit, refuse."""

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
    assert rows[2]["works"] == {"all_until": 1, "some_until": 1, "best": 1, "starves": []}
    assert policy["default_decides"] == "none"
    assert policy["warnings"] == 2
    assert policy["attachments"] == [
        {"device": "vessel-gate", "stage": "passage", "entering": ["any"], "leaving": ["any"]}
    ]


def test_a_rule_below_its_taker_is_dead_until_it_is_moved(editor, policy: dict) -> None:
    base = f"/policies/{policy['id']}"
    rows = policy["rows"]
    end = {"after": rows[-1]["id"], "before": None}
    asked = {"edit": {"act": "insert", "rule": RULE, "place": end}}
    seen = editor.post(f"{base}/consequence", json=asked).json()["look"]
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


def test_saving_what_is_there_already_leaves_nothing_behind(editor, policy: dict) -> None:
    """An answer was lost, or Save was pressed twice: no revision, no step of undo, no entry anywhere."""
    base, row = f"/policies/{policy['id']}", policy["rows"][1]
    said = row["rule"] | {"description": "of the bridge"}
    now = editor.put(f"{base}/rules/{row['id']}", json={"rule": said, "ver": row["ver"]}).json()["policy"]
    ver = now["rows"][1]["ver"]
    again = editor.put(f"{base}/rules/{row['id']}", json={"rule": said, "ver": ver})
    assert again.status_code == 200 and again.json()["policy"] == now
    on = editor.post(f"{base}/rules/many", json={"rules": [[row["id"], ver]], "act": "enable"})
    assert on.status_code == 200 and on.json()["policy"] == now
    line = next(n for n in editor.get("/names").json() if n["kind"] in ("addresses", "service"))
    name = editor.get(f"/names/{line['id']}").json()
    thing = {"name": name["name"], "description": name["description"], "members": name["all_members"]}
    kept = editor.put(f"/names/{line['id']}", json={"thing": thing, "ver": name["ver"]})
    assert kept.status_code == 200 and kept.json()["revision"] == now["revision"] == 1
    assert editor.put(f"{base}/rules/{row['id']}", json={"rule": said, "ver": 1}).status_code == 409
    assert editor.post("/undo", json={}).status_code == 200
    assert editor.get(base).json()["rows"][1]["rule"] == row["rule"]


def test_several_rules_say_the_same_or_have_another_member(editor, policy: dict) -> None:
    """One step of undo each; what is told before is what then is; what an act needs and does not have is told by name."""
    base = f"/policies/{policy['id']}"
    chosen = [[row["id"], row["ver"]] for row in policy["rows"][:2]]
    ids = [rule for rule, _ in chosen]
    says = {"log": True, "until": "2031-01-31", "owner": "Maren"}
    asked = editor.post(
        f"{base}/consequence", json={"edit": {"act": "amend", "rules": ids, "says": says}, "patience": 10}
    ).json()
    assert asked["problems"] == [] and asked["policies"][0]["equal"] is False
    now = editor.post(f"{base}/rules/many", json={"rules": chosen, "act": "amend", "says": says}).json()[
        "policy"
    ]
    assert [(r["rule"]["log"], r["rule"]["until"], r["rule"]["owner"]) for r in now["rows"][:2]] == [
        (True, "2031-01-31", "Maren")
    ] * 2
    swap = {"act": "replace member", "field": "destination", "member": "Berth-Sensors", "by": "tide-gateway"}
    chosen = [[row["id"], row["ver"]] for row in now["rows"][:2]]
    then = editor.post(f"{base}/rules/many", json={"rules": chosen, **swap}).json()["policy"]
    assert [r["rule"]["destination"] for r in then["rows"][:2]] == [["tide-gateway"]] * 2
    wrong = {
        "rules": [[row["id"], row["ver"]] for row in then["rows"][:1]],
        **swap,
        "member": "tide-gateway",
        "by": "tide-gatway",
    }
    refused = editor.post(f"{base}/rules/many", json=wrong)
    assert refused.status_code == 422 and "did you mean tide-gateway" in refused.text
    for act, needs in (("amend", "says"), ("replace member", "by")):
        answer = editor.post(
            f"{base}/rules/many",
            json={"rules": wrong["rules"], "act": act, "field": "source", "member": "petrel"},
        )
        assert answer.status_code == 422 and answer.json()["problems"][0]["path"] == [needs]
    assert (
        editor.post(
            f"{base}/rules/many", json={"rules": wrong["rules"], "act": "amend", "says": {"lgo": True}}
        ).status_code
        == 422
    )
    editor.post("/undo", json={})
    editor.post("/undo", json={})
    assert [r["rule"] for r in editor.get(base).json()["rows"]] == [r["rule"] for r in policy["rows"]]


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


def test_tidying_is_told_first_and_proven_again_when_it_is_done(editor, policy: dict) -> None:
    base = f"/policies/{policy['id']}"
    told = editor.get(f"{base}/tidy").json()
    assert [(s["rule"]["name"], s["why"], [b["name"] for b in s["by"]]) for s in told["steps"]] == [
        ("no-feed", "decided earlier", ["sensors"]),
        ("bridge", "decided earlier", ["no-petrel"]),
    ]
    assert (told["left"], told["undecided"], told["revision"]) == (4, [], policy["revision"])
    ids = {row["rule"]["name"]: row["id"] for row in policy["rows"]}
    kept = editor.get(f"{base}/tidy?keep={ids['bridge']}").json()
    assert [s["rule"]["id"] for s in kept["steps"]] == [ids["no-feed"]]

    refused = editor.post(f"{base}/tidy", json={"rules": [ids["bridge"], ids["no-petrel"]]})
    assert refused.status_code == 409 and "not proven for no-petrel" in refused.json()["detail"]
    assert editor.get(base).json()["rows"] == policy["rows"]

    done = editor.post(f"{base}/tidy", json={"rules": [ids["bridge"], ids["no-feed"]]}).json()
    assert [r["rule"]["name"] for r in done["policy"]["rows"]] == [
        "no-petrel", "sensors", "wide-feed", "otherwise-logged",
    ]  # fmt: skip
    assert editor.post("/undo").json()["act"] == "tidy: 2 rules"
    again = editor.get(base).json()["rows"]
    assert [(r["id"], r["rule"]) for r in again] == [(r["id"], r["rule"]) for r in policy["rows"]]


def test_a_kept_rule_is_left_alone(editor, policy: dict) -> None:
    base, row = f"/policies/{policy['id']}", policy["rows"][2]
    rule = {**row["rule"], "kept": True}
    changed = editor.put(f"{base}/rules/{row['id']}", json={"rule": rule, "ver": row["ver"]}).json()
    assert changed["policy"]["rows"][2]["rule"]["kept"]
    assert [s["rule"]["name"] for s in editor.get(f"{base}/tidy").json()["steps"]] == ["no-feed"]
    refused = editor.post(f"{base}/tidy", json={"rules": [row["id"]]})
    assert refused.status_code == 409


def test_merging_takes_members_over(editor, policy: dict) -> None:
    base, rows = f"/policies/{policy['id']}", policy["rows"]
    rule = {**rows[1]["rule"], "name": "kittiwake too", "source": ["10.44.99.0/24"]}
    place = {"after": rows[4]["id"], "before": rows[5]["id"]}
    added = editor.post(f"{base}/rules", json={"rule": rule, "place": place}).json()
    told = editor.get(f"{base}/tidy?merge=true").json()
    merge = next(s for s in told["steps"] if s["why"] == "merged")
    assert (merge["rule"]["name"], [b["name"] for b in merge["by"]], merge["field"]) == (
        "kittiwake too", ["sensors"], "source",
    )  # fmt: skip
    body = {"rules": [added["rule_id"]], "into": [rows[1]["id"]], "merge": True}
    done = editor.post(f"{base}/tidy", json=body).json()["policy"]["rows"]
    assert done[1]["rule"]["source"] == ["vessels", "10.44.99.0/24"] and len(done) == len(rows)
    editor.post("/undo")
    before = editor.get(base).json()["rows"]
    assert before[1]["rule"]["source"] == ["vessels"] and before[5]["rule"]["name"] == "kittiwake too"


FLOWS = (
    "src,dst,proto,sport,dport,note\n10.44.201.1,10.44.34.10,tcp,50000,8883,a\n10.44.1.1,nowhere,tcp,1,2,b\n"
)


def test_flows_are_decided_for_viewers_too(viewer, network_id: int) -> None:
    line = viewer.get("").json()["policies"][0]
    told = viewer.post(f"/policies/{line['id']}/decide", json={"text": FLOWS}).json()
    assert told["columns"] == ["src", "dst", "proto", "sport", "dport", "note", "verdict", "rule", "policy"]
    assert [row[-4:-1] for row in told["rows"]] == [
        ["a", "drop", "no-petrel"],
        ["b", "error", "dst: 'nowhere' is not an IP address"],
    ]
    assert (told["total"], told["errors"]) == (2, 1)
    assert sorted((d["verdict"], d["rule"]["name"], d["flows"]) for d in told["deciders"]) == [
        ("drop", "no-petrel", 1),
        ("error", "error", 1),
    ]
    assert told["csv"].splitlines()[1].endswith(",a,drop,no-petrel,sensor-side")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "at least src, dst, proto"),
        ("src,dst,proto,rule\n", "rename them"),
        ('src,dst,proto\n"a', "line 2"),
    ],
)
def test_a_table_that_is_none_is_refused(editor, policy: dict, text: str, says: str) -> None:
    answer = editor.post(f"/policies/{policy['id']}/decide", json={"text": text})
    assert answer.status_code == 422 and says in answer.json()["problems"][0]["message"]


def test_where_a_rule_works_is_not_told_from_a_cut_list_of_takers(editor, policy: dict) -> None:
    """Sixty rules take all of one: the last of them is past what is listed, so no place is claimed."""
    base = f"/policies/{policy['id']}"
    end = {"after": policy["rows"][1]["id"], "before": policy["rows"][2]["id"]}
    for i in range(60):
        part = {**RULE, "name": f"part {i}", "source": [f"10.44.99.{i}"], "action": "drop"}
        assert editor.post(f"{base}/rules", json={"rule": part, "place": end}).status_code == 201
    whole = {**RULE, "name": "whole", "source": ["10.44.99.0-10.44.99.59"]}
    rows = editor.get(base).json()["rows"]
    place = {"after": rows[-1]["id"], "before": None}
    added = editor.post(f"{base}/rules", json={"rule": whole, "place": place}).json()["policy"]["rows"][-1]
    assert (added["decides"], added["by_count"], len(added["by"]), added["works"]) == ("none", 60, 50, None)


def test_flows_are_decided_through_the_whole_network(viewer) -> None:
    told = viewer.post("/decide", json={"text": FLOWS}).json()
    assert (told["results"], told["total"], told["errors"]) == (4, 2, 1)
    assert told["columns"][-4:] == ["verdict", "rule", "policy", "course"]
    assert [row[-4:] for row in told["rows"]] == [
        ["blocked", "no-petrel", "sensor-side", "vessel-gate"],
        ["error", "dst: 'nowhere' is not an IP address", "", ""],
    ]
    assert sorted((d["verdict"], d["rule"]["name"], d["policy"]) for d in told["deciders"]) == [
        ("blocked", "no-petrel", "sensor-side"),
        ("error", "error", ""),
    ]
    bad = viewer.post("/decide", json={"text": "src,dst\n"})
    assert (bad.status_code, bad.json()["problems"][0]["path"]) == (422, ["flows"])
    assert viewer.post("/decide", json={"text": "src,dst,proto\n", "at": "soon"}).status_code == 422
