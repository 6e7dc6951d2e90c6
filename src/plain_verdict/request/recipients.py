"""Who is notified of a report, and how: made of the settings and the environment. Raises UsageError."""

from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

from plain_verdict.delivery.channels.address import SMTP_SCHEMES, Login, read_server
from plain_verdict.delivery.channels.webhook import check_notices, media_type_of
from plain_verdict.remote.opening import open_destination
from plain_verdict.request.checks import read_patience_s
from plain_verdict.request.request import Request
from plain_verdict.request.targets import Recipient, Sending, Target
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.choices import When
from plain_verdict.settings.report_tables import MailTable
from plain_verdict.settings.schema import NotifyTable, PublishTable, SettingsFile

_MOST_TEMPLATE_BYTES = 64_000  # a template is a message of a service, not a page


def with_recipients(
    request: Request, file: SettingsFile, named: Sequence[str], environment: Mapping[str, str]
) -> Request:
    """Return a request with the places where its page goes, and who is notified."""
    return msgspec.structs.replace(
        request,
        destinations=_targets(file.publish, named, request.report.keep),
        sending=_sending(request.mail, environment),
        recipients=_recipients(file.notify, environment),
    )


def _targets(tables: Sequence[PublishTable], named: Sequence[str], keep: int) -> tuple[Target, ...]:
    """Return the places of the settings, and those of the command line, which keep as many as are kept here."""
    every = (*tables, *(PublishTable(url, keep) for url in named))
    targets = []
    for table in every:
        destination = open_destination(table.destination)
        destination.check()
        if table.link and not (table.link.startswith(("https://", "http://")) and table.link.endswith("/")):
            raise UsageError(
                "is not an address of a folder", path=table.link, where="publish.link", hint="end it in /"
            )
        patience_s = read_patience_s(table.patience, "publish.patience")
        targets.append(Target(destination, table.keep, table.link, patience_s))
    return tuple(targets)


def _sending(mail: MailTable, environment: Mapping[str, str]) -> Sending | None:
    """Return how the mail is sent; None where it is not."""
    if not mail.send:
        return None
    if not mail.server:
        raise UsageError("no mail server is set", where="mail.server", hint='write server = "smtp://host:587"')
    if not (mail.to or mail.cc or mail.to_owners):
        raise UsageError("the mail has no recipients", where="mail.to", hint='write to = ["crew@host.example"]')
    for address in (*mail.to, *mail.cc, mail.sender):
        if not address.rpartition("<")[2].isascii():
            hint = "write the host in its xn-- form"
            raise UsageError("is not an address that every server takes", path=address, where="mail.to", hint=hint)
    server = read_server(mail.server, SMTP_SCHEMES, "mail.server")
    user = _held_by(mail.user_variable, "mail.user_variable", environment)
    password = _held_by(mail.password_variable, "mail.password_variable", environment)
    if user and server.scheme == "smtp+plain":
        hint = "use smtp:// (STARTTLS) or smtps://"
        raise UsageError("the password would be sent unencrypted", where="mail.server", hint=hint)
    return Sending(server, Login(user, password), When(mail.when))


def _recipients(tables: tuple[NotifyTable, ...], environment: Mapping[str, str]) -> tuple[Recipient, ...]:
    """Return the web services that are notified."""
    if tables:
        check_notices()
    return tuple(_recipient(table, f"notify[{number}]", environment) for number, table in enumerate(tables))


def _recipient(table: NotifyTable, where: str, environment: Mapping[str, str]) -> Recipient:
    url = _held_by(table.url_variable, f"{where}.url_variable", environment)
    if not url.startswith(("https://", "http://")):
        hint = "it holds an address that begins with https://"
        raise UsageError(f"{table.url_variable} holds no address", where=f"{where}.url_variable", hint=hint)
    template = ""
    if table.template:
        media_type_of(table.template)
        try:
            template = Path(table.template).read_text("utf-8")[:_MOST_TEMPLATE_BYTES]
        except (OSError, UnicodeDecodeError) as error:
            what = getattr(error, "strerror", "") or "it is not UTF-8 text"
            raise UsageError(f"can't be read ({what})", path=table.template, where=where) from error
    return Recipient(url, table.url_variable, template, table.template, When(table.when), table.owner)


def _held_by(variable: str, where: str, environment: Mapping[str, str]) -> str:
    if not variable:
        return ""
    value = environment.get(variable, "")
    if not value:
        raise UsageError(
            f"the environment variable {variable} is not set", where=where, hint="set it, or remove the key"
        )
    return value
