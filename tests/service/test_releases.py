"""Releases: signatures that stand for an effect, guards, the switch, devices that follow or fail, and the way back."""

from __future__ import annotations

import random
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta, timezone
from pathlib import Path
from typing import Any

import acts
import pytest
from desk import Desk
from sqlalchemy import Engine, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker
from starlette.testclient import TestClient

from sarvex.core.findings.finding import Finding
from sarvex.core.findings.of_rules import PolicyReport
from sarvex.core.meaning.matches import matches_of
from sarvex.core.model.edits import Place
from sarvex.core.model.records import AddressObject, Expectation, Network, Policy
from sarvex.formats import finding_words
from sarvex.formats.device_config import FILTERING
from sarvex.formats.ground_read import ground_read
from sarvex.service import audit
from sarvex.service.analysis.network_cache import Loaded, NetworkCache
from sarvex.service.drafts.thing_edits import add_things
from sarvex.service.editions import comparisons, editions, reach_changes
from sarvex.service.editions.comparisons import Comparison
from sarvex.service.editions.versions import in_force
from sarvex.service.errors import Conflict, NotFound, Refused
from sarvex.service.people import accounts
from sarvex.service.releases import devices, guards, releases, reviews, secrets
from sarvex.service.releases.draft_lock_outs import draft_lock_outs
from sarvex.service.releases.drift import Drifts
from sarvex.service.releases.release_worker import ReleaseWorker
from sarvex.service.releases.releases import Release, Settings, Wanted
from sarvex.service.releases.restconf import Connection, DeviceFailed
from sarvex.standins.device import StandIn, app, state_of
from sarvex.store import tables as t

PASSWORD = "a long enough password"
Sessions = sessionmaker[Session]


@dataclass
class Office:
    """A network with a writer, a reader who signs, somebody who releases, and a worker whose devices are stand-ins."""

    desk: Desk
    maren: int
    anders: int
    signe: int
    worker: ReleaseWorker
    standins: dict[str, StandIn]

    def do(self, act: Callable[..., Any], *args: Any) -> Any:
        with self.desk.sessions.begin() as session:
            return act(session, *args)

    def sign(self, who: int | None = None) -> int:
        revision = self.desk.read().revision
        return self.do(reviews.sign, self.desk.cache, self.desk.id, who or self.anders, revision, "looked at")

    def standing(self) -> list[str]:
        return [s.standing for s in self.do(reviews.signatures, self.desk.cache, self.desk.id)]

    def prospect(self, number: int | None = None) -> releases.Prospect:
        return self.do(releases.prospect, self.desk.cache, self.desk.id, number)

    def release(self, number: int | None = None, **more: Any) -> int:
        answers = {g.key: "so be it" for g in self.prospect(number).guards if g.weight == "wants a reason"}
        wanted = Wanted(number, self.desk.read().revision, "the sailing season", answers=answers, **more)
        return self.do(releases.release, self.desk.cache, self.desk.id, self.signe, wanted)

    def needs(self, reviewers: int = 0, minutes: int = 0, managed_from: tuple[str, ...] = ()) -> None:
        wanted = Settings(reviewers, minutes, managed_from)
        self.do(releases.change_settings, self.desk.cache, self.desk.id, self.signe, wanted)

    def newest(self) -> Release:
        found: list[Release] = self.do(releases.listing, self.desk.id)
        return found[0]

    def in_force(self) -> int | None:
        return self.do(in_force, self.desk.id)

    def to_top(self, at: int) -> None:
        keys = self.desk.keys()
        place = Place(None, keys[0].id)
        self.desk.act(
            lambda d: acts.move_rule(d, self.desk.policy_id, keys[at].id, keys[at].ver, place), self.maren
        )


@pytest.fixture
def office(sessions: Sessions, worked_example: Network, tmp_path: Path) -> Office:
    desk = Desk(sessions, worked_example)
    with sessions.begin() as session:
        maren, anders, signe = (
            accounts.add_person(session, name, name.title(), role, PASSWORD)
            for name, role in (("maren", "editor"), ("anders", "editor"), ("signe", "releaser"))
        )
    standins: dict[str, StandIn] = {}

    def connect(address: str, login: str, password: str) -> Connection:
        http = TestClient(app(standins[address]), base_url=address)
        return Connection(address, login, password, transport=http._transport)

    (tmp_path / "lock").write_text("the device's password\nfor http://127.0.0.1:9\n")
    engine = sessions.kw["bind"]
    return Office(desk, maren, anders, signe, ReleaseWorker(engine, tmp_path, connect), standins)


def linked(office: Office) -> StandIn:
    stored = office.desk.read()
    device = stored.network.devices[0]
    address = "http://127.0.0.1:9"
    device_id = stored.thing_id("device", device.name)
    office.do(devices.link, office.desk.id, None, device_id, address, "sarvex", "lock")
    made = office.standins[address] = StandIn("sarvex", "the device's password")
    return made


