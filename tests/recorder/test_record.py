"""Records: what the lines say ends on the page, whatever the order, and nothing written before a crash is lost."""

import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import jsonschema
import pytest

from conftest import ROOT
from plain_verdict_recorder import Recorder

SCHEMA = json.loads((ROOT / "src/plain_verdict/settings/schemas/record-1.schema.json").read_text())

CHECK = {
    "what": "check",
    "id": "c",
    "name": "Pay",
    "suite": ["Booking", "Checkout"],
    "at": "2026-11-22T02:10:00+01:00",
}
LINES = [
    {"what": "record", "version": 1, "zone": "+01:00"},
    {"what": "fact", "key": "build", "value": "77"},
    {**CHECK, "tags": ["smoke"], "description": "Pays for two.", "requirements": ["BQ-12"], "worker": "w1",
     "links": {"ticket": "https://tickets.test/12", "trap": "javascript:alert(1)"}, "file": "pay.py", "line": 7},
    {"what": "step", "id": "s1", "in": "c", "name": "Choose", "at": 1795309801},
    {"what": "end", "id": "s1", "outcome": "passed", "at": 1795309802.5},
    {"what": "step", "id": "s2", "in": "c", "name": "Read the total", "at": 1795309803},
    {"what": "step", "id": "s3", "in": "s2", "name": "Open the receipt", "at": 1795309803},
    {"what": "log", "in": "s3", "text": "receipt 88121", "level": "warning", "at": 1795309804},
    {"what": "output", "in": "s3", "name": "console", "text": "one\ntwo"},
    {"what": "evidence", "in": "s3", "name": "total.json", "base64": "eyJ0b3RhbCI6IDQ4MX0=", "caption": "What came"},
    {"what": "end", "id": "s3", "outcome": "failed", "took_s": 2, "problems": [{"message": "wrong total"}]},
    {"what": "end", "id": "s2", "outcome": "failed", "at": 1795309806},
    {"what": "end", "id": "c", "outcome": "failed", "took_s": 6,
     "problems": [{"type": "Total", "message": "wrong total", "expected": '{"a": 1, "b": 2}', "actual": '{"b": 2, "a": 3}'}]},
]  # fmt: skip


def write(path: Path, lines: list[dict]) -> None:
    path.write_text("".join(json.dumps(line) + "\n" for line in lines), "utf-8")


def test_what_a_record_says_stands_on_the_page(checks_of, tmp_path):
    for line in LINES:
        jsonschema.validate(line, SCHEMA)
    write(tmp_path / "r.verdict.jsonl", LINES)
    found = checks_of("r.verdict.jsonl")
    (check,) = found.checks
    assert (check.suite, check.name, check.outcome) == ("Booking › Checkout", "Pay", "failed")
    assert found.summary["files"][0]["format"] == "record"
    for text in (
        "Pays for two.",
        "smoke",
        "BQ-12",
        "w1",
        "pay.py:7",
        "wrong total",
        "What came",
        '"total": 481',
        "console",
        "02:10:04",
    ):
        assert text in check.text
    rows = [row.text_content() for row in found.page.cssselect(".steps .row .what > bdi")]
    assert rows == ["Choose", "Read the total", "Open the receipt"]
    opened = [bool(step.get("open") is not None) for step in found.page.cssselect(".steps details:not(.fold)")]
    assert opened == [True, True]
    assert [mark.text for mark in found.page.cssselect(".inside .two mark")] == [
        "1",
        "3",
    ]  # keys in another order do not differ
    links = [link.get("href") for link in found.page.cssselect(".facts a")]
    assert "https://tickets.test/12" in links
    assert not any("javascript" in link for link in links)


