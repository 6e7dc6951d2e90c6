"""Load results besides tables: JSON Lines, mappings, sums, metrics; where they are counted, and what is taken along."""

import csv
import json
import os
import random
import signal
from collections import Counter
from datetime import datetime
from functools import partial

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from test_load import HEAD, START_US, block, run_of, samples

from conftest import EXAMPLES
from plain_verdict.inputs.source import Source
from plain_verdict.load.bins import metric_bins_of
from plain_verdict.load.counts import SparseCounts, counted
from plain_verdict.load.metrics import MetricState, bin_of, metric_of
from plain_verdict.load.numbers import numbers_of
from plain_verdict.load.percentiles import rank_of
from plain_verdict.load.state import LoadState
from plain_verdict.model.statistics import wilson_interval
from plain_verdict.readers.reading import read_all
from plain_verdict.readers.samples import blocks
from plain_verdict.readers.samples.counting import _count_part
from plain_verdict.readers.samples.opening import open_samples
from plain_verdict.runtime.executors import Engine
from plain_verdict.settings.limits import DEFAULT_LIMITS

LINES = "".join(
    json.dumps({"ts": 1795312800 + at, "timings": {"duration_ms": at + 1}, "route": "Pay", "status": 200 if at % 10 else 503, "queue": at % 4}) + "\n"
    for at in range(100)
)  # fmt: skip
ODD = "wann;wie lange;was;erfolg;tiefe\n" + "".join(
    f"22.11.2026 09:{at // 60:02}:{at % 60:02};{(at + 1) / 1000:.3f};Zahlen;{'ja' if at % 10 else 'nein'};{at % 4}\n".replace(".", ",", 0)
    for at in range(100)
)  # fmt: skip
MAPPING = """
[[mapping]]
name = "the old bench"
files = ["odd.*"]
kind = "load"
[mapping.samples]
time = { from = "wann", format = "%d.%m.%Y %H:%M:%S", zone = "Europe/Berlin" }
duration = { from = "wie lange", unit = "s" }
request = "was"
success = { from = "erfolg", passed = "ja", failed = "nein" }
metrics = { queue = "tiefe" }
units = { queue = "jobs" }
"""
# A file, settings, its good and bad rows, when it began, and parts of its notes.
SAMPLES = {
    "JSON Lines": ("s.jsonl", LINES, '[load]\nmetrics = ["queue"]', 100, 0, "2026-11-22T02:00:00", ["“timings.duration_ms” as duration", "“queue” as the metric queue"]),
    "lines that are none": ("s.jsonl", LINES + 'oops\n[1]\n{"ts": 1795312800, "timings": {"duration_ms": "-"}}\n{"ts": 17953', '[load]\nmetrics = ["queue"]', 100, 4, "2026-11-22T02:00:00", ["line 101 is not JSON", "line 102 is not an object", "line 103 has no duration: “-”", "line 104 is truncated"]),
    "columns by a mapping": ("odd.csv", ODD, MAPPING, 100, 0, "2026-11-22T08:00:00", ["“wann” as the mapping says", "“wie lange” in s"]),
    "a word that the mapping does not know": ("odd.csv", ODD.replace("nein", "jein", 1), MAPPING, 99, 1, "2026-11-22T08:00:01", ["has no known outcome: “jein”"]),
    "a beginning left out": ("s.jsonl", LINES, '[load]\nleave_out = "first 20 s"\nmetrics = ["queue"]', 80, 0, "2026-11-22T02:00:20", ["without the first 20.0 s, 20 requests"]),
}  # fmt: skip


@pytest.mark.parametrize(
    ("name", "text", "settings", "good", "bad", "began", "notes"), SAMPLES.values(), ids=SAMPLES
)
def test_samples_of_any_form_are_counted_by_the_same_rules(
    tool, tmp_path, name, text, settings, good, bad, began, notes
):
    (tmp_path / name).write_text(text)
    (tmp_path / "plain-verdict.toml").write_text(settings)
    summary = json.loads(tool("judge", name, "--json").out)
    load, said = summary["load"], " ".join(summary["files"][0]["notes"])
    assert (load["rows"], load["bad_rows"]) == (good, bad), said
    assert load["first_start"].startswith(began)
    assert all(note in said for note in notes), said
    assert load["all"]["longest_ms"] == pytest.approx(100)
    assert load["failed"] == good // 10 if good != 99 else 9
    (metric,) = summary["metrics"]
    assert (metric["name"], metric["longest"]) == ("queue", 3)
    assert bad == 0 or summary["verdict"] == "undecided"


