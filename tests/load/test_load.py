"""Load runs: numbers against NumPy and closed forms, rows that are lost with a word, targets, and the page."""

import csv
import gzip
import json
import math
import random
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from selenium.webdriver.common.by import By

from conftest import ROOT
from plain_verdict.load.bins import FINE_BITS, bins_of, least_of
from plain_verdict.load.comparison import compare
from plain_verdict.load.numbers import numbers_of
from plain_verdict.load.percentiles import least_count, rank_of
from plain_verdict.load.state import MOST_REQUESTS, Block, Counter, LoadState, merged
from plain_verdict.model.statistics import t_quantile

START_US = 1_795_312_800_000_000


def block(took_ms, started_s=None, names=("Pay",), labels=None, failed=None, users=None):
    """Some samples, one a millisecond of duration given."""
    took = np.asarray(took_ms, np.float64)
    size = took.size
    started = np.arange(size) * 0.01 if started_s is None else np.asarray(started_s)
    bad = np.zeros(size, np.bool_) if failed is None else np.asarray(failed)
    return Block(
        names=list(names),
        labels=np.zeros(size, np.int64) if labels is None else np.asarray(labels),
        started_us=(START_US + started * 1e6).astype(np.int64),
        took_us=np.round(took * 1000).astype(np.int64),
        failed=bad,
        received=np.full(size, 10.0),
        users=np.full(size, -1) if users is None else np.asarray(users),
        statuses=Counter({"200": size}),
        messages=Counter(),
    )


def run_of(*blocks):
    state = LoadState()
    for one in blocks:
        state.add(one)
    return numbers_of(state)


def exact(values, per_cent):
    return float(np.sort(values)[rank_of(per_cent / 100, len(values)) - 1]) / 1000


MAPPINGS = {
    "one": lambda _: np.array([812.0]),
    "two humps": lambda rng: np.concatenate((rng.normal(80, 5, 4000), rng.normal(900, 40, 3000))),
    "a heavy tail": lambda rng: 20 * (1 + rng.pareto(1.1, 8000)),
    "whole milliseconds": lambda rng: rng.integers(1, 2000, 5000).astype(float),
    "a hundred": lambda rng: rng.lognormal(5, 1, 100),
    "all alike": lambda _: np.full(500, 41.0),
}


@pytest.mark.parametrize("mapping", MAPPINGS.values(), ids=MAPPINGS)
def test_percentiles_are_those_of_sorted_values(mapping):
    values = np.clip(np.round(mapping(np.random.default_rng(3)), 3), 0.001, 1e8)
    found = run_of(block(values)).whole
    assert found.least_s == pytest.approx(values.min() / 1000)
    assert found.longest_s == pytest.approx(values.max() / 1000)
    assert found.mean_s == pytest.approx(values.mean() / 1000)
    for one in found.percentiles:
        if len(values) < least_count(one.per_cent / 100):
            assert one.value_s is None
        else:
            assert one.value_s == pytest.approx(exact(values, one.per_cent), rel=0.0005)
            if np.all(values == np.round(values)) and values.max() < 2048:
                assert one.value_s == pytest.approx(exact(values, one.per_cent), rel=1e-12)


@given(st.lists(st.integers(0, 2**36), min_size=1, max_size=50))
def test_every_time_lies_in_its_bin_and_bins_are_narrow(values):
    times = np.maximum(np.array(values, np.int64), 1)
    bins = bins_of(times, FINE_BITS)
    low, high = least_of(bins, FINE_BITS), least_of(bins + 1, FINE_BITS)
    assert ((low <= times) & (times < high)).all()
    assert ((high - low) / low <= 1 / 1024 + 1e-12).all()


@given(
    st.lists(
        st.lists(
            st.tuples(st.integers(0, 3), st.integers(0, 9000), st.booleans(), st.integers(0, 200)), max_size=12
        ),
        min_size=1,
        max_size=5,
    ),
    st.randoms(),
)
@settings(max_examples=60, deadline=None)
def test_states_merge_in_any_order_to_the_same(parts, chance):
    names = ("Pay", "Quote", "Seats", "Sign in")
    blocks = [
        block([took for _, took, _, _ in part], [at for *_, at in part], names, [label for label, *_ in part], [bad for _, _, bad, _ in part])
        for part in parts
    ]  # fmt: skip
    whole = LoadState()
    for one in blocks:
        whole.add(one)
    states = []
    for one in blocks:
        state = LoadState()
        state.add(one)
        states.append(state)
    chance.shuffle(states)
    assert numbers_of(merged(states)) == numbers_of(whole)


