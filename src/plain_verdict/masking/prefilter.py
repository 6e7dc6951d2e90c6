"""Tells fast that a text holds no secret: nearly none does, and looking for every pattern would take long."""

import re
from collections import defaultdict
from collections.abc import Callable, Sequence
from functools import cache

from ahocorasick_rs import AhoCorasick, BytesAhoCorasick, Implementation

from plain_verdict.masking.escapes import NEEDLES as ESCAPES
from plain_verdict.masking.names import NEEDLES as NAMES
from plain_verdict.masking.pattern import SecretPattern
from plain_verdict.masking.patterns import PATTERNS

_MADE_FAST_AFTER = 1_000_000  # characters: then what making the fast one takes is made up for
_HOME_FOLDERS = ("/home/", "/users/", "\\users\\", "/root/")
# Every digit becomes 0, spaces and hyphens go, so that a long number is a plain run of zeros.
_DIGIT_TABLE = bytes(0x30 if 0x30 <= byte <= 0x39 else 0x78 for byte in range(256))
_CARD_GAPS = b" -"
_CARD = b"0" * 13  # card numbers in use have 13 digits or more (ISO/IEC 7812-1 allows fewer)
# Every request has an address; only one with a name before its host holds a secret there.
_ADDRESS = "://"
_USERINFO_BYTES = re.compile(rb"://[^\s/\"'<>]{1,300}?(?:@|%40|&#64;|&#x40;|\\u0040)")


class _Search:
    """Looks for words in texts: by a small automaton, made in a moment, and after some texts by a fast one."""

    def __init__(self, make: Callable[[Implementation], AhoCorasick | BytesAhoCorasick]) -> None:
        self._make = make
        self._automaton = make(Implementation.ContiguousNFA)
        self._until_fast = _MADE_FAST_AFTER

    def numbers_in(self, text: str | bytes) -> Sequence[tuple[int, int, int]]:
        """Return the numbers of the words in a text, each with its beginning and its end."""
        if self._until_fast > 0:
            self._until_fast -= len(text)
            if self._until_fast <= 0:
                self._automaton = self._make(Implementation.DFA)
        return self._automaton.find_matches_as_indexes(text, overlapping=True)  # type: ignore[arg-type]  # as made


class Prefilter:
    """Looks for the needles of all patterns at once, in one pass over a text (Aho-Corasick)."""

    def __init__(self) -> None:
        numbers: dict[str, list[int]] = defaultdict(list)
        for number, pattern in enumerate(PATTERNS):
            for needle in pattern.needles:
                numbers[needle].append(number)
        needles = list(dict.fromkeys((*numbers, *_HOME_FOLDERS, *ESCAPES)))
        self._numbers = [tuple(numbers.get(needle, ())) for needle in needles]
        self._positions = frozenset(map(needles.index, _HOME_FOLDERS))
        self._escapes = frozenset(map(needles.index, ESCAPES))
        self._always = frozenset(number for number, pattern in enumerate(PATTERNS) if not pattern.needles)
        # Escapes hide signs, not the letters of a name; by themselves they stop nothing.
        in_bytes = [needle.encode() for needle in (*numbers, *_HOME_FOLDERS) if needle != _ADDRESS]
        self._in_bytes = _Search(lambda kind: BytesAhoCorasick(in_bytes, implementation=kind))
        self._in_text = _Search(lambda kind: AhoCorasick(needles, implementation=kind))
        self._of_names = AhoCorasick([*NAMES, "authorization", "cookie"])

    def may_hold_secret(self, packed: bytes) -> bool:
        """Return whether any text in packed structs may hold a secret, or a path below somebody's home."""
        if self._in_bytes.numbers_in(packed.lower()):
            return True
        if _ADDRESS.encode() in packed and _USERINFO_BYTES.search(packed):
            return True
        return _CARD in packed.translate(_DIGIT_TABLE, _CARD_GAPS)

    def names_secret(self, text: str) -> bool:
        """Return whether a text may hold the name of a secret, as a key or as a heading."""
        return bool(self._of_names.find_matches_as_indexes(text.lower(), overlapping=True))

    def patterns_in(self, text: str) -> tuple[tuple[SecretPattern, ...], bool, bool]:
        """Return the patterns that a text may hold, in order; whether it may name a home folder, or has escapes."""
        found = {match[0] for match in self._in_text.numbers_in(text.lower())}
        numbers = set[int]().union(*(self._numbers[needle] for needle in found))
        if _CARD in text.encode("utf-8", "replace").translate(_DIGIT_TABLE, _CARD_GAPS):
            numbers |= self._always
        possible = tuple(PATTERNS[number] for number in sorted(numbers))
        return possible, not found.isdisjoint(self._positions), not found.isdisjoint(self._escapes)


@cache
def make_prefilter() -> Prefilter:
    """Return the one prefilter of the program."""
    return Prefilter()
