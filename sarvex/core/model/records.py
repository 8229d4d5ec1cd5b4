"""The network model: every concept once, as frozen records that refer to each other by name.

Everything above the core derives from these: the document format, its JSON Schema and the API's shapes.
Members of a rule's fields, of address objects and of service objects are *names* or *literals* (see
`sarvex.core.sets.addresses` and `sarvex.core.sets.services`); `sarvex.core.meaning.names` turns them into sets and
`sarvex.core.meaning.check` tells what is wrong with them.
"""

from __future__ import annotations

import ast
import inspect
import sys
from dataclasses import dataclass, fields
from functools import cache
from itertools import pairwise
from types import MappingProxyType
from typing import Annotated, Any, Literal, TypeVar, dataclass_transform

from sarvex.core.sets.flows import State

Action = Literal["allow", "drop", "reject"]
RejectKind = Literal["reset", "port-unreachable", "host-unreachable", "prohibited"]
Default = Literal["allow", "drop", "reject", "continue"]
Field = Literal["source", "destination", "service"]
Stage = Literal["inbound", "passage", "outbound", "to the device", "from the device"]
Held = Literal["fixed", "reserved", "leased"]
InterfaceKind = Literal["physical", "vlan", "tunnel", "loopback"]
FIELDS: tuple[Field, ...] = ("source", "destination", "service")
FindingKind = Literal[
    "undescribed", "empty", "expired", "negated empty", "undecided", "partly shadowed", "shadowed", "redundant",
    "redundant but logs", "order-sensitive pair", "idle member", "overlapping segments", "address astray", "unattached",
    "unreachable policy", "dead where attached", "out of place", "forgotten family", "too wide", "duplicate", "unused",
    "no way out", "one way out", "cluster members differ", "never consulted for answers", "exposed management",
    "lock-out", "idle entry", "admits nobody", "hidden from its rule", "turn without source translation",
    "published from outside only", "half a pair", "open to newcomers",
]  # fmt: skip
"""What may be found about a network; see `sarvex.core.findings.finding`."""

T = TypeVar("T")
LONGEST_NAME, LONGEST_MEMBER, LONGEST_WORDS = 200, 300, 4000
"""Characters of a name, of a member, and of a description."""


class AtMost:
    """A text has at most so many characters: whatever validates these records, and their schema, say so."""

    def __init__(self, length: int) -> None:
        self.length = length

    def __get_pydantic_core_schema__(self, source: Any, handler: Any) -> Any:
        """Understood by Pydantic, which is not needed for it."""
        return {**handler(source), "max_length": self.length}


Name = Annotated[str, AtMost(LONGEST_NAME)]
Member = Annotated[str, AtMost(LONGEST_MEMBER)]
Words = Annotated[str, AtMost(LONGEST_WORDS)]


@cache
def _described(module: str) -> dict[str, dict[str, str]]:
    """Of every class in a module what is written below each of its fields: whatever makes a schema of a record tells it."""
    found: dict[str, dict[str, str]] = {}
    source = ast.parse(inspect.getsource(sys.modules[module]))
    for made in (m for m in source.body if isinstance(m, ast.ClassDef)):
        for field, below in pairwise(made.body):
            match field, below:
                case ast.AnnAssign(target=ast.Name(id=name)), ast.Expr(value=ast.Constant(value=str(words))):
                    found.setdefault(made.name, {})[name] = inspect.cleandoc(words)
    return found


@dataclass_transform(frozen_default=True, kw_only_default=True)
def record(cls: type[T]) -> type[T]:
    """A frozen keyword-only dataclass which, wherever it is validated, refuses keys it does not know.

    A field with a trailing underscore is written without it: its name is a word of Python.
    """
    made = dataclass(frozen=True, kw_only=True)(cls)
    words = _described(cls.__module__).get(cls.__name__, {})
    for field in fields(made):  # type: ignore[arg-type]
        field.metadata = MappingProxyType({"description": words[field.name]} if field.name in words else {})
    made.__pydantic_config__ = {  # type: ignore[attr-defined]
        "extra": "forbid",
        "alias_generator": lambda name: name.removesuffix("_"),
    }
    return made


