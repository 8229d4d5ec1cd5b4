"""An addressing plan as people have it: rows from a sheet, lines from a note, tables as devices print them; line by line what was understood.

Columns are told by their heads, or word by word by what they look like: a prefix (or a network and its mask, of either kind) makes a
segment, an address with a prefix length or a mask an interface of the device, several addresses a device, one address a host, a route its
route. Nothing is dropped: what is not understood is told at its line.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from ipaddress import IPv4Address, IPv4Interface, IPv6Interface, ip_address, ip_interface, ip_network

from sarvex.core.model.records import fold

MOST_LINES = 2_000
HEADS: dict[str, tuple[str, ...]] = {
    "name": ("name", "segment", "network name", "vlan name", "host", "hostname", "interface", "what"),
    "vlan": ("vlan", "vlan id", "id", "tag", "vid"),
    "prefix": (
        "prefix",
        "subnet",
        "network",
        "cidr",
        "range",
        "net",
        "prefixes",
        "ip range",
        "address range",
    ),
    "mask": ("mask", "netmask", "subnet mask", "wildcard"),
    "gateway": ("gateway", "gw", "default gateway", "router", "router address"),
    "zone": ("zone", "area", "security zone", "trust"),
    "address": ("address", "ip", "ip address", "addresses", "host address"),
    "device": ("device", "on device"),
    "description": (
        "description",
        "comment",
        "comments",
        "note",
        "notes",
        "purpose",
        "use",
        "remark",
        "usage",
    ),
}
OUTSIDE = frozenset({"internet", "wan", "outside", "uplink", "isp", "public"})
DEVICE_WORDS = frozenset({"device", "router", "gateway", "firewall", "lock"})
SILENT = frozenset({"up", "down", "yes", "no", "ok", "manual", "dhcp", "static", "active", "connected", "enabled", "-", "--", "n/a", "mask", "netmask", "ip", "inet", "inet6", "address", "is", "subnet", "network"})  # fmt: skip
"""Words of printed tables that say nothing here."""
_BLANKS = re.compile(r"\s+")
_VLAN = re.compile(r"^vlan[-_ ]?(\d{1,4})$", re.I)
Interface = IPv4Interface | IPv6Interface


@dataclass
class Row:
    """What one line says; `problem` if it is not understood, and `note` of what was put right."""

    number: int
    text: str
    kind: str = "nothing"
    """segment, outside, device, host, interface, route, head or nothing."""
    name: str = ""
    vlan: int | None = None
    prefixes: list[str] = field(default_factory=list)
    addresses: list[str] = field(default_factory=list)
    gateway: str = ""
    zone: str = ""
    device: str = ""
    via: str = ""
    description: str = ""
    problem: str = ""
    note: str = ""

    @property
    def words(self) -> str:
        """What was understood, in words."""
        told = {
            "segment": ["segment " + self.name, f"vlan {self.vlan}" if self.vlan else "", f"zone {self.zone}" if self.zone else "", f"gateway {self.gateway}" if self.gateway else ""],
            "outside": ["everything else" + (f", zone {self.zone}" if self.zone else "")],
            "device": [f"device {self.name}", f"{len(self.addresses)} interface{'s' * (len(self.addresses) != 1)}"],
            "host": [f"host {self.name}"],
            "interface": [f"interface {self.name}" + (f" of {self.device}" if self.device else "")],
            "route": [f"route to {', '.join(self.prefixes)}" + (f" by {self.via}" if self.via else "")],
            "head": ["the columns"],
        }  # fmt: skip
        return ", ".join(filter(None, [*told.get(self.kind, []), self.note]))


def read(text: str) -> list[Row]:
    """Every line that says something, in order; those that cannot be read say why. O(words)."""
    rows: list[Row] = []
    heads: list[str] | None = None
    lines = text.splitlines()
    for number, line in enumerate(lines[:MOST_LINES], 1):
        plain, _, remark = line.partition("#")
        if not plain.strip():
            continue
        row = Row(number, line.strip(), description=remark.strip())
        cells = _cells(plain)
        found = _heads(cells)
        if found:
            heads, row.kind = found, "head"
        elif heads and len(cells) > 1:
            _by_heads(row, cells, heads)
        else:
            _by_looks(row, [word for cell in cells for word in cell.split()])
        rows.append(row)
    if len(lines) > MOST_LINES:
        rows.append(Row(MOST_LINES + 1, "…", problem=f"more than {MOST_LINES:,} lines are not read here"))
    _placed(rows)
    return rows


def _cells(line: str) -> list[str]:
    for mark in ("\t", "|", ";"):
        if mark in line:
            return [cell.strip() for cell in line.strip().strip(mark).split(mark)]
    if "," in line:
        return [cell.strip() for cell in next(csv.reader([line.strip()], skipinitialspace=True))]
    return [cell for cell in re.split(r"\s{2,}", line.strip()) if cell]


def _heads(cells: Sequence[str]) -> list[str] | None:
    """The columns, if a line names them: two at least, and nothing that is a value."""
    if any(re.search(r"\d", cell) for cell in cells):
        return None
    words = cells if len(cells) > 1 else cells[0].split() if cells else []
    found = [
        next((column for column, known in HEADS.items() if _BLANKS.sub(" ", w.strip().lower()) in known), "")
        for w in words
    ]
    return found if sum(map(bool, found)) >= 2 and sum(map(bool, found)) * 2 > len(found) else None


def _by_heads(row: Row, cells: Sequence[str], heads: Sequence[str]) -> None:
    told: dict[str, str] = {}
    over = [cell for cell in cells[len(heads) :] if cell]
    for head, cell in zip(heads, cells, strict=False):
        if cell and head:
            told[head] = cell
    if over:
        row.problem = f"more cells than there are columns: {', '.join(over)}"
        return
    row.name = told.get("name", "").strip('"')
    row.zone, row.device = told.get("zone", ""), told.get("device", "")
    row.description = told.get("description", row.description)
    if told.get("vlan") and not _vlan(row, told["vlan"]):
        return
    prefix = told.get("prefix") or ("" if "mask" not in told else told.get("address", ""))
    words = [*re.split(r"[\s,;]+", prefix), told.get("mask", "")]
    if not _values(row, [w for w in words if w]):
        return
    if "address" in told and not prefix and not _values(row, re.split(r"[\s,;]+", told["address"])):
        return
    gateway = told.get("gateway", "")
    if gateway and not is_address(gateway):
        row.problem = f"{gateway} is no address"
        return
    row.gateway = gateway
    _judged(row, [])


def _by_looks(row: Row, words: list[str]) -> None:
    rest: list[str] = []
    at = 0
    while at < len(words):
        word = words[at].strip(",")
        low = word.lower().rstrip(":")
        following = words[at + 1] if at + 1 < len(words) else ""
        if low in ("gw", "gateway", "via") and is_address(following):
            if low == "via":
                row.via = following
            else:
                row.gateway = following
            at += 1
        elif low == "vlan" and following.isdecimal():
            if not _vlan(row, following):
                return
            at += 1
        elif low == "zone" and following:
            row.zone = following
            at += 1
        elif low == "default" and not row.prefixes and (following.lower() == "via" or is_address(following)):
            row.prefixes.append("0.0.0.0/0")
        elif (_VLAN.match(word) and rest) or (re.match(r"^\d{1,4}$", word) and row.vlan is None and rest):
            if not _vlan(row, word):
                return
        elif re.match(r"^[\d.]+(/\S*)?$|^[\da-fA-F:]*:[\da-fA-F:.]*(/\d+)?$", word) and any(
            c in word for c in ".:"
        ):
            mask = following if _is_mask(following) and "/" not in word else ""
            if not _values(row, [w for w in (word, mask) if w]):
                return
            at += bool(mask)
        elif low not in SILENT:
            rest.append(word.strip('"'))
        at += 1
    _judged(row, rest)


def _vlan(row: Row, text: str) -> bool:
    digits = re.sub(r"^vlan[-_ ]?", "", text.strip(), flags=re.I)
    if digits.isdecimal() and 1 <= int(digits) <= 4094:
        row.vlan = int(digits)
        return True
    row.problem = f"{text} is no VLAN id: they go from 1 to 4094"
    return False


def _values(row: Row, words: Sequence[str]) -> bool:
    """Prefixes and addresses of some words; a dotted mask belongs to what stands before it."""
    at = 0
    while at < len(words):
        word = words[at]
        mask = words[at + 1] if at + 1 < len(words) and _is_mask(words[at + 1]) and "/" not in word else ""
        try:
            if mask:
                made = ip_interface(f"{word}/{mask}")
                plain = ip_interface(f"{word}/{made.network.prefixlen}")
                if not _is_netmask(mask):
                    row.note = f"{mask} is an inverse mask: {plain.network}"
                _prefix(row, plain)
                at += 1
            elif "/" in word:
                _prefix(row, ip_interface(word))
            else:
                row.addresses.append(str(ip_address(word)))
        except ValueError:
            row.problem = f"{word}{' ' + mask if mask else ''} is no address"
            return False
        at += 1
    return True


def _prefix(row: Row, made: Interface) -> None:
    if made.ip == made.network.network_address and made.network.prefixlen < made.max_prefixlen:
        row.prefixes.append(str(made.network))
    elif made.network.prefixlen == made.max_prefixlen:
        row.addresses.append(str(made.ip))
    else:
        row.addresses.append(str(made))


def is_address(word: str) -> bool:
    """Whether a word is an address of either family."""
    try:
        ip_address(word)
    except ValueError:
        return False
    return True


def _is_netmask(word: str) -> bool:
    try:
        bits = int(IPv4Address(word))
    except ValueError:
        return False
    return word.count(".") == 3 and bits > 0 and (bits | (bits - 1)) == 0xFFFFFFFF


def _is_mask(word: str) -> bool:
    if _is_netmask(word):
        return True
    try:
        bits = int(IPv4Address(word))
    except ValueError:
        return False
    return word.startswith("0.") and bits > 0 and bits & (bits + 1) == 0


def _judged(row: Row, rest: list[str]) -> None:
    """What kind of line it is, by what stands in it. rest: words that are no values; the first is the name, the next the zone."""
    if row.problem:
        return
    interfaces = [a for a in row.addresses if "/" in a]
    outside = {w.lower() for w in (row.name, row.zone, *rest)} & OUTSIDE
    if not row.name and rest:
        if rest[0].lower() in DEVICE_WORDS and len(rest) > 1:
            row.device = rest.pop(1)
            row.name = row.device
        else:
            row.name = rest[0]
        rest = rest[1:]
    if row.via and row.prefixes:
        row.kind = "route"
    elif row.prefixes or (outside and not row.addresses):
        row.kind = "segment" if row.prefixes else "outside"
        if row.kind == "outside":
            rest = rest[-1:]
        if rest and not row.zone:
            row.zone = rest.pop(0)
        row.gateway = row.gateway or next((a.partition("/")[0] for a in row.addresses), "")
        row.addresses = []
    elif interfaces:
        row.kind = "interface"
    elif len(row.addresses) > 1 or (row.addresses and row.device):
        row.kind = "device"
    elif row.addresses:
        row.kind = "host"
    else:
        row.problem = (
            "neither a prefix nor an address stands here" if row.name else "nothing here is understood"
        )
        return
    if rest:
        row.description = row.description or " ".join(rest)
    if not row.name and row.kind in ("segment", "host", "device"):
        row.name = f"net-{row.prefixes[0].replace('/', '-')}" if row.prefixes else f"host-{row.addresses[0]}"
        row.note = ", ".join(filter(None, [row.note, "nothing names it"]))


def _placed(rows: list[Row]) -> None:
    """What only all lines together tell: names that stand twice, prefixes that meet, hosts that are in no segment."""
    taken: dict[tuple[str, str], Row] = {}
    networks: dict[object, Row] = {}
    for row in _whole(rows):
        space = "device" if row.kind == "device" else "name"
        if row.kind in ("segment", "host", "device"):
            first = taken.setdefault((space, fold(row.name)), row)
            if first is not row:
                row.problem = f"{row.name} stands in line {first.number} already"
                continue
        if row.kind == "segment":
            for prefix in row.prefixes:
                other = networks.setdefault(ip_network(prefix), row)
                if other is not row:
                    row.problem = f"{prefix} is {other.name} in line {other.number} already"
            if row.gateway and not any(ip_address(row.gateway) in ip_network(p) for p in row.prefixes):
                row.problem = f"the gateway {row.gateway} is not in {', '.join(row.prefixes)}"
    told = [ip_network(p) for row in _whole(rows) if row.kind == "segment" for p in row.prefixes]
    for row in _whole(rows):
        if row.kind in ("host", "device"):
            astray = [a for a in row.addresses if not any(ip_address(a) in there for there in told)]
            if astray and (row.kind == "host" or len(astray) == len(row.addresses)):
                row.problem = f"{', '.join(astray)} is in no segment told here"


def _whole(rows: list[Row]) -> Iterator[Row]:
    return (row for row in rows if not row.problem)
