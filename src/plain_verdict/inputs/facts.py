"""Facts about a run from outside its results: what the user says, the environment, the repository."""

import shutil
import subprocess
from collections.abc import Mapping, Sequence
from pathlib import Path

from plain_verdict.errors import UsageError
from plain_verdict.model import Fact
from plain_verdict.model.facts import BRANCH, COMMIT, NOT_COMMITTED
from plain_verdict.text.formatting import plural

_PATIENCE_S = 5.0


def read_pairs(texts: Sequence[str]) -> tuple[Fact, ...]:
    """Return facts written as ``KEY=VALUE``. Raises UsageError."""
    facts = []
    for text in texts:
        key, sign, value = text.partition("=")
        if not sign or not key.strip():
            raise UsageError(f"{text[:60]!r} is no KEY=VALUE", hint="write --fact build=4211")
        facts.append(Fact(key.strip(), value.strip()))
    return tuple(facts)


def environment_facts(names: Mapping[str, str], environment: Mapping[str, str]) -> tuple[Fact, ...]:
    """Return a fact for each variable that the settings name and the environment has."""
    return tuple(Fact(key, environment[name]) for key, name in names.items() if environment.get(name))


def repository_facts(folders: Sequence[str]) -> tuple[Fact, ...]:
    """Return branch, commit and uncommitted changes of the first folder's repository, if one stands in any."""
    repository = next((folder for folder in folders if _in_repository(Path(folder))), None)
    if repository is None:
        return ()
    # No hook and no helper that the repository's own settings name may run.
    safely = ("-c", "core.fsmonitor=false", "-c", "core.hooksPath=/dev/null")
    wanted = ("--porcelain=v2", "--branch", "--untracked-files=no", "--ignore-submodules=all")
    return _told(_git(repository, *safely, "status", *wanted))


def remote_name(folder: Path) -> str:
    """Return the name of a repository by the address of its remote; "" where there is none."""
    address = _git(str(folder), "config", "--get", "remote.origin.url")
    return address.strip().rstrip("/").removesuffix(".git").replace(":", "/").rpartition("/")[2]


def user_name() -> str:
    """Return the name that git knows its user by; "" where it knows none."""
    return _git(".", "config", "--get", "user.name").strip()


def _git(folder: str, *arguments: str) -> str:
    """Return what git says of a folder; "" where it can't say anything."""
    git = shutil.which("git")
    if git is None:
        return ""
    try:
        done = subprocess.run(  # noqa: S603  the arguments are ours; the folder is where the results stand
            [git, "-C", folder, *arguments],
            capture_output=True,
            timeout=_PATIENCE_S,
            check=False,
            encoding="utf-8",
            errors="replace",
            env={"GIT_OPTIONAL_LOCKS": "0", "LC_ALL": "C", "HOME": str(Path.home())},
        )
    except (OSError, subprocess.TimeoutExpired):
        return ""
    return done.stdout if done.returncode == 0 else ""


def _in_repository(folder: Path) -> bool:
    return any((place / ".git").exists() for place in (folder.absolute(), *folder.absolute().parents))


def _told(status: str) -> tuple[Fact, ...]:
    """Return the facts in git's answer. Source: git-status(1), Porcelain Format Version 2."""
    lines = status.splitlines()
    heads = dict(line[2:].split(" ", 1) for line in lines if line.startswith("# branch.") and " " in line[2:])
    facts = []
    if heads.get("branch.head", "(detached)") != "(detached)":
        facts.append(Fact(BRANCH, heads["branch.head"]))
    if heads.get("branch.oid", "(initial)") != "(initial)":
        facts.append(Fact(COMMIT, heads["branch.oid"][:12]))
    changes = sum(1 for line in lines if not line.startswith("#"))
    if facts and changes:
        facts.append(Fact(NOT_COMMITTED, plural(changes, "changed file")))
    return tuple(facts)