@record
class Accepted:
    """A finding about the thing it belongs to that somebody accepts until a date; then it is told as before."""

    finding: FindingKind
    """Its kind."""
    reason: Words
    """Why it may stay."""
    until: Name
    """The last date (ISO 8601) on which it is accepted."""
    field: Field | None = None
    """The field of the rule that it is about, if it is about one."""
    as_found: Name = ""
    """A mark of what was found and of the rule as it was: once either differs it is told again. None: accepted whatever it says."""


@record
class Zone:
    """A set of interfaces that are trusted alike."""

    name: Name
    """Unique among zones."""
    depth: int = 0
    """Zones are arranged from the outermost (lowest) to the innermost (highest); ties are allowed."""
    description: Words = ""
    """Why it exists."""


@record
class Segment:
    """A broadcast domain. It owns its addresses by longest prefix."""

    name: Name
    """Unique among hosts, segments and address objects."""
    prefixes: tuple[Member, ...] = ()
    """Prefixes of one or both families. None: an outside segment that owns what no other segment does."""
    outside: bool = False
    """Whether it lies beyond what the network's owner runs."""
    vlan: int | None = None
    """IEEE 802.1Q VLAN id, 1 to 4094, or none."""
    gateways: tuple[Member, ...] = ()
    """The devices its traffic leaves by, in order. None named: every device with an interface on it."""
    description: Words = ""
    """What is on it."""
    accepted: tuple[Accepted, ...] = ()
    """Findings about it that are accepted."""


@record
class Host:
    """A named machine in a segment."""

    name: Name
    """Unique among hosts, segments and address objects."""
    segment: Name
    """The segment it is in."""
    addresses: tuple[Member, ...]
    """Its addresses, one or more, of one or both families."""
    held: Held = "fixed"
    """How it holds them: fixed, reserved for it, or leased for a while."""
    traits: tuple[Member, ...] = ()
    """What it is, each as kind and value, such as `pier east`; trait groups choose by them."""
    user: Name = ""
    """The remote user this tunnel address belongs to, if it is one."""
    description: Words = ""
    """What it does."""
    accepted: tuple[Accepted, ...] = ()
    """Findings about it that are accepted."""


@record
class Interface:
    """Where a device meets a segment."""

    name: Name
    """Unique on its device."""
    segment: Name | None = None
    """The segment it is on; none for a loopback, and for a parent that only carries sub-interfaces."""
    zone: Name | None = None
    """The zone it belongs to, if any."""
    kind: InterfaceKind = "physical"
    """Physical, IEEE 802.1Q VLAN sub-interface, tunnel or loopback."""
    parent: Name | None = None
    """Of a VLAN sub-interface: the interface that carries it."""
    vlan: int | None = None
    """Of a VLAN sub-interface: its VLAN id, 1 to 4094."""
    addresses: tuple[Member, ...] = ()
    """The device's own addresses here."""
    management_only: bool = False
    """Whether it neither takes in nor sends out what passes: only what is for the device, or from it."""
    description: Words = ""
    """What it leads to."""


@record
class Route:
    """Where a device sends what is for a prefix. The longest prefix wins, then the lowest metric; equal ones
    are used alike."""

    prefix: Name
    """The destinations, in CIDR notation."""
    via: Name | None = None
    """The address of the next device; none: the destinations are on the interface's own segment."""
    interface: Name | None = None
    """The interface it leaves by; none: the one on whose segment `via` is."""
    metric: int = 0
    """Preference among routes of one prefix; the lowest wins."""
    discard: bool = False
    """Whether what it leads is dropped here, silently; then it names neither a next device nor an interface."""


