"""Reads all result files of a run, in their order: here, or many at once in other processes or on a cluster."""

from collections import deque
from collections.abc import Container, Iterator, Sequence
from contextlib import nullcontext, suppress
from datetime import datetime
from functools import partial
from pathlib import Path

import msgspec

from plain_verdict.inputs.archives import Unpacking, is_archive
from plain_verdict.inputs.completeness import StillCounts
from plain_verdict.inputs.progress import OnProgress
from plain_verdict.inputs.shared_files import Seen, Unseen, not_as_seen, see
from plain_verdict.inputs.source import Source, shown_path
from plain_verdict.model import Payload, ResultFile, Run, Unread
from plain_verdict.readers import (
    EXTENSIONS,
    Formats,
    has_extensions,
    hash_of,
    patience_s,
    read_source,
    readers_with,
)
from plain_verdict.readers.interface import TOGETHER
from plain_verdict.readers.jobs import Job, in_batches, is_named_archive, jobs_of, packed_job_of
from plain_verdict.readers.samples.options import IN_THREADS, SamplesOptions
from plain_verdict.readers.worker_pool import Batch, Members, Piece, Result, SamplesWanted, SentFile, read_batch
from plain_verdict.runtime.errors import ReadError, UnknownFormat
from plain_verdict.runtime.executors import Engine
from plain_verdict.runtime.guard import guarded
from plain_verdict.runtime.processes import can_start_helpers, helpers_wanted
from plain_verdict.runtime.work import EngineError, Lost
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.text.formatting import join_list, plural

_WORTH_BYTES = 2_000_000
"""Of all sources: less is read before other processes would have begun."""
_UNPACKED = 8
"""About how much larger what an archive holds is; of members nothing is known before they are read."""
_SENT_BYTES = 64_000_000
"""Of one file whose bytes must be sent; a larger one is read here."""
_BUILT_IN = Formats()
_CLUSTER_TIMES = 8  # larger batches: each goes through a scheduler


def read_all(
    sources: Sequence[Source],
    limits: Limits,
    on_progress: OnProgress,
    formats: Formats = _BUILT_IN,
    samples: SamplesOptions = IN_THREADS,
    *,
    newer_than: datetime | None = None,
) -> Run:
    """Return the run of every source; one that can't be read never keeps the others from being read.

    ``on_progress`` is given how many bytes of all are read, and which file it is. ``samples`` says how those of
    load runs are counted. What comes of it is the same wherever the files are read. Files whose results are not
    ``newer_than`` will be left out, so that nothing of them is added up.
    """
    reading = _Reading(limits, formats, samples, _Progress(on_progress, sources))
    files: list[ResultFile] = []
    unread: list[Unread] = []
    left_alone: list[Unread] = []
    fruitful: set[str] = set()
    still_counts = StillCounts(newer_than)
    first_payloads: dict[type[Payload], Payload] = {}
    for job, made in reading.results(sources):
        if isinstance(made, ResultFile):
            files.append(_added_up(made, first_payloads) if still_counts(made) else made)
        else:
            is_none = isinstance(made, UnknownFormat) and not job.read.explicit
            (left_alone if is_none else unread).append(_unread(made, job.read))
            if is_none:
                continue
        fruitful.update(job.source.given)
    unread += _without_results(sources, fruitful)
    if formats.extensions and (left_alone or unread):
        # One that can't be used might have read a file that nobody took.
        unread += (Unread("extension", error.what, hint=error.hint) for error in EXTENSIONS.trouble)
    return Run(
        tuple(files),
        tuple(unread),
        tuple(left_alone),
        mapping_notes=tuple(_unused(formats.mappings, files, unread)),
        engine_notes=tuple(samples.engine.notes),
    )


def _without_results(sources: Sequence[Source], fruitful: Container[str]) -> Iterator[Unread]:
    for folder in dict.fromkeys(folder for source in sources for folder in source.given):
        if folder not in fruitful:
            hint = "check that the run wrote its results there"
            yield Unread(shown_path(folder), "holds no result file", hint=hint)


