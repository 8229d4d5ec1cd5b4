"""The commands. Results go to stdout, errors to stderr; exit codes as in `docs/command-line.md`."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable
from dataclasses import replace
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, NoReturn

import typer

from sarvex.cli import server

# What a command needs it takes in when it is run: the others start without.
if TYPE_CHECKING:
    from datetime import datetime

    from sarvex.core.findings.finding import Finding
    from sarvex.core.findings.of_rules import PolicyReport
    from sarvex.core.meaning.names import Names
    from sarvex.core.model.problems import Problem
    from sarvex.core.model.records import Network, Policy
    from sarvex.formats.answers import Reply

BAD_INPUT = 2
PLAINLY = 0.7
"""Seconds in which most small files are done with, and the compiler not yet taken in."""
app = typer.Typer(
    no_args_is_help=True, add_completion=False, help="Access policies, proven before they go live."
)
app.add_typer(server.database, name="db")
for command in (
    server.serve,
    server.demo,
    server.import_,
    server.settle,
    server.show,
    server.export,
    server.person,
    server.openapi,
):
    app.command(command.__name__.rstrip("_"))(command)


class Form(StrEnum):
    text = "text"
    json = "json"


class BenchForm(StrEnum):
    text = "text"
    json = "json"
    junit = "junit"


class SheetForm(StrEnum):
    text = "text"
    csv = "csv"


class FindingsForm(StrEnum):
    text = "text"
    json = "json"
    sarif = "sarif"


class TableForm(StrEnum):
    text = "text"
    json = "json"
    csv = "csv"


File = Annotated[
    str,
    typer.Argument(
        metavar="FILE",
        help="A Sarvex network document, YAML or JSON, or RFC 8519 access lists, JSON; - is stdin.",
    ),
]
Moment = Annotated[
    str | None,
    typer.Option(
        "--at", metavar="TIME", help="At this moment: ISO 8601, now, or a weekday and time (sat 03:00)."
    ),
]
PolicyName = Annotated[str | None, typer.Option("--policy", metavar="NAME", help="Only this policy.")]
Output = Annotated[Form, typer.Option("--format", help="How the result is written.")]
Unplugged = Annotated[
    list[str] | None,
    typer.Option(help="A device, or DEVICE.INTERFACE, that is unplugged. May be given again."),
]
TableOutput = Annotated[TableForm, typer.Option("--format", help="How the result is written.")]


@app.command()
def findings(
    file: File,
    policy: PolicyName = None,
    at: Moment = None,
    baseline: Annotated[
        str | None,
        typer.Option(
            metavar="FILE", help="An older version: only what that has nothing of is told and counts."
        ),
    ] = None,
    format_: Annotated[
        FindingsForm, typer.Option("--format", help="How the result is written.")
    ] = FindingsForm.text,
) -> None:
    """All findings, and for each rule what it decides. Exit code 1 if any is a warning or more that nobody accepts.

    Without --at they speak of all moments from today on. Things are the same as in the baseline by their names.

    Example: sarvex findings demo/merrow.yaml --policy sensor-side
    """
    from sarvex.core.findings.accepted import Owners, identity
    from sarvex.formats import reports

    network, names, told, others = _found(file, policy, at)
    known = None
    if baseline is not None:
        _, _, reported, besides = _found(baseline, policy, at, there=False)
        known = {identity(f) for f in reports.all_findings(reported, besides)}
    standing = reports.Standing(Owners(network), names.moments.since, known)
    found = reports.all_findings(told, others)
    if format_ is FindingsForm.text:
        print(reports.findings_text(told, others, standing), end="")
    else:
        out: object = (
            reports.findings_json(told, others, standing, names.moments)
            if format_ is FindingsForm.json
            else reports.findings_sarif(found, standing, "stdin" if file == "-" else file)
        )
        print(json.dumps(out, indent=1, ensure_ascii=False))
    if any(map(standing.counts, found)):
        raise typer.Exit(1)


def _found(
    file: str, policy: str | None, at: str | None, there: bool = True
) -> tuple[Network, Names, list[PolicyReport], list[Finding]]:
    """A network, its names, the reports of its policies or of one, and the other findings. there: whether that policy must be there."""
    from sarvex.core.findings import of_network
    from sarvex.core.findings import of_rules as core_findings
    from sarvex.core.meaning.names import Names, moments_of
    from sarvex.core.model.records import fold

    network, lists = _read_either(file)
    if policy is None:
        chosen = network.policies
    elif there:
        chosen = (_policy(network, policy),)
    else:
        chosen = tuple(p for p in network.policies if fold(p.name) == fold(policy))
    names = Names(network, moments_of(network, only=_moment(network, at)))
    told = [core_findings.report(p, names) for p in chosen]
    others = of_network.network_findings(network, names)
    if policy is not None:
        others = [f for f in others if fold(f.policy or "") == fold(policy)]
    if lists:
        told = [replace(r, findings=_but(r.findings)) for r in told]
        others = list(_but(others))
    return network, names, told, others


@app.command()
def decide(
    file: File,
    flows: Annotated[str, typer.Option(metavar="FLOWS.csv", help="Flows as CSV; - is stdin.")],
    policy: PolicyName = None,
    at: Moment = None,
    out: Annotated[
        Path | None, typer.Option(metavar="OUT.csv", help="Where the result goes; stdout if left out.")
    ] = None,
) -> None:
    """Verdict and deciding rule of each flow: through the whole network, or in one policy.

    In a file without devices a policy is decided in. A flow that tells no moment is meant at --at; without it, it is an error if a
    schedule could change the answer.

    Example: sarvex decide demo/merrow.yaml --flows flows.csv
    """
    from sarvex.core.firstmatch.rule_list import FirstMatch
    from sarvex.core.meaning.names import Names, moments_of
    from sarvex.formats import flow_table

    network = _read(file)
    chosen = None if network.devices and policy is None else _only_policy(network, policy)
    text = _text(flows)
    try:
        moment = _moment(network, at)
        if chosen is None:
            table = flow_table.decide_through(text, network, Names(network), moment)
        else:
            table = flow_table.decide(
                text,
                FirstMatch.of(chosen, Names(network)),
                lambda since: FirstMatch.of(chosen, Names(network, moments_of(network, since))),
                moment,
            )
    except flow_table.InvalidFlows as error:
        _fail(f"{flows}: {error}")
    if out:
        out.write_text(table.text(), newline="")
    else:
        sys.stdout.write(table.text())
    if table.errors:
        _fail("some rows are no flows; they came out with verdict error and the reason")


@app.command()
def effect(
    old: Annotated[
        str, typer.Argument(metavar="OLD", help="The version before: a document or lists; - is stdin.")
    ],
    new: Annotated[str, typer.Argument(metavar="NEW", help="The version after.")],
    policy: PolicyName = None,
    limit: Annotated[
        int | None,
        typer.Option("--limit", metavar="N", min=0, help="Tell so many changes; the rest as boxes."),
    ] = None,
    format_: Output = Form.text,
) -> None:
    """The exact effect of a change, policy by policy. Exit code 0 only if it is proven that nothing changes.

    Example: sarvex effect old.yaml new.yaml --policy ramp-side
    """
    from sarvex.formats import effects

    before, after = _read(old), _read(new)
    try:
        told = effects.compare(before, after, policy, limit)
    except KeyError:
        there = dict.fromkeys(p.name for p in (*before.policies, *after.policies))
        _fail(f"no policy is called {policy!r}; there are {', '.join(there)}")
    if format_ is Form.json:
        print(json.dumps(effects.effect_json(told), indent=1, ensure_ascii=False))
    else:
        print(effects.effect_text(told), end="")
    if not told.equal:
        raise typer.Exit(1)


@app.command()
def trace(
    file: File,
    question: Annotated[
        str | None,
        typer.Argument(
            metavar="QUESTION",
            help="SOURCE to DESTINATION [on SERVICE] [at MOMENT] [as STATE] [entering DEVICE.INTERFACE] [without NAME]...",
        ),
    ] = None,
    at: Moment = None,
    without: Unplugged = None,
    questions: Annotated[
        str | None,
        typer.Option(metavar="FILE", help="Many questions, one a line, answered as JSON Lines; - is stdin."),
    ] = None,
    format_: Output = Form.text,
) -> None:
    """One flow, or a set, through the whole network. Exit code 0 only if all of it is delivered and answered.

    A moment is needed, in the question or as --at, only if a schedule could change the answer.

    Example: sarvex trace demo/merrow.yaml "passenger-wifi to ramp-plc on modbus"
    """
    from sarvex.core.meaning.names import Names
    from sarvex.formats import traces
    from sarvex.formats.questions import InvalidQuestion

    if (question is None) == (questions is None):
        _fail("give a question, or --questions FILE with one a line")
    given = "".join(f' without "{name}"' for name in without or ())
    network = _read(file)
    names, moment = Names(network), _moment(network, at)
    if question is not None:
        text = question + given
        try:
            reply = _asked(text, names, moment)
        except InvalidQuestion as error:
            _fail(f"{text}\n{' ' * error.start}{'^' * max(1, error.end - error.start)} {error.message}")
        if format_ is Form.json:
            print(json.dumps(traces.trace_json(text, reply), indent=1, ensure_ascii=False))
        else:
            print(traces.trace_text(text, reply), end="")
        if reply.verdict != "allowed":
            raise typer.Exit(1)
        return
    lines = _text(str(questions)).splitlines()
    raise typer.Exit(
        max(_line_answered(n, line, given, names, moment) for n, line in enumerate(("", *lines)))
    )


@app.command()
def matrix(
    file: File,
    service: Annotated[str, typer.Option(help="One service, by its name or in words.")] = "any",
    at: Moment = None,
    without: Unplugged = None,
    format_: TableOutput = TableForm.text,
) -> None:
    """Which segment reaches which, and which devices themselves, exactly: new packets whose answers come back.

    Without --at: at all moments; what works at some of them says when.

    Example: sarvex matrix demo/merrow.yaml --service https
    """
    from sarvex.core.meaning.names import NameCycle, Names, UnknownName
    from sarvex.core.reach import matrix as core_matrix
    from sarvex.formats import matrices, questions

    network = _read(file)
    names, moment = Names(network), _moment(network, at)
    try:
        asked = names.service(service)
        unplugged = questions.unplugged(without or (), network)
    except (UnknownName, NameCycle, questions.InvalidQuestion) as error:
        _fail(str(error))
    cells = core_matrix.matrix(network, names.at(moment), asked, without=unplugged)
    if format_ is TableForm.json:
        print(json.dumps(matrices.matrix_json(cells, service, moment, names), indent=1, ensure_ascii=False))
        return
    for line in (matrices.matrix_text if format_ is TableForm.text else matrices.matrix_csv)(cells, names):
        print(line)


@app.command()
def verify(
    file: File,
    at: Moment = None,
    format_: Annotated[
        BenchForm, typer.Option("--format", help="How the result is written.")
    ] = BenchForm.text,
) -> None:
    """Whether what must hold does: the expectations of a document over the whole network. Exit code 0 only if all that have not ended hold.

    What is broken is told with a packet that breaks it, and where that is stopped or let through.

    Example: sarvex verify demo/merrow.yaml
    """
    from sarvex.core.meaning.names import Names
    from sarvex.core.reach import expectations as bench
    from sarvex.core.time.moments import ALWAYS, OutOfReach
    from sarvex.formats import expectations

    network = _read(file)
    names, moment = Names(network), _moment(network, at)
    try:
        times = names.moments.at(moment) if moment else ALWAYS
    except OutOfReach as error:
        _fail(f"--at: {error}")
    found = list(
        expectations.told(bench.judged(network, names, network.expectations, at=times), network, names)
    )
    if format_ is BenchForm.json:
        print(json.dumps(expectations.verify_json(found), indent=1, ensure_ascii=False))
    elif format_ is BenchForm.junit:
        print(expectations.verify_junit(found, network.name), end="")
    else:
        for line in expectations.verify_text(found):
            print(line)
    if not expectations.all_kept(found):
        raise typer.Exit(1)


@app.command()
def trials(
    file: File,
    format_: Annotated[
        SheetForm, typer.Option("--format", help="How the sheet is written.")
    ] = SheetForm.text,
) -> None:
    """What to try in the network itself, so that it is seen whether what must hold does: from where to where by what, and what must be seen.

    Each packet is told with what counts it. The CSV has empty columns for what is found.

    Example: sarvex trials demo/merrow.yaml --format csv
    """
    from sarvex.core.meaning.names import Names
    from sarvex.core.reach.expectations import judged
    from sarvex.core.reach.trials import trials_of
    from sarvex.formats.trials import sheet_csv, sheet_text

    network = _read(file)
    names = Names(network)
    some = [trials_of(one, network, names) for one in judged(network, names, network.expectations)]
    for line in (sheet_text if format_ is SheetForm.text else sheet_csv)(some, names):
        print(line)


def _line_answered(number: int, line: str, given: str, names: Names, at: datetime | None) -> int:
    """The answer to one line of many, as a line of JSON; the exit code that it asks for."""
    from sarvex.formats import traces
    from sarvex.formats.questions import InvalidQuestion

    text = line.partition("#")[0].strip()
    if not text:
        return 0
    text += given
    try:
        reply = _asked(text, names, at)
    except InvalidQuestion as error:
        print(json.dumps({"sarvex": 1, "question": text, "error": f"line {number}: {error.message}"}))
        return BAD_INPUT
    print(json.dumps(traces.trace_json(text, reply), ensure_ascii=False))
    return int(reply.verdict != "allowed")


def _asked(text: str, names: Names, at: datetime | None) -> Reply:
    """The answer to a question in words. Raises `InvalidQuestion`, also where a moment is wanted."""
    from sarvex.core.forwarding.walk import trace as core_trace
    from sarvex.formats import answers, questions

    asked = questions.parse(text, names, at)
    then = names.at(asked.moment)
    answer = core_trace(names.network, then, asked.question)
    if asked.moment is None and answers.moment_matters(answer):
        told = "a schedule could change the answer; say at which moment, as in “at sat 03:00”"
        raise questions.InvalidQuestion(told, 0, len(text))
    return answers.tell(asked, answer, then)


@app.command()
def schema(
    of: Annotated[
        str,
        typer.Argument(
            metavar="WHAT",
            help="network (the document), changes (what settle takes), or an output: effect, findings, matrix, settle, show, tidy, trace, verify.",
        ),
    ] = "network",
) -> None:
    """The JSON Schema of the network document or of an output.

    Example: sarvex schema network > network.schema.json
    """
    from sarvex.formats import document, outputs, settling

    known = {"network": document.schema(), "changes": settling.schema(), **outputs.schemas()}
    if of not in known:
        _fail(f"there are schemas of {', '.join(known)}")
    print(json.dumps(known[of], indent=1, ensure_ascii=False))


@app.command()
def worksheet(
    file: File,
    device: Annotated[str, typer.Option(metavar="NAME", help="The device whose lists are typed in.")],
    before: Annotated[
        str | None, typer.Option(metavar="FILE", help="What is in force: changes against it are marked.")
    ] = None,
    form: Annotated[SheetForm, typer.Option("--format", help="How it is told.")] = SheetForm.text,
) -> None:
    """What is to be typed into a device: its lists in order, in words and as plain lines.

    Example: sarvex worksheet demo/merrow.yaml --device eastpier-lock
    """
    from sarvex.core.meaning.names import Names
    from sarvex.core.model.records import fold
    from sarvex.formats import worksheets

    network = _read(file)
    found = next((d for d in network.devices if fold(d.name) == fold(device)), None)
    if found is None:
        _fail(
            f"no device is called {device!r}; there are {', '.join(d.name for d in network.devices) or 'none'}"
        )
    old = _read(before) if before else None
    lists = worksheets.worksheet(found, network, Names(network), (old, Names(old)) if old else None)
    print(
        worksheets.as_csv(lists) if form is SheetForm.csv else worksheets.as_text(found.name, lists), end=""
    )


@app.command("read-back")
def read_back_(
    file: File,
    table: Annotated[
        str, typer.Argument(metavar="TABLE", help="The list as the device tells it; - is stdin.")
    ],
    policy: PolicyName = None,
    columns: Annotated[
        str | None, typer.Option(metavar="A,B,...", help="What the columns are, if they are not recognised.")
    ] = None,
    family: Annotated[
        int | None,
        typer.Option(min=4, max=6, metavar="4|6", help="The device has a list for each family; this is one."),
    ] = None,
) -> None:
    """A list as it was read from a device against what should be there, entry by entry.

    Exit code 1 if it is otherwise, or if it has one family alone and the rules have both.

    Example: sarvex read-back demo/merrow.yaml list.txt --policy ramp-side
    """
    from sarvex.core.firstmatch import read_back as core
    from sarvex.core.meaning.names import Names
    from sarvex.formats import read_back, worksheets

    chosen_columns = [c.strip() for c in columns.split(",")] if columns else None
    if strange := [c for c in chosen_columns or [] if c not in read_back.COLUMNS]:
        _fail(f"no column is called {strange[0]!r}; there are {', '.join(filter(None, read_back.COLUMNS))}")
    network = _read(file)
    names, chosen = Names(network), _only_policy(network, policy)
    if family == 5:
        _fail("a family is 4 or 6")
    pasted = read_back.read(_text(table), names, chosen_columns)  # type: ignore[arg-type]
    should = core.wanted(chosen, names, family or pasted.family)
    told = core.compare(should, [one.line for one in pasted.reads if one.line], family or pasted.family)
    left = 0 if family else worksheets.not_compared(chosen, names, pasted.family)
    print(worksheets.read_back_text(pasted, should, told, left), end="")
    if not told.same or left or any(one.problem for one in pasted.reads):
        raise typer.Exit(1)


@app.command()
def tidy(
    file: File,
    out: Annotated[Path, typer.Option("--out", metavar="NEW", help="Where the new file goes.")],
    policy: PolicyName = None,
    merge: Annotated[
        bool, typer.Option("--merge", help="Also merge rules that do the same and differ in one field.")
    ] = False,
) -> None:
    """An equivalent list without dead and redundant rules; each step with its reason, as JSON on stdout.

    Rules marked as kept stay. The new file has the form of the old one.

    Example: sarvex tidy demo/merrow.yaml --policy ramp-side --out tidy.yaml
    """
    from sarvex.core.findings import tidy as core_tidy
    from sarvex.core.meaning.names import Names
    from sarvex.formats import document, outputs

    network, lists = _read_either(file)
    chosen = _only_policy(network, policy)
    names = Names(network)
    told = core_tidy.tidy(chosen, names, merge)
    made = replace(network, policies=tuple(told.policy if p is chosen else p for p in network.policies))
    try:
        text = _same_form(file, made, lists)
    except document.InvalidDocument as error:
        _refuse(file, error.problems)
    out.write_text(text, encoding="utf-8")
    print(json.dumps(outputs.tidy_json(chosen, told), indent=1, ensure_ascii=False))


def _same_form(file: str, network: Network, lists: bool) -> str:
    from sarvex.core.meaning.names import Names
    from sarvex.formats import access_lists, document

    if lists:
        text, notes = access_lists.write(network.policies, Names(network), next(iter(network.devices), None))
        _tell(file, notes)
        return text
    return document.dump(network, "json" if file.endswith(".json") else "yaml")


@app.command()
def generate(
    rules: Annotated[int, typer.Option(help="How many rules the long policy has.")] = 10_000,
    seed: Annotated[int, typer.Option(help="The same seed gives the same network.")] = 1,
) -> None:
    """A large made-up network document, as JSON, for trying scale.

    Example: sarvex generate --rules 10000 > long.json
    """
    from sarvex.cli.generate import network
    from sarvex.formats import document

    print(document.dump(network(rules, seed), "json"), end="")


class To(StrEnum):
    document = "document"
    rfc8519 = "rfc8519"


@app.command()
def convert(
    file: File,
    to: Annotated[To, typer.Option("--to", help="Which form to write.")],
    policy: PolicyName = None,
) -> None:
    """Write policies as RFC 8519 access lists, or such lists as a network document, to stdout.

    What was read or written differently is told on stderr; what would change a verdict is refused.

    Example: sarvex convert demo/merrow.yaml --policy ramp-side --to rfc8519 > ramp-side.json
    """
    from sarvex.core.meaning.names import Names
    from sarvex.formats import access_lists, document

    network = _read(file)
    if policy:
        network = replace(network, policies=(_policy(network, policy),))
    if to is To.document:
        print(document.dump(network), end="")
        return
    try:
        text, notes = access_lists.write(network.policies, Names(network))
    except document.InvalidDocument as error:
        _refuse(file, error.problems)
    _tell(file, notes)
    print(text, end="")


def _moment(network: Network, at: str | None) -> datetime | None:
    from zoneinfo import ZoneInfo

    from sarvex.core.time import moment_words

    try:
        return moment_words.parse(at, ZoneInfo(network.time_zone)) if at else None
    except moment_words.InvalidMoment as error:
        _fail(f"--at: {error}")


def _text(file: str) -> str:
    from sarvex.formats import document

    try:
        if file != "-" and Path(file).stat().st_size > document.MAX_BYTES:
            _fail(f"{file}: larger than {document.MAX_BYTES // 1_000_000} MB")
        return sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8-sig")
    except OSError as error:
        _fail(f"{file}: {error.strerror}")
    except UnicodeDecodeError as error:
        _fail(f"{file}: not UTF-8 at byte {error.start}")


def _read(file: str) -> Network:
    return _read_either(file)[0]


def _read_either(file: str) -> tuple[Network, bool]:
    """The network of a document or of access lists, and whether it is the latter."""
    from sarvex.core.sets.compiled import try_plain
    from sarvex.formats import access_lists, document

    try_plain(PLAINLY)
    try:
        data = document.parse(_text(file))
        if not access_lists.is_access_lists(data):
            return document.whole(data), False
        lists = access_lists.read(data)
    except document.InvalidDocument as error:
        _refuse(file, error.problems)
    _tell(file, lists.notes)
    return lists.network, True


def _but(found: Iterable[Finding]) -> tuple[Finding, ...]:
    """Without what access lists have no room for."""
    from sarvex.formats import access_lists

    return tuple(f for f in found if f.kind not in access_lists.NOT_ASKED)


def _tell(file: str, notes: list[str]) -> None:
    for note in notes:
        print(f"{file}: {note}", file=sys.stderr)


def _only_policy(network: Network, name: str | None) -> Policy:
    """The one policy a command is about."""
    if not network.policies:
        _fail(f"{network.name!r} has no policy")
    if name is None and len(network.policies) != 1:
        _fail(f"which policy? --policy takes one of: {', '.join(p.name for p in network.policies)}")
    return _policy(network, name) if name else network.policies[0]


def _policy(network: Network, name: str) -> Policy:
    try:
        return network.policy(name)
    except KeyError:
        _fail(f"no policy is called {name!r}; there are {', '.join(p.name for p in network.policies)}")


def _refuse(file: str, problems: list[Problem]) -> NoReturn:
    _fail("\n".join(f"{file}: {problem}" for problem in problems))


def _fail(message: str) -> NoReturn:
    print(message, file=sys.stderr)
    raise typer.Exit(BAD_INPUT)
