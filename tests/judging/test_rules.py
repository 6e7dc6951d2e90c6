"""The team's rules: causes, waivers, conditions, and what is reported when they are wrong."""

import json
import re
from itertools import combinations

import pytest
from lxml import html

from conftest import ROOT
from plain_verdict.judging.causes import find_causes
from plain_verdict.judging.similarity import Similarity
from plain_verdict.model import Attempt, Check, Kind, Outcome, Output, Problem, ResultFile, Rule, Run, Severity
from plain_verdict.settings.rules import CauseRule, Match

F = Outcome.FAILED
DOC = (ROOT / "docs" / "judging.md").read_text("utf-8")
XML = re.search(r"```xml\n(.*?)```", DOC, re.DOTALL)[1]
EXAMPLES = [
    (block, re.search(r"# gives: (.*)", block)[1]) for block in re.findall(r"```toml\n(.*?)```", DOC, re.DOTALL)
]


@pytest.fixture
def judged(tool, tmp_path):
    """Judge results by settings: gives the summary, what went to stderr, and the exit code."""

    def judge(toml: str, xml: str = XML):
        (tmp_path / "r.xml").write_text(xml)
        (tmp_path / "plain-verdict.toml").write_text(toml)
        done = tool("judge", "r.xml", "--json")
        return (json.loads(done.out) if done.out else {}), done.err, done.code

    return judge


@pytest.mark.parametrize(("toml", "sentence"), EXAMPLES, ids=[sentence[:40] for _, sentence in EXAMPLES])
def test_the_examples_in_the_docs_hold(toml, sentence, judged):
    summary, err, code = judged(toml)
    assert summary["sentence"] == sentence
    assert code == (0 if sentence.startswith("Fit") else 1)
    assert err == ""


def test_failures_group_by_likeness_as_a_person_grouped_them():
    rows = json.loads((ROOT / "tests/examples/likeness/failures.json").read_text("utf-8"))
    assert len(rows) >= 200
    assert len({row["group"] for row in rows}) >= 25
    problems = [("", Problem(Outcome.FAILED, row["type"], row["message"], row["detail"])) for row in rows]
    likeness = Similarity(problems)
    found = [(row["group"], likeness.pattern(*one)) for row, one in zip(rows, problems, strict=True)]
    pairs = [(one[0] == other[0], one[1] == other[1]) for one, other in combinations(found, 2)]
    right = pairs.count((True, True))
    assert right / (right + pairs.count((False, True))) >= 0.99  # precision: no two causes in one
    assert right / (right + pairs.count((True, False))) >= 0.95  # recall


