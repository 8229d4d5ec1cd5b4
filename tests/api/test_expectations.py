"""What must hold over the API: told, looked at, read from a text, added together, live in consequences."""

from __future__ import annotations

import pytest

SELLS = {
    "name": "Petrel reads the tide", "source": ["petrel"], "destination": ["berth-sensors"], "service": ["mqtts"], "must": "allowed",
}  # fmt: skip
OUT = {
    "name": "vessels stay off",
    "source": ["vessels"],
    "destination": ["berth-sensors"],
    "service": ["tcp/22"],
    "must": "blocked",
}


@pytest.fixture
def two(editor) -> list[dict]:
    added = editor.post("/expectations", json={"things": [SELLS, OUT], "request_key": "both"})
    assert added.status_code == 201 and len(added.json()["ids"]) == 2, added.text
    return editor.get("/expectations").json()["expectations"]


def test_what_does_not_hold_says_by_which_packet_and_rule(editor, two: list[dict]) -> None:
    broken, kept = two
    assert (broken["verdict"], kept["verdict"]) == ("broken", "kept")
    assert broken["stopped"]["rule"] == "no-petrel" and broken["stopped"]["rule_id"]
    assert broken["mended_in"]["name"] == broken["stopped"]["policy"] and kept["mended_in"] is None
    assert "no-petrel" in broken["reason"] and broken["ends"]["service"] == "tcp/8883"
    assert editor.get("/answer", params={"q": broken["flow"]["question"]}).json()["verdict"] == "blocked"
    assert kept["flow"] is None and kept["reason"] == ""


def test_several_are_one_step_of_undo(editor, two: list[dict]) -> None:
    again = editor.post("/expectations", json={"things": [SELLS, OUT], "request_key": "both"})
    assert again.status_code == 201 and again.json()["revision"] == 1
    assert editor.post("/undo", json={}).json()["act"] == "add 2 expectations"
    assert editor.get("/expectations").json()["expectations"] == []
    assert editor.post("/redo", json={}).status_code == 200
    assert [e["thing"]["name"] for e in editor.get("/expectations").json()["expectations"]] == [
        SELLS["name"],
        OUT["name"],
    ]
    taken = editor.post("/expectations", json={"things": [OUT | {"name": "x"}, SELLS]})
    assert taken.status_code == 422 and "taken" in taken.text
    assert len(editor.get("/expectations").json()["expectations"]) == 2


def test_what_is_named_there_is_not_deleted_and_follows_its_name(editor, two: list[dict]) -> None:
    petrel = next(n for n in editor.get("/names").json() if n["name"] == "petrel")
    detail = editor.get(f"/names/{petrel['id']}").json()
    assert any("what must hold" in u["owner"] or u["policy"] is None for u in detail["used"])
    rules_gone = editor.delete(f"/names/{petrel['id']}", params={"ver": detail["ver"]})
    assert rules_gone.status_code == 422
    thing = {"name": "the Petrel", "members": detail["all_members"], "description": ""}
    assert (
        editor.put(f"/names/{petrel['id']}", json={"thing": thing, "ver": detail["ver"]}).status_code == 200
    )
    assert editor.get("/expectations").json()["expectations"][0]["thing"]["source"] == ["the Petrel"]


