"""Routers as network namespaces of the operating system, with its own packet filter, and raw packets in and out of their wires.

Every router has a wire of its own to a namespace without addresses, where this process puts packets in and takes out what comes; which
router hosts send to is for the caller. Neighbours are written down, so nothing is asked about. All of it is gone when it is closed.
"""

from __future__ import annotations

import ctypes
import os
import select
import shutil
import socket
import struct
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path

from sarvex.core.model.records import Device, Network

SETTLE = 0.04
"""Seconds without a packet after which none comes any more."""
ETHER = {4: 0x0800, 6: 0x86DD}
PROBE = b"sarvex"
CLONE_NEWNET = 0x40000000
ALL_PACKETS = 3
TABLES = 100
"""After which number the tables of routes for what is steered begin."""
MOST_STEERED = 2
"""So many entries of steering a router may have."""


def why_not() -> str | None:
    """Why namespaces with a filter cannot be had here, if they cannot."""
    if os.geteuid() != 0:
        return "not the superuser"
    os.environ["PATH"] += ":/usr/sbin:/sbin"
    if not shutil.which("ip") or not shutil.which("nft"):
        return "the programs that set up namespaces and the kernel's filter are missing"
    name = f"sx{os.getpid()}try"
    try:
        _run("ip", "netns", "add", name)
        _run(
            "ip",
            "netns",
            "exec",
            name,
            "nft",
            "add table inet t; add chain inet t n { type nat hook prerouting priority -100; }",
        )
        _settings(name)
    except OSError as error:
        return f"namespaces or the kernel's filter are not to be had: {error}"
    finally:
        with suppress(OSError):
            _run("ip", "netns", "del", name)
    return None


def _run(*command: str, text: str | None = None) -> None:
    done = subprocess.run(command, input=text and text.encode(), check=False, capture_output=True)
    if done.returncode:
        raise OSError(f"{command}: {done.stderr.decode()}\n{text or ''}")


@dataclass(frozen=True)
class Sent:
    """A packet on a wire; `key` tells conversations apart."""

    family: int
    src: int
    dst: int
    proto: int
    first: int
    second: int
    key: int
    flags: int = 0
    """Of TCP."""


SYN, ACK = 2, 16


@dataclass
class Wired:
    """A router interface: the socket at the other end of its wire, and both hardware addresses."""

    device: str
    interface: str
    segment: str
    peer: socket.socket
    router_mac: bytes
    peer_mac: bytes


@dataclass
class Ground:
    """The namespaces of one network's routers."""

    prefix: str
    wires: dict[tuple[str, str], Wired] = field(default_factory=dict)
    settle: float = SETTLE

    def load(self, device: str, rules: str, ways: list[str]) -> None:
        """Give a router other rules, and other routes in the tables that they mark packets for; conversations that are known stay known."""
        name = f"{self.prefix}{device}"
        if ways:
            _run("ip", "-n", name, "-batch", "-", text="\n".join(ways) + "\n")
        _run("ip", "netns", "exec", name, "nft", "-f", "-", text=f"flush ruleset\n{rules}")

    def play(self, packets: list[tuple[tuple[str, str], Sent]]) -> list[tuple[tuple[str, str], Sent]]:
        """Put packets into interfaces of routers; what comes out of any, until nothing comes any more."""
        for port, packet in packets:
            wire = self.wires[port]
            wire.peer.send(
                wire.router_mac + wire.peer_mac + struct.pack("!H", ETHER[packet.family]) + encoded(packet)
            )
        return list(self._come_out())

    def _come_out(self) -> Iterator[tuple[tuple[str, str], Sent]]:
        sockets = {wire.peer: port for port, wire in self.wires.items()}
        until = time.monotonic() + self.settle
        while (left := until - time.monotonic()) > 0:
            for ready in select.select(list(sockets), [], [], left)[0]:
                frame, about = ready.recvfrom(65535)
                if about[2] != socket.PACKET_OUTGOING and (packet := decoded(frame)) is not None:
                    yield sockets[ready], packet
                    until = time.monotonic() + self.settle


