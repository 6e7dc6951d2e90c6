"""No failure may vanish: small runs in which one stands somewhere, and small runs that are really fit."""

import json

import containers
import junit
import junit_and_records
import load_runs
import pytest
import rules
import teams_own

TABLES = (junit_and_records, junit, containers, rules, load_runs, teams_own)
NOT_FIT = {label: files for table in TABLES for label, files in table.NOT_FIT.items()}
FIT = {label: files for table in TABLES for label, files in table.FIT.items()}
OPTIONS = "options"


def verdict_of(files, tool, tmp_path):
    options = files.get(OPTIONS, [])
    files = {name: content for name, content in files.items() if name != OPTIONS}
    for name, content in files.items():
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        if name.endswith("/"):
            path.mkdir()
        elif isinstance(content, str) and content.startswith("-> "):
            path.symlink_to(tmp_path / content[3:])
        else:
            path.write_bytes(content if isinstance(content, bytes) else content.encode("utf-8", "surrogatepass"))
    given = dict.fromkeys(name.partition("/")[0] for name in files if name != "plain-verdict.toml")
    retry = ["--retry", "retry"] if "retry" in given else []
    return tool(
        "judge",
        *(name for name in given if name not in ("retry", "elsewhere", "aside")),
        *retry,
        *options,
        "--json",
    )


@pytest.mark.parametrize("label", NOT_FIT)
def test_a_failure_never_vanishes(label, tool, tmp_path):
    done = verdict_of(NOT_FIT[label], tool, tmp_path)
    summary = json.loads(done.out)
    assert summary["verdict"] != "fit"
    assert done.code in (1, 3)
    # Undecided only with a reason that names what is wrong.
    assert summary["verdict"] == "not fit" or summary["reasons"]
    assert "bug" not in done.err


@pytest.mark.parametrize("label", FIT)
def test_what_is_fit_stays_fit(label, tool, tmp_path):
    done = verdict_of(FIT[label], tool, tmp_path)
    assert json.loads(done.out)["verdict"] == "fit", done.err
    assert done.code == 0


def test_there_are_enough_of_both():
    assert len(NOT_FIT) >= 400
    assert len(FIT) >= 80
    assert sum(len(table.NOT_FIT) + len(table.FIT) for table in TABLES) == len(NOT_FIT) + len(FIT)
