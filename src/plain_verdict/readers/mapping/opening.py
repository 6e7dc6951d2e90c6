"""Tells the syntax of a file, and opens it in the syntax of a mapping."""

import json

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.readers.interface import Head
from plain_verdict.readers.mapping.events import EventsDocument
from plain_verdict.readers.mapping.json_document import JsonDocument, JsonLines
from plain_verdict.readers.mapping.selectors import Document
from plain_verdict.readers.mapping.table_document import TableDocument
from plain_verdict.readers.mapping.xml_document import XmlDocument
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import ResultMapping

_LINES = (".jsonl", ".ndjson")


def syntax_of(head: Head) -> str:
    """Return the syntax that the beginning of a file looks like."""
    text = head.text
    if text[:1] == "<":
        return "xml"
    if text[:1] == "[":
        return "json"
    if text[:1] not in ("{", "\x1e"):
        return "table"
    if head.path.lower().endswith(_LINES):
        return "json lines"
    first, _, rest = text.partition("\n")
    try:
        msgspec.json.decode(first.encode("utf-8", "replace"))
    except msgspec.DecodeError:
        return _of_values(text)
    return "json lines" if rest.lstrip()[:1] == "{" else "json"


def _of_values(text: str) -> str:
    """Return whether JSON that is no JSON Lines is one value or several, as far as its beginning tells."""
    try:
        _, end = json.JSONDecoder().raw_decode(text.lstrip("\x1e"))
    except ValueError:
        return "json"
    return "json sequence" if text.lstrip("\x1e")[end:].lstrip(" \r\n\t\x1e")[:1] == "{" else "json"


def open_document(mapping: ResultMapping, source: Source, limits: Limits) -> Document:
    """Return a file as the syntax of a mapping sees it. Raises ReadError."""
    with source.open() as stream:
        head = Head(stream.read(HEAD_BYTES), source)
    if not head.text:
        hint = "the run may have been stopped before it wrote results; run it again"
        raise ReadError("is empty", path=source.path, hint=hint)
    document = _in_syntax(mapping, source, limits, mapping.syntax or syntax_of(head))
    return EventsDocument(mapping, document, limits, source.path) if mapping.events.id else document


def _in_syntax(mapping: ResultMapping, source: Source, limits: Limits, syntax: str) -> Document:
    match syntax:
        case "json" if source.size_bytes <= limits.whole_bytes:
            return JsonDocument(source, limits)
        case "json lines":
            return JsonLines(source, limits)
        case "json" | "json sequence":
            from plain_verdict.readers.mapping import json_stream  # a library, for these only

            if syntax == "json sequence":
                return json_stream.JsonSequence(source)
            return json_stream.JsonStream(source, limits)
        case "xml":
            return XmlDocument(source, mapping.prefixes, limits)
        case _:
            return TableDocument(source, mapping.table, limits)
