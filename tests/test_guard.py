"""An error of this program, or an input without end, costs that input and not the run."""

import gzip
import json
import logging
import re

import pytest

from plain_verdict import readers
from plain_verdict.evidence import contents
from plain_verdict.masking.mask import Masker
from plain_verdict.readers.junit.walk import JunitWalk
from plain_verdict.runtime import guard
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text import expressions
from plain_verdict.text.expressions import Expression, TooSlow
from plain_verdict.text.json_text import decode_json, without_halves
from plain_verdict.text.yaml import read_yaml

GOOD = '<testsuite name="Quay"><testcase name="lands"/></testsuite>'
SHIP, HALF = (
    r"{\u0022boat\u0022: \u0022\ud83d\udea2\u0022, \u0022password\u0022: \u0022Harb0ur-gate!7\u0022}",
    r"\ud83d, \u0022password\u0022: \u0022Harb0ur-gate!7\u0022",
)


def xml(text):
    return re.sub('[<&"]', lambda sign: f"&#{ord(sign[0])};", text)


def record(**line):
    check = {"what": "check", "id": "c", "name": "sails"} | line
    end = {"what": "end", "id": "c", "outcome": "passed"}
    return "\n".join(map(json.dumps, ({"what": "record", "version": 1}, check, end))) + "\n"


def requirements(pattern):
    return {
        "q.md": "- TKT: lands\n- REQ-1: x\n",
        "plain-verdict.toml": f"[requirements]\nfiles = ['q.md']\npattern = '{pattern}'\n",
    }


ALIASES = "\n".join(
    f"  a{at}: &a{at} [{', '.join([f'*a{at - 1}'] * 9)}]" if at else "  a0: &a0 [x, x]" for at in range(9)
)
MAPPING = '[[mapping]]\nname = "night"\nfiles = ["r.json"]\n[mapping.check]\neach = "t[*]"\nname = "n"\noutcome = { from = "o", passed = "ok" }\n[mapping.run]\nstarted = "$.at"\n'
EARL = (
    "@prefix earl: <http://www.w3.org/ns/earl#> .\n<#a> a earl:Assertion ; "
    + " ; ".join(f"earl:test <#t{at}> ; earl:subject <#s{at}> ; earl:result <#r{at}>" for at in range(90))
    + " ."
)
TITLED = ["--title", "Fares\nnightly\r\nBcc: all@desk.test", "--mail", "m.eml"]
# What once ended a run, or never did: files beside a good one, and options of the report.
ENDED = {
    "a pair of escapes beside a secret": ({"r.xml": f'<testsuite><testcase name="{xml(SHIP)}"><system-out>{xml(SHIP)}</system-out></testcase></testsuite>'}, []),
    "half a pair beside a secret": ({"r.xml": f'<testsuite><testcase name="a"><system-out>{xml(HALF)}</system-out></testcase></testsuite>'}, []),
    **{f"half a pair, {name}": ({name: text}, []) for name, text in {
        "r.verdict.jsonl": record(description=HALF).replace("\\\\u", "\\u").replace('\\"', ""),
        "r.sarif": '{"version": "2.1.0", "runs": [{"tool": {"driver": {"name": "\\ud83d"}}, "results": [{"ruleId": "a", "kind": "pass", "message": {"text": "\\udea2"}}]}]}',
        "r.har": '{"log": {"version": "1.2", "entries": [{"startedDateTime": "2026-11-22T02:10:00Z", "time": 4, "request": {"method": "GET", "url": "https://f.test/\\ud83d", "headers": []}, "response": {"status": 200, "headers": [{"name": "a", "value": "\\ud83d"}], "content": {"text": "\\udea2 token=\\ud83d"}}}]}}',
        "r.tap": "1..1\nok 1 - \\ud83d password=x\n", "load.jsonl": '{"started": 1795312800, "request": "\\ud83d", "took_ms": 5, "status": 200}\n',
    }.items()},
    **{f"a number past 64 bits, {key}": ({"r.verdict.jsonl": record(**{key: 10**30})}, []) for key in ("attempt", "line", "at")},
    "a file's start without an end": ({"r.json": '{"at": "2026-11-29T10:00:00Z", "t": [{"n": "a", "o": "ok"}]}', "plain-verdict.toml": MAPPING}, []),
    "a title with a line break, and mail": ({"r.xml": GOOD}, TITLED),
    **{f"requirements by {pattern}": ({"r.xml": f'<testsuite><testcase name="TKT lands {"a" * 40}!"/></testsuite>', **requirements(pattern)}, [])
       for pattern in (r"REQ-(\d+)|TKT", r"(?<n>TKT)(?&n)?", r"\p{L}+-(?>\d+)", "(a+)+$", "(a|aa)+$", "()", "(x)?(y)?")},
    "aliases of aliases": ({"r.tap": f"1..1\nok 1 - a\n  ---\n{ALIASES}\n  ...\n"}, []),
    "an assertion of everything": ({"r.ttl": EARL}, []),
    "settings of a number without end": ({"plain-verdict.toml": f"[input]\nexpect_files = {'9' * 5000}\n"}, []),
    "settings that nest without end": ({"plain-verdict.toml": "a = " + "[" * 3000}, []),
    "a moment past the calendar": ({"r.verdict.jsonl": record(at=1e300)}, []),
}  # fmt: skip


