"""Load results of which only sums are left, and numbers of the team's own, as a mapping says where they stand."""

import re
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.load.metrics import MetricStates, SumsPayload
from plain_verdict.model import (
    ALL_REQUESTS,
    Kind,
    Percentile,
    ReadingNote,
    Reported,
    RequestNumbers,
    ResultFile,
    epoch_s,
)
from plain_verdict.readers.mapping.opening import open_document
from plain_verdict.readers.mapping.run import RunValues
from plain_verdict.readers.mapping.selectors import Document, FindText
from plain_verdict.readers.mapping.table_document import TableDocument
from plain_verdict.readers.mapping.texts import Texts
from plain_verdict.readers.mapping.times import read_took
from plain_verdict.readers.mapping.values import Values, numbered
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import MetricMapping, RequestMapping, ResultMapping
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import join_list, plural
from plain_verdict.text.numbers import read_number

_PERCENTILE = re.compile(r"p?(\d{1,2}(?:\.\d{1,3})?)")
_MOST_SUMS = 2_000  # requests: a file with more has ids in their names
_TOTALS = frozenset(
    (
        *("total", "totals", "all", "all requests", "aggregated", "aggregate", "overall", "sum", "summary"),
        *("gesamt", "totalt", ALL_REQUESTS.casefold()),
    )
)
"""What the row over all requests is called."""


def per_cent_of(name: str) -> float | None:
    """Return which percentile a key means, like ``p99.9``; None for none."""
    found = _PERCENTILE.fullmatch(name.strip())
    return float(found[1]) if found and 0 < float(found[1]) < 100 else None


def read_sums(mapping: ResultMapping, source: Source, limits: Limits) -> ResultFile:
    """Return what a summary says of a load run. Raises ReadError."""
    sums = _Sums(mapping, source, limits)
    try:
        requests = [
            request for at, form in numbered("request", mapping.request) for request in sums.requests(at, form)
        ]
        for at, form in numbered("metric", mapping.metric):
            sums.measure(at, form)
        run = sums.run()
    except ValueError as error:
        what = f"can't be read by the mapping “{mapping.name}”: {single_line(str(error), 400)}"
        hint = "correct the mapping; docs/mappings.md explains places"
        raise ReadError(what, path=source.path, hint=hint) from error
    if not requests and not sums.metrics:
        what = f"matches the mapping “{mapping.name}”, which finds no numbers in it"
        raise ReadError(what, path=source.path, hint="check each, name and count in the mapping")
    each_request, whole = without_total(requests)
    sums.compare_total(each_request, whole)
    whole = whole or whole_of(each_request)
    reported = Reported(source.path, tuple(each_request), whole, run.started, run.ended) if requests else None
    return ResultFile(
        payloads=(SumsPayload(Kind.LOAD, reported, sums.metrics),),
        notes=tuple(sums.notes),
        started=run.started,
        ended=run.ended,
        title=run.title,
    )


def without_total(requests: Sequence[RequestNumbers]) -> tuple[list[RequestNumbers], RequestNumbers | None]:
    """Return the requests, and the row over all of them that many tools write, as the run's own numbers."""
    totals = [request for request in requests if request.name.strip().casefold() in _TOTALS]
    if len(totals) != 1 or len(requests) == 1:
        return list(requests), None
    return [request for request in requests if request is not totals[0]], msgspec.structs.replace(
        totals[0], name=ALL_REQUESTS
    )


def whole_of(requests: list[RequestNumbers]) -> RequestNumbers:
    """Return the numbers of all requests together, as far as sums of theirs tell it: no percentiles."""
    count = sum(request.count for request in requests)
    return RequestNumbers(
        name=ALL_REQUESTS,
        count=count,
        failed=sum(request.failed for request in requests),
        received_bytes=0.0,
        mean_s=_whole_mean(requests),
        least_s=min((request.least_s for request in requests if request.least_s is not None), default=None),
        longest_s=max((request.longest_s for request in requests if request.longest_s is not None), default=None),
    )


def _whole_mean(requests: list[RequestNumbers]) -> float | None:
    """Return the mean of the answered requests, each request's by its weight; None where one of them is unknown."""
    means = [(request.mean_s, request.count - request.failed) for request in requests if request.mean_s is not None]
    weight = sum(answered for _, answered in means)
    if len(means) < len(requests) or weight <= 0:
        return None
    return sum(mean * answered for mean, answered in means) / weight


class _NumbersOfRequest:
    """Where the numbers of one request stand in its item."""

    def __init__(self, key: str, form: RequestMapping, texts: Texts, decimal: str) -> None:
        self._form = form
        self._decimal = decimal
        self._count = texts.first(f"{key}.count", form.count)
        self._failed = texts.first(f"{key}.failed", form.failed)
        self._least, self._mean, self._longest = (
            texts.first(f"{key}.{what}", text)
            for what, text in (("least", form.least), ("mean", form.mean), ("longest", form.longest))
        )
        self._percentiles = {
            per_cent: texts.first(f"{key}.percentiles.{name}", text)
            for name, text in form.percentiles.items()
            if (per_cent := per_cent_of(name)) is not None
        }

    def read(self, name: str, item: object) -> RequestNumbers | None:
        """Return the numbers of a request; None where it has no count."""
        sent = _number_at(self._count, item)
        if sent is None or sent < 0:
            return None
        # More failures than requests would make a share above 100 %.
        failed = min(max(_number_at(self._failed, item) or 0.0, 0.0), sent)
        return RequestNumbers(
            name=name,
            count=round(sent),
            failed=round(failed),
            received_bytes=0.0,
            mean_s=self._time(self._mean, item),
            least_s=self._time(self._least, item),
            longest_s=self._time(self._longest, item),
            percentiles=tuple(
                Percentile(per_cent, self._time(find, item)) for per_cent, find in self._percentiles.items()
            ),
        )

    def _time(self, find: FindText | None, item: object) -> float | None:
        text = find(item) if find else None
        return None if text is None else read_took(text, self._form.unit, self._decimal)


