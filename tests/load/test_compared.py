"""Load runs beside earlier ones, condensed ones with metrics, and what settings of load runs change."""

import gzip
import json
import re

import numpy as np
import pytest
from test_load import HEAD, block, run_of, samples

from plain_verdict.inputs.discovery import discover
from plain_verdict.load.comparison import NoiseThreshold, compare
from plain_verdict.load.rates import compare_sent, effects_of
from plain_verdict.readers.reading import read_all
from plain_verdict.settings.limits import DEFAULT_LIMITS


def made(seed, *, level=1.0, share=0.01, rate=20, minutes=15, gather=False):
    """A run of one request; failures are spread, or gather in two minutes."""
    rng = np.random.default_rng(seed)
    size = int(minutes * 60 * rate)
    started = np.sort(rng.random(size) * minutes * 60)
    failed = rng.random(size) < share
    if gather:
        failed = (started // 60 < 2) & (rng.random(size) < share * minutes / 2)
    return run_of(block(100 * level * rng.lognormal(0, 0.4, size), started, failed=failed))


# Two runs, now and before: whether more failed, and less was sent, beyond chance.
PAIRS = {
    "nothing changed": (made(1), made(2), False, False),
    "three times as many fail": (made(3, share=0.03), made(4), True, False),
    "as many more, in two minutes": (made(5, share=0.02, gather=True), made(6, share=0.01), False, False),
    "half is sent": (made(17, rate=10), made(18), False, True),
    "half a minute is too short": (made(9, share=0.1, rate=5, minutes=0.5), made(10, minutes=0.5), False, False),
    "none failed before": (made(11, share=0.02), made(12, share=0.0), True, False),
}


@pytest.mark.parametrize(("now", "before", "worse", "less"), PAIRS.values(), ids=PAIRS)
def test_rates_are_called_changed_only_beyond_chance(now, before, worse, less):
    found = compare(now, before)
    assert found.failed.certain == worse
    assert found.per_second.certain == less
    assert (found.failed.now, found.failed.before) == (now.whole.failed_share, before.whole.failed_share)
    if now.span_s < 45:
        assert effects_of(now, before) is None
        assert found.failed.low is None
    else:
        assert found.failed.low <= found.failed.now - found.failed.before <= found.failed.high
        assert compare_sent(now, before).low is not None


def test_a_change_smaller_than_a_trifle_is_none():
    now, before = made(20, level=1.15), made(21)
    (change,) = [one for one in compare(now, before).changes if one.per_cent == 50 and one.request == "Pay"]
    assert change.certain
    for noise_threshold in (NoiseThreshold(0.5, 0.005), NoiseThreshold(0.05, 1.0)):
        assert not any(one.certain for one in compare(now, before, noise_threshold).changes)


TRIFLES = {
    'least_change = "80 %"': "fit",
    'least_difference = "2 s"': "fit",
    'least_change = "5 %"': "not fit",
    'least_change = "much"': "is not a number of 0 or more",
    'least_difference = "5"': "needs a unit of time",
    'leave_out = "the last minute"': "is not a part of a run",
}


@pytest.mark.parametrize(("setting", "word"), TRIFLES.items(), ids=TRIFLES)
def test_settings_say_what_counts_as_a_change(tool, tmp_path, trusted, setting, word):
    samples(tmp_path, "now.csv", 1, pay=450.0)
    samples(tmp_path, "before.csv", 2)
    rule = '[[condition]]\nmeasure = "p95 change"\nat_most = "10 %"\nscope = { request = "Pay" }\n'
    (tmp_path / "plain-verdict.toml").write_text(f'[load]\nbaseline = ["before.csv"]\n{setting}\n{rule}')
    done = tool("judge", "now.csv", "--json")
    if word in ("fit", "not fit"):
        assert json.loads(done.out)["verdict"] == word
    else:
        assert done.code == 2
        assert word in done.err


def queue(at):
    return at % 9 - 2


def test_condensed_parts_keep_metrics_pauses_and_what_was_left_out(tool, tmp_path):
    rows = [
        f"{1795312800000 + 500 * at},Pay,{30 + at % 40},200,10,,{queue(at)}\n"
        for at in range(1400)
        if not 700 <= at < 730
    ]
    head = HEAD.rstrip("\n") + ",Queue\n"
    (tmp_path / "whole.csv").write_text(head + "".join(rows))
    (tmp_path / "a.csv").write_text(head + "".join(rows[::2]))
    (tmp_path / "b.csv.gz").write_bytes(gzip.compress((head + "".join(rows[1::2])).encode()))
    (tmp_path / "plain-verdict.toml").write_text('[load]\nmetrics = ["queue"]\nleave_out = "first 30 s"\n')
    asked = ("--metric", "queue", "--leave-out", "first 30 s")
    assert tool("condense", "a.csv", *asked, "--out", "a.load").code == 0
    assert tool("condense", "b.csv.gz", *asked, "--out", "b.load").code == 0
    whole, parts = (
        json.loads(tool("judge", *names, "--json").out) for names in (("whole.csv",), ("a.load", "b.load"))
    )
    (metric,), (of_parts,) = whole["metrics"], parts["metrics"]
    assert of_parts == metric
    kept = [queue(at) for at in range(60, 1400) if not 700 <= at < 730]
    assert (metric["count"], metric["least"], metric["longest"]) == (len(kept), -2, 6)
    assert metric["mean"] == pytest.approx(np.mean(kept))
    assert metric["p95"] == sorted(kept)[-(-len(kept) * 95 // 100) - 1]
    assert parts["load"]["rows"] == whole["load"]["rows"] == len(kept)
    tool("report", "a.load", "b.load", "--out", "v.html")
    assert "60 requests at the beginning are not counted" in (tmp_path / "v.html").read_text()
    assert tool("condense", "a.csv", "--leave-out", "half of it", "--out", "c.load").code == 2


def test_a_folder_of_many_forms_is_one_run(tool, tmp_path):
    folder = tmp_path / "machines"
    folder.mkdir()
    samples(folder, "one.csv", 1, minutes=1)
    lines = [
        {"start": 1795312800 + at / 4, "latency_ms": 20 + at % 50, "request": "Seats", "ok": at % 20 != 0}
        for at in range(240)
    ]
    (folder / "two.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))
    (folder / "three.jsonl.gz").write_bytes(
        gzip.compress("".join(json.dumps(line | {"request": "Sign in"}) + "\n" for line in lines).encode())
    )
    (folder / "notes.txt").write_text("what we did that day\n")
    summary = json.loads(tool("judge", "machines", "--json").out)
    counts = {request["request"]: (request["count"], request["failed"]) for request in summary["load"]["requests"]}
    assert counts["Seats"][0] > 240
    assert counts["Sign in"] == (240, 12)
    assert summary["load"]["rows"] == 360 + 480
    assert sorted(file["path"] for file in summary["files"]) == [
        "machines/one.csv",
        "machines/three.jsonl.gz",
        "machines/two.jsonl",
    ]


SUMS = """Request,Count,Failures,Mean ms,p50 ms,p95 ms,Min ms,Max ms
Pay,1200,{failed},{mean},190,{p95},20,1500
Quote,3000,0,80,70,160,10,600
Total,4200,{failed},117,90,300,10,1500
"""


def test_sums_are_compared_with_sums_without_an_interval(tool, tmp_path):
    (tmp_path / "now.csv").write_text(SUMS.format(failed=12, mean=210, p95=420))
    (tmp_path / "before.csv").write_text(SUMS.format(failed=0, mean=200, p95=350))
    assert tool("report", "now.csv", "--baseline", "before.csv", "--out", "v.html").code == 0
    text = " ".join(re.sub(r"<[^>]+>", " ", (tmp_path / "v.html").read_text()).split())
    for words in (
        "Compared with the earlier run, without an interval: sums do not tell what is chance.",
        "200 ms → 210 ms (+5 %)",
        "350 ms → 420 ms (+20 %)",
        "0 % → 1 %",
        "All requests",
    ):
        assert words in text, words


# A run and what it is to be compared with, and what is said where nothing can be.
NOTHING_TO_COMPARE = {
    "no load run": ("checks.xml", "sums.csv", "There is no load run here to compare"),
    "a baseline of checks": ("samples.csv", "checks.xml", "holds no load results, so that nothing is compared"),
    "a baseline of sums": ("samples.csv", "sums.csv", "holds sums only, so that samples are not compared with it"),
    "a baseline that is gone, for sums": ("sums.csv", "gone.csv", "For the comparison with before: gone.csv does not exist"),
    "other requests": ("samples.csv", "others.csv", "so that none is compared: it sent Refund."),
    "a baseline of one second": ("samples.csv", "second.csv", "One of the runs is too short for intervals"),
}  # fmt: skip


@pytest.mark.parametrize(("now", "before", "words"), NOTHING_TO_COMPARE.values(), ids=NOTHING_TO_COMPARE)
def test_a_baseline_that_can_do_nothing_says_so(tool, tmp_path, now, before, words):
    samples(tmp_path, "samples.csv", 1, minutes=2)
    text = (tmp_path / "samples.csv").read_text()
    (tmp_path / "others.csv").write_text(re.sub(r"(?m)^(\d+),[^,]+,", r"\1,Refund,", text))
    (tmp_path / "second.csv").write_text("".join(text.splitlines(keepends=True)[:7]))
    (tmp_path / "checks.xml").write_text('<testsuite name="Quay"><testcase name="sails"/></testsuite>')
    (tmp_path / "sums.csv").write_text(SUMS.format(failed=0, mean=200, p95=350))
    done = tool("report", now, "--baseline", before, "--out", "v.html")
    assert words in done.err + " ".join(re.sub(r"<[^>]+>", " ", (tmp_path / "v.html").read_text()).split())


def test_a_slow_beginning_is_left_out_of_the_comparison_of_both_runs(tool, tmp_path):
    for name, seed, start in (("now.csv", 1, 3.0), ("before.csv", 2, 1.0)):
        rng = np.random.default_rng(seed)
        rows = [
            f"{1795312800000 + at * 100},Pay,{100 * (start if at < 600 else 1) * rng.lognormal(0, 0.4):.0f},200"
            for at in range(6000)
        ]
        (tmp_path / name).write_text("started_ms,request,took_ms,status\n" + "\n".join(rows) + "\n")
    (tmp_path / "plain-verdict.toml").write_text('[[condition]]\nmeasure = "p95 change"\nat_most = "30 %"\n')
    done = tool("report", "now.csv", "--baseline", "before.csv", "--out", "v.html")
    assert done.code == 0
    text = " ".join(re.sub(r"<[^>]+>", " ", (tmp_path / "v.html").read_text()).split())
    assert " %, without the first 1 min)" in text
    assert "Percentiles are compared without the first 1 min of both runs: one of them was slower there." in text
    assert "significantly slower" not in text


def test_states_of_many_files_are_added_up_as_they_are_read(tmp_path):
    samples(tmp_path, "a.csv", 1, minutes=2)
    samples(tmp_path, "b.csv", 2, minutes=2)
    (tmp_path / "again.csv").write_bytes((tmp_path / "a.csv").read_bytes())
    run = read_all(discover([str(tmp_path)]).sources, DEFAULT_LIMITS, lambda *_: None)
    rows = {file.path.rpartition("/")[2]: file.payloads[0].state.rows for file in run.files}
    # What is identical to a file before it will be left out, so that it is not added.
    assert rows == {"a.csv": 1440, "again.csv": 720, "b.csv": 0}
