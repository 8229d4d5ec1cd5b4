"""Every route of the API with the least role that may use it: the routes as the router has them, the roles as we mean them."""

from __future__ import annotations

from fastapi.routing import APIRoute
from starlette.routing import BaseRoute

from sarvex.api.app import create_app
from sarvex.service.people.roles import ROLES

ANYBODY = "anybody"
OPEN = {("POST", "/api/session"), ("GET", "/api/health"), ("GET", "/{path:path}")}
NETWORK = "/api/networks/{network_id}"
COME_AND_GO = (
    "segments", "hosts", "devices", "interfaces", "destination-translations", "source-translations", "steering",
)  # fmt: skip
# What is asked with a body and changes nothing.
ASKING = {
    ("POST", NETWORK + what)
    for what in (
        "/decide",
        "/policies/{policy_id}/decide",
        "/policies/{policy_id}/consequence",
        "/policies/{policy_id}/rules/{rule_id}/ending",
        "/names/{name_id}/consequence",
        *(
            f"/things/{kind}/{{thing_id}}/consequence"
            for kind in (*COME_AND_GO, "policies", "at-hosts", "schedules")
        ),
        *(f"/things/{kind}/consequence" for kind in COME_AND_GO),
        "/newcomer/consequence",
        "/things/{thing_id}/deletion/consequence",
        "/things/{entry_id}/move/consequence",
        "/schedules/week",
        *(f"/expectations/{what}" for what in ("look", "complements", "around", "read")),
        "/first/look",
        "/policies/{policy_id}/read-back",
        "/pins",
        "/members",
    )
}
# What one keeps for oneself.
KEPT = {("POST", f"{NETWORK}/searches"), ("DELETE", f"{NETWORK}/searches/{{search_id}}")}
# One's own session and password.
OWN = {
    ("DELETE", "/api/session"),
    ("PUT", "/api/session/password"),
    ("POST", "/api/session/proof"),
    ("POST", "/api/session/second-factor"),
    ("PUT", "/api/session/second-factor"),
    ("DELETE", "/api/session/second-factor"),
    ("DELETE", "/api/session/all/{handle}"),
}
ADMINISTRATORS = (
    "/api/people",
    "/api/audit",
    "/api/metrics",
    f"{NETWORK}/links",
    f"{NETWORK}/releases/settings",
)


# What no token may do, of what it reaches at all: what is asked for with a password, and what a person stands for.
IN_PERSON = {
    ("PUT", f"{NETWORK}/releases/settings"),
    ("POST", f"{NETWORK}/releases"),
    ("POST", f"{NETWORK}/releases/{{number}}/confirmation"),
    ("PUT", f"{NETWORK}/links/{{device_id}}"),
    ("DELETE", f"{NETWORK}/links/{{device_id}}"),
    ("POST", f"{NETWORK}/review/signatures"),
    ("DELETE", f"{NETWORK}/review/signatures/{{signature_id}}"),
}


def routes() -> list[tuple[str, str]]:
    """Method and path of each, from the router."""
    app = create_app("mysql+pymysql://unused@127.0.0.1/unused")
    found: list[tuple[str, str]] = []

    def walk(routes: list[BaseRoute], prefix: str) -> None:
        for route in routes:
            if isinstance(route, APIRoute):
                found.extend((method, prefix + route.path) for method in route.methods)
            else:
                original = getattr(route, "original_router", None)
                assert original is not None, f"a route of an unknown kind: {route!r}"
                context = getattr(route, "include_context", None)
                walk(original.routes, prefix + (context.prefix if context else ""))

    walk(list(app.routes), "")
    return sorted(set(found))


def needed(method: str, path: str) -> str:
    """The least role that may use a route, or `ANYBODY`."""
    if (method, path) in OPEN:
        return ANYBODY
    if (method, path) in OWN | ASKING | KEPT:
        return "viewer"
    if (
        path in (f"{NETWORK}/links/{{device_id}}/drift", f"{NETWORK}/links/{{device_id}}/ground")
        and method != "GET"
    ):
        return "releaser"
    if path.startswith(ADMINISTRATORS) and not (method == "GET" and path.startswith(f"{NETWORK}/links")):
        return "administrator"
    if path.startswith(f"{NETWORK}/releases") and method != "GET":
        return "releaser"
    if "{network_id}" not in path and (method == "GET" or path.startswith("/api/tokens")):
        return "none"
    return "viewer" if method == "GET" else "editor"


def may(role: str, method: str, path: str) -> bool:
    """Whether a role is enough for a route."""
    least = needed(method, path)
    return least == ANYBODY or ROLES.index(role) >= ROLES.index(least)  # type: ignore[arg-type]
