"""Looks for secrets that are known, wherever and however they stand: the job that makes a report has them.

One automaton (Aho-Corasick) has a needle for each form of each value. It runs over text without blanks and
backslashes, so that a line break hides nothing; escapes are resolved only where it finds something.
"""

import re
from collections.abc import Iterator, Sequence
from functools import cache, cached_property

import msgspec
from ahocorasick_rs import AhoCorasick, BytesAhoCorasick, Implementation

from plain_verdict.masking.encodings import forms_of, partly_escaped
from plain_verdict.masking.escapes import EACH, meaning, replaced
from plain_verdict.masking.unpacking import unpacked
from plain_verdict.text.patterns import pattern

_SQUEEZED = b" \t\r\n\\\0=nr"
"""What may stand where a line is wrapped, \\n and \\r as programs write them as well."""
_ALPHANUMERIC = pattern(r"[A-Za-z0-9]+")
_NEEDLE_CHARS = 6  # the shortest part of a secret that is looked for in others' encodings
_LEAST_RUN, _LEAST_MADE_RUN = 3, 6
# Where a line is wrapped: by a blank, a backslash (shell), or an equals sign (RFC 2045, section 6.7).
_WRAP = pattern(r"[ \t]*[\\=]?\r?\n[ \t]*|\\r?\\n[ \t]*")
_BREAK = pattern(r"[ \t]*\r?\n[ \t]*")
_QUOTES = pattern(r"'\\'(')|'\"(')\"'")  # POSIX.1-2017, Shell Command Language, 2.2
_BACKSLASH = pattern(r"\\([^A-Za-z0-9\s])|\^([&<>|^\"])")
_WINDOW_CHARS = 32_000
"""Of a text that is looked at in one go; the next begins before its end, by what a form takes at most."""
_MOST_ESCAPED = 3  # a form that is longer yet by its escapes is in the list of forms
_ROUNDS = 3  # of encodings in each other, such as base64 in a URL in JSON
_MOST_READINGS = 40  # of one text: a bound on work, not on what is found first
_UNSAFE_NAME = pattern(r"[^\w. -]")
_SOURCE_CHARS = 80
_BASE64 = re.compile(r"[A-Za-z0-9+/=_-]")


class KnownValue(msgspec.Struct, frozen=True):
    """A secret, and what it is called: the name of the variable or the file that has it."""

    value: str
    source: str


class Span(msgspec.Struct, frozen=True):
    """Where a known value stands in a text."""

    start: int
    end: int
    source: str


class KnownValues:
    """Finds known values in texts and bytes."""

    def __init__(self, values: Sequence[KnownValue]) -> None:
        self._sources: dict[str, str] = {}
        self._made: set[str] = set()
        needles: set[bytes] = set()
        for known in sorted(values, key=lambda known: -len(known.value)):
            for form in forms_of(known.value):
                self._sources.setdefault(form, known.source)
                is_made = form != known.value
                if is_made:
                    self._made.add(form)
                needles.update(_needles_of(form, is_made=is_made))
        self._forms = tuple(self._sources)
        self._overlap_chars = _MOST_ESCAPED * max(map(len, self._forms), default=0)
        # The shorter of two that begin alike finds the longer as well.
        self._needles = BytesAhoCorasick(list(needles), implementation=Implementation.DFA)

    @cached_property
    def _exact(self) -> AhoCorasick:
        """Return what finds whole forms; made when one may be there, which is nearly never."""
        return AhoCorasick(self._forms, implementation=Implementation.ContiguousNFA)

    def may_stand_in(self, data: bytes) -> bool:
        """Return whether bytes may hold a known value in some form."""
        return bool(self._needles.find_matches_as_indexes(_squeezed(data)))

    def stands_in(self, data: bytes) -> str:
        """Return the source of a known value that bytes of any encoding hold, packed ones too; "" for none."""
        return next(filter(None, map(self._source_in, unpacked(data))), "")

    def _source_in(self, data: bytes) -> str:
        if not self.may_stand_in(data):
            return ""
        readings = (data, data.replace(b"\0", b""))  # the second is that of UTF-16
        texts = [data.decode("utf-8", "replace"), *(reading.decode("latin-1") for reading in readings)]
        return next((span.source for text in texts for span in self.find(text)), "")

    def masked(self, text: str) -> str:
        """Return a text with each known value in it masked."""
        for span in reversed(self.find(text)):
            text = text[: span.start] + mask_of(span.source) + text[span.end :]
        return text

    def find(self, text: str) -> list[Span]:
        """Return where known values stand in a text, in order; places that touch each other are one."""
        size = max(_WINDOW_CHARS, 4 * self._overlap_chars)
        starts = range(0, max(1, len(text) - self._overlap_chars), size - self._overlap_chars)
        parts = ((start, text[start : start + size]) for start in starts)
        return list(_joined([span for start, part in parts for span in self._find_in(part, start)]))

    def _find_in(self, text: str, offset: int) -> Iterator[Span]:
        if not self.may_stand_in(text.encode("utf-8", "surrogatepass")):
            return
        for plain, positions in _readings(text):
            for span in self._in_reading(plain, positions):
                yield Span(span.start + offset, span.end + offset, span.source)

    def _in_reading(self, plain: str, positions: Sequence[int]) -> Iterator[Span]:
        for number, start, end in self._exact.find_matches_as_indexes(plain, overlapping=True):
            form = self._forms[number]
            # A character of Base64 has bits of its neighbours.
            before = form in self._made and start > 0 and _BASE64.match(plain[start - 1]) is not None
            after = form in self._made and end < len(plain) and _BASE64.match(plain[end]) is not None
            yield Span(positions[start - before], positions[end + after], self._sources[form])


