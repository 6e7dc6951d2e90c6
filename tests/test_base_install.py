"""Without any extra the program reads what needs none, and names the command for what needs one: never a bug."""

import re
import tomllib
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
EXTRAS = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["optional-dependencies"]
MODULES = {"gherkin-official": "gherkin", "python-subunit": "subunit", "psycopg[binary]": "psycopg"}
NAMES = {re.split(r"[<>=]", requirement)[0] for packages in EXTRAS.values() for requirement in packages}
BLOCKED = sorted({MODULES.get(name, name) for name in NAMES if not name.startswith("plain-verdict")})
BARE = (
    "import sys\n"
    f"sys.modules |= dict.fromkeys({BLOCKED!r})\n"
    "from plain_verdict.cli import main\n"
    "sys.exit(main(sys.argv[1:]))\n"
)
INPUTS = sorted(
    file
    for folder in ("tests/examples/junit", "tests/examples/runners", "tests/examples/tap", "tests/examples/load",
                   "tests/examples/rules", "tests/examples/subunit", "tests/golden/inputs/results",
                   "src/plain_verdict/cli/demo/results")
    for file in (ROOT / folder).rglob("*")
    if file.is_file()
)  # fmt: skip
SAMPLES = "time,duration_ms,request,status\n1795312800,5,a,200\n1795312801,6,a,200\n"
EARL = '{"@context": {"earl": "http://www.w3.org/ns/earl#"}, "@type": "earl:Assertion", "earl:result": {}}'


@pytest.fixture
def bare(run_python):
    return lambda *arguments: run_python("-c", BARE, *arguments)


def test_every_input_is_read_or_its_extra_is_named(bare, tmp_path):
    assert {"numpy", "pyarrow", "typst", "rdflib"} <= set(BLOCKED)
    done = bare("report", *map(str, INPUTS), "--no-git", "--out", "p.html")
    assert done.code == 0, done.err
    assert "bug of this program" not in done.err
    needing = re.findall(r"needs (?:one )?more librar(?:y|ies)[^\n]*\n[^\n]*\[(\w+)\]'", done.err)
    assert {"load", "subunit"} <= set(needing), done.err


NEEDING = [
    (("report", "s.csv"), "s.csv", SAMPLES, 3, "load"),
    (("report", "a.jsonld"), "a.jsonld", EARL, 3, "earl"),
    (("condense", "s.csv", "--out", "s.load"), "s.csv", SAMPLES, 2, "load"),
    (("report", "r.xml", "--pdf", "r.pdf"), "", "", 2, "pdf"),
    (("report", "r.xml", "--tables", "t.xlsx"), "", "", 2, "tables"),
    (("report", "r.xml", "--charts", "c"), "", "", 2, "charts"),
    (("report", "r.xml", "--publish", "s3://desk/reports"), "", "", 2, "remote"),
    (("report", "r.xml", "--history", "postgresql://h/d"), "", "", 0, "postgresql"),
    (("report", "r.xml", "--engine", "dask://127.0.0.1:1"), "", "", 2, "cluster"),
    (("report", "r.xml", "--watch"), "", "", 2, "terminal"),
]


@pytest.mark.parametrize(("command", "file", "text", "code", "extra"), NEEDING)
def test_what_needs_an_extra_names_the_command_in_a_line(command, file, text, code, extra, bare, tmp_path):
    (tmp_path / "r.xml").write_text('<testsuite name="Quay"><testcase name="sails"/></testsuite>')
    if file:
        (tmp_path / file).write_text(text)
    done = bare(*command)
    assert (done.code, "bug of" in done.err, "Traceback" in done.err) == (code, False, False), done.err
    assert f"[{extra}]'" in done.err, done.err


def test_the_documentation_lists_every_extra():
    rows = re.findall(r"^\| `(\w+)` \|", (ROOT / "docs" / "install.md").read_text("utf-8"), re.MULTILINE)
    assert sorted(rows) == sorted(EXTRAS)
