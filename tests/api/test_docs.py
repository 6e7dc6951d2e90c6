"""Every example of docs/api.md is run."""

import json
import os
import re
import subprocess
import sys

import pytest

from conftest import ROOT

DOCS = (ROOT / "docs" / "api.md").read_text("utf-8")
sys.path.insert(0, str(ROOT / "examples" / "fares_service"))
# Tells what the real one does of a transfer, so that the example needs no program that may be missing.
CURL = """#!{python}
import json, sys, time, urllib.request
arguments = sys.argv[1:]
body = urllib.request.urlopen(arguments[-1]).read()
open(arguments[arguments.index("--output") + 1], "wb").write(body)
assert arguments[arguments.index("--write-out") + 1] == "%{{json}}"
print(json.dumps({{"url_effective": arguments[-1], "method": "GET", "response_code": 200, "time_total": 0.01,
                  "size_download": len(body), "content_type": "application/json"}}))
"""


def blocks(language):
    return re.findall(rf"```{language}\n(.*?)```", DOCS, re.DOTALL)


@pytest.fixture
def environment(tmp_path):
    from service import start

    service = start()
    programs = tmp_path / "programs"
    programs.mkdir()
    (programs / "curl").write_text(CURL.format(python=sys.executable))
    (programs / "curl").chmod(0o755)
    (programs / "plain-verdict").write_text(f'#!/bin/sh\nexec "{sys.executable}" -m plain_verdict "$@"\n')
    (programs / "plain-verdict").chmod(0o755)
    yield {**os.environ, "FARES": service.address, "PATH": f"{programs}:{os.environ['PATH']}"}
    service.shutdown()
    service.server_close()


def test_the_examples_in_python_and_bash_leave_the_records_they_promise(tmp_path, environment, tool):
    script, tests = blocks("python")
    (tmp_path / "fares.py").write_text(script)
    (tmp_path / "test_fares.py").write_text(tests)
    (bash,) = blocks("bash")
    for command in (
        [sys.executable, "fares.py"],
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "--verdict-record", "results"],
        ["bash", "-eu", "-c", bash],
    ):
        subprocess.run(command, cwd=tmp_path, env=environment, check=True, capture_output=True, timeout=600)
    done = json.loads(tool("judge", "results", "smoke.verdict.jsonl", "--json", "--detail").out)
    assert done["sentence"] == "Fit: all 6 checks passed."
    assert {row["operation"].partition("/v2")[2] or "/quays": row["calls"] for row in done["operations"]} == {
        "/sailings": 2,
        "/sailings/{…}": 3,
        "/sailings/{…}/fares": 1,
        "/quays": 1,
    }
    iterations = [
        check["parameters"] for check in done["checks"] if check["name"] == "test_a_sailing_tells_its_seats"
    ]
    assert iterations == [{"sailing": "BQ-2203"}, {"sailing": "BQ-2205"}]


def test_the_settings_in_the_docs_are_taken(tmp_path, tool):
    (tmp_path / "plain-verdict.toml").write_text("\n".join(blocks("toml")))
    (tmp_path / "fares.openapi.yaml").write_text(
        (ROOT / "examples" / "fares_service" / "fares.openapi.yaml").read_text()
    )
    (tmp_path / "fares").mkdir()
    (tmp_path / "fares" / "a.xml").write_text('<testsuite name="Desk"><testcase name="x"/></testsuite>')
    done = json.loads(tool("judge", "fares", "--json").out)
    assert [kind["kind"] for kind in done["kinds"]] == ["api"]
    assert "operations not called" in json.dumps(done).lower()
    assert {"calls", "p99", "undocumented answers"} <= set(re.findall(r"`([a-z0-9 ]+)`", DOCS))