def mask_of(source: str) -> str:
    """Return what stands for a known value; nothing about the value itself."""
    return f"[masked, {_UNSAFE_NAME.sub('', source)[:_SOURCE_CHARS]}]"


@cache
def make_known(values: tuple[KnownValue, ...]) -> KnownValues | None:
    """Return what looks for these values, made once; None where there are none."""
    return KnownValues(values) if values else None


def _needles_of(form: str, *, is_made: bool) -> Iterator[bytes]:
    """Yield what stands in every text with a form, also where some of its signs are escaped.

    Programs escape no letter and no digit, so a run of them stands for the form; one without has more needles.
    """
    if is_made and form[: 2 * _NEEDLE_CHARS].isalnum():
        yield _needle(form[: 2 * _NEEDLE_CHARS])
        return
    longest = max(map(_needle, _ALPHANUMERIC.findall(form)), key=len, default=b"")
    if len(longest) >= min(_LEAST_MADE_RUN if is_made else _LEAST_RUN, len(form)):
        yield longest
    else:
        others = (form.replace("+", "%2B").replace("/", "%2F"),) if is_made else partly_escaped(form)
        yield from map(_needle, (form, *others))


def _needle(form: str) -> bytes:
    """Return how a form begins in text without blanks and backslashes."""
    data = form.encode("utf-8", "surrogatepass")
    return _squeezed(data)[:_NEEDLE_CHARS] or data[:1]


def _squeezed(data: bytes) -> bytes:
    """Return bytes without what may stand where a line is wrapped."""
    return data.translate(None, _SQUEEZED)


def _readings(text: str) -> Iterator[tuple[str, Sequence[int]]]:
    """Yield a text as it is and as it may be meant: lines joined, escapes resolved; with each character's place."""
    latest: dict[str, Sequence[int]] = {text: range(len(text) + 1)}
    seen = dict(latest)
    for _ in range(_ROUNDS):
        made = {}
        for plain, positions in latest.items():
            for expression, meant in _DECODERS:
                new, at = replaced(plain, positions, expression, meant)
                if new not in seen and len(seen) < _MOST_READINGS:
                    made[new] = seen[new] = at
        latest = made
    yield from seen.items()


def _sign(match: re.Match[str]) -> str:
    """Return the sign that was escaped; "" for the break of a line."""
    return match[match.lastindex] if match.lastindex else ""


_DECODERS = (
    (_WRAP, _sign),
    (_BREAK, _sign),
    (_QUOTES, _sign),
    (_BACKSLASH, _sign),
    *((expression, meaning) for expression in EACH),
)


def _joined(found: list[Span]) -> Iterator[Span]:
    last: Span | None = None
    for joined_span in sorted(found, key=lambda span: (span.start, -span.end)):
        if last is not None and joined_span.start < last.end:
            last = Span(last.start, max(last.end, joined_span.end), last.source)
        else:
            if last is not None:
                yield last
            last = joined_span
    if last is not None:
        yield last