# Failures, each as (check's name, type, message, detail); and the names of their causes, with how many each has.
NAMES = [
    (
        "a runner's heading tells nothing where unlike failures have it",
        [(f"t{n}", "", "Expected values to be strictly equal:", f"{n} !== 4\nFareError: {what}\n    at pay (desk/pay.js:{n}:1)") for n, what in enumerate(("no harbour pilot aboard today", "tide table is older than a day", "seat map has no upper deck left"))],
        {"FareError: no harbour pilot aboard today": 1, "FareError: tide table is older than a day": 1, "FareError: seat map has no upper deck left": 1},
    ),
    ("the check's own name tells nothing", [("testBad", "", "CalcTest::testBad", "CalcTest::testBad\nFailed asserting that fare 481 matches fare 418")], {"Failed asserting that fare 481 matches fare 418": 1}),
    ("a fixture that is missing", [(f"t{n}", "", 'failed on setup with "file /w/test_a.py, line 3"', "file /w/test_a.py, line 3\nE       fixture 'quay' not found\n>       available fixtures: cache") for n in range(3)], {"fixture 'quay' not found": 3}),
    ("an end by a signal", [("t", "", "", "exited with code 139: SIGSEGV"), ("u", "", "", "exited with code 139: SIGSEGV")], {"exited with code 139: SIGSEGV": 2}),
    ("what a program misses stays", [("t", "AttributeError", "type object 'Fare' has no attribute 'net'", "a.py:1: AttributeError"), ("u", "AttributeError", "type object 'Fare' has no attribute 'gross'", "a.py:1: AttributeError")], {"type object 'Fare' has no attribute 'net'": 1, "type object 'Fare' has no attribute 'gross'": 1}),
    ("what varies is a hole, what is shared stays", [(f"t{n}", "", f"The desk expected 'Booked {n}' for sailing 7, got 'Booked 1'", "") for n in (2, 3)], {"The desk expected … for sailing 7, got 'Booked 1'": 2}),
    ("no two have one name", [(f"t{n}", "KeyError", "'quay'", f'  File "/w/desk/{n}.py", line 3, in pay') for n in "ab"], {"KeyError: 'quay' (in a.py, pay)": 1, "KeyError: 'quay' (in b.py, pay)": 1}),
    ("an error that an assertion shows", [("t", "", "assert not SeatError('no seat is left on the upper deck')", ""), ("u", "SeatError", "no seat is left on the upper deck", "")], {"no seat is left on the upper deck": 2}),
    ("the failing line of a bare assertion", [("t", "", "AssertionError", "    fare = quote()\n>   assert is_resident(fare)\nE   AssertionError\n\ntests/a.py:7: AssertionError")], {"assert is_resident(fare)": 1}),
    (
        "a helper's frame is not a place",
        [(f"t{n}", "", f"got {what}", f'  File "/w/test_{n}.py", line 9, in test_{n}\n  File "/w/helpers.py", line 3, in check') for n, what in enumerate(("x", "y", "z", "x"))],
        {"t0: got x": 1, "t1: got y": 1, "t2: got z": 1, "t3: got x": 1},
    ),
    *(
        (f"what is compared: {message}", [("a fare", "AssertionError", message, "")], {title: 1})
        for message, title in (
            ("expected 7 to equal 19", "a fare: expected 19, got 7"), ("assert 3 == 4", "a fare: expected 4, got 3"),
            ("'Bob' !== 'Ann'", "a fare: expected 'Ann', got 'Bob'"), ("got 3, want 4", "a fare: expected 4, got 3"),
            ("19 != 7 : the total of the receipt is wrong", "the total of the receipt is wrong"),
            ("expected the gate to be open", "expected the gate to be open"), ("got no answer from the pilot", "got no answer from the pilot"),
            ("the tide 3 != 4 metres at the quay", "the tide 3 != 4 metres at the quay"), ("expect(received).toBe(expected)", "a fare: expect(received).toBe(expected)"),
        )
    ),
    *(
        (f"what tells: {id_}", [("12 - a fare", kind, message, detail)], {title: 1})
        for id_, kind, message, detail, title in (
            ("codes with their titles", "", "failure: ST101, ST103", "ST101 Table has no text.\nlint: ST103: Column has no type.", "ST101: Table has no text.; ST103: Column has no type."),
            ("a heading in the message", "", "Fix any of the following:\n  The picture has no text", "", "The picture has no text"),
            ("a line of an object", "Error", "net: 10,", "AssertionError: the net fare is wrong\n    net: 10,", "Error: the net fare is wrong"),
            ("a test's full name", "RuntimeException", "", "Desk\\FareTest::testFare with data set #0 ('a', 'b')\nRuntimeException: no deck has a seat", "RuntimeException: no deck has a seat"),
            ("a log's prefix", "", "desk/fare_test.go:12: the receipt has no total", "", "the receipt has no total"),
            ("diagnostics of test points", "TestFailed", "not ok 12 - a fare", "not ok 12 - a fare\n\n#   Failed test 'a fare'\n#   at t/a.t line 3.\n#          got: '7'\n#     expected: '19'", "12 - a fare: expected '19', got '7'"),
            ("headings over values", "", "assert.equal(received, expected)\n\nExpected value to be equal to:\n  [1,\n  2]\nReceived:\n  [3]", "", "12 - a fare: expected [1, got [3]"),
            ("a line's end that differs", "AssertionError", "expected 'Some\\n' to equal 'Some'", "AssertionError: expected 'Some\\n' to equal 'Some'\n\n      + expected - actual\n\n      -Some\n      +Some", "12 - a fare: expected 'Some', got 'Some\\n'"),
            ("the one that failed of those in a program", "", "", "t/fare.c:9:a_fare_is_whole:PASS\nt/fare.c:12:a_fare_has_a_total:FAIL: Expected 1 Was 2.", "a_fare_has_a_total:FAIL: Expected 1 Was 2."),
            ("what is asserted of two values", "", "Failed asserting that 0 is identical to 19.", "", "12 - a fare: expected 19, got 0"),
            ("a part of the check's name", "", "Fare", "", "Fare"),
            ("a word that says only that it failed", "", "Failed", "", "12 - a fare: failed"),
            ("a selector", "", "AssertionError", "#total is not shown on the receipt", "#total is not shown on the receipt"),
            ("values beside code that compares", "AssertionError", "Expected values to be strictly equal:", "7 === 19\n\nif (fare === limit) pay()\n", "12 - a fare: expected 19, got 7"),
            ("only values", "", "expected <a> but was <b>", "", "12 - a fare: expected <a> but was <b>"),
            ("only a name", "", "not ok 12 - a fare", "", "12 - a fare: no reason given"),
            ("no exception", "", "Missing expected exception.", "", "12 - a fare: missing expected exception."),
        )
    ),
    ("checks of other data", [(f"fare ({n})", "", f"{n} != 7", "") for n in range(3)], {"expected 7, got 0, and alike": 3}),
    ("a long name leaves room for the values", [("deck " * 60, "", "7 != 19", "")], {f"{('deck ' * 60)[:99]}…: expected 19, got 7": 1}),
    ("no exception in two checks", [(name, "", "ValueError not raised by quote", "") for name in "ab"], {"a: ValueError not raised by quote": 1, "b: ValueError not raised by quote": 1}),
    ("put into much that is alike", [(f"{n}fare", "", f"[{n}, 'text', 0, 1, 9] != [{n}, 'text', 0, 9]", "") for n in range(2)], {"expected [0, 'text', 0, 9], got [0, 'text', 0, 1, 9], and alike": 2}),
    ("nearly alike at one place", [(f"t{n}", "KeyError", f"no {what} of that name is kept in the long list", '  File "/w/desk.py", line 3, in find') for n, what in enumerate(("fare", "seat"))], {"no fare of that name is kept in the long list, and alike": 2}),
    ("nothing at all", [("t", "", "", ""), ("u", "", "", "")], {"No reason given": 2}),
]  # fmt: skip


