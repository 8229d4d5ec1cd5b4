"""Editions over the API: kept, compared with the draft, brought back."""

from __future__ import annotations

import pytest


@pytest.fixture
def policy(editor) -> dict:
    line = editor.get("").json()["policies"][0]
    return editor.get(f"/policies/{line['id']}").json()


def keep(editor, comment: str = "as it is"):
    return editor.post("/editions", json={"comment": comment})


def to_top(editor, policy: dict, at: int) -> None:
    row = policy["rows"][at]
    place = {"after": None, "before": policy["rows"][0]["id"]}
    moved = editor.post(
        f"/policies/{policy['id']}/rules/{row['id']}/move", json={"place": place, "ver": row["ver"]}
    )
    assert moved.status_code == 200, moved.text


def test_an_edition_is_kept_compared_and_brought_back(editor, policy: dict) -> None:
    assert keep(editor).json() == {"number": 1}
    to_top(editor, policy, 2)
    told = editor.get("/comparison?before=edition 1").json()
    assert [(d["section"], d["what"]) for d in told["differences"]] == [("policies", ["rule bridge moved"])]
    (one,) = told["policies"]
    (change,) = one["changes"]
    assert (change["change"], change["before"]["name"], change["after"]["position"]) == (
        "newly allowed", "no-petrel", 1,
    )  # fmt: skip
    assert change["after"]["id"] == policy["rows"][2]["id"]
    stale = editor.post("/editions/1/restoration", json={"revision": told["revision"] - 1})
    assert stale.status_code == 409
    back = editor.post("/editions/1/restoration", json={"revision": told["revision"]})
    assert back.status_code == 200, back.text
    again = editor.get("/comparison?before=edition 1").json()
    assert (again["equal"], again["differences"]) == (True, [])
    rows = editor.get(f"/policies/{policy['id']}").json()["rows"]
    assert [r["id"] for r in rows] == [r["id"] for r in policy["rows"]]


def test_editions_are_listed_and_taken_out_as_documents(editor) -> None:
    assert editor.get("/editions").json()["editions"] == []
    keep(editor, "first")
    (line,) = editor.get("/editions").json()["editions"]
    assert (line["number"], line["comment"], line["person"], len(line["root"])) == (1, "first", "Maren", 64)
    taken = editor.get("/editions/1/document")
    assert taken.headers["content-disposition"] == 'attachment; filename="edition-1.yaml"'
    assert "no-petrel" in taken.text


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [
        ("get", "/comparison?before=edition 9", 404),
        ("get", "/comparison?before=0", 422),
        ("get", "/comparison", 404),
        ("get", "/comparison?before=draft&to=nobody", 422),
        ("get", "/editions/9/document", 404),
        ("get", "/editions/x/document", 422),
    ],
)
def test_what_is_not_there_is_told(editor, method: str, path: str, status: int) -> None:
    assert getattr(editor, method)(path).status_code == status


def test_the_same_twice_and_no_reason_are_refused(editor) -> None:
    assert keep(editor, " ").json()["problems"][0]["path"] == ["comment"]
    keep(editor)
    refused = keep(editor)
    assert refused.status_code == 422
    assert "same as edition 1" in refused.text


def test_a_damaged_edition_says_so(editor, monkeypatch: pytest.MonkeyPatch) -> None:
    keep(editor)
    monkeypatch.setattr("sarvex.store.editions.zlib.decompress", lambda _: b"[]")
    answer = editor.get("/editions/1/document")
    assert answer.status_code == 500
    assert "is damaged: the records were changed by other ways" in answer.json()["detail"]


def test_a_viewer_reads_and_keeps_nothing(viewer) -> None:
    assert viewer.get("/editions").status_code == 200
    assert keep(viewer).status_code == 403


def test_the_ground_of_an_edition_has_its_own_things_with_the_ids_they_have_now(editor) -> None:
    first = editor.get("/ground").json()
    segment = first["segments"][0]
    spare = {"name": "spare", "segment": segment["thing"]["name"], "addresses": ["10.44.200.9"]}
    made = editor.post("/things/hosts", json={"thing": spare}).json()["id"]
    keep(editor)
    assert editor.delete(f"/things/{made}", params={"ver": 1}).status_code == 200
    other = {**segment["thing"], "description": "another"}
    editor.put(f"/things/segments/{segment['id']}", json={"thing": other, "ver": segment["ver"]})
    then = editor.get("/ground", params={"of": "edition 1"}).json()
    assert [(h["id"], h["thing"]["name"]) for h in then["hosts"]] == [
        *((h["id"], h["thing"]["name"]) for h in first["hosts"]), (0, "spare"),
    ]  # fmt: skip
    assert then["segments"][0] == {**segment, "ver": segment["ver"] + 1}
    assert editor.get("/ground").json()["segments"][0]["thing"] == other
    assert editor.get("/ground", params={"of": "edition 9"}).status_code == 404


def test_a_comparison_is_taken_away_with_both_ranges(editor, policy: dict) -> None:
    keep(editor)
    to_top(editor, policy, 2)
    page = editor.get("/comparison/file", params={"before": "edition 1"})
    assert page.headers["content-disposition"] == 'attachment; filename="comparison.html"'
    assert "<h3>In the network</h3>" in page.text and "petrel-bridge → berth-sensors : mqtts" in page.text
    told = editor.get("/comparison/file", params={"before": "edition 1", "form": "json"}).json()
    assert [c["change"] for c in told["effect"]["network"]["changes"]] == ["opens"]
    assert editor.get("/comparison", params={"before": "edition 1"}).json()["network"]["equal"] is False


def test_a_comparison_tells_what_breaks_and_mends(editor, policy: dict) -> None:
    says = {
        "name": "Petrel reads",
        "source": ["petrel-bridge"],
        "destination": ["berth-sensors"],
        "service": ["mqtts"],
        "must": "allowed",
    }
    assert editor.post("/expectations", json={"things": [says]}).status_code == 201
    keep(editor)
    assert editor.get("/comparison", params={"before": "edition 1"}).json()["expectations"] == {
        "breaks": [], "mends": [], "unknown": [],
    }  # fmt: skip
    to_top(editor, policy, 2)
    told = editor.get("/comparison", params={"before": "edition 1"}).json()["expectations"]
    assert [(e["name"], e["was"], e["verdict"]) for e in told["mends"]] == [
        ("Petrel reads", "broken", "kept")
    ]
    back = editor.get("/comparison", params={"before": "draft", "after": "edition 1"}).json()["expectations"]
    assert [e["name"] for e in back["breaks"]] == ["Petrel reads"] and back["breaks"][0]["reason"]
    page = editor.get("/comparison/file", params={"before": "edition 1"}).text
    assert "Mends “Petrel reads”" in page
