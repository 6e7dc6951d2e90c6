"""Tells people and systems of a report that is written: mail that is sent, notices that are posted."""

from plain_verdict.delivery.publish import Published, attachment_of
from plain_verdict.inputs.progress import OnStep, no_progress
from plain_verdict.model import VerdictWord
from plain_verdict.report import Report
from plain_verdict.request import Request
from plain_verdict.request.targets import Recipient, Sending
from plain_verdict.runtime.errors import DeliveryError, PlainVerdictError
from plain_verdict.settings.choices import When
from plain_verdict.writers.mail.writer import MailWriter


def notify(
    report: Report, request: Request, published: Published, on_step: OnStep = no_progress
) -> tuple[PlainVerdictError, ...]:
    """Send the mail and post the notices that are due, and return what failed: that costs no report."""
    failed: list[PlainVerdictError] = []
    if request.sending is not None and _is_due(request.sending.when, report):
        with on_step("Sending the mail"):
            failed += _send(report, request, request.sending, published)
    for recipient in request.recipients:
        if _is_due(recipient.when, report):
            with on_step("Posting a notice"):
                failed += _post(report, recipient, published.link)
    return tuple(failed)


def _is_due(when: When, report: Report) -> bool:
    match when:
        case When.ALWAYS:
            return True
        case When.NOT_FIT:
            return report.verdict.word is not VerdictWord.FIT
        case When.CHANGED:
            return report.changed
        case When.NEW:
            return _fails_anew(report)


def _fails_anew(report: Report) -> bool:
    """Return whether a failure is there that the build before did not have; without one, any failure is such."""
    since = report.run.in_series.since if report.run.in_series else None
    if since is None:
        return bool(report.tally.failed or report.tally.errored)
    return bool(since.new or since.failing_again)


def _send(report: Report, request: Request, sending: Sending, published: Published) -> list[PlainVerdictError]:
    from email.utils import parseaddr  # for mail that is sent

    from plain_verdict.delivery.channels.smtp import send_mail  # Python's SMTP, for teams that send

    mail = request.mail
    in_folder = request.layout == "folder" and "packed" not in published.others
    attachment = None if in_folder else attachment_of(published.others.get("packed", published.page), request)
    writer = MailWriter(mail.sender or request.brand.mail_address, mail.to, attachment, mail.cc, published.link)
    message = b"".join(bytes(file.content) for file in writer.render(report) if isinstance(file.content, bytes))
    sender = parseaddr(writer.sender)[1]
    recipients = [parseaddr(address)[1] for address in (*mail.to, *mail.cc)]
    try:
        send_mail(sending.server, sending.login, sender, recipients, message)
    except DeliveryError as error:
        return [error]
    return []


def _post(report: Report, recipient: Recipient, link: str) -> list[PlainVerdictError]:
    from plain_verdict.delivery.channels.webhook import Notice, fill_template, post_notice  # for teams that want it
    from plain_verdict.writers.notice_json import NoticeWriter  # as above

    writer = NoticeWriter(link)
    try:
        if recipient.template:
            notice = fill_template(recipient.template, recipient.file, writer.values(report))
        else:
            notice = Notice(
                next(bytes(file.content) for file in writer.render(report) if isinstance(file.content, bytes))
            )
        post_notice(recipient.url, recipient.name, notice)
    except PlainVerdictError as error:
        return [error]
    return []
