"""Stores and pages that can't be used cost a report nothing, and many runs at once lose none."""

import gzip
import json
import os
import random
import re
import signal
import sqlite3
import subprocess
import sys
import time
from array import array
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from pathlib import Path

import psycopg
import pytest

from conftest import MADE
from nights import PASSWORD, write_build
from plain_verdict.history import digest as digests
from plain_verdict.history.postgresql import _is_temporary
from plain_verdict.history.sql import SqlStore
from plain_verdict.history.stores import open_store
from plain_verdict.model import Build, CheckIndex, KeptRun, kept_run
from plain_verdict.runtime.errors import HistoryError

NIGHT = [
    sys.executable,
    "-m",
    "plain_verdict",
    "report",
    "--no-git",
    "--title",
    "Desk",
    "--no-find-previous",
    "--quiet",
]


def make_newer(path: Path) -> None:
    with open_store(str(path)):
        pass
    with sqlite3.connect(path) as connection:
        connection.execute("UPDATE pv_version SET version = 99")


def make_locked(path: Path) -> None:
    with open_store(str(path)):
        pass
    locked = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
    locked.execute("BEGIN EXCLUSIVE")
    make_locked.kept = locked  # until the test ends


def make_damaged(path: Path) -> None:
    path.write_bytes(b"SQLite format 3\0" + b"\xff" * 5000)


def make_unreadable(path: Path) -> None:
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE pv_run (id TEXT)")
    # SQLite's message quotes the name of what is damaged, here in no encoding.
    data = path.read_bytes().replace(b"CREATE TABLE pv_run (id", b"CREATE XABLE pv_run (id")
    path.write_bytes(data.replace(b"tablepv_run", b"tablepv\xcerun"))


STORES = [
    ("a text file", lambda path: path.write_text("quay,sailings\n" * 300), "is not a history: it is a file of another kind"),
    ("newer", make_newer, "was made by a newer version (its tables are of version 99, this one knows 2)"),
    ("a folder", lambda path: path.mkdir(), "is a folder"),
    ("damaged", make_damaged, "history"),
    ("damaged in its schema", make_unreadable, "is damaged"),
    ("locked", make_locked, "is locked by another program"),
    ("nowhere", lambda _: None, "check the folder and its permissions."),
]  # fmt: skip


@pytest.mark.parametrize(("name", "make", "told"), STORES, ids=[name for name, *_ in STORES])
@pytest.mark.parametrize("must", [False, True])
def test_a_store_that_can_not_be_used_costs_no_report(name, make, told, must, night, tmp_path, monkeypatch):
    monkeypatch.setattr("plain_verdict.history.sqlite._LOCK_PATIENCE_S", 0.1)
    path = tmp_path / ("missing/history.db" if name == "nowhere" else "history.db")
    make(path)
    (tmp_path / "plain-verdict.toml").write_text(f"[history]\nrequired = {str(must).lower()}")
    done = night(1, "pf", "--history", str(path))
    # A store that others write to can be read all the while. That a run was not stored is always said.
    leads = (
        ["This run was not stored: the history"]
        if name == "locked"
        else ["The history", "This run was not stored: the history"]
    )
    lines = done.err.splitlines()
    assert (done.code, len(lines)) == (5 if must else 0, len(leads))
    for line, lead in zip(lines, leads, strict=True):
        assert line.startswith(f"note: {lead} {path} ")
        assert told in line
    assert name == "locked" or "does not use it" in (tmp_path / "verdict.html").read_text("utf-8").replace(
        "\n", " "
    )


def test_a_disk_that_is_full_is_told_and_nothing_half_is_kept(night, tmp_path):
    path = tmp_path / "history.db"
    night(1, "pf", "--history", str(path))
    with open_store(str(path)) as store:
        page_count = store._connection.execute("PRAGMA page_count")[0][0]
        store._connection.execute(f"PRAGMA max_page_count = {page_count}")
        (kept,) = store.runs_before("Desk main", store.builds()[0].moment + timedelta(days=1), 9)
        many = tuple(f"c-{at:012x}" for at in range(30_000))
        full = digests.kept_run(
            kept.build.__class__(**{**_fields(kept.build), "id": "r-full"}),
            digests.CheckIndex(many, many),
            "p" * 30_000,
        )
        with pytest.raises(HistoryError, match="the disk is full"):
            store.add(full)
        assert [build.id for build in store.builds()] == [kept.build.id]


