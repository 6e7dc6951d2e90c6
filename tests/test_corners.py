"""Bounds, orders and precedences, each of which a small slip in the code would change without any other test failing."""

import email
import email.policy
import json
import re
import subprocess
from datetime import date, datetime
from importlib import metadata
from types import SimpleNamespace

import pytest
from lxml import html

from plain_verdict import ReadOptions, read
from plain_verdict.history.digest import unpack
from plain_verdict.judging import judge
from plain_verdict.judging.causes import find_causes
from plain_verdict.model import Attempt, Check, Fact, Kind, Outcome, Problem, ResultFile, Run, State, Step
from plain_verdict.report.variants import make_variant_grids
from plain_verdict.settings.rules import CauseRule, ConditionRule, Match, Rules, Scope
from plain_verdict.text import installation
from plain_verdict.text.page_text import page_text
from plain_verdict.writers.html.blocks import ID_HOLE, Shortening, make_blocks

F, E, P = Outcome.FAILED, Outcome.ERRORED, Outcome.PASSED
TODAY = date(2026, 11, 22)
GOOD = '<testsuite name="Quay"><testcase name="sails"/></testsuite>'
BAD = '<testsuite name="Quay"><testcase name="sinks"><failure message="water"/></testcase></testsuite>'
CUT = '<testsuite name="Quay"><testcase name="sails"/>'


def check(number, outcome=P, **more):
    attempts = more.pop("attempts", None) or (Attempt(outcome, problems=more.pop("problems", ())),)
    about = {"kind": Kind.FUNCTIONAL, "suite": ("Quay",), "name": f"sails {number}", **more}
    return Check(f"c-{number}", attempts=attempts, **about)


def run_of(*checks):
    return Run((ResultFile("r.xml", "junit-xml", 1, checks),))


@pytest.mark.parametrize(
    ("arguments", "code"),
    [
        (["judge", "cut.xml"], 1),  # undecided is not fit
        (["report", "cut.xml", "bad.xml", "--enforce", "--strict"], 1),  # the verdict comes first
        (["report", "cut.xml", "--strict"], 4),
        (["report", "good.xml", "old.xml", "--newer-than", "2026-11-20", "--strict"], 0),  # left out as asked for
        (["inspect", "gone.xml"], 3),
        (["inspect", "good.xml"], 0),
        (["report", "good.xml", "bad.xml", "--expect-files", "1"], 0),
    ],
)
def test_which_exit_code_comes_first(arguments, code, tool, tmp_path):
    old = GOOD.replace("<testsuite ", '<testsuite timestamp="2026-11-01T00:00:00Z" ')
    for name, text in (("good", GOOD), ("bad", BAD), ("cut", CUT), ("old", old)):
        (tmp_path / f"{name}.xml").write_text(text)
    assert tool(*arguments).code == code


LINK = "https://quay.test/\1\0\x1b[31mberth"
SARIF = {"version": "2.1.0", "runs": [{
    "tool": {"driver": {"name": "lint", "rules": [{"id": "Q1", "helpUri": LINK, "relationships": [{"target": {"id": "W9", "index": 0, "toolComponent": {"name": "W"}}}]}]}},
    "taxonomies": [{"name": "W", "taxa": [{"id": "W9", "helpUri": LINK}]}],
    "results": [{"ruleId": "Q1", "message": {"text": "no rope"}}],
}]}  # fmt: skip
EARL = {"@context": {"earl": "http://www.w3.org/ns/earl#"}, "@graph": [{"@type": "earl:Assertion", "earl:subject": {"@id": "https://quay.test/"}, "earl:test": {"@id": LINK}, "earl:result": {"@type": "earl:TestResult", "earl:outcome": {"@id": "earl:failed"}}}]}  # fmt: skip
RECORD = [{"what": "record", "version": 1}, {"what": "check", "id": "1", "name": "sails", "links": {"berth": LINK}}, {"what": "end", "id": "1", "outcome": "failed"}]  # fmt: skip


