"""Who writes to whom, and what goes with it."""

from datetime import datetime

import msgspec


class Envelope(msgspec.Struct, frozen=True):
    """Who writes to whom and when; ``logo`` and ``chart`` are PNG pictures, or nothing.

    ``link`` is the address of the page.
    """

    made: datetime
    sender: str = ""
    to: tuple[str, ...] = ()
    logo: bytes = b""
    chart: bytes = b""
    cc: tuple[str, ...] = ()
    link: str = ""


class Attachment(msgspec.Struct, frozen=True):
    """A page, or a folder packed, that goes with the digest."""

    name: str
    data: bytes
