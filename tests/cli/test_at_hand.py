"""What makes the tool handy: watching, completion, the manual page, facts from the pipeline."""

import json
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest
from selenium.common.exceptions import WebDriverException
from selenium.webdriver.support.ui import WebDriverWait

from conftest import ROOT
from plain_verdict.cli import COMMANDS
from plain_verdict.cli.watching import watch

GOOD = '<testsuite name="Quay"><testcase name="sails"/></testsuite>'
BAD = '<testsuite name="Quay"><testcase name="sails"><failure message="water"/></testcase></testsuite>'


def wait_for(what, seconds: float = 180.0):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = what()
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError("it did not happen")


def stays_the_same(said) -> bool:
    before = said()
    time.sleep(1.5)
    return said() == before


def is_told_of_changes(pid: int) -> bool:
    """Return whether the system tells a process of changes to files (inotify)."""
    return any("inotify wd:" in entry.read_text() for entry in Path(f"/proc/{pid}/fdinfo").iterdir())


@pytest.fixture
def watching(tmp_path):
    """Watch results in its own process; what it prints goes into a file."""
    started = []

    def start(*arguments: str) -> subprocess.Popen:
        out = (tmp_path / "out.txt").open("w")
        command = [sys.executable, "-u", "-m", "plain_verdict", "report", *arguments, "--watch", "--no-git"]
        started.append((subprocess.Popen(command, cwd=tmp_path, stdout=out, stderr=subprocess.STDOUT), out))
        wait_for(lambda: "Watching" in (tmp_path / "out.txt").read_text())
        wait_for(lambda: is_told_of_changes(started[-1][0].pid))
        return started[-1][0]

    yield start
    for process, out in started:
        process.kill()
        process.wait()
        out.close()


@pytest.mark.parametrize("argument", ["results", "results/*.xml", "results/a.xml"])
def test_watching_makes_the_page_anew_says_what_changed_and_ends_well(argument, watching, tmp_path):
    results = tmp_path / "results"
    results.mkdir()
    (results / "a.xml").write_text(GOOD)
    process = watching(argument, "--out", "results/page.html", "--tables", "results/t")
    said = (tmp_path / "out.txt").read_text
    (results / "a.xml").write_text(BAD)
    wait_for(lambda: "Fit before, now not fit." in said())
    assert "Not fit" in (results / "page.html").read_text()
    (results / "a.xml").write_text("<broken")
    wait_for(lambda: "nothing could be read" in said() or "could not" in said() or "error:" in said())
    (results / "a.xml").write_text(GOOD)
    # A file that is half written may be read once more.
    wait_for(lambda: said().count("Fit: the only check passed.") >= 2)
    wait_for(lambda: stays_the_same(said))  # its own files start nothing
    assert not list(results.glob("page-*.html"))
    process.send_signal(signal.SIGINT)
    assert process.wait(180) == 0
    assert "Traceback" not in said()


def test_what_changes_while_the_page_is_made_is_not_lost(tmp_path):
    file = tmp_path / "r.xml"
    file.write_text(GOOD)
    calls = []

    def once():
        calls.append(file.read_text())
        if len(calls) == 2:
            file.write_text(GOOD + "<!-- saved while the page was made -->")
        if len(calls) == 3:
            raise KeyboardInterrupt
        return None, (), (str(file),)

    later = threading.Timer(2.0, lambda: file.write_text(BAD))
    later.start()
    watch([str(tmp_path)], once)
    assert [text.endswith("made -->") for text in calls] == [False, False, True]


def test_an_open_page_loads_itself_and_keeps_its_view(watching, tmp_path, browser):
    (tmp_path / "r.xml").write_text(BAD)
    watching("r.xml", "--out", "page.html")
    browser.get((tmp_path / "page.html").as_uri() + "#show=failed")
    # In one go: the page may load itself between two questions.
    view = """const shown = [...document.querySelectorAll(".show button[aria-pressed=true]")];
    return [document.body?.textContent.includes(arguments[0]), location.hash, shown.map(one => one.textContent.trim())]"""
    wanted = [True, "#show=failed", ["failed"]]
    assert browser.execute_script(view, "water") == wanted
    (tmp_path / "r.xml").write_text(BAD.replace("water", "ice"))
    wait = WebDriverWait(browser, 180, ignored_exceptions=(WebDriverException,))
    wait.until(lambda driver: driver.execute_script(view, "ice") == wanted)
    assert '<noscript><meta http-equiv="refresh"' in (tmp_path / "page.html").read_text()


def test_only_a_watched_page_loads_itself(tool, tmp_path):
    (tmp_path / "r.xml").write_text(GOOD)
    tool("report", "r.xml")
    page = (tmp_path / "verdict.html").read_text()
    assert 'http-equiv="refresh"' not in page
    assert "data-reload=" not in page.partition("<script>")[0]
    for arguments in (("-",), ("r.xml", "--json"), ("s3://bucket/r.xml",)):
        assert tool("report", *arguments, "--watch").code == 2


