"""Lets an error of this program in one input, or an input without end, cost that input and not the run."""

import signal
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from plain_verdict.runtime.errors import PlainVerdictError, ReadError
from plain_verdict.text.cleaning import single_line

LOGGER = "plain_verdict"
"""The name under which the place of a bug is logged, for ``--debug``."""
OUR_BUG = "could not be read because of a bug of this program"
REPORT_IT = "please report it, with what --debug prints; the other inputs count"
_AGAIN_S = 1.0  # a first interrupt may fall into a callback, which drops it
_ERROR_CHARS = 200


class _TakesTooLong(BaseException):
    """No ``except Exception`` on the way may take it for another error."""


@contextmanager
def guarded(path: str, patience_s: float = 0) -> Iterator[None]:
    """Turn an error of this program into one of the input at ``path``, and end what takes too long.

    ``patience_s`` is processor time of this process, 0 for none; it is watched where the system can, in the
    main thread. Raises ReadError; errors in words of ours, and the system's, pass.
    """
    try:
        with _watched(patience_s):
            yield
    except (PlainVerdictError, OSError):
        raise
    except _TakesTooLong:
        what = f"takes more than {patience_s:,.0f} s of processor time to read, far more than its size explains"
        raise ReadError(what, path=path, hint="check how it was made; the other inputs count") from None
    except MemoryError as error:
        raise ReadError("needs more memory than there is", path=path, hint="split it") from error
    except Exception as error:
        raise bug_in(path, error) from error


def bug_in(path: str, error: Exception) -> ReadError:
    """Return an error of this program, which is logged, as one of the input at ``path``."""
    import logging  # for bugs only

    logging.getLogger(LOGGER).debug("%s", path, exc_info=error)
    return ReadError(f"{OUR_BUG} ({described(error)})", path=path, hint=REPORT_IT)


def described(error: BaseException) -> str:
    """Return an error that this program should not have raised, in one line."""
    return single_line(f"{type(error).__name__}: {error}", _ERROR_CHARS)


@contextmanager
def _watched(patience_s: float) -> Iterator[None]:
    """Raise _TakesTooLong once so much processor time is gone."""
    alone = threading.current_thread() is threading.main_thread()
    if sys.platform == "win32" or not (patience_s and alone):  # Windows counts no processor time for a signal
        yield
        return
    before = signal.signal(signal.SIGPROF, _end)
    # Where Python runs a callback, an exception is dropped; the next signal raises it again.
    signal.setitimer(signal.ITIMER_PROF, patience_s, _AGAIN_S)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)
        signal.signal(signal.SIGPROF, before)


def _end(_number: int, _frame: object) -> None:
    raise _TakesTooLong