def test_failed_requests_never_make_answered_ones_look_better():
    slow, fast = np.full(600, 900.0), np.full(300, 2.0)
    found = run_of(block(np.concatenate((slow, fast)), failed=np.arange(900) >= 600)).whole
    assert (found.count, found.failed) == (900, 300)
    assert found.percentile(50.0).value_s == 0.9
    assert next(one for one in found.with_failed if one.per_cent == 50.0).value_s == 0.9
    assert found.mean_s == 0.9
    assert found.mean_with_failed_s == pytest.approx((600 * 900 + 300 * 2) / 900 / 1000)
    found = run_of(block(np.concatenate((fast, slow)), failed=np.arange(900) >= 300)).whole
    assert found.percentile(95.0).value_s == 0.002
    assert next(one for one in found.with_failed if one.per_cent == 95.0).value_s == 0.9


def correlated(rng, minutes=12, level=1.0, correlation=0.9):
    """Requests whose times wander: 20 a second, lognormal, autoregressive from second to second."""
    wander, values, starts = 0.0, [], []
    for second in range(int(minutes * 60)):
        wander = correlation * wander + math.sqrt(1 - correlation**2) * rng.normal(0, 0.3)
        values.append(level * 100 * np.exp(wander + rng.normal(0, 0.3, 20)))
        starts.append(second + rng.random(20))
    return block(np.concatenate(values), np.concatenate(starts))


def test_slower_is_claimed_where_it_is_and_seldom_where_it_is_not():
    rng = np.random.default_rng(8)
    equal = [
        compare(run_of(correlated(rng)), run_of(correlated(rng))).of("all requests", 95.0).certain
        for _ in range(40)
    ]
    slower = [
        compare(run_of(correlated(rng, level=1.4)), run_of(correlated(rng))).of("all requests", 95.0)
        for _ in range(10)
    ]
    assert sum(equal) <= 8
    assert sum(one.certain and one.low_s > 0 for one in slower) >= 8
    short, long = (
        compare(run_of(correlated(rng, minutes=minutes)), run_of(correlated(rng, minutes=minutes)))
        for minutes in (3, 30)
    )
    assert short.shown_share > long.shown_share
    assert short.needed_s > 3 * 60
    of_seconds = compare(run_of(correlated(rng, minutes=0.5)), run_of(correlated(rng, minutes=0.5)))
    assert of_seconds.shown_share is None
    assert (of_seconds.of("all requests", 95.0).low_s, of_seconds.of("all requests", 95.0).certain) == (None, False)
    assert t_quantile(9) == pytest.approx(2.262, abs=0.001)


@pytest.mark.parametrize("minutes", [2, 15, 45, 200])
def test_one_wrong_clock_makes_no_batches_longer_and_order_is_no_difference(minutes):
    rng = np.random.default_rng(minutes)
    parts = [
        block(rng.lognormal(4, 0.4, 400), part * minutes * 15 + np.arange(400) * minutes * 15 / 400)
        for part in range(4)
    ]
    late = block(np.array([50.0]), np.array([40_000_000.0]))
    alone, states = LoadState(), []
    for order in ([0, 1, 2, 3], [3, 1, 0, 2]):
        state = LoadState()
        for part in order:
            other = LoadState()
            other.add(parts[part])
            state.merge(other)
        state.add(late)
        states.append(state)
    for part in parts:
        alone.add(part)
    assert {state.batch_s for state in states} == {alone.batch_s}
    assert alone.batch_s == {2: 15, 15: 15, 45: 60, 200: 240}[minutes]
    first, second = map(numbers_of, states)
    assert first == second
    assert first.whole.percentile(95.0).low_s is not None


