"""Marks what differs between an expected and an actual text: word by word, JSON as JSON, blanks made visible."""

import json
from difflib import SequenceMatcher

from plain_verdict.text.patterns import pattern

Marked = list[tuple[str, bool]]
"""Pieces of a text in order, each with whether it differs from the other text."""

_TOKENS = pattern(r"\w+|\s+|[^\w\s]")
_MOST_TOKENS = 1_500
"""Longer texts are compared from both ends only: comparing word by word takes time that grows with the square."""
_VISIBLE = str.maketrans({" ": "·", "\t": "→\t", "\n": "¶\n", "\xa0": "⍽"})


def compare(expected: str, actual: str) -> tuple[Marked, Marked]:
    """Return both texts with what differs marked; nothing is marked where nothing is alike."""
    texts = _as_json(expected, actual) or (expected, actual)
    only_blanks = texts[0] != texts[1] and "".join(texts[0].split()) == "".join(texts[1].split())
    left, right = _words(*texts) if len(texts[0]) + len(texts[1]) < _MOST_TOKENS * 4 else _ends(*texts)
    if only_blanks:
        left, right = (
            [(text.translate(_VISIBLE) if differs else text, differs) for text, differs in side]
            for side in (left, right)
        )
    if all(differs for _, differs in left + right):
        return [(texts[0], False)], [(texts[1], False)]
    return left, right


def _as_json(expected: str, actual: str) -> tuple[str, str] | None:
    """Return both texts laid out alike, if both are JSON objects or arrays."""
    if not (expected.lstrip()[:1] in "{[" and actual.lstrip()[:1] in "{[" and expected and actual):
        return None
    try:
        values = json.loads(expected), json.loads(actual)
        left, other = (json.dumps(value, indent=1, sort_keys=True, ensure_ascii=False) for value in values)
    except (ValueError, RecursionError):
        return None
    return left, other


def _words(expected: str, actual: str) -> tuple[Marked, Marked]:
    expected_words, other = _TOKENS.findall(expected), _TOKENS.findall(actual)
    left: Marked = []
    right: Marked = []
    for kind, i1, i2, j1, j2 in SequenceMatcher(None, expected_words, other, autojunk=False).get_opcodes():
        before, after = "".join(expected_words[i1:i2]), "".join(other[j1:j2])
        if kind == "replace" and i2 - i1 == j2 - j1 == 1:
            # Within one word, only its differing part: 4[18].00 and 4[81].00
            pieces = _ends(before, after)
        else:
            pieces = [(before, kind != "equal")], [(after, kind != "equal")]
        left += [piece for piece in pieces[0] if piece[0]]
        right += [piece for piece in pieces[1] if piece[0]]
    return left, right


def _ends(expected: str, actual: str) -> tuple[Marked, Marked]:
    start = _same(expected, actual)
    end = _same(expected[start:][::-1], actual[start:][::-1])
    return _cut(expected, start, end), _cut(actual, start, end)


def _same(former: str, other: str) -> int:
    """Return how many characters both texts begin with."""
    pairs = zip(former, other, strict=False)
    return next((at for at, (left, right) in enumerate(pairs) if left != right), min(len(former), len(other)))


def _cut(text: str, start: int, end: int) -> Marked:
    return [(text[:start], False), (text[start : len(text) - end], True), (text[len(text) - end :], False)]
