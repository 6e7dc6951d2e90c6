"""All readers, and how the one for a file is given by its content."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property, partial
from hashlib import sha256
from importlib import import_module
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import msgspec

from plain_verdict.extension.loading import find_extensions
from plain_verdict.inputs.progress import OnBytesRead, with_progress
from plain_verdict.inputs.source import RESULT_SUFFIXES, Source
from plain_verdict.model import Checks, ResultFile
from plain_verdict.model.moment import moment_at
from plain_verdict.readers.interface import Head, Reader
from plain_verdict.readers.samples.options import IN_THREADS, SamplesOptions
from plain_verdict.readers.xml.text import HAS_DOCTYPE, HEAD_BYTES
from plain_verdict.runtime.errors import ExtensionError, ReadError, UnknownFormat
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.text.patterns import pattern

if TYPE_CHECKING:
    from plain_verdict.readers.mapping.reader import MappingReader


class _Later:
    """A reader that is imported when something of it is asked for: most runs need only the first."""

    def __init__(self, module: str, name: str, *options: object) -> None:
        self._module, self._name, self._options = module, name, options

    @cached_property
    def _reader(self) -> Reader:
        made = getattr(import_module(f"plain_verdict.readers.{self._module}"), self._name)
        reader: Reader = made(*self._options)
        return reader

    @property
    def format(self) -> str:
        """Return the format's name."""
        return self._reader.format

    @property
    def roots(self) -> frozenset[str]:
        """Return the root elements that it takes."""
        return self._reader.roots

    def recognises(self, head: Head) -> bool:
        """Return whether a file that begins like this is of its format."""
        return self._reader.recognises(head)

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return what the file holds."""
        return self._reader.read(source, limits)


class _Many(_Later):
    """Several readers behind one, of which each has its own name."""

    def reader_for(self, head: Head) -> Reader:
        """Return the reader of a file that one of them takes."""
        found: Reader | None = self._reader.reader_for(head)  # type: ignore[attr-defined]  # that of each such class
        return found or self


class _Shipped(_Many):
    """The readers of the mappings that come with the program."""

    def __init__(self) -> None:
        super().__init__("mapping.shipped", "ShippedMappings")

    def recognises(self, head: Head) -> bool:
        """Return whether a file begins as JSON or XML, and one of the formats takes it."""
        return head.text[:1] in ("<", "{") and super().recognises(head)


class _Extensions(_Many):
    """The readers of installed extensions."""

    def __init__(self) -> None:
        super().__init__("extensions", "ExtensionReaders")

    def recognises(self, head: Head) -> bool:
        """Return whether an extension takes a file. Raises ReadError where one fails."""
        return has_extensions() and super().recognises(head)

    @property
    def trouble(self) -> tuple[ExtensionError, ...]:
        """Return why extensions can't be used."""
        return self._reader.trouble if has_extensions() else ()  # type: ignore[attr-defined]  # as above


EXTENSIONS = _Extensions()


READERS: tuple[Reader, ...] = (
    _Later("junit.reader", "JunitReader"),
    _Later("record.reader", "RecordReader"),
    _Later("har", "HarReader"),
    _Later("tap.reader", "TapReader"),
    _Later("sarif.reader", "SarifReader"),
    _Later("xccdf.reader", "XccdfReader"),
    _Later("xccdf.oval_reader", "OvalReader"),
    _Later("earl.reader", "EarlReader"),
    _Later("oscal.reader", "OscalReader"),
    _Later("subunit", "SubunitReader"),
    _Later("samples.condensed", "CondensedReader"),
    _Shipped(),
    _Later("samples.reader", "SamplesReader"),
)
"""Every format, in the order in which they are tried; samples, which may look like much, are the last."""
_DRAFTED_SUFFIXES = (*RESULT_SUFFIXES, ".json", ".jsonl", ".ndjson", ".xml", ".csv", ".tsv", ".trx")
_OUR_SCHEMA = pattern(r'"schema":\s*"plain-verdict/')
_SCHEMA_CHARS = 200  # it is the first key
_COUNTING = ("condensed", "samples")
_HELD_BYTES = 8_000_000  # of a file that is held in memory while it is read
_PATIENCE_S, _PATIENCE_S_PER_MB = 10.0, 10.0  # of processor time: far more than any file takes that is what it says


class Readers(NamedTuple):
    """All readers in the order in which they are tried, and which of them read the team's own mappings."""

    in_order: tuple[Reader, ...] = READERS
    mappings: tuple["MappingReader", ...] = ()
    drafts: bool = True
    extensions: bool = True

    def counts(self, reader: Reader) -> bool:
        """Return whether a reader counts samples, block by block, in files of any size."""
        is_team_mapping = any(reader is mapping and mapping.mapping.samples for mapping in self.mappings)
        return is_team_mapping or reader.format in _COUNTING


WITHOUT_MAPPINGS = Readers()


class Formats(msgspec.Struct, frozen=True):
    """What is read besides the formats that are built in: the team's mappings, drafts of mappings, extensions."""

    mappings: tuple[ResultMapping, ...] = ()
    drafts: bool = True
    extensions: bool = True


