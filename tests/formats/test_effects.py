"""What `sarvex effect` tells: by contract, in words that are exactly the sets, and never equal by mistake."""

from __future__ import annotations

import json
import random
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from typer.testing import CliRunner

from sarvex.cli.commands import app
from sarvex.core.change.effect import Versions, effect, same_names
from sarvex.core.change.effect_in_names import changes
from sarvex.core.firstmatch.rule_list import FirstMatch
from sarvex.core.meaning.matches import matches_of
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Policy, Rule
from sarvex.core.sets import addresses, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.services import ServiceSet
from sarvex.formats import access_lists, document, effects, outputs


def run(tmp_path: Path, old: Network, new: Network, *more: str) -> tuple[int, dict]:
    paths = []
    for name, network in (("old", old), ("new", new)):
        paths.append(tmp_path / f"{name}.json")
        paths[-1].write_text(document.dump(network, "json"))
    done = CliRunner().invoke(app, ["effect", *map(str, paths), "--format", "json", *more])
    told = json.loads(done.stdout)
    jsonschema.validate(told, outputs.schemas()["effect"])
    return done.exit_code, told


def with_rules(network: Network, *rules: Rule, at: int = 0) -> Network:
    policy = replace(network.policies[at], rules=rules)
    return replace(network, policies=(*network.policies[:at], policy, *network.policies[at + 1 :]))


def test_moving_the_bridge_to_the_top_has_exactly_that_effect(
    tmp_path: Path, worked_example: Network
) -> None:
    r = worked_example.policies[0].rules
    code, told = run(tmp_path, worked_example, with_rules(worked_example, r[2], *r[:2], *r[3:]))
    assert code == 1
    (change,) = told["changes"]
    assert (told["equal"], told["complete"]) == (False, True)
    assert change == {
        "policy": "sensor-side",
        "change": "newly allowed",
        "source": ["petrel-bridge"],
        "destination": ["berth-sensors"],
        "service": ["mqtts"],
        "before": "no-petrel",
        "after": "bridge",
        "logged": {"before": False, "after": True},
        "witness": change["witness"],
        "boxes": [
            {
                "family": 4, "src": ["10.44.201.16", "10.44.201.31"], "dst": ["10.44.34.0", "10.44.34.255"],
                "proto": [6, 6], "first": [0, 65535], "second": [8883, 8883],
            }
        ],
    }  # fmt: skip
    assert change["witness"] == {
        "family": 4, "src": "10.44.201.16", "dst": "10.44.34.10", "proto": 6, "sport": 49152, "dport": 8883,
        "state": "new",
    }  # fmt: skip


def test_deleting_the_block_opens_what_it_blocked(tmp_path: Path, worked_example: Network) -> None:
    _, told = run(tmp_path, worked_example, with_rules(worked_example, *worked_example.policies[0].rules[1:]))
    assert [(c["change"], c["source"], c["before"], c["after"]) for c in told["changes"]] == [
        ("newly allowed", ["petrel"], "no-petrel", "sensors")
    ]


def test_the_same_is_proven_and_ends_with_0(tmp_path: Path, worked_example: Network) -> None:
    rules = worked_example.policies[0].rules
    code, told = run(tmp_path, worked_example, with_rules(worked_example, *rules[:3], *rules[4:]))
    assert (code, told["equal"], told["changes"]) == (0, True, [])


def test_a_limit_leaves_the_rest_in_boxes_that_hold_it(tmp_path: Path, worked_example: Network) -> None:
    open_ = replace(worked_example.policies[0], rules=(), default="allow")
    new = replace(worked_example, policies=(open_,))
    _, whole = run(tmp_path, worked_example, new)
    code, told = run(tmp_path, worked_example, new, "--limit", "1")
    assert (code, told["equal"], told["complete"], len(told["changes"])) == (1, False, False, 1)
    boxes = [box for change in whole["changes"][1:] for box in change["boxes"]]
    assert boxes
    assert all(any(_inside(box, other) for other in told["remaining"]) for box in boxes)
    _, nothing = run(tmp_path, worked_example, new, "--limit", "0")
    assert not nothing["equal"]


