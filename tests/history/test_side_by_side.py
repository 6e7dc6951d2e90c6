"""Two runs side by side: builds, branches, pages, digests and results; as a page, Markdown, JSON and on the terminal."""

import json
import random

import pytest
from lxml import html
from selenium.webdriver.common.by import By

from plain_verdict.cli.demo.files import RULES
from plain_verdict.history.paired_durations import find_paired_shifts

RESULTS = """<testsuites><testsuite name="Desk" timestamp="2026-11-{day:02}T02:00:00">
<properties><property name="browser" value="{browser}"/><property name="site" value="desk.test"/></properties>
{cases}</testsuite></testsuites>"""
PASSED = '<testcase name="{name}" time="{time}"/>'
FAILED = '<testcase name="{name}" time="{time}"><failure message="{message}"/></testcase>'
SKIPPED = '<testcase name="{name}"><skipped/></testcase>'


def results(day, browser, *cases):
    return RESULTS.format(day=day, browser=browser, cases="".join(cases))


def case(form, name, time=1.0, message="no boat &lt;b&gt;"):
    return form.format(name=name, time=time, message=message)


@pytest.fixture
def two(tmp_path):
    """Two folders of results: what came, what went, what stayed."""
    same = [case(PASSED, f"sails {number}", 1 + number / 10) for number in range(30)]
    before = [
        case(PASSED, "comes"), case(FAILED, "stays", message="fare 1"), case(FAILED, "mends"), case(FAILED, "rests"),
        case(PASSED, "leaves"), case(FAILED, "leaves in the rain"), case(PASSED, "turns slow", 2.0),
    ]  # fmt: skip
    after = [
        case(FAILED, "comes", message="token=abcdefgh12345678 no boat"), case(FAILED, "stays", message="fare 2"),
        case(PASSED, "mends"), case(SKIPPED, "rests"), case(FAILED, "arrives broken"), case(PASSED, "turns slow", 9.0),
    ]  # fmt: skip
    for name, day, browser, cases in (("a", 1, "chromium 155", before), ("b", 7, "chromium 156", after)):
        (tmp_path / name).mkdir()
        (tmp_path / name / "r.xml").write_text(results(day, browser, *same, *cases))
    return tmp_path


def names(compared, key):
    return [entry["name"].rpartition(" › ")[2] for entry in compared[key]["entries"]]


@pytest.fixture
def kept(two, tool, request):
    """The same two runs, kept in one of several ways: the arguments that name them."""
    way = request.param
    if way == "results":
        return ["a", "b"]
    for number, name in ((4205, "a"), (4211, "b")):
        more = ["--history", "h.db"] if way in ("store", "branches") else []
        more += [
            "--fact",
            f"branch={name if way == 'branches' else 'main'}",
            "--digest",
            f"{name}.json",
            "--no-git",
        ]
        done = tool(
            "report",
            name,
            "--out",
            f"{name}.html",
            "--no-find-previous",
            "--title",
            "Desk",
            "--build",
            str(number),
            *more,
        )
        assert done.code == 0, done.err
    return {
        "store": ["4205", "4211", "--history", "h.db"],
        "branches": ["a-branch", "b-branch", "--history", "h.db"],
        "pages": ["a.html", "b.html"],
        "digests": ["a.json", "b.json"],
        "page and results": ["a.html", "b"],
    }[way]


@pytest.mark.parametrize("kept", ["results", "store", "pages", "digests", "page and results"], indirect=True)
def test_what_differs_is_the_same_however_the_runs_are_kept(kept, two, tool):
    done = tool("compare", *kept, "--json")
    assert done.code == 0, done.err
    compared = json.loads(done.out)["comparison"]
    assert compared["shared"] == 35
    assert sorted(names(compared, "new")) == ["arrives broken", "comes"]
    assert names(compared, "fixed") == ["mends"]
    assert sorted(names(compared, "not_run")) == ["leaves in the rain", "rests"]
    (stays,) = compared["still_failing"]["entries"]
    assert (stays["message_before"], stays["message_after"]) == ("fare 1", "fare 2")
    assert sorted(names(compared, "only_before")) == ["leaves", "leaves in the rain"]
    assert names(compared, "only_after") == ["arrives broken"]
    facts = {fact["key"]: (fact["before"], fact["after"]) for fact in compared["facts"]}
    assert facts["browser"] == ("chromium 155", "chromium 156")
    assert "site" not in facts
    (slow,) = compared["durations"]["found"]
    assert (slow["before_s"], slow["after_s"], slow["low"] < slow["change"] < slow["high"]) == (2.0, 9.0, True)
    assert "abcdefgh12345678" not in done.out