def readers_with(formats: Formats, samples: SamplesOptions = IN_THREADS) -> Readers:
    """Return the readers, with those of mappings, and with what is wanted of samples."""
    readers = (*READERS[:-1], _Later("samples.reader", "SamplesReader", samples))
    mappings = formats.mappings
    if not mappings:
        return Readers(readers, drafts=formats.drafts, extensions=formats.extensions)
    from plain_verdict.readers.mapping.reader import MappingReader  # for teams that have mappings

    of_mappings = tuple(MappingReader(mapping, samples) for mapping in mappings)
    named = tuple(reader for reader in of_mappings if reader.mapping.files)
    others = tuple(reader for reader in of_mappings if not reader.mapping.files)
    return Readers((*named, *readers, *others), of_mappings, formats.drafts, formats.extensions)


def read_source(
    source: Source, limits: Limits, on_bytes_read: OnBytesRead, readers: Readers = WITHOUT_MAPPINGS
) -> ResultFile:
    """Return what the file holds. Raises ReadError."""
    with readable(source):
        source = _held(source)
        return read_with(find_reader(source, readers), source, limits, on_bytes_read)


def _held(source: Source) -> Source:
    """Return a source whose small file is read once: its beginning is looked at, it is hashed, and it is read."""
    if not source.file or source.size_bytes > _HELD_BYTES or source.passed_over:
        return source
    with source.open() as stream:
        data = stream.read(_HELD_BYTES + 1)
    return msgspec.structs.replace(source, open=partial(BytesIO, data)) if len(data) <= _HELD_BYTES else source


def find_reader(source: Source, readers: Readers) -> Reader:
    """Return the reader that takes a file. Raises ReadError and OSError."""
    head = _head_of(source)
    reader = _reader_of(head, readers)
    if reader is None and readers.extensions and EXTENSIONS.recognises(head):
        reader = EXTENSIONS.reader_for(head)
    if source.passed_over:
        if reader is None:
            raise UnknownFormat(source.passed_over, path=source.path)
        hint = "name the file itself to read it, or remove it"
        raise ReadError(f"{source.passed_over}, and contains results: it is not read", path=source.path, hint=hint)
    if reader is None and _may_be_drafted(head, source, readers):
        reader = _drafted(head, source, readers)
    if reader is None:
        raise _unknown(head, source, readers)
    return _of_mappings(reader, head, readers)


def is_known(source: Source, readers: Readers) -> bool:
    """Return whether a format takes a file, without extensions and drafts. Raises OSError."""
    return _reader_of(_head_of(source), readers) is not None


def has_extensions() -> bool:
    """Return whether extensions that read files are installed."""
    return bool(find_extensions("readers") or find_extensions("mappings"))


def _head_of(source: Source) -> Head:
    with source.open() as stream:
        return Head(stream.read(HEAD_BYTES), source)


def _reader_of(head: Head, readers: Readers) -> Reader | None:
    return next((reader for reader in readers.in_order if reader.recognises(head)), None)


def _of_mappings(reader: Reader, head: Head, readers: Readers) -> Reader:
    """Return the reader itself, or that of the mappings behind it: those that come with the program, or several."""
    if isinstance(reader, _Shipped):
        return reader.reader_for(head)
    if reader in readers.mappings:
        return _together([mapping for mapping in readers.mappings if mapping.recognises(head)])
    return reader


def _together(fitting: "Sequence[MappingReader]") -> Reader:
    """Return the reader of a file that several mappings fit: the first, and one of load sums beside checks."""
    from plain_verdict.readers.mapping.together import together  # for teams that have mappings

    return together(fitting)


def _may_be_drafted(head: Head, source: Source, readers: Readers) -> bool:
    """Return whether a file of an unknown format is looked at as one of the team's own runners."""
    if readers.extensions and EXTENSIONS.trouble:  # one that can't be used may be for this file
        return False
    is_data = bool(head.text) and source.path.lower().endswith(_DRAFTED_SUFFIXES) and not head.xml.doctype
    return is_data and not _is_output(head, source)


def _is_output(head: Head, source: Source) -> bool:
    """Return whether a file is an output of this program: a summary, or a table that its package lists."""
    if _OUR_SCHEMA.search(head.text[:_SCHEMA_CHARS]):
        return True
    package = Path(source.file).parent / "datapackage.json" if source.file else None
    if package is None or not package.is_file():
        return False
    text = package.read_text("utf-8", "replace")
    return Path(source.file).name == package.name or (
        '"plain-verdict"' in text and f'"{Path(source.file).name}"' in text
    )


def _drafted(head: Head, source: Source, readers: Readers) -> Reader | None:
    """Return the reader of a drafted mapping that is certain; None for a file that is nothing like results.

    Raises ReadError for one that looks like results, but can't be read for sure.
    """
    from plain_verdict.readers.mapping.draft.use import reader_of_draft  # for unknown formats only

    reader = reader_of_draft(source, drafts=readers.drafts)
    if isinstance(reader, ReadError):
        raise _unknown(head, source, readers, reader)
    return reader


