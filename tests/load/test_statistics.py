"""Statistics of load runs against closed forms, published tables and SciPy, a row each; and units of durations."""

import json
import math
import random
from datetime import UTC, datetime

import numpy as np
import pytest
from scipy import stats
from test_load import START_US, block, run_of

from plain_verdict.load.batches import joint_degrees, reach_of
from plain_verdict.load.bins import FINE_BITS, bins_of
from plain_verdict.load.comparison import NoiseThreshold, compare
from plain_verdict.load.hints import find_slow_start
from plain_verdict.load.percentiles import Batches, Histogram, interval, percentile
from plain_verdict.load.rates import compare_failed, compare_sent, effect_of
from plain_verdict.load.state import LoadState
from plain_verdict.model import Rates, RequestNumbers, Series
from plain_verdict.model.statistics import wilson_interval


@pytest.mark.parametrize(
    ("failed", "count", "effect"), [(0, 40, 1), (3, 40, 1), (40, 40, 1), (7, 200, 4), (1, 9, 2.5)]
)
def test_the_share_s_interval_is_that_of_wilson(failed, count, effect):
    # Both ends solve (p - x)^2 = z^2 x (1 - x) / n, with as many requests as are independent.
    n, share, z = count / effect, failed / count, stats.norm.ppf(0.975)
    ends = sorted(np.roots([1 + z * z / n, -2 * share - z * z / n, share * share]).real)
    assert wilson_interval(failed, count, effect) == pytest.approx(ends, abs=1e-12)
    if effect == 1:
        found = stats.binomtest(failed, count).proportion_ci(method="wilson")
        assert wilson_interval(failed, count) == pytest.approx((found.low, found.high))


def test_nothing_sent_tells_nothing():
    assert wilson_interval(0, 0) == (0.0, 1.0)


# Newcombe 1998, Statistics in Medicine 17(8), table II, method 10: two shares, and the interval of their difference.
NEWCOMBE = [
    ((56, 70), (48, 80), (0.0524, 0.3339)), ((9, 10), (3, 10), (0.1705, 0.8090)), ((6, 7), (2, 7), (0.0582, 0.8062)), ((5, 56), (0, 29), (-0.0381, 0.1926)),
    ((0, 10), (0, 20), (-0.1611, 0.2775)), ((0, 10), (0, 10), (-0.2775, 0.2775)), ((10, 10), (0, 20), (0.6791, 1.0)), ((10, 10), (0, 10), (0.6075, 1.0)),
]  # fmt: skip


@pytest.mark.parametrize(("now", "before", "ends"), NEWCOMBE)
def test_the_interval_of_two_shares_is_that_of_newcombe(now, before, ends):
    new, old = (RequestNumbers("x", count, failed, 0.0, None, None, None, ()) for failed, count in (now, before))
    found = compare_failed(new, old, (1.0, 1.0))
    assert (found.low, found.high) == pytest.approx(ends, abs=5e-5)
    assert compare_failed(new, old, None).low is None


# Requests and failures of each batch, and how many count as one: var(sum of r) / (n p q), by hand; None: too few.
EFFECTS = {
    "all in one batch": ([(10, 0)] * 7 + [(10, 5)], None),
    "as many in each": ([(10, 1)] * 6, 1.0),
    "none failed": ([(10, 0)] * 4, 1.0),
    "all failed": ([(4, 4), (6, 6), (4, 4), (6, 6)], 1.0),
    "three batches": ([(10, 3)] * 3, None),
    "nothing sent": ([(0, 0)] * 5, 1.0),
}


def by_hand(residues):
    """The variance of a sum over batches, after Kendall 1954 and Bayley & Hammersley 1946, of twenty batches at most."""
    residues = np.array(residues)
    size, apart = residues.size, residues - residues.mean()
    found = (apart[1:] * apart[:-1]).sum() / (apart**2).sum()
    found += (1 + 4 * found) / size
    likeness = min(0.6, max(0.0, found + 0.3 / math.sqrt(size)))
    return size * residues.var(ddof=1) * (1 + likeness) / (1 - likeness), (size - 1) * (1 - likeness**2) / (
        1 + likeness**2
    )


