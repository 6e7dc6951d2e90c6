"""Turns blocks of a table into columns: by pyarrow where all is well, row by row where anything is in doubt."""

from __future__ import annotations  # the stubs of pyarrow know more types than the library

import csv
from collections import Counter
from collections.abc import Iterator
from io import BytesIO, StringIO
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray
from pyarrow import csv as arrow_csv

from plain_verdict.load.bins import LONGEST_US
from plain_verdict.load.state import Block
from plain_verdict.model import in_order
from plain_verdict.readers.samples.blocks import Part, split
from plain_verdict.readers.samples.columns import BAD, GOOD, Columns, Role
from plain_verdict.text.cleaning import one_line
from plain_verdict.text.moments import read_moment
from plain_verdict.text.numbers import read_number

Array = NDArray[Any]
_FIRST_US, _LAST_US = 31_536_000_000_000, 221_845_392_000_000_000  # 1971 and 9000
_SPLIT, _SMALL_BYTES = 16, 64_000
_NAME_CHARS, _MESSAGE_CHARS = 300, 300
HEADER_AGAIN = "is the header again, in the middle"
NAMELESS = "nameless request"
NO_ANSWER = "no answer"


class BadRow(NamedTuple):
    """A row that is no sample: its line, and why."""

    line: int
    why: str


class Doubt(Exception):  # noqa: N818  caught in this module
    """A block has something in it that only a reading row by row can tell."""