def _inside(box: dict, outer: dict) -> bool:
    def ends(b: dict, axis: str) -> list[int]:
        return [v if isinstance(v, int) else addresses.parse(v)[b["family"]][0][0] for v in b[axis]]

    return box["family"] == outer["family"] and all(
        ends(outer, axis)[0] <= ends(box, axis)[0] and ends(box, axis)[1] <= ends(outer, axis)[1]
        for axis in ("src", "dst", "proto", "first", "second")
    )


def test_the_network_is_told_beside_the_policy(tmp_path: Path, merrow: Network) -> None:
    """What opens in its policy may open nothing in the network, and what only leaves it to the next may open everything."""
    code, told = run(tmp_path, merrow, _acting(merrow, "south-ramp", "no south phones near steel", "allow"))
    assert (code, told["equal"], told["complete"]) == (1, False, True)
    assert [c["change"] for c in told["changes"]] == ["newly allowed"]
    assert told["network"] == {"equal": True, "complete": True, "changes": []}
    code, told = run(tmp_path, merrow, _acting(merrow, "towards-guests", "booking calls nobody", None))
    assert [c["change"] for c in told["changes"]] == ["newly passed on"]
    (change,) = told["network"]["changes"]
    assert (change["change"], change["before"], change["after"]) == ("opens", "blocked", "allowed")
    assert change["source"] == ["booking-site over IPv4"] and change["destination"] == [
        "passenger-wifi over IPv4"
    ]
    flow = {
        "src": [change["witness"]["src"]] * 2,
        "dst": [change["witness"]["dst"]] * 2,
        "proto": [change["witness"]["proto"]] * 2,
    }
    flow |= {
        "family": 4,
        "first": [change["witness"]["sport"]] * 2,
        "second": [change["witness"]["dport"]] * 2,
    }
    assert any(_inside(flow, box) for box in change["boxes"])


def test_what_must_hold_and_does_otherwise_is_told(tmp_path: Path, merrow: Network) -> None:
    """Also what one version alone has; one policy by itself breaks nothing that is known."""
    block = _acting(merrow, "ramp-side", "no guests on the ramps", None)
    _, told = run(tmp_path, merrow, block)
    assert told["expectations"] == [
        {"expectation": "vessels stay off the ramps", "before": "kept", "after": "broken"}
    ]
    _, back = run(tmp_path, block, merrow)
    assert [(e["before"], e["after"]) for e in back["expectations"]] == [("broken", "kept")]
    _, alone = run(tmp_path, merrow, block, "--policy", "ramp-side")
    assert "expectations" not in alone
    kept, *rest = merrow.expectations
    _, fewer = run(tmp_path, merrow, replace(merrow, expectations=tuple(rest)))
    assert fewer["expectations"] == [{"expectation": kept.name, "before": "kept", "after": None}]
    _, none = run(tmp_path, merrow, replace(block, expectations=()))
    assert {e["after"] for e in none["expectations"]} == {None} and len(none["expectations"]) == len(rest) + 1
    turned = replace(kept, name="the reverse", must="blocked")
    code, more = run(tmp_path, merrow, replace(merrow, expectations=(*merrow.expectations, turned)))
    assert (code, more["equal"]) == (0, True)
    assert more["expectations"] == [{"expectation": "the reverse", "before": None, "after": "broken"}]


def test_one_policy_and_no_ground_have_no_network(
    tmp_path: Path, merrow: Network, worked_example: Network
) -> None:
    new = _acting(merrow, "south-ramp", "no south phones near steel", "allow")
    assert "network" not in run(tmp_path, merrow, new, "--policy", "south-ramp")[1]
    bare = replace(worked_example, devices=())
    assert run(tmp_path, bare, bare)[1].get("network", 1) is None


def _acting(net: Network, policy: str, rule: str, action: str | None) -> Network:
    """With another action of a rule, or without it."""
    (old,) = (p for p in net.policies if p.name == policy)
    rules = [
        replace(r, action=action, reject_with=None) if r.name == rule and action else r for r in old.rules
    ]  # type: ignore[arg-type]
    made = replace(old, rules=tuple(r for r in rules if action or r.name != rule))
    return replace(net, policies=tuple(made if p is old else p for p in net.policies))