def test_what_the_draft_changes_is_told_pair_by_pair(office: Office) -> None:
    """Against what is in force, of one service or all, and not of pairs that stay as they are."""

    def changes(service: str = "any") -> list[tuple[str, str, list[str]]]:
        told = office.do(reach_changes.of_the_draft, office.desk.cache, office.desk.id, service)
        assert told.complete and told.before == office.in_force()
        kinds = ("opens", "closes", "otherwise")
        return [(p.source.name, p.destination.name, [k for k in kinds if getattr(p, k)]) for p in told.pairs]

    assert changes() == []
    office.release()
    assert changes() == []
    office.to_top(2)
    assert changes() == changes("mqtts") == [("vessels", "berth-sensors", ["opens"])]
    assert changes("tide-feed") == []
    with pytest.raises(Refused):
        changes("nonsense")
    office.release()
    assert changes() == []


# Signatures ----------------------------------------------------------------------------------------------------------


def test_a_signature_is_for_the_effect(office: Office) -> None:
    """It lapses with an edit that changes what is allowed, comes back with its undo, and survives renames, descriptions,
    and rules that change their places without meeting."""
    office.release()
    office.to_top(2)
    office.sign()
    assert office.standing() == ["as signed"]
    keys, rules = office.desk.keys(), office.desk.read().network.policies[0].rules
    policy_id = office.desk.policy_id
    told = replace(rules[1], name="other name", description="other words")
    office.desk.act(lambda d: acts.change_rule(d, policy_id, keys[1].id, keys[1].ver, told), office.maren)
    assert office.standing() == ["same effect"]
    wide = replace(rules[0], destination=("any",))
    office.desk.act(lambda d: acts.change_rule(d, policy_id, keys[0].id, keys[0].ver, wide), office.maren)
    (lapsed,) = office.do(reviews.signatures, office.desk.cache, office.desk.id)
    assert (lapsed.standing, lapsed.counts) == ("lapsed", False)
    assert lapsed.lapsed is not None
    assert {c.kind for c in lapsed.lapsed.told.changes} == {"newly allowed"}
    office.desk.act(lambda d: acts.undo(d), office.maren)
    assert office.standing() == ["same effect"]


def test_names_may_change_under_a_signature_but_not_what_they_stand_for(office: Office) -> None:
    office.to_top(2)
    office.sign()
    stored = office.desk.read()
    petrel = stored.things["address", "petrel"]
    old = next(a for a in stored.network.addresses if a.name == "petrel")
    office.desk.act(lambda d: acts.change_thing(d, petrel, 1, replace(old, name="petrel-2")), office.maren)
    assert office.standing() == ["same effect"]
    wider = AddressObject(name="petrel-2", members=("10.44.0.0/16",))
    office.desk.act(lambda d: acts.change_thing(d, petrel, 2, wider), office.maren)
    assert office.standing() == ["lapsed"]


def test_nobody_signs_their_own_edits_and_releases_end_signatures(office: Office) -> None:
    office.to_top(2)
    assert [(c.person, c.edits) for c in office.do(reviews.contributors, office.desk.id)] == [("Maren", 1)]
    with pytest.raises(Refused, match="edits of your own"):
        office.sign(office.maren)
    told = [
        office.do(reviews.may_sign, office.desk.id, who, role)
        for who, role in ((office.maren, "editor"), (office.anders, "viewer"), (office.anders, "editor"))
    ]
    assert told == [
        "you have edits of your own in it; somebody else must sign", "viewers do not sign", "",
    ]  # fmt: skip
    office.sign()
    keys = office.desk.keys()
    office.desk.act(
        lambda d: acts.move_rule(d, office.desk.policy_id, keys[1].id, keys[1].ver, Place(None, keys[0].id)),
        office.anders,
    )
    assert office.standing() == ["own edits"]
    office.sign(office.signe)
    assert office.standing() == ["as signed", "own edits"]
    office.release()
    assert office.standing() == []
    assert office.do(reviews.contributors, office.desk.id) == []


def test_one_signs_what_one_looked_at_once(office: Office) -> None:
    office.to_top(2)
    with pytest.raises(Conflict, match="edited since"):
        office.do(reviews.sign, office.desk.cache, office.desk.id, office.anders, 0, "")
    office.sign()
    mine = office.sign()
    assert office.standing() == ["as signed"]
    with pytest.raises(NotFound):
        office.do(reviews.withdraw, office.desk.id, office.signe, mine)
    office.do(reviews.withdraw, office.desk.id, office.anders, mine)
    assert office.standing() == []


# Guards --------------------------------------------------------------------------------------------------------------


def test_as_many_signatures_as_the_network_asks_for(office: Office) -> None:
    office.release()
    office.needs(reviewers=2)
    office.to_top(2)
    office.sign()
    with pytest.raises(Refused, match="1 of 2 signatures stand"):
        office.release()
    office.sign(office.signe)
    assert office.release() == 2
    assert office.in_force() == 2
    with pytest.raises(Refused, match="edition 2 is in force already"):
        office.release(2)
    assert office.release(1) == 3  # the way back waits for nobody
    with pytest.raises(Refused, match="0 of 2 signatures stand"):
        office.release()
    office.needs()
    office.release()
    with pytest.raises(Refused, match="edition 2 is in force already"):
        office.release()