class Parser:
    """Parses the blocks of one file."""

    def __init__(self, columns: Columns, delimiter: str) -> None:
        self._columns = columns
        self._delimiter = delimiter
        self._used = {role: f"c{at}" for role, at in columns.places.items()}
        names = [f"c{at}" for at in range(len(columns.names))]
        text = pa.dictionary(pa.int32(), pa.binary())
        types: dict[str, pa.DataType] = dict.fromkeys(self._used.values(), text)
        for role in (Role.TOOK, Role.BYTES, Role.USERS):
            if role in self._used:
                types[self._used[role]] = pa.float64()
        if columns.time_us:
            types[self._used[Role.STARTED]] = pa.float64()
        else:
            types[self._used[Role.STARTED]] = pa.binary()
        self._read = arrow_csv.ReadOptions(column_names=names, use_threads=False, block_size=1 << 30)
        self._parse = arrow_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True, ignore_empty_lines=True)
        self._convert = arrow_csv.ConvertOptions(
            column_types=types,
            include_columns=list(self._used.values()),
            null_values=[""],
            strings_can_be_null=False,
            check_utf8=False,
            decimal_point=columns.decimal,
        )

    def parse(self, part: Part) -> Iterator[Block | BadRow]:
        """Yield the samples of a part as blocks, and each row that is none."""
        try:
            yield self._by_arrow(part)
        except Doubt:
            if len(part.data) > _SMALL_BYTES:
                for smaller in split(part, _SPLIT):
                    yield from self.parse(smaller)
            else:
                yield from self._by_row(part)

    def _by_arrow(self, part: Part) -> Block:
        """Return the samples of a part where nothing in it is in doubt. Raises Doubt."""
        if b"\0" in part.data or not part.data.endswith(b"\n"):
            raise Doubt
        try:
            table = arrow_csv.read_csv(BytesIO(part.data), self._read, self._parse, self._convert)
        except (pa.ArrowInvalid, pa.ArrowKeyError) as error:
            raise Doubt from error
        column = {role: table.column(name) for role, name in self._used.items()}
        size = table.num_rows
        took = _numbers(column[Role.TOOK])
        if self._columns.time_us:
            started = _numbers(column[Role.STARTED]) * self._columns.time_us
        else:
            started = _moments(column[Role.STARTED])
        took_us = np.round(took * self._columns.took_us)
        if not (
            np.isfinite(took_us).all()
            and np.isfinite(started).all()
            and (took_us >= 0).all()
            and (took_us <= LONGEST_US).all()
            and (started >= _FIRST_US).all()
            and (started <= _LAST_US).all()
        ):
            raise Doubt
        names, labels = self._labels(column, size)
        failed, statuses, messages = self._outcomes(column, size)
        received = _numbers(column[Role.BYTES]) if Role.BYTES in column else np.zeros(size)
        users = _whole(_numbers(column[Role.USERS])) if Role.USERS in column else np.full(size, -1)
        return Block(
            names=names,
            labels=labels,
            started_us=started.astype(np.int64),
            took_us=took_us.astype(np.int64),
            failed=failed,
            received=np.maximum(np.nan_to_num(received), 0.0),
            users=users.astype(np.int64),
            statuses=statuses,
            messages=messages,
        )

    def _labels(self, column: dict[Role, pa.ChunkedArray[Any]], size: int) -> tuple[list[str], Array]:
        if Role.LABEL not in column:
            return [NAMELESS], np.zeros(size, np.int64)
        words, codes = _codes(column[Role.LABEL])
        names = [one_line(text_of(word), _NAME_CHARS) or NAMELESS for word in words]
        if Role.METHOD not in column:
            return names, codes
        verbs, verb_codes = _codes(column[Role.METHOD])
        methods = [one_line(text_of(verb), 20) for verb in verbs]
        both = codes * len(methods) + verb_codes
        found, places = np.unique(both, return_inverse=True)
        pairs = [(methods[pair % len(methods)], names[pair // len(methods)]) for pair in found.tolist()]
        return [f"{method} {name}".strip() for method, name in pairs], places.astype(np.int64)

    def _outcomes(
        self, column: dict[Role, pa.ChunkedArray[Any]], size: int
    ) -> tuple[Array, Counter[str], Counter[tuple[str, str]]]:
        """Return which requests failed, how often each status came, and what the failed ones say. Raises Doubt."""
        words, codes = _codes(column[Role.STATUS]) if Role.STATUS in column else ([b""], np.zeros(size, np.int64))
        status = [one_line(text_of(word), 60) for word in words]
        if Role.SUCCESS in column:
            marks, mark_codes = _codes(column[Role.SUCCESS])
            told = [success_of(text_of(mark)) for mark in marks]
            if any(one is None for one in told):
                raise Doubt
            failed = ~np.array([bool(one) for one in told], np.bool_)[mark_codes]
        elif Role.STATUS in column:
            failed = np.array([is_bad_status(word) for word in status], np.bool_)[codes]
        else:
            failed = np.zeros(size, np.bool_)
        statuses = Counter[str]()
        if Role.STATUS in column:
            for code, times in enumerate(np.bincount(codes, minlength=len(status)).tolist()):
                statuses[status[code] or NO_ANSWER] += times
        messages = Counter[tuple[str, str]]()
        if failed.any():
            texts, text_codes = (
                _codes(column[Role.MESSAGE]) if Role.MESSAGE in column else ([b""], np.zeros(size, np.int64))
            )
            both = (codes * len(texts) + text_codes)[failed]
            for pair, times in zip(*(part.tolist() for part in np.unique(both, return_counts=True)), strict=True):
                said = one_line(text_of(texts[pair % len(texts)]), _MESSAGE_CHARS)
                messages[status[pair // len(texts)] or NO_ANSWER, said] += times
        return failed, statuses, messages

    def _by_row(self, part: Part) -> Iterator[Block | BadRow]:
        """Yield each sample of a small part by itself; what is none is told with its line."""
        whole = part.data.endswith(b"\n")
        text = text_of(part.data)
        reader = csv.reader(StringIO(text, newline=""), delimiter=self._delimiter)
        rows: list[tuple[int, list[str]]] = []
        before = 0
        try:
            for row in reader:
                rows.append((part.line + before, row))
                before = reader.line_num
        except csv.Error as error:
            yield BadRow(part.line + before, one_line(str(error), 100))
        good: list[list[str]] = []
        for at, (line, row) in enumerate(rows):
            if not row:
                continue
            cut = not whole and at == len(rows) - 1
            why = self._why_bad(row, cut=cut)
            if why is None:
                good.append(row)
            else:
                yield BadRow(line, why)
        if good:
            yield self._block_of(good)

    def _why_bad(self, row: list[str], *, cut: bool) -> str | None:
        """Return why a row is no sample; None for one that is."""
        wanted = len(self._columns.names)
        if row == list(self._columns.names):
            return HEADER_AGAIN
        if len(row) != wanted:
            return "is cut off" if cut and len(row) < wanted else f"has {len(row)} cells, {wanted} are expected"
        if any("\0" in cell for cell in row):
            return "has a NUL character"
        return self._wrong_value({role: row[at].strip() for role, at in self._columns.places.items()})

    def _wrong_value(self, cell: dict[Role, str]) -> str | None:
        """Return which value of a row can't be read; None where all can."""
        number = read_number(cell[Role.TOOK], self._columns.decimal)
        if number is None:
            return f"has no duration: “{one_line(cell[Role.TOOK], 30)}”"
        if not 0 <= number * self._columns.took_us <= LONGEST_US:
            return f"has an impossible duration: “{one_line(cell[Role.TOOK], 30)}”"
        at = _moment_us(cell[Role.STARTED], self._columns.time_us)
        if at is None or not _FIRST_US <= at <= _LAST_US:
            return f"has no time: “{one_line(cell[Role.STARTED], 30)}”"
        if Role.SUCCESS in cell and success_of(cell[Role.SUCCESS]) is None:
            return f"does not say whether it went well: “{one_line(cell[Role.SUCCESS], 30)}”"
        return None

    def _block_of(self, rows: list[list[str]]) -> Block:
        places, columns = self._columns.places, self._columns
        names: dict[str, int] = {}
        labels, started, took, failed, received, users = [], [], [], [], [], []
        statuses, messages = Counter[str](), Counter[tuple[str, str]]()
        for row in rows:
            cell = {role: row[at].strip() for role, at in places.items()}
            name = one_line(cell.get(Role.LABEL, ""), _NAME_CHARS) or NAMELESS
            method = one_line(cell.get(Role.METHOD, ""), 20)
            labels.append(names.setdefault(f"{method} {name}".strip(), len(names)))
            started.append(_moment_us(cell[Role.STARTED], columns.time_us) or 0)
            took.append(round((read_number(cell[Role.TOOK], columns.decimal) or 0.0) * columns.took_us))
            status = one_line(cell.get(Role.STATUS, ""), 60)
            bad = (
                not success_of(cell[Role.SUCCESS])
                if Role.SUCCESS in cell
                else Role.STATUS in cell and is_bad_status(status)
            )
            failed.append(bad)
            received.append(max(0.0, read_number(cell.get(Role.BYTES, ""), columns.decimal) or 0.0))
            number = read_number(cell.get(Role.USERS, ""), columns.decimal)
            users.append(-1 if number is None else int(number))
            if Role.STATUS in cell:
                statuses[status or NO_ANSWER] += 1
            if bad:
                messages[status or NO_ANSWER, one_line(cell.get(Role.MESSAGE, ""), _MESSAGE_CHARS)] += 1
        return Block(
            names=list(names),
            labels=np.array(labels, np.int64),
            started_us=np.array(started, np.int64),
            took_us=np.array(took, np.int64),
            failed=np.array(failed, np.bool_),
            received=np.array(received, np.float64),
            users=np.array(users, np.int64),
            statuses=statuses,
            messages=messages,
        )


def text_of(data: bytes) -> str:
    """Return text as UTF-8, or as Windows-1252 where it is not that."""
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


def success_of(text: str) -> bool | None:
    """Return whether a word says that a request went well; None for one that says neither."""
    word = text.strip().casefold()
    return True if word in GOOD else False if word in BAD else None


def is_bad_status(status: str) -> bool:
    """Return whether a status is that of a failed request: 400 or more, or none at all."""
    digits = status.strip()[:3]
    return not (digits.isascii() and digits.isdigit() and 100 <= int(digits) < 400)


def _codes(column: pa.ChunkedArray[Any]) -> tuple[list[bytes], Array]:
    """Return the different words of a column, and for each row which it is; nothing is a word, too."""
    one = column.unify_dictionaries().combine_chunks()
    if isinstance(one, pa.ChunkedArray):
        one = one.chunk(0) if one.num_chunks else pa.DictionaryArray.from_arrays([], [])
    assert isinstance(one, pa.DictionaryArray), "columns of words are read as dictionaries"  # noqa: S101
    words = [word or b"" for word in one.dictionary.to_pylist()]
    codes = one.indices
    if codes.null_count:
        codes = pc.fill_null(codes, pa.scalar(len(words), codes.type))
        words.append(b"")
    return words or [b""], codes.to_numpy(zero_copy_only=False).astype(np.int64)


def _numbers(column: pa.ChunkedArray[Any]) -> Array:
    return np.asarray(column.to_numpy(), np.float64)


def _whole(numbers: Array) -> Array:
    return np.where(np.isfinite(numbers) & (numbers >= 0), numbers, -1)


def _moments(column: pa.ChunkedArray[Any]) -> Array:
    """Return moments as text in microseconds since 1970. Raises Doubt for one that is none."""
    texts = column.to_pylist()
    known: dict[bytes, float] = {}
    values = np.empty(len(texts), np.float64)
    for at, text in enumerate(texts):
        if text is None:
            raise Doubt
        value = known.get(text)
        if value is None:
            found = _moment_us(text.decode("utf-8", "replace"), 0.0)
            if found is None:
                raise Doubt
            value = float(found)
            if len(known) < 100_000:
                known[text] = value
        values[at] = value
    return values


def _moment_us(text: str, unit_us: float) -> int | None:
    """Return a moment in microseconds since 1970; one without a zone counts as UTC."""
    if unit_us:
        number = read_number(text)
        return None if number is None or not abs(number) < 1e20 else round(number * unit_us)
    moment = read_moment(text)
    if moment is None:
        return None
    return round(in_order(moment).timestamp() * 1e6)
