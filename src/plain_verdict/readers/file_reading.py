"""What reading one file has in common in every format: texts cut to their limits, unknown words, notes."""

from collections import Counter
from collections.abc import Iterator

from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.formatting import plural


class FileReading:
    """The state of reading one file. Readers add what their format needs."""

    def __init__(self, source: Source, limits: Limits) -> None:
        self.source = source
        self.limits = limits
        self.unknown: Counter[str] = Counter()
        """Words for outcomes that the format does not know, and how often each came."""

    def name(self, text: str) -> str:
        """Return a text as a name: one line, no longer than names may be."""
        return single_line(text, self.limits.name_chars)

    def text(self, text: str) -> str:
        """Return a text as a message: in lines, no longer than messages may be."""
        return block(text, self.limits.message_chars)

    def note(self, what: str, *, results_missing: bool = False) -> ReadingNote:
        """Return a note on the file; ``results_missing`` makes the run undecided."""
        return ReadingNote(self.source.path, what, results_missing=results_missing)

    def unknown_notes(self, noun: str, reason: str, before: str = "") -> Iterator[ReadingNote]:
        """Yield a note for each unknown word: ``has 2 outcomes “maybe”, which the standard does not know``."""
        for word, times in self.unknown.most_common(self.limits.notes):
            yield self.note(f"has {plural(times, noun)} {before}“{word}”, which {reason}: undecided")
