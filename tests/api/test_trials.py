"""The try-it sheet over the API: what to try of which version, and what was seen."""

from __future__ import annotations

import pytest
from sqlalchemy import select

from sarvex.service import audit
from sarvex.store import tables as t

SELLS = {
    "name": "Petrel reads the tide", "source": ["petrel"], "destination": ["berth-sensors"], "service": ["mqtts"], "must": "allowed",
}  # fmt: skip
OUT = {
    "name": "vessels stay off", "source": ["vessels"], "destination": ["berth-sensors"], "service": ["tcp/22"], "must": "blocked",
}  # fmt: skip


@pytest.fixture
def two(editor) -> dict:
    assert editor.post("/expectations", json={"things": [SELLS, OUT]}).status_code == 201
    return sheet(editor)


def sheet(editor, **params: str) -> dict:
    told = editor.get("/trials", params=params)
    assert told.status_code == 200, told.text
    return told.json()


def see(editor, trial: dict, worked: bool | None, note: str = "", about: str = "tide"):
    body = {"packet": trial["packet"], "about": about, "worked": worked, "told": trial["works"], "note": note}
    return editor.post("/trials", json=body)


def put_in_force(sessions, network_id: int, number: int) -> None:
    """An edition in force, by a release that is done with."""
    with sessions.begin() as session:
        own = t.Edition.network_id == network_id, t.Edition.number == number
        edition = session.scalar(select(t.Edition.id).where(*own))
        release = t.Release(
            network_id=network_id, number=1, edition_id=edition, state="in force", reason="it is time", reference="", answers={},
            confirm_minutes=0, asked_at=audit.now(), due_at=audit.now(), note="",
        )  # fmt: skip
        session.add(release)
        session.flush()
        session.add(
            t.InForce(network_id=network_id, edition_id=edition, release_id=release.id, since=audit.now())
        )


def test_it_says_from_where_to_where_what_must_be_seen_and_who_counts_it(two: dict) -> None:
    assert two["version"] == "draft" and two["in_force"] is None and two["seen"] == []
    reads, out = two["expectations"]
    (trial,) = reads["trials"]
    assert (trial["source"], trial["service"], trial["works"]) == (
        "a host of vessels", "tcp/8883", False,
    )  # fmt: skip
    assert trial["as_it_must"] is False and trial["counted"][-1]["rule"] == "no-petrel"
    assert trial["counted"][-1]["rule_id"] and trial["packet"].endswith(" on tcp/8883")
    assert out["must"] == "blocked" and all(x["as_it_must"] for x in out["trials"])
    assert {x["seen"][0] for x in out["trials"]} <= {"no answer", "“prohibited” comes back at once"}


def test_what_is_seen_is_kept_by_its_packet_and_the_last_counts(editor, two: dict) -> None:
    first = two["expectations"][1]["trials"][0]
    assert see(editor, first, True, " with the old laptop ").status_code == 204
    (seen,) = sheet(editor)["seen"]
    assert (seen["worked"], seen["otherwise"], seen["note"]) == (True, True, "with the old laptop")
    assert seen["person"].startswith("Maren") and seen["packet"] == first["packet"]
    [told] = editor.get("/standing").json()["otherwise"]
    assert told["packet"] == first["packet"] and told["worked"]
    assert see(editor, first, False).status_code == 204
    (seen,) = sheet(editor)["seen"]
    assert not seen["worked"] and not seen["otherwise"]
    assert editor.get("/standing").json()["otherwise"] == []
    assert see(editor, first, None).status_code == 204
    assert sheet(editor)["seen"] == []
    acts = [e["act"] for e in editor.get("/audit").json()[:3]]
    assert acts == ["take back a trial", "try", "try"]


def test_it_is_of_what_is_in_force_and_what_was_seen_before_says_so(
    editor, two: dict, sessions, network_id: int
) -> None:
    first = two["expectations"][1]["trials"][0]
    see(editor, first, True)
    assert editor.post("/editions", json={"comment": "as it is"}).status_code == 201
    put_in_force(sessions, network_id, 1)
    told = sheet(editor)
    assert told["version"] == "edition 1, in force" and told["in_force"] == 1
    assert [e["name"] for e in told["expectations"]] == [SELLS["name"], OUT["name"]]
    assert told["seen"][0]["edition"] is None and editor.get("/standing").json()["otherwise"] == []
    see(editor, first, True)
    assert sheet(editor)["seen"][0]["edition"] == 1
    assert editor.get("/standing").json()["otherwise"]
    assert sheet(editor, version="draft")["version"] == "draft"
    assert editor.get("/trials", params={"version": "edition 9"}).status_code == 404


def test_what_nobody_tried_is_refused_and_viewers_only_read(editor, two: dict, viewer) -> None:
    trial = two["expectations"][0]["trials"][0]
    assert sheet(viewer)["expectations"]
    assert see(viewer, trial, True).status_code == 403


def test_a_packet_without_a_word_is_refused(editor, two: dict) -> None:
    empty = see(editor, {"packet": " ", "works": True}, True)
    assert empty.status_code == 422 and empty.json()["problems"][0]["path"] == ["packet"]
    long = see(editor, two["expectations"][0]["trials"][0], True, "x" * 2001)
    assert long.status_code == 422 and sheet(editor)["seen"] == []


def test_of_nothing_there_is_nothing_to_try(editor) -> None:
    assert sheet(editor)["expectations"] == []
