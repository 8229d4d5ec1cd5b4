"""What an edit would do, asked over the API before it is made."""

from __future__ import annotations

import random

import pytest

from sarvex.core.change.effect import Superseded
from sarvex.service.drafts.consequences import Askers

BRIDGE, BLOCK = 2, 0
PATIENT = {"patience": 10}
"""On a busy machine too everything is settled."""


@pytest.fixture
def policy(editor) -> dict:
    line = editor.get("").json()["policies"][0]
    return editor.get(f"/policies/{line['id']}").json()


def ask(editor, policy: dict, edit: dict, **more) -> dict:
    answer = editor.post(f"/policies/{policy['id']}/consequence", json={"edit": edit, **PATIENT, **more})
    assert answer.status_code == 200, answer.text
    return answer.json()


def told(answer: dict) -> list[tuple]:
    (one,) = answer["policies"]
    return [
        (c["change"], c["source"], c["destination"], c["service"], c["before"]["name"], c["after"]["name"])
        for c in one["changes"]
    ]


def test_dragging_the_bridge_to_the_top(editor, policy: dict) -> None:
    rows = policy["rows"]
    top = {"after": None, "before": rows[0]["id"]}
    answer = ask(editor, policy, {"act": "move", "rules": [rows[BRIDGE]["id"]], "place": top}, generation=7)
    assert answer["generation"] == 7
    assert told(answer) == [
        ("newly allowed", ["petrel-bridge"], ["berth-sensors"], ["mqtts"], "no-petrel", "bridge")
    ]
    change = answer["policies"][0]["changes"][0]
    assert (change["after"]["id"], change["after"]["position"]) == (rows[BRIDGE]["id"], 1)
    assert (change["logged_before"], change["logged_after"]) == (False, True)
    look = answer["look"]
    assert (look["position"], look["decided"]["decides"]) == (1, "all")
    assert look["advice"] == {"all_until": 1, "some_until": 1, "best": 1, "starves": []}
    assert editor.get(f"/policies/{policy['id']}").json() == policy  # nothing was done


def test_a_place_where_it_stays_dead_says_who_takes_it(editor, policy: dict) -> None:
    rows = policy["rows"]
    end = {"after": rows[-1]["id"], "before": None}
    answer = ask(editor, policy, {"act": "move", "rules": [rows[BRIDGE]["id"]], "place": end})
    assert answer["policies"][0]["equal"] is True
    decided = answer["look"]["decided"]
    assert (decided["decides"], decided["kind"], [b["name"] for b in decided["by"]]) == (
        "none", "shadowed", ["no-petrel"],
    )  # fmt: skip
    assert decided["taken"]["text"].startswith("10.44.201.16")


def test_deleting_switching_and_writing(editor, policy: dict) -> None:
    rows = policy["rows"]
    opened = [("newly allowed", ["petrel"], ["berth-sensors"], ["mqtts"], "no-petrel", "sensors")]
    assert told(ask(editor, policy, {"act": "delete", "rules": [rows[BLOCK]["id"]]})) == opened
    assert (
        told(ask(editor, policy, {"act": "switch", "rules": [rows[BLOCK]["id"]], "enabled": False})) == opened
    )
    rule = {**rows[BLOCK]["rule"], "action": "reject"}
    written = {"act": "write", "rule_key": rows[BLOCK]["id"], "rule": rule}
    assert [c[0] for c in told(ask(editor, policy, written))] == ["blocked differently"]
    new = {**rule, "name": "new", "action": "drop", "source": ["petrel-bridge"]}
    top = {"after": None, "before": rows[0]["id"]}
    answer = ask(editor, policy, {"act": "insert", "rule": new, "place": top})
    assert answer["policies"][0]["equal"] is True
    assert [s["rule"]["name"] for s in answer["look"]["advice"]["starves"]] == []
    wide = {**new, "source": ["petrel"]}
    starves = ask(editor, policy, {"act": "insert", "rule": wide, "place": top})["look"]["advice"]["starves"]
    assert [(s["rule"]["name"], s["until"]) for s in starves] == [("no-petrel", 1)]


