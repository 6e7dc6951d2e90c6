"""Finds the calls of a run and the operation of each. Linear in their number."""

from collections.abc import Iterator, Sequence
from functools import cache
from typing import TYPE_CHECKING, NamedTuple

import msgspec

from plain_verdict.api.templates import Templates, guess_template
from plain_verdict.http.building import split_url
from plain_verdict.model import (
    BAD,
    ApiCalls,
    Attempt,
    Call,
    CallState,
    Check,
    Coverage,
    Exchange,
    Operation,
    Run,
    Step,
    exchanges_of,
    steps_below,
)

if TYPE_CHECKING:  # it brings a reader of YAML, for runs that have a document
    from plain_verdict.api.document import ApiDocument, DocumentedOperation

_Part = Attempt | Step


def with_calls(run: Run, document: "ApiDocument | None", notes: tuple[str, ...] = ()) -> Run:
    """Return the run with its calls, grouped by the document's operations or else by guessed templates."""
    found = [(check, *call) for check in run.checks.detailed for call in _calls_of(check)]
    if not found and document is None and not notes:
        return run
    urls = [split_url(exchange.request.url) for _, exchange, _ in found]
    grouping = _Grouping({host for host, _ in urls}, document)
    calls = tuple(
        grouping.call(check, exchange, state, url)
        for (check, exchange, state), url in zip(found, urls, strict=True)
    )
    coverage = grouping.coverage(calls)
    all_notes = (*notes, *(document.notes if document else ()))
    return msgspec.structs.replace(run, api=ApiCalls(calls, coverage, all_notes))


def _calls_of(check: Check) -> Iterator[tuple[Exchange, CallState]]:
    """Yield the exchanges of the attempt that counts, each with whether it came back as expected."""
    last = check.attempts[-1]
    if not last.exchanges and not last.steps:
        return
    exchanges_found = (
        exchanges_of(last) if last.steps else ((call, last, at) for at, call in enumerate(last.exchanges))
    )
    found = [number for number in exchanges_found if not number[0].only_shown]
    wrong = _wrong(last, found) if found and last.outcome in BAD else set()
    for exchange, part, position in found:
        yield exchange, CallState.WRONG if (id(part), position) in wrong else CallState.EXPECTED


def _statuses_seen(calls: Sequence[Call]) -> dict[Operation, set[int]]:
    seen: dict[Operation, set[int]] = {}
    for call in calls:
        statuses = seen.setdefault(call.operation, set())
        if call.exchange.response:
            statuses.add(call.exchange.response.status)
    return seen


def _unmet(attempt: Attempt) -> set[tuple[int, int]]:
    parts: tuple[_Part, ...] = (attempt, *steps_below(attempt))
    return {
        (id(part), expectation.exchange)
        for part in parts
        for expectation in part.expectations
        if expectation.outcome in BAD and expectation.exchange is not None
    }


def _wrong(attempt: Attempt, found: list[tuple[Exchange, _Part, int]]) -> set[tuple[int, int]]:
    """Return which exchanges of a failed attempt are wrong: (id of the part, place in it).

    Those that broken expectations are about, and those that nothing answered in a part that failed. Where there
    are none, the last before the failure: of the innermost step that failed, or of the attempt.
    """
    wrong = _unmet(attempt)
    wrong |= {
        (id(part), position)
        for exchange, part, position in found
        if exchange.response is None and part.outcome in BAD
    }
    if not wrong:
        inside = [position for position in exchanges_of(_innermost(attempt)) if not position[0].only_shown]
        wrong |= {(id(part), position) for _, part, position in inside[-1:]}
    return wrong


def _innermost(part: _Part) -> _Part:
    """Return the innermost step that failed, or else the part itself."""
    failing = next((step for step in part.steps if step.outcome in BAD), None)
    return _innermost(failing) if failing else part


_Bases = tuple[tuple[str, str], ...]