@pytest.mark.parametrize(("failures", "names"), [row[1:] for row in NAMES], ids=[row[0] for row in NAMES])
def test_causes_have_names_that_say_something(failures, names):
    checks = tuple(
        Check(f"c{n}", Kind.FUNCTIONAL, (), name, (Attempt(F, problems=(Problem(F, kind, message, detail),)),))
        for n, (name, kind, message, detail) in enumerate(failures)
    )
    causes, _ = find_causes(Run((ResultFile("r.xml", "junit-xml", 1, checks),)), ())
    assert {cause.name: len(cause.checks) for cause in causes} == names


def test_causes_carry_what_a_reader_needs_and_the_first_rule_wins(judged, tool, tmp_path):
    toml = """
[[cause]]
name = "Slow"
match = { message = "/after \\\\d+\\\\.\\\\d s/" }
advice = "Wait."
[[cause]]
name = "Never reached"
match = { type = "TimeoutError" }
[[cause]]
name = "Of one file"
match = { source = "r.xml", check = "Sea*" }
"""
    summary, err, _ = judged(toml)
    causes = [(cause["name"], cause["count"], cause["by_rule"], cause["advice"]) for cause in summary["causes"]]
    assert causes == [("Slow", 2, True, "Wait."), ("Of one file", 1, True, "")]
    assert summary["rule_notes"] == ["Cause rule “Never reached” matched no failure."]
    assert "note: Cause rule “Never reached” matched no failure." in err
    assert tool("report", "r.xml").code == 0
    page = (tmp_path / "verdict.html").read_text("utf-8")
    assert re.search(
        r"<bdi>Slow</bdi>.*<u>30.\d s</u>.*<u>BQ-22\d\d</u>.*Wait\..*2 of the 3 that failed", page, re.DOTALL
    )


