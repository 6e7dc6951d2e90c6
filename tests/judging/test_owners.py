"""Who owns a check: by rules of the team, CODEOWNERS of the repository, or the result itself."""

import json

import pytest

from plain_verdict.inputs.codeowners import CodeOwners

# The lines of a file, a path, and who owns it.
PATTERNS = [
    ("* @desk", "any/where.py", ["@desk"]),
    ("*.js @web", "src/app.js", ["@web"]),
    ("*.js @web", "src/app.jsx", []),
    ("/docs/ @words", "docs/deep/a.md", ["@words"]),
    ("/docs/ @words", "src/docs/a.md", []),
    ("docs/ @words", "src/docs/a.md", ["@words"]),
    ("docs/* @words", "docs/a.md", ["@words"]),
    ("docs/* @words", "docs/deep/a.md", []),  # files of that folder alone
    ("docs/** @words", "docs/deep/a.md", ["@words"]),
    ("apps/ @apps", "src/apps/x/y.py", ["@apps"]),
    ("/src/fares @fares", "src/fares/quote.py", ["@fares"]),  # a folder, or a file
    ("/src/fares @fares", "src/fares.py", []),
    ("src/**/test_*.py @qa", "src/test_a.py", ["@qa"]),
    ("src/**/test_*.py @qa", "src/a/b/test_a.py", ["@qa"]),
    ("test_?.py @qa", "tests/test_a.py", ["@qa"]),
    ("* @desk\n*.py @py\n*.py @last", "a.py", ["@last"]),  # the last that fits
    ("* @desk\n/generated/", "generated/a.py", []),  # a line without owners: nobody
    ("a\\ b.py @desk", "a b.py", ["@desk"]),
    ("\\#a.py @desk", "#a.py", ["@desk"]),
    ("a.py @desk kari@brindle.test # why", "a.py", ["@desk", "kari@brindle.test"]),
    ("# a.py @desk\n\n", "a.py", []),
    ("[Fares] @fares\nsrc/\n[Docs][2] @words\n*.md", "src/a.md", ["@fares", "@words"]),  # sections add up
    ("[Fares] @fares\nsrc/ @other", "src/a.py", ["@other"]),
    ("^[Fares]\nsrc/ @fares", "src/a.py", ["@fares"]),
    ("* @desk\n!*.md", "a.md", []),
    ("\ufeff*\t@desk\r", "a.py", ["@desk"]),
    ("(a).py @desk", "(a).py", ["@desk"]),  # no sign of regular expressions means anything
    ("a+.py @desk", "aa.py", []),
    ("\\!a.py @desk", "!a.py", ["@desk"]),
    ("a\\*.py @desk", "ab.py", []),
    ("[ab].py @desk", "a.py", ["@desk"]),
]


@pytest.mark.parametrize(("text", "path", "wanted"), PATTERNS)
def test_owners_of_a_file_are_those_of_the_last_line_that_fits(text, path, wanted):
    assert list(CodeOwners(text, "CODEOWNERS").owners_of(path)) == wanted


def test_lines_that_are_none_are_named_and_the_others_count():
    found = CodeOwners("*.py @py\n*.md words\n[Broken] him\n*.js @js/web\n", "docs/CODEOWNERS")
    assert list(found.owners_of("a.js")) == ["@js/web"]
    (note,) = found.notes
    assert note == (
        "docs/CODEOWNERS: line 2 (“words” is not an @name or a mail address) and line 3 (“him” is not an @name or a"
        " mail address) were left out."
    )


STACK = 'File "/build/agent/7/repo/src/fares/quote.py", line 12, in quote'
CASES = """<testsuites><testsuite name="nightly">
<testcase classname="tests.web.test_desk.TestDesk" name="opens"/>
<testcase classname="com.brindle.FareTest" name="sums up"/>
<testcase classname="Checkout" name="by file" file="/build/agent/7/repo/tests/web/test_seats.py"/>
<testcase classname="Checkout" name="by stack"><failure message="no fare">{stack}</failure></testcase>
<testcase classname="Checkout" name="of nobody"/>
<testcase classname="Checkout" name="says it"><properties><property name="owner" value="Kari"/></properties></testcase>
<testcase classname="Twice" name="in two files"/>
<testcase classname="Brindle.Tests.Web.QuaySpec" name="of a namespace"/>
<testcase classname="Tests\\Unit\\BoatTest" name="of another spelling"/>
<testcase classname="example.test/brindle/src/fares" name="of a package"/>
<testcase classname="Checkout" name="in a library"><failure message="no quay">{library}</failure></testcase>
<testcase classname="Checkout" name="with a blob"><failure message="blob">{blob}</failure></testcase>
</testsuite></testsuites>""".replace("{stack}", STACK)
# A library has files of one name with the repository, and logs hold long texts without a space.
CASES = CASES.replace("{library}", 'File "/usr/lib/python3/unittest/quote.py", line 1').replace(
    "{blob}", "/a" * 15_000
)
FILES = [
    "tests/web/QuaySpec.cs",
    "tests/unit/BoatTest.php",
    "src/fares/refund_test.go",
    "tests/web/test_desk.py",
    "tests/web/test_seats.py",
    "src/fares/quote.py",
    "java/com/brindle/FareTest.java",
]
OWNERS = "/tests/unit/ @unit\n/tests/web/ @web\n/src/fares/ @fares\n*.java @java\n/a/ @a\n/b/ @b\n"