def _fields(struct: object) -> dict[str, object]:
    return {name: getattr(struct, name) for name in struct.__struct_fields__}


ADDRESSES = [
    ("{cluster}/nowhere", "wrong", 'can\'t be used .*password authentication failed for user "keeper"'),
    ("{cluster}/nowhere", "", 'database "nowhere" does not exist'),
    ("postgresql://keeper@127.0.0.1:1/x", "", "can't be used .*Connection refused"),
]  # fmt: skip


@pytest.mark.parametrize(("address", "password", "told"), ADDRESSES)
def test_a_database_that_can_not_be_used_costs_no_report_and_no_password_is_shown(
    address, password, told, night, cluster, monkeypatch
):
    monkeypatch.setattr("plain_verdict.history.postgresql._RETRY_S", 0.3)
    monkeypatch.setenv("PGPASSWORD", password or PASSWORD)
    done = night(1, "pf", "--quiet", "--history", address.format(cluster=cluster))
    assert (done.code, len(re.findall(told, done.err)), done.err.count("This run was not stored")) == (0, 2, 1)
    assert PASSWORD not in done.err
    assert "check the address, and PGPASSWORD or the passfile" in done.err


def test_a_password_in_an_address_is_refused_and_not_repeated(night):
    # A library resolves escapes in names (RFC 3986, section 2.1), so they hide nothing.
    for rest in (
        ":harbour7@h/d",
        "@h/d?password=harbour7",
        "@h/d?%70assword=harbour7",
        "@h/d?a=1&PASSWORD=harbour7",
        "@h/d?sslpassword=harbour7",
        "@h/d?%73%63ram_client_key=harbour7",
        "@h:harbour7/d?password=harbour7",
    ):
        done = night(1, "pf", "--history", f"postgresql://keeper{rest}")
        assert (done.code, "harbour7" in done.err) == (2, rest.startswith("@h:"))
        assert "keeper" not in done.err
        assert "PGPASSFILE" in done.err or rest.startswith("@h:")


def test_many_runs_at_once_are_kept_each_once(store, tmp_path, request):
    folders = [tmp_path / f"run-{number}" for number in range(4)]
    for number, folder in enumerate(folders):
        folder.mkdir()
        write_build(folder / "r.xml", number, "ppfp" + "p" * number)
    several = [
        subprocess.Popen(
            [*NIGHT, "r.xml", "--history", store, "--build", str(number)], cwd=folder, stderr=subprocess.PIPE
        )
        for number, folder in enumerate(folders)
        for _ in range(2)
    ]
    assert [(process.communicate(timeout=900)[1], process.returncode) for process in several] == [(b"", 0)] * 8
    with open_store(store) as opened:
        builds = opened.builds()
        assert [build.build for build in builds] == [str(number) for number in range(4)]
        for build in builds:
            assert len(opened.run(build.id).check_index.ids) == 4 + int(build.build)


def kept_runs(number: int) -> Iterator[KeptRun]:
    """Runs of the same checks, so that all have the same parts."""
    ids = tuple(f"c-{at:012x}" for at in range(2_000))
    for at in range(number):
        build = Build(f"r-{os.getpid()}-{at}", "Desk", datetime(2026, 11, 1, tzinfo=UTC) + timedelta(hours=at))
        yield kept_run(build, CheckIndex(ids, ids), "p" * len(ids))


def test_runs_are_kept_while_others_forget_the_same_checks(database):
    with open_store(database) as first:
        with ThreadPoolExecutor(2) as pool:
            # Each with a connection of its own, as pipelines have them.
            kept = pool.submit(
                lambda: [open_and(database, lambda store, run=run: store.add(run)) for run in kept_runs(60)]
            )
            while not kept.done():
                first.forget(datetime(2027, 1, 1, tzinfo=UTC))
        assert kept.result() == [True] * 60
        first.add(next(kept_runs(1)))
        assert len(first.run(first.builds()[0].id).outcomes) == 2_000


