"""What checks and steps are made of, item by item: problems, outputs, evidence, expectations, exchanges."""

from base64 import b64decode
from binascii import Error as Base64Error
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import TypeVar

from plain_verdict.model import Evidence, Exchange, Expectation, Outcome, Output, Problem
from plain_verdict.readers.expectations import find_expectation
from plain_verdict.readers.mapping.values import Values, numbered
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
    return _all_of(values, key, forms, _problem)


def _problem(values: Values, key: str, form: ProblemMapping) -> _MakeEach[Problem]:
    each, limits = values.each(key, form), values.limits
    keys = ("type", "message", "detail", "expected", "actual")
    finds = [values.texts.first(f"{key}.{part}", getattr(form, part)) for part in keys]

    nothing = [None] * len(keys)

    def make(item: object) -> Iterator[Problem]:
        for part in each(item):
            texts = [find(part) if find else None for find in finds]
            if texts == nothing:
                continue
            type_, message, detail, expected, actual = texts
            if expected is None and actual is None:
                expected, actual = find_expectation(message or "", detail or "") or (None, None)
            yield Problem(
                Outcome.FAILED,
                type=single_line(type_ or "", limits.name_chars),
                message=block(message or "", limits.message_chars),
                detail=block(detail or "", limits.detail_chars),
                expected=None if expected is None else block(expected, limits.message_chars),
                actual=None if actual is None else block(actual, limits.message_chars),
            )

    return make


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
    return _all_of(values, key, forms, _evidence)


def _evidence(values: Values, key: str, form: EvidenceMapping) -> _MakeEach[Evidence]:
    each = values.each(key, form)
    paths = values.texts.all(f"{key}.path", form.path)
    content = values.texts.first(f"{key}.base64", form.base64)
    name, caption = values.line(f"{key}.name", form.name), values.line(f"{key}.caption", form.caption)

    def make(item: object) -> Iterator[Evidence]:
        for part in each(item):
            called, below = (name(part) if name else None) or "", (caption(part) if caption else None) or ""
            for path in paths(part) if paths else ():
                end = path.strip().replace("\\", "/").rpartition("/")[2]
                yield Evidence(called or single_line(end, values.limits.name_chars), path.strip(), caption=below)
            text = content(part) if content else None
            if text is not None:
                data, trouble = _content(text)
                yield Evidence(called or "evidence", data=data, caption=below, unavailable=trouble)

    return make


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
    return _all_of(values, key, forms, _expectation)


def _expectation(values: Values, key: str, form: ExpectationMapping) -> _MakeEach[Expectation]:
    each, limits = values.each(key, form), values.limits
    subject = values.line(f"{key}.subject", form.subject)
    outcome = values.inner_outcomes.reader(f"{key}.outcome", form.outcome)
    keys = ("expected", "actual", "message")
    finds = [values.texts.first(f"{key}.{part}", getattr(form, part)) for part in keys]

    def make(item: object) -> Iterator[Expectation]:
        for part in each(item):
            expected, actual, message = (
                None if find is None or (text := find(part)) is None else block(text, limits.message_chars)
                for find in finds
            )
            yield Expectation(
                subject=(subject(part) if subject else None) or "expectation",
                outcome=outcome(part).outcome if outcome else Outcome.UNDECIDED,
                expected=expected,
                actual=actual,
                message=message or "",
            )

    return make


def exchanges(
    values: Values, key: str, forms: ExchangeMapping | tuple[ExchangeMapping, ...]
) -> Make[Exchange] | None:
    """Return what gives the exchanges of an item. Raises ValueError."""
    return _all_of(values, key, forms, _exchange)


def _exchange(values: Values, key: str, form: ExchangeMapping) -> _MakeEach[Exchange]:
    each = values.each(key, form)
    keys = ("method", "url", "request_body", "status", "response_body", "no_answer")
    finds = {part: values.texts.first(f"{key}.{part}", getattr(form, part)) for part in keys}
    sent_headers = _headers(values, f"{key}.request_headers", form.request_headers)
    came_headers = _headers(values, f"{key}.response_headers", form.response_headers)
    sent, took = values.moment(f"{key}.sent", form.sent), values.took(f"{key}.took", form.took)
    odd = partial(values.odd, f"{key}.status")

    def make(item: object) -> Iterator[Exchange]:
        for part in each(item):
            text = {name: (find(part) if find else None) or "" for name, find in finds.items()}
            if not text["url"]:
                continue
            status = _status(text["status"], odd)
            line = ExchangeLine(
                in_="",
                request=RequestPart(
                    method=text["method"].upper() or "GET",
                    url=text["url"],
                    headers=sent_headers(part),
                    body=text["request_body"],
                ),
                response=None
                if status is None
                else ResponsePart(status=status, headers=came_headers(part), body=text["response_body"]),
                no_answer=text["no_answer"],
                took_s=took(part) if took else None,
            )
            yield read_exchange(line, sent(part) if sent else None, values.limits)

    return make


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

    def pairs(value: object) -> Iterator[tuple[str, str]]:
        if isinstance(value, list):
            for part in value:
                yield from pairs(part)
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

    return lambda item: tuple(pair for value in selector.all(item) for pair in pairs(value))
