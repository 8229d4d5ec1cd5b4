"""Wanted states: random wishes for random networks, held against what each wish says; what is in the way, and bad form."""

from __future__ import annotations

import copy
import json
import random
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from sarvex.core.meaning.check import problems
from sarvex.core.model.differences import differences
from sarvex.core.model.records import Network
from sarvex.formats import document, settling

DEMO = Path(__file__).parent.parent.parent / "demo/merrow.yaml"
ROUNDS = 40


@pytest.fixture(scope="module")
def demo() -> Network:
    return document.load(DEMO.read_text())


def wishes(text: str) -> dict[str, Any]:
    return settling.read(f"sarvex: 1\nsettle:\n{text}")


def made(network: Network, text: str) -> Network:
    return settling.settled(network, wishes(text))


def refused(network: Network, text: str) -> str:
    with pytest.raises((settling.Unsettled, document.InvalidDocument)) as told:
        made(network, text)
    return str(told.value)


# --- what a wish says, read from its own words: nothing of the code that fulfils it is asked --------------


def entry_of(listed: list[dict[str, Any]], name: str) -> dict[str, Any] | None:
    return next((one for one in listed if one["name"].lower() == name.lower()), None)


def unfulfilled(wish: dict[str, Any], there: dict[str, Any], where: str = "") -> list[str]:
    """What of the wishes about one record is not so, where `there` is what a document says of it."""
    out = []
    for key, told in wish.items():
        at = f"{where}.{key}"
        if key in ("state", "place"):
            continue
        if isinstance(told, dict) and set(told) & {"create", "merge", "replace", "remove"}:
            has = there.get(key, [])
            if any(one not in has for act in ("create", "merge", "replace") for one in told.get(act, [])):
                out.append(f"{at} lacks something")
            if any(one in has for one in told.get("remove", []) if one not in told.get("merge", [])):
                out.append(f"{at} has what is to go")
            if any(one not in told[act] for act in ("create", "replace") if act in told for one in has):
                out.append(f"{at} has more")
        elif isinstance(told, list):
            out += of_list(told, there.get(key, []), at)
        elif isinstance(told, dict):
            out += unfulfilled(told, there.get(key, {}), at)
        elif there.get(key, SILENT.get(key)) != told:
            out.append(f"{at} is {there.get(key)}")
    return out


SILENT = {"log": False, "enabled": True, "description": "", "depth": 0, "kept": False}


def of_list(told: list[dict[str, Any]], there: list[dict[str, Any]], at: str) -> list[str]:
    out = []
    for wish in told:
        one = entry_of(there, wish["name"])
        if wish.get("state") == "absent":
            out += [f"{at}[{wish['name']}] is there"] if one else []
        elif one is None:
            out.append(f"{at}[{wish['name']}] is not there")
        else:
            out += unfulfilled(wish, one, f"{at}[{wish['name']}]")
    return out


def stands_so(wish: dict[str, Any], rules: list[dict[str, Any]]) -> bool:
    names = [rule["name"].lower() for rule in rules]
    if wish.get("state") == "absent" or "place" not in wish:
        return True
    at, place = names.index(wish["name"].lower()), wish["place"]
    if place == "first":
        return at == 0
    if place == "last":
        return at == len(names) - 1
    ((where, other),) = place.items()
    return other.lower() in names and (at < names.index(other.lower())) == (where == "before")


