"""Two distributions: both wheels in environments of their own, and writers of the record in other languages."""

import json
import os
import shutil
import signal
import subprocess
import sys
import sysconfig
import time
import tomllib
from pathlib import Path

import pytest

import plain_verdict
import plain_verdict_recorder
from conftest import ROOT
from plain_verdict import read

CODE = """
from plain_verdict_recorder import Recorder
record = Recorder("desk.verdict.jsonl")
with record.check("Day return can be paid", suite=["Booking"]):
    with record.step("Pay"):
        record.log("card ending 0002")
"""
TEST = "def test_fare(verdict_record):\n    with verdict_record.step('Ask'):\n        assert 481 == 418\n"


@pytest.fixture(scope="session")
def wheels(tmp_path_factory):
    """Both wheels, as they are released."""
    folder = tmp_path_factory.mktemp("wheels")
    for source in (ROOT / "recorder", ROOT):
        command = ["-m", "uv", "build", "--quiet", "--offline", "--no-build-isolation", "--wheel"]
        subprocess.run([sys.executable, *command, "--out-dir", folder, source], check=True)
    return sorted(folder.glob("*.whl"))


def environment(folder, *wheels, libraries=False):
    """A new environment that holds these wheels; with ``libraries`` it sees those of this one, but not the program."""
    uv = [sys.executable, "-m", "uv"]
    subprocess.run([*uv, "venv", "--quiet", "--offline", "--python", sys.executable, folder], check=True)
    install = ["pip", "install", "--quiet", "--offline", "--no-deps", "--python", folder]
    subprocess.run([*uv, *install, *wheels], check=True)
    (packages,) = folder.glob("lib/python3*/site-packages")
    if libraries:  # what is edited where it is written is not seen through a path file
        (packages / "libraries.pth").write_text(sysconfig.get_path("purelib"))
    return folder / "bin", packages


def done(*command, cwd, **variables):
    env = {**os.environ, "SOURCE_DATE_EPOCH": "1795312800", **variables}
    return subprocess.run(
        [*map(str, command)], check=False, cwd=cwd, env=env, capture_output=True, text=True, timeout=300
    )


def test_versions_of_both_are_the_same_and_one_needs_nothing():
    assert plain_verdict_recorder.__version__ == plain_verdict.__version__
    about = tomllib.loads((ROOT / "recorder" / "pyproject.toml").read_text())["project"]
    assert about["dependencies"] == []
    version = ".".join(plain_verdict.__version__.split(".")[:2])
    needed = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["dependencies"]
    assert f"plain-verdict-recorder>={version}" in needed


@pytest.mark.slow
def test_the_recorder_records_where_nothing_else_is_installed(wheels, tmp_path):
    programs, packages = environment(tmp_path / "env", wheels[1])
    installed = {path.name.partition("-")[0] for path in packages.iterdir() if path.suffix not in (".pth", ".py")}
    assert installed == {"plain_verdict_recorder"}
    assert done(programs / "python", "-W", "error", "-c", CODE, cwd=tmp_path).stderr == ""
    command = programs / "plain-verdict-record"
    check = done(command, "sh.verdict.jsonl", "check", "The desk opens", cwd=tmp_path).stdout.strip()
    assert (
        done(command, "sh.verdict.jsonl", "end", check, "failed", "--message", "dark", cwd=tmp_path).returncode == 0
    )
    wrong = done(command, "sh.verdict.jsonl", "end", "c9", "failed", cwd=tmp_path)
    assert (wrong.returncode, wrong.stderr.splitlines()[0]) == (
        2,
        "error: sh.verdict.jsonl: the record has no check or step with the id 'c9'",
    )
    assert (
        done(command, "--version", cwd=tmp_path).stdout == f"plain-verdict-recorder {plain_verdict.__version__}\n"
    )
    found = {check.name: (check.outcome, len(check.last.steps)) for check in read(tmp_path / "*.jsonl").checks}
    assert found == {"Day return can be paid": ("passed", 1), "The desk opens": ("failed", 0)}


@pytest.mark.slow
def test_both_wheels_make_a_report_and_bring_the_plugin(wheels, tmp_path):
    assert [wheel.name.partition("-")[0] for wheel in wheels] == ["plain_verdict", "plain_verdict_recorder"]
    programs, packages = environment(tmp_path / "env", *wheels, libraries=True)
    where = done(
        programs / "python",
        "-c",
        "import plain_verdict as p, plain_verdict_recorder as r; print(p.__file__, r.__file__)",
        cwd=tmp_path,
    )
    assert all(Path(name).is_relative_to(packages) for name in where.stdout.split()), where
    (tmp_path / "test_desk.py").write_text(TEST)
    ran = done(
        programs / "python", "-m", "pytest", "-q", "--verdict-record", "results", "test_desk.py", cwd=tmp_path
    )
    assert "1 failed" in ran.stdout, ran
    report = done(programs / "plain-verdict", "report", "results", "--json", "--no-git", cwd=tmp_path)
    assert json.loads(report.stdout)["verdict"] == "not fit", report.stderr
    assert done(programs / "plain-verdict", "record", "r.verdict.jsonl", "check", "a", cwd=tmp_path).returncode == 0
    assert done(programs / "plain-verdict", "demo", "demo", cwd=tmp_path).returncode == 0
    assert (tmp_path / "demo" / "verdict.html").is_file()


