"""Tells people and systems of a report that is written: mail that is sent, notices that are posted."""

from collections.abc import Callable, Iterator
from functools import partial

import msgspec

from plain_verdict.delivery.publish import Published, attachment_of
from plain_verdict.inputs.progress import OnStep, no_progress
from plain_verdict.model import Owner, VerdictWord
from plain_verdict.report import Report
from plain_verdict.report.of_owner import of_owner, owners_of_failures
from plain_verdict.request import Request
from plain_verdict.request.targets import Recipient, Sending
from plain_verdict.runtime.errors import DeliveryError, PlainVerdictError
from plain_verdict.runtime.patience import Patience, do_within
from plain_verdict.settings.choices import When
from plain_verdict.text.formatting import format_duration, join_list
from plain_verdict.writers.html.links import only
from plain_verdict.writers.mail.writer import MailWriter

_NAMED_OWNERS = 5
_SEND_PATIENCE_S = 180.0  # for one mail or notice, also where a server sends a byte now and then


class Notified(msgspec.Struct, frozen=True):
    """What could not be sent or posted, and what the team should know."""

    failed: tuple[PlainVerdictError, ...] = ()
    notes: tuple[str, ...] = ()


def notify(report: Report, request: Request, published: Published, on_step: OnStep = no_progress) -> Notified:
    """Send the mail and post the notices that are due; what fails costs no report."""
    failed: list[PlainVerdictError] = []
    if request.sending is not None:
        failed += _mail(report, request, request.sending, published, on_step)
    for recipient in request.recipients:
        about = of_owner(report, recipient.owner) if recipient.owner else report
        if about and _is_due(recipient.when, about):
            with on_step("Posting a notice"):
                failed += _post(about, recipient, _filtered(published.link, recipient.owner))
    return Notified(tuple(failed), tuple(_on_owners(report, request)))


def _mail(
    report: Report, request: Request, sending: Sending, published: Published, on_step: OnStep
) -> list[PlainVerdictError]:
    """Send the mails that are due, to the whole crew and to owners, and return what failed."""
    failed: list[PlainVerdictError] = []
    mail = request.mail
    if (mail.to or mail.cc) and _is_due(sending.when, report):
        with on_step("Sending the mail"):
            failed += _send(report, request, sending, published, published.link)
    for owner, of_them in _owners_due(report, sending) if mail.to_owners else ():
        with on_step("Sending the mail"):
            to_owner = msgspec.structs.replace(request, mail=msgspec.structs.replace(mail, to=(owner.mail,), cc=()))
            failed += _send(of_them, to_owner, sending, published, _filtered(published.link, owner.name))
    return failed


def _owners_due(report: Report, sending: Sending) -> Iterator[tuple[Owner, Report]]:
    """Yield each owner that the settings give a mail address, with what fails of theirs.

    An address that only a repository or a result names gets nothing: both may come from anybody.
    """
    for owner in {owner.name: owner for owner in report.run.owners if owner.mail}.values():
        of_them = of_owner(report, owner.name)
        if of_them and _is_due(sending.when, of_them):
            yield owner, of_them


def _on_owners(report: Report, request: Request) -> Iterator[str]:
    """Yield which owners are out of reach, and which nobody is."""
    wanted = {recipient.owner for recipient in request.recipients if recipient.owner}
    for name in sorted(wanted.difference(_owners_of(report))):
        yield f"No notice is posted for {name}: no check has that owner."
    names = list(_without_mail(report)) if request.sending and request.mail.to_owners else []
    if names:
        yield f"No mail went to {join_list(names, most=_NAMED_OWNERS)}: no [[owner]] has a mail address for it."


def _without_mail(report: Report) -> Iterator[str]:
    reached = {owner.name for owner in report.run.owners if owner.mail}
    return (name for name in owners_of_failures(report) if name not in reached)


def _owners_of(report: Report) -> Iterator[str]:
    yield from (owner.name for owner in report.run.owners)
    yield from (name for check in report.run.checks.detailed if check.facts for name in check.owners)


def _filtered(link: str, owner: str) -> str:
    return f"{link}#show=failed,errored&{only('owner', owner)}" if link and owner else link


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
    since = report.run.since
    if since is None:
        return bool(report.tally.failed or report.tally.errored)
    return bool(since.new or since.failing_again)


def _send(
    report: Report, request: Request, sending: Sending, published: Published, link: str
) -> list[PlainVerdictError]:
    from email.utils import parseaddr  # for mail that is sent

    from plain_verdict.delivery.channels.smtp import send_mail  # Python's SMTP, for teams that send

    mail = request.mail
    in_folder = request.layout == "folder" and "packed" not in published.others
    attachment = None if in_folder else attachment_of(published.others.get("packed", published.page), request)
    writer = MailWriter(mail.sender or request.brand.mail_address, mail.to, attachment, mail.cc, link)
    message = b"".join(bytes(file.content) for file in writer.render(report) if isinstance(file.content, bytes))
    sender = parseaddr(writer.sender)[1]
    recipients = [parseaddr(address)[1] for address in (*mail.to, *mail.cc)]
    try:
        _within_patience(
            partial(send_mail, sending.server, sending.login, sender, recipients, message), str(sending.server)
        )
    except DeliveryError as error:
        return [error]
    return []


def _within_patience(work: Callable[[], object], shown: str) -> None:
    """Do work that waits for a server. Raises DeliveryError, also where that never comes to an end."""
    try:
        do_within(Patience(_SEND_PATIENCE_S), work, lambda _: None)
    except TimeoutError as error:
        what = f"did not finish within {format_duration(_SEND_PATIENCE_S)}"
        raise DeliveryError(what, path=shown, hint="see whether it answers") from error


def _post(report: Report, recipient: Recipient, link: str) -> list[PlainVerdictError]:
    from plain_verdict.delivery.channels.webhook import Notice, fill_template, post_notice  # for teams that want it
    from plain_verdict.writers.notice_json import NoticeWriter  # as above

    writer = NoticeWriter(link, recipient.owner)
    try:
        if recipient.template:
            notice = fill_template(recipient.template, recipient.file, writer.values(report))
        else:
            notice = Notice(
                next(bytes(file.content) for file in writer.render(report) if isinstance(file.content, bytes))
            )
        _within_patience(partial(post_notice, recipient.url, recipient.name, notice), recipient.name)
    except PlainVerdictError as error:
        return [error]
    return []
