"""Extensions: an installed package adds to the program, is found only where it is needed, and costs only itself."""

import json
import os
import re
import subprocess
import sys

import jsonschema
import pytest

from conftest import ROOT
from plain_verdict import extension
from plain_verdict.cli import watching
from plain_verdict.extension import testing
from plain_verdict.readers import extensions

EXAMPLE = ROOT / "examples" / "extension"
GOOD = '<testsuite name="Quay"><testcase name="lands"/></testsuite>'
READS = "from plain_verdict.extension import *\nclass R:\n    format = 'x'\n    roots = frozenset()\n    def recognises(self, head):\n        return head.text.startswith('X')\n"


def installed(folder, name, group, code, entry="it", version="1.0", module=""):
    """An installed package of one extension; gives the folder to look in."""
    module = module or name.replace("-", "_")
    about = folder / f"{module}-{version}.dist-info"
    about.mkdir(parents=True)
    (about / "METADATA").write_text(f"Metadata-Version: 2.1\nName: {name}\nVersion: {version}\n\nVersion: 9\n")
    (about / "entry_points.txt").write_text(
        f"[console_scripts]\nx = y\n\n[plain_verdict.{group}]\n# ours\n{entry} = {module}:EXTENSION\n"
    )
    if code is not None:
        (folder / f"{module}.py").write_text(code)
    return folder


@pytest.fixture(scope="session")
def harbour(tmp_path_factory):
    """The example, installed as a user would, into a folder of its own."""
    folder = tmp_path_factory.mktemp("site")
    command = ["-m", "uv", "pip", "install", "--quiet", "--offline", "--no-deps", "--no-build-isolation"]
    subprocess.run([sys.executable, *command, "--python", sys.executable, "--target", folder, EXAMPLE], check=True)
    return folder


def test_the_example_adds_a_reader_a_measure_a_section_an_output_and_a_mapping(
    harbour, tool, monkeypatch, tmp_path
):
    monkeypatch.syspath_prepend(harbour)
    listed = tool("extensions").out
    assert "plain-verdict-harbour 1.2.0\n" in listed
    assert f"  {harbour}\n" in listed
    assert "5 extensions; all can be used." in listed
    files = [str(EXAMPLE / name) for name in ("gates.log", "buoys.json")]
    options = ("--config", str(EXAMPLE / "harbour.toml"), "--out", "p.html", "--no-git")
    done = tool("report", *files, *options, "--output", "board=here.txt", "--output", "summary=s.json")
    assert "slow checks” is not met" in done.out
    assert (tmp_path / "here.txt").read_text().startswith("NOT FIT\n3 of 5 passed\n1x nothing seen")
    assert {file["format"] for file in json.loads((tmp_path / "s.json").read_text())["files"]} == {
        "gate-log",
        "buoys",
    }
    outputs = json.loads(tool("report", *files, *options, "--overwrite", "--output", "board=b.txt", "--json").out)
    jsonschema.validate(outputs, json.loads((ROOT / "docs" / "summary.schema.json").read_text()))
    assert outputs["outputs"] == {"board": str(tmp_path / "b.txt")}
    page = (tmp_path / "p.html").read_text("utf-8")
    assert '<a href="#extension-gates">Gates</a>' in page
    assert '<th scope="row"><bdi>South gate</bdi>' in page.replace("\n", "")
    # The whole way without them: nobody reads the files, and nothing is added.
    without = tool("report", *files, *options, "--no-extensions")
    assert without.code == 2
    assert "'slow checks' is not a value of 'measure'" in without.err
    assert tool("report", *files, "--no-extensions").code == 3


@pytest.mark.slow
def test_the_example_passes_its_own_tests_and_strict_types(harbour, tmp_path):
    env = {**os.environ, "PYTHONPATH": str(harbour)}
    for command in (("pytest", "-q", "-p", "no:cacheprovider"), ("mypy", "--cache-dir", str(tmp_path))):
        done = subprocess.run(
            [sys.executable, "-m", *command], check=False, cwd=EXAMPLE, env=env, capture_output=True, text=True
        )
        assert done.returncode == 0, done.stdout + done.stderr