@pytest.mark.parametrize("name", ENDED)
def test_nothing_that_is_given_ends_the_run(tool, tmp_path, name):
    files, options = ENDED[name]
    for file, text in ({"g.xml": GOOD} | files).items():
        (tmp_path / file).write_text(text)
    results = [file for file in files if file not in ("plain-verdict.toml", "q.md")]
    done = tool("report", "g.xml", *results, "--json", "--out", "p.html", *options)
    assert "bug" not in done.err
    # What no text can hold costs its sign, not its line, which may tell of a failure.
    assert "half a pair" not in name or "can't be read" not in done.err
    assert done.code == (2 if "settings" in name else 0)
    if not done.code:
        assert json.loads(done.out)["counts"]["passed"] >= 1
        page = (tmp_path / "p.html").read_text("utf-8")
        assert "Harb0ur" not in page
    if options:
        heads = (tmp_path / "m.eml").read_text().split("\n\n")[0]
        assert "\nBcc" not in heads
        assert "Fares nightly Bcc: all@desk.test" in heads.replace("\n ", " ")


class BrokenError(RuntimeError):
    pass


def broken(*_, **__):
    raise BrokenError("no such key: berth")


PLACES = {
    "a reader": (JunitWalk, "case", "r.xml could not be read because of a bug of this program (BrokenError: no such key: berth)"),
    "masking": (Masker, "may_hold_secret", "r.xml is left out because it could not be masked"),
    "evidence": (contents, "_content", "shot.txt is evidence that could not be read because of a bug of this program"),
    "masking of evidence": (Masker, "bytes", "could not be masked: it could not be read because of a bug of this program"),
}  # fmt: skip


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize("debug", [False, True])
def test_a_bug_in_one_input_costs_that_input(tool, tmp_path, monkeypatch, place, debug):
    logging.getLogger(guard.LOGGER).handlers.clear()  # of runs before in this process
    where, name, said = PLACES[place]
    monkeypatch.setattr(where, name, broken)
    (tmp_path / "r.xml").write_text(
        GOOD.replace("/></", "><system-out>see shot.txt and b.bin</system-out></testcase></")
    )
    (tmp_path / "g.tap").write_text("1..1\nok 1 - sails\n")
    (tmp_path / "shot.txt").write_text("words")
    (tmp_path / "b.bin").write_bytes(bytes(range(256)) * 9)
    if place == "masking":  # of all others nothing is left
        monkeypatch.setattr(
            Masker, "may_hold_secret", lambda _, things: broken() if "lands" in repr(things) else False
        )
    monkeypatch.setenv("DESK_PASSWORD", "Harb0ur-gate!7")
    done = tool(
        "report", "r.xml", "g.tap", "--evidence", ".", "--json", "--out", "p.html", *(["--debug"] if debug else [])
    )
    summary = json.loads(done.out)
    assert (done.code, summary["verdict"]) == (0, "undecided")
    assert summary["counts"]["passed"] == (2 if "evidence" in place else 1)
    assert said in " ".join(summary["reasons"])
    assert "please report it, with what --debug prints" in done.err
    assert ("Traceback" in done.err and "in broken" in done.err) == debug