@pytest.fixture
def repository(tmp_path):
    for name in (*FILES, "a/Twice.py", "b/Twice.py", "node_modules/x/test_desk.py"):
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text("")
    (tmp_path / ".git").mkdir()
    (tmp_path / ".git" / "HEAD").write_text("ref: refs/heads/main\n")
    (tmp_path / ".github").mkdir()
    (tmp_path / ".github" / "CODEOWNERS").write_text(OWNERS)
    (tmp_path / "out").mkdir()
    (tmp_path / "out" / "r.xml").write_text(CASES)
    return tmp_path


def owners(summary):
    return {check["name"]: check["owners"] for check in summary["checks"]}


def test_the_file_of_a_check_is_found_by_its_place_its_class_or_its_stack(repository, tool):
    done = tool("report", "out/r.xml", "--json", "--detail")
    found = owners(summary := json.loads(done.out))
    assert found == {
        "opens": ["@web"],
        "sums up": ["@java"],
        "by file": ["@web"],
        "by stack": ["@fares"],
        "of nobody": [],
        "says it": ["Kari"],
        "in two files": [],  # nothing is guessed
        "of a namespace": ["@web"],
        "of another spelling": ["@unit"],
        "of a package": ["@fares"],
        "in a library": [],
        "with a blob": [],
    }
    assert {cause["name"]: cause["owner"] for cause in summary["causes"]}["no fare"] == "@fares"
    without = json.loads(tool("report", "out/r.xml", "--json", "--detail", "--no-git").out)
    assert [names for names in owners(without).values() if names] == [["Kari"]]


RULES = """
[[owner]]
name = "Booking team"
match = { check = "*e*" }

[[owner]]
name = "Web"
match = { owner = "@web" }

[[owner]]
name = "@fares"
mail = "fares@brindle.test"

[[owner]]
name = "Nobody"
match = { suite = "nowhere" }

[[condition]]
measure = "checks"
at_least = 99
scope = { owner = "Booking*" }

[[waiver]]
match = { owner = "@fares" }
reason = "new fares"
until = 2030-01-01
"""


def test_rules_stand_before_code_owners_and_owners_are_a_scope(repository, tool):
    (repository / "plain-verdict.toml").write_text(RULES)
    done = tool("report", "out/r.xml", "--json", "--detail")
    summary = json.loads(done.out)
    found = owners(summary)
    assert found["opens"] == ["Web"]  # the last rule that fits, by the owner that CODEOWNERS names
    assert (found["in two files"], found["by stack"], found["sums up"]) == (["Booking team"], ["@fares"], ["@java"])
    (cause,) = [cause for cause in summary["causes"] if cause["name"] == "no fare"]
    assert cause["owner"] == "@fares (fares@brindle.test)"
    assert "Owner rule 4 (“Nobody”) matches no check." in done.err
    assert [check["name"] for check in summary["checks"] if check["waived"]] == ["by stack"]
    assert "Checks of owner Booking*: at least 99 (3 ran)." in summary["reasons"]


BAD = [
    ("", ""),
    ("*.py him\n" * 9, "and 5 more were left out."),
    ("**/" * 400 + "*a*a*a*a*a*a*a*a*a*b @a\n", ""),
    ("\x00\xff\n", ""),
]


@pytest.mark.parametrize(("text", "note"), BAD)
def test_a_file_of_owners_that_makes_no_sense_costs_no_report(text, note, repository, tool):
    (repository / ".github" / "CODEOWNERS").write_text(text, "latin-1")
    done = tool("report", "out/r.xml", "--json", "--detail")
    assert done.code == 0
    assert note in done.err
    assert "Traceback" not in done.err