def test_the_reader_of_the_docs_reads_and_all_names_of_the_api_are_in_its_reference():
    page = (ROOT / "docs" / "extensions.md").read_text("utf-8")
    names: dict[str, object] = {}
    exec(re.search(r"```python\n(from plain_verdict.extension.*?)```", page, re.DOTALL)[1], names)
    file = testing.read(names["TallyReader"](), "tally 1\n+ sails\n- lands\n? docks")
    assert [check.outcome for check in file.checks] == ["passed", "failed", "undecided"]
    reference = "".join(path.read_text("utf-8") for path in (ROOT / "docs" / "extension-api").glob("*.md"))
    assert [name for name in extension.__all__ if name != "API_VERSION" and f"## `{name}`" not in reference] == []
    assert all(getattr(extension, name) for name in extension.__all__)
    with pytest.raises(AttributeError, match="no attribute 'album'"):
        extension.album  # noqa: B018  looked for, not used


def reader(read):
    return f"{READS}    def read(self, source, limits):\n        {read}\nEXTENSION = R\n"


def made(fields):
    return reader(f"return ResultFile(checks=[Check('', Kind.API, ('A',), {fields})])")


# Kind, code, and what is reported; a reader that fails makes what it would have read undecided.
FAILING = {
    "at import": ("readers", "raise RuntimeError('no berth')", "the reader “it” of bad 1.0 failed (RuntimeError: no berth)"),
    "by ending the program": ("readers", "raise SystemExit(0)", "failed (SystemExit: 0)"),
    "by its absence": ("readers", None, "failed (ModuleNotFoundError: No module named"),
    "without what it names": ("readers", "", "failed (AttributeError"),
    "as no reader": ("readers", "EXTENSION = 7", "lacks recognises and read"),
    "of a newer program": ("readers", f"{READS}    api_version = 2\nEXTENSION = R", "the reader “it” of bad 1.0 is for version 2 of the extension API; this program has 1"),
    "when it is made": ("readers", f"{READS}    def __init__(self):\n        1 / 0\nEXTENSION = R", "failed (ZeroDivisionError"),
    "at a look": ("readers", "class R:\n    read = 0\n    def recognises(self, head):\n        raise KeyError('mast')\nEXTENSION = R", "r.x: is not read: the reader “it” of bad 1.0 failed (KeyError: 'mast')"),
    "while it reads": ("readers", reader("raise KeyError('keel')"), "r.x: the reader “it” of bad 1.0 failed (KeyError: 'keel')"),
    "in words": ("readers", reader("raise ReadError('is cut off', hint='run it again')"), "r.x: is cut off\nhint: run it again"),
    "with no file": ("readers", reader("return None"), "failed (AttributeError"),
    "with no outcome": ("readers", made("'n', (Attempt('maybe'),)"), "made what is not a result (Invalid enum value 'maybe'"),
    "with no attempt": ("readers", made("'n', ()"), "made a check without an attempt"),
    "with no check": ("readers", reader("return ResultFile()"), "r.x holds no check"),
}  # fmt: skip


@pytest.mark.parametrize("case", FAILING)
def test_a_reader_that_fails_costs_what_it_would_have_read(case, tool, monkeypatch, tmp_path):
    kind, code, said = FAILING[case]
    module = f"bad_{list(FAILING).index(case)}"
    monkeypatch.syspath_prepend(installed(tmp_path / "site", "bad", kind, code, module=module))
    (tmp_path / "r.x").write_text("X marks the spot")
    (tmp_path / "g.xml").write_text(GOOD)
    done = tool("report", "g.xml", "r.x", "--json", "--enforce")
    assert said in done.err
    assert "bug" not in done.err
    found = json.loads(done.out)
    assert (done.code, found["verdict"], found["counts"]["passed"]) == (1, "undecided", 1)
    without = tool("report", "g.xml", "r.x", "--json", "--no-extensions")
    assert "bad 1.0" not in without.err
    # A file that the program reads itself needs no extension, however broken.
    assert json.loads(tool("report", "g.xml", "--json").out)["verdict"] == "fit"