def random_wish(rng: random.Random, data: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    """A wish about one thing that can be had: of each section, new or known, there or not."""
    section = rng.choice(
        ["addresses", "services", "policies", "policies", "policies", "zones", "expectations"]
    )
    plain = [f"10.44.30.{n}" for n in range(1, 90)]
    services = ["tcp/443", "udp/53", "tcp/8000-8100", "ssh"]
    acts = rng.choice(["merge", "replace", "merge", "remove+merge"])

    def members(of: list[str]) -> dict[str, Any]:
        some = rng.sample(of, rng.randint(1, min(3, len(of))))
        if acts == "remove+merge":
            return {"merge": some, "remove": [one for one in of if one not in some][:2]}
        return {acts: some}

    if section == "addresses":
        return section, {
            "name": f"made {rng.randrange(4)}",
            "members": members(plain),
            "description": rng.choice(["x", "y"]),
        }
    if section == "services":
        return section, {"name": f"svc-{rng.randrange(4)}", "members": members(services)}
    if section == "zones":
        return section, {"name": rng.choice(["new zone", "other zone"]), "depth": rng.randrange(5)}
    if section == "expectations":
        if rng.random() < 0.3:
            return section, {"name": rng.choice(data["expectations"])["name"], "state": "absent"}
        return section, {
            "name": f"holds {rng.randrange(3)}", "must": rng.choice(["allowed", "blocked"]),
            "source": members(["kiosks", "tower", "offices"]), "destination": members(["fares-db", "linkspans"]), "service": members(services),
        }  # fmt: skip
    policy = rng.choice(data["policies"])
    rules = []
    for _ in range(rng.randint(1, 3)):
        known = rng.choice(policy["rules"])["name"] if policy.get("rules") and rng.random() < 0.5 else None
        others = [r["name"] for r in policy.get("rules", []) if r["name"] != known]
        if known and len(others) > 3 and rng.random() < 0.3:
            if all(known != other["name"] for other in rules):
                rules.append({"name": known, "state": "absent"})
            continue
        wish: dict[str, Any] = {
            "name": known or f"rule {rng.randrange(5)}",
            "action": rng.choice(["allow", "drop"]),
        }
        if known is None or rng.random() < 0.4:
            anchors = [o for o in others if all(o != r["name"] for r in rules)]
            wish["place"] = (
                {rng.choice(["before", "after"]): rng.choice(anchors)}
                if anchors and rng.random() < 0.6
                else rng.choice(["first", "last"])
            )
        if known is None:
            wish |= {
                "source": members(plain),
                "destination": members(["linkspans", *plain]),
                "service": members(services),
                "log": rng.random() < 0.5,
            }
        if all(wish["name"] != other["name"] for other in rules):
            rules.append(wish)
    return section, {"name": policy["name"], "rules": rules}


def test_random_wishes_are_fulfilled_and_twice_is_nothing(rng: random.Random, demo: Network) -> None:
    """A then B has all that B wants; what nobody spoke of stays as it is."""
    network, done, away = demo, 0, 0
    for _ in range(ROUNDS):
        data = document.to_data(network)
        asked: dict[str, list[dict[str, Any]]] = {}
        for section, wish in (random_wish(rng, data) for _ in range(rng.randint(1, 3))):
            if all(wish["name"] != other["name"] for other in asked.get(section, [])):
                asked.setdefault(section, []).append(wish)
        text = json.dumps({"sarvex": 1, "settle": asked})
        jsonschema.validate(json.loads(text), settling.schema())
        read = settling.read(text)
        kept = copy.deepcopy(read)
        try:
            after = settling.settled(network, read)
        except settling.Unsettled as told:  # such as a rule whose anchor another wish has taken away
            assert all(p.path[0] in ("settle", "policies", "addresses") for p in told.problems), told
            away += 1
            continue
        except document.InvalidDocument as told:
            assert "required" in str(told) or "at least" in str(told), told
            away += 1
            continue
        assert read == kept and not problems(after)
        told_now = document.to_data(after)
        assert not unfulfilled(asked, told_now), (asked, unfulfilled(asked, told_now))
        for wish in asked.get("policies", []):
            policy = entry_of(told_now["policies"], wish["name"])
            assert policy
            assert all(stands_so(rule, policy.get("rules", [])) for rule in wish["rules"]), (
                wish,
                policy["rules"],
            )
        assert settling.settled(after, read) is after, asked
        spoken = {(s, w["name"].lower()) for s, some in asked.items() for w in some}
        assert {(d.section, d.name.lower()) for d in differences(network, after)} <= spoken
        done += 1
        network = after
    assert done > ROUNDS / 2, (done, away)


def test_members_are_merged_removed_replaced_or_created_and_each_is_another_thing(demo: Network) -> None:
    def plcs(text: str) -> tuple[str, ...]:
        after = made(demo, f"  addresses: [{{name: RAMP-plcs, members: {text}}}]")
        assert [a.name for a in after.addresses] == [a.name for a in demo.addresses], (
            "its name keeps its letters"
        )
        return next(a.members for a in after.addresses if a.name == "ramp-plcs")

    assert plcs("{merge: [10.44.30.77, ramp-plc]}") == ("ramp-plc", "ramp-plc-west", "10.44.30.77")
    assert plcs("{remove: [ramp-plc, nobody]}") == ("ramp-plc-west",)
    assert plcs("{replace: [10.44.30.77]}") == ("10.44.30.77",)
    assert plcs("{replace: [ramp-plc-west, ramp-plc]}") == ("ramp-plc", "ramp-plc-west"), (
        "the same in any order is the same"
    )
    assert plcs("{create: [ramp-plc, ramp-plc-west]}") == ("ramp-plc", "ramp-plc-west")
    assert "it holds ramp-plc-west; create changes nothing" in refused(
        demo, "  addresses: [{name: ramp-plcs, members: {create: [ramp-plc]}}]"
    )
    both = made(demo, "  addresses: [{name: x, members: {merge: [10.44.30.7]}}]")
    again = "  addresses: [{name: x, members: {merge: [10.44.30.7/32, 10.44.30.7-10.44.30.7]}}]"
    assert made(both, again) is both, "what is written otherwise and means the same is there"


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("  policies: [{name: ramp-side, rules: [{name: n, action: allow, place: {before: nobody}}]}]", "no 'nobody' in the list"),
        ("  policies: [{name: ramp-side, rules: [{name: n, action: allow, place: {after: n}}]}]", "beside itself"),
        ("  policies: [{name: ramp-side, rules: [{name: rest is logged, place: first}, {name: monitoring, place: first}]}]", "rules[rest is logged].place: it would not stand so"),
        ("  policies: [{name: ramp-side, rules: [{name: monitoring, place: {before: rest is logged}}, {name: rest is logged, place: first}]}]", "rules[monitoring].place: it would not"),
        ("  policies: [{name: ramp-side, rules: [{name: n, action: allow}]}]", "say where it is to stand"),
        ("  policies: [{name: ramp-side, rules: [{name: n, place: last, source: {merge: [any]}, destination: {merge: [any]}, service: {merge: [any]}}]}]", "action: field required"),
        ("  policies: [{name: new one, rules: []}]", "default: field required"),
        ("  policies: [{name: ramp-side, rules: [{name: pilots to ramp HMI, source: {remove: [pilots]}}]}]", "policies[ramp-side].rules[pilots to ramp HMI].source"),
        ("  addresses: [{name: pilots, state: absent}]", "pilots"),
        ("  name: another", "not renamed"),
        ("  policies: [{name: ramp-side, rules: [{name: pilots to ramp HMI, action: alow}]}]", "rules[pilots to ramp HMI].action"),
    ],
)  # fmt: skip
def test_nothing_is_filled_in_that_nobody_said(demo: Network, text: str, told: str) -> None:
    """M26: no action, no place, no `any` comes from nowhere; a list that is emptied is not everything."""
    assert told in refused(demo, text)


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("x: 1", "sarvex: this version"),
        ("sarvex: 1", "settle: a mapping"),
        ("sarvex: 1\nsettle: []", "settle: a mapping"),
        ("sarvex: 1\nsettle: {}\nother: 1", "other: no such key"),
        ("sarvex: 1\nsettle: {zonez: []}", "settle.zonez: no such key"),
        ("sarvex: 1\nsettle: {zones: {}}", "settle.zones: a list"),
        ("sarvex: 1\nsettle: {zones: [3]}", "settle.zones[0]: a wish"),
        ("sarvex: 1\nsettle: {zones: [{depth: 3}]}", "settle.zones[0]: a wish"),
        ("sarvex: 1\nsettle: {zones: [{name: a, place: first}]}", "settle.zones[a].place: the order"),
        ("sarvex: 1\nsettle: {zones: [{name: a, depth: 1}, {name: A, depth: 2}]}", "settle.zones[A]: it is spoken of twice"),
        ("sarvex: 1\nsettle: {addresses: [{name: a, members: {merge: [x, y], remove: [y]}}]}", "settle.addresses[a].members: y is to be there"),
        ("sarvex: 1\nsettle: {zones: [{name: a, state: gone}]}", "settle.zones[a].state: present or absent"),
        ("sarvex: 1\nsettle: {zones: [{name: a, state: absent, depth: 3}]}", "settle.zones[a].depth: what is to be absent"),
        ("sarvex: 1\nsettle: {addresses: [{name: a, members: [10.0.0.1]}]}", "settle.addresses[a].members: say what"),
        ("sarvex: 1\nsettle: {addresses: [{name: a, members: {add: [10.0.0.1]}}]}", "settle.addresses[a].members.add: create,"),
        ("sarvex: 1\nsettle: {addresses: [{name: a, members: {merge: x}}]}", "settle.addresses[a].members.merge: a list"),
        ("sarvex: 1\nsettle: {addresses: [{name: a, members: {merge: [x], replace: [y]}}]}", "settle.addresses[a].members: create and replace"),
        ("sarvex: 1\nsettle: {policies: [{name: p, rules: [{name: r, place: top}]}]}", "settle.policies[p].rules[r].place: first, last"),
        ("sarvex: 1\nsettle: {policies: [{name: p, rules: [{name: r, hits: 0}]}]}", "settle.policies[p].rules[r].hits: no such key"),
    ],
)  # fmt: skip
def test_bad_form_is_told_where_it_stands(text: str, place: str) -> None:
    with pytest.raises(document.InvalidDocument) as told:
        settling.read(text)
    assert str(told.value).startswith(place), told.value