def test_a_bug_in_another_process_costs_its_input_as_well(program, tmp_path):
    for at in range(6):
        cases = "".join(f'<testcase name="{at}-{number}"/>' for number in range(25_000))
        (tmp_path / f"{at}.xml").write_text(f'<testsuite name="Quay {at}">{cases}</testsuite>')
    code = "from plain_verdict.readers.junit import walk; real = walk.JunitWalk.case\n"
    code += "def case(self, case, parent):\n    if case.get('name') == '3-7': raise KeyError('berth')\n    real(self, case, parent)\n"
    (tmp_path / "sitecustomize.py").write_text(f"import sys\n{code}walk.JunitWalk.case = case\n")
    done = program("judge", *(f"{at}.xml" for at in range(6)), "--json", env={"PYTHONPATH": str(tmp_path)})
    summary = json.loads(done.out)
    assert summary["counts"]["passed"] == 125_000
    assert summary["verdict"] == "undecided"
    assert "3.xml: could not be read because of a bug" in done.err


def test_what_takes_too_long_is_ended_and_what_does_not_is_let_be(tool, tmp_path, monkeypatch):
    monkeypatch.setattr(readers, "_PATIENCE_S", 0.3)
    monkeypatch.setattr(JunitWalk, "end_suite", lambda *_, **__: [None for at in iter(int, 1)])
    (tmp_path / "r.xml").write_text(GOOD)
    (tmp_path / "g.tap").write_text("1..1\nok 1 - sails\n")
    done = tool("judge", "r.xml", "g.tap", "--json")
    assert json.loads(done.out)["counts"]["passed"] == 1
    assert "takes more than 0 s of processor time to read" in done.err
    with guard.guarded("r.xml", 0.05):
        pass
    for _ in range(10**6):
        pass  # what comes after is not ended


@pytest.mark.parametrize(
    ("error", "raised"),
    [
        (OSError(2, "gone"), OSError),
        (ReadError("x"), ReadError),
        (KeyError("x"), ReadError),
        (MemoryError(), ReadError),
        (RecursionError(), ReadError),
        (KeyboardInterrupt(), KeyboardInterrupt),
    ],
)
def test_which_errors_are_those_of_an_input(error, raised):
    with pytest.raises(raised) as found, guard.guarded("r.xml"):
        raise error
    if raised is ReadError and not isinstance(error, ReadError):
        assert found.value.path == "r.xml"
        assert found.value.hint


def test_a_file_holds_so_many_checks_and_no_more(tmp_path):
    from plain_verdict import ReadOptions, read

    (tmp_path / "r.xml").write_text(GOOD.replace('<testcase name="lands"/>', '<testcase name="a"/>' * 7))
    (tmp_path / "r.tap").write_text("1..7\n" + "ok\n" * 7)
    lines = ['{"what": "record", "version": 1}']
    for at in range(32):
        lines += [
            f'{{"what": "check", "id": "{at}", "name": "{at}"}}',
            f'{{"what": "end", "id": "{at}", "outcome": "passed"}}',
        ]
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(lines))
    for name in ("r.xml", "r.tap", "r.verdict.jsonl"):
        assert not read(tmp_path / name, ReadOptions(limits=Limits(checks=40))).unread
        (lost,) = read(tmp_path / name, ReadOptions(limits=Limits(checks=6))).unread
        assert lost.what == "holds more than 6 checks"


