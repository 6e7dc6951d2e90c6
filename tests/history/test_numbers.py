"""What several builds tell together, against closed forms, a second library, and plain ways to do the same."""

import random
from array import array
from datetime import UTC, datetime, timedelta

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from plain_verdict.history.alignment import align
from plain_verdict.history.comparison import compare, describe_past
from plain_verdict.history.digest import decode_digest, encode_digest, make_digest, pack, runs_of, unpack
from plain_verdict.history.durations import LevelShift, _discoveries, find_level_shifts
from plain_verdict.history.flakiness import find_common_failures, find_flakiness
from plain_verdict.history.gaps import find_gaps
from plain_verdict.history.time_quantization import COARSE, FINE
from plain_verdict.model import Build, BuildCause, ChangesSince, CheckIndex, KeptRun, Past, kept_run
from plain_verdict.model.statistics import student_reach, student_tail, wilson_interval
from plain_verdict.report.history import describe_trace

MADE = datetime(2026, 11, 22, tzinfo=UTC)


def build(number: int, key: str = "", commit: str = "", moment: datetime | None = None) -> Build:
    return Build(f"r-{number:04}", "Desk", moment or MADE + timedelta(days=number), build=key, commit=commit)


@pytest.mark.parametrize("freedom", [3, 4, 7, 10])
def test_the_tail_is_that_of_student(freedom):
    for t in (0, 0.3, 1, 2.5, 8, 40, 1e3, 1e6):
        assert student_tail(t, freedom) == pytest.approx(stats.t.sf(t, freedom), rel=2e-3, abs=1e-15)


@pytest.mark.parametrize(("part", "whole"), [(0, 5), (1, 5), (3, 20), (19, 20), (20, 20)])
def test_the_interval_is_that_of_wilson(part, whole):
    wanted = stats.binomtest(part, whole).proportion_ci(method="wilson")
    assert wilson_interval(part, whole) == pytest.approx((wanted.low, wanted.high))


@given(st.lists(st.floats(1e-9, 1), min_size=1, max_size=30))
def test_what_is_said_is_what_benjamini_and_hochberg_say(chances):
    shifts = [(chance, LevelShift(at, 1, 2, 1, 1.0, 0.5, 1.5, 9)) for at, chance in enumerate(chances)]
    said = {shift.position for shift in _discoveries(shifts, 0.04, len(chances))}
    adjusted = stats.false_discovery_control(chances)
    clear = {at for at, one in enumerate(adjusted) if abs(one - 0.04) > 1e-9}
    assert said & clear == {at for at in clear if adjusted[at] < 0.04}


@pytest.mark.parametrize("freedom", [3, 4, 7, 20, 100])
def test_the_reach_is_that_of_student(freedom):
    assert student_reach(freedom) == pytest.approx(stats.t.ppf(0.975, freedom), rel=1e-2)


# Outcomes in the order of time, the code of each, and in how many of how many runs it was unsteady; None: it is steady.
FLAKY = [
    ("pppppppp", "abcdefgh", None),
    ("ppprpppp", "abcdefgh", (1, 8)),  # a retry by itself
    ("pprp", "abcd", None),  # too few runs to say so
    ("pp-sru-pp", "abcdefghi", (1, 5)),  # what did not run does not count
    ("ppppffff", "abcdefgh", None),  # broken, once
    ("ppppfffp", "abcdefgh", None),  # broken and fixed
    ("pppffppp", "abcddefg", None),  # failed twice on one code
    ("pppfpppp", "abccccde", (1, 8)),  # turned on one code
    ("pppfpppppppp", "abcdefghijkl", None),  # failed once, on code that changed
    ("pppfppppppfppppppppp", "abcdefghijklmnopqrst", (2, 20)),  # twice, a build each
    ("pppfppppppfppppppppp", "." * 20, (2, 20)),  # nothing names the code: as if it changed
    ("pppfffffffppppffffff", "abcdefghijklmnopqrst", None),  # broken twice, for several builds
    ("e" * 20 + "p" * 20, "." * 40, None),
    ("f" + "p" * 30 + "r", "." * 32, (1, 20)),  # only the last twenty
]


@pytest.mark.parametrize(("outcomes", "commits", "wanted"), FLAKY)
def test_flaky_checks_are_told_from_breaking_and_mending(outcomes, commits, wanted):
    found = find_flakiness(outcomes, ["" if commit == "." else commit for commit in commits])
    assert (found and (found.unsteady, found.runs)) == wanted


