"""Regular expressions of users: one syntax everywhere, and an end in time, whatever they are searched in."""

import time
from collections.abc import Callable, Iterator
from typing import TypeVar

Found = TypeVar("Found")

_PATIENCE_S = 0.2
"""For one search."""
_ALL_PATIENCE_S = 10.0
"""For all slow searches of one expression."""
_SLOW_S = 0.02  # shorter searches do not count: the clock is no finer where many programs run
SEARCHED_CHARS = 20_000
"""Of a text, from its beginning."""


class TooSlow(Exception):  # noqa: N818  whoever searches says what it means there
    """An expression takes too long on some text, or has taken too long on all texts together."""


class Expression:
    """A regular expression of a user's, in the syntax of the ``regex`` library, which can be stopped.

    Raises ValueError, in words, for a text that is none.
    """

    def __init__(self, text: str) -> None:
        import regex  # a heavy library, for settings that have an expression; Python's own can't be stopped

        try:
            self._compiled = regex.compile(text)
        except (regex.error, RecursionError, OverflowError) as error:
            raise ValueError(f"is not a regular expression: {error}") from error
        self.text = text
        self._spent_s = 0.0

    def is_in(self, text: str) -> bool:
        """Return whether it is found in the beginning of a text. Raises TooSlow."""
        with_end = text[:SEARCHED_CHARS]
        return self._timed(lambda patience_s: self._compiled.search(with_end, timeout=patience_s)) is not None

    def cut_out(self, text: str) -> str | None:
        """Return what its first group, or all of it, finds first in the beginning of a text. Raises TooSlow."""
        return next(self.all_in(text), None)

    def all_in(self, text: str) -> Iterator[str]:
        """Yield what its first group that took part, or all of it, finds, each time. Raises TooSlow."""
        with_end = text[:SEARCHED_CHARS]
        matches = self._compiled.finditer(with_end, timeout=_PATIENCE_S)
        while match := self._timed(lambda _: next(matches, None)):
            yield next((group for group in match.groups() if group is not None), match[0])

    def replaced(self, replace: Callable[[str], str], text: str) -> str:
        """Return the whole text with each match replaced. Raises TooSlow."""
        return self._timed(
            lambda patience_s: self._compiled.sub(lambda match: replace(match[0]), text, timeout=patience_s)
        )

    def _timed(self, search: Callable[[float], Found]) -> Found:
        if self._spent_s > _ALL_PATIENCE_S:
            raise TooSlow(self.text)
        began = time.monotonic()
        try:
            return search(_PATIENCE_S)
        except TimeoutError as error:
            raise TooSlow(self.text) from error
        finally:
            took_s = time.monotonic() - began
            self._spent_s += took_s if took_s > _SLOW_S else 0.0
