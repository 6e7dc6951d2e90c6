"""What checks and steps are made of, item by item: problems, outputs, evidence, expectations, exchanges."""

from base64 import b64decode
from binascii import Error as Base64Error
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import TypeVar

from plain_verdict.model import Evidence, Exchange, Expectation, Outcome, Output, Problem
from plain_verdict.readers.expectations import find_expectation
from plain_verdict.readers.mapping.values import Values, no_text, numbered
from plain_verdict.readers.record.exchange import read_exchange
from plain_verdict.readers.record.lines import ExchangeLine, RequestPart, ResponsePart
from plain_verdict.settings.mappings import (
    EvidenceMapping,
    ExchangeMapping,
    ExpectationMapping,
    ProblemMapping,
    Text,
)
from plain_verdict.text.cleaning import block, single_line

_STATUSES = range(100, 600)

Made = TypeVar("Made")
Form = TypeVar("Form")
Make = Callable[[object], tuple[Made, ...]]
"""Gives what an item has of one sort."""
_MakeEach = Callable[[object], Iterator[Made]]


def _all_of(
    values: Values, key: str, forms: Form | tuple[Form, ...], maker: Callable[[Values, str, Form], _MakeEach[Made]]
) -> Make[Made] | None:
    """Return what gives all that several forms make of an item; None where there is no form."""
    makers = [maker(values, at, form) for at, form in numbered(key, forms)]
    if len(makers) == 1:
        return lambda item: tuple(makers[0](item))
    return (lambda item: tuple(made for make in makers for made in make(item))) if makers else None


def problems(values: Values, key: str, forms: ProblemMapping | tuple[ProblemMapping, ...]) -> Make[Problem] | None:
    """Return what gives the problems of an item, as failures. Raises ValueError."""
    return _all_of(values, key, forms, _Problems)


class _Problems:
    """Makes the problems of an item by one form."""

    KEYS = ("type", "message", "detail", "expected", "actual")

    def __init__(self, values: Values, key: str, form: ProblemMapping) -> None:
        self._each, self._limits = values.each(key, form), values.limits
        self._finds = [values.texts.first(f"{key}.{part}", getattr(form, part)) for part in self.KEYS]
        self._nothing = [None] * len(self.KEYS)

    def __call__(self, item: object) -> Iterator[Problem]:
        """Yield a problem for each part of an item that has any of the texts."""
        for part in self._each(item):
            texts = [find(part) if find else None for find in self._finds]
            if texts != self._nothing:
                type_, message, detail = (text or "" for text in texts[:3])
                yield self._problem(type_, message, detail, *texts[3:])

    def _problem(self, type_: str, message: str, detail: str, expected: str | None, actual: str | None) -> Problem:
        if expected is None and actual is None:
            expected, actual = find_expectation(message, detail) or (None, None)
        return Problem(
            Outcome.FAILED,
            type=single_line(type_, self._limits.name_chars),
            message=block(message, self._limits.message_chars),
            detail=block(detail, self._limits.detail_chars),
            expected=self._value(expected),
            actual=self._value(actual),
        )

    def _value(self, text: str | None) -> str | None:
        # An empty text is a value that was expected; none at all is no expectation.
        return None if text is None else block(text, self._limits.message_chars)


def outputs(values: Values, key: str, forms: Mapping[str, Text]) -> Make[Output] | None:
    """Return what gives the captured texts of an item. Raises ValueError."""
    finds = [(name, values.texts.all(f"{key}.{name}", form)) for name, form in forms.items()]
    most = values.limits.output_chars

    def make(item: object) -> tuple[Output, ...]:
        texts = [(name, "\n".join(find(item)) if find else "") for name, find in finds]
        return tuple(Output(name, block(text, most)) for name, text in texts if text.strip())

    return make if finds else None


def evidence(
    values: Values, key: str, forms: EvidenceMapping | tuple[EvidenceMapping, ...]
) -> Make[Evidence] | None:
    """Return what gives the evidence of an item. Raises ValueError."""
    return _all_of(values, key, forms, _Evidence)


class _Evidence:
    """Makes the evidence of an item by one form: files by their paths, and content in base64."""

    def __init__(self, values: Values, key: str, form: EvidenceMapping) -> None:
        self._each, self._limits = values.each(key, form), values.limits
        self._paths = values.texts.all(f"{key}.path", form.path)
        self._content = values.texts.first(f"{key}.base64", form.base64)
        self._name = values.line(f"{key}.name", form.name) or no_text
        self._caption = values.line(f"{key}.caption", form.caption) or no_text

    def __call__(self, item: object) -> Iterator[Evidence]:
        """Yield the evidence of an item."""
        for part in self._each(item):
            called, caption = self._name(part) or "", self._caption(part) or ""
            for path in self._paths(part) if self._paths else ():
                end = path.strip().replace("\\", "/").rpartition("/")[2]
                yield Evidence(called or single_line(end, self._limits.name_chars), path.strip(), caption=caption)
            text = self._content(part) if self._content else None
            if text is not None:
                data, trouble = _content(text)
                yield Evidence(called or "evidence", data=data, caption=caption, unavailable=trouble)


