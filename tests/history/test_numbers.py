"""What several builds tell together, against closed forms, a second library, and plain ways to do the same."""

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
from plain_verdict.history.gaps import find_gaps
from plain_verdict.history.time_quantization import COARSE, FINE
from plain_verdict.history.trends import (
    _discoveries,
    find_flakiness,
    find_time_changes,
)
from plain_verdict.model import Build, CheckIndex, KeptRun, Past
from plain_verdict.model.statistics import student_tail, wilson_interval
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
    said = list(_discoveries([(chance, place) for place, chance in enumerate(chances)], len(chances)))
    adjusted = stats.false_discovery_control(chances)
    clear = [place for place, one in enumerate(adjusted) if abs(one - 0.04) > 1e-9]
    assert set(said) & set(clear) == {place for place in clear if adjusted[place] < 0.04}


# Outcomes in the order of time, the code of each, and in how many of how many runs it was unsteady; None: it is steady.
WOBBLES = [
    ("pppppppp", "abcdefgh", None),
    ("ppprpppp", "abcdefgh", (1, 8)),  # a retry by itself
    ("pprp", "abcd", None),  # too few runs to say so
    ("pp-sru-pp", "abcdefghi", (1, 5)),  # what did not run does not count
    ("ppppffff", "abcdefgh", None),  # broken, once
    ("ppppfffp", "abcdefgh", None),  # broken and fixed
    ("pppffppp", "abcddefg", None),  # failed twice on one code
    ("pppfpppp", "abccccde", (1, 8)),  # turned on one code
    ("ppfppfpp", "abcdefgh", (2, 8)),  # broken and fixed twice, on code that changed: four turns
    ("ppfpppff", "abcdefgh", None),  # three turns, on code that changed
    ("ppfpppff", "........", (3, 8)),  # three turns, and nothing tells the code
    ("ppfppppp", "........", None),  # turned twice, and nothing tells the code
    ("e" * 20 + "p" * 20, "." * 40, None),
    ("f" + "p" * 30 + "r", "." * 32, (1, 20)),  # only the last twenty
]


@pytest.mark.parametrize(("outcomes", "commits", "wanted"), WOBBLES)
def test_wobble_is_told_from_breaking_and_mending(outcomes, commits, wanted):
    found = find_flakiness(outcomes, ["" if commit == "." else commit for commit in commits])
    assert (found and (found.unsteady, found.runs)) == wanted


# Times in seconds before, and now; what is reported: slower, faster, or nothing.
TIMES = [
    ([18, 20, 22, 24, 19, 21, 23, 20], 62, "slower"),
    ([18, 20, 22, 24, 19, 21, 23, 20], 26, ""),  # longer than ever, and no more than chance
    ([18, 20, 22, 24, 19, 21, 23], 62, ""),  # seven builds are too few
    ([0.01] * 20, 0.4, ""),  # forty times as long, and not half a second
    ([100.0] * 20, 110, ""),  # ten seconds, and not a fifth
    ([0.01] * 20, 0.9, "slower"),
    ([20.0] * 19 + [61], 60, ""),  # it took as long once before
    ([0, 0] + [20.0] * 8, 60, "slower"),  # builds without a time count for nothing
    ([20.0] * 10, 2, "faster"),
]


@pytest.mark.parametrize(("before", "now", "wanted"), TIMES)
def test_what_took_longer_is_told_where_chance_and_trifles_do_not_explain_it(before, now, wanted):
    columns = [[round(time * 1000), 700] for time in before]
    found, told = find_time_changes([round(now * 1000), 700], columns)
    assert ["slower" if one.now > one.high else "faster" for one in found] == [wanted] * bool(wanted)
    assert told == (2 if len(before) >= 8 else 0)


def test_of_many_checks_only_what_stands_out_among_them_all_is_said():
    rng = np.random.default_rng(7)
    columns = (1000 * rng.lognormal(1, 0.2, (21, 4000))).astype(int).tolist()
    columns[-1][5] = 90_000
    found, told = find_time_changes(columns[-1], columns[:-1])
    assert ([one.position for one in found], told) == ([5], 4000)


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


@pytest.mark.parametrize(("keys", "step", "wanted"), GAPS)
def test_builds_without_results_are_known_by_keys_that_count_up_or_by_a_schedule(keys, step, wanted):
    assert find_gaps([build(number, key) for number, key in enumerate(keys)], step) == wanted


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
    return KeptRun(build(number), CheckIndex(tuple(ids), tuple(names)), "".join(letters), array("I", times))


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
            # Of a check that is gone no time is kept, and of the others one to 10 ms.
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


def test_a_time_of_the_whole_run_is_compared_as_well():
    def timed(number: int, value_s: float) -> KeptRun:
        run = kept(number, {1: ("p", 0)})
        measured = ({"name": "95 % of POST /payments", "value_s": value_s},)
        return msgspec.structs.replace(
            run, build=msgspec.convert(msgspec.to_builtins(run.build) | {"measured": measured}, Build)
        )

    past, now = [timed(number, 0.4 + number / 200) for number in range(12)], timed(20, 1.9)
    (change,) = compare(now, align(now.check_index, past), past[-1]).slower
    assert (change.name, change.now_s, change.builds) == ("95 % of POST /payments", 1.9, 12)