class _Sums:
    """One reading of one summary."""

    def __init__(self, mapping: ResultMapping, source: Source, limits: Limits) -> None:
        self._mapping = mapping
        self._source = source
        self._limits = limits
        self.metrics = MetricStates()
        self.notes: list[ReadingNote] = []

    def _open(self) -> tuple[Document, Values]:
        """Return the document from its beginning: each form goes through it once."""
        document = open_document(self._mapping, self._source, self._limits)
        return document, Values(self._mapping, Texts(document), self._limits)

    def run(self) -> RunValues:
        """Return what the file says as a whole."""
        document, values = self._open()
        run = RunValues(self._mapping.run, document, values)
        forms = (*numbered("request", self._mapping.request), *numbered("metric", self._mapping.metric))
        for _ in document.items(forms[0][1].each):
            pass
        run.finish()
        self.notes += document.notes()
        return run

    def _note(self, what: str, *, missing: bool = False) -> None:
        self.notes.append(ReadingNote(self._source.path, what, results_missing=missing))

    def requests(self, key: str, form: RequestMapping) -> Iterator[RequestNumbers]:
        """Yield the numbers of each request. One without a name or a count is reported, and is none."""
        document, values = self._open()
        texts = values.texts
        name = texts.first(f"{key}.name", form.name)
        request = _NumbersOfRequest(key, form, texts, self._mapping.decimal)
        fits = values.where(key, form.where)
        lost, found = list[str](), 0
        for bare_title, item in _members(document, form.each):
            if fits and not fits(item):
                continue
            called = self._called(name, bare_title, item)
            numbers = request.read(called, item) if called else None
            if numbers is None:
                lost.append(called or "one without a name")
                continue
            found += 1
            if found <= _MOST_SUMS:
                yield numbers
        self._note_lost(lost, found)
        self._fruitless(texts, found)

    def _called(self, name: FindText | None, bare_title: str, item: object) -> str:
        return single_line((name(item) if name else bare_title) or "", self._limits.name_chars)

    def _note_lost(self, lost: list[str], found: int) -> None:
        if lost:
            self._note(f"has {plural(len(lost), 'request')} without a count: {join_list(lost)}", missing=True)
        if found > _MOST_SUMS:
            self._note(f"has {found:,} requests, of which {_MOST_SUMS:,} are shown", missing=True)

    def compare_total(self, each_request: Sequence[RequestNumbers], whole: RequestNumbers | None) -> None:
        """Note a total that is not the sum of the requests: some may be missing."""
        for what in ("count", "failed") if whole else ():
            total, added = getattr(whole, what), sum(getattr(request, what) for request in each_request)
            if total != added:
                word = "requests" if what == "count" else "failed requests"
                self._note(f"has {total:,} {word} in its total, and {added:,} in its rows", missing=total > added)

    def measure(self, key: str, form: MetricMapping) -> None:
        """Take in the numbers of the team's own."""
        document, values = self._open()
        texts = values.texts
        name, value = texts.first(f"{key}.name", form.name), texts.first(f"{key}.value", form.value)
        moment = values.moment(f"{key}.at", form.at)
        fits = values.where(key, form.where)
        unreadable, found = 0, 0
        for bare_title, item in _members(document, form.each):
            if fits and not fits(item):
                continue
            called = self._called(name, bare_title, item)
            number = _number(value(item) if value else document.text_of(item))
            if not called or number is None:
                unreadable += 1
                continue
            found += 1
            self.metrics.of(called, form.unit).add(number, _second_of(moment, item))
        if unreadable:
            verb = "is" if unreadable == 1 else "are"
            self._note(f"has {plural(unreadable, 'value')} of metrics that {verb} none")
        self._fruitless(texts, found)

    def _fruitless(self, texts: Texts, found: int) -> None:
        """Note places at which nothing stands anywhere."""
        for key, selector in texts.selectors:
            if found and selector.misses and not selector.hits:
                self._note(f"holds nothing at “{selector.text}” ({key} of the mapping “{self._mapping.name}”)")


def _members(document: Document, each: str) -> Iterator[tuple[str, object]]:
    """Yield items with the keys they stand under; those of a list have none."""
    is_table = isinstance(document, TableDocument)
    for item in document.items(each):
        value = item.value
        if type(value) is list and not is_table:  # the row of a table is one item
            yield from (("", member) for member in value)
        elif (
            type(value) is dict
            and each
            and value
            and all(type(member) in (dict, int, float) for member in value.values())
        ):
            yield from value.items()
        else:
            yield "", value


def _second_of(moment: Callable[[object], datetime | None] | None, item: object) -> int | None:
    at = moment(item) if moment else None
    return int(epoch_s(at)) if at else None


def _number_at(find: FindText | None, item: object) -> float | None:
    """Return the number that stands in an item; None for none."""
    return _number(find(item)) if find else None


def _number(text: str | None) -> float | None:
    number = None if text is None else read_number(text)
    return number if number is not None and abs(number) < 1e300 else None
