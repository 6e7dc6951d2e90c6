"""Writes the newest pages as a feed. Source: RFC 4287 (The Atom Syndication Format)."""

import re
from collections.abc import Sequence
from datetime import datetime
from urllib.parse import quote
from uuid import NAMESPACE_URL, uuid5

from lxml import etree

from plain_verdict.delivery.report_index.entries import Entry
from plain_verdict.model import in_order
from plain_verdict.report.index_line import IndexLine

GENERATOR = "Plain Verdict"
_ATOM = "http://www.w3.org/2005/Atom"
_BASE = "{http://www.w3.org/XML/1998/namespace}base"
_NAMES: dict[str | None, str] = {None: _ATOM}
_NOT_IN_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
"""In XML 1.0, section 2.2; a page's line may hold anything."""
_FEED_ENTRIES = 50  # feed readers keep what they have seen


def write_feed(entries: Sequence[Entry], title: str, author: str, home: str, link: str) -> bytes:
    """Return the feed of the first entries.

    ``home`` tells this index from others; ``link`` is its address, or "": links are then seen from the feed.
    """
    root = etree.Element(f"{{{_ATOM}}}feed", {_BASE: link} if link else {}, nsmap=_NAMES)  # type: ignore[arg-type]  # the stubs know no name that is None
    newest = max((in_order(entry.line.made) for entry in entries if entry.line), default=None)
    _add(root, "id", uuid5(NAMESPACE_URL, home).urn)
    _add(root, "title", title)
    _add(root, "updated", newest.isoformat(timespec="seconds") if newest else "1970-01-01T00:00:00+00:00")
    _add(_add(root, "author"), "name", author or GENERATOR)
    _add(root, "generator", GENERATOR)
    _add(root, "link", rel="self", href="feed.xml")
    _add(root, "link", rel="alternate", type="text/html", href="index.html")
    for entry in entries[:_FEED_ENTRIES]:
        if entry.line:
            _add_entry(root, entry.file, entry.line, home)
    etree.indent(root)
    return etree.tostring(root, xml_declaration=True, encoding="utf-8") + b"\n"


def is_feed_head(head: bytes) -> bool:
    """Return whether a feed of ours begins so."""
    return f"<generator>{GENERATOR}</generator>".encode() in head


def _add_entry(root: "etree._Element", file: str, line: IndexLine, home: str) -> None:
    published = _moment(line.made)
    verdict = line.verdict.value.capitalize()
    element = _add(root, "entry")
    _add(element, "id", uuid5(NAMESPACE_URL, f"{home}#{line.id}/{published}").urn)
    _add(element, "title", f"{verdict}: {line.title} {line.build}".rstrip())
    _add(element, "updated", published)
    if line.started:
        _add(element, "published", _moment(line.started))
    _add(element, "link", rel="alternate", type="text/html", href=quote(file))
    _add(element, "summary", f"{verdict}: {line.why}")


def _add(parent: "etree._Element", name: str, text: str | None = None, **attributes: str) -> "etree._Element":
    element = etree.SubElement(parent, f"{{{_ATOM}}}{name}", attributes)
    element.text = _NOT_IN_XML.sub("\ufffd", text) if text else text
    return element


def _moment(moment: datetime) -> str:
    return in_order(moment).isoformat(timespec="seconds")