def test_what_differs_outside_is_never_called_equal(tmp_path: Path, merrow: Network) -> None:
    first = merrow.devices[0]
    routed = replace(first, routes=first.routes[1:])
    code, told = run(tmp_path, merrow, replace(merrow, devices=(routed, *merrow.devices[1:])))
    assert (code, told["equal"], told["changes"]) == (1, False, [])
    assert told["network"]["complete"] and "outside" not in told
    assert "closes" in {c["change"] for c in told["network"]["changes"]}
    described = replace(first, description="another text")
    code, told = run(tmp_path, merrow, replace(merrow, devices=(described, *merrow.devices[1:])))
    assert (code, told["equal"]) == (0, True)


def test_another_order_of_policies_is_compared_place_by_place(tmp_path: Path, merrow: Network) -> None:
    lock = next(d for d in merrow.devices if d.name == "eastpier-lock")
    names = [a.policy for a in lock.policies]

    def swapped(one: str, other: str, *more: str) -> tuple[int, dict]:
        listed = list(lock.policies)
        i, j = names.index(one), names.index(other)
        listed[i], listed[j] = listed[j], listed[i]
        turned = replace(lock, policies=tuple(listed))
        devices = tuple(turned if d is lock else d for d in merrow.devices)
        return run(tmp_path, merrow, replace(merrow, devices=devices), *more)

    code, told = swapped("ramp-side", "night-watch")
    assert (code, told["equal"], "outside" in told) == (1, False, False)
    by = {(c["change"], c["before"], c["after"]) for c in told["changes"]}
    assert ("newly blocked", "pilots to ramp HMI of ramp-side", "default of night-watch") in by
    places = {c["policy"] for c in told["changes"]}
    assert all(place.startswith("passage at eastpier-lock, ") for place in places)
    assert all(way.endswith("→ lan.130") for c in told["changes"] for way in c["ways"])
    # Two that never stand together: the same for every packet, proven.
    assert swapped("sensor-side", "ticketing") == (
        0,
        {
            "sarvex": 1,
            "equal": True,
            "complete": True,
            "changes": [],
            "network": {"equal": True, "complete": True, "changes": []},
            "expectations": [],
        },
    )
    code, told = swapped("ramp-side", "night-watch", "--policy", "ticketing")
    assert (code, told["equal"]) == (1, None)
    assert told["outside"] == ["devices: eastpier-lock changed: policies"]


def test_an_added_policy_is_compared_with_an_empty_one(tmp_path: Path, worked_example: Network) -> None:
    rule = Rule(name="r", action="allow", source=("10.44.1.1",), destination=("any",), service=("tcp/22",))
    more = Policy(name="more", default="drop", rules=(rule,))
    _, told = run(
        tmp_path, worked_example, replace(worked_example, policies=(*worked_example.policies, more))
    )
    assert [(c["policy"], c["change"], c["before"], c["after"]) for c in told["changes"]] == [
        ("more", "newly allowed", "default", "r")
    ]


@pytest.mark.parametrize("arguments", [["--policy", "nowhere"], ["--limit", "-1"]])
def test_bad_input_ends_with_2(tmp_path: Path, worked_example: Network, arguments: list[str]) -> None:
    path = tmp_path / "one.json"
    path.write_text(document.dump(worked_example, "json"))
    assert CliRunner().invoke(app, ["effect", str(path), str(path), *arguments]).exit_code == 2
    assert CliRunner().invoke(app, ["effect", str(path), str(tmp_path / "none.json")]).exit_code == 2


def test_access_lists_are_compared_too(tmp_path: Path, worked_example: Network) -> None:
    text, _ = access_lists.write(worked_example.policies, Names(worked_example))
    data = json.loads(text)
    entries = data["ietf-access-control-list:acls"]["acl"][0]["aces"]["ace"]
    for name, kept in (("old", entries), ("new", entries[1:])):
        data["ietf-access-control-list:acls"]["acl"][0]["aces"]["ace"] = kept
        (tmp_path / name).write_text(json.dumps(data))
    done = CliRunner().invoke(
        app, ["effect", str(tmp_path / "old"), str(tmp_path / "new"), "--format", "json"]
    )
    assert {c["change"] for c in json.loads(done.stdout)["changes"]} == {"newly allowed"}


