"""Reading on a real scheduler with real workers: the same comes of it, and nothing waits for ever."""

import gzip
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable, Iterator
from io import BytesIO
from pathlib import Path
from types import SimpleNamespace

import pytest
from distributed import Client, Security
from hypothesis import given, settings
from hypothesis import strategies as st

from plain_verdict.inputs.source import Source
from plain_verdict.load.condensed import condense
from plain_verdict.readers.samples import ranges
from plain_verdict.readers.samples.counting import count
from plain_verdict.readers.samples.opening import open_samples
from plain_verdict.runtime import cluster
from plain_verdict.runtime.errors import EngineFailed
from plain_verdict.runtime.executors import Engine
from plain_verdict.runtime.work import EngineError, Lost
from plain_verdict.writers.html import suite_pages

CASES = "".join(f'<testcase name="sails {at}" time="0.{at:03d}"/>' for at in range(300))
BAD = '<testcase name="sinks"><failure message="water">at quay.py:7</failure></testcase>'
SAMPLES = "time,duration_ms,request,status\n" + "".join(
    f"{1795312800 + at / 100:.2f},{at % 300},{'GET /fares' if at % 2 else 'POST /book'},{500 if at % 50 == 0 else 200}\n"
    for at in range(5_000)
)


class Workers:
    """A scheduler and its workers, as processes."""

    def __init__(self, folder: Path, scheme: str = "dask", **variables: str) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self._folder = folder
        protocol = "tls" if scheme == "tls" else "tcp"
        host = f"{protocol}://127.0.0.1"
        self._variables = variables
        self.scheduler = self._start(
            "scheduler", "--host", host, "--port", str(self.port), "--dashboard-address", ":0"
        )
        self._scheduler_address = f"{host}:{self.port}"
        self.address = f"{scheme}://127.0.0.1:{self.port}"
        self.workers: list[subprocess.Popen[bytes]] = []

    def _start(self, *command: str, before: tuple[str, ...] = (), **variables: str) -> subprocess.Popen[bytes]:
        with (self._folder / "log.txt").open("ab") as log:
            return subprocess.Popen(
                [*before, sys.executable, "-m", "dask", *command],
                cwd=self._folder, env={**os.environ, **self._variables, **variables}, stdout=log, stderr=log,
            )  # fmt: skip

    def add(self, threads: int = 1, before: tuple[str, ...] = (), **variables: str) -> subprocess.Popen[bytes]:
        """Start a worker and wait until the scheduler has it."""
        arguments = (
            "--nthreads",
            str(threads),
            "--no-nanny",
            "--no-dashboard",
            "--local-directory",
            str(self._folder / "space"),
        )
        registered = (self._folder / "log.txt").read_bytes().count(b"Register worker")
        self.workers.append(self._start("worker", self._scheduler_address, *arguments, before=before, **variables))
        deadline = time.monotonic() + 120
        while (self._folder / "log.txt").read_bytes().count(b"Register worker") == registered:
            assert time.monotonic() < deadline, (self._folder / "log.txt").read_text()
            time.sleep(0.1)
        return self.workers[-1]

    def end(self) -> None:
        """End all of them, also those that are stopped."""
        for process in (*self.workers, self.scheduler):
            process.kill()
            process.wait()


@pytest.fixture
def workers(tmp_path) -> Iterator[Workers]:
    folder = tmp_path / "cluster"
    folder.mkdir()
    running = Workers(folder)
    yield running
    running.end()


@pytest.fixture(autouse=True)
def soon(monkeypatch):
    """What counts as gone or hung is so sooner; all else is as it is."""
    for name in ("_GONE_S", "_HUNG_S", "_FETCH_S"):
        monkeypatch.setattr(cluster, name, 4.0)
    # A loaded machine is slow, not wrong.
    monkeypatch.setattr(cluster, "_BEGIN_S", 60.0)


def at_once(engine: Engine, what: Callable[[], object]) -> list[int]:
    """Do 60 pieces of work; do something to the cluster after the fifth."""
    done = []
    for made in engine.each(_nap_there, range(60)):
        done.append(made)
        if len(done) == 5:
            what()
    return done


