"""A network with nothing in it: no view claims that something was looked at and found right."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from sarvex.api.access import HEADER

SAYS = {
    "rules": "This network has no policy yet",
    "ground": "Nothing is on the ground yet",
    "findings": "There is no policy yet",
    "verify/question": "who sends, to whom, on which service",
    "verify": "This network has no policy yet",
    "names": "No names yet",
    "editions/release": "nothing is in force yet",
}


def test_what_is_said_where_nothing_is(desk: Page) -> None:
    csrf = desk.request.get("/api/session").json()["csrf"]
    made = desk.request.post(
        "/api/networks", data={"text": '{"sarvex": 1, "name": "Nothing yet"}'}, headers={HEADER: csrf}
    ).json()
    for view, says in SAYS.items():
        desk.goto(f"/networks/{made['id']}/{view}")
        expect(desk.locator("main")).to_contain_text(says)
    assert desk.locator(".policy.router-link-active").count() == 0  # “add policy” is no place
