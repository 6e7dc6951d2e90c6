"""The commits since a check last passed, below its failure."""

from collections.abc import Iterator

from plain_verdict.model import CommitsSince
from plain_verdict.report.commits import SHORT_CHARS, describe_commits, describe_writing
from plain_verdict.text.formatting import capital
from plain_verdict.writers.html.checks.escaping import escaped


def commits_html(since: CommitsSince) -> Iterator[str]:
    """Yield how many commits came since, and the first of them."""
    yield f"<h4>Commits</h4><p>{escaped(capital(describe_commits(since)))}.</p>"
    if not since.listed:
        return
    yield '<ul class="commits">'
    for commit in since.listed:
        files = ", ".join(commit.files)
        touched = f" <small>touches <bdi>{escaped(files)}</bdi></small>" if files else ""
        yield (
            f"<li><code>{escaped(commit.id[:SHORT_CHARS])}</code> <bdi>{escaped(commit.subject)}</bdi> "
            f'<span class="soft">{escaped(describe_writing(commit))}</span>{touched}</li>'
        )
    more = since.number - len(since.listed)
    if more > 0:
        yield f'<li class="soft">and {more:,} more</li>'
    yield "</ul>"
