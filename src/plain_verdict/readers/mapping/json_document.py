"""JSON files, whole in memory, and JSON Lines, line by line, as a mapping sees them."""

from codecs import BOM_UTF8
from collections.abc import Iterator, Sequence
from contextlib import suppress
from itertools import chain, starmap

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote
from plain_verdict.readers.mapping.json_paths import JsonPlaces, JsonRoot
from plain_verdict.readers.mapping.selectors import Batch, Inner, Item, OnDone, OnLine, Selector, on_line
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.encoding import as_text
from plain_verdict.text.formatting import format_size, plural
from plain_verdict.text.json_text import (
    DAMAGED_JSON,
    are_plain,
    decode_json,
    key_twice,
    line_chunks,
    may_have_twice,
    surely_once,
)

_SHOWN_BYTES = 100  # of a line that can't be read
_any = msgspec.json.Decoder()


class JsonDocument(JsonPlaces):
    """One JSON file. Raises ReadError for one that is none, or too large."""

    def __init__(self, source: Source, limits: Limits) -> None:
        with source.open() as stream:
            data = stream.read(limits.whole_bytes + 1)
        if len(data) > limits.whole_bytes:
            hint = "write JSON Lines instead, a line for each check: these are read one by one"
            raise ReadError(
                f"is larger than {format_size(limits.whole_bytes)}, and JSON is read whole",
                path=source.path,
                hint=hint,
            )
        try:
            super().__init__(JsonRoot(decode_json(data)))
        except DAMAGED_JSON as error:
            raise ReadError(
                f"is not complete JSON: {_worded(error)}",
                path=source.path,
                hint="the run may have been stopped while it wrote; run it again",
            ) from error
        self._path = source.path
        self._data = data
        self.on_line: OnLine | None = None
        self.on_done: OnDone | None = None

    def items(self, each: str) -> Iterator[Item]:
        """Yield what stands at the path; the whole file where there is none."""
        return starmap(Item, chain.from_iterable(self.batches(each)))

    def batches(self, each: str) -> Iterator[Batch]:
        """Yield all items at a time."""
        found = members_at(self.select(each), self._root.value) if each else [self._root.value]
        yield list(enumerate(found))
        if self.on_done:
            self.on_done([self._root.value])

    def root(self) -> object:
        """Return the whole file."""
        return self._root.value

    def locate(self, number: int, each: str, inner: Inner) -> str:
        """Return the path of an item, as far as paths are made of names and wildcards only."""
        path = "$"
        for each_text, at in ((each, number), *inner):
            if each_text:  # else it is the item around it
                before, sign, after = each_text.rpartition("[*]")
                is_plain = sign and not after and "*" not in before
                located = f"{before}[{at}]" if is_plain else f"{each_text}, {at + 1}"
                path = located if located.startswith("$") else f"{path}{'' if located[:1] == '[' else '.'}{located}"
        return path

    def notes(self) -> Iterator[ReadingNote]:
        """Yield a note where a key stands twice in an object: one of its values is lost."""
        key = key_twice(self._data) if may_have_twice(self._data, self._root.value) else None
        if key is not None:
            yield _twice(self._path, key, "")


