"""What runners write, case by case: the XML, and what the page and the summary say of it."""

import io
import json
import random
import subprocess
import sys
from functools import partial
from pathlib import Path

import pytest

from plain_verdict.inputs.source import Source
from plain_verdict.model import Kind
from plain_verdict.readers.interface import Head
from plain_verdict.readers.junit.names import without_run
from plain_verdict.readers.junit.reader import JunitReader, read_by
from plain_verdict.readers.junit.tree import walk_damaged, walk_whole
from plain_verdict.readers.junit.walk import JunitWalk
from plain_verdict.readers.xml.events import XmlFile
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import DEFAULT_LIMITS
from plain_verdict.text.moments import read_duration, read_moment


def suite(inside: str, attributes: str = 'name="Quay"') -> str:
    return f"<testsuite {attributes}>{inside}</testsuite>"


def case(inside: str = "", attributes: str = 'name="sails"') -> str:
    return f"<testcase {attributes}>{inside}</testcase>"


FAILURE = '<failure message="no boat"/>'

# What it proves, the XML, {check: outcome} on the page, texts on the page.
CASES = [
    ("one name twice without a number of cases is two", suite(case() + case()), {"sails": ["passed", "passed"]}, ["1 of 2"]),
    ("cases that hold nothing, and a number that leaves them out", suite(case() + case(), 'tests="1"'), {"sails": "passed"}, ["attempt 2"]),
    ("errored outweighs failed", suite(case('<failure message="late"/><error message="sank"/>')), {"sails": "errored"}, ["late", "sank"]),
    ("failed outweighs skipped", suite(case("<skipped/>" + FAILURE)), {"sails": "failed"}, ["no boat"]),
    ("errored outweighs skipped", suite(case("<error/><skipped/>")), {"sails": "errored"}, ["No reason given."]),
    ("two problems are both shown", suite(case('<failure message="one"/><failure message="two"/>')), {"sails": "failed"}, ["one", "two"]),
    ("message only in the text", suite(case("<failure>first line\nsecond line</failure>")), {"sails": "failed"}, ["first line"]),
    ("type from the message", suite(case('<failure message="FareError: dear"/>')), {"sails": "failed"}, ["of type FareError", "dear"]),
    ("disabled is skipped", suite(case("", 'name="sails" status="disabled"')), {"sails": "skipped"}, ["disabled"]),
    ("not run is skipped", suite(case("", 'name="sails" result="Not Run"')), {"sails": "skipped"}, []),
    ("could not be run is errored", suite(case("", 'name="sails" status="could not be run"')), {"sails": "errored"}, ["could not be run"]),
    ("a skip that could not start is errored", suite(case('<skipped message="Unable to find executable"/>')), {"sails": "errored"}, []),
    ("a status nobody knows is undecided", suite(case("", 'name="sails" status="purple"')), {"sails": "undecided"}, ["purple"]),
    ("a status that failed", suite(case("<system-out>x</system-out>", 'name="sails" status="failed"')), {"sails": "failed"}, []),
    ("an expected failure is not a pass", suite(case('<skipped type="runner.xfail" message="BQ-1"/>')), {"sails": "skipped"}, ["expected to fail: BQ-1"]),
    ("the last of a name counts", suite(case() + case() + case(FAILURE), 'name="Quay" tests="1"'), {"sails": "failed"}, ["attempt 3"]),
    ("failed, then passed", suite(case(FAILURE) + case()), {"sails": ["failed", "passed"]}, ["1 of 2", "2 of 2", "no boat"]),
    ("earlier failures inside a passed case", suite(case('<flakyFailure message="wave"><stackTrace>at sea</stackTrace></flakyFailure>')), {"sails": "passed"}, ["passed on attempt 2", "wave", "at sea"]),
    ("later failures inside a failed case", suite(case(FAILURE + '<rerunFailure message="again"/>')), {"sails": "failed"}, ["attempt 2", "again", "no boat"]),
    ("a tear-down error joins its case", suite(case(FAILURE) + case('<error message="failed on teardown"/>')), {"sails": "errored"}, ["no boat", "failed on teardown"]),
    ("one name at two places is two checks", suite(case("", 'name="sails" file="a.py" line="1"') + case(FAILURE, 'name="sails" file="a.py" line="9"')), {"sails": ["passed", "failed"]}, ["a.py:9"]),
    ("nameless cases stay apart", suite(case("", "") + case(FAILURE, 'name=""')), {"Nameless check": "passed", "Nameless check 2": "failed"}, []),
    ("parameters in the name", suite(case("", 'name="fare[adult-2]"') + case(FAILURE, 'name="fare[child-1]"')), {"fare adult-2": "passed", "fare child-1": "failed"}, []),
    ("line breaks, quotes and direction marks", suite(case("", 'name="a&#10;&quot;b&quot; &#x202E;c"')), {'a "b" c': "passed"}, []),
    ("cases between nested suites", "<testsuites>" + case() + suite(case(FAILURE)) + case("", 'name="lands"') + "</testsuites>", {"sails": ["passed", "failed"], "lands": "passed"}, ["Outside any suite"]),
    ("suites four levels deep", suite(suite(suite(suite(case(), 'name="D" tests="1"'), 'name="C" tests="1"'), 'name="B" tests="1"'), 'name="A" tests="1"'), {"sails": "passed"}, ["A › B › C › D"]),
    ("elements nobody documented", suite(case("<weather><wind>9 knots</wind></weather>")), {"sails": "passed"}, ["weather", "9 knots"]),
    ("a suite that fails by itself", suite(case() + '<error message="no harbour"/>'), {"The suite itself": "errored", "sails": "passed"}, ["no harbour"]),
    ("properties and output everywhere", suite(case('<properties><property name="deck" value="2"/></properties>') + "<properties><property name='build'>77</property></properties><system-err>suite said</system-err>"), {"sails": "passed"}, ["deck", "Build", "77", "suite said"]),
    ("colour codes", suite(case("<failure>&#27;[31mred\x1b[0m #x1B[1mbold#x1B[0m \x1b]8;;http://x\x07link\x1b]8;;\x07 be\x07ll</failure>")), {"sails": "failed"}, ["red bold link be␇ll"]),
    ("illegal references", suite(case('<failure message="a&#0;b&#xFFFF;c&#27;"/>')), {"sails": "failed"}, ["a␀b\ufffdc␛"]),
    ("unescaped markup", suite(case("<failure>1 < 2 & 3 &nbsp; &foo; <![CDATA[4 < 5 & &#27;[1m6]]></failure>") + case("", 'name="lands"')), {"sails": "failed", "lands": "passed"}, ["1 < 2 & 3 \xa0 &foo; 4 < 5 & 6"]),
    ("a namespace", '<j:testsuite xmlns:j="urn:x" name="Quay"><j:testcase name="sails"><j:failure message="no boat"/></j:testcase></j:testsuite>', {"sails": "failed"}, ["no boat"]),
    ("expected and actual", suite(case('<failure message="expected: &lt;418&gt; but was: &lt;481&gt;"/>')), {"sails": "failed"}, ["expected418", "actual481"]),
    ("a long text keeps head and tail", suite(case("<failure>" + "head\n" * 9000 + "tail\n" * 9000 + "</failure>")), {"sails": "failed"}, ["characters left out here", "lines between"]),
]  # fmt: skip


