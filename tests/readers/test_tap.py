"""TAP as runners really write it: each case is a file, and what must come of it."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plain_verdict.readers.tap.lines import read_line
from plain_verdict.readers.tap.subtests import Document

# A file, its checks (suite below the file, name, outcome), and parts of its notes; "!" where it may not be fit.
CASES = {
    "plan first": ("1..2\nok 1 - a\nnot ok 2 - b", ["a passed", "b failed"], []),
    "plan last, no numbers": ("ok a\nok b\n1..2", ["a passed", "b passed"], []),
    "no plan": ("TAP version 12\nok 1 a", ["a passed"], ["!has no plan"]),
    "two plans": ("1..1\nok 1 a\n1..1", ["a passed"], ["!has 2 plans"]),
    "fewer than planned": ("1..3\nok 1 a\nok 3 c", ["a passed", "c passed"], ["!holds 2 points, 3 were planned"]),
    "more than planned": ("1..1\nok 1 a\nok 2 b", ["a passed", "b passed"], ["holds 2 points, only 1 were planned"]),
    "numbers that jump": ("1..2\nok 1 a\nok 3 b", ["a passed", "b passed"], ["!lacks the point 2"]),
    "another program says ok": ("1..2\nok 1 a\nok, listening", ["a passed"], ["!holds 1 point, 2 were planned"]),
    "not ok in its own form": ("1..1\nnot ok: b", [": b failed"], []),
    "numbers twice": ("1..3\nok 1 a\nok 1 b\nok 7 c", ["a passed", "b passed", "c passed"], ["!lacks the point 2", "uses 1 number more than once (the first is 1)"]),
    "all skipped": ("1..0 # SKIP no quay", ["The suite itself skipped"], []),
    "skip and todo": ("1..5\nok 1 a # SKIP tide\nnot ok 2 b # Skipped: fog\nnot ok 3 c # TODO mend\nok 4 d # todo\nok 5 e \\# skip", ["a skipped", "b skipped", "c skipped", "d passed", "e # skip passed"], []),
    "colours and returns": ("1..1\r\n\x1b[32mok\x1b[0m 1 - a\r\n", ["a passed"], []),
    "noise": ("starting\n1..1\nok 1 a\nlistening on 8021\nokay, done", ["a passed"], []),
    "pragma and version": ("TAP version 14\npragma +strict\n1..1\nok 1 - a", ["a passed"], []),
    "bail out": ("1..3\nok 1 a\nBail out! no boat\nnot ok 2 b", ["a passed", "b failed"], ["!bailed out: no boat; the points after it are missing", "!3 were planned"]),
    "subtest before": ("1..2\nok 1 x\n    1..1\n    not ok 1 - in\nnot ok 2 - s", ["x passed", "s > in failed"], []),
    "subtest after": ("1..2\nok 1 - s\n    ok 1 - in\n    1..1\nok 2 - t\n    ok 1 - in\n    1..1", ["s > in passed", "t > in passed"], []),
    "subtest in braces": ("1..2\nok 1 - s {\n    ok 1 - in\n    1..1\n}\nok 2 - t", ["s > in passed", "t passed"], []),
    "subtest with a heading": ("1..2\nok 1 - p\n# Subtest: s\n    1..1\n    ok 1 - in\nok 2 - s", ["p passed", "s > in passed"], []),
    "a suite that fails by itself": ("1..1\n    ok 1 - in\n    1..1\nnot ok 1 - s", ["s > in passed", "s > The suite itself failed"], []),
    "a suite to do": ("1..1\n    not ok 1 - in\n    1..1\nnot ok 1 - s # TODO mend", ["s > in skipped"], []),
    "a subtest skipped whole": ("1..1\n    1..0 # SKIP fog\nok 1 - s", ["s > The suite itself skipped"], []),
    "a subtest short of its plan": ("1..1\n    1..2\n    ok 1 - in\nok 1 - s", ["s > in passed"], ["!holds 1 point, 2 were planned"]),
    "a subtest without its point": ("1..1\n    ok 1 - in\n    1..1", ["in passed"], ["!has 1 subtest whose own point is missing"]),
    "details truncated": ("1..1\nnot ok 1 - a\n  ---\n  message: wrong", ["a failed"], ["!ends inside a block of details"]),
    "details that are none": ("1..1\nnot ok 1 - a\n  ---\n  a: [\n  ...", ["a failed"], ["has 1 block of details that can't be read"]),
}  # fmt: skip


@pytest.mark.parametrize(("text", "checks", "notes"), CASES.values(), ids=CASES)
def test_a_file_gives_what_it_says(tool, tmp_path, text, checks, notes):
    (tmp_path / "q.tap").write_bytes(text.encode())
    done = json.loads(tool("judge", "q.tap", "--json", "--detail").out)
    found = [
        " ".join((*(f"{part} >" for part in check["suite"][1:]), check["name"], check["outcome"]))
        for check in done["checks"]
    ]
    assert found == checks
    said = " ".join(done["files"][0]["notes"])
    assert all(note.removeprefix("!") in said for note in notes)
    assert bool(said) == bool(notes)
    lost = any(note.startswith("!") for note in notes)
    failed = any(" failed" in check for check in checks)
    assert done["verdict"] == (
        "not fit" if failed else "undecided" if lost or done["counts"]["passed"] == 0 else "fit"
    )


def test_details_of_a_point_become_its_problem_time_and_output(checks_of, tmp_path):
    text = "1..1\nnot ok 1 - lands\n  ---\n  message: wrong quay\n  wanted: Skarholm\n  found: Brindle\n  at: {file: quay.js, line: 4}\n  duration_ms: 12.5\n  stack: in Desk.book\n  ...\n# waited 3 s\n"
    (tmp_path / "q.tap").write_text(text)
    found = checks_of("q.tap")
    page = found.page.text_content()
    for part in ("wrong quay", "Skarholm", "Brindle", "at quay.js:4", "in Desk.book", "waited 3 s", "12 ms"):
        assert part in page


@given(
    st.lists(
        st.sampled_from(
            [
                "ok 1 - a",
                "not ok 2",
                "    ok 1 - b",
                "        not ok 1 - c",
                "1..2",
                "    1..1",
                "# x",
                "  ---",
                "  a: 1",
                "  ...",
                "Bail out! y",
                "}",
                "ok 3 - s {",
                "# Subtest: s",
                "noise",
                "",
            ]
        ),
        max_size=25,
    )
)
@settings(max_examples=300, deadline=None)
def test_no_point_is_lost_in_whatever_order_lines_come(lines):
    document = Document(f"{line}\n" for line in lines)

    def count(level):
        inside = [*level.orphans, *(node.level for node in level.nodes if node.level)]
        return len(level.nodes) + sum(map(count, inside))

    expected, inside, points = 0, False, 0
    for line in lines:
        if inside:
            inside = line.strip() != "..."
        elif line.strip() == "---" and points:
            inside = True
        elif type(read_line(line)[1]).__name__ == "Point":
            expected, points = expected + 1, 1
    # What looks like details where no point stands is none: the points in it count.
    every = sum(type(read_line(line)[1]).__name__ == "Point" for line in lines)
    assert inside or expected <= count(document.top) <= every


WHOLE = {
    "before": "1..2\n    1..1\n    ok 1 - a\nok 1 - s\n    1..2\n    ok 1 - b\n    ok 2 - c\nok 2 - t\n",
    "first": "1..1\n    1..3\n    ok 1 - a\n    ok 2 - b\n    ok 3 - c\nok 1 - s\n",
    "after": "ok 1 - s\n    ok 1 - a\n    1..1\nok 2 - t\n    ok 1 - b\n    ok 2 - c\n    1..2\n1..2\n",
    "braces": "1..2\nok 1 - s {\n    1..2\n    ok 1 - a\n    ok 2 - b\n}\nok 2 - t\n",
    "deep": "1..1\n    1..1\n        1..2\n        ok 1 - a\n        ok 2 - b\n    ok 1 - s\nok 1 - t\n",
}


@pytest.mark.parametrize("text", WHOLE.values(), ids=WHOLE)
def test_a_file_cut_after_any_line_or_with_one_gone_is_never_fit(tool, tmp_path, text):
    lines = text.splitlines(keepends=True)

    def verdict(some):
        (tmp_path / "q.tap").write_text("".join(some))
        return json.loads(tool("judge", "q.tap", "--json").out)["verdict"]

    assert verdict(lines) == "fit"
    for at, line in enumerate(lines):
        assert verdict(lines[:at]) != "fit"
        if line.lstrip().startswith("ok "):
            assert verdict([*lines[:at], *lines[at + 1 :]]) != "fit"
            assert verdict([*lines[:at], line.replace("ok", "not ok", 1), *lines[at + 1 :]]) == "not fit"


def test_a_log_that_begins_with_ok_is_no_result(tool, tmp_path):
    (tmp_path / "r").mkdir()
    (tmp_path / "r" / "a.xml").write_text('<testsuite name="Desk"><testcase name="x"/></testsuite>')
    (tmp_path / "r" / "server.log").write_text("ok, listening\nok 1\nready\n")
    assert json.loads(tool("judge", "r", "--json").out)["verdict"] == "fit"
