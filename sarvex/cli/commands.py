"""The commands. Results go to stdout, errors to stderr; exit codes as in `docs/command-line.md`."""

from __future__ import annotations

import json
import sys
from enum import StrEnum
from pathlib import Path
from typing import Annotated, NoReturn

import typer

from sarvex.cli import generate, server
from sarvex.core import findings as core_findings
from sarvex.core import ground_findings
from sarvex.core.firstmatch import FirstMatch
from sarvex.core.model import Network, Policy
from sarvex.core.names import Names
from sarvex.core.paths import trace as core_trace
from sarvex.core.problem import Problem
from sarvex.formats import answers, document, flow_table, outputs, questions, reports, traces

BAD_INPUT = 2
app = typer.Typer(
    no_args_is_help=True, add_completion=False, help="Access policies, proven before they go live."
)
app.add_typer(server.database, name="db")
for command in (server.serve, server.demo, server.import_, server.export, server.person, server.openapi):
    app.command(command.__name__.rstrip("_"))(command)


app.command("generate")(generate.generate)


class Form(StrEnum):
    text = "text"
    json = "json"


File = Annotated[
    str, typer.Argument(metavar="FILE", help="A Sarvex network document, YAML or JSON; - is stdin.")
]
PolicyName = Annotated[str | None, typer.Option("--policy", metavar="NAME", help="Only this policy.")]
Output = Annotated[Form, typer.Option("--format", help="How the result is written.")]


@app.command()
def findings(file: File, policy: PolicyName = None, format_: Output = Form.text) -> None:
    """All findings, and for each rule what it decides. Exit code 1 if any is a warning or more.

    Example: sarvex findings demo/merrow.yaml --policy sensor-side
    """
    network = _read(file)
    chosen = (_policy(network, policy),) if policy else network.policies
    names = Names(network)
    told = [core_findings.report(p, names) for p in chosen]
    others = ground_findings.network_findings(network, names)
    if policy:
        others = [f for f in others if f.policy == chosen[0].name]
    if format_ is Form.json:
        print(json.dumps(reports.findings_json(told, others), indent=1, ensure_ascii=False))
    else:
        print(reports.findings_text(told, others), end="")
    if any(f.weight != "note" for f in reports.all_findings(told, others)):
        raise typer.Exit(1)


@app.command()
def decide(
    file: File,
    flows: Annotated[str, typer.Option(metavar="FLOWS.csv", help="Flows as CSV; - is stdin.")],
    policy: PolicyName = None,
    out: Annotated[
        Path | None, typer.Option(metavar="OUT.csv", help="Where the result goes; stdout if left out.")
    ] = None,
) -> None:
    """Verdict and deciding rule of each flow in one policy.

    Example: sarvex decide demo/merrow.yaml --policy ramp-side --flows flows.csv
    """
    network = _read(file)
    if policy is None and len(network.policies) != 1:
        _fail(f"which policy? --policy takes one of: {', '.join(p.name for p in network.policies)}")
    chosen = _policy(network, policy) if policy else network.policies[0]
    text = _text(flows)
    try:
        table, good = flow_table.decide(text, FirstMatch.of(chosen, Names(network)))
    except flow_table.InvalidFlows as error:
        _fail(f"{flows}: {error}")
    if out:
        out.write_text(table, newline="")
    else:
        sys.stdout.write(table)
    if not good:
        _fail("some rows are no flows; they came out with verdict error and the reason")


@app.command()
def trace(
    file: File,
    question: Annotated[
        str, typer.Argument(metavar="QUESTION", help="SOURCE to DESTINATION [on SERVICE] [as STATE].")
    ],
    format_: Output = Form.text,
) -> None:
    """One flow, or a set, through the whole network. Exit code 0 only if all of it is delivered.

    Example: sarvex trace demo/merrow.yaml "passenger-wifi to ramp-plc on modbus"
    """
    network = _read(file)
    names = Names(network)
    try:
        asked = questions.parse(question, names)
    except questions.InvalidQuestion as error:
        _fail(f"{question}\n{' ' * error.start}{'^' * max(1, error.end - error.start)} {error.message}")
    reply = answers.tell(asked, core_trace(network, names, asked.question), names)
    if format_ is Form.json:
        print(json.dumps(traces.trace_json(question, reply), indent=1, ensure_ascii=False))
    else:
        print(traces.trace_text(question, reply), end="")
    if reply.verdict != "allowed":
        raise typer.Exit(1)


@app.command()
def schema(
    of: Annotated[
        str, typer.Argument(metavar="WHAT", help="network (the document), or an output: findings, trace.")
    ] = "network",
) -> None:
    """The JSON Schema of the network document or of an output.

    Example: sarvex schema network > network.schema.json
    """
    known = {"network": document.schema(), **outputs.schemas()}
    if of not in known:
        _fail(f"there are schemas of {', '.join(known)}")
    print(json.dumps(known[of], indent=1, ensure_ascii=False))


def _text(file: str) -> str:
    try:
        return sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8-sig")
    except OSError as error:
        _fail(f"{file}: {error.strerror}")
    except UnicodeDecodeError as error:
        _fail(f"{file}: not UTF-8 at byte {error.start}")


def _read(file: str) -> Network:
    try:
        return document.load(_text(file))
    except document.InvalidDocument as error:
        _refuse(file, error.problems)


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