def _content(text: str) -> tuple[bytes, str]:
    """Return what base64 holds, bare or as a data URL (RFC 2397), or why it can't be read."""
    try:
        return b64decode("".join(text.rpartition(";base64,")[2].split()), validate=True), ""
    except (Base64Error, ValueError):
        return b"", "has base64 that can't be read"


def expectations(
    values: Values, key: str, forms: ExpectationMapping | tuple[ExpectationMapping, ...]
) -> Make[Expectation] | None:
    """Return what gives the expectations of an item. Raises ValueError."""
    return _all_of(values, key, forms, _Expectations)


class _Expectations:
    """Makes the expectations of an item by one form."""

    KEYS = ("expected", "actual", "message")

    def __init__(self, values: Values, key: str, form: ExpectationMapping) -> None:
        self._each, self._limits = values.each(key, form), values.limits
        self._subject = values.line(f"{key}.subject", form.subject)
        self._outcome = values.inner_outcomes.reader(f"{key}.outcome", form.outcome)
        self._finds = [values.texts.first(f"{key}.{part}", getattr(form, part)) for part in self.KEYS]

    def __call__(self, item: object) -> Iterator[Expectation]:
        """Yield the expectations of an item; one without an outcome is undecided."""
        for part in self._each(item):
            expected, actual, message = (
                None if find is None or (text := find(part)) is None else block(text, self._limits.message_chars)
                for find in self._finds
            )
            yield Expectation(
                subject=(self._subject(part) if self._subject else None) or "expectation",
                outcome=self._outcome(part).outcome if self._outcome else Outcome.UNDECIDED,
                expected=expected,
                actual=actual,
                message=message or "",
            )


def exchanges(
    values: Values, key: str, forms: ExchangeMapping | tuple[ExchangeMapping, ...]
) -> Make[Exchange] | None:
    """Return what gives the exchanges of an item. Raises ValueError."""
    return _all_of(values, key, forms, _Exchanges)


class _Exchanges:
    """Makes the exchanges of an item by one form."""

    KEYS = ("method", "url", "request_body", "status", "response_body", "no_answer")

    def __init__(self, values: Values, key: str, form: ExchangeMapping) -> None:
        self._each, self._limits = values.each(key, form), values.limits
        self._finds = {part: values.texts.first(f"{key}.{part}", getattr(form, part)) for part in self.KEYS}
        self._sent_headers = _headers(values, f"{key}.request_headers", form.request_headers)
        self._came_headers = _headers(values, f"{key}.response_headers", form.response_headers)
        self._sent = values.moment(f"{key}.sent", form.sent)
        self._took = values.took(f"{key}.took", form.took)
        self._odd = partial(values.odd, f"{key}.status")

    def __call__(self, item: object) -> Iterator[Exchange]:
        """Yield the exchanges of an item; one without an address is none."""
        for part in self._each(item):
            text = {name: (find(part) if find else None) or "" for name, find in self._finds.items()}
            if text["url"]:
                yield read_exchange(self._line(part, text), self._sent(part) if self._sent else None, self._limits)

    def _line(self, part: object, text: dict[str, str]) -> ExchangeLine:
        """Return an exchange as the line of a record that says the same."""
        status = _status(text["status"], self._odd)
        response = None
        if status is not None:
            response = ResponsePart(status=status, headers=self._came_headers(part), body=text["response_body"])
        return ExchangeLine(
            in_="",
            request=RequestPart(
                method=text["method"].upper() or "GET",
                url=text["url"],
                headers=self._sent_headers(part),
                body=text["request_body"],
            ),
            response=response,
            no_answer=text["no_answer"],
            took_s=self._took(part) if self._took else None,
        )


def _status(text: str, odd: Callable[[str], None]) -> int | None:
    bare = text.strip()
    if bare.isascii() and bare.isdigit() and len(bare) < 4 and int(bare) in _STATUSES:
        return int(bare)
    if bare not in ("", "0"):  # many write 0 where nothing came back
        odd(text)
    return None


def _headers(values: Values, key: str, where: str) -> Make[tuple[str, str]]:
    """Return what gives headers: of an object, of objects with name and value, or of lines ``name: value``."""
    if not where:
        return lambda _item: ()
    selector, to_text = values.texts.select(key, where), values.texts.document.text_of

    return lambda item: tuple(pair for value in selector.all(item) for pair in _header_pairs(value, to_text))


def _header_pairs(value: object, to_text: Callable[[object], str]) -> Iterator[tuple[str, str]]:
    if isinstance(value, list):
        for part in value:
            yield from _header_pairs(part, to_text)
    elif isinstance(value, dict):
        if {"name", "value"} <= value.keys():
            yield to_text(value["name"]), to_text(value["value"])
        else:
            yield from ((name, to_text(part)) for name, part in value.items())
    else:
        for line in to_text(value).splitlines():
            name, sign, rest = line.partition(":")
            if sign:
                yield name.strip(), rest.strip()
