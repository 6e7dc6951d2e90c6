"""What a page says besides its results: whose it is, its words, how it is to look."""

from datetime import datetime

import msgspec

from plain_verdict.brand import Brand
from plain_verdict.model import Fact


class Front(msgspec.Struct, frozen=True):
    """What the user chose for the page. ``made`` is when it is made, with a zone; ``title`` "" is the results' own.

    ``theme`` is auto, light or dark; ``only`` is all or failed; ``masks`` counts masked secrets; None: masking off.
    """

    made: datetime
    title: str = ""
    description: str = ""
    facts: tuple[Fact, ...] = ()
    brand: Brand = Brand()
    theme: str = "auto"
    only: str = "all"
    masks: int | None = 0
    notes: tuple[str, ...] = ()
