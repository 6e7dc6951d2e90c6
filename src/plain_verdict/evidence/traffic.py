"""Turns evidence that is an HTTP archive into exchanges of its check: shown there, judging nothing."""

import os
from collections.abc import Sequence
from io import BytesIO
from pathlib import Path
from typing import BinaryIO, TypeVar

import msgspec

from plain_verdict.evidence.safe_paths import resolve, resolve_any
from plain_verdict.http.archive import Archive, NotAnArchive
from plain_verdict.http.har import exchange_of
from plain_verdict.inputs.source import Source
from plain_verdict.model import Attempt, Check, Evidence, Exchange, Run, Step, evidence_of
from plain_verdict.model.transform import with_fields
from plain_verdict.settings.limits import Limits
from plain_verdict.text.formatting import plural

_SUFFIX, _FORMAT = ".har", "har"
_MOST_EXCHANGES = 500
"""Of one archive that belongs to a check: a browser's own holds every picture and script of a page."""
Part = TypeVar("Part", Attempt, Step)


def without_archives_of(sources: Sequence[Source], folders: Sequence[str]) -> list[Source]:
    """Return the sources without archives that stand in folders of evidence and were not named themselves."""
    return [
        source
        for source in sources
        if source.explicit
        or not source.file.lower().endswith(_SUFFIX)
        or not any(Path(os.path.realpath(source.file)).is_relative_to(folder) for folder in folders)
    ]


def without_kept_archives(run: Run) -> Run:
    """Return the run without the archives that a check of it names as its evidence: those are no results."""
    if not any(file.format == _FORMAT for file in run.files):
        return run
    kept = {
        resolve_any(file.folder, piece.path)
        for file in run.files
        for check in file.checks
        for piece in evidence_of(check)
        if piece.path.lower().endswith(_SUFFIX)
    }
    files = tuple(
        file
        for file in run.files
        if file.format != _FORMAT or resolve_any(file.folder, Path(file.path).name) not in kept
    )
    return with_fields(run, files=files)


class Traffic:
    """Reads archives that stand as evidence, each once; ``notes`` say what is wrong with them, or left out."""

    def __init__(self, roots: tuple[str, ...], limits: Limits) -> None:
        self.notes: list[str] = []
        self._roots = roots
        self._limits = limits
        self._read: dict[str, tuple[Exchange, ...] | None] = {}

    def check(self, check: Check, folder: str) -> Check:
        """Return the check with the exchanges of its archives in place of the files."""
        attempts = tuple(self._part(attempt, folder) for attempt in check.attempts)
        same = all(new is old for new, old in zip(attempts, check.attempts, strict=True))
        return check if same else msgspec.structs.replace(check, attempts=attempts)

    def _part(self, part: Part, folder: str) -> Part:
        steps = tuple(self._part(step, folder) for step in part.steps)
        found: list[Exchange] = []
        kept: list[Evidence] = []
        for piece in part.evidence:
            exchanges = self._exchanges(piece, folder)
            if exchanges is None:
                kept.append(piece)
            else:
                found += exchanges
        if not found:
            same = all(new is old for new, old in zip(steps, part.steps, strict=True))
            return part if same else msgspec.structs.replace(part, steps=steps)
        exchanges_now = (*part.exchanges, *found)
        return msgspec.structs.replace(part, steps=steps, evidence=tuple(kept), exchanges=exchanges_now)

    def _exchanges(self, piece: Evidence, folder: str) -> tuple[Exchange, ...] | None:
        """Return the exchanges of an archive; None for evidence that is none, or can't be read as one."""
        if piece.unavailable or not (piece.path or piece.name).lower().endswith(_SUFFIX):
            return None
        if piece.data:
            return self._from(piece.name, BytesIO(piece.data))
        path, trouble = resolve(piece.path, folder, self._roots)
        if trouble:
            return None
        if path not in self._read:
            try:
                with Path(path).open("rb") as stream:
                    self._read[path] = self._from(piece.name, stream)
            except OSError:
                self._read[path] = None
        return self._read[path]

    def _from(self, name: str, stream: BinaryIO) -> tuple[Exchange, ...] | None:
        archive = Archive(stream)
        found: list[Exchange] = []
        more = 0
        try:
            for entry in archive.entries():
                if len(found) >= _MOST_EXCHANGES:
                    more += 1
                    continue
                exchange = exchange_of(entry, self._limits)
                if exchange:
                    found.append(msgspec.structs.replace(exchange, only_shown=True))
        except NotAnArchive as error:
            self.notes.append(f"{name} is not a readable HTTP archive: it {error}.")
            return None
        if not found:
            self.notes.append(f"{name} holds no exchange.")
            return None
        if archive.cut_off:
            self.notes.append(f"{name} is truncated; its {plural(len(found), 'whole exchange')} are shown.")
        if more:
            self.notes.append(
                f"Of {name}, {plural(more, 'exchange')} past the first {_MOST_EXCHANGES} are left out."
            )
        return tuple(found)
