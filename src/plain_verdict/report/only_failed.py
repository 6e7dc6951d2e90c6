"""The run without what needs no look: for pages of failures only."""

import msgspec

from plain_verdict.model import Check, Outcome, Run, detailed_of
from plain_verdict.report.evidence_index import used_contents


def only_failed(run: Run) -> Run:
    """Return the run without checks that passed or were skipped, and without the evidence that only they use."""
    files = tuple(
        msgspec.structs.replace(file, checks=tuple(filter(_needs_a_look, detailed_of(file.checks))))
        for file in run.files
    )
    kept = msgspec.structs.replace(run, files=files)
    used = used_contents(kept)
    return msgspec.structs.replace(kept, contents=tuple(content for content in run.contents if content.key in used))


def _needs_a_look(check: Check) -> bool:
    return check.outcome not in (Outcome.PASSED, Outcome.SKIPPED)