@pytest.mark.parametrize(("batches", "effect"), EFFECTS.values(), ids=EFFECTS)
def test_failures_that_gather_count_for_fewer(batches, effect):
    sent, failed = zip(*batches, strict=True)
    if len(batches) == 8:
        share = sum(failed) / sum(sent)
        variance, _ = by_hand([bad - share * all_ for all_, bad in batches])
        effect = variance / (sum(sent) * share * (1 - share))
    assert effect_of(Rates(15, sent, failed)) == (None if effect is None else pytest.approx(effect))


def test_batches_grow_with_the_run_and_while_neighbours_are_alike():
    rng = np.random.default_rng(8)
    alone = rng.normal(size=80)
    assert reach_of(alone).batches == 20
    assert not reach_of(alone).alike
    wandering = np.cumsum(rng.normal(size=80))
    assert reach_of(wandering).batches == 10
    assert reach_of(wandering).alike
    assert reach_of(wandering).degrees < reach_of(alone).degrees
    assert reach_of(alone[:3]) is None
    for size in (4, 15, 20):
        found, (variance, degrees) = reach_of(alone[:size]), by_hand(alone[:size])
        if found.batches == size:
            assert (found.variance, found.degrees) == pytest.approx((variance, max(2.0, degrees)))


@pytest.mark.parametrize(("share", "number"), [(0.5, 40), (0.95, 200), (0.99, 600)])
def test_a_percentile_s_interval_is_that_of_woodruff(share, number):
    # Whole milliseconds, each once a minute: no minute differs from another, so that the effect is 1.
    minutes = 12
    took_us = np.arange(1, number + 1) * 1000
    times = Histogram(bins_of(took_us, FINE_BITS), np.full(number, minutes), 1000, 1000, number * 1000)
    coarse = np.unique(bins_of(took_us, 5), return_counts=True)
    starts, slots = np.arange(minutes) * coarse[0].size, np.arange(minutes)
    batches = Batches(np.tile(coarse[0], minutes), np.tile(coarse[1], minutes), starts, slots)
    total = number * minutes
    likeness = 1 / minutes + 0.3 / math.sqrt(minutes)
    degrees = (minutes - 1) * (1 - likeness**2) / (1 + likeness**2)
    reach = stats.t.ppf(0.975, degrees) * math.sqrt(share * (1 - share) / total)
    ranks = [min(total, max(1, math.ceil(round(end * total, 9)))) for end in (share - reach, min(1, share + reach))]
    found = interval(times, share, batches)
    assert found[:2] == pytest.approx([math.ceil(rank / minutes) / 1000 for rank in ranks])
    assert percentile(times, share) == pytest.approx(math.ceil(share * total / minutes - 1e-9) / 1000)
    for first, left in ((9, 3), (12, 0), (13, 0)):
        few = batches.since(first)
        assert (few.slots.size, few.bins.size) == (left, left * coarse[0].size)
        assert interval(times, share, few) is None
    assert batches.since(-3) is batches


@pytest.mark.parametrize(("share", "least"), [(0.5, 5), (0.9, 29), (0.95, 59), (0.99, 299), (0.999, 2995)])
def test_a_percentile_is_told_from_the_number_of_values_on_that_bounds_it(share, least):
    # Of n values all are under the percentile with a chance of share ** n.
    assert share**least <= 0.05 < share ** (least - 1)
    for number, is_told in ((least, True), (least - 1, False)):
        times = Histogram(
            bins_of(np.array([40_000]), FINE_BITS), np.array([number]), 40_000, 40_000, 40_000 * number
        )
        assert (percentile(times, share) is not None) == is_told