# Workers know no test modules: what they do is made of what they have.
_nap_there = eval("lambda number: (__import__('time').sleep(0.1), number)[1]")
_end_there = eval("lambda number: number or __import__('os')._exit(1)")


def stop(process: subprocess.Popen[bytes]) -> None:
    process.send_signal(signal.SIGSTOP)


LOSSES = [
    ("a worker is killed", lambda workers: workers.workers[0].kill(), ""),
    ("a worker stops", lambda workers: stop(workers.workers[0]), ""),
    ("the scheduler is killed", lambda workers: workers.scheduler.kill(), "the scheduler is gone"),
    ("all workers are killed", lambda workers: [one.kill() for one in workers.workers], "all its workers are gone"),
]


@pytest.mark.slow
@pytest.mark.parametrize(("what", "said"), [row[1:] for row in LOSSES], ids=[row[0] for row in LOSSES])
def test_what_is_lost_is_begun_elsewhere_and_what_is_gone_ends_the_run(what, said, workers):
    workers.add()
    workers.add()
    engine = Engine(workers.address)
    if said:
        with pytest.raises(EngineFailed, match=said), engine:
            at_once(engine, lambda: what(workers))
    else:
        with engine:
            assert at_once(engine, lambda: what(workers)) == list(range(60))


@pytest.mark.slow
def test_a_piece_that_ends_its_workers_is_lost_and_the_others_count(workers):
    for _ in range(6):
        workers.add()
    with Engine(workers.address) as engine:
        made = list(engine.each_or_lost(_end_there, [1, 0, 2, 3]))
    lost = made.pop(1)
    assert isinstance(lost, Lost)
    assert "can't be read on the cluster" in lost.why
    assert made == [1, 2, 3]


@pytest.mark.slow
def test_work_of_which_nothing_comes_is_begun_once_more_and_then_given_up(workers):
    workers.add(threads=2)
    there = eval("lambda number: __import__('time').sleep(600 if number == 2 else 0)")
    with Engine(workers.address, patience_s=3) as engine, pytest.raises(EngineError, match="within 3\\.0 s"):
        list(engine.each(there, range(4)))


def other_version(folder: Path) -> str:
    """A folder that says that plain-verdict is another one, to those who look there first."""
    about = folder / "other" / "plain_verdict-0.0.9.dist-info"
    about.mkdir(parents=True)
    (about / "METADATA").write_text("Metadata-Version: 2.1\nName: plain-verdict\nVersion: 0.0.9\n")
    return str(about.parent)


@pytest.mark.slow
def test_what_only_an_extension_reads_is_read_where_the_extension_is(workers, tool, monkeypatch, tmp_path):
    workers.add()
    site = tmp_path / "site"
    (site / "slips-1.dist-info").mkdir(parents=True)
    (site / "slips-1.dist-info" / "entry_points.txt").write_text("[plain_verdict.readers]\nslip = slips:Slips\n")
    (site / "slips.py").write_text(
        "from plain_verdict.extension import *\nclass Slips:\n"
        "    recognises = lambda self, head: head.text.startswith('slip')\n"
        "    def read(self, source, limits):\n        with source.open() as file: words = file.read().decode().split()\n"
        "        return ResultFile(checks=[Check('', Kind.API, (), word, (Attempt(Outcome.PASSED),)) for word in words])"
    )
    monkeypatch.syspath_prepend(site)
    (tmp_path / "a.slip").write_text("slip one")
    (tmp_path / "q.xml").write_text(f"<testsuite>{CASES}</testsuite>")
    with zipfile.ZipFile(tmp_path / "n.zip", "w") as archive:
        archive.writestr("b.slip", "slip two three")
        archive.writestr("c.xml", f"<testsuite>{BAD}</testsuite>")
    for engine in ((), ("--engine", workers.address)):
        done = tool("judge", "a.slip", "n.zip", "q.xml", "--json", *engine)
        assert json.loads(done.out)["counts"]["passed"] == 305, done.err
        assert json.loads(done.out)["counts"]["failed"] == 1