def test_order_and_files_do_not_change_the_result(checks_of, tool, tmp_path):
    attempts = []
    for number in (1, 2):
        again = json.loads(json.dumps(LINES[2:]).replace('"c"', f'"c{number}"').replace('"s', f'"s{number}'))
        again[0]["attempt"] = number
        attempts.append(again)
    write(tmp_path / "all.verdict.jsonl", LINES[:1] + attempts[0] + attempts[1])
    expected = [
        (check.id, check.name, check.outcome, check.text) for check in checks_of("all.verdict.jsonl").checks
    ]
    assert len(expected) == 1
    assert "Attempts" in expected[0][3]
    mixed = attempts[0] + attempts[1]
    random.Random(3).shuffle(mixed)
    steps = [line for line in mixed if line["what"] == "step"]
    mixed = [line for line in mixed if line["what"] != "step"] + sorted(steps, key=lambda line: line["id"])
    write(tmp_path / "all.verdict.jsonl", LINES[:1] + mixed)
    assert [
        (check.id, check.name, check.outcome, check.text) for check in checks_of("all.verdict.jsonl").checks
    ] == expected
    for number, lines in enumerate(attempts):
        write(tmp_path / f"part-{number}.verdict.jsonl", LINES[:1] + lines)
    parts = checks_of("part-1.verdict.jsonl", "part-0.verdict.jsonl")
    assert [(check.id, check.name, check.outcome, check.text) for check in parts.checks] == expected


DAMAGE = [
    ("a half last line", '{"what":"end","id":"c","outc', "ends in the middle of a line", "line 3"),
    ("a line that is not JSON", "PASS\n", "has a line that can't be read (", "line 3"),
    ("a value of the wrong type", '{"what":"step","id":"s","in":"c","name":7}\n', "`$.name`", "line 3"),
    ("a kind nobody knows", '{"what":"dance"}\n', "`$.what`", "line 3"),
    ("a line nested without end", '{"what":"log","in":"c","text":' + "[" * 100_000 + "\n", "has a line that can't be read (", "line 3"),
    ("a newer version", '{"what":"record","version":9}\n', "version 9 is newer", "line 3"),
    ("an unknown key", '{"what":"log","in":"c","text":"t","mood":"good"}\n', "keys that are not known and were left out: “mood” in log lines", ""),
    ("a step of nothing", '{"what":"log","in":"gone","text":"t"}\n', "for checks or steps that it never starts (“gone”)", ""),
]  # fmt: skip


@pytest.mark.parametrize(("damage", "note", "where"), [row[1:] for row in DAMAGE], ids=[row[0] for row in DAMAGE])
def test_a_wrong_line_is_named_and_only_that_line_is_lost(damage, note, where, checks_of, tmp_path):
    end = {"what": "end", "id": "c", "outcome": "passed"}
    head = "".join(json.dumps(line) + "\n" for line in (LINES[0], CHECK))
    tail = json.dumps(end) + "\n" if damage.endswith("\n") else ""
    (tmp_path / "r.verdict.jsonl").write_text(head + damage + tail)
    found = checks_of("r.verdict.jsonl")
    (text,) = found.summary["files"][0]["notes"]
    assert note in text
    assert where in text
    assert found.checks[0].outcome == ("passed" if tail else "errored")
    assert (found.summary["verdict"] == "fit") == ("mood" in damage)


AGAIN = [
    (
        "an id used again",
        [CHECK, {**CHECK, "name": "Quote"}, {"what": "end", "id": "c", "outcome": "passed"}],
        {"Pay": "errored", "Quote": "passed"},
        "uses 1 id again",
    ),
    (
        "a step with its check's id",
        [CHECK, {"what": "step", "id": "c", "in": "c", "name": "s"}],
        {"Pay": "errored"},
        "uses 1 id again",
    ),
    (
        "a step inside itself",
        [CHECK, {"what": "step", "id": "s", "in": "s", "name": "s"}],
        {"Pay": "errored"},
        "that it never starts",
    ),
    (
        "attempts with and without a time",
        [CHECK, {**CHECK, "id": "d", "at": None}, {"what": "end", "id": "d", "outcome": "passed"}],
        {"Pay": "passed"},  # and the other, which comes first as it never ended
        "",
    ),
]


@pytest.mark.parametrize(("lines", "outcomes", "note"), [row[1:] for row in AGAIN], ids=[row[0] for row in AGAIN])
def test_no_check_is_lost_by_ids_that_clash(lines, outcomes, note, checks_of, tmp_path):
    write(tmp_path / "r.verdict.jsonl", [LINES[0], *lines])
    found = checks_of("r.verdict.jsonl")
    assert {check.name: check.outcome for check in found.checks} == outcomes
    assert note in " ".join(found.summary["files"][0]["notes"])
    assert found.summary["verdict"] != "fit"