def open_and(address, job):
    with open_store(address) as store:
        return job(store)


def test_a_restart_and_too_few_connections_cost_time_and_no_run(postgresql, database):
    with psycopg.connect(database, autocommit=True) as connection:
        connection.execute(f"CREATE ROLE pipeline LOGIN PASSWORD '{PASSWORD}' CONNECTION LIMIT 2")
        connection.execute("GRANT ALL ON SCHEMA public TO pipeline")
    address = database.replace("keeper@", "pipeline@")
    with open_store(address) as store:
        runs = list(kept_runs(8))
        assert store.add(runs[0])
        with ThreadPoolExecutor(4) as pool:
            adding = [pool.submit(open_and, address, lambda opened, run=run: opened.add(run)) for run in runs[1:]]
            postgresql.stop()
            time.sleep(1)
            postgresql.start()
            assert [one.result() for one in adding] == [True] * 7
        # The connection that was open all the while is made anew; with another one, a third has to wait.
        builds = store.builds()
        with ThreadPoolExecutor(1) as pool:
            with open_store(address):
                waiting = pool.submit(open_and, address, lambda opened: opened.add(runs[0]))
                time.sleep(0.5)
            assert waiting.result() is False
        assert {build.id for build in builds} == {run.build.id for run in runs}


@pytest.mark.parametrize(
    ("words", "passes"),
    [
        ('connection to server at "127.0.0.1", port 5432 failed: Connection reset by peer', True),
        ("could not send data to server: Broken pipe", True),
        ("SSL SYSCALL error: EOF detected", True),
        ("SSL connection has been closed unexpectedly", True),
        ('could not translate host name "db" to address: Temporary failure in name resolution', True),
        ('could not translate host name "db" to address: Name or service not known', False),
        ('password authentication failed for user "pipeline"', False),
        ("SSL error: certificate verify failed", False),
    ],
)
def test_what_passes_by_itself_is_tried_again(words, passes):
    assert _is_temporary(psycopg.OperationalError(words)) == passes


def test_a_run_is_stored_where_only_reading_failed(night, tmp_path, monkeypatch):
    read, failed = SqlStore.runs_before, []

    def fail_once(*arguments):
        if failed:
            return read(*arguments)
        failed.append(1)
        raise HistoryError("can't be used (the server restarts)", path="history.db", hint="try again later")

    monkeypatch.setattr(SqlStore, "runs_before", fail_once)
    done = night(1, "pf", "--history", "history.db")
    assert (
        done.err
        == "note: The history history.db can't be used (the server restarts), so this report does not use it; try again later.\n"
    )
    with open_store(str(tmp_path / "history.db")) as store:
        assert [build.build for build in store.builds()] == ["4201"]


def test_a_kill_at_any_moment_leaves_whole_runs_only(tmp_path):
    store = tmp_path / "history.db"
    code = (
        "import sys; from datetime import *; from plain_verdict.history.stores import open_store; from plain_verdict.model import *\n"
        "ids = tuple(f'c-{at:012x}' for at in range(40000)); at = datetime(2026, 11, 1, tzinfo=UTC)\n"
        f"with open_store({str(store)!r}) as s:\n"
        " for n in range(999):\n"
        "  s.add(kept_run(Build(f'r-{sys.argv[1]}-{n}', 'Desk', at + timedelta(n)), CheckIndex(ids[n:], ids[n:]), 'p' * (40000 - n)))\n"
        "  print(n, flush=True)\n"
    )
    kept = 0
    for moment in range(8):
        process = subprocess.Popen([sys.executable, "-c", code, str(moment)], stdout=subprocess.PIPE)
        process.stdout.readline()
        time.sleep(0.02 * moment)
        process.send_signal(signal.SIGKILL)
        told = len(process.communicate()[0].splitlines()) + 1
        with open_store(str(store)) as opened:
            builds = opened.builds()
            assert len(builds) >= kept + told  # what was said to be kept is kept
            assert all(
                len(opened.run(build.id).outcomes) == 40_000 - int(build.id.split("-")[2]) for build in builds[-3:]
            )
            kept = len(builds)
    write_build(tmp_path / "r.xml", 1, "pp")
    subprocess.run([*NIGHT, "r.xml", "--history", str(store)], cwd=tmp_path, check=True)


