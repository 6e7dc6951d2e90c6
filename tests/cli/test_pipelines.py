"""The files for pipelines: by the published schemas of the servers, and their shell steps run as the servers would."""

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
import yaml

from conftest import ROOT

FOLDER = ROOT / "examples" / "pipeline"
CHECKS, COMMENT, RELEASE, OTHER = (
    FOLDER / f"{name}.yml" for name in ("github-checks", "github-comment", "github-release", "gitlab-ci")
)
FILES = [
    ("vendor.github-workflows", CHECKS),
    ("vendor.github-workflows", COMMENT),
    ("vendor.github-workflows", RELEASE),
    ("vendor.gitlab-ci", OTHER),
]
# A runner of checks, and what pipelines find on their machines: pip installs nothing, curl keeps what it would post.
RUN_CHECKS = """#!/bin/sh
mkdir -p results
for last; do :; done
case "$last" in
    *shard-1*) seats='<failure message="The fare service did not answer"/>' ;;
    *again-2*) seats="$REFUND" ;;
esac
echo "<testsuite name='Desk'><testcase classname='desk' name='seats $(echo "$last" | tr -cd 0-9)'>$seats</testcase></testsuite>" > "$last"
"""
CURL = """#!/usr/bin/env python3
import pathlib, sys
data = next(word for word in sys.argv if word.startswith("@"))
pathlib.Path("posted.json").write_text(pathlib.Path(data[1:]).read_text())
pathlib.Path("posted.txt").write_text(" ".join(sys.argv[1:]))
"""


@pytest.mark.parametrize(("schema", "path"), FILES, ids=[path.name for _, path in FILES])
def test_a_file_is_one_by_the_servers_own_schema(schema, path):
    command = [sys.executable, "-m", "check_jsonschema", "--builtin-schema", schema, path]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr


def test_the_history_is_kept_also_of_a_build_that_fails():
    """An action that saves after the job does so only when the job passed: failing builds would be missing."""
    steps = yaml.safe_load(CHECKS.read_text())["jobs"]["report"]["steps"]
    restored, saved = (step for step in steps if "cache" in step.get("uses", ""))
    assert (restored["uses"], saved["uses"]) == ("actions/cache/restore@v4", "actions/cache/save@v4")
    assert (saved["if"], saved["with"]["key"]) == ("always()", restored["with"]["key"])


@pytest.fixture
def machine(tmp_path, monkeypatch):
    """A machine of a pipeline: the program, a runner of checks, and a repository with the rules of the main branch."""
    tools = tmp_path / "tools"
    tools.mkdir()
    (tmp_path / "work").mkdir()
    for file, text in (
        (tools / "pip", "#!/bin/sh\n"),
        (tools / "curl", CURL),
        (tmp_path / "work" / "run-checks", RUN_CHECKS),
    ):
        file.write_text(text)
        file.chmod(0o755)
    work = tmp_path / "work"
    git = (
        "git",
        "-c",
        "user.name=K",
        "-c",
        "user.email=k@desk.test",
        "-c",
        "init.defaultBranch=main",
        "-C",
        str(work),
    )
    (work / "plain-verdict.toml").write_text('[report]\ntitle = "Booking desk"\n')
    for command in (
        ("init", "-q"),
        ("add", "plain-verdict.toml"),
        ("commit", "-qm", "rules"),
        ("remote", "add", "origin", "."),
    ):
        subprocess.run([*git, *command], check=True)
    path = f"{tools}:{Path(sys.executable).parent}:{os.environ['PATH']}"
    variables = {"PATH": path, "HOME": str(tmp_path), "SOURCE_DATE_EPOCH": "1795312800", "REFUND": ""}

    def run(script, **more):
        env = variables | more
        return subprocess.run(
            ["bash", "-eu", "-o", "pipefail", "-c", script],
            cwd=work,
            env=env,
            capture_output=True,
            text=True,
            check=False,
        )

    run.work = work
    return run


def filled(script, values):
    """A step's shell, with the server's expressions in it replaced as the server does."""
    text = re.sub(r"\$\{\{ (.+?) \}\}", lambda found: values[found[1]], script)
    assert "${{" not in text
    return text


def steps_of(path, job):
    return [step["run"] for step in yaml.safe_load(path.read_text())["jobs"][job]["steps"] if "run" in step]


