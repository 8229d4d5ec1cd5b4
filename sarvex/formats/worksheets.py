"""What is to be typed into a device that speaks nothing open: its lists in order, each rule in words and taken apart into plain lines."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from sarvex.core.firstmatch.read_back import ReadBack, Wanted, wanted
from sarvex.core.meaning.names import Names
from sarvex.core.model.differences import moved
from sarvex.core.model.records import FIELDS, Attachment, Device, Network, Policy, Rule, fold
from sarvex.formats.read_back import Pasted

Change = Literal["new", "changed", "moved", ""]
HEAD = ("list", "rule", "name", "change", "action", "source", "destination", "service", "besides")
ENOUGH = 200


@dataclass(frozen=True)
class Plain:
    """One line as it is typed into a device without names."""

    source: str
    destination: str
    service: str


@dataclass(frozen=True)
class Entry:
    """One rule, or the default (position 0). besides: what its fields do not tell: states, a schedule, that it is logged."""

    position: int
    name: str
    action: str
    words: str
    besides: tuple[str, ...]
    change: Change
    lines: tuple[Plain, ...]


@dataclass(frozen=True)
class ListSheet:
    """One list of a device: where it is consulted, in order, and what is in it. gone: rules that are in force and no longer wanted."""

    policy: str
    places: tuple[str, ...]
    entries: tuple[Entry, ...]
    gone: tuple[str, ...]


def worksheet(
    device: Device, network: Network, names: Names, before: tuple[Network, Names] | None = None
) -> list[ListSheet]:
    """The lists of a device in the order in which it consults them, each once. before: what is in force, against which changes are told."""
    places: dict[str, list[str]] = {}
    for at in device.policies:
        places.setdefault(fold(at.policy), []).append(attached_at(at))
    there = {fold(p.name): p for p in network.policies}
    old = {fold(p.name): p for p in before[0].policies} if before else {}
    return [
        _list(there[key], names, tuple(words), (old.get(key), before[1]) if before else None)
        for key, words in places.items()
        if key in there
    ]


def attached_at(at: Attachment) -> str:
    """Where a list is consulted, in words."""
    entering, leaving = (", ".join(side) for side in (at.entering, at.leaving))
    return {
        "passage": f"passage, {entering} → {leaving}", "inbound": f"inbound at {entering}", "outbound": f"outbound at {leaving}",
        "to the device": f"to the device from {entering}", "from the device": f"from the device by {leaving}",
    }[at.stage]  # fmt: skip


def _list(
    policy: Policy, names: Names, places: tuple[str, ...], before: tuple[Policy | None, Names] | None
) -> ListSheet:
    should = wanted(policy, names)
    was = wanted(before[0], before[1]) if before and before[0] else []
    known = {fold(one.name): one for one in was}
    shifted = set(moved([fold(one.name) for one in was], [fold(one.name) for one in should]))
    old_rules = {fold(r.name): r for r in before[0].rules} if before and before[0] else {}

    def change(one: Wanted, rule: Rule | None) -> Change:
        old = known.get(fold(one.name))
        if before is None:
            return ""
        if old is None:
            return "new"
        if old.whole.told != one.whole.told or (
            rule and _besides(rule) != _besides(old_rules[fold(rule.name)])
        ):
            return "changed"
        return "moved" if fold(one.name) in shifted else ""

    entries = []
    for one in should:
        rule = policy.rules[one.position - 1] if one.position else None
        plain = tuple(
            Plain(*(line.told[f] for f in ("source", "destination", "service"))) for line in one.lines
        )
        words = rule_words(rule) if rule else f"everything else: {one.whole.action}"
        entries.append(
            Entry(
                one.position,
                one.name,
                one.whole.action,
                words,
                _besides(rule) if rule else (),
                change(one, rule),
                plain,
            )
        )
    there = {fold(one.name) for one in should}
    gone = [one.name for one in was if fold(one.name) not in there]
    return ListSheet(policy.name, places, tuple(entries), tuple(gone))


def rule_words(rule: Rule) -> str:
    """A rule as a sentence, by the names in it."""
    source, destination, service = (
        f"{'all but ' if f in rule.negate else ''}{', '.join(rule.members(f))}" for f in FIELDS
    )
    return f"{rule.action} {source} → {destination} : {service}"


def _besides(rule: Rule) -> tuple[str, ...]:
    return tuple(
        filter(None, (
            f"only {', '.join(rule.states)}" if rule.states else "", f"while {rule.schedule}" if rule.schedule else "",
            f"until {rule.until}" if rule.until else "",
            f"reject with {rule.reject_with}" if rule.reject_with else "", "logged" if rule.log else "",
        ))
    )  # fmt: skip


def as_text(device: str, lists: Sequence[ListSheet]) -> str:
    """The sheet to read and to print."""
    return "\n".join(_text(device, lists)) + "\n"


def _text(device: str, lists: Sequence[ListSheet]) -> Iterator[str]:
    yield f"worksheet of {device}"
    for one in lists:
        yield f"\n{one.policy}: {'; '.join(one.places)}"
        for entry in one.entries:
            mark = f"  [{entry.change}]" if entry.change else ""
            besides = f"  ({'; '.join(entry.besides)})" if entry.besides else ""
            yield f"\n[ ] {entry.position or '-'}  {entry.name}{mark}: {entry.words}{besides}"
            for line in entry.lines[:ENOUGH] if entry.position else ():
                yield f"      {entry.action}  {line.source}  →  {line.destination}  :  {line.service}"
            if len(entry.lines) > ENOUGH:
                yield f"      and {len(entry.lines) - ENOUGH} more, which the CSV form has"
        yield from (f"\n[ ] take out  {name}" for name in one.gone)


def as_csv(lists: Sequence[ListSheet]) -> str:
    """Every line of every list, one a row."""
    out = io.StringIO()
    write = csv.writer(out, lineterminator="\n").writerow
    write(HEAD)
    for one in lists:
        for entry in one.entries:
            for line in entry.lines:
                write((one.policy, entry.position or "", entry.name, entry.change, entry.action, line.source, line.destination, line.service, "; ".join(entry.besides)))  # fmt: skip
        for name in one.gone:
            write((one.policy, "", name, "take out", "", "", "", "", ""))
    return out.getvalue()


def not_compared(policy: Policy, names: Names, family: int | None) -> int:
    """How many lines the rules have of the family that was not read."""
    if family is None:
        return 0
    return sum(len(one.lines) for one in wanted(policy, names, 10 - family) if one.position)


def read_back_text(pasted: Pasted, should: Sequence[Wanted], told: ReadBack, left: int) -> str:
    """What was read back, line by line where something is the matter. left: lines that were `not_compared`."""
    return "\n".join(_read_back(pasted, should, told, left)) + "\n"


def _read_back(pasted: Pasted, should: Sequence[Wanted], told: ReadBack, left: int) -> Iterator[str]:
    entries = iter(told.entries)
    wrong = 0
    for read in pasted.reads:
        judged = next(entries) if read.line else None
        said = read.problem
        if judged and read.line and judged.kind == "wrong" and judged.should and judged.rule is not None:
            rule = should[judged.rule]
            said = f"{called(rule)}: " + "; ".join(
                f"{f} is {read.line.told[f]}, should be {judged.should.told[f]}" for f in judged.fields
            )
        elif judged and judged.kind == "elsewhere" and judged.rule is not None:
            said = f"belongs elsewhere: {called(should[judged.rule])}"
        elif judged and judged.kind == "strange":
            said = "should not be there"
        if said:
            wrong += 1
            yield f"line {read.number}: {said}"
    for i, line in told.missing:
        t = line.told
        yield f"missing: {called(should[i])}: {t['action']} {t['source']} → {t['destination']} : {t['service']}"
    yield from (f"note: {note}" for note in pasted.notes)
    if left:
        yield f"note: only IPv{pasted.family} is compared: the text has no other addresses, the rules have {left} lines of IPv{10 - (pasted.family or 0)}"
    if should and not should[-1].position and not told.default_there:
        yield f"note: no line says what happens to everything else; it should be {should[-1].whole.action}"
    if not wrong and not told.missing:
        yield f"as it should be{f', of IPv{pasted.family}' if left else ''}: {len(told.entries)} lines"


def called(rule: Wanted) -> str:
    return f"rule {rule.position} {rule.name}" if rule.position else "the default"
