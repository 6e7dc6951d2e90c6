"""The verdict in words: counts in, the sentence that is read aloud out."""

import datetime

import pytest

from plain_verdict.judging import judge
from plain_verdict.judging.remarks import remarks_on
from plain_verdict.judging.sentence import Explanation, SentenceFacts, explain
from plain_verdict.model import (
    Attempt,
    Cause,
    Check,
    ConditionResult,
    Kind,
    NotCounted,
    Outcome,
    ReadingNote,
    ResultFile,
    Run,
    State,
    Tally,
    Unread,
    VerdictWord,
    Waived,
)
from plain_verdict.settings.rules import Rules
from plain_verdict.text.formatting import format_duration, format_share, format_size, join_list

TODAY = datetime.date(2026, 11, 23)
P, F, E, S, U = Outcome.PASSED, Outcome.FAILED, Outcome.ERRORED, Outcome.SKIPPED, Outcome.UNDECIDED


def run_of(counts: dict, lost: int = 0, unread: int = 0) -> Run:
    checks = tuple(
        Check(f"c-{outcome}-{number}", Kind.FUNCTIONAL, (), f"{number}", (Attempt(outcome),))
        for outcome, times in counts.items()
        for number in range(times)
    )
    notes = tuple(ReadingNote(f"{number}.xml", "is truncated", results_missing=True) for number in range(lost))
    file = ResultFile("r.xml", "junit-xml", 1, checks, notes=notes)
    return Run((file,), tuple(Unread(f"gone-{number}.xml", "does not exist") for number in range(unread)))


SENTENCES = [
    ({P: 1}, "Fit: the only check passed."),
    ({P: 2}, "Fit: all 2 checks passed."),
    ({P: 12345}, "Fit: all 12,345 checks passed."),
    ({P: 211, S: 1}, "Fit: 211 of 212 checks passed and none failed; 1 was skipped."),
    ({P: 40, S: 172}, "Fit: only 40 of 212 checks ran, and all passed; 172 were skipped."),
    ({P: 1, S: 9}, "Fit: only 1 of 10 checks ran, and passed; 9 were skipped."),
    ({F: 1}, "Not fit: the only check failed."),
    ({F: 12}, "Not fit: all 12 checks failed."),
    ({F: 1, P: 211}, "Not fit: 1 of 212 checks failed."),
    ({F: 7, P: 205}, "Not fit: 7 of 212 checks failed."),
    ({E: 1}, "Not fit: the only check could not finish."),
    ({E: 3}, "Not fit: none of 3 checks could finish."),
    ({E: 2, P: 59}, "Not fit: 2 of 61 checks could not finish."),
    ({F: 7, E: 4, P: 46, S: 4}, "Not fit: 11 of 61 checks failed or could not finish."),
    ({F: 1, P: 9, S: 90}, "Not fit: 1 of 100 checks failed; 90 were skipped."),
    ({F: 1, U: 1, P: 8}, "Not fit: 1 of 10 checks failed."),
    ({}, "Undecided: no checks were found."),
    ({S: 1}, "Undecided: no check ran: the only check was skipped."),
    ({S: 12}, "Undecided: no check ran: all 12 checks were skipped."),
    ({U: 1, P: 60}, "Undecided: 1 of 61 checks is undecided."),
    ({U: 3, P: 58}, "Undecided: 3 of 61 checks are undecided."),
]


@pytest.mark.parametrize(("counts", "sentence"), SENTENCES)
def test_the_sentence(counts, sentence):
    assert judge(run_of(counts), Rules(), TODAY).sentence == sentence


