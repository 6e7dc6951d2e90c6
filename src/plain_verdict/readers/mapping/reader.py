"""Reads files of a mapping: tells them by their path or by what they hold, and makes checks of their items."""

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from io import BytesIO
from itertools import islice
from pathlib import PurePosixPath

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import Check, ReadingNote, ResultFile, SuiteNotes
from plain_verdict.readers.interface import Head, within_limit
from plain_verdict.readers.mapping.announced import Announced, Sort, announced_in
from plain_verdict.readers.mapping.check_making import Counts
from plain_verdict.readers.mapping.checks import Checks, span_of
from plain_verdict.readers.mapping.json_document import JsonLines
from plain_verdict.readers.mapping.json_paths import JsonRoot, json_selector
from plain_verdict.readers.mapping.opening import open_document, syntax_of
from plain_verdict.readers.mapping.run import RunValues
from plain_verdict.readers.mapping.selectors import Document, Selector
from plain_verdict.readers.mapping.sums import read_sums
from plain_verdict.readers.mapping.table_document import TableDocument
from plain_verdict.readers.mapping.texts import Texts
from plain_verdict.readers.mapping.values import Values
from plain_verdict.readers.mapping.xml_document import XmlDocument
from plain_verdict.readers.samples.options import IN_THREADS, SamplesOptions
from plain_verdict.readers.samples.reader import needs_libraries
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import DEFAULT_LIMITS, Limits
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural

_HEADER_LINES = 100
_ONLY_WITH_FAILURES = ("problem", "reason", "evidence", "cause", "severity", "description", "where")
"""Parts of keys whose place may find nothing in a run where all is well."""


class MappingReader:
    """Reads files of one mapping."""

    roots: frozenset[str] = frozenset()

    def __init__(
        self, mapping: ResultMapping, options: SamplesOptions = IN_THREADS, *, is_ours: bool = False
    ) -> None:
        self.mapping = mapping
        self._is_ours = is_ours
        self._options = options
        self.format = mapping.name

    def recognises(self, head: Head) -> bool:
        """Return whether a file stands where those of the mapping do, and holds what it needs."""
        return self.missing_in(head) is None

    def missing_in(self, head: Head) -> str | None:
        """Return what a file lacks to be of this mapping, in words; None for one that is of it."""
        files, needs = self.mapping.files, self.mapping.needs
        path = PurePosixPath(head.path.replace("\\", "/").replace(" › ", "/"))
        if files and not any(path.match(pattern) for pattern in files):
            return f"its files are {' and '.join(files)}"
        if not needs:
            return None
        try:
            return next((f"“{need}” is not there" for need in needs if not self._holds(head, need)), None)
        except ReadError as error:
            return error.what
        except ValueError as error:
            return str(error)

    def _holds(self, head: Head, need: str) -> bool:
        if head.source is None:
            return False
        syntax = self.mapping.syntax or syntax_of(head)
        if syntax == "table":
            return bool(need.strip().casefold() in {name.casefold() for name in _table(head, self.mapping).columns})
        if syntax == "json lines":
            return _lines_hold(JsonLines(_beginning(head), DEFAULT_LIMITS), need)
        if syntax == "xml":
            return _tree_holds(XmlDocument(_beginning(head), self.mapping.prefixes, DEFAULT_LIMITS), need)
        if head.json_value is None:
            raise ValueError("it is not complete JSON")
        return json_selector(need, JsonRoot(head.json_value)).first(head.json_value) is not None

    def _without_checks(self, source: Source, notes: Iterable[ReadingNote]) -> ReadError:
        hint = f"test each place with: plain-verdict mapping {source.path} --try MAPPING.toml"
        what = f"matches the mapping “{self.mapping.name}”, which finds no check in it"
        lost = next((note for note in notes if note.results_missing), None)
        if lost is None:
            return ReadError(what, path=source.path, hint=hint)
        return ReadError(f"{what}, and it {lost.what}", path=source.path, where=lost.where, hint=hint)

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the file's checks or load results, with notes on all that the mapping did not fit."""
        if self.mapping.is_load:
            return self._read_load(source, limits)
        reading = MappingReading(self.mapping, source, limits, is_ours=self._is_ours)
        checks = reading.checks()
        if not checks and not reading.trouble:
            raise self._without_checks(source, reading.document.notes())
        started, ended = reading.span(checks)
        facts = reading.run.as_facts()
        return ResultFile(
            checks=checks,
            suites=(SuiteNotes((), facts),) if facts else (),
            notes=tuple(reading.notes()),
            started=started,
            ended=ended,
            title=reading.run.title,
            cases=sum([len(check.attempts) for check in checks]),
            reruns=tuple([check.title for check in checks if len(check.attempts) > 1]),
        )

    def _read_load(self, source: Source, limits: Limits) -> ResultFile:
        if not self.mapping.samples:
            return read_sums(self.mapping, source, limits)
        try:
            from plain_verdict.readers.samples.reading import read_samples  # as samples.reader does
        except ImportError as error:
            raise needs_libraries(source, error) from error
        return read_samples(source, self._options, self.mapping)