def read_with(reader: Reader, source: Source, limits: Limits, on_bytes_read: OnBytesRead) -> ResultFile:
    """Return what a file holds, by the reader that takes it. Raises ReadError and OSError."""
    digest = source.hash_remotely() if source.hash_remotely else hash_of(source)
    file = reader.read(with_progress(source, on_bytes_read), limits)
    return msgspec.structs.replace(
        file,
        checks=Checks.of(file.checks),
        path=source.path,
        format=reader.format,
        size_bytes=source.size_bytes,
        folder=source.folder,
        root=source.root,
        digest=digest,
        written=moment_at(source.written_s),
        amounts=tuple(payload.amount for payload in file.payloads if payload.amount[0]),
        go=source.go,
    )


def hash_of(source: Source) -> str:
    """Return the SHA-256 of a file's content, by which it is known wherever it is. Raises OSError."""
    digest = sha256()
    with source.open() as stream:
        while chunk := stream.read(HEAD_BYTES):
            digest.update(chunk)
    return digest.hexdigest()


def patience_s(source: Source) -> float:
    """Return how much processor time reading may take, in seconds: many times what the slowest format needs."""
    return _PATIENCE_S + _PATIENCE_S_PER_MB * source.size_bytes / 1_000_000


@contextmanager
def readable(source: Source) -> Iterator[None]:
    """Turn the system's own errors into ReadError."""
    try:
        yield
    except OSError as error:
        raise ReadError(
            f"can't be opened ({error.strerror or error})",
            path=source.path,
            hint="check the path and its permissions",
        ) from error


def knows(path: Path) -> bool:
    """Return whether a file begins like one that a reader takes."""
    try:
        source = Source(str(path), lambda: path.open("rb"), path.stat().st_size, file=str(path))
        with source.open() as stream:
            head = Head(stream.read(HEAD_BYTES), source)
    except OSError:
        return False
    return any(reader.recognises(head) for reader in READERS)


def _unknown(head: Head, source: Source, readers: Readers, error: ReadError | None = None) -> ReadError:
    """Return the error that says why this is not a result file, and of no mapping of the team."""
    error = error or _no_known_format(head, source)
    lacking = [
        f"the mapping “{reader.format}” does not match: {reader.missing_in(head)}" for reader in readers.mappings
    ]
    error.hint = "; ".join((*lacking[:3], error.hint)) if head.text else error.hint
    return error


def _roots() -> Iterator[str]:
    return (root for reader in READERS for root in reader.roots)


def _no_known_format(head: Head, source: Source) -> ReadError:
    if not head.text:
        return _empty(head, source)
    if head.xml.doctype or head.text.startswith("<"):
        return _other_xml(head, source)
    inside = next((root for root in sorted(_roots()) if f"<{root}" in head.text.lower()), "")
    if inside:
        hint = "let the runner write its results into a separate file"
        return ReadError(f"has other text before <{inside}>", path=source.path, hint=hint)
    if not head.data.strip(b"\0") and source.path.lower().endswith(RESULT_SUFFIXES):
        hint = "the disk may have been full or the run was stopped; run it again"
        return ReadError("contains only zero bytes", path=source.path, hint=hint)
    start = _start_of(head)
    shown = f"begins with “{start}”" if start.isprintable() else "is not text"
    return UnknownFormat(f"is not a result file: it {shown}", path=source.path, hint=_what_helps(head, source))


def _start_of(head: Head) -> str:
    return head.text.split("\n", 1)[0][:24].replace("\t", " ")


def _what_helps(head: Head, source: Source) -> str:
    """Return what to do with a file of no known format, by what it is."""
    if head.xml.doctype:
        return "give the file that the page was made of, like JUnit XML or JSON"
    if not _start_of(head).isprintable():
        return "give the result file itself, like JUnit XML, JSON, CSV or TAP"
    if head.text[:1] in "<{[" or len(head.csv_columns) > 1:
        return (
            f"if it holds results of your own runner, plain-verdict mapping {source.path} drafts a mapping for it"
        )
    return "let the runner write JUnit XML, TAP, JSON or CSV into a file"


def _empty(head: Head, source: Source) -> ReadError:
    what = "is empty" if not head.data else "contains only white space"
    expected = source.path.lower().endswith(RESULT_SUFFIXES)
    hint = "the run may have been stopped before it wrote results; run it again"
    return (ReadError if expected else UnknownFormat)(what, path=source.path, hint=hint)


def _other_xml(head: Head, source: Source) -> ReadError:
    if head.xml.doctype and head.xml.doctype.lower() == "html":
        return UnknownFormat("is an HTML page, not a result file", path=source.path, hint=_what_helps(head, source))
    if head.xml.doctype:
        ours = any(head.xml.doctype in reader.roots for reader in READERS)
        return (ReadError if ours else UnknownFormat)(
            HAS_DOCTYPE,
            path=source.path,
            hint="let the runner write its results without one",
        )
    if head.xml.root:
        what = f"has the root element <{head.xml.root[:60]}>, which is not that of a result file"
        return UnknownFormat(what, path=source.path, hint=_what_helps(head, source))
    return ReadError(
        "is XML without an element",
        path=source.path,
        hint="the run may have been stopped while it wrote; run it again",
    )
