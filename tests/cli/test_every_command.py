"""Every command on every kind of network: lists alone, nothing at all, policies without ground, the demo."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import jsonschema
import pytest
from typer.testing import CliRunner, Result

from sarvex.cli import app
from sarvex.cli.commands import app as all_commands
from sarvex.core.findings.accepted import Owners, accepting
from sarvex.core.findings.of_rules import report
from sarvex.core.meaning.names import Names
from sarvex.formats import document

ROOT = Path(__file__).parent.parent.parent
DATA = ROOT / "tests/data"
FLOWS = [DATA / "lists/flows-ipv4-400.csv", DATA / "lists/flows-mixed-60.csv"]
NETWORKS = [
    DATA / "lists/acl-ipv4-400.json",
    DATA / "lists/acl-mixed-60.json",
    DATA / "nothing.yaml",
    DATA / "policies-alone.yaml",
    DATA / "hosts-alone.yaml",
    DATA / "worked-example.yaml",
    ROOT / "demo/merrow.yaml",
]
every_network = pytest.mark.parametrize("file", NETWORKS, ids=lambda f: f.stem)
QUESTIONS = [
    "10.44.1.1 to 10.44.2.2 on tcp/22",
    "any to any",
    "fd44::1 to fd44::2",
    "who to 10.44.31.9",
    "any to where",
]


def run(*arguments: object) -> Result:
    done = CliRunner().invoke(app, list(map(str, arguments)), catch_exceptions=False)
    assert done.exit_code in (0, 1, 2)
    assert done.exit_code != 2 or done.stderr, "bad input without a word"
    return done


def fits(told: object, schema: str) -> None:
    jsonschema.validate(told, json.loads(run("schema", schema).stdout))


def policies_of(file: Path) -> list[str]:
    """All policies of a network; of the demo two that between them have everything, for each run reads it anew."""
    if file.stem == "merrow":
        return ["ramp-side", "winter-timetable"]
    return [p["policy"] for p in json.loads(run("findings", file, "--format", "json").stdout)["policies"]]


@every_network
def test_trials(file: Path) -> None:
    """Every packet on the sheet fares as `trace` says; both forms have the same."""
    text = run("trials", file).stdout.splitlines()
    rows = list(csv.DictReader(io.StringIO(run("trials", file, "--format", "csv").stdout)))
    assert text[-1] == f"{len(rows):,} to try"
    assert sum("[ ]" in line for line in text) == len(rows)
    told = json.loads(run("verify", file, "--format", "json").stdout)["expectations"]
    assert {r["must hold"] for r in rows} <= {e["expectation"] for e in told}
    assert bool(rows) == (file.stem == "merrow")
    for row in [r for r in rows if not r["when"]][:12]:
        asked = f"{row['address']} to {row['its address']} on {row['try'].split(' ')[0]}"
        done = run("trace", file, asked)
        assert done.exit_code == (row["is seen"] != "it answers"), (row, done.stdout)


@every_network
def test_verify(file: Path) -> None:
    done = run("verify", file, "--format", "json")
    told = json.loads(done.stdout)
    fits(told, "verify")
    assert len(told["expectations"]) == sum(
        n for key, n in told.items() if key not in ("sarvex", "expectations")
    )
    bad = told["broken"] + told["undetermined"] + told["empty"]
    assert done.exit_code == bool(bad) == (file.stem == "merrow")
    suite = ElementTree.fromstring(run("verify", file, "--format", "junit").stdout)
    assert len(suite.findall("testcase")) == len(told["expectations"])
    assert int(suite.get("failures", "")) + int(suite.get("errors", "")) == bad
    text = run("verify", file, "--at", "2031-01-07T03:00").stdout
    assert text.splitlines()[-1] == "nothing must hold" or "other time" in text


@every_network
def test_findings(file: Path) -> None:
    told = json.loads(run("findings", file, "--format", "json").stdout)
    fits(told, "findings")
    weights = {f["weight"] for f in told["findings"]}
    done = run("findings", file, "--at", "2026-12-01T12:00")
    assert run("findings", file).exit_code == bool(weights - {"note"})
    assert done.exit_code in (0, 1)
    for policy in policies_of(file):
        of_it = run("findings", file, "--policy", policy, "--format", "json")
        assert [p["policy"] for p in json.loads(of_it.stdout)["policies"]] == [policy]


@every_network
def test_against_itself_nothing_is_new(file: Path) -> None:
    done = run("findings", file, "--baseline", file, "--format", "json")
    told = json.loads(done.stdout)
    fits(told, "findings")
    assert done.exit_code == 0 and not any(f["new"] for f in told["findings"])
    assert run("findings", file, "--baseline", file).stdout == "nothing new\n"
    against_nothing = run("findings", file, "--baseline", DATA / "nothing.yaml", "--format", "json")
    assert all(f["new"] for f in json.loads(against_nothing.stdout)["findings"])


@every_network
def test_findings_as_sarif(file: Path) -> None:
    told = json.loads(run("findings", file, "--format", "sarif").stdout)
    plain = json.loads(run("findings", file, "--format", "json").stdout)["findings"]
    (one,) = told["runs"]
    kinds = {rule["id"] for rule in one["tool"]["driver"]["rules"]}
    assert told["version"] == "2.1.0" and len(one["results"]) == len(plain)
    assert {r["ruleId"] for r in one["results"]} == kinds
    for result, finding in zip(one["results"], plain, strict=True):
        assert result["level"] == finding["weight"] and result["message"]["text"].endswith(finding["text"])
        assert "baselineState" not in result and "suppressions" not in result


def test_what_is_accepted_does_not_count() -> None:
    text = (DATA / "worked-example.yaml").read_text()
    once = json.loads(run("findings", DATA / "worked-example.yaml", "--format", "json").stdout)
    assert any(f["weight"] == "warning" for f in once["findings"])
    network = document.load(text)
    owners = Owners(network)
    names = Names(network)
    found = [f for p in network.policies for f in report(p, names).findings if f.weight != "note"]
    made = network
    for f in found:
        owner = owners.of(f).owner  # type: ignore[union-attr]
        after = accepting(owner, f, "it is known", "2099-12-31")
        policies = tuple(
            replace(p, rules=tuple(after if r == owner else r for r in p.rules))  # type: ignore[arg-type,misc]
            for p in made.policies
        )
        made = replace(made, policies=policies)
    done = CliRunner().invoke(app, ["findings", "-", "--format", "json"], input=document.dump(made))
    told = json.loads(done.stdout)
    fits(told, "findings")
    assert done.exit_code == 0
    assert [f["accepted"]["reason"] for f in told["findings"] if f["weight"] == "warning"] == [
        "it is known"
    ] * len(found)
    sarif = CliRunner().invoke(app, ["findings", "-", "--format", "sarif"], input=document.dump(made))
    assert sum("suppressions" in r for r in json.loads(sarif.stdout)["runs"][0]["results"]) == len(found)
    assert (
        "Accepted until 2099-12-31"
        in CliRunner().invoke(app, ["findings", "-"], input=document.dump(made)).stdout
    )


@every_network
def test_without_ground_nothing_is_told_of_ways(file: Path) -> None:
    """Whether something comes by cannot be told where nothing says what is where."""
    if file.stem in ("merrow", "worked-example"):
        pytest.skip("it has a ground")
    kinds = {f["kind"] for f in json.loads(run("findings", file, "--format", "json").stdout)["findings"]}
    assert not kinds & {"out of place", "dead where attached", "too wide"}


@every_network
def test_rules_told_to_decide_nothing_decide_nothing(file: Path) -> None:
    told = json.loads(run("findings", file, "--format", "json").stdout)
    chosen = policies_of(file)
    for policy in (p for p in told["policies"] if p["policy"] in chosen):
        dead = {r["rule"] for r in policy["rules"] if r["decides"] == "none"}
        for flows in FLOWS:
            done = run(
                "decide", file, "--flows", flows, "--policy", policy["policy"], "--at", "2026-12-01T12:00"
            )
            rows = list(csv.DictReader(io.StringIO(done.stdout)))
            with flows.open() as given:
                assert len(rows) == sum(1 for _ in given) - 1
            assert not dead & {row["rule"] for row in rows if row["verdict"] != "error"}


@every_network
@pytest.mark.parametrize("question", QUESTIONS)
def test_trace(file: Path, question: str) -> None:
    if file.stem == "merrow" and "any" in question:
        pytest.skip("takes ten seconds")
    done = run("trace", file, question, "--at", "2026-12-01T12:00", "--format", "json")
    assert done.exit_code in (0, 1), done.stderr
    told = json.loads(done.stdout)
    fits(told, "trace")
    if file.stem not in ("merrow", "worked-example"):
        assert told["verdict"] == "undetermined"
    assert run("trace", file, question, "--at", "2026-12-01T12:00").stdout


@every_network
def test_effect_of_nothing(file: Path) -> None:
    done = run("effect", file, file, "--format", "json")
    assert done.exit_code == 0
    told = json.loads(done.stdout)
    fits(told, "effect")
    assert (told["equal"], told["changes"]) == (True, [])
    assert run("effect", file, DATA / "nothing.yaml").exit_code == (file.stem != "nothing")


@every_network
def test_tidy_and_conversion_change_nothing(file: Path, tmp_path: Path) -> None:
    def changes(to: Path, policy: str) -> list[str]:
        told = json.loads(run("effect", file, to, "--policy", policy, "--format", "json").stdout)
        assert told["complete"]
        return [c["change"] for c in told["changes"]]

    for policy in policies_of(file):
        tidy, lists = tmp_path / f"tidy{file.suffix}", tmp_path / "lists.json"
        fits(json.loads(run("tidy", file, "--policy", policy, "--merge", "--out", tidy).stdout), "tidy")
        assert not changes(tidy, policy)
        written = run("convert", file, "--policy", policy, "--to", "rfc8519")
        if written.exit_code == 0:
            lists.write_text(written.stdout)
            assert set(changes(lists, policy)) <= {"logged differently"}  # lists have no kinds of log
    whole = tmp_path / "whole.yaml"
    whole.write_text(run("convert", file, "--to", "document").stdout)
    assert run("effect", file, whole).exit_code == 0


@pytest.fixture(scope="module")
def data(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    yield tmp_path_factory.mktemp("own")


def test_the_records_take_and_give_back_each(data: Path, tmp_path: Path) -> None:
    """Import, export and everything else that works on records."""
    at = ("--data", data)
    assert run("db", "upgrade", *at).exit_code == 0
    assert run("import", DATA / "nothing.yaml", *at).exit_code == 0
    for file in NETWORKS:
        if file.suffix == ".yaml":
            assert run("import", file, "--replace", *at).exit_code == 0
            name = next(line for line in file.read_text().splitlines() if line.startswith("name:"))[
                5:
            ].strip()
            out = tmp_path / "out.yaml"
            out.write_text(run("export", name, *at).stdout)
            assert run("effect", file, out).exit_code == 0
        else:
            assert run("import", file, "--into", "nothing", *at).exit_code == 0
            assert run("import", file, *at).exit_code == 2
    assert run("db", "backup", tmp_path / "all", *at).exit_code == 0
    assert run("db", "restore", tmp_path / "all", "--data", tmp_path / "back").exit_code == 0
    assert run("db", "audit", "--data", tmp_path / "back").exit_code == 0
    assert run("person", "maren", *at).exit_code == 2  # no password on an empty stdin


def test_no_command_is_forgotten() -> None:
    """What is not run here on every network is served, and run by the tests of serving."""
    known = {c.name or c.callback.__name__ for c in all_commands.registered_commands if c.callback}
    here = {
        "findings",
        "decide",
        "effect",
        "trace",
        "matrix",
        "verify",
        "trials",
        "schema",
        "tidy",
        "convert",
        "import",
        "settle",
        "show",
        "export",
        "person",
        "worksheet",
        "read-back",
    }
    assert known - here == {"serve", "demo", "openapi", "generate"}


@every_network
def test_show(file: Path) -> None:
    """Everything that has a name is found by its place, in any network; what is not there is bad input."""
    assert run("show", "no such thing", "--file", file).exit_code == 2
    assert run("show", "x").exit_code == 2
    if file.suffix != ".yaml":
        return
    data = document.to_data(document.load(file.read_text()))
    for section in ("zones", "segments", "hosts", "devices", "addresses", "services", "policies"):
        for thing in data.get(section, ())[:2]:
            shown = run("show", f"{section}/{thing['name']}", "--file", file)
            assert shown.exit_code == 0 and json.loads(shown.stdout)["thing"] == thing


@every_network
def test_worksheet_and_read_back(file: Path, tmp_path: Path) -> None:
    """What the sheet of a device says, read back as it is, is as it should be; with a line left out it is not."""
    strange = run("worksheet", file, "--device", "no such device")
    assert strange.exit_code == 2 and strange.stdout == ""
    there = strange.stderr.strip().partition("there are ")[2].split(", ")
    assert there != ["none"] or file.stem in (
        "nothing",
        "policies-alone",
        "hosts-alone",
        "acl-ipv4-400",
        "acl-mixed-60",
    )
    for device in [d for d in there if d != "none"][:2]:
        text = run("worksheet", file, "--device", device).stdout
        rows = list(
            csv.DictReader(io.StringIO(run("worksheet", file, "--device", device, "--format", "csv").stdout))
        )
        assert all(f"\n{r['list']}: " in text and r["name"] in text for r in rows)
        assert run("worksheet", file, "--device", device, "--before", file).stdout == text
        for policy in sorted({r["list"] for r in rows})[:2]:
            mine = [r for r in rows if r["list"] == policy and r["rule"]]
            table = tmp_path / "table.txt"
            fields = ("action", "source", "destination", "service")

            def told(kept: list[dict[str, str]], table=table, policy=policy, fields=fields) -> Result:  # type: ignore[no-untyped-def]
                table.write_text(
                    "\n".join(
                        "\t".join(r[f] for f in fields)
                        for r in [dict(zip(fields, fields, strict=True)), *kept]
                    )
                )
                return run("read-back", file, table, "--policy", policy)

            if 1 < len(mine) < 200:
                whole = told(mine)
                one_family = "only IPv" in whole.stdout
                assert whole.exit_code == one_family and "as it should be" in whole.stdout, whole.stdout
                less = told(mine[:-1])
                assert less.exit_code == 1, less.stdout
                assert "missing" in less.stdout or ("only IPv" in less.stdout) > one_family, less.stdout


@every_network
def test_matrix(file: Path) -> None:
    """In each form the same pairs; where there is no ground there are none."""
    asked = ("matrix", file, "--service", "tcp/443")
    told = json.loads(run(*asked, "--format", "json").stdout)
    fits(told, "matrix")
    rows = list(csv.DictReader(io.StringIO(run(*asked, "--format", "csv").stdout)))
    pairs = [(c["source"], c["destination"], c["verdict"]) for c in told["cells"]]
    assert [(r["source"], r["destination"], r["verdict"]) for r in rows] == pairs
    *lines, last = run(*asked).stdout.splitlines()
    assert len(lines) == sum(verdict != "none" for *_, verdict in pairs)
    assert last.startswith(f"{len(pairs):,} pairs" if pairs else "no pairs")
    assert all(source != destination for source, destination, _ in pairs)


def test_a_matrix_of_the_demo_tells_what_single_questions_tell() -> None:
    demo = ROOT / "demo/merrow.yaml"
    cells = {
        (c["source"], c["destination"]): c
        for c in json.loads(run("matrix", demo, "--service", "postgres", "--format", "json").stdout)["cells"]
    }
    kiosks = cells["kiosks", "fares-data"]
    assert kiosks["verdict"] == "some"
    (reach,) = kiosks["allowed"]
    assert reach["service"] == ["postgres"] and reach["destination"] == ["fares-db"]
    assert {box["dst"][0] for box in reach["boxes"]} == {"10.44.50.5"}
    assert cells["passenger-wifi", "fares-data"]["verdict"] == "none"
    assert ("kiosks", "kiosks") not in cells and ("kiosks", "eastpier-lock itself") in cells
    down = run("matrix", demo, "--service", "postgres", "--without", "eastpier-lock", "--format", "json")
    gone = {(c["source"], c["destination"]): c["verdict"] for c in json.loads(down.stdout)["cells"]}
    assert gone["kiosks", "fares-data"] == "none"


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (("--service", "https-ish"), "https-ish"),
        (("--without", "nobody"), "no device or interface is called 'nobody'"),
        (("--at", "whenever"), "whenever"),
    ],
)
def test_a_matrix_is_refused_with_a_reason(arguments: tuple[str, ...], told: str) -> None:
    done = run("matrix", ROOT / "demo/merrow.yaml", *arguments)
    assert done.exit_code == 2 and told in done.stderr