def test_a_check_names_its_own_cause_in_a_record(judged):
    lines = [
        {"what": "check", "id": "c", "name": "Pay"},
        {
            "what": "end",
            "id": "c",
            "outcome": "failed",
            "cause": "Known trouble",
            "problems": [{"message": "Timed out"}],
        },
    ]
    summary, _, _ = judged(
        '[[cause]]\nname = "Rule"\nmatch = { message = "Timed" }', "\n".join(map(json.dumps, lines))
    )
    assert [cause["name"] for cause in summary["causes"]] == ["Known trouble"]


WAIVERS = [
    ('match = { check = "Seats" }\nuntil = 2026-12-24', 1, [], []),
    ('match = { check = "Seats" }\nuntil = 2026-11-23', 1, ["until 23 November 2026"], []),
    ('match = { check = "Seats" }\nuntil = 2026-11-22', 1, ["until 22 November 2026"], []),
    (
        'match = { check = "Seats" }\nuntil = 2026-11-21',
        0,
        ["ended on 21 November 2026, and one check counts again"],
        [],
    ),
    (
        'match = { message = "Timed" }\nuntil = 2026-12-24\nmost = 1',
        1,
        ["covers at most 1; one check more failed"],
        [],
    ),
    ('match = { check = "Gone" }\nuntil = 2026-12-24', 0, [], ["is not needed: it matches no failure"]),
    (
        'match = { check = "Timetable" }\nuntil = 2026-12-24',
        0,
        [],
        ["is not needed: the checks that it matches pass now"],
    ),
    (
        'match = { check = "Seats" }\nuntil = 2026-12-24\n[[waiver]]\nreason = "again"\nmatch = { suite = "Booking" }\nuntil = 2026-12-24',
        3,
        [],
        ["1 check matched by two waivers"],
    ),
]


@pytest.mark.parametrize(("waiver", "waived", "remarks", "notes"), WAIVERS)
def test_waivers(waiver, waived, remarks, notes, judged, tool):
    summary, _, code = judged(f'[[waiver]]\nreason = "known"\n{waiver}')  # the tests' today is 22 November 2026
    assert summary["waived"] == waived
    assert summary["counts"]["failed"] == 3
    assert code == (0 if waived == 3 else 1)
    printed = tool("judge", "r.xml").out
    for remark in remarks:
        assert remark in printed
    assert len(summary["rule_notes"]) == len(notes)
    for note, found in zip(notes, summary["rule_notes"], strict=True):
        assert note in found


CONDITIONS = [
    ('measure = "checks"\nat_least = 4', True, "4 ran"),
    ('measure = "checks"\nat_least = 5', False, "4 ran"),
    ('measure = "checks"\nexactly = 4\nscope = { suite = "Book*" }', True, "4 ran"),
    ('measure = "checks"\nat_least = 1\nscope = { tag = "smoke" }', False, "0 ran"),
    ('measure = "checks"\nat_least = 1\nscope = { variant = "firefox*" }', False, "0 ran"),
    ('measure = "failed"\nat_most = 3', True, "3 failed"),
    ('measure = "failed"\nat_most = 2', False, "3 failed"),
    ('measure = "pass rate"\nat_least = "25 %"', True, "25.0 %"),
    ('measure = "pass rate"\nat_least = "25.1 %"', False, "25.0 %"),
    ('measure = "pass rate"\nat_least = 90\nscope = { suite = "None" }', None, "no results to measure"),
    ('measure = "duration"\nat_most = "2 min"', True, "1 min 7 s"),
    ('measure = "slowest check"\nat_most = "1 min"', False, "1 min 1 s"),
    ('measure = "slowest check"\nat_most = "61000 ms"', True, "1 min 1 s"),
    ('measure = "flaky"\nat_most = 0', True, "0 flaky"),
    (
        'measure = "skipped"\nat_most = 0\nname = "Nothing is left out"\nreason = "it is the release"',
        True,
        "0 skipped",
    ),
]