PASSED = "Attempt(Outcome.PASSED"
STEP = "Step('s', Outcome.PASSED, steps=(Step('t', Outcome.FAILED),))"
WORSE = {
    "a skip after a failure": ("checks=[c('n', Attempt(Outcome.FAILED), Attempt(Outcome.SKIPPED))]", "not fit"),
    "a pass with a problem": (f"checks=[c('n', {PASSED}, problems=(Problem(Outcome.FAILED, message='m'),)))]", "not fit"),
    "a pass over a step below a step": (f"checks=[c('n', {PASSED}, steps=({STEP},)))]", "not fit"),
    "a skip over a failed step": (f"checks=[c('n', Attempt(Outcome.SKIPPED, steps=({STEP},)))]", "not fit"),
    "a pass over an unmet expectation": (f"checks=[c('n', {PASSED}, expectations=(Expectation('s', Outcome.FAILED),)))]", "not fit"),
    "one of two of one name": (f"checks=[c('n', Attempt(Outcome.FAILED)), c('n', {PASSED}))]", "not fit"),
    "a note after twenty": (f"checks=[c('n', {PASSED}))], notes=[ReadingNote('', str(n)) for n in range(30)] + [ReadingNote('', 'cut', results_missing=True)]", "undecided"),
    "a score": (f"checks=[c('n', {PASSED}))], scores=(1,)", "undecided"),
    "less than no time": (f"checks=[c('n', {PASSED}, took_s=-1.0))]", "undecided"),
    "suites that break": (f"checks=[c('n', {PASSED}))], suites=(1 / 0 for _ in range(1))", "undecided"),
    "an attempt that passed": ("checks=[c('n', Attempt(Outcome.FAILED), Attempt(Outcome.PASSED))]", "fit"),
}  # fmt: skip


@pytest.mark.parametrize("case", WORSE)
def test_no_failure_vanishes_in_what_a_reader_makes(case, tool, monkeypatch, tmp_path):
    fields, verdict = WORSE[case]
    code = (
        reader(f"return ResultFile({fields})")
        + "def c(name, *attempts):\n    return Check('', Kind.API, ('A',), name, attempts)\n"
    )
    module = f"worse_{list(WORSE).index(case)}"
    monkeypatch.syspath_prepend(installed(tmp_path / "site", "odd", "readers", code, module=module))
    (tmp_path / "r.x").write_text("X")
    (tmp_path / "g.xml").write_text(GOOD)
    done = tool("report", "r.x", "g.xml", "--json")
    assert json.loads(done.out)["verdict"] == verdict, done.err
    assert "bug" not in done.err


def test_a_draft_does_not_take_the_place_of_an_extension_that_can_not_be_used(tool, monkeypatch, tmp_path):
    monkeypatch.syspath_prepend(installed(tmp_path / "site", "bad", "readers", "1 / 0", module="bad_draft"))
    (tmp_path / "out").mkdir()
    (tmp_path / "out" / "g.xml").write_text(GOOD)
    (tmp_path / "out" / "r.csv").write_text("name,outcome\nsails,passed\nlands,passed\ndocks,passed\n")
    assert json.loads(tool("report", "out", "--json").out)["verdict"] == "undecided"
    assert json.loads(tool("report", "out", "--json", "--no-extensions").out)["verdict"] == "fit"


def test_a_reader_that_can_not_be_used_is_named_also_where_a_folder_is_given(tool, monkeypatch, tmp_path):
    monkeypatch.syspath_prepend(installed(tmp_path / "site", "bad", "readers", "1 / 0", module="bad_folder"))
    (tmp_path / "out").mkdir()
    (tmp_path / "out" / "g.xml").write_text(GOOD)
    assert json.loads(tool("report", "out", "--json").out)["verdict"] == "fit"
    (tmp_path / "out" / "r.x").write_text("X")
    found = tool("report", "out", "--json")
    assert json.loads(found.out)["verdict"] == "undecided"
    assert "ZeroDivisionError" in found.err