@pytest.mark.parametrize("most", [1, 5, 2_000])
def test_a_store_gives_back_what_it_was_given_whatever_came_and_went(most, store, monkeypatch):
    from plain_verdict.history import parts

    monkeypatch.setattr(parts, "_SINGLE_PART_UP_TO", most)
    monkeypatch.setattr(parts, "_FEW_PARTS_UP_TO", 40)
    rng = random.Random(most)
    given = []
    for number, size in enumerate((0, 3, 60, 60, 30, 59, 60)):
        checks = sorted(rng.sample(range(70), size))
        ids = tuple(sorted(f"c-{check * 123_456_789_012 % 2**48:012x}" for check in checks))
        letters = "".join(rng.choice("pfesur") for _ in ids)
        build = Build(f"r-{number}", "Desk", datetime(2026, 11, 1 + number, tzinfo=UTC))
        given.append(
            kept_run(
                build,
                CheckIndex(ids, tuple(f"check {id_}" for id_ in ids)),
                letters,
                array("I", [rng.randrange(9_999) for _ in ids]),
            )
        )
    with open_store(store) as opened:
        assert all(opened.add(run) for run in given)
        found = opened.runs_before("Desk", datetime(2026, 12, 1, tzinfo=UTC), 9)
        for run, read in zip(given, found, strict=True):
            wanted = {
                id_: row
                for id_, *row in zip(
                    run.check_index.ids, run.check_index.names, run.outcomes, run.times, strict=True
                )
            }
            alone = opened.run(run.build.id)
            assert (alone.check_index.ids, tuple(alone.check_index.names), alone.outcomes, alone.times) == (
                run.check_index.ids,
                run.check_index.names,
                run.outcomes,
                run.times,
            )
            told = {
                id_: row
                for id_, *row in zip(
                    read.check_index.ids,
                    read.check_index.names,
                    read.outcomes,
                    read.times or [0] * len(read.outcomes),
                    strict=True,
                )
                if row[1] != "-"
            }
            last = set(given[-1].check_index.ids)
            # Times are given of what the last run has.
            assert told == {id_: row if id_ in last else [*row[:2], 0] for id_, row in wanted.items()}


def test_what_is_forgotten_is_gone_with_all_that_only_it_had(night, tool, store, monkeypatch):
    monkeypatch.setenv("SOURCE_DATE_EPOCH", MADE)
    for number, outcomes in ((1, "ppf"), (2, "pp"), (12, "pp")):
        night(number, outcomes, "--history", store)
    done = tool("history", "forget", "--older-than", "1d", "--history", store)
    assert done.code == 0
    with open_store(store) as opened:
        left = opened.builds()
        parts = opened._connection.execute("SELECT COUNT(*) FROM pv_part")[0][0]
        assert (parts > 0) == bool(left)


def test_a_store_of_an_older_version_is_brought_forward_in_one_go(tmp_path, monkeypatch, night):
    from plain_verdict.history import sql

    store = str(tmp_path / "history.db")
    night(1, "pf", "--history", store)
    steps = (*sql._MIGRATIONS, ("ALTER TABLE pv_run ADD COLUMN note TEXT", "SELECT broken"))
    monkeypatch.setattr(sql, "_MIGRATIONS", steps)
    monkeypatch.setattr(sql, "SCHEMA_VERSION", 3)
    with pytest.raises(HistoryError):
        open_store(store)
    columns = "SELECT COUNT(*) FROM pragma_table_info('pv_run')"
    with sqlite3.connect(store) as connection:
        assert connection.execute(columns).fetchone()[0] == 5  # nothing of it was done
    monkeypatch.setattr(sql, "_MIGRATIONS", (*steps[:-1], steps[-1][:1]))
    with open_store(store) as opened:
        assert (opened._version(), len(opened.builds())) == (3, 1)