@pytest.mark.parametrize(
    ("counts", "lost", "unread", "sentence"),
    [
        ({P: 171}, 1, 0, "Undecided: all 171 checks passed, but one result file is incomplete."),
        ({P: 171}, 1, 1, "Undecided: all 171 checks passed, but two result files are incomplete."),
        (
            {P: 8, S: 1},
            0,
            1,
            "Undecided: 8 of 9 checks passed and none failed; 1 was skipped, but one result file is incomplete.",
        ),
        ({}, 0, 1, "Undecided: no checks were found, and one result file is incomplete."),
        (
            {U: 1, P: 1},
            1,
            0,
            "Undecided: 1 of 2 checks is undecided, and one result file is incomplete.",
        ),
        ({F: 1, P: 1}, 1, 0, "Not fit: 1 of 2 checks failed."),
    ],
)
def test_what_could_not_be_read_is_never_fit_and_always_said(counts, lost, unread, sentence):
    verdict = judge(run_of(counts, lost, unread), Rules(), TODAY)
    assert verdict.sentence == sentence
    named = " ".join(verdict.reasons)
    assert named.count("is truncated") == lost
    assert named.count("does not exist") == unread
    assert State.OPEN in [condition.state for condition in verdict.conditions]


def cause(count: int, name: str = "Fares", *, by_rule: bool = True) -> Cause:
    return Cause(name, tuple(run_of({F: count}).checks), (("fares", False),), by_rule=by_rule)


SLOW = ConditionResult("Slowest check: at most 30.0 s", State.NOT_MET, "61.0 s", "slowest check")
SITUATIONS = [
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=9, passed=203), cause=cause(5), broken=(SLOW,)), "9 of 212 checks failed, 5 of them because of “Fares”, and the condition “slowest check” is not met."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=9, passed=203), broken=(ConditionResult("Failed: at most 0", State.NOT_MET, "9 failed"),)), "9 of 212 checks failed."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=9, passed=203), cause=cause(5)), "9 of 212 checks failed, 5 of them because of “Fares”."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=9, passed=203), cause=cause(9)), "9 of 212 checks failed, all of them because of “Fares”."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=9, passed=3), cause=cause(4, "no … left", by_rule=False)), "9 of 12 checks failed, 4 of them with “no … left”."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=7, passed=5), waived=2), "7 of 12 checks failed, 2 of them waived."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=7, passed=5), waived=2, cause=cause(3)), "7 of 12 checks failed, 3 of them because of “Fares”."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=3)), "all 3 checks failed."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=12345)), "all 12,345 checks failed."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(failed=2, errored=1, passed=12342)), "3 of 12,345 checks failed or could not finish."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(passed=5), broken=(SLOW,)), "all 5 checks passed, but a condition is not met: slowest check: at most 30.0 s (61.0 s)."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(passed=5), broken=(ConditionResult("A", State.NOT_MET, "1"), ConditionResult("B", State.NOT_MET, "2"))), "all 5 checks passed, but two conditions are not met: A (1) and B (2)."),
    (VerdictWord.NOT_FIT, SentenceFacts(Tally(skipped=5), broken=(ConditionResult("Checks: at least 3", State.NOT_MET, "0 ran"),)), "no check ran, but a condition is not met: checks: at least 3 (0 ran)."),
    (VerdictWord.FIT, SentenceFacts(Tally(failed=1, passed=5), waived=1), "5 of 6 checks passed; 1 failed and is waived."),
    (VerdictWord.FIT, SentenceFacts(Tally(failed=2, passed=4), waived=2), "4 of 6 checks passed; 2 failed and are waived."),
    (VerdictWord.FIT, SentenceFacts(Tally(failed=2, passed=4), waived=1), "4 of 6 checks passed; 2 failed, and the conditions allow it."),
    (VerdictWord.FIT, SentenceFacts(Tally(failed=2, passed=4)), "4 of 6 checks passed; 2 failed, and the conditions allow it."),
    (VerdictWord.UNDECIDED, SentenceFacts(Tally(failed=2, passed=4), gaps=1, waived=2), "4 of 6 checks passed; 2 failed and are waived, but one result file is incomplete."),
    (VerdictWord.UNDECIDED, SentenceFacts(Tally(passed=4), unmeasured=("Pass rate: at least 90 %",)), "all 4 checks passed, but the condition “Pass rate: at least 90 %” has no results to measure."),
]  # fmt: skip


@pytest.mark.parametrize(("word", "situation", "sentence"), SITUATIONS)
def test_the_sentence_with_rules(word, situation, sentence):
    assert explain(word, situation).text == sentence