WRITERS = {
    "node": (
        ("node", "--test", "--test-reporter=./verdict-reporter.mjs", "--test-reporter-destination=out.verdict.jsonl", "desk.test.mjs"),
        {
            "Booking › Checkout › quotes the fare": ("failed", []),
            "Booking › Checkout › keeps a seat": ("passed", []),
            "Booking › answers in Sámi": ("skipped", []),
            "a day return can be paid": ("failed", [("choose the 09:40", "passed"), ("pay", "errored")]),
        },
    ),
    "go": (
        ("go", "test", "./..."),
        {
            "Booking › Checkout › TestDayReturn": ("failed", [("Choose the 09:40", "passed"), ("Pay", "failed")]),
            "Booking › TestSeatIsKept": ("passed", []),
            "TestLowWater": ("skipped", []),
        },
    ),
}  # fmt: skip


@pytest.mark.parametrize("language", WRITERS)
def test_a_writer_in_another_language_writes_what_it_ran(language, tmp_path):
    command, expected = WRITERS[language]
    if shutil.which(command[0]) is None:
        pytest.skip(f"{language} is not here")
    shutil.copytree(ROOT / "examples" / "recorders" / language, tmp_path / "desk")
    ran = done(
        *command,
        cwd=tmp_path / "desk",
        VERDICT_RECORD=str(tmp_path / "desk"),
        GOCACHE=str(tmp_path / "cache"),
        GOFLAGS="-mod=mod",
    )
    assert ran.returncode == 1, ran
    run = read(tmp_path / "desk" / "*.verdict.jsonl")
    found = {
        check.whole_name: (check.outcome, [(step.name, step.outcome) for step in check.last.steps])
        for check in run.checks
    }
    assert found == expected
    assert not run.not_whole
    failed = next(check for check in run.checks if check.outcome == "failed")
    assert (failed.last.problems[0].expected, failed.last.problems[0].actual) == ("NOK 418", "NOK 481")
    assert all(check.last.took_s is not None for check in run.checks)


HARD = {
    "node": (
        "hard.test.mjs",
        """import { after, before, describe, it, test } from "node:test";
describe("hook", () => { before(() => { throw new Error("before broke"); }); it("a", () => {}); });
describe("after", () => { after(() => { throw new Error("after broke"); }); it("b", () => {}); });
describe.skip("closed", () => { it("c", () => {}); });
test("parent ends first", (t) => { t.test("child", () => new Promise((r) => setTimeout(r, 50))); });
test("later", { todo: "BQ-7" }, () => { throw new Error("x"); });
test("same", () => {}); test("same", () => { throw new Error("the second"); });
test("throws text", () => { throw "dark"; }); test("throws null", () => { throw null; });
test("odd values", () => { const error = new Error("m"); error.actual = 1n; error.expected = error; throw error; });
""",
        [
            "errored",
            "errored",
            "passed",
            "errored",
            "skipped",
            "failed",
            "skipped",
            "passed",
            "errored",
            "errored",
            "errored",
            "errored",
        ],
    ),
    "go": (
        "hard_test.go",
        """package harbour
import ("os"; "testing")
func TestCaught(t *testing.T) { Begin(t); func() { defer func() { _ = recover() }(); panic("caught") }() }
func TestFatal(t *testing.T) { Begin(t).Step("x", func() { t.Fatal("dark") }) }
func TestSkips(t *testing.T) { Begin(t).Step("x", func() { t.Skip("low water") }) }
func TestSub(t *testing.T) { Begin(t); t.Run("one", func(t *testing.T) { Begin(t).Compare("a", "b") }) }
func TestZExits(t *testing.T) { Begin(t); os.Exit(0) }
""",
        ["passed", "failed", "skipped", "failed", "failed", "errored"],
    ),
}


@pytest.mark.parametrize("language", HARD)
def test_no_failure_vanishes_however_a_test_ends(language, tmp_path):
    name, text, expected = HARD[language]
    if shutil.which(language) is None:
        pytest.skip(f"{language} is not here")
    shutil.copytree(ROOT / "examples" / "recorders" / language, tmp_path / "desk")
    for example in (tmp_path / "desk").glob("desk*test*"):
        example.unlink()
    (tmp_path / "desk" / name).write_text(text)
    command = tuple(name if word == "desk.test.mjs" else word for word in WRITERS[language][0])
    done(
        *command,
        cwd=tmp_path / "desk",
        VERDICT_RECORD=str(tmp_path / "desk"),
        GOCACHE=str(tmp_path / "cache"),
        GOFLAGS="-mod=mod -buildvcs=false",
    )
    run = read(tmp_path / "desk" / "*.verdict.jsonl")
    assert [check.outcome for check in run.checks] == expected
    assert not run.not_whole


def test_a_runner_that_is_killed_leaves_a_record_that_is_never_fit(tmp_path):
    shutil.copy(ROOT / "examples" / "recorders" / "node" / "verdict-reporter.mjs", tmp_path)
    (tmp_path / "hangs.test.mjs").write_text(
        'import { describe, it } from "node:test";\ndescribe("one", () => { it("a", () => {}); });\n'
        'describe("two", () => { it("b", () => { throw 1; }); it("c", () => new Promise(() => setTimeout(() => {}, 60000))); });\n'
    )
    command = [
        "node",
        "--test",
        "--test-reporter=./verdict-reporter.mjs",
        "--test-reporter-destination=out.verdict.jsonl",
        "hangs.test.mjs",
    ]
    running = subprocess.Popen(command, cwd=tmp_path, start_new_session=True)
    deadline = time.monotonic() + 60
    while '"two begins"' not in (
        (tmp_path / "out.verdict.jsonl").read_text() if (tmp_path / "out.verdict.jsonl").exists() else ""
    ):
        assert time.monotonic() < deadline
        time.sleep(0.05)
    os.killpg(running.pid, signal.SIGKILL)
    running.wait()
    run = read(tmp_path / "out.verdict.jsonl")
    assert [check.outcome for check in run.checks] == ["passed"]
    assert run.not_whole