@pytest.mark.parametrize(("condition", "kept", "met"), CONDITIONS)
def test_conditions(condition, kept, met, judged, tool, tmp_path):
    judged(f"[[condition]]\n{condition}")
    assert tool("report", "r.xml").code == 0
    page = html.fromstring((tmp_path / "verdict.html").read_text("utf-8"))
    word = {True: "met", False: "not-met", None: "open"}[kept]
    rows = [(row.get("class"), row.cssselect(".value")[0].text) for row in page.cssselect(".conds li")]
    assert (word, met) in rows


WRONG = [
    ("[[cuase]]", "has an unknown key, 'cuase'\nhint: did you mean 'cause'?"),
    (
        '[[cause]]\nname = "x"\nmatch = { mesage = "y" }',
        "has an unknown key, 'mesage'\nhint: did you mean 'message'?",
    ),
    (
        '[[cause]]\nname = "x"\nmatch = { message = "/(/" }',
        "cause[0].match.message: is not a regular expression: missing ) at position 1",
    ),
    ('[[cause]]\nname = "x"\nmatch = {}', "cause[0].match: matches everything"),
    ('[[cause]]\nmatch = { type = "x" }', "lacks the key 'name'"),
    ('[[waiver]]\nmatch = { type = "x" }\nreason = "y"\nuntil = "soon"', "waiver[0].until: is not a day"),
    ('[[waiver]]\nmatch = { type = "x" }\nreason = "y"', "lacks the key 'until'"),
    ('[[condition]]\nmeasure = "luck"\nat_most = 1', "condition[0].measure: 'luck' is not a value of 'measure'"),
    (
        '[[condition]]\nmeasure = "failed"',
        "condition[0].measure: needs exactly one of at_most, at_least and exactly",
    ),
    ('[[condition]]\nmeasure = "failed"\nat_most = -1', "condition[0].at_most: -1 is not a number of 0 or more"),
    (
        '[[condition]]\nmeasure = "pass rate"\nat_least = 0.99',
        'condition[0].at_least: 0.99 would be less than one percent; write "99 %"',
    ),
    (
        '[[condition]]\nmeasure = "pass rate"\nat_least = 101',
        "condition[0].at_least: 101 is not a rate of at most 100 %",
    ),
    (
        '[[condition]]\nmeasure = "duration"\nat_most = 20',
        "condition[0].at_most: 20 needs a unit of time: ms, s, min or h",
    ),
    ('[[condition]]\nmeasure = "failed"\nat_most = "5 min"', "condition[0].at_most: '5 min' is not a count"),
]


@pytest.mark.parametrize(("toml", "line"), WRONG)
def test_wrong_rules_are_named_by_their_key_before_any_work(toml, line, judged):
    summary, err, code = judged(toml)
    assert code == 2
    assert line in err
    assert err.startswith("error: plain-verdict.toml")
    assert summary == {}


def test_a_regular_expression_that_takes_too_long_switches_its_rule_off(judged):
    xml = f'<testsuite><testcase name="a"><failure message="{"a" * 60}!"/></testcase></testsuite>'
    summary, _, _ = judged('[[cause]]\nname = "Trap"\nmatch = { message = "/^(a|a|aa)+$/" }', xml)
    assert summary["rule_notes"] == ["Cause rule “Trap” takes too long to match and was switched off."]
    assert summary["causes"][0]["by_rule"] is False


