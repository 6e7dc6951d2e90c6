"""What can be used from Python, and that its page tells the truth."""

import re
import shutil
import subprocess
import sys
import zipfile
from datetime import UTC, datetime

import pytest

import plain_verdict
from conftest import ROOT
from plain_verdict import PageInfo, ReadOptions, Report, Rules, UsageError, judge, read, render
from plain_verdict.cli.demo.files import RESULTS
from plain_verdict.masking import MaskRules
from plain_verdict.writers import all_writers

MADE = datetime(2026, 11, 22, 2, 0, tzinfo=UTC)
PAGE = (ROOT / "docs" / "python.md").read_text("utf-8")
EXPORTS = [
    "MaskRules",
    "OutputFile",
    "PageInfo",
    "PlainVerdictError",
    "ReadError",
    "ReadOptions",
    "Report",
    "Rules",
    "Run",
    "UsageError",
    "Verdict",
    "WriteError",
    "Writer",
    "judge",
    "read",
    "render",
    "secrets_of_environment",
]


def test_the_exports_are_these_and_all_of_them_are_there_and_documented():
    assert sorted(plain_verdict.__all__) == sorted(EXPORTS)
    listed = [name for names in plain_verdict._MODULES.values() for name in names]
    assert sorted(listed) == sorted(EXPORTS)
    for name in EXPORTS:
        assert getattr(plain_verdict, name).__doc__, name
        assert f"`{name}" in PAGE, name
    with pytest.raises(AttributeError, match="no attribute 'album'"):
        plain_verdict.album  # noqa: B018  looked for, not used


EXAMPLE_OUTPUTS = {
    "page": "verdict.html",
    "markdown": "verdict.md",
    "summary": "summary.json",
    "workbook": "tables.xlsx",
}
"""Outputs of text and of bytes, with the file that the example writes."""


@pytest.mark.parametrize("output", EXAMPLE_OUTPUTS)
def test_the_example_of_the_docs_runs_for_text_and_bytes(output, tmp_path):
    shutil.copytree(RESULTS, tmp_path / "results")
    code = re.search(r"<!-- python example -->\n```python\n(.*?)```", PAGE, re.DOTALL)[1]
    code = code.replace('"page")', f'"{output}")')
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, check=True)
    assert done.stdout.startswith("Not fit: 14 of 99 checks failed or could not finish (11 functional and 3 API), ")
    (written,) = (path for path in tmp_path.iterdir() if path.is_file())
    assert written.name == EXAMPLE_OUTPUTS[output]
    archive = zipfile.ZipFile(written) if output == "workbook" else None
    data = b"".join(map(archive.read, archive.namelist())) if archive else written.read_bytes()
    assert b"Booking desk" in data


def test_every_output_is_the_same_twice_and_its_name_is_on_the_page(tmp_path):
    (tmp_path / "r.xml").write_text('<testsuite><testcase name="sails"/></testsuite>')
    run = read([str(tmp_path / "r.xml")])
    report = Report(run, judge(run, Rules(), MADE.date()), PageInfo(MADE))
    for writer in all_writers():
        first, second = (
            [(file.name, b"".join(file.chunks())) for file in render(report, writer.name)] for _ in range(2)
        )
        assert first == second
        assert all(content for _, content in first)
    with pytest.raises(UsageError, match="'stone' is not an output"):
        render(report, "stone")


def test_one_path_is_enough_whatever_it_is(tmp_path):
    (tmp_path / "r.xml").write_text('<testsuite><testcase name="sails"/></testsuite>')
    for paths in (str(tmp_path), tmp_path, [tmp_path / "r.xml"], (str(tmp_path / "*.xml"),)):
        assert [check.name for check in read(paths).checks] == ["sails"]


@pytest.mark.parametrize(("off", "said"), [(False, "1 secret was masked"), (True, "Masking is off")])
def test_a_page_from_python_says_what_was_masked(off, said, tmp_path):
    (tmp_path / "r.xml").write_text('<testsuite><testcase name="opens with password=hunter2-8181"/></testsuite>')
    run = read(tmp_path, ReadOptions(masking=MaskRules(off=off)))
    report = Report(run, judge(run, Rules(), MADE.date()), PageInfo(MADE))
    (file,) = render(report, "page")
    page = "".join(file.content)
    assert said in page
    assert ("hunter2-8181" in page) is off