@contextmanager
def built(network: Network) -> Iterator[Ground]:
    """Routers with the interfaces, addresses and routes of a network's devices."""
    prefix = f"sx{os.getpid()}"
    outside, made = f"{prefix}out", [f"{prefix}{d.name}" for d in network.devices]
    ground = Ground(prefix)
    try:
        _run("ip", "netns", "add", outside)
        for device in network.devices:
            _router(ground, device, outside)
        with _inside(outside):
            for wire in ground.wires.values():
                wire.peer = socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(ALL_PACKETS))
                wire.peer.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 22)
                wire.peer.bind((_peer(wire.device, wire.interface), 0))
        yield ground
    finally:
        for wire in ground.wires.values():
            if wire.peer is not None:
                wire.peer.close()
        for name in (*made, outside):
            subprocess.run(("ip", "netns", "del", name), check=False, capture_output=True)


def _peer(device: str, interface: str) -> str:
    return f"{device}.{interface}"


def _router(ground: Ground, device: Device, outside: str) -> None:
    name = f"{ground.prefix}{device.name}"
    _run("ip", "netns", "add", name)
    lines = []
    for number, interface in enumerate(device.interfaces):
        peer = _peer(device.name, interface.name)
        macs = [f"02:00:{ord(device.name[-1]):02x}:00:{number:02x}:{end:02x}" for end in (1, 2)]
        _run(
            "ip", "link", "add", interface.name, "netns", name, "address", macs[0],
            "type", "veth", "peer", "name", peer, "netns", outside, "address", macs[1],
        )  # fmt: skip
        _run("ip", "-n", outside, "link", "set", peer, "up")
        lines.append(f"link set {interface.name} up")
        for address in interface.addresses:
            lines.append(f"addr add {address}/{64 if ':' in address else 28} dev {interface.name} nodad")
            head = address.rpartition(":" if ":" in address else ".")[0]
            for host in range(1, 15):
                one = f"{head}:{host:x}" if ":" in address else f"{head}.{host}"
                if one != address:
                    lines.append(f"neigh add {one} lladdr {macs[1]} dev {interface.name} nud permanent")
        mac_of = [bytes.fromhex(m.replace(":", "")) for m in macs]
        ground.wires[device.name, interface.name] = Wired(
            device.name,
            interface.name,
            interface.segment or "",
            None,
            *mac_of,  # type: ignore[arg-type]
        )
    lines += [f"route add {r.prefix} via {r.via}" for r in device.routes if r.via]
    marked = "".join(f"rule add fwmark {n} lookup {TABLES + n}\n" for n in range(1, 1 + MOST_STEERED))
    _settings(name)
    _run("ip", "-n", name, "-batch", "-", text="\n".join(lines) + "\n")
    for family in ("-4", "-6"):
        _run("ip", "-n", name, family, "-batch", "-", text=marked)


def _settings(name: str) -> None:
    """Forward everything both ways, redirect nobody, take no state for granted."""
    wanted = [
        "net/ipv4/ip_forward=1", "net/ipv4/conf/all/rp_filter=0", "net/ipv4/conf/default/rp_filter=0",
        "net/ipv4/conf/all/send_redirects=0", "net/ipv4/conf/default/send_redirects=0", "net/ipv6/conf/all/forwarding=1",
        "net/ipv6/conf/default/accept_dad=0", "net/ipv6/conf/all/accept_dad=0", "net/netfilter/nf_conntrack_tcp_loose=0",
    ]  # fmt: skip
    with _inside(name):
        for line in wanted:
            path, _, value = line.partition("=")
            Path(f"/proc/sys/{path}").write_text(value, encoding="ascii")


