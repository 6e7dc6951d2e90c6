"""What differs on Windows and macOS: each branch is run here with the system's answers in place of ours."""

import errno
import json
import os
import shutil
import subprocess
import sys
import types
from pathlib import Path

import pytest

from conftest import DEMO, EXAMPLES, MADE
from plain_verdict import read
from plain_verdict.cli.demo.files import API_DOCUMENT, REQUIREMENTS, RESULTS, RULES
from plain_verdict.inputs.discovery import discover
from plain_verdict.runtime import atomic_files, guard, processes
from plain_verdict.text.addresses import way_to

SPAWNS = """
import sys
from plain_verdict.runtime import processes
processes.START = "spawn"
from plain_verdict.cli import main
if __name__ == "__main__":
    started = []
    from plain_verdict.runtime import pools
    start = pools.Pool._start
    pools.Pool._start = staticmethod(lambda number: started.append(number) or start(number))
    code = main()
    sys.stderr.write(f"started {len(started)}\\n")
    sys.exit(code)
"""


@pytest.mark.slow
def test_helpers_that_are_spawned_make_the_same_page(tmp_path, program):
    for number in range(12):
        cases = "".join(
            f'<testcase classname="desk{number}" name="check {at}" time="0.01">'
            + (f'<failure message="fare {at}">at quay.py:{at}</failure>' if at % 9 == 0 else "")
            + f"<system-out>{'tide ' * 20}</system-out></testcase>"
            for at in range(1500)
        )
        (tmp_path / f"r{number}.xml").write_text(f'<testsuite name="Desk {number}">{cases}</testsuite>')
    (tmp_path / "spawns.py").write_text(SPAWNS)
    common = ("report", "r*.xml", "--quiet", "--no-git", "--out")
    for layout in ((), ("--layout", "folder")):
        assert program(*common, f"here{len(layout)}.html", *layout).code == 0
        command = [sys.executable, "-W", "error", "spawns.py", *common, f"there{len(layout)}.html", *layout]
        env = {**os.environ, "SOURCE_DATE_EPOCH": MADE}
        done = subprocess.run(
            command, cwd=tmp_path, env=env, capture_output=True, text=True, check=False, timeout=300
        )
        assert (done.returncode, done.stderr) == (0, f"started {2 if layout else 1}\n")
    assert (tmp_path / "here0.html").read_bytes() == (tmp_path / "there0.html").read_bytes()
    for path in (tmp_path / "here2.html").rglob("*.html"):
        assert (
            path.read_bytes() == (tmp_path / "there2.html" / path.relative_to(tmp_path / "here2.html")).read_bytes()
        )


def test_where_there_is_no_fork_nothing_is_forked_and_only_the_program_spawns(monkeypatch):
    monkeypatch.setattr(processes, "START", "spawn")
    monkeypatch.setattr(processes, "processors", lambda: 4)
    monkeypatch.setattr(processes._Spawning, "allowed", False)
    assert not processes.can_fork(alone=True)
    assert not processes.can_start_helpers()  # somebody's script may run anew when it is imported
    processes.allow_spawning()
    assert processes.can_start_helpers()


LACKS = """
import os, signal, subprocess, sys, types
from plain_verdict.cli import main
from plain_verdict.runtime import processes
main(sys.argv[1:])  # once as here: what the standard library is for Windows can't be imported
for name in ("fork", "killpg", "sched_getaffinity", "getuid"):
    delattr(os, name)
def refuse(*_, **__):
    raise OSError(1, "a file system without links")
os.link = os.symlink = refuse
for name in ("SIGHUP", "SIGPROF", "SIGKILL", "setitimer", "ITIMER_PROF"):
    delattr(signal, name)
sys.modules["fcntl"] = None
sys.modules["msvcrt"] = types.SimpleNamespace(locking=lambda *_: None, LK_LOCK=1, LK_UNLCK=0)
sys.platform, processes.START = "win32", "spawn"
print("--- without")
sys.exit(main([*sys.argv[1:], "--overwrite"]))
"""