def test_an_edition_that_was_never_in_force_wants_signatures_too(office: Office) -> None:
    office.release()
    office.needs(reviewers=1)
    office.to_top(2)
    made = office.do(editions.make, office.desk.id, office.maren, "for the winter")
    with pytest.raises(Refused, match="0 of 1 signatures stand"):
        office.release(made)
    office.sign()
    assert (office.release(made), office.in_force()) == (2, made)


def test_a_lapsed_signature_is_told_where_one_is_missing(office: Office) -> None:
    office.release()
    office.needs(reviewers=1)
    office.to_top(2)
    office.sign()
    office.to_top(2)
    with pytest.raises(Refused, match="0 of 1 signatures stand; 1 lapsed, because the effect is not"):
        office.release()


def test_what_could_not_be_decided_is_not_released(office: Office, monkeypatch: pytest.MonkeyPatch) -> None:
    def report(loaded: Loaded, policy: Policy) -> PolicyReport:
        told = worked_out(loaded, policy)
        return replace(told, rules=(*told.rules[:-1], replace(told.rules[-1], decides="undecided")))

    worked_out = Loaded.report
    monkeypatch.setattr(Loaded, "report", report)
    last = office.desk.read().network.policies[0].rules[-1].name
    with pytest.raises(Refused, match=f"what {last} decides could not be worked out"):
        office.release()
    assert office.in_force() is None


def test_a_release_wants_a_reason_and_the_draft_that_was_looked_at(office: Office) -> None:
    wanted = Wanted(None, office.desk.read().revision, " ")
    with pytest.raises(Refused, match="say why"):
        office.do(releases.release, office.desk.cache, office.desk.id, office.signe, wanted)
    with pytest.raises(NotFound):
        office.do(releases.release, office.desk.cache, 10**6, office.signe, wanted)
    stale = Wanted(None, 7, "because")
    with pytest.raises(Conflict, match="edited since"):
        office.do(releases.release, office.desk.cache, office.desk.id, office.signe, stale)
    assert office.in_force() is None


def test_whoever_manages_is_not_shut_out_unseen(office: Office, merrow: Network) -> None:
    """The rule that lets the consoles manage goes: every device that asks it says so, and wants a reason."""
    desk = Desk(office.desk.sessions, merrow)
    office.desk = desk
    office.needs(managed_from=("eng-console",))
    office.release()
    stored = desk.read()
    policy = stored.network.policy("lock-itself")
    policy_id = stored.policy_id(policy.name)
    at = next(i for i, r in enumerate(policy.rules) if r.name == "engineers manage")
    key = stored.rules[policy_id][at]
    assert not [g for g in office.prospect().guards if g.key.startswith("lock-out")]

    def told() -> list[Finding]:
        return office.do(
            lambda session: list(draft_lock_outs(session, desk.id, desk.cache.open(session, desk.id)))
        )

    assert not told()
    desk.act(lambda d: acts.delete_rule(d, policy_id, key.id, key.ver), office.maren)
    found = [g for g in office.prospect().guards if g.key.startswith("lock-out")]
    assert [g.weight for g in found] == ["wants a reason"]
    assert "eng-console would no longer reach the management of" in found[0].text
    (finding,) = told()
    assert (finding.weight, finding.name) == ("error", found[0].key.split()[-1])
    assert "cut eng-console off from its management" in finding_words.text(finding)
    wanted = Wanted(None, desk.read().revision, "tidying")
    with pytest.raises(Refused, match="say why it is released all the same"):
        office.do(releases.release, desk.cache, desk.id, office.signe, wanted)
    with pytest.raises(Refused, match="managed_from"):
        office.needs(managed_from=("nobody-here",))


def test_a_release_over_something_that_does_not_hold_wants_a_reason(office: Office) -> None:
    """Told with its packet's end and whether it was so before; what is not known is told, what holds is not."""
    petrel = Expectation(
        name="Petrel", source=("petrel",), destination=("berth-sensors",), service=("mqtts",), must="blocked"
    )
    vessels = replace(petrel, name="vessels", source=("vessels",), service=("tcp/22",))
    group = replace(petrel, name="group", destination=("239.44.0.1",))
    office.desk.act(lambda d: add_things(d, [petrel, vessels, group]), office.maren)

    def told() -> dict[str, str]:
        return {
            g.key: f"{g.weight}: {g.text}" for g in office.prospect().guards if g.key.startswith("must hold")
        }

    assert list(told()) == ["must hold group"] and told()["must hold group"].startswith(
        "told: “group” is not known to hold"
    )
    office.release()
    office.to_top(2)  # the bridge of the Petrel before what keeps the Petrel out
    assert told()["must hold Petrel"].startswith(
        "wants a reason: “Petrel” does not hold: let through by bridge"
    )
    wanted = Wanted(None, office.desk.read().revision, "the sailing season")
    with pytest.raises(Refused, match="say why it is released all the same"):
        office.do(releases.release, office.desk.cache, office.desk.id, office.signe, wanted)
    office.release()
    assert "does not hold, as in what is in force" in told()["must hold Petrel"]


