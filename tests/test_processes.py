"""The program among others: signals, closed streams, readers who go, runs at the same time, parts left behind."""

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from PIL import Image

GOOD = '<testsuite name="Quay"><testcase name="sails"/></testsuite>'
BAD = '<testsuite name="Quay"><testcase name="sinks"><failure message="water"/></testcase></testsuite>'
ENV = {**os.environ, "SOURCE_DATE_EPOCH": "1795312800"}
PROGRAM = f"{sys.executable} -m plain_verdict"


@pytest.fixture
def shell(tmp_path):
    """Run a line in bash in the temporary folder, with results beside: gives its exit code and what it printed."""
    (tmp_path / "good.xml").write_text(GOOD)
    (tmp_path / "bad.xml").write_text(BAD)

    def run(line: str):
        done = subprocess.run(["bash", "-c", line.replace("PV", PROGRAM)], cwd=tmp_path, capture_output=True, text=True, env=ENV, timeout=300, check=False)  # fmt: skip
        return done.returncode, done.stdout, done.stderr

    return run


# A line for the shell, the exit code, what stderr says.
STREAMS = [
    ("PV judge bad.xml | true; exit ${PIPESTATUS[0]}", 1, ""),
    ("PV judge good.xml | true; exit ${PIPESTATUS[0]}", 0, ""),
    ("PV report bad.xml --enforce --json | true; exit ${PIPESTATUS[0]}", 1, ""),
    ("PV inspect gone.xml | true; exit ${PIPESTATUS[0]}", 3, ""),
    ("PV judge bad.xml >&-", 1, ""),
    ("PV judge good.xml >&- 2>&-", 0, ""),
    ("PV judge gone.xml 2>&-", 3, ""),
    ("PV judge - <&-", 2, "error: standard input is closed"),
    ("PV judge bad.xml >/dev/full", 1, "the output could not be written (No space left on device)"),
    ("PV judge good.xml --json >/dev/full", 2, "the output could not be written (No space left on device)"),
    ("PV judge gone.xml 2>/dev/full", 3, ""),
    ("PV judge gone.xml", 3, "error: no input could be read, so there is no verdict"),
]


@pytest.mark.parametrize(("line", "code", "said"), STREAMS, ids=[row[0] for row in STREAMS])
def test_the_exit_code_is_the_verdicts_whatever_becomes_of_the_reader(line, code, said, shell):
    ended, _, err = shell(line)
    assert ended == code
    assert said in err
    assert "Traceback" not in err
    assert "bug" not in err


def many_pictures(folder):
    (folder / "shots").mkdir()
    for number in range(16):
        Image.effect_noise((1100, 800), 80 + number).convert("RGB").save(folder / "shots" / f"sails {number}.png")
    cases = "".join(f'<testcase name="sails {number}"/>' for number in range(16))
    (folder / "many.xml").write_text(f"<testsuite>{cases}</testsuite>")


def many_files(folder):
    cases = "".join(f'<testcase name="sails {number}" time="0.{number}"/>' for number in range(9000))
    for number in range(8):
        (folder / f"many-{number}.xml").write_text(f'<testsuite name="Quay {number}">{cases}</testsuite>')


def running_in_group(group: int) -> list[int]:
    """The processes of a group that have not ended."""
    found = []
    for entry in os.scandir("/proc"):
        if entry.name.isdigit():
            with contextlib.suppress(OSError), Path(f"/proc/{entry.name}/stat").open() as file:
                state, _, its_group = file.read().rpartition(")")[2].split()[:3]
                if int(its_group) == group and state != "Z":
                    found.append(int(entry.name))
    return found


@pytest.mark.parametrize(
    "busy_with",
    [(many_pictures, "many.xml", "--evidence", "shots"), (many_files, "many-*.xml")],
    ids=["pictures", "reading"],
)
@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGHUP, signal.SIGKILL])
@pytest.mark.slow
def test_a_run_that_is_stopped_leaves_no_process_and_no_half_page(how, busy_with, tmp_path):
    make, *arguments = busy_with
    make(tmp_path)
    command = [sys.executable, "-m", "plain_verdict", "report", *arguments]
    run = subprocess.Popen(command, cwd=tmp_path, env=ENV, stdout=subprocess.PIPE, start_new_session=True)
    deadline = time.monotonic() + 300
    while len(running_in_group(run.pid)) < 2 and time.monotonic() < deadline and run.poll() is None:
        time.sleep(0.02)
    assert run.poll() is None, "it ended before it could be stopped"
    run.send_signal(how)
    # Its output ends, too: no helper holds it.
    run.communicate(timeout=300)
    assert run.returncode == (-signal.SIGKILL if how == signal.SIGKILL else 130)
    while running_in_group(run.pid) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert running_in_group(run.pid) == []
    assert not (tmp_path / "verdict.html").exists()


def test_parts_that_a_killed_run_left_are_removed_once_nobody_can_write_them(tool, tmp_path):
    (tmp_path / "r.xml").write_text(GOOD)
    old, new, other = (tmp_path / name for name in (".a.html.0123abcd.part", ".b.html.0123abcd.part", ".mine.part"))
    for path in (old, new, other):
        path.write_text("half")
    folder = tmp_path / ".pages.89abcdef.part"
    folder.mkdir()
    long_ago = time.time() - 7200
    for path in (old, folder, other):
        os.utime(path, (long_ago, long_ago))
    assert tool("report", "r.xml").code == 0
    assert [path.exists() for path in (old, folder, new, other)] == [False, False, True, True]


@pytest.mark.parametrize("layout", [[], ["--layout", "folder"], ["--zip"]], ids=["pages", "folders", "zips"])
@pytest.mark.slow
def test_runs_at_the_same_time_keep_out_of_each_others_way(layout, shell, tmp_path):
    name = "pages/v" if layout else "pages/v.html"

    def report(_: int):
        return shell(f"PV report good.xml --out {name} --keep 5 --latest newest --json {' '.join(layout)}")

    with ThreadPoolExecutor(12) as pool:
        done = list(pool.map(report, range(12)))
    assert [(code, err) for code, _, err in done if code or "bug" in err or "Traceback" in err] == []
    paths = [json.loads(out)["page"] for _, out, _ in done]
    # A path that was told is nobody else's, though its page may have gone by now.
    assert len(set(paths)) == len(paths)
    left = [path for path in (tmp_path / "pages").iterdir() if path.name[:1] != "." and path.suffix != ".zip"]
    assert len(left) == 6
    assert not [path for path in (tmp_path / "pages").iterdir() if path.name.endswith(".part")]


def test_a_drawing_without_end_is_one_line(tool, tmp_path, monkeypatch):
    monkeypatch.setattr("plain_verdict.report.brand.svg._DRAWING_PATIENCE_S", 0.5)
    monkeypatch.setattr(
        "plain_verdict.report.brand.svg.can_fork", lambda **_: True
    )  # plugins of pytest have threads
    filters = "".join('<feGaussianBlur stdDeviation="900"/>' for _ in range(300))
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9000 9000"><filter id="f">{filters}</filter><rect width="9000" height="9000" filter="url(#f)"/></svg>'
    (tmp_path / "logo.svg").write_text(svg)
    (tmp_path / "r.xml").write_text(GOOD)
    done = tool("report", "r.xml", "--logo", "logo.svg")
    assert done.code == 2
    assert "logo.svg: the logo takes longer than" in done.err