@pytest.mark.parametrize("message", ["", "Failed", "not ok 3 - a fare", "a fare"])
def test_a_failure_that_gives_no_reason_is_named_by_what_its_check_put_out(message):
    outputs = (Output("system-out", "pay: the purser is asleep\n"),)
    attempt = Attempt(F, problems=(Problem(F, "", message),), outputs=outputs)
    run = Run((ResultFile(checks=(Check("c", Kind.FUNCTIONAL, (), "a fare", (attempt,)),)),))
    assert [cause.name for cause in find_causes(run, ())[0]] == ["pay: the purser is asleep"]


EXITS = [((("desk",), ("desk",)), {"desk: exited with code 1": 2}), ((("desk",), ("deck",)), {"a: exited with code 1": 1, "b: exited with code 1": 1})]  # fmt: skip


@pytest.mark.parametrize(("suites", "names"), EXITS)
def test_an_exit_code_joins_the_failures_of_one_suite_only(suites, names):
    attempt = Attempt(F, problems=(Problem(F, "", "exited with code 1"),))
    checks = tuple(
        Check(name, Kind.FUNCTIONAL, suite, name, (attempt,)) for name, suite in zip("ab", suites, strict=True)
    )
    causes, _ = find_causes(Run((ResultFile(checks=checks),)), ())
    assert {cause.name: len(cause.checks) for cause in causes} == names


RULES = [
    ([("F401: `os` imported but unused", "", ""), ("F401: `{name}` is imported but unused", "", "")], {"F401: `os` imported but unused": 2}),
    ([("E101: a seat has no deck", "", ""), ("E101: indentation of both kinds", "", "")], {"E101: a seat has no deck": 1, "E101: indentation of both kinds": 1}),
    ([("B602: shell_is_true", "", "A shell is called at desk.py:3"), ("B602: shell_is_true", "", "A shell is called")], {"B602: A shell is called at desk.py:…": 2}),
    ([("Q1: no-eval", "Text is never run", "eval(x)")], {"Q1: Text is never run": 1}),
    ([("Root can't log in", "", "x"), ("Root can't log in", "", "y")], {"Root can't log in": 2}),
]  # fmt: skip


@pytest.mark.parametrize(("failed", "names"), RULES)
def test_a_rule_is_one_cause_across_tools_and_is_named_by_what_it_asks(failed, names):
    files = [
        ResultFile(f"{n}.sarif", checks=(Check(f"c{n}", Kind.COMPLIANCE, (f"tool {n}",), name, (Attempt(F, problems=(Problem(F, "", message),), cause=name),), description=asks, rule=Rule(Severity.HIGH)),))
        for n, (name, asks, message) in enumerate(failed)
    ]  # fmt: skip
    advised = CauseRule(name=failed[0][0], match=Match(message="nothing has it"), advice="Ask the harbour office.")
    causes, _ = find_causes(Run(tuple(files)), (advised,))
    assert {cause.name: len(cause.checks) for cause in causes} == names
    assert [cause.advice for cause in causes if cause.identity == advised.name] == [advised.advice]
    assert {cause.identity for cause in causes} <= {name for name, _, _ in failed}


NOUNS = [
    "tide",
    "quay",
    "fare",
    "crew",
    "lantern",
    "rope",
    "anchor",
    "sail",
    "deck",
    "gull",
    "mast",
    "storm",
    "buoy",
    "chart",
    "winch",
    "bell",
    "hull",
]
HOSTILE = {  # messages, how many causes they make
    "a megabyte": (["x" * 1_000_000, "expected " + "[1, " * 300_000 + " to equal 3", '"' * 1_000_000, "a: " * 300_000, "E   " + "assert " * 150_000], 5),
    "other scripts": (["Ожидалось 19, получено 7", "期待値 19、実際 7", "قيمة غير صحيحة: 7", "Die Fähre „Skarhölm“ fehlt"], 4),
    "cut in a diff": (["assert {'a': 1, 'b", "expected: <[1, 2\n- Expected\n+ Received\n\n- 1", "--- expected\n+++ actual\n@@ -1 +1 @@\n-lo"], 3),
    "only numbers": (["42", "-1.5e9", "0"], 3),
    "only paths": (["/srv/quay/fares.py:12", "C:\\quay\\fares.cs", "fares.py"], 3),
    "all different": ([f"the {a} of the {b} has no {c} left" for a in NOUNS for b in NOUNS for c in NOUNS], len(NOUNS) ** 3),
    "all alike but for ids": ([f"booking {n:016x} of guest {n * 7919:032x} was not found at 2026-11-30T01:{n % 60:02}:12Z" for n in range(5_000)], 1),
}  # fmt: skip


