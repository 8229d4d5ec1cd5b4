"""What a device may answer, and what is made of it."""

from __future__ import annotations

import pytest

from sarvex.service.releases import restconf
from sarvex.service.releases.restconf import Connection, DeviceFailed
from soak import uploads


@pytest.mark.parametrize(
    ("kind", "told"),
    [
        ("redirect", "answers 302"),
        ("elsewhere", "lies elsewhere"),
        ("entities", "is not one"),
        ("nonsense", "tells no RESTCONF root"),
        ("deep", "tells no RESTCONF root"),
        ("away", "cannot be reached"),
        ("endless", "too long"),
    ],
)
def test_a_device_that_means_harm_is_told_as_failed(
    kind: str, told: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(restconf, "LARGEST", 5_000_000)
    with (
        uploads.device() as trap,
        Connection(f"{trap}/{kind}", "a", "b") as connection,
        pytest.raises(DeviceFailed, match=told),
    ):
        connection.fetch()


def test_all_of_it_is_done_in_so_many_seconds() -> None:
    with uploads.device() as trap, Connection(f"{trap}/endless", "a", "b", seconds=0.05) as connection:
        for _ in range(2):  # and there is no second try
            with pytest.raises(DeviceFailed, match=r"more than 0\.05 seconds"):
                connection.fetch()


@pytest.mark.parametrize(
    ("address", "fine"),
    [
        ("https://10.44.90.21", True),
        ("https://eastpier.example:8443/base", True),
        ("http://127.0.0.1:41235", True),
        ("http://10.44.90.21", False),
        ("http://127.0.0.1:99999", False),
        ("http://[::1", False),
        ("https://a:b@10.44.90.21", False),
        ("https://10.44.90.21/?a=b", False),
        ("https://10.44.90.21\r\nHost: x", False),
        ("file:///etc/passwd", False),
        ("", False),
    ],
)
def test_where_a_configuration_may_be_sent(address: str, fine: bool) -> None:
    assert (restconf.check_address(address) == "") is fine
