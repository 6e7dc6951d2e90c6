"""JSON that is not held in memory: the items of one list in a large file, and JSON values one after another."""

import re
from collections.abc import Iterator
from typing import BinaryIO, cast

import ijson

from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote
from plain_verdict.readers.mapping.json_document import members_at
from plain_verdict.readers.mapping.json_paths import JsonPlaces, JsonRoot
from plain_verdict.readers.mapping.selectors import Inner, Item, OnDone, OnLine, Selector
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import format_size

_LIST = re.compile(r"\$((?:\.[A-Za-z_][\w-]*)*)\[\*\](.*)", re.DOTALL)
_READ_AHEAD_BYTES = 1 << 16
_RECORD_SEPARATOR = b"\x1e"


class _WithoutSeparators:
    """A stream in which the signs before each text of a sequence are blank. Source: RFC 7464, section 2.2."""

    def __init__(self, stream: BinaryIO) -> None:
        self._stream = stream

    def read(self, size: int = -1) -> bytes:
        """Return the next bytes."""
        return self._stream.read(size).replace(_RECORD_SEPARATOR, b" ")


class _Streamed(JsonPlaces):
    """What files that are read value by value have in common; one that is truncated counts as far as it goes."""

    def __init__(self, source: Source) -> None:
        super().__init__(JsonRoot())
        self._source = source
        self._fault = ""
        self.on_line: OnLine | None = None
        self.on_done: OnDone | None = None

    def _values(self, prefix: str, *, is_sequence: bool) -> Iterator[object]:
        try:
            with self._source.open() as stream:
                yield from ijson.items(
                    cast("BinaryIO", _WithoutSeparators(stream)),
                    prefix,
                    use_float=True,
                    multiple_values=is_sequence,
                    buf_size=_READ_AHEAD_BYTES,
                )
        except (ijson.JSONError, ValueError) as error:
            self._fault = single_line(str(error), 120)

    def root(self) -> object:
        """Return nothing: what is read is forgotten."""
        return None

    def locate(self, number: int, _each: str, inner: Inner) -> str:
        """Return in words which value it is."""
        return ", ".join((f"value {number:,}", *(f"item {position + 1}" for _, position in inner)))

    def notes(self) -> Iterator[ReadingNote]:
        """Yield a note where the file ends early, or is damaged."""
        if self._fault:
            what = f"is not complete JSON ({self._fault}); what could be read counts"
            yield ReadingNote(self._source.path, what, results_missing=True)


class JsonSequence(_Streamed):
    """JSON values one after another, each over several lines, or with nothing between them. Source: RFC 7464."""

    def items(self, each: str) -> Iterator[Item]:
        """Yield each value, or what stands at the path in it."""
        inside = self.select(each) if each else None
        for number, value in enumerate(self._values("", is_sequence=True), 1):
            self._root.value = value
            if self.on_line:
                self.on_line(value)
            yield from (Item(number, part) for part in (members_at(inside, value) if inside else [value]))
            if self.on_done:
                self.on_done([value])


class JsonStream(_Streamed):
    """A JSON file that is too large to be read whole: the items of its list, one by one."""

    def __init__(self, source: Source, limits: Limits) -> None:
        super().__init__(source)
        self._limits = limits

    @staticmethod
    def first_list(source: Source) -> str:
        """Return the path of the first list of objects in a file, like ``$.checks``; ``$`` where there is none."""
        with source.open() as stream:
            before = ""
            try:
                for prefix, event, _ in ijson.parse(stream):
                    if event == "start_map" and before == "start_array":
                        return "$" + "".join(
                            f".{name}" for name in prefix.removesuffix("item").strip(".").split(".") if name
                        )
                    before = event
            except ijson.JSONError:
                pass
        return "$"

    def select(self, text: str | int) -> Selector:
        """Return the place of a path, which must be seen from an item. Raises ValueError."""
        if isinstance(text, str) and text.startswith("$"):
            raise ValueError(f"“{text}” is seen from the whole file, which is too large to be held in memory")
        return super().select(text)

    def items(self, each: str) -> Iterator[Item]:
        """Yield the items of the first list at the path, or what stands in them. Raises ReadError."""
        found = _LIST.fullmatch(each)
        if found is None:
            raise ReadError(
                f"is larger than {format_size(self._limits.whole_bytes)}, and JSON is read whole",
                path=self._source.path,
                hint="give each = “$.name[*]” with plain names, or write JSON Lines: these are read one by one",
            )
        names, rest = found.groups()
        inside = super().select(rest.removeprefix(".")) if rest else None
        prefix = ".".join((*names.split(".")[1:], "item"))
        for number, value in enumerate(self._values(prefix, is_sequence=False), 1):
            yield from (Item(number, part) for part in (members_at(inside, value) if inside else [value]))