def test_a_rule_with_problems_has_no_effect_told(editor, policy: dict) -> None:
    rule = {**policy["rows"][0]["rule"], "source": ["petrle"]}
    answer = ask(editor, policy, {"act": "write", "rule_key": policy["rows"][0]["id"], "rule": rule})
    assert (answer["policies"], answer["look"]) == ([], None)
    assert "did you mean petrel" in answer["problems"][0]["message"]


def test_another_default(editor, policy: dict) -> None:
    another = {"act": "default", "default": "allow"}
    answer = ask(editor, policy, another)
    assert answer["policies"][0]["equal"] is True  # the last rule takes all
    last = policy["rows"][-1]
    gone = editor.delete(f"/policies/{policy['id']}/rules/{last['id']}", params={"ver": last["ver"]})
    assert gone.status_code == 200
    assert {c[0] for c in told(ask(editor, policy, another))} == {"newly allowed"}


def test_the_network_is_told_when_it_is_asked_for(editor, policy: dict) -> None:
    """First what happens in the policy, then in the network; what changes nothing anywhere is told at once."""
    rows = policy["rows"]
    top = {"act": "move", "rules": [rows[BRIDGE]["id"]], "place": {"after": None, "before": rows[0]["id"]}}
    first = ask(editor, policy, top)
    assert (first["ground"], first["network"], first["policies"][0]["equal"]) == (True, None, False)
    both = ask(editor, policy, top, network=True)["network"]
    assert (both["equal"], both["complete"], both["more"], both["stops"]) == (False, True, 0, [])
    (change,) = both["changes"]
    assert change["change"] == "opens" and change["fares"] == ""
    assert [change[f] for f in ("source", "destination", "service")] == [
        ["petrel-bridge"],
        ["berth-sensors"],
        ["mqtts"],
    ]
    assert "8883" in change["witness"]["text"]
    hurried = ask(editor, policy, top, network=True, patience=0)["network"]
    assert (hurried["equal"], hurried["complete"], hurried["changes"]) == (None, False, [])
    renamed = {
        "act": "write",
        "rule_key": rows[0]["id"],
        "rule": {**rows[0]["rule"], "description": "another text"},
    }
    assert ask(editor, policy, renamed)["network"]["equal"] is True


def test_the_ground_tells_what_it_does_in_the_network(editor) -> None:
    device = editor.get("/ground").json()["devices"][0]
    path = f"/things/devices/{device['id']}/consequence"
    same = {k: v for k, v in device["thing"].items() if k != "interfaces"}
    shut = {**same, "policies": []}
    told = editor.post(path, json={"thing": shut, "network": True, **PATIENT}).json()["network"]
    assert (told["equal"], told["complete"]) == (False, True)
    assert {(c["change"], *c["destination"]) for c in told["changes"]} == {
        ("closes", "berth-sensors except tide-gateway"), ("closes", "tide-gateway"),
    }  # fmt: skip
    assert editor.post(path, json={"thing": same, **PATIENT}).json()["network"]["equal"] is True


def test_what_comes_and_what_goes_on_the_ground_is_told_before(editor, ground: dict) -> None:
    """An interface that goes cuts what passed it, one that comes opens what its wire may; a segment takes what another owned."""
    device = ground["devices"][0]
    quay = next(i for i in device["interfaces"] if i["thing"]["name"] == "quay")
    asked = {"network": True, **PATIENT}

    def changes(path: str, **more: object) -> set[tuple[str, ...]]:
        answer = editor.post(f"/things/{path}/consequence", json={**asked, **more}).json()
        assert answer["problems"] == [] and answer["network"]["complete"]
        return {(c["change"], *c["source"], "to", *c["destination"]) for c in answer["network"]["changes"]}

    assert {c[0] for c in changes(f"{quay['id']}/deletion")} == {"closes", "changes"}
    third = {"name": "third", "segment": "vessels", "addresses": ["10.44.203.1"]}
    told = changes("interfaces", thing=third, parent_id=device["id"])
    assert any("itself" in word for change in told for word in change)
    spare = {"name": "spare", "prefixes": ["10.44.34.128/26"]}
    assert {c[0] for c in changes("segments", thing=spare)} >= {"closes"}
    twice = {"name": "vessels", "prefixes": ["10.44.99.0/24"]}
    assert editor.post("/things/segments/consequence", json={"thing": twice, **asked}).json()["problems"]
    assert editor.post("/things/interfaces/consequence", json={"thing": third, **asked}).status_code == 404


