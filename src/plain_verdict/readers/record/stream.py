"""Reads the lines of a record; a wrong line is noted, and only that line is lost."""

from codecs import BOM_UTF8
from collections import Counter
from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote
from plain_verdict.readers.record.lines import KNOWN_KEYS, AnyLine, RecordLine
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural
from plain_verdict.text.json_text import are_plain, line_chunks, surely_once, twice_in, without_halves
from plain_verdict_recorder.lines import VERSION

_strict = msgspec.json.Decoder(AnyLine)
_loose = msgspec.json.Decoder(dict[str, object])
_DAMAGED = (msgspec.DecodeError, UnicodeDecodeError, RecursionError)


class RecordLines:
    """The lines of a record that can be read, and notes on the others."""

    def __init__(self, source: Source, limits: Limits) -> None:
        self._source = source
        self._limits = limits
        self._wrong: list[ReadingNote] = []
        self._unknown: Counter[str] = Counter()
        self._number = 0
        """Lines before those that are read."""

    def __iter__(self) -> Iterator[AnyLine]:
        with self._source.open() as stream:
            for chunk in line_chunks(stream):
                if not self._number:
                    chunk[0] = chunk[0].removeprefix(BOM_UTF8)
                lines = _together(chunk)
                if lines is None:
                    yield from self._singly(chunk)
                else:
                    yield from lines
                    self._number += len(chunk)

    def _singly(self, chunk: Sequence[bytes]) -> Iterator[AnyLine]:
        for data in chunk:
            self._number += 1
            try:
                line = _strict.decode(data)
                _check_twice(data)
                if isinstance(line, RecordLine) and line.version > VERSION:
                    what = f"version {line.version} is newer than this reader's {VERSION} - at `$.version`"
                    raise msgspec.ValidationError(what)
                yield line
            except _DAMAGED as error:
                if not data.isspace():
                    repaired = self._without_unknown(data, error)
                    if repaired is not None:
                        yield repaired

    def _without_unknown(self, data: bytes, error: Exception) -> AnyLine | None:
        """Return a line without the keys that are not known; None, and a note, where that is not what is wrong."""
        try:
            whole = without_halves(data)
            fields = _loose.decode(whole)
            known = KNOWN_KEYS[str(fields.get("what"))]
            unknown = fields.keys() - known
            if not unknown and whole == data:
                raise error
            line: AnyLine = msgspec.convert({key: fields[key] for key in fields.keys() & known}, AnyLine)
            _check_twice(data)
        except KeyError:
            self._note(data, error)
        except _DAMAGED as closer:
            self._note(data, closer)
        else:
            for key in unknown:
                self._unknown[f"“{single_line(key, 40)}” in {fields['what']} lines"] += 1
            return line
        return None

    def _note(self, data: bytes, error: Exception) -> None:
        if not data.endswith(b"\n"):
            what = "ends in the middle of a line; the lines before it count"
        else:
            what = f"has a line that can't be read ({single_line(str(error), 200)}); only that line is lost"
        self._wrong.append(ReadingNote(self._source.path, what, f"line {self._number:,}", results_missing=True))

    def notes(self) -> Iterator[ReadingNote]:
        """Yield a note for each wrong line, up to the limit, and one on unknown keys."""
        most = self._limits.notes
        yield from self._wrong[:most]
        if len(self._wrong) > most:
            more = plural(len(self._wrong) - most, "more line")
            yield ReadingNote(self._source.path, f"has {more} that can't be read", results_missing=True)
        for where in sorted(self._unknown):
            yield ReadingNote(self._source.path, f"has keys that are not known and were left out: {where}")


def _together(chunk: Sequence[bytes]) -> list[AnyLine] | None:
    """Return lines in which nothing is wrong; None where a line has to be looked at by itself."""
    if not are_plain(chunk):
        return None
    try:
        lines = list(map(_strict.decode, chunk))
        is_well = surely_once(chunk, map(_loose.decode, chunk))
    except _DAMAGED:
        return None
    heads = [line for line in lines if type(line) is RecordLine]
    return lines if is_well and not any(line.version > VERSION for line in heads) else None


def _check_twice(data: bytes) -> None:
    """Make sure that no key stands twice in a line: one of its values would be lost. Raises ValidationError.

    Source: RFC 8259, section 4 (names should be unique).
    """
    twice = twice_in(data)
    if twice is not None:
        raise msgspec.ValidationError(f"the key “{single_line(twice, 40)}” stands in it twice")
