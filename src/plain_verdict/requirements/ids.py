"""Ids of requirements: what looks like one, and how ids written in two places are compared."""

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence

from plain_verdict.text.expressions import Expression, TooSlow

# Keys under which runners write the requirements of a check, and some tags theirs; compared without case and signs.
_KEY_TEXT = "requirement requirements requirementid requirementids req reqs reqid verifies covers story userstory"
_KEYS = frozenset(_KEY_TEXT.split())
_SIGNS = re.compile(r"[\s_.-]+")
_SEPARATORS = re.compile(r"[,;\s]+")
_TAG_WITH_KEY = re.compile(r"([^:=()]+)[:=(](.+?)\)?")
_ID_TEXT = r"[A-Za-z][A-Za-z0-9]*(?:[-_.][A-Za-z0-9]+)*[-_.]?\d[\w.-]*"
_LIKE_ID = re.compile(_ID_TEXT)
_IN_NAME = re.compile(rf"(?<![\w.-]){_ID_TEXT}(?<![.-])")
_LETTERS_OF_ID = re.compile(r"[A-Za-z]+")
# Tags with a number that are no ids: of versions, plans, weights and platforms.
_NO_ID_TEXT = (
    "v version release sprint iteration phase build p prio priority sev severity level iso wip team shard step day"
    " chrome firefox safari edge webkit ios android windows macos python node java http utf sha"
)
_NO_IDS = frozenset(_NO_ID_TEXT.split())
AT_BEGINNING = re.compile(rf"^[\[(`*]*({_ID_TEXT})[\])`*]*\s*[:–—.-]*\s*(.*)$")
"""A line that begins with an id: the id, and what follows it."""


def is_key(key: str) -> bool:
    """Return whether values under a key are ids of requirements."""
    return _SIGNS.sub("", key).casefold() in _KEYS


def ids_in(value: str) -> Iterator[str]:
    """Yield the ids of a value that holds one or several."""
    return filter(None, (part.lstrip("@") for part in _SEPARATORS.split(value)))


def ids_of_tag(tag: str) -> Iterator[str]:
    """Yield what may be an id: the tag without its sign, or what a key like ``req:`` gives."""
    bare = tag.strip().lstrip("@")
    keyed = _TAG_WITH_KEY.fullmatch(bare)
    return ids_in(keyed[2]) if keyed and is_key(keyed[1]) else iter([bare])


def prefix_of(id_: str) -> str:
    """Return the letters of an id, by which those of one list are alike: ``bq`` of BQ-12."""
    found = _LETTERS_OF_ID.search(id_)
    return found[0].casefold() if found else ""


def looks_like_id(text: str) -> bool:
    """Return whether a tag looks like an id, not like a version or a weight: ``BQ-12``, ``bq_12``, ``BQ12``."""
    if _LIKE_ID.fullmatch(text) is None or prefix_of(text) in _NO_IDS:
        return False
    return text[0].isupper() or _SIGNS.search(text) is not None


def ids_seen_in(name: str) -> Iterator[str]:
    """Yield the words of a name that look like ids."""
    return (found for found in _IN_NAME.findall(name) if looks_like_id(found))


class IdIndex:
    """Ids by how they are written; where nobody wrote one so, by their letters without case."""

    def __init__(self, ids: Sequence[str]) -> None:
        self._exact: dict[str, list[int]] = defaultdict(list)
        self._folded: dict[str, list[int]] = defaultdict(list)
        for number, id_ in enumerate(ids):
            bare = id_.lstrip("@")
            self._exact[bare].append(number)
            self._folded[bare.casefold()].append(number)

    def find(self, id_: str) -> Sequence[int]:
        """Return the numbers, from 0, of all that have an id."""
        bare = id_.lstrip("@")
        return self._exact.get(bare, ()) or self._folded.get(bare.casefold(), ())


class IdPattern:
    """Finds ids by an expression of the team's, and counts the texts that it took too long on."""

    def __init__(self, pattern: str) -> None:
        self._expression = Expression(pattern) if pattern else None
        self.unsearched = 0

    def in_name(self, name: str) -> Iterator[str]:
        """Yield the ids in the name of a check; none where the team gave no expression."""
        try:
            yield from self._expression.all_in(name) if self._expression else ()
        except TooSlow:
            self.unsearched += 1

    def in_tag(self, tag: str) -> Iterator[str]:
        """Yield the ids of a scenario's tag: what the expression finds, else what looks like one."""
        for part in ids_of_tag(tag):
            if self._expression:
                yield from self.in_name(part)
            elif looks_like_id(part) or part != tag.lstrip("@"):
                yield part
