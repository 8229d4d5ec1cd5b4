"""The ground, sections, acts on several rules, and what is brought in, over the API."""

from __future__ import annotations

import pytest

NEW = {
    "zones": {"name": "quayside", "depth": 3},
    "segments": {"name": "hangar", "prefixes": ["10.44.190.0/24"], "vlan": 190},
    "hosts": {"name": "crane", "segment": "vessels", "addresses": ["10.44.200.9"], "traits": ["kind crane"]},
    "devices": {"name": "hangar-lock", "zone_default": {"mode": "by depth"}},
    "policies": {"name": "hangar-side", "default": "drop"},
}


def ids(ground: dict) -> dict[str, tuple[int, int]]:  # type: ignore[type-arg]
    things = [*ground["zones"], *ground["segments"], *ground["hosts"], *ground["devices"]]
    return {t["thing"]["name"]: (t["id"], t["ver"]) for t in things}


@pytest.mark.parametrize("kind", NEW)
def test_each_kind_comes_changes_and_goes(editor, kind: str) -> None:
    made = editor.post(f"/things/{kind}", json={"thing": NEW[kind]})
    assert made.status_code == 201, made.text
    thing_id = made.json()["id"]
    changed = {**NEW[kind], "description": "changed"}
    assert editor.put(f"/things/{kind}/{thing_id}", json={"thing": changed, "ver": 1}).status_code == 200
    stale = editor.put(f"/things/{kind}/{thing_id}", json={"thing": NEW[kind], "ver": 1})
    assert (stale.status_code, stale.json()["kind"]) == (409, "thing")
    taken = editor.post(f"/things/{kind}", json={"thing": {**NEW[kind], "name": NEW[kind]["name"].upper()}})
    assert [p["place"] for p in taken.json()["problems"]] == ["name"]
    history = editor.get(f"/names/{thing_id}/history").json()
    assert (
        len(history) == 2
        and {"what": "description", "before": None, "after": "changed"} in history[0]["differences"]
    )
    assert editor.delete(f"/things/{thing_id}?ver=2").status_code == 200
    assert editor.post("/undo").json()["act"].startswith("delete")


def test_an_interface_hangs_on_its_device(editor) -> None:
    ground = editor.get("/ground").json()
    gate = next(d for d in ground["devices"] if d["thing"]["name"] == "vessel-gate")
    body = {"thing": {"name": "spare", "zone": None, "addresses": ["10.44.9.9"]}, "parent_id": gate["id"]}
    made = editor.post("/things/interfaces", json=body)
    assert made.status_code == 201, made.text
    now = editor.get("/ground").json()["devices"][0]
    assert [i["thing"]["name"] for i in now["interfaces"]] == ["radio", "quay", "spare"]
    inside = {**now["thing"], "policies": []}
    refused = editor.put(f"/things/devices/{gate['id']}", json={"thing": inside, "ver": 1})
    assert refused.status_code == 422 and "one by one" in refused.json()["detail"]
    used = editor.delete(f"/things/{ids(now_ground(editor))['vessels'][0]}?ver=1")
    assert used.status_code == 422 and "still used in" in used.json()["detail"]


def now_ground(editor) -> dict:  # type: ignore[no-untyped-def,type-arg]
    return editor.get("/ground").json()


def test_what_happens_by_default_is_told_for_each_pair_of_zones(editor) -> None:
    for name, depth in (("sea", 0), ("land", 4)):
        editor.post("/things/zones", json={"thing": {"name": name, "depth": depth}})
    gate = now_ground(editor)["devices"][0]
    for interface, zone in zip(gate["interfaces"], ("sea", "land"), strict=True):
        thing = {**interface["thing"], "zone": zone}
        editor.put(f"/things/interfaces/{interface['id']}", json={"thing": thing, "ver": interface["ver"]})
    thing = {**gate["thing"], "interfaces": [], "zone_default": {"mode": "by depth"}}
    assert editor.put(f"/things/devices/{gate['id']}", json={"thing": thing, "ver": 1}).status_code == 200
    between = {
        (b["entering"], b["leaving"]): b["default"] for b in now_ground(editor)["devices"][0]["between"]
    }
    assert between == {
        ("sea", "sea"): "open", ("sea", "land"): "closed", ("land", "sea"): "open", ("land", "land"): "open",
    }  # fmt: skip


def test_sections_and_several_rules(editor) -> None:
    policy_id = editor.get("").json()["policies"][0]["id"]
    rows = editor.get(f"/policies/{policy_id}").json()["rows"]
    made = editor.post(
        f"/policies/{policy_id}/sections", json={"section": {"name": "sea"}, "before_id": rows[2]["id"]}
    ).json()
    (section,) = made["policy"]["sections"]
    assert (section["name"], section["begins"]) == ("sea", 3)
    chosen = [[r["id"], r["ver"]] for r in rows[:2]]
    off = editor.post(f"/policies/{policy_id}/rules/many", json={"rules": chosen, "act": "disable"}).json()
    assert [r["rule"]["enabled"] for r in off["policy"]["rows"]] == [False, False, True, True, True, True]
    bare = editor.post(f"/policies/{policy_id}/rules/many", json={"rules": chosen, "act": "move"})
    assert [p["place"] for p in bare.json()["problems"]] == ["place"]
    stale = editor.post(f"/policies/{policy_id}/rules/many", json={"rules": chosen, "act": "delete"})
    assert stale.status_code == 409
    named = editor.put(
        f"/policies/{policy_id}/sections/{section['id']}", json={"section": {"name": "the sea"}, "ver": 1}
    )
    assert named.json()["policy"]["sections"][0]["name"] == "the sea"
    gone = editor.delete(f"/policies/{policy_id}/sections/{section['id']}?ver=2").json()
    assert gone["policy"]["sections"] == [] and len(gone["policy"]["rows"]) == 6


