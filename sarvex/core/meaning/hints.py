"""What may not be meant in a rule while it is being written. Nothing here is an error; each is said once."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

from sarvex.core.meaning.names import Names
from sarvex.core.meaning.packet_sets import FIRST, PROTOCOL, SECOND
from sarvex.core.meaning.similar_names import twin
from sarvex.core.model.records import Field, Rule, Segment, fold
from sarvex.core.model.well_known_services import catalogue
from sarvex.core.sets import addresses, boxes, intervals, services
from sarvex.core.sets.addresses import FAMILIES, AddressSet
from sarvex.core.sets.cache import Bounded
from sarvex.core.sets.services import ServiceSet, has_ports

ENDS: tuple[tuple[Field, Field], ...] = (("source", "destination"), ("destination", "source"))
SERVER_PORTS = 1023  # RFC 6335: system ports, where servers listen and clients do not
FEW = 3
MOST_SERVICES = 5000
MOST_MEMBERS = 50_000
NARROW_ENOUGH = Fraction(1, 16)


def hints(rule: Rule, names: Names) -> list[str]:
    """What may not be meant in a rule that has no problems: addresses of no known segment, all but one family, a server's port as
    the source, another transport of the same application left out, a block that the same ends get around over the other family, an allowing
    field that is wider than what exists.

    A hint never keeps a rule from being saved. Raises what `Names` raises. O(members of the rule).
    """
    return [
        *_strangers(rule, names),
        *_other_family(rule, names),
        *_server_as_source(rule, names),
        *_lacking(rule, names),
        *_forgotten_family(rule, names),
        *_wider_than_exists(rule, names),
    ]


def _strangers(rule: Rule, names: Names) -> Iterator[str]:
    """Raw addresses that none of the listed segments owns: a typing error, or something not described yet."""
    segments = names.network.segments
    known = names.keep(
        "known segments",
        lambda: addresses.union(names.owned_by_segment[fold(s.name)] for s in segments if s.prefixes),
    )
    if not known:
        return
    rest = next((s for s in segments if not s.prefixes), None)
    for field, _ in ENDS:
        for member in rule.members(field):
            if fold(member) in names.address_things or fold(member) == "any":
                continue
            if not addresses.intersection(names.address(member), known):
                yield f"{member} is of none of the known segments{_taken_as(rest)}."


def _taken_as(rest: Segment | None) -> str:
    return f"; as things are it counts as {rest.name}" if rest else ""


def _other_family(rule: Rule, names: Names) -> Iterator[str]:
    """`All but` addresses of one family are all of the other."""
    for field, other in ENDS:
        if field not in rule.negate:
            continue
        spread = addresses.union(names.address(m) for m in rule.members(field))
        missing = [f for f in FAMILIES if not spread[f]]
        opposite = addresses.union(names.address(m) for m in rule.members(other))
        for family in missing:
            if spread and (other in rule.negate or opposite[family]):
                yield f"All but these as {field} is every IPv{family} address."


def _server_as_source(rule: Rule, names: Names) -> Iterator[str]:
    """A server's port as the port packets come from: replies and requests confused, unless replies are meant."""
    if (rule.states and "new" not in rule.states) or "service" in rule.negate:
        return
    spread = services.union(names.service(m) for m in rule.service)
    axes = [axis - PROTOCOL for axis in (PROTOCOL, FIRST, SECOND)]
    for family in FAMILIES:
        for box in spread[family].tolist():
            protocol, first, second = (box[axis] for axis in axes)
            one = protocol[0] == protocol[1] and has_ports(protocol[0])
            if one and first[1] <= SERVER_PORTS and second == [0, services.TOP]:
                yield "It names a server's port as the source: that is how replies look, not new conversations."
                return


def _lacking(rule: Rule, names: Names) -> list[str]:
    """Another transport or port of the same application, by the catalogue, that the rule leaves out."""
    if "service" in rule.negate:
        return []
    # Asked with every move of a hand, mostly of the same services.
    kept: Bounded[tuple[str, ...], list[str]] = names.keep("lacking", lambda: Bounded(MOST_SERVICES))
    return kept.get(rule.service, lambda: list(_left_out(rule.service, names)))


