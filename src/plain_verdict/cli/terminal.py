"""What the commands print: results on stdout, warnings and progress on stderr."""

import os
import sys
import time
from io import TextIOWrapper
from types import TracebackType
from typing import TYPE_CHECKING, TextIO

from plain_verdict.runtime.errors import PlainVerdictError
from plain_verdict.runtime.guard import LOGGER

if TYPE_CHECKING:
    from rich.progress import Progress as RichProgress

    from plain_verdict.masking import KnownValue

STYLES = {
    "fit": "1;32",
    "not fit": "1;31",
    "undecided": "1;33",
    "failed": "31",
    "errored": "35",
    "error": "1;31",
    "note": "33",
    "soft": "2",
}
"""Parameters of the sequence that sets the look of text. Source: ECMA-48, 5th edition, section 8.3.117 (SGR)."""
_CLEAR_LINE = "\r\x1b[K"  # Source: ECMA-48, 5th edition, section 8.3.41 (EL)
_NOT_WRITTEN = 2  # scripts that read a part of it must not take it for all
_PROGRESS_AFTER_S = 1.0  # nobody wants a bar for what takes a moment
_PAUSE_S = 0.1  # between two states of the bar: faster ones only cost time


class _Hidden:
    """The secrets that no line may show: until a request says otherwise, those of the environment."""

    values: "tuple[KnownValue, ...] | None" = None


def hide(values: "tuple[KnownValue, ...]") -> None:
    """Let no line show these secrets."""
    _Hidden.values = values


def without_secrets(text: str) -> str:
    """Return text as it may be shown."""
    from plain_verdict.masking.known import make_known  # not for --help, and not for what a script records

    if _Hidden.values is None:
        from plain_verdict.masking.variables import secrets_of_environment  # as above

        hide(secrets_of_environment(os.environ))
    known = make_known(_Hidden.values or ())
    return known.masked(text) if known else text


def show(
    text: str, style: str = "", *, to: TextIO | None = None, end: str = "\n", is_program_text: bool = False
) -> None:
    """Print text; in colour where the stream is a terminal that has it. No text is read as markup.

    A reader who has gone, or a stream that is closed or full, does not end what the command does. Known secrets
    are masked, unless the text ``is_program_text``: made by the program alone.
    """
    stream = to if to is not None else sys.stdout
    if stream is None:  # closed before the program began
        return
    if not is_program_text:
        text = without_secrets(text)
    try:
        print(
            f"\x1b[{STYLES[style]}m{text}\x1b[0m" if style and _has_colour(stream) else text, file=stream, end=end
        )
    except OSError as error:
        silence(stream, error)


def show_document(text: str, *, end: str = "\n") -> None:
    """Print a document for other programs on stdout: as UTF-8, whatever the terminal's encoding.

    Source: RFC 8259, section 8.1; Markdown and TOML are UTF-8 as well.
    """
    if isinstance(sys.stdout, TextIOWrapper):
        sys.stdout.reconfigure(encoding="utf-8", errors="backslashreplace")
    show(text, to=sys.stdout, end=end)


def _has_colour(stream: TextIO) -> bool:
    """Return whether a stream is a terminal that shows colour, and the user wants it."""
    if not stream.isatty() or os.environ.get("NO_COLOR") or os.environ.get("TERM") == "dumb":
        return False
    return sys.platform != "win32" or "WT_SESSION" in os.environ  # its older console shows sequences as text


_troubles: list[OSError] = []


def silence(stream: TextIO, error: OSError) -> None:
    """Let nothing more be written to a stream that can't be written to."""
    _troubles.append(error)
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, stream.fileno())
    os.close(nowhere)


def flush(code: int) -> int:
    """Write what is still held back, and return the exit code: the given one, unless output was lost on the way.

    Output whose reader has gone is not lost.
    """
    for stream in (sys.stdout, sys.stderr):
        if stream is not None:
            try:
                stream.flush()
            except OSError as error:
                silence(stream, error)
    lost = [error for error in _troubles if not isinstance(error, BrokenPipeError)]
    _troubles.clear()
    if lost:
        show_labelled("error", f"the output could not be written ({lost[0].strerror})")
    return code or (_NOT_WRITTEN if lost else 0)


def show_labelled(label: str, text: str) -> None:
    """Print a line like ``note: text`` on stderr."""
    if sys.stderr is None:
        return
    show(f"{label}:", label if label in STYLES else "soft", to=sys.stderr, end=" ", is_program_text=True)
    show(text, to=sys.stderr)


def show_error(error: PlainVerdictError) -> None:
    """Print an error as ``error: FILE:WHERE: what``, and what to do about it."""
    where = ":".join(part for part in (error.path, error.where) if part)
    show_labelled("error", f"{where}: {error.what}" if where else error.what)
    if error.hint:
        show_labelled("hint", error.hint)


def show_trace() -> None:
    """Print where in the program the error arose that is being handled."""
    import traceback  # for those who look for a bug

    show(traceback.format_exc(), to=sys.stderr, end="")


def show_logged_bugs() -> None:
    """Print, too, where in the program those errors arose that cost one input only."""
    import logging  # for those who look for a bug

    class Shown(logging.Handler):
        def emit(self, record: logging.LogRecord) -> None:
            show(self.format(record), to=sys.stderr)

    logger = logging.getLogger(LOGGER)
    logger.setLevel(logging.DEBUG)
    logger.handlers = [Shown()]


class Progress:
    """Shows on a terminal how far something is, once it takes longer than a moment; ends it when it is to stop.

    With the extra ``terminal`` as a bar, else as a line.
    """

    stopped = False
    """Whether the program was told to stop."""

    def __init__(self, what: str) -> None:
        self._what = what
        self._began = time.monotonic()
        self._last_shown = 0.0
        self._terminal = sys.stderr is not None and sys.stderr.isatty()
        self._bar: RichProgress | None = None
        self._has_line = False

    def __call__(self, done: int, total: int | None = None, what: str = "") -> None:
        """Say that so many of all are done, and what it is; ``total`` None: nobody knows how many there are."""
        if Progress.stopped:
            raise KeyboardInterrupt
        now = time.monotonic()
        if not self._terminal or now - self._began < _PROGRESS_AFTER_S or now - self._last_shown < _PAUSE_S:
            return
        self._last_shown = now
        name = f"{self._what} {without_secrets(what).rpartition('/')[2][:60]}".rstrip()
        # Nothing in the name of a file steers the terminal.
        name = "".join(char if char.isprintable() else "?" for char in name)
        if self._bar is None and not self._has_line:
            self._begin(total)
        if self._bar:
            from rich.markup import escape  # as above

            self._bar.update(self._task, completed=done, total=total, description=escape(name), refresh=True)
        else:
            share = f" {100 * done // total} %" if total else ""
            show(f"{_CLEAR_LINE}{name}{share}", to=sys.stderr, end="", is_program_text=True)
            sys.stderr.flush()

    def _begin(self, total: int | None) -> None:
        """Begin a bar, or a line where there is no library for it."""
        try:
            from rich.console import Console  # an extra, for people at a terminal
            from rich.progress import Progress as RichProgress  # as above
        except ImportError:
            self._has_line = True
            return
        # Without its own thread: where one runs, no process may fork.
        self._bar = RichProgress(console=Console(stderr=True), transient=True, auto_refresh=False)
        self._task = self._bar.add_task(self._what, total=total)
        self._bar.start()

    def __enter__(self) -> "Progress":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._bar:
            self._bar.stop()
        elif self._has_line:
            show(_CLEAR_LINE, to=sys.stderr, end="", is_program_text=True)
