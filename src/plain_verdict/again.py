"""The same check several times: attempts, one after the other; variants, under other facts; or only the same name.

A pass must never hide a failure: two results become attempts at one check only where a format numbers them, or
where the files ran one after the other under the same facts. Everything else stays side by side.
"""

from collections import Counter, defaultdict
from collections.abc import Sequence
from itertools import pairwise

import msgspec

from plain_verdict.ids import distinct_id
from plain_verdict.model import Check, Fact, ResultFile, in_order


def with_variants(files: tuple[ResultFile, ...], names: Sequence[str]) -> tuple[ResultFile, ...]:
    """Return the files, their checks told apart by those facts that have several values in the run."""
    facts = [_variant_of(file, names) for file in files]
    values: dict[str, set[str]] = defaultdict(set)
    for several in facts:
        for fact in several:
            values[fact.key].add(fact.value)
    told = {key for key, distinct in values.items() if len(distinct) > 1}
    if not told:
        return files
    variants = [tuple(fact for fact in several if fact.key in told) for several in facts]
    return tuple(
        _with_checks(file, [msgspec.structs.replace(check, variant=variant) for check in file.checks])
        for file, variant in zip(files, variants, strict=True)
    )


def _variant_of(file: ResultFile, names: Sequence[str]) -> tuple[Fact, ...]:
    """Return the facts by which a file's checks are a variant; a fact with several values in one file is none."""
    found: dict[str, set[str]] = defaultdict(set)
    for notes in file.suites:
        for fact in notes.facts:
            if fact.key.lower() in names:
                found[fact.key.lower()].add(fact.value)
    return tuple(Fact(key, next(iter(found[key]))) for key in names if len(found[key]) == 1)


def with_attempts_together(files: tuple[ResultFile, ...]) -> tuple[ResultFile, ...]:
    """Return the files with attempts at one check brought together in the file of the last one."""
    if _all_distinct(files):
        return files
    parts: dict[tuple[str, tuple[Fact, ...]], list[tuple[ResultFile, Check]]] = defaultdict(list)
    for file in files:
        for check in file.checks:
            parts[check.id, check.variant].append((file, check))
    merged: dict[int, Check | None] = {}
    for several in parts.values():
        if len(several) > 1:
            whole = _by_number(several) or _by_time(several)
            if whole:
                # Everything but the last goes; the last becomes the whole.
                merged |= {id(check): None for _, check in several}
                merged[id(whole[-1])] = _joined(whole)
    if not merged:
        return files
    return tuple(
        _with_checks(file, [kept for check in file.checks if (kept := merged.get(id(check), check))])
        for file in files
    )


def _by_number(several: list[tuple[ResultFile, Check]]) -> list[Check]:
    """Return the parts in order, if the format numbers all their attempts, each number once."""
    numbers = [attempt.number for _, check in several for attempt in check.attempts]
    if not all(numbers) or len(set(numbers)) < len(numbers):
        return []
    return sorted((check for _, check in several), key=lambda check: check.last.number)


def _by_time(several: list[tuple[ResultFile, Check]]) -> list[Check]:
    """Return the parts in order, if their files name their times and ran one after the other."""
    spans = []
    for file, check in several:
        if file.started is None or file.ended is None:
            return []
        spans.append((in_order(file.started), in_order(file.ended), check))
    spans.sort(key=lambda span: span[:2])
    apart = all(one[1] <= other[0] and one[0] < other[0] for one, other in pairwise(spans))
    return [check for *_, check in spans] if apart else []


def _joined(parts: list[Check]) -> Check:
    attempts = tuple(attempt for check in parts for attempt in check.attempts)
    if all(attempt.number for attempt in attempts):
        attempts = tuple(sorted(attempts, key=lambda one: one.number))
    return msgspec.structs.replace(parts[-1], attempts=attempts)


def with_distinct_ids(files: tuple[ResultFile, ...]) -> tuple[ResultFile, ...]:
    """Tell apart checks of the same id: variants by their facts, others by their file and place in it."""
    if _all_distinct(files):
        return files
    uses = Counter(check.id for file in files for check in file.checks)
    shared = {id_ for id_, number in uses.items() if number > 1}
    if not shared:
        return files
    seen: set[str] = set()

    def apart(check: Check, path: str) -> Check:
        if check.id not in shared:
            return check
        id_ = distinct_id(check, "\x1f".join(fact.value for fact in check.variant)) if check.variant else ""
        if not id_ or id_ in seen:
            id_ = distinct_id(check, f"{path}\x1f{check.place or ''}")
        seen.add(id_)
        return msgspec.structs.replace(check, id=id_)

    return tuple(_with_checks(file, [apart(check, file.path) for check in file.checks]) for file in files)


def _all_distinct(files: tuple[ResultFile, ...]) -> bool:
    """Return whether no two checks share an id, so that there is nothing to bring together or tell apart."""
    ids = [check.id for file in files for check in file.checks]
    return len(set(ids)) == len(ids)


def _with_checks(file: ResultFile, checks: list[Check]) -> ResultFile:
    return msgspec.structs.replace(file, checks=tuple(checks))
