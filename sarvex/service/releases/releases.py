"""Releases: an edition brought into force as one act, confirmed or gone back, device by device.

What is in force is one row. It is switched in one transaction; the devices follow, each told for itself. The states:

    planned ──> being sent ──> to be confirmed ──> in force
       │            │  ^              │
       │          stuck┘              v
       v            └────────────> going back ──> gone back
    called off, held up            (or stuck going back)

A release that is not confirmed in time, and one whose devices cannot be reached in that time, goes back by itself:
`ReleaseWorker` in `sarvex.service.releases.release_worker` sees to that, and to everything that takes more than one transaction.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, Literal

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, aliased

from sarvex.core.model.problems import Problem
from sarvex.service import audit
from sarvex.service.analysis.network_cache import NetworkCache
from sarvex.service.editions import editions
from sarvex.service.editions.comparisons import Comparison
from sarvex.service.editions.versions import Version, edition, edition_row, in_force, of_draft
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.service.people.accounts import called
from sarvex.service.releases import devices
from sarvex.service.releases.guards import Guard, guards
from sarvex.store import tables as t

State = Literal[
    "planned", "being sent", "stuck", "to be confirmed", "in force", "going back", "stuck going back",
    "gone back", "called off", "held up",
]  # fmt: skip
OPEN: tuple[State, ...] = (
    "planned", "being sent", "stuck", "to be confirmed", "going back", "stuck going back",
)  # fmt: skip
UNCONFIRMED: tuple[State, ...] = ("being sent", "stuck", "to be confirmed")
"""The states in which a release goes back when its time is over."""
MOST_MINUTES = 24 * 60
MOST_TEXT = 4000


@dataclass(frozen=True)
class Wanted:
    """What is to be released: an edition, or (None) the draft of a revision, which becomes one."""

    number: int | None
    revision: int
    reason: str
    reference: str = ""
    due_at: datetime | None = None
    confirm_minutes: int | None = None
    answers: dict[str, str] | None = None
    client: str = ""


@dataclass(frozen=True)
class DeviceState:
    """How far a release got at one device."""

    device: str
    state: Literal["waiting", "done", "failed", "untouched"]
    detail: str
    tries: int
    at: datetime


@dataclass(frozen=True)
class Release:
    """One release as it stands."""

    number: int
    edition: int
    before: int | None
    state: State
    reason: str
    reference: str
    answers: dict[str, str]
    person: str
    asked_at: datetime
    due_at: datetime
    began_at: datetime | None
    confirm_minutes: int
    confirm_by: datetime | None
    ended_at: datetime | None
    note: str
    devices: tuple[DeviceState, ...]


@dataclass(frozen=True)
class Settings:
    """What a network asks of its releases."""

    reviewers: int
    confirm_minutes: int
    managed_from: tuple[str, ...]
    second_factor: bool = False
    """Whether whoever releases or administers needs one."""


@dataclass(frozen=True)
class Standing:
    """What is in force, how far the draft is from it, and how many of the devices that follow are known to have it."""

    edition: int | None
    ahead: int
    """Edits since it was kept, or since the beginning; none where the draft is what is in force, edits taken back or not."""
    devices: int
    reached: int


@dataclass(frozen=True)
class Prospect:
    """What bringing a version into force would do, and what stands against it."""

    before: int | None
    guards: tuple[Guard, ...]
    told: Comparison | None


# Settings ------------------------------------------------------------------------------------------------------------


def settings(session: Session, network_id: int) -> Settings:
    """Raises `NotFound`."""
    row = _network(session, network_id)
    return Settings(row.reviewers, row.confirm_minutes, tuple(row.managed_from), row.second_factor)


def change_settings(
    session: Session, cache: NetworkCache, network_id: int, person_id: int | None, wanted: Settings
) -> None:
    """Raises `NotFound`, `Refused`: places that no name stands for."""
    before = settings(session, network_id)
    names = cache.open(session, network_id).names
    found = []
    for at, place in enumerate(wanted.managed_from):
        try:
            names.address(place)
        except (LookupError, ValueError) as error:
            found.append(Problem(("managed_from", at), str(error)))
    if found:
        raise Refused(found)
    row = _network(session, network_id)
    row.reviewers, row.confirm_minutes = wanted.reviewers, wanted.confirm_minutes
    row.managed_from, row.second_factor = list(wanted.managed_from), wanted.second_factor
    session.flush()
    told = {
        "before": vars(before) | {"managed_from": list(before.managed_from)},
        "after": vars(wanted) | {"managed_from": list(wanted.managed_from)},
    }
    audit.note(session, person_id, "change what releases need", network_id=network_id, detail=told)


def _network(session: Session, network_id: int, lock: bool = False) -> t.Network:
    row = session.get(t.Network, network_id, populate_existing=True, with_for_update=lock or None)
    if row is None:
        raise NotFound("there is no such network")
    return row


# Asking --------------------------------------------------------------------------------------------------------------


def prospect(
    session: Session, cache: NetworkCache, network_id: int, number: int | None, client: str = ""
) -> Prospect:
    """What releasing an edition, or the draft, would do now. Raises `NotFound`."""
    before = in_force(session, network_id)
    old = edition(session, network_id, before) if before is not None else None
    new = _wanted(session, cache, network_id, number)
    found, told = guards(session, cache, network_id, old, new, client, number)
    return Prospect(before, tuple(found), told)


def _wanted(session: Session, cache: NetworkCache, network_id: int, number: int | None) -> Version:
    return (
        of_draft(cache.open(session, network_id)) if number is None else edition(session, network_id, number)
    )


def release(
    session: Session,
    cache: NetworkCache,
    network_id: int,
    person_id: int | None,
    wanted: Wanted,
    request_key: str | None = None,
) -> int:
    """Release, now or at the moment that is wanted. Returns the release's number.

    Raises `Conflict` if the draft was edited since it was looked at or another release is under way, `Refused` while
    something stands against it, `NotFound`.
    """
    row = _network(session, network_id, lock=True)
    done = _released(session, network_id, request_key)
    if done is not None:
        return done
    _may_begin(session, row, wanted)
    seen = prospect(session, cache, network_id, wanted.number, wanted.client)
    if wanted.number is not None and wanted.number == seen.before:
        raise Refused([Problem(("number",), f"edition {wanted.number} is in force already")])
    answers = _answered(seen.guards, wanted)
    number = (
        wanted.number
        if wanted.number is not None
        else editions.make(session, network_id, person_id, wanted.reason, may_be_newest=True)
    )
    if number == seen.before:
        raise Refused([Problem(("number",), f"edition {number} is in force already")])
    now = audit.now()
    due = _utc(wanted.due_at) if wanted.due_at else now
    last = session.scalar(select(func.max(t.Release.number)).where(t.Release.network_id == network_id)) or 0
    minutes = row.confirm_minutes if wanted.confirm_minutes is None else wanted.confirm_minutes
    made = t.Release(
        network_id=network_id, number=last + 1, edition_id=edition_row(session, network_id, number).id,
        before_id=_id(session, network_id, seen.before), state="planned", reason=wanted.reason.strip(),
        reference=wanted.reference.strip(), answers=answers, confirm_minutes=minutes, person_id=person_id,
        asked_at=now, due_at=due, note="", request_key=request_key,
    )  # fmt: skip
    session.add(made)
    session.flush()
    told = {
        "edition": number, "before": seen.before, "reason": made.reason, "reference": made.reference,
        "answers": answers, "due": due.isoformat(), "confirm within minutes": minutes,
    }  # fmt: skip
    act = "plan release" if due > now else "release"
    audit.note(session, person_id, act, f"edition {number}", network_id=network_id, detail=told)
    if due <= now:
        begin(session, made)
    return made.number


def _released(session: Session, network_id: int, request_key: str | None) -> int | None:
    """The release that a request with this key made before."""
    if request_key is None:
        return None
    return session.scalar(
        select(t.Release.number).where(
            t.Release.network_id == network_id, t.Release.request_key == request_key
        )
    )


def _may_begin(session: Session, row: t.Network, wanted: Wanted) -> None:
    """Raises `Conflict` while another release is under way, or for a draft that was edited since it was looked at."""
    under_way = _open(session, row.id)
    if under_way is not None:
        message = f"release {under_way.number} is {under_way.state}; end that first"
        raise Conflict(message, "release", under_way.number)
    if wanted.number is None and row.revision != wanted.revision:
        raise Conflict("the draft was edited since you looked; look at it again", "network", row.id)


def _utc(at: datetime) -> datetime:
    """As the records keep moments: in UTC, and without saying so."""
    return at.astimezone(UTC).replace(tzinfo=None) if at.tzinfo else at


def _answered(found: tuple[Guard, ...], wanted: Wanted) -> dict[str, str]:
    """The written reasons for what wants one. Raises `Refused` for whatever still stands against it."""
    given = {key: text.strip() for key, text in (wanted.answers or {}).items()}
    problems = []
    if not wanted.reason.strip():
        problems.append(Problem(("reason",), "say why this is released"))
    if len(wanted.reason) > MOST_TEXT:
        problems.append(Problem(("reason",), f"at most {MOST_TEXT} characters"))
    for guard in found:
        if guard.weight == "stops":
            problems.append(Problem((), guard.text))
        elif guard.weight == "wants a reason" and not given.get(guard.key):
            problems.append(
                Problem(("answers", guard.key), f"say why it is released all the same: {guard.text}")
            )
    if problems:
        raise Refused(problems)
    return {g.key: given[g.key] for g in found if g.weight == "wants a reason"}


def _id(session: Session, network_id: int, number: int | None) -> int | None:
    return None if number is None else edition_row(session, network_id, number).id


def _open(session: Session, network_id: int) -> t.Release | None:
    return session.scalar(
        select(t.Release)
        .where(t.Release.network_id == network_id, t.Release.state.in_(OPEN))
        .with_for_update()
    )


# What becomes of it --------------------------------------------------------------------------------------------------


def begin(session: Session, row: t.Release) -> None:
    """Switch what is in force, in this transaction; the devices follow. A planned one is held up if something else came
    into force since it was planned: what was looked at is not what it would do."""
    now = audit.now()
    force = session.get(t.InForce, row.network_id, with_for_update=True, populate_existing=True)
    if (force.edition_id if force else None) != row.before_id:
        return _end(
            session, row, "held up", "something else came into force since this was planned; look at it anew"
        )
    if force is None:
        force = t.InForce(network_id=row.network_id)
        session.add(force)
    force.edition_id, force.release_id, force.since = row.edition_id, row.id, now
    row.began_at = now
    if row.confirm_minutes:
        row.confirm_by = now + timedelta(minutes=row.confirm_minutes)
    for link in devices.links(session, row.network_id):
        session.add(
            t.ReleaseDevice(
                release_id=row.id, device=link.device, state="waiting", detail="", tries=0, at=now
            )
        )
    row.state = "being sent"
    session.flush()
    settle(session, row)


def begin_planned(session: Session, cache: NetworkCache, row: t.Release) -> None:
    """Begin a planned release, if what was true when it was planned is true still: its maker may release, nothing stops it, and
    what wants a reason has one. Otherwise it is held up."""
    maker = session.get(t.Person, row.person_id) if row.person_id is not None else None
    if row.person_id is not None and (
        maker is None or maker.closed_at is not None or maker.role not in ("releaser", "administrator")
    ):
        return _end(session, row, "held up", "whoever planned it may not release any more")
    number = session.get_one(t.Edition, row.edition_id).number
    for guard in prospect(session, cache, row.network_id, number).guards:
        if guard.weight == "stops":
            return _end(session, row, "held up", guard.text)
        if guard.weight == "wants a reason" and not row.answers.get(guard.key):
            return _end(
                session, row, "held up", f"nobody has said why it is released all the same: {guard.text}"
            )
    begin(session, row)


def settle(session: Session, row: t.Release) -> None:
    """Go on to the next state once every device is through."""
    states = set(session.scalars(select(t.ReleaseDevice.state).where(t.ReleaseDevice.release_id == row.id)))
    if "waiting" in states:
        return
    back = row.state in ("going back", "stuck going back")
    if "failed" in states:
        row.state = "stuck going back" if back else "stuck"
    elif back:
        return _end(session, row, "gone back", row.note)
    elif row.confirm_minutes:
        row.state = "to be confirmed"
    else:
        return _end(session, row, "in force", "")
    session.flush()
    audit.note(
        session, row.person_id, f"release is {row.state}", f"release {row.number}", network_id=row.network_id,
        detail={"confirm by": row.confirm_by.isoformat() if row.confirm_by else None},
    )  # fmt: skip


def _end(session: Session, row: t.Release, state: State, note: str, person_id: int | None = None) -> None:
    row.state, row.note, row.ended_at = state, note, audit.now()
    session.flush()
    who = person_id if person_id is not None else row.person_id
    audit.note(
        session,
        who,
        f"release is {state}",
        f"release {row.number}",
        network_id=row.network_id,
        detail={"note": note},
    )


def confirm(session: Session, network_id: int, person_id: int, number: int) -> None:
    """Say that it works as meant: it stays. Raises `NotFound`, `Conflict`: it goes back, or its time is over and it will."""
    row = _row(session, network_id, number, ("to be confirmed",), "confirm")
    if row.confirm_by is not None and row.confirm_by <= audit.now():
        raise Conflict("its time is over: it goes back", "release", number)
    _end(session, row, "in force", "confirmed", person_id)


def call_off(session: Session, network_id: int, person_id: int, number: int) -> None:
    """Drop a planned release. Raises `NotFound`, `Conflict`."""
    row = _row(session, network_id, number, ("planned",), "call off")
    _end(session, row, "called off", "called off", person_id)


def take_back(session: Session, network_id: int, person_id: int, number: int) -> None:
    """Go back to what was in force before. Raises `NotFound`, `Conflict`."""
    row = _row(session, network_id, number, ("being sent", "stuck", "to be confirmed"), "take back")
    go_back(session, row, "taken back", person_id)


def go_back(session: Session, row: t.Release, note: str, person_id: int | None = None) -> None:
    """Switch back what is in force, in this transaction; devices that were reached follow."""
    force = session.get_one(t.InForce, row.network_id, with_for_update=True, populate_existing=True)
    if row.before_id is None:
        session.delete(force)
    else:
        force.edition_id, force.since = row.before_id, audit.now()
    row.state, row.note = "going back", note
    for device in session.scalars(select(t.ReleaseDevice).where(t.ReleaseDevice.release_id == row.id)):
        touched = device.tries > 0
        device.state, device.detail, device.at = "waiting" if touched else "untouched", "", audit.now()
    session.flush()
    who: Any = person_id if person_id is not None else "Sarvex"
    audit.note(
        session,
        who,
        "take release back",
        f"release {row.number}",
        network_id=row.network_id,
        detail={"note": note},
    )
    settle(session, row)


def retry(session: Session, network_id: int, person_id: int, number: int) -> None:
    """Try the devices that failed again. Raises `NotFound`, `Conflict`."""
    row = _row(session, network_id, number, ("stuck", "stuck going back"), "retry")
    session.execute(
        update(t.ReleaseDevice)
        .where(t.ReleaseDevice.release_id == row.id, t.ReleaseDevice.state == "failed")
        .values(state="waiting", at=audit.now())
    )
    row.state = "being sent" if row.state == "stuck" else "going back"
    session.flush()
    audit.note(session, person_id, "retry release", f"release {row.number}", network_id=network_id)


def _row(session: Session, network_id: int, number: int, states: tuple[State, ...], what: str) -> t.Release:
    _network(session, network_id, lock=True)
    row = session.scalar(
        select(t.Release)
        .where(t.Release.network_id == network_id, t.Release.number == number)
        .with_for_update()
        .execution_options(populate_existing=True)
    )
    if row is None:
        raise NotFound(f"there is no release {number}")
    if row.state not in states:
        raise Conflict(f"release {number} is {row.state}; there is nothing to {what}", "release", number)
    return row


# Reading -------------------------------------------------------------------------------------------------------------


def standing(session: Session, cache: NetworkCache, network_id: int) -> Standing:
    """What is in force, as the records know it; no device is asked. Raises `NotFound`."""
    stored = cache.open(session, network_id).stored
    links = {link.device for link in devices.links(session, network_id)}
    number = in_force(session, network_id)
    if number is None:
        return Standing(None, stored.revision, len(links), 0)
    same = edition(session, network_id, number).network == stored.network
    ahead = 0 if same else stored.revision - edition_row(session, network_id, number).revision
    has: dict[str, bool] = {}
    for release in listing(session, network_id):
        back = release.state in ("going back", "stuck going back", "gone back")
        given = release.before if back else release.edition
        for device in release.devices:
            if device.state != "untouched":
                has.setdefault(device.device, device.state == "done" and given == number)
    return Standing(number, ahead, len(links), sum(has.get(name, False) for name in links))


def listing(session: Session, network_id: int) -> list[Release]:
    """All releases of a network, newest first."""
    was = aliased(t.Edition)
    found = session.execute(
        select(t.Release, t.Edition.number, was.number, t.Person.name, t.Person.login)
        .join(t.Edition, t.Edition.id == t.Release.edition_id)
        .outerjoin(was, was.id == t.Release.before_id)
        .outerjoin(t.Person, t.Person.id == t.Release.person_id)
        .where(t.Release.network_id == network_id)
        .order_by(t.Release.number.desc())
        .limit(200)
    ).all()
    followed: dict[int, list[DeviceState]] = {}
    for d in session.scalars(
        select(t.ReleaseDevice)
        .where(t.ReleaseDevice.release_id.in_([r.id for r, *_ in found]))
        .order_by(t.ReleaseDevice.device)
    ):
        state: Any = d.state
        followed.setdefault(d.release_id, []).append(DeviceState(d.device, state, d.detail, d.tries, d.at))
    return [
        Release(
            r.number, number, before, r.state, r.reason, r.reference, r.answers, called(name, login), r.asked_at, r.due_at,  # type: ignore[arg-type]
            r.began_at, r.confirm_minutes, r.confirm_by, r.ended_at, r.note, tuple(followed.get(r.id, ())),
        )
        for r, number, before, name, login in found
    ]  # fmt: skip
