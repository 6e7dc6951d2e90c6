"""Branch and commit come from the repository's files, and nothing that its configuration names runs."""

import json
import shutil
import subprocess

import pytest

GOOD = '<testsuite name="Desk"><testcase name="sails"/></testsuite>'
RAN = "touch {RAN}"


def git(folder, *arguments):
    identity = (
        "-c",
        "user.name=Kari Nord",
        "-c",
        "user.email=kari@brindle-quay.test",
        "-c",
        "protocol.file.allow=always",
    )
    done = subprocess.run(["git", *identity, *arguments], cwd=folder, check=True, capture_output=True, text=True)
    return done.stdout.strip()


@pytest.fixture
def repository(tmp_path):
    """A repository with results that were changed since."""
    folder = tmp_path / "desk"
    folder.mkdir()
    (folder / "r.xml").write_text(GOOD)
    git(folder, "init", "-b", "summer/fares")
    git(folder, "add", "r.xml")
    git(folder, "commit", "-m", "results")
    (folder / "r.xml").write_text(GOOD.replace("sails", "lands"))  # of the same size: only its content tells
    return folder


def facts_of(tool, folder):
    done = tool("report", str(folder), "--json", "--out", "page.html", "--overwrite")
    assert done.code == 0, done.err
    return json.loads(done.out)["facts"]


HOSTILE = {
    "clean filter": ("*.xml filter=x", f'[filter "x"]\nclean = {RAN}\nsmudge = {RAN}\nrequired = true'),
    "process filter": ("*.xml filter=x", f'[filter "x"]\nprocess = {RAN}'),
    "text conversion": ("*.xml diff=x", f'[diff "x"]\ntextconv = {RAN}\ncommand = {RAN}'),
    "monitor": ("", f"[core]\nfsmonitor = {RAN}"),
    "hooks": ("", "[core]\nhooksPath = hooks-of-results"),
    "included file": ("*.xml filter=x", "[include]\npath = ../more.config"),
    "alias": ("", f"[alias]\nstatus = !{RAN}\nrev-parse = !{RAN}\nconfig = !{RAN}"),
    "transport": ("", f"[core]\nsshCommand = {RAN}\ngitProxy = {RAN}\naskPass = {RAN}\npager = {RAN}\neditor = {RAN}"),
    "promised objects": ("", f'[core]\nrepositoryFormatVersion = 1\n[extensions]\npartialClone = far\n[remote "far"]\nurl = ext::{RAN}\npromisor = true\n[core]\nsshCommand = {RAN}'),
    "other work tree": ("", "[core]\nworktree = /"),
    "credentials": ("", f"[credential]\nhelper = !{RAN}\n[gpg]\nprogram = {RAN}"),
    "directory of somebody else": ("*.xml filter=x", f'[safe]\ndirectory = *\n[filter "x"]\nclean = {RAN}'),
}  # fmt: skip


@pytest.mark.parametrize("trap", HOSTILE)
def test_nothing_of_a_repositorys_configuration_runs(trap, repository, tool, tmp_path, monkeypatch):
    attributes, config = HOSTILE[trap]
    ran = tmp_path / "ran"
    trap_set = RAN.format(RAN=ran)
    config = config.replace(RAN, trap_set)
    (repository / ".gitattributes").write_text(attributes)
    (repository / ".git" / "more.config").write_text("")
    (repository / "more.config").write_text(f'[filter "x"]\nclean = {trap_set}')
    for hooks in (repository / "hooks-of-results", repository / ".git" / "hooks"):
        hooks.mkdir(exist_ok=True)
        for name in ("post-index-change", "post-checkout", "reference-transaction", "fsmonitor-watchman"):
            (hooks / name).write_text(f"#!/bin/sh\n{trap_set}\n")
            (hooks / name).chmod(0o755)
    own = repository / ".git" / "config"
    own.write_text(f"{own.read_text()}{config}\n")
    monkeypatch.chdir(repository)
    commit = (repository / ".git/refs/heads/summer/fares").read_text()[:12]
    facts = {"branch": "summer/fares", "commit": commit}
    assert facts.items() <= facts_of(tool, ".").items()
    for command in ("judge", "inspect"):
        assert tool(command, "r.xml").code == 0
    tool("init")
    tool("decide", "r.xml", "--out", "decided.jsonl")
    assert not ran.exists()


