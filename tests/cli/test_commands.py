"""The command line as a pipeline meets it: exit codes, streams, inputs, files that are whole or not there."""

import json
import os
import pty
import stat
import subprocess
import sys
from contextlib import suppress
from pathlib import Path

import jsonschema
import pytest

from conftest import MADE, ROOT

DOCS = ROOT / "docs"
GOOD = '<testsuite name="Quay"><testcase name="sails"/></testsuite>'
BAD = '<testsuite name="Quay"><testcase name="sinks"><failure message="water"/></testcase></testsuite>'
CUT = '<testsuite name="Quay"><testcase name="sails"/>'


@pytest.fixture
def results(tmp_path: Path) -> Path:
    folder = tmp_path / "out"
    (folder / "deep" / "er").mkdir(parents=True)
    (folder / "good.xml").write_text(GOOD)
    (folder / "deep" / "bad.xml").write_text(BAD)
    (folder / "deep" / "er" / "cut.result").write_text(CUT)
    (folder / "deep" / "notes.txt").write_text("not a result")
    (folder / ".hidden.xml").write_text("<project/>")
    return folder


# Arguments, exit code, verdict.
RUNS = [
    (["out/good.xml"], 0, "fit"),
    (["out/good.xml", "--enforce", "--strict"], 0, "fit"),
    (["out/deep/bad.xml"], 0, "not fit"),
    (["out/deep/bad.xml", "--enforce"], 1, "not fit"),
    (["out/deep/bad.xml", "--strict"], 0, "not fit"),
    (["out/deep/er/cut.result"], 0, "undecided"),
    (["out/deep/er/cut.result", "--enforce"], 1, "undecided"),
    (["out/deep/er/cut.result", "--strict"], 4, "undecided"),
    (["out/good.xml", "gone.xml"], 0, "undecided"),
    (["out/good.xml", "gone.xml", "--strict"], 4, "undecided"),
    (["gone.xml"], 3, "undecided"),
    (["gone*.xml"], 3, "undecided"),
    (["out/deep/notes.txt"], 3, "undecided"),
]


@pytest.mark.parametrize(("arguments", "code", "verdict"), RUNS, ids=[" ".join(row[0]) for row in RUNS])
def test_exit_codes(arguments, code, verdict, tool, results, tmp_path):
    done = tool("report", *arguments, "--json")
    summary = json.loads(done.out)
    assert (done.code, summary["verdict"]) == (code, verdict)
    assert ("page" in summary) == (tmp_path / "verdict.html").exists() == (code != 3)


@pytest.mark.parametrize(
    ("arguments", "paths"),
    [
        (["out"], ["out/deep/bad.xml", "out/deep/er/cut.result", "out/good.xml"]),
        (["out/**/*.xml"], ["out/deep/bad.xml", "out/good.xml"]),
        (["out/*.xml", "out/good.xml", "./out/../out/good.xml"], ["out/good.xml"]),
        (["out/**"], ["out/deep/bad.xml", "out/deep/er/cut.result", "out/deep/notes.txt", "out/good.xml"]),
    ],
)
def test_files_folders_and_patterns(arguments, paths, tool, results):
    forwards = json.loads(tool("inspect", *arguments, "--json").out)
    assert sorted(file["path"] for file in forwards["files"]) == paths
    assert json.loads(tool("inspect", *reversed(arguments), "--json").out) == forwards


def test_a_name_with_brackets_is_a_file_and_an_absolute_path_tells_nothing_of_the_machine(
    tool, tmp_path, monkeypatch
):
    (tmp_path / "run [1].xml").write_text(GOOD)
    assert json.loads(tool("inspect", "run [1].xml", "--json").out)["counts"]["passed"] == 1
    (tmp_path / "elsewhere").mkdir()
    monkeypatch.chdir(tmp_path / "elsewhere")
    files = json.loads(tool("inspect", str(tmp_path / "run [1].xml"), "--json").out)["files"]
    assert files[0]["path"] == f"{tmp_path.name}/run [1].xml"


def test_standard_input_and_one_json_object_and_nothing_else(program, tmp_path):
    done = program("report", "-", "--json", stdin=BAD.encode())
    assert done.code == 0
    summary = json.loads(done.out)
    assert summary["sentence"] == "Not fit: the only check failed."
    assert summary["files"][0]["path"] == "standard input"
    assert summary["page"] == str(tmp_path / "verdict.html")


def test_the_summary_keeps_to_its_schema(tool, results):
    schema = json.loads((DOCS / "summary.schema.json").read_text())
    for command in ("report", "inspect"):
        summary = json.loads(tool(command, "out", "gone.xml", "--json").out)
        jsonschema.validate(summary, schema)
        assert summary["schema"] == "plain-verdict/summary/1"
        total = {key: sum(file["counts"][key] for file in summary["files"]) for key in summary["counts"]}
        assert total == summary["counts"] == {"passed": 2, "failed": 1, "errored": 0, "skipped": 0, "undecided": 0}
        assert ("page" in summary) == (command == "report")


def test_what_the_terminal_says(tool, results, tmp_path):
    done = tool("report", "out", "--out", "pages/today.html")
    lines = done.out.splitlines()
    assert lines[0] == "Not fit: 1 of 3 checks failed."
    assert lines[1:3] == ["    1  water", "       Quay › sinks"]
    assert lines[-1] == str(tmp_path / "pages" / "today.html")
    assert (
        done.err == "note: out/deep/er/cut.result is truncated: 1 whole check could be read (it ends at line 1).\n"
    )
    quiet = tool("report", "out", "--quiet")
    assert (quiet.out, quiet.err) == ("", "")
    inspected = tool("inspect", "out")
    assert "out/deep/notes.txt\n  skipped: is not a result file" in inspected.out
    assert "1 check: 1 failed" in inspected.out