@pytest.mark.parametrize("kept", ["pages"], indirect=True)
def test_the_page_and_markdown_show_all_of_it_and_run_nothing(kept, two, tool, browser):
    done = tool("compare", *kept, "--out", "out/c.html", "--markdown", "c.md")
    assert done.code == 0, done.err
    page = html.fromstring((two / "out" / "c.html").read_bytes())
    tables = {section.cssselect("h2")[0].text.strip(): section for section in page.cssselect("section")}
    assert list(tables) == [
        "What differs between the runs", "New failures", "Still failing", "Fixed", "Failed before, no result now", "Causes",
        "Durations", "Checks only in 4205", "Checks only in 4211",
    ]  # fmt: skip
    row = next(row for row in tables["New failures"].cssselect("tbody tr") if "comes" in row.text_content())
    assert row.cssselect("a")[0].get("href").startswith("../b.html#c-")
    assert [cell.cssselect(".outcome")[0].text for cell in row.cssselect("td")] == ["passed", "failed"]
    assert tables["Checks only in 4205"].cssselect("tbody a")[0].get("href").startswith("../a.html#c-")
    markdown = (two / "c.md").read_text("utf-8")
    assert "| browser | chromium 155 | chromium 156 |" in markdown
    assert "abcdefgh12345678" not in markdown + (two / "out" / "c.html").read_text("utf-8")
    browser.get((two / "out" / "c.html").as_uri())
    assert not browser.find_elements(By.CSS_SELECTOR, "td b")  # a message's markup is text
    narrow = {"width": 320, "height": 800, "deviceScaleFactor": 1, "mobile": True}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", narrow)
    assert browser.execute_script("return document.documentElement.scrollWidth") <= 320
    browser.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})
    # A link leads to the check in its own report.
    browser.find_element(By.LINK_TEXT, "comes").click()
    assert browser.current_url.partition("#")[0].endswith("/b.html")


def test_secrets_of_pages_that_were_made_without_masking_are_masked(two, tool):
    for name in "ab":
        tool("report", name, "--out", f"{name}.html", "--no-find-previous", "--no-masking", "--no-git")
    assert "abcdefgh12345678" in tool("compare", "a.html", "b.html", "--no-masking").out
    assert "abcdefgh12345678" not in tool("compare", "a.html", "b.html", "--json").out


def test_no_failure_is_lost_however_many_checks_one_of_the_runs_has_alone(tool, tmp_path):
    gone = "".join(case(FAILED, f"gone {number}") for number in range(6_000))
    stays = "".join(case(PASSED, f"stays {number}") for number in range(5))
    (tmp_path / "a.xml").write_text(results(1, "x", gone, stays, case(PASSED, "rests")))
    (tmp_path / "b.xml").write_text(results(2, "x", stays, case(SKIPPED, "rests")))
    for arguments, found in (
        (("a.xml", "b.xml"), {"not_run": 6_000, "only_before": 6_000, "stopped": 1, "new": 0}),
        (("b.xml", "a.xml"), {"new": 6_000, "only_after": 6_000, "not_run": 0, "stopped": 0}),
    ):
        compared = json.loads(tool("compare", *arguments, "--json").out)["comparison"]
        assert {key: compared[key]["number"] for key in found} == found
        assert max(len(compared[key]["entries"]) for key in found) == 500


def test_rules_that_nobody_could_decide_any_more_are_named_with_their_severity(tool, tmp_path):
    text = (RULES / "hardening-north.xml").read_text("utf-8")
    assert "<result>pass</result>" in text
    (tmp_path / "a.xml").write_text(text, "utf-8")
    (tmp_path / "b.xml").write_text(text.replace("<result>pass</result>", "<result>unknown</result>", 1), "utf-8")
    (rule,) = json.loads(tool("compare", "a.xml", "b.xml", "--json").out)["comparison"]["rules"]
    assert (rule["severity"], rule["before"], rule["after"]) == ("medium", "p", "u")


