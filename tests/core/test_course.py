"""The course of a flow, place by place, in networks where it is known by hand."""

from __future__ import annotations

from dataclasses import replace

import pytest
from test_walk import ask, line, neighbours, open_policy

from sarvex.core.forwarding.course import KNOWN, Course, course_of
from sarvex.core.forwarding.routing import routing_of
from sarvex.core.model.records import (
    Attachment,
    Host,
    HostAttachment,
    Network,
    Policy,
    Route,
    Rule,
)
from sarvex.core.sets import addresses


def courses(network: Network, source: str, destination: str, service: str = "tcp/443") -> list[Course]:
    routing = routing_of(network)
    return [course_of(part, routing) for part in ask(network, source, destination, service).parts]


def told(course: Course) -> list[tuple[str, str, str | None, str | None, str]]:
    return [(p.device, p.where, p.entering, p.leaving, p.told) for p in course.there]


def test_each_device_tells_its_route_and_what_decides() -> None:
    (course,) = courses(line(), "10.44.1.9", "10.44.3.9")
    assert told(course) == [
        ("near", "route", "n0", "n1", "10.44.3.0/24 by n1, next far 10.44.2.2"),
        ("near", "passage", "n0", "n1", ""),
        ("far", "route", "f0", "f1", "island itself by f1"),
        ("far", "passage", "f0", "f1", ""),
    ]
    assert [(p.device, p.where, p.entering, p.leaving, p.told) for p in course.back] == [
        ("far", "answer", "f1", "f0", KNOWN),
        ("near", "answer", "n1", "n0", KNOWN),
    ]


def test_of_equal_prefixes_that_of_the_best_metric_is_told_and_of_several_the_longest() -> None:
    near, far = line().devices
    more = (
        Route(prefix="10.44.3.0/24", via="10.44.2.2", metric=5),
        *near.routes,
        Route(prefix="10.44.0.0/16", via="10.44.2.2"),
    )
    network = replace(line(), devices=(replace(near, routes=more), far))
    (course,) = courses(network, "10.44.1.9", "10.44.3.9")
    assert course.there[0].told == "10.44.3.0/24 by n1, next far 10.44.2.2"
    elsewhere = routing_of(network).entry(network.devices[0], addresses.parse("10.44.8.8"), None)
    assert isinstance(elsewhere, Route) and elsewhere.prefix == "10.44.0.0/16"
    assert routing_of(network).entry(network.devices[0], addresses.parse("10.9.9.9"), None) is None


@pytest.mark.parametrize("stage", ["inbound", "outbound"])
def test_nothing_is_told_beyond_the_place_that_stops_it(stage: str) -> None:
    drop = Rule(name="no", action="drop", source=("any",), destination=("any",), service=("any",))
    near, far = line().devices
    attached = replace(near, policies=(Attachment(policy="p", stage=stage),))  # type: ignore[arg-type]
    network = replace(
        line(), devices=(attached, far), policies=(Policy(name="p", default="allow", rules=(drop,)),)
    )
    (course,) = courses(network, "10.44.1.9", "10.44.3.9")
    wheres = [p.where for p in course.there]
    assert wheres == {"inbound": ["inbound"], "outbound": ["route", "passage", "outbound"]}[stage]
    assert course.there[-1].step and course.there[-1].step.rule == "no"
    assert not course.back


def test_what_is_for_a_device_itself_ends_at_it() -> None:
    (course,) = courses(neighbours("r1"), "ha", "10.0.9.2", "icmp/8.0")
    assert told(course)[-1] == ("r2", "to the device", "k", None, "")
    assert [p.device for p in course.back] == ["r2", "r1"]
    assert (course.back[0].entering, course.back[0].leaving) == (None, "k")


def test_where_an_answer_is_lost_its_device_says_why() -> None:
    near, far = line().devices
    lost = replace(far, routes=(Route(prefix="10.44.9.0/24", via="10.44.2.1"),))
    (course,) = courses(replace(line(), devices=(near, lost)), "10.44.1.9", "10.44.3.9")
    assert [(p.device, p.told) for p in course.back] == [("far", "the answer finds no route at far")]


def test_policies_at_hosts_are_places_too() -> None:
    network = replace(
        line(),
        hosts=(Host(name="safe", segment="quay", addresses=("10.44.1.20",)),),
        policies=(open_policy("own"),),
        at_hosts=(
            HostAttachment(policy="own", direction="outbound", hosts=("safe",)),
            HostAttachment(policy="own", direction="inbound", hosts=("safe",)),
        ),
    )
    (out,) = courses(network, "safe", "10.44.3.9")
    (into,) = courses(network, "10.44.3.9", "safe")
    assert (out.there[0].where, out.there[0].device) == ("outbound", "hosts")
    assert (into.there[-1].where, into.there[-1].device) == ("inbound", "hosts")
