"""The catalogue of well-known services."""

from __future__ import annotations

import pytest

from sarvex.core.model.well_known_services import catalogue, search
from sarvex.core.sets import services


def test_every_entry_reads_and_stands_once() -> None:
    known = catalogue()
    assert len(known) >= 145
    assert len({k.name for k in known}) == len(known)
    assert [k.name for k in known if not k.words] == []
    for entry in known:
        for member in entry.members:
            assert services.describe(services.parse(member)) == [member]


@pytest.mark.parametrize(
    ("typed", "name"),
    [
        ("ntp", "ntp"), ("123", "ntp"), ("udp/123", "ntp"), ("time", "time"), ("desktop", "rdp"), ("plc", "modbus"),
        ("8883", "mqtts"), ("VPN", "ike"), ("name", "dns"), ("ipsec", "ipsec"), ("alive", "ping"), ("sftp", "ssh"),
    ],
)  # fmt: skip
def test_words_and_ports_find_the_same(typed: str, name: str) -> None:
    assert search(typed)[0].name == name


def test_time_finds_the_clock_too() -> None:
    assert {"time", "ntp", "nts", "precision-time"} <= {k.name for k in search("time")}


def test_the_parts_of_one_application_are_offered_together() -> None:
    """A service made of one transport only, where the application has more, is the commonest hole."""
    by_name = {k.name: k.members for k in catalogue()}
    assert by_name["dns"] == ("udp/53", "tcp/53")
    assert by_name["ipsec"] == ("udp/500", "udp/4500", "esp", "ah")
    assert by_name["pptp"] == ("tcp/1723", "gre")
    assert search("nothing like this") == []
