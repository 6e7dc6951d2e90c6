"""Steps as a numbered outline: the path to the failure is open."""

from collections.abc import Callable, Iterator, Sequence

from plain_verdict.model import BAD, Attempt, LogEntry, Outcome, Step, failing_steps, steps_below
from plain_verdict.report.shown_check import ShownAttempt
from plain_verdict.text.cleaning import headline
from plain_verdict.text.formatting import format_duration
from plain_verdict.writers.html.checks.escaping import escaped
from plain_verdict.writers.html.checks.evidence import EvidenceHtml, title
from plain_verdict.writers.html.checks.problems import problem_html
from plain_verdict.writers.html.checks.rows import outcome_html
from plain_verdict.writers.html.checks.texts import fold_html

_GRAVE = ("error", "fatal", "critical", "warning", "warn")


class StepsHtml:
    """Writes the steps of one page; ``calls`` writes what a step asked of services and expected."""

    def __init__(self, evidence: EvidenceHtml, calls: "Callable[[Attempt | Step], Iterator[str]]") -> None:
        self._evidence = evidence
        self._calls = calls

    def outline(self, steps: Sequence[Step], shown: ShownAttempt) -> Iterator[str]:
        """Yield the steps of an attempt, or of a step of it."""
        yield '<ol class="steps">'
        in_video = _has_timed_video(shown.attempt)
        for step in steps:
            yield "<li>"
            row = _row(step, shown.attempt.took_s, in_video=in_video)
            if _has_content(step):
                yield f"<details{' open' if _is_failing(step) else ''}><summary>{row}</summary>"
                yield from self._inside(step, shown)
                yield "</details>"
            else:
                yield row
            yield "</li>"
        yield "</ol>"

    def _inside(self, step: Step, shown: ShownAttempt) -> Iterator[str]:
        for problem in step.problems:
            if problem in shown.attempt.problems:
                yield f'<p class="stepwhy"><bdi>{escaped(headline(problem.message))}</bdi></p>'
            else:
                yield from problem_html(problem)
        yield from self._calls(step)
        if step.logs:
            yield from log_html(step.logs)
        for output in step.outputs:
            yield fold_html(output.name, output.text)
        yield self._evidence.all(shown.evidence_of(step))
        if step.steps:
            yield from self.outline(step.steps, shown)


def log_html(entries: Sequence[LogEntry]) -> Iterator[str]:
    """Yield lines of log."""
    yield '<ol class="log">'
    for entry in entries:
        grave = "grave" if entry.level.lower() in _GRAVE else ""
        at = f"<time>{entry.at:%H:%M:%S}</time> " if entry.at else ""
        yield f'<li class="{grave}">{at}<b>{escaped(entry.level)}</b> <bdi>{escaped(entry.text)}</bdi></li>'
    yield "</ol>"


def _has_content(step: Step) -> bool:
    steps = step.steps or step.logs or step.outputs or step.evidence or step.problems
    return bool(steps or step.expectations or step.exchanges)


def _has_timed_video(attempt: Attempt) -> bool:
    """Return whether a video of the attempt tells when it begins: each step then has its place in it."""
    parts: tuple[Attempt | Step, ...] = (attempt, *steps_below(attempt))
    return any(evidence.began for part in parts for evidence in part.evidence)


def _is_failing(step: Step) -> bool:
    """Return whether a step failed, or one in it."""
    return step.outcome in BAD or any(True for _ in failing_steps(step))


def _row(step: Step, whole_s: float | None, *, in_video: bool) -> str:
    outcome = "" if step.outcome is Outcome.PASSED else f" {outcome_html(step.outcome)}"
    part = ""
    if step.took_s and whole_s:
        width = round(min(100 * step.took_s / whole_s, 100), 1)
        part = f'<rect class="part" width="{width}%" height="5"/>'
    bar = f'<svg class="bar" aria-hidden="true"><rect class="rail" width="100%" height="5"/>{part}</svg>'
    began = title(f"began {step.started:%H:%M:%S}") if step.started else ""
    if step.started and in_video:
        began += f' data-at="{step.started.timestamp():.3f}"'
    return (
        f'<span class="row {step.outcome.value}"><span class="what"><bdi>{escaped(step.name)}</bdi>{outcome}</span>'
        f'{bar}<span class="took num"{began}>{format_duration(step.took_s)}</span></span>'
    )
