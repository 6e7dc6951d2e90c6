"""Variants: the same check under other facts, like a browser, a platform or a region."""

import re
from collections import defaultdict
from collections.abc import Sequence

import msgspec

from plain_verdict.model import Fact, ReadingNote, ResultFile
from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.placeholders import placeholders_in


def check_template(template: str) -> None:
    """Make sure that a template like ``results/{python}/*.xml`` names a fact. Raises UsageError."""
    names = placeholders_in(template)
    if template and (not names or not all(re.fullmatch(r"[A-Za-z_]\w{0,30}", name) for name in names)):
        raise UsageError(
            f"{template!r} contains no fact",
            where="input.variants_from",
            hint="write it like results/{python}/*.xml",
        )
    if len(set(names)) < len(names):
        raise UsageError(f"{template!r} contains a fact twice", where="input.variants_from")


def with_variants(files: tuple[ResultFile, ...], names: Sequence[str], template: str) -> tuple[ResultFile, ...]:
    """Return the files, their checks distinguished by those facts that have several values in the run.

    A fact is one of ``names``, as a result file tells it, or one that ``template`` finds in the file's path.
    """
    pattern = _pattern(template) if template else None
    facts = [_facts_of(file, names, pattern) for file in files]
    if pattern:
        files = tuple(_noted(file, template) if not pattern.search(file.path) else file for file in files)
    distinct = _with_many_values(facts)
    if not distinct:
        return files
    return tuple(
        _as_variant(file, tuple(fact for fact in file_facts if fact.key in distinct))
        for file, file_facts in zip(files, facts, strict=True)
    )


def _with_many_values(facts: Sequence[Sequence[Fact]]) -> set[str]:
    """Return the keys of those facts that are not the same in every file."""
    values: dict[str, set[str]] = defaultdict(set)
    for file_facts in facts:
        for fact in file_facts:
            values[fact.key].add(fact.value)
    return {key for key, of_key in values.items() if len(of_key) > 1}


def _as_variant(file: ResultFile, variant: tuple[Fact, ...]) -> ResultFile:
    checks = tuple(msgspec.structs.replace(check, variant=(*check.variant, *variant)) for check in file.checks)
    return msgspec.structs.replace(file, checks=checks)


def _noted(file: ResultFile, template: str) -> ResultFile:
    note = ReadingNote(file.path, f"does not fit “{template}”, so it is not a variant")
    return msgspec.structs.replace(file, notes=(*file.notes, note))


def _pattern(template: str) -> re.Pattern[str]:
    """Return the pattern of a template: a placeholder stands for a part of a folder's or file's name."""
    parts = re.split(r"(\{[^{}]*\}|\*\*/?|\*|\?)", template)
    wild = {"*": "[^/]*", "**": ".*", "**/": "(?:.*/)?", "?": "[^/]"}
    forms = [f"(?P<{part[1:-1]}>[^/]+?)" if part[:1] == "{" else wild.get(part, re.escape(part)) for part in parts]
    return re.compile(rf"(?:^|/){''.join(forms)}$")


def _facts_of(file: ResultFile, names: Sequence[str], pattern: re.Pattern[str] | None) -> tuple[Fact, ...]:
    """Return the facts by which a file's checks are a variant, those of its path first."""
    found = pattern.search(file.path) if pattern else None
    by_path = found.groupdict() if found else {}
    facts = tuple(fact for fact in _named_facts(file, names) if fact.key not in by_path)
    return (*(Fact(key, value) for key, value in by_path.items()), *facts)


def _named_facts(file: ResultFile, names: Sequence[str]) -> tuple[Fact, ...]:
    """Return the facts of these names that a file tells; one with several values in the file is none."""
    values: dict[str, set[str]] = defaultdict(set)
    for notes in file.suites:
        for fact in notes.facts:
            if fact.key.lower() in names:
                values[fact.key.lower()].add(fact.value)
    return tuple(Fact(key, next(iter(values[key]))) for key in names if len(values[key]) == 1)
