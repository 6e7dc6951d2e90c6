"""Finds what was expected and what came instead, in the words of assertion libraries.

Only forms that say which is which are taken: ``assert 481 == 418`` does not.
"""

import re

from plain_verdict.text.patterns import pattern

_VALUE = r"[^\n]{1,600}?"
_REST = r"[^\n]{1,600}+"  # possessive: a hostile text must not send the search back and forth
_BLOCK = r"[^<>]{0,2000}|[^\n]{0,600}?"
_LITERAL = r"[\d'\"\[{-][^\n]{0,600}?|true|false|null|undefined"
_GAP = r"[^\S\n]*"
_ACTUAL = r"(?:actual(?: value)?|got)"
_CAME = r"actual(?:ly)?|received|got|but (?:was|got|found|received)|but|was|found"
_BUT = r"but (?:was|got|found|received)|got|received|actual"

# Each has the groups ``e`` and ``a``. The first that matches wins.
_FORMS = tuple(
    pattern(form, re.IGNORECASE | re.MULTILINE)
    for form in (
        rf"expected:? ?<(?P<e>{_BLOCK})> but was:? ?<(?P<a>{_BLOCK})>",
        (
            rf"^{_GAP}expected(?: [\w ]{{2,30}})?:{_GAP}(?P<e>{_VALUE})\n(?:{_GAP}\n)?"
            rf"{_GAP}(?:{_CAME})(?: [\w ]{{2,30}})?:{_GAP}(?P<a>{_REST})"
        ),
        # Each under a heading; a value of several lines tells by its first.
        (
            rf"^{_GAP}expected\b[^\n:]{{0,80}}:\n[ \t]+(?P<e>{_REST})\n(?:[ \t}}\])][^\n]{{0,300}}\n){{0,12}}?"
            rf"{_GAP}(?:received|actual|got)[^\n:]{{0,20}}:\n[ \t]+(?P<a>{_REST})"
        ),
        rf"^{_GAP}{_ACTUAL}:{_GAP}(?P<a>{_VALUE}),?\n{_GAP}expected(?: value)?:{_GAP}(?P<e>{_VALUE}),?$",
        rf"\bexpected:? (?!(?:values?|inputs?) to\b)(?P<e>{_VALUE})[,;]? (?:{_BUT})(?: value)?:? (?P<a>{_REST})",
        # Where a value comes first, it is what came: "expected 481 to equal 418".
        rf"\bexpected (?P<a>{_LITERAL}) to (?:deeply |strictly )?(?:be|equal|eql) (?P<e>{_VALUE})(?: //.*)?$",
    )
)
_EXPECTED_WORD = pattern("expected", re.IGNORECASE)
_MESSAGE_CHARS = 2_000  # searched for expected and actual: patterns take time for each character


def find_expectation(*texts: str) -> tuple[str, str] | None:
    """Return (expected, actual) from the first text that tells them apart, or None."""
    for text in texts:
        # Nearly no text has the word: to look for it in one case is ten times as fast.
        word = _EXPECTED_WORD.search(text) if "expected" in text.lower() else None
        if not word:
            continue
        start = max(0, word.start() - _MESSAGE_CHARS // 4)
        for form in _FORMS:
            found = form.search(text, start, start + _MESSAGE_CHARS)
            # A lone sign is of a diff's legend.
            if found and (found["e"].strip() or found["a"].strip()) and found["e"].strip() not in ("-", "+"):
                return found["e"].strip(), found["a"].strip().removesuffix(".")
    return None
