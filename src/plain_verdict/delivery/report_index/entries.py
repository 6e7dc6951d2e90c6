"""What an index knows of each page: its line, and by what it sees that the page is as it was."""

import html
from collections.abc import Iterable, Mapping

import msgspec

from plain_verdict.history.digest import pack, unpack
from plain_verdict.model import epoch_s
from plain_verdict.model.marks import INDEX_MARK, PAGE_MARK
from plain_verdict.report.index_line import IndexLine
from plain_verdict.runtime.errors import ReadError

HEAD_BYTES = 16_000
"""Of a page: its line stands within them."""


class Entry(msgspec.Struct, frozen=True, array_like=True):
    """A page on the index: its file, as seen from there, a stamp that changes when it does, and its line.

    ``line`` is None for a file that is not a page of ours, so that it need not be looked at again.
    """

    file: str
    stamp: str
    line: IndexLine | None


def line_in(head: bytes) -> IndexLine | None:
    """Return the line that a page's head tells; None where it tells none."""
    _, found, rest = head.partition(f'<meta name="{INDEX_MARK}" content="'.encode())
    text, ended, _ = rest.partition(b'"')
    if not (found and ended):
        return None
    try:
        return msgspec.json.decode(html.unescape(text.decode("utf-8", "replace")), type=IndexLine)
    except (msgspec.MsgspecError, ValueError):
        return None


def is_page_head(head: bytes) -> bool:
    """Return whether a page of ours begins so."""
    return f'<meta name="{PAGE_MARK}"'.encode() in head


def is_index_head(head: bytes) -> bool:
    """Return whether an index of ours begins so."""
    return f'<meta name="{INDEX_MARK}" content="index"'.encode() in head


def packed(entries: Iterable[Entry]) -> str:
    """Return entries as the index's page carries them."""
    return pack(msgspec.json.encode(list(entries)))


def entries_in(index: bytes) -> dict[str, Entry]:
    """Return the entries that an index's page carries, by file; nothing where they can't be read."""
    packed_entries = element_in(index, "entries")
    try:
        data = unpack(packed_entries) if packed_entries else b"[]"
        return {entry.file: entry for entry in msgspec.json.decode(data, type=list[Entry])}
    except (msgspec.MsgspecError, ReadError, ValueError, OSError, EOFError):
        return {}


def element_in(index: bytes, name: str) -> bytes:
    """Return the content of one of the data elements of an index; nothing where it has none."""
    opening = f'<script type="text/plain" id="{name}">'.encode()
    start = index.rfind(opening)
    end = index.find(b"</script>", start)
    return index[start + len(opening) : end] if 0 <= start < end else b""


def newest_first(entries: Mapping[str, Entry]) -> list[Entry]:
    """Return the pages, the newest run first; of copies of one page only the first that was written."""
    by_page: dict[tuple[str, float], Entry] = {}
    for entry in sorted(entries.values(), key=lambda entry: (entry.stamp, entry.file)):
        if entry.line is not None:
            by_page.setdefault((entry.line.id, epoch_s(entry.line.made)), entry)
    return sorted(by_page.values(), key=_order_key, reverse=True)


def _order_key(entry: Entry) -> tuple[float, float, str]:
    line = entry.line
    if line is None:
        return 0.0, 0.0, entry.file
    return epoch_s(line.moment), epoch_s(line.made), entry.file