def test_an_edit_tells_what_it_breaks_and_mends(editor, two: list[dict]) -> None:
    line = editor.get("").json()["policies"][0]
    rows = editor.get(f"/policies/{line['id']}").json()["rows"]
    top = {"after": None, "before": rows[0]["id"]}
    base = f"/policies/{line['id']}/consequence"
    mends = editor.post(
        base, json={"edit": {"act": "delete", "rules": [rows[0]["id"]]}, "network": True, "patience": 10}
    ).json()
    assert [e["name"] for e in mends["expectations"]["mends"]] == [SELLS["name"]] and mends["expectations"][
        "breaks"
    ] == []
    shell = {
        "name": "shell",
        "action": "allow",
        "source": ["vessels"],
        "destination": ["berth-sensors"],
        "service": ["any"],
    }
    breaks = editor.post(
        base, json={"edit": {"act": "insert", "rule": shell, "place": top}, "network": True, "patience": 10}
    ).json()
    told = breaks["expectations"]
    assert [e["name"] for e in told["breaks"]] == [OUT["name"]] and [e["name"] for e in told["mends"]] == [
        SELLS["name"]
    ]
    assert "shell" in told["breaks"][0]["reason"]
    alone = editor.post(base, json={"edit": {"act": "delete", "rules": [rows[0]["id"]]}}).json()
    assert alone["expectations"] is None  # it was not asked what it does in the network


def test_what_is_written_is_looked_at_before_it_is_saved(viewer) -> None:
    seen = viewer.post("/expectations/look", json={"thing": SELLS}).json()
    assert seen["told"]["verdict"] == "broken" and seen["problems"] == []
    wrong = viewer.post("/expectations/look", json={"thing": SELLS | {"source": ["petrl"]}}).json()
    assert (
        wrong["told"] is None
        and wrong["problems"][0]["path"] == ["source", 0]
        and "petrel" in wrong["problems"][0]["message"]
    )
    assert viewer.post("/expectations", json={"things": [SELLS]}).status_code == 403


def test_complements_say_how_they_stand(editor) -> None:
    allowed = SELLS | {"name": "tide", "source": ["petrel-bridge"], "service": ["tide-feed"]}
    told = editor.post("/expectations/complements", json={"thing": allowed}).json()
    kinds = {c["kind"]: c for c in told}
    assert set(kinds) >= {"neighbours", "other services", "other direction"}
    assert all(c["thing"]["must"] == "blocked" and not c["there"] for c in told)
    assert kinds["neighbours"]["verdict"] == "broken"  # all vessels read the tide
    assert kinds["other direction"]["verdict"] == "kept"
    saved = editor.post("/expectations", json={"things": [kinds["other direction"]["thing"]]})
    assert saved.status_code == 201
    again = editor.post("/expectations/complements", json={"thing": allowed}).json()
    assert {c["kind"]: c["there"] for c in again}["other direction"] is True
    assert editor.post("/expectations/complements", json={"thing": OUT}).json() == []


def test_a_table_is_read_line_by_line(viewer) -> None:
    text = "from\tto\tport\tallowed\nvessels\tberth-sensors\tmqtts\tyes\nvesels\tberth-sensors\tmqtts\tno\nvessels\tberth-sensors\tmqtts\tno\n"
    lines = viewer.post("/expectations/read", json={"text": text}).json()["lines"]
    assert [(line["number"], line["verdict"], bool(line["problem"])) for line in lines] == [
        (2, "broken", False),
        (3, None, True),
        (4, "broken", False),
    ]
    assert "opposite of line 2" in lines[2]["note"] and "did you mean vessels" in lines[1]["problem"]