@contextmanager
def _inside(name: str) -> Iterator[None]:
    """This thread in a namespace, for as long as it opens sockets and settings there."""
    libc = ctypes.CDLL(None, use_errno=True)
    with Path("/proc/thread-self/ns/net").open("rb") as home, Path(f"/run/netns/{name}").open("rb") as there:
        if libc.setns(there.fileno(), CLONE_NEWNET):
            raise OSError(ctypes.get_errno(), "setns")
        try:
            yield
        finally:
            libc.setns(home.fileno(), CLONE_NEWNET)


# --- packets ----------------------------------------------------------------------------------------------


def encoded(p: Sent) -> bytes:
    """A packet of IPv4 or IPv6 with right checksums."""
    payload = PROBE + struct.pack("!I", p.key)
    size = 4 if p.family == 4 else 16
    src, dst = p.src.to_bytes(size, "big"), p.dst.to_bytes(size, "big")
    if p.proto == 6:
        seq, ack = {SYN: (1000, 0), SYN | ACK: (2000, 1001), ACK: (1001, 2001)}[p.flags]
        body = struct.pack("!HHIIBBHHH", p.first, p.second, seq, ack, 5 << 4, p.flags, 64240, 0, 0)
        body += payload if p.flags == ACK else b""
        # Before it is established a segment carries nothing; the key is in its urgent pointer then, which nobody reads.
        body = body if p.flags == ACK else body[:18] + struct.pack("!H", p.key & 0xFFFF)
        at = 16
    elif p.proto == 17:
        body = struct.pack("!HHHH", p.first, p.second, 8 + len(payload), 0) + payload
        at = 6
    else:
        body = struct.pack("!BBHHH", p.first, p.second, 0, p.key & 0xFFFF, 1) + payload
        at = 2
    pseudo = src + dst + (
        struct.pack("!BBH", 0, p.proto, len(body)) if p.family == 4 else struct.pack("!IHBB", len(body), 0, 0, p.proto)
    )  # fmt: skip
    whole = body if p.proto == 1 else pseudo + body
    body = body[:at] + struct.pack("!H", _checksum(whole) or 0xFFFF) + body[at + 2 :]
    if p.family == 6:
        return struct.pack("!IHBB", 6 << 28, len(body), p.proto, 64) + src + dst + body
    head = struct.pack("!BBHHHBBH", 0x45, 0, 20 + len(body), 0, 0, 64, p.proto, 0) + src + dst
    return head[:10] + struct.pack("!H", _checksum(head)) + head[12:] + body


def decoded(frame: bytes) -> Sent | None:
    """A packet of ours, or None for anything else on the wire."""
    kind, packet = struct.unpack("!H", frame[12:14])[0], frame[14:]
    if kind == ETHER[4]:
        family, proto, body = 4, packet[9], packet[20:]
        src, dst = (int.from_bytes(packet[a : a + 4], "big") for a in (12, 16))
    elif kind == ETHER[6]:
        family, proto, body = 6, packet[6], packet[40:]
        src, dst = (int.from_bytes(packet[a : a + 16], "big") for a in (8, 24))
    else:
        return None
    if proto == 6:
        first, second = struct.unpack("!HH", body[:4])
        flags = body[13] & 0x3F
        if flags not in (SYN, SYN | ACK, ACK) or (flags == ACK and PROBE not in body):
            return None
        key = _key(body) if flags == ACK else struct.unpack("!H", body[18:20])[0]
        return Sent(family, src, dst, proto, first, second, key, flags)
    if PROBE not in body or proto not in (1, 17, 58):
        return None
    key = _key(body)
    if proto == 17:
        first, second = struct.unpack("!HH", body[:4])
    else:
        first, second = body[0], body[1]
    return Sent(family, src, dst, proto, first, second, key)


def _key(body: bytes) -> int:
    at = body.index(PROBE) + len(PROBE)
    return int.from_bytes(body[at : at + 4], "big")


def _checksum(data: bytes) -> int:
    """RFC 1071."""
    if len(data) % 2:
        data += b"\0"
    total = sum(struct.unpack(f"!{len(data) // 2}H", data))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF
