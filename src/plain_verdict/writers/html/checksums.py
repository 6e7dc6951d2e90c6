"""Ends a page with the hash of its bytes, and a folder with a list of its files' hashes."""

from collections.abc import Iterator
from hashlib import sha256
from typing import TYPE_CHECKING

from plain_verdict.model.marks import CHECKSUM, SUMS_FILE
from plain_verdict.text.page_text import UNENCODABLE, page_text
from plain_verdict.writers.interface import OutputFile

if TYPE_CHECKING:
    from hashlib import _Hash as Hash


_CLOSING_TAGS = "</body>\n</html>"


def with_checksum(pieces: Iterator[str]) -> Iterator[str]:
    """Yield a page as it will be written; before its end stands the hash of all that is before that."""
    found = sha256()
    last = ""
    for piece in pieces:
        yield _hashed(last, found)
        last = piece
    yield _hashed(last[: last.rindex(_CLOSING_TAGS)], found)
    yield f'<script type="text/plain" id="{CHECKSUM}">sha256 {found.hexdigest()}</script>\n{_CLOSING_TAGS}\n'


def _hashed(piece: str, found: "Hash") -> str:
    """Return a piece of a page as it will be written, and add it to a hash."""
    # What a page may not hold is replaced before it is hashed, as it is before it is written.
    text = page_text(piece)
    data = text.encode("utf-8", UNENCODABLE)
    found.update(data)
    return text if text.isascii() else data.decode()


def with_sums(files: Iterator[OutputFile]) -> Iterator[OutputFile]:
    """Yield the files of a folder, and last the list of their hashes, in the form that ``sha256sum -c`` reads.

    Each is to be written before the next is asked for.
    """
    sums: dict[str, str] = {}

    def hashed(name: str, pieces: Iterator[str]) -> Iterator[str]:
        found = sha256()
        for piece in pieces:
            found.update(piece.encode())
            yield piece
        sums[name] = found.hexdigest()

    for name, content in files:
        if isinstance(content, bytes):
            sums[name] = sha256(content).hexdigest()
            yield OutputFile(name, content)
        else:
            yield OutputFile(name, hashed(name, content))
    yield OutputFile(SUMS_FILE, "".join(f"{sums[name]}  {name}\n" for name in sorted(sums)).encode())
