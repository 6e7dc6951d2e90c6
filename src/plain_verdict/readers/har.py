"""Reads HTTP archives: each entry is an API check that is judged by its status alone."""

from collections.abc import Iterator

from plain_verdict.http.archive import Archive, NotAnArchive
from plain_verdict.http.building import host_of, path_of
from plain_verdict.http.har import exchange_of, has_odd_time, page_of, page_titles
from plain_verdict.inputs.source import Source
from plain_verdict.model import (
    Attempt,
    Check,
    Exchange,
    Expectation,
    Kind,
    Outcome,
    Problem,
    ReadingNote,
    ResultFile,
    earliest,
    latest,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.interface import Head
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural

_BY_STATUS = "judged by its status alone"
_EXPECTED = "2xx or 3xx"
NOTE_BY_STATUS = f"holds no expectations: each request is {_BY_STATUS}"


class HarReader:
    """Reads one archive."""

    format = "har"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the first object holds a log with what an archive's has."""
        return "log" in head.json_keys and any(f'"{key}"' in head.text for key in ("entries", "creator", "pages"))

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the archive's checks. Raises ReadError for a file that is none."""
        with source.open() as stream:
            archive = Archive(stream)
            reading = _Reading(archive, limits)
            try:
                checks = tuple(reading.checks())
            except NotAnArchive as error:
                what = f"is not a readable HTTP archive: it {error}"
                hint = "export it again as HAR 1.2 from the tool that recorded it"
                raise ReadError(what, path=source.path, hint=hint) from error
        starts = [check.last.started for check in checks if check.last.started]
        return ResultFile(
            checks=checks,
            notes=tuple(reading.notes(source.path)),
            started=earliest(starts),
            ended=latest(starts),
            cases=len(checks),
        )


class _Reading:
    """What came of reading an archive so far."""

    def __init__(self, archive: Archive, limits: Limits) -> None:
        self._archive = archive
        self._limits = limits
        self._without_request = 0
        self._odd_times = 0
        self._no_address = 0
        self._whole = 0

    def checks(self) -> Iterator[Check]:
        """Yield a check for each entry that has a request."""
        found: list[tuple[Exchange, str]] = []
        for entry in self._archive.entries():
            exchange = exchange_of(entry, self._limits)
            self._whole += 1
            self._odd_times += has_odd_time(entry)
            if exchange is None:
                self._without_request += 1
            else:
                self._no_address += not host_of(exchange.request.url)
                found.append((exchange, page_of(entry)))
        # Pages may stand behind the entries that name them.
        titles = page_titles(self._archive.pages, self._limits)
        for exchange, page in found:
            suite = titles.get(page) or host_of(exchange.request.url)
            name = f"{exchange.request.method} {path_of(exchange.request.url)}"
            yield check_of(exchange, suite, name, self._limits)

    def notes(self, path: str) -> Iterator[ReadingNote]:
        """Yield what is odd about the archive."""
        archive = self._archive
        if archive.cut_off:
            whole = plural(self._whole, "whole entry", "whole entries")
            yield ReadingNote(path, f"is truncated; its {whole} count", results_missing=True)
        if archive.twice:
            key = single_line(archive.twice[0], 40)
            what = f"has the key “{key}” twice in one object, so one of its values is lost"
            yield ReadingNote(path, what, results_missing=True)
        if archive.goes_on:
            yield ReadingNote(path, "has more data after its end, which is not read", results_missing=True)
        if self._without_request:
            entries = plural(self._without_request, "entry", "entries")
            yield ReadingNote(
                path,
                f"has {entries} without a request, which {_are(self._without_request)} left out",
                results_missing=True,
            )
        if self._odd_times:
            entries = plural(self._odd_times, "entry", "entries")
            yield ReadingNote(path, f"has {entries} with impossible times, which count as unknown")
        if self._no_address:
            entries = plural(self._no_address, "entry", "entries")
            yield ReadingNote(path, f"has {entries} whose address names no host; each is kept as it is")
        if not self._whole and not archive.cut_off:
            yield ReadingNote(path, "holds no entries", results_missing=True)
        if archive.version not in (None, "1.1", "1.2"):
            version = single_line(str(archive.version), 20)
            yield ReadingNote(path, f"is of version {version}; it is read as version 1.2")
        yield ReadingNote(path, NOTE_BY_STATUS, quiet=True)


def _are(number: int) -> str:
    return "is" if number == 1 else "are"


def check_of(exchange: Exchange, suite: str, name: str, limits: Limits) -> Check:
    """Return the check that an exchange is when nothing else says what was expected."""
    outcome, actual, message = _judged(exchange)
    expectation = Expectation("status", outcome, _EXPECTED, actual, _BY_STATUS, exchange=0)
    problems = (Problem(outcome, message=message),) if message else ()
    attempt = Attempt(
        outcome=outcome,
        took_s=exchange.took_s,
        started=exchange.sent,
        problems=problems,
        expectations=(expectation,),
        exchanges=(exchange,),
    )
    suites = (suite,) if suite else ()
    id_ = check_id(Kind.API, suites, name)  # of the whole name, however long
    return Check(id_, Kind.API, suites, single_line(name, limits.name_chars), (attempt,))


def _judged(exchange: Exchange) -> tuple[Outcome, str, str]:
    """Return the outcome by the status alone, the status, and what went wrong."""
    response = exchange.response
    if response is None:
        return Outcome.ERRORED, "no answer", f"No answer: {exchange.no_answer}"
    status = f"{response.status} {response.reason}".strip()
    # Source: RFC 9110, section 15 (status codes); below 200 and from 600 on nothing was answered for good.
    if 200 <= response.status < 400:
        return Outcome.PASSED, status, ""
    return Outcome.FAILED, status, f"Answered {status}"