@record
class DestinationTranslation:
    """One entry of a device's list that changes where packets go. The first that matches decides."""

    name: Name
    """Unique in its list."""
    entering: tuple[Member, ...] = ("any",)
    """Only what enters by these zones or interfaces; `any` is all."""
    source: tuple[Member, ...] = ("any",)
    """Address names and literals, one or more, as packets have them when they come."""
    destination: tuple[Member, ...]
    """Address names and literals, one or more: what is asked for."""
    service: tuple[Member, ...] = ("any",)
    """Service names and services in words, one or more."""
    to: tuple[Member, ...]
    """What it becomes: one address, several of which it may be any, a prefix as long as the one matched (one to one), or `none`: left
    as it is. A family of which there is none here is passed over."""
    port: Name | None = None
    """The port it becomes, or a range as long as the one range matched; none: as it was."""
    negate: tuple[Field, ...] = ()
    """Fields that match everything but their members."""
    log: bool = False
    """Whether what it decides is logged."""
    enabled: bool = True
    """Disabled entries are passed over."""
    description: Words = ""
    """What it is for and why."""


@record
class SourceTranslation:
    """One entry of a device's list that changes where packets come from, as they leave. The first that matches decides."""

    name: Name
    """Unique in its list."""
    leaving: tuple[Member, ...] = ("any",)
    """Only what leaves by these zones or interfaces; `any` is all."""
    source: tuple[Member, ...]
    """The same, one or more."""
    destination: tuple[Member, ...] = ("any",)
    """Address names and literals, one or more, as they are after destination translation."""
    service: tuple[Member, ...] = ("any",)
    """Service names and services in words, one or more."""
    to: tuple[Member, ...]
    """What it becomes, as for destinations; `interface`: the addresses of the interface it leaves by."""
    ports: Literal["rewrite", "keep"] | None = None
    """Whether the source port becomes any of 1024-65535; none: kept where one address becomes one, else rewritten."""
    negate: tuple[Field, ...] = ()
    """Fields that match everything but their members."""
    log: bool = False
    """Whether what it decides is logged."""
    enabled: bool = True
    """Disabled entries are passed over."""
    description: Words = ""
    """What it is for and why."""


@record
class Steering:
    """One entry of a device's list that chooses a way before its routes do. The first that matches decides."""

    name: Name
    """Unique in its list."""
    entering: tuple[Member, ...] = ("any",)
    """Only what enters by these zones or interfaces; `any` is all."""
    source: tuple[Member, ...] = ("any",)
    """The same, one or more."""
    destination: tuple[Member, ...] = ("any",)
    """Address names and literals, one or more, as they are after destination translation."""
    service: tuple[Member, ...] = ("any",)
    """Service names and services in words, one or more."""
    leave: Name | None = None
    """The interface it leaves by."""
    via: Name | None = None
    """The address of the next device."""
    when_down: Literal["drop", "route"] | None = None
    """What happens while that way is down: dropped, or left to later entries and routes. Not told: nobody knows."""
    negate: tuple[Field, ...] = ()
    """Fields that match everything but their members."""
    schedule: Name | None = None
    """When it is active; none: always."""
    log: bool = False
    """Whether what it decides is logged."""
    enabled: bool = True
    """Disabled entries are passed over."""
    description: Words = ""
    """What it is for and why."""


@record
class Sees:
    """Which form of a packet each stage of a device compares: as it entered the device, as it is routed (its destination translated), or
    as it left (its source translated too)."""

    inbound: Literal["entered", "routed"] = "entered"
    """Policies inbound."""
    passage: Literal["entered", "routed"] = "routed"
    """Policies in passage."""
    outbound: Literal["entered", "routed", "left"] = "routed"
    """Policies outbound."""


Translation = DestinationTranslation | SourceTranslation
Entry = DestinationTranslation | SourceTranslation | Steering
"""Of the lists that a device has beside its policies."""
Side = Literal["entering", "leaving"]
LISTS = "translate_destination", "translate_source", "steering"
"""The fields of a device that hold them."""


