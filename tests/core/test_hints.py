"""What may not be meant, said while a rule is being written."""

from __future__ import annotations

import pytest

from sarvex.core.meaning.hints import hints
from sarvex.core.meaning.names import Names
from sarvex.core.model.records import Network, Rule


def rule(**fields) -> Rule:  # type: ignore[no-untyped-def]
    plain = {"source": ("kiosks",), "destination": ("fares-db",), "service": ("postgres",)}
    return Rule(**{"name": "r", "action": "allow", **plain, **fields})


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({}, []),
        (
            {"destination": ("10.45.1.1",)},
            ["10.45.1.1 is of none of the known segments; as things are it counts as internet."],
        ),
        ({"destination": ("10.44.50.6",)}, []),
        ({"destination": ("any",)}, []),
        (
            {"destination": ("booking-web",), "source": ("10.44.0.0/16",), "negate": ("source",)},
            ["All but these as source is every IPv6 address."],
        ),
        ({"source": ("10.44.0.0/16",), "negate": ("source",)}, []),  # the other end has no IPv6 address
        (
            {"service": ("tcp from 443",)},
            ["It names a server's port as the source: that is how replies look, not new conversations."],
        ),
        ({"service": ("tcp from 443",), "states": ("established",)}, []),
        ({"service": ("tcp/5432 from 1024-65535",)}, []),
        ({"service": ("udp/53",)}, ["dns also runs over tcp/53, which this does not name."]),
        ({"service": ("dns",)}, []),
        ({"service": ("any",)}, []),
        (
            {"source": ("10.0.0.0/8",)},
            [
                "Its source is wider than what exists, which is remote-pilots, vessels, passenger-wifi and 28 more there: what joins later is let"
                " in, too."
            ],
        ),
        ({"source": ("internet",)}, []),
        ({"source": ("10.44.10.0/24",)}, []),
        (
            {
                "action": "drop",
                "source": ("10.44.200.0/22",),
                "destination": ("10.44.30.0/26",),
                "service": ("any",),
            },
            ["It stops IPv4 alone; the same ends speak IPv6 too, and this says nothing of that."],
        ),
        ({"action": "drop", "source": ("10.0.0.0/8",), "destination": ("any",), "service": ("any",)}, []),
        ({"action": "drop", "source": ("vessels",), "destination": ("linkspans",), "service": ("any",)}, []),
        ({"source": ("10.44.200.0/22",), "destination": ("10.44.30.0/26",), "service": ("any",)}, []),
    ],
)
def test_hints(merrow: Network, fields, says) -> None:  # type: ignore[no-untyped-def]
    told = hints(rule(**fields), Names(merrow))
    for line in says:
        assert line in told
    assert bool(told) == bool(says), told