def test_the_effect_is_told_with_what_is_left_of_it(office: Office) -> None:
    """What a comparison leaves out wants a reason; that it leaves nothing out, or changes nothing, is told as such."""
    office.release()

    def told(of: Comparison | None) -> dict[str, str]:
        return {g.key: g.weight for g in guards._effect(of)}

    assert told(None) == {"first": "told"}
    same = office.prospect().told
    assert told(same) == {"same": "told"}
    office.to_top(2)
    changed = office.prospect().told
    assert changed and not {"same", "bounded", "long"} & told(changed).keys()
    loaded = office.do(lambda session: office.desk.cache.open(session, office.desk.id))
    finding = next(f for f in comparisons.findings(loaded) if f.rule)
    brings = replace(changed, come=(finding,))
    assert told(brings)[f"brings {finding.kind} {finding.policy} / {finding.rule}"] == "told"
    left = tuple(matches_of(loaded.network.policies[0], loaded.names)[:1])
    cut = replace(changed, told=replace(changed.told, left=left, outside=("a route",)), come=None)
    assert told(cut) == {"bounded": "wants a reason", "outside a route": "wants a reason", "long": "told"}


@pytest.mark.parametrize("told_as", ["{}", "::ffff:{}"])
def test_nobody_shuts_themselves_out_unseen(office: Office, merrow: Network, told_as: str) -> None:
    """The address a release is asked from counts without being named, in either of the forms a socket tells it."""
    desk = office.desk = Desk(office.desk.sessions, merrow)
    console = next(h.addresses[0] for h in merrow.hosts if h.name == "eng-console")
    office.release()
    stored = desk.read()
    policy_id = stored.policy_id("lock-itself")
    at = next(
        i for i, r in enumerate(stored.network.policy("lock-itself").rules) if r.name == "engineers manage"
    )
    key = stored.rules[policy_id][at]
    desk.act(lambda d: acts.delete_rule(d, policy_id, key.id, key.ver), office.maren)
    client = told_as.format(console)
    seen = office.do(releases.prospect, desk.cache, desk.id, None, client)
    assert any(g.text.startswith(f"{console} would no longer reach the management") for g in seen.guards)
    outside = office.do(releases.prospect, desk.cache, desk.id, None, told_as.format("203.0.113.9"))
    assert not [g for g in outside.guards if g.key.startswith("lock-out")]


# The switch and its states -------------------------------------------------------------------------------------------


def test_what_is_confirmed_stays_and_what_is_not_goes_back(
    office: Office, monkeypatch: pytest.MonkeyPatch
) -> None:
    office.release()
    office.needs(minutes=10)
    office.to_top(2)
    number = office.release()
    told = office.newest()
    assert (told.state, office.in_force()) == ("to be confirmed", 2)
    with pytest.raises(Conflict, match="release 2 is to be confirmed"):
        office.release()
    office.worker.look()
    assert office.newest().state == "to be confirmed"
    late(monkeypatch, minutes=11)
    office.worker.look()
    told = office.newest()
    assert (told.state, told.note, office.in_force()) == ("gone back", "nobody confirmed in time", 1)
    with pytest.raises(Conflict, match="is gone back"):
        office.do(releases.confirm, office.desk.id, office.signe, number)
    number = office.release(2)
    office.do(releases.confirm, office.desk.id, office.signe, number)
    assert (office.newest().state, office.in_force()) == ("in force", 2)
    late(monkeypatch, minutes=99)
    office.worker.look()
    assert office.in_force() == 2


def late(monkeypatch: pytest.MonkeyPatch, **more: float) -> None:
    now = audit.now() + timedelta(**more)
    monkeypatch.setattr(audit, "now", lambda: now)


def test_a_planned_release_waits_and_is_held_up_by_another(
    office: Office, monkeypatch: pytest.MonkeyPatch
) -> None:
    soon = audit.now() + timedelta(hours=1)
    number = office.release(due_at=soon)
    office.worker.look()
    assert (office.newest().state, office.in_force()) == ("planned", None)
    office.do(releases.call_off, office.desk.id, office.signe, number)
    number = office.release(due_at=soon)
    with monkeypatch.context() as patch:
        late(patch, hours=2)
        office.worker.look()
        assert (office.newest().state, office.in_force()) == ("in force", 1)
        office.to_top(2)
        office.release(due_at=soon + timedelta(hours=3))
        # Something else comes into force meanwhile, by whatever way.
        with office.desk.sessions.begin() as session:
            session.delete(session.get_one(t.InForce, office.desk.id))
        late(patch, hours=9)
        office.worker.look()
    assert office.newest().state == "held up"
    assert office.in_force() is None