def test_a_recorder_tells_what_happened_and_lets_every_exception_through(checks_of, tmp_path):
    record = Recorder(tmp_path / "out" / "r.verdict.jsonl")

    @record.step("Sign in")
    def sign_in() -> None:
        record.log("as Kari")

    class Drawing:
        def save(self, file, **_):
            file.write(b"GIF89a" + b"\0" * 9)

    with record.check("passes", suite=["Desk"], parameters={"adults": 2}):
        sign_in()
        sign_in()
        record.keep(b"plain words", "note.txt")
        record.keep(Drawing(), caption="A chart")
    for error, name in (
        (AssertionError("no"), "fails"),
        (OSError("gone"), "errs"),
        (pytest.skip.Exception("tide"), "skips"),
    ):
        with (
            pytest.raises(type(error)),
            record.check(name, suite=["Desk"]),
            record.step("outer"),
            record.step("inner"),
        ):
            raise error
    with pytest.raises(AssertionError, match="418"), record.check("compares", suite=["Desk"]):  # noqa: PT012
        record.compare(expected=418, actual=418)
        record.compare(expected=418, actual=481)
    found = checks_of("out/r.verdict.jsonl")
    outcomes = {check.name: check.outcome for check in found.checks}
    assert outcomes == {
        "passes adults 2": "passed",
        "fails": "failed",
        "errs": "errored",
        "skips": "skipped",
        "compares": "failed",
    }
    fails = next(check for check in found.page.cssselect(".check.failed") if "fails" in check.text_content())
    # The innermost step and the check tell the problem, the step between only its outcome.
    assert [why.text_content() for why in fails.cssselect(".stepwhy")] == ["no"]
    text = found.page.text_content()
    for part in ("as Kari", "plain words", "expected418actual481", "can't be opened as a picture"):
        assert part in re.sub(r"\s*\n\s*", "", text)


def test_threads_tasks_and_forks_share_a_recorder(checks_of, tmp_path):
    script = """
import asyncio, os, threading
from plain_verdict_recorder import Recorder
record = Recorder("r.verdict.jsonl")
def work(name):
    with record.check(name, suite=["Many"]):
        for number in range(20):
            with record.step(f"step {number}"):
                record.log(name)
threads = [threading.Thread(target=work, args=(f"thread {n}",)) for n in range(8)]
[one.start() for one in threads]; [one.join() for one in threads]
async def task(name):
    with record.check(name, suite=["Many"]):
        for number in range(20):
            with record.step(f"step {number}"):
                await asyncio.sleep(0)
                record.log(name)
async def both(): await asyncio.gather(*(task(f"task {n}") for n in range(8)))
asyncio.run(both())
for n in range(4):
    if os.fork() == 0:
        work(f"fork {n}"); os._exit(0)
for n in range(4): os.wait()
"""
    subprocess.run([sys.executable, "-c", script], cwd=tmp_path, check=True)
    found = checks_of("r.verdict.jsonl")
    assert found.summary["counts"]["passed"] == len(found.checks) == 20
    assert found.summary["files"][0]["notes"] == []
    for check in found.checks:
        assert check.text.count(f"info {check.name}") == 20


def test_a_recorder_that_can_not_write_warns_once_and_never_breaks_the_test(tmp_path):
    (tmp_path / "file").write_text("")
    record = Recorder(tmp_path / "file" / "r.verdict.jsonl")
    with pytest.warns(UserWarning, match="nothing more is recorded") as caught:
        use(record)
    assert len(caught) == 1


def use(record: Recorder) -> None:
    with record.check("a"), record.step("b"):
        record.log("c")
        record.keep(b"x", "y")


def test_importing_the_recorder_is_cheap_and_the_plugin_nearly_free():
    code = "import sys, pytest; import plain_verdict_recorder.pytest_plugin; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert [name for name in loaded if name.startswith("plain_verdict")] == [
        "plain_verdict_recorder",
        "plain_verdict_recorder.pytest_plugin",
    ]
    code = "import sys; from plain_verdict_recorder import Recorder; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert not {"msgspec", "lxml", "jinja2", "PIL", "typing", "pathlib", "dataclasses", "traceback"} & set(loaded)


