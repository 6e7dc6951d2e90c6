"""What checks and steps are made of, item by item: problems, outputs, evidence, expectations."""

from base64 import b64decode
from binascii import Error as Base64Error
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TypeVar

from plain_verdict.model import Evidence, Expectation, Outcome, Output, Problem
from plain_verdict.readers.expectations import find_expectation
from plain_verdict.readers.mapping.values import Values, no_text, numbered
from plain_verdict.settings.mappings import (
    EvidenceMapping,
    ExpectationMapping,
    ProblemMapping,
    Text,
)
from plain_verdict.text.cleaning import block, single_line

Made = TypeVar("Made")
Form = TypeVar("Form")
Make = Callable[[object], tuple[Made, ...]]
"""Gives what an item has of one sort."""
MakeEach = Callable[[object], Iterator[Made]]


def all_of(
    values: Values, key: str, forms: Form | tuple[Form, ...], maker: Callable[[Values, str, Form], MakeEach[Made]]
) -> Make[Made] | None:
    """Return what gives all that several forms make of an item; None where there is no form."""
    makers = [maker(values, at, form) for at, form in numbered(key, forms)]
    if len(makers) == 1:
        return lambda item: tuple(makers[0](item))
    return (lambda item: tuple(made for make in makers for made in make(item))) if makers else None


def problems(values: Values, key: str, forms: ProblemMapping | tuple[ProblemMapping, ...]) -> Make[Problem] | None:
    """Return what gives the problems of an item, as failures. Raises ValueError."""
    return all_of(values, key, forms, _Problems)


class _Problems:
    """Makes the problems of an item by one form."""

    KEYS = ("type", "message", "detail", "place", "expected", "actual")

    def __init__(self, values: Values, key: str, form: ProblemMapping) -> None:
        self._each, self._limits = values.each(key, form), values.limits
        self._finds = [values.texts.first(f"{key}.{part}", getattr(form, part)) for part in self.KEYS]
        self._nothing = [None] * len(self.KEYS)

    def __call__(self, item: object) -> Iterator[Problem]:
        """Yield a problem for each part of an item that has any of the texts."""
        for part in self._each(item):
            texts = [find(part) if find else None for find in self._finds]
            if texts != self._nothing:
                yield self._problem([text or "" for text in texts[:4]], *texts[4:])

    def _problem(self, texts: Sequence[str], expected: str | None, actual: str | None) -> Problem:
        type_, message, detail, location = texts
        if expected is None and actual is None:
            expected, actual = find_expectation(message, detail) or (None, None)
        return Problem(
            Outcome.FAILED,
            type=single_line(type_, self._limits.name_chars),
            message=block(message, self._limits.message_chars),
            detail=block(detail, self._limits.detail_chars),
            expected=self._value(expected),
            actual=self._value(actual),
            place=single_line(location, self._limits.name_chars),
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
    return all_of(values, key, forms, _Evidence)


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
    return all_of(values, key, forms, _Expectations)


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