@pytest.mark.parametrize(("xml", "outcomes", "texts"), [row[1:] for row in CASES], ids=[row[0] for row in CASES])
def test_what_runners_write(xml, outcomes, texts, checks_of, tmp_path):
    (tmp_path / "r.xml").write_text(xml, "utf-8", newline="")
    found = checks_of("r.xml")
    on_page: dict = {}
    for check in found.checks:
        on_page.setdefault(check.name, []).append(check.outcome)
    wanted = {name: value if isinstance(value, list) else [value] for name, value in outcomes.items()}
    assert {name: sorted(values) for name, values in on_page.items()} == {n: sorted(v) for n, v in wanted.items()}
    for text in texts:
        assert text in found.page.text_content()
    assert len({check.id for check in found.checks}) == len(found.checks)


ENCODINGS = [
    ("utf-8 with a mark", "utf-8-sig", ""),
    ("utf-16 with a mark", "utf-16", "UTF-16"),
    ("utf-16 without a mark", "utf-16-le", "utf-16"),
    ("latin-1 as declared", "latin-1", "ISO-8859-1"),
    ("latin-1, declared as utf-8", "latin-1", "utf-8"),
    ("windows-1252, not declared", "cp1252", ""),
    ("an encoding that is none", "utf-8", "rot13"),
]


