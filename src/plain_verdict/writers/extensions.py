"""Outputs of extensions."""

from collections.abc import Iterator

from plain_verdict.extension.loading import Extension, calling, failed, find_named, load
from plain_verdict.report import Report
from plain_verdict.writers.interface import OutputFile, Writer


class ExtensionWriter:
    """Writes an output with the writer of an extension, whole: what fails on the way leaves no half of a file."""

    is_layout = False

    def __init__(self, extension: Extension) -> None:
        """Load the writer. Raises ExtensionError."""
        self._extension = extension
        found = load(extension, ("render", "suffix"))
        self._writer: Writer = found  # type: ignore[assignment]  # what it returns is checked where it is used
        self.name = extension.name
        with calling(extension):
            self.suffix = str(self._writer.suffix)
            self.about = str(getattr(found, "about", extension.title))

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the files of the output. Raises ExtensionError."""
        with calling(self._extension):
            files = [OutputFile(file.name, b"".join(file.chunks())) for file in self._writer.render(report)]
        if self.suffix and len(files) != 1:
            raise failed(self._extension, f"wrote {len(files)} files, and its suffix says that it writes one")
        yield from files


def extension_writer(name: str) -> ExtensionWriter | None:
    """Return the writer of an extension; None where none is called so. Raises ExtensionError."""
    extension = find_named("writers", name)
    return ExtensionWriter(extension) if extension else None
