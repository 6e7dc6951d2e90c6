"""Trends over many builds: against a plain count of the same letters, from stores and pages, as text, JSON and tables."""

import csv
import json
import random
import statistics
from array import array
from datetime import UTC, datetime, timedelta

import pyarrow.parquet as pq
import pytest

from plain_verdict.history.trends import make_trend
from plain_verdict.model import (
    Build,
    BuildCause,
    BuildNumbers,
    CheckIndex,
    KeptRun,
    LostTime,
    Tally,
    VerdictWord,
    kept_run,
)

DAY = timedelta(days=1)
START = datetime(2026, 6, 1, tzinfo=UTC)


def run_of(number, letters, **more):
    """A build whose checks are told by a letter each; ``-`` is not there."""
    kept = [at for at, letter in enumerate(letters) if letter != "-"]
    text = "".join(letters[at] for at in kept)
    tally = Tally(
        text.count("p") + text.count("r"), text.count("f"), text.count("e"), text.count("s"), text.count("u")
    )
    bad = tally.failed + tally.errored
    build = Build(
        id=f"r-{number:04}", series="Desk main", title="Desk", made=START + number * DAY, build=str(4000 + number),
        verdict=VerdictWord.NOT_FIT if bad else VerdictWord.FIT, tally=tally, **more,
    )  # fmt: skip
    index = CheckIndex(tuple(f"c-{at:04}" for at in kept), tuple(f"check {at}" for at in kept))
    return kept_run(build, index, text, array("I", [1000 + at for at in kept]))


def naive(rows, left_out):
    """What a reader would count with a pencil: states a build, spells that ended, and spells that go on."""
    counts, spells = [], []
    for at, row in enumerate(rows):
        failed = [check for check, letter in enumerate(row) if letter in "fe"]
        flaky = row.count("r")
        if at == 0:
            counts.append((None, None, None, flaky))
            continue
        still = [check for check in failed if rows[at - 1][check] in "fe"]
        again = [
            check
            for check in failed
            if check not in still and any(older[check] in "fe" for older in rows[max(0, at - 30) : at])
        ]
        counts.append((len(failed) - len(still) - len(again), len(again), len(still), flaky))
    going_on = {}
    for check in range(len(rows[0])):
        began, is_bad, known, last, number = None, False, False, None, 0
        for at, row in enumerate(rows):
            if row[check] not in "pfer":
                continue
            bad = row[check] in "fe"
            if bad and not is_bad:
                began, last, number = (at if known else None), at, 0
            number += bad
            if not bad and is_bad and began is not None and f"c-{check:04}" not in left_out:
                spells.append(at - began)
            is_bad, known = bad, True
        if rows[-1][check] in "fe":
            going_on[f"c-{check:04}"] = (str(4000 + last), number)
    return counts, spells, going_on


@pytest.mark.parametrize("seed", range(6))
def test_a_trend_counts_what_the_letters_of_its_builds_say(seed):
    rng = random.Random(seed)
    weights = rng.choice([(20, 2, 1, 1, 1, 1), (6, 6, 1, 2, 2, 2)])
    rows = ["".join(rng.choices("pfersu", weights, k=40)) for _ in range(rng.choice([2, 33, 70]))]
    trend = make_trend([run_of(number, row) for number, row in enumerate(rows)])
    counts, spells, going_on = naive(rows, {check.id for check in trend.flaky})
    assert [(entry.new, entry.failing_again, entry.still_failing, entry.flaky) for entry in trend.builds] == counts
    assert (trend.time_to_fix.fixed if trend.time_to_fix else 0) == len(spells)
    if spells:
        median = statistics.median(spells)
        assert (trend.time_to_fix.builds, trend.time_to_fix.span_s) == (median, median * DAY.total_seconds())
    assert {failure.id: (failure.since, failure.builds) for failure in trend.failing} == going_on
    since = [failure.since for failure in trend.failing]
    assert since == sorted(since)


def test_time_is_lost_in_failed_attempts_and_causes_cost_that_of_their_checks():
    flaky = "pfprpfpprpfpprpfpprf"
    runs = [
        run_of(
            number,
            f"{letter}ppp",
            lost=(LostTime("c-0000", 2.5),) if letter == "r" else (),
            causes=(BuildCause("k1", f"The fare {number}", 1, 4.0),)
            if letter == "f"
            else (BuildCause("k2", "Rain", 3, 0.5),),
        )
        for number, letter in enumerate(flaky)
    ]
    trend = make_trend(runs)
    (check,) = trend.flaky
    bad = flaky.count("f")
    assert (check.unsteady, check.runs, check.last) == (bad + flaky.count("r"), 20, "4019")
    assert check.lost_s == pytest.approx(bad * 1.0 + flaky.count("r") * 2.5)
    assert [(cause.name, cause.failures, cause.builds, cause.took_s, cause.last) for cause in trend.causes] == [
        ("The fare 19", bad, bad, bad * 4.0, "4019"),
        ("Rain", 3 * (20 - bad), 20 - bad, (20 - bad) * 0.5, "4018"),
    ]
    assert (trend.last_fit, trend.since_fit_s) == ("4018", DAY.total_seconds())