class _Served(NamedTuple):
    """Paths of a method under one base path of the hosts that serve them."""

    method: str
    hosts: set[str]
    base: str
    templates: Templates


def _hosts_of(bases: _Bases, served: set[str]) -> set[str]:
    """Return the hosts that servers name; those that serve all where they name none."""
    return {host for host, _ in bases if host} or served


class _Grouping:
    """Finds operations: by the document, or else by guess."""

    def __init__(self, hosts: set[str], document: "ApiDocument | None") -> None:
        self._document = document
        self._many_hosts = len(hosts) > 1
        self._guessed: dict[tuple[str, str, str], Operation] = {}
        self._documented: dict[tuple[str, str], DocumentedOperation] = {}
        self._served: list[_Served] = []
        if document is not None:
            self._documented = {(operation.method, operation.path): operation for operation in document.operations}
            self._served = self._servers(document, hosts)

    @staticmethod
    def _servers(document: "ApiDocument", hosts: set[str]) -> list[_Served]:
        """Return what is served where, the longest base first."""
        by_servers: dict[tuple[str, _Bases], list[str]] = {}
        for operation in document.operations:
            by_servers.setdefault((operation.method, operation.bases or document.bases), []).append(operation.path)
        served = {host for _, bases in by_servers for host, _ in bases if host} & hosts
        # Checks run against a server of their own, which the document does not name: then every host may be it.
        servers = [
            _Served(method, _hosts_of(bases, served) & hosts if served else hosts, base, Templates(paths))
            for (method, bases), paths in by_servers.items()
            for base in {base for _, base in bases} or {""}
        ]
        return sorted(servers, key=lambda server: -len(server.base))

    def call(self, check: Check, exchange: Exchange, state: CallState, host_and_path: tuple[str, str]) -> Call:
        """Return an exchange as a call of its operation; ``host_and_path`` is its host and path."""
        operation, documented = self._operation(exchange.request.method, *host_and_path)
        is_known: bool | None = None
        if self._document and exchange.response:
            is_known = documented is not None and documented.documents(exchange.response.status)
        return Call(exchange, check, operation, state, is_known)

    def _operation(self, method: str, host: str, path: str) -> "tuple[Operation, DocumentedOperation | None]":
        verb = method.upper()
        documented = self._find(verb, host, path)
        if documented:
            return _as_operation(documented), documented
        key = (verb, guess_template(path), host)
        if key not in self._guessed:
            shown = f"//{host}" if self._many_hosts and host else ""
            is_documented = None if self._document is None else False
            self._guessed[key] = Operation(verb, key[1], shown, documented=is_documented)
        return self._guessed[key], None

    def _find(self, method: str, host: str, path: str) -> "DocumentedOperation | None":
        for served in self._served:
            base = served.base
            if served.method != method or host not in served.hosts:
                continue
            if path == base or path.startswith(f"{base}/"):
                template = served.templates.find(path[len(base) :] or "/")
                if template:
                    return self._documented[method, template]
        return None

    def coverage(self, calls: tuple[Call, ...]) -> Coverage | None:
        """Return what the document describes and no call touched."""
        if self._document is None:
            return None
        seen = _statuses_seen(calls)
        described = [(_as_operation(operation), operation) for operation in self._document.operations]
        not_seen = [
            (shown, status)
            for shown, operation in described
            for status in operation.statuses
            if shown in seen and status != "default" and not _is_seen(status, seen[shown])
        ]
        return Coverage(
            title=self._document.title,
            described=len(described),
            not_called=tuple(shown for shown, _ in described if shown not in seen),
            not_seen=tuple(not_seen),
        )


@cache
def _as_operation(documented: "DocumentedOperation") -> Operation:
    return Operation(documented.method, documented.path, title=documented.title, documented=True)


def _is_seen(documented: str, statuses: set[int]) -> bool:
    return any(documented in (str(status), f"{status // 100}XX") for status in statuses)
