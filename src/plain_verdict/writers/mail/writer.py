"""The digest as a message. What makes it is imported when a mail is wanted: it brings Python's mail package."""

from collections.abc import Iterator
from io import BytesIO

import msgspec

from plain_verdict.report import Report
from plain_verdict.writers.interface import OutputFile
from plain_verdict.writers.mail.envelope import Attachment, Envelope

_MAIL_DPI = 100
_PALETTE_COLOURS = 64  # a chart has few: a third of the bytes


class MailWriter(msgspec.Struct, frozen=True):
    """Writes verdict, tally and causes as a mail message; ``attachment`` is the page that goes with it."""

    sender: str = ""
    to: tuple[str, ...] = ()
    attachment: Attachment | None = None
    cc: tuple[str, ...] = ()
    link: str = ""

    name = "mail"
    suffix = ".eml"
    about = "verdict, tally and causes as a mail message"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the message."""
        from plain_verdict.writers.mail.message import make_mail  # for mail only

        brand = report.info.brand
        logo = brand.logo.png if brand.logo else b""
        sender = self.sender or brand.mail_address
        envelope = Envelope(report.info.made, sender, self.to, logo, _chart(report), self.cc, self.link)
        yield OutputFile("digest.eml", make_mail(report, envelope, self.attachment))

    def check(self) -> None:
        """Make sure that the message can be addressed. Raises UsageError."""
        from plain_verdict.writers.mail.message import check_addresses  # for mail only

        check_addresses(self.sender, (*self.to, *self.cc))


def _chart(report: Report) -> bytes:
    """Return the first chart of a load run as a picture; nothing where there is none, or no library for it."""
    if report.load is None:
        return b""
    try:
        from plain_verdict.writers.charts.drawing import draw  # a large library, which may not be there
    except ImportError:
        return b""
    return _in_few_colours(draw(report.load.charts[0], report.info.brand.accent_light, "png", dpi=_MAIL_DPI))


def _in_few_colours(picture: bytes) -> bytes:
    """Return a chart with a table of colours: a third of the size, which causes have more use for."""
    from PIL import Image  # a large library, for pictures only

    small = BytesIO()
    with Image.open(BytesIO(picture)) as opened:
        opened.convert("RGB").quantize(_PALETTE_COLOURS).save(small, "PNG", optimize=True)
    return small.getvalue()