@pytest.mark.parametrize(
    ("why", "told"),
    [
        ("role", "may not release any more"),
        ("closed", "may not release any more"),
        ("signature", "0 of 1 signatures stand"),
        ("", ""),
    ],
)
def test_a_planned_release_asks_again_whether_it_may_begin(
    office: Office, monkeypatch: pytest.MonkeyPatch, why: str, told: str
) -> None:
    office.release()
    office.to_top(2)
    office.needs(reviewers=1)
    office.sign()
    office.do(editions.make, office.desk.id, office.maren, "as it is now")
    office.release(2, due_at=audit.now() + timedelta(hours=1))
    office.do(lambda s: accounts.add_person(s, "chief", "Chief", "administrator", PASSWORD))
    if why == "role":
        office.do(lambda s: accounts.change_person(s, office.signe, role="editor"))
    elif why == "signature":
        office.do(lambda s: s.execute(update(t.Signature).values(withdrawn_at=audit.now())))
    elif why == "closed":
        office.do(lambda s: accounts.change_person(s, office.signe, closed=True))
    late(monkeypatch, hours=2)
    office.worker.look()
    assert office.newest().state == ("held up" if why else "in force")
    assert told in office.newest().note
    assert office.in_force() == (1 if why else 2)


def test_a_moment_with_an_offset_is_that_moment(office: Office) -> None:
    at = datetime(2099, 3, 1, 2, 0, tzinfo=timezone(timedelta(hours=5, minutes=30)))
    office.release(due_at=at)
    assert office.newest().due_at == datetime(2099, 2, 28, 20, 30)


def test_the_time_to_confirm_begins_with_the_release_and_ends_for_everybody(
    office: Office, monkeypatch: pytest.MonkeyPatch
) -> None:
    """However long the devices took, and though nobody has looked yet."""
    linked(office)
    office.release()
    office.worker.look()
    office.to_top(2)
    number = office.release(confirm_minutes=10)
    began = office.newest().began_at
    assert began is not None and office.newest().confirm_by == began + timedelta(minutes=10)
    with monkeypatch.context() as patch:
        late(patch, minutes=9)
        office.worker.look()
        assert office.newest().confirm_by == began + timedelta(minutes=10)
    assert office.newest().state == "to be confirmed"
    with monkeypatch.context() as patch:
        late(patch, minutes=10)
        with pytest.raises(Conflict, match="its time is over"):
            office.do(releases.confirm, office.desk.id, office.signe, number)
        office.worker.look_at_deadlines()
    assert (office.newest().state, office.in_force()) == ("going back", 1)