def _added_up(file: ResultFile, first: dict[type[Payload], Payload]) -> ResultFile:
    """Return a file whose payloads are added to the first of their sort, as soon as it is read."""
    left = tuple(
        payload.added_to(first[type(payload)])
        if type(payload) in first
        else first.setdefault(type(payload), payload)
        for payload in file.payloads
    )
    return msgspec.structs.replace(file, payloads=left) if left else file


def _unread(error: ReadError, source: Source) -> Unread:
    return Unread(error.path or source.path, error.what, error.where, error.hint, source.file)


def _unused(
    mappings: Sequence[ResultMapping], files: Sequence[ResultFile], unread: Sequence[Unread]
) -> Iterator[str]:
    """Yield a sentence for each mapping that no file is of, not even one that could not be read by it."""
    used = {name for file in files for name in file.format.split(TOGETHER)}
    notes = [note.what for file in files for note in file.notes]
    for mapping in mappings:
        quoted = f"“{mapping.name}”"
        is_mentioned = any(quoted in what for what in (*(trouble.what for trouble in unread), *notes))
        if mapping.name not in used and not is_mentioned:
            wanted = (
                f"files like {', '.join(mapping.files)}"
                if mapping.files
                else f"files that hold {', '.join(mapping.needs)}"
            )
            yield f"The mapping “{mapping.name}” matches no file: it is for {wanted}."


class _Progress:
    """Tells how far the reading of all files is."""

    def __init__(self, on_progress: OnProgress, sources: Sequence[Source]) -> None:
        self._on_progress = on_progress
        self._total = sum(source.size_bytes for source in sources)
        self._before = 0
        self._source: Source | None = None
        self._path = self._rows = ""
        self._done = 0

    def begin(self, job: Job) -> None:
        """Take in which file it is now."""
        if self._source is not job.source:
            self._before += self._source.size_bytes if self._source else 0
            self._source = job.source
        self._path, self._rows, self._done = job.read.path, "", 0

    def on_bytes(self, done: int) -> None:
        """Tell that so many bytes of the file are read."""
        self._done = done
        self._report_progress()

    def on_rows(self, rows: int) -> None:
        """Tell that so many of its rows are read."""
        self._rows = f", {plural(rows, 'row')}"
        self._report_progress()

    def _report_progress(self) -> None:
        done = min(self._before + self._done, self._total)
        self._on_progress(done, self._total, f"{self._path}{self._rows}")


_Made = tuple[Job, ResultFile | ReadError]


