"""Evidence: what belongs to a check or step, and what it holds."""

from datetime import datetime
from enum import StrEnum

from plain_verdict.model.facts import Value


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