MEASURE = (
    "from plain_verdict.extension import *\nEXTENSION = Measure('it', {unit}, {find}, lambda _, n: f'{{n:g}} t')"
)
SECTION = "from plain_verdict.extension import *\nEXTENSION = Section('Cargo', lambda report: {blocks})"
WRITER = "class EXTENSION:\n    suffix = '.txt'\n    def render(self, report):\n        {render}\n"
OTHERS = {
    "a measure's import": ("measures", "1 / 0", "the measure “it” of bad 1.0 failed (ZeroDivisionError"),
    "a measure": ("measures", MEASURE.format(unit="COUNT", find="lambda _: 1 / 0"), "failed (ZeroDivisionError"),
    "a measure of no number": ("measures", MEASURE.format(unit="COUNT", find="lambda _: 'many'"), "measured 'many', which is not a number"),
    "a measure of no unit": ("measures", MEASURE.format(unit="'t'", find="lambda _: 1"), "is not a Measure with a unit of the program"),
    "a section's import": ("sections", "1 / 0", "the section “it” of bad 1.0 failed (ZeroDivisionError"),
    "a section": ("sections", SECTION.format(blocks="1 / 0"), "failed (ZeroDivisionError"),
    "a section of something else": ("sections", SECTION.format(blocks="['<b>']"), "failed (TypeError: str is not a Text or a Table)"),
    "a table of uneven rows": ("sections", SECTION.format(blocks="[Table(('a',), ((1, 2),))]"), "a row has 2 cells, and the table has 1 columns"),
    "no section": ("sections", "EXTENSION = 7", "is not a Section"),
    "an output": ("writers", WRITER.format(render="1 / 0"), "the output “it” of bad 1.0 failed (ZeroDivisionError"),
    "an output of no file": ("writers", WRITER.format(render="return []"), "wrote 0 files"),
    "no output": ("writers", "EXTENSION = 7", "lacks render and suffix"),
}  # fmt: skip


@pytest.mark.parametrize("case", OTHERS)
def test_what_else_fails_costs_a_line_and_the_page_is_written(case, tool, monkeypatch, tmp_path):
    kind, code, said = OTHERS[case]
    module = f"other_{list(OTHERS).index(case)}"
    monkeypatch.syspath_prepend(installed(tmp_path / "site", "bad", kind, code, module=module))
    (tmp_path / "g.xml").write_text(GOOD)
    (tmp_path / "s.toml").write_text('[[condition]]\nmeasure = "it"\nat_most = 3\n' if kind == "measures" else "")
    options = ("--output", "it=o.txt") if kind == "writers" else ()
    done = tool("report", "g.xml", "--config", "s.toml", *options)
    page = (tmp_path / "verdict.html").read_text("utf-8")
    assert "Traceback" not in done.err
    if kind == "measures":
        assert done.out.startswith("Undecided")
        assert said.replace("'", "&#39;") in page
    else:
        assert said in done.err
        assert done.out.startswith("Fit")
    if kind == "sections":
        assert "This section could not be made" in page
    assert done.code == (5 if kind == "writers" else 0)
    assert not (tmp_path / "o.txt").exists()
    listed = tool("extensions")
    assert (listed.code, said in listed.err) in ((5, True), (0, False))


def test_what_an_extension_shows_is_escaped_and_masked(tool, monkeypatch, tmp_path):
    blocks = "[Text('a<script>\\nQuay-secret-9'), Table(('<b>', 'n'), (('<i>', 1234.5), (None, 7)))]"
    monkeypatch.syspath_prepend(
        installed(tmp_path / "site", "fine", "sections", SECTION.format(blocks=blocks), module="fine_section")
    )
    (tmp_path / "g.xml").write_text(GOOD)
    (tmp_path / "secrets.txt").write_text("Quay-secret-9\n")
    for layout, file in (("page", "verdict.html"), ("folder", "out/index.html")):
        tool(
            "report",
            "g.xml",
            "--layout",
            layout,
            "--out",
            file.removesuffix("/index.html"),
            "--mask-values",
            "secrets.txt",
        )
        page = (tmp_path / file).read_text("utf-8")
        assert "a&lt;script&gt;<br>" in page
        assert "&lt;i&gt;" in page
        assert "1,234.5" in page
        assert "Quay-secret-9" not in page