@record
class ZoneDefault:
    """What a device does with transit traffic on which no policy has spoken."""

    mode: Literal["closed", "open", "by depth"] = "closed"
    """Closed drops, open allows, by depth compares the depths of the two zones."""
    outward: Literal["open", "closed"] = "open"
    """By depth: towards a lower depth."""
    inward: Literal["open", "closed"] = "closed"
    """By depth: towards a higher depth."""
    level: Literal["open", "closed"] = "closed"
    """By depth: between different zones of one depth."""
    within: Literal["open", "closed"] = "open"
    """By depth: inside one zone."""


@record
class Attachment:
    """One entry of a device's ordered list of policies: which is consulted, at which stage, for what."""

    policy: Name
    """The policy consulted."""
    stage: Stage = "passage"
    """Where in the device's order of checks."""
    entering: tuple[Member, ...] = ("any",)
    """Only traffic that enters by these zones or interfaces; `any` is all."""
    leaving: tuple[Member, ...] = ("any",)
    """Only traffic that leaves by these zones or interfaces; `any` is all."""


@record
class HostAttachment:
    """A policy consulted at hosts themselves, so it filters inside a segment as well."""

    policy: Name
    """The policy consulted."""
    direction: Literal["inbound", "outbound"]
    """For what arrives at the hosts, or for what they send."""
    hosts: tuple[Member, ...]
    """Hosts, segments and address objects; it is consulted at every known host whose address is in them."""


@record
class Device:
    """Something that forwards and filters."""

    name: Name
    """Unique among devices."""
    filtering: Literal["stateful", "stateless"] = "stateful"
    """Stateful devices know conversations; stateless ones judge every packet by itself."""
    replies: Literal["by conversation", "by rule"] = "by conversation"
    """What a stateful device does with the replies of what it allowed: lets them pass, or has rules judge them as established."""
    zone_default: ZoneDefault = ZoneDefault()
    """What happens in passage when no policy decides."""
    interfaces: tuple[Interface, ...] = ()
    """Where it meets segments."""
    routes: tuple[Route, ...] = ()
    """Where it sends what is not on its own segments."""
    management: tuple[Member, ...] = ()
    """The services by which the device itself is managed: service names and services in words."""
    tunnels: tuple[Member, ...] = ()
    """The services at which its tunnels end."""
    cluster: Name = ""
    """What it shares its conversations with: all devices that name the same cluster."""
    out_of_state: Literal["drop", "by rule"] = "drop"
    """What a stateful device does with packets of TCP, SCTP, DCCP and ICMP echoes of which it saw no beginning: drops them, or
    has rules judge them as invalid."""
    answers_leave: Literal["by route", "where asked"] = "by route"
    """By which way answers leave: like all packets, or by the interface at which the question came in."""
    sees: Sees = Sees()
    """What its stages compare where a translation changes packets."""
    translate_destination: tuple[DestinationTranslation, ...] = ()
    """What it makes of where packets go, in order; of stateful devices only."""
    translate_source: tuple[SourceTranslation, ...] = ()
    """What it makes of where packets come from, in order; of stateful devices only."""
    steering: tuple[Steering, ...] = ()
    """Which ways it takes before its routes are asked, in order."""
    policies: tuple[Attachment, ...] = ()
    """Its policies in the order in which they are consulted."""
    description: Words = ""
    """What it is for."""
    accepted: tuple[Accepted, ...] = ()
    """Findings about it that are accepted."""

    @property
    def entries(self) -> tuple[Entry, ...]:
        """All of its translations and its steering."""
        return (*self.translate_destination, *self.translate_source, *self.steering)


@record
class Note:
    """What is known about one member of a name."""

    member: Member
    """The member, as it is written in the list."""
    text: Words = ""
    """Why it is in the list."""
    owner: Name = ""
    """Who answers for it."""
    until: Name = ""
    """The last date on which it should be there (ISO 8601), or nothing. It does not change what matches."""