def test_what_is_inside_a_device_is_settled_as_well(demo: Network) -> None:
    device = demo.devices[0]
    port = device.interfaces[0]
    policy = demo.policies[0].name
    text = f"""
  devices:
    - name: {device.name}
      zone_default: {{mode: closed}}
      interfaces: [{{name: {port.name}, description: what it leads to}}]
      policies: {{merge: [{{policy: {policy}, stage: outbound, leaving: [{port.name}]}}]}}
      routes: {{merge: [{{prefix: 10.99.0.0/16, discard: true}}]}}
"""
    after = made(demo, text)
    now = after.devices[0]
    assert now.zone_default.mode == "closed" and now.interfaces[0].description == "what it leads to"
    assert now.interfaces[0].addresses == port.addresses and now.routes[:-1] == device.routes
    assert now.policies[-1].leaving == (port.name,) and now.policies[:-1] == device.policies
    assert made(after, text) is after
    gone = made(
        after,
        f"  devices: [{{name: {device.name}, routes: {{remove: [{{prefix: 10.99.0.0/16}}]}}, policies: {{remove: [{{policy: {policy}, stage: outbound}}]}}}}]",
    )
    assert gone.devices[0].routes == device.routes and gone.devices[0].policies == device.policies


def test_a_section_goes_on_when_the_rule_it_begins_at_goes(demo: Network) -> None:
    policy = next(p for p in demo.policies if any(s.before for s in p.sections))
    section = next(s for s in policy.sections if s.before)
    names = [r.name for r in policy.rules]
    after = made(
        demo, f"  policies: [{{name: {policy.name}, rules: [{{name: {section.before}, state: absent}}]}}]"
    )
    now = next(
        s for s in next(p for p in after.policies if p.name == policy.name).sections if s.name == section.name
    )
    follows = names[names.index(section.before) + 1 :]
    assert now.before == (follows[0] if follows else None)


def test_notes_about_members_go_with_them_and_no_word_of_ours_is_a_field() -> None:
    text = "sarvex: 1\nname: n\naddresses: [{name: a, members: [10.0.0.1, 10.0.0.2], notes: [{member: 10.0.0.1, text: why}]}]\n"
    network = document.load(text)
    after = settling.settled(
        network, settling.read("sarvex: 1\nsettle: {addresses: [{name: a, members: {remove: [10.0.0.1]}}]}")
    )
    assert after.addresses[0].members == ("10.0.0.2",) and not after.addresses[0].notes
    shapes = settling.schema()["$defs"]
    for shape in document.schema()["$defs"].values():
        assert not {"state", "place"} & set(shape.get("properties", {}))
    assert "place" in shapes["Rule"]["properties"] and "place" not in shapes["Zone"]["properties"]