@pytest.mark.parametrize(("messages", "count"), HOSTILE.values(), ids=list(HOSTILE))
def test_messages_of_any_shape_are_grouped_and_named(messages, count):
    checks = tuple(
        Check(f"c{n}", Kind.FUNCTIONAL, (), f"check {n}", (Attempt(F, problems=(Problem(F, "", text),)),))
        for n, text in enumerate(messages)
    )
    causes, _ = find_causes(Run((ResultFile(checks=checks),)), ())
    assert len(causes) == count
    assert sum(len(cause.checks) for cause in causes) == len(messages)
    assert all(0 < len(cause.name) <= 200 for cause in causes)


# Of failures by the fault that was put in: the least precision, and the least mean recall of all runners.
LIKENESS = {
    ("runners.json", "first"): (1, 0.87), ("runners.json", "second"): (1, 0.87),
    ("projects.json", "first"): (0.97, 0.85), ("projects.json", "second"): (0.95, 0.78),
}  # fmt: skip


def grouped(rows):
    """Return (right, all, recall) of one runner's failures: right ones are of their cause's most frequent fault."""
    keys = ("type", "message", "detail", "expected", "actual")
    checks, fault_of = [], {}
    for at, row in enumerate(rows):
        problem = Problem(Outcome.FAILED, **{key: row[key] for key in keys if key in row})
        attempt = Attempt(Outcome.FAILED, problems=(problem,))
        checks.append(Check(f"c{at}", Kind.FUNCTIONAL, tuple(row.get("suite", ())), row["name"], (attempt,)))
        fault_of[f"c{at}"] = row["fault"]
    causes, _ = find_causes(Run((ResultFile(checks=tuple(checks)),)), ())
    for cause in causes:
        # A title says something by itself: it is no runner's banner, no bare type, no matcher without values.
        assert re.search(r"[^\W\d_]{3}", cause.name), cause.name
        assert not re.match(BANNERS, cause.name), cause.name
    faults = [[fault_of[check.id] for check in cause.checks] for cause in causes]
    right = sum(max(map(of_cause.count, of_cause)) for of_cause in faults)
    recalls = [
        max(of_cause.count(fault) for of_cause in faults) / list(fault_of.values()).count(fault)
        for fault in set(fault_of.values())
    ]
    return right, len(rows), sum(recalls) / len(recalls)


BANNERS = r"(?:expect\(|===|Expected values|Failed asserting that (?:true|false) is|not ok|\(in test|AssertionError|[-+] Expected)"


@pytest.mark.parametrize(("file", "part"), LIKENESS)
def test_failures_of_real_runners_are_grouped_by_the_fault_that_was_put_in(file, part):
    rows = json.loads((ROOT / "tests/examples/likeness" / file).read_text("utf-8"))
    runners = dict.fromkeys(row["runner"] for row in rows if row["part"] == part)
    assert len(runners) >= 10
    of = {name: grouped([row for row in rows if (row["part"], row["runner"]) == (part, name)]) for name in runners}
    precision = sum(right for right, _, _ in of.values()) / sum(all_ for _, all_, _ in of.values())
    recall = sum(recall for _, _, recall in of.values()) / len(of)
    assert (precision, recall) >= LIKENESS[file, part], of
    assert recall >= LIKENESS[file, part][1], of