def test_whole_builds_are_at_another_level_since_one_and_few_builds_tell_little():
    runs = [
        run_of(
            number, "pppp", numbers=BuildNumbers(took_s=600 + number % 3, load_p95_s=0.4 if number < 35 else 0.7)
        )
        for number in range(40)
    ]
    levels = make_trend(runs).levels
    assert {name: level.since for name, level in levels.items()} == {"load-p95": "4035"}
    assert levels["load-p95"].change == pytest.approx(0.75, abs=0.02)
    alone = make_trend(runs[:1])
    assert (alone.builds[0].new, alone.time_to_fix, alone.failing, alone.levels) == (None, None, (), {})
    # It is known since when a check fails that was not there before, and not of one that fails in all known builds.
    came = make_trend([run_of(0, "f-p"), run_of(1, "f-p"), run_of(2, "ffp")])
    assert [(failure.since, failure.is_older) for failure in came.failing] == [("4000", True), ("4002", False)]
    # What failed 30 builds ago fails again, one before that is new: as far back as a page's chain goes.
    for last, state in ((30, (0, 1)), (31, (1, 0))):
        ago = make_trend([run_of(0, "fp"), *(run_of(at, "pp") for at in range(1, last)), run_of(last, "fp")])
        assert (ago.builds[-1].new, ago.builds[-1].failing_again) == state
    # A build whose checks are not kept, as in a summary without them, counts by its numbers alone.
    bare = KeptRun(runs[1].build)
    assert [entry.new for entry in make_trend([runs[0], bare, run_of(2, "ppfp")]).builds] == [None, None, 1]


def test_the_lists_are_the_same_from_a_store_and_from_pages_on_the_terminal_as_json_and_as_tables(
    night, tool, store, tmp_path
):
    rows = ["pppppp", "ppfppp", "rpfppp", "ppfprp", "fpppsp", "fppppe"]
    for number, letters in enumerate(rows, 1):
        night(number, letters, "--history", store, "--out", f"pages/{number}.html", took_s=2.0)
    stored = tool("history", "trends", "--history", store)
    assert stored.code == 0, stored.err
    assert tool("history", "trends", "--previous", "pages").out == stored.out
    assert stored.out.splitlines()[:4] == [
        "Desk main: 6 builds",
        "Not fit since 4202: 1 new failure, 1 still failing and 2 flaky.",
        "  5 days since it was last fit, in 4201",
        "  3 builds median time to fix, 3 days, of 1 failure fixed",
    ]
    assert "since 4205, 2 builds, 24 h" in stored.out
    done = tool("history", "trends", "--history", store, "--json", "--out", "lists.csv")
    (series,) = json.loads(done.out)["series"]
    assert [(build["build"], build["new"], build["still_failing"], build["passed_on_retry"]) for build in series["builds"]] == [
        ("4201", None, None, 0), ("4202", 1, 0, 0), ("4203", 0, 1, 1), ("4204", 0, 1, 1), ("4205", 1, 0, 0), ("4206", 1, 1, 0),
    ]  # fmt: skip
    assert series["builds"][0]["checks_took_s"] == 12.0
    with (tmp_path / "lists.csv").open(newline="") as file:
        read = list(csv.DictReader(file))
    assert [
        (row["list"], row["position"], row["name"], row["since"]) for row in read if row["list"] == "failing"
    ] == [
        ("failing", "1", "Desk › desk.Book › check 0", "4205"),
        ("failing", "2", "Desk › desk.Book › check 5", "4206"),
    ]
    tool("history", "trends", "--history", store, "--out", "lists.parquet")
    table = pq.read_table(tmp_path / "lists.parquet").to_pylist()
    assert [{key: "" if value is None else str(value) for key, value in row.items()} for row in table] == read


@pytest.mark.parametrize(
    ("arguments", "code", "said"),
    [
        (("--history", "gone.db"), 2, "gone.db: is not there"),
        (("--previous", "empty"), 3, "no builds found"),
        (("--previous", "pages", "--series", "Harbour"), 3, "no builds found"),
        (("--previous", "pages", "--out", "lists.txt"), 2, "is not a table"),
        (("--previous", "pages", "pages/cut.html"), 0, "pages/cut.html is a page"),
    ],
)
def test_trends_say_what_is_in_the_way_and_count_the_rest(arguments, code, said, night, tool, tmp_path):
    (tmp_path / "empty").mkdir()
    night(1, "pf", "--out", "pages/1.html")
    page = (tmp_path / "pages" / "1.html").read_bytes()
    (tmp_path / "pages" / "cut.html").write_bytes(page[: len(page) // 2])
    done = tool("history", "trends", *arguments)
    assert (done.code, said in done.err) == (code, True), done.err
    assert "Traceback" not in done.err