def test_a_newcomer_is_told_whom_it_would_reach(editor, ground: dict) -> None:
    device = ground["devices"][0]["id"]

    def asked(thing: dict, **more: object) -> dict:
        answer = editor.post(
            "/newcomer/consequence", json={"thing": thing, "device_id": device, **PATIENT, **more}
        )
        return answer.json() if answer.status_code == 200 else {"status": answer.status_code}

    spare = {"name": "spare", "prefixes": ["10.44.99.0/24"]}
    told = asked(spare)
    (change,) = told["network"]["changes"]
    assert told["problems"] == [] and told["network"]["complete"]
    assert (change["change"], change["source"], change["destination"]) == (
        "opens", ["spare"], ["vessel-gate itself"],
    )  # fmt: skip
    assert asked({"name": "spare", "prefixes": [], "outside": True})["problems"][-1]["place"] == "prefixes"
    assert asked({"name": "vessels", "prefixes": ["10.44.99.0/24"]})["problems"]
    assert asked(spare, zone="nowhere") == asked(spare, device_id=999_999) == {"status": 404}
    assert editor.get("/ground").json()["revision"] == ground["revision"]


def test_what_is_looked_at_is_refused_as_it_would_be_when_it_is_made(editor, policy: dict) -> None:
    ids = [row["id"] for row in policy["rows"]]
    rule, base = {**policy["rows"][0]["rule"], "name": "new"}, f"/policies/{policy['id']}"
    nowhere = {"after": 999_999, "before": None}
    itself = {"after": ids[0], "before": None}
    cases = [
        ({"act": "insert", "rule": rule, "place": nowhere}, "/rules", {"rule": rule, "place": nowhere}, 409),
        ({"act": "move", "rules": ids[:1], "place": itself}, f"/rules/{ids[0]}/move", {"ver": 1, "place": itself}, 422),
        ({"act": "move", "rules": [999_999], "place": itself}, "/rules/999999/move", {"ver": 1, "place": itself}, 404),
    ]  # fmt: skip
    for edit, path, body, status in cases:
        looked = editor.post(f"{base}/consequence", json={"edit": edit})
        made = editor.post(f"{base}{path}", json=body)
        assert (looked.status_code, made.status_code) == (status, status), (looked.text, made.text)
        assert looked.json()["detail"] == made.json()["detail"]
    odd = {"act": "move", "rules": ids[:1], "place": {**nowhere, "above": 1}}
    assert editor.post(f"{base}/consequence", json={"edit": odd}).status_code == 422
    assert editor.post(f"{base}/consequence", json={"edit": {"act": "shuffle"}}).status_code == 422


