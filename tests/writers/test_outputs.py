"""What stands beside the page: tables, a workbook, JUnit XML, Markdown."""

import csv
import json
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path

import openpyxl
import pyarrow.parquet as pq
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from lxml import html
from markdown_it import MarkdownIt

from conftest import DEMO, EXAMPLES
from plain_verdict.text.markdown import escape_markdown
from plain_verdict.writers.tables.list import TABLES

CASES = '<testsuite name="Quay">{}</testsuite>'
GOOD = CASES.format('<testcase name="sails"/>')


def rows_of(file: Path) -> list[dict[str, str]]:
    with file.open(encoding="utf-8", newline="") as opened:
        return list(csv.DictReader(opened))


def as_csv(cell: object) -> str:
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    return "" if cell is None else str(cell)


def same(one: object, other: str, column: str) -> bool:
    """Whether a cell of a workbook or a Parquet file is that of CSV: numbers and moments by their value."""
    told = as_csv(one)
    if isinstance(one, datetime) and other:
        there = datetime.fromisoformat(other)
        there = there.astimezone(UTC) if there.tzinfo else there
        one, there = one.replace(tzinfo=None), there.replace(tzinfo=None)
        return abs((one - there).total_seconds()) < 0.001
    if isinstance(one, int | float) and not isinstance(one, bool):
        return float(other) == pytest.approx(float(told))
    return told == other