@pytest.mark.parametrize(
    ("name", "content", "shown"),
    [
        ("r.sarif", json.dumps(SARIF), 4),
        ("r.jsonld", json.dumps(EARL), 2),
        ("r.verdict.jsonl", "".join(json.dumps(line) + "\n" for line in RECORD), 2),
        (
            "r.tap",
            "TAP version 13\n1..1\nnot ok 1 - sails\n  ---\n  expected: 3\n  actual: 4\1\0\x1b[31mberth\n  ...\n",
            1,
        ),
    ],
)
def test_no_control_character_of_a_file_is_on_a_page(name, content, shown, tool, tmp_path):
    """A NUL would even part the text of a folded check, and show that of another below its name."""
    (tmp_path / name).write_text(content)
    options = (
        "--fact",
        "subject=\1Fix\nthe rope",
        "--build",
        "7\1",
        "--description",
        "Sea\1 trial",
        "--title",
        "Quay\1",
    )
    (tmp_path / "s.toml").write_text('[brand]\norganisation = "Brindle\\u0001"\nfooter = "Quay\\u0000 1"\n')
    tool("report", name, *options, "--config", "s.toml", "--out", "p.html", "--markdown", "p.md")
    page = (tmp_path / "p.html").read_text()
    assert not re.search("[\0-\x08\x0b\x0c\x0e-\x1f\x7f]", page + (tmp_path / "p.md").read_text())
    assert "Fix the rope" in page
    assert page.count("\u2401\u2400berth") >= shown


SETTINGS = """
[facts]
"har\\u0001bour" = "Nor\\u0000th"
[[cause]]
name = "Wa\\u0003ter"
match = { message = "/water/" }
advice = "pum\\u0004p"
owner = "cr\\u0006ew"
[[waiver]]
match = { check = "leaks" }
reason = "dr\\u0005y dock"
who = "ka\\u001bri"
until = 2026-12-24
[[condition]]
name = "lea\\u0007ks"
reason = "dr\\u0001y"
measure = "failed"
at_most = 0
"""


def test_no_control_character_of_the_settings_is_in_an_output_or_ends_the_run(tool, tmp_path):
    """XML takes none, so that the JUnit output could not be written."""
    (tmp_path / "s.toml").write_text(SETTINGS)
    (tmp_path / "r.xml").write_text(f"<testsuites>{BAD}{BAD.replace('sinks', 'leaks')}</testsuites>")
    outputs = ("--markdown", "p.md", "--junit", "j.xml", "--tables", "t", "--mail", "p.eml")
    done = tool("report", "r.xml", "--config", "s.toml", "--out", "p.html", *outputs)
    mail = email.message_from_bytes((tmp_path / "p.eml").read_bytes(), policy=email.policy.default)
    texts = [part.get_content() for part in mail.walk() if part.get_content_maintype() == "text"]
    texts += [path.read_text() for name in ("p.*l", "p.md", "j.xml", "t/*") for path in tmp_path.glob(name)]
    assert not re.search("[\0-\x08\x0b\x0c\x0e-\x1f\x7f]", "".join((*texts, done.out)))
    assert "Wa\u2403ter" in (tmp_path / "j.xml").read_text()


@pytest.mark.parametrize("beside", ["", "é", "\u20ac"])
def test_each_control_character_of_a_page_becomes_its_picture(beside):
    found = page_text("".join(map(chr, range(0x20))) + "\x7f~" + beside)
    pictures = "".join(chr(number) if chr(number) in "\t\n\r" else chr(0x2400 + number) for number in range(0x20))
    assert found == f"{pictures}\u2421~{beside}"


def test_a_control_character_in_a_folded_check_moves_no_other():
    """Whatever a reader, or an extension, lets through."""
    checks = [check(number) for number in range(3)]
    ((_, packed),) = make_blocks(checks, 0, lambda one: f'<i id="{one.id}">\0\1</i>', Shortening(False, False))
    assert unpack(packed.encode()).decode().split("\0") == [f'<i id="{ID_HOLE}">\u2400\u2401</i>'] * 3