class _Reading:
    """How the files of a run are read."""

    def __init__(self, limits: Limits, formats: Formats, samples: SamplesOptions, progress: _Progress) -> None:
        self._limits = limits
        self._formats = formats
        self._samples = samples
        self._readers = readers_with(formats, samples)
        self._progress = progress
        self._unpacking = Unpacking(limits)
        self._sent = SentNotes()

    def results(self, sources: Sequence[Source]) -> Iterator[_Made]:
        """Yield what comes of each file, in order."""
        engine = self._samples.engine
        if engine.name:
            jobs = (job for source in sources for job in self._jobs_of(source, packed=bool(source.file)))
            yield from self._read_remotely(engine, jobs)
            engine.notes += self._sent.notes()
            return
        processes = _processes(sources)
        jobs = (job for source in sources for job in self._jobs_of(source))
        with Engine(processes=processes) if processes else nullcontext() as local_engine:
            yield from self._read_remotely(local_engine, jobs) if local_engine else map(self._read_locally, jobs)

    def _jobs_of(self, source: Source, *, packed: bool = False) -> Iterator[Job]:
        """Yield what there is to read of a source; ``packed``: an archive is opened where it is read."""
        try:
            with guarded(source.path):
                if packed and not source.passed_over:
                    # What is fetched elsewhere shows there what it is.
                    yield Job(source, source) if source.fetch else packed_job_of(source)
                else:
                    yield from jobs_of(source, self._unpacking, self._readers)
        except ReadError as error:
            yield Job(source, source, trouble=error)

    def _read_locally(self, job: Job) -> _Made:
        if job.trouble:
            return job, job.trouble
        self._progress.begin(job)
        source = msgspec.structs.replace(job.read, on_rows=self._progress.on_rows)
        engine = self._samples.engine
        is_itself = job.read is job.source and not job.streamed  # not what was unpacked of it
        if engine.name and source.file and not source.fetch and is_itself and not self._sent.knows(source):
            source = msgspec.structs.replace(source, hash_remotely=partial(hash_there, engine, job.read))
        try:
            with guarded(job.read.path, patience_s(job.read)):
                return job, read_source(source, self._limits, self._progress.on_bytes, self._readers)
        except ReadError as error:
            return job, error

    def _read_remotely(self, engine: Engine, jobs: Iterator[Job]) -> Iterator[_Made]:
        """Yield what comes of files that the engine reads in batches."""
        sent: deque[list[tuple[Job, Piece | None]]] = deque()

        def batches() -> Iterator[Batch]:
            for batch in in_batches(jobs, _CLUSTER_TIMES if engine.name else 1):
                sent.append([(job, self._piece(job, is_far=bool(engine.name))) for job in batch])
                yield self._batch([piece for _, piece in sent[-1] if piece])

        for made in engine.each_or_lost(read_batch, batches()):
            together = sent.popleft()
            pieces = [piece for _, piece in together if piece]
            results = iter(self._singly(engine, pieces, made) if isinstance(made, Lost) else made)
            for job, piece in together:
                result = next(results) if piece else None
                if isinstance(result, Unseen):
                    result = self._read_sent(engine, job, result)
                yield from self._made_of_result(job, result)

    def _read_sent(self, engine: Engine, job: Job, unseen: Unseen) -> Result:
        """Return what comes of a file that a worker does not see, and that is sent to it."""
        self._sent.add(job.source, unseen)
        piece = self._piece(job, is_far=True)
        if piece is None:
            return None
        (result,) = self._singly(engine, [piece], None)
        return result

    def _made_of_result(self, job: Job, result: Result) -> Iterator[_Made]:
        if result is None or isinstance(result, Unseen):
            is_whole = job.packed or job.source.fetch
            yield from map(self._read_locally, self._jobs_of(job.source) if is_whole else (job,))
            return
        self._progress.begin(job)
        self._progress.on_bytes(job.read.size_bytes)
        if not isinstance(result, Members):
            yield job, _read_file(result)
        elif self._unpacking.take(result.files, result.size_bytes):
            yield from _members_of(job.source, result)
        else:  # which of them is too much is found out in their order
            yield from map(self._read_locally, self._jobs_of(job.source))

    def _batch(self, pieces: Sequence[Piece]) -> Batch:
        wanted = (
            SamplesWanted(self._samples.metrics, self._samples.leave_out_s) if self._samples.engine.name else None
        )
        unknown_stay = bool(wanted) and self._formats.extensions and has_extensions()
        return Batch(tuple(pieces), self._limits, self._formats, wanted, unknown_stay)

    def _singly(self, engine: Engine, pieces: Sequence[Piece], lost: Lost | None) -> Iterator[Result]:
        """Yield what comes of each piece; if they were ``lost`` together, only the one to blame stays lost."""
        made_of_pieces = (
            [lost]
            if lost and len(pieces) == 1
            else engine.each_or_lost(read_batch, (self._batch([single]) for single in pieces))
        )
        for piece, made in zip(pieces, made_of_pieces, strict=True):
            if isinstance(made, Lost):
                yield ReadError(made.why, path=piece.path, hint=made.hint)
            else:
                yield made[0]

    def _must_be_sent(self, job: Job, *, is_far: bool) -> bool:
        """Return whether whoever reads a file can't open it."""
        return not job.read.file or (is_far and self._sent.knows(job.source))

    def _piece(self, job: Job, *, is_far: bool) -> Piece | None:
        """Return a file in the form in which it is sent; None for one that is better read here."""
        source = job.read
        if job.stays:
            return None
        how_found = (source.explicit, source.given, source.go, source.kind, source.written_s)
        of_file = (source.path, source.file, source.size_bytes, *how_found)
        if source.fetch and is_far and not self._sent.knows(source):
            return Piece(*of_file, fetch=source.fetch)
        try:
            if self._must_be_sent(job, is_far=is_far):
                data = _data_of(source)
                return None if data is None else Piece(*of_file, data=data, packed=_is_packed(job, data))
            return Piece(*of_file, seen=see(source.file) if is_far else None, packed=job.packed)
        except (OSError, ReadError):
            return None  # reading it says what is wrong


