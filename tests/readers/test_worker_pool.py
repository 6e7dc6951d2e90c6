"""Files that are read in other processes or on a cluster: the same comes of them, and a lost worker costs one file."""

import os
import re
import shutil
import signal
import zipfile
from pathlib import Path

import pytest

from conftest import EXAMPLES
from plain_verdict.cli.demo.files import RESULTS, RULES
from plain_verdict.inputs.discovery import discover
from plain_verdict.readers import jobs, reading, worker_pool
from plain_verdict.readers.samples.options import IN_THREADS, SamplesOptions
from plain_verdict.runtime.executors import Engine
from plain_verdict.settings.limits import DEFAULT_LIMITS

CASE = '<testsuite name="Quay {0}"><testcase name="sails {0}" time="0.{0}"/></testsuite>'


def read(folder: Path, samples: SamplesOptions = IN_THREADS):
    told: list[tuple] = []
    run = reading.read_all(
        discover([str(folder)]).sources, DEFAULT_LIMITS, lambda *it: told.append(it), samples=samples
    )
    assert told[-1][0] <= told[-1][1]
    return run


def in_words(run) -> list[str]:
    """All that was read, with the zones of times, but for where in memory some of it is."""
    return [re.sub(r" at 0x[0-9a-f]+", "", repr(one)) for one in (*run.files, *run.unread, *run.left_alone)]


@pytest.fixture
def all_kinds(tmp_path):
    """Results of every format that has an example, good and bad, in folders, archives and files."""
    folder = tmp_path / "in"
    for part in ("junit", "tap", "rules"):
        shutil.copytree(EXAMPLES / part, folder / part)
    shutil.copytree(RESULTS, folder / "desk")
    shutil.copytree(RULES, folder / "house")
    with zipfile.ZipFile(folder / "more.zip", "w") as archive:
        for number in range(6):
            archive.writestr(f"run/{number}.xml", CASE.format(number))
        archive.writestr("run/notes.txt", "no results")
    (folder / "cut.zip").write_bytes((folder / "more.zip").read_bytes()[:200])
    return folder


@pytest.mark.parametrize("batch_files", [1, 7])
def test_what_is_read_in_processes_is_the_same(all_kinds, monkeypatch, batch_files):
    here = read(all_kinds)
    assert len(here.files) > 30
    assert len(here.unread) > 5
    monkeypatch.setattr(reading, "_processes", lambda _: 2)
    monkeypatch.setattr(jobs, "_BATCH_FILES", batch_files)
    assert in_words(read(all_kinds)) == in_words(here)


@pytest.mark.slow
def test_what_is_read_on_a_cluster_is_the_same(all_kinds):
    with Engine("dask://local") as engine:
        assert in_words(read(all_kinds, SamplesOptions(engine))) == in_words(read(all_kinds))


def test_a_lost_worker_costs_a_second_try_and_then_its_own_file(tmp_path, monkeypatch):
    folder = tmp_path / "in"
    folder.mkdir()
    names = [f"{number}.xml" for number in range(9)]
    for number, name in enumerate(names):
        (folder / name).write_text(CASE.format(number))
    find_reader, tests = worker_pool.find_reader, os.getpid()

    def find_or_die(source, readers):
        once = tmp_path / "died"
        if source.path.endswith("2.xml") and not once.exists():
            once.touch()
        elif not source.path.endswith("5.xml"):
            return find_reader(source, readers)
        assert os.getpid() != tests
        return os.kill(os.getpid(), signal.SIGKILL)

    monkeypatch.setattr(worker_pool, "find_reader", find_or_die)
    monkeypatch.setattr(reading, "_processes", lambda _: 2)
    monkeypatch.setattr(jobs, "_BATCH_FILES", 2)
    run = read(folder)
    assert [Path(file.path).name for file in run.files] == [name for name in names if name != "5.xml"]
    assert [(Path(one.path).name, one.what) for one in run.unread] == [
        ("5.xml", "ended the process that read it, twice")
    ]