@pytest.mark.parametrize("act", ["insert", "write", "write elsewhere", "move", "delete", "switch", "member"])
def test_what_was_looked_at_is_what_is_made(act: str, editor, policy: dict) -> None:
    """The rule looked at stands where it then stands, and decides what it then decides."""
    rows, base = policy["rows"], f"/policies/{policy['id']}"
    row, top = rows[BRIDGE], {"after": None, "before": rows[0]["id"]}
    wider = {**row["rule"], "service": ["any"]}
    one, ver = [row["id"]], [[row["id"], row["ver"]]]
    wanted, method, path, body = {
        "insert": ({"act": "insert", "rule": {**wider, "name": "new"}, "place": top},
                   "POST", "/rules", {"rule": {**wider, "name": "new"}, "place": top}),
        "write": ({"act": "write", "rule_key": row["id"], "rule": wider},
                  "PUT", f"/rules/{row['id']}", {"rule": wider, "ver": row["ver"]}),
        "write elsewhere": ({"act": "write", "rule_key": row["id"], "rule": wider, "place": top},
                            "PUT", f"/rules/{row['id']}", {"rule": wider, "ver": row["ver"], "place": top}),
        "move": ({"act": "move", "rules": one, "place": top},
                 "POST", f"/rules/{row['id']}/move", {"ver": row["ver"], "place": top}),
        "delete": ({"act": "delete", "rules": one}, "DELETE", f"/rules/{row['id']}?ver={row['ver']}", None),
        "switch": ({"act": "switch", "rules": one, "enabled": False},
                   "POST", "/rules/many", {"rules": ver, "act": "disable"}),
        "member": ({"act": "member", "rules": one, "field": "service", "member": "udp", "there": True},
                   "POST", "/rules/many", {"rules": ver, "act": "add member", "field": "service", "member": "udp"}),
    }[act]  # fmt: skip
    look = ask(editor, policy, wanted)["look"]
    made = getattr(editor, method.lower())(f"{base}{path}", **({"json": body} if body else {}))
    assert made.status_code in (200, 201), made.text
    after = made.json()["policy"]["rows"]
    new_id = made.json()["rule_id"] if act == "insert" else row["id"]
    found = next((r for r in after if r["id"] == new_id), None)
    if act in ("delete", "switch"):
        assert look is None and (found is None or not found["rule"]["enabled"])
    else:
        assert found is not None
        assert (look["position"], look["decided"]["decides"]) == (found["position"], found["decides"])
    others = [r["id"] for r in after if r["id"] != new_id]
    assert others == [r["id"] for r in rows if r["id"] != new_id]
    if act == "write elsewhere":  # one step of undo
        assert editor.post("/undo").json()["act"] == "change rule"
        assert [r["id"] for r in editor.get(base).json()["rows"]] == [r["id"] for r in rows]


def test_an_object_is_judged_in_every_policy_through_groups(editor, policy: dict) -> None:
    names = {n["name"]: n for n in editor.get("/names").json()}
    group = {"kind": "addresses", "thing": {"name": "fleet", "members": ["petrel-bridge"]}}
    assert editor.post("/names", json=group).status_code == 201
    rule = {**policy["rows"][0]["rule"], "name": "fleet reads", "action": "allow", "source": ["fleet"]}
    top = {"after": None, "before": policy["rows"][0]["id"]}
    base = f"/policies/{policy['id']}"
    assert editor.post(f"{base}/rules", json={"rule": rule, "place": top}).status_code == 201
    thing = {"name": "petrel-bridge", "members": ["10.44.201.16/29"]}
    answer = editor.post(
        f"/names/{names['petrel-bridge']['id']}/consequence", json={"thing": thing, **PATIENT}
    )
    assert told(answer.json()) == [
        ("newly blocked", ["10.44.201.24/29"], ["berth-sensors"], ["mqtts"], "fleet reads", "no-petrel")
    ]
    same = {"name": "another name", "members": ["10.44.201.16/28"]}
    assert (
        editor.post(
            f"/names/{names['petrel-bridge']['id']}/consequence", json={"thing": same, **PATIENT}
        ).json()["policies"]
        == []
    )
    wrong = {"name": "petrel-bridge", "members": ["fleet"]}
    answer = editor.post(f"/names/{names['petrel-bridge']['id']}/consequence", json={"thing": wrong})
    assert "contains itself" in answer.json()["problems"][0]["message"]


def test_pinned_questions_flip(editor, policy: dict) -> None:
    edit = {"act": "delete", "rules": [policy["rows"][0]["id"]]}
    questions = ["petrel to tide-gateway on mqtts", "nobody to tide-gateway"]
    body = {"policy_id": policy["id"], "edit": edit, "questions": questions}
    first, second = editor.post("/pins", json=body).json()["pins"]
    assert (first["before"], first["after"]) == ("blocked", "allowed")
    assert (second["before"], second["after"]) == (None, None)
    assert "nobody" in second["sentence"]
    plain = editor.post("/pins", json={"questions": questions[:1]}).json()["pins"]
    assert (plain[0]["before"], plain[0]["after"]) == ("blocked", "blocked")


