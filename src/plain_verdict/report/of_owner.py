"""The report on the checks of one owner: what mail and notices tell those who look after them."""

from collections.abc import Iterable, Iterator, Set

import msgspec

from plain_verdict.model import BAD, ApiCalls, Cause, Changed, ChangesSince, Check, Requirements, Run, Verdict
from plain_verdict.report.report import Report
from plain_verdict.text.formatting import plural, spelled


def of_owner(report: Report, owner: str) -> Report | None:
    """Return the report on what an owner has; None where none of it fails, or all that fails is left out."""
    checks = [check for check in report.run.checks if owner in check.owners]
    failing = [check for check in checks if check.outcome in BAD and check.id not in report.verdict.waived]
    if not failing:
        return None
    ids = {check.id for check in checks}
    run = _run_of(report.run, ids)
    new = _new_in(run)
    verdict = _verdict_of(report.verdict, ids, new, _why(owner, checks, failing, new))
    info = msgspec.structs.replace(report.info, title=f"{report.title}: {owner}")
    return Report(run, verdict, info)


def owners_of_failures(report: Report) -> Iterator[str]:
    """Yield each owner of failures that count."""
    failing = (check for check in report.run.checks if check.outcome in BAD)
    counting = (check for check in failing if check.id not in report.verdict.waived)
    yield from dict.fromkeys(name for check in counting for name in check.owners)


def _run_of(run: Run, ids: Set[str]) -> Run:
    files = tuple(
        msgspec.structs.replace(file, checks=tuple(check for check in file.checks if check.id in ids), payloads=())
        for file in run.files
    )
    context = run.in_series
    if context and context.since:
        context = msgspec.structs.replace(context, since=_changes_of(context.since, ids))
    # Numbers of the whole run are nobody's own.
    return msgspec.structs.replace(
        run,
        files=tuple(file for file in files if file.checks),
        in_series=context,
        load=None,
        reported=(),
        metrics=(),
        requirements=Requirements(),
        api=ApiCalls(),
    )


def _changes_of(since: ChangesSince, ids: Set[str]) -> ChangesSince:
    def inside(changes: Iterable[Changed]) -> tuple[Changed, ...]:
        return tuple(change for change in changes if change.id in ids)

    return msgspec.structs.replace(
        since,
        new=inside(since.new),
        failing_again=inside(since.failing_again),
        fixed=inside(since.fixed),
        still_failing=inside(since.still_failing),
        removed=(),
        added=tuple(id_ for id_ in since.added if id_ in ids),
        flaky=tuple(flakiness for flakiness in since.flaky if flakiness.id in ids),
        incidents=tuple(incident for incident in since.incidents if not ids.isdisjoint(incident.ids)),
        slower=tuple(change for change in since.slower if change.id in ids),
        faster=(),
        metrics=(),
    )


def _new_in(run: Run) -> frozenset[str]:
    since = run.since
    return frozenset(change.id for change in (*since.new, *since.failing_again)) if since else frozenset()


def _verdict_of(verdict: Verdict, ids: Set[str], new: Set[str], why: str) -> Verdict:
    """Return the verdict with the causes of some checks, those with new failures first."""
    causes = (msgspec.structs.replace(cause, checks=_new_first(cause, ids, new)) for cause in verdict.causes)
    mine = [cause for cause in causes if cause.checks]
    mine.sort(key=lambda cause: not any(check.id in new for check in cause.checks))
    return Verdict(
        verdict.word,
        why,
        (why,),
        causes=tuple(mine),
        waived={id_: waived for id_, waived in verdict.waived.items() if id_ in ids},
        quarantine=tuple(entry for entry in verdict.quarantine if entry.id in ids),
    )


def _new_first(cause: Cause, ids: Set[str], new: Set[str]) -> tuple[Check, ...]:
    return tuple(
        sorted((check for check in cause.checks if check.id in ids), key=lambda check: check.id not in new)
    )


def _why(owner: str, checks: list[Check], failing: list[Check], new: Set[str]) -> str:
    number = spelled(len(failing), "check").split()[0]
    of = f"of {plural(len(checks), 'check')}" if len(checks) > 1 else "check"
    fresh = sum(check.id in new for check in failing)
    aside = f", {fresh:,} of them new or failing again" if fresh else ""
    return f"{number} {of} of {owner} failed{aside}."
