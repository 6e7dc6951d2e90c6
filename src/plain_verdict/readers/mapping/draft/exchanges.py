"""Finds the requests and answers of items by what their fields hold."""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from plain_verdict.readers.mapping.draft.fields import Field, Level
from plain_verdict.readers.mapping.values import whole_number
from plain_verdict.text.names import split_identifier

METHODS = frozenset(("GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS"))
"""Of HTTP. Source: RFC 9110, section 9; RFC 5789."""
_STATUS_WORDS = frozenset(["status", "code", "statuscode", "statut"])
_BODY_WORDS = frozenset(["body", "raw", "text", "content", "payload", "data"])
_HEADER_WORDS = frozenset(["header", "headers", "headerlist"])
_QUERY_WORDS = frozenset(("query", "params", "parameters"))
_BYTES_LOOKED_AT = 50
_SIDES = ("request", "response")
_ADDRESS_PARTS = ("protocol", "host", "port", "path")


class ExchangeFields(NamedTuple):
    """The keys of an exchange in a mapping, each with its place; bodies may be lists of bytes."""

    paths: dict[str, str]
    as_bytes: frozenset[str] = frozenset()

    def holds(self, field: Field) -> bool:
        """Return whether a field is of the request or the answer."""
        steps = field.path.split(".")
        return field.path in self.paths.values() or any(side in steps[:-1] for side in _SIDES)


def exchange_fields(items: Level, lists: Sequence[Level]) -> ExchangeFields | None:
    """Return where an item's request and answer stand; None where no field has methods and statuses of HTTP."""
    status = _first(items.fields, _is_status)
    if status is None:
        return None
    for method in filter(_is_method, items.fields):
        request = _object_of(method)
        address = _address(items, request)
        if address.keys() & {"url", "host"}:
            contents = _Contents(items, lists, address)
            contents.take("request", request)
            contents.take("response", _object_of(status))
            paths = {"method": method.path, **address, "status": status.path, **contents.paths}
            return ExchangeFields(paths, frozenset(contents.as_bytes))
    return None


class _Contents:
    """Collects where headers, bodies, the query and the duration of an exchange stand."""

    def __init__(self, items: Level, lists: Sequence[Level], address: Mapping[str, str]) -> None:
        self._fields, self._lists = items.fields, lists
        self._has_parts = "host" in address
        self.paths: dict[str, str] = {}
        self.as_bytes: set[str] = set()

    def take(self, side: str, prefix: str) -> None:
        """Take in what stands below the object of one side."""
        headers = self._list(prefix, _HEADER_WORDS)
        query = self._list(prefix, _QUERY_WORDS) if self._has_parts and side == "request" else None
        body = _first(self._fields, lambda field: _is_body(field, prefix))
        took = _first(self._fields, lambda field: _is_duration(field, prefix)) if side == "response" else None
        found = {
            "query": query,
            f"{side}_headers": headers,
            f"{side}_body": body.path.removesuffix("[*]") if body else None,
            "took": took.path if took else None,
        }
        self.paths.update({key: path for key, path in found.items() if path})
        if body and body.many:
            self.as_bytes.add(f"{side}_body")

    def _list(self, prefix: str, words: frozenset[str]) -> str | None:
        return next((level.each for level in self._lists if _is_list(level.each, prefix, words)), None)


def _object_of(field: Field) -> str:
    return field.path.rpartition(".")[0]


def _is_method(field: Field) -> bool:
    return bool(field.values) and {value.upper() for value in field.values} <= METHODS


def _is_duration(field: Field, prefix: str) -> bool:
    return field.path.startswith(prefix) and field.path.casefold().endswith("time")


def _first(fields: Sequence[Field], fits: Callable[[Field], bool]) -> Field | None:
    return next(filter(fits, fields), None)


def _is_status(field: Field) -> bool:
    numbers = [whole_number(value) for value in field.values]
    is_code = all(number is not None and 100 <= number < 600 for number in numbers)
    return is_code and bool(numbers) and _is_called(field.path, _STATUS_WORDS)


def _is_called(path: str, words: frozenset[str]) -> bool:
    return bool(words.intersection(split_identifier(path)[-1:]))


def _address(items: Level, request: str) -> dict[str, str]:
    """Return where the address stands: in one text, or in parts."""
    whole = _first(items.fields, lambda field: any("://" in value for value in field.values[:3]) and not field.many)
    if whole and whole.path.startswith(request):
        return {"url": whole.path}
    parts = {}
    for part in _ADDRESS_PARTS:
        found = _first(items.fields, lambda field, part=part: _is_part(field, request, part))  # type: ignore[misc]
        if found:
            parts[part] = found.path
    return parts


def _is_part(field: Field, request: str, part: str) -> bool:
    return field.path.startswith(request) and field.path.removesuffix("[*]").rpartition(".")[2].casefold() == part


def _is_list(each: str, before: str, names: frozenset[str]) -> bool:
    return _is_called(each, names) and each.startswith(before)


def _is_body(field: Field, before: str) -> bool:
    """Return whether a field holds a body: by its name, or as a list of bytes."""
    if not before or not field.path.startswith(f"{before}."):
        return False
    if not field.many:
        return _is_called(field.path, _BODY_WORDS)
    numbers = [whole_number(value) for value in field.values[:_BYTES_LOOKED_AT]]
    is_bytes = len(numbers) > 1 and all(number is not None and number < 256 for number in numbers)
    return is_bytes and _is_called(field.path.removesuffix("[*]"), _BODY_WORDS)
