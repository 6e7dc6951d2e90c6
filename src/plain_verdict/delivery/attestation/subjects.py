"""What an attestation is about: the report, and the files and hashes that ``--subject`` names."""

import re
from collections.abc import Iterable, Iterator, Sequence
from hashlib import file_digest
from pathlib import Path

from plain_verdict.delivery.attestation.statement import Subject
from plain_verdict.model.marks import SUMS_FILE
from plain_verdict.runtime.errors import UsageError

_SHA256 = re.compile(r"sha256:([0-9a-fA-F]{64})")


def check_subjects(texts: Sequence[str]) -> None:
    """Make sure that every subject is a file that is there or a hash with a name. Raises UsageError."""
    for text in texts:
        name, found = _named(text)
        if not found and not Path(name).is_file():
            what = f"--subject {text!r} names a file that does not exist"
            raise UsageError(what, hint="name a file, or write NAME=sha256:HASH")
    names = [_named(text)[0] for text in texts]
    if len(names) > len(set(names)):
        raise UsageError("--subject gives a name twice", hint="give each its own name")


def subjects_of(report_files: Iterable[Path], texts: Sequence[str]) -> Iterator[Subject]:
    """Yield the files of a report, then what was named. Raises UsageError for a file that can't be read."""
    for file in report_files:
        # Of a folder the list of its files stands for all of it.
        name = f"{file.parent.name}/{file.name}" if file.name == SUMS_FILE else file.name
        yield Subject(name, {"sha256": _hash_of(file)})
    for text in texts:
        name, found = _named(text)
        yield Subject(name, {"sha256": found or _hash_of(Path(name))})


def _named(text: str) -> tuple[str, str]:
    """Return the name and the hash of a subject; "" as hash for a file."""
    name, sign, hash_ = text.rpartition("=")
    found = _SHA256.fullmatch(hash_) if sign and name else None
    if found:
        return name, found[1].lower()
    if sign and hash_.casefold().startswith("sha256"):
        raise UsageError(f"--subject {text!r} has no SHA-256", hint="write NAME=sha256: and 64 hexadecimal digits")
    return text, ""


def _hash_of(file: Path) -> str:
    try:
        with file.open("rb") as opened:
            return file_digest(opened, "sha256").hexdigest()
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=str(file)) from error
