"""Files that several machines see: whether another one has the same file under a path."""

from hashlib import blake2b
from pathlib import Path

import msgspec

_COMPARED_BYTES = 4_096


class Seen(msgspec.Struct, frozen=True):
    """A file as one machine sees it: its size in bytes, and a hash of its beginning and its end."""

    size_bytes: int
    ends: str


class Unseen(msgspec.Struct, frozen=True):
    """A file that a machine does not see, or of which it has another state."""

    is_there: bool


def see(file: str) -> Seen:
    """Return a file as this machine sees it. Raises OSError."""
    with Path(file).open("rb") as stream:
        ends = blake2b(stream.read(_COMPARED_BYTES), digest_size=8)
        size_bytes = stream.seek(0, 2)
        stream.seek(max(0, size_bytes - _COMPARED_BYTES))
        ends.update(stream.read(_COMPARED_BYTES))
        return Seen(size_bytes, ends.hexdigest())


def not_as_seen(file: str, seen: Seen) -> Unseen | None:
    """Return in which way this machine does not see a file as another one does; None where it does."""
    try:
        return None if see(file) == seen else Unseen(is_there=True)
    except OSError:
        return Unseen(is_there=False)
