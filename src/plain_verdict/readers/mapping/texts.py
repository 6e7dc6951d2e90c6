"""Texts of an item: from one place, the first of several, put together, cut out by a pattern, or split."""

import re
import zlib
from base64 import b64decode
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from itertools import chain

import msgspec

from plain_verdict.readers.mapping.selectors import Document, FindText, Selector
from plain_verdict.settings.mappings import Lookup, Text, Value
from plain_verdict.text.encoding import as_text
from plain_verdict.text.expressions import SEARCHED_CHARS, Expression, TooSlow
from plain_verdict.text.numbers import read_number

_byte_values = msgspec.json.Decoder(list[int])
_UNPACKED_BYTES = 1_000_000  # more of a text is not shown
_BRACES = re.compile(r"\{([^{}]+)\}")


class Texts:
    """Makes searches for texts, and remembers their places by the key of the mapping that they stand in."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.selectors: list[tuple[str, Selector]] = []
        self.unsearched: Counter[str] = Counter()
        """Texts that a pattern was not looked for in to their end, by the key of the mapping."""

    def select(self, key: str, text: str | int) -> Selector:
        """Return a place of the mapping's key. Raises ValueError for what is none in this syntax."""
        try:
            selector = self.document.select(text)
        except ValueError as error:
            raise ValueError(f"{key}: {error}") from error
        self.selectors.append((key, selector))
        return selector

    def first(self, key: str, wanted: Text) -> FindText | None:
        """Return the search for one text; None where the mapping says nothing of it."""
        if wanted in ("", ()):
            return None
        if isinstance(wanted, Value):
            return self._decoded(key, wanted)
        if isinstance(wanted, tuple):
            return _first_of([self._at(key, path) for path in wanted])
        return self._at(key, wanted)

    def all(self, key: str, wanted: Text) -> Callable[[object], list[str]] | None:
        """Return the search for all texts that stand at one or several places, split where the mapping wants it."""
        if wanted in ("", ()):
            return None
        value = wanted if isinstance(wanted, Value) else Value(from_=wanted)
        if _is_made(value):
            return _PartsOf(self._decoded(key, value), value.split)
        paths = value.from_ if isinstance(value.from_, tuple) else (value.from_,)
        selectors = [self.select(key, path) for path in paths]
        if len(selectors) == 1 and selectors[0].single and not value.split:
            return _SingleText(selectors[0], self.document.text_of)
        return _AllTexts(selectors, self.document.text_of, value.split)

    def joined(self, key: str, wanted: Text) -> FindText | None:
        """Return the search for one text that several places hold parts of, joined by a space."""
        if not isinstance(wanted, tuple) or len(wanted) < 2:
            return self.first(key, wanted)
        return _Joined([self._at(key, path) for path in wanted])

    def _at(self, key: str, text: str | int) -> FindText:
        return self.select(key, text).read

    def _decoded(self, key: str, value: Value) -> FindText:
        find = self._formed(key, value)
        if value.encoding:
            find = _Decoded(find, _TEXT_DECODERS[value.encoding])
        return _LookedUp(find, self, key, value.lookup) if value.lookup else find

    def _formed(self, key: str, value: Value) -> FindText:
        if value.text:
            find = self._put_together(key, value.text)
        elif value.join or value.sum:
            find_all = self.all(key, Value(value.from_, split=value.split))
            find = _JoinedTexts(find_all, value.join) if value.join else _SumOfTexts(find_all)
        else:
            paths = value.from_ if isinstance(value.from_, tuple) else (value.from_,)
            find = _first_of([self._at(key, path) for path in paths])
        return _CutOut(key, find, Expression(value.pattern), self.unsearched) if value.pattern else find

    def _put_together(self, key: str, text: str) -> FindText:
        """Return the search for a text with places in braces; None where none of them holds anything."""
        words = _BRACES.split(text)
        fixed, parts = words[::2], [self._at(key, _column(word)) for word in words[1::2]]
        return _PutTogether(fixed, parts) if parts else lambda _item: text


def _is_made(value: Value) -> bool:
    """Return whether a text is made of what stands somewhere, and not that itself."""
    return any((value.text, value.pattern, value.join, value.sum, value.encoding, value.lookup))


def _column(word: str) -> str | int:
    """Return what stands in braces; a number is that of a column."""
    return int(word) if word.isascii() and word.isdigit() else word


class _JoinedTexts:
    """The search for all texts at a place as one; None where there is none."""

    def __init__(self, find: Callable[[object], list[str]] | None, between: str) -> None:
        self._find, self._between = find, between

    def __call__(self, item: object) -> str | None:
        found = self._find(item) if self._find else []
        return self._between.join(found) if found else None


class _SumOfTexts:
    """The search for the sum of the numbers at a place; None where there is none."""

    def __init__(self, find: Callable[[object], list[str]] | None) -> None:
        self._find = find

    def __call__(self, item: object) -> str | None:
        numbers = [
            number for text in (self._find(item) if self._find else []) if (number := read_number(text)) is not None
        ]
        return f"{sum(numbers):.15g}" if numbers else None


class _Decoded:
    """The search for a text that is encoded."""

    def __init__(self, find: FindText, decode: Callable[[str], str]) -> None:
        self._find, self._decode = find, decode

    def __call__(self, item: object) -> str | None:
        text = self._find(item)
        return None if text is None else self._decode(text)