@pytest.mark.parametrize(
    ("encoding", "declared"), [row[1:] for row in ENCODINGS], ids=[row[0] for row in ENCODINGS]
)
def test_every_encoding_is_read(encoding, declared, checks_of, tmp_path):
    declaration = f'<?xml version="1.0" encoding="{declared}"?>' if declared else ""
    # Long enough for several chunks, so that characters stand across their ends.
    text = declaration + suite("".join(case("", f'name="{"ö" * 200} {number}"') for number in range(700)))
    (tmp_path / "r.xml").write_bytes(text.encode(encoding))
    found = checks_of("r.xml")
    assert found.summary["counts"]["passed"] == 700
    assert found.checks[699].name == f"{'ö' * 200} 699"


TIMES = [
    ("1.5", 1.5),
    ("", None),
    ("  ", None),
    ("1,234.56", 1234.56),
    ("1.234,56", 1234.56),
    ("0,532", 0.532),
    ("1,234,567", 1234567),
    ("1 234,5", 1234.5),
    ("1\u00a0234.5", 1234.5),
    ("12 ms", 0.012),
    ("3s", 3),
    ("-1", None),
    ("nan", None),
    ("inf", None),
    ("soon", None),
    ("1e3", 1000),
]  # fmt: skip


@pytest.mark.parametrize(("text", "seconds"), TIMES)
def test_durations(text, seconds):
    assert read_duration(text) == (pytest.approx(seconds) if seconds is not None else None)


@pytest.mark.parametrize(
    ("text", "iso"),
    [
        ("2026-11-22T02:10:04", "2026-11-22T02:10:04"),
        ("2026-11-22T02:10:04Z", "2026-11-22T02:10:04+00:00"),
        ("2026-11-22T02:10:04.5+01:00", "2026-11-22T02:10:04.500000+01:00"),
        ("1795312800", "2026-11-22T02:00:00+00:00"),
        ("1795312800000", "2026-11-22T02:00:00+00:00"),
        ("1970-01-01T00:00:00", None),
        ("yesterday", None),
    ],
)
def test_moments(text, iso):
    moment = read_moment(text)
    assert (moment.isoformat() if moment else None) == iso


NOTES = [
    ("counts that disagree", suite(case(), 'name="Quay" tests="5" failures="2"'), "announces 5 checks and 2 failed or errored, but holds 1 and 0; results may be missing", "undecided"),
    ("no checks at all", "<testsuites/>", "holds no checks", "undecided"),
    ("nothing but an opening tag", "<testsuites>", "is truncated: no whole check could be read (it ends at line 1)", "undecided"),
    ("cut in the middle", suite(case() + case("", 'name="lands"'), 'tests="3"')[:-20], "1 whole check could be read, 3 were announced", "undecided"),
    ("tags that do not match", suite(case() + "<testcase name='lands'></wrong></testcase>" + case()), "is not well-formed XML", "undecided"),
    ("two documents in one file", suite(case()) * 2, "is not well-formed XML", "undecided"),
    ("control characters", suite(case("<system-out>\x07</system-out>")), "control characters", "fit"),
    ("a time that is none", suite(case("", 'name="sails" time="soon"')), "1 time that can't be read (“soon”)", "fit"),
]  # fmt: skip


@pytest.mark.parametrize(("xml", "note", "verdict"), [row[1:] for row in NOTES], ids=[row[0] for row in NOTES])
def test_what_is_odd_is_noted(xml, note, verdict, checks_of, tmp_path):
    (tmp_path / "r.xml").write_text(xml, "utf-8")
    found = checks_of("r.xml")
    assert any(note in text for text in found.summary["files"][0]["notes"]), found.summary["files"][0]["notes"]
    assert note in found.page.text_content()
    assert found.summary["verdict"] == verdict


def test_cutting_a_file_anywhere_keeps_every_whole_check_and_never_reads_as_fit(tool, tmp_path):
    whole = suite("".join(case("<system-out>é &#27;</system-out>", f'name="sails {n}"') for n in range(6))).encode()
    for end in range(len("<testsuite "), len(whole)):
        (tmp_path / "r.xml").write_bytes(whole[:end])
        summary = json.loads(tool("inspect", "r.xml", "--json").out)
        assert summary["counts"]["passed"] == whole[:end].count(b"</testcase>")
        assert summary["verdict"] == "undecided"


