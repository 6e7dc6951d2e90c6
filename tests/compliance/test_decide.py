"""Decided by a person: what is asked, what an answer does to the next report, and what it never does."""

import io
import json

import pytest
from test_standards import log, result

OPEN = log(result("a", kind="review"), result("b", kind="open"), result("c", kind="pass"), result("d"))


@pytest.fixture
def decide(tool, tmp_path, monkeypatch):
    """Run ``decide`` with these answers."""
    (tmp_path / "scan.sarif").write_text(OPEN)

    def run(answers, *arguments):
        monkeypatch.setattr("sys.stdin", io.StringIO(answers))
        return tool("decide", *(arguments or ("scan.sarif",)), "--by", "Mari Holm")

    return run


def judged(tool, *files):
    summary = json.loads(tool("judge", *files, "--json", "--detail").out)
    return {check["name"]: check["outcome"] for check in summary["checks"]}, summary


# Answers, and what becomes of the two open checks.
ANSWERS = {
    "passed and failed": ("p\nfine\n\nf\nbroken wire\n\n", "passed", "failed"),
    "words and case": ("Passed\n\n\nFAILED\n\n\n", "passed", "failed"),
    "does not apply": ("s\nno such door\n\n\n", "skipped", "undecided"),
    "later, then stopped": ("\nq\n", "undecided", "undecided"),
    "a word that is none": ("maybe\np\n\n\nq\n", "passed", "undecided"),
    "the end of the input in a note": ("p\n", "undecided", "undecided"),
    "the end of the input after one": ("p\nfine\n\n", "passed", "undecided"),
    "a file that is not there": ("p\n\nnone.png\nproof.txt\nq\n", "passed", "undecided"),
}


@pytest.mark.parametrize(("answers", "first", "second"), ANSWERS.values(), ids=ANSWERS)
def test_an_answer_settles_its_check_in_the_next_report(tool, decide, tmp_path, answers, first, second):
    (tmp_path / "proof.txt").write_text("the wire on a table")
    assert decide(answers).code == 0
    found, summary = judged(tool, "scan.sarif", "decided.verdict.jsonl")
    assert found == {"a": first, "b": second, "c": "passed", "d": "failed"}
    tool("report", "scan.sarif", "decided.verdict.jsonl", "--out", "v.html")
    page = (tmp_path / "v.html").read_text()
    settled = "undecided" not in (first,)
    assert ("Mari Holm" in page) == settled
    assert ("the wire on a table" in page) == ("proof" in answers)
    assert summary["rules"]["undecided"] == [first, second].count("undecided")


def test_it_goes_on_where_it_was_and_the_last_answer_counts(tool, decide, tmp_path):
    decide("p\n\n\nq\n")
    again = decide("f\nseen again\n\n")
    assert "1 of 1" in again.out
    found, _ = judged(tool, "scan.sarif", "decided.verdict.jsonl")
    assert (found["a"], found["b"]) == ("passed", "failed")
    lines = (tmp_path / "decided.verdict.jsonl").read_text().splitlines()
    last = json.loads(lines[1]) | {"outcome": "failed", "at": json.loads(lines[-1])["at"] + 60}
    (tmp_path / "decided.verdict.jsonl").write_text("\n".join((*lines, json.dumps(last))) + "\n")
    assert judged(tool, "scan.sarif", "decided.verdict.jsonl")[0]["a"] == "failed"


def test_what_is_told_by_itself_is_never_changed(tool, decide, tmp_path):
    ids = {check["name"]: check["id"] for check in judged(tool, "scan.sarif")[1]["checks"]}
    lines = ['{"what":"record","version":1}']
    lines += [json.dumps({"what": "decision", "check": ids[name], "outcome": "passed"}) for name in "abcd"]
    lines.append('{"what":"decision","check":"c-000000000000","outcome":"passed"}')
    (tmp_path / "decided.verdict.jsonl").write_text("\n".join(lines) + "\n")
    found, summary = judged(tool, "scan.sarif", "decided.verdict.jsonl")
    assert found == {"a": "passed", "b": "passed", "c": "passed", "d": "failed"}
    assert "3 decisions for checks that are missing or no longer undecided" in " ".join(
        note for file in summary["files"] for note in file["notes"]
    )


LISTS = {
    "hand.md": "# Harbour\n- [ ] The lamp is lit\n- no task\n## Ramp\n1. [x] The ramp is dry\n",
    "hand.csv": "Suite,Check,Description\nHarbour,The lamp is lit,look at it\nRamp,The ramp is dry,\n,,nothing\n",
}


@pytest.mark.parametrize("name", LISTS)
def test_a_checklist_begins_with_nothing_and_is_never_asked_twice(tool, decide, tmp_path, name):
    (tmp_path / name).write_text(LISTS[name])
    asked = ("--checklist", name, "--out", "hand.verdict.jsonl")
    first = decide("f\nnot lit\n\nq\n", *asked)
    assert "The lamp is lit" in first.out
    found, summary = judged(tool, "hand.verdict.jsonl")
    assert found == {"The lamp is lit": "failed", "The ramp is dry": "undecided"}
    assert [check["suite"][-1] for check in summary["checks"]] == ["Harbour", "Ramp"]
    again = decide("p\n\n\n", *asked)
    assert "The lamp is lit" not in again.out
    assert judged(tool, "hand.verdict.jsonl")[0] == {"The lamp is lit": "failed", "The ramp is dry": "passed"}


WRONG = {
    "nothing": ((), "there is nothing to decide"),
    "a name that is none": (("scan.sarif", "--out", "x.json"), "is not a name for a record"),
    "an empty list": (("--checklist", "empty.md"), "holds no check"),
    "no list": (("--checklist", "none.md"), "can't be read"),
}


@pytest.mark.parametrize(("arguments", "what"), WRONG.values(), ids=WRONG)
def test_what_can_not_be_decided_is_said_in_a_line(tool, decide, tmp_path, arguments, what):
    (tmp_path / "empty.md").write_text("# Nothing\n")
    done = tool("decide", *arguments)
    assert done.code == 2
    assert what in done.err