def test_a_pass_after_a_retry_is_a_pass_and_said():
    check = Check("c", Kind.FUNCTIONAL, (), "sails", (Attempt(F), Attempt(P)))
    verdict = judge(Run((ResultFile("r.xml", "junit-xml", 1, (check,)),)), Rules(), TODAY)
    assert verdict.word == "fit"
    assert verdict.all_remarks == ("One check is flaky (passed on retry): “sails”.",)


@pytest.mark.parametrize(
    ("part", "whole", "text"),
    [
        (1, 1, "100 %"),
        (0, 9, "0.0 %"),
        (999, 1000, "99.9 %"),
        (99999, 100000, "99.9 %"),
        (1, 100000, "under 0.1 %"),
        (1, 3, "33.3 %"),
    ],
)
def test_a_share_is_never_rounded_into_a_better_one(part, whole, text):
    assert format_share(part, whole) == text


def test_numbers_in_words():
    assert [format_duration(s) for s in (None, 0, 0.0123, 0.9999, 4.25, 59.96, 252, 4440, 3600)] == [
        "",
        "0 ms",
        "12 ms",
        "1.0 s",
        "4.2 s",
        "1 min",
        "4 min 12 s",
        "1 h 14 min",
        "1 h",
    ]
    assert [format_size(n) for n in (1, 812, 4100, 15_000_000, 999_999)] == [
        "1 byte",
        "812 bytes",
        "4.1 kB",
        "15 MB",
        "1.0 MB",
    ]
    assert [join_list(list("abcde")[:n]) for n in (0, 1, 2, 3, 5)] == [
        "",
        "a",
        "a and b",
        "a, b and c",
        "a, b, c and 2 more",
    ]


@pytest.mark.parametrize(
    ("gaps", "remarks"),
    [
        (1, ["An input is truncated: 0 of 3 checks (r0.xml)."]),
        (2, ["An input is truncated: 0 of 3 checks (r0.xml).", "An input is truncated: 1 of 3 checks (r1.xml)."]),
        (3, ["Three inputs are incomplete: "]),
        (7, ["Seven inputs are incomplete: "]),
    ],
)
def test_no_input_that_is_incomplete_goes_unsaid(gaps, remarks):
    check = Check("c", Kind.FUNCTIONAL, (), "sails", (Attempt(P),))
    unread = tuple(Unread(f"r{number}.xml", f"is truncated: {number} of 3 checks") for number in range(gaps))
    verdict = judge(Run((ResultFile("r.xml", "junit-xml", 1, (check,)),), unread=unread), Rules(), TODAY)
    assert verdict.word == "undecided"
    found = verdict.all_remarks
    assert len(found) == len(remarks)
    assert all(text.startswith(wanted) for text, wanted in zip(found, remarks, strict=True))
    whole = " ".join(found)
    assert sum(f"r{number}.xml" in whole for number in range(gaps)) == min(gaps, 5)
    assert gaps <= 5 or f"and {gaps - 5} more" in whole


def test_what_is_not_counted_has_its_reasons():
    entries = [
        Waived("known", datetime.date(2026, 12, 4)),
        Waived("low", None, by=NotCounted.BELOW_THRESHOLD),
        Waived("low", None, by=NotCounted.BELOW_THRESHOLD),
        Waived("agreed", None, by=NotCounted.SUPPRESSED),
    ]
    all_reasons = "1 waived until 4 December 2026, 2 below the severity threshold, 1 suppressed without end date"
    cases = [
        (entries[:1], "1 failure is waived until 4 December 2026."),
        (entries[1:3], "2 failures are not counted: below the severity threshold."),
        (entries[3:], "1 failure is not counted: suppressed without end date."),
        (entries, f"4 failures are not counted: {all_reasons}."),
    ]
    for waived, text in cases:
        facts = SentenceFacts(Tally(failed=4))
        by_id = {f"c-{number}": entry for number, entry in enumerate(waived)}
        assert text in [remark.text for remark in remarks_on(Run(()), facts, Explanation(""), by_id)]