def test_a_store_of_the_first_version_gets_room_for_details_and_keeps_its_builds(tmp_path, night):
    store = str(tmp_path / "history.db")
    night(1, "pf", "--history", store)
    with sqlite3.connect(store) as connection:
        connection.executescript("DROP TABLE pv_run_detail; UPDATE pv_version SET version = 1")
    night(2, "fp", "--history", store, "--fact", "quay=north")
    with open_store(store) as opened:
        first, second = (opened.run(build.id) for build in opened.builds())
        # What an older version kept has no detail, and is as it was besides.
        assert (sorted(first.outcomes), first.detail) == (["f", "p"], None)
        assert [failure.message for failure in second.detail.failures] == ["Expected 418.00, got 209.00"]
        assert ("quay", "north") in [(fact.key, fact.value) for fact in second.detail.facts]


def page_of(night, tmp_path) -> str:
    night(1, "pf", "--out", "page.html")
    return (tmp_path / "page.html").read_text("utf-8")


def changed(text: str, change) -> str:
    """A page whose digest is another one."""
    found = re.search(r'id="digest">([^<]*)<', text)
    told = json.loads(digests.unpack(found[1].encode()))
    change(told)
    return text.replace(found[1], digests.pack(json.dumps(told).encode()))


PAGES = [
    ("no page", lambda _: "<html><body>Sailings</body></html>", "is not a report, summary or digest of this program"),
    ("empty", lambda _: "", "is not a report, summary or digest of this program"),
    ("truncated", lambda page: page[: page.index('id="digest"') + 60], "is a page that is truncated"),
    ("truncated before", lambda page: page[:9000], "is a page without a digest: of an older version, or truncated"),
    ("newer", lambda page: changed(page, lambda told: told.update(schema="plain-verdict/digest/2")), "holds a digest in another form ('plain-verdict/digest/2')"),
    ("no Base64", lambda page: re.sub(r'(id="digest">)[^<]*', r"\1ab?d", page), "no Base64"),
    ("no gzip", lambda page: re.sub(r'(id="digest">)[^<]*', r"\1YWJj", page), "no gzip"),
    ("half a gzip", lambda page: re.sub(r'(id="digest">[^<]{200})[^<]*', r"\1", page), "holds a digest that is truncated"),
    ("other lengths", lambda page: changed(page, lambda told: told["checks"]["outcomes"].__class__ and told["checks"].update(outcomes="p")), "its columns are not of one length"),
    ("other letters", lambda page: changed(page, lambda told: told["checks"].update(outcomes="px")), "it has outcomes in unknown letters"),
    ("one id twice", lambda page: changed(page, lambda told: told["checks"].update(ids=["c-1", "c-1"])), "or one stands twice"),
    ("chain", lambda page: changed(page, lambda told: told.update(earlier=[told["run"]])), "its chain is not of one length"),
    ("too many", lambda page: changed(page, lambda told: told.update(earlier=[told["run"]] * 31, outcomes="p" * 62)), "its chain is longer than 30 builds"),
    ("levels", lambda page: changed(page, lambda told: told.update(times={"step_ms": 0, "growth": 0.5, "took": "ab"})), "levels of no sense"),
    ("types", lambda page: changed(page, lambda told: told["run"].update(made=7)), "holds a digest that can't be read"),
    ("a summary of none", lambda _: '{"schema": "plain-verdict/summary/1", "verdict": "fit"}', "is a summary that does not say of which run"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "make", "told"), PAGES, ids=[name for name, *_ in PAGES])
def test_a_page_that_tells_nothing_costs_a_line(name, make, told, night, tool, tmp_path):
    page = page_of(night, tmp_path)
    (tmp_path / "old.html").write_text(make(page), "utf-8")
    done = night(2, "ff", "--previous", "old.html", "--no-find-previous")
    assert (done.code, done.history, done.err.count("\n")) == (0, None, 1)
    assert told in done.err
    assert "so it is not used as an earlier run" in done.err
    # Found beside the new page it is passed over, and the next older one tells more.
    night(0, "pp", "--out", "older.html", "--no-find-previous")
    (tmp_path / "page.html").unlink()
    assert len(night(3, "pf").history["builds"]) == 1
    inspected = tool("inspect", "old.html")
    assert "Traceback" not in inspected.err
    assert "old.html" in inspected.out + inspected.err