def test_a_hostile_name_cannot_steer_the_terminal(tool, tmp_path):
    name = "a\x1b]0;owned\x07\x1b[2Jb"
    (tmp_path / "r.xml").write_text(
        f'<testsuite><testcase name="{name}"><failure message="\x1b[8mx\r"/></testcase></testsuite>'
    )
    (tmp_path / "bad\x1b[2J\nname.xml").write_text("")
    done = tool("report", ".")
    assert "\x1b" not in done.out + done.err
    assert "ab" in done.out


@pytest.mark.parametrize(
    ("arguments", "line"),
    [
        (["report"], "RESULTS is missing"),
        (["report", "good.xml", "--out", "{when}.html"], "{when} is not a placeholder"),
        (["report", "good.xml", "--out", "good.xml/page.html"], "its folder can't be made"),
        (["reprot"], "did you mean report?"),
    ],
)
def test_wrong_usage_is_one_clear_line_and_exit_2(arguments, line, tool, tmp_path):
    (tmp_path / "good.xml").write_text(GOOD)
    done = tool(*arguments)
    assert done.code == 2
    assert line in done.err
    assert "Traceback" not in done.err


def test_a_page_is_whole_or_the_old_one_stays(program, tmp_path):
    (tmp_path / "good.xml").write_text(GOOD)
    (tmp_path / "verdict.html").write_text("the old page")
    import subprocess
    import sys

    # A file size limit stands for a full disk: writing fails half-way.
    code = "import resource,signal,sys;signal.signal(signal.SIGXFSZ,signal.SIG_IGN);resource.setrlimit(resource.RLIMIT_FSIZE,(9000,9000));from plain_verdict.cli import main;sys.exit(main(['report','good.xml']))"
    done = subprocess.run(
        [sys.executable, "-B", "-c", code], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert done.returncode == 2
    assert "could not be written" in done.stderr
    assert "Traceback" not in done.stderr
    assert (tmp_path / "verdict.html").read_text() == "the old page"
    assert sorted(path.name for path in tmp_path.iterdir()) == ["good.xml", "verdict.html"]


def test_inputs_that_are_no_files_are_refused_and_the_rest_counts(tool, tmp_path):
    (tmp_path / "good.xml").write_text(GOOD)
    os.mkfifo(tmp_path / "pipe.xml")
    (tmp_path / "dangling.xml").symlink_to(tmp_path / "nowhere")
    (tmp_path / "empty").mkdir()
    done = tool("report", "good.xml", "pipe.xml", "dangling.xml", "empty")
    assert done.code == 0
    assert "error: pipe.xml: can't be opened (it is not a regular file)" in done.err
    assert "error: dangling.xml: can't be opened" in done.err
    assert "error: empty: is a folder without any file" in done.err


def test_open_starts_the_users_browser(program, tmp_path):
    (tmp_path / "good.xml").write_text(GOOD)
    browser = tmp_path / "browser"
    browser.write_text(f'#!/bin/sh\necho "$1" > "{tmp_path}/opened"\n')
    browser.chmod(browser.stat().st_mode | stat.S_IXUSR)
    assert program("report", "good.xml", "--open", env={"BROWSER": f"{browser} %s"}).code == 0
    assert (tmp_path / "opened").read_text().strip() == (tmp_path / "verdict.html").as_uri()


def test_the_demo_shows_what_it_promises(tool, tmp_path):
    done = tool("demo", "here")
    assert done.code == 0
    assert "23 of 128 checks failed or could not finish, 6 of them not counted." in done.out
    assert "What to look at" in done.out
    assert (tmp_path / "here" / "verdict.html").stat().st_size < 1_000_000
    assert len(list((tmp_path / "here" / "results").glob("*.*"))) == 8


def in_terminal(folder, *arguments, **variables):
    """What a program of Python writes to a terminal."""
    reader, writer = pty.openpty()
    env = {**os.environ, "SOURCE_DATE_EPOCH": MADE, "TERM": "xterm-256color", **variables}
    running = subprocess.Popen([sys.executable, *arguments], cwd=folder, env=env, stdout=writer, stderr=writer)
    os.close(writer)
    shown = b""
    with suppress(OSError):  # so a terminal ends on Linux
        while piece := os.read(reader, 65536):
            shown += piece
    os.close(reader)
    running.wait(60)
    return shown.decode()


READS = "import plain_verdict.cli.terminal as t\nt._PROGRESS_AFTER_S = t._PAUSE_S = 0\nwith t.Progress('Reading') as on_progress:\n    on_progress(3, 4, 'desk/a\\x1b[31m.xml')\n"


def test_a_terminal_gets_colour_and_progress_and_nobody_else_does(tmp_path):
    (tmp_path / "r.xml").write_text(BAD)
    judge = ("-m", "plain_verdict", "judge", "r.xml")
    assert "\x1b[1;31mNot fit" in in_terminal(tmp_path, *judge)
    for variables in ({"NO_COLOR": "1"}, {"TERM": "dumb"}):
        assert "\x1b" not in in_terminal(tmp_path, *judge, **variables)
    without_bar = in_terminal(tmp_path, "-c", f"import sys\nsys.modules['rich.console'] = None\n{READS}")
    assert without_bar.endswith("\x1b[KReading a?[31m.xml 75 %\r\x1b[K")
    with_bar = in_terminal(tmp_path, "-c", READS)
    assert "Reading a?[31m.xml" in with_bar
    assert "75%" in with_bar
