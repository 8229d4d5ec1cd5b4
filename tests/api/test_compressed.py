"""Answers are compressed for whoever takes it, and say the same."""

from __future__ import annotations

import gzip
from pathlib import Path

from fastapi.testclient import TestClient
from signed import sign_in

from sarvex.api.app import create_app

PLAIN, PACKED = {"Accept-Encoding": "identity"}, {"Accept-Encoding": "br, gzip"}


def raw(client: TestClient, path: str) -> tuple[bytes, dict[str, str]]:
    """A body as it was sent."""
    with client.stream("GET", path, headers=PACKED) as answer:
        return b"".join(answer.iter_raw()), dict(answer.headers)


def test_data_is_compressed_and_says_the_same(client: TestClient, network_id: int) -> None:
    sign_in(client, "Maren")
    path = f"/api/networks/{network_id}/names"
    plain = client.get(path, headers=PLAIN)
    assert "content-encoding" not in plain.headers and len(plain.content) > 1000
    body, headers = raw(client, path)
    assert headers["content-encoding"] == "gzip" and "accept-encoding" in headers["vary"].lower()
    assert int(headers["content-length"]) == len(body) < len(plain.content) / 2
    assert gzip.decompress(body) == plain.content
    small, headers = raw(client, "/api/session")
    assert "content-encoding" not in headers and small.startswith(b"{")


def test_files_that_tell_what_they_hold_are_kept_for_good(
    client: TestClient, database_url: str, tmp_path: Path
) -> None:
    (tmp_path / "assets").mkdir()
    (tmp_path / "assets" / "index-1234.js").write_text("let a = 1\n" * 5000)
    (tmp_path / "index.html").write_text("<p>" + "the page, with its nonce " * 100)
    (tmp_path / "favicon.svg").write_text("<svg/>")
    with TestClient(create_app(database_url, tmp_path)) as http:
        body, headers = raw(http, "/assets/index-1234.js")
        assert headers["cache-control"] == "public, max-age=31536000, immutable"
        assert headers["content-type"].startswith("text/javascript") and headers["content-encoding"] == "gzip"
        assert gzip.decompress(body) == (tmp_path / "assets" / "index-1234.js").read_bytes()
        _, page = raw(http, "/")
        assert page["cache-control"] == "no-store" and "content-encoding" not in page
        _, icon = raw(http, "/favicon.svg")
        assert "immutable" not in icon.get("cache-control", "")
        assert http.get("/assets/other.js").status_code == 404