@pytest.mark.parametrize("kept", ["branches"], indirect=True)
def test_branches_are_meant_by_their_names_and_builds_of_one_number_are_told_apart(kept, two, tool):
    tool(
        "report",
        "a",
        "--out",
        "z.html",
        "--no-find-previous",
        "--title",
        "Desk",
        "--build",
        "4211",
        "--fact",
        "branch=z",
        "--history",
        "h.db",
        "--no-git",
    )
    (two / "a").rename(two / "results-a")
    (two / "b").rename(two / "results-b")
    done = tool("compare", "a", "b", "--history", "h.db")
    assert (done.code, done.out.splitlines()[0]) == (0, "Desk: 4205 and 4211, 6 days apart")
    assert "choose one with --series" in tool("compare", "a", "4211", "--history", "h.db").err
    done = tool("compare", "z", "b", "--history", "h.db")
    assert done.out.startswith("Desk: 4211 (z) and 4211 (b)"), done.out


def test_a_later_build_of_a_series_is_judged_by_the_builds_before_and_says_so(night, tool):
    for number in range(1, 14):
        night(number, "pppp", "--history", "h.db", took_s=2.0 if number < 12 else 4.0)
    done = tool("compare", "4209", "4213", "--history", "h.db", "--json")
    durations = json.loads(done.out)["comparison"]["durations"]
    assert (durations["builds"], durations["number"], json.loads(done.out)["comparison"]["builds_between"]) == (
        12,
        4,
        4,
    )
    # What changed before the first of the two is no difference between them.
    done = tool("compare", "4212", "4213", "--history", "h.db", "--json")
    assert json.loads(done.out)["comparison"]["durations"]["number"] == 0


MISTAKES = [
    (("4299", "4201"), 2, "the nearest are 4201, 4202 and 4220"),
    (("Harbour", "4201"), 2, "is not a file, a known build or a branch"),
    (("cut.html", "1.html"), 3, "is a page that is truncated"),
    (("empty.xml", "1.html"), 3, "holds no result that could be read"),
    (("1.html", "2.html", "--json", "--markdown", "-"), 2, "both write to standard output"),
    (("1.html", "2.html", "--out", "."), 2, "is a folder"),
    (("bare.json", "2.html"), 0, "was kept without facts"),
    (("1.html", "1.html"), 0, "Both are the same run"),
    (("half.xml", "1.html"), 0, "half.xml may lack results: half.xml is truncated"),
    (("half.html", "1.html"), 0, "4220 may lack results: half.xml is truncated"),
    (("other.xml", "1.html"), 0, "no check in common"),
]


@pytest.mark.parametrize(("arguments", "code", "said"), MISTAKES, ids=[said for *_, said in MISTAKES])
def test_what_can_not_be_compared_is_said_in_a_line(arguments, code, said, night, tool, tmp_path):
    night(1, "pf", "--out", "1.html")
    summary = night(2, "fp", "--out", "2.html", "--detail").summary
    (tmp_path / "bare.json").write_text(json.dumps({**summary, "checks": summary["checks"]}))
    page = (tmp_path / "1.html").read_bytes()
    (tmp_path / "cut.html").write_bytes(page[: page.index(b'id="digest"') + 60])
    (tmp_path / "empty.xml").write_text("")
    (tmp_path / "half.xml").write_text('<testsuite name="Desk" tests="2"><testcase name="a"/><testcase na')
    tool("report", "half.xml", "--out", "half.html", "--build", "4220", "--no-git")
    (tmp_path / "other.xml").write_text('<testsuite name="Quay"><testcase name="fog"/></testsuite>')
    done = tool("compare", *arguments)
    assert (said in done.err + done.out, done.code) == (True, code), done.err
    assert "Traceback" not in done.err


def test_of_two_times_alone_few_are_called_changed_by_chance_and_large_changes_are_found():
    rng = random.Random(11)
    falsely = found = 0
    for _ in range(40):
        usual = [rng.lognormvariate(7, 1.2) for _ in range(200)]
        before, after = (
            [max(1, round(time * rng.lognormvariate(0, 0.1) * pace)) for time in usual] for pace in (1, 1.3)
        )
        shifts = find_paired_shifts(before, after)
        falsely += len(shifts.found)
        assert (shifts.compared, abs(shifts.pace - 0.3) < 0.05) == (200, True)
        after[7] = round(after[7] * 6) + 400
        found += any(shift.position == 7 and shift.low < 5 for shift in find_paired_shifts(before, after).found)
    assert falsely <= 8  # of 8,000
    assert found >= 36
    assert find_paired_shifts([1000] * 19, [9000] * 19).compared == 0
