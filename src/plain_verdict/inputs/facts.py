"""Facts about a run from outside its results: what the user says, the environment, the repository."""

import os
import shutil
from collections.abc import Mapping, Sequence
from pathlib import Path

from plain_verdict.inputs.repository import find_root, read_head
from plain_verdict.model import Fact
from plain_verdict.model.facts import BRANCH, BUILD, COMMIT, JOB
from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.placeholders import PLACEHOLDER, placeholders_in

_GIT_PATIENCE_S = 5.0  # a repository on a slow network share must not hold the report up


def read_pairs(texts: Sequence[str]) -> tuple[Fact, ...]:
    """Return facts written as ``KEY=VALUE``. Raises UsageError."""
    facts = []
    for text in texts:
        key, sign, value = text.partition("=")
        if not sign or not key.strip():
            raise UsageError(f"{text[:60]!r} is not a KEY=VALUE", hint="write --fact build=4211")
        facts.append(Fact(key.strip(), value.strip()))
    return tuple(facts)


def environment_facts(names: Mapping[str, str], environment: Mapping[str, str]) -> tuple[Fact, ...]:
    """Return a fact for each variable that the settings name and the environment has."""
    return tuple(Fact(key, environment[name]) for key, name in names.items() if environment.get(name))


# What servers that run pipelines tell, the more telling variable first. Links of several are made of parts.
_BY_PIPELINES = {
    BUILD: (
        "CI_PIPELINE_NUMBER",
        "CI_PIPELINE_IID",
        "GITHUB_RUN_NUMBER",
        "BUILDKITE_BUILD_NUMBER",
        "BITBUCKET_BUILD_NUMBER",
        "CIRCLE_BUILD_NUM",
        "DRONE_BUILD_NUMBER",
        "BUILD_BUILDNUMBER",
        "BUILD_NUMBER",
    ),
    BRANCH: (
        "CI_MERGE_REQUEST_SOURCE_BRANCH_NAME",
        "CI_COMMIT_BRANCH",
        "CI_COMMIT_REF_NAME",
        "GITHUB_HEAD_REF",
        "GITHUB_REF_NAME",
        "BUILDKITE_BRANCH",
        "BITBUCKET_BRANCH",
        "CIRCLE_BRANCH",
        "DRONE_BRANCH",
        "BUILD_SOURCEBRANCHNAME",
        "CHANGE_BRANCH",
        "BRANCH_NAME",
        "GIT_BRANCH",
    ),
    COMMIT: (
        "CI_COMMIT_SHA",
        "GITHUB_SHA",
        "BUILDKITE_COMMIT",
        "BITBUCKET_COMMIT",
        "CIRCLE_SHA1",
        "DRONE_COMMIT",
        "BUILD_SOURCEVERSION",
        "GIT_COMMIT",
        "BUILD_VCS_NUMBER",
    ),
    JOB: (
        "CI_JOB_URL",
        "CI_PIPELINE_URL",
        "{GITHUB_SERVER_URL}/{GITHUB_REPOSITORY}/actions/runs/{GITHUB_RUN_ID}",
        "BUILDKITE_BUILD_URL",
        "{BITBUCKET_GIT_HTTP_ORIGIN}/pipelines/results/{BITBUCKET_BUILD_NUMBER}",
        "CIRCLE_BUILD_URL",
        "DRONE_BUILD_LINK",
        "{SYSTEM_COLLECTIONURI}{SYSTEM_TEAMPROJECT}/_build/results?buildId={BUILD_BUILDID}",
        "BUILD_URL",
    ),
}
_COMMIT_CHARS = 12  # of a commit: unique in any repository that people work in
PIPELINE_VARIABLES = frozenset(
    name
    for templates in _BY_PIPELINES.values()
    for template in templates
    for name in placeholders_in(template) or (template,)
)
"""Every variable that is looked at."""


def pipeline_facts(environment: Mapping[str, str]) -> tuple[Fact, ...]:
    """Return build, branch, commit and job as the pipeline's server tells them; nothing outside a pipeline."""
    facts = []
    for key, templates in _BY_PIPELINES.items():
        value = next(filter(None, (_filled(template, environment) for template in templates)), "")
        if value:
            value = value[:_COMMIT_CHARS] if key == COMMIT else plain_branch(value) if key == BRANCH else value
            facts.append(Fact(key, value))
    return tuple(facts)


def plain_branch(name: str) -> str:
    """Return the name of a branch without where it is kept: some servers say ``origin/main`` for main."""
    for prefix in ("refs/heads/", "refs/remotes/", "remotes/", "origin/"):
        name = name.removeprefix(prefix) or name
    return name


def _filled(template: str, environment: Mapping[str, str]) -> str:
    """Return a variable's value, or what several make up; "" where one of them is not set."""
    names = placeholders_in(template)
    if not names:
        return environment.get(template, "").strip()
    values = {name: environment.get(name, "").strip() for name in names}
    return PLACEHOLDER.sub(lambda found: values[found[1]], template) if all(values.values()) else ""


def repository_facts(folders: Sequence[str]) -> tuple[Fact, ...]:
    """Return branch and commit of the first folder's repository, if one stands in any."""
    head = next(filter(None, (read_head(Path(folder)) for folder in folders)), None)
    if head is None:
        return ()
    found = ((BRANCH, head.branch), (COMMIT, head.commit[:_COMMIT_CHARS]))
    return tuple(Fact(key, value) for key, value in found if value)


def remote_name(folder: Path) -> str:
    """Return the name of a repository by the address of its remote; "" where there is none."""
    config = (find_root(folder) or folder) / ".git" / "config"
    address = _git_setting("--file", str(config), "--no-includes", "--get", "remote.origin.url")
    return address.strip().rstrip("/").removesuffix(".git").replace(":", "/").rpartition("/")[2]


def user_name() -> str:
    """Return the name that git knows its user by; "" where it knows none."""
    return _git_setting("--global", "--get", "user.name").strip()


def _git_setting(*arguments: str) -> str:
    """Return a setting that ``git config`` reads from the file that is named; "" where there is none.

    It looks for no repository: what one configures is not the user's.
    """
    git = shutil.which("git")
    if git is None:
        return ""
    import subprocess  # for init and decide

    try:
        done = subprocess.run(  # noqa: S603  the arguments are ours
            [git, "config", *arguments],
            capture_output=True,
            timeout=_GIT_PATIENCE_S,
            check=False,
            encoding="utf-8",
            errors="replace",
            env={"LC_ALL": "C", "HOME": str(Path.home()), "GIT_DIR": os.devnull},
        )
    except (OSError, subprocess.TimeoutExpired):
        return ""
    return done.stdout if done.returncode == 0 else ""
