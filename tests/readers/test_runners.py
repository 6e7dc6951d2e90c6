"""What real runners wrote of the same three checks: one passes, one fails, one is skipped."""

import json
import re

import pytest

from conftest import EXAMPLES, ROOT

RUNNERS = EXAMPLES / "runners"
# Runners that leave the skipped check out, or write something else of it.
OTHERWISE = {"check.tap": (1, 1, 0, 0), "doctest.xml": (1, 1, 0, 0), "prove.xml": (2, 1, 1, 0)}


@pytest.mark.parametrize("name", sorted(path.name for path in RUNNERS.iterdir()))
def test_what_a_real_runner_writes_is_read_with_no_configuration(tool, tmp_path, name):
    (tmp_path / name).write_bytes((RUNNERS / name).read_bytes())
    counts = json.loads(tool("judge", name, "--json").out)["counts"]
    passed, failed, errored, skipped = OTHERWISE.get(name, (1, 1, 0, 1))
    wanted = {"passed": passed, "failed": failed, "errored": errored, "skipped": skipped, "undecided": 0}
    assert counts == wanted


def test_the_page_on_runners_names_those_that_were_run():
    page, script = (ROOT / "docs/from-your-runner.md").read_text(), (ROOT / "scripts/run-runners").read_text()
    rows = re.findall(r"^\| [^|]+ \| ([^|]+) \| [^|]+ \| [^|]+ \| yes \|", page, re.MULTILINE)
    assert len(rows) >= 20
    for path in RUNNERS.iterdir():
        assert f" {path.name}" in script, path.name
