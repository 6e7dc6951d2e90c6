"""Path templates: those of a document, and those guessed from paths.

A guess only takes out what clearly is an id or a value: merging two operations is worse than splitting one.
"""

import re
from collections import defaultdict
from collections.abc import Iterable, Sequence

from plain_verdict.text.patterns import pattern

HOLE = "{…}"
_LONG = 12  # characters: so long a part of a path may be an id
# What no fixed part of a path looks like.
_VARYING_PART = pattern(
    r"""
    \d+                                                            # a number
  | [0-9a-fA-F]{8}-(?:[0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}           # UUID. Source: RFC 9562, section 4
  | (?=[0-9a-fA-F]*\d)(?=[0-9a-fA-F]*[a-fA-F])[0-9a-fA-F]{12,128}  # a hash
  | [0-7][0-9A-HJKMNP-TV-Z]{25}                                    # 128 bits in Crockford's base 32
  | [A-Z]{1,6}-\d{3,20}                                            # a numbered thing, like BQ-2203
  | \d{4}-\d\d-\d\d(?:T[\d:.]{4,20}(?:Z|[+-]\d\d:?\d\d)?)?         # a date, with or without a time
  | (?=(?:\D*\d){3})(?=[^a-z]*[a-z])(?=[^A-Z]*[A-Z])[A-Za-z0-9_-]{16,200}  # made by a machine: all sorts mixed
  | .*\[masked,.*                                                  # what masking hid
  | [^/]*@[^/]*\.[^/]*                                             # a mail address
    """,
    re.VERBOSE,
)


def guess_template(path: str) -> str:
    """Return a path with holes for what clearly is a value."""
    return "/".join([part if part.isalpha() else HOLE if _is_value(part) else part for part in path.split("/")])


def _is_value(part: str) -> bool:
    if part.isdigit() and part.isascii():
        return True
    # A short one is a value only with one of these signs in it.
    is_candidate = len(part) >= _LONG or "-" in part or "@" in part
    return is_candidate and _VARYING_PART.fullmatch(part) is not None


class Templates:
    """The templates of a document, ready to be looked up: a fixed part wins over a hole, from the left.

    Source: OpenAPI 3.1.1, section 4.8.8.2 (path templating matching).
    """

    def __init__(self, paths: Iterable[str]) -> None:
        self._by_length: dict[int, list[tuple[re.Pattern[str], str]]] = defaultdict(list)
        for path in sorted(paths, key=_fixed_first):
            self._by_length[path.count("/")].append((_expression(path), path))

    def find(self, path: str) -> str:
        """Return the template that a path fits, "" where it fits none."""
        candidates = self._by_length.get(path.count("/"), ())
        return next((template for expression, template in candidates if expression.fullmatch(path)), "")


def nameless(path: str) -> str:
    """Return a template without what its holes are called, which tells nothing."""
    return re.sub(r"\{[^{}/]*\}", "{}", path)


def _fixed_first(path: str) -> tuple[Sequence[bool], str]:
    return [("{" in part) for part in path.split("/")], path


def _expression(path: str) -> re.Pattern[str]:
    pieces = re.split(r"\{[^{}/]*\}", path)
    return re.compile("[^/]+?".join(map(re.escape, pieces)))