def test_a_mapping_that_names_more_columns_for_one_thing_is_said(tool, tmp_path):
    (tmp_path / "odd.csv").write_text(ODD)
    for key in ("wann", "wie lange"):
        (tmp_path / "plain-verdict.toml").write_text(MAPPING.replace(f'from = "{key}"', 'from = ["wann", "was"]'))
        done = tool("judge", "odd.csv")
        assert "odd.csv: has one column for each thing, and the mapping names more for one of them" in done.err
        assert "this is a bug" not in done.err


SUMS = {
    "began": "2026-11-22T09:00:00Z",
    "ended": "2026-11-22T09:10:00Z",
    "requests": {
        "Pay": {"n": 1000, "bad": 10, "avg": 250, "med": 210, "p95": 480.5, "max": 1900},
        "Seats": {"n": 4000, "bad": 0, "avg": 40, "med": 30, "p95": 90, "max": 400},
        "=Quote": {"n": "many"},
    },
    "paint": {"first paint": 840, "largest paint": 1320.5},
}
SUMS_MAPPING = """
[[mapping]]
name = "bench sums"
files = ["sums*.json"]
kind = "load"
[mapping.run]
started = "$.began"
ended = "$.ended"
[mapping.request]
each = "$.requests"
count = "n"
failed = "bad"
mean = "avg"
longest = "max"
percentiles = { p50 = "med", p95 = "p95" }
[[mapping.metric]]
each = "$.paint"
unit = "ms"
"""
BOUNDS = """
[[condition]]
measure = "p95"
at_most = "400 ms"
scope = { request = "*" }
[[condition]]
measure = "error share"
at_most = "1 %"
[[condition]]
measure = "throughput"
at_least = 8
[[condition]]
measure = "p99"
at_most = "1 s"
[[condition]]
measure = "value"
at_most = "1 s"
scope = { metric = "*paint" }
[[condition]]
measure = "value"
at_most = "3 MB"
scope = { metric = "first*" }
"""