@pytest.mark.slow
def test_workers_that_are_busy_or_come_later_are_used(workers, monkeypatch):
    workers.add()
    # Loading the libraries takes longer than what is given for connecting.
    leaps: list[float] = []
    monkeypatch.setattr(cluster, "quiet_libraries", lambda: leaps.append(cluster._BEGIN_S + cluster._LOCAL_S))
    monkeypatch.setattr(cluster, "time", SimpleNamespace(monotonic=lambda: time.monotonic() + sum(leaps)))
    busy = Client(f"tcp://127.0.0.1:{workers.port}", set_as_default=False)
    waits = busy.submit(time.sleep, 5)
    with Engine(workers.address) as engine:
        assert at_once(engine, lambda: workers.add() and workers.workers[0].kill()) == list(range(60))
        assert engine.notes == []
    waits.cancel()
    busy.close()


@pytest.mark.slow
def test_workers_that_do_not_fit_are_named_and_not_used(workers, tool, tmp_path):
    (tmp_path / "r.xml").write_text(f'<testsuite name="Quay">{CASES}</testsuite>')
    workers.add(PYTHONPATH=other_version(tmp_path))
    command = ("report", "r.xml", "--no-git", "--engine", workers.address, "--quiet")
    why = "plain-verdict is 0.0.9 there, 0.1.0 here"
    done = tool(*command)
    assert (done.code, done.err.count("\n")) == (3, 2), done.err
    assert f"can't be used: no worker can be used: {why}" in done.err
    assert not (tmp_path / "verdict.html").exists()
    workers.add(threads=4)
    done = tool(*command[:-1])
    assert (done.code, done.err.count("\n")) == (0, 1), done.err
    assert done.err.startswith("note: The worker tcp://127.0.0.1:")
    assert done.err.endswith(f" is not used: {why}.\n")


ADDRESSES = [
    ("dask://127.0.0.1:{web}", "can't be used: no answer"),
    ("dask://127.0.0.1:{silent}", "can't be used: "),
    ("dask://127.0.0.1:{none}", "can't be used: "),
    ("tls://127.0.0.1:{none}", "no certificate of this program is named"),
]


@pytest.mark.parametrize(("address", "said"), ADDRESSES)
def test_an_address_where_no_scheduler_is_ends_the_run(address, said, tool, tmp_path, web_and_silent, monkeypatch):
    monkeypatch.setattr(cluster, "_BEGIN_S", 4.0)
    (tmp_path / "r.xml").write_text(f'<testsuite name="Quay">{CASES}</testsuite>')
    done = tool("report", "r.xml", "--engine", address.format(**web_and_silent))
    assert (done.code, done.err.count("\n"), "Traceback" in done.err) == (3, 2, False), done.err
    assert said in done.err


@pytest.fixture
def web_and_silent(tmp_path) -> Iterator[dict[str, int]]:
    with socket.create_server(("127.0.0.1", 0)) as silent, socket.socket() as none:
        none.bind(("127.0.0.1", 0))
        server = subprocess.Popen(
            [sys.executable, "-u", "-m", "http.server", "0", "--bind", "127.0.0.1"],
            cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
        )  # fmt: skip
        web = int(server.stdout.readline().split(" port ")[1].split()[0])
        yield {"silent": silent.getsockname()[1], "none": none.getsockname()[1], "web": web}
        server.kill()
        server.communicate()


def certificates(folder: Path) -> dict[str, str]:
    """Variables that name an authority's certificate and one that it signed, which is its own here."""
    folder.mkdir()
    security = Security.temporary()
    names = {"CA_FILE": security.tls_ca_file}
    for role in ("CLIENT", "SCHEDULER", "WORKER"):
        names |= {f"{role}__CERT": security.tls_client_cert, f"{role}__KEY": security.tls_client_key}
    variables = {}
    for name, text in names.items():
        (folder / name).write_text(text)
        variables[f"DASK_DISTRIBUTED__COMM__TLS__{name}"] = str(folder / name)
    return variables