def test_a_section_shows_checks_of_the_run_numbers_of_any_library_and_what_it_leaves_out(
    tool, monkeypatch, tmp_path
):
    cells = "(list(report.run.checks)[0], numpy.int64(12345), numpy.float64('nan')), (Check('x', Kind.API, (), 'strange Quay-secret-9', ()), 1, 2.5)"
    blocks = f"[Table(('check', 'n', 'm'), ({cells}, *((str(n), 0, 0) for n in range(10_000))))]"
    site = installed(
        tmp_path / "site",
        "a",
        "sections",
        "import numpy\n" + SECTION.format(blocks=blocks),
        entry="潮",
        module="tide_section",
    )
    installed(site, "b", "sections", SECTION.format(blocks="[Text('here')]"), entry="港", module="port_section")
    monkeypatch.syspath_prepend(site)
    (tmp_path / "g.xml").write_text(GOOD)
    (tmp_path / "secrets.txt").write_text("Quay-secret-9\n")
    tool("report", "g.xml", "--mask-values", "secrets.txt")
    page = (tmp_path / "verdict.html").read_text("utf-8")
    assert re.search(r'<th scope="row"><a href="#c-[0-9a-f]+">.*?lands', page, re.DOTALL)
    assert "12,345" in page
    assert "Quay-secret-9" not in page
    assert "2 more rows left out." in page
    assert len(set(re.findall(r'<h2 id="(extension-[^"]+)"', page))) == 2


def test_a_measure_may_count_with_another_library(tool, monkeypatch, tmp_path):
    code = "import numpy\n" + MEASURE.format(unit="COUNT", find="lambda _: numpy.int64(9)")
    monkeypatch.syspath_prepend(installed(tmp_path / "site", "n", "measures", code, module="numpy_measure"))
    (tmp_path / "g.xml").write_text(GOOD)
    (tmp_path / "s.toml").write_text('[[condition]]\nmeasure = "it"\nat_most = 3\n')
    assert tool("report", "g.xml", "--config", "s.toml").out.startswith("Not fit")


def test_what_an_extension_prints_does_not_stand_in_the_output(tool, monkeypatch, tmp_path):
    code = "print('ahoy')\n" + made("'n', (Attempt(Outcome.PASSED),)")
    monkeypatch.syspath_prepend(installed(tmp_path / "site", "loud", "readers", code, module="loud_reader"))
    (tmp_path / "r.x").write_text("X")
    done = tool("report", "r.x", "--json")
    assert json.loads(done.out)["verdict"] == "fit"
    assert "ahoy" in done.err


def test_texts_of_an_extension_are_cut_cleaned_and_given_an_id(tool, monkeypatch, tmp_path):
    code = made(
        "'a\\x1b[31m\\nb' + 'c' * 900, (Attempt(Outcome.FAILED, problems=(Problem(Outcome.FAILED, message='x' * 99999),)),)"
    )
    monkeypatch.syspath_prepend(installed(tmp_path / "site", "long", "readers", code, module="long_reader"))
    (tmp_path / "r.x").write_text("X")
    (check,) = json.loads(tool("report", "r.x", "--json", "--detail").out)["checks"]
    assert check["name"].startswith("a bccc")
    assert len(check["name"]) == 500
    assert check["id"].startswith("c-")
    assert len(json.dumps(check)) < 60_000