def _beginning(head: Head) -> Source:
    """Return a source of the file's beginning only, without the line that may be truncated in it."""
    assert head.source is not None  # noqa: S101  looked at before
    data = head.data
    if len(data) < head.source.size_bytes and b"\n" in data:
        data = data[: data.rindex(b"\n") + 1]
    return msgspec.structs.replace(head.source, open=lambda: BytesIO(data), size_bytes=len(data))


def _table(head: Head, mapping: ResultMapping) -> TableDocument:
    return TableDocument(_beginning(head), mapping.table, DEFAULT_LIMITS)


def _lines_hold(document: Document, need: str) -> bool:
    selector = document.select(need)
    lines = (item.value for item in islice(document.items(""), _HEADER_LINES))
    return any(selector.first(line) is not None for line in lines)


def _tree_holds(document: Document, need: str) -> bool:
    selector = document.select(need)
    for _ in document.items("//none"):
        pass
    return document.root() is not None and selector.first(document.root()) is not None


class MappingReading:
    """One reading of one file by a mapping. Raises ReadError for a place that is none in the file's syntax.

    ``is_ours``: the mapping is not the team's, who would like to know which of its places find nothing.
    """

    def __init__(self, mapping: ResultMapping, source: Source, limits: Limits, *, is_ours: bool = False) -> None:
        self._is_ours = is_ours
        self._mapping = mapping
        self._source = source
        self._limits = limits
        self.trouble = ""
        """Why it ended before the end of the file."""
        self.document = open_document(mapping, source, limits)
        self.texts = Texts(self.document)
        self.values = Values(mapping, self.texts, limits)
        try:
            self.making = Checks(mapping, self.document, self.values, source.kind or mapping.kind)
            self.run = RunValues(mapping.run, self.document, self.values)
        except ValueError as error:
            raise self._wrong(error) from error

    def _wrong(self, error: ValueError) -> ReadError:
        what = f"can't be read by the mapping “{self._mapping.name}”: {single_line(str(error), 400)}"
        return ReadError(what, path=self._source.path, hint="correct the mapping; docs/mappings.md explains places")

    def checks(self) -> tuple[Check, ...]:
        """Return the checks, as far as the places can be looked for."""
        made: list[Check] = []
        try:
            made.extend(within_limit(self.making, self._limits, self._source.path))
            self.run.finish()
        except ValueError as error:
            if not made:
                raise self._wrong(error) from error
            self.trouble = single_line(str(error), 400)
        return tuple(made)

    def span(self, checks: Sequence[Check]) -> tuple[datetime | None, datetime | None]:
        """Return when the run began and ended: as the file says, or by its checks."""
        started, ended = span_of(checks)
        return self.run.started or started, self.run.ended or ended

    def _unknown_outcomes(self, unknown: Counter[str]) -> Iterator[ReadingNote]:
        for text, times in unknown.most_common(self._limits.notes):
            checks = plural(times, "check")
            shown = single_line(text, 60)
            yield self._note(f"has {checks} with the outcome “{shown}”, which the mapping does not list: undecided")
        if len(unknown) > self._limits.notes:
            yield self._note(
                f"has {len(unknown) - self._limits.notes:,} more outcomes that the mapping does not list"
            )

    def _unknown_inner_outcomes(self, unknown: Counter[str]) -> Iterator[ReadingNote]:
        if unknown:
            (text, times), more = unknown.most_common(1)[0], len(unknown) - 1
            also = f" and {plural(more, 'more value')}" if more else ""
            yield self._note(
                f"has {plural(times, 'step or expectation', 'steps or expectations')} with the outcome "
                f"“{single_line(text, 60)}”{also}, which the mapping does not list: undecided"
            )

    def notes(self) -> Iterator[ReadingNote]:
        """Yield what was odd about the file, and where the mapping does not fit it."""
        yield from self.document.notes()
        if self.trouble:
            yield self._note(f"was not read to its end: {self.trouble}", missing=True)
        yield from self._announced(self.making.counts.items)
        yield from self._unread()
        yield from self._failed_levels()
        yield from self._larger_numbers()
        yield from self._unknown_outcomes(self.values.outcomes.unknown)
        yield from self._odd_items(self.making.counts)
        yield from self._unknown_inner_outcomes(self.values.inner_outcomes.unknown)
        yield from self._odd_values()
        if not self._is_ours:
            yield from self._fruitless()

    def _odd_items(self, counts: Counts) -> Iterator[ReadingNote]:
        """Yield a note for each thing that items lack."""
        checks = "check"
        for times, noun, what, key, missing in (
            (counts.without_outcome, checks, "without an outcome: undecided", "outcome", False),
            (counts.never_ended, "item", "that no event ends: errored", "", True),
            (counts.too_deep, "level", "that nest too deep to be read", "", True),
            (counts.nameless, checks, "without a name", "name", False),
        ):
            if times:
                yield self._note(f"has {plural(times, noun)} {what}", counts.first.get(key, ""), missing=missing)
        if counts.passed_with_problem:
            remarked = plural(counts.passed_with_problem, checks)
            what = f"has {remarked} that passed with a failure message, which is kept as a remark"
            yield self._note(what, counts.first.get("problem", ""), quiet=True)

    def _odd_values(self) -> Iterator[ReadingNote]:
        """Yield a note for each key with values that can't be read, or searched to their end."""
        for key, times in self.values.unreadable.items():
            what = f"has {plural(times, 'value')} that can't be read as “{key}”"
            yield self._note(what, f"the first is “{self.values.examples[key]}”")
        for key, times in self.texts.unsearched.items():
            if times:
                what = f"has {plural(times, 'text')} in which the pattern of {key} took too long"
                yield self._note(what, missing=True)

    def _announced(self, items: int) -> Iterator[ReadingNote]:
        """Yield a note where the file says that it has another number of checks."""
        announced = self.run.checks
        if self.run.odd_checks:
            odd = single_line(self.run.odd_checks, 40)
            yield self._note(f"announces “{odd}” checks, which is not a plain number", missing=True)
        # What a runner's own mapping reads besides its tests, like a crash of the run, is not in its number.
        if announced is not None and announced != items and not (self._is_ours and items > announced):
            what = f"announces {plural(announced, 'check')}, but holds {items:,}"
            yield self._note(what, missing=items < announced)

    def _unread(self) -> Iterator[ReadingNote]:
        """Yield a note for each path of items, or each column, that has the form of what is read, and is not."""
        for times, path in self.making.unread.shown() if self.making.unread else ():
            yield self._note(
                f"has {plural(times, 'item')} of the same form that the mapping does not read",
                f"at {path}",
                missing=True,
            )
        if isinstance(self.document, TableDocument):
            for name in self.document.columns_like(self.values.outcomes.names):
                what = f"has the column “{single_line(name, 40)}” with outcomes, which the mapping does not read"
                yield self._note(what, missing=True)

    def announced(self) -> list[Announced]:
        """Return the numbers of checks that the file gives: as a whole, or those of its levels together."""
        root = self.document.root()
        given = [*announced_in(root)] if root is not None else []
        for sort in {level.sort for level in self.making.announced} - {of_root.sort for of_root in given}:
            of_levels = [level for level in self.making.announced if level.sort is sort]
            given.append(of_levels[0]._replace(number=sum(level.number for level in of_levels)))
        return given

    def _failed_levels(self) -> Iterator[ReadingNote]:
        """Yield a note where levels say that they failed, and no check in them did."""
        failed = self.making.failed_levels
        if failed:
            what = f"has {plural(len(failed), 'level')} with a failure of which the mapping finds no check"
            yield self._note(what, f"the first at {failed[0].path}", missing=True)

    def _larger_numbers(self) -> Iterator[ReadingNote]:
        """Yield a note for each number of the file itself that is larger than what was read."""
        counts = self.making.counts
        read = {
            Sort.TOTAL: counts.items if self.run.checks is None else None,
            Sort.FAILED: counts.bad,
            Sort.ERRORED: counts.bad,
            Sort.RUN: counts.bad,
        }
        for announced in self.announced():
            found = read.get(announced.sort)
            if found is None or announced.number <= max(
                found, counts.attempts if announced.sort is Sort.TOTAL else 0
            ):
                continue
            what = "says that it failed, but the mapping finds no check that did"
            if announced.sort is not Sort.RUN:
                noun = "check" if announced.sort is Sort.TOTAL else f"{announced.sort.value} check"
                what = f"reports {plural(announced.number, noun)}, but the mapping finds {found:,}"
            yield self._note(what, f"at {announced.path}", missing=True)

    def _fruitless(self) -> Iterator[ReadingNote]:
        """Yield a note for each key of the mapping whose places find nothing anywhere in the file."""
        for key, selectors in self._idle_selectors().items():
            quiet = any(part in key for part in _ONLY_WITH_FAILURES)
            if quiet and not self.making.counts.bad:
                continue
            where = " or ".join(f"“{selector.text}”" for selector in selectors)
            yield self._note(f"holds nothing at {where} ({key} of the mapping “{self._mapping.name}”)", quiet=quiet)

    def _idle_selectors(self) -> dict[str, list[Selector]]:
        """Return the places of each key that were tried, and all found nothing."""
        by_key: dict[str, list[Selector]] = {}
        for key, used_selector in self.texts.selectors:
            by_key.setdefault(key, []).append(used_selector)
        return {
            key: selectors
            for key, selectors in by_key.items()
            if not any(selector.hits for selector in selectors) and any(selector.misses for selector in selectors)
        }

    def _note(self, what: str, where: str = "", *, missing: bool = False, quiet: bool = False) -> ReadingNote:
        return ReadingNote(self._source.path, what, where, results_missing=missing, quiet=quiet)
