"""The digest as a message, ready to be opened or sent."""

from collections.abc import Iterator

import msgspec

from plain_verdict.report import Report
from plain_verdict.writers.interface import OutputFile
from plain_verdict.writers.mail.digest import Digest, render_digest
from plain_verdict.writers.mail.message import NOBODY, Attachment, Envelope, make_mail, read_addresses


class MailWriter(msgspec.Struct, frozen=True):
    """Writes verdict, tally and causes as a mail message; ``attachment`` is the page that goes with it."""

    sender: str = ""
    to: tuple[str, ...] = ()
    attachment: Attachment | None = None

    name = "mail"
    suffix = ".eml"
    about = "a digest as a mail message"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the message."""
        brand = report.info.brand
        envelope = Envelope(
            report.info.made, self.sender or brand.mail_address, self.to, brand.logo.png if brand.logo else b""
        )
        attached = self.attachment.name if self.attachment else ""

        def make(most_causes: int) -> Digest:
            return render_digest(report, most_causes=most_causes, attached=attached)

        yield OutputFile("digest.eml", make_mail(make, envelope, self.attachment))

    def check(self) -> None:
        """Make sure that the message can be addressed. Raises UsageError."""
        read_addresses((self.sender or NOBODY, *self.to))