def test_many_names_are_folded_and_said():
    names = [f"/sailings/{number}" for number in range(3 * MOST_REQUESTS)]
    load = run_of(block(np.full(len(names), 5.0), names=names, labels=range(len(names))))
    assert len(load.requests) <= MOST_REQUESTS + 2
    assert sum(request.count for request in load.requests) == load.rows == len(names)
    assert "counted together" in load.notes[0]


def test_where_failures_gather_and_a_cold_start_are_found():
    rng = np.random.default_rng(2)
    started = np.sort(rng.random(12_000) * 600)
    failed = (started > 300) & (started < 330) & (rng.random(12_000) < 0.3)
    took = 100 * rng.lognormal(0, 0.2, 12_000) * (1 + 6 * np.exp(-started / 20))
    load = run_of(block(took, started, failed=failed))
    begins = (load.error_window.started.timestamp() * 1e6 - START_US) / 1e6
    assert begins == pytest.approx(300, abs=3)
    assert load.error_window.failed == failed.sum()
    assert 20 <= load.slow_start.span_s <= 150
    steady = run_of(block(np.full(12_000, 100.0), started, failed=rng.random(12_000) < 0.02))
    assert (steady.error_window, steady.slow_start) == (None, None)


HEAD = "started_ms,request,took_ms,status,bytes,message\n"
ROWS = [f"{1795312800000 + 100 * at},Pay,{at + 1},200,10,\n" for at in range(100)]
# A file of samples, how many rows are good, how many bad, and parts of its notes.
FILES = {
    "as it should be": (HEAD + "".join(ROWS), 100, 0, []),
    "returns and a mark": ("\ufeff" + (HEAD + "".join(ROWS)).replace("\n", "\r\n"), 100, 0, []),
    "semicolons, decimal commas, seconds": ("time;name;duration (s);code\n" + "".join(f"{1795312800 + at};Pay;0,{at + 1:03};200\n" for at in range(100)), 100, 0, []),
    "tabs, and two columns that may be the time": ("start\tseconds\tconnect\ttotal time\n" + "".join(f"Sun Nov 22 {at % 60}\t{1795312800 + at}\t0\t{at + 1}\n" for at in range(100)), 100, 0, []),
    "moments as text": ("timestamp,endpoint,method,elapsed,status\n" + "".join(f"2026-11-22T09:00:{at % 60:02}+01:00,/pay,POST,{at + 1},200\n" for at in range(100)), 100, 0, []),
    "words for well and not": ("start,label,latency,ok\n" + "".join(f"{1795312800000 + at},Pay,{at + 1},{'no' if at % 10 == 0 else 'yes'}\n" for at in range(100)), 100, 0, []),
    "quoted separators and line breaks": (HEAD + ROWS[0].replace("Pay", '"Pay, or\nleave"') + "".join(ROWS[1:]), 100, 0, []),
    "truncated": (HEAD + "".join(ROWS) + "1795312899999,Pay,1", 100, 1, ["line 102 is truncated"]),
    "bad rows among good ones": (
        HEAD + "".join(ROWS[:50]) + "1795312800000,Pay\n1795312800000,Pay,n/a,200,10,\n" + HEAD + "soon,Pay,5,200,10,\n1795312800000,Pay,-3,200,10,\n"
        "1795312800000,Pay,7,200,10,,x\n1795312800000,P\0y,7,200,10,\n" + "".join(ROWS[50:]),
        100, 7,
        ["line 52 has 2 cells, 6 are expected", "line 53 has no duration: “n/a”", "line 54 repeats the header", "line 55 has no time: “soon”",
         "line 56 has an impossible duration", "line 57 has 7 cells", "line 58 has a NUL"],
    ),
    "a quote that is never closed": (HEAD + "".join(ROWS[:20]) + '1795312800000,"Pay,7,200,10,\n' + "".join(ROWS[20:]), 100, 1, ["line 22 has a quote that is never closed"]),
    "two quotes that are never closed": (HEAD + "".join(ROWS[:20]) + ('1795312800000,Pay,7,503,10,"busy\n' + "".join(ROWS[20:60])) + '1795312800000,"Pay",7,503,10,"busy\n' + "".join(ROWS[60:]), 100, 2, ["line 22 has a quote", "line 63 has a quote"]),
    "a quote that reaches over a row and is closed": (HEAD + "".join(ROWS[:98]) + '1795312800000,Pay,7,503,10,"busy\n' + ROWS[98] + '",\n' + ROWS[99], 100, 2, ["line 100 has a quote", "line 102"]),
    "quotes in the middle of cells": (HEAD + "".join(row.replace("Pay", '5" pipe') for row in ROWS[:99]) + ROWS[99], 100, 0, []),
    "numbers that are none where they may be": (HEAD + "".join(row.replace("200,10,", ("200,,", "200,-,", "200,NA,")[at % 3]) for at, row in enumerate(ROWS)), 100, 0, []),
    "a bad row of a megabyte": (HEAD + "".join(ROWS) + f"1795312800000,{'a' * 1_000_000},long,200,10,\n", 100, 1, ["line 102 has no duration: “long”"]),
    "moments without a zone": ("timestamp,endpoint,elapsed,status\n" + "".join(f"2026-11-22T09:00:{at % 60:02},/pay,{at + 1},200\n" for at in range(100)), 100, 0, ["in UTC because they name no zone"]),
    "a name of a megabyte": (HEAD + ROWS[0].replace("Pay", "a" * 1_000_000) + "".join(ROWS[1:]), 100, 0, []),
    "only a header": (HEAD, 0, 0, ["holds no samples"]),
}  # fmt: skip


