"""Commits since a new failure last passed: read by git, with no configuration of the repository."""

import json
import os
import subprocess

import pytest

NAMES = ("quote", "refund", "late")
STACK = 'File "/agent/7/src/fares.py", line 12, in quote'
PASSES = '<testcase classname="desk.Fares" name="{}"/>'
FAILS = (
    f'<testcase classname="desk.Fares" name="{{}}"><failure message="418 is not 209">{STACK}</failure></testcase>'
)
COMMITS = (
    ("Begin", "src/fares.py"),
    ("Update the words", "docs/a.md"),
    ("Round fares up", "src/fares.py"),
    ("Sort the seats", "src/seats.py"),
    ("Make the seats wide", "src/seats.py"),
)


class Repository:
    """A repository with some commits, and reports on builds of them."""

    def __init__(self, folder, tool):
        self.folder, self.tool, self.names = folder, tool, NAMES
        self.git("init", "--quiet", "--initial-branch", "main")
        (folder / "CODEOWNERS").write_text("/src/ @fares\n/docs/ @words\n")
        (folder / "out").mkdir()
        self.commits = [self.commit(subject, file) for subject, file in COMMITS]

    def git(self, *arguments, folder=None):
        who = {f"GIT_{role}_{key}": value for role in ("AUTHOR", "COMMITTER") for key, value in WHO.items()}
        done = subprocess.run(
            ["git", *arguments],
            cwd=folder or self.folder,
            env={**os.environ, **who},
            check=True,
            capture_output=True,
            text=True,
        )
        return done.stdout.strip()

    def commit(self, subject, file):
        path = self.folder / file
        path.parent.mkdir(exist_ok=True)
        path.write_text(subject)
        self.git("add", file)
        self.git("commit", "--quiet", "--message", subject)
        return self.git("rev-parse", "HEAD")

    def report(self, build, failing=(), commit="", *options, folder="."):
        cases = "".join((FAILS if name in failing else PASSES).format(name) for name in self.names)
        (self.folder / folder / "out").mkdir(exist_ok=True)
        (self.folder / folder / "out/r.xml").write_text(
            f'<testsuites><testsuite timestamp="2026-11-0{build}T02:00:00">{cases}</testsuite></testsuites>'
        )
        facts = ["--fact", f"commit={commit}", "--fact", "branch=main"]
        arguments = ["report", f"{folder}/out/r.xml", "--title", "Fares", "--build", build, *facts]
        return self.tool(*arguments, "--history", "h.db", "--no-find-previous", "--overwrite", "--json", *options)

    def since(self, first, last, *options, folder="."):
        """Return the commits of the first check, which fails in the second of two builds, and the words on it."""
        (self.folder / "h.db").unlink(missing_ok=True)
        self.report("7", (), first)
        summary = json.loads(self.report("8", NAMES[:1], last, "--markdown", "v.md", *options, folder=folder).out)
        words = (self.folder / "v.md").read_text().partition("New:\n\n")[2].split("\n")[0].replace("\\", "")
        return next(iter(summary["history"]["commits"]), None), words.partition("; ")[2]


WHO = {"NAME": "Kari Nord", "EMAIL": "kari@brindle.test", "DATE": "2026-05-05T12:00:00+02:00"}


@pytest.fixture
def repository(tmp_path, tool):
    return Repository(tmp_path, tool)


def test_commits_that_touch_what_a_check_ran_stand_first(repository, tmp_path):
    first, *_, last = repository.commits
    commits, words = repository.since(first, last)
    short = repository.commits[2][:8]
    touching = f"1 of them touches what it ran, 2 touch paths of its owner: {short} “Round fares up” (Kari Nord)"
    assert words == f"4 commits since it passed in 7, {touching}"
    assert [(commit["subject"], commit["touches"], commit["files"]) for commit in commits["commits"]] == [
        ("Round fares up", "ran", ["src/fares.py"]),
        ("Make the seats wide", "owner", []),
        ("Sort the seats", "owner", []),
        ("Update the words", "", []),
    ]
    assert commits["commits"][0]["author"] == "Kari Nord"
    assert commits["commits"][0]["at"] == WHO["DATE"]
    assert "1 of them touches what it ran" in (tmp_path / "verdict.html").read_text()


