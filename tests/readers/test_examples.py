"""Example files are tests by being there: real runners' files in ``good``, each beside the numbers its runner
printed; broken ones in ``bad``, each beside the lines the user must see."""

import json
import shutil

import pytest

from conftest import EXAMPLES


def cases(kind: str) -> list:
    files = sorted(file for file in EXAMPLES.glob(f"*/{kind}/*") if not file.name.endswith((".json", ".txt")))
    assert files
    return [pytest.param(file, id=f"{file.parent.parent.name}-{file.name}") for file in files]


@pytest.mark.parametrize("file", cases("good"))
def test_a_real_runners_file_gives_the_runners_own_numbers(file, checks_of, tmp_path):
    shutil.copy(file, tmp_path)
    expected = json.loads(file.with_suffix(".json").read_text("utf-8"))
    found = checks_of(file.name)
    assert found.summary["counts"] == expected["counts"]
    assert sorted([check.suite, check.name, check.outcome] for check in found.checks) == sorted(expected["checks"])
    assert found.summary["files"][0]["notes"] == expected["notes"]
    for text in expected["on the page"]:
        assert text in found.page.text_content()


@pytest.mark.parametrize("file", cases("bad"))
def test_a_broken_file_gets_one_clear_line_and_the_others_still_count(file, checks_of, tmp_path):
    shutil.copy(file, tmp_path)
    (tmp_path / "whole.xml").write_text('<testsuite name="Quay"><testcase name="sails"/></testsuite>')
    found = checks_of(file.name, "whole.xml")
    assert found.err.strip() == file.with_suffix(".txt").read_text("utf-8").strip()
    assert "Traceback" not in found.err
    assert found.summary["counts"]["passed"] >= 1
    assert found.summary["verdict"] != "fit"
