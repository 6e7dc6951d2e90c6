"""Reads OpenAPI documents: which operations there are, and which answers they document. Nothing is fetched.

Source: OpenAPI Specification 3.0.4 and 3.1.1, sections 4.8.1 (OpenAPI object) to 4.8.16 (responses object).
"""

import json
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlsplit

import msgspec

from plain_verdict.api.templates import nameless
from plain_verdict.runtime.errors import ReadError, UsageError
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import format_size, join_list
from plain_verdict.text.yaml import read_yaml

_METHODS = ("get", "put", "post", "delete", "options", "head", "patch", "trace")
_MOST_DOCUMENT_BYTES = 20_000_000  # people write no larger one, and YAML takes many times its size in memory
_NAME_CHARS = 200
_DOCUMENT_HINT = "use OpenAPI 3.0 or 3.1, as YAML or JSON"


class DocumentedOperation(msgspec.Struct, frozen=True):
    """An operation of a document. ``statuses`` are as it writes them: ``201``, ``4XX``, ``default``."""

    method: str
    path: str
    title: str
    statuses: tuple[str, ...]
    bases: tuple[tuple[str, str], ...] = ()
    """(host, base path) of the operation's servers, or its path's; none where those of the document hold."""

    def documents(self, status: int) -> bool:
        """Return whether an answer with this status is documented."""
        return bool({str(status), f"{status // 100}XX", "default"} & set(self.statuses))


class ApiDocument(msgspec.Struct, frozen=True):
    """What a document describes. ``bases`` are (host, base path) of its servers; the host may be ""."""

    title: str
    operations: tuple[DocumentedOperation, ...]
    bases: tuple[tuple[str, str], ...]
    notes: tuple[str, ...] = ()


def read_document(path: str) -> ApiDocument:
    """Return what the document describes.

    Raises UsageError where there is none, ReadError where it can't be used.
    """
    name = Path(path).name
    try:
        if Path(path).stat().st_size > _MOST_DOCUMENT_BYTES:
            raise ReadError(
                f"is larger than {format_size(_MOST_DOCUMENT_BYTES)}", path=name, hint="check --api-document"
            )
        data = Path(path).read_bytes()
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise UsageError(f"can't be read ({reason})", path=path, hint="check --api-document") from error
    notes: list[str] = []
    document = _parsed(data, name, notes)
    _check_version(document, name)
    walk = _Walk(document, name, notes)
    operations = tuple(walk.operations())
    if not operations:
        raise ReadError("describes no operation", path=name, hint="check its “paths”")
    info = _object(document.get("info"))
    title = single_line(str(info.get("title") or name), _NAME_CHARS)
    return ApiDocument(title, operations, tuple(walk.bases()), tuple(notes))


def _parsed(data: bytes, name: str, notes: list[str]) -> dict[str, object]:
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ReadError("is not UTF-8 text", path=name, hint="save it as UTF-8") from error
    if not text.strip():
        raise ReadError("is empty", path=name, hint=_DOCUMENT_HINT)
    twice: list[str] = []
    try:
        value = (
            json.loads(text, object_pairs_hook=lambda pairs: _once(pairs, twice))
            if text.lstrip()[0] == "{"
            else (read_yaml(text, twice))
        )
    except (ValueError, RecursionError) as error:
        what = f"can't be read: {single_line(str(error), 200)}"
        raise ReadError(what, path=name, hint=_DOCUMENT_HINT) from error
    if not isinstance(value, dict):
        raise ReadError("is not an OpenAPI document", path=name, hint=_DOCUMENT_HINT)
    if twice:
        keys = join_list([f"“{single_line(key, 60)}”" for key in dict.fromkeys(twice)])
        notes.append(f"{name} has duplicate keys; the last one counts: {keys}.")
    return value


def _once(pairs: list[tuple[str, object]], twice: list[str]) -> dict[str, object]:
    found: dict[str, object] = {}
    for key, value in pairs:
        if key in found:
            twice.append(key)
        found[key] = value
    return found


