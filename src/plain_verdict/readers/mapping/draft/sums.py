"""Tells summaries of load runs, and of checks, from lists of samples and checks: rows of counts and percentiles."""

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from plain_verdict.readers.mapping.draft.exchanges import METHODS
from plain_verdict.readers.mapping.draft.fields import Candidate, Field, quoted
from plain_verdict.text.names import split_identifier, unit_in
from plain_verdict.text.numbers import read_number

_PERCENTILE_NAME = re.compile(
    r"(?:p|pct|perc|percentile)?\s*_?(\d{1,2}(?:[._]\d{1,3})?)\s*(?:%|th|percentile|pct)?(?:\s.*)?", re.IGNORECASE
)
_NUMBER_WORDS = {
    "count": frozenset(["requests", "request", "samples", "sample", "count", "hits", "sent", "calls"]),
    "failed": frozenset(["failures", "failure", "failed", "fails", "errors", "error", "ko"]),
    "mean": frozenset(["average", "avg", "mean"]),
    "least": frozenset(["min", "minimum", "least", "fastest"]),
    "longest": frozenset(["max", "maximum", "longest", "slowest"]),
}
_FILLING = "number num nr n of total count response time duration latency ms s elapsed percentile line the"
_FILLING_WORDS = frozenset(_FILLING.split())
_NUMBER_KEYS = ("count", "failed", "mean", "least", "longest")
_NAME_WORDS = ("name", "request", "endpoint", "operation", "transaction", "label", "url", "path")
_OF_CHECKS = ({"passed", "passes"}, {"failed", "failures"}, {"total", "tests", "checks"})
_RATES = ("per", "rps", "rate", "percent", "size", "bytes", "content")


class SumFields(NamedTuple):
    """Where the numbers of each request stand: keys of a mapping with their places."""

    name: str
    numbers: dict[str, str]
    percentiles: dict[str, str]
    unit: str
    unit_is_guess: bool


def sum_fields(candidate: Candidate) -> SumFields | None:
    """Return the numbers that rows of a summary of requests have; None for rows of anything else."""
    if len(candidate.levels) > 1 or candidate.lists or candidate.events:
        return None
    return _sums_of(candidate.items.fields)


def _sums_of(fields: Sequence[Field]) -> SumFields | None:
    paths = [field.path for field in filter(_is_numeric, fields)][::-1]
    percentiles = {per_cent: path for path in paths if (per_cent := percentile_of(path))}
    found = {_key_of(path): path for path in paths if not percentile_of(path)}
    name = _name(fields)
    if name is None or not _are_enough(found, percentiles):
        return None
    numbers = {key: found[key] for key in _NUMBER_KEYS if key in found}
    unit = next(filter(None, map(unit_in, (*percentiles.values(), found.get("mean", "")))), None)
    return SumFields(name, numbers, dict(sorted(percentiles.items(), key=_by_number)), unit or "ms", unit is None)


def _are_enough(found: Mapping[str, str], percentiles: Mapping[str, str]) -> bool:
    return "count" in found and bool(percentiles or "mean" in found)


def _by_number(percentile: tuple[str, str]) -> float:
    return float(percentile[0].removeprefix("p"))


def _is_numeric(field: Field) -> bool:
    return bool(field.values) and all(value == "N/A" or read_number(value) is not None for value in field.values)


def percentile_of(path: str) -> str:
    """Return which percentile a column is, like ``p95``; "" for none."""
    last = (path if "%" in path else path.rpartition(".")[2]).strip("'][ ").casefold()
    if last in ("median", "med"):
        return "p50"
    found = _PERCENTILE_NAME.fullmatch(last)
    is_marked = "%" in last or "th" in last or last.startswith("p")
    per_cent = found[1].replace("_", ".") if found and is_marked else "0"
    return f"p{per_cent}" if float(per_cent) else ""


def _key_of(path: str) -> str:
    words = split_identifier(path)
    if set(words) & set(_RATES):
        return ""
    telling = {word for word in words if word not in _FILLING_WORDS} or set(words)
    return next((key for key in (*_NUMBER_KEYS[1:], "count") if telling & _NUMBER_WORDS[key]), "")


def _name(fields: Sequence[Field]) -> str | None:
    """Return where names of requests stand, as TOML: with their methods, where the rows have them."""
    texts = [field for field in fields if not field.many and not _is_numeric(field)]
    named = {word: field.path for field in reversed(texts) for word in split_identifier(field.path)[-1:]}
    path = next(filter(None, map(named.get, _NAME_WORDS)), None)
    if path is None:
        return None
    methods = [field.path for field in texts if {value.upper() for value in field.values} <= METHODS]
    return f'{{ text = "{{{methods[0]}}} {{{path}}}" }}' if methods else quoted(path)


def counts_checks(candidate: Candidate) -> bool:
    """Return whether rows are sums of checks: with numbers of those that passed and failed, and no outcome."""
    words = {word for field in candidate.items.fields for word in split_identifier(field.path)[-1:]}
    return all(words & any_of for any_of in _OF_CHECKS)
