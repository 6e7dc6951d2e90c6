"""Work that waits for others, on a server or a share: it gets so much time in all, and can be stopped at once."""

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Generic, TypeVar

Result = TypeVar("Result")

_POLL_S = 0.2  # between two looks whether it is done, and for signals


class Patience:
    """How long a piece of work may take in all; once it is over, the work begins nothing more."""

    def __init__(self, limit_s: float) -> None:
        self.limit_s = limit_s
        self._until = time.monotonic() + limit_s
        self._stops: list[Callable[[], object]] = []
        self._is_over = False

    @property
    def left_s(self) -> float:
        """Return the seconds that are left; none once it was given up."""
        return 0.0 if self._is_over else max(0.0, self._until - time.monotonic())

    def renew(self) -> None:
        """Begin to count anew: something came of it."""
        self._until = time.monotonic() + self.limit_s

    def check(self) -> None:
        """Raise TimeoutError where it is over."""
        if not self.left_s:
            raise TimeoutError

    @contextmanager
    def stopping(self, stop: Callable[[], object]) -> Iterator[None]:
        """Call this where the patience ends meanwhile, as for another program that was started."""
        self._stops.append(stop)
        try:
            self.check()
            yield
        finally:
            self._stops.remove(stop)

    def give_up(self) -> None:
        """Let the work begin nothing more, and stop what it started."""
        self._is_over = True
        for stop in list(self._stops):
            stop()


class _Work(Generic[Result]):
    """Work in another thread: a call that hangs in the system can only be left behind."""

    def __init__(self, work: Callable[[], Result]) -> None:
        self._work = work
        self._results: list[Result] = []
        self._error: BaseException | None = None
        self._done = threading.Event()
        # A daemon: the program ends without it.
        threading.Thread(target=self._run, daemon=True).start()

    def _run(self) -> None:
        try:
            self._results.append(self._work())
        except BaseException as error:  # noqa: BLE001  it is raised where the result is wanted
            self._error = error
        finally:
            self._done.set()

    def is_done(self, within_s: float) -> bool:
        return self._done.wait(within_s)

    def result(self) -> Result:
        if self._error is not None:
            raise self._error
        return self._results[0]


def do_within(patience: Patience, work: Callable[[], Result], on_wait: Callable[[float], object]) -> Result:
    """Return what the work gives; ``on_wait`` is given every moment how many seconds it takes by now.

    Raises what the work raises, and TimeoutError where the patience ends. What hangs then is left behind.
    """
    began = time.monotonic()
    waiting = _Work(work)
    try:
        while not waiting.is_done(_POLL_S):
            patience.check()
            on_wait(time.monotonic() - began)
    except BaseException:
        patience.give_up()
        raise
    return waiting.result()