def test_what_was_sent_is_compared_as_two_means_are():
    rng = random.Random(5)
    starts = [np.sort([rng.uniform(0, 60 * 14) for _ in range(size)]) for size in (4000, 4600)]
    now, before = (run_of(block(np.full(own.size, 5.0), own)) for own in starts)
    found = compare_sent(now, before)
    means, errors = [], []
    for run in (now, before):
        counts = np.array(run.rates.sent[1:-1], float)
        # Three batches of 15 s at a time: twenty at most.
        grouped = np.add.reduceat(counts - counts.mean(), np.arange(0, counts.size, 3))
        variance, degrees = by_hand(grouped)
        means.append(counts.mean() / 15)
        errors.append((math.sqrt(variance) / counts.size / 15, degrees))
    reach = stats.t.ppf(0.975, joint_degrees(*errors)) * math.hypot(*(error for error, _ in errors))
    difference = means[0] - means[1]
    assert (found.low, found.high) == pytest.approx((difference - reach, difference + reach))


def test_degrees_of_a_difference_are_those_of_welch():
    rng = np.random.default_rng(4)
    one, two = rng.normal(0, 1, 9), rng.normal(0, 3, 14)
    errors = [(values.std(ddof=1) / math.sqrt(values.size), values.size - 1) for values in (one, two)]
    assert joint_degrees(*errors) == pytest.approx(stats.ttest_ind(one, two, equal_var=False).df)


def test_a_change_s_interval_is_that_of_a_ratio():
    rng = np.random.default_rng(3)
    level = np.repeat(rng.lognormal(0, 0.3, 15), 60)
    now, before = (
        run_of(block(scale * level * rng.lognormal(4, 0.5, 900), np.arange(900))) for scale in (1.3, 1.0)
    )
    for change in compare(now, before).changes:
        new, old = (run.whole.percentile(change.per_cent) for run in (now, before))
        errors = [(one.high_s - one.low_s) / 2 / stats.t.ppf(0.975, one.degrees) for one in (new, old)]
        joint = joint_degrees((errors[0], new.degrees), (errors[1], old.degrees))
        t, ratio = stats.t.ppf(0.975, joint), new.value_s / old.value_s
        reach = t * math.hypot(*errors)
        assert (change.low_s, change.high_s) == pytest.approx(
            (new.value_s - old.value_s - reach, new.value_s - old.value_s + reach)
        )
        # A ratio's error to the first order: r sqrt((se1 / x1)^2 + (se2 / x2)^2).
        own = t * ratio * math.hypot(errors[0] / new.value_s, errors[1] / old.value_s)
        assert (change.low_share, change.high_share) == pytest.approx((ratio - 1 - own, ratio - 1 + own))
        assert not change.slight
        bound = change.high_s + 1e-9
        (again,) = [one for one in compare(now, before, NoiseThreshold(0.0, bound)).changes if (one.request, one.per_cent) == (change.request, change.per_cent)]  # fmt: skip
        assert again.slight


def series(medians, step_s=1):
    empty = (None,) * len(medians)
    counts = tuple(0 if one is None else 9 for one in medians)
    return Series(datetime(2026, 11, 22, tzinfo=UTC), step_s, counts, (0,) * len(medians), tuple(medians), empty, empty, empty)  # fmt: skip


def steady(level, size):
    """Medians that hardly move."""
    return [level + (0.001 if at % 2 else -0.001) for at in range(size)]


# Medians of each step, and after how many seconds the slow beginning ends.
SLOW = {
    "every second": ([*[0.2] * 20, *steady(0.1, 180)], 20),
    "every other second is empty": (
        [0.2, None] * 20 + [each for one in steady(0.1, 180) for each in (one, None)],
        40,
    ),
    "a gap in the middle of it": ([*[0.2] * 10, *[None] * 30, *[0.2] * 10, *steady(0.1, 180)], 50),
    "steps of five seconds": ([*[0.2] * 20, *steady(0.1, 180)], 100),
    "no slow beginning": ([0.1] * 200, None),
    "a fast beginning": ([0.05] * 20 + [0.1] * 180, None),
    "less than a fifth slower": ([*[0.117] * 20, *steady(0.1, 180)], None),
    "a fifth slower": ([*[0.123] * 20, *steady(0.1, 180)], 20),
    "too short": ([0.2] * 10 + [0.1] * 25, None),
}