@pytest.mark.parametrize("round_", range(20))
def test_words_and_boxes_are_exactly_the_parts(round_: int, rng: random.Random, merrow: Network) -> None:
    names = Names(merrow)
    policy = rng.choice([p for p in merrow.policies if len(p.rules) > 3])
    rules = list(policy.rules)
    for _ in range(3):
        rules.insert(rng.randrange(len(rules)), rules.pop(rng.randrange(len(rules))))
    new = replace(policy, rules=tuple(rules[1:]), default=rng.choice(["allow", "drop"]))
    old = FirstMatch.of(policy, names)
    made = effect(Versions(old, new, matches_of(new, names), same_names(policy, new), budget=10**8))
    after = FirstMatch.of(new, names)
    for change in changes(made, names):
        words = [_addresses(change.source, names), _addresses(change.destination, names)]
        told = services.union(_service(word, names) for word in change.service)
        for family in FAMILIES:
            part = next((p for p in change.parts if p.family == family), None)
            if part is None:
                assert not (words[0][family] and words[1][family] and len(told[family]))
                continue
            assert (part.source, part.destination) == (words[0][family], words[1][family])
            assert _equal(told, part.service, family)
        for ready, at in zip((old, after), change.places, strict=True):
            assert ready.decide_one(change.witness) == at
    _boxes_tell_flows(effects.compare(_only(merrow, policy), _only(merrow, new)), old, after, rng)


def _boxes_tell_flows(told: effects.Compared, old: FirstMatch, new: FirstMatch, rng: random.Random) -> None:
    """Flows drawn anywhere near what either version names change exactly if a box holds them."""
    boxes = [box for change in effects.effect_json(told)["changes"] for box in change["boxes"]]
    for family in FAMILIES:
        ends = [v for m in old.matches for s in (m.source, m.destination) for pair in s[family] for v in pair]
        if not ends:
            continue
        count = 400
        src, dst = (np.array([rng.choice(ends) for _ in range(count)], dtype=object) for _ in range(2))
        proto = np.array([rng.choice([6, 17]) for _ in range(count)])
        second = np.array([rng.choice([22, 53, 80, 443, 502, 5432, 8883, 18440]) for _ in range(count)])
        first = np.full(count, 49152)
        typed = [a.astype(np.int64) for a in (src, dst)] if family == 4 else [src, dst]
        points = [*typed, proto, first, second, np.zeros(count, dtype=np.int64)]
        done = [_done(ready, ready.decide(family, points)) for ready in (old, new)]
        for k in range(count):
            inside = [
                box
                for box in boxes
                if box["family"] == family
                and "new" in box.get("state", ["new"])
                and all(
                    low <= value <= high
                    for (low, high), value in zip(
                        (
                            *(_values(box[end], family) for end in ("src", "dst")),
                            box["proto"],
                            box["first"],
                            box["second"],
                        ),
                        (src[k], dst[k], proto[k], 49152, second[k]),
                        strict=True,
                    )
                )
            ]
            if any("when" in box for box in inside):
                continue  # it speaks of some moments; the packet is judged at one
            assert bool(inside) == (done[0][k] != done[1][k])


def _values(ends: list[str], family: int) -> list[int]:
    return [addresses.parse(end)[family][0][0] for end in ends]


def _done(ready: FirstMatch, decided: np.ndarray) -> list[object]:
    rules = ready.policy.rules
    return [
        (rules[i].outcome, rules[i].log) if i >= 0 else ((ready.policy.default, None), False) for i in decided
    ]


def _only(network: Network, policy: Policy) -> Network:
    return replace(network, policies=(policy,), devices=(), at_hosts=(), expectations=())


def _addresses(words: tuple[str, ...], names: Names) -> AddressSet:
    told = addresses.NOTHING
    for word in words:
        head, _, rest = word.partition(" except ")
        value = _address(head, names)
        for other in rest.split(", ") if rest else ():
            value = addresses.difference(value, _address(other, names))
        told = addresses.union((told, value))
    return told


def _address(word: str, names: Names) -> AddressSet:
    name, _, family = word.partition(" over IPv")
    value = names.address(name)
    return replace(value, **{"v6" if family == "4" else "v4": ()}) if family else value


def _service(word: str, names: Names) -> ServiceSet:
    head, _, rest = word.partition(" except ")
    value = names.service(head)
    for other in rest.split(", ") if rest else ():
        value = services.difference(value, names.service(other))
    return value


def _equal(told: ServiceSet, boxes: np.ndarray, family: int) -> bool:
    other = replace(services.NOTHING, **{f"v{family}": boxes})
    return not len(services.difference(told, other)[family]) and not len(
        services.difference(other, told)[family]
    )