def test_what_a_measure_says_is_masked(tool, monkeypatch, tmp_path):
    for number, find in enumerate(("lambda _: 1 / 0 if open('gone-Quay-secret-9') else 0", "lambda _: 9")):
        code = MEASURE.format(unit="COUNT", find=find).replace("{n:g} t", "Quay-secret-9")
        site = installed(tmp_path / f"site{number}", "bad", "measures", code, module=f"masked_{number}")
        (tmp_path / "g.xml").write_text(GOOD)
        (tmp_path / "secrets.txt").write_text("Quay-secret-9\n")
        (tmp_path / "s.toml").write_text('[[condition]]\nmeasure = "it"\nat_most = 3\n')
        with monkeypatch.context() as patched:
            patched.syspath_prepend(site)
            done = tool(
                "report", "g.xml", "--config", "s.toml", "--mask-values", "secrets.txt", "--json", "--overwrite"
            )
        assert json.loads(done.out)["verdict"] == "not fit" if number else "undecided"
        assert "secret-9" not in done.out + done.err + (tmp_path / "verdict.html").read_text("utf-8")


def test_of_a_package_that_stands_in_two_folders_the_first_counts(tool, monkeypatch, tmp_path):
    for version in ("1.0", "2.0"):
        code = made(f"'of {version}', (Attempt(Outcome.PASSED),)")
        monkeypatch.syspath_prepend(
            installed(tmp_path / version, "both", "readers", code, version=version, module="both_reader")
        )
    (tmp_path / "r.x").write_text("X")
    assert json.loads(tool("report", "r.x", "--json", "--detail").out)["checks"][0]["name"] == "of 2.0"
    assert "both 1.0" not in tool("extensions").out


def test_two_of_one_name_are_both_left_out(tool, monkeypatch, tmp_path):
    site = installed(
        tmp_path / "site", "first", "readers", made("'n', (Attempt(Outcome.PASSED),)"), module="first_reader"
    )
    installed(
        site, "second", "readers", made("'n', (Attempt(Outcome.PASSED),)"), module="second_reader", version="2.0"
    )
    monkeypatch.syspath_prepend(site)
    (tmp_path / "r.x").write_text("X")
    done = tool("report", "r.x")
    assert "the reader “it” is in first 1.0 and second 2.0\nhint: uninstall one of them" in done.err
    assert done.code == 3


def test_the_program_s_own_names_win(tool, monkeypatch, tmp_path):
    site = installed(
        tmp_path / "site",
        "sly",
        "measures",
        MEASURE.format(unit="COUNT", find="lambda _: 0"),
        entry="failed",
        module="sly_measure",
    )
    installed(site, "slier", "writers", WRITER.format(render="1 / 0"), entry="junit", module="sly_writer")
    monkeypatch.syspath_prepend(site)
    (tmp_path / "g.xml").write_text(GOOD.replace("/>", "><failure/></testcase>"))
    (tmp_path / "s.toml").write_text('[[condition]]\nmeasure = "failed"\nat_most = 0\n')
    done = tool("report", "g.xml", "--config", "s.toml", "--output", "junit=j.xml")
    assert done.out.startswith("Not fit")
    assert "<testsuite" in (tmp_path / "j.xml").read_text()
    assert tool("extensions").err.count("has the name of one of the program, which is used instead") == 2


WRONG = (
    ("--output", "summary", "--output 'summary' is not NAME=FILE"),
    ("--output", "sumary=s.json", "did you mean 'summary'?"),
    ("--output", "page=p.html", "'page' is not an output that --output knows"),
    ("--output", "summary=.", "is a folder, where a file is wanted"),
)


@pytest.mark.parametrize(("option", "value", "said"), WRONG)
def test_a_wrong_output_is_named_before_anything_is_read(option, value, said, tool, tmp_path):
    (tmp_path / "g.xml").write_text(GOOD)
    done = tool("report", "g.xml", option, value)
    assert done.code == 2
    assert said in done.err
    assert not (tmp_path / "verdict.html").exists()


def test_an_output_whose_library_is_missing_is_named_before_anything_is_read(tool, monkeypatch, tmp_path):
    monkeypatch.setitem(sys.modules, "typst", None)
    (tmp_path / "g.xml").write_text(GOOD)
    done = tool("report", "g.xml", "--output", "pdf=p.pdf")
    assert (done.code, "[pdf]" in done.err, (tmp_path / "verdict.html").exists()) == (2, True, False)


