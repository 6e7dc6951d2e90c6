"""The commits since a check last passed, in words."""

from plain_verdict.model import Changed, Commit, CommitsSince
from plain_verdict.text.formatting import format_date, join_list, plural

SHORT_CHARS = 8
"""Of a hash, as it is shown."""
_IN_A_LINE = 2


def describe_change(change: Changed) -> str:
    """Return what a check did before, and which commits came since it passed, in a line."""
    if change.commits is None:
        return change.before
    return f"{change.before}; {describe_commits(change.commits)}{_nearest(change.commits)}"


def describe_commits(commits: CommitsSince) -> str:
    """Return how many commits came since a check passed, and how many touch what it ran."""
    since = f"since it passed in {commits.passed_in}"
    if not commits.is_known:
        return f"commits {since}: {commits.trouble}"
    doubt = f" ({commits.trouble})" if commits.trouble else ""
    if not commits.number:
        return f"no commit {since}{doubt}"
    near, owned = commits.touching, commits.touching_owner
    number = f"{plural(commits.number, 'commit')} {since}{doubt}"
    if near == commits.number == 1:
        return f"{number}: it touches what the check ran"
    touching = f"{near:,} of them {'touches' if near == 1 else 'touch'}" if near else "none of them touches"
    if commits.number == 1:
        touching = "it does not touch"
    rest = f", {owned:,} {'touches' if owned == 1 else 'touch'} paths of its owner" if owned else ""
    return f"{number}, {touching} what it ran{rest}"


def describe_writing(commit: Commit) -> str:
    """Return who wrote a commit and when."""
    return ", ".join(filter(None, (commit.author, format_date(commit.at.date()) if commit.at else "")))


def _nearest(commits: CommitsSince) -> str:
    nearest = (commits.near or commits.by_owner)[:_IN_A_LINE]
    named = [f"{commit.id[:SHORT_CHARS]} “{commit.subject}” ({commit.author})" for commit in nearest]
    return f": {join_list(named)}" if named else ""