def detached(folder):
    git(folder, "checkout", "--detach")


def packed(folder):
    git(folder, "pack-refs", "--all")


def unborn(folder):
    git(folder, "checkout", "--orphan", "winter")


def symbolic(folder):
    git(folder, "branch", "real")
    git(folder, "symbolic-ref", "refs/heads/summer/fares", "refs/heads/real")


@pytest.mark.parametrize(("change", "branch"), [(detached, ""), (packed, "summer/fares"), (unborn, "winter"), (symbolic, "summer/fares")])  # fmt: skip
def test_branch_and_commit_are_those_that_git_tells(change, branch, repository, tool):
    commit = git(repository, "rev-parse", "HEAD")[:12]
    change(repository)
    facts = facts_of(tool, repository)
    assert facts.get("branch", "") == branch
    assert facts.get("commit", "") == ("" if change is unborn else commit)


def test_worktrees_and_submodules_have_a_head_of_their_own(repository, tool, tmp_path):
    commit = git(repository, "rev-parse", "HEAD")[:12]
    git(repository, "worktree", "add", "-b", "autumn", "../autumn")
    assert {"branch": "autumn", "commit": commit}.items() <= facts_of(tool, tmp_path / "autumn").items()
    (tmp_path / "fleet").mkdir()
    git(tmp_path / "fleet", "init", "-b", "main")
    git(tmp_path / "fleet", "submodule", "add", "../desk", "desk")
    assert facts_of(tool, tmp_path / "fleet" / "desk")["branch"] == "summer/fares"


HEADS = {
    "leads out by its name": "ref: refs/heads/../../../../other",
    "names a file": "ref: /etc/passwd",
    "is not a hash": "0123456789abcdef",
    "is long": "f" * 9_000,
    "is binary": "\x00\ufffd" * 40,
    "of a table of references": "ref: refs/heads/.invalid",
}


@pytest.mark.parametrize("text", HEADS.values(), ids=HEADS)
def test_a_head_that_is_none_tells_nothing(text, repository, tool, tmp_path):
    (tmp_path / "other").write_text("a" * 40)
    (repository / ".git" / "HEAD").write_text(text, "utf-8")
    assert {"branch", "commit"}.isdisjoint(facts_of(tool, repository))


@pytest.mark.parametrize(
    "way",
    ["references are a link", "a reference is a link", "the common folder is elsewhere", "a folder links back"],
)
def test_no_file_of_a_repository_leads_to_another(way, repository, tool, tmp_path):
    results = tmp_path / "results"
    heads = results / ".git" / "refs" / "heads" / "summer"
    heads.mkdir(parents=True)
    (results / "r.xml").write_text(GOOD)
    (results / ".git" / "HEAD").write_text("ref: refs/heads/summer/fares\n")
    if way == "references are a link":
        shutil.rmtree(results / ".git" / "refs")
        (results / ".git" / "refs").symlink_to(repository / ".git" / "refs")
    elif way == "a reference is a link":
        (heads / "fares").symlink_to(repository / ".git" / "refs" / "heads" / "summer" / "fares")
    elif way == "the common folder is elsewhere":
        (results / ".git" / "commondir").write_text(str(repository / ".git"))
    else:
        (results / ".git").rename(results / "own")
        (results / ".git").write_text("gitdir: own\n")
        (results / "own" / "gitdir").write_text(str(results / ".git"))
        (results / "own" / "commondir").write_text(str(repository / ".git"))
    assert facts_of(tool, results).get("commit", "") == ""


def test_a_repository_that_is_elsewhere_is_not_read(repository, tool, tmp_path):
    results = tmp_path / "results"
    results.mkdir()
    (results / "r.xml").write_text(GOOD)
    (results / ".git").write_text(f"gitdir: {repository / '.git'}\n")
    assert {"branch", "commit"}.isdisjoint(facts_of(tool, results))
    (results / ".git").unlink()
    (results / ".git").symlink_to(repository / ".git")
    assert {"branch", "commit"}.isdisjoint(facts_of(tool, results))
