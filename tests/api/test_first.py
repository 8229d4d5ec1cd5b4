"""The first network over the API: looked at as it is written, begun with in one step, and only where nothing is yet."""

from __future__ import annotations

import pytest
from signed import Signed
from sqlalchemy.orm import Session, sessionmaker

from sarvex.core.model.records import Network
from sarvex.service.drafts import networks

PLAN = "office 10 10.9.10.0/24 workplaces\nguests 20 10.9.20.0/24 visitors\nfiles 10.9.10.20\n"
ANSWERS = {
    "device": "lab-lock", "addresses": {"office": "10.9.10.1", "guests": "10.9.20.1"}, "uplink": "192.0.2.2/30", "next_hop": "192.0.2.1", "hides": True,
    "must": "guests must reach files on https", "must_not": "guests must not reach office on ssh",
}  # fmt: skip


@pytest.fixture
def empty(editor: Signed, sessions: sessionmaker[Session]) -> Signed:
    with sessions.begin() as session:
        made = networks.import_network(session, Network(name="Quay Lab"))
    return Signed(editor.http, f"/api/networks/{made}")


def look(at: Signed, text: str = PLAN, **answers: object) -> dict:
    told = at.post("/first/look", json={"text": text, "answers": answers})
    assert told.status_code == 200, told.text
    return told.json()


def test_it_is_told_while_it_is_written_and_nothing_is_changed(empty: Signed) -> None:
    assert look(empty, "")["lines"] == []
    told = look(empty)
    assert [line["words"] for line in told["lines"]] == [
        "segment office, vlan 10, zone workplaces",
        "segment guests, vlan 20, zone visitors",
        "host files",
    ]
    assert [(a["kind"], a["about"], a["usual"]) for a in told["asked"]][:3] == [
        ("device", "", "gateway"),
        ("address", "office", "10.9.10.1"),
        ("address", "guests", "10.9.20.1"),
    ]
    assert told["zones"] == ["outside", "visitors", "workplaces"] and told["usual"] == [
        "guests must reach office on https",
        "guests must not reach office on ssh",
    ]
    assert [s["thing"]["name"] for s in told["ground"]["segments"]] == ["office", "guests", "internet"]
    told = look(empty, **ANSWERS)
    assert told["asked"] == [] and told["problems"] == []
    assert [(w["alone"], w["verdict"]) for w in told["wanted"]] == [("broken", "kept"), ("kept", "kept")]
    assert (
        empty.get("").json()["revision"] == told["revision"] and not empty.get("/ground").json()["segments"]
    )


def test_it_is_begun_in_one_step_that_can_be_taken_back(empty: Signed) -> None:
    revision = look(empty)["revision"]
    body = {"text": PLAN, "answers": ANSWERS, "revision": revision, "request_key": "begin"}
    for _ in range(2):
        done = empty.post("/first/begin", json=body)
        assert done.status_code == 200 and done.json()["revision"] == revision + 1, done.text
    assert [e["verdict"] for e in empty.get("/expectations").json()["expectations"]] == ["kept", "kept"]
    answer = empty.get("/answer", params={"q": "guests to files on https"}).json()
    assert answer["verdict"] == "allowed", answer
    again = empty.post("/first/begin", json=body | {"request_key": "again", "revision": revision + 1})
    assert again.status_code == 422 and "has a ground already" in again.text
    assert empty.post("/undo", json={}).json()["act"] == "begin"
    assert not empty.get("/ground").json()["segments"]


@pytest.mark.parametrize(
    ("change", "place"),
    [({"text": PLAN + "printers 10.9.40.300"}, "lines[4]"), ({"answers": ANSWERS | {"must": "nobody must reach files"}}, "answers.must"), ({"answers": ANSWERS | {"addresses": {"office": "10.9.99.1"}}}, "answers.addresses.office"), ({"answers": ANSWERS | {"uplink": "x"}}, "devices[lab-lock]")],
)  # fmt: skip
def test_what_is_not_understood_or_not_sound_is_not_begun_with(
    empty: Signed, change: dict, place: str
) -> None:
    body = {"text": PLAN, "answers": ANSWERS, "revision": look(empty)["revision"]} | change
    refused = empty.post("/first/begin", json=body)
    assert refused.status_code == 422 and any(
        p["place"].startswith(place) for p in refused.json()["problems"]
    ), refused.text
    assert not empty.get("/ground").json()["segments"]


def test_a_network_with_a_ground_is_not_begun_anew(editor: Signed) -> None:
    assert editor.post("/first/look", json={"text": PLAN}).status_code == 422