TESTS = """
import os, pytest
@pytest.fixture
def till():
    yield
    raise RuntimeError("the till did not close")
@pytest.mark.smoke
@pytest.mark.parametrize("adults", [1, 2])
def test_fare(adults, verdict_record):
    "A fare for some."
    with verdict_record.step("Ask"):
        print("asked for", adults)
        verdict_record.keep(b"answer", "answer.txt")
    verdict_record.compare(expected=1, actual=adults)
class TestSeats:
    def test_taken(self): pytest.skip("tide")
    @pytest.mark.xfail(reason="BQ-7")
    def test_free(self): assert 0
    @pytest.mark.xfail(reason="BQ-8")
    def test_repaired(self): pass
def test_receipt(till): assert 1 == 2
def test_harbour(no_such_fixture): pass
tries = []
@pytest.mark.flaky(reruns=2)
def test_again():
    tries.append(1)
    assert len(tries) > 1
"""
EXPECTED = {"test_fare adults 1": "passed", "test_fare adults 2": "failed", "test_taken": "skipped", "test_free": "skipped",
            "test_repaired": "passed", "test_receipt": "errored", "test_harbour": "errored", "test_again": "passed"}  # fmt: skip


@pytest.mark.parametrize("more", [[], ["-n", "2"]], ids=["one process", "xdist"])
@pytest.mark.slow
def test_pytest_records_every_test(more, checks_of, tmp_path):
    (tmp_path / "test_desk.py").write_text(TESTS)
    (tmp_path / "pytest.ini").write_text("[pytest]\nmarkers = smoke: few\n")
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", *more]
    off = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert off.returncode == 1
    assert not (tmp_path / "results").exists()
    subprocess.run([*command, "--verdict-record", "results"], cwd=tmp_path, capture_output=True, check=False)
    found = checks_of("results")
    assert {check.name: check.outcome for check in found.checks} == EXPECTED
    text = {check.name: check.text for check in found.checks}
    for name, parts in {
        "test_fare adults 2": ["A fare for some.", "smoke", "asked for 2", "answer", "expected", "test_desk.py:"],
        "test_free": ["expected to fail: BQ-7"],
        "test_repaired": ["Passed, but was expected to fail: BQ-8"],
        "test_receipt": ["assert 1 == 2", "the till did not close"],
        "test_again": ["passed on attempt 2"],
    }.items():
        for part in parts:
            assert part in text[name]
    assert {check.suite for check in found.checks} == {"test_desk", "test_desk.TestSeats"}


@pytest.mark.slow
def test_the_browser_example_leaves_a_page_and_a_kill_is_said(checks_of, tmp_path):
    shutil.copytree(ROOT / "examples" / "booking_desk", tmp_path / "desk")
    command = [sys.executable, "-m", "pytest", "desk", "-p", "no:cacheprovider", "--verdict-record", "results"]
    subprocess.run(command, cwd=tmp_path, capture_output=True, check=False)
    found = checks_of("results")
    assert found.summary["sentence"] == "Not fit: 2 of 6 checks failed."
    assert len(found.page.cssselect(".photo")) >= 8
    assert len(found.page.cssselect(".group .check")) == 3
    shutil.rmtree(tmp_path / "results")
    running = subprocess.Popen(
        command, cwd=tmp_path, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
    deadline = time.monotonic() + 300
    while (
        not any('"Pay"' in file.read_text() for file in tmp_path.glob("results/*.jsonl"))
        and time.monotonic() < deadline
    ):
        time.sleep(0.01)
    os.killpg(running.pid, signal.SIGKILL)
    running.wait()
    found = checks_of("results")
    stopped = next(check for check in found.checks if check.outcome == "errored")
    assert "Stopped before it finished." in stopped.text
    assert "Open the timetable for Saturday" in stopped.text
    assert found.summary["verdict"] == "not fit"


@pytest.mark.parametrize(("language", "command", "sentence"), [
    ("bash", ["bash"], "Fit: the only check passed."),
    ("js", ["node"], "Not fit: the only check failed."),
])  # fmt: skip
def test_the_examples_in_the_docs_leave_a_record(language, command, sentence, checks_of, tmp_path):
    if not shutil.which(command[0]):
        pytest.skip(f"this machine has no {command[0]}")
    script = re.search(rf"```{language}\n(.*?)```", (ROOT / "docs" / "record.md").read_text("utf-8"), re.DOTALL)[1]
    (tmp_path / "smoke").write_text(script)
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    subprocess.run([*command, "smoke"], cwd=tmp_path, env={**os.environ, "PATH": path}, check=True)
    found = checks_of(next(file.name for file in tmp_path.glob("*.jsonl")))
    assert found.summary["sentence"] == sentence
    assert found.summary["files"][0]["notes"] == []
