"""Keeps a page within its size: shrinks pictures first, then leaves evidence out, and reports it."""

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime

import msgspec

from plain_verdict.evidence.contents import Task
from plain_verdict.evidence.conversion import run_tasks
from plain_verdict.evidence.tree import change_check, change_run
from plain_verdict.http.building import about_chars
from plain_verdict.model import (
    BAD,
    Attempt,
    Check,
    Content,
    ContentKind,
    Evidence,
    Run,
    Step,
    evidence_of,
    in_order,
)
from plain_verdict.model.transform import with_fields
from plain_verdict.settings.limits import FOLD_AFTER
from plain_verdict.text.formatting import format_size, plural

_PAGE_BYTES = 70_000
_CHECK_BYTES = 700
"""What the page takes without evidence, about: its own part, and a part for each check besides its texts."""
_STEP_BYTES, _LINE_BYTES = 450, 60
LEAST_PAGE_BYTES = 100_000
"""Under this no page can be kept: style and script alone take half of it."""
_FOLDED_TO = 12  # one part of so many is left of a check that is folded and compressed
_LEFT_OUT = "was left out to keep the page under its size limit"
_LONG_AGO = datetime(1, 1, 1, tzinfo=UTC)


def keep_budget(
    run: Run,
    contents: Mapping[str, Content],
    tasks: Mapping[str, Task],
    made: Mapping[str, Content | str],
    page_bytes: int,
) -> Run:
    """Return the run with contents that fit into ``page_bytes``, and notes on what was done for it."""
    texts_bytes = _PAGE_BYTES + _checks_bytes(run)
    room = max(0, page_bytes - texts_bytes)
    notes: list[str] = []
    if texts_bytes > page_bytes:
        about = format_size(texts_bytes)
        notes.append(f"The page can't be kept under {format_size(page_bytes)}: its texts alone take about {about}.")
    kept = dict(contents)
    if _total(kept.values()) > room:
        kept, shrunk = _shrunk(kept, tasks, made)
        if shrunk:
            notes.append(
                f"{plural(shrunk, 'picture')} made smaller to keep the page under {format_size(page_bytes)}."
            )
    if _total(kept.values()) > room:
        dropped = _dropped(run, kept, room)
        kept = {key: content for key, content in kept.items() if key not in dropped}
        number = plural(len(dropped), "piece") + " of evidence"
        notes.append(
            f"{number} left out to keep the page under {format_size(page_bytes)}, those of passed checks first."
        )

        def mark(evidence: Evidence) -> Evidence:
            gone = evidence.content in dropped
            return msgspec.structs.replace(evidence, content="", unavailable=_LEFT_OUT) if gone else evidence

        run = change_run(run, lambda check, _: change_check(check, mark))
        run = with_fields(run, unclaimed=tuple(map(mark, run.unclaimed)))
    return with_fields(run, contents=tuple(kept.values()), evidence_notes=(*run.evidence_notes, *notes))


def _checks_bytes(run: Run) -> int:
    whole = _CHECK_BYTES * run.checks.plain_number + sum(map(_check_bytes, run.checks.detailed))
    return whole if len(run.checks) <= FOLD_AFTER else whole // _FOLDED_TO


def _check_bytes(check: Check) -> int:
    if not check.has_details:
        return _CHECK_BYTES
    facts = sum(len(fact.key) + len(fact.value) for fact in check.facts)
    return _CHECK_BYTES + facts + len(check.description) + sum(map(_part_bytes, check.attempts))


def _part_bytes(part: Attempt | Step) -> int:
    """Return about what an attempt or a step takes, without its evidence."""
    number = sum(len(output.text) for output in part.outputs)
    number += sum(len(problem.message) + len(problem.detail) for problem in part.problems)
    number += sum(len(entry.text) + _LINE_BYTES for entry in part.logs)
    number += sum(map(about_chars, part.exchanges))
    return number + sum(_STEP_BYTES + len(step.name) + _part_bytes(step) for step in part.steps)


def _total(contents: Iterable[Content]) -> int:
    """Return the bytes that contents take in a page: base64 for all but text."""
    return sum(len(content.data) * 4 // 3 + len(content.text.encode()) + 200 for content in contents)


def _shrunk(
    contents: Mapping[str, Content], tasks: Mapping[str, Task], made: Mapping[str, Content | str]
) -> tuple[dict[str, Content], int]:
    """Return the contents with every picture as small as can be, and how many became smaller."""
    sources = {content.key: source for source, content in made.items() if isinstance(content, Content)}
    pictures = [key for key, content in contents.items() if content.kind is ContentKind.PICTURE]
    again = run_tasks([msgspec.structs.replace(tasks[sources[key]], small=True) for key in pictures])
    smaller = {
        new.key: new for new in again if isinstance(new, Content) and len(new.data) < len(contents[new.key].data)
    }
    return {**contents, **smaller}, len(smaller)


def _dropped(run: Run, contents: Mapping[str, Content], room: int) -> set[str]:
    """Return the keys to leave out: of no check, then of passed checks, then of others, the oldest first."""
    rank: dict[str, tuple[int, datetime, int]] = {}
    for number, check in run.checks.numbered():
        bad = check.outcome in BAD
        for evidence in evidence_of(check):
            at = evidence.at or check.last.started or _LONG_AGO
            worth = (1 + bad, in_order(at), number)
            rank[evidence.content] = max(rank.get(evidence.content, worth), worth)
    total = _total(contents.values())
    dropped: set[str] = set()
    for key in sorted(contents, key=lambda key: rank.get(key, (0, _LONG_AGO, 0))):
        if total <= room:
            break
        dropped.add(key)
        total -= _total([contents[key]])
    return dropped