def test_a_digest_that_unpacks_without_end_is_refused(monkeypatch):
    monkeypatch.setattr(digests, "_MOST_DIGEST_BYTES", 1000)
    with pytest.raises(digests.ReadError, match="too large"):
        digests.unzip(gzip.compress(b"0" * 5000))


def test_what_a_hostile_page_says_is_shown_and_does_nothing(night, tmp_path, browser):
    bad = "<script>window.hurt = 1</script><img src=x onerror='window.hurt=2'>javascript:alert(1)"

    def spoil(told: dict) -> None:
        told["run"].update(build=bad, branch=bad, page="javascript:window.hurt=3")
        told["run"]["causes"] = [{"key": "k", "name": bad, "checks": 1}]
        told["checks"]["names"] = [bad, bad]
        told["checks"]["ids"] = ["c-<b>", told["checks"]["ids"][1]]

    page = page_of(night, tmp_path)
    (tmp_path / "old.html").write_text(changed(page, spoil), "utf-8")
    done = night(2, "ff", "--previous", "old.html", "--no-find-previous", "--out", "new.html")
    assert done.history["against"] == bad
    browser.get((tmp_path / "new.html").as_uri())
    browser.execute_script("document.querySelectorAll('details').forEach(d => d.open = true)")
    assert browser.execute_script("return window.hurt") is None
    assert bad in browser.find_element("id", "since").text
    assert not browser.find_elements("css selector", "#since img, #since a[href^=javascript]")


def test_a_secret_that_an_unmasked_page_tells_is_hidden(night, tmp_path):
    results = '<testsuite name="Desk" timestamp="2026-11-02T02:00:00"><testcase name="check 0"/><testcase name="signs in with password=quay7harbour"/></testsuite>'
    (tmp_path / "s.xml").write_text(results)
    told = ("--title", "Desk", "--no-git", "--fact", "branch=main", "--no-masking")
    subprocess.run(
        [*NIGHT[:3], "report", "s.xml", *told, "--out", "old.html"], cwd=tmp_path, check=True, capture_output=True
    )
    assert "quay7harbour" in (tmp_path / "old.html").read_text("utf-8")
    (tmp_path / "r.xml").write_text(
        results.replace("11-02", "11-03").replace('<testcase name="signs', '<testcase name="now signs')
    )
    again = [
        *NIGHT[:3],
        "report",
        "r.xml",
        *told[:-1],
        "--previous",
        "old.html",
        "--no-find-previous",
        "--out",
        "new.html",
        "--json",
    ]
    done = subprocess.run(again, cwd=tmp_path, check=True, capture_output=True, text=True)
    assert len(json.loads(done.stdout)["history"]["removed"]) == 1
    digest = digests.unpack(
        re.search(r'id="digest">([^<]*)<', (tmp_path / "new.html").read_text("utf-8"))[1].encode()
    )
    assert "quay7harbour" not in done.stdout + digest.decode() + (tmp_path / "new.html").read_text("utf-8")


def test_postgresql_needs_its_package(night, monkeypatch):
    monkeypatch.setitem(sys.modules, "psycopg", None)
    done = night(1, "pf", "--history", "postgresql://keeper@h/d")
    assert "needs a package that is not installed" in done.err
    assert "[postgresql]'" in done.err


def test_the_read_only_file_is_told(tmp_path):
    store = tmp_path / "history.db"
    with open_store(str(store)):
        pass
    with (
        sqlite3.connect(f"file:{store}?mode=ro", uri=True) as connection,
        pytest.raises(sqlite3.OperationalError) as raised,
    ):
        connection.execute("DELETE FROM pv_run")
    from plain_verdict.history.sqlite import _IN_WORDS

    assert any(words in str(raised.value) and "read-only" in what for words, what, _ in _IN_WORDS)


def test_an_empty_database_has_tables_after_its_first_run(database, night):
    night(1, "pf", "--history", database)
    with psycopg.connect(database) as connection:
        assert connection.execute("SELECT COUNT(*) FROM pv_run").fetchone()[0] == 1
    assert "PGPASSWORD" in os.environ
