"""Distinguishes checks that only have the same name: by their file, their host or package, or their order."""

from collections import Counter, defaultdict
from collections.abc import Sequence

import msgspec

from plain_verdict.model import Check, Checks, ResultFile
from plain_verdict.model.ids import distinct_id

SourceLocation = tuple[int, int]
"""Of a check: the number of its file, and its number in it."""


def with_distinct_ids(files: tuple[ResultFile, ...]) -> tuple[ResultFile, ...]:
    """Return the files, checks that share an id each with an own id, and with what sets it apart in words."""
    ids = Checks.joined(file.checks for file in files).ids()
    if len(set(ids)) == len(ids):
        return files
    shared = {id_ for id_, number in Counter(ids).items() if number > 1}
    locations = _locations_of_shared(files, shared)
    checks = [list(file.checks) for file in files]
    for namesakes in locations.values():
        same = [checks[number][at] for number, at in namesakes]
        words = _words(same, [files[number].path for number, _ in namesakes])
        for (number, at), disambiguators in zip(namesakes, words, strict=True):
            checks[number][at] = _with_disambiguator(checks[number][at], disambiguators)
    return tuple(
        msgspec.structs.replace(file, checks=Checks.of(alike)) for file, alike in zip(files, checks, strict=True)
    )


def _with_disambiguator(check: Check, disambiguator: str) -> Check:
    """Return a check with its own id, made of its variant and of what sets it apart."""
    disambiguating_hash = "\x1f".join((*(fact.value for fact in check.variant), disambiguator))
    return msgspec.structs.replace(check, id=distinct_id(check, disambiguating_hash), disambiguator=disambiguator)


def _locations_of_shared(files: Sequence[ResultFile], shared: set[str]) -> dict[str, list[SourceLocation]]:
    """Return where the checks of each shared id stand."""
    locations: dict[str, list[SourceLocation]] = defaultdict(list)
    for number, file in enumerate(files):
        for at, check in enumerate(file.checks):
            if check.id in shared:
                locations[check.id].append((number, at))
    return locations


def _words(checks: Sequence[Check], paths: Sequence[str]) -> list[str]:
    """Return what sets each of the checks of one name apart; nothing for variants, which their facts set apart."""
    groups: dict[object, list[int]] = defaultdict(list)
    for number, check in enumerate(checks):
        groups[check.variant].append(number)
    words = [""] * len(checks)
    for numbers in groups.values():
        if len(numbers) == 1:
            continue
        distinguishing_paths = [paths[number] for number in numbers]
        cut = _common_folder(distinguishing_paths)
        many_files = len(set(distinguishing_paths)) > 1
        labels = [
            ", ".join(filter(None, (path[cut:] if many_files else "", checks[number].disambiguator)))
            for number, path in zip(numbers, distinguishing_paths, strict=True)
        ]
        uses, seen = Counter(labels), Counter[str]()
        for number, label in zip(numbers, labels, strict=True):
            seen[label] += 1
            order = f"{seen[label]:,} of {uses[label]:,}" if uses[label] > 1 else ""
            words[number] = ", ".join(filter(None, (label, order)))
    return words


def _common_folder(paths: Sequence[str]) -> int:
    """Return how many characters of all paths name folders that they share."""
    folders = [path.split("/")[:-1] for path in paths]
    shared = 0
    for parts in zip(*folders, strict=False):
        if len(set(parts)) > 1:
            break
        shared += len(parts[0]) + 1
    return shared