def test_every_table_tells_the_same_in_every_form_and_as_the_summary(tool, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text("[[quarantine]]\nflaky = true\n")
    done = tool("report", *DEMO, "--tables", "t", "--json", "--detail", "--time-zone", "UTC")
    summary = json.loads(done.out)
    tool("report", *DEMO, "--tables", "p", "--tables-as", "parquet", "--time-zone", "UTC")
    tool("report", *DEMO, "--tables", "t.xlsx", "--overwrite", "--time-zone", "UTC")
    names = {table.name for table in TABLES}
    assert {file.stem for file in (tmp_path / "t").glob("*.csv")} == names
    checks = rows_of(tmp_path / "t" / "checks.csv")
    assert {row["check_id"]: row["outcome"] for row in checks} == {
        check["id"]: check["outcome"] for check in summary["checks"]
    }
    (run,) = rows_of(tmp_path / "t" / "run.csv")
    assert {key: int(run[key]) for key in summary["counts"]} == summary["counts"]
    parameters = {f"parameter: {key}" for check in summary["checks"] for key in check["parameters"]}
    assert parameters == {key for key in checks[0] if key.startswith("parameter: ")} != set()
    evidence = sum(len(check["evidence"]) for check in summary["checks"])
    assert sum(bool(row["check_id"]) for row in rows_of(tmp_path / "t" / "evidence.csv")) == evidence
    causes = rows_of(tmp_path / "t" / "causes.csv")
    assert [(row["cause"], int(row["checks"])) for row in causes] == [
        (cause["name"], cause["count"]) for cause in summary["causes"]
    ]
    package = json.loads((tmp_path / "t" / "datapackage.json").read_text())
    book = openpyxl.load_workbook(tmp_path / "t.xlsx")
    assert book.sheetnames == [resource["name"] for resource in package["resources"]]
    for resource in package["resources"]:
        rows = rows_of(tmp_path / "t" / resource["path"])
        fields = [field["name"] for field in resource["schema"]["fields"]]
        assert list(rows[0]) == fields
        sheet = book[resource["name"]]
        assert (sheet.freeze_panes, sheet.auto_filter.ref is not None) == ("A2", True)
        in_book = [dict(zip(fields, line, strict=True)) for line in sheet.iter_rows(min_row=2, values_only=True)]
        parquet = pq.read_table(tmp_path / "p" / f"{resource['name']}.parquet").to_pylist()
        assert len(rows) == len(in_book) == len(parquet)
        for row, cells, typed in zip(rows, in_book, parquet, strict=True):
            for key in fields:
                if key in ("page", "made", "page_id"):
                    continue  # when and where it was made
                assert same(typed[key], row[key], key), (resource["name"], key)
                defused = (
                    row[key][1:] if row[key].startswith("'") and as_csv(cells[key])[:1] in "=+-@" else row[key]
                )
                assert same(cells[key], defused, key), (resource["name"], key)
    links = {
        cell.hyperlink.target + "#" + cell.hyperlink.location for (cell, *_) in book["checks"].iter_rows(min_row=2)
    }
    assert links == {f"verdict.html#{check['id']}" for check in summary["checks"]}


@pytest.mark.parametrize("name", ["=1+2", "+1", "-1", "@cmd", "\t=1", "=HYPERLINK(&quot;http://a.test&quot;)"])
def test_no_spreadsheet_runs_a_cell_and_a_switch_leaves_it_alone(name, tool, tmp_path):
    problem = f'<testcase name="{name}"><failure message="{name}"/></testcase>'
    (tmp_path / "r.xml").write_text(CASES.format(problem))
    plain = name.replace("&quot;", '"').strip()
    done = tool("report", "r.xml", "--tables", "t", "--title", "=1")
    (row,) = rows_of(tmp_path / "t" / "checks.csv")
    assert row["check"] == row["message"] == f"'{plain}"
    assert row["cause"].startswith(f"'{plain}")
    begun = sum(
        cell.startswith("'")
        for file in (tmp_path / "t").glob("*.csv")
        for row in rows_of(file)
        for cell in row.values()
    )
    assert f"{begun} cells of the tables begin like a formula" in done.err
    raw = tool("report", "r.xml", "--tables", "t", "--tables-as", "csv-raw")
    (row,) = rows_of(tmp_path / "t" / "checks.csv")
    assert (row["check"], "formula" in raw.err) == (plain, False)
    tool("report", "r.xml", "--tables", "t.xlsx")
    cells = [cell for row in openpyxl.load_workbook(tmp_path / "t.xlsx")["checks"].iter_rows() for cell in row]
    assert not [cell for cell in cells if cell.data_type == "f"]
    assert plain in [cell.value for cell in cells]


def test_tables_of_an_earlier_run_go_and_nothing_else(tool, tmp_path):
    (tmp_path / "good.xml").write_text(GOOD)
    (tmp_path / "bad.xml").write_text(CASES.format('<testcase name="sinks"><failure message="water"/></testcase>'))
    tool("report", "bad.xml", "--tables", "t", "--tables-as", "csv-bom")
    assert (tmp_path / "t" / "checks.csv").read_bytes()[:4] == b"\xef\xbb\xbfc"
    for mine in ("mine.csv", "findings.csv"):
        (tmp_path / "t" / mine).write_text("years of work")
    listed = json.loads((tmp_path / "t" / "datapackage.json").read_text())
    listed["resources"] += [{"path": path} for path in ("mine.csv", "../bad.xml")]
    (tmp_path / "t" / "datapackage.json").write_text(json.dumps(listed))
    assert (tmp_path / "t" / "problems.csv").exists()
    tool("report", "good.xml", "--tables", "t", "--tables-as", "parquet")
    left = sorted(path.name for path in (tmp_path / "t").iterdir())
    made = ["checks", "conditions", "files", "kinds", "run", "suites"]
    assert left == sorted([*(f"{name}.parquet" for name in made), "datapackage.json", "findings.csv", "mine.csv"])
    assert (tmp_path / "bad.xml").exists()


SAMPLES = sorted(path for path in (EXAMPLES / "junit").rglob("*.xml"))[::4]


@pytest.mark.parametrize(
    "results", [DEMO, *((str(path),) for path in SAMPLES)], ids=["demo", *(p.stem for p in SAMPLES)]
)
def test_junit_read_back_gives_the_same_numbers(results, tool, tmp_path):
    before = json.loads(tool("report", *results, "--junit", "again.xml", "--json").out)
    if "page" not in before:
        return
    after = json.loads(tool("inspect", "again.xml", "--json").out)
    counts, waived = before["counts"], before["waived"]
    bad = sum(after["counts"][key] for key in ("failed", "errored"))
    told = counts["failed"] + counts["errored"] - waived
    # Where no case would say that the run is not fit, one more does.
    assert bad == told + (before["verdict"] != "fit" and not told)
    assert (bad > 0) == (before["verdict"] != "fit")
    assert after["counts"]["skipped"] == counts["skipped"] + waived
    assert all(after["counts"][key] == counts[key] for key in ("passed", "undecided"))
    assert [file["notes"] for file in after["files"]] == [[]]
    first = (tmp_path / "again.xml").read_bytes()
    tool("report", *results, "--junit", "again.xml", "--overwrite")
    assert (tmp_path / "again.xml").read_bytes() == first


CUT = '<testsuite name="Quay" tests="3"><testcase name="sails"/>'
BROKEN = '[[condition]]\nmeasure = "checks"\nat_least = 9\n'


@pytest.mark.parametrize(("results", "settings", "word"), [(CUT, "", "undecided"), (GOOD, BROKEN, "not fit")])
def test_a_run_that_is_not_fit_is_green_in_no_output(results, settings, word, tool, tmp_path):
    (tmp_path / "r.xml").write_text(results)
    (tmp_path / "plain-verdict.toml").write_text(settings)
    outputs = ("--junit", "j.xml", "--markdown", "m.md", "--tables", "t", "--publish", "p", "--index")
    assert json.loads(tool("report", "r.xml", *outputs, "--json").out)["verdict"] == word
    (tmp_path / "plain-verdict.toml").unlink()
    assert tool("judge", "j.xml").code == 1
    assert (tmp_path / "m.md").read_text().startswith(f"## {word.capitalize()}: ")
    assert rows_of(tmp_path / "t" / "run.csv")[0]["verdict"] == word
    assert f'class="word {word.replace(" ", "-")}"' in (tmp_path / "p" / "index.html").read_text()


def test_junit_skips_what_is_waived_and_says_why(tool, tmp_path):
    (tmp_path / "r.xml").write_text(CASES.format('<testcase name="sinks"><failure message="water"/></testcase>'))
    (tmp_path / "plain-verdict.toml").write_text(
        '[[waiver]]\nreason = "new pump"\nuntil = 2026-12-01\nmatch = { check = "sinks" }\n'
    )
    tool("report", "r.xml", "--junit", "j.xml")
    told = (tmp_path / "j.xml").read_text()
    assert '<skipped message="waived until 1 December 2026: new pump"/>' in told
    assert 'failures="0" errors="0" skipped="1"' in told


MARKDOWN = MarkdownIt("gfm-like")
MARKDOWN.linkify.set({"fuzzy_link": False})  # no server links a bare host: conf.io is a file as often
WORDS = st.text(st.sampled_from("ab1 .:/@#!~%&$^*_`|<>[](){}\\\"'-+=\t-ø›w\n"), max_size=30)


@given(WORDS)
@example("@team/qa look at #12, !3 and GH-7")
@example("https://evil.test www.evil.test me@evil.test mailto:a@b.test")
@example("![x](http://a.test/x.png) [a]: http://b.test")
@example("1. one")
@example("**bold** _it_ `code` <b>x</b> &lt; | cell | :tada:")
@example("```")
@example("- [ ] task")
@example("a  \nb\\")
def test_text_of_others_is_shown_and_does_nothing(text):
    shown = escape_markdown(text)
    for around in ("{}", "- {}", "## {}", "x {} y", "- **{}** (1)", "| a |\n|---|\n| {} |"):
        tree = html.fromstring(f"<div>{MARKDOWN.render(around.format(shown))}</div>")
        allowed = {"div", "p", "ul", "li", "h2", "strong", "table", "thead", "tbody", "tr", "th", "td"}
        assert {node.tag for node in tree.iter()} <= allowed
        words = " ".join(text.split())
        if words:
            assert words in " ".join(tree.text_content().replace("\u200b", "").split())
    # What servers make of bare text: mentions, references, addresses.
    for sign in ("@a", "#1", "!1", "GH-1", "www.a", "://"):
        assert sign not in shown


def test_markdown_is_the_digest_and_stays_small(tool, tmp_path):
    done = tool("report", *DEMO, "--markdown", "-", "--link", "https://ci.desk.test/4211/")
    assert done.out.startswith("## Not fit: ")
    assert "[Full report](<https://ci.desk.test/4211/verdict.html>)" in done.out
    for part in (
        "| functional | not fit |",
        "### Causes",
        "### Changes since 4210",
        "New:",
        "### Wrong calls",
        "### Load",
    ):
        assert part in done.out
    names = "".join(
        f'<testcase name="{number} {"long " * 300}"><failure message="{number * 7919} {"water " * 900}{"x" * number}"/></testcase>'
        for number in range(400)
    )
    (tmp_path / "many.xml").write_text(CASES.format(names))
    tool("report", "many.xml", "--markdown", "m.md")
    assert len((tmp_path / "m.md").read_bytes()) <= 60_000
    both = tool("report", "many.xml", "--markdown", "-", "--json")
    assert (both.code, both.out) == (2, "")


@pytest.mark.parametrize(
    ("arguments", "package", "said"),
    [
        (("--tables", "t.xlsx"), "xlsxwriter", "[tables]"),
        (("--tables", "t", "--tables-as", "parquet"), "pyarrow", "[tables]"),
    ],
)
def test_a_package_that_is_missing_is_named(arguments, package, said, tmp_path):
    (tmp_path / "r.xml").write_text(GOOD)
    code = f"import sys; sys.modules['{package}'] = None; from plain_verdict.cli import main; sys.exit(main(sys.argv[1:]))"
    command = [sys.executable, "-c", code, "report", "r.xml", *arguments]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (done.returncode, said in done.stderr, (tmp_path / "verdict.html").exists()) == (2, True, False)