@pytest.mark.parametrize(("text", "good", "bad", "notes"), FILES.values(), ids=FILES)
def test_no_row_is_lost_without_a_word(tool, tmp_path, text, good, bad, notes):
    (tmp_path / "s.csv").write_bytes(text.encode())
    named = "s.csv" if "connect" not in text else "load=s.csv"  # two columns alone may be anything
    done = tool("judge", named, "--json")
    summary = json.loads(done.out)
    load = summary["load"]
    assert (load["rows"] if load else 0) == good, done.err
    said = " ".join(summary["files"][0]["notes"])
    assert all(note in said for note in notes), said
    assert summary["verdict"] == "undecided"
    if good:
        assert load["bad_rows"] == bad
        assert load["all"]["longest_ms"] == pytest.approx(good if good < 100 else 100)
    if good == 100:
        assert load["all"]["p50_ms"] == pytest.approx(50 if load["failed"] == 0 else 51, abs=1)


def samples(folder, name, seed, *, pay=300.0, busy=False, minutes=12):
    """Write a run of three requests; some of Pay fail for a while."""
    rng = random.Random(seed)
    rows = []
    for at in range(minutes * 60 * 6):
        request = rng.choice(("Pay", "Quote", "Seats"))
        took = rng.lognormvariate(math.log(pay if request == "Pay" else 60), 0.5)
        bad = busy and request == "Pay" and 300 <= at / 6 < 360 and rng.random() < 0.5
        rows.append(
            f"{1795312800000 + at * 167},{request},{took:.0f},{503 if bad else 200},100,{'busy' if bad else ''}\n"
        )
    (folder / name).write_text(HEAD + "".join(rows))


def test_a_request_that_always_failed_meets_no_target_and_machines_are_counted(tool, tmp_path):
    rows = [f"{1795312800000 + at * 500},{name},40,{status},100,\n" for at in range(400) for name, status in (("Pay", 503), ("Quote", 200))]  # fmt: skip
    (tmp_path / "north.csv").write_text(HEAD + "".join(rows[::2] + rows[1::4]))
    (tmp_path / "south.csv").write_text(HEAD + "".join(rows[3::4]))
    (tmp_path / "plain-verdict.toml").write_text(
        '[[condition]]\nmeasure = "p95"\nat_most = "9 s"\nscope = { request = "*" }\n'
    )
    summary = json.loads(tool("report", "north.csv", "south.csv", "--json", "--detail").out)
    assert summary["verdict"] == "not fit"
    assert {check["name"]: check["outcome"] for check in summary["checks"]} == {
        "p95 of Pay: at most 9.0 s": "failed",
        "p95 of Quote: at most 9.0 s": "passed",
    }
    assert "800 requests in 3 min 20 s, from 2 files," in (tmp_path / "verdict.html").read_text("utf-8")