def test_ids_depend_on_what_a_check_is_and_not_on_where_it_stands(checks_of, tmp_path):
    one = suite(case("", 'name="a"') + case("", 'name="b[1]"'))
    other = suite(case("", 'name="new"') + case(FAILURE, 'name="b[1]" time="9"')) + ""
    (tmp_path / "one.xml").write_text(one)
    (tmp_path / "other.xml").write_text(other)
    first = {check.name: check.id for check in checks_of("one.xml").checks}
    second = {check.name: check.id for check in checks_of("other.xml").checks}
    assert first["b 1"] == second["b 1"]
    both = checks_of("one.xml", "other.xml")
    assert sorted(check.outcome for check in both.checks if check.name == "b 1") == ["failed", "passed"]
    assert len({check.id for check in both.checks}) == 4


@pytest.mark.slow
def test_memory_grows_with_what_is_kept_and_not_with_the_file(tmp_path):
    path = tmp_path / "big.xml"
    with path.open("w") as file:
        file.write('<testsuite name="Quay">')
        for number in range(12):
            file.write(case(f"<system-out>{'wave after wave, ' * 1_000_000}</system-out>", f'name="n{number}"'))
        file.write("</testsuite>")
    code = (
        "import sys; from plain_verdict.cli import main; main(sys.argv[1:]);"
        "print(next(line.split()[1] for line in open('/proc/self/status') if line.startswith('VmHWM')))"
    )
    command = [sys.executable, "-c", code, "inspect", "big.xml"]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=True)
    assert "12 passed" in done.stdout
    assert path.stat().st_size > 190_000_000
    assert int(done.stdout.split()[-1]) < 150_000  # KiB


@pytest.mark.parametrize(
    ("name", "left"),
    [
        ("test_u.A-20261125110525", "test_u.A"),
        ("order-20269925110525", "order-20269925110525"),  # no such month
        ("/home/ci/build/desk/src/seats/map.spec.js", "src/seats/map.spec.js"),
        ("C:\\\\ci\\\\build\\\\desk\\\\seats\\\\map.test.ts".replace("\\\\", "\\"), "desk/seats/map.test.ts"),
        ("/api/seats", "/api/seats"),
    ],
)
def test_a_suites_name_without_what_differs_from_run_to_run(name, left):
    assert without_run(name) == left


BITS = [b"<!-- x -->", b"<?x y?>", b"&amp;lt;", b"&#38;", b"<![CDATA[<&]]>", b"<x>z</x>", b"<testcase name='i'>o</testcase>", b"<failure message='m'>d<x>e</x></failure>", b"text", b"<testSuite name='s'/>"]  # fmt: skip


def test_a_file_reads_the_same_with_a_tree_and_without_one():
    rng = random.Random(18)
    whole = 0
    for example in sorted((Path(__file__).parents[1] / "examples" / "junit" / "good").rglob("*.xml")):
        data = example.read_bytes()
        places = [at for at, byte in enumerate(data) if byte in b"<>"] or [0]
        for _ in range(100):
            at, bit = rng.choice(places) + rng.randrange(2), rng.choice(BITS)
            source = Source("a.xml", partial(io.BytesIO, data[:at] + bit + data[at:]), 1)
            file, without = read_by(walk_whole, source, DEFAULT_LIMITS)
            if file.whole and not file.fault and JunitReader().recognises(Head(data)):
                assert repr(without) == repr(read_by(walk_damaged, source, DEFAULT_LIMITS)[1]), (example, at, bit)
                whole += 1
    assert whole > 300


@pytest.mark.parametrize("depth", [1500, 100_000])
@pytest.mark.parametrize("inside", ["<failure message='m'>{}</failure>", "<system-out>{}<failure/></system-out>", "</testcase><testcase><x>{}</x>", "</testcase><testsuite name='q'>{}</testsuite><testcase>"])  # fmt: skip
def test_elements_of_any_depth_end_nothing(inside, depth, program, tmp_path):
    deep = "<x>" * depth + "deep" + "</x>" * depth
    (tmp_path / "deep.xml").write_text(suite(case(inside.format(deep)) + f"<properties>{deep}</properties>"))
    (tmp_path / "good.xml").write_text(suite(case(FAILURE)))
    done = program("judge", "deep.xml", "good.xml")
    assert "no boat" in done.out
    assert "bug" not in done.err
    assert ("Excessive depth" in done.err) == (depth > 2000)


def test_a_dtd_is_refused_wherever_it_stands():
    file = XmlFile(io.BytesIO(b'<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><testsuite name="&b;"/>'))
    with pytest.raises(ReadError, match="has a DOCTYPE, which is refused"):
        walk_whole(file, JunitWalk(DEFAULT_LIMITS, Kind.FUNCTIONAL))
