"""What a web service gets of a run: a small JSON, described in docs/publishing.md."""

from collections.abc import Iterator

import msgspec

from plain_verdict.report import Report
from plain_verdict.writers.interface import OutputFile
from plain_verdict.writers.summary_history import BuildCounts, counts_of

SCHEMA = "plain-verdict/notice/1"
_CAUSES = 5  # a chat message is read at a glance


class NoticeCause(msgspec.Struct, frozen=True):
    """A cause and how many checks it has."""

    name: str
    checks: int


class NoticeJson(msgspec.Struct, frozen=True):
    """The verdict on a run in a few words and numbers.

    ``against`` is the build before, "" where none is known. ``new``, ``failing_again`` and ``fixed`` count failures
    since. ``link`` is the page's address, or "". Moments are ISO 8601, "" where no result tells them.
    """

    schema: str
    title: str
    verdict: str
    sentence: str
    counts: BuildCounts
    causes: list[NoticeCause]
    new: int
    failing_again: int
    fixed: int
    against: str
    changed: bool
    build: str
    branch: str
    commit: str
    started: str
    ended: str
    made: str
    facts: dict[str, str]
    link: str
    owner: str = ""
    """Whose checks alone it is about, "" for all."""


class NoticeWriter(msgspec.Struct, frozen=True):
    """Writes what a web service is given; ``link`` is the page's address, ``owner`` whose checks it is about."""

    link: str = ""
    owner: str = ""

    name = "notice"
    suffix = ".json"
    about = "what a web service gets of the run"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the notice."""
        yield OutputFile("notice.json", msgspec.json.encode(self.notice(report)))

    def values(self, report: Report) -> dict[str, object]:
        """Return the same for a template."""
        values = msgspec.to_builtins(self.notice(report))
        assert isinstance(values, dict)  # noqa: S101  a struct's fields
        return values

    def notice(self, report: Report) -> NoticeJson:
        """Return the notice."""
        since = report.run.since
        build = report.kept.build
        tally = report.tally
        started, ended = report.span
        return NoticeJson(
            schema=SCHEMA,
            title=report.title,
            verdict=report.verdict.word.value,
            sentence=report.verdict.sentence,
            counts=counts_of(tally),
            causes=[NoticeCause(cause.name, len(cause.checks)) for cause in report.verdict.causes[:_CAUSES]],
            new=len(since.new) if since else 0,
            failing_again=len(since.failing_again) if since else 0,
            fixed=len(since.fixed) if since else 0,
            against=since.against.label if since else "",
            changed=report.changed,
            build=build.build,
            branch=build.branch,
            commit=build.commit,
            started=started.isoformat() if started else "",
            ended=ended.isoformat() if ended else "",
            made=report.info.made.isoformat(),
            facts={fact.key: fact.value for fact in report.info.facts},
            link=self.link,
            owner=self.owner,
        )
