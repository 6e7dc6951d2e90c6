"""Finds the commits since new failures last passed, those first that touch what the checks ran."""

from collections.abc import Callable, Sequence
from functools import cached_property
from itertools import chain

import msgspec

from plain_verdict.inputs.commits import CommitLog, CommitRange
from plain_verdict.inputs.source_files import SourceFiles
from plain_verdict.model import AlignedHistory, Build, Changed, Check, Commit, CommitsSince, Past, Run
from plain_verdict.model.transform import with_fields

_COMMITS = 20  # commits of a check
_FEWER_FROM, _FEWER = 50, 5  # with so many new failures, each has fewer commits
_WELL = (Past.PASSED, Past.PASSED_ON_RETRY)

OwnersOfFile = Callable[[str], tuple[str, ...]]
"""Gives the owners that the repository names for a path."""


class WorkingCopy:
    """The repository around the results: its files, the owners of paths, its commits."""

    def __init__(self, files: Callable[[], SourceFiles], owners_of: OwnersOfFile, log: CommitLog) -> None:
        self._make_files = files
        self.owners_of = owners_of
        self.log = log

    @cached_property
    def files(self) -> SourceFiles:
        """Return its source files, looked for once they are needed."""
        return self._make_files()


def with_commits(run: Run, copy: WorkingCopy, mask: Callable[[str], str]) -> Run:
    """Return the run with the commits since each new failure last passed; ``mask`` masks what people wrote."""
    context = run.in_series
    since = context.since if context else None
    if context is None or since is None or not (since.new or since.failing_again):
        return run
    ids = {change.id for change in (*since.new, *since.failing_again)}
    checks = {check.id: check for check in run.checks.named(ids)}
    finding = _Finding(context.now.build, since.traces, copy, mask, len(ids))

    def with_its(changes: Sequence[Changed]) -> tuple[Changed, ...]:
        return tuple(
            msgspec.structs.replace(change, commits=finding.commits_of(checks[change.id])) for change in changes
        )

    since = msgspec.structs.replace(since, new=with_its(since.new), failing_again=with_its(since.failing_again))
    return with_fields(run, in_series=msgspec.structs.replace(context, since=since))


class _Finding:
    def __init__(
        self, now: Build, traces: AlignedHistory, copy: WorkingCopy, mask: Callable[[str], str], failures: int
    ) -> None:
        self._now = now
        self._traces = traces
        self._copy = copy
        self._mask = mask
        self._most = _COMMITS if failures <= _FEWER_FROM else _FEWER
        self._masked: dict[str, Commit] = {}
        self._owners: dict[str, frozenset[str]] = {}

    def commits_of(self, check: Check) -> CommitsSince | None:
        """Return the commits since a check last passed; None where no build is known in which it did."""
        ended = reversed(list(self._traces.of(check.id)))
        passed = next((build for build, past, _ in ended if past in _WELL), None)
        if passed is None or not (passed.commit or self._now.commit):
            return None
        found = self._between(passed)
        if not found.is_known:
            return CommitsSince(passed.label, trouble=found.trouble, is_known=False)
        return self._sorted(passed.label, found, check)

    def _between(self, passed: Build) -> CommitRange:
        for build, name in ((passed, passed.label), (self._now, "this build")):
            if not build.commit:
                return CommitRange((), f"{name} names no commit", is_known=False)
        if passed.commit == self._now.commit:
            return CommitRange()
        return self._copy.log.between(passed.commit, self._now.commit)

    def _sorted(self, passed_in: str, found: CommitRange, check: Check) -> CommitsSince:
        file = self._copy.files.file_of(check)
        ran = frozenset(filter(None, (file, *self._copy.files.files_in_stack(check))))
        # A rule of the team may call the owner otherwise than CODEOWNERS does.
        owners = frozenset((*check.owners, *(self._copy.owners_of(file) if file else ())))
        near, by_owner, others = list[Commit](), list[Commit](), list[Commit]()
        for commit in found.commits:
            if not ran.isdisjoint(commit.files):
                near.append(self._listed(commit, ran))
            elif owners and not owners.isdisjoint(self._owners_of(commit)):
                by_owner.append(self._listed(commit, ()))
            else:
                others.append(commit)
        room = max(0, self._most - len(near) - len(by_owner))
        return CommitsSince(
            passed_in,
            len(found.commits),
            len(near),
            len(by_owner),
            tuple(near[: self._most]),
            tuple(by_owner[: max(0, self._most - len(near))]),
            tuple(self._listed(commit, ()) for commit in others[:room]),
            found.trouble,
        )

    def _owners_of(self, commit: Commit) -> frozenset[str]:
        """Return the owners of what a commit changed, looked up once for all checks."""
        if commit.id not in self._owners:
            owners = (self._copy.owners_of(file) for file in commit.files)
            self._owners[commit.id] = frozenset(chain.from_iterable(owners))
        return self._owners[commit.id]

    def _listed(self, commit: Commit, ran: frozenset[str] | tuple[()]) -> Commit:
        """Return a commit as it is listed: masked, with those of its paths alone that the check ran."""
        masked = self._masked.get(commit.id)
        if masked is None:
            masked = msgspec.structs.replace(
                commit, subject=self._mask(commit.subject), author=self._mask(commit.author), files=()
            )
            self._masked[commit.id] = masked
        files = tuple(self._mask(file) for file in commit.files if file in ran)
        return msgspec.structs.replace(masked, files=files) if files else masked