@pytest.mark.parametrize(("refund", "code"), [("", 0), ('<failure message="no refund"/>', 1)])
def test_the_shell_of_workflows_reports_judges_and_comments(machine, refund, code):
    summary = machine.work / "step.md"
    values = {
        "github.event.number": "7",
        "github.token": "t0ken",
        "github.event.workflow_run.html_url": "https://ci.desk.test/9",
    }
    for shard in ("1", "2"):
        for script in steps_of(CHECKS, "checks"):
            assert machine(filled(script, {"matrix.shard": shard}), REFUND=refund).returncode == 0
    *before, judge = steps_of(CHECKS, "report")
    for script in before:
        done = machine(filled(script, values), GITHUB_STEP_SUMMARY=str(summary), GITHUB_RUN_NUMBER="12")
        assert done.returncode == 0, done.stderr
    assert (machine.work / "history.db").is_file()
    assert summary.read_text().startswith("## Not fit" if code else "## Fit")
    assert machine(judge).returncode == code
    for script in steps_of(COMMENT, "comment"):
        (machine.work / "page" / "number").write_text("7; rm -rf /\n")  # of somebody's change
        env = {"GITHUB_TOKEN": "t0ken", "RUN": values["github.event.workflow_run.html_url"]}
        done = machine(
            filled(script, values), GITHUB_API_URL="https://api.desk.test", GITHUB_REPOSITORY="quay/desk", **env
        )
        assert done.returncode == 0, done.stderr
    posted = json.loads((machine.work / "posted.json").read_text())["body"]
    assert posted.startswith("## Not fit" if code else "## Fit")
    assert "https://ci.desk.test/9" in posted
    assert (
        (machine.work / "posted.txt")
        .read_text()
        .endswith("https://api.desk.test/repos/quay/desk/issues/7/comments")
    )


BUILD_PACKAGE = '#!/bin/sh\nmkdir -p "$(dirname "$1")"\necho "the desk" > "$1"\n'


@pytest.mark.parametrize(
    ("fault", "passes"), [("", True), ("a failure", False), ("another package", False), ("a key of others", False)]
)
def test_a_release_is_published_only_where_its_attestation_holds(fault, passes, machine, tmp_path):
    for name, text in (("build-package", BUILD_PACKAGE), ("publish-package", '#!/bin/sh\ncp "$1" published\n')):
        (machine.work / name).write_text(text)
        (machine.work / name).chmod(0o755)
    refund = '<failure message="no refund"/>' if fault == "a failure" else ""
    runner = RUN_CHECKS.replace("*again-2*", "*release*")
    (machine.work / "run-checks").write_text(runner)
    for name in ("key", "other"):
        subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", tmp_path / name], check=True)
    (machine.work / ".github").mkdir()
    allowed = (tmp_path / "key.pub").read_text()
    (machine.work / ".github" / "allowed_signers").write_text(f"release@desk.test {allowed}")
    for script in steps_of(RELEASE, "checks"):
        assert machine(script, REFUND=refund).returncode == 0
    key = (tmp_path / ("other" if fault == "a key of others" else "key")).read_text().rstrip("\n")
    for script in steps_of(RELEASE, "report"):
        done = machine(script, RELEASE_KEY=key, RUNNER_TEMP=str(tmp_path))
        assert done.returncode == 0, done.stderr
    assert not (tmp_path / "release-key").exists()
    if fault == "another package":
        (machine.work / "dist" / "desk.tar.gz").write_text("something else")
    codes = []
    for script in steps_of(RELEASE, "publish"):
        codes.append(machine(script).returncode)
        if codes[-1]:
            break
    assert (codes, (machine.work / "published").exists()) == ([0, 0] if passes else [1], passes)


@pytest.mark.parametrize(("refund", "code"), [("", 0), ('<failure message="no refund"/>', 1)])
def test_the_shell_of_the_other_family_does_the_same(machine, refund, code):
    jobs = yaml.safe_load(OTHER.read_text())
    for shard in ("1", "2"):
        for script in jobs["checks"]["script"]:
            assert machine(script, CI_NODE_INDEX=shard, CI_NODE_TOTAL="2", REFUND=refund).returncode == 0
    job = jobs["report"]
    env = {
        **job["variables"],
        "CI_DEFAULT_BRANCH": "main",
        "CI_JOB_URL": "https://ci.desk.test/jobs/9",
        "CI_PIPELINE_IID": "12",
    }
    env |= {
        "CI_MERGE_REQUEST_IID": "7",
        "CI_MERGE_REQUEST_PROJECT_ID": "3",
        "CI_API_V4_URL": "https://ci.desk.test/api/v4",
        "COMMENT_TOKEN": "t0ken",
    }
    # The change would make itself fit: the rules are those of the main branch.
    (machine.work / "plain-verdict.toml").write_text(
        '[[waiver]]\nreason = "never mind"\nuntil = 2099-01-01\nmatch = { check = "seats*" }\n'
    )
    *scripts, judge = (*job["before_script"], *job["script"])
    for script in scripts:
        done = machine(script, **env)
        assert done.returncode == 0, done.stderr
    assert machine(judge, **env).returncode == code
    assert f'failures="{code}"' in (machine.work / "page" / "judged.xml").read_text()
    posted = json.loads((machine.work / "posted.json").read_text())["body"]
    assert posted.startswith("## Not fit" if code else "## Fit")
    assert "https://ci.desk.test/jobs/9/artifacts/file/page/verdict.html" in posted
    assert "merge_requests/7/notes" in (machine.work / "posted.txt").read_text()
    for name in ("posted.json", "posted.txt"):
        (machine.work / name).unlink()
    for script in scripts:  # on the main branch nobody is told
        assert machine(script, **(env | {"CI_MERGE_REQUEST_IID": ""})).returncode == 0
    assert not (machine.work / "posted.json").exists()
