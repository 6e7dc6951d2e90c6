"""Builds of a made-up desk as a pipeline leaves them, and a PostgreSQL of the tests' own."""

import json
import os
import pwd
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from pathlib import Path
from types import SimpleNamespace

import psycopg
import pytest

FIRST = datetime(2026, 11, 1, 2, 0)  # noqa: DTZ001  result files often tell no zone
PASSWORD = "harbour-tests"
WORDS = {"f": '<failure message="Expected 418.00, got 209.00">trace</failure>', "e": '<error message="no boat"/>'}
WORDS |= {"s": "<skipped/>", "p": "", "r": '<flakyFailure message="again"/>'}


def write_build(path: Path, number: int, outcomes: str, took_s: float = 1.0) -> None:
    """Write a result file of a night: a letter a check, as ``Past`` has them, ``-`` for one that is not there."""
    cases = "".join(
        f'<testcase classname="desk.Book" name="check {place}" time="{took_s}">{WORDS[letter]}</testcase>'
        for place, letter in enumerate(outcomes)
        if letter != "-"
    )
    when = (FIRST + timedelta(days=number)).isoformat()
    path.write_text(f'<testsuites><testsuite name="Desk" timestamp="{when}">{cases}</testsuite></testsuites>')


@pytest.fixture
def night(tool, tmp_path) -> Callable[..., SimpleNamespace]:
    """Report on a night, ``night(3, "ppf", "--history", "h.db")``: code, err, out, and its summary."""

    def run(number: int, outcomes: str, *options: str, took_s: float = 1.0) -> SimpleNamespace:
        write_build(tmp_path / "r.xml", number, outcomes, took_s)
        told = ["--title", "Desk", "--no-git", "--build", str(4200 + number), "--json"]
        if not any(option.startswith("branch=") for option in options):
            told += ["--fact", "branch=main"]
        done = tool("report", "r.xml", *told, *options)
        summary = json.loads(done.out) if done.out.startswith("{") else None
        return SimpleNamespace(
            code=done.code, err=done.err, summary=summary, history=summary and summary["history"]
        )

    return run


class Cluster:
    """A PostgreSQL that runs: its address, and ways to stop and start it."""

    def __init__(self, command: list[str], folder: Path, port: int) -> None:
        self._command, self._folder = command, folder
        self.address = f"postgresql://keeper@127.0.0.1:{port}"

    def start(self) -> None:
        """Start it, and wait until it answers."""
        self._server = subprocess.Popen(
            self._command, cwd=self._folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        for _ in range(3_000):
            try:
                psycopg.connect(f"{self.address}/postgres", password=PASSWORD, connect_timeout=1).close()
                return
            except psycopg.OperationalError:
                assert self._server.poll() is None, "the server did not start"
                time.sleep(0.1)

    def stop(self) -> None:
        """Stop it at once, with all that is connected: what PostgreSQL calls fast."""
        self._server.send_signal(signal.SIGINT)
        self._server.wait(180)


@pytest.fixture(scope="session")
def postgresql() -> Iterator[Cluster]:
    """A PostgreSQL in a temporary folder, on a free port, run by a user without rights. Never skipped."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    initdb = str(found[-1]) if found else shutil.which("initdb")
    assert initdb, "PostgreSQL is missing; scripts/check installs it (Debian's package postgresql)"
    folder = Path(tempfile.mkdtemp(prefix="pv-postgresql-"))
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    (folder / "password").write_text(PASSWORD)
    user = ()
    if os.geteuid() == 0:  # the server refuses to be run by root
        user = ("setpriv", "--reuid=postgres", "--regid=postgres", "--clear-groups")
        owner = pwd.getpwnam("postgres")
        for path in (folder, folder / "password"):
            os.chown(path, owner.pw_uid, owner.pw_gid)
    data = folder / "data"
    subprocess.run(
        [*user, initdb, "-D", data, "-A", "scram-sha-256", "-U", "keeper", f"--pwfile={folder}/password", "-N"],
        check=True,
        stdout=subprocess.DEVNULL,
        cwd=folder,
    )
    settings = ["-D", str(data), "-p", str(port), "-k", str(folder), "-c", "fsync=off"]
    server = Cluster([*user, str(Path(initdb).parent / "postgres"), *settings], folder, port)
    server.start()
    yield server
    server.stop()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def cluster(postgresql) -> str:
    """The address of the server."""
    return postgresql.address


@pytest.fixture
def database(cluster, monkeypatch, request) -> str:
    """The address of an empty database; its password is in the environment."""
    monkeypatch.setenv("PGPASSWORD", PASSWORD)
    name = f"t{abs(hash(request.node.nodeid))}"
    with psycopg.connect(f"{cluster}/postgres", autocommit=True) as connection:
        connection.execute(f'DROP DATABASE IF EXISTS "{name}"')
        connection.execute(f'CREATE DATABASE "{name}"')
    return f"{cluster}/{name}"


@pytest.fixture(params=["sqlite", "postgresql"])
def store(request, tmp_path) -> str:
    """The address of an empty store, of either kind."""
    return str(tmp_path / "history.db") if request.param == "sqlite" else request.getfixturevalue("database")