@record
class AddressObject:
    """A named set of addresses: prefixes, ranges, other names, hosts chosen by their traits, or any."""

    name: Name
    """Unique among hosts, segments and address objects."""
    members: tuple[Member, ...] = ()
    """Addresses, prefixes, ranges, masks, and names of hosts, segments and address objects. May be empty."""
    traits: tuple[Member, ...] = ()
    """A trait group: all hosts that have every one of these traits, whatever is added later."""
    notes: tuple[Note, ...] = ()
    """What is known about members."""
    description: Words = ""
    """Why it exists."""
    accepted: tuple[Accepted, ...] = ()
    """Findings about it that are accepted."""


@record
class ServiceObject:
    """A named set of services, all transports of one application together."""

    name: Name
    """Unique among services."""
    members: tuple[Member, ...]
    """Services in words, such as tcp/443, and names of service objects. May be empty."""
    notes: tuple[Note, ...] = ()
    """What is known about members."""
    description: Words = ""
    """Why it exists."""
    accepted: tuple[Accepted, ...] = ()
    """Findings about it that are accepted."""


@record
class Schedule:
    """When something is active, in the network's time zone."""

    name: Name
    """Unique among schedules."""
    windows: tuple[Member, ...]
    """Weekly windows, such as `mon-fri 05:30-07:00`, `sat,sun`, `daily 22:00-02:00` or `fri 20:00-mon 06:00`, one or more. They
    are half-open; one that ends before it begins runs into the next day."""
    except_: tuple[Member, ...] = ()
    """Weekly windows and dates, such as `2027-04-02` or `2026-12-24 to 2026-12-26`, at which it is not active after all."""
    first: Name = ""
    """The first date (ISO 8601) of which any moment counts, or nothing."""
    last: Name = ""
    """The last such date, or nothing."""
    description: Words = ""
    """What happens then."""
    accepted: tuple[Accepted, ...] = ()
    """Findings about it that are accepted."""


@record
class Rule:
    """One match and one outcome."""

    name: Name
    """Unique in its policy; `default` is reserved."""
    action: Action
    """Allow, drop (silently) or reject (with an answer)."""
    source: tuple[Member, ...]
    """Names of hosts, segments, address objects, devices (all their own addresses) and users, and literals, one or more; `any` is written out."""
    destination: tuple[Member, ...]
    """The same, one or more."""
    service: tuple[Member, ...]
    """Service names and services in words, one or more."""
    negate: tuple[Field, ...] = ()
    """Fields that match everything but their members."""
    states: tuple[State, ...] = ()
    """Connection states it matches; none named: every state."""
    schedule: Name | None = None
    """When it is active; none: always. At other moments it is passed over."""
    until: Name = ""
    """The last date (ISO 8601) on which it is active, or nothing: afterwards it is passed over."""
    owner: Name = ""
    """Who answers for it."""
    reject_with: RejectKind | None = None
    """The answer of a reject; only with action reject."""
    log: bool = False
    """Whether what it decides is logged."""
    enabled: bool = True
    """Disabled rules are passed over."""
    kept: bool = False
    """Kept on purpose although it could go: tidying leaves it alone."""
    description: Words = ""
    """What it is for and why."""
    accepted: tuple[Accepted, ...] = ()
    """Findings about it that are accepted."""

    def members(self, field: Field) -> tuple[str, ...]:
        """The members of one field."""
        return {"source": self.source, "destination": self.destination, "service": self.service}[field]

    @property
    def outcome(self) -> tuple[str, str | None]:
        """The action with its kind of rejection; rules with equal outcomes are interchangeable but for logs."""
        return (self.action, self.reject_with or "prohibited" if self.action == "reject" else None)


@record
class Section:
    """A named run of rules: it begins at a rule and ends where the next section begins. It matches nothing."""

    name: Name
    """Unique in its policy."""
    before: Name | None = None
    """The rule it begins at; none: it stands at the end of the list and is empty."""
    description: Words = ""
    """What its rules have in common."""