def test_outputs_by_name_are_known_as_written_so_that_watching_leaves_them_alone(tool, monkeypatch, tmp_path):
    (tmp_path / "g.xml").write_text(GOOD)
    seen = []
    monkeypatch.setattr(watching, "watch", lambda _, once: seen.append(once()[1]) or 0)
    tool("report", "g.xml", "--watch", "--output", "summary=s.json")
    assert {path.name for path in seen[0]} == {"verdict.html", "s.json"}


def test_a_settings_file_that_was_found_writes_no_output_outside_its_repository(tool, tmp_path):
    (tmp_path / "g.xml").write_text(GOOD)
    (tmp_path / "plain-verdict.toml").write_text('[report]\noutputs = ["summary=../out.json", "junit=in.xml"]\n')
    done = tool("report", "g.xml")
    assert "report.outputs is ignored" in done.err
    assert (tmp_path / "in.xml").is_file()
    assert not (tmp_path.parent / "out.json").exists()


def test_what_lies_in_the_working_folder_is_no_extension(program, tmp_path):
    installed(tmp_path, "sly", "readers", "open('ran.txt', 'w')\n" + made("'n', (Attempt(Outcome.PASSED),)"))
    installed(tmp_path / "below", "sly", "sections", "open('ran.txt', 'w')\n")
    (tmp_path / "r.x").write_text("X")
    (tmp_path / "g.xml").write_text(GOOD)
    assert program("report", "g.xml", "r.x", env={"PYTHONPATH": "."}).code == 0
    assert not (tmp_path / "ran.txt").exists()
    assert "No extension is installed" in program("extensions").out


RIGHT = '[[mapping]]\nname = "m"\nneeds = ["$.t"]\n[mapping.check]\neach = "$.t[*]"\nname = "n"\noutcome = { from = "o", passed = "ok" }\n'
MAPPINGS = {
    "m.toml": (RIGHT, ""),
    "m.txt": (RIGHT, "holds no mapping: data_2.formats is not a folder with TOML files"),
    "k.toml": (RIGHT.replace("name = \"n\"", "nme = \"n\""), "the mapping “it” of data 1.0: k.toml, 6"),
    "t.toml": ("[[", "the mapping “it” of data 1.0: t.toml"),
}  # fmt: skip


@pytest.mark.parametrize("name", MAPPINGS)
def test_mappings_of_an_extension_are_data_and_a_wrong_one_is_named(name, tool, monkeypatch, tmp_path):
    text, said = MAPPINGS[name]
    module = f"data_{list(MAPPINGS).index(name) + 1}"
    site = installed(tmp_path / "site", "data", "mappings", None, module=module)
    about = site / f"{module}-1.0.dist-info" / "entry_points.txt"
    about.write_text(about.read_text().replace(":EXTENSION", ".formats"))
    (site / module / "formats").mkdir(parents=True)
    (site / module / "__init__.py").write_text("raise SystemExit('no code of it runs')")
    (site / module / "formats" / name).write_text(text)
    monkeypatch.syspath_prepend(site)
    (tmp_path / "r.json").write_text('{"t": [{"n": "sails", "o": "ok"}]}')
    done = tool("report", "r.json")
    assert said in done.err
    assert done.code == (3 if said else 0)
    if not said:  # another mapping for the same file: what only it reads counts as well
        sums = '[[mapping]]\nname = "sums"\nneeds = ["$.t"]\nkind = "load"\n[mapping.request]\neach = "$.s[*]"\nname = "n"\ncount = "c"\nfailed = "f"\n'
        (site / module / "formats" / "s.toml").write_text(sums)
        extensions._load_all.cache_clear()
        (tmp_path / "r.json").write_text('{"t": [{"n": "sails", "o": "ok"}], "s": [{"n": "GET", "c": 9, "f": 3}]}')
        found = json.loads(tool("report", "r.json", "--json", "--overwrite").out)
        assert (found["files"][0]["format"], found["reported"][0]["requests"][0]["failed"]) == ("m + sums", 3)
    assert tool("extensions").code == (5 if said else 0)