def test_what_comes_is_told_first_and_is_one_step(editor) -> None:
    csv = "segment,prefixes\nhangar,10.44.190.0/24\n"
    told = editor.post("/to-come", json={"form": "csv", "text": csv}).json()
    assert told["differences"] == [{"section": "segments", "name": "hangar", "change": "added", "what": []}]
    body = {"form": "csv", "text": csv, "revision": told["revision"]}
    assert editor.post("/bring-in", json=body).status_code == 200
    assert "hangar" in ids(now_ground(editor))
    assert editor.post("/bring-in", json=body).status_code == 409  # looked at before the last change
    assert editor.post("/undo").json()["act"] == "bring in"
    assert "hangar" not in ids(now_ground(editor))
    wrong = editor.post("/to-come", json={"form": "csv", "text": "segment,vlan\nx,9999\n"})
    assert "1 to 4094" in wrong.json()["detail"]


def test_a_document_comes_back_unchanged(editor) -> None:
    for form in ("yaml", "json"):
        text = editor.get(f"/document?form={form}").text
        told = editor.post("/to-come", json={"form": "document", "text": text}).json()
        assert told["differences"] == []
    other = editor.http.post("/api/networks", json={"text": text.replace("worked example", "second")})
    assert other.status_code == 201 and other.json()["name"] == "second"
    assert editor.http.post("/api/networks", json={"text": "sarvex: 1\n"}).status_code == 422


def test_too_large_is_refused_before_it_is_read(editor) -> None:
    answer = editor.http.post(
        "/api/networks",
        content=b"x",
        headers={"Content-Length": "100000000", "Content-Type": "application/json"},
    )
    assert answer.status_code == 413


def test_ids_of_another_kind_are_not_taken(editor) -> None:
    things = ids(now_ground(editor))
    segment, gate = things["vessels"][0], things["vessel-gate"][0]
    spare = {"thing": {"name": "spare"}}
    assert editor.put(f"/things/zones/{segment}", json={"thing": {"name": "x"}, "ver": 1}).status_code == 404
    assert editor.post("/things/interfaces", json={**spare, "parent_id": segment}).status_code == 404
    assert editor.post("/things/interfaces", json={**spare, "parent_id": 10**9}).status_code == 404
    assert editor.post("/things/interfaces", json=spare).status_code == 422
    assert editor.post("/things/zones", json={**spare, "parent_id": gate}).status_code == 422
    assert editor.post(f"/names/{gate}/replacement", json={"by": "petrel", "ver": 1}).status_code == 422
    assert editor.delete(f"/things/{10**9}?ver=1").status_code == 404


def test_a_rule_that_names_a_device_or_a_user_feels_what_the_ground_does(editor) -> None:
    """Before it is saved: an address that the device gets, one that its user's host gets, the last host of the user."""
    ground = editor.get("/ground").json()
    gate = next(d for d in ground["devices"] if d["thing"]["name"] == "vessel-gate")
    segment = {"thing": {"name": "pilots", "prefixes": ["10.44.220.0/24"]}}
    assert editor.post("/things/segments", json=segment).status_code == 201
    pilot = {"name": "pilot", "segment": "pilots", "addresses": ["10.44.220.9"], "user": "anders"}
    host_id = editor.post("/things/hosts", json={"thing": pilot}).json()["id"]
    policy = editor.get("").json()["policies"][0]["id"]
    first = editor.get(f"/policies/{policy}").json()["rows"][0]["id"]
    rule = {
        "name": "to the gate",
        "action": "allow",
        "source": ["anders"],
        "destination": ["Vessel-Gate", "tide-gateway"],
        "service": ["tcp/22"],
    }
    made = editor.post(
        f"/policies/{policy}/rules", json={"rule": rule, "place": {"after": None, "before": first}}
    )
    assert made.status_code == 201, made.text
    row = made.json()["policy"]["rows"][0]["rule"]
    assert (row["source"], row["destination"]) == (["anders"], ["vessel-gate", "tide-gateway"])

    def told(path: str, thing: dict) -> list[tuple]:
        answer = editor.post(path, json={"thing": thing, "patience": 10})
        assert answer.status_code == 200, answer.text
        assert not answer.json()["problems"], answer.json()["problems"]
        return [
            (c["change"], c["source"], c["destination"])
            for p in answer.json()["policies"]
            if p["name"] == "sensor-side"
            for c in p["changes"]
        ]

    ground = editor.get("/ground").json()
    gate = next(d for d in ground["devices"] if d["thing"]["name"] == "vessel-gate")
    port = gate["interfaces"][0]
    more = {**port["thing"], "addresses": [*port["thing"].get("addresses", []), "10.44.34.250"]}
    (change,) = told(f"/things/interfaces/{port['id']}/consequence", more)
    assert change[0] == "newly allowed"
    (change,) = told(
        f"/things/hosts/{host_id}/consequence", {**pilot, "addresses": ["10.44.220.9", "10.44.220.10"]}
    )
    assert change[:1] == ("newly allowed",)
    gone = editor.post(
        f"/things/hosts/{host_id}/consequence", json={"thing": {**pilot, "user": ""}, "patience": 10}
    ).json()
    assert "no address is called 'anders'" in gone["problems"][0]["message"]
    taken = editor.post(
        "/names", json={"kind": "addresses", "thing": {"name": "VESSEL-GATE", "members": ["10.44.1.1"]}}
    )
    assert taken.status_code == 422 and "is a device named in to the gate" in taken.text