def test_more_files_than_expected_are_welcome(tool, tmp_path):
    for name in "abc":
        (tmp_path / f"{name}.xml").write_text(GOOD.replace("sails", name))
    assert (
        json.loads(tool("judge", "a.xml", "b.xml", "c.xml", "--expect-files", "2", "--json").out)["verdict"]
        == "fit"
    )


@pytest.mark.parametrize(("hours", "noted"), [(12, False), (13, True)])
def test_results_are_stale_past_the_limit_and_not_at_it(hours, noted, tool, tmp_path):
    for name, hour in (("a", 0), ("b", hours)):
        stamp = f"2026-11-21T{hour:02}:00:00Z"
        (tmp_path / f"{name}.xml").write_text(
            f'<testsuite timestamp="{stamp}"><testcase name="{name}"/></testsuite>'
        )
    assert ("older than the newest" in tool("judge", "a.xml", "b.xml").err) == noted


def test_a_folder_whose_name_only_begins_alike_is_no_evidence_root(tool, tmp_path):
    (tmp_path / "in").mkdir()
    (tmp_path / "in-private").mkdir()
    (tmp_path / "in-private" / "key.txt").write_text("harbour gate code")
    lines = [
        {"what": "record", "version": 1},
        {"what": "check", "id": "c", "name": "sails"},
        {"what": "evidence", "in": "c", "path": "../in-private/key.txt"},
        {"what": "end", "id": "c", "outcome": "passed"},
    ]
    (tmp_path / "in" / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    tool("report", "in")
    page = (tmp_path / "verdict.html").read_text("utf-8")
    assert "harbour gate code" not in page
    assert "is outside the folders that were named" in page


def test_evidence_that_a_check_names_is_not_found_a_second_time(tool, tmp_path):
    (tmp_path / "shots").mkdir()
    (tmp_path / "shots" / "sails.txt").write_text("what the sailor saw")
    lines = [
        {"what": "record", "version": 1},
        {"what": "check", "id": "c", "name": "sails"},
        {"what": "evidence", "in": "c", "path": "shots/sails.txt"},
        {"what": "end", "id": "c", "outcome": "passed"},
    ]
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    done = tool("report", "r.verdict.jsonl", "--evidence", "shots", "--json", "--detail")
    assert len(json.loads(done.out)["checks"][0]["evidence"]) == 1


def test_evidence_of_an_earlier_go_is_found_from_its_own_folder(tool, tmp_path):
    for go, outcome in (("first", "failed"), ("second", "passed")):
        (tmp_path / go).mkdir()
        (tmp_path / go / "seen.txt").write_text(f"seen in the {go} go")
        lines = [
            {"what": "record", "version": 1},
            {"what": "check", "id": "c", "name": "sails"},
            {"what": "evidence", "in": "c", "path": "seen.txt"},
            {"what": "end", "id": "c", "outcome": outcome},
        ]
        (tmp_path / go / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    assert tool("report", "first", "--retry", "second").code == 0
    page = (tmp_path / "verdict.html").read_text("utf-8")
    assert "seen in the first go" in page
    assert "seen in the second go" in page
    assert page.index("seen in the second go") < page.index("seen in the first go")  # the last one counts


def test_a_waivers_words_are_text(tool, tmp_path):
    (tmp_path / "r.xml").write_text(BAD)
    toml = '[[waiver]]\nreason = "<b id=w>known</b>"\nuntil = 2026-12-24\nmatch = { check = "sinks" }\n'
    (tmp_path / "plain-verdict.toml").write_text(toml)
    tool("report", "r.xml")
    assert not html.fromstring((tmp_path / "verdict.html").read_text("utf-8")).cssselect("#w")


def test_rules_see_the_problems_of_steps():
    step = Step("pay", F, problems=(Problem(F, message="the till is shut"),))
    failing = check(1, attempts=(Attempt(F, steps=(Step("around", P, steps=(step,)),)),))
    rules = [CauseRule(name="Till", match=Match(message="till is shut"))]
    assert [cause.name for cause in find_causes(run_of(failing), rules)[0]] == ["Till"]


def test_a_cause_is_that_of_the_gravest_problem():
    both = check(1, E, problems=(Problem(F, message="a seat was taken twice today"), Problem(E, message="the harbour office did not answer")))  # fmt: skip
    assert [cause.name for cause in find_causes(run_of(both), ())[0]] == ["the harbour office did not answer"]


@pytest.mark.parametrize("first", [F, E])
def test_whatever_went_before_a_pass_makes_it_flaky(first):
    assert check(1, attempts=(Attempt(first), Attempt(P))).flaky
    assert not check(1, attempts=(Attempt(P), Attempt(P))).flaky


def test_a_condition_looks_at_its_kind_only():
    checks = (check(1, F), check(2, P, kind=Kind.API))
    for kind, state in ((Kind.FUNCTIONAL, State.NOT_MET), (Kind.API, State.MET)):
        rules = Rules(conditions=(ConditionRule(measure="failed", at_most=0, scope=Scope(kind=kind)),))
        own = [one for one in judge(run_of(*checks), rules, TODAY).conditions if "of kind" in one.words]
        assert [one.state for one in own] == [state]


@pytest.mark.parametrize(("alike", "others", "said"), [(2, 4, True), (2, 5, False), (3, 6, True)])
def test_a_cause_is_in_the_sentence_from_a_third_on(alike, others, said):
    words = "no boat fits this berth", "tide tables are a year old", "seat maps lack an upper deck", "gulls took every sandwich left", "ropes were wound from rotten hemp", "anchors rest beneath deep silt"  # fmt: skip
    checks = [check(n, F, problems=(Problem(F, message="the fare service never answered"),)) for n in range(alike)]
    checks += [check(9 + n, F, problems=(Problem(F, message=words[n]),)) for n in range(others)]
    assert ("of them with" in judge(run_of(*checks, check(99)), Rules(), TODAY).sentence) == said


def test_a_tear_down_error_joins_its_own_case_only(checks_of, tmp_path):
    error = '<error message="failed on teardown"/>'
    (tmp_path / "r.xml").write_text(
        f'<testsuite><testcase name="a"/><testcase name="b">{error}</testcase></testsuite>'
    )
    assert {one.name: one.outcome for one in checks_of("r.xml").checks} == {"a": "passed", "b": "errored"}


def test_facts_are_limited_kept_past_the_twelfth_and_suites_that_failed_come_first(checks_of, tmp_path):
    facts = "".join(f'<property name="fact {n}" value="value-{n}"/>' for n in range(300))
    suites = f'<testsuite name="A"><testcase name="x"/></testsuite>{BAD.replace("Quay", "Z")}'
    (tmp_path / "r.xml").write_text(f"<testsuites><properties>{facts}</properties>{suites}</testsuites>")
    found = checks_of("r.xml")
    text = found.page.text_content()
    assert "value-150" in text  # past the twelfth
    assert "value-250" not in text  # past the limit
    assert [one.suite for one in found.checks] == ["Z", "A"]


def test_a_grid_counts_the_rows_that_it_does_not_show():
    checks = [
        check(f"{n}-{browser}", F if browser == "firefox" else P, name=f"n{n}", variant=(Fact("browser", browser),))
        for n in range(43)
        for browser in ("firefox", "chromium")
    ]
    (grid,) = make_variant_grids(run_of(*checks))
    assert (len(grid.rows), grid.hidden_rows) == (40, 3)


def test_a_grid_shows_the_gravest_of_one_name():
    checks = [check(n, outcome, name="n", variant=(Fact("browser", b),)) for n, (b, outcome) in enumerate((("a", F), ("a", P), ("b", P)))]  # fmt: skip
    assert [cell.outcome for cell in make_variant_grids(run_of(*checks))[0].rows[0][1]] == [F, P]


def test_a_mail_counts_the_checks_that_it_does_not_name_and_attaches_what_fits(tool, tmp_path):
    cases = "".join(
        f'<testcase name="c{n}"><failure message="no boat fits this berth"/></testcase>' for n in range(14)
    )
    (tmp_path / "r.xml").write_text(f"<testsuite>{cases}<system-out>{'wave ' * 9000}</system-out></testsuite>")
    for limit, attached in (("25MB", True), ("100kB", False)):
        tool("report", "r.xml", "--mail", "m.eml", "--overwrite", "--size-limit", limit)
        size = (tmp_path / "verdict.html").stat().st_size
        message = email.message_from_bytes((tmp_path / "m.eml").read_bytes(), policy=email.policy.default)
        assert "and 4 more" in message.get_body(("plain",)).get_content()
        assert (len(list(message.iter_attachments())) == 1) == attached == (size * 1.37 < float(limit[:-2]) * (1e6 if "M" in limit else 1e3))  # fmt: skip


def test_settings_stop_at_the_repositorys_root_and_name_the_mail_beside_them(tool, tmp_path, monkeypatch):
    (tmp_path / "plain-verdict.toml").write_text('[report]\ntitle = "of the parent"\n')
    inner = tmp_path / "repo" / "deep"
    inner.mkdir(parents=True)
    (inner / "r.xml").write_text(GOOD)
    (tmp_path / "repo" / ".git").mkdir()
    monkeypatch.chdir(inner)
    assert json.loads(tool("report", "r.xml", "--json").out)["title"] != "of the parent"
    (tmp_path / "repo" / "plain-verdict.toml").write_text('[mail]\nfile = "digest.eml"\n')
    tool("report", "r.xml", "--overwrite")
    assert (tmp_path / "repo" / "digest.eml").exists()


def test_times_without_a_zone_stay_and_judge_uses_the_zone_of_the_settings(tool, tmp_path):
    from plain_verdict.merging.time_zones import in_zone, read_zone

    naive = datetime.fromisoformat("2026-11-22T02:10:00")
    file = ResultFile("r.xml", "junit-xml", 1, (), started=naive)
    assert in_zone(Run((file,)), read_zone("Asia/Tokyo")).files[0].started == naive
    # 02:00 UTC is the day before in Honolulu, when the waiver still holds.
    waiver = '[[waiver]]\nreason = "w"\nuntil = 2026-11-21\nmatch = { check = "sinks" }\n'
    (tmp_path / "r.xml").write_text(BAD)
    for zone, code in (("UTC", 1), ("Pacific/Honolulu", 0)):
        (tmp_path / "plain-verdict.toml").write_text(f'[report]\ntime_zone = "{zone}"\n{waiver}')
        assert tool("judge", "r.xml").code == code


def test_a_moment_near_the_end_of_the_calendar_is_no_moment(tool, tmp_path):
    stamp = 'timestamp="9999-12-31T23:59:59" time="86400"'
    (tmp_path / "a.xml").write_text(f'<testsuite {stamp}><testcase name="a" {stamp}/></testsuite>')
    lines = [
        {"what": "check", "id": "c", "name": "b", "at": at} for at in (253402300799, "9999-12-31T23:59:59+00:00")
    ]
    text = "\n".join(json.dumps({**line, "id": f"c{n}", "name": f"b{n}"}) for n, line in enumerate(lines))
    (tmp_path / "b.verdict.jsonl").write_text('{"what": "record", "version": 1}\n' + text)
    for zone in ("Pacific/Kiritimati", "UTC"):
        done = tool("report", "a.xml", "b.verdict.jsonl", "--time-zone", zone, "--overwrite")
        assert (done.code, "bug" in done.err) == (0, False)


@pytest.mark.parametrize("took_s", ["1e9", "1e20", "1.7e308"])
def test_a_duration_that_nothing_takes_is_unknown(took_s, tool, tmp_path):
    lines = ['{"what": "record", "version": 1}']
    for number in range(2):
        lines.append(f'{{"what": "check", "id": "c{number}", "name": "b{number}", "at": 1795312800}}')
        lines.append(f'{{"what": "end", "id": "c{number}", "outcome": "passed", "took_s": {took_s}}}')
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(lines))
    done = tool("report", "r.verdict.jsonl", "--json", "--detail")
    assert done.code == 0, done.err
    assert [check["took_s"] for check in json.loads(done.out)["checks"]] == [None, None]


def test_archives_share_one_limit(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    import zipfile

    from plain_verdict.settings.limits import Limits

    for name in "ab":
        with zipfile.ZipFile(tmp_path / f"{name}.zip", "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("r.xml", GOOD.replace("sails", name) + " " * 60_000)
    run = read(["a.zip", "b.zip"], ReadOptions(limits=Limits(archive_bytes=100_000)))
    assert [file.path for file in run.files] == ["a.zip/r.xml"]
    assert "with the archives before it, to more than 100 kB" in run.unread[0].what


def test_the_page_is_the_same_whoever_makes_it_and_wherever(tmp_path, program):
    (tmp_path / "r.xml").write_text(BAD.replace("water", "in /home/kari/desk/pay.py and /root/x/y.py"))
    pages = []
    for home in ("/home/kari", "/nowhere"):
        assert program("report", "r.xml", "--overwrite", "--no-git", env={"HOME": home}).code == 0
        pages.append((tmp_path / "verdict.html").read_bytes())
    assert pages[0] == pages[1]
    assert b"kari" not in pages[0]
    done = subprocess.run(["/bin/sh", "-c", f"cd / && {json.dumps(__import__('sys').executable)} -m plain_verdict judge {tmp_path}/r.xml --json"], capture_output=True, text=True, check=False)  # fmt: skip
    assert json.loads(done.stdout)["files"][0]["path"] == f"{tmp_path.name}/r.xml"


def test_no_control_character_past_ascii_and_no_noncharacter_is_on_a_page(tool, tmp_path):
    (tmp_path / "r.xml").write_text(
        "<testsuite><testcase name='a&#x85;b&#x9f;c&#xFDD0;d&#x1FFFE;e'/></testsuite>", "utf-8"
    )
    tool("report", "r.xml", "--title", "t\x85\ufdd1")
    assert not re.search(
        "[\x80-\x9f\ufdd0-\ufdef\ufffe\uffff\U0001fffe]", (tmp_path / "verdict.html").read_text("utf-8")
    )


def test_nothing_that_a_record_can_tell_of_a_passed_check_is_lost_on_the_page(tool, tmp_path):
    about = {"requirements": ["REQ-7"], "links": {"ticket": "https://t.test/7"}, "worker": "crane 4"}
    lines = [
        {"what": "record", "version": 1},
        {"what": "check", "id": "c", "name": "sails", **about},
        {"what": "end", "id": "c", "outcome": "passed"},
        {"what": "check", "id": "d", "name": "sinks"},
        {"what": "step", "id": "s", "in": "d", "name": "pay"},
        {"what": "end", "id": "s", "outcome": "failed", "problems": [{"message": "m", "expected": "four berths", "actual": "five berths", "detail": "deep in the hold"}]},
        {"what": "end", "id": "d", "outcome": "failed", "problems": [{"message": "n", "expected": "nine lights"}]},
        {"what": "check", "id": "e", "name": "waits"},
        {"what": "end", "id": "e", "outcome": "failed", "problems": [{"message": "o", "actual": "ten lights"}]},
    ]  # fmt: skip
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    tool("report", "r.verdict.jsonl")
    text = html.fromstring((tmp_path / "verdict.html").read_text("utf-8")).text_content()
    for part in (
        "REQ-7",
        "https://t.test/7",
        "crane 4",
        "four berths",
        "five berths",
        "deep in the hold",
        "nine lights",
        "ten lights",
    ):
        assert part in text, part


@pytest.mark.parametrize("outcomes", [("failed", "passed"), ("passed", "failed")])
def test_of_two_ends_the_graver_counts(outcomes, tool, tmp_path):
    lines = [{"what": "record", "version": 1}, {"what": "check", "id": "c", "name": "sails"}]
    lines += [{"what": "end", "id": "c", "outcome": outcome} for outcome in outcomes]
    (tmp_path / "r.verdict.jsonl").write_text("\n".join(map(json.dumps, lines)))
    assert json.loads(tool("judge", "r.verdict.jsonl", "--json").out)["counts"]["failed"] == 1


def test_what_is_asked_for_and_not_there_is_noted(tool, tmp_path, trusted):
    (tmp_path / "r.xml").write_text(GOOD)
    scope = '[[condition]]\nmeasure = "failed"\nat_most = 1\nscope = { suite = "Nowhere" }\n'
    (tmp_path / "plain-verdict.toml").write_text(f'[facts_from_environment]\nbuild = "NO_SUCH_VARIABLE"\n{scope}')
    done = tool("report", "r.xml", "--out", "v-{fact:desk}.html")
    assert "The environment variable NO_SUCH_VARIABLE is not set, so the fact “build” is missing." in done.err
    assert "The condition “failed” covers no check: none is in Nowhere." in done.err
    assert "no fact “desk” is known" in done.err
    assert (tmp_path / "v-unknown.html").exists()


def test_only_a_page_of_this_tool_is_ever_written_over(tool, tmp_path):
    (tmp_path / "r.xml").write_text(GOOD)
    for arguments in (["--out", "r.xml", "--overwrite"], ["--mail", "r.eml"]):
        (tmp_path / "r.eml").write_text("From: somebody else")
        done = tool("report", "r.xml", *arguments)
        assert (done.code, "exists and was not written by this program" in done.err) == (2, True)
    assert (tmp_path / "r.xml").read_text() == GOOD
    # A number that was given once is not given again.
    pages = [json.loads(tool("report", "r.xml", "--json").out)["page"].rpartition("/")[2] for _ in range(3)]
    (tmp_path / "verdict.html").unlink()
    pages.append(json.loads(tool("report", "r.xml", "--json").out)["page"].rpartition("/")[2])
    assert pages == ["verdict.html", "verdict-2.html", "verdict-3.html", "verdict-4.html"]


def test_counts_that_only_differ_are_said_on_the_page_and_not_on_the_terminal(tool, tmp_path):
    (tmp_path / "r.xml").write_text(GOOD.replace("<testsuite ", '<testsuite tests="3" failures="0" errors="0" '))
    done = tool("report", "r.xml")
    assert "announces" not in done.out + done.err
    assert "announces 3 checks, but holds 1" in (tmp_path / "verdict.html").read_text("utf-8")


INSTALLED = [
    ("pipx_metadata.json", "", "pipx runpip plain-verdict install 'plain-verdict[pdf]'"),
    ("uv-receipt.toml", "", "uv tool install --force 'plain-verdict[earl,pdf]'"),
    ("uv-receipt.toml", '{"url": "file://%s", "dir_info": {}}', "uv tool install --force '%s[earl,pdf]'"),
    (
        "uv-receipt.toml",
        '{"url": "file://%s/p.whl", "archive_info": {}}',
        "uv tool install --force --find-links '%s' '%s/p.whl[earl,pdf]'",
    ),
    ("pyvenv.cfg", '{"url": "file://%s", "archive_info": {}}', "pip install '%s[pdf]'"),
    ("pyvenv.cfg", '{"url": "file://%s/gone.whl", "archive_info": {}}', "pip install 'plain-verdict[pdf]'"),
    ("pyvenv.cfg", '{"url": "file://%s", "dir_info": {"editable": true}}', "pip install --editable '%s[pdf]'"),
    ("pyvenv.cfg", "{cut off", "pip install 'plain-verdict[pdf]'"),
]


@pytest.mark.parametrize(("kept_file", "origin", "command"), INSTALLED)
def test_an_extra_is_added_by_the_command_that_installed_the_program(
    kept_file, origin, command, tmp_path, monkeypatch
):
    for name in (kept_file, "p.whl"):
        (tmp_path / name).touch()
    monkeypatch.setattr(installation.sys, "prefix", str(tmp_path))
    monkeypatch.setattr(installation, "_installed_extras", lambda: ["earl"])
    told = SimpleNamespace(read_text=lambda _: origin.replace("%s", str(tmp_path)))
    monkeypatch.setattr(metadata, "distribution", lambda _: told)
    found = installation.command_for("pdf")
    assert found.replace("uv pip", "pip") == command.replace("%s", str(tmp_path))


def test_an_extra_whose_packages_are_here_is_known_as_installed():
    assert {"load", "earl", "tables"} <= set(installation._installed_extras())