# The builds in which checks failed, a letter each; and the groups: checks, builds.
TOGETHER = [
    (["-f--f--f", "-f--f--f", "-f--f--f"], [([0, 1, 2], [1, 4, 7])]),
    (["-f--f--f", "-f--f--f"], []),  # two checks, three builds: chance
    (["-ff-f--f", "-ff-f--f"], [([0, 1], [1, 2, 4, 7])]),
    (["-f--f--f", "-f--f--f", "-f--ff-f", "---f----"], [([0, 1, 2], [1, 4, 7])]),  # one failed once more by itself
    (["-f------", "-f------", "-f------"], []),  # one build is a failure like others
    (["ff------", "--ff----", "----ff--"], []),
]


@pytest.mark.parametrize(("rows", "wanted"), TOGETHER)
def test_checks_that_fail_in_the_same_builds_are_one_group(rows, wanted):
    failed = {
        at: sum(1 << build for build, letter in enumerate(row) if letter == "f") for at, row in enumerate(rows)
    }
    found = [(list(group.positions), list(group.builds)) for group in find_common_failures(failed)]
    assert found == wanted


def of_builds(*rows: str, causes: dict[int, str] | None = None) -> ChangesSince:
    """What history says of checks, a row of letters each, a letter a build; the last build is now."""
    runs = []
    for at, letters in enumerate(zip(*rows, strict=True)):
        run = kept(at, {number: (letter, 0) for number, letter in enumerate(letters)})
        named = (BuildCause("k", causes[at], len(rows)),) if causes and at in causes else ()
        runs.append(
            msgspec.structs.replace(run, build=msgspec.structs.replace(build(at, str(at), f"{at:x}"), causes=named))
        )
    *past, now = runs
    return compare(now, align(now.check_index, past), past[-1])


def test_one_event_is_an_incident_and_no_flaky_check():
    printer = "ppfpppffpppfppfpp"
    since = of_builds(
        *[printer] * 9, "ppppfppppppppfppp", causes={2: "The printer is offline", 6: "The printer is offline"}
    )
    (incident,) = since.incidents
    assert (len(incident.ids), incident.builds) == (9, ("2", "6", "7", "11", "14"))
    assert (incident.cause, incident.is_now) == ("The printer is offline", False)
    assert [one.name for one in since.flaky] == ["check 9"]
    assert of_builds(*["pppffffffff"] * 9).incidents == ()  # it broke, and is broken
    assert of_builds(*["ffpffff"] * 9).incidents == ()  # it is broken, and passed once
    assert of_builds(*["pppfpppppppf"] * 3).incidents[0].is_now


def test_what_failed_before_and_not_last_time_is_failing_again():
    since = of_builds("pppppf", "pfpfpf", "pppfff", "-----f")
    assert [one.name for one in since.new] == ["check 0", "check 3"]
    assert [(one.name, one.before) for one in since.failing_again] == [
        ("check 1", "failed in 2 of the 5 builds before, last in 3")
    ]
    assert [one.name for one in since.still_failing] == ["check 2"]


# Seconds in the builds before and in the last; what is said: slower or faster, and for how many builds.
LEVELS = [
    ([20, 21, 19, 22, 20, 21, 19, 20, 22, 21], [62, 60], (True, 2)),
    ([20, 21, 19, 22, 20, 21, 19, 20, 22, 21], [62, 20], None),  # one build alone, and over
    ([20, 21, 19, 22, 20, 21, 19, 20, 22, 21], [23, 22], None),  # longer than ever, and no more than chance
    ([20, 21, 19, 22, 20, 21], [62], None),  # too few builds
    ([0.01] * 20, [0.03] * 3, None),  # three times as long, and 20 ms
    ([0.05] * 20, [0.1] * 3, (True, 3)),
    ([100.0] * 20, [110] * 3, None),  # ten seconds, and not a fifth
    ([20, 21, 19] * 5, [40] * 8, (True, 8)),
    ([20, 21, 19] * 5, [40, 41] * 6, None),  # for twelve builds: it is normal now
    ([20, 21, 19] * 4 + [40, 41, 42] * 4, [80, 82], (True, 2)),  # and slower once more
    ([0, 0] + [20.0] * 8, [60, 60], (True, 2)),  # builds without a time count for nothing
    ([20, 21, 19] * 4, [2, 2], (False, 2)),
]


@pytest.mark.parametrize(("before", "since", "wanted"), LEVELS)
def test_a_new_level_is_said_with_its_builds_where_chance_and_trifles_do_not_explain_it(before, since, wanted):
    columns = [[round(time * 1000), 700] for time in (*before, *since)]
    found = find_level_shifts(columns).found
    assert [(shift.change > 0, shift.builds) for shift in found] == ([wanted] if wanted else [])
    assert all(shift.position == 0 and shift.low < shift.change < shift.high for shift in found)


