"""What nearly everybody may everywhere, and what is looked past when who reaches whom is looked at: name service, time and ping."""

from __future__ import annotations

from sarvex.core.meaning.names import NameCycle, Names, UnknownName
from sarvex.core.sets import services
from sarvex.core.sets.services import ServiceSet

OWN_LIST = "infrastructure"
"""A service of the network that is called so takes the place of what is usual."""
USUAL = services.union(
    services.parse(text) for text in ("udp/53", "tcp/53", "udp/123", "icmp/8", "icmp6/128")
)
"""RFC 1035, RFC 5905, RFC 792, RFC 4443."""


def infrastructure(names: Names) -> ServiceSet:
    """The network's own list, or what is usual."""
    try:
        return names.service(OWN_LIST)
    except (UnknownName, NameCycle):
        return USUAL


def asked_service(names: Names, service: str, aside: bool = False) -> ServiceSet:
    """A service in words, with infrastructure or leaving it aside. Raises what `Names.service` raises."""
    asked = names.service(service)
    return services.difference(asked, infrastructure(names)) if aside else asked
