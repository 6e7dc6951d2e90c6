"""A short run of the fuzzer, always the same; a long one is made by hand."""

import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parent / "fuzz"))
from fuzz import findings


@pytest.mark.slow
def test_damaged_inputs_are_told_in_a_line_and_lose_nothing_unsaid():
    assert list(findings(250, seed=7)) == []