class JsonLines(JsonPlaces):
    """One file of JSON Lines; a line that can't be read is noted, and only that line is lost."""

    def __init__(self, source: Source, limits: Limits) -> None:
        super().__init__(JsonRoot())
        self._source = source
        self._limits = limits
        self._number = 0
        self._wrong: list[ReadingNote] = []
        self._wrong_number = 0
        self.on_line: OnLine | None = None
        self.on_done: OnDone | None = None

    def items(self, each: str) -> Iterator[Item]:
        """Yield each line, or what stands at the path in it."""
        inside = self.select(each) if each else None
        for lines in self._chunks():
            for number, value in lines:
                self._root.value = value
                if self.on_line:
                    self.on_line(value)
                if inside is None:
                    yield Item(number, value)
                else:
                    yield from (Item(number, part) for part in members_at(inside, value))
                if self.on_done:
                    self.on_done([value])

    def batches(self) -> Iterator[Batch]:
        """Yield the lines, several at a time; places must not speak of ``$``."""
        for lines in self._chunks():
            if self.on_line:
                for _, value in lines:
                    self.on_line(value)
            yield lines

    def _chunks(self) -> Iterator[list[tuple[int, object]]]:
        first = 1
        with self._source.open() as stream:
            for chunk in line_chunks(stream):
                if first == 1:
                    chunk[0] = chunk[0].removeprefix(BOM_UTF8)
                try:
                    values = list(map(_any.decode, chunk))
                except DAMAGED_JSON:
                    items = list(self._readable(chunk, first))
                else:
                    items = list(zip(range(first, first + len(chunk)), values, strict=True))
                    if not (are_plain(chunk) and surely_once(chunk, values)):
                        self._note_twice(chunk, first, items)
                yield items
                first += len(chunk)

    def _readable(self, lines: Sequence[bytes], first: int) -> Iterator[tuple[int, object]]:
        """Yield the lines that can be read, and note the others; ``first`` is the number of the first line."""
        for number, data in enumerate(lines, first):
            try:
                value = _any.decode(data)
            except DAMAGED_JSON as error:
                value = self._repaired(data, number, error)
                if value is None:
                    continue
            self._note_twice(lines, first, [(number, value)])
            yield number, value

    def _repaired(self, data: bytes, number: int, error: Exception) -> object:
        """Return a line with numbers that are none, like NaN; None, and a note, where more is wrong."""
        if not data.strip():
            return None
        with suppress(*DAMAGED_JSON):
            return decode_json(data)
        what = "has a line that can't be read" if data.endswith(b"\n") else "ends in the middle of a line"
        # A program's own words among its lines are worth more than what a parser thinks of them.
        shown = (
            _worded(error) if data[:1] in b"{[" else f"“{single_line(as_text(data[:_SHOWN_BYTES]), _SHOWN_BYTES)}”"
        )
        note = f"{what} ({shown}); only that line is lost"
        self._note(ReadingNote(self._source.path, note, f"line {number:,}", results_missing=True))
        return None

    def _note_twice(self, lines: Sequence[bytes], first: int, items: Batch) -> None:
        """Note each item in whose line a key stands twice."""
        for number, value in items:
            data = lines[number - first]
            key = key_twice(data) if may_have_twice(data, value) else None
            if key is not None:
                self._note(_twice(self._source.path, key, f"line {number:,}"))

    def _note(self, note: ReadingNote) -> None:
        self._wrong_number += 1
        if len(self._wrong) < self._limits.notes:
            self._wrong.append(note)

    def root(self) -> object:
        """Return nothing: each line is complete in itself."""
        return None

    def locate(self, number: int, _each: str, inner: Inner) -> str:
        """Return the number of the line."""
        return on_line(number, inner)

    def notes(self) -> Iterator[ReadingNote]:
        """Yield a note for each line that can't be read, up to the limit."""
        yield from self._wrong
        if self._wrong_number > len(self._wrong):
            more = plural(self._wrong_number - len(self._wrong), "more line")
            yield ReadingNote(self._source.path, f"has {more} that can't be read", results_missing=True)


def members_at(selector: Selector, value: object) -> list[object]:
    """Return what stands at a place; of one list, its members: nobody means the list itself by its path."""
    found = selector.all(value)
    return found[0] if selector.single and len(found) == 1 and type(found[0]) is list else found


def _twice(path: str, key: str, where: str) -> ReadingNote:
    what = f"has the key “{single_line(key, 40)}” twice in one object, so one of its values is lost"
    return ReadingNote(path, what, where, results_missing=True)


def _worded(error: Exception) -> str:
    return "it nests too deep" if isinstance(error, RecursionError) else single_line(str(error), 200)
