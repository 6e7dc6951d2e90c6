"""What an index says of itself."""

from collections.abc import Callable
from datetime import datetime, timedelta

import msgspec

from plain_verdict.history.durations import NORMAL_AFTER
from plain_verdict.report.brand import Brand


class IndexWords(msgspec.Struct, frozen=True):
    """Its title, whose it is, when it is made, its address or "", and what masks secrets in names of checks."""

    title: str
    brand: Brand
    made: datetime
    link: str = ""
    mask: Callable[[str], str] = str
    step: timedelta | None = None
    """The schedule of the series, to find missing builds."""
    normal_after: int = NORMAL_AFTER