def _is_packed(job: Job, data: bytes) -> bool:
    """Return whether what is sent is an archive; what comes from an address shows that only now."""
    return job.packed or (bool(job.source.fetch) and is_archive(data))


def _data_of(source: Source) -> bytes | None:
    """Return the bytes of a file to send them; None where they are too many. Raises OSError."""
    if source.size_bytes > _SENT_BYTES:
        return None
    with source.open() as stream:
        return stream.read()


def _read_file(result: SentFile | ReadError) -> ResultFile | ReadError:
    return result if isinstance(result, ReadError) else result.file()


def _members_of(source: Source, found: Members) -> Iterator[_Made]:
    """Yield what came of the files of an archive."""
    for member in found.members:
        read = Source(
            member.path,
            source.open,
            member.size_bytes,
            explicit=member.explicit,
            go=source.go,
            passed_over=member.passed_over,
        )
        yield Job(source, read), _read_file(member.result)
    if found.trouble:
        yield Job(source, source, trouble=found.trouble), found.trouble


def hash_there(engine: Engine, source: Source) -> str:
    """Return the hash of a file by a worker of a cluster that sees it, else by this process. Raises OSError."""
    with suppress(EngineError):
        for found in engine.each(_hash_if_seen, [(source.file, see(source.file))]):
            if found:
                return found
    return hash_of(source)


def _hash_if_seen(file_seen: tuple[str, Seen]) -> str:
    file, seen = file_seen
    if not_as_seen(file, seen):
        return ""
    return hash_of(Source(file, lambda: Path(file).open("rb"), seen.size_bytes))


class SentNotes:
    """Which files had to be sent to a cluster, as its workers don't see them."""

    def __init__(self) -> None:
        self._unseen: set[str] = set()
        self._stale: list[str] = []
        self._stale_files: set[str] = set()
        self._unfetched: dict[str, str] = {}

    def add(self, source: Source, unseen: Unseen) -> None:
        """Note a file that a worker does not see as it is here."""
        if source.fetch:
            self._unfetched.setdefault(source.root, source.path)
        elif unseen.is_there:
            self._stale.append(source.path)
            self._stale_files.add(source.file)
        else:
            self._unseen.add(source.root)

    def knows(self, source: Source) -> bool:
        """Return whether a file must be sent: itself, or as others of its folder had to be."""
        return source.file in self._stale_files or source.root in self._unseen or source.root in self._unfetched

    def notes(self) -> Iterator[str]:
        """Yield a sentence for each folder that workers don't see, and for files that differ there."""
        for root in sorted(self._unseen):
            yield f"Workers of the cluster don't see {shown_path(root)}: its files were sent to them."
        if self._stale:
            named = join_list(self._stale[:3])
            more = f" and {len(self._stale) - 3} more" if len(self._stale) > 3 else ""
            yield f"A worker of the cluster has another state of {named}{more}: what is here was sent."
        for path in self._unfetched.values():
            yield f"A worker of the cluster could not fetch {path}: results from there were fetched here and sent."


def _processes(sources: Sequence[Source]) -> int:
    """Return how many processes are worth it; 0 for none."""
    sizes = [source.size_bytes for source in sources if not is_named_archive(source.path)]
    packed = sum(source.size_bytes for source in sources) - sum(sizes)
    total = sum(sizes) + _UNPACKED * packed
    # What one file has beyond the others is read while nothing else is.
    if total < _WORTH_BYTES or total - max(sizes, default=0) < _WORTH_BYTES / 2 or not can_start_helpers():
        return 0
    return helpers_wanted()