class _LookedUp:
    """The search for what an entry of a list elsewhere says, found by a text; None where there is none."""

    def __init__(self, find: FindText, texts: Texts, key: str, lookup: Lookup) -> None:
        self._find, self._root = find, texts.document.root
        self._each = texts.select(f"{key}.lookup.each", lookup.each)
        self._key = texts.select(f"{key}.lookup.key", lookup.key)
        self._value = texts.select(f"{key}.lookup.value", lookup.value)
        self._known: dict[str, str] | None = None

    def __call__(self, item: object) -> str | None:
        if self._known is None:
            self._known = dict(self._entries())
        text = self._find(item)
        return None if text is None else self._known.get(text)

    def _entries(self) -> Iterator[tuple[str, str]]:
        for entry in parts_at(self._each, self._root()):
            key, value = self._key.read(entry), self._value.read(entry)
            if key is not None and value is not None:
                yield key, value


def parts_at(selector: Selector, item: object) -> list[object]:
    """Return what stands at a place, a list as its members."""
    return [part for value in selector.all(item) for part in (value if type(value) is list else [value])]


def _from_base64(text: str) -> str:
    """Return what base64 holds as text; itself where it is none."""
    try:
        return as_text(b64decode("".join(text.split()), validate=True))
    except ValueError:
        return text


def _from_zlib(text: str) -> str:
    """Return what base64 of compressed data holds as text, as far as it is shown; itself where it is none."""
    try:
        return as_text(zlib.decompressobj().decompress(b64decode("".join(text.split())), _UNPACKED_BYTES))
    except (ValueError, zlib.error):
        return text


def _from_bytes(text: str) -> str:
    """Return what a list of byte values holds as text; itself where it is none."""
    try:
        return as_text(bytes(_byte_values.decode(text)))
    except (msgspec.MsgspecError, ValueError):
        return text


_TEXT_DECODERS = {"base64": _from_base64, "base64+zlib": _from_zlib, "bytes": _from_bytes}


class _Joined:
    """The search for the texts of several places in one, with spaces between."""

    def __init__(self, finds: Sequence[FindText]) -> None:
        self._finds = finds

    def __call__(self, item: object) -> str | None:
        return " ".join(text for find in self._finds if (text := find(item)) is not None) or None


class _PutTogether:
    """The search for a text with places in it; None where none of them holds anything."""

    def __init__(self, fixed: Sequence[str], finds: Sequence[FindText]) -> None:
        self._fixed, self._finds = fixed, finds

    def __call__(self, item: object) -> str | None:
        found = [find(item) for find in self._finds]
        if all(text is None for text in found):
            return None
        pairs = zip(self._fixed, (text or "" for text in found), strict=False)
        return "".join((*chain.from_iterable(pairs), self._fixed[-1])).strip()


class _CutOut:
    """The search for a part of a text; it ends in time, whatever the data is."""

    def __init__(self, key: str, find: FindText, expression: Expression, unsearched: Counter[str]) -> None:
        self._key, self._find, self._expression = key, find, expression
        self._unsearched = unsearched

    def __call__(self, item: object) -> str | None:
        text = self._find(item)
        if text is None:
            return None
        try:
            found = self._expression.cut_out(text)
        except TooSlow:
            self._unsearched[self._key] += 1
            return None
        # What stands behind the part that is searched was not seen.
        self._unsearched[self._key] += found is None and len(text) > SEARCHED_CHARS
        return found or None


class _PartsOf:
    """The search for the parts of a text that a pattern or several places make."""

    def __init__(self, find: FindText, sign: str) -> None:
        self._find, self._sign = find, sign

    def __call__(self, item: object) -> list[str]:
        found = self._find(item)
        return _parts([found] if found else [], self._sign)


class _SingleText:
    """The search for the text of one place, which may be a list."""

    def __init__(self, selector: Selector, to_text: Callable[[object], str]) -> None:
        self._selector, self._to_text = selector, to_text

    def __call__(self, item: object) -> list[str]:
        found = self._selector.first(item)
        return [] if found is None else _listed(found, self._to_text)


class _AllTexts:
    """The search for the texts that stand at several places."""

    def __init__(self, selectors: Sequence[Selector], to_text: Callable[[object], str], sign: str) -> None:
        self._selectors, self._to_text, self._sign = selectors, to_text, sign

    def __call__(self, item: object) -> list[str]:
        found = [part for selector in self._selectors for part in selector.all(item)]
        return _parts([text for part in found for text in _listed(part, self._to_text)], self._sign)


def _listed(value: object, to_text: Callable[[object], str]) -> list[str]:
    """Return a value as texts: each of a list's own."""
    if type(value) is list:
        return [to_text(part) for part in value if part is not None]
    return [to_text(value)]


def _parts(texts: Sequence[str], sign: str) -> list[str]:
    return [part.strip() for text in texts for part in text.split(sign) if part.strip()] if sign else list(texts)


def _first_of(finds: Sequence[FindText]) -> FindText:
    if len(finds) == 1:
        return finds[0]

    def find(item: object) -> str | None:
        return next((text for find in finds if (text := find(item)) is not None), None)

    return find