@pytest.mark.slow
def test_tls_needs_certificates_that_fit(tmp_path):
    (tmp_path / "r.xml").write_text(f'<testsuite name="Quay">{CASES}</testsuite>')
    ours, others = certificates(tmp_path / "ours"), certificates(tmp_path / "others")
    workers = Workers(tmp_path, "tls", **ours)
    try:
        workers.add()
        command = [
            sys.executable,
            "-m",
            "plain_verdict",
            "report",
            "r.xml",
            "--no-git",
            "--engine",
            workers.address,
        ]
        for variables, code, said in ((ours, 0, ""), (others, 3, "certificate"), ({}, 3, "no certificate")):
            done = subprocess.run(
                command, cwd=tmp_path, env={**os.environ, **variables}, capture_output=True, text=True, check=False
            )
            assert (done.returncode, said in done.stderr, done.stderr.count("\n")) == (
                code,
                True,
                2 if code else 0,
            ), done.stderr
    finally:
        workers.end()


def make_results(folder: Path) -> None:
    """Results of several formats, in files and archives, good and bad."""
    folder.mkdir()
    for number in range(12):
        (folder / f"{number}.xml").write_text(f'<testsuite name="Quay {number}">{CASES}{BAD}</testsuite>')
    (folder / "cut.xml").write_text(f'<testsuite name="Quay">{BAD}<testcase na')
    (folder / "notes.txt").write_text("no results")
    (folder / "morning.csv").write_text(SAMPLES + "bad,row\n")
    (folder / "late.csv.gz").write_bytes(gzip.compress(SAMPLES.encode()))
    with zipfile.ZipFile(folder / "more.zip", "w") as archive:
        for number in range(4):
            archive.writestr(f"run/{number}.xml", f'<testsuite name="Night {number}">{BAD}</testsuite>')
        archive.writestr("run/samples.csv", SAMPLES)
        archive.writestr("run/.hidden.xml", f'<testsuite name="Hidden">{BAD}</testsuite>')
    (folder / "cut.zip").write_bytes((folder / "more.zip").read_bytes()[:300])


@pytest.fixture
def page(tool, tmp_path) -> Callable[..., tuple[bytes, str]]:
    """Report on the results into a folder; the page, and what was said."""

    def make(name: str, *more: str) -> tuple[bytes, str]:
        done = tool("report", "results", "--no-git", "--out", f"{name}/p.html", *more)
        assert done.code == 0, done.err
        return (tmp_path / name / "p.html").read_bytes(), done.err

    return make


@pytest.mark.slow
def test_workers_that_see_the_files_read_them_there_and_the_page_is_the_same(workers, page, tmp_path, monkeypatch):
    make_results(tmp_path / "results")
    workers.add(threads=4)
    workers.add()
    sent = []
    monkeypatch.setattr(cluster.Cluster, "_scattered", lambda _, piece, __: sent.append(piece) or piece)
    assert page("there", "--engine", workers.address) == page("here")
    assert sent == []


@pytest.mark.slow
@pytest.mark.parametrize("state", ["none", "stale"])
def test_files_that_workers_do_not_see_are_sent_and_a_line_says_so(state, workers, page, tmp_path):
    make_results(tmp_path / "results")
    other = tmp_path / "other"
    shutil.copytree(tmp_path / "results", other)
    if state == "none":
        for file in other.iterdir():
            file.unlink()
    else:
        (other / "3.xml").write_text(f'<testsuite name="Last week">{CASES}</testsuite>')
    # In the worker's own view of the disk there is another folder in this place.
    view = (
        "unshare",
        "--user",
        "--map-root-user",
        "--mount",
        "sh",
        "-c",
        'mount --bind "$0" "$1" && shift 1 && exec "$@"',
    )
    workers.add(before=(*view, str(other), str(tmp_path / "results")))
    here, said = page("here")
    there, said_there = page("there", "--engine", workers.address)
    assert there == here
    (note,) = set(said_there.splitlines()) - set(said.splitlines())
    assert (
        note
        == {
            "none": f"note: Workers of the cluster don't see {tmp_path / 'results'}: its files were sent to them.",
            "stale": "note: A worker of the cluster has another state of results/3.xml: what is here was sent.",
        }[state]
    )