def _check_version(document: dict[str, object], name: str) -> None:
    if "swagger" in document:
        version = single_line(str(document["swagger"]), 20)
        what = f"is a Swagger {version} document; OpenAPI 3.0 and 3.1 are read"
        raise ReadError(what, path=name, hint="convert it to OpenAPI 3")
    version = str(document.get("openapi", ""))
    if not version.startswith("3."):
        problem = f"is of version {single_line(version, 20)}" if version else "names no version of OpenAPI"
        raise ReadError(problem, path=name, hint=_DOCUMENT_HINT)


def _object(value: object) -> dict[str, object]:
    return value if isinstance(value, dict) else {}


class _Walk:
    """Goes through a document's paths; what can't be followed is noted."""

    def __init__(self, document: dict[str, object], name: str, notes: list[str]) -> None:
        self._document = document
        self._name = name
        self._notes = notes

    def operations(self) -> Iterator[DocumentedOperation]:
        """Yield the operations, each template once."""
        seen: dict[tuple[str, str], str] = {}
        for method, path, operation, bases in self._found():
            twin = seen.setdefault((method, nameless(path)), path)
            if twin != path:
                what = f"{method.upper()} {path} is the same as {method.upper()} {twin}; the first counts"
                self._notes.append(f"{self._name}: {single_line(what, 300)}.")
                continue
            title = operation.get("summary") or operation.get("operationId") or ""
            statuses = tuple(str(status).upper() for status in _object(operation.get("responses")))
            yield DocumentedOperation(
                method.upper(),
                single_line(path, _NAME_CHARS),
                single_line(str(title), _NAME_CHARS),
                tuple("default" if status == "DEFAULT" else status for status in statuses),
                bases,
            )

    def _found(self) -> Iterator[tuple[str, str, dict[str, object], tuple[tuple[str, str], ...]]]:
        """Yield method, path, what stands under them, and the servers of their own (4.8.9 and 4.8.10)."""
        for path, item in _object(self._document.get("paths")).items():
            if not str(path).startswith("/"):
                continue
            fields = self._followed(item, str(path))
            for method in _METHODS:
                operation = fields.get(method)
                if isinstance(operation, dict):
                    servers = operation.get("servers") or fields.get("servers")
                    yield method, path, operation, tuple(_bases(servers))

    def _followed(self, item: object, path: str) -> dict[str, object]:
        """Return a path item, where it refers to another that one; a loop or another file gives nothing."""
        fields = _object(item)
        gone: set[str] = set()
        while "$ref" in fields:
            reference = str(fields["$ref"])
            if not reference.startswith("#/"):
                self._note(path, f"refers to another document ({reference}), which is not fetched")
                return {}
            if reference in gone:
                self._note(path, f"refers to itself ({reference})")
                return {}
            gone.add(reference)
            found = self._at(reference)
            if found is None:
                self._note(path, f"refers to a missing part ({reference})")
                return {}
            fields = found
        return fields

    def _note(self, path: str, what: str) -> None:
        self._notes.append(f"{self._name}: {single_line(path, 100)} {single_line(what, 200)}.")

    def _at(self, reference: str) -> dict[str, object] | None:
        """Return what a pointer leads to. Source: RFC 6901, section 4."""
        value: object = self._document
        for part in reference[2:].split("/"):
            key = part.replace("~1", "/").replace("~0", "~").replace("%7B", "{").replace("%7D", "}")
            value = _object(value).get(key)
        return value if isinstance(value, dict) else None

    def bases(self) -> Iterator[tuple[str, str]]:
        """Yield (host, base path) of each server of the whole document."""
        yield from _bases(self._document.get("servers"))


def _bases(servers: object) -> Iterator[tuple[str, str]]:
    """Yield (host, base path) of each server, with the defaults of its variables (4.8.5)."""
    for server in servers if isinstance(servers, list) else ():
        url = str(_object(server).get("url", ""))
        for name, variable in _object(_object(server).get("variables")).items():
            url = url.replace(f"{{{name}}}", str(_object(variable).get("default", "")))
        try:
            parts = urlsplit(url)
        except ValueError:
            continue
        yield parts.netloc.rpartition("@")[2].lower(), parts.path.rstrip("/")
