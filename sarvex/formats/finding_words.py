"""Findings in sentences: all that the product says about rules and networks by itself stands here."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from sarvex.core.findings.finding import Finding, Kind
from sarvex.core.findings.tidy import Step

FEW = 3


def text(f: Finding) -> str:
    """What a finding says."""
    return SENTENCES[f.kind](f)


def step_text(s: Step) -> str:
    """Why a rule can go."""
    by, more = _names(s.by, s.count), s.count != 1
    if s.why == "matches nothing":
        return "It matches no packet."
    if s.why == "decided earlier":
        return f"It decides nothing: {by} {_take(more)} all of it."
    if s.why == "same later":
        return f"{by} would do the same."
    return f"{s.by[0]} does the same and differs in its {s.field} only; it takes over {', '.join(s.members[:FEW])}."


def _names(names: Sequence[str], count: int) -> str:
    return ", ".join(names[:FEW]) + (f" and {count - FEW:,} more" if count > FEW else "")


def _rules(f: Finding) -> str:
    return _names([_rule(*place) for place in f.others], f.count)


def _rule(position: int | None, name: str) -> str:
    return "the default" if position is None else f"{position} {name}"


def _take(many: bool) -> str:
    return "take" if many else "takes"


def _only(f: Finding) -> str:
    return f", only {f.when}" if f.when else ""


def _empty(f: Finding) -> str:
    schedule, fields = f.fact("schedule"), f.fact("fields")
    if schedule:
        return f"It matches no packet: its schedule {schedule} leaves no moment."
    if not fields:
        return "It matches no packet: its fields share no address family."
    return (
        f"It matches no packet: its {' and '.join(fields)} {'holds' if len(fields) == 1 else 'hold'} nothing."
    )


UNSETTLED: Mapping[str, str] = {
    "decides": "Whether it decides anything",
    "takers": "Which rules take from it",
    "removable": "Whether it could be removed",
    "led": "Whether somebody is let through to where {entry} leads",
}


def _redundant(f: Finding) -> str:
    if f.fact("earlier"):
        lost = " Its log never happens." if f.fact("log_lost") else ""
        return f"It decides nothing: {_rules(f)} already {'do' if f.count != 1 else 'does'} the same.{lost}"
    return f"Removing it changes nothing: {_rules(f)} would do the same."


def _idle(f: Finding) -> str:
    many = len(f.members) > 1
    return (
        f"In its {f.field} {_plain(f.members)} {'add' if many else 'adds'} nothing: earlier rules"
        f" or its other members decide all of {'them' if many else 'it'}."
    )


def _plain(names: Sequence[str]) -> str:
    """A few names, the rest counted without thousands marks."""
    return ", ".join(names[:FEW]) + (f" and {len(names) - FEW} more" if len(names) > FEW else "")


def _newcomer(f: Finding) -> str:
    """Who reaches a newcomer, and whom it reaches."""
    comes = f"be reached from {_plain(f.fact('by'))}" if f.fact("by") else ""
    goes = f"reach {_plain(f.fact('to'))}" if f.fact("to") else ""
    return " and ".join(filter(None, (comes, goes)))


def _astray(f: Finding) -> str:
    whose = f"{f.fact('interface')} of {f.fact('device')}" if f.fact("device") else f.name
    return f"{whose}: {f.fact('address')} is no address of {f.fact('segment')}."


def _dead(f: Finding) -> str:
    verb = _take(len(f.by) != 1)
    return f"Its policy is consulted {f.fact('where')}, after others: {_plain(f.by)} {verb} all that it would decide."


def _forgotten(f: Finding) -> str:
    return (
        f"It blocks over IPv{f.fact('family')} only; over IPv{f.fact('other')} the same names get through, such as"
        f" {f.fact('sample')}."
    )


def _wide(f: Finding) -> str:
    which = " and ".join(f"IPv{family}" for family in f.fact("families"))
    return f"Its {f.fact('side')} is wider than what exists: known segments and hosts fill less than 1/16 of it over {which}."


MOST_NAMED = 4


def _some(names: tuple[str, ...]) -> tuple[str, ...]:
    """The first of many names, and how many more there are."""
    more = len(names) - MOST_NAMED
    return names if more < 2 else (*names[:MOST_NAMED], f"{more} more")


WORDS_OF = {
    "policies": "their policies",
    "zone_default": "their default between zones",
    "filtering": "whether they keep state",
    "replies": "what they do with replies",
    "out_of_state": "what they do with what is out of state",
}
SENTENCES: Mapping[Kind, Callable[[Finding], str]] = {
    "undescribed": lambda _: "No description says what it is for.",
    "empty": _empty,
    "expired": lambda f: (
        f"It will never be active again: {f.fact('schedule')} was last so on {f.fact('last')}."
        if f.fact("schedule")
        else f"It will never be active again: it was there for a while, until {f.fact('last')}."
    ),
    "negated empty": lambda f: f"Its {f.fact('side')} is everything but nothing, so it matches everything.",
    "undecided": lambda f: (
        f"{UNSETTLED[f.fact('what')].format(entry=f.fact('entry'))} was not settled within the work limit."
    ),
    "partly shadowed": lambda f: f"It decides a part: {_rules(f)} {_take(f.count != 1)} the rest{_only(f)}.",
    "shadowed": lambda f: f"It decides nothing: {_rules(f)} {_take(f.count != 1)} all of it.",
    "redundant": _redundant,
    "redundant but logs": lambda f: f"Without it {_rules(f)} would do the same, but its log would be lost.",
    "order-sensitive pair": lambda f: (
        f"Its order to {_rules(f)} matters{_only(f)}: they overlap and do different things."
    ),
    "idle member": _idle,
    "overlapping segments": lambda f: (
        f"{f.name} and {f.fact('other')} both list {', '.join(f.fact('shared'))}; the longer prefix owns it."
    ),
    "address astray": _astray,
    "unattached": lambda _: "It is attached nowhere, so it does nothing.",
    "unreachable policy": lambda f: (
        f"At {f.fact('device')} nothing reaches it: the default of {', '.join(f.by)} ends the stage first."
    ),
    "dead where attached": _dead,
    "out of place": lambda f: str(f.fact("elsewhere")),
    "forgotten family": _forgotten,
    "too wide": _wide,
    "duplicate": lambda f: f"{f.name} stands for the same as {', '.join(f.fact('twins'))}.",
    "unused": lambda f: f"Nothing refers to {f.name}.",
    "no way out": lambda f: (
        f"Over IPv{f.fact('family')} it has no route outside for {_plain(f.fact('segments'))}; over IPv{f.fact('other')} they get there."
    ),
    "one way out": lambda f: (
        f"Connections from {_plain(f.fact('sources'))} to {_plain(f.fact('destinations'))} come to nothing, whatever is"
        f" allowed: {f.fact('why')}. For example {f.fact('sample')}."
    ),
    "cluster members differ": lambda f: (
        f"{f.name} and {f.fact('other')} are one cluster, {f.fact('cluster')}, and differ in {_plain([WORDS_OF[field] for field in f.fact('differing')])}."
    ),
    "never consulted for answers": lambda f: (
        f"It is about answers, and {_plain(f.by)} {'lets' if len(f.by) == 1 else 'let'} the answers of what was allowed pass without asking."
    ),
    "exposed management": lambda f: (
        f"Its management is reached from {_plain(f.fact('zones'))}; for example {f.fact('sample')}."
    ),
    "lock-out": lambda f: (
        f"The draft would cut {f.fact('place')} off from its management; lost is {f.fact('sample')}."
    ),
    "idle entry": lambda f: (
        f"{f.fact('entry')} in {f.fact('list')} decides nothing: {_plain(f.fact('by'))} before it {'takes' if len(f.fact('by')) == 1 else 'take'} all of it."
    ),
    "admits nobody": lambda f: (
        f"{f.fact('entry')} leads nobody anywhere: what it translates is {f.fact('why')}; for example {f.fact('sample')}."
    ),
    "hidden from its rule": lambda f: (
        f"It is never asked about its destinations: {f.fact('by')} at {f.fact('at')} has made {_plain(f.fact('becomes'))} of them before; name that."
    ),
    "turn without source translation": lambda f: (
        f"{f.fact('entry')} leads some who ask back to their own segment, and the answer comes from another address than they asked; translate their source as well. For example {f.fact('sample')}."
    ),
    "published from outside only": lambda f: (
        f"Asked from {_plain(_some(f.fact('segments')))}, {f.fact('entry')} says nothing, and the device itself is asked; for example {f.fact('sample')}."
    ),
    "half a pair": lambda f: (
        f"{f.fact('entry')} is one to one on the way {f.fact('direction')}, and nothing translates the other way."
    ),
    "open to newcomers": lambda f: (
        f"A new segment of {f.fact('zone')} there would {_newcomer(f)}, though no rule is written for it."
    ),
}
