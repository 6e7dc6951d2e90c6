"""Writes the checks of a folded page that have something to open, in compressed blocks, here or elsewhere."""

from collections.abc import Callable, Iterator, Sequence

import msgspec

from plain_verdict.history.digest import pack
from plain_verdict.model import Check, Checks
from plain_verdict.report import Report
from plain_verdict.report.part import Parts, ReportPart
from plain_verdict.report.suites import QUIET
from plain_verdict.runtime.executors import Engine, EngineOptions
from plain_verdict.settings.limits import FOLDED_DETAIL_CHARS
from plain_verdict.text.cleaning import block, single_line, with_visible_controls
from plain_verdict.writers.html.checks.check import CheckHtml
from plain_verdict.writers.html.links import Links

CHUNK = 1_000
"""Checks that are rendered together; no block goes past its chunk, so that it is the same wherever it is made."""
ID_HOLE = "\ue000"
"""Stands for a check's id in its block."""
_CHECK_END = "\0"  # between checks
_ID_MARK = "\1"  # stands for it until then: a text with a wide sign takes ten times as long to encode
_BLOCK_CHARS = 400_000  # of a folded part: small enough to unfold within a frame
_QUIET_CHARS = 300  # of the description of a rule that needs no reader, where they are few
Render = Callable[[Check], str]
Block = tuple[int, str]
"""The number of its first check, and its content, compressed."""


class Shortening(msgspec.Struct, frozen=True):
    """What folded checks lose: long details where failures are very many, texts of rules where those are."""

    cuts: bool
    many_rules: bool

    def of(self, check: Check) -> Check:
        """Return a check with its texts cut: what asks for nothing, and stacks nobody reads all of."""
        if check.rule and check.outcome in QUIET:
            return _quiet_rule(check, 0 if self.many_rules else _QUIET_CHARS)
        last = check.attempts[-1]
        if not self.cuts or all(len(problem.detail) <= FOLDED_DETAIL_CHARS for problem in last.problems):
            return check
        replace = msgspec.structs.replace
        problems = tuple(
            replace(problem, detail=block(problem.detail, FOLDED_DETAIL_CHARS)) for problem in last.problems
        )
        return replace(check, attempts=(*check.attempts[:-1], replace(last, problems=problems)))


def _quiet_rule(check: Check, chars: int) -> Check:
    """Return a rule that is kept or does not apply with a short description: nothing is to be fixed."""
    replace = msgspec.structs.replace
    about = single_line(check.description, chars) if chars else ""
    rule = replace(check.rule, why="", remediation="") if check.rule else None
    return replace(check, description=about, rule=rule)


def make_blocks(checks: Sequence[Check], first: int, render: Render, shortening: Shortening) -> Iterator[Block]:
    """Yield the blocks of a chunk, whose first check has this number."""
    chars = 0
    rendered: list[str] = []
    for number, check in enumerate(checks, first):
        text = render(shortening.of(check))
        if _CHECK_END in text or _ID_MARK in text:  # of whatever a reader let through
            text = with_visible_controls(text)
        # The script knows the ids: random ones, which nothing compresses.
        rendered.append(text.replace(check.id, _ID_MARK))
        chars += len(rendered[-1])
        if chars > _BLOCK_CHARS:
            yield first, _packed(rendered)
            first, chars, rendered = number + 1, 0, []
    if rendered:
        yield first, _packed(rendered)


def _packed(rendered: Sequence[str]) -> str:
    text = _CHECK_END.join(rendered).encode("utf-8", "replace")
    return pack(text.replace(_ID_MARK.encode(), ID_HOLE.encode()))


class _BlocksJob(msgspec.Struct, frozen=True):
    """A chunk of checks, as a part of the report."""

    part: ReportPart
    first: int
    shortening: Shortening


def blocks_on_cluster(
    report: Report, checks: Sequence[Check], shortening: Shortening, options: EngineOptions
) -> Iterator[Block]:
    """Yield the blocks of all checks, made on the workers of a cluster."""
    parts = Parts(report)
    firsts = range(0, len(checks), CHUNK)
    jobs = (_BlocksJob(parts.of(Checks.of(checks[at : at + CHUNK])), at, shortening) for at in firsts)
    with Engine(options.name, patience_s=options.patience_s) as engine:
        for blocks in engine.each_or_local(_make_job, jobs):
            yield from blocks


def _make_job(job: _BlocksJob) -> list[Block]:
    render = CheckHtml(job.part.report(), Links(None)).text
    return list(make_blocks(tuple(job.part.run.checks), job.first, render, job.shortening))