def completed(script: Path, *words: str) -> list[str]:
    """What bash offers after these words."""
    line = " ".join(f"'{word}'" for word in words)
    code = f"""
    source {script}
    COMP_WORDS=({line}); COMP_CWORD={len(words) - 1}
    $(complete -p plain-verdict | sed 's/.*-F \\([^ ]*\\).*/\\1/') plain-verdict '{words[-1]}' '{words[-2]}'
    printf '%s\\n' "${{COMPREPLY[@]}}"
    """
    done = subprocess.run(["bash", "-c", code], capture_output=True, text=True, check=True)
    return done.stdout.split()


def test_the_shell_completes_commands_options_and_values(tool, tmp_path):
    script = tmp_path / "complete.sh"
    script.write_text(tool("completion", "bash").out)
    assert set(completed(script, "plain-verdict", "")) >= {command.name for command in COMMANDS}
    assert completed(script, "plain-verdict", "in") == ["inspect", "init", "index"]
    assert "--tables-as" in completed(script, "plain-verdict", "report", "--tab")
    assert completed(script, "plain-verdict", "report", "--theme", "d") == ["dark"]
    for shell in ("zsh", "fish"):
        text = tool("completion", shell).out
        assert all(command.name in text for command in COMMANDS)
        assert "tables-as" in text
    assert tool("completion", "cmd").code == 2


def test_the_manual_page_names_every_command_and_is_in_the_wheel():
    page = (ROOT / "docs" / "plain-verdict.1").read_text()
    for command in COMMANDS:
        assert f"plain\\-verdict {command.name}" in page
    assert '"docs/plain-verdict.1" = "share/man/man1/plain-verdict.1"' in (ROOT / "pyproject.toml").read_text()


@pytest.mark.parametrize(
    ("variables", "facts"),
    [
        (
            {
                "CI_PIPELINE_IID": "7",
                "CI_COMMIT_REF_NAME": "main",
                "CI_COMMIT_SHA": "a" * 40,
                "CI_JOB_URL": "https://x/1",
            },
            {"build": "7", "branch": "main", "commit": "a" * 12, "job": "https://x/1"},
        ),
        (
            {
                "GITHUB_RUN_NUMBER": "7",
                "GITHUB_HEAD_REF": "fix",
                "GITHUB_REF_NAME": "7/merge",
                "GITHUB_SHA": "b" * 40,
            }
            | {"GITHUB_SERVER_URL": "https://x", "GITHUB_REPOSITORY": "desk/quay", "GITHUB_RUN_ID": "99"},
            {"build": "7", "branch": "fix", "commit": "b" * 12, "job": "https://x/desk/quay/actions/runs/99"},
        ),
        (
            {"BUILD_NUMBER": "7", "BRANCH_NAME": "main", "GIT_COMMIT": "c" * 40, "BUILD_URL": "https://x/job/7/"},
            {"build": "7", "branch": "main", "commit": "c" * 12, "job": "https://x/job/7/"},
        ),
        ({"GITHUB_SERVER_URL": "https://x", "BUILD_NUMBER": " "}, {}),
        ({}, {}),
    ],
)
def test_facts_come_from_the_pipeline_and_what_the_user_says_wins(variables, facts, tool, tmp_path, monkeypatch):
    for name, value in variables.items():
        monkeypatch.setenv(name, value)
    (tmp_path / "r.xml").write_text(GOOD)
    told = json.loads(tool("report", "r.xml", "--json", "--no-git").out)
    assert told["facts"] == facts
    own = json.loads(tool("report", "r.xml", "--json", "--no-git", "--fact", "Build=mine").out)["facts"]
    assert own == {"Build": "mine"} | {key: value for key, value in facts.items() if key != "build"}
    assert json.loads(tool("report", "r.xml", "--json", "--no-git", "--no-pipeline").out)["facts"] == {}


def test_the_recipe_for_pipelines_runs_and_stops_the_line(tmp_path, monkeypatch):
    script = ROOT / "examples" / "pipeline" / "pipeline.sh"
    path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    for number, refund, code in ((1, "failed", 1), (2, "passed", 0)):
        env = {**os.environ, "PATH": path, "BUILD_NUMBER": str(number), "BRANCH_NAME": "main", "REFUND": refund}
        work = tmp_path / f"work-{number}"
        command = ["sh", str(script), str(work), str(tmp_path / "reports"), "--no-git"]
        done = subprocess.run(command, cwd=tmp_path, env=env, capture_output=True, text=True, check=False)
        assert done.returncode == code, done.stderr
        judged = (work / "judged.xml").read_text()
        assert f'tests="4" failures="{code}"' in judged
        assert (work / "summary.md").read_text().startswith(f"## {'Not fit' if code else 'Fit'}")
    reports = {path.name for path in (tmp_path / "reports").iterdir()}
    assert reports == {"1.html", "2.html", "newest.html", "index.html", "feed.xml"}
    assert "(passed on retry)" in (tmp_path / "reports" / "newest.html").read_text()


def test_a_change_is_seen_that_comes_while_nothing_can_be_read(tmp_path):
    (tmp_path / "a.xml").write_text(BAD)
    made = []

    def once():
        made.append(1)
        if len(made) > 2:
            raise KeyboardInterrupt
        (tmp_path / "a.xml").write_text(GOOD * len(made))  # before the watching begins, and while it goes on
        return None, (), ()

    assert (watch([str(tmp_path)], once), len(made)) == (0, 3)
