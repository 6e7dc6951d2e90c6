"""Evidence: what belongs to a check or step, and what it holds."""

import re
from collections import defaultdict
from collections.abc import Iterable
from datetime import datetime
from enum import StrEnum

from plain_verdict.model.facts import Value
from plain_verdict.text.patterns import pattern


class ContentKind(StrEnum):
    """What sort of content it is, which decides how it is shown."""

    PICTURE = "picture"
    TEXT = "text"
    VIDEO = "video"
    FILE = "file"


class Content(Value, frozen=True):
    """What evidence holds, once in a page however often it is used. ``key`` is made from the original bytes.

    Pictures have their size in pixels; texts have ``text``, all others ``data``. ``remark`` says what was done to
    it (scaled, shortened).
    """

    key: str
    kind: ContentKind
    media_type: str
    data: bytes = b""
    text: str = ""
    width: int = 0
    height: int = 0
    remark: str = ""


class PictureRole(StrEnum):
    """What a picture is to others of its check."""

    EXPECTED = "expected"
    ACTUAL = "actual"
    DIFFERENCE = "difference"
    POSTER = "poster"
    """The frame of a video that stands for it."""


class Evidence(Value, frozen=True):
    """A screenshot, log, body or other file that belongs to a check or step.

    As read it has ``path`` (relative to the folder of its result file) or ``data``. Once collected it has
    ``content``, the key of what it holds, or ``unavailable``: why it is not on the page.
    """

    name: str
    path: str = ""
    data: bytes = b""
    caption: str = ""
    at: datetime | None = None
    content: str = ""
    unavailable: str = ""
    role: PictureRole | None = None
    """As its source tells it; ``role_of`` tells it by the name as well."""
    began: datetime | None = None
    """When a video begins."""


_ENDINGS = {
    **dict.fromkeys(("expected", "baseline", "reference", "golden"), PictureRole.EXPECTED),
    **dict.fromkeys(("actual", "received", "current"), PictureRole.ACTUAL),
    **dict.fromkeys(("diff", "difference", "delta"), PictureRole.DIFFERENCE),
}
"""By which runners end the names of pictures that belong together."""
_ROLE_LAST = pattern(
    rf"^(?:(?P<stem>.*)[-_. ])?(?P<word>{'|'.join(_ENDINGS)})(?P<number>[-_. ]?\d+)?(?:\.[a-z]{{3,4}})?$",
    re.I | re.S,
)
_ROLE_FIRST = pattern(
    rf"^(?P<word>{'|'.join(_ENDINGS)})(?P<number>)[-_. ](?P<stem>.*?)(?:\.[a-z]{{3,4}})?$", re.I | re.S
)
_SUFFIX = pattern(r"\.[a-z]{3,4}$", re.I)


def role_of(evidence: Evidence) -> tuple[PictureRole | None, str]:
    """Return what a picture is to others, and the part of its name that it shares with them."""
    found = _ROLE_LAST.match(evidence.name) or _ROLE_FIRST.match(evidence.name)
    stem = f"{found['stem'] or ''}{found['number'] or ''}" if found else _SUFFIX.sub("", evidence.name)
    if evidence.role is not None:
        return evidence.role, stem if found and _ENDINGS[found["word"].lower()] is evidence.role else ""
    return (_ENDINGS[found["word"].lower()], stem) if found else (None, "")


def sets_of(evidence: Iterable[Evidence]) -> dict[str, dict[PictureRole, Evidence]]:
    """Return pictures that belong together, by the name that they share: an expected and an actual one at least."""
    found: dict[str, dict[PictureRole, Evidence]] = defaultdict(dict)
    for piece in evidence:
        role, stem = role_of(piece)
        if role is not None and role is not PictureRole.POSTER:
            found[stem].setdefault(role, piece)
    both = {PictureRole.EXPECTED, PictureRole.ACTUAL}
    return {stem: by_role for stem, by_role in found.items() if both <= by_role.keys()}