@pytest.mark.parametrize(("most", "whole"), [(100, True), (1, False)])
def test_gzip_unpacks_to_so_many_times_its_size(tool, tmp_path, monkeypatch, most, whole):
    from plain_verdict.inputs import gunzip

    monkeypatch.setattr(gunzip, "FREE_UNPACKED_BYTES", 1_000_000)
    monkeypatch.setattr(gunzip, "MOST_UNPACKED", most)
    rows = "".join(f"{1795312800000 + at},Pay,{at % 9},200\n" for at in range(200_000))
    (tmp_path / "load.csv.gz").write_bytes(gzip.compress(f"started_ms,request,took_ms,status\n{rows}".encode()))
    summary = json.loads(tool("judge", "load.csv.gz", "--json").out)
    assert (summary["load"]["rows"] == 200_000) == whole
    assert ("it unpacks to more than" in " ".join(summary["reasons"])) != whole


# Expressions, what they cut out of a text, and all that they find.
CUT = [
    (r"(\d+)", "a 1 b 22", ["1", "22"]),
    (r"\d+", "a 1 b 22", ["1", "22"]),
    (r"REQ-(\d+)|TKT", "TKT REQ-7", ["TKT", "7"]),
    (r"(x)?(y)?z", "yz z", ["y", "z"]),
    ("(", "", None),
    ("(?P<a", "", None),
    ("q", "a", []),
]


@pytest.mark.parametrize(("text", "given", "found"), CUT)
def test_an_expression_gives_its_first_group_that_took_part(text, given, found):
    if found is None:
        with pytest.raises(ValueError, match="is not a regular expression"):
            Expression(text)
        return
    expression = Expression(text)
    assert list(expression.all_in(given)) == found
    assert expression.cut_out(given) == (found[0] if found else None)
    assert expression.is_in(given) == bool(found)


def test_an_expression_that_is_too_slow_is_stopped_and_many_fast_ones_are_not(monkeypatch):
    slow, text = Expression("(a|aa)+$"), "a" * 60 + "!"
    for search in (
        slow.is_in,
        slow.cut_out,
        lambda given: list(slow.all_in(given)),
        lambda given: slow.replaced(str.upper, given),
    ):
        with pytest.raises(TooSlow):
            search(text)
    assert Expression("(a|aa)+$").is_in("a" * expressions.SEARCHED_CHARS + "!" * 9)
    monkeypatch.setattr(expressions, "_ALL_PATIENCE_S", 0.0)
    fast = Expression("a+")
    assert all(fast.is_in("xaax") for _ in range(2_000))
    with pytest.raises(TooSlow):
        slow.is_in("short")


HALVES = [
    (r'"\ud83d\udea2"', "🚢"),
    (r'"\ud83d"', "\ufffd"),
    (r'"\udea2\ud83d"', "\ufffd\ufffd"),
    (r'"\\ud83d"', r"\ud83d"),
    (r'"\\\ud83d"', "\\\ufffd"),
    (r'"\uD83Dx\uDEA2"', "\ufffdx\ufffd"),
    (r'"\ud83d\ud83d\udea2"', "\ufffd🚢"),
]


@pytest.mark.parametrize(("text", "value"), HALVES)
def test_half_a_pair_becomes_the_sign_for_what_is_no_character(text, value):
    assert decode_json(text.encode()) == value
    assert json.loads(without_halves(text.encode())) == value
    assert decode_json(b'["' + b"\xed\xa0\xbd" + b'", NaN]')[0] == "\ufffd"


YAML = [
    ("a: &x [1, 2]\nb: *x", {"a": [1, 2], "b": [1, 2]}),
    ("a: &x {k: v}\nb: {<<: *x}", {"a": {"k": "v"}, "b": {"k": "v"}}),
    ("a: &x [*x]", None),
    (ALIASES, None),
    ("[" * 5000, None),
    ("", "empty"),
]


@pytest.mark.parametrize(("text", "value"), YAML)
def test_aliases_may_repeat_but_not_multiply(text, value):
    if value is None:
        with pytest.raises(ValueError, match=r"aliases|line|depth|recursion"):
            read_yaml(text, [])
    else:
        assert read_yaml(text, []) == (None if value == "empty" else value)