def test_earlier_builds_that_are_rounded_make_no_change_and_hide_only_small_ones():
    """Pages of many checks have the build before as it was, and the others in levels that are far apart."""
    rng = random.Random(3)
    usual = [50 * 200 ** rng.random() for _ in range(3_000)]
    columns = []
    for build in range(20):
        steps = [3.0 if check < 100 and build > 16 else 1.0 for check in range(len(usual))]
        took = [
            max(1, round(time * step * rng.lognormvariate(0, 0.1))) for time, step in zip(usual, steps, strict=True)
        ]
        columns.append(list(map(COARSE.rounded.__getitem__, took)) if build < 18 else took)
    found = find_level_shifts(columns, rounding=COARSE).found
    assert sum(shift.position < 100 for shift in found) > 60
    assert sum(shift.position >= 100 for shift in found) <= 3


def test_a_slow_machine_is_no_change_of_its_checks_and_a_change_among_many_is_found():
    rng = np.random.default_rng(7)
    columns = (1000 * rng.lognormal(1, 0.15, (24, 4000))).astype(int)
    columns[-1] = columns[-1] * 1.6
    columns[-4:, 5] = columns[-4:, 5] * 4
    shifts = find_level_shifts(columns.tolist())
    assert ([(one.position, one.builds) for one in shifts.found], shifts.tested) == ([(5, 4)], 4000)
    assert shifts.pace == pytest.approx(0.6, abs=0.02)


GAPS = [
    (["7", "8", "9", "10", "12"], None, {4: ("11",)}),
    (["n-07", "n-8", "n-9", "n-10", "n-14"], None, {4: ("n-11", "n-12", "n-13")}),
    (["2026.11.1-7", "2026.11.2-8", "2026.11.3-9", "2026.11.4-10", "2026.11.6-12"], None, {4: ("11",)}),
    (["40", "57", "61", "90", "91", "120"], None, {}),  # numbers of other pipelines lie between
    (["7", "9"], None, {}),  # too few to know that they count up
    (["a", "b", "c"], None, {}),
    (["10", "9", "8", "7", "5"], None, {}),  # clocks that go backwards
    (["7", "7", "8", "9", "10", "12"], None, {5: ("11",)}),  # one key twice
    (["", "", ""], timedelta(hours=12), {1: ("22 Nov 12:00",), 2: ("23 Nov 12:00",)}),
    (["x", "y"], timedelta(days=1), {}),
    (["x", "y"], timedelta(hours=14), {1: ("22 Nov 14:00",)}),  # one step and seven tenths later
    (["7-a", "8-a", "9-a", "10-a", "12-b"], None, {}),  # another ending is another count
]
ELSEWHERE = [
    (["7", "8", "9", "10", "12"], {"11"}, {}),
    (["1", "4", "7", "10", "14"], {"2", "3", "5", "6", "8", "9", "11", "12"}, {4: ("13",)}),  # of three branches
    (["1", "4", "7", "10", "14"], {"2"}, {}),  # mostly unknown: numbers of other pipelines
]


@pytest.mark.parametrize(("keys", "step", "wanted"), GAPS)
def test_builds_without_results_are_known_by_keys_that_count_up_or_by_a_schedule(keys, step, wanted):
    assert find_gaps([build(number, key) for number, key in enumerate(keys)], step) == wanted


@pytest.mark.parametrize(("keys", "known", "wanted"), ELSEWHERE)
def test_builds_of_other_branches_are_no_gaps(keys, known, wanted):
    assert find_gaps([build(number, key) for number, key in enumerate(keys)], None, known) == wanted


PASTS = [
    ("----", "not in earlier builds"),
    ("pppp", "passed in the 4 builds before"),
    ("---p", "passed in the build before"),
    ("psup", "never failed in the 4 builds before"),
    ("ssss", "never ran before"),
    ("pfpp", "failed once before, in 1"),
    ("pfep", "failed in 2 of the 4 builds before, last in 2"),
    ("ffff", "failed in each of the 4 builds before"),
]


@pytest.mark.parametrize(("letters", "words"), PASTS)
def test_what_a_check_did_before_is_told_in_words(letters, words):
    assert describe_past(letters, [build(number, str(number)) for number in range(4)]) == words


TRACES = [
    ("pp", [1, 2.4], "passed in all of the last 2 builds; 1.0 s to 2.4 s when it passed"),
    ("pfer", [1, 9, 9, 1], "passed in 1 of 4 builds, passed on retry in 3, failed in 1, could not finish in 2; 1.0 s when it passed"),
    ("--", [0, 0], "not in earlier builds"),
    ("s-u", [0, 0, 0], "skipped or undecided in all of the last 2 builds"),
]  # fmt: skip


@pytest.mark.parametrize(("letters", "times", "words"), TRACES)
def test_a_strip_is_told_in_words(letters, times, words):
    trace = [
        (build(at, str(at)), Past(letter), took or None)
        for at, (letter, took) in enumerate(zip(letters, times, strict=True))
    ]
    assert describe_trace(trace) == words