def test_without_patience_it_is_told_what_is_left(editor, policy: dict) -> None:
    top = {"after": None, "before": policy["rows"][0]["id"]}
    edit = {"act": "move", "rules": [policy["rows"][BRIDGE]["id"]], "place": top}
    (hasty,) = ask(editor, policy, edit, patience=0)["policies"]
    (patient,) = ask(editor, policy, edit)["policies"]
    assert (hasty["complete"], hasty["equal"], hasty["changes"]) == (False, None, [])
    assert (patient["complete"], patient["equal"], len(patient["changes"])) == (True, False, 1)
    url = f"/policies/{policy['id']}/consequence"
    assert editor.post(url, json={"edit": edit, "patience": 11}).status_code == 422


def test_an_older_question_is_not_answered(editor, policy: dict) -> None:
    edit = {"act": "delete", "rules": [policy["rows"][0]["id"]]}
    url = f"/policies/{policy['id']}/consequence"
    assert editor.post(url, json={"edit": edit, "asker": "a", "generation": 2}).status_code == 200
    late = editor.post(url, json={"edit": edit, "asker": "a", "generation": 1})
    assert (late.status_code, late.json()["kind"]) == (409, "superseded")
    assert editor.post(url, json={"edit": edit, "asker": "b", "generation": 1}).status_code == 200


def test_the_newest_question_of_each_asker_goes_on() -> None:
    askers = Askers(most=2)
    first, other = askers.asks("a", 1), askers.asks("b", 1)
    assert first() and other()
    second = askers.asks("a", 2)
    assert not first() and second() and other()
    with pytest.raises(Superseded):
        askers.asks("a", 1)
    askers.asks("c", 1)
    assert askers.asks("b", 0)()  # forgotten: the least recent goes first


def test_a_rule_that_is_gone_is_said(editor, policy: dict) -> None:
    answer = editor.post(
        f"/policies/{policy['id']}/consequence", json={"edit": {"act": "delete", "rules": [999_999]}}
    )
    assert answer.status_code == 404
    assert (
        editor.post("/policies/999999/consequence", json={"edit": {"act": "delete", "rules": []}}).status_code
        == 404
    )
    assert (
        editor.post("/names/999999/consequence", json={"thing": {"name": "x", "members": []}}).status_code
        == 404
    )


def test_what_is_told_before_is_what_happens(editor, policy: dict, rng: random.Random) -> None:
    """Every single move of the list: what the rule is said to decide there it decides when it is there."""
    base = f"/policies/{policy['id']}"
    for _ in range(12):
        rows = editor.get(base).json()["rows"]
        row = rng.choice(rows)
        others = [r for r in rows if r["id"] != row["id"]]
        at = rng.randint(0, len(others))
        place = {
            "after": others[at - 1]["id"] if at else None,
            "before": others[at]["id"] if at < len(others) else None,
        }
        look = ask(editor, policy, {"act": "move", "rules": [row["id"]], "place": place})["look"]
        now = editor.post(f"{base}/rules/{row['id']}/move", json={"ver": row["ver"], "place": place})
        there = next(r for r in now.json()["policy"]["rows"] if r["id"] == row["id"])
        assert (look["position"], look["decided"]["decides"]) == (there["position"], there["decides"])
        if there["decides"] != "all" and there["cause"] != "later":
            assert look["decided"]["by"] == there["by"]


@pytest.fixture
def ground(editor) -> dict:
    return editor.get("/ground").json()


def of_thing(editor, kind: str, held: dict, **parts) -> dict:
    thing = {k: v for k, v in held["thing"].items() if k != "interfaces"} | parts
    answer = editor.post(f"/things/{kind}/{held['id']}/consequence", json={"thing": thing, **PATIENT})
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_another_default_says_what_it_lets_through(editor, policy: dict) -> None:
    head = {"name": policy["name"], "default": "allow", "families": "4", "description": ""}
    answer = editor.post(
        f"/things/policies/{policy['id']}/consequence", json={"thing": head, **PATIENT}
    ).json()
    (one,) = answer["policies"]
    # The last rule drops and logs the rest, so the default decides nothing over IPv4; over IPv6 the policy falls silent.
    assert {(c["change"], c["before"]["name"], c["after"]["name"]) for c in one["changes"]} == {
        ("newly passed on", "otherwise-logged", "default")
    }