def test_no_call_is_made_that_windows_lacks(tmp_path):
    outputs = ("--index", "--keep", "3", "--history", "h.db", "--latest", "n.html", "--markdown", "s.md")
    command = [sys.executable, "-c", LACKS, "report", *DEMO, *outputs]
    env = {**os.environ, "SOURCE_DATE_EPOCH": MADE}
    done = subprocess.run(command, cwd=tmp_path, env=env, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "bug" not in done.stderr
    assert done.stdout.partition("--- without\n")[2].startswith("Not fit: 22 of 120")
    assert (tmp_path / ".plain-verdict.lock").is_file()


def test_windows_locks_a_file_of_the_folder(tmp_path, monkeypatch):
    calls = []
    fake = types.SimpleNamespace(locking=lambda _, mode, size: calls.append((mode, size)), LK_LOCK=1, LK_UNLCK=0)
    monkeypatch.setitem(sys.modules, "msvcrt", fake)
    monkeypatch.setattr(atomic_files.sys, "platform", "win32")
    with atomic_files.lock_folder(tmp_path):
        assert calls == [(1, 1)]
    assert calls == [(1, 1), (0, 1)]
    fake.locking = lambda *_: (_ for _ in ()).throw(OSError(errno.EDEADLOCK, "busy"))
    with atomic_files.lock_folder(tmp_path):
        pass  # nobody waits for ever


def test_a_file_that_another_program_has_open_is_tried_again(tmp_path, monkeypatch):
    monkeypatch.setattr(atomic_files.sys, "platform", "win32")
    monkeypatch.setattr(atomic_files, "_OPEN_PAUSES_S", (0, 0))
    refused = [2]
    replace = Path.replace

    def busy(self, target):
        if refused[0]:
            refused[0] -= 1
            raise PermissionError(errno.EACCES, "it is open in another program")
        return replace(self, target)

    monkeypatch.setattr(Path, "replace", busy)
    atomic_files.write_bytes(tmp_path / "a.html", b"new")
    assert (tmp_path / "a.html").read_bytes() == b"new"
    refused[0] = 9
    with pytest.raises(atomic_files.WriteError, match="it is open in another program"):
        atomic_files.write_bytes(tmp_path / "a.html", b"newer")
    assert [path.name for path in tmp_path.iterdir()] == ["a.html"]


def test_several_drives_have_no_way_between_them(tmp_path, monkeypatch):
    for name in ("a", "b"):
        (tmp_path / name / "out").mkdir(parents=True)
        (tmp_path / name / "out" / "r.xml").write_text("<testsuite/>")
    (tmp_path / "work").mkdir()
    monkeypatch.chdir(tmp_path / "work")

    def refuse(*_):
        raise ValueError("path is on mount 'D:', start on mount 'C:'")

    monkeypatch.setattr(os.path, "commonpath", refuse)
    monkeypatch.setattr(os.path, "relpath", refuse)
    found = discover([str(tmp_path / "a"), str(tmp_path / "b")])
    assert [source.path for source in found.sources] == ["out/r.xml", "out/r.xml"]
    assert way_to(tmp_path / "a b.html", tmp_path) == (tmp_path / "a b.html").as_uri()


def test_processor_time_is_not_watched_where_no_signal_tells_it(monkeypatch):
    monkeypatch.setattr(guard.sys, "platform", "win32")
    monkeypatch.delattr(guard.signal, "setitimer")
    with guard.guarded("r.xml", 0.001):
        sum(range(10**6))


TEXTS = (".xml", ".jsonl", ".har", ".tap", ".json", ".csv", ".toml", ".md", ".yaml", ".feature")


def windows_copy(source, target):
    """A copy of a folder as an editor of Windows saves it: texts with CR LF."""
    shutil.copytree(source, target)
    for path in filter(Path.is_file, target.rglob("*")):
        if path.suffix in TEXTS:
            path.write_bytes(path.read_bytes().replace(b"\r\n", b"\n").replace(b"\n", b"\r\n"))


def test_line_ends_of_windows_change_nothing(tool, tmp_path):
    for name, source in (("results", RESULTS), ("rules", RULES), ("tap", EXAMPLES / "tap" / "good")):
        shutil.copytree(source, tmp_path / "lf" / name)
        windows_copy(source, tmp_path / "crlf" / name)
    settings = '[[waiver]]\nreason = "tide"\nuntil = 2026-12-24\nmatch = { check = "Pay*" }\n\n[report]\ndescription = """\nAbout\nthe run\n"""\n'
    for name, end in (("lf", "\n"), ("crlf", "\r\n")):
        folder = tmp_path / name
        for file, text in (
            ("plain-verdict.toml", settings),
            ("secrets.env", "QUAY_KEY=hidden-harbour-77\nA=second-value-8\n"),
        ):
            (folder / file).write_bytes(text.replace("\n", end).encode())
        for source in (REQUIREMENTS, API_DOCUMENT):
            (folder / source.name).write_bytes(
                source.read_bytes().replace(b"\r\n", b"\n").replace(b"\n", end.encode())
            )
    found = []
    for name in ("lf", "crlf"):
        os.chdir(tmp_path / name)
        more = (
            "--requirements",
            REQUIREMENTS.name,
            "--api-document",
            API_DOCUMENT.name,
            "--mask-values",
            "secrets.env",
        )
        done = tool_in(
            tmp_path / name, "report", "results", "rules", "tap", *more, "--no-git", "--json", "--detail"
        )
        summary = json.loads(done)
        for file in summary["files"]:
            file.pop("size_bytes", None)
            file.pop("sha256")
        summary.pop("judged")  # has both as well
        summary.pop("fingerprint")
        found.append(summary)
    assert found[0]["counts"] == found[1]["counts"]
    assert strip(found[0]) == strip(found[1])


def tool_in(folder, *arguments):
    env = {**os.environ, "SOURCE_DATE_EPOCH": MADE}
    command = [sys.executable, "-m", "plain_verdict", *arguments]
    return subprocess.run(command, cwd=folder, env=env, capture_output=True, check=False).stdout.decode()


def strip(summary):
    """What a summary says, without where files are and how large."""
    return {key: value for key, value in summary.items() if key not in ("page", "files", "run")}


ENCODED = [
    ("report", "--json", "--out", "p.html"),
    ("report", "--markdown", "-", "--out", "q.html"),
    ("judge", "--json"),
    ("inspect", "--json"),
]


@pytest.mark.parametrize("arguments", ENCODED, ids=" ".join)
def test_documents_are_utf_8_also_where_the_console_is_not(arguments, tmp_path):
    (tmp_path / "r.xml").write_text(
        '<testsuite><testcase name="Fähre nach Ærø – 渡し船"><failure message="línea"/></testcase></testsuite>',
        "utf-8",
    )
    env = {**os.environ, "PYTHONIOENCODING": "cp1252", "SOURCE_DATE_EPOCH": MADE}
    command, *options = arguments
    done = subprocess.run(
        [sys.executable, "-m", "plain_verdict", command, "r.xml", *options],
        cwd=tmp_path,
        env=env,
        capture_output=True,
        check=False,
    )
    shown = done.stdout.decode("utf-8")
    assert "línea" in shown
    if "--json" in arguments:
        assert json.loads(shown)["verdict"] == "not fit"
    # What people read is in the console's own encoding, with what that lacks as escapes.
    words = subprocess.run(
        [sys.executable, "-m", "plain_verdict", "judge", "r.xml"],
        cwd=tmp_path,
        env=env,
        capture_output=True,
        check=False,
    ).stdout
    assert "Fähre nach Ærø – \\u6e21" in words.decode("cp1252")


OUTPUTS = (
    "--tables",
    "t",
    "--junit",
    "j.xml",
    "--markdown",
    "s.md",
    "--history",
    "h.db",
    "--index",
    "--mail",
    "m.eml",
)


@pytest.mark.slow
@pytest.mark.parametrize(
    "arguments", [("report", *DEMO, *OUTPUTS), ("init",), ("demo", "d"), ("check",)], ids=lambda row: row[0]
)
def test_no_text_is_opened_in_the_encoding_of_the_machine(arguments, tmp_path):
    (tmp_path / "plain-verdict.toml").write_text("[report]\n") if arguments[0] == "check" else None
    python = (sys.executable, "-X", "warn_default_encoding", "-W", "always::EncodingWarning", "-m", "plain_verdict")
    env = {**os.environ, "SOURCE_DATE_EPOCH": MADE}
    done = subprocess.run([*python, *arguments], cwd=tmp_path, env=env, capture_output=True, text=True, check=False)
    ours = [line for line in done.stderr.splitlines() if "EncodingWarning" in line and "plain_verdict" in line]
    assert ours == []
    assert done.returncode == 0, done.stderr


def test_paths_of_windows_in_results_are_found_here(tool, tmp_path):
    (tmp_path / "desk" / "shots").mkdir(parents=True)
    (tmp_path / "desk" / "shots" / "seat.txt").write_text("seat 14C")
    attached = r"[[ATTACHMENT|C:\ci\desk\shots\seat.txt]]", r"[[ATTACHMENT|shots\seat.txt]]"
    cases = "".join(
        f'<testcase name="{at}" file="C:\\ci\\desk\\seats.py"><system-out>{text}</system-out></testcase>'
        for at, text in enumerate(attached)
    )
    (tmp_path / "desk" / "r.xml").write_text(f"<testsuite name='Desk'>{cases}</testsuite>")
    lines = (
        {"what": "check", "id": "c", "name": "rec"},
        {"what": "evidence", "in": "c", "path": "shots\\seat.txt"},
        {"what": "end", "id": "c", "outcome": "passed"},
    )
    (tmp_path / "desk" / "r.verdict.jsonl").write_text("".join(f"{json.dumps(line)}\n" for line in lines))
    run = read(tmp_path / "desk")
    assert len(run.checks) == 3
    assert [evidence.unavailable for check in run.checks for evidence in check.last.evidence] == ["", "", ""]
    assert len({evidence.content for check in run.checks for evidence in check.last.evidence}) == 1
    (tmp_path / "w.toml").write_bytes(b"[evidence]\r\nlook_in = ['desk/shots']\r\n")
    assert tool("report", "desk", "--config", "w.toml").code == 0
