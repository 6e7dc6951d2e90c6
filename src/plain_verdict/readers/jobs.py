"""What there is to read: each source, or each file in it where it is an archive."""

from collections.abc import Iterator
from io import BufferedReader

import msgspec

from plain_verdict.inputs.archives import Unpacking, is_archive, members
from plain_verdict.inputs.gunzip import Gunzipped, first_bytes
from plain_verdict.inputs.source import Source
from plain_verdict.readers import Readers
from plain_verdict.readers.interface import Head, Reader
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.runtime.errors import ReadError

# One task of a helper: small files together, so that handing over costs less than reading.
_BATCH_BYTES, _BATCH_FILES = 300_000, 50
_ARCHIVES = (".zip", ".tar", ".tgz", ".tar.gz")


class Job(msgspec.Struct, frozen=True):
    """A file to read: a source, or a part of one that is an archive. ``trouble``: it can't even be got at.

    ``streamed``: its bytes are not those of its file, and too many to be sent. ``packed``: it is an archive that is
    still to be opened, where its members are read.
    """

    source: Source
    read: Source
    streamed: bool = False
    packed: bool = False
    trouble: ReadError | None = None

    @property
    def stays(self) -> bool:
        """Return whether it is read in this process, wherever others are."""
        return bool(self.trouble or self.streamed or self.read.passed_over)


def in_batches(jobs: Iterator[Job], times: int = 1) -> Iterator[list[Job]]:
    """Yield jobs in lists of about the same size in bytes, so many times larger than processes here get them."""
    batch: list[Job] = []
    size_bytes = 0
    for job in jobs:
        batch.append(job)
        size_bytes += job.read.size_bytes
        if size_bytes >= times * _BATCH_BYTES or len(batch) >= times * _BATCH_FILES:
            yield batch
            batch, size_bytes = [], 0
    if batch:
        yield batch


def is_named_archive(path: str) -> bool:
    """Return whether a file is called like an archive of several files."""
    return path.lower().endswith(_ARCHIVES)


def packed_job_of(source: Source) -> Job:
    """Return the source as it is, and whether it is an archive."""
    try:
        with source.open() as stream:
            return Job(source, source, packed=is_archive(stream.read(512)))
    except OSError:
        return Job(source, source)  # reading it says what is wrong


def jobs_of(source: Source, unpacking: Unpacking, readers: Readers) -> Iterator[Job]:
    """Yield the source itself, or what it holds where it is an archive. Raises ReadError."""
    job = packed_job_of(source)
    if not job.packed:
        yield job
        return
    streamed = _as_samples(source, readers)
    if streamed is not None:
        yield Job(source, streamed, streamed=True)
        return
    found = False
    for part in members(source, unpacking):
        found = True
        # A single compressed file was named as much as if it were not compressed.
        same = part.path == source.path
        yield Job(source, msgspec.structs.replace(part, explicit=source.explicit) if same else part)
    if not found:
        raise ReadError("is an archive without any file", path=source.path, hint="check how it was made")


def _as_samples(source: Source, readers: Readers) -> Source | None:
    """Return a gzip file of samples as what it holds, which may be too much to unpack; None for all others."""
    from plain_verdict.readers.samples.reader import SamplesReader  # for compressed files only

    with source.open() as stream:
        start = first_bytes(stream.read(HEAD_BYTES), HEAD_BYTES)
    damages: list[str] = []
    unpacked = msgspec.structs.replace(
        source,
        open=lambda: BufferedReader(Gunzipped(source.open(), damages.append)),
        damage=lambda: damages[-1] if damages else "",
    )
    head = Head(start, unpacked)
    sample_mappings: list[Reader] = [reader for reader in readers.mappings if reader.mapping.samples]
    sample_mappings.append(SamplesReader())
    return unpacked if any(reader.recognises(head) for reader in sample_mappings) else None