def test_a_glance_tells_who_manages_and_what_reaches_deep_unsaid(editor) -> None:
    """Zones and a service to manage by are given first; what is spoken of is not told as unsaid."""
    ground = editor.get("/ground").json()
    for number, name in ((0, "outside"), (3, "inside")):
        made = editor.post("/things/zones", json={"thing": {"name": name, "depth": number}})
        assert made.status_code == 201, made.text
    (gate,) = ground["devices"]
    for port, zone, address in zip(
        gate["interfaces"], ("outside", "inside"), ("10.44.200.1", "10.44.34.1"), strict=True
    ):
        thing = port["thing"] | {"zone": zone, "addresses": [address]}
        assert (
            editor.put(
                f"/things/interfaces/{port['id']}", json={"thing": thing, "ver": port["ver"]}
            ).status_code
            == 200
        )
    device = {
        k: v
        for k, v in gate["thing"].items()
        if k not in ("interfaces", "translate_destination", "translate_source", "steering")
    }
    managed = editor.put(
        f"/things/devices/{gate['id']}",
        json={"thing": device | {"management": ["tcp/22"]}, "ver": gate["ver"]},
    )
    assert managed.status_code == 200, managed.text
    told = editor.get("/standing").json()
    assert told["large"] is False and told["in_force"] is None
    assert told["managed"] == [{"device": "vessel-gate", "segments": ["vessels", "berth-sensors"]}]
    (deep,) = told["deep"]
    assert (deep["source"], deep["destination"]) == ("vessels", "berth-sensors") and "mqtts" in deep[
        "services"
    ]
    spoken = SELLS | {"source": ["vessels"], "service": ["any"]}
    assert editor.post("/expectations", json={"things": [spoken]}).status_code == 201
    assert editor.get("/standing").json()["deep"] == []


def test_a_name_does_not_come_to_mean_another_thing_unseen(editor) -> None:
    """A zone is meant; a host of that name would be meant from then on, and the sentence would say less."""
    assert editor.post("/things/zones", json={"thing": {"name": "deep", "depth": 3}}).status_code == 201
    zone = OUT | {"name": "deep stays closed", "destination": ["deep"]}
    assert editor.post("/expectations", json={"things": [zone]}).status_code == 201
    host = {"name": "Deep", "segment": "berth-sensors", "addresses": ["10.44.34.77"]}
    refused = editor.post("/things/hosts", json={"thing": host})
    assert refused.status_code == 422 and "deep stays closed" in refused.text
    assert editor.post("/things/hosts", json={"thing": host | {"name": "deeper"}}).status_code == 201


def test_the_pairs_that_something_is_expected_of_are_told(editor, two: list[dict]) -> None:
    pairs = editor.get("/expectations/pairs").json()
    (pair,) = [p for p in pairs if (p["source"], p["destination"]) == ("vessels", "berth-sensors")]
    assert (pair["names"], pair["bad"], pair["itself"]) == (
        [SELLS["name"], OUT["name"]],
        [SELLS["name"]],
        False,
    )


def test_ways_around_a_block_are_told_and_may_be_taken(editor) -> None:
    block = {
        "name": "x",
        "source": ["petrel"],
        "destination": ["berth-sensors"],
        "service": ["tcp/8884"],
        "must": "blocked",
    }
    told = editor.post("/expectations/around", json={"thing": block})
    assert told.status_code == 200, told.text
    assert told.json()["untried"] == []
    for way in told.json()["ways"]:
        assert (
            way["thing"]["must"] == "blocked" and way["verdict"] in ("broken", "undetermined") and way["flow"]
        )
        assert not way["there"] and way["unplugged"] == ""
    then = editor.post("/expectations/around", json={"thing": block, "unplugged": True}).json()
    assert all(way["unplugged"] and " without " in way["flow"]["question"] for way in then["ways"])
    nothing = editor.post("/expectations/around", json={"thing": block | {"source": ["nobody at all"]}})
    assert nothing.json() == {"ways": [], "untried": []}


def rule_called(editor, name: str) -> tuple[int, dict]:
    for policy in editor.get("").json()["policies"]:
        for row in editor.get(f"/policies/{policy['id']}").json()["rows"]:
            if row["rule"]["name"] == name:
                return policy["id"], row
    raise AssertionError(name)


