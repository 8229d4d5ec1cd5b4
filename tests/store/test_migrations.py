"""Records of an older version are read as they were meant."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from sqlalchemy import text

from sarvex.core.model.records import Attachment
from sarvex.store import database, private
from sarvex.store.networks import load_network
from sarvex.store.things import AT_HOSTS

THING = (
    "INSERT INTO thing (id, network_id, kind, space, parent_id, ord, folded, name, description, detail, ver)"
    " VALUES (:id, 1, :kind, :space, :parent, 0, :name, :name, '', :detail, 1)"
)
DEVICE = '{"filtering": "stateful", "zone_default": {"mode": "closed"}}'


def test_the_policies_of_devices_move_to_their_members(tmp_path: Path) -> None:
    with private.running(tmp_path, memory_mb=32) as urls:
        url = urls.owner
        config = database.alembic_config(url)
        command.upgrade(config, "0002")
        engine = database.connect(url)
        with engine.begin() as old:
            old.execute(
                text(
                    "INSERT INTO network (id, folded, name, description, revision) VALUES (1, 'n', 'n', '', 3)"
                )
            )
            for id_, kind, space, parent, name, detail in (
                (1, "zone", "zone", 0, "sea", '{"depth": 0}'),
                (2, "segment", "address", 0, "quay", '{"outside": false, "vlan": null}'),
                (3, "device", "device", 0, "lock", DEVICE),
                (4, "interface", "interface", 3, "a", "{}"),
                (5, "policy", "policy", 0, "p", '{"default": "drop", "families": "both"}'),
            ):
                values = {"id": id_, "kind": kind, "space": space, "parent": parent, "name": name}
                old.execute(text(THING), {**values, "detail": detail})
            old.execute(
                text("INSERT INTO member (thing_id, field, ord, target_id) VALUES (4, 'segment', 0, 2)")
            )
            old.execute(
                text(
                    "INSERT INTO member (thing_id, field, ord, literal) VALUES (2, 'prefixes', 0, '10.44.1.0/24')"
                )
            )
            for id_, stage in ((1, "inbound"), (2, "passage")):
                old.execute(
                    text(
                        "INSERT INTO attached (id, device_id, ord, policy_id, stage, ver) VALUES (:i, 3, :i, 5, :s, 1)"
                    ),
                    {"i": id_, "s": stage},
                )
            old.execute(
                text(
                    "INSERT INTO scope (attached_id, side, ord, target_id) VALUES (2, 'entering', 0, 1), (2, 'entering', 1, 4)"
                )
            )
        command.upgrade(config, "head")
        with database.opened(url) as sessions, sessions.begin() as session:
            stored = load_network(session, 1)
        engine.dispose()
    assert stored is not None
    (device,) = stored.network.devices
    assert device.policies == (
        Attachment(policy="p", stage="inbound"),
        Attachment(policy="p", stage="passage", entering=("sea", "a")),
    )
    assert device.interfaces[0].segment == "quay"
    assert stored.network.at_hosts == () and stored.thing_id("at_hosts", AT_HOSTS)