CELLS = st.sampled_from(["GET /a", '"GET, ""b"""', '"two\nlines"', '"\n\n"', "x", '"é"'])


@settings(max_examples=60, deadline=None)
@given(
    cells=st.lists(CELLS, min_size=5, max_size=60),
    size=st.integers(40, 400),
    syntax=st.sampled_from(["csv", "jsonl", "csv without end", "csv with an open quote"]),
)
def test_a_file_counted_in_ranges_is_the_same_as_counted_whole(cells, size, syntax, tmp_path_factory):
    file = tmp_path_factory.mktemp("ranges") / "s.csv"
    if syntax == "jsonl":
        rows = [
            f'{{"time": {1795312800 + at}, "duration_ms": {at}, "request": "a\\"{at % 3}"}}'
            for at in range(len(cells))
        ]
        text = "\n".join(rows) + "\n"
    else:
        rows = [f"{1795312800 + at},{at},{cell},200" for at, cell in enumerate(cells)]
        rows.insert(len(rows) // 2, "bad,row")
        text = "\n".join(["time,duration_ms,request,status", *rows, *(['1,"open'] if "quote" in syntax else [])])
        text += "" if "without" in syntax else "\n"
    file.write_text(text, "utf-8", newline="")
    source = Source("s.csv", lambda: BytesIO(file.read_bytes()), file.stat().st_size, file=str(file))
    opened = open_samples(source, None, ())
    with Engine() as engine, pytest.MonkeyPatch.context() as patch:
        patch.setattr(ranges, "_RANGE_BYTES", size)
        with source.open() as stream:
            whole = count(opened.parser, opened.parts(stream), engine, 0.0, int)
        parted = ranges.count_in_ranges(source, opened, engine, 0.0, int)
    if parted is None:  # read row by row, where a row is longer than a range, or a quote never closed
        assert "quote" in syntax or max(map(len, rows)) > size / 2
        return
    assert [(row.line, row.why) for row in parted.bad.first] == [(row.line, row.why) for row in whole.bad.first]
    assert condense(parted.state, 0, str, []) == condense(whole.state, 0, str, [])


@pytest.mark.slow
@pytest.mark.parametrize(("layout", "files"), [("page", 1), ("folder", 17)])
def test_pages_that_others_render_are_the_same(layout, files, workers, tmp_path, tool, program, monkeypatch):
    """By workers, one of which is killed meanwhile, and by processes of this machine."""
    workers.add()
    workers.add()
    inside = (BAD.partition(">")[2].removesuffix("</testcase>"), "<system-out>at the quay</system-out>", "")
    for number in range(6):
        cases = "".join(
            f'<testcase classname="Quay.N{number}" name="sails {at}" time="0.2">{inside[at % 3]}</testcase>'
            for at in range(1_200)
        )
        (tmp_path / f"{number}.xml").write_text(f'<testsuite name="s{number}">{cases}</testsuite>')
    real, killed = cluster.Cluster.result, []

    def result(self, task):
        if not killed and ".html." in task.work.__module__:
            killed.append(workers.workers[0].kill())
        return real(self, task)

    monkeypatch.setattr(cluster.Cluster, "result", result)
    made = {}
    for by, run, least, more in (
        ("itself", tool, 10**9, ()),
        ("workers", tool, 1, ("--engine", workers.address)),
        ("processes", program, 1, ()),
    ):
        monkeypatch.setattr(suite_pages, "_LEAST_CHECKS", least)
        out = tmp_path / by / ("p.html" if layout == "page" else "p")
        done = run(
            "report", *(f"{number}.xml" for number in range(6)), "--layout", layout, "--out", str(out), *more
        )
        assert done.code == 0, done.err
        found = [file for file in out.parent.rglob("*") if file.is_file()]
        made[by] = {file.relative_to(out.parent): file.read_bytes() for file in found}
    assert killed == [None]
    assert len(made["itself"]) == files
    assert made["workers"] == made["itself"]
    assert made["processes"] == made["itself"]
