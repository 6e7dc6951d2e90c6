"""Variants: the same check under other facts, like a browser, a platform or a region."""

import re
from collections import defaultdict
from collections.abc import Sequence

import msgspec

from plain_verdict.errors import UsageError
from plain_verdict.model import Fact, ReadingNote, ResultFile

_PLACEHOLDER = re.compile(r"\{([^{}]*)\}")


def check_template(template: str) -> None:
    """Make sure that a template like ``results/{python}/*.xml`` names a fact. Raises UsageError."""
    names = _PLACEHOLDER.findall(template)
    if template and (not names or not all(re.fullmatch(r"[A-Za-z_]\w{0,30}", name) for name in names)):
        raise UsageError(
            f"{template!r} names no fact", where="input.variants_from", hint="write it like results/{python}/*.xml"
        )
    if len(set(names)) < len(names):
        raise UsageError(f"{template!r} names a fact twice", where="input.variants_from")


def with_variants(files: tuple[ResultFile, ...], names: Sequence[str], template: str) -> tuple[ResultFile, ...]:
    """Return the files, their checks told apart by those facts that have several values in the run.

    A fact is one of ``names``, as a result file tells it, or one that ``template`` finds in the file's path.
    """
    pattern = _pattern(template) if template else None
    facts = []
    noted = []
    for file in files:
        found = pattern.search(file.path) if pattern else None
        by_path = tuple(Fact(key, value) for key, value in (found.groupdict() if found else {}).items())
        facts.append(
            (*by_path, *(fact for fact in _facts_of(file, names) if fact.key not in {one.key for one in by_path}))
        )
        if pattern and not found:
            note = ReadingNote(file.path, f"does not fit “{template}”, so it is no variant")
            file = msgspec.structs.replace(file, notes=(*file.notes, note))  # noqa: PLW2901
        noted.append(file)
    values: dict[str, set[str]] = defaultdict(set)
    for several in facts:
        for fact in several:
            values[fact.key].add(fact.value)
    distinct = {key for key, of_key in values.items() if len(of_key) > 1}
    if not distinct:
        return tuple(noted)
    variants = [tuple(fact for fact in several if fact.key in distinct) for several in facts]
    return tuple(
        msgspec.structs.replace(
            file, checks=tuple(msgspec.structs.replace(check, variant=variant) for check in file.checks)
        )
        for file, variant in zip(noted, variants, strict=True)
    )


def _pattern(template: str) -> re.Pattern[str]:
    """Return the pattern of a template: a placeholder stands for a part of a folder's or file's name."""
    parts = re.split(r"(\{[^{}]*\}|\*\*/?|\*|\?)", template)
    wild = {"*": "[^/]*", "**": ".*", "**/": "(?:.*/)?", "?": "[^/]"}
    forms = [f"(?P<{part[1:-1]}>[^/]+?)" if part[:1] == "{" else wild.get(part, re.escape(part)) for part in parts]
    return re.compile(rf"(?:^|/){''.join(forms)}$")


def _facts_of(file: ResultFile, names: Sequence[str]) -> tuple[Fact, ...]:
    """Return the facts by which a file's checks are a variant; a fact with several values in one file is none."""
    found: dict[str, set[str]] = defaultdict(set)
    for notes in file.suites:
        for fact in notes.facts:
            if fact.key.lower() in names:
                found[fact.key.lower()].add(fact.value)
    return tuple(Fact(key, next(iter(found[key]))) for key in names if len(found[key]) == 1)