def _left_out(members: tuple[str, ...], names: Names) -> Iterator[str]:
    spread = services.union(names.service(m) for m in members)
    found = []
    for known in catalogue():
        if len(known.members) < 2:
            continue
        parts = [(m, services.parse(m)) for m in known.members]
        named = [m for m, part in parts if _covers(spread, part)]
        if named and len(named) < len(parts):
            left = [m for m, part in parts if m not in named]
            found.append(f"{known.name} also runs over {', '.join(left)}, which this does not name.")
    yield from found[:FEW]


def _covers(a: ServiceSet, b: ServiceSet) -> bool:
    return all(boxes.covers(a[f], b[f]) for f in FAMILIES)


def _forgotten_family(rule: Rule, names: Names) -> Iterator[str]:
    """A block over one family whose ends, by their names, speak the other as well."""
    if rule.action == "allow" or rule.negate or any("any" in map(fold, rule.members(f)) for f, _ in ENDS):
        return
    for family in FAMILIES:
        other = 10 - family
        own = [addresses.union(names.address(m) for m in rule.members(field)) for field, _ in ENDS]
        if not all(one[family] for one in own) or all(one[other] for one in own):
            continue
        twins = [
            one
            if one[other]
            else addresses.union(twin(names.address(m), names, family, other) for m in rule.members(field))
            for one, (field, _) in zip(own, ENDS, strict=True)
        ]
        if all(one[other] for one in twins):
            yield f"It stops IPv{family} alone; the same ends speak IPv{other} too, and this says nothing of that."


def _wider_than_exists(rule: Rule, names: Names) -> Iterator[str]:
    """An allowing field that names far more than there is: what joins later is let in without a decision."""
    if rule.action != "allow":
        return
    for field, _ in ENDS:
        if too_wide(rule, field, names):
            spread = addresses.union(names.address(m) for m in rule.members(field))
            there = [
                s.name
                for s in names.network.segments
                if not s.outside and addresses.intersection(names.owned_by_segment[fold(s.name)], spread)
            ]
            few = ", ".join(there[:FEW]) + (f" and {len(there) - FEW} more" if len(there) > FEW else "")
            yield f"Its {field} is wider than what exists, which is {few or 'nothing'} there: what joins later is let in, too."


def too_wide(rule: Rule, field: Field, names: Names) -> list[int]:
    """The families in which a field names far more than exists: of its addresses known segments and hosts are less than `NARROW_ENOUGH`.

    None for a negated field, for `any`, and where an outside segment is named, which say openly what they are.
    """
    members = rule.members(field)
    outside: set[str] = names.keep(
        "outside", lambda: {fold(s.name) for s in names.network.segments if s.outside}
    )
    if field in rule.negate or any(fold(m) in outside for m in members):
        return []
    told: Bounded[tuple[str, ...], list[int]] = names.keep("wide members", lambda: Bounded(MOST_MEMBERS))
    return told.get(members, lambda: _wide(members, names))


def _wide(members: tuple[str, ...], names: Names) -> list[int]:
    known: AddressSet = names.keep("what exists", lambda: _existing(names))
    if not known:  # nothing is described yet
        return []
    spread = addresses.union(names.address(m) for m in members)
    return [f for f in FAMILIES if spread != addresses.ANY and _covered(spread, known, f) < NARROW_ENOUGH]


def _existing(names: Names) -> AddressSet:
    """The addresses of segments that are not outside, of devices and of hosts."""
    network = names.network
    inside = [names.owned_by_segment[fold(s.name)] for s in network.segments if not s.outside]
    own = [addresses.parse(a) for d in network.devices for i in d.interfaces for a in i.addresses]
    return addresses.union([*inside, *own, names.known().hosts])


def _covered(spread: AddressSet, known: AddressSet, family: int) -> Fraction:
    whole = intervals.size(spread[family])
    if not whole:
        return Fraction(1)
    return Fraction(intervals.size(intervals.intersection(spread[family], known[family])), whole)
