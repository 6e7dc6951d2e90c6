"""Writes a digest as a mail message, ready to be opened or sent."""

from email.headerregistry import Address
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime, parseaddr
from hashlib import sha256

import msgspec

from plain_verdict.model.marks import MAIL_MARK
from plain_verdict.report import Report
from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.cleaning import single_line
from plain_verdict.writers.mail.digest import Digest, render_digest
from plain_verdict.writers.mail.envelope import Attachment, Envelope

_DIGEST_BYTES = 100_000  # some mail programs cut longer ones off
_NOBODY = "plain-verdict@invalid"  # Source: RFC 2606, section 2: a name that can't be anybody's
_MOST_CAUSES = 10
_SUBJECT_CHARS = 400  # RFC 5322, section 2.1.1 folds it; people read the first 60


def read_addresses(texts: tuple[str, ...]) -> tuple[Address, ...]:
    """Return addresses like ``Kari Nord <kari@example.test>``. Raises UsageError."""
    addresses = []
    for text in texts:
        name, address = parseaddr(text)
        try:
            addresses.append(Address(name, addr_spec=address))
        except (ValueError, IndexError) as error:
            raise UsageError(f"{text[:80]!r} is not a mail address", where="mail") from error
        if "@" not in address:
            raise UsageError(f"{text[:80]!r} is not a mail address", where="mail")
    return tuple(addresses)


def check_addresses(sender: str, to: tuple[str, ...]) -> None:
    """Make sure that a mail can be from and to these. Raises UsageError."""
    read_addresses((sender or _NOBODY, *to))


def make_mail(report: Report, envelope: Envelope, attachment: Attachment | None) -> bytes:
    """Return the message of a digest with as many causes as keep it under 100 kB without its page.

    Source: RFC 5322 (message), RFC 2046, section 5.1 (multipart), RFC 2387 (related).
    """
    attached = attachment.name if attachment else ""
    most = _MOST_CAUSES
    while True:
        digest = render_digest(
            report, most_causes=most, attached=attached, chart=bool(envelope.chart), link=envelope.link
        )
        message = _message(digest, envelope, None)
        if len(message) > _DIGEST_BYTES and most == 0 and envelope.chart:
            envelope, most = msgspec.structs.replace(envelope, chart=b""), _MOST_CAUSES
            continue
        if len(message) <= _DIGEST_BYTES or most == 0:
            return _message(digest, envelope, attachment) if attachment else message
        most //= 2


def _message(digest: Digest, envelope: Envelope, attachment: Attachment | None) -> bytes:
    message = EmailMessage(policy=SMTP)
    message["Subject"] = single_line(digest.subject, _SUBJECT_CHARS)
    message["From"] = read_addresses((envelope.sender or _NOBODY,))
    for header, addresses in (("To", envelope.to), ("Cc", envelope.cc)):
        if addresses:
            message[header] = read_addresses(addresses)
    message["Date"] = format_datetime(envelope.made)
    mark = sha256((digest.html + digest.text).encode("utf-8", "surrogatepass")).hexdigest()[:32]
    message["Message-ID"] = f"<{mark}{MAIL_MARK}>"
    message.set_content(_clean(digest.text))
    message.add_alternative(_clean(digest.html), subtype="html")
    html = list(message.iter_parts())[1]
    for name, picture in (("logo", envelope.logo), ("chart", envelope.chart)):
        if picture:
            html.add_related(picture, "image", "png", cid=f"<{name}>", filename=f"{name}.png", disposition="inline")
    if attachment:
        kind, subkind = ("text", "html") if attachment.name.endswith(".html") else ("application", "zip")
        message.add_attachment(attachment.data, kind, subkind, filename=attachment.name)
    for number, part in enumerate(part for part in message.walk() if part.is_multipart()):
        part.set_boundary(f"=_{mark}_{number}")  # the same digest gives the same bytes
    return message.as_bytes()


def _clean(text: str) -> str:
    return text.encode("utf-8", "replace").decode()