def test_a_device_that_hangs_holds_up_no_way_back(
    office: Office, sessions: Sessions, worked_example: Network, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Neither of its own network's release nor of another's: whoever looks at deadlines speaks to nobody."""
    linked(office)
    office.release(confirm_minutes=10)
    hangs, goes_on = threading.Event(), threading.Event()

    def hang(*_: str) -> Connection:
        hangs.set()
        goes_on.wait(30)
        raise DeviceFailed("it hung")

    other = Office(
        Desk(sessions, replace(worked_example, name="another")), office.maren, office.anders, office.signe,
        office.worker, office.standins,
    )  # fmt: skip
    other.release(confirm_minutes=10)
    office.worker._connect = hang
    looking = threading.Thread(target=office.worker.look_after, args=(office.desk.id,))
    looking.start()
    assert hangs.wait(10)
    with monkeypatch.context() as patch:
        late(patch, minutes=11)
        began = time.monotonic()
        office.worker.look_at_deadlines()
        assert time.monotonic() - began < 5
        states = office.newest().state, other.newest().state
    goes_on.set()
    looking.join()
    assert states[0] in ("going back", "gone back") and states[1] == "gone back"
    assert office.in_force() is None and other.in_force() is None


def test_a_release_asked_for_twice_is_one(office: Office) -> None:
    wanted = Wanted(None, office.desk.read().revision, "once", confirm_minutes=5)
    args = (office.desk.cache, office.desk.id, office.signe, wanted, "key")
    assert office.do(releases.release, *args) == office.do(releases.release, *args) == 1
    assert len(office.do(releases.listing, office.desk.id)) == 1


def test_a_key_used_for_one_network_does_nothing_unseen_in_another(
    office: Office, worked_example: Network
) -> None:
    args = office.desk.cache, office.desk.id, office.signe
    office.do(releases.release, *args, Wanted(None, office.desk.read().revision, "once"), "key")
    other = Desk(office.desk.sessions, replace(worked_example, name="another"))
    wanted = Wanted(None, other.read().revision, "the other")
    with pytest.raises(IntegrityError):  # told as 409
        office.do(releases.release, other.cache, other.id, office.signe, wanted, "key")
    assert office.do(in_force, other.id) is None


def test_one_release_at_a_time(office: Office) -> None:
    office.release(confirm_minutes=5)
    with pytest.raises(Conflict, match="release 1 is to be confirmed"):
        office.release(confirm_minutes=5)
    office.do(releases.take_back, office.desk.id, office.signe, 1)
    assert (office.newest().state, office.newest().note, office.in_force()) == (
        "gone back",
        "taken back",
        None,
    )


# Devices -------------------------------------------------------------------------------------------------------------


def test_a_device_gets_what_was_released_and_goes_back_with_it(office: Office) -> None:
    device = linked(office)
    office.release()
    assert (office.newest().state, [d.state for d in office.newest().devices]) == ("being sent", ["waiting"])
    office.worker.look()
    assert (office.newest().state, [d.state for d in office.newest().devices]) == ("in force", ["done"])
    first = device.data
    assert first[FILTERING]["edition"] == 1
    office.to_top(2)
    office.release(confirm_minutes=5)
    office.worker.look()
    assert office.newest().state == "to be confirmed"
    assert device.data[FILTERING]["edition"] == 2
    assert device.data != first
    office.do(releases.take_back, office.desk.id, office.signe, 2)
    assert (office.newest().state, office.in_force()) == ("going back", 1)
    office.worker.look()
    assert (office.newest().state, device.data) == ("gone back", first)


def test_before_the_first_release_a_device_gets_back_what_it_had(office: Office) -> None:
    device = linked(office)
    had = {FILTERING: {"edition": 0, "mode": "stateless"}}
    device.data = had
    office.release(confirm_minutes=5)
    office.worker.look()
    assert device.data != had
    office.do(releases.take_back, office.desk.id, office.signe, 1)
    office.worker.look()
    assert (office.newest().state, device.data) == ("gone back", had)


@pytest.mark.parametrize(
    ("fault", "told"),
    [
        ("unreachable", "answers 503"),
        ("refuses", "it is told to refuse"),
        ("forgets", "reports other data: list"),
        ("dies half-way", "answers 502"),
    ],
)
def test_a_device_that_fails_is_told_and_tried_again(office: Office, fault: Any, told: str) -> None:
    device = linked(office)
    device.faults.add(fault)
    number = office.release()
    office.worker.look()
    (state,) = office.newest().devices
    assert (office.newest().state, state.state) == ("stuck", "failed")
    assert told in state.detail
    office.worker.look()
    assert office.newest().state == "stuck"
    device.faults.clear()
    office.do(releases.retry, office.desk.id, office.signe, number)
    office.worker.look()
    assert (office.newest().state, device.data[FILTERING]["edition"]) == ("in force", 1)


def test_a_release_stuck_for_too_long_goes_back(office: Office, monkeypatch: pytest.MonkeyPatch) -> None:
    device = linked(office)
    office.release()
    office.worker.look()
    first = device.data
    office.to_top(2)
    device.faults.add("forgets")
    office.release(confirm_minutes=5)
    office.worker.look()
    assert (office.newest().state, office.in_force()) == ("stuck", 2)
    late(monkeypatch, minutes=6)
    office.worker.look()
    assert (office.newest().state, office.in_force()) == ("stuck going back", 1)
    device.faults.clear()
    office.do(releases.retry, office.desk.id, office.signe, 2)
    office.worker.look()
    assert (office.newest().state, device.data) == ("gone back", first)


def test_a_device_never_reached_is_not_touched_on_the_way_back(office: Office) -> None:
    device = linked(office)
    device.expected = "another password"
    office.release()
    office.worker.look()
    assert "refuses the name or the password" in office.newest().devices[0].detail
    office.do(releases.take_back, office.desk.id, office.signe, 1)
    assert [(r.state, r.devices[0].state) for r in [office.newest()]] == [("gone back", "untouched")]


def test_a_turn_while_a_device_is_being_asked_is_noticed(office: Office) -> None:
    """Taken back between the question and the writing: the device is not written."""
    device = linked(office)
    connect = office.worker._connect

    class Meanwhile(Connection):
        def fetch(self) -> Any:
            if office.newest().state == "being sent":
                office.do(releases.take_back, office.desk.id, office.signe, 1)
            return connect("http://127.0.0.1:9", "sarvex", "the device's password").fetch()

    office.release()
    office.worker._connect = lambda *link: Meanwhile(*link)
    office.worker.look()
    assert (office.newest().state, device.replaced) == ("gone back", 0)


def test_drift_is_told(office: Office) -> None:
    device = linked(office)
    name = office.desk.read().network.devices[0].name
    office.release()
    office.worker.look()
    assert office.worker.has(office.desk.id, name) == ([], 1)
    acl = device.data["ietf-access-control-list:acls"]["acl"][0]
    acl["aces"]["ace"].pop(0)
    found, _ = office.worker.has(office.desk.id, name)
    assert [d.how.split(" (")[0] for d in found] == ["1 missing"]


def test_a_device_tells_the_ground_over_its_connection(office: Office) -> None:
    """Read alone: nothing is given to it, and a device that tells nothing says so."""
    made = linked(office)
    network = office.desk.read().network
    name = network.devices[0].name
    with pytest.raises(DeviceFailed, match="tells nothing of its interfaces"):
        office.worker.tells(office.desk.id, name)
    made.state = state_of(network, network.devices[0])
    assert ground_read(office.worker.tells(office.desk.id, name), network, name).differences == ()
    assert made.replaced == 0
    made.faults.add("unreachable")
    with pytest.raises(DeviceFailed, match="503"):
        office.worker.tells(office.desk.id, name)


def test_a_device_is_asked_once_at_a_time_and_everybody_gets_the_answer(office: Office) -> None:
    linked(office)
    name = office.desk.read().network.devices[0].name
    office.release()
    office.worker.look()
    connect, asked, goes_on = office.worker._connect, [], threading.Event()

    def slow(*link: str) -> Connection:
        asked.append(link)
        goes_on.wait(10)
        return connect(*link)

    office.worker._connect = slow
    drifts = Drifts(office.worker)
    assert drifts.last(office.desk.id, name) is None
    waiting = [drifts.ask(office.desk.id, name) for _ in range(5)]
    goes_on.set()
    assert {w.result(10).edition for w in waiting} == {1} and len(asked) == 1
    assert drifts.last(office.desk.id, name) == waiting[0].result()
    office.worker.secrets = office.worker.secrets / "elsewhere"
    failed = drifts.ask(office.desk.id, name).result(10)
    assert failed.failed and "no password file" in failed.failed
    assert drifts.last(office.desk.id, name) == failed
    drifts.stop()


@pytest.mark.parametrize(
    ("lines", "address", "may"),
    [
        (["for https://10.44.90.21"], "https://10.44.90.21", True),
        (["for https://10.44.90.21"], "https://10.44.90.21:443/base", True),
        (
            ["for https://10.44.90.21:8443", "FOR  https://lock.merrow.example/"],
            "https://lock.merrow.example",
            True,
        ),
        (["for https://10.44.90.21"], "https://10.44.90.21:8443", False),
        (["for https://10.44.90.21"], "http://10.44.90.21", False),
        (["for https://10.44.90.21"], "https://10.44.90.211", False),
        (["for https://10.44.90.21"], "https://10.44.90.21@elsewhere.example", False),
        (["https://10.44.90.21"], "https://10.44.90.21", False),
        (["for nonsense"], "nonsense", False),
        ([], "https://10.44.90.21", False),
    ],
)
def test_a_secret_goes_nowhere_but_where_its_file_says(
    tmp_path: Path, lines: list[str], address: str, may: bool
) -> None:
    (tmp_path / "lock").write_text("\n".join(["a secret", *lines]))
    if may:
        assert secrets.read_for(tmp_path, "lock", address) == "a secret"
    else:
        with pytest.raises(secrets.NoSecret, match="does not say that it is for"):
            secrets.read_for(tmp_path, "lock", address)
    assert secrets.read(tmp_path, "lock") == "a secret"
    for name in ("none", "..", ".", "../lock", "/etc/hostname"):
        with pytest.raises(secrets.NoSecret):
            secrets.read_for(tmp_path, name, address)


def test_release_workers_do_not_meet(office: Office, tmp_path: Path) -> None:
    """While one worker works on a network another leaves it alone."""
    device = linked(office)
    other = ReleaseWorker(office.worker.engine, tmp_path, office.worker._connect)
    connect = office.worker._connect
    seen = []

    def meanwhile(*link: str) -> Connection:
        other.look()
        seen.append(device.replaced)
        return connect(*link)

    office.release()
    office.worker._connect = meanwhile
    office.worker.look()
    assert (seen, device.replaced) == ([0], 1)


# Audit ---------------------------------------------------------------------------------------------------------------


def test_every_act_is_in_the_chain_and_the_chain_holds(office: Office, rng: random.Random) -> None:
    office.needs(minutes=3)
    office.release()
    office.to_top(rng.randrange(1, 5))
    office.do(releases.take_back, office.desk.id, office.signe, 1)
    with office.desk.sessions() as session:
        entries = audit.search(session, office.desk.id)
        acts = [(e.person, e.act) for e in reversed(entries)]
        whole = list(audit.everything(session))
        checked = audit.verify(session)
    assert acts == [
        ("the command line", "make network"),
        ("signe", "change what releases need"),
        ("signe", "make edition"),
        ("signe", "release"),
        ("signe", "release is to be confirmed"),
        ("maren", "move rule"),
        ("signe", "take release back"),
        ("signe", "release is gone back"),
    ]
    moved = next(e for e in entries if e.act == "move rule")
    assert moved.about.startswith("sensor-side / ")
    assert moved.items[0]["before"]["place"] != moved.items[0]["after"]["place"]
    assert (checked.entries, checked.head, checked.broken) == (len(whole), whole[-1].digest, None)


@pytest.mark.parametrize(
    "tamper",
    [
        "UPDATE audit SET person = 'nobody' WHERE id = 3",
        "UPDATE audit SET at = '2020-01-01' WHERE id = 3",
        "UPDATE audit SET detail = '{}' WHERE act = 'release'",
        "DELETE FROM audit WHERE id = 4",
        "DELETE FROM audit ORDER BY id DESC LIMIT 1",
        "UPDATE change_item SET `before` = '{}' ORDER BY change_id LIMIT 1",
        "UPDATE audit_head SET last = last + 1",
    ],
)
def test_the_chain_tells_where_somebody_changed_it(office: Office, owner: Engine, tamper: str) -> None:
    office.to_top(2)
    office.release()
    with owner.connect() as connection:
        (saved,) = (connection.exec_driver_sql("SELECT COUNT(*) FROM audit").scalar_one(),)
        if " audit " in tamper:
            with pytest.raises(Exception, match="stays written"):
                connection.exec_driver_sql(tamper)
            for act in ("update", "delete"):
                connection.exec_driver_sql(f"DROP TRIGGER audit_no_{act}")
        try:
            connection.exec_driver_sql(tamper)
            connection.commit()
        finally:
            for act in ("update", "delete"):
                connection.exec_driver_sql(
                    f"CREATE TRIGGER IF NOT EXISTS audit_no_{act} BEFORE {act.upper()} ON audit FOR EACH ROW"
                    " SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'what was done stays written'"
                )
    with office.desk.sessions() as session:
        checked = audit.verify(session)
    assert checked.broken is not None, saved


def test_a_moment_of_the_records_is_utc_to_the_millisecond() -> None:
    now = audit.now()
    assert now.tzinfo is None and now.microsecond % 1000 == 0
    assert abs((datetime.now() - datetime.now().astimezone().utcoffset() - now).total_seconds()) < 5


def test_an_empty_cache_is_enough(office: Office) -> None:
    """What is at hand is a cache: another server that has read nothing yet says the same."""
    office.to_top(2)
    office.sign()
    fresh = office.do(reviews.signatures, NetworkCache(), office.desk.id)
    assert [s.standing for s in fresh] == ["as signed"]


def test_a_device_that_cannot_be_given_its_part_stops_the_release(office: Office) -> None:
    """Its name was changed: an older edition knows it by the old one."""
    linked(office)
    office.release()
    office.worker.look()
    stored = office.desk.read()
    device = stored.network.devices[0]
    device_id = stored.thing_id("device", device.name)
    renamed = replace(device, name="another-lock", interfaces=(), policies=())
    office.desk.act(
        lambda d: acts.change_thing(d, device_id, stored.versions[device_id], renamed), office.maren
    )
    office.release()
    office.worker.look()
    assert office.newest().state == "in force"
    with pytest.raises(Refused, match="another-lock follows releases and cannot be given this one"):
        office.release(1)


def test_what_fails_in_one_network_keeps_no_other_waiting(
    office: Office, worked_example: Network, caplog: pytest.LogCaptureFixture
) -> None:
    soon = audit.now() + timedelta(seconds=-1)
    first = office.desk
    office.release(confirm_minutes=5)
    office.desk = Desk(first.sessions, replace(worked_example, name="another"))
    office.release(due_at=soon, confirm_minutes=5)
    seen: list[int] = []

    def failing(network_id: int) -> None:
        seen.append(network_id)
        if network_id == first.id:
            raise RuntimeError("something nobody thought of")

    office.worker._network = failing  # type: ignore[method-assign]
    office.worker.look()
    assert seen == sorted([first.id, office.desk.id])
    assert f"could not look after network {first.id}" in caplog.text


def test_remarks_are_on_the_draft_or_on_a_rule_and_outlive_it(office: Office) -> None:
    key = office.desk.keys()[2]
    office.do(reviews.remark, office.desk.cache, office.desk.id, office.anders, "why so wide?", key.id)
    office.do(reviews.remark, office.desk.cache, office.desk.id, office.signe, "before Monday")
    told = office.do(reviews.remarks, office.desk.id)
    assert [(r.about, r.person, r.text) for r in told] == [
        ("the draft", "Signe", "before Monday"),
        ("sensor-side / bridge", "Anders", "why so wide?"),
    ]
    assert [r.text for r in office.do(reviews.remarks, office.desk.id, key.id)] == ["why so wide?"]
    office.do(reviews.settle, office.desk.id, office.maren, told[0].id, True)
    office.desk.act(lambda d: acts.delete_rule(d, office.desk.policy_id, key.id, key.ver), office.maren)
    assert [(r.about, r.settled) for r in office.do(reviews.remarks, office.desk.id)] == [
        ("sensor-side / bridge", False),
        ("the draft", True),
    ]
    with pytest.raises(NotFound, match="gone"):
        office.do(reviews.remark, office.desk.cache, office.desk.id, office.anders, "and now?", key.id)
    with pytest.raises(Refused, match="say something"):
        office.do(reviews.remark, office.desk.cache, office.desk.id, office.anders, " ")


def test_that_something_is_in_force_is_told_with_the_devices_that_have_it(office: Office) -> None:
    def told() -> tuple[int | None, int, int]:
        seen = office.do(releases.standing, office.desk.cache, office.desk.id)
        return seen.edition, seen.devices, seen.reached

    assert told() == (None, 0, 0)
    office.release()
    assert told() == (1, 0, 0)
    linked(office)
    assert told() == (1, 1, 0)  # it came too late for that release
    office.to_top(2)
    office.needs(minutes=5)
    office.release()
    assert told() == (2, 1, 0)  # decided here, not there yet
    office.worker.look()
    assert told() == (2, 1, 1)
    office.do(releases.take_back, office.desk.id, office.signe, 2)
    assert told() == (1, 1, 0)  # it still has the other
    office.worker.look()
    assert told() == (1, 1, 1)


def test_edits_that_were_taken_back_are_none(office: Office) -> None:
    def ahead() -> int:
        return office.do(releases.standing, office.desk.cache, office.desk.id).ahead

    office.to_top(2)
    assert ahead() == 1
    office.release()
    assert ahead() == 0
    office.to_top(2)
    office.to_top(2)
    assert ahead() == 2
    office.desk.act(lambda d: acts.undo(d), office.maren)
    office.desk.act(lambda d: acts.undo(d), office.maren)
    assert office.desk.read().revision == 5 and ahead() == 0