def test_taking_a_policy_off_a_device_is_told_for_the_place(editor, ground: dict) -> None:
    lock = ground["devices"][0]
    answer = of_thing(editor, "devices", lock, policies=[])
    (one,) = answer["policies"]
    assert (one["policy_id"], one["name"]) == (None, "passage at vessel-gate, radio → quay and 3 more")
    by = {
        (c["change"], c["before"]["name"], c["before"]["position"], c["after"]["name"])
        for c in one["changes"]
    }
    assert ("newly passed on", "sensors of sensor-side", 2, "default") in by
    assert all(c["before"]["id"] for c in one["changes"])
    assert of_thing(editor, "devices", lock)["policies"] == []
    bad = of_thing(editor, "devices", lock, policies=[{"policy": "nobody", "stage": "passage"}])
    assert bad["problems"] and not bad["policies"]


def test_a_narrower_scope_leaves_the_other_ways_alone(editor, ground: dict) -> None:
    lock = ground["devices"][0]
    (attached,) = lock["thing"]["policies"]
    answer = of_thing(editor, "devices", lock, policies=[{**attached, "leaving": ["quay"]}])
    (one,) = answer["policies"]
    assert one["name"] == "passage at vessel-gate, quay → radio and 1 more"  # and in and out by the radio


def test_a_segment_and_a_host_are_felt_where_rules_name_them(editor, ground: dict) -> None:
    sensors = next(s for s in ground["segments"] if s["thing"]["name"] == "berth-sensors")
    answer = of_thing(editor, "segments", sensors, prefixes=["10.44.34.0/25"])
    changes = answer["policies"][0]["changes"]
    assert {(c["change"], tuple(c["destination"])) for c in changes if c["change"] == "newly blocked"} == {
        ("newly blocked", ("10.44.34.128/25",))
    }
    (host,) = ground["hosts"]
    assert of_thing(editor, "hosts", host, addresses=["10.44.34.11"])["policies"][0]["changes"]


def listed_changes(answer) -> list[tuple]:
    assert answer.status_code == 200, answer.text
    return [
        (c["change"], tuple(c["destination"]), tuple(c["service"]), c["before"]["name"], c["after"]["name"])
        for p in answer.json()["policies"]
        for c in p["changes"]
    ]


def test_entries_of_lists_are_told_before_they_are_added_moved_and_taken_away(editor, ground: dict) -> None:
    """What is told beforehand is what the list does afterwards: the way back is told the other way round."""
    lock = ground["devices"][0]["id"]
    here = {"parent_id": lock, **PATIENT}
    web = {"name": "web", "destination": ["10.44.34.200"], "service": ["tcp/443"], "to": ["10.44.34.10"]}
    kind = "/things/destination-translations"
    opens = [("translated differently", ("10.44.34.200",), ("tcp/443",), "as it is", "web")]
    assert listed_changes(editor.post(f"{kind}/consequence", json={"thing": web, **here})) == opens
    first = editor.post(kind, json={"thing": web, "parent_id": lock}).json()["id"]
    wide = {**web, "name": "all", "service": ["tcp"], "to": ["10.44.34.11"]}
    (more,) = listed_changes(editor.post(f"{kind}/consequence", json={"thing": wide, **here}))
    assert more[:2] + more[3:] == ("translated differently", ("10.44.34.200",), "as it is", "all")
    assert "tcp/443" not in more[2]
    second = editor.post(kind, json={"thing": wide, "parent_id": lock}).json()["id"]

    moved = listed_changes(
        editor.post(f"/things/{second}/move/consequence", json={"before_id": first, **PATIENT})
    )
    assert moved == [("translated differently", ("10.44.34.200",), ("tcp/443",), "web", "all")]
    stays = editor.post(f"/things/{second}/move/consequence", json={"before_id": None, **PATIENT})
    assert listed_changes(stays) == []
    gone = listed_changes(editor.post(f"/things/{first}/deletion/consequence", json=PATIENT))
    assert gone == [("translated differently", ("10.44.34.200",), ("tcp/443",), "web", "all")]
    again = editor.post(f"{kind}/consequence", json={"thing": {**web, "name": "again"}, **here})
    assert listed_changes(again) == []  # all of it is taken
    now = editor.get("/ground").json()["devices"][0]["translate_destination"]
    assert [e["thing"]["name"] for e in now] == ["web", "all"]  # nothing was done