LETTERS = "pfesur"
runs = st.lists(
    st.dictionaries(st.integers(0, 30), st.tuples(st.sampled_from(LETTERS), st.integers(0, 900)), max_size=25),
    min_size=1,
    max_size=6,
)


def kept(number: int, checks: dict[int, tuple[str, int]]) -> KeptRun:
    rows = sorted((f"c-{check:012x}", f"check {check}", *row) for check, row in checks.items())
    ids, names, letters, times = zip(*rows, strict=True) if rows else ((), (), (), ())
    return kept_run(build(number), CheckIndex(tuple(ids), tuple(names)), "".join(letters), array("I", times))


@given(runs)
def test_runs_are_brought_to_one_order_whatever_came_and_went(several):
    past, now = [kept(*one) for one in enumerate(several[:-1])], kept(99, several[-1])
    traces = align(now.check_index, past)
    for at, run in enumerate(past):
        plain = dict(zip(run.check_index.ids, zip(run.outcomes, run.times, strict=True), strict=True))
        wanted = [plain.get(id_, ("-", 0)) for id_ in now.check_index.ids]
        assert traces.outcomes[at] == "".join(letter for letter, _ in wanted)
        assert list(traces.times[at]) == [time for _, time in wanted] or not run.times
        assert traces.other_outcomes[at] == "".join(plain.get(id_, ("-",))[0] for id_ in traces.others)
    assert traces.others.keys() == {id_ for run in past for id_ in run.check_index.ids} - set(now.check_index.ids)


@given(runs)
@settings(max_examples=60)
def test_a_digest_is_read_as_it_was_written_but_for_times_that_are_rounded(several):
    past, now = [kept(*one) for one in enumerate(several[:-1])], kept(99, several[-1])
    digest = decode_digest(unpack(pack(encode_digest(make_digest(now, align(now.check_index, past)))).encode()))
    *chain, own = runs_of(digest)
    assert (own.build, own.check_index.ids, tuple(own.check_index.names)) == (
        now.build,
        now.check_index.ids,
        tuple(now.check_index.names),
    )
    assert (own.outcomes, list(own.times)) == (now.outcomes, list(now.times))
    for run, read in zip(past, chain, strict=True):
        there = {
            id_: letter for id_, letter in zip(read.check_index.ids, read.outcomes, strict=True) if letter != "-"
        }
        assert there == dict(zip(run.check_index.ids, run.outcomes, strict=True))
        times = dict(zip(read.check_index.ids, read.times or [0] * len(read.check_index.ids), strict=True))
        for id_, time in zip(run.check_index.ids, run.times, strict=True):
            # Of a check that is gone no time is kept, and of the others one to 5 ms.
            assert abs(times[id_] - (time if id_ in now.check_index.ids else 0)) <= 5


@pytest.mark.parametrize("levels", [FINE, COARSE])
def test_a_level_is_near_its_time(levels):
    for time in (1, 9, 30, 90, 490, 999, 1_500, 18_000, 24_000, 62_000, 4_000_000):
        near = levels.times([levels.of[time]])[0]
        assert abs(near - time) <= max(levels.step_ms / 2, (levels.growth - 1) * time * 0.55)
    assert levels.of[0] == 0


def test_what_is_gone_is_told_by_its_name_and_failures_first():
    before = kept(1, {1: ("p", 1), 2: ("f", 1), 3: ("p", 1), 4: ("f", 1)})
    now = kept(2, {3: ("p", 1), 4: ("s", 1), 5: ("p", 1)})
    since = compare(now, align(now.check_index, [before]), before)
    assert [(one.name, one.before.split(" in ")[0]) for one in since.removed] == [
        ("check 4", "failed, and is left out now"),
        ("check 2", "failed"),
        ("check 1", "passed"),
    ]
    assert since.added == ("c-000000000005",)


@pytest.mark.parametrize(("unit", "kind"), [("s", "slower"), ("jobs", "metrics")])
def test_a_number_of_the_whole_run_is_compared_as_well(unit, kind):
    def measured(number: int, value: float) -> KeptRun:
        run = kept(number, {1: ("p", 0)})
        numbers = ({"name": "95 % of POST /payments", "value_s": value, "unit": unit},)
        return msgspec.structs.replace(
            run, build=msgspec.convert(msgspec.to_builtins(run.build) | {"measured": numbers}, Build)
        )

    past, now = [measured(number, 0.4 + number % 3 / 50) for number in range(12)], measured(20, 1.9)
    past.append(measured(12, 1.8))
    since = compare(now, align(now.check_index, past), past[-1])
    (change,) = getattr(since, kind)
    assert (change.name, change.lasts, change.builds, change.unit) == ("95 % of POST /payments", 2, 12, unit)
    assert (change.now, change.before) == pytest.approx((1.9, 0.42), rel=0.01)
