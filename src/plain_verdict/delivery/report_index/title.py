"""What an index says of itself."""

from datetime import datetime

import msgspec

from plain_verdict.report.brand import Brand


class IndexWords(msgspec.Struct, frozen=True):
    """Its title, whose it is, when it is made, and its address or ""."""

    title: str
    brand: Brand
    made: datetime
    link: str = ""