CONDITIONS = """
[[condition]]
measure = "p95"
at_most = "400 ms"
scope = { request = "*" }
[[condition]]
measure = "error share"
at_most = "50 %"
[[condition]]
measure = "p99.9"
at_most = "1 s"
scope = { request = "Quote" }
[[condition]]
measure = "p95 change"
at_most = "10 %"
scope = { request = "Pay" }
[[condition]]
measure = "throughput"
at_least = 2
scope = { request = "none" }
"""


def test_targets_are_checks_and_the_page_tells_the_run(tool, tmp_path, browser):
    samples(tmp_path, "now.csv", 1, pay=450.0, busy=True)
    samples(tmp_path, "before.csv", 2)
    (tmp_path / "now.csv.gz").write_bytes(gzip.compress((tmp_path / "now.csv").read_bytes()))
    (tmp_path / "plain-verdict.toml").write_text(CONDITIONS)
    done = tool("report", "now.csv.gz", "--baseline", "before.csv", "--json", "--detail", "--out", "v.html")
    summary = json.loads(done.out)
    outcomes = {check["name"]: check["outcome"] for check in summary["checks"]}
    assert outcomes == {
        "p95 of Pay: at most 400 ms": "failed",
        "p95 of Quote: at most 400 ms": "passed",
        "p95 of Seats: at most 400 ms": "passed",
        "Error share of all requests: at most 50 %": "passed",
        "p99.9 of Quote: at most 1.0 s": "undecided",
        "p95 change of Pay: at most +10 %": "failed",
    }
    assert summary["verdict"] == "not fit"
    assert {check["kind"] for check in summary["checks"]} == {"load"}
    assert summary["load"]["messages"].keys() == {"503 busy"}
    assert sum(step["requests"] for step in summary["load"]["series_5s"]) == summary["load"]["rows"] == 4320
    browser.get((tmp_path / "v.html").as_uri())
    text = browser.find_element(By.TAG_NAME, "main").text
    for part in (
        "Did response times rise during the run?",
        "Failures cluster from",
        "significantly slower",
        "no such request",
    ):
        assert part in text, part
    browser.execute_script("document.querySelectorAll('.quiet').forEach(fold => { fold.open = true; })")
    drawn = "return [...document.querySelectorAll('.chart .plot')].map(s => [s.getAttribute('aria-label').length, s.querySelectorAll('text').length, s.getBoundingClientRect().width])"
    charts = browser.execute_script(drawn)
    assert len(charts) == 4, charts  # the last is folded
    assert all(words > 10 and texts >= 4 and 850 < width < 960 for words, texts, width in charts[:3]), charts
    assert tool("judge", "now.csv", "none.csv").code == 1


def test_what_failed_was_not_within_any_time_and_a_waived_target_is_set_aside(tool, tmp_path):
    rows = [f"{1795312800000 + 100 * at},Pay,40,{503 if at % 10 == 0 else 200},10,\n" for at in range(600)]
    (tmp_path / "now.csv").write_text(HEAD + "".join(rows))
    rule = '[[condition]]\nmeasure = "p95"\nat_most = "400 ms"\nscope = { request = "*" }\n'
    waiver = '[[waiver]]\nreason = "the till is slow"\nuntil = 2099-01-01\nmatch = { check = "Pay" }\n'
    for settings_given, word in ((rule, "not fit"), (rule + waiver, "fit")):
        (tmp_path / "plain-verdict.toml").write_text(settings_given)
        summary = json.loads(tool("judge", "now.csv", "--json", "--detail").out)
        assert [check["outcome"] for check in summary["checks"]] == ["failed"]
        assert summary["verdict"] == word
        assert word == "fit" or "40 ms of answered requests; 10 % failed" in " ".join(summary["reasons"])