@pytest.mark.parametrize(
    ("url", "body", "status"),
    [
        ("/things/999999/deletion/consequence", {}, 404),
        ("/things/999999/move/consequence", {"before_id": None}, 404),
        ("/things/{entry}/move/consequence", {"before_id": "{entry}"}, 404),
        ("/things/{entry}/move/consequence", {"before_id": "{other}"}, 404),  # of another list
        ("/things/{entry}/move/consequence", {}, 422),
        ("/things/steering/consequence", {"thing": {"name": "s"}, "parent_id": 999_999}, 404),
        ("/things/steering/consequence", {"thing": {"name": "s", "vai": "10.44.1.1"}, "parent_id": 1}, 422),
        ("/things/interfaces/consequence", {"thing": {"name": "i"}, "parent_id": 1}, (404, 405)),
    ],
)
def test_what_is_no_entry_is_refused(editor, ground: dict, url: str, body: dict, status) -> None:
    lock = ground["devices"][0]["id"]
    made = {
        kind: editor.post(f"/things/{kind}", json={"thing": thing, "parent_id": lock}).json()["id"]
        for kind, thing in (
            ("destination-translations", {"name": "t", "destination": ["10.44.34.200"], "to": ["none"]}),
            ("steering", {"name": "t", "leave": ground["devices"][0]["interfaces"][0]["thing"]["name"]}),
        )
    }
    known = {"device": lock, "entry": made["destination-translations"], "other": made["steering"]}
    filled = {k: int(v.format(**known)) if isinstance(v, str) else v for k, v in body.items()}
    answer = editor.post(url.format(**known), json=filled)
    assert answer.status_code in (status if isinstance(status, tuple) else (status,)), answer.text


def test_a_thing_of_another_kind_is_not_there(editor, ground: dict, policy: dict) -> None:
    zone = {"thing": {"name": "x", "depth": 1}}
    assert editor.post(f"/things/zones/{policy['id']}/consequence", json=zone).status_code in (404, 405)
    device = {"thing": {"name": "x"}}
    assert editor.post(f"/things/devices/{policy['id']}/consequence", json=device).status_code == 404
    within = {"thing": {"name": "x", "interfaces": [{"name": "i"}]}}
    refused = editor.post(f"/things/devices/{ground['devices'][0]['id']}/consequence", json=within)
    assert refused.status_code == 422


def test_what_an_edit_mends_and_brings_is_told(editor, policy: dict) -> None:
    rows = policy["rows"]
    top = {"after": None, "before": rows[0]["id"]}
    answer = ask(editor, policy, {"act": "move", "rules": [rows[BRIDGE]["id"]], "place": top})
    assert [(f["kind"], f["rule"]) for f in answer["go"]] == [("shadowed", "bridge")]
    assert answer["come"] == []
    answer = ask(editor, policy, {"act": "delete", "rules": [rows[BLOCK]["id"]]})
    assert [(f["kind"], f["rule"]) for f in answer["go"]] == [("shadowed", "bridge")]
    assert [(f["kind"], f["rule"]) for f in answer["come"]] == [("redundant", "bridge")]
    # A rule by another name is the same rule: nothing comes, nothing goes.
    renamed = {**rows[BRIDGE]["rule"], "name": "gangway"}
    answer = ask(editor, policy, {"act": "write", "rule_key": rows[BRIDGE]["id"], "rule": renamed})
    assert (answer["come"], answer["go"]) == ([], [])
    last = {"after": rows[-1]["id"], "before": None}
    dead = {
        "name": "late",
        "action": "allow",
        "source": ["petrel"],
        "destination": ["any"],
        "service": ["any"],
    }
    answer = ask(editor, policy, {"act": "insert", "rule": dead, "place": last})
    assert ("shadowed", "late") in [(f["kind"], f["rule"]) for f in answer["come"]]
