"""Lines without what varies from one failure to the next: the same cause says the same."""

import re
from collections.abc import Iterator, Sequence
from functools import lru_cache

from plain_verdict.text.patterns import pattern

HOLE = "…"
_HOLES = pattern(rf"{HOLE}(?:[\s,;]*{HOLE})+")
_TELLING_WORDS = 4
# Words of assertion libraries, which say nothing of what went wrong.
_COMMON_TO_ALL = {
    "actual", "and", "any", "assert", "assertion", "assertionerror", "but", "deep", "deeply", "equal", "error",
    "expected", "expecting", "failed", "false", "for", "got", "have", "loosely", "not", "null", "received", "same",
    "should", "strict", "strictly", "than", "that", "the", "true", "value", "values", "was", "were",
}  # fmt: skip
# What varies from one failure to the next, the longest forms first, each with signs of which it has one.
_VARIABLE = (
    (r"\b[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}\b", "-"),  # UUID
    (r"\b(?:https?|wss?|ftp|file)://[^\s\"'<>)\]]{1,300}", "/"),  # address
    (r"\b\d{4}-\d\d-\d\d(?:[T ]\d\d:\d\d(?::\d\d(?:[.,]\d{1,9})?)?(?:Z|[+-]\d\d:?\d\d)?)?", "-"),  # date and time
    (r"\b\d{1,2}:\d\d(?::\d\d(?:[.,]\d{1,9})?)?\b", ":"),  # time of day
    (
        r"\"[^\"\n]{0,200}\"|'[^'\n]{0,200}'|`[^`\n]{0,200}`|“[^”\n]{0,200}”|<[^<>\n]{1,200}>",
        "\"'`“<",
    ),  # quoted values
    (r"\b(?:\d{1,3}\.){3}\d{1,3}(?::\d{1,5})?\b|\[[0-9a-fA-F:]{2,45}\](?::\d{1,5})?", ".["),  # network addresses
    (
        r"\b(?:[A-Za-z0-9-]{1,60}\.){1,6}(?:test|local|internal|example|com|org|net|io|dev)(?::\d{1,5})?\b",
        ".",
    ),  # host names
    (r"(?:[A-Za-z]:)?(?:[\w.@~+-]{0,100}[/\\]){1,30}[\w.@~+-]{1,100}(?::\d{1,7}){0,2}", "/\\"),  # paths
    (r"\b0x[0-9a-fA-F]{1,16}\b", "x"),
    (
        r"\b[\w-]{0,40}\d[\w-]{0,40}(?:[.,]\d{1,12}){0,4}(?:\s?(?:ms|s|sec|seconds|min|kB|MB|%))?\b",
        "",
    ),  # numbers, ids
)
_LINE_SIGNS = frozenset("".join(signs for _, signs in _VARIABLE))
WORD = pattern(r"[^\W\d_]{3,}")
# What a program says that it misses: the name is the cause. Of several languages.
_IDENTIFIERS = pattern(
    r"(?:has no attribute|no member named|object has no|name|cannot import name|[Nn]o module named|fixture"
    r"|argument:?|reading|property|undefined (?:method|variable|name|local variable or method)"
    r"|no such (?:table|column|method|function)(?: named)?:?|[Cc]an(?:no|')t find (?:module|variable:?|symbol)"
    r"|missing \d+ required [a-z -]{1,40}arguments?:|unresolved (?:import|name)"
    r"|unknown (?:field|column|option|command|key|function):?) [\"'`‘“]?(?P<name>[A-Za-z_$][\w.$:-]{0,80})[\"'`’”]?"
)
_NAMED_FIRST = pattern(
    r"(?<![\w.$])(?P<name>[A-Za-z_$][\w.$]{0,80}) is not (?:a (?:function|constructor)|defined|iterable)\b"
)


def has_telling_words(template: str) -> bool:
    """Return whether a line has enough words to tell its cause by itself."""
    is_named = " is not " in template and _NAMED_FIRST.search(template)
    return bool(is_named) or len(words_of(template)) >= _TELLING_WORDS


def has_words(line: str) -> bool:
    """Return whether a line says anything besides values and what assertion libraries say of them."""
    return bool(words_of(template_of(line)))


def words_of(template: str) -> set[str]:
    """Return the words of a line that are not those of assertion libraries."""
    return {word.casefold() for word in WORD.findall(template)} - _COMMON_TO_ALL


def template_of(line: str) -> str:
    """Return a line with holes for what varies; the name of what a program misses stays: it matters most."""
    return with_holes(split_variable_parts(line))


def with_holes(pieces: Sequence[tuple[str, bool]]) -> str:
    """Return the pieces as one line, with holes for those that vary."""
    holed = "".join([HOLE if varies else text for text, varies in pieces])
    return _HOLES.sub(HOLE, holed).strip()


def split_variable_parts(line: str) -> tuple[tuple[str, bool], ...]:
    """Return a line in pieces, each with whether it is a variable part."""
    kept = [match.span("name") for match in _missed(line)]
    pieces: list[tuple[str, bool]] = []
    at = 0
    for found in _variable(_LINE_SIGNS.intersection(line)).finditer(line):
        if any(start < found.end() and found.start() < end for start, end in kept):
            continue
        pieces += [(line[at : found.start()], False), (found[0], True)]
        at = found.end()
    return tuple(piece for piece in (*pieces, (line[at:], False)) if piece[0])


@lru_cache(512)
def _variable(there: frozenset[str]) -> re.Pattern[str]:
    """Return a pattern of the forms that a line with these signs may hold: the fewer, the faster it is found."""
    return re.compile("|".join([form for form, signs in _VARIABLE if not signs or there.intersection(signs)]))


def missed_names(template: str) -> set[str]:
    """Return the names of what a program says that it misses."""
    return {found["name"] for found in _missed(template)}


def _missed(line: str) -> Iterator[re.Match[str]]:
    yield from _IDENTIFIERS.finditer(line)
    if " is not " in line:
        yield from _NAMED_FIRST.finditer(line)
