"""The command line's contract: outputs and exit codes."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest
from typer.testing import CliRunner, Result

from sarvex.cli import app

ROOT = Path(__file__).parent.parent.parent
EXAMPLE = str(ROOT / "tests/data/worked-example.yaml")
DEMO = str(ROOT / "demo/merrow.yaml")


def run(*arguments: str, text: str | None = None) -> Result:
    return CliRunner().invoke(app, arguments, input=text)


def test_findings_of_the_worked_example() -> None:
    done = run("findings", EXAMPLE, "--format", "json")
    assert done.exit_code == 1
    told = json.loads(done.stdout)
    jsonschema.validate(told, json.loads((ROOT / "docs/schema/findings.json").read_text()))
    rules = told["policies"][0]["rules"]
    assert [(r["position"], r["decides"], r["kind"], r["cause"], r["by"]) for r in rules] == [
        (1, "all", None, None, []),
        (2, "part", None, None, ["no-petrel"]),
        (3, "none", "shadowed", "earlier", ["no-petrel"]),
        (4, "none", "shadowed", "earlier", ["sensors"]),
        (5, "part", None, None, ["sensors"]),
        (6, "part", None, None, ["no-petrel", "sensors", "wide-feed"]),
    ]
    assert rules[0]["witness"] == {
        "family": 4, "src": "10.44.201.0", "dst": "10.44.34.10", "proto": 6, "sport": 49152, "dport": 8883, "state": "new",
    }  # fmt: skip
    assert rules[2]["witness"] is None
    assert [(f["kind"], f["rule"]) for f in told["findings"]] == [
        ("shadowed", "bridge"), ("shadowed", "no-feed"), ("redundant but logs", "otherwise-logged"),
    ]  # fmt: skip


def test_findings_as_text_and_from_stdin() -> None:
    done = run("findings", "-", "--policy", "SENSOR-SIDE", text=Path(EXAMPLE).read_text())
    assert done.exit_code == 1
    assert "3 bridge: shadowed. It decides nothing: 1 no-petrel takes all of it." in done.stdout


def test_a_clean_document_exits_zero(tmp_path: Path) -> None:
    text = Path(EXAMPLE).read_text()
    clean = "\n".join(
        line for line in text.splitlines() if "name: bridge" not in line and "name: no-feed" not in line
    )
    file = tmp_path / "clean.yaml"
    file.write_text(clean)
    assert run("findings", str(file)).exit_code == 0


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("findings", "nowhere.yaml"), "No such file"),
        (("findings", EXAMPLE, "--policy", "other"), "no policy is called 'other'"),
        (("trace", EXAMPLE, "petrel to nowhere"), "no address is called 'nowhere'"),
        (("decide", EXAMPLE, "--flows", "nowhere.csv"), "No such file"),
    ],
)
def test_bad_input_exits_two_and_says_why(arguments: tuple[str, ...], says: str) -> None:
    done = run(*arguments)
    assert done.exit_code == 2
    assert says in done.stderr
    assert not done.stdout


def test_bad_documents_name_the_element() -> None:
    done = run(
        "findings",
        "-",
        text="sarvex: 1\nname: x\npolicies:\n  - {name: p, default: drop, rules: [{name: r}]}",
    )
    assert done.exit_code == 2
    assert "policies[p].rules[r].action" in done.stderr


def test_decide_through_the_network() -> None:
    flows = "src,dst,proto,sport,dport\n10.44.64.10,10.44.30.10,tcp,50000,502\n"
    done = run("decide", DEMO, "--flows", "-", text=flows)
    assert done.exit_code == 0
    assert done.stdout.splitlines() == [
        "src,dst,proto,sport,dport,verdict,rule,policy,course",
        "10.44.64.10,10.44.30.10,tcp,50000,502,blocked,no guests inside,guest-manners,eastpier-lock",
    ]
    inside = run("decide", DEMO, "--policy", "ramp-side", "--flows", "-", text=flows)
    assert inside.stdout.splitlines()[1].endswith(",ramp-side")
    bad = run("decide", DEMO, "--flows", "-", text=flows + "x,y,z,,\n")
    assert (bad.exit_code, "src: 'x' is not an IP address" in bad.stdout) == (2, True)


def test_decide(tmp_path: Path) -> None:
    flows = "src,dst,proto,sport,dport,note\r\n10.44.201.16,10.44.34.10,tcp,40000,8883,first\r\n"
    out = tmp_path / "out.csv"
    done = run("decide", EXAMPLE, "--policy", "sensor-side", "--flows", "-", "--out", str(out), text=flows)
    assert (done.exit_code, done.stdout) == (0, "")
    assert (
        out.read_text().splitlines()[1]
        == "10.44.201.16,10.44.34.10,tcp,40000,8883,first,drop,no-petrel,sensor-side"
    )
    bad = run("decide", EXAMPLE, "--policy", "sensor-side", "--flows", "-", text=flows + "x,y,z,,,\r\n")
    assert bad.exit_code == 2
    assert "error" in bad.stdout


def test_trace() -> None:
    done = run("trace", EXAMPLE, "vessels to tide-gateway on udp/18105", "--format", "json")
    assert done.exit_code == 0
    told = json.loads(done.stdout)
    jsonschema.validate(told, json.loads((ROOT / "docs/schema/trace.json").read_text()))
    assert told["verdict"] == "allowed"
    assert told["parts"][0]["steps"][0]["rule"] == "wide-feed"
    assert run("trace", EXAMPLE, "petrel to tide-gateway on mqtts").exit_code == 1


def test_many_questions_are_answered_in_their_order(tmp_path: Path) -> None:
    """A line that is no question is told in its place, and loses none of the others."""
    asked = tmp_path / "asked"
    asked.write_text(
        "vessels to tide-gateway on udp/18105  # feeds\n\nnobody to tide-gateway\npetrel to tide-gateway on mqtts\n"
    )
    done = run("trace", EXAMPLE, "--questions", str(asked))
    told = [json.loads(line) for line in done.stdout.splitlines()]
    assert [t.get("verdict") for t in told] == ["allowed", None, "blocked"]
    assert told[1]["error"].startswith("line 3: ")
    assert done.exit_code == 2
    asked.write_text("vessels to tide-gateway on udp/18105\n")
    assert run("trace", EXAMPLE, "--questions", str(asked)).exit_code == 0
    assert run("trace", EXAMPLE).exit_code == 2
    assert run("trace", EXAMPLE, "petrel to tide-gateway", "--questions", str(asked)).exit_code == 2


def test_a_question_without_a_link() -> None:
    demo = str(ROOT / "demo/merrow.yaml")
    assert run("trace", demo, "tower to workshop on ping").exit_code == 0
    done = run("trace", demo, "tower to workshop on ping", "--without", "drydock-lock")
    assert done.exit_code == 1 and "drydock-lock" in done.stdout


def test_every_command_shows_an_example() -> None:
    for command in (
        "findings",
        "decide",
        "trace",
        "schema",
        "serve",
        "demo",
        "import",
        "export",
        "person",
        "openapi",
    ):
        done = run(command, "--help")
        assert done.exit_code == 0
        assert f"sarvex {command}" in done.stdout


def test_tidy_writes_an_equivalent_list_and_its_reasons(tmp_path: Path) -> None:
    out = tmp_path / "tidy.yaml"
    done = run("tidy", EXAMPLE, "--policy", "sensor-side", "--out", str(out))
    assert done.exit_code == 0, done.output
    told = json.loads(done.stdout)
    jsonschema.validate(told, json.loads((ROOT / "docs/schema/tidy.json").read_text()))
    assert (told["before"], told["after"]) == (6, 4)
    assert [(s["rule"], s["why"], s["by"]) for s in told["steps"]] == [
        ("no-feed", "decided earlier", ["sensors"]),
        ("bridge", "decided earlier", ["no-petrel"]),
    ]
    again = run("findings", str(out), "--format", "json")
    assert [r["rule"] for r in json.loads(again.stdout)["policies"][0]["rules"]] == [
        "no-petrel", "sensors", "wide-feed", "otherwise-logged",
    ]  # fmt: skip


def test_access_lists_work_in_every_list_command(tmp_path: Path) -> None:
    """Written, judged, decided and tidied in the standard's own form."""
    lists, flows, out = tmp_path / "lists.json", tmp_path / "flows.csv", tmp_path / "tidy.json"
    done = run("convert", EXAMPLE, "--to", "rfc8519")
    assert done.exit_code == 0
    lists.write_text(done.stdout)
    told = json.loads(run("findings", str(lists), "--format", "json").stdout)["policies"][0]["rules"]
    assert {r["rule"].partition("~")[0]: r["decides"] for r in told if "bridge" in r["rule"]} == {
        "bridge": "none"
    }
    flows.write_text("src,dst,proto,sport,dport\n10.44.201.1,10.44.34.10,tcp,50000,8883\n")
    assert ",drop,no-petrel," in run("decide", str(lists), "--flows", str(flows)).stdout
    assert run("tidy", str(lists), "--out", str(out)).exit_code == 0
    assert [a["name"] for a in json.loads(out.read_text())["ietf-access-control-list:acls"]["acl"]] == [
        "sensor-side"
    ]
    back = run("convert", str(lists), "--to", "document")
    assert back.exit_code == 0 and "sensor-side" in back.stdout


def test_files_too_large_or_too_deep_are_refused_at_once(tmp_path: Path) -> None:
    large, deep, cut = tmp_path / "large.json", tmp_path / "deep.json", tmp_path / "cut.json"
    with large.open("wb") as file:
        file.truncate(200_000_000)
    deep.write_text('{"ietf-access-control-list:acls":' + "[" * 100_000)
    cut.write_text('{"ietf-access-control-list:acls": {"acl": [{"name": "a",')
    for file, says in ((large, "larger than 50 MB"), (deep, "nested deeper"), (cut, "line 1, column")):
        done = run("findings", str(file))
        assert done.exit_code == 2 and says in done.stderr and not done.stdout