def test_a_gzip_file_that_is_cut_off_gives_all_whole_rows_and_is_never_fit(tool, tmp_path):
    samples(tmp_path, "now.csv", 1)
    (tmp_path / "plain-verdict.toml").write_text('[[condition]]\nmeasure = "requests"\nat_least = 1\n')
    data = (tmp_path / "now.csv").read_bytes()
    half = len(data) // 2
    several = gzip.compress(data[:half]) + gzip.compress(data[half:])  # two members, as loggers write them
    damaged = bytearray(several)
    damaged[len(several) // 3] ^= 0xFF
    cases = {
        "whole": (several, None),
        "cut": (several[:-9000], "it is truncated"),
        "damaged": (bytes(damaged), "it is damaged"),
    }
    for name, (packed, why) in cases.items():
        (tmp_path / f"{name}.csv.gz").write_bytes(packed)
        summary = json.loads(tool("judge", f"{name}.csv.gz", "--json").out)
        said = " ".join(summary["files"][0]["notes"])
        assert (summary["verdict"] == "fit") == (why is None)
        assert (summary["load"]["rows"] == 4320) == (why is None)
        assert summary["load"]["rows"] > 400
        assert why is None or why in said


def test_condensed_parts_give_the_numbers_of_the_whole(tool, tmp_path):
    samples(tmp_path, "a.csv", 1, busy=True)
    samples(tmp_path, "b.csv", 2, minutes=3)
    secret = HEAD + "1795312800000,GET /tickets?password=hunter22hunter,7,500,10,password=hunter22hunter\n"
    (tmp_path / "c.csv").write_text(secret)
    for name in "abc":
        assert tool("condense", f"{name}.csv", "--out", f"{name}.load").code == 0
    assert tool("condense", "a.load", "b.load", "c.load", "--out", "all.load").code == 0
    whole, parts, once = (
        json.loads(tool("judge", *names, "--json").out)
        for names in (("a.csv", "b.csv", "c.csv"), ("a.load", "b.load", "c.load"), ("all.load",))
    )
    assert whole["load"] == parts["load"] == once["load"]
    data = (tmp_path / "all.load").read_bytes()
    assert b"hunter22hunter" not in data
    assert len(data) < 60_000
    for name, broken in {
        "cut": data[:-30],
        "head": data[:200],
        "newer": data.replace(b'"version":1', b'"version":9'),
        "bins": data.replace(b'"fine_bits":10', b'"fine_bits":11'),
    }.items():
        (tmp_path / f"{name}.load").write_bytes(broken)
        done = tool("judge", f"{name}.load", "a.load", "--json")
        assert f"error: {name}.load: can't be read: it" in done.err, done.err
        assert json.loads(done.out)["load"]["rows"] == 4320
    assert tool("condense", "none.csv", "--out", "x.load").code == 3


def test_load_results_without_a_target_judge_nothing(tool, tmp_path):
    samples(tmp_path, "now.csv", 1, minutes=1)
    (tmp_path / "a.xml").write_text('<testsuite name="Quay"><testcase name="sails"/></testsuite>')
    alone = json.loads(tool("judge", "now.csv", "--json").out)
    assert alone["sentence"] == "Undecided: 360 requests were measured, and no condition sets a target for them."
    both = json.loads(tool("judge", "now.csv", "a.xml", "--json").out)
    assert both["verdict"] == "fit"
    assert [kind["verdict"] for kind in both["kinds"]] == ["fit", "undecided"]
    assert "nothing is judged" in both["kinds"][1]["sentence"]


def test_a_real_client_against_a_real_server_gives_the_numbers_that_numpy_gives(tool, tmp_path):
    example = ROOT / "examples" / "first_morning"
    subprocess.run([sys.executable, example / "first_morning.py", "4", "20"], cwd=tmp_path, check=True, timeout=600)
    (tmp_path / "plain-verdict.toml").write_bytes((example / "plain-verdict.toml").read_bytes())
    load = json.loads(tool("judge", "first-morning.csv", "--json").out)["load"]
    with (tmp_path / "first-morning.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    assert load["rows"] == len(rows) > 200
    for request in load["requests"]:
        own = [row for row in rows if row["request"] == request["request"]]
        took = np.sort([float(row["took_ms"]) for row in own if row["status"] == "200"])
        assert request["failed"] == len(own) - len(took)
        assert request["mean_ms"] == pytest.approx(took.mean(), rel=1e-3)
        assert request["longest_ms"] == pytest.approx(took[-1], abs=0.001)
        if request["p95_ms"] is not None:
            assert request["p95_ms"] == pytest.approx(took[rank_of(0.95, len(took)) - 1], rel=0.0006)