def test_it_is_told_since_which_change_it_does_not_hold(editor, two: list[dict]) -> None:
    broken, _kept = two
    since = editor.get(f"/expectations/{broken['id']}/since").json()
    assert (since["change"], since["revision"], since["act"]) == (True, 1, "add 2 expectations")
    assert since["before"] is None and since["person"] == "Maren"
    # Turned off and on again: it is the last time that counts.
    policy, row = rule_called(editor, "no-petrel")
    for enabled in (False, True):
        changed = editor.put(
            f"/policies/{policy}/rules/{row['id']}",
            json={"rule": row["rule"] | {"enabled": enabled}, "ver": row["ver"]},
        )
        assert changed.status_code == 200, changed.text
        policy, row = rule_called(editor, "no-petrel")
        now = editor.get("/expectations").json()["expectations"][0]["verdict"]
        assert now == ("broken" if enabled else "kept")
    since = editor.get(f"/expectations/{broken['id']}/since").json()
    assert (since["revision"], since["before"]) == (3, "it held")
    # Written otherwise, by what it says now.
    thing = broken["thing"] | {"service": ["tcp/22"], "must": "blocked"}
    ver = editor.get("/expectations").json()["expectations"][0]["ver"]
    assert (
        editor.put(f"/things/expectations/{broken['id']}", json={"thing": thing, "ver": ver}).status_code
        == 200
    )
    since = editor.get(f"/expectations/{broken['id']}/since").json()
    assert (since["revision"], since["before"]) == (4, "it did not hold")
    assert editor.get("/expectations/99999/since").status_code == 404


def many(editor, two: list[dict], **body: object):
    seen = {one["id"]: one for one in editor.get("/expectations").json()["expectations"]}
    chosen = [[one["id"], seen.get(one["id"], one)["ver"]] for one in two]
    return editor.post("/expectations/many", json={"expectations": chosen, **body})


def test_several_get_somebody_who_answers_for_them_and_a_day_in_one_step(editor, two: list[dict]) -> None:
    given = many(editor, two, act="change", owner="maren", until="2099-03-31")
    assert given.status_code == 200, given.text
    things = [one["thing"] for one in editor.get("/expectations").json()["expectations"]]
    assert [(t["owner"], t["until"], t["at"]) for t in things] == [("maren", "2099-03-31", None)] * 2
    again = many(editor, two, act="change", owner="maren")
    assert again.json()["revision"] == given.json()["revision"], "nothing changed, so nothing was done"
    assert many(editor, two, act="change", until="").status_code == 200
    assert editor.post("/undo", json={}).json()["act"] == "change 2 expectations"
    assert editor.post("/undo", json={}).json()["act"] == "change 2 expectations"
    assert [one["thing"]["owner"] for one in editor.get("/expectations").json()["expectations"]] == ["", ""]


def test_several_are_deleted_in_one_step_and_come_back(editor, two: list[dict]) -> None:
    gone = many(editor, two, act="delete")
    assert gone.status_code == 200 and editor.get("/expectations").json()["expectations"] == []
    assert many(editor, two, act="delete").status_code in (404, 409)
    assert editor.post("/undo", json={}).json()["act"] == "delete 2 expectations"
    assert len(editor.get("/expectations").json()["expectations"]) == 2


@pytest.mark.parametrize(
    "body",
    [{"act": "change"}, {"act": "delete", "owner": "maren"}, {"act": "change", "until": "soon"}, {"act": "change", "at": "whenever"}],
)  # fmt: skip
def test_an_act_on_several_that_makes_no_sense_changes_nothing(editor, two: list[dict], body: dict) -> None:
    before = editor.get("/expectations").json()
    refused = many(editor, two, **body)
    assert refused.status_code == 422 and refused.json()["problems"], refused.text
    assert editor.get("/expectations").json() == before


def test_what_is_not_among_what_must_hold_is_not_changed_with_it(editor, two: list[dict]) -> None:
    petrel = next(n for n in editor.get("/names").json() if n["name"] == "petrel")
    ver = editor.get(f"/names/{petrel['id']}").json()["ver"]
    body = {"expectations": [[two[0]["id"], two[0]["ver"]], [petrel["id"], ver]], "act": "delete"}
    assert editor.post("/expectations/many", json=body).status_code == 404
    assert len(editor.get("/expectations").json()["expectations"]) == 2
