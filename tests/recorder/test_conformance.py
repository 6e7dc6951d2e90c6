"""The conformance records: the reader takes each to mean what its JSON file says, and the schema agrees."""

import json
from pathlib import Path

import jsonschema
import pytest

from conftest import ROOT
from plain_verdict import Rules, judge, read
from plain_verdict.model import Check, Step
from test_api import MADE

FOLDER = ROOT / "recorder" / "conformance"
SCHEMA = json.loads((ROOT / "src/plain_verdict/settings/schemas/record-1.schema.json").read_text())
RECORDS = sorted(FOLDER.glob("*/*.verdict.jsonl"), key=lambda path: path.name)


def step_of(step: Step) -> dict[str, object]:
    return {"name": step.name, "outcome": step.outcome.value, "steps": [step_of(inner) for inner in step.steps]}


def check_of(check: Check) -> dict[str, object]:
    last = check.last
    found = {
        "suite": list(check.suite),
        "name": check.name,
        "parameters": {fact.key: fact.value for fact in check.parameters},
        "kind": check.kind.value,
        "outcome": check.outcome.value,
        "attempts": [attempt.outcome.value for attempt in check.attempts],
        "reason": last.reason,
        "problems": [problem.message for problem in last.problems],
        "steps": [step_of(step) for step in last.steps],
        "exchanges": len(last.exchanges),
        "expectations": [expectation.outcome.value for expectation in last.expectations],
        "evidence": [evidence.name for evidence in last.evidence],
    }
    return {key: value for key, value in found.items() if value}


def meaning_of(path: Path) -> dict[str, object]:
    """What a record means: its checks, whether all of it could be read, and the verdict on it alone."""
    run = read(path)
    verdict = judge(run, Rules(), MADE.date()).word.value
    return {"complete": not run.not_whole, "verdict": verdict, "checks": [check_of(check) for check in run.checks]}


@pytest.mark.parametrize("path", RECORDS, ids=lambda path: path.name.partition(".")[0])
def test_a_record_means_what_its_file_says(path):
    expected = json.loads(path.with_suffix("").with_suffix(".json").read_text("utf-8"))
    assert expected.pop("what")
    assert meaning_of(path) == expected


def test_good_lines_are_those_of_the_schema():
    validator = jsonschema.Draft202012Validator(SCHEMA)
    for path in (FOLDER / "good").glob("*.verdict.jsonl"):
        for line in filter(str.strip, path.read_text("utf-8-sig").splitlines()):
            fields = json.loads(line)
            errors = [error.message for error in validator.iter_errors(fields)]
            assert errors == [] or path.name.startswith("unknown-keys"), (path.name, errors)