@pytest.mark.parametrize("name", SLOW)
def test_a_slow_beginning_ends_when_it_ends(name):
    medians, ends_s = SLOW[name]
    found = find_slow_start(series(medians, 5 if "steps of five" in name else 1))
    assert (found and found.span_s) == ends_s
    if found:
        assert found.rest_s == pytest.approx(0.1, rel=0.01)
        assert found.early_s == pytest.approx(next(one for one in medians if one))


@pytest.mark.parametrize("took_us", [1, 2, 45, 46, 47, 100, 511, 512, 999, 1000, 1023])
def test_a_time_under_a_millisecond_is_the_time_that_was_taken(took_us):
    run = run_of(block(np.full(400, took_us / 1000)), block([9.0, 9.0]))
    assert run.whole.percentile(50.0).value_s == took_us / 1e6
    assert next(one for one in run.series.p50_s if one) == pytest.approx(took_us / 1e6, rel=0.02)


def test_users_of_several_machines_are_added_up_and_those_of_one_are_not():
    def state():
        one = LoadState()
        one.add(block(np.full(30, 5.0), np.arange(30) % 3, users=np.full(30, 4)))
        return one

    machines, parts = state(), state()
    machines.merge(state())
    parts.merge(state(), same_clients=True)
    second = START_US // 1_000_000
    assert machines.users == {second: 8, second + 1: 8, second + 2: 8}
    assert parts.users == {second: 4, second + 1: 4, second + 2: 4}
    assert machines.rows == parts.rows == 60


# Durations whose column names no unit: the rows, with what was told; None where both units are possible.
def rows(values, gap_s=1.0, users=""):
    head = "started,request,duration,status" + (",users" if users else "")
    own = f",{users}" if users else ""
    return (
        "\n".join(
            [head, *(f"{1795312800 + at * gap_s:.3f},Pay,{value},200{own}" for at, value in enumerate(values))]
        )
        + "\n"
    )


WANDER = [round(20 + 37.25 * at % 90, 2) for at in range(200)]
SMALL = [round(0.2 + 0.0375 * at % 0.6, 4) for at in range(200)]
UNITS = {
    "whole numbers": (rows([20 + at % 90 for at in range(200)]), "milliseconds, because its values are whole numbers"),
    "longer than the run": (rows([120.5 + at for at in range(60)], 2.0), "milliseconds, because in seconds requests would outlast the run"),
    "more than the users": (rows(WANDER, 1.0, users=3), "milliseconds, because in seconds more users than there are would wait"),
    "as many as the users": (rows(SMALL, 0.1, users=6), "seconds, because that many users wait at once"),
    "in turn, in seconds": (rows(SMALL, 0.85), "seconds, because requests then follow each other"),
    "in turn, in milliseconds": (rows(WANDER, 0.125), "milliseconds, because requests then follow each other"),
    "nothing proves it": (rows(SMALL, 0.25), None),
    "decimals that could be both": (rows(WANDER, 10.0), None),
    "few rows": (rows(SMALL[:5]), None),
    "users that hardly wait": (rows(SMALL, 60.0, users=9), None),
}  # fmt: skip


@pytest.mark.parametrize(("text", "told"), UNITS.values(), ids=UNITS)
def test_a_unit_is_what_the_file_proves_or_undecided(tool, tmp_path, text, told):
    (tmp_path / "load.csv").write_text(text)
    (tmp_path / "g.xml").write_text('<testsuite name="Quay"><testcase name="lands"/></testsuite>')
    summary = json.loads(tool("judge", "load.csv", "g.xml", "--json").out)
    notes = " ".join(summary["files"][1]["notes"])
    assert summary["verdict"] == ("fit" if told else "undecided")
    assert (told or "seconds and milliseconds are both possible") in notes
    took_s = summary["load"]["all"]["mean_ms"] / 1000
    values = [float(line.split(",")[2]) for line in text.split("\n")[1:-1]]
    if told:
        assert took_s == pytest.approx(np.mean(values) / (1000 if "milli" in told.split(",")[0] else 1), rel=1e-3)
