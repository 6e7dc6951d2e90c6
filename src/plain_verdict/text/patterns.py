"""Regular expressions of the program's own that are compiled when they are first used: a run needs few of them."""

import re
from typing import Any, cast

_MEMBERS = (
    *("search", "match", "fullmatch", "split", "findall", "finditer", "sub", "subn"),
    *("pattern", "flags", "groups", "groupindex"),
)


class _Pattern:
    """Stands for an expression, and has its members once one of them is asked for."""

    def __init__(self, text: str, flags: int) -> None:
        self._source = text, flags

    def __reduce__(self) -> tuple[Any, ...]:
        """Return how it is made anew, wherever it is sent."""
        return _Pattern, self._source

    def __getattr__(self, name: str) -> Any:
        compiled = re.compile(*self._source)
        self.__dict__.update({member: getattr(compiled, member) for member in _MEMBERS})
        return getattr(compiled, name)


def pattern(text: str, flags: int = 0) -> re.Pattern[str]:
    """Return an expression with the members of one that ``re.compile`` makes."""
    return cast("re.Pattern[str]", _Pattern(text, flags))