@record
class Policy:
    """An ordered list of rules, the first that matches decides, and a default for the rest."""

    name: Name
    """Unique among policies."""
    default: Default
    """What happens to packets no rule matches; `continue` leaves them to the next policy. Never implied."""
    families: Literal["both", "4", "6"] = "both"
    """The address families it speaks of; it is passed over by the other."""
    rules: tuple[Rule, ...] = ()
    """In order."""
    sections: tuple[Section, ...] = ()
    """Named runs of rules, in the order in which they begin."""
    description: Words = ""
    """What it is for."""
    accepted: tuple[Accepted, ...] = ()
    """Findings about it that are accepted."""

    def __hash__(self) -> int:
        """Of a few parts only: what is looked up by long lists finds them by these, and by identity of most rules."""
        return hash((self.name, self.default, len(self.rules), self.rules[:2], self.rules[-2:]))


@record
class Expectation:
    """A statement about the whole network that must hold."""

    name: Name
    """Unique among expectations."""
    source: tuple[Member, ...]
    """Hosts, segments, address objects, devices (the device itself), zones, users and literals, one or more; of one name the first of these."""
    destination: tuple[Member, ...]
    """The same."""
    service: tuple[Member, ...]
    """Service names and services in words, one or more; everything is written any."""
    must: Literal["allowed", "blocked"]
    """Allowed: every conversation between them works, by every way. Blocked: none works, by any way."""
    at: Name | None = None
    """When it must hold: a schedule, a moment (ISO 8601) or a weekday and time, such as `sat 03:00`, which is that of every week; none: always."""
    owner: Name = ""
    """Who answers for it."""
    until: Name = ""
    """The last date (ISO 8601) on which it must hold, or nothing."""
    description: Words = ""
    """Why it must hold."""


@record
class Network:
    """One whole model."""

    name: Name
    """What it is called."""
    description: Words = ""
    """What it is."""
    time_zone: Name = "UTC"
    """The time zone in which schedules are meant, by its name in the IANA database."""
    zones: tuple[Zone, ...] = ()
    """Zones with their depth."""
    segments: tuple[Segment, ...] = ()
    """Segments, inside and outside."""
    hosts: tuple[Host, ...] = ()
    """Named machines."""
    devices: tuple[Device, ...] = ()
    """What forwards and filters."""
    addresses: tuple[AddressObject, ...] = ()
    """Named sets of addresses."""
    services: tuple[ServiceObject, ...] = ()
    """Named sets of services."""
    schedules: tuple[Schedule, ...] = ()
    """When rules are active."""
    policies: tuple[Policy, ...] = ()
    """Ordered lists of rules."""
    at_hosts: tuple[HostAttachment, ...] = ()
    """Policies consulted at hosts themselves, in order."""
    expectations: tuple[Expectation, ...] = ()
    """What must hold, in the order in which it is told."""

    def address_things(self) -> tuple[Host | Segment | AddressObject, ...]:
        """Everything in the one name space of hosts, segments and address objects."""
        return (*self.hosts, *self.segments, *self.addresses)

    def policy(self, name: str) -> Policy:
        """The policy of this name, in any case. Raises `KeyError`."""
        return named(self.policies, name)


N = TypeVar("N", bound=Any)


def side_of(entry: Entry) -> Side:
    """The field of an entry that tells at which interfaces it is consulted."""
    return "leaving" if isinstance(entry, SourceTranslation) else "entering"


def scope_of(entry: Entry) -> tuple[Member, ...]:
    """Zones and interfaces at which an entry is consulted."""
    return getattr(entry, side_of(entry))  # type: ignore[no-any-return]


def fold(name: str) -> str:
    """Names are compared without regard to case."""
    return name.casefold()


def named(things: tuple[N, ...], name: str) -> N:
    """The one thing of this name. Raises `KeyError`."""
    for thing in things:
        if fold(thing.name) == fold(name):
            return thing
    raise KeyError(name)