def test_what_no_commit_can_explain_is_said(repository):
    _, second, *_, last = repository.commits
    unknown = "a" * 40
    assert repository.since(last, last)[1] == "no commit since it passed in 7"
    assert repository.since(last[:9], last)[1] == "no commit since it passed in 7"
    assert repository.since(repository.commits[-2], last)[1].startswith(
        "1 commit since it passed in 7, it does not touch what it ran, 1 touches paths of its owner: "
    )
    assert repository.since(unknown, unknown)[1] == "no commit since it passed in 7"
    assert repository.since(*repository.commits[1:3])[1].startswith(
        "1 commit since it passed in 7: it touches what the check ran: "
    )
    assert repository.since(unknown, last)[1] == (
        f"commits since it passed in 7: the commit {unknown[:10]} is not in the repository here"
    )
    assert repository.since("", last)[1] == "commits since it passed in 7: 7 names no commit"
    assert repository.since("--output=x", last)[1].endswith("the commit --output=x is not in the repository here")
    assert repository.since(second, last, "--no-git") == (None, "")
    repository.git("checkout", "--quiet", "-b", "other", second)
    other = repository.commit("Try a new pier", "src/pier.py")
    assert repository.since(last, other)[1].startswith("1 commit since it passed in 7 (on another branch)")


def test_a_shallow_clone_says_what_it_lacks(repository):
    first, *_, last = repository.commits
    repository.git("clone", "--quiet", "--depth", "2", f"file://{repository.folder}", "shallow")
    words = repository.since(first, last, folder="shallow")[1]
    assert words.endswith("is not in the repository here, which is a shallow clone")
    commits, words = repository.since(repository.commits[-2], last, folder="shallow")
    assert words.startswith("1 commit since it passed in 7, it does not touch")
    assert commits["number"] == 1


def test_no_configuration_of_the_repository_is_obeyed(repository, tmp_path):
    first, *_, last = repository.commits
    trap = tmp_path / "trap.sh"
    trap.write_text(f"#!/bin/sh\ntouch {tmp_path}/sprung\n")
    trap.chmod(0o755)
    for key in (
        "core.fsmonitor",
        "core.pager",
        "diff.external",
        "gpg.program",
        "core.sshCommand",
        "filter.x.clean",
    ):
        repository.git("config", key, str(trap))
    repository.git("config", "log.showSignature", "true")
    repository.git("config", "include.path", "/dev/zero")
    for hook in ("post-checkout", "pre-auto-gc", "reference-transaction"):
        (tmp_path / ".git" / "hooks" / hook).write_text(trap.read_text())
        (tmp_path / ".git" / "hooks" / hook).chmod(0o755)
    assert repository.since(first, last)[0]["number"] == 4
    assert not (tmp_path / "sprung").exists()
    # Objects of another repository would show what only its own people may read.
    (tmp_path / ".git" / "objects" / "info" / "alternates").write_text("/elsewhere/objects\n")
    assert repository.since(first, last)[1].endswith("borrows its commits from another one, which is not read")


def test_merges_and_words_of_anybody_are_listed_as_they_are(repository):
    first = repository.commits[0]
    repository.git("checkout", "--quiet", "-b", "side", first)
    repository.commit("Fix \x1b[31mred\x1b[0m <b>fares</b> password=hunter2hunter2", "src/fares.py")
    repository.git("checkout", "--quiet", "main")
    repository.git("merge", "--quiet", "--strategy", "ours", "--message", "Merge side", "side")
    commits, _ = repository.since(repository.commits[-1], repository.git("rev-parse", "HEAD"))
    subjects = [commit["subject"] for commit in commits["commits"]]
    assert commits["touching"] == 1
    assert subjects[1] == "Merge side"
    assert subjects[0].startswith("Fix red <b>fares</b> password=")
    assert "hunter2" not in json.dumps(commits)


def test_of_many_commits_and_failures_the_nearest_are_listed(repository):
    for number in range(12):
        repository.commit(f"Number {number}", "docs/a.md" if number % 2 else "src/seats.py")
    last = repository.git("rev-parse", "HEAD")
    for failures, listed in ((1, 16), (60, 5)):
        (repository.folder / "h.db").unlink(missing_ok=True)
        repository.names = [f"check {number}" for number in range(failures)]
        repository.report("7", (), repository.commits[0])
        found = json.loads(repository.report("8", repository.names, last).out)["history"]["commits"]
        assert len(found) == failures
        for commits in found:
            assert (commits["number"], commits["touching"], len(commits["commits"])) == (16, 1, listed)
            assert commits["commits"][0]["subject"] == "Round fares up"
