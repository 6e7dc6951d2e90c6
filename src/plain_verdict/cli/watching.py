"""``plain-verdict report --watch``: the page made again whenever results change."""

import argparse
import glob
import os
from collections.abc import Callable, Iterable
from pathlib import Path

from plain_verdict.cli.common import DONE
from plain_verdict.cli.terminal import show, show_error
from plain_verdict.inputs.discovery import discover, split_kind
from plain_verdict.model import Verdict
from plain_verdict.runtime.errors import PlainVerdictError, UsageError
from plain_verdict.text.packages import require

_CALM_MS = 400
"""How long nothing may change before the page is made: runners write file after file."""
_LOOKED_UP_MS = 5_000
Made = tuple[Verdict | None, Iterable[Path], Iterable[str]]
"""The verdict, if there is one, what was written, and the files that were read."""
Once = Callable[[], Made]
"""Makes the page."""
_Stamp = tuple[int, int]


def check_watch(options: argparse.Namespace) -> None:
    """Make sure that results can be watched. Raises UsageError."""
    if options.json:
        raise UsageError("--watch prints again and again, --json only once", hint="use only one of them")
    if options.results == ["-"] or any("://" in argument for argument in options.results):
        raise UsageError("--watch needs local files or folders", hint="name at least one")
    require("watchfiles", "--watch", "terminal")


def watch(results: list[str], once: Once) -> int:
    """Make the page, and again with each change, until the user ends it."""
    import watchfiles  # an extra

    stamps = _stamps(results, ())
    verdict, written, read = _made(once)
    before = _as_read(stamps, read, _stamps(results, written)) if written else stamps
    show("Watching for changes. Ctrl-C stops.", "soft")
    try:
        # A change may come before the watching begins, and some file systems report none: so it is looked up too.
        for _ in watchfiles.watch(
            *_roots(results),
            debounce=_CALM_MS,
            step=_CALM_MS // 4,
            rust_timeout=_LOOKED_UP_MS,
            yield_on_timeout=True,
            raise_interrupt=False,
        ):
            now = _stamps(results, written)
            if now == before:
                continue  # what changed is what we wrote, or no result
            last = verdict
            verdict, made, read = _made(once)
            written = made or written
            # Where nothing could be read nothing was written: what differs was changed meanwhile.
            before = _as_read(now, read, _stamps(results, written)) if made else now
            if verdict and last:
                same = verdict.word is last.word
                show(
                    f"{'Still' if same else f'{last.word.capitalize()} before, now'} {verdict.word}.",
                    verdict.word.value,
                )
    except KeyboardInterrupt:
        pass
    return DONE


def _as_read(before: dict[str, _Stamp], read: Iterable[str], after: dict[str, _Stamp]) -> dict[str, _Stamp]:
    """Return the stamps after the page was made, of what was read those before: it may have changed meanwhile."""
    return after | {file: before[file] for file in read if file in before and file in after}


def _made(once: Once) -> Made:
    """Make the page; what goes wrong is reported, and the watching goes on."""
    try:
        return once()
    except PlainVerdictError as error:
        show_error(error)
        return None, (), ()


def _roots(results: list[str]) -> list[Path]:
    """Return the folders in which results may change: of a pattern the part that is fixed, if it is there."""
    roots = dict.fromkeys(_root(split_kind(argument)[1]) for argument in results)
    return [root for root in roots if not any(root != other and root.is_relative_to(other) for other in roots)]


def _root(argument: str) -> Path:
    path = Path(os.path.abspath(argument))  # noqa: PTH100  keeps links
    if glob.has_magic(argument):
        parts = path.parts
        fixed = next((at for at, part in enumerate(parts) if glob.has_magic(part)), len(parts))
        path = Path(*parts[:fixed])
    while not path.is_dir():
        path = path.parent
    return path


def _stamps(results: list[str], written: Iterable[Path]) -> dict[str, _Stamp]:
    """Return when each result changed and how large it is, without what was written by ourselves."""
    written_paths = {str(path) for path in written}
    stamps = {}
    for source in discover(results).sources:
        if source.file not in written_paths:
            try:
                about = os.stat(source.file)  # noqa: PTH116  quicker, for thousands
            except OSError:
                continue
            stamps[source.file] = (about.st_mtime_ns, about.st_size)
    return stamps