def test_sums_are_shown_as_reported_and_never_put_together(tool, tmp_path, browser):
    (tmp_path / "plain-verdict.toml").write_text(SUMS_MAPPING + BOUNDS)
    (tmp_path / "sums.json").write_text(json.dumps(SUMS))
    done = tool("report", "sums.json", "--json", "--detail", "--tables", "tables", "--out", "v.html")
    summary = json.loads(done.out)
    outcomes = {check["name"]: check["outcome"] for check in summary["checks"]}
    assert outcomes == {
        "p95 of Pay: at most 400 ms": "failed",
        "p95 of Seats: at most 400 ms": "passed",
        "Error share of all requests: at most 1 %": "passed",
        "Throughput of all requests: at least 8 requests/s": "passed",
        "p99 of all requests: at most 1.0 s": "undecided",
        "First paint: at most 1 s": "passed",
        "Largest paint: at most 1 s": "failed",
        "First paint: at most 3 MB": "undecided",
    }
    (reported,) = summary["reported"]
    assert reported["requests"][-1] == {
        "request": "all requests", "count": 5000, "failed": 10, "mean_ms": pytest.approx((990 * 250 + 4000 * 40) / 4990, abs=0.01),
        "least_ms": None, "longest_ms": 1900.0,
    }  # fmt: skip
    assert "has 1 request without a count: =Quote" in " ".join(summary["files"][0]["notes"])
    assert summary["load"] is None
    with (tmp_path / "tables" / "load-requests.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    assert [row["request"] for row in rows] == ["Pay", "Seats", "all requests"]
    assert {row["reported_in"] for row in rows} == {"sums.json"}
    browser.get((tmp_path / "v.html").as_uri())
    text = browser.find_element(By.TAG_NAME, "main").text
    assert "Another tool computed these numbers" in text
    assert "480 ms" in text
    several = tmp_path / "sums-2.json"
    several.write_text(json.dumps(SUMS | {"ended": "2026-11-22T09:11:00Z"}))
    both = json.loads(tool("judge", "sums.json", "sums-2.json", "--json", "--detail").out)
    names = [check["name"] for check in both["checks"]]
    assert "p95 of Pay: at most 400 ms (sums.json)" in names
    assert "p95 of Pay: at most 400 ms (sums-2.json)" in names
    shown = tool("mapping", "sums.json", "--try", "plain-verdict.toml")
    assert "Pay: 1,000 sent, 10 failed, p95 480 ms" in shown.out
    assert "load results as the source reports them: 5,000 requests" in tool("inspect", "sums.json").out


def test_metrics_of_records_are_judged_found_and_drawn(tool, tmp_path, browser):
    for at in range(12):
        tool("record", "r.verdict.jsonl", "metric", f"step {at}", str(100 * at), "--unit", "ms")
    (tmp_path / "more.verdict.jsonl").write_text(
        '{"what":"record","version":1}\n'
        + "".join(
            f'{{"what":"metric","name":"queue","value":{at % 7 - 2},"at":{1795312800 + at}}}\n' for at in range(600)
        )
        + '{"what":"metric","name":"queue"}\n'
    )
    (tmp_path / "plain-verdict.toml").write_text(
        '[[condition]]\nmeasure = "p95"\nat_most = 4\nscope = { metric = "queue" }\n'
        '[[condition]]\nmeasure = "value"\nat_most = "0.5 s"\nscope = { metric = "step *" }\n'
    )
    done = tool("report", "r.verdict.jsonl", "more.verdict.jsonl", "--json", "--out", "v.html")
    summary = json.loads(done.out)
    metrics = {metric["name"]: metric for metric in summary["metrics"]}
    assert metrics["queue"]["count"] == 600
    assert (metrics["queue"]["least"], metrics["queue"]["p95"]) == (-2, 4)
    assert metrics["queue"]["mean"] == pytest.approx(np.mean([at % 7 - 2 for at in range(600)]))
    assert summary["counts"]["failed"] == 6
    assert "line 602" in " ".join(note for file in summary["files"] for note in file["notes"])
    browser.get((tmp_path / "v.html").as_uri())
    field = browser.find_element(By.CSS_SELECTOR, "input.find-rows")
    field.send_keys("step 1")
    shown = [
        row.text
        for row in browser.find_elements(By.CSS_SELECTOR, "table[data-find] tbody tr")
        if row.is_displayed()
    ]
    assert [row.split(" ms")[0] for row in shown] == ["step 1", "step 10", "step 11"]
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("queue")
    drawn = browser.find_element(By.CSS_SELECTOR, "polyline.trace")
    assert len(drawn.get_attribute("points").split()) == 60


@given(st.lists(st.floats(-1e12, 1e12), min_size=1, max_size=200), st.integers(0, 200))
def test_metrics_merge_to_the_numbers_of_all_values(values, cut):
    whole, parts = MetricState(), [MetricState(), MetricState()]
    for at, value in enumerate(values):
        whole.add(value, at)
        parts[at >= cut].add(value, at)
    parts[1].merge(parts[0])
    found, again = metric_of("queue", "", whole), metric_of("queue", "", parts[1])
    assert (found.least, found.longest, found.count) == (min(values), max(values), len(values))
    assert (
        again == pytest.approx(found)
        if False
        else (again.least, again.longest, again.p95) == (found.least, found.longest, found.p95)
    )
    assert whole.at_share(0.95) == pytest.approx(
        sorted(values)[-(-len(values) * 95 // 100) - 1], rel=0.0005, abs=1e-300
    )
    assert metric_bins_of(np.array(values)).tolist() == [bin_of(value) for value in values]


@pytest.mark.parametrize(
    ("highs", "lows", "bits", "number"),
    [
        ((7, 9), (0, 4), 3, 500),
        ((3, 4), (0, 1), 1, 1),
        ((0, 40), (11_000, 24_000), 17, 900),
        ((0, 40), (0, 2**30), 34, 900),
    ],
    ids=["in a table", "one alone", "as small numbers", "as they are"],
)
def test_keys_are_counted_alike_however_far_apart_they_lie(highs, lows, bits, number):
    chance = np.random.default_rng(number)
    high, low = chance.integers(*highs, number), chance.integers(*lows, number)
    keys, counts = counted(high, low, bits)
    assert dict(zip(keys.tolist(), counts.tolist(), strict=True)) == Counter((high << bits | low).tolist())
    assert (np.diff(keys) > 0).all()


def test_counts_that_come_in_any_order_are_brought_together():
    counts = SparseCounts()
    counts.add_counted(np.array([9, 4, 4]), np.array([1, 2, 3]))
    keys, times = counts.items()
    assert (keys.tolist(), times.tolist()) == ([4, 9], [5, 1])


def test_pauses_idle_users_levels_and_the_map_are_found():
    rng = np.random.default_rng(5)
    started = np.sort(rng.random(12_000) * 600)
    started = started[(started < 300) | (started > 308)]
    users = np.minimum(10 + started // 6, 80).astype(int)
    took = 40 * rng.lognormal(0, 0.3, started.size) * (1 + users / 40)
    took[(started > 298) & (started < 300)] = 9000
    load = run_of(block(took, started, users=users))
    (pause,) = load.pauses
    assert pause.started.timestamp() == pytest.approx(START_US / 1e6 + 300, abs=1)
    assert pause.span_s == pytest.approx(8, abs=1)
    assert load.waiting.waiting == pytest.approx(took.sum() / 1000 / load.span_s, rel=0.01)
    first, last = load.levels[0], load.levels[-1]
    assert (first.users, last.most_users) == (10, 80)
    for level in load.levels:
        own = (users >= level.users) & (users <= level.most_users)
        assert level.requests == pytest.approx(own.sum(), abs=25)
        assert level.p95_s == pytest.approx(np.quantile(took[own], 0.95) / 1000, rel=0.2)
    assert sum(count for *_, count in load.heat.cells) == started.size
    steady = run_of(block(np.full(3000, 100.0), np.arange(3000) * 0.1))
    assert (steady.pauses, steady.waiting, steady.levels) == ((), None, ())


def test_shares_have_the_intervals_of_their_sources():
    # Source: Newcombe 1998, Statistics in Medicine 17(8), 857 to 872, table I: 81 of 263, method 3 (Wilson)
    assert wilson_interval(81, 263) == (pytest.approx(0.2553, abs=1e-4), pytest.approx(0.3662, abs=1e-4))
    assert wilson_interval(0, 20)[0] == 0.0


def test_a_cluster_gives_the_same_numbers_also_when_a_worker_dies(tmp_path, monkeypatch):
    from distributed import LocalCluster

    samples(tmp_path, "now.csv", 3, busy=True, minutes=20)
    path = tmp_path / "now.csv"
    monkeypatch.setattr(blocks, "BLOCK_BYTES", 20_000)
    source = Source(path=str(path), open=lambda: path.open("rb"), size_bytes=path.stat().st_size)
    opened = open_samples(source, None, ())

    def counted(engine, then=lambda _: None):
        state = LoadState()
        with source.open() as stream:
            parts = list(blocks.blocks(stream, 2, 20_000))
            parts[0] = parts[0]._replace(data=parts[0].data[opened.begins :])
            for number, found in enumerate(engine.each(partial(_count_part, opened.parser, 0.0), parts)):
                state.merge(found.state, same_clients=True)
                then(number)
        return numbers_of(state)

    with Engine() as here:
        alone = counted(here)
    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None, silence_logs=50) as cluster:
        victim = next(iter(cluster.workers.values()))

        def kill(number):
            if number == 3:
                os.kill(victim.pid, signal.SIGKILL)

        with Engine(f"dask://{cluster.scheduler_address.rpartition('//')[2]}") as there:
            spread = counted(there, kill)
    assert alone.rows == 7200
    assert spread == alone


ENGINES = {
    "no engine": ("slow", "'slow' is not an engine"),
    "of settings": ("", "'turbo' is not an engine"),
}


@pytest.mark.parametrize(("engine", "what"), ENGINES.values(), ids=ENGINES)
def test_an_engine_that_can_not_be_used_is_said_in_a_line(tool, tmp_path, engine, what, trusted):
    samples(tmp_path, "now.csv", 1, minutes=1)
    (tmp_path / "plain-verdict.toml").write_text('[engine]\naddress = "turbo"\n')
    done = tool("judge", "now.csv", *(("--engine", engine) if engine else ()))
    assert done.code == 2
    assert what in done.err
    assert "Traceback" not in done.err


def test_pictures_tables_and_the_mail_take_a_load_run_along(tool, tmp_path):
    rng = random.Random(2)
    rows = [
        f"{1795312800000 + 100 * at},{'=2+2' if at % 3 else 'Pay'},{rng.randint(5, 90)},{503 if at % 50 == 0 else 200},10,\n"
        for at in range(3000)
    ]
    (tmp_path / "now.csv").write_text(HEAD + "".join(rows))
    (tmp_path / "plain-verdict.toml").write_text('[[condition]]\nmeasure = "p95"\nat_most = "10 ms"\n')
    asked = (
        "report",
        "now.csv",
        "--charts",
        "pictures",
        "--tables",
        "tables",
        "--mail",
        "d.eml",
        "--overwrite",
        "--out",
        "v.html",
    )
    done = tool(*asked)
    assert "Traceback" not in done.err
    pictures = sorted(path.name for path in (tmp_path / "pictures").iterdir())
    assert pictures == [
        f"{name}.{form}" for name in ("map", "over-time", "requests", "spread") for form in ("png", "svg")
    ]
    for name in pictures:
        if name.endswith(".png"):
            with Image.open(tmp_path / "pictures" / name) as picture:
                colours = picture.convert("RGB").getcolors(1 << 24)
            assert len(colours) > 20, name  # something is drawn
    before = {path.name: path.read_bytes() for path in (tmp_path / "pictures").iterdir()}
    with (tmp_path / "tables" / "load-requests.csv").open(newline="") as file:
        names = [row["request"] for row in csv.DictReader(file)]
    assert names == ["'=2+2", "Pay", "all requests"]
    with (tmp_path / "tables" / "load-series.csv").open(newline="") as file:
        assert sum(int(row["requests"]) for row in csv.DictReader(file)) == 3000
    mail = (tmp_path / "d.eml").read_text()
    assert "Content-ID: <chart>" in mail
    assert tool(*asked).code == 0
    assert {path.name: path.read_bytes() for path in (tmp_path / "pictures").iterdir()} == before


# Samples of real clients: how each is read, and the columns of start, duration, its unit in ms, request and status.
CLIENTS = {
    "curl.csv": ("", ("started", "seconds", 1000, "request", "status")),
    "benchmark-client.tsv": (
        '[[mapping]]\nname = "benchmark"\nfiles = ["*.tsv"]\nkind = "load"\n[mapping.samples]\ntime = "seconds"\nduration = { from = "ttime", unit = "ms" }\n',
        ("seconds", "ttime", 1, None, None),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CLIENTS)
def test_samples_of_real_clients_give_the_numbers_of_numpy(tool, tmp_path, name):
    settings, (start, took, unit, request, status) = CLIENTS[name]
    path = EXAMPLES / "load" / name
    (tmp_path / name).write_bytes(path.read_bytes())
    (tmp_path / "plain-verdict.toml").write_text(settings)
    load = json.loads(tool("judge", name, "--json").out)["load"]
    with path.open(newline="") as file:
        rows = list(csv.DictReader(file, delimiter="\t" if path.suffix == ".tsv" else ","))
    assert load["rows"] == len(rows)
    began = min(float(row[start]) for row in rows)
    assert datetime.fromisoformat(load["first_start"]).timestamp() == pytest.approx(began, abs=0.001)
    for told in load["requests"]:
        own = [row for row in rows if request is None or row[request] == told["request"]]
        times = np.sort([float(row[took]) * unit for row in own if status is None or int(row[status]) < 400])
        assert (told["count"], told["failed"]) == (len(own), len(own) - len(times))
        if len(times):
            assert told["mean_ms"] == pytest.approx(times.mean(), abs=0.001)
            assert (told["least_ms"], told["longest_ms"]) == (pytest.approx(times[0]), pytest.approx(times[-1]))
        for per_cent in (50, 90, 95, 99):
            if told[f"p{per_cent}_ms"] is not None:
                exact = times[rank_of(per_cent / 100, len(times)) - 1]
                assert told[f"p{per_cent}_ms"] == pytest.approx(exact, rel=0.0005)


def test_progress_tells_bytes_and_rows(tmp_path):
    several = []
    for name in ("a.jsonl", "b.jsonl"):
        (tmp_path / name).write_text(LINES)
        path = tmp_path / name
        several.append(Source(path=name, open=partial(path.open, "rb"), size_bytes=path.stat().st_size))
    told = []
    read_all(several, DEFAULT_LIMITS, lambda *what: told.append(what))
    total = sum(source.size_bytes for source in several)
    assert {all_ for _, all_, _ in told} == {total}
    assert [done for done, _, _ in told] == sorted(done for done, _, _ in told)
    rows = [int(what.split(", ")[1].split()[0]) for _, _, what in told if what.startswith("b.jsonl, ")]
    assert rows == sorted(rows)
    assert rows[-1] == 100
    assert told[-1] == (total, total, "b.jsonl, 100 rows")
