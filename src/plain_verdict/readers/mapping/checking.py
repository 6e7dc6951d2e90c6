"""Makes sure that a mapping makes sense, before any file is read by it."""

from collections.abc import Callable, Iterator

import msgspec

from plain_verdict.readers import READERS
from plain_verdict.readers.mapping.outcomes import check_outcome
from plain_verdict.readers.mapping.sums import per_cent_of
from plain_verdict.readers.mapping.times import moment_reader
from plain_verdict.readers.mapping.values import numbered
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.mappings import (
    CheckMapping,
    Moment,
    OutcomeRule,
    Part,
    RequestMapping,
    ResultMapping,
    Value,
)
from plain_verdict.text.encoding import Decoding
from plain_verdict.text.expressions import Expression

_SINGLE_CHAR = ("delimiter", "quote")


def check_mapping(mapping: ResultMapping, where: str) -> None:
    """Make sure that a mapping can be told, names its checks, and says how they end. Raises UsageError."""
    if not mapping.files and not mapping.needs:
        hint = 'add files = ["inspections/*.json"], or needs = [...] with places that every such file has'
        raise UsageError("does not say which files it is for", where=f"{where}.name", hint=hint)
    if mapping.name in {reader.format for reader in READERS}:
        raise UsageError(
            f"{mapping.name!r} is the name of a built-in format", where=f"{where}.name", hint="choose another name"
        )
    if mapping.is_load:
        _check_load(mapping, where)
    else:
        is_named = any(level.name != "" for level in mapping.level)
        for at, form in numbered(f"{where}.check", mapping.check):
            _check_checks(form, at, is_named=is_named)
    _check_table(mapping, f"{where}.table")
    for at, part in parts_of(mapping, where):
        _check_part(part, at)


def _check_load(mapping: ResultMapping, where: str) -> None:
    """Make sure that a mapping of a load run says enough of it."""
    if mapping.samples and (mapping.request or mapping.metric):
        raise UsageError("has samples and sums", where=where, hint="split it into two mappings")
    if mapping.check != CheckMapping() or mapping.level:
        raise UsageError("has checks and a load run", where=where, hint="split it into two mappings")
    if mapping.samples and mapping.syntax not in ("", "table", "json lines"):
        raise UsageError(f"can't read samples of {mapping.syntax}", where=f"{where}.syntax", hint="write table")
    for at, form in numbered(f"{where}.request", mapping.request):
        _check_request(form, at)


def _check_request(form: RequestMapping, where: str) -> None:
    for name in form.percentiles:
        if per_cent_of(name) is None:
            hint = "write it like p95 or p99.9"
            raise UsageError(f"{name!r} is not a percentile", where=f"{where}.percentiles", hint=hint)
    if form.count == "" and not form.percentiles:
        raise UsageError("names no numbers", where=where, hint="add count, failed, percentiles = { ... }")


def _check_checks(form: CheckMapping, where: str, *, is_named: bool) -> None:
    if form.name == "" and not is_named:
        raise UsageError(
            "lacks the key 'name'", where=where, hint="add name = ... with the place of the check's name"
        )
    if (form.outcome, form.step, form.expectation) == ((), (), ()):
        raise UsageError("names no outcomes", where=where, hint="add outcome = { from = ..., passed = [...] }")


def parts_of(part: msgspec.Struct, where: str) -> Iterator[tuple[str, msgspec.Struct]]:
    """Yield a table of a mapping and all tables in it, each with its key."""
    yield where, part
    for field in msgspec.structs.fields(part):
        value = getattr(part, field.name)
        is_tuple = isinstance(value, tuple)
        for number, inner in enumerate(value if is_tuple else (value,)):
            if isinstance(inner, msgspec.Struct):
                key = f"{where}.{field.encode_name}"
                yield from parts_of(inner, f"{key}[{number}]" if is_tuple else key)
            elif isinstance(inner, dict):
                for name, text in inner.items():
                    if isinstance(text, msgspec.Struct):
                        yield from parts_of(text, f"{where}.{field.encode_name}.{name}")


def _check_part(part: msgspec.Struct, where: str) -> None:
    match part:
        case OutcomeRule():
            if part.from_ == "" and part.missing is None:
                raise UsageError(
                    "lacks the key 'from'", where=where, hint="add from = ... with the place of the outcome"
                )
            _as_usage(lambda: check_outcome(part), where)
        case Value(pattern=pattern) if pattern:
            _check_pattern(pattern, f"{where}.pattern")
        case Value(from_="", text=""):
            raise UsageError("lacks 'from' or 'text'", where=where)
        case Moment():
            try:
                moment_reader(part)
            except UsageError as error:
                raise UsageError(error.what, where=f"{where}.zone", hint=error.hint) from error
        case Part(name="") if ".step" in where:
            raise UsageError(
                "lacks the key 'name'", where=where, hint="add name = ... with the place of a step's name"
            )


def _as_usage(check: Callable[[], None], where: str) -> None:
    try:
        check()
    except ValueError as error:
        key, _, what = str(error).partition(": ")
        raise UsageError(what, where=f"{where}.{key}") from error


def _check_pattern(pattern: str, where: str) -> None:
    try:
        Expression(pattern)
    except ValueError as error:
        raise UsageError(str(error), where=where) from error


def _check_table(mapping: ResultMapping, where: str) -> None:
    for key in _SINGLE_CHAR:
        value = getattr(mapping.table, key)
        if len(value) > 1:
            raise UsageError(f"{value!r} is more than one character", where=f"{where}.{key}")
    if mapping.table.encoding:
        try:
            Decoding(mapping.table.encoding)
        except LookupError as error:
            hint = "write it like utf-8 or windows-1252"
            raise UsageError(
                f"{mapping.table.encoding!r} is not an encoding", where=f"{where}.encoding", hint=hint
            ) from error
